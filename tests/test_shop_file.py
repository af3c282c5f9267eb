"""The shop file under attack: kills, flipped bits, a full disk, a file that goes away, two writers, odd clocks.

What was acknowledged is there or is named as missing; nothing reads differently from what was written.
"""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from keen_compass.errors import (
    InputError,
    KeenCompassError,
    ShopClosedError,
    ShopDamagedError,
    ShopError,
    ShopGoneError,
    ShopNewerError,
    ShopReadOnlyError,
    ShopWriteError,
)
from keen_compass.practice.demo_machines import HERON
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.procedures.stages import Step
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.rounds import RoundSession
from keen_compass.shop import schema
from keen_compass.shop.log_check import commits_unreadable
from keen_compass.shop.store import Shop
from reading_out import read_out
from said import words
from spoiling import raw

DATA = Path(__file__).parent / "data"
STEPS = StoredResolution(ResolutionForm.STEPS_PER_MM, 106.667)


@pytest.fixture
def small(tmp_path: Path) -> Path:
    """The small shop, closed."""
    return Path(shutil.copy(DATA / "small.kcshop", tmp_path / "small.kcshop"))


def run(code: str, *arguments: object) -> subprocess.Popen[str]:
    """Another process that runs some lines."""
    words = [sys.executable, "-c", code, *map(str, arguments)]
    return subprocess.Popen(words, stdout=subprocess.PIPE, text=True)


def killed_after(code: str, *arguments: object, said: str = "there") -> None:
    """Let another process run until it says so, and kill it."""
    process = run(code, *arguments)
    assert process.stdout is not None
    assert process.stdout.readline().strip() == said
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()


OPENED = """
import sys, time
from pathlib import Path
from keen_compass.practice.demo_machines import HERON
from keen_compass.shop.store import Shop
shop = Shop(Path(sys.argv[1]))
"""


def test_a_new_shop_whose_first_session_was_killed_opens_again(tmp_path: Path) -> None:
    file = tmp_path / "new.kcshop"
    killed_after(OPENED + "shop.put_machine(HERON)\nprint('there', flush=True)\ntime.sleep(60)", file)
    shop = Shop(file)
    assert [m.name for m in shop.machines()] == ["Heron"]
    assert not shop.damage
    assert not shop.read_only
    shop.close()


def test_a_second_window_may_look_at_a_new_shop_at_once(tmp_path: Path) -> None:
    """In this process and in another, while nothing of it has been folded into the file."""
    file = tmp_path / "new.kcshop"
    first = Shop(file)
    first.put_machine(HERON)
    second = Shop(file)
    assert second.read_only
    assert [m.name for m in second.machines()] == ["Heron"]
    other = run(OPENED + "print(shop.read_only, [m.name for m in shop.machines()])", file)
    assert other.communicate()[0].strip() == "True ['Heron']"
    second.close()
    first.put_event("heron", "note", "still the writer")
    first.close()


def test_a_later_format_that_lies_only_in_the_log_is_refused(tmp_path: Path) -> None:
    file = tmp_path / "later.kcshop"
    code = f"""
import sqlite3, sys
db = sqlite3.connect(sys.argv[1], isolation_level=None)
db.execute("PRAGMA journal_mode = WAL")
db.execute("PRAGMA wal_autocheckpoint = 0")
db.execute("BEGIN")
db.execute("CREATE TABLE later (x)")
db.execute("PRAGMA application_id = {schema.APPLICATION_ID}")
db.execute("PRAGMA user_version = {schema.FORMAT + 1}")
db.execute("COMMIT")
print("there", flush=True)
sys.stdin.read()
"""
    killed_after(code, file)
    before = {name: Path(f"{file}{name}").read_bytes() for name in ("", "-wal")}
    assert int.from_bytes(before[""][60:64], "big") != schema.FORMAT + 1  # in the file itself there is nothing of it
    with pytest.raises(ShopNewerError, match="later Keen Compass"):
        Shop(file)
    assert {name: Path(f"{file}{name}").read_bytes() for name in ("", "-wal")} == before


