"""Slots, presence and the main device of docs/rig-format.md, written a second time from that page
alone, and held against the program while devices come, go and fall silent at random."""

import json
import random

import pytest
from workbench import replayed_texts

TICKS, HZ = 150, 60
BUTTON = {"pad": "south", "lever": "thumb", "keys": "KeyA", "mouse": "left", "other": "go"}
SLOTTED = ("pad", "lever")
ANY = ", ".join(f'"{kind}/{button}"' for kind, button in BUTTON.items())


class Device:
    def __init__(self, name, kind):
        self.name, self.kind = name, kind
        self.number, self.before = None, []
        self.is_here = self.is_deaf = self.is_down = False

    def is_heard(self):
        return self.is_here and not self.is_deaf

    def takes_slot(self):
        return self.kind in SLOTTED


class Room:
    """All devices, who has which slot, and who was used when."""

    def __init__(self, devices, deal, kept):
        self.devices, self.deal, self.kept = devices, deal, kept
        self.left, self.departures = {}, 0
        # A device that gets another slot than before is a device of its own from then on.
        self.used, self.uses, self.came = {}, 0, []

    def who(self, device):
        return device.name, device.number

    def number_for(self, device):
        rivals = [d for d in self.devices if d.is_here and d is not device]
        if not device.takes_slot():
            taken = {d.number for d in rivals if d.kind == device.kind}
            return next(n for n in [*device.before, *range(1, 99)] if n not in taken)
        taken = {d.number for d in rivals if d.takes_slot()}
        own = [slot for slot, name in self.kept.items() if name == device.name]
        free = [n for n in range(1, 5) if n not in taken and (n not in self.kept or n in own)]
        wishes = [n for n in [*own, *device.before] if n in free]
        if wishes or not free:
            return (wishes or [0])[0]
        if self.deal == "first-free":
            return free[0]
        return min(free, key=lambda n: (self.left.get(n, 0), n))

    def plug(self, device):
        device.number = self.number_for(device)
        device.is_here, device.is_deaf, device.is_down = True, False, False
        if self.who(device) not in self.came:
            self.came.append(self.who(device))

    def unplug(self, device):
        device.is_here = device.is_down = False
        device.before = [device.number, *(n for n in device.before if n != device.number)]
        self.departures += 1
        if device.takes_slot():
            self.left[device.number] = self.departures

    def press(self, device, value):
        if device.is_deaf:
            return
        if value and not device.is_down:
            self.uses += 1
            self.used[self.who(device)] = self.uses
        device.is_down = bool(value)

    def main(self, rule, among):
        def place(device):
            used = self.used.get(self.who(device), 0) if rule == "last-used" else 0
            return -used, device.number or 99, self.came.index(self.who(device))

        heard = [d for d in self.devices if d.is_heard() and d.kind in among]
        return min(heard, key=place, default=None)


def are_together(one, other):
    return one is other or {one.kind, other.kind} <= {"keys", "mouse"}


def happenings(dice, devices):
    """What devices do, and how a take writes it."""
    time, states = 0, {}
    while True:
        time += int(dice.uniform(1e6, 60e6))
        if time >= (TICKS - 2) * 10**9 // HZ:
            return
        device = dice.choice(devices)
        name, kind = device.name, device.kind
        if name not in states:
            states[name] = [False, 0]
            control = f'{{"code":"{BUTTON[kind]}","kind":"button"}}'
            line = f'"plug":"{name}","kind":"{kind}","controls":[{control}]'
            yield time, line, lambda room, device=device: room.plug(device)
            continue
        state, chance = states[name], dice.random()
        if chance < 0.12:
            del states[name]
            yield time, f'"unplug":"{name}"', lambda room, device=device: room.unplug(device)
        elif chance < 0.2:
            state[0] = not state[0]
            word = "deaf" if state[0] else "heard"

            def change(_, device=device, is_deaf=state[0]):
                device.is_deaf, device.is_down = is_deaf, False

            yield time, f'"{word}":"{name}"', change
        else:
            state[1] = 1 - state[1] if dice.random() < 0.9 else state[1]
            line = f'"on":"{name}","c":"{BUTTON[kind]}","v":{state[1]}'
            yield time, line, lambda room, device=device, v=state[1]: room.press(device, v)


@pytest.mark.parametrize("seed", range(150))
def test_devices_have_the_place_that_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    deal, rule = dice.choice(["first-free", "last-used"]), dice.choice(["first", "last-used"])
    wanted = [None, ["pad"], ["pad", "keys"], ["lever", "pad", "other"], ["keys", "mouse", "pad"]]
    among = dice.choice(wanted)
    kinds = ["pad", "pad", "pad", *BUTTON]
    devices = [Device(f"device-{n}", dice.choice(kinds)) for n in range(dice.randint(2, 7))]
    slotted = [device.name for device in devices if device.takes_slot()]
    kept = {dice.randint(1, 4): dice.choice(slotted)} if slotted and dice.random() < 0.4 else {}
    rig = ["rig = 1", "[slots]", f'deal = "{deal}"']
    rig += [f'{slot} = "{name}"' for slot, name in kept.items()]
    rig += ["[main]", f'rule = "{rule}"']
    rig += [f"among = {json.dumps(among)}"] if among else []
    rig += ["[action.main]", 'gives = "on"', 'devices = "main"', f"from = [{ANY}]"]
    for slot in range(1, 5):
        slots = f'["pad{slot}/south", "lever{slot}/thumb"]'
        rig += [f"[action.slot-{slot}]", 'gives = "on"', f"from = {slots}"]
    events = list(happenings(dice, devices))
    lines = ['{"take":1}', *(f'{{"t":{time},{line}}}' for time, line, _ in events)]
    lines.append(f'{{"t":{(TICKS - 1) * 10**9 // HZ},"ends":true}}')

    reports = replayed_texts(tmp_path, "\n".join(rig) + "\n", lines)
    room = Room(devices, deal, kept)
    for tick in range(TICKS):
        while events and events[0][0] <= tick * 10**9 // HZ:
            events.pop(0)[2](room)
        main = room.main(rule, among or ["pad", "lever", "other"])
        held = [device for device in devices if device.is_heard() and device.is_down]
        asked = {"main": any(main and are_together(main, device) for device in held)}
        for slot in range(1, 5):
            has_slot = [device.takes_slot() and device.number == slot for device in held]
            asked[f"slot-{slot}"] = any(has_slot)
        values = {action["action"]: action["value"] for action in reports[tick].get("actions", [])}
        assert {name: values.get(name, False) for name in asked} == asked, f"tick {tick}"
