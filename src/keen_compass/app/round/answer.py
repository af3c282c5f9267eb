"""The answer, live at every keystroke: old → new ± U, one line of arithmetic, the verdict, the rounds so far."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetricsF, QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, Button, Card, Line, StateSign, Text, empty, tip
from keen_compass.app.round import words
from keen_compass.app.round.answer_charts import WORTH_LARGER, RoundsChart, SectionPicture
from keen_compass.app.round.model import RoundModel
from keen_compass.language import dated, marked, tr
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.stored import StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.choosing import Resolves
from keen_compass.shop.standing import Spoke, State
from keen_compass.words.consequences import HEADS
from keen_compass.words.doing import doing_in_words, task_of
from keen_compass.words.errors import ErrorUnit, shown_in
from keen_compass.words.limits import limits_in_words
from keen_compass.words.procedures import about
from keen_compass.words.say import Show, capital, finished, say, show_for

MOST_BELOW = 4
STATE_WORDS = {
    State.IN: marked("in"),
    State.OUT: marked("out"),
    State.CANNOT_TELL: marked("can’t tell"),
    State.RECHECK: marked("re-check"),
    State.NEVER: marked("never measured"),
}


class VerdictBand(QFrame):
    """Sign and headline on the colour of the verdict."""

    def __init__(self) -> None:
        super().__init__()
        self._sign = StateSign(size=26)
        self._words = Text("", th.VERDICT, bold=True)
        self._words.setWordWrap(False)
        self._words.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(6, 6, 4, 6)
        layout.setSpacing(6)
        layout.addWidget(self._sign)
        layout.addWidget(self._words, 1)
        self._surface = ""
        self._fitted = (0, "")

    def show_verdict(self, verdict: Verdict, headline: str) -> None:
        """The verdict and what it says."""
        state = VERDICT_STATE[verdict]
        colour = STATE_COLOUR[state]
        surface = "quiet_fill" if colour == "soft" else f"{colour}_fill"
        if surface != self._surface:
            self._surface = surface
            # The words' colour too: a palette that is set before the first polish is lost to the style sheet.
            fill, ink = (getattr(th.theme(), name) for name in (surface, "ink" if colour == "soft" else colour))
            self.setStyleSheet(
                f"VerdictBand {{ background: {fill}; border-radius: 7px; }} VerdictBand QLabel {{ color: {ink}; }}"
            )
        self._sign.show_state(state, surface)
        self._words.say(headline)
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A narrow column takes smaller words, not fewer."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room = self.width() - 42  # beside the sign
        if self._fitted == (room, self._words.text()):
            return
        self._fitted = room, self._words.text()
        sizes = range(th.VERDICT, th.TEXT, -1)
        px = next(
            (n for n in sizes if QFontMetricsF(th.font(n, bold=True)).horizontalAdvance(self._words.text()) <= room),
            th.TEXT,
        )
        if px != self._words.font().pixelSize():
            self._words.set_size(px, bold=True)


def old_or_new(f: Finding) -> object:
    """The number that counts from now on."""
    return f.old if f.verdict is Verdict.IN or f.new is None else f.new


class FindingCard(Card):
    """One quantity: its value, its verdict and why."""

    def __init__(self) -> None:
        super().__init__()
        self._name = Text("", 16, "soft", bold=True)
        self._old = Text("", 18, "soft")
        self._new = Text("", th.NEW_VALUE, bold=True)
        self._U = Text("", 17, "soft")
        for label in (self._old, self._new, self._U):
            label.setWordWrap(False)
        self._formula = Text()
        self._band = VerdictBand()
        self._detail = Text()
        self._limits = Text(colour="soft")
        numbers = QHBoxLayout()
        numbers.setSpacing(8)
        numbers.addWidget(self._new, 0, Qt.AlignmentFlag.AlignBaseline)
        numbers.addWidget(self._U, 0, Qt.AlignmentFlag.AlignBaseline)
        numbers.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 9, 12, 10)
        layout.setSpacing(5)
        top = QHBoxLayout()
        top.addWidget(self._name, 1)
        top.addWidget(self._old)
        layout.addLayout(top)
        layout.addLayout(numbers)
        layout.addWidget(self._formula)
        layout.addWidget(self._band)
        layout.addWidget(self._detail)
        layout.addWidget(self._limits)

    def show_waiting(self, name: str, number: str, *, in_file: bool = False, by_hand: bool = False) -> None:
        """Nothing read yet. in_file: no controller holds the number, our files carry it; by_hand: nothing does."""
        self.setAccessibleName("")
        self._name.say(name)
        self._old.say("")
        self._new.say(number)
        self._U.say("")
        who = tr("Files use this value now.") if in_file else tr("The controller holds this now.")
        who = tr("Done by hand so far.") if by_hand else who
        self._formula.say(who if number != "–" else tr("Not found yet."), "soft")
        self._band.hide()
        self._detail.say("")
        self._limits.say("")

    def show_finding(self, name: str, f: Finding, stored: StoredValue, machine: Machine) -> None:
        """Show another finding, or the same again."""
        self._name.say(name)
        decimals = machine.place(f.quantity).decimals
        old = words.number(stored, f.old, decimals) if f.old is not None else ""
        stays = f.verdict is Verdict.IN or f.new is None
        by_hand = QUANTITIES[f.quantity].lives is Lives.BY_HAND
        counts = old_or_new(f)
        number = words.number(stored, counts, decimals) if counts is not None else "–"
        if by_hand:  # what is to be done now; the sum of all that was done stands small above
            now, what = ("", "") if stays else doing_in_words(f, show_for(machine, f.quantity))
            self._old.say("")
            self._new.say(tr("Leave it") if f.verdict is Verdict.IN else now or "–")
            self._U.say(words.new_uncertainty(f) if task_of(f) else "")
            self._formula.say(
                ""
                if stays
                else tr("{what}\nIn all {old} → {number}", what=capital(what), old=old, number=number).strip(),
                "ink",
            )
        else:
            self._old.say("" if stays else f"{old} →")
            self._new.say(number)
            self._U.say(tr("stays") if f.verdict is Verdict.IN else words.new_uncertainty(f))
            self._formula.say("" if stays else say(f.formula, show_for(machine, f.quantity)), "ink")
        self._band.show()
        headline = words.headline(f, machine)
        self._band.show_verdict(f.verdict, headline)
        bare = f.error_unit == "mm/m" and f.verdict in HEADS
        said = f"{headline} {shown_in(f.error_unit, machine.unit_of(f.quantity)).words}" if bare else headline
        tip(self._band, said)
        beside = task_of(f) if by_hand and not stays else None
        self._detail.say(words.consequence(f, machine, beside), "soft")
        self._limits.say(limits_in_words(f.limits), "soft")
        self.setAccessibleName(f"{name}: {finished(said)} {words.consequence(f, machine)}")

    def show_plan(
        self, name: str, number: str, U: float | None, T: float, unit: ErrorUnit, *, measured: bool, more: str = ""
    ) -> None:
        """Before making: what this size would tell. U, T: in the unit that errors are found in; unit: to show them in;
        measured: with an instrument; more: what a larger one would bring.
        """
        T /= unit.size
        self._name.say(name)
        self._limits.say("")
        self._old.say("")
        self._new.say(number)
        self._U.say(tr("now") if number != "–" else "")
        self._band.show()
        if U is None:
            self._formula.say("")
            self._band.show_verdict(Verdict.UNRESOLVED, tr("Not known yet") if measured else tr("No instrument yet"))
            allowed = tr("{T:.{decimals}f} {words} is allowed.", T=T, decimals=0 if T >= 100 else 2, words=unit.words)
            self._detail.say(allowed if measured else tr("Choose what you measure with."), "soft")
            return
        self._formula.say("")
        U /= unit.size
        good, possible = 3 * U <= T, U < T
        self._band.show_verdict(
            Verdict.IN if good else Verdict.CANNOT_TELL if possible else Verdict.OUT,
            tr("Expected uncertainty ± {U:.{decimals}f}", U=U, decimals=two_significant(U)),
        )
        enough = (
            tr("clear enough") if good else tr("only large errors will show") if possible else tr("too coarse to tell")
        )
        self._detail.say(
            tr(
                "{words}, where {T:.2f} is allowed: {enough}. {more}", words=unit.words, T=T, enough=enough, more=more
            ).strip(),
            "soft",
        )


class AnswerColumn(QWidget):
    """Right of the piece: one card per quantity, the question about odd readings, the rounds so far."""

    warmth_asked = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.cards = {q: FindingCard() for q in model.session.context.procedure.yields}
        self._odd = Button(
            tr("Readings are right: continue"), lambda: model.attempt("odd", model.session.measuring.confirm_odd)
        )
        self._notes = Text(colour="soft")
        self.warmth = Button("", self.warmth_asked.emit, "quiet")
        self._figures = FiguresCard()
        self._chart = RoundsChart()
        self._below = BelowCard()
        self._lookalikes = _lookalikes(about(model.session.context.procedure.name).lookalikes)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        for card in self.cards.values():
            layout.addWidget(card)
        layout.addWidget(self._odd)
        layout.addWidget(self._notes)
        layout.addWidget(self.warmth)
        layout.addWidget(self._figures)
        layout.addWidget(self._below)
        layout.addWidget(self._lookalikes)
        layout.addWidget(self._chart, 100)
        layout.addStretch(1)

    def spoken(self) -> str:
        """What is found so far, quantity by quantity."""
        return " ".join(card.accessibleName() for card in self.cards.values() if not card.isHidden())

    def offer_warmth(self, words: str) -> None:
        """The button that asks the temperature; no words for none."""
        self.warmth.setVisible(bool(words))
        self.warmth.setText(words)
        self.warmth.setAccessibleName(tr("Temperature of piece and instrument. {words}", words=words))

    def refresh(self, *, planning: bool) -> None:
        """Show the answer; while planning, what the next piece would tell."""
        session = self._model.session
        machine, held = session.context.machine, session.context.values()
        solution = None if planning else session.measuring.answer()
        resolves = session.making.resolves() if planning else Resolves({}, {})
        shown = session.context.yields
        for quantity, card in self.cards.items():
            card.setVisible(quantity in shown)
            if quantity not in shown:
                continue
            finding = solution.finding(quantity) if solution else None
            axis = QUANTITIES[quantity].axis
            place = machine.place(quantity)
            stored = held.get(quantity)
            name = place.name(stored) if stored else f"{axis.upper()} {tr(machine.form.noun)}"
            number = place.number(stored).replace("-", "−") if stored else "–"
            by_hand = QUANTITIES[quantity].lives is Lives.BY_HAND
            if (
                stored
                and not round(stored.value, place.decimals)
                and (by_hand or (place.in_file and quantity == "kerf"))
            ):
                number = "–"  # nothing was done, or found, yet: no cut is that narrow
            if planning:
                unit = shown_in(QUANTITIES[quantity].error_unit, machine.unit_of(quantity))
                measured = session.context.instrument is not None
                U, T = resolves.U.get(quantity), resolves.T[quantity]
                card.show_plan(name, number, U, T, unit, measured=measured, more=self._more(quantity, U))
            elif finding and quantity in held:
                card.show_finding(name, session.context.procedure.for_logbook(finding), held[quantity], machine)
            else:
                card.show_waiting(name, number, in_file=place.in_file, by_hand=by_hand)
        odd = solution is not None and any(f.verdict is Verdict.IMPLAUSIBLE for f in solution.findings)
        self._odd.setVisible(odd)
        self._notes.say(self._note(solution, planning=planning))
        self._chart.setVisible(not planning and not session.context.procedure.starting)
        self._lookalikes.setVisible(planning or session.context.procedure.starting)
        self._below.show_open(session.context.open_below() if planning else [])
        found = session.context.procedure.shown(solution.figures if solution else {})
        self._figures.show_figures(found, show_for(session.context.machine))
        units = {shown_in(QUANTITIES[q].error_unit, machine.unit_of(q)) for q in shown}
        unit = units.pop() if len(units) == 1 else ErrorUnit(tr("in tolerances"), "")
        self._chart.show_history(session.measuring.history(), unit, short_names(shown), session.context.procedure.noun)

    def _note(self, solution: Solution | None, *, planning: bool) -> str:
        session = self._model.session
        if planning:
            return ""
        if session.context.piece and session.measuring.cut_before_change():
            return tr("Cut before the change: evaluated with the values that the controller held then.")
        instrument = session.context.instrument
        if instrument and (due := instrument.overdue(datetime.now(UTC).date())):
            return tr(
                "The check of {name} was due on {due}: measure something known first.",
                name=instrument.name,
                due=dated(due),
            )
        skipped = sum(c.skipped for c in session.measuring.callouts())
        if skipped:
            return tr(
                "{skipped} of {n} can’t be read and are left out.", skipped=skipped, n=len(session.measuring.callouts())
            )
        said = solution.notes if solution and not solution.findings else ()
        return say(said[0], show_for(session.context.machine)) if said else ""

    def _more(self, quantity: str, U: float | None) -> str:
        """``540 mm: ± 0.07``: what the largest piece that fits would bring, where that is worth a word."""
        session = self._model.session
        larger = session.making.larger()
        better = larger[1].U.get(quantity) if larger else None
        if larger is None or better is None or U is None or better > WORTH_LARGER * U:
            return ""
        shown = show_length(larger[0], session.context.machine.units)
        better /= shown_in(QUANTITIES[quantity].error_unit, session.context.machine.unit_of(quantity)).size
        return tr(
            "With {shown}: ± {better:.{decimals}f}.", shown=shown, better=better, decimals=two_significant(better)
        )


class BelowCard(Card):
    """What this rests on and what isn't in: measured now, it would have to be measured again."""

    def __init__(self) -> None:
        super().__init__()
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(14, 10, 12, 12)
        self._shown: object = None

    def show_open(self, open_below: list[Spoke]) -> None:
        """Each with its sign; hidden where everything below is in."""
        self.setVisible(bool(open_below))
        now = [(s.quantity, s.state) for s in open_below]
        if now == self._shown:
            return
        self._shown = now
        empty(self._layout)
        self._layout.addWidget(Text(tr("Correct these first"), 16, "soft", bold=True))
        for spoke in open_below[:MOST_BELOW]:
            self._layout.addWidget(_Row(spoke))
        if len(open_below) > MOST_BELOW:
            self._layout.addWidget(Text(tr("and {n} more", n=len(open_below) - MOST_BELOW), colour="soft"))


