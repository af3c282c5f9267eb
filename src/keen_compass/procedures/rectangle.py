"""Steps per unit of both axes from a cut or drawn stepped outline (arithmetic.md §4 and §8).

Rows of the joint model, for a mean reading of nominal n along axis i (everything in mm):

    cut:    mean − n − c = n·s_i − K − B_i
    drawn:  mean − n     = n·s_i

s scale error, K true kerf, B lost motion left in a contour, c compensation. What is known of K, B and s from before
enters as rows of its own; what the means share (the instrument) is in their sources.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import cast

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.pieces.stepped import MEASURANDS, SteppedOutline
from keen_compass.pieces.where import Faces
from keen_compass.procedures.base import Piece, Procedure
from keen_compass.procedures.case import ASSUMED_LOST_MOTION, Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings, made_by
from keen_compass.procedures.kerfs import room_held
from keen_compass.procedures.manner import ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import (
    PER_METRE,
    as_fitted,
    ask,
    assumed_notes,
    contradicted,
    held_notes,
    judged,
    no_number,
    parts_say,
    scale_formula,
    scale_outcome,
    scatter_notes,
    suggest_warmth,
)
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, Said, note
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Fit, Observation, Unknown, fit, would_determine
from keen_compass.solve.plausibility import Doubt, looks_other_kerf
from keen_compass.solve.travel import lost_motion_of, scale_of

KERF = Unknown("kerf")
AXES = ("x", "y")
PLANNED = (200.0, 300.0, 400.0, 600.0, 800.0)  # mm, sizes that are looked at
DIMENSIONS = {"x": ("width", "short_width"), "y": ("height", "short_height")}
SIDES = {"width": (0, 1), "height": (-1, 0), "short_width": (0, -1), "short_height": (1, 0)}
ASPECT = 0.75  # height of a piece to its width
SHORT_SHARE = 0.3  # of the long lengths
PRIOR_DISAGREES = 1.5  # expanded uncertainties

_PARAMETERS = {"width", "height", "short_width", "short_height", "compensation", "made_by"}


class Rectangle(Procedure[SteppedOutline]):
    """The procedure; see the module."""

    name = "rectangle"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=MEASURANDS, suits=("caliper", "steel rule", "tape"))
    sizes = Sizes(slider=True, grows=("width", "height", "short_width", "short_height"))

    def parameters(self, around: Surroundings) -> Parameters:
        """As long as was chosen, and three quarters of that across."""
        sides = around.sides(around.size, min(around.rounded(ASPECT * around.size), around.across))
        short = {f"short_{name}": around.rounded(SHORT_SHARE * length) for name, length in sides.items()}
        return {**sides, **short, **around.made()}

    def piece(self, parameters: Parameters) -> SteppedOutline:
        """From `width`, `height`, optional short lengths (30 % of the long), `compensation`, `made_by`."""
        check_parameters(parameters, _PARAMETERS)
        drawn = made_by(parameters, "cut") != "cut"
        sizes: JsonObject = {
            k: length_mm(parameters[k], f"piece.{k}") for k in _PARAMETERS - {"made_by"} if k in parameters
        }
        width, height = sizes.get("width", 400.0), sizes.get("height", 300.0)
        try:
            for name, value in (("width", width), ("height", height)):
                if not value > 0:
                    raise PieceError(tr("must be larger than 0"), name)
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
                f"rectangle.{m}",
                _axis(m),
                outline.nominal(m),
                Faces(outline.dimension_line(m)),
                outline.dimension_line(m),
                SIDES[m],
                f"rectangle.how_{m}",
                box_at=outline.free_corner() if m == "short_height" else None,
            )
            for m in MEASURANDS
        )

    def answer(self, case: Case) -> Solution:
        """The findings for both axes; axes without any number in the controller are refused."""
        piece, drawn = self._piece_as_made(case)
        self._check(case)
        measured = {m: _measured(case, piece, m, drawn=drawn) for m in MEASURANDS if m in case.readings}
        model = _Model(case, piece, drawn, measured)
        doubts = [] if case.confirmed else _doubts(case, model)
        if doubtful := {m for d in doubts for m in d.measurands}:  # both axes share the cut: it rests on the others
            model = _Model(case, piece, drawn, {m: r for m, r in measured.items() if m not in doubtful})
        findings: list[Finding] = []
        unresolved: list[tuple[str, str]] = []
        for axis in AXES:
            quantity = f"{axis}_steps"
            if quantity not in case.values:
                continue
            doubt = next((d for d in doubts if not d.measurands or {_axis(m) for m in d.measurands} & {axis}), None)
            estimate = model.fit.estimates.get(scale_of(axis))
            if doubt:
                findings.append(ask(case, quantity, doubt, piece.nominal(DIMENSIONS[axis][0])))
            elif estimate is None:
                findings.append(_unresolved(case, axis, model))
                unresolved += [(a.name, b.name) for a, b in sorted(model.fit.confused) if a == scale_of(axis)]
            else:
                findings.append(self._finding(case, axis, estimate, model))
        return Solution(tuple(findings), tuple(unresolved), tuple(model.notes), model.kerf_figures())

    def plans(self, case: Case) -> list[Parameters]:
        """Several sizes, cut with the room that is held."""
        sizes = [s for s in PLANNED if not case.largest_size or s <= case.largest_size]
        return [
            {
                "width": s,
                "height": 0.75 * s,
                "short_width": 0.3 * s,
                "short_height": 0.225 * s,
                "compensation": room_held(case),
            }
            for s in sizes
        ]

    def rows(self, case: Case) -> list[Observation]:
        """Every length that was read."""
        piece, drawn = self._piece_as_made(case)
        check_readings(case, MEASURANDS, positive=True)
        measured = {m: _measured(case, piece, m, drawn=drawn) for m in MEASURANDS if m in case.readings}
        return _Model(case, piece, drawn, measured).read_rows()

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of each axis' scale in mm/m, if every measurand were read `readings_each` times."""
        piece, drawn = self._piece_as_made(case)
        measured = {}
        for m in MEASURANDS:
            n = piece.nominal(m)
            expected = n + (0.0 if drawn else piece.compensation)
            measured[m] = case.foreseen(m, expected, readings_each, nominal=n, drawn=drawn)
        estimates = _Model(case, piece, drawn, measured).fit.estimates
        return {f"{a}_steps": estimates[scale_of(a)].U * PER_METRE for a in AXES if scale_of(a) in estimates}

    def example(self) -> JsonObject:
        """A 400 × 300 piece whose X is long and Y short; all four lengths read three times."""
        return {
            "procedure": "rectangle",
            "machine": {
                "units": "mm",
                "resolution_form": "steps_per_mm",
                "decimals": 3,
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
        }

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
            raise InputError(tr("give x_steps, y_steps or both: the numbers in the controller"), "machine.values")
        check_readings(case, MEASURANDS, positive=True)

    def unless_said(self, given: Parameters) -> Parameters:
        """Cut with the usual cutter, unless it is drawn."""
        return {"compensation": self.usual_piece()["compensation"]} if given.get("made_by", "cut") == "cut" else {}

    def usual_piece(self) -> Parameters:
        """As large as the caliper reaches, at most 1.2 % too long included."""
        return {"width": 580.0, "height": 540.0, "compensation": 6.0}

    def _finding(self, case: Case, axis: str, estimate: Uncertain, model: _Model) -> Finding:
        quantity, s = f"{axis}_steps", estimate.value
        notes = (*parts_say(case, quantity, s), *model.axis_notes(axis))
        length = model.piece.nominal(DIMENSIONS[axis][0])
        return judged(
            case, scale_outcome(case, quantity, estimate, length, _formula(case, axis, s, model), notes), self
        )


class _Model:
    """The rows for one case, and their fit."""

    def __init__(self, case: Case, piece: SteppedOutline, drawn: bool, measured: Mapping[str, Measurement]) -> None:
        self.case, self.piece, self.drawn, self.measured = case, piece, drawn, measured
        self.notes: list[Note] = []
        self.assumed_axes: set[str] = set()
        self.rows = [self._row(m) for m in measured.values()] + self._known_rows()
        self.fit = self._fit_with_assumptions()
        self._describe()

    def missing_that_would_help(self, axis: str) -> str | None:
        """The unread dimension that would determine this axis' scale."""
        for m in DIMENSIONS[axis]:
            if m not in self.measured:
                n = self.piece.nominal(m)
                extra = self._row(self.case.foreseen(m, n, 1, nominal=n, drawn=self.drawn))
                if would_determine(self.rows, extra, scale_of(axis)):
                    return m
        return None

    def axis_notes(self, axis: str) -> list[Note]:
        """What was assumed for this axis."""
        if axis not in self.assumed_axes:
            return []
        short = f"rectangle.{DIMENSIONS[axis][1]}"
        return [note("rectangle.lost_motion_assumed", axis=axis, U=ASSUMED_LOST_MOTION.U, short=short)]

    def read_rows(self) -> list[Observation]:
        """Of what was read alone."""
        return [self._row(m) for m in self.measured.values()]

    def _row(self, m: Measurement) -> Observation:
        axis, n = _axis(m.name), self.piece.nominal(m.name)
        coefficients = {scale_of(axis): n}
        if not self.drawn:
            coefficients |= {KERF: -1.0, lost_motion_of(axis): -1.0}
        compensation = 0.0 if self.drawn else self.piece.compensation
        return Observation(m.name, coefficients, m.value - n - compensation, m.mean.effects)

    def _known_rows(self) -> list[Observation]:
        return [known.row(u) for u in self._leans_on() if (known := self.case.known.get(u.name))]

    def _leans_on(self) -> list[Unknown]:
        """What knowledge from before may say of this piece."""
        scales = [scale_of(a) for a in AXES]
        return scales if self.drawn else [*scales, KERF, *(lost_motion_of(a) for a in AXES)]

    def _fit_with_assumptions(self) -> Fit:
        """Fit; where a single outside length with a known kerf must do, B is taken as small, and said to be."""
        result = fit(self.rows)
        for axis in AXES:
            lost = lost_motion_of(axis)
            read = any(m in self.measured for m in DIMENSIONS[axis])
            stuck = read and scale_of(axis) not in result.estimates
            if not self.drawn and stuck and "kerf" in self.case.known and lost.name not in self.case.known:
                assumed = ASSUMED_LOST_MOTION.row(lost)
                trial = fit([*self.rows, assumed])
                if scale_of(axis) in trial.estimates:
                    self.rows.append(assumed)
                    self.assumed_axes.add(axis)
                    result = trial
        self.rows, self.learnt = as_fitted(self.case, self.rows)
        return fit(self.rows) if self.learnt else result

    def kerf_figures(self) -> dict[str, float]:
        """The kerf K itself, mm, where the readings and what is known of the play tell it: later pieces lean on it."""
        if self.drawn or not self.measured:
            return {}
        # Of these readings alone: what was known of it before is not learnt once more.
        found = fit([o for o in self.rows if KERF not in o.coefficients or not o.prior]).estimates.get(KERF)
        return {"kerf": found.value, "kerf_expanded_uncertainty": found.U} if found else {}

    def kerf_with_play(self, axis: str) -> Uncertain | None:
        """K + B as an axis' own long and short lengths have it, beside the scale; None where they don't tell."""
        long, short = (self.measured.get(m) for m in DIMENSIONS[axis])
        if self.drawn or long is None or short is None:
            return None
        n_long, n_short = self.piece.nominal(long.name), self.piece.nominal(short.name)
        if n_long == n_short:
            return None
        # O = n(1 + s) + c − (K + B): two lengths, two unknowns.
        share = n_long / (n_long - n_short)
        return combination(((share - 1, long.mean), (-share, short.mean)), self.piece.compensation)

    def _describe(self) -> None:
        case = self.case
        self.notes += assumed_notes(case) if self.measured else ()
        if self.measured:
            self.notes += (*scatter_notes(case, drawn=self.drawn), *self.learnt)
        if self.measured:
            self.notes += held_notes(case, [u.name for u in self._leans_on() if u.name in case.known])
            if not self.drawn and self.fit.strain("kerf") > PRIOR_DISAGREES:
                self.notes.append(note("rectangle.kerf_disagrees"))
        longest = max((self.piece.nominal(m) for m in self.measured), default=0.0)
        self.notes += suggest_warmth(case, longest)


PROCEDURE = Rectangle()


def _axis(measurand: str) -> str:
    return "x" if measurand in DIMENSIONS["x"] else "y"


def _measured(case: Case, piece: SteppedOutline, m: str, *, drawn: bool) -> Measurement:
    return case.measured(m, nominal=piece.nominal(m), drawn=drawn)


def _doubts(case: Case, model: _Model) -> list[Doubt]:
    """Readings that leave room for no such cutter, else those that don't fit the others."""
    if odd := [doubt for axis in AXES if (doubt := _odd_kerf(axis, model))]:
        return odd
    labels: dict[str, Said] = {m: f"rectangle.{m}" for m in model.measured}
    # The axes lose motion of their own, but hardly more than machines do: both read the same cut.
    play = [case.lost_motion(a).row(lost_motion_of(a)) for a in AXES if lost_motion_of(a).name not in case.known]
    doubt = contradicted(case, [*model.rows, *(() if model.drawn or model.assumed_axes else play)], labels)
    return [doubt] if doubt else []


def _odd_kerf(axis: str, model: _Model) -> Doubt | None:
    """What an axis' long and short lengths say of the cut, where no such cutter would do it."""
    found, c = model.kerf_with_play(axis), model.piece.compensation
    if found is None or not looks_other_kerf(found, c):
        return None
    long, short = (f"rectangle.{m}" for m in DIMENSIONS[axis])
    return Doubt(DIMENSIONS[axis], note("rectangle.odd_kerf", long=long, short=short, kerf=found.value, compensation=c))


def _unresolved(case: Case, axis: str, model: _Model) -> Finding:
    quantity = f"{axis}_steps"
    read = [m for m in DIMENSIONS[axis] if m in model.measured]
    if not read:
        why = note("nothing_read_of", what=f"rectangle.{DIMENSIONS[axis][0]}")
    else:
        others = sorted(b.name for a, b in model.fit.confused if a == scale_of(axis))
        help_with = model.missing_that_would_help(axis)
        why = note(
            "rectangle.cannot_tell_apart",
            read=f"rectangle.{read[0]}",
            axis=axis,
            others=others,
            would_help=f"rectangle.{help_with}" if help_with else "",
        )
    return no_number(case, quantity, Verdict.UNRESOLVED, why, model.piece.nominal(DIMENSIONS[axis][0]))


def _formula(case: Case, axis: str, s: float, model: _Model) -> Note:
    """One line that leads from old to new, in the controller's own numbers."""
    long, short = DIMENSIONS[axis]
    nominal, measured = model.piece.nominal, model.measured
    known = case.known
    told = [u.name for u in (scale_of(axis), lost_motion_of(axis)) if u.name in known]
    if {long, short} <= measured.keys() and not told and (model.drawn or "kerf" not in known):
        if model.drawn:
            wanted, came = "1", f"{1 + s:.7f}"
        else:
            wanted = case.ordered(nominal(long) - nominal(short), 4)
            came = case.in_its_unit(measured[long].value - measured[short].value)
    elif short not in measured and long in measured and not told:
        wanted, came = case.ordered(nominal(long), 4), case.in_its_unit(measured[long].value)
        if not model.drawn and known["kerf"].value != model.piece.compensation:
            took, takes = case.ordered(model.piece.compensation, 6), case.ordered(known["kerf"].value, 6)
            came = f"({came} − {took} + {takes})"
    else:
        wanted, came = "1", f"{1 + s:.7f}"
    return scale_formula(case, f"{axis}_steps", wanted, came)
