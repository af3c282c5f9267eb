"""The cut line that an artwork names itself: taken as it is, not printed, its border told place by place."""

from __future__ import annotations

import io
import json
import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PySide6.QtCore import Qt
from shapely import Point, Polygon, box
from shapely.affinity import translate

from driving import choose, press, shown
from keen_compass.app.window import MainWindow
from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.formats.artwork import Drawing, read_artwork, sticker_of
from keen_compass.formats.named_cut import is_cut_line
from keen_compass.pieces.outline import Outset
from keen_compass.practice.playing import cut, read_all
from looks import check_looks
from test_window_sheets import begin, step_of

WIDE, HIGH = 60.0, 40.0  # mm
PRINT = box(5, 5, 55, 35)
LINE = box(8, 3, 57, 32)  # over the print's edge on two sides, beyond it on two
HOLE = Point(20, 15).buffer(3, quad_segs=64)
EXPECTED = LINE.difference(HOLE)
SWATCH = '<linearGradient id="Cut"><stop stop-color="red"/></linearGradient>'
DRAWN = '<rect x="8" y="3" width="49" height="29" {0}/><circle cx="20" cy="15" r="3" {0}/>'
PEN = 'fill="none" stroke="red" stroke-width="0.3"'
DRAWINGS = {
    "layer": f'<g id="layer2" i:label="Cut line">{DRAWN.format(PEN)}</g>',
    "hidden layer": f'<g id="Kiss_cut" style="display:none"><g>{DRAWN.format(PEN)}</g></g>',
    "class": "<style>.cut {fill:none;stroke:red}</style>" + DRAWN.format('class="cut x"'),
    "swatch": SWATCH + DRAWN.format('fill="none" style="stroke:url(#Cut)"'),
    "spot colour": DRAWN.format('fill="none" stroke="red icc-color(ThruCut, 1.0)"'),
    "one path, twice": 2 * (f'<path id="dieline" {PEN} '
                            'd="M8 3h49v29H8zM23 15a3 3 0 1 0 -6 0 3 3 0 1 0 6 0z"/>'),
    "used again": f'<defs><g id="cut">{DRAWN.format(PEN)}</g></defs><use href="#cut" x="-2"/>',
}  # fmt: skip
SHIFTED = {"used again": -2.0}


def drawing(body: str) -> bytes:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:i="urn:x" width="{WIDE}mm" height="{HIGH}mm" '
        f'viewBox="0 0 {WIDE} {HIGH}"><rect x="5" y="5" width="50" height="30" fill="teal"/>{body}</svg>'
    ).encode()


def kappa(cx: float, cy: float, r: float) -> str:
    k = 0.5522847498 * r
    return (
        f"{cx + r} {cy} m {cx + r} {cy + k} {cx + k} {cy + r} {cx} {cy + r} c {cx - k} {cy + r} {cx - r} {cy + k} "
        f"{cx - r} {cy} c {cx - r} {cy - k} {cx - k} {cy - r} {cx} {cy - r} c {cx + k} {cy - r} {cx + r} {cy - k} "
        f"{cx + r} {cy} c h "
    )


MM = 72 / 25.4
ART = "q 0 0.5 0.5 rg 5 5 50 30 re f Q "
LINES = f"0.3 w 8 8 49 29 re S {kappa(20, 25, 3)} S "
INK = "[/Separation /{} /DeviceCMYK << /FunctionType 2 /Domain [0 1] /C0 [0 0 0 0] /C1 [0 1 0 0] /N 1 >>]"
INKS = "[/DeviceN [/Cut /Gloss] /DeviceCMYK << /FunctionType 2 /Domain [0 1 0 1] /C0 [0 0 0 0] /C1 [0 1 0 0] /N 1 >>]"
FORM = f"/Type /XObject /Subtype /Form /BBox [0 0 60 40] /Length {len(LINES)} >> stream\n{LINES}\nendstream"
PAGES = {
    "spot colour": (f"{ART} q /S CS 1 SCN {LINES} Q", "/ColorSpace << /S " + INK.format("Cut#20line") + " >>", ""),
    "spot colour, filled and stroked": (
        f"{ART} q /S CS 1 SCN /S cs 1 scn 0.3 w 8 8 49 29 re b {kappa(20, 25, 3)} s Q",
        "/ColorSpace << /S " + INK.format("CUT") + " >>", ""),
    "one of several inks": (f"{ART} q /S CS 1 0 SCN {LINES} Q", f"/ColorSpace << /S {INKS} >>", ""),
    "layer": (f"{ART} /OC /L BDC q {LINES} Q EMC", "/Properties << /L << /Type /OCG /Name (Cut line) >> >>", ""),
    "group of a layer": (f"{ART} /F Do", "/XObject << /F 5 0 R >>",
                         f"<< /OC << /Type /OCG /Name (die line) >> {FORM}"),
    "turned and cropped": (f"1 0 0 1 7 9 cm {ART} q /S CS 1 SCN {LINES} Q",
                           "/ColorSpace << /S " + INK.format("Cut") + " >>", "turned"),
}  # fmt: skip


