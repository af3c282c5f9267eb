"""Motion: drive trains, travel runs, squareness, beds, ladders, against numbers got by another way."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from keen_compass.errors import InputError
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.measuring import Conditions, Held, Measurement, measurement
from keen_compass.quantities.uncertainty import Cause, Origin, Source, Uncertain, t_95
from keen_compass.solve.bend import shape_of
from keen_compass.solve.drive import (
    Train,
    belt_travel,
    encoder_steps,
    explain_ratio,
    microstep_choices,
    motor_steps,
    rack_travel,
    roller_travel,
    screw_travel,
    threads_travel,
)
from keen_compass.solve.ladder import climb, needed_run, reached_feed, step_rate_limit
from keen_compass.solve.plane import fit_plane, shims, tram_tilt
from keen_compass.solve.square import from_diagonals, from_diameters, propagate
from keen_compass.solve.travel import fit_tracking, fit_travel, iso_figures
from keen_compass.words.say import say
from said import words

# Drive trains: worked out by hand


@pytest.mark.parametrize(
    ("train", "steps_per_mm"),
    [
        (Train(motor_steps(1.8, 8), 1, screw_travel(5, 1)), 1600 / 5),
        (Train(motor_steps(1.8, 8), 1, screw_travel(4, 4)), 1600 / 16),  # four starts: a lead of 16
        (Train(motor_steps(0.9, 16), 2, threads_travel(5, 2)), 6400 * 2 / 10.16),  # 25.4 · 2/5
        (Train(motor_steps(1.8, 32), 1, belt_travel(3, 20)), 6400 / 60),
        (Train(motor_steps(1.8, 10), 3, rack_travel(1.0, 20)), 6000 / 62.83185307179586),
        (Train(encoder_steps(10_000, 0.5), 10, rack_travel(1.5, 20, 19.5283)), 50_000 / (94.2477796 / 0.942476)),
        (Train(motor_steps(1.8, 16), 1, roller_travel(25.4, 0.1)), 3200 / (math.pi * 25.5)),
    ],
)
def test_steps_per_mm_from_the_parts(train: Train, steps_per_mm: float) -> None:
    assert train.steps_per_mm == pytest.approx(steps_per_mm, rel=1e-6)
    assert train.smallest_step * train.steps_per_mm == pytest.approx(1)
    assert train.step_rate(6000) == pytest.approx(100 * steps_per_mm)


def test_microsteps_side_by_side() -> None:
    train = Train(motor_steps(1.8, 8), 1, 5.0)  # 320 steps per mm
    choices = {c.microsteps: c for c in microstep_choices(train, 8, 9000, 100_000)}
    assert choices[16].steps_per_mm == pytest.approx(640)
    assert choices[16].rate == pytest.approx(96_000)
    assert choices[16].share == pytest.approx(0.96)
    assert choices[16].worthwhile
    assert choices[32].share == pytest.approx(1.92)
    assert not choices[32].worthwhile
    assert choices[1].smallest_step == pytest.approx(0.025)


@pytest.mark.parametrize(
    ("ratio", "teeth", "says"),
    [
        (2, 0, "factor of 2"), (1 / 8, 0, "8 times"), (25.4, 0, "inches and millimetres"), (1.001, 20, ""),
        (20 / 21, 20, "21 would explain"), (1.3, 20, ""), (5.05, 0, "5:1"),
    ],
)  # fmt: skip
def test_a_ratio_is_explained_or_left_alone(ratio: float, teeth: float, says: str) -> None:
    why = explain_ratio(106.667 * ratio, 106.667, teeth)
    assert says in words(why)
    assert bool(why) == bool(says)


@pytest.mark.parametrize(
    "wrong", [lambda: motor_steps(0, 8), lambda: rack_travel(1, 20, 75), lambda: belt_travel(3, -1)]
)
def test_impossible_parts_are_refused(wrong) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(InputError):
        wrong()


# Travel runs


def a_run(rng: random.Random, s: float, B: float, noise: float, cycles: int) -> dict[tuple[float, int], list[float]]:
    targets = (0.0, 130.0, 290.0, 510.0, 800.0)
    return {
        (p, d): [3.7 + (1 + s) * p - B / 2 * d + rng.gauss(0, noise) for _ in range(cycles)]
        for p in targets for d in (1, -1)
    }  # fmt: skip


def nodes_read(
    readings: dict[tuple[float, int], list[float]], instrument: Instrument | None = None,
    spread: Repeatability | None = None,
) -> dict[tuple[float, int], Measurement]:  # fmt: skip
    rule = instrument or Instrument(resolution=0.01)
    return {
        (p, d): measurement(f"{p:g}{d:+d}", values, rule, Conditions(Held.ALONG), nominal=p, spread=spread)
        for (p, d), values in readings.items()
    }


@settings(max_examples=40)
@given(st.integers(0, 10**6), st.floats(-0.01, 0.01), st.floats(-0.2, 0.6))
def test_the_line_is_the_least_squares_solution(seed: int, s: float, B: float) -> None:
    """All nodes equally often: then the fit to means is NumPy's to every single reading."""
    readings = a_run(random.Random(seed), s, B, 0.02, 4)
    rows = [(1.0, p, -d / 2, v) for (p, d), values in readings.items() for v in values]
    A, y = np.array([r[:3] for r in rows]), np.array([r[3] for r in rows])
    a, slope, lost = np.linalg.lstsq(A, y, rcond=None)[0]
    found = fit_travel("x", nodes_read(readings, None, Repeatability(0.02, 20)))
    assert found.lost_motion is not None
    assert found.scale.value == pytest.approx(slope - 1, abs=1e-9)
    assert found.lost_motion.value == pytest.approx(lost, abs=1e-9)
    assert found.zero == pytest.approx(a, abs=1e-9)
    at = found.residuals[(290.0, -1)]
    assert at == pytest.approx(np.mean(readings[(290.0, -1)]) - (a + slope * 290 + lost / 2), abs=1e-9)


