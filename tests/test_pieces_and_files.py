"""Piece shape and path, and every file read again by someone else's reader."""

from __future__ import annotations

import io
import re
import subprocess
from pathlib import Path

import ezdxf
import pytest
from ezdxf import bbox
from ezdxf.addons.hpgl2 import api as hpgl2
from hypothesis import given, settings
from hypothesis import strategies as st
from pygcode import Line, Machine

from keen_compass.errors import FileFormatError, PieceError
from keen_compass.formats.drawings import MARGIN, write_dxf, write_pdf, write_svg
from keen_compass.formats.gcode import CutSettings, pass_depths, write_gcode
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.pieces.placement import GAP, next_free
from keen_compass.pieces.stepped import MEASURANDS, SteppedOutline
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.standin.gcode_reader import read_gcode
from keen_compass.standin.router import Router
from keen_compass.standin.truth import Truth
from strict_reader import path_of

BED = Box(0, 0, 1300, 900)
PIECE = SteppedOutline(400, 300, 120, 90, 6.0)


def exact_router(kerf: float, lost_motion: float) -> Router:
    """A machine without scale error, scatter or reading error: what is left is kerf and lost motion."""
    one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {"x": lost_motion, "y": 1.5 * lost_motion}, kerf, 0.0, (0.0, 0.0), 0.0)
    return Router(truth, {"x_steps": one, "y_steps": one}, 1)


def measured(router: Router, piece: SteppedOutline) -> dict[str, float]:
    import random

    made = router.make(write_gcode(path_of(piece, 8).moved(50, 60), CutSettings(bed=BED)))
    fine = Instrument(resolution=1e-4)
    return {m: made.read(piece.dimension_line(m), m, 1, fine, random.Random(1))[0] for m in MEASURANDS}


@settings(max_examples=15)
@given(st.integers(160, 600), st.integers(160, 600), st.floats(0, 0.6), st.floats(5.2, 6.8))
def test_kerf_and_lost_motion_cancel_in_the_step(width: int, height: int, lost: float, kerf: float) -> None:
    """Each cut length is n + c − K − B, on the long and on the short side alike, on both axes."""
    piece = SteppedOutline.sized(width, height, 6.0)
    for m, length in measured(exact_router(kerf, lost), piece).items():
        B = lost if "width" in m else 1.5 * lost
        assert length == pytest.approx(piece.nominal(m) + 6.0 - kerf - B, abs=2e-3), m


def test_a_drawn_piece_holds_neither_kerf_nor_lost_motion() -> None:
    piece = SteppedOutline(400, 300, 120, 90, drawn=True)
    for m, length in measured(exact_router(6.0, 0.4), piece).items():
        assert length == pytest.approx(piece.nominal(m), abs=2e-3), m


@pytest.mark.parametrize(
    ("sizes", "place"),
    [
        ((0, 300, 120, 90, 6), "width"), ((400, -1, 120, 90, 6), "height"), ((400, 300, 390, 90, 6), "short_width"),
        ((400, 300, 8, 90, 6), "short_width"), ((400, 300, 120, 90, -1), "compensation"),
    ],
)  # fmt: skip
def test_impossible_pieces_are_refused_by_name(sizes: tuple[float, ...], place: str) -> None:
    with pytest.raises(PieceError) as error:
        SteppedOutline(*sizes)
    assert error.value.place == place


@given(st.lists(st.tuples(st.integers(60, 500), st.integers(60, 500)), max_size=12))
def test_pieces_never_overlap_and_never_leave_the_stock(sizes: list[tuple[int, int]]) -> None:
    stock, taken = Box(30, 30, 1240, 840), list[Box]()
    for size in sizes:
        place = next_free(stock, taken, size)
        if place is None:
            continue
        assert stock.holds(place)
        assert not any(place.overlaps(other, GAP - 1e-6) for other in taken)
        taken.append(place)


def gcode_extents(text: str) -> tuple[list[float], list[float], list[float]]:
    """Lowest and highest X, Y, Z of cutting moves, by an independent interpreter, in the file's unit."""
    machine, xs, ys, zs = Machine(), [], [], []
    for raw in text.splitlines():
        line = Line(raw)
        machine.process_block(line.block)
        if machine.pos.Z < 0:
            xs.append(machine.pos.X)
            ys.append(machine.pos.Y)
            zs.append(machine.pos.Z)
    return [min(xs), max(xs)], [min(ys), max(ys)], [min(zs), max(zs)]


