#!/usr/bin/python3
"""How deep the stack of the firmware gets, from the call graphs that the compiler has left.

usage: stack.py [--json] [--sources FOLDER] [--headers FOLDER] [--linked FILE] FILE.ci...

With --linked, a list of names, only these functions are there: those that a program is linked with.

Fails if a function calls itself, by whatever way, if a frame has no greatest size, if it is not known where an indirect
call goes, or if a function is reached by nothing."""
import argparse
import glob
import json
import re
import sys

# Where indirect calls go, by what their line looks like: to what the tables of this struct have as this member, or (None)
# out of the library, to the port, the firmware's handlers, or the owner of a request.
INDIRECT = [
    (r"(?:port|line)->\w+\(|cipher->encrypt\(|aes->wait\(", None),
    (r"on_event\(|settings->on_\w+\(|value->(read|write)\(|table->consent\(", None),
    (r"settings->(begin|wait|now_ms|fault)\(", None),
    (r"request->on_(done|item)\(", None),
    (r"extra(?:->|[.])calls->(\w+)\(", "ys_extra_calls"),
    (r"pairing->calls->(\w+)\(", "ys_pairing_calls"),
    (r"sets->calls->(\w+)\(", "ys_sets_calls"),
    (r"whole->(\w+)\(", "ys_whole"),
    (r"central->(\w+)\(", "ys_central"),
    (r"client->(\w+)\(", "ys_client"),
    (r"procedure->(\w+)\(", "ys_procedure"),
    (r"outboxes->(\w+)\(", "ys_outboxes"),
    (r"row->(compose|complete|failed)\(", "ys_command_row"),
    (r"(command|ask)->done\(|commands->(event|vendor)\(|borrowed->encrypt\(", None),
    (r"row->(answer)\(", "server_row"),
    (r"row->(get)\(", "discover_row"),
    (r"step->(act)\(", "ys_pairing_step"),
    (r"remembering->(\w+)\(", "ys_keeping"),
    (r"work->run\(", None),
    (r"host->(accept_row)\(", "ys_host"),
]
OUTSIDE = "(outside)"
IN_INTERRUPT = ["ys_host_changed", "ys_stream_append", "ys_outbox_put", "ys_work_ask", "ys_serial_put", "ys_serial_take"]


def fail(message):
    sys.exit(f"stack: {message}")


def read(paths):
    """The frames of all functions in bytes, and whom they call, as (name, file:line)."""
    frames, calls = {}, {}
    for path in paths:
        with open(path, encoding="utf-8") as file:
            for line in file:
                node = re.match(r'node: { title: "([^"]+)" label: "[^"]*\\n(\d+) bytes \(([^)]*)\)', line)
                edge = re.match(r'edge: { sourcename: "([^"]+)" targetname: "([^"]+)" label: "([^"]+)"', line)
                if node:
                    if node[3] not in ("static", "dynamic,bounded"):
                        fail(f"the frame of {node[1]} has no greatest size")
                    frames[node[1]] = int(node[2])
                elif edge:
                    calls.setdefault(edge[1], set()).add((edge[2], edge[3]))
    return frames, calls


def without_comments(text):
    return re.sub(r"/\*.*?\*/|//[^\n]*", "", text, flags=re.S)


def parts(text):
    """What stands between the commas of the outermost braces that `text` begins with, and what is behind them."""
    found, deep, begin = [], 0, 1
    for i, letter in enumerate(text):
        deep += {"{": 1, "(": 1, "}": -1, ")": -1}.get(letter, 0)
        if (letter == "," and deep == 1) or deep == 0:
            found.append(text[begin:i].strip())
            begin = i + 1
        if deep == 0:
            break
    return [part for part in found if part]


def tables(sources, headers):
    """Of each struct and member, the names that the constant tables of the host have there."""
    texts = []
    for path in sorted(glob.glob(f"{sources}/host/**/*.[ch]", recursive=True)) + glob.glob(f"{headers}/yarnswift/*.h"):
        with open(path, encoding="utf-8") as file:
            texts.append(without_comments(file.read()))
    whole = "\n".join(texts)
    members = {}
    for tag, body in re.findall(r"struct (\w+) \{\n(.*?)\n\};", whole, flags=re.S):
        members[tag] = [re.search(r"(?:\(\*(\w+)\)|(\w+)(?:\[\w+\])?);$", line.strip()) for line in
                        re.sub(r"\([^*][^()]*\);", ";", re.sub(r"\s+", " ", body)).replace(";", ";\n").split("\n")]
        members[tag] = [found[1] or found[2] for found in members[tag] if found]
    named = {}

    def take(tag, value):
        for place, part in enumerate(parts(value)):
            given = re.match(r"\.(\w+) = (.*)", part, flags=re.S)
            member = given[1] if given else members[tag][place] if place < len(members[tag]) else None
            named.setdefault((tag, member), set()).add(given[2] if given else part)

    for tag, array, at in ((m[1], m[2], m.end() - 1) for m in re.finditer(
            r"const struct (\w+) \w+(\[\w*\])? = \{", whole)):
        for value in parts(whole[at:]) if array else [whole[at:]]:
            value = re.sub(r"^\[[^\]]*\] = ", "", value)
            if tag in members and value.startswith("{"):
                take(tag, value)
    for member, name in re.findall(r"host->(accept_row|remember) = (\w+);", whole):
        named.setdefault(("ys_host", member), set()).add(name)
    # parts of the library that give callbacks, as firmware does: they are called where its functions are
    for member, name in re.findall(r"\b(on_done|on_item) = (\w+)[;,}]", whole):
        named.setdefault((None, member), set()).add(name)
    for member, name in re.findall(r"(?:\.(?=done)|commands->)(done|event) = (\w+)[,;}]", whole):
        named.setdefault((None, member), set()).add(name)
    for name in re.findall(r"\bsend\(host, ask,[^;]*?(\w+)\);", whole):
        named.setdefault((None, "done"), set()).add(name)
    for name in re.findall(r"ys_work_init\(\w+, [^,()]+, (\w+),", whole):
        named.setdefault((None, "run"), set()).add(name)
    return named


