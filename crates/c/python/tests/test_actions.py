"""Buttons, edges, actions, gates and modes of docs/rig-format.md, written a second time from that
page alone, and held against the program over random rigs and random presses."""

import json
import math
import random

import pytest
from workbench import replayed_texts

TICKS = 100
BUTTONS = ["south", "east", "west", "north", "shoulder-l", "shoulder-r"]
AXES = ["stick-l-x", "stick-l-y"]
FAR = 1000
MILLISECOND = 1_000_000


class Button:
    """A button, its debounce and its latch."""

    def __init__(self, latched, debounce_ms):
        self.latched, self.debounce = latched, debounce_ms * MILLISECOND
        self.said = self.counts = self.seen = self.before = 0
        self.quiet_until = self.presses = self.order = 0

    def held_back(self, until):
        return self.said != self.counts and self.quiet_until <= until

    def believe(self, time, order):
        """What it said last counts as of a time. Returns whether that is a press."""
        if self.said == self.counts:
            return False
        self.counts, self.quiet_until = self.said, time + self.debounce
        if self.counts:
            self.presses, self.order = self.presses + 1, order
        return bool(self.counts)

    def poll(self):
        undone = self.presses > 0 and self.counts == self.seen
        self.before, self.presses = self.seen, 0
        self.seen = 1 - self.before if self.latched and undone else self.counts

    def is_pressed(self):
        return self.seen > self.before


class Pad:
    """All buttons; presses are counted over all of them."""

    def __init__(self, buttons):
        self.buttons, self.presses = buttons, 0

    def believe(self, button, time):
        self.presses += button.believe(time, self.presses + 1)

    def let_through(self, until):
        while held := [b for b in self.buttons.values() if b.held_back(until)]:
            first = min(held, key=lambda b: b.quiet_until)
            self.believe(first, first.quiet_until)

    def report(self, time, name, value):
        self.let_through(time)
        button = self.buttons[name]
        button.said = value
        if time >= button.quiet_until:
            self.believe(button, time)


class PadThatGoes(Pad):
    """One that may be unplugged, or not be heard; and its sticks."""

    def __init__(self, buttons):
        super().__init__(buttons)
        self.is_here, self.is_deaf, self.axes = True, False, dict.fromkeys(AXES, 0)

    def report(self, time, name, value):
        self.let_through(time)
        if name in ("plug", "unplug"):
            self.is_here, self.is_deaf = name == "plug", False
        elif name in ("deaf", "heard"):
            self.is_deaf = name == "deaf"
        elif not self.is_here or self.is_deaf:
            return
        elif name in AXES:
            self.axes[name] = value
        else:
            super().report(time, name, value)
        if not self.is_here or self.is_deaf:
            self.axes = dict.fromkeys(AXES, 0)
            for button in self.buttons.values():
                # Nothing holds that back, and what comes next counts at once.
                button.said = button.counts = button.quiet_until = 0


class Modes:
    """The modes that are on, from the bottom; each with the actions that enter and leave it."""

    def __init__(self, modes):
        self.modes, self.stack = modes, [next(iter(modes), None)]

    def follow(self, went_on):
        for name, (enter, leave) in self.modes.items():
            if len(self.stack) > 1 and self.stack[-1] == name and leave in went_on:
                self.stack.pop()
            elif enter in went_on:
                at = self.stack.index(name) if name in self.stack else len(self.stack)
                self.stack = [*self.stack[:at], name]


class Action:
    """What actions have in common: their gates and modes."""

    def __init__(self, closed_while, open_while, modes):
        self.closed_while, self.open_while, self.modes = closed_while, open_while, modes
        self.is_closed, self.opened_after = False, 0

    def tick(self, pad, actions, mode):
        was_closed = self.is_closed
        on = {name: bool(action.value) for name, action in actions.items()}
        self.is_closed = any(on[n] for n in self.closed_while) or not all(
            on[n] for n in self.open_while
        )
        self.is_closed |= bool(self.modes) and mode not in self.modes
        if was_closed and not self.is_closed:
            self.opened_after = pad.presses
            self.opens(pad)
        self.evaluate(pad)


