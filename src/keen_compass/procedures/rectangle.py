"""Steps per unit of both axes from a cut or drawn stepped outline (arithmetic.md §4 and §8).

Rows of the joint model, for a mean reading of nominal n along axis i (everything in mm):

    cut:    mean − n − c = n·s_i − K − B_i + δ_a + L·δ_b
    drawn:  mean − n     = n·s_i           + δ_a + L·δ_b

s scale error, K true kerf, B lost motion left in a contour, c compensation, δ_a and δ_b the
instrument's own shared error. What is known of K and B from before enters as rows of its own.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, cast

from keen_compass.errors import InputError, PieceError
from keen_compass.pieces.stepped import MEASURANDS, SteppedOutline
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Measurand, Piece, Procedure, Surface, Surroundings
from keen_compass.procedures.case import Case, Known, Parameters, length_mm
from keen_compass.procedures.results import (
    PER_METRE,
    judged,
    no_number,
    parts_say,
    piece_mean,
    scale_formula,
    scale_outcome,
)
from keen_compass.quantities.catalogue import UNKNOWN_LABELS
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.lengths import trim_number
from keen_compass.quantities.uncertainty import (
    Component,
    MeanReading,
    alignment,
    combine,
    independent_components,
    temperature,
)
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Estimate, Fit, Observation, fit, would_determine
from keen_compass.solve.plausibility import Doubt, looks_scaled, looks_swapped

AXES = ("x", "y")
DIMENSIONS = {"x": ("width", "short_width"), "y": ("height", "short_height")}
LABELS = {
    "width": "width",
    "height": "height",
    "short_width": "short width",
    "short_height": "short height",
}
HINTS = {
    "width": "Jaws on the long arm, square to the edges",
    "height": "Jaws on the column, square to the edges",
    "short_width": "Jaws across the foot, from the outside",
    "short_height": "Jaws from the foot's edge up to the ledge",
}
SIDES = {"width": (0, 1), "height": (-1, 0), "short_width": (0, -1), "short_height": (1, 0)}
ASSUMED_LOST_MOTION = Known(0.0, 0.03)  # mm; only where a single outside length must do
ASPECT = 0.75  # height of a piece to its width
SHORT_SHARE = 0.3  # of the long lengths
SUGGEST_TEMPERATURE_ABOVE = 1000.0  # mm
PRIOR_DISAGREES = 3.0  # standard uncertainties

_PARAMETERS = {"width", "height", "short_width", "short_height", "compensation", "made_by"}


class Rectangle(Procedure[SteppedOutline]):
    """The procedure; see the module."""

    name = "rectangle"
    needs = ("two axes", "a cutter, pen or scriber", "an instrument as long as the piece")
    surface = Surface.CALLOUTS
    piece_name = "stepped outline, a long and a short outside length per axis"
    measurand_names = MEASURANDS
    suits = ("caliper", "steel rule", "tape")
    sized = True
    grows = ("width", "height", "short_width", "short_height")
    lookalikes = (
        "A finishing allowance left on by a roughing pass makes every outside length too long.",
        "A wrong cutter diameter shows on long and short lengths alike; the step cancels it.",
        "Work that moved while it was cut: do opposite edges run parallel?",
    )

    def parameters(self, around: Surroundings) -> dict[str, object]:
        """As long as was chosen, and three quarters of that across."""
        sides = around.sides(around.size, min(around.rounded(ASPECT * around.size), around.across))
        short = {f"short_{name}": around.rounded(SHORT_SHARE * length) for name, length in sides.items()}
        return sides | short | around.made()

    def piece(self, parameters: Parameters) -> SteppedOutline:
        """From `width`, `height`, optional short lengths (30 % of the long), `compensation`, `made_by`."""
        self.check_parameters(parameters, _PARAMETERS)
        drawn = self.made_by(parameters, "cut") != "cut"
        sizes = {k: length_mm(parameters[k], f"piece.{k}") for k in _PARAMETERS - {"made_by"} if k in parameters}
        width, height = sizes.get("width", 400.0), sizes.get("height", 300.0)
        try:
            for name, value in (("width", width), ("height", height)):
                if not value > 0:
                    raise PieceError("must be larger than 0", name)
            usual = SteppedOutline.sized(width, height, drawn=True)
            return replace(usual, drawn=drawn, **{**sizes, "width": width, "height": height})
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: Piece) -> tuple[Measurand, ...]:
        """Width, height, short width, short height."""
        outline = cast("SteppedOutline", piece)
        return tuple(
            Measurand(
                m,
                LABELS[m],
                _axis(m),
                outline.nominal(m),
                Faces(outline.dimension_line(m)),
                outline.dimension_line(m),
                SIDES[m],
                HINTS[m],
                box_at=outline.free_corner() if m == "short_height" else None,
            )
            for m in MEASURANDS
        )

    def solve(self, case: Case) -> Solution:
        """The findings for both axes; axes without any number in the controller are refused."""
        piece, drawn = self._piece_as_made(case)
        self._check(case)
        means = self._means(case, drawn)
        model = _Model(case, piece, drawn, means)
        doubts = [] if case.confirmed else _doubts(case, piece, means)
        notes = list(model.notes)
        findings: list[Finding] = []
        unresolved: list[tuple[str, str]] = []
        for axis in AXES:
            quantity = f"{axis}_steps"
            if quantity not in case.values:
                continue
            doubt = next((d for d in doubts if {_axis(m) for m in d.measurands} & {axis}), None)
            estimate = model.fit.estimates.get(f"{axis}_scale")
            if estimate is None:
                findings.append(_unresolved(case, axis, model))
                unresolved += [(a, b) for a, b in sorted(model.fit.confused) if a == f"{axis}_scale"]
            elif doubt:
                findings.append(_implausible(case, axis, doubt, model))
            else:
                findings.append(self._finding(case, axis, estimate, model))
        return Solution(tuple(findings), tuple(unresolved), tuple(notes))

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of each axis' scale in mm/m, if every measurand were read `readings_each` times."""
        piece, drawn = self._piece_as_made(case)
        spread = case.instrument.repeatability
        means = {}
        for m in MEASURANDS:
            scatter = case.scatter(drawn=drawn)
            parts = independent_components(spread, readings_each, case.instrument, scatter, pieces=case.pieces)
            expected = piece.nominal(m) + (0.0 if drawn else piece.compensation)
            means[m] = MeanReading(expected, readings_each, parts, spread.assumed)
        estimates = _Model(case, piece, drawn, means).fit.estimates
        return {f"{a}_steps": estimates[f"{a}_scale"].U * PER_METRE for a in AXES if f"{a}_scale" in estimates}

    def example(self) -> dict[str, Any]:
        """A 400 × 300 piece whose X is long and Y short; all four lengths read three times."""
        return {
            "procedure": "rectangle",
            "machine": {
                "units": "mm", "resolution_form": "steps_per_mm", "decimals": 3,
                "values": {"x_steps": 106.667, "y_steps": 106.667},
            },
            "piece": {"width": 400, "height": 300, "short_width": 120, "short_height": 90, "compensation": 6.0},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": 0.15,
            "confirmed": False,
            "readings": [
                {"measurand": "width", "values": [400.31, "400.30 mm", 400.32]},
                {"measurand": "height", "values": [299.79, 299.80, 299.80]},
                {"measurand": "short_width", "values": [120.02, 120.01, 120.02]},
                {"measurand": "short_height", "values": [89.90, 89.91, 89.90]},
            ],
        }  # fmt: skip

    def _piece_as_made(self, case: Case) -> tuple[SteppedOutline, bool]:
        """A piece with no compensation, on a machine whose kerf is stated as 0, was drawn."""
        parameters = dict(case.piece)
        kerf = case.known.get("kerf")
        uncompensated = not parameters.get("compensation")
        if "made_by" not in parameters and uncompensated and kerf is not None and kerf.value == 0:
            parameters["made_by"] = "drawn"
        piece = self.piece(parameters)
        return piece, piece.drawn

    def _check(self, case: Case) -> None:
        if not any(f"{a}_steps" in case.values for a in AXES):
            raise InputError("give x_steps, y_steps or both: the numbers in the controller", "machine.values")
        self.check_readings(case, MEASURANDS, positive=True)

    def _means(self, case: Case, drawn: bool) -> dict[str, MeanReading]:
        return {m: _mean(case, m, drawn=drawn) for m in MEASURANDS if m in case.readings}

    def unless_said(self, given: Parameters) -> dict[str, object]:
        """Cut with the usual cutter, unless it is drawn."""
        return {"compensation": self.usual_piece()["compensation"]} if given.get("made_by", "cut") == "cut" else {}

    def usual_piece(self) -> dict[str, object]:
        """As large as the caliper reaches, at most 1.2 % too long included."""
        return {"width": 580.0, "height": 540.0, "compensation": 6.0}

    def _finding(self, case: Case, axis: str, estimate: Estimate, model: _Model) -> Finding:
        quantity = f"{axis}_steps"
        s, U = estimate.value, estimate.U
        parts = parts_say(case, quantity, s)
        notes = (*((parts,) if parts else ()), *model.axis_notes(axis))
        length = model.piece.nominal(DIMENSIONS[axis][0])
        return judged(case, scale_outcome(case, quantity, s, U, length, _formula(case, axis, s, model), notes), self)