def test_the_uncertainty_of_the_slope_by_hand() -> None:
    """u² = σ²/Σ(p − p̄)² with σ² of a node, and the rectangle b/√3 beside it."""
    within = math.radians(0.5)
    rule = Instrument(resolution=0.01, permissible_error=(0.0, 2e-5), kind="steel rule", parallel_within=within)
    readings = {(p, d): [p, p] for p in (0.0, 500.0, 1000.0) for d in (1, -1)}
    found = fit_travel("x", nodes_read(readings, rule, Repeatability(0.03, 1e9)))
    node = 0.03**2 / 2 + 0.01**2 / 12
    spread = 2 * (500.0**2 + 0 + 500.0**2)
    tilt = within**2 / (3 * math.sqrt(5))
    assert found.scale.u == pytest.approx(math.sqrt(node / spread + (2e-5) ** 2 / 3 + tilt**2), rel=1e-5)
    assert found.scale.value == pytest.approx(within**2 / 6, rel=1e-5)
    assert found.lost_motion is not None
    assert found.lost_motion.u == pytest.approx(math.sqrt(4 * node / 6), rel=1e-6)


def test_what_a_rule_permits_at_each_mark_is_in_the_slope_and_not_in_the_play() -> None:
    """Up and down at one target share its mark: six readings, three marks. By hand: u² = (a²/3)/Σ(p − p̄)²."""
    rule = Instrument(resolution=1e-6, permissible_error=(0.1, 0.0), repeats=Repeatability(1e-7, 9))
    readings = {(p, d): [p] for p in (0.0, 500.0, 1000.0) for d in (1, -1)}
    found = fit_travel("x", nodes_read(readings, rule))
    assert found.scale.u == pytest.approx(0.1 / math.sqrt(3) / math.sqrt(2 * 500.0**2), rel=1e-4)
    assert found.lost_motion is not None
    assert found.lost_motion.u < 1e-5


def test_one_target_or_one_way_says_what_is_missing() -> None:
    with pytest.raises(InputError, match="two targets"):
        fit_travel("x", nodes_read({(5.0, 1): [5.0], (5.0, -1): [5.1]}))
    one_way = fit_travel("x", nodes_read({(0.0, 1): [0.0], (10.0, 1): [10.1]}))
    assert one_way.lost_motion is None
    assert one_way.scale.value == pytest.approx(0.01)
    with pytest.raises(InputError, match="both directions"):  # up at one end, down at the other: all confused
        fit_travel("x", nodes_read({(0.0, 1): [0.0], (10.0, -1): [10.1]}))


