"""Gestures of one and of several fingers, and what they give, written a second time from
docs/rig-format.md alone, and held against the program over random hands on a panel."""

import math
import random
from dataclasses import dataclass, field

import pytest
from workbench import a_glass, on_picture, replayed, reported, rig_of, written

# A panel of 160 by 90 mm with ten units a millimetre.
WIDTH, HEIGHT = 1600, 900
# How wide the picture is on every panel, where a rig says it.
PIXELS = 1280
TICKS = 150
GIVES = {"tap": "pulse", "click": "pulse", "pinch": "axis", "rotate": "axis"}
NOTHING = {"pulse": False, "axis": 0, "plane": (0, 0)}
KINDS = [*GIVES, "swipe", "drag", "flick", "stick", "aim"]
LASTING = ["drag", "pinch", "rotate", "stick", "aim"]
COMPASS = ["right", "up-right", "up", "up-left", "left", "down-left", "down", "down-right"]
DIRECTIONS = {name: 45 * n for n, name in enumerate(COMPASS)}
# The limits of which less is better.
MOST = [
    "lift-ms", "time-ms", "together-ms", "move-mm", "off-axis-deg", "catch-mm", "outside-mm",
    "gap-ms", "spread-mm", "off-axis-mm", "edge-mm",
]
# The zones of clicks, in shares of the panel: left, top, right and bottom.
ZONES = {"it": (0.2, 0.2, 0.7, 0.8), "there": (0.4, 0.1, 0.9, 0.6)}
# On a panel of a usual size: so many of a unit are a millimetre.
USUAL = {"mm": 1, "px": 10, "share": 1 / 160}


def minus(a, b):
    return a[0] - b[0], a[1] - b[1]


def held_in_circle(vector):
    length = math.hypot(*vector)
    return vector if length <= 1 else (vector[0] / length, vector[1] / length)


def held(value):
    return max(-1, min(1, value))


def turn(one, other):
    """The angle from one line to another, counter-clockwise as it looks where y is down."""
    cross = one[1] * other[0] - one[0] * other[1]
    return math.degrees(math.atan2(cross, one[0] * other[0] + one[1] * other[1]))


@dataclass
class Gesture:
    kind: str
    fingers: int
    keys: dict
    limits: dict
    # What its lengths are measured in; the keys keep their names.
    unit: str = "mm"
    # What makes it, where that is not said by default.
    by: list = field(default_factory=list)

    @property
    def gives(self):
        return GIVES.get(self.kind, "plane")

    def in_unit(self, unit):
        """The same gesture with lengths in another unit, as long on a panel of a usual size."""

        def converted(rows):
            by = USUAL[unit]
            return {key: value * by if is_length(key) else value for key, value in rows.items()}

        keys, limits = converted(self.keys), converted(self.limits)
        return Gesture(self.kind, self.fingers, keys, limits, unit, self.by)

    def per_mm(self, panel):
        """How many of its unit are a millimetre of a panel."""
        width = panel.size[0]
        return {"mm": 1, "px": PIXELS / width, "share": 1 / width}[self.unit]

    def table(self):
        rows = {"kind": self.kind, "lengths-in": self.unit} | self.keys | self.limits
        rows |= {"zone": "it"} if self.kind == "click" else {}
        rows |= {"by": self.by} if self.by else {}
        rows |= {"fingers": self.fingers} if self.kind in ("tap", "swipe", "drag") else {}
        rows = {key.replace("-mm", f"-{self.unit}"): value for key, value in rows.items()}
        lines = [f"{key} = {value!r}" for key, value in rows.items()]
        action = ["[action.it]", f'gives = "{self.gives}"', 'from = { gesture = "it" }']
        return ["[gesture.it]", *lines, *(self.zones() if self.kind == "click" else []), *action]

    def zones(self):
        """That on which it lands has the finger, wherever that is lifted."""
        for name, (left, top, right, bottom) in ZONES.items():
            rect = [left, top, round(right - left, 1), round(bottom - top, 1)]
            yield from [f"[zone.{name}]", f"rect = {rect}"]
            yield from ["layer = -1"] if name == "there" else []
            yield from [f"by = {self.by}"] if self.by else []


