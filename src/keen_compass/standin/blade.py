"""The tip of a blade that swivels freely behind its axis, and how its corners come out. Apart from the writers."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from keen_compass.quantities.geometry import Area

Point = tuple[float, float]
FINE = 0.01  # mm, steps of the axis
LATE = (0.65, 0.85)  # of a side: past its start and past the last corner's swing, before the next corner
NEAR = 2.0  # mm from a side or a corner, that belongs to it
BEGINS = math.radians(140)  # which way the tip points when it goes down: wherever it was left


def tip_of(way: Sequence[Point], trails: float) -> list[Point]:
    """Where the tip goes while the axis goes along `way`: it is dragged, always `trails` behind."""
    (x, y), tip = way[0], [(way[0][0] + trails * math.cos(BEGINS), way[0][1] + trails * math.sin(BEGINS))]
    for a, b in itertools.pairwise(way):
        steps = max(math.ceil(math.dist(a, b) / FINE), 1)
        for k in range(1, steps + 1):
            x, y = a[0] + (b[0] - a[0]) * k / steps, a[1] + (b[1] - a[1]) * k / steps
            back = math.atan2(tip[-1][1] - y, tip[-1][0] - x)
            tip.append((x + trails * math.cos(back), y + trails * math.sin(back)))
    return tip


def went_round(tip: Sequence[Point]) -> Area:
    """All that lies within what the tip went round, as a shapely polygon: where it doesn't meet, film tears."""
    from shapely import LineString, Polygon

    cut = LineString([*tip, tip[0]]).simplify(FINE / 20).buffer(FINE)
    return Polygon(cut.exterior).buffer(-FINE)


def spike(tip: Sequence[Point], corner: Point, before: Point) -> float:
    """How far a corner runs over its place (mm), below 0 by how much it is cut short.

    before: unit way in. corner: where the two straight sides would meet.
    """
    near = [p for p in tip if math.dist(p, corner) < NEAR]
    over = max((p[0] - corner[0]) * before[0] + (p[1] - corner[1]) * before[1] for p in near)
    missed = min(math.dist(p, corner) for p in near)
    return over if over > missed else -missed


def corners_of(tip: Sequence[Point]) -> list[float]:
    """`spike` of the four corners of a square that was cut anticlockwise from the middle of its lower side.

    Where its sides really lie is found from what was cut along each, late enough after a corner, and before the next.
    """
    x0, x1 = min(p[0] for p in tip), max(p[0] for p in tip)
    y0, y1 = min(p[1] for p in tip), max(p[1] for p in tip)
    ring = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    sides = [_side(tip, a, b) for a, b in zip(ring, [*ring[1:], ring[0]], strict=True)]
    found = []
    for ((ax, ay), u), ((bx, by), v) in zip(sides, [*sides[1:], sides[0]], strict=True):
        cross = u[0] * v[1] - u[1] * v[0]
        t = ((bx - ax) * v[1] - (by - ay) * v[0]) / cross
        found.append(spike(tip, (ax + t * u[0], ay + t * u[1]), u))
    return found


def _side(tip: Sequence[Point], a: Point, b: Point) -> tuple[Point, Point]:
    """(a point on it, its way), by the principal axis of what lies there."""
    long = math.dist(a, b)
    ux, uy = (b[0] - a[0]) / long, (b[1] - a[1]) / long
    along = [
        p
        for p in tip
        if LATE[0] * long < (p[0] - a[0]) * ux + (p[1] - a[1]) * uy < LATE[1] * long
        and abs((p[1] - a[1]) * ux - (p[0] - a[0]) * uy) < NEAR
    ]
    mx, my = sum(p[0] for p in along) / len(along), sum(p[1] for p in along) / len(along)
    xx, yy = sum((p[0] - mx) ** 2 for p in along), sum((p[1] - my) ** 2 for p in along)
    angle = 0.5 * math.atan2(2 * sum((p[0] - mx) * (p[1] - my) for p in along), xx - yy)
    vx, vy = math.cos(angle), math.sin(angle)
    return (mx, my), ((vx, vy) if vx * ux + vy * uy > 0 else (-vx, -vy))