def document(content: str, resources: str, extra: str) -> bytes:
    """A page of 60 × 40 mm, written by hand: Y up, in mm."""
    content = f"{MM} 0 0 {MM} 0 0 cm {content}"
    box_ = f"/MediaBox [0 0 {WIDE * MM} {HIGH * MM}]"
    if extra == "turned":
        box_ = (f"/MediaBox [0 0 {80 * MM} {70 * MM}] /CropBox [{7 * MM} {9 * MM} {(7 + WIDE) * MM} "
                f"{(9 + HIGH) * MM}] /Rotate 180")  # fmt: skip
    bodies = [
        "<< /Type /Catalog /Pages 2 0 R >>",
        "<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        f"<< /Type /Page /Parent 2 0 R {box_} /Contents 4 0 R /Resources << {resources} >> >>",
        f"<< /Length {len(content)} >> stream\n{content}\nendstream",
        *([extra] if extra not in ("", "turned") else []),
    ]
    out, places = "%PDF-1.6\n", []
    for number, body in enumerate(bodies, 1):
        places.append(len(out))
        out += f"{number} 0 obj {body} endobj\n"
    rows = "".join(f"{place:010d} 00000 n \n" for place in places)
    out += f"xref\n0 {len(places) + 1}\n0000000000 65535 f \n{rows}trailer << /Size {len(places) + 1} /Root 1 0 R >>\n"
    return f"{out}startxref\n{out.index('xref')}\n%%EOF".encode("latin-1")


def artworks() -> Iterator[tuple[str, bytes, Polygon, Polygon]]:
    """Its name and bytes, what its line encloses, and what is printed."""
    for name, body in DRAWINGS.items():
        yield f"svg, {name}", drawing(body), translate(EXPECTED, SHIFTED.get(name, 0.0)), PRINT
    for name, parts in PAGES.items():
        if name == "turned and cropped":  # half a turn about the middle of what is seen
            about = [Polygon([(WIDE - x, HIGH - y) for x, y in ring]) for ring in
                     (LINE.exterior.coords, HOLE.exterior.coords)]  # fmt: skip
            turned = about[0].difference(about[1])
            yield f"pdf, {name}", document(*parts), turned, PRINT
        else:
            yield f"pdf, {name}", document(*parts), EXPECTED, PRINT


ARTWORKS = {name: rest for name, *rest in artworks()}


@pytest.mark.parametrize("name", ARTWORKS)
def test_a_line_that_is_named_is_taken_as_it_is_and_not_printed(name: str) -> None:
    data, line, printed = ARTWORKS[name]
    art = read_artwork(data, "quay", own_line=True)
    assert isinstance(art, Drawing)
    assert art.own_line is not None
    assert is_cut_line(art.own_line.name)
    assert art.own_line.area.symmetric_difference(line).area < 0.003 * line.length
    assert art.area().symmetric_difference(printed).area < (0.003 if art.exact else 0.02) * printed.length
    with Image.open(io.BytesIO(art.picture)) as picture:
        pixels = np.asarray(picture.convert("RGBA"), float)
    seen = pixels[pixels[..., 3] > 200][:, :3]
    assert np.ptp(seen, axis=0).max() < 30  # no red line, no magenta one
    whole = read_artwork(data, "quay")
    assert isinstance(whole, Drawing)
    assert whole.own_line is not None
    assert whole.own_line.area is None
    if name not in ("svg, hidden layer", "svg, spot colour"):  # SVG 2 has no such colour any more
        assert whole.area().difference(printed.buffer(0.01)).area > 1  # printed like all the rest


def test_only_what_is_called_a_cut_line_is_one() -> None:
    for name in ("cut", "Cut", "CUT", "CutLine", "cut_line-2", "Kiss cut", "thru-cut", "KISSCUT", "Die Line"):
        assert is_cut_line(name), name
    for name in ("shortcut", "cutter", "Cutout", "haircuts", "uncut", "die", "line", "", "c u t"):
        assert not is_cut_line(name), name
    plain = read_artwork(drawing('<circle id="shortcut" cx="9" cy="9" r="2"/>'), "a.svg", own_line=True)
    assert isinstance(plain, Drawing)
    assert plain.own_line is None
    clip = '<clipPath id="cut"><rect width="9" height="9"/></clipPath><path clip-path="url(#cut)" d="M0 0h9v9"/>'
    clipped = read_artwork(drawing(clip), "a.svg", own_line=True)
    assert isinstance(clipped, Drawing)
    assert clipped.own_line is None


