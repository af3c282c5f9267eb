"""Whole rounds on a stand-in: the file that we write, cut by a machine with hidden faults, read, solved, corrected.

The solver sees the readings and what a technician would know; the truths are only set beside the
values found at the end.
"""

from __future__ import annotations

import json
import math
import random
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from keen_compass.errors import InputError
from keen_compass.formats.gcode import CutSettings, write_gcode
from keen_compass.pieces.placement import GAP, Box
from keen_compass.procedures import load
from keen_compass.procedures.base import Measurand, Procedure
from keen_compass.procedures.case import Case
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import UNITS_MM, Length, format_fraction
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import PieceScatter
from keen_compass.quantities.verdict import Verdict
from keen_compass.standin.router import MadePiece, Router, RouterTruth, random_truth

MOST_ROUNDS = 5
READINGS_EACH = 3
START_OFF = 0.012  # a start this far off is still plausible
BED = Box(0, 0, 1300, 900)
PIECE: Mapping[str, Any] = {"width": 580.0, "height": 540.0, "compensation": 6.0}
TOLERANCE = {"x_steps": 0.4, "y_steps": 0.4}  # mm over 1000 mm
NOMINAL_STEPS = 106.667
RECORD_DOF = {"repeats": 20, "scatter": 12}


@dataclass
class PracticeRound:
    """One round: the file that was cut, what was read, what it said."""

    gcode: str
    readings: dict[str, list[float]]
    solution: Solution
    files: list[str] = field(default_factory=list)


@dataclass
class Practice:
    """A stand-in router and a technician who follows the program."""

    seed: int
    procedure: Procedure
    router: Router
    instrument: Instrument
    scatter: PieceScatter
    rounds: list[PracticeRound] = field(default_factory=list)
    _random: random.Random = field(default_factory=random.Random)

    @classmethod
    def start(cls, procedure: str, seed: int) -> Practice:
        """A machine as it may turn up, all from one seed."""
        rng = random.Random(seed)
        instrument = Instrument("caliper 600 mm", 0.01, (0.02, 0.00002), reach=600.0)
        start = StoredResolution(ResolutionForm.STEPS_PER_MM, NOMINAL_STEPS)
        correct = {axis: NOMINAL_STEPS * (1 + rng.uniform(-START_OFF, START_OFF)) for axis in ("x", "y")}
        truth = random_truth(rng, correct, PIECE["compensation"], instrument)
        repeats = Repeatability(_recorded(truth.repeat, RECORD_DOF["repeats"], rng), RECORD_DOF["repeats"])
        scatter = PieceScatter(_recorded(truth.scatter, RECORD_DOF["scatter"], rng), RECORD_DOF["scatter"], False)
        router = Router(truth, {"x": start, "y": start}, rng.randrange(2**31))
        instrument = replace(instrument, repeats=repeats)
        return cls(seed, load(procedure), router, instrument, scatter, _random=rng)

    def case(self, piece: Mapping[str, Any], readings: Mapping[str, list[float]]) -> Case:
        """What the technician knows, with the settings in force now."""
        return Case(
            procedure=self.procedure.name,
            values={f"{axis}_steps": stored for axis, stored in self.router.settings.items()},
            piece=piece,
            instrument=self.instrument,
            tolerance=TOLERANCE,
            readings={m: tuple(Length(v, f"{v:.2f}", "mm") for v in values) for m, values in readings.items()},
            piece_scatter=self.scatter,
        )

    def cut_and_read(self, piece: Mapping[str, Any], number: int) -> tuple[str, MadePiece, dict[str, list[float]]]:
        """Write the file, have the stand-in cut it, read every dimension."""
        outline = self.procedure.piece(piece)
        gcode = write_gcode(outline.tool_path(number).moved(GAP + 20, GAP + 20), CutSettings(bed=BED))
        made = self.router.make(gcode)
        readings = {
            m.name: made.read(m.line, m.name, READINGS_EACH, self.instrument, self._random)
            for m in self.procedure.measurands(outline)
        }
        return gcode, made, readings

    def round(self, piece: Mapping[str, Any] = PIECE, *, correct: bool = True) -> PracticeRound:
        """Make, measure, solve; and enter the new numbers where they are worth it."""
        gcode, _, readings = self.cut_and_read(piece, len(self.rounds) + 1)
        solution = self.procedure.solve(self.case(piece, readings))
        done = PracticeRound(gcode, readings, solution)
        self.rounds.append(done)
        if correct:
            for finding in solution.findings:
                if finding.verdict is not Verdict.IN and finding.worth_correcting and finding.new is not None:
                    axis = finding.quantity[0]
                    form = self.router.settings[axis].form
                    self.router.settings[axis] = StoredResolution.from_input(form, finding.new)
        return done

    def true_errors(self) -> dict[str, float]:
        """What is really left, in mm per m, with the numbers now in the controller."""
        truth = self.router.truth
        return {f"{a}_steps": truth.scale_error(a, s) * 1000 for a, s in self.router.settings.items()}

    def to_json(self) -> dict[str, Any]:
        """The command line's answer."""
        truth = self.router.truth
        return {
            "seed": self.seed,
            "rounds": [
                {
                    "files": r.files,
                    "readings": [{"measurand": m, "values": v} for m, v in r.readings.items()],
                    "findings": [f.to_json() for f in r.solution.findings],
                }
                for r in self.rounds
            ],
            "truth": {
                **{f"{a}_steps": round(v, 6) for a, v in truth.motion.items()},
                **{f"{a}_lost_motion": v for a, v in truth.lost_motion.items()},
                "kerf": truth.kerf,
            },
            "found": {f"{a}_steps": s.to_json() for a, s in self.router.settings.items()},
        }


