"""What ``gtrig tail`` prints of a take, held against the take and what the other commands say of
it: random hands on a pad, keys and a panel, with the shipped rig."""

import json
import random
import subprocess
from collections import Counter

import pytest
from test_published import Hands, plugs
from test_zones import single
from workbench import GTRIG

# The devices as the screen calls them.
CALLED = {"p": "pad1", "k": "keys", "g": "glass"}


def a_take(dice):
    """The lines of a take, in order of time."""
    hands, time = Hands(dice), 0
    lines = [{"take": 1}, *({"t": 0, **plug} for plug in plugs())]
    for _ in range(dice.randint(20, 250)):
        time += int(dice.uniform(0, dice.choice([3e6, 30e6, 200e6])))
        lines += [{"t": time, **move} for move in hands.moves() if "label" not in move]
    return [*lines, {"t": time + 10**9, "ends": True}]


def said_of(command, take, *options):
    ran = subprocess.run([GTRIG, command, *options, "--json", take], capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr
    return [json.loads(line) for line in ran.stdout.splitlines()]


def reports(lines):
    """What the lines of a take say."""
    words = {"plug": "here", "deaf": "not heard", "heard": "here"}
    for line in lines[1:]:
        for key in words.keys() & line.keys():
            yield line["t"], CALLED[line[key]], words[key]
        if "on" in line:
            yield line["t"], f"{CALLED[line['on']]}/{line['c']}", str(line["v"])


def in_words(action):
    """What an action changed to."""
    value = action["value"]
    if isinstance(value, bool):
        text = "on" if value else "off"
    elif isinstance(value, list):
        text = " ".join(f"{single(part):.3f}" for part in value)
    else:
        text = f"{single(value):.3f}"
    return f"{text}, by {action['by']}" if "by" in action else text


@pytest.mark.parametrize("seed", range(60))
def test_tail_tells_what_the_other_commands_tell(seed, tmp_path):
    dice = random.Random(seed)
    lines = a_take(dice)
    take = tmp_path / "it.take.jsonl"
    take.write_text("".join(json.dumps(line) + "\n" for line in lines))
    hz = dice.choice(["30", "60", "250"])
    tail = said_of("tail", take, "--hz", hz)
    told = {
        kind: [one for one in tail if one["kind"] == kind]
        for kind in ("report", "edge", "gesture", "combo", "action")
    }
    assert sum(map(len, told.values())) == len(tail)
    ticks = [one["tick"] for one in tail]
    assert ticks == sorted(ticks)
    # Within a tick first what it saw, in order of time.
    assert [one["time_ns"] for one in tail] == sorted(one["time_ns"] for one in tail)
    assert [(one["time_ns"], one["of"], one["says"]) for one in told["report"]] == list(
        reports(lines)
    )
    *replay, end = said_of("replay", take, "--hz", hz)
    last = end["end"]["last_tick"]
    edges = [
        (of["tick"], edge["control"], edge["edge"]) for of in replay for edge in of.get("edges", [])
    ]
    words = lambda one: one["says"].split(",")[0].replace("no edge", "none")
    assert Counter((one["tick"], one["of"], words(one)) for one in told["edge"]) == Counter(edges)
    actions = [(of["tick"], of_action) for of in replay for of_action in of.get("actions", [])]
    assert [(one["tick"], one["of"], one["says"]) for one in told["action"]] == [
        (tick, action["action"], in_words(action)) for tick, action in actions
    ]
    attempts = [one for one in said_of("gestures", take, "--hz", hz) if one["line"] == "verdict"]
    # What goes on at the end is over for nobody else.
    attempts = Counter((one["tick"], one["gesture"]) for one in attempts if one["tick"] < last)
    assert (
        Counter((one["tick"], one["of"]) for one in told["gesture"] if one["tick"] < last)
        == attempts
    )
    fired = Counter(
        (one["fired_tick"], one["combo"])
        for one in said_of("combos", take, "--hz", hz)
        if one.get("outcome") == "met"
    )
    has_fired = [one for one in told["combo"] if one["says"].startswith("fired")]
    assert Counter((one["tick"], one["of"]) for one in has_fired) == fired
