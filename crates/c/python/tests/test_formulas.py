"""The stages of docs/rig-format.md, "What a stage computes", written a second time from that
page alone, and held against the program over random rigs and random pushes of a stick, and against
what ``gtrig check`` says of its corners."""

import copy
import json
import math
import random
import re
import struct
import subprocess

import pytest
from workbench import GTRIG, replayed_texts

TICKS = 120
# Roots, powers and angles may differ in their last digit, and a chain passes that on.
NEAR = 3e-5


class Tie(Exception):
    """So near half a turn that the last digit decides which way is shorter."""


def single(number):
    """As a float of 32 bits."""
    return struct.unpack("f", struct.pack("f", number))[0]


def length(v):
    return single(math.hypot(*v))


def signed(size, of):
    return math.copysign(size, of)


def on_length(v, formula):
    r = length(v)
    to = formula(r)
    return [0.0, 0.0] if to == 0 else v if to == r else [part * to / r for part in v]


def on_axes(v, formula):
    return [signed(formula(abs(part)), part) for part in v]


def stretched(r, inner, outer):
    return 0.0 if r <= inner else min((r - inner) / (outer - inner), max(1.0, r))


def dead_zone(v, on, inner, outer, slope):
    def axis(part, zone):
        return signed(stretched(abs(part), zone, max(outer, zone + 0.01)), part)

    def sloped(other):
        return min(inner + slope * abs(other), 0.95)

    x, y = v
    if on == "radius":
        return on_length(v, lambda r: stretched(r, inner, outer))
    if on == "cut":
        return on_length(v, lambda r: 0.0 if r <= inner else max(1.0, r) if r >= outer else r)
    if on == "axes":
        return [axis(x, inner), axis(y, inner)]
    return [axis(x, sloped(y)), axis(y, sloped(x))]


def through(points):
    """The cubic through (0, 0), these points and (1, 1)."""
    points = [(0.0, 0.0), *points, (1.0, 1.0)]
    lines = [(b[1] - a[1]) / (b[0] - a[0]) for a, b in zip(points, points[1:])]
    slopes = [lines[0], *((a + b) / 2 for a, b in zip(lines, lines[1:])), lines[-1]]
    for n, line in enumerate(lines):
        if line == 0:
            slopes[n] = slopes[n + 1] = 0.0
            continue
        size = math.hypot(slopes[n] / line, slopes[n + 1] / line)
        if size > 3:
            slopes[n], slopes[n + 1] = slopes[n] * 3 / size, slopes[n + 1] * 3 / size

    def at(m):
        n = max(n for n in range(len(lines)) if points[n][0] <= m)
        (x, y), (x_after, y_after) = points[n], points[n + 1]
        width = x_after - x
        t = (m - x) / width
        return (
            y * (2 * t**3 - 3 * t**2 + 1)
            + slopes[n] * width * (t**3 - 2 * t**2 + t)
            + y_after * (3 * t**2 - 2 * t**3)
            + slopes[n + 1] * width * (t**3 - t**2)
        )

    return at


def curve(kind, number):
    formulas = {
        "linear": lambda m: m,
        "power": lambda m: m**number,
        "blend": lambda m: (1 - number) * m + number * m**3,
        "s": lambda m: m**number / (m**number + (1 - m) ** number),
    }
    formula = through(number) if kind == "points" else formulas[kind]
    return lambda m: m if m >= 1 else min(formula(m), 1.0)


class Remembers:
    """A stage with a memory; `dt` is the time of a tick in seconds."""

    def __init__(self, dt):
        self.dt, self.out = dt, [0.0, 0.0]

    def approach(self, v, share):
        """Moves the output; returns whether it arrived."""
        out = [single(o + share * (part - o)) for part, o in zip(v, self.out)]
        arrives = math.dist(v, out) <= 1 / 65536 or out == self.out
        self.out = v if arrives else out
        return arrives


class HalfLife(Remembers):
    def __init__(self, dt, ms):
        super().__init__(dt)
        self.share = 1 - math.exp(-math.log(2) * dt / (ms / 1000))

    def __call__(self, v):
        self.approach(v, self.share)
        return self.out


