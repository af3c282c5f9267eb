"""The shop file, open: one SQLite database in WAL mode, with its lock, its health and its transactions.

Whatever goes wrong with disk or file leaves here as a ShopError with words for the technician; SQLite's own errors
never do. Reading and writing rows with their meaning is `store.py`; this module knows tables only by name.
"""

from __future__ import annotations

import os
import sqlite3
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from keen_compass.errors import (
    ShopClosedError,
    ShopDamagedError,
    ShopError,
    ShopGoneError,
    ShopNewerError,
    ShopReadOnlyError,
    ShopWriteError,
)
from keen_compass.quantities.notes import Note, note
from keen_compass.shop import schema
from keen_compass.shop.lock import FileLock, resolved
from keen_compass.shop.log_check import commits_unreadable

if TYPE_CHECKING:
    from tempfile import TemporaryDirectory

_MAGIC = b"SQLite format 3\x00"
BUSY = 2.0  # s to wait for another window that reads
CHECKED_AT_ONCE = 500  # rows
CHECKED_WITHIN = 0.08  # s that the look for damage may take when a shop is opened; its rows follow in idle moments


class Damage(NamedTuple):
    """Something that can't be trusted: a row by its table and number, or (number 0) the file's own structure."""

    table: str
    number: int
    what: Note


