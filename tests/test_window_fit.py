"""A cut file from elsewhere onto a print from elsewhere: aimed at by keys in the window, read by another reader."""

from __future__ import annotations

import io
import math
import random
import re
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import ezdxf
import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from driving import click, press, shown, until
from keen_compass.app.fit.marks_from import LAYER, NONE, POINTED, TYPED
from keen_compass.app.fit.page import FitPage
from keen_compass.app.port_link import LinkState
from keen_compass.app.waiting import Waiting, _Work
from keen_compass.app.window import MainWindow
from keen_compass.controllers.practice_dialects import TEXT
from keen_compass.controllers.program import commands_of
from keen_compass.errors import InputError
from keen_compass.machines.heads import TOOL, offset_held, sign_kept
from keen_compass.practice.wire import holding, stand_in
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds.fitting import Fitting
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from looks import check_looks, settle

Point = tuple[float, float]
MARKS: list[Point] = [(10.0, 10.0), (190.0, 10.0), (190.0, 270.0), (10.0, 270.0)]
CUT: list[Point] = [(40.0, 60.0), (160.0, 60.0), (150.0, 200.0), (52.5, 190.0)]
RETURN = Qt.Key.Key_Return


def hpgl(points: list[Point]) -> str:
    first, *rest = (f"{round(40 * x)},{round(40 * y)}" for x, y in points)
    return f"IN;SP1;PU{first};PD{','.join(rest)};PU;SP0;"


def gcode(points: list[Point]) -> str:
    first, *rest = (f"X{x:.4f} Y{y:.4f}" for x, y in points)
    return "\n".join(["G21 G90", f"G0 {first}", "M3 S1000", *(f"G1 {at} F1200" for at in rest), "M5", "M2", ""])


def svg(points: list[Point]) -> str:
    crosses = "".join(f"M{x - 5} {280 - y}H{x + 5}M{x} {275 - y}V{285 - y}" for x, y in MARKS)
    path = "L".join(f"{x} {280 - y}" for x, y in points)
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="280mm" viewBox="0 0 200 280">'
        f'<g id="marks"><path d="{crosses}"/></g><path id="cut" d="M{path}"/></svg>'
    )


def read_hpgl(text: str) -> list[Point]:
    numbers = [
        float(n) for n in re.findall(r"-?[\d.]+", "".join(re.findall(r"P[UD]([-\d.,]+)", text.replace(";", ",;"))))
    ]
    return [(x / 40, y / 40) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]


def read_gcode(text: str) -> list[Point]:
    return [(float(x), float(y)) for x, y in re.findall(r"X(-?[\d.]+) ?Y(-?[\d.]+)", text)]


def read_svg(text: str) -> list[Point]:
    path = re.search(r'id="cut"[^>]* d="([^"]*)"|d="([^"]*)"[^>]*id="cut"', text)
    assert path is not None
    numbers = [float(n) for n in re.findall(r"-?\d+\.?\d*", path[1] or path[2])]
    return [(x, -y) for x, y in zip(numbers[::2], numbers[1::2], strict=True)]


def dxf(points: list[Point]) -> str:
    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    document.modelspace().add_lwpolyline(points, dxfattribs={"layer": "CUT"})
    out = io.StringIO()
    document.write(out)
    return out.getvalue()


def read_dxf(text: str) -> list[Point]:
    (line,) = ezdxf.read(io.StringIO(text)).modelspace()
    return [(x, y) for x, y, *_ in line.get_points()]


FORMATS = {".plt": (hpgl, read_hpgl), ".nc": (gcode, read_gcode), ".svg": (svg, read_svg), ".dxf": (dxf, read_dxf)}


def lies(turn: float, at: Point, stretch: float) -> Callable[[Point], Point]:
    """A print as it was laid down: turned (degrees), moved (mm), a little longer one way than it was meant."""
    a = math.radians(turn)

    def place(p: Point) -> Point:
        x, y = p[0] * stretch, p[1]
        return at[0] + x * math.cos(a) - y * math.sin(a), at[1] + x * math.sin(a) + y * math.cos(a)

    return place


def opened(window: MainWindow, machine: str = "kingfisher") -> FitPage:
    window.show_rose(machine)
    window.go_to("fit")
    page = window.places.currentWidget()
    assert isinstance(page, FitPage)
    assert window.place_shown() == "fit"
    return page


