"""Feed tracking of a roll machine: out and back several times, drift of each trip and slip (arithmetic.md §5).

A run of its own within the travel run: it needs the same rule, and yields no number that a controller could hold.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from keen_compass.errors import PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram, Stop, aside
from keen_compass.pieces.where import Return
from keen_compass.procedures.base import Measurand
from keen_compass.procedures.case import Case
from keen_compass.procedures.results import amount_outcome, assumed_spread, judged, no_number
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.travel import fit_tracking

OVERRUN = 6.0  # mm, from below onto the mark
FEED = 6000.0  # mm/min; a feed that is hurried shows how it slips
TRIPS, MOST_TRIPS = 5, 200


@dataclass(frozen=True, slots=True)
class TrackingRun:
    """Out and back over `length`, `trips` times, each time read where it comes back."""

    axis: str
    start: float
    across: float
    length: float
    trips: int

    def nominal(self, measurand: str) -> float:
        """It should come back to where it was."""
        return 0.0

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """The first mark, then a mark after every trip, each met from below."""
        steps: list[Go | Stop] = [aside(self.axis, self.across)]
        for k in range(self.trips + 1):
            if k:
                steps.append(self._go(self.length))
            words = "mark where it starts" if k == 0 else f"trip {k}: read how far it misses the first mark"
            steps += [self._go(-OVERRUN), self._go(0), Stop(words, k)]
        return MoveProgram(f"feed tracking, {self.axis.upper()} {self.length:g} mm out and back", tuple(steps))

    def _go(self, p: float) -> Go:
        return Go(**{self.axis: self.start + p}, feed=FEED)

    def measurands(self) -> tuple[Measurand, ...]:
        """One for each trip."""
        hint = "How far from its first mark it came back; beyond it is +"
        return tuple(
            Measurand(f"trip_{k}", f"trip {k}", self.axis, 0.0, Return(self.axis, k, 0), hint=hint, signed=True)
            for k in range(1, self.trips + 1)
        )


def trips_of(given: object) -> int:
    """How many trips. Raises PieceError."""
    if isinstance(given, bool) or not isinstance(given, int) or not 2 <= given <= MOST_TRIPS:
        raise PieceError(f"expected 2 to {MOST_TRIPS} trips", "piece.trips")
    return given


def track(case: Case, run: TrackingRun) -> Solution:
    """How far each trip drifts, and how it slips about that."""
    trips = [[v.mm for v in case.lengths(f"trip_{k}")] for k in range(1, run.trips + 1)
             if f"trip_{k}" in case.readings]  # fmt: skip
    if len(trips) < 2:
        note = "Two trips at least: one return alone can’t tell drift from slip."
        return Solution((no_number(case, "tracking", Verdict.UNRESOLVED, note),))
    r = case.instrument.resolution / math.sqrt(12)
    found = fit_tracking(trips, case.instrument.repeatability, r)
    drift, U = found.drift.value, found.drift.U
    old = case.amount("tracking")
    formula = f"{format_mm(drift, 3, signed=True)} mm each trip of 2 × {run.length:g} mm"
    # No number in a controller cures it; what is kept counts how often the feed was looked after.
    outcome = amount_outcome(case, "tracking", old.base + 1, drift, U, formula)
    finding = judged(case, outcome)
    if finding.verdict is not Verdict.IN:
        cure = "No number cures it: look after pinch rollers, grit and media tension, then run it again."
        finding = replace(finding, notes=(*finding.notes, cure))
    means = [math.fsum(t) / len(t) for t in trips]
    return Solution((finding,), (), assumed_spread(case), {"trips": means, "drift": drift, "slip": found.slip})
