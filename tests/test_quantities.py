"""Lengths, uncertainty, verdict, resolution forms, standpoint."""

from __future__ import annotations

import math
import random
import statistics
from contextlib import suppress
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keen_compass.errors import InputError, LengthError, UncertaintyError
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.lengths import format_fraction, format_mm, parse_length
from keen_compass.quantities.measuring import (
    Conditions,
    Held,
    PieceScatter,
    Temperature,
    alignment,
    measurement,
    pooled_repeats,
    temperature,
)
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import DIRECTIONS, WORDS, Standpoint
from keen_compass.quantities.uncertainty import (
    Cause,
    Origin,
    Shape,
    Source,
    Uncertain,
    chi2_quantile,
    combination,
    covariance,
    effective_dof,
    expand,
    limits,
    t_95,
)
from keen_compass.quantities.verdict import Verdict, judge


@pytest.mark.parametrize(
    ("text", "unit", "mm"),
    [
        ("400.31", "mm", 400.31), ("400,31", "mm", 400.31), ("400.30 mm", "in", 400.30), (" 0,125 ", "in", 3.175),
        ("22 5/8", "in", 574.675), ('22-5/8"', "mm", 574.675), ("22 5/8 in", "mm", 574.675),
        ("½", "in", 12.7), ("22½ in", "mm", 571.5), ("12.5 thou", "mm", 0.3175), ("13/16", "in", 20.6375),
        ("40 cm", "mm", 400.0), ("250 µm", "mm", 0.25), (".5″", "mm", 12.7), ("1234.5", "mm", 1234.5),
    ],
)  # fmt: skip
def test_lengths_as_typed(text: str, unit: str, mm: float) -> None:
    length = parse_length(text, unit)
    assert length.mm == pytest.approx(mm, abs=1e-9)
    assert length.text == text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "nothing typed"), ("abc", "can't read"), ("-5", "never negative"), ("−5 mm", "never negative"),
        ("1e400", "can't read"), ("12 1/0", "below the line"), ("1,234", "1.234 or 1234"),
        ("1.234,5", "more than one"),
        ("12 5/4", "less than one"), ("5 mil", "millimetre to others"), ("5 furlongs", "not known"),
        ("9" * 99, "too long"), ("99999999", "kilometre"), ("٣", "can't read"), ("4 0 0", "can't read"),
        ("nan", "can't read"), ("400.31mm400.31", "can't read"),
    ],
)  # fmt: skip
def test_lengths_refused_in_words(text: str, says: str) -> None:
    with pytest.raises(LengthError) as error:
        parse_length(text)
    assert says in error.value.message
    assert len(error.value.message) < 120


def test_ten_megabytes_are_answered_at_once_and_briefly() -> None:
    with pytest.raises(LengthError, match="10,000,000 characters is too long"):
        parse_length("9" * 10_000_000)


def test_a_fraction_states_how_finely_it_was_read() -> None:
    assert parse_length("22 5/8 in").resolution_mm == pytest.approx(25.4 / 8)
    assert parse_length("400.3").resolution_mm == 0


@given(st.text(max_size=60))
def test_any_text_is_read_or_refused(text: str) -> None:
    with suppress(LengthError):
        assert math.isfinite(parse_length(text, allow_negative=True).mm)


@given(st.integers(0, 64 * 500))
def test_fractions_survive_the_round_trip(steps: int) -> None:
    assert parse_length(format_fraction(steps / 64), "in").mm == pytest.approx(steps / 64 * 25.4)


def test_numbers_are_shown_with_a_real_minus_and_no_minus_zero() -> None:
    assert format_mm(-0.314, 2, signed=True) == "−0.31"
    assert format_mm(-0.001, 2, signed=True) == "0.00"
    assert two_significant(0.0117) == 3
    assert two_significant(0.0996) == 2  # rounds to 0.10
    assert two_significant(23.4) == 0


def test_students_t_against_printed_tables() -> None:
    for dof, t in ((1, 12.706), (4, 2.776), (9, 2.262), (30, 2.042), (math.inf, 1.960)):
        assert t_95(dof) == pytest.approx(t, abs=5e-4)


