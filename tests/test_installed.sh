#!/bin/sh
# test_installed.sh BUILD: installs into an empty folder, and builds a project outside against what is there: once by
# the CMake package, with a definition of its own, and once by pkg-config.
set -eu
build=$1
root=$(cd "$(dirname "$0")/.." && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

cmake --install "$build" --prefix "$work/prefix" >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
mkdir "$work/outside"
cd "$work/outside"

cat >lamp.device.yaml <<'EOF'
device: {name: Lamp}
advertising: {interval: 1 s}
services:
  - name: light
    uuid: 91b50000-7c1e-4d0a-8a5f-2f6d3c9be104
    characteristics:
      - {name: brightness, uuid: +1, format: uint8, unit: percentage, read: open, write: open, notify: open, value: 50}
      - {name: colour, uuid: +2, format: uint24, read: open, handler: read}
EOF
cat >main.c <<'EOF'
#include <stdio.h>
#include <yarnswift/host.h>
#include "lamp_table.h"

uint8_t lamp_colour_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u24(value, 0xffcc99);
    return YS_ATT_OK;
}

int main(void)
{
    static struct ys_host host;
    static uint8_t values[LAMP_VALUES_SIZE];
    const struct ys_host_settings settings = {.table = &lamp_table, .values = values};
    enum ys_result result = ys_host_init(&host, sizeof host, &settings);
    printf("%d attributes, brightness at %d: %s\n", lamp_table.attribute_count, LAMP_BRIGHTNESS, ys_result_text(result));
    return result == YS_ERROR_PORT_SEND ? 0 : 1;
}
EOF
cat >CMakeLists.txt <<'EOF'
cmake_minimum_required(VERSION 3.25)
project(lamp LANGUAGES C)
find_package(yarnswift REQUIRED)
add_executable(lamp main.c)
yarnswift_device(lamp lamp.device.yaml)
target_link_libraries(lamp PRIVATE yarnswift::yarnswift_host)
EOF

# Whatever this library was built with, a project outside must be linked with: sanitizers are not installed.
flags="-Wall -Wextra -Wpedantic -Werror $(sed -n 's/^YARNSWIFT_SANITIZE:STRING=\(..*\)/-fsanitize=\1/p' "$build/CMakeCache.txt")"
{
    cmake -G Ninja -S . -B build -DCMAKE_PREFIX_PATH="$work/prefix" -DCMAKE_C_FLAGS="$flags"
    cmake --build build
} >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
./build/lamp
./build/lamp | grep -q "12 attributes, brightness at 9: the port has no send"

# A handler that is missing stops the build by its name.
sed -i 's/lamp_colour_read/lamp_color_read/' main.c
if cmake --build build >"$work/log" 2>&1; then
    echo "a misspelt handler was built"
    exit 1
fi
grep -q "lamp_colour_read" "$work/log"
sed -i 's/lamp_color_read/lamp_colour_read/' main.c

