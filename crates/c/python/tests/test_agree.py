"""What a game gave in its frames held against the rig, written a second time from docs/reports.md,
docs/rig-format.md and docs/take-format.md alone, over random hands, polls and mistakes."""

import json
import math
import random
from itertools import pairwise

import pytest
from games import AXES, AXIS, BUTTONS, FAR, HZ, RIG, Known, a_pad, frames, hands, polls_of, read_as
from workbench import MILLISECOND, merged, reported, rig_of, written

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


def by_the_rig(moved, its_frames):
    """What the rig says of each frame, but for which way a toggle is turned; and which actions are
    on."""
    said = dict.fromkeys([*BUTTONS, *AXES], 0)
    events, light, waiting = list(moved), False, {}
    for poll, frame in polls_of(its_frames):
        was = dict(said)
        while events and events[0][0] <= poll:
            _, name, value = events.pop(0)
            said[name] = read_as(name, value)
        light ^= said["east"] > was["east"]
        if frame is None:
            continue
        # No toggle is on in a game that begins.
        light = light and not frame.is_again
        counts = {
            "Down": int(said["south"] > was["south"]),
            "Up": int(said["south"] < was["south"]),
            "Brake": int(said["east"] > was["east"]),
        }
        on = {"horn": said["south"], "light": light, "brake": counts["Brake"]}
        # What happens in a frame without a step counts in the next one that runs any.
        for name, count in counts.items():
            waiting[name] = waiting.get(name, 0) + count
            counts[name] = 0 if frame.steps == 0 else waiting.pop(name)
        slew, up = said[AXIS] / FAR, said["stick-l-y"] / FAR
        long = max(1, math.hypot(slew, up))
        yield (
            on,
            counts
            | {
                "Horn": said["south"],
                "Light": int(light),
                "Slew": slew * 100,
                "Way": slew * 90 * frame.seconds,
                "LookX": slew / long,
                "LookY": up / long * -50,
                "Swing": 0 if said["south"] else slew * 10,
            },
        )


class Compared:
    """What is counted of one value."""

    def __init__(self, name):
        self.name, self.compared, self.differed, self.most = name, 0, 0, 0.0
        self.known = Known(name in COUNTS, name == "Way")
        # Whether the game has said how a toggle is turned, and whether that is as the rig has it.
        self.is_turn_known, self.is_turned = False, False

    def hold(self, frame, ours, theirs, tolerance):
        """Whether it is compared in this frame."""
        if self.name == "Light":
            self.is_turn_known &= frame.follows
            if not self.is_turn_known and frame.steps != 0:
                self.is_turn_known, self.is_turned = True, bool(theirs) != bool(ours)
            ours ^= self.is_turned
        is_compared = self.known.is_compared(frame)
        if is_compared:
            unit = 90 * frame.seconds if self.name == "Way" else TIMES.get(self.name, 1)
            off = abs(theirs - ours) / unit
            self.compared += 1
            self.differed += off > tolerance + 1e-6
            self.most = max(self.most, off)
        return is_compared


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
        "Horn": Waited("horn", "south", False),
        "Light": Waited("light", "east", False),
        "Down": Waited("horn", "south", True),
        "Brake": Waited("brake", "east", True),
    }
    for place, frame in enumerate(its_frames):
        for name, value in values.items():
            began = value.hold(frame, place, on[place][value.action], given[place][name])
            if began is None:
                continue
            until = its_frames[began].poll
            pressed = max(
                t for t, code, v in moved if (code, v) == (value.button, 1) and t <= until
            )
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
        compared.append(
            {
                name: gives[name]
                if held.setdefault(name, Compared(name)).hold(frame, value, gives[name], tolerance)
                else math.nan
                for name, value in ours.items()
            }
        )
        # What is as in the frame before may be left out.
        given = given if frame.follows else {}
        changed = {name: value for name, value in gives.items() if given.get(name) != value}
        changed |= {name: gives[name] for name in gives if dice.random() < 0.5}
        given = gives
        line = {
            "t": frame.poll + is_late,
            "frame": frame.number,
            "polled": frame.poll,
            "gives": changed,
        }
        line |= {"steps": frame.steps} if frame.steps is not None else {}
        lines.append(json.dumps(line, separators=(",", ":")))
    rig = rig_of(HZ, RIG, [f"tolerance = {tolerance}", NAMES])
    pad = list(a_pad(moved))
    take, rig = written(tmp_path, rig, merged(pad[:-1], [*lines, pad[-1]]))
    (report,) = reported("agree", take, rig, may_say_no=True)
    jumps = [b.number - a.number - 1 for a, b in pairwise(its_frames)]
    asked = (
        len(its_frames),
        sum(jump for jump in jumps if jump > 0),
        sum(jump < 0 for jump in jumps),
    )
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