# ISO 230-2: three targets, five runs each way, deviations in µm; every figure worked out by hand.
#            up                     mean  s        down                  mean  s
# p = 0      0 2 1 −1 −2            0    √2.5      5 6 7 4 3              5    √2.5
# p = 100    10 12 8 11 9           10   √2.5      14 16 18 15 17         16   √2.5
# p = 200    3 3 3 3 3              3    0         12 8 10 11 9           10   √2.5
TABLE = {
    (0.0, 1): (0, 2, 1, -1, -2), (0.0, -1): (5, 6, 7, 4, 3),
    (100.0, 1): (10, 12, 8, 11, 9), (100.0, -1): (14, 16, 18, 15, 17),
    (200.0, 1): (3, 3, 3, 3, 3), (200.0, -1): (12, 8, 10, 11, 9),
}  # fmt: skip


def test_iso_230_2_figures_of_a_table_worked_out_by_hand() -> None:
    found = iso_figures({(p, d): [p + x / 1000 for x in xs] for (p, d), xs in TABLE.items()})
    s = math.sqrt(2.5) / 1000
    first, second, third = found.targets
    assert [t.mean_up for t in found.targets] == pytest.approx([0, 0.010, 0.003], abs=1e-12)
    assert [t.mean_down for t in found.targets] == pytest.approx([0.005, 0.016, 0.010], abs=1e-12)
    assert [t.reversal for t in found.targets] == pytest.approx([-0.005, -0.006, -0.007], abs=1e-12)
    assert first.s_up == pytest.approx(s)
    # 4s = 6.325 µm; 2s + 2s + |B| = 6.325 + 5 = 11.325 µm; at 200: 0 + 3.162 + 7 = 10.162 µm
    assert first.repeatability == pytest.approx(4 * s + 0.005)
    assert second.repeatability == pytest.approx(4 * s + 0.006)
    assert third.repeatability == pytest.approx(2 * s + 0.007)
    assert found.reversal == pytest.approx(0.007)
    assert found.repeatability == pytest.approx(0.01232455532, abs=1e-9)
    assert found.systematic == pytest.approx(0.016)


@pytest.mark.parametrize(
    ("targets", "cycles", "lacking"),
    [
        ((0, 170, 410, 560, 790, 1000), 5, ""),
        ((0, 170, 410, 560, 790, 1000), 4, "five cycles"),
        ((0, 170, 410, 1000), 5, "five targets"),
        ((0, 170, 410, 560, 790, 1000, 2000), 5, "five targets"),  # two metres want ten
        ((0, 200, 400, 600, 800, 1000), 5, "evenly spaced"),
    ],
)
def test_only_a_run_as_the_standard_wants_it_bears_its_name(
    targets: tuple[float, ...], cycles: int, lacking: str
) -> None:  # fmt: skip
    found = iso_figures({(float(p), d): [p] * cycles for p in targets for d in (1, -1)})
    assert bool(found.lacking) == bool(lacking)
    assert lacking in say(f"travel_run.{found.lacking or 'iso_230_2'}")
    assert iso_figures({(float(p), 1): [p] * 5 for p in targets}).lacking == "iso_not_both_sides"


def walked(deviation, noise: float = 0.01, cycles: int = 3):  # type: ignore[no-untyped-def]
    rng = random.Random(5)
    targets = [100.0 * i for i in range(11)]
    steps = [(p, d) for _ in range(cycles) for d in (1, -1) for p in (targets if d > 0 else targets[::-1])]
    values = [p + deviation(i, p, d) + rng.gauss(0, noise) for i, (p, d) in enumerate(steps)]
    return [p for p, _ in steps], [d for _, d in steps], values


