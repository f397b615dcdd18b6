#!/usr/bin/env python3
"""test_languages.py ROOT COMMAND [SEED]: what is generated for Python and for JavaScript takes and gives the same bytes as
the generated C functions, for every value of several definitions that have one, and refuses what those refuse."""
import importlib.util
import json
import math
import os
import pathlib
import random
import subprocess
import sys
import tempfile

ROOT, COMMAND = (os.path.abspath(argument) for argument in sys.argv[1:3])
SEED = int(sys.argv[3]) if len(sys.argv) > 3 else 1
DEFINITIONS = ["tests/formats", "tests/scalars", "tests/everything", "examples/weather_mast/weather_mast",
               "examples/torque_wrench/torque_wrench", "tests/winch"]
CASES = 300

NODE = """
import { createInterface } from "node:readline";
const module = await import(process.argv[2]);
const all = { ...module.characteristics, ...module.advertisements };
for await (const line of createInterface({ input: process.stdin })) {
  const [id, hex] = line.split(" ");
  let answer = "-";
  try {
    answer = "=" + Buffer.from(all[id].encode(all[id].decode(Buffer.from(hex, "hex")))).toString("hex");
  } catch (problem) {
    if (!(problem instanceof RangeError)) throw problem;
  }
  console.log(answer);
}
"""


def run(*command, **more):
    return subprocess.run([str(part) for part in command], check=True, capture_output=True, **more)


def program(name, types):
    """A program in C that gets each value, and puts it again."""
    body = "".join(f"""
        if (strcmp(id, "{one['id']}") == 0) {{
            {"struct " + name + "_" + one['id'] if one['kind'] == 'struct' else c_type(one)} value;
            good = {name}_{one['id']}_get(&reader, &value);
            if (good)
                {name}_{one['id']}_put(&writer, {"&" if one['kind'] == 'struct' else ""}value);
        }}""" for one in types)
    return f"""
#include <stdio.h>
#include <string.h>
#include "{name}_client.h"
int main(void)
{{
    static char line[3000], id[300], hex[2600];
    while (fgets(line, sizeof line, stdin) != NULL) {{
        unsigned char bytes[1300], out[1300];
        unsigned byte;
        size_t length = 0;
        bool good = false;
        hex[0] = 0;
        if (sscanf(line, "%299s %2599s", id, hex) < 1)
            return 1;
        for (; sscanf(hex + 2 * length, "%2x", &byte) == 1; length++)
            bytes[length] = (unsigned char)byte;
        struct ys_reader reader = ys_reader_of(bytes, length);
        struct ys_writer writer = ys_writer_to(out, sizeof out);{body}
        printf(good ? "=" : "-");
        for (size_t i = 0; good && i < ys_writer_stored(&writer); i++)
            printf("%02x", out[i]);
        printf("\\n");
    }}
    return 0;
}}
"""


def c_type(one):
    width = {1: 8, 2: 16, 3: 32, 4: 32, 6: 64, 8: 64}[one["size"]]
    return {"boolean": "bool", "signed": f"int{width}_t", "medfloat": "struct ys_medfloat",
            "float": "float" if one["size"] == 4 else "double"}.get(one["kind"], f"uint{width}_t")


def has_functions(one):
    return "up_to" not in one and one["kind"] in ("struct", "boolean", "unsigned", "signed", "float", "medfloat", "flags")


def kinds(one):
    return {field["kind"] for field in one.get("fields", [])} | {one["kind"]}


def some_bytes(chance, one):
    """Bytes of about the length that such a value has; often short or plain ones."""
    length = one["length"] if one["kind"] != "struct" else sum(
        field["length"] * field.get("up_to", 1) for field in one["fields"])
    length = max(0, length + chance.choice([0, 0, 0, 0, -1, 1, -chance.randrange(length + 1)]))
    return bytes(chance.choice([0, 1, 0x7f, 0x80, 0xff, chance.randrange(256), chance.randrange(0x20, 0x7f)])
                 for _ in range(length))


def is_same(a, b):
    if isinstance(a, float) and isinstance(b, float):
        return a == b or (math.isnan(a) and math.isnan(b))
    if isinstance(a, (list, tuple)):
        return len(a) == len(b) and all(map(is_same, a, b))
    if hasattr(a, "__dict__"):
        return all(is_same(one, vars(b)[key]) for key, one in vars(a).items())
    return a == b


