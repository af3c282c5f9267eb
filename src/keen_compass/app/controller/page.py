"""A controller's listing as text, with the known numbers lit in it; kept, compared, changed, put back."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtGui import QFont, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, Text, empty, scrolling
from keen_compass.app.stock.grid import day_of
from keen_compass.controllers.by_file import change
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.formats.listing import Listing, compared, read_listing, understood
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.stored import same_size
from keen_compass.shop.listings import Copy, Lit, copied, copies, keep, lit, typed_there
from keen_compass.shop.store import Shop
from keen_compass.solve.drive import explain_ratio
from keen_compass.words.say import say, show_for

BESIDE = 412  # px
MOST = 40  # differences that are shown
NEW, SHEET = "as it stands", "the maker’s sheet"


class ControllerPage(QWidget):
    """`left` when the technician goes back, `changed` when the logbook knows another number."""

    left = Signal()
    changed = Signal()

    def __init__(self, shop: Shop, machine: str) -> None:
        super().__init__()
        self._shop = shop
        self.machine = shop.machine(machine)
        self.listing: Listing | None = None
        self._data = b""
        self._read_from: Path | None = None
        self._copies: list[Copy] = []
        self.file = QLineEdit()
        self.file.setAccessibleName("File with its settings")
        self.file.setPlaceholderText("a file with its settings: a listing, a copy of its configuration")
        self.file.setMinimumHeight(th.HAND)
        self.file.setFont(th.font())
        self.file.returnPressed.connect(self.read)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName("The listing")
        face = QFont("monospace")
        face.setStyleHint(QFont.StyleHint.Monospace)
        face.setPixelSize(15)
        self.text.setFont(face)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self._said = Text(colour="bad")
        self._known = QVBoxLayout()
        self._known.setSpacing(8)
        self._reason = QLineEdit()
        self._reason.setAccessibleName("Why it is kept")
        self._reason.setPlaceholderText("why, in a few words")
        self._reason.setMinimumHeight(th.HAND)
        self._reason.setFont(th.font())
        self._reason.returnPressed.connect(self._keep)
        self.keep = Button("Keep a copy", self._keep)
        self.keep_sheet = Button("It is the maker’s sheet", self._keep_sheet, "quiet")
        self.other = QComboBox()
        self.other.setAccessibleName("Compare with")
        self.other.setFont(th.font())
        self.other.currentIndexChanged.connect(lambda _: self._compare())
        self.back = Button("Put this one back", self._put_back)
        self._differences = QVBoxLayout()
        self._differences.setSpacing(4)
        self._lay_out()
        newest = next(iter(copies(shop, machine)), None)
        if newest and newest.origin:
            self.file.setText(newest.origin)
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(f"Controller of {self.machine.name}", th.TITLE, bold=True), 1)
        head.addWidget(Button("Leave", self.left.emit, "quiet"))
        line = QHBoxLayout()
        line.addWidget(self.file, 1)
        line.addWidget(Button("Open…", self._choose, "quiet"))
        line.addWidget(Button("Read it", self.read, "primary"))
        known = Card()
        inner = QVBoxLayout(known)
        inner.setContentsMargins(16, 12, 16, 14)
        inner.addWidget(Text("What the logbook knows in it", 17, bold=True))
        inner.addLayout(self._known)
        kept = Card()
        inner = QVBoxLayout(kept)
        inner.setContentsMargins(16, 12, 16, 14)
        inner.setSpacing(8)
        inner.addWidget(Text("Copies", 17, bold=True))
        inner.addWidget(self._reason)
        buttons = QHBoxLayout()
        buttons.addWidget(self.keep)
        buttons.addWidget(self.keep_sheet)
        inner.addLayout(buttons)
        inner.addWidget(self.other)
        inner.addLayout(self._differences)
        inner.addWidget(self.back)
        column = QWidget()
        beside = QVBoxLayout(column)
        beside.setContentsMargins(0, 0, 8, 0)
        beside.setSpacing(10)
        beside.addWidget(known)
        beside.addWidget(kept)
        beside.addStretch(1)
        area = scrolling(column)
        area.setFixedWidth(BESIDE)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addWidget(self.text, 1)
        body.addWidget(area)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addLayout(line)
        layout.addWidget(self._said)
        layout.addLayout(body, 1)

    def showEvent(self, event: object) -> None:
        """The keyboard begins at the file."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.file.setFocus()

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Its settings", str(Path.home()))
        if name:
            self.file.setText(name)
            self.read()

    def read(self) -> None:
        """The file that is named, as it stands now; where its numbers differ from the logbook's, that is said."""

        def look() -> None:
            if not self.file.text().strip():
                raise InputError("name a file first")
            file = Path(self.file.text().strip()).expanduser()
            self.listing = read_listing(file)
            self._data, self._read_from = self.listing.as_bytes(), file

        self._attempt(look)

    def _attempt(self, run: Callable[[], object]) -> bool:
        """Do something, show it all anew; what is refused is said."""
        try:
            run()
        except KeenCompassError as error:
            self._said.say(str(error))
            return False
        self._said.say("")
        self.refresh()
        return True

    def refresh(self) -> None:
        """Show what was read, what is known of it, and what is kept."""
        self.machine = self._shop.machine(self.machine.uid)
        found = lit(self._shop, self.machine, self.listing) if self.listing else []
        if self.listing and self.text.toPlainText() != _as_shown(self.listing.text):
            self.text.setPlainText(_as_shown(self.listing.text))
        self._light(found)
        empty(self._known)
        for one in [one for one in found if not one.same]:
            self._known.addWidget(self._row(one))
        if same := [QUANTITIES[one.quantity].label for one in found if one.same]:
            self._known.addWidget(Text(f"The same in both: {', '.join(same)}.", colour="good"))
        if not found:
            words = (
                "None of its names is known: they stand in the machine’s profile." if self.listing else "Read a file."
            )
            self._known.addWidget(Text(words, colour="soft"))
        self._copies = copies(self._shop, self.machine.uid)
        chosen = self.other.currentData()
        self.other.blockSignals(True)
        self.other.clear()
        for c in self._copies:
            self.other.addItem(f"{day_of(c.at)}: {SHEET if c.sheet else c.reason}", c.uid)
        self.other.setCurrentIndex(max(self.other.findData(chosen), 0))
        self.other.blockSignals(False)
        for widget in (self.other, self.back):
            widget.setVisible(bool(self._copies))
        may_keep = self.listing is not None and not self._shop.read_only
        for control in (self.keep, self.keep_sheet, self._reason):
            control.setEnabled(may_keep)
        self._compare()

    def _light(self, found: list[Lit]) -> None:
        """The known numbers in the text: as the logbook has them, or not."""
        selections = []
        for one in found:
            mark = QTextEdit.ExtraSelection()
            shade = QTextCharFormat()
            shade.setBackground(th.color("good_fill" if one.same else "warn_fill"))
            shade.setForeground(th.color("good" if one.same else "warn"))
            shade.setFontWeight(QFont.Weight.Bold)
            cursor = QTextCursor(self.text.document().findBlockByNumber(one.entry.line - 1))
            assert self.listing is not None
            before = self.listing.text[: one.entry.start].replace("\r\n", "\n").replace("\r", "\n")
            cursor.movePosition(
                QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.MoveAnchor, len(before.rpartition("\n")[2])
            )
            cursor.movePosition(
                QTextCursor.MoveOperation.Right, QTextCursor.MoveMode.KeepAnchor, len(one.entry.value)
            )  # fmt: skip
            mark.cursor, mark.format = cursor, shade
            selections.append(mark)
        self.text.setExtraSelections(selections)

    def _row(self, one: Lit) -> QWidget:
        """A known number that differs: as it stands here, as the logbook has it, and what can be done."""
        row = QWidget()
        layout = QVBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        label = QUANTITIES[one.quantity].label
        place = self.machine.place(one.quantity)
        layout.addWidget(Text(f"{label}: {one.entry.value}", bold=True, colour="warn"))
        if one.held is None:
            layout.addWidget(Text("The logbook knows no number of it.", colour="soft"))
        else:
            ours = place.text(one.held.stored)
            layout.addWidget(Text(f"The logbook says {ours} since {day_of(one.held.at)}.{self._looks_like(one)}"))
        buttons = QHBoxLayout()
        take = Button(f"{one.entry.value} is in it", partial(self._take, one), "quiet")
        take.setAccessibleName(f"{label}: {one.entry.value} is in the controller")
        offered = [take]
        if one.held is not None:
            write = Button(f"Write {place.text(one.held.stored)}", partial(self._write, one))
            write.setAccessibleName(f"{label}: write {place.text(one.held.stored)} into the file")
            offered.insert(0, write)
        for button in offered:
            button.setEnabled(not self._shop.read_only)
            buttons.addWidget(button)
        layout.addLayout(buttons)
        return row

    def _looks_like(self, one: Lit) -> str:
        """What a difference between two resolutions may be: a switch, teeth, inches."""
        assert one.held is not None
        try:
            here = typed_there(self.machine, one)
        except InputError:
            return ""
        ratio = same_size(one.held.stored, here)
        why = explain_ratio(ratio, 1.0) if ratio > 0 else None
        if why is None:
            return ""
        return f" {ratio:.3g} times as much: {say(why.values['cause'], show_for(self.machine))}"

    def _write(self, one: Lit) -> None:
        """The logbook's number into the file; the file as it stood is kept before."""

        def run() -> None:
            assert self.listing is not None
            assert one.held is not None
            text = self.machine.place(one.quantity).text(one.held.stored)
            after = self.listing.changed({self._name(one): text})
            self._replace(after, f"Before {QUANTITIES[one.quantity].label} became {text}")

        self._attempt(run)

    def _name(self, one: Lit) -> str:
        return self.machine.place(one.quantity).key

    def _replace(self, after: bytes, reason: str) -> None:
        """Other bytes into the file, whole or not at all."""
        assert self._read_from is not None
        keep(self._shop, self.machine.uid, self._data, reason, str(self._read_from))
        change(self._read_from, self._data, after)
        self.listing, self._data = understood(after), after

    def _take(self, one: Lit) -> None:
        """The controller really holds what stands here: the logbook learns it."""

        def run() -> None:
            self._shop.put_value(
                self.machine.uid, one.quantity, typed_there(self.machine, one), "typed", subject=self.machine.subject
            )

        if self._attempt(run):
            self.changed.emit()

    def _keep(self) -> None:
        reason = self._reason.text().strip() or NEW
        if self._attempt(lambda: keep(self._shop, self.machine.uid, self._data, reason, str(self._read_from or ""))):
            self._reason.clear()

    def _keep_sheet(self) -> None:
        self._attempt(lambda: keep(
            self._shop, self.machine.uid, self._data, SHEET, str(self._read_from or ""), sheet=True
        ))  # fmt: skip

    def _chosen(self) -> Copy | None:
        uid = self.other.currentData()
        return next((c for c in self._copies if c.uid == uid), None)

    def _compare(self) -> None:
        """What differs between the chosen copy and what was read."""
        empty(self._differences)
        copy = self._chosen()
        self.back.setEnabled(False)
        if copy is None or self.listing is None:
            return
        try:
            there = understood(copied(self._shop, copy))
        except KeenCompassError as error:
            self._differences.addWidget(Text(str(error), colour="bad"))
            return
        found = compared(there, self.listing)
        lines = [(f"{a.key}: {a.value} → {b.value}", True) for a, b in found.changed]
        lines += [(f"{e.key}: {e.value}, only there", False) for e in found.only_a]
        lines += [(f"{e.key}: {e.value}, only here", False) for e in found.only_b]
        for words, large in lines[:MOST]:
            self._differences.addWidget(Text(words, 18 if large else th.TEXT, bold=large))
        if len(lines) > MOST:
            self._differences.addWidget(Text(f"and {len(lines) - MOST} more", colour="soft"))
        if not lines:
            self._differences.addWidget(Text("Nothing differs.", colour="soft"))
        same = copied(self._shop, copy) == self._data
        self.back.setEnabled(not same and not self._shop.read_only and not copy.sheet)

    def _put_back(self) -> None:
        copy = self._chosen()
        if copy is not None:
            self._attempt(lambda: self._replace(copied(self._shop, copy), f"Before {copy.reason} was put back"))


def _as_shown(text: str) -> str:
    """With the line ends that a text field has."""
    return text.replace("\r\n", "\n").replace("\r", "\n").replace("\0", "�")
