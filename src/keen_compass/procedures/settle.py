"""What would settle a *can't tell*: from the shares of its variance to what makes them smaller.

Each remedy says what it does to the sources of the error: more readings average what repeats, a longer piece makes
what is read matter less, a proven scale takes most of what was assumed away. A remedy is promised only where it comes
true in nine cases of ten. When more is read the value moves: of the readings that stay by what they lose in variance,
σ² = u² − u'², made again by both, σ² = u² + u'². It is told then, one way or the other, unless it comes to lie within
the new U of the tolerance. What is likely but not that likely *may* settle it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import combinations
from typing import TYPE_CHECKING, NamedTuple

from keen_compass.errors import UncertaintyError
from keen_compass.language import marked
from keen_compass.procedures.case import Case, length_mm
from keen_compass.quantities.assumed import AIMED, hand
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Remedy
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import K_95, Cause, Source, Uncertain, expand
from keen_compass.quantities.verdict import Verdict

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure

Change = Callable[[Source], tuple[Source, float]]  # a source as it is then, and what its coefficient is multiplied by

MORE_READINGS = (4, 5, 6, 8, 10)
MORE_TIMES = (2, 3, 4)  # equal pieces, aims, seats: all told
LONGER = (1.1, 1.25, 1.5, 2.0, 3.0)
CLOSER = (2.0, 4.0)
PROVEN, MEASURED = 0.15, 0.25  # of what was assumed, that a round leaves of a scale, of lost motion
RECORDED = 30.0  # degrees of freedom of a spread that a logbook knows
MARGIN = 1.1  # of the U planned: its own estimate scatters too
MISSED = 3.0  # times what an aim is usually off
PROMISED, LIKELY = 0.9, 0.5  # chances from which a remedy would, and may, settle it
MATTERS = 0.02  # of the variance: what brings less is no remedy's business
# What one gets where it isn't stated what else is at hand, finer and finer.
FINER = {
    "tape": ("steel rule", 0.5, 0.1, 1000.0),
    "steel rule": ("caliper", 0.01, 0.03, 300.0),
    "caliper": ("micrometer", 0.001, 0.004, 100.0),
    "dial gauge": ("dial gauge", 0.001, 0.004, 1.0),
    "depth gauge": ("dial gauge", 0.001, 0.004, 1.0),
}


@dataclass(frozen=True, slots=True)
class Way:
    """Something to do. does: to each source. minutes: that it takes. again: nothing of what was read stays."""

    code: str
    said: Note
    minutes: float
    does: Change
    anew: bool = False


class Prospect(NamedTuple):
    """What an error's U would be, and the chance that the verdict is clear then."""

    U: float
    chance: float


def remedies(
    case: Case, procedure: AnyProcedure | None, quantity: str, error: Uncertain, T: float
) -> tuple[Note, tuple[Remedy, ...]]:
    """(what is said first, every remedy in the order of least time, those that are sure before those that may do).

    error, T: in the quantity's error unit. Where no single one is sure, two together that are; where nothing is even
    likely, why not.
    """
    ways = sorted(_ways(case, procedure, quantity, error), key=lambda w: w.minutes)
    prospect = partial(_prospect, error, error.U, T=T, one_sided=QUANTITIES[quantity].one_sided)
    prospects = [(way, prospect((way,))) for way in ways]
    sure = _least(prospects, PROMISED)
    likely = {code: r for code, r in _least(prospects, LIKELY, best=True).items() if code not in sure}
    found = (*sure.values(), *likely.values())
    if sure:
        return found[0].text, found
    for both in sorted(combinations(ways, 2), key=lambda pair: pair[0].minutes + pair[1].minutes):
        if both[0].code != both[1].code and (p := prospect(both)).chance >= PROMISED:
            pair = tuple(_remedy(way, p) for way in both)
            return note("both_together", first=pair[0].text, then=pair[1].text), pair
    # Of a mark that was missed nothing follows for the next aim.
    found = found or tuple(_remedy(way, p) for way, p in prospects if way.does is _aimed_well and p.U < T)
    if found:
        return found[0].text, found
    best = {way.code: way for way, p in sorted(prospects, key=lambda found: -found[1].U) if p.U < error.U}
    if prospect(best.values()).U > T:  # the best of each kind, all of them together
        return note("floor", instrument=case.instrument.name), ()
    return note("nothing_settles"), ()


def with_remedies(
    verdict: Verdict,
    notes: Sequence[Note],
    case: Case,
    procedure: AnyProcedure | None,
    quantity: str,
    error: Uncertain,
    T: float,
) -> tuple[tuple[Note, ...], tuple[Remedy, ...]]:
    """(notes, remedies) of a finding: where it can't be told, what would settle it is said first."""
    if verdict is not Verdict.CANNOT_TELL:
        return tuple(notes), ()
    first, found = remedies(case, procedure, quantity, error, T)
    return (first, *notes), found


