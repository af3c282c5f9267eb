"""Sheets and cut pieces read from pictures: against where the tool really drew, and what pieces really are.

The pictures are made by physics that the readers don't have (`standin/photo.py`, `bench/scanner_pieces.py` for many
more): perspective and lens, blur, noise, compression, shadows, dust, a scanner's own scales.
"""

from __future__ import annotations

import io
import json
import math
import random
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter

from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.formats.pages import write_page
from keen_compass.formats.pattern_picture import read_pattern
from keen_compass.formats.piece_picture import read_piece
from keen_compass.formats.sheet_picture import SeenSheet, read_sheet
from keen_compass.pieces.page import Page, cut_ticks, sheet
from keen_compass.pieces.parts import parts_of
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.procedures.seen import Found, bars_of, inside_of, readings_of, sizes_of, sought_on
from keen_compass.quantities.uncertainty import K_95
from keen_compass.solve.scanner import Known, Scanner, calibrated
from keen_compass.solve.sheet_map import SheetMap, fitted
from keen_compass.standin.photo import Camera, Ink, Paper, blank, drawn_on, printed, taken

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))
from sheet_pictures import one

SIZE = (140.0, 150.0)  # mm, the smallest sheet: pictures of it are made soonest
PEN, RED, KNIFE = Ink(), Ink((0.8, 0.1, 0.1), 0.8, 0.3), Ink((0.3, 0.3, 0.3), 0.4, 0.12, 0.004, 0.7, 0.0, 0.25)
PHONE = Camera(7.0, 11.0, (9.0, -7.0), 1.6, 0.02, light=0.2, shadow=0.3, dust=15)
SCAN = Camera(7.0, 90.7, blur=0.7, noise=1.5, stretch=0.003, waves=0.1, quality=92, dust=20)
Offsets = list[tuple[float, float] | None]


def picture_of(page: Page, offsets: Offsets, ink: Ink, camera: Camera, seed: int = 1) -> bytes:
    """The page with a cross so far beside each target (mm on the paper, Y up), or none, as a camera takes it."""
    blank = printed(write_page(page, ("Targets", "Words about it")), camera.px_per_mm)
    return taken(with_crosses(blank, page, offsets, ink, seed), camera, seed)


def with_crosses(blank: Paper, page: Page, offsets: Offsets, ink: Ink, seed: int) -> Paper:
    lines = [
        [(x + e[0], y + e[1]) for x, y in map(page.on_paper, stroke)]
        for target, e in zip(page.targets, offsets, strict=True)
        if e is not None
        for stroke in page.drawn_at(target)[:2]
    ]
    return drawn_on(blank, lines, ink, seed)


def check(seen: SeenSheet, offsets: Offsets, within: float) -> None:
    for found, e in zip(seen.beside, offsets, strict=True):
        if e is None:
            assert found is None  # nothing that isn't the tool's
        else:
            assert found is not None
            assert all(abs(found.at[k] - e[k]) <= max(1.3 * found.U[k], within / 2) for k in (0, 1))
            assert math.dist(found.at, e) <= within
            assert 0.01 < max(found.U) < 3 * within


@pytest.mark.parametrize(
    ("ink", "camera", "far", "fine"),
    [
        (PEN, PHONE, 0.3, False),
        (RED, PHONE, 2.4, False),
        (Ink((0.12, 0.12, 0.12), 0.9, 0.4), SCAN, 5.5, False),
        (PEN, SCAN, 0.9, True),
        (KNIFE, Camera(11.0, 3.0, (6.0, 4.0), blur=1.0, noise=2.0), 1.5, False),
    ],
)
def test_crosses_beside_targets_are_found_to_hundredths(ink: Ink, camera: Camera, far: float, fine: bool) -> None:
    rng = random.Random(f"{ink}{far}")
    page = sheet("pointer", SIZE, 12, targets=True, fine=fine)
    offsets: Offsets = [(rng.uniform(-far, far), rng.uniform(-far, far)) for _ in page.targets]
    offsets[rng.randrange(5)] = None
    seen = read_sheet(picture_of(page, offsets, ink, camera), page, "picture")
    check(seen, offsets, 0.06)
    assert seen.found >= 8
    assert seen.map.affine is (camera is SCAN)
    assert not seen.map.mirrored(SIZE)


