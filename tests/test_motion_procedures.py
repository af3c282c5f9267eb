"""Motion procedures: their examples and questions, whole rounds on the stand-in, the walk from wrong to right."""

from __future__ import annotations

import copy
import json
import math
import random
import re
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from keen_compass.cli import main
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.formats.machine_file import file_for
from keen_compass.practice.turned_up import turned_up
from keen_compass.practice.whole_rounds import covered, practice_on, run, usual_kind
from keen_compass.procedures import REGISTRY, load, yielding
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import OF_AXES, OF_PRINTS, StoredResolution
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import State, spokes
from keen_compass.standin.gcode_reader import read_gcode
from keen_compass.standin.router import Router
from keen_compass.words.answers import solution_as_json
from keen_compass.words.say import PLAIN, say
from said import formula_of, notes_of

NO_NUMBER = (Verdict.UNRESOLVED, Verdict.IMPLAUSIBLE)
SLOW = ("camera", "pointer", "registration", "print-scale", "proof")  # have tests of their own
JUST_IN, BEYOND = 1.1, 1.5  # tolerances, and expanded uncertainties, to which one in twenty comes
MOTION = [name for name in REGISTRY if name != "rectangle"]


def body(name: str, **changes: Any) -> dict[str, Any]:
    found = copy.deepcopy(load(name).example())
    found.update(changes)
    return found


def solve(given: dict[str, Any]) -> Solution:
    return load(given["procedure"]).solve(case_from_json(given))


def readings(**values: Any) -> list[dict[str, Any]]:
    return [{"measurand": m, "values": v if isinstance(v, list) else [v]} for m, v in values.items()]


@pytest.mark.parametrize("name", MOTION)
def test_every_example_is_solved_by_the_command_line(
    name: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["solve", "--example", name]) == 0
    (tmp_path / "case.json").write_text(capsys.readouterr().out)
    assert main(["solve", str(tmp_path / "case.json")]) == 0
    found = json.loads(capsys.readouterr().out)["findings"]
    procedure = load(name)
    assert {f["quantity"] for f in found} <= set(procedure.yields)
    assert found[0]["verdict"] in ("in", "out", "cannot_tell")
    assert found[0]["formula"]


def test_drive_train_gives_a_starting_value_and_the_switch_side_by_side() -> None:
    solution = solve(body("drive-train"))
    (x,) = solution.findings
    assert x.new == pytest.approx(6400 / 60, abs=5e-4)
    assert x.error == pytest.approx((53.333 / (6400 / 60) - 1) * 1000)
    assert formula_of(x) == "360 ÷ 1.8 × 32 ÷ (3 × 20)"
    assert "factor of 2" in notes_of(x)[0]
    assert [row["microsteps"] for row in solution.figures["microsteps"]] == [1, 2, 4, 8, 16, 32]
    assert solution.figures["step_rate"] == pytest.approx(6400 / 60 * 200)
    assert load("drive-train").for_logbook(x).quantity == "x_drive"
    some = body("drive-train", readings=readings(microsteps=32, belt_pitch="3 mm"))
    assert "teeth" in notes_of(solve(some).findings[0])[0]
    form = body("drive-train")
    form["machine"] |= {"resolution_form": "percent_100", "values": {"x_steps": 100.0}}
    assert solve(form).findings[0].verdict is Verdict.UNRESOLVED


def test_the_same_parts_as_a_measured_axis_copy_its_number() -> None:
    given = body("drive-train")
    given["piece"]["axis"] = "y"
    given["machine"] |= {
        "values": {"x_steps": 106.318, "y_steps": 100.0}, "computed": {"x_steps": 6400 / 60}, "proven": ["x_steps"],
    }  # fmt: skip
    (y,) = solve(given).findings
    assert y.new == 106.318
    assert "same parts as X" in notes_of(y)[0]


def test_what_a_round_finds_is_checked_back_against_the_parts() -> None:
    given = body("travel-run")
    given["machine"]["computed"] = {"x_steps": 106.634 * 21 / 20}
    given["machine"]["teeth"] = {"x_steps": 20}
    assert any("21 would explain it" in n for n in notes_of(solve(given).findings[0]))


