"""The kerfs that a shop knows of a machine: found by rounds, typed, or read from the maker's cutting chart.

For what was never cut the nearest entry, or what lies between two thicknesses, is a starting value: never a result.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from keen_compass.machines.profile import Machine
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.store import Shop

SETTINGS = ("feed", "pierce_height", "cut_height", "pierce_delay", "power")  # of a process, as a machine has them
SAME_THICKNESS = 1e-6  # mm


class Known(StrEnum):
    """How a width is known."""

    FOUND = "found"  # by a round
    TYPED = "typed"
    CHARTED = "charted"


@dataclass(frozen=True, slots=True)
class KerfEntry:
    """What one subject's cut needs.

    width: the compensation that comes out right, full width, mm; U: of it, None where nobody knows. at: when (UTC).
    verdict: of the round that found it. settings: of the process, by the names of `SETTINGS`, as far as they are known.
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
        f = kept.finding
        if uid != machine.uid or quantity != "kerf" or not isinstance(f.new, (int, float)) or f.verdict not in USABLE:
            continue
        if not f.expanded_uncertainty or not f.new_expanded_uncertainty:
            continue
        # mm of full width for one of the controller's number as it was kept then: how the two U stand to each other.
        size = f.expanded_uncertainty / f.new_expanded_uncertainty
        found = KerfEntry(
            Subject.from_key(key), f.new * size, Known.FOUND, f.expanded_uncertainty, kept.at, str(f.verdict)
        )
        entries[key] = _on(entries, key, found)
    return sorted(entries.values(), key=_order)


USABLE = (Verdict.IN, Verdict.OUT, Verdict.CANNOT_TELL)


def _on(entries: Mapping[str, KerfEntry], key: str, entry: KerfEntry) -> KerfEntry:
    """An entry with the settings that are known of its subject."""
    return replace(entry, settings=entries[key].settings) if key in entries else entry


def _order(entry: KerfEntry) -> tuple[str, float, str, str]:
    s = entry.subject
    return s.material.casefold(), s.thickness, s.process, s.tool


def charted(shop: Shop, machine: str) -> list[KerfEntry]:
    """What the maker's chart says, or was kept of process settings, for one machine."""
    found = []
    for body in shop.charted():
        if body["machine"] == machine and body.get("kerf"):
            subject = Subject(
                material=body["material"], thickness=float(body["thickness"]), process=body["process"],
                tool=body.get("tool", ""),
            )  # fmt: skip
            settings = {name: float(body[name]) for name in SETTINGS if body.get(name) is not None}
            found.append(KerfEntry(subject, float(body["kerf"]), Known.CHARTED, settings=settings))
    return found


def chart_thing(
    machine: str, subject: Subject, kerf: float, settings: Mapping[str, float]
) -> tuple[str, dict[str, Any]]:
    """(uid, body) of a line of a chart, as the shop file keeps it."""
    said = (machine, subject.process, subject.material, f"{subject.thickness:g}")
    uid = hashlib.blake2b("\x1f".join(("chart", *said)).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
    body = {
        "name": f"{subject.process}, {subject.material} {subject.thickness:g} mm", "machine": machine,
        "process": subject.process, "material": subject.material, "thickness": subject.thickness, "kerf": kerf,
        **settings,
    }  # fmt: skip
    return uid, body


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
