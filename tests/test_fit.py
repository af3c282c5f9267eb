"""A cut file laid onto a print: every format, every map, what is refused, and the whole way to a cut on a stand-in."""

from __future__ import annotations

import json
import math
import random
import re
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from keen_compass.cli import main
from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.fit import fit_file, kind_of_file, marks_in
from keen_compass.procedures.laying import lay
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.solve.warp import SAME, Warp, erring, undone
from keen_compass.standin.gcode_reader import read_gcode
from keen_compass.standin.hpgl_reader import read_hpgl
from keen_compass.standin.router import Router
from keen_compass.standin.truth import Truth

sys.path.insert(0, str(Path(__file__).parents[1] / "bench"))
import fit as bench

AWAY = Warp(((1.0, 0.0, 100.0), (0.0, 1.0, 50.0), SAME[2]))
QUARTER = Warp(((0.0, -1.0, 100.0), (1.0, 0.0, 50.0), SAME[2]))
FLIPPED = Warp(((-1.0, 0.0, 100.0), (0.0, 1.0, 0.0), SAME[2]))
HEAD = "G21 G90 G17\nG0 X0 Y0\n"


def fitted(text: str, warp: Warp = QUARTER, name: str = "") -> str:
    return fit_file(text.encode("utf-8"), warp, name).data.decode("utf-8")


@pytest.mark.parametrize("part", range(2))
@pytest.mark.parametrize("kind", bench.MAKES)
def test_every_stroke_of_a_random_file_is_where_the_map_says(kind: str, part: int) -> None:
    """A small sister of bench/fit.py; read by readers that share nothing with what wrote it."""
    for seed in range(10_000 + 5 * part, 10_003 + 5 * part):
        assert bench.worst(kind, seed) <= 0.01, seed


@pytest.mark.parametrize("kind", bench.MAKES)
def test_nothing_moves_and_nothing_changes_where_the_map_does_nothing(kind: str) -> None:
    for seed in range(6):
        text = bench.MAKES[kind](random.Random(seed))
        again = fitted(text, Warp())
        if kind == "svg":  # its page becomes mm, its transforms places
            assert re.sub(r"<(svg|g|path|rect|circle|ellipse|poly\w+|line)\b[^>]*>", "", again) == re.sub(
                r"<(svg|g|path|rect|circle|ellipse|poly\w+|line)\b[^>]*>", "", text
            )
            continue
        numbers = re.compile(r"[-+]?\d+\.?\d*")
        before, after = numbers.split(text), numbers.split(again)
        if kind != "gcode":  # there X is beside Y from now on
            assert after == before
        assert re.findall(r"[()%;].*|[FSMN]\d+", again) == re.findall(r"[()%;].*|[FSMN]\d+", text)


def test_what_has_no_place_stays_to_the_byte() -> None:
    text = (
        "%\r\n( Lantern Quay )\r\nN5 G21 G90\tG17\r\nS12000 M3\r\n\r\nG0 Z5.000 ; up\r\nG4 P0.5\r\nG0 X1 Y2\r\nM30\r\n%"
    )
    lines, after = text.split("\r\n"), fitted(text).split("\r\n")
    assert [a for a in after if "X" not in a] == [b for b in lines if "X" not in b]
    assert after[7] == "G0 X98 Y51"
    plot = "IN;SP2;VS20;\n PU 100 , 200 ;PD100,300;\r\nSP0;"
    assert fitted(plot, AWAY) == "IN;SP2;VS20;\n PU 4100 , 2200 ;PD4100,2300;\r\nSP0;"


@pytest.mark.parametrize(
    ("line", "there"),
    [
        ("X10", "X100 Y60"),  # a turn needs both
        ("G1 Y10 F600", "G1 Y50 X90 F600"),
        ("g02x10y0i5j0", "g02x100y60i0j5"),
        ("G3 X10 Y0 R5", "G3 X100 Y60 R5"),
        ("N7 G1 X-.5 (left)", "N7 G1 X100 Y49.5 (left)"),
    ],
)
def test_words_keep_their_form(line: str, there: str) -> None:
    assert fitted(f"{HEAD}{line}\n").splitlines()[2] == there


def test_a_mirrored_map_turns_arcs_round_and_sides_over() -> None:
    assert fitted(HEAD + "G41 D1\nG2 X10 Y0 I5 J0\n", FLIPPED).splitlines()[2:] == ["G42 D1", "G3 X90 Y0 I-5 J0"]
    assert "AA3900,0,90" in fitted("IN;SP1;PU0,0;PD;AA100,0,-90;PU;", FLIPPED)
    assert "1 0" not in fitted(
        '<svg width="9mm" height="9mm" viewBox="0 0 9 9"><path d="M1 1A2 2 0 0 1 3 3"/></svg>', FLIPPED
    )


