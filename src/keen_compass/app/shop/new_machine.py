"""A new machine by four questions with pictures; everything else is as usual, and asked where it is needed."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QLocale, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Line, PlacePage, Text, empty, plain_line
from keen_compass.app.shop.kind_picture import ACROSS, KindButton
from keen_compass.app.shop.machine_page import MachinePage
from keen_compass.app.shop.standpoint import StandpointPicture
from keen_compass.errors import KeenCompassError
from keen_compass.language import marked, tr
from keen_compass.machines.forms import read_machine
from keen_compass.machines.newcomer import fields_of, forms_like, usual_in
from keen_compass.machines.shown import show_length
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.shop.store import Shop

QUESTIONS = (
    marked("What is it?"),
    marked("How large is it, and where do X and Y point?"),
    marked("What does its controller hold for X and Y?"),
    marked("What is it called?"),
)
KIND, SIZE, NUMBERS, NAME = range(4)
# Field of a complaint → the question that it belongs to.
ASKED_IN = {
    "bed_x": SIZE,
    "bed_y": SIZE,
    "roll_width": SIZE,
    "roll_length": SIZE,
    "x_steps": NUMBERS,
    "y_steps": NUMBERS,
}
UNIT_WORDS = {"mm": marked("millimetres"), "in": marked("inches")}


class NewMachinePage(PlacePage):
    """`saved` carries the machine's uid, `left` that nothing was added, `whole` the page with all fields."""

    PLACE = "machine"
    saved = Signal(str)
    whole = Signal(object)

    def __init__(self, shop: Shop) -> None:
        super().__init__()
        self._shop = shop
        self.kind = MachineKind.ROUTER
        self.units = _units_here(shop)
        self.form: ResolutionForm | None = None  # as chosen; the likeliest else
        self.question = KIND
        self.asks = Line("", th.VERDICT, bold=True)
        self.counts = Text(colour="soft")
        self.trouble = Text(colour="bad", bold=True)
        self.pages = QStackedWidget()
        self.kinds: dict[MachineKind, KindButton] = {}
        self.unit_buttons: dict[str, Button] = {}
        self.edits: dict[str, QLineEdit] = {}
        self.labels: dict[str, Text] = {}
        self.picture = StandpointPicture()
        self.forms = QHBoxLayout()
        for page in (self._kind_page(), self._size_page(), self._numbers_page(), self._name_page()):
            self.pages.addWidget(page)
        self.back = Button(tr("Back"), self._back, "quiet")
        self.on = Button(tr("Go on"), self.go_on, "primary")
        self._lay_out()
        self._choose_units(self.units)
        self._ask(KIND)

    # The four questions

    def _kind_page(self) -> QWidget:
        grid = QGridLayout()
        grid.setSpacing(14)
        for i, kind in enumerate(MachineKind):
            self.kinds[kind] = button = KindButton(kind)
            button.clicked.connect(partial(self._choose_kind, kind))
            grid.addWidget(button, i // ACROSS, i % ACROSS)
        return _page(grid)

    def _size_page(self) -> QWidget:
        column = QVBoxLayout()
        column.setSpacing(8)
        units = QHBoxLayout()
        for unit, words in UNIT_WORDS.items():
            self.unit_buttons[unit] = button = Button(tr(words), partial(self._choose_units, unit), "quiet")
            button.setCheckable(True)
            units.addWidget(button)
        column.addLayout(units)
        for name in ("across", "along"):
            self._field(column, name, "")
        column.addStretch(1)
        row = QHBoxLayout()
        row.setSpacing(24)
        row.addLayout(column, 2)
        beside = QVBoxLayout()
        beside.addWidget(self.picture, 1)
        beside.addWidget(
            Text(tr("Click a side to point +X there, again to flip +Y. Or ← → to turn, ↑ to flip."), colour="soft")
        )
        row.addLayout(beside, 3)
        return _page(row)

    def _numbers_page(self) -> QWidget:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(Text(tr("Exactly as in the controller’s settings, digit by digit.")))
        self._field(column, "x_steps", tr("X axis"))
        self._field(column, "y_steps", tr("Y axis"))
        self.edits["x_steps"].textEdited.connect(lambda _: self._show_forms())
        column.addLayout(self.forms)
        column.addWidget(
            Text(
                tr("Such as 80 (steps per mm), 2032 (steps per inch), 0.0125 (mm per step) or 100 (% of true)."),
                colour="soft",
            )
        )
        column.addStretch(1)
        return _page(column)

    def _name_page(self) -> QWidget:
        column = QVBoxLayout()
        self._field(column, "name", tr("Its name in the shop"))
        column.addWidget(
            Text(
                tr("Everything else has a usual value: tools, stock, tolerances. Change any of it later."),
                colour="soft",
            )
        )
        column.addStretch(1)
        return _page(column)

    def _field(self, column: QVBoxLayout, name: str, words: str) -> None:
        self.labels[name] = label = Text(words, colour="soft")
        self.edits[name] = edit = plain_line(words, most=200)
        edit.setFont(th.font(th.CALLOUT, bold=True))
        edit.setMaximumWidth(360)
        edit.returnPressed.connect(partial(self._entered, name))
        column.addWidget(label)
        column.addWidget(edit)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("A new machine"), th.TITLE, bold=True), 1)
        head.addWidget(Button(tr("All fields"), lambda: self.whole.emit(MachinePage(self._shop, None)), "quiet"))
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        asks = QHBoxLayout()
        asks.addWidget(self.asks, 1)
        asks.addWidget(self.counts)
        foot = QHBoxLayout()
        foot.addWidget(self.back)
        foot.addStretch(1)
        foot.addWidget(self.on)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 24, 18)
        layout.setSpacing(12)
        layout.addLayout(head)
        layout.addLayout(asks)
        layout.addWidget(self.trouble)
        layout.addWidget(self.pages, 1)
        layout.addLayout(foot)

    # What is answered

    def _choose_kind(self, kind: MachineKind) -> None:
        self.kind = kind
        self._propose_size()
        self._ask(SIZE)

    def _choose_units(self, units: str) -> None:
        self.units = units
        for unit, button in self.unit_buttons.items():
            button.setChecked(unit == units)
        self._propose_size()

    def _propose_size(self) -> None:
        """What is usual for its kind where one counts so."""
        usual = usual_in(self.kind, self.units)
        words = (tr("Roll width"), tr("Longest feed")) if self.kind.plots else (tr("Bed along X"), tr("Bed along Y"))
        for name, label, mm in zip(("across", "along"), words, usual.bed, strict=True):
            self.labels[name].say(label)
            self.edits[name].setAccessibleName(label)
            self.edits[name].setText(show_length(mm, self.units))

    def _show_forms(self) -> None:
        """In what a number like that may count: the likeliest is meant, another one click away."""
        empty(self.forms)
        likely = forms_like(self.edits["x_steps"].text(), self.kind)
        self.form = likely[0] if likely else None
        for form in likely:
            button = Button(
                f"{self.edits['x_steps'].text().strip()} {_counted(form)}", partial(self._mean, form), "quiet"
            )
            button.setCheckable(True)
            button.setChecked(form is self.form)
            self.forms.addWidget(button)
        self.forms.addStretch(1)

    def _mean(self, form: ResolutionForm) -> None:
        self.form = form
        for i in range(self.forms.count()):
            widget = self.forms.itemAt(i).widget()  # type: ignore[union-attr]
            if isinstance(widget, QPushButton):
                widget.setChecked(widget.text().strip().endswith(_counted(form)))

    def _entered(self, name: str) -> None:
        """Enter goes to the next field, and from the last on."""
        after = {"across": "along", "x_steps": "y_steps"}.get(name)
        if name == "x_steps" and not self.edits["y_steps"].text().strip():
            self.edits["y_steps"].setText(self.edits["x_steps"].text())  # mostly the same; marked, to be typed over
        if after is None:
            self.go_on()
        else:
            self.edits[after].setFocus()
            self.edits[after].selectAll()

    def go_on(self) -> None:
        """To the next question; after the last the machine is there."""
        if self.question == NAME:
            self._keep()
        else:
            self._ask(self.question + 1)

    def _back(self) -> None:
        self._ask(self.question - 1)

    def _ask(self, question: int) -> None:
        self.question = question
        self.pages.setCurrentIndex(question)
        self.asks.say(tr(QUESTIONS[question]))
        self.counts.say(tr("{n} of {of}", n=question + 1, of=len(QUESTIONS)))
        self.trouble.say("")
        self.back.setVisible(question > KIND)
        self.on.name(tr("Add it") if question == NAME else tr("Go on"))
        self.on.setVisible(question != KIND)  # a kind is an answer
        self.take_focus()

    def take_focus(self) -> None:
        """Where one answers next."""
        first: QWidget = {SIZE: self.edits["across"], NUMBERS: self.edits["x_steps"], NAME: self.edits["name"]}.get(
            self.question, self.kinds[self.kind]
        )
        first.setFocus()
        if isinstance(first, QLineEdit):
            first.selectAll()

    def showEvent(self, event: object) -> None:
        """The first question at once."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.take_focus()

    def answers(self) -> dict[str, str]:
        """As the whole form has them."""
        text = {name: edit.text() for name, edit in self.edits.items()}
        across, along = ("roll_width", "roll_length") if self.kind.plots else ("bed_x", "bed_y")
        numbers = {"x_steps": text["x_steps"], "y_steps": text["y_steps"]}
        form = {"form": self.form.value} if self.form else {}
        return {across: text["across"], along: text["along"], "name": text["name"], **numbers, **form}

    def _keep(self) -> None:
        fields = fields_of(self.kind, self.units, self.answers())
        machine, stored, complaints = read_machine(fields, self.picture.standpoint, None)
        if machine is None:
            field = min(complaints, key=lambda f: ASKED_IN.get(f, NAME))
            self._ask(ASKED_IN.get(field, NAME))
            self.trouble.say(complaints[field])
            return
        try:
            self._shop.put_profile(machine, stored)
        except KeenCompassError as error:
            self.trouble.say(str(error))
            return
        self.saved.emit(machine.uid)


def _page(layout: QGridLayout | QHBoxLayout | QVBoxLayout) -> QWidget:
    page = QWidget()
    layout.setContentsMargins(0, 6, 0, 0)
    page.setLayout(layout)
    return page


def _counted(form: ResolutionForm) -> str:
    """What a number of that form counts, after it: ``steps per mm``, ``% of true``."""
    per_cent = {ResolutionForm.PERCENT_100: tr("% of true"), ResolutionForm.PERCENT_0: tr("% more than true")}
    return per_cent.get(form, tr(form.noun))


def _units_here(shop: Shop) -> str:
    """As the shop's other machines are shown; of the first one as the desktop's region counts."""
    machines = shop.machines()
    if machines:
        return "mm" if machines[-1].units == "mm" else "in"
    imperial = QLocale().measurementSystem() is not QLocale.MeasurementSystem.MetricSystem
    return "in" if imperial else "mm"
