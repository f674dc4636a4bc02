"""Taps, presses and swipes of one finger, their moments and their margins, written a second time
from docs/rig-format.md alone, and held against the program over random fingers."""

import math
import random

import pytest
from workbench import a_glass, reports_of_texts, rig_of

# A panel of 160 by 90 mm with ten units a millimetre.
WIDTH, HEIGHT = 1600, 900
# Whether more is better (1) or less (-1).
SENSES = {
    "lift-ms": -1, "move-mm": -1, "hold-ms": 1, "length-mm": 1,
    "time-ms": -1, "speed-mm-s": 1, "straight": 1,
}


def a_gesture(dice):
    """The kind of a gesture, its limits, and its table in a rig."""

    def number(low, high):
        # No place of a finger is exactly at such a limit.
        return round(dice.uniform(low, high), 2) + 0.007

    kind = dice.choice(["tap", "press", "swipe", "swipe that fires on release"])
    if kind == "tap":
        limits = {"lift-ms": number(60, 400), "move-mm": number(0.5, 10)}
    elif kind == "press":
        limits = {"hold-ms": number(60, 700), "move-mm": number(0.5, 10)}
    else:
        limits = {"length-mm": number(3, 30), "time-ms": number(50, 900)}
        limits |= {"speed-mm-s": number(5, 200)} if dice.random() < 0.5 else {}
        limits |= {"straight": number(0.3, 0.98)} if dice.random() < 0.5 else {}
    lines = ["[gesture.it]", f'kind = "{kind.split()[0]}"']
    lines += ['toward = "any"'] if "swipe" in kind else []
    lines += ['fires = "release"'] if "release" in kind else []
    return kind, limits, lines + [f"{key} = {limit}" for key, limit in limits.items()]


def fingers(dice):
    """Each finger as its reports (instant, x, y), and the instant at which it is lifted."""
    time = 20_000_000
    for _ in range(dice.randint(1, 6)):
        x, y = dice.randint(300, 1300), dice.randint(200, 700)
        reports = [(time, x, y)]
        pace = dice.choice([(0, 0), (dice.randint(-40, 40), dice.randint(-40, 40))])
        for _ in range(dice.randint(0, 25)):
            time += int(dice.choice([8e6, 8e6, dice.uniform(1e6, 60e6)]))
            x, y = (at + by + dice.randint(-6, 6) for at, by in zip((x, y), pace))
            reports.append((time, x, y))
        time += int(dice.choice([2e6, dice.uniform(5e6, 300e6)]))
        yield reports, time
        time += int(dice.uniform(40e6, 400e6))


def reports_of(all_fingers):
    """The same as reports of a contact."""
    for places, lifted in all_fingers:
        for n, (time, x, y) in enumerate(places):
            yield time, 1, (x, y)
            if n == 0:
                yield time, 1, True
        yield lifted, 1, False


def in_mm(report):
    _, x, y = report
    return max(0, min(WIDTH, x)) / 10, max(0, min(HEIGHT, y)) / 10


def moments(kind, reports, lifted, hz):
    """The tick of each moment, whether it is that of a poll, and what every quantity is then."""

    def tick_seeing(time):
        return -(-time * hz // 10**9)

    def polled(tick):
        return in_mm([report for report in reports if tick_seeing(report[0]) <= tick][-1])

    landed = reports[0][0]
    first, last = tick_seeing(landed), tick_seeing(lifted)
    start = place = polled(first)
    moved = path = 0.0

    def measured(until):
        time, way = (until - landed) / 1e6, math.dist(start, place)
        return {
            "lift-ms": time, "hold-ms": time, "time-ms": time,
            "move-mm": moved, "length-mm": way,
            "speed-mm-s": way * 1000 / max(time, 1e-3), "straight": min(1, way / path) if path else 0,
        }

    if kind == "press":
        yield first, True, measured(first * 10**9 // hz)
    for tick in range(first + 1, last + 1):
        is_lift = tick == last
        seen = [time for time, *_ in reports if tick_seeing(time) == tick]
        if seen or is_lift:
            at = lifted if is_lift else seen[-1]
            if kind == "press":
                yield tick, False, measured(at)
            path += math.dist(place, polled(tick))
            place = polled(tick)
            moved = max(moved, math.dist(start, place))
            if kind == "swipe" or (is_lift and kind != "press"):
                yield tick, False, measured(at)
        if kind == "press" and not is_lift:
            yield tick, True, measured(tick * 10**9 // hz)


def verdict(kind, limits, finger, hz):
    """The tick at which the gesture is met, and the margin of each limit, alone or not."""
    met, best, alone = None, None, dict.fromkeys(limits)
    for tick, is_poll, values in moments(kind, *finger, hz):
        if is_poll and met is not None:
            continue
        slacks = {key: (values[key] - limit) * SENSES[key] for key, limit in limits.items()}
        failed = [key for key, slack in slacks.items() if slack < 0]
        for key, slack in slacks.items():
            if failed in ([], [key]):
                alone[key] = slack if alone[key] is None else max(alone[key], slack)
        if best is None or len(failed) <= len(best[0]):
            best = failed, slacks
        if not failed and met is None:
            met = tick
    margins = {key: (best[1][key] if a is None else a, a is not None) for key, a in alone.items()}
    return met, margins


@pytest.mark.parametrize("seed", range(150))
def test_gestures_are_judged_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([30, 60, 120, 240])
    kind, limits, table = a_gesture(dice)
    all_fingers = list(fingers(dice))
    reports, until = reports_of(all_fingers), all_fingers[-1][1] + 10**9
    take = a_glass(reports, 1, (WIDTH, HEIGHT), until, resolution=10)
    told = reports_of_texts("gestures", tmp_path, rig_of(hz, table), take)
    told = [report for report in told if report["line"] == "verdict"]
    # A finger that no poll saw is none.
    seen = [f for f in all_fingers if -(-f[0][0][0] * hz // 10**9) < -(-f[1] * hz // 10**9)]
    assert len(told) == len(seen)
    for finger, said in zip(seen, told):
        met, margins = verdict(kind, limits, finger, hz)
        if any(abs(margin) < 1e-4 for margin, _ in margins.values()):
            continue
        assert said.get("fired_tick") == met
        for check in said["checks"]:
            margin, is_alone = margins[check["limit"]]
            assert check["alone"] == is_alone
            assert check["margin"] == pytest.approx(margin, rel=2e-3, abs=2e-3)
