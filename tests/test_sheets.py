"""Sheets printed, loaded, aimed at, drawn on: each stage as it is kept, and whole rounds on the stand-in."""

from __future__ import annotations

import json
import math
import random
import subprocess
from collections.abc import Iterator
from dataclasses import replace
from itertools import product
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keen_compass.cli import main
from keen_compass.errors import FileFormatError, InputError, LengthError, PieceError
from keen_compass.formats.pages import write_page
from keen_compass.machines.heads import TOOL, offset_held
from keen_compass.machines.limits import OFFSET_FORMS
from keen_compass.machines.profile import Machine
from keen_compass.pieces.page import PAPERS, Page, fitting, vernier_ticks
from keen_compass.practice import paper as practice
from keen_compass.practice import stand_in
from keen_compass.practice.playing import correct_all, cut, play, prepare_sheet, read_all
from keen_compass.practice.whole_rounds import run
from keen_compass.procedures import load
from keen_compass.procedures.stages import Stage, Step
from keen_compass.quantities.families import HEADS_BESIDE
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.readings import Spot, parse_spot
from keen_compass.quantities.standpoint import DIRECTIONS, WORDS, Standpoint
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.marks import SheetStages
from keen_compass.shop.store import Shop
from keen_compass.standin.printed import Sheet, crossings, seen_cross
from keen_compass.standin.truth import Truth
from keen_compass.words.beside import beside_in_words, matching_pair, pairs_in_words
from keen_compass.words.pages import page_words, vernier_ends
from keen_compass.words.say import Show, say
from plotters import PLOTTER, plotter, shop_of

STANDPOINTS = [
    Standpoint(x, y) for x, y in product(DIRECTIONS, DIRECTIONS)
    if DIRECTIONS[x][0] * DIRECTIONS[y][0] + DIRECTIONS[x][1] * DIRECTIONS[y][1] == 0
]  # fmt: skip
PALM = replace(PLOTTER, uid="palm", name="Palm")


@pytest.fixture
def shop(tmp_path: Path) -> Iterator[Shop]:
    """A practice plotter alone, its pointer some millimetres off."""
    made, _ = shop_of(tmp_path / "sheets.kcshop", 11, PALM)
    yield made
    made.close()


def begun(shop: Shop, procedure: str = "pointer", **chosen: object) -> RoundSession:
    session = RoundSession.begin(shop, shop.machine("palm"), procedure)
    session.making.choose(chosen={**session.context.chosen, **chosen})
    return session


# Seen from where


@pytest.mark.parametrize("stands", STANDPOINTS)
def test_what_is_turned_in_the_view_is_turned_back(stands: Standpoint) -> None:
    assert len(STANDPOINTS) == 8
    assert stands.turned(4) == stands
    assert stands.turned_over().turned_over() == stands
    assert stands.turned(1).left_handed is stands.left_handed
    assert stands.turned_over().left_handed is not stands.left_handed
    right, away = stands.to_view(3.0, -1.0)
    assert stands.to_machine(right, away) == (3.0, -1.0)
    assert stands.turned(1).to_view(3.0, -1.0) == (-away, right)  # anticlockwise: right goes away
    # The words say the same as the picture: a millimetre towards where the word points.
    for axis, (x, y) in {"x": (1.0, 0.0), "y": (0.0, 1.0)}.items():
        pointing = next(way for way, unit in DIRECTIONS.items() if unit == stands.to_view(x, y))
        assert stands.words(axis, 1.0) == WORDS[pointing]
        assert beside_in_words(2 * x, 2 * y, stands) == f"2.00 mm {WORDS[pointing]}"


def test_both_directions_are_said_level_one_first() -> None:
    swift = Standpoint("toward", "right")
    assert beside_in_words(0.3, -0.5, swift) == "0.50 mm to the left, 0.30 mm towards you"
    assert beside_in_words(0.3, -0.5, swift.turned(1), "in") == "0.0118 in to the right, 0.0197 in towards you"
    assert beside_in_words(0.004, -0.004, swift) == "on the mark"
    assert pairs_in_words(0.3, -0.5, swift) == "dot 10 to the left, tick 6 towards you"
    assert pairs_in_words(0.8, 0.0, Standpoint()) == "tick 3 to the left, dot 0; look at the cross, too"


