"""Gestures that wait for others or take their fingers, written a second time from
docs/rig-format.md alone, and held against the program over random hands on one or two panels."""

import random
from dataclasses import dataclass, field

import pytest
from test_fingers import TICKS, Gesture, Panel, Run, hands, polled
from test_panels import PANELS, hands_on, panels_of, told_of
from test_pointers import MAKERS, Pointer, glass_and_mouse, pointing
from workbench import replayed_texts, rig_of

TIMES = ["lift-ms", "time-ms", "together-ms"]
# The limits that stay passed once they are.
ONLY_GROW = [*TIMES, "move-mm", "edge-mm"]


@dataclass
class Ranked(Gesture):
    """A gesture with its name, and the places of those that it waits for or lets be."""

    name: str = ""
    waits_for: list = field(default_factory=list)
    beside: list = field(default_factory=list)
    takes: bool = False

    def table(self):
        named = lambda places: [f"g{place}" for place in places]
        rows = {"kind": self.kind, "fingers": self.fingers} | self.keys | self.limits
        if self.kind == "press":
            del rows["fingers"]
        rows |= {"waits-for": named(self.waits_for)} if self.waits_for else {}
        rows |= {"beside": named(self.beside)} if self.beside else {}
        rows |= {"by": self.by} if self.by else {}
        lines = [f"{key} = {value!r}" for key, value in rows.items()]
        lines += ["takes = true"] if self.takes else []
        source = f'from = {{ gesture = "{self.name}" }}'
        action = [f"[action.{self.name}]", 'gives = "pulse"', source]
        return [f"[gesture.{self.name}]", *lines, *action]


def some_gestures(dice):
    def number(low, high):
        return round(dice.uniform(low, high), 2) + 0.007

    them = []
    count = dice.choice([2, 2, 3, 4])
    for n in range(count):
        kind = dice.choice(["tap", "tap", "tap", "press", "drag", "swipe"])
        fingers = dice.choice([1, 1, 2, 3]) if kind != "press" else 1
        it = Ranked(kind, fingers, {}, {}, name=f"g{n}")
        match kind:
            case "tap":
                it.keys["times"] = dice.choice([1, 2, 2, 3])
                it.limits = {"lift-ms": number(60, 700), "move-mm": number(2, 40)}
                if it.keys["times"] > 1:
                    it.limits |= {"gap-ms": number(50, 500), "spread-mm": number(20, 150)}
            case "press":
                it.limits = {"hold-ms": number(60, 400), "move-mm": number(1, 20)}
            case "drag":
                it.limits = {"slop-mm": number(0, 15)}
            case "swipe":
                it.keys = {"toward": "any", "fires": dice.choice(["passing", "release"])}
                it.limits = {"length-mm": number(3, 20), "time-ms": number(50, 900)}
                if dice.random() < 0.3:
                    it.keys["from-edge"] = dice.choice(["left", "right", "top", "bottom"])
                    it.limits["edge-mm"] = number(10, 80)
        if it.fingers > 1 and not (kind == "drag" and dice.random() < 0.5):
            it.limits["together-ms"] = number(5, 250)
        # Nobody waits for one that waits for it.
        it.waits_for = [m for m in range(n) if dice.random() < 0.4]
        it.beside = [m for m in range(count) if m != n and dice.random() < 0.2]
        it.takes = dice.random() < 0.3
        them.append(it)
    return them


class Board:
    """All attempts at all gestures, in the order in which they began."""

    def __init__(self, gestures, hz):
        self.runs = [Trial(gesture) for gesture in gestures]
        self.hz, self.attempts = hz, []

    def tick(self, tick, going, landed):
        """The places of the gestures that fire at a tick."""
        now = tick * 10**9 // self.hz
        for it in self.attempts:
            if it.over is None:
                it.run.go_on(it, going, now, tick)
        for finger in landed:
            for run in self.runs:
                self.attempts += run.landed(finger)
        self.settle(tick, now)
        fired = {self.runs.index(it.run) for it in self.attempts if it.fired == tick}
        waits = lambda it: it.met is not None and it.fired is None
        self.attempts = [
            it for it in self.attempts if not it.is_ended and (it.over is None or waits(it))
        ]
        for run in self.runs:
            run.attempts = [it for it in self.attempts if it.run is run]
        return fired

    def settle(self, tick, now):
        for it in self.attempts:
            if it.met == tick:
                place = self.runs.index(it.run)
                self.end(it.fingers_of_all(), lambda run: place in run.of.waits_for)
        is_anything_new = True
        while is_anything_new:
            is_anything_new = False
            for it in self.attempts:
                is_met = it.met is not None and it.fired is None and not it.is_ended
                if is_met and not self.must_wait(it, now):
                    self.fire(it, tick)
                    is_anything_new = True
                    break

    def must_wait(self, it, now):
        return any(self.runs[place].is_possible(it, now) for place in it.run.of.waits_for)

    def fire(self, it, tick):
        it.fired = tick
        of, place = it.run.of, self.runs.index(it.run)

        def takes(run):
            if run is it.run:
                return of.kind in ("tap", "swipe")
            other = self.runs.index(run)
            return of.takes and other not in of.beside and place not in run.of.beside

        self.end(it.fingers_of_all(), takes)

    def end(self, fingers, counts):
        """Ends what has not fired and has one of these fingers, where its gesture counts."""
        for run in filter(counts, self.runs):
            run.spend(fingers)
        for it in self.attempts:
            if it.fired is None and counts(it.run) and it.fingers_of_all() & fingers:
                it.is_ended = True


