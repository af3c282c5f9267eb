"""Whose a number is: some belong to the machine alone, others to what is mounted on it as well.

A kerf is that of a tool in a material, an offset that of an accessory, a print scale that of a printer and its carrier.
A quantity says on which of these dimensions it depends (`Quantity.depends`); what is mounted, projected onto them, is
its subject. Values and findings of different subjects are different numbers.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, replace

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.lengths import parse_length, trim_number

LONGEST = 60  # characters of a name
_THICKEST = 500.0


@dataclass(frozen=True, slots=True)
class Subject:
    """What a value belongs to besides its machine; empty where that doesn't matter, or unknown.

    In a shop, things stand under their identity; on the command line, under whatever name was given.
    material, thickness (mm; 0 for none): of what is cut. process: the settings with which it is cut.
    printer, carrier: of print-and-cut. accessory: what is held beside the tool.
    """

    tool: str = ""
    accessory: str = ""
    material: str = ""
    thickness: float = 0.0
    process: str = ""
    printer: str = ""
    carrier: str = ""

    def on(self, dimensions: Iterable[str]) -> Subject:
        """Projected onto some dimensions: the others don't matter."""
        wanted = {name: getattr(self, name) for name in dimensions}
        return replace(NO_SUBJECT, **wanted)

    @property
    def key(self) -> str:
        """One text for each subject, by which its values are found: ``material=birch ply;thickness=9``."""
        return ";".join(f"{name}={_escaped(text)}" for name, text in self._said())

    @classmethod
    def from_key(cls, key: str) -> Subject:
        """Inverse of `key`."""
        found: JsonObject = {}
        for part in re.findall(r"(?:\\.|[^;\\])+", key, re.DOTALL):
            name, _, text = part.partition("=")
            plain = re.sub(r"\\(.)", r"\1", text, flags=re.DOTALL)
            found[name] = float(plain) if name == "thickness" else plain
        return cls(**found)

    def _said(self) -> list[tuple[str, str]]:
        found = [(name, getattr(self, name)) for name in DIMENSIONS]
        return [(name, v if isinstance(v, str) else trim_number(v, 6)) for name, v in found if v]

    def to_json(self) -> JsonObject:
        """What is said of it, as `solve` prints it and the shop file keeps it."""
        return {name: v for name in DIMENSIONS if (v := getattr(self, name))}


DIMENSIONS = tuple(f.name for f in fields(Subject))
NO_SUBJECT = Subject()


def subject_from_input(given: object, place: str = "subject") -> Subject:
    """From JSON. Raises InputError naming what isn't known, or isn't text."""
    if not isinstance(given, Mapping):
        raise InputError(tr("expected an object {{…}}, got {given!r}", given=str(given)[:40]), place)
    found: JsonObject = {}
    for name, value in given.items():
        if name not in DIMENSIONS:
            raise InputError(
                tr("not known here; expected one of {dimensions}", dimensions=", ".join(DIMENSIONS)), f"{place}.{name}"
            )
        found[name] = (_thickness if name == "thickness" else _text)(value, f"{place}.{name}")
    return Subject(**found)


def _text(given: object, place: str) -> str:
    if not isinstance(given, str) or len(given) > LONGEST:
        raise InputError(tr("expected a name of at most {longest} characters", longest=LONGEST), place)
    return given


def _thickness(given: object, place: str) -> float:
    if isinstance(given, str):
        try:
            mm = parse_length(given).mm
        except InputError as error:
            raise error.at(place) from None
    elif isinstance(given, bool) or not isinstance(given, (int, float)):
        raise InputError(tr("expected a length"), place)
    else:
        mm = float(given)
    if not (math.isfinite(mm) and 0 <= mm <= _THICKEST):
        raise InputError(tr("must be between 0 and {thickest:g} mm", thickest=_THICKEST), place)
    return mm


def _escaped(text: str) -> str:
    return text.replace("\\", "\\\\").replace(";", "\\;").replace("=", "\\=")
