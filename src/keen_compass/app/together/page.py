"""Everything that was read on a machine and still holds, solved together: what rests on what, what is correlated."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import VERDICT_STATE, Button, Card, Line, PlacePage, StateSign, Text, scrolling
from keen_compass.app.together.canvas import NARROWEST, TogetherCanvas
from keen_compass.app.together.words import BEGINS, figure, hangs_with, label_of, lacks, numbers, rests_on, whose
from keen_compass.language import marked, tr
from keen_compass.procedures.joint import FOUND_AS
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds.together import Whole, everything_read
from keen_compass.shop.store import Shop
from keen_compass.words.errors import shown_in
from keen_compass.words.procedures import title
from keen_compass.words.say import say, show_for

BESIDE = 316  # px
VERDICTS = {
    Verdict.IN: marked("in tolerance"),
    Verdict.OUT: "out",
    Verdict.CANNOT_TELL: marked("can’t tell"),
    Verdict.UNRESOLVED: marked("can’t tell"),
    Verdict.IMPLAUSIBLE: "odd",
}


class TogetherPage(PlacePage):
    """`left` when the technician goes back; `begin` carries a procedure and what it is to find."""

    PLACE = "together"
    begin = Signal(str, str)

    def __init__(self, shop: Shop, machine: str) -> None:
        super().__init__()
        self._shop = shop
        self.machine = shop.machine(machine)
        self.whole: Whole | None = None
        self.canvas = TogetherCanvas()
        self.canvas.chosen.connect(self._show_column)
        self._none = Text(
            tr(
                "No reading counts any more: numbers were changed since, or an event was logged. The next round starts "
                "afresh."
            ),
            colour="soft",
        )
        self._name = Text("", 20, bold=True)
        self._sign = StateSign()
        self._verdict = Text("", 17, bold=True)
        self._numbers = Line("", 28, bold=True)
        self._unit = Text(colour="soft")
        self._rests, self._hangs = Text(), Text()
        self.start = Button("", self._begin, "primary")
        self._notes = Text(colour="soft")
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("All readings of {name}", name=self.machine.name), th.TITLE, bold=True), 1)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        self._area = QScrollArea()
        self._area.setWidget(self.canvas)
        self._area.setWidgetResizable(True)
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        main = QVBoxLayout()
        main.setSpacing(8)
        main.addWidget(self._area, 1)
        main.addWidget(
            Text(
                tr("The fuller a disc, the more the answer depends on that reading. An arc joins linked answers."),
                colour="soft",
            )
        )
        self._about = Card()
        about = QVBoxLayout(self._about)
        about.setContentsMargins(16, 12, 16, 14)
        about.setSpacing(8)
        verdict = QHBoxLayout()
        verdict.addWidget(self._sign)
        verdict.addWidget(self._verdict, 1)
        about.addWidget(self._name)
        about.addWidget(self._numbers)
        about.addWidget(self._unit)
        about.addLayout(verdict)
        for widget in (self._rests, self._hangs, self.start):
            about.addWidget(widget)
        column = QWidget()
        beside = QVBoxLayout(column)
        beside.setContentsMargins(0, 0, 8, 0)
        beside.addWidget(self._about)
        beside.addWidget(self._notes)
        beside.addStretch(1)
        self._beside = scrolling(column)
        self._beside.setFixedWidth(BESIDE)
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addLayout(main, 1)
        body.addWidget(self._beside)
        self._body = QWidget()
        self._body.setLayout(body)
        body.setContentsMargins(0, 0, 0, 0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addWidget(self._none)
        layout.addWidget(self._body, 1)
        layout.addStretch(0)

    def refresh(self) -> None:
        """Solve all readings together and show what they say."""
        self.whole = everything_read(self._shop, self.machine)
        self._none.setVisible(self.whole is None)
        self._body.setVisible(self.whole is not None)
        if self.whole:
            self.canvas.show_whole(self.whole, self.machine)
            known = sorted({label_of(u) for u in self.whole.model.leant_on})
            self._notes.say(tr("Also used, from earlier rounds: {known}.", known=", ".join(known)) if known else "")

    def showEvent(self, event: object) -> None:
        """The keyboard goes to the picture."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.canvas.setFocus()

    def _show_column(self) -> None:
        whole = self.whole
        if whole is None:
            return
        self._area.ensureVisible(round(self.canvas.middle(self.canvas.at)), 0, round(NARROWEST), 0)
        column = whole.columns[self.canvas.at]
        of = whose(column, self.machine)
        self._name.say(f"{label_of(column.unknown)}{f', {of}' if of else ''}")
        f = column.finding
        verdict = f.verdict if f and column.mine else Verdict.UNRESOLVED
        self._sign.show_state(VERDICT_STATE[verdict])
        self._sign.setVisible(column.mine or f is None)
        if f is None:
            self._numbers.hide()
            self._unit.say("")
            self._verdict.say(tr("can’t tell"))
            self._rests.say(lacks(column))
            self._hangs.say("")
        else:
            self._numbers.show()
            shown, unit = numbers(whole, column, self.machine)
            self._numbers.say(shown)
            self._unit.say(unit)
            sign = shown_in(f.error_unit, self.machine.unit_of(f.quantity)).sign
            error = f"{figure(column, self.machine)} {sign}"
            self._verdict.say(f"{tr(VERDICTS[verdict])}: {error}" if column.mine else "")
            self._rests.say(rests_on(whole, column, self.machine))
            self._hangs.say(hangs_with(whole, column))
        begins = BEGINS.get(column.tells, "")
        self.start.setVisible(bool(begins) and not self._shop.read_only)
        self.start.name(tr("Begin: {title}", title=title(begins)) if begins else "")
        if f and f.notes and verdict is Verdict.CANNOT_TELL:
            self._hangs.say(f"{self._hangs.text()} {say(f.notes[0], show_for(self.machine, f.quantity))}")

    def _begin(self) -> None:
        if self.whole:
            column = self.whole.columns[self.canvas.at]
            self.begin.emit(BEGINS[column.tells], FOUND_AS[column.unknown.name])
