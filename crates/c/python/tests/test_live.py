"""The lines of a sender, rebuilt from docs/live-format.md: random senders that come several times by
one name, with lines that are bad, missing, or cut anywhere, with labels and the frames of a game, and
what of them is in the take."""

import contextlib
import json
import random
import signal
import socket
import subprocess
import time
from pathlib import Path

import pytest
from workbench import GTRIG, connected, send

BOOT = Path("/proc/sys/kernel/random/boot_id").read_text().strip()
MARKS = ["repeat", "inferred", "cancelled", "carried", "resynced"]
DEVICES = {
    "p": [
        {"code": "south", "kind": "button"},
        {"code": "east", "kind": "button"},
        {"code": "stick-l-x", "kind": "axis", "min": -100, "centre": 0, "max": 100},
    ],
    "k": [{"code": "KeyA", "kind": "button"}, {"code": "KeyB", "kind": "button"}],
    "w": [
        {"code": "wheel", "kind": "relative"},
        {"code": "dial", "kind": "trigger", "min": 0, "max": 9},
    ],
}
NAMES = ["HornDown", "SlewX", "hoist", "lamp on", "größe"]
LATE = {"late", "disordered"}
# From before anything was recorded.
AGES = 10**11
WORDS = ["unplug", "deaf", "heard"]
KINDS = {"p": "pad", "k": "keys", "w": "other"}


