"""Rounds on plotters, and the states that are easily forgotten: the real window, real events."""

from __future__ import annotations

import gc
import threading
import weakref
from pathlib import Path

import pytest
from PySide6.QtCore import QObject, QSettings, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton
from pytestqt.qtbot import QtBot

from driving import focus, press, shown, states
from keen_compass import cli
from keen_compass.app.garbage import collect_between_events
from keen_compass.app.start import _windows, application, show_window
from keen_compass.app.window import MainWindow
from keen_compass.machines.profile import Machine
from keen_compass.practice import stand_in
from keen_compass.practice.playing import read_all
from keen_compass.procedures.stages import Step
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from looks import check_looks, settle


def begin(window: MainWindow, machine: str, instrument: str = "") -> RoundSession:
    window.show_rose(machine)
    window.begin("rectangle")
    session: RoundSession = window.round_page.model.session
    if instrument:
        session.making.choose(instrument=instrument)
        session.making.choose(size=session.making.proposed_size())
    QApplication.processEvents()
    return session


def test_a_round_on_the_roll_in_fractions_by_keyboard(window: MainWindow, tmp_path: Path) -> None:
    session = begin(window, "swift", "rule-60in")
    page = window.round_page
    assert " in" in page.make._size.text()
    page.make.file.setText(str(tmp_path / "swift.plt"))
    page.make.write.setFocus()
    press(Qt.Key.Key_Return)
    assert (tmp_path / "swift.plt").read_text().startswith("IN;")
    assert "Written" in shown(page.make)
    for _ in range(2):
        page.make.cut.setFocus()
        press(Qt.Key.Key_Return)
        piece = session.context.piece
        assert piece is not None
        assert focus() == "Number on the piece"
        press(str(piece.number), Qt.Key.Key_Return)
        for _ in range(12):
            reading = stand_in.shows(session) or ""
            press(reading, Qt.Key.Key_Return)
        assert all(len(c.readings) == 3 for c in session.measuring.callouts())
        assert "A foot comes out" in shown(page.answer)
        assert {r.reading.unit for c in session.measuring.callouts() for r in c.readings} == {"in"}
        if session.step is Step.CONFIRM or not session.may_not_sign():
            break
        press(Qt.Key.Key_Return)
        for finding in session.measuring.findings():
            if session.correcting.enters(finding):
                press(session.correcting.proposed(finding), Qt.Key.Key_Return)
        if session.making.refusal():
            session.making.new_sheet()
        press(Qt.Key.Key_Return)
    if session.needs_reason():
        press(Qt.Key.Key_Return)
        press("Finer than the rule", Qt.Key.Key_Return)
    elif session.step is Step.CONFIRM:
        press(Qt.Key.Key_Return)
    else:
        press(Qt.Key.Key_Return)  # everything in at once: nothing to correct
        press(Qt.Key.Key_Return)
    assert window.places.currentWidget() is window.rose_page
    assert set(states(window.shop, "swift")) <= {State.IN, State.CANNOT_TELL}


def test_units_can_be_switched_in_mid_round(window: MainWindow) -> None:
    session = begin(window, "heron")
    stand_in.make(session)
    session.after_making()
    read_all(session, 5)
    before = [f.error for f in session.measuring.findings()]
    piece = session.context.piece
    assert piece is not None
    typed = [r.text for r in window.shop.readings(piece.id)]
    heron = window.shop.machine("heron")
    window.shop.put_machine(Machine.from_json(heron.to_json() | {"units": "in"}))
    window.back()
    session = begin(window, "heron")
    assert [f.error for f in session.measuring.findings()] == before
    assert [r.text for r in window.shop.readings(piece.id)] == typed
    assert "A foot comes out" in shown(window.round_page.answer)
    assert " in · 6 mm cutter" in window.round_page._subtitle.accessibleName()


def test_without_a_port_the_line_is_copied_and_the_answer_typed(window: MainWindow) -> None:
    window.shop.put_stand_in("kingfisher", {})
    session = begin(window, "kingfisher", "caliper-600")
    page = window.round_page
    assert not page.make.cut.isVisible()
    session.making.new_sheet()
    for _ in range(2):  # its file was not written here: it is asked once
        QTest.mouseClick(page.make.is_cut, Qt.MouseButton.LeftButton)
    press(str(session.context.piece.number), Qt.Key.Key_Return)  # type: ignore[union-attr]
    shape = session.measuring.shape()
    for _ in range(12):
        press(f"{shape.nominal(session.measuring.current() or '') * 1.004:.2f}", Qt.Key.Key_Return)
    press(Qt.Key.Key_Return)
    card = page.correct.cards["x_steps"]
    assert not card.send.isVisible()
    QTest.mouseClick(card.copy, Qt.MouseButton.LeftButton)
    finding = session.measuring.findings()[0]
    assert QGuiApplication.clipboard().text() == session.correcting.line(finding)
    assert session.context.machine.form is ResolutionForm.PAIR
    card.shows.setFocus()
    press("nonsense", Qt.Key.Key_Return)
    assert "Type the number that the controller shows" in shown(card)
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press(session.correcting.proposed(finding), Qt.Key.Key_Return)
    assert "The controller holds 100 for" in shown(card)


