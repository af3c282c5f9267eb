"""What may be behind complaints: by hand, by a physics of its own, with what is known, and what is refused."""

from __future__ import annotations

import io
import json
import math
import random
from collections.abc import Callable
from typing import Any, get_args

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.stats import norm

from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.procedures.complaints import WHAT, Diagnosis, diagnose
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.words.complaints import LOOK, diagnosis_as_json


def told(*seen: dict[str, Any], kind: str = "router", **more: Any) -> Diagnosis:
    return diagnose({"machine": {"kind": kind}, "seen": list(seen), **more})


def largest(found: Diagnosis) -> str:
    return next(iter(found.causes))


def good(*names: str, days: float = 2.0) -> dict[str, Any]:
    return {n: {"value": 0.0, "expanded_uncertainty": 0.02, "days": days} for n in names}


def broken_or_not(spread: float) -> Callable[[float], float]:
    """Density of an error that nobody measured."""
    return lambda e: 0.7 * norm.pdf(e, 0, 0.6 * spread) + 0.3 * norm.pdf(e, 0, 2.2 * spread)


def test_one_cause_alone_is_worked_out_by_quadrature() -> None:
    """Diagonals unlike by 2 on 300: y = √2·300/1000·γ, usual spread 2 mm per m, U half of it; one in ten is wrong."""
    found = told({"what": "diagonals", "nominal": 300, "by": 2.0})
    a, u, density = math.sqrt(2) * 0.3, 1.0 / 1.959964, broken_or_not(2.0)

    def right(e: float) -> float:
        return 0.9 * density(e) * float(norm.pdf(2.0, a * e, u))

    def either(e: float) -> float:
        return right(e) + 0.1 * density(e) * float(norm.pdf(2.0, 0, math.hypot(1.0, u)))

    whole, mean, explained = (quad(f, -40, 40, limit=400, points=[0, 4.7])[0] for f in (
        either, lambda e: e * either(e), lambda e: e * right(e)))  # fmt: skip
    cause = found.causes["squareness"]
    assert cause.value == pytest.approx(mean / whole, rel=1e-4)
    assert cause.share == pytest.approx(a * explained / whole / 2.0, rel=1e-4)
    inside = quad(either, cause.value - cause.U, cause.value + cause.U, limit=400, points=[0, 4.7])[0] / whole
    assert inside == pytest.approx(0.95, abs=1e-4)
    assert list(found.causes) == ["squareness"]


@pytest.mark.parametrize("way", ["+", "-"])
def test_a_way_alone_says_that_it_was_noticed(way: str) -> None:
    found = told({"what": "diagonals", "nominal": 300, "by": way})
    a, s, density = math.sqrt(2) * 0.3, 1 if way == "+" else -1, broken_or_not(2.0)

    def either(e: float) -> float:
        return density(e) * (0.9 * float(norm.cdf((s * a * e - 0.1) / 0.1)) + 0.1 * 0.5)

    whole, mean = (quad(f, -40, 40, limit=400, points=[0, 0.24])[0] for f in (either, lambda e: e * either(e)))
    assert found.causes["squareness"].value == pytest.approx(mean / whole, rel=1e-3)


def test_several_complaints_are_weighed_as_a_million_machines_would_be() -> None:
    """Drawn as they are expected, kept by how well each agrees: sizes, a way alone, and an axis where it is less."""
    rng = np.random.default_rng(5)
    count = 1_000_000
    broke = rng.random((4, count)) < 0.3
    steps, other, kerf = (
        np.where(broke[i], 2.2, 0.6) * spread * rng.standard_normal(count) for i, spread in enumerate((2.0, 2.0, 0.3))
    )
    half = math.sqrt(2 / math.pi)
    rest = math.sqrt(1 - half**2)
    play = np.where(
        broke[3], 0.33 * (half + rest * rng.standard_normal(count)), 0.09 + 0.09 * rng.standard_normal(count)
    )
    known = good("x_speed", "y_speed", days=0.0)
    known["y_backlash"] = {"value": 0.0, "expanded_uncertainty": 0.001, "days": 0}
    found = told({"what": "outside_size", "axis": "x", "nominal": 600, "by": 1.5},
                 {"what": "does_not_meet", "axis": "x", "by": "+"}, known=known)  # fmt: skip
    size = 0.6 * steps - play + kerf
    there = 0.6 * other + kerf  # along Y, where it is less
    right = (norm.pdf(1.5, size, 0.75 / 1.959964) * norm.pdf(0, there, 0.75), norm.cdf((play - 0.1) / 0.1))
    wrong = (norm.pdf(1.5, 0, math.hypot(1.0, 0.75 / 1.959964)), 0.5)
    agrees = 0.81 * right[0] * right[1] + 0.09 * (wrong[0] * right[1] + right[0] * wrong[1])
    for name, drawn in (("x_steps", steps), ("y_steps", other), ("kerf", kerf)):
        assert found.causes[name].value == pytest.approx(float((agrees * drawn).sum() / agrees.sum()), abs=0.08), name
    assert found.causes["x_backlash"].value == pytest.approx(float((agrees * play).sum() / agrees.sum()), abs=0.03)


