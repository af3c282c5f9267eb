"""The shop file: one SQLite database, opened safely, migrated with a copy kept.

Everything is appended. What is current is what nothing supersedes. The only row that is ever
overwritten is the draft: half a reading, as it stands in the callout.
"""

from __future__ import annotations

import fcntl
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import IO

import peewee

from keen_compass.errors import ShopDamagedError, ShopNewerError, ShopWriteError

SCHEMA_VERSION = 2
APPLICATION_ID = 0x4B436F6D  # says "one of ours" in SQLite's own header field
_MAGIC = b"SQLite format 3\x00"

database = peewee.DatabaseProxy()


class _Row(peewee.Model):
    class Meta:
        database = database
        legacy_table_names = False


class MachineProfile(_Row):
    """A machine's profile from `at` on."""

    uid = peewee.TextField(index=True)
    at = peewee.TextField()
    body = peewee.TextField()


class InstrumentProfile(_Row):
    """An instrument's profile from `at` on."""

    uid = peewee.TextField(index=True)
    at = peewee.TextField()
    body = peewee.TextField()


class Round(_Row):
    """A round that was begun. body: what it copied at that moment (tolerances, parameters)."""

    machine = peewee.TextField(index=True)
    procedure = peewee.TextField()
    at = peewee.TextField()
    body = peewee.TextField()


class RoundMark(_Row):
    """Something that happened to a round: parameters, instrument, step, corrected, signed, given_up…"""

    round = peewee.IntegerField(index=True)
    at = peewee.TextField()
    kind = peewee.TextField(index=True)
    body = peewee.TextField()


class PieceRow(_Row):
    """A piece that was made. body: parameters, place, settings in force, stock, file."""

    round = peewee.IntegerField(index=True)
    machine = peewee.TextField(index=True)
    number = peewee.IntegerField()
    at = peewee.TextField()
    body = peewee.TextField()


class ReadingRow(_Row):
    """A kept reading. The newest row of a slot supersedes its older ones; `withdrawn` by nothing.

    slot: id of the first row of the slot; null in that row itself.
    """

    piece = peewee.IntegerField(index=True)
    measurand = peewee.TextField()
    at = peewee.TextField()
    text = peewee.TextField()
    mm = peewee.FloatField()
    unit = peewee.TextField()
    resolution_mm = peewee.FloatField()
    instrument = peewee.TextField()
    slot = peewee.IntegerField(null=True)
    withdrawn = peewee.BooleanField(default=False)


class Draft(_Row):
    """Half a reading: what stands in the current callout of a piece."""

    piece = peewee.IntegerField(primary_key=True)
    measurand = peewee.TextField()
    text = peewee.TextField()
    at = peewee.TextField()


class ValueRow(_Row):
    """A number that the controller holds from `at` on. how: start, typed or read_back."""

    machine = peewee.TextField(index=True)
    quantity = peewee.TextField()
    at = peewee.TextField()
    body = peewee.TextField()
    round = peewee.IntegerField(null=True)
    how = peewee.TextField()


class FindingRow(_Row):
    """A finding, with what the rose and the logbook filter by in columns of its own."""

    machine = peewee.TextField()
    quantity = peewee.TextField()
    at = peewee.TextField()
    round = peewee.IntegerField(index=True)
    piece = peewee.IntegerField()
    verdict = peewee.TextField()
    error = peewee.FloatField(null=True)
    uncertainty = peewee.FloatField(null=True)
    tolerance = peewee.FloatField()
    body = peewee.TextField()

    class Meta:
        indexes = ((("machine", "quantity", "at"), False),)


class Event(_Row):
    """Something that happened to a machine: moved, new belt, update; and settings copies."""

    machine = peewee.TextField(index=True)
    at = peewee.TextField()
    kind = peewee.TextField()
    text = peewee.TextField()


class StandIn(_Row):
    """The hidden truths of a practice machine. Only the practice tools read it."""

    machine = peewee.TextField(primary_key=True)
    body = peewee.TextField()


TABLES = [
    MachineProfile, InstrumentProfile, Round, RoundMark, PieceRow, ReadingRow, Draft, ValueRow, FindingRow, Event,
    StandIn,
]  # fmt: skip


