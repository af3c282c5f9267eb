"""Whole rounds on a stand-in, played through the same session that the screens use, in a scratch shop.

A machine turns up, what the procedure's values rest on is corrected first as a technician would, then piece after piece
is made from its very file, read, corrected. What is really so is only set beside what was found at the end.
"""

from __future__ import annotations

import math
import tempfile
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, NamedTuple

from keen_compass.errors import InputError
from keen_compass.formats.files import write_whole
from keen_compass.language import tr
from keen_compass.machines.heads import sign_kept
from keen_compass.machines.profile import Machine
from keen_compass.practice.playing import correct_all, cut, look_below, play, read_all
from keen_compass.practice.stand_in import cut_off_by
from keen_compass.practice.turned_up import TurnedUp, turned_up
from keen_compass.procedures import load, yielding
from keen_compass.procedures.stages import Makes, Stage, Step
from keen_compass.quantities.bodies import JsonObject, Parameters
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.families import AIMED_WITH, Lives
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.readings import Picture, Reading, Spot, number_of
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import SIZE, StoredAmount, StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import next_in_order, spokes
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from keen_compass.words.answers import finding_as_json
from keen_compass.words.say import PLAIN

MOST_ROUNDS = 5
MOST_TRIES = 2  # of what a round leaves untold
SPEED_SHARE = 0.8  # of the feed at which steps are lost, that is to be kept to
FINE = 9  # decimals of a truth


@dataclass(frozen=True, slots=True)
class PracticeRound:
    """One piece or run: its files, what was read, what it said; mm that a cut really lies off the print at most."""

    files: list[str]
    readings: dict[str, list[Any]]
    solution: Solution
    beside: float | None = None

    def to_json(self) -> JsonObject:
        """As the command line writes it."""
        body = {
            "files": self.files,
            "readings": [{"measurand": m, "values": v} for m, v in self.readings.items()],
            "findings": [finding_as_json(f, PLAIN) for f in self.solution.findings],
        }
        return body | ({} if self.beside is None else {"cut_off_by": round(self.beside, 4)})


class Walked(NamedTuple):
    """One procedure of a walk: what it was for, how many pieces or runs it took, and what was found in the last."""

    procedure: str
    quantities: tuple[str, ...]
    rounds: int
    verdicts: tuple[Verdict, ...]


