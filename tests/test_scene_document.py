#!/usr/bin/python3
"""test_scene_document.py ROOT COMMAND: every example in docs/scenes.md is a scene that `rehearse --check` takes and the
schema allows; every key is documented; what is wrong is refused, with the code that the document explains; the schema in
docs is the one that the command prints."""
import json
import pathlib
import re
import subprocess
import sys
import tempfile

import jsonschema
from ruamel.yaml import YAML

root = pathlib.Path(sys.argv[1]).resolve()
command = str(pathlib.Path(sys.argv[2]).resolve())
yaml = YAML(typ="safe", pure=True)
document = (root / "docs/scenes.md").read_text()
work = pathlib.Path(tempfile.mkdtemp())
failures = []

printed = subprocess.run([command, "rehearse", "--schema"], capture_output=True, text=True, check=True).stdout
if printed != (root / "docs/scenes.schema.json").read_text():
    failures.append("docs/scenes.schema.json is not what yarnswift rehearse --schema prints")
schema = json.loads(printed)
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)

WRENCH = root / "examples/torque_wrench/torque_wrench.device.yaml"
MAST = root / "examples/weather_mast/weather_mast.device.yaml"
CABINET = root / "examples/tool_cabinet/tool_cabinet.device.yaml"
(work / "torque_wrench.device.yaml").write_text(WRENCH.read_text())
BASE = f"""
scene: A base
air: outdoors
devices:
  - name: wrench
    definition: {WRENCH}
    firmware: torque_wrench
  - name: mast
    definition: {MAST}
  - {{name: cabinet, definition: {CABINET}}}
centrals:
  - name: tablet
    kind: polite
steps:
  - {{subscribe: live torque, of: wrench}}
"""


def check(text):
    path = work / "one.scene.yaml"
    path.write_text(text)
    return subprocess.run([command, "rehearse", "--check", path], capture_output=True, text=True)


def plain(value):
    """As the schema sees it."""
    return json.loads(json.dumps(value, default=str))


def expect_good(what, text):
    result = check(text)
    reasons = [error.message for error in validator.iter_errors(plain(yaml.load(text)))]
    if result.returncode != 0:
        failures.append(f"{what}: rehearse --check says\n{result.stderr}")
    if reasons:
        failures.append(f"{what}: the schema refuses: {reasons[0]}")


def with_step(example):
    return BASE + f"  - {example}\n"


expect_good("the base", BASE)
examples = 0
documented = set()
section = ""
for line in document.splitlines():
    if line.startswith("## "):
        section = line[3:]
    row = re.match(r"\| (`[^|]*`) \|(.*)\|$", line)
    if not row:
        continue
    documented.update(re.findall(r"`([^`]*)`", row.group(1)))
    cells = row.group(2).rsplit("|", 1)
    for example in re.findall(r"`([^`]+)`", cells[-1]) if len(cells) == 2 else []:
        examples += 1
        if section == "`steps`":
            expect_good(example, with_step(example))
        elif section == "The whole file":
            key = example.split(":")[0]
            expect_good(example, re.sub(rf"(?m)^{key}: .*", lambda _: example, BASE) if f"\n{key}:" in BASE
                        else BASE.replace("air: outdoors\n", f"air: outdoors\n{example}\n"))
        elif section == "`fading`":
            kind = "" if example.startswith("kind") else "kind: rician, "
            expect_good(example, BASE.replace("air: outdoors\n", f"air: outdoors\nfading: {{{kind}{example}}}\n"))
        elif section == "`disturbers`":
            kind = "network" if example.split(":")[0] in ("at", "channel", "duty", "burst", "power") else "advertisers"
            given = "" if example.startswith("kind") else f"kind: {kind}, "
            expect_good(example, BASE.replace("air: outdoors\n", f"air: outdoors\ndisturbers: [{{{given}{example}}}]\n"))
        elif section == "`devices`":
            key = example.split(":")[0]
            device = f"  - name: wrench\n    definition: {WRENCH}\n    firmware: torque_wrench\n"
            changed = re.sub(rf"{key}: .*", example, device, count=1) if key + ":" in device else device + f"    {example}\n"
            expect_good(example, BASE.replace(device, changed))
        elif section == "`centrals`":
            extra = "    extended: true\n" if example.startswith("coded") else ""
            central = "  - name: tablet\n    kind: polite\n"
            key = example.split(":")[0]
            changed = re.sub(rf"{key}: .*", example, central) if key in ("name", "kind") else central + f"    {example}\n"
            expect_good(example, BASE.replace(central, changed + extra))
for page in sorted((root / "docs").glob("*.md")):
    for block in re.findall(r"^```yaml scene\n(.*?)^```", page.read_text(), re.M | re.S):
        expect_good(page.name, block)


def keys_of(node):
    found = set(node.get("properties", {}))
    for value in list(node.get("properties", {}).values()) + [node[key] for key in ("items",) if key in node] + \
            node.get("anyOf", []):
        found |= keys_of(value)
    return found