def _create(connection: peewee.SqliteDatabase) -> None:
    connection.create_tables(TABLES)


def _motion(_connection: peewee.SqliteDatabase) -> None:
    """The tables stay: but a program of format 1 knows none of the quantities that stand in them now."""


# Number → what brings a file from the version before to it. Only run when the file is older.
MIGRATIONS: dict[int, Callable[[peewee.SqliteDatabase], None]] = {1: _create, 2: _motion}


def look_at(file: Path) -> int:
    """The schema version of a shop file, from its first bytes alone: nothing is opened, nothing changes.

    0 for a file that isn't there or is empty. Raises ShopDamagedError or ShopNewerError.
    """
    try:
        with file.open("rb") as f:
            head = f.read(100)
    except FileNotFoundError:
        return 0
    except OSError as error:
        raise ShopDamagedError(f"{file} can't be read: {error.strerror}. Check its permissions.") from None
    if not head:
        return 0
    if len(head) < 100 or not head.startswith(_MAGIC) or int.from_bytes(head[68:72], "big") != APPLICATION_ID:
        raise ShopDamagedError(
            f"{file} is not a shop file, or its beginning is damaged. It has been left as it was; "
            "open another file, or put back a copy."
        )
    version = int.from_bytes(head[60:64], "big")
    if version > SCHEMA_VERSION:
        raise ShopNewerError(
            f"{file} was written by a later Keen Compass (format {version}, this one knows {SCHEMA_VERSION}). "
            "It has been left as it was; update the program."
        )
    return version


class Connection:
    """An open shop file: the database, the lock beside it, and whether it may be written."""

    def __init__(self, file: Path) -> None:
        self.file = file
        version = look_at(file)
        self._lock = _lock(file)
        self.read_only = self._lock is None
        try:
            self.db = self._open(version)
        except (peewee.DatabaseError, sqlite3.DatabaseError) as error:
            self._unlock()
            if "full" in str(error) or "readonly" in str(error) or "unable to open" in str(error):
                raise ShopWriteError(f"{file} can't be written: {error}. Nothing was changed.") from None
            raise ShopDamagedError(
                f"{file} is damaged ({error}). It has been left as it was; put back a copy."
            ) from None

    def close(self) -> None:
        """Close file and lock; a last writer folds the write-ahead log into the file."""
        self.db.close()
        self._unlock()

    def _open(self, version: int) -> peewee.SqliteDatabase:
        if self.read_only:
            db = peewee.SqliteDatabase(f"file:{self.file}?mode=ro", uri=True)
        else:
            pragmas = {"journal_mode": "wal", "synchronous": "full", "busy_timeout": 2000}
            if version < SCHEMA_VERSION and version:
                _keep_copy(self.file, version)
            db = peewee.SqliteDatabase(str(self.file), pragmas=pragmas)
        db.connect()
        db.execute_sql("SELECT count(*) FROM sqlite_master").fetchone()  # the first page that could be damaged
        database.initialize(db)
        if not self.read_only:
            for number in range(version + 1, SCHEMA_VERSION + 1):
                with db.atomic():
                    MIGRATIONS[number](db)
                    db.execute_sql(f"PRAGMA application_id = {APPLICATION_ID}")
                    db.execute_sql(f"PRAGMA user_version = {number}")
        return db

    def _unlock(self) -> None:
        if self._lock:
            self._lock.close()
            self._lock = None


def _lock(file: Path) -> IO[bytes] | None:
    """The lock beside the file, or None when somebody else has it or the folder can't be written."""
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        handle = Path(f"{file}.lock").open("ab")  # noqa: SIM115 (held as long as the shop is open)
    except OSError as error:
        if file.exists():
            return None
        raise ShopWriteError(f"{file} can't be made: {error.strerror}. Choose another folder.") from None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        handle.close()
        return None
    if file.exists() and not os.access(file, os.W_OK):
        handle.close()
        return None
    return handle


def _keep_copy(file: Path, version: int) -> None:
    """A copy before a migration, made by SQLite itself so that its log is included."""
    source, target = sqlite3.connect(file), sqlite3.connect(f"{file}.format-{version}.copy")
    try:
        source.backup(target)
    finally:
        source.close()
        target.close()
