"""A desk beside the pad and the panel: keys, a mouse that counts and one that says where it is, and
what a rig reads of them, by the main device alone too, and in the world behind the picture."""

import json

KEYS = ["KeyA", "KeyD", "KeyW", "KeyS", "Space"]
CROSS = dict(zip(["left", "right", "up", "down"], KEYS))
PAD = dict(zip(CROSS, ["west", "east", "north", "south"]))
SIDE = 1000
FAR = 1000
BUTTON = '{{"code":"{}","kind":"button"}}'
PLACE = f'{{{{"code":"{{}}","kind":"position","min":0,"max":{SIDE}}}}}'
COUNT = '{{"code":"{}","kind":"relative"}}'
AXIS = f'{{{{"code":"{{}}","kind":"axis","min":{-FAR},"centre":0,"max":{FAR}}}}}'
TILTED = '{ control = "other/tilt", press-at = 0.6, release-at = 0.4 }'
# The devices of a desk, and their controls.
DEVICES = {
    "keys1": ("keys", [(BUTTON, name) for name in KEYS]),
    "mouse1": (
        "mouse",
        [
            *((PLACE, name) for name in ["x", "y"]),
            *((BUTTON, name) for name in ["left", "right", "in-range"]),
        ],
    ),
    "mouse2": ("mouse", [*((COUNT, name) for name in ["x", "y"]), (BUTTON, "left")]),
    "other1": ("other", [(AXIS, "tilt"), (BUTTON, "go")]),
}
SPACES = {
    "panel": (0, 1),
    "mm": (0, 160),
    "px": (0, 1600),
    "view": (0, 1280),
    "world": (-200, 440),
}


def plug_of(name):
    kind, controls = DEVICES[name]
    told = ",".join(control.format(code) for control, code in controls)
    return f'"plug":"{name}","kind":"{kind}","controls":[{told}]'


def a_value(dice, control, before):
    """What a control says next."""
    if control == BUTTON:
        return 1 - before if dice.random() < 0.9 else before
    if control == COUNT:
        return dice.choice([-3, 1, 5, dice.randint(-200, 200)])
    low = -FAR if control == AXIS else 0
    return dice.choice([low, FAR, dice.randint(low, FAR)])


def some_desk(dice, until):
    """The lines of a take in which the devices of a desk move, come and go."""
    yield '{"take":1}'
    for name in DEVICES:
        yield f'{{"t":0,{plug_of(name)}}}'
    time, here, deaf, said = 0, set(DEVICES), set(), {}
    while (time := time + int(dice.uniform(1e6, dice.choice([10e6, 100e6])))) < until:
        name = dice.choice([*DEVICES])
        chance = dice.random()
        if name not in here:
            here.add(name)
            yield f'{{"t":{time},{plug_of(name)}}}'
        elif chance < 0.02:
            here.discard(name)
            deaf.discard(name)
            yield f'{{"t":{time},"unplug":"{name}"}}'
        elif chance < 0.06:
            yield f'{{"t":{time},"{"heard" if name in deaf else "deaf"}":"{name}"}}'
            deaf ^= {name}
        else:
            control, code = dice.choice(DEVICES[name][1])
            value = said[name, code] = a_value(dice, control, said.get((name, code), 0))
            yield f'{{"t":{time},"on":"{name}","c":"{code}","v":{value}}}'
    yield f'{{"t":{until},"ends":true}}'