class ShopFile:
    """An open shop file. `why_read_only`: what is said where somebody tries to write; `notice` is to be said once."""

    def __init__(self, file: Path) -> None:
        self.file = resolved(file)
        self.damage: dict[tuple[str, int], Damage] = {}
        self.notice: Note | None = None
        self.gone = False
        self._scratch: TemporaryDirectory[str] | None = None
        self._depth = 0
        self._salvaged = False
        self._left_to_check: list[tuple[str, int]] = []
        self._lock = FileLock(self.file)
        self.why_read_only = self._lock.why_not
        self._db: sqlite3.Connection | None = None
        try:
            self._open()
        except ShopError:
            self.close()
            raise
        except (sqlite3.Error, UnicodeDecodeError) as error:  # the latter in SQLite's own complaint about a name
            self.close()
            raise self._in_words(error) from None
        self._identities = self._seen_now()

    # Opening and closing

    @property
    def closed(self) -> bool:
        """Whether it was closed."""
        return self._db is None

    @property
    def db(self) -> sqlite3.Connection:
        """The connection. Raises ShopClosedError after `close`."""
        if self._db is None:
            raise ShopClosedError("This shop was closed.")
        return self._db

    def close(self) -> None:
        """Close the file, then its lock; the last writer folds the log into the file."""
        if self._db is not None:
            db, self._db = self._db, None
            db.close()
        created, self._lock.created = self._lock.created, False
        if created and self._lock.held and self.file.exists() and not self.file.stat().st_size:
            self.file.unlink()  # nothing could be written into it
        self._lock.release()
        if self._scratch is not None:
            self._scratch.cleanup()
            self._scratch = None

    def _open(self) -> None:
        beginning = self._lock.beginning(100)
        if beginning and not beginning.startswith(_MAGIC):
            raise self._not_a_shop()
        log = Path(f"{self.file}-wal")
        if beginning and int.from_bytes(beginning[68:72], "big") not in (0, schema.APPLICATION_ID):
            raise self._not_a_shop()
        if self._lock.held:
            self._look_at_log(log)
        version = self._version(beginning, log)
        if self._lock.held and not self.why_read_only:
            try:
                self._open_to_write(version)
            except sqlite3.Error as error:
                if not version or _reason(error) not in ("full", "refused"):
                    raise
                self._close_db()
                self.why_read_only = ShopReadOnlyError(
                    f"The disk is full{'' if _reason(error) == 'full' else ' or refuses'}, so this shop can only be "
                    "looked at until there is room."
                )
        if self.why_read_only:
            self._open_to_read(version)
        self._compare_with_what_it_should_be()
        self._lock.created = False
        self._check_structure(CHECKED_WITHIN)
        self._left_to_check = [(table, 0) for table in schema.COLUMNS]
        if self.damage:
            self.check(CHECKED_WITHIN)

    def _look_at_log(self, log: Path) -> None:
        """Nothing is written over a log of which a part can't be read: it is kept, and the shop only looked at."""
        unreadable = commits_unreadable(log)
        if not unreadable:
            return
        import shutil  # late, as all that only trouble needs: the first screen waits for none of it

        kept = _unused(Path(f"{log}.damaged"))
        try:
            shutil.copyfile(log, kept)
        except OSError:
            kept = log
        if unreadable == 1:
            self.notice = note("shop.went_off", kept=kept.name)
        else:
            self._found(Damage("about", 0, note("shop.log_missing")))

    def _version(self, beginning: bytes, log: Path) -> int:
        """The file's format, as SQLite sees it with its log; 0 for a new one. Nothing is changed by looking."""
        if not self.file.exists() or not self.file.stat().st_size:
            return 0
        if beginning[68:72] == schema.APPLICATION_ID.to_bytes(4, "big") and not (log.exists() and log.stat().st_size):
            version = int.from_bytes(beginning[60:64], "big")  # SQLite's `user_version`; no log says otherwise
            if schema.FIRST <= version <= schema.FORMAT:
                return version
        db = self._connect_to_read()
        try:
            (application,) = db.execute("PRAGMA application_id").fetchone()
            (version,) = db.execute("PRAGMA user_version").fetchone()
            (tables,) = db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except (sqlite3.Error, UnicodeDecodeError) as error:
            raise self._in_words(error) from None
        finally:
            db.close()
        if not tables and application in (0, schema.APPLICATION_ID):
            return 0  # begun and never filled
        if application != schema.APPLICATION_ID or version <= 0:
            raise self._not_a_shop()
        if version < schema.FIRST:
            raise ShopDamagedError(f"{self.file} was written before Keen Compass was released: nothing reads it.")
        if version > schema.FORMAT:
            raise ShopNewerError(
                f"{self.file} was written by a later Keen Compass (format {version}, this one knows {schema.FORMAT}). "
                "It has been left as it was; update the program."
            )
        return int(version)

    def _open_to_write(self, version: int) -> None:
        self._db = self._connected(f"{_uri(self.file)}?mode=rw")
        self._db.execute("PRAGMA journal_mode = WAL")
        self._db.execute("PRAGMA synchronous = FULL")
        if version < schema.FORMAT:
            if version:
                self._keep_copy(version)
            self._bring_up(version)
        self._db.execute("BEGIN IMMEDIATE")  # shows at once whether the disk takes anything
        self._db.execute("ROLLBACK")

    def _bring_up(self, version: int) -> None:
        """Create or migrate in one transaction, then fold the log into the file: whoever looks sees it whole."""
        db = self.db
        db.execute("BEGIN IMMEDIATE")
        try:
            schema.bring_up(db, version)
            db.execute("COMMIT")
        except BaseException:
            if db.in_transaction:
                db.execute("ROLLBACK")
            raise
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")

    def _open_to_read(self, version: int) -> None:
        self._db = self._connect_to_read()
        if version < schema.FORMAT:  # brought up in memory, where nobody minds
            memory = self._connected(":memory:")
            self._db.backup(memory)
            self._db.close()
            self._db = memory
            self._bring_up(version)
        self._db.execute("PRAGMA query_only = ON")

    def _connect_to_read(self) -> sqlite3.Connection:
        """A connection that changes nothing; a copy where the folder doesn't even let SQLite keep its index."""
        db = self._connected(f"{_uri(self.file)}?mode=ro")
        try:
            db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except sqlite3.OperationalError as error:
            db.close()
            if _reason(error) not in ("full", "refused"):
                raise
            return self._connected(f"{_uri(self._copied_away())}?mode=ro&immutable=1")
        except BaseException:  # SQLite's own complaint may hold a name that is no text
            db.close()
            raise
        return db

    def _copied_away(self) -> Path:
        """The file itself where no log lies beside it; else a copy of both, folded together."""
        log = Path(f"{self.file}-wal")
        if not log.exists() or not log.stat().st_size:
            return self.file
        import shutil
        import tempfile

        if self._scratch is None:
            self._scratch = tempfile.TemporaryDirectory(prefix="keen-compass-looking-", ignore_cleanup_errors=True)
            copy = Path(self._scratch.name) / "shop.kcshop"
            try:
                shutil.copyfile(self.file, copy)
                shutil.copyfile(log, f"{copy}-wal")
                folded = sqlite3.connect(copy)
                folded.execute("PRAGMA wal_checkpoint(TRUNCATE)")
                folded.close()
            except OSError as error:
                raise ShopWriteError(f"{self.file} can't be looked at: {error.strerror}. Make room.") from None
        return Path(self._scratch.name) / "shop.kcshop"

    def _connected(self, uri: str) -> sqlite3.Connection:
        db = sqlite3.connect(uri, timeout=BUSY, isolation_level=None, uri=True, check_same_thread=True)
        db.text_factory = _text  # a flipped bit makes a row that is named, not an error
        return db

    def _close_db(self) -> None:
        if self._db is not None:
            self._db.close()
            self._db = None

    def _keep_copy(self, version: int) -> None:
        """A copy before a migration, made by SQLite so that its log is in it; whole, and never over another."""
        copy = _unused(Path(f"{self.file}.format-{version}.copy"))
        part = Path(f"{copy}.part")
        part.unlink(missing_ok=True)
        target = sqlite3.connect(part)
        try:
            self.db.backup(target)
        except sqlite3.Error:
            target.close()
            part.unlink(missing_ok=True)
            raise
        target.close()
        part.rename(copy)

    # Health

    @property
    def checked(self) -> bool:
        """Whether every row has been looked at since the file was opened."""
        return not self._left_to_check

    def check(self, seconds: float) -> bool:
        """Go on looking at rows for so long; whether anything was found that was not known before."""
        known, end = len(self.damage), time.monotonic() + seconds
        while self._left_to_check and time.monotonic() < end:
            table, after = self._left_to_check[0]
            last = self._check_rows(table, after, CHECKED_AT_ONCE)
            if last is None:
                self._left_to_check.pop(0)
            else:
                self._left_to_check[0] = (table, last)
        if not self._salvaged and any(not number for _, number in self.damage):
            self._salvage()
        return len(self.damage) > known

    def _salvage(self) -> None:
        """Where the structure itself is damaged, go on with what can be read of it, in memory."""
        self._salvaged = True
        memory = self._connected(":memory:")
        try:
            self._copy_sound_rows(memory)
        except sqlite3.Error:
            memory.close()
            raise
        memory.execute("PRAGMA query_only = ON")
        self._close_db()
        self._db = memory

    def _check_rows(self, table: str, after: int, most: int) -> int | None:
        """Look at some rows; the number of the last one, None at the end of the table."""
        last = None
        try:
            for row, _ in self._scanned(table, "WHERE id > ? ORDER BY id LIMIT ?", after, most):
                last = row[0]
        except sqlite3.Error:
            self._found(Damage(table, 0, note("shop.list", table=table)))
            return None
        return last

    def _check_structure(self, seconds: float) -> None:
        """SQLite's own check of tables against their indexes, for so long at most."""
        end = time.monotonic() + seconds
        self.db.set_progress_handler(lambda: time.monotonic() > end, 5000)
        try:
            found = [str(line) for (line,) in self.db.execute("PRAGMA integrity_check(20)")]
        except sqlite3.OperationalError as error:
            found = [] if "interrupt" in str(error) else [str(error)]
        except sqlite3.Error as error:
            found = [str(error)]
        finally:
            self.db.set_progress_handler(None, 0)
        if found and found != ["ok"]:
            self._found(Damage("about", 0, note("shop.structure", said=found[0].splitlines()[-1][:80])))

    def _compare_with_what_it_should_be(self) -> None:
        try:
            if schema.shape(self.db) != schema.SHAPE:
                raise ShopDamagedError(
                    f"{self.file} is damaged (its tables are not what they should be). It has been left as it was; "
                    "put back a copy."
                )
            about = [text for _, name, text in self.rows("about") if name == "format"]
        except sqlite3.Error as error:
            raise self._in_words(error) from None
        if about != [str(schema.FORMAT)] and not self.damage:
            self._found(Damage("about", 0, note("shop.description")))

    def _found(self, damage: Damage) -> None:
        self.damage.setdefault((damage.table, damage.number), damage)
        self.why_read_only = self.why_read_only or ShopReadOnlyError(
            "A part of this shop’s file is damaged, so it can only be looked at."
        )

    # Rows

    def query(self, sql: str, *values: Any) -> list[tuple[Any, ...]]:
        """What SQL gives, all of it. Raises ShopError."""
        db = self.db
        db.text_factory = str  # faster by a third than `_text`, which is only wanted where a text is damaged
        try:
            return db.execute(sql, values).fetchall()
        except sqlite3.OperationalError as error:
            if "decode" not in str(error):
                raise self._in_words(error) from None
        except sqlite3.Error as error:
            raise self._in_words(error) from None
        finally:
            db.text_factory = _text
        try:
            return db.execute(sql, values).fetchall()
        except sqlite3.Error as error:
            raise self._in_words(error) from None

    def rows(self, table: str, tail: str = "", *values: Any, view: str = "") -> Iterator[tuple[Any, ...]]:
        """Sound rows of a table (or of a view on it), without their digests; what is damaged is noted and left out."""
        try:
            for row, sound in self._scanned(table, tail, *values, view=view):
                if sound:
                    yield row
        except sqlite3.Error as error:
            if _reason(error) != "damaged":
                raise self._in_words(error) from None
            self._found(Damage(table, 0, note("shop.list", table=table)))

    def _scanned(self, table: str, tail: str, *values: Any, view: str = "") -> Iterator[tuple[tuple[Any, ...], bool]]:
        """Rows, and whether each is what was written."""
        names = ", ".join(f"t.{name}" for name, _ in schema.COLUMNS[table])
        for *row, said in self.db.execute(f"SELECT {names}, t.digest FROM {view or table} t {tail}", values):
            sound = schema.digest(table, row) == said
            if not sound:
                self._found(Damage(table, row[0], _named(table, row)))
            yield tuple(row), sound

    def append(self, table: str, **values: Any) -> int:
        """One row more, in the open transaction; returns its number. `id` may be given where it means something."""
        number, instead = values.pop("id", None), " OR REPLACE"
        if number is None:
            ((number,),) = self.query(f"SELECT coalesce(max(id), 0) + 1 FROM {table}")
            instead = ""
        row = [number, *(_typed(table, name, kind, values[name]) for name, kind in schema.COLUMNS[table][1:])]
        marks = ", ".join("?" * (len(row) + 1))
        self.query(f"INSERT{instead} INTO {table} VALUES ({marks})", *row, schema.digest(table, row))
        return int(number)

    def replace(self, table: str, row: Sequence[Any], **changes: Any) -> None:
        """Another row under the same number, in the open transaction; for the few things that are not appended."""
        values = {name: value for (name, _), value in zip(schema.COLUMNS[table], row, strict=True)}
        self.append(table, **values | changes)

    @contextmanager
    def writing(self) -> Iterator[None]:
        """One transaction, also of several nested ones; what raises in between leaves nothing of it.

        Raises ShopReadOnlyError, ShopGoneError or ShopWriteError.
        """
        if self.closed:
            raise ShopClosedError("This shop was closed; nothing more can be kept in it.")
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
                if self._db is not None and self._db.in_transaction:  # a full disk takes it back by itself
                    self._db.execute(back)
                raise
            finally:
                self._depth -= 1
        except sqlite3.Error as error:
            raise self._in_words(error) from None

    # The file under us

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
            "Not kept: the shop file was moved, deleted or replaced. Keep a copy (Shop menu) and go on there."
        )

    def copy_to(self, target: Path) -> None:
        """All that this window can see, as a shop file of its own; damaged rows stay behind. Raises ShopError.

        Written beside its name first: it is there whole, or not at all.
        """
        if target.exists() or target.is_symlink():
            raise ShopWriteError(f"{target} is there already. Choose another name.")
        import tempfile

        part: Path | None = None
        try:
            descriptor, name = tempfile.mkstemp(prefix=".copy-", dir=target.parent)
            os.close(descriptor)
            part = Path(name)
            copy = sqlite3.connect(part, isolation_level=None)
            try:
                if self.damage or not self.checked:
                    self._copy_sound_rows(copy)
                else:
                    self.db.backup(copy)
            finally:
                copy.close()
            part.rename(target)
        except (OSError, sqlite3.Error) as error:
            if part is not None:
                part.unlink(missing_ok=True)
            reason = getattr(error, "strerror", None) or str(error)
            raise ShopWriteError(f"{target} can't be written: {reason}. Choose another folder.") from None

    def _copy_sound_rows(self, copy: sqlite3.Connection) -> None:
        copy.execute("BEGIN IMMEDIATE")
        schema.bring_up(copy, 0)
        for table, columns in schema.COLUMNS.items():
            if table == "about":
                continue
            sound: dict[int, tuple[Any, ...]] = {}
            for way in ("ASC", "DESC"):  # from both ends, up to what can't be read
                try:
                    for row, is_sound in self._scanned(table, f"ORDER BY id {way}"):
                        if is_sound:
                            sound[row[0]] = row
                    break
                except sqlite3.Error:
                    continue
            marks = ", ".join("?" * (len(columns) + 1))
            rows = ((*row, schema.digest(table, row)) for _, row in sorted(sound.items()))
            copy.executemany(f"INSERT INTO {table} VALUES ({marks})", rows)
        copy.execute("COMMIT")

    # Words

    def _not_a_shop(self) -> ShopDamagedError:
        return ShopDamagedError(
            f"{self.file} is not a shop file, or its beginning is damaged. It has been left as it was; "
            "open another file, or put back a copy."
        )

    def _in_words(self, error: Exception) -> ShopError:
        match _reason(error):
            case "full":
                return ShopWriteError(
                    "The disk is full. All that was kept before is safe, and what you typed stays where it is: "
                    "make room and try again."
                )
            case "refused":
                return ShopWriteError(
                    f"The disk refused ({error}). All that was kept before is safe; make room and try again."
                )
            case "busy":
                return ShopWriteError("The shop file is busy: another program holds it. Try again in a moment.")
            case "closed":
                return ShopClosedError("This shop was closed.")
        return ShopDamagedError(f"{self.file} is damaged ({error}). It has been left as it was; put back a copy.")


