"""Second tool, drag blade and camera on the command line, and the cross that a camera sees."""

from __future__ import annotations

import json
import math
import struct
import zlib
from collections.abc import Mapping
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray
from PIL import Image, ImageCms
from scipy.optimize import least_squares

from crosses import beside_an_edge, of_a_cross, without_a_cross
from keen_compass.cli import main
from keen_compass.errors import InputError
from keen_compass.formats import pictures
from keen_compass.formats.pictures import read_grey
from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.verdict import Verdict
from keen_compass.solve.cross import Cross, find_cross
from keen_compass.words.say import Show, say


def solved(name: str, readings: Mapping[str, Any], **changes: Any) -> Solution:
    body = load(name).example() | changes
    body["readings"] = [{"measurand": m, "values": v if isinstance(v, list) else [v]} for m, v in readings.items()]
    return load(name).solve(case_from_json(json.loads(json.dumps(body))))


def codes(solution: Solution) -> set[str]:
    return {n.code for f in solution.findings for n in f.notes} | {n.code for n in solution.notes}


def both(solution: Solution) -> tuple[Finding, Finding]:
    x, y = solution.findings
    return x, y


# Second tool


@pytest.mark.parametrize(
    ("form", "flips", "units"),
    list(product(("secondary_minus_tool", "tool_minus_secondary"), product((False, True), repeat=2), ("mm", "in"))),
)
def test_lines_astride_a_cut_find_the_second_tool(form: str, flips: tuple[bool, bool], units: str) -> None:
    """The second tool really sits at o; by the offset that is held it lands beside the cut; the new one is o."""
    true, held, size = (31.2, -4.7), (31.9, -5.1), 25.4 if units == "in" else 1.0
    sign = [(1 if form == "secondary_minus_tool" else -1) * (-1 if f else 1) for f in flips]
    lands = [t - h for t, h in zip(true, held, strict=True)]  # the machine moves it by −held
    readings = {}
    for axis, d in zip("xy", lands, strict=True):
        readings |= {f"{axis}_high": [round(5 + d, 1)] * 2, f"{axis}_low": [round(5 - d, 1)] * 2}
    machine = {
        "offset_form": form, "controller_units": units, "decimals": 4,
        "flipped": [q for q, f in zip(("second_tool_x", "second_tool_y"), flips, strict=True) if f],
        "values": {q: s * h / size for q, s, h in zip(("second_tool_x", "second_tool_y"), sign, held, strict=True)},
    }  # fmt: skip
    found = both(solved("second-tool", readings, machine=machine))
    for f, s, t in zip(found, sign, true, strict=True):
        assert f.new == pytest.approx(s * t / size, abs=0.06 / size)
        assert f.error is not None
    assert [f.error for f in found] == [pytest.approx(-d, abs=0.06) for d in lands]
    assert set(found[0].covariance_with) == {"second_tool_y"}


def test_what_the_gaps_cannot_be_is_asked_about() -> None:
    plain = {"x_high": 5.2, "x_low": 4.8, "y_high": 4.9, "y_low": 5.1}
    assert {f.verdict for f in solved("second-tool", plain).findings} <= {Verdict.OUT, Verdict.CANNOT_TELL, Verdict.IN}
    assert "second_tool.spacing" in codes(solved("second-tool", plain | {"x_high": 6.2}))
    assert "second_tool.spacing" not in codes(solved("second-tool", plain | {"x_high": 6.2}, confirmed=True))
    assert codes(solved("second-tool", {"x_high": 5.2})) == {"nothing_read"}
    for wrong in ({"way": "glue"}, {"way": "vernier", "pitch": 0}, {"way": "vernier", "divisions": 2.5}, {"colour": 1}):
        with pytest.raises(InputError, match="piece"):
            solved("second-tool", plain, piece=wrong)


@pytest.mark.parametrize("whole", [-2, 0, 1])
@pytest.mark.parametrize("line", [-7, 0, 3.5, 9])
def test_a_vernier_and_a_rule_say_it_together(whole: int, line: float) -> None:
    piece = {"way": "vernier", "pitch": 1.0, "divisions": 20}
    d = whole + line / 20
    readings = {"x_coarse": round(d, 1), "x_line": line, "y_coarse": 0.0, "y_line": 0}
    x, _ = both(solved("second-tool", readings, piece=piece))
    assert x.error == pytest.approx(-d)
    finer, coarser = (
        both(solved("second-tool", readings | {"x_line": n, "x_coarse": n / 20}, piece=piece))[0] for n in (2.5, 2)
    )
    assert (finer.expanded_uncertainty or 0) < (coarser.expanded_uncertainty or 0)
    odd = solved("second-tool", readings | {"x_coarse": d + 0.45}, piece=piece)
    assert "second_tool.disagree" in codes(odd)
    assert {f.verdict for f in odd.findings} == {Verdict.IMPLAUSIBLE}


