"""The surfaces for motion in the real window: whole rounds by keyboard, dragging, clicking, and how it all looks."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QMenu, QWidget
from pytestqt.qtbot import QtBot

from driving import focus, press, record_text, shown, states, tab_to
from keen_compass.app import theme as th
from keen_compass.app.round.dial_surface import DialSurface
from keen_compass.app.round.grid_surface import heat
from keen_compass.app.round.surface import FloatingSurface
from keen_compass.app.window import MainWindow
from keen_compass.machines.profile import Machine
from keen_compass.practice import stand_in
from keen_compass.practice.playing import cut, read_all
from keen_compass.procedures.stages import Makes, Step
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import State
from keen_compass.words.errors import error_in_words
from keen_compass.words.logbook import VERDICT_WORDS
from keen_compass.words.procedures import title
from looks import check_looks, settle

# Every kind of surface: machine, procedure, what for.
SURFACES = [
    ("heron", "drive-train", "x_drive"), ("heron", "travel-run", "x_steps"), ("heron", "travel-run", "z_steps"),
    ("heron", "backlash", "x_backlash"), ("heron", "squareness", "squareness"), ("heron", "home", "x_home"),
    ("heron", "bed", "x_tram"), ("heron", "bed", "bed"), ("heron", "speed", "x_speed"),
    ("heron", "reference-lines", "x_steps"), ("swift", "travel-run", "x_backlash"), ("swift", "travel-run", "tracking"),
]  # fmt: skip


def begin(window: MainWindow, machine: str, procedure: str, quantity: str = "") -> RoundSession:
    window.show_rose(machine)
    window.begin(procedure, quantity)
    QApplication.processEvents()
    session: RoundSession = window.round_page.model.session  # type: ignore[union-attr]
    return session


def to_readings(session: RoundSession) -> None:
    """Made or run, its number given, nothing read yet."""
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
        session.measuring.identify("")
    QApplication.processEvents()


def type_all(session: RoundSession) -> None:
    while session.measuring.current():
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)


@pytest.mark.parametrize(("machine", "procedure", "quantity"), SURFACES, ids=lambda v: v)
def test_a_whole_round_on_every_surface_by_keyboard(
    window: MainWindow, machine: str, procedure: str, quantity: str
) -> None:
    session = begin(window, machine, procedure, quantity)
    makes = session.context.procedure.makes
    for _ in range(3):
        if makes is not Makes.NOTHING:
            if session.making.refusal():
                tab_to("New sheet")
                press(Qt.Key.Key_Return)
            tab_to("Practice run" if makes is Makes.MOVES else "Practice cut")
            press(Qt.Key.Key_Return)
        if focus() == "Number on the piece":
            assert session.context.piece is not None
            press(str(session.context.piece.number), Qt.Key.Key_Return)
        type_all(session)
        wanted = [f for f in session.measuring.findings() if session.correcting.enters(f)]
        if session.step is Step.CONFIRM or not wanted:
            break
        press(Qt.Key.Key_Return)
        assert session.step is Step.CORRECT
        for finding in wanted:
            by_hand = QUANTITIES[finding.quantity].lives is Lives.BY_HAND  # done as it was asked
            press("" if by_hand else session.correcting.proposed(finding), Qt.Key.Key_Return)
        press(Qt.Key.Key_Return)
    if session.step is Step.MEASURE and not session.blocked(Step.CORRECT):
        press(Qt.Key.Key_Return)  # nothing to correct: on, and sign
    if not session.settled:
        tab_to(window.round_page.correct.onward.accessibleName() if session.step is Step.CORRECT else "Sign off")
        press(Qt.Key.Key_Return)
    if session.needs_reason() and not session.settled:
        press("Finer than this instrument can tell", Qt.Key.Key_Return)
    assert session.settled
    assert window.places.currentWidget() is window.rose_page
    wanted_states = {State.IN, State.CANNOT_TELL} if machine == "swift" else {State.IN}
    assert set(states(window.shop, machine, (quantity,))) <= wanted_states


def test_the_needle_is_dragged_nudged_and_typed(qtbot: QtBot, window: MainWindow) -> None:
    session = begin(window, "heron", "backlash", "x_backlash")
    to_readings(session)
    dial = window.round_page.measure.surface
    assert isinstance(dial, DialSurface)
    centre, r = dial._face()
    top, right = (centre + QPointF(0, -0.7 * r)).toPoint(), (centre + QPointF(0.7 * r, 0)).toPoint()
    qtbot.mousePress(dial, Qt.MouseButton.LeftButton, pos=top)
    for i in range(1, 10):  # a quarter turn clockwise, in steps as a hand makes them
        step = top + QPoint(round((right - top).x() * i / 9), round((right - top).y() * i / 9))
        _drag(dial, step)
    qtbot.mouseRelease(dial, Qt.MouseButton.LeftButton, pos=right)
    assert float(session.measuring.draft) == pytest.approx(0.25, abs=0.011)
    before = float(session.measuring.draft)
    press(Qt.Key.Key_Up, Qt.Key.Key_Up, Qt.Key.Key_Down)
    assert float(session.measuring.draft) == pytest.approx(before + 0.01)
    press(Qt.Key.Key_Return)
    assert session.measuring.callouts()[0].readings[0].reading.mm == pytest.approx(before + 0.01)
    press("0.21")
    assert dial._shown() == pytest.approx(0.21)
    (finding,) = session.measuring.findings()
    assert finding.error is not None  # the half-typed reading counts already


def _drag(widget: QWidget, to: QPoint) -> None:
    """A move with the left button held, as the window system sends it."""
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QMouseEvent

    place = QPointF(to)
    left = Qt.MouseButton.LeftButton
    move = QMouseEvent(
        QEvent.Type.MouseMove, place, widget.mapToGlobal(place), Qt.MouseButton.NoButton, left,
        Qt.KeyboardModifier.NoModifier,
    )  # fmt: skip
    QApplication.sendEvent(widget, move)


def test_a_click_on_the_picture_goes_there(qtbot: QtBot, window: MainWindow) -> None:
    for machine, procedure, quantity, name in (
        ("heron", "bed", "bed", "h_3_2"), ("heron", "travel-run", "x_steps", "down_4"),
        ("heron", "speed", "x_speed", "rung_5"), ("heron", "bed", "x_tram", "y_low"),
    ):  # fmt: skip
        session = begin(window, machine, procedure, quantity)
        to_readings(session)
        surface = window.round_page.measure.surface
        assert isinstance(surface, FloatingSurface)
        place = surface.places()[name].toPoint()
        if surface.childAt(place) is None:  # not under the callout
            qtbot.mouseClick(surface, Qt.MouseButton.LeftButton, pos=place)
        assert session.measuring.current() == name
        press("0.1", Qt.Key.Key_Return)
        assert [c.measurand.name for c in session.measuring.callouts() if c.readings] == [name]
        session.give_up("only tried")


def test_a_drive_train_asks_for_what_its_parts_have(window: MainWindow) -> None:
    session = begin(window, "heron", "drive-train", "x_drive")
    type_all(session)
    assert "of the limit" in shown(window.round_page.answer)
    for name, choice in (("Driven by", "helical rack"), ("Motor", "encoder")):
        combo = next(c for c in window.round_page.findChildren(QComboBox) if c.accessibleName() == name)
        combo.setFocus()
        press(*choice[:4])
        assert combo.currentText() == choice
    names = [c.measurand.name for c in session.measuring.callouts()]
    assert names == ["counts", "electronic_ratio", "reduction", "module", "teeth", "helix_angle"]
    kept = {c.measurand.name for c in session.measuring.callouts() if c.readings}
    assert kept == {"reduction", "teeth"}  # what the other chain had too
    assert "Still to be typed: counts per turn, module, helix angle" in shown(window.round_page.answer)
    window.round_page.measure.take_focus()
    press("10 mm", Qt.Key.Key_Return)
    assert "plain number" in window.round_page.measure.surface._complaint.text()


def test_choices_change_the_run_and_can_be_undone(window: MainWindow) -> None:
    session = begin(window, "heron", "travel-run", "x_steps")
    before = session.making.parameters()
    combo = window.round_page.make.choices.combos["axis"]
    combo.setFocus()
    press("Y")
    assert session.making.parameters()["axis"] == "y"
    assert session.context.yields == ("y_steps", "y_backlash")
    assert "Y steps per mm" in shown(window.round_page.answer)
    window.menus.undo.trigger()
    assert session.making.parameters() == before


def test_what_it_rests_on_is_said_before_anything_is_made(window: MainWindow) -> None:
    begin(window, "heron", "home")
    said = {w.accessibleName() for w in window.round_page.answer._below.findChildren(QLabel) if w.isVisible()}
    assert {"X steps: out", "Y steps: out", "Squareness: out"} <= said
    begin(window, "heron", "bed", "x_tram")
    assert not window.round_page.answer._below.isVisible()


def test_next_in_order_says_what_comes_before(window: MainWindow) -> None:
    window.show_rose("heron")
    QApplication.processEvents()
    words = shown(window.rose_page)
    assert "Each one depends on those above it." in words
    assert words.index("X steps and Y steps") < words.index("Squareness: Out")
    assert "Do X steps, Y steps" in words


def begin_menu(window: MainWindow) -> dict[str, QAction]:
    """What it offers when it is opened by keyboard, by title."""
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.AltModifier)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    QTest.keyClick(menu, Qt.Key.Key_Escape)
    return {a.text().split(":")[0]: a for a in menu.actions()}


def test_everything_can_be_begun_from_the_menu(window: MainWindow) -> None:
    window.show_rose("swift")
    titles = list(begin_menu(window))
    assert titles == [
        "X and Y steps", "Travel run", "Squareness", "Reference lines", "Pointer to tool", "Registration", "Camera",
        "Blade row", "", "What is wrong? From parts to causes", "Fit a file to a print",
    ]  # fmt: skip
    window.show_rose("heron")
    actions = begin_menu(window)
    assert len(actions) == 16  # what a router has: no bevel, no print
    actions["Reference lines"].trigger()
    assert window.round_page.model.session.context.procedure.name == "reference-lines"


def test_two_rounds_of_one_procedure_on_two_axes_stay_apart(window: MainWindow) -> None:
    first = begin(window, "heron", "backlash", "x_backlash")
    to_readings(first)
    press("0.05", Qt.Key.Key_Return)
    second = begin(window, "heron", "backlash", "y_backlash")
    assert second.context.kept.id != first.context.kept.id
    again = begin(window, "heron", "backlash", "x_backlash")
    assert again.context.kept.id == first.context.kept.id
    assert again.measuring.callouts()[0].readings[0].text == "0.05"


def test_a_readings_sign_and_place_are_seen_from_where_one_stands(window: MainWindow) -> None:
    session = begin(window, "heron", "squareness")
    to_readings(session)
    read_all(session)
    words = shown(window.round_page.answer)
    assert "towards +X, to the right" in words
    assert "towards −Y, towards you" in words
    window.round_page.go(Step.CORRECT)
    assert "The gantry’s end at highest X towards −Y, towards you" in shown(window.round_page.correct)
    assert "Corrected by" in shown(window.round_page.correct)


@pytest.mark.parametrize(("machine", "procedure", "quantity"), SURFACES, ids=lambda v: v)
def test_nothing_is_cut_or_overlapping_on_any_surface(
    window: MainWindow, machine: str, procedure: str, quantity: str
) -> None:
    profile = window.shop.machine(machine)
    window.shop.put_machine(Machine.from_json(profile.to_json() | {"name": "Heron in the long hall, bay 12"}))
    session = begin(window, machine, procedure, quantity)
    for prepare in (
        lambda: None,
        lambda: to_readings(session),
        lambda: read_all(session, 7),
        lambda: read_all(session),
    ):
        prepare()
        for size in ((1024, 700), (1280, 800)):
            window.resize(*size)
            settle()
            check_looks(window, size)


@pytest.mark.parametrize("theme", [th.LIGHT, th.DARK], ids=lambda t: t.name)
def test_heights_are_readable_on_every_colour_of_the_map(theme: th.Theme, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(th, "_current", theme)
    for i in range(21):
        assert th.contrast(theme.ink, heat(i / 20).name()) >= 4.5, i / 20
    assert len({heat(i / 20).name() for i in range(21)}) == 21


def test_signed_runs_have_a_record(window: MainWindow, tmp_path: Path) -> None:
    """Each says what was read, what was found, how it was judged, and with what."""
    shop = window.shop
    signed = [kept for m in shop.machines() for kept in shop.rounds(m.uid) if kept.status == "signed"]
    wanted = {"drive-train", "backlash", "bed", "speed", "squareness", "home", "travel-run", "reference-lines"}
    assert wanted <= {kept.procedure for kept in signed}
    for kept in signed:
        text = record_text(shop, kept.id, tmp_path)
        words = " ".join(text.split()).replace("-", "−")  # as the page has them
        machine, session = shop.machine(kept.machine), RoundSession(shop, kept)
        assert machine.name in words
        assert title(session.context.procedure.name).replace("-", "−") in words
        for reading in shop.readings(session.context.pieces[-1].id):
            assert reading.text.replace("-", "−") in words, (kept.procedure, reading)
        for f in session.measuring.findings():
            shown_as = session.context.procedure.for_logbook(f)
            assert VERDICT_WORDS[shown_as.verdict] in words
            if f.error is not None and f.expanded_uncertainty:
                error = error_in_words(f.harm or 0.0, f.expanded_uncertainty, f.error_unit, machine.unit_of(f.quantity))
                assert error in words, (kept.procedure, f)
        instrument = session.measuring.instrument()
        assert instrument is not None
        assert (instrument.name.replace("-", "−") in words) == (kept.procedure != "drive-train")


def test_an_odd_run_is_asked_about_and_confirmed(window: MainWindow) -> None:
    session = begin(window, "heron", "travel-run", "x_steps")
    to_readings(session)
    for name, (p, _) in session.measuring.shape().nodes().items():
        session.measuring.choose(name)
        session.measuring.type(f"{1300 - p:.2f}")
        session.measuring.keep()
    QApplication.processEvents()
    assert "wrong way round" in shown(window.round_page.answer)
    ask: Callable[[], None] = window.round_page.answer._odd.click
    ask()
    assert session.measuring.findings()[0].verdict is not Verdict.IMPLAUSIBLE
