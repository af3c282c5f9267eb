"""Figures, corner lines, reference lines and runs: their files read by others, and what stand-ins make of them."""

from __future__ import annotations

import io
import itertools
import json
import math
import random
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import ezdxf
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pygcode import Line
from pygcode import Machine as Interpreter

from keen_compass.errors import InputError, PieceError
from keen_compass.formats.drawings import with_flicks, write_dxf, write_svg
from keen_compass.formats.gcode import CutSettings, write_gcode, write_moves
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.formats.machine_file import file_for
from keen_compass.machines.forms import machine_fields, read_machine
from keen_compass.machines.profile import Machine
from keen_compass.pieces.corner import CornerLines
from keen_compass.pieces.moves import Go, MoveProgram, Stop
from keen_compass.pieces.reference import ReferenceLines
from keen_compass.pieces.square import CIRCLE, RECTANGLE, SquareFigure
from keen_compass.practice.demo_machines import HERON
from keen_compass.procedures import REGISTRY, load, yielding
from keen_compass.quantities.catalogue import QUANTITIES, beneath
from keen_compass.quantities.families import Lives
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.notes import note, plain
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount, StoredValue, nothing_stored, stored_from_body
from keen_compass.quantities.verdict import Verdict
from keen_compass.standin.router import Made, Router
from keen_compass.standin.truth import Truth
from keen_compass.words.consequences import finding_in_words, tolerance_in_words
from keen_compass.words.say import Show, say
from said import notes_of
from strict_reader import path_of

BED = Box(0, 0, 1300, 900)
EXACT = {q: StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0) for q in ("x_steps", "y_steps", "z_steps")}


def truth(**faults: Any) -> Truth:
    """A machine with these faults and no others."""
    none: dict[str, Any] = {"motion": {"x": 100.0, "y": 100.0, "z": 100.0}, "lost_motion": {}, "kerf": 6.0,
                            "scatter": 0.0, "instrument_error": (0.0, 0.0), "repeat": 0.0}  # fmt: skip
    return Truth(**(none | faults))


def made(file: str, settings: dict[str, StoredValue] | None = None, **faults: Any) -> Made:
    return Router(truth(**faults), EXACT | (settings or {}), 1).make(file, 1)


def read_on(piece: SquareFigure, found: Made) -> dict[str, float]:
    names = CIRCLE if piece.figure == "circle" else RECTANGLE
    held = {m: "across" if m in CIRCLE else "corners" if "diag" in m else "jaws" for m in names}
    fine, rng = Instrument(resolution=1e-5), random.Random(1)
    return {m: found.read(piece.line(m), m, 1, fine, rng, held[m])[0] for m in names}


# Squareness


@settings(max_examples=12)
@given(
    st.sampled_from(["rectangle", "circle"]), st.booleans(), st.integers(120, 500), st.integers(120, 400),
    st.floats(0, 0.4), st.floats(-0.004, 0.004),
)  # fmt: skip
def test_a_figure_shows_the_lean_whatever_kerf_and_play(
    figure: str, drawn: bool, width: int, height: int, lost: float, skew: float
) -> None:
    """Through the file: a square machine's figure has its ordered lengths, a leaning one's its lean."""
    height = width if figure == "circle" else height
    piece = SquareFigure(figure, width, height, 0.0 if drawn else 6.0, drawn)
    file = write_gcode(path_of(piece, 7).moved(60, 60), CutSettings(bed=BED))
    play = {"x": lost, "y": 0.7 * lost}
    procedure = load("squareness")
    values = {m: [v] for m, v in read_on(piece, made(file, skew=skew, kerf=6.0, lost_motion=play)).items()}
    body = {
        "procedure": "squareness",
        "piece": {"figure": figure, "width": width, "height": height,
                  "compensation": piece.compensation, "made_by": "drawn" if drawn else "cut"},
        "instrument": {"resolution": 1e-5}, "readings": [{"measurand": m, "values": v} for m, v in values.items()],
    }  # fmt: skip
    from keen_compass.procedures.case_input import case_from_json

    (f,) = procedure.solve(case_from_json(body)).findings
    # A circle takes play that differs between the axes for a lean, and says that it assumes it doesn't. What the play
    # bends is the tool's path, which a cutter follows half its width outside of the piece.
    path = width + piece.compensation
    taken_for_lean = math.sqrt(2) * (play["x"] - play["y"]) / path if figure == "circle" else 0.0
    assert f.error == pytest.approx(1000 * (skew + taken_for_lean), abs=0.03 + 4 * abs(skew) * (lost + 0.02))
    if figure == "circle":
        assert any("assumed" in n for n in notes_of(f)) or f.verdict is Verdict.IN
    if drawn and figure == "rectangle" and abs(skew) < 1e-9:
        for m, (v,) in values.items():
            assert v == pytest.approx(piece.nominal(m), abs=2e-3), m


