#!/usr/bin/env python3
"""Every ```c block of the manual compiles against the public headers. test_c_pages.py ROOT COMMAND

A block is compiled as the inside of a function, with what its page takes for granted declared before it. A function that is
called and declared nowhere is the reader's own, unless it has a name of Yarnswift."""
import pathlib
import re
import subprocess
import sys
import tempfile

ROOT, COMMAND = (pathlib.Path(argument).resolve() for argument in sys.argv[1:3])
TEMPORARY = tempfile.TemporaryDirectory()  # removed at the end
WORK = pathlib.Path(TEMPORARY.name)
failures = []

# What definitions give.
DEVICES = {"torque_wrench": ["device"], "hook_scale": ["device"], "crane/hoist": ["device", "client"]}
# What the reader has: names of a device "my_device", and state.
GIVEN = """
struct ys_host host;
uint16_t connection;
extern const struct ys_table my_device_table, kettle_table;
extern const struct ys_advertising my_device_advertising, my_device_locator_advertising;
extern const struct ys_security my_device_security;
extern const struct ys_link_wishes my_device_link;
enum { MY_DEVICE_CONTACT = 9 };
void my_event(struct ys_host *host, void *context, const struct ys_event *event);
void start(void *context, struct ys_host *host);
extern const struct ys_port port;
void on_event(struct ys_host *host, void *context, const struct ys_event *event);
void wrench_event(struct ys_host *host, void *context, const struct ys_event *event);
void interrupt(void *context);
void press_trigger(void *context, int64_t value);
void set_battery(void *context, int64_t value);
bool trng_read(void *context, void *bytes, size_t length);
struct scale { uint16_t load; } scale;
struct ys_remote hoist;
struct { int x; } my_state, kettle, wrench;
uint8_t address[6], up;
volatile uint32_t tick_count;
"""


def headers():
    """Includes of all public headers."""
    names = sorted(path.name for path in (ROOT / "include/yarnswift").glob("*.h"))
    return "".join(f"#include <yarnswift/{name}>\n" for name in names)


def generate():
    includes = ""
    for path, purposes in DEVICES.items():
        folder = ROOT / "examples" / path
        definition = folder.with_suffix(".device.yaml") if folder.with_suffix(".device.yaml").exists() else folder / f"{folder.name}.device.yaml"
        for purpose in purposes:
            subprocess.run([COMMAND, "generate", "--for", purpose, "-o", WORK, definition], check=True, capture_output=True)
            includes += f'#include "{folder.name}_{"table" if purpose == "device" else "client"}.h"\n'
    return includes


def compiles(page, line, block, head):
    """The block is part of a file, if it defines a module, which is a function with a visibility; else of a function."""
    place = f'#line {line + 1} "{page.name}"\n'
    block = re.sub(r"^(#include.*|\.\.\.)$", "", block, flags=re.M)
    if "YS_MODULE" in block:
        text = f"{head}{place}{block}"
    else:
        block = block.replace("static ", "")  # a function in a function has no storage class
        if re.search(r"^case ", block, re.M):
            block = re.sub(r"^case ", "switch (event->kind) { default: break; case ", block, count=1, flags=re.M) + "}"
        text = f"{head}void block(const struct ys_event *event);\nvoid block(const struct ys_event *event)\n{{\n(void)event;\n{place}{block}\n}}\n"
    path = WORK / "block.c"
    path.write_text(text)
    done = subprocess.run(["gcc", "-std=gnu11", "-fsyntax-only", "-Wall", "-Werror", "-Wno-unused", "-Wno-main", "-Wno-error=implicit-function-declaration",
                           "-Wno-int-conversion", "-I", ROOT / "include", "-I", WORK, path], capture_output=True, text=True, check=False)
    if done.returncode != 0 or re.search(r"implicit declaration of function .(ys|YS)_", done.stderr):
        failures.append(f"{page.name}:{line}: {done.stderr}")


head = headers() + generate() + GIVEN
count = 0
for page in sorted((ROOT / "docs").glob("*.md")):
    text = page.read_text(encoding="utf-8")
    for match in re.finditer(r"^```c\n(.*?)^```", text, re.M | re.S):
        compiles(page, text.count("\n", 0, match.start()) + 1, match[1], head)
        count += 1
print(f"{count} blocks")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures or count < 10 else 0)
