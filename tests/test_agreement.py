"""What is asked about before and after a fit, what is assumed, and what would settle a can't tell."""

from __future__ import annotations

import copy
import importlib
import math
import random
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from keen_compass.procedures import REGISTRY, load
from keen_compass.quantities.assumed import Spread, hand
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.uncertainty import Cause, Origin, Source
from keen_compass.solve.consistency import agree, contradiction, with_scatter_learnt
from keen_compass.solve.joint import Known, Observation, Unknown, fit
from keen_compass.solve.registration import register, suspects
from keen_compass.solve.registration_split import Shapes, split_of
from said import solved

Body = dict[str, Any]
ROOT = Path(__file__).parents[1]
if str(ROOT / "bench") not in sys.path:
    sys.path.insert(0, str(ROOT / "bench"))
audit = importlib.import_module("audit")


def plate(**changed: Any) -> Body:
    """A plate of a router whose axes were looked at: three rows more than unknowns."""
    body = copy.deepcopy(load("kerf-square").example())
    known = {"value": 0.0, "expanded_uncertainty": 0.0003}, {"value": 0.0, "expanded_uncertainty": 0.04}
    axes = {f"{a}_{of}": known[of == "lost_motion"] for a in "xy" for of in ("scale", "lost_motion")}
    body["machine"] = {"kind": "router", "decimals": 3, "values": {"kerf": 6.0, **axes}}
    body["piece"] |= {"compensation": 6.0, "width": 160, "height": 120, "slot": 16, "hole": 40}
    sizes = {"width": 160.02, "height": 120.01, "slot": 15.98, "hole_0": 39.97, "hole_90": 39.98} | changed
    body["readings"] = [{"measurand": m, "values": [v, round(v + 0.01, 2), v]} for m, v in sizes.items() if v]
    return body


# Readings that contradict each other


@pytest.mark.parametrize("size", ["width", "height", "slot"])
@pytest.mark.parametrize("by", [-0.6, 0.6, 3.0])
def test_a_size_misread_in_all_its_repeats_is_named(size: str, by: float) -> None:
    right = {"width": 160.02, "height": 120.01, "slot": 15.98}[size]
    found = solved(plate(**{size: round(right + by, 2)}))["findings"][0]
    assert found["verdict"] == "implausible"
    assert found["doubtful"] == [size]
    assert found["new"] is None
    assert size in found["notes"][0].lower()


def test_what_agrees_is_not_asked_about_and_one_of_two_holes_is() -> None:
    good = solved(plate())
    assert [f["doubtful"] for f in good["findings"]] == [[], []]
    assert good["findings"][0]["verdict"] != "implausible"
    holes = solved(plate(hole_0=39.2))["findings"][0]
    assert set(holes["doubtful"]) == {"hole_0", "hole_90"}  # nobody can tell which of two


def test_confirmed_all_the_same_the_scatter_is_learnt_and_said() -> None:
    odd = plate(slot=16.6)
    odd["confirmed"] = True
    answer, good = solved(odd), solved(plate())
    assert answer["findings"][0]["expanded_uncertainty"] > 2.5 * good["findings"][0]["expanded_uncertainty"]
    assert "scatter_learnt" in answer["note_codes"]


def test_play_larger_than_usual_contradicts_nothing() -> None:
    """Nothing is known of the axes: a router that loses half a millimetre is merely worse than most."""
    body = plate(width=159.6, height=119.6, slot=15.5, hole_0=39.5, hole_90=39.5)
    body["machine"]["values"] = {"kerf": 6.0}
    assert solved(body)["findings"][0]["doubtful"] == []


def test_two_parts_of_one_machine_contradict_each_other() -> None:
    body = copy.deepcopy(load("joint").example())
    body["machine"]["values"] |= {"x_lost_motion": {"value": 0.05, "expanded_uncertainty": 0.02}}
    body["machine"]["values"].pop("x_backlash")
    assert all(f["verdict"] != "implausible" for f in solved(body)["findings"])
    for reading in body["parts"][1]["readings"]:
        if reading["measurand"] == "slot":
            reading["values"] = [v + 0.9 for v in reading["values"]]
    asked = [f for f in solved(body)["findings"] if f["verdict"] == "implausible"]
    assert asked
    assert "part 2" in asked[0]["notes"][0]


