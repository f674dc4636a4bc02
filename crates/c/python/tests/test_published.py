"""What is published while it happens, held against what a replay of the recorded take says: one
core, live and afterwards. Random hands speak through a real socket, at once or with times of their
own clock, in pieces of any length."""

import json
import random
import signal
import socket
import struct
import subprocess
import threading
import time

import pytest
from workbench import GTRIG, connected, send

PAD = [
    "south",
    "east",
    "west",
    "north",
    "shoulder-l",
    "shoulder-r",
    "trigger-l",
    "thumb-l",
    "start",
]
STICKS = ["stick-l-x", "stick-l-y", "stick-r-x", "stick-r-y"]
KEYS = ["KeyW", "KeyA", "Space", "Escape", "ArrowUp"]
WIDTH, HEIGHT, CONTACTS = 2560, 1600, 3


def plugs():
    """The lines that plug in a pad, keys and a panel."""
    buttons = [{"code": name, "kind": "button"} for name in PAD]
    sticks = [
        {"code": name, "kind": "axis", "min": -1000, "centre": 0, "max": 1000} for name in STICKS
    ]
    yield {"plug": "p", "kind": "pad", "controls": buttons + sticks}
    yield {
        "plug": "k",
        "kind": "keys",
        "controls": [{"code": name, "kind": "button"} for name in KEYS],
    }
    fingers = []
    for n in range(1, CONTACTS + 1):
        fingers.append({"code": f"contact-{n}", "kind": "button"})
        for axis, end in zip("xy", (WIDTH, HEIGHT), strict=True):
            place = {"kind": "position", "min": 0, "max": end, "resolution": 10}
            fingers.append({"code": f"contact-{n}-{axis}", **place})
    yield {"plug": "g", "kind": "glass", "controls": fingers}


class Hands:
    """Random hands on them."""

    def __init__(self, rng):
        self.rng, self.down, self.places, self.away = rng, {}, {}, set()

    def moves(self):
        """What they do next, as lines."""
        rng = self.rng
        what = rng.random()
        if what < 0.03:
            device = rng.choice("pk")
            word = "heard" if device in self.away else "deaf"
            self.away ^= {device}
            return [{word: device}]
        if what < 0.05:
            return [{"label": "here"}]
        if what < 0.4:
            device, name = rng.choice(
                [*(("p", name) for name in PAD), *(("k", name) for name in KEYS)]
            )
            self.down[device, name] = 1 - self.down.get((device, name), 0)
            values = [self.down[device, name]] if rng.random() < 0.8 else [1, 0]
            self.down[device, name] = values[-1]
            return [{"on": device, "c": name, "v": value} for value in values]
        if what < 0.6:
            far = rng.choice([0, 200, 600, 1000])
            return [
                {"on": "p", "c": name, "v": rng.randint(-far, far)}
                for name in rng.sample(STICKS, 2)
            ]
        n = rng.randint(1, CONTACTS)
        if n not in self.places:
            self.places[n] = [rng.randint(0, WIDTH), rng.randint(0, HEIGHT)]
            return [*self.place(n), {"on": "g", "c": f"contact-{n}", "v": 1}]
        if rng.random() < 0.4:
            del self.places[n]
            return [{"on": "g", "c": f"contact-{n}", "v": 0}]
        far = rng.choice([10, 300])
        self.places[n] = [max(0, at + rng.randint(-far, far)) for at in self.places[n]]
        return self.place(n)

    def place(self, n):
        axes = zip("xy", self.places[n], strict=True)
        return [{"on": "g", "c": f"contact-{n}-{axis}", "v": value} for axis, value in axes]


class Heard:
    """What comes to a port of UDP: for each address the arguments of its messages."""

    def __init__(self):
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("127.0.0.1", 0))
        self.socket.settimeout(0.05)
        self.port, self.said, self.is_over = self.socket.getsockname()[1], {}, False
        self.thread = threading.Thread(target=self.listen)
        self.thread.start()

    def listen(self):
        while True:
            try:
                packet = self.socket.recv(65536)
            except TimeoutError:
                if self.is_over:
                    return self.socket.close()
                continue
            for part in parts_of(packet):
                address, rest = text_of(part)
                kinds, rest = text_of(rest)
                arguments = []
                for kind in kinds[1:]:
                    length = {"i": 4, "f": 4, "h": 8}.get(kind)
                    if kind == "s":
                        value, rest = text_of(rest)
                    else:
                        value = struct.unpack(">" + {"h": "q"}.get(kind, kind), rest[:length])[0]
                        rest = rest[length:]
                    arguments.append(value)
                self.said.setdefault(address, []).append(tuple(arguments))

    def all(self):
        """All that came."""
        self.is_over = True
        self.thread.join()
        return self.said


