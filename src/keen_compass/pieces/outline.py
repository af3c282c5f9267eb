"""The line along which a sticker is cut: what its artwork covers, set out by a distance (arithmetic.md §10).

Areas are Shapely's, in mm. Corners are rounded, or mitred as far as the limit allows; holes are kept, smaller by the
same distance, or dropped; parts are cut apart, or in one line that bridges the gaps between them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.geometry import Area, Point

CORNERS = ("round", "mitre")
HOLES = ("keep", "drop")
PARTS = ("apart", "joined")
OFF_ROUND = 0.002  # mm, by which chords may cut a rounded corner short
FINE = 0.004  # mm, within which points on a straight line are left out
WIDEST = 100.0  # mm, of an outset
MITRES = (1.0, 20.0)  # how far beyond the outset a mitre may reach, in outsets
MOST_RINGS = 5_000  # parts and holes of one artwork
MOST_JOINED = 1_000  # parts that are joined by one line
BRIDGED = 0.05  # mm, to which the narrowest bridge is found
LONGEST_BRIDGE = 500.0  # mm


@dataclass(frozen=True, slots=True)
class Outset:
    """How the line lies about the artwork. by: mm; below 0 inside it. smallest: mm, side of a square as large as the
    smallest part or hole that is kept.
    """

    by: float
    corners: str = "round"
    mitre_limit: float = 4.0
    holes: str = "keep"
    parts: str = "apart"
    smallest: float = 0.5

    def __post_init__(self) -> None:
        if not abs(self.by) <= WIDEST:
            raise InputError(tr("an outset is at most {widest:g} mm", widest=WIDEST), "outset")
        if not MITRES[0] <= self.mitre_limit <= MITRES[1]:
            raise InputError(f"{MITRES[0]:g} to {MITRES[1]:g}", "mitre_limit")
        if not 0 <= self.smallest <= WIDEST:
            raise InputError(f"0 to {WIDEST:g} mm", "smallest")
        for name, allowed in (("corners", CORNERS), ("holes", HOLES), ("parts", PARTS)):
            if getattr(self, name) not in allowed:
                raise InputError(tr("expected one of {allowed}", allowed=", ".join(allowed)), name)


@dataclass(frozen=True, slots=True)
class Ring:
    """One closed line of a cut, mm, its first point not repeated. hole: it is cut out of what lies round it."""

    points: tuple[Point, ...]
    hole: bool = False


def outlined(area: Area, outset: Outset) -> tuple[Ring, ...]:
    """The lines to cut about an area, holes first, from the largest part to the smallest. Raises InputError where
    nothing is left.
    """
    cut = _simplified(_set_out(_cleaned(area, outset), outset))
    parts = sorted(polygons(cut), key=lambda p: -p.area)
    if not parts:
        raise InputError(tr("nothing is left to cut round: a smaller outset, or another threshold"), "artwork")
    rings = []
    for part in parts:
        holes = [Ring(_points(hole), hole=True) for hole in part.interiors] if outset.holes == "keep" else []
        rings += [*holes, Ring(_points(part.exterior))]
    return tuple(rings)


def polygons(area: Area) -> list[Area]:
    """The parts of an area, each with its holes."""
    return [p for p in getattr(area, "geoms", [area]) if p.geom_type == "Polygon" and not p.is_empty]


def _cleaned(area: Area, outset: Outset) -> Area:
    """Without parts and holes too small to cut."""
    from shapely import MultiPolygon, Polygon

    least = outset.smallest**2
    kept = []
    for part in polygons(area):
        if part.area < least:
            continue
        holes = [h for h in part.interiors if Polygon(h).area >= least] if outset.holes == "keep" else []
        kept.append(Polygon(part.exterior, holes))
    refuse_many(sum(1 + len(part.interiors) for part in kept))
    if outset.parts == "apart" or len(kept) < 2:
        return MultiPolygon(kept)
    if len(kept) > MOST_JOINED:
        raise InputError(
            tr("has {n:,} parts; at most {most_joined:,} are joined by one line", n=len(kept), most_joined=MOST_JOINED),
            "parts",
        )
    return _joined(MultiPolygon(kept))


def refuse_many(count: int) -> None:
    """Raises InputError where an artwork has more parts and holes than can be cut."""
    if count > MOST_RINGS:
        raise InputError(
            tr(
                "has {count:,} parts and holes; at most {most_rings:,} are cut: leave out small ones",
                count=count,
                most_rings=MOST_RINGS,
            ),
            "artwork",
        )


def _joined(area: Area) -> Area:
    """One part: gaps are closed by the least that closes them all."""

    def closed(by: float) -> Area:
        return grown(grown(area, by, quad_segs=8), -by, quad_segs=8)

    low, high = 0.0, 1.0
    while len(polygons(closed(high))) > 1:
        low, high = high, 2 * high
        if high > LONGEST_BRIDGE:
            raise InputError(tr("the parts lie too far apart for one line"), "parts")
    while high - low > BRIDGED:
        middle = (low + high) / 2
        low, high = (middle, high) if len(polygons(closed(middle))) > 1 else (low, middle)
    return closed(high + BRIDGED)


def _set_out(area: Area, outset: Outset) -> Area:
    if not outset.by:
        return grown(area, 0.0)
    if outset.corners == "mitre":
        return grown(area, outset.by, join_style="mitre", mitre_limit=outset.mitre_limit)
    chord = math.acos(max(1 - OFF_ROUND / abs(outset.by), 0.5))
    return grown(area, outset.by, quad_segs=max(math.ceil(math.pi / 4 / chord), 4))


def grown(area: Area, by: float, **how: Any) -> Area:
    """Set out by so many mm, each part by itself: together they take the square of their number. how: of Shapely."""
    from shapely import buffer

    return united(buffer(polygons(area), by, **how))


def united(areas: Iterable[Area]) -> Area:
    """All that any of them covers. Only what touches is computed together."""
    import numpy as np
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components
    from shapely import MultiPolygon, STRtree, union_all

    parts = np.array([part for area in areas for part in polygons(area)], dtype=object)
    if len(parts) < 2:
        return parts[0] if len(parts) else MultiPolygon()
    one, other = STRtree(parts).query(parts, predicate="intersects")
    count, group = connected_components(coo_array((np.ones(len(one)), (one, other)), shape=(len(parts),) * 2))
    if count == 1:
        return union_all(parts)
    order = np.argsort(group, kind="stable")
    groups = np.split(parts[order], np.flatnonzero(np.diff(group[order])) + 1)
    return MultiPolygon([p for g in groups for p in (polygons(union_all(g)) if len(g) > 1 else g)])


def _simplified(area: Area) -> Area:
    return area.simplify(FINE)


def _points(ring: Area) -> tuple[Point, ...]:
    return tuple((float(x), float(y)) for x, y in ring.coords[:-1])
