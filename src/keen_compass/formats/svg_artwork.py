"""Drawings (SVG) as artwork: their shapes in mm, with their units, view boxes and transforms.

Lengths from the drawing's upper left corner, Y down. A drawing is looked through for tricks of XML before anything
reads it. What isn't understood is listed by its name, never dropped in silence.
"""

from __future__ import annotations

import io
import math
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.quantities.geometry import Point

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

    import numpy as np
    from numpy.typing import NDArray

    Values = NDArray[np.float64]

Area = Any  # shapely geometry
Colour = tuple[float, float, float, float]  # red, green, blue, opacity, 0 … 1
PPI = 96.0  # of CSS: px per inch
PX = 25.4 / PPI  # mm
FLAT = 0.003  # mm, by which chords may leave a curve
MOST_BYTES = 60_000_000  # of a drawing
BENDS = 0.01  # rad, half of a turn that is a corner
UNSIZED = (300.0, 150.0)  # px, of a drawing that says nothing about its size
FADED = 0.003  # opacity below which nothing is seen
# What is no shape, and what a shape may refer to: counted, and left out.
UNKNOWN = ("text", "image", "foreignObject", "switch")
BESIDE_IT = ("clipPath", "mask", "marker", "pattern", "filter")
REFERS = {"clip-path": "clipPath", "mask": "mask", "filter": "filter", "marker-start": "marker", "marker-mid": "marker",
          "marker-end": "marker"}  # fmt: skip
GRADIENTS = ("linearGradient", "radialGradient")
SVG = "{http://www.w3.org/2000/svg}"
XLINK = "{http://www.w3.org/1999/xlink}href"
CAPS = {"butt": "flat", "round": "round", "square": "square"}
JOINS = ("miter", "round", "bevel")
FARTHEST = 100_000.0  # mm: what lies further out is a mistake, and its areas lose their last digits


@dataclass(frozen=True, slots=True)
class Move:
    """To where a path goes: M, L, C (with two control points before) or Z; mm."""

    how: str
    points: tuple[Point, ...] = ()


@dataclass(frozen=True)
class Painted:
    """One shape as it is painted. fill, stroke: None where there is none; width: of its stroke, mm."""

    moves: tuple[Move, ...]
    fill: Colour | None
    stroke: Colour | None = None
    width: float = 0.0
    even_odd: bool = False
    cap: str = "butt"
    join: str = "miter"
    mitre_limit: float = 4.0

    @cached_property
    def lines(self) -> tuple[tuple[tuple[Point, ...], bool], ...]:
        """Each of its lines, flattened, and whether it is closed."""
        return tuple(_flattened(self.moves))

    def area(self, *, strokes: bool) -> Area:
        """What it covers."""
        from shapely import LineString, union_all

        found = [_filled([line for line, _ in self.lines], even_odd=self.even_odd)] if self.fill else []
        if strokes and self.stroke and self.width:
            join = "round" if self.join == "round" else "bevel"
            for line, closed in self.lines:
                if len(line) > 1:
                    way = LineString([*line, line[0]] if closed else line)
                    found.append(way.buffer(self.width / 2, cap_style=CAPS[self.cap], join_style=join, quad_segs=32))
                    found += self._mitres(line, closed=closed) if self.join == "miter" else []
        return union_all(found)

    def _mitres(self, line: tuple[Point, ...], *, closed: bool) -> Iterator[Area]:
        """What corners reach beyond a bevel: all of the mitre, or nothing where it would be too long."""
        from shapely import Polygon

        half = self.width / 2
        corners = zip(line, line[1:], line[2:], strict=False)
        round_again = ((line[-2], line[-1], line[0]), (line[-1], line[0], line[1])) if closed and len(line) > 2 else ()
        for a, b, c in (*corners, *round_again):
            (ux, uy), (vx, vy) = _along(a, b), _along(b, c)
            side = math.copysign(1.0, ux * vy - uy * vx)
            half_turned = math.acos(min(max(ux * vx + uy * vy, -1.0), 1.0)) / 2
            if half_turned < BENDS or math.cos(half_turned) * self.mitre_limit < 1:
                continue
            n, m = (side * uy * half, -side * ux * half), (side * vy * half, -side * vx * half)
            reach = half / math.cos(half_turned) / math.hypot(n[0] + m[0], n[1] + m[1])
            tip = (n[0] + m[0]) * reach, (n[1] + m[1]) * reach
            yield Polygon([(b[0] + x, b[1] + y) for x, y in ((0.0, 0.0), n, tip, m)])


