"""Kerf from a comb of strips: what they leave free in their window is one cut more than there are strips (§8)."""

from __future__ import annotations

import math
from dataclasses import replace

from keen_compass.errors import InputError, PieceError
from keen_compass.language import tr
from keen_compass.pieces.rungs import KerfComb
from keen_compass.pieces.where import Slack
from keen_compass.procedures.base import Procedure
from keen_compass.procedures.case import Case, length_mm
from keen_compass.procedures.checking import check_parameters, check_readings
from keen_compass.procedures.kerfs import held_kerf, kerf_finding, mm_of_one, other_kerf, room_held
from keen_compass.procedures.manner import OnStock, ReadBy, Sizes
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.results import ask, assumed_notes, no_number, scatter_notes
from keen_compass.procedures.stages import Surface
from keen_compass.procedures.surroundings import Surroundings
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.charts import Shown
from keen_compass.quantities.findings import Figures, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.notes import note
from keen_compass.quantities.uncertainty import Uncertain
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.joint import Fit, Observation, fit
from keen_compass.solve.kerf import KERF
from keen_compass.solve.plausibility import Doubt
from keen_compass.solve.travel import lost_motion_of

STRIPS, STRIP = 10, 10.0  # how many are proposed, how wide (mm)
MOST_SHARE = 0.6  # of the window, that slack can take
OUTSIDES = {KERF: 1.0, lost_motion_of("x"): 0.5, lost_motion_of("y"): 0.5}  # the compensation that they need
_PARAMETERS = {"strips", "window", "thickness", "compensation", "made_by"}


class KerfCombProcedure(Procedure[KerfComb]):
    """Strips cut side by side and pushed together: the room that is left."""

    name = "kerf-comb"
    surface = Surface.CALLOUTS
    read_by = ReadBy(names=("slack",), suits=("caliper", "micrometer"))
    on_stock = OnStock(usual_on=MachineKind.PLASMA)
    sizes = Sizes(sides=(), large=("window",))

    def parameters(self, around: Surroundings) -> Parameters:
        """Ten strips, wide enough to be held."""
        wide = max(STRIP, round(3 * around.kerf))
        stock = around.machine.stock
        return {
            "strips": STRIPS,
            "window": STRIPS * wide,
            "thickness": stock.thickness if stock else 0.0,
            "compensation": around.kerf,
        }

    def piece(self, parameters: Parameters) -> KerfComb:
        """From `strips`, `window` (mm), `thickness`."""
        check_parameters(parameters, _PARAMETERS)
        strips = parameters.get("strips", STRIPS)
        if isinstance(strips, bool) or not isinstance(strips, (int, float)) or strips % 1:
            raise InputError(tr("expected a whole number"), "piece.strips")
        try:
            return KerfComb(
                int(strips),
                length_mm(parameters.get("window", STRIPS * STRIP), "piece.window"),
                length_mm(parameters.get("thickness", 0.0), "piece.thickness"),
            )
        except PieceError as error:
            raise error.at("piece") from None

    def measurands(self, piece: KerfComb) -> tuple[Measurand, ...]:
        """The room that the strips leave free."""
        line = piece.middle()
        return (Measurand("slack", "kerf_comb.slack", "x", 0.0, Slack(line), line, (0, 1), "kerf_comb.how"),)

    def answer(self, case: Case) -> Solution:
        """The cut by itself: it holds neither scale nor play, for all cuts are met from the same side."""
        piece = self.piece(case.piece)
        check_readings(case, ("slack",), positive=True)
        if "slack" not in case.readings:
            return Solution((no_number(case, "kerf", Verdict.UNRESOLVED, note("nothing_read")),))
        model, compensation = _model(case, piece), length_mm(case.piece.get("compensation", 0.0), "piece.compensation")
        slot = model.estimates[KERF]
        held = held_kerf(case)
        meant = held.value * mm_of_one(case) if held else compensation
        if not case.confirmed and (doubt := _odd(piece, slot, meant)):
            return Solution((ask(case, "kerf", doubt),))
        kerf = kerf_finding(case, self, model.of(OUTSIDES), compensation, (note("kerf_comb.with_play"),))
        # The slot is what the cutter leaves whatever the axes do; it is in no controller.
        shown = kerf_finding(case, self, slot, compensation, (note("kerf_comb.by_itself"),), "slot")
        said = (*assumed_notes(case), *scatter_notes(case))
        return Solution((kerf, replace(shown, worth_correcting=False)), (), said, _figures(slot))

    def yields_for(self, parameters: Parameters) -> tuple[str, ...]:
        """The compensation alone is kept."""
        return ("kerf",)

    def plans(self, case: Case) -> list[Parameters]:
        """One comb of ten strips, as wide as the room held for the kerf allows."""
        return [{"strips": STRIPS, "window": STRIPS * max(STRIP, 3 * room_held(case))}]

    def rows(self, case: Case) -> list[Observation]:
        """slack = (strips + 1)·K."""
        piece = self.piece(case.piece)
        return [_row(piece, _many_cuts(case, piece).measured("slack", nominal=0.0, drawn=False))]

    def predict(self, case: Case, readings_each: int) -> dict[str, float]:
        """U in mm: a single length's, shared among all cuts."""
        piece = self.piece(case.piece)
        slack = _many_cuts(case, piece).foreseen("slack", piece.window / 4, readings_each, nominal=0.0, drawn=False)
        model = _with_play(case, _row(piece, slack))
        return {"kerf": model.of(OUTSIDES).U, "slot": model.estimates[KERF].U}

    def shown(self, figures: Figures) -> Shown:
        """The slot by itself."""
        if "kerf" not in figures:
            return Shown()
        return Shown((("kerf_square.itself", note("kerf_square.length", mm=figures["kerf"])),))

    def example(self) -> JsonObject:
        """Ten strips in a window of 100 mm; pushed together they leave 2.31 mm."""
        return {
            "procedure": "kerf-comb",
            "machine": {"kind": "laser", "decimals": 3, "values": {"kerf": 0.2}},
            "piece": {"strips": 10, "window": 100, "thickness": 4},
            "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
            "tolerance": 0.05,
            "readings": [{"measurand": "slack", "values": [2.31, 2.3, 2.31]}],
        }

    def usual_piece(self) -> Parameters:
        """Ten strips of 24 mm for a 6 mm cutter."""
        return {"strips": 10, "window": 240.0, "thickness": 9.0}

    def unless_said(self, given: Parameters) -> Parameters:
        """Ten strips."""
        return {"strips": STRIPS, "window": STRIPS * STRIP}


