"""The kerfs that a shop knows of a machine: found by rounds, typed, or read from the maker's cutting chart.

For what was never cut the nearest entry, or what lies between two thicknesses, is a starting value: never a result.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.heads import sign_kept
from keen_compass.machines.limits import PROCESS_SETTINGS
from keen_compass.machines.profile import Machine
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.kept import KeptValue
from keen_compass.shop.machines import key_for
from keen_compass.shop.store import Shop

SAME_THICKNESS = 1e-6  # mm


class Known(StrEnum):
    """How a width is known."""

    FOUND = "found"  # by a round
    TYPED = "typed"
    CHARTED = "charted"


@dataclass(frozen=True, slots=True)
class KerfEntry:
    """What one subject's cut needs.

    width: the compensation that comes out right, full width, mm; U: of it, None where unknown. at: when (UTC).
    verdict: of the round that found it. settings: of the process (`PROCESS_SETTINGS`), as far as they are known.
    """

    subject: Subject
    width: float
    known: Known
    U: float | None = None
    at: str = ""
    verdict: str = ""
    settings: Mapping[str, float] | None = None


class How(StrEnum):
    """How a starting value comes about."""

    BETWEEN = "between"  # two thicknesses
    NEAREST = "nearest"  # of the same material, another thickness
    CHARTED = "charted"
    ELSEWHERE = "elsewhere"  # of the same tool, in another material
    DIAMETER = "diameter"  # of the tool: nothing like it was cut or charted


@dataclass(frozen=True, slots=True)
class Starting:
    """A width to begin with, mm, and the entries that it comes from."""

    width: float
    how: How
    of: tuple[KerfEntry, ...]


def kerfs(shop: Shop, machine: Machine) -> list[KerfEntry]:
    """Everything known of a machine's kerfs, one entry for each subject: what was found before what was charted."""
    entries = {entry.subject.key: entry for entry in charted(shop, machine.uid)}
    for (quantity, key), value in shop.values_by_subject(machine.uid).items():
        if quantity == "kerf" and key and isinstance(value.stored, StoredAmount) and value.stored.value:
            width = machine.kerf_width(value.stored)
            entries[key] = _on(entries, key, KerfEntry(Subject.from_key(key), width, Known.TYPED, None, value.at))
    for (uid, quantity, key), kept in shop.latest_findings().items():
        right = found_width(kept.finding) if (uid, quantity) == (machine.uid, "kerf") else None
        if right is None:
            continue
        found = KerfEntry(Subject.from_key(key), right[0], Known.FOUND, right[1], kept.at, str(kept.finding.verdict))
        entries[key] = _on(entries, key, found)
    return sorted(entries.values(), key=_order)


def found_width(f: Finding) -> tuple[float, float] | None:
    """(full width that a round found to be right, U), mm; None where it found none."""
    if not isinstance(f.new, (int, float)) or f.verdict not in USABLE:
        return None
    if not f.expanded_uncertainty or not f.new_expanded_uncertainty:
        return None
    # mm of full width for one of the controller's number as it was kept then: how the two U stand to each other.
    return f.new * f.expanded_uncertainty / f.new_expanded_uncertainty, f.expanded_uncertainty


ONE = StoredAmount("kerf", "mm", 1.0)
USABLE = (Verdict.IN, Verdict.OUT, Verdict.CANNOT_TELL)


def _on(entries: Mapping[str, KerfEntry], key: str, entry: KerfEntry) -> KerfEntry:
    """An entry with the settings that are known of its subject."""
    return replace(entry, settings=entries[key].settings) if key in entries else entry


def _order(entry: KerfEntry) -> tuple[str, float, str, str]:
    s = entry.subject
    return s.material.casefold(), s.thickness, s.process, s.tool


def charted(shop: Shop, machine: str) -> list[KerfEntry]:
    """What the maker's chart says, for one machine."""
    found = []
    for body in shop.things_of("chart"):
        if body["machine"] == machine:
            found.append(KerfEntry(_said(body), float(body["kerf"]), Known.CHARTED, settings=_settings(body)))
    return found


def take_chart(shop: Shop, machine: str, lines: Sequence[KerfEntry]) -> None:
    """Lines of a maker's chart, as starting values; a line that was there already is replaced."""
    things = {}
    for line in lines:
        uid, body = _thing("chart", machine, line.subject, line.settings or {})
        things[uid] = {**body, "kerf": line.width}
    shop.put_things("chart", things)


def processes(shop: Shop, machine: Machine) -> tuple[str, ...]:
    """Names of the settings with which a machine cuts, as far as they are known."""
    said = [machine.process, *(e.subject.process for e in kerfs(shop, machine))]
    said += [str(b["process"]) for b in shop.things_of("process") if b["machine"] == machine.uid]
    return tuple(sorted({name for name in said if name}))


