"""The height of a lens at which it burns narrowest: a row of lines at rising focus, read or picked (§8)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.burns import FocusRow
from keen_compass.pieces.where import Burnt, Narrowest
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import amount_outcome, arithmetic, assumed_notes, judged, no_number
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Rungs
from keen_compass.quantities.findings import Figures, Finding, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import Note, note, plain
from keen_compass.quantities.uncertainty import Uncertain, combination
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.burn import focus_of, picked_focus
from keen_compass.solve.plausibility import looks_scaled

LINES, STEPS = 9, (0.5, 0.25, 1.0)  # mm from line to line
WIDER = 1.3  # times, that the widest must be for the lines to differ at all
THIN = 0.3  # mm, about what a line is wide
_PARAMETERS = {"heights", "read", "made_by"}


class FocusRowProcedure(Procedure[FocusRow]):
    """Lines burned at rising heights: where they are finest."""

    name = "focus-row"
    surface = Surface.ROW
    judged_by = ("read",)
    tried = ("step", "lines")
    read_by = ReadBy(names=("line_1 … line_n", "pick"), picks=("pick",), suits=("micrometer", "caliper"), passes=1)
    on_stock = OnStock(usual_on=MachineKind.LASER, numbered=False, burns=True)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """By eye or by width; how far apart; how many."""
        steps = tuple((note("size", mm=step), step) for step in STEPS)
        return (
            Choice("read", "focus_row.read", (("focus_row.pick_one", "pick"), ("focus_row.widths", "widths"))),
            Choice("step", "focus_row.step", steps),
            Choice("lines", "focus_row.count", tuple((plain(str(n)), n) for n in (LINES, 13, 17))),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """About where the lens is now."""
        count, step = around.chosen.get("lines", LINES), around.chosen.get("step", STEPS[0])
        n, by = (count if isinstance(count, int) else LINES), (step if isinstance(step, float) else STEPS[0])
        heights = [round(around.machine.focus + by * (i - n // 2), 3) for i in range(n)]
        return {"heights": heights, "read": around.chosen.get("read", "pick")}

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """About where the lens is by now; closer lines or more of them where that was chosen since."""
        return {**before, "heights": self.parameters(around)["heights"]}

    def piece(self, parameters: Parameters) -> FocusRow:
        """A row of lines at the `heights` that are given."""
        check_parameters(parameters, _PARAMETERS)
        if parameters.get("read", "pick") not in ("pick", "widths"):
            raise InputError(tr("expected pick or widths"), "piece.read")
        given = _listed(parameters.get("heights", []))
        try:
            return FocusRow(tuple(length_mm(h, f"piece.heights[{i}]") for i, h in enumerate(given)))
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: FocusRow) -> tuple[Measurand, ...]:
        """How wide each is, and which is narrowest."""
        lines = tuple(
            Measurand(
                name,
                note("focus_row.line", number=i + 1, height=piece.heights[i]),
                "",
                0.0,
                Burnt(piece.order_of(i)),
                piece.line(i),
                hint="focus_row.how_width",
            )
            for i, name in enumerate(piece.names)
        )
        orders = tuple(piece.order_of(i) for i in range(len(lines)))
        which = Measurand(
            "pick", "focus_row.pick", "", 0.0, Narrowest(orders), hint="focus_row.how_pick", options=len(lines), unit=""
        )
        return (*lines, which)

    def asks(self, measurand: Measurand, chosen: Parameters) -> bool:
        """The pick alone, or widths."""
        return (measurand.name == "pick") is (chosen.get("read", "pick") == "pick")

    def answer(self, case: Case) -> Solution:
        """Where the lens should stand."""
        piece = self.piece(case.piece)
        check_readings(case, (*piece.names, "pick"), positive=True)
        read = {
            piece.heights[i]: case.measured(m, nominal=THIN) for i, m in enumerate(piece.names) if m in case.readings
        }
        picked = case.picked("pick", len(piece.names))
        if not read and not picked:
            return Solution((no_number(case, "focus", Verdict.UNRESOLVED, note("nothing_read")),))
        widths = [v.mm for m in piece.names if m in case.readings for v in case.lengths(m)]
        if not case.confirmed and (doubt := looks_scaled("width", THIN, widths, THIN)) and min(widths) > 10 * THIN:
            return Solution((no_number(case, "focus", Verdict.IMPLAUSIBLE, doubt.asks),))
        figures: JsonObject = {
            "heights": list(piece.heights),
            "pick": sum(picked) / len(picked) if picked else None,
            "right": None,
            "widths": [read[h].value if h in read else None for h in piece.heights],
        }
        if picked:
            at = sum(picked) / len(picked)
            beyond = at in (1, len(piece.heights))
            height = picked_focus(piece.heights, at)
        else:
            found = focus_of(read)
            if found is None:
                return Solution((no_number(case, "focus", Verdict.UNRESOLVED, _why_none(read)),), (), (), figures)
            beyond, height = not found.within, found.height
        if beyond:
            return Solution((no_number(case, "focus", Verdict.UNRESOLVED, note("focus_row.beyond")),), (), (), figures)
        finding = _finding(case, height)
        if picked and finding.verdict is Verdict.CANNOT_TELL:
            finding = replace(finding, notes=(note("focus_row.widths_tell"), *finding.notes))
        return Solution((finding,), (), assumed_notes(case) if read else (), {**figures, "right": height.value})

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm, where it is picked: what widths tell depends on how much the lines differ."""
        piece = self.piece(case.piece)
        return {"focus": picked_focus(piece.heights, (len(piece.heights) + 1) / 2).U}

    def chart(self, figures: Figures) -> Rungs | None:
        """Heights, widths, and where it is narrowest."""
        if "heights" not in figures:
            return None
        return Rungs(
            tuple(figures["heights"]), tuple(figures["widths"]), figures["pick"], figures["right"], "focus_row.row"
        )

    def plans(self, case: Case) -> list[Parameters]:
        """About where it is."""
        middle = case.amount("focus").base
        return [{"heights": [middle + STEPS[0] * (i - LINES // 2) for i in range(LINES)]}]

    def example(self) -> JsonObject:
        """Nine lines half a millimetre apart; the sixth is the narrowest."""
        return {
            "procedure": "focus-row",
            "machine": {"kind": "laser", "decimals": 2, "values": {"focus": 8.0}},
            "piece": {"heights": [6.0, 6.5, 7.0, 7.5, 8.0, 8.5, 9.0, 9.5, 10.0]},
            "tolerance": {"focus": 1.0},
            "readings": [{"measurand": "pick", "values": [6]}],
        }

    def usual_piece(self) -> Parameters:
        """Nine lines about 0."""
        return {"heights": [round(-2.0 + 0.5 * i, 2) for i in range(9)]}

    def unless_said(self, given: Parameters) -> Parameters:
        """Nine lines about 0."""
        return self.usual_piece()


def _why_none(read: Mapping[float, Measurement]) -> Note:
    """Why widths by height show no lowest point."""
    narrowest = min(read, key=lambda h: read[h].value)
    apart = max(m.value for m in read.values()) > WIDER * read[narrowest].value
    if len(read) > 2 and apart and narrowest in (min(read), max(read)):
        return note("focus_row.beyond")
    return note("focus_row.flat" if len(read) > 2 else "focus_row.too_few")


def _listed(given: object) -> list[Any]:
    if not isinstance(given, list):
        raise InputError(tr("expected a list of heights"), "piece.heights")
    return given


def _finding(case: Case, height: Uncertain) -> Finding:
    old = case.amount("focus").base
    error = combination(((-1.0, height),), old)
    more = f"{case.in_its_unit(old, 'mm')} + {case.in_its_unit(-error.value, 'mm')}".replace("+ −", "− ")
    formula: Note = arithmetic(more)
    return judged(case, amount_outcome(case, "focus", height.value, error, formula))


PROCEDURE = FocusRowProcedure()
