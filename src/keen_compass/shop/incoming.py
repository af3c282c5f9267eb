"""A logbook file from somewhere else, understood before any of it is taken over.

Three looks at every row: is it a row of its table with fields of the right types; does its body say something that
this program understands, within what a machine can be; do the rows that it refers to exist. The first thing that is
wrong is refused with its place. What passes is written back in the program's own form, so that nothing else gets in.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, TypeVar

from keen_compass.errors import FileFormatError, InputError
from keen_compass.machines.profile import Machine, instrument_to_json
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.marks import KINDS, Choices, Editing, Signed, Skipped, StepShown
from keen_compass.shop.schema import COLUMNS, NULLABLE

T = TypeVar("T")
FORMAT = "keen-compass-logbook"
VERSION = 2
LARGEST = 400_000_000  # characters of a file
LONGEST = {"body": 4_000_000, "text": 100_000}  # characters of a field; 200 for any other
LARGEST_WHOLE = 2**53
LARGEST_NUMBER = 1e12
TABLES = ("machine", "instrument", "round", "piece", "mark", "reading", "value", "finding", "event")
HOW = ("start", "typed", "read_back")
STEPS = ("make", "measure", "correct", "confirm")
TOLD_EVERY = 500

# (procedure, parameters of a piece, or None where there is none yet) → what is wrong, or an empty text
Understands = Callable[[str, Mapping[str, Any] | None], str]


@dataclass(frozen=True, slots=True)
class Incoming:
    """Rows by table, as `schema.COLUMNS` has them, references checked; numbers are those of the file."""

    tables: dict[str, list[dict[str, Any]]]


def read_incoming(
    text: str, understands: Understands, machines_here: set[str], progress: Callable[[float], None] = lambda _: None
) -> Incoming:
    """Understand a whole file. Raises FileFormatError naming the place."""
    given = _tables(text)
    tables: dict[str, list[dict[str, Any]]] = {}
    total, done = max(sum(map(len, given.values())), 1), 0
    reader = _Reader(understands, machines_here)
    for table in TABLES:
        tables[table] = []
        for i, raw in enumerate(given[table]):
            done += 1
            if done % TOLD_EVERY == 0:
                progress(done / total)
            where = f"{table}[{i}]"
            try:
                tables[table].append(reader.row(table, _shaped(table, raw)))
            except _Wrong as wrong:
                raise FileFormatError(
                    f"This logbook file can’t be taken over: {where}{wrong.field}: {wrong}. Nothing was changed."
                ) from None
    return Incoming(tables)


class _Wrong(Exception):  # noqa: N818 (becomes a FileFormatError with its place)
    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = f".{field}" if field else ""


def _tables(text: str) -> dict[str, list[Any]]:
    """The file's tables, of this version; those of version 1 are brought up."""
    if len(text) > LARGEST:
        raise FileFormatError("This file is larger than any logbook (400 MB). Nothing was changed.")
    try:
        body: Any = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError) as error:
        raise FileFormatError(f"This is not a logbook file: {' '.join(str(error).split())[:200]}.") from None
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise FileFormatError("This is not a logbook file: it doesn’t say that it is one.")
    version, given = body.get("version"), body.get("tables")
    if version not in (1, VERSION) or isinstance(version, bool):
        raise FileFormatError(
            f"This logbook file has version {str(version)[:20]}; this program reads 1 to {VERSION}."
        )  # fmt: skip
    if not isinstance(given, dict):
        raise FileFormatError("This logbook file lacks its tables. Nothing was taken over.")
    names = _NAMES_1 if version == 1 else {table: table for table in TABLES}
    for name in names:
        if not isinstance(given.get(name), list):
            raise FileFormatError(f"This logbook file lacks something: the table {name!r}. Nothing was taken over.")
    tables = {table: list(given[name]) for name, table in names.items()}
    if version == 1:
        tables["mark"] = [_mark_1(row) for row in tables["mark"]]
    return tables


_NAMES_1 = {
    "machine_profile": "machine", "instrument_profile": "instrument", "round": "round", "piece_row": "piece",
    "round_mark": "mark", "reading_row": "reading", "value_row": "value", "finding_row": "finding", "event": "event",
}  # fmt: skip