def test_a_full_bed_offers_a_new_sheet(window: MainWindow) -> None:
    session = begin(window, "heron")
    while not session.making.refusal():
        session.making.made()
    session.go(Step.MAKE)
    make = window.round_page.make
    assert "load a new sheet" in shown(make)
    assert not make.cut.isEnabled()
    QTest.mouseClick(make.sheet, Qt.MouseButton.LeftButton)
    assert make.cut.isEnabled()
    assert "No free place" not in shown(make)


def test_another_instrument_in_mid_piece_is_refused_beside_it(window: MainWindow) -> None:
    session = begin(window, "heron")
    stand_in.make(session)
    session.after_making()
    read_all(session, 2)
    session.go(Step.MAKE)
    combo = window.round_page.make.instrument
    combo.setFocus()
    press(Qt.Key.Key_Down)
    assert "another instrument" in shown(window.round_page.make)
    assert session.context.choices.instrument == "caliper-600"


def test_an_instrument_whose_check_is_overdue_is_said(window: MainWindow) -> None:
    from dataclasses import replace
    from datetime import date

    caliper = window.shop.instruments()[0]
    window.shop.put_instrument(replace(caliper, due=date(2020, 1, 1)))
    session = begin(window, "heron")
    stand_in.make(session)
    session.after_making()
    read_all(session, 3)
    assert "was due on 1 Jan 2020" in shown(window.round_page.answer)


def test_cannot_tell_is_signed_with_a_reason_in_the_page(window: MainWindow) -> None:
    heron = window.shop.machine("heron")
    window.shop.put_machine(Machine.from_json(heron.to_json() | {"tolerances": {"x_steps": 0.84, "y_steps": 0.76}}))
    session = begin(window, "heron")
    stand_in.make(session)
    session.after_making()
    read_all(session)
    assert Verdict.CANNOT_TELL in {f.verdict for f in session.measuring.findings()}
    session.go(Step.CORRECT)
    for finding in session.measuring.findings():
        if session.correcting.enters(finding):
            session.correcting.decide(finding.quantity, False)
    page = window.round_page
    QApplication.processEvents()
    assert "Nothing to enter" in page.correct.onward.text()
    page.correct.onward.setFocus()
    press(Qt.Key.Key_Return)
    assert page.reason.isVisible()
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    press("Good enough for the garden gate", Qt.Key.Key_Return)
    assert window.places.currentWidget() is window.rose_page
    assert "Good enough for the garden gate" in shown(window.rose_page)


def test_the_windows_place_is_remembered(qtbot: QtBot, shop: Shop) -> None:
    application("light")
    first = show_window(shop, "Lantern Quay")
    first.resize(1000, 700)  # the offscreen platform's screen is no larger than 800 × 800
    first.close()
    assert QSettings().value("window") is not None
    again = show_window(Shop(shop.file), "Lantern Quay")
    assert (again.width(), again.height()) == (1000, 700)
    again.close()
    _windows.clear()
    QSettings().remove("window")


def test_a_file_argument_opens_that_shop(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    seen = []
    monkeypatch.setattr("keen_compass.app.start.start", lambda **options: seen.append(options["shop_file"]) or 0)
    monkeypatch.setenv("QT_QPA_PLATFORM", "offscreen")
    assert cli.main([str(tmp_path / "quay.kcshop")]) == 0
    assert cli.main(["--shop", str(tmp_path / "other.kcshop")]) == 0
    assert seen == [tmp_path / "quay.kcshop", tmp_path / "other.kcshop"]


def test_a_damaged_shop_on_the_command_line_is_one_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "x.kcshop").write_text("nothing like it" * 20)
    assert cli.main(["--shop", str(tmp_path / "x.kcshop")]) == 2
    said = capsys.readouterr().err
    assert "not a shop file" in said
    assert said.count("\n") == 1


def test_what_nobody_has_any_more_ends_in_the_windows_thread_only(qtbot: QtBot) -> None:
    class Closed:
        def __init__(self) -> None:
            self.itself = self
            self.button = QPushButton(clicked=self.pressed)

        def pressed(self) -> None: ...

    kept: list[list[int]] = []
    ended: list[int] = []
    parent = QObject()
    collect_between_events(parent)
    try:
        weakref.finalize(Closed(), lambda: ended.append(threading.get_ident()))
        other = threading.Thread(target=lambda: kept.extend([i] for i in range(50_000)))
        other.start()
        other.join()
        assert not ended
        qtbot.waitUntil(lambda: len(ended) == 1)
        assert ended == [threading.get_ident()]
    finally:
        gc.unfreeze()
        parent.deleteLater()