def test_an_opaque_pen_over_the_print_hides_it_and_is_found_all_the_same() -> None:
    page = sheet("pointer", SIZE, 3, targets=True)
    offsets: Offsets = [(0.2, 0.05), (-0.15, 0.0), (0.0, 0.1), (0.1, -0.1), (0.05, 0.02)]
    seen = read_sheet(picture_of(page, offsets, Ink((0.95, 0.5, 0.1), 0.9, 0.45), PHONE), page, "picture")
    check(seen, offsets, 0.06)


def test_upside_down_part_of_it_from_behind_and_not_flat() -> None:
    page = sheet("pointer", SIZE, 4, targets=True, down=True)  # of a machine whose Y runs down the paper
    offsets: Offsets = [(0.5, -0.4)] * 5
    down = read_sheet(picture_of(page, offsets, PEN, Camera(7.0, 183.0)), page, "picture")
    check(down, offsets, 0.05)
    assert abs(math.degrees(down.map.turn(SIZE))) > 170
    pointer = load("pointer")
    read = readings_of(pointer, pointer.piece(pointer.on_page(page)), page, Found(down.beside, {}, 0.01))
    assert {r.measurand: round(r.mm, 1) for r in read.read}["t2_y"] == pytest.approx(0.4)  # along the machine's Y
    behind = read_sheet(picture_of(page, offsets, PEN, Camera(7.0, 2.0, mirrored=True)), page, "picture")
    check(behind, offsets, 0.05)
    assert behind.map.mirrored(SIZE)
    part = Camera(7.0, 1.0, cut=(0.0, 0.0, 0.0, 0.48))  # without one edge and what is drawn beside it
    some = read_sheet(picture_of(page, offsets, PEN, part), page, "picture")
    assert 2 <= sum(b is not None for b in some.beside) < 5
    check(some, [o if b else None for o, b in zip(offsets, some.beside, strict=True)], 0.05)
    curled = read_sheet(picture_of(page, offsets, PEN, Camera(7.0, 1.0, curl=25.0)), page, "picture")
    assert [n.code for n in curled.notes] in ([], ["picture.not_flat"])
    check(curled, [o if b else None for o, b in zip(offsets, curled.beside, strict=True)], 0.08)


@pytest.mark.parametrize(
    ("ink", "camera"), [(PEN, PHONE), (KNIFE, replace(SCAN, px_per_mm=11.8)), (RED, replace(SCAN, turn=181.0))]
)
def test_ticks_far_apart_are_read_by_check_bars_that_were_measured(ink: Ink, camera: Camera) -> None:
    """A printer that is 0.6 % long along X: its bar says so; the picture alone takes that for millimetres."""
    procedure = load("print-scale")
    page = sheet("print-scale", SIZE, 6, targets=True)
    parameters = procedure.on_page(page)
    piece = procedure.piece(parameters)
    wider = {"x": 0.35, "y": -0.22}  # mm on the paper as it was printed, of what lies between the ticks
    lines = []
    for axis, (first, last) in cut_ticks(SIZE).items():
        for tick, more in ((first, 0.0), (last, wider[axis])):
            dx, dy = (more + 0.4, 0.0) if axis == "x" else (0.0, more - 0.3)
            lines.append([(x + dx, y + dy) for x, y in tick])
    blank = printed(write_page(page, ("Over", "Words")), max(camera.px_per_mm, 10.0))
    data = taken(drawn_on(blank, lines, ink, 5), camera, 5)
    seen = read_sheet(data, page, "picture", sought_on(procedure, piece, page))
    found = Found(seen.beside, seen.lines, seen.residual_px / seen.px_per_mm)
    assert {"x", "y"} <= set(readings_of(procedure, piece, page, found).missed)
    bars = bars_of({**parameters, "bars": [nominal * 1.006 if i == 0 else nominal for i, nominal in enumerate(
        page.bar_lengths)]}, 0.05)  # fmt: skip
    read = {r.measurand: r for r in readings_of(procedure, piece, page, found, bars).read}
    for axis, scale in (("x", 1.006), ("y", 1.0)):
        r = read[axis]
        assert r.mm == pytest.approx((piece.nominal(axis) + wider[axis]) * scale, abs=r.U)
        assert 0.03 < r.U < 0.2