@pytest.mark.parametrize("piece", [SquareFigure("rectangle", 300, 200, 6.0, False), SquareFigure("circle", 200, 200)])
def test_an_independent_interpreter_stays_on_the_bed_and_ends_up(piece: SquareFigure) -> None:
    machine = Interpreter()
    seen = []
    for line in write_gcode(path_of(piece, 3).moved(60, 60), CutSettings(bed=BED)).splitlines():
        machine.process_block(Line(line).block)
        seen.append((machine.pos.X, machine.pos.Y, machine.pos.Z))
    assert all(0 <= x <= 1300 and 0 <= y <= 900 for x, y, _ in seen)
    assert seen[-1][2] > 0
    assert max(x for x, _, _ in seen) - min(x for x, _, z in seen if z < 0) >= piece.width


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        (lambda: SquareFigure("rectangle", 0, 10), "larger than 0"),
        (lambda: SquareFigure("star", 9, 9), "rectangle or"),
        (lambda: CornerLines(3), "leaves the stock"), (lambda: CornerLines(25, high_x=True), "how large the stock"),
        (lambda: ReferenceLines(50, 400), "spacings"), (lambda: ReferenceLines(400, 400, 5), "figures meet"),
    ],
)  # fmt: skip
def test_impossible_pieces_are_refused_in_words(wrong: Any, says: str) -> None:
    with pytest.raises(PieceError, match=says):
        wrong()


# Home and reference lines


def from_edge(piece: CornerLines, axis: str, on_bed: float) -> float:
    where = piece.where(axis)
    return where.inwards * (on_bed - where.edge)


@pytest.mark.parametrize(("high_x", "high_y"), list(itertools.product([False, True], repeat=2)))
def test_corner_lines_tell_which_way_zero_lies(high_x: bool, high_y: bool) -> None:
    """Zero 0.4 mm too far along X, 0.3 short along Y, seen from either end of the stock."""
    piece = CornerLines(25, 40, high_x, high_y, stock=(600, 400), edge=(30, 20))
    file = write_gcode(path_of(piece, 1).moved(*piece.origin), CutSettings(bed=BED))
    home = {q: StoredAmount(q, "mm", v) for q, v in (("x_home", 5.4), ("y_home", 6.7))}
    found = made(file, home, home={"x": 5.0, "y": 7.0})
    at = {a: sum(p["xy".index(a)] for p in found.lines["xy".index(a)][-2:]) / 2 for a in ("x", "y")}
    assert from_edge(piece, "x", at["x"]) == pytest.approx(25 + (-0.4 if high_x else 0.4), abs=1e-6)
    assert from_edge(piece, "y", at["y"]) == pytest.approx(25 + (0.3 if high_y else -0.3), abs=1e-6)


def test_reference_lines_stand_where_their_figures_say() -> None:
    piece = ReferenceLines(640, 350, 100)
    document = ezdxf.read(io.StringIO(write_dxf(path_of(piece, 1))))
    assert not document.audit().errors
    lines = [[(x, y) for x, y, *_ in e.get_points()] for e in document.modelspace()]
    ticks = [line for line in lines if len(line) == 2 and math.isclose(math.dist(*line), 12.0)]
    assert sorted(a[0] for a, b in ticks if a[0] == b[0]) == [0, 100, 200, 300, 400, 500, 600]
    assert sorted(a[1] for a, b in ticks if a[1] == b[1]) == [0, 100, 200, 300]
    assert (piece.nominal("x_lines"), piece.nominal("y_lines")) == (600, 300)


# Runs


