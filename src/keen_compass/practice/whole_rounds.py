"""Whole rounds on a stand-in: the file that we write, run by a machine with hidden faults, read, solved, corrected.

The solver sees the readings and what a technician would know; the truths are only set beside the
values found at the end.
"""

from __future__ import annotations

import math
import random
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from keen_compass.errors import InputError
from keen_compass.formats.files import write_whole
from keen_compass.formats.gcode import CutSettings, write_gcode, write_moves
from keen_compass.formats.thermal import ThermalSettings, write_thermal
from keen_compass.machines.profile import Machine
from keen_compass.pieces.cross_mark import CrossMark
from keen_compass.pieces.placement import GAP
from keen_compass.pieces.where import InView
from keen_compass.practice.paper_rounds import PaperRounds, round_as_json
from keen_compass.practice.paper_rounds import run as run_sheets
from keen_compass.practice.reading import shown
from keen_compass.procedures import load
from keen_compass.procedures.base import Makes, Procedure
from keen_compass.procedures.case import Case
from keen_compass.quantities.catalogue import QUANTITIES, Lives, beneath
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.measuring import PieceScatter
from keen_compass.quantities.readings import Count, Pick, Reading, Spot
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue, nothing_stored
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.drive import PARTS_WITHIN, Drive
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of, scale_of
from keen_compass.standin.camera import SIZE as PICTURE
from keen_compass.standin.router import Made, Router
from keen_compass.standin.truth import Truth, amount, random_truth
from keen_compass.words.say import say

MOST_ROUNDS = 5
MOST_TRIES = 2  # that a move may be halved, until what it shows is in the picture
START_OFF = 0.012  # a start this far off is still plausible
BED = Box(0, 0, 1300, 900)
TABLE = Machine(
    "practice",
    "Practice",
    MachineKind.ROUTER,
    (BED.width, BED.height),
    z_travel=80.0,
    gantry=1180.0,
    step_limit=60_000.0,
    decimals=3,
)
COMPENSATION = 6.0
NOMINAL_STEPS = 106.667
RECORD_DOF = {"repeats": 20, "scatter": 12}
# Tight enough that a round has something to do, wide enough that the practice instruments can tell.
TOLERANCE = {
    "x_steps": 0.4,
    "y_steps": 0.4,
    "z_steps": 2.0,
    "x_backlash": 0.05,
    "y_backlash": 0.05,
    "squareness": 0.5,
    "x_home": 0.2,
    "y_home": 0.2,
    "x_tram": 0.3,
    "y_tram": 0.3,
    "bed": 0.15,
    "kerf": 0.1,
    "focus": 1.0,
    "hole_bias": 0.1,
    "drag": 0.05,
    "media_feed": 0.1,
    "camera_x": 0.1,
    "camera_y": 0.1,
    "second_tool_x": 0.5,
    "second_tool_y": 0.5,
    "x_speed": 600.0,
    "y_speed": 600.0,
}
BEAM = {"focus": 0.0, "power": 76.0, "cut_feed": 2400.0}  # as a beam is set at first
PROVEN_SCALE = Known(0.0, 0.0003)  # mm/mm, as a round leaves it
PROVEN_PLAY = 0.05  # mm
PARTS = {"step_angle": 1.8, "microsteps": 32.0, "reduction": 1.0, "belt_pitch": 3.0, "teeth": 20.0}


class NotInViewError(InputError):
    """What is looked for is not in the picture."""


@dataclass
class PracticeRound:
    """One round: the file that was run, what was read, what it said."""

    file: str
    readings: dict[str, list[Any]]
    solution: Solution
    files: list[str] = field(default_factory=list)