def is_length(key):
    return "-mm" in key


def a_gesture(dice):
    """A random gesture, with limits that random hands keep and break."""

    def number(low, high):
        # No place of a finger is exactly at such a limit.
        return round(dice.uniform(low, high), 2) + 0.007

    kind = dice.choice(KINDS)
    fingers = dice.choice([1, 1, 2, 3]) if kind in ("tap", "swipe", "drag") else 1
    fingers = 2 if kind in ("pinch", "rotate") else fingers
    keys, limits = {}, {}
    if kind in ("drag", "pinch", "rotate"):
        keys["measured-from"] = dice.choice(["landing", "firing"])
    match kind:
        case "tap":
            keys["times"] = dice.choice([1, 1, 2, 3])
            limits = {"lift-ms": number(60, 500), "move-mm": number(0.5, 15)}
            if keys["times"] > 1:
                limits |= {"gap-ms": number(20, 500), "spread-mm": number(2, 100)}
        case "swipe":
            some = dice.sample(COMPASS, dice.choice([1, 2, 3]))
            keys["toward"] = dice.choice(["any", "four", "eight", some, some])
            keys["fires"] = dice.choice(["passing", "release"])
            limits = {"length-mm": number(3, 20), "time-ms": number(50, 900)}
            limits |= {"off-axis-deg": number(5, 60)} if keys["toward"] != "any" else {}
            if keys["toward"] != "any" and dice.random() < 0.3:
                limits["off-axis-mm"] = number(1, 20)
            limits |= {"speed-mm-s": number(5, 200)} if dice.random() < 0.3 else {}
            limits |= {"straight": round(dice.uniform(0.3, 0.99), 3)} if dice.random() < 0.3 else {}
            if dice.random() < 0.2:
                keys["from-edge"] = dice.choice(["left", "right", "top", "bottom"])
                limits["edge-mm"] = number(20, 90)
        case "drag":
            keys["reach-mm"], limits = number(2, 40), {"slop-mm": number(0, 10)}
        case "pinch":
            keys["reach-times"], limits = number(1.2, 4), {"slop-mm": number(0, 10)}
        case "rotate":
            keys["reach-deg"], limits = number(10, 120), {"slop-deg": number(0, 20)}
        case "stick":
            keys = {"centre": dice.choice(["floating", "following", "fixed"])}
            keys["ring-mm"] = number(2, 20)
            if keys["centre"] == "fixed":
                keys["at"] = [number(0.2, 0.8), number(0.2, 0.8)]
                limits = {"catch-mm": number(10, 100)}
        case "aim":
            keys["origin"] = [number(0.2, 0.8), number(0.2, 0.8)]
            keys |= {"reach-mm": number(5, 80)} if dice.random() < 0.5 else {}
            limits = {"dead-mm": number(0, 49)}
        case "flick":
            keys["reach-mm-s"], limits = number(50, 900), {"release-mm-s": number(5, 300)}
        case "click":
            keys = {"lifts-in": "there"} if dice.random() < 0.4 else {}
            limits = {"outside-mm": number(0, 10)}
            limits |= {"lift-ms": number(60, 600)} if dice.random() < 0.4 else {}
    if fingers > 1 and (kind in ("tap", "swipe") or dice.random() < 0.3):
        limits["together-ms"] = number(5, 250)
    return Gesture(kind, fingers, keys, limits)


