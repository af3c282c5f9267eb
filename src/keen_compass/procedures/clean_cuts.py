"""Power and feed that cut clean: squares at power against feed, the clean ones marked (§8)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import product
from types import MappingProxyType

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.burns import MOST_CELLS, BurnGrid
from keen_compass.pieces.where import Clean
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm, number
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import Outcome, arithmetic, judged, no_number
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Cells
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.notes import note
from keen_compass.quantities.readings import number_of
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.burn import Window, working

POWERS = (0.7, 0.85, 1.0, 1.15, 1.3)  # of what is set now
FEEDS = (0.6, 0.8, 1.0, 1.25, 1.6)
FINER = 0.4  # of these steps

_PARAMETERS = {"powers", "feeds", "cell", "made_by"}
CELL_NAMES = tuple(f"cell_{r}_{c}" for r, c in product(range(1, MOST_CELLS + 1), repeat=2))


class CleanCuts(Procedure[BurnGrid]):
    """A grid of powers and feeds: which squares come out clean."""

    name = "clean-cuts"
    surface = Surface.CELLS
    read_by = ReadBy(
        names=("cell_1_1 … cell_r_c",), counts=MappingProxyType(dict.fromkeys(CELL_NAMES, "")), passes=1, by_eye=True
    )
    on_stock = OnStock(usual_on=MachineKind.LASER, numbered=False, burns=True)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Wide steps or fine ones."""
        return (Choice("steps", "clean_cuts.steps", (("clean_cuts.wide", "wide"), ("clean_cuts.fine", "fine"))),)

    def parameters(self, around: Surroundings) -> Parameters:
        """About what is set now."""
        share = FINER if around.chosen.get("steps") == "fine" else 1.0
        return {
            "powers": _about(around.machine.power, POWERS, share, 100.0),
            "feeds": _about(around.machine.feed, FEEDS, share),
        }

    def piece(self, parameters: Parameters) -> BurnGrid:
        """From `powers` (%), `feeds` (mm/min), both rising, and `cell` (mm)."""
        check_parameters(parameters, _PARAMETERS)
        given = {}
        for name in ("powers", "feeds"):
            values = parameters.get(name, [])
            if not isinstance(values, list):
                raise InputError(tr("expected a list of numbers"), f"piece.{name}")
            given[name] = tuple(number(v, f"piece.{name}[{i}]") for i, v in enumerate(values))
        try:
            return BurnGrid(given["powers"], given["feeds"], length_mm(parameters.get("cell", 10.0), "piece.cell"))
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: BurnGrid) -> tuple[Measurand, ...]:
        """Every square, row by row from below."""
        return tuple(
            Measurand(
                f"cell_{r + 1}_{c + 1}",
                note("clean_cuts.cell", power=p, feed=f),
                "",
                1.0,
                Clean(piece.order_of(r, c)),
                hint="clean_cuts.how",
                unit="",
            )
            for r, p in enumerate(piece.powers)
            for c, f in enumerate(piece.feeds)
        )

    def answer(self, case: Case) -> Solution:
        """The fastest that is clean with a margin, and how far what is set now lies from it."""
        piece = self.piece(case.piece)
        names = {f"cell_{r + 1}_{c + 1}": (r, c) for r, c in piece.cells}
        check_readings(case, tuple(names), positive=False)
        clean: dict[tuple[int, int], bool] = {}
        for i, (name, read) in enumerate(case.readings.items()):
            if any(number_of(v) not in (0.0, 1.0) for v in read):
                raise InputError(tr("1 is clean, 0 is not"), f"readings[{i}].values")
            clean[names[name]] = sum(map(number_of, read)) * 2 > len(read)
        if not clean:
            return Solution(_neither(case, "nothing_read"))
        found = working(clean, piece.powers, piece.feeds)
        now = _place(piece.powers, case.amount("power").value), _place(piece.feeds, case.amount("cut_feed").value)
        figures: JsonObject = {
            "powers": list(piece.powers),
            "feeds": list(piece.feeds),
            "proposed": None,
            "now": list(now) if None not in now else None,
        }
        sure = None not in now and all(clean.get(cell, False) for cell in _around(now))  # type: ignore[arg-type]
        missing = len(names) - len(clean)
        if found is None:
            return Solution(_neither(case, "clean_cuts.some_left" if missing else "clean_cuts.none"), (), (), figures)
        findings = (
            _finding(case, "power", found.power, found.power.middle, sure=sure),
            _finding(
                case, "cut_feed", found.feed, found.feed.at(_share(found.feed, piece.feeds[found.column])), sure=sure
            ),
        )
        notes = [note("clean_cuts.counts_as_not", count=missing)] if missing else []
        if found.feed.open_high:
            notes.append(note("clean_cuts.faster"))
        if found.power.open_low or found.power.open_high:
            notes.append(note("clean_cuts.edge"))
        figures["proposed"] = [found.row, found.column]
        return Solution(findings, (), tuple(notes), figures)

    def chart(self, figures: Figures) -> Cells | None:
        """What is proposed, and what is set now."""
        if "powers" not in figures:
            return None
        proposed, now = figures["proposed"], figures["now"]
        return Cells(
            tuple(figures["powers"]),
            tuple(figures["feeds"]),
            tuple(proposed) if proposed else None,
            tuple(now) if now else None,
        )

    def plans(self, case: Case) -> list[Parameters]:
        """Nothing of it can be foreseen."""
        return []

    def example(self) -> JsonObject:
        """Five powers by five feeds: clean along a band; what is set now is at its slow edge."""
        rows = ("11100", "01110", "01111", "00111", "00011")  # clean cells by row, from below
        return {
            "procedure": "clean-cuts",
            "machine": {"kind": "laser", "decimals": 0, "values": {"power": 60, "cut_feed": 1000}},
            "piece": {"powers": [45, 55, 65, 75, 85], "feeds": [800, 1100, 1400, 1700, 2000]},
            "readings": [
                {"measurand": f"cell_{r + 1}_{c + 1}", "values": [int(mark)]}
                for r, row in enumerate(rows)
                for c, mark in enumerate(row)
            ],
        }

    def usual_piece(self) -> Parameters:
        """Five by five about 80 % and 2400 mm/min."""
        return {"powers": _about(76.0, POWERS, 1.0, 100.0), "feeds": _about(2400.0, FEEDS, 1.0)}

    def unless_said(self, given: Parameters) -> Parameters:
        """The powers and feeds of the usual piece."""
        return self.usual_piece()