@dataclass
class Practice:
    """A stand-in and a technician who follows the program."""

    seed: int
    procedure: Procedure[Any]
    router: Router
    instrument: Instrument
    scatter: PieceScatter
    rounds: list[PracticeRound] = field(default_factory=list)
    _random: random.Random = field(default_factory=random.Random)

    @classmethod
    def start(cls, name: str, seed: int) -> Practice:
        """A machine as it may turn up, all from one seed."""
        rng = random.Random(seed)
        procedure = load(name)
        instrument = procedure.usual_instrument()
        start = StoredResolution(ResolutionForm.STEPS_PER_MM, NOMINAL_STEPS)
        off = PARTS_WITHIN[Drive.BELT] if procedure.starting else START_OFF
        correct = {axis: NOMINAL_STEPS * (1 + rng.uniform(-off, off)) for axis in ("x", "y")}
        truth = replace(random_truth(rng, correct, COMPENSATION), parts={"x": PARTS})
        if "hole_bias" in procedure.yields:  # of a generator of its own: nothing else changes
            truth = replace(truth, hole_bias=random.Random(f"{seed}/holes").uniform(-0.15, 0.05))
        held = {}
        for head in ("second_tool", "camera"):
            if f"{head}_x" in procedure.yields:
                beside = random.Random(f"{seed}/{head}")
                sits = beside.uniform(-40, 40), beside.uniform(-40, 40)
                truth = replace(
                    truth, heads={head: sits}, camera=(beside.uniform(0.015, 0.03), beside.uniform(-8, 8), 0.0)
                )
                held = {f"{head}_{a}": round(v + beside.uniform(-1, 1), 2) for a, v in zip("xy", sits, strict=True)}
        if procedure.makes is Makes.PRINT:
            truth = replace(truth, fed=round(random.Random(f"{seed}/feed").uniform(-0.3, 0.3), 3))
        if procedure.trails:
            truth = replace(truth, trails=random.Random(f"{seed}/blade").uniform(0.16, 0.34))
        if procedure.burns:
            truth = _beam(truth, random.Random(f"{seed}/beam"))
        if procedure.starting:  # as the parts say, with a switch that may stand elsewhere than was entered
            parts = NOMINAL_STEPS * rng.choice((1.0, 1.0, 0.5, 2.0))
            start = StoredResolution(ResolutionForm.STEPS_PER_MM, parts)
        repeats = Repeatability(
            _recorded(truth.repeat * instrument.resolution, RECORD_DOF["repeats"], rng), RECORD_DOF["repeats"]
        )
        scatter = PieceScatter(_recorded(truth.scatter, RECORD_DOF["scatter"], rng), RECORD_DOF["scatter"], False)
        settings: dict[str, StoredValue] = {"x_steps": start, "y_steps": start}
        for axis in ("x", "y"):
            settings[f"{axis}_speed"] = StoredAmount(f"{axis}_speed", "mm/min", 9000.0)
        settings |= {q: StoredAmount(q, "mm", mm) for q, mm in held.items()}
        if "kerf" in procedure.yields:
            settings["kerf"] = StoredAmount("kerf", "mm", COMPENSATION)
        if procedure.burns:
            settings |= {q: StoredAmount(q, QUANTITIES[q].unit, value) for q, value in BEAM.items()}
        settings |= _put_right_beneath(procedure, truth, start, rng)
        router = Router(truth, settings, rng.randrange(2**31))
        return cls(seed, procedure, router, replace(instrument, repeats=repeats), scatter, _random=rng)

    def case(self, piece: Mapping[str, Any], readings: Mapping[str, list[Any]]) -> Case:
        """What the technician knows, with the settings in force now."""
        return Case(
            procedure=self.procedure.name,
            machine=TABLE,
            values=dict(self.router.settings),
            known=self.known(),
            piece=piece,
            instrument=self.instrument,
            tolerance=TOLERANCE,
            readings={m: tuple(self._reading(m, v) for v in values) for m, values in readings.items()},
            piece_scatter=self.scatter,
        )

    def _reading(self, measurand: str, value: Any) -> Reading:
        """Of the kind that it is."""
        if self.procedure.pictured:
            return Spot(value[0], value[1], "")
        if measurand in self.procedure.picks:
            return Pick(value, f"{value:g}")
        unit = self.procedure.counts.get(measurand)
        return Length(value, f"{value:.3f}", "mm") if unit is None else Count(value, f"{value:g}", unit)

    def known(self) -> dict[str, Known]:
        """What earlier rounds proved, for what leans on it: scales and play in tolerance."""
        if not any(QUANTITIES[q].group == "cut" for q in self.procedure.yields):
            return {}
        return {scale_of(a).name: PROVEN_SCALE for a in ("x", "y")} | {
            lost_motion_of(a).name: Known(0.0, PROVEN_PLAY) for a in ("x", "y")
        }

    def make(self, shape: Any, number: int) -> tuple[str, Made]:
        """Write the file, have the stand-in run it."""
        if self.procedure.burns:
            path = self.procedure.tool_path(shape, number).moved(GAP + 20, GAP + 20)
            held = {q: amount(self.router.settings, q) for q in BEAM}
            file = write_thermal(
                path, ThermalSettings(BED, beam=True, feed=held["cut_feed"], power=held["power"], focus=held["focus"])
            )
        else:
            file = file_for(self.procedure, shape, number, self.procedure.passes)
        made = self.router.make(file) if file else Made(self.router.truth, dict(self.router.settings), number)
        return file, made

    def _seen(self, made: Made, shape: CrossMark, name: str) -> list[float]:
        """Where the cross is in a picture that the practice camera takes, px."""
        from keen_compass.formats.pictures import grey_of
        from keen_compass.practice.camera import looked
        from keen_compass.solve.cross import find_cross

        held = amount(self.router.settings, "camera_x"), amount(self.router.settings, "camera_y")
        stands = shape.stands_at(held)[shape.names.index(name)]
        found = find_cross(grey_of(looked(made, stands, name), name))
        if found is None:
            raise NotInViewError("no cross is found", name)
        return [found.u, found.v]

    def make_and_read(self, piece: Mapping[str, Any], number: int) -> tuple[str, dict[str, list[Any]]]:
        """Write the file, have the stand-in run it, read everything."""
        shape = self.procedure.piece(piece)
        file, made = self.make(shape, number)
        readings: dict[str, list[Any]] = {}
        for count in range(self.procedure.passes):
            for m in [m for m in self.procedure.measurands(shape) if self.procedure.asks(m, piece)]:
                if isinstance(m.where, InView):
                    value: Any = self._seen(made, shape, m.name)
                else:
                    value = shown(made, m, count, self.instrument, self._random)
                readings.setdefault(m.name, []).append(value)
        return file, readings

    def _in_view(self, piece: Mapping[str, Any]) -> tuple[Mapping[str, Any], str, dict[str, list[Any]]]:
        """Make and read; where a move takes what is looked for out of the picture, again with shorter ones."""
        for _ in range(MOST_TRIES):
            try:
                return piece, *self.make_and_read(piece, len(self.rounds) + 1)
            except NotInViewError:
                piece = {**piece, "moves": [[x / 2, y / 2] for x, y in piece["moves"]]}
        return piece, *self.make_and_read(piece, len(self.rounds) + 1)

    def round(self, piece: Mapping[str, Any] | None = None, *, correct: bool = True) -> PracticeRound:
        """Make, measure, solve; and enter the new numbers where they are worth it."""
        piece = self.procedure.usual_piece() if piece is None else piece
        if self.procedure.pictured:
            piece = {**piece, "picture": list(PICTURE)}
        if isinstance(kerf := self.router.settings.get("kerf"), StoredAmount):  # what is in force by now
            piece = {**piece, "compensation": kerf.base}
            if bias := amount(self.router.settings, "hole_bias"):
                piece |= {"hole_bias": bias}
        piece, file, readings = self._in_view(piece)
        solution = self.procedure.solve(self.case(piece, readings))
        done = PracticeRound(file, readings, solution)
        self.rounds.append(done)
        if correct:
            for finding in solution.findings:
                if finding.verdict is not Verdict.IN and finding.worth_correcting and finding.new is not None:
                    q = finding.quantity
                    held = self.router.settings.get(q) or nothing_stored(q)
                    assert held is not None
                    self.router.settings[q] = held.renewed(finding.new)
        return done

    def true_errors(self) -> dict[str, float]:
        """What is really left, in each quantity's error unit, with the numbers now in the controller."""
        parameters = self.procedure.usual_piece()
        shape = self.procedure.piece(parameters)
        share = getattr(shape, "share", 1.0)
        points = tuple(shape.points().values()) if hasattr(shape, "points") else ()
        truth, settings = self.router.truth, self.router.settings
        return {q: truth.error(q, settings, share=share, points=points) for q in self.procedure.yields_for(parameters)}

    def to_json(self) -> dict[str, Any]:
        """The command line's answer."""
        truth, settings = self.router.truth, self.router.settings
        yields = self.procedure.yields_for(self.procedure.usual_piece())
        extra: dict[str, float] = {}
        if self.procedure.usual_piece().get("compensation"):  # of what is cut, kerf and play are truths too
            extra = {
                **{f"{a}_lost_motion": truth.play_left(a, settings) for a in truth.lost_motion},
                "kerf": truth.kerf,
            }
        found = {q: settings.get(q) or nothing_stored(q) for q in yields}
        return {
            "seed": self.seed,
            "rounds": [round_as_json(r.files, r.readings, r.solution) for r in self.rounds],
            "truth": {**extra, **{q: _or_none(truth.right(q, settings)) for q in yields}},
            "found": {q: stored.to_json() for q, stored in found.items() if stored},
        }


