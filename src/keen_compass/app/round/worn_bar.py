"""What cuts is worn: asked before a kerf is sought with it."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout

from keen_compass.app.parts import Button, Card, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.words.wear import worn_asks


class WornBar(Card):
    """Shown until someone says that new ones are in, or that these stay."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._asks = Text("", bold=True)
        making = model.session.making
        self.new = Button(tr("New ones fitted"), lambda: model.attempt("make", making.new_consumables), "primary")
        self.stay = Button(tr("Keep the old ones"), lambda: model.attempt("make", making.keep_worn), "quiet")
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.stay)
        buttons.addWidget(self.new)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 10)
        layout.addWidget(self._asks)
        layout.addLayout(buttons)

    def wanted(self) -> bool:
        """Whether it has to be answered before anything is made."""
        session = self._model.session
        return not session.settled and not session.context.pieces and session.context.worn() is not None

    def refresh(self) -> None:
        """Shown while it is to be answered."""
        worn = self._model.session.context.worn() if self.wanted() else None
        self.setVisible(worn is not None)
        if worn:
            self._asks.say(worn_asks(worn))
            for button in (self.new, self.stay):
                button.setEnabled(not self._model.session.context.shop.read_only)

    def take_focus(self) -> None:
        """The likelier answer gets the keyboard."""
        self.new.setFocus()
