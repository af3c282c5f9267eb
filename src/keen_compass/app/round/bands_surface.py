"""Bands of a printer's feed test as they look under a loupe: overlapping, meeting, with a gap; the one that meets is
picked, or halfway between two, or each is judged with a click.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.round.row_surface import GAP, RowSurface
from keen_compass.app.round.surface import mean_of, words_at
from keen_compass.language import tr, written
from keen_compass.procedures.media_feed import WORDS, Bands
from keen_compass.quantities.charts import Rungs
from keen_compass.quantities.lengths import trim_number

STEP, MOST = 0.055, 3.0  # of a box for each band away from the one that meets; no more than so many
PRINT = 0.45  # how dense a single pass is; an overlap is full


class BandsSurface(RowSurface):
    """Each shows two passes of the head, as they must lie where the picked band meets."""

    CAPTION = "media_feed.row"
    PER_ROW = 5
    WORDS = 36.0

    def _count(self) -> int:
        bands = self.shape_of(Bands)
        return len(bands.corrections) if bands else 0

    def _values(self) -> tuple[float, ...]:
        return ()  # they are no lengths: written with their signs below

    def _judged(self, i: int) -> int | None:
        """0 overlaps, 1 meets, 2 gaps; None where not stated."""
        c = next((c for c in self.callouts if c.measurand.name == f"band_{i + 1}"), None)
        judged = mean_of(c) if c else None
        return None if judged is None else round(judged) - 1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click picks a band; where each is judged it goes on to the next word."""
        if not any(c.measurand.name == "band_1" for c in self.callouts):
            super().mousePressEvent(event)
            return
        for i in range(self._count()):
            if self._box(i).contains(event.position()):
                now = self._judged(i)
                self.marked.emit(f"band_{i + 1}", str(1 if now is None else (now + 1) % len(WORDS) + 1))

    def places(self) -> dict[str, QPointF]:
        """The callout stands beneath, for all of them."""
        at = QPointF(self.width() / 2, self.height() - 46)
        return {c.measurand.name: at for c in self.callouts}

    def _draw_thing(self, p: QPainter, i: int, box: QRectF, rungs: Rungs | None) -> None:
        judged = self._judged(i)
        pick = rungs.pick if rungs and rungs.pick is not None else (self._count() + 1) / 2
        off = i + 1 - pick
        if judged is not None:
            off = (-1.0, 0.0, 1.0)[judged]
        elif any(c.measurand.name == "band_1" for c in self.callouts):
            off = 0.0
        off = 0.0 if abs(off) <= 0.5 else max(min(off, MOST), -MOST)
        inner = box.adjusted(5, 5, -5, -5)
        half, apart = inner.height() / 2, STEP * off * inner.height()
        upper = QRectF(inner.left(), inner.top(), inner.width(), half - max(apart, 0.0) / 2)
        lower = QRectF(
            inner.left(), inner.top() + half + max(apart, 0.0) / 2, inner.width(), half - max(apart, 0.0) / 2
        )
        p.fillRect(inner, th.color("film"))
        colour = th.color("print")
        colour.setAlphaF(PRINT)
        for area in (upper, lower):
            p.fillRect(area, colour)
        if apart < 0:
            p.fillRect(QRectF(inner.left(), inner.top() + half + apart / 2, inner.width(), -apart), th.color("print"))
        current = self.current()
        if current is not None and current.measurand.name == f"band_{i + 1}":
            p.setPen(QPen(th.color("focus"), 3))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(box, 3, 3)
        bands = self.shape_of(Bands)
        if bands is None:
            return
        p.setFont(th.font(20, bold=True))
        number = QRectF(inner.left() + 4, inner.top() + 4, 34, 28)
        p.fillRect(number, th.color("film"))
        p.setPen(th.color("print"))
        p.drawText(number, Qt.AlignmentFlag.AlignCenter, str(i + 1))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        value = bands.corrections[i]
        words = written(f"{'+' if value > 0 else ''}{trim_number(value, 3)} %".replace("-", "−"))
        words_at(p, QPointF(box.center().x(), box.top() - 14), words, width=box.width() + GAP)
        if judged is not None:
            p.setPen(QPen(th.color("print"), 1))
            p.setFont(th.font(17, bold=True))
            area = QRectF(inner.left(), inner.bottom() - 30, inner.width(), 26)
            p.fillRect(area, th.color("film"))
            p.drawText(area, Qt.AlignmentFlag.AlignCenter, (tr("overlaps"), tr("meets"), tr("gap"))[judged])
