"""What a game read in its frames held against what its devices had said, written a second time
from docs/reports.md and docs/take-format.md alone, also of devices that come, go and fall silent."""

import json
import random

import pytest
from games import AXIS, FAR, HZ, RIG, a_pad, frames, hands, read_as
from workbench import MILLISECOND, merged, reported, rig_of, written


def read_by(dice, moved, its_frames):
    """What a game reads in each frame, which reads late, early, something else, or twice: of each
    control at its first and its last poll, and nothing of some."""
    off = dice.choice([0, 0, -1, 1]) * int(dice.uniform(0, dice.choice([1e6, 12e6, 80e6])))
    wrong, twice, silent = (dice.choice([0, 0, 0.03]) for _ in range(3))
    for frame in its_frames:
        states = dict.fromkeys(["south", AXIS], 0)
        for time, name, value in moved:
            if name in states and time <= frame.poll + off:
                states[name] = read_as(name, value)
        read = {}
        for name, value in states.items():
            other = 1 - value if name == "south" else dice.randint(-FAR, FAR)
            first = other if dice.random() < wrong else value
            read[name] = first, other if dice.random() < twice else first
        yield {name: both for name, both in read.items() if dice.random() >= silent}


def ages(said, poll, value):
    """For how long something else had been said that was not read; and how long before it was said
    this was read."""
    before = [n for n, (time, _) in enumerate(said) if time <= poll]
    same = [n for n in before if said[n][1] == value]
    old = poll - said[same[-1] + 1][0] if same else None
    soon = [time for time, other in said[len(before):] if other == value and time <= poll + 10**9]
    return old, soon[0] - poll if soon else None


def known_reads(its_frames, read):
    """What is known of each frame of what was read."""
    known = {}
    for frame, its in zip(its_frames, read):
        # What is left out is as at the last poll of the frame before.
        known = {name: (both[1],) * 2 for name, both in known.items()} if frame.follows else {}
        known |= its
        yield known


def read_otherwise(said, its_frames, read):
    """The frames in which a control was read otherwise. `said` is what each control said and when,
    with its rest at first."""
    found, sums = [], [0, 0]
    for place, (frame, known) in enumerate(zip(its_frames, known_reads(its_frames, read))):
        for name in said:
            if name not in known:
                continue
            last = [value for time, value in said[name] if time <= frame.poll][-1]
            first, second = known[name]
            if first == second == last:
                continue
            its = ages(said[name], frame.poll, first) if first == second else (None, None)
            found.append((place, name, last, [first, second], its))
            sums = [total + min(10**9, 10**9 if age is None else age) for total, age in zip(sums, its)]
    for place, name, last, both, (old, ahead) in found:
        kinds = [("read-old", old), ("read-ahead", ahead)]
        kinds = kinds if sums[0] <= sums[1] else kinds[::-1]
        kind, late = next((it for it in kinds if it[1] is not None), ("read-other", None))
        kind = "read-twice" if both[0] != both[1] else kind
        yield {
            "name": name, "kind": kind, "first": place, "last": place, "said": last, "read": both,
            "late": late,
        }


def is_close(late, slack):
    return late is not None and late <= slack


def together(otherwise, slack):
    """The places at which a control was read otherwise by more than the slack."""
    runs = []
    for one in otherwise:
        if is_close(one["late"], slack):
            continue
        run = next((run for run in reversed(runs) if run["name"] == one["name"]), None)
        if run and run["kind"] == one["kind"] and run["last"] == one["first"] - 1:
            run["last"] = one["last"]
            run["late"] = None if one["late"] is None else max(run["late"], one["late"])
        else:
            runs.append(dict(one))
    return runs


@pytest.mark.parametrize("seed", range(150))
def test_what_a_game_read_otherwise_is_told(seed, tmp_path):
    dice = random.Random(seed)
    moved, slack = list(hands(dice)), dice.choice([0, 1, 10])
    its_frames = list(frames(dice, moved[-1][0] + 50 * MILLISECOND))
    read = list(read_by(dice, moved, its_frames))
    lines = ['{"take":1}']
    for frame, both in zip(its_frames, read):
        of_pad = {name: list(two) if two[0] != two[1] else two[0] for name, two in both.items()}
        line = {"t": frame.poll, "frame": frame.number, "read": {"pad1": of_pad}}
        lines.append(json.dumps(line, separators=(",", ":")))
    pad = list(a_pad(moved))
    rig = rig_of(HZ, RIG, [f"slack-ms = {slack}"])
    take, rig = written(tmp_path, rig, merged(pad[:-1], [*lines, pad[-1]]))
    (report,) = reported("agree", take, rig, may_say_no=True)
    rested = lambda code: [(0, 0)] + [(t, read_as(code, v)) for t, name, v in moved if name == code]
    said = {f"pad1/{name}": rested(name) for name in ("south", AXIS)}
    read = [{f"pad1/{name}": both for name, both in its.items()} for its in read]
    otherwise = list(read_otherwise(said, its_frames, read))
    holds_of_reads(report, together(otherwise, slack * MILLISECOND), its_frames)
    assert report["close"] == sum(is_close(one["late"], slack * MILLISECOND) for one in otherwise)


