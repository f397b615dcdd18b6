#!/usr/bin/env python3
"""test_hostile_names.py ROOT COMMAND [EACH]: names that a stranger or an enemy would choose, through every verb and every
output. Names of a definition and a scene, advertised names, and names of a capture's interfaces are shown as text: nothing
runs because of one, no output carries a control sequence, and JSON, XML, CSV, Markdown and C stay what they are. With EACH
= 5, a fifth of the names that are taken is tried."""
import concurrent.futures
import csv
import json
import os
import pathlib
import re
import struct
import subprocess
import sys
import tempfile
import xml.etree.ElementTree

ROOT, COMMAND = (os.path.abspath(argument) for argument in sys.argv[1:3])
EACH = int(sys.argv[3]) if len(sys.argv) > 3 else 1

# What a name may be: it is taken, and is text wherever it comes to.
ACCEPTED = ["plain", "*/ touch evil /*", "\"; touch evil; \"", "`touch evil`", "$(touch evil)", "'; touch evil;'", "%s%n%99d",
            "=1+1", "+1", "-1", "@SUM(1)", "<script>x</script>", "a | b", "[a](b)", "]]>&amp;", "back\\slash\\", "??/", "é ü 𝛑",
            "#define x", "{x}", "!touch evil", "set output 'evil'", "--help", "x,y;z", "\ufffe"]
# What is none: it is refused, with a line that can be shown.
REFUSED = ["\x1b[31mred", "a\nb", "a\rb", "bell\x07", "\x7f", "\u0085", "\u009b31m", "\x01"]

CONTROL = re.compile("[\x00-\x08\x0b-\x1f\x7f\x80-\x9f]")
failures = []
verbs_tried = set()


def fail(what, told):
    failures.append(f"{what}\n{told}")


def run(folder, name, *arguments, ends=(0, 1), given=""):
    """Runs the command, and looks at what every output must be."""
    arguments = [str(argument) for argument in arguments]
    verbs_tried.add(arguments[0])
    done = subprocess.run([COMMAND, *arguments], cwd=folder, capture_output=True, timeout=120, check=False,
                          input=given.encode())
    what = f"{name!r}: {' '.join(arguments)}"
    told = done.stdout.decode(errors="replace") + done.stderr.decode(errors="replace")
    if done.returncode not in ends:
        fail(f"{what} ended with {done.returncode}", told)
    for stream in (done.stdout, done.stderr):
        try:
            text = stream.decode()
        except UnicodeDecodeError as error:
            fail(f"{what} printed what is no UTF-8: {error}", told)
            continue
        if CONTROL.search(text):
            fail(f"{what} printed a control character", repr(text))
    if os.path.exists(os.path.join(folder, "evil")):
        fail(f"{what} ran what stands in a name", told)
        os.remove(os.path.join(folder, "evil"))
    if "--json" in arguments and done.returncode in (0, 1):
        try:
            if arguments[0] == "trace":
                for line in done.stdout.decode().splitlines():
                    json.loads(line)
            else:
                json.loads(done.stdout)
        except ValueError as error:
            fail(f"{what} printed what is no JSON: {error}", told)
    return done


def word_of_value(name):
    """Without what is between the words of a value, which is refused."""
    return re.sub(r'[,;"\[\]+]', "", name)


def definition(name):
    """Every place of a definition in which there can be a name."""
    characteristics = [
        {"name": f"{name} a", "uuid": "+1", "format": "uint16", "read": "open", "notify": "open", "handler": "read",
         "description": name, "simulate": {"shape": "ramp", "from": 0, "to": 9, "period": "1 s", "every": "50 ms"}},
        {"name": f"{name} b", "uuid": "+2", "format": "utf8s", "length": 60, "read": "open", "write": "open", "value": name},
        {"name": f"{name} c", "uuid": "+3", "format": "struct", "read": "open", "handler": "read",
         "fields": [{"name": f"{name} d", "format": "boolean[8]", "bits": [word_of_value(f"{name} e"), "wide"]},
                    {"name": f"{name} f", "format": "uint8", "when": "wide", "names": ["none such", word_of_value(f"h {name}")]}]}]
    return {"device": {"name": name[:20], "security": {"capability": "display"}},
            "advertising": [{"interval": "100 ms", "services": [f"{name} s"]},
                            {"name": f"{name} g", "interval": "1 s", "kind": "beacon", "extended": True}],
            "energy": {"standby": "2 uA", "transmit": "5 mA", "receive": "5 mA"},
            "behaviour": [{"read": f"{name} b", "is": name}, {"write": f"{name} s/{name} b", "read": f"{name} b",
                                                              "is": "written"},
                          {"set": f"{name} a", "to": "7", "expect": f"{name} a", "between": ["0", "9"], "within": "2 s"}],
            "expect": [{"max silence": "1 s"}, {"advertising set": f"{name} g", "max silence": "2 s"}],
            "services": [{"name": f"{name} s", "uuid": "2d4f0000-6a91-4c3e-b8d7-0f15e2a96c84",
                          "characteristics": characteristics}]}


