"""One shape with rising room, and strips in a window: by hand, before someone else's physics, in the window."""

from __future__ import annotations

import random
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from driving import click, press, shown, states, tab_to
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.formats.gcode import CutSettings, write_gcode
from keen_compass.formats.playback import Speeds, misfits, read_back
from keen_compass.formats.thermal import ThermalSettings, write_thermal
from keen_compass.pieces.job import Applies, Corrections, composed
from keen_compass.pieces.rungs import KerfComb, KerfLadder
from keen_compass.practice import stand_in
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.shop.standing import State
from keen_compass.standin.router import Router
from keen_compass.standin.truth import Truth
from said import solved
from strict_reader import read_thermal

BED = Box(0, 0, 900, 900)
EXACT = {"x_scale": 0.0, "x_lost_motion": 0.0}
SMALL = [0.11, 0.14, 0.17, 0.2, 0.23, 0.26, 0.29]


def asked(procedure: str, piece: dict[str, Any], readings: dict[str, Any], **more: Any) -> dict[str, Any]:
    body = {
        "procedure": procedure, "machine": {"kind": "laser", "decimals": 4, "values": {"kerf": 0.2, **EXACT}},
        "piece": piece, "instrument": {"resolution": 1e-4, "permissible_error": [0, 0], "kind": "caliper"},
        "piece_scatter": {"s": 0.001, "dof": 50}, "tolerance": 0.05, "confirmed": True,
        "readings": [{"measurand": m, "values": v if isinstance(v, list) else [v]} for m, v in readings.items()],
    }  # fmt: skip
    return dict(solved(body | more)["findings"][0])


@pytest.mark.parametrize(("side", "way"), [("outside", 1), ("inside", -1)])
def test_every_rung_says_the_same_kerf(side: str, way: int) -> None:
    """O = n + c − K − B, H = n − c + K − B: with B known, the compensation that brings such sizes right."""
    K, B = 0.243, 0.02
    piece = {"nominal": 20, "side": side, "compensations": SMALL}
    sizes = {f"rung_{i}": 20 + way * (c - K) - B for i, c in enumerate(SMALL, 1)}
    known = {"kerf": 0.2, "x_scale": 0.0, "x_lost_motion": B}
    machine = {"kind": "laser", "decimals": 4, "values": known}
    right = K + way * B
    found = asked("kerf-ladder", piece, sizes, machine=machine)
    assert found["new"] == pytest.approx(right, abs=2e-4)
    assert found["error"] == pytest.approx(0.2 - right, abs=2e-4)
    few = asked("kerf-ladder", piece, dict(list(sizes.items())[2:4]), machine=machine)
    assert few["new"] == pytest.approx(right, abs=2e-4)
    assert few["expanded_uncertainty"] > found["expanded_uncertainty"]


@pytest.mark.parametrize(("pick", "c", "half"), [(4, 0.2, 0.015), (4.5, 0.215, 0.0075), (7, 0.29, 0.03)])
def test_the_one_that_fits_says_it_within_half_a_step(pick: float, c: float, half: float) -> None:
    piece = {"nominal": 20, "side": "inside", "compensations": SMALL}
    found = asked("kerf-ladder", piece, {"pick": pick})
    assert found["new"] == pytest.approx(c)
    assert found["expanded_uncertainty"] == pytest.approx(half * 0.95, rel=0.25)  # of a rectangle, nearly
    assert ("kerf_ladder.beyond" in found["note_codes"]) is (pick == 7)


def test_the_comb_counts_one_cut_more_than_strips() -> None:
    found = asked("kerf-comb", {"strips": 10, "window": 100}, {"slack": 11 * 0.213})
    assert found["new"] == pytest.approx(0.213, abs=1e-4)
    assert found["error"] == pytest.approx(0.2 - 0.213, abs=1e-4)
    half = {
        "kind": "laser",
        "decimals": 5,
        "kerf_form": "half",
        "controller_units": "in",
        "values": {"kerf": 0.1 / 25.4},
    }
    kept = asked("kerf-comb", {"strips": 10, "window": 100}, {"slack": 11 * 0.213}, machine=half)
    assert kept["new"] == pytest.approx(0.213 / 2 / 25.4, abs=1e-5)


