"""What nobody foresaw: kept as a text file, offered once, and nothing of what was read is in it."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from driving import click, press, shown
from keen_compass import __version__
from keen_compass.app import breakdown, start
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.practice.playing import cut
from looks import settle


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, window: MainWindow) -> Iterator[Path]:
    monkeypatch.setattr(breakdown, "folder", lambda: tmp_path / "log")
    monkeypatch.setattr(start, "_windows", [window])
    breakdown._told.clear()
    yield tmp_path / "log"
    breakdown._logs.clear()


def fail(text: str) -> None:
    raise ZeroDivisionError(f"nobody thought of {text}")


def raised(qtbot: QtBot, window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    """A key whose slot fails, and what the program makes of that."""
    page = window.round_page
    assert page is not None
    monkeypatch.setattr(page.model.session.measuring, "keep", lambda: fail("that"))
    with qtbot.capture_exceptions() as found:
        press("401.234", Qt.Key.Key_Return)
    for kind, error, trace in found:
        start._said_not_raised(kind, error, trace)
    settle()


def test_it_is_kept_said_once_and_tells_no_reading(
    qtbot: QtBot, window: MainWindow, place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    breakdown.log_to("info")
    window.show_rose("heron")
    window.begin("rectangle")
    assert window.round_page is not None
    session = window.round_page.model.session
    cut(session)
    session.measuring.identify("")
    window.round_page.refresh()
    settle()
    raised(qtbot, window, monkeypatch)
    (report,) = place.glob("report-*.txt")
    text = report.read_text()
    assert __version__ in text
    assert "Python 3." in text
    assert "ZeroDivisionError: nobody thought of that" in text
    assert "- begin rectangle" in text
    assert "401.234" not in text
    assert "Heron" not in text
    assert "An unexpected error occurred" in shown(window)
    assert str(report) in shown(window)
    click(window, "Copy report")
    assert QApplication.clipboard().text() == text
    assert "unexpected error" not in shown(window)
    raised(qtbot, window, monkeypatch)  # the same again is told once
    assert "unexpected error" not in shown(window)
    assert len(list(place.glob("report-*.txt"))) == 1
    log = (place / "keen-compass.log").read_text()
    assert "INFO begin rectangle" in log
    assert "ERROR Traceback" in log
    monkeypatch.undo()
    assert window.round_page is not None  # the round stands where it was
    assert session.context.kept.status == "open"


def test_only_so_many_reports_are_kept_and_none_where_nothing_can_be_written(
    place: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for i in range(breakdown.MOST_REPORTS + 3):
        breakdown._told.clear()
        try:
            fail(str(i))
        except ZeroDivisionError as error:
            assert breakdown.kept(type(error), error, error.__traceback__) is not None
    kept = sorted(place.glob("report-*.txt"))
    assert len(kept) == breakdown.MOST_REPORTS
    assert "nobody thought of 12" in kept[-1].read_text()
    (blocked := place.with_name("file")).write_text("")
    monkeypatch.setattr(breakdown, "folder", lambda: blocked)
    assert breakdown.kept(KeyError, KeyError("x"), None) is None
    assert breakdown.watch() is None


def test_a_crash_is_told_when_it_is_started_again(place: Path, window: MainWindow) -> None:
    crashes = (
        "import faulthandler, sys; from pathlib import Path; from keen_compass.app import breakdown; "
        "breakdown.folder = lambda: Path(sys.argv[1]); breakdown.watch(); faulthandler._sigsegv()"
    )
    ends = crashes.replace("faulthandler._sigsegv()", "breakdown.done()")
    assert subprocess.run([sys.executable, "-c", ends, str(place)], check=False).returncode == 0
    assert not list(place.glob("*.txt"))
    assert subprocess.run([sys.executable, "-c", crashes, str(place)], check=False).returncode < 0
    start._watch(window)
    assert "Keen Compass crashed last time" in shown(window)
    (report,) = place.glob("report-*.txt")
    assert "Segmentation fault" in report.read_text()
    click(window, "Close")
    start._watch(window)
    assert "crashed" not in shown(window)
    breakdown.done()
    assert not list(place.glob("running-*.txt"))


def test_who_ends_it_at_a_terminal_breaks_nothing(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    ended: list[bool] = []
    monkeypatch.setattr(QApplication, "quit", lambda: ended.append(True))
    start._said_not_raised(KeyboardInterrupt, KeyboardInterrupt(), None)
    assert ended
    assert not list(place.glob("report-*.txt"))


def test_a_log_that_cannot_be_written_is_refused_in_words(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (blocked := place.with_name("file")).write_text("")
    monkeypatch.setattr(breakdown, "folder", lambda: blocked)
    with pytest.raises(InputError, match="can't be written"):
        breakdown.log_to("info")
