"""What a screen reader says without being asked: what changed of what a page shows, once the keys come to rest."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QTimer
from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent
from PySide6.QtWidgets import QWidget

AT_REST = 700  # ms without a change


class Aloud:
    """Of a page: each of its sources gives words; of those that changed, the new ones are announced."""

    def __init__(self, page: QWidget, sources: Sequence[Callable[[], str]]) -> None:
        self._page, self._sources = page, sources
        self._said: list[str] = [""] * len(sources)
        self._timer = QTimer(page)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._announce)

    def later(self) -> None:
        """Something may have changed; where nobody listens, that is all."""
        if QAccessible.isActive():
            self._timer.start(AT_REST)

    def _announce(self) -> None:
        now = [source() for source in self._sources]
        words = " ".join(new for new, old in zip(now, self._said, strict=True) if new and new != old)
        self._said = now
        if words and self._page.isVisible():
            QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(self._page, words))
