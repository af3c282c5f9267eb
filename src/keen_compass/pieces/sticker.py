"""A sticker: an artwork with the line along which it is cut, as it is on a printed sheet, once or several times.

Its own frame: mm from the artwork's upper left corner, Y down. On paper: from the paper's upper left corner, Y down. On
the sheet: as `pieces/page.py` counts, from its first mark's corner.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.pieces.outline import Ring
from keen_compass.pieces.page import CODE, CROSS, INSET, METRIC, WORDS, Graduation, Page, sheet
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.geometry import Area, Point

ASIDE = 16.0  # mm at both sides of the paper that stay free: bars, grips
APART = 8.0  # mm between a sticker and words or code
GAP = 6.0  # mm between two stickers
CLEAR_OF_MARK = 4.0  # mm between a sticker and a mark's cross
LEAST_IN = 8.0  # mm, of a mark from the paper's edge
OVERCUT = 0.5  # mm beyond its start, so that a blade closes the line
LONG_WORDS = 110.0  # mm that the words beside mark 1 take
MOST_COPIES = 100
PLACES = 8  # round an outline, where its border is read
STRAIGHT = 3.0  # mm to both sides of such a place, along which the line should not bend
MOST_POINTS = 200_000
FARTHEST = 30.0  # mm from a cut line that is the artwork's own, within which the print's edge counts as its border
BESIDE = 1.5  # mm to both sides of a place, where such a border should be the same

Points = Sequence[Point]
Place = tuple[float, float, float, float, float]  # x, y on an outline, its outward normal, the nominal border there


@dataclass(frozen=True, slots=True)
class Sticker:
    """name: of the job. width, height: of the artwork. rings: lines to cut, in order. border: nominal, mm.

    places: where the border is read, if it isn't the same all round.
    """

    name: str
    width: float
    height: float
    rings: tuple[Ring, ...]
    border: float
    places: tuple[Place, ...] = ()

    @property
    def box(self) -> tuple[float, float, float, float]:
        """(left, top, right, bottom) of artwork and lines together, in its own frame."""
        xs, ys = ([p[k] for ring in self.rings for p in ring.points] for k in (0, 1))
        return min(0.0, *xs), min(0.0, *ys), max(self.width, *xs), max(self.height, *ys)

    def to_json(self) -> JsonObject:
        """As a piece's parameters keep it."""
        return {
            "name": self.name,
            "size": [self.width, self.height],
            "border": self.border,
            "rings": [{"hole": r.hole, "points": [[round(v, 4) for v in p] for p in r.points]} for r in self.rings],
            **({"places": [[round(v, 6) for v in place] for place in self.places]} if self.places else {}),
        }

    @classmethod
    def from_json(cls, body: JsonMapping, where: str = "piece.sticker") -> Sticker:
        """Inverse of `to_json`. Raises InputError."""
        try:
            width, height = (float(v) for v in body["size"])
            rings = tuple(
                Ring(tuple((float(x), float(y)) for x, y in r["points"]), bool(r.get("hole", False)))
                for r in body["rings"]
            )
            places = tuple(_place(*map(float, p)) for p in body.get("places", ()))
            found = cls(str(body.get("name", "")), width, height, rings, float(body.get("border", 0.0)), places)
        except (KeyError, TypeError, ValueError, AttributeError):
            raise InputError(tr('expected {"size": [w, h], "rings": [{"points": [[x, y], …]}, …]}'), where) from None
        numbers = [width, height, found.border, *(v for r in rings for p in r.points for v in p), *sum(places, ())]
        if not all(math.isfinite(v) and abs(v) <= 1e5 for v in numbers) or len(numbers) > MOST_POINTS:
            raise InputError(tr("holds lengths that no sticker has"), where)
        if not rings or any(len(r.points) < 3 for r in rings) or min(width, height) <= 0:
            raise InputError(tr("a sticker has a size, and lines of at least three points"), where)
        return found


@dataclass(frozen=True, slots=True)
class Order:
    """What is wanted of a sticker: so many on a sheet, its marks moved there (on the sheet, mm; none: as usual)."""

    sticker: Sticker
    copies: int = 1
    marks: tuple[Point, ...] = ()


def room_on(size: Point, *, down: bool) -> tuple[float, float, float, float]:
    """(left, top, right, bottom) on paper of where stickers may stand: between the words beside mark 1 and the code."""
    width, height = size
    words, code = INSET + CROSS + WORDS, INSET + CODE - CROSS + APART
    above, below = (words, code) if down else (code, words)
    return ASIDE, above, width - ASIDE, height - below


