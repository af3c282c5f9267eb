"""DXF laid onto a print, pair by pair: the places of lines, polylines, arcs, circles, ellipses, splines and points.

Everything else stays as it is, to the byte. What has a place but also a size or text (blocks, hatches, dimensions) is
refused with its line. Arcs that a map bends become polylines.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import NamedTuple

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import Crosses, Drawn, Fitted, written
from keen_compass.language import tr
from keen_compass.progress import counted
from keen_compass.quantities.geometry import Point
from keen_compass.solve.warp import Warp, along

MM_OF = {1: 25.4, 2: 304.8, 4: 1.0, 5: 10.0, 6: 1000.0}  # $INSUNITS → mm of one; none said: mm
DECIMALS = 8


class Pair(NamedTuple):
    """A group code and its value, as they stand: lines with their ends, and where."""

    code: int
    value: str
    raw: tuple[str, str]
    line: int

    @property
    def number(self) -> float:
        """Of a value that is one. Raises InputError."""
        try:
            return float(self.value)
        except ValueError:
            raise InputError(tr("{value!r} is no number", value=self.value[:20])) from None

    def holding(self, value: str, code: int | None = None) -> str:
        """The pair with another value, or another code."""
        (head, body), end = self.raw, self.raw[1][len(self.raw[1].rstrip("\r\n")) :] or "\n"
        first = head if code is None else f"{code:3d}{head[len(head.rstrip(chr(13) + chr(10))) :]}"
        return first + body[: len(body) - len(body.lstrip(" "))] + value + end


@dataclass
class _Sheet:
    """What is known while a file is gone through. size: mm of one unit. polyline: a run of vertices is open."""

    warp: Warp
    drawn: Drawn
    crosses: Crosses
    size: float = 1.0
    vertices: list[tuple[Point, float, list[Pair]]] = field(default_factory=list)
    opening: list[Pair] = field(default_factory=list)

    def at(self, p: Point) -> Point:
        """Where a place of the file goes, in its units."""
        x, y = self.warp.at((p[0] * self.size, p[1] * self.size))
        return x / self.size, y / self.size

    def mm(self, points: Sequence[Point]) -> list[Point]:
        """Places of the file in mm."""
        return [(x * self.size, y * self.size) for x, y in points]

    def draw(self, layer: str, before: Sequence[Point], after: Sequence[Point]) -> None:
        """A whole stroke, mm."""
        self.drawn.draw(before, after, begins=True)
        if self.crosses.on_layer(layer):
            self.crosses.add(before)


def fit_dxf(data: bytes, warp: Warp, crosses: Crosses) -> Fitted:
    """Every place where the map says. Raises FileFormatError with the line of what can't be mapped."""
    sheet = _Sheet(warp, Drawn(), crosses)
    pairs = list(_pairs(data.decode("latin-1")))
    for a, b in pairwise(pairs):
        if a.value == "$INSUNITS":
            sheet.size = MM_OF.get(int(b.number), 1.0)
    found: list[str] = []
    section = ""
    for entity in counted(list(_entities(pairs))):
        first = entity[0]
        if first.value == "SECTION" and first.code == 0:
            section = entity[1].value if len(entity) > 1 else ""
        try:
            found.append(_mapped(entity, sheet) if section == "ENTITIES" and first.code == 0 else _same(entity))
        except InputError as error:
            raise FileFormatError(
                tr("line {line}: {value}: {message}", line=first.line, value=first.value, message=error.message)
            ) from None
    return Fitted("".join(found).encode("latin-1"), sheet.drawn)


def _pairs(text: str) -> Iterator[Pair]:
    lines = text.splitlines(keepends=True)
    while lines and not lines[-1].strip():
        lines.pop()
    if len(lines) % 2:
        raise FileFormatError(tr("line {n}: a code without its value", n=len(lines)))
    for i in range(0, len(lines), 2):
        if not re.fullmatch(r"\s*-?\d+\s*", lines[i]):
            raise FileFormatError(tr("line {i}: {typed!r} is no group code", i=i + 1, typed=lines[i].strip()[:20]))
        yield Pair(int(lines[i]), lines[i + 1].strip(), (lines[i], lines[i + 1]), i + 1)


def _entities(pairs: Sequence[Pair]) -> Iterator[list[Pair]]:
    """Runs of pairs that begin with a code 0."""
    run: list[Pair] = []
    for pair in pairs:
        if pair.code == 0 and run:
            yield run
            run = []
        run.append(pair)
    if run:
        yield run


def _same(entity: Sequence[Pair]) -> str:
    return "".join(line for pair in entity for line in pair.raw)