class Steady(Remembers):
    def __init__(self, dt, steady, follow):
        super().__init__(dt)
        self.steady, self.follow, self.speed = steady, follow, [0.0, 0.0]

    def part(self, hz):
        turned = 2 * math.pi * hz * self.dt
        return turned / (turned + 1)

    def __call__(self, v):
        moved = zip(self.speed, v, self.out)
        self.speed = [s + self.part(1) * ((to - o) / self.dt - s) for s, to, o in moved]
        arrived = self.approach(v, self.part(self.steady + self.follow * math.hypot(*self.speed)))
        if arrived and math.hypot(*self.speed) < 1e-6:
            self.speed = [0.0, 0.0]
        return self.out


class TurnLimit(Remembers):
    def __init__(self, dt, limit):
        super().__init__(dt)
        self.most, self.was_turned = math.radians(limit) * dt, False

    def arrive(self, v):
        self.out, self.was_turned = v, False
        return v

    def __call__(self, v):
        (x, y), far = self.out, length(v)
        if far == 0 or length(self.out) == 0 or self.most >= math.pi:
            return self.arrive(v)
        cross, dot = x * v[1] - y * v[0], x * v[0] + y * v[1]
        angle = math.atan2(cross, dot)
        if abs(angle) > math.pi - 1e-5 and (cross != 0 or self.was_turned):
            raise Tie
        if abs(angle) <= self.most:
            return self.arrive(v)
        self.was_turned = True
        turn, scale = self.most if cross >= 0 else -self.most, far / length(self.out)
        cos, sin = math.cos(turn) * scale, math.sin(turn) * scale
        self.out = [single(x * cos - y * sin), single(x * sin + y * cos)]
        return self.out


class Directions(Remembers):
    def __init__(self, dt, ways, hysteresis):
        super().__init__(dt)
        self.sector, self.hysteresis, self.kept = 360 / ways, hysteresis, None

    def __call__(self, v):
        if length(v) == 0:
            self.kept = None
            return [0.0, 0.0]
        angle = math.degrees(math.atan2(v[1], v[0]))
        away = 0 if self.kept is None else abs((angle - self.kept + 180) % 360 - 180)
        if self.kept is None or away > self.sector / 2 + self.hysteresis:
            self.kept = signed(math.floor(abs(angle) / self.sector + 0.5), angle) * self.sector
        to = math.radians(self.kept)
        return [length(v) * math.cos(to), length(v) * math.sin(to)]


class Facing(Remembers):
    def __init__(self, dt, beyond):
        super().__init__(dt)
        self.beyond = beyond

    def __call__(self, v):
        if abs(v[0]) >= self.beyond and v[0] != 0:
            self.out = [signed(1.0, v[0]), 0.0]
        return self.out


def square(v):
    x, y = (max(-1.0, min(1.0, part)) for part in v)
    return [x * math.sqrt(1 - y * y / 2), y * math.sqrt(1 - x * x / 2)]