_FULL, _BUSY, _LOCKED, _READ_ONLY, _IO, _CANT_OPEN, _TOO_BIG = 13, 5, 6, 8, 10, 14, 18


def _reason(error: Exception) -> str:
    """full, refused, busy, closed or damaged: what a technician can do about it."""
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF
    if code == _FULL:
        return "full"
    if code in (_READ_ONLY, _IO, _CANT_OPEN):
        return "refused"
    if code in (_BUSY, _LOCKED):
        return "busy"
    return "closed" if "closed" in str(error) else "damaged"


def _uri(file: Path) -> str:
    """`#`, `?` and `%` in a name mean themselves (https://www.sqlite.org/uri.html)."""
    return "file:" + str(file).replace("%", "%25").replace("#", "%23").replace("?", "%3f")


def _unused(file: Path) -> Path:
    """The name, or with a number where it is taken: no copy is ever written over."""
    number, name = 2, file
    while name.exists() or name.is_symlink():
        name, number = file.with_name(f"{file.name}-{number}"), number + 1
    return name


def _text(data: bytes) -> str:
    return str(data, "utf-8", "replace")


def _typed(table: str, name: str, kind: type, value: Any) -> Any:
    if value is None:
        if (table, name) not in schema.NULLABLE:
            raise TypeError(f"{table}.{name} is missing")
        return None
    return float(value) + 0.0 if kind is float else kind(value)  # SQLite gives −0.0 back as 0.0


def _named(table: str, row: Sequence[Any]) -> Note:
    """Which row, as far as it can still be read."""
    day = next((str(v)[:10] for (name, _), v in zip(schema.COLUMNS[table], row, strict=True) if name == "at"), "")
    sound = len(day) == 10 and day.replace("-", "").isdigit()
    return note("shop.row", table=table, number=row[0], day=day if sound else "")
