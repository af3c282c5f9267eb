"""The stepped outline's findings, and whole practice rounds."""

from __future__ import annotations

import copy
import math
import random
import re
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_compass.errors import InputError
from keen_compass.formats.machine_file import file_for
from keen_compass.machines.forms import usual_machine
from keen_compass.practice.whole_rounds import run
from keen_compass.procedures import load
from keen_compass.procedures.case import Case, Known
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import Length
from keen_compass.quantities.measuring import PieceScatter
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.uncertainty import t_95
from keen_compass.quantities.verdict import Verdict
from keen_compass.standin.router import Router
from keen_compass.words.say import say
from said import formula_of, notes_of

RECTANGLE = load("rectangle")
ROUTER = usual_machine(MachineKind.ROUTER)


def example(**changes: Any) -> dict[str, Any]:
    body = copy.deepcopy(RECTANGLE.example())
    body.update(changes)
    return body


def solve(body: dict[str, Any]) -> Solution:
    return RECTANGLE.solve(case_from_json(body))


def test_the_step_alone_gives_the_scale_by_hand() -> None:
    x, y = solve(example()).findings
    ratio = (400.31 - (120.02 + 120.01 + 120.02) / 3) / 280
    assert x.error == pytest.approx((ratio - 1) * 1000, rel=1e-9)
    assert x.new == round(106.667 / ratio, 3)
    assert formula_of(x) == "106.667 × 280 ÷ 280.293"
    assert y.new == pytest.approx(106.667 * 210 / (299.79667 - 89.90333), abs=6e-4)
    assert x.verdict is Verdict.OUT
    assert x.worth_correcting
    assert x.new_expanded_uncertainty == pytest.approx(x.expanded_uncertainty / 1000 * x.new / ratio, rel=1e-3)


def test_expanded_uncertainty_by_hand() -> None:
    """Δ of two means with s_p = 0.02 (4 dof, assumed and shared), r = 0.01, s_piece = 0.03 (4 dof, shared).

    The caliper's ±(0.02 + 2e-5·L): at each length (a² + 2ab·L)/3 of its own, and the slope b of the difference.
    """
    x = solve(example()).findings[0]
    s_width, s_short = (2 * 1e-4 + 4 * 4e-4) / 6 / 3, (2 * 3.3333e-5 + 4 * 4e-4) / 6 / 3
    own = (2 * 0.02**2 + 2 * 0.02 * 2e-5 * (400.31 + 120.0167)) / 3 + (2e-5 * 280.3) ** 2 / 3
    u2 = s_width + s_short + 2 * 9e-4 + 2 * 1e-4 / 12 + own
    # Var of an estimated variance is 2v²/ν; of two that share ν₀ of their readings the covariance is 2v₁v₂ν₀/(ν₁ν₂).
    repeats = s_width**2 / 6 + s_short**2 / 6 + 2 * s_width * s_short * 4 / 36
    pieces = (2 * 9e-4) ** 2 / 4
    dof = u2**2 / (repeats + pieces)
    assert x.expanded_uncertainty == pytest.approx(t_95(dof) * math.sqrt(u2) / 280 * 1000, rel=1e-4)
    assert dict(x.limits) == pytest.approx(
        {"pieces": 18e-4 / u2, "own_error": own / u2, "repeats": (s_width + s_short) / u2, "division": 2e-4 / 12 / u2},
        rel=1e-3,
    )


def test_one_width_alone_is_unresolved_and_says_what_would_help() -> None:
    body = example(readings=[{"measurand": "width", "values": [400.31]}])
    solution = solve(body)
    x, y = solution.findings
    assert (x.verdict, x.new, x.error) == (Verdict.UNRESOLVED, None, None)
    assert y.verdict is Verdict.UNRESOLVED
    assert ("x_scale", "kerf") in solution.unresolved
    assert "measure the short width too" in notes_of(x)[0]
    assert "No reading of height" in notes_of(y)[0]


def test_a_known_kerf_resolves_one_width_and_says_what_it_assumes() -> None:
    body = example(readings=[{"measurand": "width", "values": [400.31, "400.30 mm"]}])
    body["machine"]["values"]["kerf"] = {"value": 6.0, "expanded_uncertainty": 0.05}
    x = solve(body).findings[0]
    assert x.new == pytest.approx(106.667 * 400 / 400.305, abs=6e-4)
    assert formula_of(x) == "106.667 × 400 ÷ 400.305"
    assert any("lost motion taken as 0" in n for n in notes_of(x))
    body["machine"]["values"]["kerf"]["value"] = 6.1  # the cut was wider than compensated: the axis is further out
    assert solve(body).findings[0].error == pytest.approx((0.305 + 0.1) / 0.4, rel=1e-6)


