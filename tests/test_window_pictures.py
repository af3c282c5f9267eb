"""Sheets read from pictures in the real window: practice takes them, a file is named, another sheet is refused."""

from __future__ import annotations

import math
import os
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from driving import click, focus, press, shown
from keen_compass.app.window import MainWindow
from keen_compass.practice import paper as practice
from keen_compass.practice import stand_in
from keen_compass.practice.playing import correct_all, cut
from keen_compass.procedures.stages import Step
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.kept import PICTURE
from keen_compass.shop.marks import SheetSeen
from looks import check_looks, settle
from test_window_sheets import begin, page_of, printed_and_loaded

RETURN = Qt.Key.Key_Return
CONTROL = Qt.KeyboardModifier.ControlModifier


def drawn_sheet(window: MainWindow, session: RoundSession) -> None:
    """From the printer as far as what is drawn, by keyboard."""
    printed_and_loaded(window, practice.shows_bars(session) or ("", ""))
    for _ in session.making.sheets.marks:
        press(practice.shows_mark(session) or "", RETURN)
    press(RETURN)
    assert focus() == "Practice drawing"
    press(RETURN)
    settle()


def by_picture(window: MainWindow) -> int:
    """Everything that the sheet shows, taken from a picture; how many acts that took."""
    page = page_of(window)
    click(page, "Take a practice picture")
    settle()
    assert focus() == "Use these"
    press(RETURN)
    settle()
    return 2


def photo_of(session: RoundSession) -> bytes:
    """The same as a file."""
    take = stand_in.photo(session)
    assert take is not None
    return take()


def stand_in_reads(session: RoundSession, measurand: str) -> str | None:
    """What the round’s instrument shows of it."""
    wanted = next(m for m in session.measuring.measurands() if m.name == measurand)
    return stand_in.reads(session, wanted, 0)


def really_off(session: RoundSession, head: str) -> list[float]:
    """How far what is held is off what is so, mm, both ways."""
    truth = session.context.shop.stand_in(session.context.kept.machine)
    held = session.context.values()
    assert truth is not None
    return [held[f"{head}_{a}"].base - truth["heads"][head][k] for k, a in enumerate("xy")]  # type: ignore[union-attr]


def test_a_pointer_is_put_right_by_pictures_alone(window: MainWindow, tmp_path: Path) -> None:
    session = begin(window, "kingfisher", quantity="sensor_x")
    drawn_sheet(window, session)
    page = page_of(window)
    check_looks(window, (1280, 800))
    if folder := os.environ.get("KEEN_PICTURES"):
        window.grab().save(f"{folder}/bar.png")
        window.resize(1024, 700)
        settle()
        window.grab().save(f"{folder}/bar-small.png")
        window.resize(1280, 800)
    click(page, "Take a practice picture")
    settle()
    panel = page.measure.seen
    assert focus() == "Use these"
    assert len(panel.ticks) == 5
    assert not page.measure.surface.isVisibleTo(page)
    check_looks(window, (1280, 800))
    if folder := os.environ.get("KEEN_PICTURES"):
        window.grab().save(f"{folder}/seen.png")
        window.resize(1024, 700)
        settle()
        window.grab().save(f"{folder}/seen-small.png")
        check_looks(window, (1024, 700))
    panel.ticks[2].setFocus()
    press(Qt.Key.Key_Space)  # it is read by hand
    click(page, "Use these")
    readings = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert {r.measurand for r in readings} == {f"t{i}_{a}" for i in (1, 3, 4, 5) for a in "xy"}
    assert {r.instrument for r in readings} == {PICTURE}
    seen = session.context.mark(SheetSeen, session.context.piece.id)  # type: ignore[union-attr]
    assert seen is not None
    assert session.context.shop.blob(seen.blob)
    assert session.measuring.current() == "t2_x"
    case = session.measuring.case_of(session.context.piece)  # type: ignore[arg-type]
    assert case is not None
    assert case.stated == pytest.approx({m: seen.U[m] for m in case.readings})
    press(Qt.Key.Key_Z, modifier=CONTROL)  # all of it at once
    assert not session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    press(Qt.Key.Key_Z, modifier=CONTROL | Qt.KeyboardModifier.ShiftModifier)
    assert len(session.context.shop.readings(session.context.piece.id)) == 8  # type: ignore[union-attr]
    # One that is typed over counts as any other reading from there on.
    session.measuring.edit(readings[0].slot)
    session.measuring.type("0.10 mm")
    assert session.measuring.keep()
    case = session.measuring.case_of(session.context.piece)  # type: ignore[arg-type]
    assert case is not None
    assert "t1_x" not in case.stated
    press(Qt.Key.Key_Z, modifier=CONTROL)


