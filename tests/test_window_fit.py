"""A cut file from elsewhere onto a print from elsewhere: aimed at by keys in the window, read by another reader."""

from __future__ import annotations

import math
import random
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from driving import press, shown
from keen_compass.app.fit.page import FitPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.machines.heads import TOOL, offset_held
from keen_compass.rounds.fitting import Fitting
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


FORMATS = {".plt": (hpgl, read_hpgl), ".nc": (gcode, read_gcode), ".svg": (svg, read_svg)}


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
    file.write_text(write(CUT))
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
    assert file.read_text() == write(CUT)
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
    assert page.marks_from.currentText() == "corners of the cut"
    assert page.fitting.marks == ((0.0, 0.0), (100.0, 0.0), (100.0, 50.0), (0.0, 50.0))
    check_looks(window, (1280, 800))
    window.resize(1024, 700)
    settle()
    check_looks(window, (1024, 700))
    page.marks_from.setCurrentIndex(2)
    page.marks.setFocus()
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
