"""A printed sheet: marks at its corners, targets over it, a check bar each way, its number. Lengths in mm from the
sheet's lower left corner as it lies before whoever reads it; for a machine whose axes run the other way round, from its
upper left one, with Y down the paper.

Marks are numbered round the sheet from the lower left one, which looks unlike the others: so a sheet that is loaded
turned, or visited in another order, can be told.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import MM_PER_INCH, UNITS_MM, trim_number

Tick = tuple[Point, Point]  # from one end to the other
PAPERS: dict[str, tuple[float, float]] = {
    "A5": (148.0, 210.0),
    "A4": (210.0, 297.0),
    "A3": (297.0, 420.0),
    "A2": (420.0, 594.0),
    "Letter": (215.9, 279.4),
    "Legal": (215.9, 355.6),
    "Tabloid": (279.4, 431.8),
}
SMALLEST, LARGEST = 140.0, 3000.0  # mm, of a side
INSET = 22.0  # mm from the edge to a mark: clear of grips and of what a printer can't reach
CROSS = 5.0  # mm from a mark's middle to its end
ARM = 5.0  # mm, of a drawn cross
TARGET = 4.0  # mm, the same of a target's cross
RINGS = (1, 2, 3)  # divisions, radii about a target
DIVISIONS, MOST_TICKS = 20, 10  # the drawn vernier has 20 ticks for 19 of the printed one; ticks each way
# Axis → mm from the target to both ends of a tick, so that no scale crosses the other.
DRAWN_TICKS = {"x": (3.4, 6.0), "y": (11.4, 14.0)}
PRINTED_TICKS = {"x": (6.0, 9.0), "y": (14.0, 17.0)}
CUT_TICK = 3.0  # mm, half of a tick whose distance to another one is measured
BAR_IN = 11.0  # mm from the edge to a bar
CODE = 22.0  # mm, side of the code
WORDS = 30.0  # mm above the lower marks, for words
APART = 8.0  # mm between a target and anything else
MOST_NUMBER = 999_999


class Graduation(NamedTuple):
    """How what is read off a sheet is divided.

    unit: mm or in. division: mm, between rings and between the ticks of a printed vernier. bar: mm; check bars are
    multiples of it. longest: mm, of a check bar.
    """

    unit: str
    division: float
    bar: float
    longest: float

    def length(self, mm: float) -> str:
        """A nominal length with its unit: ``100 mm``, ``4 in``."""
        return f"{trim_number(mm / UNITS_MM[self.unit], 4)} {self.unit}"


GRADUATIONS = {
    "mm": Graduation("mm", 1.0, 10.0, 100.0),
    "in": Graduation("in", 0.04 * MM_PER_INCH, 0.5 * MM_PER_INCH, 4 * MM_PER_INCH),
}
METRIC = GRADUATIONS["mm"]


class Offset(NamedTuple):
    """How what a tool drew lies beside a target, mm on the paper (Y up); U: expanded (95 %), each way."""

    at: Point
    U: Point


@dataclass(frozen=True, slots=True)
class Mark:
    """A cross. unlike: the one that is different."""

    at: Point
    unlike: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """kind: of what (registration, pointer). bars: (from, to) of a check bar each way. number: of the sheet.

    down: Y runs down the paper. fine: each target has a vernier each way, ticks for X, dots for Y. name: of the job
    that it is printed for. art: where its artwork stands, mm from the paper's upper left corner to its own, Y down.
    graduation: of its rings, verniers and bars.
    """

    kind: str
    width: float
    height: float
    number: int
    marks: tuple[Mark, ...]
    targets: tuple[Point, ...]
    bars: tuple[tuple[Point, Point], tuple[Point, Point]]
    down: bool = False
    fine: bool = False
    name: str = ""
    art: tuple[Point, ...] = ()
    graduation: Graduation = METRIC

    def on_paper(self, at: Point) -> Point:
        """Where a place is from the paper's lower left corner as it is read."""
        return (at[0], self.height - at[1]) if self.down else at

    @property
    def bar_lengths(self) -> tuple[float, float]:
        """Of its check bars along X and Y, mm."""
        return bar_lengths((self.width, self.height), self.graduation)

    @property
    def code(self) -> str:
        """What its printed code says."""
        return f"KC {self.kind} {self.number}"

    @property
    def code_at(self) -> Point:
        """Corner of the code at lowest X and Y: in the middle between the marks 3 and 4."""
        return (self.width - CODE) / 2, self.height - INSET - CODE + CROSS

    def drawn_at(self, target: Point) -> tuple[tuple[Point, Point], ...]:
        """What the tool draws at a target where everything is right, line by line: a cross, its half of verniers."""
        x, y = target
        cross = ((x - ARM, y), (x + ARM, y)), ((x, y - ARM), (x, y + ARM))
        ticks = [t for axis in "xy" for t in self.ticks(target, axis, printed=False)] if self.fine else []
        return (*cross, *ticks)

    def ticks(self, at: Point, axis: str, *, printed: bool) -> tuple[tuple[Point, Point], ...]:
        """Of a target's vernier along an axis, as `vernier_ticks` has them."""
        return vernier_ticks(at, axis, self.graduation.division, printed=printed)

    def to_json(self) -> JsonObject:
        """What is on it, and what the tool is to draw on it, for other programs; axes: where +X and +Y point on it."""
        corner = f"{'upper' if self.down else 'lower'} left, at the unlike mark: the machine’s low X, low Y"
        return {
            "sheet": {
                "kind": self.kind,
                "number": self.number,
                "size": [self.width, self.height],
                "code": self.code,
                "corner": corner,
            },
            "marks": [{"at": list(self.on_paper(m.at)), "unlike": m.unlike} for m in self.marks],
            "targets": [{"at": list(self.on_paper(t))} for t in self.targets],
            "drawn": [
                {"target": i, "strokes": [[list(self.on_paper(p)) for p in stroke] for stroke in self.drawn_at(t)]}
                for i, t in enumerate(self.targets, 1)
            ],
            "axes": {"x": [1.0, 0.0], "y": [0.0, -1.0 if self.down else 1.0]},
            "bars": [{"from": list(self.on_paper(a)), "to": list(self.on_paper(b))} for a, b in self.bars],
            **({"artwork": [{"at": [x, self.height - y]} for x, y in self.art]} if self.art else {}),
        }


