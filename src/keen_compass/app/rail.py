"""The rail: every machine of the shop, how it stands, the step of a round under way."""

from __future__ import annotations

from gettext import ngettext

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QFrame, QSizePolicy, QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, Button, Line
from keen_compass.app.rose.canvas import Rose
from keen_compass.machines.profile import Machine
from keen_compass.shop.standing import Spoke, State, as_drawn
from keen_compass.words.standing import summary

WIDE, NARROW = 216, 118
# name, words, words where the rail is narrow
PLACES = (
    ("stock", "Stock and tools", "Stock"),
    ("logbook", "Logbook", "Logbook"),
    ("instruments", "Instruments", "Instruments"),
    ("add", "Add a machine", "Add"),
)


class MachineCard(QAbstractButton):
    """One machine: small rose, name, kind, state."""

    def __init__(self, machine: Machine, spokes: list[Spoke], step: str) -> None:
        super().__init__()
        self.uid = machine.uid
        self._machine = machine
        self._words, self._state = summary(spokes)
        self._short, _ = summary(spokes, named=False)
        self._step = f"at {step.capitalize()}" if step else ""
        self._narrow = False
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"{machine.name}, {machine.describe()}, {self._words} {self._step}".strip())
        self.setToolTip(f"{machine.name} · {machine.describe()} · {self._words}")
        self._rose = Rose(small=True)
        self._rose.setParent(self)
        self._rose.show_spokes(as_drawn(spokes))
        self._rose.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.set_narrow(narrow=False)

    def set_narrow(self, *, narrow: bool) -> None:
        """Rose and name only, or all."""
        self._narrow = narrow
        self.setFixedHeight(84 if narrow else (102 if self._step else 84))
        if narrow:
            self._rose.setGeometry((NARROW - 12 - 44) // 2, 8, 44, 44)
        else:
            self._rose.setGeometry(12, 18, 46, 46)
        self.update()

    def sizeHint(self) -> QSize:
        """The rail decides the width."""
        return QSize(NARROW - 12 if self._narrow else WIDE - 24, self.height())

    def paintEvent(self, _event: object) -> None:
        """Draw frame and words."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        edge = th.color("focus") if self.hasFocus() else th.color("ink" if self.isChecked() else "line")
        p.setPen(QPen(edge, 2.6 if self.hasFocus() else (1.8 if self.isChecked() else 1)))
        p.setBrush(th.color("card") if self.isChecked() else Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(self.rect().adjusted(2, 2, -2, -2), 9, 9)
        if self._narrow:
            self._words_at(
                p,
                QRect(6, 54, self.width() - 12, 24),
                self._machine.name,
                15,
                th.color("ink"),
                bold=True,
                centre=True,
            )
            return
        left, width = 68, self.width() - 76
        self._words_at(p, QRect(left, 10, width, 24), self._machine.name, 17, th.color("ink"), bold=True)
        self._words_at(p, QRect(left, 33, width, 20), self._machine.kind, 15, th.color("soft"))
        fits = QFontMetrics(th.font(15, bold=True)).horizontalAdvance(self._words) <= width
        self._words_at(
            p,
            QRect(left, 53, width, 22),
            self._words if fits else self._short,
            15,
            th.color(STATE_COLOUR[self._state]),
            bold=True,
        )
        if self._step:
            self._words_at(p, QRect(left, 74, width, 20), self._step, 15, th.color("soft"))

    def _words_at(
        self,
        p: QPainter,
        box: QRect,
        words: str,
        px: int,
        colour: QColor,
        *,
        bold: bool = False,
        centre: bool = False,
    ) -> None:
        p.setFont(th.font(px, bold=bold))
        p.setPen(colour)
        words = QFontMetrics(p.font()).elidedText(words, Qt.TextElideMode.ElideRight, box.width())
        side = Qt.AlignmentFlag.AlignHCenter if centre else Qt.AlignmentFlag.AlignLeft
        p.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, words)


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
        self._cards: list[MachineCard] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(10, 16, 10, 12)
        self._layout.setSpacing(10)
        self._layout.addWidget(self._title)
        self._layout.addWidget(self._count)
        self._box = QVBoxLayout()
        self._box.setSpacing(8)
        self._layout.addLayout(self._box)
        self._layout.addStretch(1)
        self._places = [self._place_button(name, words) for name, words, _ in PLACES]
        self._narrow = False
        self.set_narrow(narrow=False)

    def set_narrow(self, *, narrow: bool) -> None:
        """Give the room to the piece when the window is small."""
        self._narrow = narrow
        self.setFixedWidth(NARROW if narrow else WIDE)
        self._layout.setContentsMargins(6 if narrow else 12, 16, 6 if narrow else 12, 12)
        self._count.setVisible(not narrow)
        self._title.setVisible(not narrow)  # the window's title says it too
        for card in self._cards:
            card.set_narrow(narrow=narrow)
        for button, (_, words, short) in zip(self._places, PLACES, strict=True):
            button.setText(short if narrow else words)

    def _place_button(self, name: str, words: str) -> Button:
        button = Button(words, lambda: self.place.emit(name), "rail")
        self._layout.addWidget(button)
        return button

    def show_shop(self, name: str, machines: list[tuple[Machine, list[Spoke], str]], current: str | None) -> None:
        """Fill the rail; each machine with its spokes and the step of its round, if one is under way."""
        self._title.say(name)
        due = sum(1 for _, spokes, _ in machines if any(s.state is not State.IN for s in spokes))
        plural = ngettext("machine", "machines", len(machines))
        self._count.say(f"{len(machines)} {plural} · {due} to look at" if due else f"{len(machines)} {plural} · all in")
        had_focus = any(card.hasFocus() for card in self._cards)
        for card in self._cards:
            self._box.removeWidget(card)
            card.hide()
            card.deleteLater()
        self._cards = []
        for machine, spokes, step in machines:
            card = MachineCard(machine, spokes, step)
            card.set_narrow(narrow=self._narrow)
            card.setChecked(machine.uid == current)
            card.clicked.connect(lambda _=False, uid=machine.uid: self.chosen.emit(uid))
            self._box.addWidget(card)
            self._cards.append(card)
            if had_focus and machine.uid == current:
                card.setFocus()
