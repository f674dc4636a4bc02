"""Open Sound Control and TUIO, written a second time from docs/osc.md and *Open Sound Control 1.0*
alone, and held against the program over random rigs and packets on a real socket."""

import json
import math
import random
import re
import signal
import socket
import struct
import subprocess
import time
from fractions import Fraction

import pytest
from workbench import GTRIG

CONTACTS, TRACKERS = 16, 8
ADDRESSES = ["/crane/slew", "/crane/hoist", "/crane/horn", "/desk/1", "/desk/12", "/desk/a-b", "/x"]
PATTERNS = [
    "/crane/*", "/*/slew", "/crane/h*", "/crane/hoi?t", "/crane/{slew,horn}", "/desk/[1-9]",
    "/desk/[!a-c]*", "/desk/1{,2}", "/desk/[ab]-b", "/?", "/desk/?", "/*", "/crane/*o*", "/desk/1*",
    "/{crane,desk}/*", "/desk/[0-2]?", "/crane/[!g]*",
]  # fmt: skip
# No pattern means the mark.
NEVER, MARK = "/nobody", "/test/mark"
# The beginning of a rig with a control that reports the number that it is told.
MARKED = [
    "rig = 1",
    "[osc.in.mark.control]",
    f'mark = {{ address = "{MARK}", as = "trigger", rest = 0, end = 1000000 }}',
]


def padded(data):
    return data + bytes(-len(data) % 4)


def text(said):
    return padded(said.encode() + b"\0")


def message(address, *arguments, has_types=True):
    """The bytes of a message; an argument is a type and a value."""
    if not has_types:
        return text(address)
    out = text(address) + text("," + "".join(kind for kind, _ in arguments))
    for kind, value in arguments:
        if kind in "ifdh":
            out += struct.pack(">" + {"i": "i", "f": "f", "d": "d", "h": "q"}[kind], value)
        elif kind == "s":
            out += text(value)
        elif kind == "b":
            out += struct.pack(">i", len(value)) + padded(value)
    return out


def bundle(*parts):
    """A bundle that takes effect at once."""
    lengths = [struct.pack(">i", len(part)) + part for part in parts]
    return text("#bundle") + struct.pack(">Q", 1) + b"".join(lengths)


def matches(pattern, address):
    """Whether an address is meant: *Open Sound Control 1.0*, "Message Dispatching"."""
    if not set(pattern) & set("?*[{"):
        return pattern == address
    out, rest = "", pattern
    while rest:
        first, rest = rest[0], rest[1:]
        if first == "[":
            inside, rest = rest.split("]", 1)
            out += "[" + ("^/" if inside[0] == "!" else "") + inside.lstrip("!") + "]"
        elif first == "{":
            inside, rest = rest.split("}", 1)
            out += "(" + "|".join(map(re.escape, inside.split(","))) + ")"
        else:
            out += {"?": "[^/]", "*": "[^/]*"}.get(first, re.escape(first))
    return re.fullmatch(out, address) is not None


def number_of(argument):
    """The number that an argument is, exactly; none of one that is no number."""
    kind, value = argument
    if kind in "TI":
        return Fraction(1)
    if kind == "F":
        return Fraction(0)
    if kind == "f":
        value = struct.unpack(">f", struct.pack(">f", value))[0]
    return Fraction(value) if kind in "ifdh" and math.isfinite(value) else None


def millionths(part):
    """A share as it is reported, half a millionth away from rest."""
    return int(math.copysign(1, part)) * math.floor(
        abs(min(1, max(-1, part))) * 10**6 + Fraction(1, 2)
    )


