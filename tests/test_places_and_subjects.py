"""Where numbers are kept, in which unit, and whose they are."""

from __future__ import annotations

import copy
import json
import math
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from driving import choose, press, shown, tab_to
from keen_compass.app.shop.machine_page import MachinePage
from keen_compass.app.window import MainWindow
from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.machines.forms import machine_fields, read_machine
from keen_compass.machines.profile import Machine
from keen_compass.practice import stand_in
from keen_compass.practice.demo_machines import HERON, SWIFT
from keen_compass.practice.playing import play
from keen_compass.procedures import REGISTRY, load
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.subjects import DIMENSIONS, NO_SUBJECT, Subject, subject_from_input
from keen_compass.rounds import RoundSession
from keen_compass.shop.standing import Spoke, State, Why, spokes
from keen_compass.shop.store import Shop
from keen_compass.words.standing import reason
from said import solved

AMOUNTS = (
    "slot", "backlash", "home", "speed", "kerf", "hole_bias", "drag",
    *(f"{head}_{axis}" for head in ("pointer", "second_tool", "camera") for axis in "xy"),
)  # fmt: skip


def in_inches(body: dict[str, Any], decimals: int) -> dict[str, Any]:
    """The same case for a controller that counts in inches: its amounts are those many inches."""
    turned = copy.deepcopy(body)
    machine = turned["machine"]
    for name, value in machine["values"].items():
        if name.endswith(AMOUNTS):
            machine["values"][name] = value / 25.4
    turned["machine"] |= {"controller_units": "in", "decimals": decimals}
    return turned


def worked_out(formula: str) -> float:
    """What a line of arithmetic comes to, read as a pocket calculator would be."""
    plain = formula.partition(" mm")[0].partition(" in/min")[0].partition(", ")[0]
    plain = plain.replace("−", "-").replace("×", "*").replace("÷", "/")
    assert set(plain) <= set("0123456789.+-*/() ")
    return float(eval(plain))


@pytest.mark.parametrize("name", [n for n in REGISTRY if n != "bed"])
def test_an_inch_controller_gets_the_same_correction_in_inches(name: str) -> None:
    body = load(name).example()
    metric, inches = solved(body), solved(in_inches(body, 7))
    for a, b in zip(metric["findings"], inches["findings"], strict=True):
        assert (a["error"], a["error_unit"], a["expanded_uncertainty"], a["verdict"]) == pytest.approx(
            (b["error"], b["error_unit"], b["expanded_uncertainty"], b["verdict"])
        )  # fmt: skip
        if not a["quantity"].endswith(AMOUNTS):
            assert (a["unit"], a["old"]) == (b["unit"], b["old"])
            continue
        assert {"mm": "in", "mm/min": "in/min"}[a["unit"]] == b["unit"]
        size = 10 ** -body["machine"]["decimals"]
        assert b["new"] * 25.4 == pytest.approx(a["new"], abs=max(size, 1.0 if name == "speed" else 0.0))
        assert b["new_expanded_uncertainty"] * 25.4 == pytest.approx(a["new_expanded_uncertainty"])


@pytest.mark.parametrize("name", ["backlash", "home", "travel-run", "rectangle", "reference-lines", "speed"])
@pytest.mark.parametrize("units", ["mm", "in"])
def test_the_line_of_arithmetic_comes_to_the_new_number(name: str, units: str) -> None:
    """Read as it is there, in whatever unit the controller has."""
    body = load(name).example()
    body["machine"]["decimals"] = 4
    for finding in solved(in_inches(body, 4) if units == "in" else body)["findings"]:
        worth = (
            1.0 if finding["quantity"].endswith("speed") else 1e-3 if finding["quantity"].endswith("steps") else 6e-4
        )
        assert worked_out(finding["formula"]) == pytest.approx(finding["new"], abs=worth)


def test_a_feed_is_rounded_down_in_whatever_unit_it_is_kept() -> None:
    body = load("speed").example()
    for decimals in (0, 1, 3):
        (found,) = solved(in_inches(body, decimals))["findings"]
        (metric,) = solved(body)["findings"]
        assert found["new"] * 25.4 <= metric["new"] + 1
        assert found["new"] * 25.4 > metric["new"] - 25.4 * 10.0**-decimals - 1e-6
        assert round(found["new"], decimals) == found["new"]