@dataclass(frozen=True)
class Drawing:
    """Of an SVG. left_out: what wasn't understood, by its name, and how often."""

    width: float
    height: float
    painted: tuple[Painted, ...]
    left_out: Mapping[str, int] = field(default_factory=lambda: MappingProxyType({}))

    @property
    def within_reach(self) -> bool:
        """Whether nothing lies further out than can be reckoned with; what is no number does."""
        reach = [abs(v) for shape in self.painted for move in shape.moves for at in move.points for v in at]
        return all(v <= FARTHEST for v in (*reach, *(shape.width for shape in self.painted)))

    def area(self, *, strokes: bool = True) -> Area:
        """What is painted, mm; what a drawing has beside itself isn't seen."""
        from shapely import box, union_all

        seen = union_all([shape.area(strokes=strokes) for shape in self.painted])
        return seen.intersection(box(0, 0, self.width, self.height))


def read_drawing(data: bytes, name: str) -> Drawing:
    """An SVG's shapes. Raises InputError."""
    from xml.etree.ElementTree import ParseError, tostring

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    if len(data) > MOST_BYTES:
        raise InputError(f"is larger than {MOST_BYTES // 1_000_000} MB", name)
    try:
        root = fromstring(data)
    except DefusedXmlException:
        raise InputError("declares entities of its own; save it without them", name) from None
    except (ParseError, ValueError, LookupError) as error:
        raise InputError(f"is no drawing that can be read: {error}", name) from None
    if root.tag not in (f"{SVG}svg", "svg"):
        raise InputError("is no drawing: SVG, PNG, JPEG, WebP or TIFF", name)
    left_out = Counter(_left_out(root))
    _take_out(root)
    import svgelements

    width, height = _sized(root, name)
    try:
        parsed = svgelements.SVG.parse(
            io.BytesIO(tostring(root)), reify=True, ppi=PPI, width=width, height=height
        )  # fmt: skip
        painted = [p for e in parsed.elements() if isinstance(e, svgelements.Shape) and (p := _painted(e))]
        width, height = float(parsed.width) * PX, float(parsed.height) * PX
    except (ValueError, TypeError, AttributeError, KeyError, IndexError, ArithmeticError, RecursionError) as error:
        raise InputError(
            f"holds something that can't be read: {str(error)[:120] or type(error).__name__}", name
        ) from None
    if not painted:
        what = ", ".join(sorted(left_out))
        raise InputError(
            "shows nothing that is drawn" + (f", only {what}: turn it into paths first" if what else ""), name
        )
    return Drawing(width, height, tuple(painted), dict(left_out))


def _sized(root: Element, name: str) -> Point:
    """Its size in px where it has one, else its view box's; a drawing without a view box gets one as large."""
    from svgelements import Length

    box = _view_box(root, name)
    size = []
    for k, side in enumerate(("width", "height")):
        text = root.get(side, "").strip()
        value = None if not text or text.endswith("%") else Length(text).value(ppi=PPI)
        known = isinstance(value, float | int) and 0 < value < math.inf
        size.append(float(value) if known else box[2 + k] if box else UNSIZED[k])  # type: ignore[arg-type]
    if box is None:
        root.set("viewBox", f"0 0 {size[0]:.9g} {size[1]:.9g}")
    return size[0], size[1]