def test_a_drawn_piece_needs_no_kerf() -> None:
    body = example(readings=[{"measurand": "width", "values": [400.31]}])
    body["piece"]["compensation"] = 0
    body["machine"]["values"]["kerf"] = 0
    x = solve(body).findings[0]
    assert x.new == pytest.approx(106.667 * 400 / 400.31, abs=6e-4)
    assert not any("lost motion" in n for n in notes_of(x))


@settings(max_examples=40)
@given(st.sampled_from(list(ResolutionForm)), st.floats(-0.01, 0.01), st.floats(5, 7), st.floats(0, 0.3))
def test_every_form_of_the_controller_says_the_same(form: ResolutionForm, s: float, kerf: float, lost: float) -> None:
    """Exact readings of a machine with scale, kerf and lost motion: each form's new number cures the scale."""
    odd = {ResolutionForm.PAIR: (100.3, 100.0), ResolutionForm.PERCENT_0: (0.4,), ResolutionForm.PERCENT_100: (99.2,)}
    stored = StoredResolution(form, *odd.get(form, (106.667,)))
    lengths = {m: n * (1 + s) + 6 - kerf - lost for m, n in
               (("width", 400), ("short_width", 120), ("height", 300), ("short_height", 90))}  # fmt: skip
    case = Case(
        "rectangle", replace(ROUTER, decimals=9), {"x_steps": stored, "y_steps": stored}, {},
        {"width": 400, "height": 300, "short_width": 120, "short_height": 90, "compensation": 6}, Instrument(),
        readings={m: (Length(v, "", "mm"),) for m, v in lengths.items()}, confirmed=True,
    )  # fmt: skip
    for finding in RECTANGLE.solve(case).findings:
        assert finding.error == pytest.approx(1000 * s, abs=1e-6)
        new = StoredResolution.from_input(form, finding.new)
        assert stored.scale_after(s, new) == pytest.approx(0, abs=1e-8)
        assert abs(finding.predicted_error) < 1e-5


@pytest.mark.parametrize(
    ("readings", "says"),
    [
        ([("width", [15.76]), ("short_width", [4.73])], "inches"),
        ([("width", [400.3, 40.03, 400.3]), ("short_width", [120.0])], "10 times"),
        ([("width", [300.1]), ("height", [400.2])], "look swapped"),
    ],
)
def test_mix_ups_are_asked_about_before_anything_is_computed(readings: list[Any], says: str) -> None:
    body = example(readings=[{"measurand": m, "values": v} for m, v in readings])
    body["machine"]["values"]["kerf"] = {"value": 6.0, "expanded_uncertainty": 0.05}
    x = solve(body).findings[0]
    assert (x.verdict, x.new) == (Verdict.IMPLAUSIBLE, None)
    assert says in notes_of(x)[0]
    confirmed = solve(body | {"confirmed": True}).findings[0]
    assert confirmed.new is not None


def test_twice_the_error_of_the_round_before_is_asked_about() -> None:
    x = solve(example(previous_errors={"x_steps": 0.52})).findings[0]
    assert x.verdict is Verdict.IMPLAUSIBLE
    assert "wrong way" in notes_of(x)[0]


def cannot_tell_case(**changes: Any) -> Case:
    body = example(tolerance={"x_steps": 1.15, "y_steps": 9})
    return replace(case_from_json(body), **changes)


def test_cannot_tell_says_what_would_settle_it_and_keeps_its_word() -> None:
    fine = Instrument("caliper", 0.01, (0.001, 0.0), repeats=Repeatability(0.03, 20), reach=2000)
    case = cannot_tell_case(piece_scatter=PieceScatter(0.001, 30, False), instrument=fine)
    x = RECTANGLE.solve(replace(case, tolerance={"x_steps": 0.88, "y_steps": 9})).findings[0]
    assert x.verdict is Verdict.CANNOT_TELL
    assert re.search(r"more readings? of each length (would|may) settle it", notes_of(x)[0])
    longer = RECTANGLE.solve(cannot_tell_case(largest_size=1300.0, tolerance={"x_steps": 1.3, "y_steps": 9}))
    assert re.search(
        r"A piece \d+ mm long \(this one is 400 mm\) (would|may) settle it", notes_of(longer.findings[0])[0]
    )
    hopeless = cannot_tell_case(
        tolerance={"x_steps": 1.05, "y_steps": 9}, instrument=Instrument("tape", 0.01, (0.0, 5e-4)),
        piece_scatter=PieceScatter(0.001, 30, False),
    )  # fmt: skip
    assert re.search("can’t settle it|Too close", notes_of(RECTANGLE.solve(hopeless).findings[0])[0])


def test_a_fraction_on_a_fine_caliper_is_told_to_be_read_finer() -> None:
    body = example(tolerance=0.6)
    body["readings"] = [
        {"measurand": m, "values": [v]} for m, v in (("width", "15 3/4 in"), ("short_width", "4 23/32 in"))
    ]
    coarse = solve(body).findings[0]
    assert coarse.verdict is Verdict.CANNOT_TELL
    assert "Reading it to 0.010 mm" in notes_of(coarse)[0]
    body["readings"] = [{"measurand": m, "values": [v]} for m, v in (("width", "400.05"), ("short_width", "120.02"))]
    fine = solve(body).findings[0]
    assert fine.expanded_uncertainty < coarse.expanded_uncertainty / 3


