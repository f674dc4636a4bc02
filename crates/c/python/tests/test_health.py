"""How well reports came, written a second time from docs/reports.md alone, and held against the
program over random streams."""

import json
import random
import struct
import subprocess
from dataclasses import dataclass, field

import pytest
from workbench import GTRIG, written

AXES = {"stick-l-x": (-100, 100), "stick-l-y": (0, 255), "trigger-l": (0, 1023)}
PLUG = '"plug":"pad{}","kind":"pad","controls":[{}]'
CONTROLS = [
    '{"code":"south","kind":"button"}',
    '{"code":"stick-l-x","kind":"axis","min":-100,"centre":0,"max":100}',
    '{"code":"stick-l-y","kind":"axis","min":0,"centre":128,"max":255}',
    '{"code":"trigger-l","kind":"trigger","min":0,"max":1023}',
]


def single(number):
    """A number as 32 bits hold it."""
    return struct.unpack("f", struct.pack("f", number))[0]


@dataclass
class Device:
    """What is known of a device."""

    values: dict = field(default_factory=lambda: {"stick-l-x": 0, "stick-l-y": 128, "trigger-l": 0})
    # How far each control moved when it was last reported, and when that was.
    steps: dict = field(default_factory=dict)
    at: dict = field(default_factory=dict)
    events: int = 0
    reports: list = field(default_factory=list)
    intervals: list = field(default_factory=list)
    longest: tuple = None
    # The last report while it could be heard, and the reports that are close to each other.
    before: int = None
    close: list = field(default_factory=list)
    usual: int = None
    is_steady: bool = False
    worked_out_at: int = 0
    # As of before the newest interval.
    judged_by: int = None
    interval: int = 0
    jumps: list = field(default_factory=lambda: [None, None])


def in_classes(length):
    """The middle of the class of an interval."""
    if length < 32:
        return length
    width = 2 ** (length.bit_length() - 6)
    return length // width * width + width // 2


