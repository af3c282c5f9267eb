"""A piece that is cut over the cable: what was sent for it, how far it came, and why it came no further."""

from __future__ import annotations

from dataclasses import replace

from keen_compass.errors import InputError
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.making import Making
from keen_compass.shop.marks import CableRun
from keen_compass.words.holding import broke_off
from keen_compass.words.say import say

DONE = "done"  # how a run ended that came to its end


class CableRuns:
    """Of the next piece of a round."""

    def __init__(self, context: RoundContext, making: Making) -> None:
        self._c, self._making = context, making

    def begin(self, total: int) -> str:
        """What goes over the cable now: the next piece's file, kept before the first byte leaves. total: commands.

        Raises InputError, PieceError where it can't be made.
        """
        if (refused := self._making.refusal()) is not None:
            raise InputError(say(refused))
        text = self._making.file_text()
        with self._c.shop.writing():
            blob = self._c.shop.put_blob(text.encode())
            self._c.put_mark(CableRun(self._making.next_number(), blob, total=total))
        return text

    def ended(self, sent: int, acknowledged: int, total: int, why: str) -> None:
        """How far it came, and why it came no further; ``done`` where it is made."""
        run = self.now()
        if run is None:
            return
        with self._c.shop.writing():
            over = replace(run, sent=sent, acknowledged=acknowledged, total=total, ended=why)
            self._c.put_mark(over)
            if why != DONE:
                words = broke_off(run.number, acknowledged, total, why)
                self._c.shop.put_event(self._c.kept.machine, "run_broke_off", words)

    def now(self) -> CableRun | None:
        """The run of the next piece, where one was begun and the piece isn't there yet."""
        mark = self._c.mark(CableRun)
        return mark if mark and mark.number == self._making.next_number() else None