def _mapped(entity: list[Pair], sheet: _Sheet) -> str:
    """An entity as it will be."""
    kind = entity[0].value
    if kind in ("SECTION", "ENDSEC", "EOF"):
        return _same(entity)
    if any(p.code == 67 and p.number for p in entity):  # on a page of its own: nothing is cut of it
        return _same(entity)
    if kind not in _BY_KIND:
        raise InputError(tr("can’t be mapped"))
    if any(p.code == 230 and p.number < 0 for p in entity):
        raise InputError(tr("seen from below, it can’t be mapped"))
    return _BY_KIND[kind](entity, sheet)


def _layer(entity: Sequence[Pair]) -> str:
    return next((p.value for p in entity if p.code == 8), "")


def _get(entity: Sequence[Pair], code: int, default: float | None = None) -> float:
    for pair in entity:
        if pair.code == code:
            return pair.number
    if default is None:
        raise InputError(tr("has no group code {code}", code=code))
    return default


def _with(entity: Sequence[Pair], values: dict[int, float]) -> str:
    """The entity with other numbers under these codes."""
    return "".join(p.holding(written(values[p.code], DECIMALS)) if p.code in values else "".join(p.raw) for p in entity)


def _line(entity: list[Pair], sheet: _Sheet) -> str:
    a, b = (_get(entity, 10), _get(entity, 20)), (_get(entity, 11), _get(entity, 21))
    there = [sheet.at(a), sheet.at(b)]
    sheet.draw(_layer(entity), sheet.mm([a, b]), sheet.mm(there))
    return _with(entity, {10: there[0][0], 20: there[0][1], 11: there[1][0], 21: there[1][1]})


def _point(entity: list[Pair], sheet: _Sheet) -> str:
    p = _get(entity, 10), _get(entity, 20)
    there = sheet.at(p)
    if sheet.crosses.on_layer(_layer(entity)):
        sheet.crosses.middle(*sheet.mm([p]))
    return _with(entity, {10: there[0], 20: there[1]})


def _round(entity: list[Pair], sheet: _Sheet) -> str:
    """ARC and CIRCLE."""
    centre, r = (_get(entity, 10), _get(entity, 20)), _get(entity, 40)
    whole = entity[0].value == "CIRCLE"
    begins, ends = (math.radians(_get(entity, code, 0.0)) for code in (50, 51))
    turn = math.tau if whole else (ends - begins) % math.tau or math.tau
    start = centre[0] + r * math.cos(begins), centre[1] + r * math.sin(begins)
    from_mm, centre_mm = sheet.mm([start, centre])
    count = max(math.ceil(turn / 0.05), 2)
    before = along(from_mm, centre_mm, turn, count)
    if whole and sheet.crosses.on_layer(_layer(entity)):
        sheet.crosses.middle(centre_mm)
    kept = sheet.warp.arc(from_mm, centre_mm, turn)
    if kept is None:
        points = [sheet.warp.at(from_mm), *sheet.warp.chords(from_mm, centre_mm, turn)]
        sheet.drawn.draw(before, points, begins=True)
        return _polyline_of(entity, [(x / sheet.size, y / sheet.size) for x, y in points], sheet, closed=whole)
    middle, turn_there = kept
    there = sheet.warp.at(from_mm)
    sheet.drawn.draw(before, along(there, middle, turn_there, count), begins=True)
    first = math.degrees(math.atan2(there[1] - middle[1], there[0] - middle[0]))
    last = first + math.degrees(turn_there)
    low, high = (first, last) if turn_there > 0 else (last, first)
    size = sheet.size
    values = {10: middle[0] / size, 20: middle[1] / size, 40: math.dist(there, middle) / size}
    return _with(entity, values | ({} if whole else {50: low % 360, 51: high % 360}))