def _mark_1(row: Any) -> Any:
    """Version 1 kept the piece in the kind: ``skipped/12``."""
    if not isinstance(row, dict) or not isinstance(row.get("kind"), str):
        return row
    kind, _, piece = row["kind"].partition("/")
    return row | {"kind": kind, "piece": int(piece) if piece.isascii() and piece.isdigit() and len(piece) < 16 else 0}


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number")


def _shaped(table: str, raw: Any) -> dict[str, Any]:
    """A row with exactly its table's fields, each of its type. Raises _Wrong."""
    if not isinstance(raw, dict):
        raise _Wrong("expected an object with its fields")
    names = [name for name, _ in COLUMNS[table]]
    if missing := [name for name in names if name not in raw]:
        raise _Wrong("is missing", missing[0])
    if unknown := [str(name) for name in raw if name not in names]:
        raise _Wrong("is not known here", unknown[0][:40])
    return {name: _field(table, name, kind, raw[name]) for name, kind in COLUMNS[table]}


def _field(table: str, name: str, kind: type, value: Any) -> Any:
    if value is None and (table, name) in NULLABLE:
        return None
    if name == "withdrawn" and isinstance(value, bool):
        return int(value)
    if isinstance(value, bool) or not isinstance(value, (int, float) if kind is float else kind):
        noun = {int: "a whole number", float: "a number", str: "text"}[kind]
        raise _Wrong(f"expected {noun}, got {str(value)[:30]!r}", name)
    if isinstance(value, str):
        if len(value) > LONGEST.get(name, 200):
            raise _Wrong(f"is {len(value):,} characters long", name)
        try:
            value.encode()
        except UnicodeEncodeError:
            raise _Wrong("is no proper text", name) from None
        if "\0" in value:
            raise _Wrong("is no proper text", name)
        return _time(value) if name == "at" else value
    assert isinstance(value, (int, float))
    if not abs(value) <= (LARGEST_WHOLE if kind is int else LARGEST_NUMBER):
        raise _Wrong("is too large", name)
    if kind is int and value < 0:
        raise _Wrong("must not be negative", name)
    return float(value) if kind is float else value


def _time(text: str) -> str:
    """A time as the shop file writes it, so that it sorts as text."""
    try:
        time = datetime.strptime(text, "%Y-%m-%dT%H:%M:%S.%fZ")
    except ValueError:
        raise _Wrong(f"expected a time like 2026-10-06T08:00:00.000000Z, got {text[:30]!r}", "at") from None
    if time.year < 1970:
        raise _Wrong(f"{text[:10]} is before there were such machines", "at")
    return time.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


