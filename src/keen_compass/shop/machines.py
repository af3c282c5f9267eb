"""The shop's machines, things and instruments; what is mounted; the numbers, findings and events of each machine."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, TypeVar

from keen_compass.errors import InputError, ShopDamagedError
from keen_compass.language import tr
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.instrument_record import instrument_from_json, instrument_to_json
from keen_compass.machines.profile import Machine
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.notes import note
from keen_compass.quantities.stored import StoredValue, stored_from_body
from keen_compass.quantities.subjects import NO_SUBJECT, Subject
from keen_compass.shop.base import ShopBase
from keen_compass.shop.kept import KeptFinding, KeptValue
from keen_compass.shop.rows import SqlRow
from keen_compass.shop.schema import NEWEST, OLDEST_FIRST
from keen_compass.shop.things import Things, parts_of, put_together

if TYPE_CHECKING:
    from keen_compass.quantities.instruments import Instrument, Repeatability

T = TypeVar("T")
SETTLED = ("signed", "given_up")  # kinds of mark that end a round
_LOG_COLUMNS = "kind, at, machine, quantity, verdict, round, first, second"
_LOG = {  # table → what a line of the log takes of it
    "value": (
        "SELECT 'value' AS kind, at, machine, quantity, NULL AS verdict, round, body AS first, NULL AS second, id "
        "FROM value WHERE (round IS NOT NULL OR how <> 'start')"
    ),
    "mark": (
        "SELECT m.kind AS kind, m.at AS at, r.machine AS machine, NULL AS quantity, NULL AS verdict, r.id AS round, "
        "m.body AS first, NULL AS second, m.id AS id FROM mark m JOIN round r ON r.id = m.round "
        f"WHERE m.kind IN {SETTLED}"
    ),
    "event": (
        "SELECT kind, at, machine, NULL AS quantity, NULL AS verdict, NULL AS round, text AS first, NULL AS second, id "
        "FROM event WHERE true"
    ),
    "finding": (
        "SELECT 'finding' AS kind, at, machine, quantity, verdict, round, error AS first, uncertainty AS second, id "
        "FROM finding WHERE true"
    ),
}


class MachineRows(ShopBase):
    """What the shop knows of its machines and of what they are measured with."""

    # Machines and what belongs to them

    def machines(self) -> list[Machine]:
        """Current profiles of the machines in use, in the order in which they were added."""
        things, mounted = self._things(), self._all_mounted()

        def read(uid: str, body: Any) -> Machine:
            return put_together(body, things, mounted.get(uid, {}))

        found = [self._understood("machine", read, uid, body) for uid, body in self._profiles("machine")]
        return [m for m in found if m is not None and not m.retired]

    def machine(self, uid: str, until: str = "") -> Machine:
        """The current profile, or the one that held at a time. Raises ShopDamagedError where none can be read."""
        tail = f"(? = '' OR at <= ?) {NEWEST} LIMIT 1"
        for _, _, _, body in self._f.rows("machine", f"WHERE uid = ? AND {tail}", uid, until, until):
            loaded = [row[3] for row in self._f.rows("mounted", f"WHERE machine = ? AND {tail}", uid, until, until)]
            return put_together(json.loads(body), self._things(until), json.loads(loaded[0]) if loaded else {})
        raise ShopDamagedError(tr("That machine is not in this shop file, or its profile is damaged."))

    def put_machine(self, machine: Machine) -> None:
        """Append a profile, and what is new of its tools, its stock and what is mounted."""
        body, things, loaded = parts_of(machine, self._known_stock())
        with self.writing():
            self._put_parts(machine.uid, things, loaded)
            self._f.append("machine", uid=machine.uid, at=self._stamp(machine.uid), body=json.dumps(body))

    def put_profile(self, machine: Machine, stored: Mapping[str, StoredValue]) -> None:
        """A machine with what its controller is said to hold; what it held already stays as it was put there."""
        with self.writing():
            self.put_machine(machine)
            held = self.values_on(machine)
            for quantity, number in stored.items():
                now = held.get(quantity)
                if now is None or now.stored != number:
                    how = "typed" if now else "start"
                    self.put_value(machine.uid, quantity, number, how, subject=machine.subject)

    def mount(
        self,
        machine: Machine,
        *,
        tool: Tool | None = None,
        stock: Stock | None = None,
        fitted: Mapping[str, str] | None = None,
    ) -> None:
        """Another tool is in, other stock lies on it, or something else is fitted. What the controller holds stays what
        it is. fitted: kind of fitting → uid, empty for none.
        """
        now = replace(
            machine,
            mounted=(tool.uid if tool else machine.mounted),
            stock=stock or machine.stock,
            fitted={kind: uid for kind, uid in {**machine.fitted, **(fitted or {})}.items() if uid},
        )
        _, things, loaded = parts_of(now, self._known_stock())
        with self.writing():
            self._put_parts(machine.uid, things, loaded)
            if stock and (machine.stock is None or stock.uid != machine.stock.uid):  # nothing of it is cut yet
                self.put_event(machine.uid, "new_sheet", stock.name)

    def _put_parts(self, machine: str, things: Things, loaded: JsonObject) -> None:
        """Append what is new of some things, and of what is mounted."""
        here = self._things()
        for uid, (kind, what) in things.items():
            if here.get(uid) != what:
                self._f.append("thing", uid=uid, kind=kind, at=self._stamp(uid), body=json.dumps(what))
        if self._mounted(machine) != loaded:
            self._f.append("mounted", machine=machine, at=self._stamp(machine), body=json.dumps(loaded))

    def stock_at_hand(self, machine: Machine) -> list[Stock]:
        """What may lie on a machine: what lay on it or on another of its kind, as it lay there last, else as large as
        the bed."""
        alike = {m.uid for m in self.machines() if _feeds_on(m) == _feeds_on(machine)}
        lay: dict[str, JsonMapping] = {}
        fit: set[str] = set()
        for _, on, _, body in self._f.rows("mounted", OLDEST_FIRST):
            said = json.loads(body)
            if "stock" in said and on in alike:
                fit.add(said["stock"])
                if on == machine.uid:
                    lay[said["stock"]] = said
        usual = {"x": 0.0, "y": 0.0, "width": machine.bed[0], "height": machine.bed[1]}
        found = []
        for uid, what in self._things(kind="stock").items():
            if uid not in fit:
                continue
            where = {name: lay.get(uid, usual)[name] for name in usual}
            found.append(Stock(what["name"], what["thickness"], **where, uid=uid))
        return found

    def things_of(self, kind: str) -> list[JsonObject]:
        """What things of a kind are, as they were written last."""
        return list(self._things(kind=kind).values())

    def things_by_uid(self, kind: str) -> dict[str, JsonObject]:
        """The same by uid, in the order of their first."""
        return self._things(kind=kind)

    def thing(self, uid: str) -> JsonObject | None:
        """What one thing is; None where there is none of that identity."""
        return self._things().get(uid)

    def thing_versions(self, uid: str) -> list[tuple[str, JsonObject]]:
        """(at, what it was said to be) of one thing, oldest first."""
        return [(row[3], json.loads(row[4])) for row in self._f.rows("thing", f"WHERE uid = ? {OLDEST_FIRST}", uid)]

    def put_things(self, kind: str, things: Mapping[str, JsonMapping], *, again: bool = False) -> None:
        """Append what is new of some things, by uid; each has a name. again: also where it says the same as before."""
        here = self._things(kind=kind)
        with self.writing():
            for uid, what in things.items():
                if again or here.get(uid) != what:
                    self._f.append("thing", uid=uid, kind=kind, at=self._stamp(uid), body=json.dumps(what))

    def _things(self, until: str = "", kind: str = "") -> dict[str, JsonObject]:
        """What each thing is, by its uid, in the order of their first."""
        tail = f"WHERE (? = '' OR at <= ?) AND (? = '' OR kind = ?) {OLDEST_FIRST}"
        return {uid: json.loads(body) for _, uid, _, _, body in self._f.rows("thing", tail, until, until, kind, kind)}

    def _known_stock(self) -> dict[tuple[str, float], str]:
        """Material and thickness → uid."""
        return {(what["name"], what["thickness"]): uid for uid, what in self._things(kind="stock").items()}

    def _mounted(self, machine: str) -> JsonObject:
        for *_, body in self._f.rows("mounted", f"WHERE machine = ? {NEWEST} LIMIT 1", machine):
            found: JsonObject = json.loads(body)
            return found
        return {}

    def _all_mounted(self) -> dict[str, JsonObject]:
        return {machine: json.loads(body) for _, machine, _, body in self._f.rows("mounted", OLDEST_FIRST)}

    # Instruments

    def instruments(self) -> list[Instrument]:
        """Current profiles, in the order in which they were added."""

        def read(_uid: str, body: Any) -> Instrument:
            return instrument_from_json(body)

        found = (self._understood("instrument", read, uid, body) for uid, body in self._profiles("instrument"))
        return [i for i in found if i is not None]

    def put_instrument(self, instrument: Instrument) -> None:
        """Keep an instrument as it is from now on."""
        with self.writing():
            body = json.dumps(instrument_to_json(instrument))
            self._f.append("instrument", uid=instrument.uid, at=self._stamp(instrument.uid), body=body)

    def _understood(self, noun: str, read: Callable[[str, Any], T], uid: str, body: Any) -> T | None:
        """A profile; None, and a word about it, for one that an older program took over without understanding it."""
        try:
            return read(uid, body)
        except (TypeError, ValueError, KeyError, AttributeError, InputError):
            self._f.notice = note("shop.profile_left_out", noun=noun)
            return None

    def _profiles(self, table: str) -> list[tuple[str, Any]]:
        """(uid, newest sound body) of each, in the order of their first."""
        newest: dict[str, str] = {}
        first: dict[str, int] = {}
        for number, uid, _, body in self._f.rows(table, OLDEST_FIRST):
            newest[uid] = body
            first[uid] = min(number, first.get(uid, number))
        return [(uid, json.loads(newest[uid])) for uid in sorted(newest, key=lambda uid: first[uid])]

    def repeatability(self, instrument: str, before: str = "") -> Repeatability | None:
        """Spread of this instrument's repeats, pooled over all dimensions read more than once; None without any.

        before: only pieces made before that time, so that a round doesn't learn from its own readings.
        """
        rows = self._f.query(
            "SELECT r.value, r.stage, r.measurand FROM reading r JOIN stage s ON s.id = r.stage "
            "JOIN piece p ON p.id = s.piece WHERE r.instrument = ? AND r.kind = 'length' "
            "AND NOT r.withdrawn AND (? = '' OR p.at < ?) AND r.id IN "
            "(SELECT max(id) FROM reading WHERE stage = r.stage GROUP BY coalesce(slot, id))",
            instrument,
            before,
            before,
        )
        damaged = {d.number for d in self.damage if d.table == "reading"}
        groups: dict[tuple[int, str], list[float]] = {}
        for mm, stage, measurand in rows:
            groups.setdefault((stage, measurand), []).append(mm)
        dof = sum(len(g) - 1 for g in groups.values())
        if not dof or damaged:
            return None
        squares = sum((v - sum(g) / len(g)) ** 2 for g in groups.values() for v in g)
        from keen_compass.quantities.instruments import Repeatability  # late: the first screen has none

        return Repeatability(math.sqrt(squares / dof), dof)

    # Numbers

    def value(self, machine: str, quantity: str) -> KeptValue | None:
        """What the controller holds now, as far as the shop knows."""
        return self.values(machine).get(quantity)

    def values(self, machine: str) -> dict[str, KeptValue]:
        """What is in the place of every quantity now, whosever it is: a place holds the number that was last put there,
        or last seen there, whatever has been mounted since."""
        held: dict[str, KeptValue] = {}
        for (quantity, _), kept in self.values_by_subject(machine).items():
            if quantity not in held or kept.at > held[quantity].at:
                held[quantity] = kept
        return held

    def values_on(self, machine: Machine) -> dict[str, KeptValue]:
        """What is in each place of a machine's controller; of what it doesn't keep, what belongs to what is mounted.

        How it cuts is as its profile says.
        """
        held, by_subject = self.values(machine.uid), self.values_by_subject(machine.uid)
        for q in [q for q in held if q in QUANTITIES and not machine.in_controller(q)]:
            if (own := by_subject.get((q, key_for(q, machine.subject)))) is not None:
                held[q] = own
            else:
                del held[q]
        for q in [q for q in machine.quantities if QUANTITIES[q].lives is Lives.SETTING]:
            now = machine.setting_held(q)
            if q not in held or held[q].stored != now:
                held[q] = KeptValue(now, "", "setting", None, key_for(q, machine.subject))
        return held

    def values_by_subject(self, machine: str) -> dict[tuple[str, str], KeptValue]:
        """The last number of every quantity and subject (by its key): what is put back when it is mounted again."""
        rows = self._f.rows("value", "WHERE machine = ?", machine, view="newest_value")
        return {(row[2], row[3]): _value(row) for row in rows}

    def put_value(
        self,
        machine: str,
        quantity: str,
        stored: StoredValue,
        how: str,
        *,
        round_id: int | None = None,
        subject: Subject = NO_SUBJECT,
    ) -> None:
        """Append a value. subject: what is mounted; what of it doesn't matter to the quantity is left out."""
        self.put_value_of(machine, quantity, key_for(quantity, subject), stored, how, round_id=round_id)

    def put_value_of(
        self, machine: str, quantity: str, subject: str, stored: StoredValue, how: str, *, round_id: int | None = None
    ) -> None:
        """The same with the key of the subject, as a row has it."""
        with self.writing():
            self._f.append(
                "value",
                machine=machine,
                quantity=quantity,
                subject=subject,
                at=self._stamp(machine),
                round=round_id,
                how=how,
                body=json.dumps(stored.to_body()),
            )

    def held_subjects(self) -> dict[tuple[str, str], str]:
        """Whose number is in each place now: key of its subject by (machine, quantity)."""
        rows = self._f.query(f"SELECT machine, quantity, subject FROM value WHERE subject <> '' {OLDEST_FIRST}")
        return {(machine, quantity): subject for machine, quantity, subject in rows}

    def thing_names(self) -> dict[str, str]:
        """What each thing is called, by its uid."""
        return {uid: str(what["name"]) for uid, what in self._things().items()}

    def value_times(self) -> dict[tuple[str, str, str], str]:
        """When each number became what it is, by (machine, quantity, key of its subject); that it was put back into
        its place is no change."""
        sql = "SELECT machine, quantity, subject, max(at) FROM value WHERE how <> 'put_back' GROUP BY 1, 2, 3"
        rows = self._f.query(sql)
        return {(machine, quantity, subject): at for machine, quantity, subject, at in rows}

    def findings(self, machine: str, quantity: str, most: int = -1) -> list[KeptFinding]:
        """A value's history, oldest first. most: of them the newest; all where below zero."""
        newest = f"SELECT id FROM finding WHERE machine = ? AND quantity = ? {NEWEST} LIMIT ?"  # by the index alone
        rows = self._f.rows("finding", f"WHERE id IN ({newest}) {OLDEST_FIRST}", machine, quantity, most)
        return [_finding(row) for row in rows]

    def newest_findings(
        self, machine: str, quantities: Iterable[str], until: str, without: int
    ) -> dict[str, KeptFinding]:
        """The newest finding of each quantity that was made by then (UTC), but for those of one round."""
        newest = (
            f"SELECT id FROM finding WHERE machine = ? AND quantity = ? AND at <= ? AND round != ? {NEWEST} LIMIT 1"
        )
        found = {}
        for quantity in quantities:
            for row in self._f.rows("finding", f"WHERE id IN ({newest})", machine, quantity, until, without):
                found[quantity] = _finding(row)
        return found

    def findings_of(self, round_id: int) -> list[KeptFinding]:
        """What a round found, oldest first."""
        return [_finding(row) for row in self._f.rows("finding", f"WHERE round = ? {OLDEST_FIRST}", round_id)]

    def latest_findings(self) -> dict[tuple[str, str, str], KeptFinding]:
        """The newest finding by (machine, quantity, key of its subject)."""
        return {(row[1], row[2], row[3]): _finding(row) for row in self._f.rows("finding", view="newest_finding")}

    def put_findings(self, machine: str, round_id: int, piece_id: int, findings: Sequence[Finding]) -> None:
        """Append findings of one piece, each under the subject that matters to it."""
        with self.writing():
            for f in findings:
                self._f.append(
                    "finding",
                    machine=machine,
                    quantity=f.quantity,
                    subject=key_for(f.quantity, f.subject),
                    at=self._stamp(machine),
                    round=round_id,
                    piece=piece_id,
                    verdict=str(f.verdict),
                    error=f.error,
                    uncertainty=f.expanded_uncertainty,
                    tolerance=f.tolerance,
                    body=json.dumps(f.to_json()),
                )

    def put_event(self, machine: str, kind: str, text: str) -> None:
        """Keep that something happened to a machine."""
        with self.writing():
            self._f.append("event", machine=machine, at=self._stamp(machine), kind=kind, text=text)

    def events(self, machine: str) -> list[tuple[str, str, str]]:
        """(at, kind, text), oldest first."""
        rows = self._f.rows("event", f"WHERE machine = ? {OLDEST_FIRST}", machine)
        return [(at, kind, text) for _, _, at, kind, text in rows]

    def events_of(self, kinds: Sequence[str]) -> dict[str, list[tuple[str, str, str]]]:
        """(at, kind, text) of events of some kinds, newest first, by machine."""
        marks = ", ".join("?" * len(kinds))
        events: dict[str, list[tuple[str, str, str]]] = {}
        for _, machine, at, kind, text in self._f.rows("event", f"WHERE kind IN ({marks}) {NEWEST}", *kinds):
            events.setdefault(machine, []).append((at, kind, text))
        return events

    def log_rows(
        self, machine: str, quantity: str, verdict: str, since: str, silent: Sequence[str], most: int | None
    ) -> list[Any]:
        """(kind, at, machine, quantity, verdict, round, first, second) newest first; empty filters pass all.

        silent: kinds that are left out.
        """
        wanted = [
            ("machine", "=", machine),
            ("quantity", "=", quantity),
            ("verdict", "=", verdict),
            ("at", ">=", since),
        ]
        tests = [f"{column} {sign} ?" for column, sign, value in wanted if value]
        sql = (
            f"SELECT {_LOG_COLUMNS} FROM ({' UNION ALL '.join(self._log_parts(silent).values())})"
            + (" WHERE " + " AND ".join(tests) if tests else "")
            + f" {NEWEST}"
            + (f" LIMIT {most:d}" if most else "")
        )
        return self._f.query(sql, *silent, *(value for *_, value in wanted if value))

    def log_keys(self, silent: Sequence[str]) -> list[Any]:
        """(table, id, at, machine, quantity, verdict) of all that `log_rows` has, table by table as it was written."""
        columns = "id, at, machine, quantity, verdict"
        parts = [f"SELECT '{table}', {columns} FROM ({part})" for table, part in self._log_parts(silent).items()]
        return self._f.query(" UNION ALL ".join(parts), *silent)

    def log_row(self, table: str, number: int) -> Any:
        """One of the rows that `log_rows` has."""
        (row,) = self._f.query(f"SELECT {_LOG_COLUMNS} FROM ({self._log_parts(())[table]}) WHERE id = ?", number)
        return row

    def _log_parts(self, silent: Sequence[str]) -> dict[str, str]:
        """SQL for what each table brings to the log; the kinds of event that are silent are values of it."""
        tables = [table for table in _LOG if table not in silent]
        parts = {t: f"{_LOG[t]} {self._sound(t, 'AND', 'm.' if t == 'mark' else '')}" for t in tables}
        parts["event"] += f" AND kind NOT IN ({', '.join('?' * len(silent))})"
        return parts


def key_for(quantity: str, subject: Subject) -> str:
    """The key of a quantity's subject: what is mounted, projected onto what the quantity depends on."""
    known = QUANTITIES.get(quantity)
    return subject.on(known.depends).key if known and known.depends else ""


def _feeds_on(machine: Machine) -> tuple[str, bool]:
    """Machines of which the same stock may lie on any: sheets for cutters, sheets to burn, rolls."""
    return machine.kind.file, machine.kind.thermal


def _value(row: SqlRow) -> KeptValue:
    _, _, _, subject, at, body, round_id, how = row
    return KeptValue(stored_from_body(json.loads(body)), at, how, round_id, subject)


def _finding(row: SqlRow) -> KeptFinding:
    at, round_id, piece, body = row[4], row[5], row[6], row[-1]
    return KeptFinding(Finding.from_json(json.loads(body)), at, round_id, piece)
