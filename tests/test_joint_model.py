"""The joint model against closed forms and an independent least-squares solution."""

from __future__ import annotations

import copy
import json
import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from keen_compass.errors import UncertaintyError
from keen_compass.procedures import REGISTRY, load
from keen_compass.quantities.uncertainty import Cause, Origin, Source, covariance
from keen_compass.solve.joint import Fit, Known, Observation, Unknown, fit, iterated
from keen_compass.solve.plausibility import looks_mirrored, looks_scaled, looks_swapped
from said import solved as answered
from said import words


def obs(label: str, value: float, u: float, **coefficients: float) -> Observation:
    effects = ((Source(Origin(label), u, Cause.REPEATS), 1.0),) if u else ()
    return Observation(label, {Unknown(k): c for k, c in coefficients.items()}, value, effects)


def solved(*rows: Observation) -> tuple[dict[str, float], dict[str, float], Fit]:
    """(values, standard uncertainties, the fit) by plain names."""
    found = fit(rows)
    values = {k.name: e.value for k, e in found.estimates.items()}
    return values, {k.name: e.u for k, e in found.estimates.items()}, found


def test_long_minus_short_is_pure_scale() -> None:
    """s = (ΔO − Δn)/Δn and u(s) = √2·u/Δn, whatever kerf and lost motion are."""
    rows = [obs("w", 0.35, 0.01, s=400.0, K=-1.0, B=-1.0), obs("h", 0.07, 0.01, s=120.0, K=-1.0, B=-1.0)]
    values, u, found = solved(*rows)
    assert values == {"s": pytest.approx(0.28 / 280)}
    assert u["s"] == pytest.approx(math.sqrt(2) * 0.01 / 280)
    assert (Unknown("K"), Unknown("B")) in found.confused
    assert not any(Unknown("s") in pair for pair in found.confused)


def test_equals_generalised_least_squares_in_another_way() -> None:
    """Rows that share sources: normal equations with the whole covariance, inverted as it stands."""
    rng = np.random.default_rng(5)
    names = ["s", "t", "K"]
    A = rng.normal(size=(8, 3)) * [300.0, 200.0, 1.0]
    own, shared = rng.uniform(0.01, 0.1, 8), rng.normal(size=(8, 2)) * 0.05
    y = rng.normal(size=8)
    both = [Source(Origin("tilt"), 1.0, Cause.TILT), Source(Origin("slope"), 2.0, Cause.OWN_ERROR)]
    rows = [
        Observation(
            f"r{i}", {Unknown(n): A[i, j] for j, n in enumerate(names)}, y[i],
            ((Source(Origin("read", i), own[i], Cause.REPEATS), 1.0), *((s, shared[i, k]) for k, s in enumerate(both))),
        )
        for i in range(8)
    ]  # fmt: skip
    V = np.diag(own**2) + np.outer(shared[:, 0], shared[:, 0]) + 4 * np.outer(shared[:, 1], shared[:, 1])
    weight = np.linalg.inv(V)
    expected = np.linalg.solve(A.T @ weight @ A, A.T @ weight @ y)
    C = np.linalg.inv(A.T @ weight @ A)
    values, u, found = solved(*rows)
    for j, name in enumerate(names):
        assert values[name] == pytest.approx(expected[j], rel=1e-8, abs=1e-12)
        assert u[name] == pytest.approx(math.sqrt(C[j, j]), rel=1e-8)
    first, last = found.estimates[Unknown("s")], found.estimates[Unknown("K")]
    assert covariance(first, last) == pytest.approx(C[0, 2], rel=1e-7)
    both_ways = found.of({Unknown("s"): 2.0, Unknown("K"): -3.0}, 1.0)
    g = np.array([2.0, 0.0, -3.0])
    assert (both_ways.value, both_ways.u) == pytest.approx((1 + g @ expected, math.sqrt(g @ C @ g)), rel=1e-7)
    left = y - A @ expected
    assert found.chi2 == pytest.approx(left @ weight @ left, rel=1e-7)
    assert found.dof == 5
    third = found.residual("r3")
    assert third is not None
    assert third.u == pytest.approx(math.sqrt((V - A @ C @ A.T)[3, 3]), rel=1e-6)


def test_readings_do_not_average_away_what_they_share() -> None:
    """With n means of one instrument u² = u_ind²/n + u_shared²."""
    shared = Source(Origin("own"), 0.01, Cause.OWN_ERROR)
    for n in (1, 4, 100):
        rows = [
            Observation(
                f"r{i}",
                {Unknown("x"): 1.0},
                0.0,
                ((Source(Origin("each", i), 0.02, Cause.REPEATS), 1.0), (shared, 1.0)),
            )
            for i in range(n)
        ]
        assert fit(rows).estimates[Unknown("x")].u == pytest.approx(math.sqrt(0.02**2 / n + 0.01**2))


