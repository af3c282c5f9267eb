"""Pointer, sensor and registration in the real window: stages, matching by mouse and keys, signs from everywhere."""

from __future__ import annotations

import math
import os
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from driving import choose, click, focus, opened, press, shown, tab_to, until
from keen_compass.app import printing
from keen_compass.app.port_link import LinkState
from keen_compass.app.round.marks_surface import MarksSurface
from keen_compass.app.round.match_surface import MatchSurface
from keen_compass.app.round.page import RoundPage
from keen_compass.app.round.sheet_step import SheetStep
from keen_compass.app.window import MainWindow
from keen_compass.controllers.practice_dialects import PLOTTER as PLOTTER_DIALECT
from keen_compass.controllers.practice_dialects import TEXT
from keen_compass.errors import InputError
from keen_compass.machines.limits import OFFSET_FORMS
from keen_compass.practice import paper as practice
from keen_compass.practice.playing import cut
from keen_compass.practice.wire import holding, stand_in
from keen_compass.procedures.stages import Stage, Step
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from looks import check_looks, settle
from plotters import shop_of
from test_sheets import PALM, STANDPOINTS

RETURN = Qt.Key.Key_Return
SHIFT, CONTROL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


def page_of(window: MainWindow) -> RoundPage:
    page = window.places.currentWidget()
    assert isinstance(page, RoundPage)
    return page


def session_of(window: MainWindow) -> RoundSession:
    return page_of(window).model.session


def step_of(window: MainWindow) -> SheetStep:
    step = page_of(window).make
    assert isinstance(step, SheetStep)
    return step


def begin(window: MainWindow, machine: str, procedure: str = "pointer", quantity: str = "pointer_x") -> RoundSession:
    window.show_rose(machine)
    window.begin(procedure, quantity)
    settle()
    return session_of(window)


def read_texts(session: RoundSession) -> dict[str, str]:
    piece = session.context.piece
    assert piece is not None
    return {r.measurand: r.text for r in session.context.shop.readings(piece.id)}


def printed_and_loaded(window: MainWindow, bars: tuple[str, str] = ("100", "100")) -> None:
    """By keyboard, as far as the first mark."""
    assert focus() == "Practice print"
    press(RETURN)
    assert focus() == "Check bar X measures"
    press(bars[0], RETURN, bars[1], RETURN)
    assert focus() == "Number on the sheet"
    press(str(session_of(window).making.next_number()), RETURN)
    settle()


def test_by_keyboard_a_sensor_is_put_right_by_a_sheet(window: MainWindow) -> None:
    session = begin(window, "kingfisher", quantity="sensor_x")
    check_looks(window, (1280, 800))
    assert f"Print sheet {session.making.next_number()} at actual size" in shown(page_of(window))
    choose("Read by", "verniers")
    tab_to("Practice print")
    press(RETURN)
    assert "Measure both check bars, before anything else." in shown(page_of(window))
    press("97.3", RETURN, "97.4", RETURN)
    assert "Both check bars are 2.6 % short: the print dialog scaled the page. Print at actual size." in shown(
        step_of(window)
    )
    assert "The mark in the square goes far left, the print up. Lift the rollers" in shown(step_of(window))
    click(step_of(window), "✓  Print")
    assert "Measure both check bars" in shown(step_of(window))
    click(step_of(window), "Print another")
    assert focus() == "Practice print"
    press(RETURN)
    press("100", RETURN, "100", RETURN)
    assert "scaled the page" not in shown(step_of(window))
    press("5", RETURN)  # another sheet lay at hand
    number = session.making.next_number()
    assert f"This round waits for sheet {number}, and that one says 5." in shown(step_of(window))
    check_looks(window, (1280, 800))
    press(Qt.Key.Key_A, modifier=CONTROL)
    press(str(number), RETURN)
    sheets = session.making.sheets
    for i in range(4):
        assert f"Have the sensor find mark {i + 1} of 4" in shown(step_of(window))
        assert focus() == "Where the machine stands, X Y"
        press(practice.shows_mark(session) or "", RETURN)
    assert "All marks are aimed at." in shown(step_of(window))
    press(RETURN)
    assert sheets.shown is Stage.DRAW
    assert "It draws a cross on each target." in shown(step_of(window))
    check_looks(window, (1280, 800))
    assert focus() == "Practice drawing"
    press(RETURN)
    matched_corrected_and_signed(window, session)


