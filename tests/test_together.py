"""Several pieces and runs solved together: what the rows say by algebra, no reading twice, someone else's physics."""

from __future__ import annotations

import copy
import json
import random
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from driving import click, focus, press, shown
from keen_compass.app.rose import next_piece
from keen_compass.app.together.page import TogetherPage
from keen_compass.app.window import MainWindow
from keen_compass.errors import InputError
from keen_compass.practice.demo_machines import AFTER_MOVE
from keen_compass.practice.playing import cut
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.joint import Together
from keen_compass.rounds import RoundSession
from keen_compass.rounds.together import Column, Whole, everything_read
from keen_compass.shop.store import Shop
from keen_compass.solve.joint import Known
from looks import check_looks, settle
from said import solved

CALIPER = {"name": "long caliper", "kind": "caliper", "resolution": 0.01, "permissible_error": [0.02, 2e-5]}
DIAL = {"name": "dial", "kind": "dial", "resolution": 0.01, "permissible_error": [0.006, 0.0]}


def example() -> dict[str, Any]:
    return load("joint").example()


def by_quantity(answer: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {f["quantity"]: f for f in answer["findings"]}


def test_uncertainties_are_the_cramer_rao_bound_of_the_rows() -> None:
    """(AᵀV⁻¹A)⁻¹, written out from rows and sources: nothing linear and unbiased is nearer."""
    model = Together(case_from_json(example()))
    rows = [*model.rows, *model.known, *model.assumed.values()]
    unknowns = list(dict.fromkeys(u for r in rows for u in r.coefficients))
    names = list(dict.fromkeys(s.origin for r in rows for s, _ in r.effects))
    A = np.array([[r.coefficients.get(u, 0.0) for u in unknowns] for r in rows])
    C = np.zeros((len(rows), len(names)))
    for i, r in enumerate(rows):
        for s, c in r.effects:
            C[i, names.index(s.origin)] += c * s.u
    bound = np.sqrt(np.diag(np.linalg.inv(A.T @ np.linalg.inv(C @ C.T) @ A)))
    for u, least in zip(unknowns, bound, strict=True):
        assert least * (1 - 1e-6) <= model.fit.estimates[u].u <= 1.0001 * least, u


def test_together_is_never_worse_than_the_best_of_its_parts() -> None:
    """On the same readings, with the same assumptions: each part alone as a joint of one."""
    body = example()
    whole = by_quantity(solved(body))
    for part in body["parts"]:
        for quantity, alone in by_quantity(solved(body | {"parts": [part]})).items():
            assert whole[quantity]["expanded_uncertainty"] <= alone["expanded_uncertainty"] * (1 + 1e-6), quantity
    assert whole["kerf"]["expanded_uncertainty"] < 0.6 * by_quantity(solved(body | {"parts": body["parts"][1:2]}))[
        "kerf"]["expanded_uncertainty"]  # fmt: skip


def test_a_round_that_was_signed_is_not_counted_again_beside_its_own_readings() -> None:
    """What was derived from readings is left out while those readings are there, and counts when they aren't."""
    case = case_from_json(example())
    signed = Known(6.05, 0.01, evidence=frozenset({"round:7"}))
    parts = tuple(replace(p, evidence=frozenset({f"round:{6 + i}"})) for i, p in enumerate(case.parts))
    without = Together(replace(case, parts=parts))
    beside = Together(replace(case, parts=parts, known={"kerf": signed}))
    kerf = next(u for u in without.unknowns if u.name == "kerf")
    assert pytest.approx(without.of(kerf).U) == beside.of(kerf).U  # type: ignore[union-attr]
    assert beside.of(kerf).value == pytest.approx(without.of(kerf).value)  # type: ignore[union-attr]
    elsewhere = Together(replace(case, parts=(parts[0], parts[2]), known={"kerf": signed}))
    assert elsewhere.of(kerf).U <= 0.0101  # type: ignore[union-attr]


def test_kerfs_of_two_subjects_are_two_unknowns_and_the_same_instrument_is_one() -> None:
    def comb(tool: str, kerf: float, instrument: dict[str, Any]) -> dict[str, Any]:
        readings = [{"measurand": "slack", "values": [11 * kerf]}]
        return {"procedure": "kerf-comb", "piece": {"strips": 10, "window": 100}, "subject": {"tool": tool},
                "instrument": instrument, "readings": readings}  # fmt: skip

    body = {"procedure": "joint", "machine": {"values": {"kerf": 3.0}}, "confirmed": True,
            "piece_scatter": {"s": 0.001, "dof": 50},
            "parts": [comb("a", 3.1, CALIPER), comb("b", 6.05, CALIPER), comb("a", 3.11, CALIPER)]}  # fmt: skip
    found = {f["subject"]["tool"]: f for f in solved(body)["findings"]}
    assert found["a"]["new"] == pytest.approx(3.105, abs=2e-3)
    assert found["b"]["new"] == pytest.approx(6.05, abs=2e-3)
    other = copy.deepcopy(body)
    other["parts"][2]["instrument"] = CALIPER | {"name": "another"}
    apart = {f["subject"]["tool"]: f for f in solved(other)["findings"]}
    # Two instruments err apart at the same length, one errs the same twice.
    assert apart["a"]["expanded_uncertainty"] < found["a"]["expanded_uncertainty"]


def test_what_only_an_assumption_would_tell_has_no_finding_and_a_reading_is_named_that_would() -> None:
    readings = [{"measurand": "width", "values": [90.1]}]
    body = {
        "procedure": "joint", "machine": {"values": {"x_steps": 100.0, "kerf": 6.0}}, "confirmed": True,
        "parts": [{"procedure": "kerf-square", "instrument": CALIPER, "readings": readings,
                   "piece": {"width": 90, "height": 70, "compensation": 6}}],
    }  # fmt: skip
    answer = solved(body)
    assert [f["quantity"] for f in answer["findings"]] == ["kerf"]
    assert ["kerf", "x_scale"] in answer["unresolved"]
    assert "joint.lacking" in answer["note_codes"]
    assert any("a slot beside it would tell" in n for n in answer["notes"])


@pytest.mark.parametrize(
    ("change", "place"),
    [({"parts": []}, "parts"), ({"parts": [{"readings": []}]}, "parts[0].procedure"),
     ({"parts": [{"procedure": "joint", "parts": [], "readings": []}]}, "parts[0].parts"),
     ({"parts": [{"procedure": "speed", "readings": []}]}, "parts[0].procedure"),
     ({"parts": [{"procedure": "kerf-comb", "piece": {"strips": 0}, "readings": []}]}, "parts[0].piece.strips"),
     ({"parts": [{"procedure": "kerf-comb", "depth": 3, "readings": []}]}, "parts[0].depth")],
)  # fmt: skip
def test_what_is_no_joint_is_refused_with_its_place(change: dict[str, Any], place: str) -> None:
    with pytest.raises(InputError) as caught:
        solved(example() | change)
    assert caught.value.place == place


def test_a_part_that_looks_odd_is_asked_about_before_anything_is_computed() -> None:
    body = example()
    body["parts"][0]["readings"][0]["values"] = [15.76, 15.76]
    answer = solved(body)
    assert {f["verdict"] for f in answer["findings"]} == {"implausible"}
    assert all(f["new"] is None for f in answer["findings"])


@pytest.mark.heavy
def test_intervals_cover_under_foreign_physics_with_one_caliper_for_everything() -> None:
    """Sizes made here: the caliper errs from length to length, reads short, a coarse division, one reading or three."""
    rng, hits, total, false_in = random.Random(9), {}, 0, 0
    for _ in range(120):
        s = {a: rng.uniform(-2e-3, 2e-3) for a in "xy"}
        B = {a: abs(rng.gauss(0, 0.06)) for a in "xy"}
        K, c, unit = rng.uniform(2.8, 3.4), 3.0, rng.choice((0.01, 0.02))
        local: dict[int, float] = {}
        slope, scatter = rng.uniform(-2e-5, 2e-5), rng.uniform(0.006, 0.02)

        def read(true: float, local: dict[int, float] = local, slope: float = slope, unit: float = unit) -> list[float]:
            own = local.setdefault(round(true), rng.uniform(-0.02, 0.02))
            count = rng.choice((1, 3))
            return [round((true * (1 + slope) + own + rng.gauss(0, 0.6 * unit)) / unit) * unit for _ in range(count)]

        def outside(n: float, a: str) -> list[float]:
            return read(n * (1 + s[a]) + c - K - B[a] + rng.gauss(0, scatter))  # noqa: B023

        slot = read(16 * (1 + s["x"]) - c + K - B["x"] + rng.gauss(0, scatter))
        parts = [
            {"procedure": "rectangle", "piece": {"width": 420, "height": 300, "short_width": 130, "short_height": 90,
                                                 "compensation": c}, "instrument": CALIPER | {"resolution": unit},
             "readings": [{"measurand": m, "values": outside(n, a)} for m, n, a in (
                 ("width", 420, "x"), ("height", 300, "y"), ("short_width", 130, "x"), ("short_height", 90, "y"))]},
            {"procedure": "kerf-square", "piece": {"width": 160, "height": 120, "slot": 16, "compensation": c},
             "instrument": CALIPER | {"resolution": unit},
             "readings": [{"measurand": "width", "values": outside(160, "x")},
                          {"measurand": "slot", "values": slot}]},
            {"procedure": "backlash", "piece": {"axis": "y", "travel": 10}, "instrument": DIAL,
             "readings": [{"measurand": "return", "values": [round(B["y"] + rng.uniform(-0.004, 0.004)
                                                                   + rng.gauss(0, 0.006), 2) for _ in range(3)]}]},
        ]  # fmt: skip
        body = {
            "procedure": "joint", "confirmed": True, "piece_scatter": {"s": scatter, "dof": 12},
            "machine": {"decimals": 4, "values": {"x_steps": 100.0, "y_steps": 100.0, "kerf": c}},
            "tolerance": {"x_steps": 0.5, "y_steps": 0.5, "kerf": 0.15, "x_backlash": 0.1, "y_backlash": 0.1},
            "parts": parts,
        }  # fmt: skip
        true = {"x_steps": 1000 * s["x"], "y_steps": 1000 * s["y"], "kerf": c - K, "x_backlash": B["x"],
                "y_backlash": B["y"]}  # fmt: skip
        found = by_quantity(solved(json.loads(json.dumps(body))))
        assert set(found) == set(true)
        for quantity, f in found.items():
            total += 1
            hits[quantity] = hits.get(quantity, 0) + (abs(f["error"] - true[quantity]) <= f["expanded_uncertainty"])
            false_in += f["verdict"] == "in" and abs(true[quantity]) > f["tolerance"]
    assert {q: n >= 0.92 * 120 for q, n in hits.items()} == dict.fromkeys(hits, True), hits
    assert sum(hits.values()) >= 0.93 * total
    assert false_in <= 0.02 * total


# What to make next


def planned(**change: Any) -> list[dict[str, Any]]:
    answer = solved(load("next").example() | change)
    assert answer["findings"] == []
    return answer["proposals"]


def test_proposals_come_best_first_with_what_they_would_settle() -> None:
    found = planned()
    T = {"x_steps": 0.4, "y_steps": 0.4, "kerf": 0.15, "x_backlash": 0.05}
    assert found[0]["settles"]
    for p in found:
        assert set(p["settles"]) == {q for q, U in p["predicted"].items() if T[q] / 3 * (1 + 1e-3) >= U}
        assert p["minutes"] > 0
        assert p["readings_each"] in (1, 3, 5)
        assert load(p["procedure"]).piece(p["piece"])  # it can be made
    assert {p["instrument"] for p in found} <= {"caliper 600 mm", "rule 1 m", "dial"}
    assert not any(p["procedure"] == "kerf-comb" and "kerf" in p["settles"] for p in found)  # play is open yet


def test_what_is_predicted_is_what_the_solver_says_of_such_readings() -> None:
    """The best piece for the steps, read as it was ordered, with the spread that the instrument's record has."""
    example = load("next").example()
    example["instruments_at_hand"] = example["instruments_at_hand"][:1]
    p = next(p for p in planned(**example) if p["procedure"] == "rectangle")
    piece = load("rectangle").piece(p["piece"])
    readings = [{"measurand": m, "values": [piece.nominal(m)] * p["readings_each"]}
                for m in ("width", "height", "short_width", "short_height")]  # fmt: skip
    body = {
        "procedure": "rectangle", "machine": example["machine"] | {"values": {"x_steps": 106.667, "y_steps": 106.667}},
        "piece": p["piece"], "instrument": example["instruments_at_hand"][0], "confirmed": True, "readings": readings,
    }  # fmt: skip
    for quantity, f in by_quantity(solved(body)).items():
        assert p["predicted"][quantity] == pytest.approx(f["expanded_uncertainty"], rel=0.15)


def test_what_is_known_well_is_leant_on_and_what_no_instrument_reaches_is_not_proposed() -> None:
    example = load("next").example()
    values = example["machine"]["values"] | {
        name: {"value": 0.0, "expanded_uncertainty": u} for name, u in
        (("x_scale", 1e-4), ("y_scale", 1e-4), ("x_lost_motion", 0.01), ("y_lost_motion", 0.01))
    }  # fmt: skip
    known = planned(open=["kerf"], machine=example["machine"] | {"values": values})
    plate = next(p for p in known if p["procedure"] == "kerf-square")
    unknown = next(p for p in planned(open=["kerf"]) if p["procedure"] == "kerf-square")
    assert plate["predicted"]["kerf"] < 0.7 * unknown["predicted"]["kerf"]
    short = [example["instruments_at_hand"][0] | {"reach": 50}]
    assert {p["procedure"] for p in planned(instruments_at_hand=short)} <= {"kerf-comb", "kerf-ladder", "backlash"}
    assert "proposals" not in solved(example | {"instruments_at_hand": []})


@pytest.mark.parametrize(
    ("change", "place"),
    [({"open": []}, "open"), ({"open": ["me"]}, "open[0]"), ({"open": "kerf"}, "open"), ({"open": [3]}, "open[0]")],
)  # fmt: skip
def test_what_is_no_question_is_refused(change: dict[str, Any], place: str) -> None:
    with pytest.raises(InputError) as caught:
        solved(load("next").example() | change)
    assert caught.value.place == place


def test_the_rose_proposes_one_piece_for_several_questions_and_begins_it(window: MainWindow) -> None:
    window.show_rose("kingfisher")
    card = window.rose_page.next_piece
    assert not card.isVisible()
    window.next_piece.now()
    assert card.isVisible()
    words = shown(card)
    assert "Settles X steps and Y steps" in words
    assert "one by one about" in words
    window.next_piece.found.emit(None, "kingfisher")
    assert not card.isVisible()
    window.next_piece.now()
    click(card, "Begin this one")
    assert window.round_page is not None
    assert window.round_page.model.session.context.kept.procedure == "reference-lines"


def test_it_is_worked_out_beside_the_window_a_while_after(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(next_piece, "AFTER", 10)
    with qtbot.waitSignal(window.next_piece.found, timeout=30_000, check_params_cb=lambda _, uid: uid == "kingfisher"):
        window.show_rose("kingfisher")
    assert window.rose_page.next_piece.isVisible()


# All readings of a machine, in one picture


def column_of(whole: Whole, name: str) -> Column:
    return next(c for c in whole.columns if c.unknown.name == name and c.mine)


def test_all_that_was_read_since_the_move_says_what_is_true_of_heron(shop: Shop) -> None:
    whole = everything_read(shop, shop.machine("heron"))
    assert whole is not None
    assert [p.procedure for p in whole.parts] == ["backlash", "backlash", "rectangle"]
    for name, quantity in (("x_scale", "x_steps"), ("y_scale", "y_steps"), ("x_lost_motion", "x_backlash")):
        f = column_of(whole, name).finding
        assert f is not None
        held = shop.values("heron")[quantity].stored
        truth = AFTER_MOVE.error(quantity, {quantity: held})
        assert abs(f.error - truth) <= 1.3 * f.expanded_uncertainty
    rows = {(whole.parts[r.part].procedure, r.measurand.name): r.shares for r in whole.rows if r.measurand}
    assert all(0 <= share <= 1 for shares in rows.values() for share in shares.values())
    x = column_of(whole, "x_scale").unknown
    assert rows["rectangle", "width"][x] == max(shares.get(x, 0.0) for shares in rows.values())
    assert x not in rows["rectangle", "height"]  # a height says nothing of X
    assert x not in rows["backlash", "return"]


def test_what_a_round_found_is_not_used_beside_its_own_readings(shop: Shop) -> None:
    """Ember: signed rounds found steps, play and kerf, and their readings are there too."""
    whole = everything_read(shop, shop.machine("ember"))
    assert whole is not None
    read = frozenset().union(*(p.case.evidence for p in whole.parts))
    derived = {name for name, k in whole.case.known.items() if k.evidence & read}
    assert {"kerf", "x_lost_motion"} <= derived
    without = Together(replace(whole.case, known={n: k for n, k in whole.case.known.items() if n not in derived}))
    for unknown, estimate in without.fit.estimates.items():
        assert pytest.approx(estimate.U, rel=1e-9) == whole.model.fit.estimates[unknown].U
    assert not {u.name for u in whole.model.leant_on} & derived


def test_only_what_was_made_with_the_numbers_of_now_counts(shop: Shop) -> None:
    heron = shop.machine("heron")
    shop.put_value("heron", "x_steps", shop.values("heron")["x_steps"].stored.corrected(0.001, 3), "typed")
    parts = everything_read(shop, heron).parts  # type: ignore[union-attr]
    assert [(p.procedure, p.case.piece["axis"]) for p in parts] == [("backlash", "y")]
    shop.put_event("heron", "moved", "Again")
    assert everything_read(shop, heron) is None
    ember = shop.machine("ember")
    before = everything_read(shop, ember).parts  # type: ignore[union-attr]
    shop.put_event("ember", "tool", "New nozzle")
    after = everything_read(shop, ember).parts  # type: ignore[union-attr]
    assert "kerf-square" in {p.procedure for p in before}
    assert {p.procedure for p in after} < {p.procedure for p in before}  # what was cut, not what was run


def test_readings_that_somebody_is_asked_about_count_once_that_is_answered(shop: Shop) -> None:
    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    cut(session)
    session.measuring.type(f"{session.measuring.shape().width / 25.4:.3f} mm")  # inches, typed as millimetres
    session.measuring.keep()
    number = session.context.piece.number  # type: ignore[union-attr]

    def counts() -> bool:
        return number in [p.number for p in everything_read(shop, shop.machine("heron")).parts]  # type: ignore[union-attr]

    assert not counts()
    session.measuring.confirm_odd()
    assert counts()


def test_by_keyboard_and_mouse_the_picture_says_what_rests_on_what(window: MainWindow) -> None:
    window.show_rose("heron")
    press(Qt.Key.Key_R, modifier=Qt.KeyboardModifier.ControlModifier)
    page = window.places.currentWidget()
    assert isinstance(page, TogetherPage)
    settle()
    assert focus().startswith("X steps")
    assert "out: +0.8" in shown(page)
    assert "Depends most on: width of" in shown(page)
    press(Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert focus().startswith("X backlash")
    press(Qt.Key.Key_Left, Qt.Key.Key_Left, Qt.Key.Key_Left)  # not beyond the first
    assert focus().startswith("X steps")
    last = len(page.whole.columns) - 1  # type: ignore[union-attr]
    QTest.mouseClick(page.canvas, Qt.MouseButton.LeftButton, pos=QPoint(round(page.canvas.middle(last)), 200))
    assert page.canvas.accessibleName().startswith("Kerf 9 mm")
    assert "Linked to" in shown(page)
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    assert window.place_shown() == "together"
    press(Qt.Key.Key_Escape)
    assert window.places.currentWidget() is window.rose_page


def test_what_cannot_be_told_is_said_with_the_round_that_would_tell(window: MainWindow) -> None:
    window.show_rose("heron")
    for quantity in ("x_steps", "y_steps"):  # so that nothing read before counts
        held = window.shop.values("heron")[quantity].stored
        window.shop.put_value("heron", quantity, held.corrected(0.001, 3), "typed")
    session = RoundSession.begin(window.shop, window.shop.machine("heron"), "kerf-square", "kerf")
    session.making.choose(tool="cutter-3")  # of which no kerf is known
    cut(session)
    session.measuring.type("160.1")
    session.measuring.keep()
    window.show_rose("heron")
    click(window.rose_page, "All readings")
    page = window.places.currentWidget()
    assert isinstance(page, TogetherPage)
    told = [c for c in page.whole.columns if c.finding is None]  # type: ignore[union-attr]
    assert told
    assert "Can’t be told from" in shown(page)
    assert page.start.isVisible()
    click(page, page.start.accessibleName())
    assert window.round_page is not None


def test_where_nothing_counts_any_more_it_says_so(window: MainWindow) -> None:
    window.shop.put_event("kingfisher", "moved", "Elsewhere")
    window.show_rose("kingfisher")
    window.go_to("together")
    assert "No reading counts any more" in shown(window.places.currentWidget())
