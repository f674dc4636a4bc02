"""Combos that wait for others, written a second time from docs/rig-format.md alone, and held
against the program over random combos and presses."""

import itertools
import random
from dataclasses import dataclass, field

import pytest
from libraries import Library
from workbench import (
    BUTTONS,
    MILLISECOND,
    OF_BUTTONS,
    a_glass,
    called,
    merged,
    polled,
    reported,
    reports_of_texts,
    rig_of,
    some_pads,
)


@dataclass
class Combo:
    name: str
    # For each step its names, within how long it must come, and what may not be pressed before.
    steps: list
    waits_for: list
    is_strict: bool
    # The longest time from its first press to its last, where there is such a limit.
    all_within: int | None = None
    is_mirrored: bool = False
    # For each way that it may be turned, and each step, the chain that began last of those that
    # lead to its newest press.
    chains: dict = field(default_factory=dict)
    spent: int = 0

    def __post_init__(self):
        self.chains = {way: [None] * len(self.steps) for way in range(1 + self.is_mirrored)}

    def step(self, way, n):
        """A step as it is when the combo is turned around, or not."""
        names, within, unless = self.steps[n]
        return [turned(name, way) for name in names], within, turned(unless, way)

    def table(self):
        texts = []
        for n, (names, within, unless) in enumerate(self.steps):
            clauses = f" within {within} ms" if n else ""
            clauses += f" unless {unless}" if n and unless else ""
            texts.append(f"press {' or '.join(names)}{clauses}")
        lines = [f"[combo.{self.name}]", f"steps = {texts}"]
        lines += ["strict = true"] if self.is_strict else []
        lines += ['mirror-while = "action/flip"'] if self.is_mirrored else []
        lines += [f'all-within = "{self.all_within} ms"'] if self.all_within else []
        return lines + ([f"waits-for = {self.waits_for}"] if self.waits_for else [])

    def press(self, press, before, way):
        """The chain that a press meets the combo with, if it does; `before` are all before it, and
        the combo is turned that way."""
        way = way if self.is_mirrored else 0
        met = [self.press_one_way(of, press, before, of == way) for of in self.chains]
        met = [chain for chain in met if chain and chain[0].time > self.spent]
        met = [chain for chain in met if self.is_whole(chain, press.time)]
        if not met:
            return None
        self.spent = press.time
        return max(met, key=lambda chain: chain[0].time)

    def press_one_way(self, way, press, before, may_begin):
        met = None
        for n in reversed(range(len(self.steps))):
            if press.name in self.step(way, n)[0]:
                begun = [press] if may_begin else None
                chain = begun if n == 0 else self.follow(way, n, press, before)
                if chain:
                    self.chains[way][n] = chain
                    met = chain if n + 1 == len(self.steps) else met
        return met

    def is_whole(self, chain, now):
        return not self.all_within or now - chain[0].time <= self.all_within * MILLISECOND

    def follow(self, way, n, press, before):
        chain, (_, within, unless) = self.chains[way][n - 1], self.step(way, n)
        if not chain or press.time - chain[-1].time > within * MILLISECOND:
            return None
        between = [other.name for other in before if other.time > chain[-1].time]
        is_broken = (self.is_strict and between) or unless in between
        return None if is_broken else [*chain, press]

    def is_possible(self, chain, now, before):
        """Whether it can still be met by an attempt that has a press of a chain."""
        for way, n in itertools.product(self.chains, range(1, len(self.steps))):
            mine, (_, within, unless) = self.chains[way][n - 1], self.step(way, n)
            if not mine or mine[0].time <= self.spent or not any(p in chain for p in mine):
                continue
            between = [other.name for other in before if other.time > mine[-1].time]
            is_broken = (self.is_strict and between) or unless in between
            is_in_time = now - mine[-1].time <= within * MILLISECOND
            if not is_broken and is_in_time and self.is_whole(mine, now):
                return True
        return False


def turned(name, way):
    return {"east": "west", "west": "east"}.get(name, name) if way else name


def some_combos(dice, may_mirror=False):
    combos, count = [], dice.choice([2, 3, 4])
    for n in range(count):
        steps = []
        for _ in range(dice.randint(1, 3)):
            names = dice.sample(BUTTONS[:3], dice.choice([1, 1, 2]))
            others = [name for name in BUTTONS if name not in names]
            unless = dice.choice([None, None, None, dice.choice(others)])
            steps.append((names, dice.randint(30, 600), unless))
        waits_for = [combo.name for combo in combos if dice.random() < 0.6]
        all_within = dice.choice([None, None, dice.randint(100, 900)])
        strict = dice.random() < 0.2
        is_mirrored = may_mirror and dice.random() < 0.6
        # One that looks the same in a mirror has none.
        is_mirrored &= any({"east", "west"} & set(names) for names, *_ in steps)
        combos.append(Combo(f"c{n}", steps, waits_for, strict, all_within, is_mirrored))
    return combos


def movements(dice):
    time, moved, pace = 10 * MILLISECOND, [], dice.choice([120e6, 400e6])
    for _ in range(dice.randint(5, 50)):
        time += int(dice.uniform(3e6, pace))
        name = dice.choice(BUTTONS[:3] * 3 + BUTTONS[3:])
        if not any(other == name and at + 40 * MILLISECOND > time for at, other, _ in moved):
            moved += [(time, name, 1), (time + 20 * MILLISECOND, name, 0)]
    return sorted(moved)


