"""A blade that trails behind its swivel axis (arithmetic.md §9): by how much, picked from a row of corners.

The row is cut with rising offsets; too little rounds the corner, too much leaves a spike. The one that closes is
picked, or halfway between two. Nothing is known between two corners: a rectangle of half a step, of a quarter where it
lies between two.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from keen_compass.errors import InputError
from keen_compass.pieces.where import Fits
from keen_compass.procedures.base import Makes, Measurand, Procedure, Surface
from keen_compass.procedures.case import Case, Parameters, length_mm, listed
from keen_compass.procedures.results import amount_outcome, arithmetic, judged, no_number
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.notes import note
from keen_compass.quantities.uncertainty import Cause, Shape, Source, Uncertain
from keen_compass.quantities.verdict import Verdict

MOST_CORNERS = 40
LARGEST = 5.0  # mm, that a blade can trail
USUAL = (0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4)


@dataclass(frozen=True, slots=True)
class Corners:
    """Offsets with which they were cut, rising, mm."""

    values: tuple[float, ...]

    def nominal(self, measurand: str) -> float:
        """No single number."""
        return 0.0

    def at(self, pick: float) -> float:
        """The offset of a corner, or halfway between two."""
        low = math.floor(pick)
        share, a = pick - low, self.values[low - 1]
        return a + share * (self.values[low] - a) if share else a

    def half_step(self, pick: float) -> float:
        """By how much it can be something else, mm."""
        steps = [b - a for a, b in pairwise(self.values)]
        low = math.floor(pick)
        if pick % 1:
            return steps[low - 1] / 4
        return max(steps[max(low - 2, 0) : low]) / 2


class DragBlade(Procedure[Corners]):
    """See the module."""

    name = "drag-blade"
    surface = Surface.LADDER
    makes = Makes.NOTHING
    measurand_names = ("pick",)
    picks = ("pick",)
    numbered = False

    @property
    def yields(self) -> tuple[str, ...]:
        """The one number."""
        return ("drag",)

    def piece(self, parameters: Parameters) -> Corners:
        """From `values`, rising."""
        self.check_parameters(parameters, {"values"})
        given = parameters.get("values", list(USUAL))
        if not listed(given, 2, MOST_CORNERS):
            raise InputError(f"expected 2 to {MOST_CORNERS} offsets", "piece.values")
        values = tuple(length_mm(v, f"piece.values[{i}]") for i, v in enumerate(given))
        if any(not 0 <= v <= LARGEST for v in values):
            raise InputError(f"a blade trails by 0 to {LARGEST:g} mm", "piece.values")
        if any(b <= a for a, b in pairwise(values)):
            raise InputError("must rise from corner to corner", "piece.values")
        return Corners(values)

    def measurands(self, piece: Corners) -> tuple[Measurand, ...]:
        """Which corner closes."""
        return (Measurand("pick", "drag_blade.pick", "", 0.0, Fits((), 0.0), options=len(piece.values), unit=""),)

    def solve(self, case: Case) -> Solution:
        """The offset that closes the corner."""
        corners = self.piece(case.piece)
        self.check_readings(case, ("pick",), positive=True)
        picked = case.picked("pick", len(corners.values))
        if not picked:
            return Solution((no_number(case, "drag", Verdict.UNRESOLVED, note("nothing_read")),))
        values = [corners.at(at) for at in picked]
        value = sum(values) / len(values)
        half = max(corners.half_step(at) for at in picked)
        between = Source("between_corners", half / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE)
        held = case.amount("drag")
        error = Uncertain(held.base - value, ((between, -1.0),))
        ends = {at for at in picked if at in (1, len(corners.values))}
        line = arithmetic(f"{case.in_its_unit(held.base)} + {case.in_its_unit(value - held.base)}".replace("+ −", "− "))
        finding = judged(case, amount_outcome(case, "drag", value, error, line))
        if ends:  # it may lie anywhere beyond
            notes = (note("drag_blade.beyond", first=1 in ends), *finding.notes)
            finding = replace(finding, verdict=Verdict.CANNOT_TELL, notes=notes)
        return Solution((finding,), figures={"picked": value, "values": list(corners.values)})

    def example(self) -> dict[str, Any]:
        """Seven corners, of which one between the fourth and the fifth would close."""
        return {
            "procedure": "drag-blade",
            "machine": {"values": {"drag": 0.2}, "decimals": 3},
            "piece": {"values": list(USUAL)},
            "tolerance": 0.05,
            "subject": {"tool": "drag-knife"},
            "readings": [{"measurand": "pick", "values": [4.5]}],
        }

    def usual_piece(self) -> dict[str, object]:
        """A row about what most blades have."""
        return {"values": list(USUAL)}

    def usual_instrument(self) -> Instrument:
        """The eye."""
        return Instrument("eye", 1e-6)


PROCEDURE = DragBlade()
