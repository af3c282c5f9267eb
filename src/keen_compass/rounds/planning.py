"""What to make next on a machine of the shop: its open questions as a case for `procedures.planning`."""

from __future__ import annotations

from dataclasses import replace

from keen_compass.machines.profile import Machine
from keen_compass.procedures.case import Case
from keen_compass.procedures.planning import Proposal, proposals, single_minutes
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.rounds.context import LATEST
from keen_compass.rounds.knowledge import everything_known, present
from keen_compass.shop.standing import State, spokes
from keen_compass.shop.store import Shop

WORTH_SAYING, SAVES = 2, 2.0  # open questions that one piece must settle, minutes that it must save


def open_case(shop: Shop, machine: Machine) -> Case:
    """Everything that is asked of a machine now, what is known of it and what there is to measure with."""
    now = present(shop, machine)
    asked = tuple(
        s.quantity
        for s in spokes(shop, machine)
        if s.state is not State.IN and QUANTITIES[s.quantity].lives is not Lives.COMPUTED
    )
    found = everything_known(shop, machine, now, LATEST, asked)
    instruments = [replace(i, repeats=shop.repeatability(i.uid) or i.repeats) for i in shop.instruments()]
    return Case(
        procedure="next",
        machine=machine,
        values=now.held,
        known=found,
        open=asked,
        instruments_at_hand=tuple(instruments),
        largest_size=0.9 * max(machine.bed) if machine.stock is None else 0.9 * max(machine.loaded),
        subject=machine.subject,
    )


def best(case: Case, file_format: str = "gcode") -> tuple[Proposal, float] | None:
    """(what settles most for the least time, minutes of doing it one by one); None where nothing saves any."""
    found = proposals(case, file_format)
    for p in found:
        if len(p.for_good) < WORTH_SAYING:
            continue
        one_by_one = single_minutes(replace(case, open=p.for_good), found, file_format)
        if one_by_one > p.minutes + SAVES:
            return p, one_by_one
    return None
