"""A printed sheet on a simulated machine: what a printer made of the PDF, and how someone laid it down.

The very file is rendered by a library that shares nothing with the one that wrote it; where a cross is on the paper is
seen in that picture. Lengths in mm; places on the page from its lower left corner, on the machine along its real axes.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

from keen_compass.errors import FileFormatError
from keen_compass.pieces.page import DIVISIONS, DRAWN_TICKS, MOST_TICKS, PRINTED_TICKS
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredValue
from keen_compass.standin.router import Made
from keen_compass.standin.truth import Truth

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Picture = NDArray[np.float64]

POINT = 25.4 / 72  # mm
FINE = 0.02  # mm, a pixel of a rendered piece of the page
LOOKED_AT = 4.6  # mm to each side of where a cross is looked for: less than the square about the unlike one
DARK = 0.5  # of black
LAID_AT = (80.0, 70.0)  # mm from the machine's zero, where sheets are laid
BY_EYE = 0.012  # mm, standard: how well an eye sees two lines run on in one another
EDGE_WITHIN = 1.6  # mm, to both sides of where the edge of a print is looked for
FARTHEST = 6  # mm that a cross may lie off for its verniers to be read
PEN = 0.35  # mm, width of what a pen draws
PEN_COLOUR = (0.75, 0.1, 0.1)
WANDERS = 0.8  # mm, by which the ends of a tick lie off where they should beside their cross
SURE_BACK = 5  # turns
ACROSS = 0.1  # |cosine| below which two lines cross squarely


@dataclass(frozen=True)
class Sheet:
    """The print of `pdf`, as it lies under a machine with this truth and these numbers in its controller."""

    truth: Truth
    settings: Mapping[str, StoredValue]
    pdf: bytes
    seed: int
    size: Point = (1.0, 1.0)  # mm, of a print from elsewhere: then there is no PDF

    def on_machine(self, near: Point, beside: Point = (0.0, 0.0)) -> Point:
        """Where the cross that was ordered near a place of the page really lies; or what was printed beside it, mm on
        the page.
        """
        x, y = self._seen(near) if self.pdf else near  # without a print: a mark that someone drew
        return self.lies_at((x + beside[0], y + beside[1]))

    def lies_at(self, at: Point) -> Point:
        """Where a place of the page as it was ordered really lies."""
        x, y = at
        sx, sy, skew = self.truth.printer
        x, y = x * (1 + sx) + skew * y, y * (1 + sy)
        turn, (a, b) = self._laid()
        wide, high = paper(self.pdf) if self.pdf else self.size
        up = self.truth.buckle * math.sin(math.pi * x / wide) * math.sin(math.pi * y / high)
        if self.truth.laid_turned:  # about its middle, and so that it stays on the machine
            half = math.radians(self.truth.laid_turned)
            across, along = abs(math.cos(half)), abs(math.sin(half))
            u, v = x - wide / 2, y - high / 2
            x = (across * wide + along * high) / 2 + math.cos(half) * u - math.sin(half) * v
            y = (along * wide + across * high) / 2 + math.sin(half) * u + math.cos(half) * v
        c, s = math.cos(turn), math.sin(turn)
        return LAID_AT[0] + a + c * x - s * y, LAID_AT[1] + b + s * x + c * y + up

    def ordered_at(self, at: Point) -> Point:
        """Inverse of `lies_at`."""
        x, y = paper(self.pdf)[0] / 2, paper(self.pdf)[1] / 2
        for _ in range(SURE_BACK):  # the map is nearly a similarity: each turn gains two digits
            (u, v), (ux, uy), (vx, vy) = (self.lies_at(p) for p in ((x, y), (x + 1, y), (x, y + 1)))
            a, b, c, d = ux - u, vx - u, uy - v, vy - v
            du, dv, across = at[0] - u, at[1] - v, a * d - b * c
            x, y = x + (d * du - b * dv) / across, y + (a * dv - c * du) / across
        return x, y

    def drawn(self, made: Made, origin: Point) -> list[list[Point]]:
        """Lines that were drawn, along the machine's real axes; origin: as was set, where its own zero was."""
        ox, oy = self._shift(origin)
        return [[(x + ox, y + oy) for x, y in line] for line in made.lines]

    def _laid(self) -> tuple[float, Point]:
        """As someone laid it down: (turn in rad, mm aside)."""
        rng, (turn, aside) = random.Random(f"{self.seed}/laid"), self.truth.lies
        return math.radians(rng.gauss(0, turn)), (rng.gauss(0, aside), rng.gauss(0, aside))

    def _seen(self, near: Point) -> Point:
        """The same along the machine's own axes: the print is up, so a machine of the other hand has its Y down it."""
        _, high = paper(self.pdf)
        if not self.truth.left_handed:
            return seen_cross(self.pdf, near)
        x, y = seen_cross(self.pdf, (near[0], high - near[1]))
        return x, high - y

    def bar(self, a: Point, b: Point) -> float:
        """How long a check bar is on the paper, between the middles of its ends."""
        sx, sy, _ = self.truth.printer
        _, high = paper(self.pdf)
        ends = [(x, high - y) if self.truth.left_handed else (x, y) for x, y in (a, b)]
        (ax, ay), (bx, by) = (seen_tick(self.pdf, end, upright=a[0] == b[0]) for end in ends)
        return math.hypot((bx - ax) * (1 + sx), (by - ay) * (1 + sy))

    def shown_over(self, near: Point, head: str, hand: random.Random) -> Point:
        """The position that the machine shows with a head over the cross: brought there by a hand and an eye."""
        x, y = self.on_machine(near)
        ox, oy = self.truth.heads.get(head, (0.0, 0.0))
        x, y = x - ox + hand.gauss(0, self.truth.aim), y - oy + hand.gauss(0, self.truth.aim)
        y = (y - self.truth.home_shift("y", self.settings)) / self._scale("y")
        x = (x - self.truth.home_shift("x", self.settings) - self.truth.tan_skew(self.settings) * y) / self._scale("x")
        return round(x, 2), round(y, 2)

    def beside(self, near: Point, made: Made, origin: Point = (0.0, 0.0)) -> Point:
        """Where the drawn cross lies beside a printed one, along the machine's real axes. origin: as was set, where the
        machine's own zero was. Raises FileFormatError where nothing was drawn there.
        """
        x, y = self.on_machine(near)
        drawn = crossings(self.drawn(made, origin))
        nearest = min(drawn, key=lambda d: math.dist(d, (x, y)), default=None)
        if nearest is None:
            raise FileFormatError("nothing was drawn that crosses")
        return nearest[0] - x, nearest[1] - y

    def border(self, at: Point, out: Point, ordered: float, made: Made, origin: Point = (0.0, 0.0)) -> float:
        """What is left between the edge of the print and the cut, mm along `out`: of the edge that should lie `ordered`
        before the place `at` of the page. Raises FileFormatError where nothing is printed or cut there.
        """
        (ex, ey), high = self._edge(at, out, ordered), paper(self.pdf)[1]
        edge = (ex, high - ey) if self.truth.left_handed else (ex, ey)
        (ax, ay), (bx, by) = self.lies_at(edge), self.lies_at((edge[0] + out[0], edge[1] + out[1]))
        length = math.hypot(bx - ax, by - ay)
        u, v = (bx - ax) / length, (by - ay) / length
        dx, dy = self._shift(origin)
        found = []
        for line in made.lines:
            for (px, py), (qx, qy) in pairwise(line):
                cx, cy, wx, wy = px + dx - ax, py + dy - ay, qx - px, qy - py
                across = u * wy - v * wx
                if across and 0 <= (share := (v * cx - u * cy) / across) <= 1:
                    found.append((cx + share * wx) * u + (cy + share * wy) * v)
        if not found:
            raise FileFormatError("nothing was cut there")
        return min(found, key=lambda t: abs(t - ordered))

    def farthest_off(self, ordered: Sequence[Sequence[Point]], made: Made, origin: Point = (0.0, 0.0)) -> float:
        """How far the cut lies anywhere off lines that were ordered on the page, each way, mm."""
        from shapely import MultiLineString, hausdorff_distance
        from shapely.affinity import translate

        wanted = MultiLineString([[self.lies_at(p) for p in line] for line in ordered])
        cut = translate(MultiLineString([list(line) for line in made.lines]), *self._shift(origin))
        return float(hausdorff_distance(wanted, cut, 0.02))

    def _edge(self, at: Point, out: Point, ordered: float) -> Point:
        """Where the print ends along `out`, in the picture of the page, mm from the paper's lower left corner."""
        import numpy as np

        _, high = paper(self.pdf)
        (x, y), (u, v) = ((at[0], high - at[1]), (out[0], -out[1])) if self.truth.left_handed else (at, out)
        x, y = x - ordered * u, y - ordered * v
        dark, (left, top) = _rendered(self.pdf, (x, y), EDGE_WITHIN + 0.5)
        steps = np.arange(-EDGE_WITHIN, min(EDGE_WITHIN, 0.9 * max(ordered, 0.5)), FINE)
        columns = np.clip(((x + steps * u - left) / FINE).astype(int), 0, dark.shape[1] - 1)
        rows = np.clip(((top - y - steps * v) / FINE).astype(int), 0, dark.shape[0] - 1)
        ink = dark[rows, columns]
        if ink.max() <= 0:
            raise FileFormatError("nothing is printed where an edge was looked for")
        last = int(np.nonzero(ink > ink.max() / 2)[0][-1])
        s = float(steps[last]) + FINE / 2
        return x + s * u, y + s * v

    def _shift(self, origin: Point) -> Point:
        """By how much everything was made aside where the machine's own zero was set at `origin`."""
        return origin[0] * self._scale("x") + self.truth.tan_skew(self.settings) * origin[1], origin[1] * self._scale(
            "y"
        )

    def vernier(self, near: Point, axis: str, made: Made, roughly: float, division: float, eye: random.Random) -> float:
        """What a vernier beside a target says: the printed tick or dot in which a drawn tick runs on best.

        roughly: mm, as the cross lies; it says which of several pairs is meant. division: of the printed one, mm.
        """
        k, (x, y) = "xy".index(axis), self.on_machine(near)
        dx, dy = self.beside(near, made)
        cross = (x + dx, y + dy)
        straight = [line[-2:] for line in made.lines if len(line) in (2, 3)]
        drawn = sorted((a[k] + b[k]) / 2 for a, b in straight if _tick_of(cross, a, b, k, division))
        if len(drawn) != 2 * MOST_TICKS + 1:
            raise FileFormatError(f"{len(drawn)} ticks are drawn where {2 * MOST_TICKS + 1} were looked for")
        pitch = division * (1 + self.truth.printer[k])
        away = sum(PRINTED_TICKS[axis]) / 2  # from the cross; a sheet that lies turned has them higher or lower
        middle = self.on_machine(near, (0.0, away) if axis == "x" else (-away, 0.0))[k]
        pairs = [
            (abs(at - (middle + i * pitch) + eye.gauss(0, BY_EYE)), i, j)
            for j, at in enumerate(drawn, -MOST_TICKS)
            for i in range(j - FARTHEST, j + FARTHEST + 1)
            if abs(i) <= MOST_TICKS
        ]
        says = ((miss, division * (i - j * (1 - 1 / DIVISIONS))) for miss, i, j in pairs)
        near_enough = [(miss, value) for miss, value in says if abs(value - roughly) < division / 2]
        if not near_enough:
            raise FileFormatError(f"no pair of ticks lines up with {roughly:.2f}")
        return min(near_enough)[1]

    def picture(self, near: Point, made: Made, reach: float, size: int) -> Picture:
        """What lies about a target, `size` pixels square, `reach` mm to each side along the machine's real axes (Y up):
        paper 1, print and pen 0 … 1, as size×size×3 of red, green, blue.
        """
        import numpy as np

        middle = self.on_machine(near)
        spots = (np.arange(size) + 0.5) * 2 * reach / size - reach
        x, y = np.meshgrid(spots, -spots)
        # The sheet about the target: its own axes as they lie, and back from places to it.
        lies = self._turn()
        u, v = np.einsum("ij,jyx->iyx", np.linalg.inv(lies), np.stack([x, y]))
        seen = np.ones((size, size, 3))
        if self.pdf:
            _, high = paper(self.pdf)
            at = (near[0], high - near[1]) if self.truth.left_handed else near
            dark, (left, top) = _rendered(self.pdf, at, reach * 1.2)
            column = ((at[0] + u - left) / FINE).astype(int)
            row = ((top - at[1] - (-v if self.truth.left_handed else v)) / FINE).astype(int)
            inside = (column >= 0) & (row >= 0) & (column < dark.shape[1]) & (row < dark.shape[0])
            ink = np.zeros((size, size))
            ink[inside] = dark[row[inside], column[inside]]
        else:
            ink = ((np.minimum(abs(u), abs(v)) < PEN / 4) & (np.maximum(abs(u), abs(v)) < 6.0)).astype(float)
        seen -= 0.85 * ink[..., None]
        for line in made.lines:
            for (ax, ay), (bx, by) in pairwise(line):
                if _beyond((ax, bx), middle[0], reach) or _beyond((ay, by), middle[1], reach):
                    continue
                dx, dy = bx - ax, by - ay
                length = math.hypot(dx, dy) or 1.0
                px, py = x + middle[0] - ax, y + middle[1] - ay
                along, across = (px * dx + py * dy) / length, abs(px * dy - py * dx) / length
                drawn = (across < PEN / 2) & (along > -PEN / 2) & (along < length + PEN / 2)
                seen[drawn] = PEN_COLOUR
        clipped: Picture = np.clip(seen, 0.0, 1.0)
        return clipped

    def _turn(self) -> Picture:
        """How the sheet lies turned and stretched, 2×2: sheet → machine."""
        import numpy as np

        (sx, sy, skew), (turn, _) = self.truth.printer, self._laid()
        c, s = math.cos(turn), math.sin(turn)
        lies: Picture = np.array([[c, -s], [s, c]]) @ np.array([[1 + sx, skew], [0.0, 1 + sy]])
        return lies

    def _scale(self, axis: str) -> float:
        stored = self.settings.get(f"{axis}_steps")
        known = isinstance(stored, StoredResolution) and axis in self.truth.motion
        return 1 + (self.truth.scale_error(axis, stored) if known else 0.0)  # type: ignore[arg-type]