def hands(dice, hz):
    """Each report in order of time: its instant, its contact, and a place or whether it is down."""
    end, time, reports = (TICKS - 2) * 10**9 // hz, 5_000_000, []
    contacts = range(1, dice.choice([1, 2, 2, 3]) + 1)
    if len(contacts) == 1 or dice.random() < 0.4:
        # Each finger for itself.
        for contact in contacts:
            reports += fingers(dice, contact, time, end)
    else:
        while time < end:
            # All of them at once, or nearly so.
            lands = {contact: time + int(dice.uniform(0, 30e6)) for contact in contacts}
            lifts = max(lands.values()) + int(dice.uniform(1e6, dice.choice([100e6, 600e6])))
            for contact, landed in lands.items():
                reports += finger(dice, contact, landed, lifts + int(dice.uniform(0, 20e6)))
            time = max(report[0] for report in reports) + int(dice.uniform(1e6, 300e6))
    if dice.random() < 0.3:
        # Some panels tell of places where nobody is any more.
        lifts = [(time, contact) for time, contact, said in reports if said is False]
        for time, contact in lifts:
            place = dice.randint(0, WIDTH), dice.randint(0, HEIGHT)
            reports.append((time + int(dice.uniform(1, 40e6)), contact, place))
    reports = [report for report in reports if report[0] < end]
    if dice.random() < 0.2:
        # The panel goes for a while, with whatever is on it.
        goes = dice.randint(50_000_000, end)
        comes = goes + dice.randint(40, 300) * 1_000_000
        reports = [report for report in reports if not goes <= report[0] <= comes]
        reports += [(goes, 0, False), (comes, 0, True)] if comes < end else [(goes, 0, False)]
    return sorted(reports, key=lambda report: report[0])


def fingers(dice, contact, time, end):
    """The reports of one contact, finger after finger."""
    while time < end:
        time += int(dice.uniform(1e6, dice.choice([10e6, 400e6])))
        lifts = time + int(dice.uniform(2e6, dice.choice([100e6, 800e6])))
        yield from finger(dice, contact, time, lifts)
        time = lifts


def finger(dice, contact, time, lifts):
    """The reports of one finger."""
    x, y = dice.randint(300, 1300), dice.randint(200, 700)
    pace = dice.choice([(0, 0), (dice.randint(-40, 40), dice.randint(-40, 40))])
    yield time, contact, (x, y)
    yield time, contact, True
    while True:
        time += int(dice.choice([8e6, 8e6, dice.uniform(1e6, 60e6)]))
        if time > lifts:
            break
        x, y = (at + by + dice.randint(-6, 6) for at, by in zip((x, y), pace))
        # A place beyond the panel is told as well, and is held in it.
        yield time, contact, (x, y)
    yield lifts, contact, False


@dataclass(eq=False)
class Finger:
    """A finger from when it landed: where and when it was told of last, in mm from the top left."""

    contact: int
    landed: int
    panel: object
    place: tuple = (0, 0)
    told: int = 0
    is_lifted: bool = False
    # Whether it went with its panel.
    is_broken: bool = False
    # When and where it was lifted, by the reports.
    lift: tuple = None


@dataclass
class Switch:
    """What a debounce makes of a contact: what was reported, what counts, until when it holds."""

    reported: bool = False
    counts: bool = False
    until: int = 0