def vernier_ticks(at: Point, axis: str, division: float, *, printed: bool) -> tuple[tuple[Point, Point], ...]:
    """Ticks of a target's vernier along an axis, from the lowest: as printed, or as the tool draws them where its cross
    lies on the target. division: mm, of the printed one.
    """
    pitch = division if printed else division * (1 - 1 / DIVISIONS)
    near, far = (PRINTED_TICKS if printed else DRAWN_TICKS)[axis]
    found = []
    for k in range(-MOST_TICKS, MOST_TICKS + 1):
        ends = ((k * pitch, near), (k * pitch, far)) if axis == "x" else ((-near, k * pitch), (-far, k * pitch))
        (ax, ay), (bx, by) = ends
        found.append(((at[0] + ax, at[1] + ay), (at[0] + bx, at[1] + by)))
    return tuple(found)


def cut_ticks(size: tuple[float, float], graduation: Graduation = METRIC) -> dict[str, tuple[Tick, Tick]]:
    """Axis → the two ticks whose distance along it is as long as such a sheet allows, each as (from, to): on free
    paper, clear of marks, words, code and targets.
    """
    width, height = size
    (left, _), _, (_, upper), *_ = _targets(size)
    above, aside = (upper + TARGET + height - INSET - CROSS) / 2, (left + width / 2) / 2
    lowest = INSET + CROSS + WORDS + CUT_TICK
    along = (width - 2 * INSET) // graduation.bar * graduation.bar
    up = (height - INSET - CROSS - lowest) // graduation.bar * graduation.bar
    x0 = (width - along) / 2

    def upright(x: float) -> Tick:
        return (x, above - CUT_TICK), (x, above + CUT_TICK)

    def level(y: float) -> Tick:
        return (aside - CUT_TICK, y), (aside + CUT_TICK, y)

    return {"x": (upright(x0), upright(x0 + along)), "y": (level(lowest), level(lowest + up))}


def fitting(room: tuple[float, float]) -> dict[str, tuple[float, float]]:
    """Papers that fit there, upright or else lying, mm; by their names."""
    found: dict[str, tuple[float, float]] = {}
    for name, (width, height) in PAPERS.items():
        size = next((s for s in ((width, height), (height, width)) if s[0] <= room[0] and s[1] <= room[1]), None)
        if size:
            found[name] = size
    return found


def sheet(
    kind: str,
    size: tuple[float, float],
    number: int,
    *,
    targets: bool,
    down: bool = False,
    fine: bool = False,
    graduation: Graduation = METRIC,
) -> Page:
    """A sheet of that size with a mark at each corner; down, fine, graduation: as `Page` has it.

    Raises PieceError where it is too small or too large.
    """
    width, height = size
    if not (min(size) >= SMALLEST and max(size) <= LARGEST):
        raise PieceError(
            tr("a sheet is {smallest:g} to {largest:g} mm long either way", smallest=SMALLEST, largest=LARGEST), "size"
        )
    if not 1 <= number <= MOST_NUMBER:
        raise PieceError(tr("expected a number from 1 to {most_number}", most_number=MOST_NUMBER), "number")
    x0, y0, x1, y1 = INSET, INSET, width - INSET, height - INSET
    marks = (Mark((x0, y0), unlike=True), Mark((x1, y0)), Mark((x1, y1)), Mark((x0, y1)))
    return Page(
        kind,
        width,
        height,
        number,
        marks,
        _targets(size) if targets else (),
        _bars(size, graduation),
        down,
        fine,
        graduation=graduation,
    )


def _targets(size: tuple[float, float]) -> tuple[Point, ...]:
    """Five, spread over the sheet, clear of its marks and its code."""
    width, height = size
    low, high = INSET + CROSS + WORDS + APART, height - INSET - CODE + CROSS - APART
    xs, ys = (width * 0.28, width * 0.72), (max(height * 0.34, low), min(height * 0.78, high))
    return ((xs[0], ys[0]), (xs[1], ys[0]), (xs[1], ys[1]), (xs[0], ys[1]), (width / 2, (ys[0] + ys[1]) / 2))


def bar_lengths(size: tuple[float, float], graduation: Graduation) -> tuple[float, float]:
    """Nominal lengths of the check bars along X and Y, mm."""
    bar = graduation.bar
    along, up = (min(graduation.longest, (side - 2 * (INSET + CROSS)) // bar * bar) for side in size)
    return along, up


def _bars(size: tuple[float, float], graduation: Graduation) -> tuple[tuple[Point, Point], tuple[Point, Point]]:
    """Along the lower edge and up the left one, in the middle of it."""
    width, height = size
    along, up = bar_lengths(size, graduation)
    left, low = (width - along) / 2, (height - up) / 2
    return ((left, BAR_IN), (left + along, BAR_IN)), ((BAR_IN, low), (BAR_IN, low + up))
