"""A maker's cutting chart read from CSV: which column says what is asked once, and shown at work before it counts."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text, plain_combo, scrolling
from keen_compass.app.round.choices import fill
from keen_compass.errors import KeenCompassError
from keen_compass.formats.chart_csv import FIELDS, Columns, Line, Table, guessed, read_table, understood
from keen_compass.formats.files import read_whole
from keen_compass.language import marked, tr, written
from keen_compass.machines.limits import LIMITS, PROCESS_SETTINGS
from keen_compass.machines.profile import Machine
from keen_compass.quantities.rates import FEEDS, usual_unit
from keen_compass.quantities.subjects import Subject
from keen_compass.shop.library import KerfEntry, Known, take_chart, used_by
from keen_compass.shop.store import Shop

LABELS = {
    "material": marked("Material"),
    "thickness": marked("Thickness"),
    "process": marked("Process"),
    "kerf": marked("Kerf"),
    "feed": marked("Feed"),
    "pierce_height": marked("Pierce height"),
    "cut_height": marked("Cut height"),
    "pierce_delay": marked("Pierce time, s"),
    "power": marked("Power, %"),
}
FIXED = ("material", "process")  # may hold for every line of a chart that has no column for them
NOWHERE = -1
TOLD = 3  # complaints that are shown
LARGEST_CHART = 5_000_000  # bytes


class ChartPanel(QWidget):
    """`done` when it was taken over, or not wanted."""

    done = Signal()

    def __init__(self, shop: Shop, machine: Machine) -> None:
        super().__init__()
        self._shop, self._machine = shop, machine
        self._table: Table | None = None
        self._lines: list[Line] = []
        self.file = QLineEdit()
        self.file.setPlaceholderText(tr("a CSV file"))
        self.file.returnPressed.connect(self._open)
        self.columns = {name: plain_combo(tr(LABELS[name])) for name in FIELDS if self._asked(name)}
        self.fixed = {name: QLineEdit() for name in FIXED if self._asked(name)}
        for name, edit in (
            (tr("File"), self.file),
            *((tr("{labels} of every line", labels=tr(LABELS[n])), e) for n, e in self.fixed.items()),
        ):
            edit.setAccessibleName(name)
            edit.setFont(th.font())
            edit.setMinimumHeight(th.HAND - 6)
        self.unit, self.half, self.feed = (
            plain_combo(tr("Lengths in")),
            plain_combo(tr("Kerf is")),
            plain_combo(tr("Feeds in")),
        )
        fill(self.unit, [("mm", "mm"), (tr("inches"), "in")], "mm" if machine.units == "mm" else "in")
        fill(self.half, [(tr("full width"), False), (tr("half width"), True)], False)
        fill(self.feed, [(name, name) for name in FEEDS], usual_unit(FEEDS, machine.units))
        for combo in (*self.columns.values(), self.unit, self.half, self.feed):
            combo.activated.connect(lambda _: self._look())
        for edit in self.fixed.values():
            edit.textEdited.connect(lambda _: self._look())
        self._understood = Text()
        self._trouble = Text(colour="bad")
        self.take = Button(tr("Import"), self._take, "primary")
        self._asks = QWidget()
        self._labels: dict[QWidget, Text] = {}
        self._lay_out()
        self._look()

    def _asked(self, name: str) -> bool:
        """A router has no pierce, and no process of its own."""
        if self._machine.kind.thermal:
            return name not in PROCESS_SETTINGS or name in used_by(self._machine)
        return name in ("material", "thickness", "kerf", "feed")

    def _lay_out(self) -> None:
        grid = QGridLayout(self._asks)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(1, 1)
        rows: list[tuple[str, QWidget]] = []
        for name, combo in self.columns.items():
            rows.append((tr(LABELS[name]), combo))
            if name in self.fixed:
                rows.append((tr("… of every line"), self.fixed[name]))
        rows += [(tr("Lengths in"), self.unit), (tr("Kerf is"), self.half), (tr("Feeds in"), self.feed)]
        for i, (words, widget) in enumerate(rows):
            label = Text(words, colour="soft")
            label.setWordWrap(False)
            self._labels[widget] = label
            grid.addWidget(label, i, 0)
            grid.addWidget(widget, i, 1)
        card = Card()
        inner = QVBoxLayout(card)
        inner.setContentsMargins(16, 12, 16, 14)
        inner.setSpacing(8)
        inner.addWidget(Text(tr("The maker’s cutting chart"), 18, bold=True))
        inner.addWidget(Text(tr("Its numbers become starting values. Say which column is what, once."), colour="soft"))
        line = QHBoxLayout()
        line.addWidget(self.file, 1)
        line.addWidget(Button(tr("Open…"), self._choose, "quiet"))
        inner.addLayout(line)
        inner.addWidget(self._understood)
        inner.addWidget(self._trouble)
        buttons = QHBoxLayout()
        buttons.addWidget(Button(tr("Cancel"), self.done.emit, "quiet"))
        buttons.addStretch(1)
        buttons.addWidget(self.take)
        inner.addLayout(buttons)
        inner.addWidget(self._asks)
        column = QWidget()
        outer = QVBoxLayout(column)
        outer.setContentsMargins(0, 0, 8, 0)
        outer.addWidget(card)
        outer.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolling(column))

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("The cutting chart"), str(Path.home()), tr("Tables (*.csv *.txt *.tsv)")
        )
        if name:
            self.file.setText(name)
            self._open()

    def _open(self) -> None:
        """Read the file that is named; which column is what is remembered by its headings, else guessed."""
        self._table = None
        try:
            data = read_whole(Path(self.file.text().strip()).expanduser(), LARGEST_CHART)
            self._table = read_table(data.decode("utf-8", "replace"))
        except KeenCompassError as error:
            self._look(tr("That is no cutting chart: {error}", error=error))
            return
        head = self._table.head
        guess = self._remembered(head) or guessed(head)
        for name, combo in self.columns.items():
            items: list[tuple[str, object]] = [
                (tr("no column says it"), (NOWHERE,)),
                *((h or tr("column {i}", i=i + 1), (i,)) for i, h in enumerate(head)),
            ]
            some = guess.get(name, (NOWHERE,))
            if len(some) > 1:
                items.append((tr(" and ").join(head[i] for i in some), some))
            fill(combo, items, some)
        self._look()
        next(iter(self.columns.values())).setFocus()

    def _remembered(self, head: tuple[str, ...]) -> dict[str, tuple[int, ...]]:
        """What was said of a chart with the same headings."""
        for kept in self._shop.things_of("chart_columns"):
            if tuple(kept["head"]) == head:
                return {name: tuple(columns) for name, columns in kept["columns"].items()}
        return {}

    def _how(self) -> Columns:
        columns = {
            name: c for name, combo in self.columns.items() if (c := tuple(combo.currentData() or ())) != (NOWHERE,)
        }
        fixed = {name: edit.text().strip() for name, edit in self.fixed.items()}
        return Columns(columns, fixed, self.unit.currentData(), self.feed.currentData(), self.half.currentData())

    def _look(self, trouble: str = "") -> None:
        """What would be taken over."""
        self._asks.setVisible(self._table is not None)
        for name, edit in self.fixed.items():  # only where no column says it
            wanted = tuple(self.columns[name].currentData() or ()) == (NOWHERE,)
            edit.setVisible(wanted)
            self._labels[edit].setVisible(wanted)
        self._lines, complaints = understood(self._table, self._how()) if self._table else ([], [])
        if self._lines:
            a = self._lines[0]
            name = " · ".join(part for part in (a.material, written(f"{a.thickness:g} mm"), a.process) if part)
            count = (
                tr("{n} lines understood", n=len(self._lines)) if len(self._lines) != 1 else tr("One line understood")
            )
            self._understood.say(
                tr("{count}. The first: {name}, kerf {kerf:.3g} mm.", count=count, name=name, kerf=a.kerf)
            )
        else:
            self._understood.say("")
        more = tr(" … and {n} more", n=len(complaints) - TOLD) if len(complaints) > TOLD else ""
        left_out = (
            tr("Left out: {complaints}{more}.", complaints="; ".join(complaints[:TOLD]), more=more)
            if complaints
            else ""
        )
        self._trouble.say(trouble or left_out)
        self.take.setEnabled(bool(self._lines) and not self._shop.read_only)

    def _take(self) -> None:
        entries = []
        for line in self._lines:
            subject = Subject(material=line.material, thickness=line.thickness, process=line.process)
            settings = {
                name: value
                for name, value in line.settings.items()
                if name in PROCESS_SETTINGS and LIMITS[name][0] <= value <= LIMITS[name][1]
            }
            entries.append(KerfEntry(subject, line.kerf, Known.CHARTED, settings=settings))
        try:
            take_chart(self._shop, self._machine.uid, entries)
            if self._table:
                body = {"name": self.file.text(), "head": list(self._table.head), "columns": self._how().columns}
                self._shop.put_things("chart_columns", {"\x1f".join(("columns", *self._table.head)): body})
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.done.emit()
