"""Readings of every kind, stages with what was sent, things and what is mounted: through the file, and through JSON."""

from __future__ import annotations

import copy
import json
import random
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_compass.errors import FileFormatError, LengthError
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.snapshot import Snapshot
from keen_compass.practice.demo_machines import HERON
from keen_compass.procedures import understands
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.readings import (
    Count,
    Pick,
    Picture,
    Reading,
    Row,
    Spot,
    from_row,
    kind_of,
    number_of,
    parse_count,
    parse_pick,
    to_row,
)
from keen_compass.quantities.stored import StoredAmount
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.pieces import NewPiece
from keen_compass.shop.store import Shop
from reading_out import check_opens
from spoiling import change, in_body, raw, spoilt

DATA = Path(__file__).parent / "data"
NUMBERS = st.floats(-1e6, 1e6).map(lambda x: x + 0.0)
TEXTS = st.text(max_size=12)
READINGS = st.one_of(
    st.builds(Length, NUMBERS, TEXTS, st.sampled_from(["mm", "in", "thou"]), st.floats(0, 10).map(abs)),
    st.builds(Count, NUMBERS, TEXTS, st.sampled_from(["", "°"])),
    st.builds(Pick, st.integers(2, 40).map(lambda n: n / 2), TEXTS),
    st.builds(Spot, NUMBERS, NUMBERS, TEXTS),
    st.builds(Picture, st.text("0123456789abcdef", min_size=8), st.none() | st.tuples(NUMBERS, NUMBERS), TEXTS),
)


# Readings by kind


@given(READINGS)
def test_a_reading_of_any_kind_comes_back_from_its_row(reading: Reading) -> None:
    assert from_row(to_row(reading)) == reading
    assert to_row(reading).kind == kind_of(reading)


@pytest.mark.parametrize(
    "row",
    [
        Row("length", "4", None, None, "mm", 0.0, ""), Row("count", "4", None, None, "", 0.0, ""),
        Row("pick", "4", None, None, "", 0.0, ""), Row("spot", "4", 1.0, None, "mm", 0.0, ""),
        Row("picture", "", 1.0, None, "px", 0.0, "abc"), Row("picture", "", None, None, "px", 0.0, ""),
        Row("smell", "", 1.0, None, "", 0.0, ""),
    ],
)  # fmt: skip
def test_a_row_that_is_no_reading_is_refused(row: Row) -> None:
    with pytest.raises(ValueError, match="no reading"):
        from_row(row)


@pytest.mark.parametrize(
    ("text", "unit", "value"),
    [
        ("20", "", 20.0), ("1,8", "°", 1.8), ("1.8°", "°", 1.8), (" 1.8 ° ", "°", 1.8), ("−3", "", -3.0),
        ("10/3", "", 10 / 3), ("2 1/2", "", 2.5), ("1e", "", None), ("1e3", "", None), ("20 mm", "", None),
        ("3 in", "°", None), ("", "", None), ("9" * 60, "", None), ("1,234", "", None), ("9999999999999", "", None),
        ("nan", "", None), ("1_0", "", None),
    ],
)  # fmt: skip
def test_counts_as_they_are_typed(text: str, unit: str, value: float | None) -> None:
    if value is None:
        with pytest.raises(LengthError):
            parse_count(text, unit)
    else:
        assert parse_count(text, unit) == Count(pytest.approx(value), text, unit)  # type: ignore[arg-type]


def test_a_length_in_a_counts_place_is_said_to_be_one() -> None:
    with pytest.raises(LengthError, match="teeth is no length: type a plain number"):
        parse_count("20 mm", "", "teeth")


@pytest.mark.parametrize(
    ("text", "at"),
    [("1", 1.0), ("2.5", 2.5), ("2,5", 2.5), ("7", 7.0), ("0", None), ("7.5", None), ("2.3", None), ("x", None)],
)  # fmt: skip
def test_one_of_a_row_or_halfway_between_two(text: str, at: float | None) -> None:
    if at is None:
        with pytest.raises(LengthError, match="1 to 7"):
            parse_pick(text, 7)
    else:
        assert parse_pick(text, 7).at == at


