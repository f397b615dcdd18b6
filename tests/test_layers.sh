#!/bin/sh
# test_layers.sh ROOT: the check of what folders include passes on the tree, and fails on each planted offence.
set -eu
root=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

check() {
    cmake -DROOT="$work" -P "$root/cmake/check_layers.cmake" >"$work/log" 2>&1
}

cmake -DROOT="$root" -P "$root/cmake/check_layers.cmake"
mkdir -p "$work/include/yarnswift" "$work/src" "$work/ports/simulated"
for folder in wire host/core host/gap host/gatt/client host/smp sim measure capture/file design scene cli; do
    mkdir -p "$work/src/$folder"
done
check

# file, include, what is said
offend() {
    printf '#include %s\n' "$2" >"$work/$1"
    if check; then
        echo "$1 may include $2"
        exit 1
    fi
    # messages are wrapped
    tr -s '\n ' '  ' <"$work/log" | grep -qF -- "$3" || { cat "$work/log"; exit 1; }
    rm "$work/$1"
}
allow() {
    printf '#include %s\n' "$2" >"$work/$1"
    check || { cat "$work/log"; exit 1; }
    rm "$work/$1"
}
offend src/wire/a.c '"host/internal.h"' "wire may not include host"
offend src/wire/a.c '<stdio.h>' "firmware may not include stdio.h"
offend src/host/a.c '<stdlib.h>' "firmware may not include stdlib.h"
offend src/host/a.h '"sim/clock.h"' "host may not include sim"
offend src/sim/a.c '"host/internal.h"' "sim may not include host"
offend src/sim/a.c '<time.h>' "sim may not include time.h"
offend src/measure/a.c '<stdio.h>' "measure may not include stdio.h"
offend src/measure/a.c '"sim/clock.h"' "measure may not include sim"
offend src/design/a.c '"world/world.h"' "design may not include world"
offend src/scene/a.c '"cli/cli.h"' "scene may not include cli"
offend ports/simulated/a.c '"world/world.h"' "simulated may not include world"
offend src/host/a.c '"internal.h"' "name their folder"
offend src/host/gap/a.c '"host/smp/bonds.h"' "src/host/gap/a.c: host/gap may not include host/smp: host/smp/bonds.h"
offend src/host/core/a.c '"host/l2cap/frames.h"' "src/host/core/a.c: host/core may not include host/l2cap"
offend src/host/gatt/client/a.c '"host/gatt/server/queue.h"' "host/gatt/client may not include host/gatt/server"
offend src/capture/file/a.c '"capture/audit/audit.h"' "capture/file may not include capture/audit"
printf '#include "measure/a.h"\n' >"$work/src/measure/b.h"
printf '#include "measure/b.h"\n' >"$work/src/measure/c.h"
offend src/measure/a.c '"measure/c.h"' "form a circle: measure/"
rm "$work/src/measure/b.h" "$work/src/measure/c.h"
offend include/yarnswift/a.h '<stdio.h>' "a public header may not include"
allow src/wire/a.c '<string.h>'
allow src/host/a.c '"wire/att.h"'
allow src/host/smp/a.c '"host/l2cap/frames.h"'
allow src/host/host.c '"host/smp/bonds.h"'
allow src/scene/a.c '"simulated/simulated.h"'
allow src/cli/a.c '"scene/demo.h"'
