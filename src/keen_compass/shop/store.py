"""Typed access to the shop file: what is current, and appending to it. Times are UTC."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from types import ModuleType
from typing import Any

import peewee

from keen_compass.errors import ShopReadOnlyError, ShopWriteError
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.stored import StoredValue, stored_from_kept
from keen_compass.shop import database as d
from keen_compass.shop.machines import Machine, instrument_from_json, instrument_to_json

SETTLED = ("signed", "given_up")


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


class Shop:
    """An open shop. One per process; every change is on disk when the call returns."""

    def __init__(self, file: Path) -> None:
        self._connection = d.Connection(file)
        self.file = file
        self.read_only = self._connection.read_only
        self.clock: Callable[[], str] = now

    def close(self) -> None:
        """Close the file."""
        self._connection.close()

    @property
    def _d(self) -> ModuleType:
        """The tables, bound to this shop's file."""
        self.bind()
        return d

    def bind(self) -> None:
        """The tables mean this shop's file from now on: two shops may be open at once in one process."""
        d.database.initialize(self._connection.db)

    @contextmanager
    def writing(self) -> Iterator[None]:
        """One transaction. Raises ShopReadOnlyError or ShopWriteError; then nothing of it was kept."""
        if self.read_only:
            raise ShopReadOnlyError("This shop is open in another window, so here it can only be looked at.")
        try:
            with self._connection.db.atomic():
                yield
        except peewee.OperationalError as error:
            raise ShopWriteError(
                f"The disk refused ({error}). All that was kept before is safe; make room and try again."
            ) from None

    # Machines and instruments

    def machines(self) -> list[Machine]:
        """Current profiles of the machines in use, in the order in which they were added."""
        machines = [Machine.from_json(json.loads(body)) for body in self._profiles("machine_profile")]
        return [m for m in machines if not m.retired]

    def machine(self, uid: str) -> Machine:
        """The current profile."""
        sql = "SELECT body FROM machine_profile WHERE uid = ? ORDER BY id DESC LIMIT 1"
        return Machine.from_json(json.loads(next(iter(self._sql(sql, uid)))[0]))

    def put_machine(self, machine: Machine, at: str | None = None) -> None:
        """Append a profile."""
        with self.writing():
            self._d.MachineProfile.create(uid=machine.uid, at=at or self.clock(), body=json.dumps(machine.to_json()))

    def instruments(self) -> list[Instrument]:
        """Current profiles, in the order in which they were added."""
        return [instrument_from_json(json.loads(body)) for body in self._profiles("instrument_profile")]

    def _profiles(self, table: str) -> list[str]:
        rows = self._sql(f"SELECT body, min(id), max(id) FROM {table} GROUP BY uid ORDER BY 2")
        newest = [last for _, _, last in rows]
        by_id = dict(self._sql(f"SELECT id, body FROM {table} WHERE id IN ({', '.join('?' * len(newest))})", *newest))
        return [by_id[i] for i in newest]

    def put_instrument(self, instrument: Instrument, at: str | None = None) -> None:
        """Append a profile."""
        with self.writing():
            body = json.dumps(instrument_to_json(instrument))
            self._d.InstrumentProfile.create(uid=instrument.uid, at=at or self.clock(), body=body)

    def repeatability(self, instrument: str, before_piece: int | None = None) -> Repeatability | None:
        """Spread of this instrument's repeats, pooled over all dimensions read more than once; None without any.

        before_piece: only pieces with a lower row id, so that a piece's own readings don't count twice.
        """
        sql = (
            "SELECT mm, piece, measurand FROM reading_row r WHERE instrument = ? AND NOT withdrawn AND id IN "
            "(SELECT max(id) FROM reading_row WHERE piece = r.piece GROUP BY coalesce(slot, id))"
        )
        rows = self._sql(sql + (" AND piece < ?" if before_piece else ""), *filter(None, (instrument, before_piece)))
        groups: dict[tuple[int, str], list[float]] = {}
        for mm, piece, measurand in rows:
            groups.setdefault((piece, measurand), []).append(mm)
        dof = sum(len(g) - 1 for g in groups.values())
        if not dof:
            return None
        squares = sum((v - sum(g) / len(g)) ** 2 for g in groups.values() for v in g)
        return Repeatability(math.sqrt(squares / dof), dof)

    # Values, findings, events

    def value(self, machine: str, quantity: str) -> KeptValue | None:
        """What the controller holds now, as far as the shop knows."""
        return self.values(machine).get(quantity)

    def values(self, machine: str) -> dict[str, KeptValue]:
        """What the machine keeps now of every quantity that was ever entered."""
        # SQLite takes the bare columns from the row that holds the maximum.
        rows = self._sql(
            "SELECT quantity, body, at, how, round, max(id) FROM value_row WHERE machine = ? GROUP BY quantity", machine
        )
        return {q: KeptValue(stored_from_kept(json.loads(body)), at, how, rnd) for q, body, at, how, rnd, _ in rows}

    def put_value(
        self, machine: str, quantity: str, stored: StoredValue, how: str, *,
        round_id: int | None = None, at: str | None = None,
    ) -> None:  # fmt: skip
        """Append a value."""
        body = json.dumps(stored.to_kept())
        with self.writing():
            self._append(
                "value_row",
                machine=machine,
                quantity=quantity,
                at=at or self.clock(),
                body=body,
                how=how,
                round=round_id,
            )

    def findings(self, machine: str, quantity: str) -> list[KeptFinding]:
        """A value's history, oldest first."""
        F = self._d.FindingRow
        rows = F.select().where(F.machine == machine, F.quantity == quantity).order_by(F.at, F.id)
        return [_finding(row) for row in rows]

    # The first screen asks these; plain SQL, because peewee's building of it takes longer than SQLite's answer.

    def latest_findings(self) -> dict[tuple[str, str], KeptFinding]:
        """The newest finding by (machine, quantity)."""
        # SQLite takes the bare columns from the row that holds the maximum.
        rows = self._sql("SELECT machine, quantity, body, round, piece, max(at) FROM finding_row GROUP BY 1, 2")
        return {
            (machine, quantity): KeptFinding(Finding.from_json(json.loads(body)), at, round_id, piece)
            for machine, quantity, body, round_id, piece, at in rows
        }

    def value_times(self) -> dict[tuple[str, str], str]:
        """When the number now in the controller came there, by (machine, quantity)."""
        rows = self._sql("SELECT machine, quantity, max(at) FROM value_row GROUP BY 1, 2")
        return {(machine, quantity): at for machine, quantity, at in rows}

    def events_of(self, kinds: Sequence[str]) -> dict[str, list[tuple[str, str]]]:
        """(at, text) of events of some kinds, newest first, by machine."""
        marks = ", ".join("?" * len(kinds))
        events: dict[str, list[tuple[str, str]]] = {}
        sql = f"SELECT machine, at, text FROM event WHERE kind IN ({marks}) ORDER BY at DESC"
        for machine, at, text in self._sql(sql, *kinds):
            events.setdefault(machine, []).append((at, text))
        return events

    def last_touched(self, round_id: int) -> str:
        """When something was last done in a round (UTC)."""
        sql = (
            "SELECT max(at) FROM (SELECT at FROM round WHERE id = ? "
            "UNION ALL SELECT at FROM round_mark WHERE round = ? "
            "UNION ALL SELECT r.at FROM reading_row r JOIN piece_row p ON p.id = r.piece WHERE p.round = ?)"
        )
        return str(next(iter(self._sql(sql, round_id, round_id, round_id)))[0])

    def steps_under_way(self) -> dict[str, str]:
        """The step of each machine's newest open round, by machine."""
        rows = self._sql(
            "SELECT r.machine, max(r.id), (SELECT body FROM round_mark WHERE round = r.id AND kind = 'step' "
            "ORDER BY id DESC LIMIT 1) FROM round r WHERE r.id NOT IN "
            "(SELECT round FROM round_mark WHERE kind IN ('signed', 'given_up')) GROUP BY r.machine"
        )
        return {machine: json.loads(body)["step"] if body else "make" for machine, _, body in rows}

    def log_rows(
        self, machine: str, quantity: str, verdict: str, since: str, silent: Sequence[str], most: int | None
    ) -> list[Any]:
        """(kind, at, machine, quantity, verdict, round, first, second) newest first; empty filters pass all."""
        parts = [
            "SELECT 'finding', at, machine, quantity, verdict, round, error, uncertainty, id FROM finding_row",
            "SELECT 'value', at, machine, quantity, NULL, round, body, NULL, id FROM value_row WHERE round IS NOT NULL",
            "SELECT m.kind, m.at, r.machine, NULL, NULL, r.id, m.body, NULL, m.id FROM round_mark m "
            "JOIN round r ON r.id = m.round WHERE m.kind IN ('signed', 'given_up')",
            "SELECT kind, at, machine, NULL, NULL, NULL, text, NULL, id FROM event "
            f"WHERE kind NOT IN ({', '.join('?' * len(silent))})",
        ]
        wanted = [
            ("machine", "=", machine),
            ("quantity", "=", quantity),
            ("verdict", "=", verdict),
            ("at", ">=", since),
        ]
        tests = [f"{column} {sign} ?" for column, sign, value in wanted if value]
        values = [*silent, *(value for *_, value in wanted if value)]
        sql = (
            "SELECT kind, at, machine, quantity, verdict, round, first, second FROM (SELECT NULL AS kind, "
            "NULL AS at, NULL AS machine, NULL AS quantity, NULL AS verdict, NULL AS round, NULL AS first, "
            "NULL AS second, NULL AS id WHERE 0 UNION ALL " + " UNION ALL ".join(parts) + ")"
            + (" WHERE " + " AND ".join(tests) if tests else "") + " ORDER BY at DESC, id DESC"
            + (f" LIMIT {most:d}" if most else "")
        )  # fmt: skip
        return list(self._sql(sql, *values))

    def _append(self, table: str, **values: Any) -> int:
        """One row more; returns its number."""
        marks = ", ".join("?" * len(values))
        sql = f"INSERT INTO {table} ({', '.join(values)}) VALUES ({marks})"
        return int(self._sql(sql, *values.values()).lastrowid)

    def _sql(self, sql: str, *values: Any) -> Any:
        return self._connection.db.execute_sql(sql, values)

    def put_findings(
        self, machine: str, round_id: int, piece_id: int, findings: Sequence[Finding], at: str | None = None
    ) -> None:
        """Append findings of one piece; those that have no error are left to the next reading."""
        with self.writing():
            for f in findings:
                self._append(
                    "finding_row", machine=machine, quantity=f.quantity, at=at or self.clock(), round=round_id,
                    piece=piece_id, verdict=str(f.verdict), error=f.error, uncertainty=f.expanded_uncertainty,
                    tolerance=f.tolerance, body=json.dumps(f.to_json()),
                )  # fmt: skip

    def put_event(self, machine: str, kind: str, text: str, at: str | None = None) -> None:
        """Append an event."""
        with self.writing():
            self._append("event", machine=machine, at=at or self.clock(), kind=kind, text=text)

    def events(self, machine: str) -> list[tuple[str, str, str]]:
        """(at, kind, text), oldest first."""
        return list(self._sql("SELECT at, kind, text FROM event WHERE machine = ? ORDER BY at, id", machine))

    # Rounds

    def begin_round(self, machine: str, procedure: str, body: Mapping[str, Any], at: str | None = None) -> KeptRound:
        """Append a round."""
        with self.writing():
            row = self._d.Round.create(
                machine=machine, procedure=procedure, at=at or self.clock(), body=json.dumps(body)
            )
        return self.round(row.id)

    def round(self, round_id: int) -> KeptRound:
        """A round by its number."""
        return _round(self._d.Round.get_by_id(round_id))

    def open_rounds(self, machine: str, procedure: str | None = None) -> list[KeptRound]:
        """The rounds of a machine that are neither signed nor given up, newest first."""
        settled = self._d.RoundMark.select(self._d.RoundMark.round).where(self._d.RoundMark.kind.in_(SETTLED))
        query = self._d.Round.select().where(self._d.Round.machine == machine, self._d.Round.id.not_in(settled))
        if procedure:
            query = query.where(self._d.Round.procedure == procedure)
        return [_round(row) for row in query.order_by(self._d.Round.id.desc())]

    def computed(self, machine: str) -> dict[str, dict[str, float]]:
        """What the parts of the drive trains gave, by quantity: steps per mm, and teeth where there are any."""
        found: dict[str, dict[str, float]] = {}
        sql = (
            "SELECT m.body FROM round_mark m JOIN round r ON r.id = m.round "
            "WHERE r.machine = ? AND m.kind = 'computed' ORDER BY m.id"
        )
        for (body,) in self._sql(sql, machine):
            found |= json.loads(body)
        return found

    def put_mark(self, round_id: int, kind: str, body: Mapping[str, Any] | None = None, at: str | None = None) -> None:
        """Append something that happened to a round."""
        with self.writing():
            self._append("round_mark", round=round_id, at=at or self.clock(), kind=kind, body=json.dumps(body or {}))

    def mark(self, round_id: int, kind: str) -> Mapping[str, Any] | None:
        """The newest mark of a kind."""
        sql = "SELECT body FROM round_mark WHERE round = ? AND kind = ? ORDER BY id DESC LIMIT 1"
        row = next(iter(self._sql(sql, round_id, kind)), None)
        return json.loads(row[0]) if row else None

    # Pieces and readings

    def put_piece(self, round_id: int, machine: str, body: Mapping[str, Any], at: str | None = None) -> KeptPiece:
        """Append a piece; its number is the machine's next."""
        with self.writing():
            number = self.next_piece_number(machine)
            row = self._d.PieceRow.create(
                round=round_id, machine=machine, number=number, at=at or self.clock(), body=json.dumps(body)
            )
        return _piece(row)

    def next_piece_number(self, machine: str) -> int:
        """The number that the machine's next piece will bear."""
        last = (
            self._d.PieceRow.select(peewee.fn.MAX(self._d.PieceRow.number))
            .where(self._d.PieceRow.machine == machine)
            .scalar()
        )
        return (last or 0) + 1

    def pieces(self, round_id: int) -> list[KeptPiece]:
        """A round's pieces, in order."""
        return self._pieces("round", round_id)

    def machine_pieces(self, machine: str) -> list[KeptPiece]:
        """All pieces of a machine, in order."""
        return self._pieces("machine", machine)

    def _pieces(self, column: str, value: Any) -> list[KeptPiece]:
        sql = f"SELECT id, round, number, at, body FROM piece_row WHERE {column} = ? ORDER BY id"
        return [KeptPiece(i, rnd, number, at, json.loads(body)) for i, rnd, number, at, body in self._sql(sql, value)]

    def readings(self, piece_id: int) -> list[KeptReading]:
        """Current readings of a piece: the newest of each slot, in the order of their first ones."""
        newest: dict[int, tuple[bool, KeptReading]] = {}
        rows = self._sql(
            "SELECT id, slot, measurand, mm, text, unit, resolution_mm, instrument, at, withdrawn FROM reading_row "
            "WHERE piece = ? ORDER BY id", piece_id,
        )  # fmt: skip
        for number, slot, measurand, mm, text, unit, resolution, instrument, at, withdrawn in rows:
            kept = KeptReading(slot or number, measurand, Length(mm, text, unit, resolution), instrument, at)
            newest[kept.slot] = (bool(withdrawn), kept)
        return [kept for withdrawn, kept in newest.values() if not withdrawn]

    def put_reading(
        self, piece_id: int, measurand: str, length: Length, instrument: str, *,
        slot: int | None = None, withdrawn: bool = False, at: str | None = None,
    ) -> int:  # fmt: skip
        """Append a reading (or what supersedes the one in `slot`) and delete the draft, in one transaction.

        Returns its slot.
        """
        with self.writing():
            number = self._append(
                "reading_row", piece=piece_id, measurand=measurand, at=at or self.clock(), text=length.text,
                mm=length.mm, unit=length.unit, resolution_mm=length.resolution_mm, instrument=instrument,
                slot=slot, withdrawn=withdrawn,
            )  # fmt: skip
            self._sql("DELETE FROM draft WHERE piece = ?", piece_id)
        return slot or number

    def put_draft(self, piece_id: int, measurand: str, text: str) -> None:
        """Keep half a reading, in the one row there is for it."""
        with self.writing():
            if text:
                sql = "INSERT OR REPLACE INTO draft (piece, measurand, text, at) VALUES (?, ?, ?, ?)"
                self._sql(sql, piece_id, measurand, text, self.clock())
            else:
                self._sql("DELETE FROM draft WHERE piece = ?", piece_id)

    def draft(self, piece_id: int) -> tuple[str, str] | None:
        """(measurand, text) of the half reading, if there is one."""
        row = self._d.Draft.get_or_none(self._d.Draft.piece == piece_id)
        return (row.measurand, row.text) if row else None

    # Practice

    def stand_in(self, machine: str) -> dict[str, Any] | None:
        """The hidden truths behind a practice machine, for the practice tools only."""
        row = next(iter(self._sql("SELECT body FROM stand_in WHERE machine = ?", machine)), None)
        return json.loads(row[0]) if row else None

    def put_stand_in(self, machine: str, body: Mapping[str, Any]) -> None:
        """Keep the truths of a practice machine."""
        with self.writing():
            self._d.StandIn.replace(machine=machine, body=json.dumps(body)).execute()


def now() -> str:
    """UTC in ISO 8601, to the microsecond so that it sorts as text in the order of writing."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def _finding(row: Any) -> KeptFinding:
    return KeptFinding(Finding.from_json(json.loads(row.body)), row.at, row.round, row.piece)


def _piece(row: Any) -> KeptPiece:
    return KeptPiece(row.id, row.round, row.number, row.at, json.loads(row.body))


def _round(row: Any) -> KeptRound:
    M = d.RoundMark
    end = M.select().where(M.round == row.id, M.kind.in_(SETTLED)).order_by(M.id.desc()).first()
    return KeptRound(row.id, row.machine, row.procedure, row.at, json.loads(row.body), end.kind if end else "open")
