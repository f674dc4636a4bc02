"""What is held when a recording begins, keys that repeat, and travels that hold a side, of
docs/rig-format.md and docs/take-format.md, written a second time from these pages alone, and held
against the program over random rigs, keys and travels."""

import json
import math
import random

import pytest
from test_actions import Analogue, Button, Digital, Pad
from workbench import replayed_texts, rig_of

KEYS = ["KeyA", "KeyD", "KeyW", "KeyS", "Space"]
# Where they rest, and where they are at their end.
TRAVELS = {"trigger-l": (0, 255), "stick-l-x": (0, 1000), "trigger-r": (900, 100), "wheel": None}
TICKS, HZ = 80, 60


class Key(Button):
    """A button that may say again and again that it is down."""

    def __init__(self, debounce_ms, repeats_press):
        super().__init__(False, debounce_ms)
        self.repeats_press, self.is_repeated = repeats_press, False

    def carry(self, order):
        self.said = self.counts = self.seen = self.before = 1
        self.order = order

    def is_pressed(self):
        return super().is_pressed() or (self.is_repeated and self.repeats_press)


class Travel:
    """What holds a side from its half on; a wheel for the tick in which it was turned up."""

    def __init__(self, ends):
        self.ends, self.at = ends, ends[0] if ends else 0
        self.seen = self.before = self.order = 0

    def is_past(self):
        if self.ends is None:
            return int(self.at > 0)
        rest, end = self.ends
        return int(2 * (self.at - rest) * (end - rest) >= (end - rest) ** 2)

    def poll(self):
        self.before, self.seen = self.seen, self.is_past()
        if self.ends is None:
            self.at = 0

    def let_go(self):
        self.at = self.ends[0] if self.ends else 0


class Held(Digital):
    """What is held when it opens does not drive it by its repeats either."""

    def is_held(self, board, name):
        return board.buttons[name].seen or self.active(board, name)

    def opens(self, board):
        self.must_be_let_go |= {name for name in self.sources if self.is_held(board, name)}

    def evaluate(self, board):
        self.must_be_let_go = {name for name in self.must_be_let_go if self.is_held(board, name)}
        pressed = {name for name in self.sources if self.active(board, name)}
        is_on = bool(pressed - self.must_be_let_go) and not self.is_closed
        self.value = self.value ^ is_on if self.gives == "toggle" else is_on


class Keyboard(Pad):
    def __init__(self, keys):
        super().__init__(keys)
        self.travels = {name: Travel(ends) for name, ends in TRAVELS.items()}
        self.keys, self.buttons, self.is_heard = keys, keys | self.travels, True

    def report(self, time, name, value):
        if name in TRAVELS:
            self.pull(self.travels[name], value)
        elif name == "presence":
            self.is_heard = value == "heard"
            if not self.is_heard:
                for travel in self.travels.values():
                    travel.let_go()
        elif value == "repeat":
            self.let_through(time)
            self.buttons[name].is_repeated |= bool(self.buttons[name].said)
        elif value == "carried":
            self.presses += 1
            self.buttons[name].carry(self.presses)
        else:
            super().report(time, name, value)

    def pull(self, travel, value):
        if isinstance(value, tuple):
            travel.at = value[0]
            travel.seen = travel.is_past()
            if travel.seen:
                self.presses += 1
                travel.order = self.presses
        elif self.is_heard:
            travel.at = value if travel.ends else travel.at + value

    def let_through(self, time):
        self.buttons = self.keys
        super().let_through(time)
        self.buttons = self.keys | self.travels

    def poll(self, now):
        self.let_through(now)
        for name, button in self.buttons.items():
            button.poll()
            if name in TRAVELS and button.seen and not button.before:
                self.presses += 1
                button.order = self.presses

    def forget_repeats(self):
        for key in self.keys.values():
            key.is_repeated = False


def said_by(dice):
    """What is held in the beginning, and what is said then: the instant, the control and what it
    is, of a travel that was held before in a tuple."""
    states, since = dict.fromkeys(KEYS, 0), dict.fromkeys(KEYS, 0)
    with_ends = [name for name, ends in TRAVELS.items() if ends]
    for name in dice.sample(KEYS + with_ends, dice.randint(0, 5)):
        states[name] = 1
        yield 0, name, (a_place(dice, TRAVELS[name]),) if name in TRAVELS else "carried"
    time, end, is_heard = 0, (TICKS - 2) * 1e9 / HZ, True
    while (time := time + int(dice.uniform(1e6, dice.choice([8e6, 60e6])))) < end:
        name = dice.choice([*KEYS, *TRAVELS])
        if dice.random() < 0.03:
            is_heard = not is_heard
            yield time, "presence", "heard" if is_heard else "deaf"
            continue
        if name in TRAVELS:
            ends = TRAVELS[name]
            yield time, name, a_place(dice, ends) if ends else dice.choice([-2, -1, 1, 1, 3])
            continue
        # No keyboard repeats a key before its switch has come to rest.
        if states[name] and dice.random() < 0.6 and time > since[name] + 20e6:
            yield time, name, "repeat"
            continue
        states[name], since[name] = 1 - states[name], time
        yield time, name, states[name]


