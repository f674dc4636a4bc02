"""Events of another program as a take, and the tables of that take, written a second time from
docs/tables.md alone, and held against the program over random events."""

import csv
import random
import subprocess

import pytest
from workbench import GTRIG, table

ENDS = [1, 127, 255, 1023, 32767, 65535]
MOST = 2**31 - 1
NAMES = {
    "pad": ["south", "east", "trigger-l", "stick-l-x", "stick-r-y", "dpad-up"],
    "lever": ["travel", "thumb", "detent"],
    "keys": ["KeyA", "Space"],
    "mouse": ["left", "x", "wheel-y", "wheel-x"],
    "glass": ["contact-1", "contact-1-x", "contact-1-y", "contact-2-x"],
    "other": ["lamp", "slew", "a.b", "Quay-7"],
    "system": ["power"],
}
UNITS = {"time_ns": 1, "time_us": 10**3, "time_ms": 10**6, "time_s": 10**9}


def some_devices(rng):
    """Kinds and numbers of devices: pads and levers share four slots, others are counted."""
    slots = rng.sample(range(1, 5), rng.randint(0, 4))
    devices = [(rng.choice(["pad", "lever"]), slot) for slot in slots]
    for kind in ["keys", "mouse", "glass", "other", "system"]:
        devices += [(kind, n) for n in range(1, rng.choice([0, 0, 1, 2, 3]) + 1)]
    return devices or [("other", 1)]


def some_values(rng, name):
    """Values of a control, as text."""
    what = rng.choice(["on-off", "whole", "whole", "share", "far"])
    is_signed = rng.random() < 0.4 and not name.startswith("contact-")
    far = rng.choice([2, 100, 127, 128, 1000, 32768, 70000, MOST])
    for _ in range(rng.randint(1, 8)):
        sign = -1 if is_signed and rng.random() < 0.5 else 1
        if what == "on-off":
            yield rng.choice(["0", "1", "1.0"])
        elif what == "whole":
            yield str(sign * rng.randint(0, far))
        elif what == "share":
            yield repr(sign * rng.random())
        else:
            yield f"{sign * rng.uniform(0, far):.{rng.randint(1, 9)}f}"


def made_of(name, values):
    """What a control is, and by what its values are multiplied."""
    is_whole = all(value == int(value) for value in values)
    furthest = max(map(abs, values))
    units = [10**n for n in range(6, 0, -1)]
    unit = 1 if is_whole else next((unit for unit in units if furthest * unit <= MOST), 1)
    known = ENDS if is_whole else ENDS[:1]
    end = rounded(next((end for end in known if furthest <= end), furthest) * unit)
    if name.startswith("wheel-"):
        return unit, ("relative", "", "", "")
    if name.startswith("contact-") and name[-1] in "xy":
        return unit, ("position", "0", "", str(end))
    if name.startswith("stick-") or min(values) < 0:
        return unit, ("axis", str(-end), "0", str(end))
    if is_whole and furthest <= 1:
        return unit, ("button", "", "", "")
    return unit, ("trigger", "0", "", str(end))


def rounded(value):
    """To the nearest whole number, a half away from 0."""
    return int(value + 0.5) if value >= 0 else -int(-value + 0.5)


def share_of(kind, value, low, centre, high):
    """A value on the scale of its control, in numbers of 32 bits."""
    if kind == "button":
        return float(value != 0)
    ends = [int(end) if end else None for end in (low, centre, high)]
    if kind == "axis":
        share = (value - ends[1]) / (ends[2] - ends[1] if value >= ends[1] else ends[1] - ends[0])
        return max(-1.0, min(1.0, share))
    return max(0.0, min(1.0, (value - ends[0]) / (ends[2] - ends[0])))


@pytest.mark.parametrize("seed", range(100))
def test_events_of_another_program_become_a_take_and_tables(seed, tmp_path):
    rng = random.Random(seed)
    column, unit = rng.choice(list(UNITS.items()))
    rows = []
    for kind, number in some_devices(rng):
        bare = number == 1 and kind not in ("pad", "lever")
        written = [f"{kind}{number}", kind] if number == 1 else [f"{kind}{number}"]
        for name in rng.sample(NAMES[kind], rng.randint(1, len(NAMES[kind]))):
            address = f"{kind if bare else f'{kind}{number}'}/{name}"
            for value in some_values(rng, name):
                at = rng.choice([rng.randint(0, 3 * 10**9), rng.randint(0, 30) * 10**8])
                at = at // 1000 * 1000 if unit > 1 else at
                whole, part = divmod(at, unit)
                digits = len(str(unit)) - 1
                time = f"{whole}.{part:0{digits}d}" if digits else str(whole)
                marks = rng.choice(["", "", "repeat", "resynced+inferred"])
                rows.append((at, address, f"{rng.choice(written)}/{name}", time, value, marks))
    rng.shuffle(rows)
    # At one instant a control says what stands first, first.
    cells = rng.sample([column, "address", "value", "marks", "frame"], 5)
    foreign, take, folder = tmp_path / "log.csv", tmp_path / "it.take.jsonl", tmp_path / "tables"
    with foreign.open("w", newline="") as file:
        out = csv.writer(file)
        out.writerow(cells)
        for n, (_, _, address, time, value, marks) in enumerate(rows):
            of = {column: time, "address": address, "value": value, "marks": marks, "frame": n}
            out.writerow([of[cell] for cell in cells])
    hz = rng.choice([30, 60, 144, 1000])
    for command in [[foreign, take], [take, folder, "--as", "csv", "--hz", str(hz)]]:
        ran = subprocess.run([GTRIG, "convert", *command], capture_output=True, text=True)
        assert ran.returncode == 0, ran.stderr

    values = {}
    for _, address, _, _, value, _ in rows:
        values.setdefault(address, []).append(float(value))
    made = {address: made_of(address.split("/")[1], of) for address, of in values.items()}
    controls = {of["address"]: of for of in table(folder, "controls") if of["kind"] != "presence"}
    keys = ["kind", "min", "centre", "max"]
    described = {address: tuple(of[key] for key in keys) for address, of in controls.items()}
    assert described == {address: kind for address, (_, kind) in made.items()}

    mine = []
    for at, address, _, _, value, marks in sorted(rows, key=lambda row: row[0]):
        unit, _ = made[address]
        mine.append((at, address, rounded(float(value) * unit), set(marks.split("+"))))
    events = [of for of in table(folder, "events") if not of["address"].endswith("/presence")]
    told = [
        (int(of["time_ns"]), of["address"], int(of["value"]), set(of["marks"].split("+")))
        for of in events
    ]
    assert told == mine
    for of in events:
        at, tick = int(of["time_ns"]), int(of["tick"])
        # The first tick at or after it.
        assert (tick - 1) * 10**9 // hz < at <= tick * 10**9 // hz or at == tick == 0, of
        kind, *ends = made[of["address"]][1]
        if kind != "relative":
            share = share_of(kind, int(of["value"]), *ends)
            assert of["share"] and float(of["share"]) == pytest.approx(share, abs=2e-7), of