class Control:
    """A control of a rig."""

    def __init__(self, rng, name):
        self.name, self.address = name, rng.choice(ADDRESSES)
        self.kind = rng.choice(["axis", "axis", "trigger", "button", "pulse"])
        self.argument = rng.choice([1, 1, 2, 3])
        ends = sorted(rng.sample([-100, -1, -0.5, 0, 0.25, 1, 2, 127], 3))
        self.ends = ends if rng.random() < 0.7 else ends[::-1]
        self.has_ends = rng.random() < 0.6
        self.level = rng.choice([("at-least", 0.5), ("at-least", 64), ("at-most", -0.5), None])

    def line(self):
        keys = [f'address = "{self.address}"', f'as = "{self.kind}"']
        if self.argument > 1 and self.kind != "pulse":
            keys.append(f"argument = {self.argument}")
        low, rest, high = self.ends
        if self.kind == "axis" and self.has_ends:
            keys.append(f"min = {low}, rest = {rest}, max = {high}")
        if self.kind == "trigger" and self.has_ends:
            keys.append(f"rest = {low}, end = {high}")
        if self.kind == "button" and self.level:
            keys.append("{} = {}".format(*self.level))
        return f"{self.name} = {{ {', '.join(keys)} }}"

    def says(self, arguments):
        """The values that it reports of a message for it."""
        if self.kind == "pulse":
            return [1, 0]
        at = self.argument - 1
        number = number_of(arguments[at]) if at < len(arguments) else None
        if number is None:
            return []
        low, rest, high = map(Fraction, self.ends if self.has_ends else (-1, 0, 1))
        if self.kind == "axis":
            is_up = (number - rest) * (high - rest) > 0
            return [millionths((number - rest) / (high - rest if is_up else rest - low))]
        if self.kind == "trigger":
            low, high = (low, high) if self.has_ends else (Fraction(0), Fraction(1))
            return [millionths(max(Fraction(0), (number - low) / (high - low)))]
        how, level = self.level or ("at-least", 0.5)
        return [int(number >= level if how == "at-least" else number <= level)]


class Recording:
    """The program while it records what comes to a port."""

    def __init__(self, folder, rig):
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.take = folder / "it.take.jsonl"
        file = folder / "it.toml"
        file.write_text(rig)
        listen = ["--kernel", "none", "--listen", f"osc:{self.port}"]
        command = [GTRIG, "record", "--rig", file, *listen, self.take]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.marks = 0
        self.mark()

    def send(self, packet):
        self.socket.sendto(packet, ("127.0.0.1", self.port))

    def mark(self):
        """Waits until all that was sent is in the take; what is not listened to yet is lost."""
        self.marks += 1
        until = time.monotonic() + 20
        said = re.compile(f'"c":"mark","v":{self.marks}[,}}]')
        while not said.search(self.lines()):
            assert time.monotonic() < until and self.process.poll() is None
            self.send(message(MARK, ("i", self.marks)))
            time.sleep(0.01)

    def lines(self):
        return self.take.read_text() if self.take.exists() else ""

    def ended(self):
        """The lines of the take."""
        self.mark()
        self.process.send_signal(signal.SIGINT)
        _, self.said = self.process.communicate(timeout=20)
        self.socket.close()
        return [json.loads(line) for line in self.lines().splitlines()]


def said_by_device(lines):
    """What each control of each device says, by the names of both."""
    names, said = {}, {}
    for line in lines:
        if "plug" in line:
            names[line["plug"]] = line["name"]
        if "on" in line:
            said.setdefault((names[line["on"]], line["c"]), []).append(line["v"])
    return said


def an_argument(rng):
    kind = rng.choice("ifdhTFINsb")
    small = rng.choice([0, 1, -1, 64, 127, 0.5, -0.5, rng.uniform(-2, 2), rng.uniform(-130, 130)])
    if kind in "ih":
        return kind, int(small)
    if kind in "fd":
        return kind, rng.choice([small, small, small, math.inf, math.nan])
    return kind, {"s": "go", "b": b"12345"}.get(kind)


def some_messages(rng, depth=0):
    """Random messages in a packet, and the packet."""
    if depth < 3 and rng.random() < 0.3:
        parts = [some_messages(rng, depth + 1) for _ in range(rng.randint(0, 3))]
        return [one for messages, _ in parts for one in messages], bundle(
            *(data for _, data in parts)
        )
    address = rng.choice([*ADDRESSES, *PATTERNS, NEVER])
    arguments = [an_argument(rng) for _ in range(rng.randint(0, 4))]
    if not arguments and rng.random() < 0.5:
        return [(address, [])], message(address, has_types=False)
    return [(address, arguments)], message(address, *arguments)


