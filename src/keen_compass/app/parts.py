"""Small widgets and painting shared by the screens."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFocusEvent, QFontMetrics, QPainter, QPainterPath, QPalette, QPen
from PySide6.QtWidgets import QFrame, QLabel, QLayout, QPushButton, QScrollArea, QSizePolicy, QWidget

from keen_compass.app import theme as th
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import State

# Arrow key → (right, away) as the technician sees it.
ARROWS = {Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
STATE_COLOUR = {
    State.IN: "good",
    State.OUT: "bad",
    State.CANNOT_TELL: "warn",
    State.RECHECK: "warn",
    State.NEVER: "soft",
}
if TYPE_CHECKING:
    from PySide6.QtWidgets import QComboBox, QLineEdit, QSpinBox

VERDICT_STATE = {
    Verdict.IN: State.IN,
    Verdict.OUT: State.OUT,
    Verdict.CANNOT_TELL: State.CANNOT_TELL,
    Verdict.IMPLAUSIBLE: State.RECHECK,
    Verdict.UNRESOLVED: State.NEVER,
}


class Text(QLabel):
    """Words on a surface, in a colour of the theme."""

    def __init__(self, words: str = "", px: int = th.TEXT, colour: str = "ink", *, bold: bool = False) -> None:
        super().__init__(words)
        self._worn: tuple[th.Theme, str] | None = None
        self._heights: dict[int, int] = {}
        self._set = ""
        self.set_size(px, bold=bold)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(True)
        self.set_colour(colour)

    def set_size(self, px: int, *, bold: bool = False) -> None:
        """Write in letters of another size."""
        self._heights = {}
        self.setFont(th.font(px, bold=bold))

    def set_colour(self, colour: str) -> None:
        """Another colour of the theme."""
        if (th.theme(), colour) != self._worn:  # to ask the palette would cost a millisecond at every keystroke
            self._worn = th.theme(), colour
            _colour_words(self, colour)

    def heightForWidth(self, width: int) -> int:
        """Remembered: layouts within layouts ask some twenty times, and Qt would set the words again each time."""
        if (words := self.text()) != self._set:
            self._set, self._heights = words, {}
        if width not in self._heights:
            self._heights[width] = super().heightForWidth(width)
        return self._heights[width]

    def showEvent(self, event: object) -> None:
        """The style sheet that is laid on when it is shown first takes a palette that was set before with it."""
        super().showEvent(event)  # type: ignore[arg-type]
        if self._worn:
            _colour_words(self, self._worn[1])

    def say(self, words: str, colour: str | None = None) -> None:
        """Change the words, and the colour where given; hidden while there is nothing to say."""
        if self.text() != words:
            self.setText(words)
        if colour:
            self.set_colour(colour)
        self.setVisible(bool(words))


def _colour_words(label: QLabel, colour: str) -> None:
    """Through the palette: a style sheet of its own would cost each label a parse."""
    palette = label.palette()
    if palette.color(QPalette.ColorRole.WindowText) == th.color(colour):
        return
    palette.setColor(QPalette.ColorRole.WindowText, th.color(colour))
    label.setPalette(palette)


def tip(widget: QWidget, words: str) -> None:
    """A tooltip; set only where it changed, because Qt tells every listener."""
    if widget.toolTip() != words:
        widget.setToolTip(words)


def empty(layout: QLayout) -> None:
    """Take everything out, rows within it, too; it is gone from the screen at once."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            continue
        if widget := item.widget():
            widget.hide()
            widget.deleteLater()  # not before the key or click is over that may have asked for this
        elif inner := item.layout():
            empty(inner)


def sentence(words: str) -> str:
    """With a capital at the start, and every other letter as it was: ``−X side`` stays."""
    return words[:1].upper() + words[1:]


class Line(QLabel):
    """One line that is cut with an ellipsis, never wrapped; the whole text is in the tooltip."""

    def __init__(self, words: str = "", px: int = th.TEXT, colour: str = "ink", *, bold: bool = False) -> None:
        super().__init__()
        self.setFont(th.font(px, bold=bold))
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._words, self._colour = words, colour
        self.say(words)

    def say(self, words: str, colour: str | None = None) -> None:
        """Change the words, and the colour where given."""
        same = words == self._words and bool(self.text())
        self._words, self._colour = words, colour or self._colour
        _colour_words(self, self._colour)
        if not same:
            self._elide()

    def resizeEvent(self, event: object) -> None:
        """Cut to the new width."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._elide()

    def _elide(self) -> None:
        metrics = QFontMetrics(self.font())
        shown = metrics.elidedText(self._words, Qt.TextElideMode.ElideRight, max(self.width() - 2, 10))
        super().setText(shown)
        self.setAccessibleName(self._words)
        tip(self, self._words if shown != self._words else "")


class Button(QPushButton):
    """A button a gloved hand can hit. kind: "", primary or quiet."""

    def __init__(self, words: str, run: Callable[[], object], kind: str = "", icon: str = "") -> None:
        super().__init__()
        self.setFont(th.font(th.TEXT, bold=kind == "primary"))
        self.setObjectName(kind)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAutoDefault(True)  # Return presses it, as people at a keyboard expect
        self._gap = " " if icon else ""  # an icon keeps its distance
        if icon:
            self.setIcon(th.icon(icon, "card" if kind == "primary" else "ink"))
            self.setIconSize(QSize(22, 22))
        self.name(words)
        self.clicked.connect(lambda _=False: run())

    def name(self, words: str) -> None:
        """What it says to whoever can't see it."""
        self.setText(f"{self._gap}{words}")
        self.setAccessibleName(words)

    def keyPressEvent(self, event: object) -> None:
        """Return and Enter press the button that has the focus."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):  # type: ignore[attr-defined]
            self.click()
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]


def plain_combo(name: str) -> QComboBox:
    """A combo box that doesn't force its column wider than it must be."""
    from keen_compass.app.combo import Combo  # late: the first screen has none

    combo = Combo(name)
    combo.setFont(th.font())
    return combo