@given(st.integers(-50, 50))
def test_the_ticks_that_run_on_are_those_that_lie_nearest(twentieths: int) -> None:
    off = twentieths / 20
    drawn, printed = matching_pair(off)
    assert printed - drawn * 0.95 == pytest.approx(off)  # the tool's tick lies where the printed one does
    at = {k: off + b[0] for k, (_, b) in enumerate(vernier_ticks((0.0, 0.0), "x", 1.0, printed=False), -10)}
    ticks = {k: b[0] for k, (_, b) in enumerate(vernier_ticks((0.0, 0.0), "x", 1.0, printed=True), -10)}
    if abs(drawn) <= 10 and abs(printed) <= 10:
        assert at[drawn] == pytest.approx(ticks[printed])
        assert min(abs(a - b) for a in at.values() for b in ticks.values()) == pytest.approx(0, abs=1e-9)


PLACES = st.floats(-5000, 5000)


@given(PLACES, PLACES, st.sampled_from(["{x} {y}", "X{x} Y{y}", "x: {x}; y: {y}", "{x};{y}"]))
def test_a_place_is_read_as_machines_show_it(x: float, y: float, how: str) -> None:
    x, y = round(x, 3), round(y, 3)
    read = parse_spot(how.format(x=x, y=y))
    assert (read.x, read.y) == (pytest.approx(x), pytest.approx(y))
    comma = parse_spot(f"{x:.2f} {y:.2f}".replace(".", ","))
    assert (comma.x, comma.y) == (pytest.approx(x, abs=0.006), pytest.approx(y, abs=0.006))


def test_a_place_has_two_numbers_and_units() -> None:
    assert parse_spot("1 in 2 in") == Spot(25.4, 50.8, "1 in 2 in")
    assert parse_spot("1.5 2", "in").y == pytest.approx(50.8)
    assert parse_spot("120.4, 88.2") == Spot(120.4, 88.2, "120.4, 88.2")
    assert parse_spot("120.4,88.2").x == 120.4
    wrongs = {"": "nothing", "12": "both numbers", "1 2 3": "both numbers", "a b": "a", "9" * 80: "long"}
    for wrong, why in wrongs.items():
        with pytest.raises(LengthError, match=why):
            parse_spot(wrong)


KEPT = list(product(OFFSET_FORMS, product((False, True), repeat=2), (False, True)))


@pytest.mark.parametrize(("form", "flips", "in_inches"), KEPT)
def test_an_offset_is_the_same_vector_however_it_is_kept(form: str, flips: tuple[bool, bool], in_inches: bool) -> None:
    true = (12.7, -25.4)
    size, unit = (25.4, "in") if in_inches else (1.0, "mm")
    kept = {}
    for axis, mm, flip in zip("xy", true, flips, strict=True):
        stands = mm if form == "secondary_minus_tool" else -mm
        kept[f"pointer_{axis}"] = StoredAmount(f"pointer_{axis}", unit, (-stands if flip else stands) / size)
    flipped = [f"pointer_{a}" for a, flip in zip("xy", flips, strict=True) if flip]
    assert offset_held(kept, "pointer", form, flipped) == (pytest.approx(12.7), pytest.approx(-25.4))
    assert offset_held(kept, TOOL, form, flipped) == (0.0, 0.0) == offset_held({}, "sensor", form, flipped)


# The page


def both_pages(procedure: str, size: tuple[float, float], *, fine: bool = False) -> list[Page]:
    return [load(procedure).page(size, 7, down=down, fine=fine) for down in (False, True)]  # type: ignore[misc]


