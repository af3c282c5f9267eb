"""The logbook as JSON, and JSON back in.

It holds every row of the chosen machines, so that another shop file can take them over; row numbers are given again,
and rows that are there already are left out: nothing is ever changed in a shop file, so that two which went on apart
are brought together by giving each what it lacks. What comes in is someone else's: all of it is understood first, row
by row, and only then taken over, in one transaction (`incoming.py`).
"""

from __future__ import annotations

import base64
import json
import re
from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any, NamedTuple

from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.stored import StoredValue, stored_from_body
from keen_compass.shop.incoming import FORMAT, VERSION, Incoming, Understands, read_incoming
from keen_compass.shop.rows import SqlRow
from keen_compass.shop.schema import COLUMNS
from keen_compass.shop.store import Shop

DIGEST = re.compile("[0-9a-f]{64}")  # names of bytes
# What a row is called, whichever file it is in, and which table's numbers it holds: that comes before it.
KEYS = {
    "thing": ("uid", "kind", "at"),
    "machine": ("uid", "at"),
    "instrument": ("uid", "at"),
    "mounted": ("machine", "at"),
    "blob": ("name",),
    "round": ("machine", "at"),
    "piece": ("round", "at"),
    "mark": ("round", "piece", "kind", "at"),
    "stage": ("piece", "kind", "at"),
    "reading": ("stage", "measurand", "at"),
    "finding": ("round", "piece", "quantity", "at"),
    "value": ("machine", "quantity", "subject", "at"),
    "event": ("machine", "at", "kind", "text"),
}
REFERS: dict[str, dict[str, str]] = {
    **{table: {} for table in KEYS},
    "piece": {"round": "round"},
    "mark": {"round": "round", "piece": "piece"},
    "stage": {"piece": "piece"},
    "reading": {"stage": "stage", "slot": "reading"},
    "finding": {"round": "round", "piece": "piece"},
    "value": {"round": "round"},
}
TOLD_EVERY = 500  # rows, how often whoever waits is told how far it is


class Apart(NamedTuple):
    """A number that was set anew in both of two shops, and differs. Each: (when, what); the newer one counts."""

    machine: str
    quantity: str
    subject: str
    here: tuple[str, StoredValue]
    there: tuple[str, StoredValue]


def to_json(shop: Shop, machine: str = "") -> str:
    """Every row of one machine, or of all."""
    return json.dumps({"format": FORMAT, "version": VERSION, "tables": _dump(shop, machine)}, indent=1)


def from_json(
    shop: Shop, text: str, understands: Understands, progress: Callable[[float], None] = lambda _: None
) -> int:
    """Take rows over; returns how many rounds came in. Raises FileFormatError, and nothing is changed then.

    understands: says of a procedure and the parameters of a piece what is wrong with them; see `incoming.py`.
    progress: is told the share that is done; what it raises ends the work, and nothing was taken over.
    """
    rounds, _ = join(shop, text, understands, progress)
    return rounds


def join(
    shop: Shop, text: str, understands: Understands, progress: Callable[[float], None] = lambda _: None
) -> tuple[int, list[Apart]]:
    """`from_json`, and besides which numbers were set anew both here and there since both last met."""
    here = {m.uid for m in shop.machines()}
    incoming = read_incoming(text, understands, here, lambda share: progress(share / 2))
    apart = _apart(shop, incoming)
    return _take_over(shop, incoming, lambda share: progress(0.5 + share / 2)), apart