@pytest.mark.parametrize(
    ("procedure", "piece", "readings", "place"),
    [("kerf-ladder", {"compensations": [0.2]}, {"pick": 1}, "piece.compensations"),
     ("kerf-ladder", {"compensations": [0.2, 0.1]}, {"pick": 1}, "piece.compensations"),
     ("kerf-ladder", {"compensations": "0.2"}, {"pick": 1}, "piece.compensations"),
     ("kerf-ladder", {"side": "both", "compensations": SMALL}, {"pick": 1}, "piece.side"),
     ("kerf-ladder", {"nominal": 0.2, "side": "inside", "compensations": SMALL}, {"pick": 1}, "piece.nominal"),
     ("kerf-ladder", {"compensations": SMALL}, {"pick": 8}, "readings.pick"),
     ("kerf-ladder", {"compensations": SMALL}, {"pick": 2.3}, "readings[0].values[0]"),
     ("kerf-comb", {"strips": 2.5}, {"slack": 1}, "piece.strips"),
     ("kerf-comb", {"strips": 60, "window": 20}, {"slack": 1}, "piece.window")],
)  # fmt: skip
def test_what_is_no_ladder_or_comb_is_refused_with_its_place(
    procedure: str, piece: dict[str, Any], readings: dict[str, Any], place: str
) -> None:
    with pytest.raises(InputError) as caught:
        asked(procedure, piece, readings)
    assert caught.value.place == place


def test_a_rung_that_was_mixed_up_is_asked_about() -> None:
    piece = {"nominal": 40, "side": "outside", "compensations": [1.4, 1.5, 1.6, 1.7, 1.8]}
    sizes = {f"rung_{i}": 40 + c - 1.6 for i, c in enumerate(piece["compensations"], 1)}
    sizes["rung_2"] += 0.5
    found = asked(
        "kerf-ladder", piece, sizes, confirmed=False, machine={"kind": "plasma", "values": {"kerf": 1.6, **EXACT}}
    )
    assert found["verdict"] == "implausible"
    assert found["note_codes"] == ["does_not_fit"]


# Somebody else's physics