# Drag blade


def test_the_corner_that_closes_says_how_far_a_blade_trails() -> None:
    for pick, value in ((4, 0.25), (4.5, 0.275), (2, 0.15)):
        (f,) = solved("drag-blade", {"pick": pick}).findings
        assert f.new == pytest.approx(value)
        assert f.error == pytest.approx(0.2 - value)
        assert f.expanded_uncertainty is not None
        # Nothing is known between two corners: a rectangle as wide as the step, half as wide between two; and an eye
        # tells to 0.01 mm whether one closes.
        half = 0.05 / (4 if pick % 1 else 2)
        drawn = np.random.default_rng(1).uniform(-half, half, 200_000) + np.random.default_rng(2).normal(
            0, 0.01, 200_000
        )
        assert f.expanded_uncertainty == pytest.approx(np.quantile(np.abs(drawn), 0.95), rel=0.06)
    for pick in (1, 7):
        (f,) = solved("drag-blade", {"pick": pick}).findings
        assert f.verdict is Verdict.CANNOT_TELL
        assert "goes beyond it" in say(f.notes[0])
    (uneven,) = solved("drag-blade", {"pick": 2}, piece={"values": [0.1, 0.2, 0.5]}).findings
    assert (uneven.expanded_uncertainty or 0) > 0.13
    for wrong in ({"values": [0.1]}, {"values": [0.2, 0.1]}, {"values": [1, 9]}):
        with pytest.raises(InputError, match=r"piece\.values"):
            solved("drag-blade", {"pick": 1}, piece=wrong)
    with pytest.raises(InputError):
        solved("drag-blade", {"pick": 9})


# Camera

MOVES = [[0, 0], [4, 0], [0, 4], [-4, 0], [0, -4], [3, -3]]


def pictures_of(
    M: np.ndarray[Any, Any], d: tuple[float, float], moves: list[list[float]], noise: float, rng: np.random.Generator
) -> list[list[float]]:
    """Where a cross is seen after each move, written out from the definition."""
    c = np.array([640.0, 480.0])
    return [[float(v) for v in c - np.linalg.solve(M, np.array(d) + m) + rng.normal(0, noise, 2)] for m in moves]


def matrix(scale: float, turn: float, mirrored: bool, shear: float = 0.0) -> np.ndarray[Any, Any]:
    """Pixels → mm: v runs down, so a picture that isn't mirrored has a negative determinant."""
    c, s = math.cos(turn), math.sin(turn)
    return scale * np.array([[c, -s], [s, c]]) @ np.array([[1, shear], [0, 1]]) @ np.diag([1, 1 if mirrored else -1])


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("turn", [0.0, 1.2, -2.9])
def test_a_camera_is_found_exactly_where_nothing_is_noisy(mirrored: bool, turn: float) -> None:
    M, d = matrix(0.02, turn, mirrored, 0.03), (0.4, -0.25)
    seen = pictures_of(M, d, MOVES, 0.0, np.random.default_rng(1))
    piece = {"picture": [1280, 960], "moves": MOVES}
    solution = solved("camera", {"cross": seen}, piece=piece)
    assert np.allclose(solution.figures["matrix"], M, atol=1e-9)
    assert solution.figures["mirrored"] is mirrored
    assert math.remainder(math.radians(solution.figures["turn_deg"]) - math.atan2(M[1, 0], M[0, 0]), math.tau) == (
        pytest.approx(0, abs=1e-9)
    )
    assert [f.error for f in solution.findings] == [pytest.approx(-0.4), pytest.approx(0.25)]  # set − true
    assert [f.new for f in solution.findings] == [pytest.approx(42.4, abs=0.005), pytest.approx(-3.75, abs=0.005)]
    assert ("camera.mirrored" in codes(solution)) is mirrored
    words = say(next(n for n in solution.findings[0].notes if n.code == "camera.moves"), Show())
    assert "0.40 mm +X, 0.25 mm −Y" in words