@pytest.mark.parametrize(
    ("kind", "deviation", "size"),
    [
        (None, lambda i, p, d: 0.002 * p - 0.1 * d, 0),
        ("bend", lambda i, p, d: 0.3 * (p / 1000 - 0.5) ** 2 * 4, 0.3),
        ("cyclic", lambda i, p, d: 0.1 * math.sin(2 * math.pi * p / 470), 0.2),
        ("slip", lambda i, p, d: 0.25 if i >= 30 else 0.0, 0.25),
    ],
)
def test_a_bend_a_wave_and_a_slip_are_told_from_a_wrong_number(kind, deviation, size) -> None:  # type: ignore[no-untyped-def]
    shape = shape_of(*walked(deviation), 0.01)
    if kind is None:
        assert shape is None
        return
    assert shape is not None
    assert shape.kind == kind
    assert shape.size == pytest.approx(size, rel=0.15)
    if kind == "cyclic":
        assert shape.where == pytest.approx(470, rel=0.06)
    if kind == "slip":
        assert shape.where == 30


def test_noise_alone_has_no_shape() -> None:
    rng = random.Random(8)
    seen = 0
    for _ in range(200):
        positions, ways, _ = walked(lambda i, p, d: 0.0)
        values = [p + rng.gauss(0, 0.02) for p in positions]
        seen += shape_of(positions, ways, values, 0.01) is not None
    assert seen <= 2


def trips_read(*misses: float, at: tuple[int, ...] = ()) -> dict[int, Measurement]:
    dial = Instrument(resolution=0.01, repeats=Repeatability(0.01, 9))
    return {
        k: measurement(f"trip_{k}", [m], dial, Conditions(Held.AGAINST))
        for k, m in zip(at or range(1, len(misses) + 1), misses, strict=True)
    }


def test_tracking_by_hand() -> None:
    found = fit_tracking(trips_read(0.1, 0.25, 0.3, 0.5))
    steps = [0.1, 0.15, 0.05, 0.2]
    read = math.hypot(0.01, 0.01 / math.sqrt(12))  # one reading
    assert found.drift.value == pytest.approx(0.125)
    assert found.scatter == pytest.approx(np.std(steps, ddof=1))
    assert found.slip == pytest.approx(math.sqrt(found.scatter**2 - 2 * read**2))
    assert found.drift.u == pytest.approx(math.hypot(found.scatter / 2, read / 4), rel=1e-6)
    # Its U reaches up to where a slip of that size would scatter so little once in forty: χ²₀.₀₂₅(3) = 0.2158.
    assert 2 * found.slip + found.slips(2).U == pytest.approx(2 * found.scatter * math.sqrt(3 / 0.2158), rel=1e-3)


def test_a_trip_that_was_not_read_counts_as_two_steps() -> None:
    steady = fit_tracking(trips_read(0.1, 0.3, 0.4, at=(1, 3, 4)))
    assert steady.drift.value == pytest.approx(0.1)
    assert steady.slip == 0
    assert steady.slips(2).U > 0  # what reading can't see may be there


# Squareness


@settings(max_examples=60)
@given(st.floats(-0.02, 0.02), st.floats(-0.004, 0.004), st.floats(-0.004, 0.004))
def test_a_sheared_rectangle_and_circle_give_their_angle_back(gamma: float, sx: float, sy: float) -> None:
    """Corners mapped by x' = (1+s_x)x + tan γ·(1+s_y)y, y' = (1+s_y)y, measured with a rule."""
    tan = math.tan(gamma)

    def at(x: float, y: float) -> complex:
        return complex((1 + sx) * x + tan * (1 + sy) * y, (1 + sy) * y)

    a, b = abs(at(400, 0)), abs(at(0, 300))
    d1, d2 = abs(at(400, 300)), abs(at(0, 300) - at(400, 0))
    assert from_diagonals(a, b, d1, d2) == pytest.approx(gamma, abs=1e-9)
    M = np.array([[1 + sx, tan * (1 + sy)], [0, 1 + sy]])
    w = {
        t: 300 * np.linalg.norm(M.T @ [math.cos(math.radians(t)), math.sin(math.radians(t))]) for t in (0, 45, 90, 135)
    }
    assert from_diameters(w[0], w[45], w[90], w[135]) == pytest.approx(
        gamma, abs=1.05 * abs(gamma * (sx - sy)) + 4e-4 * abs(gamma) + 1e-12
    )


