"""What is on the machine now, tool and stock, as one button with everything that could be in their place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, partial
from typing import NamedTuple, TypeVar

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QActionGroup, QFontMetrics
from PySide6.QtWidgets import QMenu

from keen_compass.app import theme as th
from keen_compass.app.parts import Button
from keen_compass.language import marked, tr
from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.limits import FITTINGS
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length


class Named(NamedTuple):
    """A process, by its name."""

    uid: str


T = TypeVar("T", Tool, Stock, Named, Fitting)
FITTING_WORDS = {
    "accessory": (marked("Accessory fitted"), marked("no accessory")),
    "printer": (marked("Printed on"), marked("no printer named")),
    "carrier": (marked("Carried by"), marked("nothing: the bare roll")),
}
WIDEST, NARROWEST = 520, 300  # px of words
AROUND = 170  # px: the button itself, the words before and the dots between
MENU_WIDEST = 420


class MountedButton(Button):
    """`tool`, `stock`, `process` and `fitted` (kind, uid) carry what was chosen; `other` that it isn't there yet.
    `asked` wants an `offer`, before the list opens.
    """

    asked = Signal()
    tool = Signal(object)
    stock = Signal(object)
    process = Signal(str)
    fitted = Signal(str, str)
    other = Signal()

    def __init__(self) -> None:
        super().__init__("", self._open, "quiet")
        self._names: list[str] = []
        self._room = NARROWEST

    @cached_property
    def _list(self) -> QMenu:
        """Made when it is opened first."""
        made = QMenu(self)
        made.setFont(th.font(th.TEXT))
        return made

    def show_machine(self, machine: Machine) -> None:
        """Show what is mounted on a machine."""
        tool, lies = machine.tool, machine.stock
        on_it = _described(lies, machine.units) if lies else tr("no stock")
        fitted = [f.name for kind in FITTINGS if (f := machine.fitting(kind))]
        names = [n for n in (tool.name if tool else "", on_it, machine.process, *fitted) if n]
        self._names, words = names, " · ".join(names)
        self._show_names()
        self.setAccessibleName(tr("On the machine: {words}", words=words))
        self.setToolTip(tr("On the machine now: {words}", words=words))

    def offer(self, machine: Machine, stock: Sequence[Stock], processes: Sequence[str]) -> None:
        """What could be in the place of what is mounted."""
        tool, lies = machine.tool, machine.stock
        self._list.clear()
        self._section(tr("Tool in it"))
        self._offer(machine.tools, tool, lambda t: t.name, self.tool.emit)
        self._section(tr("Stock on it"))
        self._offer(stock, lies, lambda s: _described(s, machine.units), self.stock.emit)
        if len(processes) > 1:
            self._section(tr("Cut with"))
            self._offer([Named(p) for p in processes], Named(machine.process), lambda p: p.uid, self._cut_with)
        for kind, (head, none) in FITTING_WORDS.items():
            there = [f for f in machine.fittings if f.kind == kind]
            if there:
                self._section(tr(head))
                nothing = Fitting(kind, tr(none))
                now = machine.fitting(kind) or nothing
                self._offer([*there, nothing], now, lambda f: f.name, self._fit)
        self._list.addSeparator()
        self._list.addAction(tr("Another tool or stock…"), self.other.emit)

    def fit(self, room: int) -> None:
        """There is so much room across, px."""
        self._room = min(max(room - AROUND, NARROWEST), WIDEST)
        self._show_names()

    def _show_names(self) -> None:
        """Short names whole; the long ones share what they leave."""
        metrics = QFontMetrics(self.font())
        left, share = self._room, dict.fromkeys(self._names, 0)
        for i, name in enumerate(sorted(share, key=metrics.horizontalAdvance)):
            share[name] = min(metrics.horizontalAdvance(name) + 1, left // (len(share) - i))
            left -= share[name]
        cut = (metrics.elidedText(n, Qt.TextElideMode.ElideRight, share[n]) for n in self._names)
        self.setText(tr("Loaded: {cut} ▾", cut=" · ".join(cut)))

    def _section(self, words: str) -> None:
        if not self._list.isEmpty():
            self._list.addSeparator()
        head = QAction(words, self._list)
        head.setEnabled(False)
        self._list.addAction(head)

    def _offer(
        self, things: Sequence[T], now: T | None, words: Callable[[T], str], chosen: Callable[[T], object]
    ) -> None:
        group = QActionGroup(self._list)
        metrics = QFontMetrics(self._list.font())
        for thing in things:
            text = metrics.elidedText(words(thing), Qt.TextElideMode.ElideMiddle, MENU_WIDEST)
            action = QAction(text.replace("&", "&&"), group)
            action.setCheckable(True)
            action.setChecked(now is not None and thing.uid == now.uid)
            action.triggered.connect(partial(_chosen, chosen, thing))
            self._list.addAction(action)

    def _fit(self, fitting: Fitting) -> None:
        self.fitted.emit(fitting.kind, fitting.uid)

    def _cut_with(self, process: Named) -> None:
        self.process.emit(process.uid)

    def _open(self) -> None:
        self.asked.emit()
        self._list.popup(self.mapToGlobal(self.rect().bottomLeft()))


def _chosen(run: Callable[[T], object], thing: T, _checked: bool = False) -> None:
    run(thing)


def _described(stock: Stock, units: str) -> str:
    """Its name, with the thickness where the name doesn't say it."""
    thick = show_length(stock.thickness, units)
    return stock.name if thick in stock.name else f"{stock.name}, {thick}"
