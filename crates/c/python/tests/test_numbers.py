"""A game whose rig has one or two other numbers: whether a number that is told explains what it
gave, over random rigs with all kinds of things in them. Here the program is held against itself: what
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
FIXED = ["rig", "poll-hz", "times", "fingers", "layer", "pixels", "mm", "window", "turned"]
ZONES = ["radius", "cut", "axes", "sloped"]
BOTH = ["neutral", "last", "first"]
STAGES = {"half-life-ms": "smooth", "steady-hz": "smooth"}
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


def another(dice, number):
    """A number that is not far from it."""
    return type(number)(number * dice.choice([0.3, 0.5, 0.8, 1.3, 2, 3]))


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
        if action["gives"] in ("plane", "polar", "place"):
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
        changed = with_number(quay.rig, place, another(dice, was))
        if dice.random() < 0.5:
            # A game may have two mistakes.
            place, was = dice.choice(numbers)
            changed = with_number(changed, place, another(dice, was))
        theirs = quay.given(changed)
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
            assert came, ("no rig can have it", number, tried)
            off = differing(came, theirs, name)
            assert not off & there and not off & agreed, (place, number, tried)


def with_action(rig, name, **keys):
    """The rig with other keys of an action; without those that are None."""
    action = {key: its for key, its in (rig["action"][name] | keys).items() if its is not None}
    return rig | {"action": rig["action"] | {name: action}}


def ungated(rig, name):
    """The rig without each of the gates of an action, and the words for it."""
    action = rig["action"][name]
    for key, state in (("closed-while", "on"), ("open-while", "off")):
        for gate in action.get(key, []):
            left = [other for other in action[key] if other != gate]
            words = f"has it open while {gate} is {state}, where by the rig it is closed"
            yield words, with_action(rig, name, **{key: left})
    if "modes" in action:
        words = "has it open in this mode, where by the rig it is closed"
        yield words, with_action(rig, name, modes=None)


def otherwise(rig, name):
    """The rig that does something otherwise of an action that has no number, and the words."""
    action = rig["action"][name]
    if name == "worn":
        stages = rig["shape"]["worn"]["stages"]
        for n, stage in enumerate(stages):
            ours = stage.get("on", "radius")
            for theirs in ZONES if "dead-zone" in stage else []:
                kept = {key: its for key, its in stage.items() if key != "slope"}
                other = kept | {"on": theirs}
                shape = {"worn": {"stages": [*stages[:n], other, *stages[n + 1 :]]}}
                words = f"has a dead zone of the kind {theirs}, where the rig has {ours}"
                yield words, rig | {"shape": shape}
            shape = {"worn": {"stages": stages[:n] + stages[n + 1 :]}}
            yield (
                f"leaves out the {STAGES.get(first := next(iter(stage)), first)}",
                rig | {"shape": shape},
            )
    if action["gives"] == "plane":
        is_held = action.get("clamp", True)
        words = f"{'does not hold' if is_held else 'holds'} it in the unit circle"
        yield words, with_action(rig, name, clamp=not is_held)
    ours = action.get("combine", "strongest")
    theirs = "sum" if ours == "strongest" else "strongest"
    words = f"takes of several inputs the {theirs}, where the rig takes the {ours}"
    yield words, with_action(rig, name, combine=theirs)
    for n, its in enumerate(action["from"] if isinstance(action["from"], list) else []):
        ours = its.get("both") if isinstance(its, dict) else None
        for theirs in BOTH if ours else []:
            words = f"takes opposite keys together as {theirs}, where the rig takes them as {ours}"
            inputs = [
                its | {"both": theirs} if n == m else it for m, it in enumerate(action["from"])
            ]
            yield words, with_action(rig, name, **{"from": inputs})


@pytest.mark.parametrize("seed", range(60))
def test_what_a_game_does_otherwise_is_told(seed, tmp_path):
    dice = random.Random(seed)
    quay = Quay(dice, tmp_path)
    right = quay.given(quay.rig)
    changes = [
        (name, changed)
        for name in quay.rig["action"]
        for _, changed in [*ungated(quay.rig, name), *otherwise(quay.rig, name)]
    ]
    for changed_one, changed in dice.sample(changes, min(12, len(changes))):
        theirs = quay.given(changed)
        if theirs and theirs != right:
            break
    else:
        return

    for one in quay.judged(theirs)["differences"]:
        name, words = one["name"], one["words"].split(": the game ")[1]
        action = name.split(".")[0]
        assert one["kind"] != "unknown" or action != changed_one, words
        if one["kind"] not in ("gate-open", "otherwise"):
            continue
        there = set(range(one["from_frame"] - 2, one["to_frame"] + 1))
        told = [*ungated(quay.rig, action), *otherwise(quay.rig, action)]
        came = [quay.given(rig) for its_words, rig in told if its_words == words]
        assert came, words
        assert any(not differing(its, theirs, name) & there for its in came), words