@pytest.mark.parametrize("fine", [False, True])
@pytest.mark.parametrize("paper", ["A5", "Tabloid"])
def test_every_cross_is_printed_where_the_page_says(paper: str, fine: bool) -> None:
    """Seen by a renderer that shares nothing with the writer; the middle of the line, not its edge."""
    for page in both_pages("pointer", PAPERS[paper], fine=fine):
        show = Show(standpoint=Standpoint("right", "toward" if page.down else "away"))
        pdf = write_page(page, page_words(page, show), ends=vernier_ends(show))
        places = [*(m.at for m in page.marks), *page.targets]
        for at in places:
            assert math.dist(seen_cross(pdf, page.on_paper(at)), page.on_paper(at)) < 0.02
        drawn = page.to_json()["drawn"]
        assert [d["target"] for d in drawn] == list(range(1, len(page.targets) + 1))
        for one, target in zip(drawn, page.to_json()["targets"], strict=True):
            (x0, x1), (y0, y1) = one["strokes"][:2]
            assert [(x0[k] + x1[k]) / 2 for k in (0, 1)] == pytest.approx(target["at"])
            assert [(y0[k] + y1[k]) / 2 for k in (0, 1)] == pytest.approx(target["at"])
            assert x1[0] > x0[0]
            assert (y1[1] > y0[1]) is (page.to_json()["axes"]["y"][1] > 0)
        said = {tuple(m["at"]) for m in page.to_json()["marks"]} | {tuple(t["at"]) for t in page.to_json()["targets"]}
        assert said == {page.on_paper(at) for at in places}
        with pytest.raises(FileFormatError, match="nothing is printed"):
            seen_cross(pdf, page.on_paper((page.targets[0][0], (page.targets[0][1] + page.targets[3][1]) / 2)))


def test_a_page_says_where_it_goes_as_its_technician_sees_it(tmp_path: Path) -> None:
    near, far = (
        page_words(page, Show(standpoint=stands))[1]
        for page, stands in zip(
            both_pages("pointer", PAPERS["A4"]), (Standpoint(), Standpoint("right", "toward")), strict=True
        )
    )
    assert (near, far) == (
        "Mark 1 (in the square) goes near left: the machine’s low X, low Y.",
        "Mark 1 (in the square) goes far left: the machine’s low X, low Y.",
    )
    swift = Show(standpoint=Standpoint("toward", "right"))
    page = load("pointer").page(PAPERS["A4"], 7, fine=True)
    assert page is not None
    (tmp_path / "p.pdf").write_bytes(write_page(page, page_words(page, swift), 3, vernier_ends(swift)))
    file = str(tmp_path / "p.pdf")
    words = subprocess.run(["pdftotext", file, "-"], check=True, capture_output=True, text=True).stdout
    assert words.count("+X towards you") == 3 * len(page.targets) == words.count("−Y to the left")
    pages = subprocess.run(["pdfinfo", file], check=True, capture_output=True, text=True).stdout
    assert "Pages:           3" in pages


def test_papers_go_onto_the_machine_upright_or_lying() -> None:
    assert list(fitting((700.0, 1200.0))) == list(PAPERS)
    assert fitting((300.0, 215.0)) == {"A5": (148.0, 210.0), "A4": (297.0, 210.0)}
    assert fitting((100.0, 9000.0)) == {}


# Stage by stage


def test_each_stage_waits_for_the_one_before_and_can_be_taken_back(shop: Shop) -> None:
    session = begun(shop)
    sheets, number = session.making.sheets, session.making.next_number()
    assert sheets.stages == (Stage.PRINT, Stage.LOAD, Stage.AIM, Stage.DRAW)
    for stage, says in ((Stage.LOAD, "Print the sheet first"), (Stage.DRAW, "Print the sheet first")):
        with pytest.raises(InputError, match=says):
            sheets.go(stage)
    with pytest.raises(PieceError, match="Print the sheet first"):
        session.making.made()
    sheets.printed()
    assert say(sheets.refusal() or "") == "Load the sheet first and type its number."
    with pytest.raises(InputError, match="bar Y"):
        sheets.measured("100", "")
    with pytest.raises(InputError, match=r"bar Y: 3\.94 is far from the 100 mm that are nominal"):
        sheets.measured("100", "3.94")
    sheets.measured("97.3", "97.4 mm")
    assert "Both check bars are 2.6 % short: the print dialog scaled the page." in say(sheets.bars_say() or "")
    session.measuring.undo()
    assert sheets.state.bars == ()
    session.measuring.redo()
    sheets.measured("100.1", "99.9 mm")
    assert sheets.bars_say() is None
    for wrong in ("999", "", "x"):
        with pytest.raises(InputError, match=f"{number}"):
            sheets.loaded(wrong)
    sheets.loaded(f" {number} ")
    assert sheets.shown is Stage.AIM
    with pytest.raises(InputError, match="mark 1: type both numbers"):
        sheets.aim(0, "12")
    while (mark := sheets.next_mark()) is not None:
        sheets.aim(mark, practice.shows_mark(session) or "")
    assert Stage.AIM in sheets.state.done
    sheets.aim_again(2)
    assert (sheets.next_mark(), sheets.refusal()) == (2, sheets.refusal())
    assert say(sheets.refusal() or "") == "Aim at the marks first."
    sheets.aim(2, practice.shows_mark(session) or "")
    sheets.go(Stage.PRINT)
    assert sheets.shown is Stage.PRINT
    again = RoundSession(shop, session.context.kept)  # opened again: nothing is lost
    assert again.making.sheets.state == sheets.state
    assert again.making.refusal() is None


