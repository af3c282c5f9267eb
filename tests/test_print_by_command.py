"""Print scale, media feed and the proof of a printed and cut sticker, on the command line."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Mapping
from typing import Any

import numpy as np
import pytest

from keen_compass.errors import InputError
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.verdict import Verdict
from keen_compass.words.say import say


def solved(name: str, readings: Mapping[str, Any], **changes: Any) -> Solution:
    body = load(name).example() | changes
    body["readings"] = [{"measurand": m, "values": v if isinstance(v, list) else [v]} for m, v in readings.items()]
    return load(name).solve(case_from_json(json.loads(json.dumps(body))))


def codes(solution: Solution) -> set[str]:
    return {n.code for f in solution.findings for n in f.notes}


# Print scale


@pytest.mark.parametrize(("form", "held", "factor"), [
    ("percent_100", 99.4, lambda v: v / 100), ("percent_0", -0.6, lambda v: 1 + v / 100),
    ("factor", 0.994, lambda v: v),
    ("pair", {"commanded": 100, "measured": 100.6}, lambda v: v["commanded"] / v["measured"]),
])  # fmt: skip
def test_the_cutters_number_brings_its_distances_right_in_every_form(form: str, held: Any, factor: Any) -> None:
    machine = {"values": {"print_scale_x": held, "print_scale_y": held}, "print_scale_form": form, "decimals": 5}
    x, y = solved("print-scale", {"x": [150.9], "y": [199.5], "bar_x": 100, "bar_y": 100}, machine=machine).findings
    for f, ordered, came in ((x, 150, 150.9), (y, 200, 199.5)):
        travels = came / ordered / factor(held)  # of the machine itself, whatever it is told
        assert travels * factor(f.new) == pytest.approx(1, abs=2e-6)
        assert f.error == pytest.approx(1000 * (came / ordered - 1))
        assert f.verdict is Verdict.OUT


def test_a_printers_error_is_never_booked_to_the_cutter() -> None:
    """A printer 3 % off and a perfect cutter: nothing is corrected, and it is said whose it is."""
    for scale in (0.97, 1.03):
        found = solved(
            "print-scale", {"x": [150.0] * 3, "y": [200.0] * 3, "bar_x": 100 * scale, "bar_y": 100 * scale},
            instrument={"resolution": 0.01, "permissible_error": [0.02, 0]}, tolerance=0.3,
        )  # fmt: skip
        assert {f.verdict for f in found.findings} == {Verdict.IN}
        assert [f.new for f in found.findings] == [100.0, 100.0]
        assert found.figures["printer_scale"] == [pytest.approx(scale)] * 2
        assert codes(found) >= {"print_scale.printers_own"}
    silent = solved("print-scale", {"x": [150.0], "y": [200.0]})
    assert silent.figures["printer_scale"] == [None, None]
    assert "print_scale.no_bar" in codes(silent)


def test_inches_and_other_forms_are_asked_about_or_refused() -> None:
    assert {f.verdict for f in solved("print-scale", {"x": 5.906, "y": 7.874}).findings} == {Verdict.IMPLAUSIBLE}
    assert solved("print-scale", {"x": "5.906 in"}).findings[1].verdict is Verdict.UNRESOLVED
    for wrong in ({"x": 0}, {"bar": "20 km"}, {"z": 1}):
        with pytest.raises(InputError, match="piece"):
            solved("print-scale", {"x": 150}, piece=wrong)
    for name, form in (("print_scale_form", "steps_per_mm"), ("resolution_form", "factor")):
        with pytest.raises(InputError, match=f"machine.{name}"):
            solved("print-scale", {"x": 150}, machine={name: form, "values": {"print_scale_x": 1, "print_scale_y": 1}})


# Media feed

BANDS = [-0.4, -0.3, -0.2, -0.1, 0.0, 0.1, 0.2, 0.3, 0.4]


def as_seen(right: float, bands: list[float], sharp: float) -> list[str]:
    """What an eye sees of each band: nothing wrong within `sharp` of where they meet."""
    return ["meets" if abs(c - right) < sharp else "overlap" if c < right else "gap" for c in bands]


@pytest.mark.parametrize("relative", [True, False])
@pytest.mark.parametrize("seed", range(12))
def test_the_feed_is_found_between_what_overlaps_and_what_gaps(seed: int, relative: bool) -> None:
    rng = random.Random(seed)
    right, held = rng.uniform(-0.35, 0.35), rng.choice((0.2, -0.3))
    piece = {"corrections": BANDS, "relative": relative}
    machine = {"values": {"media_feed": held}, "decimals": 4}
    judged = as_seen(right, BANDS, rng.choice((0.0, 0.03, 0.12)))
    wanted = right + (held if relative else 0.0)
    nearest = min(range(9), key=lambda i: abs(BANDS[i] - right)) + 1
    for readings in ({"bands": judged}, {"pick": nearest}):
        (f,) = solved("media-feed", readings, piece=piece, machine=machine).findings
        if f.verdict is Verdict.UNRESOLVED:  # too near an end of the row to say
            assert nearest in (1, 9) or not {"overlap", "gap"} <= set(judged)
            continue
        assert abs(float(f.new) - wanted) <= 0.0501  # type: ignore[arg-type]
        assert f.error == pytest.approx(held - float(f.new), abs=1e-4)  # type: ignore[arg-type]
        assert f.unit == "percent"


def test_where_no_band_is_best_another_row_is_proposed() -> None:
    for seen, more in ((["overlap"] * 9, True), (["gap"] * 9, False), (["overlap"] * 8 + ["meets"], True)):
        solution = solved("media-feed", {"bands": seen}, piece={"corrections": BANDS})
        assert solution.findings[0].verdict is Verdict.UNRESOLVED
        proposed = solution.figures["next_corrections"]
        assert (proposed[0] == BANDS[-1]) if more else (proposed[-1] == BANDS[0])
        assert ("more feed" if more else "less feed") in say(solution.findings[0].notes[0])
    assert solved("media-feed", {"pick": 1}).findings[0].verdict is Verdict.UNRESOLVED
    mixed = ["gap", *["meets"] * 7, "overlap"]
    assert solved("media-feed", {"bands": mixed}).findings[0].verdict is Verdict.IMPLAUSIBLE
    with pytest.raises(InputError, match="one judgement for each of the 9 bands"):
        solved("media-feed", {"bands": ["meets"]})
    with pytest.raises(InputError, match="choose one of overlap, meets, gap"):
        solved("media-feed", {"bands": ["dark"] * 9})
    for wrong in ({"corrections": [1]}, {"corrections": [2, 1]}, {"corrections": [1, 2], "relative": "yes"}):
        with pytest.raises(InputError, match="piece"):
            solved("media-feed", {"pick": 1}, piece=wrong)


# The proof

BOX = [[60, 10, 1, 0], [60, 30, 1, 0], [45, 40, 0, 1], [15, 40, 0, 1], [0, 30, -1, 0], [0, 10, -1, 0], [15, 0, 0, -1],
       [45, 0, 0, -1]]  # fmt: skip
STEPPED = [*BOX, [30, 20, 1, 0], [20, 30, 0, 1]]  # an inner step tells scale from an even border
ROUND = [[25 * math.cos(a), 25 * math.sin(a), math.cos(a), math.sin(a)] for a in np.arange(8) * math.pi / 4]


def left(
    places: list[list[float]], t: tuple[float, float] = (0, 0), turn: float = 0.0,
    scale: tuple[float, float] = (1, 1), border: float = 2.0,
) -> dict[str, float]:  # fmt: skip
    """The border that a cut leaves, by moving each point of the nominal line as a cutter would; about their middle."""
    xs, ys = [p[0] for p in places], [p[1] for p in places]
    mx, my = (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2
    found = {}
    for i, (x, y, nx, ny) in enumerate(places, 1):
        px, py = scale[0] * (x - mx), scale[1] * (y - my)
        qx, qy = math.cos(turn) * px - math.sin(turn) * py, math.sin(turn) * px + math.cos(turn) * py
        found[f"b{i}"] = border + nx * (qx + t[0] - (x - mx)) + ny * (qy + t[1] - (y - my))
    return found


FINE = {"resolution": 1e-6, "permissible_error": [1e-6, 0], "repeats": {"s": 1e-6, "dof": 9}}


def test_shift_turn_scale_and_border_are_told_apart_where_the_places_can() -> None:
    true = {"t": (0.31, -0.12), "turn": 0.002, "scale": (1.003, 0.998), "border": 2.15}
    found = solved("proof", left(STEPPED, **true), piece={"border": 2, "places": STEPPED}, instrument=FINE).figures  # type: ignore[arg-type]
    assert found["shift"] == [pytest.approx(0.31, abs=1e-3), pytest.approx(-0.12, abs=1e-3)]
    assert found["turn_deg"] == pytest.approx(math.degrees(0.002), abs=2e-3)
    assert found["scale"] == [pytest.approx(1.003, abs=1e-4), pytest.approx(0.998, abs=1e-4)]
    assert found["border"] == pytest.approx(2.15, abs=1e-3)
    assert set(found["look_at"]) == {"shift", "turn", "scale", "border"}


def test_what_the_places_cannot_tell_is_left_open_by_name() -> None:
    box = solved("proof", left(BOX, (0.3, 0.0), border=2.2), piece={"border": 2, "places": BOX}, instrument=FINE)
    assert box.figures["shift"] == [pytest.approx(0.3), pytest.approx(0.0, abs=1e-9)]
    assert box.figures["scale"] == [None, None]
    assert box.figures["border"] is None
    assert {frozenset(pair) for pair in box.unresolved} >= {frozenset(("scale_x", "border"))}
    disc = solved("proof", left(ROUND, (0.0, -0.4)), piece={"border": 2, "places": ROUND}, instrument=FINE)
    assert disc.figures["turn_deg"] is None
    assert disc.figures["shift"] == [pytest.approx(0, abs=1e-9), pytest.approx(-0.4)]
    assert disc.figures["border"] is None or disc.figures["border"] == pytest.approx(2.0, abs=1e-6)
    one = solved("proof", {"b1": 2.4}, piece={"border": 2, "places": BOX}, instrument=FINE)
    assert one.figures["shift"] == [None, None]
    assert one.findings[0].error == pytest.approx(0.4)


def test_the_verdict_is_that_of_the_worst_place() -> None:
    piece = {"border": 2, "places": BOX}
    good = solved("proof", {k: [v] * 3 for k, v in left(BOX).items()}, piece=piece, instrument=FINE)
    assert good.findings[0].verdict is Verdict.IN
    assert good.figures["look_at"] == []
    out = solved("proof", {k: [v] * 3 for k, v in left(BOX, (0.5, 0.0)).items()}, piece=piece, instrument=FINE)
    assert out.findings[0].verdict is Verdict.OUT
    assert abs(out.findings[0].error or 0) == pytest.approx(0.5)
    assert codes(out) == {"proof.worst", "proof.look_shift"}
    assert solved("proof", {}, piece=piece).findings[0].verdict is Verdict.UNRESOLVED
    for wrong in ({"places": [[1, 2, 3]]}, {"places": [[1, 2, 0, 0]]}, {"places": []}):
        with pytest.raises(InputError, match=r"piece\.places"):
            solved("proof", {"b1": 2}, piece=wrong)


def test_what_is_read_off_by_an_eye_names_the_right_thing() -> None:
    """Readings to a tenth, with a hand of its own: with a shift of half a millimetre few are sent elsewhere as well."""
    rng, named = np.random.default_rng(3), []
    for _ in range(40):
        way = rng.uniform(0, math.tau)
        true = left(STEPPED, (0.5 * math.cos(way), 0.5 * math.sin(way)))
        readings = {k: [float(np.round((v + rng.normal(0, 0.05)) * 10) / 10) for _ in (0, 1)] for k, v in true.items()}
        named.append(solved("proof", readings, piece={"border": 2, "places": STEPPED}).figures["look_at"])
    assert all("shift" in look for look in named)
    assert sum("scale" in look or "turn" in look for look in named) <= 8
