"""Kerf from one shape cut several times, each with more room: sizes read, or the one that fits picked (§8)."""

from __future__ import annotations

import math
from collections.abc import Mapping

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.pieces.rungs import KerfLadder
from keen_compass.pieces.where import Faces, Fits
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.kerfs import KerfFit, held_kerf, kerf_finding, mm_of_one, room_held
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import ask, assumed_notes, held_notes, no_number, scatter_notes
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Choice, Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Rungs, Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import note
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Observation
from keen_compass.solve.kerf import KERF, Size, determined, row, wanted
from keen_compass.solve.travel import lost_motion_of, scale_of

SIDES = ("outside", "inside")
RUNGS, WIDE_STEP, FINE_STEP, FINE_BELOW = 7, 0.1, 0.03, 1.0  # mm: steps between rungs, fine for narrow cuts
SIZES = {"outside": 40.0, "inside": 20.0}  # mm
_PARAMETERS = {"nominal", "side", "compensations", "compensation", "thickness", "thermal", "made_by", "read"}


class KerfLadderProcedure(Procedure[KerfLadder]):
    """Rungs composed for wider and wider kerfs: which one fits."""

    name = "kerf-ladder"
    surface = Surface.ROW
    judged_by = ("read",)
    tried = ("rungs",)
    read_by = ReadBy(names=("rung_1 … rung_n", "pick"), picks=("pick",), suits=("caliper", "micrometer"), passes=1)
    on_stock = OnStock(usual_on=MachineKind.PLASMA, thermal=True, numbered=False)
    sizes = Sizes(sides=(), large=())

    def choices(self, machine: Machine) -> tuple[Choice, ...]:
        """Outsides or insides; sizes or a pick; how many."""
        counts = tuple((note("kerf_ladder.rungs", count=n), n) for n in (RUNGS, 5, 9, 11))
        return (
            Choice("read", "kerf_ladder.read", (("kerf_ladder.sizes", "sizes"), ("kerf_ladder.pick_one", "pick"))),
            Choice("side", "kerf_ladder.side", tuple((f"kerf_ladder.{s}", s) for s in SIDES)),
            Choice("rungs", "kerf_ladder.count", counts),
        )

    def parameters(self, around: Surroundings) -> Parameters:
        """Steps about what is in force now."""
        side, n, room = str(around.chosen.get("side", "outside")), around.chosen.get("rungs", RUNGS), around.kerf
        count = n if isinstance(n, int) else RUNGS
        step = WIDE_STEP if room >= FINE_BELOW else FINE_STEP
        lowest = max(round(room - step * (count // 2), 3), 0.0)
        stock = around.machine.stock
        return {
            "nominal": max(SIZES[side], math.ceil(2.5 * room) if side == "inside" else 0.0),
            "side": side,
            "compensations": [round(lowest + step * i, 3) for i in range(count)],
            "compensation": room,
            "thickness": stock.thickness if stock else 0.0,
            "read": around.chosen.get("read", "sizes"),
            "thermal": around.machine.kind.thermal,
        }

    def again(self, before: Parameters, around: Surroundings) -> Parameters:
        """The same ladder; about what is in force now where another number of rungs was chosen since."""
        now, rungs = self.parameters(around)["compensations"], before.get("compensations")
        alike = isinstance(now, list) and isinstance(rungs, list) and len(now) == len(rungs)
        return dict(before) if alike else {**before, "compensations": now}

    def piece(self, parameters: Parameters) -> KerfLadder:
        """From `nominal`, `side` (outside, inside) and `compensations` (full widths, rising)."""
        check_parameters(parameters, _PARAMETERS)
        given = parameters.get("compensations", [])
        if not isinstance(given, list):
            raise InputError(tr("expected a list of widths"), "piece.compensations")
        rooms = tuple(length_mm(v, f"piece.compensations[{i}]") for i, v in enumerate(given))
        side, thermal = parameters.get("side", "outside"), parameters.get("thermal", False)
        if parameters.get("read", "sizes") not in ("sizes", "pick"):
            raise InputError(tr("expected sizes or pick"), "piece.read")
        middle = rooms[len(rooms) // 2] if rooms else 0.0
        try:
            return KerfLadder(
                length_mm(parameters.get("nominal", 40.0), "piece.nominal"),
                side if isinstance(side, str) else "",
                rooms,
                length_mm(parameters.get("compensation", middle), "piece.compensation"),
                thermal is True,
            )
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: KerfLadder) -> tuple[Measurand, ...]:
        """Every rung's size, and which of them fits."""
        rungs = tuple(
            Measurand(
                name,
                note("kerf_ladder.rung", number=i + 1, room=piece.compensations[i]),
                "x",
                piece.size,
                Faces(piece.line(i), "inside" if piece.inside else "part"),
                piece.line(i),
                hint=f"kerf_ladder.how_{piece.side}",
            )
            for i, name in enumerate(piece.names)
        )
        faces = [m.where for m in rungs if isinstance(m.where, Faces)]
        which = Measurand(
            "pick",
            "kerf_ladder.pick",
            "x",
            0.0,
            Fits(tuple(faces), piece.size),
            hint="kerf_ladder.how_pick",
            options=len(rungs),
            unit="",
        )
        return (*rungs, which)

    def asks(self, measurand: Measurand, chosen: Parameters) -> bool:
        """Sizes, or the pick alone."""
        return (measurand.name == "pick") is (chosen.get("read", "sizes") == "pick")

    def answer(self, case: Case) -> Solution:
        """The compensation that brings such sizes right."""
        piece = self.piece(case.piece)
        check_readings(case, (*piece.names, "pick"), positive=True)
        read = {m: case.measured(m, nominal=piece.size, drawn=False) for m in piece.names if m in case.readings}
        picked = case.picked("pick", len(piece.names))
        if not read and not picked:
            return Solution((no_number(case, "kerf", Verdict.UNRESOLVED, note("nothing_read")),))
        model = KerfFit(case, [*_rows(piece, read), *_pick_rows(case, piece, picked)])
        right = wanted([Size("rung", "x", piece.size, piece.inside)], piece.side)
        labels = {m.name: m.label for m in self.measurands(piece) if m.name in case.readings}
        held = held_kerf(case)
        if doubt := model.doubt(labels, right, held.value * mm_of_one(case) if held and read else 0.0):
            return Solution((ask(case, "kerf", doubt),))
        if not determined(model.fit, right):
            return Solution((no_number(case, "kerf", Verdict.UNRESOLVED, note("kerf_square.cannot_tell_apart")),))
        value = model.fit.of(right)
        beyond = any(at in (1, len(piece.names)) for at in picked) and not read
        notes = ((note("kerf_ladder.beyond"),) if beyond else ()) + model.assumed_that_matters(value)
        finding = kerf_finding(case, self, value, piece.compensation, notes)
        said = (
            *assumed_notes(case),
            *scatter_notes(case),
            *model.learnt,
            *held_notes(case, [n for n in model.leant_on if not case.known[n].assumed]),
        )
        return Solution((finding,), (), said, _figures(piece, read, picked, value.value))

    def plans(self, case: Case) -> list[Parameters]:
        """About the room that is held."""
        room = room_held(case)
        step = WIDE_STEP if room >= FINE_BELOW else FINE_STEP
        lowest = max(room - step * (RUNGS // 2), 0.0)
        return [{"nominal": 40.0, "side": "outside", "compensations": [lowest + step * i for i in range(RUNGS)]}]

    def rows(self, case: Case) -> list[Observation]:
        """Every rung, and the pick."""
        piece = self.piece(case.piece)
        check_readings(case, (*piece.names, "pick"), positive=True)
        read = {m: case.measured(m, nominal=piece.size, drawn=False) for m in piece.names if m in case.readings}
        return [*_rows(piece, read), *_pick_rows(case, piece, case.picked("pick", len(piece.names)))]

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U of the kerf, mm."""
        piece = self.piece(case.piece)
        if case.piece.get("read") == "pick":
            model = KerfFit(case, _pick_rows(case, piece, [(len(piece.names) + 1) / 2]))
        else:
            foreseen = {
                m: case.foreseen(m, piece.size, readings_each, nominal=piece.size, drawn=False) for m in piece.names
            }
            model = KerfFit(case, _rows(piece, foreseen))
        right = wanted([Size("rung", "x", piece.size, piece.inside)], piece.side)
        return {"kerf": model.fit.of(right).U} if determined(model.fit, right) else {}

    def chart(self, figures: Figures) -> Rungs | None:
        """How far each rung is off, and where between them it comes right."""
        if "rungs" not in figures:
            return None
        return Rungs(tuple(figures["compensations"]), tuple(figures["rungs"]), figures.get("pick"), figures["right"])

    def shown(self, figures: Figures) -> Shown:
        """Nothing besides: the row says it."""
        return Shown()

    def example(self) -> JsonObject:
        """Seven slots of 20 mm; the fourth still binds a little, the fifth is easy."""
        return {
            "procedure": "kerf-ladder",
            "machine": {"kind": "laser", "decimals": 3, "values": {"kerf": 0.2}},
            "piece": {"nominal": 20, "side": "inside", "compensations": [0.11, 0.14, 0.17, 0.2, 0.23, 0.26, 0.29]},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": 0.05,
            "readings": [{"measurand": "pick", "values": [5.5]}],
        }

    def usual_piece(self) -> Parameters:
        """Outsides of 40 mm about 6 mm."""
        return {
            "nominal": 40.0,
            "side": "outside",
            "compensation": 6.0,
            "compensations": [round(5.7 + 0.1 * i, 3) for i in range(7)],
        }

    def unless_said(self, given: Parameters) -> Parameters:
        """Seven rungs of 40 mm, for kerfs from 1.2 mm up."""
        return {"nominal": 40.0, "compensations": [round(1.2 + 0.1 * i, 3) for i in range(7)]}


def _rows(piece: KerfLadder, read: Mapping[str, Measurement]) -> list[Observation]:
    """Each rung with the room that it was given."""
    return [
        row(Size(m, "x", piece.size, piece.inside), read[m], piece.compensations[i])
        for i, m in enumerate(piece.names)
        if m in read
    ]


def _pick_rows(case: Case, piece: KerfLadder, picked: list[float]) -> list[Observation]:
    """What fits is nominal: outside c = K + B − n·s, inside c = K − B + n·s, to within half a step.

    Between two it is half of that; of the first or the last nobody knows how far beyond it lies: a whole step.
    """
    if not picked:
        return []
    at, n = sum(picked) / len(picked), len(piece.compensations)
    low = min(int(at) - 1, n - 2)
    c, share = piece.compensations, at - 1 - low
    value, step = c[low] + share * (c[low + 1] - c[low]), c[low + 1] - c[low]
    half = step if at in (1, n) else step / 2 if at == int(at) else step / 4
    way = 1.0 if piece.inside else -1.0
    scatter = case.scatter(drawn=False)
    effects = (
        (Source(Origin("pick"), half / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE), 1.0),
        (
            Source(
                Origin("pieces", "pick"),
                scatter.s,
                Cause.PIECES,
                scatter.dof,
                assumed="piece_scatter" if scatter.assumed else "",
            ),
            1.0,
        ),
    )
    return [
        Observation("pick", {KERF: 1.0, lost_motion_of("x"): -way, scale_of("x"): way * piece.size}, value, effects)
    ]


def _figures(piece: KerfLadder, read: Mapping[str, Measurement], picked: list[float], right: float) -> JsonObject:
    off = [read[m].value - piece.size if m in read else None for m in piece.names]
    pick = sum(picked) / len(picked) if picked else None
    return {"rungs": off, "compensations": list(piece.compensations), "pick": pick, "right": right}


PROCEDURE = KerfLadderProcedure()
