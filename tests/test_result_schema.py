#!/usr/bin/env python3
"""The schema of results is of now, and results that were not used to make it fit it. test_result_schema.py ROOT COMMAND"""
import json
import pathlib
import shutil
import subprocess
import sys
import tempfile

import jsonschema

ROOT, COMMAND = (pathlib.Path(argument).resolve() for argument in sys.argv[1:3])
WRENCH = "examples/torque_wrench/torque_wrench.device.yaml"
written = json.loads((ROOT / "docs/results.schema.json").read_text())
made = json.loads(subprocess.run([ROOT / "scripts/result_schema", COMMAND], capture_output=True, text=True, check=True).stdout)
if not shutil.which("arm-none-eabi-gcc"):
    written["$defs"].pop("footprint")
failures = [f"the schema of {verb} is not of now: scripts/result_schema > docs/results.schema.json"
            for verb in sorted({*written["$defs"], *made["$defs"]}) if written["$defs"].get(verb) != made["$defs"].get(verb)]
with tempfile.TemporaryDirectory() as folder:
    capture = f"{folder}/hour.pcapng"
    others = [["interval", "--runs", "5", "--loss", "40", WRENCH], ["throughput", "--seconds", "1", "--phy", "coded-s8", WRENCH],
              ["throughput", "--seconds", "1", "--encrypted", "--latency", "3", WRENCH], ["rehearse", "--seed", "77", "--capture", capture, "examples/scenes/shift.scene.yaml"],
              ["audit", capture], ["interval", "--advertiser", "wrench", WRENCH, capture], ["meet", "--seed", "5", "--runs", "20", WRENCH], ["demo", "--seed", "9"]]
    for words in others:
        done = subprocess.run([COMMAND, words[0], "--json", *words[1:]], cwd=ROOT, capture_output=True, text=True, check=False)
        problems = list(jsonschema.Draft202012Validator(written["$defs"][words[0]]).iter_errors(json.loads(done.stdout)))
        failures += [f"{' '.join(words)}: {problem.json_path}: {problem.message[:200]}" for problem in problems[:3]]
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
