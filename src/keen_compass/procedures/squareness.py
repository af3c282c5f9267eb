"""Squareness of X to Y, from a rectangle's sides and diagonals or a circle's diameters (arithmetic.md §6).

sin γ = (D₁² − D₂²) / (4ab)            tan γ = (w₄₅² − w₁₃₅²) / (2·w₀·w₉₀)
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from keen_compass.errors import PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.square import CIRCLE, RECTANGLE, SquareFigure
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import ASSUMED_LOST_MOTION, Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings, made_by
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    PER_METRE,
    Outcome,
    arithmetic,
    as_fitted,
    ask,
    assumed_notes,
    contradicted,
    held_notes,
    judged,
    no_number,
    scatter_notes,
    weighed,
)
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, figure, note
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.uncertainty import Origin, Source, Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.consistency import agree
from keen_compass.solve.joint import Observation, fit
from keen_compass.solve.plausibility import Doubt
from keen_compass.solve.square import GAMMA, from_diameters, propagate, square_rows
from keen_compass.solve.travel import lost_motion_of

SIDES = {"width": (0, -1), "height": (1, 0), "d_0": (0, -1), "d_90": (-1, 0)}
ODD_LENGTH = 0.2  # of the nominal length; further off it is another line
ASPECT = 0.75
_PARAMETERS = {"figure", "width", "height", "compensation", "made_by"}


class Squareness(Procedure[SquareFigure]):
    """A figure's corners measured across: by how much the axes lean."""

    name = "squareness"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=(*RECTANGLE, *CIRCLE), suits=("caliper", "steel rule", "tape"))
    on_stock = OnStock(draws=True)
    sizes = Sizes(slider=True, grows=("width", "height"))

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Which figure is drawn or cut."""
        figures = (("squareness.rectangle", "rectangle"), ("squareness.circle", "circle"))
        return (Choice("figure", "squareness.figure", figures),)

    def parameters(self, around: Surroundings) -> Parameters:
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
        check_parameters(parameters, _PARAMETERS)
        figure, how = str(parameters.get("figure", "rectangle")), made_by(parameters, "drawn")
        width = length_mm(parameters.get("width", 400.0), "piece.width")
        height = width if figure == "circle" else length_mm(parameters.get("height", 300.0), "piece.height")
        compensation = length_mm(parameters.get("compensation", 0.0), "piece.compensation")
        try:
            return SquareFigure(figure, width, height, compensation, how != "cut")
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
                    f"squareness.{m}",
                    axis,
                    piece.nominal(m),
                    Faces(piece.line(m), held),
                    piece.line(m),
                    SIDES.get(m, (0, 0)),
                    f"squareness.how_{m}",
                    box,
                )
            )
        return tuple(found)

    def answer(self, case: Case) -> Solution:
        """How far the corner is from square, and how far the gantry's end has to move."""
        piece = self.piece(case.piece)
        names = _names(piece)
        check_readings(case, names, positive=True)
        missing = [m for m in names if m not in case.readings]
        if missing:
            why = note("squareness.read_too", what=[f"squareness.{m}" for m in missing[:2]])
            return Solution((no_number(case, "squareness", Verdict.UNRESOLVED, why, piece.height),))
        measured = {m: case.measured(m, nominal=piece.nominal(m), drawn=piece.drawn) for m in names}
        if doubt := _other_line(case, piece, measured):
            return Solution((ask(case, "squareness", doubt, piece.height),))
        rows = _rows(case, piece, measured)
        if doubt := _contradiction(case, piece, rows):
            return Solution((ask(case, "squareness", doubt, piece.height),))
        gamma = _lean(case, piece, measured, rows)
        w = case.machine.gantry or PER_METRE
        # The number is what the gantry's end was moved: what is known of it counts at the gantry.
        tangent = weighed(case, "squareness", gamma, w)
        old = case.amount("squareness")
        move = -w * tangent.value
        new = StoredAmount.of("squareness", old.base + move, old.unit, case.decimals_of("squareness"))
        T = case.tolerance_of("squareness", piece.height)
        outcome = Outcome(
            "squareness",
            old,
            new,
            tangent.times(PER_METRE),
            T,
            _formula(case, piece, measured, old.base, w, tangent),
            w * tangent.U,
            _words(case, move, piece, measured),
            last_digit=10 ** -case.decimals_of("squareness") / w * PER_METRE,
        )
        figures = {
            "angle_deg": 90 - math.degrees(math.atan(tangent.value)),
            "mm_per_m": tangent.value * PER_METRE,
            "gantry_move": move,
            "gantry_width": w,
        }
        finding = judged(case, outcome, self)
        if finding.verdict is Verdict.IN:  # what is in is left alone, but what was assumed is always said
            finding = replace(finding, notes=_assumed(case, piece))
        leant_on = ["x_lost_motion", "y_lost_motion"] if piece.figure == "circle" else []
        notes = (
            *assumed_notes(case),
            *scatter_notes(case, drawn=piece.drawn),
            *held_notes(case, [name for name in leant_on if name in case.known]),
        )
        return Solution((finding,), (), notes, figures)

    def reference_length(self, piece: SquareFigure, quantity: str, measurands: Mapping[str, Measurand]) -> float:
        """A lean is judged over the height."""
        return piece.height

    def shown(self, figures: Figures) -> Shown:
        """The corner in degrees."""
        if "angle_deg" not in figures:
            return Shown()
        return Shown((("squareness.corner", figure(f"{figures['angle_deg']:.3f}°")),))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the lean, mm/m."""
        piece = self.piece(case.piece)
        foreseen = {
            m: case.foreseen(m, piece.nominal(m), readings_each, nominal=piece.nominal(m), drawn=piece.drawn)
            for m in _names(piece)
        }
        return {"squareness": _lean(case, piece, foreseen, _rows(case, piece, foreseen)).U * PER_METRE}

    def example(self) -> JsonObject:
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

    def usual_piece(self) -> Parameters:
        """As large as the caliper reaches."""
        return {"figure": "rectangle", "width": 460.0, "height": 350.0, "made_by": "drawn"}


PROCEDURE = Squareness()


def _names(piece: SquareFigure) -> tuple[str, ...]:
    return CIRCLE if piece.figure == "circle" else RECTANGLE


def _rows(case: Case, piece: SquareFigure, measured: Mapping[str, Measurement]) -> list[Observation]:
    """What of a figure can contradict itself. Raises InputError for diagonals that nothing four-sided has."""
    if piece.figure == "rectangle":
        return square_rows(measured)
    both = _both_plays(_widths(piece, measured))
    # With the play as two unknowns that are known or granted, the four widths have one degree of freedom to spare.
    return [
        Observation("both", dict.fromkeys(map(lost_motion_of, "xy"), 1.0), both.value, both.effects),
        *(case.lost_motion(axis).row(lost_motion_of(axis)) for axis in "xy"),
    ]


def _lean(
    case: Case, piece: SquareFigure, measured: Mapping[str, Measurement], rows: Sequence[Observation]
) -> Uncertain:
    """tan γ. rows: `_rows` of it."""
    if piece.figure == "rectangle":
        gamma = fit(as_fitted(case, rows)[0]).estimates[GAMMA]
        slope = 1 / math.cos(gamma.value) ** 2
        return Uncertain(math.tan(gamma.value), gamma.times(slope).effects)
    # The path leans, not the strip that the tool clears: a cut circle's widths are those of its path less the kerf.
    widths = _widths(piece, measured)
    tangent = propagate(lambda **w: math.tan(from_diameters(**{k.replace("_", ""): v for k, v in w.items()})), widths)
    # On one trip round, lost motion that differs by ΔB between X and Y widens 45° and narrows 135° by ΔB/√2 each:
    # w₄₅ − w₁₃₅ = √2·ΔB, which no diameter tells from a lean, and which changes its sign with the way round.
    play = [case.lost_motion(axis) for axis in ("x", "y")]
    differ = math.hypot(play[0].value - play[1].value, play[0].u, play[1].u)
    if all(p.assumed for p in play) and not any(case.amount(f"{a}_backlash").value for a in ("x", "y")):
        # Nothing compensates, so neither is below zero, and ΔB no larger than both together, which the widths tell.
        both = _both_plays(widths)
        differ = min(differ, math.hypot(max(both.value, 0.0) / math.sqrt(3), both.u))
    source = Source(Origin("unequal_play"), math.sqrt(2) * differ / piece.width, max(play, key=lambda p: p.u).cause)
    return tangent._replace(effects=(*tangent.effects, (source, 1.0)))


def _widths(piece: SquareFigure, measured: Mapping[str, Measurement]) -> dict[str, Uncertain]:
    return {m: r.mean._replace(value=r.value + piece.compensation) for m, r in measured.items()}


def _both_plays(widths: Mapping[str, Uncertain]) -> Uncertain:
    """Bx + By: by so much more than scales explain a circle is narrower along its axes than between them, mm.

    Squares of opposite widths add up to the same, w₀² + w₉₀² = w₄₅² + w₁₃₅² for any sheared circle; to first order
    play takes Bx off w₀ and By off w₉₀, and nothing off the other two together.
    """
    signs = {"d_0": -1.0, "d_90": -1.0, "d_45": 1.0, "d_135": 1.0}
    return combination((signs[m], w) for m, w in widths.items())


def _other_line(case: Case, piece: SquareFigure, measured: Mapping[str, Measurement]) -> Doubt | None:
    """Another line than was meant."""
    if case.confirmed:
        return None
    for m, found in measured.items():
        n = piece.nominal(m)
        if abs(found.value / n - 1) > ODD_LENGTH:
            what = note("squareness.other_line", what=f"squareness.{m}", read=found.value, ordered=n)
            return Doubt((m,), what)
    return None


def _contradiction(case: Case, piece: SquareFigure, rows: Sequence[Observation]) -> Doubt | None:
    """Lengths that no such figure has. rows: `_rows` of it."""
    names = _names(piece)
    if piece.figure == "rectangle":
        return contradicted(case, rows, {m: f"squareness.{m}" for m in names})
    return None if case.confirmed or agree(rows) else Doubt(names, note("squareness.no_such_circle"))


def _formula(
    case: Case, piece: SquareFigure, measured: Mapping[str, Measurement], old: float, w: float, tangent: Uncertain
) -> Note:
    """From what was moved in all to what should be: old − w × tan γ, whose tangent is the sine up to its cube."""
    v = {m: case.in_its_unit(r.value) for m, r in measured.items()}
    held, wide = (case.in_its_unit(x, "mm") for x in (old, w))
    if "squareness" in case.known:
        return arithmetic(f"{held} − {wide} × {tangent.value:.6f}")
    if piece.figure == "circle":
        c = f" + {case.ordered(piece.compensation)}" if piece.compensation else ""
        d = {m: f"({text}{c})" if c else text for m, text in v.items()}
        return arithmetic(f"{held} − {wide} × ({d['d_45']}² − {d['d_135']}²) ÷ (2 × {d['d_0']} × {d['d_90']})")
    diagonals, sides = f"({v['diagonal_1']}² − {v['diagonal_2']}²)", f"(4 × {v['width']} × {v['height']})"
    return arithmetic(f"{held} − {wide} × {diagonals} ÷ {sides}")


def _assumed(case: Case, piece: SquareFigure) -> tuple[Note, ...]:
    """What a circle takes for granted of the play."""
    if piece.figure != "circle" or not any(case.lost_motion(a).assumed for a in ("x", "y")):
        return ()
    return (note("squareness.play_assumed", U=ASSUMED_LOST_MOTION.U),)


def _words(case: Case, move: float, piece: SquareFigure, measured: Mapping[str, Measurement]) -> tuple[Note, ...]:
    words = []
    if case.machine.gantry:
        end, way = (
            "x" if case.machine.gantry_along == "y" else "y",
            f"{'+' if move > 0 else '-'}{case.machine.gantry_along}",
        )
        words.append(note("squareness.move_gantry", end=end, by=abs(move), way=way))
    else:
        words.append(note("squareness.no_gantry", over=PER_METRE))
    words += _assumed(case, piece)
    if piece.figure == "circle":
        differ = (measured["d_0"].value - measured["d_90"].value) / piece.width * PER_METRE
        words.append(note("squareness.x_longer", by=differ))
    return tuple(words)
