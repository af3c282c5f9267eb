"""Readings of several pieces and runs of one machine, solved together (arithmetic.md §8).

Every part brings its rows, measured against the same unknowns: the axes' scales, the play that is left, the holes'
bias, and the kerf of each subject. What the readings share is one error: an instrument's own at a length, its slope,
its tilt. What nobody knows is assumed, wide; but nothing is found that only an assumption tells.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.procedures import load
from keen_compass.procedures.base import AnyProcedure
from keen_compass.procedures.case import Case
from keen_compass.procedures.kerfs import assumed_of, held_kerf, kerf_finding
from keen_compass.procedures.results import (
    amount_outcome,
    arithmetic,
    as_fitted,
    ask,
    backlash_outcome,
    contradicted,
    held_notes,
    judged,
    no_number,
    scale_formula,
    scale_outcome,
    shares_of,
    taken_for_granted,
)
from keen_compass.procedures.settle import with_remedies
from keen_compass.procedures.stages import Makes, Surface
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.notes import Note, note
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain, combination, covariance
from keen_compass.quantities.verdict import Verdict, judge, worth_correcting
from keen_compass.solve.joint import Fit, Known, Observation, Unknown, fit, without_what_follows, would_determine
from keen_compass.solve.kerf import HOLE_BIAS, KERF
from keen_compass.solve.travel import lost_motion_of, scale_of

PER_METRE = 1000.0
OF_SUBJECT = (KERF.name, HOLE_BIAS.name)  # whose they are: what cuts, in which material
FOUND_AS = {
    "x_scale": "x_steps",
    "y_scale": "y_steps",
    "z_scale": "z_steps",
    "x_lost_motion": "x_backlash",
    "y_lost_motion": "y_backlash",
    "z_lost_motion": "z_backlash",
    "kerf": "kerf",
    "hole_bias": "hole_bias",
}
ORDER = tuple(FOUND_AS)
# A reading that could be added: what it is called, by code → how it would bear on the unknowns of an axis.
A_READING: tuple[tuple[str, dict[str, float]], ...] = (
    ("slot", {"_scale": 10.0, "kerf": 1.0, "_lost_motion": -1.0}),
    ("short_side", {"_scale": 60.0, "kerf": -1.0, "_lost_motion": -1.0}),
    ("dial", {"_lost_motion": 1.0}),
    ("comb", {"kerf": 11.0}),
    ("travel", {"_scale": 1000.0}),
    ("hole", {"_scale": 30.0, "kerf": 1.0, "_lost_motion": -1.0, "hole_bias": 1.0}),
)


@dataclass(frozen=True, slots=True)
class Bearing:
    """How much some readings have to do with an unknown: by what share its variance would grow without them, 0 … 1."""

    unknown: Unknown
    share: float


class Together:
    """All rows of a case's parts with what is known and assumed, and their fit."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.read_in: dict[str, tuple[int, str]] = {}  # a row's label → its part and what was read there
        self.parts = [self._named(i, _part(case, i, part)) for i, part in enumerate(case.parts)]
        self.rows = [r for rows in self.parts for r in rows]
        unknowns = list(dict.fromkeys(u for r in self.rows for u in r.coefficients))
        self.unknowns = [u for u in unknowns if u.name in FOUND_AS]
        known = [k.row(u) for u in self.unknowns if (k := _known(case, u))]
        # Not what was found from these very readings.
        self.known = [o for o in without_what_follows([*self.rows, *known]) if o.prior]
        said = {u for o in self.known for u in o.coefficients}
        self.assumed = {u: a.row(u) for u in self.unknowns if u not in said and (a := assumed_of(case, _plain(u)))}
        self.all_rows, self.learnt = as_fitted(case, [*self.rows, *self.known, *self.assumed.values()])
        self.rows = [o for o in self.all_rows if not o.prior]
        self.fit: Fit = fit(self.all_rows)

    def _named(self, i: int, rows: list[Observation]) -> list[Observation]:
        named = [replace(row, label=f"part {i + 1}, {row.label}") for row in rows]
        self.read_in |= {new.label: (i, row.label) for new, row in zip(named, rows, strict=True)}
        return named

    def label(self, row: Observation) -> Note:
        """What its measurand is called, and in which part it stands."""
        number, name = self.read_in[row.label]
        part = self.case.parts[number]
        procedure = load(part.procedure)
        names = {m.name: m.spoken or m.label for m in procedure.measurands(procedure.piece(part.piece))}
        return note("joint.read_in", number=number + 1, what=names.get(name, name))

    def of(self, unknown: Unknown) -> Uncertain | None:
        """What all of it says of an unknown of which nothing is assumed; None where only that would tell."""
        found = self.without(unknown)
        return found.estimates.get(unknown)

    def without(self, unknown: Unknown) -> Fit:
        """The fit in which nothing is assumed of an unknown."""
        if unknown not in self.assumed:
            return self.fit
        return fit([*self.rows, *self.known, *(a for u, a in self.assumed.items() if u != unknown)])

    def confused_with(self, unknown: Unknown) -> list[Unknown]:
        """What an unknown can't be told from: nothing assumed at all."""
        bare = fit([*self.rows, *self.known])
        return sorted({b for a, b in bare.confused if a == unknown and b.name in FOUND_AS})

    def would_tell(self, unknown: Unknown) -> str:
        """A reading, by code, that would determine it beside what is there; empty where none of the usual does."""
        rest = [*self.rows, *self.known, *(a for u, a in self.assumed.items() if u != unknown)]
        axis = unknown.name[0] if unknown.name[1:2] == "_" else "x"
        subject = unknown.subject or next((u.subject for u in self.unknowns if u.name == KERF.name), "")
        for code, coefficients in A_READING:
            row = {
                Unknown(axis + name) if name.startswith("_") else Unknown(name, subject): c
                for name, c in coefficients.items()
            }
            extra = Observation("extra", row, 0.0, ((Source(Origin("extra"), 0.01, Cause.REPEATS), 1.0),))
            if unknown in row and would_determine(rest, extra, unknown):
                return code
        return ""

    def bearings(self, rows: Sequence[int]) -> list[Bearing]:
        """How much some rows, by their numbers, bring to each unknown that they are about."""
        some = [self.rows[i] for i in rows]
        rest = [r for i, r in enumerate(self.rows) if i not in set(rows)]
        others = fit([*rest, *self.known, *self.assumed.values()])
        found = []
        for u in dict.fromkeys(u for r in some for u in r.coefficients):
            if u.name not in FOUND_AS or u not in self.fit.estimates:
                continue
            now, then = self.fit.estimates[u].u, others.estimates[u].u if u in others.estimates else math.inf
            found.append(Bearing(u, max(1 - (now / then) ** 2, 0.0) if then else 0.0))
        return found

    @property
    def leant_on(self) -> list[Unknown]:
        """What is known from before."""
        return [u for o in self.known for u in o.coefficients]

    def correlation(self, a: Unknown, b: Unknown) -> float:
        """How two unknowns hang together, −1 … 1; 0 where either is not determined."""
        found = self.fit.estimates
        if a not in found or b not in found or not found[a].u or not found[b].u:
            return 0.0
        return covariance(found[a], found[b]) / (found[a].u * found[b].u)