def test_a_judgement_is_one_of_its_words() -> None:
    assert parse_pick("Meets", words=("gap", "meets", "overlap")) == Pick(2.0, "meets")
    with pytest.raises(LengthError, match="gap, meets, overlap"):
        parse_pick("2", words=("gap", "meets", "overlap"))


def test_only_what_is_one_number_counts_as_one() -> None:
    assert [number_of(r) for r in (Length(2.0, "2", "mm"), Count(3.0, "3"), Pick(2.5, "2.5"))] == [2.0, 3.0, 2.5]
    for reading in (Spot(1, 2, ""), Picture("ab", None, "")):
        with pytest.raises(LengthError):
            number_of(reading)


# Through the file


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Shop]:
    shop = Shop(tmp_path / "empty.kcshop")
    yield shop
    shop.close()


SNAPSHOT = Snapshot(
    {"x_home": StoredAmount("x_home", "in", 0.1575)}, {"x_home": "2026-11-01T08:00:00.000000Z"},
    Tool("3 mm cutter", 3.175, uid="c3"), Stock("acrylic", 3.0, 1.0, 2.0, 300.0, 200.0, "a3"),
)  # fmt: skip


def piece_of(shop: Shop) -> tuple[int, int]:
    """(round, piece) of a drawn piece with two stages."""
    shop.put_machine(HERON)
    kept = shop.begin_round("heron", "squareness", {"squareness": 0.5}, 1000.0)
    parameters = {"figure": "rectangle", "width": 180.0, "height": 135.0, "compensation": 0.0, "made_by": "drawn"}
    new = NewPiece(parameters, (Box(10.0, 20.0, 190.0, 145.0),), False, None, [("made", b"G21\nM2\n")], SNAPSHOT, {})
    return kept.id, shop.put_piece(kept.id, "heron", new).id


@settings(max_examples=40)  # a file each
@given(st.lists(READINGS, max_size=8))
def test_readings_of_every_kind_lie_in_the_file(
    tmp_path_factory: pytest.TempPathFactory, given_: list[Reading]
) -> None:
    file = tmp_path_factory.mktemp("kinds") / "s.kcshop"
    shop = Shop(file)
    try:
        _, piece = piece_of(shop)
        for i, reading in enumerate(given_):
            shop.put_reading(piece, f"m{i}", reading, "")
    finally:
        shop.close()
    again = Shop(file)
    try:
        assert [r.reading for r in again.readings(piece)] == given_
        assert not again.check(60)
    finally:
        again.close()


def test_a_piece_has_the_stages_that_were_made_and_readings_lie_at_the_last(empty: Shop) -> None:
    of, number = piece_of(empty)
    later = Snapshot({}, {}, None, None)
    empty.put_reading(number, "before", Length(1.0, "1", "mm"), "")
    second = empty.put_stage(number, "2099-01-01T00:00:00.000000Z", "run", later, b"G0 X0\n")
    empty.put_reading(number, "after", Length(2.0, "2", "mm"), "")
    (piece,) = empty.pieces(of)
    assert [s.kind for s in piece.stages] == ["made", "run"]
    assert (piece.stages[0].snapshot, piece.snapshot) == (SNAPSHOT, later)
    assert empty.blob(piece.stages[0].sent) == b"G21\nM2\n"
    assert empty.blob(second.sent) == b"G0 X0\n"
    assert {(r.measurand, number_of(r.reading)) for r in empty.readings(number)} == {("before", 1.0), ("after", 2.0)}


@pytest.mark.parametrize(("data", "kind"), [
    (b"%PDF-1.4\n%\xe2\xe3", "application/pdf"), (b"\x89PNG\r\n\x1a\n\0", "image/png"),
    (b"\xff\xd8\xff\xe0\0\x10JFIF", "image/jpeg"), ("G21 ; für Heron\n".encode(), "text/plain"),
    (b"\xfe\x00\x80", "application/octet-stream"), (b"IN;PU0,0;", "text/plain"),
])  # fmt: skip
def test_bytes_say_themselves_what_they_are(empty: Shop, data: bytes, kind: str) -> None:
    empty.put_blob(data)
    ((*_, said, kept),) = empty.dumped("blob")
    assert (said, kept) == (kind, data)


