"""The tables of format 4 of the shop file. Never changed again: what comes later comes by a step of its own."""

from __future__ import annotations

import sqlite3

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


def run(db: sqlite3.Connection, script: str) -> None:
    """Statement by statement: `executescript` would commit."""
    for statement in script.split(";\n"):
        if statement.strip():
            db.execute(statement)
