"""A logbook file from somewhere else, understood before any of it is taken over.

Three looks at every row: is it a row of its table with fields of the right types; does its body say something that
this program understands, within what a machine can be; do the rows that it refers to exist. The first thing that is
wrong is refused with its place. What passes is written back in the program's own form, so that nothing else gets in.
"""

from __future__ import annotations

import base64
import json
import math
from collections.abc import Callable
from dataclasses import asdict, dataclass
from hashlib import sha256
from typing import Any, TypeVar

from keen_compass.errors import FileFormatError, InputError
from keen_compass.language import tr
from keen_compass.machines.fitted import Fitting, Stock, Tool
from keen_compass.machines.instrument_record import instrument_to_json
from keen_compass.machines.limits import FITTINGS, THICKNESS, WIDEST_TOOL
from keen_compass.machines.profile import Machine
from keen_compass.machines.snapshot import Snapshot
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding, Solution, as_kept_today
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.quantities.readings import Kind, Row, from_row, to_row
from keen_compass.quantities.subjects import Subject
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.incoming_bodies import (
    LARGEST_NUMBER,
    LONGEST_NAME,
    PLAIN_THINGS,
    Box,
    FoundBody,
    MountedBody,
    PieceBody,
    RoundBody,
    StageBody,
    Wrong,
    kept,
    no_number,
    object_of,
    stored_of,
    strict,
    time_of,
)
from keen_compass.shop.kept import STAGES
from keen_compass.shop.machines import key_for
from keen_compass.shop.mark import Choices, StepShown
from keen_compass.shop.marks import KINDS, ArtworkChosen, Editing, Signed, Skipped
from keen_compass.shop.pieces import FOUND_OTHERWISE
from keen_compass.shop.schema import COLUMNS, NULLABLE
from keen_compass.shop.things import parts_of

T = TypeVar("T")
FORMAT = "keen-compass-logbook"
VERSION = 3
LARGEST = 400_000_000  # characters of a file
# Characters of a field; 200 for any other.
LONGEST = {"body": 4_000_000, "text": 100_000, "subject": 600, "data": 100_000_000}
LARGEST_WHOLE = 2**53
TABLES = (
    "thing",
    "machine",
    "mounted",
    "instrument",
    "round",
    "blob",
    "piece",
    "stage",
    "mark",
    "reading",
    "value",
    "finding",
    "event",
)
HOW = ("start", "typed", "read_back", "taken", "put_back", "found")
STEPS = ("make", "measure", "correct", "confirm")
FARTHEST = 10_000.0  # mm, that something can sit from the tool
TOLD_EVERY = 500

# (procedure, parameters of a piece, or None where there is none yet) → what is wrong, or an empty text
Understands = Callable[[str, JsonMapping | None], str]


@dataclass(frozen=True, slots=True)
class Incoming:
    """Rows by table, as `schema.COLUMNS` has them, references checked; numbers are those of the file."""

    tables: dict[str, list[JsonObject]]


def read_incoming(
    text: str, understands: Understands, machines_here: set[str], progress: Callable[[float], None] = lambda _: None
) -> Incoming:
    """Understand a whole file. Raises FileFormatError naming the place."""
    given = _tables(text)
    tables: dict[str, list[JsonObject]] = {}
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
            except Wrong as wrong:
                raise FileFormatError(
                    tr(
                        "This logbook file can’t be taken over: {where}{field}: {wrong}. Nothing was changed.",
                        where=where,
                        field=wrong.field,
                        wrong=wrong,
                    )
                ) from None
    return Incoming(tables)


def _tables(text: str) -> dict[str, list[Any]]:
    """The file's tables."""
    if len(text) > LARGEST:
        raise FileFormatError(tr("This file is larger than any logbook (400 MB). Nothing was changed."))
    try:
        body: Any = json.loads(text, parse_constant=no_number)
    except (ValueError, RecursionError) as error:
        raise FileFormatError(
            tr("This is not a logbook file: {said}.", said=" ".join(str(error).split())[:200])
        ) from None
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise FileFormatError(tr("This is not a logbook file: it doesn’t say that it is one."))
    version, given = body.get("version"), body.get("tables")
    if version != VERSION or isinstance(version, bool):
        raise FileFormatError(
            tr(
                "This logbook file has version {theirs}; this program reads {version}.",
                theirs=str(version)[:20],
                version=VERSION,
            )
        )
    if not isinstance(given, dict):
        raise FileFormatError(tr("This logbook file lacks its tables. Nothing was taken over."))
    for table in TABLES:
        if not isinstance(given.get(table), list):
            raise FileFormatError(
                tr("This logbook file lacks something: the table {table!r}. Nothing was taken over.", table=table)
            )
    return {table: given[table] for table in TABLES}


