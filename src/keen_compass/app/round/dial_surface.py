"""A dial gauge: its needle follows what is typed, and can be set by dragging or with the arrow keys."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.errors import LengthError
from keen_compass.language import tr, written
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM, parse_length
from keen_compass.quantities.readings import number_of

TURNS = {"mm": 1.0, "in": 0.1, "thou": 100.0}  # what one turn of the needle is, in the instrument's unit
DIVISIONS = 100  # on the face


class DialSurface(FloatingSurface):
    """One turn is 1 mm (0.1 in); short of zero lies clockwise, past zero the other way."""

    def __init__(self) -> None:
        super().__init__()
        self._dragged: float | None = None

    def places(self) -> dict[str, QPointF]:
        """Where the face of the dial is."""
        centre, _ = self._face()
        return {c.measurand.name: centre for c in self.callouts}

    def box_at(self, place: QPointF) -> QPointF:
        """Right of the face."""
        centre, r = self._face()
        return QPointF(min(centre.x() + r + 26 + WIDTH / 2, self.width() - WIDTH / 2 - 8), centre.y() - r / 3)

    def nudge(self, by: int) -> bool:
        """By a division of the instrument: up is more."""
        self._set(self._shown() - by * self._instrument().resolution)
        return True

    def _face(self) -> tuple[QPointF, float]:
        r = min((self.height() - 64) / 2, (self.width() - WIDTH - 110) / 2)
        return QPointF(44 + r, self.height() / 2 - 8), max(r, 40.0)

    def _instrument(self) -> Instrument:
        return (self.session.context.instrument if self.session else None) or Instrument()

    def _turn(self) -> float:
        unit = self._instrument().unit
        return TURNS.get(unit, 1.0) * UNITS_MM[unit]

    def _shown(self) -> float:
        """Where the needle stands, mm: what is typed, else the last reading."""
        current = self.current()
        if current and current.draft:
            try:
                return parse_length(current.draft, self._instrument().unit, allow_negative=True).mm
            except LengthError:
                return 0.0
        c = current or (self.callouts[0] if self.callouts else None)
        return number_of(c.readings[-1].reading) if c and c.readings else 0.0

    def _set(self, mm: float) -> None:
        instrument = self._instrument()
        value = round(mm / instrument.resolution) * instrument.resolution / UNITS_MM[instrument.unit] + 0.0
        self.typed.emit(f"{value:.{instrument.decimals}f}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the needle."""
        centre, r = self._face()
        if (event.position() - centre).manhattanLength() <= 1.5 * r and self.current():
            self._dragged = self._angle(event.position())
            self.box.edit.setFocus()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn it, over more than one turn where the hand goes round."""
        if self._dragged is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        angle = self._angle(event.position())
        turned = (angle - self._dragged + math.pi) % (2 * math.pi) - math.pi
        division = self._instrument().resolution
        division_angle = 2 * math.pi * division / self._turn()
        if abs(turned) >= division_angle:
            steps = math.trunc(turned / division_angle)
            self._dragged += steps * division_angle
            self._set(self._shown() + steps * division)

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """Let go of the needle."""
        self._dragged = None

    def _angle(self, at: QPointF) -> float:
        centre, _ = self._face()
        d = at - centre
        return math.atan2(d.x(), -d.y())  # clockwise from the top

    def paintEvent(self, _event: object) -> None:
        """Face, ticks of earlier readings, needle."""
        p = painter_on_card(self)
        if self.session is None or not self.callouts:
            return
        centre, r = self._face()
        p.setPen(QPen(th.color("ink"), 3))
        p.setBrush(th.color("paper"))
        p.drawEllipse(centre, r, r)
        self._draw_divisions(p, centre, r)
        c = self.callouts[0]
        for reading in c.readings:
            tip, d = self._on_face(number_of(reading.reading), centre, 0.66 * r)
            p.setPen(QPen(th.color("good"), 2.4))
            p.drawLine(tip, tip + d * (0.12 * r))
        tip, d = self._on_face(self._shown(), centre, 0.84 * r)
        p.setPen(QPen(th.color("focus" if c.current else "ink"), 4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        p.drawLine(centre - d * (0.16 * r), tip)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("ink"))
        p.drawEllipse(centre, 7, 7)
        self._draw_words(p, centre, r)

    def _on_face(self, mm: float, centre: QPointF, radius: float) -> tuple[QPointF, QPointF]:
        a = 2 * math.pi * mm / self._turn()
        d = QPointF(math.sin(a), -math.cos(a))
        return centre + d * radius, d

    def _draw_divisions(self, p: QPainter, centre: QPointF, r: float) -> None:
        p.setFont(th.font(16, bold=True))
        unit = UNITS_MM[self._instrument().unit]
        for i in range(DIVISIONS):
            at, d = self._on_face(self._turn() * i / DIVISIONS, centre, r)
            long = 0.12 * r if i % 10 == 0 else 0.08 * r if i % 5 == 0 else 0.05 * r
            p.setPen(QPen(th.color("ink"), 2.2 if i % 10 == 0 else 1))
            p.drawLine(at, at - d * long)
            if i % 10 == 0 and r > 90:
                value = i if i <= DIVISIONS // 2 else i - DIVISIONS
                words = written(f"{value * self._turn() / DIVISIONS / unit:+.2g}").replace("-", "−") if value else "0"
                words_at(p, at - d * (0.23 * r), words, width=56)

    def _draw_words(self, p: QPainter, centre: QPointF, r: float) -> None:
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        p.drawText(
            QRectF(14, self.height() - 28, self.width() - 28, 22),
            Qt.AlignmentFlag.AlignVCenter,
            tr("Drag the needle, ↑ ↓, or type: short of zero +, past it −"),
        )
        x = centre.x() + r + 26
        y = centre.y() - r / 3 + HEIGHT / 2 + 26
        if self.current() is None:
            y -= HEIGHT
        p.setPen(th.color("ink"))
        p.setFont(th.font(17, bold=True))
        room = self.width() - x - 10
        c = self.callouts[0]
        mean = mean_of(c)
        if mean is not None:
            words_at(
                p,
                QPointF(x, y),
                tr("mean {length}", length=self.as_shown.length(mean, 3, signed=True)),
                width=room,
                side="right",
            )
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        for i, reading in enumerate(c.readings[-6:]):
            number = len(c.readings) - len(c.readings[-6:]) + i + 1
            words_at(p, QPointF(x, y + 26 + 23 * i), f"{number}:  {reading.text}", width=room, side="right")
