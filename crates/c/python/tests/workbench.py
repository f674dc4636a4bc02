"""The program, as the tests run it."""

import csv
import json
import os
import re
import socket
import subprocess
import time
from dataclasses import dataclass

GTRIG = os.environ["GTRIG"]
MILLISECOND = 1_000_000
BUTTONS = ["south", "east", "west", "north"]


def reported(command, take, rig, *options, may_say_no=False):
    """The lines that a command prints of a take."""
    command = [GTRIG, command, "--json", *options, "--rig", rig, take]
    ran = subprocess.run(command, capture_output=True, text=True)
    assert ran.returncode in ([0, 1] if may_say_no else [0]), ran.stderr
    return [json.loads(line) for line in ran.stdout.splitlines()]


def written(folder, rig, lines):
    """The text of a rig and the lines of a take, as files."""
    paths = folder / "it.take.jsonl", folder / "it.toml"
    for path, text in zip(paths, ["\n".join(lines) + "\n", rig]):
        path.write_text(text)
    return paths


def later(take, nanos):
    """The same take so many nanoseconds later; what is there from the beginning stays there."""
    lines = [json.loads(line) for line in take.read_text().splitlines()]
    for line in lines:
        line |= {key: line[key] + nanos for key in ("t", "polled") if line.get(key)}
    path = take.with_name("later.take.jsonl")
    path.write_text("".join(json.dumps(line) + "\n" for line in lines))
    return path


def without_words(value):
    """What is told, but in words, which tell of instants."""
    if isinstance(value, list):
        return [without_words(part) for part in value]
    if not isinstance(value, dict):
        return value
    return {key: without_words(part) for key, part in value.items() if key != "words"}


def moved(value, by):
    """The same some ticks and nanoseconds later."""
    ticks, nanos = by
    # What is there from the beginning stays there.
    if isinstance(value, dict) and value.get("time_ns") == 0:
        return value
    if isinstance(value, list):
        return [moved(part, by) for part in value]
    if not isinstance(value, dict):
        return value
    more = {key: ticks for key in value if key == "tick" or key.endswith("_tick")}
    more |= {key: nanos for key in value if key.endswith("_ns")}
    return {
        key: part + more[key] if key in more and part is not None else moved(part, by)
        for key, part in value.items()
    }


def replayed(take, rig):
    """What ``gtrig replay`` says of every tick, by the number of the tick."""
    reports = reported("replay", take, rig, "--every-tick")
    return {report["tick"]: report for report in reports if "tick" in report}


def replayed_texts(folder, rig, lines):
    """The same of the text of a rig and the lines of a take."""
    return replayed(*written(folder, rig, lines))


def reports_of_texts(command, folder, rig, lines):
    """What another command says of them."""
    return reported(command, *written(folder, rig, lines))


def table(folder, name):
    """The rows of a table that ``gtrig convert --as csv`` wrote, by the names of its columns."""
    with (folder / f"{name}.csv").open(newline="") as file:
        return list(csv.DictReader(file))


@dataclass
class Press:
    """A press of a button as a loop sees it, and its release, late for one that never comes."""

    time: int
    name: str
    release: int = 10**18
    # Whether no hand released it: its device went.
    is_forced: bool = False
    # Whether no hand pressed it: it was down when the recording began.
    is_carried: bool = False


def rig_of(hz, *tables):
    """The text of a rig with these lines, polled so often."""
    lines = [line for table in tables for line in table]
    return "\n".join(["rig = 1", "[sampling]", f"poll-hz = {hz}", *lines]) + "\n"


# What else the button of a pad may be called.
CALLED = ["{}", "pad/{}", "pad1/{}", "action/of-{}"]
OF_BUTTONS = [
    line
    for name in BUTTONS
    for line in (f"[action.of-{name}]", 'gives = "on"', f'from = "pad/{name}"')
]


def called(dice, table):
    """The lines of a combo, each of whose buttons is called by any of its names."""
    names = {name: dice.choice(CALLED).format(name) for name in BUTTONS}
    is_name = re.compile(rf"\b({'|'.join(BUTTONS)})\b")
    return [is_name.sub(lambda found: names[found[0]], line) for line in table]


def some_pads(*moved):
    """The lines of a take in which the buttons of pads move, for each pad: instant, name, and 1 or
    0. Without a name the pad is plugged in (1) or unplugged."""
    controls = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS)
    pads = range(1, len(moved) + 1)
    plugs = {n: f'"plug":"pad{n}","kind":"pad","controls":[{controls}]' for n in pads}
    yield '{"take":1}'
    for plug in plugs.values():
        yield f'{{"t":0,{plug}}}'
    moves = sorted((*move, n) for n, of_one in enumerate(moved, 1) for move in of_one)
    for time, name, value, n in moves:
        if name:
            yield f'{{"t":{time},"on":"pad{n}","c":"{name}","v":{value}}}'
        else:
            yield f'{{"t":{time},{plugs[n]}}}' if value else f'{{"t":{time},"unplug":"pad{n}"}}'
    yield f'{{"t":{moves[-1][0] + 3 * 10**9},"ends":true}}'


