"""What a machine is sent: nominal jobs, each correction once, and the dry run that reads the file back."""

from __future__ import annotations

import io
import math
import random
from dataclasses import replace

import ezdxf
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from pytestqt.qtbot import QtBot
from shapely import LineString, Polygon

from driving import focus, opened, press, tab_to
from keen_compass.app.round.dry_run_bar import DryRunBar
from keen_compass.errors import FileFormatError, PieceError
from keen_compass.formats.drawings import with_flicks, write_dxf, write_svg
from keen_compass.formats.gcode import CutSettings, write_gcode
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.formats.playback import DryRun, Speeds, misfits, read_back
from keen_compass.pieces.job import Applies, Contour, Corrections, Job, JobLayer, Side, composed, offset
from keen_compass.pieces.square import SquareFigure
from keen_compass.pieces.stepped import SteppedOutline
from keen_compass.pieces.toolpath import Does, Stroke, ToolPath, circle, drawn
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.shop.store import Shop
from keen_compass.standin.gcode_reader import read_gcode
from keen_compass.standin.hpgl_reader import read_hpgl
from keen_compass.standin.router import Made, Router
from keen_compass.standin.svg_reader import read_svg
from keen_compass.standin.truth import Truth
from strict_reader import path_of

BED = Box(0, 0, 1300, 900)
PLATE = ((0.0, 0.0), (90.0, 0.0), (90.0, 70.0), (0.0, 70.0))
HOLES = (
    Contour(Side.INSIDE, centre=(30.0, 35.0), radius=15.0),
    Contour(Side.INSIDE, ((50, 20), (80, 20), (80, 30), (50, 30))),
)


def plate(outside: Contour) -> Job:
    """A plate with a round and a straight-sided hole, holes first."""
    return Job("piece 1, a plate", (JobLayer(Does.CUT, HOLES), JobLayer(Does.CUT, (outside,))))


def cut(path: ToolPath, kerf: float) -> Made:
    exact = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {}, kerf, 0.0, (0.0, 0.0), 0.0)
    file = write_gcode(path.moved(60, 60), CutSettings(bed=BED))
    return Router(truth, {"x_steps": exact, "y_steps": exact}, 1).make(file)


@settings(max_examples=12)
@given(st.floats(0.5, 6.0), st.floats(0.5, 6.0))
def test_every_part_and_every_hole_comes_loose_with_the_size_that_kerf_and_compensation_leave(
    kerf: float, compensation: float
) -> None:
    path = composed(plate(Contour(Side.OUTSIDE, PLATE, lead=(-9.0, 0.0))), Corrections(compensation))
    assert path.applied == {"compensation": "file"}
    made = cut(path, kerf)
    off = compensation - kerf
    x0, y0, x1, y1 = made.shape.bounds
    assert (x1 - x0, y1 - y0) == pytest.approx((90 + off, 70 + off), abs=0.01)
    assert len(made.shape.interiors) == 2
    wide = sorted(max(p[0] for p in ring.coords) - min(p[0] for p in ring.coords) for ring in made.shape.interiors)
    assert wide == pytest.approx([30 - off, 30 - off], abs=0.01)  # the bore's diameter, and the slot's length
    slot_slug = (30 - compensation - kerf) * (10 - compensation - kerf) > kerf**2 and compensation + kerf < 10
    assert len(made.parts) == 2 + slot_slug  # and what fell out of the holes


def test_the_controllers_compensation_leaves_the_file_on_the_line() -> None:
    job = plate(Contour(Side.OUTSIDE, PLATE))
    by_controller = composed(job, Corrections(4.0, Applies.CONTROLLER))
    assert by_controller.applied == {"compensation": "controller"}
    for stroke in by_controller.layers[-1].strokes:  # led straight onto an edge, and on over where it began
        assert Polygon(PLATE).exterior.covers(LineString(stroke.points[1:]))
        assert stroke.beside == "right"
    assert composed(job, Corrections(4.0)).extents() == pytest.approx((-2, -2, 92, 72))
    on_the_line = Job("line", (JobLayer(Does.CUT, (Contour(Side.ON, PLATE),)),))
    assert composed(on_the_line, Corrections(4.0)).extents() == pytest.approx((0, 0, 90, 70))
    assert composed(on_the_line, Corrections(4.0)).applied == {}


def test_what_leaves_no_room_for_the_cut_is_refused() -> None:
    with pytest.raises(PieceError, match="too small for a cut 12 mm"):
        offset(HOLES[1].corners, -6.0)
    with pytest.raises(PieceError, match="hole of 30 mm is too small"):
        HOLES[0].moved_off(16.0)


