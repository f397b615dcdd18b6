#!/bin/sh
# test_documents.sh ROOT COMMAND: the definition in the README is good, gives the names that the README uses, and plays;
# so do the examples; every code of a finding is explained; every file that a document links is there.
set -eu
root=$1
command=$2
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

awk '/^```yaml$/ { on = 1; next } /^```/ { on = 0 } on' "$root/README.md" >"$work/hook_scale.device.yaml"
grep -q "Hook scale" "$work/hook_scale.device.yaml"
"$command" check "$work/hook_scale.device.yaml" 2>"$work/findings"
test ! -s "$work/findings"
"$command" generate -o "$work" "$work/hook_scale.device.yaml"
for name in hook_scale_load_read HOOK_SCALE_LOAD; do
    grep -q "$name" "$root/README.md"
    grep -q "$name" "$work/hook_scale_table.h"
done
"$command" demo "$work/hook_scale.device.yaml" | grep -q "all as expected"
tail -n +2 "$root/examples/hook_scale/hook_scale.device.yaml" | diff - "$work/hook_scale.device.yaml"

# The guide has the same, and every picture is linked from the README.
awk '/^```yaml$/ { on = 1; next } /^```/ { on = 0 } on' "$root/docs/define.md" | diff - "$work/hook_scale.device.yaml"
for picture in "$root"/docs/screenshots/*.png; do
    grep -q "docs/screenshots/$(basename "$picture")" "$root/README.md" || { echo "the README does not link $picture"; exit 1; }
done

# So is its scene, which passes.
awk '/^```yaml scene/ { on = 1; next } /^```/ { on = 0 } on' "$root/README.md" >"$work/readme.scene.yaml"
cp "$root/examples/torque_wrench/torque_wrench.device.yaml" "$work"
"$command" rehearse "$work/readme.scene.yaml" | grep -q "^passed"

# Every example is good, plays, and its skeleton compiles with its tables.
for definition in "$root"/examples/*/*.device.yaml "$root/tests/scalars.device.yaml"; do
    name=$(basename "$definition" .device.yaml)
    mkdir -p "$work/$name"
    "$command" check --strict "$definition" 2>"$work/findings"
    test ! -s "$work/findings" || { cat "$work/findings"; exit 1; }
    if grep -q "^advertising:" "$definition"; then
        "$command" demo "$definition" | grep -q "all as expected"
    fi
    "$command" generate -o "$work/$name" --skeleton "$work/$name/handlers.c" "$definition"
    if [ "$name" = scalars ]; then # what is out of the valid range is refused, as far as the type can hold it
        table=$work/$name/scalars_table.c
        grep -q "if (wanted > SCALARS_SMALL_MAX)" "$table"
        grep -q "if (wanted < SCALARS_TEMP_MIN || wanted > SCALARS_TEMP_MAX)" "$table"
        grep -q "if (wanted < SCALARS_SIX_MIN)" "$table"
        if grep -q "SCALARS_FULL_" "$table"; then exit 1; fi
        grep -q "if (wanted < SCALARS_LIMIT_MIN || wanted > SCALARS_LIMIT_MAX)" "$work/$name/handlers.c"
        test "$(grep -c "_MIN\|_MAX" "$work/$name/handlers.c")" = 1
        test "$(grep -c "^uint8_t scalars_output_write" "$work/$name/handlers.c")" = 1
        grep -q "int16_t wanted; /\* 0.01 °C \*/" "$work/$name/handlers.c"
    fi
    cc -std=c11 -Wall -Wextra -Wmissing-prototypes -Wpedantic -Wconversion -Wno-sign-conversion -Werror -I "$root/include" -c \
        "$work/$name/handlers.c" -o "$work/$name/handlers.o"
    cc -std=c11 -Wall -Wextra -Wmissing-prototypes -Wpedantic -Wconversion -Wno-sign-conversion -Werror -I "$root/include" -c \
        "$work/$name/${name}_table.c" -o "$work/$name/table.o"
    c++ -std=c++11 -Wall -Wextra -Wpedantic -Werror -x c++ -I "$root/include" -c "$work/$name/${name}_table.c" \
        -o "$work/$name/table_plus.o"
    "$command" generate -o "$work/$name" --for client "$definition"
    cc -std=c11 -Wall -Wextra -Wmissing-prototypes -Wpedantic -Wconversion -Wno-sign-conversion -Werror -I "$root/include" -c \
        "$work/$name/${name}_client.c" -o "$work/$name/client.o"
    printf '#include "%s_client.h"\n#include "%s_table.h"\n' "$name" "$name" >"$work/$name/both.cc"
    c++ -std=c++11 -Wall -Wextra -Wpedantic -Werror -I "$root/include" -c "$work/$name/both.cc" -o "$work/$name/both.o"
    echo "/* mine */" >"$work/$name/handlers.c"
    "$command" generate -o "$work/$name" --skeleton "$work/$name/handlers.c" "$definition"
    grep -q mine "$work/$name/handlers.c"
    "$command" generate --interface "$definition" >"$work/$name/page.md"
    grep -q '^## ' "$work/$name/page.md"
done

# Each code of a finding is explained, and there are no others.
grep -rhoE 'YS_(ERROR|WARNING|ADVICE), "[a-z-]+"|(error|unknown)\(node, "[a-z-]+"' "$root"/src/design/*/*.c | sed 's/.*"\(.*\)"/\1/' | sort -u >"$work/codes"
sed -n 's/^| `\([a-z-]*\)` | .*/\1/p' "$root/docs/checks.md" | sort -u >"$work/explained"
diff "$work/codes" "$work/explained"

for document in README.md CONTRIBUTING.md $(cd "$root" && ls docs/*.md); do
    grep -o '](\([^)#]*\))' "$root/$document" | sed 's/](\(.*\))/\1/' | while read -r link; do
        [ "$link" = api/index.html ] || # which scripts/docs makes, and looks for
            test -e "$root/$(dirname "$document")/$link" || { echo "$document links $link, which is not there"; exit 1; }
    done
done
# the list of rules is the one that is watched
"$command" audit --rules | diff - "$root/docs/audit.md"
# the demo, the scenes, the two hosts of the tests and the target build compile one and the same file of the wrench's firmware
test "$(grep -o '"file": "[^"]*/wrench\.c"' "$(dirname "$command")/../compile_commands.json" | wc -l)" -ge 2
test "$(grep -o '"file": "[^"]*/wrench\.c"' "$(dirname "$command")/../compile_commands.json" | sort -u | wc -l)" = 1
grep -q examples/torque_wrench/wrench.c "$root/scripts/footprint"
# the tests that the document of the attribute protocol names are there
grep -o '`[a-z_0-9]*`' "$root/docs/attribute-protocol.md" | tr -d '`' | sort -u | while read -r name; do
    case $name in
    *_*_*_*) grep -q "$name" "$root"/tests/test_*.c || { echo "there is no test $name"; exit 1; } ;;
    esac
done
