"""Plasma and laser: their own files, read by a strict stranger, and burnt by a stand-in that obeys nothing else."""

from __future__ import annotations

import math
import random
import re
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely import LineString, Polygon

from keen_compass.cli import main
from keen_compass.errors import FileFormatError, PieceError
from keen_compass.formats.gcode import CutSettings, write_gcode
from keen_compass.formats.playback import Speeds, misfits, read_back
from keen_compass.formats.thermal import ThermalSettings, write_thermal
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.pieces.job import Applies, Corrections, composed
from keen_compass.pieces.plate import KerfPlate
from keen_compass.pieces.stepped import SteppedOutline
from keen_compass.practice.demo_machines import HERON, INSTRUMENTS
from keen_compass.practice.playing import play
from keen_compass.procedures.stages import Step
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
from keen_compass.standin.router import Router
from keen_compass.standin.truth import Truth
from strict_reader import Burn, path_of, read_thermal

BED = Box(0, 0, 900, 900)
PLATES = 400  # in each of four runs; 2,500 were run, and can be again


def any_plate(rng: random.Random) -> KerfPlate | None:
    try:
        return KerfPlate(
            rng.uniform(40, 300), rng.uniform(40, 250), hole=rng.choice((0, rng.uniform(3, 60))),
            slot=rng.choice((0, rng.uniform(3, 20))), slot_axis=rng.choice("xy"), compensation=rng.uniform(0, 4),
            thickness=rng.uniform(1, 20), thermal=True,
        )  # fmt: skip
    except PieceError:
        return None


def ring_of(burn: Burn) -> Polygon:
    """The closed part of a trip: from where it first comes back to where it was."""
    line = LineString(burn.line)
    found = max(
        (Polygon(p) for p in _loops(burn.line)), key=lambda p: p.area, default=None
    )  # fmt: skip
    assert found is not None, line
    return found


def _loops(points: list[tuple[float, float]]) -> list[list[tuple[float, float]]]:
    """Stretches between one place and the same place again."""
    found = []
    for i, a in enumerate(points):
        for j in range(len(points) - 1, i + 2, -1):
            if math.dist(a, points[j]) < 2e-3:
                found.append(points[i:j])
                break
    return found


@pytest.mark.heavy
@pytest.mark.parametrize("seed", range(4))
def test_no_plate_burns_where_it_should_not(seed: int) -> None:
    """Off on every rapid, a pierce before every contour and in its scrap, insides first, each closed and overlapped."""
    rng, seen = random.Random(seed), 0
    while seen < PLATES:
        plate, beam = any_plate(rng), rng.random() < 0.4
        if plate is None:
            continue
        seen += 1
        how = ThermalSettings(BED, beam, feed=rng.uniform(300, 6000), pierce_delay=rng.uniform(0.1, 2.0))
        dx, dy = rng.uniform(20, 500), rng.uniform(20, 500)
        by = rng.choice((Applies.FILE, Applies.FILE, Applies.CONTROLLER))
        path = composed(plate.job(seen), Corrections(plate.compensation, by)).moved(dx, dy)
        burns = read_thermal(write_thermal(path, how), beam=beam, beside=by is Applies.CONTROLLER)
        cuts = [b for b in burns if b.stood]
        assert all(BED.x <= x <= BED.x_high and BED.y <= y <= BED.y_high for b in burns for x, y in b.line)
        assert all(b.feed > 3 * how.feed or b.power < how.power * 3 for b in burns if not b.stood)
        inner = bool(plate.hole) + bool(plate.slot)
        assert len(cuts) == inner + 1
        part = Polygon([(x + dx, y + dy) for x, y in plate.outline()])
        holes = [Polygon([(x + dx, y + dy) for x, y in ring]) for ring in plate.inner()]
        for i, burn in enumerate(cuts):
            assert burn.stood == pytest.approx(how.pierce_delay, abs=1e-3)
            if not beam:
                assert burn.height == pytest.approx(how.pierce_height)
            assert burn.feed == pytest.approx(how.feed, abs=1e-3)
            ring, outside = ring_of(burn), i == len(cuts) - 1
            pierced = Polygon([(burn.line[0][0] + 0.01 * math.cos(a), burn.line[0][1] + 0.01 * math.sin(a))
                               for a in (0, 2, 4)])  # fmt: skip
            if outside:
                assert not part.buffer(-0.05).intersects(pierced)  # in the scrap
                assert not ring.exterior.is_ccw  # the good side of the cut is at its right
                assert ring.buffer(1e-2).contains(part)
            else:
                assert any(h.contains(pierced) for h in holes)
                assert ring.exterior.is_ccw
            assert LineString(burn.line).length > ring.length + 0.3  # beyond where it began