def holds_of_reads(report, runs, its_frames):
    """The report tells of these, and of nothing else that was read."""
    assert len(report["reads"]) == len(runs)
    for told, run in zip(report["reads"], runs):
        ends = its_frames[run["first"]], its_frames[run["last"]]
        assert (told["control"], told["kind"]) == (run["name"], run["kind"])
        assert (told["from_frame"], told["to_frame"]) == tuple(frame.number for frame in ends)
        assert (told["from_ns"], told["to_ns"]) == tuple(frame.poll for frame in ends)
        assert told["frames"] == run["last"] - run["first"] + 1
        assert (told["said"], told["read"]) == (run["said"], run["read"])
        late = None if run["late"] is None else pytest.approx(run["late"] / 1e6, abs=1e-6)
        assert told.get("late_ms") == late


# What each device has: the code of a control, its kind, its rest, and its other end.
DEVICES = {
    "pad1": ("pad", [("south", "button", 0, 1), ("stick-l-x", "axis", 0, FAR)]),
    "pad2": ("pad", [("east", "button", 0, 3), ("trigger-r", "trigger", 255, 0)]),
    "keys": ("keys", [("KeyA", "button", 0, 1)]),
}


def plug_of(name):
    kind, controls = DEVICES[name]
    ends = {
        "button": lambda rest, far: "",
        "axis": lambda rest, far: f',"min":{-far},"centre":{rest},"max":{far}',
        "trigger": lambda rest, far: f',"min":{rest},"max":{far}',
    }
    said = ",".join(
        f'{{"code":"{code}","kind":"{its}"{ends[its](rest, far)}}}' for code, its, rest, far in controls
    )
    return f'"plug":"{name}","kind":"{kind}","controls":[{said}]'


def comings(dice):
    """The lines of devices that move, go, come and fall silent; what each control said with that,
    as instant, value, and whether it came late; and from when on each device was heard, or not.
    Buttons are 0 or 1."""
    here, deaf = set(), set()
    rests = {(name, code): rest for name, (_, its) in DEVICES.items() for code, _, rest, _ in its}
    said = {f"{name}/{code}": [(0, rest, False)] for (name, code), rest in rests.items()}
    lines, time = ['{"take":1}'], 0
    heard = {name: [(0, True)] for name in DEVICES}

    def rests_on(name):
        heard[name].append((time, name in here and name not in deaf))
        for other, code in rests:
            if other == name:
                said[f"{name}/{code}"].append((time, rests[name, code], False))

    for name in DEVICES:
        lines.append(f'{{"t":0,{plug_of(name)}}}')
        here.add(name)
    time = 100 * MILLISECOND
    for _ in range(dice.randint(5, 70)):
        time += int(dice.choice([0, 1, 1, 1]) * dice.uniform(1e6, dice.choice([8e6, 120e6])))
        name = dice.choice(list(DEVICES))
        what = dice.choice(["move"] * 8 + ["deaf", "plug"])
        if what == "plug" and name in here:
            here.discard(name)
            deaf.discard(name)
            lines.append(f'{{"t":{time},"unplug":"{name}"}}')
            rests_on(name)
        elif what == "plug":
            here.add(name)
            lines.append(f'{{"t":{time},{plug_of(name)}}}')
            rests_on(name)
        elif name not in here:
            continue
        elif what == "deaf":
            lines.append(f'{{"t":{time},"{"heard" if name in deaf else "deaf"}":"{name}"}}')
            deaf ^= {name}
            rests_on(name)
        else:
            code, kind, rest, far = dice.choice(DEVICES[name][1])
            value = dice.choice([0, far]) if kind == "button" else dice.randint(-20, abs(rest - far) + 20)
            mark = dice.choice(["", "", "", "late", "late", "repeat"])
            told = f',"mark":"{mark}"' if mark else ""
            lines.append(f'{{"t":{time},"on":"{name}","c":"{code}","v":{value}{told}}}')
            if name not in deaf and mark != "repeat":
                value = int(value > 0) if kind == "button" else value
                said[f"{name}/{code}"].append((time, value, mark == "late"))
    lines.append(f'{{"t":{time + 10**9},"ends":true}}')
    return lines, said, heard


