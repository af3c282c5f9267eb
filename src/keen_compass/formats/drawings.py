"""The tool's path as SVG, DXF or PDF, at actual size, for programs that make their own machine files."""

from __future__ import annotations

import io
from xml.sax.saxutils import escape

from keen_compass.pieces.toolpath import ToolPath
from keen_compass.quantities.geometry import Point

MARGIN = 10.0  # mm
PT_PER_MM = 72 / 25.4
HAIRLINE = 0.1  # mm
FLICK = 2.0  # mm each way; more than any lost motion


def write_svg(path: ToolPath, *, flicks: bool = False) -> str:
    """SVG 1.1 in mm; Y points up on the machine and down in SVG, so the picture is flipped.

    flicks: a program that plots an SVG chooses how it comes to each line. So that both axes still approach
    it from the wanted side, every line that asks for an approach begins with a short drawn flick from there.
    """
    x0, y0, x1, y1 = path.extents()
    width, height = x1 - x0 + 2 * MARGIN, y1 - y0 + 2 * MARGIN
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.3f}mm" height="{height:.3f}mm" '
        f'viewBox="0 0 {width:.3f} {height:.3f}">',
        f"<title>{escape(path.title)}</title>",
        f'<g fill="none" stroke="black" stroke-width="{HAIRLINE}">',
    ]
    for stroke in path.strokes:
        corners: tuple[Point, ...] = stroke.points
        if flicks and stroke.approach:
            (x, y), *_ = corners
            ax, ay = stroke.approach
            corners = ((x + FLICK * ((ax > x) - (ax < x)), y + FLICK * ((ay > y) - (ay < y))), *corners)
        points = " ".join(f"{x - x0 + MARGIN:.4f},{y1 - y + MARGIN:.4f}" for x, y in corners)
        lines.append(f'<polyline points="{points}"/>')
    return "\n".join([*lines, "</g>", "</svg>"]) + "\n"


def write_dxf(path: ToolPath) -> str:
    """DXF R2010 in mm: cuts and marks as polylines on layers of their own."""
    import ezdxf

    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    for layer in ("CUT", "MARK"):
        document.layers.add(layer)
    space = document.modelspace()
    for stroke in path.strokes:
        space.add_lwpolyline(stroke.points, dxfattribs={"layer": "CUT" if stroke.through else "MARK"})
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
        for i, (x, y) in enumerate(stroke.points):
            at = ((x - x0 + MARGIN) * PT_PER_MM, (y - y0 + MARGIN) * PT_PER_MM)
            (line.lineTo if i else line.moveTo)(*at)
        canvas.drawPath(line)
    canvas.save()
    return data.getvalue()