class Joint(AnyProcedure):
    """Several pieces in one solution, with all that they share."""

    name = "joint"
    surface = Surface.CALLOUTS
    makes = Makes.NOTHING

    @property
    def yields(self) -> tuple[str, ...]:
        """Everything that its parts may tell."""
        return tuple(dict.fromkeys(FOUND_AS.values()))

    def solve(self, case: Case) -> Solution:
        """A finding for every unknown that all parts together determine."""
        if not case.parts:
            raise InputError(tr("give at least one part"), "parts")
        asks = tuple(_asks(case, i, part) for i, part in enumerate(case.parts))
        doubtful = [f for found in asks for f in found]
        if doubtful:
            return Solution(tuple(doubtful))
        model = Together(case)
        if doubt := contradicted(case, model.all_rows, {r.label: model.label(r) for r in model.rows}):
            named = tuple(model.read_in[label][1] for label in doubt.measurands)
            quantities = [FOUND_AS[u.name] for u in model.unknowns if FOUND_AS[u.name] in case.values]
            asked = [replace(ask(case, q, doubt), doubtful=named) for q in dict.fromkeys(quantities)]
            return Solution(tuple(asked))
        findings, unresolved, lacking = [], [], []
        for unknown, finding in found_by(case, model):
            if finding is None:
                others = model.confused_with(unknown)
                unresolved += [(unknown.name, b.name) for b in others]
                lacking.append(
                    note(
                        "joint.lacking",
                        unknown=unknown.name,
                        others=[b.name for b in others],
                        tells=model.would_tell(unknown),
                    )
                )
            else:
                findings.append(finding)
        leant_on = [u.name for u in model.leant_on]
        notes = (
            *lacking,
            *held_notes(case, [n for n in leant_on if n in case.known]),
            *_assumptions(model, findings),
            *model.learnt,
        )
        pairs = tuple(dict.fromkeys(tuple(sorted(pair)) for pair in unresolved))
        return Solution(tuple(findings), pairs, notes)  # type: ignore[arg-type]

    def example(self) -> JsonObject:
        """A stepped outline and a kerf plate of one router, read with the same caliper, and a dial on X."""
        return {
            "procedure": "joint",
            "machine": {
                "kind": "router",
                "decimals": 3,
                "values": {"x_steps": 106.667, "y_steps": 106.667, "x_backlash": 0.05, "kerf": 6.0},
            },
            "tolerance": {"x_steps": 0.4, "y_steps": 0.4, "x_backlash": 0.05, "kerf": 0.1},
            "parts": [
                {
                    "procedure": "rectangle",
                    "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
                    "piece": {"width": 400, "height": 300, "short_width": 120, "short_height": 90, "compensation": 6.0},
                    "readings": [
                        {"measurand": "width", "values": [400.31, 400.3]},
                        {"measurand": "height", "values": [299.79, 299.8]},
                        {"measurand": "short_width", "values": [120.02, 120.01]},
                        {"measurand": "short_height", "values": [89.9, 89.91]},
                    ],
                },
                {
                    "procedure": "kerf-square",
                    "instrument": {"resolution": 0.01, "permissible_error": [0.02, 0.00002]},
                    "piece": {"width": 160, "height": 120, "slot": 16, "compensation": 6.0},
                    "readings": [
                        {"measurand": "width", "values": [160.05, 160.04]},
                        {"measurand": "slot", "values": [16.05, 16.06]},
                    ],
                },
                {
                    "procedure": "backlash",
                    "instrument": {"kind": "dial", "resolution": 0.01, "permissible_error": [0.006, 0.0]},
                    "piece": {"axis": "x", "travel": 10},
                    "readings": [{"measurand": "return", "values": [0.04, 0.05]}],
                },
            ],
        }


