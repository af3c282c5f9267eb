"""Undo and redo, by records that supersede: nothing is ever deleted from the shop file."""

from __future__ import annotations

from collections.abc import Callable

Undo = Callable[[], None]
Change = Callable[[], Undo]


class History:
    """Changes that can be taken back. A change, when run, returns what takes it back."""

    def __init__(self) -> None:
        self._done: list[tuple[Change, Undo]] = []
        self._undone: list[Change] = []

    @property
    def can_undo(self) -> bool:
        """Whether something can be taken back."""
        return bool(self._done)

    @property
    def can_redo(self) -> bool:
        """Whether something that was taken back can be done again."""
        return bool(self._undone)

    def do(self, change: Change) -> None:
        """Run a change; what was undone before can't be redone any more."""
        self._done.append((change, change()))
        self._undone.clear()

    def undo(self) -> bool:
        """Take the last change back."""
        if not self._done:
            return False
        change, undo = self._done.pop()
        undo()
        self._undone.append(change)
        return True

    def redo(self) -> bool:
        """Do the last undone change again."""
        if not self._undone:
            return False
        change = self._undone.pop()
        self._done.append((change, change()))
        return True

    def remember(self) -> tuple[list[tuple[Change, Undo]], list[Change]]:
        """What could be taken back or done again just now, for `put_back`."""
        return list(self._done), list(self._undone)

    def put_back(self, remembered: tuple[list[tuple[Change, Undo]], list[Change]]) -> None:
        """As it was: what happened since was not kept."""
        self._done, self._undone = list(remembered[0]), list(remembered[1])

    def forget(self) -> None:
        """From here on nothing before can be taken back: it is in the controller, or signed."""
        self._done.clear()
        self._undone.clear()