@pytest.mark.parametrize(
    ("place", "change"),
    [
        ("readings[0].values[1]", lambda b: b["readings"][0]["values"].__setitem__(1, "12 1/0")),
        ("readings[1].measurand", lambda b: b["readings"][1].__setitem__("measurand", "depth")),
        ("readings[0].values[0]", lambda b: b["readings"][0]["values"].__setitem__(0, float("inf"))),
        ("readings[0].values[0]", lambda b: b["readings"][0]["values"].__setitem__(0, 10**400)),
        ("piece.width", lambda b: b["piece"].__setitem__("width", -1)),
        ("piece.colour", lambda b: b["piece"].__setitem__("colour", "red")),
        ("machine.values.x_steps", lambda b: b["machine"]["values"].__setitem__("x_steps", "many")),
        ("machine.resolution_form", lambda b: b["machine"].__setitem__("resolution_form", "furlongs")),
        ("machine.values", lambda b: b["machine"].__setitem__("values", {})),
        ("instrument.resolution", lambda b: b["instrument"].__setitem__("resolution", 0)),
        ("tolerance", lambda b: b.__setitem__("tolerance", 0)),
        ("speed", lambda b: b.__setitem__("speed", 1)),
    ],
)  # fmt: skip
def test_bad_input_names_its_place(place: str, change: Any) -> None:
    body = example()
    change(body)
    with pytest.raises(InputError) as error:
        solve(body)
    assert str(error.value).startswith(place)


def test_machines_as_they_turn_up_are_in_after_one_correction_and_so_is_another_size() -> None:
    """Where the noise permits it: U is half of T. The other piece is read without error on the stand-in."""
    judged = good = 0
    for seed in range(14):
        practice = run("rectangle", seed, 2, None, MachineKind.ROUTER)
        last = practice.rounds[-1].solution.findings
        if any(2 * (f.expanded_uncertainty or math.inf) > f.tolerance for f in last):
            continue
        judged += 1
        outline = RECTANGLE.piece({"width": 320.0, "height": 250.0, "compensation": practice.truth.kerf})
        path = RECTANGLE.tool_path(outline, 9).moved(60, 60)
        made = Router(practice.truth, practice.settings, 3).make(file_for(practice.turned.machine, path, say))
        size = {m.name: made.true_length(m.line, "jaws") for m in RECTANGLE.measurands(outline)}
        other = (size["width"] - size["short_width"]) / (outline.nominal("width") - outline.nominal("short_width")) - 1
        left = [practice.left(q)["tolerances"] for q in ("x_steps", "y_steps")]  # type: ignore[index]
        good += abs(other) <= 0.4e-3 and max(left) <= 1
    assert judged >= 5
    assert good >= 0.99 * judged


def test_intervals_cover_the_truth() -> None:
    """A smaller sister of bench/coverage.py: 600 rounds, scatter dominating, wider bounds."""
    rng = random.Random(3)
    inside = 0
    for _ in range(600):
        s_true, sigma, spread = rng.uniform(-0.003, 0.003), 0.012, 0.01
        repeats = Repeatability(spread * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(20)) / 20), 20)
        scatter = PieceScatter(sigma * math.sqrt(sum(rng.gauss(0, 1) ** 2 for _ in range(12)) / 12), 12, False)
        readings = {}
        for m, n in (("width", 400), ("short_width", 120)):
            length = n * (1 + s_true) + 6 - 6.1 - 0.1 + rng.gauss(0, sigma)
            readings[m] = tuple(Length(length + rng.gauss(0, spread), "", "mm") for _ in range(3))
        case = Case(
            "rectangle", ROUTER, {"x_steps": StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)}, {},
            {"width": 400, "height": 300, "compensation": 6}, Instrument(resolution=1e-4, repeats=repeats),
            readings=readings, piece_scatter=scatter,
        )  # fmt: skip
        x = RECTANGLE.solve(case).findings[0]
        inside += abs(x.error / 1000 - s_true) <= x.expanded_uncertainty / 1000
    assert 0.925 <= inside / 600 <= 0.975


def test_earlier_values_are_readings_with_their_u() -> None:
    """A vague kerf leaves the step's answer alone; a sharp one adds what the widths say by themselves."""
    base = case_from_json(example())
    alone, vague, sharp = (
        RECTANGLE.solve(replace(base, known=known)).findings[0].expanded_uncertainty
        for known in ({}, {"kerf": Known(6.0, 10.0)}, {"kerf": Known(6.0, 0.001), "x_lost_motion": Known(0.0, 0.001)})
    )
    assert vague == pytest.approx(alone, rel=1e-2)
    assert sharp < 0.9 * alone