class Panel:
    """The contacts as the reports say, and as polls find them. The size is in mm, in which the
    reports have so many units; the picture is as large, turned, unless its size is said. A debounce
    is in nanoseconds."""

    def __init__(
        self, size=(160, 90), per_mm=10, latched=False, debounce=0, turned=0, picture=None
    ):
        self.own, self.per_mm, self.turned = size, per_mm, turned
        self.upright = size if turned in (0, 180) else size[::-1]
        self.size = picture or self.upright
        self.latched, self.debounce = latched, debounce
        self.places, self.down, self.polled, self.told = {}, {}, {}, {}
        # For each contact its switch, its last finger, and whether one landed since the last poll.
        self.switches, self.last, self.has_landed = {}, {}, set()

    def maker(self, finger):
        return "finger"

    def place(self, said):
        """Where in the picture a report is, in mm."""
        own = [max(0, min(end, at / self.per_mm)) for at, end in zip(said, self.own)]
        sizes = zip(on_picture(self.turned, own, self.own), self.size, self.upright)
        # A place on the edge of a zone is there in floats too.
        return tuple(round(at * whole / own, 9) for at, whole, own in sizes)

    def report(self, time, contact, said):
        self.let_through(time)
        if contact == 0:
            for finger in self.down.values():
                finger.lift, finger.is_broken = (time, self.places[finger.contact]), True
            self.down, self.switches = {}, {}
            return
        self.told[contact] = time
        if isinstance(said, bool):
            switch = self.switches.setdefault(contact, Switch())
            switch.reported = said
            if time >= switch.until:
                self.move(contact, time)
        else:
            self.places[contact] = self.place(said)

    def let_through(self, now):
        """What a debounce held back counts when its time is over."""
        held = lambda: [
            (switch.until, contact)
            for contact, switch in self.switches.items()
            if switch.reported != switch.counts and switch.until <= now
        ]
        while over := held():
            time, contact = min(over)
            self.move(contact, time)

    def move(self, contact, time):
        """A finger lands or is lifted, if it is not so already."""
        switch = self.switches[contact]
        if switch.reported == switch.counts:
            return
        switch.counts, switch.until = switch.reported, time + self.debounce
        if switch.counts:
            self.down[contact] = self.last[contact] = Finger(contact, time, self)
            self.has_landed.add(contact)
        else:
            self.down.pop(contact).lift = time, self.places[contact]

    def down_or_lifted(self):
        for contact in sorted({*self.polled, *self.down, *self.has_landed}):
            was, now = self.polled.get(contact), self.down.get(contact)
            if self.latched and contact in self.has_landed and bool(was) == bool(now):
                # It is shown for one poll: there, or away.
                now = None if now else self.last[contact]
            yield contact, was, now

    def poll(self, now):
        """The fingers that went on or were lifted, and those that landed, in the order of that."""
        self.let_through(now)
        going, landed, seen = [], [], {}
        for contact, was, now in self.down_or_lifted():
            if now:
                seen[contact] = now
            if was and was is not now:
                was.told, place = was.lift
                # One that went with its panel is where the last poll found it.
                was.place, was.is_lifted = was.place if was.is_broken else place, True
                going.append(was)
            elif was and contact in self.told:
                was.place, was.told = self.places[contact], self.told[contact]
                going.append(was)
            if now and was is not now:
                now.place = self.places[contact]
                landed.append(now)
        self.polled, self.told, self.has_landed = seen, {}, set()
        return going, landed


def polled(panels, reports, now):
    """What a poll of some panels finds after the reports up to then, which are taken out: the
    fingers that went on, and those that landed in the order of that. A contact is one of the first
    panel, or the number of a panel and that of the contact."""
    while reports and reports[0][0] <= now:
        time, contact, said = reports.pop(0)
        panel, contact = contact if isinstance(contact, tuple) else (0, contact)
        panels[panel].report(time, contact, said)
    polls = [panel.poll(now) for panel in panels]
    landed = [finger for _, landed in polls for finger in landed]
    going = [finger for going, _ in polls for finger in going]
    return going, sorted(landed, key=lambda finger: finger.landed)


