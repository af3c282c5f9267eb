"""Artwork and its outline: drawings as an independent reader has them, pictures of known shapes, tricks refused."""

from __future__ import annotations

import io
import json
import math
import random
import re
import subprocess
import tracemalloc
from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from shapely import Point, Polygon, affinity, box
from shapely.geometry.base import BaseGeometry

from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.formats.artwork import Drawing, Picture, read_artwork
from keen_compass.pieces.outline import Outset, Ring, outlined

PER_MM = 8  # pixels with which an independent reader draws


def area_of(rings: tuple[Ring, ...]) -> BaseGeometry:
    """What lies within a cut: each part without its holes."""
    outer = shapely.union_all([Polygon(r.points) for r in rings if not r.hole])
    return outer.difference(shapely.union_all([Polygon(r.points) for r in rings if r.hole]))


def svg(body: str, size: str = 'width="60mm" height="40mm" viewBox="0 0 60 40"') -> bytes:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" {size}>{body}</svg>'
    ).encode()  # fmt: skip


DRAWINGS = {
    "units": svg('<rect x="10%" y="15%" width="1in" height="12pt"/><circle cx="40" cy="25" r="3mm"/>'
                 '<rect x="1cm" y="2.4cm" width="50%" height="20%"/>',
                 'width="6cm" height="40mm"'),
    "no size but a view box": svg('<path d="M10 10h80v30H10z"/>', 'viewBox="0 0 200 100"'),
    "another scale each way": svg('<rect x="10" y="10" width="80" height="30"/>',
                                  'width="80mm" height="30mm" viewBox="0 0 100 60" preserveAspectRatio="none"'),
    "kept in proportion": svg('<rect width="100" height="60"/>', 'width="80mm" height="30mm" viewBox="0 0 100 60"'),
    "a view box that begins elsewhere": svg('<circle cx="0" cy="0" r="9"/>',
                                            'width="40mm" height="40mm" viewBox="-10 -10 20 20"'),
    "transforms": svg('<g transform="translate(20 5) rotate(20)"><g transform="scale(2 1.5) skewX(10)">'
                      '<rect x="1" y="1" width="8" height="6" transform="matrix(1 0.1 -0.2 1 2 1)"/></g></g>'),
    "arcs": svg('<path d="M10 20 A 15 8 25 0 1 40 22 a5 5 0 1 0 6 8 A 30 12 -10 0 1 10 20Z"/>'),
    "curves": svg('<path d="M5 20 C 5 5 25 0 30 20 S 50 35 55 20 Q 30 50 20 35 T 5 20"/>'),
    "holes by both rules": svg(
        '<path d="M2 2h26v30H2zM7 7h16v20H7zM11 11h8v12h-8z"/>'
        '<path fill-rule="evenodd" d="M32 2h26v30H32zM37 7h16v20H37zM41 11h8v12h-8z"/>'),
    "a star that crosses itself": svg('<path d="M30 2 L 41 37 L 11 15 L 49 15 L 19 37 Z"/>'
                                      '<path fill-rule="evenodd" d="M10 2 L 13 12 L 4 6 L 16 6 L 7 12 Z"/>'),
    "lines": svg('<g fill="none" stroke="#083" stroke-width="3"><path d="M5 5 L 30 5 L 12 30" stroke-linejoin="round"/>'
                 '<polyline points="35,5 55,5 55,30" stroke-linecap="square"/>'
                 '<line x1="8" y1="36" x2="40" y2="34" stroke-linecap="round"/>'
                 '<ellipse cx="45" cy="22" rx="6" ry="9" stroke-width="1.2"/></g>'),
    "mitres that end": svg('<path d="M5 30 L 20 5 L 24 30 M30 30 L 33 5 L 36 30" fill="none" stroke="red" '
                           'stroke-width="2" stroke-miterlimit="6"/>'),
    "used again": svg('<defs><g id="a"><circle r="4"/><rect x="2" width="8" height="2"/></g></defs>'
                      '<use xlink:href="#a" x="12" y="12"/><use href="#a" transform="translate(40 20) rotate(60)"/>'),
    "symbols": svg('<symbol id="s"><rect width="9" height="6"/></symbol><use href="#s" x="30" y="9"/>'
                   '<circle cx="8" cy="8" r="4"/>'),
    "what is not seen": svg('<rect width="9" height="9" display="none"/><rect width="9" height="9" fill="none"/>'
                            '<rect width="9" height="9" opacity="0"/><g style="display:none"><circle r="9"/></g>'
                            '<rect width="9" height="9" visibility="hidden"/><circle cx="40" cy="20" r="8"/>'),
    "styles": svg('<style>.k{fill:none;stroke:#000;stroke-width:2} #b{fill:#aaa}</style>'
                  '<rect class="k" x="5" y="5" width="20" height="12"/>'
                  '<rect id="b" x="35" y="8" width="9" height="19"/>'),
    "a nested drawing": svg('<svg x="10" y="5" width="20" height="20" viewBox="0 0 10 10"><circle cx="5" cy="5" r="5"/>'
                            "</svg>"),
}  # fmt: skip


