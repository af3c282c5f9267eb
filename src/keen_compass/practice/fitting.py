"""A print from elsewhere on the practice machine: laid down anyhow, aimed at, cut by the very file that was fitted."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from keen_compass.formats.fit import Fitted
from keen_compass.machines.profile import Machine
from keen_compass.practice.paper import position_shown
from keen_compass.quantities.bodies import JsonMapping
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.stored import StoredValue
from keen_compass.rounds.fitting import Fitting
from keen_compass.shop.store import Shop
from keen_compass.standin.printed import Sheet
from keen_compass.standin.router import Router
from keen_compass.standin.truth import Truth

LIES = (3.0, 4.0)  # degrees and mm, standard: how far askew a print is laid down
TURNED = (0.0, 90.0, 180.0, 270.0)


@dataclass(frozen=True)
class PracticePrint:
    """How a print lies under the stand-in of a machine. truth: of it, as it is kept. held: numbers in its controller.
    number: of the sheet, from which it follows how it lies.
    """

    machine: Machine
    truth: JsonMapping
    held: Mapping[str, StoredValue]
    number: int

    def next(self) -> PracticePrint:
        """Another print, laid down anew."""
        return replace(self, number=self.number + 1)

    def position(self, fitting: Fitting, mark: int) -> str:
        """What the machine shows with what aims on a mark."""
        hand = random.Random(f"{self.number}/{mark}/aim")
        at = self._under(fitting).shown_over(_on_print(fitting, fitting.marks[mark]), fitting.head, hand)
        return position_shown(at, self.machine.controller_units)

    def cut_off_by(self, fitting: Fitting, fitted: Fitted) -> float:
        """How far the machine cuts anywhere off where the file has it on the print, mm."""
        sheet = self._under(fitting)
        nothing_falls = replace(sheet.truth, thickness=math.inf, pierce=math.inf)  # its lines are what is looked at
        sent, per_mm = _as_sent(fitting, fitted, self.machine.units_per_mm), self.machine.units_per_mm
        made = Router(nothing_falls, self.held, self.number).make(sent, self.number, per_mm)
        wanted = [[_on_print(fitting, p) for p in path] for path in fitting.nominal.drawn.paths]
        return sheet.farthest_off(wanted, made)

    def _under(self, fitting: Fitting) -> Sheet:
        turned = random.Random(f"{self.number}/turned").choice(TURNED)
        known = Truth.from_json(self.truth).with_carrier(self.machine.fitted.get("carrier", "")).over_print(self.held)
        (x0, y0), (x1, y1) = _extent(fitting)
        lies = replace(known, lies=LIES, laid_turned=turned)
        return Sheet(lies, self.held, b"", self.number, (x1 - x0, y1 - y0))


def next_print(shop: Shop, machine: Machine, held: Mapping[str, StoredValue]) -> PracticePrint:
    """The next one on a machine that has a stand-in."""
    number = 1 + sum(kind == "fitted" for _, kind, _ in shop.events(machine.uid))
    return PracticePrint(machine, shop.stand_in(machine.uid) or {}, held, number)


def _on_print(fitting: Fitting, at: Point) -> Point:
    (x0, y0), _ = _extent(fitting)
    return at[0] - x0, at[1] - y0


def _extent(fitting: Fitting) -> tuple[Point, Point]:
    places = [fitting.nominal.drawn.low, fitting.nominal.drawn.high, *fitting.marks]
    (x0, *_, x1), (y0, *_, y1) = sorted(x for x, _ in places), sorted(y for _, y in places)
    return (x0, y0), (x1, y1)


def _as_sent(fitting: Fitting, fitted: Fitted, units_per_mm: float) -> str:
    """As it reaches the controller: a drawing through a program that plots it."""
    if fitting.kind in ("gcode", "hpgl"):
        return fitted.data.decode("ascii", "replace")
    return "IN;SP1;" + "".join(_plotted(path, units_per_mm) for path in fitted.drawn.paths) + "PU;SP0;"


def _plotted(path: Sequence[Point], units_per_mm: float) -> str:
    first, *rest = (f"{round(units_per_mm * x)},{round(units_per_mm * y)}" for x, y in path)
    return f"PU{first};PD{','.join(rest)};" if rest else ""
