"""A cut file laid onto a print: every place in it goes where a map says, everything else stays as it is, byte by byte.

What the file draws is measured on the way: how many strokes, how long, and what they cover afterwards.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import NamedTuple

from keen_compass.errors import FileFormatError, InputError
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point
from keen_compass.solve.warp import Warp, lengths

LARGEST = 200_000_000  # bytes
MOST_MARKS = 100
MOST_SHOWN = 50_000  # points of a picture
_INSTRUCTION = re.compile(rb"[A-Za-z]{2}[\s;\d.-]")  # of HP-GL; G-code’s words begin with one letter
SAME_CROSS = 0.5  # mm, within which the middles of two crosses are one
MARKS = "marks"  # the layer that holds them, where no other is named
LARGEST_CROSS = 40.0  # mm
SQUARE = 0.05  # |cosine| up to which two strokes cross squarely


@dataclass
class Drawn:
    """What a file draws: counted stroke by stroke while it is gone through. Lengths in mm, places of the machine."""

    strokes: int = 0
    before: float = 0.0
    after: float = 0.0
    low: Point = (math.inf, math.inf)
    high: Point = (-math.inf, -math.inf)
    paths: list[list[Point]] = field(default_factory=list)  # as they will be, so far as a picture needs them
    _shown: int = 0

    def draw(self, before: Sequence[Point], after: Sequence[Point], *, begins: bool = False) -> None:
        """A stretch of a stroke, as it was and as it will be; begins: it is the stroke's first."""
        self.strokes += begins
        self.before += sum(lengths(before))
        self.after += sum(lengths(after))
        for x, y in after:
            self.low = min(self.low[0], x), min(self.low[1], y)
            self.high = max(self.high[0], x), max(self.high[1], y)
        if self._shown < MOST_SHOWN:
            self._shown += len(after)
            if begins or not self.paths:
                self.paths.append(list(after))
            else:
                self.paths[-1] += after[1:]


class Fitted(NamedTuple):
    """The file's bytes as they will be, and what they draw."""

    data: bytes
    drawn: Drawn


@dataclass
class Crosses:
    """Strokes of the layer that holds the marks, mm: where two of them cross is a mark, in the order of the file."""

    layer: str = MARKS
    marks: list[Point] = field(default_factory=list)
    _segments: list[tuple[Point, Point]] = field(default_factory=list)

    def add(self, points: Sequence[Point]) -> None:
        """A stroke of straight stretches."""
        for one in pairwise(points):
            for other in self._segments:
                at = _crossing(one, other)
                if at is not None:
                    self.middle(at)
            self._segments.append(one)

    def middle(self, at: Point) -> None:
        """A mark itself, once."""
        if all(math.dist(at, m) > SAME_CROSS for m in self.marks):
            self.marks.append(at)
        if len(self.marks) > MOST_MARKS:
            raise InputError(tr("more than {most_marks} crosses", most_marks=MOST_MARKS))

    def on_layer(self, name: str) -> bool:
        """Whether what is on a layer of that name is meant."""
        return name.lower() == self.layer.lower()


def kind_of_file(data: bytes, name: str = "") -> str:
    """gcode, hpgl, svg or dxf: by what is in it; by its name where that could be several."""
    start = data.lstrip(b"\xef\xbb\xbf \t\r\n")[:2000]
    if b"<svg" in data[:100_000] and start[:1] == b"<":
        return "svg"
    if b"Binary DXF" in start[:30]:
        raise FileFormatError(tr("a binary DXF: save it as text"))
    if start.split(b"\n")[0].strip() in (b"0", b"999") and (b"SECTION" in start or start.startswith(b"999")):
        return "dxf"
    if name.lower().endswith((".plt", ".hpgl", ".hgl", ".pl")) or _INSTRUCTION.match(start):
        return "hpgl"
    if not start:
        raise FileFormatError(tr("the file is empty"))
    return "gcode"


def fit_file(data: bytes, warp: Warp, name: str = "") -> Fitted:
    """The same file with every place where the map says. Raises FileFormatError with the line of what can't be."""
    if len(data) > LARGEST:
        raise FileFormatError(tr("larger than {largest} MB", largest=LARGEST // 1_000_000))
    return _read(kind_of_file(data, name), data, warp, Crosses())


def plain_crosses(paths: Sequence[Sequence[Point]]) -> list[Point]:
    """Where two single strokes halve one another squarely: crosses of files that have no layers, in their order."""
    crosses = Crosses()
    halved: dict[tuple[int, int], list[Sequence[Point]]] = {}  # by about where their middles are
    for path in paths:
        if len(path) != 2 or not 0 < math.dist(*path) <= LARGEST_CROSS:
            continue
        middle = (path[0][0] + path[1][0]) / 2, (path[0][1] + path[1][1]) / 2
        i, j = (round(v / SAME_CROSS) for v in middle)
        near = [other for di in (-1, 0, 1) for dj in (-1, 0, 1) for other in halved.get((i + di, j + dj), ())]
        if len(crosses.marks) == MOST_MARKS:  # a pattern of them
            return []
        if any(_square(path, other) for other in near):
            crosses.middle(middle)
        halved.setdefault((i, j), []).append(path)
    return crosses.marks


def _square(one: Sequence[Point], other: Sequence[Point]) -> bool:
    (ax, ay), (bx, by) = one
    (cx, cy), (dx, dy) = other
    along = (bx - ax) * (dx - cx) + (by - ay) * (dy - cy)
    return abs(along) <= SQUARE * math.dist(*one) * math.dist(*other)


def marks_in(data: bytes, name: str = "", layer: str = MARKS) -> list[Point]:
    """The crosses on the layer that holds the marks, mm in the file's own coordinates."""
    kind, crosses = kind_of_file(data, name), Crosses(layer)
    if kind not in ("svg", "dxf"):
        raise InputError(tr("this file has no layers: give the marks as X,Y;X,Y"), "--marks")
    _read(kind, data, Warp(), crosses)
    if not crosses.marks:
        raise InputError(tr("no cross stands on a layer named {layer}", layer=layer), "--marks")
    return crosses.marks


def _read(kind: str, data: bytes, warp: Warp, crosses: Crosses) -> Fitted:
    from keen_compass.formats.fit_dxf import fit_dxf
    from keen_compass.formats.fit_gcode import fit_gcode
    from keen_compass.formats.fit_hpgl import fit_hpgl
    from keen_compass.formats.fit_svg import fit_svg

    match kind:
        case "svg":
            return fit_svg(data, warp, crosses)
        case "dxf":
            return fit_dxf(data, warp, crosses)
        case "hpgl":
            return fit_hpgl(data, warp)
        case _:
            return fit_gcode(data, warp)


def written(value: float, decimals: int) -> str:
    """A number as files have it: no more decimals than it needs, never −0."""
    text = f"{value:.{decimals}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in ("-0", "") else text


def _crossing(one: tuple[Point, Point], other: tuple[Point, Point]) -> Point | None:
    """Where two stretches cross, away from their ends."""
    (ax, ay), (bx, by) = one
    (cx, cy), (dx, dy) = other
    det = (bx - ax) * (dy - cy) - (by - ay) * (dx - cx)
    if abs(det) < 1e-12:
        return None
    s = ((cx - ax) * (dy - cy) - (cy - ay) * (dx - cx)) / det
    t = ((cx - ax) * (by - ay) - (cy - ay) * (bx - ax)) / det
    if not (0.1 < s < 0.9 and 0.1 < t < 0.9):
        return None
    return ax + s * (bx - ax), ay + s * (by - ay)