def matched_corrected_and_signed(window: MainWindow, session: RoundSession) -> None:
    """The second half of it: read with the arrow keys, by typing, off the stand-in."""
    surface = page_of(window).measure.surface
    assert isinstance(surface, MatchSurface)
    check_looks(window, (1280, 800))
    # Arrows move the cross as it is seen: left is −X here, towards you is +Y.
    press(Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Down)
    press(Qt.Key.Key_Right, modifier=SHIFT)
    assert surface.value() == (pytest.approx(0.4), pytest.approx(0.05))
    assert "0.40 mm to the right, 0.05 mm towards you" in surface.accessibleName()
    press(RETURN)
    assert read_texts(session) == {"t1_x": "0.40 mm", "t1_y": "0.05 mm"}
    press(Qt.Key.Key_Z, modifier=CONTROL)
    assert read_texts(session) == {}  # both at once, as they were kept
    press(Qt.Key.Key_Z, modifier=CONTROL | SHIFT)
    assert len(read_texts(session)) == 2
    press("0.4", RETURN, "0.1 mm", RETURN)  # typed, the second target
    assert read_texts(session)["t2_x"] == "0.4"
    while session.measuring.current():
        press(Qt.Key.Key_F8)
    assert {f.quantity: f.verdict for f in session.measuring.findings()}["sensor_x"] is Verdict.OUT
    words = shown(page_of(window).answer)
    assert "the sensor offset is" in words.lower()
    assert "to the left (−X)" in words
    press(RETURN)
    assert session.step is Step.CORRECT
    for f in session.measuring.findings():
        if session.correcting.enters(f):
            press(session.correcting.proposed(f), RETURN)
    click(page_of(window), "To Confirm")
    assert "The same" not in shown(step_of(window))
    cut(session)
    settle()
    while session.measuring.current():
        press(Qt.Key.Key_F8)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.IN}
    press(RETURN)
    assert session.context.kept.status == "signed" or session.settled


def test_the_surface_keeps_what_is_half_placed(window: MainWindow) -> None:
    """Closed over it, opened again: both numbers are there; a click on another target leaves them."""
    session = begin(window, "swift")
    cut(session)
    settle()
    page_of(window).measure.take_focus()
    press(Qt.Key.Key_Right, Qt.Key.Key_Up)
    again = RoundSession(window.shop, session.context.kept)
    drafts = {c.measurand.name: c.draft for c in again.measuring.callouts() if c.draft}
    assert set(drafts) == {"t1_x", "t1_y"}
    assert session.measuring.answer() is not None  # it counts while it is placed
    surface = page_of(window).measure.surface
    assert isinstance(surface, MatchSurface)
    spot = list(surface._on_map().values())[2]
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=spot.toPoint())
    assert (session.measuring.current() or "").startswith("t3")
    assert read_texts(session) == {}
    press("abc", RETURN)
    assert "abc" in shown(surface) or session.measuring.complaint


def seen_by_hand(
    x: float, y: float, x_points: str, y_points: str, quarters: int, mirrored: bool
) -> tuple[float, float]:
    """(right, away) of a place as a technician sees it, worked out apart from the program."""
    unit = {"right": (1, 0), "left": (-1, 0), "away": (0, 1), "toward": (0, -1)}
    right = x * unit[x_points][0] + y * unit[y_points][0]
    away = x * unit[x_points][1] + y * unit[y_points][1]
    if mirrored:
        right = -right
    angle = math.radians(90 * quarters)
    return right * math.cos(angle) - away * math.sin(angle), right * math.sin(angle) + away * math.cos(angle)


