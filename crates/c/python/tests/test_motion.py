"""Controls as buttons, motion that is summed up, and the device that was used last, of
docs/rig-format.md, written a second time from that page alone, and held against the program while
sticks, triggers and mice move and devices come, go and fall silent."""

import json
import math
import random
import struct

import pytest
from test_devices import Device, Room, are_together
from workbench import replayed_texts

TICKS, HZ = 120, 60
# What each kind of device has, with the raw values of its ends and of its rest.
CONTROLS = {
    "pad": {"stick-l-x": (-1000, 0, 1000), "trigger-r": (0, 0, 255), "trigger-l": (255, 255, 0)},
    "lever": {"travel": (900, -300, -1500)},
    "mouse": {"x": None, "y": None, "wheel-y": None},
    "other": {"tilt": (-7, -2, 3)},
}
SHARES = [0.05, 0.2, 0.25, 0.4, 0.5, 0.6, 0.75, 0.9, 1]


def single(number):
    return struct.unpack("f", struct.pack("f", number))[0]


def share(ends, raw):
    """How much of its travel a control is from rest, as the page says, in 32 bits."""
    low, rest, high = ends
    end, sign = (high, 1) if (raw - rest) * (high - rest) >= 0 else (low, -1)
    return sign * single(min(1, (raw - rest) / (end - rest))) if end != rest else 0.0


class Moving(Device):
    """A device, and where its controls are."""

    def __init__(self, name, kind):
        super().__init__(name, kind)
        self.rest()

    def rest(self):
        """Where nobody moves it. Whatever was held is let go of."""
        self.lets_go = True
        ends = CONTROLS[self.kind]
        self.raw = {code: its[1] for code, its in ends.items() if its}
        self.counts = dict.fromkeys((code for code, its in ends.items() if not its), 0)

    def share(self, code):
        return share(CONTROLS[self.kind][code], self.raw[code])


class Desk(Room):
    """All devices, and who was used last by moving how far."""

    def __init__(self, devices, use_at, use_counts):
        super().__init__(devices, "first-free", {})
        self.use_at, self.use_counts = single(use_at), use_counts

    def plug(self, device):
        super().plug(device)
        device.rest()

    def unplug(self, device):
        super().unplug(device)
        device.rest()

    def hear(self, device, is_heard):
        device.is_deaf = not is_heard
        device.rest()

    def is_beyond(self, device, code):
        return abs(device.share(code)) >= self.use_at

    def move(self, device, code, value):
        if device.is_deaf:
            return
        if code in device.counts:
            device.counts[code] += value
            is_use = abs(value) >= self.use_counts
        else:
            was_beyond = self.is_beyond(device, code)
            device.raw[code] = value
            is_use = self.is_beyond(device, code) and not was_beyond
        if is_use:
            self.uses += 1
            self.used[self.who(device)] = self.uses


class Threshold:
    """Controls as buttons, and the action that they drive."""

    def __init__(self, gives, names, press_at, release_at):
        self.gives, self.names = gives, names
        self.press_at, self.release_at = single(press_at), single(release_at)
        self.down, self.value = set(), False

    def table(self, name):
        how = f"press-at = {self.press_at!r}, release-at = {self.release_at!r}"
        its = ", ".join(f'{{ control = "{control}", {how} }}' for control in self.names)
        return [f"[action.{name}]", f'gives = "{self.gives}"', f"from = [{its}]"]

    def poll(self, devices):
        was, self.down = self.down, set()
        for device in devices:
            held = set() if device.lets_go else was
            for code in device.raw:
                one, value = (device.name, code), device.share(code)
                is_named = f"{device.kind}/{code}" in self.names
                holds = value >= self.press_at or (one in held and value >= self.release_at)
                if is_named and device.is_heard() and holds:
                    self.down.add(one)
        pressed = bool(self.down - was)
        on = {"on": bool(self.down), "pulse": pressed}
        self.value = on[self.gives] if self.gives in on else self.value ^ pressed


class Pointer:
    """The motion of mice, summed up."""

    def __init__(self, counts, is_of_main, combine):
        self.counts, self.is_of_main, self.combine = counts, is_of_main, combine
        self.sums, self.value = {}, [0.0, 0.0]

    def table(self, name):
        lines = [f"[action.{name}]", 'gives = "plane"', f'combine = "{self.combine}"']
        lines += ['devices = "main"'] if self.is_of_main else []
        return [*lines, f'from = {{ pointer = "mouse", counts = {self.counts} }}']

    def poll(self, mice, main):
        for mouse in mice:
            may_drive = not self.is_of_main or (main and are_together(main, mouse))
            if not mouse.is_heard() or not may_drive:
                self.sums[mouse.name] = [0.0, 0.0]
                continue
            sum_ = self.sums.get(mouse.name, [0.0, 0.0])
            x, y = mouse.counts["x"] / self.counts, -mouse.counts["y"] / self.counts
            self.sums[mouse.name] = held([sum_[0] + x, sum_[1] + y])
        sums = [self.sums.get(mouse.name, [0.0, 0.0]) for mouse in mice]
        if self.combine == "sum":
            both = [max(-1, min(1, sum(part))) for part in zip(*sums, [0.0, 0.0])]
            self.value = held(both)
            return
        self.value, most = [0.0, 0.0], 0.0
        for one in sums:
            if math.hypot(*one) > most + 1e-6:
                self.value, most = one, math.hypot(*one)


def held(v):
    size = math.hypot(*v)
    return [part / size for part in v] if size > 1 else v


