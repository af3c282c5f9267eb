"""What the paths of a page of a PDF cover: filled by either rule, stroked, and within what they are clipped to.

Lengths in mm from the page's upper left corner, Y down (ISO 32000-1, §8.5).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from ctypes import byref, c_float, c_int, c_uint
from typing import TYPE_CHECKING, Any

from keen_compass.pieces.outline import polygons, united
from keen_compass.quantities.geometry import Area, Point

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

Line = tuple[tuple[Point, ...], bool]  # its places, and whether it is closed
Map = tuple[float, float, float, float, float, float]  # a, b, c, d, e, f of x' = a·x + c·y + e, y' = b·x + d·y + f
FLAT = 0.003  # mm, by which chords may leave a curve
BENDS = 0.01  # rad, half of a turn that is a corner
SEEN = 0.02  # opacity below which nothing is seen
MOST_POINTS = 200_000  # of all paths: beyond it a page is traced
DEEPEST = 16  # groups within one another
CAPS, JOINS = ("flat", "round", "square"), ("mitre", "round", "bevel")
MITRE_LIMIT = 10.0  # ISO 32000-1, table 52: unless a page says otherwise, which pdfium doesn't tell
Pdf = Any  # one of pdfium's own objects, which have no types


class NotPathsError(Exception):
    """Something on the page is no path that we follow: text, a picture, a pattern, a broken line."""


def covered(page: Pdf, scale: Point, mitre_limit: float = MITRE_LIMIT) -> tuple[Area, Area]:
    """(filled and stroked, filled alone), of a page of pypdfium2. scale: mm of a point (across, down).

    Raises NotPathsError where paths don't say it all.
    """
    found = _all_of(page, scale, mitre_limit)
    filled = united(found.filled)
    return united([filled, *found.stroked]), filled


def enclosed(page: Pdf, scale: Point) -> Area:
    """What the filled paths of a page of pypdfium2 enclose, inside and outside by turns: a hole may be another path.

    What is there twice counts once. scale: mm of a point (across, down). Raises NotPathsError.
    """
    found = _all_of(page, scale, MITRE_LIMIT)
    once = {
        (*(round(v, 2) for v in part.bounds), round(part.area, 2)): part
        for area in found.filled
        for part in polygons(area)
    }
    rings = [ring for part in once.values() for ring in (part.exterior, *part.interiors)]
    return filled([tuple(ring.coords[:-1]) for ring in rings], even_odd=True)


def _all_of(page: Pdf, scale: Point, mitre_limit: float) -> _Found:
    height = page.get_height()
    found = _Found(mitre_limit)
    found.add(page.raw, None, (scale[0], 0.0, 0.0, -scale[1], 0.0, height * scale[1]), 0)
    return found


class _Found:
    """What was come across so far."""

    def __init__(self, mitre_limit: float) -> None:
        self.filled: list[Area] = []
        self.stroked: list[Area] = []
        self._points = 0
        self._mitre_limit = mitre_limit

    def add(self, page: Pdf, group: Pdf, to_mm: Map, depth: int) -> None:
        """Everything on a page, or in a group on it."""
        from pypdfium2 import raw

        if depth > DEEPEST:
            raise NotPathsError
        count = raw.FPDFFormObj_CountObjects(group) if group else raw.FPDFPage_CountObjects(page)
        for i in range(count):
            thing = raw.FPDFFormObj_GetObject(group, i) if group else raw.FPDFPage_GetObject(page, i)
            clip = self._clip(thing, to_mm)
            match raw.FPDFPageObj_GetType(thing):
                case raw.FPDF_PAGEOBJ_PATH:
                    self._path(thing, to_mm, clip)
                case raw.FPDF_PAGEOBJ_FORM if clip is None:
                    self.add(page, thing, _after(_matrix(thing), to_mm), depth + 1)
                case raw.FPDF_PAGEOBJ_SHADING if clip is not None:
                    self.filled.append(clip)
                case _:
                    raise NotPathsError

    def _path(self, thing: Pdf, to_mm: Map, clip: Area | None) -> None:
        from pypdfium2 import raw

        rule, stroke, width = c_int(), c_int(), c_float()
        raw.FPDFPath_GetDrawMode(thing, byref(rule), byref(stroke))
        raw.FPDFPageObj_GetStrokeWidth(thing, byref(width))
        own = _matrix(thing)
        count = raw.FPDFPath_CountSegments(thing)
        segments = [raw.FPDFPath_GetPathSegment(thing, k) for k in range(count)]
        if rule.value and _opacity(thing, raw.FPDFPageObj_GetFillColor) >= SEEN:
            lines = self._lines(segments, _after(own, to_mm))
            self._keep(self.filled, filled([line for line, _ in lines], even_odd=rule.value == 1), clip)
        if stroke.value and width.value > 0 and _opacity(thing, raw.FPDFPageObj_GetStrokeColor) >= SEEN:
            if raw.FPDFPageObj_GetDashCount(thing) > 0:
                raise NotPathsError
            to_sheet = _after(own, to_mm)
            unit = math.sqrt(abs(to_sheet[0] * to_sheet[3] - to_sheet[1] * to_sheet[2]))  # mm of one of its own units
            if unit <= 0:
                return
            # Its pen may be an ellipse on paper: it goes along the path in the path's own units, as large as mm are.
            lines = self._lines(segments, (unit, 0.0, 0.0, unit, 0.0, 0.0))
            cap, join = raw.FPDFPageObj_GetLineCap(thing), raw.FPDFPageObj_GetLineJoin(thing)
            if not (0 <= cap < len(CAPS) and 0 <= join < len(JOINS)):
                raise NotPathsError
            wide = width.value * unit
            area = stroked(lines, wide, CAPS[cap], JOINS[join], self._mitre_limit)
            self._keep(self.stroked, _moved(area, _after((1 / unit, 0.0, 0.0, 1 / unit, 0.0, 0.0), to_sheet)), clip)

    def _lines(self, segments: Sequence[Pdf], to: Map) -> list[Line]:
        lines = list(_flattened(segments, to))
        self._points += sum(len(line) for line, _ in lines)
        if self._points > MOST_POINTS:
            raise NotPathsError
        return lines

    def _clip(self, thing: Pdf, to_mm: Map) -> Area | None:
        """What it is clipped to; None where it isn't. Its paths are in the page's, or the group's, own units."""
        from pypdfium2 import raw

        clip = raw.FPDFPageObj_GetClipPath(thing)
        found: Area | None = None
        for k in range(max(raw.FPDFClipPath_CountPaths(clip), 0) if clip else 0):
            count = raw.FPDFClipPath_CountPathSegments(clip, k)
            lines = self._lines([raw.FPDFClipPath_GetPathSegment(clip, k, i) for i in range(count)], to_mm)
            area = filled([line for line, _ in lines], even_odd=False)
            found = area if found is None else found.intersection(area)
        return found

    @staticmethod
    def _keep(where: list[Area], area: Area, clip: Area | None) -> None:
        where.append(area if clip is None else area.intersection(clip))