def test_travel_run_example_by_hand() -> None:
    solution = solve(body("travel-run"))
    steps, lost = solution.findings
    assert steps.error == pytest.approx(0.31, abs=0.01)
    assert steps.new == pytest.approx(106.667 / 1.00031, abs=2e-3)
    assert lost.error == pytest.approx(0.12, abs=0.002)
    assert lost.new == pytest.approx(0.12, abs=0.002)
    assert solution_as_json(solution, PLAIN)["figures"]["after"] == "ISO 230-2"
    off = body("travel-run")
    off["machine"]["values"]["x_backlash"] = 0.05
    assert solve(off).findings[1].new == pytest.approx(0.17, abs=0.002)
    off["piece"]["compensation_off"] = True
    assert solve(off).findings[1].new == pytest.approx(0.12, abs=0.002)


def test_a_stated_tilt_corrects_the_mean_and_widens_it() -> None:
    """A rule within Θ reads short by LΘ²/6 on average, with u = LΘ²/(3√5); what is pushed along reads as much long."""
    theta = math.radians(2.6)
    for kind, sign in (("rule", 1), ("tape", 1), ("dial", -1), ("caliper", -1), (None, 1)):
        given = body("travel-run")
        given["instrument"] = {
            "resolution": 0.01, "permissible_error": [0.01, 0.00001], "repeats": {"s": 0.01, "dof": 20},
        }  # fmt: skip
        if kind:
            given["instrument"]["kind"] = kind
        straight = solve(given).findings[0]
        given["piece"]["parallel_within_deg"] = 2.6
        tilted = solve(given)
        found = tilted.findings[0]
        assert found.error - straight.error == pytest.approx(sign * 1000 * theta**2 / 6 * 1.0003, rel=1e-3)
        # Stated within 2.6°, it may lie at 2.6° all day: a third of LΘ² from the middle, and the rest beside it.
        assert found.expanded_uncertainty == pytest.approx(1000 * theta**2 / 3, rel=0.06)
        assert dict(found.limits)["tilt"] > 0.98
        assert any("a steel rule is assumed" in n for n in notes_of(tilted)) == (kind is None)


def test_a_reversed_rule_and_inches_are_asked_about() -> None:
    given = body("travel-run")
    for entry in given["readings"]:
        entry["values"] = [1200 - v for v in entry["values"]]
    assert "wrong way round" in notes_of(solve(given).findings[0])[0]
    given["confirmed"] = True
    assert solve(given).findings[0].error == pytest.approx(0.31, abs=0.01)
    inches = body("travel-run")
    for entry in inches["readings"]:
        entry["values"] = [v / 25.4 for v in entry["values"]]
    assert "inches" in notes_of(solve(inches).findings[0])[0]


def test_a_bend_is_said_in_words() -> None:
    given = body("travel-run")
    given["piece"]["targets"] = 11
    nodes = load("travel-run").piece(given["piece"]).nodes()
    given["readings"] = readings(**{
        m: [p + 0.4 * (p / 500 - 1) ** 2 + 0.01 * (i % 2) for i in range(3)] for m, (p, _) in nodes.items()
    })  # fmt: skip
    assert any("bowed rule" in n for n in notes_of(solve(given).findings[0]))


def test_tracking_counts_how_often_the_feed_was_looked_after() -> None:
    given = body("travel-run", readings=readings(trip_1=0.3, trip_2=0.62, trip_3=0.9, trip_4=1.22, trip_5=1.5))
    given["piece"] = {"run": "tracking", "axis": "x", "length": 3000, "trips": 5}
    (f,) = solve(given).findings
    assert (f.quantity, f.verdict, f.old, f.new) == ("tracking", Verdict.OUT, 0.0, 1.0)
    assert "No setting corrects this" in notes_of(f)[0]
    assert f.error == pytest.approx(0.3, rel=1e-5)


def test_backlash_never_falls_below_zero_and_a_wild_dial_is_asked_about() -> None:
    assert solve(body("backlash")).findings[0].new == pytest.approx(0.13)
    over = body("backlash", readings=readings(**{"return": [-0.2, -0.2, -0.21]}))
    (f,) = solve(over).findings
    assert (f.new, f.verdict) == (0.0, Verdict.OUT)
    wild = body("backlash", readings=readings(**{"return": [9.9]}))
    assert solve(wild).findings[0].verdict is Verdict.IMPLAUSIBLE