def test_moves_are_gcode_that_waits() -> None:
    program = MoveProgram(
        plain("to and fro (twice)"),
        (Go(x=10, y=20), Stop(plain("read – here")), Go(x=35.4, feed=1200), Stop(plain("b"))),
    )
    text = write_moves(program, CutSettings(bed=BED), say)
    lines = text.splitlines()
    assert lines.count("M0") == 2
    assert "(read - here)" in lines
    assert "G1 X35.4 F1200" in lines
    assert "M3" not in text
    inches = write_moves(program, CutSettings(bed=BED, inches=True), say)
    assert "G20" in inches
    assert "G1 X1.3937 F47.24409" in inches
    with pytest.raises(PieceError, match="leave the bed"):
        write_moves(MoveProgram(plain("far"), (Go(x=1400),)), CutSettings(bed=BED), say)


@settings(max_examples=20)
@given(st.floats(0, 0.8), st.sampled_from(["x", "y"]), st.sampled_from(["gcode", "hpgl", "svg"]))
def test_every_file_of_a_run_comes_to_its_marks_from_the_stated_side(lost: float, axis: str, kind: str) -> None:
    """Half the lost motion short on the way up, half of it long on the way back: stops and drawn ticks alike."""
    shape = load("travel-run").piece({"axis": axis, "start": 60, "across": 200, "length": 400, "targets": 5})
    program = shape.program(HERON, 2)
    if kind == "gcode":
        file = write_moves(program, CutSettings(bed=BED), say)
    elif kind == "hpgl":
        file = write_hpgl(program.as_ticks(axis, "ticks"), 1000.0)
    else:
        file = write_svg(with_flicks(program.as_ticks(axis, "ticks")))
    router = Router(truth(lost_motion={axis: lost}), EXACT, 1)
    at = router.make(file, 1, 1000.0 if kind == "hpgl" else 40.0).positions(axis)
    nodes = list(shape.nodes().values())
    assert len(at) == 2 * len(nodes)
    zero = at[0] + lost / 2
    for real, (p, way) in zip(at, nodes * 2, strict=True):
        assert real - zero == pytest.approx(p - way * lost / 2, abs=3e-3)


def test_a_cyclic_error_and_lost_steps_show_on_the_stand_in() -> None:
    wave = made(
        file_for(HERON, load("travel-run").piece({"length": 800, "targets": 9, "start": 50}).program(HERON, 1), say),
        lead={"x": (0.2, 300.0)},
    )
    off = [x - 50 - p for x, p in zip(wave.positions("x")[:9], range(0, 801, 100), strict=True)]
    assert max(off) - min(off) > 0.25
    ladder = load("speed").piece({"feeds": [3000, 6000, 9000], "run": 800, "acceleration": 400})
    at = made(write_moves(ladder.program(HERON, 1), CutSettings(bed=BED), say), limits={"x": 7000.0}).positions("x")
    assert [abs(b - a) > 0.1 for a, b in itertools.pairwise(at)] == [False, False, True]


def test_a_looked_after_feed_drifts_less_and_a_skimmed_bed_is_flat() -> None:
    known = truth(drift=0.5, bed=(1e-3, 0, 0.3), bed_since=0.2, tram={"x": 0.6})
    cared = {"tracking": StoredAmount("tracking", "times", 1.0)}
    assert known.feed_drift({}) == 0.5
    assert known.feed_drift(cared) == pytest.approx(0.1)
    assert known.bed_range({"bed": StoredAmount("bed", "mm", 0.2)}) > 0.8
    assert known.bed_range({"bed": StoredAmount("bed", "mm", 0.9)}) < 0.03
    assert known.tilt("x", {"x_tram": StoredAmount("x_tram", "mm/m", -0.6)}) == pytest.approx(0)
    assert Truth.from_json(json.loads(json.dumps(known.to_json()))) == known


# From the command line


def command(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "keen_compass", *words], capture_output=True, text=True, check=False)


NO_FILE = ("drive-train", "media-feed")
SIZES = {"rectangle": "400x300", "travel-run": "800", "squareness": "300x200", "bed": "1000x700",
         "reference-lines": "600x400", "speed": "900"}  # fmt: skip


@pytest.mark.parametrize("name", NO_FILE)
def test_what_makes_no_piece_says_so(name: str, tmp_path: Path) -> None:
    done = command("piece", name, "-o", str(tmp_path / "out.nc"))
    assert (done.returncode, (tmp_path / "out.nc").exists()) == (2, False)
    assert "makes no piece" in done.stderr


