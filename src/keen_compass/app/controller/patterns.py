"""How a controller is spoken to, filled in from examples seen on it: ask, look at the answer, make a pattern of it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keen_compass.app.parts import Button, Text, plain_combo, plain_line, scrolling
from keen_compass.app.port_link import PortLink
from keen_compass.errors import InputError
from keen_compass.language import marked, tr
from keen_compass.machines.dialect import BAUDS, ENDS, Dialect, pattern_from

# Field → (what it is, an example, whether it can be sent to see what comes).
FIELDS: dict[str, tuple[str, str, bool]] = {
    "name": (marked("Name"), marked("the router’s"), False),
    "hello": (marked("Identify command"), "", True),
    "greeting": (marked("Identification and greeting"), marked("{text} ready"), False),
    "acknowledged": (marked("Accepted reply"), "done", False),
    "refused": (marked("Error reply"), marked("no: {why}"), False),
    "alarm": (marked("Alarm message"), marked("halt: {why}"), False),
    "ask_listing": (marked("List settings command"), "", True),
    "listing_ends": (marked("End of settings, if not the accepted reply"), "", False),
    "set_value": (marked("Set value command"), marked("set {key} = {value}"), False),
    "ask_position": (marked("Position query"), "", True),
    "position": (marked("Position reply"), "at X{x} Y{y} Z{z}", False),
    "per_mm": (marked("Position units per mm"), "1", False),
    "jog": (marked("Jog command"), marked("jog {axis}{distance} F{feed}"), False),
    "stop": (marked("Stop command"), "\\x1b", False),
    "hold": (marked("Hold command"), "\\x13", False),
    "go_on": (marked("Resume command"), "\\x11", False),
    "off": (marked("Tool off command"), "M5", False),
    "alive": (marked("Live status query"), "", True),
    "idle": (marked("Status reply at rest"), "", False),
    "sync": (marked("Query after commands without a reply"), "", False),
    "group": (marked("Commands between queries"), "1", False),
    "ask_why": (marked("Error detail query"), "", False),
    "reset": (marked("Restart command"), "", False),
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
        self.baud = _combo(tr("Bits per second"), [(str(b), b) for b in BAUDS])
        self.ends = _combo(tr("Line ending"), [(e, e) for e in ENDS])
        self._said = Text(colour="bad")
        self.answer = Text("", colour="soft")
        inner = QWidget()
        grid = QGridLayout(inner)
        grid.setContentsMargins(0, 0, 8, 0)
        grid.setVerticalSpacing(4)
        for row, (name, (called, example, asks)) in enumerate(FIELDS.items()):
            words = tr(called)
            edit = self.edits[name] = plain_line(words, example)
            grid.addWidget(Text(words), row, 0)
            grid.addWidget(edit, row, 1)
            if asks:
                ask = Button(tr("Ask"), partial(self._ask, name), "quiet")
                ask.setAccessibleName(tr("Ask: {words}", words=words))
                grid.addWidget(ask, row, 2)
        grid.setColumnStretch(0, 4)
        grid.setColumnStretch(1, 5)
        speed = QHBoxLayout()
        for widget in (Text(tr("Bits per second")), self.baud, Text(tr("A line ends with")), self.ends):
            speed.addWidget(widget)
        buttons = QHBoxLayout()
        buttons.addWidget(self.answer, 1)
        buttons.addWidget(Button(tr("Cancel"), self.left.emit, "quiet"))
        buttons.addWidget(Button(tr("Save protocol"), self._keep, "primary"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(
            Text(
                tr(
                    "Text as it goes over the wire; {x} {y} {z} {key} {value} {why} for what changes in it, | "
                    "between several, \\x1b for a character that no key has. Ask sends a line and makes a "
                    "pattern of what comes."
                ),
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
                raise InputError(tr("type a number"), name) from None
        return replace(Dialect.from_json(body), baud=self.baud.currentData(), ends=self.ends.currentData())

    def _keep(self) -> None:
        try:
            found = self.dialect()
        except InputError as error:
            words = tr(FIELDS[error.place][0]) if error.place in FIELDS else error.place
            self._said.say(f"{words}: {error.message}.")
            if error.place in self.edits:
                self.edits[error.place].setFocus()
            return
        self.kept.emit(found)

    def _ask(self, name: str) -> None:
        """Send what is there, and make a pattern of what comes."""
        if not self._port:
            self._said.say(tr("Choose the port first, under Cable."))
            return
        self.answer.say(tr("Asking…"))
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
            self.answer.say(tr("No reply within a second. Try another speed or line ending."))
            return
        self.answer.say(tr("Reply: {lines}", lines=" | ".join(lines)[:160]))
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
