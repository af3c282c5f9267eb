"""A shop in inches is shown no millimetres, and the other way round: every text that can be seen, painted ones too."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

import pytest
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget
from pytestqt.qtbot import QtBot

from driving import opened
from keen_compass.app.shots import VIEWS
from keen_compass.app.window import MainWindow
from keen_compass.shop.store import Shop
from looks import settle

# An amount, a slope or a feed in the wrong unit. A controller's number of steps per mm is its own, and so is what an
# instrument is graduated in, or a printed sheet.
WRONG = {
    "in": re.compile(r"\d ?mm\b|\bmm per m(in)?\b|\bmm/min\b|mm too |nominal [\d.]+ mm"),
    "mm": re.compile(r"\d in\b(?! )|\d in [lwt]|\bthou\b"),
}


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


@pytest.mark.parametrize("units", ["mm", "in"])
def test_one_unit_all_over(qtbot: QtBot, shop: Shop, units: str, monkeypatch: pytest.MonkeyPatch) -> None:
    for machine in shop.machines():
        shop.put_machine(replace(machine, units=units, controller_units=units))
    for instrument in shop.instruments():  # an instrument keeps its own unit, whatever the shop's
        shop.put_instrument(replace(instrument, unit=units))
    painted: list[str] = []
    paint = QPainter.drawText

    def seen(painter: QPainter, *given: object) -> object:
        painted.extend(g for g in given if isinstance(g, str))
        return paint(painter, *given)

    monkeypatch.setattr(QPainter, "drawText", seen)
    window: MainWindow = opened(qtbot, shop)
    names, wrong, count = given_names(shop), [], 0
    order = [view for view, _ in VIEWS]
    # The demo's prints are in mm as they are: only the other way round is there anything to be found.
    prints = slice(order.index("sheet-print"), order.index("state-other-piece") if units == "mm" else 0)
    for view, prepare in (v for v in VIEWS if v not in VIEWS[prints]):
        prepare(window)
        settle()
        painted.clear()
        window.grab()
        for text in (*texts_of(window.places.currentWidget()), *painted):
            bare = text
            for name in names:
                bare = bare.replace(name, "")
            count += 1
            if WRONG[units].search(bare):
                wrong.append(f"{view}: {text}")
    window._close_round()
    assert count > 1000
    assert not wrong, "\n".join(wrong)
