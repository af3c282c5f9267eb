"""What was made beside a mark, drawn to scale as it is seen: dragged, moved with the arrow keys, or typed.

The view turns with whoever looks: the picture and its words, never the numbers, which lie along the machine's axes.
"""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetrics, QImage, QKeyEvent, QMouseEvent, QPainter, QPen, QResizeEvent, QTransform
from PySide6.QtWidgets import QGridLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import ARROWS, Button, painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.printed_mark import draw_printed_mark
from keen_compass.app.round.surface import BoxedSurface, last_of, words_at
from keen_compass.app.round.verniers import draw_verniers
from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import ARM, METRIC
from keen_compass.pieces.where import Beside
from keen_compass.procedures.sheets import graduation_of
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.quantities.readings import number_of
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.beside import beside_in_words, pairs_in_words

REACHES = (1.2, 3.6, 12.0, 14.0)  # mm seen to each side of the mark: under the loupe, usual, far off, verniers
CLOSE, USUAL, FAR, VERNIER = range(4)
VERNIERS_AT = (-3.0, -0.4)  # mm from the target: the middle of what is drawn of both
FINE, COARSE = 0.05, 0.5  # of a division, by which an arrow key moves, and with Shift
LEAST_MAP = 70.0  # px, height of the small picture of all targets
STRIP = WIDTH + 16  # px, right of the picture
HEAD = 40  # px, for the words above it
MAP = 96  # px, height of the picture of all targets
EDGE, APART = 10, 4  # px, of what is in the strip: from the card’s edges, from one another
PIXELS = 480  # of a picture of the stand-in’s sheet, each way
GRIP = 14.0  # px


