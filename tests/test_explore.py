#!/usr/bin/python3
"""test_explore.py ROOT COMMAND: explore, driven as a person does, through a pseudo-terminal, and through a pipe; what is
saved passes when it is rehearsed."""
import json
import os
import pathlib
import pty
import re
import select
import signal
import subprocess
import sys
import tempfile
import time

root = pathlib.Path(sys.argv[1]).resolve()
command = str(pathlib.Path(sys.argv[2]).resolve())
wrench = str(root / "examples/torque_wrench/torque_wrench.device.yaml")
scale = str(root / "examples/hook_scale/hook_scale.device.yaml")
work = pathlib.Path(tempfile.mkdtemp())
failures = []


def check(good, what, text):
    if not good:
        failures.append(f"{what}, in\n{text[-1500:]}")


class Terminal:
    """A person at a terminal, who types, and waits until something is to be seen."""

    def __init__(self, *arguments):
        self.pid, self.fd = pty.fork()
        if self.pid == 0:
            # the library of the line editor keeps two names of its own, which a leak checker would report
            os.environ.update({"TERM": "xterm", "NO_COLOR": "1", "LC_ALL": "C.UTF-8", "ASAN_OPTIONS": "detect_leaks=0"})
            os.execv(command, [command, "explore", *arguments])
        self.seen = ""

    def read(self, seconds):
        ready, _, _ = select.select([self.fd], [], [], seconds)
        if not ready:
            return False
        try:
            data = os.read(self.fd, 65536)
        except OSError:
            return None
        self.seen += data.decode(errors="replace")
        return bool(data) or None

    def types(self, text):
        os.write(self.fd, text.encode())

    def sees(self, pattern):
        """Waits for it, and forgets what was before."""
        until = time.monotonic() + 20
        while time.monotonic() < until:
            found = re.search(pattern, self.seen)
            if found:
                self.seen = self.seen[found.end():]
                return
            if self.read(0.2) is None:
                break
        failures.append(f"{pattern} is not seen, but\n{self.seen[-1500:]}")

    def ends(self, again=""):
        """How it ends; `again` is typed each second until it does. A child that does not end is a failure, and ended."""
        for _ in range(20):
            if self.read(1) is None:
                return os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])
            if again:
                self.types(again)
        os.kill(self.pid, signal.SIGKILL)
        os.waitpid(self.pid, 0)
        return "does not end"


def has_terminals():
    try:
        for end in pty.openpty():
            os.close(end)
        return True
    except OSError:
        print("this system has no pseudo-terminals: only pipes are tried")
        return False


def try_terminals():
    """What a person does, and sees."""
    # A person: completes names, sees values come while typing, changes what the sensor says, goes back in history.
    person = Terminal(wrench, "--firmware", "torque_wrench")
    person.sees(r"help lists all commands")
    person.types("conn\t\r")
    person.sees(r"connected, every 30 ms")
    person.types("tree\r")
    person.sees(r"0x000D  preset +read, write +120\.0 N m  \[b0 04\]")
    person.types("subs\tli\t\r")
    person.sees(r"has subscribed to live torque")
    person.types("set tr\ton\r")
    person.sees(r"is set: trigger on")
    person.types("rea")  # and while the line is half typed, values come
    person.sees(r"is notified: live torque [0-9.]+ N m +\[[0-9a-f]{2} [0-9a-f]{2}\]  \([0-9]+ more before it\)")
    person.sees(r"connected> rea")
    person.types("d pre\t\r")
    person.sees(r"reads preset: 120\.0 N m  \[b0 04\]")
    person.types("write preset \t\t")  # more than one: they are listed
    person.sees(r"20\.0 N m\s+200\.0 N m")
    person.types("0.0 N m\r")  # what they have in common is there already
    person.sees(r"writes preset: 200\.0 N m  \[d0 07\]")
    person.types("\x1b[A\x1b[A\r")  # the line before the last
    person.sees(r"reads preset: 200\.0 N m")
    person.types("clock stand\r")
    person.sees(r"time stands")
    person.types("unsubscribe live torque\r")
    person.sees(r"has unsubscribed from live torque")
    person.types("disconn\t\r")
    person.sees(r"has disconnected")
    person.types(f"save {work}/person.scene.yaml\r")
    person.sees(r"saved; yarnswift rehearse")
    person.types("quit\r")
    check(person.ends() == 0, "the session of a person ends well", person.seen)
    played = subprocess.run([command, "rehearse", "--runs", "10", work / "person.scene.yaml"], capture_output=True, text=True)
    check(played.returncode == 0, "what a person has saved passes", played.stdout + played.stderr)

    # The end of the input is the end, too.
    person = Terminal(scale)
    person.sees(r"0\.[0-9]+ s> ")
    check(person.ends(again="\x04") == 0, "the end of the input ends it", person.seen)