def row(label: str, value: float, u: float = 0.1, cause: Cause = Cause.PIECES) -> Observation:
    return Observation(label, {Unknown("x"): 1.0}, value, ((Source(Origin(label), u, cause, 4.0), 1.0),))


def test_the_test_is_chi_square_at_one_in_a_thousand() -> None:
    """Two readings of one thing with u each: (a − b)²/2u² beyond 10.83 fails."""
    edge = 0.1 * math.sqrt(2 * 10.828)
    assert agree([row("a", 0.0), row("b", edge * 0.999)])
    found = contradiction([row("a", 0.0), row("b", edge * 1.001)])
    assert found is not None
    assert (set(found.labels), found.dof) == ({"a", "b"}, 1)
    known = Known(0.0, 0.02).row(Unknown("x"))
    assert contradiction([row("a", 2.0), known]).labels  # type: ignore[union-attr]
    granted = Known(0.0, 1.0, Cause.PLAY).row(Unknown("x"))
    assert agree([row("a", 2.0), granted])  # four times what is granted: nobody asks


def test_scatter_is_learnt_from_the_contradiction_by_the_rule() -> None:
    """s² = (ν_p·s_p² + ν·s_r²)/(ν_p + ν) with s_r² the variance of four values, whose own error is nothing else."""
    values = [0.0, 1.0, -1.0, 2.0]
    learnt = with_scatter_learnt([row(str(i), v) for i, v in enumerate(values)])
    (s,) = {round(source.u, 6) for o in learnt for source, _ in o.effects}
    assert s == pytest.approx(math.sqrt((4 * 0.01 + 3 * float(np.var(values, ddof=1))) / 7), rel=1e-3)
    assert {source.dof for o in learnt for source, _ in o.effects} == {7.0}
    assert fit(learnt).estimates[Unknown("x")].value == pytest.approx(0.5)


# Before anything is fitted


def example(name: str, **readings: Any) -> Body:
    body = copy.deepcopy(load(name).example())
    for entry in body["readings"]:
        entry["values"] = readings.get(entry["measurand"], entry["values"])
    return body


ASKED = {
    "print distances exchanged": (example("print-scale", x=[200.1, 200.0], y=[150.5, 150.4]), "looks_swapped"),
    "a print distance in inches": (example("print-scale", x=[5.925, 5.921]), "looks_inches"),
    "a comb in inches": (example("kerf-comb", slack=[0.091, 0.0905, 0.091]), "kerf_square.inches"),
    "a target in inches": (example("pointer", t3_x=[-0.0118], t3_y=[0.0157]), "finer_than_division"),
    "a sign": (example("pointer", t1_x=[0.5]), "looks_turned"),
    "a rung": (example("kerf-ladder"), "does_not_fit"),
    "marks in inches": (example("registration"), "registration.inches"),
    "two marks exchanged": (example("registration"), "registration.order"),
}
for entry in ASKED["marks in inches"][0]["readings"]:
    entry["values"] = [[round(v / 25.4, 4) for v in p] for p in entry["values"]]
_two = ASKED["two marks exchanged"][0]["readings"]
_two[1]["values"], _two[4]["values"] = _two[4]["values"], _two[1]["values"]
ASKED["a rung"][0]["piece"] |= {"side": "outside", "nominal": 40}
ASKED["a rung"][0]["readings"] = [
    {"measurand": f"rung_{i}", "values": [round(40 + 0.03 * (i - 4) + (10 if i == 3 else 0), 2)]} for i in range(1, 8)
]


@pytest.mark.parametrize("slip", ASKED)
def test_slips_are_asked_about_with_what_they_look_like(slip: str) -> None:
    body, code = ASKED[slip]
    found = solved(body)["findings"]
    asked = [f for f in found if f["verdict"] == "implausible"]
    assert asked
    assert asked[0]["note_codes"][0] == code
    assert asked[0]["doubtful"] or code == "registration.inches"
    confirmed = solved(body | {"confirmed": True})["findings"]
    assert all(f["verdict"] != "implausible" for f in confirmed)


def test_digits_that_a_scale_has_are_not_asked_about() -> None:
    for values in ([-0.5], [-0.45], ["-0.02 in"], ["-1/64 in"], [-0.123456789]):
        assert solved(example("pointer", t1_x=values))["findings"][0]["verdict"] != "implausible", values


# What is assumed


