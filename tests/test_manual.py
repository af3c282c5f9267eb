"""The manual: every screen and procedure has its page, in the window and as a folder of HTML."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from driving import press
from keen_compass.app import theme as th
from keen_compass.app.manual import ManualWindow, show_manual
from keen_compass.app.window import MainWindow
from keen_compass.cli import main, parser
from keen_compass.cli.manual import described
from keen_compass.language import LANGUAGES, speak, tr
from keen_compass.procedures import REGISTRY
from keen_compass.words.manual import PAGES, PICTURES, found, pictures, topic, topics
from keen_compass.words.procedures import about, title

ARITHMETIC = Path(__file__).parent.parent / "docs" / "arithmetic.md"
PLACES = (
    "rose",
    "make",
    "measure",
    "correct",
    "confirm",
    "logbook",
    "instruments",
    "machine",
    "stock",
    "together",
    "fit",
    "glance",
    "wrong",
)


def test_each_page_stands_in_one_chapter() -> None:
    names = [t.name for t in topics()]
    assert sorted(names) == sorted(p.stem for p in PAGES.glob("*.md"))
    assert {*REGISTRY, *PLACES, "controller"} <= set(names)


@pytest.mark.parametrize("procedure", list(REGISTRY))
def test_a_procedure_is_told_whole(procedure: str) -> None:
    page = topic(procedure)
    assert page.title == title(procedure)
    headings = re.findall(r"^## (.+)$", page.text, re.MULTILINE)
    assert headings == [
        "You need",
        "Rule these out first",
        "Steps",
        "Reading the result",
        "What it can’t see",
        "Formula",
    ]
    assert all(f"- {cause}" in page.text for cause in about(procedure).lookalikes)


@pytest.mark.parametrize("procedure", list(REGISTRY))
def test_a_procedure_is_told_whole_in_german(procedure: str) -> None:
    speak("de")
    try:
        page = topic(procedure)
        known = [tr(said) for said in (*about(procedure).needs, *about(procedure).lookalikes)]
        assert page.title == title(procedure)
    finally:
        speak("en")
    headings = re.findall(r"^## (.+)$", page.text, re.MULTILINE)
    assert headings == [
        "Nötig", "Das zuerst ausschließen", "Schritte", "Ergebnis lesen", "Was es nicht sehen kann", "Formel"
    ]  # fmt: skip
    assert all(f"- {said}" in page.text for said in known)
    pictured, in_english = (re.findall(r"\]\((\S+\.png)\)", t.text) for t in (page, topic(procedure)))
    assert pictured == in_english


def test_a_derivation_is_where_the_page_says() -> None:
    sections = set(re.findall(r"^## (\d+)\. ", ARITHMETIC.read_text(encoding="utf-8"), re.MULTILINE))
    for page in topics():
        for numbers in re.findall(r"arithmetic\.md, sections? ([\d and]+)", page.text):
            assert set(re.findall(r"\d+", numbers)) <= sections, page.name


@pytest.mark.parametrize("code", LANGUAGES)
def test_the_command_line_is_described_as_it_is(code: str) -> None:
    """Run tools/make-manual where this fails."""
    speak(code)
    assert topic("command-line").text == described(parser())


def test_each_picture_is_there_and_none_besides() -> None:
    assert sorted(pictures()) == sorted(p.name for p in PICTURES.glob("*.png"))


class _Named(HTMLParser):
    """Everything that a page points to."""

    def __init__(self) -> None:
        super().__init__()
        self.names: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.names += [str(v) for k, v in attrs if k in ("href", "src")]


def test_the_folder_holds_all_that_it_points_to(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["manual", str(tmp_path / "manual")]) == 0
    index = Path(capsys.readouterr().out.strip())
    assert index.name == "index.html" and index.is_file()
    for page in topics():
        reader = _Named()
        reader.feed((index.parent / f"{page.name}.html").read_text(encoding="utf-8"))
        assert len(reader.names) >= len(topics())
        assert all((index.parent / name).is_file() for name in reader.names), page.name


def test_a_folder_that_cannot_be_made_is_said(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "file").write_text("")
    assert main(["manual", str(tmp_path / "file" / "manual")]) == 2
    assert str(tmp_path / "file") in capsys.readouterr().err


def test_search_finds_all_words_and_titles_first() -> None:
    assert found("BACKLASH")[0].name == "backlash"
    assert {"kerf-square", "kerf-ladder", "bevel"} <= {t.name for t in found("dross")}
    assert found("dross zzz") == ()


def test_it_is_searched_and_followed_beside_the_work(qtbot: QtBot, window: MainWindow) -> None:
    press(Qt.Key.Key_F1, modifier=Qt.KeyboardModifier.ShiftModifier)
    manual = window.findChild(ManualWindow)
    assert manual is not None and manual.isVisible() and not manual.isModal()
    assert manual.page.toPlainText().startswith("Keys")
    QTest.keyClicks(QApplication.focusWidget(), "diagonal")
    assert manual.list.item(0).text() == "Squareness"
    press(Qt.Key.Key_Return)
    assert manual.page.toPlainText().startswith("Squareness")
    assert manual.page.textCursor().selectedText() == "diagonal"
    QTest.keyClicks(QApplication.focusWidget(), "zzz")
    assert manual.list.item(0).text() == "Nothing found"
    manual.page.anchorClicked.emit(QUrl("bed.html"))
    assert manual.page.toPlainText().startswith("Bed and head") and not manual.search.text()
    assert manual.list.currentItem().text() == "Bed and head"
    press(Qt.Key.Key_Down)
    press(Qt.Key.Key_Down)
    assert manual.page.toPlainText().startswith("Fastest feed")
    assert show_manual(window, "rose") is manual
    press(Qt.Key.Key_Escape)
    assert not manual.isVisible()


def test_its_colours_follow_the_theme(qtbot: QtBot, window: MainWindow) -> None:
    manual = show_manual(window, "backlash")
    window.use_theme(th.DARK)
    QApplication.processEvents()
    assert th.DARK.ink in manual.page.toHtml()
    manual.close()
