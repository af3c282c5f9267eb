"""Every number holds: formulas arrive, misreads are asked about, inches stay inches, bad input is finite or refused."""

from __future__ import annotations

import ast
import contextlib
import copy
import json
import math
import random
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest

from keen_compass.cli import main
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.procedures import REGISTRY, load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.travel_shapes import uneven
from keen_compass.quantities.readings import Kind
from keen_compass.quantities.resolution import OF_AXES, ResolutionForm
from keen_compass.solve.bend import shape_of
from keen_compass.words.say import Show, say
from said import solved

Body = dict[str, Any]


def example(name: str, **changes: Any) -> Body:
    found: Body = copy.deepcopy(load(name).example())
    return found | changes


def solve(body: Body) -> Body:
    """Through JSON, as the command line does it."""
    found: Body = json.loads(json.dumps(solved(json.loads(json.dumps(body))), allow_nan=False))
    return found


def first(body: Body) -> Body:
    found: Body = solve(body)["findings"][0]
    return found


def readings(**values: Any) -> list[Body]:
    return [{"measurand": m, "values": v if isinstance(v, list) else [v]} for m, v in values.items()]


# A line of arithmetic leads from old to new by itself

WORDS = {"×": "*", "÷": "/", "−": "-", "²": "**2", "π": "math.pi"}


def worked_out(formula: str) -> float:
    """What a line of arithmetic gives, worked out by Python's own grammar. Only numbers and signs may be in it."""
    text = formula.partition(", ")[0].rpartition(" for ")[2].removeprefix("at least 0 of ")
    for sign, python in WORDS.items():
        text = text.replace(sign, python)
    for unit in (" mm/min", " in/min"):
        text = text.replace(unit, "")
    if " cos " in text:
        before, _, degrees = text.partition("cos ")
        number, _, after = degrees.partition("°")
        text = f"{before}{math.cos(math.radians(float(number)))}{after}"
    tree = ast.parse(text.strip(), mode="eval")
    allowed = (ast.Expression, ast.BinOp, ast.UnaryOp, ast.Constant, ast.operator, ast.unaryop, ast.Attribute, ast.Name,
               ast.Load)  # fmt: skip
    assert all(isinstance(node, allowed) for node in ast.walk(tree)), formula
    value: float = eval(compile(tree, "formula", "eval"), {"math": math})
    return max(value, 0.0) if "at least 0" in formula else value


def in_form(form: ResolutionForm, steps: float) -> Any:
    match form:
        case ResolutionForm.STEPS_PER_INCH:
            return round(steps * 25.4, 4)
        case ResolutionForm.UM_PER_STEP:
            return round(1000 / steps, 6)
        case ResolutionForm.MM_PER_STEP:
            return round(1 / steps, 9)
        case ResolutionForm.INCH_PER_STEP:
            return round(1 / steps / 25.4, 9)
        case ResolutionForm.PAIR:
            return {"commanded": 100, "measured": 100.2}
        case ResolutionForm.PERCENT_0:
            return 0.31
        case ResolutionForm.PERCENT_100:
            return 100.31
    return steps