def burnt(text: str, kind: str = "plasma", **truths: float) -> Router:
    one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {}, 1.7, 0.0, (0.0, 0.0), 0.0, thermal=kind, **truths)
    return Router(truth, {"x_steps": one, "y_steps": one}, 1)


@pytest.mark.parametrize("beam", [False, True])
@pytest.mark.parametrize("plate", [KerfPlate(90, 70, hole=25, slot=8, compensation=1.7, thermal=True),
                                   SteppedOutline(300, 240, 120, 90, 1.7)])  # fmt: skip
def test_the_stand_in_burns_what_was_ordered(plate: KerfPlate | SteppedOutline, beam: bool) -> None:
    path = path_of(plate, 12).moved(60, 60)
    text = write_thermal(path, ThermalSettings(BED, beam))
    made = burnt(text, "laser" if beam else "plasma").make(text)
    x0, y0, x1, y1 = made.shape.bounds
    assert (x1 - x0, y1 - y0) == pytest.approx((plate.width, plate.height), abs=0.01)
    run = read_back(text, Speeds(), thermal=True)
    assert misfits(run, BED, path) == []
    assert sum(step.seconds for step in run.steps if not step.far) >= 0.5  # pierces take their time


@settings(max_examples=60)
@given(
    st.integers(0, 10_000), st.sampled_from(["plasma", "laser", ""]), st.floats(-0.4, 0.4), st.floats(0, 0.12),
    st.sampled_from(["full", "half"]),
)  # fmt: skip
def test_a_controller_that_gives_the_cut_its_room_makes_the_plate_from_a_file_on_the_line(
    seed: int, thermal: str, off: float, B: float, form: str
) -> None:
    """O = n + c − K − B and H = n − c + K − B with the kerf c that the controller holds, for every kind of file."""
    plate = any_plate(random.Random(seed))
    assume(plate is not None and plate.compensation > 0.5)
    plate = replace(plate, thermal=bool(thermal))
    c, K = plate.compensation, plate.compensation + off
    path = composed(plate.job(5), Corrections(c, Applies.CONTROLLER)).moved(60, 60)
    text = (
        write_thermal(path, ThermalSettings(BED, thermal == "laser"))
        if thermal
        else write_gcode(path, CutSettings(BED))
    )
    assert text.count("G40") == text.count("G41") + text.count("G42") > 0
    assert misfits(read_back(text, Speeds(), thermal=bool(thermal)), BED, path) == []
    one = StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0)
    truth = Truth({"x": 100.0, "y": 100.0}, {"x": B, "y": B}, K, 0.0, (0.0, 0.0), 0.0, thermal=thermal, kerf_form=form)
    held = StoredAmount("kerf", "mm", c if form == "full" else c / 2)
    made = Router(truth, {"x_steps": one, "y_steps": one, "kerf": held}, 1).make(text)
    for m in plate.measurands():
        inside = m not in ("width", "height")
        wanted = plate.nominal(m) + (K - c if inside else c - K) - B
        found = made.true_length(plate.line(m), "inside" if inside else "jaws")
        # A play that is taken up along an arc leaves it a hundredth out of round.
        assert found == pytest.approx(wanted, abs=0.012 if m.startswith("hole") else 0.004), m