def plain_line(name: str, hint: str = "", most: int = 32_767) -> QLineEdit:
    """A line to type into, as high as a hand needs. hint: is in it while it is empty; most: letters."""
    from PySide6.QtWidgets import QLineEdit  # late: the first screen has none

    line = QLineEdit()
    line.setAccessibleName(name)
    line.setPlaceholderText(hint)
    line.setFont(th.font())
    line.setMinimumHeight(th.HAND)
    line.setMaxLength(most)
    return line


def plain_count(name: str, most: int) -> QSpinBox:
    """How many, from one: typed, or with the arrow keys; no arrows to hit, a hand in a glove can't."""
    from PySide6.QtWidgets import QSpinBox

    count = QSpinBox()
    count.setRange(1, most)
    count.setSuffix(" ×")
    count.setKeyboardTracking(False)
    count.setAlignment(Qt.AlignmentFlag.AlignHCenter)
    count.setFont(th.font())
    count.setMinimumHeight(th.HAND)
    for widget in (count, count.lineEdit()):
        widget.setAccessibleName(name)
    return count


class PlacePage(QWidget):
    """A page of the window that is no round. `left` says that it is closed."""

    left = Signal()
    PLACE = ""  # what it is called, as in the manual

    def refresh(self) -> None:
        """Show what is kept now, where that may have changed meanwhile."""

    def toggle_floor(self) -> bool:
        """Readable from three metres, or as usual again; whether it is the former, which few pages can be."""
        return False

    def step_back(self) -> bool:
        """What Escape does within the page; False where it leaves the page."""
        return False


class ShowsFocus(QWidget):
    """A widget that paints itself, and differently with the keyboard."""

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Draw the frame of what has the keyboard."""
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Take that frame away."""
        super().focusOutEvent(event)
        self.update()


class Card(QFrame):
    """A sheet of paper on the desk."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")


def scrolling(widget: QWidget, area: QScrollArea | None = None) -> QScrollArea:
    """A widget in an area, or a new one, that scrolls up and down only and takes no keyboard itself."""
    area = area or QScrollArea()
    area.setWidget(widget)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return area


def painter_on_card(widget: QWidget) -> QPainter:
    """A painter for a widget that draws itself, with the sheet of a card laid already."""
    p = QPainter(widget)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(th.color("line"), 1))
    p.setBrush(th.color("card"))
    p.drawRoundedRect(QRectF(widget.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 10, 10)
    return p


def draw_state(p: QPainter, state: State, at: QPointF, r: float, colour: QColor, behind: QColor) -> None:
    """The sign of a state: its shape says it without the colour."""
    p.save()
    p.setPen(QPen(colour, max(1.6, r / 3.2)))
    p.setBrush(colour)
    match state:
        case State.IN:  # full disc
            p.drawEllipse(at, r, r)
        case State.OUT:  # full triangle
            path = QPainterPath(at + QPointF(0, -1.25 * r))
            path.lineTo(at + QPointF(1.2 * r, 0.9 * r))
            path.lineTo(at + QPointF(-1.2 * r, 0.9 * r))
            path.closeSubpath()
            p.drawPath(path)
        case State.CANNOT_TELL:  # half disc
            p.setBrush(behind)
            p.drawEllipse(at, r, r)
            p.setBrush(colour)
            p.drawPie(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r), 90 * 16, 180 * 16)
        case State.RECHECK:  # open square
            p.setBrush(behind)
            p.drawRect(QRectF(at.x() - r, at.y() - r, 2 * r, 2 * r))
        case State.NEVER:  # dotted ring
            p.setBrush(behind)
            p.setPen(QPen(colour, 1.6, Qt.PenStyle.DotLine))
            p.drawEllipse(at, r, r)
    p.restore()


class StateSign(QWidget):
    """The sign of a state as a widget."""

    def __init__(self, state: State = State.NEVER, size: int = 22) -> None:
        super().__init__()
        self._state, self._colour, self._behind = state, STATE_COLOUR[state], "card"
        self.setFixedSize(size, size)

    def show_state(self, state: State, behind: str = "card") -> None:
        """Another state, on another surface."""
        self._state, self._colour, self._behind = state, STATE_COLOUR[state], behind
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Draw it."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2, self.height() / 2)
        draw_state(p, self._state, middle, self.width() * 0.32, th.color(self._colour), th.color(self._behind))
