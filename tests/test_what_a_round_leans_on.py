"""What a round leans on: play found earlier, pieces that differed, warmth; what it says of head, gantry, limits."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from driving import opened, press, shown
from keen_compass.app.round.words import headline
from keen_compass.app.window import MainWindow
from keen_compass.machines.fitted import Tool
from keen_compass.machines.limits import HEADS
from keen_compass.machines.usual_instruments import usual_instruments
from keen_compass.practice import stand_in
from keen_compass.practice.demo_machines import HERON
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.stages import Step
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import Cause
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.rounds.context import LATEST
from keen_compass.rounds.knowledge import everything_known, present, scatter
from keen_compass.shop.marks import Signed
from keen_compass.shop.store import Shop
from keen_compass.words.limits import WORDS, limits_in_words
from looks import check_looks, settle
from said import notes_of


def cut(shop: Shop, readings: int = 3, machine: str = "heron") -> RoundSession:
    session = RoundSession.begin(shop, shop.machine(machine), "rectangle")
    stand_in.make(session)
    session.go(Step.MEASURE)
    for _ in range(readings * 4):
        session.measuring.type(stand_in.shows(session) or "")
        session.measuring.keep()
    return session


# Play


def test_the_play_that_a_dial_found_is_leant_on_and_never_the_rounds_own(shop: Shop) -> None:
    session = cut(shop)
    known = session.context.known_for(session.context.piece)
    assert set(known) == {"kerf", "x_lost_motion", "y_lost_motion"}
    held = session.context.piece.snapshot.held["x_backlash"]
    newest = shop.findings("heron", "x_backlash")[-1]
    right = newest.finding.old + newest.finding.error
    assert known["x_lost_motion"].value == pytest.approx(right - held.value, abs=1e-9)
    assert newest.finding.expanded_uncertainty == known["x_lost_motion"].U
    assert known["x_lost_motion"].evidence == {f"round:{newest.round}"}
    dial = RoundSession.begin(shop, shop.machine("heron"), "backlash", "x_backlash")
    assert "x_lost_motion" not in dial.context.known_for(None)  # what it is about to find out itself


def test_what_is_corrected_later_never_changes_an_answer(shop: Shop) -> None:
    session = cut(shop)
    before = session.measuring.answer()
    session.go(Step.CORRECT)
    session.correcting.enter("x_steps", "106.9")
    assert session.measuring.answer() == before
    # From now on the play found before rests on steps that were changed since: the next round doesn't lean on it.
    session.give_up("another day")
    later = RoundSession.begin(shop, shop.machine("heron"), "squareness")
    assert "x_lost_motion" not in later.context.known_for(None)
    assert "y_lost_motion" in later.context.known_for(None)
    # Nor does what proposes the next piece, or what solves everything together.
    heron = shop.machine("heron")
    assert set(everything_known(shop, heron, present(shop, heron), LATEST)) >= {"y_lost_motion"}
    assert "x_lost_motion" not in everything_known(shop, heron, present(shop, heron), LATEST)


def test_the_newest_finding_is_the_last_of_those_before(shop: Shop) -> None:
    asked = shop.machine("heron").quantities
    history = {q: shop.findings("heron", q) for q in asked}
    moments = sorted({k.at for found in history.values() for k in found})
    for until in (moments[0], moments[len(moments) // 2], moments[-1], "", LATEST):
        for without in (0, max(k.round for found in history.values() for k in found)):
            expected = {
                q: [k for k in found if k.at <= until and k.round != without][-1:] for q, found in history.items()
            }
            newest = shop.newest_findings("heron", asked, until, without)
            assert {q: [newest[q]] if q in newest else [] for q in asked} == expected


def test_the_kerf_of_the_same_tool_in_the_same_stock_is_leant_on(shop: Shop) -> None:
    """The truth of the stand-in is within what is kept of it; another tool's is nobody's business."""
    later = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    known = later.context.known_for(None)["kerf"]
    true = stand_in_kerf(shop)
    assert abs(known.value - true) <= 1.5 * known.U < 0.2
    (source,) = known.evidence
    signed = shop.mark(int(source.removeprefix("round:")), Signed)
    assert signed is not None
    assert signed.answer["figures"] == {"kerf": known.value, "kerf_expanded_uncertainty": known.U}
    later.making.new_sheet()
    stand_in.make(later)
    later.go(Step.MEASURE)
    for _ in range(9):  # all but the short height
        if later.measuring.current() == "short_height":
            later.measuring.skip("short_height")
        later.measuring.type(stand_in.shows(later) or "")
        later.measuring.keep()
    notes = notes_of(later.measuring.answer())
    assert any(n.startswith("Kerf known from before: ") for n in notes)
    assert later.measuring.answer().finding("y_steps").error is not None
    other = replace(shop.machine("heron"), tools=(Tool("3 mm cutter", 3.0, uid="cutter-3"),), mounted="cutter-3")
    shop.put_machine(other)
    assert "kerf" not in RoundSession.begin(shop, other, "squareness").context.known_for(None)


def stand_in_kerf(shop: Shop) -> float:
    truth = shop.stand_in("heron")
    assert truth is not None
    return float(truth["kerf"])


# Pieces


def test_how_pieces_differ_is_learnt_from_equal_ones(shop: Shop) -> None:
    """Two equal pieces whose lengths came out 0.1 mm apart: s² = (4 · 0.05² · 2 + 4 · 0.03²) / (4 + 4), by hand."""
    machine = replace(HERON, uid="plover", name="Plover", scatter=None)
    shop.put_machine(machine)
    for q in ("x_steps", "y_steps"):
        shop.put_value("plover", q, StoredResolution(ResolutionForm.STEPS_PER_MM, 106.5), "start")
    session = RoundSession.begin(shop, machine, "rectangle")
    session.making.choose_size(200.0)
    assert scatter(shop, machine, drawn=False, without=0) is None
    for offset in (0.0, 0.1):
        session.making.made()
        session.go(Step.MEASURE)
        for callout in session.measuring.callouts():
            session.measuring.choose(callout.measurand.name)
            session.measuring.type(f"{callout.measurand.nominal + offset:.2f}")
            assert session.measuring.keep()
        if not offset:
            session.go(Step.MAKE)
    session.measuring.confirm_odd()  # so far apart, someone is asked
    session.sign("close enough")
    learnt = scatter(shop, machine, drawn=False, without=0)
    assert learnt is not None
    assert (learnt.dof, learnt.assumed) == (8, False)
    assert learnt.s == pytest.approx(((4 * 2 * 0.05**2 + 4 * 0.03**2) / 8) ** 0.5)
    assert scatter(shop, machine, drawn=False, without=session.context.kept.id) is None
    assert scatter(shop, machine, drawn=True, without=0) is None
    again = RoundSession.begin(shop, machine, "rectangle")
    case = again.context.case(again.making.parameters(), again.context.values(), {}, again.context.subject)
    assert case.piece_scatter == learnt


# Warmth


@pytest.fixture
def measuring(qtbot: QtBot, shop: Shop, windows: Any) -> MainWindow:
    window = opened(qtbot, shop)
    window.show_rose("swift")
    window.begin("rectangle")
    session = window.round_page.model.session
    session.making.choose_size(600.0)
    stand_in.make(session)
    session.go(Step.MEASURE)
    for _ in range(4):
        session.measuring.type(stand_in.shows(session) or "")
        session.measuring.keep()
    QApplication.processEvents()
    return window


def test_warmth_is_given_by_keyboard_counts_and_is_taken_back(qtbot: QtBot, measuring: MainWindow) -> None:
    page = measuring.round_page
    session, bar = page.model.session, page.measure.warmth
    cold = session.measuring.answer().findings[0]
    page.answer.warmth.setFocus()
    press(Qt.Key.Key_Return)
    assert bar.isVisible()
    assert QApplication.focusWidget() is bar.part
    press("warm", Qt.Key.Key_Return)
    assert "degrees Celsius" in shown(bar)
    bar.part.clear()
    bar.material.setCurrentIndex(bar.material.findData("acrylic"))
    press("31,5", Qt.Key.Key_Tab)
    press("24", Qt.Key.Key_Return)
    assert not bar.isVisible()
    assert page.answer.warmth.text() == "Temperature: 31.5 °C, 24 °C"
    warm = session.measuring.answer().findings[0]
    # What is read warm is that much longer than at 20 °C: 70e-6 · 11.5 − 11.5e-6 · 4, per mm.
    assert cold.error - warm.error == pytest.approx(1000 * (70e-6 * 11.5 - 11.5e-6 * 4), rel=0.01)
    assert "warmth" in dict(warm.limits)
    for size in ((1280, 800), (1024, 700)):
        measuring.resize(*size)
        settle()
        check_looks(measuring, size)
    measuring.menus.undo.trigger()
    assert session.measuring.answer().findings[0].error == pytest.approx(cold.error)
    QTest.mouseClick(page.answer.warmth, Qt.MouseButton.LeftButton)
    QTest.mouseClick(bar.off, Qt.MouseButton.LeftButton)
    assert not bar.isVisible()


@pytest.mark.parametrize("typed", ["-80", "4e9", "", "x"])
def test_degrees_that_no_shop_has_are_refused(shop: Shop, typed: str) -> None:
    session = cut(shop, 0)
    with pytest.raises(Exception, match=r"Celsius|°C"):
        session.measuring.put_warmth("steel", typed, "20")
    assert session.measuring.warmth().material == ""


# What limits an answer


def test_what_limits_it_stands_under_the_answer(measuring: MainWindow) -> None:
    card = next(c for c in measuring.round_page.answer.cards.values() if c.isVisible())
    assert "Uncertainty: scatter between pieces" in shown(card)
    assert set(WORDS) == set(Cause)
    assert limits_in_words((("pieces", 0.9), ("tilt", 0.1))) == "Uncertainty: scatter between pieces 90\u00a0%"
    assert limits_in_words(()) == ""


# Head and gantry, each as it is built: what is said, checked by turning a head that is drawn


TOP, FOOT = 1.0, -1.0  # heights of the screws' ends on the head


def leans_after(head: str, note: str, axis: str, tilt: float, mount: float) -> float:
    """Lean of the head (top's offset over its height) once the shim is where the sentence says."""
    thick = float(note.split(" mm", maxsplit=1)[0].rsplit(" ", 1)[1]) / mount
    sign = {"+": 1.0, "−": -1.0}
    if head == "stands":  # raising a side tips the top to the other
        side = sign[note.split("under the ")[1][0]]
        return tilt - side * thick
    if head == "hangs":  # pushing a side down tips the top towards it … of what hangs, the foot away from it
        side = sign[note.split("above the ")[1][0]]
        return tilt + side * thick
    side = -1.0 if "low" in head else 1.0  # where the head is, seen from its plate: there a shim pushes it
    if axis not in head.split("_")[2]:
        return tilt + sign[note.split("towards ")[1][0]] * thick
    end = TOP if "top" in note else FOOT
    return tilt + side * end * thick


@pytest.mark.parametrize("head", HEADS)
@pytest.mark.parametrize("axis", ["x", "y"])
@pytest.mark.parametrize("lean", [0.9, -0.9])
def test_a_shim_makes_the_head_upright_however_it_is_held(head: str, axis: str, lean: float) -> None:
    R, mount = 120.0, 140.0
    other = "y" if axis == "x" else "x"
    body = {
        "procedure": "bed", "machine": {"head": head, "values": {}},
        "piece": {"run": "tram", "radius": R, "mount": mount}, "instrument": {"resolution": 0.001, "kind": "dial"},
        "tolerance": {"x_tram": 0.1, "y_tram": 0.1},
        "readings": [
            {"measurand": f"{axis}_high", "values": [0.5 + lean * R / 1000]},
            {"measurand": f"{axis}_low", "values": [0.5 - lean * R / 1000]},
            {"measurand": f"{other}_high", "values": [0.5]}, {"measurand": f"{other}_low", "values": [0.5]},
        ],
    }  # fmt: skip
    found = next(f for f in load("bed").solve(case_from_json(body)).findings if f.quantity == f"{axis}_tram")
    assert found.error == pytest.approx(lean, abs=1e-3)
    assert leans_after(head, notes_of(found)[0], axis, lean / 1000, mount) == pytest.approx(0, abs=1e-5)


def test_where_nobody_looked_it_says_what_leans_and_asks(shop: Shop) -> None:
    body = load("bed").example() | {
        "piece": {"run": "tram"}, "machine": {"values": {}},
        "readings": [{"measurand": m, "values": [v]} for m, v in
                     (("x_high", 0.7), ("x_low", 0.5), ("y_high", 0.5), ("y_low", 0.5))],
    }  # fmt: skip
    notes = notes_of(load("bed").solve(case_from_json(body)).findings[0])
    assert "top leans towards +X" in notes[0]
    assert "machine’s form" in notes[0]


@pytest.mark.parametrize(("along", "end", "way"), [("y", "X", "−Y"), ("x", "Y", "−X")])
def test_the_gantrys_end_moves_along_its_own_rails(along: str, end: str, way: str) -> None:
    body = load("squareness").example()
    body["machine"]["gantry_along"] = along
    note = notes_of(load("squareness").solve(case_from_json(body)).findings[0])[0]
    assert note == f"Move the gantry’s end at highest {end} by 1.90 mm towards {way}."


def test_a_gantry_moved_as_it_says_stands_square() -> None:
    """Two ends w apart; the beam is turned about its low end until Y is square to X again, for both builds."""
    rng = random.Random(5)
    for along in ("x", "y"):
        gamma, w = rng.uniform(-0.003, 0.003), 1180.0
        d1 = (400**2 + 300**2 + 2 * 400 * 300 * gamma) ** 0.5
        d2 = (400**2 + 300**2 - 2 * 400 * 300 * gamma) ** 0.5
        body = load("squareness").example()
        body["machine"]["gantry_along"] = along
        body["readings"] = [{"measurand": m, "values": [v] * 3} for m, v in
                            (("width", 400.0), ("height", 300.0), ("diagonal_1", d1), ("diagonal_2", d2))]  # fmt: skip
        move = load("squareness").solve(case_from_json(body)).findings[0].new
        # Along Y: the beam is the X axis, turned by move/w towards +Y. Along X: the beam is the Y axis, towards +X.
        left = gamma + move / w
        assert abs(left) < 2e-5


# No instrument yet


@pytest.fixture
def empty(qtbot: QtBot, tmp_path: Path, windows: Any) -> Iterator[MainWindow]:
    """A shop with one machine and nothing to measure with."""
    shop = Shop(tmp_path / "new.kcshop")
    shop.put_machine(replace(HERON, uid="plover", name="Plover", scatter=None))
    for q in ("x_steps", "y_steps"):
        shop.put_value("plover", q, StoredResolution(ResolutionForm.STEPS_PER_MM, 106.5), "start")
    window = opened(qtbot, shop)
    window.show_rose("plover")
    yield window
    shop.close()


def test_an_instrument_is_taken_with_one_key_where_it_is_first_needed(empty: MainWindow) -> None:
    empty.begin("rectangle")
    QApplication.processEvents()
    page = empty.round_page
    session, bar = page.model.session, page.make.instruments
    assert bar.isVisible()
    assert [b.accessibleName().split("  ")[1] for b in bar.buttons] == [
        "Caliper 150 mm", "Caliper 200 mm", "Caliper 300 mm", "Steel rule 1 m", "Tape 3 m",
    ]  # fmt: skip
    assert session.context.choices.size <= 300  # not the whole sheet
    for size in ((1280, 800), (1024, 700)):
        empty.resize(*size)
        settle()
        check_looks(empty, size)
    assert QApplication.focusWidget() is bar.buttons[0]
    press("3")
    assert not bar.isVisible()
    (kept,) = empty.shop.instruments()
    assert (kept.name, kept.permissible_error, kept.kind) == ("Caliper 300 mm", (0.02, 3.5e-5), "caliper")
    assert session.context.instrument.uid == kept.uid
    assert session.context.choices.size <= kept.reach
    assert page.make.instrument.isVisible()


def test_it_is_asked_at_the_first_reading_too(empty: MainWindow) -> None:
    empty.begin("backlash", "x_backlash")
    session = empty.round_page.model.session
    session.making.made()
    session.go(Step.MEASURE)
    QApplication.processEvents()
    bar = empty.round_page.measure.instruments
    assert bar.isVisible()
    assert "choose one above" in shown(empty.round_page.measure.strip)
    QTest.mouseClick(bar.buttons[0], Qt.MouseButton.LeftButton)
    assert session.context.instrument.kind in session.context.procedure.read_by.suits
    press("0.08", Qt.Key.Key_Return)
    assert session.measuring.callouts()[0].readings[0].text == "0.08"


def test_inch_shops_are_offered_inch_instruments() -> None:
    offered = usual_instruments("in 1/64")
    assert all(i.unit == "in" for i in offered)
    assert len(offered) == len(usual_instruments("mm")) == 7
    assert all(0 < i.resolution < i.reach and i.permissible_error[0] >= i.resolution / 3 for i in offered)


@pytest.mark.parametrize(
    ("quantity", "units", "said"),
    [
        ("x_backlash", "mm", "Out: +0.080 ± 0.012 mm"), ("x_backlash", "in", "Out: +3.15 ± 0.47 thou"),
        ("x_steps", "mm", "Out: +0.080 ± 0.012"), ("x_speed", "mm", "Out: +0.080 ± 0.012 mm/min"),
    ],
)  # fmt: skip
def test_a_verdict_says_its_unit_where_it_is_not_mm_per_m(quantity: str, units: str, said: str) -> None:
    unit = QUANTITIES[quantity].error_unit
    finding = Finding(quantity, "", 0.0, 0.1, 0.1, 0.08, unit, 0.012, 0.05, Verdict.OUT, True, "")
    assert headline(finding, replace(HERON, controller_units=units)) == said
