"""Pointer or sensor against the tool (arithmetic.md §9): where the tool lands beside the mark that was aimed at.

The secondary was aimed at a mark, the machine brought the tool there by the offset that it holds, and the tool landed e
beside it: o_true = o_set − e, with o = secondary minus tool. The quick way reads one mark. The sheet reads several
targets spread over it: what grows with the place is the sheet's registration or the print's scale, not the offset.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from keen_compass.errors import InputError, shown_input
from keen_compass.pieces.page import Page, sheet
from keen_compass.pieces.where import Beside
from keen_compass.procedures.base import Makes, Measurand, Procedure, Surface
from keen_compass.procedures.case import Case, Parameters
from keen_compass.procedures.registration import place
from keen_compass.procedures.results import Outcome, amount_outcome, arithmetic, judged, no_number, odd_reading
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.uncertainty import Cause, Shape, Source, Uncertain, combination, covariance
from keen_compass.quantities.verdict import Verdict

WAYS = ("mark", "sheet")
SECONDARIES = ("pointer", "sensor")
MOST_TARGETS = 30
AXES = ("x", "y")
DITHERS = 0.5  # of a division, by which readings must differ so that their rounding averages out
LEARNT_FROM = 3  # degrees of freedom, from which on scatter is learnt
TO_FIT = 3  # targets that tell turn and stretch apart from the offset
DRAWN = 0.03  # mm, standard uncertainty of one drawn cross or aimed dot; stated where only one place was read
LARGE_TURN = 3.0  # mm per m: more than that is the sheet's, and is said


@dataclass(frozen=True, slots=True)
class Sheet:
    """way: mark or sheet. targets: nominal places, mm; secondary: what was aimed with."""

    way: str
    targets: tuple[tuple[float, float], ...]
    secondary: str

    def nominal(self, measurand: str) -> float:
        """It should land on the mark."""
        return 0.0

    def names(self, axis: str) -> tuple[str, ...]:
        """Measurands of one axis, target by target."""
        return (axis,) if self.way == "mark" else tuple(f"t{i}_{axis}" for i in range(1, len(self.targets) + 1))


class Pointer(Procedure[Sheet]):
    """See the module."""

    name = "pointer"
    surface = Surface.CALLOUTS
    makes = Makes.NOTHING
    measurand_names = ("x", "y")
    suits = ("steel rule",)
    numbered = False
    printed = True

    @property
    def yields(self) -> tuple[str, ...]:
        """Of either secondary."""
        return tuple(f"{s}_{a}" for s in SECONDARIES for a in AXES)

    def piece(self, parameters: Parameters) -> Sheet:
        """From `way`, and of a sheet `targets` and `secondary`."""
        self.check_parameters(parameters, {"way", "targets", "secondary"})
        way, secondary = parameters.get("way", "mark"), parameters.get("secondary", "pointer")
        if way not in WAYS:
            raise InputError(f"expected mark or sheet, got {shown_input(way)}", "piece.way")
        if secondary not in SECONDARIES:
            raise InputError(f"expected pointer or sensor, got {shown_input(secondary)}", "piece.secondary")
        given = parameters.get("targets", [[0.0, 0.0]] if way == "mark" else None)
        if not isinstance(given, Sequence) or isinstance(given, str) or not 1 <= len(given) <= MOST_TARGETS:
            raise InputError(f"expected 1 to {MOST_TARGETS} places [x, y]", "piece.targets")
        return Sheet(str(way), tuple(place(t, f"piece.targets[{i}]") for i, t in enumerate(given)), str(secondary))

    def measurands(self, piece: Sheet) -> tuple[Measurand, ...]:
        """Both directions at each target."""
        found: list[Measurand] = []
        for x, y in zip(piece.names("x"), piece.names("y"), strict=True):
            i = len(found) // 2
            at = Beside(piece.targets[i])
            found += [
                Measurand(name, note("pointer.beside", number=i + 1, axis=a), a, 0.0, at, signed=True)
                for name, a in ((x, "x"), (y, "y"))
            ]
        return tuple(found)

    def page(self, size: tuple[float, float], number: int) -> Page:
        """Marks to load it by, and five targets."""
        return sheet("pointer", size, number, targets=True)

    def solve(self, case: Case) -> Solution:
        """Both components of the offset, from the same readings."""
        sheet = self.piece(case.piece)
        self.check_readings(case, tuple(m.name for m in self.measurands(sheet)), positive=False)
        both = [
            i for i, (x, y) in enumerate(zip(sheet.names("x"), sheet.names("y"), strict=True))
            if case.readings.get(x) and case.readings.get(y)
        ]  # fmt: skip
        quantities = [f"{sheet.secondary}_{a}" for a in AXES]
        if not both:
            return Solution(tuple(no_number(case, q, Verdict.UNRESOLVED, note("nothing_read")) for q in quantities))
        read = {a: [case.measured(sheet.names(a)[i]) for i in both] for a in AXES}
        if not case.confirmed and (asks := self._odd(case, sheet, read)):
            return Solution(tuple(no_number(case, q, Verdict.IMPLAUSIBLE, asks) for q in quantities))
        fit = fitted([sheet.targets[i] for i in both], read)
        shared = covariance(fit.e["x"], fit.e["y"])
        findings = []
        for axis, quantity in zip(AXES, quantities, strict=True):
            partner = quantities[1 - AXES.index(axis)]
            f = judged(case, _outcome(case, quantity, fit.e[axis], _notes(sheet, fit, len(both))))
            findings.append(replace(f, covariance_with={partner: shared}))
        return Solution(tuple(findings), figures=fit.figures if sheet.way == "sheet" else {})

    def _odd(self, case: Case, sheet: Sheet, read: dict[str, list[Measurement]]) -> Note | None:
        labels = {m.name: m.label for m in self.measurands(sheet)}
        return odd_reading(case, [m for a in AXES for m in read[a]], labels)

    def example(self) -> dict[str, Any]:
        """The dot stands 0.4 mm too far to the left, 0.3 mm too far away; the sheet lies a little turned."""
        return {
            "procedure": "pointer",
            "machine": {"values": {"pointer_x": 38.2, "pointer_y": -12.5}, "decimals": 2},
            "piece": {
                "way": "sheet", "secondary": "pointer",
                "targets": [[20, 20], [190, 20], [190, 270], [20, 270], [105, 145]],
            },
            "instrument": {"name": "rule", "kind": "rule", "resolution": 0.1, "permissible_error": [0.05, 0]},
            "tolerance": 0.2,
            "subject": {"accessory": "felt-pen"},
            "readings": [
                {"measurand": f"t{i}_{a}", "values": [v]}
                for i, (x, y) in enumerate([(-0.5, 0.2), (-0.4, 0.4), (-0.3, 0.4), (-0.4, 0.2), (-0.4, 0.3)], 1)
                for a, v in (("x", x), ("y", y))
            ],
        }  # fmt: skip

    def usual_piece(self) -> dict[str, object]:
        """One mark."""
        return {"way": "mark"}

    def usual_instrument(self) -> Instrument:
        """A rule with a loupe."""
        return Instrument("rule", 0.1, (0.05, 0.0), kind="steel rule")


PROCEDURE = Pointer()


@dataclass(frozen=True, slots=True)
class Fit:
    """e: by axis, at the targets' mean place. turn: rad; stretch: (along x, y), mm/mm; None where too few tell."""

    e: dict[str, Uncertain]
    turn: float | None
    stretch: tuple[float, float] | None
    figures: dict[str, Any]


