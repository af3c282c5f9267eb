"""The shop at a glance: every machine's rose, who needs somebody, what is due in the days to come."""

from __future__ import annotations

from datetime import date
from functools import partial

from PySide6.QtCore import QEvent, QObject, Signal
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.ahead import LookAhead
from keen_compass.app.glance.canvas import GlanceCanvas
from keen_compass.app.parts import Button, Line, PlacePage, empty, plain_line, scrolling, tip
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.rounds.glance import Seen, by_day, chosen, glance
from keen_compass.shop.due import Due
from keen_compass.shop.store import Shop
from keen_compass.words.glance import count_in_words, day_in_words

NAMED = 3  # values of a day that its tooltip doesn't cut


class GlancePage(PlacePage):
    """`chosen` carries a machine's uid, `floor_wanted` asks for the shop-floor view; `left`: it is closed."""

    PLACE = "glance"
    chosen = Signal(str)
    floor_wanted = Signal()

    def __init__(self, shop: Shop, current: str) -> None:
        super().__init__()
        self._shop = shop
        self._seen: list[Seen] = []
        self._due: dict[str, list[Due]] = {}
        self._ahead = LookAhead(shop, self)
        self._ahead.found.connect(self._due.__setitem__)
        self._ahead.done.connect(self._show_days)
        self._title = Line(tr("Shop at a glance"), th.TITLE, bold=True)
        self._count = Line(colour="soft")
        self.search: QLineEdit = plain_line(tr("Search machines"), tr("Name, kind or state"), 60)
        self.search.textChanged.connect(lambda _: self._show())
        self.waiting = Button(tr("Only what needs attention"), self._show, "quiet")
        self.waiting.setCheckable(True)
        self.far = Button(tr("Shop-floor view   F12"), self.floor_wanted.emit, "quiet")
        self._close = Button(tr("Close"), self.left.emit, "quiet")
        self.canvas = GlanceCanvas()
        self.canvas.chosen.connect(self._open)
        self.canvas.moved.connect(self._keep_in_sight)
        self.canvas.typed.connect(self._search_for)
        self.search.returnPressed.connect(lambda: self._open(self.canvas.current))
        self._days = QHBoxLayout()
        self.days: list[Button] = []
        self._day: date | None = None
        self._lay_out()
        self.refresh(current)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(self._title, 2)
        head.addWidget(self._count, 3)
        head.addWidget(self._close)
        self._tools = QWidget()
        tools = QHBoxLayout(self._tools)
        tools.setContentsMargins(0, 0, 0, 0)
        tools.addWidget(self.search, 1)
        tools.addWidget(self.waiting)
        tools.addWidget(self.far)
        self._week = QWidget()
        self._week.setLayout(self._days)
        self._days.setContentsMargins(0, 0, 0, 0)
        self._days.setSpacing(8)
        self._area: QScrollArea = scrolling(self.canvas)
        self._area.viewport().installEventFilter(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addWidget(self._tools)
        layout.addWidget(self._week)
        layout.addWidget(self._area, 1)

    def showEvent(self, event: object) -> None:
        """The machines have the keyboard."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.canvas.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """With another size, roses may be larger or smaller."""
        if event.type() == QEvent.Type.Resize and watched is self._area.viewport():
            self.canvas.arrange(self._area.viewport().height())
        return super().eventFilter(watched, event)

    def refresh(self, current: str = "") -> None:
        """From the shop as it is now."""
        self._seen = glance(self._shop)
        self._due.clear()
        self._day = None
        self._ahead.look([(one.machine, one.spokes) for one in self._seen])
        self._show(current)

    def _shown(self) -> list[Seen]:
        found = chosen(self._seen, self.search.text(), waiting=self.waiting.isChecked())
        if self._day is None:
            return found
        return [one for one in found if any(d.on == self._day for d in self._due.get(one.machine.uid, ()))]

    def _show(self, current: str = "") -> None:
        shown = self._shown()
        self.canvas.show_machines(shown, current or self.canvas.current)
        self._count.say(count_in_words(len(self._seen), len(shown), sum(one.needs_somebody for one in self._seen)))
        self._keep_in_sight()

    def _show_days(self) -> None:
        """A button for each day ahead: a press shows the machines on which something is due then."""
        empty(self._days)
        self.days = []
        for day, found in by_day(d for of in self._due.values() for d in of):
            button = Button(day_in_words(day, len(found), first=not self.days), partial(self._choose_day, day), "quiet")
            button.setCheckable(True)
            button.setEnabled(bool(found))
            named = [f"{d.machine.name}: {QUANTITIES[d.quantity].label}" for d in found[:NAMED]]
            tip(button, "\n".join([*named, *(["…"] if len(found) > NAMED else [])]))
            self.days.append(button)
            self._days.addWidget(button, 1)

    def _choose_day(self, day: date) -> None:
        self._day = None if self._day == day else day
        for button, (other, _) in zip(self.days, by_day(()), strict=True):
            button.setChecked(other == self._day)
        self._show()
        self.canvas.setFocus()

    def _search_for(self, letters: str) -> None:
        self.search.setFocus()
        self.search.setText(self.search.text() + letters)

    def _open(self, uid: str) -> None:
        if uid:
            self.chosen.emit(uid)

    def toggle_floor(self) -> bool:
        """A line for each machine, to be read from three metres, or the grid again; says whether it is that."""
        self.canvas.far = not self.canvas.far
        for widget in (self._tools, self._week):
            widget.setVisible(not self.canvas.far)
        self.canvas.arrange(self._area.viewport().height())
        self.canvas.setFocus()
        self._keep_in_sight()
        return self.canvas.far

    def step_back(self) -> bool:
        """From the shop-floor view to the grid, from a search to all machines."""
        if self.canvas.far:
            self.floor_wanted.emit()
        elif self.search.text():
            self.search.clear()
            self.canvas.setFocus()
        else:
            return False
        return True

    def _keep_in_sight(self) -> None:
        box = self.canvas.box_of(self.canvas.current)
        self._area.ensureVisible(box.center().x(), box.center().y(), 0, box.height())