if has_terminals():
    try_terminals()


def pipe(lines, *arguments):
    return subprocess.run([command, "explore", *arguments], input="\n".join(lines) + "\n", capture_output=True, text=True)


# Each command, and what it must say.
SESSION = [
    ("listen 3 s", r'[0-9A-F:]+ +-\d+ dBm  "Torvane T2" +connectable, offers tightening, battery'),
    ("connect", r"agreed on an MTU of 247"),
    ("tree", r"battery level +read, notify +87 %  \[57\]"),
    ("read bolt result", r"reads bolt result: number 0, peak torque 0\.0 N m"),
    ("write preset 250 N m", r"is refused to write preset.*out of range \(0xFF\)"),
    ("write preset bytes a4 01", r"writes preset: 42\.0 N m"),
    ("read 0x000D", r"reads preset: 42\.0 N m"),
    ("subscribe bolt result", r"has subscribed to bolt result"),
    ("set trigger on", r"is set: trigger on"),
    ("wait 2 s", r"is indicated: bolt result number 1, peak torque 42\.0 N m"),
    ("set battery level 12 %", r"is set: battery level 12 %"),
    ("read battery level", r"reads battery level: 12 %"),
    ("write arm true without response", r"writes arm: true  \[01\], without response"),
    ("wait 100 ms", r"\d"),
    ("pair", r"is refused to pair: pairing is not supported \(0x05\)"),
    ("packets 3", r"pairing failed: pairing is not supported \(0x05\)"),
    ("packets all 3", r"channel +\d+  "),
    ("walk 20 m", r"walks 18\.0 m, to \[20 m, 0 m\]"),
    ("clock", r"time stands"),
    ("disconnect", r"has disconnected"),
    ("power cycle", r"has no power"),
    ("connect", r"connected, every"),
    ("help write", r"write NAME VALUE"),
    (f"save {work}/pipe.scene.yaml", r"saved"),
]
run = pipe([line for line, _ in SESSION], wrench, "--firmware", "torque_wrench")
check(run.returncode == 0, "a session from a pipe ends well", run.stdout + run.stderr)
parts = re.split(r"^[0-9.]+ s(?: connected)?> ", run.stdout, flags=re.M)[1:]
check(len(parts) >= len(SESSION), "each line has its part", run.stdout)
for (line, pattern), part in zip(SESSION, parts):
    check(part.startswith(line + "\n") and re.search(pattern, part), f"{line} says {pattern}", part)
played = subprocess.run([command, "rehearse", "--runs", "10", work / "pipe.scene.yaml"], capture_output=True, text=True)
check(played.returncode == 0, "what was saved passes", played.stdout + played.stderr)
saved = (work / "pipe.scene.yaml").read_text()
check('fails: "0xFF"' in saved and "expect: \"bolt result\"" in saved, "it expects what was seen", saved)
again = pipe(["connect", f"save {work}/pipe.scene.yaml"], wrench)
check(again.returncode == 2 and "it is there, and is left alone" in again.stderr, "nothing is written over", again.stdout + again.stderr)
check((work / "pipe.scene.yaml").read_text() == saved, "the file is as it was", "")