@dataclass
class Practice:
    """A machine that turned up, in a shop of its own, with a technician who follows the program.

    before: what its controller held when the procedure's first piece was made; settings: what it holds now.
    """

    seed: int
    turned: TurnedUp
    shop: Shop
    rounds: list[PracticeRound] = field(default_factory=list)
    walked: list[Walked] = field(default_factory=list)
    yields: tuple[str, ...] = ()
    settings: dict[str, StoredValue] = field(default_factory=dict)

    @property
    def kind(self) -> str:
        """Of machine."""
        return self.turned.machine.kind.value

    @property
    def truth(self) -> Truth:
        """What is really so, with what is fitted now."""
        fitted = self.turned.machine.fitted
        return self.turned.truth.with_accessory(fitted.get("accessory", "")).with_carrier(fitted.get("carrier", ""))

    @property
    def machine(self) -> Machine:
        """As the shop has it by now."""
        return self.shop.machine(self.turned.machine.uid)

    def walk(self, wanted: Collection[str] | None = None) -> None:
        """Put right what is asked of the machine (of those wanted), in the order that the program says."""
        tried: dict[str, int] = {}
        while True:
            asked = [s.quantity for s in next_in_order(spokes(self.shop, self.machine))]
            todo = [q for q in asked if (wanted is None or q in wanted) and tried.get(q, 0) < MOST_TRIES]
            if not todo:
                break
            quantity, machine = todo[0], self.machine
            known = yielding(quantity, machine.file_format)  # what one can't tell, another may
            entry = known[tried.get(quantity, 0) % len(known)]
            session = play(self.shop, machine, entry.name, quantity, chosen=self._seen(quantity))
            found = session.measuring.findings()
            for q in {quantity, *(f.quantity for f in found)}:
                tried[q] = tried.get(q, 0) + 1
            self._tool_back()
            verdicts = tuple(session.context.procedure.for_logbook(f).verdict for f in found)
            self.walked.append(
                Walked(entry.name, tuple(f.quantity for f in found), len(session.context.pieces), verdicts)
            )
        self.settings = self._held()

    def _tool_back(self) -> None:
        """A pen was in for what is only drawn: what cuts is in again."""
        if self.machine.mounted != self.turned.machine.mounted:
            self.shop.mount(self.machine, tool=self.turned.machine.tool)

    def _seen(self, quantity: str) -> Parameters:
        """What a technician sees at the machine and chooses: what drives an axis."""
        q = QUANTITIES[quantity]
        drives = self.turned.drives
        return {"drive": drives[q.axis]} if q.family.name == "drive" and q.axis in drives else {}

    def play(self, procedure: str, rounds: int | None, folder: Path | None, *, correct: bool = True) -> None:
        """Rounds until every finding is in tolerance (at most 5), or exactly `rounds`."""
        quantity = _quantity_of(procedure, self.machine)
        if not quantity:
            raise InputError(
                tr("a {said} has nothing that {procedure} finds out", said=self.machine.kind.said, procedure=procedure),
                "--machine",
            )
        session = RoundSession.begin(self.shop, self.machine, procedure, quantity)
        for name, value in self._seen(quantity).items():
            session.making.choose_option(name, value)
        self.yields = session.context.yields
        wanted = {under for q in self.yields for under in beneath(q)}
        if Stage.AIM in session.making.sheets.stages:  # what it is aimed with, whichever that is
            wanted |= {q for q in self.machine.quantities if QUANTITIES[q].family.name in AIMED_WITH}
        self.walk(wanted - set(self.yields))
        for q in self.yields:  # what a round beneath found out about them by the way
            if q in self.turned.held and QUANTITIES[q].lives is not Lives.RESOLUTION:
                self.shop.put_value(self.machine.uid, q, self.turned.held[q], "start", subject=self.machine.subject)
        if session.context.procedure.sizes.slider:  # what is known by now may have it smaller
            session.making.choose(size=session.making.proposed_size())
        nothing = session.context.procedure.makes is Makes.NOTHING
        for i in range(rounds or MOST_ROUNDS):
            if not nothing:
                cut(session)
            read_all(session)
            look_below(session)
            self.rounds.append(_round(session, folder, f"{procedure}-seed-{self.seed}-round-{i + 1}"))
            findings, held = session.measuring.findings(), self._held()
            if (rounds is None and all(f.verdict is Verdict.IN for f in findings)) or not correct:
                break
            if any(session.correcting.enters(f) for f in findings):
                session.go(Step.CORRECT)
                correct_all(session)
            elif rounds is None and nothing:
                break
            session.go(Step.MEASURE if nothing else Step.MAKE)
            if rounds is None and nothing and self._held() == held:
                break
        self.settings = self._held()

    def _held(self) -> dict[str, StoredValue]:
        """What controller, files and profile hold, as quantities count: an offset from tool to what is beside it."""
        machine = replace(self.machine, mounted=self.turned.machine.mounted)
        kept = self.shop.values_on(machine)
        found: dict[str, StoredValue] = {}
        for q in machine.quantities:
            stored = kept[q].stored if q in kept else machine.as_delivered(q)
            if isinstance(stored, StoredAmount) and QUANTITIES[q].group == "heads" and q != "drag":
                sign = sign_kept(q, machine.offset_form, machine.flipped)
                stored = StoredAmount(q, stored.unit, stored.value * sign)
            if stored is not None:
                found[q] = stored
        return found

    def error(self, quantity: str, settings: Mapping[str, StoredValue] | None = None) -> float:
        """What is really left of a quantity, in its error unit; nan for what has no number that is right."""
        return self.truth.error(quantity, self.settings if settings is None else settings, share=SPEED_SHARE)

    def left(self, quantity: str) -> dict[str, float] | None:
        """The error that is left, and how many tolerances that is; what does no harm is none."""
        error, q, machine = self.error(quantity), QUANTITIES[quantity], self.turned.machine
        if math.isnan(error):
            return None
        T = machine.tolerance(quantity) * (1000 / machine.reference_length if q.scaled else 1.0)
        harm = max(error, 0.0) if q.one_sided else abs(error)
        return {"error": round(error, 6), "tolerance": T, "tolerances": round(harm / T, 3)}

    def right(self, quantity: str) -> Any:
        """The number that would be right beside the others, in the form and unit of the one that is held."""
        stored, settings = self.settings[quantity], self.settings
        if isinstance(stored, StoredResolution):
            return stored.corrected(self.error(quantity) / 1000, FINE).to_json()
        right = self.truth.right(quantity, settings)
        return None if math.isnan(right) else round(right / SIZE[stored.unit], 6)

    def to_json(self) -> JsonObject:
        """The command line's answer."""
        kept = [q for q in self.yields if q in self.settings]
        extra: dict[str, float] = {}
        if "kerf" in self.yields:  # play is a truth of what is cut, too
            extra = {f"{a}_lost_motion": self.truth.play_left(a, self.settings) for a in "xy"}
        left = {q: self.left(q) for q in self.yields}
        return {
            "seed": self.seed,
            "machine": self.kind,
            "rounds": [r.to_json() for r in self.rounds],
            "truth": {**extra, **{q: self.right(q) for q in kept}},
            "found": {q: self.settings[q].to_json() for q in kept},
            "left": {q: v for q, v in left.items() if v},
        }


