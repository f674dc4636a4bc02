"""What ``gtrig check`` says of sound rigs, held against what they do: nothing that it says can
never happen happens, nothing that waits waits longer than it says, and what it says fires with
something else does so."""

import json
import random
import re
import subprocess
from dataclasses import replace

import pytest
from libraries import Library
from test_waiting import Combo, movements
from test_zones import SIDE, TICKS, a_zone, reports, single
from workbench import (
    BUTTONS,
    GTRIG,
    MILLISECOND,
    a_glass,
    merged,
    replayed,
    reported,
    rig_of,
    some_pads,
    written,
)


def doubts(rig, code):
    """What it says of each table of the rig, without its kind, of this code."""
    ran = subprocess.run([GTRIG, "check", "--json", rig], capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    told = [doubt for doubt in map(json.loads, ran.stdout.splitlines()) if doubt["code"] == code]
    return [(doubt["about"].split(".")[1], doubt["words"]) for doubt in told]


def waits_for(name, words):
    """For which other one it waits, and for how many nanoseconds at most."""
    other, span, unit = re.search(
        r"waits for `(.+)`, .* up to ([\d.]+) (ms|s) late", words
    ).groups()
    return name, other, float(span) * {"ms": 1e6, "s": 1e9}[unit]


def some_combos(dice, of=BUTTONS):
    """Combos of which some begin like others, and wait for earlier or later ones."""
    beginnings = [[dice.sample(of[:-1], dice.choice([1, 1, 2])) for _ in range(4)] for _ in "ab"]
    combos, count = [], dice.choice([2, 3, 4])
    order = dice.sample(range(count), count)
    for n in range(count):
        beginning, steps = dice.choice(beginnings), []
        for names in beginning[: dice.randint(1, 4)]:
            others = [name for name in of if name not in names]
            unless = dice.choice([None, None, None, None, dice.choice(others)])
            steps.append((names, dice.choice([100, 300, dice.randint(30, 600)]), unless))
        waits = [f"c{other}" for other in order[: order.index(n)] if dice.random() < 0.4]
        combos.append(Combo(f"c{n}", steps, waits, dice.random() < 0.2))
    return combos


def holds_of_combos(take, rig, waits):
    """Combos do what is said of them; `waits` are those for which each of them waits."""
    told = [one for one in reported("combos", take, rig) if one.get("line") == "attempt"]
    met = {name: [] for name in waits}
    for attempt in told:
        if attempt["outcome"] in ("met", "cancelled"):
            met[attempt["combo"]].append(attempt)
    fired = {
        name: [one for one in all_of if one["outcome"] == "met"] for name, all_of in met.items()
    }
    hz = int(re.search(r"poll-hz = (\d+)", rig.read_text())[1])
    poll = lambda tick: tick * 10**9 // hz
    for name, words in doubts(rig, "combo-never"):
        assert not fired[name], words
    for name, words in doubts(rig, "combo-waits"):
        if "waits for" not in words or len(waits[name]) != 1:
            continue
        _, _, at_most = waits_for(name, words)
        for attempt in fired[name]:
            # The poll before it fired was not beyond the end of the wait.
            fired_at = attempt["fired_tick"]
            if fired_at is None:
                # It still waits where the take ends.
                continue
            last = poll(fired_at) - poll(fired_at - 1)
            assert round(attempt["waited_ms"] * 1e6) - last <= at_most, (name, attempt)
    for name, words in doubts(rig, "combo-begins"):
        if " fires this one first" in words:
            (longer,) = re.search(r"^`(.+)` begins", words).groups()
            for attempt in met[longer]:
                span = range(attempt["from_ns"], attempt["to_ns"] + 1)
                assert any(one["to_ns"] in span for one in fired[name]), (words, attempt)


@pytest.mark.parametrize("seed", range(150))
def test_combos_do_what_is_said_of_them(seed, tmp_path):
    dice = random.Random(seed)
    hz, combos, moved = dice.choice([60, 120, 500]), some_combos(dice), movements(dice)
    rig = rig_of(hz, *(combo.table() for combo in combos))
    take, rig = written(tmp_path, rig, list(some_pads(moved)))
    holds_of_combos(take, rig, {combo.name: combo.waits_for for combo in combos})


@pytest.mark.parametrize("seed", range(150))
@pytest.mark.parametrize("has_modes", [False, True])
def test_holds_chords_and_quiets_do_too(has_modes, seed, tmp_path):
    library = Library(random.Random(seed), tmp_path, has_modes)
    holds_of_combos(library.take, library.rig, library.waits)


@pytest.mark.parametrize("seed", range(150))
def test_those_with_mirrors_and_names_that_may_pass_do_too(seed, tmp_path):
    library = Library(random.Random(seed), tmp_path, has_mirrors=True)
    holds_of_combos(library.take, library.rig, library.waits)


# The buttons of what opens and closes zones.
GATES, KEYS = {"menu": "east", "work": "west"}, ["closed-while", "open-while"]


def bounds(zone):
    x, y, width, height = map(single, zone.rect)
    return x, y, single(x + width), single(y + height)


# The world is there where the picture is, and as many units wide.
UNITS = 1024
WORLD = [
    "[surface]",
    f"pixels = [{UNITS}, {UNITS}]",
    f"window = {{ at = [0, 0], size = [{UNITS}, {UNITS}], view = [{UNITS}, {UNITS}] }}",
    f"world = {{ camera = [{UNITS // 2}, {UNITS // 2}], zoom = 1 }}",
]


def is_covered(zone, others, gates, worlds):
    """Whether no finger can be on a zone, wherever the world is: of zones in order of the file."""
    left, top, right, bottom = bounds(zone)
    for n, other in enumerate(others):
        if other is zone or other.contact != "take" or (zone.follow and not other.follow):
            continue
        is_first = other.layer > zone.layer or (
            other.layer == zone.layer and n < others.index(zone)
        )
        bound = bounds(other)
        reaches = bound[0] <= left and bound[1] <= top and bound[2] >= right and bound[3] >= bottom
        is_there = all(set(gates[other.name][key]) <= set(gates[zone.name][key]) for key in KEYS)
        is_there &= (zone.name in worlds) == (other.name in worlds)
        if is_first and reaches and is_there:
            return True
    return False


@pytest.mark.parametrize("seed", range(150))
def test_no_finger_reaches_a_zone_that_is_covered(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120])
    zones = [a_zone(dice, f"zone-{n}") for n in range(dice.randint(2, 6))]
    # Numbers that are the same in any space.
    rect = lambda zone: tuple(round(16 * part) / 16 for part in zone.rect)
    zones = [replace(zone, rect=rect(zone)) for zone in zones]
    for zone in dice.sample(zones, dice.randint(0, 1)):
        # A large one.
        zone.rect, zone.contact, zone.layer = (1 / 16, 0, 7 / 8, 1), "take", 3
    has_worlds = dice.random() < 0.4
    worlds = {zone.name for zone in zones if has_worlds and dice.random() < 0.6}
    choose = lambda: dice.choice([[], [], [], [dice.choice(list(GATES))]])
    gates = {zone.name: {key: choose() for key in KEYS} for zone in zones}
    tables = []
    for zone in zones:
        first, *rest = zone.table()
        if zone.name in worlds:
            rest[0] = f"rect = {[UNITS * part for part in zone.rect]}"
            rest.insert(0, 'in = "world"')
        its = [f"{key} = {gates[zone.name][key]}" for key in KEYS if gates[zone.name][key]]
        tables += [first, *its, *rest]
    actions = [
        line
        for name, button in GATES.items()
        for line in (f"[action.{name}]", 'gives = "on"', f'from = "pad/{button}"')
    ]
    touches = list(reports(dice, hz))
    glass = list(a_glass(touches, 2, (SIDE, SIDE), (TICKS - 1) * 10**9 // hz))
    lines = merged(glass, some_pads(movements(dice)))
    take, rig = written(tmp_path, rig_of(hz, WORLD, actions, tables), lines)
    covered = {name for name, _ in doubts(rig, "zone-covered")}
    assert covered == {zone.name for zone in zones if is_covered(zone, zones, gates, worlds)}
    for tick in replayed(take, rig).values():
        on = {action["action"] for action in tick.get("actions", []) if action["value"]}
        assert not on & {f"on-{name}" for name in covered}


def some_gestures(dice):
    """Taps, presses and swipes, of which some wait for others."""
    kinds = {
        "tap": lambda: [
            f"times = {dice.randint(1, 3)}",
            f"lift-ms = {dice.randint(10, 300)}",
            f"gap-ms = {dice.randint(40, 300)}",
        ],
        "press": lambda: [f"hold-ms = {dice.randint(100, 500)}"],
        "swipe": lambda: [f"time-ms = {dice.randint(100, 600)}", "length-mm = 1"],
    }
    lines, waits, count = [], {}, dice.choice([2, 3])
    for n in range(count):
        kind = dice.choice(["tap", "tap", "tap", "press", "swipe"])
        own = kinds[kind]()
        own = [line for line in own if "gap" not in line or "times = 1" not in own]
        waits[f"g{n}"] = [f"g{other}" for other in range(n) if dice.random() < 0.5]
        lines += [f"[gesture.g{n}]", f'kind = "{kind}"', *own]
        lines += [f"waits-for = {waits[f'g{n}']}"] if waits[f"g{n}"] else []
        lines += ["takes = true"] if dice.random() < 0.1 else []
    return lines, waits


def touches_of(dice):
    """One finger that lands, perhaps moves, and is lifted."""
    time, place = 50 * MILLISECOND, (500, 500)
    for _ in range(dice.randint(3, 25)):
        time += int(dice.uniform(30e6, dice.choice([120e6, 500e6])))
        yield time, 1, place
        yield time, 1, True
        if dice.random() < 0.3:
            place = tuple(max(0, min(1000, at + dice.randint(-200, 200))) for at in place)
            time += int(dice.uniform(5e6, 80e6))
            yield time, 1, place
        time += int(dice.uniform(10e6, dice.choice([100e6, 700e6])))
        yield time, 1, False


@pytest.mark.parametrize("seed", range(150))
def test_combos_of_zones_and_gestures_do_too(seed, tmp_path):
    dice = random.Random(seed)
    hz, (lines, _), touches = dice.choice([60, 120, 500]), some_gestures(dice), touches_of(dice)
    zones = [a_zone(dice, f"zone-{n}") for n in range(2)]
    names = [BUTTONS[0], "gesture/g0", "gesture/g1", *(f"zone/{zone.name}" for zone in zones)]
    names = dice.sample(names, dice.choice([3, 4, 5]))
    combos = some_combos(dice, names)
    rig = rig_of(hz, lines, *(one.table() for one in [*zones, *combos]))
    touches = list(touches)
    glass = a_glass(touches, 1, (SIDE, SIDE), touches[-1][0] + 2 * 10**9)
    take, rig = written(tmp_path, rig, merged(glass, some_pads(movements(dice))))
    holds_of_combos(take, rig, {combo.name: combo.waits_for for combo in combos})


@pytest.mark.parametrize("seed", range(150))
def test_gestures_do_what_is_said_of_them(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    (lines, waits), touches = some_gestures(dice), list(touches_of(dice))
    ends = touches[-1][0] + 2 * 10**9
    take, rig = written(
        tmp_path, rig_of(hz, lines), list(a_glass(touches, 1, (1000, 1000), ends, 10))
    )
    told = [one for one in reported("gestures", take, rig) if one.get("outcome") == "fired"]
    for name, other, at_most in (waits_for(*doubt) for doubt in doubts(rig, "gesture-waits")):
        for verdict in told:
            if verdict["gesture"] == name and waits[name] == [other]:
                assert verdict["waited_ms"] * 1e6 <= at_most + 1e9 / hz, verdict
    for name, words in doubts(rig, "gesture-twice"):
        if "with every tap" in words:
            (other,) = re.search(r"tap of `(.+)` too", words).groups()
            own = [one["to_ns"] for one in told if one["gesture"] == name]
            for verdict in (one for one in told if one["gesture"] == other):
                taps = [at for at in own if verdict["from_ns"] <= at <= verdict["to_ns"]]
                assert len(taps) >= 2, verdict