class _Model:
    """The rows for one case, and their fit."""

    def __init__(self, case: Case, piece: SteppedOutline, drawn: bool, means: Mapping[str, MeanReading]) -> None:
        self.case, self.piece, self.drawn, self.means = case, piece, drawn, means
        self.notes: list[str] = []
        self.assumed_axes: set[str] = set()
        self.rows = [self._row(m, r) for m, r in means.items()] + self._known_rows()
        self.fit = self._fit_with_assumptions()
        self._describe()

    def tolerance(self, axis: str) -> float:
        """T of this axis' scale in mm/m."""
        return self.case.tolerance_of(f"{axis}_steps", self.piece.nominal(DIMENSIONS[axis][0]))

    def missing_that_would_help(self, axis: str) -> str | None:
        """The unread dimension that would determine this axis' scale."""
        for m in DIMENSIONS[axis]:
            if m not in self.means:
                parts = (Component(self.case.instrument.resolution),)
                extra = self._row(m, MeanReading(self.piece.nominal(m), 1, parts, True))
                if would_determine(self.rows, extra, f"{axis}_scale"):
                    return m
        return None

    def axis_notes(self, axis: str) -> list[str]:
        """What was assumed for this axis."""
        notes = []
        if axis in self.assumed_axes:
            notes.append(
                f"{axis.upper()} lost motion taken as 0 ± {ASSUMED_LOST_MOTION.U} mm, assumed; "
                f"reading the {LABELS[DIMENSIONS[axis][1]]} too makes it unnecessary."
            )
        return notes

    def _row(self, m: str, reading: MeanReading) -> Observation:
        axis, n = _axis(m), self.piece.nominal(m)
        coefficients = {f"{axis}_scale": n}
        if not self.drawn:
            coefficients |= {"kerf": -1.0, f"{axis}_lost_motion": -1.0}
        a, b = self.case.instrument.permissible_error
        if a:
            coefficients["instrument_offset"] = 1.0
        if b:
            coefficients["instrument_slope"] = reading.mean
        compensation = 0.0 if self.drawn else self.piece.compensation
        return Observation(m, coefficients, reading.mean - n - compensation, reading.components)

    def _known_rows(self) -> list[Observation]:
        rows = []
        for name, half in zip(
            ("instrument_offset", "instrument_slope"), self.case.instrument.permissible_error, strict=True
        ):
            if half:
                rows.append(Observation(name, {name: 1.0}, 0.0, (Component(half / math.sqrt(3), rectangular=True),)))
        if not self.drawn:
            for name in ("kerf", "x_lost_motion", "y_lost_motion"):
                if known := self.case.known.get(name):
                    rows.append(_known_row(name, known))
        return rows

    def _fit_with_assumptions(self) -> Fit:
        """Fit; where a single outside length with a known kerf must do, B is taken as small, and said to be."""
        result = fit(self.rows)
        for axis in AXES:
            lost = f"{axis}_lost_motion"
            read = any(m in self.means for m in DIMENSIONS[axis])
            stuck = read and f"{axis}_scale" not in result.estimates
            if not self.drawn and stuck and "kerf" in self.case.known and lost not in self.case.known:
                trial = fit([*self.rows, _known_row(lost, ASSUMED_LOST_MOTION)])
                if f"{axis}_scale" in trial.estimates:
                    self.rows.append(_known_row(lost, ASSUMED_LOST_MOTION))
                    self.assumed_axes.add(axis)
                    result = trial
        return result

    def _describe(self) -> None:
        case = self.case
        if any(r.assumed for r in self.means.values()):
            self.notes.append(
                f"Spread of single readings assumed: one division, {trim_number(case.instrument.resolution, 4)} mm."
            )
        if case.piece_scatter is None and self.means:
            s = case.scatter(drawn=self.drawn).s
            self.notes.append(f"Equal pieces assumed to differ by {s:g} mm (standard deviation); no record yet.")
        kerf = case.known.get("kerf")
        if kerf and not self.drawn and self.means:
            held = "exactly; no uncertainty was given" if kerf.U is None else f"± {kerf.U:g}"
            self.notes.append(f"Kerf known from before: {kerf.value:g} mm {held}.")
            if abs(self.fit.normalised_residuals.get("kerf", 0.0)) > PRIOR_DISAGREES:
                self.notes.append("The readings disagree with that kerf: was another cutter in?")
        longest = max((self.piece.nominal(m) for m in self.means), default=0.0)
        if case.temperature is None and longest > SUGGEST_TEMPERATURE_ABOVE:
            self.notes.append("Above 1 m the warmth of part and instrument counts: give both temperatures.")


