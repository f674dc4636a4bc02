"""One take by many roads, over random rigs with all kinds of things in them: from a pipe, from a
reel, from its own tables, cut off anywhere, and later, the same comes of it."""

import json
import random
import subprocess

import pytest
from desks import a_desk, some_desk
from test_actions import a_rig, comings_and_goings, presses, take_of
from test_combos import COMPASS, a_combo, mirrored
from test_fingers import HEIGHT, TICKS, WIDTH, a_gesture, hands
from test_formulas import a_stage
from test_zones import a_zone
from workbench import GTRIG, a_glass, later, merged, moved, without_words, written

# A second has a whole number of polls: a second later they are where they were.
RATES = [30, 60, 120, 500]
COMMANDS = [["replay", "--every-tick"], ["gestures"], ["combos"], ["tail"]]


def named(lines, of, name):
    """A table, and all that reads it, under another name."""
    return [
        line.replace(f"{of}.it]", f"{of}.{name}]")
        .replace("[action.it]", f"[action.of-{name}]")
        .replace(f'{of} = "it"', f'{of} = "{name}"')
        for line in lines
    ]


def some_combo(dice, n):
    """The table of a combo, of buttons or of the directions of a stick too, and all that may stand
    in it."""
    has_ways, is_of_one = dice.random() < 0.3, dice.random() < 0.2
    ways = dice.sample(COMPASS, 3) if has_ways and not is_of_one else []
    combo = a_combo(dice, [*ways, "south", "east", "west"])
    lines = combo.table()
    lines += ['stick = "worn"'] if ways else []
    lines += ["one-device = true"] if is_of_one else []
    more = [
        'mirror-while = "action/a"' if any(mirrored(name) != name for name in combo.own) else "",
        f'waits-for = ["c{dice.randrange(n)}"]' if n else "",
        'on = "while-held"',
        "takes = true",
    ]
    return lines + [line for line in more if line and dice.random() < 0.25]


def some_rig(dice, hz):
    """The text of a rig with actions, modes, gestures, zones, combos and a shape, and all that reads
    a desk."""
    text, *_ = a_rig(dice, hz)
    lines = [text, "[gesture.stays]", 'kind = "press"', f"hold-ms = {dice.randint(100, 600)}"]
    gestures = [a_gesture(dice) for _ in range(dice.randint(1, 4))]
    for n, gesture in enumerate(gestures):
        if gesture.kind != "click":
            lines += named(gesture.table(), "gesture", f"g{n}")
    for n in range(dice.randint(0, 3)):
        lines += a_zone(dice, f"zone-{n}").table()
    for n in range(dice.randint(1, 4)):
        lines += named(some_combo(dice, n), "combo", f"c{n}")
        if dice.random() < 0.6:
            lines += [f"[action.of-c{n}]", 'gives = "pulse"', f'from = {{ combo = "c{n}" }}']
    stages = [a_stage(dice, 1 / hz)[0] for _ in range(dice.randint(1, 4))]
    lines += ["[shape.worn]", f"stages = [{', '.join(f'{{ {stage} }}' for stage in stages)}]"]
    lines += [
        "[action.worn]",
        'gives = "plane"',
        'from = { stick = "pad/stick-l", shape = "worn" }',
    ]
    lines += a_desk(dice) if dice.random() < 0.6 else []
    return "\n".join(lines) + "\n"


def some_take(dice, hz):
    """The lines of a take in which a pad, a panel and a desk do what hands do."""
    events = comings_and_goings(dice, presses(dice, hz))
    touches = [report for report in hands(dice, hz) if report[0] < TICKS * 10**9 // hz]
    until = (TICKS - 1) * 10**9 // hz
    glass = a_glass(touches, 3, (WIDTH, HEIGHT), until, 10)
    return list(merged(take_of(events, hz), glass, some_desk(dice, until)))


def random_one(seed, folder):
    """Dice, a poll rate, the lines of a take, and the files of it and of a rig."""
    dice = random.Random(seed)
    hz = dice.choice(RATES)
    lines = some_take(dice, hz)
    return dice, hz, lines, *written(folder, some_rig(dice, hz), lines)


def ran(*command, **more):
    result = subprocess.run(
        [GTRIG, *command], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **more
    )
    assert result.returncode == 0, result.stderr
    return result.stdout


def said(take, rig):
    """What the commands print of a take."""
    return [ran(*command, "--json", "--rig", rig, take) for command in COMMANDS]


def by_tick(text):
    return {line["tick"]: line for line in map(json.loads, text.splitlines()) if "tick" in line}


@pytest.mark.parametrize("seed", range(100))
def test_the_same_comes_of_a_take_by_every_road(seed, tmp_path):
    *_, take, rig = random_one(seed, tmp_path)
    asked = said(take, rig)

    with take.open() as piped:
        assert ran("replay", "--every-tick", "--json", "--rig", rig, "-", stdin=piped) == asked[0]

    # As Green Trigger writes it, which its tables give again to the byte.
    reel, again = tmp_path / "it.reel", tmp_path / "again.take.jsonl"
    ran("convert", take, reel)
    assert said(reel, rig) == asked
    ran("convert", reel, again)
    assert said(again, rig) == asked
    tables, third = tmp_path / "tables", tmp_path / "third.take.jsonl"
    ran("convert", take, tables, "--as", "csv", "--rig", rig)
    ran("convert", tables, third)
    assert said(third, rig) == asked
    ran("convert", third, tmp_path / "tables-2", "--as", "csv", "--rig", rig)
    for table in tables.iterdir():
        assert (tmp_path / "tables-2" / table.name).read_bytes() == table.read_bytes(), table.name


@pytest.mark.parametrize("seed", range(100))
def test_what_comes_later_changes_nothing_before(seed, tmp_path):
    dice, hz, lines, whole, rig = random_one(seed, tmp_path)
    asked = by_tick(ran("replay", "--every-tick", "--json", "--rig", rig, whole))
    until = dice.randint(1, (TICKS - 2) * 10**9 // hz)
    before = [line for line in lines if json.loads(line).get("t", 0) <= until]
    cut = tmp_path / "cut.take.jsonl"
    cut.write_text("\n".join([*before, f'{{"t":{until},"ends":true}}']) + "\n")
    told = by_tick(ran("replay", "--every-tick", "--json", "--rig", rig, cut))
    last = until * hz // 10**9
    assert [told[tick] for tick in range(last + 1)] == [asked[tick] for tick in range(last + 1)]


def compared(line):
    """A line without its words, which tell of instants; none of a shape, for what it remembers
    has come further."""
    return None if line.get("of") == "worn" else without_words(line)


def begins(line):
    """Whether a line is of what the take begins with; one that is not compared is, too."""
    return line is None or line.get("from_ns") == 0


@pytest.mark.parametrize("seed", range(100))
def test_the_same_comes_of_it_however_late(seed, tmp_path):
    dice, hz, _, take, rig = random_one(seed, tmp_path)
    # The last is after nearly thirty days.
    seconds = dice.choice([1, 3600, 2_500_000])
    by = seconds * hz, seconds * 10**9
    ways = take, later(take, by[1])
    for command in [*COMMANDS[1:], ["health"], ["audit"], ["measure"]]:
        one, other = (
            # What a stick at rest pushes is pushed from the beginning, however late the rest is.
            [line for line in map(compared, map(json.loads, text.splitlines())) if not begins(line)]
            for text in (ran(*command, "--json", "--rig", rig, of) for of in ways)
        )
        assert [moved(line, by) for line in one] == other
