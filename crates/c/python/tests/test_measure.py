"""What a stick, a lever or a trigger is measured to do, written a second time from docs/reports.md
alone, and held against the program over random hands: at rest, held, rolled, let go, silent, and
with a device that goes."""

import math
import random
from itertools import groupby, pairwise

import pytest
from workbench import MILLISECOND, reports_of_texts, rig_of

STEP = 4 * MILLISECOND
TURN = 72
PRESENCE = ["unplug", "plug", "deaf", "heard"]


class Kind:
    """The values that a control of a device has."""

    def __init__(self, name, low, centre, high):
        self.name, self.low, self.centre, self.high = name, low, centre, high

    def share(self, raw):
        """A value as a share of the travel."""
        raw = max(self.low, min(self.high, raw))
        end = self.high if raw > self.centre else self.low
        return abs(raw - self.centre) / max(1, abs(end - self.centre)) * (1 if end == self.high else -1)

    def raw(self, share):
        """What the device reads at a share of the travel."""
        end = self.low if share < 0 else self.high
        exact = self.centre + abs(share) * (end - self.centre)
        return math.floor(exact + 0.5) if exact >= 0 else math.ceil(exact - 0.5)

    def plug(self):
        kind = "trigger" if self.centre == self.low else "axis"
        centre = f'"centre":{self.centre},' if kind == "axis" else ""
        return f'{{"code":"{self.name}","kind":"{kind}","min":{self.low},{centre}"max":{self.high}}}'


def a_kind(dice, name):
    # No place of a finger is then exactly at a limit, such as half of the travel.
    high = dice.choice([127, 1021, 2039])
    if name == "trigger-r":
        return Kind(name, 0, 0, high)
    low = dice.choice([-high, -high, -1013])
    return Kind(name, low, dice.choice([0, 0, 7]), high)


# -- what a hand does ---------------------------------------------------------------------------


