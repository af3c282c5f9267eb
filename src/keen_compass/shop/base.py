"""The open shop as everything in it sees it: its file, and the time that a new row gets.

Newest means by time, and of equal times the one written last (`schema.NEWEST`). What is written gets the clock's time,
but never one before what its machine has already: a clock that was set back between cutting and correcting puts
nothing out of order, and one that is fast is asked about (`from_the_future`).
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from datetime import UTC, datetime, timedelta
from pathlib import Path

from keen_compass.errors import ShopElsewhereError
from keen_compass.quantities.notes import Note
from keen_compass.shop.file import ShopFile
from keen_compass.shop.kept import Future
from keen_compass.shop.rows import Damage

FAST = timedelta(minutes=10)  # by which two clocks of one shop may differ
OF_A_MACHINE = ("round", "piece", "value", "finding", "event", "stand_in", "mounted")
DATED = ("round", "mark", "piece", "value", "finding", "event", "mounted")  # tables whose times order what is current


class ShopBase:
    """An open shop file. Every change is on disk when the call returns. Times are UTC."""

    def __init__(self, file: Path, clock: Callable[[], str] | None = None) -> None:
        self.clock = clock or now
        self._f = ShopFile(file)
        self._last: dict[str, str] = {}  # machine, instrument or thing → time of the newest row of it

    # The file

    @property
    def file(self) -> Path:
        """Where it lies, links followed."""
        return self._f.file

    @property
    def read_only(self) -> bool:
        """Whether it can only be looked at; `why_read_only` says why."""
        return bool(self._f.why_read_only)

    @property
    def why_read_only(self) -> str:
        """What is said where someone tries to write; empty where it may be written."""
        return str(self._f.why_read_only or "")

    @property
    def elsewhere(self) -> bool:
        """Whether another window writes it."""
        return isinstance(self._f.why_read_only, ShopElsewhereError)

    @property
    def version(self) -> tuple[int, int]:
        """Another one after every change, made here or by another window."""
        ((by_others,),) = self._f.query("PRAGMA data_version")
        return self._f.db.total_changes, by_others

    @property
    def set_up(self) -> tuple[int, int]:
        """Another one after every change but a reading's, made here, and after any by another window."""
        ((by_others,),) = self._f.query("PRAGMA data_version")
        return self._f.set_up, by_others

    @property
    def notice(self) -> Note | None:
        """What else is to be said about the file, once."""
        return self._f.notice

    @property
    def gone(self) -> bool:
        """Whether the file was found to be moved, deleted or replaced: nothing can be kept in it any more."""
        return self._f.gone

    @property
    def closed(self) -> bool:
        """Whether `close` was called."""
        return self._f.closed

    @property
    def damage(self) -> list[Damage]:
        """What can't be trusted and is left out, as far as was looked at."""
        return list(self._f.damage.values())

    @property
    def checked(self) -> bool:
        """Whether all rows were looked at since the file was opened."""
        return self._f.checked

    def check(self, seconds: float) -> bool:
        """Go on looking for damage for so long; whether new damage was found."""
        return self._f.check(seconds)

    def copy_to(self, target: Path) -> None:
        """All that is sound, as a shop file of its own, never over another. Raises ShopWriteError."""
        self._f.copy_to(target)

    def compact(self) -> int:
        """Drop what nothing refers to; how many bytes the file is then. What was undone can't come back after that.

        Raises ShopError.
        """
        from keen_compass.shop.compacting import compact

        compact(self._f)
        return self.file.stat().st_size

    def close(self) -> None:
        """Close the file; nothing can be read or kept after that."""
        self._f.close()

    def writing(self) -> AbstractContextManager[None]:
        """One transaction for what belongs together. Raises ShopReadOnlyError or ShopWriteError; then nothing of it
        was kept."""
        return self._f.writing()

    # Time

    def _stamp(self, of: str) -> str:
        """The time for a new row of a machine (or instrument): now, or just after the newest that is there already."""
        last = self._last.get(of)
        if last is None:
            last = self._newest_of(of)
        at = self.clock()
        if at <= last:
            at = text_of(time_of(last) + timedelta(microseconds=1))
        self._last[of] = at
        return at

    def _newest_of(self, of: str) -> str:
        parts = [f"SELECT max(at) AS at FROM {table} WHERE machine = ?" for table in OF_A_MACHINE]
        parts += [f"SELECT max(at) FROM {table} WHERE uid = ?" for table in ("machine", "instrument", "thing")]
        parts += [
            "SELECT max(m.at) FROM mark m JOIN round r ON r.id = m.round WHERE r.machine = ?",
            "SELECT max(at) FROM reading WHERE stage IN "
            "(SELECT id FROM stage WHERE piece = (SELECT max(id) FROM piece WHERE machine = ?))",
        ]
        sql = f"SELECT max(at) FROM ({' UNION ALL '.join(parts)})"
        ((found,),) = self._f.query(sql, *[of] * len(parts))
        return found or ""

    def from_the_future(self) -> Future | None:
        """What is dated after now; None where nothing is. Then a clock was or is wrong, and someone must say which."""
        limit = text_of(time_of(self.clock()) + FAST)
        found = [
            (table, number, machine, at)
            for table in DATED
            if table != "mark"
            for number, machine, at in self._f.query(f"SELECT id, machine, at FROM {table} WHERE at > ?", limit)
        ]
        sql = "SELECT m.id, r.machine, m.at FROM mark m JOIN round r ON r.id = m.round WHERE m.at > ?"
        found += [("mark", number, machine, at) for number, machine, at in self._f.query(sql, limit)]
        return Future(tuple(sorted(found, key=lambda row: (row[3], row[0], row[1])))) if found else None

    def date_as_now(self, future: Future) -> None:
        """The clock is right and those dates are wrong: they become now, in their order; what they were is kept."""
        at = time_of(self.clock())
        pieces = [number for table, number, *_ in future.rows if table == "piece"]
        rows = list(future.rows)
        for piece in pieces:
            rows += [
                ("stage", n, "", was)
                for n, was in self._f.query("SELECT id, at FROM stage WHERE piece = ? ORDER BY at, id", piece)
            ]
            of_piece = "stage IN (SELECT id FROM stage WHERE piece = ?)"
            rows += [
                ("reading", n, "", was)
                for n, was in self._f.query(f"SELECT id, at FROM reading WHERE {of_piece} ORDER BY at, id", piece)
            ]
        with self.writing():
            for i, (table, number, machine, was) in enumerate(rows):
                (row,) = self._f.rows(table, "WHERE id = ?", number)
                stamp = text_of(at + timedelta(microseconds=i))
                self._f.replace(table, row, at=stamp)
                self._f.append("redated", at=stamp, kind=table, number=number, was=was)
                self._last.pop(machine, None)

    def _sound(self, table: str, joint: str, prefix: str = "") -> str:
        """SQL that leaves out the rows of a table that are known to be damaged."""
        numbers = ", ".join(str(int(d.number)) for d in self.damage if d.table == table)
        return f"{joint} {prefix}id NOT IN ({numbers})" if numbers else ""


def now() -> str:
    """UTC in ISO 8601, to the microsecond so that it sorts as text in the order of writing."""
    return text_of(datetime.now(UTC))


def text_of(time: datetime) -> str:
    """A time as rows have it."""
    return time.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def time_of(text: str) -> datetime:
    """Inverse of `text_of`."""
    return datetime.fromisoformat(text)
