"""The answer, live at every keystroke: old → new ± U, one line of arithmetic, the verdict, the rounds so far."""

from __future__ import annotations

from datetime import UTC, datetime

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, Button, Card, StateSign, Text, painter_on_card
from keen_compass.app.round import words
from keen_compass.app.round.model import RoundModel
from keen_compass.procedures.rounds.making import Resolves
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.uncertainty import two_significant
from keen_compass.quantities.verdict import Verdict


class VerdictBand(QFrame):
    """Sign and headline on the colour of the verdict."""

    def __init__(self) -> None:
        super().__init__()
        self._sign = StateSign(size=26)
        self._words = Text("", th.VERDICT, bold=True)
        self._words.setWordWrap(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(10, 6, 8, 6)
        layout.addWidget(self._sign)
        layout.addWidget(self._words, 1)
        self._surface = ""

    def show_verdict(self, verdict: Verdict, headline: str) -> None:
        """The verdict and what it says."""
        state = VERDICT_STATE[verdict]
        colour = STATE_COLOUR[state]
        surface = "quiet_fill" if colour == "soft" else f"{colour}_fill"
        if surface != self._surface:
            self._surface = surface
            self.setStyleSheet(f"VerdictBand {{ background: {getattr(th.theme(), surface)}; border-radius: 7px; }}")
        self._sign.show_state(state, surface)
        self._words.say(headline, "ink" if colour == "soft" else colour)


class FindingCard(Card):
    """One quantity's answer."""

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
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)

    def show_waiting(self, name: str, number: str) -> None:
        """Nothing read yet."""
        self._name.say(name)
        self._old.say("")
        self._new.say(number)
        self._U.say("")
        self._formula.say("The controller holds this now.", "soft")
        self._band.hide()
        self._detail.say("")

    def show_finding(self, name: str, f: Finding, decimals: int, units: str) -> None:
        """The answer."""
        self._name.say(name)
        old = words.number(f, f.old, decimals)
        stays = f.verdict is Verdict.IN or f.new is None
        self._old.say("" if stays else f"{old} →")
        self._new.say(old if stays else words.number(f, f.new, decimals))
        self._U.say("stays" if f.verdict is Verdict.IN else words.new_uncertainty(f))
        self._formula.say("" if stays else f.formula, "ink")
        self._band.show()
        unit = words.unit_words(f.error_unit, units)
        headline = words.headline(f)
        self._band.show_verdict(f.verdict, headline)
        self._band.setToolTip(f"{headline} {unit}")
        self._detail.say(words.consequence(f, units), "soft")
        self.setAccessibleName(f"{name}: {headline} {unit}. {words.consequence(f, units)}")

    def show_plan(self, name: str, number: str, U: float | None, T: float, units: str) -> None:
        """Before cutting: what this size would tell."""
        self._name.say(name)
        self._old.say("")
        self._new.say(number)
        self._U.say("now")
        self._band.show()
        if U is None:
            self._formula.say("")
            self._band.show_verdict(Verdict.UNRESOLVED, "No instrument yet")
            self._detail.say("Choose what you measure with.", "soft")
            return
        self._formula.say("")
        good, possible = 3 * U <= T, U < T
        self._band.show_verdict(
            Verdict.IN if good else Verdict.CANNOT_TELL if possible else Verdict.OUT,
            f"Resolves to ± {U:.{two_significant(U)}f}",
        )
        enough = "clear enough" if good else "only large errors will be clear" if possible else "too coarse to tell"
        self._detail.say(f"{words.unit_words('mm/m', units)}, where {T:.2f} is allowed: {enough}.", "soft")