def a_zone(dice, name):
    """The table of a zone of fingers and pointers, in any space, and of what reads it."""
    space = dice.choice([*SPACES])
    low, high = SPACES[space]
    at = lambda share: round(low + share * (high - low), 4)
    # Pictures are wider than high.
    rect = [at(dice.randint(0, 8) / 10), at(dice.randint(0, 4) / 10)]
    rect += [round(dice.randint(1, 8) / 10 * (high - low), 4) for _ in range(2)]
    if space == "panel":
        rect[2:] = [round(min(size, 1 - place), 4) for place, size in zip(rect, rect[2:])]
    makers = dice.sample(["finger", "finger", "left", "right", "hover"], dice.randint(1, 3))
    lines = [
        f"[zone.{name}]",
        f'in = "{space}"',
        f"rect = {rect}",
        f"by = {json.dumps(sorted(set(makers)))}",
        f'contact = "{dice.choice(["take", "share"])}"',
        f"follow = {json.dumps(dice.random() < 0.5)}",
        f"layer = {dice.randint(0, 2)}",
    ]
    lines += ['closed-while = ["a"]'] if dice.random() < 0.2 else []
    place = f'place = "{name}"'
    return [
        *lines,
        *(f"[action.on-{name}]", f'gives = "{dice.choice(["on", "pulse", "toggle"])}"'),
        f'from = {{ zone = "{name}" }}',
        *(f"[action.at-{name}]", 'gives = "place"', f'in = "{dice.choice([*SPACES])}"'),
        f"from = {{ {place} }}",
        *(f"[action.up-{name}]", 'gives = "axis"'),
        f'from = {{ {place}, along = "y", dead-zone = 0.1 }}',
    ]


def a_cross(dice):
    """Four sides that keys hold, or buttons of the pad, or both, or what has a travel."""
    sides = {}
    for way, key in CROSS.items():
        both = [f"keys/{key}", f"pad/{PAD[way]}"]
        travel = dice.choice(["other/tilt", "pad/stick-l-x", "mouse/x"])
        sides[way] = dice.choice([both[0], both, [both[0], travel]])
    told = ", ".join(f"{way} = {json.dumps(names)}" for way, names in sides.items())
    return f'{{ cross = {{ {told} }}, both = "{dice.choice(["neutral", "last", "first"])}" }}'


def a_desk(dice):
    """The tables of a rig that read a desk, a pad and a panel."""
    devices = lambda: dice.choice([[], ['devices = "main"']])
    among = dice.sample(["pad", "keys", "mouse", "other"], dice.randint(1, 4))
    lines = [
        *("[main]", f'rule = "{dice.choice(["first", "last-used"])}"'),
        *(f"among = {json.dumps(among)}", f"use-at = {dice.choice([0.2, 0.5, 0.9])}"),
        f"use-counts = {dice.choice([1, 4, 50])}",
        *("[[edge]]", 'of = "keys"', f"debounce-ms = {dice.choice([0, 3, 20])}"),
        *("[surface]", "pixels = [1600, 900]", "mm = [160, 90]"),
        "window = { at = [0, 60], size = [1600, 800], view = [1280, 720] }",
        f"world = {{ camera = [{dice.randint(0, 200)}, 40], zoom = {dice.choice([1, 2, 2.5])} }}",
        *("[action.walk]", 'gives = "plane"', *devices()),
        f'from = [{a_cross(dice)}, {{ stick = "pad/stick-l", dead-zone = 0.1 }}]',
        f'combine = "{dice.choice(["strongest", "sum"])}"',
        *("[action.look]", f'gives = "{dice.choice(["plane", "polar"])}"', *devices()),
        f'from = {{ pointer = "mouse", counts = {dice.choice([50, 400])} }}',
        *("[action.lean]", 'gives = "axis"', *devices()),
        'from = [{ axis = "other/tilt", dead-zone = 0.1 }, { pair = ["keys/KeyA", "keys/KeyD"] }]',
        *("[action.jump]", f'gives = "{dice.choice(["on", "pulse", "toggle"])}"', *devices()),
        f'from = ["keys/Space", "mouse/left", "pad/south", {TILTED}]',
    ]
    for n in range(dice.randint(0, 2)):
        lines += a_zone(dice, f"desk-{n}")
    return [*lines, *a_combo(dice)]


def a_combo(dice):
    """A combo of what keys, buttons and a stick push, and one that says it again."""
    ways = dice.sample(["left", "right", "up", "down", "up-right"], 2)
    within = lambda: f"within {dice.choice([100, 300, 600])} ms"
    again = f"do roll within {dice.choice([200, 400])} ms"
    return [
        *("[combo.roll]", 'stick = "walk"'),
        f'steps = ["push {ways[0]}", "push {ways[1]} {within()}"]',
        *("[combo.twice]", f'steps = ["press keys/Space", "{again}"]'),
        *("[action.of-twice]", 'gives = "pulse"', 'from = { combo = "twice" }'),
        *("[action.of-roll]", 'gives = "pulse"', 'from = { combo = "roll" }'),
    ]