@pytest.mark.parametrize("seed", range(8))
def test_dragged_to_where_it_lies_it_is_gone_when_it_is_drawn_again(qtbot: QtBot, tmp_path: Path, seed: int) -> None:
    """Every standpoint, every turn of the view, from above and from below; forms and flips: the sign holds."""
    stands = STANDPOINTS[seed]
    flipped = tuple(q for k, q in enumerate(("pointer_x", "pointer_y")) if seed >> k & 1)
    form = OFFSET_FORMS[seed % 2]
    machine = replace(PALM, standpoint=stands, flipped=flipped, offset_form=form)
    shop, _ = shop_of(tmp_path / "s.kcshop", seed, machine)
    signs = [(1 if form == OFFSET_FORMS[0] else -1) * (-1 if q in flipped else 1) for q in ("pointer_x", "pointer_y")]
    true, held = (12.4, -7.3), (13.25, -8.75)
    for q, s, mm in zip(("pointer_x", "pointer_y"), signs, held, strict=True):
        shop.put_value("palm", q, StoredAmount(q, "mm", s * mm), "typed")
    window = opened(qtbot, shop)
    session = begin(window, "palm")
    session.making.choose_option("way", "mark")
    cut(session)
    settle()
    surface = page_of(window).measure.surface
    assert isinstance(surface, MatchSurface)
    lands = (held[0] - true[0], held[1] - true[1])  # set − true, along the machine's axes
    for mirrored in (False, True):
        for quarters in range(4):
            right, away = seen_by_hand(*lands, stands.x_points, stands.y_points, quarters, mirrored)
            drag(surface, right, away)
            assert surface.value() == (pytest.approx(lands[0], abs=0.03), pytest.approx(lands[1], abs=0.03))
            click(surface, "Turn the view")
        click(surface, "From below")
    press(RETURN)
    found = session.measuring.findings()
    assert all(isinstance(f, Finding) and f.new is not None for f in found)
    new = [s * float(f.new) for s, f in zip(signs, found, strict=True)]  # type: ignore[arg-type]
    assert [n - t for n, t in zip(new, true, strict=True)] == [
        pytest.approx(0, abs=0.03)
    ] * 2  # drawn again, it is gone
    window._close_round()
    window.close()


def drag(surface: MatchSurface, right: float, away: float) -> None:
    """With the left button, from the middle of the picture to so many mm as seen."""
    middle, scale = surface._picture().center(), surface._scale()
    to = QPointF(middle.x() + right * scale, middle.y() - away * scale).toPoint()
    at = surface._to_screen(surface.value()).toPoint()
    QTest.mousePress(surface, Qt.MouseButton.LeftButton, pos=at)
    QTest.mouseMove(surface, (at + to) / 2)
    QTest.mouseMove(surface, to)
    QTest.mouseRelease(surface, Qt.MouseButton.LeftButton, pos=to)
    settle()


def test_verniers_say_the_pair_and_the_loupe_brings_it_nearer(window: MainWindow) -> None:
    session = begin(window, "swift")
    session.making.choose_option("read", "vernier")
    cut(session)
    settle()
    surface = page_of(window).measure.surface
    assert isinstance(surface, MatchSurface)
    page_of(window).measure.take_focus()
    assert surface.vernier.isVisible()
    assert surface.vernier.isChecked()
    press(*[Qt.Key.Key_Right] * 6)
    check_looks(window, (1280, 800))
    assert session.measuring.answer() is not None
    scales = [surface._scale()]
    for _ in range(3):
        click(surface, surface.loupe.accessibleName())
        scales.append(surface._scale())
    assert scales[0] < scales[1] < scales[2] > scales[3]
    while session.measuring.current():
        press(Qt.Key.Key_F8)
    finest = 0.002  # in: Swift’s sheets are graduated in inches, 20 parts to a division
    assert all(
        float(t.removesuffix(" in")) / finest == pytest.approx(round(float(t.removesuffix(" in")) / finest))
        for t in read_texts(session).values()
    )


# Registration


def test_by_keyboard_a_print_is_registered(window: MainWindow) -> None:
    session = begin(window, "kingfisher", "registration", "registration")
    printed_and_loaded(window)
    surface = page_of(window).measure.surface
    assert isinstance(surface, MarksSurface)
    check_looks(window, (1280, 800))
    press("12", RETURN)
    assert "type both numbers, X then Y" in shown(surface)
    press(Qt.Key.Key_A, modifier=CONTROL)
    press("130.2 120.4", RETURN)
    assert surface.expected.startswith("Mark 2 should be near X 296")
    press("296.3 119.9", RETURN, "297.1 372.8", RETURN, "131.0 373.4", RETURN)
    (finding,) = session.measuring.findings()
    assert finding.verdict is Verdict.IN
    words = shown(page_of(window).answer)
    assert "It lies turned 0.19° anticlockwise" in words  # as it is seen: this machine's Y runs towards the technician
    assert surface.drawing().magnified > 1  # type: ignore[union-attr]
    check_looks(window, (1280, 800))
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))
    window.resize(1280, 800)
    press(RETURN)
    click(page_of(window), "Sign off") if "Sign off" in shown(page_of(window)) else window.menus.go_on()
    settle()


