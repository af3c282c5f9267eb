"""Random cut files through random maps, read by readers that share nothing with the program: how far off is it cut?

python bench/fit.py [FILES OF EACH FORMAT]
"""

from __future__ import annotations

import cmath
import io
import math
import random
import re
import sys
from collections.abc import Callable, Iterator
from typing import Any

import ezdxf
import numpy as np
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from shapely.geometry import LineString, Point

from keen_compass.errors import FileFormatError
from keen_compass.formats.fit import fit_file
from keen_compass.solve.warp import Warp
from keen_compass.standin.gcode_reader import read_gcode
from keen_compass.standin.hpgl_reader import read_hpgl

Line = list[tuple[float, float]]
FINE = 200  # stretches of a curve
FLAT = 0.001  # mm, that a chord may lie off it


def random_map(rng: random.Random, kind: str) -> Warp:
    """Any similarity, mirrored or not; an affine map or a projective one, as prints and machines make them."""
    turn, size = (
        rng.uniform(-math.pi, math.pi),
        rng.uniform(0.5, 2.0) if kind == "similarity" else rng.uniform(0.97, 1.03),
    )
    c, s = size * math.cos(turn), size * math.sin(turn)
    flip = rng.choice((1.0, -1.0))
    rows = np.array([[c, -s * flip, rng.uniform(300, 600)], [s, c * flip, rng.uniform(300, 600)], [0, 0, 1]])
    if kind != "similarity":
        rows[0, 0] *= 1 + rng.uniform(-0.02, 0.02)
        rows[0, 1] += rng.uniform(-0.02, 0.02)
    if kind == "projective":
        rows[2, :2] = rng.uniform(-1e-4, 1e-4), rng.uniform(-1e-4, 1e-4)
    return Warp(tuple(tuple(float(v) for v in row) for row in rows))  # type: ignore[arg-type]


def mapped(line: Line, warp: Warp) -> Line:
    """By NumPy alone."""
    there = np.array(warp.rows) @ np.array([(x, y, 1.0) for x, y in line]).T
    return [(float(x), float(y)) for x, y in (there[:2] / there[2]).T]


def apart(wanted: Line, cut: Line) -> float:
    """How far two lines are from one another anywhere, and their ends from each other; mm."""
    a, b = LineString(wanted), LineString(cut)
    closed = math.dist(wanted[0], wanted[-1]) < 1e-6  # begins anywhere
    ends = 0.0 if closed else max(math.dist(wanted[0], cut[0]), math.dist(wanted[-1], cut[-1]))
    return max(ends, *(b.distance(Point(p)) for p in wanted), *(a.distance(Point(p)) for p in cut))


def gcode(rng: random.Random) -> str:
    """Lines and arcs, absolute and counted from one another, in mm and inches, words left out where they may be."""
    unit = 25.4 if rng.random() < 0.4 else 1.0
    x, y = rng.uniform(0, 200), rng.uniform(0, 200)
    out = ["%", "(made up)", f"N5 G{20 if unit > 1 else 21} G90 G17", f"G0 Z{5 / unit:g}",
           f"G00X{x / unit:.5f}Y{y / unit:.5f}", "M3 S12000",
           f"G1 Z{-1 / unit:g} F{300 / unit:g} ; plunge"]  # fmt: skip
    x, y, absolute, mode = round(x / unit, 5) * unit, round(y / unit, 5) * unit, True, 1
    for n in range(rng.randint(3, 14)):
        what = rng.random()
        if what < 0.15:
            absolute = not absolute
            out.append(f"G{90 if absolute else 91} (now)")
        nx, ny = round(rng.uniform(0, 200) / unit, 4) * unit, round(rng.uniform(0, 200) / unit, 4) * unit
        words = [f"N{10 * n}"] if rng.random() < 0.3 else []
        if what < 0.55:
            if mode != 1 or rng.random() < 0.3:
                words.append("G1")
            mode = 1
            axis = rng.choice(("xy", "x", "y"))
            nx, ny = nx if "x" in axis else x, ny if "y" in axis else y
            middle = ""
        else:
            way = rng.choice((2, 3))
            if mode != way or rng.random() < 0.3:
                words.append(f"g0{way}" if rng.random() < 0.3 else f"G{way}")
            mode, axis = way, "xy"
            r, a, b = rng.uniform(2, 60), rng.uniform(0, math.tau), rng.uniform(0, math.tau)
            cx, cy = round((x - r * math.cos(a)) / unit, 5) * unit, round((y - r * math.sin(a)) / unit, 5) * unit
            r = math.dist((x, y), (cx, cy))
            nx, ny = cx + r * math.cos(b), cy + r * math.sin(b)
            middle = f"I{(cx - x) / unit:.5f} J{(cy - y) / unit:.5f}"
        ox, oy = (0.0, 0.0) if absolute else (x, y)
        places = [f"X{(nx - ox) / unit:.5f}"] * ("x" in axis) + [f"Y{(ny - oy) / unit:.5f}"] * ("y" in axis)
        x = (round((nx - ox) / unit, 5) * unit + ox) if "x" in axis else x
        y = (round((ny - oy) / unit, 5) * unit + oy) if "y" in axis else y
        more = [middle] * bool(middle) + [f"F{900 / unit:g}"] * (rng.random() < 0.3)
        out.append(" ".join([*words, *places, *more]) + rng.choice(("", " (cut)", " ; cut")))
    return rng.choice(("\n", "\r\n")).join([*out, f"G90 G0 Z{5 / unit:g}", "M5", "M30", ""])