def test_a_line_that_is_not_there_is_not_found_and_two_are_one_too_many() -> None:
    procedure, page = load("print-scale"), sheet("print-scale", SIZE, 6, targets=True)
    piece = procedure.piece(procedure.on_page(page))
    (first, last), _ = cut_ticks(SIZE).values()
    twice = [first, last, tuple((x + 1.2, y) for x, y in last)]
    blank = printed(write_page(page, ("Over", "Words")), 10.0)
    data = taken(drawn_on(blank, twice, PEN, 5), SCAN, 5)
    lines = read_sheet(data, page, "picture", sought_on(procedure, piece, page)).lines
    assert lines["x"][0] is not None
    assert lines["x"][1] is None
    assert lines["y"] == (None, None)


def test_a_border_is_not_read_from_print_that_is_elsewhere_than_its_marks_say() -> None:
    """Three marks of a sheet that was taken aslant make a map that is off by a millimetre."""
    outcomes = [f[0] for f in one(("borders, phone, 6 px/mm", 298))]  # its edges believed: one is off by 1.8 mm
    assert "read" in outcomes
    assert "false" not in outcomes


def two_tools(d: tuple[float, float], camera: Camera, *, without: str = "") -> SeenSheet:
    """A knife's cross with pairs of a pen astride it, which sits so far elsewhere, as a camera takes it."""
    procedure = load("second-tool")
    piece = procedure.piece(procedure.usual_piece())
    wide, high = (side + 20.0 for side in piece.footprint())
    film = blank((wide, high), max(camera.px_per_mm, 15.0))
    for second, ink in ((False, KNIFE), (True, PEN)):
        moved = (10.0 + second * d[0], 10.0 + second * d[1])
        lines = [
            [(x + moved[0], y + moved[1]) for x, y in ends]
            for name, ends in piece.named()
            if name.startswith("cut") is not second and not (without and name.startswith(without))
        ]
        film = drawn_on(film, lines, ink, 7)
    pattern = procedure.pattern(piece)
    assert pattern is not None
    return read_pattern(taken(film, camera, 3), pattern, sought_on(procedure, piece, None), "picture")


@pytest.mark.parametrize(
    ("d", "camera"),
    [
        ((0.42, -0.31), replace(PHONE, px_per_mm=12.0)),
        ((-2.6, 1.9), Camera(14.0, 201.0, (-8.0, 6.0), 1.7, -0.015, light=0.3, dust=20)),
        ((0.0, 2.9), replace(SCAN, px_per_mm=11.8, turn=271.0)),
    ],
)
def test_gaps_between_two_tools_are_read_whichever_way_they_lie(d: tuple[float, float], camera: Camera) -> None:
    procedure = load("second-tool")
    piece, seen = procedure.piece(procedure.usual_piece()), two_tools(d, camera)
    read = {r.measurand: r for r in readings_of(procedure, piece, None, Found((), seen.lines, 0.0)).read}
    for k, axis in enumerate("xy"):
        for side, way in (("high", 1), ("low", -1)):
            r = read[f"{axis}_{side}"]
            assert r.mm == pytest.approx(piece.nominal("") + way * d[k], abs=r.U)
            assert 0.02 < r.U < 0.06
    assert seen.map.px_per_mm(seen.middle) == pytest.approx(camera.px_per_mm, rel=0.05)


def test_what_has_no_cross_with_pairs_is_refused() -> None:
    for without in ("cut_x", "high_x", "low_y"):
        with pytest.raises(InputError, match="no cross with pairs"):
            two_tools((0.4, 0.2), SCAN, without=without)
    page = sheet("pointer", SIZE, 5, targets=True)
    procedure = load("second-tool")
    piece = procedure.piece(procedure.usual_piece())
    pattern = procedure.pattern(piece)
    assert pattern is not None
    with pytest.raises(InputError, match="no cross with pairs"):
        read_pattern(picture_of(page, [(0.5, -0.4)] * 5, PEN, PHONE), pattern, {}, "sheet.jpg")


def test_hairs_words_and_single_lines_are_no_cross() -> None:
    page = sheet("pointer", SIZE, 5, targets=True)
    blank = printed(write_page(page, ("Targets",)), 7.0)
    rng, lines = random.Random(8), []
    for x, y in map(page.on_paper, page.targets):
        a = rng.uniform(0.35, 1.2)  # along neither axis
        lines.append([(x - 7 * math.cos(a), y - 7 * math.sin(a)), (x + 7 * math.cos(a), y + 7 * math.sin(a))])
        steep = [rng.uniform(2.0, 5.0) for _ in range(7)]  # a scribble, along neither
        lines.append([(x - 4 + 1.2 * i, y + (-1) ** i * h) for i, h in enumerate(steep)])
        lines.append([(x + 1.0, y - 6.0), (x + 1.0, y + 6.0)])  # one stroke alone
    seen = read_sheet(taken(drawn_on(blank, lines, Ink(width=0.15), 3), PHONE, 3), page, "picture")
    assert seen.beside == (None,) * 5


