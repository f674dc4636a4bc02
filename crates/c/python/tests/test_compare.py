"""What comes out differently by two rigs, written a second time from docs/reports.md alone, and
held against the program over random rigs and hands."""

import json
import random
import struct
import subprocess

import pytest
from workbench import BUTTONS, GTRIG, MILLISECOND, replayed, rig_of, written

STICKS = ["stick-l-x", "stick-l-y"]


def single(number):
    """A number as 32 bits hold it."""
    return struct.unpack("f", struct.pack("f", number))[0]


class Run:
    """What the actions come to by a rig, tick by tick."""

    def __init__(self, ticks, hz, until=10**18):
        """The ticks up to an instant."""
        self.hz = hz
        self.last = max(tick for tick in ticks if self.instant(tick) <= until)
        self.actions = {}
        for tick in range(self.last + 1):
            for said in ticks[tick].get("actions", []):
                value = said["value"]
                both = tuple(value) if isinstance(value, list) else (float(value), 0.0)
                self.actions.setdefault(said["action"], {})[tick] = both

    def instant(self, tick):
        return tick * 10**9 // self.hz

    def value(self, action, instant):
        """What it was at the last tick up to an instant."""
        ticks = [t for t in self.actions.get(action, {}) if self.instant(t) <= instant]
        return self.actions[action][max(ticks)] if ticks else (0.0, 0.0)

    def changes(self, action):
        """The instants at which it came to something else."""
        before = (0.0, 0.0)
        for tick, value in sorted(self.actions.get(action, {}).items()):
            if value != before:
                yield self.instant(tick), value
            before = value

    def stretches(self, action, until):
        """When it is on, each with its first instant and the first one after it."""
        since = None
        for instant, value in self.changes(action):
            if instant > until:
                break
            if since is None and any(value):
                since = instant
            elif since is not None and not any(value):
                yield since, instant
                since = None
        if since is not None:
            yield since, until + 1


def differences(before, after, actions):
    """As the page says."""
    until = min(run.instant(run.last) for run in (before, after))
    found = []
    for place, (action, is_number) in enumerate(actions):
        old, new = (list(run.stretches(action, until)) for run in (before, after))
        meets = lambda a, b: max(a[0], b[0]) < min(a[1], b[1])
        for one in old:
            other = next((other for other in new if meets(one, other)), None)
            if other is None:
                found.append((one[0], place, "vanished", min(one[1], until)))
            elif other != one:
                ends = min(max(one[1], other[1]), until)
                found.append((min(one[0], other[0]), place, "moved", ends))
        for one in new:
            if not any(meets(one, other) for other in old):
                found.append((one[0], place, "appeared", min(one[1], until)))
        spans = changed(before, after, action, until) if is_number else ()
        found += [(begins, place, "changed", *rest) for begins, *rest in spans]
    return sorted(found, key=lambda one: one[:2])


def changed(before, after, action, until):
    """When numbers differ, and by how much at most."""
    instants = {at for run in (before, after) for at, _ in run.changes(action) if at <= until}
    span = None
    for at in sorted(instants):
        values = zip(before.value(action, at), after.value(action, at))
        off = max(abs(single(a - b)) for a, b in values)
        if off > single(0.005):
            span = (span[0], None, max(span[2], off)) if span else (at, None, off)
        elif span:
            yield span[0], at, span[2]
            span = None
    if span:
        yield span[0], until, span[2]


def a_rig(dice, hz, actions):
    """The same actions, each driven in some way."""
    tables = []
    for name, gives in actions:
        button = f'"pad/{dice.choice(BUTTONS)}"'
        if gives == "axis":
            part = f"dead-zone = {dice.choice([0.0, 0.1, 0.2])}"
            what = f'{{ axis = "pad/{dice.choice(STICKS[:1])}", {part} }}'
        elif gives == "plane":
            part = f"dead-zone = {dice.choice([0.05, 0.2, 0.4])}"
            what = f'{{ stick = "pad/stick-l", {part} }}'
        else:
            what = button
        tables.append([f"[action.{name}]", f'gives = "{gives}"', f"from = {what}"])
    return rig_of(hz, *tables)


def a_hand(dice):
    """The lines of a take, which may end while something is held, or just pressed."""
    controls = [f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS]
    travel = '"kind":"axis","min":-100,"centre":0,"max":100'
    controls += [f'{{"code":"{name}",{travel}}}' for name in STICKS]
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{",".join(controls)}]}}'
    time, down = 0, dict.fromkeys(BUTTONS, 0)
    for _ in range(dice.randint(1, 25)):
        time += dice.choice([dice.randint(1, 9), dice.randint(10, 300)]) * MILLISECOND
        time += dice.choice([0, dice.randint(0, 999_999)])
        if dice.random() < 0.5:
            code = dice.choice(BUTTONS)
            value = down[code] = 1 - down[code]
        else:
            code, value = dice.choice(STICKS), dice.choice([0, 0, dice.randint(-100, 100)])
        yield f'{{"t":{time},"on":"pad1","c":"{code}","v":{value}}}'


def ended(lines, instant):
    """A take that goes on to an instant."""
    return [*lines, f'{{"t":{instant},"ends":true}}']


@pytest.mark.parametrize("seed", range(200))
def test_two_rigs_differ_where_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    kinds = ["on", "toggle", "pulse", "axis", "plane"]
    actions = [(f"a{n}", dice.choice(kinds)) for n in range(dice.randint(1, 4))]
    rates = [dice.choice([60, 100]), dice.choice([60, 100, 144])]
    if dice.random() < 0.5:
        rates[1] = rates[0]
    texts = [a_rig(dice, hz, actions) for hz in rates]
    lines = list(a_hand(dice))
    last = json.loads(lines[-1])["t"]
    ends = ended(lines, last + dice.randint(0, 50) * MILLISECOND)
    take, rig = written(tmp_path, texts[0], dice.choice([lines, ends]))
    other = tmp_path / "other.toml"
    other.write_text(texts[1])
    command = [GTRIG, "compare", "--json", take, "--rig", rig, "--with", other]
    said = subprocess.run(command, check=True, capture_output=True, text=True).stdout
    before = Run(replayed(take, rig), rates[0])
    until = before.instant(before.last)
    take.write_text("\n".join(ended(lines, until)) + "\n")
    runs = before, Run(replayed(take, other), rates[1], until)
    numbers = [(name, gives in ("axis", "plane")) for name, gives in actions]
    asked = [
        {"action": actions[place][0], "kind": kind, "from_ns": begins, "to_ns": ends[0]}
        | ({"amount": pytest.approx(ends[1], abs=1e-6)} if kind == "changed" else {})
        for begins, place, kind, *ends in differences(*runs, numbers)
    ]
    assert json.loads(said)["differences"] == asked