def _shaped(table: str, raw: Any) -> JsonObject:
    """A row with exactly its table's fields, each of its type. Raises Wrong."""
    if not isinstance(raw, dict):
        raise Wrong(tr("expected an object with its fields"))
    columns = COLUMNS[table]
    names = [name for name, _ in columns]
    if missing := [name for name in names if name not in raw]:
        raise Wrong(tr("is missing"), missing[0])
    if unknown := [str(name) for name in raw if name not in names]:
        raise Wrong(tr("is not known here"), unknown[0][:40])
    return {
        name: None if raw[name] is None and (table, name) in NULLABLE else _field(name, kind, raw[name])
        for name, kind in columns
    }


def _field(name: str, kind: type, value: Any) -> Any:
    if kind is bytes:
        return _bytes(name, value)
    if name == "withdrawn" and isinstance(value, bool):
        return int(value)
    if isinstance(value, bool) or not isinstance(value, (int, float) if kind is float else kind):
        raise Wrong(
            tr(
                "expected {kind}, got {value2!r}",
                kind=tr("a whole number") if kind is int else tr("a number") if kind is float else "text",
                value2=str(value)[:30],
            ),
            name,
        )
    if isinstance(value, str):
        if len(value) > LONGEST.get(name, 200):
            raise Wrong(tr("is {n:,} characters long", n=len(value)), name)
        try:
            value.encode()
        except UnicodeEncodeError:
            raise Wrong(tr("is no proper text"), name) from None
        if "\0" in value:
            raise Wrong(tr("is no proper text"), name)
        return time_of(value) if name == "at" else value
    assert isinstance(value, (int, float))
    if not abs(value) <= (LARGEST_WHOLE if kind is int else LARGEST_NUMBER):
        raise Wrong(tr("is too large"), name)
    if kind is int and value < 0:
        raise Wrong(tr("must not be negative"), name)
    return float(value) if kind is float else value


def _bytes(name: str, value: Any) -> bytes:
    if not isinstance(value, str) or len(value) > LONGEST[name]:
        raise Wrong(tr("expected bytes as base64 text"), name)
    try:
        return base64.b64decode(value.encode("ascii"), validate=True)
    except ValueError:
        raise Wrong(tr("expected bytes as base64 text"), name) from None


