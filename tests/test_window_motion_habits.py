"""What technicians do on the motion surfaces besides the straight way: take back, leave out, mistype, change, look."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QApplication, QComboBox, QPushButton
from pytestqt.qtbot import QtBot

from driving import focus, opened, press, shown, states, tab_to, typed_then_killed, with_laser
from keen_compass.app import theme as th
from keen_compass.app.manual import ManualWindow
from keen_compass.app.round.grid_surface import GridSurface
from keen_compass.app.round.rule_surface import RuleSurface
from keen_compass.app.start import application
from keen_compass.app.waiting import Dropped, Waiting
from keen_compass.app.window import MainWindow
from keen_compass.machines.profile import Machine
from keen_compass.practice.playing import cut, read_all
from keen_compass.procedures import REGISTRY, load, understands
from keen_compass.procedures.stages import Makes, Step
from keen_compass.quantities.verdict import Verdict
from keen_compass.reports.table import to_csv
from keen_compass.rounds import RoundSession
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.logbook import Filter, entries
from keen_compass.shop.standing import State
from keen_compass.shop.store import Shop
from keen_compass.words.doing import amount_of, task_of
from keen_compass.words.logbook import entry_words
from keen_compass.words.procedures import about, title
from keen_compass.words.say import say

UNDO = Qt.KeyboardModifier.ControlModifier


def measuring(window: MainWindow, machine: str, procedure: str, quantity: str = "") -> RoundSession:
    window.show_rose(machine)
    window.begin(procedure, quantity)
    session: RoundSession = window.round_page.model.session  # type: ignore[union-attr]
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
        session.measuring.identify("")
    window.round_page.measure.take_focus()  # type: ignore[union-attr]
    QApplication.processEvents()
    return session


# Readings taken back, left out, mistyped


@pytest.mark.parametrize(
    ("procedure", "quantity"),
    [("travel-run", "x_steps"), ("bed", "bed"), ("speed", "x_speed"), ("backlash", "x_backlash"), ("bed", "x_tram")],
)
def test_readings_are_taken_back_left_out_and_undone(window: MainWindow, procedure: str, quantity: str) -> None:
    session = measuring(window, "heron", procedure, quantity)
    names = [m.name for m in session.measuring.measurands()]
    press("0.12", Qt.Key.Key_Return, "-0.05", Qt.Key.Key_Return)
    assert sum(len(c.readings) for c in session.measuring.callouts()) == 2
    press(Qt.Key.Key_Backspace)  # on an empty callout
    assert sum(len(c.readings) for c in session.measuring.callouts()) == 1
    press(Qt.Key.Key_Z, modifier=UNDO)
    assert sum(len(c.readings) for c in session.measuring.callouts()) == 2
    if len(names) > 1:
        before = session.measuring.current()
        press(Qt.Key.Key_F9)
        assert next(c for c in session.measuring.callouts() if c.measurand.name == before).skipped
        assert session.measuring.current() != before
        assert "can’t be read and are left out" in shown(window.round_page.answer)
        press(Qt.Key.Key_Z, modifier=UNDO)
        assert not any(c.skipped for c in session.measuring.callouts())
    last = max((c for c in session.measuring.callouts() if c.readings), key=lambda c: c.readings[-1].slot)
    session.measuring.choose(last.measurand.name)
    QApplication.processEvents()
    chip = next(
        b
        for b in window.round_page.findChildren(QPushButton)
        if b.text() == "-0.05" and b.isVisibleTo(window.round_page)
    )
    chip.click()
    press(Qt.Key.Key_Backspace, "4", Qt.Key.Key_Return)
    again = next(c for c in session.measuring.callouts() if c.measurand.name == last.measurand.name)
    assert [r.text for r in again.readings][-1] == "-0.04"


@pytest.mark.parametrize("text", ["abc", "1/0", "7 furlongs", "1,234"])
def test_what_cannot_be_read_is_said_beside_the_place(window: MainWindow, text: str) -> None:
    for procedure, quantity in (("travel-run", "x_steps"), ("bed", "bed"), ("drive-train", "x_drive")):
        session = measuring(window, "heron", procedure, quantity)
        press(text, Qt.Key.Key_Return)
        surface = window.round_page.measure.surface
        assert surface._complaint.isVisible()
        assert surface._complaint.text()
        assert surface.rect().contains(surface._complaint.geometry())
        assert not any(c.readings for c in session.measuring.callouts())


def test_a_bed_is_shown_as_read_and_levelled(qtbot: QtBot, window: MainWindow) -> None:
    session = measuring(window, "heron", "bed", "bed")
    grid = window.round_page.measure.surface
    assert isinstance(grid, GridSurface)
    assert not grid.level.isVisible()
    read_all(session)
    QApplication.processEvents()
    before = picture(grid.grab().toImage())
    qtbot.mouseClick(grid.level, Qt.MouseButton.LeftButton)
    assert max(abs(v) for v in grid._levelled().values()) < 0.12  # the tilt is off, the hollow is left
    assert picture(grid.grab().toImage()) != before
    qtbot.mouseClick(grid.level, Qt.MouseButton.LeftButton)
    assert picture(grid.grab().toImage()) == before


def picture(image: QImage) -> list[str]:
    """Colours at a coarse grid of points: what changed, not how it is hinted."""
    return [
        image.pixelColor(x, y).name()
        for x in range(20, image.width() - 20, 37)
        for y in range(20, image.height() - 90, 31)
    ]


def test_the_rule_lies_as_the_axis_points(window: MainWindow) -> None:
    """An axis that points to the left has its zero at the right."""
    heron = window.shop.machine("heron")
    for x_points, leftwards in (("right", False), ("left", True)):
        turned = replace(heron, standpoint=replace(heron.standpoint, x_points=x_points))
        window.shop.put_machine(turned)
        session = measuring(window, "heron", "travel-run", "x_steps")
        rule = window.round_page.measure.surface
        assert isinstance(rule, RuleSurface)
        places = rule.places()
        assert (places["up_1"].x() > places["up_11"].x()) == leftwards
        assert places["up_3"].y() < places["down_3"].y()
        session.give_up("only looked")


# Killed, looked at by two, read-only


def test_killed_on_a_run_the_half_reading_is_there_again(shop: Shop, shop_file: Path, qtbot: QtBot) -> None:
    shop.close()
    typed_then_killed(shop_file, "'bed', 'bed'", "0.02", "-0.1")
    window = opened(qtbot, Shop(shop_file))
    window.show_rose("heron")
    window.begin("bed", "bed")
    session = window.round_page.model.session  # type: ignore[union-attr]
    first, second, *_ = session.measuring.callouts()
    assert [r.text for r in first.readings] == ["0.02"]
    assert (second.current, second.draft) == (True, "-0.1")
    window.close()


def test_a_second_window_can_look_at_every_surface(
    window: MainWindow, shop_file: Path, windows: Callable[[Path], MainWindow]
) -> None:  # fmt: skip
    begun = [("drive-train", "x_drive"), ("travel-run", "x_steps"), ("bed", "bed"), ("speed", "x_speed")]
    for procedure, quantity in begun:
        read_all(measuring(window, "heron", procedure, quantity), 5)
    second = windows(shop_file)
    for procedure, quantity in begun:
        second.show_rose("heron")
        second.begin(procedure, quantity)
        page = second.round_page
        assert page is not None
        QApplication.processEvents()
        assert page.measure.surface.isVisible()
        assert not page.measure.strip.practice.isVisible()
        assert not page.give_up.isVisible()


# Signing, giving up, correcting by hand


def test_a_run_that_cannot_be_told_is_signed_with_a_reason(window: MainWindow) -> None:
    heron = window.shop.machine("heron")
    window.shop.put_machine(Machine.from_json(heron.to_json() | {"tolerances": {"y_tram": 0.79, "x_tram": 0.3}}))
    session = measuring(window, "heron", "bed", "y_tram")
    read_all(session)
    assert Verdict.CANNOT_TELL in {f.verdict for f in session.measuring.findings()}
    for f in session.measuring.findings():
        session.correcting.decide(f.quantity, False)
    window.round_page.go(Step.CORRECT)
    QApplication.processEvents()
    tab_to(window.round_page.correct.onward.accessibleName())
    press(Qt.Key.Key_Return)
    press("Good enough for the garden lamps", Qt.Key.Key_Return)
    assert session.settled
    assert states(window.shop, "heron", ("y_tram",)) == [State.CANNOT_TELL]


def test_what_was_done_by_hand_is_done_or_said_how_much_it_was(window: MainWindow) -> None:
    """The number asked for is what to do now; the history keeps the sum."""
    session = measuring(window, "heron", "squareness")
    read_all(session)
    window.round_page.go(Step.CORRECT)
    QApplication.processEvents()
    card = window.round_page.correct.cards["squareness"]
    (finding,) = session.measuring.findings()
    before, asked = window.shop.value("heron", "squareness"), amount_of(task_of(finding))
    assert before is not None
    assert f"{asked:.2f} mm" in shown(card)
    assert focus().endswith("how much it really was")
    press("three", Qt.Key.Key_Return)
    assert "can't read “three”" in shown(card)
    for _ in "three":
        press(Qt.Key.Key_Backspace)
    press("99", Qt.Key.Key_Return)
    assert "far from what was asked" in shown(card)
    for _ in "99":
        press(Qt.Key.Key_Backspace)
    press("1,25", Qt.Key.Key_Return)  # a little less than was asked
    held = window.shop.value("heron", "squareness")
    assert held is not None
    way = -1 if finding.new < finding.old else 1
    assert held.stored.value == pytest.approx(before.stored.value + way * 1.25, abs=2e-3)
    assert "Done; in all it is now" in shown(card)
    assert states(window.shop, "heron", ("squareness", "x_home")) == [State.RECHECK, State.RECHECK]


def test_settings_are_kept_whole_before_any_is_touched(window: MainWindow) -> None:
    session = measuring(window, "heron", "backlash", "x_backlash")
    read_all(session)
    window.round_page.go(Step.CORRECT)
    kept = session.correcting.kept_settings()
    assert kept is not None
    held, steps = (window.shop.value("heron", q) for q in ("x_backlash", "x_steps"))
    assert held is not None
    assert steps is not None
    for key in (
        f"X_STEPS_PER_MM = {steps.stored.value:.3f}",
        f"X_BACKLASH = {held.stored.value:.3f}",
        "X_HOME_OFFSET",
        "Y_FEED_MAX = 6600",
    ):
        assert key in kept[1]
    assert "GANTRY" not in kept[1].upper()
    assert session.correcting.line(session.measuring.findings()[0]).startswith("X_BACKLASH = 0.1")


def test_the_wrong_way_round_is_noticed_on_the_second_run(window: MainWindow) -> None:
    """The technician takes the shortfall off instead of adding it: the next run is twice as far out, and it asks."""
    session = measuring(window, "heron", "backlash", "x_backlash")
    read_all(session)
    (first,) = session.measuring.findings()
    session.go(Step.CORRECT)
    assert first.old is not None
    session.correcting.enter("x_backlash", f"{first.old - first.error:.3f}")
    session.go(Step.CONFIRM)
    cut(session)
    read_all(session)
    QApplication.processEvents()
    assert session.measuring.findings()[0].verdict is Verdict.IMPLAUSIBLE
    assert "moved the wrong way" in shown(window.round_page.answer)


# Profiles, logbook, help


def test_the_axis_of_a_run_changes_with_the_machine(window: MainWindow) -> None:
    window.show_rose("heron")
    window.change_machine()
    page = window.places.currentWidget()
    for fold in ("▸ More about the machine", "▸ More that the controller keeps"):
        tab_to(fold)
        press(Qt.Key.Key_Space)
    for name, text in (("Z moves by", "0"), ("Between the gantry’s drives", "1150")):
        tab_to(name)
        field = QApplication.focusWidget()
        field.selectAll()  # type: ignore[union-attr]
        press(text)
    tab_to("X backlash, as the controller shows it")
    QApplication.focusWidget().selectAll()  # type: ignore[union-attr]
    press("0.11")
    tab_to("Y home grows")
    combo = QApplication.focusWidget()
    assert isinstance(combo, QComboBox)
    press("against")
    tab_to("Save")
    press(Qt.Key.Key_Return)
    assert window.places.currentWidget() is not page
    heron = window.shop.machine("heron")
    assert (heron.z_travel, heron.gantry, heron.flipped) == (0.0, 1150.0, ("y_home",))
    assert "z_steps" not in heron.quantities
    held = window.shop.value("heron", "x_backlash")
    assert held is not None
    assert held.stored.value == 0.11
    assert states(window.shop, "heron", ("x_backlash",)) == [State.RECHECK]  # the number changed by hand


def test_the_logbook_knows_every_quantity_and_moves(shop: Shop, tmp_path: Path) -> None:
    words = [entry_words(e) for e in entries(shop, Filter("heron"))]
    for part in ("X backlash set to 0.0", "Squareness set to -", "X drive train in", "Bed in", "X feed set to 8800"):
        assert any(part in w for w in words), part
    assert "tracking" in to_csv(shop, Filter("swift"))
    other = Shop(tmp_path / "other.kcshop")
    assert from_json(other, to_json(shop, "heron"), understands) == 23
    assert other.computed("heron") == shop.computed("heron")
    assert {q: v.stored for q, v in other.values("heron").items()} == {
        q: v.stored for q, v in shop.values("heron").items()
    }
    other.close()


def test_every_surface_has_its_page_of_help(window: MainWindow, qtbot: QtBot) -> None:
    others = {"registration": "kingfisher", "second-tool": "kingfisher", "drag-blade": "swift", "camera": "swift"}
    with_laser(window.shop)
    for procedure in REGISTRY:
        measuring(window, "cinder" if load(procedure).on_stock.burns else others.get(procedure, "heron"), procedure)
        assert window.place_shown() == "measure", procedure
        press(Qt.Key.Key_F1)
        manual = window.findChild(ManualWindow)
        assert manual is not None and manual.isVisible(), procedure
        said = manual.page.toPlainText()
        assert said.startswith(title(procedure)) and "What it can’t see" in said
        assert about(procedure).needs[0] in said
        press(Qt.Key.Key_Escape)
        assert not manual.isVisible()
        with qtbot.waitActive(window):
            window.activateWindow()


def test_colours_can_be_changed_on_every_surface(window: MainWindow) -> None:
    for procedure, quantity in (("backlash", "y_backlash"), ("bed", "bed"), ("drive-train", "y_drive")):
        session = measuring(window, "heron", procedure, quantity)
        read_all(session, 3)
        window.use_theme(th.DARK)
        QApplication.processEvents()
        again = window.round_page.model.session  # type: ignore[union-attr]
        assert again.context.kept.id == session.context.kept.id  # the same axis' round
        assert window.grab().toImage().pixelColor(400, 40).lightness() < 80
        window.use_theme(th.LIGHT)


def test_the_shop_floor_view_names_what_it_shows(window: MainWindow) -> None:
    session = measuring(window, "heron", "travel-run", "x_steps")
    read_all(session, 30)
    window.toggle_floor()
    QApplication.processEvents()
    words = shown(window.round_page.floor)
    label = next(say(c.measurand.label) for c in session.measuring.callouts() if c.current)
    assert f"{label}, 2 of 3" in words
    assert "steps" in words
    assert "backlash" in words
    press("960.5")
    assert session.measuring.draft == "960.5"
    window.toggle_floor()


def test_waiting_shows_how_far_it_is_and_can_be_ended(qtbot: QtBot) -> None:
    application("light")
    waiting = Waiting("The past is played")
    qtbot.addWidget(waiting)
    assert waiting._bar.maximum() == 0  # busy: nobody knows yet
    waiting.show_share(0.4)
    assert waiting._bar.value() == 40
    qtbot.mouseClick(waiting.findChildren(QPushButton)[0], Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    with pytest.raises(Dropped):
        waiting.show_share(0.5)
