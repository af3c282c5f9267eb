"""Registration of a print, and the pointer against the tool: checked by another solution and by other physics."""

from __future__ import annotations

import io
import json
import math
import re
import subprocess
from collections.abc import Sequence
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy.optimize import least_squares

from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.assumed import Spread
from keen_compass.quantities.findings import Solution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.registration import FREEDOM, other_order, register, suspects
from keen_compass.solve.registration_split import split_of
from keen_compass.words.say import Show, say

FOUR = [(10.0, 10.0), (200.0, 10.0), (200.0, 287.0), (10.0, 287.0)]
FIVE = [*FOUR, (105.0, 148.5)]
EIGHT = [*FOUR, (105.0, 10.0), (200.0, 148.5), (105.0, 287.0), (10.0, 148.5)]


def placed(q: Sequence[tuple[float, float]], turn: float, skew: float, sx: float, sy: float,
           shift: tuple[float, float]) -> np.ndarray[Any, Any]:  # fmt: skip
    """Where marks come to lie: written out apart from the solver."""
    out = []
    for x, y in q:
        u, v = sx * x + math.tan(skew) * sy * y, sy * y
        out.append(
            (shift[0] + math.cos(turn) * u - math.sin(turn) * v, shift[1] + math.sin(turn) * u + math.cos(turn) * v)
        )
    return np.array(out)