def test_a_killed_migration_never_writes_over_its_copy(small: Path) -> None:
    code = """
import sys, time
from pathlib import Path
from keen_compass.shop import schema
from keen_compass.shop.store import Shop
def slow(db):
    db.execute("CREATE TABLE later (x)")
    print("there", flush=True)
    time.sleep(60)
schema.FORMAT += 1
schema.MIGRATIONS[schema.FORMAT] = slow
Shop(Path(sys.argv[1]))
"""
    for _ in range(2):
        killed_after(code, small)
    copies = sorted(small.parent.glob("*.copy*"))
    assert [c.name for c in copies] == ["small.kcshop.format-4.copy", "small.kcshop.format-4.copy-2"]
    for copy in copies:
        with raw(copy) as db:
            assert db.execute("SELECT count(*) FROM reading").fetchone()[0] > 50
        db.close()
    shop = Shop(small)
    assert len(shop.rounds("heron")) == 5
    shop.close()


def test_begin_leaves_a_whole_round_or_none(small: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A router round without its tool would get a file with the spindle off below the surface."""
    shop = Shop(small)
    before = len(shop.rounds("heron"))

    def fails(*_: object) -> str:
        raise ShopWriteError("pulled")

    for what in ("proposed_tool", "proposed_size", "proposed_instrument"):
        with monkeypatch.context() as patch:
            patch.setattr(f"keen_compass.rounds.making.Making.{what}", fails)
            with pytest.raises(ShopWriteError):
                RoundSession.begin(shop, shop.machine("heron"), "squareness")
        assert len(shop.rounds("heron")) == before
    session = RoundSession.begin(shop, shop.machine("heron"), "squareness")
    assert (session.context.tool.name, session.context.instrument) != ("pen", None)
    shop.close()


# Newest is by time


def later(shop: Shop, **by: float) -> None:
    """Set the shop's clock, by so much from now."""
    at = datetime.now(UTC) + timedelta(**by)
    shop.clock = lambda: at.strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def test_a_clock_set_back_between_cutting_and_correcting_does_not_block(small: Path) -> None:
    shop = Shop(small)
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    session.making.new_sheet()
    session.making.choose_size(600.0)
    cut(session)
    read_all(session)
    session.go(Step.CORRECT)
    later(shop, hours=-3)
    correct_all(session)
    assert session.correcting.done()
    assert session.measuring.cut_before_change() == any(map(session.correcting.enters, session.measuring.findings()))
    later(shop, days=-400)
    shop.put_value("heron", "x_steps", STEPS, "typed")
    assert shop.values("heron")["x_steps"].stored == STEPS  # order of writing, whatever the clock says
    shop.close()


def test_equal_times_are_told_apart_by_order_of_writing(tmp_path: Path) -> None:
    shop = Shop(tmp_path / "s.kcshop", clock=lambda: "2026-10-06T08:00:00.000000Z")
    shop.put_machine(HERON)
    for steps in (100.0, 101.0, 102.0):
        shop.put_value("heron", "x_steps", StoredResolution(ResolutionForm.STEPS_PER_MM, steps), "typed")
    held = shop.values("heron")["x_steps"]
    assert (held.stored.text(1), held.at) == (
        "102.0",
        "2026-10-06T08:00:00.000004Z",
    )  # after its profile and what is mounted
    shop.close()


def test_what_is_dated_after_now_is_noticed_and_can_be_dated_now(small: Path) -> None:
    shop = Shop(small)
    assert shop.from_the_future() is None
    later(shop, days=900)
    shop.put_event("heron", "moved", "Moved, says a clock that is fast")
    shop.put_value("heron", "y_steps", STEPS, "typed")
    later(shop)
    future = shop.from_the_future()
    assert future is not None
    assert [table for table, *_ in future.rows] == ["event", "value"]
    shop.put_value("heron", "x_steps", STEPS, "typed")  # goes on in order all the same
    assert shop.values("heron")["x_steps"].at > future.latest
    again = shop.from_the_future()
    assert again is not None
    shop.date_as_now(again)
    assert shop.from_the_future() is None
    assert shop.values("heron")["y_steps"].stored == STEPS
    assert shop.events("heron")[-1][2] == "Moved, says a clock that is fast"
    was = [row[-1] for row in shop.dumped("redated")]
    assert was == [at for *_, at in again.rows]  # what they said before is kept
    shop.put_event("heron", "note", "now")
    assert shop.events("heron")[-1][2] == "now"
    shop.close()
    reopened = Shop(small)
    assert not reopened.check(60)
    reopened.close()


# A disk that is full


@contextmanager
def full(shop: Shop) -> Iterator[None]:
    """No page more for this file."""
    db = shop._f.db
    db.execute(f"PRAGMA max_page_count = {db.execute('PRAGMA page_count').fetchone()[0]}")
    yield
    db.execute("PRAGMA max_page_count = 1000000000")


def fill_to_the_brim(shop: Shop) -> None:
    """Until the next row needs a page that there isn't."""
    while True:
        try:
            shop.put_event("heron", "note", "x" * 300)
        except ShopWriteError as error:
            assert "disk is full" in str(error)
            return


def test_a_full_disk_keeps_the_typed_reading_and_says_so(small: Path) -> None:
    shop = Shop(small)
    (kept,) = [k for k in shop.open_rounds("heron") if k.procedure == "rectangle"]
    session = RoundSession(shop, kept)
    session.measuring.undo()
    with full(shop):
        fill_to_the_brim(shop)
        readings = len(shop.readings(session.context.piece.id))  # type: ignore[union-attr]
        for text in ("3", "30", "300.2" + "0" * 150):
            session.measuring.type(text)
        with pytest.raises(ShopWriteError):
            for i in range(400):  # whichever write it is that needs a page
                readings = len(shop.readings(session.context.piece.id))  # type: ignore[union-attr]
                session.measuring.choose("width")
                session.measuring.type(f"300.{i:03d}")
                with session.together():
                    assert session.measuring.keep() or "disk is full" in session.measuring.complaint
        assert session.measuring.draft == f"300.{i:03d}"
        assert len(shop.readings(session.context.piece.id)) == readings  # type: ignore[union-attr]
    assert session.measuring.draft
    session.measuring.type("300.21")
    assert session.measuring.keep()
    shop.close()


def test_opening_on_a_full_disk_is_not_called_damage(small: Path, tmp_path: Path) -> None:
    """A file-size limit stands for the disk: an old file can be looked at, a new one is refused in words."""
    code = """
import resource, sys
from pathlib import Path
from keen_compass.errors import ShopError
from keen_compass.shop.store import Shop
resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
for name in sys.argv[1:]:
    try:
        shop = Shop(Path(name))
        print(shop.why_read_only, [m.name for m in shop.machines()])
    except ShopError as error:
        print(type(error).__name__, error)
"""
    said = run(code, small, tmp_path / "new.kcshop").communicate()[0].splitlines()
    assert "can only be looked at until there is room" in said[0]
    assert said[0].endswith("['Heron', 'Swift']")
    assert said[1].startswith("ShopWriteError")
    assert not (tmp_path / "new.kcshop").exists()
    shop = Shop(small)
    assert not shop.read_only
    shop.close()


# Flipped bits


def told(file: Path) -> tuple[str, dict[str, Any] | None, list[str]]:
    """(refused, damaged or sound; what it says; what is named). Anything but a ShopError is a failure."""
    try:
        shop = Shop(file)
    except ShopError:
        return "refused", None, []
    try:
        shop.check(60)  # as the window does in idle moments
        said = json.loads(json.dumps(read_out(shop)))
        return ("damaged" if shop.damage else "sound"), said, [words(d.what) for d in shop.damage]
    except ShopDamagedError:
        return "damaged", None, [words(d.what) for d in shop.damage]
    finally:
        shop.close()


@pytest.mark.heavy
def test_no_flipped_bit_reads_as_something_else(small: Path, tmp_path: Path) -> None:
    sound = told(small)[1]
    assert sound is not None
    data, rng, found = small.read_bytes(), random.Random(8), {"refused": 0, "damaged": 0, "sound": 0}
    for i in range(150):
        at = rng.randrange(len(data))
        flipped = tmp_path / f"flip-{i}.kcshop"
        flipped.write_bytes(data[:at] + bytes([data[at] ^ 1 << rng.randrange(8)]) + data[at + 1 :])
        how, said, named = told(flipped)
        found[how] += 1
        if how == "sound":
            assert said == sound, at
        elif how == "damaged":
            assert named, at
        for left in tmp_path.glob(f"flip-{i}.kcshop*"):
            left.unlink()
    assert found["damaged"] > 40
    assert found["sound"] > 5  # free space


def flip_in_row(file: Path, table: str, column: str, old: str, new: str) -> int:
    """Change a row's contents behind the program's back; returns its number."""
    with raw(file) as db:
        (number,) = db.execute(f"SELECT max(id) FROM {table} WHERE {column} LIKE ?", (f"%{old}%",)).fetchone()
        db.execute(f"UPDATE {table} SET {column} = replace({column}, ?, ?) WHERE id = ?", (old, new, number))
    db.close()
    return int(number)


def test_damaged_rows_are_named_and_the_rest_is_kept_as_a_new_file(small: Path, tmp_path: Path) -> None:
    before = Shop(small)
    held = before.values("heron")
    before.close()
    with raw(small) as db:
        (number, piece) = db.execute(
            "SELECT r.id, s.piece FROM reading r JOIN stage s ON s.id = r.stage WHERE r.value > 200 ORDER BY r.id DESC"
        ).fetchone()
        db.execute("UPDATE reading SET value = value + 64 WHERE id = ?", (number,))
    db.close()
    value = flip_in_row(small, "value", "body", "106.", "107.")
    shop = Shop(small)
    assert shop.check(60)
    assert shop.read_only
    assert {(d.table, d.number) for d in shop.damage} == {("reading", number), ("value", value)}
    assert number not in [r.slot for r in shop.readings(piece)]
    assert set(held) - set(shop.values("heron")) == {"y_steps"}
    with pytest.raises(ShopReadOnlyError, match="damaged"):
        shop.put_event("heron", "note", "no")
    copy = tmp_path / "sound.kcshop"
    shop.copy_to(copy)
    assert any(words(d.what).startswith("reading") for d in shop.damage)
    shop.close()
    new = Shop(copy)
    assert not new.check(60)
    assert not new.read_only
    assert len(new.rounds("heron")) == 5
    assert new.values("heron")["y_steps"].stored.text(3) == "106.667"  # the newest that is sound
    new.put_event("heron", "note", "goes on here")
    new.close()


def test_a_log_that_is_damaged_in_the_middle_is_said_and_kept(tmp_path: Path) -> None:
    file = tmp_path / "new.kcshop"
    code = (
        OPENED
        + """
shop.put_machine(HERON)
for i in range(20):
    shop.put_event("heron", "note", f"event {i}")
print('there', flush=True)
time.sleep(60)"""
    )
    killed_after(code, file)
    log = Path(f"{file}-wal")
    data = log.read_bytes()
    assert commits_unreadable(log) == 0
    log.write_bytes(data[:-700])  # cut off: only the last write, as by a power failure
    assert commits_unreadable(log) == 0
    at = 32 + 5 * (24 + 4096) + 2000
    log.write_bytes(data[:at] + bytes([data[at] ^ 4]) + data[at + 1 :])
    assert commits_unreadable(log) > 10
    shop = Shop(file)
    assert shop.read_only
    assert "what was written last is missing" in words(shop.damage[0].what)
    assert len(shop.events("heron")) < 20
    shop.close()
    assert Path(f"{log}.damaged").exists()


# The file under us


def test_a_file_that_goes_away_takes_nothing_with_it(small: Path, tmp_path: Path) -> None:
    shop = Shop(small)
    (kept,) = shop.open_rounds("swift")
    session = RoundSession(shop, kept)
    small.unlink()
    session.measuring.type("15 3/4")
    assert "moved, deleted or replaced" in session.measuring.complaint
    assert session.measuring.draft == "15 3/4"
    with pytest.raises(ShopGoneError), session.together():
        session.measuring.keep()
    assert session.measuring.draft == "15 3/4"
    copy = tmp_path / "kept.kcshop"
    shop.copy_to(copy)
    shop.close()
    new = Shop(copy)
    assert len(new.rounds("heron")) == 5
    assert not new.read_only
    new.close()


@pytest.mark.parametrize("also", [(), ("-wal",)])
def test_a_replacement_is_not_written_into(small: Path, tmp_path: Path, also: tuple[str, ...]) -> None:
    shop = Shop(small)
    other = tmp_path / "other.kcshop"
    Shop(other).close()
    present = other.read_bytes()
    other.replace(small)
    for name in also:
        Path(f"{small}{name}").unlink()
    with pytest.raises(ShopGoneError):
        shop.put_event("heron", "note", "into nothing")
    shop.close()
    assert small.read_bytes() == present


def test_a_log_that_was_deleted_is_noticed(small: Path) -> None:
    shop = Shop(small)
    shop.put_event("heron", "note", "one")
    Path(f"{small}-wal").unlink()
    with pytest.raises(ShopGoneError):
        shop.put_event("heron", "note", "into nothing")
    shop.close()


def test_a_closed_shop_is_not_opened_again_by_who_comes_late(small: Path) -> None:
    shop = Shop(small)
    shop.close()
    with pytest.raises(ShopClosedError):
        shop.machines()
    with pytest.raises(ShopClosedError):
        shop.put_event("heron", "note", "late")
    Shop(small).close()


# One writer


def test_links_lead_to_the_same_lock(small: Path, tmp_path: Path) -> None:
    link, hard = tmp_path / "link.kcshop", tmp_path / "hard.kcshop"
    link.symlink_to(small)
    first = Shop(link)
    assert first.file == small
    second = Shop(small)
    assert second.read_only
    second.close()
    os.link(small, hard)
    for name in (hard, small, link):
        other = run(OPENED + "print(shop.read_only)", name)
        assert other.communicate()[0].strip() == "True", name
    first.close()
    alone = Shop(hard)  # what was written last may lie beside the other name
    assert "second name" in alone.why_read_only
    alone.close()
    hard.unlink()
    again = Shop(small)
    assert not again.read_only
    again.close()


def test_names_that_mean_something_to_others_mean_themselves(tmp_path: Path) -> None:
    file = tmp_path / "a#b?mode=ro%41 ü.kcshop"
    shop = Shop(file)
    shop.put_machine(HERON)
    second = Shop(file)
    assert [m.name for m in second.machines()] == ["Heron"]
    second.close()
    shop.close()
    assert sorted(p.name for p in tmp_path.iterdir()) == [file.name]


def test_a_lock_that_cannot_be_had_is_said(small: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuses(*_: object) -> None:
        raise OSError(37, "No locks available")

    monkeypatch.setattr("keen_compass.shop.lock.fcntl.flock", refuses)
    shop = Shop(small)
    assert "can’t lock files" in shop.why_read_only
    assert shop.machines()
    shop.close()


def test_what_is_no_file_is_refused_in_words(tmp_path: Path) -> None:
    fifo, loop = tmp_path / "f.kcshop", tmp_path / "loop.kcshop"
    os.mkfifo(fifo)
    loop.symlink_to(loop)
    for odd in (tmp_path, fifo, loop, Path("/dev/null")):
        with pytest.raises(ShopError):
            Shop(odd)
    foreign = tmp_path / "other.kcshop"
    with raw(foreign) as db:
        db.execute("CREATE TABLE mine (x)")
    db.close()
    before = foreign.read_bytes()
    with pytest.raises(ShopDamagedError, match="not a shop file"):
        Shop(foreign)
    assert foreign.read_bytes() == before


def test_a_copy_is_never_written_over_anything(small: Path, tmp_path: Path) -> None:
    shop = Shop(small)
    taken = tmp_path / "taken.kcshop"
    taken.write_text("somebody's")
    with pytest.raises(ShopWriteError, match="already"):
        shop.copy_to(taken)
    with pytest.raises(ShopWriteError, match="Choose another folder"):
        shop.copy_to(tmp_path / "nowhere" / "x.kcshop")
    assert taken.read_text() == "somebody's"
    shop.close()


def test_two_shops_in_one_process_keep_apart(small: Path, tmp_path: Path) -> None:
    one, two = Shop(small), Shop(tmp_path / "two.kcshop")
    two.put_machine(HERON)
    one.put_event("heron", "note", "in the first")
    two.put_event("heron", "note", "in the second")
    assert [e[2] for e in two.events("heron")] == ["in the second"]
    assert one.events("heron")[-1][2] == "in the first"
    one.close()
    two.put_event("heron", "note", "still open")
    two.close()


def test_every_table_is_described_as_it_is(request: pytest.FixtureRequest) -> None:
    """The columns that digests are made of are those of the SQL, in its order."""
    db = sqlite3.connect(":memory:")
    request.addfinalizer(db.close)
    schema.bring_up(db, 0)
    tables = [name for (name,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
    assert tables == sorted(schema.COLUMNS)
    sql = {int: "INTEGER", float: "REAL", str: "TEXT", bytes: "BLOB"}
    for table, columns in schema.COLUMNS.items():
        *rows, last = db.execute(f"PRAGMA table_info({table})").fetchall()
        assert [(name, sql[kind]) for name, kind in columns] == [(row[1], row[2]) for row in rows]
        assert {name for name, _ in columns if (table, name) in schema.NULLABLE} == {r[1] for r in rows if not r[3]}
        assert last[1] == "digest"
    assert schema.shape(db) == schema.SHAPE
    db.execute("DROP VIEW newest_finding")
    assert schema.shape(db) != schema.SHAPE
    db.close()


def test_a_nested_failure_takes_back_only_its_own_part(small: Path) -> None:
    shop = Shop(small)
    with shop.writing():
        shop.put_event("heron", "note", "outer")
        with pytest.raises(InputError), shop.writing():
            shop.put_event("heron", "note", "inner")
            raise InputError("no")
    assert shop.events("heron")[-1][2] == "outer"
    with pytest.raises(KeenCompassError), shop.writing():
        shop.put_event("heron", "note", "gone")
        raise InputError("no")
    assert shop.events("heron")[-1][2] == "outer"
    shop.close()


def test_a_log_left_behind_is_read_where_nothing_may_be_written(tmp_path: Path) -> None:
    """A shop that was killed, on a disk that may only be read: what its log holds is seen, and nothing is changed."""
    folder = tmp_path / "disk"
    folder.mkdir()
    file = folder / "left.kcshop"
    killed_after(OPENED + "shop.put_machine(HERON)\nprint('there', flush=True)\ntime.sleep(60)", file)
    shm = Path(f"{file}-shm")
    shm.unlink(missing_ok=True)
    for path, mode in ((file, 0o444), (Path(f"{file}-wal"), 0o444), (folder, 0o555), (tmp_path, 0o755)):
        path.chmod(mode)
    code = """
import os, shutil, sys, tempfile  # the library may lie where nobody else may read
from pathlib import Path
from keen_compass.shop.store import Shop
if os.getuid() == 0:
    os.setgid(65534); os.setuid(65534)
shop = Shop(Path(sys.argv[1]))
print(shop.why_read_only, [m.name for m in shop.machines()])
shop.close()
"""
    for parent in tmp_path.parents:
        if parent.stat().st_uid == os.getuid() and parent != Path("/"):
            parent.chmod(parent.stat().st_mode | 0o055)
    said = run(code, file).communicate()[0].strip()
    folder.chmod(0o755)
    assert said.endswith("['Heron']")
    assert "may only be read" in said
    assert sorted(p.name for p in folder.iterdir()) == ["left.kcshop", "left.kcshop-wal"]
