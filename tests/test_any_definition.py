#!/usr/bin/env python3
"""test_any_definition.py ROOT COMMAND [COUNT [SEED]]: what `check` calls good can be generated, compiles without a
warning as C11 and its header as C++17, and can be played. COUNT random definitions with all formats, structures, rights
and descriptors, and with names that a stranger or an enemy would choose. The same seed makes the same ones; one that
fails is printed."""
import collections
import concurrent.futures
import json
import os
import pathlib
import random
import re
import subprocess
import sys
import tempfile

ROOT, COMMAND = (os.path.abspath(argument) for argument in sys.argv[1:3])
COUNT = int(sys.argv[3]) if len(sys.argv) > 3 else 150
SEED = int(sys.argv[4]) if len(sys.argv) > 4 else 1

DEVICES = ["scale", "scale.v1", "Scale-2", "a", "t_h", "table", "value_of", "x", "descriptor_10", "device with spaces",
           "advertisement", "bytes_of", "value"]
RESERVED = ["uint8", "size", "ys", "int", "sig_atomic", "linux", "ys_x", "class", "3d", "_", "int_least8"]
WORDS = ["x", "y", "x count", "x length", "table h", "config h", "table", "values size", "x configuration", "x service", "x least",
         "x greatest", "descriptor 10", "value of x", "read", "x read", "write", "put", "x put", "get", "advertising",
         "consent", "security", "link", "address", "class", "int", "linux", "xor eq", "generic access", "writer", "value",
         "reader", "index", "i", "bits", "battery level", "Temperature"]
SIGNS = ["*/ int evil(void) {} /*", "/*", "*/", "//", "\\", "\"q\"", "$(touch evil)", "`id`", "%s%n", "#", "??/", "=1+1",
         "é", "ü", "𝛑", "\u00a0", "'", "| a | b |", "<b>", "&", "[a](b)", "{", "}"]
NUMBERS = ["uint2", "uint4", "uint8", "uint12", "uint16", "uint24", "uint32", "uint48", "uint64", "sint8", "sint12",
           "sint16", "sint24", "sint32", "sint48", "sint64"]
OTHERS = ["boolean", "uint128", "sint128", "uint16[2]", "float32", "float64", "medfloat16", "medfloat32"]
RIGHTS = ["open", "encrypted", "authenticated", "secure connections"]


