"""The shop file and rounds, without a window."""

from __future__ import annotations

import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from driving import STEPS, states
from keen_compass.errors import (
    InputError,
    PieceError,
    ShopDamagedError,
    ShopError,
    ShopNewerError,
    ShopReadOnlyError,
    ShopWriteError,
)
from keen_compass.machines.profile import Machine
from keen_compass.practice import stand_in
from keen_compass.practice.playing import correct_all, read_all
from keen_compass.procedures.stages import Step
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import parse_length
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.logbook import latest
from keen_compass.shop.standing import State, next_in_order, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.logbook import entry_words
from keen_compass.words.standing import reason, summary
from said import words
from spoiling import raw


def begun(shop: Shop) -> RoundSession:
    return RoundSession.begin(shop, shop.machine("heron"), "rectangle")


def measured(shop: Shop, most: int | None = None) -> RoundSession:
    session = begun(shop)
    stand_in.make(session)
    session.after_making()
    read_all(session, most)
    return session


def kept(session: RoundSession) -> list[tuple[str, str]]:
    piece = session.context.piece
    assert piece is not None
    return [(r.measurand, r.text) for r in session.context.shop.readings(piece.id)]


# The file


@pytest.mark.parametrize("damage", ["text", "cut", "other"])
def test_a_damaged_file_is_refused_and_left_alone(damage: str, shop_file: Path) -> None:
    if damage == "text":
        shop_file.write_text("not a database\n" * 50)
    elif damage == "cut":
        shop_file.write_bytes(shop_file.read_bytes()[:3000])
    else:
        shop_file.unlink()
        sqlite3.connect(shop_file).execute("create table t (x)").connection.close()
    before = shop_file.read_bytes()
    with pytest.raises(ShopDamagedError, match="left as it was"):
        Shop(shop_file)
    assert shop_file.read_bytes() == before


def test_a_newer_file_is_refused_and_left_alone(shop_file: Path) -> None:
    connection = sqlite3.connect(shop_file)
    connection.execute("pragma user_version = 99")
    connection.close()
    before = shop_file.read_bytes()
    with pytest.raises(ShopNewerError, match="update the program"):
        Shop(shop_file)
    assert shop_file.read_bytes() == before


def test_a_file_of_no_format_is_no_shop_and_left_alone(shop_file: Path) -> None:
    connection = sqlite3.connect(shop_file)
    connection.execute("pragma user_version = -1")
    connection.close()
    before = shop_file.read_bytes()
    with pytest.raises(ShopError):
        Shop(shop_file)
    assert shop_file.read_bytes() == before


def test_a_second_instance_may_only_look(shop: Shop, shop_file: Path) -> None:
    second = Shop(shop_file)
    assert second.read_only
    assert second.machines() == shop.machines()
    with pytest.raises(ShopReadOnlyError, match="open in another window"):
        second.put_event("heron", "note", "x")
    second.close()


def test_a_disk_that_refuses_loses_nothing(shop_file: Path) -> None:
    """The size limit of a process is in for a full disk: the same refusal reaches SQLite."""
    code = """
import resource, sys
from pathlib import Path
from keen_compass.errors import ShopWriteError
from keen_compass.shop.store import Shop
shop = Shop(Path(sys.argv[1]))
shop.put_event("heron", "note", "before")
size = Path(sys.argv[1]).stat().st_size
resource.setrlimit(resource.RLIMIT_FSIZE, (size + 20000, size + 20000))
try:
    for i in range(10000):
        shop.put_event("heron", "note", "x" * 2000)
except ShopWriteError as error:
    print(error)
"""
    done = subprocess.run([sys.executable, "-c", code, str(shop_file)], capture_output=True, text=True, check=True)
    assert "safe" in done.stdout
    shop = Shop(shop_file)
    assert ("note", "before") in [(kind, text) for _, kind, text in shop.events("heron")]
    shop.close()
    with pytest.raises(ShopWriteError, match="Choose another folder"):
        Shop(Path("/proc/nowhere/shop.kcshop"))


