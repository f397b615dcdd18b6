#!/usr/bin/env python3
"""What is made from the option tables is up to date, and verbs agree about their options.
test_reference.py ROOT COMMAND"""
import json
import pathlib
import re
import shutil
import subprocess
import sys

ROOT, COMMAND = (pathlib.Path(argument).resolve() for argument in sys.argv[1:3])
FILES = {"options": "docs/options.md", "man": "docs/yarnswift.1", "bash": "completions/yarnswift.bash",
         "zsh": "completions/_yarnswift", "fish": "completions/yarnswift.fish"}
failures = []


def check(good, what):
    if not good:
        failures.append(what)


def run(*arguments, **more):
    return subprocess.run([str(argument) for argument in arguments], capture_output=True, text=True, check=False, **more)


for part, path in FILES.items():
    made = run(ROOT / "scripts/reference", part, COMMAND)
    check(made.returncode == 0 and made.stdout == (ROOT / path).read_text(encoding="utf-8"),
          f"{path} is out of date: scripts/reference {part} >{path}\n{made.stderr}")

verbs = json.loads(run(COMMAND, "--options").stdout)
listed = re.findall(r"^  ([a-z]+) ", run(COMMAND, "--help").stdout, re.M)
check([verb["verb"] for verb in verbs] == listed, "--options has the verbs of --help")
letters, names = {}, {}
for verb in verbs:
    shown = run(COMMAND, verb["verb"], "--help").stdout
    for option in verb["options"]:
        where = f"{verb['verb']} --{option['name']}"
        check(f"--{option['name']}" in shown, f"{where} is not in its help")
        if option["letter"]:
            check(letters.setdefault(option["letter"], option["name"]) == option["name"],
                  f"-{option['letter']} is --{letters.get(option['letter'])} elsewhere, and {where}")
        # A sweep takes lists where others take one value, and a flag may be yes, no, or both.
        takes = option["argument"] is not None if verb["verb"] != "sweep" or option["argument"] != "LIST" else None
        first = names.setdefault(option["name"], (where, option["letter"], takes))
        check(first[1] == option["letter"], f"{first[0]} has the letter '{first[1]}', {where} '{option['letter']}'")
        check(None in (first[2], takes) or first[2] == takes, f"{first[0]} takes a value, or {where} does, and the other not")
check(len(names) > 80, "the options of all verbs were seen")

# Completions complete: bash does it here, the others are read by their shells where they are installed.
script = f". {ROOT}/completions/yarnswift.bash; COMP_WORDS=(yarnswift trace --la); COMP_CWORD=2; _yarnswift; echo \"${{COMPREPLY[@]}}\""
check(run("bash", "-c", script).stdout == "--layer\n", "bash completes trace --la")
script = f". {ROOT}/completions/yarnswift.bash; COMP_WORDS=(yarnswift re); COMP_CWORD=1; _yarnswift; echo \"${{COMPREPLY[@]}}\""
check(run("bash", "-c", script).stdout == "rehearse\n", "bash completes re")
for shell, path in (("zsh", FILES["zsh"]), ("fish", FILES["fish"])):
    if shutil.which(shell) is not None:
        check(run(shell, "-n", ROOT / path).returncode == 0, f"{shell} reads {path}")

print(f"{len(verbs)} verbs, {len(names)} options")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
