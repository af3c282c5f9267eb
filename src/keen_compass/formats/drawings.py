"""The tool's path as SVG, DXF or PDF, at actual size, for programs that make their own machine files."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from xml.sax.saxutils import escape

from keen_compass.pieces.outline import Ring
from keen_compass.pieces.toolpath import Stroke, ToolPath
from keen_compass.quantities.geometry import Point

MARGIN = 10.0  # mm
PT_PER_MM = 72 / 25.4
HAIRLINE = 0.1  # mm
COLOURS = ("black", "red", "blue", "green")  # of the lines of each pen
FLICK = 2.0  # mm each way; more than any lost motion


def with_flicks(path: ToolPath) -> ToolPath:
    """A program that plots a drawing chooses itself how it comes to each line. So that both axes still approach it from
    the wanted side, every line that asks for an approach begins with a short drawn flick from there.
    """

    def flicked(stroke: Stroke) -> Stroke:
        if not stroke.approach:
            return stroke
        (x, y), (ax, ay) = stroke.points[0], stroke.approach
        flick = (x + FLICK * ((ax > x) - (ax < x)), y + FLICK * ((ay > y) - (ay < y)))
        arcs = tuple(replace(arc, end=arc.end + 1) for arc in stroke.arcs)
        return replace(stroke, points=(flick, *stroke.points), arcs=arcs)

    return replace(path, layers=tuple(replace(la, strokes=tuple(map(flicked, la.strokes))) for la in path.layers))


def origin_of(path: ToolPath) -> Point:
    """Where the page's lower left corner lies in the path's coordinates, mm."""
    x0, y0, _, _ = path.extents()
    return x0 - MARGIN, y0 - MARGIN


def write_svg(path: ToolPath, *, from_zero: bool = False) -> str:
    """SVG 1.1 in mm; Y points up on the machine and down in SVG, so the picture is flipped.

    from_zero: the page's lower left corner is the machine's zero, not a margin beside what is drawn.
    """
    x0, y0, x1, y1 = path.extents()
    if from_zero:
        x0 = y0 = MARGIN
    width, height = x1 - x0 + 2 * MARGIN, y1 - y0 + 2 * MARGIN

    def at(p: Point) -> str:
        return f"{p[0] - x0 + MARGIN:.4f} {y1 - p[1] + MARGIN:.4f}"

    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.3f}mm" height="{height:.3f}mm" '
        f'viewBox="0 0 {width:.3f} {height:.3f}">',
        f"<title>{escape(path.title)}</title>",
    ]
    for number, layer in enumerate(path.layers, 1):
        if not layer.strokes:
            continue
        lines.append(
            f'<g id="{layer.does}-{number}" fill="none" stroke="{COLOURS[layer.pen - 1]}" stroke-width="{HAIRLINE}">'
        )
        for stroke in layer.strokes:
            words = [f"M{at(stroke.points[0])}"]
            lines.append(f'<path d="{" ".join([*words, *_svg_spans(stroke, at)])}"/>')
        lines.append("</g>")
    return "\n".join([*lines, "</svg>"]) + "\n"


def _svg_spans(stroke: Stroke, at: Callable[[Point], str]) -> Iterator[str]:
    for span in stroke.spans():
        if span.arc is None:
            yield f"L{at(span.b)}"
            continue
        large, clockwise = int(abs(span.sweep) > math.pi), int(not span.arc.anticlockwise)
        yield f"A{span.radius:.4f} {span.radius:.4f} 0 {large} {clockwise} {at(span.b)}"


def write_dxf(path: ToolPath) -> str:
    """DXF R2010 in mm: cuts and marks as polylines with arcs, on layers of their own."""
    import ezdxf

    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    for number, layer in enumerate(path.layers, 1):
        name = f"{layer.does.upper()}-{number}"
        document.layers.add(name, color=layer.pen)
        for stroke in layer.strokes:
            bulges = [math.tan(span.sweep / 4) for span in stroke.spans()]
            corners = [(x, y, bulge) for (x, y), bulge in zip(stroke.points, [*bulges, 0.0], strict=True)]
            document.modelspace().add_lwpolyline(corners, format="xyb", dxfattribs={"layer": name})
    text = io.StringIO()
    document.write(text)
    return text.getvalue()


def write_pdf(path: ToolPath) -> bytes:
    """A PDF page just large enough; to be printed at actual size."""
    from reportlab.pdfgen.canvas import Canvas

    x0, y0, x1, y1 = path.extents()
    size = ((x1 - x0 + 2 * MARGIN) * PT_PER_MM, (y1 - y0 + 2 * MARGIN) * PT_PER_MM)
    data = io.BytesIO()
    canvas = Canvas(data, pagesize=size, invariant=1)
    canvas.setTitle(path.title)
    canvas.setLineWidth(HAIRLINE * PT_PER_MM)
    for stroke in path.strokes:
        line = canvas.beginPath()
        for i, (x, y) in enumerate(stroke.flat()):
            at = ((x - x0 + MARGIN) * PT_PER_MM, (y - y0 + MARGIN) * PT_PER_MM)
            (line.lineTo if i else line.moveTo)(*at)
        canvas.drawPath(line)
    canvas.save()
    return data.getvalue()


def write_outline(rings: Sequence[Ring], size: Point) -> str:
    """The cut line of an artwork of that size as SVG: mm, Y down from the artwork's upper left corner."""
    xs, ys = ([p[k] for ring in rings for p in ring.points] + [0.0, size[k]] for k in (0, 1))
    x, y, w, h = min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{w:.4f}mm" height="{h:.4f}mm" '
        f'viewBox="{x:.4f} {y:.4f} {w:.4f} {h:.4f}">'
    ]
    for ring in rings:
        way = " L ".join(f"{px:.4f} {py:.4f}" for px, py in ring.points)
        lines.append(f'<path d="M {way} Z" fill="none" stroke="black" stroke-width="0.1"/>')
    return "\n".join([*lines, "</svg>", ""])
