"""Where zones lie in all spaces and outlines, written a second time from docs/rig-format.md alone,
and held against the program over random surfaces and taps."""

import random
from dataclasses import dataclass

import pytest
from workbench import a_glass, replayed_texts, rig_of

HZ, TAPS = 60, 60
ENDS = (16000, 9000)
# From which side each corner measures x and y.
CORNERS = {
    "top-left": (False, False), "top-right": (True, False),
    "bottom-left": (False, True), "bottom-right": (True, True),
}


@dataclass
class Surface:
    """What the rig says of the panel; sizes are those of the upright picture."""

    turned: int
    pixels: tuple
    mm: tuple
    says_mm: bool
    at: tuple
    size: tuple
    view: tuple
    camera: tuple
    zoom: float

    def table(self):
        at, size, view = (list(pair) for pair in (self.at, self.size, self.view))
        lines = ["[surface]", f"pixels = {list(self.pixels)}", f"turned = {self.turned}"]
        lines += [f"mm = {list(self.mm)}"] if self.says_mm else []
        lines.append(f"window = {{ at = {at}, size = {size}, view = {view} }}")
        lines.append(f"world = {{ camera = {list(self.camera)}, zoom = {self.zoom} }}")
        return lines

    def picture(self, place):
        """A place of the panel as shares of the upright picture."""
        u, v = (at / end for at, end in zip(place, ENDS))
        return {0: (u, v), 90: (1 - v, u), 180: (1 - u, 1 - v), 270: (v, 1 - u)}[self.turned]

    def extent(self, space):
        return {"panel": (1, 1), "mm": self.mm, "px": self.pixels, "view": self.view}.get(space)

    def in_space(self, share, space):
        """A place of the picture in the numbers of a space."""
        if space in ("panel", "mm", "px"):
            return tuple(part * most for part, most in zip(share, self.extent(space)))
        scale = min(size / view for size, view in zip(self.size, self.view))
        place = []
        for part, pixels, at, size, view in zip(share, self.pixels, self.at, self.size, self.view):
            bar = (size - view * scale) / 2
            place.append((part * pixels - at - bar) / scale)
        if space == "view":
            return tuple(place)
        middle = ((part - view / 2) / self.zoom for part, view in zip(place, self.view))
        return tuple(camera + part for camera, part in zip(self.camera, middle))


@dataclass
class Zone:
    space: str
    outline: str
    numbers: list
    anchor: str

    def table(self):
        lines = ["[zone.it]", f'in = "{self.space}"', f"{self.outline} = {self.numbers}"]
        lines += [f'anchor = "{self.anchor}"'] if self.space != "world" else []
        return lines + ["[action.it]", 'gives = "on"', 'from = { zone = "it" }']

    def has(self, surface, share):
        """Whether a place of the picture is in the zone."""
        x, y = surface.in_space(share, self.space)
        if self.space != "world":
            # Its numbers count from its corner, inwards.
            width, height = surface.extent(self.space)
            from_right, from_bottom = CORNERS[self.anchor]
            x, y = width - x if from_right else x, height - y if from_bottom else y
        if self.outline == "rect":
            left, top, width, height = self.numbers
            return left <= x < left + width and top <= y < top + height
        if self.outline == "circle":
            # It is round in millimetres; its radius is measured along x.
            (cx, cy, r), (wide, high) = self.numbers, surface.mm
            units = (1, 1) if self.space == "panel" else surface.pixels
            squeezed = 1 if self.space == "mm" else (high / units[1]) / (wide / units[0])
            return (x - cx) ** 2 + ((y - cy) * squeezed) ** 2 < r * r
        return is_inside(self.numbers, x, y)


def is_inside(corners, x, y):
    """Whether a ray from a place crosses the border an odd number of times."""
    crossings = 0
    for (ax, ay), (bx, by) in zip(corners, corners[1:] + corners[:1]):
        if (ay > y) != (by > y) and x < ax + (y - ay) / (by - ay) * (bx - ax):
            crossings += 1
    return crossings % 2 == 1


def a_surface(dice):
    turned = dice.choice([0, 90, 180, 270])
    is_upright = turned in (0, 180)
    # What the device reports, or what counts where nobody says it.
    mm, says_mm = (160, 90) if is_upright else (90, 160), dice.random() < 0.5
    if says_mm:
        mm = dice.choice([(160, 90), (90, 160), (200, 100), (120, 120)])
    pixels = (1920, 1080) if is_upright else (1080, 1920)
    at = tuple(dice.randint(0, most // 4) for most in pixels)
    size = tuple(dice.randint(most // 3, most - by) for most, by in zip(pixels, at))
    view = dice.choice([(1280, 720), (640, 480), (300, 900)])
    camera = dice.randint(-100, 100), dice.randint(-100, 100)
    zoom = dice.choice([0.5, 1, 3.7])
    return Surface(turned, pixels, mm, says_mm, at, size, view, camera, zoom)


def a_zone(dice, surface):
    space = dice.choice(["panel", "px", "view", "world"] + (["mm"] if surface.says_mm else []))
    extent = surface.extent(space)
    low, most = (0, 0), extent
    if space == "world":
        low = tuple(c - v / surface.zoom / 2 for c, v in zip(surface.camera, surface.view))
        most = tuple(view / surface.zoom for view in surface.view)

    def place(share_x, share_y):
        shares = zip((share_x, share_y), low, most)
        return [round(start + share * whole, 3) for share, start, whole in shares]

    outline = dice.choice(["rect", "circle", "polygon"])
    x, y = dice.uniform(0, 0.6), dice.uniform(0, 0.6)
    if outline == "rect":
        size = [round(dice.uniform(0.1, 0.4) * whole, 3) for whole in most]
        numbers = place(x, y) + size
    elif outline == "circle":
        numbers = [*place(x + 0.2, y + 0.2), round(dice.uniform(0.1, 0.3) * most[0], 3)]
    else:
        corners = [(x, y), (x + 0.4, y + 0.05), (x + 0.3, y + 0.4), (x + 0.15, y + 0.2)]
        numbers = [place(*corner) for corner in corners]
    return Zone(space, outline, numbers, dice.choice(list(CORNERS)))


def taps(dice):
    """Each tap as the instant at which it lands between two polls, and its place."""
    for n in range(TAPS):
        place = tuple(dice.randint(0, end) for end in ENDS)
        yield int((2 * n + 0.5) * 1e9 / HZ), place


@pytest.mark.parametrize("seed", range(150))
def test_zones_lie_where_the_page_says(seed, tmp_path):
    dice = random.Random(seed)
    surface = a_surface(dice)
    zone, all_taps = a_zone(dice, surface), list(taps(dice))
    reports = []
    for time, place in all_taps:
        reports += [(time, 1, place), (time, 1, True), (time + 10**9 // HZ, 1, False)]
    resolution = dice.choice([None, ENDS[0] // 160])
    lines = a_glass(reports, 1, ENDS, (2 * TAPS + 2) * 10**9 // HZ, resolution)
    told = replayed_texts(tmp_path, rig_of(HZ, surface.table(), zone.table()), lines)
    seen = set()
    for n, (_, place) in enumerate(all_taps):
        said = [action["value"] for action in told[2 * n + 1].get("actions", [])] == [True]
        share = surface.picture(place)
        around = [(share[0] + dx, share[1] + dy) for dx in (-1e-4, 1e-4) for dy in (-1e-4, 1e-4)]
        if len({zone.has(surface, at) for at in around}) == 1:
            assert said == zone.has(surface, share), f"tap {n} at {share}"
            seen.add(said)
    assert seen
