#!/usr/bin/env python3
"""Mistakes that firmware engineers make, planted one by one in the handlers of examples, and rules of the standard that the
host breaks: yarnswift meet finds them.

    tests/planted.py ROOT COMMAND BUILD [SHARE] [ENCOUNTERS]

SHARE: each so-manieth mistake (1: all). Prints for each how many encounters and seconds it took, and how many steps its
smallest scene has. A mistake is a name, an example, the file, what is replaced, and by what."""
import json
import pathlib
import shlex
import subprocess
import sys
import tempfile
import time

ROOT, COMMAND, BUILD = (pathlib.Path(path).resolve() for path in sys.argv[1:4])
SHARE = int(sys.argv[4]) if len(sys.argv) > 4 else 1
MOST = int(sys.argv[5]) if len(sys.argv) > 5 else 6000

WRENCH = ("torque_wrench", "examples/torque_wrench/torque_wrench.device.yaml", "examples/torque_wrench/wrench.c")
# the standard's rules, broken in the host itself
HOST = ("torque_wrench", WRENCH[1], "src/host/gatt/server/server.c")
NOTIFIABLES = ("torque_wrench", WRENCH[1], "src/host/gatt/server/notifiables.c")
FIND = ("torque_wrench", WRENCH[1], "src/host/gatt/server/find.c")
RIGHTS = ("tool_cabinet", "examples/tool_cabinet/tool_cabinet.device.yaml", "src/host/gatt/server/attributes.c")
CABINET = ("tool_cabinet", "examples/tool_cabinet/tool_cabinet.device.yaml", "examples/tool_cabinet/cabinet.c")

PRESET_READ = "    ys_put_u16(value, wrench->preset);\n"
PRESET_WRITE = "    wrench->preset = ys_get_u16(value); /* within its range: anything else has been refused */\n"
BATTERY = "    ys_put_u8(value, wrench->battery);\n"
RESULT = "    torque_wrench_bolt_result_put(value, &wrench->result);\n    return YS_ATT_OK;"
LOCK_WRITE = "    (void)tool_cabinet_lock_get(value, &cabinet.lock);"
LOCK_READ = "    tool_cabinet_lock_put(value, cabinet.lock);"
STOCK = "    tool_cabinet_stock_put(value, cabinet.stock);"