@pytest.mark.parametrize("name", [n for n in REGISTRY if n not in NO_FILE and not load(n).on_paper.printed])
def test_every_procedure_writes_its_file(name: str, tmp_path: Path) -> None:
    file = tmp_path / "out.nc"
    size = ["--size", SIZES[name]] if name in SIZES else []
    done = command("piece", name, *size, "-o", str(file))
    assert done.returncode == 0, done.stderr
    machine = Interpreter()
    for line in file.read_text().splitlines():
        if line != "M0":
            machine.process_block(Line(line).block)
    assert file.read_text().endswith("M2\n")
    assert ("M0" in file.read_text()) == (load(name).makes == "moves")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("piece", "drive-train"), "makes no piece"),
        (("piece", "home", "--size", "3x4"), "has no size"),
        (("piece", "bed", "--set", "columns=1"), "piece.columns"),
        (("piece", "speed", "--set", "feeds=fast"), "piece.feeds"),
        (("piece", "travel-run", "--size", "9000"), "leave the bed"),
        (("piece", "backlash", "--set", "cycles=0"), "--set cycles"),
    ],
)
def test_what_cannot_be_written_is_said_in_one_line(words: tuple[str, ...], says: str, tmp_path: Path) -> None:
    done = command(*words, "-o", str(tmp_path / "x.nc"))
    assert done.returncode == 2
    assert says in done.stderr
    assert done.stderr.count("\n") == 1
    assert not (tmp_path / "x.nc").exists()


def test_the_walk_is_told_to_scripts() -> None:
    body = json.loads(command("practice", "all", "--seed", "2", "--json").stdout)
    assert {w["procedure"] for w in body["walked"]} >= {"drive-train", "squareness", "kerf-square", "pointer"}
    assert {w["verdicts"][0] for w in body["walked"]} <= {"in", "cannot_tell"}
    assert body["left"]["squareness"]["tolerances"] < 1
    assert "rounds" in command("practice", "all", "--seed", "2", "--machine", "pen").stdout


# What rests on what, and which machine has what


def test_the_order_is_an_order_of_dependence() -> None:
    order = list(QUANTITIES)
    for q in order:
        assert all(order.index(under) < order.index(q) for under in beneath(q)), q
        for under in beneath(q):
            assert set(beneath(under)) <= set(beneath(q))
    assert beneath("x_home")[:2] == ("x_drive", "y_drive")
    assert set(beneath("squareness")) >= {"x_steps", "y_steps", "x_backlash", "y_backlash"}


def test_every_quantity_of_every_machine_has_a_procedure() -> None:
    for kind, form in itertools.product(MachineKind, ResolutionForm):
        machine = Machine("m", "M", kind, (900.0, 600.0), form=form, z_travel=50.0)
        assert ("x_drive" in machine.quantities) == (form.name.startswith(("STEPS", "UM", "MM", "INCH")))
        for q in machine.quantities:
            entries = yielding(q, machine.file_format)
            assert entries, (kind, q)
            wanted = q.replace("_drive", "_steps")
            assert wanted in load(entries[0].name).yields
    plotter = Machine("m", "M", MachineKind.KNIFE, (900.0, 600.0))
    assert "tracking" in plotter.quantities
    assert not {"bed", "x_home", "x_speed", "x_tram", "z_steps"} & set(plotter.quantities)


@pytest.mark.parametrize("quantity", [q for q in QUANTITIES if QUANTITIES[q].lives in (Lives.NUMBER, Lives.BY_HAND)])
def test_amounts_are_kept_and_renewed(quantity: str) -> None:
    held = nothing_stored(quantity)
    assert held is not None
    new = held.renewed(-1.23456, 3)
    assert stored_from_body(json.loads(json.dumps(new.to_body()))) == new
    assert new.number(3) in ("-1.235", "-1")
    assert held.renewed(-0.0001, 3).number(2) in ("0.00", "0")
    assert held.name(QUANTITIES[quantity].axis).endswith("tracking" if held.unit == "times" else held.unit)
    with pytest.raises(InputError):
        held.renewed("much")


def finding(quantity: str, error: float) -> Finding:
    q = QUANTITIES[quantity]
    return Finding(quantity, q.unit, 0.0, 0.0, 0.1, error, q.error_unit, 0.1, 0.4, Verdict.OUT, True, "")