def test_a_camera_is_that_of_an_independent_solution() -> None:
    rng = np.random.default_rng(5)
    for _ in range(10):
        M, d = matrix(0.02, rng.uniform(-3, 3), bool(rng.integers(2))), tuple(rng.uniform(-1, 1, 2))
        seen = pictures_of(M, d, MOVES, 0.4, rng)

        def off(k: np.ndarray[Any, Any], seen: list[list[float]] = seen) -> np.ndarray[Any, Any]:
            A = np.linalg.inv(k[2:].reshape(2, 2))
            return np.array([[640, 480] - A @ (k[:2] + m) - s for m, s in zip(MOVES, seen, strict=True)]).ravel()

        best = least_squares(off, [*d, *M.ravel()], x_scale=[1, 1, *[0.02] * 4], xtol=1e-15, ftol=1e-15, gtol=1e-15)
        found = solved("camera", {"cross": seen}, piece={"picture": [1280, 960], "moves": MOVES}, confirmed=True)
        assert [-(f.error or 0) for f in found.findings] == [pytest.approx(v, abs=1e-6) for v in best.x[:2]]


@pytest.mark.parametrize(("moves", "noise"), [(MOVES, 0.4), (MOVES[:4], 1.0), (MOVES[:3], 0.3)])
def test_where_the_camera_sits_is_so_in_95_of_100(moves: list[list[float]], noise: float) -> None:
    """Moves that come to rest a little off, crosses found a little off, greys that round."""
    rng, inside = np.random.default_rng(17), []
    for _ in range(120):
        M, d = matrix(0.02, rng.uniform(-3, 3), bool(rng.integers(2))), tuple(rng.uniform(-1, 1, 2))
        really = [[x + rng.uniform(-0.01, 0.01), y + rng.uniform(-0.01, 0.01)] for x, y in moves]
        seen = pictures_of(M, d, really, noise, rng)
        found = solved("camera", {"cross": seen}, piece={"picture": [1280, 960], "moves": moves}, confirmed=True)
        for f, t in zip(found.findings, d, strict=True):
            inside.append(abs((f.error or 0) + t) <= (f.expanded_uncertainty or 0))
    assert 0.92 <= np.mean(inside) <= 1.0, np.mean(inside)


def test_what_a_camera_cannot_say_is_said() -> None:
    rng, M = np.random.default_rng(2), matrix(0.02, 0.1, False)
    line = [[0, 0], [2, 2], [5, 5]]
    flat = solved("camera", {"cross": pictures_of(M, (0, 0), line, 0.1, rng)}, piece={"moves": line})
    assert {f.verdict for f in flat.findings} == {Verdict.UNRESOLVED}
    assert codes(flat) == {"camera.in_a_line"}
    seen = pictures_of(M, (0.1, 0.1), MOVES, 0.1, rng)
    seen[3][0] += 40
    missed = solved("camera", {"cross": seen}, piece={"moves": MOVES})
    assert {f.verdict for f in missed.findings} == {Verdict.IMPLAUSIBLE}
    assert "Picture 4 doesn’t fit" in say(missed.findings[0].notes[0])
    assert "camera.untested" in codes(solved("camera", {"cross": seen[:3]}, piece={"moves": MOVES[:3]}))
    with pytest.raises(InputError, match="one \\[u, v\\] for each of the 6 moves, got 2"):
        solved("camera", {"cross": seen[:2]}, piece={"moves": MOVES})
    for wrong in ({"moves": MOVES[:2]}, {"moves": MOVES, "picture": [0, 5]}):
        with pytest.raises(InputError, match="piece"):
            solved("camera", {"cross": seen}, piece=wrong)


# The cross in a picture


def offs(seeds: range, *, half_hidden: bool = False) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any], int]:
    """(how far off in u and v, px; the same in standard uncertainties; how many were not found)."""
    off, z, lost = [], [], 0
    for seed in seeds:
        picture, (u, v) = of_a_cross(seed, half_hidden=half_hidden)
        found = find_cross(picture)
        if found is None:
            lost += 1
            continue
        off.append((found.u - u, found.v - v))
        z.append(((found.u - u) / found.u_u, (found.v - v) / found.u_v))
    return np.array(off), np.array(z), lost


@pytest.mark.heavy
def test_a_cross_is_found_to_a_part_of_a_pixel() -> None:
    off, _, lost = offs(range(6))
    assert lost == 0
    assert math.sqrt((off**2).mean()) < 0.05
    hidden, _, lost = offs(range(100, 103), half_hidden=True)
    assert lost == 0
    assert math.sqrt((hidden**2).mean()) < 0.2
    assert [seed for seed in range(6) if find_cross(without_a_cross(seed))] == []


