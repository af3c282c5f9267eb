"""Typed access to the shop file: what is current, and appending to it. Times are UTC.

Newest means by time, and of equal times the one written last (`schema.NEWEST`). What is written gets the clock's time,
but never one before what its machine has already: a clock that was set back between cutting and correcting puts
nothing out of order, and one that is fast is asked about (`from_the_future`).
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from keen_compass.errors import InputError, ShopDamagedError
from keen_compass.machines.profile import Machine, instrument_from_json, instrument_to_json
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.stored import StoredValue, stored_from_body
from keen_compass.shop.file import Damage, ShopFile
from keen_compass.shop.schema import NEWEST, OLDEST_FIRST

if TYPE_CHECKING:
    from keen_compass.shop.marks import Mark

M = TypeVar("M", bound="Mark")
SETTLED = ("signed", "given_up")  # kinds of mark that end a round
_ENDED = f"(SELECT round FROM mark WHERE kind IN {SETTLED})"
T = TypeVar("T")
FAST = timedelta(minutes=10)  # by which two clocks of one shop may differ
DATED = ("round", "mark", "piece", "value", "finding", "event")  # tables whose times order what is current


@dataclass(frozen=True, slots=True)
class KeptReading:
    """A reading as kept: its slot, measurand, length as typed, instrument's uid, when."""

    slot: int
    measurand: str
    length: Length
    instrument: str
    at: str


@dataclass(frozen=True, slots=True)
class KeptPiece:
    """A piece as made. body: parameters, place, settings in force, stock, file."""

    id: int
    round: int
    number: int
    at: str
    body: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class KeptRound:
    """A round. body: what it copied when it began. status: open, signed or given_up."""

    id: int
    machine: str
    procedure: str
    at: str
    body: Mapping[str, Any]
    status: str


@dataclass(frozen=True, slots=True)
class KeptFinding:
    """A finding in the logbook."""

    finding: Finding
    at: str
    round: int
    piece: int


@dataclass(frozen=True, slots=True)
class KeptValue:
    """A number in the controller from `at` on. how: start, typed or read_back."""

    stored: StoredValue
    at: str
    how: str
    round: int | None


@dataclass(frozen=True, slots=True)
class Future:
    """What bears a date that has not come yet: table, row, machine and time, newest last."""

    rows: tuple[tuple[str, int, str, str], ...]

    @property
    def latest(self) -> str:
        """The last of the dates."""
        return self.rows[-1][3]


