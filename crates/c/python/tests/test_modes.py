"""Combos in modes that forget or freeze, written a second time from docs/rig-format.md alone, and
held against the program over random combos and hands."""

import random
from dataclasses import dataclass

import pytest
from test_combos import Combo, Search, Step, a_combo, movements
from test_fingers import HEIGHT, WIDTH, Gesture, Panel, Run, fingers
from test_fingers import polled as touched
from workbench import BUTTONS, MILLISECOND, a_glass, merged, polled, reports_of_texts, rig_of

# What enters and leaves the modes, each with its button; the first mode is always on.
SWITCHES = {"b": ("to-b", "from-b"), "c": ("to-c", "from-c")}
BY = {"to-b": "shoulder-l", "from-b": "shoulder-r", "to-c": "start", "from-c": "select"}
ALL = [*BUTTONS, *BY.values()]


@dataclass
class Stretch:
    """A mode is on top, from the tick after one that switched to it to one that switches away."""

    mode: str
    first: int
    last: int = 10**9
    # For how many ticks the clock stood still before, and how often attempts ended.
    paused: int = 0
    life: int = 0


def by_buttons(presses, hz, actions):
    """The ticks at which actions are on that buttons drive."""
    on = {}
    for press in presses:
        for action in (action for action in actions if BY[action] == press.name):
            on.setdefault(-(-press.time * hz // 10**9), set()).add(action)
    return on


def stretches(on, freezing):
    """What is on top when, by the actions that are on at each tick."""
    stack, found, under = ["a"], [Stretch("a", 0)], None
    for tick in sorted(on):
        before, names = stack[-1], on[tick] - on.get(tick - 1, set())
        for mode, (enter, leave) in SWITCHES.items():
            if stack[-1] == mode and leave in names:
                stack = stack[:-1]
            elif enter in names:
                stack = [*(stack[: stack.index(mode)] if mode in stack else stack), mode]
        if stack[-1] == before:
            continue
        last = found[-1]
        last.last, paused, life = tick, last.paused, last.life
        if before in freezing:
            paused += tick - (last.first - 1)
        else:
            under = before
        if stack[-1] not in freezing and (before not in freezing or stack[-1] != under):
            life += 1
        found.append(Stretch(stack[-1], tick + 1, paused=paused, life=life))
    return found


class InModes(Search):
    """A search among what is pressed while the combo is open and its clock runs."""

    def __init__(self, combo, presses, hz, found, freezing, is_open):
        super().__init__(combo, presses, hz)
        self.stretches, self.freezing, self.is_open = found, freezing, is_open
        # A press in a mode that freezes counts for nothing.
        self.presses = [press for press in presses if self.at(press.time).mode not in freezing]

    def tick_of(self, instant):
        """Which poll sees what is reported at an instant."""
        return -(-instant * self.hz // 10**9)

    def at(self, instant):
        """What is on top when that is seen."""
        tick = self.tick_of(instant)
        return next(stretch for stretch in self.stretches if tick <= stretch.last)

    def clock(self, instant):
        stretch = self.at(instant)
        if stretch.mode in self.freezing:
            tick = stretch.first - 1
            return (tick - stretch.paused) * 10**9 // self.hz
        if self.combo.in_ticks:
            return (self.tick_of(instant) - stretch.paused) * 10**9 // self.hz
        return instant - self.stood(stretch)

    def stood(self, stretch):
        """For how long the clock stood still before a stretch, in nanoseconds."""
        until = [(s.first - 1, s.last) for s in self.stretches if s.mode in self.freezing]
        until = [span for span in until if span[1] < stretch.first]
        return sum(b * 10**9 // self.hz - a * 10**9 // self.hz for a, b in until)

    def pressed(self, names, after):
        """Of one life alone: what was pressed before is forgotten."""
        return [at for at in super().pressed(names, after) if self.at(at).life == self.life]

    def counts(self, instant):
        stretch = self.at(instant)
        is_running = stretch.mode not in self.freezing
        return is_running and self.is_open(stretch.mode) and stretch.life == self.life

    def moments(self, part, before, chain):
        for moment in super().moments(part, before, chain):
            if self.counts(moment.edge):
                yield moment

    def held(self, name, instant):
        at = super().held(name, instant)
        return at if at and self.at(at).life == self.life else None

    def ends(self):
        for self.life in range(self.stretches[-1].life + 1):
            for end, chain in super().ends():
                if self.fired_tick(end) is not None:
                    yield end, chain

    def fired(self):
        """When the first press of each attempt was that fires, and at which tick it does."""
        for began, end in self.fires():
            self.life = self.at(began).life
            yield began, self.fired_tick(end)

    def fired_tick(self, end):
        """The first tick at which the clock is so far, if it comes before attempts end."""
        for stretch in self.stretches:
            if stretch.life != self.life or stretch.mode in self.freezing:
                continue
            if self.combo.in_ticks:
                tick = self.tick_of(end) + stretch.paused
            else:
                tick = self.tick_of(end + self.stood(stretch))
            tick = max(stretch.first, tick)
            if tick <= stretch.last:
                return tick
        return None


def switching(dice, until):
    """When buttons that enter and leave modes are tapped."""
    moved, time = [], 0
    while time < until:
        name = dice.choice(list(BY.values()))
        down = time + dice.randint(30, 700) * MILLISECOND + dice.randint(0, 999_999)
        time = down + dice.randint(25, 60) * MILLISECOND
        moved += [(down, name, 1), (time, name, 0)]
    return moved


def a_pad(moved):
    """The lines of a take in which buttons move."""
    controls = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in ALL)
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{controls}]}}'
    for time, name, value in moved:
        yield f'{{"t":{time},"on":"pad1","c":"{name}","v":{value}}}'
    yield f'{{"t":{moved[-1][0] + 3 * 10**9},"ends":true}}'