def _beam(truth: Truth, rng: random.Random) -> Truth:
    """The same machine with a beam: its focus, and the heat with which it cuts clean."""
    least = rng.uniform(22.0, 30.0)
    return replace(
        truth,
        thermal="laser",
        kerf=rng.uniform(0.15, 0.3),
        scatter=0.004,
        focus=rng.uniform(-1.2, 1.2),
        depth_of_focus=rng.uniform(1.0, 1.8),
        clean=(least, rng.uniform(1.7, 2.2) * least),
        pierce=0.2,
    )


def _put_right_beneath(
    procedure: Procedure[Any], truth: Truth, start: StoredResolution, rng: random.Random
) -> dict[str, StoredValue]:
    """What the procedure's values rest on, as earlier rounds leave it: inside its tolerance, not exact."""
    yields = procedure.yields_for(procedure.usual_piece())
    found: dict[str, StoredValue] = {}
    for q in dict.fromkeys(under for y in yields for under in beneath(y) if under not in yields):
        right = truth.right(q, {})
        if math.isnan(right):
            continue
        left = rng.gauss(0, TOLERANCE.get(q, 0.1) / 6)
        if QUANTITIES[q].scaled and QUANTITIES[q].lives is Lives.RESOLUTION:
            found[q] = start.renewed(right * (1 + left / 1000), TABLE.decimals)
        elif amount := nothing_stored(q):
            found[q] = amount.renewed(right + left, TABLE.decimals)
    return found