def every_kind() -> Iterator[tuple[str, Body]]:
    """Examples in every form and unit, and the ways in which a formula differs."""
    for name in REGISTRY:
        for form in OF_AXES:
            for unit in ("mm", "in"):
                body = example(name)
                machine = body["machine"]
                values = machine["values"]
                stored = {q: in_form(form, v) if q.endswith("_steps") else v for q, v in values.items()}
                body["machine"] = machine | {"resolution_form": form, "controller_units": unit, "decimals": 7,
                                             "values": stored}  # fmt: skip
                yield f"{name}, {form}, {unit}", body
    circle = example("squareness", piece={"figure": "circle", "width": 300, "compensation": 6, "made_by": "cut"},
                     readings=readings(d_0=300.0, d_45=300.3, d_90=300.0, d_135=299.7))  # fmt: skip
    yield "a cut circle", circle
    yield (
        "a circle, drawn, known",
        circle
        | {
            "piece": {"figure": "circle", "width": 300},
            "machine": circle["machine"] | {"values": {"squareness": {"value": -0.4, "expanded_uncertainty": 0.5}}},
        },
    )
    yield "tram", example("bed", machine={"decimals": 4, "values": {"x_tram": 0.3, "y_tram": -0.2}},
                          piece={"run": "tram", "radius": 120, "mount": 140}, tolerance={"x_tram": 0.3, "y_tram": 0.3},
                          readings=readings(x_high=0.61, x_low=0.5, y_high=0.5, y_low=0.62))  # fmt: skip
    single = example("rectangle", readings=readings(width=[400.31, 400.3], height=[299.8]))
    single["machine"]["values"]["kerf"] = {"value": 5.9, "expanded_uncertainty": 0.05}
    yield "single lengths", single
    both = example("rectangle")
    both["machine"]["values"] |= {"x_scale": {"value": 0.0004, "expanded_uncertainty": 0.0002}, "kerf": 6.1}
    yield "a scale known from before", both
    off = example("backlash")
    off["piece"]["compensation_off"] = True
    yield "compensation off", off
    yield "an overshoot", example("backlash", readings=readings(**{"return": [-0.2, -0.2, -0.21]}))
    for high in (False, True):
        for flipped in ([], ["x_home"]):
            body = example("home", piece={"distance": 25, "high_x": high, "stock_x": 600})
            body["machine"]["flipped"] = flipped
            yield f"home, {high}, {flipped}", body
    known = example("home")
    known["machine"]["values"]["x_home"] = {"value": 4.0, "expanded_uncertainty": 0.1}
    yield "a home offset known from before", known
    comb = example("kerf-comb")
    comb["machine"].setdefault("values", {})["x_lost_motion"] = {"value": 0.08, "expanded_uncertainty": 0.01}
    yield "a slot, and the compensation that outsides need", comb
    limited = example("speed")
    limited["machine"]["step_limit"] = 9000
    yield "where the step rate ends", limited


KINDS = dict(every_kind())


@pytest.mark.parametrize("kind", KINDS)
def test_a_formula_leads_from_old_to_new(kind: str) -> None:
    body = copy.deepcopy(KINDS[kind])
    body["machine"]["decimals"] = 7
    for f in solve(body)["findings"]:
        if f["new"] is None:
            continue
        new = f["new"]["measured"] if isinstance(f["new"], Mapping) else f["new"]
        # Lengths in it are shown to 0.001 mm or 0.00001 in, over 200 mm and more; feeds are rounded down.
        assert worked_out(f["formula"]) == pytest.approx(new, rel=2e-5, abs=2e-3), f["formula"]
        assert "assumed" not in f["formula"]


# Misreads that the readings themselves disprove

MISREAD = {
    "a digit in all three": ("rectangle", {"width": [410.02, 410.01, 410.02]}, "wide"),
    "a digit in one of three": ("rectangle", {"width": [400.31, 410.30, 400.32]}, "reading 2"),
    "an inch among small lengths": ("rectangle", {"short_height": [3.5394, 3.5398, 3.54]}, "inches"),
    "three times": ("rectangle", {"width": [133.43, 133.44, 133.43]}, "3 times"),
    "1.6 times": ("rectangle", {"height": [187.4, 187.4, 187.4]}, "1.6 times"),
    "another line": ("squareness", {"diagonal_1": [505.39, 505.38, 505.39]}, "fit the other"),
    "a slipped point": ("home", {"x_edge": [2.54, 2.54, 2.54]}, "decimal point"),
    "two that differ": ("home", {"x_edge": [25.42, 26.42]}, "read it once more"),
    "a needle that turned once more": ("backlash", {"return": [0.08, 0.08, 1.08, 0.09]}, "reading 3"),
    "one target of a run": ("travel-run", {"up_3": [412.41, 412.42, 422.41, 412.4, 412.42]}, "coming back|up"),
    "one end of a line": ("reference-lines", {"x_lines": [1000.2, 1000.2, 1010.2]}, "reading 3"),
    "a wild height": ("bed", {"h_2_2": [-0.24, -0.24, 2.24]}, "Column 2, row 2"),
}  # fmt: skip


