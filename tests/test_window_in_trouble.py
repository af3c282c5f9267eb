"""The real window when something is wrong: a full or damaged file, one that went away, an odd clock, only looking."""

from __future__ import annotations

import json
import random
import shutil
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton, QSlider, QWidget
from pytestqt.qtbot import QtBot

import driving
from driving import press, shown
from keen_compass.app import start
from keen_compass.app import theme as th
from keen_compass.app.logbook.page import LogbookPage
from keen_compass.app.other_shop import go_on_with_copy, open_shop
from keen_compass.app.round.callout import CalloutEdit
from keen_compass.app.shop.machine_page import MachinePage
from keen_compass.app.waiting import Waiting
from keen_compass.app.window import MainWindow
from keen_compass.errors import ShopWriteError
from keen_compass.shop.soundness import faults
from keen_compass.shop.store import Shop
from spoiling import raw

DATA = Path(__file__).parent / "data"


@pytest.fixture
def small_file(tmp_path: Path) -> Path:
    file = Path(shutil.copy(DATA / "small.kcshop", tmp_path / "small.kcshop"))
    Shop(file).close()
    return file


@pytest.fixture
def opened(qtbot: QtBot, small_file: Path) -> Iterator[MainWindow]:
    """A window on the small shop, which closes what it opens."""
    window = driving.opened(qtbot, Shop(small_file))
    yield window
    for other in [window, *start._windows]:
        other.close()
    QApplication.processEvents()


def going_on(window: MainWindow) -> CalloutEdit:
    """Heron's open round, in the middle of its readings; the current callout."""
    window.show_rose("heron")
    window.begin("rectangle")
    page = window.round_page
    assert page is not None
    page.undo()  # the half reading that stood there
    page.model.session.measuring.choose("height")
    edit = page.measure.surface.current_edit()
    assert isinstance(edit, CalloutEdit)
    edit.setFocus()
    return edit


def answer(window: MainWindow, words: str) -> None:
    assert window._notice is not None
    (button,) = [b for b in window._notice.answers if words in b.text()]
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def test_a_full_disk_leaves_the_reading_in_its_callout(opened: MainWindow) -> None:
    edit = going_on(opened)
    shop, page = opened.shop, opened.round_page
    assert page is not None
    db = shop._f.db
    db.execute(f"PRAGMA max_page_count = {db.execute('PRAGMA page_count').fetchone()[0]}")
    with pytest.raises(ShopWriteError):
        while True:
            shop.put_event("heron", "note", "x" * 200)
    kept = len(shop.readings(page.model.session.context.piece.id))  # type: ignore[union-attr]
    for i in range(60):  # until a reading needs a page that there isn't
        press(f"225.{i:02d}")
        press(Qt.Key.Key_Return)
        edit = page.measure.surface.current_edit()
        if edit.text():
            break
        page.model.attempt("measure", lambda: page.model.session.measuring.choose("height"))
    assert edit.text() == f"225.{i:02d}"
    assert "disk is full" in shown(page.measure)
    assert len(shop.readings(page.model.session.context.piece.id)) == kept + i  # type: ignore[union-attr]
    db.execute("PRAGMA max_page_count = 1000000000")
    press(Qt.Key.Key_Return)
    assert len(shop.readings(page.model.session.context.piece.id)) == kept + i + 1  # type: ignore[union-attr]


def test_a_file_that_went_away_is_said_and_the_work_goes_on_in_a_copy(opened: MainWindow, tmp_path: Path) -> None:
    edit = going_on(opened)
    page = opened.round_page
    assert page is not None
    opened.shop.file.rename(tmp_path / "elsewhere.kcshop")
    press("225.3")
    assert "Not kept: the shop file was moved" in shown(page.measure)
    assert "can be kept under a new name" in shown(opened)
    assert edit.text() == "225.3"
    assert go_on_with_copy(opened, tmp_path / "copy")
    QApplication.processEvents()
    new = start._windows[-1]
    assert new.shop.file == tmp_path / "copy.kcshop"
    assert new.round_page is not None
    assert new.round_page.model.session.measuring.draft == "225.3"
    assert new.round_page.model.session.measuring.current() == "height"
    assert opened.shop.closed


