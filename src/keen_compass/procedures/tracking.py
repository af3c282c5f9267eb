"""Feed tracking of a roll machine: out and back several times, drift of each trip and slip (arithmetic.md §5).

A run of its own within the travel run: it needs the same rule, and yields no number that a controller could hold.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from keen_compass.errors import PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram, Stop, aside
from keen_compass.pieces.where import Return
from keen_compass.procedures.case import Case
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import PER_METRE, amount_outcome, assumed_notes, dial_mean, judged, no_number
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.measuring import Held
from keen_compass.quantities.notes import note
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict, judge
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
            read = note("travel_run.first_mark") if k == 0 else note("travel_run.read_trip", trip=k)
            steps += [self._go(-OVERRUN), self._go(0), Stop(read, k)]
        return MoveProgram(note("travel_run.tracking_program", axis=self.axis, length=self.length), tuple(steps))

    def _go(self, p: float) -> Go:
        return Go(**{self.axis: self.start + p}, feed=FEED)

    def measurands(self) -> tuple[Measurand, ...]:
        """One for each trip."""
        return tuple(
            Measurand(
                f"trip_{k}",
                note("travel_run.trip", trip=k),
                self.axis,
                0.0,
                Return(self.axis, k, 0),
                hint="travel_run.how_trip",
                signed=True,
            )
            for k in range(1, self.trips + 1)
        )


def trips_of(given: object) -> int:
    """How many trips. Raises PieceError."""
    if isinstance(given, bool) or not isinstance(given, int) or not 2 <= given <= MOST_TRIPS:
        raise PieceError(tr("expected 2 to {most_trips} trips", most_trips=MOST_TRIPS), "piece.trips")
    return given


SLIPS = 2.0  # of its standard deviation: what a slip exceeds once in twenty trips


def track(case: Case, run: TrackingRun) -> Solution:
    """How far each trip drifts, and how it slips about that: whichever is worse is judged."""
    names = {k: f"trip_{k}" for k in range(1, run.trips + 1) if f"trip_{k}" in case.readings}
    if len(names) < 2:
        why = note("travel_run.two_trips")
        return Solution((no_number(case, "tracking", Verdict.UNRESOLVED, why),))
    trips = {k: dial_mean(case, name) for k, name in names.items()}
    found = fit_tracking(trips)
    slips = found.slips(SLIPS)
    worse = _worse(found.drift, slips, case.tolerance_of("tracking", PER_METRE))
    old = case.amount("tracking")
    # No number in a controller corrects it; what is kept counts how often the feed was serviced.
    formula = note("travel_run.looked_after", times=old.number(0))
    outcome = amount_outcome(case, "tracking", old.base + 1, worse, formula)
    words = [note("travel_run.drifts", drift=found.drift.value, length=run.length)]
    if worse is slips:
        words = [note("travel_run.slips", slip=slips.value)]
    if abs(worse.value) + worse.U > outcome.T:
        words.insert(0, note("travel_run.look_after"))
    finding = judged(case, replace(outcome, notes=tuple(words)))
    if finding.verdict is Verdict.CANNOT_TELL:
        finding = replace(finding, notes=(note("travel_run.more_trips"), *finding.notes))
    figures = {"trips": [m.value for m in trips.values()], "drift": found.drift.value, "slip": found.slip}
    figures["units"] = case.controller_units
    return Solution((finding,), (), assumed_notes(case), figures)


def _worse(drift: Uncertain, slips: Uncertain, T: float) -> Uncertain:
    """What decides: what is surely out, else what is open, else what reaches further."""
    order = (Verdict.OUT, Verdict.CANNOT_TELL, Verdict.IN)
    return min((drift, slips), key=lambda e: (order.index(judge(e.value, e.U, T)), -abs(e.value) - e.U))


def foreseen_drift(case: Case, run: TrackingRun) -> dict[str, float]:
    """U of the drift that reading alone leaves; what the trips scatter is not known before."""
    last = case.foreseen(f"trip_{run.trips}", 0.0, 1, held=Held.AGAINST)
    return {"tracking": last.mean.times(1 / run.trips).U}