def test_home_signs() -> None:
    """Too far in from a low edge, or from a high edge, or a controller that counts the other way."""

    def new(piece: dict[str, Any], flipped: list[str]) -> Finding:
        given = body("home", piece={"distance": 25} | piece, readings=readings(x_edge=25.4, y_edge=25.0))
        given["machine"]["flipped"] = flipped
        return solve(given).findings[0]

    assert new({}, []).new == pytest.approx(3.6)
    high = new({"high_x": True, "stock_x": 600}, [])
    assert (high.new, high.error) == (pytest.approx(4.4), pytest.approx(-0.4))
    assert new({}, ["x_home"]).new == pytest.approx(4.4)
    assert new({"high_x": True, "stock_x": 600}, ["x_home"]).new == pytest.approx(3.6)


def test_squareness_of_both_figures_and_what_is_missing() -> None:
    (f,) = solve(body("squareness")).findings
    gamma = math.asin((500.38667**2 - 499.61333**2) / (4 * 400.02333 * 299.97667))
    assert f.error == pytest.approx(1000 * math.tan(gamma), rel=1e-5)
    assert f.new == pytest.approx(-1180 * math.tan(gamma), abs=0.01)
    circle = body("squareness", readings=readings(d_0=300.0, d_45=300.3, d_90=300.0, d_135=299.7))
    circle["piece"] = {"figure": "circle", "width": 300}
    assert solve(circle).findings[0].error == pytest.approx(1000 * 360 / (2 * 300**2), rel=1e-3)
    part = body("squareness", readings=readings(width=400.0, diagonal_1=500.0))
    assert "height and diagonal 2" in notes_of(solve(part).findings[0])[0]
    wrong = body("squareness", readings=readings(width=400.0, height=500.1, diagonal_1=500.0, diagonal_2=500.0))
    assert solve(wrong).findings[0].verdict is Verdict.IMPLAUSIBLE


def test_bed_says_leave_shim_or_skim() -> None:
    shim, skim = notes_of(solve(body("bed")).findings[0])
    assert shim.startswith("Shim the bed: low X, low Y +0.04 mm")
    assert skim == "Or skim by 0.49 mm: 0.29 mm measured plus 0.20 mm to clean up."

    def heights(f: Any) -> Solution:
        return solve(body("bed", readings=readings(**{f"h_{c}_{r}": f(c, r) for c in (1, 2, 3) for r in (1, 2, 3)})))

    assert notes_of(heights(lambda c, r: 0.01 * (c == r)).findings[0]) == ["Leave it."]
    tilted = heights(lambda c, r: 0.2 * (c - 1)).findings[0]
    assert notes_of(tilted)[0].startswith("Shim the bed")
    assert "low X, low Y +0.40" in notes_of(tilted)[0]
    few = solve(body("bed", readings=readings(h_1_1=0.0, h_2_1=0.1)))
    assert few.findings[0].verdict is Verdict.UNRESOLVED
    tram = body("bed", piece={"run": "tram", "radius": 120, "mount": 100},
                readings=readings(x_high=0.62, x_low=0.5, y_high=0.5, y_low=0.5))  # fmt: skip
    x, y = solve(tram).findings
    assert (x.error, x.new, y.error) == (pytest.approx(0.5), pytest.approx(-0.5), pytest.approx(0.0, abs=1e-9))


def test_speed_keeps_a_margin_and_knows_the_step_rate() -> None:
    (f,) = solve(body("speed")).findings
    assert (f.new, f.error, f.verdict) == (6400.0, pytest.approx(9600 - 0.8 * 8500), Verdict.OUT)
    slow = body("speed")
    slow["machine"]["values"]["x_speed"] = 3000
    (f,) = solve(slow).findings
    assert f.verdict is Verdict.IN
    assert "slower than it needs" in notes_of(f)[0]
    limited = body("speed")
    limited["machine"]["step_limit"] = 9000  # 5062 mm/min
    assert solve(limited).findings[0].new == pytest.approx(60 * 9000 / 106.667, abs=1)
    with pytest.raises(InputError, match="make the run longer"):
        solve(body("speed", piece={"feeds": [2000, 30000], "run": 100, "acceleration": 400}))