def test_decimals_of_one_number_apart() -> None:
    body = load("travel-run").example()
    body["machine"]["decimals"] = {"x_steps": 2, "x_backlash": 1}
    found = {f["quantity"]: f for f in solved(body)["findings"]}
    assert (found["x_steps"]["new"], found["x_backlash"]["new"]) == (106.63, 0.1)


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"machine": {"values": {"x_stpes": 100}}}, "machine.values.x_stpes"),
        ({"machine": {"controller_units": "furlong"}}, "machine.controller_units"),
        ({"machine": {"decimals": {"x_stpes": 3}}}, "machine.decimals"),
        ({"machine": {"decimals": {"x_steps": 3.5}}}, "machine.decimals.x_steps"),
        ({"subject": {"tolo": "6 mm"}}, "subject.tolo"),
        ({"subject": {"tool": 6}}, "subject.tool"),
        ({"subject": {"thickness": "thick"}}, "subject.thickness"),
        ({"subject": {"thickness": -1}}, "subject.thickness"),
        ({"subject": []}, "subject"),
    ],
)
def test_unknown_names_are_refused_with_their_place(
    change: dict[str, Any], place: str, tmp_path: Any, capsys: pytest.CaptureFixture[str]
) -> None:  # fmt: skip
    body = load("rectangle").example()
    for key, value in change.items():
        body[key] = {**body.get(key, {}), **value} if isinstance(value, dict) else value
    file = tmp_path / "input.json"
    file.write_text(json.dumps(body), encoding="utf-8")
    assert main(["solve", str(file)]) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert place in said.err
    assert len(said.err.splitlines()) == 1


def test_the_subject_stands_in_every_finding() -> None:
    subject = {"tool": "6 mm cutter", "material": "birch ply", "thickness": 9.0}
    for name in REGISTRY:
        for finding in solved(load(name).example() | {"subject": subject | {"thickness": "9 mm"}})["findings"]:
            assert finding["subject"] == subject


def test_kerf_known_from_before_is_in_the_controllers_unit_and_lost_motion_in_mm() -> None:
    body = load("rectangle").example()
    known = {"kerf": {"value": 6.07, "expanded_uncertainty": 0.04}, "x_lost_motion": 0.09, "y_lost_motion": 0.13}
    body["machine"]["values"] |= known
    metric = solved(body)
    body["machine"]["values"]["kerf"] = {"value": 6.07 / 25.4, "expanded_uncertainty": 0.04 / 25.4}
    body["machine"]["controller_units"] = "in"
    for a, b in zip(metric["findings"], solved(body)["findings"], strict=True):
        assert (a["new"], a["error"]) == (pytest.approx(b["new"]), pytest.approx(b["error"]))


def test_what_bears_on_no_length_of_the_piece_changes_nothing() -> None:
    """A hole bias is known, and the outline has no hole."""
    body = load("rectangle").example()
    before = solved(body)
    body["machine"]["values"]["hole_bias"] = {"value": 0.2, "expanded_uncertainty": 0.1}
    assert solved(body) == before


# Places of a machine of the shop

INCH = replace(HERON, controller_units="in", decimals=0, decimals_of={"x_backlash": 4, "x_speed": 1, "x_steps": 3})


def test_a_place_has_its_own_unit_and_decimals() -> None:
    held = StoredAmount("x_backlash", "mm", 0.127)
    assert HERON.place("x_backlash").text(held) == "0.127"
    assert INCH.place("x_backlash").text(held) == "0.0050"
    assert INCH.place("x_speed").text(StoredAmount("x_speed", "mm/min", 9600.0)) == "378.0"
    assert INCH.place("squareness").unit == "in"  # by hand, in no controller: the shop’s own
    assert INCH.place("x_steps").text(HERON.place("x_steps").typed("106.667")) == "106.667"