# So it does in a module, which has the host in it with the sizes that its definition needs.
sed -i 's/^device: .*/device: {name: Lamp, limits: {connections: 5, mtu: 100}}/' lamp.device.yaml
cat >module.c <<'EOF'
#include <yarnswift/workstation.h>
#include "lamp_table.h"
#if YS_CONNECTIONS != 5 || YS_MTU != 100 || YS_NOTIFIABLES != 1 || YS_QUEUE_SIZE != 24
#error "these are other sizes"
#endif
uint8_t lamp_colour_read(const struct ys_access *access, struct ys_writer *value)
{
    (void)access;
    ys_put_u24(value, 0xffcc99);
    return YS_ATT_OK;
}
static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &lamp_advertising);
}
static uint8_t values[LAMP_VALUES_SIZE];
static const struct ys_firmware firmware = {.table = &lamp_table, .values = values, .on_event = on_event};
YS_MODULE(firmware);
EOF
mkdir module
cat >module/CMakeLists.txt <<'EOF'
cmake_minimum_required(VERSION 3.25)
project(lamp LANGUAGES C)
find_package(yarnswift REQUIRED)
yarnswift_module(lamp ../lamp.device.yaml ../module.c)
target_compile_definitions(lamp PRIVATE YS_QUEUE_SIZE=24)
EOF
cat >lamp.scene.yaml <<'EOF'
scene: five together
devices: [{name: lamp, definition: lamp.device.yaml, firmware: lamp}]
centrals: [{name: a}, {name: b}, {name: c}, {name: d}, {name: e}, {name: f, patience: 2 s}]
steps:
- {who: a, steps: [{connect: lamp}]}
- {who: b, steps: [{connect: lamp}]}
- {who: c, steps: [{connect: lamp}]}
- {who: d, steps: [{connect: lamp}]}
- {who: e, steps: [{connect: lamp}, discover, {read: colour, of: lamp}]}
- {who: f, steps: [{connect: lamp, fails: could not connect}]}
EOF
{
    cmake -G Ninja -S module -B module/build -DCMAKE_PREFIX_PATH="$work/prefix" -DCMAKE_C_FLAGS="$flags"
    cmake --build module/build
    "$work/prefix/bin/yarnswift" rehearse --modules module/build/modules lamp.scene.yaml
} >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
case $flags in
*sanitize*) ;; # whose symbols come later
*)
    sed -i 's/lamp_colour_read/lamp_color_read/' module.c
    if cmake --build module/build >"$work/log" 2>&1; then
        echo "a misspelt handler was built into a module"
        exit 1
    fi
    grep -q "lamp_colour_read" "$work/log"
    ;;
esac
sed -i 's/^device: .*/device: {name: Lamp}/' lamp.device.yaml
cmake --build build >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }

# The same by pkg-config, in C and with the header in C++.
PKG_CONFIG_PATH=$(dirname "$(find "$work/prefix" -name yarnswift.pc)")
export PKG_CONFIG_PATH
generated=build/yarnswift/lamp
# shellcheck disable=SC2046,SC2086
cc $flags -I "$generated" $(pkg-config --cflags yarnswift) main.c "$generated/lamp_table.c" $(pkg-config --libs yarnswift) -o lamp
./lamp | grep -q "12 attributes"
printf '#include <yarnswift/host.h>\n#include "lamp_table.h"\nint main() { return lamp_table.attribute_count == 12 ? 0 : 1; }\n' >plus.cpp
# shellcheck disable=SC2046
c++ -Wall -Wextra -Werror -I "$generated" $(pkg-config --cflags yarnswift) -c plus.cpp -o plus.o

# A project that adds the sources gets the firmware library alone, with the sizes of config.h or those that it asks for.
mkdir within
cat >within/main.c <<'EOF'
#include <stdio.h>
#include <yarnswift/host.h>
int main(void)
{
    printf("MTU %d, %d connections\n", YS_MTU, YS_CONNECTIONS);
    struct ys_host host;
    return ys_host_init(&host, sizeof host, &(struct ys_host_settings){.port = NULL}) == YS_ERROR_PORT_SEND ? 0 : 1;
}
EOF
cat >within/CMakeLists.txt <<EOF
cmake_minimum_required(VERSION 3.25)
project(within LANGUAGES C)
add_subdirectory($root yarnswift)
add_executable(within main.c)
target_link_libraries(within PRIVATE yarnswift::yarnswift_host)
EOF
for sizes in "" "-DYARNSWIFT_MTU=100 -DYARNSWIFT_CONNECTIONS=1"; do
    # shellcheck disable=SC2086
    {
        cmake -G Ninja -S within -B within/build $sizes
        cmake --build within/build
    } >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
    ./within/build/within >>said