def share_of(intervals, share):
    """The interval that a share of all does not exceed."""
    ranked = sorted(intervals)
    rank = max(1, -(-len(ranked) * share[0] // share[1]))
    return min(in_classes(ranked[rank - 1]), ranked[-1])


class Watch:
    """Follows the values of all devices."""

    def __init__(self, devices):
        self.devices = {name: Device() for name in devices}
        self.troubles = []

    def tell(self, name, kind, begins, ends, count, control=None, jump=None):
        self.troubles.append([begins, kind, name, control, ends, count, jump])

    def add(self, name, kind, begins, ends, control=None, count=1):
        """One more of those that have an end in common."""
        same = (kind, name, control, ends)
        for trouble in reversed(self.troubles):
            if tuple(trouble[1:5]) == same:
                trouble[5] += 1
                return
        self.tell(name, kind, begins, ends, count, control)

    def goes(self, name):
        self.ends_burst(name)
        self.devices[name].before = None

    def ends_burst(self, name):
        close = self.devices[name].close
        if len(close) >= 5:
            self.tell(name, "burst", close[0], close[-1], len(close))
        self.devices[name].close = []

    def value(self, name, code, value, time, marks):
        device = self.devices[name]
        if "carried" in marks:
            device.values[code] = value
            return
        device.events += 1
        if not device.reports or device.reports[-1] != time:
            self.report(name, time)
        if "disordered" in marks:
            self.add(name, "backwards", time, time)
        elif "late" in marks:
            self.add(name, "late", time, time)
        if "resynced" in marks:
            self.add(name, "overrun", time - device.interval, time)
        if device.at.get(code) == time and not {"late", "resynced", "repeat"} & set(marks):
            self.add(name, "twice", time, time, f"{name}/{code}", 2)
        self.move(device, code, value, time, marks)

    def report(self, name, time):
        device = self.devices[name]
        self.decide(name)
        device.jumps = [None, device.jumps[0]]
        before, device.before = device.before, time
        interval = time - before if before is not None and before < time else None
        device.judged_by, is_steady = device.usual, device.is_steady
        if interval and device.usual and interval * 8 < device.usual:
            device.close.append(time)
        else:
            self.ends_burst(name)
            device.close = [time]
        device.reports.append(time)
        device.interval = interval or 0
        if not interval:
            return
        self.count(device, before, interval)
        if is_steady and interval > 8 * device.judged_by:
            self.tell(name, "stall", before, time, missing(interval, device.judged_by))

    def count(self, device, begins, interval):
        device.intervals.append(interval)
        if device.longest is None or device.longest[1] < interval:
            device.longest = begins, interval
        if len(device.intervals) >= max(64, device.worked_out_at):
            number = len(device.intervals)
            device.worked_out_at = number + max(64, number // 16)
            median = share_of(device.intervals, (1, 2))
            nearly_all = share_of(device.intervals, (999, 1000))
            device.is_steady = number >= 1000 and nearly_all <= 2 * median
            device.usual = max(1, median)

    def move(self, device, code, value, time, marks):
        low, high = AXES.get(code, (0, 0))
        off = abs(value - device.values.get(code, 0))
        step = single(off / (high - low)) if high > low else 0.0
        before, device.steps[code] = device.steps.get(code, 0.0), step
        device.values[code], device.at[code] = value, time
        if device.judged_by is None or {"late", "resynced"} & set(marks):
            return
        is_first = device.jumps[0] is None or device.jumps[0][1] < step
        if device.interval > 4 * device.judged_by and step >= single(0.1) and is_first:
            device.jumps[0] = code, step, before, time - device.interval, time, device.judged_by

    def decide(self, name):
        """The report after a jump is known, or there is none."""
        device = self.devices[name]
        jump, device.jumps[1] = device.jumps[1], None
        if jump is None:
            return
        code, step, before, begins, ends, usual = jump
        after = device.steps[code] if device.at[code] > ends else 0.0
        is_stall = any(t[1:3] == ["stall", name] and t[4] == ends for t in self.troubles)
        if step >= single(3 * max(before, after)) and not is_stall:
            count = missing(ends - begins, usual)
            self.tell(name, "gap", begins, ends, count, f"{name}/{code}", step)

    def finish(self):
        for name, device in self.devices.items():
            self.decide(name)
            device.jumps.reverse()
            self.decide(name)
            self.ends_burst(name)
        self.troubles.sort(key=lambda trouble: trouble[0])


def missing(interval, usual):
    return max(0, (interval + usual // 2) // usual - 1)


class Hand:
    """What moves the axes of a pad."""

    def __init__(self, dice, pad):
        self.dice, self.pad, self.time, self.is_there = dice, pad, 1_000_000, True
        self.values, self.moved = Device().values, []

    def report(self, pause, far=None, marks=(), count=1):
        """A report after a pause; of an axis that goes a ninth or so of its travel, or a bit."""
        self.time += pause
        for _ in range(count):
            code = self.dice.choice(list(AXES))
            low, high = AXES[code]
            step = (high - low) // far if far else 1
            value = self.values[code] + self.dice.choice([-step, step])
            self.values[code] = min(high, max(low, value))
            self.moved.append((self.time, self.pad, code, self.values[code], list(marks)))

    def comes_or_goes(self, pause):
        self.time += pause
        self.is_there = not self.is_there
        self.moved.append((self.time, self.pad, None, self.is_there, []))


def something(dice, hand, base):
    """Something that may be a trouble, or nearly one."""
    kind = dice.choice(["burst", "pause", "jump", "jumps", "marks", "presence"])
    if kind == "burst":
        for _ in range(dice.randint(3, 9)):
            pause = int(base * dice.choice([0.01, 0.1, 0.12, 0.13]))
            hand.report(pause, count=dice.choice([1, 1, 2]))
    elif kind == "pause":
        hand.report(int(base * dice.choice([3.9, 4.1, 7.8, 8.3, 30])))
    elif kind in ("jump", "jumps"):
        pause = int(base * dice.choice([3.9, 4.2, 6, 9]))
        hand.report(pause, dice.choice([1, 2, 5, 9, 10, 11]), count=dice.choice([1, 3]))
        then = dice.choice([None, 30, 5]) if kind == "jumps" else None
        hand.report(base * dice.choice([1, 6]), then)
    elif kind == "marks":
        marks = dice.choice([["late"], ["resynced"], ["repeat"], ["late", "resynced"]])
        far, count = dice.choice([None, 3]), dice.choice([1, 2, 6])
        hand.report(base * dice.choice([1, 6]), far, marks, count)
    else:
        hand.comes_or_goes(dice.choice([1, base]))
        hand.comes_or_goes(dice.choice([1, base, 20 * base]))


def a_stream(dice, pads):
    """Values, in order: time, pad, code, value, marks. Without a code the pad goes or comes."""
    moved = []
    base = dice.choice([1, 4, 8]) * 1_000_000
    jitter = dice.choice([0, 100, base // 5])
    for pad in pads:
        hand, wild = Hand(dice, pad), dice.choice([0, 0.02, 0.1])
        for _ in range(dice.choice([30, 66, 200, 1300, 1300])):
            hand.report(base + dice.randint(-jitter, jitter), count=dice.choice([1, 1, 2]))
            if dice.random() < wild:
                something(dice, hand, base)
        for n in range(dice.randint(0, 3)):
            if n == 0 and not wild:
                hand.report(int(base * dice.choice([7.8, 8.3, 30])), dice.choice([None, 2]))
            something(dice, hand, base)
        moved += hand.moved
    moved.sort(key=lambda one: one[0])
    return moved


def lines_of(moved, pads, dice):
    """The lines of a take. Some have a time before that of the line above."""
    plugs = {pad: PLUG.format(pad, ",".join(CONTROLS)) for pad in pads}
    yield '{"take":1}'
    for plug in plugs.values():
        yield f'{{"t":0,{plug}}}'
    for time, pad, code, value, marks in moved:
        if code is None:
            yield f'{{"t":{time},{plugs[pad]}}}' if value else f'{{"t":{time},"unplug":"pad{pad}"}}'
            continue
        mark = f',"mark":"{"+".join(m for m in marks if m != "disordered")}"' if marks else ""
        back = dice.randint(1, 999) if "disordered" in marks else 0
        yield f'{{"t":{time - back},"on":"pad{pad}","c":"{code}","v":{value}{mark}}}'


def disordered(moved, dice):
    """Some of the lines go back, behind one that has their time."""
    before = None
    for time, pad, code, value, marks in moved:
        if before == time and code and not marks and dice.random() < 0.3:
            marks = ["late", "disordered"]
        before = time
        yield time, pad, code, value, marks


@pytest.mark.parametrize("seed", range(120))
def test_what_is_wrong_with_a_stream_is_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    pads = [1, 2][: dice.choice([1, 1, 2])]
    moved = list(disordered(a_stream(dice, pads), dice))
    take, rig = written(tmp_path, "rig = 1\n", list(lines_of(moved, pads, dice)))
    command = [GTRIG, "health", "--json", "--rig", rig, take]
    # A take whose lines go back is not sound, which the command says by its exit code.
    said = json.loads(subprocess.run(command, capture_output=True, text=True).stdout)
    watch = Watch([f"pad{pad}" for pad in pads])
    for time, pad, code, value, marks in moved:
        if code is None:
            watch.goes(f"pad{pad}")
        else:
            watch.value(f"pad{pad}", code, value, time, marks)
    watch.finish()
    keys = ["from_ns", "kind", "device", "control", "to_ns", "count", "jump"]
    told = [[trouble.get(key) for key in keys] for trouble in said["troubles"]]
    for trouble in told:
        trouble[6] = trouble[6] and single(trouble[6])
    assert told == watch.troubles
    for of in said["devices"]:
        device = watch.devices[of["device"]]
        assert (of["events"], of["reports"]) == (device.events, len(device.reports))
        if not device.intervals:
            assert of["interval_ms"] is None
            continue
        shares = {"median": (1, 2), "p95": (95, 100), "p99": (99, 100), "longest": (1, 1)}
        asked = {key: share_of(device.intervals, share) for key, share in shares.items()}
        asked["longest"] = max(device.intervals)
        assert of["interval_ms"] == {key: ns / 1e6 for key, ns in asked.items()}
        assert of["longest_from_ns"] == device.longest[0]