@settings(max_examples=30)
@given(st.lists(st.floats(20, 100), min_size=3, max_size=9), st.floats(-3, 6))
def test_corners_keep_their_order_and_stay_sharp_when_moved(radii: list[float], distance: float) -> None:
    """Of any outline round a middle, every edge ends parallel to where it was, that far away."""
    n = len(radii)
    corners = [(r * math.cos(math.tau * i / n), r * math.sin(math.tau * i / n)) for i, r in enumerate(radii)]
    try:
        moved = offset(corners, distance)
    except PieceError:
        return
    for i in range(n):
        (ax, ay), (bx, by), m = corners[i], corners[(i + 1) % n], moved[i]
        length = math.hypot(bx - ax, by - ay)
        off = ((m[0] - ax) * (by - ay) - (m[1] - ay) * (bx - ax)) / length
        assert off == pytest.approx(distance, abs=2e-6)


PATHS = {
    "stepped, cut": path_of(SteppedOutline.sized(400, 300, 6.0), 12),
    "stepped, drawn": path_of(SteppedOutline.sized(400, 300, drawn=True), 7),
    "circle, cut": path_of(SquareFigure("circle", 200, 200, 6.0, False), 3),
    "circle, drawn": path_of(SquareFigure("circle", 300, 300), 31),
    "rectangle, cut": path_of(SquareFigure("rectangle", 300, 200, 6.0, False), 105),
    "plate": composed(plate(Contour(Side.OUTSIDE, PLATE)), Corrections(2.0)),
    "clockwise arc": drawn("arc", (circle((50, 50), 30, anticlockwise=False),)),
}  # fmt: skip


@pytest.mark.parametrize("kind", ["gcode", "inches", "hpgl", "svg"])
@pytest.mark.parametrize("name", PATHS)
def test_the_dry_run_finds_just_the_lines_that_were_meant(name: str, kind: str) -> None:
    """Three readers and the path itself agree on where the tool is on, for every format."""
    path = PATHS[name].moved(60, 60)
    if kind == "svg":
        x0, y0, _, _ = path.extents()
        path = path.moved(10 - x0, 10 - y0)  # where a drawing's page has it
    text = {
        "gcode": lambda: write_gcode(path, CutSettings(bed=BED)), "hpgl": lambda: write_hpgl(path, 100.0),
        "inches": lambda: write_gcode(path, CutSettings(bed=BED, inches=True)), "svg": lambda: write_svg(path),
    }[kind]()  # fmt: skip
    run = read_back(text, Speeds(), 100.0)
    assert misfits(run, BED, path) == []
    moves = {"hpgl": lambda: read_hpgl(text, 100.0), "svg": lambda: read_svg(text)}.get(
        kind, lambda: read_gcode(text)
    )()
    down = [m for m in moves if m.z <= 0]
    box = run.extents
    assert (box.x, box.y) == pytest.approx((min(m.x for m in down), min(m.y for m in down)), abs=0.02)
    assert (box.x_high, box.y_high) == pytest.approx((max(m.x for m in down), max(m.y for m in down)), abs=0.02)
    once = sum(span.length for stroke in path.strokes for span in stroke.spans())
    assert run.length(on=True) >= once - 0.5
    if not path.cuts:
        assert run.length(on=True) == pytest.approx(once, rel=2e-3)
        assert len(run.lines) == len(path.strokes)


def test_a_file_that_was_tampered_with_is_seen_through() -> None:
    path = PATHS["stepped, cut"].moved(60, 60)
    good = write_gcode(path, CutSettings(bed=BED)).splitlines()

    def codes(lines: list[str]) -> set[str]:
        return {m.code for m in misfits(read_back("\n".join(lines), Speeds()), BED, path)}

    assert codes(good) == set()
    outline = [i for i, line in enumerate(good) if line.startswith("G1 X463")]
    assert "file_line_missing" in codes([line for i, line in enumerate(good) if i not in outline])
    assert "file_line_not_meant" in codes([*good[:30], "G1 X333 Y222", *good[30:]])
    assert "file_rapid_in_stock" in codes(
        [*good[: outline[0]], good[outline[0]].replace("G1", "G0"), *good[outline[0] :]]
    )
    assert "file_leaves_bed" in codes([*good[:-2], "G0 X1301 Y5", *good[-2:]])
    for broken in (good[:-1], [*good, "G0 X1"], [*good[:9], "X Y", *good[9:]], ["G90", "G1 X5", "M2"]):
        with pytest.raises(FileFormatError):
            read_back("\n".join(broken), Speeds())


@pytest.mark.parametrize(
    "text", ["IN;SP1;PD;AA1,2;", "IN;XX1;", "IN;PDa,b;", "<svg>", '<svg viewBox="0 0 9 9">\n<path d="C1 2"/></svg>']
)
def test_what_no_machine_understands_is_not_played(text: str) -> None:
    with pytest.raises(FileFormatError):
        read_back(text, Speeds())


