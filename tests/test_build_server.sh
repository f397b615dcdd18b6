#!/bin/sh
# test_build_server.sh ROOT COMMAND: the example of a build server, as a script and for make: what is good, what fails, and the
# pages that it keeps.
set -eu
root=$1
PATH=$(dirname "$2"):$PATH
export PATH
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$root/examples/build_server"
DEVICE=../torque_wrench/torque_wrench.device.yaml
MODULES=$(dirname "$2")/../modules
FIRMWARE=torque_wrench
LIMITS=$work/limits
RESULTS=$work/results
RUNS=30
export DEVICE MODULES FIRMWARE LIMITS RESULTS RUNS
mkdir "$LIMITS"
yarnswift throughput --json "$DEVICE" >"$LIMITS/throughput.json"

# without a limit of footprint, which another test measures
SCENES=../scenes/shift.scene.yaml ./check.sh >"$work/good" || { cat "$work/good" "$RESULTS"/*.txt; exit 1; }
[ "$(grep -c '^good' "$work/good")" = 6 ]
grep -q '^skipped footprint' "$work/good"
for page in scenes audit_shift interval meet throughput; do
    grep -q "<!doctype html>" "$RESULTS/$page.html"
done
rm -r "$RESULTS"

# a scene that fails, and a stream that was faster once
sed 's/"goodput_bps": [0-9]*/"goodput_bps": 900000/' "$LIMITS/throughput.json" >"$work/faster"
mv "$work/faster" "$LIMITS/throughput.json"
if SCENES="../scenes/shift.scene.yaml ../scenes/must_fail.scene.yaml" ./check.sh >"$work/bad"; then
    echo "what fails does not fail the build" >&2
    exit 1
fi
for part in scenes audit_must_fail throughput; do
    grep -q "^FAILED  $part:" "$work/bad"
done
grep -q "^good    interval" "$work/bad" # later parts run, too
grep -q "<failure" "$RESULTS/scenes.xml"
rm -r "$RESULTS"

yarnswift throughput --json "$DEVICE" >"$LIMITS/throughput.json"
make -s -j2 SCENES=../scenes/shift.scene.yaml >"$work/made" 2>&1 || { cat "$work/made"; exit 1; }
[ -e "$RESULTS/audit_shift.html" ] && [ -e "$RESULTS/meet.html" ]
make -q SCENES=../scenes/shift.scene.yaml # nothing is done twice