def as_drawn(data: bytes, folder: Path) -> tuple[np.ndarray, tuple[float, float]]:
    """How much of each pixel an independent reader paints, 0 … 1, and the drawing's size, mm."""
    (folder / "a.svg").write_bytes(data)
    zoom = str(PER_MM * 25.4 / 96)
    subprocess.run(["rsvg-convert", "--zoom", zoom, str(folder / "a.svg"), "-o", str(folder / "a.png")], check=True)
    with Image.open(folder / "a.png") as picture:
        alpha = np.asarray(picture.convert("RGBA").getchannel("A"), float) / 255
    return alpha, (alpha.shape[1] / PER_MM, alpha.shape[0] / PER_MM)


def painted(area: BaseGeometry, shape: tuple[int, ...]) -> np.ndarray:
    rows, columns = np.indices(shape)
    return shapely.contains_xy(area, (columns + 0.5) / PER_MM, (rows + 0.5) / PER_MM)


@pytest.mark.parametrize("name", DRAWINGS)
def test_a_drawing_is_read_as_an_independent_reader_reads_it(name: str, tmp_path: Path) -> None:
    found = read_artwork(DRAWINGS[name], "a.svg")
    assert isinstance(found, Drawing)
    assert found.left_out == {}
    assert found.exact
    alpha, size = as_drawn(DRAWINGS[name], tmp_path)
    assert (found.width, found.height) == (pytest.approx(size[0], abs=0.13), pytest.approx(size[1], abs=0.13))
    ours, theirs = painted(found.area(), alpha.shape), alpha > 0.5
    edge = (alpha > 0.02) & (alpha < 0.98)
    assert theirs.sum() > 1000
    assert (
        (ours != theirs) & ~edge
    ).sum() <= 0.0005 * theirs.sum() + 4  # only where it paints half a pixel they differ
    assert abs(float(ours.sum()) - float(alpha.sum())) < 0.006 * float(alpha.sum()) + 30


def test_what_is_not_shown_as_drawn_is_listed_and_what_is_left_counts() -> None:
    data = svg('<text x="3" y="9" font-family="Harbour Gothic, Quayside">Quay</text>'
               '<text font-family="serif">two</text><image href="x.png"/><foreignObject/>'
               '<rect x="30" y="20" width="9" height="9"/>')  # fmt: skip
    found = read_artwork(data, "a.svg")
    assert isinstance(found, Drawing)
    assert dict(found.left_out) == {"font Harbour Gothic": 1, "image from elsewhere": 1, "foreignObject": 1}
    assert found.area().intersection(box(29, 19, 60, 40)).area == pytest.approx(81, rel=5e-3)
    assert found.area().intersection(box(0, 0, 29, 19)).area > 3  # in another font


LAUGHS = (
    b'<!DOCTYPE s [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg">&b;</svg>'
)
OUTSIDE = b'<!DOCTYPE s [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg xmlns="http://www.w3.org/2000/svg">&x;</svg>'