class _Row(QWidget):
    """Sign, label, state in words."""

    def __init__(self, spoke: Spoke) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(StateSign(spoke.state))
        row.addWidget(Line(f"{spoke.label}: {tr(STATE_WORDS[spoke.state])}"), 1)


class FiguresCard(Card):
    """What else a procedure found: a standard's figures, tilts, step rates; and a microstep switch's settings."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(14, 10, 12, 10)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._section = SectionPicture()
        self._grid.addWidget(self._section, 99, 0, 1, 4)
        self._texts: dict[tuple[int, int, int], tuple[Text, bool]] = {}

    def show_figures(self, shown: Shown, show: Show) -> None:
        """Rows of words and numbers; hidden where there are none."""
        n = len(shown.lines)
        cells = [(say(what, show), (i, 0, 3), False, "soft") for i, (what, _) in enumerate(shown.lines)]
        cells += [(say(much, show), (i, 3, 1), True, "ink") for i, (_, much) in enumerate(shown.lines)]
        cells += [(say(head, show), (n, column, 1), False, "soft") for column, head in enumerate(shown.heads)]
        for i, s in enumerate(shown.settings, n + 1):
            colour = "ink" if s.worthwhile else "soft"
            cells += [(say(cell, show), (i, column, 1), s.now, colour) for column, cell in enumerate(s.cells)]
        if shown.foot:
            cells.append((say(shown.foot, show), (n + 1 + len(shown.settings), 0, 4), False, "soft"))
        for at in self._texts.keys() - {cell[1] for cell in cells}:
            text, _ = self._texts.pop(at)
            text.hide()
            text.deleteLater()
        for words_, at, bold, colour in cells:
            self._text_at(at, bold=bold).say(words_, colour)
        self._section.show_section(shown.section)
        self.setVisible(bool(cells))

    def _text_at(self, at: tuple[int, int, int], *, bold: bool) -> Text:
        """at: row, column, columns spanned. What is there already stays: this runs at every keystroke."""
        text, was_bold = self._texts.get(at, (None, False))
        if text is None:
            text = Text(bold=bold)
            text.setWordWrap(at[2] > 1)
            right = Qt.AlignmentFlag.AlignRight if at[2] == 1 else Qt.AlignmentFlag(0)
            self._grid.addWidget(text, at[0], at[1], 1, at[2], right)
        elif bold is not was_bold:
            text.set_size(th.TEXT, bold=bold)
        self._texts[at] = text, bold
        return text


def short_names(quantities: tuple[str, ...]) -> list[str]:
    """Axis letters where they tell the quantities apart, else the words after them."""
    letters = [QUANTITIES[q].axis.upper() for q in quantities]
    if len(quantities) == 1:
        return [QUANTITIES[quantities[0]].label]
    if len(set(letters)) == len(letters):
        return letters
    return [QUANTITIES[q].label.partition(" ")[2] or QUANTITIES[q].label for q in quantities]


def _lookalikes(sentences: tuple[str, ...]) -> Card:
    """What only looks like calibration, shown before material is spent."""
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(14, 10, 12, 12)
    layout.addWidget(Text(tr("Rule these out first"), 16, "soft", bold=True))
    for sentence in sentences:
        layout.addWidget(Text(tr(sentence)))
    return card