done
printf 'MTU 247, 3 connections\nMTU 100, 1 connections\n' | cmp - said
test ! -e within/build/bin/yarnswift
if grep -q Werror within/build/build.ninja; then exit 1; fi
# The package and pkg-config say which sizes were used.
pkg-config --cflags yarnswift | grep -q -- "-DYS_MTU=517 .*-DYS_CONNECTIONS=32\|-DYS_CONNECTIONS=32 .*-DYS_MTU=517"
grep -q "YS_MTU=517" "$(find "$work/prefix" -name yarnswift-config.cmake)"
# A build of which nothing is said is optimised.
cmake -G Ninja -S "$root" -B plain -DYARNSWIFT_TOOL=OFF >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
grep -q -- " -O2 " plain/build.ninja

# A new project builds and runs at once: beside what is installed, and beside what is only built.
for command in "$work/prefix/bin/yarnswift" "$build/bin/yarnswift"; do
    rm -rf kettle
    "$command" new kettle >listed
    grep -q "kettle/firmware.c " listed
    "$command" check --strict kettle/kettle.device.yaml 2>/dev/null
    {
        cmake -G Ninja -S kettle -B kettle/build -DCMAKE_C_FLAGS="$flags"
        cmake --build kettle/build
    } >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
    ctest --test-dir kettle/build >"$work/log" 2>&1 || { cat "$work/log" kettle/build/Testing/Temporary/LastTest.log; exit 1; }
    (cd kettle && "$command" rehearse kettle.scene.yaml >rehearsed) || { cat kettle/rehearsed; exit 1; }
    grep -q "^passed  kettle.scene.yaml  seed 1, 13 steps" kettle/rehearsed
    kettle/build/kettle >met || { cat met; exit 1; }
    grep -q "central is notified: temperature 21.7" met
    grep -q "is refused to write alarm at: 80.01 °C" met
    grep -q "^all as expected" met
    kettle/build/kettle 2 >met_otherwise
    ! cmp -s met met_otherwise
    rm -f met.pcapng
    kettle/build/kettle 1 met.pcapng >/dev/null
    "$command" audit met.pcapng --definition kettle/kettle.device.yaml >audited || { cat audited; exit 1; }
    kettle/build/kettle 1 met.pcapng 2>refused && exit 1
    grep -q "is left alone" refused
    kettle/build/kettle twice 2>refused && exit 1
    grep -q "the arguments are a seed" refused
done
# A value that does not fit its format is no value.
sed -i 's/kettle_temperature_put(value, firmware->temperature)/ys_put_u8(value, (uint8_t)firmware->temperature)/' kettle/firmware.c
cmake --build kettle/build >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
kettle/build/kettle >met && exit 1
grep -q "reads temperature: 1 bytes where sint16 has 2  .*: this does not fit its format" met
grep -q "is notified: temperature .*: this does not fit its format" met
grep -q "^NOT as expected: a value does not fit its format" met

# What the module is cannot be: said by the program, and by the command that loads it.
sed -i 's/interrupt_every_us = .*/interrupt_every_us = 0,/' kettle/workstation.c
cmake --build kettle/build >"$work/log" 2>&1 || { cat "$work/log"; exit 1; }
kettle/build/kettle 2>refused && exit 1
grep -q "the interrupt_every_us of kettle/build/kettle is 0" refused
(cd kettle && "$command" rehearse kettle.scene.yaml 2>&1) | grep -q "the interrupt_every_us of .*kettle_module.so is 0"
echo "/* mine */" >>kettle/firmware.c
if "$command" new kettle 2>refused; then exit 1; fi
grep -q "kettle: cannot make this folder: File exists" refused
grep -q "mine" kettle/firmware.c
for name in "" a/b .. 9lives int -- --help "$(printf %030d 1)"; do
    if "$command" new -- "$name" 2>refused; then exit 1; fi
    test -s refused
done

# The command and its man page are there.
"$work/prefix/bin/yarnswift" check lamp.device.yaml
for file in yarnswift.1 bash-completion/completions/yarnswift _yarnswift yarnswift.fish scenes.schema.json; do
    test -s "$(find "$work/prefix" -path "*/$file" | head -n 1)" || { echo "$file is not installed"; exit 1; }
done