@dataclass(eq=False)
class Attempt:
    """An attempt, and what is measured of it: places and lengths in mm, y down."""

    fingers: list = field(default_factory=list)
    starts: list = field(default_factory=list)
    ats: list = field(default_factory=list)
    moved: float = 0
    # That of its first finger.
    path: float = 0
    turned: float = 0
    line: tuple = None
    last_line: tuple = None
    centre: tuple = None
    # The places of its first finger with their times, and the velocity of its lift, y up.
    recent: list = field(default_factory=list)
    release: tuple = (0, 0)
    # What a value is measured from: the way, the length of the line, the turn.
    zero: tuple = None
    value: object = None
    over: int = None
    met: int = None
    fired: int = None
    # Of several taps: the fingers of all of them.
    earlier: set = field(default_factory=set)
    is_good: bool = False
    is_spent: bool = False
    is_cancelled: bool = False
    is_broken: bool = False
    # By how much each limit held, at each moment.
    moments: list = field(default_factory=list)

    def land(self, finger):
        self.fingers.append(finger)
        self.ats.append(finger.place)
        self.starts, self.moved, self.path, self.turned = list(self.ats), 0, 0, 0
        if len(self.fingers) > 1:
            self.line = self.last_line = minus(self.ats[1], self.ats[0])

    def go_on(self, going):
        """Its fingers go on; those of them that did."""
        told = [n for n, finger in enumerate(self.fingers) if finger in going]
        for n in told:
            self.path += math.dist(self.ats[n], self.fingers[n].place) if n == 0 else 0
            self.ats[n] = self.fingers[n].place
            self.moved = max(self.moved, math.dist(self.ats[n], self.starts[n]))
        if told and self.line:
            line = minus(self.ats[1], self.ats[0])
            self.turned += turn(self.last_line, line)
            self.last_line = line
        if 0 in told and not self.fingers[0].is_lifted:
            self.recent.append((self.fingers[0].told, self.fingers[0].place))
        return [self.fingers[n] for n in told]

    def panel(self):
        return self.fingers[0].panel

    def outcome(self):
        if self.is_cancelled:
            return "cancelled"
        if self.fired is None:
            return "broken" if self.is_broken else "missed"
        return "fired"

    def are_all_lifted(self):
        return all(finger.is_lifted for finger in self.fingers)

    def way(self):
        """Of the middle of its fingers, y up."""
        ways = [minus(at, start) for at, start in zip(self.ats, self.starts)]
        return sum(x for x, _ in ways) / len(ways), -sum(y for _, y in ways) / len(ways)

    def velocity(self):
        """With which its finger was lifted, y up."""
        olds = [(time, place) for time, place in self.recent if time <= self.over - 80_000_000]
        time, place = olds[-1] if olds else self.recent[0]
        seconds = (self.over - time) / 1e9
        x, y = minus(self.ats[0], place)
        return (x / seconds, -y / seconds) if seconds > 0 else (0, 0)


