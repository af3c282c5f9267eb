"""What settles most for the least time: worked out beside the window, shown when it is known."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout

from keen_compass.app.parts import Button, Card, Text
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.shop.store import Shop

if TYPE_CHECKING:
    from keen_compass.procedures.case import Case
    from keen_compass.procedures.planning import Proposal

    Found = tuple[Proposal, float]

AFTER = 1500  # ms that a rose is looked at before anything is worked out


class NextPieceCard(Card):
    """`begin` carries a procedure and the quantity it is for."""

    begin = Signal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self._what = Text("", 17, bold=True)
        self._why = Text()
        self._wanted = ("", "")
        self.button = Button(tr("Begin this one"), lambda: self.begin.emit(*self._wanted))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 12, 16, 14)
        layout.addWidget(Text(tr("One for several questions"), colour="soft"))
        layout.addWidget(self._what)
        layout.addWidget(self._why)
        layout.addWidget(self.button)
        self.hide()

    def show_found(self, found: Found | None, machine: Machine) -> None:
        """What `rounds.planning.best` found; hidden where nothing settles two questions at once."""
        from keen_compass.words.planning import proposal_in_words, settles_in_words

        self.setVisible(found is not None)
        if found is None:
            return
        proposal, one_by_one = found
        self._wanted = proposal.procedure, proposal.for_good[0]
        self._what.say(proposal_in_words(proposal, machine))
        self._why.say(settles_in_words(proposal, one_by_one))
        self.button.setAccessibleName(tr("Begin {piece}", piece=proposal_in_words(proposal, machine)))


class NextPiece(QObject):
    """Asks for one machine at a time, a while after its rose was shown. `found` carries what, and for which."""

    found = Signal(object, str)

    def __init__(self, shop: Shop, parent: QObject) -> None:
        super().__init__(parent)
        self._shop, self._machine = shop, ""
        self._told = _Told()
        self._told.ready.connect(self._ask)
        self._told.found.connect(self._tell)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(lambda: _begin(_prepared, self._told.ready, self._machine))

    def look_at(self, machine: str) -> None:
        """Another machine; what was asked before is of no interest any more. Empty for none."""
        self._machine = machine
        self._timer.stop()
        if machine and AFTER >= 0:
            self._timer.start(AFTER)

    def now(self) -> None:
        """At once, and wait for it: for pictures and tests."""
        from keen_compass.rounds.planning import best, open_case

        self._timer.stop()
        machine = self._shop.machine(self._machine)
        self.found.emit(best(open_case(self._shop, machine), machine.file_format), self._machine)

    def _ask(self, _: object, machine: str) -> None:
        """What it needs is loaded: the file is read here, the rest worked out elsewhere."""
        if machine != self._machine or self._shop.closed:
            return
        from keen_compass.rounds.planning import best, open_case

        profile = self._shop.machine(machine)
        case: Case = open_case(self._shop, profile)
        _begin(lambda: best(case, profile.file_format), self._told.found, machine)

    def _tell(self, found: object, machine: str) -> None:
        if machine == self._machine:
            self.found.emit(found, machine)


class _Told(QObject):
    """Where another thread leaves what it found: result and machine."""

    ready = Signal(object, str)
    found = Signal(object, str)


def _prepared() -> None:
    """Load what is heavy, beside the window."""
    import keen_compass.rounds.planning  # noqa: F401


def _begin(work: Callable[[], object], tell: object, machine: str) -> None:
    """Work something out in a thread of its own: it looks at no file and no window."""

    class Work(QRunnable):
        def run(self) -> None:
            found = work()
            try:
                tell.emit(found, machine)  # type: ignore[attr-defined]
            except RuntimeError:  # the window was closed meanwhile
                return

    QThreadPool.globalInstance().start(Work())
