"""Languages: catalogues that are whole, numbers and days as one writes them there, a window that changes language."""

from __future__ import annotations

import ast
import io
import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from datetime import date
from pathlib import Path
from string import Formatter

import pytest
from babel.messages.catalog import Catalog
from babel.messages.mofile import read_mo
from babel.messages.pofile import read_po
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from driving import opened, shown, until
from keen_compass import language
from keen_compass.app import start
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError, LengthError
from keen_compass.formats.artwork import read_artwork
from keen_compass.language import LANGUAGES, dated, tr, tr_n, written
from keen_compass.quantities.lengths import parse_count, parse_length
from keen_compass.quantities.rates import FEEDS, parse_rate, show_rate
from keen_compass.shop.store import Shop
from keen_compass.words.manual import PAGES, topic
from keen_compass.words.say import PLAIN

sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import catalogues

OTHERS = [code for code in LANGUAGES if code != language.ENGLISH]


@pytest.fixture(autouse=True)
def english_again() -> Iterator[None]:
    yield
    language.speak(language.ENGLISH)


def catalogue(code: str) -> Catalog:
    file = language.CATALOGUES / code / "LC_MESSAGES" / "keen_compass.po"
    return read_po(io.BytesIO(file.read_bytes()), locale=code)


def pairs(code: str) -> Iterator[tuple[str, str]]:
    """Each message and its translation, plurals one by one."""
    for message in catalogue(code):
        if message.id and not message.context:
            one = isinstance(message.id, str)
            yield from zip(
                [message.id] if one else message.id, [message.string] if one else message.string, strict=True
            )


# Catalogues


@pytest.mark.parametrize("code", OTHERS)
def test_every_message_is_translated_and_nothing_else(code: str) -> None:
    here, there = ({(m.id, m.context) for m in c if m.id} for c in (catalogues.template(), catalogue(code)))
    assert here == there, "run tools/catalogues.py"
    assert not catalogues.missing_in(catalogue(code))


@pytest.mark.parametrize("code", OTHERS)
def test_what_is_shipped_is_what_was_translated(code: str) -> None:
    file = language.CATALOGUES / code / "LC_MESSAGES" / "keen_compass.mo"
    with file.open("rb") as opened_file:
        compiled = read_mo(opened_file)
    said = [
        {str(tuple(m.id) if isinstance(m.id, list) else m.id): [m.string] if isinstance(m.string, str) else [*m.string]
         for m in c if m.id and not m.context}
        for c in (compiled, catalogue(code))
    ]  # fmt: skip
    assert said[0] == said[1]


def places_in(text: str) -> list[tuple[str | None, str | None, str | None]]:
    return sorted((name, spec, conversion) for _, name, spec, conversion in Formatter().parse(text) if name is not None)


@pytest.mark.parametrize("code", OTHERS)
def test_translations_keep_their_places_their_edges_and_their_length(code: str) -> None:
    wrong = []
    for message, said in pairs(code):
        if "{" in message and "{" not in message.replace("{{", "") and '"' in message:
            continue  # an example in JSON
        try:
            same = places_in(message) == places_in(said)
        except ValueError:  # braces that are shown
            same = message.count("{") == said.count("{")
        edges = (message[: len(message) - len(message.lstrip())], message[len(message.rstrip()) :])
        kept = (said[: len(said) - len(said.lstrip())], said[len(said.rstrip()) :])
        if not same or edges != kept or len(said) > 2 * len(message) + 16:
            wrong.append(f"{message!r}: {said!r}")
    assert not wrong, "\n".join(wrong)


# The manual


@pytest.mark.parametrize("page", sorted(PAGES.glob("*/*.md")), ids=lambda p: f"{p.parent.name}-{p.stem}")
def test_a_page_in_another_language_has_all_that_the_english_one_has(page: Path) -> None:
    parts = [re.findall(r"^(#+|\d+\.|-|\||!|    )|\(([\w-]+\.(?:png|html))\)", text, re.MULTILINE)
             for text in (page.read_text("utf-8"), (PAGES / page.name).read_text("utf-8"))]  # fmt: skip
    assert parts[0] == parts[1]
    english = topic(page.stem)
    language.speak(page.parent.name)
    assert (topic(page.stem).code, english.code) == (page.parent.name, "en")


@pytest.mark.parametrize("code", [code for code in LANGUAGES if code != language.ENGLISH])
def test_the_whole_manual_is_translated(code: str) -> None:
    assert {p.name for p in (PAGES / code).glob("*.md")} == {p.name for p in PAGES.glob("*.md")}


# Everything that is said is a message

SENTENCE = re.compile(r"\b(?:[A-Z]?[a-z’']{2,}|[A-Z][a-z’']+) [a-z’']{2,}")
SAYS = ("app", "cli", "reports", "words")
OF_NO_USE = (
    "shots.py",
    "shots_sheets.py",
    "breakdown.py",
)  # the demo's play, and reports for whoever mends the program
CALLS = {*catalogues.CALLS, "setStyleSheet", "note_act", "begin", "show_rose", "compile", "put_event", "remembered"}


