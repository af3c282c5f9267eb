"""A printed target under a loupe: its cross, its rings, ticks along both lines."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.round.surface import words_at
from keen_compass.language import written
from keen_compass.pieces.page import RINGS, TARGET, Graduation
from keen_compass.quantities.lengths import UNITS_MM


def draw_printed_mark(
    p: QPainter,
    middle: QPointF,
    graduation: Graduation,
    scale: float,
    reach: float,
    ticks: tuple[float, int],
    every: int,
) -> None:
    """scale: px of a millimetre. reach: mm that are seen to each side. ticks: (divisions between them, how many each
    way); every: that many have a number, in the unit of the graduation.
    """
    division, unit = graduation.division, UNITS_MM[graduation.unit]
    p.setPen(QPen(th.color("soft"), 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    for ring in RINGS:
        p.drawEllipse(middle, ring * division * scale, ring * division * scale)
    step, count = ticks
    p.setPen(QPen(th.color("ink"), 1.6))
    arm = min(TARGET, 2 * reach) * scale
    p.drawLine(middle - QPointF(arm, 0), middle + QPointF(arm, 0))
    p.drawLine(middle - QPointF(0, arm), middle + QPointF(0, arm))
    p.setFont(th.font(th.TEXT))
    widest = QFontMetrics(p.font()).horizontalAdvance(written(f"{step * count * division / unit:g}")) + 6
    apart = max(math.ceil(widest / (division * scale)), 1)  # divisions, or numbers would run into one another
    for i in range(-count, count + 1):
        off, whole = i * step * division * scale, abs(round(i * step, 6) % 1) < 1e-6
        long = 7.0 if whole else 5.5 if i % 5 == 0 else 4.0
        p.setPen(QPen(th.color("ink"), 1.8 if whole else 1.0))
        p.drawLine(middle + QPointF(off, -long), middle + QPointF(off, long))
        p.drawLine(middle + QPointF(-long, off), middle + QPointF(long, off))
        if whole and i and abs(i * step * division) < reach and i % every == 0 and round(abs(i * step)) % apart == 0:
            p.setPen(th.color("soft"))
            shown = written(f"{abs(i * step * division) / unit:g}")
            words_at(p, middle + QPointF(off, 18), shown, width=40)
            words_at(p, middle + QPointF(12, off), shown, width=40, side="right")
