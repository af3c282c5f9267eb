"""How a controller is spoken to, filled in from examples seen on it: ask, look at the answer, make a pattern of it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keen_compass.app.parts import Button, Text, plain_combo, plain_line, scrolling
from keen_compass.app.port_link import PortLink
from keen_compass.errors import InputError
from keen_compass.machines.dialect import BAUDS, ENDS, Dialect, pattern_from

# Field → (what it is, an example, whether it can be sent to see what comes).
FIELDS: dict[str, tuple[str, str, bool]] = {
    "name": ("Name", "the router’s", False),
    "hello": ("Identify command", "", True),
    "greeting": ("Identification and greeting", "{text} ready", False),
    "acknowledged": ("Accepted reply", "done", False),
    "refused": ("Error reply", "no: {why}", False),
    "alarm": ("Alarm message", "halt: {why}", False),
    "ask_listing": ("List settings command", "", True),
    "listing_ends": ("End of settings, if not the accepted reply", "", False),
    "set_value": ("Set value command", "set {key} = {value}", False),
    "ask_position": ("Position query", "", True),
    "position": ("Position reply", "at X{x} Y{y} Z{z}", False),
    "per_mm": ("Position units per mm", "1", False),
    "jog": ("Jog command", "jog {axis}{distance} F{feed}", False),
    "stop": ("Stop command", "\\x1b", False),
    "hold": ("Hold command", "\\x13", False),
    "go_on": ("Resume command", "\\x11", False),
    "off": ("Tool off command", "M5", False),
    "alive": ("Live status query", "", True),
    "idle": ("Status reply at rest", "", False),
    "sync": ("Query after commands without a reply", "", False),
    "group": ("Commands between queries", "1", False),
    "ask_why": ("Error detail query", "", False),
    "reset": ("Restart command", "", False),
}
FROM_ANSWER = {"hello": "greeting", "ask_position": "position", "ask_listing": "listing_ends", "alive": "idle"}
NUMBERS = {"per_mm": float, "group": int}


class PatternsView(QWidget):
    """`kept` carries the dialect; `left` without keeping anything."""

    kept = Signal(object)
    left = Signal()

    def __init__(self, link: PortLink) -> None:
        super().__init__()
        self._link = link
        self._port = ""
        self.edits: dict[str, QLineEdit] = {}
        self.baud = _combo("Bits per second", [(str(b), b) for b in BAUDS])
        self.ends = _combo("Line ending", [(e, e) for e in ENDS])
        self._said = Text(colour="bad")
        self.answer = Text("", colour="soft")
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setVerticalSpacing(4)
        for row, (name, (words, example, asks)) in enumerate(FIELDS.items()):
            edit = self.edits[name] = plain_line(words, example)
            grid.addWidget(Text(words), row, 0)
            grid.addWidget(edit, row, 1)
            if asks:
                ask = Button("Ask", partial(self._ask, name), "quiet")
                ask.setAccessibleName(f"Ask: {words}")
                grid.addWidget(ask, row, 2)
        grid.setColumnStretch(0, 4)
        grid.setColumnStretch(1, 5)
        speed = QHBoxLayout()
        for widget in (Text("Bits per second"), self.baud, Text("A line ends with"), self.ends):
            speed.addWidget(widget)
        buttons = QHBoxLayout()
        buttons.addWidget(self.answer, 1)
        buttons.addWidget(Button("Cancel", self.left.emit, "quiet"))
        buttons.addWidget(Button("Save protocol", self._keep, "primary"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(
            Text(
                "Text as it goes over the wire; {x} {y} {z} {key} {value} {why} for what changes in it, | between "
                "several, \\x1b for a character that no key has. Ask sends a line and makes a pattern of what comes.",
                colour="soft",
            )
        )
        layout.addLayout(speed)
        layout.addWidget(scrolling(inner), 1)
        layout.addWidget(self._said)
        layout.addLayout(buttons)

    def show_dialect(self, dialect: Dialect | None, port: str) -> None:
        """Those of the profile; empty where it has none. port: at which one is asked."""
        self._port = port
        body = dialect.to_json() if dialect else {"group": 1, "per_mm": 1.0, "ends": "\\n", "baud": BAUDS[0]}
        for name, edit in self.edits.items():
            value = body.get(name, "")
            edit.setText(f"{value:g}" if isinstance(value, float) else str(value))
        self.baud.setCurrentIndex(max(self.baud.findData(body["baud"]), 0))
        self.ends.setCurrentIndex(max(self.ends.findData(body["ends"]), 0))
        self._said.say("")
        self.answer.say("")

    def dialect(self) -> Dialect:
        """What is filled in. Raises InputError naming the field."""
        body: dict[str, object] = {name: edit.text() for name, edit in self.edits.items()}
        for name, kind in NUMBERS.items():
            try:
                body[name] = kind(str(body[name] or 1))
            except ValueError:
                raise InputError("type a number", name) from None
        return replace(Dialect.from_json(body), baud=self.baud.currentData(), ends=self.ends.currentData())

    def _keep(self) -> None:
        try:
            found = self.dialect()
        except InputError as error:
            words = FIELDS[error.place][0] if error.place in FIELDS else error.place
            self._said.say(f"{words}: {error.message}.")
            if error.place in self.edits:
                self.edits[error.place].setFocus()
            return
        self.kept.emit(found)

    def _ask(self, name: str) -> None:
        """Send what is there, and make a pattern of what comes."""
        if not self._port:
            self._said.say("Choose the port first, under Cable.")
            return
        self.answer.say("Asking…")
        self._link.raw(
            self._port,
            self.edits[name].text(),
            self.baud.currentData(),
            self.ends.currentData(),
            partial(self._answered, name),
        )

    def _answered(self, name: str, lines: list[str]) -> None:
        self._link.close()
        if not lines:
            self.answer.say("No reply within a second. Try another speed or line ending.")
            return
        self.answer.say(f"Reply: {' | '.join(lines)[:160]}")
        into = self.edits[FROM_ANSWER[name]]
        if not into.text().strip():
            last = name == "ask_listing"
            into.setText(lines[-1] if last else pattern_from(lines[0]) if name == "ask_position" else lines[0])
        known = self.edits["acknowledged"]
        if len(lines) > 1 and not known.text().strip():
            known.setText(lines[-1])


def _combo(name: str, items: list[tuple[str, object]]) -> QComboBox:
    combo = plain_combo(name)
    for words, data in items:
        combo.addItem(words, data)
    return combo
