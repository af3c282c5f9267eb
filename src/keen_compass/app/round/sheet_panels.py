"""The stages of a sheet, a panel each: it is printed, loaded, aimed at, drawn on."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QComboBox, QLineEdit

from keen_compass.app import printing
from keen_compass.app import theme as th
from keen_compass.app.controller.jog_pad import JogPad
from keen_compass.app.parts import Button, Line, Text, plain_combo, plain_count, plain_line
from keen_compass.app.port_link import PortLink
from keen_compass.app.round.choices import fill
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.stage_panel import StagePanel
from keen_compass.formats.files import file_stem
from keen_compass.language import tr
from keen_compass.machines.shown import length_unit, show_length
from keen_compass.practice import paper as practice
from keen_compass.procedures.stages import Stage
from keen_compass.quantities.geometry import Point
from keen_compass.rounds.sheets import MOST_COPIES
from keen_compass.shop.marks import FileWritten
from keen_compass.words.say import finished, say, show_for


class PrintPanel(StagePanel):
    """The PDF, to a file or a printer; then its check bars."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__(model)
        self.copies = plain_count(tr("Copies"), MOST_COPIES)
        self.file = plain_line(tr("File to write: PDF, PNG or SVG"))
        self.write = Button(tr("Write it"), self._write, "primary", "file")
        self.printer = plain_combo(tr("Printer"))
        self.send = Button(tr("Print it"), self._send)
        self.on_stand_in = Button(tr("Practice print"), self._by_stand_in, "primary")
        unit = length_unit(model.session.context.machine.units)
        self.bars = [plain_line(tr("Check bar {axis} measures", axis=axis), unit, 20) for axis in "XY"]
        self._asks = [Text("", colour="ink") for _ in "XY"]
        for asks in self._asks:
            asks.setWordWrap(False)
        self.keep = Button(tr("Save"), self._measured, "primary")
        self.shows = Button("", self.type_practice, "quiet")
        self.again = Button(tr("Print another"), self._print_another, "quiet")
        self.row(self.copies, self.file, self.write)
        self.row(self.printer, self.send, 1, self.on_stand_in)
        self.row(self._asks[0], self.bars[0], self._asks[1], self.bars[1], self.keep)
        self.row(self.again, 1, self.shows)
        for bar in self.bars:
            bar.returnPressed.connect(self._on)
        self._anew = False  # another print is wanted, although there is one
        self._printers: list[str] | None = None

    @property
    def main(self) -> Button:  # type: ignore[override]
        """Print first, then say what the bars measure."""
        if self._done():
            return self.keep
        return self.on_stand_in if self._practised() else self.write

    def _done(self) -> bool:
        return Stage.PRINT in self.sheets.state.done and not self._anew

    def refresh(self) -> None:
        """Before it is printed the ways to print, afterwards its bars."""
        done, context = self._done(), self.model.session.context
        if self._printers is None:
            self._printers = printing.printers()
            fill(self.printer, [(name, name) for name in self._printers], next(iter(self._printers), None))
        for widget in (self.copies, self.file, self.write):
            widget.setVisible(not done)
        self.printer.setVisible(not done and bool(self._printers))
        self.send.setVisible(not done and bool(self._printers))
        self.on_stand_in.setVisible(not done and self._practised())
        if not self.file.isModified():
            self.file.setText(str(Path.home() / f"{file_stem(context.machine.name)}-sheet-{self.sheets.number()}.pdf"))
        page = self.sheets.page()
        if page:
            for asks, mm, axis in zip(self._asks, page.bar_lengths, "XY", strict=True):
                asks.say(tr("{axis} bar, {length}:", axis=axis, length=page.graduation.length(mm)))
        for w in (*self._asks, *self.bars, self.keep, self.again):
            w.setVisible(done)
        units = context.machine.shown_in
        kept = [show_length(mm, units) for mm in self.sheets.state.bars] or ["", ""]
        for bar, text in zip(self.bars, kept, strict=True):
            if not bar.isModified():
                bar.setText(text)
        shown = practice.shows_bars(self.model.session) if done and self._practised() else None
        self.shows.setVisible(shown is not None)
        if shown:
            self.shows.name(tr("Rule shows {shown} and {shown2}   F8", shown=shown[0], shown2=shown[1]))
        for button in (self.write, self.send, self.on_stand_in, self.keep):
            button.setEnabled(self._editable() and page is not None)

    def warning(self) -> str:
        """That no paper fits; what the bars say."""
        refused = self.sheets.refusal()
        said = refused if refused and refused.code in ("no_paper", "refused") else self.sheets.bars_say()
        return say(said) if said else ""

    def take_focus(self) -> None:
        """The button that prints, or the first bar."""
        if self._done():
            next((bar for bar in self.bars if not bar.text()), self.bars[0]).setFocus()
        else:
            self.main.setFocus()

    def type_practice(self) -> None:
        """Both bars, as the practice rule shows them."""
        shown = practice.shows_bars(self.model.session)
        if not self._done():
            if self._practised():
                self._by_stand_in()
        elif shown:
            for bar, text in zip(self.bars, shown, strict=True):
                bar.setText(text)
            self._measured()

    def _write(self) -> None:
        file = Path(self.file.text()).expanduser()
        self._anew = not self.do(lambda: self.sheets.write_pdf(file, self.copies.value())) and self._anew
        self.refresh()

    def _send(self) -> None:
        def run() -> None:
            printing.send(self.sheets.pdf(), self.printer.currentText(), self.copies.value())
            self.sheets.printed()

        self._anew = not self.do(run) and self._anew
        self.refresh()

    def _by_stand_in(self) -> None:
        self._anew = False
        self.do(self.sheets.printed)

    def _print_another(self) -> None:
        self._anew = True
        self.refresh()
        self.take_focus()

    def _on(self) -> None:
        """Enter goes on to what is still empty, then keeps both."""
        empty = next((bar for bar in self.bars if not bar.text().strip()), None)
        if empty is not None:
            empty.setFocus()
        else:
            self._measured()

    def _measured(self) -> None:
        along, up = (bar.text() for bar in self.bars)
        for bar in self.bars:
            bar.setModified(False)
        self.do(lambda: self.sheets.measured(along, up))


