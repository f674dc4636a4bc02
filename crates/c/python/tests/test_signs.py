"""Signs, written a second time from docs/rig-format.md alone, and held against the program over
random examples and strokes."""

import json
import math
import random
from itertools import accumulate, pairwise

import pytest
from test_fingers import Panel
from test_panels import PANELS
from workbench import reports_of_texts, rig_of, some_glasses

HZ, POINTS, TURN = 60, 16, math.radians(22.5)


def length_of(path):
    return sum(math.dist(a, b) for a, b in pairwise(path))


def compared(path):
    """Points at equal distances along a path, about their mean and of length 1."""
    gone = [0, *accumulate(math.dist(a, b) for a, b in pairwise(path))]
    points = []
    for n in range(POINTS):
        at = min(gone[-1], gone[-1] * n / (POINTS - 1))
        leg = next((k for k in range(len(path) - 1) if gone[k + 1] >= at > gone[k]), 0)
        share = (at - gone[leg]) / ((gone[leg + 1] - gone[leg]) or 1)
        points.append([a + (b - a) * share for a, b in zip(path[leg], path[leg + 1])])
    mean = [sum(part) / POINTS for part in zip(*points)]
    points = [(x - mean[0], y - mean[1]) for x, y in points]
    size = math.sqrt(sum(x * x + y * y for x, y in points))
    return [(x / size, y / size) for x, y in points]


def differs(one, other):
    """By how many degrees two strokes differ."""
    c = sum(px * qx + py * qy for (px, py), (qx, qy) in zip(one, other))
    s = sum(px * qy - py * qx for (px, py), (qx, qy) in zip(one, other))
    t = max(-TURN, min(TURN, math.atan2(s, c)))
    return math.degrees(math.acos(max(-1, min(1, c * math.cos(t) + s * math.sin(t)))))


def a_path(dice):
    corners = dice.randint(2, 6)
    return [(dice.randint(-50, 50), dice.randint(-50, 50)) for _ in range(corners)]


def drawn(dice, path, ends):
    """Places of a hand that draws a path on a panel at another place, size and turn, and not
    quite."""
    turned, size = math.radians(dice.uniform(-40, 40)), dice.uniform(0.5, 3)
    cos, sin = math.cos(turned) * size, math.sin(turned) * size
    noise = dice.choice([0, 2, 10])
    for (ax, ay), (bx, by) in pairwise(path):
        steps = dice.randint(2, 8)
        for n in range(steps):
            x, y = ax + (bx - ax) * n / steps, ay + (by - ay) * n / steps
            x, y = (part + dice.uniform(-noise, noise) for part in (x, y))
            place = x * cos - y * sin, x * sin + y * cos
            centred = zip(place, ends)
            yield tuple(max(0, min(end, round(end / 2 + part))) for part, end in centred)


@pytest.mark.parametrize("seed", range(120))
def test_a_stroke_differs_by_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    paths = lambda: [a_path(dice) for _ in range(dice.randint(1, 3))]
    signs = {f"sign-{n}": paths() for n in range(dice.randint(1, 3))}
    ranges = {"differs-deg": (1, 60), "lead-deg": (0, 40), "length-mm": (1, 60)}
    limits = {key: round(dice.uniform(*ends), 2) for key, ends in ranges.items()}
    table = [f"[sign.{name}]\nexamples = {json.dumps(paths)}" for name, paths in signs.items()]
    table += ["[gesture.it]", 'kind = "sign"', 'sign = "sign-0"']
    table += [f"{key} = {value}" for key, value in limits.items()]
    used = dice.sample(PANELS, dice.randint(1, 2))
    turned = dice.choice([0, 90, 180, 270])
    picture = dice.choice([None, None, (dice.randint(60, 300), dice.randint(60, 300))])
    surface = ["[surface]", f"turned = {turned}", *([f"mm = {list(picture)}"] if picture else [])]
    panels = [Panel(size, ends[0] / size[0], turned=turned, picture=picture) for ends, _, size in used]
    time, reports, strokes = 10_000_000, [], []
    for _ in range(5):
        path = dice.choice([path for paths in signs.values() for path in paths])
        n = dice.randrange(len(used))
        places = list(drawn(dice, path, used[n][0]))
        told = [(time, places[0])]
        for place in places[1:]:
            time += int(dice.uniform(2e6, 30e6))
            told.append((time, place))
        # Long enough that a poll finds it.
        time += 20_000_000
        reports += [(told[0][0], (n, 1), said) for said in (places[0], True)]
        reports += [*((at, (n, 1), place) for at, place in told[1:]), (time, (n, 1), False)]
        strokes.append((panels[n], told, time))
        time += 200_000_000
    rig = rig_of(HZ, surface, table)
    lines = some_glasses(reports, 1, [panel[:2] for panel in used], time + 10**9)
    told = reports_of_texts("gestures", tmp_path, rig, lines)
    told = [line for line in told if line["line"] == "verdict"]
    assert len(told) == len(strokes)
    for line, (panel, its, lifted) in zip(told, strokes):
        path = [panel.place(said) for said in polled(its, lifted)]
        checks = {check["limit"]: check["value"] for check in line["checks"]}
        assert checks["length-mm"] == pytest.approx(length_of(path), abs=1e-2)
        if length_of(path) == 0:
            continue
        stroke = compared(path)
        nearest = {
            name: min(differs(compared(example), stroke) for example in paths if length_of(example))
            for name, paths in signs.items()
        }
        own, others = nearest["sign-0"], [by for name, by in nearest.items() if name != "sign-0"]
        lead = min(others, default=180) - own
        assert checks["differs-deg"] == pytest.approx(own, abs=0.05)
        assert checks["lead-deg"] == pytest.approx(lead, abs=0.1)
        margins = limits["differs-deg"] - own, lead - limits["lead-deg"]
        margins = *margins, length_of(path) - limits["length-mm"]
        if min(map(abs, margins)) > 0.1:
            assert line["outcome"] == ("fired" if min(margins) >= 0 else "missed")


def polled(reports, lifted):
    """The places at which polls find a finger, and the one at which it is lifted."""
    first, last = (-(-at * HZ // 10**9) for at in (reports[0][0], lifted))
    for tick in range(first, last):
        yield [said for at, said in reports if at <= tick * 10**9 // HZ][-1]
    yield reports[-1][1]
