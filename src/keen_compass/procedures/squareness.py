"""Squareness of X to Y, from a rectangle's sides and diagonals or a circle's diameters (arithmetic.md §6).

sin γ = (D₁² − D₂²) / (4ab)            tan γ = (w₄₅² − w₁₃₅²) / (2·w₀·w₉₀)
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from keen_compass.errors import PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.square import CIRCLE, RECTANGLE, SquareFigure
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Choice, Measurand, Procedure, Surface, Surroundings
from keen_compass.procedures.case import K_OF_A_STATED_U, Case, Parameters, length_mm
from keen_compass.procedures.results import PER_METRE, Outcome, assumed_spread, judged, no_number, piece_mean
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import format_mm
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.uncertainty import (
    Component,
    MeanReading,
    independent_components,
)
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Estimate
from keen_compass.solve.square import from_diagonals, from_diameters, gantry_move, propagate

LABELS = {
    "width": "width", "height": "height", "diagonal_1": "diagonal 1", "diagonal_2": "diagonal 2",
    "d_0": "along X", "d_45": "at 45°", "d_90": "along Y", "d_135": "at 135°",
}  # fmt: skip
HINTS = {
    "width": "Square to the upright sides, half way up",
    "height": "Square to the level sides, half way along",
    "diagonal_1": "From the corner with the dot to the far one, corner to corner",
    "diagonal_2": "Between the other two corners",
    "d_0": "Widest along X",
    "d_45": "Widest from the dot’s side to the opposite one",
    "d_90": "Widest along Y",
    "d_135": "Widest across the other slanted way",
}
SIDES = {"width": (0, -1), "height": (1, 0), "d_0": (0, -1), "d_90": (-1, 0)}
UNEQUAL_PLAY = 0.03  # mm, U: by how much the lost motion left in X and in Y may differ, where a circle must do
ODD_LENGTH = 0.2  # of the ordered length; further off it is another line
ASPECT = 0.75
_PARAMETERS = {"figure", "width", "height", "compensation", "made_by"}


class Squareness(Procedure[SquareFigure]):
    """See the module."""

    name = "squareness"
    needs = ("two axes with their steps and backlash set", "a pen, scriber or cutter", "an instrument for a diagonal")
    surface = Surface.CALLOUTS
    piece_name = "rectangle read along sides and diagonals, or circle read along four diameters"
    measurand_names = (*RECTANGLE, *CIRCLE)
    suits = ("caliper", "steel rule", "tape")
    sized = True
    grows = ("width", "height")
    draws = True
    lookalikes = (
        "A sheet that crept while it was drawn leans just like an axis.",
        "Set steps and backlash first: they bend the figure too.",
        "A gantry pushed against its stops by hand squares itself differently from one that was homed.",
    )

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Which figure."""
        figures = (("rectangle, with its diagonals", "rectangle"), ("circle, four diameters", "circle"))
        return (Choice("figure", "Figure", figures),)

    def parameters(self, around: Surroundings) -> dict[str, object]:
        """As large as was chosen."""
        figure = around.chosen.get("figure", "rectangle")
        long, across = around.size, around.size
        if figure == "rectangle":
            across = min(around.rounded(ASPECT * long), around.across)
        else:
            long = across = min(long, around.across)
        return {"figure": figure, **around.sides(long, across), **around.made()}

    def piece(self, parameters: Parameters) -> SquareFigure:
        """From `figure`, `width`, `height`, `compensation`, `made_by`."""
        self.check_parameters(parameters, _PARAMETERS)
        figure, made_by = str(parameters.get("figure", "rectangle")), self.made_by(parameters, "drawn")
        width = length_mm(parameters.get("width", 400.0), "piece.width")
        height = width if figure == "circle" else length_mm(parameters.get("height", 300.0), "piece.height")
        compensation = length_mm(parameters.get("compensation", 0.0), "piece.compensation")
        try:
            return SquareFigure(figure, width, height, compensation, made_by != "cut")
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: SquareFigure) -> tuple[Measurand, ...]:
        """Sides, then diagonals; or round the circle."""
        found = []
        for m in _names(piece):
            held = "across" if m in CIRCLE else "corners" if m.startswith("diagonal") else "jaws"
            box = None
            if m not in SIDES:
                a, b = piece.line(m)
                share = 0.76 if m in ("diagonal_1", "d_45") else 0.24  # of the slanted line, away from the middle
                share = share if m != "d_135" else 0.76
                box = (a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1]))
            axis = {"width": "x", "d_0": "x", "height": "y", "d_90": "y"}.get(m, "")
            found.append(
                Measurand(
                    m,
                    LABELS[m],
                    axis,
                    piece.nominal(m),
                    Faces(piece.line(m), held),
                    piece.line(m),
                    SIDES.get(m, (0, 0)),
                    HINTS[m],
                    box,
                )
            )
        return tuple(found)

    def solve(self, case: Case) -> Solution:
        """How far the corner is from square, and how far the gantry's end has to move."""
        piece = self.piece(case.piece)
        names = _names(piece)
        self.check_readings(case, names, positive=True)
        missing = [m for m in names if m not in case.readings]
        if missing:
            words = " and ".join(LABELS[m] for m in missing[:2])
            note = f"Read {words} too: all four are needed."
            return Solution((no_number(case, "squareness", Verdict.UNRESOLVED, note, piece.height),))
        means = {m: piece_mean(case, m, drawn=piece.drawn) for m in names}
        if not case.confirmed and (doubt := _doubt(piece, means)):
            return Solution((no_number(case, "squareness", Verdict.IMPLAUSIBLE, doubt, piece.height),))
        estimate = _estimate(piece, means, case.instrument)
        gamma, U = math.tan(estimate.value), estimate.U
        w = case.gantry or PER_METRE
        old = case.amount("squareness")
        move = gantry_move(estimate.value, w)
        new = StoredAmount.of("squareness", old.base + move, old.unit, case.decimals_of("squareness"))
        error, U_error = gamma * PER_METRE, U * PER_METRE
        T = case.tolerance_of("squareness", piece.height)
        outcome = Outcome(
            "squareness", old, new, error, U_error, T, _formula(piece, means), w * U,
            _words(move if case.gantry else None, piece, means),
        )  # fmt: skip
        figures = {
            "angle_deg": 90 - math.degrees(estimate.value), "mm_per_m": error, "gantry_move": move,
            "gantry_width": w,
        }  # fmt: skip
        finding = judged(case, outcome, self)
        if finding.verdict is Verdict.IN:  # what is in is left alone
            finding = replace(finding, notes=())
        return Solution((finding,), (), assumed_spread(case), figures)

    def shown(self, figures: Figures) -> Shown:
        """The corner in degrees."""
        if "angle_deg" not in figures:
            return Shown()
        return Shown((("Corner at lowest X and Y", f"{figures['angle_deg']:.3f}°"),))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm/m."""
        piece = self.piece(case.piece)
        scatter = case.scatter(drawn=piece.drawn)
        parts = independent_components(
            case.instrument.repeatability, readings_each, case.instrument, scatter, pieces=case.pieces
        )
        means = {m: MeanReading(piece.nominal(m), readings_each, parts, assumed=False) for m in _names(piece)}
        return {"squareness": _estimate(piece, means, case.instrument).U * PER_METRE}

    def example(self) -> dict[str, Any]:
        """A drawn rectangle that leans by about 1.6 mm per m."""
        return {
            "procedure": "squareness",
            "machine": {"units": "mm", "decimals": 2, "gantry": 1180, "values": {"squareness": 0.0}},
            "piece": {"figure": "rectangle", "width": 400, "height": 300, "made_by": "drawn"},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": {"squareness": 0.4},
            "readings": [
                {"measurand": "width", "values": [400.02, 400.03, 400.02]},
                {"measurand": "height", "values": [299.97, 299.98, 299.98]},
                {"measurand": "diagonal_1", "values": [500.39, 500.38, 500.39]},
                {"measurand": "diagonal_2", "values": [499.61, 499.62, 499.61]},
            ],
        }

    def usual_piece(self) -> dict[str, object]:
        """As large as the caliper reaches."""
        return {"figure": "rectangle", "width": 460.0, "height": 350.0, "made_by": "drawn"}


PROCEDURE = Squareness()


def _names(piece: SquareFigure) -> tuple[str, ...]:
    return CIRCLE if piece.figure == "circle" else RECTANGLE


def _estimate(piece: SquareFigure, means: Mapping[str, MeanReading], instrument: Instrument) -> Estimate:
    """γ with its components."""
    if piece.figure == "rectangle":
        return propagate(_of_diagonals, means, instrument.permissible_error)

    def of_diameters(d_0: float, d_45: float, d_90: float, d_135: float) -> float:
        # The path leans, not the strip that the tool clears: a cut circle's widths are those of its path less the kerf.
        c = piece.compensation
        return from_diameters(d_0 + c, d_45 + c, d_90 + c, d_135 + c)

    found = propagate(of_diameters, means, instrument.permissible_error)
    # On one trip round, lost motion that differs by ΔB between X and Y widens 45° and narrows 135° by ΔB/√2 each side:
    # w₄₅ − w₁₃₅ = √2·ΔB, which no diameter tells from a lean.
    play = Component(math.sqrt(2) * UNEQUAL_PLAY / K_OF_A_STATED_U / piece.width)
    return Estimate(found.value, (*found.components, play))


def _of_diagonals(width: float, height: float, diagonal_1: float, diagonal_2: float) -> float:
    return from_diagonals(width, height, diagonal_1, diagonal_2)


def _doubt(piece: SquareFigure, means: Mapping[str, MeanReading]) -> str:
    for m, reading in means.items():
        n = piece.nominal(m)
        if abs(reading.mean / n * 25.4 - 1) < 0.03:
            return f"{LABELS[m]}: this looks like inches: {reading.mean:g} where {n:g} mm was ordered."
        if abs(reading.mean / n - 1) > ODD_LENGTH:
            return f"{LABELS[m]} is {reading.mean:g} mm where {n:.1f} was ordered: was it read along another line?"
    return ""


def _formula(piece: SquareFigure, means: Mapping[str, MeanReading]) -> str:
    v = {m: format_mm(r.mean, 2) for m, r in means.items()}
    if piece.figure == "circle":
        return f"tan γ = ({v['d_45']}² − {v['d_135']}²) ÷ (2 × {v['d_0']} × {v['d_90']})"
    return f"sin γ = ({v['diagonal_1']}² − {v['diagonal_2']}²) ÷ (4 × {v['width']} × {v['height']})"


def _words(move: float | None, piece: SquareFigure, means: Mapping[str, MeanReading]) -> tuple[str, ...]:
    words = []
    if move is not None:
        words.append(f"Move the gantry’s end at highest X by {abs(move):.2f} mm towards {'+' if move > 0 else '−'}Y.")
    else:
        words.append("No distance between two drives is known: the move is given for 1 m.")
    if piece.figure == "circle":
        words.append(f"The lost motion left in X and Y was taken to differ by at most {UNEQUAL_PLAY:g} mm, assumed.")
        differ = (means["d_0"].mean - means["d_90"].mean) / piece.width * PER_METRE
        words.append(f"X comes out {abs(differ):.2f} mm per m {'longer' if differ > 0 else 'shorter'} than Y.")
    return tuple(words)
