"""Every view: a shop in inches is shown no millimetres, and the other way round; nothing that is written is cut, in
German and a small window neither. Painted texts, too.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QSettings
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from driving import opened
from keen_compass.app import shots
from keen_compass.app.start import application
from keen_compass.app.window import MainWindow
from keen_compass.practice.playing import cut, read_all
from keen_compass.quantities.catalogue import QUANTITIES, Lives
from keen_compass.shop.store import Shop
from keen_compass.words.consequences import HEADS
from looks import check_looks, is_cut, settle

# An amount, a slope or a feed in the wrong unit. A controller's number of steps per mm is its own, and so is what an
# instrument is graduated in, or a printed sheet.
WRONG = {
    "in": re.compile(r"\d ?mm\b|\bmm per m(in)?\b|\bmm/min\b|mm too |nominal [\d.]+ mm"),
    "mm": re.compile(r"\d in\b(?! )|\d in [lwt]|\bthou\b"),
}

ROUNDS = (
    ("heron", "backlash"), ("heron", "travel-run"), ("heron", "squareness"), ("heron", "home"), ("heron", "speed"),
    ("ember", "kerf-square"), ("swift", "pointer"), ("swift", "drag-blade"), ("kingfisher", "second-tool"),
)  # fmt: skip


def texts_of(page: QWidget) -> Iterator[str]:
    """What its widgets say, to eyes and to screen readers."""
    for widget in page.findChildren(QWidget):
        if widget.isVisible():
            yield widget.accessibleName()
            if isinstance(widget, (QLabel, QAbstractButton, QLineEdit)):
                yield widget.text()
            elif isinstance(widget, QComboBox):
                yield widget.currentText()


def given_names(shop: Shop) -> list[str]:
    """What someone called their things, units and all."""
    things = [t for m in shop.machines() for t in (*m.tools, m.stock, *shop.stock_at_hand(m)) if t is not None]
    names = [t.name for t in (*things, *shop.instruments())]
    return sorted(names, key=len, reverse=True)


@pytest.mark.parametrize(("units", "code", "size"), [("mm", "de", (1024, 700)), ("in", "en", (1280, 800))])
def test_one_unit_all_over_and_nothing_cut(
    qtbot: QtBot, tmp_path: Path, units: str, code: str, size: tuple[int, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Looked at as `--shots` writes each view."""
    painted: list[str] = []
    names: list[str] = []
    wrong: list[str] = []
    cut: list[str] = []
    count = 0
    paint, unpack, save = QPainter.drawText, shots.open_demo, shots._save

    def seen(painter: QPainter, *given: object) -> object:
        painted.extend(g for g in given if isinstance(g, str))
        if is_cut(painter, *given):
            cut.append(f"{given[-1]}, which is painted, is cut")
        return paint(painter, *given)

    def counted(folder: Path) -> Shop:
        shop = unpack(folder)
        for machine in shop.machines():
            shop.put_machine(replace(machine, units=units, controller_units=units))
        for instrument in shop.instruments():  # an instrument keeps its own unit, whatever the shop's
            shop.put_instrument(replace(instrument, unit=units))
        names.extend(given_names(shop))
        return shop

    def looked_at(window: MainWindow, file: Path) -> None:
        nonlocal count
        nonlocal cut
        painted.clear()
        before, cut = cut, []
        save(window, file)
        try:
            check_looks(window, size)
        except AssertionError as error:
            cut.append(str(error).partition("\n")[0])
        cut = [*before, *(f"{file.stem}: {words}" for words in dict.fromkeys(cut) if "–" not in words)]
        for text in (*texts_of(window.places.currentWidget()), *painted):
            bare = text
            for name in names:
                bare = bare.replace(name, "")
            count += 1
            if WRONG[units].search(bare) and file.stem != "state-empty-shop":
                wrong.append(f"{file.stem}: {text}")

    monkeypatch.setattr(QPainter, "drawText", seen)
    monkeypatch.setattr(shots, "open_demo", counted)
    monkeypatch.setattr(shots, "_save", looked_at)
    application("light", code)
    settings = Path(os.environ["XDG_CONFIG_HOME"])
    try:
        shots.take_shots(tmp_path, size)
    finally:
        application("light", "en")
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(settings))
    assert {f.stem for f in tmp_path.glob("*.png")} == {name for name, _ in shots.VIEWS} | {"state-empty-shop"}
    assert count > 1000
    assert not wrong, "\n".join(wrong)
    assert not cut, "\n".join(cut)


@pytest.mark.parametrize(("units", "kept"), [("in", "mm"), ("mm", "in")])
def test_an_answer_is_in_the_unit_of_its_number(shop: Shop, qtbot: QtBot, units: str, kept: str) -> None:
    """Where a controller counts in another unit than the shop; what is set by hand is in the shop's."""
    window = opened(qtbot, shop)
    for machine in shop.machines():
        shop.put_machine(replace(machine, units=units, controller_units=kept))
    answers = 0
    for uid, procedure in ROUNDS:
        window.show_rose(uid)
        window.begin(procedure)
        session = window.round_page.model.session
        cut(session)
        read_all(session)
        settle()
        for quantity, card in window.round_page.answer.cards.items():
            unit = session.context.machine.unit_of(quantity)
            assert unit == (kept if QUANTITIES[quantity].lives is Lives.NUMBER else "in")
            texts = [label.text() for label in card.findChildren(QLabel) if label.isVisible()]
            answers += any(head in text for text in texts for head in HEADS.values())
            for text in (*texts, card.accessibleName()):
                assert not WRONG[unit].search(text.replace("steps per mm", "")), (uid, quantity, text)
    assert answers >= len(ROUNDS)