def try_one(folder, definition):
    name = os.path.basename(definition)
    chance = random.Random(f"{SEED} {name}")
    for whom in ("json", "python", "javascript", "client"):
        run(COMMAND, "generate", "--for", whom, "-o", folder, f"{ROOT}/{definition}.device.yaml")
    interface = json.loads((folder / f"{name}_interface.json").read_text())
    types = [one["value"] for service in interface["services"] for one in service["characteristics"]]
    types += [one["value"] for way in interface["advertising"] for one in way["data"]]
    uuids = {one["id"]: one["uuid"] for service in interface["services"] for one in service["characteristics"]}
    spec = importlib.util.spec_from_file_location(name, folder / f"{name}_values.py")
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module # as an import does: dataclasses look there
    spec.loader.exec_module(module)
    coders = {**vars(module.characteristics), **vars(module.advertisements)}
    lines = [(one, some_bytes(chance, one)) for one in types for _ in range(CASES)]
    asked = "".join(f"{one['id']} {data.hex()}\n" for one, data in lines)
    in_c = [one for one in types if has_functions(one)]
    (folder / "c.c").write_text(program(name, in_c))
    run("cc", "-std=c11", "-Wall", "-Werror", "-I", f"{ROOT}/include", "-I", folder, folder / "c.c",
        *pathlib.Path(ROOT, "src/wire").glob("bytes.c"), *pathlib.Path(ROOT, "src/wire").glob("medfloat.c"),
        *pathlib.Path(ROOT, "src/wire").glob("advertisement.c"), *pathlib.Path(ROOT, "src/wire").glob("uuid.c"),
        *pathlib.Path(ROOT, "src/wire").glob("hex.c"), "-I", f"{ROOT}/src", "-o", folder / "c")
    (folder / "node.mjs").write_text(NODE)
    c = run(folder / "c", input=asked.encode()).stdout.decode().split("\n")
    node = run("node", folder / "node.mjs", f"{folder}/{name}_values.mjs", input=asked.encode()).stdout.decode().split("\n")
    good = wrong = 0
    for (one, data), by_c, by_node in zip(lines, c, node):
        coder = coders[one["id"] + ("_" if one["id"] not in coders else "")]
        assert coder.uuid == uuids.get(one["id"])
        try:
            value = coder.decode(data)
            by_python = "=" + coder.encode(value).hex()
        except ValueError:
            by_python = "-"
        same = by_python == by_node
        if same and has_functions(one):
            exact = not kinds(one) & {"medfloat", "float"} # of which some have several ways to be sent
            same = by_c == by_python if exact or by_python == "-" else by_c != "-" and \
                is_same(coder.decode(bytes.fromhex(by_c[1:])), coder.decode(bytes.fromhex(by_python[1:])))
            if kinds(one) & {"text", "utf16"} and by_python == "-": # C does not look into texts
                same = True
        good += by_python != "-"
        if not same:
            wrong += 1
            print(f"{name} {one['id']} {data.hex()}: C {by_c}, Python {by_python}, JavaScript {by_node}")
    print(f"{name}: {len(types)} values, {good} of {len(lines)} taken, {wrong} wrong")
    return wrong == 0 and good > len(lines) / 4


def tried(folder):
    """Whether try.py and try.mjs end well."""
    for command in (sys.executable, "try.py"), ("node", "try.mjs"):
        done = subprocess.run(command, cwd=folder, capture_output=True, check=False)
        if done.returncode != 0:
            print(done.stderr.decode())
            return False
    return True


def values_are_in_their_unit(folder):
    """What a person would write by hand, in both languages; and what does not fit, which is refused."""
    for whom in ("python", "javascript"):
        run(COMMAND, "generate", "--for", whom, "-o", folder, f"{ROOT}/examples/torque_wrench/torque_wrench.device.yaml")
    (folder / "try.py").write_text("""
import torque_wrench_values as w
result = w.values.bolt_result(number=5, peak_torque=42.0, angle=90, verdict=w.flags.bolt_result_verdict.GOOD)
assert w.characteristics.bolt_result.encode(result).hex() == "0500a4015a0001"
assert w.characteristics.bolt_result.decode(bytes.fromhex("0500a4015a0001")) == result
assert w.characteristics.live_torque.encode(-1.26).hex() == "f3ff"
assert w.advertisements.locator_manufacturer.decode(bytes.fromhex("0300d900c5")) == w.values.locator_manufacturer(3, 217, -59)
assert w.characteristics.live_torque.service == "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52"
for wrong in (3276.8, None, "1", float("nan"), float("inf")):
    try:
        w.characteristics.live_torque.encode(wrong)
        raise SystemExit(f"{wrong} was taken")
    except ValueError:
        pass
""")
    (folder / "try.mjs").write_text("""
import { characteristics, advertisements, flags } from "./torque_wrench_values.mjs";
import assert from "node:assert";
const result = { number: 5, peak_torque: 42, angle: 90, verdict: flags.bolt_result_verdict.GOOD };
const hex = (bytes) => Buffer.from(bytes).toString("hex");
assert.equal(hex(characteristics.bolt_result.encode(result)), "0500a4015a0001");
assert.deepEqual(characteristics.bolt_result.decode(Buffer.from("0500a4015a0001", "hex")), result);
assert.equal(hex(characteristics.live_torque.encode(-1.26)), "f3ff");
assert.deepEqual(advertisements.locator_manufacturer.decode(Buffer.from("0300d900c5", "hex")),
  { crib: 3, tool: 217, power_at_1_m: -59 });
assert.equal(characteristics.live_torque.service, "5f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52");
for (const wrong of [3276.8, null, "1", NaN, Infinity])
  assert.throws(() => characteristics.live_torque.encode(wrong), RangeError);
""")
    return tried(folder)


def numbers_have_names(folder):
    for whom in ("python", "javascript"):
        run(COMMAND, "generate", "--for", whom, "-o", folder, f"{ROOT}/tests/scalars.device.yaml")
    (folder / "try.py").write_text("""
import scalars_values as s
assert s.characteristics.gear.encode(s.names.gear.LOW) == b"\\x04"
assert s.characteristics.gear.decode(b"\\x05") == s.names.gear.HIGH
assert s.names.shift_way.DOWN == 1
""")
    (folder / "try.mjs").write_text("""
import { characteristics, names } from "./scalars_values.mjs";
import assert from "node:assert";
assert.deepEqual([...characteristics.gear.encode(names.gear.LOW)], [4]);
assert.equal(characteristics.gear.decode(Uint8Array.of(5)), names.gear.HIGH);
assert.equal(names.shift_way.DOWN, 1);
""")
    return tried(folder)


def main():
    with tempfile.TemporaryDirectory() as folder:
        good = values_are_in_their_unit(pathlib.Path(folder))
        good = numbers_have_names(pathlib.Path(folder)) and good
    for definition in DEFINITIONS:
        with tempfile.TemporaryDirectory() as folder:
            good = try_one(pathlib.Path(folder), definition) and good
    sys.exit(0 if good else 1)


main()
