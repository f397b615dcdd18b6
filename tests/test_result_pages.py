#!/usr/bin/env python3
"""Results as pages, in a real browser: pointing, zooming, opening; no error in its console, nothing from the network, and
names that are markup do nothing. test_result_pages.py ROOT COMMAND [browser]

Without the last word only what needs no browser is tried."""
import json
import pathlib
import subprocess
import sys
import tempfile
import time

sys.path.insert(0, str(pathlib.Path(__file__).parent))
import browser  # noqa: E402

ROOT, COMMAND = (pathlib.Path(argument).resolve() for argument in sys.argv[1:3])
WRENCH = ROOT / "examples/torque_wrench/torque_wrench.device.yaml"
SCENES = ROOT / "examples/scenes"
PAGE_MOST = 3_000_000
failures = []


def check(what, good):
    if not good:
        failures.append(what)


def run(*words, status=None):
    done = subprocess.run([COMMAND, *map(str, words)], capture_output=True, text=True, check=False)
    check(f"{' '.join(map(str, words))}: {done.returncode}, {done.stderr}",
          done.returncode < 2 if status is None else done.returncode == status)
    return done.stdout + done.stderr


def data_of(page):
    text = page.read_text(encoding="ascii", errors="replace")
    return json.loads(text.split('id="data">', 1)[1].split("</script>", 1)[0])


def without_a_browser(folder):
    page = folder / "page.html"
    run("pairing", "--page", page, ROOT / "examples/tool_cabinet/tool_cabinet.device.yaml", status=0)
    before = page.read_bytes()
    said = run("pairing", "--page", page, ROOT / "examples/tool_cabinet/tool_cabinet.device.yaml", status=2)
    check("a page that is there is left alone: " + said, "--replace" in said and page.read_bytes() == before)
    run("rehearse", "--page", folder / "no/such/page.html", SCENES / "shift.scene.yaml", status=2)
    for name in ("a", "b"):
        run("rehearse", "--page", folder / f"{name}.html", "--replace", SCENES / "must_fail.scene.yaml", status=1)
    a, b = ((folder / f"{name}.html").read_bytes() for name in "ab")
    check("the same run gives the same page", a.replace(b"a.html", b"b.html") == b)
    hour = folder / "hour.html"
    run("rehearse", "--page", hour, SCENES / "long_hour.scene.yaml", status=0)
    check(f"an hour takes {hour.stat().st_size} bytes", hour.stat().st_size < PAGE_MOST)
    air = data_of(hour)["more"]["watched"]["air"]
    check("what is left out is counted", air["packets_left_out"] == air["packets_telling"] - len(air["packets"]) > 0)
    last = air["packets"][-1][0]
    check(f"times late in an hour have their microseconds: {last}", last > 3600 and round(last * 1e6) % 10 != 0 or
          any(round(packet[0] * 1e6) % 10 != 0 for packet in air["packets"][-50:]))
    for words in (["--undone", "--results", folder / "x.sqlite"], ["--merge", "--results", folder / "x.sqlite"]):
        said = run("rehearse", *words, "--page", folder / "none.html", SCENES / "shift.scene.yaml", status=2)
        check(f"no page of nothing: {said}", not (folder / "none.html").exists())
    run("trace", "--packet", "3", "--page", folder / "one.html", SCENES / "shift.scene.yaml", status=2)
    many = folder / "many.html"
    run("rehearse", "--page", many, "--runs", "3", SCENES / "shift.scene.yaml", SCENES / "must_fail.scene.yaml", status=1)
    shown = data_of(many)["more"]["take"]
    check("of many takes the first that failed is shown", not shown["passed"] and shown["seed"] == 1)
    # of a series that is thinned out the extremes stay
    series = next(one for one in air["series"] if "live torque" in one["name"])
    values = [value for _, value in series["points"]]
    times = [at for at, _ in series["points"]]
    check("points stay in the order of time", times == sorted(times) and series["thinned"])
    check("the extremes stay", min(values) == 0 and max(values) == 60)


def failing_scene(folder, view):
    page = folder / "b.html"
    view.open(page)
    check("the verdict comes first", "FAILED" in view.run("document.querySelector('.verdict').textContent"))
    check("where it failed is open", view.run("[...document.querySelectorAll('details[open] summary')].some(node => node.textContent.includes('line 15'))"))
    ticks = "[...document.querySelectorAll('.plot text.faint')].map(node => node.textContent).join()"
    before = view.run(ticks)
    view.run("document.querySelector('.plot').focus()")
    view.key("+")
    closer = view.run(ticks)
    check("+ comes closer", closer != before)
    view.key("0")
    view.click(".tools button")
    check("so does the button", view.run(ticks) not in (before, closer))
    view.key("0")
    found = 0
    for step in range(1, 40):
        view.point(".plot", across=0.13 + step * 0.02, down=0.3)
        told = view.run("document.querySelector('.readout').textContent")
        found += "packet " in told and "channel" in told
    check(f"pointing tells packets: {found}", found >= 5)
    view.run("document.querySelector('.plot').focus()")
    view.key("n")
    first = view.run("document.querySelector('.readout').textContent")
    view.key("n")
    check("n goes on to the next packet", view.run("document.querySelector('.readout').textContent") != first != "")
    whole = view.run(ticks)
    view.click("tr.step.bad")
    check("a step that is chosen is shown", view.run(ticks) != whole)
    view.run("[...document.querySelectorAll('summary')].find(node => node.textContent.startsWith('Packets')).click()")
    check("packets are listed", view.run("document.querySelectorAll('[data-record]').length") > 3)


