"""The next piece of a round over the cable."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from keen_compass.app.round.model import RoundModel
from keen_compass.errors import InputError, PortError
from keen_compass.formats.listing import Listing
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.procedures.stages import Stage, Step
from keen_compass.rounds.cable_runs import DONE

if TYPE_CHECKING:
    from keen_compass.controllers.wire import Progress

PLACE = "cable"


class PieceOverCable:
    """What `CableBar` asks of a round."""

    def __init__(self, model: RoundModel) -> None:
        self._model = model

    @property
    def machine(self) -> Machine:
        """As the round has it."""
        return self._model.session.context.machine

    @property
    def hidden(self) -> bool:
        """Once it is settled, and while it is asked what the controller holds."""
        session = self._model.session
        return session.settled or bool(session.holding.found.otherwise)

    def may_run(self) -> bool:
        """While a piece is waited for, its file ready."""
        session, making = self._model.session, self._model.session.making
        waiting = session.step is Step.MAKE or session.waits_for_piece()
        ready = making.way.has_file and (not making.sheets.stages or making.sheets.shown is Stage.DRAW)
        return waiting and ready and not session.settled and not session.context.shop.read_only

    def held_up(self) -> bool:
        """Where it can't be made yet."""
        session = self._model.session
        return bool(session.making.refusal()) or bool(session.holding.found.otherwise)

    def broke_off(self) -> tuple[str, str] | None:
        """Of this very piece."""
        before = self._model.session.cable_runs.now() if self.may_run() else None
        if before is None or before.ended == DONE:
            return None
        came = (
            tr("{acknowledged} of {total} commands", acknowledged=before.acknowledged, total=before.total)
            if before.ended
            else tr("its end was not seen")
        )
        why = f"{before.ended} " if before.ended else ""
        return (
            tr("Piece {number} was begun over the cable: {came}.", number=before.number, came=came),
            tr("{why}Look at what lies there: run it again on a fresh place, or say that it is cut.", why=why),
        )

    def trouble(self) -> str:
        """As the round has it."""
        return self._model.trouble.get(PLACE, "")

    def begin(self, count: Callable[[bytes], int]) -> str | None:
        """The piece's file."""
        text: list[str] = []

        def begun() -> None:
            session = self._model.session
            text.append(session.cable_runs.begin(count(session.making.file_text().encode())))

        return text[0] if self._model.attempt(PLACE, begun) else None

    def ended(self, last: Progress | None, trouble: PortError | InputError | None) -> None:
        """Kept; at its end the piece is there."""
        sent, acknowledged, total = (last.sent, last.acknowledged, last.total) if last else (0, 0, 0)
        runs = self._model.session.cable_runs
        run = runs.now()
        why = str(trouble) if trouble else DONE
        self._model.attempt(PLACE, lambda: runs.ended(sent, acknowledged, total or (run.total if run else 0), why))
        if trouble is None:
            self._model.attempt(PLACE, self._made)

    def told(self, listing: Listing) -> None:
        """Beside what the logbook says."""
        self._model.session.holding.told(listing)

    def _made(self) -> None:
        session = self._model.session
        if session.context.stand_in is not None:
            from keen_compass.practice import stand_in

            stand_in.make(session)
        else:
            session.making.made()
        session.after_making()