class RoundsChart(QWidget):
    """Error of each piece of the round against the tolerance band."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumHeight(118)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self._history: list[tuple[int, Solution | None]] = []
        self._unit = ""

    def show_history(self, history: list[tuple[int, Solution | None]], unit: str) -> None:
        """(piece number, what it said)."""
        self._history, self._unit = history, unit
        self.setAccessibleName(f"Errors of {len(history)} pieces of this round against the tolerance")
        self.update()

    def paintEvent(self, _event: object) -> None:
        """Band, axis words, one sign per quantity and piece."""
        p = painter_on_card(self)
        points = [
            (column, f) for column, (_, solution) in enumerate(self._history)
            for f in (solution.findings if solution else ()) if f.error is not None and f.tolerance
        ]  # fmt: skip
        plot = QRectF(54, 34, self.width() - 70, self.height() - 66)
        reach = max(
            [1.5, *((abs(f.error or 0) + (f.expanded_uncertainty or 0)) / f.tolerance * 1.08 for _, f in points)]
        )
        self._draw_band(p, plot, reach, points[0][1].tolerance if points else None)
        self._draw_legend(p)
        if not points:
            p.setFont(th.font(th.TEXT))
            p.setPen(th.color("good"))
            p.drawText(plot, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop, "tolerance; no number yet")
        for quantity in dict.fromkeys(f.quantity for _, f in points):
            self._draw_series(p, plot, reach, [(c, f) for c, f in points if f.quantity == quantity])
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        for column, (number, _) in enumerate(self._history):
            x = self._x(plot, column)
            p.drawText(QRectF(x - 50, plot.bottom() + 6, 100, 22), Qt.AlignmentFlag.AlignCenter, f"piece {number}")

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
        for y, label in ((middle - gap, f"+{tolerance:.1f}"), (middle + gap, f"−{tolerance:.1f}")):
            p.drawText(QRectF(2, y - 11, 46, 22), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, label)

    def _draw_legend(self, p: QPainter) -> None:
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        room = self.width() - 112
        words = f"Pieces so far, {self._unit}"
        if p.fontMetrics().horizontalAdvance(words) > room:
            words = f"So far, {self._unit}"
        p.drawText(QRectF(12, 6, room, 22), Qt.AlignmentFlag.AlignVCenter, words)
        for i, letter in enumerate(("X", "Y")):
            at = QPointF(self.width() - 84 + 44 * i, 18)
            self._sign(p, at, i, "ink")
            p.setPen(th.color("soft"))
            p.drawText(QRectF(at.x() + 8, 6, 24, 22), Qt.AlignmentFlag.AlignVCenter, letter)

    def _sign(self, p: QPainter, at: QPointF, series: int, colour: str) -> None:
        p.setPen(QPen(th.color(colour), 2))
        p.setBrush(th.color(colour if series == 0 else "card"))
        if series == 0:
            p.drawRect(QRectF(at.x() - 5, at.y() - 5, 10, 10))
        else:
            p.drawEllipse(at, 5.5, 5.5)

    def _draw_series(self, p: QPainter, plot: QRectF, reach: float, points: list[tuple[int, Finding]]) -> None:
        series = 0 if QUANTITIES[points[0][1].quantity].axis == "x" else 1
        scale = plot.height() / 2 / reach
        before: QPointF | None = None
        for column, f in points:
            e, U = (f.error or 0) / f.tolerance, (f.expanded_uncertainty or 0) / f.tolerance
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

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.cards = {q: FindingCard() for q in model.session.context.procedure.yields}
        self._odd = Button("They are right: compute", lambda: model.attempt("odd", model.session.measuring.confirm_odd))
        self._notes = Text(colour="soft")
        self._chart = RoundsChart()
        self._lookalikes = _lookalikes(model.session.context.procedure.lookalikes)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        for card in self.cards.values():
            layout.addWidget(card)
        layout.addWidget(self._odd)
        layout.addWidget(self._notes)
        layout.addWidget(self._lookalikes)
        layout.addWidget(self._chart, 100)
        layout.addStretch(1)

    def refresh(self, *, planning: bool) -> None:
        """Show the answer; while planning, what the next piece would tell."""
        session = self._model.session
        machine, held = session.context.machine, session.context.values()
        solution = None if planning else session.measuring.answer()
        resolves = session.making.resolves() if planning else Resolves({}, {})
        for quantity, card in self.cards.items():
            finding = solution.finding(quantity) if solution else None
            axis = QUANTITIES[quantity].axis
            name = held[quantity].name(axis) if quantity in held else f"{axis.upper()} {machine.form.noun}"
            number = held[quantity].number(machine.decimals) if quantity in held else "–"
            if planning:
                card.show_plan(name, number, resolves.U.get(quantity), resolves.T[quantity], machine.units)
            elif finding:
                card.show_finding(name, finding, machine.decimals, machine.units)
            else:
                card.show_waiting(name, number)
        odd = solution is not None and any(f.verdict is Verdict.IMPLAUSIBLE for f in solution.findings)
        self._odd.setVisible(odd)
        self._notes.say(self._note(solution, planning=planning))
        self._chart.setVisible(not planning)
        self._lookalikes.setVisible(planning)
        self._chart.show_history(session.measuring.history(), words.unit_words("mm/m", machine.units))

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
            return f"{skipped} of {len(session.measuring.callouts())} lengths can’t be read and are left out."
        return solution.notes[0] if solution and not solution.findings and solution.notes else ""


def _lookalikes(sentences: tuple[str, ...]) -> Card:
    """What only looks like calibration, shown before material is spent."""
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(14, 10, 12, 12)
    layout.addWidget(Text("Rule out first", 16, "soft", bold=True))
    for sentence in sentences:
        layout.addWidget(Text(sentence))
    return card
