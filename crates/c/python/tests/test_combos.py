"""Combos of every kind of step, written a second time from docs/rig-format.md alone as a search
through all chains, and held against the program over random combos and hands."""

import copy
import json
import math
import random
from dataclasses import dataclass, field, replace
from itertools import pairwise

import pytest
from workbench import (
    BUTTONS,
    CALLED,
    MILLISECOND,
    OF_BUTTONS,
    Press,
    called,
    merged,
    polled,
    reports_of_texts,
    rig_of,
    some_pads,
)

COMPASS = ["right", "up-right", "up", "up-left", "left", "down-left", "down", "down-right"]


@dataclass
class Step:
    kind: str
    names: list = field(default_factory=list)
    # How long it is held, or nothing comes; the most of a tap or a chord.
    long: int = 0
    after: int = 0
    within: int = 0
    buffered: int = 0
    unless: list = field(default_factory=list)
    in_order: bool = False
    times: int = 1

    def text(self):
        names = (" and " if self.kind == "together" else " or ").join(self.names)
        words = [self.kind, *([names] if names else [])]
        words += [f"{self.times} times"] if self.times > 1 else []
        joint = {"tap": "in", "together": "in", "hold": "for", "quiet": "for"}.get(self.kind)
        words += [f"{joint} {self.long} ms"] if joint else []
        words += ["in order"] if self.in_order else []
        for clause in ("after", "within", "buffered"):
            time = getattr(self, clause)
            words += [f"{clause} {time} ms"] if time else []
        return " ".join(words + [f"unless {name}" for name in self.unless])

    def parts(self, is_first):
        """What is met one after the other: its repetitions, of a tap the press and the release."""
        one = replace(self, kind="press") if self.kind == "tap" else self
        for n in range(self.times):
            # Its clauses are about the times after the first, where it has no step before it.
            yield replace(one, after=0, within=0, unless=[]) if is_first and n == 0 else one
            if self.kind == "tap":
                yield Step("release", self.names, within=self.long)


@dataclass
class Moment:
    """When a step is met, and the instants of the first and the last edge that meet it."""

    time: int
    first: int
    last: int
    # The press or release that its limits are about; of a chord the last press.
    edge: int


class Combo:
    def __init__(self, steps, all_within, *, is_strict, again, in_ticks, forced, passing=()):
        self.steps, self.all_within = steps, all_within * MILLISECOND
        self.is_strict, self.again, self.in_ticks = is_strict, again, in_ticks
        self.forced, self.passing = forced, list(passing)
        quiet = [step.kind == "quiet" for step in steps]
        self.calm = steps[0].long * MILLISECOND if quiet[0] else 0
        self.behind = steps[-1].long * MILLISECOND if quiet[-1] else 0
        real = [step for step in steps if step.kind != "quiet"]
        self.parts = [part for n, step in enumerate(real) for part in step.parts(n == 0)]
        self.own = {name for part in self.parts for name in part.names}
        # What a strict one sees pressed.
        self.seen = set(BUTTONS)

    def table(self):
        texts = ", ".join(f'"{step.text()}"' for step in self.steps)
        lines = ["[combo.it]", f"steps = [{texts}]"]
        all_within = f'all-within = "{self.all_within // MILLISECOND} ms"'
        lines += [all_within] if self.all_within else []
        lines += ["strict = true"] if self.is_strict else []
        lines += [f"passing = {self.passing}"] if self.is_strict and self.passing else []
        lines += ['clock = "ticks"'] if self.in_ticks else []
        lines += ["forced-releases = true"] if self.forced else []
        return lines + (["again = true"] if self.again else [])


    def named(self):
        """All names in it."""
        passing = self.passing if self.is_strict else []
        return self.own.union(passing, *(part.unless for part in self.parts))


