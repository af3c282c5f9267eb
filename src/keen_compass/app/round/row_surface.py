"""A row of the same thing with a number that rises: each read, or the one that fits picked with a click."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.language import tr
from keen_compass.pieces.where import Burnt
from keen_compass.procedures.measurand import Measurand
from keen_compass.quantities.charts import Rungs
from keen_compass.quantities.readings import Kind
from keen_compass.words.say import PLAIN, Show, say, show_for

TOP, FOOT, SIDE, GAP = 64.0, 74.0, 18.0, 10.0  # px
WIDEST, TALLEST = 150.0, 150.0  # px, of one of them


class RowSurface(FloatingSurface):
    """The things stand as they were cut, in one or two rows."""

    CAPTION = ""  # while nothing was read
    PER_ROW = 8
    WORDS = 74.0  # px, above and below one of them

    @property
    def as_shown(self) -> Show:
        """In the unit of the number that the row is cut for."""
        if self.session is None:
            return PLAIN
        context = self.session.context
        return show_for(context.machine, context.procedure.yields[0])

    def places(self) -> dict[str, QPointF]:
        """Below each of them; the pick is under all."""
        found = {
            m.name: self._box(i).center() + QPointF(0, self._box(i).height() / 2 + 16)
            for i, m in enumerate(self._rungs())
        }
        picks = [c.measurand.name for c in self.callouts if c.measurand.kind is Kind.PICK]
        return found | {name: QPointF(self.width() / 2, self.height() - HEIGHT / 2 - 14) for name in picks}

    def box_at(self, place: QPointF) -> QPointF:
        """Under the thing that is read."""
        return QPointF(place.x(), min(place.y() + HEIGHT / 2 - 6, self.height() - HEIGHT / 2 - 6))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click on one of them goes to it, or picks it; between two picks both."""
        current = self.current()
        for i in range(self._count()):
            box = self._box(i)
            if not box.adjusted(-GAP / 2, -4, GAP / 2, 40).contains(event.position()):
                continue
            if current is not None and current.measurand.kind is Kind.PICK:
                across = (event.position().x() - box.left()) / box.width()
                last = i == self._count() - 1
                half = 0.5 if across > 1 and not last else -0.5 if across < 0 and i else 0.0
                self.typed.emit(f"{i + 1 + half:g}")
            else:
                self.chosen.emit(self._rungs()[i].name)

    def _count(self) -> int:
        """How many things stand in the row."""
        return len(self._rungs())

    def _values(self) -> tuple[float, ...]:
        """The number of each, as far as it is known."""
        chart = self.chart()
        return chart.values if isinstance(chart, Rungs) else ()

    def _rungs(self) -> list[Measurand]:
        """What is in the row, read or not."""
        if self.session is None:
            return []
        return [m for m in self.session.measuring.measurands() if m.kind is Kind.LENGTH]

    def _box(self, i: int) -> QRectF:
        n = max(self._count(), 1)
        rows = 1 if n <= self.PER_ROW else 2
        per_row = -(-n // rows)
        wide = min((self.width() - 2 * SIDE) / per_row - GAP, WIDEST)
        room = (self.height() - TOP - FOOT) / rows
        tall = min(room - self.WORDS, wide, TALLEST)
        row, column = divmod(i, per_row)
        left = (self.width() - per_row * (wide + GAP) + GAP) / 2
        return QRectF(left + column * (wide + GAP), TOP + row * room, wide, max(tall, 24.0))

    def paintEvent(self, _event: object) -> None:
        """Each with its number, the compensation that it was given, what it came out at."""
        p = painter_on_card(self)
        if self.session is None:
            return
        chart = self.chart()
        rungs = chart if isinstance(chart, Rungs) else None
        means = {c.measurand.name: c for c in self.callouts}
        current = self.current()
        reads, values = self._rungs(), self._values()
        for i in range(self._count()):
            lit = current is not None and bool(reads) and current.measurand.name == reads[i].name
            self._draw(p, i, rungs, lit=lit)
            if values:
                p.setFont(th.font(th.TEXT))
                p.setPen(th.color("soft"))
                at = QPointF(self._box(i).center().x(), self._box(i).top() - 14)
                words_at(p, at, self.as_shown.number(values[i]), width=self._box(i).width() + GAP)
        for i, m in enumerate(reads):
            box, c = self._box(i), means.get(m.name)
            off = mean_of(c) if c else None
            if off is not None:
                below, width = QPointF(box.center().x(), box.bottom() + 14), box.width() + GAP
                p.setFont(th.font(17, bold=True))
                p.setPen(th.color("ink"))
                words_at(p, below, self.as_shown.number(off), width=width)
                p.setFont(th.font(th.TEXT))
                p.setPen(th.color("soft"))
                words = self.as_shown.number(off - m.nominal, signed=True) if m.nominal else ""
                words_at(p, below + QPointF(0, 20), words, width=width)
            elif c and c.skipped:
                p.setFont(th.font(th.TEXT))
                p.setPen(th.color("soft"))
                words_at(p, QPointF(box.center().x(), box.bottom() + 14), tr("left out"), width=box.width() + GAP)
        self._draw_right(p, rungs)

    def _draw(self, p: QPainter, i: int, rungs: Rungs | None, *, lit: bool) -> None:
        box = self._box(i)
        picked = rungs is not None and rungs.pick is not None and abs(rungs.pick - (i + 1)) <= 0.5
        p.setPen(QPen(th.color("focus" if lit else "good" if picked else "ink"), 3 if lit or picked else 1.6))
        p.setBrush(th.color("good_fill" if picked else "material"))
        p.drawRoundedRect(box, 3, 3)
        self._draw_thing(p, i, box, rungs)

    def _draw_thing(self, p: QPainter, i: int, box: QRectF, rungs: Rungs | None) -> None:
        """What is seen in one of them: its number, and of a burnt line the line."""
        p.setPen(th.color("ink"))
        p.setFont(th.font(22, bold=True))
        if isinstance(self._rungs()[i].where, Burnt):  # a line on the sheet, its number beside it
            p.fillRect(QRectF(box.center().x() + 8, box.top() + 8, 4, box.height() - 16), th.color("ink"))
            p.drawText(box.adjusted(0, 0, -box.width() / 2, 0), Qt.AlignmentFlag.AlignCenter, str(i + 1))
        else:
            p.drawText(box, Qt.AlignmentFlag.AlignCenter, str(i + 1))

    def _draw_right(self, p: QPainter, rungs: Rungs | None) -> None:
        """Where between them it comes right."""
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        area = QRectF(16, 10, self.width() - 32, 22)
        caption = rungs.caption if rungs else self.CAPTION
        p.drawText(area, Qt.AlignmentFlag.AlignLeft, say(caption, self.as_shown) if caption else "")
        if rungs is None or rungs.right is None:
            return
        values = rungs.values
        if not values[0] <= rungs.right <= values[-1]:
            return
        low = max(i for i, v in enumerate(values) if v <= rungs.right)
        high = min(low + 1, len(values) - 1)
        share = (rungs.right - values[low]) / ((values[high] - values[low]) or 1.0)
        a, b = self._box(low), self._box(high)
        if a.top() != b.top():
            b = a
        x = a.center().x() + share * (b.center().x() - a.center().x())
        p.setPen(QPen(th.color("good"), 2.4))
        p.drawLine(QPointF(x, a.top() - 2), QPointF(x, a.bottom() + 2))