def _view_box(root: Element, name: str) -> tuple[float, ...] | None:
    text = root.get("viewBox", "").replace(",", " ").split()
    if not text:
        return None
    try:
        x, y, w, h = (float(v) for v in text)
    except ValueError:
        raise InputError("has a viewBox that is no four numbers", name) from None
    if not (w > 0 and h > 0 and math.isfinite(w + h + x + y)):
        raise InputError("has a viewBox of no size", name)
    return x, y, w, h


def _plain(element: Element) -> str:
    return str(element.tag).removeprefix(SVG)


def _left_out(root: Element) -> Iterator[str]:
    """Names of what is not understood, each time that it is there."""
    for element in root.iter():
        tag = _plain(element)
        if tag in UNKNOWN:
            yield tag
        for attribute, what in REFERS.items():
            if element.get(attribute, "none") != "none" or f"{attribute}:url" in element.get("style", "").replace(
                " ", ""
            ):
                yield what
        painted = f"{element.get('fill', '')} {element.get('stroke', '')} {element.get('style', '')}"
        if "url(" in painted:
            yield "gradient or pattern"
        if tag == "symbol" and element.get("viewBox"):
            yield "symbol with a viewBox"


def _take_out(root: Element) -> None:
    """Leave only what may be painted: symbols become groups that wait to be used."""
    for parent in list(root.iter()):
        for child in list(parent):
            tag = _plain(child)
            if tag in (*UNKNOWN, *BESIDE_IT):
                parent.remove(child)
            elif tag == "symbol":
                child.tag = f"{SVG}g"
                held = child.makeelement(f"{SVG}defs", {})
                parent.insert(list(parent).index(child), held)
                parent.remove(child)
                held.append(child)


def _painted(shape: Any) -> Painted | None:
    from svgelements import Path as Way

    values = shape.values
    if values.get("visibility") in ("hidden", "collapse") or values.get("display") == "none":
        return None
    opacity = _share(values.get("opacity", 1.0))
    fill, stroke = _colour(shape.fill, values, "fill", opacity), _colour(shape.stroke, values, "stroke", opacity)
    width = float(shape.stroke_width or 0.0) * PX
    if fill is None and (stroke is None or not width):
        return None
    moves = tuple(_moves(Way(shape)))
    if all(move.how == "M" for move in moves):
        return None
    return Painted(
        moves, fill, stroke if width else None, width if stroke else 0.0, values.get("fill-rule") == "evenodd",
        str(values.get("stroke-linecap", "butt")) if values.get("stroke-linecap") in CAPS else "butt",
        str(values.get("stroke-linejoin", "miter")) if values.get("stroke-linejoin") in JOINS else "miter",
        max(_number(values.get("stroke-miterlimit"), 4.0), 1.0),
    )  # fmt: skip


def _share(given: object) -> float:
    text = str(given).strip()
    value = _number(text.removesuffix("%"), 1.0) / (100.0 if text.endswith("%") else 1.0)
    return min(max(value, 0.0), 1.0)


def _number(given: object, otherwise: float) -> float:
    try:
        value = float(str(given))
    except ValueError:
        return otherwise
    return value if math.isfinite(value) else otherwise


def _colour(colour: Any, values: Mapping[str, Any], what: str, opacity: float) -> Colour | None:
    """None where nothing is seen; what has a gradient or a pattern is grey."""
    if "url(" in str(values.get(what, "")):
        return 0.5, 0.5, 0.5, opacity
    if colour is None or colour.value is None:
        return None
    seen = opacity * _share(values.get(f"{what}-opacity", 1.0)) * colour.alpha / 255
    return (colour.red / 255, colour.green / 255, colour.blue / 255, seen) if seen > FADED else None


