"""A printed sheet as PDF, at true size: to be printed without fitting it to the page."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from keen_compass.pieces.page import CODE, CROSS, RINGS, TARGET, WORDS, Mark, Page
from keen_compass.quantities.geometry import Point

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

MM = 72 / 25.4
THIN, LINE = 0.12, 0.2  # mm
BESIDE = 2.2  # mm between a thing and what is written about it
TICK = 1.5  # mm, half of a bar's end


def write_page(page: Page, words: tuple[str, ...]) -> bytes:
    """words: what stands on it, line by line, the first large."""
    from reportlab.pdfgen.canvas import Canvas

    data = io.BytesIO()
    canvas = Canvas(data, pagesize=(page.width * MM, page.height * MM), invariant=1)
    canvas.setTitle(f"{words[0]} {page.number}")
    for i, mark in enumerate(page.marks, 1):
        _mark(canvas, mark, str(i), page)
    for i, target in enumerate(page.targets, 1):
        _target(canvas, target, str(i))
    for a, b in page.bars:
        _bar(canvas, a, b)
    _code(canvas, page)
    _words(canvas, page, words)
    canvas.save()
    return data.getvalue()


def _line(canvas: Canvas, a: Point, b: Point, width: float = LINE) -> None:
    canvas.setLineWidth(width * MM)
    canvas.line(a[0] * MM, a[1] * MM, b[0] * MM, b[1] * MM)


def _cross(canvas: Canvas, at: Point, arm: float, width: float = LINE) -> None:
    x, y = at
    _line(canvas, (x - arm, y), (x + arm, y), width)
    _line(canvas, (x, y - arm), (x, y + arm), width)


def _mark(canvas: Canvas, mark: Mark, number: str, page: Page) -> None:
    _cross(canvas, mark.at, CROSS)
    x, y = mark.at
    if mark.unlike:  # a square about it: no other has one
        canvas.setLineWidth(2 * LINE * MM)
        canvas.rect((x - CROSS) * MM, (y - CROSS) * MM, 2 * CROSS * MM, 2 * CROSS * MM)
    inwards = 1 if x < page.width / 2 else -1
    canvas.setFont("Helvetica-Bold", 12)
    draw = canvas.drawString if inwards > 0 else canvas.drawRightString
    draw((x + inwards * (CROSS + BESIDE)) * MM, (y + CROSS / 2) * MM, number)


def _target(canvas: Canvas, at: Point, number: str) -> None:
    _cross(canvas, at, TARGET, THIN)
    x, y = at
    canvas.setLineWidth(THIN * MM)
    for radius in RINGS:
        canvas.circle(x * MM, y * MM, radius * MM)
    canvas.setFont("Helvetica", 9)
    canvas.drawString((x + TARGET + BESIDE) * MM, (y - 1.0) * MM, number)


def _bar(canvas: Canvas, a: Point, b: Point) -> None:
    _line(canvas, a, b)
    upright = a[0] == b[0]
    for x, y in (a, b):
        _line(canvas, (x - TICK, y), (x + TICK, y)) if upright else _line(canvas, (x, y - TICK), (x, y + TICK))
    length = (b[1] - a[1]) if upright else (b[0] - a[0])
    words = f"{'Y' if upright else 'X'}   {length:g} mm"
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
    import segno  # late: it takes a tenth of a second

    rows = segno.make(page.code, error="m", micro=False, boost_error=False).matrix
    step = CODE / len(rows)
    x0, y0 = page.code_at
    for i, row in enumerate(rows):
        for j, dark in enumerate(row):
            if dark:
                canvas.rect(
                    (x0 + j * step) * MM, (y0 + CODE - (i + 1) * step) * MM, step * MM, step * MM, stroke=0, fill=1
                )


def _words(canvas: Canvas, page: Page, words: tuple[str, ...]) -> None:
    """In the strip above the lower marks."""
    x, y = page.marks[0].at[0], page.marks[0].at[1] + CROSS + WORDS - 5.0
    canvas.setFont("Helvetica-Bold", 16)
    canvas.drawString(x * MM, y * MM, f"{words[0]} {page.number}")
    canvas.setFont("Helvetica", 9)
    for i, line in enumerate(words[1:], 1):
        canvas.drawString(x * MM, (y - 1.5 - 4.0 * i) * MM, line)