def come_before(said, its_frames, known):
    """The same with what came late where a frame is known to have read it first."""
    for name, of_control in said.items():
        its, (before, last) = [], of_control[0][:2]
        for time, value, is_late in of_control:
            polls = [
                frame.poll for frame, read in zip(its_frames, known)
                if before <= frame.poll < time and name in read and read[name][0] == value
            ]
            is_known = not is_late or last != value and polls
            its.append((polls[0] if is_late and is_known else time, value))
            # Of several that came late together a frame may have read only the last.
            before, last = its[-1] if is_known else (before, last)
        for n in reversed(range(len(its) - 1)):
            its[n] = min(its[n][0], its[n + 1][0]), its[n][1]
        yield name, its


def horns(said, heard, its_frames, known, otherwise, slack):
    """The places at which the horn differs, and why, for a game that gives what it read; and how
    many others are so by no more than the slack."""
    at = lambda of, time: [value for begins, value in of if begins <= time][-1]
    places, is_open = [], False
    for place, (frame, read) in enumerate(zip(its_frames, known)):
        is_open = is_open and frame.follows
        if "pad1/south" not in read or frame.steps == 0:
            continue
        differs = read["pad1/south"][0] != at(said, frame.poll)
        if differs and is_open:
            places[-1][1] = place
        elif differs:
            places.append([place, place])
        is_open = differs
    told, close = [], 0
    for first, last in places:
        near = [one for one in otherwise if one["name"] == "pad1/south" and first - 1 <= one["first"] <= last]
        worst = max(near, key=lambda one: (-1 if one["late"] is None else one["late"], one["first"] == first))
        is_heard = all(at(heard, its_frames[place].poll) for place in range(first, last + 1))
        if is_heard and is_close(worst["late"], slack):
            close += 1
        else:
            ends = its_frames[first].poll, its_frames[last].poll
            told.append((*ends, worst["kind"] if is_heard else "unheard"))
    return told, close


def read_off(dice, said, its_frames):
    """What a game reads in each frame of all controls, late, early, something else or twice, and
    nothing of some."""
    off = dice.choice([0, 0, -1, 1]) * int(dice.uniform(0, dice.choice([1e6, 12e6, 80e6])))
    wrong, twice, silent = (dice.choice([0, 0, 0.03]) for _ in range(3))
    for frame in its_frames:
        read = {}
        for name, its in said.items():
            until = [value for time, value, _ in its if time <= frame.poll + off]
            other = dice.choice(its)[1]
            first = other if dice.random() < wrong or not until else until[-1]
            read[name] = first, other if dice.random() < twice else first
        yield {name: both for name, both in read.items() if dice.random() >= silent}


def frame_line(dice, frame, read, known):
    """The line of a frame with what was read in it. What the game gives of the horn is what the rig
    makes of what is known to have been read."""
    devices = {}
    for name, (first, second) in read.items():
        device, code = name.split("/")
        devices.setdefault(device, {})[code] = first if first == second else [first, second]
    # A game may poll more than once in a frame: the first of these counts.
    last = frame.poll + dice.randint(0, 5 * MILLISECOND)
    line = {
        "t": frame.poll + 5 * MILLISECOND, "frame": frame.number,
        "polled": dice.choice([frame.poll, [frame.poll, last]]), "read": devices,
    }
    line |= {"gives": {"horn": known["pad1/south"][0]}} if "pad1/south" in known else {}
    line |= {"steps": frame.steps} if frame.steps is not None else {}
    return json.dumps(line, separators=(",", ":"))


@pytest.mark.parametrize("seed", range(150))
def test_what_a_game_read_of_devices_that_go(seed, tmp_path):
    dice = random.Random(seed)
    lines, said, heard = comings(dice)
    until = max(time for its in said.values() for time, _, _ in its)
    slack, its_frames = dice.choice([0, 1, 10]), list(frames(dice, until + 50 * MILLISECOND))
    read = list(read_off(dice, said, its_frames))
    known = list(known_reads(its_frames, read))
    of_game = [frame_line(dice, *one) for one in zip(its_frames, read, known)]
    rig = rig_of(HZ, RIG, [f"slack-ms = {slack}"])
    take, rig = written(tmp_path, rig, merged(lines[:-1], ['{"take":1}', *of_game, lines[-1]]))
    (report,) = reported("agree", take, rig, may_say_no=True)
    said = dict(come_before(said, its_frames, known))
    otherwise, slack = list(read_otherwise(said, its_frames, read)), slack * MILLISECOND
    holds_of_reads(report, together(otherwise, slack), its_frames)
    horn, close = horns(said["pad1/south"], heard["pad1"], its_frames, known, otherwise, slack)
    assert [(place["from_ns"], place["to_ns"], place["kind"]) for place in report["differences"]] == horn
    assert report["close"] == close + sum(is_close(one["late"], slack) for one in otherwise)