@pytest.mark.parametrize("case", MISREAD)
def test_what_the_readings_disprove_is_asked_before_anything_is_computed(case: str) -> None:
    name, changed, says = MISREAD[case]
    body = example(name)
    body["readings"] = [r for r in body["readings"] if r["measurand"] not in changed] + readings(**changed)
    asked = [f for f in solve(body)["findings"] if f["verdict"] == "implausible"]
    assert asked
    assert any(word in asked[0]["notes"][0] for word in says.split("|")), asked[0]["notes"]
    assert asked[0]["new"] is None
    if case == "1.6 times":
        assert "another pitch" in asked[0]["notes"][0]
    confirmed = solve(body | {"confirmed": True})["findings"]
    assert all(f["error"] is not None for f in confirmed)


@pytest.mark.parametrize("name", [n for n in REGISTRY if n != "drive-train"])
def test_nothing_is_asked_of_the_examples(name: str) -> None:
    assert {f["verdict"] for f in solve(example(name))["findings"]} <= {"in", "out", "cannot_tell"}


# A controller that counts in inches


@pytest.mark.parametrize("name", ["backlash", "bed", "home", "rectangle", "travel-run", "speed"])
def test_a_controller_in_inches_is_answered_in_inches(name: str) -> None:
    """The same readings, once for each: the numbers are those of the other divided by 25.4, the errors alike."""
    mm, inch = example(name), example(name)
    values = {q: v if q.endswith("_steps") or q == "bed" else v / 25.4 for q, v in mm["machine"]["values"].items()}
    mm["machine"]["decimals"] = 9
    inch["machine"] |= {"controller_units": "in", "decimals": 9, "values": values}
    for a, b in zip(solve(mm)["findings"], solve(inch)["findings"], strict=True):
        assert (a["error"], a["expanded_uncertainty"]) == pytest.approx((b["error"], b["expanded_uncertainty"]))
        if a["quantity"].endswith("_steps") or a["quantity"] == "bed":  # what is done by hand is in no controller
            assert a["new"] == pytest.approx(b["new"])
            continue
        assert b["unit"] in ("in", "in/min")
        assert b["new"] * 25.4 == pytest.approx(a["new"], rel=2e-3)  # a feed is rounded down in its own unit
        assert b["new_expanded_uncertainty"] * 25.4 == pytest.approx(a["new_expanded_uncertainty"])
        assert not any(" mm" in n for n in (*b["notes"], b["formula"]))
    case = case_from_json(json.loads(json.dumps(inch)))
    shown = load(name).shown(load(name).solve(case).figures)
    assert not any(say(much, Show("in")).endswith((" mm", " mm/min")) for _, much in shown.lines)


def test_inch_parts_give_steps_per_inch() -> None:
    """A five-turn screw typed in inches: 200 · 8 steps ÷ 0.2 in = 8000 steps per inch."""
    body = example("drive-train", piece={"axis": "x", "motor": "stepper", "drive": "screw"})
    body["machine"] = {"units": "in", "resolution_form": "steps_per_inch", "values": {"x_steps": 7900.0}}
    body["readings"] = readings(step_angle=1.8, microsteps=8, pitch="0.2 in", starts=1)
    found = first(body)
    assert (found["new"], found["unit"]) == (pytest.approx(8000), "steps/in")
    assert worked_out(found["formula"]) == pytest.approx(8000)


@pytest.mark.parametrize("decimals", range(8))
def test_inches_per_step_work_with_any_decimals(decimals: int) -> None:
    """0.0003691 in per step and three decimals: nobody keeps it so, and it must not become nothing."""
    body = example("rectangle")
    body["machine"] |= {"resolution_form": "inch_per_step", "decimals": decimals,
                        "values": {"x_steps": 0.0003691, "y_steps": 0.0003691}}  # fmt: skip
    x, _ = solve(body)["findings"]
    lost = 0.5 * 10**-decimals / 0.0003691 if decimals >= 5 else 0.0  # by the rounding that was asked for
    assert x["new"] == pytest.approx(0.0003691 * (1 + x["error"] / 1000), rel=3e-4 + lost)