def test_uncertainty_of_a_mean_by_hand() -> None:
    """Readings 400.30, 400.32, 400.31 with a record s_p = 0.02, 8 dof; r = 0.01; pieces differ by 0.03.

    s² = (2·1e-4 + 8·4e-4)/10 = 3.4e-4; u² = s²/3 + 1e-4/12 + 9e-4 = 1.021667e-3.
    """
    caliper = Instrument(resolution=0.01, repeats=Repeatability(0.02, 8))
    scattered = Conditions(scatter=PieceScatter(0.03, 10, False))
    found = measurement("width", [400.30, 400.32, 400.31], caliper, scattered)
    assert found.value == pytest.approx(400.31)
    assert found.mean.u == pytest.approx(math.sqrt(1.0216667e-3), rel=1e-6)
    # Welch–Satterthwaite with 10 dof for both parts that have any.
    dof = 1.0216667e-3**2 / (1.1333333e-4**2 / 10 + 9e-4**2 / 10)
    assert pytest.approx(t_95(dof) * found.mean.u, rel=1e-6) == found.mean.U
    rule = Instrument(resolution=0.5, both_ends=True)
    both_ends = measurement("width", [400.0], rule, Conditions())
    assert both_ends.mean.effects[0][0].u == pytest.approx(0.5 / math.sqrt(6))
    assert both_ends.assumed
    beside = measurement("up_1", [400.0], rule, Conditions(Held.ALONG))  # read at one place, whatever it is
    assert beside.mean.effects[0][0].u == pytest.approx(0.5 / math.sqrt(12))


def lengths_read(a: float, b: float, *lengths: tuple[str, float]) -> list[Uncertain]:
    caliper = Instrument(name="caliper", resolution=1e-6, permissible_error=(a, b), repeats=Repeatability(1e-9, 9))
    return [measurement(m, [n], caliper, Conditions(), nominal=n).mean for m, n in lengths]


def test_a_permitted_error_is_a_bound_at_every_length() -> None:
    """By hand: at L the whole bound, (a + bL)²/3; of a difference the local parts and the slope."""
    a, b = 0.02, 5e-5
    long, short, same = lengths_read(a, b, ("width", 400.0), ("short_width", 120.0), ("height", 400.0))
    assert long.u == pytest.approx((a + b * 400) / math.sqrt(3), rel=1e-6)
    difference = combination(((1, long), (-1, short)))
    assert difference.u**2 == pytest.approx((2 * a * a + 2 * a * b * 520 + (b * 280) ** 2) / 3, rel=1e-6)
    assert combination(((1, long), (-1, same))).u < 3e-6  # equal lengths share it: nothing is left but the division
    assert covariance(long, same) == pytest.approx(long.u**2, rel=1e-6)


def test_more_readings_never_average_away_what_the_instrument_permits() -> None:
    caliper = Instrument(resolution=1e-6, permissible_error=(0.03, 0.0), repeats=Repeatability(0.01, 9))
    many = measurement("width", [400.0 + 0.01 * (-1) ** i for i in range(1000)], caliper, Conditions())
    assert many.mean.u == pytest.approx(math.hypot(0.03 / math.sqrt(3), 0.01 / math.sqrt(1000)), rel=1e-3)


@pytest.mark.parametrize(
    ("kind", "held", "sign"),
    [("caliper", Held.ACROSS, -1), ("steel rule", Held.ACROSS, -1), ("steel rule", Held.ALONG, 1),
     ("tape", Held.ALONG, 1), ("dial gauge", Held.ALONG, -1), ("depth gauge", Held.AGAINST, -1)],
)  # fmt: skip
def test_a_tilt_reads_short_only_beside_a_moving_point(kind: str, held: Held, sign: int) -> None:
    """Turned by θ in ±1°, drawn again 100,000 times: mean and spread of what has to be added."""
    within = math.radians(1.0)
    instrument = Instrument(kind=kind, resolution=1e-6, parallel_within=within, repeats=Repeatability(1e-9, 9))
    found = measurement("width", [500.0], instrument, Conditions(held))
    rng = random.Random(3)
    thetas = [rng.uniform(-within, within) for _ in range(100_000)]
    added = [500.0 / math.cos(t) - 500.0 if sign > 0 else 500.0 * math.cos(t) - 500.0 for t in thetas]
    assert found.value - 500.0 == pytest.approx(sum(added) / len(added), rel=0.02)
    assert found.mean.u == pytest.approx(statistics.pstdev(added), rel=0.02)
    # and at the limit, where it may lie all day, U still covers it (to the second order in θ)
    furthest = max(added, key=abs)
    assert abs(furthest - (found.value - 500)) <= 1.001 * found.mean.U


def test_warmth_is_one_source_for_all_that_was_read() -> None:
    warm = Conditions(temperature=Temperature("aluminium", 30.0, 30.0, 1.0))
    caliper = Instrument(resolution=1e-6, repeats=Repeatability(1e-9, 9))
    long, short = (measurement(m, [n], caliper, warm).mean for m, n in (("width", 1000.0), ("short_width", 400.0)))
    assert long.value == pytest.approx(1000 * (1 + 10 * (11.5e-6 - 23.8e-6)))
    difference = combination(((1, long), (-1, short)))
    assert difference.u == pytest.approx(0.6 * long.u, rel=1e-4)