@contextmanager
def practice_on(kind: MachineKind, seed: int) -> Iterator[Practice]:
    """A machine of that kind in a scratch shop that is gone afterwards."""
    turned = turned_up(kind, seed)
    with tempfile.TemporaryDirectory(prefix="keen-compass-practice-") as scratch:
        shop = Shop(Path(scratch) / "practice.kcshop")
        try:
            with shop.writing():  # nothing is typed here: all of it is kept at once
                put(shop, turned)
                yield Practice(seed, turned, shop)
        finally:
            shop.close()


def put(shop: Shop, turned: TurnedUp) -> None:
    """The machine as it turned up, with its numbers, its instruments and its stand-in."""
    machine = turned.machine
    shop.put_machine(machine)
    for instrument in turned.instruments:
        shop.put_instrument(instrument)
    for quantity, stored in turned.held.items():
        shop.put_value(machine.uid, quantity, stored, "start", subject=machine.subject)
    shop.put_stand_in(machine.uid, turned.truth.to_json())


def run(
    procedure: str, seed: int, rounds: int | None, folder: Path | None, kind: MachineKind | None = None
) -> Practice:
    """Whole rounds of a procedure. Raises InputError where such a machine has nothing that it finds out."""
    if rounds is not None and not 1 <= rounds <= 100:
        raise InputError(tr("expected 1 to 100"), "--rounds")
    load(procedure)
    with practice_on(kind or usual_kind(procedure), seed) as practice:
        practice.play(procedure, rounds, folder)
    return practice


def run_all(seed: int, kind: MachineKind) -> Practice:
    """A whole machine put right, in the order that the program says."""
    with practice_on(kind, seed) as practice:
        practice.yields = practice.machine.quantities
        practice.walk()
    return practice


def covered(procedure: str, seed: int) -> dict[str, bool]:
    """By quantity of which a number is right: whether the first piece's finding is off by no more than its U."""
    with practice_on(usual_kind(procedure), seed) as practice:
        practice.play(procedure, 1, None, correct=False)
    found = {}
    for f in practice.rounds[0].solution.findings:
        really = practice.error(f.quantity)
        if f.error is not None and f.expanded_uncertainty is not None and not math.isnan(really):
            found[f.quantity] = abs(f.error - really) <= f.expanded_uncertainty
    return found


def usual_kind(procedure: str) -> MachineKind:
    """The first kind of machine on which there is something for it, what it is usually made on before all others."""
    usual: MachineKind = load(procedure).on_stock.usual_on
    if load(procedure).makes is Makes.SHEET:
        usual = MachineKind.PRINT_AND_CUT
    found: list[MachineKind] = [
        kind for kind in (usual, *MachineKind) if _quantity_of(procedure, turned_up(kind, 0).machine)
    ]
    if not found:
        raise InputError(tr("{procedure} is not practised by itself", procedure=procedure), "practice")
    return found[0]


def _quantity_of(procedure: str, machine: Machine) -> str:
    """The first quantity of a machine that a procedure finds out; empty where there is none."""
    done_by = {q: [e.name for e in yielding(q, machine.file_format)] for q in machine.quantities}
    return next((q for q, names in done_by.items() if procedure in names), "")


def _round(session: RoundSession, folder: Path | None, name: str) -> PracticeRound:
    context, solution = session.context, session.measuring.answer()
    piece = context.piece
    assert piece is not None and solution is not None
    files = []
    for stage in piece.stages:
        sent = context.shop.blob(stage.sent) if stage.sent else None
        if folder is not None and sent:
            file = folder / f"{name}.{'pdf' if stage.kind == 'printed' else session.making.extension}"
            write_whole(file, sent)
            files.append(str(file))
    readings: dict[str, list[Any]] = {}
    for r in context.shop.readings(piece.id):
        readings.setdefault(r.measurand, []).append(_as_json(r.reading))
    beside = cut_off_by(session) if context.procedure.on_paper.artwork else None
    return PracticeRound(files, readings, solution, beside)


def _as_json(reading: Reading) -> Any:
    match reading:
        case Spot():
            return [reading.x, reading.y]
        case Picture():
            return list(reading.at or ())
    return number_of(reading)
