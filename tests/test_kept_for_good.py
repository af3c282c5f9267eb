"""What earlier versions left behind: their answers to the same readings, their shop files, their logbooks."""

from __future__ import annotations

import copy
import fcntl
import json
import shutil
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import ANY

import pytest

from keen_compass.errors import KeenCompassError
from keen_compass.practice.demo import SWIFT
from keen_compass.practice.playing import read_all
from keen_compass.procedures import understands
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.readings import Count
from keen_compass.quantities.subjects import Subject
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json
from keen_compass.shop.store import Shop
from keen_compass.words.say import say
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
    """Every difference from here on is meant, and stands in data/changed-answers.md with its cause."""
    try:
        answer = solved(kept["input"])
        assert all(len(said.pop("note_codes")) == len(said["notes"]) for said in (answer, *answer["findings"]))
        assert [f.pop("subject") for f in answer["findings"]] == [{} for _ in answer["findings"]]
    except KeenCompassError as error:
        answer = {"error": str(error)}
    assert json.loads(json.dumps(answer)) == nearly(kept["output"])


# Shop files of formats 2 and 3 and a logbook, with what the programs of their time read out of them

# What today's file doesn't have: which sheet each piece lay on; the events say when each was laid there.
LOST = ("sheet", "sheet_since")
SINCE = ("kerf", "hole_bias")  # what could not be calibrated then


def noted(name: str) -> dict[str, Any]:
    """As the program of that time read it out, in today's words."""
    said: dict[str, Any] = json.loads((DATA / f"{name}.json").read_text(encoding="utf-8"))
    for piece in (p for r in said["rounds"] for p in r["pieces"]):
        body = piece["body"] = {k: v for k, v in piece["body"].items() if k not in LOST}
        place = body["place"] or []
        body["place"] = [place] if place and not isinstance(place[0], list) else place  # one box then, several today
        body.setdefault("on_bed", False)
    return said


NOTED = noted("shop-format-2")
SAID_TO_BE_LOST = {
    "shop-format-2": {"swift": "Not kept by the older program: what was sent for piece 3."},
    "shop-format-3": {},
}
FORMATS = ("shop-format-2", "shop-format-3")


@pytest.fixture
def old_file(tmp_path: Path) -> Path:
    return Path(shutil.copy(DATA / "shop-format-2.kcshop", tmp_path / "old.kcshop"))


def as_noted(shop: Shop, name: str) -> dict[str, Any]:
    """What it says, but for the lines that this logbook has and that of format 2 had not: numbers changed outside of
    rounds."""
    said: dict[str, Any] = json.loads(json.dumps(read_out(shop)))
    brought = {m: [e for e in events if e[1] == "not_kept"] for m, events in said["events"].items()}
    assert {m: say(json.loads(e[0][2])) for m, e in brought.items() if e} == SAID_TO_BE_LOST[name]
    said["events"] = {m: [e for e in events if e not in brought[m]] for m, events in said["events"].items()}
    said["log"] = [line for line in said["log"] if line[2] != "not_kept"]
    said["spokes"] = {m: {q: s for q, s in found.items() if q not in SINCE} for m, found in said["spokes"].items()}
    if name == "shop-format-2":
        outside = [line for line in said["log"] if line[-1].endswith(", outside of a round")]
        assert [line[1:] for line in outside] == [
            ["swift", "value", "y_steps", "Y steps set to 99.65, outside of a round"]
        ]  # fmt: skip
        said["log"] = [line for line in said["log"] if line not in outside]
    return said


@pytest.mark.parametrize("name", FORMATS)
def test_an_old_shop_file_comes_over_without_loss(name: str, tmp_path: Path) -> None:
    """Every number, reading, finding, mark and half-typed draft, one by one."""
    file = Path(shutil.copy(DATA / f"{name}.kcshop", tmp_path / "old.kcshop"))
    before, said = file.read_bytes(), noted(name)
    rows = said.pop("rows", {})
    shop = Shop(file)
    try:
        assert as_noted(shop, name) == said
        assert not shop.check(60)
        assert (shop.damage, shop.read_only, shop.notice) == ([], False, None)
        assert {table: len(shop.dumped(table)) for table in rows} == rows
    finally:
        shop.close()
    assert Path(f"{file}.format-{name[-1]}.copy").read_bytes()[100:] == before[100:]  # the header counts changes


@pytest.fixture
def of_format_3(tmp_path: Path) -> Iterator[Shop]:
    shop = Shop(Path(shutil.copy(DATA / "shop-format-3.kcshop", tmp_path / "old.kcshop")))
    yield shop
    shop.close()


