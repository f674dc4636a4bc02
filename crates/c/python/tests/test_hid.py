"""What becomes of the reports of a HID device, written a second time from docs/hid.md and *HID
1.11* alone, and held against the program over random descriptors and reports."""

import json
import random
import subprocess
from dataclasses import dataclass, field

import pytest
from workbench import GTRIG, MILLISECOND

# The largest value of a control.
MOST = 2**31 - 1
DESKTOP, KEYS, BUTTONS_PAGE, MAKER, NAMELESS = 0x01, 0x07, 0x09, 0xFF00, 0x92
AXES = {0x30 + n: name for n, name in enumerate(["x", "y", "z", "rx", "ry", "rz"])}
TRIGGERS = {0x36: "slider", 0x37: "dial"}
OTHERS = {0x38: "wheel-y", 0x90: "dpad-up", 0x91: "dpad-down"}
HAT = 0x39
SIMULATION, DIGITIZERS = 0x02, 0x0D
# By page and usage: what rests at its lower end, and what rests in the middle.
PEDALS = {
    (SIMULATION, 0xBB): "throttle",
    (SIMULATION, 0xC4): "accelerator",
    (SIMULATION, 0xC5): "brake",
    (SIMULATION, 0xC6): "clutch",
    (DIGITIZERS, 0x30): "tip-pressure",
}
WHEELS = {(SIMULATION, 0xBA): "rudder", (SIMULATION, 0xC8): "steering"}
LETTERS = {0x04 + n: f"Key{chr(ord('A') + n)}" for n in range(26)}
# What a keyboard lists that cannot tell which keys are down.
UNKNOWN = {1: "errorrollover", 2: "postfail", 3: "errorundefined"}
INPUT, OUTPUT, COLLECTION, FEATURE, COLLECTION_END = 8, 9, 10, 11, 12
PAGE, LOWEST, HIGHEST, LOWEST_THERE, SIZE, ID, COUNT, PUSH, POP = 0, 1, 2, 3, 7, 8, 9, 10, 11
USAGE, FIRST_USAGE, LAST_USAGE, DELIMITER = 0, 1, 2, 10
MAIN, GLOBAL, LOCAL = 0, 1, 2
CONSTANT, VARIABLE, RELATIVE, HAS_NULL = 1, 2, 4, 64


def item(kind, tag, data=b""):
    """The bytes of a short item."""
    size = {0: 0, 1: 1, 2: 2, 4: 3}[len(data)]
    return bytes([tag << 4 | kind << 2 | size]) + data


def number(value, is_signed=False):
    """A number in as few bytes as it needs."""
    for size in (1, 2, 4):
        try:
            return value.to_bytes(size, "little", signed=is_signed)
        except OverflowError:
            continue
    raise OverflowError(value)


@dataclass
class Item:
    """An input item: a row of fields of one size."""

    report: int
    usages: list
    flags: int
    size: int
    count: int
    lowest: int
    highest: int
    # The place of its first bit.
    bit: int = 0

    def usage(self, n):
        return self.usages[min(n, len(self.usages) - 1)] if self.usages else None

    def limits(self):
        """Its logical range."""
        highest = self.highest
        if self.lowest >= 0 > highest:
            # The largest number has no sign where the smallest has none.
            highest %= 1 << 8 * len(number(highest, True))
        if highest > self.lowest:
            return self.lowest, min(highest, MOST)
        return 0, min((1 << self.size) - 1, MOST)

    def is_list(self):
        return not self.flags & VARIABLE

    def numbers(self, report):
        """What its fields say."""
        lowest, _ = self.limits()
        for n in range(self.count):
            value = bits_of(report, self.bit + n * self.size, self.size)
            yield signed(value, self.size) if lowest < 0 else value

    def on(self, report):
        """The usages that a list says are on."""
        lowest, highest = self.limits()
        places = [value - lowest for value in self.numbers(report) if lowest <= value <= highest]
        return {self.usages[place] for place in places if place < len(self.usages)}