for key in sorted(keys_of(schema) | keys_of(schema["$defs"]["a_step"])):
    if key not in documented and not any(key in one.split("`, `") for one in documented):
        failures.append(f"docs/scenes.md lacks the key {key}")

# What is wrong, and the code that says so: a change of the base, or a step.
WRONG = [
    ("who", "{read: battery level, of: wrench, who: wrench}"),
    ("who", "{set: trigger, to: on, who: tablet}"),
    ("who", "{set: trigger, to: on}"),
    ("who", "{connect: tablet, who: tablet}"),
    ("who", "{read: preset}"),
    ("value", "{pair: wrench, who: tablet, passkey: sesame}"),
    ("value", "{pair: wrench, who: tablet, passkey: 12345}"),
    ("who", "{forget: tablet, who: wrench}"),
    ("never", "{forget: tablet, who: mast}"),
    ("who", "{touch: wrench, who: tablet}"),
    ("never", "{touch: mast, who: tablet}"),
    ("who", "{touch: cabinet, who: mast}"),
    ("who", "{forget: tablet, who: tablet}"),
    ("who", "{advertise: true, who: mast}"),
    ("name-unknown", "{read: presett, of: wrench}"),
    ("name-unknown", "{read: preset, of: wrensh}"),
    ("name-unknown", "{connect: nobody}"),
    ("name-unknown", "{find: Torvane T3}"),
    ("name-unknown", "{find service: tightning}"),
    ("name-unknown", "{read: bolt result, of: wrench, field: peak torq, is: 1 N m}"),
    ("name-unknown", "{subscribe: bolt result, of: wrench, using: pigeon}"),
    ("name-unknown", "{read: preset, of: tablet}"),
    ("value", "{read: preset, of: wrench, is: 42 kg}"),
    ("value", "{write: preset, of: wrench, to: 7000 N m}"),
    ("value", "{write: preset, of: wrench, to: 0.05 N m}"),
    ("value", "{write: preset, of: wrench, bytes: xy}"),
    ("value", "{read: serial number string, of: wrench, between: [a, b]}"),
    ("value", "{expect: live torque, of: wrench, rate: [x, 2], for: 1 s}"),
    ("value", "{set: trigger, who: wrench, to: a bit}"),
    ("never", "{read: preset, of: wrench, is: 250 N m}"),
    ("never", "{expect: live torque, of: wrench, between: [9 N m, 3 N m]}"),
    ("never", "{expect: live torque, of: wrench, rate: [90, 99], for: 1 s}"),
    ("never", "{expect: live torque, of: wrench, rate: [9, 3], for: 1 s}"),
    ("never", "{expect: battery level, of: wrench}"),
    ("never", "{expect: live torque, of: wrench, within: 0 s}"),
    ("never", "{subscribe: preset, of: wrench}"),
    ("never", "{read: arm, of: wrench}"),
    ("never", "{write: live torque, of: wrench, to: 1 N m}"),
    ("never", "{write: preset, of: wrench, to: 42 N m, response: false}"),
    ("never", "{write: arm, of: wrench, to: \"true\", fails: cannot be written}"),
    ("never", "{read: preset, of: wrench, fails: by a dragon}"),
    ("never", "end\n  - {wait: 1 s}"),
    ("key", "{wait: 1 s, of: wrench}"),
    ("key", "{write: preset, of: wrench}"),
    ("key", "{set: trigger, who: wrench}"),
    ("key", "{write: preset, of: wrench, to: 42 N m, bytes: a4 01}"),
    ("key", "{expect none: live torque, of: wrench}"),
    ("key", "{expect no log: connected, who: wrench}"),
    ("key", "{expect: live torque, of: wrench, rate: [1, 2]}"),
    ("key", "{expect: live torque, of: wrench, is: 1 N m, between: [0 N m, 2 N m]}"),
    ("key", "{expect: live torque, of: wrench, is: 1 N m, for: 2 s}"),
    ("key", "{send garbage: wrench}"),
    ("key", "{repeat: 3}"),
    ("key", "{power: \"off\", who: wrench, for: 3 s}"),
    ("value", "{set: trigger, who: wrench, bytes: 01}"),
    ("scene", "{who: tablet}"),
    ("scene", "find Torvane T2"),
    ("scene", "{read: preset, write: preset, of: wrench}"),
    ("scene", "{walk: [2 m], who: tablet}"),
    ("scene", "{walk: [2 m, far], who: tablet}"),
    ("word-unknown", "disconect"),
    ("word-unknown", "{power: perhaps, who: wrench}"),
    ("number", "{jam: [40]}"),
    ("number", "{repeat: 0, steps: [connect]}"),
    ("duration", "{wait: soon}"),
    ("key-unknown", "{reed: preset}"),
    ("kind", "{parallel: connect}"),
    ("alias", "{read: *preset}"),
]
CHANGED = [
    ("air", BASE.replace("air: outdoors", "air: perfect").replace("kind: polite", "at: [1 m, 1 m]")),
    ("air", BASE.replace("air: outdoors\n", "") + "  - {walk: [1 m, 1 m], who: tablet}\n"),
    ("air", BASE.replace("air: outdoors", "reception: real")),
    ("air", BASE.replace("air: outdoors", "air: perfect\nfading: {kind: rayleigh}")),
    ("air", BASE.replace("air: outdoors", "air: hall\nreception: levels\nfading: {kind: rayleigh}")),
    ("air", BASE.replace("air: outdoors", "air: hall\nfading: {kind: rayleigh, factor: 3 dB}")),
    ("air", BASE.replace("air: outdoors", "air: hall\nfading: {kind: rayleigh, coherence time: 1 us}")),
    ("air", BASE.replace("air: outdoors", "disturbers: [{kind: oven}]")),
    ("air", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: oven, channel: 6}]")),
    ("air", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: network, count: 6}]")),
    ("air", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: network, burst: 2 s}]")),
    ("air", BASE.replace("air: outdoors", "disturbers: [{kind: advertisers, interval: 10 ms}]")),
    ("air", BASE.replace("air: outdoors", "disturbers: [{kind: advertisers, count: 60000}, {kind: advertisers, count: 60000}]")),
    ("air", BASE.replace("air: outdoors", "air: perfect").replace("kind: polite", "body loss: 10 dB")),
    ("scene", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: network, duty: 0 %}]")),
    ("scene", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: network, power: 15 dB}]")),
    ("scene", BASE.replace("kind: polite", "body loss: 100 dB")),
    ("scene", BASE.replace("kind: polite", "line: 115200")),
    ("trait", BASE.replace("kind: polite", "host delay: 11 s")),
    ("word-unknown", BASE.replace("kind: polite", "controller: hasty")),
    ("number", BASE.replace("air: outdoors", "air: outdoors\ndisturbers: [{kind: network, channel: 14}]")),
    ("definition", BASE.replace(str(MAST), "nowhere.device.yaml")),
    ("firmware", BASE.replace("firmware: torque_wrench", "firmware: torque_wrensh")),
    ("name-twice", BASE.replace("name: mast", "name: wrench")),
    ("trait", BASE.replace("kind: polite", "interval: 31 ms")),
    ("trait", BASE.replace("kind: polite", "supervision timeout: 20 ms")),
    ("trait", BASE.replace("kind: polite", "patience: 0 s")),
    ("trait", BASE.replace("kind: polite", "coded: true\n    extended: false")),
    ("word-unknown", BASE.replace("kind: polite", "kind: rude")),
    ("number", BASE.replace("kind: polite", "mtu: 22")),
    ("key-missing", BASE.replace("scene: A base\n", "")),
    ("scene", re.sub(r"steps:\n.*", "steps: []\n", BASE, flags=re.S)),
    ("scene", re.sub(r"devices:\n.*centrals", "devices: []\ncentrals", BASE, flags=re.S)),
    ("yaml", BASE + " - x: [\n"),
]
codes = set(re.findall(r"^\| `([a-z-]+)` \| [a-zA-Z]", document[document.index("Problems of a scene"):], re.M))
codes |= set(re.findall(r"`([a-z-]+)`", document[document.index("and those of any YAML"):document.index("checks.md]")]))
seen = set()
for code, text in [(code, with_step(step)) for code, step in WRONG] + CHANGED:
    result = check(text)
    full = subprocess.run([command, "rehearse", "--json", work / "one.scene.yaml"], capture_output=True, text=True)
    found = {finding["code"] for finding in json.loads(full.stdout)[0]["takes"][0].get("findings", [])}
    seen |= found
    if result.returncode != 2 or full.returncode != 2 or code not in found:
        failures.append(f"{code} is not found in\n{text.splitlines()[-1]}\nbut {found}: {result.stderr}")
    if not re.search(r"one\.scene\.yaml(:\d+:\d+)?: error: .{15}", result.stderr.replace("\033[0m", "")):
        failures.append(f"no place, or no words: {result.stderr}")
for code in sorted(seen - codes):
    failures.append(f"docs/scenes.md does not explain the code {code}")
for code in sorted(codes - seen - {"text", "value-empty"}):
    failures.append(f"no wrong scene here has the code {code}")

# every reason for which a request can fail is listed, and is one
source = (root / "src/wire/codes.c").read_text()
source = source[source.index("att_errors[]"):source.index("hci_errors[]")]
listed = dict(re.findall(r"^\| `(0x[0-9A-F]{2})` \| (.*) \|$", document, re.M))
for reason in re.findall(r'\{YS_ATT_[A-Z_]+, "(.*)"\}', source)[1:]:
    if reason not in listed.values():
        failures.append(f"docs/scenes.md does not list the reason {reason}")
for code, reason in listed.items():
    for words in (code, reason):
        result = check(with_step("{read: preset, of: wrench, fails: \"" + words + "\"}"))
        if result.returncode != 0:
            failures.append(f"{words} is no reason: {result.stderr}")

if examples < 50:
    failures.append("docs/scenes.md has too few examples: were they read?")
print(f"{examples} examples, {len(WRONG) + len(CHANGED)} wrong scenes")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
