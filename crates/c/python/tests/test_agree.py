"""What a game gave in its frames held against the rig, written a second time from docs/reports.md,
docs/rig-format.md and docs/take-format.md alone, over random hands, polls and mistakes."""

import json
import math
import random
from dataclasses import dataclass
from itertools import pairwise

import pytest
from workbench import MILLISECOND, merged, reported, rig_of, written

BUTTONS = ["south", "east"]
AXIS, FAR = "stick-l-x", 1000
AXES = [AXIS, "stick-l-y"]
HZ = 60
RIG = [
    "[action.horn]", 'gives = "on"', 'from = "pad/south"',
    "[action.light]", 'gives = "toggle"', 'from = "pad/east"',
    "[action.slew]", 'gives = "axis"', f'from = {{ axis = "pad/{AXIS}" }}',
    "[action.brake]", 'gives = "pulse"', 'from = "pad/east"',
    "[action.look]", 'gives = "plane"', 'from = { stick = "pad/stick-l" }',
    "[action.swing]", 'gives = "axis"', 'closed-while = "horn"', f'from = {{ axis = "pad/{AXIS}" }}',
    "[game]",
]
NAMES = """[game.names]
Horn = "horn"
Down = "horn.pressed"
Up = "horn.released"
Light = "light"
Slew = { is = "slew", times = 100 }
Way = { moves = "slew", times = 90 }
Brake = "brake"
LookX = "look.x"
LookY = { is = "look.y", times = -50 }
Swing = { is = "swing", times = 10 }
"""
COUNTS = ["Down", "Up", "Brake"]
# What one unit of an action is there.
TIMES = {"Slew": 100, "LookY": 50, "Swing": 10}


def hands(dice):
    """What the pad reports, in order of time; nothing before the second frame. A button that is
    down may say so again, with 2."""
    time = 100 * MILLISECOND
    states = dict.fromkeys(BUTTONS, 0)
    for _ in range(dice.randint(5, 60)):
        time += int(dice.uniform(1e6, dice.choice([8e6, 120e6])))
        name = dice.choice([*BUTTONS, *AXES])
        if name in AXES:
            yield time, name, dice.randint(-FAR, FAR)
        elif states[name] and dice.random() < 0.15:
            yield time, name, 2
        else:
            states[name] = 1 - states[name]
            yield time, name, states[name]


def read_as(name, value):
    """What a game reads of it."""
    return value if name in AXES else min(value, 1)


def a_pad(moved):
    button = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS)
    axes = ",".join(
        f'{{"code":"{name}","kind":"axis","min":{-FAR},"centre":0,"max":{FAR}}}' for name in AXES
    )
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{button},{axes}]}}'
    for time, name, value in moved:
        yield f'{{"t":{time},"on":"pad1","c":"{name}","v":{value}}}'
    yield f'{{"t":{moved[-1][0] + 10**9},"ends":true}}'


@dataclass
class Frame:
    """A frame of a game: its number, its poll, the steps it ran where the game has any, whether it
    follows the frame before at once, or is the first of a game that was started again, and the
    seconds since the one before polled."""

    number: int
    poll: int
    steps: int | None
    follows: bool
    is_again: bool
    seconds: float


def frames(dice, until):
    """Frames of which some are missing; and the game may be started again."""
    has_steps, may_jump = dice.random() < 0.4, dice.random() < 0.5
    number, now, before = dice.randint(0, 9), 20 * MILLISECOND, None
    while now < until:
        steps = dice.choice([0, 1, 1, 2]) if has_steps else None
        seconds = (now - before.poll) / 1e9 if before else 0
        follows = before is not None and number == before.number + 1
        is_again = before is not None and number <= before.number
        seconds = seconds if follows else 0
        yield (before := Frame(number, now, steps, follows, is_again, seconds))
        now += int(dice.choice([0, 1, 1, 1]) * dice.uniform(4e6, dice.choice([20e6, 60e6])))
        jumps = may_jump and dice.random() < 0.05
        number = number + dice.choice([2, 30]) if jumps else number + 1
        number = 0 if may_jump and dice.random() < 0.03 else number


