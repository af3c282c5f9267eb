"""Formats 1 to 3 of the shop file, as they were: their SQL, and what brought a file to the third. Never changed."""

from __future__ import annotations

import sqlite3
from hashlib import blake2b

FORMAT_3 = """
CREATE TABLE about (id INTEGER NOT NULL PRIMARY KEY, name TEXT NOT NULL, text TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE machine (
    id INTEGER NOT NULL PRIMARY KEY, uid TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE instrument (
    id INTEGER NOT NULL PRIMARY KEY, uid TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE round (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, procedure TEXT NOT NULL, at TEXT NOT NULL,
    body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE mark (
    id INTEGER NOT NULL PRIMARY KEY, round INTEGER NOT NULL, kind TEXT NOT NULL, piece INTEGER NOT NULL,
    at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE piece (
    id INTEGER NOT NULL PRIMARY KEY, round INTEGER NOT NULL, machine TEXT NOT NULL, number INTEGER NOT NULL,
    at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE reading (
    id INTEGER NOT NULL PRIMARY KEY, piece INTEGER NOT NULL, measurand TEXT NOT NULL, at TEXT NOT NULL,
    text TEXT NOT NULL, mm REAL NOT NULL, unit TEXT NOT NULL, resolution_mm REAL NOT NULL, instrument TEXT NOT NULL,
    slot INTEGER, withdrawn INTEGER NOT NULL, digest BLOB NOT NULL);
CREATE TABLE draft (
    id INTEGER NOT NULL PRIMARY KEY, measurand TEXT NOT NULL, text TEXT NOT NULL, at TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE value (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, quantity TEXT NOT NULL, at TEXT NOT NULL,
    body TEXT NOT NULL, round INTEGER, how TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE finding (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, quantity TEXT NOT NULL, at TEXT NOT NULL,
    round INTEGER NOT NULL, piece INTEGER NOT NULL, verdict TEXT NOT NULL, error REAL, uncertainty REAL,
    tolerance REAL NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE event (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, at TEXT NOT NULL, kind TEXT NOT NULL, text TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE stand_in (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE redated (
    id INTEGER NOT NULL PRIMARY KEY, at TEXT NOT NULL, kind TEXT NOT NULL, number INTEGER NOT NULL, was TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE INDEX machine_uid ON machine (uid, at);
CREATE INDEX instrument_uid ON instrument (uid, at);
CREATE INDEX round_machine ON round (machine, at);
CREATE INDEX mark_round ON mark (round, kind, piece, at);
CREATE INDEX mark_kind ON mark (kind, round);
CREATE INDEX piece_round ON piece (round, at);
CREATE INDEX piece_machine ON piece (machine, at);
CREATE INDEX reading_piece ON reading (piece);
CREATE INDEX value_quantity ON value (machine, quantity, at);
CREATE INDEX finding_quantity ON finding (machine, quantity, at);
CREATE INDEX finding_round ON finding (round);
CREATE INDEX event_machine ON event (machine, at);
CREATE INDEX stand_in_machine ON stand_in (machine, at);
CREATE VIEW newest_value AS SELECT v.* FROM (SELECT DISTINCT machine, quantity FROM value) k JOIN value v ON v.id =
    (SELECT id FROM value WHERE machine = k.machine AND quantity = k.quantity ORDER BY at DESC, id DESC LIMIT 1);
CREATE VIEW newest_finding AS SELECT f.* FROM (SELECT DISTINCT machine, quantity FROM finding) k JOIN finding f
    ON f.id = (SELECT id FROM finding WHERE machine = k.machine AND quantity = k.quantity
    ORDER BY at DESC, id DESC LIMIT 1);
"""

