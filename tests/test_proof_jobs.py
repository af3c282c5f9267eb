"""Proof jobs: artwork printed, left to dry, laid down anyhow, cut where it was printed; through real files."""

from __future__ import annotations

import io
import json
import math
import random
import subprocess
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import ezdxf.addons.hpgl2.api
import numpy as np
import pypdfium2
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from shapely import MultiLineString, Point, Polygon, box, hausdorff_distance

from driving import choose, click, focus, press, shown, tab_to
from keen_compass.app.round.borders_surface import BordersSurface
from keen_compass.app.waiting import Dropped, Waiting
from keen_compass.app.window import MainWindow
from keen_compass.cli import main
from keen_compass.errors import InputError, PieceError
from keen_compass.machines.profile import Machine
from keen_compass.pieces.outline import Outset, outlined
from keen_compass.pieces.page import CROSS, PAPERS
from keen_compass.pieces.sticker import Order, Sticker, border_places, laid, lines_to_cut, sticker_page, to_sheet
from keen_compass.practice import paper, stand_in
from keen_compass.practice.playing import artwork, cut, prepare_sheet, read_all
from keen_compass.procedures import load
from keen_compass.procedures.stages import Stage, Step
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.marks import ArtworkChosen
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth
from keen_compass.words.say import say
from looks import check_looks, settle
from plotters import PLOTTER, plotter, shop_of
from test_artwork import area_of, svg
from test_drawings import BODIES
from test_window_sheets import begin, page_of, read_texts, step_of

RETURN = Qt.Key.Key_Return
TERN = replace(PLOTTER, uid="tern", name="Tern")
JOBS = 10  # 200 were run, and can be again
SVG = artwork("harbour-sticker.svg")
PNG = artwork("garden-label.png")


@pytest.fixture
def tern(tmp_path: Path) -> Iterator[Shop]:
    """A plotter whose numbers are right."""
    made, _ = shop_of(tmp_path / "tern.kcshop", 3, TERN)
    put_right(made, 3)
    yield made
    made.close()


def put_right(shop: Shop, seed: int, machine: Machine = TERN, **truth: object) -> None:
    """Pointer, sensor and print scale as they should be, within what its controller keeps."""
    known = replace(plotter(seed)[0], **truth)  # type: ignore[arg-type]
    shop.put_stand_in(machine.uid, known.to_json())
    for head, sits in known.heads.items():
        for axis, mm in zip("xy", sits, strict=True):
            shop.put_value(machine.uid, f"{head}_{axis}", StoredAmount(f"{head}_{axis}", "mm", round(mm, 3)), "typed")
    steps = {f"{a}_steps": StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0) for a in "xy"}
    for axis in "xy":
        q = f"print_scale_{axis}"
        held = {**steps, q: StoredResolution.untouched(ResolutionForm.PERCENT_100)}
        right = known.with_carrier("mat").right(q, held)
        shop.put_value(machine.uid, q, StoredResolution(ResolutionForm.PERCENT_100, round(right, 3)), "typed")


def job(shop: Shop, data: bytes = SVG, file: str = "harbour-sticker.svg", **settings: object) -> RoundSession:
    """A job of that artwork, drawn up."""
    session = RoundSession.begin(shop, shop.machine("tern"), "proof")
    session.making.artworks.put(data, file)
    if settings:
        session.making.artworks.change(**settings)
    session.making.sheets.draw_up()
    return session


def disc(r: float = 10.0) -> Sticker:
    area = Point(r, r).buffer(r, quad_segs=64)
    return Sticker("disc", 2 * r, 2 * r, outlined(area, Outset(2.0)), 2.0)


# The page


@given(
    st.sampled_from(sorted(PAPERS)), st.floats(4, 60), st.floats(4, 60), st.integers(1, 30), st.booleans(),
    st.floats(0.5, 8),
)  # fmt: skip
@settings(max_examples=80)
def test_stickers_stand_clear_of_one_another_and_of_all_that_is_printed(
    name: str, wide: float, high: float, copies: int, down: bool, border: float,
) -> None:  # fmt: skip
    size = PAPERS[name]
    sticker = Sticker("x", wide, high, outlined(box(0, 0, wide, high), Outset(border)), border)
    try:
        page = sticker_page(sticker, size, 7, copies, down=down)
    except PieceError as error:
        assert "room for" in str(error) or "this paper takes" in str(error)
        return
    assert len(page.art) == copies
    cuts = [Polygon(line) for line in lines_to_cut(sticker, page)]
    for i, one in enumerate(cuts):
        assert box(0, 0, *size).buffer(-10).contains(one)
        assert all(one.distance(other) > 5.9 for other in cuts[i + 1 :])
        assert all(one.distance(Point(mark.at)) > CROSS + 3 for mark in page.marks)
        x, y = page.code_at
        assert one.distance(box(x, y, x + 22, y + 22)) > 2
    x, y = page.art[0]
    assert to_sheet((x, y), page, (3.0, 4.0)) == pytest.approx((x + 3.0, y + 4.0 if down else size[1] - y - 4.0))


