#!/usr/bin/env python3
"""What pages of the manual show is what comes: each block of ```console is run, in one folder a page.
test_pages.py ROOT COMMAND [PAGE]

With the name of a page only that page is run. A line behind "$ " is a command; what follows is its output. "..." alone stands for any lines, within a line for any text."""
import json
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

ROOT, COMMAND = (pathlib.Path(argument).resolve() for argument in sys.argv[1:3])
failures = []
commands = 0


def pattern_of(lines):
    """A pattern for the whole output."""
    parts = []
    for line in lines:
        if line == "...":
            parts.append(r"(?:[^\n]*\n)*?")
        else:
            parts.append("[^\n]*".join(re.escape(part) for part in line.split("...")) + "\n")
    return "".join(parts)


def run(page, folder, command, shown):
    global commands
    commands += 1
    environment = {"PATH": f"{COMMAND.parent}:/usr/local/bin:/usr/bin:/bin", "HOME": folder, "COLUMNS": "160"}
    done = subprocess.run(command, shell=True, cwd=folder, capture_output=True, text=True, env=environment, check=False)
    if re.fullmatch(pattern_of(shown), done.stdout + done.stderr) is None:
        failures.append(f"{page.name}: {command}\n{done.stdout}{done.stderr}")


for page in sorted((ROOT / "docs").glob(sys.argv[3] if len(sys.argv) > 3 else "*.md")):
    blocks = re.findall(r"^```console\n(.*?)^```", page.read_text(encoding="utf-8"), re.M | re.S)
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(ROOT / "examples", pathlib.Path(folder) / "examples")  # a page may begin in the project's root
        for block in blocks:
            for part in re.split(r"^\$ ", block, flags=re.M)[1:]:
                command, *shown = part.rstrip("\n").split("\n")
                run(page, folder, command, shown)

# What cannot be run here (hardware, clusters, hours) names verbs and options that there are.
verbs = {verb["verb"]: {name for option in verb["options"] for name in (f"--{option['name']}", f"-{option['letter']}")}
         for verb in json.loads(subprocess.run([COMMAND, "--options"], capture_output=True, text=True, check=True).stdout)}
named = 0
for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").glob("*.md")), *sorted((ROOT / "examples").rglob("*.md"))]:
    text = page.read_text(encoding="utf-8")
    for line in re.findall(r"`yarnswift ([^`\n]+)`", text) + re.findall(r"^[^`|\n]*\byarnswift ([a-z]+ [^`\n]*)$", text, re.M):
        verb, *words = re.split(r"[|;>]| && |  +#", line)[0].split()
        if verb not in verbs:
            if re.fullmatch(r"[a-z]+", verb) and page.name not in ("CONTRIBUTING.md",) and line.startswith(verb + " -"):
                failures.append(f"{page.name}: there is no verb {verb}: {line}")
            continue
        named += 1
        for word in words:
            option = re.match(r"(--[a-z-]+|-[a-zA-Z])(?=$|=|[ \]),.])", word)
            if option and option[1] not in verbs[verb] | {"--help"}:
                failures.append(f"{page.name}: {verb} has no {option[1]}: {line}")

print(f"{commands} commands run, {named} looked at")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures or commands < 10 else 0)