class Search:
    """All chains of moments among the presses of a take."""

    def __init__(self, combo, presses, hz):
        self.combo, self.presses, self.hz = combo, presses, hz

    def strange(self):
        """What a strict one does not bear."""
        return self.combo.seen - set(self.combo.passing)

    def clock(self, instant):
        """An instant by the clock of the combo."""
        if not self.combo.in_ticks:
            return instant
        return -(-instant * self.hz // 10**9) * 10**9 // self.hz

    def pressed(self, names, after):
        """The instants at which any of these names was pressed, after one of them."""
        its = [p for p in self.presses if p.name in names and not p.is_carried]
        return [press.time for press in its if press.time > after]

    def moments(self, part, before, chain):
        """Every moment of a part, where `before` is the part before it."""
        long = part.long * MILLISECOND
        for press in (press for press in self.presses if press.name in part.names):
            down, up = press.time, press.release
            if press.is_carried and part.kind != "release":
                continue
            if part.kind == "press":
                yield Moment(self.clock(down), down, down, down)
            elif part.kind == "hold" and self.clock(up) >= self.clock(down) + long:
                yield Moment(self.clock(down) + long, down, down, down)
            elif part.kind == "release" and (self.combo.forced or not press.is_forced):
                is_linked = before and before.kind in ("press", "hold")
                is_linked = is_linked and set(before.names) == set(part.names)
                if not is_linked or chain[-1].edge == down:
                    yield Moment(self.clock(up), up, up, up)
            elif part.kind == "together":
                held = [self.held(name, down) for name in part.names]
                is_in_order = not part.in_order or held == sorted(held, key=lambda at: at or 0)
                if all(held) and is_in_order:
                    if self.clock(down) - self.clock(min(held)) <= long:
                        yield Moment(self.clock(down), min(held), down, down)

    def held(self, name, instant):
        """When a button was pressed that is down at an instant."""
        its = [press for press in self.presses if press.name == name and not press.is_carried]
        downs = [press.time for press in its if press.time <= instant < press.release]
        return downs[-1] if downs else None

    def is_broken(self, part, since, moment):
        """Whether something was pressed since an instant that the part does not bear."""
        others = self.strange() - set(part.names if part.kind == "together" else [])
        names = {*(others if self.combo.is_strict else []), *part.unless}
        # A release of a direction is a nanosecond before the press that the same report makes, which
        # is no other one.
        for at in self.pressed(names, since + 1):
            is_before = self.clock(at) < moment.time if part.kind == "hold" else at < moment.edge
            if is_before and at != moment.edge:
                return True
        return False

    def may_begin(self, part, moment):
        """Whether a chain may begin with a moment."""
        edge = moment.edge
        earlier = [at for at in self.pressed(self.combo.own, -1) if at < edge]
        is_calm = all(self.clock(edge) - self.clock(at) >= self.combo.calm for at in earlier)
        return is_calm and not (part.kind == "hold" and self.is_broken(part, edge, moment))

    def follow(self, part, earlier, moment):
        """A moment as the one after an earlier one, or nothing."""
        passed = self.clock(moment.edge) - earlier.time
        after = part.after * MILLISECOND
        opens = max(0, after - part.buffered * MILLISECOND)
        if not opens <= passed <= part.within * MILLISECOND or moment.first <= earlier.last:
            return None
        if self.is_broken(part, earlier.last, moment):
            return None
        return replace(moment, time=earlier.time + after) if passed < after else moment

    def chains(self, chain=()):
        parts, n = self.combo.parts, len(chain)
        if n == len(parts):
            yield chain
            return
        for moment in self.moments(parts[n], parts[n - 1] if n else None, chain):
            if n == 0:
                next_one = moment if self.may_begin(parts[0], moment) else None
            else:
                next_one = self.follow(parts[n], chain[-1], moment)
            if next_one:
                yield from self.chains((*chain, next_one))

    def is_quiet(self, last, end):
        """Whether nothing that may not be pressed is pressed from the last step on."""
        own = self.pressed(self.combo.own, last.last)
        is_own = any(last.time <= self.clock(at) < end for at in own)
        others = self.pressed(self.strange() if self.combo.is_strict else [], last.last)
        return not is_own and all(self.clock(at) >= end for at in others)

    def ends(self):
        """The moment at which each chain is met, and the chain."""
        for chain in self.chains():
            end = chain[-1].time + self.combo.behind
            most = self.combo.all_within or math.inf
            if self.combo.behind and not self.is_quiet(chain[-1], end):
                continue
            if end - self.clock(chain[0].first) <= most:
                yield end, chain

    def fires(self):
        """From the press of the first step to the moment of the last, of each chain that fires."""
        return ((chain[0].edge, end) for end, chain in self.firing())

    def firing(self):
        """The moment at which each chain fires, and the chain."""
        ends, spent = {}, -1
        for end, chain in self.ends():
            ends.setdefault((end, chain[-1].last), []).append(chain)
        for (end, last), chains in sorted(ends.items()):
            chains = [chain for chain in chains if self.combo.again or chain[0].first > spent]
            if chains:
                spent = last
                yield end, max(chains, key=lambda chain: (chain[0].first, chain[0].edge))


class Turned(Search):
    """The same where left and right change places while something is on at the first step."""

    def __init__(self, combo, presses, hz, is_turned):
        super().__init__(combo, presses, hz)
        # Its own names are those of both ways.
        combo.own |= {mirrored(name) for name in combo.own}
        turn = lambda names: [mirrored(name) for name in names]
        other = copy.copy(combo)
        other.parts = [
            replace(part, names=turn(part.names), unless=turn(part.unless)) for part in combo.parts
        ]
        other.passing = turn(combo.passing)
        self.other, self.is_turned = Search(other, presses, hz), is_turned

    def ends(self):
        for ends, is_turned in ((super().ends(), False), (self.other.ends(), True)):
            yield from (end for end in ends if self.is_turned(end[1][0].edge) == is_turned)


def mirrored(name):
    return name.replace("left", "?").replace("right", "left").replace("?", "right")


def a_step(dice, kind, before, signals):
    """A random step after another one; none for the first."""
    count = dice.choice([2, 2, 3]) if kind == "together" else dice.choice([1, 1, 2])
    step = Step(kind, dice.sample(signals, count), dice.randint(20, 400))
    if kind == "quiet":
        return Step(kind, [], step.long)
    if kind == "release" and before and before.kind in ("press", "hold") and dice.random() < 0.7:
        step.names = before.names
    step.in_order = kind == "together" and dice.random() < 0.3
    step.times = dice.choice([2, 3]) if kind in ("press", "tap") and dice.random() < 0.2 else 1
    if before or step.times > 1:
        step.within = dice.randint(30, 600)
    if before:
        step.after = dice.choice([0, 0, 0, dice.randint(1, step.within)])
        others = [name for name in signals if name not in step.names]
        step.unless = dice.choice([[], [], [], dice.sample(others, min(1, len(others)))])
        if kind == "press" and step.after and dice.random() < 0.6:
            step.buffered = dice.randint(1, step.after)
    return step


def a_combo(dice, signals, others=("tap", "release", "hold", "together"), early=True):
    some = dice.choice([[], [dice.choice(others)], [dice.choice(others)], others])
    kinds = ["press", *some]
    steps = []
    for n in range(dice.randint(1, 3 if len(kinds) > 1 else 4)):
        usual = [kind for kind in kinds if n or kind != "release"]
        steps.append(a_step(dice, dice.choice(usual), steps[-1] if steps else None, signals))
    if dice.random() < 0.25 and not any(step.kind == "together" for step in steps):
        steps.insert(0, a_step(dice, "quiet", None, signals))
    if dice.random() < 0.25:
        steps.append(a_step(dice, "quiet", None, signals))
    for step in steps:
        step.buffered = step.buffered if early else 0
    least = sum(step.after * step.times for step in steps)
    least += sum(step.long for step in steps if step.kind in ("hold", "quiet"))
    all_within = dice.choice([0, 0, max(100, least) + dice.randint(0, 900)])
    chances = {"is_strict": 0.25, "again": 0.2, "in_ticks": 0.2, "forced": 0.3}
    flags = {name: dice.random() < chance for name, chance in chances.items()}
    passing = dice.sample(signals, dice.choice([0, 1, 1, 2])) if flags["is_strict"] else []
    return Combo(steps, all_within, **flags, passing=passing)


def movements(dice, may_go=True):
    """Buttons of which several may be down at once, in order of time."""
    free, moved = dict.fromkeys(BUTTONS, 10 * MILLISECOND), []
    pace, longest = dice.choice([150e6, 400e6, 900e6]), dice.choice([[30e6], [80e6, 500e6]])
    for _ in range(dice.randint(5, 50)):
        name = dice.choice(BUTTONS)
        down = free[name] + int(dice.uniform(25e6, pace))
        free[name] = down + int(dice.uniform(25e6, dice.choice(longest)))
        moved += [(down, name, 1), (free[name], name, 0)]
    moved.sort()
    if may_go and dice.random() < 0.3:
        # The pad goes for a while, with whatever is held on it.
        goes = dice.randint(50 * MILLISECOND, moved[-1][0])
        comes = goes + dice.randint(40, 300) * MILLISECOND
        moved = [move for move in moved if not goes <= move[0] <= comes]
        moved = sorted([*moved, (goes, "", 0), (comes, "", 1)])
    return moved


def met(folder, rig, lines):
    """From when to when the attempts at `it` went that were met, and of which pad each was, in
    order."""
    told = reports_of_texts("combos", folder, rig, lines)
    its = [line for line in told if line["line"] == "attempt" and line["combo"] == "it"]
    met = [attempt for attempt in its if attempt["outcome"] == "met"]
    return [(attempt["from_ns"], attempt["to_ns"], attempt.get("device")) for attempt in met]


@pytest.mark.parametrize("seed", range(200))
def test_combos_fire_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo, moved = dice.choice([60, 120, 500]), a_combo(dice, BUTTONS), movements(dice)
    # Another one names the same presses otherwise, and is no press of its own.
    others = [f'"press {alias.format(name)}"' for alias in CALLED for name in BUTTONS]
    other = ["[combo.other]", f"steps = [{', '.join(dice.sample(others, 2))}]"]
    rig = rig_of(hz, OF_BUTTONS, called(dice, combo.table()), other)
    said = [(begin, end) for begin, end, _ in met(tmp_path, rig, some_pads(moved))]
    assert said == list(Search(combo, polled(moved, hz), hz).fires())


@pytest.mark.parametrize("seed", range(100))
def test_a_combo_of_one_device_is_one_for_each_pad(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo = dice.choice([60, 120, 500]), a_combo(dice, BUTTONS)
    pads = [movements(dice) for _ in "12"]
    rig = rig_of(hz, combo.table(), ["one-device = true"])
    fires = [list(Search(combo, polled(moved, hz), hz).fires()) for moved in pads]
    asked = [(*at, f"pad{n}") for n, of_one in enumerate(fires, 1) for at in of_one]
    assert sorted(met(tmp_path, rig, some_pads(*pads))) == sorted(asked)


def of_any(pads, hz):
    """The presses of names that are on while any of several pads has them down."""
    turns = []
    for of_one in pads:
        for press in polled(of_one, hz):
            turns.append((press.time, press.release, press.name, press.is_forced))
    # What polls see.
    tick_at = lambda instant: -(-instant * hz // 10**9)
    presses = []
    for name in BUTTONS:
        on = None
        for down, up, _, is_forced in sorted(turn for turn in turns if turn[2] == name):
            if on and tick_at(down) <= tick_at(on.release):
                # One went off while or just before the other one went on: no poll sees it off.
                on.release, on.is_forced = max((on.release, on.is_forced), (up, is_forced))
            else:
                on = Press(down, name, up, is_forced)
                presses.append(on)
    return sorted(presses, key=lambda press: press.time)


@pytest.mark.parametrize("seed", range(100))
def test_a_name_is_that_of_any_pad(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo = dice.choice([60, 120, 500]), a_combo(dice, BUTTONS)
    combo.is_strict = False
    is_twin = dice.random() < 0.5
    pads = [movements(dice, may_go=not is_twin) for _ in "12"]
    if is_twin:
        # The second one does what the first one does, at almost the same time.
        shaken = [(time + dice.randint(0, 12 * MILLISECOND), *rest) for time, *rest in pads[0]]
        pads[1] = sorted(shaken)
    said = met(tmp_path, rig_of(hz, combo.table()), some_pads(*dice.sample(pads, 2)))
    assert said == [(*at, None) for at in Search(combo, of_any(pads, hz), hz).fires()]


# What a name may be besides the button of a pad, and how a take writes that it goes on and off.
SIGNALS = {
    "south": ("pad1", "south", [1], [0]),
    "keys/KeyH": ("keys1", "KeyH", [1], [0]),
    "pad/trigger-r": ("pad1", "trigger-r", [50, 77, 100], [0, 49]),
    "action/horn": ("pad1", "north", [1], [0]),
    "zone/plate": ("glass1", "contact-1", [1], [0]),
    "glass/contact-2": ("glass1", "contact-2", [1], [0]),
    "gesture/tap": ("glass1", "contact-3", [1], [0]),
}
HORN = ["[action.horn]", 'gives = "on"', 'from = "pad/north"']
PLATE = ["[zone.plate]", "rect = [0, 0, 0.5, 1]", "[gesture.tap]", 'kind = "tap"']
PLATE += ['zone = "tap"', "[zone.tap]", "rect = [0.5, 0.5, 0.5, 0.5]"]


def signals(dice, moved, carried):
    """The lines of a take in which names go on and off, of which some were on before."""
    button = '{"code":"%s","kind":"button"}'
    place = '{"code":"contact-%d-%s","kind":"position","min":0,"max":100}'
    pad = [button % "south", button % "north"]
    pad.append('{"code":"trigger-r","kind":"trigger","min":0,"max":100}')
    glass = [button % f"contact-{n}" for n in (1, 2, 3)]
    glass += [place % (n, axis) for n in (1, 2, 3) for axis in "xy"]
    yield '{"take":1}'
    for name, controls in ("pad1", pad), ("keys1", [button % "KeyH"]), ("glass1", glass):
        kind = name.rstrip("1")
        yield f'{{"t":0,"plug":"{name}","kind":"{kind}","controls":[{",".join(controls)}]}}'
    # The second finger is beside the zones, and the third one taps.
    for control in "contact-2-x", "contact-3-x", "contact-3-y":
        yield f'{{"t":0,"on":"glass1","c":"{control}","v":90}}'
    for name in carried:
        device, control, on, _ = SIGNALS[name]
        yield f'{{"t":0,"on":"{device}","c":"{control}","v":{dice.choice(on)},"mark":"carried"}}'
    for time, name, value in moved:
        device, control, on, off = SIGNALS[name]
        said = dice.choice(on if value else off)
        yield f'{{"t":{time},"on":"{device}","c":"{control}","v":{said}}}'
    yield f'{{"t":{moved[-1][0] + 3 * 10**9},"ends":true}}'


def tapped(presses, hz):
    """The same presses, where those of a finger are taps: on for the tick after the lift."""
    fingers = [press for press in presses if press.name == "gesture/tap"]
    yield from (press for press in presses if press.name != "gesture/tap")
    for finger in fingers:
        if finger.release - finger.time <= 250 * MILLISECOND:
            tick = -(-finger.release * hz // 10**9)
            before, off = (n * 10**9 // hz for n in (tick, tick + 1))
            lands = [other.time for other in fingers if before < other.time <= off]
            yield Press(finger.release, finger.name, *(lands or [off]))


@pytest.mark.parametrize("seed", range(200))
def test_names_are_more_than_buttons(seed, tmp_path):
    dice = random.Random(seed)
    hz, some = dice.choice([60, 120, 500]), dice.sample(list(SIGNALS), 4)
    combo = a_combo(dice, some)
    named = combo.own | {name for part in combo.parts for name in part.unless}
    # A trigger is pressed only for who names it, and a finger is what is named of it.
    combo.seen = named | ({"south", "keys/KeyH", "action/horn"} & set(some))
    later, names = 60 * MILLISECOND, dict(zip(BUTTONS, some))
    moved = [(time + later, names[name], value) for time, name, value in movements(dice, False)]
    carried = [name for name in some if dice.random() < 0.15]
    moved += [(dice.randint(5, 30) * MILLISECOND, name, 0) for name in carried]
    moved.sort()
    said = met(tmp_path, rig_of(hz, PLATE, HORN, combo.table()), signals(dice, moved, carried))
    presses = sorted(tapped(polled(moved, hz, carried), hz), key=lambda press: press.time)
    assert said == [(*at, None) for at in Search(combo, presses, hz).fires()]


def stick_reports(dice):
    """A stick that is turned and let go: each report with its instant and its place."""
    time, angle = 10 * MILLISECOND, 0.0
    for _ in range(dice.randint(10, 80)):
        time += int(dice.uniform(4e6, dice.choice([40e6, 200e6])))
        angle += dice.choice([0, dice.gauss(0, 30), dice.uniform(0, 360)])
        length = dice.choice([0.0, 0.3, 0.45, 0.55, 0.7, 0.95])
        turned = math.radians(angle)
        yield time, int(length * math.cos(turned) * 32767), int(length * math.sin(turned) * 32767)


def a_stick(reports, taps):
    """The lines of a take in which a stick moves, and a button is tapped at some instants."""
    axis = '"kind":"axis","min":-32767,"centre":0,"max":32767'
    controls = ['{"code":"mode","kind":"button"}']
    controls += [f'{{"code":"stick-l-{n}",{axis}}}' for n in "xy"]
    said = [(time, "mode", 1) for time in taps]
    # Longer than from one poll to the next.
    said += [(time + 18 * MILLISECOND, "mode", 0) for time in taps]
    for time, *place in reports:
        said += [(time, f"stick-l-{axis}", at) for axis, at in zip("xy", place)]
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{",".join(controls)}]}}'
    for time, control, value in sorted(said):
        yield f'{{"t":{time},"on":"pad1","c":"{control}","v":{value}}}'
    yield f'{{"t":{reports[-1][0] + 3 * 10**9},"ends":true}}'


def directions(reports, hz):
    """The presses of the directions that polls of a stick find, at the last reports before."""
    queue, place, on, presses, is_away, at = list(reports), (0, 0), None, [], False, 0
    for tick in range(queue[-1][0] * hz // 10**9 + 2):
        while queue and queue[0][0] <= tick * 10**9 // hz:
            at, *place = queue.pop(0)
        length = math.hypot(*place) / 32767
        angle = math.degrees(math.atan2(place[1], place[0]))
        away = lambda n: abs((45 * n - angle + 180) % 360 - 180)
        is_away = length >= (0.4 if is_away else 0.5)
        if on and (not is_away or away(COMPASS.index(on.name)) > 27.5):
            # A release counts before a press of the same instant.
            on.release, on = at - 1, None
        if not on and is_away:
            on = Press(at, min(COMPASS, key=lambda name: away(COMPASS.index(name))))
            presses.append(on)
    return presses


def a_combo_of_directions(dice):
    combo = a_combo(dice, COMPASS, others=["release", "hold"])
    # Of directions a strict one sees those that the rig names.
    combo.seen = combo.named()
    return combo


@pytest.mark.parametrize("seed", range(100))
def test_directions_are_pressed_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    combo = a_combo_of_directions(dice)
    combo.in_ticks, reports = True, list(stick_reports(dice))
    action = ["[action.aim]", 'gives = "plane"', 'from = { stick = "pad/stick-l" }']
    flip = ["[action.flip]", 'gives = "toggle"', 'from = "pad/mode"']
    way = ['stick = "aim"']
    instants = range(MILLISECOND, reports[-1][0], 60 * MILLISECOND)
    flips = sorted(dice.sample(instants, min(len(instants), dice.choice([0, 1, 3]))))
    # The button of the mirror is a press of something else for a strict one.
    has_mirror = not combo.is_strict and any(mirrored(name) != name for name in combo.own)
    if has_mirror:
        way.append('mirror-while = "action/flip"')
    else:
        flips = []
    rig = rig_of(hz, combo.table(), way, action, flip)
    told = reports_of_texts("combos", tmp_path, rig, a_stick(reports, flips))
    said = [line["fired_tick"] for line in told if line.get("outcome") == "met"]
    tick_at = lambda instant: -(-instant * hz // 10**9)
    presses = directions(reports, hz)
    if {tick_at(press.time) for press in presses} & {tick_at(flip) for flip in flips}:
        return
    is_turned = lambda instant: sum(flip < instant for flip in flips) % 2 == 1
    search = Turned(combo, presses, hz, is_turned) if has_mirror else Search(combo, presses, hz)
    assert said == [tick_at(end) for _, end in search.fires()]


DPAD = {"south": "dpad-up", "east": "dpad-down", "west": "dpad-left", "north": "dpad-right"}
# The way of each button, right and up.
WAYS = {"dpad-up": (0, 1), "dpad-down": (0, -1), "dpad-left": (-1, 0), "dpad-right": (1, 0)}


def dpad_directions(moved, hz):
    """The presses of directions that polls of a d-pad find, at the report that moved it last."""
    queue, held, on, presses, moved_at = list(moved), set(), None, [], 0
    for tick in range(queue[-1][0] * hz // 10**9 + 2):
        while queue and queue[0][0] <= tick * 10**9 // hz:
            moved_at, name, value = queue.pop(0)
            (held.add if value else held.discard)(DPAD[name])
        x, y = (sum(parts) for parts in zip((0, 0), *(WAYS[name] for name in held)))
        name = COMPASS[round(math.degrees(math.atan2(y, x)) / 45) % 8] if x or y else None
        if on and on.name != name:
            # A release counts before a press of the same instant.
            on.release, on = moved_at - 1, None
        if name and not on:
            on = Press(moved_at, name)
            presses.append(on)
    return presses


def some_dpads(*moved):
    """The lines of a take in which the d-pads of pads move."""
    controls = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in WAYS)
    yield '{"take":1}'
    for n, _ in enumerate(moved, 1):
        yield f'{{"t":0,"plug":"pad{n}","kind":"pad","controls":[{controls}]}}'
    moves = sorted((*move, n) for n, of_one in enumerate(moved, 1) for move in of_one)
    for time, name, value, n in moves:
        yield f'{{"t":{time},"on":"pad{n}","c":"{DPAD[name]}","v":{value}}}'
    yield f'{{"t":{moves[-1][0] + 3 * 10**9},"ends":true}}'


def are_met(said, fires):
    """A release counts just before the press of the same instant."""
    assert [(at, device) for at, _, device in said] == [(at, device) for at, _, device in fires]
    assert all(to - at in (0, 1) for (_, to, _), (_, at, _) in zip(said, fires))


@pytest.mark.parametrize("seed", range(100))
def test_a_dpad_has_directions(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo, moved = dice.choice([60, 120, 500]), a_combo_of_directions(dice), movements(dice, False)
    # Another one may call the same directions otherwise, and none is a press of its own.
    own, others = (f'stick = "{dice.choice(["pad", "pad1"])}/dpad"' for _ in range(2))
    named = dice.sample(COMPASS, 2)
    other = ["[combo.other]", others, f'steps = ["press {named[0]}", "press {named[1]}"]']
    combo.seen = {*combo.named(), *named}
    rig = rig_of(hz, combo.table(), [own], other)
    said = met(tmp_path, rig, some_dpads(moved))
    fires = Search(combo, dpad_directions(moved, hz), hz).fires()
    are_met(said, [(*at, None) for at in fires])


def whole_pads(*pads):
    """The lines of a take in which the d-pad of each pad moves, and its buttons do: instant, name,
    and 1 or 0 of both."""
    codes = [*WAYS, *BUTTONS, "mode"]
    controls = ",".join(f'{{"code":"{code}","kind":"button"}}' for code in codes)
    said = []
    yield '{"take":1}'
    for n, (ways, moved) in enumerate(pads, 1):
        yield f'{{"t":0,"plug":"pad{n}","kind":"pad","controls":[{controls}]}}'
        said += [(time, n, DPAD[name], value) for time, name, value in ways]
        said += [(time, n, name, value) for time, name, value in moved]
    for time, n, code, value in sorted(said):
        yield f'{{"t":{time},"on":"pad{n}","c":"{code}","v":{value}}}'
    yield f'{{"t":{max(said)[0] + 3 * 10**9},"ends":true}}'


def of_whole_pad(ways, moved, is_named, hz):
    """The presses of a pad whose d-pad is directions, or four buttons like any other where no
    direction is named."""
    of_dpad = dpad_directions(ways, hz) if is_named else [
        replace(press, name=DPAD[press.name]) for press in polled(ways, hz)
    ]
    return sorted([*of_dpad, *polled(moved, hz)], key=lambda press: press.time)


@pytest.mark.parametrize("seed", range(200))
def test_directions_beside_buttons_and_a_mirror(seed, tmp_path):
    """A strict one hears every button, the one that turns it as well, but not the others of the
    d-pad."""
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    combo = a_combo(dice, [*dice.sample(COMPASS, 4), *dice.sample(BUTTONS, 2)])
    ways, moved = movements(dice, False), movements(dice, False)
    named = combo.named()
    has_mirror = any(mirrored(name) != name for name in combo.own)
    # Longer than from one poll to the next, or several between two.
    apart, held = dice.choice([(60, 18), (60, 40), (7, 1), (7, 3)])
    instants = range(MILLISECOND, moved[-1][0], apart * MILLISECOND)
    flips = sorted(dice.sample(instants, min(len(instants), dice.choice([0, 1, 3, 8, 80]))))
    held *= MILLISECOND
    taps = [(at + n * held, "mode", 1 - n) for at in flips for n in (0, 1)]
    is_named = any(name in COMPASS for name in named)
    presses = of_whole_pad(ways, sorted([*moved, *taps]), is_named, hz)
    combo.seen = {*BUTTONS, "mode", *named, *(map(mirrored, named) if has_mirror else [])}
    combo.seen |= set() if is_named else set(WAYS)
    # It turns over at each tap, or is turned around while the button is held.
    gives = dice.choice(["toggle", "on"])
    flip = ["[action.flip]", f'gives = "{gives}"', 'from = "pad/mode"']
    way = ['stick = "pad/dpad"', *(['mirror-while = "action/flip"'] if has_mirror else [])]
    said = met(tmp_path, rig_of(hz, combo.table(), way, flip), whole_pads((ways, [*moved, *taps])))
    found = polled(taps, hz) if taps else []
    turns = [press.time for press in found]
    turns += [press.release for press in found if press.release] if gives == "on" else []
    is_turned = lambda instant: sum(time < instant for time in turns) % 2 == 1
    search = Turned(combo, presses, hz, is_turned) if has_mirror else Search(combo, presses, hz)
    are_met(said, [(*at, None) for at in search.fires()])


@pytest.mark.parametrize("seed", range(100))
def test_directions_of_a_stick_beside_buttons(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    combo = a_combo(dice, [*dice.sample(COMPASS, 4), *dice.sample(BUTTONS, 2)])
    reports, moved = list(stick_reports(dice)), movements(dice, False)
    named = combo.named()
    combo.seen = {*BUTTONS, *named}
    presses = sorted([*directions(reports, hz), *polled(moved, hz)], key=lambda press: press.time)
    action = ["[action.aim]", 'gives = "plane"', 'from = { stick = "pad1/stick-l" }']
    rig = rig_of(hz, combo.table(), ['stick = "aim"'], action)
    lines = merged(a_stick(reports, []), (line.replace("pad1", "pad2") for line in some_pads(moved)))
    are_met(met(tmp_path, rig, lines), [(*at, None) for at in Search(combo, presses, hz).fires()])


@pytest.mark.parametrize("seed", range(100))
def test_a_combo_of_one_device_has_directions_and_buttons(seed, tmp_path):
    """And a mirror, which a button of the first pad turns for both."""
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    combo = a_combo(dice, [*dice.sample(COMPASS, 4), *dice.sample(BUTTONS, 2)])
    ways, moved = ([movements(dice, False) for _ in "12"] for _ in "ab")
    named = combo.named()
    is_named = any(name in COMPASS for name in named)
    has_mirror = dice.random() < 0.5 and any(mirrored(name) != name for name in combo.own)
    instants = range(MILLISECOND, moved[0][-1][0], 60 * MILLISECOND)
    flips = sorted(dice.sample(instants, min(len(instants), dice.choice([0, 1, 3, 8]))))
    taps = [(at + n * 40 * MILLISECOND, "mode", 1 - n) for at in flips for n in (0, 1)]
    moved[0] = sorted([*moved[0], *taps])
    combo.seen = {*BUTTONS, "mode", *named, *(() if is_named else WAYS)}
    combo.seen |= set(map(mirrored, named)) if has_mirror else set()
    flip = ["[action.flip]", 'gives = "toggle"', 'from = "pad/mode"']
    way = ['stick = "pad/dpad"', "one-device = true"]
    way += ['mirror-while = "action/flip"'] if has_mirror else []
    said = met(tmp_path, rig_of(hz, combo.table(), way, flip), whole_pads(*zip(ways, moved)))
    is_turned = lambda instant: sum(flip < instant for flip in flips) % 2 == 1
    for n, pad in enumerate(zip(ways, moved), 1):
        its, presses = copy.copy(combo), of_whole_pad(*pad, is_named, hz)
        search = Turned(its, presses, hz, is_turned) if has_mirror else Search(its, presses, hz)
        fires = [(*at, f"pad{n}") for at in search.fires()]
        are_met([at for at in said if at[2] == f"pad{n}"], fires)


@pytest.mark.parametrize("seed", range(100))
def test_a_combo_of_one_device_is_one_for_each_dpad(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo = dice.choice([60, 120, 500]), a_combo_of_directions(dice)
    pads = [movements(dice, False) for _ in "12"]
    rig = rig_of(hz, combo.table(), ['stick = "pad/dpad"', "one-device = true"])
    fires = [Search(combo, dpad_directions(moved, hz), hz).fires() for moved in pads]
    asked = [(*at, f"pad{n}") for n, of_one in enumerate(fires, 1) for at in of_one]
    said = met(tmp_path, rig, some_dpads(*pads))
    for pad in ("pad1", "pad2"):
        are_met([at for at in said if at[2] == pad], [at for at in asked if at[2] == pad])


def fires_of(steps, others, folder, lines):
    """When a combo of these texts of steps is met, with the other combos of a rig."""
    table = ["[combo.it]", f"steps = {json.dumps(steps)}"]
    told = reports_of_texts("combos", folder, rig_of(60, table, *others), lines)
    met = [line for line in told if line.get("outcome") == "met" and line["combo"] == "it"]
    return [(line["from_ns"], line["to_ns"]) for line in met]


@pytest.mark.parametrize("seed", range(60))
def test_an_exact_count_is_short_for_quiets(seed, tmp_path):
    dice = random.Random(seed)
    name, times, within = dice.choice(BUTTONS), dice.randint(2, 4), dice.randint(100, 500)
    lines = list(some_pads(movements(dice)))
    short = [f"press {name} exactly {times} times within {within} ms"]
    again = [f"press {name} within {within} ms unless {name}"] * (times - 1)
    quiet = [f"quiet for {within} ms"]
    long = [*quiet, f"press {name}", *again, *quiet]
    assert fires_of(short, [], tmp_path, lines) == fires_of(long, [], tmp_path, lines)


@pytest.mark.parametrize("seed", range(60))
def test_do_is_short_for_the_steps_of_a_combo(seed, tmp_path):
    dice = random.Random(seed)
    kinds = ["press", "tap", "hold", "together"]
    some = BUTTONS[:3]
    before, inner = [a_step(dice, dice.choice(kinds), None, some) for _ in "12"]
    others = [a_step(dice, dice.choice(kinds), inner, some) for _ in range(dice.randint(0, 1))]
    times, within = dice.randint(1, 2), dice.randint(200, 900)
    after = dice.choice([0, dice.randint(1, within)])
    clauses = f" within {within} ms" + (f" after {after} ms" if after else "")
    unless = [name for name in BUTTONS if name not in inner.names][0]
    clauses += dice.choice(["", f" unless {unless}"])
    # Its own clauses are about the times after its first, and its names are those of its device.
    device = dice.choice(["pad", "pad1", "pad2"])
    its = lambda step: replace(
        step, **{key: [f"{device}/{n}" for n in getattr(step, key)] for key in ("names", "unless")}
    ).text()
    once, rest = replace(inner, times=1), [its(step) for step in others]
    first = its(replace(once, within=0)) + clauses
    group = [first, *[its(once)] * (inner.times - 1), *rest]
    done = f"do inner {times} times{clauses}" if times > 1 else f"do inner{clauses}"
    texts = [step.text() for step in (inner, *others)]
    combo = ["[combo.inner]", f'device = "{device}"', f"steps = {json.dumps(texts)}"]
    lines = list(some_pads(movements(dice), movements(dice)))
    short = fires_of([before.text(), done], [combo], tmp_path, lines)
    assert short == fires_of([before.text(), *(group * times)], [], tmp_path, lines)


@pytest.mark.parametrize("seed", range(100))
def test_a_strict_combo_hears_every_press_of_two_pads(seed, tmp_path):
    """A name that one pad holds is not pressed again by the other, but something else is."""
    dice = random.Random(seed)
    time, held, moved, presses = 0, [set(), set()], [[], []], []
    for _ in range(dice.randint(10, 80)):
        # Each in a tick of its own.
        time += dice.randint(18, 60) * MILLISECOND
        pad, name = dice.choice([0, 1]), dice.choice(BUTTONS)
        is_press = name not in held[pad]
        moved[pad].append((time, name, int(is_press)))
        if is_press:
            presses.append((time, name if name not in held[1 - pad] else None))
        held[pad] ^= {name}
    first, second = dice.sample(BUTTONS, 2)
    within, steps = dice.randint(40, 400), [f"press {first}"]
    steps.append(f"press {second} within {within} ms")
    # Whether the rig names the others changes nothing.
    others = ["[combo.other]", f'steps = "{", ".join(f"press {name}" for name in BUTTONS)}"']
    tables = [["strict = true"], *dice.choice([[], [others]])]
    asked = [
        (a, b)
        for (a, one), (b, other) in pairwise(presses)
        if (one, other) == (first, second) and b - a <= within * MILLISECOND
    ]
    assert fires_of(steps, tables, tmp_path, list(some_pads(*moved))) == asked


THEN = ["press south", "press east within 500 ms"]
CHORD = ["press south", "together action/horn and east in 300 ms within 500 ms"]


@pytest.mark.parametrize(
    ("steps", "passing", "named", "is_met"),
    [
        (CHORD, [], "west", True),
        (CHORD, [], "north", True),
        (THEN, ["action/horn"], "west", True),
        (THEN, ["action/horn"], "north", True),
        (THEN, ["north"], "action/horn", True),
        (THEN, ["pad1/north"], "action/horn", True),
        (THEN, ["west"], "action/horn", False),
        (THEN, [], "west", False),
    ],
)
def test_a_press_may_pass_by_any_of_its_names(steps, passing, named, is_met, tmp_path):
    """North is pressed between south and east. It is the horn too, and another combo names it."""
    strict = ["[combo.it]", f"steps = {steps}", "strict = true"]
    strict += [f"passing = {passing}"] if passing else []
    other = ["[combo.other]", f'steps = ["press {named}", "press west within 1 ms"]']
    presses = enumerate(["south", "north", "east"], 1)
    moved = [(n * 50 * MILLISECOND, name, 1) for n, name in presses]
    told = reports_of_texts("combos", tmp_path, rig_of(60, HORN, strict, other), some_pads(moved))
    its = [line for line in told if line["line"] == "attempt" and line["combo"] == "it"]
    assert [line["outcome"] for line in its] == ["met" if is_met else "broken"]


def at_once(dice, moved):
    """The same movements, of which several happen at one instant."""
    instants = {}
    for time, name, value in moved:
        cell = time // (20 * MILLISECOND)
        # A multiple of 64 nanoseconds.
        later = dice.randrange(0, 5 * MILLISECOND, 64)
        yield instants.setdefault(cell, 20 * MILLISECOND * cell + later), name, value


def named_first(combo):
    """The names of a combo in the order in which it has them."""
    real = [step for step in combo.steps if step.kind != "quiet"]
    passing = combo.passing if combo.is_strict else []
    return list(dict.fromkeys([*passing, *(n for of in real for n in [*of.names, *of.unless])]))


@pytest.mark.parametrize("seed", range(200))
def test_what_comes_at_one_instant_counts_in_the_order_of_names(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo = dice.choice([60, 120, 500]), a_combo(dice, BUTTONS)
    moved = sorted(at_once(dice, movements(dice, may_go=False)))
    way = ["one-device = true"] if dice.random() < 0.5 else []
    said = met(tmp_path, rig_of(hz, combo.table(), way), some_pads(moved))
    # Releases first, and what is not named before what is; each some nanoseconds after the last.
    names = [name for name in BUTTONS if name not in combo.named()] + named_first(combo)
    rank = lambda name, value: 4 * (names.index(name) + len(names) * value)
    apart = sorted((time + rank(name, value), name, value) for time, name, value in moved)
    rounded = lambda at: at - at % 64
    # A press counts once at one moment, also an early one for several attempts of one instant.
    fires = {
        (rounded(end), chain[-1].last): rounded(chain[0].edge)
        for end, chain in Search(combo, polled(apart, hz), hz).firing()
    }
    said = [(rounded(begin), rounded(end)) for begin, end, _ in said]
    assert said == [(begin, end) for (end, _), begin in fires.items()]