def hand(dice, out_of_round):
    """The places of a stick, as shares, each with how long it takes to get there."""
    centre = [dice.uniform(-0.1, 0.1) for _ in "xy"]
    noise = dice.choice([0.0, 0.004, 0.01])

    def about(place):
        return [at + dice.gauss(0, noise) for at in place]

    def at_angle(angle, reach=1.0):
        out = 1 - out_of_round * (0.5 + 0.5 * math.sin(3 * angle + 1))
        way = math.cos(angle), math.sin(angle)
        return [middle + by * reach * out for middle, by in zip(centre, way)]

    pace = dice.choice([1, 4, 8, 8, 15]) * MILLISECOND
    for _ in range(dice.randint(3, 9)):
        what = dice.choice(["rest", "hold", "roll", "flick"] * 2 + ["silence", "creep"])
        angle = dice.uniform(0, math.tau)
        if what == "rest":
            drift = dice.choice([0, 0, 0.02])
            for n in range(dice.randint(50, 3000) * MILLISECOND // pace):
                yield pace, about([centre[0] + drift * n * pace / 10**9, centre[1]])
        elif what == "hold":
            place = at_angle(angle, dice.uniform(0.2, 1))
            for _ in range(dice.randint(100, 1500) * MILLISECOND // pace):
                yield pace, about(place)
        elif what == "creep":
            for n in range(1200 * MILLISECOND // pace):
                yield pace, about(at_angle(angle, 0.4 + 0.3 * n * pace / 1.2e9))
        elif what == "roll":
            turns, lasts = dice.uniform(0.2, 1.6), dice.randint(300, 4000) * MILLISECOND
            for n in range(lasts // pace):
                yield pace, about(at_angle(angle + math.tau * turns * n * pace / lasts, 1.05))
        elif what == "flick":
            for _ in range(dice.randint(2, 40)):
                yield pace, about(at_angle(angle))
            for n in range(60):
                swing = math.exp(-n / 6) * math.cos(n * 0.7)
                yield 4 * MILLISECOND, about(at_angle(angle, swing))
        else:
            yield dice.randint(150, 14_000) * MILLISECOND, about(centre)


def reports(dice, kinds):
    """What the device says: instant, and what it is: the raw values by axis, or a word."""
    time, last = 50 * MILLISECOND, {}
    moves = hand(dice, dice.choice([0, 0, 0.15]))
    for lasts, place in moves:
        time += lasts + dice.choice([0, 0, 0, 100_003])
        said = {n: kind.raw(min(1.2, max(-1.2, place[n]))) for n, kind in enumerate(kinds)}
        said = {n: raw for n, raw in said.items() if last.get(n) != raw or dice.random() < 0.05}
        last |= said
        if said:
            yield time, said
        if dice.random() < 0.001:
            words = dice.choice([PRESENCE[:2], PRESENCE[2:]])
            yield time + 1_500_000, words[0]
            if words[0] == "deaf" and dice.random() < 0.5:
                yield time + 60 * MILLISECOND, {0: kinds[0].high}
            time += dice.randint(100, 900) * MILLISECOND
            yield time, words[1]
            last = {}


def written(kinds, said):
    """The same as the lines of a take."""
    device = "lever1" if kinds[0].name == "travel" else "pad1"
    controls = ",".join(kind.plug() for kind in kinds)
    kind = "other" if device == "lever1" else "pad"
    plug = f'"plug":"{device}","kind":"{kind}","controls":[{controls}]'
    yield '{"take":1}'
    yield f'{{"t":0,{plug}}}'
    for time, what in said:
        if what == "plug":
            yield f'{{"t":{time},{plug}}}'
        elif isinstance(what, str):
            yield f'{{"t":{time},"{what}":"{device}"}}'
        else:
            for n, raw in what.items():
                yield f'{{"t":{time},"on":"{device}","c":"{kinds[n].name}","v":{raw}}}'
    yield f'{{"t":{said[-1][0] + 500 * MILLISECOND},"ends":true}}'


# -- what it is measured to do ------------------------------------------------------------------


def samples_of(kinds, said):
    """The raw values at every sample with its instant, the times between reports, and the different
    values of each axis."""
    samples, intervals, levels = [], [], [set() for _ in kinds]
    values = due = reported = None
    is_here = True

    def go_on(until):
        nonlocal due
        for _ in range(2500):
            if due >= until:
                return
            samples.append((list(values), due))
            due += STEP
        due += max(0, -(-(until - due) // STEP)) * STEP

    for time, what in said:
        if isinstance(what, str):
            if is_here and values:
                go_on(time)
            is_here, values = what in ("plug", "heard"), None
            continue
        if not is_here:
            continue
        if values is None:
            values, due, reported = [kind.centre for kind in kinds], time, time
        go_on(time)
        if 0 < time - reported < 100 * MILLISECOND:
            intervals.append(time - reported)
        reported = time
        for n, raw in what.items():
            values[n] = raw
            levels[n].add(raw)
    if values:
        samples.append((list(values), due))
    return samples, intervals, [len(its) for its in levels]


def mean(places):
    return [math.fsum(place[n] for place in places) / len(places) for n in (0, 1)]


def squares(places):
    """Of each axis the sum of the squares of how far they are from their mean."""
    middle = mean(places)
    return [math.fsum((place[n] - middle[n]) ** 2 for place in places) for n in (0, 1)]


def quiet_parts(places):
    """The ranges of the quiet parts, and whether each is rest."""
    start = 0
    while start + 100 <= len(places):
        end = start
        while end < len(places) and math.dist(places[end], places[start]) <= 0.06:
            end += 1
        if end - start < 100:
            start += 1
            continue
        quarter = (end - start) // 4
        low, high = start + (max(quarter, 62) if start else quarter), end - quarter
        if low < high:
            middle = mean(places[low:high])
            most = 1.25 * max(math.dist(place, middle) for place in places[low:high])
            off = [math.dist(place, middle) - most for place in places[start:end]]
            assume(most == 0 or all(abs(d) > 1e-7 for d in off))
            begin, after = low, high
            while begin > start and math.dist(places[begin - 1], middle) <= most:
                begin -= 1
            while after < end and math.dist(places[after], middle) <= most:
                after += 1
            yield range(begin, after), math.hypot(*middle) <= 0.3
        start = end


def direction(place):
    turns = math.atan2(place[1], place[0]) / math.tau * TURN
    # Which of two it is would hang on the last bit.
    assume(abs(turns - math.floor(turns) - 0.5) > 2e-6)
    return math.floor(turns + 0.5) % TURN


class Doubtful(Exception):
    """A number is so near to a limit that 32 bits decide."""


def assume(is_clear):
    if not is_clear:
        raise Doubtful


def rim_of(places, centre):
    """What each direction reaches, and where it is rolled."""
    reach, rolled = {}, {}
    is_out = lambda place: math.hypot(*place) > 0.5 and math.dist(place, centre) > 0.5
    for out, run in groupby(places, is_out):
        if not out:
            continue
        run = list(run)
        far = [math.hypot(*place) for place in run]
        begin = next(n for n in range(len(run)) if far[n] >= max(far[n:n + 10]))
        end = next(n for n in reversed(range(len(run))) if far[n] >= max(far[max(0, n - 10):n] + [0]))
        begin = min(begin, end)
        counted = [direction(run[begin])]
        for place in run[begin + 1:end + 1]:
            by = (direction(place) - counted[-1] + TURN // 2) % TURN - TURN // 2
            counted.append(counted[-1] + by)
        for on, r in zip(counted, far[begin:end + 1]):
            n = on % TURN
            reach[n] = max(reach.get(n, 0), r)
            if min(counted) < on < max(counted):
                rolled[n] = max(rolled.get(n, 0), r)
    return reach, rolled


class Measured:
    """All that is measured of samples; what is not known is None."""

    def __init__(self, places, times, kinds):
        self.kinds, self.is_single = kinds, len(kinds) == 1
        parts = list(quiet_parts(places))
        rest = [n for part, is_rest in parts if is_rest for n in part]
        at_rest = [places[n] for n in rest]
        self.centre = self.noise = self.radius = self.drift = self.snap_back = None
        if len(rest) >= 500:
            self.centre = mean(at_rest)
            pieces = [at_rest[n:n + 250] for n in range(0, len(rest), 250)]
            pieces = [piece for piece in pieces if len(piece) > 125]
            sums = [sum(of) for of in zip(*map(squares, pieces))]
            self.noise = math.sqrt(max(sums) / sum(map(len, pieces)))
            distances = sorted(math.dist(place, self.centre) for place in at_rest)
            self.radius = distances[-(-999 * len(distances) // 1000) - 1]
            self.drift = drift(at_rest, [times[n] / 1e9 for n in rest])
            self.snap_back = self.released(places, parts)
        self.reach, self.rolled = rim_of(places, self.centre or [0, 0])
        held = [[places[n] for n in part] for part, is_rest in parts if not is_rest]
        count = sum(map(len, held))
        each = [math.sqrt(max(squares(part)) / len(part)) * len(part) for part in held]
        self.jitter = sum(each) / count if count >= 75 else None
        self.circularity = None
        if len(self.rolled) == TURN and not self.is_single:
            all_of = self.rolled.values()
            self.circularity = (max(all_of) - min(all_of)) / (sum(all_of) / TURN)

    def end(self, n):
        around = [self.reach.get((n + by) % TURN) for by in (-1, 0, 1)]
        return max((r for r in around if r is not None), default=None)

    @property
    def asymmetry(self):
        right, up, left, down = (self.end(n) for n in (0, 18, 36, 54))
        if self.is_single:
            return [right - left, 0] if right and left else None
        return [right - left, up - down] if right and up and left and down else None

    def released(self, places, parts):
        found, rests = [], [part for part, is_rest in parts if is_rest]
        for before, part in pairwise([range(-1, -1), *rests]):
            if part.start == 0 or before.stop == part.start:
                continue
            path = places[max(0, part.start - 124):part.start + 62]
            far = [n for n, place in enumerate(path) if math.dist(place, self.centre) > 0.6]
            if not far:
                continue
            path = path[far[-1]:]
            way = [a - b for a, b in zip(path[0], self.centre)]
            past = [
                -sum((a - b) * w for a, b, w in zip(place, self.centre, way)) / math.hypot(*way)
                for place in path
            ]
            off = [math.dist(place, self.centre) - self.radius * 1.25 for place in path]
            assume(all(abs(d) > 1e-6 or abs(d) < 1e-12 for d in off))
            outside = [d > 1e-12 for d in off]
            settled = max((n + 1 for n, is_out in enumerate(outside) if is_out), default=0)
            leaves = sum(b > a for a, b in pairwise(outside))
            found.append((max(0, *past), settled * 4.0, leaves))
        return [len(found), *(max(of) for of in zip(*found))] if found else None

    def travel(self, axis):
        """What the device reads at its ends and its centre."""
        ends = [self.end(axis * 18 + 36), self.end(axis * 18)]
        kind = self.kinds[axis]
        is_trigger = kind.centre == kind.low
        if self.centre is None or ends[1] is None or (ends[0] is None and not is_trigger):
            return None
        high, centre = min(1, ends[1]), self.centre[axis]
        for share in (centre, high, *([] if is_trigger else [-min(1, ends[0])])):
            end = kind.low if share < 0 else kind.high
            assume(abs((kind.centre + abs(share) * (end - kind.centre)) % 1 - 0.5) > 1e-3)
        centre = kind.raw(centre)
        low = centre if is_trigger else kind.raw(-min(1, ends[0]))
        travel = [low, centre, kind.raw(high)]
        return travel if low <= centre < travel[2] else None

    def smallest_reach(self):
        if not self.is_single:
            return None if self.circularity is None else min(1, *self.rolled.values())
        low, high = self.end(36), self.end(0)
        if self.kinds[0].centre == self.kinds[0].low:
            return high
        return min(low, high) if low and high else None


def drift(places, times):
    if times[-1] - times[0] < 4:
        return None
    middle, centre = math.fsum(times) / len(times), mean(places)
    under = math.fsum((t - middle) ** 2 for t in times)
    slopes = [
        math.fsum((t - middle) * (place[n] - centre[n]) for t, place in zip(times, places)) / under
        for n in (0, 1)
    ]
    return math.hypot(*slopes) * 60


def shares(kinds, samples):
    return [[kind.share(raw) for kind, raw in zip(kinds, values)] + [0] * (2 - len(kinds))
            for values, _ in samples]


def hundredths(value, whole):
    if value is None:
        return None
    # What reaches the end of its travel, or never moves, is exact.
    assume(abs(value * 100 - round(value * 100)) > 1e-3 or value in (0, 0.98))
    return whole(value * 100) / 100


def proposal(measured, samples):
    kinds, times = measured.kinds, [time for _, time in samples]
    travels = [measured.travel(n) for n in range(len(kinds))]
    after = [Kind(kind.name, *travel) if travel else kind for kind, travel in zip(kinds, travels)]
    # What the device read then, held at the travel that it states.
    held = [([max(k.low, min(k.high, v)) for k, v in zip(kinds, values)], t) for values, t in samples]
    then = Measured(shares(after, held), times, after)
    then.kinds = kinds
    reached = lambda of: None if of.smallest_reach() is None else of.smallest_reach() * 0.98
    off = None if measured.centre is None else math.hypot(*measured.centre) + measured.radius * 1.25
    return {
        "calibrate_x": travels[0],
        "calibrate_y": travels[1] if len(kinds) == 2 else None,
        "dead_zone": hundredths(then.radius and then.radius * 1.25, math.ceil),
        "uncalibrated_dead_zone": hundredths(off, math.ceil),
        "outer": None if None in travels else hundredths(reached(then), math.floor),
        "uncalibrated_outer": hundredths(reached(measured), math.floor),
        "snap_back_dead_zone": hundredths(then.snap_back and then.snap_back[1], math.ceil),
    }


def nearest_rank(ones, percent):
    return sorted(ones)[-(-percent * len(ones) // 100) - 1] / MILLISECOND


def known(value):
    """What the program says, None where it says what is missing."""
    return None if isinstance(value, dict) and "missing" in value else value


def same(told, asked, within=2e-5):
    if asked is None or told is None:
        assert (told, asked) == (None, None)
    else:
        assert told == pytest.approx(asked, abs=within)


def is_as_asked(told, kinds, said):
    samples, intervals, levels = samples_of(kinds, said)
    found = Measured(shares(kinds, samples), [time for _, time in samples], kinds)
    asked = proposal(found, samples)
    told = {key: known(value) for key, value in told.items()}
    same(told["ends"][0], found.end(36))
    same(told["ends"][1], found.end(0))
    same(told["centre"], found.centre)
    same(told["noise"], found.noise)
    same(told["rest_radius"], found.radius)
    same(told["drift_per_minute"], found.drift, 1e-4)
    same(told["circularity_error"], found.circularity)
    same(told["asymmetry"], found.asymmetry)
    same(told["hold_jitter"], found.jitter)
    snap = told["snap_back"]
    keys = ["releases", "overshoot", "settles_in_ms", "crossings"]
    same(snap and [snap[key] for key in keys], found.snap_back)
    for n, reach in enumerate(told["reach_by_5_degrees"]):
        same(reach, found.reach.get(n))
    assert told["rolled_directions"] == len(found.rolled)
    assert told["levels"][: len(kinds)] == levels
    same(told["effective_bits"][: len(kinds)], [math.log2(max(1, n)) for n in levels])
    enough = len(intervals) >= 50
    same(told["report_interval_ms"],
         [nearest_rank(intervals, percent) for percent in (50, 95)] if enough else None)
    for key, value in asked.items():
        assert known(told["proposal"][key]) == pytest.approx(value, abs=1e-6), key


@pytest.mark.parametrize("seed", range(120))
def test_what_is_measured_is_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    for _ in range(10):
        names = dice.choice([["stick-l-x", "stick-l-y"]] * 3 + [["trigger-r"], ["travel"]])
        kinds = [a_kind(dice, name) for name in names]
        said = list(reports(dice, kinds))
        (told,) = reports_of_texts("measure", tmp_path, rig_of(60), written(kinds, said))
        assert told["is_single"] == (len(kinds) == 1)
        try:
            return is_as_asked(told, kinds, said)
        except Doubtful:
            continue
    pytest.fail("no hand was clear")