def _about(value: float, shares: Sequence[float], share: float, most: float = 0.0) -> list[float]:
    """Values in these proportions to one, rounded, none beyond `most`, all different and rising."""
    top = value * (1 + (shares[-1] - 1) * share)
    middle = value if not most or top <= most else most / (1 + (shares[-1] - 1) * share)
    digits = 0 if middle >= 20 else 1
    found = [round(middle * (1 + (s - 1) * share), digits if middle < 200 else -1) for s in shares]
    return found if len(set(found)) == len(found) else [middle * (1 + (s - 1) * share) for s in shares]


def _place(values: Sequence[float], value: float) -> float | None:
    """Where among rising values, in fractions of a step; None where it lies beyond half a step outside."""
    if not values[0] - (values[1] - values[0]) / 2 <= value <= values[-1] + (values[-1] - values[-2]) / 2:
        return None
    low = max((i for i, v in enumerate(values[:-1]) if v <= value), default=0)
    return low + (value - values[low]) / (values[low + 1] - values[low])


def _around(now: tuple[float, float]) -> list[tuple[int, int]]:
    """The cells that lie about a place of the grid: one, two or four."""
    rows, columns = ({math.floor(at), math.ceil(at)} for at in now)
    return [(row, column) for row in rows for column in columns]


def _share(window: Window, value: float) -> float:
    return (value - window.low) / (window.high - window.low)


def _neither(case: Case, code: str) -> tuple[Finding, ...]:
    return tuple(no_number(case, q, Verdict.UNRESOLVED, note(code)) for q in ("power", "cut_feed"))


def _finding(case: Case, quantity: str, window: Window, right: Uncertain, *, sure: bool) -> Finding:
    """Judged by what is left until the window's edge on that side; nothing is, unless what is set now is sure to cut
    clean: a power that does at one feed doesn't at another.
    """
    old = case.amount(quantity)
    error = combination(((-1.0, right),), old.base)
    room = 0.0
    if sure:
        room = window.high - right.value if error.value > 0 else right.value - window.low
    new = StoredAmount.of(quantity, right.value, old.unit, 0)
    halfway = quantity == "power"
    text = f"({window.low:g} + {window.high:g}) ÷ 2" if halfway else f"{right.value:g}"
    outcome = Outcome(quantity, old, new, error, max(room, 1e-6), arithmetic(text), error.U, last_digit=1.0)
    finding = judged(case, outcome)
    finer = (note("clean_cuts.finer"),) if finding.verdict is Verdict.CANNOT_TELL else ()
    return replace(finding, notes=(*finer, *finding.notes))


PROCEDURE = CleanCuts()
