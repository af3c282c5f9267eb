"""What `formats/pages.py` draws with, as SVG: points, Y up, the few calls that a page makes of a PDF's canvas."""

from __future__ import annotations

import base64
import io
import math
from dataclasses import dataclass, replace
from typing import Any
from xml.sax.saxutils import escape, quoteattr

CAPS, JOINS = ("butt", "round", "square"), ("miter", "round", "bevel")


@dataclass(frozen=True)
class _State:
    """How lines and areas look now, and how many groups are open since the last one was kept."""

    width: float = 1.0
    fill: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    stroke: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    cap: int = 0
    join: int = 0
    mitre: float = 10.0
    font: tuple[str, float] = ("Helvetica", 9.0)
    opened: int = 0


class SvgPath:
    """A path in the making."""

    def __init__(self) -> None:
        self.d: list[str] = []

    def _add(self, how: str, *at: float) -> None:
        self.d.append(f"{how} {' '.join(f'{v:.4f}' for v in at)}".rstrip())

    def moveTo(self, x: float, y: float) -> None:
        """To there."""
        self._add("M", x, y)

    def lineTo(self, x: float, y: float) -> None:
        """A line to there."""
        self._add("L", x, y)

    def curveTo(self, *at: float) -> None:
        """A cubic."""
        self._add("C", *at)

    def close(self) -> None:
        """Back to its start."""
        self._add("Z")

    def rect(self, x: float, y: float, w: float, h: float) -> None:
        """Four lines."""
        self.d.append(f"M {x:.4f} {y:.4f} h {w:.4f} v {h:.4f} h {-w:.4f} Z")


class SvgCanvas:
    """One page of that size, points."""

    def __init__(self, width: float, height: float) -> None:
        self._size, self._title = (width, height), ""
        self._body: list[str] = []
        self._state = _State()
        self._kept: list[_State] = []
        self._clips = 0

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
        """Of lines."""
        self._state = replace(self._state, width=width)

    def setLineCap(self, cap: int) -> None:
        """0 butt, 1 round, 2 square."""
        self._state = replace(self._state, cap=cap)

    def setLineJoin(self, join: int) -> None:
        """0 mitred, 1 round, 2 bevelled."""
        self._state = replace(self._state, join=join)

    def setMiterLimit(self, limit: float) -> None:
        """Beyond it a mitre is bevelled."""
        self._state = replace(self._state, mitre=limit)

    def setFillColorRGB(self, r: float, g: float, b: float, alpha: float = 1.0) -> None:
        """0 … 1."""
        self._state = replace(self._state, fill=(r, g, b, alpha))

    def setStrokeColorRGB(self, r: float, g: float, b: float, alpha: float = 1.0) -> None:
        """0 … 1."""
        self._state = replace(self._state, stroke=(r, g, b, alpha))

    def setFont(self, name: str, size: float) -> None:
        """Helvetica, or Helvetica-Bold."""
        self._state = replace(self._state, font=(name, size))

    def line(self, x0: float, y0: float, x1: float, y1: float) -> None:
        """A stroke."""
        self._put(f"M {x0:.4f} {y0:.4f} L {x1:.4f} {y1:.4f}", stroke=True, fill=False)

    def rect(self, x: float, y: float, w: float, h: float, stroke: int = 1, fill: int = 0) -> None:
        """Its edge, its area."""
        self._put(f"M {x:.4f} {y:.4f} h {w:.4f} v {h:.4f} h {-w:.4f} Z", stroke=bool(stroke), fill=bool(fill))

    def circle(self, x: float, y: float, r: float, stroke: int = 1, fill: int = 0) -> None:
        """Its edge, its area."""
        way = f"M {x - r:.4f} {y:.4f} a {r:.4f} {r:.4f} 0 1 0 {2 * r:.4f} 0 a {r:.4f} {r:.4f} 0 1 0 {-2 * r:.4f} 0 Z"
        self._put(way, stroke=bool(stroke), fill=bool(fill))

    def beginPath(self) -> SvgPath:
        """One to be filled in."""
        return SvgPath()

    def clipPath(self, path: SvgPath, stroke: int = 0, fill: int = 0) -> None:
        """Nothing after this is seen beside it. stroke, fill: none of them here."""
        self._clips += 1
        name = f"clip{self._clips}"
        self._body.append(f'<clipPath id="{name}"><path d="{" ".join(path.d)}"/></clipPath>')
        self._open(f'clip-path="url(#{name})"')

    def drawPath(self, path: SvgPath, stroke: int = 1, fill: int = 0, fillMode: int = 1) -> None:
        """fillMode: 0 even-odd, 1 by how often lines go round."""
        self._put(" ".join(path.d), stroke=bool(stroke), fill=bool(fill), even_odd=not fillMode)

    def drawString(self, x: float, y: float, words: str) -> None:
        """From there to the right."""
        self._words(x, y, words, "start")

    def drawRightString(self, x: float, y: float, words: str) -> None:
        """Up to there."""
        self._words(x, y, words, "end")

    def drawCentredString(self, x: float, y: float, words: str) -> None:
        """About there."""
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
        return "\n".join([
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.4f}mm" height="{high:.4f}mm" '
            f'viewBox="0 0 {width:.4f} {height:.4f}">',
            f"<title>{escape(self._title)}</title>", f'<g transform="matrix(1 0 0 -1 0 {height:.4f})">', *self._body,
            "</g>", "</svg>", "",
        ]).encode()  # fmt: skip

    def _put(self, way: str, *, stroke: bool, fill: bool, even_odd: bool = False) -> None:
        s = self._state
        words = [f'd="{way}"', f"fill={quoteattr(_colour(s.fill) if fill else 'none')}"]
        if fill and s.fill[3] < 1:
            words.append(f'fill-opacity="{s.fill[3]:.4g}"')
        if even_odd:
            words.append('fill-rule="evenodd"')
        if stroke:
            words.append(f'stroke="{_colour(s.stroke)}" stroke-width="{s.width:.4f}"')
            words.append(f'stroke-linecap="{CAPS[s.cap]}" stroke-linejoin="{JOINS[s.join]}"')
            words.append(f'stroke-miterlimit="{max(s.mitre, 1.0):.4g}"')
            if s.stroke[3] < 1:
                words.append(f'stroke-opacity="{s.stroke[3]:.4g}"')
        self._body.append(f"<path {' '.join(words)}/>")

    def _words(self, x: float, y: float, words: str, anchor: str) -> None:
        name, size = self._state.font
        weight = ' font-weight="bold"' if name.endswith("Bold") else ""
        self._body.append(
            f'<text transform="translate({x:.4f} {y:.4f}) scale(1 -1)" font-family="Helvetica, Arial, sans-serif" '
            f'font-size="{size:.4g}"{weight} text-anchor="{anchor}">{escape(words)}</text>'
        )


def _colour(rgb: tuple[float, float, float, float]) -> str:
    return "#" + "".join(f"{min(max(math.floor(255 * v + 0.5), 0), 255):02x}" for v in rgb[:3])