def test_places_survive_the_form_and_the_file() -> None:
    values = {"x_steps": HERON.place("x_steps").typed("106.667"), "y_steps": HERON.place("y_steps").typed("106.7"),
              "x_backlash": StoredAmount("x_backlash", "in", 0.005)}  # fmt: skip
    values["x_speed"] = StoredAmount("x_speed", "in/min", 378.5)
    fields = machine_fields(INCH, values)
    assert fields["x_backlash"] == "0.0050"
    again, stored, complaints = read_machine(fields, INCH.standpoint, INCH)
    assert complaints == {}
    assert again is not None
    assert (again.controller_units, again.decimals_of) == ("in", INCH.decimals_of)
    assert stored["x_backlash"] == values["x_backlash"]
    assert Machine.from_json(json.loads(json.dumps(again.to_json()))) == again
    fewer, _, _ = read_machine(fields | {"x_backlash": "0.005", "y_backlash": "0,12345"}, Standpoint(), INCH)
    assert fewer is not None
    assert fewer.decimals_of == {"x_steps": 3, "x_backlash": 3, "x_speed": 1, "y_backlash": 5}  # as typed, so kept


def test_a_form_in_inches_that_nobody_touched_makes_no_other_stock() -> None:
    """0.1 mm is shown as 0.0039 in, which would be 0.09906."""
    values = {"x_steps": SWIFT.place("x_steps").typed("100.62"), "y_steps": SWIFT.place("y_steps").typed("99.65")}
    again, _, complaints = read_machine(machine_fields(SWIFT, values), SWIFT.standpoint, SWIFT)
    assert complaints == {}
    assert again is not None
    assert again.stock is not None
    assert SWIFT.stock is not None
    assert (again.stock.thickness, again.stock.uid) == (SWIFT.stock.thickness, SWIFT.stock.uid)


# Subjects

NAMES = st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=20)
SUBJECTS = st.builds(
    Subject,
    **{d: NAMES for d in DIMENSIONS if d != "thickness"},
    thickness=st.floats(0, 500).map(lambda t: round(t, 3)),
)


@given(SUBJECTS, SUBJECTS)
def test_two_subjects_have_one_key_only_where_they_are_one(a: Subject, b: Subject) -> None:
    assert (a.key == b.key) == (a == b)
    assert subject_from_input(a.to_json()) == a
    assert Subject.from_key(a.key) == a


@given(SUBJECTS, st.sets(st.sampled_from(DIMENSIONS)))
def test_what_does_not_matter_is_left_out(a: Subject, dimensions: set[str]) -> None:
    assert a.on(dimensions).on(dimensions) == a.on(dimensions)
    assert all(getattr(a.on(dimensions), d) == getattr(a if d in dimensions else NO_SUBJECT, d) for d in DIMENSIONS)
    assert a.on(()) == NO_SUBJECT


def test_a_thickness_that_is_none_is_refused() -> None:
    for thickness in (math.nan, math.inf, True, "x" * 300, 1e9):
        with pytest.raises(InputError, match="thickness"):
            subject_from_input({"thickness": thickness})


# What is mounted, in the window


def choose_mounted(window: MainWindow, words: str) -> None:
    """Open the list of what is on the machine and go down it to an entry, by keyboard."""
    button = window.rose_page.mounted
    button.setFocus()
    press(Qt.Key.Key_Return)
    menu = button._list
    assert menu.isVisible()
    for _ in range(20):
        QTest.keyClick(menu, Qt.Key.Key_Down)
        if menu.activeAction() is not None and words in menu.activeAction().text():
            QTest.keyClick(menu, Qt.Key.Key_Return)
            QApplication.processEvents()
            return
    raise AssertionError(f"{words} is not offered")


def spoke_of(window: MainWindow, quantity: str) -> Spoke:
    return {s.quantity: s for s in spokes(window.shop, window.shop.machine("swift"))}[quantity]


def test_another_roll_has_a_tracking_of_its_own_and_the_controller_keeps_its_numbers(window: MainWindow) -> None:
    window.show_rose("swift")
    before = window.shop.values("swift")
    assert spoke_of(window, "tracking").finding is not None
    choose_mounted(window, "display film")
    assert "display film" in window.rose_page.mounted.text()
    assert (spoke_of(window, "tracking").state, spoke_of(window, "tracking").about) == (State.NEVER, "display film")
    assert "Not measured with display film yet" in shown(window.rose_page)
    assert spoke_of(window, "x_steps").state is State.IN  # belongs to the machine alone
    assert window.shop.values("swift") == before
    assert window.shop.events("swift")[-1][1:] == ("new_sheet", "display film")
    choose_mounted(window, "white vinyl")
    assert spoke_of(window, "tracking").finding is not None