PROCEDURE = Rectangle()


def _axis(measurand: str) -> str:
    return "x" if measurand in DIMENSIONS["x"] else "y"


def _known_row(name: str, known: Known) -> Observation:
    components = (Component(known.u),) if known.U else ()
    return Observation(name, {name: 1.0}, known.value, components)


def _mean(case: Case, measurand: str, *, drawn: bool) -> MeanReading:
    """The mean of one dimension, corrected for zero, alignment and temperature."""
    instrument, found = case.instrument, piece_mean(case, measurand, drawn=drawn)
    mean, components = found.mean, list(found.components)
    if instrument.parallel_within:
        shift, u = alignment(mean, instrument.parallel_within, reads_long=True)
        mean += shift
        components.append(Component(u))
    if case.temperature:
        t = case.temperature
        shift, u = temperature(found.mean + instrument.zero, t.material, t.part, t.instrument, t.u_c)
        mean += shift
        components.append(Component(u))
    return replace(found, mean=mean, components=tuple(components))


def _doubts(case: Case, piece: SteppedOutline, means: Mapping[str, MeanReading]) -> list[Doubt]:
    kerf = max(piece.compensation, case.known.get("kerf", Known(0.0)).value)
    doubts = []
    for m in means:
        values = [length.mm for length in case.lengths(m)]
        if doubt := looks_scaled(m, piece.nominal(m), values, kerf):
            doubts.append(replace(doubt, sentence=f"{LABELS[m].capitalize()}: {doubt.sentence}"))
    if not doubts:
        swapped = looks_swapped(
            {m: piece.nominal(m) for m in means},
            {m: r.mean for m, r in means.items()},
            {m: 2 * combine(r.components) for m, r in means.items()},
        )
        if swapped:
            a, b = (LABELS[m] for m in swapped.measurands)
            doubts.append(replace(swapped, sentence=swapped.sentence.format(a.capitalize(), b)))
    return doubts