def test_scatter_is_that_of_the_process_and_is_said() -> None:
    for kind, s in (("router", 0.03), ("plasma", 0.10), ("laser", 0.03), ("knife", 0.05)):
        body = plate()
        body["machine"]["kind"] = kind
        answer = solved(body | {"confirmed": True})
        assert {a["what"]: a["value"] for a in answer["findings"][0]["assumed"]}["piece_scatter"] == s
        assert "scatter_assumed" in answer["note_codes"]
    known = plate()
    known["piece_scatter"] = {"s": 0.03, "dof": 20}
    assert "piece_scatter" not in {a["what"] for a in solved(known)["findings"][0]["assumed"]}
    assert {p for p in MachineKind if p.thermal} == {MachineKind.PLASMA, MachineKind.LASER}
    assert hand("steel rule", 1.0) == Spread(0.25, 4.0)


def test_how_well_one_aims_is_assumed_said_and_may_be_given() -> None:
    body = load("pointer").example()
    plain, sure = solved(body), solved(body | {"aim": {"value": 0.005, "degrees_of_freedom": 50}})
    assert "aim" in {a["what"] for a in plain["findings"][0]["assumed"]}
    assert "aim" not in {a["what"] for a in sure["findings"][0]["assumed"]}
    assert sure["findings"][0]["expanded_uncertainty"] < plain["findings"][0]["expanded_uncertainty"]


def test_what_a_pen_draws_is_in_all_pictures_alike() -> None:
    """Thirty pictures tell no more of it than five: U stays above what one drawn line may be off."""
    body = copy.deepcopy(load("camera").example())
    assert min(f["expanded_uncertainty"] for f in solved(body)["findings"]) > 2.3 * 0.03
    assert {"drawn"} == {a["what"] for a in solved(body)["findings"][0]["assumed"]}


def test_the_comb_tells_the_slot_from_the_compensation() -> None:
    answer = solved(load("kerf-comb").example())
    kerf, slot = answer["findings"]
    assert (kerf["quantity"], slot["quantity"]) == ("kerf", "slot")
    assert slot["expanded_uncertainty"] < 0.3 * kerf["expanded_uncertainty"]
    assert {"x_lost_motion", "y_lost_motion"} <= {a["what"] for a in kerf["assumed"]}
    lost = load("kerf-comb").example()
    lost["machine"]["values"] |= {f"{a}_lost_motion": {"value": 0.1, "expanded_uncertainty": 0.01} for a in "xy"}
    known = solved(lost)["findings"][0]
    assert known["new"] == pytest.approx(slot["new"] + 0.1, abs=1e-3)


def test_nothing_is_worth_correcting_where_the_number_stays() -> None:
    body = example("backlash", **{"return": [0.03, 0.03, 0.03, 0.03, 0.03]})
    body["machine"] = {"decimals": 1, "values": {"x_backlash": 0.1}}
    body["instrument"] |= {"resolution": 0.001, "permissible_error": [0.001, 0.0]}
    (found,) = solved(body)["findings"]
    assert found["old"] == found["new"]
    assert found["worth_correcting"] is False


# What would settle it


def test_every_cannot_tell_has_a_remedy_or_says_that_there_is_none() -> None:
    for name in REGISTRY:
        body = copy.deepcopy(load(name).example())
        for share in (0.3, 1.0, 3.0):
            if not isinstance(body.get("tolerance", {}), dict):
                body["tolerance"] *= share
            for f in solved(body)["findings"]:
                if f["verdict"] == "cannot_tell":
                    said = f["notes"][0]
                    assert f["remedies"] or "can’t settle it" in said or "for any instrument here" in said, (name, f)
                for r in f["remedies"]:
                    assert 0 < r["expanded_uncertainty"] < f["expanded_uncertainty"]
                    assert "settle it" in r["text"]


@pytest.mark.parametrize(
    ("misread", "by", "sound"), [("short_height", 3.0, "x_steps"), ("short_width", -3.0, "y_steps")]
)
def test_a_slip_along_one_axis_leaves_the_other_as_it_is(misread: str, by: float, sound: str) -> None:
    """Both share the cut, which what is asked about must not bend."""
    body = load("rectangle").example()
    before = {f["quantity"]: f for f in solved(body)["findings"]}
    for r in body["readings"]:
        if r["measurand"] == misread:
            r["values"] = [v + by for v in r["values"]]
    for f in solved(body)["findings"]:
        assert (f["verdict"] == "implausible") is (f["quantity"] != sound)
        if f["quantity"] == sound:
            assert abs(f["error"] - before[sound]["error"]) < f["expanded_uncertainty"] / 2


