"""What `formats/pages.py` draws with, as SVG: points, Y up, the few calls that a page makes of a PDF's canvas."""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass, replace
from typing import Any
from xml.sax.saxutils import escape


@dataclass(frozen=True)
class _State:
    """How lines and words look now, and how many groups are open since the last one was kept."""

    width: float = 1.0
    font: tuple[str, float] = ("Helvetica", 9.0)
    opened: int = 0


class SvgCanvas:
    """One page of that size, points."""

    def __init__(self, width: float, height: float) -> None:
        self._size, self._title = (width, height), ""
        self._body: list[str] = []
        self._state = _State()
        self._kept: list[_State] = []

    def setTitle(self, words: str) -> None:
        """What readers call it."""
        self._title = words

    def saveState(self) -> None:
        """Remember how things look, and where."""
        self._kept.append(self._state)
        self._state = replace(self._state, opened=0)

    def restoreState(self) -> None:
        """As it was then."""
        self._body += ["</g>"] * self._state.opened
        self._state = self._kept.pop()

    def _open(self, how: str) -> None:
        self._body.append(f"<g {how}>")
        self._state = replace(self._state, opened=self._state.opened + 1)

    def translate(self, x: float, y: float) -> None:
        """Everything after this lies so far aside."""
        self._open(f'transform="translate({x:.4f} {y:.4f})"')

    def rotate(self, degrees: float) -> None:
        """Everything after this is turned, anticlockwise."""
        self._open(f'transform="rotate({degrees:.6g})"')

    def setLineWidth(self, width: float) -> None:
        """How wide lines are from now on, points."""
        self._state = replace(self._state, width=width)

    def setFont(self, name: str, size: float) -> None:
        """Which letters are written from now on, and how large, points."""
        self._state = replace(self._state, font=(name, size))

    def line(self, x0: float, y0: float, x1: float, y1: float) -> None:
        """A stroke from one place to another."""
        self._put(f"M {x0:.4f} {y0:.4f} L {x1:.4f} {y1:.4f}", stroke=True, fill=False)

    def rect(self, x: float, y: float, w: float, h: float, stroke: int = 1, fill: int = 0) -> None:
        """Its edge, its area."""
        self._put(f"M {x:.4f} {y:.4f} h {w:.4f} v {h:.4f} h {-w:.4f} Z", stroke=bool(stroke), fill=bool(fill))

    def circle(self, x: float, y: float, r: float, stroke: int = 1, fill: int = 0) -> None:
        """Its edge, its area."""
        way = f"M {x - r:.4f} {y:.4f} a {r:.4f} {r:.4f} 0 1 0 {2 * r:.4f} 0 a {r:.4f} {r:.4f} 0 1 0 {-2 * r:.4f} 0 Z"
        self._put(way, stroke=bool(stroke), fill=bool(fill))

    def drawString(self, x: float, y: float, words: str) -> None:
        """From there to the right."""
        self._words(x, y, words, "start")

    def drawRightString(self, x: float, y: float, words: str) -> None:
        """Words that end there."""
        self._words(x, y, words, "end")

    def drawCentredString(self, x: float, y: float, words: str) -> None:
        """Words about the middle there."""
        self._words(x, y, words, "middle")

    def drawImage(self, image: Any, x: float, y: float, width: float, height: float, mask: str = "") -> None:
        """A picture, its lower left corner there. image: as reportlab reads it. mask: its own."""
        held = io.BytesIO()
        image._image.save(held, "PNG")
        data = base64.b64encode(held.getvalue()).decode("ascii")
        self._body.append(
            f'<image transform="translate({x:.4f} {y + height:.4f}) scale(1 -1)" width="{width:.4f}" '
            f'height="{height:.4f}" preserveAspectRatio="none" href="data:image/png;base64,{data}"/>'
        )

    def svg(self) -> bytes:
        """The whole page, at true size."""
        width, height = self._size
        wide, high = (side / 72 * 25.4 for side in self._size)
        return "\n".join(
            [
                f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.4f}mm" height="{high:.4f}mm" '
                f'viewBox="0 0 {width:.4f} {height:.4f}">',
                f"<title>{escape(self._title)}</title>",
                f'<g transform="matrix(1 0 0 -1 0 {height:.4f})">',
                *self._body,
                "</g>",
                "</svg>",
                "",
            ]
        ).encode()

    def _put(self, way: str, *, stroke: bool, fill: bool) -> None:
        """In black, as everything on a page."""
        line = f' stroke="#000000" stroke-width="{self._state.width:.4f}"' if stroke else ""
        self._body.append(f'<path d="{way}" fill="{"#000000" if fill else "none"}"{line}/>')

    def _words(self, x: float, y: float, words: str, anchor: str) -> None:
        name, size = self._state.font
        weight = ' font-weight="bold"' if name.endswith("Bold") else ""
        self._body.append(
            f'<text transform="translate({x:.4f} {y:.4f}) scale(1 -1)" font-family="Helvetica, Arial, sans-serif" '
            f'font-size="{size:.4g}"{weight} text-anchor="{anchor}">{escape(words)}</text>'
        )