@pytest.mark.parametrize(("places", "says"), [
    (("130 120", "130 373", "296 373", "296 120"), "another order"),
    (("296 373", "130 373", "130 120", "296 120"), "rotated by"),
])  # fmt: skip
def test_a_sheet_that_is_turned_or_visited_otherwise_is_recognised(
    window: MainWindow, places: tuple[str, ...], says: str
) -> None:
    session = begin(window, "kingfisher", "registration", "registration")
    printed_and_loaded(window)
    for text in places:
        press(text, RETURN)
    words = shown(page_of(window).answer)
    assert says in words
    if says == "another order":
        assert {f.verdict for f in session.measuring.findings()} == {Verdict.IMPLAUSIBLE}


def test_a_mark_that_was_missed_is_shown_where_it_lies(window: MainWindow) -> None:
    session = begin(window, "kingfisher", "registration", "registration")
    printed_and_loaded(window)
    press("130 120", RETURN, "296 120", RETURN, "296 373", RETURN, "132 373", RETURN)
    surface = page_of(window).measure.surface
    assert isinstance(surface, MarksSurface)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.OUT}
    assert "lay the sheet flat" in shown(page_of(window).answer)
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface.places()["mark_4"].toPoint())
    assert session.measuring.current() == "mark_4"


# Printed, drawn, aimed otherwise


def test_the_page_goes_to_a_file_or_to_a_printer(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The printer is a command that is in for the system's."""
    tool = tmp_path / "lp"
    refuses = f'[ -e {tmp_path}/no ] && echo "out of paper" >&2 && exit 1'
    tool.write_text(f'#!/bin/sh\necho "$@" > {tmp_path}/said\ncat > {tmp_path}/got\n{refuses}\nexit 0\n')
    tool.chmod(0o755)
    monkeypatch.setenv("PATH", f"{tmp_path}{os.pathsep}{os.environ['PATH']}")
    monkeypatch.setattr(printing, "printers", lambda: ["Gull"])
    session = begin(window, "kingfisher")
    step = step_of(window)
    assert step.print.printer.currentText() == "Gull"
    (tmp_path / "no").touch()
    click(step, "Print it")
    assert "Gull: out of paper" in shown(step)
    assert Stage.PRINT not in session.making.sheets.state.done
    (tmp_path / "no").unlink()
    step.print.copies.setValue(3)
    click(step, "Print it")
    assert (tmp_path / "got").read_bytes()[:4] == b"%PDF"
    assert (tmp_path / "said").read_text().split() == ["-d", "Gull", "-n", "3", "-o", "print-scaling=none", "-"]
    assert Stage.PRINT in session.making.sheets.state.done
    click(step, "Print another")
    step.print.file.setText(str(tmp_path / "nowhere" / "sheet.pdf"))
    click(step, "Write it")
    assert "nowhere" in shown(step)
    step.print.file.setText(str(tmp_path / "sheet.pdf"))
    click(step, "Write it")
    assert (tmp_path / "sheet.pdf").read_bytes().count(b"/Type /Page\n") == 3
    monkeypatch.setenv("PATH", str(tmp_path / "nowhere"))
    with pytest.raises(InputError, match="doesn’t answer"):
        printing.send(b"%PDF", "Gull", 1)


def test_without_a_stand_in_the_file_is_written_and_said_to_be_drawn(window: MainWindow, tmp_path: Path) -> None:
    window.shop.put_stand_in("swift", {})
    session = begin(window, "swift")
    session.making.choose_option("way", "mark")
    settle()
    assert focus() == "Where the machine stands, X Y"
    tab_to("The machine’s own origin is set on mark 1; nothing else is known")
    press(RETURN)
    assert "The machine’s origin is on mark 1" in shown(step_of(window))
    press(RETURN)
    step = step_of(window)
    step.draw.file.setText(str(tmp_path / "cross.plt"))
    click(step, "Write file")
    assert (tmp_path / "cross.plt").read_text().startswith("IN;")
    assert focus() == "It is drawn: measure"
    press(RETURN)
    assert session.step is Step.MEASURE
    press("-0.3", RETURN, "0.2", RETURN)
    assert {f.verdict for f in session.measuring.findings()} <= {Verdict.CANNOT_TELL, Verdict.OUT}
    assert "One mark can’t tell the offset from the sheet’s position" in shown(page_of(window).answer)


@pytest.fixture
def wired(window: MainWindow) -> Iterator[MainWindow]:
    """Heron with its practice controller at the end of a cable."""
    machine = window.shop.machine("heron")
    held = holding(machine, {q: v.stored for q, v in window.shop.values("heron").items()})
    with stand_in(machine, held, fast=60.0) as one:
        window.shop.put_machine(replace(machine, port=one.path))
        yield window


def test_over_the_cable_the_dot_is_brought_there_by_the_arrow_keys(wired: MainWindow) -> None:
    window = wired
    window.show_rose("heron")
    link = window.link_of("heron")
    link.connect_to(window.shop.machine("heron").port, [TEXT])
    until(lambda: link.state is LinkState.READY)
    session = begin(window, "heron")
    step = step_of(window)
    until(lambda: step.aim.jog is not None and step.aim.jog.isVisible())
    assert step.aim.jog is not None
    step.aim.jog.setFocus()
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Up):
        press(key, modifier=SHIFT)
        until(lambda: link.state is LinkState.READY and not link.pending)
    check_looks(window, (1280, 800))
    press(RETURN)
    until(lambda: Stage.AIM in session.making.sheets.state.done)
    assert session.making.sheets.state.aimed["0"] == (pytest.approx(10.0), pytest.approx(20.0))
    press(RETURN)
    assert session.making.sheets.shown is Stage.DRAW
    assert "Run it over the cable…" in [
        b.accessibleName() for b in page_of(window).findChildren(QWidget) if b.isVisible()
    ]


