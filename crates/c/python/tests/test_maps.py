"""Devices seen through maps, written a second time from docs/map-format.md alone, and held against
the program over random devices, maps and reports."""

import random

import pytest
from test_hid import (
    MOST,
    Control,
    a_descriptor,
    bits_of,
    by_control,
    controls_of,
    ends_of,
    expected,
    logged,
    read_as_take,
    signed,
    some_reports,
)

FAR = 10**6


class Mapped:
    """A control of a map: what it is made of, and as what."""

    def __init__(self, name, parts, how="same", numbers=()):
        self.name, self.parts, self.how, self.numbers = name, parts, how, numbers
        self.last = 0

    def line(self):
        """Its line in the file."""
        names = ", ".join(f'"{part}"' for part in self.parts)
        keys = f"from = [{names}]" if len(self.parts) == 2 else f"from = {names}"
        told = {
            "axis": ', as = "axis", min = {}, rest = {}, max = {}',
            "trigger": ', as = "trigger", rest = {}, end = {}',
            "at-least": ', as = "button", at-least = {}',
            "at-most": ', as = "button", at-most = {}',
            "among": ', as = "button", among = {}',
        }
        return f'"{self.name}" = {{ {keys}{told.get(self.how, "").format(*self.numbers)} }}'

    def bind(self, raw):
        """Ties it to the controls of the device, if they are what it needs."""
        if any(part not in raw for part in self.parts):
            return False
        of = [raw[part] for part in self.parts]
        if len(of) == 2 and any(one.kind not in ("axis", "trigger") for one in of):
            return False
        if self.how == "same":
            self.kind, self.ends = of[0].kind, of[0].ends
        elif self.how == "joined":
            self.sides = [(rest_of(one), one.ends[-1]) for one in of]
            down, up = (abs(end - rest) for rest, end in self.sides)
            self.kind, self.ends = "axis", (-down, 0, up)
        elif self.how in ("axis", "trigger"):
            self.kind, self.ends = self.how, tuple(self.numbers)
            self.last = self.numbers[1] if self.how == "axis" else self.numbers[0]
        else:
            self.kind, self.ends = "button", ()
        return True

    def of(self, values):
        """Its value, where the controls of the device have these."""
        value = values[self.parts[0]]
        if self.how == "joined":
            down, up = (way(values[part], *side) for part, side in zip(self.parts, self.sides))
            return up - down
        if self.how in ("axis", "trigger"):
            return max(min(self.numbers), min(max(self.numbers), value))
        (told,) = self.numbers
        if self.how == "among":
            return int(value in told)
        return int(value >= told if self.how == "at-least" else value <= told)


def rest_of(control):
    """What a control reports that nobody touches."""
    return (
        control.ends[1]
        if len(control.ends) == 3
        else control.ends[0]
        if control.kind == "trigger"
        else 0
    )


def way(value, rest, end):
    """How far a side of a joined axis is from its rest."""
    gone = value - rest if end >= rest else rest - value
    return max(0, min(abs(end - rest), gone))