def worked_out(formula: str) -> float:
    """A formula as it is shown, worked out as a technician would on a calculator."""
    plain = formula.partition(",")[0].partition(" mm/min")[0]
    for sign, python in (("×", "*"), ("÷", "/"), ("−", "-"), ("π", "math.pi"), ("²", "**2")):
        plain = plain.replace(sign, python)
    plain = re.sub(r"cos ([0-9.]+)°", r"math.cos(math.radians(\1))", plain)
    assert not re.search(r"[a-z]", re.sub(r"math\.(pi|cos|radians)", "", plain)), formula
    return float(eval(plain, {"math": math}))


USUAL = ("starts", "media", "reduction", "electronic_ratio")  # what is taken as usual until someone says otherwise
CHAINS = {
    "screw": {"step_angle": 1.8, "microsteps": 8, "pitch": 5, "starts": 2},
    "screw_tpi": {"step_angle": 0.9, "microsteps": 16, "threads_per_inch": 5, "starts": 2, "reduction": 2},
    "belt": {"step_angle": 1.8, "microsteps": 32, "belt_pitch": 3, "teeth": 20},
    "rack": {"step_angle": 1.8, "microsteps": 10, "reduction": 5, "module": 1, "teeth": 20},
    "helical_rack": {"step_angle": 1.8, "microsteps": 10, "reduction": 10, "module": 1.5, "teeth": 20,
                     "helix_angle": 19.53},
    "roller": {"step_angle": 1.8, "microsteps": 16, "diameter": 25.4, "media": 0.1},
}  # fmt: skip


@pytest.mark.parametrize("drive", list(CHAINS))
@pytest.mark.parametrize("motor", ["stepper", "encoder"])
def test_the_line_of_arithmetic_of_every_drive_leads_to_its_number(drive: str, motor: str) -> None:
    values = dict(CHAINS[drive])
    if motor == "encoder":
        del values["step_angle"], values["microsteps"]
        values |= {"counts": 10_000, "electronic_ratio": 0.4}
    given = body("drive-train", readings=readings(**values))
    given["piece"] = {"axis": "x", "motor": motor, "drive": drive}
    given["machine"]["decimals"] = 6
    solution = solve(given)
    (x,) = solution.findings
    assert worked_out(formula_of(x)) == pytest.approx(x.new, rel=1e-6)
    assert solution.figures["steps_per_mm"] == pytest.approx(x.new, rel=1e-6)
    assert bool(solution.figures["microsteps"]) == (motor == "stepper")
    missing = body("drive-train", readings=readings(**{k: v for k, v in values.items() if k != list(values)[-1]}))
    missing["piece"] = given["piece"]
    left_out = solve(missing).findings[0]
    assert left_out.verdict is Verdict.UNRESOLVED or list(values)[-1] in USUAL


@pytest.mark.parametrize(
    ("form", "held"),
    [("steps_per_mm", 106.667), ("um_per_step", 9.375), ("percent_100", 100.4), ("percent_0", 0.4),
     ("pair", {"commanded": 100, "measured": 100.3})],
)  # fmt: skip
@pytest.mark.parametrize("name", ["travel-run", "reference-lines", "backlash", "home"])
def test_the_line_of_arithmetic_leads_from_old_to_new(name: str, form: str, held: object) -> None:
    """In every form of the controller, to the digits that are shown."""
    given = body(name)
    given["machine"] |= {"resolution_form": form, "decimals": 5}
    given["machine"]["values"] |= {q: held for q in ("x_steps", "y_steps") if q in given["machine"]["values"]}
    for f in solve(given).findings:
        formula, new = formula_of(f), f.new
        if isinstance(new, dict):  # a pair is shown as commanded for measured: the member that changes is worked out
            formula, new = formula.replace("100 for ", ""), new["measured"]
        assert worked_out(formula) == pytest.approx(new, rel=2e-5, abs=6e-4), f.quantity


@pytest.mark.parametrize(
    ("name", "change", "place"),
    [
        ("drive-train", {"readings": [{"measurand": "starts", "values": [1]}]}, "readings[0].measurand"),
        ("drive-train", {"piece": {"axis": "w"}}, "piece.axis"),
        ("drive-train", {"readings": readings(microsteps=0, belt_pitch=3, teeth=20)}, "readings.microsteps"),
        ("travel-run", {"piece": {"targets": [0, 100, 50]}}, "piece.targets"),
        ("travel-run", {"piece": {"run": "sideways"}}, "piece.run"),
        ("backlash", {"piece": {"take_up": "never"}}, "piece.take_up"),
        ("squareness", {"piece": {"figure": "star"}}, "piece.figure"),
        ("home", {"piece": {"distance": 2}}, "piece.distance"),
        ("bed", {"piece": {"columns": 1}}, "piece.columns"),
        ("speed", {"piece": {"feeds": [3000, 2000]}}, "piece.feeds"),
        ("reference-lines", {"piece": {"spacing": 5}}, "piece.spacing"),
    ],
)
def test_bad_input_names_the_place(name: str, change: dict[str, Any], place: str) -> None:
    with pytest.raises(InputError) as caught:
        solve(body(name, **change))
    assert str(caught.value).startswith(place)


