"""Files of every procedure for machines, stocks, standpoints and units as they may turn up, read by a strict stranger.

Nothing leaves the travel of any axis, nothing marks beside the stock or over what lies there, everything ends up, off
and stopped; or the program says in words why there is no file.
"""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from shapely import MultiLineString

from keen_compass.errors import PieceError
from keen_compass.formats.gcode import CutSettings, write_gcode, write_moves
from keen_compass.formats.hpgl import write_hpgl
from keen_compass.machines.fitted import Stock, Tool
from keen_compass.machines.limits import UNITS
from keen_compass.machines.profile import Machine
from keen_compass.pieces.moves import Go, MoveProgram
from keen_compass.pieces.stepped import SteppedOutline
from keen_compass.practice.demo_machines import HERON, INSTRUMENTS, KINGFISHER, START, SWIFT
from keen_compass.procedures import REGISTRY, load, yielding
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.notes import plain
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import DIRECTIONS, Standpoint
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
from keen_compass.words.say import say
from said import words
from strict_reader import Line, Seen, path_of, read_gcode, read_hpgl, read_svg, read_thermal

BATCHES, FILES = 3, 120  # read in all: 360
ROUNDING = 0.013  # mm, half a plotter unit
STRAIGHT = [Standpoint(x, y) for x in DIRECTIONS for y in DIRECTIONS
            if DIRECTIONS[x][0] * DIRECTIONS[y][0] + DIRECTIONS[x][1] * DIRECTIONS[y][1] == 0]  # fmt: skip

pytestmark = pytest.mark.heavy


def any_machine(rng: random.Random, uid: str) -> Machine:
    """A table or a plotter with some stock on it, small, long, thick or off in a corner."""
    base = rng.choice((HERON, HERON, SWIFT, KINGFISHER))
    bed = (rng.choice((180.0, 300.0, 762.0, 1300.0, 3050.0)), rng.choice((150.0, 400.0, 610.0, 900.0, 1525.0)))
    if base is not HERON and rng.random() < 0.5:
        bed = (bed[1], 8000.0)
    x, y = (round(rng.uniform(0, 0.5) * side, 1) * rng.choice((0, 1)) for side in bed)
    width, height = (
        (side - at) * rng.choice((1.0, rng.uniform(0.05, 1))) for side, at in zip(bed, (x, y), strict=True)
    )
    stock = Stock("stock", rng.choice((0.1, 3.0, 9.0, 18.0, 40.0)), x, y, max(width, 5.0), max(height, 5.0))
    tools = rng.sample((Tool("6 mm cutter", 6.0), Tool("pen", 0.0, drawn=True), Tool("3 mm cutter", 3.175)), 2)
    return replace(
        base, uid=uid, name=uid, bed=bed, stock=None if rng.random() < 0.03 else stock, units=rng.choice(UNITS),
        standpoint=rng.choice(STRAIGHT), tools=tuple(tools) if base is HERON else base.tools,
        z_travel=rng.choice((0.0, 4.0, 9.0, 14.0, 33.0, 45.0, 90.0, 101.0, 160.0)) if base is HERON else 0.0,
        depth_per_pass=rng.choice((0.5, 3.0, 12.0)),
        units_per_mm=rng.choice((40.0, 100.0)) if base is not HERON else 40.0,
        file=rng.choice(("", "svg")) if base is not HERON else "",
    )  # fmt: skip


def rounds_on(shop: Shop, machine: Machine, rng: random.Random) -> Iterator[tuple[RoundSession, str]]:
    """Rounds of what this machine can do, in any order, each with its file, or with words instead of one."""
    shop.put_machine(machine)
    for quantity, value in START.items():
        shop.put_value(machine.uid, quantity, StoredResolution(machine.form, 100.0, 100.0)
                       if machine.form is not ResolutionForm.STEPS_PER_MM
                       else StoredResolution(machine.form, value), "start")  # fmt: skip
    names = {e.name for q in machine.quantities for e in yielding(q, machine.file_format)} - {
        "drive-train",
        "media-feed",
    }
    names = {name for name in names if not load(name).on_paper.printed}  # sheets have a test of their own
    for name in rng.choices(sorted(names), k=5):
        quantity = rng.choice([q for q in REGISTRY[name].yields if q in machine.quantities])
        session = RoundSession.begin(shop, machine, name, quantity)
        making = session.making
        for choice in session.context.procedure.choices(machine):
            making.choose_option(choice.name, rng.choice(choice.options)[1])
        making.choose(tool=rng.choice(machine.tools).name, passes=rng.choice((1, 3, 5)))
        if session.context.procedure.sizes.slider and rng.random() < 0.5:
            making.choose_size(rng.choice((making.smallest, making.largest_size() or making.smallest, 400.0)))
        for _ in range(rng.choice((1, 2, 3))):
            refused = making.refusal()
            yield session, refused
            if refused:
                break
            making.made()
        session.give_up("only its file was wanted")


