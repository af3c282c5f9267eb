"""An artwork as it is printed on a page: a drawing's own page where that shows it, else its picture."""

from __future__ import annotations

import io
import re
from typing import TYPE_CHECKING

from keen_compass.formats.drawn import Drawing
from keen_compass.formats.pictures import as_shown, opened
from keen_compass.pieces.page import Page

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

    from keen_compass.formats.artwork import Artwork

MM = 72 / 25.4
IDENTIFIERS = re.compile(rb"/ID\[<([0-9A-F]{32})><[0-9A-F]{32}>\]")  # ISO 32000-1, §14.4


def paint(canvas: Canvas, page: Page, art: Artwork) -> None:
    """Its picture, wherever it is on the page."""
    from reportlab.lib.utils import ImageReader

    data, clear = (art.picture, True) if isinstance(art, Drawing) else (art.data, art.seen)
    with opened(data, "artwork", "is no picture") as picture:
        image = ImageReader(as_shown(picture).convert("RGBA" if clear else "RGB"))
    for x, y in page.art:
        canvas.drawImage(
            image, x * MM, (page.height - y - art.height) * MM, art.width * MM, art.height * MM, mask="auto"
        )


def put_page(pdf: bytes, page: Page, art: Drawing) -> bytes:
    """A PDF with a drawing's own page put in, on each of its pages, wherever it is there."""
    import pypdfium2

    document, drawn = pypdfium2.PdfDocument(pdf), pypdfium2.PdfDocument(art.pdf)
    try:
        wide, high = drawn.get_page_size(0)
        shown = drawn.page_as_xobject(0, document)
        for paper in document:
            for x, y in page.art:
                thing = shown.as_pageobject()
                thing.set_matrix(
                    pypdfium2.PdfMatrix()
                    .scale(art.width * MM / wide, art.height * MM / high)
                    .translate(x * MM, (page.height - y - art.height) * MM)
                )
                paper.insert_obj(thing)
            paper.gen_content()
        held = io.BytesIO()
        document.save(held)
    finally:
        document.close()
        drawn.close()
    # Its second identifier is drawn by lot each time, and what was printed is known by its bytes.
    return IDENTIFIERS.sub(rb"/ID[<\1><\1>]", held.getvalue())
