"""Whether a shop file is sound: every row, its digest, and that what it refers to is there.

A copy is looked at, with its log, so that the file stays as it is; what is repaired is another file.
"""

from __future__ import annotations

import shutil
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple

from keen_compass.errors import InputError, ShopWriteError
from keen_compass.language import tr
from keen_compass.quantities.notes import Note, note
from keen_compass.shop import schema
from keen_compass.shop.file import ShopFile
from keen_compass.shop.kept import PICTURE

AT_ONCE = 3600.0  # s
# (table, column) → (table, column) that it refers to; nothing where it is empty, 0, unknown, or a picture.
REFERENCES = {
    ("mounted", "machine"): ("machine", "uid"),
    ("round", "machine"): ("machine", "uid"),
    ("mark", "round"): ("round", "id"),
    ("mark", "piece"): ("piece", "id"),
    ("piece", "round"): ("round", "id"),
    ("piece", "machine"): ("machine", "uid"),
    ("stage", "piece"): ("piece", "id"),
    ("stage", "sent"): ("blob", "name"),
    ("reading", "stage"): ("stage", "id"),
    ("reading", "blob"): ("blob", "name"),
    ("reading", "instrument"): ("instrument", "uid"),
    ("reading", "slot"): ("reading", "id"),
    ("value", "machine"): ("machine", "uid"),
    ("value", "round"): ("round", "id"),
    ("finding", "machine"): ("machine", "uid"),
    ("finding", "round"): ("round", "id"),
    ("finding", "piece"): ("piece", "id"),
    ("event", "machine"): ("machine", "uid"),
    ("stand_in", "machine"): ("machine", "uid"),
}


class Fault(NamedTuple):
    """Something wrong with a row, or (number 0) with the file itself."""

    table: str
    number: int
    what: Note


def faults(file: Path) -> list[Fault]:
    """All that is wrong with a shop file; nothing where it is sound. Raises ShopError for what is none."""
    with _looked_at(file) as shop:
        return _faults(shop)


def repair(file: Path, target: Path) -> list[Fault]:
    """What is sound of it as a new file, without rows whose counterpart is lost; what was wrong. Raises ShopError."""
    with _looked_at(file) as shop:
        found = _faults(shop)
        shop.copy_to(target)
    db = sqlite3.connect(target, isolation_level=None)
    try:
        while any(db.execute(f"DELETE FROM {t} WHERE id IN ({_lost(t, c)})").rowcount for t, c in REFERENCES):
            pass  # what refers to a row that just went goes with it
        db.execute("VACUUM")
    except sqlite3.Error as error:
        raise ShopWriteError(
            tr("{target} can’t be written: {error}. Choose another folder.", target=target, error=error)
        ) from None
    finally:
        db.close()
    return found


@contextmanager
def _looked_at(file: Path) -> Iterator[ShopFile]:
    """The file as a copy, opened."""
    if not file.is_file():
        raise InputError(tr("is not there, or no file"), str(file))
    with tempfile.TemporaryDirectory(prefix="keen-compass-check-") as folder:
        copy = Path(folder) / "shop.kcshop"
        for suffix in ("", "-wal"):
            if Path(f"{file}{suffix}").is_file():
                shutil.copyfile(f"{file}{suffix}", f"{copy}{suffix}")
        shop = ShopFile(copy)
        try:
            yield shop
        finally:
            shop.close()


def _faults(shop: ShopFile) -> list[Fault]:
    shop.check(AT_ONCE)
    changed = note("shop.changed")
    found = [Fault(d.table, d.number, changed if d.number else d.what) for d in shop.damage.values()]
    damaged = {(f.table, f.number) for f in found}
    for (table, column), (to, _) in REFERENCES.items():
        for (number,) in shop.query(_lost(table, column)):
            if (table, number) not in damaged:
                found.append(Fault(table, number, note("shop.no_counterpart", column=column, table=to)))
    for number, name, data in shop.query("SELECT id, name, data FROM blob"):
        if ("blob", number) not in damaged and sha256(data).hexdigest() != name:
            found.append(Fault("blob", number, note("shop.other_bytes")))
    return sorted(found, key=lambda f: (list(schema.COLUMNS).index(f.table), f.number))


def _lost(table: str, column: str) -> str:
    """SQL for the numbers of rows whose counterpart isn't there."""
    to, key = REFERENCES[table, column]
    return (
        f"SELECT t.id FROM {table} t WHERE t.{column} IS NOT NULL AND t.{column} NOT IN ('', 0, '{PICTURE}') "
        f"AND NOT EXISTS (SELECT 1 FROM {to} o WHERE o.{key} = t.{column})"
    )
