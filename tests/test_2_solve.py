"""The joint model against closed forms and an independent least-squares solution."""

from __future__ import annotations

import math

import numpy as np
import pytest

from keen_compass.quantities.uncertainty import Component
from keen_compass.solve.joint import Observation, fit
from keen_compass.solve.plausibility import looks_mirrored, looks_scaled, looks_swapped


def obs(label: str, value: float, u: float, **coefficients: float) -> Observation:
    return Observation(label, coefficients, value, (Component(u),) if u else ())


def test_long_minus_short_is_pure_scale() -> None:
    """s = (ΔO − Δn)/Δn and u(s) = √2·u/Δn, whatever kerf and lost motion are."""
    rows = [obs("w", 0.35, 0.01, s=400.0, K=-1.0, B=-1.0), obs("h", 0.07, 0.01, s=120.0, K=-1.0, B=-1.0)]
    result = fit(rows)
    assert result.estimates["s"].value == pytest.approx(0.28 / 280)
    assert result.estimates["s"].u == pytest.approx(math.sqrt(2) * 0.01 / 280)
    assert set(result.estimates) == {"s"}
    assert ("K", "B") in result.confused
    assert not any("s" in pair for pair in result.confused)


def test_equals_generalised_least_squares_in_another_way() -> None:
    rng = np.random.default_rng(5)
    names = ["s", "t", "K"]
    A = rng.normal(size=(8, 3)) * [300.0, 200.0, 1.0]
    u = rng.uniform(0.01, 0.1, 8)
    y = rng.normal(size=8)
    result = fit([obs(f"r{i}", y[i], u[i], **dict(zip(names, A[i], strict=True))) for i in range(8)])
    normal = A.T @ np.diag(1 / u**2) @ A
    expected = np.linalg.solve(normal, A.T @ (y / u**2))
    covariance = np.linalg.inv(normal)
    for j, name in enumerate(names):
        assert result.estimates[name].value == pytest.approx(expected[j], rel=1e-9, abs=1e-12)
        assert result.estimates[name].u == pytest.approx(math.sqrt(covariance[j, j]), rel=1e-9)


def test_readings_do_not_average_away_what_they_share() -> None:
    """With n means of one instrument u² = u_ind²/n + u_shared²."""
    for n in (1, 4, 100):
        rows = [obs(f"r{i}", 0.0, 0.02, x=1.0, shared=1.0) for i in range(n)]
        result = fit([*rows, obs("shared", 0.0, 0.01, shared=1.0)])
        assert result.estimates["x"].u == pytest.approx(math.sqrt(0.02**2 / n + 0.01**2))


def test_an_exact_value_is_held() -> None:
    result = fit([obs("w", 0.30, 0.01, s=400.0, K=-1.0), obs("kerf", 6.0, 0.0, K=1.0)])
    assert result.estimates["s"].value == pytest.approx(6.30 / 400)
    assert result.estimates["K"].value == 6.0


def test_units_do_not_decide_the_rank() -> None:
    """A scale per 10⁶ km and one per nm are separated alike."""
    for size in (1e-9, 1.0, 1e9):
        result = fit([obs("a", 1.0, 0.1, s=400 * size, K=1.0), obs("b", 2.0, 0.1, s=120 * size, K=1.0)])
        assert set(result.estimates) == {"s", "K"}


@pytest.mark.parametrize(
    ("nominal", "value", "says"),
    [
        (400.0, 15.76, "inches"), (12.0, 305.0, "mm taken for inches"), (400.0, 40.03, "10 times too small"),
        (400.0, 200.4, "2 times too small"), (400.0, 6400.0, "16 times too large"),
        (300.0, 60.2, "5 times too small"),
    ],
)  # fmt: skip
def test_tell_tale_ratios(nominal: float, value: float, says: str) -> None:
    doubt = looks_scaled("width", nominal, [nominal, value], 0.0)
    assert doubt is not None
    assert says in doubt.sentence
    assert "reading 2" in doubt.sentence


def test_small_lengths_and_plain_errors_are_not_doubted() -> None:
    assert looks_scaled("width", 12.0, [6.0], kerf=6.0) is None  # kerf alone can halve it
    assert looks_scaled("width", 400.0, [340.0, 460.0], kerf=6.0) is None


def test_swapped_and_mirrored() -> None:
    nominal, U = {"width": 400.0, "height": 300.0}, {"width": 0.05, "height": 0.05}
    assert looks_swapped(nominal, {"width": 300.2, "height": 400.3}, U)
    assert looks_swapped(nominal, {"width": 300.2, "height": 300.1}, U) is None
    assert looks_swapped({"width": 300.2, "height": 300.0}, {"width": 300.0, "height": 300.2}, U) is None
    assert looks_mirrored(1.98, 1.0, 0.1)
    assert not looks_mirrored(-1.98, 1.0, 0.1)
    assert not looks_mirrored(0.3, 0.15, 0.2)  # inside the noise
