"""Blade rows: the path that leads a trailing blade, squares through files, picks under foreign physics, the window."""

from __future__ import annotations

import math
import random
import sys
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from shapely import LineString, MultiPolygon, Polygon

from driving import choose, click, press, shown, states
from keen_compass.app.window import MainWindow
from keen_compass.errors import PieceError
from keen_compass.formats.drawings import write_svg
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.formats.piece_picture import read_piece
from keen_compass.machines.forms import TRAILS, machine_fields, read_machine
from keen_compass.pieces.blade import led
from keen_compass.pieces.blade_row import SIDE, BladeRow
from keen_compass.pieces.job import Contour, Corrections, composed
from keen_compass.pieces.parts import parts_of
from keen_compass.pieces.toolpath import Stroke
from keen_compass.pieces.where import Closes
from keen_compass.practice.playing import correct_all, cut, read_all
from keen_compass.practice.whole_rounds import run
from keen_compass.procedures import load
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.standing import State
from keen_compass.solve.corners import trailing
from keen_compass.standin.blade import corners_of, tip_of
from keen_compass.standin.router import Router
from keen_compass.standin.scan import Glass, scanned
from keen_compass.standin.truth import Truth
from looks import check_looks, settle
from said import solved

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))
from scanner_pieces import dragged, followed, late

Point = tuple[float, float]
VALUES = (0.1, 0.15, 0.2, 0.25, 0.3, 0.35, 0.4)


def off_the_line(p: Point, corners: list[Point]) -> float:
    """mm from a point to a polyline."""
    best = math.inf
    for (ax, ay), (bx, by) in pairwise(corners):
        t = ((p[0] - ax) * (bx - ax) + (p[1] - ay) * (by - ay)) / math.dist((ax, ay), (bx, by)) ** 2
        t = min(max(t, 0.0), 1.0)
        best = min(best, math.dist(p, (ax + t * (bx - ax), ay + t * (by - ay))))
    return best


@settings(max_examples=25)
@given(st.lists(st.tuples(st.floats(4.0, 15.0), st.floats(-2.6, 2.6)), min_size=2, max_size=7), st.floats(0.08, 0.6))
def test_a_blade_that_is_led_round_its_corners_stays_on_the_line(edges: list[tuple[float, float]], f: float) -> None:
    corners, angle = [(0.0, 0.0)], 0.0
    for long, turn in edges:
        angle += turn
        x, y = corners[-1]
        corners.append((x + long * math.cos(angle), y + long * math.sin(angle)))
    stroke = led(Stroke(tuple(corners)), f)
    tip = dragged(list(stroke.flat()), f, begins=edges[0][1])
    assert max(off_the_line(p, corners) for p in tip) < 0.02
    for corner in corners[1:-1]:  # and comes to every corner
        assert min(math.dist(p, corner) for p in tip) < 0.02
    wrong = dragged(list(stroke.flat()), 2.0 * f, begins=edges[0][1])
    if max(abs(turn) for _, turn in edges[1:]) > 0.6:  # the same path, and a blade that trails twice as much
        assert max(min(math.dist(p, c) for p in wrong) for c in corners[1:-1]) > 0.1 * f


def test_what_no_blade_can_follow_is_refused() -> None:
    row = BladeRow(VALUES, 0.5)
    assert composed(row.job(1), Corrections()).applied == {"drag": "file"}
    squares = composed(row.job(1), Corrections()).layers[1].strokes
    with pytest.raises(PieceError, match="straight"):
        led(squares[0], 0.2)
    with pytest.raises(PieceError, match="one place"):
        led(Stroke(((0, 0), (0, 0), (1, 0))), 0.2)
    assert led(Stroke(((0, 0), (1, 0))), 0.0).points == ((0, 0), (1, 0))
    for wrong in ((VALUES, 9.0), ((0.1,), 0.0), ((0.2, 0.1), 0.0), ((1.0, 7.0), 0.0), (tuple(range(41)), 0.0)):
        with pytest.raises(PieceError):
            BladeRow(*wrong)


def made(file: str, **faults: Any) -> Any:
    still: dict[str, Any] = {"motion": {}, "lost_motion": {}, "kerf": 0.0, "scatter": 0.0,
                             "instrument_error": (0.0, 0.0), "repeat": 0.0}  # fmt: skip
    return Router(Truth(**still | faults), {}, 1).make(file)