def by_the_rig(moved, its_frames):
    """What the rig says of each frame, but for which way a toggle is turned; and which actions are
    on."""
    said = dict.fromkeys([*BUTTONS, *AXES], 0)
    events, light, waiting, last = list(moved), False, {}, 0
    for frame in its_frames:
        # Where frames are missing the rig polls at its own rate.
        ticks = range(last * HZ // 10**9, frame.poll * HZ // 10**9 + 1) if not frame.follows else []
        between = [n * 10**9 // HZ for n in ticks if last < n * 10**9 // HZ < frame.poll]
        for poll in [*between, frame.poll]:
            was = dict(said)
            while events and events[0][0] <= poll:
                _, name, value = events.pop(0)
                said[name] = read_as(name, value)
            light ^= said["east"] > was["east"]
        # No toggle is on in a game that begins.
        last, light = frame.poll, light and not frame.is_again
        counts = {
            "Down": int(said["south"] > was["south"]), "Up": int(said["south"] < was["south"]),
            "Brake": int(said["east"] > was["east"]),
        }
        on = {"horn": said["south"], "light": light, "brake": counts["Brake"]}
        # What happens in a frame without a step counts in the next one that runs any.
        for name, count in counts.items():
            waiting[name] = waiting.get(name, 0) + count
            counts[name] = 0 if frame.steps == 0 else waiting.pop(name)
        slew, up = said[AXIS] / FAR, said["stick-l-y"] / FAR
        long = max(1, math.hypot(slew, up))
        yield on, counts | {
            "Horn": said["south"], "Light": int(light),
            "Slew": slew * 100, "Way": slew * 90 * frame.seconds,
            "LookX": slew / long, "LookY": up / long * -50,
            "Swing": 0 if said["south"] else slew * 10,
        }


class Compared:
    """What is counted of one value."""

    def __init__(self, name):
        self.name, self.compared, self.differed, self.most = name, 0, 0, 0.0
        # Whether what happened may have happened in a frame that nobody knows; and whether the
        # game has said how a toggle is turned, and whether that is as the rig has it.
        self.may_wait, self.is_turn_known, self.is_turned = False, False, False

    def is_known(self, frame):
        waited = self.may_wait or not frame.follows
        self.may_wait = waited and frame.steps == 0
        if self.name in COUNTS:
            return not waited
        if self.name == "Way":
            return frame.follows and frame.seconds > 0
        return frame.steps != 0

    def hold(self, frame, ours, theirs, tolerance):
        """Whether it is compared in this frame."""
        if self.name == "Light":
            self.is_turn_known &= frame.follows
            if not self.is_turn_known and frame.steps != 0:
                self.is_turn_known, self.is_turned = True, bool(theirs) != bool(ours)
            ours ^= self.is_turned
        is_known = self.is_known(frame)
        if is_known:
            unit = 90 * frame.seconds if self.name == "Way" else TIMES.get(self.name, 1)
            off = abs(theirs - ours) / unit
            self.compared += 1
            self.differed += off > tolerance + 1e-6
            self.most = max(self.most, off)
        return is_known


def mistaken(dice, name, ours):
    """Something else than the rig says, by more than any tolerance."""
    if name in ("Horn", "Light"):
        return 1 - int(ours)
    return ours + (dice.choice([1, 2]) if name in COUNTS else dice.uniform(20, 100))


class Waited:
    """The presses that turned a value of the game on, and how long that took."""

    def __init__(self, action, button, is_count):
        self.action, self.button, self.is_count = action, button, is_count
        self.was_on, self.waiting, self.before = False, None, math.nan

    def hold(self, frame, place, is_on, theirs):
        """The place of the frame in which the rig turned it on, where the game does so now."""
        if not frame.follows:
            self.waiting = None
        elif is_on and not self.was_on:
            self.waiting = place
        turns_on = theirs > 0 and (self.is_count or self.before == 0)
        self.was_on, self.before = is_on, theirs
        if turns_on and self.waiting is not None:
            began, self.waiting = self.waiting, None
            return began
        return None


def delays(moved, its_frames, on, given, is_late):
    """From press to poll, from poll to value and from press to value, of each press."""
    values = {
        "Horn": Waited("horn", "south", False), "Light": Waited("light", "east", False),
        "Down": Waited("horn", "south", True), "Brake": Waited("brake", "east", True),
    }
    for place, frame in enumerate(its_frames):
        for name, value in values.items():
            began = value.hold(frame, place, on[place][value.action], given[place][name])
            if began is None:
                continue
            until = its_frames[began].poll
            pressed = max(t for t, code, v in moved if (code, v) == (value.button, 1) and t <= until)
            read = next(other.poll for other in its_frames if other.poll >= pressed)
            acted = frame.poll + is_late
            yield read - pressed, acted - read, acted - pressed


def told_of(times):
    """The median, the longest and what 95 % do not exceed, each by the nearest rank."""
    times = sorted(times)
    rank = lambda share: times[math.ceil(share * len(times)) - 1] / 1e6 if times else None
    return {"median": rank(0.5), "p95": rank(0.95), "longest": rank(1)}


@pytest.mark.parametrize("seed", range(150))
def test_a_game_agrees_where_it_gives_what_the_rig_says(seed, tmp_path):
    dice = random.Random(seed)
    moved, tolerance = list(hands(dice)), dice.choice([0.001, 0.01, 0.1])
    its_frames = list(frames(dice, moved[-1][0] + 50 * MILLISECOND))
    chance, is_late = dice.choice([0, 0.02, 0.3]), dice.choice([0, 3]) * MILLISECOND
    lines, given, held = ['{"take":1}'], {}, {}
    on, compared = [], []
    for frame, (is_on, ours) in zip(its_frames, by_the_rig(moved, its_frames)):
        gives = {
            name: mistaken(dice, name, value) if dice.random() < chance else value
            for name, value in ours.items()
        }
        on.append(is_on)
        compared.append({
            name: gives[name]
            if held.setdefault(name, Compared(name)).hold(frame, value, gives[name], tolerance)
            else math.nan
            for name, value in ours.items()
        })
        # What is as in the frame before may be left out.
        given = given if frame.follows else {}
        changed = {name: value for name, value in gives.items() if given.get(name) != value}
        changed |= {name: gives[name] for name in gives if dice.random() < 0.5}
        given = gives
        line = {"t": frame.poll + is_late, "frame": frame.number, "polled": frame.poll, "gives": changed}
        line |= {"steps": frame.steps} if frame.steps is not None else {}
        lines.append(json.dumps(line, separators=(",", ":")))
    rig = rig_of(HZ, RIG, [f"tolerance = {tolerance}", NAMES])
    pad = list(a_pad(moved))
    take, rig = written(tmp_path, rig, merged(pad[:-1], [*lines, pad[-1]]))
    (report,) = reported("agree", take, rig, may_say_no=True)
    jumps = [b.number - a.number - 1 for a, b in pairwise(its_frames)]
    asked = len(its_frames), sum(jump for jump in jumps if jump > 0), sum(jump < 0 for jump in jumps)
    assert (report["frames"], report["left_out"], report["restarts"]) == asked
    told = {value["name"]: value for value in report["values"]}
    for name, value in held.items():
        counts = told[name]["compared"], told[name]["differed"]
        assert counts == (value.compared, value.differed), name
        assert told[name]["most"] == pytest.approx(value.most, rel=1e-4, abs=1e-4), name
    taken = list(delays(moved, its_frames, on, compared, is_late))
    latency = report["latency"]
    assert latency["presses"] == len(taken)
    for key, times in zip(("to_poll_ms", "to_value_ms", "whole_ms"), zip(*taken)):
        assert latency[key] == pytest.approx(told_of(times), abs=1e-6), key
    between = [b[0] - a[0] for a, b in pairwise(moved) if 0 < b[0] - a[0] <= 100 * MILLISECOND]
    if taken and between:
        assert latency["report_ms"] == pytest.approx(told_of(between), abs=1e-6)
    is_any = any(value.compared for value in held.values())
    assert report["agrees"] == (is_any and not any(value.differed for value in held.values()))


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


@pytest.mark.parametrize("seed", range(150))
def test_what_a_game_read_of_devices_that_go(seed, tmp_path):
    dice = random.Random(seed)
    lines, said, heard = comings(dice)
    until = max(time for its in said.values() for time, _, _ in its)
    slack, its_frames = dice.choice([0, 1, 10]), list(frames(dice, until + 50 * MILLISECOND))
    off = dice.choice([0, 0, -1, 1]) * int(dice.uniform(0, dice.choice([1e6, 12e6, 80e6])))
    wrong, twice, silent = (dice.choice([0, 0, 0.03]) for _ in range(3))
    read = []
    for frame in its_frames:
        values = {name: [v for t, v, _ in its if t <= frame.poll + off] for name, its in said.items()}
        of_frame = {}
        for name, all_said in values.items():
            other = dice.choice(said[name])[1]
            first = other if dice.random() < wrong or not all_said else all_said[-1]
            of_frame[name] = first, other if dice.random() < twice else first
        read.append({name: both for name, both in of_frame.items() if dice.random() >= silent})
    games, known = ['{"take":1}'], list(known_reads(its_frames, read))
    for frame, its, known_of_it in zip(its_frames, read, known):
        of_devices, gives = {}, {}
        # What it gives is what the rig makes of what it read.
        if "pad1/south" in known_of_it:
            gives["horn"] = known_of_it["pad1/south"][0]
        for name, (first, second) in its.items():
            device, code = name.split("/")
            both = first if first == second else [first, second]
            of_devices.setdefault(device, {})[code] = both
        # A game may poll more than once in a frame: the first of these counts.
        polled = dice.choice([frame.poll, [frame.poll, frame.poll + dice.randint(0, 5 * MILLISECOND)]])
        line = {"t": frame.poll + 5 * MILLISECOND, "frame": frame.number, "polled": polled, "read": of_devices}
        line |= {"gives": gives} if gives else {}
        line |= {"steps": frame.steps} if frame.steps is not None else {}
        games.append(json.dumps(line, separators=(",", ":")))
    take, rig = written(tmp_path, rig_of(HZ, RIG, [f"slack-ms = {slack}"]), merged(lines[:-1], [*games, lines[-1]]))
    (report,) = reported("agree", take, rig, may_say_no=True)
    said = dict(come_before(said, its_frames, known))
    otherwise, slack = list(read_otherwise(said, its_frames, read)), slack * MILLISECOND
    holds_of_reads(report, together(otherwise, slack), its_frames)
    horn, close = horns(said["pad1/south"], heard["pad1"], its_frames, known, otherwise, slack)
    assert [(place["from_ns"], place["to_ns"], place["kind"]) for place in report["differences"]] == horn
    assert report["close"] == close + sum(is_close(one["late"], slack) for one in otherwise)