@pytest.mark.parametrize(("data", "says"), [
    (LAUGHS, "entities"), (OUTSIDE, "entities"), (b"<html></html>", "no drawing"), (b"<svg", "no drawing"),
    (svg("<rect/>", 'width="1" height="1" viewBox="0 0 0 5"'), "viewBox"), (svg(""), "nothing that is drawn"),
    (svg('<rect width="9" height="9"/>', 'viewBox="a b c d"'), "viewBox"), (b"\x89PNG\r\n\x1a\nrubbish", "is"),
    (svg('<rect width="9e9" height="9"/>', 'width="9e6mm" height="9mm"'), "5000 mm are taken"),
    (svg('<path d="M 1 1 L nonsense"/>'), "nothing that is drawn"), (b"", "no artwork"),
    (b"GIF89a" + bytes(40), "no artwork"),
])  # fmt: skip
def test_tricks_and_rubbish_are_refused_in_words(data: bytes, says: str) -> None:
    with pytest.raises(InputError, match=says) as refused:
        read_artwork(data, "quay.svg")
    assert "quay.svg" in str(refused.value)


def test_a_bomb_is_refused_before_it_is_unpacked() -> None:
    held = io.BytesIO()
    Image.new("1", (30_000, 30_000)).save(held, "PNG")
    tracemalloc.start()
    with pytest.raises(InputError, match="at most 100 million pixels"):
        read_artwork(held.getvalue(), "bomb.png", 300)
    assert tracemalloc.get_traced_memory()[1] < 20_000_000
    tracemalloc.stop()


# Pictures


def picture(shape: BaseGeometry, dpi: float, size: tuple[float, float], kind: str = "PNG", *, fine: int = 5) -> bytes:
    """A black shape on white (fine > 1: with soft edges), as a picture."""
    per_mm = dpi / 25.4
    wide, high = (round(v * per_mm) for v in size)
    rows, columns = np.indices((high * fine, wide * fine)) + 0.5
    inside = shapely.contains_xy(shape, columns / per_mm / fine, rows / per_mm / fine)
    light = 255 * (1 - inside.reshape(high, fine, wide, fine).mean(axis=(1, 3)))
    held = io.BytesIO()
    more = {"quality": 95} if kind in ("JPEG", "WEBP") else {}
    Image.fromarray(light.round().astype(np.uint8)).save(held, kind, dpi=(dpi, dpi), **more)
    return held.getvalue()