class Maker:
    """Makes one definition."""

    def __init__(self, chance):
        self.chance = chance
        self.offset = 0
        self.names = 0
        self.careful = chance.random() < 0.5  # then no two names are alike
        self.rights = RIGHTS[:1]

    def name(self):
        word = self.chance.choice(WORDS)
        self.names += 1
        if self.careful:
            word += f" {self.names}"
        elif self.chance.random() < 0.8:
            word += f" {self.chance.randrange(100)}"
        if self.chance.random() < 0.25:
            word += " " + self.chance.choice(SIGNS)
        return word

    def flags(self, field):
        bits = self.chance.choice([8, 16, 24, 32])
        field["format"] = f"boolean[{bits}]"
        field["bits"] = [self.name() for _ in range(self.chance.randrange(1, min(bits, 9)))]

    def simple(self, field, in_structure):
        """Gives a field or a value a format."""
        kind = self.chance.random()
        if kind < 0.45:
            field["format"] = self.chance.choice(NUMBERS)
            if field["format"].startswith("uint") and self.chance.random() < 0.2:
                field["names"] = [self.name() + self.chance.choice(["", "", f" = {10 * i}"])
                                  for i in range(self.chance.randrange(1, 5))]
                return
            if "64" not in field["format"] and self.chance.random() < 0.3:
                field["resolution"] = self.chance.choice([0.1, 10, 0.5, 1000])
            if self.chance.random() < 0.3:
                field["unit"] = self.chance.choice(["volt", "degree Celsius", "percentage", "kilogram"])
            if in_structure and self.chance.random() < 0.1:
                field["up to"] = self.chance.randrange(1, 9)
        elif kind < 0.65:
            field["format"] = self.chance.choice(OTHERS)
        elif kind < 0.8:
            field["format"] = self.chance.choice(["utf8s", "utf16s", "bytes", "medASN1"])
            field["length"] = self.chance.choice([1, 4, 20, 200])
        else:
            self.flags(field)

    def structure(self, one):
        one["format"] = "struct"
        fields = []
        flags = None
        for _ in range(self.chance.randrange(1, 7)):
            field = {"name": self.name()}
            self.simple(field, True)
            if flags is not None and self.chance.random() < 0.4:
                field[self.chance.choice(["when", "unless"])] = self.chance.choice(flags)
            elif "bits" in field and "up to" not in field:
                flags = field["bits"]
            fields.append(field)
            if "up to" in field or field["format"] in ("utf8s", "utf16s", "medASN1"):
                break  # nothing can come behind what is of any length
        one["fields"] = fields

    def characteristic(self):
        self.offset += 1
        one = {"name": self.name(), "uuid": f"+{self.offset}"}
        if self.chance.random() < 0.4:
            self.structure(one)
        else:
            self.simple(one, False)
        handlers = []
        ways = self.chance.sample(["read", "write", "write without response", "notify", "indicate"],
                                  self.chance.randrange(1, 4))
        right = self.chance.choice(self.rights)
        asks = self.chance.choice(["", "", " and ask"])
        for way in ways:
            one[way] = right if way in ("notify", "indicate") else right + asks
        if "read" in ways or "notify" in ways or "indicate" in ways:
            handlers.append("read")
        if "write" in ways or "write without response" in ways:
            handlers.append("write")
        one["handler"] = handlers
        number = one["format"] in NUMBERS
        if number and "64" not in one["format"] and "resolution" not in one and "unit" not in one and self.chance.random() < 0.3:
            one["range"] = [0, 1]
            if "write" in handlers and self.chance.random() < 0.5:
                one["any value"] = True
        if self.chance.random() < 0.2:
            one["handler name"] = self.chance.choice(["shared", one["name"], self.name()])
        if handlers == ["read"] and "read" not in ways and self.chance.random() < 0.5:
            one["outbox"] = True
            del one["handler"]
            one.pop("handler name", None)
        if self.chance.random() < 0.2:
            one["description"] = self.name()
        if number and one.get("resolution") != 0.5 and self.chance.random() < 0.5:
            one["presentation format"] = True
        if self.chance.random() < 0.2:
            one["descriptors"] = [{"uuid": "2d4f00ff-6a91-4c3e-b8d7-0f15e2a96c84", "value": "2a"}]
        return one

    def service(self, number):
        self.offset = 0
        if self.careful and self.chance.random() < 0.05:  # more that notify than a small host has room for
            return {"name": self.name(), "uuid": f"2d4f{number:04x}-6a91-4c3e-b8d7-0f15e2a96c84",
                    "characteristics": [{"name": self.name(), "uuid": f"+{i + 1}", "format": "uint8", "notify": "open",
                                         "handler": "read"} for i in range(self.chance.randrange(17, 60))]}
        services = {"name": self.name(), "uuid": f"2d4f{number:04x}-6a91-4c3e-b8d7-0f15e2a96c84",
                    "characteristics": [self.characteristic() for _ in range(self.chance.randrange(1, 7))]}
        return services

    def behaviour(self, services):
        """What the application does with some of its values; names that are there twice mean the first."""
        ones = [one for service in services for one in service["characteristics"]]
        first = {}
        for one in ones:
            first.setdefault(one["name"], one)
        behaviours = []
        for one in self.chance.sample(ones, min(len(ones), 3)):
            one = first[one["name"]]
            if "read" in one and ("write" in one or "write without response" in one):
                behaviours.append({"write": one["name"], "read": one["name"], "is": "written"})
            if "notify" in one:
                behaviours.append({"set": self.name(), "to": "on", "expect": one["name"], "within": "2 s"})
                behaviours.append({"expect none": one["name"], "for": "50 ms"})
        return behaviours

    def definition(self):
        device = {"name": self.name()[:20]}
        if self.chance.random() < 0.3:
            device["address"] = "C2:00:5E:10:00:07"
        if self.chance.random() < 0.5:
            device["security"] = {"capability": self.chance.choice(["display", "keyboard", "none"])}
            self.rights = RIGHTS[:2 if device["security"]["capability"] == "none" else 4]
        if self.chance.random() < 0.3:
            device["link"] = {"interval": ["15 ms", "30 ms"], "latency": 2}
        if self.chance.random() < 0.3:
            device["limits"] = {"connections": self.chance.randrange(1, 6), "mtu": self.chance.choice([23, 100, 247])}
            if self.chance.random() < 0.3:
                device["limits"].update(flash=65536, ram=self.chance.choice([4096, 16384]), stack=1024)
        advertising = {"interval": "100 ms"}
        if self.chance.random() < 0.3:
            advertising = [dict(advertising, name=self.name()), {"name": self.name(), "interval": "1 s",
                                                                 "kind": "beacon", "extended": True}]
        made = {"device": device, "advertising": advertising,
                "services": [self.service(i) for i in range(self.chance.randrange(1, 4))]}
        if self.chance.random() < 0.5:
            made["behaviour"] = self.behaviour(made["services"])
        return made


