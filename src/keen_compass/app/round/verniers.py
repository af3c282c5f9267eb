"""Two verniers beside a target as they look: printed ticks for X, dots for Y, the tool's ticks beside them.

The pair that runs on in one another is lit.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.round.surface import words_at
from keen_compass.pieces.page import MOST_TICKS, PRINTED_TICKS, vernier_ticks
from keen_compass.quantities.geometry import Point
from keen_compass.words.beside import matching_pair

DOT = 0.3  # mm, radius


def draw_verniers(
    p: QPainter, to_screen: Callable[[Point], QPointF], value: Point, scale: float, division: float
) -> None:
    """value: where the tool's cross lies beside the target, mm; scale: px per mm; division: of the printed one, mm."""
    for axis, off in zip("xy", value, strict=True):
        drawn, printed = matching_pair(off / division)
        here = (off, 0.0) if axis == "x" else (0.0, off)
        for k, (a, b) in enumerate(vernier_ticks((0.0, 0.0), axis, division, printed=True), -MOST_TICKS):
            lit, zero = k == printed, k == 0
            p.setPen(QPen(th.color("good" if lit else "ink"), 3.6 if lit else 2.0 if zero else 1.3))
            p.setBrush(p.pen().color())
            if axis == "x":
                p.drawLine(to_screen(a), to_screen(b))
            else:
                r = max(DOT * scale * (1.7 if lit else 1.0), 2.0)
                p.drawEllipse(to_screen((a[0] - DOT, a[1])), r, r)
            if k in (-MOST_TICKS, 0, MOST_TICKS):
                p.setFont(th.font(th.TEXT))
                p.setPen(th.color("soft"))
                far = PRINTED_TICKS[axis][0] + (3.8 if axis == "x" else 1.6)
                words_at(
                    p, to_screen((k * division, far) if axis == "x" else (-far, k * division)), f"{abs(k)}", width=30
                )
        for k, (a, b) in enumerate(vernier_ticks(here, axis, division, printed=False), -MOST_TICKS):
            lit, zero = k == drawn, k == 0
            p.setPen(QPen(th.color("good" if lit else "focus"), 3.6 if lit else 2.4 if zero else 1.6))
            p.drawLine(to_screen(a), to_screen(b))
        p.setBrush(Qt.BrushStyle.NoBrush)
    x, y = value
    p.setPen(QPen(th.color("soft"), 1.2))
    for arm in ((0.8, 0.0), (0.0, 0.8)):
        p.drawLine(to_screen((-arm[0], -arm[1])), to_screen(arm))
    p.setPen(QPen(th.color("focus"), 2))
    for arm in ((0.8, 0.0), (0.0, 0.8)):
        p.drawLine(to_screen((x - arm[0], y - arm[1])), to_screen((x + arm[0], y + arm[1])))