def test_a_sheet_is_kept_with_all_its_stages_and_what_was_sent(shop: Shop) -> None:
    session = begun(shop)
    cut(session)
    piece = session.context.piece
    assert piece is not None
    assert [s.kind for s in piece.stages] == ["printed", "loaded", "aimed", "drawn"]
    printed, drawn = (shop.blob(piece.stages[k].sent) or b"" for k in (0, 3))
    assert printed.startswith(b"%PDF")
    assert drawn.startswith(b"IN;")
    assert [s.sent for s in piece.stages[1:3]] == ["", ""]
    assert piece.parameters["bars"] == list(session.context.shop.mark(session.context.kept.id, SheetStages).bars)  # type: ignore[union-attr]
    assert piece.snapshot.held["pointer_x"] == session.context.values()["pointer_x"]
    body = json.loads(json.dumps(SheetStages(3, ("print",), "aim", (99.0, 98.0), {"0": (1.0, 2.0)}).to_body()))
    assert SheetStages.from_body(body) == SheetStages(3, ("print",), "aim", (99.0, 98.0), {"0": (1.0, 2.0)})


def test_where_the_next_mark_should_be_comes_nearer_with_each(shop: Shop) -> None:
    session = begun(shop)
    sheets = session.making.sheets
    sheets.printed()
    sheets.measured("100", "100")
    sheets.loaded(str(sheets.number()))
    assert sheets.expected(0) is None
    missed = []
    while (mark := sheets.next_mark()) is not None:
        text = practice.shows_mark(session) or ""
        spot, near = parse_spot(text), sheets.expected(mark)
        if near is not None:
            missed.append(math.dist(near, (spot.x, spot.y)))
        sheets.aim(mark, text)
    assert len(missed) == 3
    assert missed[0] < 12.0  # a shift alone: the sheet lies a little turned
    assert max(missed[1:]) < 2.0


def test_what_the_head_cannot_reach_is_said_before(shop: Shop) -> None:
    session = begun(shop)
    sheets = session.making.sheets
    sheets.printed()
    sheets.measured("100", "100")
    sheets.loaded(str(sheets.number()))
    ox, oy = sheets.offset()
    sheets.aim(0, f"{22 - ox - 9:.2f} {80 - oy:.2f}")  # so low that a target lies beyond zero? the head does
    low = sheets.out_of_reach()
    if ox > 13:  # the head itself would have to go below zero for its marks
        assert low is not None
    sheets.aim(0, f"{-5.0:.2f} {80 - oy:.2f}")
    found = sheets.out_of_reach()
    assert found is not None
    assert (found.values["number"], found.values["way"], round(found.values["by"], 2)) == (1, "+x", 5.0)
    assert "move the sheet that far towards +X, to the right" in say(found, Show(standpoint=Standpoint()))


def aimed(session: RoundSession, places: list[tuple[float, float]]) -> None:
    sheets = session.making.sheets
    sheets.printed()
    sheets.measured("100", "100")
    sheets.loaded(str(sheets.number()))
    for i, (x, y) in enumerate(places):
        sheets.aim(i, f"{x:.2f} {y:.2f}")


