"""Logbooks from elsewhere: refused with their place, or understood wholly; and the newest stays the newest."""

from __future__ import annotations

import copy
import csv
import io
import json
import random
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from keen_compass.errors import FileFormatError
from keen_compass.practice.demo_machines import HERON
from keen_compass.practice.playing import cut, play
from keen_compass.procedures import understands
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.reports.table import to_csv
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.logbook import Filter
from keen_compass.shop.store import Shop
from reading_out import check_opens, read_out
from spoiling import change, in_body, spoilt

DATA = Path(__file__).parent / "data"
OLD = json.loads((DATA / "logbook.json").read_text(encoding="utf-8"))


@pytest.fixture
def small(tmp_path: Path) -> Iterator[Shop]:
    shop = Shop(Path(shutil.copy(DATA / "small.kcshop", tmp_path / "small.kcshop")))
    yield shop
    shop.close()


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Shop]:
    shop = Shop(tmp_path / "empty.kcshop")
    yield shop
    shop.close()


def steps(value: float) -> StoredResolution:
    return StoredResolution(ResolutionForm.STEPS_PER_MM, value)


def test_a_shop_moves_whole(small: Shop, empty: Shop) -> None:
    from_json(empty, to_json(small), understands)
    mine, theirs = read_out(small), read_out(empty)
    for said in (mine, theirs):
        for kept in said["rounds"]:
            for piece in kept["pieces"]:
                piece["draft"] = []  # half a reading stays where it was typed
                piece["body"].pop("practice")
    assert theirs == mine
    assert to_json(small) != ""
    before = read_out(empty)
    assert from_json(empty, to_json(small), understands) == 0
    assert read_out(empty) == before


def test_an_older_round_from_elsewhere_leaves_the_present_number_alone(tmp_path: Path, empty: Shop) -> None:
    """Held 110.0; a round of last year said 106.321, and must not become what the next proposal starts from."""
    other = Shop(tmp_path / "other.kcshop", clock=lambda: "2025-03-01T08:00:00.000000Z")
    other.put_machine(HERON)
    kept = other.begin_round("heron", "rectangle", {"x_steps": 0.4}, 1000.0)
    other.put_value("heron", "x_steps", steps(106.321), "read_back", round_id=kept.id)
    other.put_event("heron", "new_sheet", "A sheet of long ago")
    empty.put_machine(HERON)
    empty.put_event("heron", "new_sheet", "Today's sheet")
    empty.put_value("heron", "x_steps", steps(110.0), "typed")
    held = empty.values("heron")["x_steps"]
    assert from_json(empty, to_json(other), understands) == 1
    other.close()
    assert empty.values("heron")["x_steps"] == held
    assert empty.value_times()["heron", "x_steps", ""] == held.at
    assert [text for _, _, text in empty.events("heron")] == ["A sheet of long ago", "Today's sheet"]


def test_pieces_on_the_sheet_stay_there_when_older_sheets_come_in(small: Shop, tmp_path: Path) -> None:
    """A sheet is known by when it was loaded, not by a count that an import would change."""
    other = Shop(tmp_path / "other.kcshop", clock=lambda: "2025-03-01T08:00:00.000000Z")
    other.put_machine(HERON)
    for _ in range(3):
        other.put_event("heron", "new_sheet", "A sheet of long ago")
    session = RoundSession.begin(small, small.machine("heron"), "squareness")
    before = session.making.taken()
    assert before
    from_json(small, to_json(other), understands)
    other.close()
    assert RoundSession.begin(small, small.machine("heron"), "squareness").making.taken() == before


