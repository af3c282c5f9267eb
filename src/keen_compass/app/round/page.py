"""The Round screen: title, steps, the step's own widget, the answer. All wiring of a round is here."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from keen_compass.app import theme as th
from keen_compass.app.aloud import Aloud
from keen_compass.app.cable_bar import CableBar
from keen_compass.app.parts import Button, Card, Line, Text, scrolling, tip
from keen_compass.app.port_link import LinkState, PortLink
from keen_compass.app.round import words
from keen_compass.app.round.answer import AnswerColumn
from keen_compass.app.round.correct_step import CorrectStep
from keen_compass.app.round.floor import FloorView
from keen_compass.app.round.held_bar import HeldBar
from keen_compass.app.round.make_step import MakeStep
from keen_compass.app.round.measure_step import MeasureStep
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.over_cable import PieceOverCable
from keen_compass.app.round.stray_keys import take_stray_keys
from keen_compass.language import tr
from keen_compass.procedures.stages import Makes, Step
from keen_compass.rounds import RoundSession
from keen_compass.rounds.session import STILL_OUT
from keen_compass.words.procedures import step_name
from keen_compass.words.say import say

if TYPE_CHECKING:
    from keen_compass.app.round.sheet_step import SheetStep

ANSWER_WIDTH, NARROW_ANSWER = 336, 304  # px
NARROW_BELOW = 960  # px of page width


class RoundPage(QWidget):
    """`closed` is emitted when the technician goes back to the rose, `change` when something else is loaded."""

    change = Signal()
    closed = Signal()

    def __init__(self, session: RoundSession, link: PortLink) -> None:
        super().__init__()
        self.model = RoundModel(session)
        self._link = link
        self.cable = CableBar(PieceOverCable(self.model), link)
        self.model.changed.connect(self.refresh)
        self._title = Line(px=th.TITLE, bold=True)
        self._subtitle = Line(colour="soft")
        self.back = Button(tr("Back to the rose"), self.closed.emit, "quiet")
        self.give_up = Button(tr("Abandon round"), self._ask_give_up, "quiet")
        self.steps = {step: self._step_button(step) for step in session.context.procedure.steps}
        self.make = self._make_step()
        if isinstance(self.make, MakeStep):
            self.make.loaded.change.connect(self.change)
        self.measure = MeasureStep(self.model, link)
        self.correct = CorrectStep(self.model, link)
        self.measure.strip.go_on.connect(self.go_on)
        self.correct.go_on.connect(self.go_on)
        self.answer = AnswerColumn(self.model)
        self.answer.warmth_asked.connect(self.measure.warmth.ask)
        self._trouble = Text(colour="bad")
        self.reason = ReasonBar()
        self.reason.given.connect(self._reason_given)
        self.reason.dropped.connect(self._focus)
        self.held = HeldBar(self.model, link, self.cable.look)
        self._stack = QStackedWidget()
        for widget in (self.make, self.measure, self.correct):
            self._stack.addWidget(widget)
        self.floor = FloorView(self.model)
        link.changed.connect(self._follow_link)
        self._wire_floor()
        self._lay_out()
        take_stray_keys(self, self._type, self._step)
        self._shown: tuple[object, ...] | None = None
        self._current: str | None = None
        self._aloud = Aloud(self, (self.measure.strip.spoken, self.answer.spoken))
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self._title)
        names.addWidget(self._subtitle)
        head.addLayout(names, 1)
        head.addWidget(self.give_up)
        head.addWidget(self.back)
        steps = QHBoxLayout()
        steps.setSpacing(8)
        for button in self.steps.values():
            button.setCheckable(True)
            steps.addWidget(button, 1)
        centre = QVBoxLayout()
        centre.setSpacing(8)
        centre.addLayout(steps)
        centre.addWidget(self._trouble)
        centre.addWidget(self.reason)
        centre.addWidget(self.held)
        centre.addWidget(self.cable)
        centre.addWidget(self._stack, 1)
        self._scroll = scrolling(self.answer)
        self._scroll.setFixedWidth(ANSWER_WIDTH)
        body = QHBoxLayout()
        body.setSpacing(14)
        body.addLayout(centre, 1)
        body.addWidget(self._scroll)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 10, 14, 12)
        layout.setSpacing(8)
        self._desk = QWidget()
        desk = QVBoxLayout(self._desk)
        desk.setContentsMargins(0, 0, 0, 0)
        desk.setSpacing(8)
        desk.addLayout(head)
        desk.addLayout(body, 1)
        layout.addWidget(self._desk)
        layout.addWidget(self.floor)
        self.floor.hide()

    def _make_step(self) -> MakeStep | SheetStep:
        if self.model.session.context.procedure.makes is not Makes.SHEET:
            return MakeStep(self.model)
        from keen_compass.app.round.sheet_step import SheetStep  # late: most rounds print nothing

        return SheetStep(self.model, self._link)

    def _step_button(self, step: Step) -> Button:
        return Button("", lambda: self.go(step))

    # What is shown

    def refresh(self) -> None:
        """Show the session as it is now."""
        session = self.model.session
        context, step = session.context, session.step
        waiting = step is Step.MAKE or session.waits_for_piece()
        runs = context.procedure.makes is Makes.MOVES
        parameters = context.piece.parameters if context.piece else context.chosen
        self._title.say(say(context.procedure.heading(parameters)))
        self._subtitle.say(self._describe())
        for s, button in self.steps.items():
            reason = session.blocked(s)
            done = list(self.steps).index(s) < list(self.steps).index(step)
            name = tr("Run") if runs and s is Step.MAKE else step_name(s)
            button.setText(("✓ " if done else "") + name)
            button.setAccessibleName(tr("Step {name}", name=name) + (tr(", shown") if s is step else ""))
            button.setChecked(s is step)
            button.setEnabled(not reason and not session.settled)
            tip(button, say(reason or ""))
        self._trouble.say(self.model.trouble.get("step", ""))
        self.held.refresh()
        self.cable.refresh()
        self._follow_link()
        widget: QWidget = self.make if waiting else self.correct if step is Step.CORRECT else self.measure
        if waiting:
            self.make.refresh()
        elif step is Step.CORRECT:
            self.correct.refresh()
        else:
            self.measure.refresh()
            self._show_onward()
        self._stack.setCurrentWidget(widget)
        self.answer.refresh(planning=step is Step.MAKE and not context.pieces)
        warmth = self.measure.warmth
        asked = (
            widget is self.measure and warmth.wanted() and not context.shop.read_only and not self.model.session.settled
        )
        self.answer.offer_warmth(warmth.said() if asked else "")
        self.give_up.setVisible(not session.settled and not context.shop.read_only)
        if self.floor.isVisible():
            self.floor.refresh()
        self._aloud.later()
        where = (step, waiting, self._entered(), self.held.wanted(), *(self.make if waiting else self.measure).where())
        if where != self._shown:
            self._shown = where
            self._focus()
        elif widget is self.measure:
            self._follow_current()

    def _follow_link(self) -> None:
        """While a program runs nothing else of the next piece can be chosen."""
        self.make.setEnabled(self._link.state is not LinkState.RUNNING)

    def _entered(self) -> int:
        """How many numbers of this piece are in the controller: with each the keyboard moves on."""
        correcting = self.model.session.correcting
        return sum(correcting.entered(q) is not None for q in self.model.session.context.yields)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A small window gives the piece what the answer can spare."""
        super().resizeEvent(event)
        self._scroll.setFixedWidth(NARROW_ANSWER if self.width() < NARROW_BELOW else ANSWER_WIDTH)

    def showEvent(self, event: QShowEvent) -> None:
        """The keyboard starts where the work is."""
        super().showEvent(event)
        if self.model.session.context.machine.files:
            self.model.session.holding.look_again()
            self.refresh()
        self.cable.look()
        QTimer.singleShot(0, self, self._focus)

    def _follow_current(self) -> None:
        """Typing follows the current callout, unless a reason is being typed."""
        current = self.model.session.measuring.current()
        if current != self._current:
            self._current = current
            choosing = isinstance(QApplication.focusWidget(), QComboBox)
            if not self.reason.isVisible() and not self.floor.isVisible() and not choosing:
                self.measure.take_focus()

    def _describe(self) -> str:
        context = self.model.session.context
        makes, piece = context.procedure.makes, context.piece
        parameters = piece.parameters if piece else self.model.session.making.parameters()
        size = words.size_of(context.procedure.extent(parameters), context.machine)
        stock, instrument = context.machine.stock, context.instrument
        job = self.model.session.making.artworks.chosen.name if context.procedure.on_paper.artwork else ""
        parts = [context.machine.name, size or job]
        if makes is Makes.PIECE:
            parts += [context.tool.name, stock.name if stock else ""]
        if makes is not Makes.NOTHING:
            read_with = instrument and context.pieces and not context.procedure.read_by.by_eye
            parts.append(instrument.said if instrument and read_with else "")
            if piece:
                others = [str(p.number) for p in reversed(self.model.session.measuring.counted_with(piece))]
                together = tr(" with {others}", others=", ".join(others)) if others else ""
                parts.insert(1, f"{tr(context.procedure.noun)} {piece.number}{together}")
        return " · ".join(p for p in parts if p)

    def _show_onward(self) -> None:
        session = self.model.session
        strip = self.measure.strip
        if session.settled:
            strip.show_onward(tr("Back to the rose"), enabled=True, why_not="")
        elif session.step is Step.MEASURE:
            why = session.blocked(Step.CORRECT)
            strip.show_onward(tr("To Correct"), enabled=not why, why_not=say(why or ""))
        else:
            why = session.may_not_sign()
            if why and why.code == STILL_OUT:
                strip.show_onward(tr("Correct again"), enabled=True, why_not=say(why))
            else:
                strip.show_onward(tr("Sign off"), enabled=not why, why_not=say(why or ""))

    def _wire_floor(self) -> None:
        edit = self.floor.edit
        edit.textEdited.connect(self.model.session.measuring.type)
        edit.pasted.connect(self.model.session.measuring.type)
        edit.kept.connect(lambda: self.model.attempt("measure", self.model.session.measuring.keep))
        edit.taken_back.connect(lambda: self.model.attempt("measure", self.model.session.measuring.take_back))
        edit.stepped.connect(self.measure.step_callout)

    def toggle_floor(self) -> bool:
        """Only the callout, the number and the verdict, or everything again; says whether it is shown."""
        show = not self.floor.isVisible() and self._stack.currentWidget() is self.measure
        self._desk.setVisible(not show)
        self.floor.setVisible(show)
        self.refresh()
        self._focus()
        return show

    # What is done

    def go(self, step: Step) -> None:
        """Show a step, or say why not."""
        self.model.attempt("step", lambda: self.model.session.go(step))
        self.refresh()

    def go_on(self) -> None:
        """Press the step's main button."""
        session = self.model.session
        if session.settled:
            self.closed.emit()
        elif session.step is Step.MEASURE:
            self.go(Step.CORRECT)
        elif session.step is Step.CORRECT:
            entered = session.measuring.cut_before_change()
            if Step.CONFIRM not in self.steps:
                self._sign()
            elif entered or session.confirming:
                self.go(Step.CONFIRM)
            else:
                self._sign()
        elif (why := session.may_not_sign()) and why.code == STILL_OUT:
            self.go(Step.CORRECT)
        else:
            self._sign()

    def type_practice(self) -> None:
        """What the stand-in shows, where anything is to be read, aimed at or drawn."""
        if self.measure.isVisible():
            self.measure.strip.type_practice()
        elif self.make.isVisible():
            self.make.type_practice()

    def undo(self) -> None:
        """Take the last change back."""
        self.model.undo()
        self._focus()

    def redo(self) -> None:
        """Do again what was just taken back."""
        self.model.redo()
        self._focus()

    def _sign(self) -> None:
        if self.model.session.needs_reason():
            self.reason.ask("sign", tr("Not certain. Sign off anyway, because"))
        else:
            self._finish("sign", "")

    def _ask_give_up(self) -> None:
        self.reason.ask("give_up", tr("Abandon this round, because"))

    def _reason_given(self, what: str, reason: str) -> None:
        self._finish(what, reason)

    def _finish(self, what: str, reason: str) -> None:
        session = self.model.session
        run = session.sign if what == "sign" else session.give_up
        if self.model.attempt("step", lambda: run(reason)):
            self.reason.hide()
            self.closed.emit()

    def _focus(self) -> None:
        session = self.model.session
        if self.floor.isVisible():
            self.floor.edit.setFocus()
        elif self.held.wanted():
            self.held.take_focus()
        elif session.step is Step.MAKE or session.waits_for_piece():
            self.make.take_focus()
        elif session.step is Step.CORRECT:
            self.correct.take_focus()
        else:
            self._current = session.measuring.current()
            self.measure.take_focus()

    def _takes_keys(self) -> bool:
        measuring = self._stack.currentWidget() is self.measure and not self.measure.instruments.wanted()
        return measuring and not self.model.session.settled

    def _type(self, digit: str) -> bool:
        edit = self.floor.edit if self.floor.isVisible() else self.measure.surface.current_edit()
        if not self._takes_keys() or not isinstance(edit, QLineEdit):
            return False
        edit.setFocus()
        edit.insert(digit)
        edit.textEdited.emit(edit.text())
        return True

    def _step(self, by: int) -> bool:
        """From a button to the next callout, or the one before."""
        leads = self._takes_keys() and isinstance(QApplication.focusWidget(), QAbstractButton)
        if leads:
            self.measure.step_callout(by)
        return leads


class ReasonBar(Card):
    """One line for a reason, in the page and not in a pop-up."""

    given = Signal(str, str)
    dropped = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._what = ""
        self._asks = Text("", 17, bold=True)
        self.line = QLineEdit()
        self.line.setFont(th.font(17))
        self.line.setMinimumHeight(th.HAND)
        self.line.setMaxLength(200)
        self.line.returnPressed.connect(self._give)
        self.ok = Button(tr("Do it"), self._give, "primary")
        layout = QVBoxLayout(self)
        layout.addWidget(self._asks)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.ok)
        row.addWidget(Button(tr("Cancel"), self._drop, "quiet"))
        layout.addLayout(row)
        self.hide()

    def ask(self, what: str, words: str) -> None:
        """Ask for a reason to do `what`."""
        self._what = what
        self._asks.say(words)
        self.line.setAccessibleName(words)
        self.line.clear()
        self.show()
        self.line.setFocus()

    def _give(self) -> None:
        self.given.emit(self._what, self.line.text())

    def _drop(self) -> None:
        self.hide()
        self.dropped.emit()