def a_stage(dice, dt):
    """A stage as a rig writes it, and as it is computed."""

    def number(low, high):
        return single(round(dice.uniform(low, high), 3))

    def text(value):
        return f"{value:.6g}"

    kind = dice.choice(
        "invert swap offset scale gate dead-zone dead-zone curve curve sensitivity half-life-ms "
        "steady-hz turn-limit directions facing".split()
    )
    if kind == "invert":
        axes = dice.choice(["x", "y", "xy"])
        turned = [-1.0 if axis in axes else 1.0 for axis in "xy"]
        return f'invert = "{axes}"', lambda v: [part * by for part, by in zip(v, turned)]
    if kind == "swap":
        return "swap = true", lambda v: v[::-1]
    if kind in ("offset", "scale"):
        by = [number(-1, 1), number(-1, 2)]
        written = f"{kind} = [{text(by[0])}, {text(by[1])}]"
        if kind == "offset":
            return written, lambda v: [part + more for part, more in zip(v, by)]
        return written, lambda v: [part * times for part, times in zip(v, by)]
    if kind == "gate":
        if dice.random() < 0.5:
            return 'gate = "square"', square
        return 'gate = "circle"', lambda v: on_length(v, lambda r: min(r, 1.0))
    if kind == "dead-zone":
        on, inner = dice.choice(["radius", "cut", "axes", "sloped"]), number(0, 0.6)
        outer, slope = number(0.7, 1), number(0, 0.9)
        sloped = f", slope = {text(slope)}" if on == "sloped" else ""
        written = f'dead-zone = {text(inner)}, on = "{on}", outer = {text(outer)}{sloped}'
        return written, lambda v: dead_zone(v, on, inner, outer, slope)
    if kind == "curve":
        keys = {
            "linear": "",
            "power": "exponent",
            "blend": "cubic",
            "s": "steepness",
            "points": "points",
        }
        shape = dice.choice(list(keys))
        ranges = {"power": (0.2, 5), "blend": (0, 1), "s": (1, 5)}
        value, rest = None, ""
        if shape == "points":
            xs = sorted(dice.sample(range(1, 20), dice.randint(1, 4)))
            ys = sorted(dice.choice([0, 0.1, 0.3, 0.3, 0.5, 0.9, 1.0]) for _ in xs)
            value = [(x / 20, y) for x, y in zip(xs, ys)]
            rest = f", points = {[list(point) for point in value]}"
        elif shape != "linear":
            value = number(*ranges[shape])
            rest = f", {keys[shape]} = {text(value)}"
        formula, by_axis = curve(shape, value), dice.random() < 0.4
        apply = on_axes if by_axis else on_length
        axes = ', on = "axes"' if by_axis else ""
        return f'curve = "{shape}"{rest}{axes}', lambda v: apply(v, formula)
    if kind == "sensitivity":
        by = number(0.05, 5)
        return f"sensitivity = {text(by)}", lambda v: on_length(
            v, lambda r: min(r * by, max(1.0, r))
        )
    if kind == "half-life-ms":
        ms = number(0.1, 200)
        return f"half-life-ms = {text(ms)}", HalfLife(dt, ms)
    if kind == "steady-hz":
        steady, follow = number(0.05, 20), number(0, 10)
        return f"steady-hz = {text(steady)}, follow = {text(follow)}", Steady(dt, steady, follow)
    if kind == "turn-limit":
        limit = number(1, 7200)
        return f"turn-limit = {text(limit)}", TurnLimit(dt, limit)
    if kind == "directions":
        ways, hysteresis = dice.choice([4, 8]), number(0, 20)
        written = f"directions = {ways}, hysteresis = {text(hysteresis)}"
        return written, Directions(dt, ways, hysteresis)
    beyond = number(0, 1)
    return f"facing = {text(beyond)}", Facing(dt, beyond)


def own_scale(raw, low, centre, high):
    end = low if raw < centre else high
    share = max(0.0, min(1.0, single(single(raw - centre) / single(end - centre))))
    return -share if raw < centre else share


def pushes(dice, rest):
    """What both axes report before each tick; `None` where they say nothing."""
    raw = [rest, rest]
    for _ in range(TICKS):
        said = dice.random() < 0.5
        if said:
            for axis in (0, 1):
                near = max(-32768, min(32767, raw[axis] + dice.randint(-3000, 3000)))
                far = dice.randint(-40000, 40000)
                raw[axis] = dice.choice([rest, -32768, 32767, near, far])
        yield list(raw) if said else None


@pytest.mark.parametrize("seed", range(200))
def test_stages_compute_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([30, 60, 120, 250, 1000])
    stages = [a_stage(dice, 1 / hz) for _ in range(dice.randint(1, 4))]
    travels = [(-31000, 900, 30000) if dice.random() < 0.3 else None, None]
    clamp = dice.random() < 0.7
    calibration = f"calibrate-x = {list(travels[0])}" if travels[0] else ""
    rig = (
        f"rig = 1\n[sampling]\npoll-hz = {hz}\n[shape.it]\n{calibration}\nstages = [\n"
        + "".join(f"{{ {written} }},\n" for written, _ in stages)
        + f']\n[action.it]\ngives = "plane"\nclamp = {str(clamp).lower()}\n'
        + 'from = { stick = "pad/stick-l", shape = "it" }\n'
    )
    device = (-32768, dice.choice([0, 128]), 32767)
    axis = '{"code":"stick-l-%s","kind":"axis","min":%d,"centre":%d,"max":%d}'
    controls = ",".join(axis % (name, *device) for name in "xy")
    lines = ['{"take":1}', f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{controls}]}}']
    expected, raw = [], [device[1]] * 2
    for tick, said in enumerate(pushes(dice, device[1])):
        if tick > 0 and said:
            raw = said
            before = int(tick * 1e9 / hz) - 3
            values = zip("xy", raw)
            lines += [f'{{"t":{before},"on":"pad1","c":"stick-l-{c}","v":{v}}}' for c, v in values]
        v = [own_scale(r, *(travel or device)) for r, travel in zip(raw, travels)]
        try:
            for _, stage in stages:
                v = [single(part) for part in stage(v)]
        except Tie:
            break
        expected.append([part / length(v) for part in v] if clamp and length(v) > 1 else v)
    lines.append(f'{{"t":{int((TICKS - 1) * 1e9 / hz)},"ends":true}}')

    reports = replayed_texts(tmp_path, rig, lines)
    assert len(reports) == TICKS
    value = [0.0, 0.0]
    for tick, asked in enumerate(expected):
        for action in reports[tick].get("actions", []):
            value = action["value"]
        assert value == pytest.approx(asked, abs=NEAR), f"tick {tick} of {[s for s, _ in stages]}"