SHAPES = {
    "disc": Point(15, 12).buffer(9, quad_segs=64),
    "ring": Point(15, 12).buffer(10, quad_segs=64).difference(Point(15, 12).buffer(4, quad_segs=64)),
    "box": box(5.03, 4.01, 25.07, 19.96),
    "star": Polygon([(15 + (10 if k % 2 else 5) * math.sin(k * math.pi / 7), 12 - (10 if k % 2 else 5) *
                     math.cos(k * math.pi / 7)) for k in range(14)]),
    "two": shapely.union_all([box(3, 3, 12, 20), Point(21, 12).buffer(6, quad_segs=64)]),
    "askew": affinity.rotate(box(6, 6, 24, 18), 17),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize(
    ("kind", "fine", "most"), [("PNG", 5, 0.05), ("PNG", 1, 0.065), ("TIFF", 5, 0.05), ("JPEG", 5, 0.06)]
)
def test_a_picture_is_traced_within_a_twentieth_of_a_millimetre(name: str, kind: str, fine: int, most: float) -> None:
    shape = SHAPES[name]
    found = read_artwork(picture(shape, 300, (30, 24), kind, fine=fine), "a")
    assert isinstance(found, Picture)
    assert (found.width, found.height) == (pytest.approx(30, abs=0.05), pytest.approx(24, abs=0.05))
    traced = outlined(found.area(), Outset(0.0))
    corners = 0.05 if name in ("star", "box", "askew") else 0.0  # a pixel rounds what is sharp
    assert shapely.hausdorff_distance(area_of(traced).boundary, shape.boundary, 0.01) <= most + corners
    assert len([r for r in traced if r.hole]) == (name == "ring")
    assert len([r for r in traced if not r.hole]) == (2 if name == "two" else 1)


@given(st.floats(0.3, 6.0), st.sampled_from(sorted(SHAPES)), st.sampled_from(["round", "mitre"]))
@settings(max_examples=40)
def test_the_line_lies_where_it_is_ordered(by: float, name: str, corners: str) -> None:
    """Nowhere nearer to the artwork than ordered; rounded, nowhere farther either."""
    shape = SHAPES[name]
    rings = outlined(shape, Outset(by, corners, holes="drop", smallest=0.1))
    line = shapely.union_all([Polygon(r.points).exterior for r in rings])
    filled = shapely.union_all([Polygon(p.exterior) for p in shapely.get_parts(shape)])
    off = [filled.distance(Point(p)) for ring in rings for p in ring.points]
    assert line.distance(filled) >= by - 0.005
    assert min(off) >= by - 0.006
    if corners == "round":
        assert max(off) <= by + 0.006
    else:
        assert max(off) <= 4 * by + 0.01
    assert all(ring.points[0] != ring.points[-1] for ring in rings)


def test_parts_are_cut_apart_or_in_one_line_and_holes_are_kept_or_dropped() -> None:
    apart = outlined(SHAPES["two"], Outset(1.0))
    joined = outlined(SHAPES["two"], Outset(1.0, parts="joined"))
    assert (len(apart), len(joined)) == (2, 1)
    assert area_of(joined).contains(area_of(apart).buffer(-0.02))
    assert area_of(joined).area < area_of(apart).area + 9 * 17  # a bridge, not the hull of all
    hole = [r for r in outlined(SHAPES["ring"], Outset(1.0)) if r.hole]
    assert Polygon(hole[0].points).area == pytest.approx(math.pi * 9, rel=2e-3)  # smaller by the same distance
    assert outlined(SHAPES["ring"], Outset(1.0))[0].hole  # and cut before the outside
    assert not any(r.hole for r in outlined(SHAPES["ring"], Outset(1.0, holes="drop")))
    assert not any(r.hole for r in outlined(SHAPES["ring"], Outset(4.5)))  # it closes
    specks = shapely.union_all([SHAPES["disc"], box(0.1, 0.1, 0.4, 0.4)])
    assert len(outlined(specks, Outset(0.5))) == 1
    assert len(outlined(specks, Outset(0.2, smallest=0.2))) == 2
    with pytest.raises(InputError, match="nothing is left"):
        outlined(box(0, 0, 3, 3), Outset(-2.0))


def test_light_on_dark_clear_and_turned_pictures_show_the_same() -> None:
    shape, exact = SHAPES["star"], SHAPES["star"].area
    dark = Image.open(io.BytesIO(picture(shape, 200, (30, 24))))
    for made in ("negative", "clear", "turned"):
        held, more = io.BytesIO(), {}
        shown: Image.Image = dark
        if made == "negative":
            shown = dark.point(lambda v: 255 - v)
        elif made == "clear":  # white on nothing
            shown = Image.merge("LA", (Image.new("L", dark.size, 255), dark.point(lambda v: 255 - v)))
        else:
            exif = dark.getexif()
            exif[0x0112] = 6  # to be turned a quarter clockwise
            shown, more = dark.transpose(Image.Transpose.ROTATE_90), {"exif": exif}
        shown.save(held, "PNG", dpi=(200, 200), **more)
        found = read_artwork(held.getvalue(), made)
        assert isinstance(found, Picture)
        assert (found.width, found.height) == (pytest.approx(30, abs=0.1), pytest.approx(24, abs=0.1))
        assert found.area().area == pytest.approx(exact, rel=0.01)
        assert shapely.hausdorff_distance(found.area(), shape) < 0.2


def test_a_picture_that_does_not_say_its_size_is_asked_for_it() -> None:
    held = io.BytesIO()
    Image.open(io.BytesIO(picture(SHAPES["disc"], 300, (30, 24)))).save(held, "WEBP", lossless=True)
    with pytest.raises(InputError, match="354 × 283 pixels"):
        read_artwork(held.getvalue(), "quay.webp")
    assert read_artwork(held.getvalue(), "quay.webp", 150).width == pytest.approx(60, abs=0.1)
    with pytest.raises(InputError, match="pixels per inch"):
        read_artwork(held.getvalue(), "quay.webp", 3)
    found = read_artwork(held.getvalue(), "quay.webp", 300)
    assert isinstance(found, Picture)
    little = found.reduced(10_000)
    assert little.values.size <= 10_000
    assert little.area().area == pytest.approx(found.area().area, rel=0.02)
    thick = found.area(threshold=0.8).area, found.area().area, found.area(threshold=0.2).area
    assert thick == tuple(sorted(thick, reverse=True))


# The command


def read_back(file: Path) -> BaseGeometry:
    """The paths of the written line, by nothing but their numbers."""
    text = file.read_text()
    assert "transform" not in text
    rings = []
    for way in re.findall(r' d="([^"]*)"', text):
        assert set(re.findall(r"[A-Za-z]", way)) <= set("MLHVCQZ")
        numbers = [float(v) for v in re.findall(r"-?\d+\.?\d*", way)]
        rings.append(Polygon(list(zip(numbers[::2], numbers[1::2], strict=True))))
    whole: BaseGeometry = rings[0]
    for ring in rings[1:]:
        whole = whole.symmetric_difference(ring)
    return whole


def test_the_command_writes_the_line_and_lists_what_it_did_not_understand(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:  # fmt: skip
    (tmp_path / "a.svg").write_bytes(svg('<circle cx="30" cy="20" r="10"/><foreignObject/>'))
    assert main(["outline", str(tmp_path / "a.svg"), "--outset", "2", "-o", str(tmp_path / "o.svg")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told == {"size": [60.0, 40.0], "parts": 1, "holes": 0, "not_understood": {"foreignObject": 1}}
    assert shapely.hausdorff_distance(read_back(tmp_path / "o.svg"), Point(30, 20).buffer(12, quad_segs=200)) < 0.01
    (tmp_path / "b.svg").write_bytes(svg('<rect x="10" y="10" width="20" height="10" fill="red" stroke="blue" '
                                         'stroke-width="2"/>'))  # fmt: skip
    for strokes, grown in (("seen", 3.0), ("skip", 2.0)):
        words = ["outline", str(tmp_path / "b.svg"), "--outset", "2 mm", "--corners", "mitre", "--strokes", strokes]
        assert main([*words, "-o", str(tmp_path / "o.svg")]) == 0
        wanted = box(10 - grown, 10 - grown, 30 + grown, 20 + grown)
        assert shapely.hausdorff_distance(read_back(tmp_path / "o.svg"), wanted) < 0.002
    capsys.readouterr()
    for words, says in (
        (["--outset", "abc"], "--outset"), (["--outset", "500"], "outset"),
        (["--outset", "2", "--threshold", "-1"], "--threshold"),
        (["--outset", "2", "--mitre-limit", "0"], "mitre_limit"), (["--outset", "2", "--smallest", "-1"], "smallest"),
    ):  # fmt: skip
        assert main(["outline", str(tmp_path / "a.svg"), *words, "-o", str(tmp_path / "o2.svg")]) == 2
        told_off = capsys.readouterr().err
        assert told_off.count("\n") == 1
        assert says.lower() in told_off.lower()
    assert not (tmp_path / "o2.svg").exists()
    assert main(["outline", str(tmp_path / "none.png"), "--outset", "2", "-o", str(tmp_path / "o2.svg")]) == 2
    assert "none.png" in capsys.readouterr().err


@pytest.mark.heavy
def test_damaged_artwork_is_read_or_refused_and_nothing_else() -> None:
    rng = random.Random(19)
    whole = [*DRAWINGS.values(), picture(SHAPES["star"], 100, (30, 24)), picture(SHAPES["ring"], 100, (30, 24), "JPEG")]
    understood = 0
    for _ in range(300):
        data = bytearray(rng.choice(whole))
        for _ in range(rng.randint(1, 6)):
            at = rng.randrange(len(data))
            match rng.randrange(3):
                case 0:
                    data[at] = rng.randrange(256)
                case 1:
                    del data[at : at + rng.randint(1, 40)]
                case _:
                    data[at:at] = data[max(at - 30, 0) : at]
            if not data:
                break
        try:
            found = read_artwork(bytes(data), "broken")
            area = found.area()
        except InputError as error:
            assert "broken" in str(error)
            continue
        understood += 1
        assert math.isfinite(area.area)
    assert 20 < understood < 575