def _moves(path: Any) -> Iterator[Move]:
    """A path's segments in mm: arcs and quadratics as cubics."""
    from svgelements import Arc, Close, CubicBezier, QuadraticBezier
    from svgelements import Line as Straight
    from svgelements import Move as Start

    def at(p: Any) -> Point:
        return float(p.x) * PX, float(p.y) * PX

    for s in path.segments():
        match s:
            case Start():
                yield Move("M", (at(s.end),))
            case Close():
                yield Move("Z")
            case Straight():
                yield Move("L", (at(s.end),))
            case CubicBezier():
                yield Move("C", (at(s.control1), at(s.control2), at(s.end)))
            case QuadraticBezier():
                (ax, ay), (cx, cy), (bx, by) = at(s.start), at(s.control), at(s.end)
                yield Move("C", ((ax + 2 * (cx - ax) / 3, ay + 2 * (cy - ay) / 3),
                                 (bx + 2 * (cx - bx) / 3, by + 2 * (cy - by) / 3), (bx, by)))  # fmt: skip
            case Arc():
                for c in s.as_cubic_curves(max(math.ceil(abs(s.sweep) / (math.pi / 8)), 1)):
                    yield Move("C", (at(c.control1), at(c.control2), at(c.end)))


def _along(a: Point, b: Point) -> Point:
    length = math.dist(a, b) or 1.0
    return (b[0] - a[0]) / length, (b[1] - a[1]) / length


def _flattened(moves: tuple[Move, ...]) -> Iterator[tuple[tuple[Point, ...], bool]]:
    """Lines of a path, curves as chords."""
    line: list[Point] = []
    for move in moves:
        match move.how:
            case "M":
                if len(line) > 1:
                    yield tuple(line), False
                line = [move.points[0]]
            case "L":
                line.append(move.points[0])
            case "C":
                line += _curve(line[-1], *move.points)
            case _:
                if line:
                    yield tuple(line), True
                    line = [line[0]]
    if len(line) > 1:
        yield tuple(line), False


def _curve(a: Point, c: Point, d: Point, b: Point) -> list[Point]:
    """Chords of a cubic, all but its first point: so many that none leaves it by more than `FLAT`."""
    bend = max(math.hypot(p[0] - 2 * q[0] + r[0], p[1] - 2 * q[1] + r[1]) for p, q, r in ((a, c, d), (c, d, b)))
    n = min(max(math.ceil(math.sqrt(6 * bend / (8 * FLAT))), 1), 2000)  # of a cubic: |f''| ≤ 6·bend
    found = []
    for i in range(1, n + 1):
        t, u = i / n, 1 - i / n
        w = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
        found.append(tuple(w[0] * a[k] + w[1] * c[k] + w[2] * d[k] + w[3] * b[k] for k in (0, 1)))
    return found  # type: ignore[return-value]


def _filled(lines: list[tuple[Point, ...]], *, even_odd: bool) -> Area:
    """What lines enclose, each closed: by how often they go round a place."""
    import numpy as np
    from shapely import LineString, MultiPolygon, Polygon, get_parts, polygonize, union_all

    rings = [(*line, line[0]) for line in lines if len(line) > 2]
    if not rings:
        return MultiPolygon()
    if len(rings) == 1 and (whole := Polygon(rings[0])).is_valid:
        return whole
    faces = get_parts(polygonize(get_parts(union_all([LineString(r) for r in rings]))))
    inside = []
    for face in faces:
        at = face.representative_point()
        rounds = [_winds(np.asarray(ring), at.x, at.y) for ring in rings]
        if sum(map(abs, rounds)) % 2 if even_odd else sum(rounds):
            inside.append(face)
    return union_all(inside)


def _winds(ring: Values, x: float, y: float) -> int:
    """How often a closed line goes round a place, anticlockwise where Y is up."""
    import numpy as np

    x0, y0, x1, y1 = (*ring[:-1].T, *ring[1:].T)
    side = (x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)
    up, down = (y0 <= y) & (y1 > y) & (side > 0), (y0 > y) & (y1 <= y) & (side < 0)
    return int(np.count_nonzero(up)) - int(np.count_nonzero(down))
