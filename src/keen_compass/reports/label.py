"""A label for a machine: its values that are in, when they were found, when to look again; in usual label sizes."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime
from types import MappingProxyType

from keen_compass.errors import InputError
from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.digits import two_significant
from keen_compass.reports.paper import LEADING, MM, QUIET, Paper
from keen_compass.shop.due import due_on
from keen_compass.shop.standing import Spoke, State, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.errors import shown_in

SIZES = MappingProxyType(
    {"89 × 36": (89.0, 36.0), "62 × 29": (62.0, 29.0), "57 × 32": (57.0, 32.0), "102 × 51": (101.6, 50.8)}
)
INSET = 2.0  # mm, from the edge to anything
CODE = 12.0  # mm, side
NAME, LINE = 3.4, 1.9  # mm, letters


def label(shop: Shop, machine: Machine, size: str, now: datetime | None = None) -> bytes:
    """The PDF of one label. size: of `SIZES`. Raises InputError where nothing of the machine is known to be in."""
    now = now or datetime.now(UTC)
    standing = spokes(shop, machine, now)
    rows = values_in(shop, machine, standing)
    if not rows:
        raise InputError(
            tr("Nothing of {name} is in tolerance: there is nothing to put on a label.", name=machine.name)
        )
    wide, high = SIZES[size]
    paper = Paper(tr("{name}: calibrated values", name=machine.name), machine.name, (wide * MM, high * MM), INSET * MM)
    paper.y = (high - INSET - NAME) * MM
    beside = (wide - 2 * INSET - CODE - 1) * MM
    paper.line(machine.name, NAME * MM, bold=True, width=beside)
    look = min((d.on for d in due_on(shop, machine, standing, now) if d.spoke.state is State.IN), default=None)
    if look:
        paper.line(tr("Check by {day}", day=_day(look)), LINE * MM, QUIET, width=beside)
    most = int((paper.y - INSET * MM) / (LINE * LEADING * MM))
    shown = rows if len(rows) <= most else rows[: most - 1]
    for words in shown:
        beyond = paper.y < (high - INSET - CODE) * MM  # below the code there is all the width
        room = paper.width if beyond else beside
        letters, y = paper.fitting(words, LINE * MM, room), paper.y
        paper.line(words, letters, width=room)
        paper.y = y - LINE * LEADING * MM
    if len(shown) < len(rows):
        paper.line(tr("and {n} more", n=len(rows) - len(shown)), LINE * MM, QUIET)
    paper.code(code_of(machine), ((wide - INSET - CODE) * MM, (high - INSET - CODE) * MM), CODE * MM)
    return paper.done()


def code_of(machine: Machine) -> str:
    """What the label's code says: which machine it is."""
    return f"KC machine {machine.uid}"


def values_in(shop: Shop, machine: Machine, standing: Sequence[Spoke]) -> list[str]:
    """``X steps 106.584 ± 0.11 mm/m, 3 Oct 26``: of each value that is in, in its order."""
    held = shop.values_on(machine)
    found = []
    for spoke in standing:
        finding, kept = spoke.finding, held.get(spoke.quantity)
        if spoke.state is not State.IN or finding is None or kept is None or spoke.at is None:
            continue
        unit = shown_in(finding.error_unit, machine.unit_of(spoke.quantity))
        U = (finding.expanded_uncertainty or 0.0) / unit.size
        number = machine.place(spoke.quantity).number(kept.stored).replace("-", "−")
        about = written(f"{U:.{two_significant(U)}f}")
        on = _day(datetime.fromisoformat(spoke.at).date())
        found.append(f"{QUANTITIES[spoke.quantity].label} {number} ± {about} {unit.sign}, {on}")
    return found


def _day(day: date) -> str:
    return f"{day.day} {day:%b %y}"
