"""A printed sheet: marks at its corners, targets over it, a check bar each way, its number. Lengths in mm from the
sheet's lower left corner as it lies before whoever reads it.

Marks are numbered round the sheet from the lower left one, which looks unlike the others: so a sheet that is loaded
turned, or visited in another order, can be told.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from keen_compass.errors import PieceError
from keen_compass.quantities.geometry import Point

PAPERS: dict[str, tuple[float, float]] = {
    "A5": (148.0, 210.0), "A4": (210.0, 297.0), "A3": (297.0, 420.0), "A2": (420.0, 594.0),
    "Letter": (215.9, 279.4), "Legal": (215.9, 355.6), "Tabloid": (279.4, 431.8),
}  # fmt: skip
SMALLEST, LARGEST = 140.0, 3000.0  # mm, of a side
INSET = 22.0  # mm from the edge to a mark: clear of grips and of what a printer can't reach
CROSS = 5.0  # mm from a mark's middle to its end
TARGET = 4.0  # mm, the same of a target's cross
RINGS = (1.0, 2.0, 3.0)  # mm, radii about a target
LONGEST_BAR = 100.0  # mm
BAR_IN = 11.0  # mm from the edge to a bar
ROUND_BAR = 10.0  # bars are multiples of it
CODE = 22.0  # mm, side of the code
WORDS = 30.0  # mm above the lower marks, for words
APART = 8.0  # mm between a target and anything else
MOST_NUMBER = 999_999


@dataclass(frozen=True, slots=True)
class Mark:
    """A cross. unlike: the one that is different."""

    at: Point
    unlike: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """kind: of what (registration, pointer). bars: (from, to) of a check bar each way. number: of the sheet."""

    kind: str
    width: float
    height: float
    number: int
    marks: tuple[Mark, ...]
    targets: tuple[Point, ...]
    bars: tuple[tuple[Point, Point], tuple[Point, Point]]

    @property
    def code(self) -> str:
        """What its printed code says."""
        return f"KC {self.kind} {self.number}"

    @property
    def code_at(self) -> Point:
        """Lower left corner of the code: in the middle between the upper marks."""
        return (self.width - CODE) / 2, self.height - INSET - CODE + CROSS

    def to_json(self) -> dict[str, Any]:
        """What is on it, for other programs."""
        return {
            "sheet": {"number": self.number, "size": [self.width, self.height], "code": self.code,
                      "corner": "lower left, at the unlike mark: the machine’s low X, low Y"},
            "marks": [{"at": list(m.at), "unlike": m.unlike} for m in self.marks],
            "targets": [{"at": list(t)} for t in self.targets],
            "bars": [{"from": list(a), "to": list(b)} for a, b in self.bars],
        }  # fmt: skip


def sheet(kind: str, size: tuple[float, float], number: int, *, targets: bool) -> Page:
    """A sheet of that size with a mark at each corner. Raises PieceError where it is too small or too large."""
    width, height = size
    if not (min(size) >= SMALLEST and max(size) <= LARGEST):
        raise PieceError(f"a sheet is {SMALLEST:g} to {LARGEST:g} mm long either way", "size")
    if not 1 <= number <= MOST_NUMBER:
        raise PieceError(f"expected a number from 1 to {MOST_NUMBER}", "number")
    x0, y0, x1, y1 = INSET, INSET, width - INSET, height - INSET
    marks = (Mark((x0, y0), unlike=True), Mark((x1, y0)), Mark((x1, y1)), Mark((x0, y1)))
    return Page(kind, width, height, number, marks, _targets(size) if targets else (), _bars(size))


def _targets(size: tuple[float, float]) -> tuple[Point, ...]:
    """Five, spread over the sheet, clear of its marks and its code."""
    width, height = size
    low, high = INSET + CROSS + WORDS + APART, height - INSET - CODE + CROSS - APART
    xs, ys = (width * 0.28, width * 0.72), (max(height * 0.34, low), min(height * 0.78, high))
    return ((xs[0], ys[0]), (xs[1], ys[0]), (xs[1], ys[1]), (xs[0], ys[1]), (width / 2, (ys[0] + ys[1]) / 2))


def _bars(size: tuple[float, float]) -> tuple[tuple[Point, Point], tuple[Point, Point]]:
    """Along the lower edge and up the left one, in the middle of it."""
    width, height = size
    along, up = (min(LONGEST_BAR, (side - 2 * (INSET + CROSS)) // ROUND_BAR * ROUND_BAR) for side in (width, height))
    left, low = (width - along) / 2, (height - up) / 2
    return ((left, BAR_IN), (left + along, BAR_IN)), ((BAR_IN, low), (BAR_IN, low + up))
