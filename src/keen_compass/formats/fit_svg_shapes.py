"""Shapes of a drawing as parts of paths, and what becomes of each of them under a map."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import NamedTuple

from keen_compass.errors import InputError
from keen_compass.formats.fit import written
from keen_compass.language import tr
from keen_compass.quantities.geometry import Point
from keen_compass.solve.warp import Warp, turned

DECIMALS = 5
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
SHAPES = {
    "path": ("d",),
    "line": ("x1", "y1", "x2", "y2"),
    "polyline": ("points",),
    "polygon": ("points",),
    "rect": ("x", "y", "width", "height", "rx", "ry"),
    "circle": ("cx", "cy", "r"),
    "ellipse": ("cx", "cy", "rx", "ry"),
}
_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*)")
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7, "Z": 0}


class Part(NamedTuple):
    """A stretch of a path, absolute: L, C, Q or Z with its points, A with (rx, ry, turn in rad, large, sweep)."""

    letter: str
    points: tuple[Point, ...]
    arc: tuple[float, float, float, bool, bool] = (0.0, 0.0, 0.0, False, False)


def attribute_number(given: dict[str, str], name: str) -> float:
    """A length of a shape, in user units."""
    text = given.get(name, "0").strip().removesuffix("px")
    try:
        return float(text)
    except ValueError:
        raise InputError(
            tr("{name} {text!r} can’t be mapped: give it in user units", name=name, text=text[:20])
        ) from None


def pair(p: Point, between: str = " ") -> str:
    return f"{written(p[0], DECIMALS)}{between}{written(p[1], DECIMALS)}"


def outline(name: str, given: dict[str, str]) -> Iterator[Part]:
    """A shape as stretches of a path, in its own coordinates."""
    if name == "path":
        yield from _path(given.get("d", ""))
        return
    if name in ("polyline", "polygon", "line"):
        text = given.get("points", "") if name != "line" else " ".join(given.get(k, "0") for k in SHAPES[name])
        n = [float(v) for v in NUMBER.findall(text)]
        for i, p in enumerate(zip(n[::2], n[1::2], strict=False)):
            yield Part("L" if i else "M", (p,))
        if name == "polygon" and n:
            yield Part("Z", ())
        return
    if name == "rect":
        yield from _rect(given)
        return
    cx, cy = attribute_number(given, "cx"), attribute_number(given, "cy")
    rx = attribute_number(given, "r") if name == "circle" else attribute_number(given, "rx")
    ry = rx if name == "circle" else attribute_number(given, "ry")
    yield Part("M", ((cx + rx, cy),))
    yield Part("A", ((cx - rx, cy),), (rx, ry, 0.0, False, True))
    yield Part("A", ((cx + rx, cy),), (rx, ry, 0.0, False, True))
    yield Part("Z", ())


def _rect(given: dict[str, str]) -> Iterator[Part]:
    x, y, w, h = (attribute_number(given, k) for k in ("x", "y", "width", "height"))
    rx = attribute_number(given, "rx") if "rx" in given else attribute_number(given, "ry")
    ry = attribute_number(given, "ry") if "ry" in given else rx
    rx, ry = min(rx, w / 2), min(ry, h / 2)
    yield Part("M", ((x + rx, y),))
    arc = (rx, ry, 0.0, False, True)
    for side, corner in (
        ((x + w - rx, y), (x + w, y + ry)),
        ((x + w, y + h - ry), (x + w - rx, y + h)),
        ((x + rx, y + h), (x, y + h - ry)),
        ((x, y + ry), (x + rx, y)),
    ):
        yield Part("L", (side,))
        if rx and ry:
            yield Part("A", (corner,), arc)
    yield Part("Z", ())


def _path(d: str) -> Iterator[Part]:
    """All of a path's stretches, absolute. Raises InputError for what is none."""
    x = y = 0.0
    start, mirror, before = (0.0, 0.0), (0.0, 0.0), ""
    if _COMMAND.sub("", d).strip():
        raise InputError(tr("{typed!r} is no path", typed=d.strip()[:20]))
    if d.strip() and d.strip()[0] not in "Mm":
        raise InputError(tr("{typed!r} begins nowhere", typed=d.strip()[:20]))
    for letter, rest in _COMMAND.findall(d):
        kind, takes = letter.upper(), _TAKES[letter.upper()]
        numbers = _arc_numbers(rest) if kind == "A" else [float(v) for v in NUMBER.findall(rest)]
        if (takes and (not numbers or len(numbers) % takes)) or (not takes and numbers):
            raise InputError(tr("{letter}{rest!r} lacks a number, or has one too many", letter=letter, rest=rest[:20]))
        for i in range(0, max(len(numbers), 1), takes or 1):
            n = numbers[i : i + takes]
            ox, oy = (x, y) if letter.islower() else (0.0, 0.0)
            if kind == "Z":
                yield Part("Z", ())
                x, y = start
            elif kind == "A":
                x, y = n[5] + ox, n[6] + oy
                yield Part("A", ((x, y),), (abs(n[0]), abs(n[1]), math.radians(n[2]), n[3] != 0, n[4] != 0))
            elif kind in "HV":
                x, y = (n[0] + ox, y) if kind == "H" else (x, n[0] + oy)
                yield Part("L", ((x, y),))
            else:
                points = [(px + ox, py + oy) for px, py in zip(n[::2], n[1::2], strict=True)]
                if kind in "ST":
                    again = before in ("CS" if kind == "S" else "QT")
                    points.insert(0, (2 * x - mirror[0], 2 * y - mirror[1]) if again else (x, y))
                named = {"S": "C", "T": "Q"}.get(kind, "L" if kind == "M" and i else kind)
                yield Part(named, tuple(points))
                x, y = points[-1]
                mirror = points[-2] if len(points) > 1 else points[-1]
                start = (x, y) if named == "M" else start
            before = kind