def test_a_copy_is_not_put_over_what_is_there(opened: MainWindow, tmp_path: Path) -> None:
    (tmp_path / "there.kcshop").write_text("somebody's")
    assert not go_on_with_copy(opened, tmp_path / "there.kcshop")
    assert "is there already" in shown(opened)
    assert not open_shop(opened, opened.shop.file)
    assert "is the one that is open" in shown(opened)


def test_damage_is_named_and_what_is_sound_goes_on(qtbot: QtBot, small_file: Path, tmp_path: Path) -> None:
    with raw(small_file) as db:
        db.execute("UPDATE value SET body = replace(body, '106.', '116.') WHERE quantity = 'y_steps'")
        db.execute("DELETE FROM stage WHERE id = (SELECT min(stage) FROM reading)")  # its readings are nobody's
    db.close()
    window = driving.opened(qtbot, Shop(small_file))
    qtbot.waitUntil(lambda: "damaged: number " in shown(window))  # looked for in the first idle moment
    assert "can’t be trusted" in shown(window)
    going_on(window)
    assert "Y steps" not in (window.shop.values("heron"))
    answer(window, "Only look")
    assert go_on_with_copy(window, tmp_path / "sound.kcshop")
    new = start._windows[-1]
    assert not new.shop.read_only
    assert "damaged" not in shown(new)
    new.close()
    assert faults(new.shop.file) == []


def test_dates_that_have_not_come_are_asked_about(opened: MainWindow) -> None:
    shop = opened.shop
    ahead = datetime.now(UTC) + timedelta(days=700)
    shop.clock = lambda: ahead.strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    shop.put_event("heron", "moved", "Moved, says a fast clock")
    shop.clock = lambda: datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")
    opened.care.ask_what_is_open()
    assert "1 entry is dated after now" in shown(opened)
    assert "is that right?" in shown(opened)
    answer(opened, "clock is wrong")
    assert "Set this computer’s clock" in shown(opened)
    assert shop.from_the_future() is not None
    opened.care.ask_what_is_open()
    answer(opened, "date them now")
    assert shop.from_the_future() is None
    opened.care.ask_what_is_open()
    assert opened._notice is not None
    assert not opened._notice.isVisible()


def test_a_refresh_that_comes_late_opens_nothing_again(qtbot: QtBot, small_file: Path) -> None:
    window = driving.opened(qtbot, Shop(small_file))
    going_on(window)
    window._round_changed()
    window._rail_step = "another"
    window._round_changed()
    window.close()
    QApplication.processEvents()
    window.refresh_rail()
    window.care.look()
    assert window.shop.closed
    again = Shop(small_file)
    assert not again.read_only
    again.close()


def test_other_colours_leave_what_can_be_undone(opened: MainWindow) -> None:
    edit = going_on(opened)
    assert edit is not None
    press("225.31", Qt.Key.Key_Return)
    press("40")
    page = opened.round_page
    assert page is not None
    kept = page.model.session.context.shop.readings(page.model.session.context.piece.id)  # type: ignore[union-attr]
    opened.use_theme(th.DARK)
    fresh = opened.round_page
    assert fresh is not page
    assert fresh is not None
    assert fresh.model.session is page.model.session
    assert fresh.model.session.measuring.draft == "40"
    fresh.undo()  # half a reading goes first
    fresh.undo()
    now = opened.shop.readings(fresh.model.session.context.piece.id)  # type: ignore[union-attr]
    assert len(now) == len(kept) - 1
    opened.use_theme(th.LIGHT)


def test_a_copy_of_a_machine_where_only_looking_is_allowed(qtbot: QtBot, small_file: Path) -> None:
    first = Shop(small_file)
    window = driving.opened(qtbot, Shop(small_file))
    window.show_rose("heron")
    window.change_machine()
    page = window.places.currentWidget()
    assert isinstance(page, MachinePage)
    page._copy()
    assert "only be looked at" in shown(page)
    assert [m.name for m in window.shop.machines()] == ["Heron", "Swift"]
    window.close()
    first.close()