@pytest.mark.parametrize("write", [write_hpgl, write_svg])
@pytest.mark.parametrize("f", [0.12, 0.25, 0.37])
def test_the_square_closes_that_was_cut_for_its_blade(write: Any, f: float) -> None:
    row = BladeRow((*VALUES, 0.5, 0.7, 1.0, 1.5), 1.0)  # more than one line of them
    path = composed(row.job(4), Corrections()).moved(20, 20)
    lines = made(write(path)).lines
    off = [corners_of(tip_of(lines[row.order_of(i)], f)) for i in range(len(row.values))]
    for value, corners in zip(row.values, off, strict=True):
        for corner in corners:
            assert corner == pytest.approx(value - f, abs=0.03 + 0.4 * abs(value - f))
            assert abs(corner) < 0.02 or (corner > 0) is (value > f)
    boxes = [row.box(i) for i in range(len(row.values))]
    assert all(not a.overlaps(b, 4.0) for i, a in enumerate(boxes) for b in boxes[:i])
    assert {round(b.width, 6) for b in boxes} == {SIDE}


@pytest.mark.heavy
def test_what_closes_best_is_found_under_foreign_physics() -> None:
    """Blades of any trail, play that is left in both axes and over-compensated, unlike steps, an eye that errs, squares
    of files in whole plotter units. What is wanted is the offset at which corners really close on that machine."""
    rng, hits, told, false_in, total = random.Random(17), 0, 0, 0, 120
    for _ in range(total):
        f, step = rng.uniform(0.18, 0.34), rng.choice((0.05, 0.02, 0.04))
        play = {"x": rng.uniform(0, 0.06), "y": rng.uniform(0, 0.06)}
        middle = f + rng.uniform(-2, 2) * step
        values = [round(max(middle - step * 3, 0.01) + step * i, 3) for i in range(7)]
        row = BladeRow(tuple(values), 0.5)
        file = write_hpgl(composed(row.job(1), Corrections()).moved(10, 10), 40.0)
        lines = made(file, lost_motion=play).lines
        off = [sum(corners_of(tip_of(lines[row.order_of(i)], f))) / 4 for i in range(7)]
        closes = next((v + (b - v) * (0 - p) / (q - p) for v, b, p, q in
                       zip(values, values[1:], off, off[1:], strict=False) if p <= 0 < q), None)  # fmt: skip
        if closes is None:
            continue
        seen = [abs(v + rng.gauss(0, 0.01)) for v in off]
        best = sorted(range(7), key=seen.__getitem__)[:2]
        pick = best[0] + 1.0
        if abs(best[0] - best[1]) == 1 and abs(seen[best[0]] - seen[best[1]]) < 0.25 * step:
            pick = (best[0] + best[1]) / 2 + 1
        held = round(closes + rng.choice((-1, 1)) * rng.uniform(0, 0.12), 3)
        (found,) = solved({
            "procedure": "drag-blade", "machine": {"values": {"drag": held}, "decimals": 3},
            "piece": {"values": values, "overcut": 0.5}, "tolerance": 0.05,
            "readings": [{"measurand": "pick", "values": [pick]}],
        })["findings"]  # fmt: skip
        error, told = held - closes, told + 1
        hits += abs(found["error"] - error) <= found["expanded_uncertainty"]
        false_in += found["verdict"] == "in" and abs(error) > 0.05
    assert told > 0.85 * total
    assert hits >= 0.93 * told, (hits, told)
    assert false_in <= 0.02 * total


def test_second_rounds_on_stand_ins_are_in() -> None:
    for seed in range(6):
        practice = run("drag-blade", seed, None, None)
        assert [str(f.verdict) for f in practice.rounds[-1].solution.findings] == ["in"]
        assert len(practice.rounds) <= 2
        assert abs(practice.error("drag")) < 0.08  # play rounds corners, too


# In the window