# Several devices on the air, and connected; what is typed as in a scene; whom listen shows.
SEVERAL = [
    ("listen 3 s", r'"Torvane T2" +connectable, offers tightening[^\n]*\n(?s:.*)"Torvane H4" +connectable, LE Coded, offers hoist'),
    ("listen 1 s name Hook", r'^.*\n  [0-9A-F:]+ +-\d+ dBm  "Hook scale" +connectable, offers battery, weighing\n  and 2 others\n$'),
    ("listen service hoist", r'^.*\n[^\n]*"Torvane H4"[^\n]*\n  and 2 others\n$'),
    ("listen 1 s at least -20 dBm", r"heard nobody of these\n  and 3 others"),
    ("listen 2 s service battery at least -60 dBm name Tor", r'^.*\n[^\n]*"Torvane T2"[^\n]*\n  and 2 others\n$'),
    ("find Hook scale", r"found it after"),
    ("connect hook_scale", r"hook_scale +connected by"),
    ("connect torque_wrench", r"torque_wrench +connected by"),
    ("connect hoist", r"hoist +connected by"),
    ("read preset", r"reads preset: 120\.0 N m"),
    ("read load", r"reads load: "),
    ("read battery level of torque_wrench", r"reads battery level: 87 %"),
    ("read battery level of hook_scale", r"reads battery level: 100 %"),
    ("set load 12.5 kg", r"hook_scale +is set: load 12\.5 kg"),
    ("read: load, of: hook_scale, is: 12.5 kg", r"reads load: 12\.5 kg"),
    ("subscribe height of hoist", r"has subscribed to height"),
    ("{parallel: [{wait: 10 ms}, {read: height, of: hoist, who: central}]}", r"reads height: "),
    ("write drive without response of hoist", r"drive needs a value after the name"),
    ("tree hoist", r"0x0010  drive +write"),
    ("disconnect torque_wrench", r"torque_wrench +disconnected"),
    ("read load", r"reads load: 12\.5 kg"),
    ("forget hook_scale", r"has no bonds"),
    ("power off hook_scale", r"hook_scale +has no power"),
    (f"save {work}/several.scene.yaml", r"saved"),
]
hoist = str(root / "examples/crane/hoist.device.yaml")
run = pipe([line for line, _ in SEVERAL], wrench, scale, hoist)
parts = re.split(r"^[0-9.]+ s(?: [a-z_]+)?> ", run.stdout, flags=re.M)[1:]
check(len(parts) >= len(SEVERAL), "each line has its part", run.stdout)
for (line, pattern), part in zip(SEVERAL, parts):
    check(part.startswith(line + "\n") and re.search(pattern, part), f"{line} says {pattern}", part)
check("2 m from torque_wrench, hook_scale and hoist" in run.stdout, "who is there is said", run.stdout)
played = subprocess.run([command, "rehearse", "--runs", "5", work / "several.scene.yaml"], capture_output=True, text=True)
check(played.returncode == 0, "what was saved of several passes", played.stdout + played.stderr)
run = pipe(["connect", "discover", "set load 12.5 kg", "read: load, is: 13 kg", "expect: load, within: soon", "listen name", "listen at least loud",
            "listen service nothing", "connect crane", "forget somebody", "power off crane", "pair crane"], scale)
for says in (r"expected: 13 kg\n  came: +12\.5 kg", "must be a time with its unit", "listen takes a time", "at least takes a strength",
             'there is no service "nothing"', 'unknown device "crane"', "forget needs the central or a device"):
    check(re.search(says, run.stdout), f"{says} is said", run.stdout)
check(run.returncode == 2, "what was not understood is the status", run.stdout)
twins = pipe(["connect hoist_2", "tree"], hoist, hoist, "--firmware", "hoist_2=hoist")
check(re.search("hoist_2 +connected by", twins.stdout), "two of one definition are told apart", twins.stdout + twins.stderr)
deaf = pipe(["listen"], hoist, "--kind", "old")
check("heard nobody\n" in deaf.stdout, "who does not hear LE Coded hears nobody", deaf.stdout)

# The same input gives the same output.
twice = [pipe(["connect", "tree", "wait 3 s"], scale).stdout for _ in range(2)]
check(twice[0] == twice[1], "the same input gives the same output", twice[1])

# The last packets are those of the capture, also when far more were on the air than are kept, and HCI between them.
run = pipe(["connect", "subscribe live torque", "set trigger on", "wait 60 s", "packets all 5", "wait 1 s", "packets all 500"], wrench,
           "--firmware", "torque_wrench", "--capture", work / "long.pcapng")