def _ellipse(entity: list[Pair], sheet: _Sheet) -> str:
    """An ellipse stays one under any map that keeps parallels: both its half axes are mapped, and made square again."""
    cx, cy = _get(entity, 10), _get(entity, 20)
    ax, ay, ratio = _get(entity, 11), _get(entity, 21), _get(entity, 40)
    begins, ends = _get(entity, 41, 0.0), _get(entity, 42, math.tau)
    bx, by = -ay * ratio, ax * ratio

    def place(t: float) -> Point:
        return cx + ax * math.cos(t) + bx * math.sin(t), cy + ay * math.cos(t) + by * math.sin(t)

    turn = (ends - begins) % math.tau or math.tau
    count = max(math.ceil(turn * math.sqrt(math.hypot(ax, ay) * sheet.size * sheet.warp.stretch / 0.032)), 16)
    before = [place(begins + turn * i / count) for i in range(count + 1)]
    after = [sheet.at(p) for p in before]
    sheet.draw("", sheet.mm(before), sheet.mm(after))
    if not sheet.warp.affine:
        return _polyline_of(entity, after, sheet, closed=turn == math.tau)
    middle = sheet.at((cx, cy))
    u = _less(sheet.at((cx + ax, cy + ay)), middle)
    v = _less(sheet.at((cx + bx, cy + by)), middle)
    # p(t) = u cos t + v sin t; t₀ is where it is farthest away.
    t0 = math.atan2(2 * (u[0] * v[0] + u[1] * v[1]), (u[0] ** 2 + u[1] ** 2) - (v[0] ** 2 + v[1] ** 2)) / 2
    major = u[0] * math.cos(t0) + v[0] * math.sin(t0), u[1] * math.cos(t0) + v[1] * math.sin(t0)
    minor = -u[0] * math.sin(t0) + v[0] * math.cos(t0), -u[1] * math.sin(t0) + v[1] * math.cos(t0)
    way = math.copysign(1.0, major[0] * minor[1] - major[1] * minor[0])
    low, high = (begins - t0, ends - t0) if way > 0 else (t0 - ends, t0 - begins)
    size = math.hypot(*major)
    values = {10: middle[0], 20: middle[1], 11: major[0], 21: major[1], 40: math.hypot(*minor) / size}
    return _with(entity, values | ({41: low, 42: high} if turn < math.tau - 1e-9 else {}))


def _less(a: Point, b: Point) -> Point:
    return a[0] - b[0], a[1] - b[1]


def _spline(entity: list[Pair], sheet: _Sheet) -> str:
    """Its control points and fit points, which any map that keeps parallels maps as they are; tangents turn with it."""
    if not sheet.warp.affine:
        raise InputError(tr("can’t be mapped by a projective map: save it as a polyline"))
    if any(p.code in (12, 13) for p in entity):
        raise InputError(tr("with tangents at its ends, it can’t be mapped: save it as a polyline"))
    found, places = [], []
    for i, pair in enumerate(entity):
        if pair.code in (10, 11) and i + 1 < len(entity):
            p = pair.number, entity[i + 1].number
            there = sheet.at(p)
            places.append((p, there))
            found += [pair.holding(written(there[0], DECIMALS)), entity[i + 1].holding(written(there[1], DECIMALS))]
        elif not (pair.code in (20, 21) and entity[i - 1].code in (10, 11)):
            found.append("".join(pair.raw))
    sheet.draw("", sheet.mm([p for p, _ in places]), sheet.mm([p for _, p in places]))
    return "".join(found)


def _lwpolyline(entity: list[Pair], sheet: _Sheet) -> str:
    """LWPOLYLINE: corners one after another, each with the bulge of what follows it."""
    first = next((i for i, p in enumerate(entity) if p.code == 10), len(entity))
    head, corners = entity[:first], []
    tail: list[Pair] = []
    for pair in entity[first:]:
        if pair.code == 10:
            corners.append([pair])
        elif pair.code in (20, 40, 41, 42, 91):
            corners[-1].append(pair)
        else:
            tail.append(pair)
    closed = bool(int(_get(head, 70, 0.0)) & 1)
    places = [(_get(c, 10), _get(c, 20)) for c in corners]
    bulges = [_get(c, 42, 0.0) for c in corners]
    legs = _legs(places, bulges, sheet, _layer(entity), closed=closed)
    found = []
    for corner, leg in zip(corners, legs, strict=True):
        for k, (p, bulge) in enumerate(leg):
            kept = corner if k == 0 else [c for c in corner if c.code in (10, 20)]
            has = any(c.code == 42 for c in kept)
            found.append(_with(kept, {10: p[0], 20: p[1], **({42: bulge} if has else {})}))
    count = sum(map(len, legs))
    head_text = "".join(p.holding(str(count)) if p.code == 90 else "".join(p.raw) for p in head)
    return head_text + "".join(found) + _same(tail)


