"""Fit a cut file to a print: open it, aim at its marks, see where it lies, write it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.cable_bar import CableBar
from keen_compass.app.controller.jog_pad import JogPad
from keen_compass.app.fit.canvas import FitCanvas
from keen_compass.app.fit.marks_from import MarksFrom
from keen_compass.app.fit.over_cable import FileOverCable
from keen_compass.app.parts import (
    STATE_COLOUR,
    VERDICT_STATE,
    Button,
    Card,
    Line,
    PlacePage,
    StateSign,
    Text,
    plain_combo,
    plain_line,
)
from keen_compass.app.port_link import PortLink
from keen_compass.app.round.choices import fill
from keen_compass.app.waiting import Dropped, beside
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.language import marked, tr
from keen_compass.machines.heads import TOOL
from keen_compass.machines.shown import length_unit
from keen_compass.procedures.laying import Laid
from keen_compass.quantities.families import AIMED_WITH
from keen_compass.rounds.fitting import Fitting, errors_for_files
from keen_compass.shop.store import Shop
from keen_compass.solve.warp import CONTAINS
from keen_compass.words.fitting import (
    applied_in_words,
    file_in_words,
    fit_in_words,
    practised_in_words,
    written_in_words,
)
from keen_compass.words.say import capital, say, show_for
from keen_compass.words.sheets import position_in_words

if TYPE_CHECKING:
    from keen_compass.formats.fit import Fitted
    from keen_compass.practice.fitting import PracticePrint

BESIDE = 350  # px, the column beside the picture
KINDS = marked("Cut files (*.plt *.hpgl *.svg *.dxf *.nc *.ngc *.gcode *.tap *.txt)")


class FitPage(PlacePage):
    """`left` says that it is closed."""

    PLACE = "fit"

    def __init__(self, shop: Shop, machine: str, link: PortLink) -> None:
        super().__init__()
        self._shop, self.machine, self._link = shop, shop.machine(machine), link
        self._held = {q: kept.stored for q, kept in shop.values_on(self.machine).items()}
        self._errors = errors_for_files(shop, self.machine)
        self._print = self._practice_print()
        self.fitting: Fitting | None = None
        self._chosen: int | None = None
        self._done = ""  # what was written or cut last
        self.setAcceptDrops(True)
        self.canvas = FitCanvas()
        self.canvas.chosen.connect(self._choose)
        self.canvas.pointed.connect(self._point_at)
        self.file = plain_line(tr("Cut file"), tr("HP-GL, SVG, DXF or G-code"))
        self.file.returnPressed.connect(lambda: self.open(Path(self.file.text().strip()).expanduser()))
        self.marks_from = MarksFrom(length_unit(self.machine.units))
        self.marks_from.wanted.connect(self._take_marks)
        self.head = plain_combo(tr("Aimed with"))
        heads = [h for h in AIMED_WITH if h in self.machine.heads]
        fill(self.head, [(say(f"pointer.{h}"), h) for h in (*heads, TOOL)], (*heads, TOOL)[0])
        self.head.currentIndexChanged.connect(lambda _: self._forget())
        self._near = Text("", 17, bold=True)
        self.place = plain_line(tr("Position on the mark, X Y"), tr("X Y as the machine shows it"), 40)
        self.place.setFont(th.font(th.VERDICT, bold=True))
        self.place.returnPressed.connect(self._aim)
        self.on_mark = Button(tr("Pointer is on the mark"), self._aim, "primary")
        self.practice = Button("", self.type_practice, "quiet")
        self.jog: JogPad | None = None
        self.skew = Button(tr("Make up for the machine’s skew"), self._choose_errors, "quiet")
        self.skew.setCheckable(True)
        self.skew.setChecked(bool(self._errors))
        self._sign, self._verdict, self._means = StateSign(), Text("", th.VERDICT, bold=True), Text(colour="soft")
        self.again = Button(tr("Aim at all marks again"), self._forget, "quiet")
        self.target = plain_line(tr("File to write"))
        self.target.returnPressed.connect(self.write)
        self.save = Button(tr("Write fitted file"), self.write, "primary")
        self.next_sheet = Button(tr("Next sheet"), self._take_next_sheet)
        self._trouble = Text(colour="bad", bold=True)
        self.cable = CableBar(FileOverCable(shop, self.machine, self._held, lambda: self.fitting, self._cut), link)
        self._lay_out()
        link.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("Fit a file to a print, {name}", name=self.machine.name), th.TITLE, bold=True), 1)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        opens = QHBoxLayout()
        opens.addWidget(self.file, 1)
        opens.addWidget(Button(tr("Open…"), self._ask_for_file, "quiet"))
        self._aims, aims = _card()
        aims.addWidget(self.marks_from)
        aims.addLayout(_row(Text(tr("Aimed with")), self.head))
        aims.addWidget(self._near)
        aims.addWidget(self.place)
        aims.addWidget(self.on_mark)
        aims.addWidget(self.practice)
        self._aim_layout = aims
        self._result, result = _card()
        result.addLayout(_row(self._sign, self._verdict))
        result.addWidget(self.skew)
        result.addWidget(self.target)
        result.addWidget(self.save)
        result.addLayout(_row(self.again, self.next_sheet))
        column = QVBoxLayout()
        column.setSpacing(12)
        column.addWidget(self._aims)
        column.addWidget(self._result)
        column.addWidget(self._trouble)
        column.addStretch(1)
        side = QWidget()
        side.setFixedWidth(BESIDE)
        side.setLayout(column)
        column.setContentsMargins(0, 0, 0, 0)
        seen = QVBoxLayout()
        seen.addWidget(self.canvas, 1)
        seen.addWidget(self._means)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addLayout(seen, 1)
        body.addWidget(side)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(12)
        layout.addLayout(head)
        layout.addLayout(opens)
        layout.addLayout(body, 1)
        layout.addWidget(self.cable)

    def showEvent(self, event: object) -> None:
        """Begins with the file."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.file.setFocus()

    # The file and its marks

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """A file that is dropped is opened."""
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """The first of them."""
        event.acceptProposedAction()
        self.open(Path(next(url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile())))

    def _ask_for_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Cut file"), str(Path.home()), tr(KINDS))
        if name:
            self.open(Path(name))

    def open(self, file: Path) -> None:
        """Another file."""
        try:
            fitting = beside(tr("The file is read"), lambda: Fitting.open(file, self.head.currentData()))
            fitting, crosses = fitting.making_up_for(self._wanted_errors()).with_usual_marks()
        except Dropped:
            return
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.fitting, self._chosen, self._done = fitting, None, ""
        self.file.setText(str(file))
        self.target.setText(str(fitting.target()))
        self.marks_from.show_found(crosses=crosses)
        self._trouble.say("")
        self.refresh()
        self.take_focus()

    def _take_marks(self) -> None:
        take = self.marks_from.taken(self.fitting) if self.fitting is not None else None
        if take is None:
            self.refresh()
        else:
            self._do(take)

    def _point_at(self, x: float, y: float, within: float) -> None:
        """In the picture, before anything is aimed at."""
        if self.fitting is not None:
            self.marks_from.point_at(self.fitting.snapped((x, y), within))

    def _do(self, change: Callable[[], Fitting]) -> bool:
        """A change that may be refused."""
        try:
            self.fitting = change()
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return False
        self._chosen, self._done = None, ""
        self._trouble.say("")
        self.refresh()
        self.take_focus()
        return True

    # Aiming

    def _forget(self) -> None:
        """The next sheet, or all marks again."""
        if self.fitting is not None:
            head = str(self.head.currentData())
            fitting = self.fitting.forget().aimed_with(head)
            self._do(lambda: fitting)

    def _take_next_sheet(self) -> None:
        if self._print is not None:
            self._print = self._print.next()
        self._forget()

    def _wanted_errors(self) -> Mapping[str, float]:
        return self._errors if self.skew.isChecked() else {}

    def _choose_errors(self) -> None:
        fitting = self.fitting
        if fitting is not None:
            self._do(lambda: fitting.making_up_for(self._wanted_errors()))

    def _choose(self, mark: int) -> None:
        self._chosen = mark
        self.refresh()
        self.take_focus()

    def mark_now(self) -> int | None:
        """The one that was chosen, else the next."""
        return self._chosen if self._chosen is not None or self.fitting is None else self.fitting.next_mark

    def _aim(self) -> None:
        if self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.enter()
        else:
            self._aim_at(self.place.text(), length_unit(self.machine.controller_units))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F8 types what the practice machine shows, as in a round."""
        if event.key() == Qt.Key.Key_F8 and self.practice.isVisibleTo(self):
            self.type_practice()
        else:
            super().keyPressEvent(event)

    def type_practice(self) -> None:
        """What the practice machine shows with what aims on the mark whose turn it is."""
        shown = self._practice_shows()
        if shown:
            self._aim_at(shown, length_unit(self.machine.controller_units))

    def _practice_print(self) -> PracticePrint | None:
        if not self._shop.stand_in(self.machine.uid):
            return None
        from keen_compass.practice.fitting import next_print  # late: only practice needs it

        return next_print(self._shop, self.machine, self._held)

    def _practice_shows(self) -> str:
        fitting, mark = self.fitting, self.mark_now()
        if fitting is None or mark is None or self._print is None:
            return ""
        return self._print.position(fitting, mark)

    def _aim_at(self, text: str, unit: str) -> None:
        fitting, mark = self.fitting, self.mark_now()
        if fitting is not None and mark is not None and self._do(lambda: fitting.aim(mark, text, unit)):
            self.place.clear()

    def take_focus(self) -> None:
        """The mark whose turn it is; then the file to write."""
        if self.fitting is None:
            self.file.setFocus()
        elif self.mark_now() is None:
            self.save.setFocus()
        elif self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.setFocus()
        else:
            self.place.setFocus()

    # What is shown

    def _laid(self) -> Laid | None:
        try:
            return self.fitting.laid(self.machine, self._held) if self.fitting else None
        except InputError as error:
            self._trouble.say(str(error))
            return None

    def refresh(self) -> None:
        """File, marks, and what the marks say."""
        fitting, mark = self.fitting, self.mark_now()
        self.cable.refresh()
        for card in (self._aims, self._result):
            card.setVisible(fitting is not None)
        if fitting is None:
            return
        laid = self._laid()
        self._show_aiming(fitting, mark, laid)
        self._show_file(fitting, mark, laid)
        self._show_result(fitting, laid)

    def _show_aiming(self, fitting: Fitting, mark: int | None, laid: Laid | None) -> None:
        ready = self._link.ready and mark is not None
        if ready and self.jog is None:
            self.jog = JogPad(self._link, self.machine, small=True)
            self.jog.entered.connect(lambda x, y: self._aim_at(f"{x:.4f} mm {y:.4f} mm", "mm"))
            self._aim_layout.insertWidget(4, self.jog)
        if self.jog is not None:
            self.jog.setVisible(ready)
        self.place.setVisible(mark is not None and not ready)
        self.on_mark.setVisible(mark is not None)
        shown = self._practice_shows() if not ready else ""
        self.practice.setVisible(bool(shown))
        self.practice.name(tr("Practice {shown}   F8", shown=shown))
        self.on_mark.name(tr("{what} is on the mark", what=capital(say(f"pointer.{fitting.head}"))))
        near = None
        if mark is not None and laid is not None:
            with suppress(InputError):  # nowhere that a machine can be
                near = fitting.expected(mark, laid, self.machine, self._held)
        where = tr(": near {place}", place=position_in_words(near, self.machine)) if near else ""
        aimed = (
            tr("All marks aimed at")
            if fitting.marks
            else tr("Nothing to aim at")
            if fitting.blank
            else tr("Click the marks")
        )
        self._near.say(
            tr("Mark {mark} of {n}{where}", mark=mark + 1, n=len(fitting.marks), where=where)
            if mark is not None
            else aimed
        )

    def _show_file(self, fitting: Fitting, mark: int | None, laid: Laid | None) -> None:
        paths, marks, bed = fitting.nominal.drawn.paths, list(fitting.marks), None
        if laid is not None:
            try:
                paths = [[laid.warp.at(p) for p in path] for path in paths]
                marks = [laid.warp.at(m) for m in marks]
                bed = self.machine.bed if not self.machine.kind.plots else None
            except InputError as error:
                self._trouble.say(str(error))
        off = fitting.residuals(laid) if laid is not None else {}
        self.canvas.show_file(
            paths,
            marks,
            self.machine.standpoint,
            done=frozenset(fitting.aimed),
            now=mark,
            points=self.marks_from.pointing and not fitting.aimed,
            off=off,
            bed=bed,
            words=file_in_words(fitting.kind, fitting.nominal.drawn, self.machine.units),
        )

    def _show_result(self, fitting: Fitting, laid: Laid | None) -> None:
        whole = laid is not None and fitting.ready
        self._result.setVisible(bool(fitting.aimed) or fitting.blank)
        for widget in (self._sign, self._verdict, self.target, self.save, self.next_sheet):
            widget.setVisible(whole)
        self.again.setVisible(bool(fitting.aimed))
        self._show_skew(laid.model if laid and whole else "errors" if fitting.blank else "")
        self._means.say("")
        if laid is not None and whole:
            show = show_for(self.machine)
            verdict, means = fit_in_words(laid, fitting.largest_residual(laid), show)
            if laid.verdict is not None:
                state = VERDICT_STATE[laid.verdict]
                self._sign.show_state(state)
                self._verdict.say(verdict, STATE_COLOUR[state])
            for widget in (self._sign, self._verdict):
                widget.setVisible(laid.verdict is not None)
            self._means.say(self._done or f"{means} {applied_in_words(laid, fitting.errors, show)}".strip())

    def _show_skew(self, model: str) -> None:
        """Whether the file makes up for it: asked where the map of the marks, of that model, doesn’t contain it."""
        self.skew.setVisible("skew" in self._errors and "skew" not in CONTAINS.get(model, ("skew",)))

    def write(self) -> None:
        """The fitted file, and a line of the logbook."""
        if self.fitting is None:
            return
        to = Path(self.target.text().strip()).expanduser()
        written = written_in_words(Path(self.fitting.name), to, len(self.fitting.marks))
        try:
            fitting = self.fitting
            fitted = beside(tr("The file is fitted"), lambda: fitting.fitted(self.machine, self._held))
            fitting.write(fitted, to)  # here: what was cancelled writes nothing
            said = self._practised(fitting, fitted)
            if not self._shop.read_only:
                self._shop.put_event(self.machine.uid, "fitted", written)
        except Dropped:
            return
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self._trouble.say("")
        self._say_done(tr("Written to {to}. {said}", to=to, said=said).strip())

    def _cut(self, fitting: Fitting, fitted: Fitted) -> None:
        """It came to its end over the cable."""
        self._say_done(tr("Cut over the cable. {practised}", practised=self._practised(fitting, fitted)).strip())

    def _say_done(self, words: str) -> None:
        """Until something changes; the next sheet has the keyboard."""
        self._done = words
        self._means.say(words)
        self.next_sheet.setFocus()

    def _practised(self, fitting: Fitting, fitted: Fitted) -> str:
        """How well the practice machine cuts it onto the print, in words."""
        if self._print is None or not fitting.marks:
            return ""
        return practised_in_words(self._print.cut_off_by(fitting, fitted), show_for(self.machine))


def _card() -> tuple[Card, QVBoxLayout]:
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 14, 16, 14)
    layout.setSpacing(10)
    return card, layout


def _row(*widgets: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    for i, widget in enumerate(widgets):
        row.addWidget(widget, i)
    return row