def _matrix(thing: Pdf) -> Map:
    from pypdfium2 import raw

    m = raw.FS_MATRIX()
    if not raw.FPDFPageObj_GetMatrix(thing, byref(m)):
        raise NotPathsError
    return m.a, m.b, m.c, m.d, m.e, m.f


def _opacity(thing: Pdf, of: Pdf) -> float:
    r, g, b, alpha = c_uint(), c_uint(), c_uint(), c_uint()
    if not of(thing, byref(r), byref(g), byref(b), byref(alpha)):
        raise NotPathsError
    return alpha.value / 255


def _after(first: Map, then: Map) -> Map:
    a, b, c, d, e, f = first
    A, B, C, D, E, F = then
    return (A * a + C * b, B * a + D * b, A * c + C * d, B * c + D * d, A * e + C * f + E, B * e + D * f + F)


def _at(to: Map, x: float, y: float) -> Point:
    return to[0] * x + to[2] * y + to[4], to[1] * x + to[3] * y + to[5]


def _moved(area: Area, to: Map) -> Area:
    from shapely.affinity import affine_transform

    a, b, c, d, e, f = to
    return affine_transform(area, [a, c, b, d, e, f])


def _flattened(segments: Iterable[Pdf], to: Map) -> Iterator[Line]:
    """Lines of a path, curves as chords."""
    from pypdfium2 import raw

    line: list[Point] = []
    bend: list[Point] = []  # control points so far, and where the curve ends
    x, y = c_float(), c_float()
    for segment in segments:
        raw.FPDFPathSegment_GetPoint(segment, byref(x), byref(y))
        if not (abs(x.value) < 1e9 and abs(y.value) < 1e9):
            raise NotPathsError
        at = _at(to, x.value, y.value)
        match raw.FPDFPathSegment_GetType(segment):
            case raw.FPDF_SEGMENT_MOVETO:
                if len(line) > 1:
                    yield tuple(line), False
                line = [at]
            case raw.FPDF_SEGMENT_LINETO:
                line.append(at)
            case raw.FPDF_SEGMENT_BEZIERTO:
                bend.append(at)
                if len(bend) == 3:
                    line += _curve(line[-1], bend[0], bend[1], bend[2])
                    bend = []
            case _:
                raise NotPathsError
        if raw.FPDFPathSegment_GetClose(segment) and line:
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
        x, y = (w[0] * a[k] + w[1] * c[k] + w[2] * d[k] + w[3] * b[k] for k in (0, 1))
        found.append((x, y))
    return found


