"""Where the axis of a blade goes whose tip trails behind it, so that the tip follows the line (arithmetic.md §9)."""

from __future__ import annotations

import itertools
import math
from dataclasses import replace

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.pieces.toolpath import Arc, Stroke
from keen_compass.quantities.geometry import Point

STRAIGHT_ON = math.radians(1.0)  # a turn that the blade takes by itself


def led(stroke: Stroke, trails: float) -> Stroke:
    """The same line for a blade that trails by so much, mm.

    The axis runs ahead of the tip by that much; at a corner it goes round the tip, which is on the corner, until it
    lies ahead in the new direction. Raises PieceError for a line with arcs, and where an edge has no length.
    """
    if not trails:
        return stroke
    if stroke.arcs:
        raise PieceError(tr("a blade that trails follows straight lines here"), "trails")
    corners = stroke.points
    ways = [_way(a, b) for a, b in itertools.pairwise(corners)]
    points, arcs = [_ahead(corners[0], ways[0], trails)], []
    for k, way in enumerate(ways):
        at = corners[k + 1]
        points.append(_ahead(at, way, trails))
        if k + 1 == len(ways):
            break
        (ux, uy), (vx, vy) = way, ways[k + 1]
        turn = math.atan2(ux * vy - uy * vx, ux * vx + uy * vy)
        if abs(turn) > STRAIGHT_ON:
            points.append(_ahead(at, ways[k + 1], trails))
            arcs.append(Arc(len(points) - 1, at, turn > 0))
    return replace(stroke, points=tuple(points), arcs=tuple(arcs))


def _way(a: Point, b: Point) -> Point:
    long = math.dist(a, b)
    if not long:
        raise PieceError(tr("two corners lie in one place"), "trails")
    return (b[0] - a[0]) / long, (b[1] - a[1]) / long


def _ahead(at: Point, way: Point, by: float) -> Point:
    return at[0] + by * way[0], at[1] + by * way[1]
