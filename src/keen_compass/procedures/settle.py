"""What would settle a *can't tell*: more readings, a longer piece, more pieces, another instrument."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from keen_compass.procedures.case import Case, length_mm
from keen_compass.quantities.lengths import Length, trim_number
from keen_compass.quantities.verdict import Verdict, judge

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure

MORE_READINGS = (4, 5, 6, 8, 10)
MORE_PIECES = (2, 3, 4)
LONGER = (1.1, 1.25, 1.5, 2.0, 3.0)
ENDLESS = 10_000  # readings and pieces: what is left then is the instrument's own


def what_would_settle(procedure: Procedure[Any], case: Case, quantity: str, error: float, tolerance: float) -> str:
    """One sentence, cheapest remedy first. `error` and `tolerance` in the quantity's error unit."""
    for sentence, changed, n in _remedies(procedure, case):
        U = _predicted(procedure, case, sentence, changed, n).get(quantity)
        if U is not None and judge(error, U, tolerance) is not Verdict.CANNOT_TELL:
            return sentence
    floor = _predicted(procedure, case, "", replace(case, pieces=ENDLESS), ENDLESS).get(quantity)
    if floor is not None and judge(error, floor, tolerance) is Verdict.CANNOT_TELL:
        return procedure.floor.format(instrument=case.instrument.name)
    return "Too close to the tolerance to call with anything at hand."


def _predicted(procedure: Procedure[Any], case: Case, remedy: str, changed: Case, n: int) -> Mapping[str, float]:
    key = (remedy, n, case.pieces)
    if key not in case.predicted:
        case.predicted[key] = procedure.predict(changed, n)
    return case.predicted[key]


def _remedies(procedure: Procedure[Any], case: Case) -> Iterator[tuple[str, Case, int]]:
    noun = procedure.noun
    have = min((len(v) for v in case.readings.values()), default=0)
    stated = max(
        (length.resolution_mm for v in case.readings.values() for length in v if isinstance(length, Length)),
        default=0.0,
    )
    if stated > case.instrument.resolution and not case.instrument.divided_in_fractions:
        division = trim_number(case.instrument.resolution, 4)
        yield f"Reading it to {division} mm, as the {case.instrument.name} shows it, would settle it.", case, have
    for n in MORE_READINGS:
        if n > have:
            more = n - have
            word = "One more reading" if more == 1 else f"{_word(more)} more readings"
            yield f"{word} of each {'length' if noun == 'piece' else 'stop'} would settle it.", case, n
    n = max(have, 3)
    sizes = {k: length_mm(case.piece[k], k) for k in procedure.grows if k in case.piece}
    longest = max(sizes.values(), default=0.0)
    limit = min(x for x in (case.largest_size or longest, case.instrument.reach or float("inf")) if x)
    for factor in LONGER if sizes else ():
        if longest * factor <= limit:
            changed = replace(case, piece={**case.piece, **{k: v * factor for k, v in sizes.items()}})
            yield (
                f"A {noun} {longest * factor:.0f} mm long would settle it; this one is {longest:.0f}.",
                changed,
                n,
            )
    for other in case.instruments_at_hand:
        if other.name != case.instrument.name and other.reach >= longest:
            yield f"{other.name} would settle it.", replace(case, instrument=other), n
    if noun != "piece":
        return
    for pieces in MORE_PIECES:
        if pieces > case.pieces:
            more = pieces - case.pieces
            word = "One more equal piece" if more == 1 else f"{_word(more)} more equal pieces"
            yield f"{word} would settle it.", replace(case, pieces=pieces), n


def _word(count: int) -> str:
    return ("Zero", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine")[count]