def _unresolved(case: Case, axis: str, model: _Model) -> Finding:
    quantity = f"{axis}_steps"
    read = [m for m in DIMENSIONS[axis] if m in model.means]
    scale = UNKNOWN_LABELS[f"{axis}_scale"]
    if not read:
        note = f"No reading of {LABELS[DIMENSIONS[axis][0]]} yet."
    else:
        others = sorted(b for a, b in model.fit.confused if a == f"{axis}_scale")
        names = " or ".join(UNKNOWN_LABELS[o] for o in others) or "the rest"
        help_with = model.missing_that_would_help(axis)
        remedy = f": measure the {LABELS[help_with]} too, or give the kerf" if help_with else ""
        note = f"{LABELS[read[0]].capitalize()} alone can't tell {scale} from {names}{remedy}."
    return no_number(case, quantity, Verdict.UNRESOLVED, note, model.piece.nominal(DIMENSIONS[axis][0]))


def _implausible(case: Case, axis: str, doubt: Doubt, model: _Model) -> Finding:
    note = doubt.sentence + ("" if doubt.sentence.endswith("?") else ".")
    length = model.piece.nominal(DIMENSIONS[axis][0])
    return no_number(case, f"{axis}_steps", Verdict.IMPLAUSIBLE, note, length)


def _formula(case: Case, axis: str, s: float, model: _Model) -> str:
    """One line that leads from old to new, in the controller's own numbers."""
    long, short = DIMENSIONS[axis]
    nominal = model.piece.nominal
    mean = {m: case.in_its_unit(r.mean) for m, r in model.means.items()}
    known = case.known
    lost_known = f"{axis}_lost_motion" in known
    if {long, short} <= mean.keys() and not (model.drawn or lost_known or "kerf" in known):
        wanted = case.ordered(nominal(long) - nominal(short), 4)
        came = case.in_its_unit(model.means[long].mean - model.means[short].mean)
    elif short not in mean and long in mean and not lost_known:
        wanted, came = case.ordered(nominal(long), 4), mean[long]
        if not model.drawn and known["kerf"].value != model.piece.compensation:
            took, takes = case.ordered(model.piece.compensation, 6), case.ordered(known["kerf"].value, 6)
            came = f"({came} − {took} + {takes})"
    else:
        wanted, came = "1", f"{1 + s:.6f}"
    return scale_formula(case, f"{axis}_steps", wanted, came)
