"""Rules of input that were tuned on the Green Trigger workbench, run from Python.

Feed what devices report, run a frame, and ask actions::

    import green_trigger as gt

    game = gt.Input('''
        rig = 1
        [action.horn]
        gives = "on"
        from = "pad/south"
    ''')
    horn, step = game.action("horn"), game.reader()
    pad = game.plug("pad", [gt.Control("south")])
    game.feed(pad, 3_000_000, south=1)
    game.frame(16_000_000)
    assert horn.state().is_on and step.look()[horn].presses == 1

Times are integers, in nanoseconds of any clock that does not go back. An input and its
readers may be used by any thread, but by one at a time.
"""

from __future__ import annotations

import enum
import json
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from typing import Any, Dict, Iterable, Iterator, Mapping, NamedTuple, Optional, Sequence, Tuple, Union

from ._native import ffi, lib

__all__ = [
    "Action", "Control", "Device", "Driver", "Error", "Input", "News", "Reader", "State", "Take",
]


class Error(Exception):
    """What was refused, in words. ``kind`` says what it is about."""

    class Kind(enum.IntEnum):
        """What an error is about."""

        NULL = 1
        NOT_UTF8 = 2
        NO_RIG = 3
        NO_DEVICE = 4
        NOT_FOUND = 5
        OTHER_ACTIONS = 6
        OTHER_INPUT = 7
        BROKEN = 8

    def __init__(self, kind: "Error.Kind", words: str) -> None:
        super().__init__(words)
        self.kind = kind


def _must(status: int) -> None:
    if status != lib.GT_OK:
        words = ffi.string(lib.gt_error_text()).decode()
        raise Error(Error.Kind(status), words)


def _text(text: str) -> bytes:
    encoded = text.encode()
    if b"\0" in encoded:
        raise ValueError(f"{text!r} has a zero byte")
    return encoded


_DEVICES = {name: getattr(lib, f"GT_{name.upper()}") for name in ("pad", "lever", "keys", "mouse", "glass", "other")}
_CONTROLS = {name: getattr(lib, f"GT_{name.upper()}") for name in ("button", "axis", "trigger", "position", "relative")}


def _kind(kinds: Mapping[str, int], kind: str) -> int:
    if kind not in kinds:
        raise ValueError(f"{kind!r} is none of {', '.join(kinds)}")
    return kinds[kind]


@dataclass(frozen=True)
class Control:
    """A control of a device, by its standard name."""

    code: str
    kind: str = "button"
    min: int = 0
    centre: int = 0
    max: int = 0


class State(NamedTuple):
    """An action after a frame."""

    #: Whether it is on, or off its rest.
    is_on: bool
    #: 1 or 0, an axis from -1 to +1, the x of a plane, the angle of a polar one.
    value: float
    #: x and y of a plane or a place.
    vector: Tuple[float, float]
    #: The direction of a plane or a polar action, counter-clockwise from the right.
    degrees: float
    #: How far it is pushed.
    reach: float
    #: When it last turned on or off; 0 before it ever did. Of a pulse: when it last fired.
    since: int


class News(NamedTuple):
    """What happened to an action between two looks of a reader."""

    #: How often it turned on. Of a pulse: how often it fired.
    presses: int
    #: How often it turned off.
    releases: int
    #: How far it went: its values, each times the seconds of its frame.
    way: Tuple[float, float]


class Driver(NamedTuple):
    """What drives an action."""

    device: "Device"
    code: str


class Device:
    """A device of an input."""

    def __init__(self, handle: int, name: str, controls: Mapping[str, int]) -> None:
        self._handle = handle
        self._controls = controls
        #: As the game calls it.
        self.name = name

    def __repr__(self) -> str:
        return f"<Device {self.name}>"