@pytest.mark.heavy
def test_ladders_and_combs_cover_under_foreign_physics() -> None:
    """Sizes made here: an instrument that errs from length to length, coarse divisions, one reading, every cut of its
    own width, a ladder that doesn't reach, picks that a hand tells only to a third of a step."""
    rng, covered, false_in, total = random.Random(3), {"ladder": 0, "pick": 0, "comb": 0}, 0, 150
    for _ in range(total):
        K, B, s = rng.uniform(0.15, 3), max(rng.gauss(0.02, 0.025), 0.0), rng.uniform(-3e-4, 3e-4)
        unit, scatter = rng.choice((0.01, 0.02)), rng.uniform(0.005, 0.02)
        side, n, step = rng.choice(("outside", "inside")), rng.uniform(20, 60), rng.choice((0.05, 0.1))
        n = max(n, 3 * K)
        lowest = max(K - 3 * step + rng.uniform(-step, step), 0.0)
        rooms, way = [round(lowest + step * i, 3) for i in range(7)], 1 if side == "outside" else -1
        true = [n * (1 + s) + way * (c - K) - B + rng.gauss(0, scatter) for c in rooms]
        own = rng.uniform(-0.02, 0.02)

        def read(v: float, own: float = own, unit: float = unit) -> list[float]:
            count = rng.choice((1, 3))
            return [round((v * (1 + 1e-5) + own + rng.gauss(0, 0.6 * unit)) / unit) * unit for _ in range(count)]

        known = {"x_scale": {"value": 0, "expanded_uncertainty": 3e-4},
                 "x_lost_motion": {"value": 0.02, "expanded_uncertainty": 0.05}}  # fmt: skip
        held = round(K + rng.uniform(-0.2, 0.2), 3)
        same: dict[str, Any] = {
            "machine": {"kind": "laser", "decimals": 3, "values": {"kerf": max(held, 0.02), **known}}, "tolerance": 0.1,
            "instrument": {"resolution": unit, "permissible_error": [0.02, 2e-5], "kind": "caliper"},
            "piece_scatter": {"s": scatter, "dof": 12}, "confirmed": True,
        }  # fmt: skip
        piece = {"nominal": n, "side": side, "compensations": rooms}
        right = K + way * B
        found = asked("kerf-ladder", piece, {f"rung_{i}": read(v) for i, v in enumerate(true, 1)}, **same)
        error = max(held, 0.02) - right
        covered["ladder"] += abs(found["error"] - error) <= found["expanded_uncertainty"]
        false_in += found["verdict"] == "in" and abs(error) > 0.1
        off = [way * (v - n) + rng.gauss(0, step / 8) for v in true]  # as it goes into what it must fit
        best = next((i for i in range(6) if off[i] <= 0 <= off[i + 1]), None)
        if best is None:
            covered["pick"] += 1  # it is said to lie beyond
        else:
            at = best + 1 + round(2 * -off[best] / (off[best + 1] - off[best])) / 2
            picked = asked("kerf-ladder", piece, {"pick": at}, **same)
            covered["pick"] += abs(picked["error"] - error) <= picked["expanded_uncertainty"]
        strips = rng.randint(5, 20)
        slack = sum(K + rng.gauss(0, scatter) for _ in range(strips + 1))
        comb = asked("kerf-comb", {"strips": strips, "window": strips * (6 + 3 * K)}, {"slack": read(slack)}, **same)
        covered["comb"] += abs(comb["error"] - (max(held, 0.02) - K)) <= comb["expanded_uncertainty"]
        false_in += comb["verdict"] == "in" and abs(max(held, 0.02) - K) > 0.1
    assert {name: n >= 0.93 * total for name, n in covered.items()} == dict.fromkeys(covered, True), covered
    assert false_in <= 2


# Cut by a stand-in from our files


@pytest.mark.parametrize("thermal", [False, True])
@pytest.mark.parametrize("by", [Applies.FILE, Applies.CONTROLLER])
@pytest.mark.parametrize("side", ["outside", "inside"])
def test_each_rung_is_cut_with_its_own_room_whoever_gives_it(side: str, by: Applies, *, thermal: bool) -> None:
    rooms = tuple(round(1.4 + 0.1 * i, 2) for i in range(7))
    piece = KerfLadder(24.0, side, rooms, 1.6, thermal)
    path = composed(piece.job(8), Corrections(1.6, by)).moved(60, 60)
    text = write_thermal(path, ThermalSettings(BED)) if thermal else write_gcode(path, CutSettings(BED))
    assert misfits(read_back(text, Speeds(), thermal=thermal), BED, path) == []
    if thermal:
        read_thermal(text, beam=False, beside=by is Applies.CONTROLLER)
    one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {}, 1.7, 0.0, (0.0, 0.0), 0.0, thermal="plasma" if thermal else "")
    settings = {"x_steps": one, "y_steps": one, "kerf": StoredAmount("kerf", "mm", 1.6)}
    made = Router(truth, settings, 1).make(text)
    for i, c in enumerate(rooms):
        size = made.true_length(piece.line(i), "inside" if side == "inside" else "part")
        assert size == pytest.approx(24 + (c - 1.7 if side == "outside" else 1.7 - c), abs=0.01), i