def test_by_mouse_and_keyboard_the_square_that_closes_is_picked_corrected_and_confirmed(window: MainWindow) -> None:
    window.show_rose("swift")
    window.begin("drag-blade", "drag")
    page = window.round_page
    assert page is not None
    session = page.model.session
    assert session.context.tool.name == "Drag knife"
    assert "First set Swift’s blade offset to 0" in shown(page)
    choose("How many", "11")
    assert len(session.making.next_piece().values) == 11
    choose("How many", "7")
    click(page, "Practice cut")
    surface = page.measure.surface
    for size in ((1280, 800), (1024, 700)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    # Between the second and the third.
    box = surface._box(1)
    between = (box.center() + surface._box(2).center()) / 2
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=between.toPoint())
    assert page.measure.surface.current_edit().text() == "2.5"
    QTest.mouseClick(surface, Qt.MouseButton.LeftButton, pos=surface._box(0).center().toPoint())
    press(Qt.Key.Key_Return)
    (finding,) = session.measuring.findings()
    assert finding.verdict is Verdict.CANNOT_TELL  # the first of the row: it may lie beyond
    press(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    press(Qt.Key.Key_F8)
    (finding,) = session.measuring.findings()
    assert finding.subject.tool == "drag-knife"
    before = session.context.piece.parameters["values"]
    press(Qt.Key.Key_1, modifier=Qt.KeyboardModifier.AltModifier)
    assert session.making.parameters()["values"] == before
    choose("How many", "11")
    assert len(session.making.parameters()["values"]) == 11  # the next of this round goes beyond it
    choose("How many", "7")
    press(Qt.Key.Key_2, modifier=Qt.KeyboardModifier.AltModifier)
    click(page, "To Correct")
    if not session.correcting.enters(finding):
        click(page.correct.cards["drag"], "Use new")
    correct_all(session)
    click(page, "To Confirm")
    cut(session)
    read_all(session)
    row = session.context.piece.parameters["values"]
    assert row[3] == pytest.approx(finding.new)  # about what is held by now
    settle()
    assert [f.verdict for f in session.measuring.findings()] == [Verdict.IN]
    session.sign()
    assert states(window.shop, "swift", ("drag",)) == [State.IN]


def test_only_machines_with_a_blade_that_trails_have_one(window: MainWindow) -> None:
    assert "drag" in window.shop.machine("swift").quantities
    assert "drag" not in window.shop.machine("kingfisher").quantities
    assert load("drag-blade").yields == ("drag",)
    shop, kingfisher = window.shop, window.shop.machine("kingfisher")
    fields = machine_fields(kingfisher, {q: v.stored for q, v in shop.values("kingfisher").items()})
    for marks, trails in ((TRAILS, True), ("draws or scribes", False)):
        changed, _, wrong = read_machine(fields | {"tool_marks": marks}, kingfisher.standpoint, kingfisher)
        assert (wrong, changed is not None) == ({}, True)
        shop.put_machine(changed)  # type: ignore[arg-type]
        kept = shop.machine("kingfisher")
        assert (kept.tool.trails, "drag" in kept.quantities) == (trails, trails)  # type: ignore[union-attr]
        assert machine_fields(kept, {})["tool_marks"] == marks


@pytest.mark.parametrize(("trails", "play", "stays"), [(0.31, 0.0, False), (0.52, 0.04, True), (0.74, 0.02, False)])
def test_the_corner_that_closes_is_seen_in_a_scan(trails: float, play: float, stays: bool) -> None:
    """Lifted out of film, cut by a blade that follows its own equation on axes with play, scanned somehow."""
    row = BladeRow(tuple(round(trails - 0.17 + 0.05 * i, 3) for i in range(7)), 1.0)
    squares = []
    for item in (item for layer in row.job(1).layers for item in layer.items if isinstance(item, Contour)):
        tip = dragged(late(followed(item), (play, play)), trails)
        hole = Polygon(LineString([*tip, tip[0]]).buffer(0.01).exterior).buffer(-0.01)
        sides = hole.buffer(-1, join_style="mitre").minimum_rotated_rectangle.buffer(1, join_style="mitre")
        hole = hole.intersection(sides) if stays else hole
        squares.append(max(getattr(hole, "geoms", [hole]), key=lambda part: part.area))
    film = MultiPolygon(squares).envelope.buffer(9, join_style="mitre")
    data = scanned(Polygon(film.exterior, [s.exterior for s in squares]), Glass(dpi=400), round(100 * trails))
    where = {"pick": Closes(tuple(range(7)), row.values)}
    seen = read_piece(data, parts_of(row.job(1)), where, "scan")
    assert row.at(seen.picks["pick"]) == pytest.approx(trails, abs=0.03)


def test_nothing_is_picked_where_corners_do_not_tell() -> None:
    taken = (0.1, 0.15, 0.2, 0.25, 0.3)
    exact = [math.pi / 4 * (v * v - 0.23**2) for v in taken]
    assert trailing(taken, exact) == pytest.approx(0.23)
    assert trailing(taken, [min(A, 0.0) for A in exact]) == pytest.approx(0.23)
    assert trailing(taken[3:], exact[3:]) == pytest.approx(0.23)  # all of them taken for more
    assert trailing(taken, [0.0] * 5) is None
    assert trailing(tuple(v / 10 for v in taken), exact) is None  # steps that fine