MISTAKES = [
    ("the bytes of a number the wrong way round", WRENCH, PRESET_READ,
     "    ys_put_u16(value, (uint16_t)(wrench->preset << 8 | wrench->preset >> 8));\n"),
    ("a value that is one byte short", WRENCH, PRESET_READ, "    ys_put_u8(value, (uint8_t)wrench->preset);\n"),
    ("a range that ends too early", WRENCH, PRESET_WRITE,
     "    uint16_t preset = ys_get_u16(value);\n    if (preset >= 2000)\n        return YS_ATT_OUT_OF_RANGE;\n"
     "    wrench->preset = preset;\n"),
    ("a range that begins too late", WRENCH, PRESET_WRITE,
     "    uint16_t preset = ys_get_u16(value);\n    if (preset <= 200)\n        return YS_ATT_VALUE_NOT_ALLOWED;\n"
     "    wrench->preset = preset;\n"),
    ("half of a number is kept", WRENCH, PRESET_WRITE, "    wrench->preset = (uint8_t)ys_get_u16(value);\n"),
    ("what is written is forgotten", WRENCH, PRESET_WRITE, "    (void)ys_get_u16(value);\n    (void)wrench;\n"),
    ("what is read is what was there before", WRENCH, PRESET_READ,
     "    static uint16_t shown;\n    ys_put_u16(value, shown == 0 ? wrench->preset : shown);\n    shown = wrench->preset;\n"),
    ("never an answer", WRENCH, PRESET_READ, "    (void)value;\n    (void)wrench;\n    return YS_LATER;\n"),
    ("nothing is put", WRENCH, BATTERY, "    (void)value;\n    (void)wrench;\n"),
    ("a percentage above 100", WRENCH, BATTERY, "    ys_put_u8(value, (uint8_t)(wrench->battery + 100));\n"),
    ("an uninitialised field", WRENCH, RESULT,
     "    struct torque_wrench_bolt_result result = wrench->result;\n    result.verdict = 0xa5;\n"
     "    torque_wrench_bolt_result_put(value, &result);\n    return YS_ATT_OK;"),
    ("an error that there is none", WRENCH, RESULT, "    (void)value;\n    (void)wrench;\n    return 0x5d;"),
    ("used up after a few accesses", WRENCH, PRESET_READ,
     "    static int left = 3;\n    if (left-- <= 0)\n        return YS_ATT_UNLIKELY_ERROR;\n" + PRESET_READ),
    ("state of the last connection is kept", WRENCH, "    if (event->kind != YS_EVENT_READY)\n        return;\n",
     "    static int ended;\n    ended += event->kind == YS_EVENT_DISCONNECTED;\n    if (ended > 0)\n"
     "        wrench->preset = 0;\n    if (event->kind != YS_EVENT_READY)\n        return;\n"),
    ("advertising ends with the first connection", WRENCH,
     "    if (event->kind != YS_EVENT_READY)\n        return;\n",
     "    if (event->kind == YS_EVENT_DISCONNECTED)\n        (void)ys_advertise_stop(host);\n"
     "    if (event->kind != YS_EVENT_READY)\n        return;\n"),
    ("an index behind the end", WRENCH, PRESET_WRITE,
     PRESET_WRITE + "    if (wrench->preset == 2000)\n        *(volatile uint8_t *)(uintptr_t)wrench->preset = 1;\n"),
    ("whoever subscribes is thrown out", WRENCH, "    if (event->kind != YS_EVENT_READY)\n        return;\n",
     "    if (event->kind == YS_EVENT_SUBSCRIPTION)\n        (void)ys_disconnect(host, event->connection);\n"
     "    if (event->kind != YS_EVENT_READY)\n        return;\n"),
    ("a lock that is the wrong way round", CABINET, LOCK_WRITE,
     "    (void)tool_cabinet_lock_get(value, &cabinet.lock);\n    cabinet.lock = !cabinet.lock;"),
    ("a lock that opens for the first only", CABINET, LOCK_WRITE,
     "    static bool used;\n    if (used)\n        return YS_ATT_UNLIKELY_ERROR;\n    used = true;\n" + LOCK_WRITE),
    ("a stock beyond its range", CABINET, STOCK, "    tool_cabinet_stock_put(value, 49);"),
    ("a stock of two bytes", CABINET, STOCK, "    ys_put_u16(value, cabinet.stock);"),
    ("no memory for pairing", CABINET,
     "    enum ys_result result = ys_host_use_pairing(host, &cabinet.pairing, &tool_cabinet_security);\n",
     "    enum ys_result result = YS_OK;\n"),
    ("peers are forgotten at each start", CABINET, "    if (event->kind == YS_EVENT_READY)\n",
     "    if (event->kind == YS_EVENT_READY)\n        (void)ys_bond_forget(host, 0);\n    if (event->kind == YS_EVENT_READY)\n"),
    ("a lock that is read from elsewhere", CABINET, LOCK_READ, "    tool_cabinet_lock_put(value, cabinet.door);"),
    ("whoever pairs is thrown out", CABINET, "    else if (event->kind == YS_EVENT_PASSKEY_SHOW)\n",
     "    else if (event->kind == YS_EVENT_SECURED)\n        (void)ys_disconnect(host, event->connection);\n"
     "    else if (event->kind == YS_EVENT_PASSKEY_SHOW)\n"),
    ("a passkey that is not shown", CABINET, '        ys_host_log(host, "on its display:", event->u.passkey);',
     '        (void)ys_pairing_cancel(host, event->connection);'),
    ("a loop that does not end", WRENCH, PRESET_WRITE,
     PRESET_WRITE + "    for (volatile uint16_t i = 0; i != wrench->preset + 1u || wrench->preset != 200; i++) {\n"
     "        if (wrench->preset != 200)\n            break;\n        i = 0;\n    }\n"),
    ("errors that name another handle", HOST, ".request = request, .handle = handle, .error = error",
     ".request = request, .handle = (uint16_t)(handle + 1), .error = error"),
    ("whoever has not subscribed is told", NOTIFIABLES,
     "if (ys_configuration_of(connection, notifiable) != 0) {", "if (connection->used) {"),
    ("a find that begins at the first handle", FIND, "for (uint32_t handle = answer->request->first; handle",
     "for (uint32_t handle = 1; handle"),
    ("rights that are not looked at", RIGHTS, "if (right == YS_RIGHT_OPEN)", "if (right != YS_RIGHT_NONE)"),
]


