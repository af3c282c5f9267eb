"""What would settle a *can't tell*: more readings, a longer piece, more pieces, another instrument.

A remedy is promised only where it comes true in nine cases of ten. When more is read the value moves: of the readings
that stay by what they lose in variance, σ² = u² − u'², made anew by both, σ² = u² + u'². It is told then, one way or
the other, unless it comes to lie within the new U of the tolerance. What is likely but not that likely *may* settle it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from keen_compass.procedures.case import Case, length_mm
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import K_95, Uncertain

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure

MORE_READINGS = (4, 5, 6, 8, 10)
MORE_PIECES = (2, 3, 4)
LONGER = (1.1, 1.25, 1.5, 2.0, 3.0)
ENDLESS = 10_000  # readings and pieces: what is left then is the instrument's own
MARGIN = 1.1  # of the U planned: its own estimate scatters too
PROMISED, LIKELY = 0.92, 0.5  # chances from which a remedy would, and may, settle it


@dataclass(frozen=True, slots=True)
class Remedy:
    """said: what to do. changed, readings: what to plan with.

    anew: other readings are made, nothing of those that are there stays.
    """

    said: Note
    changed: Case
    readings: int
    anew: bool = False


def what_would_settle(procedure: Procedure[Any], case: Case, quantity: str, error: Uncertain, tolerance: float) -> Note:
    """The cheapest remedy, and whether it is sure. `error` and `tolerance` in the quantity's error unit."""
    maybe: Note | None = None
    U_now = error.U

    def chance_of(remedy: Remedy) -> float | None:
        U = _predicted(procedure, remedy).get(quantity)
        if U is None:
            return None
        sigma = math.sqrt(U_now**2 + U**2 if remedy.anew else max(U_now**2 - U**2, 0.0)) / K_95
        return _told(error.value, sigma, U * MARGIN, tolerance, one_sided=QUANTITIES[quantity].one_sided)

    for remedy in _remedies(procedure, case):
        chance = chance_of(remedy)
        if chance is None:
            continue
        if chance >= PROMISED:
            return _settling(remedy.said, sure=True)
        if not maybe and chance >= LIKELY:
            maybe = _settling(remedy.said, sure=False)
    if maybe:
        return maybe
    at_best = chance_of(Remedy(note("floor"), replace(case, pieces=ENDLESS), ENDLESS))
    if at_best is not None and at_best < LIKELY:
        return note(procedure.floor, instrument=case.instrument.name)
    return note("nothing_settles")


def _settling(said: Note, *, sure: bool) -> Note:
    return replace(said, values={**said.values, "sure": sure})


def _told(value: float, sigma: float, U: float, T: float, *, one_sided: bool) -> float:
    """The chance that a value that moves by sigma comes to lie further than U from every limit."""
    limits = (T,) if one_sided else (T, -T)
    if not sigma:
        return float(all(abs(value - limit) > U for limit in limits))
    within = sum(_normal((limit + U - value) / sigma) - _normal((limit - U - value) / sigma) for limit in limits)
    return 1 - min(within, 1.0)


def _normal(z: float) -> float:
    return 0.5 * math.erfc(-z / math.sqrt(2))


def _predicted(procedure: Procedure[Any], remedy: Remedy) -> Mapping[str, float]:
    case = remedy.changed
    key = (repr(remedy.said), remedy.readings, case.pieces)
    if key not in case.predicted:
        case.predicted[key] = procedure.predict(case, remedy.readings)
    return case.predicted[key]


def _remedies(procedure: Procedure[Any], case: Case) -> Iterator[Remedy]:
    noun = procedure.noun
    have = min((len(v) for v in case.readings.values()), default=0)
    stated = max(
        (length.resolution_mm for v in case.readings.values() for length in v if isinstance(length, Length)),
        default=0.0,
    )
    if stated > case.instrument.resolution and not case.instrument.divided_in_fractions:
        yield Remedy(
            note("read_finer", division=case.instrument.resolution, instrument=case.instrument.name),
            replace(case, readings={}),
            max(have, 1),
            True,
        )
    for n in MORE_READINGS:
        if n > have:
            yield Remedy(note("more_readings", more=n - have, noun="length" if noun == "piece" else "stop"), case, n)
    n = max(have, 3)
    sizes = {k: length_mm(case.piece[k], k) for k in procedure.grows if k in case.piece}
    longest = max(sizes.values(), default=0.0)
    limit = min(x for x in (case.largest_size or longest, case.instrument.reach or float("inf")) if x)
    for factor in LONGER if sizes else ():
        if longest * factor <= limit:
            changed = replace(case, piece={**case.piece, **{k: v * factor for k, v in sizes.items()}})
            yield Remedy(note("longer", noun=noun, long=longest * factor, now=longest), changed, n, True)
    for other in case.instruments_at_hand:
        if other.name != case.instrument.name and other.reach >= longest:
            # What its readings scatter is its own.
            yield Remedy(
                note("other_instrument", instrument=other.name),
                replace(case, instrument=other, readings={}), n, True,
            )  # fmt: skip
    if noun != "piece":
        return
    for pieces in MORE_PIECES:
        if pieces > case.pieces:
            yield Remedy(note("more_pieces", more=pieces - case.pieces), replace(case, pieces=pieces), n)