FILTERS = (HalfLife, Steady, TurnLimit)


@pytest.mark.parametrize("seed", range(150))
def test_corners_give_as_much_as_is_said(seed, tmp_path):
    dice, rig = random.Random(seed), tmp_path / "it.rig.toml"
    clamp, written, ratios = dice.random() < 0.3, "", []
    for n in range(dice.randint(1, 2)):
        stages = [a_stage(dice, 1 / 60) for _ in range(dice.randint(1, 3))]
        table = "".join(f"{{ {text} }},\n" for text, _ in stages)
        written += f"[shape.s{n}]\nstages = [\n{table}]\n"

        def given(v):
            # A push from rest: what remembers begins anew.
            for _, stage in copy.deepcopy(stages):
                v = v if isinstance(stage, FILTERS) else [single(part) for part in stage(v)]
            return min(length(v), 1.0) if clamp else length(v)

        straight = max(given(list(v)) for v in [(1, 0), (0, 1), (-1, 0), (0, -1)])
        corner = max(given([x, y]) for x in (-1, 1) for y in (-1, 1))
        ratios.append(corner / straight if straight else math.inf if corner else 1.0)
    sticks = [f'{{ stick = "pad/stick-{"lr"[n]}", shape = "s{n}" }}' for n in range(len(ratios))]
    action = ["[action.it]", 'gives = "plane"', f"clamp = {str(clamp).lower()}"]
    rig.write_text("rig = 1\n" + written + "\n".join([*action, f"from = [{', '.join(sticks)}]"]))
    ran = subprocess.run([GTRIG, "check", "--json", rig], capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    told = [
        one["words"] for one in map(json.loads, ran.stdout.splitlines()) if "corner" in one["code"]
    ]
    worst = max(ratios)
    if abs(worst - 1.02) < 1e-4:
        return
    assert bool(told) == (worst > 1.02), (worst, told)
    if told and worst != math.inf:
        assert float(re.search(r"gives ([\d.]+) times", told[0])[1]) == pytest.approx(
            worst, abs=0.006
        )


@pytest.mark.parametrize("seed", range(60))
def test_a_passage_shows_each_stage(seed, tmp_path):
    dice, rig = random.Random(seed), tmp_path / "it.rig.toml"
    hz = dice.choice([30, 60, 144, 1000])
    stages = [a_stage(dice, single(1 / hz)) for _ in range(dice.randint(1, 6))]
    table = "".join(f"{{ {text} }},\n" for text, _ in stages)
    rig.write_text(f"rig = 1\n[shape.it]\nstages = [\n{table}]\n")
    rest = dice.choice([0, 100])
    asked, expected = [], []
    for _ in range(80):
        x, y = (dice.choice([rest, dice.randint(-1200, 1200)]) for _ in range(2))
        is_alone = dice.random() < 0.2
        asked.append(str(x) if is_alone else f"{x}{dice.choice([',', ' ', ', '])}{y}")
        y = 0 if is_alone else y
        v = [own_scale(raw, -1000, rest, 1000) for raw in (x, y)]
        row = [x, y, *v]
        try:
            for _, stage in stages:
                v = [single(part) for part in stage(v)]
                row += v
        except Tie:
            asked.pop()
            break
        expected.append(row)
    command = [GTRIG, "shape", rig, "it", "--range", f"-1000,{rest},1000", "--hz", str(hz)]
    ran = subprocess.run(command, input="\n".join(asked), capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    header, *rows = [line.split(",") for line in ran.stdout.splitlines()]
    assert len(header) == 4 + 2 * len(stages)
    assert len(rows) == len(expected)
    for row, values in zip(rows, expected):
        assert list(map(float, row)) == pytest.approx(values, abs=NEAR), stages