def test_an_exact_value_is_held() -> None:
    values, _, _ = solved(obs("w", 0.30, 0.01, s=400.0, K=-1.0), obs("kerf", 6.0, 0.0, K=1.0))
    assert values["s"] == pytest.approx(6.30 / 400)
    assert values["K"] == 6.0


def test_units_do_not_decide_the_rank() -> None:
    """A scale per 10⁶ km and one per nm are separated alike."""
    for size in (1e-9, 1.0, 1e9):
        values, _, _ = solved(obs("a", 1.0, 0.1, s=400 * size, K=1.0), obs("b", 2.0, 0.1, s=120 * size, K=1.0))
        assert set(values) == {"s", "K"}


def test_whose_an_unknown_is_keeps_it_apart() -> None:
    plywood, acrylic = Unknown("kerf", "plywood"), Unknown("kerf", "acrylic")
    effects = ((Source(Origin("a"), 0.1, Cause.REPEATS), 1.0),)
    found = fit([Observation("a", {plywood: 1.0}, 6.0, effects), Known(5.0, 0.2).row(acrylic)])
    assert (found.estimates[plywood].value, found.estimates[acrylic].value) == (6.0, 5.0)


def test_knowledge_that_comes_from_the_same_readings_is_not_counted_twice() -> None:
    """What piece 7 said before must not make what piece 7 says now look better known."""
    x, effects = Unknown("x_scale"), ((Source(Origin("width"), 0.1, Cause.REPEATS), 1.0),)
    row = Observation("width", {x: 1.0}, 1.0, effects, frozenset({"piece 7"}))
    own, other = (Known(1.0, 0.1, evidence=frozenset({piece})).row(x) for piece in ("piece 7", "piece 3"))
    assert fit([row, own]).estimates[x].u == pytest.approx(0.1)
    assert fit([row, other]).estimates[x].u < 0.05


def test_rows_that_depend_on_the_unknowns_are_iterated() -> None:
    """Where two circles meet: distances 5 and √20 from (0, 0) and (6, 1): at (4, 3), by Pythagoras."""
    x, y = Unknown("x"), Unknown("y")
    measured = [((0.0, 0.0), 5.0), ((6.0, 1.0), math.sqrt(8.0)), ((0.0, 6.0), 5.0)]

    def rows(at):  # type: ignore[no-untyped-def]
        found = []
        for (px, py), d in measured:
            r = math.hypot(at[x] - px, at[y] - py)
            slope = {x: (at[x] - px) / r, y: (at[y] - py) / r}
            value = d - r + slope[x] * at[x] + slope[y] * at[y]
            found.append(
                Observation(f"{px}", slope, value, ((Source(Origin("place", (px, py)), 0.01, Cause.REPEATS), 1.0),))
            )
        return found

    found = iterated(rows, {x: 2.0, y: 1.0})
    assert (found.estimates[x].value, found.estimates[y].value) == (pytest.approx(4), pytest.approx(3))
    with pytest.raises(UncertaintyError, match="one answer"):
        turn = iter(range(10**6))
        iterated(lambda at: [obs("a", float(next(turn)), 0.1, x=1.0)], {x: 5.0})


def test_rows_that_share_everything_are_refused_in_words() -> None:
    tilt = ((Source(Origin("tilt"), 0.1, Cause.TILT), 1.0),)
    rows = [Observation(f"{i}", {Unknown("x"): 1.0}, 0.0, tilt) for i in range(2)]
    with pytest.raises(UncertaintyError, match="resolution"):
        fit(rows)


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
    assert says in words(doubt.asks)
    assert "reading 2" in words(doubt.asks)


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


# Names are names


def numbers_in(node: object) -> object:
    """Every number of an answer, and nothing that anything is called."""
    if isinstance(node, dict):
        return [numbers_in(v) for v in node.values()]
    if isinstance(node, list):
        return [numbers_in(v) for v in node]
    return pytest.approx(node, rel=1e-12) if isinstance(node, float) else None


def renamed(body: dict[str, Any], names: Sequence[str]) -> dict[str, Any]:
    """The same with another name for each instrument, alike ones alike."""
    known: list[object] = []
    new = copy.deepcopy(body)
    for part in (new, *new.get("parts", [])):
        if isinstance(instrument := part.get("instrument"), dict):
            if instrument not in known:
                known.append(copy.deepcopy(instrument))
            instrument["name"] = names[known.index(instrument) % len(names)]
    return new


@pytest.mark.parametrize("name", REGISTRY)
def test_what_anything_is_called_changes_no_number(name: str) -> None:
    """Names that look like what errors might be known by, and two instruments of which one's begins as the other's."""
    body = load(name).example()
    plain = numbers_in(json.loads(json.dumps(answered(body))))
    for names in (("a", "a|at 300.000", "own"), ("0|repeats", "instrument 0", "1:"), ("known", "pieces", "drawn")):
        assert numbers_in(json.loads(json.dumps(answered(renamed(body, names))))) == plain, names
