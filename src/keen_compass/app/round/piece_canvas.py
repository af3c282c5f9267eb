"""The piece as the technician sees it, with its dimension lines, the nominal shape dashed, the real one solid."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF, QResizeEvent

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import FULL, SMALL
from keen_compass.app.round.surface import BoxedSurface, mean_of
from keen_compass.language import tr
from keen_compass.procedures.base import Lined, Piece, Pierced
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout

LINE_OFF = 38.0  # px from the piece to a long dimension line, whose box sits on it
SHORT_OFF = 20.0  # px to a short one, whose box hangs beside it
SHOWN_ERROR = 16.0  # px, how large the largest error is drawn
CAPTION = 30  # px


@dataclass(frozen=True, slots=True)
class _Frame:
    """Piece coordinates (mm) → widget (px)."""

    standpoint: Standpoint
    scale: float
    origin: QPointF

    def at(self, x: float, y: float) -> QPointF:
        right, away = self.standpoint.to_view(x, y)
        return QPointF(self.origin.x() + self.scale * right, self.origin.y() - self.scale * away)


def magnification(errors: Mapping[str, float], scale: float) -> int:
    """A round factor (1, 2, 5, 10, …) that draws the largest error (mm) about `SHOWN_ERROR` px large."""
    largest = max((abs(e) for e in errors.values()), default=0.0)
    if largest * scale < 1e-9:
        return 1
    wanted = SHOWN_ERROR / (largest * scale)
    power = 10 ** math.floor(math.log10(wanted)) if wanted >= 1 else 1
    factor = max(f * power for f in (1, 2, 5) if f * power <= max(wanted, 1))
    return min(int(factor), 1000)


def seen_from(standpoint: Standpoint, *, turned: bool) -> Standpoint:
    """The machine's standpoint, or what it is for a piece that lies turned over."""
    return standpoint.turned_over() if turned else standpoint


def inner_of(piece: object, actual: Mapping[str, float]) -> tuple[tuple[Point, ...], ...]:
    """Holes and slots of a piece that has any."""
    return piece.inner(**actual) if isinstance(piece, Pierced) else ()


SAMPLES = 40  # of a line
LOW = 310  # px, the height of a canvas below which full boxes would cover the piece
NEAR_EDGE = 14.0  # px, from which a click is meant for an edge


