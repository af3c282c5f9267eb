"""Whole rounds on printed sheets: the PDF that we write, printed, laid down askew, aimed at by a hand, drawn on.

They are played through the same session that the screens use, in a scratch shop; truths are set beside at the end.
"""

from __future__ import annotations

import math
import random
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from keen_compass.formats.files import write_whole
from keen_compass.machines.profile import Fitting, Machine, Stock, Tool
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.stand_in import cut_off_by
from keen_compass.procedures import load
from keen_compass.procedures.base import Step
from keen_compass.quantities.catalogue import QUANTITIES, Lives
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.readings import Reading, Spot, number_of
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from keen_compass.words.answers import finding_as_json
from keen_compass.words.say import PLAIN

SUFFIXES = {"printed": "pdf", "drawn": "plt"}  # kinds of stage that have a file
PLOTTER = Machine(
    "practice",
    "Practice",
    MachineKind.PRINT_AND_CUT,
    (700.0, 1200.0),
    form=ResolutionForm.STEPS_PER_MM,
    decimals=3,
    heads=("pointer", "sensor"),
    tools=(Tool("pen", 0.0, drawn=True, uid="pen"),),
    stock=Stock("film", 0.2, 0.0, 0.0, 700.0, 1200.0, "film"),
    fittings=(Fitting("printer", "printer", "printer"), Fitting("carrier", "mat", "mat")),
    fitted={"printer": "printer", "carrier": "mat"},
)
CALIPER = Instrument("caliper 300 mm", 0.01, (0.02, 0.00002), reach=300.0, uid="caliper")
STEPS = 100.0  # per mm
MOST_OFF = 4.0  # mm, by which a start is off and still plausible


@dataclass
class SheetRound:
    """One sheet: its files, what was read, what it said."""

    readings: dict[str, list[float]]
    solution: Solution
    files: list[str] = field(default_factory=list)
    beside: float | None = None  # mm: how far a cut really lies off the print, at most


@dataclass
class PaperRounds:
    """A stand-in and a technician who follows the program, sheet after sheet."""

    seed: int
    truth: Truth
    machine: Machine
    held: dict[str, StoredValue] = field(default_factory=dict)
    settings: dict[str, StoredValue] = field(default_factory=dict)
    rounds: list[SheetRound] = field(default_factory=list)

    def to_json(self) -> dict[str, Any]:
        """The command line's answer."""
        right = {q: self.truth.right(q, self.settings) for q in self.held}
        return {
            "seed": self.seed,
            "rounds": [
                round_as_json(r.files, r.readings, r.solution)
                | ({} if r.beside is None else {"cut_off_by": round(r.beside, 4)})
                for r in self.rounds
            ],
            "truth": {q: None if math.isnan(v) else round(v, 6) for q, v in right.items()},
            "found": {q: stored.to_json() for q, stored in self.held.items()},
        }


def round_as_json(files: list[str], readings: dict[str, list[float]], solution: Solution) -> dict[str, Any]:
    """One round as the command line writes it."""
    return {
        "files": files,
        "readings": [{"measurand": m, "values": v} for m, v in readings.items()],
        "findings": [finding_as_json(f, PLAIN) for f in solution.findings],
    }


def plotter(seed: int) -> tuple[Truth, dict[str, float]]:
    """A plotter as it may turn up, and the offsets that its controller begins with, mm."""
    rng = random.Random(f"{seed}/plotter")
    heads = {h: (round(rng.uniform(-40, 40), 2), round(rng.uniform(-30, 30), 2)) for h in PLOTTER.heads}
    truth = Truth(
        motion={a: STEPS * (1 + rng.gauss(0, 2e-4)) for a in "xy"},
        lost_motion={a: rng.uniform(0, 0.04) for a in "xy"},
        kerf=0.0,
        scatter=0.03,
        instrument_error=(rng.uniform(-1, 1), rng.uniform(-1, 1)),
        repeat=0.5,
        heads=heads,
        skew=rng.gauss(0, 2e-4),
        aim=rng.uniform(0.02, 0.05),
        printer=(rng.gauss(0, 1e-3), rng.gauss(0, 1e-3), rng.gauss(0, 3e-4)),
        lies=(0.5, 3.0),
        carriers={"mat": (rng.gauss(0, 3e-3), rng.gauss(0, 3e-3))},
    )
    off = {(h, k): rng.uniform(-MOST_OFF, MOST_OFF) for h in heads for k in (0, 1)}
    held = {f"{h}_{'xy'[k]}": round(heads[h][k] + by, 2) for (h, k), by in off.items()}
    return truth, held