def scene(name, right):
    """A scene with the name in every place; with one expectation that is met, or not."""
    device, central = f"{name} dev", f"{name} cen"
    value = f"{name} a"
    return {"scene": name, "devices": [{"name": device, "definition": "name.device.yaml"}],
            "centrals": [{"name": central}],
            "steps": [{"connect": device}, {"discover": device}, {"read": value, "of": device},
                      {"expect log": name if right else f"{name} nowhere", "who": device, "within": "100 ms"}
                      if not right else {"wait": "10 ms"}]}


def capture(path, interface, advertised):
    """A capture with an interface of that name, and advertisements of a device of that name."""
    def block(kind, body):
        body += b"\0" * (-len(body) % 4)
        return struct.pack("<II", kind, 12 + len(body)) + body + struct.pack("<I", 12 + len(body))

    def option(code, value):
        return struct.pack("<HH", code, len(value)) + value + b"\0" * (-len(value) % 4)
    data = bytes([2, 1, 6, 1 + len(advertised), 9]) + advertised
    pdu = bytes([0x40, 6 + len(data)]) + bytes([1, 2, 3, 4, 5, 0xc6]) + data
    crc = 0x555555
    for byte in pdu:
        for bit in range(8):
            low = (crc ^ byte >> bit) & 1
            crc = crc >> 1 ^ (0xda6000 if low else 0)
    sent = sum(((crc >> i & 1) << (i & 7 ^ 0)) << (i & ~7) for i in range(24))
    packet = struct.pack("<BbbBIH", 37, -40, 0, 0, 0x8e89bed6, 0x0013) + struct.pack("<I", 0x8e89bed6) + pdu + \
        struct.pack("<I", sent)[:3]
    blocks = [block(0x0a0d0d0a, struct.pack("<IHHq", 0x1a2b3c4d, 1, 0, -1)),
              block(1, struct.pack("<HHI", 256, 0, 65535) + option(2, interface) + option(9, b"\x09") + option(0, b""))]
    for i in range(20):
        at = 1000000 + i * 105000000
        blocks.append(block(6, struct.pack("<IIIII", 0, at >> 32, at & 0xffffffff, len(packet), len(packet)) + packet))
    pathlib.Path(path).write_bytes(b"".join(blocks))


def check_csv(folder, name, path):
    with open(os.path.join(folder, path), encoding="utf-8", newline="") as file:
        for row in csv.reader(file):
            for cell in row:
                if re.match(r"[=+\-@\t\r]", cell) and not re.fullmatch(r"-?[0-9.e+-]+", cell):
                    fail(f"{name!r}: a cell of {path} is a formula", repr(row))


def check_junit(folder, name):
    try:
        xml.etree.ElementTree.parse(os.path.join(folder, "junit.xml"))
    except xml.etree.ElementTree.ParseError as error:
        fail(f"{name!r}: junit.xml is none: {error}", pathlib.Path(folder, "junit.xml").read_text(errors="replace"))


def check_markdown(name, page):
    for line in page.splitlines():
        if re.search(r"(?<!\\)<(?!br>)[a-z]", line) or (line.startswith("|") and not line.endswith("|")):
            fail(f"{name!r}: Markdown has more than text", line)


