"""What an audit counts of steady loops, written a second time from docs/reports.md alone, and held
against the program over random presses."""

import math
import random
from itertools import count, pairwise

import pytest
from test_actions import AXES, Button, PadThatGoes, comings_and_goings, take_of
from workbench import BUTTONS, MILLISECOND, reported, reports_of_texts, rig_of, some_pads, written

RATES = [20, 30, 60, 120, 240, 1000]
# Later than anything is released.
FOR_EVER = 10**15
COUNTS = ["sent", "seen", "chatter", "delayed", "missed_by_step", "doubled_by_step"]


def downs_of(moved, name):
    """From when to when a button was down."""
    times = [time for time, of, _ in moved if of == name]
    return list(zip(times[::2], times[1::2]))


def polled_presses(downs, hz, until):
    """The latency of each press that a loop sees."""
    was_down, latencies = False, []
    for tick in range(until * hz // 10**9 + 2):
        now = tick * 10**9 // hz
        last = next((down for down in reversed(downs) if down[0] <= now), None)
        is_down = last is not None and now < last[1]
        if is_down and not was_down:
            latencies.append(now - last[0])
        was_down = is_down
    return latencies


def mean_seen(downs, hz):
    """How many a loop sees on average over all its phases: how long it is down at an instant and
    up a period before, over the period."""
    period = round(1e9 / hz)
    edges = sorted({time + shift for down in downs for time in down for shift in (0, period)})
    is_down = lambda time: any(begins <= time < ends for begins, ends in downs)
    seen = 0.0
    for begins, ends in pairwise(edges):
        middle = (begins + ends) / 2
        if is_down(middle) and not is_down(middle - period):
            seen += (ends - begins) / period
    return seen


def nearest_rank(sorted_ones, share):
    return sorted_ones[max(1, math.ceil(share * len(sorted_ones))) - 1]


def is_as_asked(told, sent, latencies, mean_lost):
    assert (told["sent"], told["seen"]) == (sent, len(latencies))
    assert told["lost"] == sent - len(latencies)
    assert told["mean_lost"] == pytest.approx(mean_lost, abs=1e-9)
    have_latencies(told, latencies)


def have_latencies(told, latencies):
    if not latencies:
        assert told["latency_ms"] is None
        return
    latencies = sorted(latencies)
    asked = {"min": latencies[0], "max": latencies[-1]}
    shares = {"median": 0.5, "p95": 0.95, "p99": 0.99}
    asked |= {name: nearest_rank(latencies, share) for name, share in shares.items()}
    asked = {name: value / MILLISECOND for name, value in asked.items()}
    assert told["latency_ms"] == pytest.approx(asked, abs=1e-6)


def taps(dice):
    """Presses of which many are shorter than a period."""
    longest = dice.choice([5e6, 40e6, 200e6])
    for name in BUTTONS:
        time = 0
        for _ in range(dice.randint(0, 20)):
            time += int(dice.uniform(1e5, longest))
            yield time, name, 1
            time += int(dice.uniform(1e5, longest))
            yield time, name, 0


def states_of(downs):
    """How long a button was down, and how long up between two presses."""
    yield from (released - pressed for pressed, released in downs if released < FOR_EVER)
    yield from (later[0] - earlier[1] for earlier, later in pairwise(downs))


@pytest.mark.parametrize("seed", range(40))
def test_an_audit_counts_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    moved = sorted(taps(dice))
    if not moved:
        return
    (report,) = reports_of_texts("audit", tmp_path, rig_of(60), some_pads(moved))
    all_downs = {name: downs_of(moved, name) for name in BUTTONS}
    all_downs = {name: downs for name, downs in all_downs.items() if downs}
    states = [state for downs in all_downs.values() for state in states_of(downs)]
    assert report["shortest_state_ms"] == pytest.approx(min(states) / MILLISECOND)
    assert report["sure_hz"] == pytest.approx(1e9 / min(states))
    lossless = []
    for loop in report["loops"]:
        hz, told = loop["poll_hz"], {of["control"]: of for of in loop["controls"]}
        latencies, lost = [], 0.0
        for name, downs in all_downs.items():
            seen = polled_presses(downs, int(hz), moved[-1][0] + 10**9)
            mean_lost = len(downs) - mean_seen(downs, hz)
            is_as_asked(told[f"pad1/{name}"], len(downs), seen, mean_lost)
            latencies, lost = latencies + seen, lost + mean_lost
        is_as_asked(loop["total"], sum(map(len, all_downs.values())), latencies, lost)
        lossless += [hz] if lost < 1e-9 and loop["total"]["lost"] == 0 else []
    assert report["lowest_lossless_hz"] == (min(lossless) if lossless else None)
    assert [loop["poll_hz"] for loop in report["loops"]] == RATES


def pcg32():
    """The numbers of the generator, as `pcg32_srandom(1, 1)` begins it."""
    multiplier, increment, mask = 6364136223846793005, 3, 2**64 - 1
    state = (increment + 1) * multiplier + increment & mask
    while True:
        shifted = (state >> 18 ^ state) >> 27 & 2**32 - 1
        turns = state >> 59
        yield (shifted >> turns | shifted << (-turns & 31)) & 2**32 - 1
        state = state * multiplier + increment & mask


def polls_of(hz, hitch, jitter):
    """When a loop polls, jitter and stalls included."""
    last, numbers = -1, pcg32()
    for tick in count():
        stray = ((next(numbers) >> 8) / 2**23 - 1) * jitter * (1e9 / hz)
        at = max(0, math.floor(tick * 10**9 // hz + stray))
        if hitch:
            every, lasts = (ms * MILLISECOND for ms in hitch)
            into = at % every
            at = at - into + lasts if at >= every and into < lasts else at
        if at > last:
            last = at
            yield at


class Sent(Button):
    """A button that knows when it was pressed, and counts what its debounce takes for chatter."""

    said_at = pressed_at = chatter = 0

    def let_through(self, until):
        if self.held_back(until) and self.believe(self.quiet_until, 0):
            self.pressed_at, self.chatter = self.said_at, self.chatter - 1

    def report(self, time, value):
        self.let_through(time)
        self.said, self.said_at = value, time
        if time < self.quiet_until:
            self.chatter += value
        elif self.believe(time, 0):
            self.pressed_at = time

    def go(self, time):
        """Its device goes, or is deaf."""
        self.let_through(time)
        self.said = self.counts = self.quiet_until = 0


def told_by_loop(moved, hz, hitch, jitter, step_hz, edges):
    """The counts of each button by a loop, and the latencies of its presses."""
    buttons = {name: Sent(*edges[name]) for _, name, _ in moved if name in BUTTONS}
    is_heard = True
    told = {name: dict.fromkeys(COUNTS, 0) for name in buttons}
    latencies = {name: [] for name in buttons}
    events, steps = list(moved), 0
    for now in polls_of(hz, hitch, jitter):
        while events and events[0][0] <= now:
            time, name, value = events.pop(0)
            if name not in BUTTONS:
                is_heard = name in ("plug", "heard")
                for button in buttons.values() if not is_heard else []:
                    button.go(time)
            elif is_heard:
                buttons[name].report(time, value)
                told[name]["sent"] += value
        due = ((now + 1) * step_hz - 1) // 10**9 if step_hz else 0
        ran, steps = due - steps, due
        for name, button in buttons.items():
            button.let_through(now)
            button.poll()
            told[name]["chatter"] = button.chatter
            if button.is_pressed():
                latencies[name].append(now - button.pressed_at)
                told[name]["seen"] += 1
                told[name]["delayed"] += latencies[name][-1] > 1e9 / hz
                told[name]["missed_by_step"] += step_hz > 0 and ran == 0
                told[name]["doubled_by_step"] += ran > 1
        if now > moved[-1][0] + 10**9:
            return told, latencies


@pytest.mark.parametrize("seed", range(60))
def test_loops_that_stray_stall_and_feed_steps_count_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    moved = sorted(taps(dice))
    if not moved:
        return
    if dice.random() < 0.5:
        moved = [moves for moves in comings_and_goings(dice, moved) if moves[1] not in AXES]
    every = dice.randint(20, 700)
    hitch = dice.choice([None, (every, dice.randint(1, every - 1))])
    step_hz = dice.choice([0, 20, 50, 60, 250])
    edges = {name: (dice.random() < 0.4, dice.choice([0, 0, 3, 15, 60])) for name in BUTTONS}
    tables = [
        ["[[edge]]", f'of = "pad/{name}"', f"latched = {str(latched).lower()}", f"debounce-ms = {ms}"]
        for name, (latched, ms) in edges.items()
    ]
    rig = rig_of(60, *tables)
    percent = dice.choice([0, 0, 1, 20, 50])
    options = [f"--hitch={hitch[0]}:{hitch[1]}"] if hitch else []
    options += [f"--jitter={percent}"] if percent else []
    options += [f"--step={step_hz}"] if step_hz else []
    *lines, _ = take_of(moved, 60)
    (report,) = reported("audit", *written(tmp_path, rig, lines), *options)
    for loop in report["loops"]:
        asked, latencies = told_by_loop(moved, int(loop["poll_hz"]), hitch, percent / 100, step_hz, edges)
        said = {of["control"].split("/")[1]: of for of in loop["controls"]}
        # Of a button whose reports nobody heard nothing is told.
        asked = {name: counts for name, counts in asked.items() if counts["sent"]}
        counted = {name: {key: of[key] for key in COUNTS} for name, of in said.items()}
        assert counted == asked
        for name, counts in said.items():
            assert counts["lost"] == counts["sent"] - counts["seen"] - counts["chatter"]
            have_latencies(counts, latencies[name])


class Remembered(Button):
    """A button that knows from when to when it was down."""

    def __init__(self, debounce_ms):
        super().__init__(False, debounce_ms)
        self.downs = []

    def believe(self, time, order):
        was_down = self.counts
        is_press = super().believe(time, order)
        if is_press:
            self.downs.append((time, FOR_EVER))
        elif was_down and not self.counts:
            self.let_go(time)
        return is_press

    def let_go(self, time):
        self.downs[-1] = self.downs[-1][0], time

    def is_gone(self):
        return self.downs and not self.counts and self.downs[-1][1] == FOR_EVER


@pytest.mark.parametrize("seed", range(100))
def test_over_all_phases_what_goes_lets_go_of_its_buttons(seed, tmp_path):
    dice = random.Random(seed)
    moved = sorted(taps(dice))
    if not moved:
        return
    pad = PadThatGoes({name: Remembered(dice.choice([0, 0, 5, 40])) for name in BUTTONS})
    as_reported = PadThatGoes({name: Remembered(0) for name in BUTTONS})
    tables = [
        ["[[edge]]", f'of = "pad/{name}"', f"debounce-ms = {button.debounce // MILLISECOND}"]
        for name, button in pad.buttons.items()
    ]
    events = list(comings_and_goings(dice, moved))
    *lines, _ = take_of(events, 60)
    (report,) = reports_of_texts("audit", tmp_path, rig_of(60, *tables), lines)
    for time, name, value in events:
        for one in (pad, as_reported):
            one.report(time, name, value)
            for button in one.buttons.values():
                if button.is_gone():
                    button.let_go(time)
    pad.let_through(10**14)
    states = [state for of in as_reported.buttons.values() for state in states_of(of.downs)]
    shortest = report["shortest_state_ms"]
    assert (shortest and shortest * MILLISECOND) == pytest.approx(min(states, default=None))
    for loop in report["loops"]:
        told = {of["control"].split("/")[1]: of["mean_lost"] for of in loop["controls"]}
        for name, button in pad.buttons.items():
            if button.downs:
                lost = len(button.downs) - mean_seen(button.downs, loop["poll_hz"])
                assert told[name] == pytest.approx(lost, abs=1e-9), name