def command_of(source, module):
    """How the module's build compiles this source."""
    for entry in json.loads((BUILD / "compile_commands.json").read_text()):
        if pathlib.Path(entry["file"]) == source and f"/{module}.dir/" in entry["command"]:
            return entry
    sys.exit(f"planted: no module is built of {source}")


def build(mistake, folder):
    name, (module, _, file), old, new = mistake
    source = ROOT / file
    text = source.read_text()
    if text.count(old) != 1:
        sys.exit(f"planted: \"{name}\" has no place in {file}")
    changed = folder / source.name
    changed.write_text(text.replace(old, new))
    entry = command_of(source, module)
    words = shlex.split(entry["command"])
    object_of = pathlib.Path(entry["directory"]) / words[words.index("-o") + 1]
    words[words.index("-o") + 1] = str(folder / "changed.o")
    words[words.index(str(source))] = str(changed)
    words = [word for word in words if word != "-Werror"] + ["-w", "-iquote", str(source.parent)]
    subprocess.run(words, cwd=entry["directory"], check=True)
    objects = sorted((BUILD / "examples/CMakeFiles" / f"{module}.dir").rglob("*.o"))
    others = [str(path) for path in objects if path != object_of]
    sanitized = ["-fsanitize=address,undefined"] if "-fsanitize=address,undefined" in entry["command"] else []
    subprocess.run(["cc", "-shared", *sanitized, "-o", str(folder / f"{module}.so"), str(folder / "changed.o"), *others,
                    str(BUILD / "libyarnswift_wire.a")], check=True)


def leaves(value):
    """All texts in a result."""
    if isinstance(value, dict):
        value = list(value.values())
    return [text for one in value for text in leaves(one)] if isinstance(value, list) else [value]


missed = []
tried = 0
for number, mistake in enumerate(MISTAKES):
    if number % SHARE != 0:
        continue
    tried += 1
    name, (module, definition, _), _, _ = mistake
    with tempfile.TemporaryDirectory() as scratch:
        folder = pathlib.Path(scratch)
        build(mistake, folder)
        began = time.monotonic()
        run = subprocess.run([COMMAND, "meet", "--runs", str(MOST), "--seconds", "60", "--until-found", "--json",
                              "--output", folder / "scenes", "--firmware", folder / f"{module}.so", ROOT / definition],
                             capture_output=True, text=True, timeout=300)
        took = time.monotonic() - began
        if run.returncode != 1:
            print(f"NOT FOUND  {name}: {run.returncode} {run.stderr.strip()[:200]}")
            missed.append(name)
            continue
        finding = json.loads(run.stdout)["findings"][0]
        again = subprocess.run([COMMAND, "rehearse", "--json", finding["scene"]], capture_output=True, text=True)
        same = again.returncode != 0 and (finding["came"] in leaves(json.loads(again.stdout or "[]")) or finding["came"] in again.stderr)
        if finding["steps"] > 8 or not same:
            missed.append(name)
        print(f"{'' if same else 'NOT PLAYED AGAIN '}{name}: {finding['first']} encounters, {took:.1f} s, "
              f"{finding['steps_before']} steps, then {finding['steps']}: {finding['what'][:60]}: {finding['came'][:60]}")
print(f"{tried - len(missed)} of {tried}")
if len(missed) * 25 > tried:
    sys.exit("planted: not found, or not made small: " + ", ".join(missed))