def check_modules(folder, name):
    """What was generated is JSON, Python and JavaScript, and nothing else happens when it is read."""
    json.loads((pathlib.Path(folder) / "name_interface.json").read_text(encoding="utf-8"))
    for command in ((sys.executable, "-c", "import name_values"), ("node", "name_values.mjs"),
                    ("cc", "-std=c11", "-Wall", "-Wextra", "-Werror", "-I", os.path.join(ROOT, "include"), "-c",
                     "name_client.c", "-o", "client.o")):
        tried = subprocess.run(command, cwd=folder, capture_output=True, check=False)
        if tried.returncode != 0 or tried.stdout:
            fail(f"{name!r}: {command[0]} does not take it", tried.stderr.decode() + tried.stdout.decode())


def all_verbs(folder, name):
    file, here = "name.device.yaml", pathlib.Path(folder)
    (here / file).write_text(json.dumps(definition(name), ensure_ascii=False), encoding="utf-8")
    other = "other.device.yaml" # one of which everything is gone
    (here / other).write_text(json.dumps({"device": {"name": name}, "advertising": {"interval": "1 s"}, "services": []},
                                         ensure_ascii=False), encoding="utf-8")
    for right, path in ((True, "right.scene.yaml"), (False, "wrong.scene.yaml")):
        (here / path).write_text(json.dumps(scene(name, right), ensure_ascii=False), encoding="utf-8")
    brief = dict(scene(name, True), steps=[{"wait": "10 ms"}]) # for what is played in real time
    (here / "brief.scene.yaml").write_text(json.dumps(brief, ensure_ascii=False), encoding="utf-8")
    checked = run(folder, name, "check", file, ends=(0, 2))
    run(folder, name, "check", "--json", file, ends=(0, 2))
    if checked.returncode == 2: # no name for C, which it says
        return False
    run(folder, name, "air", "brief.scene.yaml")
    for output in ([], ["--json"]):
        run(folder, name, "table", *output, file)
        run(folder, name, "pairing", *output, file)
        run(folder, name, "changes", *output, file, other)
        run(folder, name, "footprint", *output, "--compiler", "no-gcc", file, ends=(2,))
        run(folder, name, "demo", *output, file)
        run(folder, name, "interval", *output, "--seconds", 3, "--runs", 3, "--advertising-set", f"{name} g", file)
        run(folder, name, "charge", *output, file, "none.csv", ends=(2,))
        run(folder, name, "charge", *output, "--advertising-set", f"{name} g", file, "none.csv", ends=(2,))
        run(folder, name, "throughput", *output, "--seconds", 1, "--", file, f"{name} a")
        run(folder, name, "rehearse", *output, "--junit", "junit.xml", "right.scene.yaml")
        check_junit(folder, name)
        run(folder, name, "rehearse", *output, "--junit", "junit.xml", "wrong.scene.yaml", ends=(1, 2))
        check_junit(folder, name)
        run(folder, name, "trace", *output, "right.scene.yaml")
        run(folder, name, "audit", *output, "--except", f"{name} cen", "right.scene.yaml")
    made = run(folder, name, "generate", "-o", ".", "--skeleton", "own.c", "--depends", "own.d", file)
    if made.returncode == 0 and name != "plain" and "touch evil" in name:
        run_cc(folder, name)
    for whom in ("client", "json", "python", "javascript"):
        run(folder, name, "generate", "--for", whom, "-o", ".", file)
    check_modules(folder, name)
    check_markdown(name, run(folder, name, "generate", "--interface", file).stdout.decode())
    run(folder, name, "rehearse", "--log", "right.scene.yaml")
    met = run(folder, name, "meet", "--runs", "12", "--json", "--page", "page.html", "--replace", "name.device.yaml", ends=(0, 1))
    found = json.loads(met.stdout)["findings"]
    if any("makes a scene" in finding["what"] for finding in found):
        fail("meet makes scenes that are none", str(found))
    run(folder, name, "demo", "--capture", "met.pcapng", "--replace", file)
    for level in ("air", "hci", "l2cap", "attributes", "values"):
        run(folder, name, "trace", "--layer", level, "--definition", file, "met.pcapng")
    run(folder, name, "trace", "--view", "both", "met.pcapng")
    run(folder, name, "trace", "--packet", 3, "met.pcapng")
    run(folder, name, "trace", "--values", "values.csv", "--replace", "--definition", file, "met.pcapng")
    check_csv(folder, name, "values.csv")
    for drawn in ("values", "strength", "connection"):
        run(folder, name, "trace", "--plot", "drawn.svg", "--replace", "--draw", drawn, "--definition", file, "met.pcapng")
    run(folder, name, "trace", "--filter", name, "met.pcapng", ends=(0, 1, 2))
    run(folder, name, "audit", "--all", "--definition", file, "met.pcapng")
    run(folder, name, "explore", file, ends=(0, 2),
        given=f"connect\ntree\nread {name} a\nwrite {name} b {name}\nset {name} a 3\npackets all 20\nsubscribe {name} a\nwait 100 ms\n"
              f"{name}\nhelp {name}\nquit\n")
    run(folder, name, "catalogue", f"--{name}" if name.startswith("-") else name, ends=(0, 1, 2))
    run(folder, name, "sweep", "--mtu", "23,100", "--seconds", 1, "--plot", "swept.svg", "--replace", "--", file, f"{name} a")
    (here / "result.json").write_text(json.dumps({"kind": "interval", name: {name: 3}, "list": [{"name": name, name: 4}]}))
    (here / "other.json").write_text(json.dumps({"kind": "interval", name: {name: 4}, "list": [{"name": name, name: 4}]}))
    for output in ([], ["--json"]):
        run(folder, name, "compare", *output, "--all", "result.json", "other.json", ends=(0, 1, 2))
    run(folder, name, "new", "--", name, ends=(0,) if re.fullmatch("[a-z]+", name) else (2,))
    return True