@pytest.mark.heavy
@pytest.mark.parametrize("seed", range(2))
def test_a_monkey_that_may_only_look_breaks_nothing(qtbot: QtBot, small_file: Path, seed: int) -> None:
    """Whatever it presses: no exception (pytest-qt fails on any), and not a byte of the file is different."""
    first = Shop(small_file)
    window = driving.opened(qtbot, Shop(small_file))
    before = first.dumped("mark"), first.dumped("reading"), first.dumped("value"), first.dumped("machine")
    rng = random.Random(seed)
    for i in range(120):
        if i % 40 == 0:
            window.show_rose(rng.choice(("heron", "swift")))
            if rng.random() < 0.7:
                window.begin("rectangle")
        act(window, rng)
        QApplication.processEvents()
    assert before == (
        first.dumped("mark"), first.dumped("reading"), first.dumped("value"), first.dumped("machine")
    )  # fmt: skip
    window.close()
    first.close()


KEYS = (Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Backspace, Qt.Key.Key_F8,
        Qt.Key.Key_F9, Qt.Key.Key_Escape, Qt.Key.Key_Left)  # fmt: skip
NOT_PRESSED = ("Write", "Read JSON", "Open")  # files elsewhere


def act(window: MainWindow, rng: random.Random) -> None:
    """One wild act on something that can be reached."""
    widgets = [w for w in window.findChildren(QWidget) if w.isVisible() and w.isEnabled()]
    buttons = [b for b in widgets if isinstance(b, QPushButton) and not b.text().startswith(NOT_PRESSED)]
    what = rng.random()
    if what < 0.35 and buttons:
        QTest.mouseClick(rng.choice(buttons), Qt.MouseButton.LeftButton)
    elif what < 0.5 and (combos := [w for w in widgets if isinstance(w, QComboBox) and w.count()]):
        combo = rng.choice(combos)
        combo.setCurrentIndex(rng.randrange(combo.count()))
        combo.activated.emit(combo.currentIndex())
    elif what < 0.6 and (sliders := [w for w in widgets if isinstance(w, QSlider)]):
        slider = rng.choice(sliders)
        slider.setValue(rng.randint(slider.minimum(), max(slider.maximum(), slider.minimum())))
    elif what < 0.8 and (edits := [w for w in widgets if isinstance(w, QLineEdit)]):
        edit = rng.choice(edits)
        edit.setFocus()
        QTest.keyClicks(edit, rng.choice(("12", "3/4", "x", "400.3", " ", "-")))
    elif target := QApplication.focusWidget():
        modifier = rng.choice((Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier))
        key = rng.choice((*KEYS, Qt.Key.Key_Z) if modifier == Qt.KeyboardModifier.ControlModifier else KEYS)
        QTest.keyClick(target, key, modifier)


def test_a_long_import_shows_how_far_it_is_and_can_be_dropped(
    opened: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From the logbook page, by its button; dropped in the middle it leaves nothing, then it goes through."""
    body = json.loads((DATA / "logbook.json").read_text(encoding="utf-8"))
    body["tables"]["event"] = [
        {"id": i, "machine": "swift", "at": f"2025-01-01T00:{i // 60 % 60:02d}:{i % 60:02d}.{i:06d}Z", "kind": "note",
         "text": f"event {i}"} for i in range(4000)
    ]  # fmt: skip
    (tmp_path / "book.json").write_text(json.dumps(body))
    opened.go_to("logbook")
    page = opened.places.currentWidget()
    assert isinstance(page, LogbookPage)
    page.file.setText(str(tmp_path / "book.json"))
    before, shares = len(opened.shop.events("swift")), list[float]()
    show_share = Waiting.show_share

    def watched(waiting: Waiting, share: float) -> None:
        shares.append(share)
        assert waiting.isModal()
        if share > 0.6 and len(shares) < 100:
            waiting.drop()
        show_share(waiting, share)

    monkeypatch.setattr(Waiting, "show_share", watched)
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert "Nothing was imported" in shown(page)
    assert len(opened.shop.events("swift")) == before
    monkeypatch.setattr(Waiting, "show_share", show_share)
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert "imported from" in shown(page)
    assert len(opened.shop.events("swift")) == before + 4000
    assert shares == sorted(shares)