def filled(lines: list[tuple[Point, ...]], *, even_odd: bool) -> Area:
    """What lines enclose, each closed: by how often they go round a place."""
    import numpy as np
    from shapely import LineString, MultiPolygon, Polygon, get_parts, polygonize, union_all

    rings = [(*line, line[0]) for line in lines if len(line) > 2]
    if not rings:
        return MultiPolygon()
    if len(rings) == 1 and (whole := Polygon(rings[0])).is_valid:
        return whole
    edges = np.concatenate([np.hstack([ring[:-1], ring[1:]]) for ring in map(np.asarray, rings)])
    faces = get_parts(polygonize(get_parts(union_all([LineString(r) for r in rings]))))
    places = ((face, face.representative_point()) for face in faces)
    return united([face for face, at in places if _inside(edges, at.x, at.y, even_odd=even_odd)])


def _inside(edges: NDArray[np.float64], x: float, y: float, *, even_odd: bool) -> bool:
    """Whether a place lies inside closed lines. edges: (n, 4), from x, y to x, y."""
    import numpy as np

    x0, y0, x1, y1 = edges.T
    side = (x1 - x0) * (y - y0) - (x - x0) * (y1 - y0)
    up = int(np.count_nonzero((y0 <= y) & (y1 > y) & (side > 0)))
    down = int(np.count_nonzero((y0 > y) & (y1 <= y) & (side < 0)))
    return (up + down) % 2 == 1 if even_odd else up != down


def stroked(lines: Iterable[Line], width: float, cap: str, join: str, mitre_limit: float) -> Area:
    """What a pen as wide as that covers along lines."""
    from shapely import LineString

    found: list[Area] = []
    for line, closed in lines:
        if len(line) < 2:
            continue
        way = LineString([*line, line[0]] if closed and line[0] != line[-1] else line)
        plain = "round" if join == "round" else "bevel"
        found.append(way.buffer(width / 2, cap_style=cap, join_style=plain, quad_segs=32))
        found += _mitres(line, width / 2, mitre_limit, closed=closed) if join == "mitre" else []
    return united(found)


def _mitres(line: tuple[Point, ...], half: float, limit: float, *, closed: bool) -> Iterator[Area]:
    """What corners reach beyond a bevel: all of the mitre, or nothing where it would be too long."""
    from shapely import Polygon

    points = [p for p, q in zip(line, (*line[1:], None), strict=True) if p != q]
    if closed and points[0] == points[-1]:
        points.pop()
    corners = zip(points, points[1:], points[2:], strict=False)
    round_again = ((points[-2], points[-1], points[0]), (points[-1], points[0], points[1])) if closed else ()
    for a, b, c in (*corners, *(round_again if len(points) > 2 else ())):
        (ux, uy), (vx, vy) = _along(a, b), _along(b, c)
        side = math.copysign(1.0, ux * vy - uy * vx)
        half_turned = math.acos(min(max(ux * vx + uy * vy, -1.0), 1.0)) / 2
        if half_turned < BENDS or math.cos(half_turned) * limit < 1:
            continue
        n, m = (side * uy * half, -side * ux * half), (side * vy * half, -side * vx * half)
        reach = half / math.cos(half_turned) / math.hypot(n[0] + m[0], n[1] + m[1])
        tip = (n[0] + m[0]) * reach, (n[1] + m[1]) * reach
        yield Polygon([(b[0] + x, b[1] + y) for x, y in ((0.0, 0.0), n, tip, m)])


def _along(a: Point, b: Point) -> Point:
    length = math.dist(a, b) or 1.0
    return (b[0] - a[0]) / length, (b[1] - a[1]) / length