# Backlash with compensation off, and what an overshoot means


@pytest.mark.parametrize("procedure", ["backlash", "travel-run"])
def test_compensation_off_can_be_confirmed(procedure: str) -> None:
    """0.12 mm of lost motion with 0.12 stored: measured with compensation off it is right, and is left alone."""
    body = example(procedure)
    body["piece"]["compensation_off"] = True
    body["machine"]["values"]["x_backlash"] = 0.12
    if procedure == "backlash":
        body["readings"] = readings(**{"return": [0.12, 0.12, 0.12, 0.12, 0.12]})
    found = next(f for f in solve(body)["findings"] if f["quantity"] == "x_backlash")
    assert found["error"] == pytest.approx(0.0, abs=2e-3)
    assert found["verdict"] == "in"
    assert found["new"] == pytest.approx(0.12, abs=2e-3)


def test_an_overshoot_beyond_what_is_stored_is_said() -> None:
    found = first(example("backlash", readings=readings(**{"return": [-0.2, -0.2, -0.21, -0.2]})))
    assert found["new"] == 0
    assert any("0.152 mm more than is compensated" in n or "0.153 mm" in n for n in found["notes"])


# Coming to rest


def test_what_two_vague_rounds_leave_is_no_fault_of_the_axis() -> None:
    body = example("rectangle", tolerance={"x_steps": 0.05, "y_steps": 0.05})
    body["machine"]["values"] |= {"x_steps": 106.555}
    at_rest = body | {"previous_errors": {"x_steps": {"error": 1.6, "expanded_uncertainty": 0.6}}}
    assert not any("have settled it" in n for n in first(at_rest)["notes"])
    sharp = body | {"previous_errors": {"x_steps": {"error": 0.1, "expanded_uncertainty": 0.1}}}
    assert any("have settled it" in n for n in first(sharp)["notes"])


def test_decimals_that_cannot_hold_the_number_are_named() -> None:
    body = example("backlash", tolerance=0.01, readings=readings(**{"return": [0.03, 0.03, 0.03, 0.03, 0.03]}))
    body["machine"] = {"decimals": 1, "values": {"x_backlash": 0.1}}
    body["instrument"] = {"resolution": 0.001, "kind": "dial"}
    body["previous_errors"] = {"x_backlash": {"error": 0.2, "expanded_uncertainty": 0.01}}
    found = first(body)
    assert (found["old"], found["new"]) == (0.1, 0.1)
    assert "decimals can’t hold" in found["notes"][0]


# What is known from before


def test_knowledge_is_evidence_only_with_its_uncertainty() -> None:
    plain, known = example("rectangle"), example("rectangle")
    known["machine"]["values"]["x_steps"] = {"value": 106.667, "expanded_uncertainty": 0.06}
    known["confirmed"] = True
    said, weighed = first(plain), first(known)
    assert weighed["old"] == said["old"]
    assert weighed["expanded_uncertainty"] < 0.8 * said["expanded_uncertainty"]
    assert abs(weighed["error"]) < abs(said["error"])
    # Two values of one thing, each by its weight (worked out by hand; both are nearly normal).
    U_known, U_read = 0.06 / 106.667 * 1000, said["expanded_uncertainty"]
    share = U_known**2 / (U_known**2 + U_read**2)
    assert weighed["error"] == pytest.approx(share * said["error"], rel=0.2)


KNOWN = {"value": 106.667, "expanded_uncertainty": 0.02}