def run(procedure: str, seed: int, rounds: int | None, folder: Path | None) -> Practice:
    """Rounds until every finding is in tolerance (at most 5), or exactly `rounds`."""
    if rounds is not None and not 1 <= rounds <= 100:
        raise InputError("expected 1 to 100", "--rounds")
    practice = Practice.start(procedure, seed)
    for i in range(rounds or MOST_ROUNDS):
        done = practice.round()
        if folder:
            file = folder / f"{procedure}-seed-{seed}-round-{i + 1}.nc"
            file.write_text(done.gcode, encoding="ascii")
            done.files.append(str(file))
        if rounds is None and all(f.verdict is Verdict.IN for f in done.solution.findings):
            break
    return practice


def _recorded(true_s: float, dof: int, rng: random.Random) -> float:
    """A spread as a logbook would know it, from dof + 1 earlier readings."""
    return true_s * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(dof)) / dof)


# The practice machine behind a machine of the shop: its truths lie in the shop file, and a piece is
# made again from its file and seed whenever it is measured, so that a restart changes nothing.


def cut_for_shop(
    truth: Mapping[str, Any], settings: Mapping[str, StoredResolution], practice: Mapping[str, Any]
) -> MadePiece:
    """What the stand-in makes of a file, with the controller's settings by quantity.

    practice: file, seed, units_per_mm.
    """
    by_axis = {quantity[0]: stored for quantity, stored in settings.items()}
    router = Router(RouterTruth.from_json(truth), by_axis, practice["seed"])
    return router.make(practice["file"], practice["seed"], practice["units_per_mm"])


def show_on_caliper(
    truth: Mapping[str, Any], piece: Mapping[str, Any], measurand: Measurand, instrument: Instrument, count: int
) -> str:
    """The `count`-th reading of a dimension of a practice piece, as the instrument shows it."""
    practice = piece["practice"]
    settings = {q: StoredResolution.from_kept(v) for q, v in piece["settings"].items()}
    made = _cached_piece(json.dumps([truth, practice, piece["settings"]], sort_keys=True), truth, settings, practice)
    rng = random.Random(f"{practice['seed']}/{measurand.name}/{count}")
    value = made.read(measurand.line, measurand.name, 1, instrument, rng)[0]
    unit = UNITS_MM[instrument.unit]
    if instrument.divided_in_fractions:
        return format_fraction(value / unit, round(unit / instrument.resolution))
    decimals = max(0, -math.floor(math.log10(instrument.resolution / unit) + 1e-9))
    return f"{value / unit:.{decimals}f}"


_made: dict[str, MadePiece] = {}


def _cached_piece(
    key: str, truth: Mapping[str, Any], settings: Mapping[str, StoredResolution], practice: Mapping[str, Any]
) -> MadePiece:
    if key not in _made:
        _made.clear()
        _made[key] = cut_for_shop(truth, settings, practice)
    return _made[key]