class Run:
    """All attempts at a gesture."""

    def __init__(self, gesture):
        self.of, self.attempts, self.taps = gesture, [], []
        # Those that are over and were attempts.
        self.told = []
        # Whether ways cancelled out but for a last digit, which has a direction of its own.
        self.is_vague = False

    def tick(self, tick, going, landed):
        """What the gesture gives at a tick."""
        for it in self.attempts:
            told = it.go_on(going)
            if told:
                self.hear(it, told, tick)
        for finger in landed:
            self.land(finger, tick)
        for it in self.attempts:
            if it.met == tick and not it.is_cancelled:
                self.fire(it, tick)
        value = self.value(tick)
        ends = lambda it: it.over is not None or it.is_cancelled
        self.told += [it for it in self.attempts if ends(it) and self.is_told(it)]
        self.attempts = [it for it in self.attempts if not ends(it)]
        return value

    def is_told(self, it):
        """Whether it is an attempt at all: with all fingers, and with as many taps."""
        is_part = self.of.keys.get("times", 1) > 1 and it.over is not None and not it.moments
        return len(it.fingers) == self.of.fingers and not is_part

    def hear(self, it, told, tick):
        of = self.of
        lifts = [finger for finger in told if finger.is_lifted]
        is_whole = len(it.fingers) == of.fingers
        it.is_broken |= any(finger.is_broken for finger in told)
        was_whole = is_whole and all(f in lifts or not f.is_lifted for f in it.fingers)
        is_passing = of.kind == "swipe" and of.keys["fires"] == "passing"
        is_moving = of.kind in LASTING and of.kind != "stick" and not lifts
        if was_whole and (is_passing or is_moving) and not it.is_broken:
            self.judge(it, max(finger.told for finger in told), tick)
        if it.fired is not None and not lifts:
            it.value = self.output(it)
        if lifts and (of.kind != "tap" or it.are_all_lifted()):
            it.over = (max if of.kind == "tap" else min)(finger.told for finger in lifts)
            if is_whole and not it.is_broken:
                self.judge_end(it, tick)

    def judge_end(self, it, tick):
        """Its last finger is lifted, if it is a tap; the first of anything else."""
        of = self.of
        if of.kind == "tap" and of.keys["times"] > 1:
            self.one_tap(it, tick)
        elif of.kind in ("tap", "click") or of.keys.get("fires") == "release":
            self.judge(it, it.over, tick)
        elif of.kind == "flick":
            it.release = it.velocity()
            self.judge(it, it.over, tick)

    def judge(self, it, until, tick):
        """Whether all limits hold, as things have been until an instant."""
        if self.is_kept(it, {key: self.measure(key, it, until) for key in self.of.limits}):
            it.met = tick if it.met is None else it.met

    def is_kept(self, it, values):
        """Whether these values keep all limits: a moment of an attempt."""
        slacks = {key: limit - values[key] for key, limit in self.of.limits.items()}
        slacks = {key: slack if key in MOST else -slack for key, slack in slacks.items()}
        it.moments.append(slacks)
        return all(slack >= 0 for slack in slacks.values())

    def measure(self, key, it, until):
        value = self.measured(key, it, until)
        return value * self.of.per_mm(it.panel()) if is_length(key) else value

    def measured(self, key, it, until):
        """The same with lengths in mm."""
        if key in ("lift-ms", "time-ms"):
            return (until - it.fingers[0].landed) / 1e6
        if key == "together-ms":
            # A latch may show a finger after one that landed later.
            return max(0, it.fingers[-1].landed - it.fingers[0].landed) / 1e6
        if key == "move-mm":
            return it.moved
        if key.startswith("off-axis"):
            return self.off_axis(it.way(), in_mm=key.endswith("mm"))
        if key == "speed-mm-s":
            return math.hypot(*it.way()) * 1000 / max((until - it.fingers[0].landed) / 1e6, 1e-3)
        if key == "straight":
            way = math.hypot(*it.way())
            return min(1, way / it.path) if it.path else float(way > 0)
        if key == "edge-mm":
            (x, y), edge, (width, height) = it.starts[0], self.of.keys["from-edge"], it.panel().size
            return {"left": x, "right": width - x, "top": y, "bottom": height - y}[edge]
        if key == "slop-mm" and self.of.kind == "pinch":
            return abs(math.hypot(*it.last_line) - math.hypot(*it.line))
        if key in ("length-mm", "slop-mm"):
            return math.hypot(*it.way())
        if key == "slop-deg":
            return abs(it.turned)
        if key == "catch-mm":
            return math.dist(it.starts[0], it.centre)
        if key == "dead-mm":
            return math.dist(it.ats[0], it.centre)
        if key == "release-mm-s":
            return math.hypot(*it.release)
        assert key == "outside-mm"
        name = self.of.keys.get("lifts-in", "it")
        (x, y), (left, top, right, bottom) = it.ats[0], zone_on(it.panel(), name)
        return math.hypot(max(left - x, 0, x - right), max(top - y, 0, y - bottom))

    def off_axis(self, way, in_mm):
        """How far a way leaves its direction, as an angle or as a distance."""
        toward = self.toward(way)
        if toward is None:
            return math.inf if in_mm else 180
        angle = away(math.degrees(math.atan2(way[1], way[0])), toward)
        # Whether it went on at all is not known to the last digit.
        self.is_vague |= abs(angle - 90) < 1e-3
        if not in_mm:
            return angle
        return math.hypot(*way) * math.sin(math.radians(angle)) if angle < 90 else math.inf

    def toward(self, way):
        """The angle of the direction that counts, or none for no way."""
        toward = self.of.keys["toward"]
        if way == (0, 0):
            return None
        self.is_vague |= self.of.fingers > 1 and math.hypot(*way) < 1e-3
        angle = math.degrees(math.atan2(way[1], way[0]))
        if toward == "any":
            return angle
        named = {"four": COMPASS[::2], "eight": COMPASS}
        names = toward if isinstance(toward, list) else named[toward]
        return min((DIRECTIONS[name] for name in names), key=lambda one: away(angle, one))

    def one_tap(self, it, tick):
        """One of several taps is over: it is tried as the last, with every choice before it."""
        own = [key for key in self.of.limits if key not in ("gap-ms", "spread-mm")]
        it.values = {key: self.measure(key, it, it.over) for key in own}
        it.is_good = all(it.values[key] <= self.of.limits[key] for key in own)
        self.taps = [*self.taps, it][-8:]
        # Those of the latest taps come last, and win.
        for chosen in reversed(list(self.choices([it]))):
            pairs = list(zip(chosen, chosen[1:]))
            values = {key: max(tap.values[key] for tap in chosen) for key in own}
            values["gap-ms"] = max(gap(*pair) for pair in pairs)
            values["spread-mm"] = max(self.spread(*pair) for pair in pairs)
            it.met = tick if self.is_kept(it, values) else it.met
            if failures(it.moments[-1]) == min(map(failures, it.moments)):
                it.earlier = {finger for tap in chosen for finger in tap.fingers}
        if it.met is not None:
            self.spend(it.earlier)

    def spend(self, fingers):
        """No tap with one of these fingers counts any more."""
        for tap in self.taps:
            tap.is_spent |= bool(fingers & set(tap.fingers))

    def choices(self, chosen):
        """Every choice of earlier taps that is an attempt, that of the latest first."""
        if len(chosen) == self.of.keys["times"]:
            yield chosen
            return
        for tap in reversed(self.taps[: self.taps.index(chosen[0])]):
            if self.is_followed(tap, chosen[0], times=4) and not tap.is_spent:
                yield from self.choices([tap, *chosen])

    def is_followed(self, tap, later, times=1):
        """Whether a tap is near enough to one before it, in time and place."""
        limits, is_there = self.of.limits, tap.panel() is later.panel()
        is_near = is_there and self.spread(tap, later) <= limits["spread-mm"] * times
        return 0 <= gap(tap, later) <= limits["gap-ms"] * times and is_near

    def spread(self, tap, later):
        return math.dist(later.starts[0], tap.starts[0]) * self.of.per_mm(tap.panel())

    def land(self, finger, tick):
        of, (x, y) = self.of, finger.place
        left, top, right, bottom = zone_on(finger.panel, "it")
        if of.kind == "click" and not (left <= x < right and top <= y < bottom):
            return
        for it in self.attempts:
            is_there = it.panel() is finger.panel
            if is_there and len(it.fingers) < of.fingers and not it.are_all_lifted():
                it.land(finger)
        centre, share = (x, y), of.keys.get("at") or of.keys.get("origin")
        if share:
            centre = tuple(part * whole for part, whole in zip(share, finger.panel.size))
        it = Attempt(centre=centre, recent=[(finger.landed, finger.place)])
        it.land(finger)
        self.attempts.append(it)
        if of.kind in ("stick", "aim"):
            self.judge(it, finger.landed, tick)

    def fire(self, it, tick):
        it.fired = tick
        if self.of.keys.get("measured-from") == "firing":
            line = math.hypot(*it.last_line) if it.last_line else 0
            it.zero = it.way(), line, it.turned
        it.value = self.output(it)
        if self.of.kind not in LASTING:
            its = {*it.fingers, *it.earlier}
            self.spend(its)
            for other in self.attempts:
                is_open = other.fired is None and its & {*other.fingers, *other.earlier}
                other.is_cancelled |= bool(is_open)

    def output(self, it):
        """What an attempt gives that has fired."""
        keys, (way, line, turned) = self.of.keys, it.zero or ((0, 0), None, 0)
        per_mm = self.of.per_mm(it.panel())
        match self.of.kind:
            case "swipe":
                angle = math.radians(self.toward(it.way()))
                return math.cos(angle), math.sin(angle)
            case "drag":
                reach = keys["reach-mm"] / per_mm
                return held_in_circle([part / reach for part in minus(it.way(), way)])
            case "flick":
                return held_in_circle([part * per_mm / keys["reach-mm-s"] for part in it.release])
            case "pinch":
                line = math.hypot(*it.line) if line is None else line
                # Below a millimetre no ratio means anything.
                ratio = max(1, math.hypot(*it.last_line)) / max(1, line)
                return held(math.log(ratio) / math.log(keys["reach-times"]))
            case "rotate":
                return held((it.turned - turned) / keys["reach-deg"])
            case "stick":
                return self.stick(it)
            case "aim":
                x, y = minus(it.ats[0], it.centre)
                far = math.hypot(x, y)
                reach = keys.get("reach-mm", far * per_mm) / per_mm
                is_dead = far == 0 or far * per_mm < self.of.limits["dead-mm"]
                return (0, 0) if is_dead else held_in_circle((x / reach, -y / reach))
        return True

    def stick(self, it):
        x, y = minus(it.ats[0], it.centre)
        ring = self.of.keys["ring-mm"] / self.of.per_mm(it.panel())
        far = math.hypot(x, y)
        if self.of.keys["centre"] == "following" and far > ring:
            excess = (far - ring) / far
            it.centre = it.centre[0] + x * excess, it.centre[1] + y * excess
        return held_in_circle((x / ring, -y / ring))

    def value(self, tick):
        """Of the attempt that fired last; of those of one tick of the one that began last."""
        if self.of.kind in LASTING:
            on = [it for it in self.attempts if it.fired is not None and it.over is None]
        else:
            on = [it for it in self.attempts if it.fired == tick]
        return max(reversed(on), key=lambda it: it.fired).value if on else NOTHING[self.of.gives]


