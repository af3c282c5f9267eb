"""How a cut edge leans: one size of a part at its upper and its lower edges (arithmetic.md §8, ISO 9013)."""

from __future__ import annotations

import math
from dataclasses import replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.plate import EdgePlate
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import Outcome, arithmetic, ask, assumed_notes, judged, no_number
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Section, Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import note
from keen_compass.quantities.readings import Reads
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.kerf import RANGES, edge
from keen_compass.solve.plausibility import Doubt

WIDTH, HEIGHT, HOLE = 80.0, 60.0, 30.0  # mm
MEASURANDS = ("top", "bottom")
SIDES = ("outside", "inside")
MUCH = 0.5  # of the thickness, that a size may differ from edge to edge: more is a slip
_PARAMETERS = {"thickness", "side", "width", "height", "hole", "compensation", "thermal", "made_by"}


class Bevel(Procedure[EdgePlate]):
    """Top and bottom sizes of a thick part: by how much its edges lean."""

    name = "bevel"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=MEASURANDS, suits=("caliper", "micrometer"))
    on_stock = OnStock(usual_on=MachineKind.PLASMA, thermal=True)

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Which edge is looked at: outside, or a hole's."""
        return (Choice("side", "bevel.side", tuple((f"bevel.{s}", s) for s in SIDES)),)

    def parameters(self, around: Surroundings) -> Parameters:
        """A small plate in what is loaded."""
        stock = around.machine.stock
        return {
            "side": around.chosen.get("side", "outside"),
            "thickness": stock.thickness if stock else 0.0,
            "compensation": around.kerf,
            "thermal": around.machine.kind.thermal,
        }

    def piece(self, parameters: Parameters) -> EdgePlate:
        """From `thickness`, `side` (outside or inside), `width`, `height`, `hole`, `compensation`."""
        check_parameters(parameters, _PARAMETERS)
        side = parameters.get("side", "outside")
        if side not in SIDES:
            raise InputError(tr("expected {sides}", sides=tr(" or ").join(SIDES)), "piece.side")
        usual = {
            "width": WIDTH,
            "height": HEIGHT,
            "hole": HOLE if side == "inside" else 0.0,
            "thickness": 0.0,
            "compensation": 0.0,
        }
        sizes = {k: length_mm(parameters.get(k, v), f"piece.{k}") for k, v in usual.items()}
        if not sizes["thickness"] > 0:
            raise InputError(tr("give the thickness: an edge leans over that"), "piece.thickness")
        try:
            return replace(EdgePlate(WIDTH, HEIGHT, thermal=bool(parameters.get("thermal", False))), **sizes)  # type: ignore[arg-type]
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: EdgePlate) -> tuple[Measurand, ...]:
        """The same size above and below."""
        line, held = piece.line(piece.size), "inside" if piece.hole else "jaws"
        above = Measurand(
            "top",
            "bevel.top",
            "x",
            piece.nominal("top"),
            Faces(line, held),
            line,
            (0, 0) if piece.hole else (0, 1),
            f"bevel.how_{'inside' if piece.hole else 'outside'}",
            reads=Reads.ABOUT,
        )
        below = replace(
            above,
            name="bottom",
            label="bevel.bottom",
            below=True,
            where=Faces(line, held, below=True),
            hint="kerf_square.how_below",
        )
        return above, below

    def answer(self, case: Case) -> Solution:
        """Perpendicularity, its range, and the angle."""
        piece = self.piece(case.piece)
        check_readings(case, MEASURANDS, positive=True)
        missing = [m for m in MEASURANDS if m not in case.readings]
        if missing:
            what = note("nothing_read_of", what=f"bevel.{missing[0]}")
            return Solution((no_number(case, "bevel", Verdict.UNRESOLVED, what),))
        measured = {m: case.measured(m, nominal=case.lengths(m)[0].mm, drawn=False) for m in MEASURANDS}
        if not case.confirmed:
            apart = abs(measured["bottom"].value - measured["top"].value)
            if apart > 2 * MUCH * piece.thickness:
                asks = note("bevel.too_much", apart=apart, thickness=piece.thickness)
                return Solution((ask(case, "bevel", Doubt(MEASURANDS, asks)),))
        found = edge(measured["top"].value, measured["bottom"].value, piece.thickness, inside=bool(piece.hole))
        error = _leans(measured)
        old = case.amount("bevel")
        top, bottom = (case.in_its_unit(measured[m].value, "mm") for m in MEASURANDS)
        outcome = Outcome(
            "bevel",
            old,
            old,
            error._replace(value=abs(error.value)),
            case.tolerance_of("bevel", 1000.0),
            arithmetic(f"({bottom} − {top}) ÷ 2"),
            error.U,
            (note("bevel.graded", range=found.range),),
        )
        finding = replace(judged(case, outcome, self), new=None, new_expanded_uncertainty=None, worth_correcting=False)
        figures = {
            "angle_deg": math.degrees(found.angle),
            "perpendicularity": found.perpendicularity,
            "range": found.range,
            "larger_below": 2 * found.perpendicularity * (1.0 if found.angle > 0 else -1.0),
            "thickness": piece.thickness,
        }
        return Solution((finding,), (), assumed_notes(case), figures)

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the lean over the thickness, mm."""
        piece = self.piece(case.piece)
        n = piece.nominal("top")
        foreseen = {m: case.foreseen(m, n, readings_each, nominal=n + i, drawn=False) for i, m in enumerate(MEASURANDS)}
        return {"bevel": _leans(foreseen).U}

    def shown(self, figures: Figures) -> Shown:
        """The section through the edge."""
        if "angle_deg" not in figures:
            return Shown()
        t = figures["thickness"]
        section = Section(figures["larger_below"], t, figures["range"], tuple(a + b * t for a, b in RANGES))
        return Shown((("bevel.leans", note("bevel.degrees", angle=figures["angle_deg"])),), section=section)

    def example(self) -> JsonObject:
        """10 mm steel, half a millimetre larger below."""
        return {
            "procedure": "bevel",
            "machine": {"kind": "plasma", "decimals": 3, "values": {}},
            "piece": {"thickness": 10, "side": "outside"},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": {"bevel": 0.5},
            "readings": [
                {"measurand": "top", "values": [79.98, 79.97, 79.99]},
                {"measurand": "bottom", "values": [80.5, 80.49, 80.51]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """An outside edge of 9 mm."""
        return {"thickness": 9.0, "side": "outside", "compensation": 6.0}

    def unless_said(self, given: Parameters) -> Parameters:
        """6 mm, cut with 1.5 mm of compensation."""
        return {"thickness": 6.0, "compensation": 1.5}


PROCEDURE = Bevel()


def _leans(measured: dict[str, Measurement]) -> Uncertain:
    """Half of what it is larger below: both sides lean alike. What both means share cancels."""
    return combination(((0.5, measured["bottom"].mean), (-0.5, measured["top"].mean)))
