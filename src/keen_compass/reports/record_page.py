"""The calibration record of a signed round, as a PDF page that a customer can be handed. True vector."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from keen_compass.quantities.geometry import Point

INK, QUIET, LINE = (0.09, 0.14, 0.17), (0.32, 0.37, 0.40), (0.75, 0.74, 0.70)
LEFT, WIDTH = 60.0, 475.0  # pt on A4
A4_HEIGHT, FOOT = 841.9, 100.0


@dataclass(frozen=True, slots=True)
class Record:
    """What goes on the page. Texts are as they are to be read.

    piece, measured: outlines in mm as seen by the technician, the measured one magnified by `magnified`; empty for a
        run, which has none.
    dimensions: (label, ordered, readings as typed, mean).
    findings: (quantity, old, new, error ± U, tolerance, verdict).
    """

    title: str
    machine: str
    signed: str
    instrument: str
    tool: str
    piece: Sequence[Point]
    measured: Sequence[Point]
    magnified: int
    dimensions: Sequence[tuple[str, str, str, str]]
    findings: Sequence[tuple[str, str, str, str, str, str]]
    notes: Sequence[str]
    software: str


def write_record(record: Record) -> bytes:
    """The record as a page of PDF."""
    from reportlab.lib.pagesizes import A4
    from reportlab.pdfgen.canvas import Canvas

    data = io.BytesIO()
    c = Canvas(data, pagesize=A4, invariant=1)
    c.setTitle(record.title)
    c.setSubject(record.machine)
    y = _head(c, record, A4[1] - 70)
    if record.piece:
        y = _picture(c, record, y - 14)
    y = _table(c, y - 26, ("Length", "Ordered", "Readings", "Mean"), (0.20, 0.14, 0.50, 0.16), record.dimensions)
    heads = ("Value", "Old", "New", "Error ± U (95 %)", "Allowed", "Verdict")
    y = _table(c, y - 22, heads, (0.20, 0.14, 0.14, 0.26, 0.14, 0.12), record.findings)
    for note in record.notes:
        y = _line(c, y - 14, note, 9, QUIET)
    _line(c, 70, f"Uncertainty after JCGM 100, verdict after ISO 14253-1. {record.software}", 8, QUIET)
    c.save()
    return data.getvalue()


def _line(
    c: Any, y: float, words: str, size: float, colour: tuple[float, float, float], font: str = "Helvetica"
) -> float:
    from reportlab.lib.utils import simpleSplit

    c.setFillColorRGB(*colour)
    c.setFont(font, size)
    for part in simpleSplit(_latin(words), font, size, WIDTH):
        c.drawString(LEFT, y, part)
        y -= size * 1.3
    return y


def _head(c: Any, record: Record, y: float) -> float:
    y = _line(c, y, record.title, 20, INK, "Helvetica-Bold")
    for words in (
        record.machine,
        f"Signed {record.signed}",
        f"Measured with {record.instrument}",
        f"Made with {record.tool}",
    ):
        y = _line(c, y - 2, words, 11, QUIET)
    return y


def _picture(c: Any, record: Record, top: float) -> float:
    """Ordered shape dashed, measured shape solid, in a frame 180 pt high."""
    height = 180.0
    xs, ys = [x for x, _ in record.piece], [y for _, y in record.piece]
    scale = min((WIDTH - 60) / (max(xs) - min(xs)), (height - 40) / (max(ys) - min(ys)))
    x0 = LEFT + WIDTH / 2 - scale * (max(xs) + min(xs)) / 2
    y0 = top - height / 2 - scale * (max(ys) + min(ys)) / 2
    for outline, dash, width in ((record.piece, [4, 3], 0.7), (record.measured, [], 1.4)):
        path = c.beginPath()
        for i, (x, y) in enumerate(outline):
            (path.lineTo if i else path.moveTo)(x0 + scale * x, y0 + scale * y)
        path.close()
        c.setDash(dash)
        c.setLineWidth(width)
        c.setStrokeColorRGB(*INK)
        c.drawPath(path)
    c.setDash([])
    _line(c, top - height, f"Dashed: nominal. Solid: measured, error drawn {record.magnified} times.", 8, QUIET)
    return top - height


def _table(c: Any, top: float, heads: Sequence[str], shares: Sequence[float], rows: Sequence[Sequence[str]]) -> float:
    from reportlab.lib.utils import simpleSplit

    y = top
    for i, row in enumerate((heads, *rows)):
        font = "Helvetica-Bold" if i == 0 else "Helvetica"
        cells = [
            simpleSplit(_latin(text), font, 9.5, share * WIDTH - 6) or [""]
            for text, share in zip(row, shares, strict=True)
        ]
        x = LEFT
        c.setFillColorRGB(*(QUIET if i == 0 else INK))
        c.setFont(font, 9.5)
        for lines, share in zip(cells, shares, strict=True):
            for k, words in enumerate(lines):
                c.drawString(x, y - 12 * k, words)
            x += share * WIDTH
        y -= 12 * max(len(lines) for lines in cells)
        if y < FOOT:
            c.showPage()
            y = A4_HEIGHT - 70
        c.setStrokeColorRGB(*LINE)
        c.setLineWidth(0.5)
        c.line(LEFT, y + 7, LEFT + WIDTH, y + 7)
        y -= 5
    return y


def _latin(text: str) -> str:
    """What the standard PDF faces can show: other scripts and signs are spelt in Latin letters, not left as boxes."""
    text = " ".join(text.replace("−", "-").split())
    if text.isascii():
        return text
    from anyascii import anyascii

    return "".join(ch if _has(ch) else anyascii(ch) or "?" for ch in text)


def _has(ch: str) -> bool:
    try:
        return bool(ch.encode("cp1252"))
    except UnicodeEncodeError:
        return False