def test_a_full_disk_loses_nothing(shop_file: Path, tmp_path: Path) -> None:
    """A real one, three megabytes large; where nothing may be mounted the test above must do."""
    disk = tmp_path / "disk"
    disk.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", str(disk)], capture_output=True, check=False
    )
    if mounted.returncode:
        pytest.skip("tmpfs can't be mounted here")
    try:
        shop = Shop(Path(shutil.copy(shop_file, disk / "s.kcshop")))
        kept_events = 0
        with pytest.raises(ShopWriteError, match="make room and try again"):
            for _ in range(10_000):
                shop.put_event("heron", "note", "x" * 3000)
                kept_events += 1
        assert kept_events > 3
        assert sum(kind == "note" for _, kind, _ in shop.events("heron")) == kept_events
        shop.close()
        shop = Shop(disk / "s.kcshop")
        assert sum(kind == "note" for _, kind, _ in shop.events("heron")) == kept_events
        shop.close()
    finally:
        subprocess.run(["umount", "-l", str(disk)], check=True)


def test_killed_in_the_middle_of_a_reading_nothing_is_lost(shop: Shop, shop_file: Path, tmp_path: Path) -> None:
    session = measured(shop, 2)
    shop.close()
    code = """
import sys
import tempfile
from pathlib import Path
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
shop = Shop(Path(sys.argv[1]))
session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
for n in range(200):
    session.measuring.type("155.9%d" % (n % 10))
    session.measuring.keep()
    session.measuring.another_pass()
    session.measuring.type("389.")
    print(n, flush=True)
"""
    process = subprocess.Popen([sys.executable, "-c", code, str(shop_file)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    acknowledged = 0
    while acknowledged < 7:
        acknowledged = int(process.stdout.readline())
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    again = Shop(shop_file)
    found = RoundSession(again, again.round(session.context.kept.id))
    assert len(kept(found)) >= 2 + acknowledged + 1
    assert found.measuring.draft in ("389.", "") or found.measuring.draft.startswith("155.9")
    again.close()


def test_an_older_file_is_copied_before_it_is_migrated(shop_file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A format that comes later, with one table more."""
    from keen_compass.shop import schema

    present = schema.FORMAT
    monkeypatch.setattr(schema, "FORMAT", present + 1)
    later = {**schema.MIGRATIONS, present + 1: lambda db: db.execute("CREATE TABLE later (x)")}
    monkeypatch.setattr(schema, "MIGRATIONS", later)
    with closing(sqlite3.connect(":memory:")) as fresh:
        schema.bring_up(fresh, 0)
        monkeypatch.setattr(schema, "SHAPE", schema.shape(fresh))
    shop = Shop(shop_file)
    assert [m.name for m in shop.machines()] == ["Heron", "Swift", "Kingfisher", "Ember"]
    shop.close()
    with raw(shop_file) as new, raw(f"{shop_file}.format-{present}.copy") as old:
        assert new.execute("pragma user_version").fetchone() == (present + 1,)
        assert old.execute("pragma user_version").fetchone() == (present,)
        tables = {row[0] for row in new.execute("select name from sqlite_master")}
        assert tables - {row[0] for row in old.execute("select name from sqlite_master")} == {"later"}
        same = "select count(*), sum(value) from reading"
        assert new.execute(same).fetchone() == old.execute(same).fetchone()
    new.close()
    old.close()
    Shop(shop_file).close()  # a file of the present format is copied no more
    assert len(list(shop_file.parent.glob("*.copy"))) == 1


def test_a_migration_that_fails_leaves_the_old_file(shop_file: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from keen_compass.shop import schema

    def fails(db: sqlite3.Connection) -> None:
        db.execute("CREATE TABLE half (x)")
        db.execute("SELECT * FROM nothing_here")

    later = schema.FORMAT + 1
    monkeypatch.setattr(schema, "FORMAT", later)
    monkeypatch.setattr(schema, "MIGRATIONS", {**schema.MIGRATIONS, later: fails})
    with pytest.raises(ShopDamagedError):
        Shop(shop_file)
    monkeypatch.undo()
    shop = Shop(shop_file)
    assert shop.findings("heron", "x_steps")
    shop.close()


@pytest.fixture
def locked_folder(shop_file: Path) -> Iterator[Path]:
    """With a shop in it, where whoever isn't root can look but not write; tests' own folders may be root's alone."""
    with tempfile.TemporaryDirectory(prefix="keen-compass-locked-") as made:
        folder = Path(made)
        shutil.copy(shop_file, folder / "s.kcshop").chmod(0o444)
        folder.chmod(0o555)
        yield folder
        folder.chmod(0o755)


def test_a_folder_that_cannot_be_written_is_said(locked_folder: Path) -> None:
    """As someone who isn't root: a new shop is refused in words, an old one opens for looking."""
    code = """
import os, sys
from pathlib import Path
import keen_compass.shop.format_4  # whoever may not read the program can't load it later
from keen_compass.errors import ShopError
from keen_compass.shop.store import Shop
if os.getuid() == 0:
    os.setgid(65534); os.setuid(65534)
folder = Path(sys.argv[1])
try:
    Shop(folder / "new.kcshop")
except ShopError as error:
    print(error)
try:
    print(Shop(folder / "s.kcshop").read_only)
except ShopError as error:
    print(error)
"""
    run = [sys.executable, "-W", "ignore", "-c", code, str(locked_folder)]
    done = subprocess.run(run, capture_output=True, text=True, check=False)
    said = done.stdout.splitlines()
    assert "Choose another folder" in said[0], done.stderr
    assert said[1] == "True" or "can" in said[1]


# Readings


def test_the_piece_in_hand_is_asked_for_once(shop: Shop) -> None:
    session = measured(shop, 0)
    piece = session.context.piece
    assert piece is not None
    assert not session.measuring.identified
    with pytest.raises(InputError, match=f"waits for piece {piece.number}"):
        session.measuring.identify("3")
    session.measuring.identify(f" {piece.number} ")
    assert session.measuring.identified
    assert RoundSession(shop, shop.round(session.context.kept.id)).measuring.identified


def test_readings_answer_which_piece_it_is(shop: Shop) -> None:
    assert measured(shop, 1).measuring.identified


def test_readings_go_pass_by_pass_and_skip_what_cannot_be_read(shop: Shop) -> None:
    session = measured(shop, 0)
    order = []
    session.measuring.skip("short_height")
    while current := session.measuring.current():
        order.append(current)
        session.measuring.type(stand_in.shows(session) or "")
        assert session.measuring.keep()
    assert order == ["width", "height", "short_width"] * 3
    # Y's short length is missing; what X's two say of the kerf, and the dial of both axes' play, stand in for it.
    assert session.measuring.answer().finding("y_steps").verdict is Verdict.OUT
    assert words(session.may_not_sign()).startswith("Still out of tolerance")


def test_undo_and_redo_append_and_bring_everything_back(shop: Shop) -> None:
    session = measured(shop, 5)
    full = kept(session)
    slot = session.measuring.callouts()[0].readings[0].slot
    session.measuring.edit(slot)
    session.measuring.type("519.99 mm")
    assert session.measuring.keep()
    session.measuring.skip("height")
    session.measuring.take_back()
    states = [kept(session)]
    for _ in range(8):
        session.measuring.undo()
        states.append(kept(session))
    assert states[3] == full
    assert states[-1] == []
    for _ in range(8):
        session.measuring.redo()
    assert sorted(kept(session)) == sorted(states[0])
    assert session.measuring.callouts()[1].skipped
    again = RoundSession(shop, shop.round(session.context.kept.id))
    assert kept(again) == kept(session)


def test_half_a_reading_counts_only_where_it_can_be_one(shop: Shop) -> None:
    session = measured(shop, 4)
    settled = session.measuring.answer().findings[0].error
    whole = f"{session.measuring.measurands()[0].nominal - 1:.0f}."
    for half in (whole[0], whole[:2], "abc", whole):
        session.measuring.type(half)
        error = session.measuring.answer().findings[0].error
        assert (error != settled) == (half == whole)
    again = RoundSession(shop, shop.round(session.context.kept.id))
    assert again.measuring.draft == whole


@pytest.mark.parametrize("text", ["letters", "-4", "", "1e400", "12 1/0", "4" * 190])
def test_bad_readings_stay_where_they_are_with_a_reason(shop: Shop, text: str) -> None:
    session = measured(shop, 1)
    session.measuring.type(text)
    assert not session.measuring.keep()
    callout = next(c for c in session.measuring.callouts() if c.current)
    assert callout.draft == text
    assert callout.complaint
    assert len(kept(session)) == 1


# The round


def test_a_piece_keeps_the_numbers_it_was_cut_with(shop: Shop) -> None:
    session = measured(shop)
    before = [f.new for f in session.measuring.answer().findings]
    session.go(Step.CORRECT)
    session.correcting.enter("x_steps", "106.9")
    assert session.measuring.cut_before_change()
    assert [f.new for f in session.measuring.answer().findings] == before
    assert words(session.may_not_sign()).startswith(("The controller was changed", "Still out"))


@pytest.mark.parametrize("typed", ["", "abc", "53.2", "-106", "1e999", "212.9"])
def test_a_number_that_no_controller_shows_is_refused(shop: Shop, typed: str) -> None:
    session = measured(shop)
    session.go(Step.CORRECT)
    with pytest.raises(InputError):
        session.correcting.enter("x_steps", typed)
    assert session.correcting.entered("x_steps") is None


def test_steps_say_what_is_missing(shop: Shop) -> None:
    session = begun(shop)
    for step, says in ((Step.MEASURE, "Cut"), (Step.CORRECT, "Cut"), (Step.CONFIRM, "Cut")):
        with pytest.raises(InputError, match=says):
            session.go(step)
    session = measured(shop, 0)
    with pytest.raises(InputError, match="Measure"):
        session.go(Step.CORRECT)


def test_a_full_bed_and_a_bare_bed_are_said(shop: Shop) -> None:
    session = begun(shop)
    for _ in range(9):
        if session.making.refusal():
            break
        session.making.made()
    assert "load a new sheet" in words(session.making.refusal())
    with pytest.raises(PieceError):
        session.making.file_text()
    session.making.new_sheet()
    assert session.making.refusal() is None
    bare = Machine("bare", "Bare", MachineKind.ROUTER, (900.0, 600.0))
    shop.put_machine(bare)
    assert "No stock" in words(RoundSession.begin(shop, bare, "rectangle").making.refusal())


def test_the_file_is_written_whole_or_not_at_all(shop: Shop, tmp_path: Path) -> None:
    session = begun(shop)
    session.making.write_file(tmp_path / "piece.nc")
    assert (tmp_path / "piece.nc").read_text() == session.making.file_text()
    with pytest.raises(InputError, match="Choose another folder"):
        session.making.write_file(tmp_path / "missing" / "piece.nc")
    with pytest.raises(InputError, match="Name a file"):
        session.making.write_file(Path())
    (tmp_path / "folder.nc").mkdir()
    with pytest.raises(InputError, match="can't be written"):
        session.making.write_file(tmp_path / "folder.nc")
    assert {f.name for f in tmp_path.glob("*.nc")} == {"piece.nc", "folder.nc"}
    assert not list(tmp_path.glob(".*.part"))


def test_cannot_tell_is_signed_only_with_a_reason(shop: Shop) -> None:
    heron = shop.machine("heron")
    shop.put_machine(Machine.from_json(heron.to_json() | {"tolerances": {"x_steps": 0.84, "y_steps": 0.76}}))
    session = measured(shop)
    assert session.needs_reason()
    with pytest.raises(InputError, match="say why"):
        session.sign("  ")
    session.sign("Good enough for the lantern posts")
    assert session.settled
    assert State.CANNOT_TELL in states(shop, "heron")
    assert "lantern posts" in entry_words(latest(shop, "heron", 1)[0])


def test_instruments_are_not_mixed_within_a_piece(shop: Shop) -> None:
    session = measured(shop, 1)
    with pytest.raises(InputError, match="another instrument"):
        session.making.choose(instrument="rule-1000")
    session.measuring.take_back()
    session.making.choose(instrument="rule-1000")
    assert session.context.instrument is not None
    assert session.context.instrument.uid == "rule-1000"


def test_no_instrument_no_verdict(shop_file: Path, tmp_path: Path) -> None:
    shop = Shop(tmp_path / "new.kcshop")
    shop.put_machine(Machine("m", "Gull", MachineKind.ROUTER, (900.0, 600.0)))
    session = RoundSession.begin(shop, shop.machine("m"), "rectangle")
    assert session.making.resolves().U == {}
    assert session.measuring.answer() is None
    shop.put_instrument(Instrument("Caliper", uid="c"))
    assert shop.instruments()[0].uid == "c"
    shop.close()


# How a machine stands


def test_a_whole_round_turns_the_rose(shop: Shop) -> None:
    heron = shop.machine("heron")
    assert states(shop, "heron") == [State.OUT, State.OUT]
    session = measured(shop)
    session.go(Step.CORRECT)
    correct_all(session)
    assert states(shop, "heron") == [State.RECHECK, State.RECHECK]
    session.go(Step.CONFIRM)
    session.making.new_sheet()
    stand_in.make(session)
    session.after_making()
    read_all(session)
    session.sign()
    standing = [s for s in spokes(shop, heron) if s.quantity in STEPS]
    assert [s.state for s in standing] == [State.IN, State.IN]
    assert summary(standing) == ("all in", State.IN)
    assert next_in_order(standing) == []
    later = datetime.now(UTC) + timedelta(days=200)
    assert states(shop, "heron", STEPS, later) == [State.RECHECK, State.RECHECK]
    shop.put_event("heron", "update", "Controller updated")
    known = {s.quantity: s for s in spokes(shop, heron)}
    assert "Controller updated since then" in reason(known["x_steps"], shop.machine("heron"))
    assert known["x_drive"].state is State.IN  # an update changes no part of the drive train
    # What rests on the steps was changed under: near (backlash) and far (home rests on squareness and backlash).
    for q in ("x_backlash", "y_backlash", "x_home"):
        assert reason(known[q], shop.machine("heron")).endswith("changed under it: check again."), q
    assert reason(known["x_tram"], shop.machine("heron")) == "Controller updated since then: check again."
    assert known["x_home"].rests_on


def test_a_new_machine_was_never_measured(shop: Shop) -> None:
    shop.put_machine(Machine("gull", "Gull", MachineKind.ROUTER, (900.0, 600.0)))
    assert {s.state for s in spokes(shop, shop.machine("gull"))} == {State.NEVER}


def test_copies_of_the_file_open_like_the_file(shop_file: Path, tmp_path: Path) -> None:
    copy = Path(shutil.copy(shop_file, tmp_path / "copy.kcshop"))
    shop = Shop(copy)
    assert [m.name for m in shop.machines()] == ["Heron", "Swift", "Kingfisher", "Ember"]
    assert shop.machine("heron") == shop.machines()[0]
    assert parse_length("3 mm").mm == 3
    shop.close()


def too_coarse_to_tell(shop: Shop) -> RoundSession:
    """Pen-drawn on a machine that differs from piece to piece, so that one alone can't be told."""
    heron = replace(shop.machine("heron"), scatter=(0.15, 14.0), tolerances={"x_steps": 0.9, "y_steps": 0.9})
    shop.put_machine(heron)
    session = RoundSession.begin(shop, heron, "rectangle")
    session.making.new_sheet()
    session.making.choose(tool="Pen in the spindle", passes=2)
    session.making.choose_size(300.0)
    stand_in.make(session)
    session.after_making()
    read_all(session)
    return session


def test_equal_pieces_count_together(shop: Shop) -> None:
    """As `solve` counts them: the same answer as a case with both pieces' readings and `pieces` 2."""
    session = too_coarse_to_tell(shop)
    alone = session.measuring.findings()
    assert {f.verdict for f in alone} == {Verdict.CANNOT_TELL}
    assert session.one_more_helps()
    session.go(Step.MAKE)
    stand_in.make(session)
    session.after_making()
    assert session.step is Step.MEASURE  # nothing was corrected, so nothing is confirmed
    assert session.measuring.findings() == alone  # until the second piece is read
    read_all(session)
    both = session.measuring.findings()
    for one, two in zip(alone, both, strict=True):
        assert one.expanded_uncertainty is not None
        assert two.expanded_uncertainty is not None
        assert 0.6 < two.expanded_uncertainty / one.expanded_uncertainty < 0.85  # about 1/√2: scatter rules
    context = session.context
    first, second = context.pieces
    readings = {
        c.measurand.name: tuple(
            r.reading for p in (first, second) for r in shop.readings(p.id) if r.measurand == c.measurand.name
        )
        for c in session.measuring.callouts()
    }  # fmt: skip
    case = replace(context.case(second.parameters, context.in_force(second), readings, context.subject), pieces=2)
    assert [(f.error, f.expanded_uncertainty) for f in context.procedure.solve(case).findings] == [
        (f.error, f.expanded_uncertainty) for f in both
    ]
    session.measuring.remove(shop.readings(second.id)[0].slot)
    assert not session.one_more_helps()  # something is still to be read on this one


def test_a_piece_after_a_change_stands_for_itself(shop: Shop) -> None:
    session = too_coarse_to_tell(shop)
    alone = session.measuring.answer(session.context.pieces[0])
    shop.put_value("heron", "x_steps", StoredResolution(ResolutionForm.STEPS_PER_MM, 106.3), "typed")
    session.context.changed()
    stand_in.make(session)
    session.after_making()
    assert session.step is Step.CONFIRM
    assert session.measuring.answer() is None
    read_all(session)
    assert session.measuring.answer(session.context.pieces[0]) == alone
    assert session.context.equal_to(session.context.pieces[1]) == [session.context.pieces[1]]