def test_the_same_bytes_are_kept_once_and_damage_to_them_is_said(empty: Shop, tmp_path: Path) -> None:
    names = {empty.put_blob(b"the same") for _ in range(3)} | {empty.put_blob(b"other")}
    assert len(names) == 2
    assert len(empty.dumped("blob")) == 2
    assert empty.blob("nothing of that name") is None
    file = empty.file
    empty.close()
    with raw(file) as db:
        db.execute("UPDATE blob SET data = CAST('The same' AS BLOB) WHERE data = CAST('the same' AS BLOB)")
    db.close()
    again = Shop(file)
    again.check(60)
    assert [d.table for d in again.damage] == ["blob"]
    assert sum(again.blob(name) is None for name in names) == 1
    again.close()


def test_snapshots_of_equal_making_count_together() -> None:
    from dataclasses import replace

    assert SNAPSHOT.stock is not None
    moved = replace(SNAPSHOT, stock=replace(SNAPSHOT.stock, x=50.0), seen={})
    assert moved.same_making(SNAPSHOT)
    assert not replace(SNAPSHOT, tool=Tool("6 mm cutter", 6.0)).same_making(SNAPSHOT)
    assert not replace(SNAPSHOT, held={}).same_making(SNAPSHOT)
    assert not replace(SNAPSHOT, stock=None).same_making(SNAPSHOT)
    assert Snapshot.from_body(json.loads(json.dumps(SNAPSHOT.to_body()))) == SNAPSHOT
    assert (SNAPSHOT.subject.tool, SNAPSHOT.subject.material, SNAPSHOT.subject.thickness) == ("c3", "acrylic", 3.0)


# Through JSON


