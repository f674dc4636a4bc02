"""Pointers and places of docs/rig-format.md, written a second time from that page alone, and held
against the program over random zones and a mouse that reports where it is."""

import random
from dataclasses import dataclass

import pytest
from test_fingers import (
    HEIGHT,
    TICKS,
    WIDTH,
    Panel,
    Run,
    a_gesture,
    fingers,
    given,
    hands,
    told_alike,
)
from test_zones import Contact, Zone, having
from workbench import a_glass, merged, on_picture, replayed, replayed_texts, rig_of, written

SIDE = 1000
ENDS = (WIDTH, HEIGHT)
MAKERS = ["left", "right", "middle", "hover"]


@dataclass
class Pointed(Zone):
    """A zone that some contacts of a pointer make, and where its contact is."""

    by: list

    def table(self):
        lines = [*super().table()[:5], f"by = {self.by}", *super().table()[5:]]
        if self.contact == "pass":
            return lines
        place = f'from = {{ place = "{self.name}"'
        return [
            *lines,
            f"[action.at-{self.name}]", 'gives = "place"', f"{place} }}",
            f"[action.x-{self.name}]", 'gives = "axis"', f"{place} }}",
            f"[action.way-{self.name}]", 'gives = "plane"', "clamp = false", f"{place} }}",
        ]

    def across(self, place):
        """A place from -1 to +1 across the zone, y up."""
        x, y, width, height = self.rect
        shares = (at / SIDE for at in place)
        ways = [2 * (at - low) / size - 1 for at, low, size in zip(shares, (x, y), (width, height))]
        ways = [max(-1.0, min(1.0, way)) for way in ways]
        return [ways[0], -ways[1]]


class Hover(Contact):
    """What hovers begins nowhere: it is on a zone, or not."""

    def poll(self, zones):
        self.had = self.has
        is_another = self.is_down and self.finger != self.polled
        self.polled = self.finger if self.is_down else 0
        self.had = set() if is_another else self.had
        self.has = having(zones, lambda zone: zone.is_under(self.place)) if self.is_down else set()


def a_zone(dice, name, makers=MAKERS):
    x, y = dice.randint(0, 8), dice.randint(0, 8)
    rect = tuple(part / 10 for part in (x, y, dice.randint(1, 10 - x), dice.randint(1, 10 - y)))
    contact = dice.choice(["take", "take", "share", "pass"])
    by = dice.sample(makers, dice.randint(1, 3))
    return Pointed(name, rect, dice.randint(0, 2), contact, dice.random() < 0.4, by)


def reports(dice, hz, can_tell):
    """Each report: its instant, its control and its value."""
    time, states = 0, dict.fromkeys(["left", "right", "middle", "in-range"], 0)
    while True:
        time += int(dice.uniform(1e6, dice.choice([8e6, 50e6])))
        if time > (TICKS - 3) / hz * 1e9:
            return
        name = dice.choice([*states, "x", "y", "x", "y"])
        if name in ("x", "y"):
            yield time, name, dice.choice([0, SIDE, dice.randint(0, 10) * 100, dice.randint(0, SIDE)])
        elif name != "in-range" or can_tell:
            states[name] = 1 - states[name]
            yield time, name, states[name]


def a_mouse(moved, can_tell, until, ends=(SIDE, SIDE)):
    """The lines of a take in which a mouse says where it is."""
    buttons = ["left", "right", "middle", *(["in-range"] if can_tell else [])]
    controls = [f'{{"code":"{name}","kind":"button"}}' for name in buttons]
    for axis, end in zip("xy", ends):
        controls.append(f'{{"code":"{axis}","kind":"position","min":0,"max":{end}}}')
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"mouse1","kind":"mouse","controls":[{",".join(controls)}]}}'
    for time, name, value in moved:
        yield f'{{"t":{time},"on":"mouse1","c":"{name}","v":{value}}}'
    yield f'{{"t":{until},"ends":true}}'


def asked_of(zone, contacts):
    """What the actions of a zone give, of the contacts of the zone."""
    having_it = [contact for contact in contacts if zone.name in contact.has]
    asked = {f"on-{zone.name}": bool(having_it)}
    is_new = [zone.name not in contact.had for contact in having_it]
    asked[f"pulse-{zone.name}"] = any(is_new)
    last = max(having_it, key=lambda contact: contact.finger, default=None)
    way = zone.across(last.place) if last else [0.0, 0.0]
    share = [at / SIDE for at in last.place] if last else [0.0, 0.0]
    return asked | {f"at-{zone.name}": share, f"x-{zone.name}": way[0], f"way-{zone.name}": way}


