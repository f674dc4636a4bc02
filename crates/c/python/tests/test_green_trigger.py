"""The module against the program: the same rig and the same take give the same actions."""

import random
import subprocess
import tomllib
from pathlib import Path

import green_trigger as gt
import pytest
from test_actions import AXES, a_rig, comings_and_goings, presses, take_of
from test_roads import random_one
from workbench import GTRIG, replayed, replayed_texts

DEMO = Path(__file__).parents[4] / "demo"

RIG = """
rig = 1
[action.horn]
gives = "on"
from = "pad/south"
[action.slew]
gives = "plane"
from = { stick = "pad/stick-l", dead-zone = 0.1 }
"""

CONTROLS = [
    gt.Control("south"),
    gt.Control("stick-l-x", "axis", -100, 0, 100),
    gt.Control("stick-l-y", "axis", -100, 0, 100),
]


@pytest.mark.parametrize("story", ["lost-tap", "hasty-hands", "worn-stick", "hand-over"])
def test_a_take_gives_what_the_workbench_says(story):
    rig = DEMO / "kestrel-quay.toml"
    take = DEMO / f"{story}.take.jsonl"
    ticks = replayed(take, rig)
    game = gt.Input(rig.read_text())
    names = ["slew", "hoist", "grip", "horn", "brake", "cab-camera", "walk-gantry"]
    actions = {name: game.action(name) for name in names}
    compared = 0
    for n, _ in enumerate(game.play(gt.Take.open(take), 60)):
        if n not in ticks:
            continue
        told = {action["action"]: action["value"] for action in ticks[n]["actions"]}
        for name, action in actions.items():
            state, value = action.state(), told[name]
            if isinstance(value, bool):
                assert state.is_on == value, (n, name)
            elif isinstance(value, list):
                assert state.vector == pytest.approx(value, abs=1e-5), (n, name)
            else:
                assert state.value == pytest.approx(value, abs=1e-5), (n, name)
            compared += 1
    assert compared > 1000


def holds_as_told(action, said, where, is_polar=False):
    """Holds an action against what ``gtrig replay`` says of it; at rest where that says nothing."""
    state, value = action.state(), said["value"] if said else 0.0
    if isinstance(value, bool):
        assert state.is_on == value, where
    elif is_polar and said:
        assert [state.degrees, state.reach] == pytest.approx(value, rel=1e-6, abs=1e-6), where
    else:
        value = value if isinstance(value, list) else [value, 0.0]
        assert state.vector == pytest.approx(value, rel=1e-6, abs=1e-6), where


@pytest.mark.parametrize("seed", range(60))
def test_any_rig_gives_what_the_workbench_says(seed, tmp_path):
    """Also what drives an action, and while the pad goes, is silent, and comes back."""
    dice = random.Random(seed)
    hz = dice.choice([30, 60, 120, 500])
    text, _, rules, _ = a_rig(dice, hz)
    for name in AXES:
        text += f'[action.{name}]\ngives = "axis"\nfrom = {{ axis = "pad/{name}" }}\n'
    lines = list(take_of(comings_and_goings(dice, presses(dice, hz)), hz))
    ticks = replayed_texts(tmp_path, text, lines)
    game = gt.Input(text)
    actions = {name: game.action(name) for name in [*rules, *AXES]}
    for n, _ in enumerate(game.play(gt.Take(lines), hz)):
        told = {action["action"]: action for action in ticks[n].get("actions", [])}
        for name, action in actions.items():
            said = told.get(name)
            holds_as_told(action, said, (n, name))
            driver = action.driver()
            by = f"pad1/{driver.code}" if driver else None
            assert by == (said or {}).get("by"), (n, name)
    assert n == max(ticks)


@pytest.mark.parametrize("is_compiled", [False, True])
@pytest.mark.parametrize("seed", range(60))
def test_rigs_with_all_kinds_of_things_do_too(seed, is_compiled, tmp_path):
    _, hz, lines, take, rig = random_one(seed, tmp_path)
    ticks = replayed(take, rig)
    tables = tomllib.loads(rig.read_text())["action"]
    game = gt.Input(rig.read_text())
    if is_compiled:
        compiled = tmp_path / "it.rig"
        subprocess.run([GTRIG, "compile", rig, compiled], check=True)
        game = gt.Input(compiled.read_bytes())
    actions = {name: game.action(name) for name in tables}
    for n, _ in enumerate(game.play(gt.Take(lines), hz)):
        told = {action["action"]: action for action in ticks[n].get("actions", [])}
        for name, action in actions.items():
            is_polar = tables[name]["gives"] == "polar"
            holds_as_told(action, told.get(name), (n, name), is_polar)
    assert n == max(ticks)


def test_each_reader_sees_each_press_once():
    game = gt.Input(RIG)
    horn, slew = game.action("horn"), game.action("slew")
    pad = game.plug("pad", CONTROLS)
    step, menu = game.reader(), game.reader()
    game.frame(0)
    game.feed(pad, 1_000_000, {"south": 1, "stick-l-x": 100})
    game.frame(10_000_000)
    game.feed(pad, 11_000_000, south=0)
    game.frame(20_000_000)
    assert step.look()[horn] == (1, 1, (pytest.approx(0.01), 0.0))
    assert step.look()[horn].presses == 0
    assert menu.look()[horn].presses == 1
    state = slew.state()
    assert state.is_on and state.vector == (1.0, 0.0) and state.since == 10_000_000
    driver = slew.driver()
    assert driver is not None and (driver.device, driver.code) == (pad, "stick-l-x")
    assert horn.driver() is None and game.main is pad


def test_what_is_refused_says_why():
    with pytest.raises(gt.Error, match="did you mean \"on\"") as refused:
        gt.Input(RIG.replace('"on"', '"onn"'))
    assert refused.value.kind == gt.Error.Kind.NO_RIG
    game = gt.Input(RIG)
    with pytest.raises(gt.Error, match="no action \"hoist\""):
        game.action("hoist")
    with pytest.raises(gt.Error, match="listed twice"):
        game.plug("pad", [CONTROLS[0], CONTROLS[0]])
    with pytest.raises(gt.Error, match="no slot 9"):
        game.plug("pad", CONTROLS, slot=9)
    with pytest.raises(ValueError, match="none of pad"):
        game.plug("wheel", CONTROLS)
    pad = game.plug("pad", CONTROLS)
    with pytest.raises(KeyError, match="has no 'north'"):
        game.feed(pad, 0, north=1)
    with pytest.raises(gt.Error, match="not the same actions"):
        game.reload("rig = 1\n")
    with pytest.raises(ValueError, match="no take"):
        gt.Take(['{"rig":1}'])


def test_a_compiled_rig_is_the_same(tmp_path):
    compiled = tmp_path / "r.rig"
    subprocess.run([GTRIG, "compile", DEMO / "kestrel-quay.toml", compiled], check=True)
    assert gt.Input(compiled.read_bytes()).action("horn").state() == gt.Input(
        (DEMO / "kestrel-quay.toml").read_text()
    ).action("horn").state()
    with pytest.raises(gt.Error, match="damaged"):
        gt.Input(compiled.read_bytes()[:-1])


def test_a_device_that_is_not_heard_holds_nothing():
    game = gt.Input(RIG)
    horn, pad = game.action("horn"), game.plug("pad", CONTROLS)
    game.feed(pad, 1, south=1)
    game.frame(2)
    game.hear(pad, False, 3)
    game.frame(4)
    assert not horn.state().is_on
    game.hear(pad, True, 5)
    game.unplug(pad, 6)
    game.frame(7)
    assert game.main is None