@pytest.mark.parametrize("name", ["rectangle", "reference-lines", "squareness", "proof", "home"])
def test_a_worse_instrument_at_hand_changes_no_answer(name: str) -> None:
    body = copy.deepcopy(load(name).example())
    own = body["instrument"] | {"name": "own"}
    worse = own | {"name": "worse", "resolution": 5.0, "permissible_error": [3.0, 0]}
    open_ = 0
    for T in np.geomspace(0.05, 3.0, 40):
        alone, beside = (
            solved(body | {"tolerance": float(T), "instrument": own, "instruments_at_hand": at_hand})["findings"]
            for at_hand in ([own], [own, worse])
        )
        open_ += any(f["verdict"] == "cannot_tell" for f in alone)
        assert [(f["notes"], f["remedies"]) for f in alone] == [(f["notes"], f["remedies"]) for f in beside]
    assert open_


@pytest.mark.parametrize("off", [-1.3, -0.8, 0.8, 1.3])
def test_where_a_mark_was_missed_all_are_aimed_at_again(off: float) -> None:
    """Of four marks nobody can tell which: what they leave is far more than an aim is off."""
    body = load("registration").example()
    body["piece"]["marks"], body["readings"] = body["piece"]["marks"][:4], body["readings"][:4]
    body["readings"][3]["values"][0][0] += off
    (found,) = solved(body)["findings"]
    assert found["verdict"] == "cannot_tell"
    assert found["notes"][0] == "Aiming at each mark again may settle it."
    assert [r["code"] for r in found["remedies"]] == ["aim_again"]


@pytest.mark.parametrize(("name", "T", "code", "changed"), [
    ("kerf-square", 0.62, "equal_piece", {}),
    ("media-feed", 0.21, "closer_steps", {}),
    ("camera", 0.3, "aim_again", {}),
    ("backlash", 0.088, "finer_instrument",
     {"instrument": {"kind": "dial", "resolution": 0.05, "permissible_error": [0.03, 0]}}),
])  # fmt: skip
def test_what_carries_the_variance_is_what_is_proposed(name: str, T: float, code: str, changed: Body) -> None:
    body = load(name).example() | changed
    found = {}
    for share in np.linspace(0.4, 1.6, 25):
        for f in solved(body | {"tolerance": float(T * share)})["findings"]:
            found |= {r["code"]: r for r in f["remedies"]}
    assert code in found, found.keys()


def test_proving_and_measuring_are_proposed_where_that_is_what_is_missing() -> None:
    body = plate()
    body["machine"]["values"] = {"kerf": 6.05}
    codes: set[str] = set()
    for T in np.linspace(0.1, 0.5, 41):
        codes |= {r["code"] for r in solved(body | {"tolerance": float(T)})["findings"][0]["remedies"]}
    assert {"measure_play", "prove_scale"} <= codes


# Registration


FOUR = [(10.0, 10.0), (200.0, 10.0), (200.0, 287.0), (10.0, 287.0)]


def test_what_is_known_of_axes_skew_and_print_enters_a_map_of_four_marks() -> None:
    """Exact knowledge leaves shift and turn to be found: the map is the one that made the marks, whatever the turn."""
    for turn in (0.0, 0.7, 2.9, -3.1):
        s_x, s_y, tan, p_x, p_y = 0.002, -0.001, 0.0015, 0.004, -0.003
        gamma, c, s = math.atan(tan), math.cos(turn), math.sin(turn)
        axes = np.array([[1 + s_x, (1 + s_y) * math.sin(gamma)], [0, (1 + s_y) * math.cos(gamma)]])
        linear = np.linalg.inv(axes) @ [[c, -s], [s, c]] @ np.diag([1 + p_x, 1 + p_y])
        exact = np.asarray(FOUR) @ linear.T + (30, 20)
        rng = np.random.default_rng(3)
        seen = exact + rng.normal(0, 0.3, exact.shape)
        shapes = Shapes.known(
            [Spread(1e-6, 1.0)] * 2, Spread(1e-6, 1.0), [Spread(1e-6, 1.0)] * 2, [s_x, s_y, tan, p_x, p_y]
        )
        found = register(FOUR, [tuple(v) for v in seen], "affine", aim=Spread(0.05, 4.0), shapes=shapes)
        assert found.dof == 5
        free, true = split_of(found.parameters), split_of(np.array([*linear[0], 0, *linear[1], 0, 0, 0]))
        assert free.scale == pytest.approx(true.scale, abs=1e-5)
        assert free.skew == pytest.approx(true.skew, abs=3e-5)
        assert math.remainder(free.turn - turn, math.tau) == pytest.approx(0.0, abs=4e-3)