def choose_marks(page: FitPage, way: str) -> None:
    page.marks_from.way.setCurrentIndex(page.marks_from.way.findData(way))


def aimed_positions(page: FitPage, place: Callable[[Point], Point], hand: random.Random) -> list[Point]:
    """What the machine shows with its pointer on each mark, as well as a hand aims."""
    machine = page.machine
    ox, oy = offset_held(page._held, str(page.head.currentData()), machine.offset_form, machine.flipped)
    return [(x - ox + hand.gauss(0, 0.02), y - oy + hand.gauss(0, 0.02)) for x, y in map(place, MARKS)]


@pytest.mark.parametrize("turn", [0.0, 3.0, 90.0, 93.0, 180.0, -87.0])
@pytest.mark.parametrize("suffix", list(FORMATS))
def test_a_file_is_cut_where_the_print_lies(window: MainWindow, tmp_path: Path, suffix: str, turn: float) -> None:
    write, read = FORMATS[suffix]
    file = tmp_path / f"harbour-sign{suffix}"
    file.write_text(as_it_came := write(CUT))
    place, hand = lies(turn, (380.0, 420.0), 1.0012), random.Random(round(turn))
    page = opened(window)
    press(str(file), RETURN)
    assert page.fitting is not None, shown(page)
    if suffix == ".svg":
        found = sorted((round(x, 6), round(y, 6)) for x, y in page.fitting.marks)
        assert found == sorted(MARKS)
    page.fitting = page.fitting.with_marks(MARKS)
    page.refresh()
    page.take_focus()
    for x, y in aimed_positions(page, place, hand):
        press(f"{x:.2f} {y:.2f}", RETURN)
    assert page.fitting.next_mark is None
    assert "In: marks fit within" in shown(page)
    press(RETURN)  # the button that writes it has the keyboard
    target = tmp_path / f"harbour-sign-fitted{suffix}"
    assert target.is_file(), shown(page)
    for seen, meant in zip(read(target.read_text())[-len(CUT) :], map(place, CUT), strict=True):
        assert math.dist(seen, meant) < 0.1
    assert file.read_text() == as_it_came
    assert [text for _, kind, text in window.shop.events("kingfisher") if kind == "fitted"][-1].startswith("Cut file")
    press(RETURN)  # the next sheet: the same file, nothing aimed at
    assert page.fitting.aimed == {}
    assert page.place.hasFocus()


def test_marks_are_corners_or_typed_and_one_can_be_aimed_at_again(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "sign.plt"
    file.write_text(hpgl([(0.0, 0.0), (100.0, 0.0), (100.0, 50.0), (0.0, 50.0), (0.0, 0.0)]))
    page = opened(window)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(file))])
    none = Qt.KeyboardModifier.NoModifier
    page.dropEvent(QDropEvent(QPointF(90, 90), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))
    assert page.fitting is not None
    assert page.marks_from.way.currentText() == "corners of the cut"
    assert page.fitting.marks == ((0.0, 0.0), (100.0, 0.0), (100.0, 50.0), (0.0, 50.0))
    check_looks(window, (1280, 800))
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))
    choose_marks(page, TYPED)
    page.marks_from.typed.setFocus()
    press("0 0", RETURN)
    assert "at least two marks" in shown(page)
    press("; 100 0", RETURN)
    assert len(page.fitting.marks) == 2
    press("300 200", RETURN, "nowhere", RETURN)
    assert "mark 2" in shown(page)
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("400 200", RETURN)
    assert page.fitting.aimed == {0: (300.0, 200.0), 1: (400.0, 200.0)}
    at = page.canvas.frame().at(page.canvas._marks[0])
    QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=at.toPoint())
    assert page.mark_now() == 0
    press("300.5 200", RETURN)
    assert page.fitting.aimed[0] == (300.5, 200.0)


CROSSES = "".join(
    f"PU{40 * x - 120:.0f},{40 * y:.0f};PD{40 * x + 120:.0f},{40 * y:.0f};"
    f"PU{40 * x:.0f},{40 * y - 120:.0f};PD{40 * x:.0f},{40 * y + 120:.0f};"
    for x, y in MARKS
)