@pytest.fixture(scope="module")
def today(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """A logbook of today: of the small shop, with readings of every kind and a picture besides."""
    shop = Shop(Path(shutil.copy(DATA / "small.kcshop", tmp_path_factory.mktemp("today") / "s.kcshop")))
    picture = shop.put_blob(b"\x89PNG")
    piece = shop.machine_pieces("swift")[-1].id
    for i, reading in enumerate(
        (Count(3, "3", "°"), Pick(2.5, "2.5"), Spot(1, 2, "1 2"), Picture(picture, (3, 4), "cross"))
    ):
        shop.put_reading(piece, f"kind_{i}", reading, "")
    body: dict[str, Any] = json.loads(to_json(shop))
    shop.close()
    return body


def test_everything_of_today_moves_into_another_shop(today: dict[str, Any], empty: Shop) -> None:
    assert from_json(empty, json.dumps(today), understands) == 7
    again = json.loads(to_json(empty))
    for table in ("thing", "mounted", "blob", "reading", "value", "finding", "stage"):
        assert len(again["tables"][table]) == len(today["tables"][table]), table
    kinds = {type(r.reading) for p in empty.machine_pieces("swift") for r in empty.readings(p.id)}
    assert kinds == {Length, Count, Pick, Spot, Picture}
    assert empty.machine("swift").stock is not None
    assert from_json(empty, json.dumps(today), understands) == 0  # a second time nothing is new
    assert json.loads(to_json(empty)) == again


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (change("thing", "kind", "sandwich"), r"thing\[0\].kind: 'sandwich' is not known"),
        (change("thing", "uid", ""), r"thing\[0\].kind"),
        (change("thing", "body", "7"), r"thing\[0\].body: expected an object"),
        (in_body("thing", 0, diameter=-1), r"thing\[0\].body: is no tool"),
        (in_body("thing", 0, diameter="thick"), r"thing\[0\].body.diameter"),
        (in_body("thing", 0, name=""), r"thing\[0\].body: is no tool"),
        (in_body("thing", 2, thickness=0), r"thing\[2\].body: is no stock"),
        (in_body("machine", 0, tools=["no such"]), r"machine\[0\].body.tools"),
        (in_body("machine", 0, tools="all"), r"machine\[0\].body.tools"),
        (in_body("machine", 0, stock=None), r"machine\[0\].body: what is mounted"),
        (in_body("machine", 0, controller_units="ell"), "controller_units: choose one of"),
        (in_body("machine", 0, decimals_of={"x_steps": 40}), "decimals_of.x_steps"),
        (in_body("machine", 0, decimals_of={"luck": 4}), "decimals_of"),
        (in_body("mounted", 0, tool="no such"), r"mounted\[0\].body.tool: is no thing"),
        (in_body("mounted", 0, stock="no such"), r"mounted\[0\].body.stock: is no thing"),
        (in_body("mounted", 0, width=0), r"mounted\[0\].body.width: expected a number larger than 0"),
        (in_body("mounted", 0, x="left"), r"mounted\[0\].body.x: expected a number"),
        (change("blob", "name", "0" * 64), r"blob\[0\].name: doesn’t fit"),
        (change("blob", "data", "§"), r"blob\[0\].data: expected bytes"),
        (change("blob", "data", "abc"), r"blob\[0\].data: expected bytes"),
        (change("blob", "data", 7), r"blob\[0\].data: expected bytes"),
        (in_body("piece", 0, on_bed="yes"), r"piece\[0\].body.on_bed"),
        (change("stage", "piece", 999), r"stage\[0\].piece: is no piece"),
        (change("stage", "kind", "dreamt"), r"stage\[0\].kind: expected one of"),
        (change("stage", "sent", "0" * 64), r"stage\[0\].sent: is nothing"),
        (in_body("stage", 0, held=[]), r"stage\[0\].body.held: expected an object"),
        (in_body("stage", 0, held={"x_steps": {"form": "percent_100"}}), r"stage\[0\].body.held.x_steps"),
        (in_body("stage", 0, seen=[]), r"stage\[0\].body.seen: expected an object"),
        (in_body("stage", 0, tool="saw"), r"stage\[0\].body.tool: expected an object"),
        (in_body("stage", 0, stock={"name": 7}), r"stage\[0\].body"),
        (change("reading", "stage", 999), r"reading\[0\].stage: is no stage"),
        (change("reading", "kind", "smell"), r"reading\[0\].kind: no reading"),
        (change("reading", "value", None), r"reading\[0\].kind: no reading"),
        (change("reading", "resolution", -1.0), r"reading\[0\].resolution"),
        (change("reading", "withdrawn", 7), r"reading\[0\].withdrawn"),
        (change("reading", "blob", "0" * 64), r"reading\[0\].blob: is nothing"),
        (change("reading", "id", 0), r"reading\[0\].id: stands twice"),
        (change("value", "subject", "tool=saw"), r"value\[0\].subject: is nobody"),
        (change("finding", "subject", "tool=saw"), r"finding\[0\].subject: doesn’t fit"),
        (in_body("finding", 0, subject={"tool": 7}), r"finding\[0\].body.subject"),
        (in_body("finding", 0, expanded_uncertainty=None), r"finding\[0\]"),
        (in_body("mark", 0, size=-5), r"mark\[0\].body"),
        (in_body("mark", 0, chosen={"axis": []}), r"mark\[0\].body"),
        (lambda body: body["tables"].pop("stage"), "lacks something: the table 'stage'"),
    ],
)  # fmt: skip
def test_what_of_today_cannot_be_understood_is_refused_with_its_place(
    today: dict[str, Any], empty: Shop, spoil: Callable[[dict[str, Any]], None], says: str
) -> None:  # fmt: skip
    body = copy.deepcopy(today)
    spoil(body)
    with pytest.raises(FileFormatError, match=says):
        from_json(empty, json.dumps(body), understands)
    assert empty.machines() == []


@pytest.mark.parametrize("seed", range(4))
def test_whatever_of_today_is_accepted_can_be_opened_ever_after(
    today: dict[str, Any], tmp_path: Path, seed: int
) -> None:  # fmt: skip
    rng = random.Random(seed)
    for i in range(25):
        shop = Shop(tmp_path / f"s{i}.kcshop")
        try:
            from_json(shop, json.dumps(today | {"tables": spoilt(rng, today["tables"])}), understands)
        except FileFormatError:
            assert shop.machines() == []
        shop.close()
        check_opens(tmp_path / f"s{i}.kcshop")