def _legs(
    places: Sequence[Point], bulges: Sequence[float], sheet: _Sheet, layer: str, *, closed: bool
) -> list[list[tuple[Point, float]]]:
    """For each corner what is written: itself and its bulge; where an arc is bent, chords in its place."""
    found: list[list[tuple[Point, float]]] = []
    before: list[Point] = sheet.mm(places[:1])
    after: list[Point] = [sheet.warp.at(p) for p in before]
    n = len(places)
    for i, (p, bulge) in enumerate(zip(places, bulges, strict=True)):
        there, q = sheet.at(p), places[(i + 1) % n]
        if i == n - 1 and not closed:
            found.append([(there, bulge)])
            break
        if not bulge:
            found.append([(there, 0.0)])
            before += sheet.mm([q])
            after += sheet.mm([sheet.at(q)])
            continue
        turn = 4 * math.atan(bulge)
        a, b = sheet.mm([p, q])
        off = (1 - bulge * bulge) / (4 * bulge)
        centre = (a[0] + b[0]) / 2 - off * (b[1] - a[1]), (a[1] + b[1]) / 2 + off * (b[0] - a[0])
        kept = sheet.warp.arc(a, centre, turn)
        count = max(math.ceil(abs(turn) / 0.05), 2)
        before += along(a, centre, turn, count)[1:]
        if kept is not None:
            found.append([(there, math.tan(kept[1] / 4))])
            after += along(sheet.warp.at(a), *kept, count)[1:]
            continue
        points = sheet.warp.chords(a, centre, turn)
        after += points
        found.append([(there, 0.0), *(((x / sheet.size, y / sheet.size), 0.0) for x, y in points[:-1])])
    if places:
        sheet.draw(layer, before, after)
    return found


def _polyline(entity: list[Pair], sheet: _Sheet) -> str:
    """POLYLINE: its vertices follow as entities of their own; all is written when they are known."""
    if int(_get(entity, 70, 0.0)) & ~0b1:
        raise InputError(tr("a mesh, a spline or a line in space can’t be mapped"))
    sheet.opening, sheet.vertices = entity, []
    return ""


def _vertex(entity: list[Pair], sheet: _Sheet) -> str:
    sheet.vertices.append(((_get(entity, 10), _get(entity, 20)), _get(entity, 42, 0.0), entity))
    return ""


def _seqend(entity: list[Pair], sheet: _Sheet) -> str:
    opening, vertices = sheet.opening, sheet.vertices
    closed = bool(int(_get(opening, 70, 0.0)) & 1)
    legs = _legs([v[0] for v in vertices], [v[1] for v in vertices], sheet, _layer(opening), closed=closed)
    found = [_same(opening)]
    for (_, _, pairs), leg in zip(vertices, legs, strict=True):
        for k, (p, bulge) in enumerate(leg):
            kept = pairs if k == 0 else [c for c in pairs if c.code != 5]
            found.append(_with(kept, {10: p[0], 20: p[1], 42: bulge}))
    return "".join(found) + _same(entity)


def _polyline_of(entity: list[Pair], points: Sequence[Point], sheet: _Sheet, *, closed: bool) -> str:
    """A polyline in the place of an arc, with its layer, colour and line; in the words of the file's version."""
    end = entity[0].raw[1][len(entity[0].raw[1].rstrip("\r\n")) :] or "\n"
    kept = [p for p in entity[1:] if p.code in (5, 6, 8, 48, 60, 62, 330, 370, 420)]
    if closed:
        points = points[:-1]

    def pair(code: int, value: str) -> str:
        return f"{code:3d}{end}{value}{end}"

    texts = [(written(x, DECIMALS), written(y, DECIMALS)) for x, y in points]
    subclass = [p for p in entity if p.code == 100]
    if subclass:  # files of the newer kind say what an entity is in parts
        head = [pair(0, "LWPOLYLINE"), _same([p for p in kept if p.code in (5, 330)]), _same(subclass[:1])]
        head += [_same([p for p in kept if p.code not in (5, 330)]), pair(100, "AcDbPolyline")]
        head += [pair(90, str(len(texts))), pair(70, str(int(closed)))]
        return "".join(head) + "".join(pair(10, x) + pair(20, y) for x, y in texts)
    layer = pair(8, _layer(entity))
    head = [pair(0, "POLYLINE"), _same(kept), pair(66, "1"), pair(10, "0"), pair(20, "0"), pair(30, "0")]
    vertices = [pair(0, "VERTEX") + layer + pair(10, x) + pair(20, y) + pair(30, "0") for x, y in texts]
    return "".join([*head, pair(70, str(int(closed))), *vertices, pair(0, "SEQEND") + layer])


_BY_KIND: dict[str, Callable[[list[Pair], _Sheet], str]] = {
    "LINE": _line,
    "POINT": _point,
    "ARC": _round,
    "CIRCLE": _round,
    "ELLIPSE": _ellipse,
    "SPLINE": _spline,
    "LWPOLYLINE": _lwpolyline,
    "POLYLINE": _polyline,
    "VERTEX": _vertex,
    "SEQEND": _seqend,
}
