"""Where a file's places are to be commanded: a plane map, and what it makes of arcs and curves (arithmetic.md §9).

A machine that errs puts a commanded place p at A·p, with A = [[1 + s_x, (1 + s_y)·sin γ], [0, (1 + s_y)·cos γ]]; so
what is wanted at q is commanded at A⁻¹·q. An arc stays one wherever the map leaves it within `WITHIN` of a circle.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point

# Model of marks → what its map contains, so that nothing else corrects it too; the machine’s errors alone are no map.
CONTAINS: dict[str, tuple[str, ...]] = {
    "errors": (),
    "shift": ("shift",),
    "similarity": ("shift", "turn", "scale"),
    "affine": ("shift", "turn", "scale", "skew"),
    "projective": ("shift", "turn", "scale", "skew"),
}
Rows = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]
SAME: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
WITHIN = 0.004  # mm, that a curve may lie off what is written for it; numbers are rounded besides
SAMPLES = 24  # places at which a mapped arc is held against a circle, at least
MOST_CHORDS = 20_000
FARTHEST = 1e6  # mm, that anything may be sent


@dataclass(frozen=True, slots=True)
class Warp:
    """A projective map of the plane, mm; rows of its homogeneous matrix."""

    rows: Rows = SAME

    def at(self, p: Point) -> Point:
        """Where a place goes. Raises InputError for one that goes nowhere a machine can be."""
        (a, b, c), (d, e, f), (g, h, i) = self.rows
        below = g * p[0] + h * p[1] + i
        if below <= 0:
            raise InputError(tr("the map turns a part of the file inside out: were the marks taken in that order?"))
        x, y = (a * p[0] + b * p[1] + c) / below, (d * p[0] + e * p[1] + f) / below
        if not (abs(x) <= FARTHEST and abs(y) <= FARTHEST):
            raise InputError(tr("the map sends a part of the file out of the world"))
        return x, y

    def after(self, first: Warp) -> Warp:
        """This map of what another one gives."""
        found = tuple(
            tuple(sum(self.rows[i][k] * first.rows[k][j] for k in range(3)) for j in range(3)) for i in range(3)
        )
        return Warp(found)  # type: ignore[arg-type]

    @property
    def affine(self) -> bool:
        """Whether parallels stay parallel."""
        g, h, i = self.rows[2]
        return abs(g) < 1e-15 and abs(h) < 1e-15 and i > 0

    @property
    def mirrored(self) -> bool:
        """Whether left and right are swapped."""
        (a, b, c), (d, e, f), (g, h, i) = self.rows
        return a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g) < 0

    @property
    def stretch(self) -> float:
        """By how much it makes lengths longer at most, about the file's zero."""
        (a, b, c), (d, e, f), (g, h, i) = self.rows
        rows = ((a - c * g) / i, (b - c * h) / i, (d - f * g) / i, (e - f * h) / i)
        return math.hypot(*rows)

    @property
    def scale(self) -> float | None:
        """Of a similarity; None of any other map."""
        (a, b, _), (d, e, _), _ = self.rows
        size = math.hypot(a, d)
        way = -1.0 if self.mirrored else 1.0
        alike = math.hypot(a - way * e, b + way * d) <= 1e-9 * size
        return size / self.rows[2][2] if self.affine and alike else None

    def arc(self, start: Point, centre: Point, turn: float) -> tuple[Point, float] | None:
        """(centre, turn in rad) of what becomes of an arc, where that is one; None where it is none."""
        there = [self.at(p) for p in along(start, centre, turn, max(SAMPLES, math.ceil(abs(turn) / 0.1)))]
        found = _circle(there[0], there[len(there) // 3], there[2 * len(there) // 3])
        if found is None:
            return None
        middle, r = found
        if any(abs(math.dist(p, middle) - r) > WITHIN for p in there):
            return None
        way = 1 if (turn > 0) is not self.mirrored else -1
        whole = abs(turn) > math.tau - 1e-9  # what it turns by is another angle where its centre is another place
        return middle, way * math.tau if whole else turned(there[0], there[-1], middle, way)

    def chords(self, start: Point, centre: Point, turn: float) -> list[Point]:
        """Places after the start that lead along what becomes of an arc, the last one where it ends."""
        r = math.dist(start, centre) * max(self.stretch, 1e-9)
        each = 2 * math.acos(max(1 - WITHIN / r, 0.0)) if r > WITHIN else math.pi / 2
        return [self.at(p) for p in along(start, centre, turn, min(max(math.ceil(abs(turn) / each), 2), MOST_CHORDS))][
            1:
        ]

    def bent(self, curve: Sequence[Point]) -> list[Point]:
        """The same of a Bézier curve of the second or third degree."""
        n = len(curve) - 1
        bend = max(
            math.hypot(a[0] - 2 * b[0] + c[0], a[1] - 2 * b[1] + c[1])
            for a, b, c in zip(curve, curve[1:], curve[2:], strict=False)
        )
        count = min(max(math.ceil(math.sqrt(n * (n - 1) * bend * self.stretch / (8 * WITHIN))), 1), MOST_CHORDS)
        return [self.at(_bezier(curve, i / count)) for i in range(1, count + 1)]


def along(start: Point, centre: Point, turn: float, count: int) -> list[Point]:
    """`count` + 1 places along an arc, its start the first."""
    r, begun = math.dist(start, centre), math.atan2(start[1] - centre[1], start[0] - centre[0])
    angles = (begun + turn * i / count for i in range(count + 1))
    return [(centre[0] + r * math.cos(a), centre[1] + r * math.sin(a)) for a in angles]


def turned(start: Point, end: Point, centre: Point, way: int) -> float:
    """By how much (rad) an arc turns from start to end, anticlockwise for way 1; a whole circle where they are one."""
    a, b = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (start, end))
    if math.dist(start, end) < 1e-9:
        return way * math.tau
    return way * ((way * (b - a)) % math.tau or math.tau)


def erring(x_scale: float, y_scale: float, skew: float) -> Warp:
    """Where a machine that errs puts what it is sent to: A. Scales and tan γ as numbers, not per mille."""
    gamma = math.atan(skew)
    return Warp(
        ((1 + x_scale, (1 + y_scale) * math.sin(gamma), 0.0), (0.0, (1 + y_scale) * math.cos(gamma), 0.0), SAME[2])
    )


def undone(warp: Warp) -> Warp:
    """The inverse of an affine map without a shift."""
    (a, b, _), (c, d, _), _ = warp.rows
    det = a * d - b * c
    if not abs(det) > 1e-9:
        raise InputError(tr("a machine that errs so much cuts nothing"), "--errors")
    return Warp(((d / det, -b / det, 0.0), (-c / det, a / det, 0.0), SAME[2]))


def _bezier(curve: Sequence[Point], t: float) -> Point:
    points = list(curve)
    while len(points) > 1:
        points = [(a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])) for a, b in pairwise(points)]
    return points[0]


def _circle(a: Point, b: Point, c: Point) -> tuple[Point, float] | None:
    """(centre, radius) of the circle through three places; None where they lie in a line."""
    bx, by, cx, cy = b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]
    d = 2 * (bx * cy - by * cx)
    if abs(d) < 1e-12 * max(math.hypot(bx, by) * math.hypot(cx, cy), 1e-30):
        return None
    b2, c2 = bx * bx + by * by, cx * cx + cy * cy
    x, y = (cy * b2 - by * c2) / d, (bx * c2 - cx * b2) / d
    return (a[0] + x, a[1] + y), math.hypot(x, y)


def lengths(points: Sequence[Point]) -> Iterator[float]:
    """Of each stretch between places that follow one another."""
    return (math.dist(a, b) for a, b in pairwise(points))