class PieceCanvas(BoxedSurface):
    """Callouts are child widgets on their dimension lines; the rest is painted. `edge` says which edges were clicked:
    those of the outside, or the inside's.
    """

    edge = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(430, 230)
        self._piece: Piece | None = None
        self._standpoint, self._turned = Standpoint(), False
        self._number = 0
        self._box = FULL
        self._arranged: object = None  # for what the boxes stand where they stand: a keystroke moves none

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Everything that is drawn."""
        context = session.context
        self._piece = session.measuring.shape()
        self._turned = session.measuring.turned
        self._standpoint = seen_from(context.machine.standpoint, turned=self._turned)
        self._number = context.piece.number if context.piece and context.procedure.on_stock.numbered else 0
        self._fill_boxes(callouts, session.context.machine, frozen=frozen)
        self._arrange()
        self.update()

    def errors(self) -> dict[str, float]:
        """Mean reading − nominal of each dimension that was read, mm."""
        return {c.measurand.name: mean - c.measurand.nominal for c in self.callouts if (mean := mean_of(c)) is not None}

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Callouts move with their lines."""
        super().resizeEvent(event)
        self._arrange()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Edges can be pointed at."""
        super().mousePressEvent(event)
        if self._piece is not None and (met := self._edge_at(event.position())):
            self.edge.emit(met)

    def _edge_at(self, at: QPointF) -> str:
        frame = self._frame()
        for ring in inner_of(self._piece, {}):
            around = QPolygonF([frame.at(x, y) for x, y in ring])
            if around.containsPoint(at, Qt.FillRule.OddEvenFill):
                return "inside"
        assert self._piece is not None
        corners = [frame.at(x, y) for x, y in self._piece.outline()]
        sides = zip(corners, (*corners[1:], corners[0]), strict=True)
        return "outside" if any(_off(at, a, b) < NEAR_EDGE for a, b in sides) else ""

    # Geometry

    def _frame(self) -> _Frame:
        assert self._piece is not None
        corners = [self._standpoint.to_view(x, y) for x, y in self._piece.outline()]
        left, right = min(c[0] for c in corners), max(c[0] for c in corners)
        near, far = min(c[1] for c in corners), max(c[1] for c in corners)
        side, above, below = (
            self._box.width + 24.0,
            LINE_OFF + self._box.height / 2 + 6,
            SHORT_OFF + self._box.height / 2 + 4 + CAPTION,
        )
        hung = [c for c in self.callouts if c.measurand.box_at is None and not self._slanted(c)]
        left_side = side if any(self._side(c)[0] < 0 for c in hung) else 122.0  # for the arrows of the axes
        right_side = side if any(self._side(c)[0] > 0 for c in hung) else SHORT_OFF + 24.0
        room = QRectF(left_side, above, self.width() - left_side - right_side, self.height() - above - below)
        scale = min(room.width() / (right - left), room.height() / (far - near))
        if not self._fits_beside(scale):  # then every box hangs on its own side
            room = QRectF(side, above, self.width() - 2 * side, self.height() - above - below)
            scale = min(room.width() / (right - left), room.height() / (far - near))
        scale = max(scale, 1e-3)
        middle = room.center()
        return _Frame(
            self._standpoint,
            scale,
            QPointF(middle.x() - scale * (left + right) / 2, middle.y() + scale * (near + far) / 2),
        )

    def _fits_beside(self, scale: float) -> bool:
        """Whether the room inside the piece's bounding box takes the boxes that would rather be there."""
        assert self._piece is not None
        right, _ = self._standpoint.to_view(1, 0)
        wide, high = (self._box.width + 12) / scale, (self._box.height + 12) / scale
        size = QPointF(*((wide, high) if right else (high, wide)))
        outline = [QPointF(x, y) for x, y in self._piece.outline()]
        around = QPolygonF(outline).boundingRect()
        for c in self.callouts:
            if c.measurand.box_at:
                box = QRectF(QPointF(*c.measurand.box_at) - size / 2, QPointF(*c.measurand.box_at) + size / 2)
                sides = zip(outline, (*outline[1:], outline[0]), strict=True)
                if not around.contains(box) or any(_crosses(a, b, box) for a, b in sides):
                    return False
        return True

    def _slanted(self, c: Callout) -> bool:
        """Whether it is read across the piece, neither along X nor along Y: its box is on the line itself."""
        return c.measurand.side == (0, 0)

    def _beside(self, c: Callout, frame: _Frame) -> bool:
        """Whether this callout sits in the free room with a leader to its line."""
        return not self._slanted(c) and c.measurand.box_at is not None and self._fits_beside(frame.scale)

    def _side(self, c: Callout) -> tuple[float, float]:
        """(right, away) of the side on which a dimension line lies."""
        return self._standpoint.to_view(*c.measurand.side)

    def _dimension(self, c: Callout, frame: _Frame) -> tuple[QPointF, QPointF, QPointF, QPointF]:
        """(jaw a, jaw b, line end a, line end b) in px; the line lies outside the piece on its side."""
        a, b = (frame.at(*p) for p in c.measurand.line)
        if self._slanted(c):
            return a, b, a, b
        assert self._piece is not None
        box = QPolygonF([frame.at(*p) for p in self._piece.outline()]).boundingRect()
        right, away = self._side(c)
        off = SHORT_OFF if _short(a, b, along=self._box.width if away else self._box.height) else LINE_OFF
        if away:
            y = box.top() - off if away > 0 else box.bottom() + off
            return a, b, QPointF(a.x(), y), QPointF(b.x(), y)
        x = box.right() + off if right > 0 else box.left() - off
        return a, b, QPointF(x, a.y()), QPointF(x, b.y())

    def _arrange(self) -> None:
        if self._piece is None:
            return
        now = (self.size(), self._standpoint, self._piece, [c.measurand.name for c in self.callouts])
        if now == self._arranged:
            self._complain_at_current()
            return
        self._arranged = now
        self._box = FULL
        frame = self._frame()
        if self.height() < LOW or not self._fits_beside(frame.scale):
            self._box = SMALL
            frame = self._frame()
        placed: list[QRect] = []
        for c in self.callouts:
            *_, a, b = self._dimension(c, frame)
            middle = (a + b) / 2
            right, away = self._side(c)
            if self._beside(c, frame) or self._slanted(c):
                middle = frame.at(*(c.measurand.box_at or (0, 0)))
            elif _short(
                a, b, along=self._box.width if away else self._box.height
            ):  # beside the line, clear of its ends
                half = abs(b.x() - a.x()) / 2 if away else 0.0
                middle += QPointF(half + self._box.width / 2 + 14 if away else right * (self._box.width / 2 + 12), 0)
            else:  # on the line, hung outwards so that it never covers an edge
                middle += QPointF(right * (self._box.width / 2 - LINE_OFF + 14), 0)
            x = min(max(middle.x() - self._box.width / 2, 4), self.width() - self._box.width - 4)
            y = min(max(middle.y() - self._box.height / 2, 4), self.height() - self._box.height - CAPTION)
            wanted = QRect(round(x), round(y), self._box.width, self._box.height)
            placed.append(self._clear_of(placed, wanted))
            self.boxes[c.measurand.name].take_size(self._box)
            self.boxes[c.measurand.name].move(placed[-1].topLeft())
        self._complain_at_current()

    def _clear_of(self, placed: list[QRect], wanted: QRect) -> QRect:
        """The place nearest to the wanted one that covers no box placed before; the wanted one if there is none."""
        inside = QRect(4, 4, self.width() - 8, self.height() - CAPTION - 4)
        xs = {
            wanted.x(),
            *(r.x() - self._box.width - 6 for r in placed),
            *(r.x() + self._box.width + 6 for r in placed),
        }
        ys = {
            wanted.y(),
            *(r.y() - self._box.height - 6 for r in placed),
            *(r.y() + self._box.height + 6 for r in placed),
        }
        free = [
            place
            for place in (QRect(x, y, self._box.width, self._box.height) for x in xs for y in ys)
            if inside.contains(place) and not any(place.intersects(r) for r in placed)
        ]
        return min(free, key=lambda r: (r.topLeft() - wanted.topLeft()).manhattanLength(), default=wanted)

    # Painting

    def paintEvent(self, _event: object) -> None:
        """Grid, piece, dimension lines, captions."""
        p = painter_on_card(self)
        if self._piece is None:
            return
        frame = self._frame()
        errors = self.errors()
        factor = magnification(errors, frame.scale)
        ordered = self._path({}, frame)
        real = self._path({m: self._piece.nominal(m) + factor * e for m, e in errors.items()}, frame)
        p.fillPath(real if errors else ordered, th.color("material"))
        p.setPen(QPen(th.color("soft"), 1.4, Qt.PenStyle.DashLine))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPath(ordered)
        if errors:
            p.setPen(QPen(th.color("ink"), 2.4))
            p.drawPath(real)
        self._draw_lines(p, frame, {m: self._piece.nominal(m) + factor * e for m, e in errors.items()})
        for c in self.callouts:
            self._draw_dimension(p, c, frame)
        self._draw_marks(p, frame)
        self._draw_captions(p, factor, has_readings=bool(errors))

    def _draw_lines(self, p: QPainter, frame: _Frame, actual: dict[str, float]) -> None:
        """Lines on the stock, for a piece that is no outline: dashed nominal, solid as read."""
        piece: object = self._piece
        if not isinstance(piece, Lined):
            return
        p.setPen(QPen(th.color("soft"), 1.6, Qt.PenStyle.DashLine))
        for a, b in piece.lines():
            p.drawLine(frame.at(*a), frame.at(*b))
        if actual:
            p.setPen(QPen(th.color("ink"), 3))
            for a, b in piece.lines(**actual):
                p.drawLine(frame.at(*a), frame.at(*b))

    def _path(self, actual: Mapping[str, float], frame: _Frame) -> QPainterPath:
        """The outline, with holes where it has some; `actual` sizes in place of the nominal ones."""
        assert self._piece is not None
        path = QPainterPath()
        for ring in (self._piece.outline(**actual), *inner_of(self._piece, actual)):
            path.addPolygon(QPolygonF([frame.at(x, y) for x, y in ring]))
            path.closeSubpath()
        return path

    def _draw_dimension(self, p: QPainter, c: Callout, frame: _Frame) -> None:
        jaw_a, jaw_b, a, b = self._dimension(c, frame)
        colour = th.color("focus" if c.current else "soft")
        p.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
        p.drawLine(jaw_a, a)
        p.drawLine(jaw_b, b)
        p.setPen(QPen(colour, 2.4 if c.current else 1.3))
        p.drawLine(a, b)
        along = b - a
        length = math.hypot(along.x(), along.y()) or 1.0
        along /= length
        across = QPointF(-along.y(), along.x())
        if self._slanted(c) and c.measurand.box_at:
            p.setPen(QPen(colour, 2.0 if c.current else 1.1))
            at = QPointF(self.boxes[c.measurand.name].geometry().center())
            p.drawLine(min((a, b), key=lambda end: (end - at).manhattanLength()), at)
        if self._beside(c, frame):  # a leader from the far end of the line to its box
            box = self.boxes[c.measurand.name]
            middle = QPointF(box.geometry().center())
            far = min((a, b), key=lambda end: (end - middle).manhattanLength())
            if self._side(c)[0]:  # an upright line: up or down to the box's height, then across
                elbow = QPointF(far.x(), middle.y())
                near = QPointF(box.x() + (self._box.width - 3 if far.x() > middle.x() else 3), middle.y())
            else:
                elbow = QPointF(middle.x(), far.y())
                near = QPointF(middle.x(), box.y() + (self._box.height - 3 if far.y() > middle.y() else 3))
            p.drawLine(far, elbow)
            p.drawLine(elbow, near)
        for end, way in ((a, 1.0), (b, -1.0)):
            p.drawLine(end - across * 9, end + across * 9)
            p.drawLine(end, end + along * way * 9 + across * 5)
            p.drawLine(end, end + along * way * 9 - across * 5)

    def _draw_marks(self, p: QPainter, frame: _Frame) -> None:
        """The dot and the number that the piece carries at its corner of lowest X and Y."""
        assert self._piece is not None
        if not self._number:
            return
        size = max(x for x, _ in self._piece.outline())
        mark = getattr(self._piece, "mark", 0.028 * size)
        at = frame.at(mark, mark)
        p.setBrush(th.color("ink"))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawEllipse(at, 3.5, 3.5)
        p.setPen(th.color("ink"))
        p.setFont(th.font(th.TEXT, bold=True))
        corner = frame.at(mark + 0.022 * size, mark + 0.022 * size)
        p.drawText(QRectF(corner.x() - 14, corner.y() - 24, 60, 22), Qt.AlignmentFlag.AlignCenter, str(self._number))

    def _draw_captions(self, p: QPainter, factor: int, *, has_readings: bool) -> None:
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words = tr("Turned over") if self._turned else tr("Dashed: nominal")
        if has_readings:
            words += ("" if self._turned else tr(" · solid: measured")) + (
                tr(", error drawn {factor} times", factor=factor) if factor > 1 else ""
            )
        area = QRectF(14, self.height() - CAPTION, self.width() - 28, CAPTION - 4)
        p.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        draw_axes(p, QPointF(24.0, self.height() - CAPTION - 8.0), self._standpoint)


