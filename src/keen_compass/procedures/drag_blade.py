"""A blade that trails behind its swivel axis (arithmetic.md §9): by how much, picked from a row of corners.

The row is cut with rising offsets; too little rounds the corner, too much leaves a spike. The one that closes is
picked, or halfway between two. Nothing is known between two corners: a rectangle of half a step, of a quarter where it
lies between two; and an eye tells only so well whether a corner closes.
"""

from __future__ import annotations

from dataclasses import replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.blade_row import LARGEST, MOST_SQUARES, BladeRow
from keen_compass.pieces.where import Closes
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, listed
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, arithmetic, judged, no_number, picked_between
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Rungs
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict

USUAL = (0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4)
MIDDLE = 0.25  # mm, about what most blades have
SQUARES, STEPS, OVERCUTS = (7, 11, 15), (0.05, 0.02, 0.1), (0.5, 0.0, 1.0, 2.0)
EYE = Instrument("eye", 1e-6)
LEAST_SEEN = 0.05  # mm: corners that differ by less are hardly told apart, however close the row


class DragBlade(Procedure[BladeRow]):
    """Squares composed for blades that trail more and more: which closes best."""

    name = "drag-blade"
    surface = Surface.CORNERS
    tried = ("step", "squares")
    read_by = ReadBy(names=("pick",), picks=("pick",), passes=1, by_eye=True, eye=EYE)
    on_stock = OnStock(numbered=False, draws=True, trails=True)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """How far apart, how many, how far past the start."""
        return (
            Choice("step", "drag_blade.step", tuple((note("size", mm=s), s) for s in STEPS)),
            Choice("squares", "drag_blade.count", tuple((plain(str(n)), n) for n in SQUARES)),
            Choice("overcut", "drag_blade.overcut", tuple((note("size", mm=o), o) for o in OVERCUTS)),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """About what is held; about what most blades have where nothing is."""
        step, n = float(str(around.chosen["step"])), int(str(around.chosen["squares"]))
        return {"values": _about(around.trails or MIDDLE, step, n), "overcut": around.chosen["overcut"]}

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """About what is held by now; other steps or more squares where that was chosen since."""
        return {**before, "values": self.parameters(around)["values"]}

    def first(self, around: Surroundings) -> Note | None:
        """A controller that leads the blade itself would do it twice."""
        return note("drag_blade.set_to_nothing", machine=around.machine.name, held=around.trails)

    def piece(self, parameters: Parameters) -> BladeRow:
        """From `values`, rising, and `overcut`."""
        check_parameters(parameters, {"values", "overcut"})
        given = parameters.get("values", list(USUAL))
        if not listed(given, 2, MOST_SQUARES):
            raise InputError(tr("expected 2 to {most_squares} offsets", most_squares=MOST_SQUARES), "piece.values")
        values = tuple(length_mm(v, f"piece.values[{i}]") for i, v in enumerate(given))
        try:
            return BladeRow(values, length_mm(parameters.get("overcut", 0.0), "piece.overcut"))
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: BladeRow) -> tuple[Measurand, ...]:
        """Which square's corners close."""
        n = len(piece.values)
        where = Closes(tuple(piece.order_of(i) for i in range(n)), piece.values)
        return (Measurand("pick", "drag_blade.pick", "", 0.0, where, hint="drag_blade.how", options=n, unit=""),)

    def answer(self, case: Case) -> Solution:
        """The offset that closes the corner."""
        row = self.piece(case.piece)
        check_readings(case, ("pick",), positive=True)
        picked = case.picked("pick", len(row.values))
        if not picked:
            return Solution((no_number(case, "drag", Verdict.UNRESOLVED, note("nothing_read")),))
        values = [row.at(at) for at in picked]
        value = sum(values) / len(values)
        half = max(row.half_step(at) for at in picked)
        held = case.amount("drag")
        error = Uncertain(held.base - value, picked_between(half, max(2 * row.half_step(1), LEAST_SEEN)))
        ends = {at for at in picked if at in (1, len(row.values))}
        line = arithmetic(f"{case.in_its_unit(held.base)} + {case.in_its_unit(value - held.base)}".replace("+ −", "− "))
        finding = judged(case, amount_outcome(case, "drag", value, error, line), self)
        figures = {"picked": value, "values": list(row.values), "pick": sum(picked) / len(picked)}
        if ends:  # it may lie anywhere beyond
            notes = (note("drag_blade.beyond", first=1 in ends), *finding.notes)
            finding = replace(finding, verdict=Verdict.CANNOT_TELL, notes=notes)
        return Solution((finding,), figures=figures)

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm of a square in the middle."""
        row = self.piece(case.piece)
        half = row.half_step((len(row.values) + 1) // 2)
        return {"drag": Uncertain(0.0, picked_between(half, max(2 * half, LEAST_SEEN))).U}

    def chart(self, figures: Figures) -> Rungs | None:
        """The row, and which was picked."""
        if "values" not in figures:
            return None
        values = tuple(figures["values"])
        return Rungs(values, (None,) * len(values), figures["pick"], None, "drag_blade.row")

    def example(self) -> JsonObject:
        """Seven corners, of which one between the fourth and the fifth would close."""
        return {
            "procedure": "drag-blade",
            "machine": {"values": {"drag": 0.2}, "decimals": 3},
            "piece": {"values": list(USUAL)},
            "tolerance": 0.05,
            "subject": {"tool": "drag-knife"},
            "readings": [{"measurand": "pick", "values": [4.5]}],
        }

    def usual_piece(self) -> Parameters:
        """A row about what most blades have."""
        return {"values": list(USUAL)}


PROCEDURE = DragBlade()


def _about(middle: float, step: float, n: int) -> list[float]:
    """So many offsets about one; none below 0, none beyond what a blade can trail."""
    low = min(max(middle - step * (n // 2), 0.0), LARGEST - step * (n - 1))
    return [round(low + step * i, 4) for i in range(n)]