def _dump(shop: Shop, machine: str) -> dict[str, list[JsonObject]]:
    """Every row of one machine, or of all, by table; instruments always all."""
    own = ("WHERE machine = ?", machine) if machine else ("",)
    rounds = "round IN (SELECT id FROM round WHERE machine = ?)"
    pieces = "piece IN (SELECT id FROM piece WHERE machine = ?)"
    tails: dict[str, tuple[str, ...]] = {
        "thing": ("",),
        "machine": ("WHERE uid = ?", machine) if machine else ("",),
        "mounted": own,
        "instrument": ("",),
        "round": own,
        "piece": own,
        "blob": ("",),
        "mark": (f"WHERE {rounds}", machine) if machine else ("",),
        "stage": (f"WHERE {pieces}", machine) if machine else ("",),
        "reading": (f"WHERE stage IN (SELECT id FROM stage WHERE {pieces})", machine) if machine else ("",),
        "value": own,
        "finding": own,
        "event": own,
    }
    tables = {
        table: [
            {name: _plain(value) for (name, _), value in zip(COLUMNS[table], row, strict=True)}
            for row in shop.dumped(table, *tail)
        ]
        for table, tail in tails.items()
    }
    named = {row["sent"] for row in tables["stage"]} | {row["blob"] for row in tables["reading"]}
    bodies = [row["body"] for table in ("mark", "thing", "machine") for row in tables[table]]  # artwork, listings
    named |= {name for body in bodies for name in DIGEST.findall(json.dumps(body))}
    tables["blob"] = [row for row in tables["blob"] if row["name"] in named]
    return tables


def _plain(value: Any) -> Any:
    return base64.b64encode(value).decode() if isinstance(value, bytes) else value


def _take_over(shop: Shop, incoming: Incoming, progress: Callable[[float], None]) -> int:
    """Append rows that aren't here yet, with new numbers; returns how many rounds came, or went on."""
    rows, total, done = incoming.tables, max(sum(map(len, incoming.tables.values())), 1), 0
    numbers: dict[str, dict[int, int]] = {}  # by table: number in that file → number here
    went_on: set[int] = set()
    with shop.writing():
        for table, refers in REFERS.items():
            here = _Here(shop, table)
            numbers[table] = {}
            for given in rows[table]:
                row = given | {column: numbers[to].get(given[column], given[column]) for column, to in refers.items()}
                number = here.number_of(row)
                if number is None:
                    number = shop.taken_over(table, **{k: v for k, v in row.items() if k != "id"})
                    if table == "round" or row.get("round"):
                        went_on.add(row.get("round", number))
                numbers[table][given["id"]] = number
                done += 1
                if done % TOLD_EVERY == 0:
                    progress(min(done / total, 1.0))
    progress(1.0)
    return len(went_on)


def _apart(shop: Shop, incoming: Incoming) -> list[Apart]:
    """Whose newest number here isn't known there, and the newest there not here."""
    columns = (*KEYS["value"], "body")
    ours, theirs = (
        _by_time(row[1:] for row in shop.called("value", columns)),
        _by_time(tuple(row[column] for column in columns) for row in incoming.tables["value"]),
    )
    found = []
    for of in ours.keys() & theirs.keys():
        here, there = max(ours[of]), max(theirs[of])
        one, other = (stored_from_body(json.loads(body)) for body in (ours[of][here], theirs[of][there]))
        if here not in theirs[of] and there not in ours[of] and one != other:
            found.append(Apart(*of, here=(here, one), there=(there, other)))
    return sorted(found, key=lambda apart: apart[:3])


def _by_time(values: Iterable[tuple[str, ...]]) -> dict[tuple[str, str, str], dict[str, str]]:
    """Of each number: when it was set → what to."""
    found: dict[tuple[str, str, str], dict[str, str]] = {}
    for machine, quantity, subject, at, body in values:
        found.setdefault((machine, quantity, subject), {})[at] = body
    return found


class _Here:
    """Rows of a table that are here, by what they are called in any file; of several of one name each by its place
    among them.
    """

    def __init__(self, shop: Shop, table: str) -> None:
        self._columns = KEYS[table]
        self._numbers: dict[SqlRow, list[int]] = {}
        for number, *key in shop.called(table, self._columns):
            self._numbers.setdefault(tuple(key), []).append(number)
        self._met: Counter[SqlRow] = Counter()

    def number_of(self, row: JsonMapping) -> int | None:
        """That of the same row; None where it isn't here. Each is asked for once."""
        key = tuple(row[column] for column in self._columns)
        self._met[key] += 1
        numbers = self._numbers.get(key, ())
        return numbers[self._met[key] - 1] if self._met[key] <= len(numbers) else None