def test_marks_may_be_moved_but_not_onto_a_sticker_or_off_the_paper() -> None:
    sticker, size = disc(), PAPERS["A4"]
    usual = [m.at for m in sticker_page(sticker, size, 1).marks]
    moved = sticker_page(sticker, size, 1, marks=[(30.0, 70.0), *usual[1:]])
    assert moved.marks[0].at == (30.0, 70.0)
    assert moved.marks[0].unlike
    for wrong, says in (((105.0, 150.0), "on a sticker"), ((3.0, 50.0), "inside the paper")):
        with pytest.raises(PieceError, match=says):
            sticker_page(sticker, size, 1, marks=[wrong, *usual[1:]])
    with pytest.raises(PieceError, match="room for"):
        laid(disc(200), size)


def test_the_border_is_read_at_straight_places_all_round_with_the_normal_outwards() -> None:
    for area in (box(0, 0, 60, 40), Point(20, 20).buffer(20, quad_segs=64), Polygon([(0, 0), (70, 0), (0, 50)])):
        for turned in (area, area.reverse()):
            sticker = Sticker("x", 70, 50, outlined(turned, Outset(2.0, "mitre")), 2.0)
            cut_line = Polygon(sticker.rings[-1].points)
            for x, y, nx, ny, border in border_places(sticker):
                assert math.hypot(nx, ny) == pytest.approx(1)
                assert cut_line.exterior.distance(Point(x, y)) < 1e-6
                assert not cut_line.contains(Point(x + 0.1 * nx, y + 0.1 * ny))
                assert border == 2.0
                assert area.distance(Point(x, y)) == pytest.approx(2.0, abs=0.01)  # square to it, not at a corner
                assert area.distance(Point(x - 2 * nx, y - 2 * ny)) < 0.02


# The whole loop, through the page and the file


@pytest.mark.parametrize(("file", "stands", "turned", "head", "data"), [
    ("hpgl", Standpoint(), 0.0, "pointer", SVG), ("svg", Standpoint("right", "toward"), 180.0, "sensor", PNG),
    ("hpgl", Standpoint("toward", "right"), 180.0, "tool", SVG),
    ("svg", Standpoint("left", "away"), 0.0, "pointer", PNG),
])  # fmt: skip
def test_a_print_that_is_laid_down_anyhow_is_cut_where_it_was_printed(
    tern: Shop, file: str, stands: Standpoint, turned: float, head: str, data: bytes
) -> None:
    tern.put_machine(replace(TERN, file=file, standpoint=stands))
    put_right(
        tern, 3, lies=(4.0, 9.0), laid_turned=turned, left_handed=stands.left_handed, printer=(0.004, -0.003, 0.0)
    )
    session = job(tern, data, outset=2.5)
    session.making.artworks.copies(3)
    session.making.sheets.draw_up()
    session.making.choose_option("aimed_with", head)
    cut(session)
    assert stand_in.cut_off_by(session) < 0.15
    read_all(session)
    (found,) = session.measuring.findings()
    assert found.verdict is Verdict.IN
    assert abs(found.error or 0.0) < 0.2
    session.sign("by eye")


@pytest.mark.heavy
def test_jobs_lie_within_0_15_mm_once_it_is_calibrated(tmp_path: Path) -> None:
    inside = before = 0
    for seed in range(JOBS):
        shop, truth = shop_of(tmp_path / f"{seed}.kcshop", seed, TERN)
        rng = random.Random(seed)
        lies = {"lies": (2.5, rng.uniform(0, 15)), "laid_turned": rng.choice((0.0, 0.0, 180.0))}
        if seed % 10 == 0:  # as it came, its pointer some millimetres off: then it doesn't
            shop.put_stand_in("tern", replace(truth, **lies).to_json())  # type: ignore[arg-type]
            session = job(shop)
            cut(session)
            before += stand_in.cut_off_by(session) > 0.15
            session.give_up("to be put right")
        put_right(shop, seed, **lies)
        session = job(shop)
        cut(session)
        inside += stand_in.cut_off_by(session) < 0.15
        shop.close()
    assert inside >= JOBS - 1
    assert before >= JOBS // 10 - 1


