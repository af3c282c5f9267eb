"""The state of the Round screen: a session of the core, one signal, and what went wrong last, and where."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from keen_compass.app.breakdown import note_act, note_refusal
from keen_compass.errors import KeenCompassError, ShopError
from keen_compass.rounds import RoundSession


class RoundModel(QObject):
    """Widgets call `attempt` and listen to `changed`; they keep no state of their own."""

    changed = Signal()

    def __init__(self, session: RoundSession) -> None:
        super().__init__()
        self.session = session
        self.trouble: dict[str, str] = {}
        self._depth = 0
        session.context.listener = self._something_changed

    def attempt(self, place: str, run: Callable[[], object]) -> bool:
        """Run a command; a complaint is kept for the widget at `place`. One `changed` for all of it."""
        note_act(f"{self.session.context.kept.procedure}, {self.session.step}: {place}")
        self._depth += 1
        self.trouble.pop(place, None)
        try:
            with self.session.together():
                run()
        except KeenCompassError as error:
            self.trouble[place] = str(error)
            note_refusal(str(error))
            if isinstance(error, ShopError):  # said where the technician looks while typing, too
                self.session.measuring.complaint = str(error)
        finally:
            self._depth -= 1
        self._something_changed()
        return place not in self.trouble

    def undo(self) -> None:
        """Take the last change back."""
        self.attempt("undo", self.session.measuring.undo)

    def redo(self) -> None:
        """Do again what was taken back."""
        self.attempt("undo", self.session.measuring.redo)

    def _something_changed(self) -> None:
        if not self._depth:
            self.changed.emit()