def test_moves_counted_from_one_another_do_not_drift() -> None:
    """A thousand steps of a third of a millimetre, each rounded: the last is still where it should be."""
    warp = Warp(((math.cos(0.3), -math.sin(0.3), 7.0), (math.sin(0.3), math.cos(0.3), 9.0), SAME[2]))
    text = "G21 G91 G17\nG1 F100\n" + "X0.3333\n" * 1000 + "M2\n"
    last = read_gcode(fitted(text, warp))[-1]
    assert math.dist((last.x, last.y), warp.at((333.3, 0.0))) < 1e-3
    plot = fitted("IN;SP1;PR;PD" + ",".join(["13,1"] * 1000) + ";PU;", warp)
    last = read_hpgl(plot)[-1]
    assert math.dist((last.x, last.y), warp.at((325.0, 25.0))) < 5e-3


def test_a_plotters_own_units_are_taken_into_the_places() -> None:
    text = "IN;IP0,0,4000,4000;SC0,100,0,100;SP1;PU10,10;PD20,10,20,30;PU;"
    moves = read_hpgl(fitted(text, AWAY).replace("IP0,0,4000,4000;SC;", ""))
    assert [v for m in moves if m.z <= 0 for v in (m.x, m.y)] == pytest.approx([110, 60, 120, 60, 120, 80])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (HEAD + "G92 X0 Y0\n", "line 3: G92: offsets set by the program"),
        (HEAD + "M98 P100\n", "line 3: M98: subprograms"),
        (HEAD + "G92.1\n", "line 3: G92.1: offsets set by the program"),
        (HEAD + "G5 X1 Y1 I1 J1 P1 Q1\n", "line 3: G5: splines"),
        ("G54\n" + HEAD + "G55 X1\n", "line 4: G55: places that count from several zeros"),
        (HEAD + "G18\nG2 X1 Z1 I1 K0\n", "line 3: G18: arcs in another plane"),
        (HEAD + "G1 X[#1+2] F100\n", "line 3: arithmetic"),
        (HEAD + "O100 sub\n", "line 3: arithmetic and subprograms"),
        (HEAD + "G28 X0 Y0\n", "line 3: G28"),
        (HEAD + "G91 G81 X1 Z-1 R1 F100\n", "line 3: G81: holes counted"),
        (HEAD + "G2 X10 Y0 I3 J0 F100\n", "line 3: no circle goes round"),
        ("IN;SP1;\nPU0,0;LBHello\x03;", "line 2: LB can’t be mapped"),
        ("IN;SP1;SC0,1,0,1;", "line 1: SC: a scale between corners"),
        ("IN;SP1;PD1,2,3;", "line 1: PD: an X without its Y"),
        ('<svg width="9mm" height="9mm" viewBox="0 0 9 9">\n<text x="1" y="1">Hi</text></svg>', "line 2: text"),
        ('<svg width="9mm" height="9mm" viewBox="0 0 9 9">\n\n<use href="#a"/></svg>', "line 3: use"),
        ('<svg width="9mm" height="9mm" viewBox="0 0 9 9"><path d="M1 1L2"/></svg>', "line 1: path: "),
        (
            '<svg width="9mm" height="9mm" viewBox="0 0 9 9"><path d="L1 1"/></svg>',
            "line 1: path: 'L1 1' begins nowhere",
        ),
        ('<svg width="9mm" height="9mm" viewBox="0 0 9 9"><g></svg>', "line 1: can’t read the drawing"),
        ("0\nSECTION\n2\nENTITIES\n0\nTEXT\n8\n0\n10\n1\n20\n2\n0\nENDSEC\n0\nEOF\n", "line 5: TEXT: can’t be mapped"),
        ("0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n0\n10\nfar\n20\n2\n0\nENDSEC\n", "line 5: LINE: 'far' is no number"),
        ("", "empty"),
    ],
)
def test_what_cannot_be_mapped_is_refused_with_its_line(text: str, says: str) -> None:
    with pytest.raises(FileFormatError) as caught:
        fit_file(text.encode("latin-1") if text.startswith("IN") else text.encode(), QUARTER)
    assert says in str(caught.value)


def test_what_hides_in_a_drawing_is_left_alone_or_refused() -> None:
    bomb = '<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg width="9mm" height="9mm" viewBox="0 0 9 9"><path d="&a;"/></svg>'
    with pytest.raises(FileFormatError, match="declares things of its own"):
        fit_file(bomb.encode(), QUARTER)
    aside = '<defs><clipPath id="c"><rect x="1" y="1" width="2" height="2"/></clipPath></defs>'
    text = f'<svg width="9mm" height="9mm" viewBox="0 0 9 9">{aside}<rect x="1" y="1" width="2" height="2"/></svg>'
    after = fitted(text)
    assert aside in after
    assert after.count("<path") == 1


