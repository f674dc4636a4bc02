"""Sends what a program reads from its devices to Green Trigger, while it happens.

One file, no dependency but the standard library (Python 3.8 or later). Nothing waits: what
cannot be sent at once is counted, and said by the numbers of the lines; then the state of
all controls is said again.

    sender = Sender("crane-tool", "/tmp/gtrig.sock")          # or ("127.0.0.1", 4710)
    pad = sender.plug("pad1", "pad", [button("south"), axis("stick-l-x", -100, 0, 100)])
    pad.value("south", 1)
    sender.frame()            # once a frame: sends, and connects again when it is time
"""

import json
import socket
import time

MOST_BYTES = 1 << 18
RETRY_S = 0.5


def button(code):
    return {"code": code, "kind": "button"}


def axis(code, least, centre, most):
    return {"code": code, "kind": "axis", "min": least, "centre": centre, "max": most}


def trigger(code, least, most):
    return {"code": code, "kind": "trigger", "min": least, "max": most}


def _boot():
    try:
        with open("/proc/sys/kernel/random/boot_id", encoding="ascii") as file:
            return file.read().strip()
    except OSError:
        return ""


class Device:
    """A device; its values are sent when they change."""

    def __init__(self, sender, name, kind, controls):
        self.sender, self.name, self.kind, self.controls = sender, name, kind, controls
        rest = {"axis": "centre", "trigger": "min", "position": "min"}
        self.values = {c["code"]: c.get(rest.get(c["kind"]), 0) for c in controls}

    def value(self, code, value, at_ns=None):
        value = int(value)
        if self.values[code] != value:
            self.values[code] = value
            self.sender.line(t=at_ns or time.monotonic_ns(), on=self.name, c=code, v=value)

    def plug(self):
        self.sender.line(
            plug=self.name, kind=self.kind, controls=self.controls, t=time.monotonic_ns()
        )

    def state(self, mark):
        for code, value in self.values.items():
            self.sender.line(t=time.monotonic_ns(), on=self.name, c=code, v=value, mark=mark)


class Sender:
    """A connection that comes again by itself. `lost` counts lines that were not sent."""

    def __init__(self, name, place, token=None):
        self.name, self.place, self.token = name, place, token
        self.devices, self.lost = [], 0
        self._socket, self._waiting, self._number = None, bytearray(), 0
        self._is_behind, self._retry_at = False, 0.0
        self._connect()

    def plug(self, name, kind, controls):
        device = Device(self, name, kind, controls)
        self.devices.append(device)
        if self._socket:
            device.plug()
        return device

    def label(self, text):
        self.line(label=text, t=time.monotonic_ns())

    def line(self, **keys):
        self._number += 1
        text = json.dumps({**keys, "n": self._number}, separators=(",", ":")).encode() + b"\n"
        if self._socket is None or len(self._waiting) + len(text) > MOST_BYTES:
            self.lost += 1
            self._is_behind = True
        else:
            self._waiting += text

    def frame(self):
        if self._socket is None:
            self._connect()
        if self._socket is None:
            return
        if self._is_behind and len(self._waiting) < MOST_BYTES // 2:
            self._is_behind = False
            for device in self.devices:
                device.state("resynced")
        try:
            if self._waiting:
                del self._waiting[: self._socket.send(self._waiting)]
        except BlockingIOError:
            pass
        except OSError:
            self.close()

    def close(self):
        if self._socket:
            self._socket.close()
        self._socket = None
        self._waiting.clear()

    def _connect(self):
        if time.monotonic() < self._retry_at:
            return
        self._retry_at = time.monotonic() + RETRY_S
        is_unix = isinstance(self.place, str)
        attempt = socket.socket(socket.AF_UNIX if is_unix else socket.AF_INET)
        attempt.settimeout(0 if is_unix else 0.05)
        try:
            attempt.connect(self.place)
        except OSError:
            attempt.close()
            return
        attempt.setblocking(False)
        self._socket, self._number, self._is_behind = attempt, 0, False
        boot = _boot()
        greeting = {"live": 1, "name": self.name, "delay": 20_000_000}
        greeting.update({"clock": "monotonic", "boot": boot} if boot else {"clock": "own"})
        if self.token:
            greeting["token"] = self.token
        self._waiting = bytearray(json.dumps(greeting).encode() + b"\n")
        for device in self.devices:
            device.plug()
            device.state("carried")