def run(arguments, folder):
    return subprocess.run(arguments, cwd=folder, capture_output=True, text=True, errors="replace", timeout=120,
                          check=False, stdin=subprocess.DEVNULL)


def try_one(number):
    """What came of it: "good", or what refuses it; and what is wrong, or None."""
    chance = random.Random(SEED * 1000003 + number)
    text = json.dumps(Maker(chance).definition(), ensure_ascii=False, indent=1)
    with tempfile.TemporaryDirectory() as folder:
        file = chance.choice(RESERVED if chance.random() < 0.05 else DEVICES) + ".device.yaml"
        pathlib.Path(folder, file).write_text(text, encoding="utf-8")
        told = f"definition {number} of seed {SEED}, {file}:\n{text}\n"
        checked = run([COMMAND, "check", "--json", file], folder)
        if checked.returncode not in (0, 2):
            return "crash", f"{told}check ended with {checked.returncode}\n{checked.stderr}"
        if checked.returncode == 2:
            errors = [finding for finding in json.loads(checked.stdout)["findings"] if finding["severity"] == "error"]
            nowhere = [finding for finding in errors if finding["line"] == 0 and "file's name" not in finding["text"]]
            return errors[0]["code"], f"{told}an error without a line: {nowhere}" if nowhere else None
        for arguments in ([COMMAND, "generate", "-o", ".", "--skeleton", "own.c", "--depends", "own.d", file],
                          *([COMMAND, "generate", "--for", whom, "-o", ".", file]
                            for whom in ("client", "json", "python", "javascript")),
                          [COMMAND, "generate", "--interface", file], [COMMAND, "table", file]):
            made = run(arguments, folder)
            if made.returncode != 0:
                return "made", f"{told}{arguments[1]} ended with {made.returncode}\n{made.stderr}"
        sources = sorted(name for name in os.listdir(folder) if name.endswith(".c"))
        header = next(name for name in os.listdir(folder) if name.endswith("_table.h"))
        sizes = f"-DYS_CONFIG_FILE=\"{header.replace('_table.h', '_config.h')}\""
        compiled = run(["cc", "-std=c11", "-Wall", "-Wextra", "-Wmissing-prototypes", "-Werror", "-fsyntax-only", f"-I{ROOT}/include", "-I.", sizes,
                        *sources], folder)
        if compiled.returncode == 0:
            client = header.replace("_table.h", "_client.h")
            pathlib.Path(folder, "all.cpp").write_text(f"#include \"{client}\"\n#include \"{header}\"\n", encoding="utf-8")
            compiled = run(["c++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-fsyntax-only", f"-I{ROOT}/include",
                            "-I.", sizes, "all.cpp"], folder)
        if compiled.returncode == 0:
            compiled = run([sys.executable, "-c", f"import {header.replace('_table.h', '_values')}"], folder)
        if compiled.returncode == 0:
            compiled = run(["node", "--check", header.replace("_table.h", "_values.mjs")], folder)
        if compiled.returncode != 0:
            return "compiled", told + compiled.stderr
        played = run([COMMAND, "demo", file], folder)
        if played.returncode != 0 or re.search("[\x00-\x08\x0b-\x1f\x7f]", played.stdout):
            return "played", f"{told}demo ended with {played.returncode}\n{played.stdout}{played.stderr}"
    return "good", None


def main():
    """Tries them all; fails with the first three that are wrong."""
    outcomes = collections.Counter()
    wrong = []
    with concurrent.futures.ThreadPoolExecutor(os.cpu_count()) as pool:
        for outcome, why in pool.map(try_one, range(COUNT)):
            outcomes[outcome] += 1
            if why is not None:
                wrong.append(why)
    print(", ".join(f"{count} {outcome}" for outcome, count in outcomes.most_common()))
    for why in wrong[:3]:
        print(why)
    if wrong:
        sys.exit(f"{len(wrong)} of {COUNT} are wrong")
    if outcomes["good"] * 3 < COUNT:
        sys.exit("too few of them are good")


main()
