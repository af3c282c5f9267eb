"""What earlier versions left behind: their answers to the same readings, their shop files, their logbooks."""

from __future__ import annotations

import copy
import fcntl
import json
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from keen_compass.errors import KeenCompassError, ShopError
from keen_compass.practice.playing import read_all
from keen_compass.procedures import understands
from keen_compass.rounds import RoundSession
from keen_compass.shop import schema
from keen_compass.shop.exchange import from_json
from keen_compass.shop.store import Shop
from reading_out import read_out, round_read_out
from said import solved
from spoiling import raw

DATA = Path(__file__).parent / "data"
SOLVED = [json.loads(line) for line in (DATA / "solve-outputs.jsonl").read_text(encoding="utf-8").splitlines()]


def nearly(value: Any) -> Any:
    """The same with every float allowed the last digits, in which machines differ."""
    match value:
        case float():
            return pytest.approx(value, rel=1e-7, abs=1e-9)
        case dict():
            return {k: nearly(v) for k, v in value.items()}
        case list():
            return [nearly(v) for v in value]
    return value


@pytest.mark.parametrize("kept", SOLVED, ids=[kept["case"] for kept in SOLVED])
def test_the_same_readings_give_the_same_answer(kept: dict[str, Any]) -> None:
    """Every difference from here on is meant, and is in data/changed-answers.md with its cause."""
    try:
        answer = solved(kept["input"])
        assert all(len(said.pop("note_codes")) == len(said["notes"]) for said in (answer, *answer["findings"]))
        assert [f.pop("subject") for f in answer["findings"]] == [{} for _ in answer["findings"]]
    except KeenCompassError as error:
        answer = {"error": str(error)}
    assert json.loads(json.dumps(answer)) == nearly(kept["output"])


# A shop file and a logbook, with what the program of their time read out of them

SMALL: dict[str, Any] = json.loads((DATA / "small.json").read_text(encoding="utf-8"))
ROWS: dict[str, int] = SMALL.pop("rows")


@pytest.fixture
def old_file(tmp_path: Path) -> Path:
    return Path(shutil.copy(DATA / "small.kcshop", tmp_path / "old.kcshop"))


def as_noted(shop: Shop) -> dict[str, Any]:
    said: dict[str, Any] = json.loads(json.dumps(read_out(shop)))
    return said


def test_a_shop_file_says_what_it_said_without_loss(old_file: Path) -> None:
    """Every number, reading, finding, mark and half-typed draft, one by one."""
    shop = Shop(old_file)
    try:
        assert as_noted(shop) == SMALL
        assert not shop.check(60)
        assert (shop.damage, shop.read_only, shop.notice) == ([], False, None)
        assert {table: len(shop.dumped(table)) for table in ROWS} == ROWS
    finally:
        shop.close()


@pytest.mark.parametrize("number", [1, 3])
def test_a_file_from_before_the_first_format_is_refused_and_left_alone(old_file: Path, number: int) -> None:
    with raw(old_file) as db:
        db.execute(f"PRAGMA user_version = {number}")
    before = old_file.read_bytes()
    with pytest.raises(ShopError, match="before Keen Compass was released"):
        Shop(old_file)
    assert old_file.read_bytes() == before
    assert [f.name for f in old_file.parent.iterdir()] == [old_file.name]