class Action:
    """An action of a rig, found once by its name."""

    def __init__(self, of: "Input", handle: int, name: str) -> None:
        self._of = of
        self._handle = handle
        self.name = name

    def __repr__(self) -> str:
        return f"<Action {self.name}>"

    def state(self) -> State:
        """What it is after the last frame."""
        state = ffi.new("gt_state *")
        _must(lib.gt_read(self._of._input, self._handle, state))
        vector = (state.vector[0], state.vector[1])
        return State(state.is_on, state.value, vector, state.degrees, state.reach, state.since)

    def driver(self) -> Optional[Driver]:
        """What drives it; None at rest."""
        driver = ffi.new("gt_driver *")
        _must(lib.gt_driver_of(self._of._input, self._handle, driver))
        if not driver.is_driven:
            return None
        return Driver(self._of._devices[driver.device], ffi.string(driver.code).decode())


class Input:
    """The devices, the rig and the run of a game's input.

    ``rig`` is the text of a rig, or the bytes of a compiled one.
    """

    def __init__(self, rig: Union[str, bytes]) -> None:
        to = ffi.new("gt_input **")
        if isinstance(rig, str):
            text = rig.encode()
            _must(lib.gt_input_from_text(text, len(text), to))
        else:
            _must(lib.gt_input_from_compiled(rig, len(rig), to))
        self._input = ffi.gc(to[0], lib.gt_input_free)
        self._devices: Dict[int, Device] = {}

    def reload(self, rig: Union[str, bytes]) -> None:
        """Takes another rig: what is held goes on, and is no press. What has to be let go before
        it counts still has to. Toggles are off again; modes, gestures, combos and filters begin
        anew."""
        if isinstance(rig, str):
            text = rig.encode()
            _must(lib.gt_reload_text(self._input, text, len(text)))
        else:
            _must(lib.gt_reload_compiled(self._input, rig, len(rig)))

    def action(self, name: str) -> Action:
        """Finds an action by its name."""
        handle = ffi.new("gt_action *")
        _must(lib.gt_find_action(self._input, _text(name), handle))
        return Action(self, handle[0], name)

    def reader(self) -> "Reader":
        """A reader for a loop of the game: it sees what happens from now on."""
        return Reader(self)

    def plug(
        self,
        kind: str,
        controls: Sequence[Control],
        *,
        name: str = "device",
        identity: Optional[str] = None,
        slot: int = 0,
        time: int = 0,
    ) -> Device:
        """A device is there: a pad, a lever, keys, a mouse, a glass or another one."""
        codes = [ffi.new("char[]", _text(control.code)) for control in controls]
        listed = ffi.new("gt_control_info[]", len(controls))
        for to, code, control in zip(listed, codes, controls):
            to.code, to.kind = code, _kind(_CONTROLS, control.kind)
            to.min, to.centre, to.max = control.min, control.centre, control.max
        identity_text = ffi.new("char[]", _text(name if identity is None else identity))
        name_text = ffi.new("char[]", _text(name))
        info = ffi.new("gt_device_info *", {
            "identity": identity_text, "name": name_text, "kind": _kind(_DEVICES, kind),
            "slot": slot, "controls": listed, "control_count": len(controls),
        })
        handle = ffi.new("gt_device *")
        _must(lib.gt_plug(self._input, info, time, handle))
        found = {}
        for control in controls:
            number = ffi.new("gt_control *")
            _must(lib.gt_find_control(self._input, handle[0], _text(control.code), number))
            found[control.code] = number[0]
        device = Device(handle[0], name, found)
        self._devices[handle[0]] = device
        return device

    def unplug(self, device: Device, time: int) -> None:
        """A device went. What was held on it is released."""
        _must(lib.gt_unplug(self._input, device._handle, time))

    def hear(self, device: Device, is_heard: bool, time: int) -> None:
        """A device can be heard, or no longer: what was held on it is released."""
        presence = lib.GT_HERE if is_heard else lib.GT_DEAF
        _must(lib.gt_set_presence(self._input, device._handle, presence, time))

    def feed(self, device: Device, time: int, values: Optional[Mapping[str, int]] = None, **more: int) -> None:
        """Controls of a device took values at a time, by their names."""
        all_values = {**(values or {}), **more}
        missing = [code for code in all_values if code not in device._controls]
        if missing:
            raise KeyError(f"{device.name} has no {missing[0]!r}")
        told = ffi.new("gt_value[]", [(device._controls[code], value) for code, value in all_values.items()])
        _must(lib.gt_feed(self._input, time, told, len(all_values)))

    def frame(self, now: int) -> None:
        """Runs a frame: everything up to ``now`` has happened."""
        _must(lib.gt_frame(self._input, now))

    @property
    def main(self) -> Optional[Device]:
        """The main device, if any can be heard."""
        device = ffi.new("int32_t *")
        _must(lib.gt_main_device(self._input, device))
        return None if device[0] < 0 else self._devices[device[0]]

    def play(self, take: "Take", hz: float) -> Iterator[int]:
        """Feeds a take and runs frames at a rate, to the first that is not before its end; gives
        the instant of each after it ran."""
        devices: Dict[str, Device] = {}
        lines = iter(take.lines)
        line = next(lines, None)
        for n in count():
            now = int(n * 1e9 / hz)
            while line is not None and line["t"] <= now:
                self._take_in(devices, line)
                line = next(lines, None)
            self.frame(now)
            yield now
            if now >= take.ends:
                return

    def _take_in(self, devices: Dict[str, Device], line: Mapping[str, Any]) -> None:
        time = line["t"]
        if "on" in line:
            self.feed(devices[line["on"]], time, {line["c"]: line["v"]})
        elif "plug" in line:
            keys = ("code", "kind", "min", "centre", "max")
            controls = [Control(**{k: c[k] for k in keys if k in c}) for c in line["controls"]]
            name = line["plug"]
            kind = line["kind"] if line["kind"] in _DEVICES else "other"
            devices[name] = self.plug(
                kind, controls, name=name, identity=line.get("identity"), slot=line.get("slot", 0), time=time,
            )
        elif "unplug" in line:
            self.unplug(devices.pop(line["unplug"]), time)
        elif "deaf" in line or "heard" in line:
            self.hear(devices[line.get("deaf") or line["heard"]], "heard" in line, time)