JUNK = (None, True, -1, 0, 1e9, 1e-9, 1e308, 3, "", "abc", "12 mm", "-3", [], {}, [1, 2], {"a": 1}, "x" * 100)


def places(body: Any) -> list[tuple[Any, Any]]:
    """(container, key) of everything in a JSON body."""
    found = []
    for key, value in body.items() if isinstance(body, dict) else enumerate(body):
        found.append((body, key))
        if isinstance(value, (dict, list)):
            found += places(value)
    return found


@pytest.mark.parametrize("name", list(REGISTRY))
def test_mutilated_input_is_answered_or_refused_in_words(name: str) -> None:
    """600 examples with one or two places spoilt: a solution that is sound JSON, or a complaint; never a crash."""
    rng = random.Random(name)
    refused = 0
    for _ in range(600):
        given = body(name)
        for _ in range(rng.choice((1, 1, 2))):
            container, key = rng.choice(places(given))
            if rng.random() < 0.2:
                container.pop(key)
            else:
                container[key] = copy.deepcopy(rng.choice(JUNK))
        try:
            case = case_from_json(given)
            solution = load(case.procedure).solve(case)
        except KeenCompassError as error:
            refused += 1
            assert "\n" not in str(error)
            assert len(str(error)) > 10
            continue
        json.dumps(solution_as_json(solution, PLAIN), allow_nan=False)
        assert Solution.from_json(json.loads(json.dumps(solution.to_json()))).notes == solution.notes
        for f in solution.findings:
            assert Finding.from_json(f.to_json()) == f
            assert (f.error is None) == (f.expanded_uncertainty is None) == (f.verdict in NO_NUMBER)
            assert f.expanded_uncertainty is None or f.expanded_uncertainty > 0
    assert refused > 100


def test_the_second_round_that_does_not_come_to_rest_is_warned_about() -> None:
    given = body("backlash", previous_errors={"x_backlash": 0.3})
    assert "not linear, or something slips" in notes_of(solve(given).findings[0])[0]
    given["previous_errors"] = {"x_backlash": 0.04}  # twice as far out as before, the same way
    assert solve(given).findings[0].verdict is Verdict.IMPLAUSIBLE


# On the stand-in


@pytest.mark.parametrize("name", REGISTRY)
def test_practice_ends_with_what_is_in_really_in(name: str) -> None:
    for seed in range(1 if name in SLOW else 2):
        practice = run(name, seed, None, None)
        kept = [load(name).for_logbook(f) for f in practice.rounds[-1].solution.findings]
        assert {f.verdict for f in kept} <= {Verdict.IN, Verdict.CANNOT_TELL}, seed
        for f in kept:
            left = practice.left(f.quantity)
            if left and f.verdict is Verdict.IN:
                assert left["tolerances"] <= JUST_IN, (seed, f.quantity)
            elif left and f.error is not None and QUANTITIES[f.quantity].lives is not Lives.COMPUTED:
                assert abs(left["error"] - f.error) <= BEYOND * (f.expanded_uncertainty or 0), (seed, f.quantity)
    json.dumps(practice.to_json(), allow_nan=False)


@pytest.mark.parametrize(("name", "kind"), [("travel-run", "router"), ("print-scale", "print-and-cut")])
def test_practice_is_the_same_again(name: str, kind: str) -> None:
    one, again = (run(name, 5, 1, None, MachineKind(kind)).to_json() for _ in range(2))
    assert one == again
    assert one != run(name, 6, 1, None, MachineKind(kind)).to_json()


