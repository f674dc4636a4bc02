"""What is held when a recording begins, and keys that repeat, of docs/rig-format.md and
docs/take-format.md, written a second time from these pages alone, and held against the program over
random rigs and keys."""

import json
import math
import random

import pytest
from test_actions import Analogue, Button, Digital, Pad
from workbench import replayed_texts, rig_of

KEYS = ["KeyA", "KeyD", "KeyW", "KeyS", "Space"]
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
    def report(self, time, name, value):
        if value == "repeat":
            self.let_through(time)
            self.buttons[name].is_repeated |= bool(self.buttons[name].said)
        elif value == "carried":
            self.presses += 1
            self.buttons[name].carry(self.presses)
        else:
            super().report(time, name, value)

    def poll(self, now):
        self.let_through(now)
        for key in self.buttons.values():
            key.poll()

    def forget_repeats(self):
        for key in self.buttons.values():
            key.is_repeated = False


def said_by(dice):
    """What is held in the beginning, and what keys say then: the instant, the key and what it is."""
    states, since = dict.fromkeys(KEYS, 0), dict.fromkeys(KEYS, 0)
    for name in dice.sample(KEYS, dice.randint(0, 3)):
        states[name] = 1
        yield 0, name, "carried"
    time, end = 0, (TICKS - 2) * 1e9 / HZ
    while (time := time + int(dice.uniform(1e6, dice.choice([8e6, 60e6])))) < end:
        name = dice.choice(KEYS)
        # No keyboard repeats a key before its switch has come to rest.
        if states[name] and dice.random() < 0.6 and time > since[name] + 20e6:
            yield time, name, "repeat"
            continue
        states[name], since[name] = 1 - states[name], time
        yield time, name, states[name]


def a_keyboard(said):
    controls = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in KEYS)
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"keys1","kind":"keys","controls":[{controls}]}}'
    for time, name, value in said:
        mark = f',"mark":"{value}"' if isinstance(value, str) else ""
        value = 1 if mark else value
        yield f'{{"t":{time},"on":"keys1","c":"{name}","v":{value}{mark}}}'
    yield f'{{"t":{(TICKS - 1) * 10**9 // HZ},"ends":true}}'


def keys(names):
    return json.dumps([f"keys/{name}" for name in names])


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
        sides = [dice.sample(KEYS, dice.randint(1, 2)) for _ in range(2 if gives == "axis" else 4)]
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


@pytest.mark.parametrize("seed", range(150))
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