def test_a_map_that_turns_the_file_inside_out_is_refused() -> None:
    wild = Warp((SAME[0], SAME[1], (-0.1, 0.0, 1.0)))
    with pytest.raises(FileFormatError, match="inside out"):
        fit_file((HEAD + "G1 X50 F100\n").encode(), wild)


@pytest.mark.parametrize(
    ("data", "name", "kind"),
    [
        (b"IN;SP1;", "a.txt", "hpgl"), (b"PD10,10;", "", "hpgl"), (b"XX", "a.plt", "hpgl"), (b"%\nG21\n", "", "gcode"),
        (b"\xef\xbb\xbf<?xml version='1.0'?>\n<svg/>", "", "svg"), (b"  0\nSECTION\n", "", "dxf"),
        (b"999\nmade up\n0\nSECTION\n", "", "dxf"), (b"N1 G0 X1\n", "a.dxf", "gcode"),
    ],
)  # fmt: skip
def test_what_a_file_is_shows_in_its_content(data: bytes, name: str, kind: str) -> None:
    assert kind_of_file(data, name) == kind


CROSSED = """<svg width="200mm" height="100mm" viewBox="0 0 400 200"><g id="Marks">
<path d="M20 30h20M30 20v20"/><g transform="translate(300 100)"><path d="M-10 0L10 0M0 -10L0 10"/></g>
<circle cx="30" cy="170" r="4"/></g><path id="cut" d="M100 100h50M125 75v50"/></svg>"""


def test_marks_are_the_crosses_of_their_layer() -> None:
    assert np.array(marks_in(CROSSED.encode())) == pytest.approx(np.array([(15, 85), (150, 50), (15, 15)]))
    document = bench.ezdxf.new("R2000", units=4)
    for x, y in ((10, 10), (190, 12)):
        document.modelspace().add_line((x - 5, y), (x + 5, y), dxfattribs={"layer": "MARKS"})
        document.modelspace().add_line((x, y - 5), (x, y + 5), dxfattribs={"layer": "MARKS"})
    document.modelspace().add_line((0, 0), (200, 200))
    stream = bench.io.StringIO()
    document.write(stream)
    assert np.array(marks_in(stream.getvalue().encode())) == pytest.approx(np.array([(10, 10), (190, 12)]))
    with pytest.raises(InputError, match="no cross stands"):
        marks_in(b'<svg width="9mm" height="9mm" viewBox="0 0 9 9"/>')
    with pytest.raises(InputError, match="no layers"):
        marks_in(b"IN;SP1;")


# What the machine errs by


def test_errors_alone_are_undone() -> None:
    """A square of 100 on a machine 2 mm per m long along X, 1 short along Y, Y leaning by 3."""
    laid = lay([], [], errors={"x_scale": 2.0, "y_scale": -1.0, "skew": 3.0})
    A = np.array([[1.002, 0.999 * math.sin(math.atan(0.003))], [0, 0.999 * math.cos(math.atan(0.003))]])
    for p in ((0, 0), (100, 0), (100, 100), (0, 100)):
        assert A @ laid.warp.at(p) == pytest.approx(p, abs=1e-9)
    assert laid.verdict is None


def test_marks_that_were_aimed_at_contain_the_errors_already() -> None:
    """An affine fit stays as it is; a similarity gains the machine's own shape."""
    marks = [(0.0, 0.0), (200.0, 0.0), (200.0, 280.0), (0.0, 280.0), (100.0, 140.0)]
    errors = {"x_scale": 1.5, "y_scale": -0.8, "skew": 2.0}
    lies = Warp(((math.cos(0.4), -math.sin(0.4), 60.0), (math.sin(0.4), math.cos(0.4), 80.0), SAME[2]))
    A = erring(1.5e-3, -0.8e-3, 2e-3)
    seen = [undone(A).at(lies.at(m)) for m in marks]
    for model in ("affine", "similarity", "projective"):
        plain, told = (lay(marks, seen, model, e).warp for e in (None, errors))
        for p in ((10.0, 20.0), (180.0, 250.0)):
            assert A.at(told.at(p)) == pytest.approx(lies.at(p), abs=1e-6)
            if model != "similarity":
                assert plain.at(p) == pytest.approx(told.at(p), abs=1e-6)
    assert math.dist(lay(marks, seen, "similarity").warp.at((200, 280)), seen[2]) > 0.1