class Digital(Action):
    """`on`, `pulse` or `toggle`."""

    def __init__(self, gives, sources, *gates):
        super().__init__(*gates)
        self.gives, self.sources, self.value = gives, sources, False
        self.must_be_let_go = set()

    def active(self, pad, name):
        button = pad.buttons[name]
        return bool(button.seen) if self.gives == "on" else button.is_pressed()

    def opens(self, pad):
        self.must_be_let_go |= {name for name in self.sources if self.active(pad, name)}

    def evaluate(self, pad):
        active = {name for name in self.sources if self.active(pad, name)}
        self.must_be_let_go &= active
        is_on = bool(active - self.must_be_let_go) and not self.is_closed
        was_on, self.value = self.value, self.value ^ is_on if self.gives == "toggle" else is_on
        self.went_on = self.value and not was_on


class Stick(Action):
    """`axis` from one of the pad's own."""

    def __init__(self, name):
        super().__init__([], [], [])
        self.name, self.value = name, (0.0, 0.0)

    def evaluate(self, pad):
        self.value = (pad.axes[self.name] / FAR, 0.0)


class Analogue(Action):
    """`axis` from pairs, or `plane` from crosses."""

    def __init__(self, inputs, combine, clamp, *gates):
        super().__init__(*gates)
        self.inputs, self.combine, self.clamp, self.value = inputs, combine, clamp, (0.0, 0.0)

    def opens(self, pad):
        pass

    def opposites(self, pad, negative, positive, both):
        def speaker(side):
            held = [pad.buttons[name] for name in side]
            held = [b.order for b in held if b.seen and b.order > self.opened_after]
            return (min if both == "first" else max)(held, default=None)

        low, high = speaker(negative), speaker(positive)
        if low is None or high is None:
            return 0.0 if low == high else -1.0 if high is None else 1.0
        if both == "neutral":
            return 0.0
        return -1.0 if (low > high) == (both == "last") else 1.0

    def held(self, v):
        size = math.hypot(*v)
        return tuple(part / size for part in v) if self.clamp and size > 1 else v

    def evaluate(self, pad):
        if self.is_closed:
            self.value = (0.0, 0.0)
            return
        made = []
        for sides, both in self.inputs:
            axes = [self.opposites(pad, *sides[n : n + 2], both) for n in range(0, len(sides), 2)]
            made.append(self.held((*axes, 0.0)[:2]))
        if self.combine == "sum":
            self.value = self.held(tuple(max(-1.0, min(1.0, sum(part))) for part in zip(*made)))
            return
        self.value, most = (0.0, 0.0), 0.0
        for v in made:
            size = math.hypot(*v)
            if size > most + 1e-6:
                self.value, most = v, size


def listed(names):
    return "[" + ", ".join(f'"pad/{name}"' for name in names) + "]"