def a_place(dice, ends):
    """Often just about the half, or at an end."""
    rest, end = ends
    half = (rest + end) / 2
    return dice.choice([rest, end, math.floor(half), math.ceil(half), dice.randint(*sorted(ends))])


def controls_of(device):
    if device == "keys":
        return [{"code": name, "kind": "button"} for name in KEYS]
    told = [{"code": "wheel", "kind": "relative"}]
    for name in ("trigger-l", "trigger-r"):
        told.append({"code": name, "kind": "trigger"} | dict(zip(("min", "max"), TRAVELS[name])))
    told.append({"code": "stick-l-x", "kind": "axis", "min": -1000, "centre": 0, "max": 1000})
    # As the model has them.
    return sorted(told, key=lambda control: [*TRAVELS].index(control["code"]))


def a_keyboard(said):
    """With a device of travels beside it."""
    yield '{"take":1}'
    for device in ("keys", "other"):
        controls = json.dumps(controls_of(device), separators=(",", ":"))
        yield f'{{"t":0,"plug":"{device}1","kind":"{device}","controls":{controls}}}'
    for time, name, value in said:
        if name == "presence":
            yield f'{{"t":{time},"{value}":"other1"}}'
            continue
        mark = f',"mark":"{value}"' if isinstance(value, str) else ""
        if isinstance(value, tuple):
            value, mark = value[0], ',"mark":"carried"'
        device, value = ("other1", value) if name in TRAVELS else ("keys1", 1 if mark else value)
        yield f'{{"t":{time},"on":"{device}","c":"{name}","v":{value}{mark}}}'
    yield f'{{"t":{(TICKS - 1) * 10**9 // HZ},"ends":true}}'


def keys(names):
    return json.dumps([f"{'other' if name in TRAVELS else 'keys'}/{name}" for name in names])


def some_actions(dice):
    """Actions as a rig writes them, and as they are worked out; one is a gate of others."""
    actions = {"gate": Digital("on", [dice.choice(KEYS)], [], [], [])}
    tables = ["[action.gate]", 'gives = "on"', f"from = {keys(actions['gate'].sources)}"]
    for n in range(dice.randint(2, 5)):
        name, closed = f"a{n}", dice.choice([[], [], ["gate"]])
        gives = dice.choice(["on", "pulse", "toggle", "axis", "polar"])
        tables += [f"[action.{name}]", f'gives = "{gives}"']
        tables += [f"closed-while = {json.dumps(closed)}"] if closed else []
        gates = closed, [], []
        if gives in ("on", "pulse", "toggle"):
            sources = dice.sample(KEYS, dice.randint(1, 3))
            actions[name] = Held(gives, sources, *gates)
            tables.append(f"from = {keys(sources)}")
            continue
        both = dice.choice(["neutral", "last", "first"])
        names = [*KEYS, *TRAVELS]
        sides = [dice.sample(names, dice.randint(1, 2)) for _ in range(2 if gives == "axis" else 4)]
        actions[name] = Analogue([(sides, both)], "strongest", True, *gates)
        actions[name].is_polar = gives == "polar"
        if gives == "axis":
            its = f"pair = [{keys(sides[0])}, {keys(sides[1])}]"
        else:
            ways = zip(["left", "right", "down", "up"], sides)
            its = f"cross = {{ {', '.join(f'{way} = {keys(side)}' for way, side in ways)} }}"
        tables.append(f'from = {{ {its}, both = "{both}" }}')
    return tables, actions


def asked_of(action):
    if isinstance(action, Digital):
        return [float(action.value), 0.0]
    x, y = action.value
    if not action.is_polar:
        return [x, y]
    angle = math.degrees(math.atan2(y, x)) if x or y else 0.0
    return [180.0 if angle == -180 else angle, math.hypot(x, y)]


@pytest.mark.parametrize("seed", range(200))
def test_what_is_held_and_what_repeats(seed, tmp_path):
    dice = random.Random(seed)
    repeats, debounce_ms = dice.choice(["press", "ignore"]), dice.choice([0, 0, 12])
    edge = ["[[edge]]", 'of = "keys"', f'repeats = "{repeats}"', f"debounce-ms = {debounce_ms}"]
    tables, actions = some_actions(dice)
    said = list(said_by(dice))
    reports = replayed_texts(tmp_path, rig_of(HZ, edge, tables), a_keyboard(said))
    board = Keyboard({name: Key(debounce_ms, repeats == "press") for name in KEYS})
    for tick in range(TICKS):
        now = tick * 10**9 // HZ
        while said and said[0][0] <= now:
            board.report(*said.pop(0))
        board.poll(now)
        values = {action["action"]: action["value"] for action in reports[tick].get("actions", [])}
        for name, action in actions.items():
            action.tick(board, actions, None)
            value = values.get(name, 0.0)
            value = value if isinstance(value, list) else [float(value), 0.0]
            assert value == pytest.approx(asked_of(action), abs=1e-4), f"{name} at tick {tick}"
        board.forget_repeats()