def read(session: RoundSession, machine: Machine) -> Seen:
    text = session.making.file_text()
    if machine.file_format == "svg":
        return read_svg(text)
    if machine.file_format == "hpgl":
        return read_hpgl(text, machine.units_per_mm)
    moves = session.context.procedure.makes is Makes.MOVES
    seen = read_gcode(text, drawn=session.context.tool.drawn)
    assert not (seen.spun and (moves or session.context.tool.drawn))
    return seen


def check(session: RoundSession, machine: Machine, seen: Seen, earlier: list[Line]) -> None:
    """Travel, stock, and what lies there already."""
    where = (machine, session.context.procedure.name, session.making.parameters())
    if machine.file_format == "svg":  # the program that plots it chooses where
        (x0, x1), (y0, y1) = seen.span(0), seen.span(1)
        assert x1 - x0 <= machine.stock.width, where  # type: ignore[union-attr]
        assert y1 - y0 <= machine.stock.height, where  # type: ignore[union-attr]
        return
    for axis, size in enumerate(machine.bed):
        low, high = seen.span(axis)
        assert low >= -ROUNDING, where
        assert high <= size + ROUNDING, where
    if machine.z_travel:
        low, high = seen.span(2)
        assert high - low <= machine.z_travel + 1e-6, where
        if session.context.procedure.makes is Makes.MOVES:
            assert low >= 0, where
    on_bed = session.context.procedure.on_stock.marks_bed and machine.file_format == "gcode"
    if seen.marks and not on_bed:
        stock = machine.stock
        assert stock is not None
        for x, y in (p for line in seen.marks for p in line):
            assert stock.x - ROUNDING <= x <= stock.x + stock.width + ROUNDING, where
            assert stock.y - ROUNDING <= y <= stock.y + stock.height + ROUNDING, where
        marks = MultiLineString(sorted(set(seen.marks)))  # passes go over the same lines
        assert not (earlier and marks.intersects(MultiLineString(earlier))), where
        earlier += set(seen.marks)


def shop_with(folder: Path, machine: Machine | None = None) -> Shop:
    """A fresh shop with instruments, and a table with its steps."""
    shop = Shop(folder / "s.kcshop")
    for instrument in INSTRUMENTS:
        shop.put_instrument(instrument)
    if machine:
        shop.put_machine(machine)
        for quantity, value in START.items():
            shop.put_value(machine.uid, quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, value), "start")
    return shop


@pytest.mark.parametrize("batch", range(BATCHES))
def test_every_file_keeps_to_its_machine(tmp_path: Path, batch: int) -> None:
    rng, shop, read_files, refused = random.Random(batch), shop_with(tmp_path), 0, Counter[str]()
    number = 0
    while read_files < FILES:
        machine, earlier = any_machine(rng, f"m{number}"), list[Line]()
        number += 1
        for session, refusal in rounds_on(shop, machine, rng):
            if refusal:
                assert words(refusal).endswith("."), refusal
                refused[refusal.code] += 1
                continue
            check(session, machine, read(session, machine), earlier)
            read_files += 1
    assert sum(refused.values()) < 1.5 * FILES, refused
    shop.close()


@pytest.mark.parametrize("z_travel", [*range(4, 20), *range(20, 130, 3)])
def test_no_run_along_z_leaves_its_travel(tmp_path: Path, z_travel: int) -> None:
    """Proposed as the program proposes it: from a clearance above the low end to one below the high end."""
    machine = replace(HERON, z_travel=float(z_travel))
    shop = shop_with(tmp_path, machine)
    for name, quantity in (("travel-run", "z_steps"), ("backlash", "z_backlash")):
        session = RoundSession.begin(shop, machine, name, quantity)
        if refusal := session.making.refusal():
            assert z_travel < 8, refusal
            continue
        low, high = read_gcode(session.making.file_text(), drawn=True).span(2)
        assert 0 <= low < high <= z_travel
        session.making.made()
    shop.close()


def test_a_run_too_long_for_z_is_refused_in_words() -> None:
    program = MoveProgram(plain("up"), (Go(x=10, y=10), Go(z=103.0, feed=300)))
    with pytest.raises(PieceError, match=r"leave its travel \(90 mm\); make the run shorter"):
        write_moves(program, CutSettings(Box(0, 0, 100, 100), z_travel=90.0), say)
    down = MoveProgram(plain("down"), (Go(x=10, y=10), Go(z=-2.0, feed=300)))
    with pytest.raises(PieceError, match="leave its travel"):
        write_moves(down, CutSettings(Box(0, 0, 100, 100)), say)