def an_action(dice, name, gates, modes):
    """An action as a rig writes it, and as it is worked out."""
    closed_while = dice.sample(gates, 1) if gates and dice.random() < 0.4 else []
    open_while = dice.sample(gates, 1) if gates and dice.random() < 0.2 else []
    gives = dice.choice(["on", "pulse", "toggle", "axis", "plane"])
    lines = [f"[action.{name}]", f'gives = "{gives}"']
    lines += [f"closed-while = {json.dumps(closed_while)}"] if closed_while else []
    lines += [f"open-while = {json.dumps(open_while)}"] if open_while else []
    modes = dice.sample(modes, dice.randint(1, 2)) if modes and dice.random() < 0.4 else []
    lines += [f"modes = {json.dumps(modes)}"] if modes else []
    gates = closed_while, open_while, modes
    if gives in ("on", "pulse", "toggle"):
        sources = dice.sample(BUTTONS, dice.randint(1, 3))
        lines.append(f"from = {listed(sources)}")
        return lines, Digital(gives, sources, *gates)
    combine, clamp = dice.choice(["strongest", "sum"]), gives == "axis" or dice.random() < 0.7
    inputs, written = [], []
    for _ in range(dice.randint(1, 2)):
        both = dice.choice(["neutral", "last", "first"])
        if gives == "axis":
            sides = [dice.sample(BUTTONS, dice.randint(1, 2)) for _ in range(2)]
            written.append(f'{{ pair = [{listed(sides[0])}, {listed(sides[1])}], both = "{both}" }}')
        else:
            left, right, down, up = (dice.sample(BUTTONS, 1) for _ in range(4))
            sides = [left, right, down, up]
            keys = zip(["left", "right", "down", "up"], sides)
            cross = ", ".join(f"{key} = {listed(side)}" for key, side in keys)
            written.append(f'{{ cross = {{ {cross} }}, both = "{both}" }}')
        inputs.append((sides, both))
    lines += [f"from = [{', '.join(written)}]", f'combine = "{combine}"']
    lines += [f"clamp = {str(clamp).lower()}"] if gives == "plane" else []
    return lines, Analogue(inputs, combine, clamp, *gates)


def a_rig(dice, hz):
    lines = ["rig = 1", "[sampling]", f"poll-hz = {hz}"]
    buttons = {}
    for name in BUTTONS:
        latched, debounce_ms = dice.random() < 0.3, dice.choice([0, 0, 3, 15, 40])
        buttons[name] = Button(latched, debounce_ms)
        lines += ["[[edge]]", f'of = "pad/{name}"', f"latched = {str(latched).lower()}"]
        lines += [f"debounce-ms = {debounce_ms}"]
    actions = {"a": Digital("toggle", ["south"], [], [], [])}
    lines += ["[action.a]", 'gives = "toggle"', 'from = "pad/south"']
    modes = [f"m{n}" for n in range(dice.choice([0, 0, 2, 3]))]
    for n in range(dice.randint(2, 7)):
        is_gate = lambda a: isinstance(a, Digital) and a.gives != "pulse"
        is_open = lambda a: not a.closed_while + a.open_while + a.modes
        free = [k for k, a in actions.items() if is_gate(a) and is_open(a)]
        written, actions[f"a{n}"] = an_action(dice, f"a{n}", free, modes)
        lines += written
    digital = [name for name, action in actions.items() if isinstance(action, Digital)]
    switches = {}
    for mode in modes:
        # Only the first one is on without being entered.
        enters = dice.choice([None, *digital] if mode == "m0" else digital)
        switches[mode] = enters, dice.choice([None, *digital])
        lines.append(f"[mode.{mode}]")
        for key, name in zip(["enter", "leave"], switches[mode]):
            lines += [f'{key} = "{name}"'] if name else []
    return "\n".join(lines) + "\n", Pad(buttons), actions, Modes(switches)


def presses(dice, hz):
    """Buttons that move, tremble, and now and then say again what they are."""
    period = 1e9 / hz
    states, time = dict.fromkeys(BUTTONS, 0), 0.0
    while True:
        longest = dice.choice([0.6 * period, 4 * period, 3 * MILLISECOND])
        time += int(dice.uniform(0, longest))
        if time >= (TICKS - 2) * period:
            return
        name = dice.choice(BUTTONS)
        if dice.random() < 0.9:
            states[name] = 1 - states[name]
        yield int(time), name, states[name]


