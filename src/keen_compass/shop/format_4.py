"""Format 4 of the shop file, and what brings a file of format 3 to it. Never changed again.

New in it: readings by kind, stages with what was in force and what was sent, blobs kept once, values and findings by
subject, things of the shop (tools, stock …) with what is mounted of them. What the old file can't tell is marked in the
snapshot as not kept, what was worked out from the machine's profile of that time as inferred:

- what was sent, but for pieces of practice machines, whose file lies in the old row: not kept
- tool, stock, and since when each number was known: inferred
- a tool's width was the diameter of the tool; what it really clears (its kerf) nobody ever kept
- feed tracking is that of a material now: the one that was loaded then, inferred; where none was, nobody's
"""

from __future__ import annotations

import json
import sqlite3
from bisect import bisect_right
from collections.abc import Iterator
from contextlib import suppress
from hashlib import blake2b, sha256
from typing import Any

FORMAT_4 = """
CREATE TABLE about (id INTEGER NOT NULL PRIMARY KEY, name TEXT NOT NULL, text TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE machine (
    id INTEGER NOT NULL PRIMARY KEY, uid TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE thing (
    id INTEGER NOT NULL PRIMARY KEY, uid TEXT NOT NULL, kind TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE mounted (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE instrument (
    id INTEGER NOT NULL PRIMARY KEY, uid TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE round (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, procedure TEXT NOT NULL, at TEXT NOT NULL,
    body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE mark (
    id INTEGER NOT NULL PRIMARY KEY, round INTEGER NOT NULL, kind TEXT NOT NULL, piece INTEGER NOT NULL,
    at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE piece (
    id INTEGER NOT NULL PRIMARY KEY, round INTEGER NOT NULL, machine TEXT NOT NULL, number INTEGER NOT NULL,
    at TEXT NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE blob (
    id INTEGER NOT NULL PRIMARY KEY, name TEXT NOT NULL, at TEXT NOT NULL, kind TEXT NOT NULL, data BLOB NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE stage (
    id INTEGER NOT NULL PRIMARY KEY, piece INTEGER NOT NULL, kind TEXT NOT NULL, at TEXT NOT NULL, sent TEXT NOT NULL,
    body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE reading (
    id INTEGER NOT NULL PRIMARY KEY, stage INTEGER NOT NULL, measurand TEXT NOT NULL, at TEXT NOT NULL,
    kind TEXT NOT NULL, text TEXT NOT NULL, value REAL, second REAL, unit TEXT NOT NULL, resolution REAL NOT NULL,
    blob TEXT NOT NULL, instrument TEXT NOT NULL, slot INTEGER, withdrawn INTEGER NOT NULL, digest BLOB NOT NULL);
CREATE TABLE draft (
    id INTEGER NOT NULL PRIMARY KEY, measurand TEXT NOT NULL, text TEXT NOT NULL, at TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE value (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, quantity TEXT NOT NULL, subject TEXT NOT NULL,
    at TEXT NOT NULL, body TEXT NOT NULL, round INTEGER, how TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE finding (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, quantity TEXT NOT NULL, subject TEXT NOT NULL,
    at TEXT NOT NULL, round INTEGER NOT NULL, piece INTEGER NOT NULL, verdict TEXT NOT NULL, error REAL,
    uncertainty REAL, tolerance REAL NOT NULL, body TEXT NOT NULL, digest BLOB NOT NULL);
CREATE TABLE event (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, at TEXT NOT NULL, kind TEXT NOT NULL, text TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE stand_in (
    id INTEGER NOT NULL PRIMARY KEY, machine TEXT NOT NULL, at TEXT NOT NULL, body TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE TABLE redated (
    id INTEGER NOT NULL PRIMARY KEY, at TEXT NOT NULL, kind TEXT NOT NULL, number INTEGER NOT NULL, was TEXT NOT NULL,
    digest BLOB NOT NULL);
CREATE INDEX machine_uid ON machine (uid, at);
CREATE INDEX thing_uid ON thing (uid, at);
CREATE INDEX mounted_machine ON mounted (machine, at);
CREATE INDEX instrument_uid ON instrument (uid, at);
CREATE INDEX round_machine ON round (machine, at);
CREATE INDEX mark_round ON mark (round, kind, piece, at);
CREATE INDEX mark_kind ON mark (kind, round);
CREATE INDEX piece_round ON piece (round, at);
CREATE INDEX piece_machine ON piece (machine, at);
CREATE INDEX blob_name ON blob (name);
CREATE INDEX stage_piece ON stage (piece);
CREATE INDEX reading_stage ON reading (stage);
CREATE INDEX value_quantity ON value (machine, quantity, subject, at);
CREATE INDEX finding_quantity ON finding (machine, quantity, subject, at);
CREATE INDEX finding_round ON finding (round);
CREATE INDEX event_machine ON event (machine, at);
CREATE INDEX stand_in_machine ON stand_in (machine, at);
CREATE VIEW newest_value AS SELECT v.* FROM (SELECT DISTINCT machine, quantity, subject FROM value) k JOIN value v
    ON v.id = (SELECT id FROM value WHERE machine = k.machine AND quantity = k.quantity AND subject = k.subject
    ORDER BY at DESC, id DESC LIMIT 1);
CREATE VIEW newest_finding AS SELECT f.* FROM (SELECT DISTINCT machine, quantity, subject FROM finding) k
    JOIN finding f ON f.id = (SELECT id FROM finding WHERE machine = k.machine AND quantity = k.quantity
    AND subject = k.subject ORDER BY at DESC, id DESC LIMIT 1);
"""

