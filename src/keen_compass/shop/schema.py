"""The tables of the shop file: plain SQL, numbered by format; the digest that every row carries; how old formats are
brought up.

Everything is appended. What is current is the newest of its kind: newest by time, and of equal times the one written
last (`NEWEST`, and the views). The only row that is overwritten by every keystroke is the draft, half a reading.

A format's SQL and the step that leads to it never change again, and use nothing from the rest of the program: what a
row meant when it was written does not depend on what the program has become.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Sequence

try:
    from _blake2 import (
        blake2b,  # Python's own, as hashlib has it; hashlib loads all of OpenSSL first: 3 ms of the start
    )
except ImportError:
    from hashlib import blake2b

FORMAT = 4
FIRST = 4  # a new file is made in this format and brought up from there; none is older
SHAPE = "651c4e41e528848d82af614c09ead259"  # `shape` of a fresh file of this format
APPLICATION_ID = 0x4B436F6D  # says "one of ours" in SQLite's own header field
NEWEST = "ORDER BY at DESC, id DESC"
OLDEST_FIRST = "ORDER BY at, id"

# Table → its columns in order, without the digest, with the type in which each is written and read.
COLUMNS: dict[str, tuple[tuple[str, type], ...]] = {
    "about": (("id", int), ("name", str), ("text", str)),
    "machine": (("id", int), ("uid", str), ("at", str), ("body", str)),
    "thing": (("id", int), ("uid", str), ("kind", str), ("at", str), ("body", str)),
    "mounted": (("id", int), ("machine", str), ("at", str), ("body", str)),
    "instrument": (("id", int), ("uid", str), ("at", str), ("body", str)),
    "round": (("id", int), ("machine", str), ("procedure", str), ("at", str), ("body", str)),
    "mark": (("id", int), ("round", int), ("kind", str), ("piece", int), ("at", str), ("body", str)),
    "piece": (("id", int), ("round", int), ("machine", str), ("number", int), ("at", str), ("body", str)),
    "blob": (("id", int), ("name", str), ("at", str), ("kind", str), ("data", bytes)),
    "stage": (("id", int), ("piece", int), ("kind", str), ("at", str), ("sent", str), ("body", str)),
    "reading": (
        ("id", int),
        ("stage", int),
        ("measurand", str),
        ("at", str),
        ("kind", str),
        ("text", str),
        ("value", float),
        ("second", float),
        ("unit", str),
        ("resolution", float),
        ("blob", str),
        ("instrument", str),
        ("slot", int),
        ("withdrawn", int),
    ),
    "draft": (("id", int), ("measurand", str), ("text", str), ("at", str)),
    "value": (
        ("id", int),
        ("machine", str),
        ("quantity", str),
        ("subject", str),
        ("at", str),
        ("body", str),
        ("round", int),
        ("how", str),
    ),
    "finding": (
        ("id", int),
        ("machine", str),
        ("quantity", str),
        ("subject", str),
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
    "stand_in": (("id", int), ("machine", str), ("at", str), ("body", str)),
    "redated": (("id", int), ("at", str), ("kind", str), ("number", int), ("was", str)),
}
NULLABLE = {
    ("reading", "value"),
    ("reading", "second"),
    ("reading", "slot"),
    ("value", "round"),
    ("finding", "error"),
    ("finding", "uncertainty"),
}


def digest(table: str, row: Sequence[object]) -> bytes:
    """Eight bytes that a row's table, number and contents make; a flipped bit makes others.

    row: the columns in their order and types, without the digest.
    """
    parts = [v if type(v) is str else repr(v) for v in row]
    return blake2b("\x1f".join((table, *parts)).encode("utf-8", "surrogatepass"), digest_size=8).digest()


def bring_up(db: sqlite3.Connection, version: int) -> None:
    """From a format, or (0) from nothing, to the present one, in the open transaction."""
    if not version:
        from keen_compass.shop.format_4 import FORMAT_4, run  # late: a file that is there needs none of it

        run(db, FORMAT_4)
        version = FIRST
    for number in range(version + 1, FORMAT + 1):
        MIGRATIONS[number](db)
    db.execute("DELETE FROM about WHERE id = 1")
    row = (1, "format", str(FORMAT))
    db.execute("INSERT INTO about VALUES (?, ?, ?, ?)", (*row, digest("about", row)))
    db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
    db.execute(f"PRAGMA user_version = {FORMAT}")


# Format → what brings a file of the format before to it. Format 4 is the first that was ever shipped.
MIGRATIONS: dict[int, Callable[[sqlite3.Connection], None]] = {}


def shape(db: sqlite3.Connection) -> str:
    """Digest of everything that a file consists of: tables, views and indexes by name and SQL."""
    rows = db.execute("SELECT name, sql FROM sqlite_master WHERE sql IS NOT NULL ORDER BY name")
    described = [(str(name), " ".join(str(sql).split())) for name, sql in rows]
    return blake2b(repr(described).encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()