def _beyond(ends: Point, middle: float, reach: float) -> bool:
    """Whether all of a line lies farther off than that, along one axis."""
    return abs(sum(ends) / 2 - middle) - abs(ends[1] - ends[0]) / 2 > reach


def _tick_of(cross: Point, a: Point, b: Point, k: int, division: float) -> bool:
    """Whether a drawn line is one of the ticks that belong to a drawn cross, along axis number `k`."""
    near, far = DRAWN_TICKS["xy"[k]]
    low, high = sorted((abs(a[1 - k] - cross[1 - k]), abs(b[1 - k] - cross[1 - k])))
    lies_across = abs(low - near) < WANDERS and abs(high - far) < WANDERS and abs(a[k] - b[k]) < WANDERS
    return lies_across and abs(a[k] - cross[k]) < MOST_TICKS * division


def crossings(lines: Sequence[Sequence[Point]]) -> list[Point]:
    """Where two straight lines that were drawn one after another meet squarely."""
    found = []
    straight = [line[-2:] for line in lines if len(line) in (2, 3)]
    for (a, b), (c, d) in pairwise(straight):
        (ux, uy), (vx, vy) = (b[0] - a[0], b[1] - a[1]), (d[0] - c[0], d[1] - c[1])
        across = ux * vy - uy * vx
        if not across or abs(ux * vx + uy * vy) > ACROSS * math.hypot(ux, uy) * math.hypot(vx, vy):
            continue
        t = ((c[0] - a[0]) * vy - (c[1] - a[1]) * vx) / across
        r = ((c[0] - a[0]) * uy - (c[1] - a[1]) * ux) / across
        if all(-0.1 <= share <= 1.1 for share in (t, r)):
            found.append((a[0] + t * ux, a[1] + t * uy))
    return found


