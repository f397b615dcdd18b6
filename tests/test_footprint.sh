#!/bin/sh
# test_footprint.sh BUILD: what `yarnswift footprint` measures, from an installed package. In place of a compiler for a
# target it gets one for this machine, under the options and names that it uses.
set -eu
build=$(cd "$1" && pwd)
root=$(cd "$(dirname "$0")/.." && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cmake --install "$build" --prefix "$work/prefix" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
mv "$work/prefix" "$work/moved" # an installation can be moved
command=$work/moved/bin/yarnswift

cat >"$work/here-gcc" <<'EOF'
#!/bin/sh
for option; do
    shift
    case $option in
    -mthumb | -mcpu=*) ;;
    *) set -- "$@" "$option" ;;
    esac
done
exec gcc -fno-pie -no-pie "$@"
EOF
printf '#!/bin/sh\nexec size "$@"\n' >"$work/here-size"
printf '#!/bin/sh\nexec nm "$@"\n' >"$work/here-nm"
chmod +x "$work"/here-*
export TMPDIR="$work/temporary"
mkdir "$TMPDIR"

cat >"$work/host.device.yaml" <<'EOF'
device: {name: Host, security: {capability: display}, limits: {connections: 2}}
advertising: {interval: 1 s}
services:
  - name: memory
    uuid: 91b50000-7c1e-4d0a-8a5f-2f6d3c9be104
    characteristics:
      - {name: port, uuid: +1, format: uint8, read: encrypted, write: encrypted, notify: encrypted, value: 50}
      - {name: run, uuid: +2, format: bytes, length: 20, notify: open, stream: true}
EOF
"$command" footprint --compiler="$work/here-gcc" --json "$work/host.device.yaml" >"$work/host.json"
python3 - "$work/host.json" <<'EOF'
import json
import sys
with open(sys.argv[1], encoding="utf-8") as file:
    said = json.load(file)
assert [one["processor"] for one in said["processors"]] == ["Cortex-M0+", "Cortex-M4"]
for one in said["processors"]:
    parts = {part["header"]: part for part in one["parts"]}
    assert {header for header, part in parts.items() if part["used"]} == {"pairing.h", "stream.h"}
    # each takes something, and what is used is in the whole
    for part in parts.values():
        assert 100 < part["flash_bytes"] < 60000 and 16 < part["ram_bytes"] < 4000, part
    assert one["flash_bytes"] > said["table_flash_bytes"] + sum(
        part["flash_bytes"] for part in parts.values() if part["used"]) + 8000
    assert parts["pairing.h"]["flash_bytes"] > 4 * parts["stream.h"]["flash_bytes"]
    assert one["ram_bytes"] > 2 * one["ram_bytes_of_connection"] > 500
    assert one["ram_bytes_of_16_bytes_of_mtu"] >= 2 * 16
    stack = one["stack_bytes"]
    assert stack["run"] >= stack["run_to_firmware"] > stack["interrupt"] > 0 and stack["run"] > stack["other"] > 100
EOF

# What is wrong is said, and nothing stays behind.
refused() {
    text=$1
    shift
    if "$command" footprint "$@" "$work/host.device.yaml" >"$work/out" 2>"$work/err"; then
        echo "footprint $* was good"
        exit 1
    fi
    grep -q -e "$text" "$work/err" || { cat "$work/err"; exit 1; }
    test ! -s "$work/out"
}
refused "there is no $work/no-gcc: install a GCC for Arm" --compiler="$work/no-gcc"
refused "does not end in gcc" --compiler=cc
printf '#!/bin/sh\necho "this is no target" >&2\nexit 1\n' >"$work/bad-gcc"
printf '#!/bin/sh\nexit 0\n' >"$work/idle-gcc"
chmod +x "$work"/*-gcc
refused "this is no target" --compiler="$work/bad-gcc"
refused "there is no $work/idle-size" --compiler="$work/idle-gcc"
printf '#!/bin/sh\nexec sleep 60\n' >"$work/idle-gcc"
"$command" footprint --compiler="$work/idle-gcc" "$work/host.device.yaml" >"$work/out" 2>"$work/err" &
slow=$!
sleep 0.5
kill -TERM $slow # the compiler ends with it
if wait $slow; then
    echo "a signal did not end it"
    exit 1
fi
test -z "$(ls "$TMPDIR")"
mv "$work/moved/share/yarnswift/src/host" "$work/moved/share/yarnswift/src/elsewhere"
refused "has failed" --compiler="$work/here-gcc"
test -z "$(ls "$TMPDIR")"