def _crosses(a: QPointF, b: QPointF, box: QRectF) -> bool:
    """Whether a line runs through a box."""
    return any(box.contains(a + (b - a) * (i / SAMPLES)) for i in range(SAMPLES + 1))


def _off(at: QPointF, a: QPointF, b: QPointF) -> float:
    """How far a place is off a line from one end to the other."""
    along, to = b - a, at - a
    square = QPointF.dotProduct(along, along)
    share = min(max(QPointF.dotProduct(to, along) / square, 0.0), 1.0) if square else 0.0
    missed = to - along * share
    return math.hypot(missed.x(), missed.y())


def _short(a: QPointF, b: QPointF, *, along: float) -> bool:
    """Whether a box of that length would hide its dimension line."""
    return math.hypot(b.x() - a.x(), b.y() - a.y()) < along + 46


def draw_axes(p: QPainter, corner: QPointF, standpoint: Standpoint) -> None:
    """Two arrows, +X and +Y, as they point from where the technician is; `corner` is low and left."""
    p.setFont(th.font(th.TEXT, bold=True))
    ways = [standpoint.to_view(1, 0), standpoint.to_view(0, 1)]
    leftwards, downwards = any(r < 0 for r, _ in ways), any(a < 0 for _, a in ways)
    start = corner + QPointF(58 if leftwards else 14, -58 if downwards else -14)
    for letter, unit in (("X", (1.0, 0.0)), ("Y", (0.0, 1.0))):
        right, away = standpoint.to_view(*unit)
        tip = start + QPointF(right * 34, -away * 34)
        p.setPen(QPen(th.color("soft"), 2))
        p.drawLine(start, tip)
        d = QPointF(right, -away)
        n = QPointF(-d.y(), d.x())
        p.drawLine(tip, tip - d * 8 + n * 4)
        p.drawLine(tip, tip - d * 8 - n * 4)
        label = tip + d * 14
        p.drawText(QRectF(label.x() - 14, label.y() - 11, 28, 22), Qt.AlignmentFlag.AlignCenter, f"+{letter}")