def found_by(case: Case, model: Together) -> list[tuple[Unknown, Finding | None]]:
    """Every unknown in order with its finding; None for what can't be told."""
    found: list[tuple[Unknown, Finding | None]] = []
    for unknown in sorted(model.unknowns, key=lambda u: (ORDER.index(u.name), u.subject)):
        estimate = model.of(unknown)
        found.append((unknown, None if estimate is None else _finding(case, model, unknown, estimate)))
    return found


def _part(case: Case, i: int, part: Case) -> list[Observation]:
    """A part's rows, keyed so that only what is one error or one unknown is one."""
    who = f"instrument {_instrument(case, part)}"
    part = replace(part, instrument=replace(part.instrument, uid=who))
    with _placed(i):
        rows = load(part.procedure).rows(part)
    subject = part.subject.on(QUANTITIES["kerf"].depends).key
    found = []
    for row in rows:
        keyed = {_keyed(u, i, subject): c for u, c in row.coefficients.items()}
        effects = tuple((_own(s, i), c) for s, c in row.effects)
        found.append(replace(row, coefficients=keyed, effects=effects, evidence=part.evidence))
    return found


@contextmanager
def _placed(i: int) -> Iterator[None]:
    """What is wrong in a part is said with its place in the whole."""
    try:
        yield
    except InputError as error:
        raise InputError(error.message, f"parts[{i}].{error.place}".rstrip(".")) from None


def _instrument(case: Case, part: Case) -> int:
    """The same instrument is the same all along: the first part that was read with it."""
    return next(i for i, other in enumerate(case.parts) if other.instrument == part.instrument)


def _keyed(unknown: Unknown, i: int, subject: str) -> Unknown:
    if unknown.name in OF_SUBJECT:
        return Unknown(unknown.name, subject)
    return unknown if unknown.name in FOUND_AS else Unknown(unknown.name, f"part {i}")  # where a rule's zero lies


