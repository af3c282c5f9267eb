"""A machine's cable: its port, how it is spoken to, where it is, and what goes over the wire."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QFont
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from keen_compass.app.controller.jog_pad import JogPad
from keen_compass.app.parts import Button, Text, plain_combo
from keen_compass.app.port_link import LinkState, PortLink, as_lines
from keen_compass.errors import PortError
from keen_compass.language import marked, tr
from keen_compass.machines.dialect import Dialect
from keen_compass.machines.profile import Machine

if TYPE_CHECKING:
    from keen_compass.practice.wire import Controller

PRACTICE = marked("a practice controller")  # in the place of a port, where the machine has a stand-in
ANY = marked("Detect")  # of the languages
WORDS = {
    LinkState.CLOSED: (marked("Not connected."), "soft"),
    LinkState.BUSY: (marked("Asking…"), "ink"),
    LinkState.READY: (marked("Connected"), "good"),
    LinkState.RUNNING: (marked("A program is under way."), "warn"),
    LinkState.LOST: (marked("The cable is gone."), "bad"),
}


def as_it_stands(name: str) -> QPlainTextEdit:
    """Text of which every character counts, to be looked at."""
    text = QPlainTextEdit()
    text.setReadOnly(True)
    text.setTabChangesFocus(True)
    text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
    text.setAccessibleName(name)
    face = QFont("monospace")
    face.setStyleHint(QFont.StyleHint.Monospace)
    face.setPixelSize(15)
    text.setFont(face)
    return text


class CableView(QWidget):
    """`connected` with the language that it answered in; `wanted` to change how it is spoken to."""

    connected = Signal(object)
    wanted = Signal()

    def __init__(self, link: PortLink, machine: Machine, practice: Callable[[], Controller] | None = None) -> None:
        """practice: starts a practice controller, where the machine has a stand-in."""
        super().__init__()
        self._link, self._machine, self._practice = link, machine, practice
        self.port = plain_combo(tr("Port"))
        self.port.setEditable(True)
        edit = self.port.lineEdit()
        assert edit is not None
        edit.setAccessibleName(tr("Port"))
        edit.setPlaceholderText(tr("its port, like /dev/ttyUSB0"))
        edit.returnPressed.connect(self.connect_now)
        self.language = plain_combo(tr("Protocol"))
        self.go = Button(tr("Connect"), self.connect_now, "primary")
        self._state = Text("", 17, bold=True)
        self._trouble = Text()
        self.pad = JogPad(link, machine)
        self.wire = as_it_stands(tr("Traffic on the cable"))
        self._lay_out()
        link.changed.connect(self.refresh)
        link.told.connect(self._show_wire)
        self._offered = False
        self.refresh()

    def showEvent(self, event: object) -> None:
        """The ports are asked for when someone looks, and not before."""
        super().showEvent(event)  # type: ignore[arg-type]
        if not self._offered:
            self.offer()

    def _lay_out(self) -> None:
        line = QHBoxLayout()
        line.addWidget(self.port, 2)
        line.addWidget(self.language, 2)
        line.addWidget(Button(tr("Protocol…"), self.wanted.emit, "quiet"))
        line.addWidget(self.go)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(line)
        layout.addWidget(self._state)
        layout.addWidget(self._trouble)
        layout.addWidget(self.pad)
        layout.addWidget(self.wire, 1)

    def languages(self) -> Sequence[Dialect]:
        """In which it may answer: its own, else those that are known."""
        from keen_compass.controllers.practice_dialects import PRACTICE

        own = [self._machine.dialect] if self._machine.dialect else []
        return [*own, *(d for d in PRACTICE if d.name not in {o.name for o in own})]

    def offer(self) -> None:
        """The ports that are there now, and the languages."""
        from keen_compass.controllers.by_port import ports

        self._offered = True
        said = self.port.currentText() or self._machine.port
        self.port.clear()
        if self._practice is not None:
            self.port.addItem(tr(PRACTICE), PRACTICE)
        for path, words in ports():
            self.port.addItem(path, path)
            self.port.setItemData(self.port.count() - 1, words, 3)  # its tooltip
        self.port.setEditText(said)
        self.language.clear()
        self.language.addItem(tr(ANY), None)
        for dialect in self.languages():
            self.language.addItem(dialect.name, dialect.name)
        own = self._machine.dialect
        self.language.setCurrentIndex(max(self.language.findData(own.name if own else None), 0))

    def show_machine(self, machine: Machine) -> None:
        """Its profile as it is now."""
        self._machine = machine
        self.offer()

    def connect_now(self) -> None:
        """Open the port, or let go of it."""
        if self._link.state not in (LinkState.CLOSED, LinkState.LOST):
            self._link.close()
            return
        path, name = self.port.currentText().strip(), self.language.currentData()
        if path in (PRACTICE, tr(PRACTICE)) and self._practice is not None:
            self._link.practise(self._practice, self.connected.emit)
        elif path:
            some = [d for d in self.languages() if name in (None, d.name)]
            self._link.connect_to(path, some, self.connected.emit)

    def refresh(self) -> None:
        """How the cable is."""
        link = self._link
        words, colour = WORDS[link.state]
        words = tr(words)
        if link.ready and link.dialect is not None:  # also while it is asked where it is, four times a second
            _, colour = WORDS[LinkState.READY]
            words = f"{tr(WORDS[LinkState.READY][0])}: {link.path}, {link.dialect.name}."
        self._state.say(words, colour)
        trouble = link.trouble
        if isinstance(trouble, PortError):
            self._state.say(trouble.happened, "bad")
            self._trouble.say(f"{trouble.state} {trouble.way_on}")
        else:
            self._trouble.say(str(trouble) if trouble else "")
        open_now = link.state not in (LinkState.CLOSED, LinkState.LOST)
        self.go.name(tr("Disconnect") if open_now else tr("Connect"))
        for widget in (self.port, self.language):
            widget.setEnabled(not open_now)
        self._show_wire()

    def _show_wire(self) -> None:
        if self.isVisible():
            text = as_lines(list(self._link.exchanges)[-400:])
            if text != self.wire.toPlainText():
                self.wire.setPlainText(text)
                bar = self.wire.verticalScrollBar()
                bar.setValue(bar.maximum())
