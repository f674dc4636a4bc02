"""Combos of presses, written a second time from docs/rig-format.md alone as a search through all
chains, and held against the program over random combos and presses."""

import random
from dataclasses import dataclass, field

import pytest
from workbench import reports_of_texts

BUTTONS = ["south", "east", "west", "north"]
MILLISECOND = 1_000_000


@dataclass
class Step:
    names: list
    after: int = 0
    within: int = 0
    unless: list = field(default_factory=list)

    def text(self):
        clauses = [f"after {self.after} ms"] if self.after else []
        clauses += [f"within {self.within} ms"] if self.within else []
        clauses += [f"unless {name}" for name in self.unless]
        return " ".join([f"press {' or '.join(self.names)}", *clauses])


@dataclass
class Combo:
    steps: list
    all_within: int
    strict: bool
    again: bool

    def table(self):
        texts = ", ".join(f'"{step.text()}"' for step in self.steps)
        lines = ["[combo.it]", f"steps = [{texts}]"]
        lines += [f'all-within = "{self.all_within} ms"'] if self.all_within else []
        lines += ["strict = true"] if self.strict else []
        return lines + (["again = true"] if self.again else [])

    def may_follow(self, step, earlier, between, later):
        """Whether the press `later` may be the step after the press `earlier`."""
        passed = later[0] - earlier[0]
        in_time = step.after * MILLISECOND <= passed <= step.within * MILLISECOND
        is_broken = any(self.strict or name in step.unless for _, name in between)
        return in_time and not is_broken

    def chains(self, presses, last):
        """Every chain of places among the presses that ends at `last` and keeps all limits."""

        def before(chain, step):
            if step == 0:
                yield chain
                return
            first = chain[0]
            for place in range(first):
                between = presses[place + 1 : first]
                if presses[place][1] in self.steps[step - 1].names and self.may_follow(
                    self.steps[step], presses[place], between, presses[first]
                ):
                    yield from before([place, *chain], step - 1)

        if presses[last][1] in self.steps[-1].names:
            for chain in before([last], len(self.steps) - 1):
                whole = presses[last][0] - presses[chain[0]][0]
                if not self.all_within or whole <= self.all_within * MILLISECOND:
                    yield chain

    def fires(self, presses):
        """The instants of the first and the last press of each chain that fires."""
        spent = -1
        for last in range(len(presses)):
            chains = [c for c in self.chains(presses, last) if self.again or c[0] > spent]
            if chains:
                first = max(chain[0] for chain in chains)
                spent = last
                yield presses[first][0], presses[last][0]


def a_combo(dice):
    steps = [Step(dice.sample(BUTTONS, dice.choice([1, 1, 2])))]
    for _ in range(dice.randint(1, 3)):
        step = Step(dice.sample(BUTTONS, dice.choice([1, 1, 2])), within=dice.randint(30, 600))
        step.after = dice.choice([0, 0, 0, dice.randint(1, step.within)])
        others = [name for name in BUTTONS if name not in step.names]
        step.unless = dice.choice([[], [], [], dice.sample(others, 1)])
        steps.append(step)
    least = max(100, sum(step.after for step in steps))
    all_within = dice.choice([0, 0, dice.randint(least, least + 1100)])
    return Combo(steps, all_within, dice.random() < 0.25, dice.random() < 0.2)


def movements(dice):
    """Buttons that are pressed for 20 ms, in order of time."""
    time, moved = 10 * MILLISECOND, []
    for _ in range(dice.randint(5, 60)):
        time += int(dice.uniform(25e6, dice.choice([120e6, 400e6])))
        name = dice.choice(BUTTONS)
        moved += [(time, name, 1), (time + int(dice.uniform(20e6, 22e6)), name, 0)]
    return sorted(moved)


def polled(moved, hz):
    """The presses that a loop sees: what went up and down again between two polls is lost."""
    states, before, pressed, seen = {}, {}, {}, []
    events = list(moved)
    for tick in range(events[-1][0] * hz // 10**9 + 2):
        while events and events[0][0] <= tick * 10**9 // hz:
            time, name, value = events.pop(0)
            if value:
                pressed[name] = time
            states[name] = value
        new = [name for name, value in states.items() if value and not before.get(name)]
        seen += [(pressed[name], name) for name in new]
        before = dict(states)
    return sorted(seen)


@pytest.mark.parametrize("seed", range(150))
def test_combos_fire_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo, moved = dice.choice([60, 120, 500]), a_combo(dice), movements(dice)
    controls = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS)
    lines = ['{"take":1}', f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{controls}]}}']
    lines += [f'{{"t":{t},"on":"pad1","c":"{name}","v":{v}}}' for t, name, v in moved]
    lines.append(f'{{"t":{moved[-1][0] + 3 * 10**9},"ends":true}}')
    rig = "\n".join(["rig = 1", "[sampling]", f"poll-hz = {hz}", *combo.table()]) + "\n"
    told = reports_of_texts("combos", tmp_path, rig, lines)
    told = [report for report in told if report["line"] == "attempt" and report["outcome"] == "met"]
    said = [(attempt["from_ns"], attempt["to_ns"]) for attempt in told]
    assert said == list(combo.fires(polled(moved, hz)))
