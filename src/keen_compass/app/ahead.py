"""What is due in the days ahead, found out while nothing is typed: it takes a look into the past of each value."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PySide6.QtCore import QObject, QTimer, Signal

from keen_compass.machines.profile import Machine
from keen_compass.shop.due import Due, due_soon
from keen_compass.shop.standing import Spoke
from keen_compass.shop.store import Shop


class LookAhead(QObject):
    """`found` carries a machine’s uid and what is due on it; `done` says that all were looked at."""

    found = Signal(str, object)
    done = Signal()

    def __init__(self, shop: Shop, parent: QObject) -> None:
        super().__init__(parent)
        self._shop = shop
        self._looking: Iterator[tuple[str, list[Due]]] = iter(())
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._look_on)

    def look(self, machines: Sequence[tuple[Machine, Sequence[Spoke]]], after: int = 0) -> None:
        """From the beginning, with these. after: ms, while others have their turn."""
        self._looking = due_soon(self._shop, machines)
        self._timer.start(after)

    def _look_on(self) -> None:
        if self._shop.closed:
            return
        one = next(self._looking, None)
        if one is None:
            self.done.emit()
            return
        self.found.emit(*one)
        self._timer.start(0)  # the window lives between two of them