def test_pooled_repeats_share_their_degrees_of_freedom() -> None:
    """Two means whose s² comes from one record of ν = 4: against ν of V = s₁² + s₂² drawn 40,000 times."""
    rng = random.Random(4)
    own, shared = 2, 4
    draws = []
    for _ in range(40_000):
        record = sum(rng.gauss(0, 1) ** 2 for _ in range(shared))
        draws.append(sum((record + sum(rng.gauss(0, 1) ** 2 for _ in range(own))) / (own + shared) for _ in (1, 2)))
    mean = sum(draws) / len(draws)
    variance = sum((d - mean) ** 2 for d in draws) / len(draws)
    caliper = Instrument(name="caliper", resolution=1e-6, repeats=Repeatability(1.0, shared))
    a, b = (measurement(m, [10.0, 10.0, 10.0], caliper, Conditions()).mean for m in "ab")
    assert effective_dof(combination(((1, a), (1, b))).effects) == pytest.approx(2 * mean**2 / variance, rel=0.05)


def test_what_limits_an_answer_is_told_by_cause() -> None:
    parts = (source("a", 3.0, Cause.PIECES), source("b", 4.0, Cause.OWN_ERROR), source("c", 1e-3, Cause.TILT))
    assert limits(parts) == ((Cause.OWN_ERROR, pytest.approx(0.64)), (Cause.PIECES, pytest.approx(0.36)))


def test_quantiles_from_the_tables() -> None:
    for p, dof, value in ((0.025, 7, 1.690), (0.975, 10, 20.483), (0.5, 2, 1.386)):
        assert chi2_quantile(p, dof) == pytest.approx(value, abs=5e-4)


def source(name: str, u: float, cause: Cause = Cause.REPEATS, shape: Shape = Shape.NORMAL) -> tuple[Source, float]:
    return Source(Origin(name), u, cause, shape=shape), 1.0


def test_equal_readings_do_not_pretend_to_be_exact() -> None:
    spread = pooled_repeats([400.31] * 3, Instrument(resolution=0.01).repeatability)
    assert spread.assumed
    assert spread.s == pytest.approx(0.02 * math.sqrt(4 / 6))
    assert pooled_repeats([1.0, 2.0, 3.0, 4.0, 5.0], Repeatability(9, 9)).s == pytest.approx(math.sqrt(2.5))


def test_a_dominating_rectangle_takes_165() -> None:
    wide = source("division", 1.0, shape=Shape.RECTANGLE)
    assert expand([wide, source("rest", 0.05)]) == pytest.approx(1.65 * math.hypot(1, 0.05))
    assert expand([wide, source("rest", 1.0)]) == pytest.approx(1.96 * math.sqrt(2), rel=1e-3)
    # The same rectangle twice is one of twice the width; with the other sign nothing is left of it.
    assert expand([wide, wide]) == pytest.approx(1.65 * 2)
    with pytest.raises(UncertaintyError):
        expand([wide, (wide[0], -1.0)])
    with pytest.raises(UncertaintyError):
        expand([source("nothing", 0.0)])


def test_alignment_and_temperature_by_hand() -> None:
    shift, u = alignment(1000.0, math.radians(2.0), reads_long=True)
    assert shift == pytest.approx(-1000 * math.radians(2) ** 2 / 6)
    assert u == pytest.approx(1000 * math.radians(2) ** 2 / (3 * math.sqrt(5)))
    assert alignment(1000.0, math.radians(2.0), reads_long=False)[0] == -shift
    shift, u = temperature(1000.0, "aluminium", 30.0, 30.0, 0.0)
    assert shift == pytest.approx(1000 * 10 * (11.5e-6 - 23.8e-6))
    assert u == pytest.approx(1000 * 10 * 0.1 * math.hypot(11.5e-6, 23.8e-6))


def test_verdicts_by_the_decision_rule() -> None:
    assert judge(0.05, 0.04, 0.1) is Verdict.IN
    assert judge(-0.06, 0.04, 0.1) is Verdict.IN  # exactly on the line is in
    assert judge(-0.15, 0.04, 0.1) is Verdict.OUT
    assert judge(0.09, 0.04, 0.1) is Verdict.CANNOT_TELL
    assert judge(0.01, 0.2, 0.1) is Verdict.CANNOT_TELL


