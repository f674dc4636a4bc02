"""Gestures on several panels of other sizes, turned or not, with lengths in every unit, written a second time
from docs/rig-format.md alone, and held against the program over random hands."""

import random

import pytest
from test_fingers import HEIGHT, PIXELS, TICKS, WIDTH, Panel, Run, a_gesture, given, hands, told_alike
from workbench import MILLISECOND, replayed, rig_of, some_glasses, written

# The ends of a panel, its units a millimetre where it says them, and how large it is taken to be.
PANELS = [
    ((1600, 900), 10, (160, 90)),
    ((1200, 800), 20, (60, 40)),
    ((4000, 3000), 8, (500, 375)),
    # Without a resolution it is 160 mm wide, with square units.
    ((800, 600), None, (160, 120)),
]


def hands_on(dice, hz, panels):
    """Reports of all panels in order of time: each contact is that of a panel."""
    reports = []
    for n, ((width, height), *_) in enumerate(panels):
        for time, contact, said in hands(dice, hz):
            if not isinstance(said, bool):
                said = said[0] * width // WIDTH, said[1] * height // HEIGHT
            # No two panels report at one instant.
            reports.append((time - time % len(panels) + n, (n, contact), said))
    return sorted(reports, key=lambda report: report[0])


def told_of(panels, reports, hz):
    """The lines of a take with these reports."""
    ends = [panel[:2] for panel in panels]
    return some_glasses(reports, 3, ends, (TICKS - 1) * 10**9 // hz)


def panels_of(panels, **surface):
    return [Panel(size, ends[0] / size[0], **surface) for ends, _, size in panels]


@pytest.mark.parametrize("seed", range(200))
def test_contacts_with_a_latch_or_a_debounce_are_fingers_as_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, latched = dice.choice([60, 60, 120]), dice.random() < 0.6
    debounce = dice.choice([0, 10, 30, 60]) if latched else dice.choice([10, 30, 60])
    edge = ["[[edge]]", 'of = "glass"', f"latched = {str(latched).lower()}"]
    edge += [f"debounce-ms = {debounce}"] if debounce else []
    gesture, reports = a_gesture(dice), hands_on(dice, hz, PANELS[:1])
    rig = rig_of(hz, edge, gesture.table())
    take, rig = written(tmp_path, rig, told_of(PANELS[:1], reports, hz))
    run, panel = Run(gesture), Panel(latched=latched, debounce=debounce * MILLISECOND)
    given(run, reports, replayed(take, rig), hz, [panel])
    told_alike(run, take, rig)


@pytest.mark.parametrize("seed", range(200))
def test_gestures_on_several_panels_give_and_tell_what_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    hz, panels = dice.choice([60, 120]), dice.sample(PANELS, dice.choice([1, 2, 2, 3]))
    gesture = a_gesture(dice).in_unit(dice.choice(["mm", "px", "share"]))
    reports = hands_on(dice, hz, panels)
    turned = dice.choice([0, 90, 180, 270])
    picture = dice.choice([None, None, (dice.randint(60, 300), dice.randint(60, 300))])
    surface = ["[surface]", f"turned = {turned}"]
    surface += [f"pixels = [{PIXELS}, 720]"] if gesture.unit == "px" else []
    surface += [f"mm = {list(picture)}"] if picture else []
    rig = rig_of(hz, surface, gesture.table())
    take, rig = written(tmp_path, rig, told_of(panels, reports, hz))
    run = Run(gesture)
    given(run, reports, replayed(take, rig), hz, panels_of(panels, turned=turned, picture=picture))
    told_alike(run, take, rig)