def file_for(procedure: Procedure[Any], shape: Any, number: int, cycles: int) -> str:
    """The practice table's file for a piece or run; empty where nothing is made."""
    settings = CutSettings(bed=BED, z_travel=TABLE.z_travel)
    if procedure.makes in (Makes.NOTHING, Makes.PRINT):
        return ""
    if procedure.makes is Makes.MOVES:
        return write_moves(shape.program(TABLE, cycles), settings, say)
    at = shape.origin if procedure.anchored else (GAP + 20, GAP + 20)
    return write_gcode(procedure.tool_path(shape, number).moved(*at), settings)


def run(procedure: str, seed: int, rounds: int | None, folder: Path | None) -> Practice | PaperRounds:
    """Rounds until every finding is in tolerance (at most 5), or exactly `rounds`."""
    if rounds is not None and not 1 <= rounds <= 100:
        raise InputError("expected 1 to 100", "--rounds")
    if load(procedure).makes is Makes.SHEET:
        return run_sheets(procedure, seed, rounds, folder, MOST_ROUNDS)
    practice = Practice.start(procedure, seed)
    for i in range(rounds or MOST_ROUNDS):
        before = dict(practice.router.settings)
        done = practice.round()
        if folder and done.file:
            file = folder / f"{procedure}-seed-{seed}-round-{i + 1}.nc"
            write_whole(file, done.file.encode("ascii"))
            done.files.append(str(file))
        settled = all(f.verdict is Verdict.IN for f in done.solution.findings)
        if rounds is None and (settled or (practice.procedure.starting and practice.router.settings == before)):
            break
    return practice


def _or_none(value: float) -> float | None:
    """JSON knows no nan."""
    return None if math.isnan(value) else round(value, 6)


def _recorded(true_s: float, dof: int, rng: random.Random) -> float:
    """A spread as a logbook would know it, from dof + 1 earlier readings."""
    return true_s * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(dof)) / dof)