def test_a_comb_leaves_its_cuts_free_whatever_scale_skew_and_play_are() -> None:
    piece = KerfComb(8, 120.0)
    text = write_gcode(composed(piece.job(3), Corrections()).moved(60, 60), CutSettings(BED))
    one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.4)
    truth = Truth({"x": 100.0, "y": 100.0}, {"x": 0.12, "y": 0.1}, 3.1, 0.0, (0.0, 0.0), 0.0, skew=0.003)
    made = Router(truth, {"x_steps": one, "y_steps": one}, 1).make(text)
    assert len(made.parts) == 9
    assert made.slack(piece.middle()) == pytest.approx(9 * 3.1, abs=0.03)


# In the window


def test_by_keyboard_a_ladder_is_read_and_its_kerf_goes_into_the_controller(window: MainWindow) -> None:
    window.shop.put_event("ember", "tool", "New nozzle")
    window.show_rose("ember")
    window.begin("kerf-ladder", "kerf")
    session = window.round_page.model.session  # type: ignore[union-attr]
    tab_to("Practice cut")
    press(Qt.Key.Key_Return)
    for _ in range(7):
        press(stand_in.shows(session) or "", Qt.Key.Key_Return)
    assert session.measuring.current() is None  # the pick isn't asked for
    (finding,) = session.measuring.findings()
    assert 2 * finding.new == pytest.approx(1.71, abs=0.06)
    assert "7 pieces" not in shown(window.round_page)  # type: ignore[arg-type]
    first = session.making.parameters()
    assert first["compensations"] == session.context.piece.parameters["compensations"]  # type: ignore[union-attr]
    session.making.choose_option("rungs", 11)
    more = session.making.parameters()
    assert len(more["compensations"]) == 11  # type: ignore[arg-type]
    assert {**more, "compensations": ()} == {**first, "compensations": ()}


def test_by_mouse_the_one_that_fits_is_picked_and_between_two_as_well(window: MainWindow) -> None:
    window.shop.put_event("ember", "tool", "New nozzle")
    window.show_rose("ember")
    window.begin("kerf-ladder", "kerf")
    page = window.round_page
    assert page is not None
    session = page.model.session
    click(page, "Practice cut")
    click(page, "Find it by: the one that fits")
    surface = page.measure.surface
    third = surface._box(2)
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=third.center().toPoint())
    assert session.measuring.draft == "3"
    between = third.topRight().toPoint()
    between.setX(between.x() + 5)
    between.setY(round(third.center().y()))
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=between)
    assert session.measuring.draft == "3.5"
    click(page, "Practice ")
    (finding,) = session.measuring.findings()
    assert 2 * finding.new == pytest.approx(1.71, abs=0.06)
    assert session.measuring.current() is None
    click(page, "Find it by: sizes")
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=third.center().toPoint())
    assert session.measuring.current() == "rung_3"


def test_a_comb_round_by_keyboard_and_by_mouse(window: MainWindow) -> None:
    window.show_rose("heron")
    window.begin("kerf-comb", "kerf")
    page = window.round_page
    assert page is not None
    session = page.model.session
    tab_to("Practice cut")
    press(Qt.Key.Key_Return)
    press(str(session.context.piece.number), Qt.Key.Key_Return)  # type: ignore[union-attr]
    press(stand_in.shows(session) or "", Qt.Key.Key_Return)
    click(page, "Practice ")
    click(page, "Practice ")
    (finding,) = session.measuring.findings()
    assert finding.new == pytest.approx(6.11, abs=0.03)
    assert session.measuring.answer().figures["kerf"] == pytest.approx(6.07, abs=0.03)  # type: ignore[union-attr]
    if session.correcting.enters(finding):
        click(page, "To Correct")
        click(page.correct.cards["kerf"], "Use it")
        assert window.shop.values_on(window.shop.machine("heron"))["kerf"].stored.value == pytest.approx(6.11, abs=0.03)
    else:
        session.sign("")
        assert states(window.shop, "heron", ("kerf",)) == [State.IN]