def test_bars_and_proven_axes_make_four_marks_decide() -> None:
    body = copy.deepcopy(load("registration").example())
    body["piece"] = {"marks": [list(m) for m in FOUR], "size": [210, 297], "bars": [100.0, 100.0]}
    body["readings"] = body["readings"][:4]
    body["tolerance"] = 0.14
    known = {"value": 100.0, "expanded_uncertainty": 0.01}
    before = solved(body)["findings"][0]
    body["machine"]["values"] = {"x_steps": known, "y_steps": known}
    after = solved(body)["findings"][0]
    assert after["expanded_uncertainty"] < 0.9 * before["expanded_uncertainty"]
    assert "registration.bow_unseen" in before["note_codes"]


def test_a_bow_and_a_bad_mark_in_the_middle_are_both_said() -> None:
    five = [*FOUR, (105.0, 148.5)]
    bowed = [(x, y + 0.6 * (1 - ((x - 105) / 95) ** 2)) for x, y in five]
    found = suspects(register(five, bowed, "affine", aim=Spread(0.05, 4.0)))
    assert (found.marks, found.certain, found.bowed) == ((4,), False, True)
    nine = [(x, y) for x in (10.0, 105.0, 200.0) for y in (10.0, 148.5, 287.0)]
    bad = [(x + (0.8 if i == 2 else 0.0), y) for i, (x, y) in enumerate(nine)]
    assert suspects(register(nine, bad, "affine", aim=Spread(0.05, 4.0))).certain


@pytest.mark.parametrize("degrees", [179.9, 180.0, -179.95])
def test_a_turn_is_as_sure_on_either_side_of_half_a_turn(degrees: float) -> None:
    turn = math.radians(degrees)
    c, s = math.cos(turn), math.sin(turn)
    body = copy.deepcopy(load("registration").example())
    for entry, (x, y) in zip(body["readings"], body["piece"]["marks"], strict=True):
        entry["values"] = [[round(300 + c * x - s * y, 3), round(400 + s * x + c * y, 3)]]
    assert solved(body)["figures"]["expanded_uncertainty"]["turn_deg"] < 0.2


# Somebody else's physics: a small sister of bench/audit.py


@pytest.mark.heavy
@pytest.mark.parametrize("name", audit.MAKE)
def test_stated_intervals_hold_the_truth(name: str) -> None:
    for row_of in ("usual", "one reading", "inches", "local error"):
        _, _, tally = audit.measured((name, row_of, 40))
        assert tally.inside >= 0.88 * tally.told, f"{row_of}: {tally}"
        assert tally.false_in <= 0.02 * tally.out + 2, f"{row_of}: {tally}"
        assert tally.asked <= 0.02 * tally.told, f"{row_of}: {tally}"


@pytest.mark.heavy
@pytest.mark.parametrize("kind", audit.SLIPS)
def test_slips_of_every_kind_are_asked_about(kind: str) -> None:
    alone = {"single": ("reference-lines", "pointer"), "all": ("reference-lines", "print-scale", "rectangle")}
    for name in audit.SLIPPED:
        _, _, asked, of = audit.misread((name, kind, 20))
        # A lone length contradicts nothing, and what a rule's hand may do is no slip.
        if name not in alone.get(kind, ()):
            assert asked >= 0.95 * of, (name, asked, of)


def test_the_audit_shares_nothing_with_what_it_checks() -> None:
    assert "keen_compass" not in (ROOT / "bench" / "audit.py").read_text(encoding="utf-8")
    shop = audit.Shop(random.Random(1), audit.Row(local=True))
    assert max(abs(shop.off(x)) for x in range(1, 200)) <= shop.a + 200 * shop.b
