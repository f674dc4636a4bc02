"""Combos with all kinds of steps, as the tests of what combos do to each other have them."""

from dataclasses import replace

from test_combos import Combo, a_combo, a_step, movements
from test_modes import a_pad, modes_table, switching
from workbench import BUTTONS, rig_of, some_pads, written


def longer(dice, combo):
    """A combo that begins with all steps of another one, of which some ask for other times."""
    steps = [replace(step) for step in combo.steps]
    if len(steps) > 1 and steps[-1].kind == "quiet":
        steps.pop()
    if dice.random() < 0.3:
        step = dice.choice(steps)
        step.within = step.within and dice.randint(max(30, step.after), 700)
    for _ in range(dice.randint(0, 2)):
        kind = dice.choice(["press", "press", "hold", "tap", "release"])
        steps.append(a_step(dice, kind, steps[-1], BUTTONS[:3]))
    flags = [combo.again, combo.is_strict, combo.in_ticks, combo.forced]
    again, is_strict, in_ticks, forced = (flag ^ (dice.random() < 0.1) for flag in flags)
    passing = combo.passing if dice.random() < 0.8 else dice.sample(BUTTONS, 1)
    flags = {"is_strict": is_strict, "again": again, "in_ticks": in_ticks, "forced": forced}
    return Combo(steps, 0, **flags, passing=passing)


FLIP = ["[action.flip]", 'gives = "toggle"', 'from = "pad/north"']
# What stands for a button in a rig with mirrors.
SIDES = {"east": "dpad-left", "west": "dpad-right"}


def with_sides(text):
    for name, side in SIDES.items():
        text = text.replace(name, side)
    return text


class Library:
    """Combos with all kinds of steps, of which some begin like others and wait for them; modes that
    forget them, where it has some; and mirrors and combos of one device."""

    def __init__(self, dice, folder, has_modes=False, has_mirrors=False):
        combos = [a_combo(dice, BUTTONS[:3])]
        for _ in range(dice.randint(1, 2)):
            begins_alike = dice.random() < 0.7
            alike = longer(dice, dice.choice(combos))
            combos.append(alike if begins_alike else a_combo(dice, BUTTONS[:3]))
        self.combos = {f"c{n}": combo for n, combo in enumerate(combos)}
        order, self.waits, tables = dice.sample(list(self.combos), len(combos)), {}, []
        for name, combo in self.combos.items():
            others = order[: order.index(name)]
            self.waits[name] = waits = [other for other in others if dice.random() < 0.6]
            _, *rest = combo.table()
            tables.append([f"[combo.{name}]", *rest])
            tables[-1] += [f"waits-for = {waits}"] if waits else []
            if has_modes and dice.random() < 0.8:
                modes = dice.choice([["a"], ["b"], ["a", "b"], ["b", "c"], ["a", "b", "c"]])
                tables[-1].append(f"modes = {modes}")
            if has_mirrors:
                tables[-1] += self.more_of(dice, combo)
        hz, moved = dice.choice([60, 120, 500]), movements(dice, may_go=not has_modes)
        lines = list(some_pads(moved))
        if has_modes:
            tables.append(modes_table(dict.fromkeys("bc", "forget")))
            lines = list(a_pad(sorted([*moved, *switching(dice, moved[-1][0])])))
        rig = rig_of(hz, *tables)
        if has_mirrors:
            rig, lines = with_sides(rig_of(hz, FLIP, *tables)), map(with_sides, lines)
        self.take, self.rig = written(folder, rig, list(lines))

    @staticmethod
    def more_of(dice, combo):
        """Lines of a combo that turns around, or is of one device."""
        lines = ["one-device = true"] if dice.random() < 0.15 else []
        if set(SIDES) & {name for step in combo.steps for name in step.names}:
            lines += ['mirror-while = "action/flip"'] if dice.random() < 0.6 else []
        return lines

