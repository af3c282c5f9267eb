"""A plate read from scans in the real window; a caliper makes the scanner known."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PIL import Image
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from driving import click, focus, opened, press, shown
from keen_compass.app.round.page import RoundPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.practice import stand_in
from keen_compass.practice.playing import cut, read_all
from keen_compass.procedures import understands
from keen_compass.quantities.readings import Pick
from keen_compass.rounds import RoundSession
from keen_compass.rounds.seen_pieces import KIND
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.kept import PICTURE
from keen_compass.shop.store import Shop
from looks import check_looks, settle

CONTROL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def session(window: MainWindow) -> Iterator[RoundSession]:
    window.show_rose("heron")
    window.begin("kerf-square", "kerf")
    assert window.round_page is not None
    found = window.round_page.model.session
    cut(found)
    found.measuring.identify("")
    window.round_page.refresh()
    settle()
    yield found


def looked_at(window: MainWindow) -> None:
    """F5, and what a practice scanner makes of the piece."""
    assert window.round_page is not None
    press(Qt.Key.Key_F5)
    settle()
    assert focus() == "Photo or scan"
    click(window.round_page, "Take a practice picture")
    settle()
    assert focus() == "Use these"


def made_and_looked_at(window: MainWindow, machine: str, procedure: str, quantity: str, **chosen: str) -> RoundPage:
    """A round whose piece is cut, on the practice scanner."""
    window.show_rose(machine)
    window.begin(procedure, quantity)
    page = window.round_page
    assert page is not None
    for name, option in chosen.items():
        page.model.session.making.choose_option(name, option)
    cut(page.model.session)
    page.refresh()
    settle()
    looked_at(window)
    check_looks(window, (1280, 800))
    return page


def test_a_plate_is_read_from_a_scan(qtbot: QtBot, window: MainWindow, session: RoundSession, tmp_path: Path) -> None:
    page = window.round_page
    assert page is not None
    other_setting = {**(window.shop.thing(KIND) or {}), "dpi": 600.0}
    window.shop.put_things(KIND, {KIND: other_setting})  # nobody knows this scanner at 300 dpi yet
    looked_at(window)
    panel, scans = page.measure.scan, session.seen_piece
    check_looks(window, (1280, 800))
    assert panel.isAncestorOf(QApplication.focusWidget())  # the keyboard is where one answers
    assert set(panel.ticks) == {"width", "height", "hole_0", "hole_90", "slot"}
    assert "± 0.5 %" in shown(panel)
    assert not panel.calibrate.isVisible()
    click(panel, "Cancel")
    assert scans.looked is None
    read_all(session)
    by_hand = {r.measurand: r for r in session.context.shop.readings(session.context.piece.id)}  # type: ignore[union-attr]
    kerf = session.measuring.findings()[0]
    page.measure.photo.wanted = False
    page.refresh()
    looked_at(window)
    assert panel.calibrate.isVisible()
    click(panel, "Calibrate by this piece")
    settle()
    record = window.shop.thing(KIND)
    assert record is not None
    pixel = 25.4 / record["dpi"]
    assert record["mm_per_px"] == pytest.approx([pixel * 1.0012, pixel * (1 - 0.0021)], rel=6e-4)  # as the glass is
    assert "± 0.5 %" not in shown(panel)
    assert scans.looked is not None
    for r in scans.looked.readings.read:
        assert abs(r.mm - by_hand[r.measurand].reading.mm) < 0.08  # type: ignore[union-attr]
        assert r.U < 0.09
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))
    click(panel, "Use these")
    kept = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert {r.measurand for r in kept if r.instrument == PICTURE} == set(panel.ticks or by_hand) & {
        "width", "height", "hole_0", "hole_90", "slot",
    }  # fmt: skip
    again = session.measuring.findings()[0]
    assert again.error == pytest.approx(kerf.error, abs=0.06)
    press(Qt.Key.Key_Z, modifier=CONTROL)
    kept = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert not [r for r in kept if r.instrument == PICTURE]
    other = Shop(tmp_path / "other.kcshop")
    from_json(other, to_json(window.shop, "heron"), understands)
    other.close()


def test_a_scan_that_is_none_is_refused_and_nothing_is_kept(
    window: MainWindow, session: RoundSession, tmp_path: Path
) -> None:
    page = window.round_page
    assert page is not None
    take = stand_in.scan(session)
    assert take is not None
    (tmp_path / "broken.png").write_bytes(take()[:5000])
    (tmp_path / "empty.png").write_bytes(b"")
    press(Qt.Key.Key_F5)
    settle()
    for name in ("broken.png", "empty.png", "none.png"):
        press(Qt.Key.Key_A, modifier=CONTROL)
        press(str(tmp_path / name), Qt.Key.Key_Return)
        settle()
        assert session.seen_piece.looked is None
        assert name in shown(page)
    assert not session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    press(Qt.Key.Key_F5)
    settle()
    assert not page.measure.photo.isVisible()


def test_what_lies_on_no_glass_has_no_scan(qtbot: QtBot, shop: Shop) -> None:
    window = opened(qtbot, shop)
    window.show_rose("heron")
    window.begin("rectangle")
    assert window.round_page is not None
    session = window.round_page.model.session
    session.making.choose_size(session.making.proposed_size())
    cut(session)
    session.measuring.identify("")
    assert not session.seen_piece.possible  # 370 mm
    shop.put_machine(replace(session.context.machine, name="Heron"))


@pytest.mark.parametrize("side", ["outside", "inside"])
def test_rungs_of_a_ladder_are_read_from_one_scan(qtbot: QtBot, window: MainWindow, side: str) -> None:
    """Coupons in their order, or slots in one plate; one coupon too few is no ladder."""
    page = made_and_looked_at(window, "heron", "kerf-ladder", "kerf", side=side)
    session = page.model.session
    panel, scans = page.measure.scan, session.seen_piece
    assert set(panel.ticks) == {f"rung_{i}" for i in range(1, 8)}
    assert ("in their order" in shown(panel)) is (side == "outside")
    looked = scans.looked
    assert looked is not None
    measurands = {m.name: m for m in session.measuring.measurands()}
    for r in looked.readings.read:
        by_caliper = float((stand_in.reads(session, measurands[r.measurand], 0) or "").split()[0])
        assert r.mm == pytest.approx(by_caliper, abs=r.U + 0.06)
    with Image.open(io.BytesIO(looked.data)) as scan:
        scan.crop((0, 0, round(scan.width * 0.62), scan.height)).save(held := io.BytesIO(), "PNG", dpi=(300, 300))
    click(panel, "Use these")
    assert session.measuring.current() is None
    (finding,) = [f for f in session.measuring.findings() if f.quantity == "kerf"]
    assert finding.error is not None
    assert abs(finding.error) < 0.4
    with pytest.raises(InputError):
        scans.look(held.getvalue(), "part.png", lambda run: run())


@pytest.mark.parametrize("machine", ["heron", "ember"])
def test_the_room_that_a_comb_leaves_is_read_from_a_scan(qtbot: QtBot, window: MainWindow, machine: str) -> None:
    """Strips in their window, pushed together; with room in two places it is no answer."""
    page = made_and_looked_at(window, machine, "kerf-comb", "kerf")
    session = page.model.session
    panel, looked = page.measure.scan, session.seen_piece.looked
    assert set(panel.ticks) == {"slack"}
    assert looked is not None
    (slack,) = looked.readings.read
    (measurand,) = session.measuring.measurands()
    by_caliper = float((stand_in.reads(session, measurand, 0) or "").split()[0])
    assert slack.mm == pytest.approx(by_caliper, abs=slack.U + 0.1)
    with Image.open(io.BytesIO(looked.data)) as scan:  # a strip fell out of the middle
        x, y = scan.width * 0.3, scan.height / 2
        scan.paste(244, (round(x), round(y - 250), round(x + 30), round(y + 250)))
        scan.save(apart := io.BytesIO(), "PNG", dpi=(300, 300))
    with pytest.raises(InputError, match="push all strips together"):
        session.seen_piece.look(apart.getvalue(), "apart.png", lambda run: run())
    click(panel, "Use these")
    assert session.measuring.current() is None
    (finding,) = [f for f in session.measuring.findings() if f.quantity == "kerf"]
    assert finding.error is not None


def test_the_corner_that_closes_is_picked_from_a_scan(qtbot: QtBot, window: MainWindow) -> None:
    """Squares lifted out of film: what the blade cut beyond their corners, or short of them, says which is right."""
    page = made_and_looked_at(window, "swift", "drag-blade", "drag")
    session = page.model.session
    panel, truth = page.measure.scan, session.context.stand_in
    assert set(panel.ticks) == {"pick"}
    assert truth is not None
    click(panel, "Use these")
    assert session.measuring.current() is None
    (finding,) = session.measuring.findings()
    assert finding.new is not None
    assert finding.new == pytest.approx(truth["trails"], abs=0.03)
    kept = session.context.shop.readings(session.context.piece.id)  # type: ignore[union-attr]
    assert [(type(r.reading), r.instrument) for r in kept] == [(Pick, PICTURE)]
    window.shop.close()
    again = Shop(window.shop.file)
    assert [r.reading for r in again.readings(session.context.piece.id)] == [r.reading for r in kept]  # type: ignore[union-attr]
    again.close()
