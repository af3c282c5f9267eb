"""The logbook as CSV and JSON, and JSON back in.

JSON holds every row of the chosen machines, so that another shop file can take them over; row numbers
are given anew, and rounds that are there already are left out.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping
from typing import Any

from keen_compass.errors import FileFormatError
from keen_compass.shop import database as d
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.store import Shop

FORMAT = "keen-compass-logbook"
VERSION = 1
COLUMNS = ("when_utc", "machine", "kind", "quantity", "verdict", "words")


def to_csv(shop: Shop, wanted: Filter) -> str:
    """What the logbook shows, RFC 4180, one line per entry."""
    names = {m.uid: m.name for m in shop.machines()}
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for e in entries(shop, wanted):
        row = (e.at, names.get(e.machine, e.machine), e.kind, e.quantity or "", e.verdict or "", e.words)
        writer.writerow([_plain(cell) for cell in row])
    return out.getvalue()


def _plain(cell: str) -> str:
    """Spreadsheets run a cell that begins like a formula; a leading apostrophe keeps it text."""
    return f"'{cell}" if cell[:1] in ("=", "+", "-", "@") else cell


def to_json(shop: Shop, machine: str = "") -> str:
    """Every row of one machine, or of all."""
    return json.dumps({"format": FORMAT, "version": VERSION, "tables": _dump(shop, machine)}, indent=1)


def from_json(shop: Shop, text: str) -> int:
    """Take rows over; returns how many rounds came in. Raises FileFormatError, and nothing is changed then."""
    try:
        body: Any = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise FileFormatError(f"This is not a logbook file: {error}.") from None
    if not isinstance(body, dict) or body.get("format") != FORMAT:
        raise FileFormatError("This is not a logbook file: it doesn’t say that it is one.")
    if body.get("version") != VERSION:
        raise FileFormatError(f"This logbook file has version {body.get('version')}; this program reads {VERSION}.")
    try:
        return _take_over(shop, body["tables"])
    except (KeyError, TypeError, AttributeError) as error:
        raise FileFormatError(f"This logbook file lacks something: {error}. Nothing was taken over.") from None


def _dump(shop: Shop, machine: str) -> dict[str, list[dict[str, Any]]]:
    """Every row of one machine, or of all, by table; instruments always all."""
    shop.bind()
    rounds = d.Round.select().where(d.Round.machine == machine) if machine else d.Round.select()
    numbers = [r.id for r in rounds]
    pieces = [p.id for p in d.PieceRow.select().where(d.PieceRow.round.in_(numbers))]
    tests = {
        d.MachineProfile: d.MachineProfile.uid == machine, d.ValueRow: d.ValueRow.machine == machine,
        d.FindingRow: d.FindingRow.machine == machine, d.Event: d.Event.machine == machine,
        d.Round: d.Round.machine == machine, d.PieceRow: d.PieceRow.machine == machine,
        d.RoundMark: d.RoundMark.round.in_(numbers), d.ReadingRow: d.ReadingRow.piece.in_(pieces),
    }  # fmt: skip
    tables: dict[str, list[dict[str, Any]]] = {}
    for table in (d.InstrumentProfile, *tests):
        query = table.select().order_by(table.id)
        if machine and table in tests:
            query = query.where(tests[table])
        tables[table._meta.table_name] = list[dict[str, Any]](query.dicts())  # type: ignore[arg-type]
    return tables


def _take_over(shop: Shop, tables: Mapping[str, list[dict[str, Any]]]) -> int:
    """Append dumped rows with new row numbers, but no round that is here already; returns how many came."""
    shop.bind()
    with shop.writing():
        for table, key in ((d.MachineProfile, "uid"), (d.InstrumentProfile, "uid")):
            here = {getattr(row, key) for row in table.select(getattr(table, key))}
            _append(table, [r for r in tables[table._meta.table_name] if r[key] not in here])
        here_rounds = {(r.machine, r.at) for r in d.Round.select(d.Round.machine, d.Round.at)}
        rounds = _append(d.Round, [r for r in tables["round"] if (r["machine"], r["at"]) not in here_rounds])
        pieces = _append(d.PieceRow, _moved(tables["piece_row"], "round", rounds))
        _append(d.RoundMark, _moved(tables["round_mark"], "round", rounds))
        _append_readings(_moved(tables["reading_row"], "piece", pieces))
        findings = _moved(tables["finding_row"], "round", rounds)
        _append(d.FindingRow, [{**r, "piece": pieces.get(r["piece"], 0)} for r in findings])
        # Values stay in their order, those of rounds and those typed outside of any: the newest is what holds.
        known = {(r.machine, r.quantity, r.at) for r in d.ValueRow.select()}
        values = [
            {**r, "round": rounds.get(r["round"])} for r in tables["value_row"]
            if r["round"] in rounds or (r["round"] is None and (r["machine"], r["quantity"], r["at"]) not in known)
        ]  # fmt: skip
        _append(d.ValueRow, values)
        events = {(r.machine, r.at) for r in d.Event.select(d.Event.machine, d.Event.at)}
        _append(d.Event, [r for r in tables["event"] if (r["machine"], r["at"]) not in events])
    return len(rounds)


def _append_readings(rows: list[dict[str, Any]]) -> None:
    """A slot is the number of its first row, which is given anew."""
    slots: dict[int, int] = {}
    for row in rows:
        new = d.ReadingRow.create(**{k: v for k, v in row.items() if k not in ("id", "slot")},
                                  slot=slots.get(row["slot"]) if row["slot"] else None)  # fmt: skip
        slots[row["id"]] = new.id


def _append(table: Any, rows: list[dict[str, Any]]) -> dict[int, int]:
    """Append rows with new numbers; old number → new."""
    return {row["id"]: table.create(**{k: v for k, v in row.items() if k != "id"}).id for row in rows}


def _moved(rows: list[dict[str, Any]], column: str, numbers: Mapping[int, int]) -> list[dict[str, Any]]:
    """Rows whose `column` refers to a row that came over, referring to its new number."""
    return [{**row, column: numbers[row[column]]} for row in rows if row[column] in numbers]
