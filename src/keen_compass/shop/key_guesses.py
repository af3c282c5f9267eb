"""Which key of a listing may be which number of a machine: guessed, and always asked.

Two things speak for a key: it holds the number that the logbook knows, and its name (or the remark beside it) says
axis and kind. A number that many keys hold says nothing, nor does a zero.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

from keen_compass.formats.listing import Entry, Listing, number_in
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import FAMILIES
from keen_compass.shop.kept import KeptValue

COMMON = 4  # keys that hold the same number: from here on it tells nothing
MOST_ENTRIES = 5000  # of a listing; what is longer is no list of settings
ENOUGH = 2.0  # of the points below


@dataclass(frozen=True, slots=True)
class Guess:
    """entry: which may be it. same: it holds the number that the logbook knows; else only its name speaks for it."""

    quantity: str
    entry: Entry
    same: bool


def guesses(machine: Machine, held: Mapping[str, KeptValue], listing: Listing, known: frozenset[str]) -> list[Guess]:
    """The likeliest key of each number that is not `known` yet, no key twice, the surest first."""
    if len(listing.entries) > MOST_ENTRIES:
        return []
    taken = {machine.place(q).key for q in known}
    free = [e for e in listing.entries if number_in(e.value, 1.0) is not None and listing.name_of(e) not in taken]
    points: list[tuple[float, int, str, Entry, bool]] = []
    for quantity in machine.quantities:
        if quantity in known or not machine.in_controller(quantity) or quantity in machine.spots:
            continue
        kept = held.get(quantity)
        ours = machine.place(quantity).number(kept.stored) if kept else ""
        alike = {e for e in free if ours and float(ours) and number_in(e.value, float(ours)) == float(ours)}
        for e in free:
            same = e in alike and len(alike) < COMMON
            score = (2.0 if same else 0.0) + _named(e, quantity)
            if score >= ENOUGH:
                points.append((score, e.line, quantity, e, same))
    found: list[Guess] = []
    for _, _, quantity, e, same in sorted(points, key=lambda p: (-p[0], p[1])):
        if all(g.quantity != quantity and g.entry != e for g in found):
            found.append(Guess(quantity, e, same))
    return found


def _named(entry: Entry, quantity: str) -> float:
    """What its name says: its axis and its kind (1 each), another axis (-2)."""
    name = f"{entry.section} {entry.key}"
    plain = re.sub(r"[_\W]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", f"{name} {entry.remark}")).lower()
    words = set(plain.split())
    axes = {axis for axis in "xyz" if axis in words or f"axis{axis}" in words}
    wanted, family = QUANTITIES[quantity].axis, QUANTITIES[quantity].family
    kind = any(word in plain for word in family.keys)
    others = (word for f in FAMILIES.values() if f is not family for word in f.keys)
    other_kind = not kind and any(word in plain for word in others)
    score = (1.0 if kind else 0.0) - (1.0 if other_kind else 0.0)
    if wanted and axes:
        score += 1.0 if axes == {wanted} else -2.0
    return score