def test_two_sizes_tell_scale_from_kerf() -> None:
    play = good("x_backlash")
    scaled = told({"what": "outside_size", "axis": "x", "nominal": 900, "by": 1.2},
                  {"what": "outside_size", "axis": "x", "nominal": 90, "by": 0.12}, known=play)  # fmt: skip
    constant = told({"what": "outside_size", "axis": "x", "nominal": 900, "by": 0.4},
                    {"what": "outside_size", "axis": "x", "nominal": 90, "by": 0.4},
                    {"what": "inside_size", "axis": "x", "nominal": 40, "by": -0.4}, known=play)  # fmt: skip
    assert largest(scaled) == "x_steps"
    assert largest(constant) == "kerf"
    assert constant.causes["kerf"].value == pytest.approx(0.35, abs=0.08)


def test_what_is_known_to_be_right_explains_nothing_and_age_and_events_bring_doubt_back() -> None:
    seen = {"what": "outside_size", "axis": "x", "nominal": 300, "by": 0.4}
    fresh = told(seen, known=good("x_steps", "x_backlash"))
    assert largest(fresh) == "kerf"
    old = told(seen, known=good("x_steps", "x_backlash", days=900.0))
    moved = told(seen, known=good("x_steps", "x_backlash"), events=[{"what": "moved", "days": 1}])
    before = told(seen, known=good("x_steps", "x_backlash"), events=[{"what": "moved", "days": 9}])
    assert fresh.causes["x_steps"].share < old.causes["x_steps"].share
    assert fresh.causes["x_steps"].share < moved.causes["x_steps"].share
    assert before.causes["x_steps"].share == pytest.approx(fresh.causes["x_steps"].share)


def test_what_is_seen_in_one_place_only_is_less_likely_the_same_all_over() -> None:
    anywhere, there = (told({"what": "depth", "by": 0.5, **more}) for more in ({}, {"where": "far-left"}))
    assert there.causes["bed"].share > anywhere.causes["bed"].share + 0.1
    assert largest(there) == "bed"
    beside = [{"what": "beside_print", "axis": "x", "by": 0.8, **more} for more in ({}, {"where": "near-right"})]
    alike, lone = (told(one, kind="print-and-cut") for one in beside)
    assert lone.causes["registration"].share > 2 * alike.causes["registration"].share
    with pytest.raises(InputError, match=r"seen\[0\].where: expected one of far-left"):
        told({"what": "depth", "where": "under it"})


def test_one_complaint_that_is_wrong_does_not_outweigh_three() -> None:
    holes = [{"what": "inside_size", "nominal": n, "by": -0.3} for n in (20, 40, 60)]
    wrong = {"what": "outside_size", "nominal": 50, "by": -6.0}
    found = told(*holes, wrong, known=good("x_steps", "y_steps", "x_backlash", "y_backlash"))
    assert found.causes["kerf"].value > 0.1
    assert found.unexplained > 0.05


@pytest.mark.parametrize("what", get_args(WHAT))
def test_every_complaint_has_causes_a_look_and_something_that_tells(what: str) -> None:
    for kind in ("router", "plasma", "laser", "knife", "print-and-cut"):
        for by in (0.5, "+", "-", -0.5):
            try:
                found = told({"what": what, "by": by}, kind=kind)
            except InputError as error:
                assert "nothing that shows on such a machine" in str(error)
                break
            body = diagnosis_as_json(found)
            shares = [c["share"] for c in body["causes"]]
            assert sum(shares) + body["unexplained"] == pytest.approx(1.0)
            assert all(0 <= s <= 1 for s in shares)
            assert shares == sorted(shares, reverse=True)
            assert body["look"] == [LOOK[what]]
            assert body["tell"] or max(shares) < 0.08


