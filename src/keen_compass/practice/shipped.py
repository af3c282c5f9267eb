"""The demo shop as it ships: played once through the rounds (`demo.py`), packed, its days moved to end today.

`tools/pack-demo` packs it again; a test plays it and compares.
"""

from __future__ import annotations

import contextlib
import io
import json
import re
import sqlite3
import tarfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from importlib.resources import files
from pathlib import Path
from typing import Any

from keen_compass.shop import schema
from keen_compass.shop.base import text_of, time_of
from keen_compass.shop.store import Shop

PACKED = "demo.tar.xz"
SHOP = "lantern-quay.kcshop"
FOLDER = "/lantern-quay"  # stands for wherever it is unpacked
TIME = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{6}Z")
SAFELY: Any = {"filter": "data"} if hasattr(tarfile, "data_filter") else {}  # Python 3.11.2, Debian 12's, has none yet


def open_demo(folder: Path) -> Shop:
    """The demo shop in a folder of its own, with the files of its machines beside it."""
    packed = (files("keen_compass.practice") / PACKED).read_bytes()
    with tarfile.open(fileobj=io.BytesIO(packed), mode="r:xz") as archive:
        archive.extractall(folder, **SAFELY)
    file = folder / SHOP
    with contextlib.closing(sqlite3.connect(file)) as db:
        dated = [table for table, columns in schema.COLUMNS.items() if ("at", str) in columns]
        ((last,),) = db.execute(f"SELECT max(at) FROM ({' UNION ALL '.join(f'SELECT at FROM {t}' for t in dated)})")
        by = timedelta(days=(datetime.now(UTC) - time_of(last)).days)
        here = json.dumps(str(folder))[1:-1]
        _rewrite(db, lambda text: TIME.sub(lambda m: text_of(time_of(m[0]) + by), text).replace(FOLDER, here))
    return Shop(file)


def pack_demo(folder: Path) -> bytes:
    """A shop that was just played in a folder, with all that lies beside it there."""
    with contextlib.closing(sqlite3.connect(folder / SHOP)) as db:
        here = json.dumps(str(folder))[1:-1]
        _rewrite(db, lambda text: text.replace(here, FOLDER))
        db.execute("PRAGMA journal_mode = DELETE")
        db.execute("VACUUM")
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w:xz", preset=9) as archive:
        for file in sorted(folder.iterdir()):
            archive.add(file, file.name, filter=_plain)
    return held.getvalue()


def _plain(entry: tarfile.TarInfo) -> tarfile.TarInfo:
    """Nobody’s, made at no time."""
    entry.uid = entry.gid = entry.mtime = 0
    entry.uname = entry.gname = ""
    return entry


def _rewrite(db: sqlite3.Connection, change: Callable[[str], str]) -> None:
    """Every text of every row, with its digest."""
    with db:
        for table, columns in schema.COLUMNS.items():
            names = [name for name, _ in columns]
            sql = f"UPDATE {table} SET {', '.join(f'{n} = ?' for n in names[1:])}, digest = ? WHERE id = ?"
            changed = []
            for row in db.execute(f"SELECT {', '.join(names)} FROM {table}").fetchall():
                new: list[Any] = [change(v) if isinstance(v, str) else v for v in row]
                if new != list(row):
                    changed.append((*new[1:], schema.digest(table, new), row[0]))
            db.executemany(sql, changed)