def _in_form(form: ResolutionForm, steps_per_mm: float) -> StoredResolution:
    match form:
        case ResolutionForm.STEPS_PER_MM:
            return StoredResolution(form, steps_per_mm)
        case ResolutionForm.STEPS_PER_INCH:
            return StoredResolution(form, steps_per_mm * 25.4)
        case ResolutionForm.UM_PER_STEP:
            return StoredResolution(form, 1000 / steps_per_mm)
        case ResolutionForm.MM_PER_STEP:
            return StoredResolution(form, 1 / steps_per_mm)
        case ResolutionForm.INCH_PER_STEP:
            return StoredResolution(form, 1 / steps_per_mm / 25.4)
        case ResolutionForm.PAIR:
            return StoredResolution(form, 99.7, 100.2)
        case ResolutionForm.PERCENT_0:
            return StoredResolution(form, -1.3)
    return StoredResolution(form, 98.7)


@given(st.sampled_from(list(ResolutionForm)), st.floats(5, 2000), st.floats(-0.2, 0.2), st.floats(-0.01, 0.01))
def test_every_form_moves_the_machine_alike(form: ResolutionForm, steps: float, s: float, again: float) -> None:
    """Two rounds, the second from the number stored by the first: what is left is rounding alone."""
    old = _in_form(form, steps)
    first = old.corrected(s, 12)
    assert old.scale_after(s, first) == pytest.approx(0, abs=1e-6)
    second = first.corrected(again, 12)
    assert first.scale_after(again, second) == pytest.approx(0, abs=1e-6)
    assert (second.motion_factor / old.motion_factor) * (1 + s) * (1 + again) == pytest.approx(1, rel=1e-6)
    step = 1e-6
    slope = (old.corrected(s + step, 12).value - old.corrected(s - step, 12).value) / (2 * step)
    assert abs(slope) == pytest.approx(old.sensitivity(s), rel=1e-2, abs=1e-6)


@given(
    st.sampled_from(list(ResolutionForm)), st.integers(1, 6), st.floats(50, 2000), st.floats(-0.02, 0.02),
    st.floats(-0.002, 0.002), st.booleans(),
)  # fmt: skip
def test_the_next_round_starts_from_the_stored_rounded_number(
    form: ResolutionForm, decimals: int, steps: float, s: float, noise: float, small: bool
) -> None:
    """What is left after two rounds is what the noise and half a last digit leave, in every form."""
    old = _in_form(form, steps)
    if form in (ResolutionForm.UM_PER_STEP, ResolutionForm.MM_PER_STEP, ResolutionForm.INCH_PER_STEP):
        decimals += 6  # such small numbers are kept with many
    first = old.corrected(s + noise, decimals)
    left = old.scale_after(s, first)
    half_digit = 0.5 * 10**-decimals / old.sensitivity(0.0)
    assert abs(left) <= 1.1 * (abs(noise) + half_digit) + 1e-12
    second = first.corrected(left if small else left + noise, decimals)
    assert abs(first.scale_after(left, second)) <= 1.1 * ((0 if small else abs(noise)) + half_digit) + 1e-12
    assert first.value == round(first.value, decimals)


def test_a_stored_pair_is_multiplied_never_replaced() -> None:
    pair = StoredResolution.from_input(ResolutionForm.PAIR, {"commanded": 100, "measured": 100.4})
    assert pair.corrected(0.001, 3).to_json() == {"commanded": 100, "measured": pytest.approx(100.5, abs=5e-4)}
    with pytest.raises(InputError):
        StoredResolution.from_input(ResolutionForm.PAIR, 100)


EIGHT = [
    (x, y) for x, y in product(DIRECTIONS, DIRECTIONS)
    if DIRECTIONS[x][0] * DIRECTIONS[y][0] + DIRECTIONS[x][1] * DIRECTIONS[y][1] == 0
]  # fmt: skip


@pytest.mark.parametrize(("x", "y"), EIGHT)
def test_every_standpoint_draws_and_says_the_same(x: str, y: str) -> None:
    s = Standpoint(x, y)
    assert DIRECTIONS[x] == s.to_view(1, 0)
    for axis, unit in (("x", (1, 0)), ("y", (0, 1))):
        for sign in (1, -1):
            seen = s.to_view(sign * unit[0], sign * unit[1])
            assert s.words(axis, sign) == next(WORDS[w] for w, d in DIRECTIONS.items() if d == seen)


def test_axes_that_are_not_square_are_refused() -> None:
    assert len(EIGHT) == 8
    with pytest.raises(InputError):
        Standpoint("right", "left")
