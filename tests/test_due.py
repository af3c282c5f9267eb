"""When to look again: by hand, under wandering that the forecast doesn't know, and from a shop's own past."""

from __future__ import annotations

import json
import math
import random
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from keen_compass.cli import main
from keen_compass.practice.demo_machines import HERON
from keen_compass.practice.shipped import open_demo
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.due import changes, due
from keen_compass.shop.kept import KeptFinding
from keen_compass.shop.standing import State
from keen_compass.solve.forecast import LONGEST, Change, Wander, holds_for, wander_of

YEAR = 365.0


def test_a_right_value_of_no_past_holds_for_its_usual_interval() -> None:
    for T, days in ((0.4, 183.0), (0.05, 90.0), (500.0, 365.0)):
        assert holds_for(0.0, 0.0, T, wander_of([], T, days)) == pytest.approx(days, abs=1)


def test_the_day_is_where_the_probability_falls_below_nine_in_ten() -> None:
    """By a sum over the normal density, not by the error function."""
    error, U, T, moves = 0.1, 0.08, 0.4, Wander(4e-4, -1e-3, 5e-4)
    days = holds_for(error, U, T, moves)
    s = math.sqrt((U / 1.96) ** 2 + moves.per_day * days + (moves.u_drift * days) ** 2)
    error += moves.drift * days
    steps = 4000
    inside = (
        sum(math.exp(-(((-T + 2 * T * (i + 0.5) / steps) - error) ** 2) / (2 * s * s)) for i in range(steps))
        * (2 * T / steps)
        / (s * math.sqrt(2 * math.pi))
    )
    assert 0.9 <= inside < 0.905


def test_what_is_closer_to_its_tolerance_or_wanders_more_is_due_sooner() -> None:
    little, much = Wander(1e-4), Wander(9e-4)
    assert holds_for(0.3, 0.05, 0.4, little) < holds_for(0.1, 0.05, 0.4, little) < LONGEST
    assert holds_for(0.1, 0.05, 0.4, much) < holds_for(0.1, 0.05, 0.4, little)
    assert holds_for(0.1, 0.05, 0.4, Wander(1e-4, 2e-3)) < holds_for(0.1, 0.05, 0.4, Wander(1e-4, -2e-3))
    assert holds_for(0.39, 0.1, 0.4, little) == 0
    assert holds_for(-5.0, 0.1, 0.4, little) == 0
    assert holds_for(-5.0, 0.1, 0.4, little, one_sided=True) == LONGEST


def test_what_measuring_explains_is_no_wandering() -> None:
    noise = [Change(30.0, by, 0.2) for by in (0.1, -0.08, 0.05, -0.1, 0.07, 0.02)]
    assert wander_of(noise, 0.4, 183.0).per_day < 0.5 * wander_of([], 0.4, 183.0).per_day
    assert wander_of([Change(0.1, 3.0, 0.01)], 0.4, 183.0) == wander_of([], 0.4, 183.0)  # within one day


@pytest.mark.parametrize("kind", ["by chance", "steadily", "in jumps"])
def test_nine_in_ten_are_still_in_on_their_day(kind: str) -> None:
    """Values that wander in ways the forecast doesn't know, read with an instrument that errs, every one otherwise."""
    rng, still, told, T = random.Random(kind), 0, 0, 0.4
    for _ in range(400):
        rate, way = 10 ** rng.uniform(-4.2, -2.8), rng.choice((-1, 1))
        u, value, seen = rng.uniform(0.01, 0.06), 0.0, []

        def walked(value: float, days: float, rate: float = rate, way: int = way) -> float:
            if kind == "steadily":
                return value + way * math.sqrt(rate / 60) * days
            if kind == "in jumps":
                return value + sum(
                    rng.gauss(0, math.sqrt(rate * 60)) for _ in range(int(days)) if rng.random() < 1 / 60
                )
            return value + rng.gauss(0, math.sqrt(rate * days))

        for _ in range(6):
            days = rng.uniform(20, 90)
            before, value = value, walked(value, days)
            seen.append(Change(days, value - before + rng.gauss(0, u * math.sqrt(2)), 1.96 * u * math.sqrt(2)))
        error = rng.gauss(0, u)  # corrected, and confirmed
        days = min(holds_for(error + rng.gauss(0, u), 1.96 * u, T, wander_of(seen, T, 183.0)), 2 * YEAR)
        if days >= 1:
            told += 1
            still += abs(walked(error, days)) <= T
    assert told > 350
    assert still / told >= 0.82


def finding(error: float, old: float, new: float) -> Finding:
    return Finding("x_steps", "steps/mm", old, new, 0.01, error, "mm/m", 0.05, 0.4, Verdict.IN, False, None, ())  # type: ignore[arg-type]


def test_changes_count_where_the_number_stayed_or_the_new_one_was_entered() -> None:
    begun = datetime(2026, 1, 1, tzinfo=UTC)
    past = [
        KeptFinding(finding(error, old, new), (begun + timedelta(days=day)).isoformat(), i, i)
        for i, (day, error, old, new) in enumerate(
            [(0, 0.9, 100.0, 99.91), (10, 0.02, 99.91, 99.908), (40, 0.12, 99.91, 99.9), (70, 0.3, 98.0, 97.9)]
        )
    ]
    found = changes(past)
    assert [(c.days, pytest.approx(c.by)) for c in found] == [(10, 0.02), (30, 0.1)]  # nobody knows what 98 came of
    assert pytest.approx(math.hypot(0.05, 0.05)) == found[0].U
    moved = [(begun + timedelta(days=day)).isoformat() for day in (25, 200)]  # of itself it moved only before
    assert [c.days for c in changes(past, moved)] == [10]


def test_a_shops_list_is_sorted_and_says_why(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shop = open_demo(tmp_path)
    later = {d.quantity: d for d in due(shop) if d.machine.uid == HERON.uid}
    assert later["x_steps"].spoke.state is State.OUT
    assert later["x_speed"].on > datetime.now(UTC).date()
    assert (later["x_speed"].on - datetime.fromisoformat(str(later["x_speed"].spoke.at)).date()).days <= HERON.due_days
    shop.close()
    assert main(["due", "--shop", str(shop.file), "--json"]) == 0
    rows = json.loads(capsys.readouterr().out)
    assert [r["on"] for r in rows] == sorted(r["on"] for r in rows)
    assert {"machine", "quantity", "subject", "on", "because"} == rows[0].keys()
    said = {(r["machine"], r["quantity"]): r["because"] for r in rows}
    assert "too long" in said["Heron", "x_steps"]
    assert "findings" in said["Ember", "kerf"]
    assert "usual interval of 183 days" in said["Heron", "x_speed"]
    assert main(["due", "--shop", str(shop.file)]) == 0
    assert "Ember        Kerf" in capsys.readouterr().out
    assert main(["due", "--shop", str(tmp_path / "none")]) == 2
    assert "is not there" in capsys.readouterr().err
