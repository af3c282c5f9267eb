"""Rows of a shop file: read with their digests, appended, in one transaction however deep; errors in words."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from keen_compass.errors import (
    ShopClosedError,
    ShopDamagedError,
    ShopError,
    ShopGoneError,
    ShopReadOnlyError,
    ShopWriteError,
)
from keen_compass.language import tr
from keen_compass.quantities.notes import Note, note
from keen_compass.shop import schema
from keen_compass.shop.lock import resolved

if TYPE_CHECKING:
    pass

_FULL, _BUSY, _LOCKED, _READ_ONLY, _IO, _CANT_OPEN, _TOO_BIG = 13, 5, 6, 8, 10, 14, 18
SqlValue = str | float | bytes | None
SqlRow = tuple[Any, ...]  # its columns are known to whoever asked for them


class Damage(NamedTuple):
    """Something that can't be trusted: a row by its table and number, or (number 0) the file's own structure."""

    table: str
    number: int
    what: Note


READ_OFF = ("reading", "draft")  # tables that a reading is kept in


class Rows:
    """What an open shop file holds. `why_read_only`: what is said where someone tries to write. set_up: how often
    anything but a reading was written.
    """

    def __init__(self, file: Path) -> None:
        self.file = resolved(file)
        self.damage: dict[tuple[str, int], Damage] = {}
        self.gone = False
        self.why_read_only: ShopError | None = None
        self.set_up = 0
        self._depth = 0
        self._db: sqlite3.Connection | None = None
        self._identities: dict[Path, tuple[int, int]] = {}

    @property
    def closed(self) -> bool:
        """Whether it was closed."""
        return self._db is None

    @property
    def db(self) -> sqlite3.Connection:
        """The connection. Raises ShopClosedError after `close`."""
        if self._db is None:
            raise ShopClosedError(tr("This shop was closed."))
        return self._db

    def _found(self, damage: Damage) -> None:
        self.damage.setdefault((damage.table, damage.number), damage)
        self.why_read_only = self.why_read_only or ShopReadOnlyError(
            tr("A part of this shop’s file is damaged, so it can only be looked at.")
        )

    def query(self, sql: str, *values: SqlValue) -> list[SqlRow]:
        """What SQL gives, all of it. Raises ShopError."""
        db = self.db
        db.text_factory = str  # faster by a third than `lossy_text`, which is only wanted where a text is damaged
        try:
            return db.execute(sql, values).fetchall()
        except sqlite3.OperationalError as error:
            if "decode" not in str(error):
                raise self.in_words(error) from None
        except sqlite3.Error as error:
            raise self.in_words(error) from None
        finally:
            db.text_factory = lossy_text
        try:
            return db.execute(sql, values).fetchall()
        except sqlite3.Error as error:
            raise self.in_words(error) from None

    def rows(self, table: str, tail: str = "", *values: SqlValue, view: str = "") -> Iterator[SqlRow]:
        """Sound rows of a table (or of a view on it), without their digests; what is damaged is noted and left out."""
        try:
            for row, sound in self._scanned(table, tail, *values, view=view):
                if sound:
                    yield row
        except sqlite3.Error as error:
            if reason_of(error) != "damaged":
                raise self.in_words(error) from None
            self._found(Damage(table, 0, note("shop.list", table=table)))

    def _scanned(self, table: str, tail: str, *values: SqlValue, view: str = "") -> Iterator[tuple[SqlRow, bool]]:
        """Rows, and whether each is what was written."""
        names = ", ".join(f"t.{name}" for name, _ in schema.COLUMNS[table])
        for *row, said in self.db.execute(f"SELECT {names}, t.digest FROM {view or table} t {tail}", values):
            sound = schema.digest(table, row) == said
            if not sound:
                self._found(Damage(table, row[0], _named(table, row)))
            yield tuple(row), sound

    def append(self, table: str, **values: SqlValue) -> int:
        """One row more, in the open transaction; returns its number. `id` may be given where it means something."""
        number, instead = values.pop("id", None), " OR REPLACE"
        if number is None:
            ((number,),) = self.query(f"SELECT coalesce(max(id), 0) + 1 FROM {table}")
            instead = ""
        self.set_up += table not in READ_OFF
        row = [number, *(_typed(table, name, kind, values[name]) for name, kind in schema.COLUMNS[table][1:])]
        marks = ", ".join("?" * (len(row) + 1))
        self.query(f"INSERT{instead} INTO {table} VALUES ({marks})", *row, schema.digest(table, row))
        return int(number)

    def replace(self, table: str, row: Sequence[SqlValue], **changes: SqlValue) -> None:
        """Another row under the same number, in the open transaction; for the few things that are not appended."""
        values = {name: value for (name, _), value in zip(schema.COLUMNS[table], row, strict=True)}
        self.append(table, **values | changes)

    @contextmanager
    def writing(self) -> Iterator[None]:
        """One transaction, also of several nested ones; what raises in between leaves nothing of it.

        Raises ShopReadOnlyError, ShopGoneError or ShopWriteError.
        """
        if self.closed:
            raise ShopClosedError(tr("This shop was closed; nothing more can be kept in it."))
        if self.why_read_only:
            raise self.why_read_only
        outermost = not self._depth
        name = f"nested_{self._depth}"
        if outermost:
            self._still_there()
        begin, commit, back = (
            ("BEGIN IMMEDIATE", "COMMIT", "ROLLBACK")
            if outermost
            else (f"SAVEPOINT {name}", f"RELEASE {name}", f"ROLLBACK TO {name}")
        )
        try:
            self.db.execute(begin)
            self._depth += 1
            try:
                yield
                if outermost:
                    self._still_there()
                self.db.execute(commit)
            except BaseException:
                self.set_up += 1
                if self._db is not None and self._db.in_transaction:  # a full disk takes it back by itself
                    self._db.execute(back)
                raise
            finally:
                self._depth -= 1
        except sqlite3.Error as error:
            raise self.in_words(error) from None

    def _seen_now(self) -> dict[Path, tuple[int, int]]:
        """(device, inode) of the file and of its log."""
        seen = {}
        for path in (self.file, Path(f"{self.file}-wal")):
            try:
                found = path.stat()
            except OSError:
                continue
            seen[path] = (found.st_dev, found.st_ino)
        return seen

    def _still_there(self) -> None:
        now = self._seen_now()
        if all(now.get(path) == identity for path, identity in self._identities.items()):
            # The log is made by the first write; from then on it must stay the same.
            self._identities = now
            return
        self.gone = True
        raise ShopGoneError(
            tr("Not kept: the shop file was moved, deleted or replaced. Save a copy (Shop menu) and go on there.")
        )

    def _not_a_shop(self) -> ShopDamagedError:
        return ShopDamagedError(
            tr(
                "{file} is not a shop file, or its beginning is damaged. It has been left as it was; "
                "open another file, or put back a copy.",
                file=self.file,
            )
        )

    def in_words(self, error: Exception) -> ShopError:
        match reason_of(error):
            case "full":
                return ShopWriteError(
                    tr(
                        "The disk is full. All that was kept before is safe, and what you typed stays where it is: "
                        "make room and try again."
                    )
                )
            case "refused":
                return ShopWriteError(
                    tr(
                        "The disk refused ({error}). All that was kept before is safe; make room and try again.",
                        error=error,
                    )
                )
            case "busy":
                return ShopWriteError(tr("The shop file is busy: another program holds it. Try again in a moment."))
            case "closed":
                return ShopClosedError(tr("This shop was closed."))
        return ShopDamagedError(
            tr("{file} is damaged ({error}). It has been left as it was; put back a copy.", file=self.file, error=error)
        )


def reason_of(error: Exception) -> str:
    """full, refused, busy, closed or damaged: what a technician can do about it."""
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    if code == _FULL:
        return "full"
    if code in (_READ_ONLY, _IO, _CANT_OPEN):
        return "refused"
    if code in (_BUSY, _LOCKED):
        return "busy"
    return "closed" if "closed" in str(error) else "damaged"


def lossy_text(data: bytes) -> str:
    return str(data, "utf-8", "replace")


def _typed(table: str, name: str, kind: type, value: Any) -> Any:
    if value is None:
        if (table, name) not in schema.NULLABLE:
            raise TypeError(tr("{table}.{name} is missing", table=table, name=name))
        return None
    return float(value) + 0.0 if kind is float else kind(value)  # SQLite gives −0.0 back as 0.0


def _named(table: str, row: Sequence[SqlValue]) -> Note:
    """Which row, as far as it can still be read."""
    day = next((str(v)[:10] for (name, _), v in zip(schema.COLUMNS[table], row, strict=True) if name == "at"), "")
    sound = len(day) == 10 and day.replace("-", "").isdigit()
    return note("shop.row", table=table, number=row[0], day=day if sound else "")