def shop_of(file: Path, seed: int, machine: Machine = PLOTTER) -> tuple[Shop, Truth]:
    """A shop with that plotter alone."""
    truth, held = plotter(seed)
    shop = Shop(file)
    with shop.writing():
        shop.put_machine(machine)
        for axis in "xy":
            steps = StoredResolution(ResolutionForm.STEPS_PER_MM, STEPS)
            shop.put_value(machine.uid, f"{axis}_steps", steps, "start")
        shop.put_instrument(CALIPER)
        for quantity, mm in held.items():
            shop.put_value(machine.uid, quantity, StoredAmount(quantity, "mm", mm), "start")
        shop.put_stand_in(machine.uid, truth.to_json())
    return shop, truth


def run(procedure: str, seed: int, rounds: int | None, folder: Path | None, most: int) -> PaperRounds:
    """Rounds until every finding is in tolerance (at most `most`), or exactly `rounds`."""
    with tempfile.TemporaryDirectory(prefix="keen-compass-sheets-") as scratch:
        shop, truth = shop_of(Path(scratch) / "practice.kcshop", seed)
        practice = PaperRounds(seed, truth.with_carrier(PLOTTER.fitted["carrier"]), PLOTTER)
        if load(procedure).uses_artwork:
            _put_right_beneath(shop, practice.truth)
        session = RoundSession.begin(shop, PLOTTER, procedure)
        try:
            for i in range(rounds or most):
                cut(session)
                read_all(session)
                practice.rounds.append(_round(session, folder, f"{procedure}-seed-{seed}-round-{i + 1}"))
                findings = session.measuring.findings()
                if rounds is None and all(f.verdict is Verdict.IN for f in findings):
                    break
                _correct(session)
            practice.settings = session.context.values()
            practice.held = {
                q: practice.settings[q] for q in session.context.yields if QUANTITIES[q].lives is not Lives.BY_HAND
            }
        finally:
            shop.close()
    return practice


def _put_right_beneath(shop: Shop, truth: Truth) -> None:
    """Offsets and print scale as earlier rounds leave them: right, as far as the controller's decimals go."""
    held = {q: kept.stored for q, kept in shop.values_on(PLOTTER).items()}
    for q in PLOTTER.quantities:
        stored = held.get(q) or PLOTTER.as_delivered(q)
        if QUANTITIES[q].family in (*PLOTTER.heads, "print_scale") and stored is not None:
            right = truth.right(q, {**held, q: stored})
            shop.put_value(PLOTTER.uid, q, stored.renewed(right, PLOTTER.decimals), "start", subject=PLOTTER.subject)


def _correct(session: RoundSession) -> None:
    """Enter what is worth it, and go on to the next sheet."""
    if any(session.correcting.enters(f) for f in session.measuring.findings()):
        session.go(Step.CORRECT)
        correct_all(session)
    session.go(Step.MAKE)


def _round(session: RoundSession, folder: Path | None, name: str) -> SheetRound:
    context, solution = session.context, session.measuring.answer()
    piece = context.piece
    assert piece is not None and solution is not None
    files = []
    for stage in piece.stages:
        if folder is not None and stage.kind in SUFFIXES:
            file = folder / f"{name}.{SUFFIXES[stage.kind]}"
            write_whole(file, context.shop.blob(stage.sent) or b"")
            files.append(str(file))
    readings: dict[str, list[Any]] = {}
    for r in context.shop.readings(piece.id):
        readings.setdefault(r.measurand, []).append(_as_json(r.reading))
    beside = cut_off_by(session) if context.procedure.uses_artwork else None
    return SheetRound(readings, solution, files, beside)


def _as_json(reading: Reading) -> Any:
    return [reading.x, reading.y] if isinstance(reading, Spot) else number_of(reading)
