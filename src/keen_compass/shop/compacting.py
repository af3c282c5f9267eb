"""A shop file without what nothing refers to any more: pictures and files of what was taken back."""

from __future__ import annotations

import re
import sqlite3

from keen_compass.shop import schema
from keen_compass.shop.rows import Rows

NAME = re.compile("[0-9a-f]{64}")  # of bytes that are kept


def compact(rows: Rows) -> None:
    """Drop them, and give the room back to the disk. Whatever stops it, nothing else is lost. Raises ShopError."""
    with rows.writing():
        used: set[str] = set()
        for table in schema.COLUMNS:
            if table != "blob":
                for row in rows.rows(table):
                    used.update(name for value in row if isinstance(value, str) for name in NAME.findall(value))
        if rows.why_read_only:  # damage was found on the way: what it refers to is not known
            raise rows.why_read_only
        for number, name in rows.query("SELECT id, name FROM blob"):
            if name not in used:
                rows.query("DELETE FROM blob WHERE id = ?", number)
    try:
        rows.db.execute("VACUUM")
        rows.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except sqlite3.Error as error:
        raise rows.in_words(error) from None