def test_squareness_signs_and_gantry() -> None:
    """D₁ longer: the corner at lowest X and Y is less than 90°, and the far end of the gantry goes to −Y."""
    gamma = from_diagonals(400, 300, 500.4, 499.6)
    assert gamma == pytest.approx(math.asin(800.0 / 480_000))
    with pytest.raises(InputError, match="another line"):
        from_diagonals(400, 300, 650, 350)


def test_propagation_agrees_with_monte_carlo() -> None:
    rng = np.random.default_rng(2)
    at = {"a": 400.0, "b": 300.0, "d1": 500.4, "d2": 499.6}
    u = {"a": 0.03, "b": 0.02, "d1": 0.03, "d2": 0.04}
    means = {k: Uncertain(v, ((Source(Origin(k), u[k], Cause.REPEATS), 1.0),)) for k, v in at.items()}
    estimate = propagate(from_diagonals, {k: means[k] for k in at})
    draws = [from_diagonals(*(rng.normal(at[k], u[k]) for k in at)) for _ in range(20_000)]
    assert estimate.u == pytest.approx(np.std(draws), rel=0.02)


# Bed and head


def test_a_plane_is_taken_off_and_what_is_left_is_flatness() -> None:
    bump = {(x, y): 0.1 * (x == 300 and y == 200) for x in (0, 300, 600) for y in (0, 200, 400)}
    heights = {(x, y): 2 + 0.001 * x - 0.0005 * y + h for (x, y), h in bump.items()}
    plane = fit_plane(heights)
    A = np.array([[1, x, y] for x, y in heights])
    level, tx, ty = np.linalg.lstsq(A, np.array(list(heights.values())), rcond=None)[0]
    assert (plane.level, plane.tilt_x, plane.tilt_y) == pytest.approx((level, tx, ty))
    assert plane.flatness == pytest.approx(0.1)
    lift = shims(plane, {"a": (0, 0), "b": (600, 0), "c": (0, 400), "d": (600, 400)})
    assert lift == pytest.approx({"a": 0.6, "b": 0.0, "c": 0.8, "d": 0.2}, abs=1e-9)
    with pytest.raises(InputError, match="not in one line"):
        fit_plane({(0, 0): 0, (1, 1): 0, (2, 2): 0})
    assert tram_tilt(Uncertain(0.62, ()), Uncertain(0.50, ()), 120).value == pytest.approx(0.0005)


# Ladders


def test_ladders_by_hand() -> None:
    assert needed_run(6000, 400) == pytest.approx(25.0)  # 100² / 400
    assert reached_feed(9000, 25.0, 400) == pytest.approx(6000)
    assert step_rate_limit(320, 40_000) == pytest.approx(7500)
    found = climb({4000: [0.01], 6000: [0.0], 5000: [-0.02], 7000: [0.3], 8000: [0.0]}, 0.05)
    assert (found.clean, found.missed) == (6000, 7000)
    assert found.limit is not None
    assert (found.limit.value, found.limit.U) == pytest.approx((6500, 1.65 * 500 / math.sqrt(3)))
    assert climb({1000: [0.0], 2000: [0.0]}, 0.05).limit is None
    assert climb({1000: [0.5]}, 0.05).clean == 0
    assert t_95(8) > 2.3


def test_misses_to_both_sides_do_not_cancel() -> None:
    found = climb({4000: [0.0, 0.0], 5000: [0.6, -0.6], 6000: [0.0, 0.0]}, 0.1)
    assert (found.clean, found.missed) == (4000, 5000)


def test_a_coarse_rule_calls_nothing_clean_that_it_cannot_see() -> None:
    """Read to a millimetre, 0.64 mm shows as 1: a miss beyond 0.4; a 0 may be half a millimetre either way."""
    found = climb({4000: [0.0], 5000: [1.0]}, 0.4, 1.0)
    assert (found.clean, found.missed) == (0.0, 5000)
    fine = climb({4000: [0.0], 5000: [0.05], 6000: [0.64]}, 0.1, 0.01)
    assert (fine.clean, fine.missed) == (5000, 6000)
