"""The drive train as it is built: turning parts in order, motor to carriage, with their numbers on them."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.choices import ChoicesBar
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.surface import BoxedSurface, words_at
from keen_compass.language import tr
from keen_compass.pieces.where import Part
from keen_compass.quantities.readings import number_of
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout

GAP = 8.0
BARS = 56.0  # px for the choices above
FOOT = 34.0
TEETH = 14  # drawn on a gear, whatever it has


class ChainSurface(BoxedSurface):
    """Columns: motor, gear, what drives the carriage. Boxes are below the part that they belong to."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(430, 300)
        self._session: RoundSession | None = None
        self._choices: ChoicesBar | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(14, 10, 14, 10)
        self._layout.addStretch(1)

    def offer_choices(self, model: RoundModel) -> None:
        """What is to be chosen is above the chain, because nothing is made before."""
        self._choices = ChoicesBar(model, per_row=3)
        self._layout.insertWidget(0, self._choices)

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn."""
        self._session = session
        self._fill_boxes(callouts, session.context.machine, frozen=frozen)
        if self._choices:
            self._choices.refresh(editable=not frozen)
        self._arrange()
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The boxes stay below their parts."""
        super().resizeEvent(event)
        self._arrange()

    def _column(self, c: Callout) -> int:
        where = c.measurand.where
        return where.link if isinstance(where, Part) else 0

    def _middle(self, column: int) -> float:
        width = (self.width() - 28) / 3
        return 14 + width * (column + 0.5)

    def _boxes_top(self) -> float:
        """Below the picture; as many rows of boxes as the fullest column needs fit under it."""
        rows = max((sum(self._column(c) == k for c in self.callouts) for k in range(3)), default=1)
        needed = rows * (HEIGHT + GAP) + FOOT
        return max(self.height() - needed, BARS + 84)

    def _arrange(self) -> None:
        top = self._boxes_top()
        filled = [0, 0, 0]
        for c in self.callouts:
            box, column = self.boxes[c.measurand.name], self._column(c)
            box.move(round(self._middle(column) - WIDTH / 2), round(top + filled[column] * (HEIGHT + GAP)))
            filled[column] += 1
        self._complain_at_current()

    # Painting

    def paintEvent(self, _event: object) -> None:
        """Motor, gear, driving part, carriage, and a shaft through all of them."""
        p = painter_on_card(self)
        if self._session is None:
            return
        top, bottom = BARS + 18, self._boxes_top() - 14
        y, size = (top + bottom) / 2, min((bottom - top) / 2, 62.0)
        motor, gear, drive = (QPointF(self._middle(k), y) for k in range(3))
        p.setPen(QPen(th.color("soft"), 6))
        p.drawLine(motor, drive - QPointF(0.75 * size, 0))
        self._draw_motor(p, motor, size)
        ratio = self._value("reduction")
        self._draw_gear(p, gear, size, ratio)
        self._draw_drive(p, drive, size)
        for k, at in enumerate((motor, gear, drive)):
            if any(self._column(c) == k and c.current for c in self.callouts):
                p.setPen(QPen(th.color("focus"), 2.4))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRoundedRect(QRectF(at.x() - 1.35 * size, at.y() - size - 6, 2.7 * size, 2 * size + 12), 10, 10)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words_at(
            p,
            QPointF(16, self.height() - 18),
            tr("Motor to carriage: type what is stamped or counted"),
            width=self.width() - 30,
            side="right",
        )

    def _value(self, name: str) -> float | None:
        c = next((c for c in self.callouts if c.measurand.name == name), None)
        if c is None:
            return None
        return number_of(c.readings[-1].reading) if c.readings else c.measurand.usual

    def _parameters(self) -> dict[str, object]:
        assert self._session is not None
        piece = self._session.context.piece
        return dict(piece.parameters) if piece else {}

    def _pens(self, p: QPainter) -> None:
        p.setPen(QPen(th.color("ink"), 2.2))
        p.setBrush(th.color("material"))

    def _draw_motor(self, p: QPainter, at: QPointF, r: float) -> None:
        self._pens(p)
        p.drawRoundedRect(QRectF(at.x() - 0.8 * r, at.y() - 0.8 * r, 1.6 * r, 1.6 * r), 8, 8)
        p.setBrush(th.color("card"))
        p.drawEllipse(at, 0.52 * r, 0.52 * r)
        # As many marks round the shaft as tell one motor from another, not as many as it has steps.
        for i in range(12):
            a = 2 * math.pi * i / 12
            d = QPointF(math.sin(a), -math.cos(a))
            p.drawLine(at + d * (0.40 * r), at + d * (0.50 * r))
        p.setBrush(th.color("ink"))
        p.drawEllipse(at, 5, 5)

    def _draw_gear(self, p: QPainter, at: QPointF, r: float, ratio: float | None) -> None:
        if ratio == 1:
            self._pens(p)
            p.drawRoundedRect(QRectF(at.x() - 0.5 * r, at.y() - 0.22 * r, r, 0.44 * r), 6, 6)
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("soft"))
            words_at(p, at - QPointF(0, 0.22 * r + 15), tr("no gear"), width=100)
            return
        small = 0.34 * r if not ratio or ratio > 1 else 0.62 * r
        large = 0.62 * r if not ratio or ratio > 1 else 0.34 * r
        self._draw_wheel(p, at - QPointF(0.34 * r, 0), small)
        self._draw_wheel(p, at + QPointF(0.62 * r, 0), large)

    def _draw_wheel(self, p: QPainter, at: QPointF, r: float) -> None:
        self._pens(p)
        corners = []
        for i in range(2 * TEETH):
            for share in (0.12, 0.88):
                a = 2 * math.pi * (i + share) / (2 * TEETH)
                radius = r if i % 2 else 0.84 * r
                corners.append(at + QPointF(radius * math.sin(a), -radius * math.cos(a)))
        p.drawPolygon(QPolygonF(corners))
        p.setBrush(th.color("card"))
        p.drawEllipse(at, 0.28 * r, 0.28 * r)

    def _draw_drive(self, p: QPainter, at: QPointF, r: float) -> None:
        kind = str(self._parameters().get("drive", "belt"))
        self._pens(p)
        if kind.startswith("screw"):
            self._draw_screw(p, at, r)
        elif kind == "belt":
            self._draw_wheel(p, at - QPointF(0.75 * r, 0), 0.4 * r)
            self._draw_wheel(p, at + QPointF(0.75 * r, 0), 0.4 * r)
            p.setPen(QPen(th.color("ink"), 3))
            for side in (-1, 1):
                p.drawLine(at + QPointF(-0.75 * r, side * 0.44 * r), at + QPointF(0.75 * r, side * 0.44 * r))
            self._draw_carriage(p, at + QPointF(0, -0.44 * r), r)
        elif "rack" in kind:
            self._draw_wheel(p, at, 0.44 * r)
            self._draw_rack(p, at, r, helical=kind == "helical_rack")
        else:
            p.drawEllipse(at + QPointF(0, 0.2 * r), 0.5 * r, 0.5 * r)
            p.setPen(QPen(th.color("focus"), 4))
            p.drawLine(at + QPointF(-1.2 * r, -0.33 * r), at + QPointF(1.2 * r, -0.33 * r))

    def _draw_screw(self, p: QPainter, at: QPointF, r: float) -> None:
        body = QRectF(at.x() - 1.2 * r, at.y() - 0.2 * r, 2.4 * r, 0.4 * r)
        p.drawRect(body)
        p.setPen(QPen(th.color("ink"), 1.6))
        starts = int(self._value("starts") or 1)
        lean = 0.06 * r * min(max(starts, 1), 4)
        for i in range(1, 16):
            x = body.left() + body.width() * i / 16
            p.drawLine(QPointF(x - lean, body.bottom()), QPointF(x + lean, body.top()))
        self._draw_carriage(p, at, r)

    def _draw_rack(self, p: QPainter, at: QPointF, r: float, *, helical: bool) -> None:
        top, x0 = at.y() + 0.44 * r, at.x() - 1.2 * r
        p.drawRect(QRectF(x0, top, 2.4 * r, 0.34 * r))
        p.setPen(QPen(th.color("ink"), 1.6))
        for i in range(1, 16):
            x = x0 + 2.4 * r * i / 16
            p.drawLine(
                QPointF(x - (0.08 * r if helical else 0), top + 0.2 * r), QPointF(x + (0.08 * r if helical else 0), top)
            )

    def _draw_carriage(self, p: QPainter, at: QPointF, r: float) -> None:
        p.setPen(QPen(th.color("focus"), 2.4))
        p.setBrush(th.color("card"))
        p.drawRoundedRect(QRectF(at.x() - 0.26 * r, at.y() - 0.3 * r, 0.52 * r, 0.6 * r), 5, 5)
