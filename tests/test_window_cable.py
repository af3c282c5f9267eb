"""The controller's page and a whole round over the cable, in the real window, by keyboard."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QWidget

from driving import choose, controller_page, focus, press, shown, tab_to, until
from keen_compass.app.controller.cable import PRACTICE
from keen_compass.app.controller.page import ControllerPage
from keen_compass.app.port_link import LinkState, PortLink, as_lines
from keen_compass.app.round.page import RoundPage
from keen_compass.app.window import MainWindow
from keen_compass.controllers.practice_dialects import TEXT
from keen_compass.controllers.program import commands_of
from keen_compass.controllers.wire import Exchange
from keen_compass.practice import stand_in as made_on
from keen_compass.practice.playing import read_all
from keen_compass.practice.wire import holding, stand_in
from keen_compass.procedures.stages import Step
from keen_compass.rounds.cable_runs import DONE
from keen_compass.shop.listings import copied, copies
from keen_compass.shop.marks import CableRun
from keen_compass.standin.controller import StandInController
from looks import check_looks, settle


@pytest.fixture
def controller(window: MainWindow) -> Iterator[StandInController]:
    """Heron's, with one number that is not the logbook's."""
    held = numbers(window) | {"X_STEPS_PER_MM": "99.000"}
    with stand_in(window.shop.machine("heron"), held, fast=60.0) as one:
        yield one


def numbers(window: MainWindow) -> dict[str, str]:
    """What the logbook says that Heron holds, by key."""
    return holding(window.shop.machine("heron"), {q: v.stored for q, v in window.shop.values("heron").items()})


def link_of(window: MainWindow) -> PortLink:
    return window.link_of("heron")


def still(window: MainWindow) -> Callable[[], bool]:
    return lambda: link_of(window).state is LinkState.READY


def connected(window: MainWindow, controller: StandInController) -> ControllerPage:
    """By keyboard: to the controller's page, to its cable, the port typed."""
    page = controller_page(window, cable=True)
    tab_to("Port")
    press(controller.path, Qt.Key.Key_Return)
    until(lambda: page.model.by_cable)
    until(still(window))
    return page


def test_where_no_terminal_is_left_the_page_says_so(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    def none_left() -> None:
        raise OSError("out of pty devices")

    monkeypatch.setattr("pty.openpty", none_left)
    page = controller_page(window, cable=True)
    tab_to("Port")
    press(PRACTICE, Qt.Key.Key_Return)
    assert "no terminal left" in shown(page)
    assert "Close some terminals" in shown(page)
    assert link_of(window).state is LinkState.CLOSED
    monkeypatch.undo()
    press(Qt.Key.Key_Return)
    until(still(window))
    assert "no terminal left" not in shown(page)


def test_by_keyboard_numbers_are_sent_and_read_back_and_the_head_is_moved(
    window: MainWindow, controller: StandInController
) -> None:
    page = connected(window, controller)
    assert window.shop.machine("heron").dialect == TEXT
    assert window.shop.machine("heron").port == controller.path
    assert f"Connected: {controller.path}, practice text." in shown(page)
    check_looks(window, (1280, 800))
    tab_to("As text")
    press(Qt.Key.Key_Return)
    assert "X steps: 99.000" in shown(page)
    known = window.shop.machine("heron").place("x_steps").number(window.shop.values("heron")["x_steps"].stored)
    tab_to(f"X steps: send {known} over the cable")
    press(Qt.Key.Key_Return)
    until(lambda: controller.settings["X_STEPS_PER_MM"] == known)
    until(lambda: "X steps: 99.000" not in shown(page))
    assert b"99.000" in copied(window.shop, copies(window.shop, "heron")[0])  # kept before anything was sent

    tab_to("Cable")
    press(Qt.Key.Key_Return)
    tab_to("Steps of 10 mm")
    press(Qt.Key.Key_Space)
    tab_to("Move it by hand: arrow keys; Space stops")
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_PageDown):
        press(key)
        until(lambda: not controller.axes.waiting and link_of(window).state is LinkState.READY)
    until(lambda: "X 20.000" in shown(page))
    assert controller.axes.at == pytest.approx((20.0, 10.0, -10.0))
    assert "Y 10.000" in shown(page)
    press(Qt.Key.Key_Right, modifier=Qt.KeyboardModifier.ShiftModifier)
    press(Qt.Key.Key_Space)
    until(lambda: bool(controller.stopped_at))
    until(still(window))
    assert controller.axes.at[0] < 120.0
    assert "→ jog X10 F1000" in page.cable.wire.toPlainText()
    assert "← done" in page.cable.wire.toPlainText()


