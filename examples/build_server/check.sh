#!/bin/sh
# check.sh: what a build server runs for a device. All parts run, also when one fails; the exit status is 1 if any failed.
# Results are kept in results/: pages to look at, JUnit XML for the server, JSON for later comparisons.
#
#   DEVICE   the definition              MODULES  the folder of the firmware's module
#   SCENES   the scenes                  FIRMWARE the name of the module
#   RUNS     searches of interval, and encounters of meet (default 200)
#   LIMITS   a folder with throughput.json and footprint.json of a build that was good
set -u
: "${DEVICE:?}" "${SCENES:?}" "${MODULES:?}" "${FIRMWARE:?}" "${LIMITS:?}"
results=${RESULTS:-results}
runs=${RUNS:-200}
failed=0
mkdir -p "$results"

# part NAME COMMAND...: runs it, and keeps what it prints.
part() {
    name=$1
    shift
    if "$@" >"$results/$name.txt" 2>&1; then
        echo "good    $name"
    else
        echo "FAILED  $name: see $results/$name.txt"
        failed=1
    fi
}

# limit NAME PERCENT COMMAND...: compares its JSON with that of a good build.
limit() {
    name=$1
    percent=$2
    shift 2
    if ! "$@" >"$results/$name.json"; then
        echo "FAILED  $name"
        failed=1
        return
    fi
    part "$name" yarnswift compare --threshold "$percent" --page "$results/$name.html" --replace \
        "$LIMITS/$name.json" "$results/$name.json"
}

part check yarnswift check --strict "$DEVICE"
# shellcheck disable=SC2086
part scenes yarnswift rehearse --runs 5 --modules "$MODULES" --junit "$results/scenes.xml" --page "$results/scenes.html" --replace $SCENES
for scene in $SCENES; do
    name=$(basename "$scene" .scene.yaml)
    part "audit_$name" yarnswift audit --modules "$MODULES" --page "$results/audit_$name.html" --replace "$scene"
done
part interval yarnswift interval --runs "$runs" --page "$results/interval.html" --replace "$DEVICE"
part meet yarnswift meet --until-found --runs "$runs" --modules "$MODULES" --firmware "$FIRMWARE" --output "$results/found" \
    --page "$results/meet.html" --replace "$DEVICE"
limit throughput goodput_bps=2 yarnswift throughput --json "$DEVICE"
if [ ! -e "$LIMITS/footprint.json" ]; then
    echo "skipped footprint: $LIMITS/footprint.json is not there"
elif command -v arm-none-eabi-gcc >/dev/null; then
    limit footprint flash_bytes=1 yarnswift footprint --json "$DEVICE"
else
    echo "skipped footprint: arm-none-eabi-gcc is not installed"
fi
exit $failed