def laid(sticker: Sticker, size: Point, copies: int = 1, *, down: bool = False) -> tuple[Point, ...]:
    """Upper left corners of so many on paper, in rows about the middle. Raises PieceError where they don't fit."""
    left, top, right, bottom = sticker.box
    wide, high = right - left, bottom - top
    x0, y0, x1, y1 = room_on(size, down=down)
    across, rows = (int((room + GAP + 1e-9) // (side + GAP)) for room, side in ((x1 - x0, wide), (y1 - y0, high)))
    if across * rows < 1:
        raise PieceError(
            tr(
                "it is {wide:.1f} × {high:.1f} mm with its border, and this paper has room for {max:.0f} "
                "× {max2:.0f} mm",
                wide=wide,
                high=high,
                max=max(x1 - x0, 0),
                max2=max(y1 - y0, 0),
            ),
            "size",
        )
    if not 1 <= copies <= min(across * rows, MOST_COPIES):
        raise PieceError(
            tr(
                "{copies} are asked for, and this paper takes {min}", copies=copies, min=min(across * rows, MOST_COPIES)
            ),
            "copies",
        )
    columns = min(across, math.ceil(copies / math.ceil(copies / across)))
    lines = math.ceil(copies / columns)
    sx = (x0 + x1 - columns * wide - (columns - 1) * GAP) / 2 - left
    sy = (y0 + y1 - lines * high - (lines - 1) * GAP) / 2 - top
    return tuple((sx + (i % columns) * (wide + GAP), sy + (i // columns) * (high + GAP)) for i in range(copies))


def sticker_page(
    sticker: Sticker,
    size: Point,
    number: int,
    copies: int = 1,
    *,
    down: bool = False,
    marks: Sequence[Point] = (),
    graduation: Graduation = METRIC,
) -> Page:
    """The sheet that is printed: stickers clear of marks, code and words. marks: on the sheet, where they were moved
    to; as usual where none is given. Raises PieceError.
    """
    page = sheet("proof", size, number, targets=False, down=down, graduation=graduation)
    page = replace(page, name=sticker.name, art=laid(sticker, size, copies, down=down))
    if marks:
        page = replace(page, marks=tuple(replace(m, at=at) for m, at in zip(page.marks, marks, strict=True)))
    for i, mark in enumerate(page.marks, 1):
        if trouble := _in_the_way(mark.at, sticker, page):
            raise PieceError(tr("mark {i} {trouble}", i=i, trouble=trouble), "marks")
    return page


def _in_the_way(mark: Point, sticker: Sticker, page: Page) -> str:
    """Why a mark can't be there; empty where it can."""
    x, y = mark
    if not (LEAST_IN <= x <= page.width - LEAST_IN and LEAST_IN <= y <= page.height - LEAST_IN):
        return f"must lie {LEAST_IN:g} mm inside the paper's edge"
    left, top, right, bottom = sticker.box
    reach = CROSS + CLEAR_OF_MARK
    cx, cy = page.code_at
    for (x0, y0, x1, y1), what in (
        ((INSET, INSET + CROSS, INSET + LONG_WORDS, INSET + CROSS + WORDS), "words"),
        ((cx, cy, cx + CODE, cy + CODE), "code"),
    ):
        if x0 - CROSS < x < x1 + CROSS and y0 + 1 < y < y1 + CROSS:
            return f"lies on the sheet’s {what}"
    v = y if page.down else page.height - y
    for ax, ay in page.art:
        if ax + left - reach < x < ax + right + reach and ay + top - reach < v < ay + bottom + reach:
            return "lies on a sticker, or too near to one"
    return ""


def to_sheet(at: Point, page: Page, place: Point) -> Point:
    """From a sticker's own frame, standing with its artwork's corner at `at` on paper, to the sheet."""
    x, v = at[0] + place[0], at[1] + place[1]
    return (x, v) if page.down else (x, page.height - v)


def lines_to_cut(sticker: Sticker, page: Page) -> tuple[tuple[Point, ...], ...]:
    """On the sheet, sticker by sticker, holes before what lies round them; each closed and a little over."""
    found = []
    for at in page.art:
        for ring in sticker.rings:
            found.append(tuple(to_sheet(at, page, p) for p in _overcut(ring.points)))
    return tuple(found)


def _overcut(points: tuple[Point, ...]) -> tuple[Point, ...]:
    around, left = [*points, points[0]], OVERCUT
    for a, b in zip(points, (*points[1:], points[0]), strict=True):
        length = math.dist(a, b)
        if length >= left > 0:
            share = left / length
            return (*around, (a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])))
        around.append(b)
        left -= length
    return tuple(around)


def border_places(sticker: Sticker, count: int = PLACES) -> tuple[Place, ...]:
    """Where its border is read, in its own frame: all round its outlines, each where the line is straightest nearby."""
    if sticker.places:
        return sticker.places

    def rated(points: Points, ends: Sequence[float], s: float) -> tuple[float, Place]:
        return round(_bends(points, ends, s), 3), (*_out_of(points, ends, s), sticker.border)

    return tuple(_best_places(sticker, rated, count))


def along(sticker: Sticker, printed: Area) -> Sticker:
    """The same with its border told place by place, by what is printed (mm, in its own frame). Raises InputError where
    nothing printed ends near its line.
    """
    from shapely import prepare

    prepare(printed)

    def rated(points: Points, ends: Sequence[float], s: float) -> tuple[float, Place]:
        x, y, nx, ny = _out_of(points, ends, s)
        border = _border(printed, (x, y), (nx, ny))
        beside = [_border(printed, (x - d * ny, y + d * nx), (nx, ny)) for d in (-BESIDE, BESIDE)]
        slope = max(abs(b - border) for b in beside) / BESIDE
        return round(_bends(points, ends, s) + (slope if math.isfinite(slope) else math.inf), 3), (x, y, nx, ny, border)

    places = tuple(p for p in _best_places(sticker, rated, PLACES) if math.isfinite(p[4]))
    if not places:
        raise InputError(
            tr(
                "nothing printed ends within {farthest:g} mm of its own cut line, so no border can be "
                "read: cut about what is seen",
                farthest=FARTHEST,
            ),
            "artwork",
        )
    return replace(sticker, places=places)


def _border(printed: Area, at: Point, out: Point) -> float:
    """From the print's edge out to a place of a cut, mm; below 0 where the print reaches beyond it. Nan: none there."""
    from shapely import LineString
    from shapely import Point as Spot

    inside = bool(printed.intersects(Spot(at)))
    way = FARTHEST if inside else -FARTHEST
    edge = LineString([at, (at[0] + way * out[0], at[1] + way * out[1])]).intersection(printed.boundary)
    if edge.is_empty:
        return math.nan
    return math.copysign(Spot(at).distance(edge), -way)


def _best_places(
    sticker: Sticker, rated: Callable[[Points, Sequence[float], float], tuple[float, Place]], count: int
) -> Iterator[Place]:
    """Spread over its outlines, each the one of several nearby that is rated lowest."""
    outer = [r.points for r in sticker.rings if not r.hole]
    ends = [_ends(points) for points in outer]
    whole = sum(e[-1] for e in ends)
    for i in range(count):
        middle, reach, ring = (i + 0.5) * whole / count, 0.35 * whole / count, 0
        while middle > ends[ring][-1] and ring < len(outer) - 1:
            middle -= ends[ring][-1]
            ring += 1
        tries = [middle + reach * k / 8 for k in (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6, 7, -7, 8, -8)]
        yield min((rated(outer[ring], ends[ring], s) for s in tries), key=lambda found: found[0])[1]


def _out_of(points: Points, ends: Sequence[float], s: float) -> tuple[float, float, float, float]:
    """A place so far along a closed line, and the normal that leaves it there."""
    (x, y), (u, v) = _at(points, ends, s)
    outwards = math.copysign(1.0, _turned(points))
    return x, y, outwards * v, -outwards * u


def _place(x: float, y: float, nx: float, ny: float, border: float) -> Place:
    return x, y, nx, ny, border


def _ends(points: Points) -> list[float]:
    """How far along a closed line each of its points lies, from 0 round to its length."""
    ends = [0.0]
    for a, b in zip(points, (*points[1:], points[0]), strict=True):
        ends.append(ends[-1] + math.dist(a, b))
    return ends


def _turned(points: Points) -> float:
    """Twice the area that a line encloses: above 0 where it goes from X towards Y."""
    return sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(points, (*points[1:], points[0]), strict=True))


def _at(points: Points, ends: Sequence[float], s: float) -> tuple[Point, Point]:
    """The place so far along a closed line, and which way it runs there."""
    from bisect import bisect_right

    s %= ends[-1]
    i = min(bisect_right(ends, s) - 1, len(points) - 1)
    a, b = points[i], points[(i + 1) % len(points)]
    length = math.dist(a, b) or 1.0
    u, v = (b[0] - a[0]) / length, (b[1] - a[1]) / length
    return (a[0] + u * (s - ends[i]), a[1] + v * (s - ends[i])), (u, v)


def _bends(points: Points, ends: Sequence[float], s: float) -> float:
    """rad, by which the line turns about there."""
    ways = [_at(points, ends, s + d * STRAIGHT)[1] for d in (-1.0, -0.5, 0.5, 1.0)]
    here = _at(points, ends, s)[1]
    return max(abs(math.atan2(here[0] * v - here[1] * u, here[0] * u + here[1] * v)) for u, v in ways)