@pytest.mark.parametrize(("order", "shift", "says"), [
    ((0, 3, 2, 1), (0.0, 0.0), "another order"), ((1, 0, 3, 2), (0.0, 0.0), "Left and right are swapped|another order"),
    ((0, 1, 2, 3), (0.0, 9.0), "lay the sheet flat"),
])  # fmt: skip
def test_marks_that_were_visited_otherwise_or_on_a_buckled_sheet_are_not_drawn_on(
    shop: Shop, order: tuple[int, ...], shift: tuple[float, float], says: str
) -> None:
    session = begun(shop)
    ox, oy = session.making.sheets.offset()
    marks = [(m.at[0] + 100 - ox, m.at[1] + 100 - oy) for m in session.making.sheets.marks]
    marks[2] = (marks[2][0] + shift[0], marks[2][1] + shift[1])
    aimed(session, [marks[i] for i in order])
    refused = session.making.refusal()
    assert refused is not None
    assert any(part in say(refused) for part in says.split("|"))
    with pytest.raises(PieceError):
        session.making.made()


def test_a_sheet_that_lies_turned_by_half_a_turn_is_drawn_where_it_lies(shop: Shop) -> None:
    session = begun(shop)
    page = session.making.sheets.page()
    assert page is not None
    ox, oy = session.making.sheets.offset()

    def lies(at: tuple[float, float]) -> tuple[float, float]:
        return 400.0 - at[0], 500.0 - at[1]

    aimed(session, [(x - ox, y - oy) for x, y in (lies(m.at) for m in page.marks)])
    assert session.making.refusal() is None
    assert np.allclose(session.making.sheets.targets(), [lies(t) for t in page.targets], atol=0.02)


def test_with_the_origin_on_the_first_mark_the_cross_is_drawn_from_there(shop: Shop) -> None:
    session = begun(shop, way="mark", trial=False)
    sheets = session.making.sheets
    assert sheets.stages == (Stage.AIM, Stage.DRAW)
    sheets.set_origin()
    strokes = [s.points for layer in sheets.path().layers for s in layer.strokes]
    assert strokes == [((0.0, 0.0), (5.0, 0.0)), ((0.0, 0.0), (0.0, 5.0))]  # nothing below zero
    cut_by_origin = cut_and_read(session)
    sheets_again = begun(shop, way="mark", trial=False).making.sheets
    assert sheets_again.state.origin is False  # another mark, aimed at again
    typed = session
    typed.go(Step.MAKE)
    assert max(abs(a - b) for a, b in zip(cut_by_origin, cut_and_read(typed), strict=True)) < 0.4


def cut_and_read(session: RoundSession) -> list[float]:
    """One sheet, and how far the cross lies beside its mark: the offset's error, whichever way it was aimed."""
    cut(session)
    read_all(session)
    piece = session.context.piece
    assert piece is not None
    return [r.reading.mm for r in session.context.shop.readings(piece.id)]  # type: ignore[union-attr]


# Whole rounds