def test_a_round_finds_out_for_the_roll_that_is_on(window: MainWindow) -> None:
    shop = window.shop
    (film,) = [s for s in shop.stock_at_hand(shop.machine("swift")) if s.name == "display film"]
    shop.mount(shop.machine("swift"), stock=film)
    play(shop, shop.machine("swift"), "travel-run", "tracking", "rule-60in")
    found = {s: k.finding for (m, q, s), k in shop.latest_findings().items() if (m, q) == ("swift", "tracking")}
    assert set(found) == {"material=white vinyl roll", "material=display film"}
    assert found["material=display film"].subject.material == "display film"
    assert spoke_of(window, "tracking").finding == found["material=display film"]


def test_the_tool_that_made_a_piece_is_the_one_that_is_in(window: MainWindow) -> None:
    window.show_rose("heron")
    choose_mounted(window, "3 mm cutter")
    assert window.shop.machine("heron").tool == HERON.tools[1]
    session = RoundSession.begin(window.shop, window.shop.machine("heron"), "rectangle")
    assert session.context.tool == HERON.tools[1]
    session.making.choose(tool="cutter-6")
    stand_in.make(session)
    assert window.shop.machine("heron").tool == HERON.tools[0]
    piece = session.context.piece
    assert piece is not None
    assert (piece.snapshot.tool, piece.snapshot.stock) == (HERON.tools[0], HERON.stock)
    assert piece.snapshot.held == session.context.values()
    assert (window.shop.blob(piece.sent) or b"").startswith(b"(Keen Compass, piece")


def test_a_number_of_something_else_is_said(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    """As if home offsets belonged to the tool: the controller holds that of the one that was in."""
    for q in ("x_home", "y_home"):
        monkeypatch.setitem(
            QUANTITIES, q, QUANTITIES[q]._replace(family=QUANTITIES[q].family._replace(depends=("tool",)))
        )
    heron = shop.machine("heron")
    shop.mount(heron, tool=HERON.tools[0])
    heron = shop.machine("heron")
    shop.put_value("heron", "x_home", StoredAmount("x_home", "mm", 4.25), "typed", subject=heron.subject)
    shop.mount(heron, tool=HERON.tools[1])
    heron = shop.machine("heron")
    assert shop.values("heron")["x_home"].stored == StoredAmount("x_home", "mm", 4.25)  # what is held stays
    spoke = {s.quantity: s for s in spokes(shop, heron)}["x_home"]
    assert (spoke.state, spoke.why) == (State.NEVER, Why.ANOTHERS)
    assert (
        reason(spoke, shop.machine("heron"))
        == "The controller holds the number for 6 mm cutter: enter the one for what is fitted now."
    )
    shop.put_value("heron", "x_home", StoredAmount("x_home", "mm", 3.5), "typed", subject=heron.subject)
    assert {s.quantity: s for s in spokes(shop, heron)}["x_home"].why is not Why.ANOTHERS
    own = shop.values_by_subject("heron")
    assert [own["x_home", f"tool={uid}"].stored.text(2) for uid in ("cutter-6", "cutter-3")] == ["4.25", "3.50"]


def test_the_form_turns_the_numbers_with_the_controllers_unit(window: MainWindow) -> None:
    window.show_rose("heron")
    held = window.shop.values("heron")
    QTest.mouseClick(window.rose_page.edit, Qt.MouseButton.LeftButton)
    page = window.places.currentWidget()
    assert isinstance(page, MachinePage)
    before = page.keeps.values()
    tab_to("▸ More that the controller keeps")
    press(Qt.Key.Key_Space)
    choose("Its lengths and feeds", "in inches")
    turned = page.keeps.values()
    assert float(turned["x_home"]) == pytest.approx(float(before["x_home"]) / 25.4, abs=1e-5)
    assert turned["x_steps"] == before["x_steps"]
    QTest.mouseClick(page.save, Qt.MouseButton.LeftButton)
    inch, now = window.shop.machine("heron"), window.shop.values("heron")
    assert inch.controller_units == "in"
    for q in ("x_backlash", "x_home", "x_speed"):
        assert isinstance(stored := now[q].stored, StoredAmount)
        assert stored.unit in ("in", "in/min")
        assert isinstance(was := held[q].stored, StoredAmount)
        assert stored.base == pytest.approx(was.base, abs=0.001 if q != "x_speed" else 0.15)  # as it is shown
