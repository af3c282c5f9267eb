"""A printed sheet as PDF, at true size: to be printed without fitting it to the page."""

from __future__ import annotations

import io
from collections.abc import Mapping
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from keen_compass.formats.drawn import Drawing
from keen_compass.formats.painting import paint, put_page
from keen_compass.pieces.page import CODE, CROSS, INSET, MOST_TICKS, PRINTED_TICKS, RINGS, TARGET, WORDS, Mark, Page
from keen_compass.quantities.geometry import Box, Point

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

    from keen_compass.formats.artwork import Artwork

MM = 72 / 25.4
THIN, LINE = 0.12, 0.2  # mm
BESIDE = 2.2  # mm between a thing and what is written about it
DOT = 0.3  # mm, radius
PICTURE_DPI = 300.0
HEADING, LINES_BELOW = 5.0, 24.0  # mm, of words above and below the foot of their heading
TICK = 1.5  # mm, half of a bar's end


def write_page(
    page: Page,
    words: tuple[str, ...],
    copies: int = 1,
    ends: Mapping[str, str] = MappingProxyType({}),
    art: Artwork | None = None,
) -> bytes:
    """words: what is on it, line by line, the first large. copies: that many pages alike. ends: what is at the
    ends of its verniers, by sign and axis: ``+x``. art: the artwork of its job.
    """
    from reportlab.pdfgen.canvas import Canvas

    data = io.BytesIO()
    canvas = Canvas(data, pagesize=(page.width * MM, page.height * MM), invariant=1)
    canvas.setTitle(f"{words[0]} {page.number}")
    own = art if isinstance(art, Drawing) and art.pdf else None
    for _ in range(copies):
        if art is not None and own is None:
            paint(canvas, page, art)
        _draw(canvas, page, words, ends)
        canvas.showPage()
    canvas.save()
    return put_page(data.getvalue(), page, own) if own is not None else data.getvalue()


def write_page_svg(
    page: Page, words: tuple[str, ...], ends: Mapping[str, str] = MappingProxyType({}), art: Artwork | None = None
) -> bytes:
    """The same as a drawing, one page at true size."""
    from keen_compass.formats.svg_canvas import SvgCanvas

    canvas: Any = SvgCanvas(page.width * MM, page.height * MM)
    canvas.setTitle(f"{words[0]} {page.number}")
    if art is not None:
        paint(canvas, page, art)
    _draw(canvas, page, words, ends)
    found: bytes = canvas.svg()
    return found


def page_as_picture(pdf: bytes, dpi: float = PICTURE_DPI) -> bytes:
    """The first page of a PDF as PNG at true size."""
    import pypdfium2

    document = pypdfium2.PdfDocument(pdf)
    try:
        picture = document[0].render(scale=dpi / 72).to_pil()
    finally:
        document.close()
    held = io.BytesIO()
    picture.convert("RGB").save(held, "PNG", dpi=(dpi, dpi))
    return held.getvalue()


def _draw(canvas: Canvas, page: Page, words: tuple[str, ...], ends: Mapping[str, str]) -> None:
    for i, mark in enumerate(page.marks, 1):
        _mark(canvas, mark, page.on_paper(mark.at), str(i), page)
    for i, target in enumerate(page.targets, 1):
        _target(canvas, page.on_paper(target), str(i), page.graduation.division)
        if page.fine:
            _verniers(canvas, page, target, ends)
    for bar, length in zip(page.bars, page.bar_lengths, strict=True):
        low, high = sorted(page.on_paper(end) for end in bar)
        _bar(canvas, low, high, page.graduation.length(length))
    _code(canvas, page)
    _words(canvas, page, words)


def _line(canvas: Canvas, a: Point, b: Point, width: float = LINE) -> None:
    canvas.setLineWidth(width * MM)
    canvas.line(a[0] * MM, a[1] * MM, b[0] * MM, b[1] * MM)


def _cross(canvas: Canvas, at: Point, arm: float, width: float = LINE) -> None:
    x, y = at
    _line(canvas, (x - arm, y), (x + arm, y), width)
    _line(canvas, (x, y - arm), (x, y + arm), width)