class LoadPanel(StagePanel):
    """Which sheet it is, and that it lies."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__(model)
        self.number = plain_line(tr("Number on the sheet"), tr("the number on it"), 12)
        self.number.returnPressed.connect(self._loaded)
        self.main = Button(tr("Loaded like this"), self._loaded, "primary")
        asks = Text(tr("Number on the sheet:"))
        asks.setWordWrap(False)
        self.row(asks, self.number, self.main)

    def refresh(self) -> None:
        """The number that was said, where it was."""
        if Stage.LOAD in self.sheets.state.done and not self.number.isModified():
            self.number.setText(str(self.sheets.number()))
        elif not self.number.isModified():
            self.number.clear()
        self.main.setEnabled(self._editable())
        last = self.sheets.stages[-1] is Stage.LOAD
        self.main.name(tr("Loaded like this: aim") if last else tr("Loaded like this"))

    def warning(self) -> str:
        """A print that was fitted to its page is best made again."""
        said = self.sheets.bars_say()
        return say(said) if said else ""

    def take_focus(self) -> None:
        """Give the keyboard to the number of the sheet."""
        self.number.setFocus()

    def type_practice(self) -> None:
        """The stand-in’s are the right ones."""
        self.number.setText(str(self.sheets.number()))
        self._loaded()

    def _loaded(self) -> None:
        text = self.number.text()
        if self.do(lambda: self.sheets.loaded(text)) and self.sheets.stages[-1] is Stage.LOAD:
            if self._practised():
                self._made_by_stand_in()
            else:
                self.finish()
        self.number.setModified(False)


class AimPanel(StagePanel):
    """The dot over one mark after another: jogged over the cable, typed, or the machine's own origin set."""

    def __init__(self, model: RoundModel, link: PortLink) -> None:
        super().__init__(model)
        self._link = link
        self.place = plain_line(tr("Where the machine stands, X Y"), tr("X Y as the machine shows it"), 40)
        self.place.setFont(th.font(th.VERDICT, bold=True))
        self.place.returnPressed.connect(self._take)
        self.main = Button(tr("Pointer is on the mark"), self._take, "primary")
        self.near = Button("", self._go_near)
        self.origin = Button(tr("Origin is set on mark 1"), self._set_origin, "quiet")
        self.origin.setAccessibleName(tr("The machine’s own origin is set on mark 1; nothing else is known"))
        self.shows = Button("", self.type_practice, "quiet")
        self.again = Button(tr("Aim at all marks again"), self._all_again, "quiet")
        self.jog: JogPad | None = None
        self.row(self.place, self.main)
        self.row(self.near, self.origin, self.again, 1, self.shows)
        self.near.hide()
        link.changed.connect(self._follow_link)

    def refresh(self) -> None:
        """The mark whose turn it is."""
        sheets, mark = self.sheets, self.sheets.next_mark()
        done = Stage.AIM in sheets.state.done
        self.place.setVisible(mark is not None and not done)
        self.main.name(tr("Go on") if done else tr("Pointer is on the mark"))
        self.main.setEnabled(self._editable())
        self.origin.setVisible(not done and not sheets.state.aimed)
        self.again.setVisible(done or bool(sheets.state.aimed))
        shown = practice.shows_mark(self.model.session) if self._practised() and not done else None
        self.shows.setVisible(shown is not None)
        if shown:
            self.shows.name(tr("Practice position {shown}   F8", shown=shown))
        self._follow_link()

    def _follow_link(self) -> None:
        """With a cable the machine is moved from here, and says itself where it is."""
        if not self.isVisible():
            return
        ready = self._link.ready and Stage.AIM not in self.sheets.state.done
        if ready and self.jog is None:
            self.jog = JogPad(self._link, self.model.session.context.machine, small=True)
            self.jog.entered.connect(self._stands)
            self.layout_.insertWidget(0, self.jog)
        if self.jog is not None:
            self.jog.setVisible(ready)
        self.place.setVisible(not ready and Stage.AIM not in self.sheets.state.done)
        expected = self._expected()
        self.near.setVisible(ready and expected is not None)
        if expected is not None:
            self.near.setEnabled(self.sheets.out_of_reach() is None)
            self.near.name(tr("Go near mark {mark}", mark=(self.sheets.next_mark() or 0) + 1))

    def _expected(self) -> Point | None:
        mark = self.sheets.next_mark()
        return None if mark is None else self.sheets.expected(mark)

    def warning(self) -> str:
        """What the marks say of themselves, and what the head can't reach."""
        asks = self.sheets.aim_says() or self.sheets.out_of_reach()
        return finished(say(asks, show_for(self.model.session.context.machine))) if asks else ""

    def take_focus(self) -> None:
        """Where the machine stands; with a cable the pad that moves it."""
        if Stage.AIM in self.sheets.state.done:
            self.main.setFocus()
        elif self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.setFocus()
        else:
            self.place.setFocus()

    def type_practice(self) -> None:
        """Aim at the next mark as the stand-in's technician does."""
        shown = practice.shows_mark(self.model.session) if self._practised() else None
        if shown is not None and Stage.AIM not in self.sheets.state.done:
            self.place.setText(shown)
            self._take()

    def _take(self) -> None:
        mark = self.sheets.next_mark()
        if Stage.AIM in self.sheets.state.done or mark is None:
            self.do(lambda: self.sheets.go(Stage.DRAW))
            return
        if self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.enter()
            return
        text = self.place.text()
        if self.do(lambda: self.sheets.aim(mark, text)):
            self.place.clear()
        self.take_focus()

    def _stands(self, x: float, y: float) -> None:
        """As the controller says over the cable, mm."""
        mark = self.sheets.next_mark()
        if mark is not None:
            self.do(lambda: self.sheets.aim(mark, f"{x:.4f} mm {y:.4f} mm"))

    def _go_near(self) -> None:
        expected = self._expected()
        if expected is not None and self.jog is not None:
            self.jog.go_to(*expected)
            self.jog.setFocus()

    def _set_origin(self) -> None:
        self.do(self.sheets.set_origin)
        self.take_focus()

    def _all_again(self) -> None:
        self.do(self.sheets.aim_at_all_again)
        self.take_focus()


