"""The rail: every machine of the shop, its state, the step of a round under way."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRect, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import QAbstractButton, QFrame, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, Button, Line, empty, scrolling, tip
from keen_compass.app.rose.canvas import draw_small_rose
from keen_compass.language import marked, tr, tr_n
from keen_compass.machines.profile import Machine
from keen_compass.shop.due import Due
from keen_compass.shop.standing import Spoke, State, as_drawn
from keen_compass.words.due import due_in_words
from keen_compass.words.procedures import step_name
from keen_compass.words.standing import summary

WIDE, NARROW, SIDE = 216, 118, 12  # px: of the rail, and what it leaves to either side of a card
BESIDE = 76  # px of a card that its rose and its rims take
HIGH, STEP = 84, 18  # px: of a card, and of the line more that a round under way needs
GAP, TIGHT = 8, 3  # px between cards
# name, words, words where the rail is narrow
PLACES = (
    ("glance", marked("Shop at a glance"), marked("Glance")),
    ("stock", marked("Stock and tools"), marked("Stock")),
    ("logbook", marked("Logbook"), marked("Logbook")),
    ("instruments", marked("Instruments"), marked("Instruments")),
    ("add", marked("Add a machine"), marked("Add")),
)


def in_two(words: str, metrics: QFontMetrics, width: int) -> list[str]:
    """On one line where they fit, else broken where the first line is the fullest."""
    if metrics.horizontalAdvance(words) <= width:
        return [words]
    parts = words.split(" ")
    for n in range(len(parts) - 1, 0, -1):
        if metrics.horizontalAdvance(first := " ".join(parts[:n])) <= width:
            return [first, " ".join(parts[n:])]
    return [words]


class MachineCard(QAbstractButton):
    """One machine: small rose, name, kind, state; of many machines only name and state."""

    def __init__(self, machine: Machine, spokes: list[Spoke], step: str) -> None:
        super().__init__()
        self._narrow = self._compact = False
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.show_machine(machine, spokes, step)

    def show_machine(self, machine: Machine, spokes: list[Spoke], step: str) -> None:
        """Its state now; step: of a round under way, else nothing."""
        self.uid = machine.uid
        self._machine = machine
        self._spokes = as_drawn(spokes)
        self._words, self._state = summary(spokes)
        self._short, _ = summary(spokes, named=False)
        self._step = tr("at {step}", step=step_name(step)) if step else ""
        self._kind = in_two(machine.kind.said, QFontMetrics(th.font(15)), WIDE - 2 * SIDE - BESIDE)
        self.setAccessibleName(f"{machine.name}, {machine.describe()}, {self._words} {self._step}".strip())
        tip(self, f"{machine.name} · {machine.describe()} · {self._words}{f' · {self._step}' if step else ''}")
        self.set_size(narrow=self._narrow, compact=self._compact)

    def show_due(self, soon: Sequence[Due]) -> None:
        """What is in and is due in the days ahead, where nothing else is to be said of it."""
        if soon and self._state is State.IN:
            self._words, self._short = due_in_words(soon), due_in_words(soon, short=True)
            self.setAccessibleName(f"{self._machine.name}, {self._machine.describe()}, {self._words}")
            self.update()

    def whole_height(self, *, narrow: bool) -> int:
        """px, where there is room for all that it has to say."""
        more = len(self._kind) - 1 + bool(self._step)
        return HIGH if narrow else HIGH + STEP * more

    def set_size(self, *, narrow: bool, compact: bool) -> None:
        """narrow: rose and name only. compact: as low as a hand can still hit."""
        self._narrow, self._compact = narrow, compact
        height = th.HAND if compact else self.whole_height(narrow=narrow)
        if height != self.minimumHeight():
            self.setFixedHeight(height)
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Draw frame, rose and words."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        edge = th.color("focus") if self.hasFocus() else th.color("ink" if self.isChecked() else "line")
        p.setPen(QPen(edge, 2.6 if self.hasFocus() else (1.8 if self.isChecked() else 1)))
        p.setBrush(th.color("card") if self.isChecked() else Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(self.rect().adjusted(2, 2, -2, -2), 9, 9)
        if self._compact:
            self._draw_compact(p)
        elif self._narrow:
            draw_small_rose(p, self._spokes, QPointF(self.width() / 2, 30), 20)
            box = QRect(6, 54, self.width() - 12, 24)
            self._words_at(p, box, self._machine.name, 15, th.color("ink"), bold=True, centre=True)
        else:
            self._draw_whole(p)

    def _draw_compact(self, p: QPainter) -> None:
        middle = self.height() / 2
        if self._narrow:
            draw_small_rose(p, self._spokes, QPointF(17, middle), 12)
            box = QRect(30, 0, self.width() - 34, self.height())
            self._words_at(p, box, self._machine.name, 15, th.color("ink"), bold=True)
            return
        draw_small_rose(p, self._spokes, QPointF(26, middle), 15)
        left, width = 50, self.width() - 56
        self._words_at(p, QRect(left, 3, width, 20), self._machine.name, 15, th.color("ink"), bold=True)
        words = f"{self._short}, {self._step}" if self._step else self._words
        self._state_at(p, QRect(left, 22, width, 19), words)

    def _draw_whole(self, p: QPainter) -> None:
        draw_small_rose(p, self._spokes, QPointF(35, 41), 21)
        left, width = BESIDE - 8, self.width() - BESIDE
        self._words_at(p, QRect(left, 10, width, 24), self._machine.name, 17, th.color("ink"), bold=True)
        y = 33
        for words in self._kind:
            self._words_at(p, QRect(left, y, width, 20), words, 15, th.color("soft"))
            y += STEP
        self._state_at(p, QRect(left, y + 2, width, 22), self._words)
        if self._step:
            self._words_at(p, QRect(left, y + 23, width, 20), self._step, 15, th.color("soft"))

    def _state_at(self, p: QPainter, box: QRect, words: str) -> None:
        """How it stands; shorter where the box is."""
        fits = QFontMetrics(th.font(15, bold=True)).horizontalAdvance(words) <= box.width()
        self._words_at(p, box, words if fits else self._short, 15, th.color(STATE_COLOUR[self._state]), bold=True)

    def _words_at(
        self, p: QPainter, box: QRect, words: str, px: int, colour: QColor, *, bold: bool = False, centre: bool = False
    ) -> None:
        p.setFont(th.font(px, bold=bold))
        p.setPen(colour)
        alike = words == self._machine.name  # names often differ in nothing but their end
        cut = Qt.TextElideMode.ElideMiddle if alike else Qt.TextElideMode.ElideRight
        words = QFontMetrics(p.font()).elidedText(words, cut, box.width())
        side = Qt.AlignmentFlag.AlignHCenter if centre else Qt.AlignmentFlag.AlignLeft
        p.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, words)


class CardList(QScrollArea):
    """The machines' cards, one below the other: whole where they fit, else compact, scrolled where those don't.

    `chosen` carries a machine's uid.
    """

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.cards: list[MachineCard] = []
        self._narrow = False
        inside = QWidget()
        self._box = QVBoxLayout(inside)
        self._box.setContentsMargins(0, 0, 0, 0)
        scrolling(inside, self)

    def show_machines(self, machines: list[tuple[Machine, list[Spoke], str]], current: str | None) -> None:
        """Each with its spokes and the step of its round, if one is under way."""
        if [card.uid for card in self.cards] == [machine.uid for machine, _, _ in machines]:
            for card, row in zip(self.cards, machines, strict=True):
                card.show_machine(*row)
        else:
            self._make_anew(machines)
        for card in self.cards:
            card.setChecked(card.uid == current)
        self.settle()

    def show_due(self, uid: str, soon: Sequence[Due]) -> None:
        """Of one of them."""
        for card in self.cards:
            if card.uid == uid:
                card.show_due(soon)

    def _make_anew(self, machines: list[tuple[Machine, list[Spoke], str]]) -> None:
        empty(self._box)
        self.cards = [MachineCard(*row) for row in machines]
        for card in self.cards:
            card.clicked.connect(lambda _=False, uid=card.uid: self.chosen.emit(uid))
            self._box.addWidget(card)
        self._box.addStretch(1)

    def set_narrow(self, *, narrow: bool) -> None:
        """As the rail is."""
        self._narrow = narrow
        self.settle()

    def settle(self) -> None:
        """As large as there is room for; the machine that is shown stays in sight."""
        whole = sum(card.whole_height(narrow=self._narrow) + GAP for card in self.cards) - GAP
        compact = whole > self.height()
        self._box.setSpacing(TIGHT if compact else GAP)
        for card in self.cards:
            card.set_size(narrow=self._narrow, compact=compact)
        QTimer.singleShot(0, self, self._keep_in_sight)

    def _keep_in_sight(self) -> None:
        for card in self.cards:
            if card.isChecked():
                self.ensureWidgetVisible(card, 0, TIGHT)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """More room, or less."""
        super().resizeEvent(event)
        self.settle()


class Rail(QFrame):
    """All machines, and the other places. `chosen` carries a machine's uid, `place` the name of a place."""

    chosen = Signal(str)
    place = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self._title = Line(px=18, bold=True)
        self._count = Line(colour="soft")
        self.machines = CardList()
        self.machines.chosen.connect(self.chosen)
        self._layout = QVBoxLayout(self)
        self._layout.setSpacing(6)
        self._layout.addWidget(self._title)
        self._layout.addWidget(self._count)
        self._layout.addWidget(self.machines, 1)
        self._places = [self._place_button(name, tr(words)) for name, words, _ in PLACES]
        self.set_narrow(narrow=False)

    def set_narrow(self, *, narrow: bool) -> None:
        """Give the room to the piece when the window is small."""
        self.setFixedWidth(NARROW if narrow else WIDE)
        self._layout.setContentsMargins(6 if narrow else SIDE, 16, 6 if narrow else SIDE, 12)
        self._count.setVisible(not narrow)
        self._title.setVisible(not narrow)  # the window's title says it too
        self.machines.set_narrow(narrow=narrow)
        for button, (_, words, short) in zip(self._places, PLACES, strict=True):
            button.setText(tr(short if narrow else words))

    def _place_button(self, name: str, words: str) -> Button:
        button = Button(words, lambda: self.place.emit(name), "rail")
        self._layout.addWidget(button)
        return button

    def show_shop(self, name: str, machines: list[tuple[Machine, list[Spoke], str]], current: str | None) -> None:
        """Fill the rail; each machine with its spokes and the step of its round, if one is under way."""
        self._title.say(name)
        due = sum(1 for _, spokes, _ in machines if any(s.state is not State.IN for s in spokes))
        count = tr_n("{n} machine", "{n} machines", len(machines))
        self._count.say(tr("{count} · {due} due", count=count, due=due) if due else tr("{count} · all in", count=count))
        self.machines.show_machines(machines, current)