class Sender:
    """One that comes several times: what it says, and what is to be in the take."""

    def __init__(self, rng):
        self.rng, self.heard, self.faults, self.time = rng, [], 0, 0
        self.labels, self.frames, self.frame, self.told = [], [], 0, ({}, {})

    def now(self):
        """The time of the next line, which may be that of the line before."""
        if self.rng.random() < 0.7:
            self.time = time.monotonic_ns()
        return self.time

    def numbered(self, line):
        """A good line, with a number or without, behind lines that were lost or not."""
        if self.number is None:
            return line
        if self.rng.random() < 0.1:
            self.number += self.rng.randint(1, 9)
            self.doubtful = set(self.plugged)
        self.number += 1
        return line | {"n": self.number}

    def comes(self):
        self.plugged, self.doubtful, self.deaf, self.known = set(), set(), set(), []
        self.number = self.rng.choice([None, 0, 10**6])
        self.time = time.monotonic_ns() - self.rng.choice([0, 0, 0, AGES])

    def line(self):
        """The next line, as text."""
        rng = self.rng
        what = rng.random()
        if what < 0.1:
            self.faults += 1
            line = self.bad()
            if line.startswith('{"') and rng.random() < 0.5:
                return json.dumps(self.numbered(json.loads(line)))
            if self.number is not None:
                # Its number is not known: it had the next one.
                self.number += 1
            return line
        if what < 0.13:
            label = f"seen {rng.randint(0, 10**6)}"
            at = self.now() - rng.choice([0, 10**6, AGES])
            self.labels.append((at, label))
            return json.dumps(self.numbered({"t": at, "label": label}))
        if what < 0.25:
            return json.dumps(self.numbered(self.of_a_game()))
        device = rng.choice(list(DEVICES))
        if device not in self.plugged:
            at = self.now()
            line = {"t": at, "plug": device, "kind": KINDS[device], "controls": DEVICES[device]}
            # What was lost before a device is there says nothing of it.
            line = self.numbered(line)
            self.plugged.add(device)
            self.known += [device] if device not in self.known else []
            self.heard.append(("plug", device, at))
            return json.dumps(line)
        if what < 0.29:
            at = self.now()
            line = self.numbered({"t": at, "unplug": device})
            self.plugged.discard(device)
            self.doubtful.discard(device)
            self.deaf.discard(device)
            self.heard.append(("unplug", device, at))
            return json.dumps(line)
        if what < 0.32:
            word = "heard" if device in self.deaf else "deaf"
            at = self.now()
            line = self.numbered({"t": at, word: device})
            self.deaf ^= {device}
            self.heard.append((word, device, at))
            return json.dumps(line)
        control = rng.choice(DEVICES[device])["code"]
        value, at = rng.randint(-120, 120), self.now()
        marks = set(rng.sample(MARKS, rng.choice([0, 0, 0, 1, 2])))
        line = {"t": at, "on": device, "c": control, "v": value}
        if marks:
            line["mark"] = "+".join(sorted(marks))
        line = self.numbered(line)
        if device in self.doubtful:
            self.doubtful.discard(device)
            marks |= {"resynced"}
        self.heard.append((device, control, value, frozenset(marks), at))
        keys = list(line.items())
        if rng.random() < 0.3:
            rng.shuffle(keys)
        return json.dumps(dict(keys), separators=rng.choice([(",", ":"), (", ", ": ")]))

    def of_a_game(self):
        """A frame: everything, or what changed since the frame before, unless frames are missing."""
        rng, at = self.rng, self.now()
        last, (read, gives) = self.frame, self.told
        self.frame = rng.choice([last + 1] * 6 + [last + 3, last, 0, 7])
        polled = sorted(at - rng.choice([0, 0, 10**6, 2 * 10**6, AGES]) for _ in range(2))
        line = {"t": at, "frame": self.frame, "polled": rng.choice([polled, polled[0], at])}
        if rng.random() < 0.2:
            del line["polled"]
        if rng.random() < 0.5:
            line["steps"] = rng.choice([0, 1, 3, 65_535])
        if self.frame != last + 1 or not self.frames:
            read, gives = {}, {}
        new_read = {
            (device, control["code"]): [rng.randint(-120, 120) for _ in range(2)]
            for device in sorted(self.plugged)
            for control in DEVICES[device]
            if control["kind"] != "relative" and rng.random() < 0.4
        }
        new_gives = {
            name: rng.choice([0, 1, -0.5, 0.125, 1e-7, 3e9]) for name in NAMES if rng.random() < 0.4
        }
        line["read"] = {}
        for (device, control), values in new_read.items():
            if rng.random() < 0.5:
                values[0] = values[1]
            said = values if values[0] != values[1] or rng.random() < 0.5 else values[0]
            line["read"].setdefault(device, {})[control] = said
        if rng.random() < 0.2:
            line["read"]["nobody"] = {"south": 1}
        line["gives"] = new_gives
        before = {key: [values[1]] * 2 for key, values in read.items()}
        self.told = (before | new_read, gives | new_gives)
        said = line.get("polled", at)
        first, last = said if isinstance(said, list) else (said, said)
        self.frames.append((at, first, last, self.frame, line.get("steps"), *self.told))
        keys = list(line.items())
        if rng.random() < 0.3:
            rng.shuffle(keys)
        return dict(keys)

    def bad(self):
        """A line that cannot be used."""
        here = self.rng.choice(sorted(self.plugged) or ["p"])
        at = self.now()
        lines = [
            "nonsense",
            "x" * 300_000,
            "{",
            "[]",
            json.dumps({"t": at, "on": "nobody", "c": "south", "v": 1}),
            json.dumps({"t": at, "on": here, "c": "no-such", "v": 1}),
            json.dumps({"t": at, "on": here, "c": DEVICES[here][0]["code"], "v": 1.5}),
            json.dumps({"t": at, "on": here, "c": DEVICES[here][0]["code"], "v": 1, "more": 1}),
            json.dumps({"t": at, "on": here, "c": DEVICES[here][0]["code"], "v": 1, "mark": "odd"}),
            json.dumps({"t": at, "on": here, "c": DEVICES[here][0]["code"], "v": 2**31}),
            json.dumps({"t": 2**62, "on": here, "c": DEVICES[here][0]["code"], "v": 1}),
            json.dumps({"t": at, "unplug": "nobody"}),
            json.dumps({"t": at, "label": ""}),
            json.dumps({"t": at, "frame": 1, "polled": at + 1}),
            json.dumps({"t": at, "frame": 1, "polled": [at, at - 1]}),
            json.dumps({"t": at, "frame": 1, "steps": 65_536}),
            json.dumps({"t": at, "frame": -1}),
            json.dumps({"t": at, "frame": 1, "gives": {"SlewX": "1"}}),
            json.dumps({"t": at, "frame": 1, "read": {here: {DEVICES[here][0]["code"]: 0.5}}}),
            json.dumps({"live": 1, "name": "another"}),
        ]
        if self.plugged:
            lines.append(
                json.dumps({"t": at, "plug": here, "kind": "pad", "controls": DEVICES[here]})
            )
        return self.rng.choice(lines)

    def goes(self):
        gone = [device for device in self.known if device in self.plugged]
        self.heard += [("unplug", device, None) for device in gone]


def in_take(path):
    """What a take has of the devices, as the sender keeps it; values that were late have no time."""
    ids, heard = {}, []
    for line in map(json.loads, path.read_text().splitlines()[1:]):
        if "plug" in line and line.get("identity", "").startswith("crane/"):
            ids[line["plug"]] = line["identity"].removeprefix("crane/")
            heard.append(("plug", ids[line["plug"]], line["t"]))
        elif word := next((word for word in WORDS if line.get(word) in ids), None):
            heard.append((word, ids[line[word]], line["t"]))
        elif line.get("on") in ids:
            marks = frozenset(line["mark"].split("+")) if "mark" in line else frozenset()
            at = None if "late" in marks else line["t"]
            heard.append((ids[line["on"]], line["c"], line["v"], marks - LATE, at))
    return heard


