"""Measure: the piece with its callouts, and below it an echo large enough to read from a distance."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, Text, empty, tip
from keen_compass.app.port_link import PortLink
from keen_compass.app.round.callout import CalloutEdit
from keen_compass.app.round.chain_surface import ChainSurface
from keen_compass.app.round.instrument_bar import InstrumentBar
from keen_compass.app.round.measure_bars import IdentityBar, JudgedBar
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.paper_bar import PaperBar
from keen_compass.app.round.piece_canvas import PieceCanvas
from keen_compass.app.round.scan_panel import ScanPanel
from keen_compass.app.round.seen_panel import PictureBar, SeenPanel
from keen_compass.app.round.surface import surface_for
from keen_compass.app.round.warmth_bar import WarmthBar
from keen_compass.language import tr, written
from keen_compass.practice import stand_in
from keen_compass.procedures.stages import Step
from keen_compass.rounds.half_typed import Callout
from keen_compass.words.say import CORNERS, capital, say, show_for

if TYPE_CHECKING:
    from keen_compass.app.controller.jog_pad import JogPad

MOST_CHIPS = 6

LONG = 9  # letters of what the stand-in shows
ECHO, NARROW_ECHO = 200, 164  # px: width of the echo
RIM, BESIDE = 14, 14  # px: about the strip, and between its echo and its words
NARROW = 640  # px of the strip, below which its buttons say less


class MeasureStep(QWidget):
    """Also the second half of Confirm."""

    def __init__(self, model: RoundModel, link: PortLink) -> None:
        super().__init__()
        self._model, self._link = model, link
        self.jog: JogPad | None = None  # where places are read, and the machine can say itself where it is
        self.surface = surface_for(model.session.context.procedure.surface)
        self.surface.chosen.connect(lambda name: model.attempt("measure", lambda: model.session.measuring.choose(name)))
        self.surface.typed.connect(model.session.measuring.type)
        self.surface.marked.connect(self._mark)
        self.surface.placed.connect(model.session.measuring.place)
        self.surface.wanted.connect(lambda run: model.attempt("measure", run))
        if isinstance(self.surface, ChainSurface):
            self.surface.offer_choices(model)
        self.strip = Strip(model)
        self.identity = IdentityBar(model)
        self.instruments = InstrumentBar(model)
        self.warmth = WarmthBar(model)
        self.judged = JudgedBar(model)
        self.photo, self.seen, self.scan = PictureBar(model), SeenPanel(model), ScanPanel(model)
        self.paper = PaperBar(model)
        self.identity.answered.connect(self.take_focus)
        self.photo.done.connect(self.take_focus)
        self.seen.done.connect(self.take_focus)
        self.scan.done.connect(self.take_focus)
        if isinstance(self.surface, PieceCanvas):
            self.surface.edge.connect(self.judged.point_at)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.instruments)
        layout.addWidget(self.identity)
        layout.addWidget(self.warmth)
        layout.addWidget(self.judged)
        layout.addWidget(self.photo)
        layout.addWidget(self.seen, 1)
        layout.addWidget(self.scan, 1)
        layout.addWidget(self.surface, 1)
        layout.addWidget(self.paper)
        layout.addWidget(self.strip)
        link.changed.connect(self._follow_link)
        self._wired: set[CalloutEdit] = set()

    def refresh(self) -> None:
        """Show the piece and what is on it; the current callout gets the keyboard."""
        session = self._model.session
        piece = session.context.piece
        if piece is None:
            return
        callouts = session.measuring.callouts()
        frozen = session.context.shop.read_only or session.settled
        self.surface.show_session(session, callouts, frozen=frozen)
        for edit in self.surface.edits():
            if edit not in self._wired:
                self._wire(edit)
        self.strip.refresh(callouts)
        self.identity.refresh(editable=not frozen)
        self.warmth.refresh()
        self.judged.refresh(editable=not frozen)
        self.instruments.refresh()
        self.photo.refresh(editable=not frozen)
        self.seen.refresh()
        self.scan.refresh()
        self.paper.refresh()
        looking = self._looking()  # nothing else is asked meanwhile
        self.surface.setVisible(not looking)
        self.strip.setVisible(not looking)
        self._follow_link()

    def _looking(self) -> bool:
        """At a picture, whose readings are to be taken or left."""
        session = self._model.session
        return session.seen_sheet.looked is not None or session.seen_piece.looked is not None

    def where(self) -> tuple[object, ...]:
        """What is asked first: with its answer the keyboard moves on."""
        return self.instruments.wanted(), self._looking()

    def read_from_scan(self) -> None:
        """Ask for a scan of the piece that is measured, or no more."""
        if self._model.session.seen_piece.possible:
            self.photo.wanted = not self.photo.wanted
            self.refresh()
            (self.photo.source.file if self.photo.isVisibleTo(self) else self).setFocus()

    def _follow_link(self) -> None:
        """With a cable the head is moved from here, and Enter takes where it is."""
        session = self._model.session
        by = session.context.procedure.read_by
        current = session.measuring.next_reading() if by.spots and not by.pictured else None
        wanted = self._link.ready and current is not None and not session.settled and not session.context.shop.read_only
        if wanted and self.jog is None:
            from keen_compass.app.controller.jog_pad import JogPad

            self.jog = JogPad(self._link, session.context.machine, small=True)
            self.jog.entered.connect(self._stands)
            layout = self.layout()
            assert isinstance(layout, QVBoxLayout)
            layout.insertWidget(layout.indexOf(self.strip), self.jog)
        if self.jog is not None:
            self.jog.setVisible(wanted)

    def _stands(self, x: float, y: float) -> None:
        def take() -> None:
            self._model.session.measuring.type(f"{x:.4f} mm {y:.4f} mm")
            self._model.session.measuring.keep()

        self._model.attempt("measure", take)
        if self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.setFocus()

    def take_focus(self) -> None:
        """Give the keyboard to wherever one types next."""
        edit = self.surface.current_edit()
        if self.seen.isVisibleTo(self):
            self.seen.take_focus()
        elif self.scan.isVisibleTo(self):
            self.scan.take_focus()
        elif self.instruments.isVisibleTo(self):
            self.instruments.take_focus()
        elif self.identity.isVisibleTo(self):
            self.identity.line.setFocus()
        elif self.jog is not None and self.jog.isVisibleTo(self):
            self.jog.setFocus()
        elif edit is not None:
            edit.setFocus()
        else:
            self.strip.take_focus()

    def step_callout(self, by: int) -> None:
        """To the next or the one before, from nowhere to what doesn’t fit; a dial turns by a division instead."""
        if self.surface.nudge(by):
            return
        measuring = self._model.session.measuring
        names = [m.name for m in measuring.seen()]
        if not names:
            return
        current = measuring.current()
        doubtful = {name for f in measuring.findings() for name in f.doubtful}
        first = next((i for i, name in enumerate(names) if name in doubtful), 0)
        index = (names.index(current) + by) % len(names) if current in names else first
        self._model.attempt("measure", lambda: measuring.choose(names[index]))
        self.take_focus()

    def _wire(self, edit: CalloutEdit) -> None:
        measuring = self._model.session.measuring
        self._wired.add(edit)
        edit.textEdited.connect(measuring.type)
        edit.pasted.connect(measuring.type)
        edit.kept.connect(self._keep)
        edit.taken_back.connect(lambda: self._model.attempt("measure", self._model.session.measuring.take_back))
        edit.stepped.connect(self.step_callout)

    def _mark(self, measurand: str, text: str) -> None:
        self._model.attempt("measure", lambda: self._model.session.measuring.mark(measurand, text))
        self.take_focus()

    def _keep(self) -> None:
        self._model.attempt("measure", self._model.session.measuring.keep)
        self.take_focus()


class Strip(Card):
    """Echo of the current callout, instrument and hint, kept readings, and the way on."""

    go_on = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.echo = QLabel()
        self.echo.setFont(th.font(th.ECHO, bold=True))
        self.echo.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.echo.setFixedWidth(ECHO)
        self._name = Line("", 18, bold=True)
        self._hint = Text("", colour="soft")
        self._hint.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._hints: tuple[object, tuple[str, ...]] = (None, ())  # codes and words, of all that is read here
        self._chips = QHBoxLayout()
        self._chips.setSpacing(6)
        self.practice = Button("", self.type_practice, "quiet", "caliper")
        self.skip = Button(tr("Can’t read it"), self._skip, "quiet")
        self.turn = Button(tr("Turn over  F7"), self.turn_over, "quiet")
        self.more = Button(
            tr("One more pass"), lambda: model.attempt("measure", model.session.measuring.another_pass), "quiet"
        )
        self.another = Button(tr("One more equal piece"), self._make_another, "quiet", "cut")
        self.onward = Button(tr("To Correct"), self.go_on.emit, "primary")
        words = QVBoxLayout()
        words.setSpacing(3)
        words.addWidget(self._name)
        words.addWidget(self._hint)
        words.addLayout(self._chips)
        top = QHBoxLayout()
        top.setSpacing(BESIDE)
        top.addWidget(self.echo)
        top.addLayout(words, 1)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        for b in (self.practice, self.skip, self.turn, self.more, self.another):
            buttons.addWidget(b)
        self._trouble = Text("", colour="bad")
        self._trouble.hide()
        buttons.addStretch(1)
        buttons.addWidget(self.onward)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(RIM, 10, RIM, 10)
        layout.setSpacing(8)
        layout.addLayout(top)
        layout.addWidget(self._trouble)
        layout.addLayout(buttons)
        self._shown: list[tuple[int, str]] | None = None

    def spoken(self) -> str:
        """What is read now, as far as it is typed, and what is wrong with it."""
        if not self.isVisible():
            return ""
        return f"{self._name.text()}: {self.echo.text()}. {self._trouble.text()}".strip()

    def take_focus(self) -> None:
        """On what leads on, where everything is read; where nothing leads on from here, on what can be done instead."""
        ways = (self.onward, self.another, self.more)
        next((b for b in ways if b.isEnabled() and b.isVisibleTo(self)), self.onward).setFocus()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What is read is still there whole."""
        super().resizeEvent(event)
        short = self.width() < NARROW and not self._model.session.context.procedure.read_by.spots  # two numbers at once
        self.echo.setFixedWidth(NARROW_ECHO if short else ECHO)
        self._fit_hint()

    def _fit_hint(self) -> None:
        """As many lines as any hint of this piece needs: the picture above stays where it is while one reads."""
        metrics, (_, hints) = self._hint.fontMetrics(), self._hints
        room = self.width() - 2 * RIM - self.echo.width() - BESIDE
        lines = 1 + any(metrics.horizontalAdvance(words) > room for words in hints)
        if (height := lines * metrics.lineSpacing() + 1) != self._hint.minimumHeight():
            self._hint.setFixedHeight(height)

    def turn_over(self) -> None:
        """Read the piece's other side."""
        measuring = self._model.session.measuring
        if measuring.turns:
            self._model.attempt("measure", measuring.turn_over)
            step = self.parent()
            if isinstance(step, MeasureStep):
                step.take_focus()

    def refresh(self, callouts: list[Callout]) -> None:
        """Show the current callout, or that all is read."""
        session = self._model.session
        current = next((c for c in callouts if c.current), None)
        instrument = session.context.instrument
        editable = not session.context.shop.read_only and not session.settled
        self.turn.setVisible(session.measuring.turns and editable)
        if (of := tuple(c.measurand.hint for c in callouts)) != self._hints[0]:
            self._hints = of, tuple(map(say, dict.fromkeys(of)))
            self._fit_hint()
        if current:
            self._show_current(current)
            looks = session.context.procedure.on_stock.numbered and not any(c.readings for c in callouts)
            self._hint.say(
                (self._first_look() if looks else "") or say(current.measurand.hint, show_for(session.context.machine))
            )
            if instrument is None and session.measuring.instrument() is None:
                where = tr("in Make") if session.context.instruments else tr("above")
                self._hint.say(tr("No instrument yet: choose one {where}.", where=where))
            self.skip.setText(tr("It can be read") if current.skipped else tr("Can’t read it"))
        else:
            last = next((c for c in callouts if c.readings), None)
            self._echo("✓" if last else "", "good")
            self._name.say(tr("All read"))
            self._hint.say(tr("Click a place to change it."))
            self._show_chips([])
        takes = editable and stand_in.takes(session)
        shown = stand_in.shows(session) if editable and not takes else None
        self.practice.setVisible(bool(shown) or takes)
        narrow = self.width() < NARROW and (self.turn.isVisibleTo(self) or len(shown or "") > LONG)
        self.practice.setText(f" {shown}  F8" if narrow else tr(" Practice {shown}   F8", shown=shown))
        self.turn.setText(tr("Turn over") if narrow else tr("Turn over  F7"))
        self.practice.setAccessibleName(tr("The practice instrument shows {shown}: type it", shown=shown))
        if takes:
            self.practice.name(tr(" Take a practice picture   F8"))
        self.skip.setVisible(current is not None and editable)
        self.more.setVisible(current is None and editable and not session.context.procedure.starting)
        again = session.goes_again()
        self.another.name(tr("Print another   F6") if again else tr("One more equal piece"))
        self.another.setVisible(editable and (again or session.one_more_helps()))
        trouble = self._model.trouble.get("measure", "")
        self._trouble.say("" if current and current.complaint == trouble else trouble)  # the callout says it already

    def _make_another(self) -> None:
        """Back to Make: the next piece is the same, beside this one; or another print of the same job."""
        session = self._model.session
        again = session.goes_again()
        self._model.attempt("measure", session.print_again if again else lambda: session.go(Step.MAKE))

    def _first_look(self) -> str:
        """Before the first reading: is it the right piece, the right way round?"""
        context = self._model.session.context
        right, away = context.machine.standpoint.to_view(-1, -1)  # the dot is at the lowest X and Y
        corner = tr(CORNERS[away >= 0, right >= 0])
        return tr("Lay it as it was cut: its dot {corner}", corner=corner)

    def show_onward(self, words: str, *, enabled: bool, why_not: str) -> None:
        """What the main button does now."""
        self.onward.setText(words)
        self.onward.setAccessibleName(words)
        self.onward.setVisible(bool(words))
        self.onward.setEnabled(enabled)
        tip(self.onward, why_not)

    def type_practice(self) -> None:
        """Type what the practice caliper shows, and keep it: a caliper that types does the same."""
        session = self._model.session
        measuring = session.measuring
        if stand_in.takes(session):  # a picture is looked at before it counts
            self._model.attempt("measure", lambda: stand_in.take(session))
            return
        shown = stand_in.shows(session)
        if shown is None:
            return

        def run() -> None:
            measuring.type(shown)
            measuring.keep()

        self._model.attempt("measure", run)

    def _show_current(self, c: Callout) -> None:
        done = min(len(c.readings) + 1, max(c.wanted, len(c.readings) + 1))
        editing = self._model.session.measuring.editing
        label = capital(say(c.measurand.label, show_for(self._model.session.context.machine)))
        if c.measurand.unit not in ("mm", ""):
            label = f"{label}, {c.measurand.unit}"
        if c.skipped:
            self._name.say(tr("{label}: can’t be read, left out", label=label))
        elif editing:
            self._name.say(tr("{label}: Enter replaces {text}", label=label, text=editing.text))
        else:
            of = max(c.wanted, done)
            self._name.say(tr("{label}, reading {done} of {of}", label=label, done=done, of=of) if of > 1 else label)
        if c.draft:
            self._echo(c.draft, "bad" if c.complaint else "focus")
        elif c.readings:
            self._echo(c.readings[-1].text, "soft")
        elif c.measurand.usual is not None:
            self._echo(written(f"{c.measurand.usual:g}"), "soft")
        else:
            self._echo("–", "soft")
        self._show_chips([(r.slot, r.text) for r in c.readings[-MOST_CHIPS:]])

    def _echo(self, words: str, colour: str) -> None:
        width = self.echo.width() - 16
        px = th.ECHO
        while px > th.VERDICT and QFontMetrics(th.font(px, bold=True)).horizontalAdvance(words) > width:
            px -= 4
        face = th.font(px, bold=True)
        self.echo.setFont(face)
        self.echo.setText(QFontMetrics(face).elidedText(words, Qt.TextElideMode.ElideRight, width))
        sheet = f"color: {getattr(th.theme(), colour)}; background: {th.theme().paper}; border-radius: 8px;"
        if sheet != self.echo.styleSheet():
            self.echo.setStyleSheet(sheet)

    def _show_chips(self, chips: list[tuple[int, str]]) -> None:
        if chips == self._shown:
            return
        self._shown = chips
        empty(self._chips)
        for slot, words in chips:
            chip = Button(words, partial(self._edit, slot), "quiet")
            chip.setAccessibleName(tr("Change the reading {words}", words=words))
            chip.setToolTip(tr("Change this reading"))
            chip.setStyleSheet("QPushButton { min-height: 28px; padding: 0 10px; }")
            self._chips.addWidget(chip)
        kept = tr("saved") if self.width() < NARROW else tr("saved; press one to change it")
        self._chips.addWidget(Line(kept if chips else "", colour="soft"), 1)

    def _edit(self, slot: int) -> None:
        self._model.attempt("measure", lambda: self._model.session.measuring.edit(slot))
        step = self.parent()
        if isinstance(step, MeasureStep):
            step.take_focus()

    def _skip(self) -> None:
        measuring = self._model.session.measuring
        current = measuring.current()
        if current:
            self._model.attempt("measure", lambda: measuring.skip(current))