def parts_of(packet):
    """The messages of a bundle."""
    assert packet[:8] == b"#bundle\0" and packet[8:16] == (1).to_bytes(8, "big")
    rest = packet[16:]
    while rest:
        length = int.from_bytes(rest[:4], "big")
        yield rest[4 : 4 + length]
        rest = rest[4 + length :]


def text_of(data):
    """A text and what stands behind it."""
    end = data.index(0)
    return data[:end].decode(), data[end // 4 * 4 + 4 :]


def changes(values):
    """Values without those that are as the one before."""
    values = list(values)
    return [value for n, value in enumerate(values) if n == 0 or value != values[n - 1]]


def as_sent(value):
    """The value of an action as it is sent: 1 or 0, or numbers of 32 bits."""
    if isinstance(value, bool):
        return (int(value),)
    numbers = value if isinstance(value, list) else [value]
    return tuple(struct.unpack("f", struct.pack("f", number))[0] for number in numbers)


def said_of(command, take):
    """What a command says of a take, with the shipped rig."""
    ran = subprocess.run([GTRIG, command, "--json", take], capture_output=True, text=True)
    return [json.loads(line) for line in ran.stdout.splitlines()]


@pytest.mark.parametrize("seed", range(6))
def test_what_is_published_is_what_a_replay_says(seed, tmp_path):
    rng = random.Random(seed)
    take, lines_in, lines_out = (tmp_path / name for name in ["it.take.jsonl", "in", "out"])
    heard = Heard()
    places = ["--listen", f"unix:{lines_in}", "--publish", f"unix:{lines_out}"]
    places += ["--publish", f"osc:{heard.port}"]
    command = [GTRIG, "record", "--kernel", "none", *places, take]
    process = subprocess.Popen(command, stderr=subprocess.PIPE)
    published = connected(lines_out, process).makefile()
    _, first = json.loads(published.readline()), json.loads(published.readline())
    sender = connected(lines_in, process)
    has_times = seed % 2 == 1

    def stamped(line):
        return line | {"t": time.monotonic_ns() - 10**9} if has_times else line

    send(rng, sender, [{"live": 1, "name": "hands"}, *map(stamped, plugs())])
    hands, until = Hands(rng), time.monotonic() + 2.5
    while time.monotonic() < until:
        moves = [move for _ in range(rng.randint(1, 3)) for move in hands.moves()]
        send(rng, sender, map(stamped, moves))
        time.sleep(rng.choice([0, 0.001, 0.02, 0.1]))
    send(rng, sender, [stamped({"label": "end"}), {"ends": True}])
    until = time.monotonic() + 20
    while '"label":"end"' not in take.read_text():
        assert time.monotonic() < until and process.poll() is None
        time.sleep(0.01)
    process.send_signal(signal.SIGINT)
    _, complaints = process.communicate(timeout=20)

    told = [json.loads(line) for line in published]
    ticks = [line for line in told if "line" not in line]
    verdicts = [line for line in told if line.get("line") == "verdict"]
    replay = [line for line in said_of("replay", take) if line.get("tick", 0) > first["tick"]]
    assert ticks == replay[: len(ticks)], complaints
    assert len(ticks) > 20 and len(replay) - len(ticks) < 3
    mine = [line for line in said_of("gestures", take) if line["line"] == "verdict"]
    assert verdicts == mine[: len(verdicts)] and len(mine) - len(verdicts) < 30

    sent, actions = heard.all(), {}
    for line in [first, *ticks]:
        for action in line.get("actions", []):
            actions.setdefault(action["action"], []).append(as_sent(action["value"]))
    for name, values in actions.items():
        assert changes(sent[f"/gtrig/action/{name}"]) == changes(values), name
    outcomes = {}
    for verdict in verdicts:
        outcomes.setdefault(verdict["gesture"], []).append((verdict["outcome"],))
    told = {name: said for name, said in sent.items() if name.startswith("/gtrig/gesture/")}
    assert told == {f"/gtrig/gesture/{name}": said for name, said in outcomes.items()}
    numbers = [tick for tick, _ in sent["/gtrig/tick"]]
    acted = [line["tick"] for line in ticks if line.get("actions")]
    assert numbers == sorted(numbers) and set(acted) <= set(numbers)
