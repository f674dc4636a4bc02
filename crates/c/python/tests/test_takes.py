"""What a combo does to actions, written a second time from docs/rig-format.md alone, and held
against the program over random combos and hands."""

import random

import pytest
from test_combos import Search, a_combo, movements
from workbench import BUTTONS, polled, replayed_texts, rig_of, some_pads

GIVES = ["on", "pulse", "toggle"]


class Buttons:
    """The buttons as polls see them, and those that a combo took."""

    def __init__(self, moved, hz):
        self.waiting, self.hz = list(moved), hz
        self.down, self.before, self.taken = set(), set(), set()

    def poll(self, tick):
        self.before = set(self.down)
        while self.waiting and self.waiting[0][0] <= tick * 10**9 // self.hz:
            _, name, value = self.waiting.pop(0)
            (self.down.add if value else self.down.discard)(name)
        self.taken &= self.down

    def take(self, names):
        self.taken |= set(names) & self.down

    def drives(self, name):
        """Whether it is down for actions, and pressed."""
        is_down = name in self.down and name not in self.taken
        return is_down, is_down and name not in self.before


def lasts_until(search, chain):
    """When one of the presses is let go that met the last step; 0 where none did."""
    part, edge = search.combo.parts[-1], chain[-1].edge
    if part.kind == "release":
        return 0
    downs = {name: search.held(name, edge) for name in part.names}
    if part.kind != "together":
        downs = {name: down for name, down in downs.items() if down == edge}
    its = [press for press in search.presses if downs.get(press.name) == press.time]
    return min(press.release for press in its)


def actions_table(combo_drives):
    for name in BUTTONS:
        for gives in GIVES:
            yield f"[action.{gives}-{name}]"
            yield f'gives = "{gives}"'
            yield f'from = "pad/{name}"'
    for gives in combo_drives:
        yield f"[action.{gives}-it]"
        yield f'gives = "{gives}"'
        yield 'from = { combo = "it" }'


@pytest.mark.parametrize("seed", range(150))
def test_combos_drive_and_take_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, combo, moved = dice.choice([60, 120]), a_combo(dice, BUTTONS), movements(dice, may_go=False)
    takes, lasts = dice.random() < 0.6, dice.random() < 0.6
    table = [*combo.table(), f"takes = {str(takes).lower()}"]
    table += ['on = "while-held"'] if lasts else []
    lines = list(some_pads(moved))
    told = replayed_texts(tmp_path, rig_of(hz, table, actions_table(GIVES)), lines)
    search = Search(combo, polled(moved, hz), hz)
    fires = {}
    for end, chain in search.firing():
        fires.setdefault(-(-end * hz // 10**9), []).append(chain)

    buttons, lasting, values = Buttons(moved, hz), 0, {}
    asked = {f"{gives}-{name}": False for name in [*BUTTONS, "it"] for gives in GIVES}
    for tick in range(max(told) + 1):
        buttons.poll(tick)
        for chain in fires.get(tick, []):
            lasting = max(lasting, lasts_until(search, chain) if lasts else 0)
            buttons.take(combo.own if takes else [])
        states = {name: buttons.drives(name) for name in BUTTONS}
        states["it"] = tick in fires or lasting > tick * 10**9 // hz, tick in fires
        for name, (is_down, is_pressed) in states.items():
            asked[f"on-{name}"], asked[f"pulse-{name}"] = is_down, is_pressed
            asked[f"toggle-{name}"] ^= is_pressed
        for action in told[tick].get("actions", []):
            values[action["action"]] = action["value"]
        assert {name: values.get(name, False) for name in asked} == asked, f"tick {tick}"
