"""How fast an axis can go: a ladder of feeds, out and back, and what misses its mark (arithmetic.md §7)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram, Stop, aside
from keen_compass.pieces.where import Return
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, number
from keen_compass.procedures.checking import axis_of, check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, judged, no_number
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Feeds, Shown
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.lengths import trim_number
from keen_compass.quantities.notes import figure, note
from keen_compass.quantities.readings import Reads
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import SIZE, WHOLE
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.ladder import Ladder, climb, needed_run, reached_feed, step_rate_limit

OVERRUN = 10.0  # mm, from below onto the mark
MARGIN = 20.0
RUNGS = 10
TOP = 1.5  # of the fastest feed in the controller, how far the ladder climbs
LOWEST = 0.3
ROUND = 250.0  # mm/min; rungs stand on multiples
SHARE = 0.8  # of the highest clean rung
OPEN = 0.1  # of a single rung, how far above it the limit may lie at least
WITHIN = 0.1  # mm, what still counts as back on the mark
_PARAMETERS = {"axis", "start", "across", "run", "feeds", "acceleration", "share", "within"}


@dataclass(frozen=True, slots=True)
class SpeedRun:
    """Rungs of rising feed (mm/min), each over `run` mm and back; acceleration in mm/s²."""

    axis: str
    start: float
    across: float
    run: float
    feeds: tuple[float, ...]
    acceleration: float
    share: float
    within: float

    def __post_init__(self) -> None:
        for feed in self.feeds:
            if needed_run(feed, self.acceleration) > self.run + 1e-6:
                raise PieceError(
                    tr(
                        "a run of {run:g} mm reaches only {reached_feed:.0f} mm/min, not {feed:g}; make the run "
                        "longer or the ladder lower",
                        run=self.run,
                        reached_feed=reached_feed(feed, self.run, self.acceleration),
                        feed=feed,
                    ),
                    "run",
                )

    def rungs(self) -> dict[str, float]:
        """Which feed each measurand stands for, mm/min."""
        return {f"rung_{i}": feed for i, feed in enumerate(self.feeds, 1)}

    def nominal(self, measurand: str) -> float:
        """Back on the mark."""
        return 0.0

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """Mark, then each rung: out and back at its feed, and slowly onto the mark."""
        steps: list[Go | Stop] = [aside(self.axis, self.across)]
        steps += [*self._onto_mark(), Stop(note("speed.mark"))]
        for feed in self.feeds:
            steps += [
                self._go(self.run, feed),
                self._go(-OVERRUN, feed),
                *self._onto_mark()[1:],
                Stop(note("speed.read", feed=feed)),
            ]
        return MoveProgram(note("speed.program", axis=self.axis, rungs=len(self.feeds)), tuple(steps))

    def _onto_mark(self) -> list[Go | Stop]:
        return [self._go(-OVERRUN, ROUND * 4), self._go(0, ROUND * 2)]

    def _go(self, p: float, feed: float) -> Go:
        return Go(**{self.axis: self.start + p}, feed=feed)


class Speed(Procedure[SpeedRun]):
    """Trips at rising feeds and back to a dial: the first at which steps are lost."""

    name = "speed"
    surface = Surface.LADDER
    makes = Makes.MOVES
    per_axis = "speed"
    read_by = ReadBy(names=("rung_1 … rung_n",), suits=("dial gauge", "steel rule", "caliper"), passes=1)
    on_stock = OnStock(numbered=False)
    sizes = Sizes(large=("run",), sides=("run",))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """The axis, and how far below the limit one stays."""
        shares = tuple((note("speed.share", share=100 * s), s) for s in (0.8, 0.7, 0.9))
        return (self.axis_choice(machine), Choice("share", "speed.keep_to", shares))

    def parameters(self, around: Surroundings) -> Parameters:
        """From well below the feed in force to as far above as the bed's length reaches."""
        chosen, machine = around.chosen, around.machine
        axis = str(chosen.get("axis", "x"))
        k = 0 if axis == "x" else 1
        run = machine.bed[k] - 2 * MARGIN - OVERRUN
        reachable = 60 * math.sqrt(run * machine.acceleration)
        top = min(TOP * max(around.fastest.get(axis, 0.0), 4000.0), reachable)
        feeds = sorted(
            {ROUND * math.floor(top * (LOWEST + (1 - LOWEST) * i / (RUNGS - 1)) / ROUND) for i in range(RUNGS)} - {0.0}
        )
        return {
            "axis": axis,
            "start": MARGIN + OVERRUN,
            "across": machine.bed[1 - k] / 2,
            "run": run,
            "feeds": feeds,
            "acceleration": machine.acceleration,
            "share": chosen.get("share", SHARE),
        }

    def piece(self, parameters: Parameters) -> SpeedRun:
        """From `axis`, `start`, `across`, `run`, `feeds` (mm/min), `acceleration` (mm/s²), `share`, `within`."""
        check_parameters(parameters, _PARAMETERS)
        axis = axis_of(parameters, "xy")
        given = parameters.get("feeds", [2000.0, 4000.0, 6000.0, 8000.0])
        if not isinstance(given, list) or not given:
            raise InputError(tr("expected a list of feeds in mm/min"), "piece.feeds")
        feeds = [number(f, f"piece.feeds[{i}]", 0, 1e7) for i, f in enumerate(given)]
        if sorted(set(feeds)) != feeds or feeds[0] <= 0:
            raise PieceError(tr("each feed must be higher than the one before, and above 0"), "piece.feeds")
        share = number(parameters.get("share", SHARE), "piece.share")
        if not 0 < share <= 1:
            raise PieceError(tr("must be above 0 and at most 1"), "piece.share")
        lengths = {
            k: length_mm(parameters.get(k, d), f"piece.{k}")
            for k, d in (("start", 30.0), ("across", 100.0), ("run", 800.0), ("within", WITHIN))
        }
        acceleration = number(parameters.get("acceleration", 400.0), "piece.acceleration", 1e-3, 1e6)
        if not lengths["run"] > 0:
            raise PieceError(tr("must be larger than 0"), "piece.run")
        try:
            return SpeedRun(
                axis,
                lengths["start"],
                lengths["across"],
                lengths["run"],
                tuple(feeds),
                acceleration,
                share,
                lengths["within"],
            )
        except InputError as error:
            raise error.at("piece") from None

    def measurands(self, piece: SpeedRun) -> tuple[Measurand, ...]:
        """One for each rung."""
        return tuple(
            # A technician sets the mark again after a miss, so each rung answers for itself.
            Measurand(
                name,
                note("speed.rung", feed=feed),
                piece.axis,
                0.0,
                Return(piece.axis, i, i - 1, feed=feed),
                hint="speed.how",
                reads=Reads.EVENTS,
                signed=True,
            )
            for i, (name, feed) in enumerate(piece.rungs().items(), 1)
        )

    def answer(self, case: Case) -> Solution:
        """The highest clean rung, with its margin."""
        run = self.piece(case.piece)
        check_readings(case, tuple(run.rungs()), positive=False)
        quantity = f"{run.axis}_speed"
        misses = {run.rungs()[m]: [v.mm - case.instrument.zero for v in case.lengths(m)] for m in case.readings}
        if not misses:
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, note("speed.no_rung")),))
        division = max(case.instrument.resolution, case.fraction_step())
        ladder = climb(misses, run.within, division)
        if not ladder.clean and ladder.missed != min(misses):
            why = note("speed.too_coarse", division=division, within=run.within)
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, why),), figures=self._figures(case, run, 0))
        if not ladder.clean:
            why = note("speed.lowest_missed")
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, why),), figures=self._figures(case, run, 0))
        return Solution((self._finding(case, run, ladder),), (), (), self._figures(case, run, ladder.clean))

    def example(self) -> JsonObject:
        """Clean up to 8000 mm/min, with 9600 in the controller."""
        feeds = [4000, 5000, 6000, 7000, 8000, 9000, 10000]
        misses = [0.0, 0.01, 0.0, -0.01, 0.02, -0.64, -1.9]
        return {
            "procedure": "speed",
            "machine": {"decimals": 0, "step_limit": 40000, "values": {"x_speed": 9600, "x_steps": 106.667}},
            "piece": {"axis": "x", "feeds": feeds, "run": 1200, "acceleration": 400, "share": 0.8},
            "instrument": {"name": "dial", "resolution": 0.01},
            "tolerance": {"x_speed": 500},
            "readings": [{"measurand": f"rung_{i}", "values": [m]} for i, m in enumerate(misses, 1)],
        }

    def usual_piece(self) -> Parameters:
        """X over its whole bed."""
        feeds = [4000.0 + 1000 * i for i in range(9)]
        return {"axis": "x", "start": 30.0, "across": 400.0, "run": 1200.0, "feeds": feeds, "acceleration": 400.0}

    def shown(self, figures: Figures) -> Shown:
        """Where the controller's step rate ends."""
        limit = figures.get("step_rate_limit")
        unit = figures.get("feed_unit", "mm/min")
        return Shown((("speed.rate_ends_at", figure(f"{limit / SIZE[unit]:.0f} {unit}")),)) if limit else Shown()

    def chart(self, figures: Figures) -> Feeds:
        """The limits beside the ladder."""
        return Feeds(
            figures.get("within", WITHIN), figures.get("safe"), figures.get("step_rate_limit"), figures.get("in_force")
        )

    def _finding(self, case: Case, run: SpeedRun, ladder: Ladder) -> Finding:
        quantity = f"{run.axis}_speed"
        rate_limit = self._rate_limit(case, run)
        old, notes = case.amount(quantity), []
        highest = ladder.limit
        if highest is None:
            # Nothing missed: the limit lies anywhere above, at least half a rung.
            gap = run.feeds[-1] - run.feeds[-2] if len(run.feeds) > 1 else OPEN * run.feeds[-1]
            beyond = Source(Origin("beyond_the_ladder"), gap / math.sqrt(12), Cause.LADDER, shape=Shape.RECTANGLE)
            highest = Uncertain(ladder.clean + gap / 2, ((beyond, 1.0),))
        safe = run.share * ladder.clean
        unit = SIZE[old.unit]
        clean = trim_number(ladder.clean / unit, 3)
        formula = note("speed.highest_clean", share=run.share, feed=clean, unit=old.unit)
        if rate_limit and safe > rate_limit:
            safe = rate_limit
            ends = figure(f"{rate_limit / unit:.0f} {old.unit}")
            notes.append(note("speed.step_rate_ends", at=ends))
            formula = note("speed.where_rate_ends", at=ends)
        holds = highest.times(run.share)
        error = holds.times(-1.0)._replace(value=old.base - min(holds.value, rate_limit or math.inf))
        finest = unit / 10 ** (0 if old.unit in WHOLE else case.decimals_of(quantity))
        down = math.floor(safe / finest + 1e-9) * finest  # rounding up would be too fast
        outcome = replace(amount_outcome(case, quantity, down, error, formula), predicted=0.0)
        if error.value < -outcome.T:
            notes.append(note("speed.slower_than_needed", safe=safe / unit, unit=old.unit))
        finding = judged(case, replace(outcome, notes=tuple(notes)))
        if finding.verdict is Verdict.CANNOT_TELL and ladder.limit is not None and ladder.missed:
            low, high = trim_number(ladder.clean / unit, 1), trim_number(ladder.missed / unit, 1)
            finer = note("speed.more_rungs", low=low, high=high, unit=old.unit)
            finding = replace(finding, notes=(finer, *finding.notes))
        if ladder.limit is not None or old.base <= safe:
            return finding
        # Above what was tried and found clean: nothing says that it is too fast, nor that it isn't.
        climb_on = note("speed.climb_higher") if ladder.clean >= run.feeds[-1] else note("speed.read_above")
        return replace(finding, verdict=Verdict.CANNOT_TELL, worth_correcting=False, notes=(climb_on, *finding.notes))

    def _rate_limit(self, case: Case, run: SpeedRun) -> float:
        """Feed at the controller's highest step rate, mm/min; 0 where that isn't known."""
        stored = case.values.get(f"{run.axis}_steps")
        steps = stored.steps_per_mm() if isinstance(stored, StoredResolution) else None
        return step_rate_limit(steps, case.machine.step_limit) if steps and case.machine.step_limit else 0.0

    def _figures(self, case: Case, run: SpeedRun, clean: float) -> JsonObject:
        held = case.amount(f"{run.axis}_speed")
        return {
            "feeds": list(run.feeds),
            "clean": clean,
            "safe": run.share * clean,
            "within": run.within,
            "step_rate_limit": self._rate_limit(case, run) or None,
            "in_force": held.base,
            "feed_unit": held.unit,
        }


PROCEDURE = Speed()