@pytest.mark.parametrize("inches", [False, True])
def test_gcode_is_understood_by_an_independent_reader(inches: bool) -> None:
    cut = CutSettings(bed=BED, thickness=9.0, inches=inches)
    text = write_gcode(path_of(PIECE, 1).moved(50, 60), cut)
    unit = 25.4 if inches else 1.0
    xs, ys, zs = gcode_extents(text)
    assert [x * unit for x in xs] == pytest.approx([47, 453], abs=1e-3)
    assert [y * unit for y in ys] == pytest.approx([57, 363], abs=1e-3)
    assert zs[0] * unit == pytest.approx(-9.3, abs=1e-3)
    words = re.sub(r"\(.*?\)", "", text).split()
    assert ("G20" if inches else "G21") in words
    assert "G90" in words
    assert words[-2:] == ["M5", "M2"]
    moves = read_gcode(text)
    assert moves[-1].z == pytest.approx(cut.safe_height, abs=1e-3)
    assert not any(m.rapid and m.z < 0 for m in moves)
    assert pass_depths(cut)[-1] == pytest.approx(9.3)


def test_tabs_hold_the_piece_and_stay_below_half_the_stock() -> None:
    moves = read_gcode(write_gcode(path_of(PIECE, 1).moved(50, 60), CutSettings(bed=BED)))
    tabs = [m for m in moves if m.z == pytest.approx(-7.5)]
    assert len(tabs) == 6  # up and along, for each of three


@pytest.mark.parametrize(
    ("change", "says"),
    [({"feed": 0}, "feed"), ({"thickness": -1}, "thickness"), ({"plunge_feed": float("nan")}, "plunge_feed")],
)
def test_senseless_settings_are_refused(change: dict[str, float], says: str) -> None:
    with pytest.raises(PieceError, match=says):
        CutSettings(bed=BED, **change)


def test_leaving_the_bed_is_refused_with_the_way_out() -> None:
    for dx, dy in ((950, 0), (0, 700), (-1, 100)):
        with pytest.raises(PieceError, match=r"leave the bed.*smaller"):
            write_gcode(path_of(PIECE, 1).moved(dx, dy), CutSettings(bed=BED))


@pytest.mark.parametrize(
    ("file", "says"),
    [
        ("G0 X5", "before units"), ("G21 G90\nG1 X5", "without a feed"), ("G21 G90\nG0 X5", "no end"),
        ("G21 G90\nG2 X5 I9 F5\nM2", "no circle"), ("G21 G90\nhello", "can't read"), ("M2\nG0 X1", "follows the end"),
    ],
)  # fmt: skip
def test_the_stand_in_stops_at_what_a_controller_would(file: str, says: str) -> None:
    with pytest.raises(FileFormatError, match=says):
        read_gcode(file)


def test_a_wrong_file_gives_a_wrong_part() -> None:
    good = write_gcode(path_of(PIECE, 1).moved(50, 60), CutSettings(bed=BED))
    router = exact_router(6.0, 0.0)
    with pytest.raises(FileFormatError, match="nothing came loose"):
        router.make(good.replace("G1 X285 Y97.5\nG1 X290 Y97.5\n", ""))
    with pytest.raises(FileFormatError, match="broke the cutter"):
        router.make(good.replace("G1 X453 Y153", "G0 X453 Y153"))


def test_hpgl_is_read_alike_elsewhere() -> None:
    piece = SteppedOutline(400, 300, 120, 90, drawn=True)
    data = b"\x1b%1B" + write_hpgl(path_of(piece, 1)).encode()  # the prefix selects HP-GL/2
    extent = bbox.extents(hpgl2.to_dxf(data).modelspace()).size
    assert (extent.x, extent.y) == pytest.approx((400 * 40, 300 * 40), abs=1)


def test_dxf_and_svg_and_pdf_at_actual_size(tmp_path: Path) -> None:
    path = path_of(PIECE, 1)
    document = ezdxf.read(io.StringIO(write_dxf(path)))
    audit = document.audit()
    assert not audit.errors
    assert not audit.fixes
    corners = [p for line in document.modelspace().query("LWPOLYLINE") for p in line.get_points("xy")]
    assert max(x for x, _ in corners) - min(x for x, _ in corners) == pytest.approx(406)
    (tmp_path / "p.svg").write_text(write_svg(path))
    subprocess.run(["rsvg-convert", str(tmp_path / "p.svg"), "-o", str(tmp_path / "p.png")], check=True)
    assert f'width="{406 + 2 * MARGIN:.3f}mm"' in (tmp_path / "p.svg").read_text()
    (tmp_path / "p.pdf").write_bytes(write_pdf(path))
    info = subprocess.run(["pdfinfo", str(tmp_path / "p.pdf")], check=True, capture_output=True, text=True).stdout
    width, height = (float(v) for v in re.search(r"Page size:\s+([\d.]+) x ([\d.]+)", info).groups())
    assert (width, height) == pytest.approx(((406 + 20) * 72 / 25.4, (306 + 20) * 72 / 25.4), abs=0.1)
