"""What a tool draws on a sheet, laid by its marks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from keen_compass.pieces.page import ARM, Page
from keen_compass.pieces.toolpath import Stroke
from keen_compass.quantities.geometry import Point

if TYPE_CHECKING:
    from keen_compass.solve.registration import Map

COME_FROM = 3.0  # mm before a line, so that slack is taken up


def mapped(known: Map, places: Sequence[Point]) -> list[Point]:
    """Where places of a sheet lie on the machine."""
    import numpy as np

    return [(float(x), float(y)) for x, y in known.at(np.asarray(places, float))] if places else []


def cross_strokes(at: Point) -> tuple[Stroke, Stroke]:
    """Two lines; at the very end of what the machine can reach only their inner halves."""
    x, y = at
    x0, y0 = (v - ARM if v >= ARM else v for v in at)
    return line_stroke((x0, y), (x + ARM, y)), line_stroke((x, y0), (x, y + ARM))


def line_stroke(a: Point, b: Point) -> Stroke:
    """Come to from below and from the left, as every other one."""
    return Stroke((a, b), approach=before_line(a))


def scale_ticks(known: Map, page: Page, target: Point, axis: str) -> list[Stroke]:
    """A target's drawn vernier: only its first tick is approached, the others are come to from the one before."""
    ticks = [tuple(mapped(known, tick)) for tick in page.ticks(target, axis, printed=False)]
    return [Stroke(ends, approach=None if k else before_line(ends[0])) for k, ends in enumerate(ticks)]


def before_line(at: Point) -> Point:
    return max(at[0] - COME_FROM, 0.0), max(at[1] - COME_FROM, 0.0)