class _Reader:
    """Understands row after row, in the order of `TABLES`; remembers what later rows may refer to."""

    def __init__(self, understands: Understands, machines_here: set[str]) -> None:
        self._understands = understands
        self._machines = set(machines_here)
        self._rounds: dict[int, str] = {}
        self._round_machine: dict[int, str] = {}
        self._pieces: dict[int, int] = {}
        self._stages: dict[int, int] = {}
        self._slots: dict[int, int] = {}
        self._things: dict[str, JsonObject] = {}
        self._fittings: dict[str, str] = {}
        self._stock: dict[tuple[str, float], str] = {}
        self._blobs: set[str] = set()

    def row(self, table: str, row: JsonObject) -> JsonObject:
        """The row, with what its body says written again. Raises Wrong."""
        change: JsonObject = getattr(self, f"_{table}")(row)
        if "machine" in row and row["machine"] not in self._machines:
            raise Wrong(tr("{machine!r} is no machine of this file", machine=row["machine"][:40]), "machine")
        if row.get("quantity", "x_steps") not in QUANTITIES:
            raise Wrong(tr("{quantity!r} is nothing that is calibrated", quantity=row["quantity"][:40]), "quantity")
        return row | change

    def _thing(self, row: JsonMapping) -> JsonObject:
        plain = PLAIN_THINGS.get(row["kind"])
        if not row["uid"] or (plain is None and row["kind"] not in ("tool", "stock", *FITTINGS)):
            raise Wrong(tr("{kind!r} is not known", kind=row["kind"][:40]), "kind")
        body = object_of(row["body"])
        if plain is not None:
            return {"body": json.dumps(kept(strict(plain, body)))}
        if row["kind"] == "tool":
            tool = strict(Tool, body)
            if not 0 <= tool.diameter <= WIDEST_TOOL or not 0 < len(tool.name) <= LONGEST_NAME:
                raise Wrong(tr("is no tool that there can be"), "body")
            known = {"name": tool.name, "diameter": tool.diameter, "drawn": tool.drawn}
            known |= {"trails": True} if tool.trails else {}
        elif row["kind"] in FITTINGS:
            fitting = strict(Fitting, {"kind": row["kind"], **body})
            offset = fitting.offset or (0.0, 0.0)
            if not 0 < len(fitting.name) <= LONGEST_NAME or not all(abs(v) <= FARTHEST for v in offset):
                raise Wrong(tr("is nothing that there can be"), "body")
            known = {"name": fitting.name} | ({"offset": list(offset)} if fitting.offset else {})
            self._fittings[row["uid"]] = row["kind"]
        else:
            stock = strict(Stock, {**body, "x": 0.0, "y": 0.0, "width": 1.0, "height": 1.0})
            low, high = THICKNESS
            if not low <= stock.thickness <= high or not 0 < len(stock.name) <= LONGEST_NAME:
                raise Wrong(tr("is no stock that there can be"), "body")
            known = {"name": stock.name, "thickness": stock.thickness}
            self._stock[stock.name, stock.thickness] = row["uid"]
        self._things[row["uid"]] = known
        return {"body": json.dumps(known)}

    def _machine(self, row: JsonMapping) -> JsonObject:
        body = object_of(row["body"])
        named = body.get("tools")
        if not isinstance(named, list) or not all(isinstance(uid, str) and uid in self._things for uid in named):
            raise Wrong(tr("expected the uids of tools of this file"), "body.tools")
        if "stock" in body or "mounted" in body or "fitted" in body:
            raise Wrong(tr("what is mounted is said apart"), "body")
        tools = [{**self._things[uid], "uid": uid} for uid in named]
        fittings, given = [], body.get("fittings", [])
        if not isinstance(given, list):
            raise Wrong(tr("expected what may be fitted, of this file"), "body.fittings")
        for pair in given:
            kind, uid = pair if isinstance(pair, list) and len(pair) == 2 else (None, None)
            if not isinstance(uid, str) or kind is None or self._fittings.get(uid) != kind:
                raise Wrong(tr("expected what may be fitted, of this file"), "body.fittings")
            fittings.append({"kind": kind, "uid": uid, **self._things[uid]})
        machine = strict(Machine, {**body, "tools": tools, "fittings": fittings})
        if machine.uid != row["uid"] or not machine.uid:
            raise Wrong(tr("doesn’t fit the profile"), "uid")
        self._machines.add(machine.uid)
        return {"body": json.dumps(parts_of(machine, {})[0])}

    def _mounted(self, row: JsonMapping) -> JsonObject:
        body = strict(MountedBody, object_of(row["body"]))
        for name in ("tool", "stock", *FITTINGS):
            if (uid := getattr(body, name)) and uid not in self._things:
                raise Wrong(tr("is no thing of this file"), f"body.{name}")
        lies = ("x", "y", "width", "height") if body.stock else ()
        for name in lies:
            if getattr(body, name) is None:
                raise Wrong(tr("expected a length"), f"body.{name}")
        found = {name: v for name in ("stock", *FITTINGS, *lies) if (v := getattr(body, name)) not in ("", None)}
        return {"body": json.dumps({"tool": body.tool, **found})}

    def _blob(self, row: JsonMapping) -> JsonObject:
        if sha256(row["data"]).hexdigest() != row["name"]:
            raise Wrong(tr("doesn’t fit its bytes"), "name")
        self._blobs.add(row["name"])
        return {}

    def _instrument(self, row: JsonMapping) -> JsonObject:
        instrument = strict(Instrument, object_of(row["body"]))
        if instrument.uid != row["uid"] or not instrument.uid:
            raise Wrong(tr("doesn’t fit the profile"), "uid")
        return {"body": json.dumps(instrument_to_json(instrument))}

    def _round(self, row: JsonMapping) -> JsonObject:
        if complaint := self._understands(row["procedure"], None):
            raise Wrong(complaint, "procedure")
        body = strict(RoundBody, object_of(row["body"]))
        if not body.tolerances.keys() <= QUANTITIES.keys():
            raise Wrong(tr("expected a tolerance for each quantity"), "body.tolerances")
        self._new(self._rounds, row, row["procedure"])
        self._round_machine[row["id"]] = row["machine"]
        return {"body": json.dumps(kept(body))}

    def _piece(self, row: JsonMapping) -> JsonObject:
        procedure = self._rounds.get(row["round"])
        if procedure is None or self._round_machine[row["round"]] != row["machine"]:
            raise Wrong(tr("is no round of that machine in this file"), "round")
        body = strict(PieceBody, object_of(row["body"]))
        if complaint := self._understands(procedure, body.parameters):
            raise Wrong(complaint, "body.parameters")
        single = any(not isinstance(box, list) for box in body.place or ())
        strict(list[Box], [body.place] if single else body.place or [], "body.place")
        self._new(self._pieces, row, row["round"])
        use = {"use": body.use} if body.use else {}
        found = {"parameters": body.parameters, "place": body.place, "on_bed": body.on_bed, **use}
        return {"body": json.dumps(found | {"practice": None})}  # the stand-in behind it stays where it was

    def _stage(self, row: JsonMapping) -> JsonObject:
        if row["piece"] not in self._pieces:
            raise Wrong(tr("is no piece of this file"), "piece")
        if row["kind"] not in STAGES:
            raise Wrong(tr("expected one of {STAGES}", STAGES=", ".join(STAGES)), "kind")
        if row["sent"] and row["sent"] not in self._blobs:
            raise Wrong(tr("is nothing that this file holds"), "sent")
        given = object_of(row["body"])
        body = strict(StageBody, given)
        for quantity, stored in body.held.items():
            stored_of(quantity, stored, f"body.held.{quantity}"[:60])
        self._new(self._stages, row, row["piece"])
        return {"body": json.dumps(Snapshot.from_body(given).to_body())}

    def _mark(self, row: JsonMapping) -> JsonObject:
        if row["round"] not in self._rounds:
            raise Wrong(tr("is no round of this file"), "round")
        if row["piece"] and self._pieces.get(row["piece"]) != row["round"]:
            raise Wrong(tr("is no piece of that round"), "piece")
        kind = KINDS.get(row["kind"])
        if kind is None:
            raise Wrong(tr("{kind!r} is not known", kind=row["kind"][:40]), "kind")
        body = object_of(row["body"])
        mark = strict(
            kind,
            {"enter": body} if kind.kind == "decision" else {"by_quantity": body} if kind.kind == "computed" else body,
        )
        if isinstance(mark, StepShown) and mark.step not in STEPS:
            raise Wrong(tr("expected one of {STEPS}", STEPS=", ".join(STEPS)), "body.step")
        if isinstance(mark, Choices) and not (0 <= mark.size <= 1e6 and 1 <= mark.passes <= 100):
            raise Wrong(tr("is out of range"), "body")
        if isinstance(mark, Choices):
            plain = all(isinstance(v, (bool, int, float, str)) for v in mark.chosen.values())
            if not plain or not all(map(math.isfinite, (v for v in mark.chosen.values() if isinstance(v, float)))):
                raise Wrong(tr("expected plain choices"), "body.chosen")
        if isinstance(mark, Signed):
            if mark.answer is not None:
                strict(Solution, as_kept_today(mark.answer))
            if mark.instrument is not None:
                strict(Instrument, mark.instrument)
        if isinstance(mark, ArtworkChosen):
            try:
                mark.check()
            except InputError as error:
                raise Wrong(error.message, error.place) from None
        if isinstance(mark, Skipped) and not row["piece"]:
            raise Wrong(tr("is about a piece"), "piece")
        if isinstance(mark, Editing):  # half a reading doesn't travel
            mark = Editing()
        return {"body": json.dumps(mark.to_body())}

    def _reading(self, row: JsonMapping) -> JsonObject:
        if row["stage"] not in self._stages:
            raise Wrong(tr("is no stage of this file"), "stage")
        if row["kind"] == Kind.LENGTH and row["unit"] not in UNITS_MM:
            raise Wrong(tr("expected one of {UNITS_MM}", UNITS_MM=", ".join(UNITS_MM)), "unit")
        if row["resolution"] < 0:
            raise Wrong(tr("must not be negative"), "resolution")
        if row["slot"] and self._slots.get(row["slot"]) != row["stage"]:
            raise Wrong(tr("is no earlier reading of that piece"), "slot")
        if row["withdrawn"] not in (0, 1):
            raise Wrong(tr("expected true or false"), "withdrawn")
        if row["blob"] and row["blob"] not in self._blobs:
            raise Wrong(tr("is nothing that this file holds"), "blob")
        columns = ("kind", "text", "value", "second", "unit", "resolution", "blob")
        try:
            reading = from_row(Row(*(row[name] for name in columns)))
        except ValueError as error:
            raise Wrong(str(error), "kind") from None
        self._new(self._slots, row, row["stage"])
        return asdict(to_row(reading))

    def _value(self, row: JsonMapping) -> JsonObject:
        if row["round"] is not None and row["round"] not in self._rounds:
            raise Wrong(tr("is no round of this file"), "round")
        if row["how"] not in HOW:
            raise Wrong(tr("expected one of {HOW}", HOW=", ".join(HOW)), "how")
        stored = stored_of(row["quantity"], object_of(row["body"]), "body")
        if row["subject"] and not QUANTITIES[row["quantity"]].depends:
            raise Wrong(tr("is nobody’s but the machine’s"), "subject")
        return {"body": json.dumps(stored.to_body())}

    def _finding(self, row: JsonMapping) -> JsonObject:
        if row["round"] not in self._rounds:
            raise Wrong(tr("is no round of this file"), "round")
        finding = strict(Finding, as_kept_today(object_of(row["body"])))
        said = (finding.quantity, str(finding.verdict), finding.error, finding.expanded_uncertainty, finding.tolerance)
        if said != tuple(row[k] for k in ("quantity", "verdict", "error", "uncertainty", "tolerance")):
            raise Wrong(tr("says something else than the row"), "body")
        subject = strict(Subject, finding.subject.to_json())
        if finding.quantity not in QUANTITIES or row["subject"] != key_for(finding.quantity, subject):
            raise Wrong(tr("doesn’t fit what the finding says"), "subject")
        numbers = (
            finding.error,
            finding.expanded_uncertainty,
            finding.new_expanded_uncertainty,
            finding.predicted_error,
        )
        if not all(n is None or abs(n) <= LARGEST_NUMBER for n in numbers) or not finding.tolerance > 0:
            raise Wrong(tr("has a number that none can be"), "body")
        if finding.verdict in (Verdict.IN, Verdict.OUT, Verdict.CANNOT_TELL) and (
            finding.error is None or finding.expanded_uncertainty is None or finding.expanded_uncertainty < 0
        ):
            raise Wrong(tr("has a verdict without its number"), "body")
        return {"body": json.dumps(finding.to_json())}

    def _event(self, row: JsonMapping) -> JsonObject:
        if not row["kind"].replace("_", "").isalpha():
            raise Wrong(tr("is no kind of event"), "kind")
        if row["kind"] == FOUND_OTHERWISE:
            body = object_of(row["text"])
            said = strict(FoundBody, object_of(json.dumps(body.get("values", {}))), "text.values")
            if body.get("code") != f"shop.{FOUND_OTHERWISE}" or said.quantity not in QUANTITIES:
                raise Wrong(tr("is nothing that was found"), "text")
            time_of(said.since)
        return {}

    def _new(self, known: dict[int, T], row: JsonMapping, what: T) -> None:
        if row["id"] in known or not row["id"]:
            raise Wrong(tr("stands twice, or is 0"), "id")
        known[row["id"]] = what