shown = [(float(line.split()[0]), int(line.split()[3])) for line in run.stdout.split("packets all 500\n")[-1].splitlines() if " channel " in line]
traced = subprocess.run([command, "trace", "--layer", "air", "--json", work / "long.pcapng"], capture_output=True, text=True)
aired = [(line["time_s"], line["channel"]) for line in map(json.loads, traced.stdout.splitlines())]
check(len(shown) == 500 and shown == aired[-500:], "the last packets are those of the capture", run.stdout[-3000:])
check(len(re.findall("notification, live torque: [0-9.]+ N m", run.stdout.split("packets all 500\n")[-1])) > 20, "words are there", run.stdout[-3000:])

# What cannot be done is said, and the rest goes on.
WRONG = [
    ("conect", r'unknown command "conect"; did you mean connect\?'),
    ("frobnicate", r"help lists all commands"),
    ("read battery level", r"not connected: connect first"),
    ("connect", r"connected, every"),
    ("read", r"name a characteristic; tree lists them"),
    ("read battery levl", r'there is no characteristic "battery levl"; did you mean "battery level"\?'),
    ("write load", r"load needs a value after the name"),
    ("write load 3 kg", r"cannot be written"),
    ("subscribe device name", r"cannot be subscribed to"),
    ("set load 9000 kg", r"it does not fit into the format"),
    ("set load 12.5 kg", r"is set: load 12\.5 kg"),
    ("read load", r"reads load: 12\.5 kg  \[7d 00\]"),
    ("wait soon", r"must be a time with its unit"),
    ("listen -3", r"listen takes a time"),
    ("packets many", r"packets takes how many"),
    ("power perhaps", r"there are off, on, cycle"),
    ("walk about", r"a place is a distance in metres"),
    ("help me", r'unknown command "me"'),
    ("save", r"save takes a file"),
    ("save /nowhere/at/all.scene.yaml", r""),
]
run = pipe([line for line, _ in WRONG], scale)
check(run.returncode == 2, "what was not understood is the status", run.stdout + run.stderr)
parts = re.split(r"^[0-9.]+ s(?: connected)?> ", run.stdout, flags=re.M)[1:]
for (line, pattern), part in zip(WRONG, parts):
    check(part.startswith(line + "\n") and re.search(pattern, part), f"{line} says {pattern}", part)
check("cannot write it: No such file" in run.stderr, "a file that cannot be written is said", run.stderr)

for arguments, says in [((), "name one definition"), (("none.device.yaml",), "cannot read it: No such file"),
                        ((wrench, "--firmware", "absent"), "there is no module"), ((wrench, "--kind", "rude"), "not known"),
                        ((scale, "--firmware", "torque_wrench"), "was built for another definition"),
                        ((scale, "--firmware", "scale=x"), 'there is no device "scale"; the first is "hook_scale"'),
                        ([scale] * 9, "or up to 8")]:
    run = pipe(["quit"], *arguments)
    check(run.returncode == 2 and says in run.stderr, f"{arguments} are refused", run.stdout + run.stderr)

# Firmware that crashes is named.
misbehaving = str(root / "tests/modules/misbehaving.device.yaml")
run = pipe(["connect", "write trouble 1"], misbehaving, "--firmware", "misbehaving")
check(run.returncode == 2 and "the firmware of misbehaving crashed (it used memory that is not its own) in the write handler of "
      "trouble\n" in run.stderr, "firmware that crashes is named", run.stdout + run.stderr)

run = pipe(["connect", "write trouble 7"], misbehaving, "--firmware", "misbehaving")
check(run.returncode == 2 and "the firmware of misbehaving called exit in the write handler of trouble\n" in run.stderr,
      "firmware that ends the command is named", run.stdout + run.stderr)

# A central that knows no definition goes by what is adopted, by what the device tells, or by the bytes.
run = pipe(["connect", "tree"], wrench, "--kind", "eavesdropping")
check(re.search(r"0x0009  \(no name is known\) +read, notify +[0-9.]+ N m", run.stdout), "a format that is told", run.stdout)
check(re.search(r"0x000D  \(no name is known\) +read, write +b0 04 \(uint16 1200\)\n", run.stdout), "bytes", run.stdout)
check(re.search(r"Battery Level +read, notify +87 %", run.stdout), "what is adopted", run.stdout)

print(f"{len(SESSION) + len(WRONG)} lines from pipes")
for failure in failures:
    print("---", failure)
sys.exit(1 if failures else 0)