def put_on(
    shop: Shop,
    machine: Machine,
    *,
    tool: Tool | None = None,
    stock: Stock | None = None,
    process: str | None = None,
    fitted: Mapping[str, str] | None = None,
) -> None:
    """Something else is on a machine: its settings come back with it, and those of what was on it are kept."""
    now = replace(
        machine,
        mounted=tool.uid if tool else machine.mounted,
        stock=stock or machine.stock,
        process=machine.process if process is None else process,
    )
    with shop.writing():
        if machine.process:
            kept = {name: getattr(machine, name) for name in used_by(machine)}
            shop.put_things("process", dict([_thing("process", machine.uid, machine.subject, kept)]))
        known = settings_for(shop, machine.uid, now.subject) if now.process else {}
        profile = replace(machine, process=now.process, **known)  # type: ignore[arg-type]
        if profile != machine:
            shop.put_machine(profile)
        if tool or stock or fitted:
            shop.mount(profile, tool=tool, stock=stock, fitted=fitted)


def used_by(machine: Machine) -> tuple[str, ...]:
    """Which settings of a process mean something on a machine: a beam has power, a torch has heights."""
    unused = ["pierce_height", "cut_height"] if machine.kind is MachineKind.LASER else ["power"]
    unused += [] if machine.moves_lens else ["focus"]
    return tuple(name for name in PROCESS_SETTINGS if name not in unused)


@dataclass(frozen=True, slots=True)
class Misplaced:
    """The controller holds the number of another subject than what is on the machine.

    held: what it holds, of whom; None for nothing. wanted: this one's own number, or one to begin with; None where
    nothing is known.
    """

    held: KeptValue | None
    wanted: StoredValue | None
    own: bool


def misplaced(shop: Shop, machine: Machine) -> Misplaced | None:
    """None where the kerf in the controller is that of what is on the machine, or our files carry it."""
    held, key = shop.values(machine.uid).get("kerf"), key_for("kerf", machine.subject)
    if held is None or held.subject == key or not machine.in_controller("kerf"):
        return None
    own = shop.values_by_subject(machine.uid).get(("kerf", key))
    if own is not None and isinstance(own.stored, StoredAmount):
        return Misplaced(held, own.stored, own=True)
    place = machine.place("kerf")
    found = starting(kerfs(shop, machine), machine.subject)
    begin = (
        StoredAmount.of("kerf", found.width / machine.kerf_width(ONE), place.unit, place.decimals) if found else None
    )
    return Misplaced(held, begin, own=False)


def of_another(shop: Shop, machine: Machine) -> dict[str, Misplaced]:
    """By quantity, offsets, trails and print scales in the controller that are those of something else than what is
    fitted now: what is put back when that comes back. The maker's offset of an accessory is one to begin with."""
    held, own = shop.values(machine.uid), shop.values_by_subject(machine.uid)
    accessory = machine.fitting("accessory")
    found: dict[str, Misplaced] = {}
    for q in machine.quantities:
        known, key = QUANTITIES[q], key_for(q, machine.subject)
        if not known.depends or known.group == "cut" or not machine.in_controller(q):
            continue
        now, mine = held.get(q), own.get((q, key))
        if now is None or now.subject == key:
            begin = _recommended(machine, q, accessory) if now is None and mine is None else None
            if begin:
                found[q] = Misplaced(None, begin, own=False)
            continue
        wanted = mine.stored if mine else _recommended(machine, q, accessory)
        found[q] = Misplaced(now, wanted, own=mine is not None)
    return found


def _recommended(machine: Machine, quantity: str, accessory: Fitting | None) -> StoredAmount | None:
    """What the maker of an accessory gives for the second tool that it makes, as the controller keeps it."""
    known = QUANTITIES[quantity]
    if accessory is None or accessory.offset is None or known.family.name != "second_tool":
        return None
    place, sign = machine.place(quantity), sign_kept(quantity, machine.offset_form, machine.flipped)
    mm = accessory.offset["xy".index(known.axis)]
    return StoredAmount.of(quantity, sign * mm, place.unit, place.decimals)


def settings_for(shop: Shop, machine: str, subject: Subject) -> dict[str, float]:
    """With which `PROCESS_SETTINGS` a material is cut in a process: as they were kept, else as the chart says."""
    for kind in ("process", "chart"):
        uid, _ = _thing(kind, machine, subject, {})
        if body := shop.thing(uid):
            return _settings(body)
    return {}