def resolve(frames, calls, named, linked):
    """The calls with each indirect one in place of where it goes."""
    resolved = {name: set() for name in frames}
    for caller, targets in calls.items():
        if caller not in frames:
            continue
        for target, place in targets:
            if target != "__indirect_call":
                resolved[caller].add(target)
                continue
            path, line = place.split(":")[:2]
            with open(path, encoding="utf-8") as file:
                text = file.read().splitlines()[int(line) - 1]
            rows = [(found, tag) for pattern, tag in INDIRECT if (found := re.search(pattern, text))]
            if len(rows) != 1:
                fail(f"{path}:{line}: where does this call go? Say it in INDIRECT: {text.strip()}")
            found, tag = rows[0]
            if tag is None:
                member = re.search(r"^(?:request|work|commands?)->(\w+)\($", found[0])
                resolved[caller].add(OUTSIDE)
                resolved[caller] |= {name for name in frames if member is not None and
                                     name.split(":")[-1] in named.get((None, member[1]), set())}
                continue
            # names of the host's files differ, so a name says the function, but for those that tables share
            there = {name for name in frames if name.split(":")[-1] in named.get((tag, found[1]), set())}
            if not there and not linked:
                fail(f"{path}:{line}: no table has a function for this call: {text.strip()}")
            resolved[caller] |= there
    return resolved


def depths(frames, resolved):
    """For each function the deepest stack below its caller, and how deep the outside is called (-1: never)."""
    done, path = {}, []

    def visit(name):
        if name == OUTSIDE:
            return 0, 0
        if name not in frames:  # memcpy and the compiler's helpers, which are not ours
            return 0, -1
        if name in path:
            fail("recursion: " + " -> ".join(path[path.index(name):] + [name]))
        if name not in done:
            path.append(name)
            below = [visit(target) for target in resolved[name]]
            path.pop()
            outside = max((out for _, out in below), default=-1)
            done[name] = (frames[name] + max((deep for deep, _ in below), default=0),
                          frames[name] + outside if outside >= 0 else -1)
        return done[name]

    for name in frames:
        visit(name)
    return done


def public(headers):
    """The names that the public headers declare."""
    names = set()
    for path in glob.glob(f"{headers}/yarnswift/*.h"):
        with open(path, encoding="utf-8") as file:
            names |= set(re.findall(r"\b(ys_\w+)\(", file.read()))
    return names


def way(name, resolved, done):
    """The deepest way down from a function."""
    names = []
    while name in done:
        names.append(name.split(":")[-1])
        name = max(resolved[name] & done.keys(), key=lambda target: done[target][0], default=None)
    return " > ".join(names)


def symbol(name):
    """What a function of a call graph is called in a program."""
    return name.split(":")[-1]


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--json", action="store_true")
    parser.add_argument("--sources", default="src")
    parser.add_argument("--headers", default="include")
    parser.add_argument("--linked")
    parser.add_argument("graphs", nargs="+")
    given = parser.parse_args()
    frames, calls = read(given.graphs)
    if given.linked is not None:
        with open(given.linked, encoding="utf-8") as file:
            linked = set(file.read().split())
        frames = {name: frame for name, frame in frames.items() if symbol(name) in linked}
    if "ys_host_run" not in frames:
        fail("these are not the call graphs of the host")
    resolved = resolve(frames, calls, tables(given.sources, given.headers), given.linked is not None)
    called = set().union(*resolved.values())
    lost = [name for name in frames if ":" in name and name not in called]
    if lost and given.linked is None:
        fail("nothing calls this, so INDIRECT must lack it: " + ", ".join(lost))
    done = depths(frames, resolved)
    deepest, outside = done["ys_host_run"]
    others = {name: done[name][0] for name in public(given.headers) & done.keys() if name != "ys_host_run"}
    other = max(others, key=others.get)
    in_interrupt = max((done[name][0] for name in IN_INTERRUPT if name in done), default=0)
    if given.json:
        print(json.dumps({"run": deepest, "outside": outside, "other": others[other], "other_name": other,
                          "interrupt": in_interrupt}))
        return
    print(f"stack of ys_host_run         {deepest:8d} bytes: {way('ys_host_run', resolved, done)}")
    print(f"  where the firmware's functions are called, at most {outside}")
    print(f"stack of any other call      {others[other]:8d} bytes: {way(other, resolved, done)}")
    print(f"stack in an interrupt        {in_interrupt:8d} bytes")


main()
