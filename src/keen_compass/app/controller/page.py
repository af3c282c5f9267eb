"""A controller's listing as text, with the known numbers lit in it; kept, compared, changed, put back."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QStackedWidget, QTextEdit, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.controller.cable import CableView, as_it_stands
from keen_compass.app.controller.known import KnownCard
from keen_compass.app.controller.model import ControllerModel
from keen_compass.app.controller.patterns import PatternsView
from keen_compass.app.controller.pointing import PointingBar
from keen_compass.app.controller.side_by_side import SideBySide, called
from keen_compass.app.parts import Button, Card, Line, PlacePage, Text, plain_combo, plain_line, scrolling
from keen_compass.app.port_link import PortLink
from keen_compass.errors import KeenCompassError
from keen_compass.language import marked, tr
from keen_compass.machines.dialect import Dialect
from keen_compass.shop.listings import Copy, copied, copies, keep
from keen_compass.shop.store import Shop

if TYPE_CHECKING:
    from keen_compass.practice.wire import Controller

BESIDE = 412  # px
TEXT, TWO, CABLE, PATTERNS = range(4)  # what is shown at the left
NEW, SHEET = marked("as it stands"), marked("the maker’s sheet")
OTHER_ENDS = str.maketrans({"\0": "�", "\u2028": "�", "\u2029": "�"})  # what a text field would take for a new line


class ControllerPage(PlacePage):
    """`left` when the technician goes back, `changed` when the logbook knows another number."""

    PLACE = "controller"
    changed = Signal()

    def __init__(self, shop: Shop, machine: str, link: PortLink) -> None:
        super().__init__()
        self.model = ControllerModel(shop, machine, link)
        practice = shop.stand_in(machine) is not None
        self.cable = CableView(link, self.model.machine, self._practice_controller if practice else None)
        self.cable.connected.connect(self._connected)
        self.cable.wanted.connect(self._show_patterns)
        self.patterns = PatternsView(link)
        self.patterns.kept.connect(self._keep_patterns)
        self.patterns.left.connect(lambda: self._show(CABLE))
        self.model.changed.connect(self.refresh)
        self.model.learnt.connect(self.changed)
        self._copies: list[Copy] = []
        self.file = plain_line(
            tr("File with its settings"),
            tr("a file with its settings: a listing, a macro, a copy of its configuration"),
        )
        self.file.returnPressed.connect(self.read)
        self.live = Button(tr("The controller loads this file"), self._say_live, "quiet")
        self.live.setCheckable(True)
        self._live_words = Text("", colour="soft")
        self.text = as_it_stands(tr("The listing"))
        self.text.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.pointing = PointingBar(self.model, self.text)
        self.beside = SideBySide(self.model)
        self._said = Text(colour="bad")
        self.known = KnownCard(self.model)
        self.reason = plain_line(tr("Reason"), tr("why, in a few words"), 200)
        self.reason.returnPressed.connect(self._keep)
        self.keep = Button(tr("Save a copy"), self._keep)
        self.keep_sheet = Button(tr("This is the maker’s sheet"), self._keep_sheet, "quiet")
        self.other = plain_combo(tr("Copy to compare with"))
        self.other.activated.connect(lambda _: self._choose_copy())
        self.back = Button(tr("Restore this copy"), self._put_back, "quiet")
        self.compare = Button(tr("Compare with it"), lambda: self._show(TWO))
        self._stack = self._stacked()
        self._lay_out()
        known = [*self.model.machine.files, *(c.origin for c in copies(shop, machine))]
        self.file.setText(next(filter(None, known), ""))
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("Controller of {name}", name=self.model.machine.name), th.TITLE, bold=True), 1)
        self._views = [
            Button(tr("As text"), lambda: self._show(TEXT), "quiet"),
            Button(tr("Side by side"), lambda: self._show(TWO), "quiet"),
            Button(tr("Cable"), lambda: self._show(CABLE), "quiet"),
        ]
        for button in self._views:
            button.setCheckable(True)
            head.addWidget(button)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        line = QHBoxLayout()
        line.addWidget(self.file, 1)
        line.addWidget(Button(tr("Open…"), self._choose, "quiet"))
        line.addWidget(Button(tr("Read it"), self.read, "primary"))
        self.ask = Button(tr("Read from the controller"), self.model.read_cable)
        line.addWidget(self.ask)
        column = QWidget()
        beside = QVBoxLayout(column)
        beside.setContentsMargins(0, 0, 8, 0)
        beside.setSpacing(10)
        beside.addWidget(self.known)
        beside.addWidget(self._copies_card())
        beside.addStretch(1)
        area = scrolling(column)
        area.setFixedWidth(BESIDE)
        self._area = area
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addWidget(self._stack, 1)
        body.addWidget(area)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        reads = QHBoxLayout()
        reads.addWidget(self.live)
        reads.addWidget(self._live_words, 1)
        self._of_file = QWidget()
        of_file = QVBoxLayout(self._of_file)
        of_file.setContentsMargins(0, 0, 0, 0)
        of_file.addLayout(line)
        of_file.addLayout(reads)
        layout.addWidget(self._of_file)
        layout.addWidget(self._said)
        layout.addLayout(body, 1)

    def _stacked(self) -> QStackedWidget:
        """What is shown at the left, in the order of its views."""
        written = QWidget()
        text = QVBoxLayout(written)
        text.setContentsMargins(0, 0, 0, 0)
        text.addWidget(self.text, 1)
        text.addWidget(self.pointing)
        stack = QStackedWidget()
        for widget in (written, self.beside, self.cable, self.patterns):
            stack.addWidget(widget)
        return stack

    def _copies_card(self) -> Card:
        kept = Card()
        inner = QVBoxLayout(kept)
        inner.setContentsMargins(16, 12, 16, 14)
        inner.setSpacing(8)
        inner.addWidget(Text(tr("Copies"), 17, bold=True))
        inner.addWidget(self.reason)
        for some in ((self.keep, self.keep_sheet), (self.other,), (self.compare, self.back)):
            row = QHBoxLayout()
            for widget in some:
                row.addWidget(widget)
            inner.addLayout(row)
        return kept

    def showEvent(self, event: object) -> None:
        """The keyboard begins at the file."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.file.setFocus()

    def _choose(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Its settings"), str(Path.home()))
        if name:
            self.file.setText(name)
            self.read()

    def read(self) -> None:
        """The file that is named, as it stands now; where its numbers differ from the logbook's, that is said."""
        self.model.read(self.file.text())

    def _say_live(self) -> None:
        self.model.say_live(self.model.file != self.model.machine.settings_file)

    def show_cable(self) -> None:
        """Its port, and moving by hand."""
        self._show(CABLE)

    def _show(self, view: int) -> None:
        self._stack.setCurrentIndex(view)
        self.known.setVisible(view == TEXT)
        for widget in (self._area, self._of_file):
            widget.setVisible(view in (TEXT, TWO))
        for i, button in enumerate(self._views):
            button.setChecked(i == view)
        if view == CABLE:
            self.cable.refresh()

    def _practice_controller(self) -> Controller:
        """One that holds what the logbook says."""
        from keen_compass.practice.wire import holding, stand_in

        m = self.model
        return stand_in(m.machine, holding(m.machine, {q: v.stored for q, v in m.shop.values(m.machine.uid).items()}))

    def _connected(self, dialect: Dialect) -> None:
        self.model.answered(dialect)
        self.cable.show_machine(self.model.machine)
        self.cable.pad.setFocus()
        if dialect.ask_listing:
            self.model.read_cable()

    def _show_patterns(self) -> None:
        self.model.link.close()
        self.patterns.show_dialect(self.model.machine.dialect, self.cable.port.currentText().strip())
        self._show(PATTERNS)

    def _keep_patterns(self, dialect: Dialect) -> None:
        self.model.attempt(lambda: self.model.keep_dialect(dialect, self.cable.port.currentText().strip()))
        self.cable.show_machine(self.model.machine)
        self._show(CABLE)

    def refresh(self) -> None:
        """Show what was read, what is known of it, and what is kept."""
        model = self.model
        self._said.say(model.trouble)
        self._said.setVisible(bool(model.trouble))
        if model.listing and self.text.toPlainText() != _as_shown(model.listing.text):
            self.text.setPlainText(_as_shown(model.listing.text))
        self._light()
        self.known.refresh()
        self.pointing.follow()
        own = bool(model.file) and model.file == model.machine.settings_file
        self.live.setChecked(own)
        self.live.setText(tr("✓ The controller loads this file") if own else tr("The controller loads this file"))
        self.live.setVisible(not model.by_cable)
        self.ask.setVisible(model.link.ready)
        self._live_words.say(
            tr("Read over the cable.")
            if model.by_cable
            else tr("What is written here is in the controller; each round begins by looking at it.")
            if own
            else tr("Turn it on only if it does; otherwise the file is read-only here and you enter values by hand.")
        )
        self.live.setEnabled(model.listing is not None and model.editable)
        self._copies = copies(model.shop, model.machine.uid)
        chosen = self.other.currentData()
        self.other.clear()
        for c in self._copies:
            self.other.addItem(called(c), c.uid)
        self.other.setCurrentIndex(max(self.other.findData(chosen), 0))
        for widget in (self.other, self.back, self.compare):
            widget.setVisible(bool(self._copies))
        for control in (self.keep, self.keep_sheet, self.reason):
            control.setEnabled(model.listing is not None and model.editable)
        self._follow_copy()
        self._show(self._stack.currentIndex())

    def _choose_copy(self) -> None:
        self._follow_copy()
        self._show(TWO)

    def _follow_copy(self) -> None:
        copy = self._chosen()
        self.beside.show_copy(copy, self._copies)
        try:
            same = copy is None or copied(self.model.shop, copy) == self.model.data
        except KeenCompassError:
            same = True
        read = self.model.listing is not None and self.model.editable
        self.back.setEnabled(read and not same and copy is not None and not copy.sheet)

    def _light(self) -> None:
        """The known numbers in the text: as the logbook has them, or not."""
        selections = []
        for one in self.model.found:
            assert self.model.listing is not None
            mark = QTextEdit.ExtraSelection()
            shade = QTextCharFormat()
            shade.setBackground(th.color("good_fill" if one.same else "warn_fill"))
            shade.setForeground(th.color("good" if one.same else "warn"))
            shade.setFontWeight(QFont.Weight.Bold)
            block = self.text.document().findBlockByNumber(one.line - 1)
            before = _as_shown(self.model.listing.text[: one.start]).rpartition("\n")[2]
            cursor = QTextCursor(block)
            cursor.setPosition(block.position() + _units(before))
            cursor.setPosition(cursor.position() + _units(one.text), QTextCursor.MoveMode.KeepAnchor)
            mark.cursor, mark.format = cursor, shade
            selections.append(mark)
        self.text.setExtraSelections(selections)

    def _keep(self) -> None:
        if self._keep_as(self.reason.text().strip() or tr(NEW), sheet=False):
            self.reason.clear()

    def _keep_sheet(self) -> None:
        self._keep_as(tr(SHEET), sheet=True)

    def _keep_as(self, reason: str, *, sheet: bool) -> bool:
        m = self.model
        return m.attempt(lambda: keep(m.shop, m.machine.uid, m.data, reason, m.file, sheet=sheet))

    def _chosen(self) -> Copy | None:
        uid = self.other.currentData()
        return next((c for c in self._copies if c.uid == uid), None)

    def _put_back(self) -> None:
        copy = self._chosen()
        if copy is not None:
            self.model.put_back(copied(self.model.shop, copy), copy.reason)


def _as_shown(text: str) -> str:
    """With the line ends that a text field has; as long as it was but for these."""
    return text.replace("\r\n", "\n").replace("\r", "\n").translate(OTHER_ENDS)


def _units(text: str) -> int:
    """How many places it takes in a text field, which counts in UTF-16."""
    return len(text.encode("utf-16-le", "surrogatepass")) // 2
