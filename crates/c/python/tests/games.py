"""A hand on a pad and the frames of a game, as the tests of games have them."""

from dataclasses import dataclass

from workbench import MILLISECOND

BUTTONS = ["south", "east"]
AXIS, FAR = "stick-l-x", 1000
AXES = [AXIS, "stick-l-y"]
HZ = 60
RIG = [
    "[action.horn]",
    'gives = "on"',
    'from = "pad/south"',
    "[action.light]",
    'gives = "toggle"',
    'from = "pad/east"',
    "[action.slew]",
    'gives = "axis"',
    f'from = {{ axis = "pad/{AXIS}" }}',
    "[action.brake]",
    'gives = "pulse"',
    'from = "pad/east"',
    "[action.look]",
    'gives = "plane"',
    'from = { stick = "pad/stick-l" }',
    "[action.swing]",
    'gives = "axis"',
    'closed-while = "horn"',
    f'from = {{ axis = "pad/{AXIS}" }}',
    "[game]",
]


def hands(dice):
    """What the pad reports, in order of time; nothing before the second frame. A button that is
    down may say so again, with 2."""
    time = 100 * MILLISECOND
    states = dict.fromkeys(BUTTONS, 0)
    for _ in range(dice.randint(5, 60)):
        time += int(dice.uniform(1e6, dice.choice([8e6, 120e6])))
        name = dice.choice([*BUTTONS, *AXES])
        if name in AXES:
            yield time, name, dice.randint(-FAR, FAR)
        elif states[name] and dice.random() < 0.15:
            yield time, name, 2
        else:
            states[name] = 1 - states[name]
            yield time, name, states[name]


def read_as(name, value):
    """What a game reads of it."""
    return value if name in AXES else min(value, 1)


def a_pad(moved):
    button = ",".join(f'{{"code":"{name}","kind":"button"}}' for name in BUTTONS)
    axes = ",".join(
        f'{{"code":"{name}","kind":"axis","min":{-FAR},"centre":0,"max":{FAR}}}' for name in AXES
    )
    yield '{"take":1}'
    yield f'{{"t":0,"plug":"pad1","kind":"pad","controls":[{button},{axes}]}}'
    for time, name, value in moved:
        yield f'{{"t":{time},"on":"pad1","c":"{name}","v":{value}}}'
    yield f'{{"t":{moved[-1][0] + 10**9},"ends":true}}'


@dataclass
class Frame:
    """A frame of a game: its number, its poll, the steps it ran where the game has any, whether it
    follows the frame before at once, or is the first of a game that was started again, and the
    seconds since the one before polled."""

    number: int
    poll: int
    steps: int | None
    follows: bool
    is_again: bool
    seconds: float


class Known:
    """In which frames a value of a game is compared."""

    def __init__(self, is_count, is_way):
        self.is_count, self.is_way = is_count, is_way
        # Whether what happened may have happened in a frame that nobody knows.
        self.may_wait = False

    def is_compared(self, frame):
        waited = self.may_wait or not frame.follows
        self.may_wait = waited and frame.steps == 0
        if self.is_count:
            return not waited
        if self.is_way:
            return frame.follows and frame.seconds > 0
        return frame.steps != 0


def frames(dice, until):
    """Frames of which some are missing; and the game may be started again."""
    has_steps, may_jump = dice.random() < 0.4, dice.random() < 0.5
    number, now, before = dice.randint(0, 9), 20 * MILLISECOND, None
    while now < until:
        steps = dice.choice([0, 1, 1, 2]) if has_steps else None
        seconds = (now - before.poll) / 1e9 if before else 0
        follows = before is not None and number == before.number + 1
        is_again = before is not None and number <= before.number
        seconds = seconds if follows else 0
        yield (before := Frame(number, now, steps, follows, is_again, seconds))
        now += int(dice.choice([0, 1, 1, 1]) * dice.uniform(4e6, dice.choice([20e6, 60e6])))
        jumps = may_jump and dice.random() < 0.05
        number = number + dice.choice([2, 30]) if jumps else number + 1
        number = 0 if may_jump and dice.random() < 0.03 else number


def polls_of(its_frames):
    """The polls, each with its frame; where frames are missing the rig polls at its own rate."""
    last = 0
    for frame in its_frames:
        ticks = range(last * HZ // 10**9, frame.poll * HZ // 10**9 + 1) if not frame.follows else []
        yield from ((at, None) for n in ticks if last < (at := n * 10**9 // HZ) < frame.poll)
        yield frame.poll, frame
        last = frame.poll
