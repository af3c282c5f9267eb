"""A machine by four questions: what is usual in its unit, what a number may count, from an empty shop to a file."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from driving import click, focus, opened, press, shown
from keen_compass.app.shop.new_machine import NewMachinePage
from keen_compass.app.window import MainWindow
from keen_compass.machines.forms import judged, machine_fields, read_machine
from keen_compass.machines.newcomer import fields_of, forms_like, usual_in
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.shop.store import Shop
from looks import check_looks, settle

RETURN = Qt.Key.Key_Return
F = ResolutionForm


@pytest.mark.parametrize("units", ["mm", "in"])
@pytest.mark.parametrize("kind", list(MachineKind))
def test_what_is_usual_is_a_whole_machine_in_its_own_unit(kind: MachineKind, units: str) -> None:
    fields = fields_of(kind, units, {"name": "Gull", "x_steps": "100", "y_steps": "100"})
    machine, stored, complaints = read_machine(fields, Standpoint(), None)
    assert not complaints
    assert machine is not None
    assert set(stored) == {"x_steps", "y_steps"}
    assert (machine.kind, machine.units, machine.controller_units) == (kind, units, units)
    other = "mm" if units == "in" else "in"
    for name, text in machine_fields(machine, {}).items():
        assert not text.endswith(f" {other}"), name
    if units == "in":  # numbers that someone would name: few digits
        assert all(len(text.split()[0]) <= 6 for text in (fields["bed_x"], fields["bed_y"], fields["tool_width"]))
        for q in judged():
            if QUANTITIES[q].error_unit == "mm":
                assert round(machine.tolerances[q] / 25.4, 3) == pytest.approx(machine.tolerances[q] / 25.4)
    usual = usual_in(kind, "mm").bed
    assert all(0.5 < a / b < 3.1 for a, b in zip(machine.bed, usual, strict=True))


@pytest.mark.parametrize(
    ("text", "table", "plotter"),
    [
        ("80", F.STEPS_PER_MM, F.STEPS_PER_MM),
        ("106.667", F.STEPS_PER_MM, F.PERCENT_100),
        ("2032", F.STEPS_PER_INCH, F.STEPS_PER_INCH),
        ("1016", F.STEPS_PER_INCH, F.STEPS_PER_INCH),
        ("320", F.STEPS_PER_MM, F.STEPS_PER_MM),
        ("0,0125", F.MM_PER_STEP, F.PERCENT_0),
        ("12.5", F.UM_PER_STEP, F.UM_PER_STEP),
        ("0.0004921", F.INCH_PER_STEP, F.PERCENT_0),
        ("100.0", F.STEPS_PER_MM, F.PERCENT_100),
        ("0", F.PERCENT_0, F.PERCENT_0),
    ],
)
def test_a_number_tells_what_it_counts(text: str, table: ResolutionForm, plotter: ResolutionForm) -> None:
    assert forms_like(text, MachineKind.ROUTER)[0] is table
    assert forms_like(text, MachineKind.KNIFE)[0] is plotter


@pytest.mark.parametrize("text", ["", "about 80", "-7000", "1e12", "nan"])
def test_what_counts_nothing_has_no_form(text: str) -> None:
    assert forms_like(text, MachineKind.ROUTER) == ()


@pytest.mark.parametrize("kind", [MachineKind.ROUTER, MachineKind.PLASMA, MachineKind.KNIFE])
@pytest.mark.parametrize("units", ["mm", "in"])
def test_from_an_empty_shop_to_the_first_file_in_a_dozen_acts(
    qtbot: QtBot, tmp_path: Path, kind: MachineKind, units: str
) -> None:
    """An act is a field typed, a key that goes on, or a click."""
    window, acts = opened(qtbot, Shop(tmp_path / "new.kcshop")), 0
    page = window.places.currentWidget()
    assert isinstance(page, NewMachinePage)

    def act(run: object, *of: object) -> None:
        nonlocal acts
        acts += 1
        run(*of)  # type: ignore[operator]
        settle()

    act(page.kinds[kind].click)
    check_looks(window, (1280, 800))
    if page.units != units:
        act(click, page, {"mm": "millimetres", "in": "inches"}[units])
    act(click, page, "Go on")
    act(press, "2032" if units == "in" else "100", RETURN)
    assert page.form in (F.STEPS_PER_INCH, F.STEPS_PER_MM, F.PERCENT_100)
    act(press, RETURN)
    assert focus() == "Its name in the shop"
    act(press, "Gull", RETURN)
    assert window.places.currentWidget() is window.rose_page
    assert "Begin with X steps and Y steps: everything else depends on them." in shown(window.rose_page)
    machine = window.shop.machines()[0]
    assert (machine.name, machine.kind, machine.units) == ("Gull", kind, units)
    assert not {" mm", " in"} - {f" {units}"} & set(shown(window.rose_page))
    act(click, window.rose_page, "Begin")
    assert window.round_page is not None
    instrument = window.round_page.make.instruments.buttons[0]
    act(instrument.click)
    settle()
    assert "Is this loaded?" in shown(window.round_page.make)  # in place, and nothing waits for it
    making = window.round_page.model.session.making
    assert making.refusal() is None
    making.write_file(tmp_path / "piece.nc")
    acts += 1  # the button that writes it asks for its name
    assert (tmp_path / "piece.nc").stat().st_size
    assert acts <= 12, acts
    window.close()


def test_by_keyboard_and_back_with_a_mistake(window: MainWindow) -> None:
    window.go_to("add")
    page = window.places.currentWidget()
    assert isinstance(page, NewMachinePage)
    assert focus() == "router"
    press(Qt.Key.Key_Down, Qt.Key.Key_Right)
    assert focus() == MachineKind.PRINT_AND_CUT.said
    press(RETURN)
    assert "Roll width" in shown(page)
    press("wide", RETURN, RETURN)
    press("100.00", RETURN)
    assert any(b.text().strip() == "100.00 % of true" and b.isChecked() for b in page.findChildren(QPushButton))
    press("99.98", RETURN)
    press("Tern", RETURN)
    assert "can't read “wide”" in shown(page)  # the question that it belongs to is asked again
    assert focus() == "Roll width"
    press("610 mm", RETURN, RETURN, RETURN, RETURN, RETURN)
    machine = window.shop.machines()[-1]
    assert (machine.name, machine.kind, machine.bed[0]) == ("Tern", MachineKind.PRINT_AND_CUT, 610.0)
    held = {q: v.stored for q, v in window.shop.values_on(machine).items()}
    assert (held["x_steps"].form, held["x_steps"].value, held["y_steps"].value) == (F.PERCENT_100, 100.0, 99.98)  # type: ignore[union-attr]
    window.go_to("add")
    press(RETURN)
    click(window, "Back")
    assert "What is it?" in shown(window.places.currentWidget())
    click(window, "Close")
    assert window.places.currentWidget() is window.rose_page
    assert len(window.shop.machines()) == 5


def test_empty_lists_say_what_will_stand_in_them(qtbot: QtBot, tmp_path: Path) -> None:
    window = opened(qtbot, Shop(tmp_path / "new.kcshop"))
    window.go_to("logbook")
    settle()
    page = window.places.currentWidget()
    assert "Rounds, changes and events will be listed here" in shown(page)
    window.close()
