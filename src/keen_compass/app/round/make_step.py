"""Make: size, tool, instrument, place on the bed; then the file, or the stand-in."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, Text, plain_combo, plain_line
from keen_compass.app.round import words
from keen_compass.app.round.bed_canvas import BedCanvas
from keen_compass.app.round.choices import ChoicesBar, fill
from keen_compass.app.round.dry_run_bar import DryRunBar
from keen_compass.app.round.instrument_bar import InstrumentBar
from keen_compass.app.round.loaded_bar import LoadedBar
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.worn_bar import WornBar
from keen_compass.formats.files import file_stem
from keen_compass.language import tr
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.notes import Note
from keen_compass.rounds.room import room
from keen_compass.shop.marks import FileWritten
from keen_compass.words.say import say
from keen_compass.words.sending import room_in_words


class MakeStep(QWidget):
    """Also the first half of Confirm, where the size is that of the piece before."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.bed = BedCanvas()
        self.dry_run = DryRunBar(model, self.bed)
        self._asks = Text("", 17, bold=True)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(tr("Size of the piece"))
        self.slider.setSingleStep(1)
        self.slider.setPageStep(5)
        self.slider.valueChanged.connect(self._size_moved)
        self._size = Line("", 22, bold=True)
        self.tool = self._combo(tr("Tool"), lambda name: model.session.making.choose(tool=name))
        self.instruments = InstrumentBar(model)
        self.worn = WornBar(model)
        self.loaded = LoadedBar(model)
        self.instrument = self._combo(tr("Measured with"), lambda uid: model.session.making.choose(instrument=uid))
        self.passes = self._combo(tr("Readings of each"), lambda n: model.session.making.choose(passes=n))
        self.choices = ChoicesBar(model)
        self.file = plain_line(tr("File to write"))
        self.write = Button(tr("Write file"), self._write, icon="file")
        self.sheet = Button(
            tr("New sheet"), lambda: model.attempt("make", model.session.making.new_sheet), "quiet", "sheet"
        )
        self.cut = Button(tr("Practice cut"), self._cut, "primary", "cut")
        self.is_cut = Button(tr("It is cut: measure"), self._is_cut, "quiet")
        self._said = Text("", th.TEXT)
        self._room = Line(colour="soft")
        self._filling = False
        self._lay_out()

    def _combo(self, name: str, choose: Callable[[Any], object]) -> QComboBox:
        combo = plain_combo(name)
        combo.activated.connect(lambda _: self._model.attempt("make", lambda: choose(combo.currentData())))
        return combo

    def _lay_out(self) -> None:
        panel = Card()
        grid = QGridLayout(panel)
        grid.setContentsMargins(16, 8, 16, 12)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(6)
        grid.addWidget(self._asks, 0, 0, 1, 4)
        grid.addWidget(self.choices, 1, 0, 1, 4)
        self._size_label = Text(tr("Size"), colour="soft")
        self._tool_label = Text(tr("Tool"), colour="soft")
        for label in (self._size_label, self._tool_label):
            label.setWordWrap(False)
        size = QHBoxLayout()
        size.setSpacing(18)
        size.addWidget(self.slider, 5)
        size.addWidget(self._size, 3)
        tools = QHBoxLayout()
        tools.setSpacing(8)
        tools.addWidget(self.tool, 3)
        tools.addWidget(self.instrument, 4)
        tools.addWidget(self.passes, 2)
        grid.addWidget(self._size_label, 2, 0)
        grid.addLayout(size, 2, 1, 1, 3)
        grid.addWidget(self._tool_label, 3, 0)
        grid.addLayout(tools, 3, 1, 1, 3)
        grid.addWidget(self._room, 4, 1, 1, 3)
        self._file_label = Text(tr("File"), colour="soft")
        grid.addWidget(self._file_label, 5, 0)
        grid.addWidget(self.file, 5, 1, 1, 2)
        grid.addWidget(self.write, 5, 3)
        grid.setColumnStretch(1, 5)
        grid.setColumnStretch(2, 4)
        buttons = QHBoxLayout()
        buttons.addWidget(self.sheet)
        buttons.addStretch(1)
        buttons.addWidget(self.is_cut)
        buttons.addWidget(self.cut)
        grid.addWidget(self._said, 6, 0, 1, 4)
        grid.addLayout(buttons, 7, 0, 1, 4)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.worn)
        layout.addWidget(self.instruments)
        layout.addWidget(self.loaded)
        layout.addWidget(self.bed, 1)
        layout.addWidget(self.dry_run)
        layout.addWidget(panel)

    def refresh(self) -> None:
        """Show what is chosen and whether it fits."""
        session = self._model.session
        making, context = session.making, session.context
        again = bool(context.pieces)
        runs, ticks = context.procedure.makes is Makes.MOVES, context.machine.file_format != "gcode"
        self._asks.say(self._again(runs=runs) if again else "")
        self.choices.refresh(editable=not again, still=() if session.settled else context.procedure.tried)
        self._filling = True
        step, smallest = making.step, making.smallest
        self.slider.setRange(round(smallest / step), round(max(making.largest_size(), smallest) / step))
        self.slider.setValue(round(context.choices.size / step))
        self.slider.setEnabled(not again)
        for widget in (self._size_label, self.slider, self._size):
            widget.setVisible(context.procedure.sizes.slider)
        fill(self.tool, [(t.name, t.uid) for t in context.machine.tools], context.tool.uid)
        self.tool.setEnabled(not again)
        prints = context.procedure.makes is Makes.PRINT  # by the printer itself: no file, no place on the bed
        self.tool.setVisible(not runs and not prints)
        self._tool_label.say(tr("Read") if prints else tr("Read with") if runs else tr("Tool"))
        for shown in (self.file, self.write, self._file_label):
            shown.setVisible(making.way.has_file)
        self.instruments.refresh()
        self.worn.refresh()
        self.loaded.refresh(waits=self.worn.wanted() or self.instruments.wanted())
        self.instrument.setVisible(bool(context.instruments) and not context.procedure.read_by.by_eye)
        fill(self.instrument, [(i.name, i.uid) for i in context.instruments], context.choices.instrument)
        self._filling = False
        passes = context.choices.passes
        fill(self.passes, [(f"{n} ×" if n > 1 else tr("once"), n) for n in sorted({1, 2, 3, 5, 10, passes})], passes)
        parameters = making.parameters()
        self._size.say(words.size_of(context.procedure.extent(parameters), context.machine))
        refused, number = making.refusal(), making.next_number()
        place = None if runs else making.place()
        self.bed.show_bed(
            context.machine,
            making.taken(),
            (place, making.next_piece(), number) if place else None,
            making.way.program(),
            anchored=context.procedure.on_stock.anchored,
        )
        self.dry_run.refresh(waits=self.worn.wanted())  # what is worn is asked first, and needs the room
        stem = file_stem(context.machine.name)
        proposed = str(Path.home() / f"{stem}-{context.procedure.noun}-{number}.{making.extension}")
        if not self.file.isModified():
            self.file.setText(proposed)
        practice = context.practised
        file = context.mark(FileWritten)
        written = file is not None and file.number == number
        self._name_buttons(runs=runs, ticks=ticks, prints=prints)
        self.cut.setVisible(practice)
        self.is_cut.setVisible(not practice or written)
        self._say(refused, written=written)
        given = room(context)
        cuts = context.procedure.makes is Makes.PIECE and not context.tool.drawn and given.width > 0
        words_of_it = room_in_words(given.width, context.machine, held=given.held, begin=given.starting)
        self._room.say(say(making.first() or "") or (words_of_it if cuts and not again else ""))
        for button in (self.write, self.cut, self.is_cut):
            asked = self.worn.wanted() or bool(session.holding.found.otherwise)
            button.setEnabled(not refused and not context.shop.read_only and not asked)

    def _name_buttons(self, *, runs: bool, ticks: bool, prints: bool) -> None:
        self.sheet.setVisible((not runs or ticks) and not prints)
        self.cut.name(tr("Practice {what}", what=tr("print") if prints else tr("run") if runs else tr("cut")))
        self.is_cut.name(
            tr("It is printed: look") if prints else tr("It has run: read") if runs else tr("It is cut: measure")
        )

    def type_practice(self) -> None:
        """Nothing is read here."""

    def where(self) -> tuple[object, ...]:
        """What is asked first: with its answer the keyboard moves on."""
        return self.instruments.wanted(), self.worn.wanted()

    def main_button(self) -> Button:
        """The button that Ctrl+Return presses."""
        return self.cut if self.cut.isVisible() else self.is_cut

    def take_focus(self) -> None:
        """Where the work is."""
        if self.instruments.wanted():
            self.instruments.take_focus()
        elif self.worn.wanted():
            self.worn.take_focus()
        else:
            first = self.cut if self.cut.isVisibleTo(self) else self.write
            (first if first.isEnabled() else self.slider).setFocus()

    def _again(self, *, runs: bool) -> str:
        """Why the same is made once more."""
        same = tr("Run the same again") if runs else tr("Make the same piece again, beside the last")
        if self._model.session.context.procedure.makes is Makes.PRINT:
            same = tr("Print the same test again")
        changed = self._model.session.measuring.cut_before_change()
        if self._model.session.context.procedure.tried:
            return tr("{same}, or with other steps: about what is in force now.", same=same)
        return f"{same}: {tr('it confirms the new numbers') if changed or runs else tr('they count together')}."

    def _say(self, refused: Note | None, *, written: bool) -> None:
        trouble = self._model.trouble.get("make") or say(refused or "")
        if trouble:
            self._said.say(trouble, "bad")
        elif written:
            mark = self._model.session.context.mark(FileWritten)
            self._said.say(tr("Written: {file}", file=mark.file if mark else ""), "good")
        else:
            self._said.say("")

    def _size_moved(self, value: int) -> None:
        making = self._model.session.making
        if not self._filling:
            self._model.attempt("make", lambda: making.choose_size(value * making.step))

    def _write(self) -> None:
        file = Path(self.file.text()).expanduser()
        self._model.attempt("make", lambda: self._model.session.making.write_file(file))

    def _cut(self) -> None:
        from keen_compass.practice import stand_in

        def run() -> None:
            stand_in.make(self._model.session)
            self._model.session.after_making()

        self._model.attempt("make", run)

    def _is_cut(self) -> None:
        def run() -> None:
            self._model.session.making.said_made()
            self._model.session.after_making()

        self._model.attempt("make", run)