class Reader:
    """What one loop of a game has seen: every press is told to each reader once."""

    def __init__(self, of: Input) -> None:
        to = ffi.new("gt_reader **")
        _must(lib.gt_reader_new(of._input, to))
        self._of = of
        self._reader = ffi.gc(to[0], lib.gt_reader_free)

    def look(self) -> "Reader":
        """What happened since it looked last; ask it with ``[action]``."""
        _must(lib.gt_look(self._reader, self._of._input))
        return self

    def __getitem__(self, action: Action) -> News:
        news = ffi.new("gt_news *")
        _must(lib.gt_news_of(self._reader, action._handle, news))
        return News(news.presses, news.releases, (news.way[0], news.way[1]))


class Take:
    """A recording of the workbench (docs/take-format.md), to play into an input.

    What is marked, such as repeats of a held key, is played as it is; frames of games and
    labels are left out.
    """

    def __init__(self, lines: Iterable[str]) -> None:
        read = [json.loads(line) for line in lines if line.strip()]
        if not read or read[0].get("take") != 1:
            raise ValueError("no take: the first line is not {\"take\":1,…}")
        #: What the take is about.
        self.title: Optional[str] = read[0].get("title")
        self.lines = [line for line in read[1:] if line.keys() & {"on", "plug", "unplug", "deaf", "heard"}]
        #: When its last line is.
        self.ends: int = max((line["t"] for line in read[1:]), default=0)

    @classmethod
    def open(cls, path: Union[str, Path]) -> "Take":
        """Reads a take from a file."""
        with Path(path).open(encoding="utf-8") as lines:
            return cls(lines)