def _thing(kind: str, machine: str, subject: Subject, settings: Mapping[str, float]) -> tuple[str, JsonObject]:
    """(uid, body) as the shop file keeps it: whatever cuts, of one process in one material and thickness."""
    said = (kind, machine, subject.process, subject.material, f"{subject.thickness:g}")
    uid = hashlib.blake2b("\x1f".join(said).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
    return uid, {
        "name": f"{subject.process}, {subject.material} {subject.thickness:g} mm",
        "machine": machine,
        "process": subject.process,
        "material": subject.material,
        "thickness": subject.thickness,
        **settings,
    }


def _said(body: JsonMapping) -> Subject:
    return Subject(material=body["material"], thickness=float(body["thickness"]), process=body["process"])


def _settings(body: JsonMapping) -> dict[str, float]:
    return {name: float(body[name]) for name in PROCESS_SETTINGS if body.get(name) is not None}


def entry_for(entries: Sequence[KerfEntry], subject: Subject) -> KerfEntry | None:
    """What is known of this very subject; what a chart says holds for any tool of the process."""
    same = [e for e in entries if e.subject == subject]
    same += [e for e in entries if e.subject == replace(subject, tool="")]
    return min(same, key=lambda e: e.known is Known.CHARTED, default=None)


def starting(entries: Sequence[KerfEntry], subject: Subject) -> Starting | None:
    """Where to begin with what was never cut: between two thicknesses of the material if there are any."""
    mine = [e for e in entries if e.subject.process == subject.process and e.subject.tool in ("", subject.tool)]
    alike = [e for e in mine if e.subject.material == subject.material]
    found, chart = ([e for e in alike if (e.known is Known.CHARTED) is c] for c in (False, True))
    if between := _between(found, subject.thickness):
        return between
    same = [e for e in chart if abs(e.subject.thickness - subject.thickness) < SAME_THICKNESS]
    if same:
        return Starting(same[0].width, How.CHARTED, (same[0],))
    if between := _between(alike, subject.thickness):
        return between
    for some, how in ((alike, How.NEAREST), ([e for e in mine if e.subject.tool], How.ELSEWHERE)):
        if some:
            nearest = min(some, key=lambda e: (abs(e.subject.thickness - subject.thickness), e.known is Known.CHARTED))
            return Starting(nearest.width, how, (nearest,))
    return None


def begin_with(entries: Sequence[KerfEntry], subject: Subject, diameter: float) -> Starting | None:
    """`starting`, else the tool's diameter (mm); None where not even that is known."""
    return starting(entries, subject) or (Starting(diameter, How.DIAMETER, ()) if diameter else None)


def _between(entries: Sequence[KerfEntry], thickness: float) -> Starting | None:
    """On the straight line from the next thinner entry to the next thicker one."""
    thinner = max((e for e in entries if e.subject.thickness < thickness - SAME_THICKNESS), default=None, key=_thick)
    thicker = min((e for e in entries if e.subject.thickness > thickness + SAME_THICKNESS), default=None, key=_thick)
    if thinner is None or thicker is None:
        return None
    share = (thickness - _thick(thinner)) / (_thick(thicker) - _thick(thinner))
    return Starting(thinner.width + share * (thicker.width - thinner.width), How.BETWEEN, (thinner, thicker))


def _thick(entry: KerfEntry) -> float:
    return entry.subject.thickness


Row = tuple[str, float]  # material, thickness
Column = tuple[str, str]  # tool's uid, process


@dataclass(frozen=True, slots=True)
class Board:
    """All kerfs of a machine: materials and thicknesses down, what cuts across; a cell is an entry or a guess."""

    rows: tuple[Row, ...]
    columns: tuple[Column, ...]
    cells: Mapping[tuple[Row, Column], KerfEntry | Starting]
    on_it: tuple[Row, Column] | None  # what is mounted now

    def subject(self, row: Row, column: Column) -> Subject:
        """Whose value a cell is."""
        return Subject(tool=column[0], process=column[1], material=row[0], thickness=row[1])


def board(shop: Shop, machine: Machine) -> Board:
    """What is known, with a starting value wherever there is one."""
    entries, tool = kerfs(shop, machine), machine.tool
    columns = {(e.subject.tool, e.subject.process) for e in entries if e.subject.tool}
    columns |= {(t.uid, machine.process) for t in machine.tools if not t.drawn}
    for process in {e.subject.process for e in entries} - {p for _, p in columns}:  # only charted yet
        columns |= {(t.uid, process) for t in machine.tools[:1]}
    rows = {(e.subject.material, e.subject.thickness) for e in entries}
    rows |= {(s.name, s.thickness) for s in shop.stock_at_hand(machine)}
    diameters = {t.uid: t.diameter for t in machine.tools}
    cells: dict[tuple[Row, Column], KerfEntry | Starting] = {}
    for row in rows:
        for column in columns:
            subject = Subject(tool=column[0], process=column[1], material=row[0], thickness=row[1])
            known = entry_for(entries, subject) or begin_with(entries, subject, diameters.get(column[0], 0.0))
            if known:
                cells[row, column] = known
    names = {t.uid: i for i, t in enumerate(machine.tools)}
    stock = machine.stock
    on_it = ((stock.name, stock.thickness), (tool.uid, machine.process)) if stock and tool and not tool.drawn else None
    return Board(
        tuple(sorted(rows, key=lambda r: (r[0].casefold(), r[1]))),
        tuple(sorted(columns, key=lambda c: (names.get(c[0], 99), c[1]))),
        cells,
        on_it,
    )