class MatchSurface(BoxedSurface):
    """The current target alone, with both its directions at once; all targets small beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(430, 250)
        self._standpoint = Standpoint()
        self._machine: Machine | None = None
        self._quarters, self._mirrored = 0, False
        self._reach = USUAL
        self._fine = False
        self._graduation = METRIC
        self._session: RoundSession | None = None
        self._dragged: Point | None = None
        self._grabbed = QPointF()
        self._frozen = False
        self._shown: Point | None = None  # the target that was looked at last
        self.turn = Button(tr("Turn"), self._turn, "quiet")
        self.turn.setAccessibleName(tr("Turn the view"))
        self.below = Button(tr("Below"), self._mirror, "quiet")
        self.below.setAccessibleName(tr("From below"))
        self.below.setCheckable(True)
        self.loupe = Button(tr("Loupe"), self._look_closer, "quiet")
        self.vernier = Button(tr("Verniers"), self._look_at_verniers, "quiet")
        self.vernier.setCheckable(True)
        self.look = Button(tr("See the sheet"), self._seen_anew, "quiet")
        self.look.setCheckable(True)
        self._tools = QWidget(self)
        tools = QGridLayout(self._tools)
        tools.setContentsMargins(0, 0, 0, 0)
        tools.setSpacing(6)
        for button, row, column, wide in (
            (self.look, 0, 0, 2),
            (self.vernier, 1, 0, 2),
            (self.loupe, 2, 0, 2),
            (self.turn, 3, 0, 1),
            (self.below, 3, 1, 1),
        ):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setStyleSheet("QPushButton { padding: 0 6px; }")
            tools.addWidget(button, row, column, 1, wide)

    # What is shown

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """The target that takes the next reading; where all are read, the last one that was looked at."""
        piece = session.context.piece
        fine = piece is not None and bool(piece.parameters.get("fine"))
        if fine and not self._fine:
            self._reach = VERNIER  # that is what it was drawn for
        self._fine = fine
        self._graduation = graduation_of(piece.parameters) if piece is not None else METRIC
        self.vernier.setVisible(fine)
        self._session = session
        self.look.setVisible(piece is not None and piece.practice is not None and not frozen)
        self.vernier.setChecked(self._reach == VERNIER)
        self._machine = session.context.machine
        self._standpoint = session.context.machine.standpoint
        self._frozen = frozen
        before = self._shown
        self.callouts = callouts
        current = self.current()
        if current is not None:
            self._shown = _at(current)
        elif self._shown is None and callouts:
            self._shown = _at(callouts[0])
        if self._shown != before:
            self._dragged = None
        here = [c for c in callouts if _at(c) == self._shown]
        self._fill_boxes(here, self._machine, frozen=frozen)
        self.callouts = callouts
        for box in self.boxes.values():
            box.edit.removeEventFilter(self)
            box.edit.installEventFilter(self)
        x, y = self.value()
        self.setAccessibleName(tr("Beside the mark: {place}", place=beside_in_words(x, y, self.view, self._units())))
        self._arrange()
        self._complain_at_current()
        self.update()

    @property
    def view(self) -> Standpoint:
        """Where the axes point in the picture."""
        seen = self._standpoint.turned_over() if self._mirrored else self._standpoint
        return seen.turned(self._quarters)

    def value(self) -> Point:
        """Where the cross lies beside its mark, mm along the machine's axes: dragged, half typed, or read."""
        if self._dragged is not None:
            return self._dragged
        found = {c.measurand.axis: last_of(c) or 0.0 for c in self._here()}
        return found.get("x", 0.0), found.get("y", 0.0)

    def placed_already(self) -> bool:
        """Whether this target was read or placed."""
        return self._dragged is not None or any(last_of(c) is not None for c in self._here())

    def _here(self) -> list[Callout]:
        return [c for c in self.callouts if _at(c) == self._shown]

    def _units(self) -> str:
        return self._machine.shown_in if self._machine else "mm"

    # What is done

    def _put(self, x: float, y: float, axis: str = "") -> None:
        """Both directions at once, in the unit that the sheet is graduated in; `axis` takes what is typed next."""
        if self._frozen:
            return
        here = {c.measurand.axis: c.measurand.name for c in self._here()}
        current = self.current()
        axis = axis or (current.measurand.axis if current and _at(current) == self._shown else "x")
        unit = self._graduation.unit
        decimals = 2 if unit == "mm" else 4
        at = ((a, v / UNITS_MM[unit] + 0.0) for a, v in (("x", x), ("y", y)) if a in here)
        texts = {here[a]: written(f"{v:.{decimals}f} {unit}") for a, v in at}
        self.placed.emit(texts, here.get(axis, next(iter(texts))))

    def move_by(self, right: float, away: float) -> None:
        """So many divisions as it is seen."""
        division = self._graduation.division
        dx, dy = self.view.to_machine(right * division, away * division)
        x, y = self.value()
        self._put(round(x + dx, 4), round(y + dy, 4), "x" if dx else "y")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The arrow keys move the cross as it is seen, whichever callout has the keyboard."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            arrow = ARROWS.get(Qt.Key(event.key()))
            if arrow and not event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
            ):
                step = COARSE if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else FINE
                self.move_by(step * arrow[0], step * arrow[1])
                return True
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the cross, or bring it there; a small target is gone to."""
        at = event.position()
        for target, spot in self._on_map().items():
            if (spot - at).manhattanLength() < 2 * GRIP and target != self._shown:
                first = next(c for c in self.callouts if _at(c) == target)
                self.chosen.emit(first.measurand.name)
                return
        if self._frozen or not self._picture().contains(at):
            return
        here = self._to_screen(self.value())
        self._grabbed = here - at if (here - at).manhattanLength() < 3 * GRIP else QPointF()
        self._drag(at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """It follows the hand."""
        if self._dragged is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._drag(event.position())

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        """There it lies; Enter keeps it."""
        if self._dragged is not None:
            (x, y), self._dragged = self._dragged, None
            self._put(x, y)
            edit = self.current_edit()
            if edit is not None:
                edit.setFocus()

    def _drag(self, at: QPointF) -> None:
        grabbed = at + self._grabbed
        middle, reach = self._to_screen((0.0, 0.0)), REACHES[self._reach]
        right, away = (grabbed.x() - middle.x()) / self._scale(), (middle.y() - grabbed.y()) / self._scale()
        x, y = self.view.to_machine(min(max(right, -reach), reach), min(max(away, -reach), reach))
        step = self._graduation.division * (FINE / 5 if self._reach == CLOSE else FINE)
        self._dragged = round(x / step) * step, round(y / step) * step
        self.update()

    def _turn(self) -> None:
        self._quarters = (self._quarters + 1) % 4
        self._seen_anew()

    def _mirror(self) -> None:
        self._mirrored = not self._mirrored
        self._seen_anew()

    def _look_closer(self) -> None:
        """From the usual magnification to a closer one, a farther one, and back."""
        self._reach = {USUAL: CLOSE, CLOSE: FAR}.get(self._reach, USUAL)
        self._seen_anew()

    def _look_at_verniers(self) -> None:
        """The verniers, or the cross again."""
        self._reach = USUAL if self._reach == VERNIER else VERNIER
        self._seen_anew()

    def _seen_anew(self) -> None:
        self.below.setChecked(self._mirrored)
        self.vernier.setChecked(self._reach == VERNIER)
        self.loupe.name({CLOSE: tr("Far off"), USUAL: tr("Loupe")}.get(self._reach, tr("As usual")))
        self._arrange()
        self.update()

    # Where things are

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Boxes and picture share the room again."""
        super().resizeEvent(event)
        self._arrange()

    def _picture(self) -> QRectF:
        side = min(self.width() - STRIP - 28, self.height() - HEAD - HEIGHT - 16)
        room = self.width() - STRIP
        return QRectF((room - side) / 2, HEAD, side, side)

    def _scale(self) -> float:
        return self._picture().width() / 2 / REACHES[self._reach]

    def _to_screen(self, at: Point) -> QPointF:
        x0, y0 = VERNIERS_AT if self._reach == VERNIER else (0.0, 0.0)
        right, away = self.view.to_view(at[0] - x0, at[1] - y0)
        return self._picture().center() + QPointF(right * self._scale(), -away * self._scale())

    def _arrange(self) -> None:
        picture, tools = self._picture(), self._tools_above()
        beside = min(picture.center().y() - HEIGHT / 2, tools - HEIGHT - APART)
        for c in self._here():
            box = self.boxes.get(c.measurand.name)
            if box is None:
                continue
            if self.view.level(c.measurand.axis):
                box.move(round(picture.center().x() - WIDTH / 2), round(picture.bottom() + 8))
            else:
                box.move(round(self.width() - STRIP + 2), round(beside))
        self._tools.setGeometry(self.width() - STRIP + 2, tools, WIDTH, self.height() - tools - EDGE)

    def _map(self) -> QRectF:
        """The small picture of all targets, above a box and the tools, or beside the large picture."""
        room = self._tools_above() - HEIGHT - EDGE - 2 * APART
        if room < LEAST_MAP:
            picture = self._picture()
            return QRectF(EDGE, picture.top(), min(picture.left() - 2 * EDGE, WIDTH), picture.height())
        return QRectF(self.width() - STRIP + 2, EDGE, WIDTH, min(MAP, room))

    def _tools_above(self) -> int:
        """Where the buttons begin, down from the top."""
        return self.height() - self._tools.sizeHint().height() - EDGE

    def _targets(self) -> list[Point]:
        return list(dict.fromkeys(_at(c) for c in self.callouts))

    def _on_map(self) -> dict[Point, QPointF]:
        """Where each target is in the small picture of all of them; nothing where there is one."""
        targets = self._targets()
        if len(targets) < 2:
            return {}
        seen = {t: self.view.to_view(*t) for t in targets}
        left, right = min(u for u, _ in seen.values()), max(u for u, _ in seen.values())
        near, far = min(v for _, v in seen.values()), max(v for _, v in seen.values())
        room = self._map().adjusted(18, 16, -18, -16)
        scale = min(room.width() / max(right - left, 1e-9), room.height() / max(far - near, 1e-9))
        middle = room.center()
        return {
            t: middle + QPointF((u - (left + right) / 2) * scale, -(v - (near + far) / 2) * scale)
            for t, (u, v) in seen.items()
        }

    # Painting

    def paintEvent(self, _event: object) -> None:
        """Words, the mark, what lies beside it, all targets."""
        p = painter_on_card(self)
        if not self.callouts:
            return
        picture = self._picture()
        self._draw_words(p)
        p.save()
        p.setClipRect(picture)
        p.fillRect(picture, th.color("paper"))
        sheet = self._sheet() if self.look.isChecked() else None
        if sheet is not None:
            self._draw_sheet(p, sheet)
        elif self._reach == VERNIER:
            draw_verniers(p, self._to_screen, self.value(), self._scale(), self._graduation.division)
        else:
            finest = {CLOSE: (0.1, 12), USUAL: (0.5, 8)}.get(self._reach, (1.0, 12))
            every = 5 if self._reach == FAR else 1
            middle, reach = self._picture().center(), REACHES[self._reach]
            draw_printed_mark(p, middle, self._graduation, self._scale(), reach, finest, every)
            self._draw_earlier(p)
            self._draw_cross(p)
        p.restore()
        p.setPen(QPen(th.color("soft"), 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(picture)
        self._draw_sides(p, picture)
        self._draw_map(p)

    def _draw_words(self, p: QPainter) -> None:
        x, y = self.value()
        said = self.placed_already()
        words = beside_in_words(x, y, self.view, self._units()) if said else tr("Drag the cross to where yours lies")
        if self._reach == VERNIER:
            division = self._graduation.division
            words = (
                pairs_in_words(x / division, y / division, self.view) if said else tr("Which ticks line up?  ← → ↑ ↓")
            )
        face = th.font(th.VERDICT, bold=True)
        room = self.width() - STRIP - 24
        p.setFont(face)
        p.setPen(th.color("focus" if said else "ink"))
        if QFontMetrics(face).horizontalAdvance(words) > room:  # both directions below one another
            p.setFont(th.font(th.TEXT, bold=True))
            words = words.replace(", ", ",\n", 1)
        p.drawText(QRectF(14, 2, room, HEAD - 2), Qt.AlignmentFlag.AlignCenter, words)

    def _sheet(self) -> QImage | None:
        """How the target looks on the practice machine, along its axes."""
        if self._session is None or self._shown is None:
            return None
        from keen_compass.practice import stand_in

        found = stand_in.picture(self._session, self._shown, self._sheet_reach(), PIXELS)
        return QImage(found, PIXELS, PIXELS, 3 * PIXELS, QImage.Format.Format_RGB888).copy() if found else None

    def _sheet_reach(self) -> float:
        """mm of it to each side of the target: both verniers, whichever way."""
        return REACHES[self._reach] * (1.5 if self._reach == VERNIER else 1.0)

    def _draw_sheet(self, p: QPainter, sheet: QImage) -> None:
        """As it is seen from here; where the cross was put is dashed over it."""
        reach = self._sheet_reach()
        corners = [self._to_screen(at) for at in ((-reach, reach), (reach, reach), (-reach, -reach))]
        p.save()
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        (ox, oy), across, down = (corners[0].x(), corners[0].y()), corners[1] - corners[0], corners[2] - corners[0]
        p.setTransform(
            QTransform(across.x() / PIXELS, across.y() / PIXELS, down.x() / PIXELS, down.y() / PIXELS, ox, oy), True
        )
        p.drawImage(0, 0, sheet)
        p.restore()
        if self.placed_already():
            at, arm = self._to_screen(self.value()), ARM * self._scale()
            p.setPen(QPen(th.color("focus"), 2, Qt.PenStyle.DashLine))
            p.drawLine(at - QPointF(arm, 0), at + QPointF(arm, 0))
            p.drawLine(at - QPointF(0, arm), at + QPointF(0, arm))

    def _draw_earlier(self, p: QPainter) -> None:
        """What was read before of the same target, small."""
        read: Mapping[str, list[float]] = {
            c.measurand.axis: [number_of(r.reading) for r in c.readings] for c in self._here()
        }
        p.setPen(QPen(th.color("good"), 2))
        for x, y in zip(read.get("x", []), read.get("y", []), strict=False):
            at = self._to_screen((x, y))
            p.drawLine(at - QPointF(7, 7), at + QPointF(7, 7))
            p.drawLine(at - QPointF(7, -7), at + QPointF(7, -7))

    def _draw_cross(self, p: QPainter) -> None:
        """What the tool drew: as long as it is drawn, in the pen's colour."""
        at, arm = self._to_screen(self.value()), ARM * self._scale()
        style = Qt.PenStyle.SolidLine if self.placed_already() else Qt.PenStyle.DashLine
        p.setPen(QPen(th.color("focus"), 3.4, style))
        p.drawLine(at - QPointF(arm, 0), at + QPointF(arm, 0))
        p.drawLine(at - QPointF(0, arm), at + QPointF(0, arm))
        p.setPen(QPen(th.color("focus"), 2.2))
        p.setBrush(th.color("card"))
        p.drawEllipse(at, 6, 6)

    def _draw_sides(self, p: QPainter, picture: QRectF) -> None:
        """Where the axes point, and where one is."""
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        names = {(1, 0): "+X", (-1, 0): "−X", (0, 1): "+Y", (0, -1): "−Y"}
        for (right, away), at in (
            ((1, 0), QPointF(picture.right() - 20, picture.center().y() - 14)),
            ((-1, 0), QPointF(picture.left() + 20, picture.center().y() - 14)),
            ((0, 1), QPointF(picture.center().x() - 22, picture.top() + 14)),
            ((0, -1), QPointF(picture.center().x() - 22, picture.bottom() - 14)),
        ):
            x, y = self.view.to_machine(right, away)
            words_at(p, at, names[(round(x), round(y))], width=40)
        words = tr("seen from below") if self._mirrored else ""
        if self._quarters:
            words = (
                tr("{words}, turned {quarters}°", words=words, quarters=90 * self._quarters)
                if words
                else tr("view turned {quarters}°", quarters=90 * self._quarters)
            )
        if words:
            p.setPen(th.color("warn"))
            words_at(p, picture.topLeft() + QPointF(8, 14), words, width=picture.width() / 2, side="right")

    def _draw_map(self, p: QPainter) -> None:
        spots = self._on_map()
        if not spots:
            return
        p.setPen(QPen(th.color("line"), 1))
        p.setBrush(th.color("paper"))
        p.drawRoundedRect(self._map(), 6, 6)
        p.setFont(th.font(th.TEXT, bold=True))
        for i, (target, at) in enumerate(spots.items(), 1):
            here = target == self._shown
            done = all(c.readings or c.skipped for c in self.callouts if _at(c) == target)
            p.setPen(QPen(th.color("focus" if here else "good" if done else "soft"), 2))
            p.setBrush(th.color("focus" if here else "paper"))
            p.drawEllipse(at, 12, 12)
            p.setPen(th.color("card" if here else "good" if done else "soft"))
            words_at(p, at, "✓" if done and not here else str(i), width=30)


def _at(c: Callout) -> Point:
    where = c.measurand.where
    return where.at if isinstance(where, Beside) else (0.0, 0.0)