def said_raw(node: ast.AST) -> Iterator[tuple[int, str]]:
    """Texts that nobody translates: outside the calls that do, tables of messages and docstrings."""
    if isinstance(node, ast.Call):
        called = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        if called in CALLS:
            for keyword in node.keywords:
                yield from said_raw(keyword.value)
            return
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return
    if isinstance(node, ast.Compare):
        return
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.lineno, node.value
    for child in ast.iter_child_nodes(node):
        yield from said_raw(child)


@pytest.mark.parametrize("room", SAYS)
def test_no_sentence_is_said_past_the_catalogue(room: str) -> None:
    found = []
    for file in sorted((catalogues.SOURCE / room).rglob("*.py")):
        if file.name in OF_NO_USE or "words/texts" in file.as_posix() or file.parent.name == "manual":
            continue
        for line, text in said_raw(ast.parse(file.read_text(encoding="utf-8"))):
            if SENTENCE.search(text) and "{" not in text and ";" not in text and "<" not in text:
                found.append(f"{room}/{file.name}:{line} {text!r}")
    assert not found, "\n".join(found)


def raised_raw(tree: ast.AST) -> Iterator[tuple[int, str]]:
    """Sentences in errors that nobody translates."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and ast.unparse(node.func).endswith(("Error", "Wrong")):
            for given in node.args[:1]:
                yield from said_raw(given)


def test_no_error_is_said_past_the_catalogue() -> None:
    found = [
        f"{file.relative_to(catalogues.SOURCE)}:{line} {text!r}"
        for file in sorted(catalogues.SOURCE.rglob("*.py"))
        if file.name not in OF_NO_USE and "standin" not in file.parts
        for line, text in raised_raw(ast.parse(file.read_text(encoding="utf-8")))
        if SENTENCE.search(text)
    ]
    assert not found, "\n".join(found)


def at_import(tree: ast.AST) -> Iterator[ast.Call]:
    """Calls that are made once, when a module is loaded."""
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, (ast.FunctionDef, ast.Lambda)):
            continue
        if isinstance(node, ast.Call):
            yield node
        yield from at_import(node)


def test_nothing_is_translated_before_it_is_said() -> None:
    found = [
        f"{file.name}:{call.lineno}"
        for file in sorted(catalogues.SOURCE.rglob("*.py"))
        for call in at_import(ast.parse(file.read_text(encoding="utf-8")))
        if isinstance(call.func, ast.Name) and call.func.id in ("tr", "tr_n", "dated")
    ]
    assert not found


def test_a_process_apart_speaks_as_we_do(tmp_path: Path) -> None:
    said = []
    for code in ("en", "de", "en"):
        language.speak(code)
        with pytest.raises(InputError) as error:
            read_artwork(
                b"<svg viewBox='0 0 0 0' width='1mm' height='1mm' xmlns='http://www.w3.org/2000/svg'/>", "a.svg"
            )
        said.append(str(error.value))
    assert said[0] == said[2] != said[1]


# Numbers and days


def test_numbers_and_days_as_one_writes_them_there() -> None:
    day = date(2026, 3, 5)
    assert (written("−1,234.5"), dated(day, "%-d %B %Y"), dated(day, "%a %-d")) == ("−1,234.5", "5 March 2026", "Thu 5")
    assert tr("Expected uncertainty ± {U:.{two_significant}f}", U=0.125, two_significant=3).endswith("0.125")
    language.speak("de")
    assert (written("−1,234.5"), dated(day, "%-d %B %Y"), dated(day, "%a %-d")) == ("−1.234,5", "5. März 2026", "Do 5.")
    assert tr("Expected uncertainty ± {U:.{two_significant}f}", U=0.125, two_significant=3).endswith("0,125")
    assert [tr_n("{n} round", "{n} rounds", n) for n in (0, 1, 2)] == ["0 Durchgänge", "1 Durchgang", "2 Durchgänge"]


@pytest.mark.parametrize("typed", ["400,31", "400.31", "400,31 mm", "40,031 cm", "22 5/8 in"])
def test_what_is_typed_is_understood_in_either(typed: str) -> None:
    lengths = []
    for code in LANGUAGES:
        language.speak(code)
        try:
            lengths.append(parse_length(typed).mm)
        except LengthError:  # in English a comma before three digits may stand for thousands, so it is asked
            assert (code, typed) == ("en", "40,031 cm")
    assert len(set(lengths)) == 1


def test_a_comma_before_three_digits_is_decimals_where_one_writes_them_so() -> None:
    with pytest.raises(LengthError, match=r"1\.234 or 1234"):
        parse_length("1,234")
    language.speak("de")
    assert parse_length("1,234").mm == 1.234
    with pytest.raises(LengthError):
        parse_length("1.234,5")  # more than one: nobody types thousands with a caliper in the other hand


def test_the_language_is_asked_as_gettext_asks(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in language.ASKED_BY:
        monkeypatch.delenv(name, raising=False)
    assert language.asked_for() == "en"
    for name, said, code in (
        ("LANG", "de_AT.UTF-8", "de"),
        ("LC_MESSAGES", "fr_FR", "en"),
        ("LC_ALL", "C", "en"),
        ("LANGUAGE", "fr:de:en", "de"),
    ):
        monkeypatch.setenv(name, said)
        assert language.asked_for() == code
    language.speak("xx")
    assert language.language() == "en"


# The command line


def test_by_command_words_change_and_numbers_and_files_do_not(tmp_path: Path) -> None:
    answers, files = {}, {}
    for code in LANGUAGES:
        file = tmp_path / f"{code}.nc"

        def run(*words: str, given: str = "", env: str = code) -> str:
            done = subprocess.run(
                [sys.executable, "-m", "keen_compass", *words],
                input=given, capture_output=True, text=True, env={**os.environ, "LANGUAGE": env}, check=False,
            )  # fmt: skip
            return done.stdout or done.stderr

        example = run("solve", "--example", "bed")
        answers[code] = json.loads(run("solve", "-", given=example))
        run("piece", "travel-run", "--set", "axis=x", "-o", str(file))
        files[code] = file.read_text("ascii")
        answers[code]["missing"] = run("solve", str(tmp_path / "none.json"))

    def numbers(of: object) -> list[object]:
        if isinstance(of, dict):
            return [n for key in sorted(of) for n in numbers(of[key])]
        if isinstance(of, list):
            return [n for one in of for n in numbers(one)]
        return [] if isinstance(of, str) else [of]

    assert numbers(answers["en"]) == numbers(answers["de"])
    assert "can't be read" in answers["en"]["missing"]
    assert "nicht lesbar" in answers["de"]["missing"]
    assert run("--help", env="de").startswith("Aufruf: ")
    assert "unbekannte Argumente: --no" in run("solve", "--no", env="de")
    moves = {code: [line for line in text.splitlines() if not line.startswith("(")] for code, text in files.items()}
    assert moves["en"] == moves["de"]
    assert files["en"] != files["de"]  # their remarks are for people


# The window


def spoken_menu(window: MainWindow, name: str) -> QAction:
    menus = [m for m in window.menuBar().findChildren(QMenu) if any(a.text() == name for a in m.actions())]
    return next(a for a in menus[-1].actions() if a.text() == name)


def test_a_window_changes_its_language_with_a_round_open(
    qtbot: QtBot, shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(start, "_windows", [])
    window = opened(qtbot, shop)
    window.show_rose("heron")
    window.begin("kerf-square", "kerf")
    session = window.round_page.model.session  # type: ignore[union-attr]
    assert "Was passen muss" not in shown(window.round_page)
    spoken_menu(window, "Deutsch").trigger()
    until(lambda: not window.isVisible())
    other = start._windows[-1]
    qtbot.addWidget(other)
    assert other.isVisible()
    assert other.shop is shop
    assert other.round_page.model.session is session  # type: ignore[union-attr]  # and what can be undone in it
    assert "Was passen muss" in shown(other.round_page)
    assert other.menuBar().actions()[0].text() == "&Werkstatt"
    assert shop.machines()  # the shop is open still
    press_cancel = QApplication.translate("QPlatformTheme", "Cancel")
    assert press_cancel == "Abbrechen"  # Qt’s own dialogs, too
    spoken_menu(other, "English").trigger()
    until(lambda: not other.isVisible())
    again = start._windows[-1]
    qtbot.addWidget(again)
    assert "What must fit" in shown(again.round_page)
    again.close()


def test_counts_feeds_and_turns_are_written_and_read_as_in_the_language() -> None:
    assert [parse_count(t) for t in ("1,240", "1 240", "1,240.5", "12.4", "12,4")] == [1240, 1240, 1240.5, 12.4, 12.4]
    with pytest.raises(LengthError, match="1800"):
        parse_rate("1,800", FEEDS, "mm")
    assert PLAIN.turning(-0.5, 2, "°") == "↻ 0.50°"
    language.speak("de")
    assert [parse_count(t) for t in ("1.240", "1.240,5", "12,4", "12.4")] == [1240, 1240.5, 12.4, 12.4]
    assert parse_rate("1,800 m/min", FEEDS, "mm") == 1800
    assert show_rate(25.4 * 70.9, FEEDS, "in") == "70,9 in/min"
    assert PLAIN.turning(0.5, 2, "°") == "↺ 0,50°"
    assert parse_rate(show_rate(25.4 * 70.9, FEEDS, "in"), FEEDS, "in") == pytest.approx(25.4 * 70.9)
