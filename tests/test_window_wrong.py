"""What is wrong: complaints pointed at by keyboard and mouse, causes ranked, a round begun, the logbook."""

from __future__ import annotations

from dataclasses import replace

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from driving import click, focus, press, shown
from keen_compass.app.trouble.page import TroublePage
from keen_compass.app.trouble.pictures import DRAWINGS
from keen_compass.app.window import MainWindow
from keen_compass.practice.playing import play
from keen_compass.procedures.complaints import SeenIn, complaints_on, diagnosed
from keen_compass.quantities.kinds import MachineKind
from keen_compass.rounds.trouble import diagnosis, still_open
from keen_compass.shop.logbook import Filter, entries
from keen_compass.words.complaints import LOOK, TOLD
from keen_compass.words.logbook import entry_words
from looks import check_looks, settle


def opened(window: MainWindow, machine: str) -> TroublePage:
    window.show_rose(machine)
    window.go_to("wrong")
    page = window.places.currentWidget()
    assert isinstance(page, TroublePage)
    assert window.place_shown() == "wrong"
    settle()
    return page


def test_each_complaint_is_drawn_and_told() -> None:
    assert set(DRAWINGS) == set(TOLD) == set(LOOK)


def test_a_machine_has_the_complaints_that_its_values_can_explain(window: MainWindow) -> None:
    router, plotter = (window.shop.machine(uid) for uid in ("heron", "kingfisher"))
    assert {"depth", "lost_steps", "shifted"} <= set(complaints_on(router))
    assert not {"bands", "drifts_along_print", "corners", "tools_miss"} & set(complaints_on(router))
    assert {"bands", "drifts_along_print", "tools_miss"} <= set(complaints_on(plotter))
    assert "depth" not in complaints_on(plotter)


def test_by_keyboard_from_a_complaint_to_the_round(window: MainWindow) -> None:
    page = opened(window, "kingfisher")
    assert "Point at what parts look like" in shown(page)
    while focus() != "Cut beside print or mark":
        press(Qt.Key.Key_Tab)
    press(Qt.Key.Key_Space)
    assert list(page.details) == ["beside_print"]
    words = shown(page)
    assert "Sensor X may explain" in words
    assert words.index("Sensor X may explain") < words.index("Pointer X may explain")  # it was found out in the demo
    assert LOOK["beside_print"] in words
    check_looks(window, (1280, 800))
    click(page, "Begin Pointer to tool")
    assert window.round_page is not None
    assert window.round_page.model.session.context.procedure.name == "pointer"


@pytest.mark.parametrize("units", ["mm", "in"])
def test_how_much_is_in_the_shops_unit_and_kept_in_the_logbook(window: MainWindow, units: str) -> None:
    window.shop.put_machine(replace(window.shop.machine("heron"), units=units))
    page = opened(window, "heron")
    QTest.mouseClick(page.tiles["outside_size"], Qt.MouseButton.LeftButton)
    details = page.details["outside_size"]
    settle()
    details.by.setFocus()
    press({"mm": "0.4", "in": "0.015"}[units], Qt.Key.Key_Tab)
    press({"mm": "300", "in": "12"}[units], Qt.Key.Key_Tab)
    (seen,) = page.seen()
    assert seen.by == pytest.approx({"mm": 0.4, "in": 0.381}[units])
    assert seen.nominal == pytest.approx({"mm": 300.0, "in": 304.8}[units])
    assert {"mm": " mm", "in": " thou"}[units] in shown(page)
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))
    details.by.setFocus()
    press("x", Qt.Key.Key_Tab)
    assert "is not known" in shown(page)
    details.by.setText("0.4")
    details.where.setCurrentIndex(details.where.findData("near-left"))
    click(page, "Save in the logbook")
    kept = [entry_words(e, window.shop.machine("heron")) for e in entries(window.shop, Filter(machine="heron"))]
    assert (
        kept[0]
        == {
            "mm": "Complaint: Parts off size, too large, near left, 0.40 mm on 300.00 mm",
            "in": "Complaint: Parts off size, too large, near left, 0.4000 in on 12.0000 in",
        }[units]
    )
    QTest.mouseClick(page.tiles["outside_size"], Qt.MouseButton.LeftButton)
    settle()
    assert not page.details
    assert "Point at what parts look like" in shown(page)


def test_what_was_found_lately_counts(window: MainWindow) -> None:
    """A value that was found well in tolerance explains less of a complaint than one that nobody ever measured."""
    shop, ember = window.shop, window.shop.machine("ember")
    assert ember.kind is MachineKind.PLASMA
    complaint = SeenIn("diagonals", None, 1000.0, 3.0)
    unknown = diagnosed(ember, [complaint], {}, [])
    known = diagnosis(shop, ember, [complaint])
    for found in (unknown, known):
        assert list(found.causes) == ["squareness"]
        assert sum(c.share for c in found.causes.values()) + found.unexplained == pytest.approx(1.0)
    before, after = (found.causes["squareness"] for found in (unknown, known))
    assert before.share > after.share + 0.1
    assert before.value > after.value + 0.3


def test_a_complaint_is_answered_by_the_round_that_puts_it_right(window: MainWindow) -> None:
    page = opened(window, "heron")
    click(page, TOLD["outside_size"].title)
    click(page, "Save in the logbook")
    heron = window.shop.machine("heron")
    assert [seen.what for _, seen in still_open(window.shop, heron)] == ["outside_size"]
    click(page, TOLD["outside_size"].title)
    assert "Not answered yet" in shown(page)
    window.shop.put_event("heron", "complaint", "as an earlier program wrote it")
    play(window.shop, heron, "rectangle")
    assert still_open(window.shop, heron) == []
    lines = [entry_words(e, heron) for e in entries(window.shop, Filter(machine="heron"))]
    assert "Complaint: Parts off size, too large" in lines
    assert "Answered: Parts off size; X steps and Y steps: out before, in now" in lines
    assert "as an earlier program wrote it" in lines