@pytest.mark.parametrize(
    ("quantity", "error", "mm", "inches"),
    [
        ("x_steps", 0.97, "a metre comes out 0.97 mm too long", "a foot comes out 11.6 thou too long"),
        ("y_steps", -0.001, "a metre comes out right", "a foot comes out right"),
        ("x_drive", -500.0, "50.0 % below what the parts give", "50.0 % below"),
        ("z_backlash", 0.127, "Z loses 0.13 mm", "Z loses 5.0 thou"),
        ("z_backlash", -0.127, "Z gains 0.13 mm", "gains 5.0 thou"),
        ("x_backlash", 0.0, "X reaches its target", "X reaches its target"),
        ("squareness", -1.0, "Y leans 1.00 mm per m towards −X", "12.0 thou per foot towards −X"),
        ("y_home", 0.254, "0.25 mm too far towards +Y", "10.0 thou too far"),
        ("tracking", -0.3, "0.30 mm short of its start", "11.8 thou short"),
        ("y_tram", 0.5, "leans 0.50 mm per m towards +Y", "6.0 thou per foot"),
        ("bed", 0.3, "0.30 mm higher in one place", "11.8 thou higher"),
        ("x_speed", 900.0, "900 mm/min above what is safe", "35.4 in/min above"),
        ("x_speed", -900.0, "comes back to its mark", "comes back to its mark"),
    ],
)  # fmt: skip
def test_what_an_error_means_in_words(quantity: str, error: float, mm: str, inches: str) -> None:
    assert mm in finding_in_words(finding(quantity, error))
    assert inches in finding_in_words(finding(quantity, error), Show("in"))
    assert "allowed" in tolerance_in_words(finding(quantity, error), Show("in"))


@pytest.mark.parametrize(
    ("standpoint", "x", "corner"),
    [
        (Standpoint("right", "away"), "to the right", "near right"),
        (Standpoint("left", "toward"), "to the left", "far left"),
        (Standpoint("away", "left"), "away from you", "far right"),
        (Standpoint("toward", "right"), "towards you", "near left"),
    ],
)  # fmt: skip
def test_directions_are_said_as_seen(standpoint: Standpoint, x: str, corner: str) -> None:
    show = Show(standpoint=standpoint)
    assert finding_in_words(finding("squareness", 0.4), show).endswith(f"towards +X, {x}")
    moved = note("squareness.move_gantry", end="x", by=1.5, way="+y")
    assert say(moved, show).endswith(f"towards +Y, {standpoint.words('y', 1)}.")
    assert show.corner("high X, low Y") == corner


def test_a_profile_of_the_format_before_still_opens() -> None:
    body = HERON.to_json()
    for new in ("z_travel", "gantry", "step_limit", "acceleration", "flipped"):
        del body[new]
    machine = Machine.from_json(body)
    assert (machine.z_travel, machine.gantry, machine.flipped) == (0.0, 0.0, ())
    assert "z_steps" not in machine.quantities


@pytest.mark.parametrize(
    ("field", "text", "says"),
    [
        ("tolerance_x_speed", "fast", "a number of mm/min"), ("tolerance_x_speed", "-3", "between"),
        ("x_backlash", "a bit", "number that the controller shows"), ("acceleration", "0", "between"),
        ("gantry", "-5", "never negative"), ("step_limit", "many", "type a number"), ("x_steps", "", "number"),
    ],
)  # fmt: skip
def test_motion_fields_of_a_profile_are_checked(field: str, text: str, says: str) -> None:
    held: dict[str, StoredValue] = {**EXACT}
    fields = machine_fields(HERON, held) | {field: text}
    machine, _, complaints = read_machine(fields, Standpoint(), HERON)
    assert machine is None
    assert says in complaints[field]


def test_signs_that_a_controller_counts_the_other_way_survive_the_form() -> None:
    turned = replace(HERON, flipped=("y_home",))
    fields = machine_fields(turned, {**EXACT, "x_backlash": StoredAmount("x_backlash", "mm", 0.07)})
    again, stored, complaints = read_machine(fields, Standpoint(), turned)
    assert complaints == {}
    assert again is not None
    assert again.flipped == ("y_home",)
    assert stored["x_backlash"] == StoredAmount("x_backlash", "mm", 0.07)
    assert "y_backlash" not in stored  # an empty field is no zero that someone typed