class _Reader:
    """Understands row after row, in the order of `TABLES`; remembers what later rows may refer to."""

    def __init__(self, understands: Understands, machines_here: set[str]) -> None:
        self._understands = understands
        self._machines = set(machines_here)
        self._rounds: dict[int, str] = {}
        self._round_machine: dict[int, str] = {}
        self._pieces: dict[int, int] = {}
        self._slots: dict[int, int] = {}

    def row(self, table: str, row: dict[str, Any]) -> dict[str, Any]:
        """The row, with what its body says written anew. Raises _Wrong."""
        change: dict[str, Any] = getattr(self, f"_{table}")(row)
        if "machine" in row and row["machine"] not in self._machines:
            raise _Wrong(f"{row['machine'][:40]!r} is no machine of this file", "machine")
        if row.get("quantity", "x_steps") not in QUANTITIES:
            raise _Wrong(f"{row['quantity'][:40]!r} is nothing that is calibrated", "quantity")
        return row | change

    def _machine(self, row: Mapping[str, Any]) -> dict[str, Any]:
        machine = _converted(Machine, row["body"])
        if machine.uid != row["uid"] or not machine.uid:
            raise _Wrong("doesn’t fit the profile", "uid")
        self._machines.add(machine.uid)
        return {"body": json.dumps(machine.to_json())}

    def _instrument(self, row: Mapping[str, Any]) -> dict[str, Any]:
        instrument = _converted(Instrument, row["body"])
        if instrument.uid != row["uid"] or not instrument.uid:
            raise _Wrong("doesn’t fit the profile", "uid")
        return {"body": json.dumps(instrument_to_json(instrument))}

    def _round(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if complaint := self._understands(row["procedure"], None):
            raise _Wrong(complaint, "procedure")
        body = _object(row["body"])
        tolerances = body.get("tolerances")
        if not isinstance(tolerances, dict) or not all(q in QUANTITIES and _positive(t) for q, t in tolerances.items()):
            raise _Wrong("expected a tolerance for each quantity", "body.tolerances")
        if not _positive(body.get("reference_length")):
            raise _Wrong("must be larger than 0", "body.reference_length")
        self._new(self._rounds, row, row["procedure"])
        self._round_machine[row["id"]] = row["machine"]
        return {"body": json.dumps({"tolerances": tolerances, "reference_length": body["reference_length"]})}

    def _piece(self, row: Mapping[str, Any]) -> dict[str, Any]:
        procedure = self._rounds.get(row["round"])
        if procedure is None or self._round_machine[row["round"]] != row["machine"]:
            raise _Wrong("is no round of that machine in this file", "round")
        body = _object(row["body"])
        parameters, settings, place = body.get("parameters"), body.get("settings"), body.get("place")
        if not isinstance(parameters, dict):
            raise _Wrong("expected the piece’s parameters", "body.parameters")
        if complaint := self._understands(procedure, parameters):
            raise _Wrong(complaint, "body.parameters")
        if not isinstance(settings, dict):
            raise _Wrong("expected the numbers in force", "body.settings")
        for quantity, stored in settings.items():
            _stored(quantity, stored, f"body.settings.{quantity}"[:60])
        boxes = place if isinstance(place, list) and all(isinstance(b, list) for b in place) else [place]
        for box in boxes if place is not None else ():
            if not isinstance(box, list) or len(box) != 4 or not all(map(_number, box)):
                raise _Wrong("expected x, y, width, height", "body.place")
        if not isinstance(body.get("tool"), str):
            raise _Wrong("is missing", "body.tool")
        self._new(self._pieces, row, row["round"])
        for name, kind in (("sheet", int), ("sheet_since", str), ("on_bed", bool)):
            if name in body and not isinstance(body[name], kind):
                raise _Wrong("is not what it should be", f"body.{name}")
        known = ("parameters", "place", "settings", "tool", "sheet", "sheet_since", "on_bed")
        kept = {k: body[k] for k in known if k in body}
        return {"body": json.dumps(kept | {"practice": None})}  # the stand-in behind it stays where it was

    def _mark(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if row["round"] not in self._rounds:
            raise _Wrong("is no round of this file", "round")
        if row["piece"] and self._pieces.get(row["piece"]) != row["round"]:
            raise _Wrong("is no piece of that round", "piece")
        kind = KINDS.get(row["kind"])
        if kind is None:
            raise _Wrong(f"{row['kind'][:40]!r} is not known", "kind")
        body = _object(row["body"])
        mark = _strict(kind, {"enter": body} if kind.kind == "decision" else
                       {"by_quantity": body} if kind.kind == "computed" else body)  # fmt: skip
        if isinstance(mark, StepShown) and mark.step not in STEPS:
            raise _Wrong(f"expected one of {', '.join(STEPS)}", "body.step")
        if isinstance(mark, Choices) and not (0 <= mark.size <= 1e6 and 1 <= mark.passes <= 100):
            raise _Wrong("is out of range", "body")
        if isinstance(mark, Choices):
            plain = all(isinstance(v, (bool, int, float, str)) for v in mark.chosen.values())
            if not plain or not all(map(math.isfinite, (v for v in mark.chosen.values() if isinstance(v, float)))):
                raise _Wrong("expected plain choices", "body.chosen")
        if isinstance(mark, Signed):
            if mark.answer is not None:
                _strict(Solution, mark.answer)
            if mark.instrument is not None:
                _strict(Instrument, mark.instrument)
        if isinstance(mark, Skipped) and not row["piece"]:
            raise _Wrong("is about a piece", "piece")
        if isinstance(mark, Editing):  # half a reading doesn't travel
            mark = Editing()
        return {"body": json.dumps(mark.to_body())}

    def _reading(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if row["piece"] not in self._pieces:
            raise _Wrong("is no piece of this file", "piece")
        if row["unit"] not in UNITS_MM:
            raise _Wrong(f"expected one of {', '.join(UNITS_MM)}", "unit")
        if row["resolution_mm"] < 0:
            raise _Wrong("must not be negative", "resolution_mm")
        if row["slot"] and self._slots.get(row["slot"]) != row["piece"]:
            raise _Wrong("is no earlier reading of that piece", "slot")
        if row["withdrawn"] not in (0, 1):
            raise _Wrong("expected true or false", "withdrawn")
        self._new(self._slots, row, row["piece"])
        return {}

    def _value(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if row["round"] is not None and row["round"] not in self._rounds:
            raise _Wrong("is no round of this file", "round")
        if row["how"] not in HOW:
            raise _Wrong(f"expected one of {', '.join(HOW)}", "how")
        stored = _stored(row["quantity"], _object(row["body"]), "body")
        return {"body": json.dumps(stored.to_body())}

    def _finding(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if row["round"] not in self._rounds:
            raise _Wrong("is no round of this file", "round")
        finding = _strict(Finding, _object(row["body"]))
        said = (finding.quantity, str(finding.verdict), finding.error, finding.expanded_uncertainty, finding.tolerance)
        if said != tuple(row[k] for k in ("quantity", "verdict", "error", "uncertainty", "tolerance")):
            raise _Wrong("says something else than the row", "body")
        numbers = (finding.error, finding.expanded_uncertainty, finding.new_expanded_uncertainty,
                   finding.predicted_error)  # fmt: skip
        if not all(n is None or _number(n) for n in numbers) or not _positive(finding.tolerance):
            raise _Wrong("has a number that none can be", "body")
        if finding.verdict in (Verdict.IN, Verdict.OUT, Verdict.CANNOT_TELL) and (
            finding.error is None or finding.expanded_uncertainty is None or finding.expanded_uncertainty < 0
        ):
            raise _Wrong("has a verdict without its number", "body")
        return {"body": json.dumps(finding.to_json())}

    def _event(self, row: Mapping[str, Any]) -> dict[str, Any]:
        if not row["kind"].replace("_", "").isalpha():
            raise _Wrong("is no kind of event", "kind")
        return {}

    def _new(self, known: dict[int, T], row: Mapping[str, Any], what: T) -> None:
        if row["id"] in known or not row["id"]:
            raise _Wrong("stands twice, or is 0", "id")
        known[row["id"]] = what


def _object(text: str) -> dict[str, Any]:
    try:
        body = json.loads(text, parse_constant=_no_number)
    except (ValueError, RecursionError):
        raise _Wrong("is not JSON", "body") from None
    if not isinstance(body, dict):
        raise _Wrong("expected an object", "body")
    return body


def _converted(kind: type[T], text: str) -> T:
    return _strict(kind, _object(text))


def _strict(kind: type[T], body: Mapping[str, Any]) -> T:
    """A dataclass from JSON, every field of its declared type, its own limits kept. Raises _Wrong."""
    import msgspec

    try:
        return msgspec.convert(body, kind)
    except (msgspec.ValidationError, InputError, ValueError, TypeError, OverflowError) as error:
        words, _, place = str(error).partition(" - at `$")
        raise _Wrong(" ".join(words.split())[:160], f"body{place.rstrip('`')}"[:60]) from None


def _stored(quantity: str, body: Any, field: str) -> StoredValue:
    if quantity not in QUANTITIES or not isinstance(body, dict):
        raise _Wrong("is nothing that a controller keeps", field)
    stored: StoredValue
    try:
        stored = _strict(StoredResolution, body) if "form" in body else _strict(StoredAmount, body)
    except _Wrong as wrong:
        raise _Wrong(str(wrong), field) from None
    if isinstance(stored, StoredAmount) and (stored.quantity != quantity or not abs(stored.value) < 1e9):
        raise _Wrong("doesn’t fit its quantity", field)
    return stored


def _number(value: Any) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) <= LARGEST_NUMBER


def _positive(value: Any) -> bool:
    return _number(value) and value > 0