def modes_table(windows, combos=(), gestures=()):
    """The modes and what enters and leaves them: buttons, or combos and gestures with the names of
    actions."""
    for mode in "abc":
        yield f"[mode.{mode}]"
        if mode in SWITCHES:
            yield f'enter = "to-{mode}"'
            yield f'leave = "from-{mode}"'
            yield f'windows = "{windows[mode]}"'
    for action, name in BY.items():
        yield f"[action.{action}]"
        yield 'gives = "pulse"'
        if action in (*combos, *gestures):
            what = "combo" if action in combos else "gesture"
            yield f'from = {{ {what} = "{action}" }}'
        else:
            yield f'from = "pad/{name}"'


@pytest.mark.parametrize("seed", range(200))
def test_combos_keep_to_modes_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    others = dice.choice([("press",), ("tap", "hold", "together")])
    combo = a_combo(dice, BUTTONS, others, early=False)
    combo.is_strict, combo.forced = False, False
    windows = {mode: dice.choice(["forget", "freeze"]) for mode in SWITCHES}
    its = dice.choice([[], [], ["a"], ["a", "b"], ["b"]])
    listens = [f"modes = {its}"] if its else []
    moved = movements(dice, may_go=False)
    moved = sorted([*moved, *switching(dice, moved[-1][0])])
    rig = rig_of(hz, combo.table(), listens, modes_table(windows))
    told = reports_of_texts("combos", tmp_path, rig, a_pad(moved))
    said = [(line["from_ns"], line["fired_tick"]) for line in told if line.get("outcome") == "met"]
    freezing = {mode for mode, way in windows.items() if way == "freeze"}
    presses = polled(moved, hz)
    is_open = lambda mode: not its or mode in its
    all_stretches = list(stretches(by_buttons(presses, hz, BY), freezing))
    search = InModes(combo, presses, hz, all_stretches, freezing, is_open)
    assert said == list(search.fired())


def all_open(_):
    """Of a combo that listens in every mode."""
    return True


def by_combos(combos, presses, hz, freezing):
    """What is on top when, where combos switch modes, by which they are forgotten or stand still:
    found from one tick at which any of them fires to the next."""
    horizon, on = -1, by_buttons(presses, hz, BY.keys() - combos.keys())
    while True:
        found = stretches(on, freezing)
        fired = {}
        for action, combo in combos.items():
            search = InModes(combo, presses, hz, found, freezing, all_open)
            for _, tick in search.fired():
                fired.setdefault(tick, set()).add(action)
        horizon = min((tick for tick in fired if tick > horizon), default=None)
        if horizon is None:
            return found
        on.setdefault(horizon, set()).update(fired[horizon])