def _mark(canvas: Canvas, mark: Mark, at: Point, number: str, page: Page) -> None:
    _cross(canvas, at, CROSS)
    x, y = at
    if mark.unlike:  # a square about it: no other has one
        canvas.setLineWidth(2 * LINE * MM)
        canvas.rect((x - CROSS) * MM, (y - CROSS) * MM, 2 * CROSS * MM, 2 * CROSS * MM)
    inwards = 1 if x < page.width / 2 else -1
    canvas.setFont("Helvetica-Bold", 12)
    draw = canvas.drawString if inwards > 0 else canvas.drawRightString
    draw((x + inwards * (CROSS + BESIDE)) * MM, (y + CROSS / 2) * MM, number)


def _target(canvas: Canvas, at: Point, number: str, division: float) -> None:
    _cross(canvas, at, TARGET, THIN)
    x, y = at
    canvas.setLineWidth(THIN * MM)
    for ring in RINGS:
        canvas.circle(x * MM, y * MM, ring * division * MM)
    canvas.setFont("Helvetica", 9)
    canvas.drawString((x + TARGET + BESIDE) * MM, (y - 1.0) * MM, number)


def _verniers(canvas: Canvas, page: Page, target: Point, ends: Mapping[str, str]) -> None:
    """Ticks for X, dots for Y, so that they can't be confused; what each end means beside it."""
    for a, b in page.ticks(target, "x", printed=True):
        _line(canvas, page.on_paper(a), page.on_paper(b), THIN)
    for a, _ in page.ticks(target, "y", printed=True):
        x, y = page.on_paper((a[0] - DOT, a[1]))
        canvas.circle(x * MM, y * MM, DOT * MM, stroke=0, fill=1)
    canvas.setFont("Helvetica", 6)
    below, aside, k = PRINTED_TICKS["x"][1] + 2.0, -PRINTED_TICKS["y"][0], MOST_TICKS * page.graduation.division + 3.6
    at = {"+x": (0.6, below), "-x": (-0.6, below), "+y": (aside, k), "-y": (aside, -k)}
    for end, words in ends.items():
        x, y = page.on_paper((target[0] + at[end][0], target[1] + at[end][1]))
        draw = {"+x": canvas.drawString, "-x": canvas.drawRightString}.get(end, canvas.drawCentredString)
        draw(x * MM, (y - 0.7) * MM, words)


def _bar(canvas: Canvas, a: Point, b: Point, length: str) -> None:
    _line(canvas, a, b)
    upright = a[0] == b[0]
    for x, y in (a, b):
        _line(canvas, (x - TICK, y), (x + TICK, y)) if upright else _line(canvas, (x, y - TICK), (x, y + TICK))
    words = f"{'Y' if upright else 'X'}   {length}"
    canvas.setFont("Helvetica-Bold", 10)
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    if not upright:
        canvas.drawCentredString(middle[0] * MM, (middle[1] + TICK) * MM, words)
        return
    canvas.saveState()
    canvas.translate((middle[0] - TICK) * MM, middle[1] * MM)
    canvas.rotate(90)
    canvas.drawCentredString(0, 0, words)
    canvas.restoreState()


def _code(canvas: Canvas, page: Page) -> None:
    x0, y0 = page.on_paper(page.code_at)
    y0 -= CODE if page.down else 0.0
    draw_code(canvas, page.code, (x0 * MM, y0 * MM), CODE * MM)


def draw_code(canvas: Canvas, text: str, at: Point, side: float) -> None:
    """A QR code as squares, its lower left corner there; points."""
    import segno  # late: it takes a tenth of a second

    rows = segno.make(text, error="m", micro=False, boost_error=False).matrix
    step = side / len(rows)
    for i, row in enumerate(rows):
        for j, dark in enumerate(row):
            if dark:
                canvas.rect(at[0] + j * step, at[1] + side - (i + 1) * step, step, step, stroke=0, fill=1)


def words_box(page: Page) -> Box:
    """Where words stand on the paper, mm: in the strip beside mark 1, towards the middle."""
    _, y = page.on_paper((INSET, INSET + CROSS + (8.0 if page.down else WORDS - 5.0)))
    return Box(INSET, y - LINES_BELOW, page.width - 2 * INSET, LINES_BELOW + HEADING)


def _words(canvas: Canvas, page: Page, words: tuple[str, ...]) -> None:
    box = words_box(page)
    x, y = box.x, box.y + LINES_BELOW
    canvas.setFont("Helvetica-Bold", 16)
    canvas.drawString(x * MM, y * MM, f"{words[0]} {page.number}")
    canvas.setFont("Helvetica", 9)
    for i, line in enumerate(words[1:], 1):
        canvas.drawString(x * MM, (y - 1.5 - 4.0 * i) * MM, line)