def _least(prospects: Sequence[tuple[Way, Prospect]], chance: float, *, best: bool = False) -> dict[str, Remedy]:
    """Of each kind the least that has such a chance, in the order of time; best: the one with the best chance."""
    found: dict[str, tuple[Way, Prospect]] = {}
    for way, p in prospects:
        if p.chance >= chance and (way.code not in found or (best and p.chance > found[way.code][1].chance)):
            found[way.code] = way, p
    return {code: _remedy(way, p) for code, (way, p) in found.items()}


def _remedy(way: Way, prospect: Prospect) -> Remedy:
    sure = prospect.chance >= PROMISED
    return Remedy(way.code, prospect.U, replace(way.said, values={**way.said.values, "sure": sure}))


def _prospect(error: Uncertain, now: float, ways: Iterable[Way], *, T: float, one_sided: bool) -> Prospect:
    """now: the error's U."""
    effects, anew = error.effects, False
    for way in ways:
        effects = tuple((s, c * k) for source, c in effects for s, k in (way.does(source),) if k)
        anew = anew or way.anew
    try:
        U = expand(effects)
    except UncertaintyError:
        return Prospect(now, 0.0)
    sigma = math.sqrt(now**2 + U**2 if anew else max(now**2 - U**2, 0.0)) / K_95
    return Prospect(U, _told(error.value, sigma, U * MARGIN, T, one_sided=one_sided))


def _told(value: float, sigma: float, U: float, T: float, *, one_sided: bool) -> float:
    """The chance that a value that moves by sigma comes to lie further than U from every limit."""
    limits = (T,) if one_sided else (T, -T)
    if not sigma:
        return float(all(abs(value - limit) > U for limit in limits))
    within = sum(_normal((limit + U - value) / sigma) - _normal((limit - U - value) / sigma) for limit in limits)
    return 1 - min(within, 1.0)


def _normal(z: float) -> float:
    return 0.5 * math.erfc(-z / math.sqrt(2))


def _ways(case: Case, procedure: AnyProcedure | None, quantity: str, error: Uncertain) -> Iterator[Way]:
    """All that could be done about what matters in this error."""
    total = error.u**2
    shares: dict[Cause, float] = {}
    for s, c in error.effects:
        shares[s.cause] = shares.get(s.cause, 0.0) + (s.u * c) ** 2
    matter = {cause for cause, v in shares.items() if v > MATTERS * total}
    if Cause.REPEATS in matter or Cause.DIVISION in matter:
        yield from _by_reading(case, procedure)
    yield from _by_instrument(case, procedure, matter)
    if matter & {Cause.LADDER, Cause.SEEN}:
        for factor in CLOSER:
            yield Way(
                "closer_steps",
                note("closer_steps", times=factor),
                8.0 + factor,
                _scaled((Cause.LADDER, Cause.SEEN), 1 / factor),
                anew=True,
            )
    if Cause.SCALE in matter:
        yield Way("prove_scale", note("prove_scale"), 15.0, _scaled((Cause.SCALE,), PROVEN))
    if Cause.PLAY in matter:
        yield Way("measure_play", note("measure_play"), 6.0, _scaled((Cause.PLAY,), MEASURED))
    if any(_aimed_badly(s) for s, _ in error.effects):
        yield Way("aim_again", note("aim_anew"), 8.0, _aimed_well, anew=True)
    drawn = shares.get(Cause.DRAWN, 0.0) > shares.get(Cause.AIM, 0.0) + shares.get(Cause.PLACES, 0.0)
    for times in MORE_TIMES:
        if matter & {Cause.AIM, Cause.DRAWN, Cause.PLACES}:
            yield Way(
                "aim_again",
                note("draw_again" if drawn else "aim_again", more=times - 1),
                4.0 * times,
                _repeated((Cause.AIM, Cause.DRAWN, Cause.PLACES), 1, times),
            )
        if Cause.SEATING in matter:
            yield Way(
                "seat_again",
                note("seat_again", more=times - 1),
                5.0 * times,
                _repeated((Cause.SEATING, Cause.DIVISION), 1, times),
            )
        if Cause.PIECES in matter and procedure and procedure.noun == "piece":
            pieces = case.pieces + times - 1
            yield Way(
                "equal_piece",
                note("more_pieces", more=times - 1),
                10.0 * times,
                _repeated((Cause.PIECES, Cause.REPEATS, Cause.DIVISION), case.pieces, pieces),
            )
    if procedure and QUANTITIES[quantity].scaled:
        yield from _by_length(case, procedure)
    if any(s.dof < RECORDED / 2 and s.assumed for s, _ in error.effects):
        yield Way("better_record", note("better_record"), 25.0, _recorded)