class DrawPanel(StagePanel):
    """The pen instead of the blade; the file, the cable, or the stand-in."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__(model)
        self.tool: QComboBox = plain_combo(tr("Tool that draws"))
        self.tool.activated.connect(self._choose_tool)
        self.instrument: QComboBox = plain_combo(tr("Measured with"))
        self.instrument.activated.connect(self._choose_instrument)
        self.file: QLineEdit = plain_line(tr("File to write"))
        self.write = Button(tr("Write file"), self._write, icon="file")
        self.on_stand_in = Button(tr("Practice drawing"), self._made_by_stand_in, "primary", "cut")
        self.is_drawn = Button(tr("It is drawn: measure"), self.finish, "quiet")
        self._written = Line("", colour="good")
        row = self.row(self.tool, self.file, self.write)
        row.setStretch(0, 2)
        row.setStretch(1, 3)
        self.layout_.addWidget(self._written)
        self.row(self.instrument, 1, self.is_drawn, self.on_stand_in)

    @property
    def main(self) -> Button:  # type: ignore[override]
        """Draw, or say that it is drawn."""
        if self.on_stand_in.isVisibleTo(self):
            return self.on_stand_in
        return self.is_drawn if self._is_written() else self.write

    def _is_written(self) -> bool:
        mark = self.model.session.context.mark(FileWritten)
        return mark is not None and mark.number == self.sheets.number()

    def refresh(self) -> None:
        """Where the file goes."""
        session = self.model.session
        making, context = session.making, session.context
        fill(self.tool, [(t.name, t.uid) for t in context.machine.tools], context.tool.uid)
        fill(self.instrument, [(i.name, i.uid) for i in context.instruments], context.choices.instrument)
        self.instrument.setVisible(bool(context.instruments) and not context.procedure.read_by.by_eye)
        if not self.file.isModified():
            self.file.setText(
                str(Path.home() / f"{file_stem(context.machine.name)}-sheet-{making.next_number()}.{making.extension}")
            )
        cuts = context.procedure.on_paper.artwork
        self.on_stand_in.name(tr("Practice cut") if cuts else tr("Practice drawing"))
        self.is_drawn.name(tr("It is cut: measure") if cuts else tr("It is drawn: measure"))
        written, practised = self._is_written(), self._practised()
        mark = context.mark(FileWritten)
        self._written.say(tr("Written: {file}", file=mark.file) if written and mark else "")
        self._written.setVisible(written)
        self.on_stand_in.setVisible(practised)
        self.is_drawn.setVisible(not practised or written)
        ready = making.refusal() is None and self._editable()
        for button in (self.write, self.on_stand_in, self.is_drawn):
            button.setEnabled(ready)

    def warning(self) -> str:
        """Why it can't be drawn."""
        session = self.model.session
        refused = session.making.refusal()
        return finished(say(refused, show_for(session.context.machine))) if refused else ""

    def take_focus(self) -> None:
        """The button that draws."""
        (self.main if self.main.isEnabled() else self.file).setFocus()

    def type_practice(self) -> None:
        """Have the stand-in draw it."""
        if self.on_stand_in.isEnabled() and self._practised():
            self._made_by_stand_in()

    def _choose_tool(self, _index: int) -> None:
        tool = self.tool.currentData()
        self.do(lambda: self.model.session.making.choose(tool=tool))

    def _choose_instrument(self, _index: int) -> None:
        instrument = self.instrument.currentData()
        self.do(lambda: self.model.session.making.choose(instrument=instrument))

    def _write(self) -> None:
        file = Path(self.file.text()).expanduser()
        self.do(lambda: self.model.session.making.write_file(file))
        self.take_focus()