@pytest.mark.parametrize("seed", range(150))
def test_combos_that_switch_modes_keep_to_them(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    windows = {mode: dice.choice(["forget", "freeze"]) for mode in SWITCHES}
    freezing = {mode for mode, way in windows.items() if way == "freeze"}
    combos = {}
    for action in BY:
        # What freezes can be left by a button alone.
        if dice.random() < 0.7 and not (action.startswith("from") and action[-1] in freezing):
            first = Step("press", [dice.choice(list(BY.values()))])
            then = Step("press", [BY[action]], within=dice.randint(200, 1500))
            flags = {"is_strict": False, "again": dice.random() < 0.5, "forced": False}
            combos[action] = Combo([first, then], 0, in_ticks=dice.random() < 0.2, **flags)
    combo = a_combo(dice, BUTTONS, ("press", "tap"), early=False)
    combo.is_strict, combo.forced = False, False
    moved = movements(dice, may_go=False)
    moved = sorted([*moved, *switching(dice, moved[-1][0] + 10**9)])
    called = lambda line, name: line.replace("combo.it", f"combo.{name}")
    tables = [[called(line, name) for line in of.table()] for name, of in combos.items()]
    rig = rig_of(hz, combo.table(), *tables, modes_table(windows, combos))
    told = reports_of_texts("combos", tmp_path, rig, a_pad(moved))
    presses = polled(moved, hz)
    found = by_combos(combos, presses, hz, freezing)
    for name, of in {"it": combo, **combos}.items():
        its = [line for line in told if line.get("combo") == name and line.get("outcome") == "met"]
        search = InModes(of, presses, hz, found, freezing, all_open)
        assert [(line["from_ns"], line["fired_tick"]) for line in its] == list(search.fired())


def by_taps(gestures, reports, hz):
    """The ticks at which actions are on that taps drive."""
    panel, waiting, on = Panel(), list(reports), {}
    runs = {action: Run(gesture) for action, gesture in gestures.items()}
    last = reports[-1][0] if reports else 0
    for tick in range(last * hz // 10**9 + 2):
        going, landed = touched([panel], waiting, tick * 10**9 // hz)
        names = {action for action, run in runs.items() if run.tick(tick, going, landed)}
        if names:
            on[tick] = names
    return on


@pytest.mark.parametrize("seed", range(150))
def test_gestures_switch_modes(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120, 500])
    windows = {mode: dice.choice(["forget", "freeze"]) for mode in SWITCHES}
    freezing = {mode for mode, way in windows.items() if way == "freeze"}
    gestures = {}
    for action in dice.sample(list(BY), dice.randint(1, len(BY))):
        limits = {"lift-ms": dice.randint(60, 500) + 0.007, "move-mm": dice.randint(1, 15) + 0.007}
        gestures[action] = Gesture("tap", 1, {"times": 1}, limits)
    combo = a_combo(dice, BUTTONS, ("press", "tap"), early=False)
    combo.is_strict, combo.forced = False, False
    its = dice.choice([[], ["a"], ["a", "b"], ["b"]])
    listens = [f"modes = {its}"] if its else []
    moved = movements(dice, may_go=False)
    moved = sorted([*moved, *switching(dice, moved[-1][0])])
    end = moved[-1][0]
    taps = [report for report in fingers(dice, 1, 5 * MILLISECOND, end) if report[0] < end]
    tables = [
        [f"[gesture.{action}]", 'kind = "tap"', *(f"{key} = {n}" for key, n in it.limits.items())]
        for action, it in gestures.items()
    ]
    rig = rig_of(hz, combo.table(), listens, *tables, modes_table(windows, gestures=gestures))
    glass = a_glass(taps, 1, (WIDTH, HEIGHT), end + 3 * 10**9, resolution=10)
    told = reports_of_texts("combos", tmp_path, rig, merged(glass, a_pad(moved)))
    said = [(line["from_ns"], line["fired_tick"]) for line in told if line.get("outcome") == "met"]
    presses = polled(moved, hz)
    on = by_buttons(presses, hz, BY.keys() - gestures.keys())
    for tick, names in by_taps(gestures, taps, hz).items():
        on.setdefault(tick, set()).update(names)
    is_open = lambda mode: not its or mode in its
    search = InModes(combo, presses, hz, stretches(on, freezing), freezing, is_open)
    assert said == list(search.fired())