def test_what_was_printed_before_a_correction_is_cut_right_after_it(tern: Shop) -> None:
    """The job is nominal: printed and even aimed at under old numbers, it is cut by those in force."""
    tern.put_value("tern", "x_steps", StoredResolution(ResolutionForm.STEPS_PER_MM, 101.2), "typed")
    session = job(tern)
    prepare_sheet(session)
    tern.put_value("tern", "x_steps", StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0), "typed")
    session.context.changed()
    refused = session.making.refusal()
    assert refused is not None
    assert refused.code == "aimed_under_others"
    assert "X steps" in say(refused)
    with pytest.raises(PieceError, match="aim at the marks again"):
        session.making.made()
    session.making.sheets.aim_at_all_again()
    while (mark := session.making.sheets.next_mark()) is not None:
        session.making.sheets.aim(mark, paper.shows_mark(session) or "")
    stand_in.make(session)
    session.after_making()
    assert stand_in.cut_off_by(session) < 0.15


def test_a_job_that_waits_keeps_its_name_and_number_whatever_is_made_meanwhile(tern: Shop, tmp_path: Path) -> None:
    session = job(tern)
    session.making.sheets.write_pdf(tmp_path / "a.pdf")
    number = session.making.next_number()
    other = RoundSession.begin(tern, tern.machine("tern"), "registration")
    cut(other)
    assert other.context.piece is not None
    assert other.context.piece.number != number
    file = tmp_path / "tern.kcshop"
    tern.close()
    opened = Shop(file)  # another start of the program
    again = RoundSession.begin(opened, opened.machine("tern"), "proof")
    assert again.making.next_number() == number
    assert Stage.PRINT in again.making.sheets.state.done
    assert again.making.artworks.chosen.name == "Harbour sticker"
    again.making.sheets.measured("100", "100")
    with pytest.raises(InputError, match=f"waits for sheet {number}"):
        again.making.sheets.loaded(str(number + 1))
    again.making.sheets.loaded(str(number))
    while (mark := again.making.sheets.next_mark()) is not None:
        again.making.sheets.aim(mark, paper.shows_mark(again) or "")
    made = stand_in.make(again)
    assert made.number == number
    assert [stage.kind for stage in made.stages] == ["printed", "loaded", "aimed", "drawn"]
    assert made.snapshot.held
    assert made.snapshot.applied == dict.fromkeys(("shift", "turn", "scale", "skew", "offset"), "registration")
    again.context.shop.close()


def test_another_line_makes_another_print_and_can_be_undone(tern: Shop) -> None:
    session = job(tern)
    sheets, artworks = session.making.sheets, session.making.artworks
    sheets.printed()
    before = artworks.sticker()
    artworks.change(outset="4 mm")
    assert sheets.state.done == ()
    assert artworks.sticker() != before
    session.measuring.undo()
    assert artworks.sticker() == before
    assert Stage.PRINT in sheets.state.done
    artworks.rename("Quay sign")
    assert Stage.PRINT in sheets.state.done  # what it is called changes no line
    for wrong, says in (({"outset": "wide"}, "outset"), ({"outset": "900 mm"}, "outset"), ({"dpi": "many"}, "dpi")):
        with pytest.raises(InputError, match=says):
            artworks.change(**wrong)
    with pytest.raises(InputError, match="no artwork"):
        artworks.put(b"rubbish", "a.png")
    assert artworks.chosen.file == "harbour-sticker.svg"