def test_time_is_that_of_a_machine_that_has_to_get_going() -> None:
    """Half a metre at 3 m/min takes 10 s, and the ramps v/a; short moves never reach their feed; rapids go faster."""
    file = "G21 G90\nG0 Z5\nG1 Z-1 F3000\nG1 X500\n{}M2\n"
    slow, quick = (read_back(file.format(""), Speeds(acceleration=a)) for a in (100.0, 10_000.0))
    assert slow.seconds - 6 / (6000 / 60) == pytest.approx(10 + 50 / 100, abs=0.3)
    assert quick.seconds == pytest.approx(10, abs=0.3)
    there_and_back = "".join(f"G1 X{500 + k % 2}\n" for k in range(1, 101))
    more = read_back(file.format(there_and_back), Speeds(acceleration=100.0)).seconds - slow.seconds
    assert more == pytest.approx(100 * 2 * math.sqrt(1 / 100), rel=0.01)


def test_a_dry_run_knows_where_the_tool_is_at_any_time() -> None:
    run = read_back(write_gcode(PATHS["plate"].moved(60, 60), CutSettings(bed=BED)), Speeds())
    rng, last = random.Random(3), -1
    for seconds in sorted(rng.uniform(0, run.seconds) for _ in range(200)):
        done, (x, y) = run.at(seconds)
        step = run.steps[done]
        assert done >= last
        assert math.dist(step.a, (x, y)) + math.dist((x, y), step.b) == pytest.approx(step.far, abs=1e-6)
        last = done
    assert run.at(run.seconds + 9)[1] == run.steps[-1].b
    assert DryRun.of(()).at(1.0) == (0, (0.0, 0.0))


def test_layers_take_their_own_pens_and_travel_with_none_down() -> None:
    marks, lines = ((Stroke(((5.0, y), (45.0, y))),) for y in (10.0, 20.0))
    job = Job("two pens", (JobLayer(Does.MARK, marks, pen=2), JobLayer(Does.MARK, lines, pen=5)))
    text = write_hpgl(composed(job, Corrections()))
    seen = [(m.y, m.pen) for m in read_hpgl(text) if m.z <= 0]
    assert {pen for y, pen in seen if y == 10} == {2}
    assert {pen for y, pen in seen if y == 20} == {5}
    assert "PU;\nSP5;" in text  # never changes pens on the paper


def test_arcs_stay_arcs_in_every_format_that_has_them() -> None:
    path = PATHS["circle, drawn"].moved(60, 60)
    assert write_gcode(path, CutSettings(bed=BED)).count("G3 ") == 4
    assert write_hpgl(path).count("AA") == 4
    assert write_svg(path).count("A150.0000") == 4
    lines = ezdxf.read(io.StringIO(write_dxf(path))).modelspace().query("LWPOLYLINE")
    bulges = [p[4] for line in lines for p in line.get_points() if p[4]]
    assert bulges == pytest.approx([math.tan(math.pi / 8)] * 4)
    flicked = with_flicks(path).strokes[-1]
    assert flicked.arcs[0].end == path.strokes[-1].arcs[0].end + 1


def test_the_record_says_who_compensated(shop: Shop) -> None:
    from keen_compass.practice.playing import cut as cut_on_stand_in
    from keen_compass.reports.record import _made_with
    from keen_compass.rounds import RoundSession

    session = RoundSession.begin(shop, shop.machine("heron"), "rectangle")
    cut_on_stand_in(session)
    piece = session.context.piece
    assert piece is not None
    assert shop.pieces(session.context.kept.id)[-1].snapshot.applied == {"compensation": "file"}
    assert "compensated by the file" in _made_with(session, piece)
    assert piece.snapshot.same_making(replace(piece.snapshot, applied={}))


def test_the_file_is_played_on_the_bed_by_keyboard(qtbot: QtBot, shop: Shop) -> None:
    window = opened(qtbot, shop)
    window.show_rose("heron")
    window.begin("rectangle")
    bar = window.findChild(DryRunBar)
    assert "of lines" in bar.said.text()
    tab_to("Progress of the dry run")
    press(Qt.Key.Key_PageDown if bar.slider.invertedControls() else Qt.Key.Key_PageUp)
    assert " of " in bar.said.text()
    press(Qt.Key.Key_End)
    assert bar.said.text().endswith(("tool off", "on the way"))
    before = window.grab().toImage()
    press(Qt.Key.Key_Home)
    assert "of lines" in bar.said.text()
    assert window.grab().toImage() != before
    tab_to("Size of the piece")
    press(Qt.Key.Key_Right)  # another file
    assert bar.slider.value() == 0
    tab_to("Dry run")
    press(Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: bar.slider.value() > 20)
    assert focus() == "Hold"
    press(Qt.Key.Key_Space)
    held = bar.slider.value()
    qtbot.wait(120)
    assert bar.slider.value() == held
