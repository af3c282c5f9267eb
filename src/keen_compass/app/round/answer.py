"""The answer, live at every keystroke: old → new ± U, one line of arithmetic, the verdict, the rounds so far."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QPainter, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import (
    STATE_COLOUR,
    VERDICT_STATE,
    Button,
    Card,
    Line,
    StateSign,
    Text,
    empty,
    painter_on_card,
    tip,
)
from keen_compass.app.round import words
from keen_compass.app.round.model import RoundModel
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.catalogue import QUANTITIES, Lives
from keen_compass.quantities.charts import Section, Shown
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.stored import StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.making import Resolves
from keen_compass.shop.standing import Spoke, State
from keen_compass.words.doing import doing_in_words, task_of
from keen_compass.words.limits import limits_in_words
from keen_compass.words.procedures import about
from keen_compass.words.say import Show, capital, say, show_for

MOST_BELOW = 4
STATE_WORDS = {
    State.IN: "in",
    State.OUT: "out",
    State.CANNOT_TELL: "can’t tell",
    State.RECHECK: "re-check",
    State.NEVER: "never measured",
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
        self._name.say(name)
        self._old.say("")
        self._new.say(number)
        self._U.say("")
        who = "Files take this now." if in_file else "The controller holds this now."
        who = "Done by hand so far." if by_hand else who
        self._formula.say(who if number != "–" else "Not found yet.", "soft")
        self._band.hide()
        self._detail.say("")
        self._limits.say("")

    def show_finding(self, name: str, f: Finding, stored: StoredValue, machine: Machine) -> None:
        """Show another finding, or the same anew."""
        self._name.say(name)
        decimals = machine.place(f.quantity).decimals
        old = words.number(stored, f.old, decimals) if f.old is not None else ""
        stays = f.verdict is Verdict.IN or f.new is None
        by_hand = QUANTITIES[f.quantity].lives is Lives.BY_HAND
        counts = old_or_new(f)
        number = words.number(stored, counts, decimals) if counts is not None else "–"
        if by_hand:  # what is to be done now; the sum of all that was done stands small above
            now, what = ("", "") if stays else doing_in_words(f, show_for(machine))
            self._old.say("")
            self._new.say("Leave it" if f.verdict is Verdict.IN else now or "–")
            self._U.say(words.new_uncertainty(f) if task_of(f) else "")
            self._formula.say("" if stays else f"{capital(what)}\nIn all {old} → {number}".strip(), "ink")
        else:
            self._old.say("" if stays else f"{old} →")
            self._new.say(number)
            self._U.say("stays" if f.verdict is Verdict.IN else words.new_uncertainty(f))
            self._formula.say("" if stays else say(f.formula, show_for(machine)), "ink")
        self._band.show()
        unit = words.unit_words(f.error_unit, machine.units)
        headline = words.headline(f, machine.units)
        self._band.show_verdict(f.verdict, headline)
        said = headline if f.error_unit != "mm/m" else f"{headline} {unit}"
        tip(self._band, said)
        beside = task_of(f) if by_hand and not stays else None
        self._detail.say(words.consequence(f, machine, beside), "soft")
        self._limits.say(limits_in_words(f.limits), "soft")
        self.setAccessibleName(f"{name}: {said}. {words.consequence(f, machine)}")

    def show_plan(
        self, name: str, number: str, U: float | None, T: float, unit: str, *, measured: bool, more: str = ""
    ) -> None:
        """Before making: what this size would tell. unit: of U and T, in words; measured: with an instrument;
        more: what a larger one would bring.
        """
        self._name.say(name)
        self._limits.say("")
        self._old.say("")
        self._new.say(number)
        self._U.say("now" if number != "–" else "")
        self._band.show()
        if U is None:
            self._formula.say("")
            self._band.show_verdict(Verdict.UNRESOLVED, "Not known yet" if measured else "No instrument yet")
            allowed = f"{T:.{0 if T >= 100 else 2}f} {unit} is allowed."
            self._detail.say(allowed if measured else "Choose what you measure with.", "soft")
            return
        self._formula.say("")
        good, possible = 3 * U <= T, U < T
        self._band.show_verdict(
            Verdict.IN if good else Verdict.CANNOT_TELL if possible else Verdict.OUT,
            f"Resolves to ± {U:.{two_significant(U)}f}",
        )
        enough = "clear enough" if good else "only large errors will be clear" if possible else "too coarse to tell"
        self._detail.say(f"{unit}, where {T:.2f} is allowed: {enough}. {more}".strip(), "soft")


WORTH_LARGER = 0.85  # of U: a larger piece that brings less is not worth its material
SECTION = 96  # px
ALONE = 170  # px, height of the chart of a single piece


class RoundsChart(QWidget):
    """Error of each piece of the round against the tolerance band."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(118)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._history: list[tuple[int, Solution | None]] = []
        self._unit, self._names, self._noun = "", ["X", "Y"], "piece"

    def show_history(self, history: list[tuple[int, Solution | None]], unit: str, names: list[str], noun: str) -> None:
        """(piece number, what it said); names: of the quantities, in a word each; noun: piece or run."""
        self._history, self._unit, self._names, self._noun = history, unit, names, noun
        self.setAccessibleName(f"Errors of {len(history)} pieces of this round against the tolerance")
        self.setMaximumHeight(ALONE if len(history) < 2 else 16_777_215)  # one point needs no wide field
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Band, axis words, one sign per quantity and piece."""
        p = painter_on_card(self)
        points = [
            (column, f)
            for column, (_, solution) in enumerate(self._history)
            for f in (solution.findings if solution else ())
            if f.error is not None and f.tolerance
        ]
        plot = QRectF(54, 34, self.width() - 70, self.height() - 66)
        reach = max(
            [1.5, *((abs(f.harm or 0) + (f.expanded_uncertainty or 0)) / f.tolerance * 1.08 for _, f in points)]
        )
        one_tolerance = len({f.tolerance for _, f in points}) == 1
        self._draw_band(p, plot, reach, points[0][1].tolerance if one_tolerance else None)
        self._draw_legend(p)
        if not points:
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("good"))
            p.drawText(plot, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, "tolerance; no number yet")
        for series, quantity in enumerate(dict.fromkeys(f.quantity for _, f in points)):
            self._draw_series(p, plot, reach, [(c, f) for c, f in points if f.quantity == quantity], series)
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        room = plot.width() / max(len(self._history), 2)
        for column, (number, _) in enumerate(self._history):
            x = self._x(plot, column)
            words_ = f"{self._noun} {number}"
            if p.fontMetrics().horizontalAdvance(words_) + 8 > room:  # the title says what the numbers are of
                words_ = str(number)
            p.drawText(QRectF(x - 50, plot.bottom() + 6, 100, 22), Qt.AlignmentFlag.AlignCenter, words_)

    def _x(self, plot: QRectF, column: int) -> float:
        return plot.left() + plot.width() * (column + 0.5) / max(len(self._history), 2)

    def _draw_band(self, p: QPainter, plot: QRectF, reach: float, tolerance: float | None) -> None:
        half = plot.height() / 2 / reach
        middle = plot.center().y()
        p.fillRect(QRectF(plot.left(), middle - half, plot.width(), 2 * half), th.color("good_fill"))
        p.setPen(QPen(th.color("good"), 1.2, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(plot.left(), middle), QPointF(plot.right(), middle))
        if tolerance is None:
            return
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        gap = max(half, 11)
        for y, label in ((middle - gap, f"+{tolerance:.3g}"), (middle + gap, f"−{tolerance:.3g}")):
            p.drawText(QRectF(2, y - 11, 46, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, label)

    def _draw_legend(self, p: QPainter) -> None:
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        widths = [p.fontMetrics().horizontalAdvance(name) + 26 for name in self._names]
        room = self.width() - 24 - sum(widths)
        words = next(
            (
                w
                for w in (f"{self._noun.capitalize()}s so far, {self._unit}", f"So far, {self._unit}", "So far")
                if p.fontMetrics().horizontalAdvance(w) <= room
            ),
            "",
        )
        p.drawText(QRectF(12, 6, room, 22), Qt.AlignmentFlag.AlignVCenter, words)
        x = float(self.width() - 8 - sum(widths))
        for i, (name, width) in enumerate(zip(self._names, widths, strict=True)):
            self._sign(p, QPointF(x + 6, 18), i, "ink")
            p.setPen(th.color("soft"))
            p.drawText(QRectF(x + 15, 6, width, 22), Qt.AlignmentFlag.AlignVCenter, name)
            x += width

    def _sign(self, p: QPainter, at: QPointF, series: int, colour: str) -> None:
        p.setPen(QPen(th.color(colour), 2))
        p.setBrush(th.color(colour if series == 0 else "card"))
        if series == 0:
            p.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
        else:
            p.drawEllipse(at, 5.5, 5.5)

    def _draw_series(
        self, p: QPainter, plot: QRectF, reach: float, points: list[tuple[int, Finding]], series: int
    ) -> None:
        scale = plot.height() / 2 / reach
        before: QPointF | None = None
        for column, f in points:
            e, U = (f.harm or 0) / f.tolerance, (f.expanded_uncertainty or 0) / f.tolerance
            at = QPointF(self._x(plot, column) + (-12 if series == 0 else 12), plot.center().y() - e * scale)
            if before:
                p.setPen(QPen(th.color("soft"), 1))
                p.drawLine(before, at)
            before = at
            colour = STATE_COLOUR[VERDICT_STATE[f.verdict]]
            p.setPen(QPen(th.color(colour), 2.4))
            p.drawLine(at - QPointF(0, U * scale), at + QPointF(0, U * scale))
            self._sign(p, at, series, colour)


class AnswerColumn(QWidget):
    """Right of the piece: one card per quantity, the question about odd readings, the rounds so far."""

    warmth_asked = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.cards = {q: FindingCard() for q in model.session.context.procedure.yields}
        self._odd = Button("They are right: compute", lambda: model.attempt("odd", model.session.measuring.confirm_odd))
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

    def offer_warmth(self, words: str) -> None:
        """The button that asks how warm it is; no words for none."""
        self.warmth.setVisible(bool(words))
        self.warmth.setText(words)
        self.warmth.setAccessibleName(f"How warm piece and instrument are. {words}")

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
            name = place.name(held[quantity]) if quantity in held else f"{axis.upper()} {machine.form.noun}"
            number = place.number(held[quantity]).replace("-", "−") if quantity in held else "–"
            if place.in_file and quantity == "kerf" and not float(number.replace("−", "-")):
                number = "–"  # nothing was found yet, and no cut is that narrow
            by_hand = QUANTITIES[quantity].lives is Lives.BY_HAND
            if by_hand and quantity in held and not float(number.replace("−", "-")):
                number = "–"  # nothing was done yet
            if planning:
                unit = words.unit_words(QUANTITIES[quantity].error_unit, machine.units)
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
        units = {QUANTITIES[q].error_unit for q in shown}
        unit = words.unit_words(units.pop(), machine.units) if len(units) == 1 else "in tolerances"
        self._chart.show_history(session.measuring.history(), unit, short_names(shown), session.context.procedure.noun)

    def _note(self, solution: Solution | None, *, planning: bool) -> str:
        session = self._model.session
        if planning:
            return ""
        if session.context.piece and session.measuring.cut_before_change():
            return "Cut before the change: solved with the numbers that were in the controller then."
        instrument = session.context.instrument
        if instrument and instrument.overdue(datetime.now(UTC).date()):
            return f"The check of {instrument.name} was due on {instrument.due}: measure something known first."
        skipped = sum(c.skipped for c in session.measuring.callouts())
        if skipped:
            return f"{skipped} of {len(session.measuring.callouts())} can’t be read and are left out."
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
        return f"With {shown}: ± {better:.{two_significant(better)}f}."


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
        self._layout.addWidget(Text("Better put right first", 16, "soft", bold=True))
        for spoke in open_below[:MOST_BELOW]:
            self._layout.addWidget(_Row(spoke))
        if len(open_below) > MOST_BELOW:
            self._layout.addWidget(Text(f"and {len(open_below) - MOST_BELOW} more", colour="soft"))


class _Row(QWidget):
    """Sign, label, state in words."""

    def __init__(self, spoke: Spoke) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        row.addWidget(StateSign(spoke.state))
        row.addWidget(Line(f"{spoke.label}: {STATE_WORDS[spoke.state]}"), 1)


class SectionPicture(QWidget):
    """The cut edge as it stands: upright dashed, as it leans solid, magnified; the limit of its range beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(SECTION)
        self._section: Section | None = None
        self.hide()

    def show_section(self, section: Section | None) -> None:
        """What to draw; hidden where nothing was read below."""
        self._section = section
        self.setVisible(section is not None)
        if section:
            self.setAccessibleName(
                f"Section of the edge: {section.larger_below:+.2f} mm larger below, range {section.range}"
            )
        self.update()

    def paintEvent(self, _event: object) -> None:
        """The sheet, its edge, and how far one may go."""
        s = self._section
        if s is None:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, low, middle = 24.0, self.height() - 8.0, self.width() * 0.42
        limit = s.limits[min(s.range, len(s.limits)) - 1]
        scale = 34.0 / max(limit, abs(s.larger_below) / 2)
        off = scale * s.larger_below / 2
        p.setPen(QPen(th.color("ink"), 2))
        p.setBrush(th.color("material"))
        p.drawPolygon(QPolygonF([QPointF(8, top), QPointF(middle, top), QPointF(middle + off, low), QPointF(8, low)]))
        p.setPen(QPen(th.color("soft"), 1.4, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(middle, top - 6), QPointF(middle, low))
        p.setPen(QPen(th.color("warn" if s.range > len(s.limits) else "good"), 2))
        edge = middle + scale * limit * (1 if off >= 0 else -1)
        p.drawLine(QPointF(edge, top), QPointF(edge, low))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words = f"range {s.range}: {limit:.2f}" if s.range <= len(s.limits) else f"beyond {limit:.2f}"
        p.drawText(
            QRectF(middle + 44, top, self.width() - middle - 46, low - top), Qt.AlignmentFlag.AlignVCenter, words
        )
        p.drawText(QRectF(12, 0, middle, 20), Qt.AlignmentFlag.AlignVCenter, "upper edge")


class FiguresCard(Card):
    """What else a procedure found: a standard's figures, tilts, step rates; and a microstep switch's settings."""

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(14, 10, 12, 10)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(3)
        self._section = SectionPicture()
        self._grid.addWidget(self._section, 99, 0, 1, 4)
        self._texts: dict[tuple[int, int, int], tuple[Text, bool]] = {}

    def show_figures(self, shown: Shown, show: Show) -> None:
        """Rows of words and numbers; hidden where there are none."""
        n = len(shown.lines)
        cells = [(say(what), (i, 0, 3), False, "soft") for i, (what, _) in enumerate(shown.lines)]
        cells += [(say(much, show), (i, 3, 1), True, "ink") for i, (_, much) in enumerate(shown.lines)]
        cells += [(say(head), (n, column, 1), False, "soft") for column, head in enumerate(shown.heads)]
        for i, s in enumerate(shown.settings, n + 1):
            colour = "ink" if s.worthwhile else "soft"
            cells += [(say(cell), (i, column, 1), s.now, colour) for column, cell in enumerate(s.cells)]
        if shown.foot:
            cells.append((say(shown.foot), (n + 1 + len(shown.settings), 0, 4), False, "soft"))
        for at in self._texts.keys() - {cell[1] for cell in cells}:
            text, _ = self._texts.pop(at)
            text.hide()
            text.deleteLater()
        for words_, at, bold, colour in cells:
            self._text_at(at, bold=bold).say(words_, colour)
        self._section.show_section(shown.section)
        self.setVisible(bool(cells))

    def _text_at(self, at: tuple[int, int, int], *, bold: bool) -> Text:
        """at: row, column, columns spanned. What stands there already stays: this runs at every keystroke."""
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
    layout.addWidget(Text("Rule out first", 16, "soft", bold=True))
    for sentence in sentences:
        layout.addWidget(Text(sentence))
    return card
