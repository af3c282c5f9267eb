"""A sheet of paper that is handed out: lines, tables, outlines and a code, as vectors with their letters inside."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from keen_compass.formats.pages import draw_code
from keen_compass.quantities.geometry import Point

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

Colour = tuple[float, float, float]
INK, QUIET, LINE = (0.09, 0.14, 0.17), (0.32, 0.37, 0.40), (0.75, 0.74, 0.70)
MM = 72 / 25.4  # points
A4 = (595.3, 841.9)  # points
MARGIN, FOOT = 60.0, 100.0  # points: at the sides; below which a table goes on overleaf
PLAIN, BOLD = "Vera", "VeraBd"  # come with the library that writes the page, and are put into it
LEADING = 1.3


class Paper:
    """Filled from above: `y` is where the next line stands, `foot` where a table ends, points from below; `head`: how
    much is left free at the top of further pages. page: from 1.
    """

    def __init__(self, title: str, subject: str, size: Point = A4, margin: float = MARGIN) -> None:
        from reportlab.pdfbase import pdfmetrics
        from reportlab.pdfbase.ttfonts import TTFont
        from reportlab.pdfgen.canvas import Canvas

        for name in (PLAIN, BOLD):
            if name not in pdfmetrics.getRegisteredFontNames():
                pdfmetrics.registerFont(TTFont(name, f"{name}.ttf"))
        self._data = io.BytesIO()
        self.canvas: Canvas = Canvas(self._data, pagesize=size, invariant=1)
        self.canvas.setTitle(title)
        self.canvas.setSubject(subject)
        self.size, self.left, self.width = size, margin, size[0] - 2 * margin
        self.y, self.foot, self.head, self.page = size[1] - margin - 10, FOOT, 0.0, 1

    def done(self) -> bytes:
        """The whole of it as PDF."""
        self.canvas.save()
        return self._data.getvalue()

    def line(
        self, words: str, size: float, colour: Colour = INK, *, bold: bool = False, width: float = 0.0, x: float = 0.0
    ) -> None:
        """Words from the left margin, or from `x`; broken where they are wider than the page, or than `width`."""
        from reportlab.lib.utils import simpleSplit

        font = BOLD if bold else PLAIN
        self.canvas.setFillColorRGB(*colour)
        self.canvas.setFont(font, size)
        for part in simpleSplit(printable(words), font, size, width or self.width):
            self.canvas.drawString(x or self.left, self.y, part)
            self.y -= size * LEADING

    def fitting(self, words: str, size: float, width: float) -> float:
        """The size of letters, `size` at most, in which words take no more than that on one line."""
        from reportlab.pdfbase.pdfmetrics import stringWidth

        return size * min(1.0, width / (stringWidth(printable(words), PLAIN, size) + 0.1))

    def row(
        self, cells: Sequence[str], shares: Sequence[float], size: float = 9.5, *, head: bool = False, high: float = 0.0
    ) -> float:
        """A row of a table with a rule below it, overleaf where this page is full; y of its top. high: points, at
        least.
        """
        from reportlab.lib.utils import simpleSplit

        font, step = BOLD if head else PLAIN, size * LEADING
        split = [
            simpleSplit(printable(text), font, size, share * self.width - 6) or [""]
            for text, share in zip(cells, shares, strict=True)
        ]
        tall = max(step * max(len(lines) for lines in split), high)
        if self.y - tall < self.foot:
            self.over()
        top, x = self.y, self.left
        self.canvas.setFillColorRGB(*(QUIET if head else INK))
        self.canvas.setFont(font, size)
        for lines, share in zip(split, shares, strict=True):
            for k, words in enumerate(lines):
                self.canvas.drawString(x, top - step * k, words)
            x += share * self.width
        self.y -= tall
        self.canvas.setStrokeColorRGB(*LINE)
        self.canvas.setLineWidth(0.5)
        self.canvas.line(self.left, self.y + 7, self.left + self.width, self.y + 7)
        self.y -= 5
        return top

    def table(self, heads: Sequence[str], shares: Sequence[float], rows: Sequence[Sequence[str]]) -> None:
        """Rows of cells below their headings; shares: of the width."""
        self.row(heads, shares, head=True)
        for cells in rows:
            self.row(cells, shares)

    def over(self) -> None:
        """Go on on another page."""
        self.canvas.showPage()
        self.page += 1
        self.y = self.size[1] - self.left - 10 - self.head

    def outlines(self, drawn: Sequence[tuple[Sequence[Point], bool, float]], high: float) -> Frame:
        """Closed lines in a frame of that height, as large as they go: (points in mm, dashed, width in points)."""
        frame = Frame.about(drawn[0][0], (self.left, self.y - high, self.width, high))
        for points, dashed, width in drawn:
            path = self.canvas.beginPath()
            for i, at in enumerate(points):
                (path.lineTo if i else path.moveTo)(*frame.at(at))
            path.close()
            self.canvas.setDash([4, 3] if dashed else [])
            self.canvas.setLineWidth(width)
            self.canvas.setStrokeColorRGB(*INK)
            self.canvas.drawPath(path)
        self.canvas.setDash([])
        self.y -= high
        return frame

    def code(self, text: str, at: Point, side: float) -> None:
        """A QR code, its lower left corner there, points."""
        self.canvas.setFillColorRGB(*INK)
        draw_code(self.canvas, text, at, side)


class Frame:
    """Where places in mm are on the page."""

    def __init__(self, scale: float, origin: Point) -> None:
        self.scale, self.origin = scale, origin

    @classmethod
    def about(cls, points: Sequence[Point], box: tuple[float, float, float, float]) -> Frame:
        """All of these in the middle of a box (left, low, width, height), points, with some room about them."""
        xs, ys = [x for x, _ in points], [y for _, y in points]
        left, low, width, high = box
        scale = min((width - 60) / (max(xs) - min(xs)), (high - 40) / (max(ys) - min(ys)))
        middle = (left + width / 2, low + high / 2)
        return cls(scale, (middle[0] - scale * (max(xs) + min(xs)) / 2, middle[1] - scale * (max(ys) + min(ys)) / 2))

    def at(self, place: Point) -> Point:
        """Points."""
        return self.origin[0] + self.scale * place[0], self.origin[1] + self.scale * place[1]


def printable(text: str) -> str:
    """What the page's letters can show: other scripts and signs are spelt in Latin letters, not left as boxes."""
    text = " ".join(text.split())
    if text.isascii():
        return text
    from anyascii import anyascii

    known = _letters()
    return "".join(ch if ord(ch) in known else anyascii(ch) or "?" for ch in text)


def _letters() -> Any:
    from reportlab.pdfbase import pdfmetrics

    return pdfmetrics.getFont(PLAIN).face.charToGlyph  # type: ignore[attr-defined]