@settings(max_examples=40)
@given(st.integers(0, 10**6))
def test_the_map_is_found_whatever_it_is(seed: int) -> None:
    """Perspective and a lens, noise of a tenth of a pixel, one place found wrongly."""
    rng = np.random.default_rng(seed)
    a, s = rng.uniform(0, math.tau), rng.uniform(3, 12)
    H = np.array([[s * math.cos(a), s * math.sin(a), 900.0], [s * math.sin(a), -s * math.cos(a), 1100.0], [0, 0, 1.0]])
    H[2, :2] = rng.uniform(-6e-4, 6e-4, 2)
    shape = (2200, 1800)
    true = SheetMap(H, rng.uniform(-0.03, 0.03), np.array([900.0, 1100.0]), math.hypot(*shape) / 2)
    grid = [(x, y) for x in (-65.0, -20.0, 20.0, 65.0) for y in (-65.0, -20.0, 20.0, 65.0)]
    places = np.array(grid) + rng.uniform(-5, 5, (16, 2))  # spread over the sheet, as marks and targets are
    pixels = true.to_picture(places) + rng.normal(0, 0.1, (16, 2))
    pixels[3] += (25.0, -18.0)
    found = fitted(places, pixels, shape)
    inside = rng.uniform(-50, 50, (30, 2))
    off = np.hypot(*(found.map.to_picture(inside) - true.to_picture(inside)).T)
    assert np.median(off) < 0.35
    assert found.left_out[3]
    assert np.abs(found.map.to_sheet(found.map.to_picture(inside)) - inside).max() < 1e-6


def run(capsys: pytest.CaptureFixture[str], *words: str) -> tuple[int, Any, str]:
    code = main([str(w) for w in words])
    out = capsys.readouterr()
    return code, json.loads(out.out) if out.out else None, out.err