@pytest.fixture
def of_next_format(old_file: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """The same under a program that knows one format more, in which every event is told louder."""

    def louder(db: sqlite3.Connection) -> None:
        for *row, was in db.execute("SELECT id, machine, at, kind, text, digest FROM event").fetchall():
            new = [*row[:-1], f"{row[-1]}!"]
            sound = schema.digest("event", row) == was  # what was damaged before stays so
            stamp = schema.digest("event", new) if sound else was
            db.execute("UPDATE event SET text = ?, digest = ? WHERE id = ?", (new[-1], stamp, row[0]))

    monkeypatch.setattr(schema, "FORMAT", schema.FORMAT + 1)
    monkeypatch.setattr(schema, "MIGRATIONS", {schema.FORMAT: louder})
    with closing(sqlite3.connect(":memory:")) as fresh:
        schema.bring_up(fresh, 0)
        monkeypatch.setattr(schema, "SHAPE", schema.shape(fresh))
    return old_file


def told_louder() -> dict[str, list[list[str]]]:
    return {m: [[at, kind, f"{text}!"] for at, kind, text in events] for m, events in SMALL["events"].items()}


def test_an_older_file_is_copied_and_brought_up_without_loss(of_next_format: Path) -> None:
    before = of_next_format.read_bytes()
    shop = Shop(of_next_format)
    try:
        said = as_noted(shop)
        assert said["events"] == told_louder()
        assert {k: v for k, v in said.items() if k not in ("events", "log", "spokes")} == {
            k: v for k, v in SMALL.items() if k not in ("events", "log", "spokes")
        }
        shop.check(60)
        assert (shop.damage, shop.read_only) == ([], False)
    finally:
        shop.close()
    copy = Path(f"{of_next_format}.format-{schema.FORMAT - 1}.copy")
    assert copy.read_bytes()[100:] == before[100:]  # the header counts changes


def test_damage_in_an_old_file_is_not_made_sound_by_bringing_it_up(of_next_format: Path) -> None:
    with raw(of_next_format) as db:
        db.execute("UPDATE reading SET value = value + 1 WHERE id = 40")
        db.execute("UPDATE event SET text = text || '?' WHERE id = (SELECT max(id) FROM event)")
    shop = Shop(of_next_format)
    shop.check(60)
    assert sorted(d.table for d in shop.damage) == ["event", "reading"]
    assert ("reading", 40) in {(d.table, d.number) for d in shop.damage}
    assert shop.read_only
    shop.close()


def test_an_old_file_is_looked_at_where_nothing_may_be_written(of_next_format: Path) -> None:
    """A second window migrates in memory only; the file stays as it is."""
    before = of_next_format.read_bytes()
    with of_next_format.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        shop = Shop(of_next_format)
        assert shop.read_only
        assert as_noted(shop)["events"] == told_louder()
        shop.close()
    assert of_next_format.read_bytes() == before
    assert not list(of_next_format.parent.glob("*.copy"))


def test_the_round_left_open_in_the_old_file_goes_on_where_it_stood(old_file: Path) -> None:
    """An edit half done, a length skipped, five readings: then it is read to its end and signed."""
    shop = Shop(old_file)
    (kept,) = [k for k in shop.open_rounds("heron") if k.procedure == "rectangle"]
    session = RoundSession(shop, kept)
    assert (session.measuring.draft, session.measuring.current()) == ("300.4", "width")
    assert session.measuring.editing is not None
    assert [c.measurand.name for c in session.measuring.callouts() if c.skipped] == ["short_height"]
    assert session.measuring.identified
    session.measuring.undo()  # the half reading goes first
    session.measuring.skip("short_height")
    read_all(session)
    assert {len(c.readings) for c in session.measuring.callouts()} == {3}
    assert {f.quantity for f in session.measuring.findings() if f.error is not None} == {"x_steps", "y_steps"}
    shop.close()


def test_an_old_logbook_is_taken_over(tmp_path: Path) -> None:
    shop = Shop(tmp_path / "new.kcshop")
    assert from_json(shop, (DATA / "logbook.json").read_text(encoding="utf-8"), understands) == 1
    (expected,) = copy.deepcopy([r for r in SMALL["rounds"] if r["machine"] == "swift" and r["status"] == "signed"])
    (kept,) = shop.rounds("swift")
    found = json.loads(json.dumps(round_read_out(shop, kept)))
    for piece in (*found["pieces"], *expected["pieces"]):
        piece["body"].pop("practice")  # what stood behind it there stays there
    assert found == expected
    assert shop.values("swift")["x_steps"].stored.text(2) == SMALL["values"]["swift"]["x_steps"][0]
    shop.close()