def test_a_fault_is_said_with_what_is_known_and_what_to_do(window: MainWindow) -> None:
    with stand_in(window.shop.machine("heron"), numbers(window), fault="alarm", after=6) as one:
        page = connected(window, one)
        until(lambda: link_of(window).trouble is not None)
        assert "It reports an alarm: limit switch X." in shown(page)
        assert "takes nothing until the alarm is cleared" in shown(page)
        check_looks(window, (1280, 800))
        tab_to("Disconnect")
        press(Qt.Key.Key_Return)
        assert "Not connected." in shown(page)


def test_the_window_lives_while_the_port_waits(window: MainWindow) -> None:
    with stand_in(window.shop.machine("heron"), numbers(window), fault="silence") as one:
        window.show_rose("heron")
        link, ticks = link_of(window), [0]
        timer = QTimer(window)
        timer.timeout.connect(lambda: ticks.__setitem__(0, ticks[0] + 1))
        link.connect_to(one.path, [TEXT])
        until(still(window))
        timer.start(20)
        link.read(lambda _: None)
        window.go_to("stock")
        until(lambda: link.trouble is not None)
        assert ticks[0] > 30  # of the hundred that fit into two seconds of waiting
        assert "doesn’t answer" in str(link.trouble)


def test_patterns_are_filled_in_from_what_a_controller_says(window: MainWindow, controller: StandInController) -> None:
    page = controller_page(window, cable=True)
    page.cable.port.setEditText(controller.path)
    tab_to("Protocol…")
    press(Qt.Key.Key_Return)
    view = page.patterns
    for field, text in (("ask_listing", "list"), ("ask_position", "where"), ("hello", "hello")):
        tab_to(f"Ask: {view.edits[field].accessibleName()}")
        view.edits[field].setText(text)
        press(Qt.Key.Key_Return)
        until(lambda: "Reply: " in view.answer.text(), 5.0)
    assert view.edits["acknowledged"].text() == "done"
    assert view.edits["position"].text() == "at X{x} Y{y} Z{z}"
    assert view.edits["greeting"].text() == "quay text 2 ready"
    tab_to("Save protocol")
    press(Qt.Key.Key_Return)
    assert "Name: give it a name." in shown(page)
    check_looks(window, (1280, 800))
    tab_to("Name")
    press("own words")
    view.edits["set_value"].setText("set {name}")
    tab_to("Save protocol")
    press(Qt.Key.Key_Return)
    assert "can’t stand there" in shown(page)
    view.edits["set_value"].setText("set {key} = {value}")
    press(Qt.Key.Key_Return) if focus() == "Save protocol" else view._keep()
    kept = window.shop.machine("heron").dialect
    assert kept is not None
    assert (kept.name, kept.position, kept.acknowledged) == ("own words", "at X{x} Y{y} Z{z}", "done")


def begin(window: MainWindow) -> RoundPage:
    window.show_rose("heron")
    window.begin("rectangle", "x_steps")
    page = window.places.currentWidget()
    assert isinstance(page, RoundPage)
    settle()
    return page


def test_by_keyboard_a_whole_round_goes_over_the_cable(window: MainWindow, controller: StandInController) -> None:
    connected(window, controller)
    page = begin(window)
    until(page.held.wanted)
    assert "the controller holds 99.000" in shown(page)
    assert not page.cable.isVisible()
    known = window.shop.machine("heron").place("x_steps").number(window.shop.values("heron")["x_steps"].stored)
    tab_to(f"Send {known} back")
    press(Qt.Key.Key_Return)
    until(lambda: not page.held.wanted() and link_of(window).state is LinkState.READY)
    assert controller.settings["X_STEPS_PER_MM"] == known
    check_looks(window, (1280, 800))

    arrived = len(controller.arrived)
    program = page.model.session.making.file_text()
    tab_to("Run it over the cable…")
    press(Qt.Key.Key_Return)
    assert "The machine will move" in shown(page)
    settle()
    assert len(controller.arrived) == arrived  # between the first key and the second nothing is sent
    assert focus() == "It is clear: start"
    press(Qt.Key.Key_Return)
    until(lambda: "Running: " in shown(page))
    window.show_rose("swift")
    assert window.places.currentWidget() is page  # it stays until the run is over
    assert not page.make.isEnabled()
    tab_to("Hold")
    press(Qt.Key.Key_Return)
    until(lambda: "Held: " in shown(page))
    count = len(controller.arrived)
    time.sleep(0.2)
    settle()
    assert len(controller.arrived) <= count + 1
    press(Qt.Key.Key_Return)
    until(lambda: page.model.session.context.piece is not None, 20.0)
    assert controller.arrived[arrived:] == [c.text for c in commands_of(program.encode(), TEXT)]
    session = page.model.session
    mark = session.context.mark(CableRun)
    assert mark is not None
    assert (mark.ended, mark.acknowledged) == (DONE, mark.total)
    assert window.shop.blob(mark.blob) == program.encode()


