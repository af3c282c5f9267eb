"""An artwork as it is printed on a page: drawings as the paths that they are, pictures as they are."""

from __future__ import annotations

from typing import TYPE_CHECKING

from keen_compass.formats.pictures import as_shown, opened
from keen_compass.formats.svg_artwork import Drawing, Painted
from keen_compass.pieces.page import Page

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

    from keen_compass.formats.artwork import Artwork, Picture

MM = 72 / 25.4
CAPS = {"butt": 0, "round": 1, "square": 2}
JOINS = {"miter": 0, "round": 1, "bevel": 2}


def paint(canvas: Canvas, page: Page, art: Artwork) -> None:
    """Wherever it stands on the page."""
    for x, y in page.art:
        canvas.saveState()
        canvas.translate(x * MM, (page.height - y) * MM)
        edge = canvas.beginPath()
        edge.rect(0, -art.height * MM, art.width * MM, art.height * MM)
        canvas.clipPath(edge, stroke=0, fill=0)  # what a drawing has beside itself isn't seen
        if isinstance(art, Drawing):
            for shape in art.painted:
                _shape(canvas, shape)
        else:
            _picture(canvas, art)
        canvas.restoreState()


def _shape(canvas: Canvas, shape: Painted) -> None:
    path = canvas.beginPath()
    for move in shape.moves:
        at = [v * MM for x, y in move.points for v in (x, -y)]
        match move.how:
            case "M":
                path.moveTo(*at)
            case "L":
                path.lineTo(*at)
            case "C":
                path.curveTo(*at)
            case _:
                path.close()
    if shape.fill:
        canvas.setFillColorRGB(*shape.fill[:3], alpha=shape.fill[3])
    if shape.stroke:
        canvas.setStrokeColorRGB(*shape.stroke[:3], alpha=shape.stroke[3])
        canvas.setLineWidth(shape.width * MM)
        canvas.setLineCap(CAPS[shape.cap])
        canvas.setLineJoin(JOINS[shape.join])
        canvas.setMiterLimit(shape.mitre_limit)
    canvas.drawPath(path, stroke=int(shape.stroke is not None), fill=int(shape.fill is not None),
                    fillMode=0 if shape.even_odd else 1)  # fmt: skip


def _picture(canvas: Canvas, art: Picture) -> None:
    from reportlab.lib.utils import ImageReader

    with opened(art.data, "artwork", "is no picture") as picture:
        shown = as_shown(picture).convert("RGBA" if art.seen else "RGB")
    canvas.drawImage(ImageReader(shown), 0, -art.height * MM, art.width * MM, art.height * MM, mask="auto")