def independent(model: str, q: np.ndarray[Any, Any], p: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    """The mapped marks by a general minimiser, in parameters of its own."""

    def mapped(k: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
        x, y = q[:, 0] / 100, q[:, 1] / 100
        if model == "shift":
            return np.stack([q[:, 0] + k[0], q[:, 1] + k[1]], 1)
        if model == "similarity":
            return np.stack([k[0] + k[2] * x - k[3] * y, k[1] + k[3] * x + k[2] * y], 1)
        w = 1.0 if model == "affine" else 1 + k[6] * x + k[7] * y
        return np.stack([(k[0] + k[2] * x + k[3] * y) / w, (k[1] + k[4] * x + k[5] * y) / w], 1)

    start = {"shift": [0, 0], "similarity": [0, 0, 100, 0], "affine": [0, 0, 100, 0, 0, 100],
             "projective": [0, 0, 100, 0, 0, 100, 0, 0]}[model]  # fmt: skip
    found = least_squares(
        lambda k: (mapped(k) - p).ravel(), np.array(start, float), xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=20000
    )
    return mapped(found.x)


@pytest.mark.parametrize("model", FREEDOM)
def test_maps_are_those_of_an_independent_solution(model: str) -> None:
    rng = np.random.default_rng(16)
    for _ in range(20):
        turn = rng.uniform(-0.4, 0.4) if model != "shift" else 0.0
        p = placed(EIGHT, turn, 0, 1, 1, tuple(rng.uniform(-50, 50, 2))) + rng.normal(0, 0.3, (8, 2))
        mine = register(EIGHT, [tuple(v) for v in p], model)
        assert np.abs(mine.at(np.array(EIGHT)) - independent(model, np.array(EIGHT), p)).max() < 1e-6
        exact = placed(EIGHT, turn, 0, 1, 1, (3.0, -7.0))
        assert np.abs(register(EIGHT, [tuple(v) for v in exact], model).residuals).max() < 1e-9


@settings(max_examples=150)
@given(
    st.floats(-3.1, 3.1), st.floats(-0.05, 0.05), st.floats(0.9, 1.1), st.floats(0.9, 1.1), st.booleans(),
    st.tuples(st.floats(-500, 500), st.floats(-500, 500)),
)  # fmt: skip
def test_a_map_is_split_into_what_it_was_made_of(
    turn: float, skew: float, sx: float, sy: float, mirrored: bool, shift: tuple[float, float]
) -> None:
    sx = -sx if mirrored else sx
    fit = register(FIVE, [tuple(v) for v in placed(FIVE, turn, skew, sx, sy, shift)])
    s = fit.split
    assert (s.scale[0], s.scale[1]) == (pytest.approx(sx, abs=1e-9), pytest.approx(sy, abs=1e-9))
    assert math.remainder(s.turn - turn, 2 * math.pi) == pytest.approx(0, abs=1e-9)
    assert s.skew == pytest.approx(math.tan(skew), abs=1e-9)
    assert s.shift == (pytest.approx(shift[0], abs=1e-7), pytest.approx(shift[1], abs=1e-7))
    assert fit.mirrored is mirrored


@pytest.mark.heavy
@pytest.mark.parametrize(("model", "marks", "aim", "step"), [
    ("affine", FIVE, 0.05, 0.01), ("affine", EIGHT, 0.03, 0.1), ("similarity", FOUR, 0.05, 0.01),
    ("affine", FOUR, 0.08, 0.01),
])  # fmt: skip
def test_what_the_split_claims_is_so_in_95_of_100(
    model: str, marks: list[tuple[float, float]], aim: float, step: float
) -> None:
    """Aimed with a wandering hand (two-sided, not Gaussian), shown in steps; the sheet anyhow."""
    rng = np.random.default_rng(95)
    inside = dict.fromkeys(("shift", "turn", "sx", "sy"), 0)
    trials = 600
    for _ in range(trials):
        turn, sx = rng.uniform(-3, 3), 1 + rng.normal(0, 2e-3)
        sy = sx if model == "similarity" else 1 + rng.normal(0, 2e-3)
        shift = tuple(rng.uniform(-50, 50, 2))
        hand = rng.uniform(-1, 1, (len(marks), 2)) + rng.uniform(-1, 1, (len(marks), 2))
        p = np.round((placed(marks, turn, 0, sx, sy, shift) + hand * aim * math.sqrt(1.5)) / step) * step
        fit = register(marks, [tuple(v) for v in p], model, aim=Spread(math.hypot(aim, step / math.sqrt(12)), 4))
        known = fit.uncertain(lambda h: (split_of(h).shift[0], split_of(h).turn, *split_of(h).scale))
        for name, found, true in zip(inside, known, (shift[0], turn, sx, sy), strict=True):
            inside[name] += abs(found.value - true) <= found.U
    assert all(0.92 <= n / trials <= 0.99 for n in inside.values()), inside


# A bad mark


def share_named(
    model: str, marks: list[tuple[float, float]], bad: int, by: float, seed: int, trials: int = 120
) -> tuple[float, float, float]:
    """(named for certain and rightly, among those that are named, named for certain and wrongly); by: in u."""
    rng = np.random.default_rng(seed)
    right = among = wrong = 0
    for _ in range(trials):
        turn = 0.0 if model == "shift" else rng.uniform(-0.1, 0.1)
        p = placed(marks, turn, 0, 1, 1, (5.0, 8.0)) + rng.normal(0, 0.05, (len(marks), 2))
        way = rng.uniform(0, 2 * math.pi)
        p[bad] += by * 0.05 * np.array([math.cos(way), math.sin(way)])
        s = suspects(register(marks, [tuple(v) for v in p], model, aim=Spread(0.05, 1e6)))
        right += s.certain and s.marks[0] == bad
        among += bad in s.marks
        wrong += s.certain and s.marks[0] != bad
    return right / trials, among / trials, wrong / trials


def test_a_bad_mark_is_found_where_the_marks_allow_it() -> None:
    for bad in (0, 4):
        right, among, wrong = share_named("affine", EIGHT, bad, 8, 1)
        assert among >= 0.95
        assert right > 0.8
        assert wrong <= 0.005
    assert share_named("affine", EIGHT, 4, 12, 2)[0] >= 0.95
    assert share_named("affine", FIVE, 4, 8, 3)[1] >= 0.95
    assert share_named("shift", FOUR, 1, 12, 4)[1] >= 0.9


def test_nothing_is_named_where_the_marks_cannot_tell() -> None:
    for by in (0, 8, 40):
        assert share_named("affine", FOUR, 0, by, 5) == (0.0, 0.0, 0.0)  # four corners share one residual equally
        assert share_named("similarity", FOUR[:3], 0, by, 6)[0] == 0.0
        right, _, wrong = share_named("affine", FIVE, 0, by, 7)  # opposite corners look alike
        assert right == wrong == 0.0
    none = [share_named(m, q, 0, 0, 8) for m, q in (("affine", EIGHT), ("affine", FIVE), ("similarity", FOUR))]
    assert all(among + wrong <= 0.03 for _, among, wrong in none)


@settings(max_examples=60)
@given(st.permutations(range(4)), st.floats(-3, 3))
def test_marks_visited_round_in_another_order_are_recognised(order: list[int], turn: float) -> None:
    ways = [[(s + w * i) % 4 for i in range(4)] for s in range(4) for w in (1, -1)]
    assume(order in ways)
    p = placed([FOUR[i] for i in order], turn, 0, 1.001, 0.999, (3.0, 4.0))
    found = other_order(FOUR, [tuple(v) for v in p])
    turned_by_half = order in ([0, 1, 2, 3], [2, 3, 0, 1])  # which is a sheet loaded turned, and nothing else
    assert (found == ()) is turned_by_half or [FOUR[i] for i in found] == [FOUR[i] for i in order]


def solved(procedure: str, **other: Any) -> Solution:
    body = load(procedure).example() | other
    return load(procedure).solve(case_from_json(body))


def visited(p: np.ndarray[Any, Any]) -> list[dict[str, Any]]:
    return [{"measurand": f"mark_{i}", "values": [[float(x), float(y)]]} for i, (x, y) in enumerate(p, 1)]


def on_sheet(q: list[tuple[float, float]], p: np.ndarray[Any, Any], **other: Any) -> Solution:
    return solved("registration", piece={"marks": [list(m) for m in q]}, readings=visited(p), **other)


def codes(solution: Solution) -> list[str]:
    return [n.code for f in solution.findings for n in f.notes]


def test_what_is_wrong_with_a_sheet_is_said() -> None:
    good = on_sheet(FIVE, placed(FIVE, 0.007, 0, 1, 1.0015, (1.2, 0.3)))
    assert good.findings[0].verdict is Verdict.IN
    assert "turned 0.40° anticlockwise" in say(good.findings[0].notes[0])
    assert "0.15 % long along Y" in say(good.findings[0].notes[0])
    for standpoint, way in (
        (Standpoint("right", "away"), "anticlockwise"),
        (Standpoint("right", "toward"), "clockwise"),
    ):
        show = Show(standpoint=standpoint)  # +X to the right, +Y towards the feet: from X to Y is clockwise
        assert f"turned 0.40° {way}," in say(good.findings[0].notes[0], show)
        lines = {say(label): say(said, show) for label, said in load("registration").shown(good.figures).lines}
        assert lines["Turn"].startswith(f"{'↺' if way == 'anticlockwise' else '↻'} 0.401° ± ")
    assert Show().turning(-0.004, 2, "°") == "0.00°"
    assert Show().turning(-1.25, 1, " mm/m") == "↻ 1.2 mm/m"
    turned = on_sheet(FIVE, placed(FIVE, math.pi - 0.01, 0, 1, 1, (210.0, 297.0)))
    assert "registration.turned" in codes(turned)
    mirrored = on_sheet(FIVE, placed(FIVE, 0.01, 0, -1, 1, (210.0, 0.0)))
    assert mirrored.findings[0].verdict is Verdict.IMPLAUSIBLE
    assert codes(mirrored)[0] in ("registration.mirrored", "registration.order")
    page = on_sheet(FIVE, placed(FIVE, 0, 0, 0.97, 0.97, (0.0, 0.0)))
    assert "registration.fit_to_page" in codes(page)
    buckled = placed(EIGHT, 0, 0, 1, 1, (0.0, 0.0))
    buckled[4:] += [(0.0, 1.2), (-1.1, 0.0), (0.0, -1.3), (1.2, 0.0)]
    said = on_sheet(EIGHT, buckled)
    assert said.findings[0].verdict is Verdict.OUT
    assert "registration.buckled" in codes(said)
    for n, model in ((1, "shift"), (2, "similarity"), (3, "affine")):
        few = on_sheet(FIVE[:n], placed(FIVE[:n], 0, 0, 1, 1, (1.0, 1.0)))
        assert few.figures["model"] == model
        assert few.findings[0].verdict is Verdict.CANNOT_TELL
        assert "registration.untested" in codes(few)


@pytest.mark.parametrize(
    ("piece", "readings", "where"),
    [
        ({"marks": [[0, 0], [1]]}, [], "piece.marks[1]"), ({"marks": []}, [], "piece.marks"),
        ({"marks": [[0, 0]], "model": "warp"}, [], "piece.model"),
        ({"marks": [[0, 0]], "colour": 1}, [], "piece.colour"),
        ({"marks": [[0, 0], [1, 1], [2, 2]]}, [(f"mark_{i}", [i, i]) for i in (1, 2, 3)], "piece.marks"),
        ({"marks": [[0, 0]]}, [("mark_2", [0, 0])], "readings[0].measurand"),
        ({"marks": [[0, 0]]}, [("mark_1", 5)], "readings[0].values[0]"),
        ({"marks": [[0, 0]]}, [("mark_1", [1, 2, 3])], "readings[0].values[0]"),
        ({"marks": [[0, 0]], "model": "affine"}, [("mark_1", [0, 0])], "readings"),
    ],
)  # fmt: skip
def test_what_is_no_sheet_is_refused_with_its_place(piece: dict[str, Any], readings: list[Any], where: str) -> None:
    given_readings = [{"measurand": m, "values": [v]} for m, v in readings]
    with pytest.raises(InputError) as refused:
        solved("registration", piece=piece, readings=given_readings)
    assert refused.value.place == where


# Pointer


def kept(o: float, form: str, flipped: bool, units: str) -> float:
    """An offset (secondary minus tool, mm) as a controller keeps it."""
    sign = (1 if form == "secondary_minus_tool" else -1) * (-1 if flipped else 1)
    return round(sign * o / (25.4 if units == "in" else 1.0), 4)


def meant(number: float, form: str, flipped: bool, units: str) -> float:
    sign = (1 if form == "secondary_minus_tool" else -1) * (-1 if flipped else 1)
    return sign * number * (25.4 if units == "in" else 1.0)


@pytest.mark.parametrize(("form", "flip_x", "flip_y", "units"), list(product(
    ("secondary_minus_tool", "tool_minus_secondary"), (False, True), (False, True), ("mm", "in"),
)))  # fmt: skip
def test_after_the_correction_it_lands_on_the_mark_whatever_the_convention(
    form: str, flip_x: bool, flip_y: bool, units: str
) -> None:
    """Aimed at a mark m the tool is at m − o_true; the machine moves it by the offset that it holds."""
    rng = np.random.default_rng(4)
    for _ in range(5):
        true, held = rng.uniform(-60, 60, 2), rng.uniform(-60, 60, 2)
        flips = (flip_x, flip_y)
        numbers = [kept(o, form, f, units) for o, f in zip(held, flips, strict=True)]
        lands = [meant(k, form, f, units) - t for k, f, t in zip(numbers, flips, true, strict=True)]
        flipped = [q for q, f in zip(("pointer_x", "pointer_y"), flips, strict=True) if f]
        machine = {"values": dict(zip(("pointer_x", "pointer_y"), numbers, strict=True)), "offset_form": form,
                   "flipped": flipped, "controller_units": units, "decimals": 4}  # fmt: skip
        found = solved(
            "pointer",
            machine=machine,
            piece={"way": "mark"},
            confirmed=True,
            subject={},
            readings=[{"measurand": a, "values": [float(e)]} for a, e in zip("xy", lands, strict=True)],
        ).findings
        again = [meant(float(f.new), form, flip, units) - t for f, flip, t in zip(found, flips, true, strict=True)]  # type: ignore[arg-type]
        assert max(map(abs, again)) < 0.002 * (25.4 if units == "in" else 1.0)
        assert [f.error for f in found] == [pytest.approx(e) for e in lands]
        assert found[0].unit == units
        assert set(found[0].covariance_with) == {"pointer_y"}


def sheet_round(
    rng: np.random.Generator, n: int, step: float, own: float, drawn: float
) -> tuple[Solution, np.ndarray[Any, Any]]:
    """A sheet that lies turned and was printed long; crosses drawn by hand; a rule that is off, read in steps."""
    targets = [*EIGHT, (105.0, 148.5)][:n] if n != 5 else FIVE
    middle = np.mean(targets, axis=0)
    true, turn, stretch = rng.uniform(-1, 1, 2), rng.normal(0, 1e-3), rng.normal(0, 5e-4, 2)
    off = rng.uniform(-own, own)
    readings = []
    for i, t in enumerate(targets, 1):
        dx, dy = np.array(t) - middle
        grows = np.array([stretch[0] * dx - turn * dy, stretch[1] * dy + turn * dx])
        e = np.round((true + grows + rng.normal(0, drawn, 2) + off) / step) * step
        readings += [{"measurand": f"t{i}_{a}", "values": [float(v)]} for a, v in zip("xy", e, strict=True)]
    return solved(
        "pointer", piece={"way": "sheet", "targets": [list(t) for t in targets]}, readings=readings, confirmed=True,
        instrument={"kind": "rule", "both_ends": False, "resolution": step, "permissible_error": [own, 0]},
    ), true  # fmt: skip


@pytest.mark.heavy
@pytest.mark.parametrize(("n", "step", "own", "drawn"), [(5, 0.1, 0.05, 0.03), (9, 0.5, 0.1, 0.03), (9, 0.1, 0.0, 0.1)])
def test_offsets_of_a_sheet_are_as_sure_as_they_say(n: int, step: float, own: float, drawn: float) -> None:
    rng = np.random.default_rng(n)
    inside = np.zeros(2)
    trials = 400
    for _ in range(trials):
        solution, true = sheet_round(rng, n, step, own, drawn)
        inside += [abs(f.error - t) <= f.expanded_uncertainty for f, t in zip(solution.findings, true, strict=True)]  # type: ignore[operator]
    # Cautious: with a plain rule a hand is assumed that reads worse than this one does.
    assert all(share >= 0.93 for share in inside / trials), inside / trials


def test_what_the_quick_way_cannot_see_is_said_and_what_grows_is_the_sheets() -> None:
    quick = solved("pointer", piece={"way": "mark"}, readings=[{"measurand": a, "values": [-0.4]} for a in "xy"])
    assert "pointer.one_mark" in codes(quick)
    assert any(
        "After correction the tool lands 0.40 mm +X, 0.40 mm +Y of where it did" in say(n)
        for n in quick.findings[1].notes
    )
    turned = solved(
        "pointer", confirmed=True,
        readings=[
            {"measurand": f"t{i}_{a}", "values": [round(v, 2)]}
            for i, (x, y) in enumerate([(20, 20), (190, 20), (190, 270), (20, 270), (105, 145)], 1)
            for a, v in (("x", 0.3 - 0.008 * (y - 145)), ("y", -0.2 + 0.008 * (x - 105)))
        ],
    )  # fmt: skip
    assert "pointer.grows" in codes(turned)
    assert turned.figures["turn_mm_per_m"] == pytest.approx(8.0, abs=0.1)
    assert turned.findings[0].error == pytest.approx(0.3, abs=0.01)
    empty = solved("pointer", readings=[])
    assert {f.verdict for f in empty.findings} == {Verdict.UNRESOLVED}


@pytest.mark.parametrize("name", ["registration", "pointer"])
def test_the_command_line_solves_its_own_example(name: str, capsys: pytest.CaptureFixture[str], tmp_path: Any) -> None:
    assert main(["solve", "--example", name]) == 0
    file = tmp_path / "in.json"
    file.write_text(capsys.readouterr().out)
    assert main(["solve", str(file)]) == 0
    body = json.loads(capsys.readouterr().out)
    assert all("“" not in n for f in body["findings"] for n in f["notes"])
    assert body["findings"][0]["subject"] == ({"accessory": "felt-pen"} if name == "pointer" else {})


# Printed sheets, looked at as a printer would render them


def cropped(pdf: Path, at: tuple[float, float], page_height: float, dpi: int = 1200) -> np.ndarray[Any, Any]:
    """10 × 10 mm about a place (mm from the lower left corner), 1 where there is ink."""
    side = round(10 / 25.4 * dpi)
    x, y = (round((v / 25.4) * dpi) - side // 2 for v in (at[0], page_height - at[1]))
    done = subprocess.run(
        ["pdftoppm", "-r", str(dpi), "-gray", "-x", str(x), "-y", str(y), "-W", str(side), "-H", str(side), str(pdf)],
        capture_output=True, check=True,
    )  # fmt: skip
    with Image.open(io.BytesIO(done.stdout)) as picture:
        return 1.0 - np.asarray(picture.convert("L"), float) / 255


def middle_of_cross(
    ink: np.ndarray[Any, Any], at: tuple[float, float], page_height: float, dpi: int = 1200
) -> tuple[float, float]:
    """Where its strokes cross, mm: middles of the ink of each, looked for beyond the rings about a target."""
    side = len(ink)
    mm = 25.4 / dpi
    near = slice(round(side / 2 - 0.4 / mm), round(side / 2 + 0.4 / mm))
    ends = [i for i in range(side) if 3.3 < abs(i - side / 2) * mm < 3.8]
    columns, rows = ink[ends][:, near].sum(axis=0), ink[near][:, ends].sum(axis=1)
    places = np.arange(near.start, near.stop) + 0.5
    u, v = float(columns @ places / columns.sum()), float(rows @ places / rows.sum())
    x0 = round((at[0] / 25.4) * dpi) - side // 2
    y0 = round(((page_height - at[1]) / 25.4) * dpi) - side // 2
    return (x0 + u) * mm, page_height - (y0 + v) * mm


@pytest.mark.parametrize(("name", "size"), [("pointer", "A4"), ("registration", "Letter"), ("pointer", "148.5x290.25")])
def test_a_printed_sheet_is_true_to_two_hundredths(name: str, size: str, tmp_path: Path) -> None:
    pdf, geometry = tmp_path / "s.pdf", tmp_path / "s.json"
    words = ["piece", name, "--format", "pdf", "--size", size, "--set", "number=1207"]
    assert main([*words, "--geometry", str(geometry), "-o", str(pdf)]) == 0
    body = json.loads(geometry.read_text())
    width, height = body["sheet"]["size"]
    said = subprocess.run(["pdfinfo", str(pdf)], capture_output=True, text=True, check=True).stdout
    points = [float(v) for v in re.findall(r"Page size:\s+([\d.]+) x ([\d.]+)", said)[0]]
    assert points == [pytest.approx(v / 25.4 * 72, abs=0.01) for v in (width, height)]
    places = [m["at"] for m in body["marks"]] + [t["at"] for t in body["targets"]]
    assert len(places) == (9 if name == "pointer" else 4)
    for at in places:
        x, y = middle_of_cross(cropped(pdf, at, height), at, height)
        assert (x, y) == (pytest.approx(at[0], abs=0.02), pytest.approx(at[1], abs=0.02))
    for k, bar in enumerate(body["bars"]):
        ends = []
        for at in (bar["from"], bar["to"]):
            ink = cropped(pdf, at, height)
            side = len(ink)
            beyond = round(side / 2 + 0.8 / 25.4 * 1200)  # across the tick, beside the bar itself
            line = ink[beyond] if k == 0 else ink[:, beyond]
            near = slice(side // 2 - 40, side // 2 + 40)
            off = float(line[near] @ (np.arange(80) - 39.5) / line[near].sum()) * 25.4 / 1200
            ends.append(at[k] + (off if k == 0 else -off))
        assert ends[1] - ends[0] == pytest.approx(bar["to"][k] - bar["from"][k], abs=0.04)


@pytest.mark.parametrize("size", ["A5", "A2", "140x140", "Tabloid"])
def test_its_code_is_read_by_another_reader(size: str, tmp_path: Path) -> None:
    import zxingcpp

    pdf = tmp_path / "s.pdf"
    assert (
        main(["piece", "registration", "--format", "pdf", "--size", size, "--set", "number=998877", "-o", str(pdf)])
        == 0
    )
    subprocess.run(["pdftoppm", "-r", "150", "-gray", "-singlefile", "-png", str(pdf), str(tmp_path / "s")], check=True)
    with Image.open(tmp_path / "s.png") as picture:
        (code,) = zxingcpp.read_barcodes(picture)
    assert code.text == "KC registration 998877"


@pytest.mark.parametrize(
    ("words", "why"),
    [
        (("registration", "--format", "svg"), "--format pdf"),
        (("pointer", "--format", "pdf", "--size", "9x9"), "long either"),
        (("pointer", "--format", "pdf", "--set", "number=0"), "larger than 0"),
        (("pointer", "--format", "pdf", "--set", "number=1000000"), "number from 1"),
        (("pointer", "--format", "pdf", "--set", "colour=red"), "colour"),
        (("rectangle", "--geometry", "g"), "printed"),
    ],
)  # fmt: skip
def test_what_is_no_sheet_is_refused_in_one_line(
    words: tuple[str, ...], why: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["piece", *words, "-o", str(tmp_path / "o")]) == 2
    said = capsys.readouterr().err
    assert why in said
    assert said.count("\n") == 1
    assert not (tmp_path / "o").exists()
