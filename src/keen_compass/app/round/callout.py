"""A callout: the number on a dimension line, which is also where it is typed."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QGuiApplication, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QLineEdit, QWidget

from keen_compass.app import theme as th
from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.rounds.half_typed import LONGEST_DRAFT, Callout
from keen_compass.words.say import PLAIN, say, show_for

WIDTH, HEIGHT = 158, 66


class BoxSize(NamedTuple):
    """Of a box, and of the number and the name in it; px."""

    width: int = WIDTH
    height: int = HEIGHT
    number: int = th.CALLOUT
    name: int = th.TEXT


FULL = BoxSize()
SMALL = BoxSize(124, 52, 20, 13)  # where the picture is so small that full boxes would cover it


class CalloutEdit(QLineEdit):
    """Enter keeps, Backspace on nothing takes back, Up and Down go to another callout."""

    kept = Signal()
    taken_back = Signal()
    stepped = Signal(int)
    pasted = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFont(th.font(th.CALLOUT, bold=True))
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setMaxLength(2 * LONGEST_DRAFT)
        self.setFrame(False)
        self.setStyleSheet("QLineEdit, QLineEdit:focus { border: none; background: transparent; padding: 0; }")

    def event(self, event: QEvent) -> bool:
        """Undo and redo belong to the round, not to the field."""
        if event.type() == QEvent.Type.ShortcutOverride:
            for key in (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo):
                if isinstance(event, QKeyEvent) and event.matches(key):
                    event.ignore()
                    return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """The few keys with a meaning of their own."""
        key = event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.kept.emit()
        elif key == Qt.Key.Key_Backspace and not self.text():
            self.taken_back.emit()
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.stepped.emit(-1 if key == Qt.Key.Key_Up else 1)
        elif event.matches(QKeySequence.StandardKey.Paste) and len(QGuiApplication.clipboard().text()) > LONGEST_DRAFT:
            self.pasted.emit(QGuiApplication.clipboard().text())
        else:
            super().keyPressEvent(event)


class CalloutBox(QWidget):
    """The box on the dimension line: number, name, how many of how many."""

    clicked = Signal(str)

    def __init__(self, parent: QWidget, width: int = WIDTH) -> None:
        super().__init__(parent)
        self.edit = CalloutEdit(self)
        self.take_size(BoxSize(width))
        self._callout: Callout | None = None
        self._show = PLAIN
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def take_size(self, size: BoxSize) -> None:
        """Number above, name below."""
        self._size = size
        self.resize(size.width, size.height)
        self.edit.setFont(th.font(size.number, bold=True))
        self.edit.setGeometry(6, 4, size.width - 12, size.number + 10)

    def show_callout(self, callout: Callout, machine: Machine, *, frozen: bool) -> None:
        """What is on it now, as the machine's technician sees it."""
        self._callout, self._show = callout, show_for(machine)
        current = callout.current and not frozen
        text = callout.draft
        if not current:
            text = callout.draft or (callout.readings[-1].text if callout.readings else "")
        if self.edit.text() != text:
            self.edit.setText(text)
        self.edit.setReadOnly(not current)
        self.edit.setFocusPolicy(Qt.FocusPolicy.StrongFocus if current else Qt.FocusPolicy.NoFocus)
        self.edit.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents, not current)
        m = callout.measurand
        nominal = m.unit == "mm" and not m.signed and m.usual is None
        ordered = tr(", nominal {length}", length=show_length(m.nominal, machine.units)) if nominal else ""
        self.edit.setAccessibleName(f"{say(m.label, self._show)}{ordered}, {self._count()}".removesuffix(", "))
        asks = tr("Doesn’t fit the other readings") if callout.doubtful else ""
        self.edit.setAccessibleDescription(callout.complaint or asks or say(m.hint, self._show))
        usual = "" if m.usual is None else written(f"{m.usual:g}")
        self.edit.setPlaceholderText(usual or ("" if current else "–"))
        self.update()

    def _count(self) -> str:
        c = self._callout
        if c is None:
            return ""
        if c.skipped:
            return tr("can’t be read")
        done = len(c.readings)
        if c.wanted == 1 and done <= 1:
            return c.measurand.unit if c.measurand.unit != "mm" or c.measurand.usual is not None else ""
        if c.current and done < c.wanted:
            done += 1
        return tr("{done} of {of}", done=done, of=max(c.wanted, len(c.readings)))

    def paintEvent(self, _event: object) -> None:
        """Draw the box; hatched where it can't be read, and the border says whose turn it is."""
        c = self._callout
        if c is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        complete = len(c.readings) >= c.wanted
        edge, width = ("focus", 3.0) if c.current else (("good", 2.0) if complete else ("soft", 1.5))
        if c.doubtful and not c.current:
            edge, width = "warn", 3.0
        if c.complaint:
            edge, width = "bad", 3.0
        frame = QRectF(self.rect()).adjusted(2, 2, -2, -2)
        p.setPen(QPen(th.color(edge), width))
        p.setBrush(th.color("card"))
        p.drawRoundedRect(frame, 7, 7)
        if c.skipped:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QBrush(th.color("line"), Qt.BrushStyle.BDiagPattern))
            p.drawRoundedRect(frame, 7, 7)
        p.setFont(th.font(self._size.name))
        p.setPen(th.color("ink" if c.current else "soft"))
        count = self._count()
        label = say(c.measurand.label, self._show) + (" ?" if c.doubtful else "")
        words = f"{label} · {count}" if count else label
        words = tr("can’t be read") if c.skipped else words
        area = QRectF(0, self._size.number + 12, self.width(), self.height() - self._size.number - 16)
        if p.fontMetrics().horizontalAdvance(words) > self.width() - 18:
            words = f"{label} {self._count().replace(tr(' of '), '/')}"
        p.drawText(area, Qt.AlignmentFlag.AlignCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """A click anywhere on the box goes there."""
        if self._callout:
            self.clicked.emit(self._callout.measurand.name)
        event.accept()