@dataclass
class Control:
    """A control and how the bits of a report say its value."""

    name: str
    kind: str
    report: int
    bit: int
    width: int
    value: object
    ends: tuple = ()
    # The report that a list stands in: what it names has no place.
    of: object = None
    said: object = None


@dataclass
class Device:
    items: list = field(default_factory=list)
    # The bits of each report, its number included, in the order in which they first stand.
    bits: dict = field(default_factory=dict)


def bits_of(report, bit, width):
    return int.from_bytes(report, "little") >> bit & (1 << width) - 1


def signed(value, width):
    return value - (1 << width) if value >> width - 1 else value


def controls_of(device, is_numbered):
    """All controls, in the order of their fields, then the bytes."""
    taken, controls, hats = set(), [], 0

    def add(name, *rest, **more):
        unique, n = name, 1
        while unique in taken:
            n += 1
            unique = f"{name}-{n}"
        taken.add(unique)
        controls.append(Control(unique, *rest, **more))

    def name_of(page, usage):
        if (page, usage) in PEDALS | WHEELS:
            return (PEDALS | WHEELS)[page, usage]
        if page == DESKTOP:
            return (AXES | TRIGGERS | OTHERS)[usage]
        if page == BUTTONS_PAGE:
            return f"button-{usage}"
        if page == KEYS:
            return (LETTERS | UNKNOWN)[usage]
        return (
            f"vendor-{page:04x}-{usage:04x}" if page >= 0xFF00 else f"usage-{page:04x}-{usage:04x}"
        )

    reports = list(device.bits)
    for it in sorted(device.items, key=lambda it: reports.index(it.report)):
        lowest, highest = it.limits()
        if it.flags & CONSTANT or not it.usages or it.size > 32:
            continue

        def logical(report, bit, width=it.size, lowest=lowest):
            value = bits_of(report, bit, width)
            return signed(value, width) if lowest < 0 else min(value, MOST)

        if it.is_list():
            for page, usage in it.usages[: highest - lowest + 1]:
                if usage == 0:
                    continue

                def is_on(report, it=it, wanted=(page, usage)):
                    on = it.on(report)
                    blind = {(KEYS, fault) for fault in UNKNOWN}
                    if on & blind and wanted not in blind:
                        return None
                    return int(wanted in on)

                add(name_of(page, usage), "button", None, None, None, is_on, of=it.report)
            continue
        for n in range(it.count):
            page, usage = it.usage(n)
            bit = it.bit + n * it.size
            place = it.report, bit, it.size
            if (page, usage) == (DESKTOP, HAT):
                hats += 1
                for m, way in enumerate(["up", "right", "down", "left"]):

                    def is_toward(
                        report, m=m, bit=bit, logical=logical, lowest=lowest, last=highest - lowest
                    ):
                        at = logical(report, bit) - lowest
                        if last < 7:
                            return int(at == m)
                        return int(0 <= at <= 7 and at in (2 * m, (2 * m + 1) % 8, (2 * m - 1) % 8))

                    name = f"hat-{way}" if hats == 1 else f"hat-{hats}-{way}"
                    add(name, "button", *place, is_toward)
                continue
            name = name_of(page, usage)
            if it.flags & RELATIVE:
                add(
                    name,
                    "relative",
                    *place,
                    lambda report, bit=bit, logical=logical: logical(report, bit),
                )
                continue
            if it.size == 1 or (lowest, highest) == (0, 1) or page in (BUTTONS_PAGE, KEYS):
                add(
                    name,
                    "button",
                    *place,
                    lambda report, bit=bit, size=it.size: int(bits_of(report, bit, size) != 0),
                )
                continue
            value = lambda report, bit=bit, logical=logical: logical(report, bit)  # noqa: E731
            if (page == DESKTOP and usage in TRIGGERS) or (page, usage) in PEDALS:
                add(name, "trigger", *place, value, (lowest, highest))
            else:
                add(name, "axis", *place, value, (lowest, (lowest + highest + 1) // 2, highest))
    for report, bits in device.bits.items():
        for n in range(1 if is_numbered else 0, (bits + 7) // 8):
            add(
                f"byte-{report}-{n}",
                "position",
                report,
                8 * n,
                8,
                lambda data, n=n: data[n],
                (0, 255),
            )
    return controls


def a_descriptor(rng):
    """The bytes of a random descriptor and the device that it describes."""
    is_numbered = rng.random() < 0.5
    reports = rng.sample(range(1, 256), rng.randint(1, 3)) if is_numbered else [0]
    device, out = Device(), bytearray()
    out += item(GLOBAL, PAGE, number(DESKTOP)) + item(LOCAL, USAGE, number(4))
    out += item(MAIN, COLLECTION, number(1))
    said = {}

    def tell(tag, value, data):
        """A global item, left out now and then where nothing changes."""
        if said.get(tag) != value or rng.random() < 0.2:
            said[tag] = value
            return item(GLOBAL, tag, data)
        return b""

    for _ in range(rng.randint(1, 8)):
        depth = rng.random() < 0.2
        if depth:
            out += item(LOCAL, USAGE, number(1)) + item(MAIN, COLLECTION, number(0))
        report = rng.choice(reports)
        if is_numbered:
            out += tell(ID, report, number(report))
        if rng.random() < 0.1:
            # What is said of other reports moves nothing here.
            out += tell(SIZE, 8, number(8)) + tell(COUNT, 3, number(3))
            out += item(LOCAL, USAGE, number(0x30)) + item(
                MAIN, rng.choice([OUTPUT, FEATURE]), number(2)
            )
        if rng.random() < 0.2:
            out += item(GLOBAL, PUSH)
            kept = dict(said)
        else:
            kept = None
        it = an_item(rng, report)
        out += tell(SIZE, it.size, number(it.size)) + tell(COUNT, it.count, number(it.count))
        out += tell(LOWEST, it.lowest, number(it.lowest, True))
        # Whether it has a sign is told by the lowest.
        out += tell(HIGHEST, (it.lowest < 0, it.highest), number(it.highest, True))
        out += usages_told(rng, it, tell, said)
        out += item(MAIN, INPUT, number(it.flags))
        it.bit = device.bits.setdefault(report, 8 if is_numbered else 0)
        device.bits[report] += it.size * it.count
        device.items.append(it)
        if kept is not None:
            out += item(GLOBAL, POP)
            said.clear()
            said.update(kept)
        if depth:
            out += item(MAIN, COLLECTION_END)
    out += item(MAIN, COLLECTION_END)
    return bytes(out), device, is_numbered


def an_item(rng, report):
    """A random input item."""
    what = rng.choice(
        ["axes", "buttons", "list", "keys", "hat", "padding", "wheel", "maker", "bits", "pedals"]
    )
    flags = VARIABLE
    if what == "buttons":
        first, count = rng.randint(1, 12), rng.randint(1, 9)
        named = rng.randint(1, count)
        usages = [(BUTTONS_PAGE, first + n) for n in range(named)]
        return Item(report, usages, flags, rng.choice([1, 1, 1, 4, 8]), count, 0, 1)
    if what == "list":
        lowest = rng.choice([-2, 0, 1, 1, 3])
        count, size = rng.randint(1, 4), rng.choice([4, 8])
        if rng.random() < 0.5:
            first = rng.choice([0, 1, 5, 9])
            usages = [(BUTTONS_PAGE, first + n) for n in range(rng.choice([2, 4, 4, 9]))]
        else:
            usages = [(KEYS, usage) for usage in range(rng.choice([1, 4]), rng.randint(5, 9))]
        beyond = rng.choice([0, 0, 2]) if len(usages) < 4 else rng.choice([-2, 0, 0, 2])
        return Item(report, usages, 0, size, count, lowest, lowest + len(usages) - 1 + beyond)
    if what == "keys":
        usages = [(KEYS, usage) for usage in rng.sample(sorted(LETTERS), rng.randint(1, 8))]
        return Item(report, usages, flags, 1, len(usages), 0, 1)
    if what == "hat":
        last, lowest = rng.choice([3, 4, 7, 7, 8, 11]), rng.choice([0, 1])
        return Item(
            report, [(DESKTOP, HAT)], flags | HAS_NULL, rng.choice([4, 8]), 1, lowest, lowest + last
        )
    if what == "padding":
        flags = rng.choice([CONSTANT, CONSTANT | VARIABLE])
        return Item(report, [], flags, rng.choice([1, 3, 7, 40]), rng.randint(1, 3), 0, 1)
    size = rng.choice([2, 6, 8, 10, 12, 16, 24, 32])
    half = 1 << size - 1
    lowest, highest = rng.choice(
        [
            (0, min(2 * half - 1, 2**31 - 1)),
            (-half, half - 1),
            (1 - half, half - 1),
            (0, -1),
            (0, 0),
            (-1, -1),
        ]
    )
    if what == "bits":
        ends, size = rng.choice(
            [((0, 1), 1), ((0, 1), 1), ((0, 1), 8), ((-1, 0), 1), ((0, 0), 1), ((1, 2), 1)]
        )
        usage = rng.choice([(NAMELESS, rng.randint(1, 99)), (DESKTOP, rng.choice(sorted(OTHERS)))])
        return Item(report, [usage], flags, size, rng.randint(1, 3), *ends)
    if what == "wheel":
        usage = rng.choice(sorted(AXES | OTHERS))
        return Item(report, [(DESKTOP, usage)], flags | RELATIVE, size, 1, -half, half - 1)
    if what == "pedals":
        page = rng.choice([SIMULATION, SIMULATION, DIGITIZERS])
        known = sorted(usage for usage in PEDALS | WHEELS if usage[0] == page)
        usages = rng.sample(known, rng.randint(1, min(4, len(known))))
        return Item(report, usages, flags, size, len(usages), lowest, highest)
    if what == "maker":
        page = rng.choice([MAKER, NAMELESS])
        usages = [(page, rng.randint(1, 0xFFFF)) for _ in range(rng.randint(1, 2))]
        return Item(report, usages, flags, size, rng.randint(1, 4), lowest, highest)
    usages = [(DESKTOP, usage) for usage in rng.sample(sorted(AXES | TRIGGERS), rng.randint(1, 4))]
    return Item(report, usages, flags, size, rng.randint(len(usages), 5), lowest, highest)


def usages_told(rng, it, tell, said):
    """The items that say the usages of another one."""
    if not it.usages:
        return b""
    page = it.usages[0][0]
    ids = [usage for _, usage in it.usages]
    if rng.random() < 0.1:
        # The last page before the main item counts, also for usages before it.
        said[PAGE] = page
        before = item(GLOBAL, PAGE, number(rng.choice([DESKTOP, KEYS, MAKER])))
        after = item(GLOBAL, PAGE, number(page))
        return before + b"".join(item(LOCAL, USAGE, number(usage)) for usage in ids) + after
    if rng.random() < 0.1:
        # Of alternatives the first counts.
        others = [[usage, *rng.sample(range(1, 99), rng.randint(0, 2))] for usage in ids]
        out = tell(PAGE, page, number(page))
        for usages in others:
            out += item(LOCAL, DELIMITER, number(1))
            out += b"".join(item(LOCAL, USAGE, number(usage)) for usage in usages)
            out += item(LOCAL, DELIMITER, number(0))
        return out
    is_row = ids == list(range(ids[0], ids[0] + len(ids)))
    if rng.random() < 0.2:
        # With its page inside.
        whole = [(page << 16 | usage).to_bytes(4, "little") for usage in ids]
        return b"".join(item(LOCAL, USAGE, data) for data in whole)
    out = tell(PAGE, page, number(page))
    if is_row and rng.random() < 0.7:
        ends = [(FIRST_USAGE, ids[0]), (LAST_USAGE, ids[-1])]
        return out + b"".join(item(LOCAL, tag, number(usage)) for tag, usage in ends)
    return out + b"".join(item(LOCAL, USAGE, number(usage)) for usage in ids)


def some_reports(rng, device, is_numbered):
    """Random reports, of which some are too short, too long, or of no number of the descriptor."""
    reports, time, last = [], 0, {}
    for _ in range(rng.randint(1, 40)):
        number_of = rng.choice(list(device.bits))
        length = (device.bits[number_of] + 7) // 8
        data = last.get(number_of, bytes(length))
        changed = bytearray(data)
        for _ in range(rng.choice([0, 1, 1, 2, length])):
            changed[rng.randrange(length)] = rng.choice(
                [0, 1, 2, 3, 4, 5, 127, 128, 255, rng.randrange(256)]
            )
        if is_numbered:
            changed[0] = number_of
        data = last[number_of] = bytes(changed)
        what = rng.random()
        if what < 0.05:
            data = data[: rng.randrange(1, length + 1)]
        elif what < 0.1:
            data += bytes([7] * rng.randint(1, 3))
        elif what < 0.13 and is_numbered:
            data = bytes([next(n for n in range(255, 0, -1) if n not in device.bits)]) + data[1:]
        reports.append((time, data))
        time += rng.choice([0, 1, 3, 8]) * MILLISECOND
    return reports


def expected(controls, device, is_numbered, reports):
    """What each report that is not left out says: its instant, and controls with their values."""
    said = []
    for time, data in reports:
        number_of = data[0] if is_numbered else 0
        if number_of not in device.bits or 8 * len(data) < device.bits[number_of]:
            continue
        of_report = [control for control in controls if number_of in (control.report, control.of)]
        values = ((control, control.value(data)) for control in of_report)
        said.append(
            (time, [(control.name, value) for control, value in values if is_news(control, value)])
        )
    return said


def is_news(control, value):
    """Whether a value is told: counts always, anything else when it changes."""
    if control.kind == "relative":
        return value != 0
    before = 0 if control.said is None and control.kind == "button" else control.said
    if value in (None, before):
        return False
    control.said = value
    return True


def logged(path, descriptor, reports):
    """Writes reports as a log."""
    log = ["name Quay board", "id 0003:6b71:0040", f"descriptor {descriptor.hex()}"]
    log += [f"{time / 10**9:.9f} {data.hex(' ')}" for time, data in reports]
    path.write_text("\n".join(log) + "\n")


def read_as_take(log, *options):
    """What the program makes of a log: the line of its device, what each control says, and how it
    ended."""
    ran = subprocess.run([GTRIG, "hid", *options, log], capture_output=True, text=True)
    said = [json.loads(line) for line in ran.stdout.splitlines()]
    assert said, ran.stderr
    (plug,) = [line for line in said if "plug" in line]
    return plug, by_control((line["t"], line["c"], line["v"]) for line in said if "on" in line), ran


def ends_of(described):
    """The range of a control of a take."""
    return tuple(described[key] for key in ["min", "centre", "max"] if key in described)


def by_control(lines):
    """What each control says: in what order those of one report speak is of no matter."""
    said = {}
    for time, control, value in lines:
        said.setdefault(control, []).append((time, value))
    return said


@pytest.mark.parametrize("seed", range(150))
def test_reports_become_what_the_pages_say(seed, tmp_path):
    rng = random.Random(seed)
    descriptor, device, is_numbered = a_descriptor(rng)
    reports = some_reports(rng, device, is_numbered)
    log = tmp_path / "it.hid.txt"
    logged(log, descriptor, reports)
    plug, told, ran = read_as_take(log, "--as-found")
    controls = controls_of(device, is_numbered)
    keys = ["code", "kind", "report", "bit", "width"]
    described = [(*map(one.get, keys), ends_of(one)) for one in plug["controls"]]
    mine = [(one.name, one.kind, one.report, one.bit, one.width, one.ends) for one in controls]
    assert described == mine, descriptor.hex(" ")
    said = expected(controls, device, is_numbered, reports)
    lines = [(time, *line) for time, lines in said for line in lines]
    assert told == by_control(lines), descriptor.hex(" ")
    assert ran.returncode == (0 if len(said) == len(reports) else 1), ran.stderr
