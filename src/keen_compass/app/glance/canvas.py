"""All machines of the shop as roses in a grid, grouped by kind; or a line for each, to be read from three metres."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRect, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, ShowsFocus
from keen_compass.app.rose.canvas import draw_small_rose
from keen_compass.language import tr
from keen_compass.rounds.glance import Seen, grouped
from keen_compass.words.glance import NONE_FITS
from keen_compass.words.procedures import step_name
from keen_compass.words.say import capital

GAP, HEAD = 10, 34  # px: between machines; of a group's heading
LEADING = 1.45  # of letters, from line to line
NEXT = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}


class Look(NamedTuple):
    """How large a machine is drawn, px. least: width; high: height; R: of its rose; name, words, soft: letters."""

    least: int
    high: int
    R: int
    name: int
    words: int
    soft: int


LARGE, SMALL = Look(320, 148, 56, 24, 20, 17), Look(216, 104, 34, 18, 16, 15)
FAR = Look(10_000, 92, 36, 40, 34, 34)  # one below the other, to be read from three metres


class Place(NamedTuple):
    """Where a machine is drawn, px."""

    box: QRect
    seen: Seen


class GlanceCanvas(ShowsFocus):
    """`chosen` carries a machine's uid; `moved` says that another one is lit; `typed` carries letters for a search."""

    chosen = Signal(str)
    moved = Signal()
    typed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Machines"))
        self._seen: Sequence[Seen] = ()
        self._places: list[Place] = []
        self._heads: list[tuple[QRect, str]] = []
        self._current = ""
        self._look, self._room = LARGE, 0
        self.far = False

    def show_machines(self, seen: Sequence[Seen], current: str) -> None:
        """These machines; current: whose frame is lit, the first one where it isn't among them."""
        self._seen = seen
        uids = [one.machine.uid for one in seen]
        self._current = current if current in uids else next(iter(uids), "")
        self.arrange()
        self._say()

    @property
    def current(self) -> str:
        """uid of the machine that Enter opens; empty for none."""
        return self._current

    def box_of(self, uid: str) -> QRect:
        """Where a machine is, px; empty where it isn't shown."""
        return next((place.box for place in self._places if place.seen.machine.uid == uid), QRect())

    def arrange(self, room: int = 0) -> None:
        """As many side by side as there is room for, large where all of them fit; from afar one below the other.

        room: px that are seen at once; 0 for the same as before.
        """
        self._room = room or self._room
        groups = [("", list(self._seen))] if self.far else grouped(self._seen)
        looks = [FAR] if self.far else [LARGE, SMALL]
        fits = [look for look in looks if self._lay(groups, look) <= self._room]
        self._look = (fits or looks[-1:])[0]
        self.setMinimumHeight(self._lay(groups, self._look))
        self.update()

    def _lay(self, groups: Sequence[tuple[str, list[Seen]]], look: Look) -> int:
        """px that all of them take."""
        self._places, self._heads, y = [], [], 0
        across = max((self.width() + GAP) // (look.least + GAP), 1)
        wide = (self.width() - (across - 1) * GAP) // across
        for kind, members in groups:
            if kind:
                self._heads.append((QRect(0, y, self.width(), HEAD), f"{capital(kind)} · {len(members)}"))
                y += HEAD
            for i, one in enumerate(members):
                row, column = divmod(i, across)
                at = QRect(column * (wide + GAP), y + row * (look.high + GAP), wide, look.high)
                self._places.append(Place(at, one))
            y += -(-len(members) // across) * (look.high + GAP)
        return y

    def resizeEvent(self, event: QResizeEvent) -> None:
        """More or fewer side by side."""
        super().resizeEvent(event)
        self.arrange()

    # Choosing

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go to the machine beside, above or below; Enter opens it; letters are for the search."""
        key = Qt.Key(event.key())
        at = next((i for i, p in enumerate(self._places) if p.seen.machine.uid == self._current), None)
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._current:
            self.chosen.emit(self._current)
        elif at is not None and key in NEXT:
            self._go_to(min(max(at + NEXT[key], 0), len(self._places) - 1))
        elif at is not None and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._go_to(self._nearest(at, down=key == Qt.Key.Key_Down))
        elif self._places and key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._go_to(0 if key == Qt.Key.Key_Home else len(self._places) - 1)
        elif event.text().strip() and event.text().isprintable():
            self.typed.emit(event.text())
        else:
            super().keyPressEvent(event)

    def _nearest(self, at: int, *, down: bool) -> int:
        """Of the next row that way the one that lies nearest; itself where there is none."""
        here = self._places[at].box
        way = 1 if down else -1
        beyond = [(i, p.box) for i, p in enumerate(self._places) if way * (p.box.top() - here.top()) > 0]
        nearest = min(beyond, key=lambda ib: (way * ib[1].top(), abs(ib[1].left() - here.left())), default=(at, here))
        return nearest[0]

    def _go_to(self, index: int) -> None:
        self._current = self._places[index].seen.machine.uid
        self._say()
        self.update()
        self.moved.emit()

    def _say(self) -> None:
        """For screen readers: the machine that Enter opens."""
        one = next((s for s in self._seen if s.machine.uid == self._current), None)
        said = f"{one.machine.name}, {one.machine.kind.said}, {one.words} {_step(one)}".strip() if one else ""
        self.setAccessibleDescription(said)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click opens a machine."""
        if place := self._at(event.position().toPoint()):
            self._current = place.seen.machine.uid
            self.chosen.emit(self._current)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Show what can be clicked."""
        found = self._at(event.position().toPoint())
        self.setCursor(Qt.CursorShape.PointingHandCursor if found else Qt.CursorShape.ArrowCursor)

    def _at(self, point: object) -> Place | None:
        return next((place for place in self._places if place.box.contains(point)), None)  # type: ignore[call-overload]

    def event(self, event: QEvent) -> bool:
        """What a machine is, in full, where its words may be cut."""
        if event.type() == QEvent.Type.ToolTip:
            found = self._at(event.pos())  # type: ignore[attr-defined]
            one = found.seen if found else None
            self.setToolTip(f"{one.machine.name} · {one.machine.describe()} · {one.words}" if one else "")
        return super().event(event)

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        """Headings and machines, as far as they are in sight."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._places:
            self._words(p, QRect(2, 0, self.width(), HEAD), tr(NONE_FITS), th.TEXT, th.color("soft"))
        for box, words in self._heads:
            if box.intersects(event.rect()):
                self._words(p, box.adjusted(2, 0, 0, -4), words, 17, th.color("soft"), bold=True)
        for place in self._places:
            if place.box.intersects(event.rect()):
                self._frame(p, place)
                (self._draw_line if self.far else self._draw_tile)(p, place)

    def _frame(self, p: QPainter, place: Place) -> None:
        lit = place.seen.machine.uid == self._current
        edge = "focus" if lit and self.hasFocus() else "ink" if lit else "line"
        p.setPen(QPen(th.color(edge), 2.6 if lit else 1))
        p.setBrush(th.color("card"))
        p.drawRoundedRect(place.box.adjusted(2, 2, -2, -2), 9, 9)

    def _draw_tile(self, p: QPainter, place: Place) -> None:
        box, one, look = place.box, place.seen, self._look
        draw_small_rose(p, one.drawn, QPointF(box.left() + look.R * 1.4, box.center().y()), look.R)
        left = box.left() + round(look.R * 2.8)
        room = box.right() - left - 8
        soft = [one.machine.kind.said] if not self._heads else []
        lines = [
            (one.machine.name, look.name, "ink", True),
            *((words, look.soft, "soft", False) for words in soft),
            (one.words, look.words, STATE_COLOUR[one.state], True),
            *([(step, look.soft, "soft", False)] if (step := _step(one)) else []),
        ]
        y = box.center().y() - sum(round(px * LEADING) for _, px, _, _ in lines) // 2
        for words, px, colour, bold in lines:
            high = round(px * LEADING)
            self._words(p, QRect(left, y, room, high), words, px, th.color(colour), bold=bold)
            y += high

    def _draw_line(self, p: QPainter, place: Place) -> None:
        box, one, look = place.box, place.seen, self._look
        draw_small_rose(p, one.drawn, QPointF(box.left() + look.R * 1.4, box.center().y()), look.R)
        left, step = box.left() + look.R * 3, _step(one)
        name = min((box.width() - 130) * 2 // 5, 460)
        self._words(p, QRect(left, box.top(), name, look.high), one.machine.name, look.name, th.color("ink"), bold=True)
        rest = QRect(left + name + 12, box.top(), box.right() - left - name - 24, look.high)
        colour = th.color(STATE_COLOUR[one.state])
        self._words(p, rest, f"{one.words} · {step}" if step else one.words, look.words, colour, bold=True)

    def _words(self, p: QPainter, box: QRect, words: str, px: int, colour: QColor, *, bold: bool = False) -> None:
        p.setFont(th.font(px, bold=bold))
        p.setPen(colour)
        words = QFontMetrics(p.font()).elidedText(words, Qt.TextElideMode.ElideRight, box.width())
        p.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)


def _step(one: Seen) -> str:
    return tr("at {step}", step=step_name(one.step)) if one.step else ""