def _row(piece: KerfComb, slack: Measurement) -> Observation:
    """slack = (strips + 1)·K: it holds neither scale nor play, for all cuts are met from the same side."""
    return Observation("slack", {KERF: float(piece.strips + 1)}, slack.value, slack.mean.effects)


def _with_play(case: Case, row: Observation) -> Fit:
    """The slot, and the play that an outside holds besides: known, or taken for granted."""
    play = [case.lost_motion(axis).row(lost_motion_of(axis)) for axis in ("x", "y")]
    return fit([row, *play])


def _model(case: Case, piece: KerfComb) -> Fit:
    return _with_play(case, _row(piece, _many_cuts(case, piece).measured("slack", nominal=0.0, drawn=False)))


def _odd(piece: KerfComb, slot: Uncertain, compensation: float) -> Doubt | None:
    """More slack than strips leave, or a cut that no such tool makes."""
    slack = slot.value * (piece.strips + 1)
    if slack > MOST_SHARE * piece.window:
        return Doubt(("slack",), note("kerf_comb.too_much", slack=slack, window=piece.window))
    return other_kerf(("slack",), slot, compensation)


def _many_cuts(case: Case, piece: KerfComb) -> Case:
    """Each cut varies by itself, as a size does from piece to piece, and all of them are in the free room."""
    one = case.scatter(drawn=False)
    return replace(case, piece_scatter=replace(one, s=one.s * math.sqrt(piece.strips + 1)))


def _figures(kerf: Uncertain) -> dict[str, float]:
    """The kerf itself: later pieces lean on it."""
    return {"kerf": kerf.value, "kerf_expanded_uncertainty": kerf.U}


PROCEDURE = KerfCombProcedure()