def fitted(targets: Sequence[tuple[float, float]], read: dict[str, list[Measurement]]) -> Fit:
    """Offset, turn and stretches by least squares.

    How far single targets differ beyond what their reading explains is learnt from the residuals; where nothing can be
    learnt, a drawn cross and an aimed dot are assumed to lie within `DRAWN`.
    """
    places = np.asarray(targets, float)
    values = np.asarray([[m.value for m in read[a]] for a in AXES]).T
    own = places - places.mean(axis=0)
    n = len(places)
    tells = n >= TO_FIT and bool(np.linalg.svd(own, compute_uv=False)[-1] > 1e-6 * np.abs(own).max())
    columns = np.zeros((2 * n, 5 if tells else 2))
    columns[0::2, 0] = columns[1::2, 1] = 1.0
    if tells:
        columns[0::2, 2], columns[1::2, 2] = -own[:, 1], own[:, 0]
        columns[0::2, 3], columns[1::2, 4] = own[:, 0], own[:, 1]
    solved = np.linalg.lstsq(columns, values.reshape(-1), rcond=None)[0]
    residuals = (values.reshape(-1) - columns @ solved).reshape(-1, 2)
    dof = 2 * n - columns.shape[1]
    e = {axis: Uncertain(float(solved[k]), _effects(read, residuals, dof, n, axis)) for k, axis in enumerate(AXES)}
    figures: dict[str, Any] = {
        "turn_mm_per_m": 1000 * float(solved[2]) if tells else None,
        "stretch_mm_per_m": [1000 * float(v) for v in solved[3:5]] if tells else None,
        "residuals": [[float(v) for v in row] for row in residuals],
    }
    turn, stretch = (float(solved[2]), (float(solved[3]), float(solved[4]))) if tells else (None, None)
    return Fit(e, turn, stretch, figures)