def each_verb(folder, view):
    verbs = {"interval": [WRENCH, "--runs", "50"], "throughput": [WRENCH, "--seconds", "2"],
             "pairing": [ROOT / "examples/tool_cabinet/tool_cabinet.device.yaml"],
             "audit": [SCENES / "stranger.scene.yaml"], "trace": [SCENES / "shift.scene.yaml"],
             "meet": [ROOT / "tests/modules/misbehaving.device.yaml", "--runs", "60", "-m", COMMAND.parent.parent / "modules", "-f", "misbehaving"]}
    told = {"interval": "expected", "trace": "packet"}
    for verb, words in verbs.items():
        page = folder / f"{verb}.html"
        run(verb, "--page", page, *words)
        view.open(page)
        check(f"{verb}: sections", view.run("document.querySelectorAll('h2').length") >= 2)
        check(f"{verb}: nothing undefined", view.run("!/undefined|NaN|\\[object/.test(document.querySelector('main').innerText)"))
        check(f"{verb}: no wider than its window", view.run("document.documentElement.scrollWidth <= innerWidth"))
        view.size(390, 800, mobile=True)
        view.open(page)
        check(f"{verb}: nor on a telephone", view.run("document.documentElement.scrollWidth <= innerWidth"))
        view.size(1280, 800)
        if verb in told:
            view.open(page)
            texts = []
            for step in range(1, 30):
                view.point(".plot", across=0.1 + step * 0.03, down=0.2)
                texts.append(view.run("document.querySelector('.readout').textContent"))
            check(f"{verb}: pointing tells something: {texts[-1]}", any(told[verb] in text for text in texts))
    view.open(folder / "meet.html")
    check("meet: a finding and its scene are open", view.run("document.querySelectorAll('details[open] details[open] pre').length") == 1)
    check("meet: what failed leads to its finding", view.run("[...document.querySelectorAll('td a')].every(link => document.querySelector(link.getAttribute('href')))")
          and view.run("document.querySelectorAll('td a').length") > 0)
    for name, phy in (("first", "1M"), ("second", "2M")):
        (folder / f"{name}.json").write_text(run("throughput", "--json", "--seconds", "2", "--phy", phy, WRENCH))
    run("compare", "--page", folder / "compare.html", "--threshold", "5", folder / "second.json", folder / "first.json", status=1)
    view.open(folder / "compare.html")
    check("compare: what is worse is marked", view.run("document.querySelectorAll('tr.bad').length") > 0)


def hostile(folder, view):
    name = "</script><script>alert(1)</script><img src=x onerror=alert(2)>&amp;\\u003cb>'\"`${alert(3)}"
    quoted = "'" + name.replace("'", "''") + "'"
    (folder / "device.device.yaml").write_text(
        f"device: {{name: {quoted}}}\nadvertising: {{interval: 100 ms, services: [{quoted}], data: [flags, services], response: [{{shortened name: 20}}]}}\nservices:\n  - name: {quoted}\n"
        f"    uuid: 5f8d0200-2b1c-4e6f-9a37-d4c1e07b6a52\n    characteristics:\n      - {{name: {quoted}, uuid: +1, format: uint16, "
        "read: open, notify: open, handler: read, simulate: {shape: ramp, from: 1, to: 9, period: 4 s, every: 1 s}}\n")
    (folder / "evil.scene.yaml").write_text(
        f"scene: {quoted}\ndevices: [{{name: {quoted}, definition: device.device.yaml}}]\ncentrals: [{{name: tablet, kind: polite}}]\n"
        f"steps:\n  - {{find service: {quoted}, within: 5 s}}\n  - connect\n  - discover\n  - {{subscribe: {quoted}}}\n  - {{expect: {quoted}, between: [20, 30], for: 3 s}}\n")
    before = len(view.problems)
    pages = {"rehearse": "evil.scene.yaml", "trace": "evil.scene.yaml", "audit": "evil.scene.yaml", "throughput": "device.device.yaml", "interval": "device.device.yaml", "meet": "device.device.yaml"}
    for verb, file in pages.items():
        page = folder / f"evil_{verb}.html"
        said = run(verb, "--page", page, folder / file, *(["--runs", "8"] if verb == "meet" else []))
        if not page.exists():
            check(f"{verb} of hostile names: {said}", False)
            continue
        view.open(page)
        check(f"{verb}: no script came in", view.run("document.scripts.length") == 2 and view.run("document.images.length") == 0)
        if verb == "rehearse":
            check("the name is shown as it is", view.run("document.querySelector('h1').textContent") == name)
            for step in range(1, 20):
                view.point(".plot", across=0.15 + step * 0.04, down=0.3)
    check(f"hostile names do nothing: {view.problems[before:]}", len(view.problems) == before)


with tempfile.TemporaryDirectory() as temporary:
    folder = pathlib.Path(temporary)
    without_a_browser(folder)
    if sys.argv[3:] != ["browser"]:
        print("without a browser: scripts/check looks at pages")
    elif browser.find() is None:
        print("no browser (chromium): pages are not looked at")
    else:
        view = browser.Browser()
        began = time.monotonic()
        failing_scene(folder, view)
        each_verb(folder, view)
        hostile(folder, view)
        check(f"the browser's console: {view.problems}", not view.problems)
        view.close()
        print(f"looked at in {time.monotonic() - began:.1f} s")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