@pytest.mark.parametrize("seed", range(12))
def test_messages_become_controls(seed, tmp_path):
    rng = random.Random(seed)
    devices = {
        f"d{n}": [Control(rng, f"c{m}") for m in range(rng.randint(1, 8))]
        for n in range(rng.randint(1, 3))
    }
    rig = list(MARKED)
    for device, controls in devices.items():
        rig += [f"[osc.in.{device}.control]", *(control.line() for control in controls)]
    recording = Recording(tmp_path, "\n".join(rig) + "\n")
    expected = {}
    for n in range(400):
        messages, packet = some_messages(rng)
        if rng.random() < 0.05:
            # Its lengths are wrong: all of it is dropped.
            messages, packet = [], packet[: rng.randrange(1, len(packet)) // 4 * 4 + 2]
        recording.send(packet)
        for address, arguments in messages:
            for device, controls in devices.items():
                for control in controls:
                    if matches(address, control.address):
                        of = expected.setdefault((device, control.name), [])
                        of += control.says(arguments)
        if n % 50 == 0:
            recording.mark()
    said = said_by_device(recording.ended())
    said.pop(("mark", "mark"))
    assert said == {of: values for of, values in expected.items() if values}


class Tracker:
    """A table that tells of fingers."""

    def __init__(self):
        self.fingers, self.number, self.said = {}, None, {}

    def tell(self, control, value):
        of = self.said.setdefault(control, [])
        if not of or of[-1] != value:
            of.append(value)

    def frame(self, alive, places, number):
        if number != -1:
            if self.number is not None and 0 < self.number - number < 100:
                return
            self.number = number
        freed = set()
        if alive is not None:
            for finger in [finger for finger in self.fingers if finger not in alive]:
                contact = self.fingers.pop(finger)
                freed.add(contact)
                self.tell(f"contact-{contact}", 0)
        for finger, place in places:
            if alive is not None and finger not in alive:
                continue
            is_new = finger not in self.fingers
            if is_new:
                free = [n for n in range(1, CONTACTS + 1) if n not in self.fingers.values()]
                first = [n for n in free if n not in freed] + [n for n in free if n in freed]
                if not first:
                    continue
                self.fingers[finger] = first[0]
            contact = self.fingers[finger]
            for axis, share in zip("xy", place, strict=True):
                share = Fraction(struct.unpack(">f", struct.pack(">f", share))[0])
                self.tell(f"contact-{contact}-{axis}", millionths(max(Fraction(0), share)))
            if is_new:
                self.tell(f"contact-{contact}", 1)


@pytest.mark.parametrize("seed", range(8))
def test_fingers_of_a_table_become_contacts(seed, tmp_path):
    rng = random.Random(seed)
    rig = list(MARKED)
    recording = Recording(tmp_path, "\n".join(rig) + "\n")
    names = [None, *(f"table-{n}" for n in range(rng.randint(0, TRACKERS - 1)))]
    trackers = {name: Tracker() for name in names}
    here = {name: set() for name in names}
    counts = dict.fromkeys(names, 0)
    for n in range(400):
        name = rng.choice(names)
        fingers = here[name]
        for _ in range(rng.randint(0, 2)):
            if fingers and rng.random() < 0.45:
                fingers.discard(rng.choice(sorted(fingers)))
            elif len(fingers) < CONTACTS + 2:
                fingers.add(rng.randint(0, 60))
        counts[name] += rng.choice([1, 1, 1, 1, 0, -3, -99, 5])
        if rng.random() < 0.02:
            counts[name] = rng.choice([0, counts[name] - 500])
        number = -1 if rng.random() < 0.05 else counts[name]
        alive = sorted(fingers) if rng.random() < 0.9 else None
        told = [finger for finger in sorted(fingers) if rng.random() < 0.6]
        told += [rng.randint(0, 60)] if rng.random() < 0.1 else []
        rng.shuffle(told)
        places = [(finger, (rng.uniform(-0.1, 1.1), rng.uniform(-0.1, 1.1))) for finger in told]
        parts = [message("/tuio/2Dcur", ("s", "source"), ("s", name))] if name else []
        if alive is not None:
            parts.append(message("/tuio/2Dcur", ("s", "alive"), *(("i", one) for one in alive)))
        for finger, (x, y) in places:
            rest = [("f", 0.0)] * 3
            at = [("i", finger), ("f", x), ("f", y)]
            parts.append(message("/tuio/2Dcur", ("s", "set"), *at, *rest))
        parts.append(message("/tuio/2Dcur", ("s", "fseq"), ("i", number)))
        recording.send(bundle(*parts))
        trackers[name].frame(alive, places, number)
        if n % 50 == 0:
            recording.mark()
    lines = recording.ended()
    tables = {
        line["plug"]: line["identity"]
        for line in lines
        if "plug" in line and line["kind"] == "glass"
    }
    said = {}
    for line in lines:
        if line.get("on") in tables:
            of = said.setdefault(tables[line["on"]], {}).setdefault(line["c"], [])
            if not of or of[-1] != line["v"]:
                of.append(line["v"])
    mine = {f"fingers-{name or ''}": of.said for name, of in trackers.items() if of.said}
    assert {name.split("/")[1]: of for name, of in said.items()} == mine


def tagged(instant, *parts):
    """A bundle that takes effect at an instant of the time of day, in nanoseconds."""
    seconds, nanoseconds = divmod(instant, 10**9)
    tag = (seconds + 2_208_988_800) << 32 | (nanoseconds << 32) // 10**9
    lengths = [struct.pack(">i", len(part)) + part for part in parts]
    return text("#bundle") + struct.pack(">Q", tag) + b"".join(lengths)


@pytest.mark.parametrize("seed", range(4))
def test_a_bundle_takes_effect_at_its_time(seed, tmp_path):
    rng = random.Random(seed)
    rig = list(MARKED)
    rig += [
        "[osc.in.desk.control]",
        *(f'c{n} = {{ address = "/c/{n}", as = "pulse" }}' for n in range(60)),
    ]
    recording = Recording(tmp_path, "\n".join(rig) + "\n")
    due, past = {}, set()
    for n in range(60):
        now, one = time.time_ns(), message(f"/c/{n}")
        what = rng.choice(["ahead", "ahead", "past", "inside", "too-late", "too-soon", "at-once"])
        ahead = rng.randint(0, 300) * 10**6
        if what == "ahead":
            due[n] = now + ahead
            packet = tagged(now + ahead, one)
        elif what == "past":
            due[n] = now - rng.randint(0, 900) * 10**6
            past.add(n)
            packet = tagged(due[n], one)
        elif what == "inside":
            # No earlier than the outer one.
            inner = now + ahead + rng.randint(-100, 100) * 10**6
            due[n] = max(inner, now + ahead)
            packet = tagged(now + ahead, tagged(inner, one))
        else:
            due[n] = now
            tag = {"too-late": now - 2 * 10**9, "too-soon": now + 20 * 10**9}.get(what)
            packet = tagged(tag, one) if tag else bundle(one)
        recording.send(packet)
        if rng.random() < 0.2:
            recording.mark()
    time.sleep(max(0, (max(due.values()) - time.time_ns()) / 10**9))
    lines = recording.ended()
    desk = next(line["plug"] for line in lines if line.get("name") == "desk")
    presses = [line for line in lines if line.get("on") == desk and line["v"]]
    came = {line["c"]: line["t"] for line in presses}
    assert sorted(came) == sorted(f"c{n}" for n in due)
    # How far the clock of the session is from the time of day, by the one that differs least.
    # Only what counts from before it came can be behind something that was told already.
    behind = {line["c"] for line in presses if "disordered" in line.get("mark", "")}
    assert behind <= {f"c{n}" for n in past}
    late = {line["c"] for line in presses if "late" in line.get("mark", "")}
    on_time = [n for n in due if f"c{n}" not in late]
    zero = sorted(due[n] - came[f"c{n}"] for n in on_time)[len(on_time) // 2]
    after = {n: came[f"c{n}"] - (due[n] - zero) for n in due}
    assert max(abs(after[n]) for n in on_time) < 20 * 10**6, after
    # What is late counts from just after the last tick that ran without it.
    assert all(0 <= after[n] < 1100 * 10**6 for n in due if n not in on_time), after