# What is wrong is refused with its place


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (change("machine", "body", "null"), r"machine\[0\].body: expected an object"),
        (change("machine", "body", "[1"), r"machine\[0\].body: is not JSON"),
        (change("machine", "uid", "other"), r"machine\[0\].uid"),
        (in_body("machine", 0, bed=[0, 5]), r"machine\[0\].body.bed: the bed must be larger"),
        (in_body("machine", 0, bed="wide"), r"machine\[0\].body.bed: expected a list"),
        (in_body("machine", 0, feed=1e-300), "feed: must be between"),
        (in_body("machine", 0, setting_line="{value:999999999}"), "only {key} and {value}"),
        (in_body("machine", 0, kind="ship"), "kind: expected one of router"),
        (in_body("instrument", 0, resolution=-1), r"instrument\[0\].body.resolution"),
        (change("round", "procedure", "nonsense"), r"round\[0\].procedure: .*not known"),
        (change("round", "machine", "nobody"), r"round\[0\].machine: 'nobody' is no machine"),
        (in_body("round", 0, tolerances={"x_steps": 0}), r"round\[0\].body.tolerances"),
        (change("round", "at", "yesterday"), r"round\[0\].at: expected a time"),
        (change("round", "at", "0001-01-01T00:00:00.000000Z"), r"round\[0\].at: 0001-01-01 is before"),
        (change("piece", "round", 999), r"piece\[0\].round: is no round"),
        (in_body("piece", 0, parameters={"width": "wide"}), r"piece\[0\].body.parameters"),
        (in_body("piece", 0, parameters={"width": -5}), r"piece\[0\].body.parameters"),
        (in_body("piece", 0, place=[1, 2]), r"piece\[0\].body.place"),
        (in_body("stage", 0, held={"x_steps": {}}), r"stage\[0\].body.held.x_steps"),
        (change("piece", "number", 2**70), r"piece\[0\].number: is too large"),
        (change("reading", "value", "long"), r"reading\[0\].value: expected a number"),
        (change("reading", "unit", "ell"), r"reading\[0\].unit"),
        (change("reading", "slot", 77777), r"reading\[0\].slot"),
        (change("reading", "text", "a\u0000b"), r"reading\[0\].text: is no proper text"),
        (change("reading", "text", "\ud800"), r"reading\[0\].text: is no proper text"),
        (change("reading", "text", "9" * 200_000), r"reading\[0\].text: is 200,000 characters"),
        (change("mark", "kind", "mystery"), r"mark\[0\].kind"),
        (change("mark", "body", '{"size": "large"}', 0), r"mark\[0\].body.size"),
        (change("value", "quantity", "luck"), r"value\[0\]"),
        (change("value", "how", "guessed"), r"value\[0\].how"),
        (in_body("value", 0, value=float("1e300")), r"value\[0\].body"),
        (change("finding", "verdict", "fine"), r"finding\[0\]"),
        (change("finding", "error", 5.0), r"finding\[0\].body: says something else"),
        (in_body("finding", 0, tolerance="wide"), r"finding\[0\].body.tolerance"),
        (change("event", "kind", "moved; drop"), r"event\[0\].kind"),
        (lambda body: body["tables"]["event"].append(7), r"event\[\d+\]: expected an object"),
        (lambda body: body["tables"]["event"][0].pop("text"), r"event\[0\].text: is missing"),
        (lambda body: body["tables"]["event"][0].update(more=1), r"event\[0\].more: is not known"),
        (lambda body: body["tables"].update(event={}), "lacks something"),
        (lambda body: body.update(version=True), "version True"),
    ],
)  # fmt: skip
def test_what_cannot_be_understood_is_refused_with_its_place(
    empty: Shop, spoil: Callable[[dict[str, Any]], None], says: str
) -> None:
    body = copy.deepcopy(OLD)
    spoil(body)
    with pytest.raises(FileFormatError, match=says):
        from_json(empty, json.dumps(body), understands)
    assert empty.machines() == []


@pytest.mark.parametrize("text", ["NaN", '{"format": "keen-compass-logbook", "version": 3, "tables": Infinity}', "[]"])
def test_what_is_no_json_of_ours_is_said(empty: Shop, text: str) -> None:
    with pytest.raises(FileFormatError, match="not a logbook"):
        from_json(empty, text, understands)


@pytest.mark.parametrize("seed", range(4))
def test_whatever_is_accepted_can_be_opened_and_read_ever_after(tmp_path: Path, seed: int) -> None:
    rng = random.Random(seed)
    for i in range(40):
        shop = Shop(tmp_path / f"s{i}.kcshop")
        body = OLD | {"tables": spoilt(rng, OLD["tables"])}
        try:
            from_json(shop, json.dumps(body), understands)
        except FileFormatError:
            assert shop.machines() == []
        shop.close()
        check_opens(tmp_path / f"s{i}.kcshop")


@pytest.mark.heavy
def test_tens_of_thousands_of_events_come_in_with_progress_or_not_at_all(empty: Shop) -> None:
    events = [
        {"id": i, "machine": "swift", "at": f"2026-01-01T{i // 3600 % 24:02d}:{i // 60 % 60:02d}:{i % 60:02d}.{i:06d}Z",
         "kind": "note", "text": f"event {i}"}
        for i in range(30_000)
    ]  # fmt: skip
    body = OLD | {"tables": OLD["tables"] | {"event": events}}
    told: list[float] = []

    class DroppedError(Exception):
        pass

    def dropped(share: float) -> None:
        if share > 0.7:
            raise DroppedError

    with pytest.raises(DroppedError):
        from_json(empty, json.dumps(body), understands, dropped)
    assert empty.machines() == []
    assert from_json(empty, json.dumps(body), understands, told.append) == 1
    assert len(empty.events("swift")) == 30_000
    assert told == sorted(told)
    assert told[-1] == 1.0
    assert len(told) > 100


# Out


@pytest.mark.parametrize("begins", ["=1+1", "+1", "-1", "@a", "\t=1", "\r=1", "\n=1"])
def test_no_cell_of_the_csv_is_run_by_a_spreadsheet(small: Shop, begins: str) -> None:
    small.put_event("heron", "note", begins)
    rows = list(csv.DictReader(io.StringIO(to_csv(small, Filter("heron")), newline="")))
    assert rows[0]["words"] == f"'{begins}"


def test_a_round_played_after_an_import_begins_from_what_is_held(small: Shop) -> None:
    session = play(small, small.machine("heron"), "backlash", "y_backlash")
    assert session.settled
    cut_before = small.machine_pieces("heron")[-1].number
    session = RoundSession.begin(small, small.machine("heron"), "squareness")
    session.making.new_sheet()
    cut(session)
    assert small.machine_pieces("heron")[-1].number == cut_before + 1