@pytest.mark.parametrize(
    ("values", "place"),
    [
        ({"x_steps": KNOWN, "x_scale": {"value": 0, "expanded_uncertainty": 1}}, "x_scale"),
        ({"x_steps": 1, "x_backlash": {"value": 0.1, "expanded_uncertainty": 0.02}, "x_lost_motion": 0.0},
         "x_lost_motion"),
        ({"x_steps": 1, "x_scale": {"value": 0, "expanded_uncertainty": 0}}, "x_scale"),
        ({"x_steps": 1, "x_scale": 0.001}, "x_scale"),
        ({"bananas": 3}, "bananas"),
        ({"x_steps": 10**309}, "x_steps"),
    ],
)  # fmt: skip
def test_what_is_said_twice_or_makes_no_sense_is_refused_at_its_place(values: Body, place: str) -> None:
    body = example("rectangle")
    body["machine"]["values"] = values
    with pytest.raises(KeenCompassError, match=rf"machine\.values\.{place}"):
        solve(body)


@pytest.mark.parametrize(
    ("kind", "division", "s"),
    [("caliper", 0.01, 0.02), ("micrometer", 0.001, 0.005), ("rule", 1.0, 0.25), ("rule", 0.1, 0.1),
     ("tape", 1.0, 0.25), ("dial", 0.01, 0.005)],
)  # fmt: skip
def test_what_a_hand_does_with_a_kind_of_instrument_is_assumed_and_said(kind: str, division: float, s: float) -> None:
    body = example("rectangle", instrument={"resolution": division, "kind": kind}, readings=readings(width=400.0))
    answer = solve(body)
    assert any(f"assumed: {s:.3f} mm (standard deviation)" in n for n in answer["notes"]), answer["notes"]
    lengths = readings(width=[400.3], short_width=[120.0])
    body = example("rectangle", instrument={"resolution": division, "kind": kind}, readings=lengths, confirmed=True)
    (said,) = [a for a in first(body)["assumed"] if a["what"] == "repeats"]
    assert said["value"] == pytest.approx(s)


def test_what_is_held_exactly_is_said() -> None:
    body = example("rectangle")
    body["machine"]["values"] |= {"kerf": 6.0, "x_lost_motion": 0.05}
    notes = solve(body)["notes"]
    assert "Kerf known from before: 6.000 mm exactly; no uncertainty was given." in notes
    assert "X lost motion known from before: 0.050 mm exactly; no uncertainty was given." in notes


# Anything at all


ODD: list[Any] = [
    [], {}, [[]], {"a": 1}, None, True, "", "x", "12 1/0", -1, 0, 1e-300, 1e300, 10**309, float("1e308"), 0.5, "1e309",
    [1e-300, 1e-300], {"s": 5, "dof": 0.004}, {"value": 1}, {"value": 1, "expanded_uncertainty": 1e-300}, "−5", 3,
]  # fmt: skip