def _by_reading(case: Case, procedure: AnyProcedure | None) -> Iterator[Way]:
    have = max(min((len(v) for v in case.readings.values()), default=0), 1)
    lengths = [length for read in case.readings.values() for length in read if isinstance(length, Length)]
    stated = max((length.resolution_mm for length in lengths), default=0.0)
    instrument = case.instrument
    if stated > instrument.resolution and not instrument.divided_in_fractions:
        said = note("read_finer", division=instrument.resolution, instrument=instrument.name)
        yield Way("read_again", said, 1.5, _scaled((Cause.DIVISION,), instrument.resolution / stated), anew=True)
    what = marked("length") if procedure is None or procedure.noun == "piece" else marked("stop")
    for n in MORE_READINGS:
        if n > have:
            said = note("more_readings", more=n - have, noun=what)
            yield Way("read_again", said, 1.0 + 0.5 * (n - have), _repeated((Cause.REPEATS,), have, n))


def _by_instrument(case: Case, procedure: AnyProcedure | None, matter: set[Cause]) -> Iterator[Way]:
    """With what is at hand; where that isn't stated, with the next finer kind."""
    now = case.instrument
    if not matter & {Cause.REPEATS, Cause.DIVISION, Cause.OWN_ERROR, Cause.GAIN}:
        return
    longest = max(
        (abs(length.mm) for v in case.readings.values() for length in v if isinstance(length, Length)), default=0.0
    )
    others = [i for i in case.instruments_at_hand if i.name != now.name and (not i.reach or i.reach >= longest)]
    if not case.instruments_at_hand and now.kind in FINER and not now.uid:
        kind, division, a, reach = FINER[now.kind]
        suits = procedure.read_by.suits if procedure and procedure.read_by.suits else (kind,)
        if kind in suits and longest <= reach and division < now.resolution:
            others = [Instrument(kind, division, (a, 0.0), kind=kind, reach=reach)]
    for other in others:
        yield Way(
            "finer_instrument",
            note("other_instrument", instrument=other.name),
            4.0,
            _read_with(now, other, longest),
            anew=True,
        )


def _by_length(case: Case, procedure: AnyProcedure) -> Iterator[Way]:
    """Of what is judged over a length, everything but what grows with it matters less on a longer one."""
    sizes = [length_mm(case.piece[k], k) for k in procedure.sizes.grows if k in case.piece]
    if not sizes:  # it says nothing of how long it is: nothing can be said of a longer one
        return
    longest = max(sizes)
    limit = min(x for x in (case.largest_size or longest, case.instrument.reach or math.inf) if x)
    fixed = (Cause.GAIN, Cause.TILT, Cause.WARMTH, Cause.KNOWN, Cause.SCALE)
    for factor in LONGER:
        if longest * factor <= limit:
            said = note("longer", noun=procedure.noun, long=longest * factor, now=longest)
            yield Way(
                "longer_piece", said, 15.0 * factor, _scaled(tuple(set(Cause) - set(fixed)), 1 / factor), anew=True
            )


def _aimed_badly(s: Source) -> bool:
    """Whether marks lie so far apart that one of them was rather missed than aimed at."""
    return s.cause in (Cause.AIM, Cause.PLACES) and s.u > MISSED * AIMED.s


def _aimed_well(s: Source) -> tuple[Source, float]:
    return (s._replace(u=AIMED.s) if _aimed_badly(s) else s), 1.0


def _scaled(causes: Sequence[Cause], factor: float) -> Change:
    """The same effects, those of some causes by a factor smaller."""
    return lambda s: (s, factor if s.cause in causes else 1.0)


def _repeated(causes: Sequence[Cause], now: int, then: int) -> Change:
    """A mean of `then` in place of `now`; where the spread is estimated, by so many more."""

    def change(s: Source) -> tuple[Source, float]:
        if s.cause not in causes:
            return s, 1.0
        more = then - now
        return s._replace(dof=s.dof + more, shared_dof=s.shared_dof and s.shared_dof + more), math.sqrt(now / then)

    return change


def _recorded(s: Source) -> tuple[Source, float]:
    return (s._replace(dof=max(s.dof, RECORDED), shared_dof=max(s.shared_dof, RECORDED)) if s.assumed else s), 1.0


def _read_with(now: Instrument, other: Instrument, length: float) -> Change:
    """The same read with another instrument, whose division, hand and permissible error are its own."""
    spread = other.repeats or hand(other.kind, other.resolution)
    was, then = (i.permissible_error for i in (now, other))
    ratio = {
        Cause.DIVISION: other.resolution / now.resolution,
        Cause.OWN_ERROR: math.hypot(then[0], then[1] * length) / was[0] if was[0] else 1.0,
        Cause.GAIN: 0.0 if not was[1] else then[1] / was[1],
    }

    def change(s: Source) -> tuple[Source, float]:
        if s.cause is Cause.REPEATS:
            return s._replace(u=spread.s, dof=spread.dof, estimate=None, shared_dof=0.0), 1.0
        return s, ratio.get(s.cause, 1.0)

    return change
