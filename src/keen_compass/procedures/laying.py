"""A cut file onto a print that lies on the machine: the map from the file's marks to where they were aimed at, and what
the machine's own errors add to it (arithmetic.md §9).

Marks that were aimed at are commanded places: the machine's errors A are in them already. So the file is fitted to
A·seen, where things really are, and sent through A⁻¹; without marks it is sent through A⁻¹ alone.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.forms import usual_machine
from keen_compass.procedures.case import Case
from keen_compass.procedures.registration import PROCEDURE as REGISTRATION
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.notes import Note
from keen_compass.quantities.readings import Spot
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.warp import Rows, Warp, erring, undone

ERRORS = ("x_scale", "y_scale", "skew")
MOST_ERROR = 500.0  # mm per m
TOLERANCE = 0.3  # mm


@dataclass(frozen=True, slots=True)
class Laid:
    """Where the file goes. warp: from its places to those that are commanded. model: of marks, or what it follows from.

    residuals: mark → [dx, dy], mm, where things really are. verdict: of the fit; None where there was none. notes: what
    is to be said about it.
    """

    warp: Warp
    model: str
    residuals: Mapping[str, Sequence[float]]
    verdict: Verdict | None
    notes: tuple[Note, ...] = ()

    def to_json(self) -> JsonObject:
        """The command line's answer about the map."""
        import numpy as np  # late: it is heavy

        from keen_compass.solve.registration_split import split_of

        scaled = [v / self.warp.rows[2][2] for row in self.warp.rows for v in row]
        split = split_of(np.array(scaled[:8]))
        return {
            "model": self.model,
            "matrix": [scaled[i : i + 3] for i in (0, 3, 6)],
            "shift": list(split.shift),
            "turn_deg": math.degrees(split.turn),
            "skew_mm_per_m": 1000 * split.skew,
            "scale": list(split.scale),
            "mirrored": self.warp.mirrored,
            "residuals": {name: list(off) for name, off in self.residuals.items()},
            "verdict": None if self.verdict is None else str(self.verdict),
        }


def lay(
    marks: Sequence[Point],
    seen: Sequence[Point],
    model: str = "auto",
    errors: Mapping[str, float] | None = None,
    tolerance: float = TOLERANCE,
) -> Laid:
    """marks: in the file; seen: where the machine was when it was aimed at them; mm. errors: of the machine, mm per m.

    Raises InputError for marks that don't give that map.
    """
    errs = _erring(errors or {})
    if not marks and not seen:
        if not errors:
            raise InputError(tr("give marks and where they were seen, or the machine’s errors"), "--marks")
        return Laid(undone(errs), "errors", {}, None)
    if len(marks) != len(seen):
        raise InputError(
            tr("expected as many as there are marks, {n}, got {given}", n=len(marks), given=len(seen)), "--seen"
        )
    really = [errs.at(p) for p in seen]
    case = Case(
        "registration",
        usual_machine(MachineKind.PRINT_AND_CUT),
        piece={"marks": [list(m) for m in marks], "model": model},
        readings={f"mark_{i + 1}": (Spot(x, y, ""),) for i, (x, y) in enumerate(really)},
        tolerance={"registration": tolerance},
        confirmed=True,
    )
    try:
        solution = REGISTRATION.solve(case)
    except InputError as error:
        raise InputError(error.message, "--marks") from None
    figures, (finding,) = solution.figures, solution.findings
    fitted = Warp(_rows(figures["matrix"]))
    warp = undone(errs).after(fitted) if errors else fitted
    return Laid(warp, figures["model"], figures["residuals"], finding.verdict, finding.notes)


def _rows(matrix: Sequence[Sequence[float]]) -> Rows:
    (a, b, c), (d, e, f), (g, h, i) = matrix
    return (a, b, c), (d, e, f), (g, h, i)


def _erring(errors: Mapping[str, float]) -> Warp:
    for name, value in errors.items():
        if name not in ERRORS:
            raise InputError(
                tr("{name} is not known here; expected some of {errors}", name=name, errors=", ".join(ERRORS)),
                "--errors",
            )
        if not abs(value) <= MOST_ERROR:
            raise InputError(
                tr("{name}: at most {most_error:g} mm per m", name=name, most_error=MOST_ERROR), "--errors"
            )
    return erring(*(errors.get(name, 0.0) / 1000 for name in ERRORS))
