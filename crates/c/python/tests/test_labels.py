"""What labels say was meant, against what fired, written a second time from docs/rig-format.md
alone: every way to pair is tried. Two fingers tap, rest and swipe at once, and labels stand
before, in, between and after what they do."""

import json
import random
from collections import Counter
from itertools import combinations

import pytest
from workbench import MILLISECOND, a_glass, reports_of_texts, rig_of

SLACK = 300 * MILLISECOND
GESTURES = {
    "short": 'kind = "tap"\nlift-ms = 160.5\nmove-mm = 4',
    "rest": 'kind = "press"\nhold-ms = 220.5\nmove-mm = 4',
    "wipe": 'kind = "swipe"\ntoward = "any"\nlength-mm = 8',
}
# One that the rig does not have, and a combo, which is not scored.
NAMES = [*GESTURES, *GESTURES, "shrt", "twice"]
COMBO = ["[combo.twice]", 'steps = "press south 2 times within 300 ms"']
SAID = ["", " again", ", late", ": a slow one"]


def reports(dice):
    """What two fingers do, each by itself."""
    for contact in (1, 2):
        time = dice.randint(10, 600) * MILLISECOND
        while time < 4_000 * MILLISECOND:
            x, y = dice.randint(200, 1300), dice.randint(200, 700)
            yield time, contact, (x, y)
            yield time, contact, True
            pace = dice.choice([0, 0, 25])
            for _ in range(dice.choice([4, 8, 12, 30, 60])):
                time += 10 * MILLISECOND
                x += pace
                yield time, contact, (x, y)
            yield time + 5 * MILLISECOND, contact, False
            time += dice.choice([40, 120, 300, 1200]) * MILLISECOND


def labels(dice):
    """The instant of each, what it names, and its text; not in order of time."""
    for _ in range(dice.randint(1, 10)):
        time = dice.choice([dice.randint(0, 5000), dice.randint(0, 25) * 200]) * MILLISECOND
        name = dice.choice(NAMES)
        yield time, name, f"meant: {name}{dice.choice(SAID)}"
    yield 100 * MILLISECOND, None, "he meant: short"


def distance(time, attempt):
    return max(0, attempt["from_ns"] - time, time - attempt["to_ns"])


def pairings(times, attempts):
    """Every way to pair some in order."""
    for count in range(min(len(times), len(attempts)), -1, -1):
        for some in combinations(range(len(times)), count):
            for others in combinations(range(len(attempts)), count):
                pairs = dict(zip(some, others))
                far = [distance(times[n], attempts[m]) for n, m in pairs.items()]
                if all(d <= SLACK for d in far):
                    places = [pairs.get(n, len(attempts)) for n in range(len(times))]
                    yield (-count, sum(far), places), pairs


def answered(meant, verdicts):
    """For each label the attempt that answers it, and those that were told with a miss."""
    answers, used = {}, set()
    for gesture in GESTURES:
        its = [(time, n) for n, (time, name, _) in enumerate(meant) if name == gesture]
        its.sort()
        fired = [
            (said["to_ns"], m)
            for m, said in enumerate(verdicts)
            if said["gesture"] == gesture and said["outcome"] == "fired"
        ]
        fired.sort()
        near = [m for _, m in fired if any(distance(t, verdicts[m]) <= SLACK for t, _ in its)]
        ways = pairings([time for time, _ in its], [verdicts[m] for m in near])
        for n, m in min(ways, key=lambda way: way[0])[1].items():
            answers[its[n][1]] = near[m]
            used.add(near[m])
    told = {}
    for n, (time, name, _) in enumerate(meant):
        if n in answers:
            continue
        left = [
            (said["outcome"] != "fired", not said["near"], abs(said["to_ns"] - time), m)
            for m, said in enumerate(verdicts)
            if said["gesture"] == name and m not in used and distance(time, said) <= SLACK
        ]
        fired = [m for is_silent, *_, m in left if not is_silent]
        if fired:
            answers[n] = fired[0]
        elif left:
            told[n] = min(left)[-1]
        used |= {answers.get(n, told.get(n))}
    return answers, told


def confusion(meant, answers, alarms, verdicts):
    """What was meant against what fired, counted."""
    cells = Counter((meant[n][1], verdicts[m]["gesture"]) for n, m in answers.items())
    blamed = set()
    for m in alarms:
        near = [(distance(time, verdicts[m]), n) for n, (time, *_) in enumerate(meant)]
        near = [one for one in near if one[0] <= SLACK]
        label = min(near)[1] if near else None
        blamed.add(label)
        cells[meant[label][1] if near else None, verdicts[m]["gesture"]] += 1
    silent = [n for n in range(len(meant)) if n not in answers and n not in blamed]
    return cells + Counter((meant[n][1], None) for n in silent)


@pytest.mark.parametrize("seed", range(150))
def test_labels_are_answered_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    tables = [[f"[gesture.{name}]", text] for name, text in GESTURES.items()]
    rig = rig_of(dice.choice([60, 125]), *tables, COMBO)
    said = sorted(reports(dice), key=lambda one: one[0])
    *glass, last = a_glass(said, 2, (1600, 900), 6 * 10**9, resolution=10)
    written = list(labels(dice))
    lines = [json.dumps({"t": time, "label": text}) for time, _, text in written]
    told = reports_of_texts("gestures", tmp_path, rig, [*glass, *lines, last])
    verdicts = [line for line in told if line["line"] == "verdict"]
    # The program has labels in order of time.
    meant = sorted(written, key=lambda one: one[0])
    meant = [label for label in meant if label[1] not in (None, "twice")]
    if not meant:
        assert not [line for line in told if line["line"] != "verdict"]
        return
    answers, misses = answered(meant, verdicts)
    alarms = [
        m
        for m, said in enumerate(verdicts)
        if said["outcome"] == "fired" and m not in answers.values()
    ]
    lines = [line for line in told if line["line"] == "meant"]
    for n, ((time, name, _), line) in enumerate(zip(meant, lines)):
        result = "hit" if n in answers else "miss"
        assert (line["time_ns"], line["gesture"], line["result"]) == (time, name, result)
        if n in misses:
            assert line["words"] == f': {verdicts[misses[n]]["words"]}'
    false = [(verdicts[m]["from_ns"], verdicts[m]["gesture"]) for m in alarms]
    assert [(line["time_ns"], line["gesture"]) for line in lines[len(meant):]] == false
    cells = {
        (line["meant_gesture"], line["fired_gesture"]): line["count"]
        for line in told
        if line["line"] == "confusion"
    }
    assert cells == confusion(meant, answers, alarms, verdicts)
    score = told[-1]
    assert (score["hits"], score["misses"]) == (len(answers), len(meant) - len(answers))
    assert score["false_alarms"] == len(alarms)