def read_lines(moves: list[Any]) -> list[Line]:
    """What is drawn, stroke by stroke, of a stand-in's moves."""
    found: list[Line] = []
    here, drawing = (0.0, 0.0), False
    for m in moves:
        on = not m.rapid and m.z <= 0
        if on and (m.x, m.y) != here:
            if not drawing:
                found.append([here])
            found[-1].append((m.x, m.y))
        drawing = on and (drawing or (m.x, m.y) != here)
        here = m.x, m.y
    return found


def hpgl(rng: random.Random) -> str:
    """Strokes, absolute and counted from one another, arcs, pens and speeds."""
    out, x, y = ["IN;", f"SP{rng.randint(1, 3)};", f"VS{rng.randint(5, 60)};"], 0, 0
    absolute = True
    for _ in range(rng.randint(2, 8)):
        if rng.random() < 0.3:
            absolute = not absolute
            out.append("PA;" if absolute else "PR;")
        for pen in ("PU", "PD"):
            places = []
            for _ in range(1 if pen == "PU" else rng.randint(1, 4)):
                nx, ny = rng.randint(0, 8000), rng.randint(0, 8000)
                places += [nx, ny] if absolute else [nx - x, ny - y]
                x, y = nx, ny
            out.append(pen + ",".join(map(str, places)) + ";" + rng.choice(("", "\n")))
        if rng.random() < 0.4:
            cx, cy, turn = rng.randint(0, 8000), rng.randint(0, 8000), rng.randint(-360, 360)
            out.append(f"AA{cx},{cy},{turn},0.5;")
            a = math.radians(turn)
            dx, dy = x - cx, y - cy
            fx, fy = cx + dx * math.cos(a) - dy * math.sin(a), cy + dx * math.sin(a) + dy * math.cos(a)
            x, y = round(fx), round(fy)
            out.append(f"PU;PA{x},{y};" + ("" if absolute else "PR;"))
    return "".join([*out, "PU;SP0;"])


