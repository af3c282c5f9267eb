"""Reference lines: the corrected machine marks its own bed, and a rule on the lines checks it later.

A drawn line pair that is approached from one side holds neither kerf nor lost motion (arithmetic.md §4):
the distance between the first and the last line is pure scale.
"""

from __future__ import annotations

import math

from keen_compass.errors import PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.reference import ReferenceLines
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    PER_METRE,
    assumed_notes,
    judged,
    no_number,
    scale_formula,
    scale_outcome,
    suggest_warmth,
)
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation, fit
from keen_compass.solve.travel import scale_of

MEASURANDS = ("x_lines", "y_lines")
ROOM = 30.0  # mm beside the lines
FURTHER_IN = 48.0  # mm each way, from one angle of lines to the next
MOST_ANGLES = 8
_PARAMETERS = {"x_span", "y_span", "spacing", "origin_x", "origin_y"}


class Reference(Procedure[ReferenceLines]):
    """Two ticks far apart, read with a long rule: the scale of an axis."""

    name = "reference-lines"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=MEASURANDS, suits=("steel rule", "tape", "caliper"))
    on_stock = OnStock(numbered=False, anchored=True, placing=("origin_x", "origin_y"), marks_bed=True, draws=True)
    sizes = Sizes(large=("x_span", "y_span"), sides=("x_span", "y_span"))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """How far apart the ticks are."""
        return (
            Choice("spacing", "reference_lines.spacing", tuple((note("size", mm=s), s) for s in (100.0, 50.0, 200.0))),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """As far as the bed, or what is loaded of the roll, reaches; inside of lines that are there already."""
        media = around.machine.media
        spacing = length_mm(around.chosen.get("spacing", 100.0), "spacing")

        def inside(k: int) -> Parameters:
            off = ROOM + FURTHER_IN * k
            spans = {
                name: math.floor((size - ROOM - off) / spacing) * spacing
                for name, size in (("x_span", media.width), ("y_span", media.height))
            }
            return {**spans, "spacing": spacing, "origin_x": media.x + off, "origin_y": media.y + off}

        return self.first_free(around, map(inside, range(MOST_ANGLES)))

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """Another angle inside the last."""
        return self.parameters(around)

    def piece(self, parameters: Parameters) -> ReferenceLines:
        """From `x_span`, `y_span`, `spacing`; `origin_x`, `origin_y`: where the first lines cross on the bed."""
        check_parameters(parameters, _PARAMETERS)
        x, y, spacing = (
            length_mm(parameters.get(k, d), f"piece.{k}")
            for k, d in (("x_span", 600), ("y_span", 400), ("spacing", 100))
        )
        at = tuple(length_mm(parameters.get(k, ROOM), f"piece.{k}") for k in ("origin_x", "origin_y"))
        try:
            return ReferenceLines(x, y, spacing, (at[0], at[1]))
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: ReferenceLines) -> tuple[Measurand, ...]:
        """From the first line to the last."""
        return tuple(
            Measurand(
                m,
                _lines(m),
                m[0],
                piece.nominal(m),
                piece.where(m[0]),
                piece.line(m),
                (0, -1) if m == "x_lines" else (-1, 0),
                "reference_lines.how",
            )
            for m in MEASURANDS
        )

    def answer(self, case: Case) -> Solution:
        """The scale of each axis that was read."""
        piece = self.piece(case.piece)
        check_readings(case, MEASURANDS, positive=True)
        found = [self._axis(case, piece, a) for a in ("x", "y") if f"{a}_steps" in case.values]
        if not found:
            case.resolution("x_steps")
        longest = max((piece.nominal(m) for m in case.readings), default=0.0)
        return Solution(tuple(found), (), (*assumed_notes(case), *suggest_warmth(case, longest)))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the scale, mm/m."""
        piece = self.piece(case.piece)
        found = {}
        for m in MEASURANDS:
            n = piece.nominal(m)
            foreseen = case.foreseen(m, n, readings_each, nominal=n, drawn=True)
            found[f"{m[0]}_steps"] = _scale(case, m[0], n, foreseen).U * PER_METRE
        return found

    def example(self) -> JsonObject:
        """A metre of lines along X, 0.2 mm long."""
        return {
            "procedure": "reference-lines",
            "machine": {"decimals": 3, "values": {"x_steps": 106.318, "y_steps": 106.587}},
            "piece": {"x_span": 1000, "y_span": 600, "spacing": 100},
            "instrument": {
                "name": "steel rule",
                "resolution": 0.1,
                "both_ends": True,
                "permissible_error": [0.05, 0.00003],
            },
            "tolerance": {"x_steps": 0.5, "y_steps": 0.5},
            "readings": [
                {"measurand": "x_lines", "values": [1000.2, 1000.2, 1000.1]},
                {"measurand": "y_lines", "values": [600.0, 600.1, 600.0]},
            ],
        }

    def usual_piece(self) -> Parameters:
        """Most of the bed."""
        return {"x_span": 1200.0, "y_span": 800.0, "spacing": 100.0}

    def _axis(self, case: Case, piece: ReferenceLines, axis: str) -> Finding:
        quantity, m = f"{axis}_steps", f"{axis}_lines"
        n = piece.nominal(m)
        if m not in case.readings:
            return no_number(case, quantity, Verdict.UNRESOLVED, note("nothing_read_of", what=plain(axis.upper())), n)
        measured = case.measured(m, nominal=n, drawn=True)
        s = _scale(case, axis, n, measured)
        if scale_of(axis).name in case.known:
            formula = scale_formula(case, quantity, "1", f"{1 + s.value:.7f}")
        else:
            formula = scale_formula(case, quantity, case.ordered(n), case.in_its_unit(measured.value))
        return judged(case, scale_outcome(case, quantity, s, n, formula), self)


PROCEDURE = Reference()


def _lines(measurand: str) -> Note:
    return note("reference_lines.lines", axis=measurand[0])


def _scale(case: Case, axis: str, n: float, m: Measurement) -> Uncertain:
    """reading − n = n·s, weighed against what is known of the scale from before."""
    scale = scale_of(axis)
    known = case.known.get(scale.name)
    rows = [Observation(m.name, {scale: n}, m.value - n, m.mean.effects), *([known.row(scale)] if known else [])]
    return fit(rows).estimates[scale]