@lru_cache(maxsize=4)
def paper(pdf: bytes) -> Point:
    """Width and height of the first page."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        width, height = document[0].get_size()
    finally:
        document.close()
    return width * POINT, height * POINT


@lru_cache(maxsize=64)
def seen_cross(pdf: bytes, near: Point) -> Point:
    """The middle of the cross on the page near a place: where its two longest strokes have their middles."""
    dark, (left, top) = _rendered(pdf, near, LOOKED_AT)
    columns, rows = dark.sum(axis=0), dark.sum(axis=1)
    return left + _middle(columns) * FINE, top - _middle(rows) * FINE


def seen_tick(pdf: bytes, near: Point, *, upright: bool) -> Point:
    """The end of a check bar near a place: the middle of the tick across it."""
    dark, (left, top) = _rendered(pdf, near, 1.2)
    if upright:
        return near[0], top - _middle(dark.sum(axis=1)) * FINE
    return left + _middle(dark.sum(axis=0)) * FINE, near[1]


def _middle(darkness: Picture) -> float:
    """Middle of the darkest line across a picture, px from its edge: of all columns that are nearly as dark."""
    most = darkness.max()
    if most <= 0:
        raise FileFormatError("nothing is printed where a mark was looked for")
    within = [i for i, v in enumerate(darkness) if v > DARK * most]
    weight = sum(float(darkness[i]) for i in within)
    return sum((i + 0.5) * float(darkness[i]) for i in within) / weight


def _rendered(pdf: bytes, near: Point, reach: float) -> tuple[Picture, Point]:
    """A piece of the page, black as 1, row by row from its top; (left, top) of it on the page."""
    import numpy as np
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        page = document[0]
        wide, high = (v * POINT for v in page.get_size())
        x, y = near
        if not (0 <= x <= wide and 0 <= y <= high):
            raise FileFormatError("nothing is printed beside the page")
        left, low, right, top = (max(side, 0.0) for side in (x - reach, y - reach, wide - x - reach, high - y - reach))
        crop = tuple(side / POINT for side in (left, low, right, top))
        picture = page.render(scale=POINT / FINE, crop=crop, grayscale=True).to_numpy()
    finally:
        document.close()
    gray = np.asarray(picture, float).reshape(picture.shape[0], picture.shape[1])
    # The whole page is as many whole pixels, and so is what is left off it.
    left, top = (math.ceil(side / FINE) * size / math.ceil(size / FINE) for side, size in ((left, wide), (top, high)))
    return 1.0 - gray / 255.0, (left, high - top)