# Table → its columns in order, without the digest, with the type of each.
COLUMNS_3: dict[str, tuple[tuple[str, type], ...]] = {
    "machine": (("id", int), ("uid", str), ("at", str), ("body", str)),
    "instrument": (("id", int), ("uid", str), ("at", str), ("body", str)),
    "round": (("id", int), ("machine", str), ("procedure", str), ("at", str), ("body", str)),
    "mark": (("id", int), ("round", int), ("kind", str), ("piece", int), ("at", str), ("body", str)),
    "piece": (("id", int), ("round", int), ("machine", str), ("number", int), ("at", str), ("body", str)),
    "reading": (
        ("id", int),
        ("piece", int),
        ("measurand", str),
        ("at", str),
        ("text", str),
        ("mm", float),
        ("unit", str),
        ("resolution_mm", float),
        ("instrument", str),
        ("slot", int),
        ("withdrawn", int),
    ),
    "value": (
        ("id", int),
        ("machine", str),
        ("quantity", str),
        ("at", str),
        ("body", str),
        ("round", int),
        ("how", str),
    ),
    "finding": (
        ("id", int),
        ("machine", str),
        ("quantity", str),
        ("at", str),
        ("round", int),
        ("piece", int),
        ("verdict", str),
        ("error", float),
        ("uncertainty", float),
        ("tolerance", float),
        ("body", str),
    ),
    "event": (("id", int), ("machine", str), ("at", str), ("kind", str), ("text", str)),
}
NULLABLE_3 = {("reading", "slot"), ("value", "round"), ("finding", "error"), ("finding", "uncertainty")}


def run(db: sqlite3.Connection, script: str) -> None:
    """Statement by statement: `executescript` would commit."""
    for statement in script.split(";\n"):
        if statement.strip():
            db.execute(statement)


def append(db: sqlite3.Connection, table: str, *row: object) -> None:
    parts = [v if isinstance(v, str) else repr(v) for v in row]
    body = "\x1f".join((table, *parts)).encode("utf-8", "surrogatepass")
    marks = ", ".join("?" * (len(row) + 1))
    db.execute(f"INSERT INTO {table} VALUES ({marks})", (*row, blake2b(body, digest_size=8).digest()))


def to_3(db: sqlite3.Connection) -> None:
    """From formats 1 and 2, which had the same tables: every row gets its digest, marks the piece they are about."""
    # Names that the new tables want too are moved out of their way.
    for table in ("round", "draft", "event", "stand_in"):
        db.execute(f"ALTER TABLE {table} RENAME TO old_{table}")
    for (index,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL").fetchall():
        db.execute(f'DROP INDEX "{index}"')
    run(db, FORMAT_3)
    plain = {
        "machine": "SELECT id, uid, at, body FROM machine_profile",
        "instrument": "SELECT id, uid, at, body FROM instrument_profile",
        "round": "SELECT id, machine, procedure, at, body FROM old_round",
        "piece": "SELECT id, round, machine, number, at, body FROM piece_row",
        "reading": "SELECT id, piece, measurand, at, text, mm, unit, resolution_mm, instrument, slot, withdrawn "
        "FROM reading_row",
        "draft": "SELECT piece, measurand, text, at FROM old_draft",
        "value": "SELECT id, machine, quantity, at, body, round, how FROM value_row",
        "finding": "SELECT id, machine, quantity, at, round, piece, verdict, error, uncertainty, tolerance, body "
        "FROM finding_row",
        "event": "SELECT id, machine, at, kind, text FROM old_event",
        "stand_in": "SELECT rowid, machine, '2000-01-01T00:00:00.000000Z', body FROM old_stand_in",
    }
    for table, select in plain.items():
        for row in db.execute(f"{select} ORDER BY 1").fetchall():
            append(db, table, *row)
    for number, of, kind, at, body in db.execute(
        "SELECT id, round, kind, at, body FROM round_mark ORDER BY id"
    ).fetchall():
        name, _, piece = kind.partition("/")  # "skipped/12" was about piece 12
        append(db, "mark", number, of, name, int(piece or 0), at, body)
    for table in (
        "machine_profile",
        "instrument_profile",
        "old_round",
        "round_mark",
        "piece_row",
        "reading_row",
        "old_draft",
        "value_row",
        "finding_row",
        "old_event",
        "old_stand_in",
    ):
        db.execute(f"DROP TABLE {table}")