def svg(rng: random.Random) -> str:
    """Paths of all commands, shapes, groups within groups, a page whose units aren't mm."""
    w, h, k = rng.uniform(50, 300), rng.uniform(50, 300), rng.uniform(0.5, 4)
    n = lambda: f"{rng.uniform(0, 80):.3f}"  # noqa: E731
    d = f"M{n()} {n()}"
    for _ in range(rng.randint(1, 6)):
        letter = rng.choice("LlHhVvCcSsQqTtAaZM")
        count = {"l": 2, "h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "t": 2, "m": 2, "z": 0}.get(letter.lower())
        if letter.lower() == "a":
            d += f"{letter}{n()} {n()} {rng.randint(0, 90)} {rng.randint(0, 1)} {rng.randint(0, 1)} {n()},{n()}"
        else:
            d += letter + " ".join(n() for _ in range(count or 0))
    shapes = [
        f'<path class="cut" d="{d}"/>', f'<rect x="{n()}" y="{n()}" width="{n()}" height="{n()}" rx="3"/>',
        f'<circle cx="{n()}" cy="{n()}" r="{n()}"/>', f'<ellipse cx="{n()}" cy="{n()}" rx="{n()}" ry="{n()}"/>',
        f'<polyline points="{n()},{n()} {n()},{n()} {n()},{n()}"/>',
        f'<line x1="{n()}" y1="{n()}" x2="{n()}" y2="{n()}"/>',
        f'<polygon points="{n()} {n()} {n()} {n()} {n()} {n()}"/>',
    ]  # fmt: skip
    turns = [f"translate({n()},{n()})", f"rotate({n()})", f"scale({rng.uniform(0.5, 1.5):.3f})", "",
             f"skewX({rng.randint(-20, 20)})", f"matrix(0.9 0.1 -0.2 1.1 {n()} {n()})"]  # fmt: skip
    inside = f'<g transform="{rng.choice(turns)}">\n{rng.choice(shapes)}</g>'
    body = f'<g id="one" transform="{rng.choice(turns)}">{rng.choice(shapes)}{inside}</g>'
    page = f'width="{w:.2f}mm" height="{h:.2f}mm" viewBox="0 0 {w * k:.3f} {h * k:.3f}"'
    head = f'<svg xmlns="http://www.w3.org/2000/svg" {page}>\n<!-- kept --><title>made up</title>'
    return f"{head}{body}</svg>\n"


_TAG = re.compile(r"<(/?)(svg|g|path|rect|circle|ellipse|polyline|polygon|line)\b([^>]*?)(/?)>")


def svg_lines(text: str, *, as_written: bool) -> list[Line]:
    """What a drawing draws, mm, Y up; as_written: user units are mm already, and Y minus its y."""
    found: list[Line] = []
    stack: list[np.ndarray] = []
    for m in _TAG.finditer(text):
        if m[1]:
            stack.pop()
            continue
        given = dict(re.findall(r'([\w-]+)="([^"]*)"', m[3]))
        if m[2] == "svg":
            box = [float(v) for v in given["viewBox"].split()]
            width, height = (float(given[k].removesuffix("mm")) for k in ("width", "height"))
            one = min(width / box[2], height / box[3])
            left, top = (width - one * box[2]) / 2, (height - one * box[3]) / 2
            page = np.array([[one, 0, left], [0, -one, height - top], [0, 0, 1.0]])
            stack.append(np.array([[1.0, 0, 0], [0, -1, 0], [0, 0, 1]]) if as_written else page)
            continue
        here = stack[-1] @ transform_of(given.get("transform", ""))
        if m[2] == "g":
            stack.append(here)
            continue
        for line in shape_lines(m[2], given):
            found.append([tuple((here @ (x, y, 1.0))[:2]) for x, y in line])  # type: ignore[misc]
    return found


def transform_of(text: str) -> np.ndarray:
    """One transform, as a matrix."""
    if not text:
        return np.eye(3)
    name, inside = re.fullmatch(r"(\w+)\((.*)\)", text).groups()  # type: ignore[union-attr]
    n = [float(v) for v in re.split(r"[ ,]+", inside)]
    a = math.radians(n[0])
    rows = {
        "translate": lambda: [[1, 0, n[0]], [0, 1, n[1]], [0, 0, 1]],
        "rotate": lambda: [[math.cos(a), -math.sin(a), 0], [math.sin(a), math.cos(a), 0], [0, 0, 1]],
        "scale": lambda: [[n[0], 0, 0], [0, n[0], 0], [0, 0, 1]],
        "skewX": lambda: [[1, math.tan(a), 0], [0, 1, 0], [0, 0, 1]],
        "matrix": lambda: [[n[0], n[2], n[4]], [n[1], n[3], n[5]], [0, 0, 1]],
    }
    return np.array(rows[name](), float)


def shape_lines(name: str, given: dict[str, str]) -> Iterator[Line]:
    """A shape's lines, flattened finely."""
    n = {k: float(v) for k, v in given.items() if re.fullmatch(r"-?[\d.]+", v)}
    points = [float(v) for v in re.findall(r"-?[\d.]+", given.get("points", ""))]
    corners = list(zip(points[::2], points[1::2], strict=True))
    match name:
        case "path":
            yield from path_lines(given["d"])
        case "line":
            yield [(n["x1"], n["y1"]), (n["x2"], n["y2"])]
        case "polyline" | "polygon":
            yield corners + ([corners[0]] if name == "polygon" else [])
        case "rect":
            x, y, w, h = (n[k] for k in ("x", "y", "width", "height"))
            rx, ry = min(n["rx"], w / 2), min(n["rx"], h / 2)
            yield from path_lines(
                f"M{x + rx} {y}H{x + w - rx}A{rx} {ry} 0 0 1 {x + w} {y + ry}"
                f"V{y + h - ry}A{rx} {ry} 0 0 1 {x + w - rx} {y + h}"
                f"H{x + rx}A{rx} {ry} 0 0 1 {x} {y + h - ry}V{y + ry}A{rx} {ry} 0 0 1 {x + rx} {y}Z"
            )
        case _:
            rx, ry = (n["r"], n["r"]) if name == "circle" else (n["rx"], n["ry"])
            turns = [math.tau * i / 2000 for i in range(2001)]
            yield [(n["cx"] + rx * math.cos(t), n["cy"] + ry * math.sin(t)) for t in turns]


class Arc:
    """An elliptical arc as the parser's pen gets it: by chords, from the standard's own formulas (SVG 1.1, F.6)."""

    def __init__(
        self, start: complex, rx: float, ry: float, rotation: float, large: int, sweep: int, target: complex
    ) -> None:
        self.ends, self.radii, self.tilt = (start, target), (abs(rx), abs(ry)), cmath.exp(1j * math.radians(rotation))
        self.large, self.sweep = bool(large), bool(sweep)

    def draw(self, pen: RecordingPen) -> None:
        """Chord by chord, on a circle of radius one where the ellipse is made round."""
        (a, b), (rx, ry) = self.ends, self.radii
        if a == b:
            return
        if not rx or not ry:
            pen.lineTo((b.real, b.imag))
            return

        def round_(p: complex) -> complex:
            q = p / self.tilt
            return complex(q.real / rx, q.imag / ry)

        p, q = round_(a), round_(b)
        size = max(abs(q - p) / 2, 1.0)  # radii too small are made larger
        rise = math.sqrt(max(size**2 - abs(q - p) ** 2 / 4, 0.0))
        middle = (p + q) / 2 + 1j * (q - p) / abs(q - p) * rise * (1 if self.large is not self.sweep else -1)
        turn = cmath.phase((q - middle) / (p - middle))
        turn = turn % math.tau if self.sweep else -(-turn % math.tau)
        for i in range(1, 2001):
            at = middle + (p - middle) * cmath.exp(1j * turn * i / 2000)
            there = complex(at.real * rx, at.imag * ry) * self.tilt
            pen.lineTo((there.real, there.imag))


def path_lines(d: str) -> Iterator[Line]:
    """By someone else's parser: a pen that records it."""
    pen, line = RecordingPen(), []
    parse_path(d, pen, arc_class=Arc)
    for name, points in pen.value:
        if name == "moveTo":
            line = [points[0]]
        elif name in ("closePath", "endPath"):
            if len(line) > 1:
                yield line + ([line[0]] if name == "closePath" else [])
        else:
            curve = [line[-1], *points]
            if name == "qCurveTo" and len(points) > 2:
                raise AssertionError("no such curve was written")
            line += [bezier(curve, i / FINE) for i in range(1, FINE + 1)] if len(curve) > 2 else [points[0]]


def bezier(points: Line, t: float) -> tuple[float, float]:
    """A place of a curve."""
    p = np.array(points)
    while len(p) > 1:
        p = p[:-1] + t * (p[1:] - p[:-1])
    return float(p[0][0]), float(p[0][1])


def dxf(rng: random.Random) -> str:
    """Lines, polylines with bulges, arcs, circles, ellipses, splines; old and new versions, mm and inches."""
    document = ezdxf.new(rng.choice(("R12", "R2000", "R2010")), units=rng.choice((1, 4)))
    document.layers.add("CUT")
    space, n = document.modelspace(), lambda: round(rng.uniform(0, 90), 4)
    for kind in rng.sample(range(7), 3):
        layer = {"layer": rng.choice(("CUT", "0")), "color": rng.randint(1, 7)}
        if kind == 0:
            space.add_line((n(), n()), (n(), n()), dxfattribs=layer)
        elif kind == 1:
            space.add_arc((n(), n()), n() + 1, n(), n() * 4, dxfattribs=layer)
        elif kind == 2:
            space.add_circle((n(), n()), n() + 1, dxfattribs=layer)
        elif kind == 3:
            corners = [(n(), n(), rng.choice((0, rng.uniform(-1.5, 1.5)))) for _ in range(4)]
            if document.dxfversion == "AC1009":
                space.add_polyline2d(corners, format="xyb", close=rng.random() < 0.5, dxfattribs=layer)
            else:
                space.add_lwpolyline(corners, format="xyb", close=rng.random() < 0.5, dxfattribs=layer)
        elif document.dxfversion != "AC1009" and kind == 4:
            space.add_ellipse((n(), n()), (n() + 1, n()), rng.uniform(0.2, 1), n() / 30, 3 + n() / 30, dxfattribs=layer)
        elif document.dxfversion != "AC1009" and kind == 5:
            space.add_open_spline([(n(), n(), 0) for _ in range(5)], dxfattribs=layer)
        else:
            space.add_point((n(), n()), dxfattribs=layer)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


def dxf_lines(text: str) -> list[Line]:
    """What a file draws, mm, flattened by ezdxf; curves as they are, not as splines that come near."""
    document = ezdxf.read(io.StringIO(text))
    size = {1: 25.4}.get(document.header.get("$INSUNITS", 4), 1.0)
    found: list[Line] = []
    for entity in document.modelspace():
        kind = entity.dxftype()
        parts = list(entity.virtual_entities()) if kind in ("LWPOLYLINE", "POLYLINE") else [entity]
        start = first_of(entity, size)
        line: Line = []
        for part in parts:
            if part.dxftype() == "POINT":
                points = [part.dxf.location] * 2
            elif part.dxftype() == "LINE":
                points = [part.dxf.start, part.dxf.end]
            else:
                points = list(part.flattening(FLAT / size))
            places = [(p.x * size, p.y * size) for p in points]
            # An arc is kept anticlockwise, whichever way it is drawn.
            begins = line[-1] if line else start
            if begins and math.dist(begins, places[0]) > math.dist(begins, places[-1]):
                places.reverse()
            line += places
        found.append(line)
    return found


def first_of(entity: Any, size: float) -> tuple[float, float] | None:
    """Where a polyline begins, mm; None of anything else."""
    if entity.dxftype() == "LWPOLYLINE":
        x, y, *_ = entity[0]
        return x * size, y * size
    if entity.dxftype() == "POLYLINE":
        return entity.vertices[0].dxf.location.x * size, entity.vertices[0].dxf.location.y * size
    return None


def strokes_of(kind: str, text: str, *, after: bool) -> list[Line]:
    """What a file draws, by a reader that isn't the program's."""
    if kind == "gcode":
        return read_lines(read_gcode(text.replace("%", "")))
    if kind == "hpgl":
        return read_lines(read_hpgl(re.sub(r"VS\d+;", "", text)))
    if kind == "svg":
        return svg_lines(text, as_written=after)
    return dxf_lines(text)


MAKES: dict[str, Callable[[random.Random], str]] = {"gcode": gcode, "hpgl": hpgl, "svg": svg, "dxf": dxf}


def worst(kind: str, seed: int) -> float:
    """How far off the worst stroke of a random file is under a random map, mm; infinite where strokes are missing."""
    rng = random.Random(f"{kind}/{seed}")
    text = MAKES[kind](rng)
    model = rng.choice(("similarity", "similarity", "affine", "projective"))
    if "SPLINE" in text and model == "projective":
        model = "affine"
    warp = random_map(rng, model)
    try:
        fitted = fit_file(text.encode("utf-8"), warp).data.decode("utf-8")
    except FileFormatError as error:
        if model == "projective" and "the map" in str(error):  # which sends a corner through its horizon
            return 0.0
        raise
    wanted, cut = strokes_of(kind, text, after=False), strokes_of(kind, fitted, after=True)
    if len(wanted) != len(cut):
        return math.inf
    off = [min(apart(mapped(a, warp), b), apart(mapped(a, warp), b[::-1])) for a, b in zip(wanted, cut, strict=True)]
    return max(off, default=0.0)


def main() -> None:
    """Measure and print."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    for kind in MAKES:
        off = [worst(kind, seed) for seed in range(count)]
        beyond = sum(o > 0.01 for o in off)
        print(f"{kind}: {count:,} files, worst {max(off):.4f} mm, {beyond} beyond 0.01", flush=True)


if __name__ == "__main__":
    main()
