"""Every view in a small window, in German and in a language that nobody speaks: a shop in inches is shown no
millimetres, and the other way round; everything is translated, nothing that is written is cut. Painted texts, too.
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

import pseudo
from driving import opened
from keen_compass.app import shots
from keen_compass.app.start import application
from keen_compass.app.window import MainWindow
from keen_compass.practice.playing import cut, read_all
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.shop.store import Shop
from keen_compass.words.consequences import HEADS
from looks import check_looks, is_cut, settle

# An amount, a slope or a feed in the wrong unit. A controller's number of steps per mm is its own, and so is what an
# instrument is graduated in, or a printed sheet.
WRONG = {
    "in": re.compile(r"\d ?mm\b|\bmm per m(in)?\b|\bmm/min\b|mm too |nominal [\d.]+ mm"),
    "mm": re.compile(r"\d in\b(?! )|\d in [lwt]|\bthou\b"),
}

SIZE = (1024, 700)
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
    machines = shop.machines()
    things = [t for m in machines for t in (*m.tools, m.stock, *shop.stock_at_hand(m)) if t is not None]
    names = [t.name for t in (*things, *shop.instruments(), *machines)]
    return sorted(names, key=len, reverse=True)


def count_in(shop: Shop, units: str) -> None:
    """All its machines and instruments do: an instrument keeps its own unit, whatever the shop's.

    The demo's settings files are in mm: what they hold of lengths stands in none then.
    """
    for machine in shop.machines():
        spots = {q: s for q, s in machine.spots.items() if units == "mm" or QUANTITIES[q].family.name == "steps"}
        shop.put_machine(replace(machine, units=units, controller_units=units, spots=spots))
    for instrument in shop.instruments():
        shop.put_instrument(replace(instrument, unit=units))


class Views:
    """Looked at one after the other, as `--shots` writes them, in one language; what is wrong with each."""

    def __init__(self, units: str, code: str) -> None:
        self.units, self.code, self.count = units, code, 0
        self.wrong: list[str] = []  # in another unit
        self.foreign: list[str] = []  # not translated
        self.cut: list[str] = []
        self._painted: list[str] = []
        self._cut_paint: list[str] = []
        self._paint, self._save, self._unpack = QPainter.drawText, shots._save, shots.open_demo

    def paint(self, painter: QPainter, *given: object) -> object:
        """Instead of QPainter.drawText."""
        self._painted.extend(g for g in given if isinstance(g, str))
        if is_cut(painter, *given):
            self._cut_paint.append(f"{given[-1]}, which is painted, is cut")
        return self._paint(painter, *given)

    def unpack(self, folder: Path) -> Shop:
        """The demo, counted in those units."""
        shop = self._unpack(folder)
        count_in(shop, self.units)
        return shop

    def look(self, window: MainWindow, file: Path) -> None:
        """Instead of writing the picture alone."""
        self._painted.clear()
        self._save(window, file)
        found = self._cut_paint[:]
        self._cut_paint.clear()
        try:
            check_looks(window, SIZE)
        except AssertionError as error:
            found.append(str(error).partition("\n")[0])
        self.cut += [f"{file.stem}: {words}" for words in dict.fromkeys(found) if "–" not in words]
        texts = [*texts_of(window.places.currentWidget()), *self._painted]
        self.count += len(texts)
        bare, names = texts, given_names(window.shop)
        if self.code == pseudo.CODE:
            self.foreign += [f"{file.stem}: {text}" for text in pseudo.untranslated(texts, window.shop, names)]
        for name in names:
            bare = [text.replace(name, "") for text in bare]
        if file.stem != "state-empty-shop":
            self.wrong += [f"{file.stem}: {text}" for text in bare if WRONG[self.units].search(text)]


@pytest.mark.parametrize(("units", "code"), [("mm", "de"), ("in", pseudo.CODE)])
def test_one_unit_all_over_and_nothing_cut(
    qtbot: QtBot, tmp_path: Path, units: str, code: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    views = Views(units, code)
    monkeypatch.setattr(QPainter, "drawText", lambda *given: views.paint(*given))  # noqa: PLW0108 – a method takes no painter
    monkeypatch.setattr(shots, "open_demo", views.unpack)
    monkeypatch.setattr(shots, "_save", views.look)
    pseudo.spoken(monkeypatch)
    application("light", code)
    settings = Path(os.environ["XDG_CONFIG_HOME"])
    try:
        shots.take_shots(tmp_path, SIZE)
    finally:
        application("light", "en")
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(settings))
    assert {f.stem for f in tmp_path.glob("*.png")} == {name for name, _ in shots.VIEWS} | {"state-empty-shop"}
    assert views.count > 1000
    for found in (views.wrong, views.foreign, views.cut):
        assert not found, "\n".join(found)


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
        if procedure == "drag-blade":  # what is picked from stands beside the answer
            assert window.round_page.measure.surface.as_shown.units == kept
        for quantity, card in window.round_page.answer.cards.items():
            unit = session.context.machine.unit_of(quantity)
            assert unit == (kept if QUANTITIES[quantity].lives is Lives.NUMBER else "in")
            texts = [label.text() for label in card.findChildren(QLabel) if label.isVisible()]
            answers += any(head in text for text in texts for head in HEADS.values())
            for text in (*texts, card.accessibleName()):
                assert not WRONG[unit].search(text.replace("steps per mm", "")), (uid, quantity, text)
    assert answers >= len(ROUNDS)
