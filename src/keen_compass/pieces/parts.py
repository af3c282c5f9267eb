"""The lines of what a file cuts or scores, part by part: what a picture of it is held against."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.pieces.job import Contour, Job, Side
from keen_compass.pieces.toolpath import Does
from keen_compass.quantities.geometry import Point


@dataclass(frozen=True)
class Edge:
    """One closed line of a piece, mm: corners, or a circle (centre, radius). hole: what lies within is cut out."""

    corners: tuple[Point, ...]
    centre: Point = (0.0, 0.0)
    radius: float = 0.0
    hole: bool = False

    def ring(self) -> tuple[Point, ...]:
        """As corners."""
        if not self.radius:
            return self.corners
        (x, y), r = self.centre, self.radius
        return tuple((x + r * math.cos(a), y + r * math.sin(a)) for a in (math.tau * i / 120 for i in range(120)))


Part = Sequence[Edge]  # its outside first


def parts_of(job: Job) -> tuple[Part, ...]:
    """The lines of each part of a piece, nominal; of film that is only scored, each closed line by itself.

    Raises InputError where no part has an outside of its own.
    """
    items = [
        item for layer in job.layers if layer.does is Does.CUT for item in layer.items if isinstance(item, Contour)
    ]
    items = items or [item for layer in job.layers for item in layer.items if isinstance(item, Contour)]
    edges = [Edge(c.corners, c.centre, c.radius, c.side is Side.INSIDE) for c in items]
    outside = [e for e in edges if not e.hole]
    if not outside:
        raise InputError(tr("has no part with an outside of its own: it can’t be read from a picture"), "procedure")
    return tuple((o, *(e for e in edges if e.hole and within(e.ring()[0], o))) for o in outside)


def within(at: Point, edge: Edge) -> bool:
    """Whether a place lies in a part's bounds."""
    return all(min(v) <= p <= max(v) for p, v in zip(at, zip(*edge.ring(), strict=True), strict=True))