def test_from_the_printed_page_to_the_number(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    geometry, pdf, photo = tmp_path / "sheet.json", tmp_path / "sheet.pdf", tmp_path / "photo.jpg"
    paper = ("--size", f"{SIZE[0]:g}x{SIZE[1]:g}", "--format", "pdf", "--geometry", geometry, "-o", pdf)
    assert run(capsys, "piece", "pointer", *paper)[0] == 0
    said = json.loads(geometry.read_text())
    blank, e = printed(pdf.read_bytes(), 7.0), (0.62, -0.35)
    lines = [[(x + e[0], y + e[1]) for x, y in s] for d in said["drawn"][:4] for s in d["strokes"]]
    photo.write_bytes(taken(drawn_on(blank, lines, RED, 2), PHONE, 2))
    code, read, _ = run(capsys, "read-sheet", photo, "--geometry", geometry, "--json")
    assert code == 0
    assert [r["measurand"] for r in read["readings"]] == [f"t{i}_{a}" for i in range(1, 5) for a in "xy"]
    assert read["missed"] == ["t5_x", "t5_y"]
    assert read["map"]["kind"] == "projective"
    assert not read["map"]["mirrored"]
    assert read["map"]["px_per_mm"] == pytest.approx(7.0, rel=0.08)
    assert read["map"]["turn_deg"] == pytest.approx(11.0, abs=3)
    targets = [t["at"] for t in said["targets"]]
    case = {
        "procedure": "pointer",
        "machine": {"values": {"pointer_x": 30.0, "pointer_y": 5.0}, "decimals": 3},
        "piece": {"way": "sheet", "targets": targets, "secondary": "pointer"},
        "readings": read["readings"],
        "tolerance": 0.3,
    }
    (tmp_path / "case.json").write_text(json.dumps(case))
    _, solved, _ = run(capsys, "solve", tmp_path / "case.json")
    for f, off in zip(solved["findings"], e, strict=True):
        assert f["error"] == pytest.approx(off, abs=0.02)
        assert not {"repeats"} & {a["what"] for a in f["assumed"]}  # the picture says what it is worth
    assert run(capsys, "read-sheet", photo, "--geometry", geometry, "--bars", "100", "x")[0] == 2
    other = tmp_path / "other.json"
    other.write_text(json.dumps(said | {"sheet": said["sheet"] | {"number": 2}}))
    assert "shows pointer 1, not pointer 2" in run(capsys, "read-sheet", photo, "--geometry", other)[2]
    Image.new("RGB", (900, 700), "white").save(tmp_path / "white.png")
    (tmp_path / "broken.jpg").write_bytes(photo.read_bytes()[:9000])
    Image.open(photo).resize((220, 240)).save(tmp_path / "tiny.png")
    for name, words in (("white.png", "no sheet"), ("broken.jpg", "whole|damaged"), ("tiny.png", "too small|no sheet")):
        code, _, err = run(capsys, "read-sheet", tmp_path / name, "--geometry", geometry)
        assert code == 2
        assert any(w in err for w in words.split("|"))
        assert len(err.splitlines()) == 1
    other.write_text(json.dumps({k: v for k, v in said.items() if k != "axes"}))
    assert run(capsys, "read-sheet", photo, "--geometry", other)[::2] == (2, "keen-compass: axes: missing\n")


def test_what_a_reading_is_known_to_takes_the_place_of_the_instrument() -> None:
    body = load("rectangle").example()

    def solved(U: object, **more: Any) -> dict[str, float]:
        readings = [{**r, **({} if U is None else {"uncertainty": U})} for r in body["readings"]]
        case = case_from_json({**body, **more, "readings": readings})
        return {f.quantity: f.expanded_uncertainty or 0.0 for f in load("rectangle").solve(case).findings}

    rough, close, usual = solved(0.8), solved("0.2 mm"), solved(None)
    assert all(rough[q] > close[q] for q in usual)
    poor = {"instrument": {"resolution": 1.0, "permissible_error": [0.5, 0.001], "kind": "caliper"}}
    assert solved(0.2, **poor) == pytest.approx(close)  # whatever it might have been read with
    for bad, place in ((0, "readings[0].uncertainty"), ("much", "readings[0].uncertainty")):
        with pytest.raises(InputError) as refused:
            solved(bad)
        assert refused.value.place == place
    comb = load("kerf-ladder").example()
    picked = {"measurand": "pick", "values": [2], "uncertainty": 0.1}
    with pytest.raises(InputError, match="is for lengths"):
        case_from_json({**comb, "readings": [picked]})


# Pieces on a scanner's glass


def scan(
    piece: Any, real: dict[str, float], scanner: Scanner, turn: float, *, light: bool = False, flip: bool = False
) -> bytes:
    """A plate of these real sizes on the glass, as a scanner with these scales sees it."""
    finer, ground, body = 4, (22, 215) if light else (243, 60), None
    dark, bright = ground
    c, s, (sx, sy) = math.cos(turn), math.sin(turn), scanner.mm_per_px
    w, h = round(130 / sx), round(130 / sy)
    picture = Image.new("L", (w * finer, h * finer), dark)
    draw = ImageDraw.Draw(picture)
    sizes = {m: v for m, v in real.items() if m in ("width", "height")}
    for i, ring in enumerate((piece.outline(**sizes), *piece.inner(**real))):
        q = (np.array(ring) - np.array([piece.width, piece.height]) / 2) * ((-1 if flip else 1), 1)
        x, y = c * q[:, 0] - s * q[:, 1], s * q[:, 0] + c * q[:, 1]
        u, v = (x - scanner.skew * y) / sx + w / 2, h / 2 - y / sy
        corners = [(float(a * finer), float(b * finer)) for a, b in zip(u, v, strict=True)]
        draw.polygon(corners, fill=bright if i == 0 else dark)
    assert body is None
    grey = np.asarray(picture, float).reshape(h, finer, w, finer).mean((1, 3))
    noise = np.random.default_rng(abs(round(1000 * turn))).normal(0, 2.0, grey.shape)
    out = io.BytesIO()
    seen = np.clip(gaussian_filter(grey, 0.8) + noise, 0, 255).astype(np.uint8)
    Image.fromarray(seen).save(out, "JPEG", quality=92, dpi=(300, 300))
    return out.getvalue()


PLATE = {"width": 92, "height": 70, "hole": 24, "slot": 11, "compensation": 2, "thickness": 2}
REAL = {"width": 92.34, "height": 69.81, "hole_0": 23.72, "hole_90": 23.76, "slot": 10.88}
TRUE = Scanner((25.4 / 300 * 1.0021, 25.4 / 300 * 0.9968), 0.0006)


@pytest.mark.parametrize(("turn", "light"), [(4.0, False), (94.0, True), (181.0, False), (-33.0, False)])
def test_a_scanner_that_was_calibrated_measures_a_piece(turn: float, light: bool) -> None:
    procedure = load("kerf-square")
    first, second = procedure.piece(PLATE), procedure.piece({**PLATE, "width": 78, "height": 64.5, "hole": 18})
    lines, inside = sizes_of(procedure, first, below=False), inside_of(procedure, first)
    seen = read_piece(scan(first, REAL, TRUE, math.radians(2.0)), parts_of(first.job(1)), lines, "scan")
    known = [Known(s.u, s.v, s.u_px, REAL[m], 0.03, m in inside) for m, s in seen.sizes.items() if s]
    assert len(known) == 5
    scanner = calibrated(known, 25.4 / 300)
    for found, true in zip(scanner.mm_per_px, TRUE.mm_per_px, strict=True):
        assert abs(found / true - 1) <= scanner.U[1] < 0.002
    real = {"width": 78.21, "height": 64.66, "hole_0": 18.15, "hole_90": 18.15, "slot": 11.07}
    picture = scan(second, real, TRUE, math.radians(turn), light=light)
    seen = read_piece(picture, parts_of(second.job(1)), sizes_of(procedure, second, below=False), "scan")
    for m, size in seen.sizes.items():
        assert size is not None
        mm = scanner.length(size.u, size.v, inside=m in inside)
        U = math.hypot(K_95 * size.u_px * scanner.mm_per_px[0], scanner.U_at(mm))
        assert abs(mm - real[m]) <= min(1.2 * U, 0.05)
        assert U < 0.12


def test_pieces_by_command(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    piece, picture, case, record = (tmp_path / n for n in ("p", "scan.jpg", "case.json", "scanner.json"))
    plate = load("kerf-square").piece(PLATE)
    picture.write_bytes(scan(plate, REAL, TRUE, math.radians(3.0)))
    body = {"procedure": "kerf-square", "machine": {"values": {"kerf": 2.0}}, "piece": PLATE}
    body["instrument"] = {"resolution": 0.01, "permissible_error": [0.02, 0]}
    case.write_text(json.dumps({**body, "readings": []}))
    words = ("read-piece", picture, "--case", case)
    _, read, _ = run(capsys, *words)
    assert any("± 0.5 %" in n for n in read["notes"])
    for r in read["readings"]:
        assert abs(r["values"][0] - REAL[r["measurand"]]) <= r["uncertainty"] < 0.6
    assert run(capsys, *words, "--calibrate")[2].startswith("keen-compass: readings: give what a caliper reads")
    readings = [{"measurand": m, "values": [v]} for m, v in REAL.items()]
    case.write_text(json.dumps({**body, "readings": readings}))
    _, made, _ = run(capsys, *words, "--calibrate", "--scanner", record)
    assert json.loads(record.read_text()) == made
    _, read, _ = run(capsys, *words, "--scanner", record)
    assert {r["measurand"] for r in read["readings"]} == set(REAL)
    assert "width_bottom" in read["missed"]
    for r in read["readings"]:
        assert abs(r["values"][0] - REAL[r["measurand"]]) <= r["uncertainty"] < 0.15
    # They go straight into `solve`.
    case.write_text(json.dumps({**body, "readings": read["readings"]}))
    assert run(capsys, "solve", case)[0] == 0
    case.write_text(json.dumps({**body, "piece": {**PLATE, "width": 60, "hole": 0}, "readings": []}))
    assert "another piece" in run(capsys, *words)[2]
    case.write_text(json.dumps({"procedure": "backlash", "readings": []}))
    assert "makes no piece" in run(capsys, *words)[2]
    record.write_text(json.dumps({"mm_per_px": [0, 0.08]}))
    assert run(capsys, "read-piece", picture, "--case", tmp_path / "none.json")[0] == 2
    case.write_text(json.dumps({**body, "readings": []}))
    assert "mm_per_px" in run(capsys, *words, "--scanner", record)[2]
    Image.new("L", (800, 600), 240).save(picture)
    assert "no piece" in run(capsys, *words)[2]
    del piece