def test_a_controller_stops_where_the_way_beside_the_line_can_not_be() -> None:
    plate = KerfPlate(90, 70, compensation=1.5, thermal=True)
    path = composed(plate.job(5), Corrections(1.5, Applies.CONTROLLER)).moved(60, 60)
    text = write_thermal(path, ThermalSettings(BED))
    router = burnt(text)
    with pytest.raises(FileFormatError, match="too few moves"):
        router.make("G21 G90\nG0 X1 Y1\nM3\nG4 P1\nG41\nG1 X5 F100\nG40\nM5\nM2\n")
    with pytest.raises(FileFormatError, match="turns back"):
        router.make("G21 G90\nG0 X1 Y1\nM3\nG41\nG1 X5 F100\nG1 X50\nG1 X5\nG40\nM5\nM2\n")
    with pytest.raises(FileFormatError, match="beside its line"):
        router.make(text.replace("G40\nM5", "M5", 1).replace("G40", ""))


def test_the_good_side_lies_on_the_part_and_the_other_on_the_scrap_and_arcs_lean_more() -> None:
    plate = KerfPlate(90, 70, hole=30, slot=10, compensation=1.7, thickness=8, thermal=True)
    text = write_thermal(path_of(plate, 12).moved(60, 60), ThermalSettings(BED))
    made = burnt(text, bevel=0.02, bad_side=0.05, leans_on_arcs=10.0).make(text)
    lean = 2 * 9 * math.tan(0.02)
    assert made.below.true_length(plate.line("width"), "jaws") == pytest.approx(90 + lean, abs=0.01)
    assert made.below.true_length(plate.line("slot"), "inside") == pytest.approx(10 - lean, abs=0.01)
    assert made.below.true_length(plate.line("hole_0"), "inside") == pytest.approx(30 - lean * (1 + 10 / 15), abs=0.02)
    backwards = write_thermal(path_of(replace(plate, thermal=False), 12).moved(60, 60), ThermalSettings(BED))
    wrong = burnt(backwards, bevel=0.02, bad_side=0.05).make(backwards)
    worse = 90 + 2 * 9 * math.tan(0.07)
    assert wrong.below.true_length(plate.line("width"), "jaws") == pytest.approx(worse, abs=0.01)


def test_heat_focus_and_a_cutter_that_gives_change_what_is_read() -> None:
    plate = KerfPlate(90, 70, hole=30, slot=10, compensation=1.7, thickness=8, thermal=True)
    text = write_thermal(path_of(plate, 12).moved(60, 60), ThermalSettings(BED))
    hot = burnt(text, heat=1e-3, bow=0.2).make(text)
    assert hot.true_length(plate.line("width"), "jaws") == pytest.approx(
        90 - 91.7e-3, abs=0.02
    )  # the last is cut hottest
    assert hot.true_length(plate.line("hole_0"), "inside") > 30 - 0.02
    beam = write_thermal(path_of(plate, 12).moved(60, 60), ThermalSettings(BED, beam=True))
    unfocused = burnt(beam, "laser", focus=-2.0, depth_of_focus=2.0).make(beam)
    assert unfocused.true_length(plate.line("width"), "jaws") == pytest.approx(90 - 1.7 * (math.sqrt(2) - 1), abs=0.01)
    milled = write_gcode(path_of(replace(plate, thermal=False), 12).moved(60, 60), CutSettings(BED))
    pushed = replace(burnt(milled).truth, thermal="", deflection=0.04)
    made = Router(pushed, burnt(milled).settings, 1).make(milled)
    # Its outside is cut anticlockwise and so are its insides: it looks like play.
    assert made.true_length(plate.line("width"), "jaws") == pytest.approx(90 - 0.08, abs=0.005)
    assert made.true_length(plate.line("slot"), "inside") == pytest.approx(10 - 0.08, abs=0.005)


def test_what_would_spoil_a_sheet_stops_the_stand_in() -> None:
    path = path_of(KerfPlate(90, 70, hole=25, compensation=1.7, thermal=True), 3).moved(60, 60)
    text = write_thermal(path, ThermalSettings(BED))
    with pytest.raises(FileFormatError, match="torch on"):
        burnt(text).make(text.replace("M5\n", "", 4).replace("G21", "M5\nG21"))
    with pytest.raises(FileFormatError, match="pierces too high"):
        burnt(text).make(text.replace("Z3.8", "Z9.5"))
    unpierced = burnt(text).make(text.replace("G4 P0.5\n", ""))
    assert not unpierced.parts  # without its time it only marks
    routers = write_gcode(path, CutSettings(bed=BED))
    with pytest.raises(FileFormatError, match="torch on"):
        burnt(routers).make(routers)  # a router's file burns between the lines
    assert any(m.code == "file_rapid_in_stock" for m in misfits(read_back(routers, Speeds(), thermal=True), BED))