def test_the_files_say_what_was_ordered_to_other_readers(tern: Shop) -> None:
    """HP-GL as an independent reader has it: the same lines, turned and moved as the sheet lies."""
    put_right(tern, 3, lies=(0.0, 0.0), aim=0.0, printer=(0.0, 0.0, 0.0), skew=0.0)
    session = job(tern, outset=2.0)
    prepare_sheet(session)
    text = session.making.file_text()
    document = ezdxf.addons.hpgl2.api.to_dxf(b"\x1b%1B" + text.encode(), mirror_y=False)
    read = [[(x, y) for x, y, *_ in line.get_points()] for line in document.modelspace().query("LWPOLYLINE")]
    read += [[tuple(v.dxf.location)[:2] for v in line.vertices] for line in document.modelspace().query("POLYLINE")]
    page = session.making.sheets.page()
    assert page is not None
    piece = session.context.shape(session.making.parameters())
    wanted = MultiLineString(lines_to_cut(piece.sticker, page))
    lines = MultiLineString([line for line in read if len(line) > 1])
    for got, want in zip(
        (lines.bounds[2] - lines.bounds[0], lines.bounds[3] - lines.bounds[1]),
        (wanted.bounds[2] - wanted.bounds[0], wanted.bounds[3] - wanted.bounds[1]), strict=True,
    ):  # fmt: skip
        assert got / 40 == pytest.approx(want, rel=5e-3, abs=0.08)  # 40 units for a mm; its scale is in the marks
    assert lines.length / 40 == pytest.approx(wanted.length, rel=6e-3)


def test_orders_and_parameters_are_refused_in_words() -> None:
    proof = load("proof")
    good = {"border": 2, "places": [[0, 0, 1, 0]], "size": [210, 297], "sticker": disc().to_json()}
    assert proof.piece(good).sticker == Sticker.from_json(disc().to_json())
    assert Order(disc()).copies == 1
    for wrong, where in (
        ({"sticker": {}}, "piece.sticker"), ({"sticker": {"size": [1, 1], "rings": []}}, "piece.sticker"),
        ({"sticker": {"size": [1, math.inf], "rings": [{"points": [[0, 0], [1, 0], [1, 1]]}]}}, "piece.sticker"),
        ({"copies": 0}, "piece.copies"), ({"marks": [[1, 2]]}, "piece.marks"),
        ({"aimed_with": "nose"}, "piece.aimed_with"),
    ):  # fmt: skip
        with pytest.raises(InputError) as refused:
            proof.piece({**good, **wrong})
        assert where in str(refused.value)


def rendered(pdf: bytes, dpi: float) -> np.ndarray:
    document = pypdfium2.PdfDocument(pdf)
    try:
        picture = document[0].render(scale=dpi / 72, grayscale=True).to_numpy()
    finally:
        document.close()
    return np.asarray(picture, float).reshape(picture.shape[:2])