def paths(body: Any, at: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    yield at
    items = body.items() if isinstance(body, dict) else enumerate(body) if isinstance(body, list) else ()
    for key, value in items:
        yield from paths(value, (*at, key))


EXTRA = {
    "flipped": ["x_home"], "proven": ["x_steps"], "computed": {"x_steps": 106.0}, "teeth": {"x_steps": 20},
    "step_limit": 40000, "gantry": 1180, "gantry_along": "y", "head": "hangs", "reference_length": 1000,
}  # fmt: skip


def mutated(rng: random.Random) -> Body:
    body = example(rng.choice(list(REGISTRY)))
    body["machine"] |= {k: copy.deepcopy(v) for k, v in EXTRA.items() if rng.random() < 0.3}
    body |= {"piece_scatter": {"s": 0.02, "dof": 4}, "previous_errors": {"x_steps": 0.2}, "pieces": 1}
    body["instrument"] = {"resolution": 0.01, "permissible_error": [0.02, 2e-5], "zero": 0.01, "kind": "caliper",
                          "parallel_within_deg": 0.2, "repeats": {"s": 0.01, "dof": 9}}  # fmt: skip
    for _ in range(rng.choice((1, 1, 2, 3))):
        at = rng.choice([p for p in paths(body) if p])
        holder: Any = body
        try:
            for key in at[:-1]:
                holder = holder[key]
            if rng.random() < 0.15 and isinstance(holder, dict):
                del holder[at[-1]]
            elif isinstance(holder[at[-1]], (int, float)) and abs(holder[at[-1]]) < 1e300 and rng.random() < 0.6:
                holder[at[-1]] = holder[at[-1]] * rng.choice((-1, 0, 1e-9, 0.001, 0.5, 2, 25.4, 1000, 1e9))
            else:
                holder[at[-1]] = copy.deepcopy(rng.choice(ODD))
        except (KeyError, IndexError, TypeError):
            continue
    return body


@pytest.mark.parametrize("seed", range(8))
def test_whatever_comes_in_ends_in_finite_numbers_or_one_line(seed: int) -> None:
    rng, answered = random.Random(seed), 0
    for _ in range(400):
        body = mutated(rng)
        try:
            found = solved(body)
            json.dumps(found, allow_nan=False)
            answered += 1
        except KeenCompassError as error:
            assert "\n" not in str(error)
            assert 5 < len(str(error)) < 300
        except TypeError:
            if isinstance(body.get("procedure"), str):
                raise
    assert answered > 40  # what is only a little off is understood


# Cyclic errors


def test_a_wave_is_seen_at_the_targets_that_are_proposed_and_noise_is_not() -> None:
    """100 axes whose pinion runs out by 0.1 mm, of any period; 100 that are straight, on a rule that isn't quite."""
    targets = uneven(11, 1000.0, 1.0)
    assert len(set(targets)) == 11
    rng, seen, false = random.Random(1), 0, 0
    for k in range(200):
        size = 0.1 if k % 2 else 0.0
        period, phase, own = rng.uniform(25, 300), rng.uniform(0, 6.28), {p: rng.uniform(-0.02, 0.02) for p in targets}
        walked = [(p, d) for _ in range(3) for d in (1, -1) for p in (targets if d > 0 else targets[::-1])]
        shown = [
            round((p + size * math.sin(2 * math.pi * p / period + phase) + own[p] + rng.gauss(0, 0.03)) / 0.05) * 0.05
            for p, _ in walked
        ]
        shape = shape_of([p for p, _ in walked], [d for _, d in walked], shown, 0.05, 0.02)
        seen += bool(size) and shape is not None and shape.kind == "cyclic"
        false += not size and shape is not None
    assert (seen >= 95, false) == (True, 0)


@pytest.mark.parametrize("text", ["take_up=1,2", "axis=1,2", "run=[]", "figure=1,2", "made_by=1,2"])
def test_settings_of_any_kind_are_refused_in_one_line(text: str, tmp_path: Path, capsys: Any) -> None:
    for name in REGISTRY:
        code = main(["piece", name, "--set", text, "--format", "gcode", "-o", str(tmp_path / "a.nc")])
        said = capsys.readouterr().err
        assert code in (0, 2)
        assert code == 0 or (said.count("\n") == 1 and said.startswith("keen-compass: "))


def test_a_ladder_that_leaves_it_open_asks_for_rungs_between() -> None:
    body = example("speed")
    body["machine"]["values"]["x_speed"] = 7100  # safe is between 6400 and 7200
    found = first(body)
    assert found["verdict"] == "cannot_tell"
    assert (
        found["notes"][0] == "More rungs between 8000 and 9000 mm/min may settle it: the gap between them is untested."
    )
    body["readings"] = body["readings"][:5]
    above = first(body)
    assert (above["verdict"], above["worth_correcting"]) == ("cannot_tell", False)
    assert "climb higher" in above["notes"][0] or "read those above" in above["notes"][0]


# An input whose bare lengths are in inches

COUNTED = {
    "acceleration", "columns", "copies", "corrections", "divisions", "fastest_feed", "feeds", "picture", "powers",
    "repeats", "rows", "share", "strips",
}  # fmt: skip
LENGTHS = {
    "across", "along", "bar", "border", "compensation", "compensations", "distance", "height", "heights", "hole",
    "length", "marks", "moves", "nominal", "places", "run", "short_height", "short_width", "slot", "spacing", "start",
    "targets", "thickness", "travel", "values", "width", "window", "x", "x_span", "y", "y_span",
}  # fmt: skip


def in_inches(name: str, given: Any) -> Any:
    if name in COUNTED or isinstance(given, (str, bool)) or (name == "targets" and isinstance(given, int)):
        return given
    assert name in LENGTHS, name
    if name == "places":
        return [[x / 25.4, y / 25.4, *normal] for x, y, *normal in given]
    if isinstance(given, list):
        return [[v / 25.4 for v in one] if isinstance(one, list) else one / 25.4 for one in given]
    return given / 25.4


@pytest.mark.parametrize("name", list(REGISTRY))
def test_an_input_in_inches_gives_the_same_answer(name: str) -> None:
    mm, procedure = load(name).example(), load(name)
    case = case_from_json(mm)
    kinds = {m.name: m.kind for m in procedure.measurands(procedure.piece(case.piece))}
    inch = copy.deepcopy(mm) | {"unit": "in", "tolerance": 0.1 / 25.4}
    inch["piece"] = {k: in_inches(k, v) for k, v in mm.get("piece", {}).items()}
    tool = {"resolution": 0.01, "permissible_error": [0.0, 0.0], "unit": "in"} | mm.get("instrument", {})
    for field in ("resolution", "reach", "zero"):
        if isinstance(tool.get(field), (int, float)):
            tool[field] /= 25.4
    tool["permissible_error"] = [tool["permissible_error"][0] / 25.4, tool["permissible_error"][1]]
    inch["instrument"] = tool
    for entry in inch["readings"]:
        kind = kinds.get(entry["measurand"], Kind.LENGTH if name != "camera" else Kind.COUNT)
        if kind is Kind.LENGTH or (kind is Kind.SPOT and name != "camera"):
            entry["values"] = [
                v if isinstance(v, str) else [c / 25.4 for c in v] if isinstance(v, list) else v / 25.4
                for v in entry["values"]
            ]
    there, here = (load(name).solve(case_from_json(b)) for b in (mm | {"tolerance": 0.1}, inch))
    assert [f.verdict for f in here.findings] == [f.verdict for f in there.findings]
    for a, b in zip(here.findings, there.findings, strict=True):
        if b.error is not None:
            assert abs(a.error) == pytest.approx(abs(b.error), rel=1e-6, abs=1e-6)  # of two as large, either is named
            assert a.expanded_uncertainty == pytest.approx(b.expanded_uncertainty, rel=1e-3)


def test_the_instruments_own_unit_overrides_it_for_readings() -> None:
    given = {"procedure": "rectangle", "unit": "mm", "machine": {"values": {"x_steps": 100, "y_steps": 100}},
             "piece": {"width": 400, "height": 300, "compensation": 0}, "instrument": {"unit": "in"},
             "readings": [{"measurand": "width", "values": [15.76]}]}  # fmt: skip
    assert case_from_json(given).lengths("width")[0].mm == pytest.approx(15.76 * 25.4)
    with pytest.raises(InputError, match="expected one of mm, in"):
        case_from_json(given | {"unit": "ell"})


SPOILT = [
    None, True, -1, 0, 1e308, math.inf, math.nan, "x", "5 mm", [], {}, [[1, 2]], {"value": 1}, 10**400, "", -0.0, ["a"],
    {"s": 1, "dof": 2}, {"value": 1, "expanded_uncertainty": -1},
]  # fmt: skip


def places_in(body: Any, place: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    inside = body.items() if isinstance(body, dict) else enumerate(body[:4]) if isinstance(body, list) else ()
    return [place] * bool(place) + [p for k, v in inside for p in places_in(v, (*place, k))]


@pytest.mark.parametrize("part", range(4))
def test_whatever_stands_in_an_input_it_is_solved_or_refused(part: int) -> None:
    rng = random.Random(part)
    for _ in range(120):
        body = copy.deepcopy(load(rng.choice(list(REGISTRY))).example()) | {"unit": rng.choice(["mm", "in"])}
        *way, last = rng.choice(places_in(body))
        inside = body
        for key in way:
            inside = inside[key]
        inside[last] = copy.deepcopy(rng.choice(SPOILT))
        with contextlib.suppress(KeenCompassError):
            case = case_from_json(body)
            load(case.procedure).solve(case)
