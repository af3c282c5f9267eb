"""The shop file, open: one SQLite database in WAL mode, with its lock, its health and its transactions.

Whatever goes wrong with disk or file leaves here as a ShopError with words for the technician; SQLite's own errors
never do. Reading and writing rows with their meaning is `store.py`; this module knows tables only by name.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import ShopDamagedError, ShopError, ShopNewerError, ShopReadOnlyError, ShopWriteError
from keen_compass.language import tr
from keen_compass.quantities.notes import Note, note
from keen_compass.shop import schema
from keen_compass.shop.lock import FileLock
from keen_compass.shop.log_check import commits_unreadable
from keen_compass.shop.rows import Damage, Rows, SqlRow, lossy_text, reason_of

if TYPE_CHECKING:
    from tempfile import TemporaryDirectory

_MAGIC = b"SQLite format 3\x00"
BUSY = 2.0  # s to wait for another window that reads
CHECKED_AT_ONCE = 500  # rows
CHECKED_WITHIN = 0.08  # s that the look for damage may take when a shop is opened; its rows follow in idle moments


class ShopFile(Rows):
    """An open shop file. `notice` is to be said once."""

    def __init__(self, file: Path) -> None:
        super().__init__(file)
        self.notice: Note | None = None
        self._scratch: TemporaryDirectory[str] | None = None
        self._salvaged = False
        self._left_to_check: list[tuple[str, int]] = []
        self._lock = FileLock(self.file)
        self.why_read_only = self._lock.why_not
        try:
            self._open()
        except ShopError:
            self.close()
            raise
        except (sqlite3.Error, UnicodeDecodeError) as error:  # the latter in SQLite's own complaint about a name
            self.close()
            raise self.in_words(error) from None
        self._identities = self._seen_now()

    # Opening and closing

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
                if not version or reason_of(error) not in ("full", "refused"):
                    raise
                self._close_db()
                self.why_read_only = ShopReadOnlyError(
                    tr(
                        "The disk is full{more}, so this shop can only be looked at until there is room.",
                        more="" if reason_of(error) == "full" else tr(" or refuses"),
                    )
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
            raise self.in_words(error) from None
        finally:
            db.close()
        if not tables and application in (0, schema.APPLICATION_ID):
            return 0  # begun and never filled
        if application != schema.APPLICATION_ID or version <= 0:
            raise self._not_a_shop()
        if version < schema.FIRST:
            raise ShopDamagedError(
                tr("{file} was written before Keen Compass was released: nothing reads it.", file=self.file)
            )
        if version > schema.FORMAT:
            raise ShopNewerError(
                tr(
                    "{file} was written by a later Keen Compass (format {version}, this one knows {format}). "
                    "It has been left as it was; update the program.",
                    file=self.file,
                    version=version,
                    format=schema.FORMAT,
                )
            )
        return int(version)

    def _open_to_write(self, version: int) -> None:
        self._db = self._connected(f"{uri_of(self.file)}?mode=rw")
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
        db = self._connected(f"{uri_of(self.file)}?mode=ro")
        try:
            db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except sqlite3.OperationalError as error:
            db.close()
            if reason_of(error) not in ("full", "refused"):
                raise
            return self._connected(f"{uri_of(self._copied_away())}?mode=ro&immutable=1")
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
                raise ShopWriteError(
                    tr("{file} can't be looked at: {strerror}. Make room.", file=self.file, strerror=error.strerror)
                ) from None
        return Path(self._scratch.name) / "shop.kcshop"

    def _connected(self, uri: str) -> sqlite3.Connection:
        db = sqlite3.connect(uri, timeout=BUSY, isolation_level=None, uri=True, check_same_thread=True)
        db.text_factory = lossy_text  # a flipped bit makes a row that is named, not an error
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
                    tr(
                        "{file} is damaged (its tables are not what they should be). It has been left as it was; "
                        "put back a copy.",
                        file=self.file,
                    )
                )
            about = [text for _, name, text in self.rows("about") if name == "format"]
        except sqlite3.Error as error:
            raise self.in_words(error) from None
        if about != [str(schema.FORMAT)] and not self.damage:
            self._found(Damage("about", 0, note("shop.description")))

    # Rows

    # The file under us

    def copy_to(self, target: Path) -> None:
        """All that this window can see, as a shop file of its own; damaged rows stay behind. Raises ShopError.

        Written beside its name first: it is there whole, or not at all.
        """
        if target.exists() or target.is_symlink():
            raise ShopWriteError(tr("{target} is there already. Choose another name.", target=target))
        fill = self._copy_sound_rows if self.damage or not self.checked else self.db.backup
        try:
            write_database(target, fill)
        except (OSError, sqlite3.Error) as error:
            reason = getattr(error, "strerror", None) or str(error)
            raise ShopWriteError(
                tr("{target} can't be written: {reason}. Choose another folder.", target=target, reason=reason)
            ) from None

    def _copy_sound_rows(self, copy: sqlite3.Connection) -> None:
        copy.execute("BEGIN IMMEDIATE")
        schema.bring_up(copy, 0)
        for table, columns in schema.COLUMNS.items():
            if table == "about":
                continue
            sound: dict[int, SqlRow] = {}
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


def write_database(target: Path, fill: Callable[[sqlite3.Connection], None]) -> None:
    """A database as `fill` fills it, written beside its name first: there whole, or not at all. Raises OSError,
    sqlite3.Error.
    """
    import tempfile  # late: no first screen writes one

    descriptor, name = tempfile.mkstemp(prefix=".copy-", dir=target.parent)
    os.close(descriptor)
    part = Path(name)
    try:
        with contextlib.closing(sqlite3.connect(part, isolation_level=None)) as copy:
            fill(copy)
        part.rename(target)
    except (OSError, sqlite3.Error):
        part.unlink(missing_ok=True)
        raise


def uri_of(file: Path) -> str:
    """`#`, `?` and `%` in a name mean themselves (https://www.sqlite.org/uri.html)."""
    return "file:" + str(file).replace("%", "%25").replace("#", "%23").replace("?", "%3f")


def _unused(file: Path) -> Path:
    """The name, or with a number where it is taken: no copy is ever written over."""
    number, name = 2, file
    while name.exists() or name.is_symlink():
        name, number = file.with_name(f"{file.name}-{number}"), number + 1
    return name
