"""Takes of another hand: lines that go back in time, values before their device, labels anywhere,
and a line that is damage, written a second time from docs/take-format.md alone, and held against
the program over random lines."""

import json
import random
import subprocess

import pytest
from workbench import GTRIG, table

CONTROLS = {
    "pad": [
        {"code": "south", "kind": "button"},
        {"code": "stick-l-x", "kind": "axis", "min": -9, "centre": 0, "max": 9},
    ],
    "keys": [{"code": "KeyA", "kind": "button"}],
    "other": [{"code": "slew", "kind": "trigger", "min": 0, "max": 7}],
}
DAMAGE = [
    "{",
    "[]",
    "not json",
    '{"t":1}',
    '{"on":"a","c":"b","v":1}',
    '{"t":-1,"label":"x"}',
    '{"t":2592000000000001,"label":"x"}',
    '{"t":1,"label":"x","deaf":"a"}',
    '{"t":1,"label":"x","more":1}',
    '{"t":1.5,"label":"x"}',
    '{"t":1,"unplug":"nobody"}',
    '{"t":1,"plug":"new","kind":"wheel","controls":[]}',
    '{"t":1,"plug":"new","kind":"pad"}',
    '{"t":1,"label":5}',
    '{"t":1,"ends":false}',
    '{"t":1,"n":4,"label":"x"}',
]


class Device:
    def __init__(self, name, kind):
        self.name, self.kind = name, kind
        self.is_here = self.was_here = self.is_deaf = False
        self.waiting = []

    def plug(self, rng, time):
        line = {"t": time, "plug": self.name, "kind": self.kind, "controls": CONTROLS[self.kind]}
        return json.dumps(line, separators=rng.choice([(",", ":"), (", ", ": ")]))

    def value(self, rng, time):
        control = rng.choice(CONTROLS[self.kind])["code"]
        line = {"t": time, "on": self.name, "c": control, "v": rng.randint(-3, 9)}
        if rng.random() < 0.2:
            line["mark"] = rng.choice(["repeat", "inferred+resynced"])
        keys = list(line)
        if rng.random() < 0.2:
            rng.shuffle(keys)
        return json.dumps({key: line[key] for key in keys}, separators=(",", ":")), line


def a_take(rng):
    """Random lines, and what a reader makes of them: events, labels, and whether it is sound."""
    devices = [Device("a", "pad"), Device("b", "keys"), Device("c", "other")]
    nobody = Device("nobody", "other")
    lines, events, labels = ['{"take":1}'], [], []
    time = above = 0
    is_sound, has_ended = True, False

    def placed(told):
        """The instant of a line, and whether it goes back."""
        nonlocal above, is_sound
        goes_back = told < above
        above = max(above, told)
        is_sound &= not goes_back
        return above, {"late", "disordered"} if goes_back else set()

    for _ in range(rng.randint(0, 60)):
        time += rng.choice([0, 1, 10**6, 10**8])
        told = max(0, time - rng.choice([0, 0, 0, 0, 0, 1, 10**7]))
        what, device = rng.random(), rng.choice(devices)
        if what < 0.12 or has_ended:
            instant = rng.randint(0, 4) * 10**8
            text = rng.choice(["here", "there", ""])
            lines.append(json.dumps({"t": instant, "label": text}))
            if text:
                labels.append((instant, text))
            else:
                labels = [label for label in labels if label[0] != instant]
        elif what < 0.15:
            # Of a device that no line plugs in.
            lines.append(nobody.value(rng, told)[0])
            placed(told)
            is_sound = False
        elif what < 0.18:
            lines.append(f'{{"t":{told},"ends":true}}')
            placed(told)
            has_ended = True
        elif what < 0.3:
            instant, _ = placed(told)
            if not device.is_here:
                lines.append(device.plug(rng, told))
                device.is_here = device.was_here = True
                device.is_deaf = False
                for line, marks in device.waiting:
                    events.append((instant, device, line["c"], line["v"], marks | {"late"}))
                device.waiting = []
            elif rng.random() < 0.5:
                word = "heard" if device.is_deaf else "deaf"
                device.is_deaf = not device.is_deaf
                lines.append(f'{{"t":{told},"{word}":"{device.name}"}}')
            else:
                device.is_here = False
                lines.append(f'{{"t":{told},"unplug":"{device.name}"}}')
        elif device.is_here or not device.was_here:
            text, line = device.value(rng, told)
            lines.append(text)
            instant, back = placed(told)
            marks = set(line["mark"].split("+")) if "mark" in line else set()
            if device.is_here:
                events.append((instant, device, line["c"], line["v"], marks | back))
            else:
                device.waiting.append((line, marks | back))
                is_sound = False
    return lines, events, labels, is_sound


@pytest.mark.parametrize("seed", range(150))
def test_a_take_of_another_hand(seed, tmp_path):
    rng = random.Random(seed)
    lines, events, labels, is_sound = a_take(rng)
    if rng.random() < 0.4:
        # What follows is not read.
        lines += [rng.choice(DAMAGE), '{"t":9000000000,"label":"behind"}']
        is_sound = False
    take, folder = tmp_path / "it.take.jsonl", tmp_path / "tables"
    take.write_bytes(rng.choice(["\n", "\r\n"]).join([*lines, ""]).encode())
    command = [GTRIG, "convert", take, folder, "--as", "csv"]
    ran = subprocess.run(command, capture_output=True, text=True)
    said = [
        (int(of["time_ns"]), of["address"].split("/"), int(of["value"]), of["marks"])
        for of in table(folder, "events")
    ]
    told = [
        (time, device.rstrip("12"), control, value, set(filter(None, marks.split("+"))))
        for time, (device, control), value, marks in said
        if control != "presence"
    ]
    mine = [(time, of.kind, control, value, marks) for time, of, control, value, marks in events]
    assert told == mine, take.read_text()
    written = [(int(of["time_ns"]), of["text"]) for of in table(folder, "labels")]
    assert written == sorted(labels, key=lambda label: label[0]), take.read_text()
    assert ran.returncode == (0 if is_sound else 1), ran.stderr + take.read_text()
