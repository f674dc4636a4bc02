"""Zones and who has which finger, written a second time from docs/rig-format.md alone, and held
against the program over random zones and two fingers."""

import random
import struct
from dataclasses import dataclass, field

import pytest
from workbench import a_glass, on_picture, replayed_texts, rig_of

TICKS, SIDE = 120, 1000


def single(number):
    """As a float of 32 bits."""
    return struct.unpack("f", struct.pack("f", number))[0]


@dataclass
class Zone:
    name: str
    rect: tuple
    layer: int
    contact: str
    follow: bool

    def table(self):
        return [
            f"[zone.{self.name}]", f"rect = {list(self.rect)}", f"layer = {self.layer}",
            f'contact = "{self.contact}"', f"follow = {str(self.follow).lower()}",
            f"[action.on-{self.name}]", 'gives = "on"', f'from = {{ zone = "{self.name}" }}',
            f"[action.pulse-{self.name}]", 'gives = "pulse"', f'from = {{ zone = "{self.name}" }}',
        ]

    def is_under(self, place):
        def is_between(at, low, size):
            at, low, high = single(at / SIDE), single(low), single(single(low) + single(size))
            return low <= at < high or at == 1 <= high

        x, y, width, height = self.rect
        return is_between(place[0], x, width) and is_between(place[1], y, height)


@dataclass
class Contact:
    """A contact by its reports, and as the last poll found it."""

    place: tuple = (0, 0)
    finger: int = 0
    is_down: bool = False
    polled: int = 0
    began: set = field(default_factory=set)
    has: set = field(default_factory=set)
    had: set = field(default_factory=set)

    def poll(self, zones):
        self.had = self.has
        finger = self.finger if self.is_down else 0
        is_another = finger != self.polled
        self.polled = finger
        if not finger:
            self.has, self.began = set(), set()
        elif is_another:
            # One that was lifted and one that landed since are two.
            self.had = set()
            self.has = having(zones, lambda zone: zone.is_under(self.place))
            self.began = {zone.name for zone in zones if not zone.follow} & self.has
        else:
            keeps = lambda z: z.is_under(self.place) if z.follow else z.name in self.began
            self.has = having(zones, keeps)


def having(zones, is_had):
    """The names of the zones that have a contact: the higher ones are asked first."""
    names = set()
    for zone in sorted(zones, key=lambda zone: -zone.layer):
        if zone.contact != "pass" and is_had(zone):
            names.add(zone.name)
            if zone.contact == "take":
                break
    return names


def a_zone(dice, name):
    x, y = dice.randint(0, 8), dice.randint(0, 8)
    rect = x, y, dice.randint(1, 10 - x), dice.randint(1, 10 - y)
    contact = dice.choice(["take", "take", "share", "pass"])
    rect = tuple(part / 10 for part in rect)
    return Zone(name, rect, dice.randint(0, 2), contact, dice.random() < 0.4)


def reports(dice, hz):
    """Each report: its instant, its contact, and a place, or whether it is down."""

    def part():
        return dice.choice([0, SIDE, dice.randint(0, 10) * 100, dice.randint(0, SIDE)])

    time, places = 0, {}
    while True:
        time += int(dice.uniform(1e6, dice.choice([8e6, 50e6])))
        if time > (TICKS - 3) / hz * 1e9:
            return
        n = dice.choice([1, 2])
        if n not in places:
            places[n] = part(), part()
            yield time, n, places[n]
            yield time, n, True
        elif dice.random() < 0.25:
            del places[n]
            yield time, n, False
        else:
            steps = [dice.choice([0, dice.randint(-300, 300)]) for _ in "xy"]
            moved = zip(places[n], steps)
            places[n] = tuple(max(0, min(SIDE, at + step)) for at, step in moved)
            yield time, n, places[n]


@pytest.mark.parametrize("seed", range(150))
def test_zones_have_the_fingers_that_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz = dice.choice([60, 120])
    zones = [a_zone(dice, f"zone-{n}") for n in range(dice.randint(1, 6))]
    turned = dice.choice([0, 0, 90, 180, 270])
    surface = ["[surface]", f"turned = {turned}"]
    rig = rig_of(hz, surface, *(zone.table() for zone in zones))
    waiting = list(reports(dice, hz))
    lines = a_glass(waiting, 2, (SIDE, SIDE), (TICKS - 1) * 10**9 // hz)
    told = replayed_texts(tmp_path, rig, lines)
    contacts, fingers = {1: Contact(), 2: Contact()}, 0
    for tick in range(TICKS):
        while waiting and waiting[0][0] <= tick * 10**9 // hz:
            _, n, said = waiting.pop(0)
            if isinstance(said, bool):
                fingers += said
                contacts[n].is_down = said
                contacts[n].finger = fingers if said else contacts[n].finger
            else:
                contacts[n].place = on_picture(turned, said, (SIDE, SIDE))
        for contact in contacts.values():
            contact.poll(zones)
        asked = {}
        for zone in zones:
            has = [zone.name in contact.has for contact in contacts.values()]
            had = [zone.name in contact.had for contact in contacts.values()]
            asked[f"on-{zone.name}"] = any(has)
            asked[f"pulse-{zone.name}"] = any(now and not was for now, was in zip(has, had))
        values = {action["action"]: action["value"] for action in told[tick].get("actions", [])}
        assert {name: values.get(name, False) for name in asked} == asked, f"tick {tick}"