class Trial(Run):
    """The attempts at one of several gestures."""

    def landed(self, finger):
        """The attempts that a finger begins that lands; it joins others."""
        if finger.panel.maker(finger) not in (self.of.by or ["finger"]):
            return []
        before = len(self.attempts)
        self.land(finger, None)
        begun = self.attempts[before:]
        for it in begun:
            it.run, it.is_ended = self, False
            it.fingers_of_all = lambda it=it: {*it.fingers, *it.earlier}
        return begun

    def go_on(self, it, going, now, tick):
        """An attempt goes on; a press is judged as it was until its report, and at every poll."""
        is_press = self.of.kind == "press"
        if is_press and it.fingers[0] in going and not it.fingers[0].is_broken:
            self.judge(it, it.fingers[0].told, tick)
        told = it.go_on(going)
        if told:
            self.hear(it, told, tick)
        if is_press and it.over is None:
            self.judge(it, now, tick)

    def measure(self, key, it, until):
        if key == "hold-ms":
            return (until - it.fingers[0].landed) / 1e6
        if key == "together-ms" and len(it.fingers) < self.of.fingers:
            return (until - it.fingers[0].landed) / 1e6
        return super().measure(key, it, until)

    def output(self, it):
        return True

    def is_possible(self, waiting, now):
        """Whether it can still be met with a finger of an attempt that waits."""
        fingers = waiting.fingers_of_all()
        shares = lambda it: bool(it.fingers_of_all() & fingers)
        if any(self.is_open(it, now) and shares(it) for it in self.attempts):
            return True
        return self.of.keys.get("times", 1) > 1 and self.may_follow(fingers, now)

    def is_open(self, it, now):
        if it.met is not None or it.is_ended or it.over is not None:
            return False
        lacks = len(it.fingers) < self.of.fingers
        grown = [key for key in self.of.limits if key in (TIMES if lacks else ONLY_GROW)]
        return all(self.measure(key, it, now) <= self.of.limits[key] for key in grown)

    def may_follow(self, fingers, now):
        """Whether a tap may still come that makes enough taps of one with these fingers."""
        good = [tap for tap in self.taps if tap.is_good and not tap.is_spent]
        after = {}
        for tap in good:
            if fingers & set(tap.fingers):
                after[tap] = 0
            else:
                counts = [after[one] + 1 for one in after if self.is_followed(one, tap)]
                if counts:
                    after[tap] = min(counts)
        for tap, count in after.items():
            if count + 1 < self.of.keys["times"]:
                if tap.over + int(self.of.limits["gap-ms"] * 1e6) > now:
                    return True
                if any(self.is_open(it, now) and self.is_followed(tap, it) for it in self.attempts):
                    return True
        return False


@pytest.mark.parametrize("seed", range(150))
def test_gestures_give_way_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120])
    panels = dice.sample(PANELS, dice.choice([1, 1, 2]))
    gestures, waiting = some_gestures(dice), hands_on(dice, hz, panels)
    lines = told_of(panels, waiting, hz)
    rig = rig_of(hz, *(gesture.table() for gesture in gestures))
    fire_as_asked(gestures, replayed_texts(tmp_path, rig, lines), (panels_of(panels), waiting), hz)


@pytest.mark.parametrize("seed", range(150))
def test_gestures_of_fingers_and_buttons_give_way_as_the_page_says(seed, tmp_path):
    """A panel and a mouse at once, each gesture by some of what points."""
    dice = random.Random(seed)
    hz = dice.choice([60, 120])
    gestures, makers = some_gestures(dice), ["finger", *MAKERS[:3]]
    for it in gestures:
        it.limits.pop("together-ms", None)
        it.fingers, it.by = 1, dice.sample(makers, dice.randint(1, len(makers)))
    touched, pointed = hands(dice, hz), pointing(dice, hz)
    rig = rig_of(hz, *(gesture.table() for gesture in gestures))
    told = replayed_texts(tmp_path, rig, glass_and_mouse(touched, pointed, hz))
    reports = [(time, (0, n), said) for time, n, said in touched]
    reports += [(time, (1, n), said) for time, n, said in pointed]
    reports.sort(key=lambda report: report[0])
    fire_as_asked(gestures, told, ([Panel(), Pointer()], reports), hz)


def fire_as_asked(gestures, told, points, hz):
    """Holds which gestures fire at each tick against what the program said."""
    board = Board(gestures, hz)
    for tick in range(TICKS):
        fired = board.tick(tick, *polled(*points, tick * 10**9 // hz))
        values = {action["action"]: action["value"] for action in told[tick].get("actions", [])}
        said = {n for n in range(len(gestures)) if values.get(f"g{n}")}
        assert fired == said, f"tick {tick}"