def test_what_the_old_file_cannot_tell_is_marked(of_format_3: Shop) -> None:
    """What was sent is there for practice machines only; tool and stock come from the profile of that time."""
    shop = of_format_3
    pieces = shop.machine_pieces("swift") + shop.machine_pieces("heron")
    assert len(pieces) == 10
    for piece in pieces:
        (stage,) = piece.stages
        snapshot = stage.snapshot
        counted = stage.kind == "counted"
        assert ("sent" in snapshot.not_kept) == (not piece.sent and not counted)
        assert {"seen", "tool", "stock"} == set(snapshot.inferred)
        assert snapshot.tool is not None
        assert snapshot.tool.uid in {t.uid for t in shop.machine("heron" if counted else "swift").tools}
        assert set(snapshot.seen) <= set(snapshot.held)
        assert all(at <= piece.at for at in snapshot.seen.values())
    of_red = [p for p in pieces if p.snapshot.stock and p.snapshot.stock.name == "red vinyl roll"]
    assert [p.number for p in of_red] == [max(p.number for p in shop.machine_pieces("swift"))]
    text = (shop.blob(of_red[0].sent) or b"").decode()
    assert text.startswith("IN;")
    assert shop.machine("swift").stock == replace(SWIFT.stock, name="red vinyl roll", uid=ANY)  # type: ignore[type-var]
    tools = {t.name: t.diameter for t in shop.machine("heron").tools}
    assert tools == {"6 mm cutter": 6.0, "3 mm cutter": 3.0, "Pen in the spindle": 0.0}


def test_counts_of_old_files_are_counts_and_lengths_lengths(of_format_3: Shop) -> None:
    (counted,) = [p for p in of_format_3.machine_pieces("heron") if p.stages[0].kind == "counted"]
    found = {r.measurand: r.reading for r in of_format_3.readings(counted.id)}
    assert found["step_angle"] == Count(1.8, "1.8", "°")
    assert found["teeth"] == Count(20.0, "20", "")
    assert found["belt_pitch"] == Length(3.0, "3", "mm")
    drawn = of_format_3.machine_pieces("swift")[0]
    assert {type(r.reading) for r in of_format_3.readings(drawn.id)} == {Length}


def test_tracking_of_old_files_is_that_of_the_stock_of_its_time(of_format_3: Shop) -> None:
    found = {s: k.finding.subject for (m, q, s), k in of_format_3.latest_findings().items() if q == "tracking"}
    assert found == {
        "material=white vinyl roll": Subject(material="white vinyl roll"),
        "material=red vinyl roll": Subject(material="red vinyl roll"),
    }


def test_which_number_holds_is_asked_where_date_and_order_of_writing_differ(of_format_3: Shop) -> None:
    """Heron's Y steps say the same either way; Swift's X steps do not."""
    (doubt,) = of_format_3.doubts()
    assert (doubt.machine, doubt.quantity) == ("swift", "x_steps")
    assert [k.stored.text(2) for k in (doubt.by_date, doubt.written_last)] == ["100.62", "99.50"]
    assert of_format_3.values("swift")["x_steps"] == doubt.by_date
    of_format_3.put_value("swift", "x_steps", doubt.written_last.stored, "typed")
    assert of_format_3.doubts() == []
    assert of_format_3.values("swift")["x_steps"].stored == doubt.written_last.stored


def test_damage_in_an_old_file_is_not_made_sound_by_bringing_it_up(tmp_path: Path) -> None:
    file = Path(shutil.copy(DATA / "shop-format-3.kcshop", tmp_path / "old.kcshop"))
    with raw(file) as db:
        db.execute("UPDATE reading SET mm = mm + 1 WHERE id = 40")
        db.execute("UPDATE value SET body = replace(body, '100.6', '101.6') WHERE id = (SELECT max(id) FROM value "
                   "WHERE body LIKE '%100.6%')")  # fmt: skip
    db.close()
    shop = Shop(file)
    shop.check(60)
    assert sorted(d.table for d in shop.damage) == ["reading", "value"]
    assert ("reading", 40) in {(d.table, d.number) for d in shop.damage}
    assert shop.read_only
    shop.close()


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


def test_an_old_file_is_looked_at_where_nothing_may_be_written(old_file: Path) -> None:
    """A second window migrates in memory only; the file stays as it is."""
    before = old_file.read_bytes()
    with old_file.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        shop = Shop(old_file)
        assert shop.read_only
        assert as_noted(shop, "shop-format-2") == NOTED
        shop.close()
    assert old_file.read_bytes() == before
    assert not list(old_file.parent.glob("*.copy"))


def test_an_old_logbook_is_taken_over(tmp_path: Path) -> None:
    """Version 1 wrote marks with the piece in their kind."""
    shop = Shop(tmp_path / "new.kcshop")
    assert from_json(shop, (DATA / "logbook-version-1.json").read_text(encoding="utf-8"), understands) == 1
    (expected,) = copy.deepcopy([r for r in NOTED["rounds"] if r["machine"] == "swift" and r["status"] == "signed"])
    (kept,) = shop.rounds("swift")
    found = json.loads(json.dumps(round_read_out(shop, kept)))
    for piece in (*found["pieces"], *expected["pieces"]):
        piece["body"].pop("practice")  # what stood behind it there stays there
    assert found == expected
    assert shop.values("swift")["x_steps"].stored.text(2) == NOTED["values"]["swift"]["x_steps"][0]
    shop.close()