def test_z_with_little_room_clears_the_stock_by_less_or_not_at_all() -> None:
    path = path_of(SteppedOutline.sized(200, 150, 6.0), 1).moved(20, 20)
    settings = CutSettings(Box(0, 0, 300, 300), thickness=9.0, z_travel=14.0)
    low, high = read_gcode(write_gcode(path, settings), drawn=False).span(2)
    assert (low, high) == (pytest.approx(-9.3), pytest.approx(4.7))
    with pytest.raises(PieceError, match="too little to go"):
        write_gcode(path, replace(settings, z_travel=10.0))


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("feed", 0), ("feed", 1e-9), ("feed", 1e-300), ("feed", float("nan")), ("feed", 1e12), ("plunge_feed", 1e-9),
        ("depth_per_pass", 1e-9), ("depth_per_pass", float("inf")), ("thickness", 0.0), ("thickness", 1e-300),
        ("thickness", 501), ("safe_height", 1e-9), ("safe_height", 1e9), ("mark_depth", 1e-9), ("mark_depth", -1),
        ("spindle_rpm", 0), ("spindle_rpm", 10**12), ("z_travel", -1), ("z_travel", float("nan")),
    ],
)  # fmt: skip
def test_settings_that_no_machine_has_are_refused_before_a_line_is_written(field: str, value: float) -> None:
    settings: dict[str, Any] = {field: value}
    with pytest.raises(PieceError, match=field):
        CutSettings(Box(0, 0, 100, 100), **settings)


def test_more_passes_than_anybody_cuts_are_refused() -> None:
    with pytest.raises(PieceError, match="passes are more than anybody cuts"):
        CutSettings(Box(0, 0, 100, 100), thickness=40.0, depth_per_pass=0.1)


def test_long_lines_of_a_plotter_are_broken_and_mean_the_same() -> None:
    from keen_compass.pieces.square import SquareFigure

    path = path_of(SquareFigure("circle", 500, 500), 123456).moved(40, 40)
    text = write_hpgl(path, 40.0, Box(0, 0, 600, 600))
    assert max(map(len, text.splitlines())) < 200
    drawn = [end for _, end in read_hpgl(text, 40.0).marks]
    wanted = [p for stroke in path.strokes for p in stroke.points[1:]]
    rest = iter(drawn)  # in order, with the arcs' own points between
    assert all(any(math.dist(p, q) <= 2 * ROUNDING for q in rest) for p in wanted)
    assert sum(1 for x, y in drawn if abs(math.hypot(x - 290, y - 290) - 250) <= 2 * ROUNDING) >= 360


def test_thermal_machines_get_no_routers_file(tmp_path: Path) -> None:
    ember = replace(HERON, uid="ember", name="Ember", kind=MachineKind.PLASMA)
    shop = shop_with(tmp_path, ember)
    session = RoundSession.begin(shop, ember, "rectangle")
    assert not session.making.refusal()
    assert read_thermal(session.making.file_text(), beam=False)  # nothing but what a torch knows
    run = RoundSession.begin(shop, ember, "travel-run", "x_steps")  # turns nothing on
    assert not run.making.refusal()
    assert "M3" not in run.making.file_text()
    shop.close()


def test_a_confirming_pair_of_lines_lies_beside_the_first(tmp_path: Path) -> None:
    shop = shop_with(tmp_path, HERON)
    session = RoundSession.begin(shop, HERON, "home")
    seen: list[float] = []
    for _ in range(3):
        seen.append(session.making.parameters()["along"])
        session.making.made()
    assert seen == sorted(set(seen))
    after = RoundSession.begin(shop, HERON, "squareness")  # and other pieces keep clear of the lines
    place = after.making.place()
    assert place is not None
    assert not any(place.overlaps(box) for box, _ in after.making.taken())
    shop.close()


def test_a_file_in_inches_goes_where_the_same_in_millimetres_goes() -> None:
    path = path_of(SteppedOutline.sized(400, 300, 6.0), 12).moved(40, 40)
    in_mm, in_inches = (
        read_gcode(write_gcode(path, CutSettings(Box(0, 0, 600, 600), inches=inches, z_travel=60.0)), drawn=False)
        for inches in (False, True)
    )
    assert len(in_mm.places) == len(in_inches.places)
    apart = [
        max(abs(a - b) for a, b in zip(p, q, strict=True)) for p, q in zip(in_mm.places, in_inches.places, strict=True)
    ]
    assert max(apart) < 0.0005
