"""A game whose rig has one other number: whether the number that is told explains what it gave,
over random rigs with all kinds of things in them. Here the program is held against itself: what
``gtrig agree`` says that a number would do is what ``gtrig replay`` does with it."""

import copy
import json
import random
import re
import subprocess
import tomllib

import pytest
from test_roads import RATES, some_rig, some_take
from workbench import GTRIG, merged, reported, written

TOLERANCE = 0.002
# As far as a value is printed.
ROUNDED = 5e-5
# Numbers that are no tunables.
FIXED = ["rig", "poll-hz", "times", "fingers", "layer"]
TIME = re.compile(r"(\w+) (\d+) ms")


def as_toml(value):
    """A value on one line."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{key} = {as_toml(part)}" for key, part in value.items()) + " }"
    if isinstance(value, list):
        return "[" + ", ".join(map(as_toml, value)) + "]"
    return json.dumps(value)


def numbers_of(value, place=()):
    """All numbers of a rig with their places, those in the texts of combos too."""
    if isinstance(value, dict):
        for key, part in value.items():
            if key not in FIXED:
                yield from numbers_of(part, (*place, key))
    elif isinstance(value, list):
        for n, part in enumerate(value):
            yield from numbers_of(part, (*place, n))
    elif isinstance(value, str) and "steps" in place:
        yield from (((*place, word), int(time)) for word, time in TIME.findall(value))
    elif isinstance(value, str) and place[-1] == "all-within":
        yield place, int(value.split()[0])
    elif isinstance(value, (int, float)) and not isinstance(value, bool):
        yield place, value


def with_number(value, place, number):
    """The same with another number at a place."""
    if not place:
        return f"{number} ms" if isinstance(value, str) else number
    step, rest = place[0], place[1:]
    if isinstance(value, str):
        time = f"{step} {number} ms"
        text, count = re.subn(rf"\b{step} \d+ ms", time, value)
        return text if count else f"{value} {time}"
    if step == 0 and isinstance(value, dict):
        # What is no list is its own first entry.
        return with_number(value, rest, number)
    changed = copy.copy(value)
    # A number may not be there, as it is what it is by default.
    known = value.get(step, {}) if isinstance(value, dict) else value[step]
    changed[step] = with_number(known, rest, number)
    return changed


def place_of(text):
    return tuple(int(step) if step.isdigit() else step for step in re.findall(r"[^.\[\]]+", text))


def given_by(take, folder, rig):
    """What the actions of a rig give, tick by tick, as a game says it; nothing if it is no rig."""
    path = folder / "tried.toml"
    path.write_text("".join(f"{key} = {as_toml(value)}\n" for key, value in rig.items()))
    command = [GTRIG, "replay", "--json", "--every-tick", "--rig", path, take]
    ran = subprocess.run(command, capture_output=True, text=True)
    if ran.returncode:
        return None
    lines = [json.loads(line) for line in ran.stdout.splitlines()]
    return [values_of(rig, line) for line in lines if "tick" in line]


def values_of(rig, line):
    values = {action["action"]: action["value"] for action in line.get("actions", [])}
    given = {}
    for name, action in rig["action"].items():
        value = values.get(name, 0)
        if action["gives"] == "plane":
            given[f"{name}.x"], given[f"{name}.y"] = value or (0, 0)
        else:
            given[name] = float(value)
    return given


def frames_of(given, hz):
    """The lines of a game that gives this, frame by frame."""
    yield '{"take":1}'
    for tick, values in enumerate(given):
        time = tick * 10**9 // hz
        line = {"t": time, "frame": tick + 1, "game": "game", "polled": time, "gives": values}
        yield json.dumps(line, separators=(",", ":"))
    yield '{"t":0,"ends":true}'


def differing(one, other, name):
    """The ticks in which a value differs."""
    off = (abs(a[name] - b[name]) for a, b in zip(one, other))
    return {tick for tick, far in enumerate(off) if far > TOLERANCE + ROUNDED}


class Quay:
    """A random rig and take, and what comes of it with other numbers."""

    def __init__(self, dice, folder):
        self.hz = dice.choice(RATES)
        self.lines = some_take(dice, self.hz)
        text = some_rig(dice, self.hz) + f"[game]\ntolerance = {TOLERANCE}\n"
        self.rig = tomllib.loads(text)
        self.folder = folder
        self.take, self.path = written(folder, text, self.lines)

    def given(self, rig):
        return given_by(self.take, self.folder, rig)

    def judged(self, given):
        """What is told of a game that gives this."""
        both = self.folder / "both.take.jsonl"
        both.write_text("\n".join(merged(self.lines, frames_of(given, self.hz))) + "\n")
        (report,) = reported("agree", both, self.path, may_say_no=True)
        return report


@pytest.mark.parametrize("seed", range(60))
def test_a_number_that_is_told_explains_what_was_given(seed, tmp_path):
    dice = random.Random(seed)
    quay = Quay(dice, tmp_path)
    right = quay.given(quay.rig)
    assert quay.judged(right)["agrees"]

    numbers = [(place, was) for place, was in numbers_of(quay.rig) if place[0] != "game"]
    dice.shuffle(numbers)
    for place, was in numbers:
        number = type(was)(was * dice.choice([0.3, 0.5, 0.8, 1.3, 2, 3]))
        theirs = quay.given(with_number(quay.rig, place, number))
        if theirs and theirs != right:
            break
    else:
        return

    told = [one for one in quay.judged(theirs)["differences"] if one["kind"] == "number"]
    for one in told:
        name, number = one["name"], one["number"]
        agreed = set(range(len(right))) - differing(right, theirs, name)
        # The place itself, and the frames before it and after it. Frames are counted from 1.
        there = set(range(one["from_frame"] - 2, one["to_frame"] + 1))
        low, high = number["from"], number["to"]
        # At an end the last digit decides.
        for share in [0.001, dice.random(), dice.random(), 0.999]:
            tried = low + (high - low) * share
            came = quay.given(with_number(quay.rig, place_of(number["place"]), tried))
            off = differing(came, theirs, name)
            assert not off & there and not off & agreed, (place, number, tried)