@pytest.mark.parametrize("seed", range(8))
def test_the_second_sheet_is_in_however_the_controller_keeps_it(
    tmp_path: Path, seed: int, request: pytest.FixtureRequest
) -> None:
    """Every standpoint, each with another form, flips, unit, head and way to read: the sign is right, so it is gone."""
    rng = random.Random(seed)
    flipped = tuple(f"{h}_{a}" for h in HEADS_BESIDE for a in "xy" if rng.random() < 0.5)
    head, unit = HEADS_BESIDE[seed % 2], "in" if seed % 3 == 0 else "mm"
    machine = replace(
        PALM, standpoint=STANDPOINTS[seed], offset_form=OFFSET_FORMS[seed // 4], flipped=flipped, controller_units=unit,
        decimals=4 if unit == "in" else 2,
    )  # fmt: skip
    truth, _ = plotter(seed)
    shop, _ = shop_of(tmp_path / "s.kcshop", seed, machine)
    shop.put_stand_in("palm", replace(truth, left_handed=machine.standpoint.left_handed).to_json())
    off = (rng.choice((-1, 1)) * rng.uniform(0.8, 3.0), rng.choice((-1, 1)) * rng.uniform(0.8, 3.0))
    sign = 1 if machine.offset_form == "secondary_minus_tool" else -1
    size = 25.4 if unit == "in" else 1.0
    for k, axis in enumerate("xy"):
        q = f"{head}_{axis}"
        stands = sign * (-1 if q in flipped else 1) * (truth.heads[head][k] + off[k]) / size
        shop.put_value("palm", q, StoredAmount(q, unit, round(stands, machine.decimals)), "typed")
    request.addfinalizer(shop.close)
    session = RoundSession.begin(shop, machine, "pointer", f"{head}_x")
    session.making.choose(chosen={**session.context.chosen, "read": ("rings", "vernier")[seed % 2]})
    cut(session)
    read_all(session)
    found = session.measuring.findings()
    assert {f.verdict for f in found} == {Verdict.OUT}
    assert [f.error for f in found] == [pytest.approx(o, abs=0.15) for o in off]  # set − true, along the axes
    session.go(Step.CORRECT)
    correct_all(session)
    session.go(Step.CONFIRM)
    cut(session)
    read_all(session)
    assert {f.verdict for f in session.measuring.findings()} == {Verdict.IN}
    session.sign()


@pytest.mark.heavy
@pytest.mark.parametrize("half", [0, 1])
def test_from_any_start_the_second_sheet_is_in_tolerance(half: int) -> None:
    """Printers that stretch, sheets askew, hands that wander, eyes that look from aside; offsets with either sign."""
    for seed in range(200 + 4 * half, 204 + 4 * half):
        practice = run("pointer", seed, 2, None, MachineKind.PRINT_AND_CUT)
        for axis in "xy":
            assert practice.left(f"pointer_{axis}")["tolerances"] <= 1.0, (seed, axis)  # type: ignore[index]


def test_registration_says_how_the_print_lies_and_whose_error_is_whose(shop: Shop) -> None:
    truth = Truth.from_json(shop.stand_in("palm") or {})
    shop.put_stand_in("palm", replace(truth, printer=(0.03, 0.031, 0.0), lies=(0.0, 0.0), carriers={}).to_json())
    session = play(shop, shop.machine("palm"), "registration")
    answer = session.measuring.answer()
    assert answer is not None
    assert answer.findings[0].verdict is Verdict.IN
    assert answer.figures["scale"] == [pytest.approx(1.03, abs=2e-3), pytest.approx(1.031, abs=2e-3)]
    assert "bars_fit_to_page" in {n.code for n in answer.findings[0].notes}
    assert all(f.quantity == "registration" for f in answer.findings)  # nothing of it is booked to the cutter
    assert session.settled


def test_a_buckled_sheet_is_out_and_said_to_be_laid_flat(shop: Shop) -> None:
    truth = Truth.from_json(shop.stand_in("palm") or {})
    session = begun(shop, "registration")
    shop.put_stand_in("palm", replace(truth, buckle=6.0).to_json())
    prepare_sheet(session)
    cut(session)
    session.measuring.type("100 100")
    assert session.measuring.keep()
    read_all(session)  # one mark was missed by far: the others know
    finding = session.measuring.findings()[0]
    assert finding.verdict in (Verdict.OUT, Verdict.IMPLAUSIBLE)


@pytest.mark.parametrize("procedure", ["pointer", "registration"])
def test_practice_from_the_command_line_goes_through_real_files(
    procedure: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["practice", procedure, "--seed", "5", "--json", "--out", str(tmp_path)]) == 0
    body = json.loads(capsys.readouterr().out)
    assert body["rounds"][-1]["findings"][0]["verdict"] == "in"
    for done in body["rounds"]:
        for file in map(Path, done["files"]):
            assert file.read_bytes()[:4] == {".pdf": b"%PDF", ".plt": b"IN;\n", ".svg": b"<svg"}[file.suffix]
    if procedure == "pointer":
        assert [len(r["files"]) for r in body["rounds"]] == [2, 2]
        assert all(abs(body["found"][q] - body["truth"][q]) < 0.15 for q in ("pointer_x", "pointer_y"))
    assert main(["practice", procedure, "--seed", "5"]) == 0
    assert "round 1" in capsys.readouterr().out


def test_a_file_that_draws_elsewhere_gives_another_reading() -> None:
    """The stand-in reads what was drawn, not what was meant."""
    page = load("pointer").page(PAPERS["A4"], 3)
    assert page is not None
    pdf = write_page(page, page_words(page))
    sheet = Sheet(Truth({}, {}, 0, 0, (0, 0), 0, lies=(0.0, 0.0)), {}, pdf, 3)
    x, y = sheet.on_machine(page.targets[1])
    lines = (((x + 0.4 - 5, y), (x + 0.4 + 5, y)), ((x + 0.4, y - 5), (x + 0.4, y + 5)))
    assert crossings(lines) == [(pytest.approx(x + 0.4), pytest.approx(y))]
    assert crossings((lines[0], ((0.0, 0.0), (5.0, 5.0)))) == []


def test_machines_without_a_head_have_none(shop: Shop) -> None:
    assert not {q for q in replace(PALM, heads=()).quantities if "pointer" in q or "sensor" in q}
    with pytest.raises(InputError, match="heads"):
        replace(PALM, heads=("lamp",))
    with pytest.raises(InputError, match="offset_form"):
        replace(PALM, offset_form="sideways")
    kept = replace(PALM, heads=("sensor",), offset_form=OFFSET_FORMS[1])
    assert Machine.from_json(json.loads(json.dumps(kept.to_json()))) == kept


def test_what_is_seen_of_a_target_is_rendered_from_the_very_print_and_file(shop: Shop) -> None:
    """The drawn cross lies in the picture where the reading says; of both hands of axes."""
    for left_handed in (False, True):
        machine = replace(PALM, standpoint=Standpoint("right", "toward" if left_handed else "away"))
        shop.put_machine(machine)
        truth = replace(Truth.from_json(shop.stand_in("palm") or {}), left_handed=left_handed)
        shop.put_stand_in("palm", truth.to_json())
        session = begun(shop)
        cut(session)
        at = session.measuring.shape().targets[1]
        size, reach = 200, 6.0
        seen = stand_in.picture(session, at, reach, size)
        assert seen is not None
        colours = np.frombuffer(seen, np.uint8).reshape(size, size, 3).astype(int)
        pen = (colours[..., 0] > 150) & (colours[..., 1] < 60)
        ink = colours.max(axis=2) < 120
        spots = (np.arange(size) + 0.5) * 2 * reach / size - reach
        x, y = (spots[n > 0.8 * n.max()].mean() for n in (pen.sum(axis=0), pen.sum(axis=1)))
        read_all(session)
        read = {r.measurand: r.reading.mm for r in shop.readings(session.context.piece.id)}  # type: ignore[union-attr]
        assert (x, -y) == (pytest.approx(read["t2_x"], abs=0.2), pytest.approx(read["t2_y"], abs=0.2))
        rings = [abs(spots[k]) for k in range(size) if ink[k, size // 2 - 20 : size // 2 + 20].sum() > 20]
        assert rings  # the printed cross and its rings lie about the middle
        assert max(rings) < 3.5
        session.give_up("seen")


def test_what_is_found_besides_is_shown_with_what_it_is_worth(shop: Shop) -> None:
    session = begun(shop, "registration")
    cut(session)
    lines = {}
    for marks in (1, 2, 4):
        read_all(session, marks - len(shop.readings(session.context.piece.id)))  # type: ignore[union-attr]
        answer = session.measuring.answer()
        assert answer is not None
        lines[marks] = {say(what): say(much) for what, much in session.context.procedure.shown(answer.figures).lines}
    assert lines[1] == {"Map": "a shift"}
    assert lines[2]["Map"] == "a turn and one scale"
    assert set(lines[4]) == {"Map", "Turn", "Scale along X", "Scale along Y"}
    assert "° ± " in lines[4]["Turn"]
    session = begun(shop)
    cut(session)
    read_all(session)
    answer = session.measuring.answer()
    assert answer is not None
    besides = session.context.procedure.shown(answer.figures)
    assert [say(much).endswith(" mm per m") for _, much in besides.lines] == [True] * 3
    assert begun(shop).context.procedure.shown({}).lines == ()