def seen_on(machine: dict[str, float], rng: random.Random) -> list[tuple[dict[str, Any], dict[str, float]]]:
    """Complaints about parts of a router that errs so, each with what really makes it, in shares: geometry as it is, a
    hand that guesses.
    """
    K, gamma = machine["kerf"], machine["squareness"] / 1000
    found = []
    for axis in "xy":
        s, B = machine[f"{axis}_steps"] / 1000, machine[f"{axis}_backlash"]
        n = rng.choice((60.0, 200.0, 600.0))
        made = {f"{axis}_steps": n * s, "kerf": K, f"{axis}_backlash": -B}
        found.append(({"what": "outside_size", "axis": axis, "nominal": n}, made))
        n = rng.choice((20.0, 80.0))
        made = {f"{axis}_steps": n * s, "kerf": -K, f"{axis}_backlash": -B}
        found.append(({"what": "inside_size", "axis": axis, "nominal": n}, made))
        found.append(({"what": "does_not_meet", "axis": axis}, {f"{axis}_backlash": B}))
    n = rng.choice((200.0, 500.0))
    one, other = (math.hypot(n + w * n * math.tan(gamma), n) for w in (1, -1))
    found.append(({"what": "diagonals", "nominal": n}, {"squareness": one - other}))
    told = []
    for what, made in found:
        said = sum(made.values()) * rng.uniform(0.7, 1.3) + rng.gauss(0, 0.05)
        if abs(said) > 0.15:  # nobody complains of less
            told.append((what | {"by": round(said, 2)}, {q: by / said for q, by in made.items()}))
    return told


def test_machines_that_err_are_seen_through_as_far_as_it_says() -> None:
    """Play that is no normal spread, kerfs and scales from tails that nobody assumed; in both signs."""
    rng, inside, total, first, judged = random.Random(37), 0, 0, 0, 0
    for _ in range(250):
        machine = {
            "x_steps": rng.choice((rng.gauss(0, 0.4), rng.uniform(-4, 4))),
            "y_steps": rng.choice((rng.gauss(0, 0.4), rng.uniform(-4, 4))),
            "squareness": rng.choice((rng.gauss(0, 0.3), rng.uniform(-4, 4))),
            "kerf": rng.choice((rng.gauss(0, 0.05), rng.uniform(-0.6, 0.6))),
            "x_backlash": rng.uniform(0, 0.3),
            "y_backlash": rng.uniform(0, 0.3),
        }
        seen = seen_on(machine, rng)
        if not seen:
            continue
        known = {"hole_bias": {"value": 0.0, "expanded_uncertainty": 0.02, "days": 1}}
        found = told(*(what for what, _ in seen), known=known)
        for name, cause in found.causes.items():
            if name in machine:
                total += 1
                inside += abs(cause.value - machine[name]) <= cause.U
        heard = [min(2.0, abs(what["by"]) / 0.2) ** 2 for what, _ in seen]  # what is small is half made up
        really = {q: sum(h * m.get(q, 0) for h, (_, m) in zip(heard, seen, strict=True)) / sum(heard) for q in machine}
        one, two, *_ = sorted(really, key=lambda q: -really[q])
        if really[one] > 0.3 and really[one] > 2 * really[two]:
            judged += 1
            first += largest(found) == one
    assert total > 1000
    assert inside / total >= 0.93
    assert judged > 60
    assert first / judged >= 0.85


@pytest.mark.parametrize(
    ("body", "place"),
    [
        ({}, "seen: missing"),
        ({"seen": []}, "seen: expected a list"),
        ({"seen": [{"what": "ghost"}]}, "seen[0].what: expected one of outside_size"),
        ({"seen": [{"what": "oval", "by": "far"}]}, "seen[0].by: "),
        ({"seen": [{"what": "oval", "by": 0}]}, "seen[0].by: by nothing is no complaint"),
        ({"seen": [{"what": "oval", "nominal": -3}]}, "seen[0].nominal: must be larger than 0"),
        ({"seen": [{"what": "bands"}], "machine": {"kind": "router"}}, "seen[0].what: bands is nothing that shows"),
        (
            {"seen": [{"what": "oval"}], "known": {"charm": {"value": 1, "expanded_uncertainty": 1}}},
            "known.charm: is nothing",
        ),
        ({"seen": [{"what": "oval"}], "known": {"kerf": {"value": 1}}}, "known"),
        ({"seen": [{"what": "oval"}], "events": [{"what": "moved", "days": -1}]}, "events[0].days: expected a number"),
        ({"seen": [{"what": "oval"}], "known": {"kerf": {"value": 10**400, "expanded_uncertainty": 1}}}, "known.kerf"),
        ({"seen": [{"what": "oval"}], "more": 1}, "more: not known here"),
    ],
)
def test_what_cannot_be_understood_is_refused_with_its_place(body: dict[str, Any], place: str) -> None:
    with pytest.raises(InputError) as caught:
        diagnose(body)
    assert place in str(caught.value)


def test_the_command_line_takes_lengths_with_units(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    said = {"seen": [{"what": "outside_size", "axis": "x", "nominal": "12 in", "by": "1/64 in"}]}
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(json.dumps(said).encode())))
    assert main(["diagnose", "-"]) == 0
    body = json.loads(capsys.readouterr().out)
    assert body["causes"][0]["quantity"] == "x_steps"
    assert body["causes"][0]["unit"] == QUANTITIES["x_steps"].error_unit
    assert body["causes"][0]["text"].startswith("X steps may explain ")
