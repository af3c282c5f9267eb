"""No instrument yet: the usual ones, one keystroke each, in the place where the first is needed."""

from __future__ import annotations

from functools import partial

from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QGridLayout, QVBoxLayout

from keen_compass.app.parts import Button, Card, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.machines.usual_instruments import usual_instruments
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.instruments import Instrument

BESIDE = 3  # buttons in a row


class InstrumentBar(Card):
    """Shown while the shop has nothing to measure with: those that suit the procedure, numbered."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        context = model.session.context
        suits = context.procedure.suits_for(context.chosen)
        self._usual = [i for i in usual_instruments(context.machine.units) if not suits or i.kind in suits]
        self.buttons = [
            Button(f"{i}  {usual.name}", partial(self._take, usual)) for i, usual in enumerate(self._usual, 1)
        ]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 10)
        asks = tr("What do you measure with? Press its number; its limits can be changed later.")
        layout.addWidget(Text(asks, bold=True))
        grid = QGridLayout()
        grid.setSpacing(6)
        for i, button in enumerate(self.buttons):
            grid.addWidget(button, i // BESIDE, i % BESIDE)
        layout.addLayout(grid)

    def wanted(self) -> bool:
        """Whether nothing can be read before something is chosen here."""
        context = self._model.session.context
        reads = context.procedure.makes is not Makes.NOTHING and not context.procedure.read_by.by_eye
        return reads and not context.instruments and not context.shop.read_only and not self._model.session.settled

    def refresh(self) -> None:
        """Shown until something is chosen."""
        self.setVisible(self.wanted())

    def take_focus(self) -> None:
        """The first gets the keyboard; its number does as well."""
        self.buttons[0].setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A number takes the instrument that carries it."""
        number = int(event.text()) if event.text().isdigit() else 0
        if 0 < number <= len(self.buttons):
            self.buttons[number - 1].click()
            return
        super().keyPressEvent(event)

    def _take(self, usual: Instrument) -> None:
        self._model.attempt("measure", lambda: self._model.session.making.take_up(usual))