class Shop:
    """An open shop; as many as wanted in one process. Every change is on disk when the call returns."""

    def __init__(self, file: Path, clock: Callable[[], str] | None = None) -> None:
        self.clock = clock or now
        self._f = ShopFile(file)
        self._last: dict[str, str] = {}  # machine or instrument → time of the newest row of it

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
        """A sentence, empty where it may be written."""
        return self._f.why_read_only

    @property
    def notice(self) -> str:
        """What else is to be said about the file, or an empty text."""
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

    def close(self) -> None:
        """Close the file."""
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
            at = _text_of(_time_of(last) + timedelta(microseconds=1))
        self._last[of] = at
        return at

    def _newest_of(self, of: str) -> str:
        tables = ("round", "piece", "value", "finding", "event", "stand_in")
        parts = [f"SELECT max(at) AS at FROM {table} WHERE machine = ?" for table in tables]
        parts += [f"SELECT max(at) FROM {table} WHERE uid = ?" for table in ("machine", "instrument")]
        parts += [
            "SELECT max(m.at) FROM mark m JOIN round r ON r.id = m.round WHERE r.machine = ?",
            "SELECT max(at) FROM reading WHERE piece = (SELECT max(id) FROM piece WHERE machine = ?)",
        ]
        sql = f"SELECT max(at) FROM ({' UNION ALL '.join(parts)})"
        ((found,),) = self._f.query(sql, *[of] * len(parts))
        return found or ""

    def _machine_of(self, round_id: int) -> str:
        return next((machine for (machine,) in self._f.query("SELECT machine FROM round WHERE id = ?", round_id)), "")

    def from_the_future(self) -> Future | None:
        """What is dated after now; None where nothing is. Then a clock was or is wrong, and somebody must say which."""
        limit = _text_of(_time_of(self.clock()) + FAST)
        found = [
            (table, number, machine, at)
            for table in DATED if table != "mark"
            for number, machine, at in self._f.query(f"SELECT id, machine, at FROM {table} WHERE at > ?", limit)
        ]  # fmt: skip
        sql = "SELECT m.id, r.machine, m.at FROM mark m JOIN round r ON r.id = m.round WHERE m.at > ?"
        found += [("mark", number, machine, at) for number, machine, at in self._f.query(sql, limit)]
        return Future(tuple(sorted(found, key=lambda row: (row[3], row[0], row[1])))) if found else None

    def date_as_now(self, future: Future) -> None:
        """The clock is right and those dates are wrong: they become now, in their order; what they were is kept."""
        at = _time_of(self.clock())
        pieces = [number for table, number, *_ in future.rows if table == "piece"]
        rows = list(future.rows) + [
            ("reading", number, "", was)
            for piece in pieces
            for number, was in self._f.query("SELECT id, at FROM reading WHERE piece = ? ORDER BY at, id", piece)
        ]
        with self.writing():
            for i, (table, number, machine, was) in enumerate(rows):
                (row,) = self._f.rows(table, "WHERE id = ?", number)
                stamp = _text_of(at + timedelta(microseconds=i))
                self._f.replace(table, row, at=stamp)
                self._f.append("redated", at=stamp, kind=table, number=number, was=was)
                self._last.pop(machine, None)

    # Machines and instruments

    def machines(self) -> list[Machine]:
        """Current profiles of the machines in use, in the order in which they were added."""
        found = (self._understood("machine", Machine.from_json, body) for body in self._profiles("machine"))
        return [m for m in found if m is not None and not m.retired]

    def machine(self, uid: str, until: str = "") -> Machine:
        """The current profile, or the one that held at a time. Raises ShopDamagedError where none can be read."""
        for _, _, _, body in self._f.rows(
            "machine", f"WHERE uid = ? AND (? = '' OR at <= ?) {NEWEST}", uid, until, until
        ):
            return Machine.from_json(json.loads(body))
        raise ShopDamagedError("That machine is not in this shop file, or its profile is damaged.")

    def put_machine(self, machine: Machine) -> None:
        """Append a profile."""
        with self.writing():
            self._f.append("machine", uid=machine.uid, at=self._stamp(machine.uid), body=json.dumps(machine.to_json()))

    def instruments(self) -> list[Instrument]:
        """Current profiles, in the order in which they were added."""
        found = (self._understood("instrument", instrument_from_json, body) for body in self._profiles("instrument"))
        return [i for i in found if i is not None]

    def put_instrument(self, instrument: Instrument) -> None:
        """Append a profile."""
        with self.writing():
            body = json.dumps(instrument_to_json(instrument))
            self._f.append("instrument", uid=instrument.uid, at=self._stamp(instrument.uid), body=body)

    def _understood(self, noun: str, read: Callable[[Any], T], body: Any) -> T | None:
        """A profile; None, and a word about it, for one that an older program took over without understanding it."""
        try:
            return read(body)
        except (TypeError, ValueError, KeyError, AttributeError, InputError):
            self._f.notice = f"A {noun}’s profile can’t be understood and is left out."
            return None

    def _profiles(self, table: str) -> list[Any]:
        """The newest sound body of each, in the order of their first."""
        newest: dict[str, str] = {}
        first: dict[str, int] = {}
        for number, uid, _, body in self._f.rows(table, OLDEST_FIRST):
            newest[uid] = body
            first[uid] = min(number, first.get(uid, number))
        return [json.loads(newest[uid]) for uid in sorted(newest, key=lambda uid: first[uid])]

    def repeatability(self, instrument: str, before: str = "") -> Repeatability | None:
        """Spread of this instrument's repeats, pooled over all dimensions read more than once; None without any.

        before: only pieces made before that time, so that a round doesn't learn from its own readings.
        """
        rows = self._f.query(
            "SELECT r.mm, r.piece, r.measurand FROM reading r JOIN piece p ON p.id = r.piece WHERE r.instrument = ? "
            "AND NOT r.withdrawn AND (? = '' OR p.at < ?) AND r.id IN "
            "(SELECT max(id) FROM reading WHERE piece = r.piece GROUP BY coalesce(slot, id))",
            instrument, before, before,
        )  # fmt: skip
        damaged = {d.number for d in self.damage if d.table == "reading"}
        groups: dict[tuple[int, str], list[float]] = {}
        for mm, piece, measurand in rows:
            groups.setdefault((piece, measurand), []).append(mm)
        dof = sum(len(g) - 1 for g in groups.values())
        if not dof or damaged:
            return None
        squares = sum((v - sum(g) / len(g)) ** 2 for g in groups.values() for v in g)
        return Repeatability(math.sqrt(squares / dof), dof)

    # Values, findings, events

    def value(self, machine: str, quantity: str) -> KeptValue | None:
        """What the controller holds now, as far as the shop knows."""
        return self.values(machine).get(quantity)

    def values(self, machine: str) -> dict[str, KeptValue]:
        """What the machine keeps now of every quantity that was ever entered."""
        rows = self._f.rows("value", "WHERE machine = ?", machine, view="newest_value")
        return {q: KeptValue(stored_from_body(json.loads(body)), at, how, rnd) for _, _, q, at, body, rnd, how in rows}

    def put_value(
        self, machine: str, quantity: str, stored: StoredValue, how: str, *, round_id: int | None = None
    ) -> None:
        """Append a value."""
        with self.writing():
            self._f.append(
                "value", machine=machine, quantity=quantity, at=self._stamp(machine), round=round_id, how=how,
                body=json.dumps(stored.to_body()),
            )  # fmt: skip

    def findings(self, machine: str, quantity: str) -> list[KeptFinding]:
        """A value's history, oldest first."""
        rows = self._f.rows("finding", f"WHERE machine = ? AND quantity = ? {OLDEST_FIRST}", machine, quantity)
        return [_finding(row)[1] for row in rows]

    def findings_of(self, round_id: int) -> list[KeptFinding]:
        """What a round found, oldest first."""
        return [_finding(row)[1] for row in self._f.rows("finding", f"WHERE round = ? {OLDEST_FIRST}", round_id)]

    def latest_findings(self) -> dict[tuple[str, str], KeptFinding]:
        """The newest finding by (machine, quantity)."""
        return dict(map(_finding, self._f.rows("finding", view="newest_finding")))

    def value_times(self) -> dict[tuple[str, str], str]:
        """When the number now in the controller came there, by (machine, quantity)."""
        rows = self._f.query("SELECT machine, quantity, max(at) FROM value GROUP BY 1, 2")
        return {(machine, quantity): at for machine, quantity, at in rows}

    def put_findings(self, machine: str, round_id: int, piece_id: int, findings: Sequence[Finding]) -> None:
        """Append findings of one piece."""
        with self.writing():
            for f in findings:
                self._f.append(
                    "finding", machine=machine, quantity=f.quantity, at=self._stamp(machine), round=round_id,
                    piece=piece_id, verdict=str(f.verdict), error=f.error, uncertainty=f.expanded_uncertainty,
                    tolerance=f.tolerance, body=json.dumps(f.to_json()),
                )  # fmt: skip

    def put_event(self, machine: str, kind: str, text: str) -> None:
        """Append an event."""
        with self.writing():
            self._f.append("event", machine=machine, at=self._stamp(machine), kind=kind, text=text)

    def events(self, machine: str) -> list[tuple[str, str, str]]:
        """(at, kind, text), oldest first."""
        rows = self._f.rows("event", f"WHERE machine = ? {OLDEST_FIRST}", machine)
        return [(at, kind, text) for _, _, at, kind, text in rows]

    def events_of(self, kinds: Sequence[str]) -> dict[str, list[tuple[str, str]]]:
        """(at, text) of events of some kinds, newest first, by machine."""
        marks = ", ".join("?" * len(kinds))
        events: dict[str, list[tuple[str, str]]] = {}
        for _, machine, at, _, text in self._f.rows("event", f"WHERE kind IN ({marks}) {NEWEST}", *kinds):
            events.setdefault(machine, []).append((at, text))
        return events

    def log_rows(
        self, machine: str, quantity: str, verdict: str, since: str, silent: Sequence[str], most: int | None
    ) -> list[Any]:
        """(kind, at, machine, quantity, verdict, round, first, second) newest first; empty filters pass all.

        silent: kinds that are left out.
        """
        parts = [
            "SELECT 'value' AS kind, at, machine, quantity, NULL AS verdict, round, body AS first, NULL AS second, id "
            f"FROM value WHERE (round IS NOT NULL OR how <> 'start') {self._sound('value', 'AND')}",
            "SELECT m.kind, m.at, r.machine, NULL, NULL, r.id, m.body, NULL, m.id FROM mark m "
            f"JOIN round r ON r.id = m.round WHERE m.kind IN {SETTLED} {self._sound('mark', 'AND', 'm.')}",
            "SELECT kind, at, machine, NULL, NULL, NULL, text, NULL, id FROM event "
            f"WHERE kind NOT IN ({', '.join('?' * len(silent))}) {self._sound('event', 'AND')}",
        ]
        if "finding" not in silent:
            parts.append(
                "SELECT 'finding', at, machine, quantity, verdict, round, error, uncertainty, id FROM finding "
                f"{self._sound('finding', 'WHERE')}"
            )
        wanted = [
            ("machine", "=", machine), ("quantity", "=", quantity), ("verdict", "=", verdict), ("at", ">=", since),
        ]  # fmt: skip
        tests = [f"{column} {sign} ?" for column, sign, value in wanted if value]
        values = [*silent, *(value for *_, value in wanted if value)]
        sql = (
            f"SELECT kind, at, machine, quantity, verdict, round, first, second FROM ({' UNION ALL '.join(parts)})"
            + (" WHERE " + " AND ".join(tests) if tests else "") + f" {NEWEST}"
            + (f" LIMIT {most:d}" if most else "")
        )  # fmt: skip
        return self._f.query(sql, *values)

    def _sound(self, table: str, joint: str, prefix: str = "") -> str:
        """SQL that leaves out the rows of a table that are known to be damaged."""
        numbers = ", ".join(str(int(d.number)) for d in self.damage if d.table == table)
        return f"{joint} {prefix}id NOT IN ({numbers})" if numbers else ""

    # Rounds

    def begin_round(self, machine: str, procedure: str, body: Mapping[str, Any]) -> KeptRound:
        """Append a round."""
        with self.writing():
            at, text = self._stamp(machine), json.dumps(body)
            number = self._f.append("round", machine=machine, procedure=procedure, at=at, body=text)
        return KeptRound(number, machine, procedure, at, json.loads(text), "open")

    def round(self, round_id: int) -> KeptRound:
        """A round by its number. Raises ShopDamagedError where it can't be read."""
        for row in self._f.rows("round", "WHERE id = ?", round_id):
            return self._round(row)
        raise ShopDamagedError(f"Round {round_id} can’t be read any more.")

    def rounds(self, machine: str) -> list[KeptRound]:
        """All rounds of a machine, oldest first."""
        return [self._round(row) for row in self._f.rows("round", f"WHERE machine = ? {OLDEST_FIRST}", machine)]

    def open_rounds(self, machine: str, procedure: str | None = None) -> list[KeptRound]:
        """The rounds of a machine that are neither signed nor given up, newest first."""
        rows = self._f.rows(
            "round",
            "WHERE machine = ? AND (? IS NULL OR procedure = ?) AND id NOT IN "
            f"{_ENDED} {NEWEST}",
            machine, procedure, procedure,
        )  # fmt: skip
        return [_round(row, "open") for row in rows]

    def _round(self, row: tuple[Any, ...]) -> KeptRound:
        end = next(iter(self._f.rows("mark", f"WHERE round = ? AND kind IN {SETTLED} {NEWEST}", row[0])), None)
        return _round(row, end[2] if end else "open")

    def idle_days(self, round_id: int) -> int:
        """For how many days nothing was done in a round."""
        return (_time_of(self.clock()) - _time_of(self.last_touched(round_id))).days

    def last_touched(self, round_id: int) -> str:
        """When something was last done in a round (UTC)."""
        sql = (
            "SELECT max(at) FROM (SELECT at FROM round WHERE id = ? "
            "UNION ALL SELECT at FROM mark WHERE round = ? "
            "UNION ALL SELECT r.at FROM reading r JOIN piece p ON p.id = r.piece WHERE p.round = ?)"
        )
        return str(self._f.query(sql, round_id, round_id, round_id)[0][0])

    def steps_under_way(self) -> dict[str, str]:
        """The step of each machine's newest open round, by machine."""
        steps: dict[str, str] = {}
        for number, machine, *_ in self._f.rows("round", f"WHERE id NOT IN {_ENDED} {OLDEST_FIRST}"):
            from keen_compass.shop.marks import StepShown  # late: the first screen may have none

            shown = self.mark(number, StepShown)
            steps[machine] = shown.step if shown else "make"
        return steps

    def computed(self, machine: str) -> dict[str, Mapping[str, float | None]]:
        """What the parts of the drive trains gave, by quantity: steps per mm, and teeth where there are any."""
        from keen_compass.shop.marks import Computed

        found: dict[str, Mapping[str, float | None]] = {}
        tail = f"WHERE kind = ? AND round IN (SELECT id FROM round WHERE machine = ?) {OLDEST_FIRST}"
        for *_, body in self._f.rows("mark", tail, Computed.kind, machine):
            found |= Computed.from_body(json.loads(body)).by_quantity
        return found

    def put_mark(self, round_id: int, mark: Mark, piece: int = 0) -> None:
        """Append something that happened to a round, or to one of its pieces."""
        with self.writing():
            at = self._stamp(self._machine_of(round_id))
            self._f.append(
                "mark", round=round_id, kind=mark.kind, piece=piece, at=at, body=json.dumps(mark.to_body())
            )  # fmt: skip

    def mark(self, round_id: int, kind: type[M], piece: int = 0) -> M | None:
        """The newest mark of a kind, of the round or of one of its pieces."""
        tail = f"WHERE round = ? AND kind = ? AND piece = ? {NEWEST} LIMIT 1"
        for *_, body in self._f.rows("mark", tail, round_id, kind.kind, piece):
            return kind.from_body(json.loads(body))
        return None

    # Pieces and readings

    def put_piece(self, round_id: int, machine: str, body: Mapping[str, Any]) -> KeptPiece:
        """Append a piece; its number is the machine's next."""
        with self.writing():
            number, at, text = self.next_piece_number(machine), self._stamp(machine), json.dumps(body)
            row = self._f.append("piece", round=round_id, machine=machine, number=number, at=at, body=text)
        return KeptPiece(row, round_id, number, at, json.loads(text))

    def next_piece_number(self, machine: str) -> int:
        """The number that the machine's next piece will bear."""
        ((last,),) = self._f.query("SELECT max(number) FROM piece WHERE machine = ?", machine)
        return (last or 0) + 1

    def pieces(self, round_id: int) -> list[KeptPiece]:
        """A round's pieces, in order."""
        return self._pieces("round", round_id)

    def machine_pieces(self, machine: str, since: str = "") -> list[KeptPiece]:
        """The pieces of a machine made after a time, in order."""
        return self._pieces("machine", machine, since)

    def _pieces(self, column: str, value: Any, since: str = "") -> list[KeptPiece]:
        rows = self._f.rows("piece", f"WHERE {column} = ? AND at > ? {OLDEST_FIRST}", value, since)
        return [KeptPiece(i, rnd, number, at, json.loads(body)) for i, rnd, _, number, at, body in rows]

    def readings(self, piece_id: int) -> list[KeptReading]:
        """Current readings of a piece: the newest of each slot, in the order of their first ones."""
        newest: dict[int, tuple[bool, KeptReading]] = {}
        for number, _, measurand, at, text, mm, unit, resolution, instrument, slot, withdrawn in self._f.rows(
            "reading", "WHERE piece = ? ORDER BY id", piece_id
        ):
            kept = KeptReading(slot or number, measurand, Length(mm, text, unit, resolution), instrument, at)
            newest[kept.slot] = (bool(withdrawn), kept)
        return [kept for withdrawn, kept in newest.values() if not withdrawn]

    def put_reading(
        self, piece_id: int, measurand: str, length: Length, instrument: str, *,
        slot: int | None = None, withdrawn: bool = False,
    ) -> int:  # fmt: skip
        """Append a reading (or what supersedes the one in `slot`) and delete the draft, in one transaction.

        Returns its slot.
        """
        with self.writing():
            machine = next((m for (m,) in self._f.query("SELECT machine FROM piece WHERE id = ?", piece_id)), "")
            number = self._f.append(
                "reading", piece=piece_id, measurand=measurand, at=self._stamp(machine),
                text=length.text, mm=length.mm, unit=length.unit, resolution_mm=length.resolution_mm,
                instrument=instrument, slot=slot, withdrawn=withdrawn,
            )  # fmt: skip
            self._f.query("DELETE FROM draft WHERE id = ?", piece_id)
        return slot or number

    def put_draft(self, piece_id: int, measurand: str, text: str) -> None:
        """Keep half a reading, in the one row there is for it."""
        with self.writing():
            if text:
                self._f.append("draft", id=piece_id, measurand=measurand, text=text, at=self.clock())
            else:
                self._f.query("DELETE FROM draft WHERE id = ?", piece_id)

    def draft(self, piece_id: int) -> tuple[str, str] | None:
        """(measurand, text) of the half reading, if there is one."""
        for _, measurand, text, _ in self._f.rows("draft", "WHERE id = ?", piece_id):
            return measurand, text
        return None

    # Practice

    def stand_in(self, machine: str) -> dict[str, Any] | None:
        """The hidden truths behind a practice machine, for the practice tools only."""
        for *_, body in self._f.rows("stand_in", f"WHERE machine = ? {NEWEST} LIMIT 1", machine):
            truth: dict[str, Any] = json.loads(body)
            return truth
        return None

    def put_stand_in(self, machine: str, body: Mapping[str, Any]) -> None:
        """Keep the truths of a practice machine."""
        with self.writing():
            self._f.append("stand_in", machine=machine, at=self._stamp(machine), body=json.dumps(body))

    # Taking over and giving away, for `exchange`

    def dumped(self, table: str, tail: str = "", *values: Any) -> list[tuple[Any, ...]]:
        """Sound rows of a table as they stand in the file, by number."""
        return list(self._f.rows(table, f"{tail} ORDER BY id", *values))

    def taken_over(self, table: str, **row: Any) -> int:
        """Append a row that was checked already, with the time it has; returns its number."""
        self._last.clear()
        return self._f.append(table, **row)


def now() -> str:
    """UTC in ISO 8601, to the microsecond so that it sorts as text in the order of writing."""
    return _text_of(datetime.now(UTC))


def _text_of(time: datetime) -> str:
    return time.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def _time_of(text: str) -> datetime:
    return datetime.fromisoformat(text)


def _finding(row: tuple[Any, ...]) -> tuple[tuple[str, str], KeptFinding]:
    _, machine, quantity, at, round_id, piece, *_, body = row
    return (machine, quantity), KeptFinding(Finding.from_json(json.loads(body)), at, round_id, piece)


def _round(row: tuple[Any, ...], status: str) -> KeptRound:
    number, machine, procedure, at, body = row
    return KeptRound(number, machine, procedure, at, json.loads(body), status)
