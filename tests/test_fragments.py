#!/usr/bin/python3
"""test_fragments.py ROOT COMMAND: every example in docs/definition.md, and in other pages, is a definition that `check` takes and the schema
allows; what the schema can see to be wrong, both refuse; the schema in docs is the one that the command prints."""
import copy
import json
import pathlib
import re
import subprocess
import sys
import tempfile

import jsonschema
from ruamel.yaml import YAML

root = pathlib.Path(sys.argv[1])
command = sys.argv[2]
yaml = YAML(typ="safe", pure=True)  # YAML 1.2, as the definition is
plain = YAML(typ="base", pure=True)  # all scalars as they are written
work = pathlib.Path(tempfile.mkdtemp())
(work / "shared").mkdir()
(work / "shared" / "battery.yaml").write_text("services: [{use: battery}]\n")
(work / "yard").mkdir()
(work / "yard" / "turns.csv").write_text("torque;time\n1.5\n2.5;1\n-3\n")
failures = []


def dump(value):
    """Flow style: what a definition means does not depend on its style. Scalars stay as they are written."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{key}: {dump(one)}" for key, one in value.items()) + "}"
    if isinstance(value, list):
        return "[" + ", ".join(dump(one) for one in value) + "]"
    return value if re.fullmatch(r"[A-Za-z0-9+./-]([^\[\]{},#:\"']|:(?! ))*", value) else json.dumps(value)


def run(text):
    path = work / "yard" / "yard.device.yaml"
    path.write_text(text)
    return subprocess.run([command, "check", path], capture_output=True, text=True)


def expect(good, what, text):
    """Both the command and the schema take it, or refuse it."""
    result = run(text)
    reasons = [error.message for error in validator.iter_errors(yaml.load(text))]
    valid = not reasons
    if (result.returncode == 0) != good:
        failures.append(f"{what}: check says\n{result.stderr}of\n{text}")
    if valid != good:
        failures.append(f"{what}: the schema {'allows' if valid else 'refuses: ' + reasons[0]} in\n{text}")


printed = subprocess.run([command, "check", "--schema"], capture_output=True, text=True, check=True).stdout
schema = json.loads(printed)
jsonschema.Draft202012Validator.check_schema(schema)
validator = jsonschema.Draft202012Validator(schema)
if printed != (root / "docs/definition.schema.json").read_text():
    failures.append("docs/definition.schema.json is not what yarnswift check --schema prints")

# What an example stands in, by the heading above it: the definition around it, and where in it the example goes.
LONG = "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52"
TORQUE = {"name": "live torque", "uuid": "+1", "format": "sint16", "resolution": "0.1", "unit": "newton metre",
          "read": "open", "notify": "open", "handler": "read"}
OPEN = {"name": "a", "uuid": "+9", "format": "uint8", "read": "secure connections", "value": "1"}
BASE = {
    "device": {"name": "Torvane T2", "security": {"capability": "display"}},
    "advertising": {"interval": "100 ms"},
    "services": [{"name": "tightening", "uuid": LONG, "characteristics": [TORQUE, OPEN]},
                 {"name": "battery", "characteristics": []}],
}
FLAGS = {"name": "flags", "format": "boolean[8]", "bits": ["wide"]}
FIELD = {"name": "angle", "format": "uint16"}
PLACES = {
    "The whole file": [],
    "`device`": ["device"],
    "`limits`": ["device", "limits"],
    "`security`": ["device", "security"],
    "`link`": ["device", "link"],
    "`advertising`": ["advertising"],
    "Parts of `data` and `response`": ["advertising", "response"],
    "`scanning`": ["scanning"],
    "`energy`": ["energy"],
    "`expect`": ["expect", 0],
    "`behaviour`": ["behaviour", 0],
    "`services`": ["services", 0],
    "Characteristics": ["services", 0, "characteristics", 0],
    "Rights": ["services", 0, "characteristics", 0],
    "Structures": ["services", 0, "characteristics", 0, "fields", 1],
    "`descriptors`": ["services", 0, "characteristics", 0, "descriptors", 0],
    "`simulate`": ["services", 0, "characteristics", 0, "simulate"],
}


PRESET = {"name": "preset", "uuid": "+2", "format": "uint16", "resolution": "0.1", "unit": "newton metre", "read": "open",
          "write": "open", "handler": ["read", "write"]}
RESULT = {"name": "bolt result", "uuid": "+3", "format": "struct", "read": "open", "indicate": "open", "handler": "read",
          "fields": [{"name": "peak torque", "format": "sint16", "resolution": "0.1", "unit": "newton metre"}]}
# What belongs to an item of behaviour that is shown with one of its keys only.
BEHAVIOUR = {
    "write": {"read": "preset", "is": "written"}, "set": {"to": "on", "expect": "live torque"},
    "to": {"write": "preset", "read": "preset", "between": ["0 N m", "200 N m"]}, "read": {"is": "84.0 N m"},
    "expect": {}, "expect none": {"for": "1 s"}, "is": {"read": "preset"}, "between": {"read": "preset"},
    "field": {"read": "bolt result", "is": "4.0 N m"}, "within": {"expect": "live torque"}, "for": {"expect none": "bolt result"},
}


def surroundings(section, example):
    """A copy of the base in which the example has what it needs."""
    base = copy.deepcopy(BASE)
    torque = base["services"][0]["characteristics"][0]
    if section == "`limits`":
        base["device"]["limits"] = {}
    if section == "`link`":
        base["device"]["link"] = {}
    if section == "`scanning`":
        base["scanning"] = {"name": "Torvane"}
    if section == "`energy`":
        base["energy"] = {"standby": "2 uA", "transmit": "5 mA", "receive": "5 mA"}
        if "cut off" in example:
            base["energy"]["voltage"] = ["3 V", "2 V"]
    if section == "`behaviour`":
        base["behaviour"] = [dict(BEHAVIOUR[next(iter(example))])]
    if section == "`behaviour`" or "behaviour" in example:
        base["services"][0]["characteristics"] += [PRESET, RESULT]
    if section == "`expect`":
        base["expect"] = [{"found within": "1 s"} if "scanner" in example or "probability" in example else {}]
        base["advertising"] = [base["advertising"], {"name": "locator", "kind": "beacon", "interval": "1 s"}]
    if section == "`expect`" and "advertising set" in example:
        base["expect"] = [{"max silence": "2 s"}]
    if section == "The whole file" and "device" in example:
        base["services"][0]["characteristics"].pop()
    if section == "The whole file" and "services" not in example:
        base["services"] = base["services"] if "include" not in example else base["services"][:1]
    if section == "`security`" and "rotation" in example:
        base["device"]["security"] = {"capability": "display", "privacy": "true"}
    if section == "`security`" and example.get("capability") == "none":
        base["services"][0]["characteristics"].pop()
    if section == "Parts of `data` and `response`":
        where = "data" if "flags" in example else "response"
        base["advertising"].update({"data": ["flags"], "response": []})
        if "services" in example or "incomplete services" in example:
            base["advertising"]["services"] = ["tightening"]
        base["advertising"][where] = []
    if section == "`services`" and ("use" in example or "uuid" in example):
        base["services"] = [{"characteristics": []} if "uuid" not in example else
                            {"name": "tightening", "characteristics": []}]
        base["device"].pop("security")
    if section == "`services`" and "secondary" in example:
        base["services"][1]["includes"] = ["tightening"]
    if section == "Characteristics" and "format" in example:
        del torque["resolution"], torque["unit"]
    if section == "Characteristics" and ("value" in example or "stream" in example):
        del torque["handler"]
    if section == "Characteristics" and "stream" in example:
        for key in ("read", "format", "resolution", "unit"):
            del torque[key]
    if section == "Structures":
        torque.update({"format": "struct", "fields": [FLAGS, dict(FIELD)]})
        del torque["resolution"], torque["unit"]
    if section == "`descriptors`":
        torque["descriptors"] = [{"uuid": "5f8d00ff-2b1c-4e6f-9a37-d4c1e07b6a52", "value": "2a"}]
    if section == "`simulate`":
        torque["simulate"] = {"shape": "constant"} if example.get("shape") == "recorded" else \
            {"shape": "constant", "from": "0 N m"}
    return base


def place(section, example):
    base = surroundings(section, example)
    target = base
    path = PLACES[section]
    if section == "Parts of `data` and `response`":
        target["advertising"]["data" if "flags" in example else "response"].append(example["part"])
        return base
    for step in path:
        target = target[step]
    target.update(example)
    return base


def around(kind, value):
    """The base with a block of an example in it."""
    base = copy.deepcopy(BASE)
    if kind == "services":
        base["services"] = value
        base["device"].pop("security")
    elif kind == "advertising":
        base["advertising"] = value
    elif kind == "expect":
        base["expect"] = value
    elif kind == "behaviour":
        base["behaviour"] = value
        base["services"][0]["characteristics"] += [PRESET, RESULT]
    elif kind == "simulate":
        base["services"][0]["characteristics"][0]["simulate"] = value
    elif kind == "definition":  # whole keys of the file
        base.update(value)
    else:
        assert kind == "characteristic", kind
        base["services"][0]["characteristics"].append(value)
    return base


document = (root / "docs/definition.md").read_text()
schema_keys, documented, examples = set(), set(), 0


def collect(node):
    for name, value in node.get("properties", {}).items():
        schema_keys.add(name)
        collect(value)
    for key in ("items",):
        if key in node:
            collect(node[key])
    for other in node.get("anyOf", []):
        collect(other)


collect(schema)
section = None
block = None
for line in document.splitlines():
    heading = re.match(r"#+ (.*)", line)
    if block is None and heading:
        section = heading.group(1)
    row = re.match(r"\| (`.*?) \|.*\| ([^|]*) \|$", line)
    if block is None and row and section in PLACES:
        documented.update(re.findall(r"`([^`]*)`", row.group(1)))
        for alternative in row.group(2).split("` or `"):
            spans = re.findall(r"`([^`]+)`", "`" + alternative.strip("`") + "`")
            if section == "Rights":
                continue
            if section == "Parts of `data` and `response`":
                part = plain.load(spans[0])
                example = {"part": part, part if isinstance(part, str) else "": None}
            else:
                example = {}
                for span in spans:
                    example.update(plain.load(span))
            if not example:
                failures.append(f"no example of {row.group(1)} in {section}")
            examples += 1
            expect(True, f"{section}: {row.group(2)}", dump(place(section, example)))
    if line.startswith("```yaml"):
        block = []
        kind = line[len("```yaml"):].strip()
    elif line.startswith("```") and block is not None:
        expect(True, section, dump(around(kind, plain.load("\n".join(block)))))
        examples += 1
        block = None
    elif block is not None:
        block.append(line)

# Other pages of the manual have some, too; those of scenes, and whole definitions, are tried by other tests.
for page in sorted((root / "docs").glob("*.md")):
    if page.name != "definition.md":
        for kind, text in re.findall(r"^```yaml ((?!scene)\w+)\n(.*?)^```", page.read_text(), re.M | re.S):
            expect(True, page.name, dump(around(kind, plain.load(text))))
            examples += 1

missing = sorted(key for key in schema_keys - documented if f"{key}:" not in document)
if missing:
    failures.append(f"docs/definition.md lacks the keys {missing}")
words = {"flags", "name", "services", "appearance", "interval", "incomplete services", "role"}
rights = {"open", "encrypted", "authenticated", "secure connections"}
if documented - schema_keys - words - rights:
    failures.append(f"docs/definition.md has keys that are not read: {sorted(documented - schema_keys - words - rights)}")

# What is wrong by its form alone is refused by both.
WRONG = [
    "services: []\n",
    "device: {}\nservices: []\n",
    "device: T2\nservices: []\n",
    "device: {nmae: T2}\nservices: []\n",
    "device: {name: T2, limits: {connections: 0}}\nservices: []\n",
    "device: {name: T2, limits: {mtu: 518}}\nservices: []\n",
    "device: {name: T2, security: {}}\nservices: []\n",
    "device: {name: T2, security: {capability: telepathy}}\nservices: []\n",
    "device: {name: T2, security: {capability: display, bonding: 3}}\nservices: []\n",
    "device: {name: T2}\nadvertising: {}\nservices: []\n",
    "device: {name: T2}\nadvertising: {interval: soon}\nservices: []\n",
    "device: {name: T2}\nadvertising: {interval: 1 s, kind: beam}\nservices: []\n",
    "device: {name: T2}\nadvertising: {interval: 1 s, data: [nothing]}\nservices: []\n",
    "device: {name: T2}\nadvertising: {interval: 1 s, data: [{manufacturer: {company: 65536, value: 00}}]}\nservices: []\n",
    "device: {name: T2}\nservices: {}\n",
    "device: {name: T2}\nenergy: {standby: 1 uA}\n",
    "device: {name: T2}\nexpect: [{found by: 1 s}]\n",
    "device: {name: T2}\nexpect: [{max silence: soon}]\n",
    "device: {name: T2}\nservices: [{name: battery}]\n",
    "device: {name: T2}\nservices: [{use: [battery]}]\n",
]
for characteristic in ["{name: a, format: unit8, read: open, value: 1}", "{name: a, unit: furlong, read: open, value: 1}",
                       "{name: a, read: opened, value: 1}", "{name: a, read: open, handler: reed}",
                       "{name: a, read: open, length: 513}", "{format: uint8, read: open, value: 1}",
                       "{name: a, read: open, value: 1, description: {length: 3}}",
                       "{name: a, format: struct, read: open, handler: read, fields: [{name: x, format: uint8, up to: 0}]}",
                       "{name: a, format: uint8, read: open, value: 1, simulate: {shape: square}}",
                       "{name: a, format: uint8, read: open, value: 1, descriptors: [{value: 00}]}",
                       "{name: a, format: uint8, notify: open, value: 1, notification spacing: 20}"]:
    WRONG.append("device: {name: T2}\nservices: [{name: s, uuid: " + LONG + ", characteristics: [" + characteristic +
                 "]}]\n")
for text in WRONG:
    expect(False, "wrong", text)
for path in sorted(root.glob("examples/*/*.device.yaml")) + [root / "tests/formats.device.yaml"]:
    for error in validator.iter_errors(yaml.load(path.read_text())):
        failures.append(f"{path}: the schema refuses: {error.message}")

print(f"{examples} examples, {len(WRONG)} wrong definitions")
if examples < 80:
    failures.append("docs/definition.md has too few examples: were they read?")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