def failures(moment):
    return sum(slack < 0 for slack in moment.values())


def gap(tap, later):
    return (later.fingers[0].landed - tap.over) / 1e6


def zone_on(panel, name):
    """A zone of clicks on a panel, in mm."""
    return tuple(round(share * whole, 9) for share, whole in zip(ZONES[name], panel.size * 2))


def away(angle, other):
    """By how many degrees two directions differ."""
    return abs((angle - other + 180) % 360 - 180)


def margins(it, limits):
    """Of each limit the margin, and whether it is alone."""
    fewest = min(map(failures, it.moments), default=0)
    closest = [moment for moment in it.moments if failures(moment) == fewest]
    for key in limits:
        alone = [m[key] for m in it.moments if failures(m) == (m[key] < 0)]
        if alone or closest:
            yield key, (max(alone) if alone else closest[-1][key]), bool(alone)


def given(run, reports, ticks, hz, panels=()):
    """Runs a gesture over reports, and holds what it gives at each tick against the program."""
    panels, waiting = panels or [Panel()], list(reports)
    for tick in range(TICKS):
        gives = run.tick(tick, *polled(panels, waiting, tick * 10**9 // hz))
        said = [action["value"] for action in ticks[tick].get("actions", [])]
        said = said[0] if said else NOTHING[run.of.gives]
        assert gives == pytest.approx(said, abs=2e-3), f"tick {tick}"


@pytest.mark.parametrize("seed", range(250))
def test_gestures_give_and_tell_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120])
    gesture, reports = a_gesture(dice), hands(dice, hz)
    until = (TICKS - 1) * 10**9 // hz
    lines = a_glass(reports, 3, (WIDTH, HEIGHT), until, resolution=10)
    take, rig = written(tmp_path, rig_of(hz, gesture.table()), lines)
    run = Run(gesture)
    given(run, reports, replayed(take, rig), hz)
    told_alike(run, take, rig)


def told_alike(run, take, rig):
    """Holds the verdicts of a run against what the program tells."""
    if run.is_vague:
        return
    told = [line for line in reported("gestures", take, rig) if line["line"] == "verdict"]
    told = [line for line in told if line["outcome"] != "open"]
    # Those that fired and still go on at the end are told after the others.
    attempts = run.told + [it for it in run.attempts if it.fired is not None]
    assert len(told) == len(attempts)
    for line, it in zip(told, attempts):
        said = line["outcome"], line["met_tick"], line["fired_tick"]
        assert said == (it.outcome(), it.met, it.fired)
        checks = {check["limit"]: (check["margin"], check["alone"]) for check in line["checks"]}
        for key, margin, is_alone in margins(it, run.of.limits):
            least = 2e-3 * (USUAL[run.of.unit] if is_length(key) else 1)
            # What is beyond all bounds is told as nothing.
            close = None if math.isinf(margin) else pytest.approx(margin, rel=2e-3, abs=least)
            assert checks[key.replace("-mm", f"-{run.of.unit}")] == (close, is_alone), key