@pytest.mark.parametrize("travel", [4.0, 5.0, 9.9, 30.0])
def test_no_torch_or_lens_leaves_its_travel(travel: float) -> None:
    path = path_of(KerfPlate(90, 70, hole=25, compensation=1.7, thermal=True), 3).moved(60, 60)
    text = write_thermal(path, ThermalSettings(BED, z_travel=travel))
    said = [float(z) for z in re.findall(r"^G[01] Z(-?[\d.]+)", text, re.MULTILINE)]
    assert read_thermal(text, beam=False)
    assert 0 < min(said) <= max(said) == min(travel, 10.0)
    with pytest.raises(PieceError, match="too little to pierce"):
        ThermalSettings(BED, z_travel=3.0)


@pytest.mark.parametrize(
    "wrong", [{"feed": 0}, {"pierce_height": 99}, {"power": 0}, {"safe_height": 1.0}, {"pierce_delay": -1}]
)
def test_settings_that_no_table_has_are_refused(wrong: dict[str, float]) -> None:
    with pytest.raises(PieceError):
        ThermalSettings(BED, **wrong)


def test_a_plasma_table_of_the_shop_gets_its_own_file_and_a_whole_round(tmp_path: Path) -> None:
    """Ember: dry run without a misfit, the plate cut on its stand-in, kerf found for its process and thickness."""
    ember = replace(
        HERON, uid="ember", name="Ember", kind=MachineKind.PLASMA, process="45 A, 1.1 mm nozzle", z_travel=0.0,
        stock=Stock("steel", 6.0, 0, 0, 1200, 800, uid="steel-6"), tools=(Tool("1.1 mm nozzle", 1.5, uid="n11"),),
        mounted="n11",
    )  # fmt: skip
    shop = Shop(tmp_path / "s.kcshop")
    shop.put_machine(ember)
    for quantity in ("x_steps", "y_steps"):
        shop.put_value("ember", quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, 100.0), "start")
    session = RoundSession.begin(shop, ember, "kerf-square", "kerf")
    assert session.making.refusal() is None
    text = session.making.file_text()
    assert "M3\nG4 P0.5\n" in text
    assert len([b for b in read_thermal(text, beam=False) if b.stood]) == 3
    assert session.making.misfits() == []
    session.give_up("only its file was wanted")
    truth = Truth(
        {"x": 100.0, "y": 100.0},
        {"x": 0.05, "y": 0.05},
        1.83,
        0.02,
        (0.3, 0.2),
        0.7,
        6.0,
        hole_bias=-0.25,
        thermal="plasma",
    )
    shop.put_stand_in("ember", truth.to_json())
    for known in INSTRUMENTS:
        shop.put_instrument(known)
    done = play(shop, shop.machine("ember"), "kerf-square", "kerf")
    assert done.context.kept.status == "signed"
    found = {f.quantity: f for f in done.measuring.findings()}
    assert found["kerf"].error == pytest.approx(0.0, abs=0.12)
    assert found["hole_bias"].new == pytest.approx(-0.25, abs=0.12)
    (key,) = {s for m, q, s in shop.latest_findings() if q == "kerf"}
    assert "process=45 A" in key
    assert done.step in (Step.MEASURE, Step.CONFIRM)
    shop.close()


@pytest.mark.parametrize(
    ("kind", "says"), [("plasma", "M3\nG4"), ("laser", "M3 S"), ("router", "M3 S18000"), ("knife", "G21")]
)
def test_the_command_line_writes_each_kinds_own_file(kind: str, says: str, tmp_path: Path) -> None:
    out = tmp_path / "p.nc"
    assert main(["piece", "kerf-square", "--machine", kind, "-o", str(out)]) == 0
    assert says in out.read_text()


def test_a_pen_is_not_asked_to_cut(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["piece", "kerf-square", "--machine", "pen", "-o", str(tmp_path / "p.nc")]) == 2
    assert "a pen cuts nothing" in capsys.readouterr().err