def test_the_command_prints_and_cuts_where_it_says(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """The page to 0.02 mm at 1200 dpi, the cut's extents as two readers have them."""
    (tmp_path / "a.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="20mm"><rect width="40mm" height="20mm"/></svg>'
    )
    words = [
        "proof-job",
        str(tmp_path / "a.svg"),
        "--outset",
        "3",
        "--corners",
        "mitre",
        "--page",
        "A5",
        "--name",
        "Quay",
    ]
    assert main([*words, "--print", str(tmp_path / "p.pdf"), "--cut", str(tmp_path / "c.plt"), "--number", "12"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["name"], told["sheet"]["number"], told["parts"]) == ("Quay", 12, 1)
    x, y = told["artwork"][0]["at"]  # its upper left corner, from the paper's lower left one
    ink = 1 - rendered((tmp_path / "p.pdf").read_bytes(), 1200) / 255
    dark, per_mm = ink > 0.5, 1200 / 25.4
    for line, low, high, side in (
        (ink[round((210 - y + 10) * per_mm)], x, x + 40, 148.0),
        (ink[:, round((x + 20) * per_mm)], 210 - y, 230 - y, 210.0),
    ):
        pixels = len(line) / side  # a page is as many whole pixels
        at = np.arange(round((low - 5) * pixels), round((high + 5) * pixels))
        wide, middle = line[at].sum() / pixels, (line[at] * (at + 0.5)).sum() / line[at].sum() / pixels
        assert middle - wide / 2 == pytest.approx(low, abs=0.02)
        assert middle + wide / 2 == pytest.approx(high, abs=0.02)
    for mark in told["marks"]:
        u, v = (round(w * per_mm) for w in (mark["at"][0], 210 - mark["at"][1]))
        assert dark[v - 4 : v + 5, u - 4 : u + 5].any()
    assert told["cut"]["extents"] == pytest.approx([x - 3, y - 23, x + 43, y + 3], abs=1e-3)
    document = ezdxf.addons.hpgl2.api.to_dxf(b"\x1b%1B" + (tmp_path / "c.plt").read_bytes(), mirror_y=False)
    points = [p[:2] for line in document.modelspace().query("LWPOLYLINE") for p in line.get_points()]
    points += [tuple(v.dxf.location)[:2] for line in document.modelspace().query("POLYLINE") for v in line.vertices]
    lows, highs = ([f(p[k] for p in points) for k in (0, 1)] for f in (min, max))
    assert (highs[0] - lows[0], highs[1] - lows[1]) == (
        pytest.approx(46 * 40, abs=1.5),
        pytest.approx(26 * 40, abs=1.5),
    )
    for wrong, says in (
        (["--cut", str(tmp_path / "c.exe")], "ends in one of"), (["--page", "A7"], "--page"),
        (["--copies", "40"], "copies"),
        (["--number", "0"], "--number"), (["--shop", str(tmp_path / "none.kcshop")], "is not there"),
        (["--outset", "60"], "room for"),
    ):  # fmt: skip
        given = [*words, "--print", str(tmp_path / "q.pdf"), "--cut", str(tmp_path / "c.plt"), *wrong]
        assert main(given) == 2
        assert says in capsys.readouterr().err
    assert not (tmp_path / "q.pdf").exists()


def test_the_command_keeps_a_job_waiting_in_a_shop_file(
    tern: Shop, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "tern.kcshop"
    tern.close()
    (tmp_path / "a.svg").write_bytes(SVG)
    words = ["proof-job", str(tmp_path / "a.svg"), "--outset", "2.5", "--print", str(tmp_path / "p.pdf"), "--cut",
             str(tmp_path / "c.svg"), "--shop", str(file), "--copies", "2", "--machine", "Tern"]  # fmt: skip
    assert main(words) == 0
    waits = json.loads(capsys.readouterr().out)["waits"]
    opened = Shop(file)
    session = RoundSession.begin(opened, opened.machine("tern"), "proof")
    assert waits == {"machine": "Tern", "sheet": session.making.next_number()}
    assert session.making.sheets.shown is Stage.PRINT
    assert session.making.artworks.settings["outset"] == 2.5
    assert len(session.making.sheets.page().art) == 2  # type: ignore[union-attr]
    opened.close()
    assert main(words) == 2  # one waits already
    assert "waits on Tern already" in capsys.readouterr().err
    assert main([*words[:-1], "Gannet"]) == 2
    assert "expected one of Tern" in capsys.readouterr().err


@pytest.mark.parametrize("data", [SVG, PNG])
def test_the_page_looks_the_same_as_pdf_as_picture_and_as_drawing(tern: Shop, tmp_path: Path, data: bytes) -> None:
    session = job(tern, data, "a.svg" if data is SVG else "a.png")
    sheets = session.making.sheets
    for kind in ("pdf", "png", "svg"):
        sheets.write_pdf(tmp_path / f"p.{kind}")
    pdf = rendered((tmp_path / "p.pdf").read_bytes(), 96)
    with Image.open(tmp_path / "p.png") as picture:
        assert picture.info["dpi"] == (pytest.approx(300, abs=0.1),) * 2
        small = np.asarray(picture.convert("L").resize(pdf.shape[::-1], Image.Resampling.BOX), float)
    assert np.abs(small - pdf).mean() < 1.5
    subprocess.run(["rsvg-convert", "-b", "white", str(tmp_path / "p.svg"), "-o", str(tmp_path / "s.png")], check=True)
    with Image.open(tmp_path / "s.png") as drawn:
        seen = np.asarray(drawn.convert("L").resize(pdf.shape[::-1], Image.Resampling.BOX), float)
    h, w = pdf.shape
    inner = slice(round(0.2 * h), round(0.75 * h)), slice(round(0.15 * w), w)  # letters are other ones there
    assert (np.abs(seen - pdf)[inner] > 90).mean() < 0.004
    assert (pdf[inner] < 200).mean() > 0.01


def test_a_job_from_elsewhere_is_looked_through_before_it_is_believed() -> None:
    good = {"blob": "a" * 64, "file": "a.svg", "name": "Quay", "copies": 2, "marks": [], "sticker": disc().to_json(),
            "settings": {"outset": 2, "corners": "mitre", "strokes": True}}  # fmt: skip
    ArtworkChosen.from_body(good).check()
    for wrong, place in (
        ({"settings": {"outset": "wide"}}, "body.settings.outset"), ({"settings": {"outset": math.nan}}, "outset"),
        ({"settings": {"corners": "cut"}}, "body.settings.corners"), ({"settings": {"rm": True}}, "body.settings.rm"),
        ({"settings": {"strokes": 1}}, "strokes"), ({"settings": {"outset": 5000}}, "outset"), ({"copies": 0}, "body"),
        ({"marks": [[1.0, 2.0]]}, "body"), ({"marks": [[math.inf, 2.0]] * 4}, "body"), ({"blob": "../x"}, "body.blob"),
        ({"sticker": {"size": [1, 1]}}, "body.sticker"),
    ):  # fmt: skip
        with pytest.raises(InputError) as refused:
            ArtworkChosen.from_body({**good, **wrong}).check()
        assert place in str(refused.value)


# In the window


def dropped_on(window: MainWindow, file: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(file))])
    panel = step_of(window).artwork
    event = QDropEvent(
        QPointF(9, 9), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    )  # fmt: skip
    panel.dropEvent(event)
    settle()


def test_by_keyboard_from_a_picture_to_the_verdict_and_another_in_one_key(window: MainWindow, tmp_path: Path) -> None:
    waiting = begin(window, "kingfisher", "proof", "proof")
    assert "is printed. Measure both check bars" in shown(step_of(window))  # the garden label dries
    waiting.give_up("Printed anew")
    file = tmp_path / "label.png"
    file.write_bytes(PNG)
    session = begin(window, "kingfisher", "proof", "proof")
    check_looks(window, (1280, 800))
    assert focus() == "Artwork"
    press(str(file), RETURN)
    assert focus() == "Print this"
    assert "1 part" in shown(step_of(window))
    tab_to("From the artwork out to the cut")
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("3", RETURN)
    choose("Corners", "sharp corners")
    assert session.making.artworks.settings["outset"] == 3
    tab_to("Threshold: from how dark on it is artwork")
    press(Qt.Key.Key_Right, Qt.Key.Key_Right)
    assert session.making.artworks.settings["threshold"] == pytest.approx(0.52)
    for size in ((1024, 700), (1280, 800)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    tab_to("Print this")
    press(RETURN)
    assert focus() == "Practice print"
    press(RETURN, "100", RETURN, "100", RETURN)
    number = session.making.next_number()
    assert "may dry as long as it takes: it is found here again." in shown(step_of(window))
    press(str(number), RETURN)
    for _ in range(4):
        press(paper.shows_mark(session) or "", RETURN)
    press(RETURN)
    assert "is cut where it was printed" in shown(step_of(window))
    assert focus() == "Practice cut"
    press(RETURN)
    surface = page_of(window).measure.surface
    assert isinstance(surface, BordersSurface)
    assert focus().startswith("Border at place 1")
    check_looks(window, (1280, 800))
    for _ in range(8):
        press(Qt.Key.Key_F8)
    assert len(read_texts(session)) == 8
    words = shown(page_of(window))
    assert "turned" in words
    assert stand_in.cut_off_by(session) < 0.5
    press(Qt.Key.Key_F6)  # another print of the same job
    assert session.step is Step.MAKE
    assert session.making.next_number() == number + 1
    assert "Measure both check bars" in shown(step_of(window))


def test_a_large_picture_is_read_and_traced_beside_the_window_and_may_be_left(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    begin(window, "kingfisher", "proof", "proof").give_up("Printed anew")
    session = begin(window, "kingfisher", "proof", "proof")
    with Image.open(io.BytesIO(PNG)) as small:
        large = small.resize((2480, 1560))
    grain = np.random.default_rng(3).integers(0, 256, (1560, 2480, 3), dtype=np.uint8)
    Image.merge("RGBA", (*Image.fromarray(grain).split(), large.getchannel("A"))).save(
        tmp_path / "large.png", dpi=(900, 900)
    )
    monkeypatch.setattr("keen_compass.app.waiting.AT_ONCE", 0.0)
    waited: list[float] = []
    shows = Waiting.show_share

    def told(self: Waiting, share: float) -> None:
        waited.append(share)
        shows(self, share)

    def dropped(self: Waiting) -> None:
        raise Dropped

    looks = Waiting.look
    monkeypatch.setattr(Waiting, "show_share", told)
    monkeypatch.setattr(Waiting, "look", dropped)
    dropped_on(window, tmp_path / "large.png")
    assert session.making.artworks.chosen.blob == ""  # left: nothing was taken
    monkeypatch.setattr(Waiting, "look", looks)
    dropped_on(window, tmp_path / "large.png")
    assert 0.4 < max(waited) < 1.0
    assert session.making.artworks.chosen.blob
    monkeypatch.setattr(Waiting, "look", dropped)
    click(step_of(window), "Print this")
    assert session.making.sheets.shown is Stage.ARTWORK
    assert not session.making.artworks.chosen.sticker
    monkeypatch.setattr(Waiting, "look", looks)
    waited.clear()
    click(step_of(window), "Print this")
    assert 0.5 < max(waited) < 1.0  # told by the other process
    assert session.making.sheets.shown is Stage.PRINT
    coarse, fine = session.making.artworks.look(), session.making.artworks.sticker()
    assert coarse is not None
    assert fine is not None
    assert hausdorff_distance(area_of(coarse.rings), area_of(fine.rings)) < 0.2


def test_what_was_printed_is_kept_whatever_is_changed_before_it_is_cut(tern: Shop) -> None:
    session = job(tern)
    prepare_sheet(session)
    before = session.making.sheets.pdf()
    tern.put_machine(replace(tern.machine("tern"), standpoint=Standpoint("toward", "right")))
    session.making.artworks.rename("Another name")
    assert session.making.sheets.pdf() != before
    assert dict(session.making.sheets.kept_as())["printed"] == before


def test_dropped_mistaken_and_damaged_artwork_is_said_beside_it(window: MainWindow, tmp_path: Path) -> None:
    begin(window, "kingfisher", "proof", "proof").give_up("Printed anew")
    session = begin(window, "kingfisher", "proof", "proof")
    (tmp_path / "note.txt").write_text("no artwork")
    dropped_on(window, tmp_path / "note.txt")
    assert "is no artwork: SVG, PDF, PNG, JPEG, WebP or TIFF" in shown(step_of(window))
    held = io.BytesIO()
    Image.open(io.BytesIO(PNG)).save(held, "WEBP")
    (tmp_path / "label.webp").write_bytes(held.getvalue())
    dropped_on(window, tmp_path / "label.webp")
    assert "doesn’t say how large it is: type its pixels per inch" in shown(step_of(window))
    assert focus() == "Pixels per inch"
    press("300", RETURN)
    assert session.making.artworks.sticker() is not None
    (tmp_path / "quay.svg").write_bytes(
        SVG.replace(
            b"</svg>", b'<text x="3" y="9" font-family="Harbour Gothic">Quay</text><image href="a.png"/></svg>'
        ).replace(b'width="84mm" height="60mm"', b"")
    )
    dropped_on(window, tmp_path / "quay.svg")
    assert "Unsupported and left out: image from elsewhere, font Harbour Gothic." in shown(step_of(window))
    for size in ((1024, 700), (1280, 800)):
        window.resize(*size)
        settle()
        check_looks(window, size)
    tab_to("Copies on the sheet")
    press(Qt.Key.Key_Up, Qt.Key.Key_Up)
    assert session.making.artworks.chosen.copies == 3
    choose("Shown", "cut seen")
    window.grab()
    click(step_of(window), "Print this")
    assert session.making.sheets.shown is Stage.PRINT
    session.making.artworks.copies(40)
    session.making.sheets.draw_up()
    choose("Paper", "A5")
    settle()
    assert "this paper takes" in shown(step_of(window))
    assert not step_of(window).print.on_stand_in.isEnabled()
    check_looks(window, (1280, 800))
    choose("Paper", "A3")
    assert step_of(window).print.on_stand_in.isEnabled()


SENSELESS = (
    '<path d="M0 0L1e300 0 1e300 1e300z"/>', '<path d="M0 0L1e999 0 9 9z"/>', '<circle r="1e200"/>',
    '<g transform="scale(1e300)"><rect transform="scale(1e300)" width="9" height="9"/></g>',
    '<rect width="1e300%" height="5"/>',
    '<path d="M0 0A1e300 1e-300 0 0 1 9 9z"/>', '<path d="M0 0h9" stroke="#000" stroke-width="1e300"/>',
    '<path d="M0 0C1e308 1e308 -1e308 1e308 9 9z"/>', '<rect transform="skewX(90)" width="5" height="5"/>',
)  # fmt: skip


def kept_as(file: Path, data: bytes) -> Path:
    """That file, with that in it."""
    file.write_bytes(data)
    return file


def test_senseless_drawings_are_refused_before_anything_is_kept_and_a_bad_one_locks_no_round(
    window: MainWindow, windows: Callable[[Path], MainWindow], shop_file: Path, tmp_path: Path
) -> None:
    begin(window, "kingfisher", "proof", "proof").give_up("Printed anew")
    session = begin(window, "kingfisher", "proof", "proof")
    before = session.making.artworks.chosen
    noise = io.BytesIO()
    Image.fromarray(np.random.default_rng(1).integers(0, 256, (2000, 2000), np.uint8)).save(
        noise, "PNG", dpi=(300, 300)
    )
    dropped_on(window, kept_as(tmp_path / "noise.png", noise.getvalue()))
    assert "parts and holes; at most 5,000 are cut" in shown(step_of(window))
    assert not step_of(window).artwork.use.isEnabled()
    tab_to("Smoothed by")
    press(Qt.Key.Key_A, modifier=Qt.KeyboardModifier.ControlModifier)
    press("2", RETURN)
    assert "at most 5,000" not in shown(step_of(window))
    session.context.history.undo()
    session.context.history.undo()
    bad = [svg(body) for body in (*SENSELESS, *(body for body, _ in BODIES.values()))]
    for data in (*bad, b"%PDF-1.7 nothing", b"<svg", PNG[:200]):
        dropped_on(window, kept_as(tmp_path / "a.svg", data))
        assert session.making.artworks.chosen == before, data[:400]
    (tmp_path / "quay.svg").write_bytes(SVG)
    dropped_on(window, tmp_path / "quay.svg")
    assert session.making.artworks.sticker() is not None
    # As if an earlier version had kept what this one can't read.
    blob = session.context.shop.put_blob(svg(SENSELESS[0]))
    session.making.artworks._put(replace(session.making.artworks.chosen, blob=blob, file="quay.svg"))
    window.close()
    again = windows(shop_file)
    again.show_rose("kingfisher")
    again.begin("proof", "proof")
    settle()
    assert "quay.svg: holds a number that no drawing has" in shown(step_of(again))
    check_looks(again, (1280, 800))
    dropped_on(again, kept_as(tmp_path / "small.png", PNG))
    assert "holds a number" not in shown(step_of(again))


def test_a_mark_is_dragged_to_where_there_is_room(window: MainWindow) -> None:
    begin(window, "kingfisher", "proof", "proof").give_up("Printed anew")
    session = begin(window, "kingfisher", "proof", "proof")
    session.making.artworks.put(PNG, "label.png")
    session.making.sheets.draw_up()
    settle()
    picture, sheets = step_of(window).picture, session.making.sheets
    page = sheets.page()
    assert page is not None

    def drag(mark: int, dx: float, dy: float) -> None:
        drawing = picture.drawing()
        assert drawing is not None
        x, y = page.marks[mark].at  # type: ignore[union-attr]
        start, to = drawing.at((x, y)).toPoint(), drawing.at((x + dx, y + dy)).toPoint()
        QTest.mousePress(picture, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(picture, to)
        window.grab()
        QTest.mouseRelease(picture, Qt.MouseButton.LeftButton, pos=to)
        settle()

    drag(1, -25.0, 20.0)
    moved = sheets.page()
    assert moved is not None
    assert moved.marks[1].at == (pytest.approx(page.marks[1].at[0] - 25, abs=1.5), pytest.approx(42, abs=1.5))
    assert sheets.shown is Stage.PRINT
    drag(2, -83.0, -127.0)  # onto the label
    assert "mark 3 lies on a sticker" in shown(step_of(window))
    assert sheets.page() == moved
    press(Qt.Key.Key_Z, modifier=Qt.KeyboardModifier.ControlModifier)
    assert sheets.page() == page
    sheets.printed()
    drag(1, -25.0, 20.0)
    assert sheets.page() == page  # what is printed is where it is


def test_a_cut_that_lies_beside_is_found_out_by_practice(tern: Shop) -> None:
    """A cut that is beside by half a millimetre somewhere is found out."""
    session = job(tern)
    cut(session)
    good = stand_in.cut_off_by(session)
    truth = Truth.from_json(tern.stand_in("tern") or {})
    sits = truth.heads["pointer"]
    tern.put_stand_in("tern", replace(truth, heads={**truth.heads, "pointer": (sits[0] + 0.5, sits[1])}).to_json())
    again = job(tern)
    again.print_again()
    cut(again)
    assert stand_in.cut_off_by(again) > good + 0.3