@pytest.mark.parametrize("seed", range(8))
def test_a_print_done_elsewhere_is_cut_within_a_tenth(
    seed: int, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """By the command line: laid down turned by a quarter and a little, aimed at by hand, cut on a machine that errs."""
    rng = random.Random(seed)
    printed = Warp(((1 + rng.gauss(0, 1e-3), rng.gauss(0, 5e-4), 0), (0, 1 + rng.gauss(0, 1e-3), 0), SAME[2]))
    turn = math.radians(rng.choice((0, 90, 180)) + rng.uniform(-3, 3))
    lies = Warp(((math.cos(turn), -math.sin(turn), 450.0), (math.sin(turn), math.cos(turn), 400.0), SAME[2]))
    motion = {a: 100 * (1 + rng.gauss(0, 1e-3)) for a in "xy"}
    truth = Truth(motion, {}, 0.1, 0, (0, 0), 0, skew=rng.gauss(0, 1e-3), thickness=0.2)
    steps = {f"{a}_steps": StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0) for a in "xy"}
    x, y = (100 / motion[a] for a in "xy")
    A = Warp(((x, y * truth.skew, 0), (0, y, 0), SAME[2]))
    marks = [(10.0, 10.0), (200.0, 10.0), (200.0, 287.0), (10.0, 287.0), (105.0, 148.5)]
    seen = [tuple(v + rng.gauss(0, 0.02) for v in undone(A).at(lies.at(printed.at(m)))) for m in marks]
    cut = "IN;SP1;PU1200,1200;PD7600,1200,7600,10600,1200,10600,1200,1200;PU;SP0;"
    (tmp_path / "cut.plt").write_text(cut)
    at, there = (";".join(f"{x:.3f},{y:.3f}" for x, y in places) for places in (marks, seen))
    file, out = (str(tmp_path / name) for name in ("cut.plt", "out.plt"))
    assert main(["fit", file, "--marks", at, "--seen", there, "-o", out]) == 0
    body = json.loads(capsys.readouterr().out)
    assert (body["model"], body["strokes"], body["verdict"]) == ("affine", 1, "in")
    assert body["length"][0] == pytest.approx(2 * (160 + 235))
    made = Router(truth, steps, 1).make(Path(out).read_text())
    (line,) = made.lines
    wanted = [
        lies.at(printed.at((x / 40, y / 40))) for x, y in ((1200, 1200), (7600, 1200), (7600, 10600), (1200, 10600))
    ]
    assert max(min(math.dist(w, p) for p in line) for w in wanted) <= 0.1


def run(tmp_path: Path, *words: str) -> int:
    (tmp_path / "a.nc").write_text(HEAD + "G1 X10 F100\n")
    return main(["fit", str(tmp_path / "a.nc"), *words, "-o", str(tmp_path / "out.nc")])


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ((), "--marks: give marks and where they were seen"),
        (("--marks", "1,1", "--seen", "1,1;2,2"), "--seen: expected as many as there are marks, 1, got 2"),
        (("--marks", "1;1", "--seen", "1,1"), "--marks: expected X,Y;X,Y…, got '1'"),
        (("--marks", "1,inf", "--seen", "1,1"), "--marks: 'inf' is too large"),
        (("--errors", "tilt=1"), "--errors: tilt is not known here; expected some of x_scale, y_scale, skew"),
        (("--errors", "skew=1,skew=2"), "--errors: expected NAME=MM_PER_M,…, each once"),
        (("--errors", "skew=9000"), "--errors: skew: at most 500"),
        (("--marks", "find", "--seen", "1,1"), "--marks: this file has no layers"),
        (("--marks", "0,0;1,1;2,2", "--seen", "0,0;1,1;2,2"), "--marks: these marks lie in a line"),
        (("--errors", "skew=1", "--tolerance", "0"), "--tolerance: must be larger than 0"),
    ],
)
def test_what_does_not_go_together_is_said_and_nothing_is_written(
    words: tuple[str, ...], says: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert run(tmp_path, *words) == 2
    assert says in capsys.readouterr().err
    assert not (tmp_path / "out.nc").exists()


def test_places_may_be_given_in_inches(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(tmp_path, "--marks", "0,0;1,0", "--seen", "2,1;2,2", "--unit", "in") == 0
    body: dict[str, Any] = json.loads(capsys.readouterr().out)
    assert body["shift"] == pytest.approx([50.8, 25.4])
    assert body["turn_deg"] == pytest.approx(90)
    assert (tmp_path / "out.nc").read_text().splitlines()[2] == "G1 X50.8 Y35.4 F100"