def a_glass(reports, contacts, ends, until, resolution=None):
    """The lines of a take in which contacts of a panel move: instant, contact, and a place or
    whether it is down. Of contact 0 it is whether the panel is plugged in. `ends` are the highest
    x and y."""
    of_panel = [(time, (0, contact), said) for time, contact, said in reports]
    return some_glasses(of_panel, contacts, [(ends, resolution)], until)


def some_glasses(reports, contacts, panels, until):
    """The same of several panels, of which each is its ends and its resolution: a contact is the
    number of a panel, from 0, and that of the contact."""
    glasses = [plug_of_glass(n, contacts, *panel) for n, panel in enumerate(panels, 1)]
    yield '{"take":1}'
    for glass in glasses:
        yield f'{{"t":0,{glass}}}'
    for time, (panel, n), said in reports:
        glass = f"glass{panel + 1}"
        if n == 0:
            yield (
                f'{{"t":{time},{glasses[panel]}}}' if said else f'{{"t":{time},"unplug":"{glass}"}}'
            )
            continue
        values = {"": int(said)} if isinstance(said, bool) else dict(zip(("-x", "-y"), said))
        for axis, value in values.items():
            yield f'{{"t":{time},"on":"{glass}","c":"contact-{n}{axis}","v":{value}}}'
    yield f'{{"t":{until},"ends":true}}'


def merged(*takes):
    """The lines of several takes as one, in order of time."""
    lines = [(json.loads(line), line) for take in takes for line in take]
    timed = [(said["t"], line) for said, line in lines if "t" in said and "ends" not in said]
    _, last = max((said["t"], line) for said, line in lines if "ends" in said)
    yield '{"take":1}'
    yield from (line for _, line in sorted(timed, key=lambda one: one[0]))
    yield last


def on_picture(degrees, place, ends):
    """Where a place of a panel is on the picture, when the panel is turned."""
    (x, y), (width, height) = place, ends
    return {0: (x, y), 90: (height - y, x), 180: (width - x, height - y), 270: (y, width - x)}[
        degrees
    ]


def plug_of_glass(number, contacts, ends, resolution):
    """What a line says that plugs a panel in."""
    per_mm = f',"resolution":{resolution}' if resolution else ""
    controls = []
    for n in range(1, contacts + 1):
        controls.append(f'{{"code":"contact-{n}","kind":"button"}}')
        for axis, end in zip("xy", ends):
            place = f'"kind":"position","min":0,"max":{end}{per_mm}'
            controls.append(f'{{"code":"contact-{n}-{axis}",{place}}}')
    return f'"plug":"glass{number}","kind":"glass","controls":[{",".join(controls)}]'


def polled(moved, hz, carried=()):
    """The presses that a loop sees: what goes back between two polls is lost."""
    states, moved_at, forced_at = dict.fromkeys(carried, 1), {}, None
    down = {name: Press(0, name, is_carried=True) for name in carried}
    before, seen = dict(states), list(down.values())
    events = list(moved)
    for tick in range(events[-1][0] * hz // 10**9 + 2):
        while events and events[0][0] <= tick * 10**9 // hz:
            time, name, value = events.pop(0)
            if name:
                states[name], moved_at[name] = value, time
            elif not value:
                for held in [held for held, value in states.items() if value]:
                    states[held], moved_at[held] = 0, time
                forced_at = time
        for name, value in states.items():
            if value and not before.get(name):
                down[name] = Press(moved_at[name], name)
                seen.append(down[name])
            elif before.get(name) and not value:
                down[name].release = moved_at[name]
                down[name].is_forced = moved_at[name] == forced_at
        before = dict(states)
    return sorted(seen, key=lambda press: press.time)


def connected(path, process):
    """A connection to the program, once it listens."""
    until = time.monotonic() + 20
    while True:
        stream = socket.socket(socket.AF_UNIX)
        try:
            stream.connect(str(path))
            return stream
        except OSError:
            stream.close()
            assert time.monotonic() < until and process.poll() is None
            time.sleep(0.01)


def send(rng, stream, lines):
    """Sends lines, or texts of lines, in pieces of any length."""
    texts = (line if isinstance(line, str) else json.dumps(line) for line in lines)
    data = "".join(text + rng.choice(["\n", "\r\n", "\n\n"]) for text in texts).encode()
    while data:
        length = rng.choice([1, 7, len(data), len(data)])
        stream.sendall(data[:length])
        data = data[length:]