@pytest.mark.parametrize(
    "name", ["drive-train", "travel-run", "backlash", "squareness", "home", "bed", "speed", "reference-lines"]
)
def test_practice_intervals_cover_the_truth(name: str) -> None:
    """A small sister of bench/coverage_motion.py; three standard deviations of chance are let through."""
    inside = total = 0
    for seed in range(1000, 1008):
        found = covered(name, seed)
        inside, total = inside + sum(found.values()), total + len(found)
    assert total >= 7
    assert inside / total >= 0.93 - 3 * math.sqrt(0.93 * 0.07 / total)


def test_machines_turn_up_in_every_form_and_unit_with_either_sign() -> None:
    """No two begin alike, and none with everything right."""
    seen = [turned_up(kind, seed) for kind in MachineKind for seed in range(40)]
    assert {t.machine.form for t in seen} == set(OF_AXES)
    assert {t.machine.print_form for t in seen} == set(OF_PRINTS)
    assert {t.machine.controller_units for t in seen} == {"mm", "in"}
    assert {t.machine.file_format for t in seen} == {"gcode", "hpgl", "svg"}
    assert {t.machine.kerf_form_kept for t in seen} == {"full", "half"}
    assert len({(t.machine.standpoint.x_points, t.machine.standpoint.y_points) for t in seen}) == 8
    for way in (lambda t: t.truth.skew, lambda t: t.truth.printer[0], lambda t: t.truth.fed, lambda t: t.truth.bevel):
        assert min(map(way, seen)) < 0 < max(map(way, seen))
    routers = [t for t in seen if t.machine.kind is MachineKind.ROUTER]
    assert len({t.machine.bed for t in routers}) > 30
    off = [t.held["x_steps"].motion_factor / t.truth.motion["x"] - 1 for t in routers]  # type: ignore[union-attr]
    assert min(off) < -0.01 < 0.01 < max(off)
    assert sum(abs(s) > 0.1 for s in off) >= 4  # a switch that stands elsewhere
    assert any(t.machine.flipped for t in routers)


def test_whatever_turns_up_every_procedure_has_a_machine_for_it() -> None:
    """Of any number, on the kind that is usual for it: nothing is refused."""
    for name in REGISTRY:
        kind = usual_kind(name)
        for seed in range(60):
            machine = turned_up(kind, seed).machine
            assert any(e.name == name for q in machine.quantities for e in yielding(q, machine.file_format)), (
                name,
                seed,
            )


def test_a_machine_that_a_procedure_has_nothing_for_is_refused(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["practice", "media-feed", "--machine", "router"]) == 2
    assert "--machine: a router has nothing that media-feed finds out" in capsys.readouterr().err


def test_a_file_that_moves_otherwise_is_read_otherwise() -> None:
    """The stand-in runs our very file: half the travel in it, and it comes half as far."""
    run_of, turned = load("travel-run"), turned_up(MachineKind.ROUTER, 5)
    machine = replace(turned.machine, bed=(1300.0, 900.0))
    shape = run_of.piece({"length": 800, "targets": 7, "start": 50})
    file = file_for(machine, shape.program(machine, 1), say)
    stops = [m for m in read_gcode(file) if m.waits]
    assert len(stops) == 14
    assert [m.x for m in stops] == pytest.approx([50 + p for p in (*shape.targets, *shape.targets[::-1])])
    far = max(m.x for m in stops)
    held = turned.held | {"x_steps": StoredResolution(machine.form, 1.0).renewed(turned.held["x_steps"].to_json())}
    there, short = (
        max(Router(turned.truth, held, 1).make(text, 1).positions("x"))
        for text in (file, file.replace(f"X{far:g}", f"X{far - 200:g}"))
    )
    assert there - short > 100


@pytest.mark.parametrize(
    ("kind", "seed"), [(k, s) for k in ("router", "plasma", "knife", "print-and-cut") for s in (1, 2)]
)
def test_a_machine_as_it_turned_up_is_walked_to_what_can_be_told(kind: str, seed: int) -> None:
    """In the proposed order; what is in is really in, and what is not is said."""
    with practice_on(MachineKind(kind), seed) as practice:
        practice.walk()
        states = {s.quantity: s.state for s in spokes(practice.shop, practice.machine)}
        assert not {State.NEVER, State.OUT, State.RECHECK} & set(states.values())
        assert sum(state is State.IN for state in states.values()) >= 0.7 * len(states)
        for quantity, state in states.items():
            left = practice.left(quantity)
            assert left is None or state is not State.IN or left["tolerances"] <= JUST_IN, quantity