def _arc_numbers(text: str) -> list[float]:
    """Of arcs: flags are single digits, whatever follows them."""
    found: list[float] = []
    rest = text.replace(",", " ").strip()
    while rest:
        m = re.match(r"[01]", rest) if len(found) % 7 in (3, 4) else NUMBER.match(rest)
        if m is None:
            raise InputError(tr("{rest!r} is no number of an arc", rest=rest[:20]))
        found.append(float(m[0]))
        rest = rest[m.end() :].strip()
    return found


def stretched(part: Part, last: Point, start: Point, out: Warp) -> tuple[list[Point], list[Point], str]:
    """(places before, after as they are written, and its text)."""
    here = out.at(last)
    if part.letter in "LZ":
        end = start if part.letter == "Z" else part.points[0]
        there = out.at(end)
        return [last, end], [here, there], "Z" if part.letter == "Z" else f"L{pair(there)}"
    if part.letter == "A":
        return _arc(part, last, out)
    curve = (last, *part.points)
    after = [here, *out.bent(curve)]
    before = [last, *Warp().bent(curve)]
    if out.affine:
        return before, after, part.letter + " ".join(pair(out.at(p)) for p in part.points)
    return before, after, " ".join(f"L{pair(p)}" for p in after[1:])


def _arc(part: Part, last: Point, out: Warp) -> tuple[list[Point], list[Point], str]:
    """An elliptical arc: an arc again under a similarity, or where it stays a circle's; else chords."""
    end, (rx, ry, tilt, large, sweep) = part.points[0], part.arc
    if not rx or not ry or math.dist(last, end) < 1e-12:
        there = out.at(end)
        return [last, end], [out.at(last), there], f"L{pair(there)}"
    centre, rx, ry, first, turn = _centred(last, end, rx, ry, tilt, large=large, sweep=sweep)
    c, s = math.cos(tilt), math.sin(tilt)

    def place(t: float) -> Point:
        x, y = rx * math.cos(t), ry * math.sin(t)
        return centre[0] + c * x - s * y, centre[1] + s * x + c * y

    r = max(rx, ry) * max(out.stretch, 1e-9)
    count = min(max(math.ceil(abs(turn) / (2 * math.acos(max(1 - 0.003 / r, 0.0)))) if r > 0.003 else 4, 2), 20_000)
    before = [place(first + turn * i / count) for i in range(count + 1)]
    after = [out.at(p) for p in before]
    there = after[-1]
    size = out.scale
    kept = out.arc(last, centre, turn) if abs(rx - ry) < 1e-9 * rx else None
    if size is None and kept is None:
        return before, after, " ".join(f"L{pair(p)}" for p in after[1:])
    if size is not None:
        (a, _, _), (d, _, _), _ = out.rows
        angle = math.degrees(math.atan2(d, a) + (-tilt if out.mirrored else tilt))
        radii = rx * size, ry * size
    else:
        assert kept is not None
        angle, radii = 0.0, (math.dist(there, kept[0]),) * 2
    way = int(sweep is not out.mirrored)
    # In parts of a third of a turn at most: half a turn's centre hangs on the last digit of its ends.
    parts = math.ceil(abs(turn) / (math.tau / 3) - 1e-9)
    ends = [out.at(place(first + turn * (i + 1) / parts)) for i in range(parts - 1)] + [there]
    head = f"A{pair(radii)} {written(angle, 6)} 0 {way} "
    return before, after, " ".join(head + pair(p) for p in ends)


def _centred(
    a: Point, b: Point, rx: float, ry: float, tilt: float, *, large: bool, sweep: bool
) -> tuple[Point, float, float, float, float]:
    """(centre, radii, first angle, turn) of an arc (SVG 1.1, appendix F.6.5); radii too small are made larger."""
    c, s = math.cos(tilt), math.sin(tilt)
    hx, hy = (a[0] - b[0]) / 2, (a[1] - b[1]) / 2
    x, y = c * hx + s * hy, -s * hx + c * hy
    need = (x / rx) ** 2 + (y / ry) ** 2
    if need > 1:
        rx, ry = rx * math.sqrt(need), ry * math.sqrt(need)
    under = max((rx * ry) ** 2 - (rx * y) ** 2 - (ry * x) ** 2, 0.0)
    k = math.sqrt(under / ((rx * y) ** 2 + (ry * x) ** 2)) * (-1 if large is sweep else 1)
    ux, uy = k * rx * y / ry, -k * ry * x / rx
    centre = c * ux - s * uy + (a[0] + b[0]) / 2, s * ux + c * uy + (a[1] + b[1]) / 2
    begins = ((x - ux) / rx, (y - uy) / ry)
    ends = ((-x - ux) / rx, (-y - uy) / ry)
    turn = turned(begins, ends, (0.0, 0.0), 1 if sweep else -1)
    return centre, rx, ry, math.atan2(begins[1], begins[0]), turn
