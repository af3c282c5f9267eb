"""What earlier versions left behind: their answers to the same readings, their shop files, their logbooks."""

from __future__ import annotations

import copy
import fcntl
import json
import shutil
from pathlib import Path
from typing import Any

import pytest

from keen_compass.errors import KeenCompassError
from keen_compass.practice.playing import read_all
from keen_compass.procedures import load, understands
from keen_compass.procedures.case import case_from_json
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json
from keen_compass.shop.store import Shop
from reading_out import read_out, round_read_out

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
    """Every difference from here on is meant: findings say whose value it is, and these inputs said nothing of that."""
    try:
        answer = load(kept["input"]["procedure"]).solve(case_from_json(kept["input"])).to_json()
        assert [f.pop("subject") for f in answer["findings"]] == [{} for _ in answer["findings"]]
    except KeenCompassError as error:
        answer = {"error": str(error)}
    assert json.loads(json.dumps(answer)) == nearly(kept["output"])


# A shop file and a logbook of format 2, with what the program of that time read out of them

NOTED: dict[str, Any] = json.loads((DATA / "shop-format-2.json").read_text(encoding="utf-8"))
# What today's file doesn't have: how many sheets had been laid on the bed before each piece; the events say when.
LOST = ("sheet",)
for noted_piece in (p for r in NOTED["rounds"] for p in r["pieces"]):
    body = noted_piece["body"] = {k: v for k, v in noted_piece["body"].items() if k not in LOST}
    body["place"] = [body["place"]] if body["place"] else []  # one box then, several today
    body["on_bed"] = False


@pytest.fixture
def old_file(tmp_path: Path) -> Path:
    return Path(shutil.copy(DATA / "shop-format-2.kcshop", tmp_path / "old.kcshop"))


def as_noted(shop: Shop) -> dict[str, Any]:
    """What it says, but for the lines that this logbook has and that one had not: numbers changed outside of rounds."""
    said: dict[str, Any] = json.loads(json.dumps(read_out(shop)))
    outside = [line for line in said["log"] if line[-1].endswith(", outside of a round")]
    assert [line[1:] for line in outside] == [
        ["swift", "value", "y_steps", "Y steps set to 99.65, outside of a round"]
    ]  # fmt: skip
    said["log"] = [line for line in said["log"] if line not in outside]
    return said


def test_the_old_shop_file_comes_over_without_loss(old_file: Path) -> None:
    before = old_file.read_bytes()
    shop = Shop(old_file)
    try:
        assert as_noted(shop) == NOTED
        assert not shop.check(60)
        assert (shop.damage, shop.read_only, shop.notice) == ([], False, "")
    finally:
        shop.close()
    assert Path(f"{old_file}.format-2.copy").read_bytes()[100:] == before[100:]  # the header counts SQLite's changes


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
        assert as_noted(shop) == NOTED
        shop.close()
    assert old_file.read_bytes() == before
    assert not list(old_file.parent.glob("*.copy"))


def test_an_old_logbook_is_taken_over(tmp_path: Path) -> None:
    """Version 1 wrote marks with the piece in their kind."""
    shop = Shop(tmp_path / "new.kcshop")
    assert from_json(shop, (DATA / "logbook-version-1.json").read_text(encoding="utf-8"), understands) == 1
    (noted,) = [r for r in NOTED["rounds"] if r["machine"] == "swift" and r["status"] == "signed"]
    (kept,) = shop.rounds("swift")
    found = json.loads(json.dumps(round_read_out(shop, kept)))
    expected = copy.deepcopy(noted)
    for piece in (*found["pieces"], *expected["pieces"]):
        piece["body"].pop("practice")  # what stood behind it there stays there
    assert found == expected
    assert shop.values("swift")["x_steps"].stored.text(2) == NOTED["values"]["swift"]["x_steps"][0]
    shop.close()