def test_a_picture_from_a_file(window: MainWindow, tmp_path: Path) -> None:
    session = begin(window, "kingfisher", quantity="sensor_x")
    drawn_sheet(window, session)
    page = page_of(window)
    picture = tmp_path / "phone.jpg"
    picture.write_bytes(photo_of(session))
    line = page.measure.photo.source.file
    for name, words in (("none.jpg", "No such file"), (Path(__file__).name, "No such file")):
        line.setFocus()
        line.clear()
        press(name, RETURN)
        assert words in shown(page)
    (tmp_path / "broken.jpg").write_bytes(picture.read_bytes()[:4000])
    line.clear()
    press(str(tmp_path / "broken.jpg"), RETURN)
    settle()
    assert "whole" in shown(page) or "damaged" in shown(page)
    line.clear()
    press(str(picture), RETURN)
    settle()
    assert len(page.measure.seen.ticks) == 5
    press(RETURN)
    f = session.measuring.findings()
    assert f[0].verdict is Verdict.OUT
    off = really_off(session, "sensor")
    assert all(abs(x.error - real) <= 0.15 for x, real in zip(f, off, strict=True))  # type: ignore[operator]


def test_a_cross_is_put_right_under_the_loupe(window: MainWindow) -> None:
    """Dragged, moved by pixels, and pointed at where nothing was seen; what was left out stays so."""
    session = begin(window, "kingfisher", quantity="sensor_x")
    drawn_sheet(window, session)
    page = page_of(window)
    click(page, "Take a practice picture")
    settle()
    panel, sheet = page.measure.seen, session.seen_sheet
    loupe = panel.picture.loupe
    assert sheet.looked is not None
    found = sheet.looked.sheet.beside[1]
    assert found is not None
    panel.ticks[4].setChecked(False)
    panel.ticks[2].setFocus()
    assert panel.picture.key == 2
    spot = loupe.area().center() + QPointF(30, -20)
    QTest.mousePress(loupe, Qt.MouseButton.LeftButton, pos=loupe.area().center().toPoint())
    QTest.mouseMove(loupe, spot.toPoint())
    QTest.mouseRelease(loupe, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    settle()
    moved = sheet.looked.sheet.beside[1]
    assert moved is not None
    assert moved.at != found.at
    assert min(moved.U) > max(found.U)  # a hand points worse than the picture is read
    assert not panel.ticks[4].isChecked()
    assert panel.ticks[2].isChecked()
    loupe.setFocus()
    press(Qt.Key.Key_Right)
    after = sheet.looked.sheet.beside[1]
    assert after is not None
    assert math.dist(after.at, moved.at) * sheet.looked.sheet.px_per_mm == pytest.approx(1.0, rel=0.1)
    sheet._show(sheet.looked.data, replace(sheet.looked.sheet, beside=(None, *sheet.looked.sheet.beside[1:])))
    page.measure.seen.refresh()
    settle()
    assert 1 not in panel.ticks
    click(panel, "1   point at it")
    assert panel.picture.key == 1
    assert focus().startswith("Loupe")
    press(Qt.Key.Key_Up)
    assert 1 in panel.ticks
    click(page, "Use these")
    readings = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert {r.measurand for r in readings} == {f"t{i}_{a}" for i in (1, 2, 3, 5) for a in "xy"}


def test_a_second_sheet_confirms_by_picture(window: MainWindow) -> None:
    session = begin(window, "kingfisher", quantity="sensor_x")
    drawn_sheet(window, session)
    assert by_picture(window) <= 10
    click(page_of(window), "To Correct")
    before = really_off(session, "sensor")
    correct_all(session)
    session.go(Step.MAKE)
    page_of(window).refresh()
    settle()
    drawn_sheet(window, session)
    by_picture(window)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.IN}
    assert math.hypot(*really_off(session, "sensor")) < 0.2 < math.hypot(*before)


def test_another_sheet_is_told_by_its_code(window: MainWindow, tmp_path: Path) -> None:
    session = begin(window, "kingfisher", quantity="sensor_x")
    drawn_sheet(window, session)
    old = tmp_path / "old.jpg"
    old.write_bytes(photo_of(session))
    session.go(Step.MAKE)
    page_of(window).refresh()
    settle()
    drawn_sheet(window, session)
    page = page_of(window)
    page.measure.photo.source.file.setFocus()
    press(str(old), RETURN)
    settle()
    piece = session.context.piece
    assert piece is not None
    assert f"shows pointer {piece.number - 1}, not pointer {piece.number}" in shown(page)
    assert session.seen_sheet.looked is None


