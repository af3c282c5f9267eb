"""What every stage of a sheet has: the round it belongs to, the button that ends it, and what a stand-in does."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app.parts import Button
from keen_compass.app.round.model import RoundModel
from keen_compass.rounds.sheets import Sheets


class StagePanel(QWidget):
    """What is to be said or done at one stage. main: the button that ends it."""

    main: Button

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self.model = model
        self.layout_ = QVBoxLayout(self)
        self.layout_.setContentsMargins(0, 0, 0, 0)
        self.layout_.setSpacing(8)

    @property
    def sheets(self) -> Sheets:
        """What is being made."""
        return self.model.session.making.sheets

    def refresh(self) -> None:
        """As it stands now."""
        raise NotImplementedError

    def take_focus(self) -> None:
        """The first thing to be done."""
        raise NotImplementedError

    def warning(self) -> str:
        """What is wrong so far, without being refused."""
        return ""

    def type_practice(self) -> None:
        """Type what the stand-in shows."""

    def do(self, run: Callable[[], object]) -> bool:
        """A command; what goes wrong is below."""
        return self.model.attempt("make", run)

    def row(self, *widgets: QWidget | int) -> QHBoxLayout:
        """Side by side; a number is room that stretches."""
        row = QHBoxLayout()
        row.setSpacing(8)
        for widget in widgets:
            row.addStretch(widget) if isinstance(widget, int) else row.addWidget(widget)
        self.layout_.addLayout(row)
        return row

    def finish(self) -> None:
        """The sheet is made: on to its readings."""

        def run() -> None:
            self.model.session.making.said_made()
            self.model.session.after_making()

        self.do(run)

    def _practised(self) -> bool:
        return self.model.session.context.practised

    def _made_by_stand_in(self) -> None:
        from keen_compass.practice import stand_in

        def run() -> None:
            stand_in.make(self.model.session)
            self.model.session.after_making()

        self.do(run)

    def _editable(self) -> bool:
        session = self.model.session
        return not session.context.shop.read_only and not session.holding.found.otherwise
