"""A shop file gone over from outside: sound, with rows that changed or lost what they belong to, and repaired."""

from __future__ import annotations

import json
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from keen_compass.cli import main
from keen_compass.errors import ShopReadOnlyError
from keen_compass.practice.shipped import open_demo
from keen_compass.shop import schema
from keen_compass.shop.store import Shop


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    shop = open_demo(tmp_path)
    shop.close()
    return shop.file


def told(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, dict[str, object]]:
    status = main(["check", *words, "--json"])
    return status, json.loads(capsys.readouterr().out)


def spoilt(file: Path, *sql: str) -> None:
    db = sqlite3.connect(file)
    for one in sql:
        db.execute(one)
    db.commit()
    db.close()


def forged(file: Path, table: str, number: int, **changes: object) -> None:
    """A row that fits its digest and still says what can't be."""
    db = sqlite3.connect(file)
    names = [name for name, _ in schema.COLUMNS[table]]
    row = dict(
        zip(
            names, db.execute(f"SELECT {', '.join(names)} FROM {table} WHERE id = ?", (number,)).fetchone(), strict=True
        )
    )
    row |= changes
    sets = ", ".join(f"{name} = ?" for name in names)
    db.execute(
        f"UPDATE {table} SET {sets}, digest = ? WHERE id = ?",
        (*row.values(), schema.digest(table, list(row.values())), number),
    )
    db.commit()
    db.close()


def test_a_sound_shop_is_sound_and_stays_as_it_is(demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    before = demo.read_bytes()
    assert told(capsys, str(demo)) == (0, {"sound": True, "faults": []})
    assert main(["check", str(demo)]) == 0
    assert capsys.readouterr().out == "sound\n"
    assert demo.read_bytes() == before


def test_what_is_wrong_is_said_with_its_place(demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    spoilt(demo, "UPDATE reading SET value = value + 1 WHERE id = 7")
    forged(demo, "stage", 5, piece=99_999)
    forged(demo, "event", 2, machine="ghost")
    forged(demo, "blob", 1, data=b"others")
    status, body = told(capsys, str(demo))
    found = {(f["table"], f["number"]): f["what"] for f in body["faults"]}  # type: ignore[index,union-attr,attr-defined]
    assert status == 1
    assert found.keys() >= {("reading", 7), ("stage", 5), ("event", 2), ("blob", 1)}
    assert found["stage", 5] == "piece: what it belongs to (piece) isn’t there"
    assert "bytes" in found["blob", 1]
    assert found["reading", 7] == "it isn’t what was written any more"


def test_what_is_repaired_is_sound_and_opens(demo: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """A round is lost: its pieces, their stages and their readings go with it, and nothing else."""
    spoilt(demo, "UPDATE round SET procedure = 'x' WHERE id = 3")
    before, out = demo.read_bytes(), tmp_path / "sound.kcshop"
    status, body = told(capsys, str(demo), "--repair", str(out))
    assert status == 1
    assert body["faults"]
    assert demo.read_bytes() == before
    assert told(capsys, str(out)) == (0, {"sound": True, "faults": []})
    with closing(sqlite3.connect(demo)) as db:
        ((kept,),) = db.execute("SELECT count(*) FROM round")
    shop = Shop(out)
    assert sum(len(shop.rounds(m.uid)) for m in shop.machines()) == kept - 1
    shop.close()


def test_what_is_no_shop_is_refused(tmp_path: Path, demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "note.txt").write_text("no shop")
    assert main(["check", str(tmp_path / "note.txt")]) == 2
    assert main(["check", str(tmp_path / "nothing")]) == 2
    assert "is not there" in capsys.readouterr().err
    shutil.copyfile(demo, tmp_path / "there.kcshop")
    assert main(["check", str(demo), "--repair", str(tmp_path / "there.kcshop")]) == 2
    assert "is there already" in capsys.readouterr().err


def test_a_compact_shop_has_lost_only_what_nothing_refers_to(demo: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shop = Shop(demo)
    lost = shop.put_blob(b"a picture that was taken back" * 50_000)
    before = {table: shop.dumped(table) for table in schema.COLUMNS}
    shop.close()
    size = demo.stat().st_size
    assert told(capsys, str(demo), "--compact") == (0, {"sound": True, "faults": []})
    assert demo.stat().st_size < size - 1_000_000
    shop = Shop(demo)
    gone = {table: set(before[table]) - set(shop.dumped(table)) for table in schema.COLUMNS}
    assert all(not rows for table, rows in gone.items() if table != "blob")
    assert lost in {name for _, name, *_ in gone["blob"]}
    kept = {name for _, name, *_ in shop.dumped("blob")}
    second = Shop(demo)
    with pytest.raises(ShopReadOnlyError):
        second.compact()
    second.close()
    shop.close()
    forged(demo, "stage", 1, sent="0" * 64)
    spoilt(demo, "UPDATE stage SET kind = 'other' WHERE id = 2")
    blobs = len(kept)
    assert main(["check", str(demo), "--compact"]) == 2
    assert "damaged" in capsys.readouterr().err
    db = sqlite3.connect(demo)
    assert db.execute("SELECT count(*) FROM blob").fetchone() == (blobs,)
    db.close()
    assert main(["check", str(demo.with_name("none.kcshop")), "--compact"]) == 2
    assert "is not there" in capsys.readouterr().err