def test_a_print_scale_is_checked_by_picture(window: MainWindow) -> None:
    session = begin(window, "kingfisher", "print-scale", "print_scale_x")
    drawn_sheet(window, session)
    page = page_of(window)
    click(page, "Take a practice picture")
    settle()
    looked = session.seen_sheet.looked
    assert looked is not None
    by_caliper = {m: float((stand_in_reads(session, m) or "").split()[0]) for m in "xy"}
    read = {r.measurand: r for r in looked.readings.read}
    assert set(read) == {"x", "y"} | {f"c{i}_{a}" for i in range(1, 6) for a in "xy"}
    for m, mm in by_caliper.items():
        assert read[m].mm == pytest.approx(mm, abs=read[m].U + 0.06)
    press(RETURN)
    assert session.measuring.current() is None
    for f in session.measuring.findings():
        assert f.error is not None
        assert f.expanded_uncertainty is not None
        assert f.expanded_uncertainty < 1.0  # mm per m
    assert session.measuring.findings()[0].verdict is Verdict.IN
    if folder := os.environ.get("KEEN_PICTURES"):
        window.grab().save(f"{folder}/scale.png")


def test_a_proof_is_read_by_picture_and_a_cut_is_put_right_under_the_loupe(window: MainWindow) -> None:
    session = begin(window, "kingfisher", "proof", "proof")
    cut(session)
    page = page_of(window)
    page.refresh()
    settle()
    assert session.seen_sheet.possible
    click(page, "Take a practice picture")
    settle()
    panel, looked = page.measure.seen, session.seen_sheet.looked
    assert looked is not None
    assert len(panel.ticks) >= 7
    for r in looked.readings.read:
        really = float((stand_in_reads(session, r.measurand) or "").split()[0])
        assert r.mm == pytest.approx(really, abs=1.3 * r.U + 0.08)
    for size in ((1024, 700), (1280, 800)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    key = next(k for k in panel.ticks if k in looked.lines)
    before = {r.measurand: r.mm for r in looked.readings.read}[key]
    panel.ticks[key].setFocus()
    assert panel.picture.key == key
    loupe = panel.picture.loupe
    (u, v), scale = looked.lines[key][1].out, loupe.area().width() / 16.0
    turned = looked.sheet.map.turn(looked.lines[key][1].at)
    c, s = math.cos(turned), math.sin(turned)
    spot = panel.picture.spot_of(looked.lies(key), loupe.area()) + QPointF(c * u - s * v, -(s * u + c * v)) * scale
    QTest.mousePress(loupe, Qt.MouseButton.LeftButton, pos=loupe.area().center().toPoint())
    QTest.mouseMove(loupe, spot.toPoint())
    QTest.mouseRelease(loupe, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    settle()
    looked = session.seen_sheet.looked
    after = {r.measurand: r.mm for r in looked.readings.read}[key]
    assert after - before == pytest.approx(1.0, abs=0.25)  # dragged a millimetre outwards
    click(page, "Use these")
    readings = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert {r.measurand for r in readings} == {r.measurand for r in looked.readings.read}


def test_a_second_tool_is_put_right_by_pictures_alone(window: MainWindow) -> None:
    session = begin(window, "kingfisher", "second-tool", "second_tool_x")
    session.making.choose_option("way", "gaps")
    pen = f"second_tool {session.context.machine.fitted['accessory']}"
    truth = session.context.shop.stand_in("kingfisher")
    assert truth is not None
    x, y = truth["heads"][pen]
    knocked = {**truth["heads"], pen: [x + 1.3, y - 0.8]}
    session.context.shop.put_stand_in("kingfisher", {**truth, "heads": knocked})
    cut(session)
    page = page_of(window)
    page.refresh()
    settle()
    assert by_picture(window) <= 10
    check_looks(window, (1280, 800))
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.OUT}
    correct_all(session)
    session.go(Step.CONFIRM)
    cut(session)
    page.refresh()
    settle()
    assert by_picture(window) <= 10
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.IN}
    held = session.context.values()
    assert math.dist([held[f"second_tool_{a}"].base for a in "xy"], knocked[pen]) < 0.1