def frames_in_take(path):
    """The frames of the game as they were sent, each with all that is known in it."""
    ids, frames, number, read, gives = {}, [], None, {}, {}
    for line in map(json.loads, path.read_text().splitlines()[1:]):
        if "plug" in line:
            ids[line["plug"]] = line.get("identity", "").removeprefix("crane/")
        if "frame" not in line:
            continue
        assert line["game"] == "crane"
        if number is None or line["frame"] != number + 1:
            read, gives = {}, {}
        number = line["frame"]
        read = {key: [values[1]] * 2 for key, values in read.items()}
        for device, controls in line.get("read", {}).items():
            for control, value in controls.items():
                values = value if isinstance(value, list) else [value] * 2
                read = read | {(ids[device], control): values}
        gives = gives | line.get("gives", {})
        said = line.get("polled", line["t"])
        first, last = said if isinstance(said, list) else (said, said)
        frames.append((line["t"], first, last, number, line.get("steps"), read, gives))
    return frames


@pytest.mark.parametrize("seed", range(40))
def test_what_a_sender_says_is_in_the_take(seed, tmp_path):
    rng = random.Random(seed)
    take, place = tmp_path / "it.take.jsonl", tmp_path / "in"
    command = [GTRIG, "record", "--kernel", "none", "--listen", f"unix:{place}", take]
    process = subprocess.Popen(command, stderr=subprocess.PIPE)
    sender = Sender(rng)
    greeting = {"live": 1, "name": "crane", "clock": "monotonic", "boot": BOOT, "delay": 10**9}
    for _ in range(rng.randint(1, 3)):
        stream = connected(place, process)
        stream.settimeout(20)
        sender.comes()
        send(rng, stream, [greeting])
        before, told = sender.faults, stream.makefile()
        for _ in range(rng.randint(5, 30)):
            # With the hundredth bad line it would be closed.
            if sender.faults < 60:
                send(rng, stream, [sender.line() for _ in range(rng.choice([1, 1, 5, 60]))])
                time.sleep(rng.choice([0, 0.001, 0.03]))
        for _ in range(sender.faults - before):
            assert "error" in json.loads(told.readline())
        # It is closed at its end, perhaps before all that stands behind is sent.
        with contextlib.suppress(BrokenPipeError, ConnectionResetError):
            if rng.random() < 0.5:
                send(rng, stream, [{"ends": True}, {"on": "p", "c": "south", "v": 7}, "nonsense"])
            else:
                stream.shutdown(socket.SHUT_WR)
            assert told.read() == ""
        sender.goes()
        stream.close()
    time.sleep(0.1)
    process.send_signal(signal.SIGINT)
    _, complaints = process.communicate(timeout=20)

    heard = in_take(take)
    assert [event[:-1] for event in heard] == [event[:-1] for event in sender.heard], complaints
    # As it comes a sender may be heard later than it says: then a value is marked, and what
    # becomes of a device is told later.
    values, presences = [], []
    for event, said in zip(heard, sender.heard, strict=True):
        if event[-1] is not None and said[-1] is not None:
            (values if len(event) > 3 else presences).append((event[-1], said[-1]))
    zeros = {said - at for at, said in values if at > 0}
    assert len(zeros) == 1, zeros
    zero, frames = min(zeros), frames_in_take(take)
    # An instant before the recording is its beginning.
    assert all(said <= zero for at, said in values if at == 0)
    assert all(at >= said - zero for at, said in presences)

    assert [frame[3:] for frame in frames] == [frame[3:] for frame in sender.frames]
    times = [tuple(max(at - zero, 0) for at in frame[:3]) for frame in sender.frames]
    assert [frame[:3] for frame in frames] == times
    lines = map(json.loads, take.read_text().splitlines())
    labels = sorted((line["t"], line["label"]) for line in lines if "label" in line)
    assert labels == sorted((max(at - zero, 0), label) for at, label in sender.labels)


@pytest.mark.parametrize("ago", [0, AGES])
def test_a_frame_from_before_the_recording_keeps_what_it_read(ago, tmp_path):
    take, place = tmp_path / "it.take.jsonl", tmp_path / "in"
    command = [GTRIG, "record", "--kernel", "none", "--listen", f"unix:{place}", take]
    process = subprocess.Popen(command, stderr=subprocess.PIPE)
    with connected(place, process) as stream:
        now = time.monotonic_ns()
        plug = {"plug": "p", "kind": "pad", "controls": DEVICES["p"]}
        greeting = {"live": 1, "name": "crane", "clock": "monotonic", "boot": BOOT, "delay": 10**9}
        read = {"p": {"south": 1}}
        lines = [greeting, {"t": now - ago, **plug}, {"t": now - AGES, "frame": 1, "read": read}]
        send(random.Random(1), stream, lines)
        # It looks at what has come before its first tick, which waits for as long as the delay is.
        time.sleep(0.2)
        stream.shutdown(socket.SHUT_WR)
        assert stream.makefile().read() == ""
    process.send_signal(signal.SIGINT)
    process.communicate(timeout=20)
    [frame] = frames_in_take(take)
    assert frame[5] == {("p", "south"): [1, 1]}
