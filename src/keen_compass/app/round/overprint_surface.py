"""What was cut over a printed sheet: distances on the sheet's picture, then each cross beside its print, to scale.

Two surfaces in one place: the one that takes the next reading is shown, the other one with a click.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QStackedLayout, QVBoxLayout, QWidget

from keen_compass.app.parts import Button
from keen_compass.app.round.callout import CalloutEdit
from keen_compass.app.round.match_surface import MatchSurface
from keen_compass.app.round.piece_canvas import PieceCanvas
from keen_compass.app.round.surface import SurfaceWidget
from keen_compass.language import tr
from keen_compass.rounds import RoundSession
from keen_compass.rounds.half_typed import Callout


class OverprintSurface(SurfaceWidget):
    """Distances are measured, crosses are judged by eye."""

    def __init__(self) -> None:
        super().__init__()
        self.distances, self.crosses = PieceCanvas(), MatchSurface()
        self._both: tuple[SurfaceWidget, SurfaceWidget] = (self.distances, self.crosses)
        self._for = ""  # the callout for which one of them was shown last
        holder = QWidget(self)
        self._stack = QStackedLayout(holder)  # with a parent from the beginning: what it shows first is no window
        for surface in self._both:
            self._stack.addWidget(surface)
            surface.chosen.connect(self.chosen)
            surface.placed.connect(self.placed)
            surface.typed.connect(self.typed)
        self.tabs = [
            Button(words, partial(self._go, i), "quiet") for i, words in enumerate((tr("Distances"), tr("Crosses")))
        ]
        row = QHBoxLayout()
        row.setSpacing(6)
        for tab in self.tabs:
            tab.setCheckable(True)
            row.addWidget(tab)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(row)
        layout.addWidget(holder, 1)

    def show_session(self, session: RoundSession, callouts: list[Callout], *, frozen: bool) -> None:
        """Each its own callouts; with another one that takes the next reading, the surface that has it."""
        self.callouts = callouts
        shares = [c for c in callouts if c.measurand.by_eye is None], [c for c in callouts if c.measurand.by_eye]
        for surface, share in zip(self._both, shares, strict=True):
            surface.show_session(session, share, frozen=frozen)
        for tab, share in zip(self.tabs, shares, strict=True):
            done = bool(share) and all(c.readings or c.skipped for c in share)
            name = tab.text().removeprefix("✓ ")
            tab.name(f"✓ {name}" if done else name)
            tab.setVisible(bool(shares[1]))
        current = self.current()
        now = current.measurand.name if current else ""
        if now and now != self._for:
            self._stack.setCurrentIndex(int(current is not None and current.measurand.by_eye is not None))
        self._for = now
        self._mark()

    def current_edit(self) -> CalloutEdit | None:
        """The field that takes what is typed, where it is seen."""
        return self._shown().current_edit()

    def edits(self) -> list[CalloutEdit]:
        """The fields of both readings."""
        return [edit for surface in self._both for edit in surface.edits()]

    def _shown(self) -> SurfaceWidget:
        return self._both[self._stack.currentIndex()]

    def _go(self, index: int) -> None:
        """Look at the others; where one of them takes the next reading from there, it does."""
        self._stack.setCurrentIndex(index)
        self._mark()
        mine = self._shown().callouts
        if mine and self._shown().current() is None:
            self.chosen.emit(next((c for c in mine if not c.readings and not c.skipped), mine[0]).measurand.name)

    def _mark(self) -> None:
        for i, tab in enumerate(self.tabs):
            tab.setChecked(i == self._stack.currentIndex())