def _own(source: Source, i: int) -> Source:
    """What an instrument does wherever it is used stays one error; all else happened on this part."""
    return source if source.origin.instrument else source._replace(origin=source.origin._replace(part=i))


def _plain(unknown: Unknown) -> Unknown:
    return Unknown(unknown.name)


def _known(case: Case, unknown: Unknown) -> Known | None:
    """What is known from before; of a kerf only where it is clear whose it is."""
    found = case.known.get(unknown.name)
    if found is None or unknown.name not in OF_SUBJECT:
        return found
    subjects = {p.subject.on(QUANTITIES["kerf"].depends).key for p in case.parts}
    mine = case.subject.on(QUANTITIES["kerf"].depends).key
    return found if len(subjects) == 1 or unknown.subject == mine else None


def _asks(case: Case, i: int, part: Case) -> tuple[Finding, ...]:
    """What a part by itself asks about before anything is computed."""
    if part.confirmed or case.confirmed:
        return ()
    with _placed(i):
        answer = load(part.procedure).solve(part)
    where = note("joint.part", number=i + 1)
    return tuple(
        replace(f, notes=tuple(n.of(where) if not n.values.get("what") else n for n in f.notes))
        for f in answer.findings
        if f.verdict is Verdict.IMPLAUSIBLE
    )


def _finding(case: Case, model: Together, unknown: Unknown, estimate: Uncertain) -> Finding:
    quantity = FOUND_AS[unknown.name]
    if unknown.name in OF_SUBJECT:
        case = replace(case, subject=Subject.from_key(unknown.subject) if unknown.subject else case.subject)
    if unknown.name == KERF.name:
        held = held_kerf(case)
        return kerf_finding(case, None, estimate, estimate.value if held is None else 0.0, ())
    if unknown.name == HOLE_BIAS.name:
        left = combination(((1.0, estimate),), -case.amount(quantity).base)
        text = f"{case.in_its_unit(case.amount(quantity).base)} + {case.in_its_unit(left.value)}".replace("+ −", "− ")
        return judged(case, amount_outcome(case, quantity, estimate.value, left, arithmetic(text)))
    if unknown == lost_motion_of(unknown.name[0]):
        return judged(case, backlash_outcome(_unweighed(case), quantity, estimate, compensation_off=False))
    assert unknown == scale_of(unknown.name[0])
    if isinstance(case.values.get(quantity), StoredResolution):
        came = f"{PER_METRE * (1 + estimate.value):.4f}"
        return judged(
            case, scale_outcome(case, quantity, estimate, PER_METRE, scale_formula(case, quantity, "1000", came))
        )
    T = case.tolerance_of(quantity, PER_METRE)
    error = estimate.times(PER_METRE)
    verdict = judge(error.value, error.U, T)
    found = no_number(case, quantity, verdict, note("joint.nothing_held"), PER_METRE)
    notes, settled = with_remedies(verdict, found.notes, case, None, quantity, error, T)
    return replace(
        found,
        old=None,
        error=error.value,
        notes=notes,
        expanded_uncertainty=error.U,
        worth_correcting=worth_correcting(error.value, error.U),
        remedies=settled,
        limits=shares_of(error),
        assumed=taken_for_granted(error.effects),
    )


def _unweighed(case: Case) -> Case:
    """What was known is in the fit already."""
    return replace(case, known={})


def _assumptions(model: Together, findings: Sequence[Finding]) -> tuple[Note, ...]:
    """What was assumed, where it shows in any answer."""
    said = []
    for unknown, row in model.assumed.items():
        ((source, _),) = row.effects
        others = [model.of(u) for u in model.unknowns if u != unknown]
        shares = [
            sum((s.u * c) ** 2 for s, c in e.effects if s.origin == source.origin) / e.u**2 for e in others if e and e.u
        ]
        if findings and max(shares, default=0.0) > 0.05:
            assumed = assumed_of(model.case, _plain(unknown))
            said.append(note("kerf_square.assumed", unknown=unknown.name, U=assumed.U if assumed else None))
    return tuple(said)


def whole_of(parts: Sequence[Case], shared: Case) -> Case:
    """A case of several parts, what is known and asked of them taken from `shared`."""
    return replace(shared, procedure="joint", piece={}, readings={}, parts=tuple(parts))


PROCEDURE = Joint()