def comings_and_goings(dice, presses):
    """The same with a pad that goes and comes back, and with sticks."""
    is_here, is_deaf = True, False
    for time, *press in presses:
        if dice.random() < 0.08 and is_here:
            is_deaf = not is_deaf
            yield time, "deaf" if is_deaf else "heard", None
        if dice.random() < 0.05:
            is_here, is_deaf = not is_here, False
            yield time, "plug" if is_here else "unplug", None
        if not is_here:
            continue
        for _ in range(dice.choice([0, 0, 1, 3])):
            yield time, dice.choice(AXES), dice.randint(-FAR, FAR)
        yield time, *press
        if dice.random() < 0.3:
            yield time, dice.choice(AXES), dice.choice([-FAR, 0, FAR])


def asked_of(action):
    if isinstance(action, Digital):
        return action.value
    return list(action.value)


def take_of(events, hz):
    """The lines of a take in which a pad does this."""
    controls = [f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS]
    travel = f'"min":{-FAR},"centre":0,"max":{FAR}'
    controls += [f'{{"code":"{name}","kind":"axis",{travel}}}' for name in AXES]
    plug = f'"plug":"pad1","kind":"pad","controls":[{",".join(controls)}]'
    says = {"plug": plug, "unplug": '"unplug":"pad1"', "deaf": '"deaf":"pad1"'}
    says["heard"] = '"heard":"pad1"'
    yield '{"take":1}'
    yield f'{{"t":0,{plug}}}'
    for time, name, value in events:
        line = says.get(name) or f'"on":"pad1","c":"{name}","v":{value}'
        yield f'{{"t":{time},{line}}}'
    yield f'{{"t":{(TICKS - 1) * 10**9 // hz},"ends":true}}'


def compare(reports, events, hz, pad, actions, modes):
    """Holds what the program says of every tick against the rules."""
    assert len(reports) == TICKS
    for tick in range(TICKS):
        now = tick * 10**9 // hz
        while events and events[0][0] <= now:
            pad.report(*events.pop(0))
        pad.let_through(now)
        for button in pad.buttons.values():
            button.poll()
        moved = {n: b.seen for n, b in pad.buttons.items() if b.seen != b.before}
        edges = reports[tick].get("edges", [])
        edges = {e["control"].split("/")[1]: e["edge"] for e in edges if e["edge"] != "none"}
        assert edges == {n: "press" if down else "release" for n, down in moved.items()}, tick

        values = {action["action"]: action["value"] for action in reports[tick].get("actions", [])}
        mode = modes.stack[-1]
        for name, action in actions.items():
            action.tick(pad, actions, mode)
            value = values.get(name, False if isinstance(action, Digital) else 0.0)
            asked = asked_of(action)
            if isinstance(action, Digital):
                assert value == asked, f"{name} at tick {tick}"
            else:
                value = value if isinstance(value, list) else [value, 0.0]
                assert value == pytest.approx(asked, abs=1e-5), f"{name} at tick {tick}"
        digital = {n: action for n, action in actions.items() if isinstance(action, Digital)}
        modes.follow({name for name, action in digital.items() if action.went_on})


@pytest.mark.parametrize("seed", range(150))
def test_actions_are_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([30, 60, 120, 500])
    text, *rules = a_rig(dice, hz)
    events = list(presses(dice, hz))
    compare(replayed_texts(tmp_path, text, take_of(events, hz)), events, hz, *rules)


@pytest.mark.parametrize("seed", range(150))
def test_what_goes_lets_go_of_everything(seed, tmp_path):
    """The pad is unplugged, or cannot be heard, in the middle of debounces and latches too; and its
    sticks say where they are between the buttons."""
    dice = random.Random(seed)
    hz = dice.choice([30, 60, 120, 500])
    text, pad, *rules = a_rig(dice, hz)
    for name in AXES:
        rules[0][name] = Stick(name)
        text += f'[action.{name}]\ngives = "axis"\nfrom = {{ axis = "pad/{name}" }}\n'
    pad = PadThatGoes(pad.buttons)
    events = list(comings_and_goings(dice, presses(dice, hz)))
    compare(replayed_texts(tmp_path, text, take_of(events, hz)), events, hz, pad, *rules)
