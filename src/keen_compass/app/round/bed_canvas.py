"""The bed from above, from where the technician is: sheet, earlier pieces, and where the next one goes."""

from __future__ import annotations

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPainterPath, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.piece_canvas import draw_axes, inner_of
from keen_compass.formats.playback import DryRun
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length, show_size
from keen_compass.pieces.moves import MoveProgram, Stop
from keen_compass.procedures.base import Lined, Piece
from keen_compass.quantities.geometry import Box

LABEL = (92.0, 26.0)  # px, room for the words on a piece
ROLL = 2.0  # so many times longer than its stock: a roll
AROUND = 0.12  # of the larger side, that is shown round a dry run
LEAST_AROUND = 20.0  # mm
NUMBERED = 40.0  # px, from which on a line of a dry run gets its number
SAME_START = 6.0  # px
FOOT = 34  # px, for words below the bed


class BedCanvas(QWidget):
    """Only a picture; the choice of size is beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(380, 96)
        self._machine: Machine | None = None
        self._taken: list[tuple[Box, int]] = []
        self._next: tuple[Box, Piece, int] | None = None
        self._program: MoveProgram | None = None
        self._anchored = False
        self._run: tuple[DryRun, float] | None = None

    def show_bed(
        self,
        machine: Machine,
        taken: list[tuple[Box, int]],
        place: tuple[Box, Piece, int] | None,
        program: MoveProgram | None = None,
        *,
        anchored: bool = False,
    ) -> None:
        """What lies on the bed, and where the next piece would go, or how the axes would move.

        anchored: the piece lies where it says, without a margin.
        """
        self._machine, self._taken, self._next, self._program, self._anchored = machine, taken, place, program, anchored
        where = tr("no room")
        if place is not None:
            x, y = (show_length(at, machine.units) for at in (place[0].x, place[0].y))
            where = tr("next piece at X {x}, Y {y}", x=x, y=y)
        if program:
            where = tr("a run with {n} stops", n=len([s for s in program.steps if isinstance(s, Stop)]))
        self.setAccessibleName(tr("Bed with {n} earlier pieces, {where}", n=len(taken), where=where))
        self.update()

    def show_run(self, run: DryRun | None, seconds: float = 0.0) -> None:
        """How far the machine is in a dry run after so many seconds; None for no dry run."""
        self._run = (run, seconds) if run else None
        self.update()

    def _at(self, x: float, y: float) -> QPointF:
        assert self._machine is not None
        s = self._machine.standpoint
        shown = self._shown()
        corners = [s.to_view(cx, cy) for cx in (shown.x, shown.x_high) for cy in (shown.y, shown.y_high)]
        left, right = min(c[0] for c in corners), max(c[0] for c in corners)
        near, far = min(c[1] for c in corners), max(c[1] for c in corners)
        room = QRectF(22, 22, self.width() - 44, self.height() - 34 - FOOT)
        scale = min(room.width() / (right - left), room.height() / (far - near))
        u, v = s.to_view(x, y)
        middle = room.center()
        return QPointF(middle.x() + scale * (u - (left + right) / 2), middle.y() - scale * (v - (near + far) / 2))

    def _shown(self) -> Box:
        """The bed; of a roll much longer than what is loaded, only that part; in a dry run, where it works."""
        assert self._machine is not None
        if self._run:
            b = self._run[0].extents
            room = max(AROUND * max(b.width, b.height), LEAST_AROUND)
            return Box(b.x - room, b.y - room, b.width + 2 * room, b.height + 2 * room)
        bed, stock = Box(0, 0, *self._machine.bed), self._machine.stock
        if stock is None or max(bed.width, bed.height) < ROLL * max(stock.width, stock.height):
            return bed
        return Box(0, 0, min(bed.width, stock.x + stock.width + 20), min(bed.height, stock.y + stock.height + 20))

    def _rect(self, box: Box) -> QRectF:
        return QRectF(self._at(box.x, box.y), self._at(box.x_high, box.y_high)).normalized()

    def paintEvent(self, _event: object) -> None:
        """The bed, the sheet on it and the pieces on that."""
        p = painter_on_card(self)
        if self._machine is None:
            return
        bed = self._rect(self._shown())
        if self._run:
            p.setClipRect(bed)
        whole = self._rect(Box(0, 0, *self._machine.bed)) if self._run else bed
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("quiet_fill"))
        p.drawRect(whole)
        stock = self._machine.stock
        if stock:
            p.setPen(QPen(th.color("soft"), 1.2))
            p.setBrush(th.color("material"))
            p.drawRect(self._rect(Box(stock.x, stock.y, stock.width, stock.height)))
        for box, number in self._taken:
            self._draw_taken(p, box, number)
        if self._run:
            self._draw_run(p, *self._run)
        elif self._next:
            self._draw_next(p, *self._next)
        if self._program and not self._run:
            self._draw_program(p, self._program, bed.top())
        p.setClipping(False)
        self._draw_foot(p, bed)

    def _draw_taken(self, p: QPainter, box: Box, number: int) -> None:
        r = self._rect(box)
        p.setPen(QPen(th.color("soft"), 1.2))
        p.setBrush(QBrush(th.color("line"), Qt.BrushStyle.BDiagPattern))
        p.drawRect(r)
        if r.width() < LABEL[0] or r.height() < LABEL[1]:  # two short lines need no words
            return
        label = QRectF(r.center().x() - LABEL[0] / 2, r.center().y() - LABEL[1] / 2, *LABEL)
        p.fillRect(label, th.color("material"))
        p.setPen(th.color("soft"))
        p.setFont(th.font(th.TEXT, bold=True))
        p.drawText(label, Qt.AlignmentFlag.AlignCenter, tr("piece {number}", number=number))

    def _draw_next(self, p: QPainter, box: Box, piece: Piece, number: int) -> None:
        outline = piece.outline()
        if self._anchored:
            x0, y0 = piece.origin  # type: ignore[attr-defined]
        else:
            x0 = box.x + (box.width - max(x for x, _ in outline)) / 2
            y0 = box.y + (box.height - max(y for _, y in outline)) / 2
        p.setPen(QPen(th.color("focus"), 1.4, Qt.PenStyle.DashLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(self._rect(box))
        p.setPen(QPen(th.color("focus"), 3))
        p.setBrush(th.color("card"))
        lines = piece.lines() if isinstance(piece, Lined) else ()
        if not lines:
            p.drawPolygon(QPolygonF([self._at(x0 + x, y0 + y) for x, y in outline]))
            p.setBrush(th.color("material"))
            for ring in inner_of(piece, {}):
                p.drawPolygon(QPolygonF([self._at(x0 + x, y0 + y) for x, y in ring]))
        for a, b in lines:
            p.drawLine(self._at(x0 + a[0], y0 + a[1]), self._at(x0 + b[0], y0 + b[1]))
        r = self._rect(box)
        p.setPen(th.color("focus"))
        p.setFont(th.font(17, bold=True))
        area = QRectF(r.left() + 0.3 * r.width(), r.top() + 0.2 * r.height(), 0.66 * r.width(), 28)
        words = tr("piece {number}, next", number=number) if r.width() > 230 else tr("next: {number}", number=number)
        if r.width() < 130:  # too small to hold words: they are beside it
            area = QRectF(r.right() + 8, r.center().y() - 14, 90, 28)
        p.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip, words)

    def _draw_program(self, p: QPainter, program: MoveProgram, top: float) -> None:
        """The way of the head, with a dot wherever it stops."""
        corners = [self._at(x, y) for x, y in program.corners()]
        p.setPen(QPen(th.color("focus"), 1.6, Qt.PenStyle.DashLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(QPolygonF(corners[1:] if len(corners) > 2 else corners))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("focus"))
        seen = {(round(at.x()), round(at.y())) for at in (self._at(x, y) for x, y in program.stops())}
        for x, y in seen:
            p.drawEllipse(QPointF(x, y), 5.5, 5.5)
        p.setPen(th.color("focus"))
        p.setFont(th.font(17, bold=True))
        low = min(seen, key=lambda at: at[1], default=(0, 0))
        words = tr("{n} places to read at", n=len(seen)) if len(seen) > 1 else tr("read here")
        p.drawText(QRectF(min(low[0] + 10, self.width() - 220), max(low[1] - 34, top + 6), 210, 26), 0, words)

    def _draw_run(self, p: QPainter, run: DryRun, seconds: float) -> None:
        """What is done: where the tool was on, solid; where it only travelled, dashed; what is still to come, thin."""
        done, here = run.at(seconds)
        to_come, travelled, made = QPainterPath(), QPainterPath(), QPainterPath()
        for i, step in enumerate(run.steps):
            if i > done and not step.on:
                continue
            line = to_come if i > done else made if step.on else travelled
            end = QPointF(*here) if i == done else QPointF(*step.b)
            line.moveTo(self._at(*step.a))
            line.lineTo(self._at(end.x(), end.y()))
        p.setBrush(Qt.BrushStyle.NoBrush)
        for path, pen in (
            (to_come, QPen(th.color("soft"), 1)),
            (travelled, QPen(th.color("warn"), 1.4, Qt.PenStyle.DashLine)),
            (made, QPen(th.color("focus"), 3)),
        ):
            p.setPen(pen)
            p.drawPath(path)
        at = self._at(*here)
        on = done < len(run.steps) and run.steps[done].on
        p.setPen(QPen(th.color("card"), 2))
        p.setBrush(th.color("focus" if on else "warn"))
        p.drawEllipse(at, 8, 8)
        self._draw_order(p, run)

    def _draw_order(self, p: QPainter, run: DryRun) -> None:
        """In which order the longer lines are made; passes over the same line count once."""
        p.setFont(th.font(th.TEXT, bold=True))
        p.setPen(th.color("ink"))
        begun: list[QPointF] = []
        for line in run.lines:
            at = self._at(*line[0].a)
            far = max(QLineF(at, self._at(*step.b)).length() for step in line)
            if far >= NUMBERED and not any(QLineF(at, other).length() < SAME_START for other in begun):
                begun.append(at)
                p.drawText(QRectF(at.x() - 34, at.y() - 26, 26, 24), Qt.AlignmentFlag.AlignRight, str(len(begun)))

    def _draw_foot(self, p: QPainter, bed: QRectF) -> None:
        assert self._machine is not None
        y = self.height() - FOOT
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        stock = self._machine.stock
        words = (
            f"{stock.name}, {show_size(stock.width, stock.height, self._machine.units)}"
            if stock
            else tr("no stock loaded")
        )
        room = QRectF(16, y, bed.center().x() - 34, 24)
        words = p.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, round(room.width()))
        p.drawText(room, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        at = QPointF(bed.center().x(), y + 6)
        p.setBrush(th.color("ink"))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawPolygon(QPolygonF([at, at + QPointF(9, 13), at + QPointF(-9, 13)]))
        p.setPen(th.color("soft"))
        p.drawText(
            QRectF(at.x() + 14, y, 150, 24),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            tr("you stand here"),
        )
        draw_axes(p, QPointF(self.width() - 92.0, self.height() - 14.0), self._machine.standpoint)
