"""What pictures of the piece shown have in common: they are looked at first, and kept once someone takes them."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.readings import Kind, Pick
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.measuring import Measuring
from keen_compass.shop.marks import SheetSeen

if TYPE_CHECKING:
    from keen_compass.procedures.seen import Reading

L = TypeVar("L")


class SeenPictures(Generic[L]):
    """Of the piece that is shown. looked: at what, and not taken yet; None for nothing."""

    def __init__(self, context: RoundContext, measuring: Measuring) -> None:
        self._c, self._measuring = context, measuring
        self.looked: L | None = None

    def take(self, what: Collection[Any]) -> None:
        """Keep what is ticked (undoable). Raises InputError where that is nothing."""
        raise NotImplementedError

    def leave(self) -> None:
        """Nothing of it is taken."""
        self.looked = None
        self._c.changed()

    def _keep(self, data: bytes, read: Iterable[Reading]) -> None:
        """These readings, with the picture (undoable). Raises InputError where there are none."""
        found = {r.measurand: r for r in read}
        if not found:
            raise InputError(tr("Tick what is to be taken, or leave the picture."))
        picks = {m.name for m in self._measuring.measurands() if m.kind is Kind.PICK}
        blob = self._c.shop.put_blob(data)
        as_read = {
            name: Pick(r.mm, f"{r.mm:g}") if name in picks else Length(r.mm, f"{r.mm:.3f} mm", "mm", 0.0)
            for name, r in found.items()
        }
        self._measuring.put_seen(as_read, SheetSeen(blob, {n: r.U for n, r in found.items() if n not in picks}))
        self.looked = None