def test_by_keyboard_a_correction_is_sent_read_back_and_the_controller_started_anew(
    window: MainWindow, controller: StandInController
) -> None:
    controller.settings["X_STEPS_PER_MM"] = numbers(window)["X_STEPS_PER_MM"]
    connected(window, controller)
    page = begin(window)
    until(still(window))
    session = page.model.session
    made_on.make(session)
    session.after_making()
    read_all(session)
    page.go(Step.CORRECT)
    until(still(window))
    first = session.measuring.findings()[0]
    new = session.correcting.proposed(first)
    assert f"set X_STEPS_PER_MM = {new}" in shown(page)  # what is sent is what is shown
    tab_to("X steps per mm: send it over the cable")
    press(Qt.Key.Key_Return)
    until(lambda: session.correcting.entered("x_steps") is not None)
    assert controller.settings["X_STEPS_PER_MM"] == new
    assert window.shop.values("heron")["x_steps"].how == "read_back"
    assert f"The controller holds {new}" in shown(page)
    tab_to("Restart the controller")
    said = page.cable.isVisible()
    press(Qt.Key.Key_Return)
    until(still(window))
    assert said
    assert link_of(window).trouble is None
    assert controller.axes.at == (0.0, 0.0, 0.0)  # it started again
    assert controller.settings["X_STEPS_PER_MM"] == new


@pytest.mark.parametrize("how", ["stopped", "pulled"])
def test_a_run_that_breaks_off_is_kept_and_can_be_made_again(
    how: str, window: MainWindow, controller: StandInController, tmp_path: Path
) -> None:
    connected(window, controller)
    controller.settings["X_STEPS_PER_MM"] = (
        window.shop.machine("heron").place("x_steps").number(window.shop.values("heron")["x_steps"].stored)
    )
    page = begin(window)
    until(lambda: page.cable.run.isVisible() and page.cable.run.isEnabled())
    page.cable.run.click()
    page.cable.start.click()
    until(lambda: link_of(window).running is not None and link_of(window).running.acknowledged > 3)
    if how == "stopped":
        assert focus() == "Stop at once"
        press(Qt.Key.Key_Return)
    else:
        controller.close()
    until(lambda: link_of(window).state in (LinkState.READY, LinkState.LOST))
    words = {"stopped": "Stopped by you.", "pulled": "The cable is gone."}[how]
    assert words in shown(page)
    assert "commands were acknowledged" in shown(page)
    check_looks(window, (1280, 800))
    mark = page.model.session.cable_runs.now()
    assert mark is not None
    assert mark.ended.startswith(words)
    assert 3 < mark.acknowledged < mark.total
    assert page.model.session.context.piece is None
    assert any(kind == "run_broke_off" and words in text for _, kind, text in window.shop.events("heron"))
    window.show_rose("heron")
    page = begin(window)
    assert page.make.is_cut.isVisible()
    assert page.make.isEnabled()


def test_closing_the_window_over_a_run_stops_the_machine(window: MainWindow, controller: StandInController) -> None:
    connected(window, controller)
    controller.settings["X_STEPS_PER_MM"] = (
        window.shop.machine("heron").place("x_steps").number(window.shop.values("heron")["x_steps"].stored)
    )
    page = begin(window)
    until(lambda: page.cable.run.isVisible() and page.cable.run.isEnabled())
    page.cable.run.click()
    page.cable.start.click()
    until(lambda: link_of(window).running is not None)
    window.close()
    until(lambda: bool(controller.stopped_at))
    at = controller.axes.at
    time.sleep(0.1)
    assert controller.axes.at == at


def test_what_went_over_the_wire_can_be_read() -> None:
    some = [Exchange(0, True, b"list\n"), Exchange(1, False, b"a = 1\r"), Exchange(2, False, b"\ndone\r\n"),
            Exchange(3, True, b"\x1b")]  # fmt: skip
    assert as_lines(some) == "→ list\n← a = 1\n← done\n→ ‹1b›"
    assert as_lines([]) == ""


def test_the_languages_that_may_be_chosen_are_those_that_are_known(window: MainWindow) -> None:
    page = controller_page(window, cable=True)
    choose("Protocol", "practice plotter")
    assert page.cable.language.currentData() == "practice plotter"
    assert isinstance(page.cable, QWidget)
