"""What is loaded, asked where a machine's first piece needs it: one line, and nothing waits for the answer."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from keen_compass.app.parts import Button, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.machines.shown import show_size
from keen_compass.procedures.stages import Makes


class LoadedBar(QWidget):
    """`change` says that something else is loaded."""

    change = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._said = Text("", colour="warn")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self._said, 1)
        row.addWidget(Button(tr("Change…"), self.change.emit, "quiet"))

    def wanted(self) -> bool:
        """Before the first piece of a machine that began with what is usual for its kind."""
        session = self._model.session
        first = session.making.next_number() == 1 and not session.context.pieces
        return first and session.context.procedure.makes is Makes.PIECE and not session.context.shop.read_only

    def refresh(self, *, waits: bool) -> None:
        """waits: something else is asked first."""
        machine, tool = self._model.session.context.machine, self._model.session.context.tool
        self.setVisible(self.wanted() and not waits)
        if self.isHidden():
            return
        stock = machine.stock
        lies = f"{stock.name}, {show_size(stock.width, stock.height, machine.units)}" if stock else tr("no stock")
        self._said.say(tr("Is this loaded? {name}; {lies}", name=tool.name, lies=lies))