def test_crosses_are_found_where_a_file_has_no_layers(window: MainWindow, tmp_path: Path) -> None:
    """Neither a plus that is a letter’s, off its middle, nor hatching is one."""
    plus = "PU4000,4000;PD4400,4000;PU4100,3900;PD4100,4300;"
    hatched = "".join(f"PU{4000 + 40 * i},6000;PD{4200 + 40 * i},6200;" for i in range(30))
    file = tmp_path / "sign.plt"
    file.write_text(f"IN;SP1;{CROSSES}{plus}{hatched}{hpgl(CUT)[7:]}")
    page = opened(window)
    press(str(file), RETURN)
    assert page.fitting is not None
    assert page.marks_from.way.currentText() == "crosses in the file"
    assert page.fitting.marks == tuple(MARKS)


def test_marks_are_pointed_at_and_found_on_a_layer(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "sign.plt"
    file.write_text(hpgl(CUT))
    page = opened(window)
    press(str(file), RETURN)
    choose_marks(page, POINTED)
    for x, y in (CUT[0], CUT[2]):
        at = page.canvas.frame().at((x + 1.0, y - 1.0)).toPoint()  # beside a corner: that corner is meant
        QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=at)
    settle()
    free = page.canvas.frame().at((100.0, 120.0))
    QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=free.toPoint())
    assert page.fitting is not None
    first, second, third = page.fitting.marks
    assert (first, second) == (CUT[0], CUT[2])
    assert math.dist(third, (100.0, 120.0)) < 1.0
    check_looks(window, (1280, 800))
    press("300 200", RETURN)
    QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=free.toPoint())
    assert len(page.fitting.marks) == 3  # what is aimed at stays
    drawing = tmp_path / "sign.svg"
    drawing.write_text(svg(CUT).replace('id="marks"', 'id="register"'))
    page.open(drawing)
    assert page.marks_from.way.currentText() == "crosses in the file"
    choose_marks(page, LAYER)
    page.marks_from.typed.setFocus()
    press("nowhere", RETURN)
    assert "nowhere: No crosses found" in shown(page)
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("Register", RETURN)
    assert sorted((round(x, 6), round(y, 6)) for x, y in page.fitting.marks) == sorted(MARKS)
    assert "No crosses" not in shown(page)


def test_what_cannot_be_is_said_and_nothing_is_written(window: MainWindow, tmp_path: Path) -> None:
    page = opened(window, "heron")
    for name, text, words in (
        ("none.plt", None, "none.plt"),
        ("empty.plt", "", "empty"),
        ("nothing.plt", "IN;SP1;PU;", "draws nothing"),
        ("odd.nc", "G90\nG1 X#1 Y2\n", "line 2"),
    ):
        if text is not None:
            (tmp_path / name).write_text(text)
        page.open(tmp_path / name)
        assert words in shown(page), name
        assert page.fitting is None
    file = tmp_path / "sign.nc"
    file.write_text(gcode(CUT))
    page.open(file)
    assert page.fitting is not None
    page.fitting = page.fitting.with_marks(MARKS[:2]).aimed_with(TOOL)
    for x, y in ((200.0, 100.0), (200.0, 280.0)):
        page._aim_at(f"{x} {y}", "mm")
    page.target.setText(str(file))
    page.write()
    assert "choose another name" in shown(page)
    assert file.read_text() == gcode(CUT)