def plug_of(device):
    told = []
    for code, ends in CONTROLS[device.kind].items():
        if ends is None:
            told.append({"code": code, "kind": "relative"})
            continue
        low, rest, high = ends
        its = {"kind": "axis", "centre": rest} if rest != low else {"kind": "trigger"}
        told.append({"code": code, "min": low, "max": high, **its})
    return {"plug": device.name, "kind": device.kind, "controls": told}


def happenings(dice, devices):
    """What devices do: the instant, what a take writes, and what it is to a desk."""
    time, end, heard = 0, (TICKS - 2) * 1e9 / HZ, {}
    while (time := time + int(dice.uniform(1e6, dice.choice([10e6, 60e6])))) < end:
        device, chance = dice.choice(devices), dice.random()
        if device.name not in heard:
            heard[device.name] = True
            yield time, plug_of(device), lambda desk, d=device: desk.plug(d)
        elif chance < 0.04:
            del heard[device.name]
            yield time, {"unplug": device.name}, lambda desk, d=device: desk.unplug(d)
        elif chance < 0.1:
            heard[device.name] = now = not heard[device.name]
            word = "heard" if now else "deaf"
            yield time, {word: device.name}, lambda desk, d=device, now=now: desk.hear(d, now)
        else:
            code = dice.choice([*CONTROLS[device.kind]])
            ends = CONTROLS[device.kind][code]
            if ends:
                low, _, high = sorted(ends)
                at = low + (high - low) * dice.choice([0, *SHARES, dice.random()])
                value = dice.choice([*ends, round(at), dice.randint(low, high)])
            else:
                value = dice.choice([-1, 1, 3, 4, -4, 5, dice.randint(-90, 90)])
            line = {"on": device.name, "c": code, "v": value}
            yield time, line, lambda desk, d=device, c=code, v=value: desk.move(d, c, v)


def some_thresholds(dice):
    names = [f"{kind}/{code}" for kind, its in CONTROLS.items() for code in its if its[code]]
    for _ in range(dice.randint(1, 4)):
        press_at = dice.choice(SHARES)
        release_at = dice.choice([at for at in [0, *SHARES] if at <= press_at])
        gives = dice.choice(["on", "pulse", "toggle"])
        yield Threshold(gives, dice.sample(names, dice.randint(1, 3)), press_at, release_at)


@pytest.mark.parametrize("seed", range(150))
def test_what_moves_counts_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    kinds = dice.choices([*CONTROLS], k=dice.randint(1, 5))
    devices = [Moving(f"device-{n}", kind) for n, kind in enumerate(kinds)]
    rule, among = dice.choice(["first", "last-used"]), dice.sample([*CONTROLS], dice.randint(1, 4))
    use_at, use_counts = dice.choice(SHARES), dice.choice([1, 4, 50])
    thresholds = {f"down-{n}": one for n, one in enumerate(some_thresholds(dice))}
    combine = lambda: dice.choice(["strongest", "sum"])
    pointers = {
        "look": Pointer(dice.choice([30, 128, 400]), False, combine()),
        "main-look": Pointer(dice.choice([30, 128]), True, combine()),
    }
    rig = ["rig = 1", "[main]", f'rule = "{rule}"', f"among = {json.dumps(among)}"]
    rig += [f"use-at = {use_at}", f"use-counts = {use_counts}"]
    for name, action in [*thresholds.items(), *pointers.items()]:
        rig += action.table(name)
    # Which one is the main device shows where it alone drives an action.
    for kind, code in (("pad", "trigger-r"), ("lever", "travel"), ("other", "tilt")):
        rig += [f"[action.main-{kind}]", 'gives = "axis"', 'devices = "main"']
        rig += [f'from = {{ axis = "{kind}/{code}" }}']
    events = list(happenings(dice, devices))
    lines = ['{"take":1}', *(json.dumps({"t": time, **line}) for time, line, _ in events)]
    lines.append(f'{{"t":{(TICKS - 1) * 10**9 // HZ},"ends":true}}')

    reports = replayed_texts(tmp_path, "\n".join(rig) + "\n", lines)
    desk = Desk(devices, use_at, use_counts)
    for tick in range(TICKS):
        while events and events[0][0] <= tick * 10**9 // HZ:
            events.pop(0)[2](desk)
        main = desk.main(rule, among)
        # Inputs are in the order in which their devices first came.
        came = [device for name, _ in desk.came for device in devices if device.name == name]
        came = [*dict.fromkeys(came)]
        for threshold in thresholds.values():
            threshold.poll(came)
        for pointer in pointers.values():
            pointer.poll([device for device in came if device.kind == "mouse"], main)
        values = {action["action"]: action["value"] for action in reports[tick].get("actions", [])}
        for name, threshold in thresholds.items():
            assert values.get(name, False) == threshold.value, f"{name} at tick {tick}"
        for name, pointer in pointers.items():
            value = values.get(name, [0.0, 0.0])
            assert value == pytest.approx(pointer.value, abs=1e-5), f"{name} at tick {tick}"
        for kind, code in (("pad", "trigger-r"), ("lever", "travel"), ("other", "tilt")):
            is_main = main and main.kind == kind
            value = main.share(code) if is_main else 0.0
            assert values.get(f"main-{kind}", 0.0) == pytest.approx(value, abs=1e-6), (kind, tick)
        for device in devices:
            device.counts, device.lets_go = dict.fromkeys(device.counts, 0), False