def _effects(
    read: dict[str, list[Measurement]], residuals: Any, dof: int, n: int, axis: str
) -> tuple[tuple[Source, float], ...]:  # fmt: skip
    """Of the mean of n targets. Where enough of them differ, by how much they do is what a single one is worth, however
    it was drawn and read; else what is known of the reading counts, and a drawn cross is assumed.
    """
    mean = combination([(1 / n, m.mean) for m in read[axis]]).effects
    if dof < LEARNT_FROM:
        return (*mean, (Source(f"drawn {axis}", DRAWN / math.sqrt(n), Cause.ASSUMED), 1.0))
    division = max(_division(m) for a in AXES for m in read[a])
    s = max(math.sqrt(float((residuals**2).sum()) / dof), division)
    learnt = Source(
        f"targets {axis}", s / math.sqrt(n), Cause.SCATTER, float(dof), estimate="targets", shared_dof=float(dof)
    )  # fmt: skip
    shared = tuple((source, c) for source, c in mean if source.cause not in (Cause.REPEATS, Cause.DIVISION))
    spread = float(np.std([m.value for m in read[axis]]))
    if spread < DITHERS * division * math.sqrt(12):  # all are rounded alike: that doesn't average out
        shared = (*shared, (Source(f"rounding {axis}", division, Cause.DIVISION, shape=Shape.RECTANGLE), 1.0))
    return (*shared, (learnt, 1.0))


def _division(m: Measurement) -> float:
    return math.sqrt(math.fsum((s.u * c) ** 2 for s, c in m.mean.effects if s.cause is Cause.DIVISION))


def _outcome(case: Case, quantity: str, e: Uncertain, notes: tuple[Note, ...]) -> Outcome:
    """o_true = o_set − e, in the controller's own sign and unit; the error is set − true."""
    sign = case.factor(quantity) * (1.0 if case.offset_form == "secondary_minus_tool" else -1.0)
    held = case.amount(quantity)
    new = held.base - sign * e.value
    step = case.in_its_unit(abs(e.value))
    text = f"{case.in_its_unit(held.base)} {'−' if sign * e.value >= 0 else '+'} {step}"
    return replace(amount_outcome(case, quantity, new, e, arithmetic(text)), notes=notes)


def _notes(sheet: Sheet, fit: Fit, targets: int) -> tuple[Note, ...]:
    notes = []
    if targets == 1:
        notes.append(note("pointer.one_mark"))
    elif fit.turn is None:
        notes.append(note("pointer.few_targets"))
    elif max(abs(fit.turn), *map(abs, fit.stretch or (0.0,))) * 1000 > LARGE_TURN:
        notes.append(note("pointer.grows", turn=fit.turn * 1000, stretch=[s * 1000 for s in fit.stretch or ()]))
    notes.append(note("pointer.moves", secondary=sheet.secondary, x=-fit.e["x"].value, y=-fit.e["y"].value))
    return tuple(notes)