def one_name(name):
    with tempfile.TemporaryDirectory() as folder:
        return all_verbs(folder, name)


def run_cc(folder, name):
    """What was made compiles, so no comment was ended by a name."""
    done = subprocess.run(["cc", "-std=c11", "-Wall", "-Wextra", "-Werror", "-fsyntax-only", f"-I{ROOT}/include", "-I.",
                           "name_table.c", "own.c"], cwd=folder, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        fail(f"{name!r}: what was generated does not compile", done.stderr)


def from_outside(folder, name):
    """What others say their names are: any bytes."""
    capture(os.path.join(folder, "outside.pcapng"), name, name[:26])
    for arguments in (["trace", "--layer", "air"], ["trace", "--layer", "air", "--json"], ["trace", "--packet", "1"],
                      ["trace", "--plot", "drawn.svg", "--replace", "--draw", "strength"], ["audit", "--all"],
                      ["audit", "--json"]):
        run(folder, name, *arguments, "outside.pcapng")


def main():
    with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
        accepted = sum(pool.map(one_name, ACCEPTED[::EACH]))
    with tempfile.TemporaryDirectory() as folder:
        for name in REFUSED:
            path = pathlib.Path(folder, "refused.device.yaml")
            path.write_text(json.dumps(definition(name)), encoding="utf-8")
            run(folder, name, "check", path.name, ends=(2,))
            run(folder, name, "check", "--json", path.name, ends=(2,))
            pathlib.Path(folder, "refused.scene.yaml").write_text(json.dumps(scene(name, True)), encoding="utf-8")
            run(folder, name, "rehearse", "refused.scene.yaml", ends=(2,))
        for name in ACCEPTED + REFUSED:
            from_outside(folder, name.encode())
        for name in (b"\xff\xfe", b"\xc0\x80", b"a\0b", b"\xed\xa0\x80", b"\xf5", b"\x1b]0;evil\x07"):
            from_outside(folder, name)
    helped = subprocess.run([COMMAND, "--help"], capture_output=True, text=True, check=True).stdout
    verbs = set(re.findall(r"^  ([a-z]+) ", helped, re.MULTILINE))
    if verbs != verbs_tried:
        fail("these verbs are not tried, or not there", verbs ^ verbs_tried)
    if accepted < len(ACCEPTED[::EACH]) * 3 // 4:
        fail("too few names are taken", accepted)
    for failure in failures[:10]:
        print(failure)
    print(f"{accepted} of {len(ACCEPTED[::EACH])} names taken, {len(verbs)} verbs, {len(failures)} failures")
    sys.exit(1 if failures else 0)


main()
