"""By how much the next cut is given room, and how that is known: held, or a starting value from what the shop knows."""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds.context import RoundContext
from keen_compass.shop.library import Starting, begin_with, kerfs


@dataclass(frozen=True, slots=True)
class Room:
    """width: full width, mm. by: the file, the controller, or empty. starting: where it is only one to begin with.

    held: whether it stands where it is kept, for what is mounted.
    """

    width: float
    by: str
    held: bool = False
    starting: Starting | None = None


def room(context: RoundContext) -> Room:
    """For the tool that was chosen, in the stock that is loaded."""

    def look() -> Room:
        machine, tool = context.machine, context.tool
        if tool.drawn:
            return Room(0.0, "")
        kept = context.values().get("kerf")
        held = machine.kerf_width(kept) if isinstance(kept, StoredAmount) else 0.0
        if held or machine.in_controller("kerf"):
            return Room(held, machine.gives_room, held=True)
        begin = begin_with(kerfs(context.shop, machine), context.subject, tool.diameter)
        return Room(begin.width if begin else 0.0, "file", starting=begin)

    return context.remembered(("room", context.tool.uid), look)