@pytest.mark.parametrize("seed", range(150))
def test_zones_have_what_a_pointer_makes(seed, tmp_path):
    dice = random.Random(seed)
    hz, can_tell = dice.choice([60, 120]), dice.random() < 0.8
    zones = [a_zone(dice, f"zone-{n}") for n in range(dice.randint(1, 5))]
    waiting = list(reports(dice, hz, can_tell))
    lines = a_mouse(waiting, can_tell, (TICKS - 1) * 10**9 // hz)
    told = replayed_texts(tmp_path, rig_of(hz, *(zone.table() for zone in zones)), lines)
    contacts = {name: Hover() if name == "hover" else Contact() for name in MAKERS}
    fingers, values = 0, {}
    for tick in range(TICKS):
        while waiting and waiting[0][0] <= tick * 10**9 // hz:
            _, name, value = waiting.pop(0)
            if name in ("x", "y"):
                place = contacts["left"].place
                place = (value, place[1]) if name == "x" else (place[0], value)
                for contact in contacts.values():
                    contact.place = place
            else:
                contact = contacts["hover" if name == "in-range" else name]
                fingers += value
                contact.is_down = bool(value)
                contact.finger = fingers if value else contact.finger
        for name, contact in contacts.items():
            contact.poll([zone for zone in zones if name in zone.by])
        for action in told[tick].get("actions", []):
            values[action["action"]] = action["value"]
        for zone in zones:
            of_it = [contacts[name] for name in zone.by]
            for name, asked in asked_of(zone, of_it).items():
                rest = [0.0, 0.0] if isinstance(asked, list) else 0
                assert values.get(name, rest) == pytest.approx(asked, abs=1e-5), (tick, name)


def held_on(place):
    """A place of a hand on a panel of other units, beyond which nothing is."""
    return tuple(max(0, min(SIDE, at)) for at in (place[0] * SIDE // WIDTH, place[1]))


@pytest.mark.parametrize("seed", range(150))
def test_zones_have_what_a_panel_and_a_pointer_make(seed, tmp_path):
    dice = random.Random(seed)
    hz, until = 60, (TICKS - 1) * 10**9 // 60
    zones = [a_zone(dice, f"zone-{n}", [*MAKERS, "finger"]) for n in range(dice.randint(1, 4))]
    # No two things happen at one instant.
    pointed = [(time - time % 2, name, value) for time, name, value in reports(dice, hz, True)]
    touched = [
        (time - time % 2 + 1, n, said if isinstance(said, bool) else held_on(said))
        for time, n, said in hands(dice, hz)
        if n > 0
    ]
    glass = a_glass(touched, 3, (SIDE, SIDE), until)
    lines = merged(a_mouse(pointed, True, until), glass)
    # The picture of a pointer is upright, however the panel is turned.
    turned = dice.choice([0, 90, 180, 270])
    surface = ["[surface]", f"turned = {turned}"]
    rig = rig_of(hz, surface, *(zone.table() for zone in zones))
    told = replayed_texts(tmp_path, rig, lines)
    contacts = {name: Hover() if name == "hover" else Contact() for name in MAKERS}
    contacts |= {n: Contact() for n in (1, 2, 3)}
    presses, values = 0, {}
    waiting = sorted(pointed + touched, key=lambda report: report[0])
    for tick in range(TICKS):
        while waiting and waiting[0][0] <= tick * 10**9 // hz:
            _, name, said = waiting.pop(0)
            if name in ("x", "y"):
                x, y = contacts["left"].place
                place = (said, y) if name == "x" else (x, said)
                for maker in MAKERS:
                    contacts[maker].place = place
            elif isinstance(said, tuple):
                contacts[name].place = on_picture(turned, said, (SIDE, SIDE))
            else:
                contact = contacts["hover" if name == "in-range" else name]
                # One that is down already presses no more.
                presses += int(said and not contact.is_down)
                contact.finger = presses if said and not contact.is_down else contact.finger
                contact.is_down = bool(said)
        for name, contact in contacts.items():
            maker = name if name in MAKERS else "finger"
            contact.poll([zone for zone in zones if maker in zone.by])
        for action in told[tick].get("actions", []):
            values[action["action"]] = action["value"]
        for zone in zones:
            its = [one for name, one in contacts.items() if name in zone.by]
            its += [contacts[n] for n in (1, 2, 3) if "finger" in zone.by]
            for name, asked in asked_of(zone, its).items():
                rest = [0.0, 0.0] if isinstance(asked, list) else 0
                assert values.get(name, rest) == pytest.approx(asked, abs=1e-5), (tick, name)


def of_one_finger(dice):
    while (gesture := a_gesture(dice)).fingers > 1:
        pass
    return gesture


@pytest.mark.parametrize("seed", range(150))
def test_a_button_of_a_pointer_makes_gestures_as_a_finger_does(seed, tmp_path):
    dice = random.Random(seed)
    hz, gesture, button = dice.choice([60, 120]), of_one_finger(dice), dice.choice(MAKERS[:3])
    end = (TICKS - 2) * 10**9 // hz
    reports = [report for report in fingers(dice, 1, 5_000_000, end) if report[0] < end]
    moved = []
    for time, _, said in reports:
        values = {button: int(said)} if isinstance(said, bool) else dict(zip("xy", said))
        moved += [(time, *value) for value in values.items()]
    gesture.by = [button]
    lines = a_mouse(moved, False, (TICKS - 1) * 10**9 // hz, (WIDTH, HEIGHT))
    given(Run(gesture), reports, replayed_texts(tmp_path, rig_of(hz, gesture.table()), lines), hz)


class Pointer(Panel):
    """A mouse as a panel: each button is a contact, and hover is one, all where the mouse is."""

    def maker(self, finger):
        return MAKERS[finger.contact - 1]

    def report(self, time, contact, said):
        is_place = not isinstance(said, bool)
        for one in range(1, len(MAKERS) + 1) if is_place else [contact]:
            super().report(time, one, said)


def pointing(dice, hz):
    """The contacts of a mouse, by the places of their names; no two things happen at one
    instant."""
    end = (TICKS - 2) * 10**9 // hz
    pointed = [
        (time - time % 7 + n, n, said)
        for n in dice.sample(range(1, len(MAKERS) + 1), dice.randint(1, len(MAKERS)))
        for time, _, said in fingers(dice, n, 5_000_000, end)
        if time < end
    ]
    return sorted(pointed, key=lambda report: report[0])


def glass_and_mouse(touched, pointed, hz):
    """The lines of a take in which both report."""
    until = (TICKS - 1) * 10**9 // hz
    moved = [moved for report in pointed for moved in as_moved(*report)]
    glass = a_glass(touched, 3, ENDS, until, resolution=10)
    return merged(glass, a_mouse(moved, True, until, ENDS))


@pytest.mark.parametrize("seed", range(200))
def test_whatever_points_makes_gestures(seed, tmp_path):
    """A panel and a mouse at once; of these what the gesture is made by."""
    dice = random.Random(seed)
    hz, gesture = dice.choice([60, 120]), of_one_finger(dice)
    may_hover = gesture.kind == "aim" or gesture.keys.get("centre") == "fixed"
    makers = ["finger", *(MAKERS if may_hover else MAKERS[:3])]
    gesture.by = dice.sample(makers, dice.randint(1, len(makers)))
    touched, pointed = hands(dice, hz), pointing(dice, hz)
    take = glass_and_mouse(touched, pointed, hz)
    # Of the mouse only what the gesture is made by.
    touched = [(time, (0, n), said) for time, n, said in touched if "finger" in gesture.by]
    pointed = [
        (time, (1, n), said)
        for time, n, said in pointed
        if not isinstance(said, bool) or MAKERS[n - 1] in gesture.by
    ]
    reports = sorted(touched + pointed, key=lambda report: report[0])
    turned = dice.choice([0, 90, 180, 270])
    rig = rig_of(hz, ["[surface]", f"turned = {turned}"], gesture.table())
    take, rig = written(tmp_path, rig, take)
    run = Run(gesture)
    given(run, reports, replayed(take, rig), hz, [Panel(turned=turned), Pointer()])
    told_alike(run, take, rig)


def as_moved(time, contact, said):
    """A report of a contact of a mouse as what its controls say."""
    if isinstance(said, bool):
        name = MAKERS[contact - 1]
        return [(time, "in-range" if name == "hover" else name, int(said))]
    return [(time, axis, value) for axis, value in zip("xy", said)]