def test_a_long_file_says_how_far_it_is_and_can_be_left(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file, shares = tmp_path / "long.nc", list[float]()
    file.write_text(gcode([(100 + i / 800, 100 + 3 * math.sin(i / 50)) for i in range(40_000)]))
    page, show_share, leave_at = opened(window), Waiting.show_share, [0.3]

    def told(waiting: Waiting, share: float) -> None:
        shares.append(share)
        if share > leave_at[0]:
            waiting.drop()
        show_share(waiting, share)

    monkeypatch.setattr("keen_compass.app.waiting.AT_ONCE", 0.0)
    monkeypatch.setattr(Waiting, "show_share", told)
    work_told = _Work.told

    def as_told(work: _Work, share: float) -> None:  # every one, not only those that the window came to see
        shares.append(share)
        if share > leave_at[0]:
            time.sleep(0.05)  # the window sees it
        work_told(work, share)

    monkeypatch.setattr(_Work, "told", as_told)
    before = threading.active_count()
    page.open(file)
    assert page.fitting is None
    assert 0.3 < shares[-1] < 0.9
    until(lambda: threading.active_count() == before)  # the work has ended, too
    leave_at[0] = 1.0
    page.open(file)
    assert page.fitting is not None
    assert max(shares) > 0.8


def test_no_file_leaves_the_bed(window: MainWindow, tmp_path: Path) -> None:
    machine = window.shop.machine("heron")
    file = tmp_path / "sign.nc"
    file.write_text(gcode(CUT))
    fitting = Fitting.open(file).with_marks(MARKS[:2])
    fitting = fitting.aim(0, "1200 800", "mm").aim(1, "1380 800", "mm")
    with pytest.raises(InputError, match=r"leave the bed by .* along X"):
        fitting.fitted(machine, {})
    with pytest.raises(InputError, match="all marks"):
        fitting.forget().fitted(machine, {})


def test_it_is_begun_from_the_menu(qtbot: QtBot, window: MainWindow) -> None:
    window.show_rose("kingfisher")
    window.menus.begin.aboutToShow.emit()
    entry = next(a for a in window.menus.begin.actions() if a.text().startswith("Fit a file"))
    entry.trigger()
    assert window.place_shown() == "fit"
    press(Qt.Key.Key_Escape)
    assert window.place_shown() == "rose"


def calibrated(shop: Shop, machine: str) -> None:
    """Its pointer as a round would leave it: right to the decimals that its controller keeps."""
    profile = shop.machine(machine)
    for axis, really in zip("xy", (shop.stand_in(machine) or {})["heads"]["pointer"], strict=True):
        quantity = f"pointer_{axis}"
        sign = sign_kept(quantity, profile.offset_form, profile.flipped)
        shop.put_value(machine, quantity, StoredAmount(quantity, "mm", round(sign * really, 2)), "typed")


def practised(page: FitPage) -> float:
    """How far off the practice machine cut, mm, as it is said."""
    found = re.search(r"everywhere within ([\d.]+) mm of the print", shown(page))
    assert found is not None, shown(page)
    return float(found[1])


@pytest.mark.parametrize("suffix", list(FORMATS))
def test_prints_are_aimed_at_and_cut_on_the_practice_machine(window: MainWindow, tmp_path: Path, suffix: str) -> None:
    """By keys alone, sheet after sheet, each laid down another way; bench/fit_loops.py does 100 of each."""
    calibrated(window.shop, "kingfisher")
    file = tmp_path / f"garden-label{suffix}"
    file.write_text(FORMATS[suffix][0](CUT))
    page = opened(window)
    press(str(file), RETURN)
    assert page.fitting is not None, shown(page)
    lay = []
    for _ in range(4):
        for _ in page.fitting.marks:
            press(Qt.Key.Key_F8)
        lay.append(page.fitting.aimed[0])
        assert "The marks correct shift, turn, scale, skew." in shown(page)
        press(RETURN)
        assert practised(page) <= 0.15  # at the marks themselves; between them it is better
        press(RETURN)
    assert len(set(lay)) == 4
    assert window.shop.read_only or len([k for _, k, _ in window.shop.events("kingfisher") if k == "fitted"]) == 4


def test_what_the_controller_has_no_number_for_the_file_makes_up_for(window: MainWindow, tmp_path: Path) -> None:
    """Heron's Y leans: two marks can't say so, a file for blank stock neither. Its steps are right."""
    calibrated(window.shop, "heron")
    held = {q: kept.stored for q, kept in window.shop.values("heron").items()}
    motion = {a: s.motion_factor for a in "xy" if isinstance(s := held[f"{a}_steps"], StoredResolution)}
    window.shop.put_stand_in("heron", {**(window.shop.stand_in("heron") or {}), "motion": motion})
    file = tmp_path / "sign.nc"
    file.write_text(gcode([(50.0, 50.0), (450.0, 50.0), (450.0, 350.0), (50.0, 350.0), (50.0, 50.0)]))
    page = opened(window, "heron")
    press(str(file), RETURN)
    assert page.fitting is not None
    choose_marks(page, TYPED)
    page.marks_from.typed.setFocus()
    press("50 50; 450 50", RETURN)
    press(Qt.Key.Key_F8, Qt.Key.Key_F8)
    assert re.search(
        r"The marks correct shift, turn, scale. The file makes up for Y leaning 1.1\d mm per m", shown(page)
    )
    check_looks(window, (1280, 800))
    press(RETURN)
    made_up = practised(page)
    page.skew.setFocus()
    press(Qt.Key.Key_Space)
    assert "makes up" not in shown(page)
    page.save.setFocus()
    press(RETURN)
    assert practised(page) > made_up + 0.15  # of 0.33 mm that Y leans over 300
    # No marks at all: the file alone, read by another reader, drawn by a machine that leans as it really does.
    choose_marks(page, NONE)
    assert "Without marks" in shown(page)
    page.skew.click()
    choose_marks(page, TYPED)
    choose_marks(page, NONE)
    assert page.fitting.marks == ()
    page.save.setFocus()
    press(RETURN)
    corners = read_gcode((tmp_path / "sign-fitted.nc").read_text())
    tan = Truth.from_json(window.shop.stand_in("heron") or {}).tan_skew(page._held)
    (ox, oy), (_, _), _, (ux, uy) = ((x + tan * y, y) for x, y in corners[:4])
    assert abs(tan) > 1e-3
    assert abs((ux - ox) / (uy - oy)) < 2e-4


def test_a_machine_without_known_errors_cuts_blank_stock_as_it_is(window: MainWindow, tmp_path: Path) -> None:
    file = tmp_path / "sign.plt"
    file.write_text(hpgl(CUT))
    page = opened(window)
    press(str(file), RETURN)
    choose_marks(page, NONE)
    assert "Without marks a file changes only where" in shown(page)
    assert page.fitting is not None
    assert len(page.fitting.marks) == 4


def test_it_goes_over_the_cable_with_two_keys(window: MainWindow, tmp_path: Path) -> None:
    """Refused where it would leave the bed; broken off by STOP, said; then to its end."""
    heron = window.shop.machine("heron")
    held = holding(heron, {q: v.stored for q, v in window.shop.values("heron").items()})
    file = tmp_path / "sign.nc"
    file.write_text(gcode(CUT))
    with stand_in(heron, held, fast=60.0) as controller:
        window.shop.put_machine(replace(heron, port=controller.path))
        page = opened(window, "heron")
        press(str(file), RETURN)
        assert page.fitting is not None
        link = window.link_of("heron")
        assert not page.cable.isVisible()
        page._do(lambda: page.fitting.with_marks(MARKS[:2]) if page.fitting else page.fitting)
        page._aim_at("1250 100", "mm")
        page._aim_at("1430 100", "mm")
        assert page.cable.isVisible()
        click(page, "Connect the cable")
        until(lambda: link.state is LinkState.READY)
        click(page, "Run it over the cable…")
        click(page, "It is clear: start")
        assert "leave the bed" in shown(page)
        assert controller.arrived == []
        page._forget()
        page._aim_at("300 100", "mm")
        page._aim_at("480 100", "mm")
        check_looks(window, (1280, 800))
        click(page, "Run it over the cable…")
        assert "The machine will move" in shown(page)
        assert controller.arrived == []
        click(page, "It is clear: start")
        until(lambda: "Running: " in shown(page))
        window.show_rose("swift")
        assert window.places.currentWidget() is page
        click(page, "Stop at once")
        until(lambda: "Look at what lies there" in shown(page) or "stopped" in shown(page).lower())
        until(lambda: link.state is LinkState.READY)
        controller.arrived.clear()
        link.reset()
        until(lambda: link.state is LinkState.READY)
        click(page, "Run it over the cable…")
        click(page, "It is clear: start")
        until(lambda: "Cut over the cable." in shown(page), 20.0)
        sent = page.fitting.fitted(page.machine, page._held).data
        assert controller.arrived == [c.text for c in commands_of(sent, TEXT)]
        kinds = [kind for _, kind, _ in window.shop.events("heron")]
        assert kinds[-3:] == ["fitted", "run_broke_off", "fitted"]
