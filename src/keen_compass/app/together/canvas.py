"""Readings down, what is looked for across: a disc for how much each answer rests on each reading.

Above, an arc joins what is correlated: the thicker, the less the two can be told apart.
"""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, ShowsFocus, draw_state, painter_on_card
from keen_compass.app.together.words import CLEAR, figure, label_of, part_in_words, row_in_words, whose
from keen_compass.machines.profile import Machine
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.together import Whole

ARCS, HEAD = 56.0, 132.0  # px: room for arcs, for what each column is called and says
ROW, PART, LABEL = 34.0, 36.0, 148.0  # px: heights, and width of what the readings are called
LARGEST = 13.0  # px, radius of the disc of a reading without which nothing is known
NARROWEST = 72.0  # px of a column, whose name then takes two lines


class TogetherCanvas(ShowsFocus):
    """`chosen` says that another column is looked at."""

    chosen = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.whole: Whole | None = None
        self.machine: Machine | None = None
        self.at = 0

    def show_whole(self, whole: Whole, machine: Machine) -> None:
        """Show other readings than so far."""
        self.whole, self.machine = whole, machine
        worst = [
            i for i, c in enumerate(whole.columns) if c.finding is None or (c.mine and c.finding.verdict is Verdict.OUT)
        ]
        self.at = next(iter(worst), 0)
        self.setMinimumSize(round(LABEL + len(whole.columns) * NARROWEST + 20), round(self._height()))
        self._name()

    def _height(self) -> float:
        assert self.whole is not None
        return ARCS + HEAD + len(self.whole.rows) * ROW + len(self.whole.parts) * PART + 16

    def _name(self) -> None:
        """For screen readers: the column that is looked at."""
        assert self.whole is not None
        assert self.machine is not None
        column = self.whole.columns[self.at]
        told = figure(column, self.machine)
        self.setAccessibleName(f"{label_of(column.unknown)} {whose(column, self.machine)}: {told}")
        self.update()
        self.chosen.emit()

    def choose(self, at: int) -> None:
        """Look at another column."""
        if self.whole and 0 <= at < len(self.whole.columns):
            self.at = at
            self._name()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Left and right go from one column to the next."""
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if step:
            self.choose(self.at + step)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click looks at a column."""
        if self.whole and event.position().x() > LABEL:
            self.choose(int((event.position().x() - LABEL) / self._wide()))

    def _wide(self) -> float:
        count = len(self.whole.columns) if self.whole else 1
        return max((self.width() - LABEL - 12) / max(count, 1), 1.0)

    def middle(self, column: int) -> float:
        """x of a column."""
        return LABEL + (column + 0.5) * self._wide()

    def paintEvent(self, _event: object) -> None:
        """A column for each piece, arcs between what shares a source, readings."""
        p = painter_on_card(self)
        if self.whole is None or self.machine is None:
            return
        band = QRectF(LABEL + self.at * self._wide() + 3, 6, self._wide() - 6, self._height() - 12)
        p.setPen(QPen(th.color("focus" if self.hasFocus() else "line"), 2))
        p.setBrush(th.color("quiet_fill"))
        p.drawRoundedRect(band, 8, 8)
        self._arcs(p)
        for i in range(len(self.whole.columns)):
            self._head(p, i)
        self._readings(p)

    def _arcs(self, p: QPainter) -> None:
        whole = self.whole
        assert whole is not None
        n = len(whole.columns)
        for i in range(n):
            for j in range(i + 1, n):
                r = abs(whole.model.correlation(whole.columns[i].unknown, whole.columns[j].unknown))
                confused = whole.columns[j].unknown in whole.columns[i].others
                if r < CLEAR and not confused:
                    continue
                a, b = self.middle(i), self.middle(j)
                height = min(16 + 9 * (j - i), ARCS - 10)
                path = QPainterPath(QPointF(a, ARCS))
                path.cubicTo(QPointF(a, ARCS - height * 1.3), QPointF(b, ARCS - height * 1.3), QPointF(b, ARCS))
                style = Qt.PenStyle.DashLine if confused else Qt.PenStyle.SolidLine
                p.setPen(QPen(th.color("bad" if confused else "focus"), 1.5 + 5 * (r - CLEAR) * (r > CLEAR), style))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawPath(path)

    def _head(self, p: QPainter, i: int) -> None:
        """Name, of which stock, state, and how far it is off."""
        assert self.whole is not None
        assert self.machine is not None
        column, x, wide = self.whole.columns[i], self.middle(i), self._wide() - 8
        state = VERDICT_STATE[column.finding.verdict if column.finding and column.mine else Verdict.UNRESOLVED]
        if not column.finding or column.mine:
            draw_state(p, state, QPointF(x, ARCS + 10), 7, th.color(STATE_COLOUR[state]), th.color("card"))
        value, _, U = figure(column, self.machine).partition(" ± ")
        p.setFont(th.font(th.TEXT, bold=True))
        p.setPen(th.color("ink"))
        name = QRectF(x - wide / 2, ARCS + 20, wide, 42)
        p.drawText(name, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, label_of(column.unknown))
        p.setFont(th.font(th.TEXT))
        for k, words in enumerate((whose(column, self.machine), value, f"± {U}" if U else "")):
            p.setPen(th.color("ink" if k else "soft"))
            shown = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, round(wide))
            p.drawText(QRectF(x - wide / 2, ARCS + 63 + 21 * k, wide, 21), Qt.AlignmentFlag.AlignCenter, shown)

    def _readings(self, p: QPainter) -> None:
        whole, machine = self.whole, self.machine
        assert whole is not None
        assert machine is not None
        y, part = ARCS + HEAD, -1
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        for row in whole.rows:
            if row.part != part:
                part = row.part
                p.setPen(QPen(th.color("line"), 1))
                p.drawLine(QPointF(10, y + 4), QPointF(self.width() - 10, y + 4))
                p.setFont(th.font(th.TEXT, bold=True))
                p.setPen(th.color("ink"))
                words = p.fontMetrics().elidedText(
                    part_in_words(whole.parts[part]), Qt.TextElideMode.ElideRight, round(self.width() - 30)
                )
                p.drawText(QRectF(14, y + 6, self.width() - 28, PART - 8), left, words)
                y += PART
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("soft"))
            words = p.fontMetrics().elidedText(
                row_in_words(row, machine), Qt.TextElideMode.ElideRight, round(LABEL - 30)
            )
            p.drawText(QRectF(24, y, LABEL - 30, ROW), left, words)
            for i, column in enumerate(whole.columns):
                share = row.shares.get(column.unknown, 0.0)
                here = QPointF(self.middle(i), y + ROW / 2)
                if column.unknown in row.shares:
                    p.setPen(QPen(th.color("line"), 1.4))
                    p.setBrush(Qt.BrushStyle.NoBrush)
                    p.drawEllipse(here, LARGEST, LARGEST)
                    p.setPen(Qt.PenStyle.NoPen)
                    p.setBrush(th.color("ink" if i == self.at else "soft"))
                    p.drawEllipse(here, LARGEST * math.sqrt(share), LARGEST * math.sqrt(share))
            y += ROW