# What the first version's drive train counted in something else than mm; everything else was a length.
COUNTED = {
    "step_angle": "°",
    "microsteps": "",
    "counts": "",
    "electronic_ratio": "",
    "reduction": "",
    "threads_per_inch": "",
    "starts": "",
    "teeth": "",
    "helix_angle": "°",
}
STAGES = {"drive-train": "counted", "travel-run": "run", "backlash": "run", "bed": "run", "speed": "run"}
UNCHANGED = ("instrument", "round", "draft", "event", "stand_in", "redated")
CHANGED = ("about", "machine", "mark", "piece", "reading", "value", "finding")
NOT_UNDERSTOOD = (KeyError, TypeError, ValueError, AttributeError)
NO_DIGEST = bytes(8)  # of a row that was damaged before: it stays so


def run(db: sqlite3.Connection, script: str) -> None:
    """Statement by statement: `executescript` would commit."""
    for statement in script.split(";\n"):
        if statement.strip():
            db.execute(statement)


def to_4(db: sqlite3.Connection) -> None:
    """From format 3."""
    for kind, name in db.execute(
        "SELECT type, name FROM sqlite_master WHERE type IN ('index', 'view') AND sql IS NOT NULL"
    ).fetchall():
        db.execute(f'DROP {kind} "{name}"')
    for table in (*UNCHANGED, *CHANGED):
        db.execute(f"ALTER TABLE {table} RENAME TO old_{table}")
    run(db, FORMAT_4)
    for table in UNCHANGED:
        db.execute(f"INSERT INTO {table} SELECT * FROM old_{table}")
    _Change(db).all()
    for table in (*UNCHANGED, *CHANGED):
        db.execute(f"DROP TABLE old_{table}")


