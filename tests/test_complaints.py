"""What may be behind complaints: by hand, by a physics of its own, with what is known, and what is refused."""

from __future__ import annotations

import io
import json
import math
import random
from typing import Any, get_args

import pytest

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


def test_one_cause_alone_is_worked_out_by_hand() -> None:
    """Diagonals unlike by 2 on 300: y = √2·300/1000·γ, prior 2 mm per m, U half of it; t's weight is near one."""
    found = told({"what": "diagonals", "nominal": 300, "by": 2.0})
    a, u = math.sqrt(2) * 0.3, 1.0 / 1.959964
    expected, weight = 0.0, 1.0
    for _ in range(50):
        expected = 4 * a * 2.0 / (4 * a * a + u * u / weight)
        weight = 4 / (3 + ((2.0 - a * expected) / u) ** 2)
    assert found.causes["squareness"].value == pytest.approx(expected, rel=1e-6)
    assert found.causes["squareness"].share == pytest.approx(a * expected / 2.0, rel=1e-6)
    assert list(found.causes) == ["squareness"]


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
    assert body["causes"][0]["text"].startswith("X steps may explain 79 % of it")
