"""Copies that a shop keeps by itself: when one is due, what is kept of many, whole or not at all, taken back."""

from __future__ import annotations

import os
import shutil
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication, QFileDialog

from driving import click, shown
from keen_compass.app.copies import UNDER, CopiesDialog, CopyKeeper, under
from keen_compass.app.window import MainWindow
from keen_compass.errors import ShopError
from keen_compass.shop.copies import EVERY, LAST, Copy, copies_of, dropped, folder_of, is_due, keep_copy, taken_back
from keen_compass.shop.store import Shop
from looks import settle

NOW = datetime(2026, 12, 1, 9, 30).astimezone()


@given(st.lists(st.integers(0, 900), unique=True, max_size=60))
def test_the_last_ten_and_one_a_week_are_kept(days: list[int]) -> None:
    copies = [Copy(Path(str(d)), NOW - timedelta(days=d)) for d in sorted(days)]
    gone = dropped(copies)
    left = [c for c in copies if c not in gone]
    assert left[:LAST] == copies[:LAST]
    weeks = [c.at.isocalendar()[:2] for c in left[LAST:]]
    assert len(set(weeks)) == len(weeks)
    assert {c.at.isocalendar()[:2] for c in copies[LAST:]} == set(weeks)
    for c in gone:  # of its week a newer one is left
        assert any(o.at >= c.at and o.at.isocalendar()[:2] == c.at.isocalendar()[:2] for o in left[LAST:])


def test_a_copy_is_due_once_a_day_and_only_after_a_change(shop: Shop) -> None:
    assert is_due(shop.file, NOW)
    shop.put_event("heron", "note", "in the log, not in the file yet")
    keep_copy(shop.file, NOW)
    (copy,) = copies_of(shop.file)
    with_log = Shop(copy.file)
    assert any(text == "in the log, not in the file yet" for _, _, text in with_log.events("heron"))
    with_log.close()
    os.utime(shop.file, (NOW.timestamp() - 60,) * 2)
    os.utime(f"{shop.file}-wal", (NOW.timestamp() - 60,) * 2)
    assert not is_due(shop.file, NOW + 2 * EVERY)  # nothing was written since
    os.utime(shop.file, (NOW.timestamp() + 60,) * 2)
    assert not is_due(shop.file, NOW + EVERY / 2)
    assert is_due(shop.file, NOW + EVERY)


def test_what_else_lies_there_is_left_alone(shop: Shop) -> None:
    keep_copy(shop.file, NOW)
    mine = folder_of(shop.file) / "before the move.kcshop"
    shutil.copy(copies_of(shop.file)[0].file, mine)
    for day in range(1, 40):
        keep_copy(shop.file, NOW + timedelta(days=day))
    assert mine.exists()
    assert mine not in [c.file for c in copies_of(shop.file)]
    assert LAST < len(copies_of(shop.file)) <= LAST + 6


def test_where_none_can_be_kept_nothing_is_left_and_it_is_said(shop: Shop) -> None:
    folder_of(shop.file).write_text("a file in its place")
    with pytest.raises(ShopError, match="No copy of the shop could be kept"):
        keep_copy(shop.file, NOW)
    folder_of(shop.file).unlink()
    folder_of(shop.file).mkdir()
    keep_copy(shop.file, NOW)
    assert [f.name for f in folder_of(shop.file).iterdir()] == ["2026-12-01 09.30.00.kcshop"]


def test_a_copy_is_taken_back_beside_the_shop(shop: Shop) -> None:
    keep_copy(shop.file, NOW)
    (copy,) = copies_of(shop.file)
    first, second = taken_back(shop.file, copy), taken_back(shop.file, copy)
    assert first != second
    again = Shop(second)
    assert [m.name for m in again.machines()] == [m.name for m in shop.machines()]
    assert not again.read_only
    again.close()


def test_the_window_keeps_one_while_it_is_worked_with(window: MainWindow) -> None:
    keeper = CopyKeeper(window.shop, window)
    said: list[str] = []
    keeper.said.connect(said.append)
    keeper.look()
    window.shop.put_event("heron", "note", "written meanwhile")
    keeper.stop()
    assert len(copies_of(window.shop.file)) == 1
    keeper.look()
    keeper.stop()
    assert len(copies_of(window.shop.file)) == 1  # not due yet
    for copy in copies_of(window.shop.file):
        copy.file.unlink()
    folder_of(window.shop.file).rmdir()
    folder_of(window.shop.file).write_text("in the way")
    keeper.look()
    keeper.stop()
    settle()
    assert len(said) == 1
    assert "No copy" in said[0]


def test_in_the_window_a_copy_is_opened_as_a_shop_of_its_own(window: MainWindow) -> None:
    dialog = CopiesDialog(window)
    dialog.open()
    assert "No copies yet" in shown(dialog)
    click(dialog, "Keep a copy now")
    assert "Kept:" in shown(dialog)
    click(dialog, "Close")
    before = window.shop.file
    dialog = CopiesDialog(window)
    dialog.open()
    click(dialog, "Open")
    opened = [w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow) and w.isVisible()]
    (another,) = opened
    assert another.shop.file != before
    assert another.shop.file.name.startswith("shop of ")
    assert [m.name for m in another.shop.machines()] == ["Heron", "Swift", "Kingfisher", "Ember"]
    another.close()


def test_copies_are_kept_where_one_says(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> None:
    request.addfinalizer(lambda: QSettings().remove(UNDER))
    disk = tmp_path / "another disk"
    disk.mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(disk))
    dialog = CopiesDialog(window)
    dialog.open()
    click(dialog, "Keep them elsewhere…")
    assert f"in {disk}" in shown(dialog)
    click(dialog, "Keep a copy now")
    (copy,) = copies_of(window.shop.file, disk)
    assert copy.file.parent == disk / "shop copies"
    assert not copies_of(window.shop.file)
    assert f"{copy.at:%A}" in shown(dialog)
    keeper = CopyKeeper(window.shop, window)
    said: list[str] = []
    keeper.said.connect(said.append)
    shutil.rmtree(disk)  # it was pulled out
    keeper.look()
    keeper.stop()
    settle()
    assert "another disk" in said[0]
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(window.shop.file.parent))
    click(dialog, "Keep them elsewhere…")
    assert under() is None
    assert "beside the shop file" in shown(dialog)