def test_over_the_cable_a_print_is_registered_where_the_machine_says_it_stands(window: MainWindow) -> None:
    machine = window.shop.machine("swift")
    held = holding(machine, {q: v.stored for q, v in window.shop.values("swift").items()})
    with stand_in(machine, held, fast=60.0) as one:
        window.shop.put_machine(replace(machine, port=one.path))
        window.show_rose("swift")
        link = window.link_of("swift")
        link.connect_to(one.path, [PLOTTER_DIALECT])
        until(lambda: link.state is LinkState.READY)
        session = begin(window, "swift", "registration", "registration")
        session.making.sheets.printed()
        session.making.sheets.measured("100 mm", "100 mm")
        press(str(session.making.next_number()), RETURN)
        measure = page_of(window).measure
        until(lambda: measure.jog is not None and measure.jog.isVisible())
        assert focus() == "Move it by hand: arrow keys; Space stops"
        for key in (Qt.Key.Key_Right, Qt.Key.Key_Down):
            press(key, modifier=SHIFT)
            until(lambda: link.state is LinkState.READY and not link.pending)
        check_looks(window, (1280, 800))
        press(RETURN)
        until(lambda: len(read_texts(session)) == 1)
        # An inch each way: right is +Y there, towards you +X.
        assert read_texts(session)["mark_1"].startswith("25.4000 mm 25.4000 mm")
        assert session.measuring.current() == "mark_2"
        assert focus() == "Move it by hand: arrow keys; Space stops"


def test_where_no_paper_fits_it_is_said_and_nothing_is_made(window: MainWindow) -> None:
    swift = window.shop.machine("swift")
    assert swift.stock is not None
    window.shop.put_machine(replace(swift, stock=replace(swift.stock, height=120.0)))
    for procedure in ("pointer", "registration"):
        session = begin(window, "swift", procedure, f"{procedure}_x" if procedure == "pointer" else "registration")
        assert "No paper fits what is loaded: load a wider roll" in shown(step_of(window))
        refused = session.making.refusal()
        assert refused is not None
        assert refused.code == "no_paper"