@pytest.mark.heavy
def test_crosses_are_found_and_nothing_else_is_in_many_pictures() -> None:
    off, z, lost = offs(range(1000, 1012))
    assert lost == 0
    assert math.sqrt((off**2).mean()) < 0.05
    assert 0.9 <= (np.abs(z) < 1.96).mean() <= 0.995
    assert [seed for seed in range(300, 306) if find_cross(without_a_cross(seed))] == []


def test_a_cross_beside_the_edge_of_a_picture_is_found() -> None:
    off, lost = [], 0
    for seed in range(8):
        picture, (u, v) = beside_an_edge(seed)
        found = find_cross(picture)
        lost += found is None
        if found is not None:
            off += [(found.u - u) / found.u_u, (found.v - v) / found.u_v]
    assert lost <= 2
    assert np.mean(np.abs(off) < 1.96) >= 0.8
    assert np.max(np.abs(off)) < 5


def test_of_a_large_picture_only_what_is_about_the_cross_is_looked_at() -> None:
    """What is beyond may be anything: the cross is found at the same place to the last digits."""
    picture, (u, v) = of_a_cross(11, (1500, 2000))
    found = find_cross(picture)
    assert found is not None
    assert (found.u, found.v) == (pytest.approx(u, abs=0.2), pytest.approx(v, abs=0.2))
    far = np.hypot(*(np.indices(picture.shape).T - (v, u)).T) > 800
    beyond = find_cross(np.where(far, 0.99 * picture, picture))
    assert beyond is not None
    assert (beyond.u, beyond.v, beyond.u_u) == pytest.approx((found.u, found.v, found.u_u), abs=1e-9)


def test_of_two_crosses_the_one_that_is_pointed_at() -> None:
    one, (u, v) = of_a_cross(7, (480, 640))
    other, (a, b) = of_a_cross(8, (480, 640))
    beside = np.concatenate([one, other], axis=1)
    for near, at in (((u + 15, v - 10), (u, v)), ((a + 640 - 12, b + 9), (a + 640, b))):
        found = find_cross(beside, near)
        assert isinstance(found, Cross)
        assert (found.u, found.v) == (pytest.approx(at[0], abs=0.3), pytest.approx(at[1], abs=0.3))


@pytest.fixture
def photo(tmp_path: Path) -> tuple[Path, tuple[float, float]]:
    picture, at = of_a_cross(21, (480, 640))
    file = tmp_path / "cross.png"
    Image.fromarray(picture.astype(np.uint8)).save(file)
    return file, at


@pytest.mark.parametrize("kind", ["png", "jpg", "webp", "tif", "16 bit", "clear", "turned"])
def test_pictures_are_read_as_they_are_meant(
    photo: tuple[Path, tuple[float, float]], kind: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file, (u, v) = photo
    with Image.open(file) as opened:
        grey = opened.copy()
    to = tmp_path / f"other.{kind if len(kind) < 5 else 'png'}"
    match kind:
        case "16 bit":
            Image.fromarray(np.asarray(grey, np.uint16) * 257).save(to)
        case "clear":  # dark strokes, everything else transparent
            dark = 255 - np.asarray(grey)
            zero = np.zeros_like(dark)
            Image.fromarray(np.dstack([zero, zero, zero, dark])).save(to)
        case "turned":  # as a camera that was held upright says
            exif = Image.Exif()
            exif[0x0112] = 6
            to = tmp_path / "other.jpg"
            grey.rotate(90, expand=True).save(to, exif=exif, quality=97)
        case "jpg":
            grey.save(to, quality=95)
        case _:
            grey.save(to)
    assert main(["find-cross", str(to)]) == 0
    said = json.loads(capsys.readouterr().out)
    assert (said["u"], said["v"]) == (pytest.approx(u, abs=0.2), pytest.approx(v, abs=0.2))
    assert said["arms"] in (3, 4)
    assert 0 < said["u_uncertainty"] < 0.3


def png_of_16_bits(rows: NDArray[np.uint16]) -> bytes:
    """RGB, as the standard says it, made by hand: Pillow writes none."""
    high, wide, _ = rows.shape
    body = b"".join(b"\0" + row.astype(">u2").tobytes() for row in rows)
    parts = (
        (b"IHDR", struct.pack(">IIBBBBB", wide, high, 16, 2, 0, 0, 0)),
        (b"IDAT", zlib.compress(body)),
        (b"IEND", b""),
    )
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data)) for kind, data in parts
    )


