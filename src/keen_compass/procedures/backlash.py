"""Backlash of one axis with one dial: the short form (arithmetic.md §5).

Take up the slack moving +, zero the dial, move +d, move −d: by how much the dial fails to return is the
lost motion that is still uncompensated. b_new = max(0, b_active + shortfall).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from keen_compass.errors import InputError, PieceError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram, Stop, aside
from keen_compass.pieces.where import Return
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import axis_of, check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import ABBE, ask, assumed_notes, backlash_outcome, dial_mean, judged, no_number
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.procedures.surroundings import COMPENSATION, Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.measuring import Held, Measurement, zeroing
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation
from keen_compass.solve.plausibility import Doubt
from keen_compass.solve.travel import lost_motion_of

TRAVEL = 10.0  # mm; more than any lost motion, less than a dial's reach
TAKE_UP = 5.0  # mm moved + before the dial is zeroed
FEEDS = {"usual": 1800.0, "slow": 300.0}  # mm/min; a heavy axis overruns its slack when it is hurried
MARGIN = 30.0
END = 1.0  # mm that stay free at both ends of an axis
LEAST_TRAVEL = 3.0  # mm; less is taken up by lost motion itself
_PARAMETERS = {"axis", "start", "across", "travel", "compensation_off", "take_up", "repeats"}


# Zeroed at one stop, read at the next, with every repeat.
RETURN = {axis: Return(axis, 1, 0, each=2, zeroed=True) for axis in ("x", "y", "z")}


def slack_of(travel: float) -> float:
    """How far the axis moves + before the dial is zeroed, mm: less where Z has little room."""
    return min(TAKE_UP, travel * TAKE_UP / TRAVEL)


@dataclass(frozen=True, slots=True)
class BacklashRun:
    """Where the dial stands, how far the axis leaves it, and how the slack is taken up. Lengths in mm."""

    axis: str
    start: float
    across: float
    travel: float
    compensation_off: bool
    take_up: str

    def nominal(self, measurand: str) -> float:
        """What the dial should show: where it was before."""
        return 0.0

    def program(self, machine: Machine, cycles: int) -> MoveProgram:
        """Zero and read, `cycles` times."""
        if self.travel < LEAST_TRAVEL:
            raise PieceError(
                tr(
                    "{upper} has too little room: the dial must be left by {least_travel:g} mm",
                    upper=self.axis.upper(),
                    least_travel=LEAST_TRAVEL,
                )
            )
        steps: list[Go | Stop] = [aside(self.axis, self.across)]
        for k in range(1, cycles + 1):
            steps += [
                self._go(-slack_of(self.travel)),
                self._go(0),
                Stop(note("backlash.zero", count=k)),
                self._go(self.travel),
                self._go(0),
                Stop(note("backlash.read", count=k)),
            ]
        return MoveProgram(note("backlash.program", axis=self.axis, travel=self.travel), tuple(steps))

    def _go(self, p: float) -> Go:
        return Go(**{self.axis: self.start + p}, feed=FEEDS[self.take_up])


class Backlash(Procedure[BacklashRun]):
    """The dial's two readings at a place, come to from either side, and the play between them."""

    name = "backlash"
    surface = Surface.DIAL
    makes = Makes.MOVES
    per_axis = "backlash"
    read_by = ReadBy(names=("return",), suits=("dial gauge", "depth gauge", "caliper"), passes=5)
    on_stock = OnStock(numbered=False)
    sizes = Sizes(large=("travel",), sides=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Axis, whether compensation is on, and how the slack is taken up."""
        slow = Choice("take_up", "backlash.take_up", (("backlash.usual", "usual"), ("backlash.slow", "slow")))
        return (self.axis_choice(machine), COMPENSATION, slow)

    def parameters(self, around: Surroundings) -> Parameters:
        """At the middle of the bed, where there is room both ways."""
        chosen, machine = around.chosen, around.machine
        axis = chosen.get("axis", "x")
        room = machine.z_travel if axis == "z" else machine.bed[0 if axis == "x" else 1]
        across = machine.bed[1 if axis == "x" else 0] / 2
        usable = room - 2 * END
        travel = min(TRAVEL, usable * TRAVEL / (TRAVEL + TAKE_UP))
        travel = max(math.floor(travel * 1000) / 1000, 0.001)
        start = max(END + slack_of(travel), min(room / 2, room - END - travel))
        return {
            "axis": axis,
            "start": round(start, 3),
            "across": across,
            "travel": travel,
            "compensation_off": bool(chosen.get("compensation_off")),
            "take_up": chosen.get("take_up", "usual"),
        }

    def piece(self, parameters: Parameters) -> BacklashRun:
        """From `axis`, `start`, `across`, `travel`, `compensation_off`, `take_up` (usual or slow)."""
        check_parameters(parameters, _PARAMETERS)
        axis, take_up = axis_of(parameters), parameters.get("take_up", "usual")
        if not isinstance(take_up, str) or take_up not in FEEDS:
            raise InputError(tr("expected usual or slow, got {given}", given=shown_input(take_up)), "piece.take_up")
        start, across = (length_mm(parameters.get(k, MARGIN), f"piece.{k}") for k in ("start", "across"))
        travel = length_mm(parameters.get("travel", TRAVEL), "piece.travel")
        if not travel > 0:
            raise PieceError(tr("must be larger than 0"), "piece.travel")
        return BacklashRun(axis, start, across, travel, bool(parameters.get("compensation_off", False)), take_up)

    def measurands(self, piece: BacklashRun) -> tuple[Measurand, ...]:
        """The dial's failure to return."""
        return (
            Measurand(
                "return", _short_by(piece), piece.axis, 0.0, RETURN[piece.axis], hint="backlash.how", signed=True
            ),
        )

    def answer(self, case: Case) -> Solution:
        """The play that is left, and the compensation that takes it away."""
        run = self.piece(case.piece)
        check_readings(case, ("return",), positive=False)
        quantity = f"{run.axis}_backlash"
        if "return" not in case.readings:
            return Solution((no_number(case, quantity, Verdict.UNRESOLVED, note("nothing_read")),))
        measured = dial_mean(case, "return")
        shortfall = _zeroed(case, measured)
        if not case.confirmed and abs(measured.value) > run.travel / 2:
            asks = note("backlash.too_much", read=measured.value, moved=run.travel)
            return Solution((ask(case, quantity, Doubt(("return",), asks)),))
        outcome = backlash_outcome(case, quantity, shortfall, compensation_off=run.compensation_off)
        notes = list(outcome.notes)
        if run.compensation_off:
            notes.append(note("backlash.switch_on"))
        if run.axis == "z":
            notes.append(ABBE)
        return Solution((judged(case, replace(outcome, notes=tuple(notes)), self),), (), assumed_notes(case))

    def plans(self, case: Case) -> list[Parameters]:
        """Each axis that is open."""
        return [{"axis": a, "travel": TRAVEL} for a in "xy" if f"{a}_backlash" in case.open]

    def rows(self, case: Case) -> list[Observation]:
        """By how much it fell short: the play that is left beside what the controller makes up for."""
        run = self.piece(case.piece)
        check_readings(case, ("return",), positive=False)
        if "return" not in case.readings:
            return []
        shortfall = _zeroed(case, dial_mean(case, "return"))
        made_up = case.amount(f"{run.axis}_backlash").base if run.compensation_off else 0.0
        return [Observation("return", {lost_motion_of(run.axis): 1.0}, shortfall.value - made_up, shortfall.effects)]

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the play that one would get, mm."""
        run = self.piece(case.piece)
        foreseen = case.foreseen("return", 0.0, readings_each, held=Held.AGAINST)
        return {f"{run.axis}_backlash": _zeroed(case, foreseen).U}

    def example(self) -> JsonObject:
        """X comes back 0.08 mm short, with 0.05 mm compensated already."""
        return {
            "procedure": "backlash",
            "machine": {"decimals": 3, "values": {"x_backlash": 0.05}},
            "piece": {"axis": "x", "travel": 10},
            "instrument": {"name": "dial", "resolution": 0.01, "permissible_error": [0.006, 0.0]},
            "tolerance": 0.03,
            "readings": [{"measurand": "return", "values": [0.08, 0.08, 0.09, 0.08, 0.07]}],
        }

    def usual_piece(self) -> Parameters:
        """X in the middle."""
        return {"axis": "x", "start": 600.0, "across": 400.0, "travel": TRAVEL}


PROCEDURE = Backlash()


def _short_by(run: BacklashRun) -> Note:
    return note("backlash.short_by", axis=run.axis)


def _zeroed(case: Case, measured: Measurement) -> Uncertain:
    """Zeroing the dial is a reading too."""
    return measured.mean._replace(effects=(*measured.mean.effects, zeroing("return", case.instrument, measured.n)))
