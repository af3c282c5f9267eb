"""Cut against print (arithmetic.md §10): cut ticks at a known spacing over a printed page, both distances measured.

The cutter's number is corrected by the cut distances alone; the page's own check bars say what the printer made of a
length, which is never booked to the cutter.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from keen_compass.errors import InputError
from keen_compass.pieces.where import Lines
from keen_compass.procedures.base import Makes, Measurand, Procedure, Surface
from keen_compass.procedures.case import Case, Parameters, length_mm
from keen_compass.procedures.results import judged, no_number, odd_reading, scale_formula, scale_outcome
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.plausibility import looks_scaled

AXES = ("x", "y")
PRINT_OFF = 0.002  # mm/mm; more than that is said of the printer
LONGEST = 10_000.0  # mm


@dataclass(frozen=True, slots=True)
class Ticks:
    """Distances as ordered, mm: of the cut ticks along X and Y, of the printed check bars."""

    x: float
    y: float
    bar: float

    def nominal(self, measurand: str) -> float:
        """As ordered."""
        return self.bar if measurand.startswith("bar") else self.x if measurand == "x" else self.y


class PrintScale(Procedure[Ticks]):
    """See the module."""

    name = "print-scale"
    surface = Surface.CALLOUTS
    makes = Makes.NOTHING
    measurand_names = ("x", "y", "bar_x", "bar_y")
    numbered = False

    @property
    def yields(self) -> tuple[str, ...]:
        """A number for each axis."""
        return tuple(f"print_scale_{axis}" for axis in AXES)

    def piece(self, parameters: Parameters) -> Ticks:
        """From `x`, `y` and `bar`."""
        self.check_parameters(parameters, {"x", "y", "bar"})
        lengths = {name: length_mm(parameters.get(name, d), f"piece.{name}")
                   for name, d in (("x", 150.0), ("y", 200.0), ("bar", 100.0))}  # fmt: skip
        for name, mm in lengths.items():
            if not 0 < mm <= LONGEST:
                raise InputError(f"larger than 0 and at most {LONGEST:g} mm", f"piece.{name}")
        return Ticks(**lengths)

    def measurands(self, piece: Ticks) -> tuple[Measurand, ...]:
        """Cut and printed distances."""
        return tuple(
            Measurand(m, note(f"print_scale.{m}"), m[-1], piece.nominal(m), Lines(m[-1], 0, 1))
            for m in self.measurand_names
        )

    def solve(self, case: Case) -> Solution:
        """The cutter's scale over the print, axis by axis; the printer's own beside it."""
        ticks = self.piece(case.piece)
        self.check_readings(case, self.measurand_names, positive=True)
        found = tuple(self._axis(case, ticks, axis) for axis in AXES)
        return Solution(found, figures={"printer_scale": [_printer(case, ticks, axis) for axis in AXES]})

    def _axis(self, case: Case, ticks: Ticks, axis: str) -> Finding:
        quantity, nominal = f"print_scale_{axis}", ticks.nominal(axis)
        if not case.readings.get(axis):
            return no_number(case, quantity, Verdict.UNRESOLVED, note("nothing_read"), nominal)
        measured = case.measured(axis, nominal=nominal, drawn=True)
        if not case.confirmed:
            label = note(f"print_scale.{axis}")
            doubt = looks_scaled(axis, nominal, [v.mm for v in case.lengths(axis)], 0.0)
            asks = doubt.asks.of(label) if doubt else odd_reading(case, [measured], {axis: label})
            if asks:
                return no_number(case, quantity, Verdict.IMPLAUSIBLE, asks, nominal)
        s = measured.mean.times(1 / nominal)
        s = type(s)(s.value - 1, s.effects)
        formula = scale_formula(case, quantity, case.ordered(nominal), case.in_its_unit(measured.value))
        outcome = scale_outcome(case, quantity, s, nominal, formula, self._said(case, ticks, axis))
        return judged(case, outcome)

    def _said(self, case: Case, ticks: Ticks, axis: str) -> tuple[Note, ...]:
        scale = _printer(case, ticks, axis)
        if scale is None:
            return (note("print_scale.no_bar", axis=axis),)
        if abs(scale - 1) > PRINT_OFF:
            return (note("print_scale.printers_own", axis=axis, percent=100 * (scale - 1)),)
        return ()

    def example(self) -> dict[str, Any]:
        """Ticks cut 0.3 % too far apart along X; a printer that is 1 % short both ways."""
        return {
            "procedure": "print-scale",
            "machine": {
                "values": {"print_scale_x": 100.0, "print_scale_y": 100.0}, "print_scale_form": "percent_100",
                "decimals": 2,
            },
            "piece": {"x": 150, "y": 200, "bar": 100},
            "instrument": {"resolution": 0.1, "permissible_error": [0.05, 0.00005], "kind": "rule"},
            "tolerance": 0.2,
            "subject": {"printer": "office", "carrier": "mat-12"},
            "readings": [
                {"measurand": "x", "values": [150.5, 150.4]}, {"measurand": "y", "values": [200.1, 200.0]},
                {"measurand": "bar_x", "values": [99.0]}, {"measurand": "bar_y", "values": [99.0]},
            ],
        }  # fmt: skip

    def usual_piece(self) -> dict[str, object]:
        """Over most of a page."""
        return {"x": 150.0, "y": 200.0, "bar": 100.0}


PROCEDURE = PrintScale()


def _printer(case: Case, ticks: Ticks, axis: str) -> float | None:
    """What the printer made of a length, mm/mm; None where its bar was not read."""
    name = f"bar_{axis}"
    return case.measured(name, nominal=ticks.bar).value / ticks.bar if case.readings.get(name) else None