def test_a_drawing_of_nothing_but_a_cut_line_is_artwork_and_an_open_line_is_refused() -> None:
    alone = drawing(DRAWINGS["layer"]).replace(b'<rect x="5" y="5" width="50" height="30" fill="teal"/>', b"")
    art = read_artwork(alone, "a.svg", own_line=True)
    assert isinstance(art, Drawing)
    assert art.own_line is None
    unseen = drawing(DRAWINGS["layer"]).replace(b'fill="teal"', b'fill="none"')
    assert read_artwork(unseen, "a.svg", own_line=True).own_line.area is None  # type: ignore[union-attr]
    with pytest.raises(InputError, match="encloses nothing"):
        read_artwork(drawing('<line id="cut" x1="2" y1="2" x2="50" y2="30" stroke="red"/>'), "a.svg", own_line=True)


def test_the_border_is_told_place_by_place_and_below_zero_where_the_print_reaches_beyond() -> None:
    art = read_artwork(drawing(DRAWINGS["layer"]), "a.svg", own_line=True)
    sticker = sticker_of(art, "Quay", Outset(2.0))
    expected = {(-1, 0): -3.0, (1, 0): 2.0, (0, -1): 2.0, (0, 1): -3.0}
    assert len(sticker.places) == 8
    for x, y, nx, ny, border in sticker.places:
        assert border == pytest.approx(expected[round(nx), round(ny)], abs=0.01)
        assert LINE.exterior.distance(Point(x, y)) < 0.01
    assert {(round(p[2]), round(p[3])) for p in sticker.places} == set(expected)
    far = drawing('<rect id="cut" x="-40" y="-40" width="140" height="120"/>')
    with pytest.raises(InputError, match="no border can be read"):
        sticker_of(read_artwork(far, "a.svg", own_line=True), "Quay", Outset(2.0))


def test_the_command_cuts_along_it_and_the_proof_tells_a_shift(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "q.svg").write_bytes(drawing(DRAWINGS["layer"]))
    words = ["outline", str(tmp_path / "q.svg"), "--outset", "2", "--line", "own", "-o", str(tmp_path / "o.svg")]
    assert main(words) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["own_line"], told["parts"], told["holes"]) == ("Cut line", 1, 1)
    (tmp_path / "plain.svg").write_bytes(drawing(""))
    assert main(["outline", str(tmp_path / "plain.svg"), *words[2:]]) == 2
    assert "names no cut line" in capsys.readouterr().err
    places = [[8, 10, -1, 0, -3], [8, 25, -1, 0, -3], [57, 10, 1, 0, 2], [57, 25, 1, 0, 2],
              [20, 3, 0, -1, 2], [45, 3, 0, -1, 2], [20, 32, 0, 1, -3], [45, 32, 0, 1, -3]]  # fmt: skip
    dx, dy, turn = 0.4, -0.25, math.radians(0.2)
    values = [b + nx * (dx - turn * (y - 17.5)) + ny * (dy + turn * (x - 32.5)) for x, y, nx, ny, b in places]
    case = {
        "procedure": "proof",
        "machine": {"units": "mm", "values": {}},
        "piece": {"border": 2, "places": places},
        "instrument": {"resolution": 0.01, "permissible_error": [0.01, 0], "kind": "rule"},
        "tolerance": 0.2,
        "readings": [{"measurand": f"b{i}", "values": [v, v]} for i, v in enumerate(values, 1)],
    }
    (tmp_path / "case.json").write_text(json.dumps(case))
    assert main(["solve", str(tmp_path / "case.json")]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["figures"]["shift"] == [pytest.approx(dx, abs=0.02), pytest.approx(dy, abs=0.02)]
    assert told["figures"]["turn_deg"] == pytest.approx(0.2, abs=0.03)
    assert told["figures"]["border"] is None
    case["piece"]["places"][0] = [8, 10, -1, 0, -3, 1]  # type: ignore[index]
    (tmp_path / "case.json").write_text(json.dumps(case))
    assert main(["solve", str(tmp_path / "case.json")]) == 2
    assert "piece.places[0]" in capsys.readouterr().err


def test_in_the_window_it_is_cut_along_its_own_line_or_about_what_is_seen(window: MainWindow, tmp_path: Path) -> None:
    begin(window, "kingfisher", "proof", "proof").give_up("Another job")
    (tmp_path / "quay.svg").write_bytes(drawing(DRAWINGS["layer"]))
    session = begin(window, "kingfisher", "proof", "proof")
    press(str(tmp_path / "quay.svg"), Qt.Key.Key_Return)
    assert "along “Cut line”, not printed · 1 part · 1 hole" in shown(step_of(window))
    assert "Border" not in shown(step_of(window))
    for size in ((1024, 700), (1280, 800)):
        window.resize(*size)
        check_looks(window, size)
    choose("Cut", "about what is seen")
    assert "with its border · 1 part" in shown(step_of(window))
    assert not session.making.artworks.sticker().places  # type: ignore[union-attr]
    choose("Cut", "along its own line")
    session.making.sheets.draw_up()
    cut(session)
    read_all(session)
    (finding,) = session.measuring.findings()
    assert finding.error is not None
    assert abs(finding.error) < 0.6
