"""Stock and tools of one machine: its kerfs as a picture, what is known of the chosen one, tools, makers' charts."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication, QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QComboBox, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.logbook.chart import HistoryChart
from keen_compass.app.parts import Button, Card, Line, PlacePage, Text, empty, scrolling
from keen_compass.app.stock.curve import KerfCurve
from keen_compass.app.stock.grid import KerfGrid, sheet_words, width_words
from keen_compass.app.stock.wear_chart import WearChart
from keen_compass.app.stock.worn_card import WornCard
from keen_compass.errors import KeenCompassError
from keen_compass.language import marked, tr
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.notes import note
from keen_compass.quantities.subjects import Subject
from keen_compass.shop.consumables import Consumables, consumables, tell_age
from keen_compass.shop.library import (
    Board,
    How,
    KerfEntry,
    Known,
    Misplaced,
    Starting,
    board,
    kerfs,
    misplaced,
    put_on,
    settings_for,
    used_by,
)
from keen_compass.shop.machines import key_for
from keen_compass.shop.standing import subject_in_names
from keen_compass.shop.store import Shop
from keen_compass.words.errors import shown_in
from keen_compass.words.logbook import HAPPENINGS, day_of
from keen_compass.words.say import say, show_for
from keen_compass.words.wear import uses

BESIDE, BESIDE_NARROW, NARROW = 388, 344, 960  # px: width of what is known of the chosen cell; of a small page
SETTING_CODES = {
    "feed": "shop.with_feed",
    "pierce_height": "shop.with_pierce_height",
    "cut_height": "shop.with_cut_height",
    "pierce_delay": "shop.with_pierce_delay",
    "power": "shop.with_power",
    "focus": "shop.with_focus",
}


OVER = (
    (marked("Thickness"), marked("Kerf over thickness"), "curve"),
    (marked("Use"), marked("Kerf over use"), "over_use"),
    (marked("Time"), marked("Kerf over time"), "history"),
)  # what a kerf is drawn over


class StockPage(PlacePage):
    """`left` when the technician goes back, `begin` with a machine's uid to find the kerf that is on it, `changed` when
    something else was put on it.
    """

    PLACE = "stock"
    begin = Signal(str)
    changed = Signal()

    def __init__(self, shop: Shop, machine: str) -> None:
        super().__init__()
        self._shop = shop
        self._panel: QWidget | None = None
        self.machines = QComboBox()
        self.machines.setAccessibleName(tr("Machine"))
        self.machines.setFont(th.font())
        cutters = [m for m in shop.machines() if not m.kind.plots]
        for m in cutters:
            self.machines.addItem(m.name, m.uid)
        self.grid = KerfGrid()
        self.grid.chosen.connect(self._show_cell)
        self.grid.wanted.connect(self._put_on)
        self._none = Text(tr("No machine here cuts: knives and pens need no kerf."), colour="soft")
        self._name = Text("", 18, bold=True)
        self._width = Line("", th.TITLE, bold=True)
        self._about = Text()
        self._settings = Text(colour="soft")
        self._holds = Text(colour="warn", bold=True)
        self.is_in = Button(tr("Value entered"), self._is_in)
        self.copy = Button(tr("Copy line"), self._copy, "quiet", "copy")
        self.put = Button(tr("Load it"), self._put_on, "primary")
        self.find_kerf = Button(tr("Find its kerf"), self._find)
        self.worn = WornCard()
        self.worn.changed.connect(self._changed)
        self.worn.told.connect(self._told)
        self.curve, self.over_use, self.history = KerfCurve(), WearChart(), HistoryChart()
        self.charts = QStackedWidget()
        self.chosen_chart = QButtonGroup(self)
        self._over = QWidget()
        self.chart = Button(tr("Read a cutting chart"), self._read_chart, "quiet")
        self._tools = QVBoxLayout()
        self._tools.setSpacing(6)
        self._said = Text(colour="bad")
        self._said.hide()
        self.beside = QStackedWidget()
        self._lay_out()
        self.machines.setCurrentIndex(max(self.machines.findData(machine), 0))
        self.machines.currentIndexChanged.connect(lambda _: self.refresh())
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("Stock and tools"), th.TITLE, bold=True), 1)
        head.addWidget(self.machines)
        head.addWidget(self.chart)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        area = self._area = QScrollArea()
        area.setWidget(self.grid)
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        tools = QWidget()
        tools.setLayout(self._tools)
        self._tools.setContentsMargins(0, 0, 0, 0)
        main = QVBoxLayout()
        main.setSpacing(8)
        main.addWidget(self._none)
        main.addWidget(area, 1)
        main.addWidget(
            Text(tr("≈ and dashed: only a starting value. The bar marks what is on the machine now."), colour="soft")
        )
        main.addWidget(self.worn)
        main.addWidget(Line(tr("Tools"), 17, bold=True))
        main.addWidget(tools)
        self.beside.addWidget(scrolling(self._known()))
        body = QHBoxLayout()
        body.setSpacing(16)
        body.addLayout(main, 1)
        body.addWidget(self.beside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addWidget(self._said)
        layout.addLayout(body, 1)

    def _known(self) -> QWidget:
        """What is known of the chosen cell."""
        card = Card()
        about = QVBoxLayout(card)
        about.setContentsMargins(16, 12, 16, 14)
        about.setSpacing(6)
        for widget in (self._name, self._width, self._about, self._settings):
            about.addWidget(widget)
        entered = QHBoxLayout()
        entered.addWidget(self.copy)
        entered.addWidget(self.is_in)
        about.addWidget(self._holds)
        about.addLayout(entered)
        buttons = QHBoxLayout()
        buttons.addWidget(self.put)
        buttons.addWidget(self.find_kerf)
        about.addLayout(buttons)
        column = QWidget()
        layout = QVBoxLayout(column)
        layout.setContentsMargins(0, 0, 8, 0)
        layout.setSpacing(10)
        layout.addWidget(card)
        layout.addWidget(self._over)
        layout.addWidget(self.charts, 1)
        layout.addStretch(0)
        over = QHBoxLayout(self._over)
        over.setContentsMargins(0, 0, 0, 0)
        over.setSpacing(6)
        for i, (words, whole, chart) in enumerate(OVER):
            button = Button(tr(words), lambda i=i: self.charts.setCurrentIndex(i))  # type: ignore[misc]
            button.setAccessibleName(tr(whole))
            button.setCheckable(True)
            button.setChecked(i == 0)
            self.chosen_chart.addButton(button, i)
            over.addWidget(button, 1)
            self.charts.addWidget(getattr(self, chart))
        return column

    def resizeEvent(self, event: QResizeEvent) -> None:
        """A small window leaves the picture more room."""
        super().resizeEvent(event)
        self.beside.setFixedWidth(BESIDE if self.width() > NARROW else BESIDE_NARROW)

    def showEvent(self, event: object) -> None:
        """The keyboard goes to the picture."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.grid.setFocus()

    @property
    def machine(self) -> Machine | None:
        """Whose kerfs are shown."""
        uid = self.machines.currentData()
        return self._shop.machine(uid) if uid else None

    def refresh(self) -> None:
        """Show it all again."""
        machine = self.machine
        for widget in (self.grid, self.beside, self.chart):
            widget.setVisible(machine is not None)
        self._none.setVisible(machine is None)
        empty(self._tools)
        if machine is None:
            return
        found = board(self._shop, machine)
        self.grid.show_board(found, {t.uid: t.name for t in machine.tools}, machine.units)
        for tool in machine.tools:
            self._tools.addWidget(self._tool(machine, tool, found))

    def _tool(self, machine: Machine, tool: Tool, found: Board) -> QWidget:
        """One tool: what it is, what was found with it, whether it is in."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        mounted = machine.tool is not None and machine.tool.uid == tool.uid
        name = Line(tool.name, bold=mounted)
        layout.addWidget(name, 2)
        size = tr("draws") if tool.drawn else tr("{length} across", length=show_length(tool.diameter, machine.units))
        about = " · ".join(part for part in (size, _history(tool, found, machine.units)) if part)
        layout.addWidget(Line(about, colour="soft"), 4)
        button = Button(tr("Fitted") if mounted else tr("Fit it"), lambda: self._mount(tool=tool), "quiet")
        button.setAccessibleName(f"{tr('Fitted') if mounted else tr('Fit it')}: {tool.name}")
        button.setEnabled(not mounted and not self._shop.read_only)
        layout.addWidget(button)
        return row

    def _subject(self) -> Subject | None:
        cell = self.grid.cell()
        return self.grid.board.subject(*cell) if cell else None

    def _show_cell(self) -> None:
        machine, subject, cell = self.machine, self._subject(), self.grid.cell()
        for widget in (self.put, self.find_kerf):
            widget.setVisible(subject is not None)
        if machine is None or subject is None or cell is None:
            self._name.say(tr("No kerf is known yet"))
            self._width.say("")
            self._about.say(tr("Begin the kerf plate on the rose, or read the maker’s cutting chart."))
            return
        box = self.grid.box(*self.grid.at)
        self._area.ensureVisible(
            round(box.center().x()), round(box.center().y()), round(box.width()), round(box.height())
        )
        what = self.grid.board.cells.get(cell)
        column = self.grid.column_name(cell[1])
        self._name.say(f"{sheet_words(subject.material, subject.thickness, machine.units)} · {column}")
        unit = "mm" if machine.units == "mm" else "in"
        U = what.U if isinstance(what, KerfEntry) else None
        said = f" ± {width_words(U, machine.units, U)}" if U else ""
        guess = "" if isinstance(what, KerfEntry) and what.known is not Known.CHARTED else "≈ "
        self._width.say(f"{guess}{width_words(what.width, machine.units, U)}{said} {unit}" if what else tr("not known"))
        wears = consumables(self._shop, machine, subject)
        self._about.say(self._whence(what, machine, wears))
        settings = settings_for(self._shop, machine.uid, subject) if subject.process else {}
        show, used = show_for(machine), [name for name in used_by(machine) if name in settings]
        words = [say(note(SETTING_CODES[name], value=settings[name]), show) for name in used]
        self._settings.say(" · ".join(words))
        on_it = cell == self.grid.board.on_it
        self.put.setEnabled(not on_it and not self._shop.read_only)
        self.put.name(tr("Loaded") if on_it else tr("Load it"))
        self.find_kerf.setEnabled(not self._shop.read_only)
        self._show_charts(machine, subject, what, wears)
        self._show_misplaced(machine, on_it=on_it)

    def _show_misplaced(self, machine: Machine, *, on_it: bool) -> None:
        """What the controller must be told before anything is cut."""
        wrong = misplaced(self._shop, machine) if on_it else None
        line = self._line(machine, wrong)
        for widget in (self.is_in, self.copy):
            widget.setVisible(bool(line))
        self.is_in.setEnabled(not self._shop.read_only)
        if wrong is None or wrong.held is None:
            self._holds.say("")
            return
        whose = subject_in_names(Subject.from_key(wrong.held.subject), self._shop.thing_names(), machine)
        of = tr(", of {whose}", whose=whose) if whose else ""
        enter = tr(" Enter {first}{line}", first="" if wrong.own else tr("to begin with "), line=line) if line else ""
        self._holds.say(
            tr(
                "The controller holds {text}{of}.{enter}",
                text=machine.place("kerf").text(wrong.held.stored),
                of=of,
                enter=enter,
            )
        )

    def _line(self, machine: Machine, wrong: Misplaced | None) -> str:
        if wrong is None or wrong.wanted is None:
            return ""
        return machine.setting("kerf", machine.place("kerf").text(wrong.wanted))

    def _copy(self) -> None:
        if machine := self.machine:
            QGuiApplication.clipboard().setText(self._line(machine, misplaced(self._shop, machine)))

    def _is_in(self) -> None:
        """The controller holds this one's number now."""
        machine = self.machine
        wrong = misplaced(self._shop, machine) if machine else None
        if machine is None or wrong is None or wrong.wanted is None:
            return
        how, wanted = "put_back" if wrong.own else "typed", wrong.wanted
        self._keep(lambda: self._shop.put_value(machine.uid, "kerf", wanted, how, subject=machine.subject))

    def _show_charts(
        self, machine: Machine, subject: Subject, what: KerfEntry | Starting | None, wears: Consumables | None
    ) -> None:
        """What is known of a kerf, over thickness, use and time."""
        entries = [
            e
            for e in kerfs(self._shop, machine)
            if e.subject.material == subject.material
            and e.subject.process == subject.process
            and e.subject.tool in ("", subject.tool)
        ]
        guess = (subject.thickness, what.width) if isinstance(what, Starting) and what.of else None
        self.curve.show_kerfs(
            tr("Kerf over thickness, {material}", material=subject.material), entries, guess, machine.units
        )
        key = key_for("kerf", subject)
        kept = [k for k in self._shop.findings(machine.uid, "kerf") if key_for("kerf", k.finding.subject) == key]
        self.history.show_history(tr("How far it was off"), shown_in("mm", machine.units), kept)
        name = next((t.name for t in machine.tools if t.uid == subject.tool), "")
        self.worn.show_wear(wears, name, show_for(machine), read_only=self._shop.read_only)
        if wears:
            self.over_use.show_wear(wears, machine.units)
        for widget in (self._over, self.charts):
            widget.setVisible(bool(entries or kept))

    def _whence(self, what: KerfEntry | Starting | None, machine: Machine, wears: Consumables | None) -> str:
        """Where a number comes from, and what to think of it."""
        if what is None:
            return tr("No kerf is known for anything like it.")
        if isinstance(what, Starting) and not what.of:
            return tr("No kerf is known for anything like it: a first plate begins with the tool’s diameter.")
        if isinstance(what, Starting):
            a, *rest = what.of
            first = f"{show_length(a.subject.thickness, machine.units)} ({width_words(a.width, machine.units)})"
            if what.how is How.BETWEEN:
                b = rest[0]
                second = f"{show_length(b.subject.thickness, machine.units)} ({width_words(b.width, machine.units)})"
                return tr(
                    "On the line between {first} and {second}: a starting value. Cut a plate before you rely on it.",
                    first=first,
                    second=second,
                )
            where = f"{a.subject.material}, " if what.how is How.ELSEWHERE else ""
            return tr(
                "As for {where}{first}, the nearest that is known: a starting value, and perhaps far off.",
                where=where,
                first=first,
            )
        if what.known is Known.CHARTED:
            return tr("From the maker’s chart: a starting value. Your machine’s own may differ; a plate tells.")
        if what.known is Known.TYPED:
            return tr("Typed on {day}; not measured here.", day=day_of(what.at))
        return tr("Found on {day}{age}", day=day_of(what.at), age=_age(what, wears))

    def _changed(self) -> None:
        """New consumables are in what cuts now."""
        if machine := self.machine:
            self._keep(lambda: self._shop.put_event(machine.uid, "tool", tr(HAPPENINGS["tool"])))

    def _told(self, age: float) -> None:
        """They were used otherwise than was counted."""
        machine, subject = self.machine, self._subject()
        if machine and subject:
            self._keep(lambda: tell_age(self._shop, machine, subject.tool, age), self.worn.complain)

    def _keep(self, run: Callable[[], object], complain: Callable[[str], object] | None = None) -> None:
        """Write something, and show it all again; what is refused is said."""
        try:
            run()
        except KeenCompassError as error:
            (complain or self._said.say)(str(error))
            return
        self._said.say("")
        self.refresh()
        self.changed.emit()

    def _put_on(self) -> None:
        """Stock, tool and process of the chosen cell are on the machine now."""
        machine, cell = self.machine, self.grid.cell()
        if machine is None or cell is None or cell == self.grid.board.on_it:
            return
        (material, thickness), (tool, process) = cell
        at_hand = self._shop.stock_at_hand(machine)
        fresh = Stock(material, thickness, 0.0, 0.0, *machine.bed)
        stock = next((s for s in at_hand if (s.name, s.thickness) == (material, thickness)), fresh)
        self._mount(tool=next((t for t in machine.tools if t.uid == tool), None), stock=stock, process=process)

    def _mount(self, *, tool: Tool | None = None, stock: Stock | None = None, process: str | None = None) -> None:
        if machine := self.machine:
            self._keep(lambda: put_on(self._shop, machine, tool=tool, stock=stock, process=process))

    def _find(self) -> None:
        """A plate of what is chosen."""
        self._put_on()
        if (machine := self.machine) and self._said.isHidden():
            self.begin.emit(machine.uid)

    def _read_chart(self) -> None:
        from keen_compass.app.stock.chart_panel import ChartPanel

        machine = self.machine
        if machine is None or self._panel is not None:
            return
        panel = ChartPanel(self._shop, machine)
        panel.done.connect(self._chart_read)
        self._panel = panel
        self.beside.addWidget(panel)
        self.beside.setCurrentWidget(panel)
        panel.file.setFocus()

    def _chart_read(self) -> None:
        if self._panel is not None:
            self.beside.removeWidget(self._panel)
            self._panel.deleteLater()
            self._panel = None
        self.refresh()
        self.grid.setFocus()


def _history(tool: Tool, found: Board, units: str) -> str:
    """What was found with a tool."""
    widths = [
        what.width
        for (_, column), what in found.cells.items()
        if column[0] == tool.uid and isinstance(what, KerfEntry) and what.known is Known.FOUND
    ]
    if tool.drawn:
        return ""
    if not widths:
        return tr("kerf never found")
    low, high = width_words(min(widths), units), width_words(max(widths), units)
    return (
        tr("kerf {low}", low=low)
        if len(widths) == 1
        else tr("kerf {low} to {high}, in {n} stocks", low=low, high=high, n=len(widths))
    )


def _age(what: KerfEntry, wears: Consumables | None) -> str:
    """How much the consumables had been used then, and whether they are still the same."""
    if wears is None or not wears.found:
        return "."
    then = wears.found[-1]
    words = tr(", at {uses}.", uses=uses(then.age, wears.counted))
    return words + (
        tr(" New ones fitted since {day}: measure it again.", day=day_of(wears.since)) if what.at < wears.since else ""
    )
