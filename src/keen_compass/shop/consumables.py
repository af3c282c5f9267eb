"""How far what cuts has been used since it was changed, how the kerf drifts with that, and when to change it.

A change is an event; what was cut is counted from the files that were sent; what was cut besides is told by whoever
knows the machine's own counter. Each counts from its time on.
"""

from __future__ import annotations

import bisect
import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.uncertainty import K_95, Cause
from keen_compass.shop.kept import KeptFinding, KeptPiece
from keen_compass.shop.library import ONE, found_width
from keen_compass.shop.machines import key_for
from keen_compass.shop.store import Shop

if TYPE_CHECKING:  # the rose needs no fit
    from keen_compass.solve.wear import Point, Reaches, Wear

MOST_AGE = 1e7  # uses
# With whatever else was read with it.
SHARED = (Cause.OWN_ERROR, Cause.TILT, Cause.KNOWN, Cause.ASSUMED, Cause.SCALE, Cause.PLAY)


@dataclass(frozen=True, slots=True)
class Ages:
    """Uses since the last change, as a history. steps: (from when, age from then on, number of the set), by time."""

    steps: tuple[tuple[str, float, int], ...]

    def at(self, when: str) -> tuple[float, int]:
        """(age, set) just before something that was made at a time (UTC)."""
        i = bisect.bisect_left([step[0] for step in self.steps], when) - 1
        return (self.steps[i][1], self.steps[i][2]) if i >= 0 else (0.0, 0)

    @property
    def now(self) -> tuple[float, int]:
        """(age, number of the set) at this moment."""
        return self.steps[-1][1:] if self.steps else (0.0, 0)


@dataclass(frozen=True, slots=True)
class Consumables:
    """What is in a machine now, and what is known of how it wears.

    age: of these, in `counted`; set: their number; since: when they were put in (UTC), empty where not stated.
    found: kerfs of what is looked at, each with its age and set. wear: None where nothing was found at two ages.
    width: that is in force, full, mm; 0 where unknown. tolerance: mm.
    line: at which age the width in force is out by the tolerance.
    """

    counted: str
    age: float
    set: int
    since: str
    found: tuple[Point, ...]
    wear: Wear | None
    width: float
    tolerance: float
    line: Reaches | None

    @property
    def worn(self) -> bool:
        """Whether the drift has eaten the tolerance."""
        return self.line is not None and self.age >= self.line.age > 0  # else it is the number that is off

    @property
    def left(self) -> float | None:
        """Uses until then; None where it can't be told."""
        return None if self.line is None else max(self.line.age - self.age, 0.0)


def ages(shop: Shop, machine: Machine, tool: str, pieces: Sequence[KeptPiece] | None = None) -> Ages:
    """Of one tool's consumables. pieces: of the machine, where they are at hand."""
    counted = machine.wear_counted
    happened: list[tuple[str, str, float]] = [(at, "changed", 0.0) for at in _changes(shop, machine, tool)]
    happened += [(at, "told", float(body["age"])) for at, body in shop.thing_versions(_uid(machine.uid, tool))]
    for piece in shop.machine_pieces(machine.uid) if pieces is None else pieces:
        cut_with = piece.snapshot.tool
        if piece.use and cut_with and cut_with.uid == tool:
            happened.append((piece.at, "used", float(piece.use.get(counted, 0.0))))
    steps: list[tuple[str, float, int]] = []
    age, number = 0.0, 0
    for at, what, amount in sorted(happened):
        number += what == "changed"
        age = age + amount if what == "used" else amount
        steps.append((at, age, number))
    return Ages(tuple(steps))


def _changes(shop: Shop, machine: Machine, tool: str) -> list[str]:
    """When this tool's consumables were changed: when it was in."""
    changed = [at for at, kind, _ in shop.events(machine.uid) if kind == "tool"]
    if len(machine.tools) < 2:
        return changed
    return [at for at in changed if (was := shop.machine(machine.uid, until=at).tool) is None or was.uid == tool]


def tell_age(shop: Shop, machine: Machine, tool: str, age: float) -> None:
    """Somebody knows better how much they were used. Raises InputError."""
    if not 0 <= age <= MOST_AGE:
        raise InputError(tr("must be between 0 and {most_age:g}", most_age=MOST_AGE), "age")
    body = {"name": "consumables", "machine": machine.uid, "tool": tool, "age": age, "counted": machine.wear_counted}
    shop.put_things("consumables", {_uid(machine.uid, tool): body}, again=True)


def _uid(machine: str, tool: str) -> str:
    said = "\x1f".join(("consumables", machine, tool))
    return hashlib.blake2b(said.encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()


def consumables(shop: Shop, machine: Machine, subject: Subject | None = None) -> Consumables | None:
    """Of the tool of a subject (what is mounted, if none is given), with what is known of its kerf in that stock.

    None for what draws, and for machines of which no kerf is calibrated.
    """
    subject = machine.subject if subject is None else subject
    tool = next((t for t in machine.tools if t.uid == subject.tool), None)
    if tool is None or tool.drawn or "kerf" not in machine.quantities:
        return None
    pieces = shop.machine_pieces(machine.uid)
    history = ages(shop, machine, tool.uid, pieces)
    age, number = history.now
    key = key_for("kerf", subject)
    kept = [k for k in shop.findings(machine.uid, "kerf") if key_for("kerf", k.finding.subject) == key]
    found = tuple(_points(shop, kept, {p.id: p for p in pieces}, history))
    width, T = _in_force(shop, machine, key), machine.tolerance("kerf")
    changes = _changes(shop, machine, tool.uid)
    worn = _wear(found)
    line = None
    if worn and width:
        rising = 1.0 if worn.per_use.value > 0 else -1.0
        line = worn.reaches(width + rising * T, number)
    return Consumables(machine.wear_counted, age, number, changes[-1] if changes else "", found, worn, width, T, line)


def _wear(found: Sequence[Point]) -> Wear | None:
    if len(found) < 2:
        return None
    from keen_compass.solve.wear import wear

    return wear(found)


def _points(shop: Shop, kept: Sequence[KeptFinding], pieces: Mapping[int, KeptPiece], history: Ages) -> list[Point]:
    """Kerfs that rounds found, with the age of what cut them."""
    from keen_compass.solve.wear import Point

    points = []
    for k in kept:
        width, piece = found_width(k.finding), pieces.get(k.piece)
        if width is None or piece is None:
            continue
        value, U = width
        age, number = history.at(piece.at)
        alike = sum(share for cause, share in k.finding.limits if cause in SHARED)
        by = next((r.instrument for r in shop.readings(piece.id)), "")
        u = U / K_95
        own, shared = u * max(1 - alike, 0.0) ** 0.5, u * min(alike, 1.0) ** 0.5
        points.append(Point(age, value, max(own, 0.05 * u), ((by, shared),) if shared else (), number))
    return points


def _in_force(shop: Shop, machine: Machine, key: str) -> float:
    """The full width that is held for a subject, mm; 0 where nothing is."""
    own = shop.values_by_subject(machine.uid).get(("kerf", key))
    if own is None or not isinstance(own.stored, StoredAmount):
        return 0.0
    return own.stored.base * machine.kerf_width(ONE)
