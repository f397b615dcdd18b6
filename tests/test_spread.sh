#!/bin/sh
# test_spread.sh ROOT COMMAND: a sweep, searches and takes that are spread over shares, of which one was lost, come out byte for byte
# as those of one run; what is wrong is refused, and changes nothing.
set -eu
cd "$1"
command=$2
wrench=examples/torque_wrench/torque_wrench.device.yaml
scenes="examples/scenes/bolts.scene.yaml examples/scenes/crib.scene.yaml"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

# refused WORDS...: exit code 2, nothing printed, and a line that says why
refused() {
    status=0
    "$command" "$@" >"$work/out" 2>"$work/err" || status=$?
    if [ $status != 2 ] || [ -s "$work/out" ] || [ ! -s "$work/err" ]; then
        echo "not refused (exit code $status): $*" >&2
        exit 1
    fi
}

# spread SHARES WORDS...: with tasks that are counted from 0, the second of which is lost at first
spread() {
    shares=$1
    verb=$2
    shift 2
    rm -f "$work"/*.sqlite
    "$command" "$verb" "$@" --json >"$work/whole"
    for task in $(seq 0 $((shares - 1))); do
        [ "$task" = 1 ] ||
            "$command" "$verb" "$@" --part "$task/0-$((shares - 1))" --results "$work/$task.sqlite" >/dev/null 2>&1
    done
    "$command" "$verb" --merge --results "$work/all.sqlite" "$work"/[0-9].sqlite >/dev/null
    "$command" "$verb" "$@" --undone --part "1/$shares" --results "$work/all.sqlite" >"$work/undone"
    if [ ! -s "$work/undone" ] || grep -qv "^2/$shares  " "$work/undone"; then
        echo "$verb: of share 2/$shares alone something is left, not of these:" >&2
        cat "$work/undone" >&2
        exit 1
    fi
    "$command" "$verb" "$@" --part "2/$shares" --results "$work/1.sqlite" >/dev/null 2>&1
    "$command" "$verb" --merge --results "$work/all.sqlite" "$work/1.sqlite" >/dev/null
    [ -z "$("$command" "$verb" "$@" --undone --results "$work/all.sqlite")" ]
    "$command" "$verb" "$@" --results "$work/all.sqlite" --json >"$work/merged"
    cmp "$work/whole" "$work/merged"
    refused "$verb" "$@" --undone
    # a file of another format is refused, and is left as it is
    cp "$work/all.sqlite" "$work/newer.sqlite"
    python3 -c "import sqlite3, sys
with sqlite3.connect(sys.argv[1]) as file: file.execute(\"UPDATE file SET value = '2' WHERE key = 'format'\")" "$work/newer.sqlite"
    cp "$work/newer.sqlite" "$work/kept"
    refused "$verb" "$@" --results "$work/newer.sqlite"
    refused "$verb" --merge --results "$work/merged_newer.sqlite" "$work/newer.sqlite"
    cmp "$work/newer.sqlite" "$work/kept"
    rm "$work/newer.sqlite"
    refused "$verb" "$@" --undone --results "$work/nowhere.sqlite"
    [ ! -e "$work/nowhere.sqlite" ]
    for share in 0/4 5/4 1/0 x/4 1 /4 4/0-3 0/1-4 1/4-1 1/1-99999999999; do
        refused "$verb" "$@" --part "$share"
    done
    echo "no results" >"$work/other"
    refused "$verb" "$@" --results "$work/other"
    refused "$verb" --merge --results "$work/all.sqlite" "$work/other"
    [ "$(cat "$work/other")" = "no results" ]
}

spread 3 sweep $wrench --carrier stream --phy 1M,2M --interval 15,30 --seconds 1
# shellcheck disable=SC2086
refused sweep $wrench --carrier stream --phy 1M,2M --mtu 23 --results "$work/0.sqlite" "another characteristic"
spread 4 interval $wrench --runs 10
refused interval $wrench --runs 10 --seed 2 --results "$work/all.sqlite"
sed 's/interval: 100 ms/interval: 200 ms/' $wrench >"$work/other.device.yaml"
refused interval "$work/other.device.yaml" --runs 10 --results "$work/all.sqlite"
[ -z "$("$command" interval $wrench --runs 2 --part 3/3 2>/dev/null)" ] # a share without any search judges nothing
# shellcheck disable=SC2086
spread 3 rehearse --runs 2 $scenes
refused rehearse --runs 2 examples/scenes/bolts.scene.yaml --results "$work/all.sqlite"