def uid_of(machine: str, kind: str, name: str) -> str:
    """What identifies a thing that had only a name, and only on its machine."""
    return blake2b(f"{machine}\x1f{kind}\x1f{name}".encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()


def _digest(table: str, row: tuple[Any, ...]) -> bytes:
    parts = [v if isinstance(v, str) else repr(v) for v in row]
    return blake2b("\x1f".join((table, *parts)).encode("utf-8", "surrogatepass"), digest_size=8).digest()


class _Change:
    def __init__(self, db: sqlite3.Connection) -> None:
        self._db = db
        self._profiles: dict[str, list[tuple[str, dict[str, Any]]]] = {}  # machine → (since when, what it said)
        self._machine_of: dict[int, str] = {}  # round → its machine
        self._procedure_of: dict[int, str] = {}  # piece → its procedure
        self._values: dict[tuple[str, str], list[str]] = {}  # (machine, quantity) → times, in order

    def all(self) -> None:
        self._machine_of = {
            number: machine for number, machine, *_ in self._db.execute("SELECT id, machine FROM old_round")
        }
        for machine, quantity, at in self._db.execute("SELECT machine, quantity, at FROM old_value ORDER BY at"):
            self._values.setdefault((machine, quantity), []).append(at)
        procedures = dict(self._db.execute("SELECT id, procedure FROM old_round"))
        self._procedure_of = {
            piece: procedures.get(of, "") for piece, of in self._db.execute("SELECT id, round FROM old_piece")
        }
        self._machines()
        self._pieces()
        self._marks()
        self._readings()
        self._values_and_findings()
        self._what_is_lost()
        self._what_to_ask()

    def _append(self, table: str, *row: object, sound: bool = True) -> None:
        marks = ", ".join("?" * (len(row) + 1))
        self._db.execute(f"INSERT INTO {table} VALUES ({marks})", (*row, _digest(table, row) if sound else NO_DIGEST))

    def _next(self, table: str) -> int:
        ((last,),) = self._db.execute(f"SELECT max(id) FROM {table}")
        return int(last or 0) + 1

    def _old(self, table: str, order: str = "id") -> Iterator[tuple[tuple[Any, ...], bool]]:
        """Rows of an old table, and whether each fits its digest."""
        for *row, digest in self._db.execute(f"SELECT * FROM old_{table} ORDER BY {order}"):
            yield tuple(row), _digest(table, tuple(row)) == digest

    # Machines, things, what is mounted

    def _machines(self) -> None:
        said: dict[str, str] = {}
        for (number, uid, at, text), sound in self._old("machine", "at, id"):
            new = text  # it stays as it was where nothing can be understood of it
            with suppress(*NOT_UNDERSTOOD):
                new = json.dumps(self._profile(uid, at, _object(text), said))
            self._append("machine", number, uid, at, new, sound=sound)

    def _profile(self, uid: str, at: str, body: dict[str, Any], said: dict[str, str]) -> dict[str, Any]:
        tools: list[dict[str, Any]] = [
            {"name": str(t["name"]), "diameter": float(t["width"]), "drawn": bool(t["drawn"])} for t in body["tools"]
        ]
        stock = body["stock"]
        first = uid_of(uid, "tool", tools[0]["name"]) if tools else ""
        loaded: dict[str, Any] = {"tool": first, "inferred": ["tool"]}  # nobody said; the newest piece may know better
        things = [("tool", uid_of(uid, "tool", t["name"]), t) for t in tools]
        if stock:
            sheet = uid_of(uid, "stock", f"{stock['name']}\x1f{stock['thickness']:g}")
            things.append(("stock", sheet, {"name": stock["name"], "thickness": float(stock["thickness"])}))
            loaded |= {"stock": sheet, **{k: float(stock[k]) for k in ("x", "y", "width", "height")}}
        self._profiles.setdefault(uid, []).append((at, {"tools": tools, "stock": stock}))
        for kind, thing, what in things:
            self._say(said, "thing", thing, (thing, kind, at, json.dumps(what)))
        self._say(said, "mounted", uid, (uid, at, json.dumps(loaded)))
        del body["stock"]
        return body | {"tools": [uid_of(uid, "tool", t["name"]) for t in tools]}

    def _say(self, said: dict[str, str], table: str, about: str, row: tuple[str, ...]) -> None:
        """Append what is new about something."""
        if said.get(f"{table}/{about}") != row[-1]:
            said[f"{table}/{about}"] = row[-1]
            self._append(table, self._next(table), *row)

    def _then(self, machine: str, at: str) -> dict[str, Any]:
        """What the machine's profile said at a time; of the first one before that."""
        profiles = self._profiles.get(machine, [])
        i = bisect_right([since for since, _ in profiles], at)
        return profiles[max(i - 1, 0)][1] if profiles else {"tools": [], "stock": None}

    # Pieces, what was in force, readings

    def _pieces(self) -> None:
        used: dict[str, tuple[str, str]] = {}  # machine → (when, with which tool) its newest piece was made
        for (number, of, machine, count, at, text), sound in self._old("piece"):
            body, sent, new = _object(text), "", text
            stage: dict[str, Any] = {"held": {}, "not_kept": ["held", "seen", "tool", "stock", "sent"]}
            with suppress(*NOT_UNDERSTOOD):
                sent, stage = self._stage(machine, at, body, counted=self._procedure_of[number] == "drive-train")
                new = json.dumps(body)
                if uid := stage["tool"]["uid"]:
                    used[machine] = max(used.get(machine, ("", "")), (at, uid))
            self._append("piece", number, of, machine, count, at, new, sound=sound)
            kind = STAGES.get(self._procedure_of.get(number, ""), "made")
            self._append("stage", number, number, kind, at, sent, json.dumps(stage), sound=sound)
        for machine, (at, uid) in used.items():
            newest = "SELECT at, body FROM mounted WHERE machine = ? ORDER BY at DESC, id DESC LIMIT 1"
            for since, text in self._db.execute(newest, (machine,)).fetchall():
                if (body := _object(text))["tool"] != uid:
                    row = (machine, max(since, at), json.dumps(body | {"tool": uid}))
                    self._append("mounted", self._next("mounted"), *row)

    def _stage(self, machine: str, at: str, body: dict[str, Any], *, counted: bool) -> tuple[str, dict[str, Any]]:
        then, name = self._then(machine, at), body.pop("tool")
        settings, practice = body.pop("settings"), body.setdefault("practice", None)
        tools = [t for t in then["tools"] if t["name"] == name]
        stage: dict[str, Any] = {"held": settings, "not_kept": [], "inferred": ["seen"]}
        stage["seen"] = {q: self._seen(machine, q, at) for q in settings}
        if tools:
            stage["tool"] = {"uid": uid_of(machine, "tool", name), **tools[0]}
            stage["inferred"].append("tool")
        else:
            stage["tool"] = {"uid": "", "name": name, "diameter": 0.0, "drawn": True}
            stage["not_kept"].append("tool")
        stock = then["stock"]
        if stock:
            sheet = uid_of(machine, "stock", f"{stock['name']}\x1f{stock['thickness']:g}")
            stage["stock"] = {"uid": sheet, **stock}
            stage["inferred"].append("stock")
        else:
            stage["not_kept"].append("stock")
        sent = self._blob(at, practice.pop("file", "")) if practice else ""
        if not sent and not counted:
            stage["not_kept"].append("sent")
        return sent, stage

    def _seen(self, machine: str, quantity: str, at: str) -> str:
        times = self._values.get((machine, quantity), [])
        i = bisect_right(times, at)
        return times[i - 1] if i else ""

    def _blob(self, at: str, text: str) -> str:
        if not text:
            return ""
        data = text.encode("utf-8", "surrogatepass")
        name = sha256(data).hexdigest()
        if not self._db.execute("SELECT 1 FROM blob WHERE name = ?", (name,)).fetchone():
            self._append("blob", self._next("blob"), name, at, "text/plain", data)
        return name

    def _marks(self) -> None:
        for (number, of, kind, piece, at, text), sound in self._old("mark"):
            body = _object(text)
            if kind == "parameters" and isinstance(name := body.get("tool"), str) and name:
                body["tool"] = uid_of(self._machine_of.get(of, ""), "tool", name)
            new = json.dumps(body) if kind == "parameters" and body else text
            self._append("mark", number, of, kind, piece, at, new, sound=sound)

    def _readings(self) -> None:
        for (number, piece, measurand, at, text, mm, unit, resolution, instrument, slot, withdrawn), sound in self._old(
            "reading"
        ):
            counted = self._procedure_of.get(piece) == "drive-train" and measurand in COUNTED
            how = (
                ("count", text, mm, None, COUNTED[measurand], 0.0)
                if counted
                else ("length", text, mm, None, unit, resolution)
            )
            self._append("reading", number, piece, measurand, at, *how, "", instrument, slot, withdrawn, sound=sound)

    # Values, findings, questions

    def _subject(self, machine: str, quantity: str, at: str) -> dict[str, str]:
        stock = self._then(machine, at)["stock"]
        return {"material": str(stock["name"])} if quantity == "tracking" and stock else {}

    def _values_and_findings(self) -> None:
        for (number, machine, quantity, at, text, of, how), sound in self._old("value"):
            key = _key(self._subject(machine, quantity, at))
            self._append("value", number, machine, quantity, key, at, text, of, how, sound=sound)
        for (number, machine, quantity, at, of, piece, verdict, error, U, T, text), sound in self._old("finding"):
            subject = self._subject(machine, quantity, at)
            body = _object(text)
            new = json.dumps(body | {"subject": subject}) if body else text
            row = (number, machine, quantity, _key(subject), at, of, piece, verdict, error, U, T, new)
            self._append("finding", *row, sound=sound)

    def _what_is_lost(self) -> None:
        """A line in the logbook of each machine of which the old file didn't say all that a file says today."""
        missing: dict[str, list[int]] = {}
        for machine, number, text in self._db.execute(
            "SELECT p.machine, p.number, s.body FROM piece p JOIN stage s ON s.piece = p.id ORDER BY p.number"
        ):
            if "sent" in _object(text)["not_kept"]:
                missing.setdefault(machine, []).append(number)
        for machine, of_whom in self._db.execute(
            "SELECT machine, count(*) FROM finding WHERE quantity = 'tracking' AND subject = '' GROUP BY 1"
        ).fetchall():
            self._note(machine, {"code": "shop.tracking_without_stock", "values": {"runs": of_whom}})
        for machine, numbers in missing.items():
            self._note(machine, {"code": "shop.not_kept", "values": {"pieces": numbers}})

    def _note(self, machine: str, lost: dict[str, Any]) -> None:
        sources = " UNION ALL ".join(
            f"SELECT max(at) AS at FROM {t} WHERE machine = ?" for t in ("round", "piece", "value", "finding", "event")
        )
        ((at,),) = self._db.execute(f"SELECT max(at) FROM ({sources})", (machine,) * 5)
        if at:
            self._append("event", self._next("event"), machine, at, "not_kept", json.dumps(lost))

    def _what_to_ask(self) -> None:
        """Numbers of which the one written last is not the one with the latest date, and says something else."""
        newest: dict[tuple[str, str], list[tuple[str, int, str]]] = {}
        for number, machine, quantity, at, text in self._db.execute(
            "SELECT id, machine, quantity, at, body FROM old_value"
        ):
            newest.setdefault((machine, quantity), []).append((at, number, text))
        asked = []
        for (machine, quantity), rows in sorted(newest.items()):
            by_time, by_number = max(rows), max(rows, key=lambda row: row[1])
            if by_time[2] != by_number[2]:
                asked.append([machine, quantity, by_time[1], by_number[1]])
        if asked:
            self._append("about", 2, "asked", json.dumps(asked))


def _key(subject: dict[str, str]) -> str:
    def escaped(text: str) -> str:
        return text.replace("\\", "\\\\").replace(";", "\\;").replace("=", "\\=")

    return ";".join(f"{name}={escaped(text)}" for name, text in subject.items() if text)


def _object(text: str) -> dict[str, Any]:
    try:
        body = json.loads(text)
    except (ValueError, RecursionError):
        return {}
    return body if isinstance(body, dict) else {}