@pytest.mark.parametrize(
    "mode", ["1", "L", "LA", "PA", "I;16", "I", "F", "P, clear", "RGB", "RGBA", "RGB;16", "CMYK", "LAB", "YCbCr",
             "0 is white", "0 is white, 16 bits", "16 bits, clear"],
)  # fmt: skip
def test_every_mode_of_a_picture_says_the_same(mode: str, tmp_path: Path) -> None:
    """Dark to light, and a corner that is white or clear."""
    grey = np.tile(np.linspace(0, 255, 96).round().astype(np.uint8), (64, 1))
    grey[:20, :30] = 255
    plain, file = (
        Image.fromarray(grey),
        tmp_path / ("p.png" if "clear" in mode or mode in ("LA", "RGBA", "RGB;16") else "p.tif"),
    )
    deep = grey.astype(np.uint16) * 257
    see_through = np.where(grey == 255, 0, 255).astype(np.uint8)
    match mode:
        case "1":
            grey = np.where(grey > 127, 255, 0).astype(np.uint8)
            Image.fromarray(grey).convert("1").save(file)
        case "LA" | "RGBA" | "PA":
            clear = plain.convert("RGBA")
            clear.putalpha(Image.fromarray(see_through))
            clear.convert("LA" if mode == "PA" else mode).save(file)
        case "I;16" | "0 is white, 16 bits":
            Image.fromarray(deep if mode == "I;16" else 65535 - deep).save(file)
            if mode != "I;16":
                black_is_zero = b"\x06\x01\x03\x00\x01\x00\x00\x00\x01\x00"
                assert file.read_bytes().count(black_is_zero) == 1
                file.write_bytes(file.read_bytes().replace(black_is_zero, black_is_zero[:-2] + b"\0\0"))
        case "16 bits, clear":
            Image.fromarray(np.where(grey == 255, 7, deep).astype(np.uint16)).save(file, transparency=7)
        case "I":
            Image.fromarray(deep.astype(np.int32)).save(file)
        case "F":
            Image.fromarray((grey / 255).astype(np.float32)).save(file)
        case "P, clear":
            plain.convert("P").save(file, transparency=255)
        case "RGB;16":
            file.write_bytes(png_of_16_bits(np.dstack([deep] * 3)))
        case "LAB":
            srgb, lab = ImageCms.createProfile("sRGB"), ImageCms.createProfile("LAB")
            ImageCms.profileToProfile(plain.convert("RGB"), srgb, lab, outputMode="LAB").save(file)
        case "0 is white":
            plain.save(file, tiffinfo={262: 0})
        case _:
            plain.convert(mode).save(file)
    read = pictures.read_grey(file)
    assert np.abs(read - grey).max() <= (2.5 if mode == "LAB" else 1.5 if mode == "YCbCr" else 0.5)


def test_of_two_crosses_neither_is_taken_and_one_at_the_edge_is_none(
    photo: tuple[Path, tuple[float, float]], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file, (u, v) = photo
    with Image.open(file) as opened:
        grey = np.asarray(opened)
    both, cut = tmp_path / "both.png", tmp_path / "cut.png"
    Image.fromarray(np.hstack([grey, grey])).save(both)
    assert main(["find-cross", str(both)]) == 2
    assert "two crosses" in capsys.readouterr().err
    assert main(["find-cross", str(both), "--near", f"{u + 640},{v}"]) == 0
    assert json.loads(capsys.readouterr().out)["u"] == pytest.approx(u + 640, abs=0.2)
    Image.fromarray(grey[:, round(u) - 5 :]).save(cut)  # its middle is 5 pixels from the edge
    assert main(["find-cross", str(cut)]) == 2
    assert "edge" in capsys.readouterr().err


def test_what_is_no_picture_is_refused_in_words(
    photo: tuple[Path, tuple[float, float]], tmp_path: Path, capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:  # fmt: skip
    file, _ = photo
    (tmp_path / "words.png").write_text("no picture")
    (tmp_path / "half.png").write_bytes(file.read_bytes()[:2000])
    Image.new("L", (400, 300), 200).save(tmp_path / "empty.png")
    for name, says in (
        ("words.png", "is no picture"), ("half.png", "read to its end"), ("empty.png", "shows no cross"),
        ("nowhere.png", "No such file"),
    ):  # fmt: skip
        assert main(["find-cross", str(tmp_path / name)]) == 2
        assert says in capsys.readouterr().err
    for near in ("here", "1,2,3", "nan,1"):
        assert main(["find-cross", str(file), "--near", near]) == 2
        assert "--near" in capsys.readouterr().err
    monkeypatch.setattr(pictures, "MOST_PIXELS", 1000)
    with pytest.raises(InputError, match="pixels"):
        read_grey(file)