def a_field(rng, device, is_numbered):
    """Bits that a person named: the name, and what they say; `None` if no report has them."""
    report = rng.choice(list(device.bits))
    bits = 8 * ((device.bits[report] + 7) // 8)
    width = rng.choice([1, 2, 5, 8, 12, 16, 31, 32])
    bit = rng.randrange(bits + 4)
    is_signed = rng.random() < 0.4
    name = f"field-{report}-{bit}-{width}" + "s" * is_signed
    if bit + width > bits:
        return name, None
    most = min((1 << width - is_signed) - 1, MOST)

    def value(data):
        number = bits_of(data, bit, width)
        if width == 1:
            return number
        return signed(number, width) if is_signed else min(number, MOST)

    kind = "button" if width == 1 else "axis" if is_signed else "trigger"
    ends = {"button": (), "axis": (-most - 1, 0, most), "trigger": (0, most)}[kind]
    return name, Control(name, kind, report, bit, width, value, ends)


def a_map(rng, raw, fields):
    """Random controls, and what is left out."""
    names = list(raw) + [name for name, _ in fields]
    new = rng.sample([*list(raw), "grab", "claw", "hoist", "slew", "horn", "lamp"], 6)
    controls = []
    for name in new[: rng.randint(0, 6)]:
        part = rng.choice(names) if rng.random() < 0.95 else "nowhere"
        of = raw.get(part) or next((made for field, made in fields if field == part), None)
        if of is not None and of.kind == "relative":
            controls.append(Mapped(name, [part]))
            continue
        low, high = (of.ends[0], of.ends[-1]) if of is not None and of.ends else (0, 1)
        spread = max(2, min(FAR, (high - low) // 4))

        def around(low=low, high=high, spread=spread):
            near = rng.choice([low, high, (low + high) // 2]) + rng.randint(-spread, spread)
            return max(-MOST, min(MOST, near))

        how = rng.choice(["same", "axis", "trigger", "at-least", "at-most", "among", "joined"])
        if how == "joined":
            others = [name for name in names if name != part]
            controls.append(Mapped(name, [part, rng.choice(others)], how))
            continue
        if how == "axis":
            numbers = sorted({around() for _ in range(3)})
            numbers = numbers if len(numbers) == 3 else [low, low + 1, low + 3]
            numbers = numbers[::-1] if rng.random() < 0.5 else numbers
        elif how == "trigger":
            first, last = around(), around()
            numbers = [first, last if last != first else first + (1 if first < MOST else -1)]
        elif how == "among":
            numbers = [sorted({around() for _ in range(rng.randint(1, 4))})]
        else:
            numbers = [around()]
        controls.append(Mapped(name, [part], how, numbers))
    left_out = rng.sample(names, rng.randint(0, 2))
    return controls, left_out


def seen(controls, left_out, raw):
    """The controls that stay as they are, by their names on the device: each with its name here."""
    bound = [control for control in controls if control.bind(raw)]
    used = {part for control in bound for part in control.parts}
    taken = {control.name for control in bound}
    staying = [name for name in raw if name not in used and name not in left_out]
    return bound, {name: f"other-{name}" if name in taken else name for name in staying}


@pytest.mark.parametrize("seed", range(150))
def test_a_map_makes_what_the_pages_say(seed, tmp_path):
    rng = random.Random(seed)
    descriptor, device, is_numbered = a_descriptor(rng)
    reports = some_reports(rng, device, is_numbered)
    found = controls_of(device, is_numbered)
    fields = list(dict(a_field(rng, device, is_numbered) for _ in range(2)).items())
    controls, left_out = a_map(rng, {one.name: one for one in found}, fields)
    wanted = {part for control in controls for part in control.parts}
    found += [made for name, made in fields if made and name in wanted]
    raw = {one.name: one for one in found}
    bound, staying = seen(controls, left_out, raw)

    log, file = tmp_path / "it.hid.txt", tmp_path / "it.toml"
    logged(log, descriptor, reports)
    left = ", ".join(f'"{name}"' for name in left_out)
    head = ["map = 1", 'name = "Quay crane"', *[f"leave-out = [{left}]"] * bool(left), "[device]"]
    head += ["vendor = 0x6b71", 'product = "0040"', "raw = true", "[control]"]
    file.write_text("\n".join([*head, *(control.line() for control in controls)]) + "\n")
    plug, told, ran = read_as_take(log, "--map", file)

    assert plug["name"] == "Quay crane"
    described = {one["code"]: (one["kind"], ends_of(one)) for one in plug["controls"]}
    mine = {control.name: (control.kind, control.ends) for control in bound}
    mine |= {here: (raw[name].kind, raw[name].ends) for name, here in staying.items()}
    assert described == mine, ran.stderr

    values = {name: rest_of(one) for name, one in raw.items()}
    lines = []
    for time, said in expected(found, device, is_numbered, reports):
        values |= dict(said)
        lines += [(time, staying[name], value) for name, value in said if name in staying]
        for control in bound:
            news = [value for name, value in said if name in control.parts]
            if control.how == "same":
                lines += [(time, control.name, value) for value in news]
            elif news and control.of(values) != control.last:
                control.last = control.of(values)
                lines.append((time, control.name, control.last))
    assert told == by_control(lines), file.read_text()
    missing = len(bound) < len(controls) or any(name not in raw for name in left_out)
    assert ("the map" in ran.stderr) == missing, ran.stderr