def outcomes(combos, presses, hz, last_tick, way_at=lambda time: 0):
    """The combo, the instant of its last press, what came of it and when it fired."""
    queue, before, waiting, all_met = list(presses), [], [], []
    for tick in range(last_tick):
        now, met = tick * 10**9 // hz, []
        while queue and queue[0].time <= now:
            press = queue.pop(0)
            for combo in combos:
                chain = combo.press(press, before, way_at(press.time))
                met += [(combo, chain)] if chain else []
            before.append(press)
        waiting, all_met = waiting + met, all_met + met
        for combo, chain in list(waiting):
            won = [chain for other, chain in all_met if other.name in combo.waits_for]
            if any(press in chain for other in won for press in other):
                waiting.remove((combo, chain))
                yield combo.name, chain[-1].time, "cancelled", None
                continue
            others = [other for other in combos if other.name in combo.waits_for]
            if not any(other.is_possible(chain, now, before) for other in others):
                waiting.remove((combo, chain))
                yield combo.name, chain[-1].time, "met", tick


@pytest.mark.parametrize("seed", range(150))
def test_combos_wait_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, combos, moved = dice.choice([60, 120, 500]), some_combos(dice), movements(dice)
    # One press is one press, whatever each of them calls it.
    rig = rig_of(hz, OF_BUTTONS, *(called(dice, combo.table()) for combo in combos))
    told = reports_of_texts("combos", tmp_path, rig, some_pads(moved))
    told = [report for report in told if report.get("outcome") in ("met", "cancelled")]
    said = {(r["combo"], r["to_ns"], r["outcome"], r["fired_tick"]) for r in told}
    last_tick = (moved[-1][0] + 3 * 10**9) * hz // 10**9
    assert said == set(outcomes(combos, polled(moved, hz), hz, last_tick))


@pytest.mark.parametrize("seed", range(150))
def test_combos_with_a_mirror_wait_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, combos, moved = dice.choice([60, 120, 500]), some_combos(dice, True), movements(dice)
    flip = ["[action.flip]", 'gives = "toggle"', 'from = "pad/north"']
    rig = rig_of(hz, flip, *(combo.table() for combo in combos))
    lines = list(some_pads(moved))
    for name, way in (("east", "left"), ("west", "right")):
        rig, lines = (
            rig.replace(name, f"dpad-{way}"),
            [line.replace(name, f"dpad-{way}") for line in lines],
        )
    told = reports_of_texts("combos", tmp_path, rig, lines)
    told = [report for report in told if report.get("outcome") in ("met", "cancelled")]
    said = {(r["combo"], r["to_ns"], r["outcome"], r["fired_tick"]) for r in told}
    last_tick, presses = (moved[-1][0] + 3 * 10**9) * hz // 10**9, polled(moved, hz)
    flips = [press.time for press in presses if press.name == "north"]
    way_at = lambda time: sum(flip < time for flip in flips) % 2
    assert said == set(outcomes(combos, presses, hz, last_tick, way_at))


@pytest.mark.parametrize("seed", range(150))
def test_one_that_waited_fires_only_where_no_other_is_met(seed, tmp_path):
    library = Library(random.Random(seed), tmp_path)
    told = [one for one in reported("combos", library.take, library.rig) if "rungs" in one]
    # By ticks two presses of one tick have the same instant.
    is_by_reports = lambda name: not library.combos[name].in_ticks
    met = [
        one
        for one in told
        if one["outcome"] in ("met", "cancelled") and is_by_reports(one["combo"])
    ]
    presses = lambda attempt: {rung["press_ns"] for rung in attempt["rungs"]}
    for attempt in met:
        name, by = attempt["combo"], attempt.get("cancelled_by")
        others = [one["combo"] for one in met if presses(one) & presses(attempt)]
        others = [other for other in others if other in library.waits[name]]
        # What shares a press with one that was met before or after it is cancelled.
        assert not others or attempt["outcome"] == "cancelled", (attempt, others)
        # Of a chord the last press alone is told.
        kinds = {step.kind for one in (name, by) if one for step in library.combos[one].steps}
        if by and is_by_reports(by) and "together" not in kinds:
            assert by in others, attempt


FINGER = [
    *["[zone.plate]", "rect = [0, 0, 1, 1]"],
    *["[gesture.ring]", 'kind = "stick"', 'zone = "plate"'],
    *["[action.there]", 'gives = "on"', 'from = { zone = "plate" }'],
]
NAMES_OF_FINGER = [
    "glass/contact-1",
    "glass1/contact-1",
    "zone/plate",
    "gesture/ring",
    "action/there",
]


@pytest.mark.parametrize("other", NAMES_OF_FINGER)
@pytest.mark.parametrize("name", NAMES_OF_FINGER)
def test_the_names_of_a_finger_are_those_of_one_press(name, other, tmp_path):
    single = ["[combo.single]", f'steps = ["press {name}"]', 'waits-for = ["double"]']
    double = ["[combo.double]", f"steps = {[f'press {other}', f'press {other} within 300 ms']}"]
    strict = ["[combo.strict]", 'steps = ["press south", "press east"]', "strict = true"]
    strict += [f'passing = ["{name}"]']
    taps = [
        (n * 50 * MILLISECOND, 1, what) for n, what in enumerate([(500, 500), True, False] * 2, 1)
    ]
    glass = a_glass(taps, 1, (1000, 1000), 10**9, 10)
    moved = [(30 * MILLISECOND, "south", 1), (400 * MILLISECOND, "east", 1)]
    rig = rig_of(60, FINGER, single, double, strict)
    told = reports_of_texts("combos", tmp_path, rig, merged(glass, some_pads(moved)))
    came = [(one["combo"], one["outcome"]) for one in told if one["line"] == "attempt"]
    singles = [("single", "cancelled")] * 2
    assert sorted(came) == sorted([*singles, ("double", "met"), ("strict", "met")])
