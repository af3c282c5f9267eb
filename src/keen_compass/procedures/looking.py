"""The one place that looks through what was read before it is fitted, for every procedure (arithmetic.md §3).

Another unit, a slipped digit, digits that no such scale has, a reading far from its brothers, two that were read each
where the other should have been. What only a fit can see, readings that contradict each other, `results.contradicted`
looks for.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from keen_compass.procedures.case import Case
from keen_compass.quantities.measuring import squares_within
from keen_compass.quantities.notes import note
from keen_compass.quantities.readings import Kind, Reads
from keen_compass.solve.plausibility import Doubt, looks_finer, looks_odd, looks_scaled, looks_swapped

if TYPE_CHECKING:
    from keen_compass.procedures.measurand import Measurand


def looked_through(case: Case, measurands: Mapping[str, Measurand], room: float) -> list[Doubt]:
    """What to ask about, a doubt for each measurand at most. room: by which a cut may bend a length, mm."""
    read = [
        m
        for name, m in measurands.items()
        if m.kind is Kind.LENGTH and not m.by_eye and all(_sensible(m, r) for r in case.readings.get(name, ()))
    ]
    read = [m for m in read if case.readings.get(m.name)]
    everything = case.scatter_of_readings()
    found = [doubt.of(m.spoken or m.label) for m in read if (doubt := _of_one(case, m, room, everything))]
    return found or _exchanged(case, [m for m in read if m.ordered])


def _sensible(m: Measurand, reading: Any) -> bool:
    """Whether such a thing can be read at all: the rest is refused in words of its own."""
    return m.signed or reading.mm > 0


def _of_one(case: Case, m: Measurand, room: float, everything: tuple[float, int]) -> Doubt | None:
    """What is odd about the readings of one thing. everything: of all readings, squares and degrees of freedom."""
    lengths = case.lengths(m.name)
    values = [length.mm for length in lengths]
    if m.ordered and (doubt := looks_scaled(m.name, m.nominal, values, room)):
        return doubt
    if m.name == case.half_typed or m.name in case.stated:
        return None
    instrument = case.as_read(lengths)
    if m.reads is Reads.EVENTS:
        return looks_finer(m.name, lengths, instrument.resolution)
    own, own_dof = squares_within([values])
    beside = (max(everything[0] - own, 0.0), everything[1] - own_dof)
    return looks_finer(m.name, lengths, instrument.resolution) or looks_odd(m.name, values, instrument, beside)


def _exchanged(case: Case, sizes: list[Measurand]) -> list[Doubt]:
    """Two that were read each where the other should have been."""
    means = {m.name: case.measured(m.name, nominal=m.nominal) for m in sizes}
    doubt = looks_swapped(
        {m.name: m.nominal for m in sizes},
        {name: mean.value for name, mean in means.items()},
        {name: 2 * mean.mean.u for name, mean in means.items()},
    )
    if doubt is None:
        return []
    a, b = (next(m.label for m in sizes if m.name == name) for name in doubt.measurands)
    return [Doubt(doubt.measurands, note("looks_swapped", a=a, b=b))]
