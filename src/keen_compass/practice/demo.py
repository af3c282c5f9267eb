"""The demo shop: Lantern Quay builds signs and displays for harbours and gardens.

Its logbook is not written by hand: past rounds are played on the stand-in, with the clock set back,
through the same session that the screens use.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

from keen_compass.formats.listing import read_listing
from keen_compass.practice.demo_machines import (
    AFTER_MOVE,
    CHART,
    EMBER,
    EMBER_TRUTH,
    FEEDS,
    HERON,
    INSTRUMENTS,
    KINGFISHER,
    KINGFISHER_TRUTH,
    MACRO,
    MACRO_HOLDS,
    SQUARE,
    START,
    STEEL,
    SWIFT,
)
from keen_compass.practice.playing import artwork, correct_all, cut, from_picture, play, read_all
from keen_compass.practice.stand_in import scan
from keen_compass.procedures.stages import Step
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount
from keen_compass.quantities.subjects import Subject
from keen_compass.rounds import RoundSession
from keen_compass.shop.consumables import tell_age
from keen_compass.shop.library import KerfEntry, Known, of_another, put_on, take_chart
from keen_compass.shop.store import Shop
from keen_compass.standin.truth import Truth

Play = Callable[..., RoundSession]

# A year of plates on Ember: days ago, thickness, pierces that the consumables had had by then; 0 with new ones.
YEAR = (
    (350, 6.0, 0.0),
    (318, 6.0, 430.0),
    (290, 6.0, 880.0),
    (262, 6.0, 1310.0),
    (250, 6.0, 0.0),
    (221, 6.0, 510.0),
    (168, 3.0, 760.0),
    (160, 6.0, 1120.0),
    (140, 6.0, 0.0),
    (132, 10.0, 120.0),
    (88, 6.0, 640.0),
    (41, 3.0, 0.0),
    (12, 6.0, 380.0),
)
WORN_OUT = 1150.0
EMBER_MOTION = (("backlash", "x_backlash"), ("backlash", "y_backlash"), ("rectangle", ""), ("squareness", ""))
MOTION_AGAIN = 7  # before which of these its motion was proven again


def build(file: Path) -> Shop:
    """A demo shop that is played again, in `file`: some 60 rounds, half a minute."""
    shop, today = Shop(file), datetime.now(UTC)
    play_one = partial(play, shop)
    with _clock(shop) as set_clock, shop.writing():  # one transaction: nothing is typed here
        _heron(shop, play_one, set_clock, today, file.parent)
        _swift(shop, play_one, set_clock, today)
        _kingfisher(shop, play_one, set_clock, today)
        _ember(shop, play_one, set_clock, today)
    return shop


def put_heron(shop: Shop, truth: Truth, start: Mapping[str, float]) -> None:
    """Heron with its instruments, before anything was measured. start: quantity → steps per mm in the controller."""
    shop.put_machine(HERON)
    for instrument in INSTRUMENTS:
        shop.put_instrument(instrument)
    for quantity, steps in start.items():
        shop.put_value(HERON.uid, quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, steps), "start")
    for quantity, feed in FEEDS.items():
        shop.put_value(HERON.uid, quantity, StoredAmount(quantity, "mm/min", feed), "start")
    shop.put_stand_in(HERON.uid, truth.to_json())


def _heron(shop: Shop, play: Play, set_clock: Callable[[datetime], None], today: datetime, folder: Path) -> None:
    """A router that was corrected from its parts up, then moved: since then X, Y and the corner are out."""
    set_clock(today - timedelta(days=232, hours=3))
    put_heron(shop, SQUARE, START)
    _pointer_on_heron(shop, folder)
    for procedure, quantity in (
        ("drive-train", "x_drive"),
        ("drive-train", "y_drive"),
        ("drive-train", "z_drive"),
        ("rectangle", ""),
        ("backlash", "x_backlash"),
        ("backlash", "y_backlash"),
        ("squareness", ""),
        ("home", ""),
    ):
        play(HERON, procedure, quantity)
    set_clock(today - timedelta(days=226, hours=2))
    for procedure, quantity in (
        ("bed", "x_tram"),
        ("bed", "bed"),
        ("speed", "x_speed"),
        ("speed", "y_speed"),
        ("travel-run", "x_steps"),
        ("reference-lines", ""),
    ):
        play(HERON, procedure, quantity)
    play(shop.machine("heron"), "pointer", "pointer_x", chosen={"way": "mark"})
    _kerf_from_a_scan(shop)
    set_clock(today - timedelta(days=96, hours=5))
    shop.put_event("heron", "new_sheet", "birch ply 9 mm")
    play(HERON, "rectangle")
    set_clock(today - timedelta(days=24, hours=2))
    shop.put_event("heron", "moved", "Moved to the new hall, belts tightened")
    skimmed = shop.value("heron", "bed")
    shop.put_stand_in("heron", replace(AFTER_MOVE, bed_since=skimmed.stored.value if skimmed else 0.0).to_json())
    set_clock(today - timedelta(days=9, hours=4))
    shop.put_event("heron", "new_sheet", "birch ply 9 mm")
    no_time = "Checked after the move; no time before the harbour signs are cut"
    for procedure, quantity in (
        ("squareness", ""),
        ("bed", "x_tram"),
        ("speed", "x_speed"),
        ("backlash", "x_backlash"),
        ("backlash", "y_backlash"),
        ("rectangle", ""),
    ):
        play(HERON, procedure, quantity, correct=False, why_not=no_time)
    shop.put_event("heron", "new_sheet", "birch ply 9 mm")


def _kerf_from_a_scan(shop: Shop) -> None:
    """The cutter's kerf: the first plate was measured with a caliper, and made the scanner an instrument; the one
    that confirms it was read on its glass.
    """
    session = RoundSession.begin(shop, shop.machine("heron"), "kerf-square", "kerf")
    cut(session)
    read_all(session)
    shot = scan(session)
    if shot is not None:
        session.seen_piece.look(shot(), "scan.jpg", lambda run: run())
        session.seen_piece.calibrate()
        session.seen_piece.leave()
    session.go(Step.CORRECT)
    correct_all(session)
    session.go(Step.CONFIRM)
    cut(session)
    from_picture(session)
    read_all(session)
    session.sign("Finer than this instrument can tell" if session.needs_reason() else "")


def _pointer_on_heron(shop: Shop, folder: Path) -> None:
    """Heron has a pointer; how far it sits from the tool is in a macro, as the tool minus the pointer."""
    file = folder / "heron-to-pointer.txt"
    file.write_text(MACRO, encoding="ascii")
    listing = read_listing(file)
    spots = {}
    for axis, text in MACRO_HOLDS.items():
        line = next(i for i, words in enumerate(MACRO.splitlines(), 1) if text in words)
        number = listing.number_at(line, MACRO.splitlines()[line - 1].index(text) + 1)
        spots[f"pointer_{axis}"] = listing.spot(number, str(file))
    machine = replace(
        HERON,
        heads=("pointer",),
        offset_form="tool_minus_secondary",
        spots=spots,
        tolerances={**HERON.tolerances, "pointer_x": 0.5, "pointer_y": 0.5},
    )
    shop.put_machine(machine)
    for axis, text in MACRO_HOLDS.items():
        shop.put_value("heron", f"pointer_{axis}", StoredAmount(f"pointer_{axis}", "mm", float(text)), "start")


def _kingfisher(shop: Shop, play: Play, set_clock: Callable[[datetime], None], today: datetime) -> None:
    """A plotter without a cable: its lines are copied by hand. Its steps were only read in X, with too coarse a rule;
    its pointer is in since a sheet, and its mark sensor out.
    """
    set_clock(today - timedelta(days=17, hours=6))
    shop.put_machine(KINGFISHER)
    for quantity in ("x_steps", "y_steps"):
        shop.put_value("kingfisher", quantity, StoredResolution(ResolutionForm.PAIR, 100.0, 100.0), "start")
    session = RoundSession.begin(shop, KINGFISHER, "rectangle")
    session.making.choose(instrument="rule-1000", size=600.0)
    session.making.made()
    session.after_making()
    for measurand in ("height", "short_height"):
        session.measuring.skip(measurand)
    for text in ("450.5", "135", "450", "135", "450.5", "135"):
        session.measuring.type(text)
        session.measuring.keep()
    session.give_up("The film ran out before Y could be read")
    for quantity, mm in {"pointer_x": -32.1, "pointer_y": 19.0, "sensor_x": 25.3, "sensor_y": 6.1}.items():
        shop.put_value("kingfisher", quantity, StoredAmount(quantity, "mm", mm), "start", subject=KINGFISHER.subject)
    shop.put_stand_in("kingfisher", KINGFISHER_TRUTH.to_json())
    set_clock(today - timedelta(days=15, hours=4))
    play(KINGFISHER, "pointer", "pointer_x")
    play(KINGFISHER, "registration", "registration")
    play(KINGFISHER, "media-feed", "media_feed")
    for carrier in ("stiff-mat", "tack-mat"):
        put_on(shop, shop.machine("kingfisher"), fitted={"carrier": carrier})
        play(shop.machine("kingfisher"), "print-scale", "print_scale_x", "caliper-600", chosen={"paper": "A3"})
    for accessory in ("scoring-tip", "felt-pen"):
        put_on(shop, shop.machine("kingfisher"), fitted={"accessory": accessory})
        for quantity, one in of_another(shop, shop.machine("kingfisher")).items():
            if one.wanted and quantity.startswith("second_tool"):  # as its maker says, to begin with
                shop.put_value("kingfisher", quantity, one.wanted, "typed", subject=shop.machine("kingfisher").subject)
        play(shop.machine("kingfisher"), "second-tool", "second_tool_x", "rule-1000", chosen={"way": "vernier"})
    set_clock(today - timedelta(days=4, hours=3))
    _proof_jobs(shop)
    set_clock(today - timedelta(days=3, hours=2))
    due = "The harbour labels are due; it goes in after them"
    play(KINGFISHER, "pointer", "sensor_x", correct=False, why_not=due, by_picture=True)


def _proof_jobs(shop: Shop) -> None:
    """A harbour sticker that was cut where it was printed, and a garden label whose print is drying."""
    for file, settings in (("harbour-sticker.svg", {"outset": 2.5}), ("garden-label.png", {"outset": 2.0})):
        session = RoundSession.begin(shop, shop.machine("kingfisher"), "proof", "proof")
        session.making.artworks.put(artwork(file), file)
        session.making.artworks.change(**settings)
        session.making.sheets.draw_up()
        if file.endswith("svg"):
            cut(session)
            read_all(session)
            session.sign("Finer than this rule can tell" if session.needs_reason() else "")
        else:
            session.making.sheets.printed()


def _ember(shop: Shop, play: Play, set_clock: Callable[[datetime], None], today: datetime) -> None:
    """A plasma table whose controller keeps one kerf: found in three thicknesses, and in the thickest not since."""
    set_clock(today - timedelta(days=352, hours=4))
    shop.put_machine(EMBER)
    shop.put_stand_in("ember", EMBER_TRUTH.to_json())
    for quantity in ("x_steps", "y_steps"):
        shop.put_value("ember", quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, 80.0), "start")
    shop.put_value("ember", "kerf", StoredAmount("kerf", "mm", 0.8), "start", subject=EMBER.subject)
    take_chart(
        shop,
        "ember",
        [
            KerfEntry(
                Subject(material="steel", thickness=t, process=process),
                kerf,
                Known.CHARTED,
                settings={"feed": feed, "pierce_height": pierce, "cut_height": 1.5, "pierce_delay": delay},
            )
            for process, t, kerf, feed, pierce, delay in CHART
        ],
    )
    for procedure, quantity in EMBER_MOTION:
        play(EMBER, procedure, quantity)
    for days, thickness, pierces in YEAR:
        if days == YEAR[MOTION_AGAIN][0]:
            set_clock(today - timedelta(days=days + 2, hours=5))
            for procedure, quantity in EMBER_MOTION:
                play(shop.machine("ember"), procedure, quantity)
        set_clock(today - timedelta(days=days, hours=5))
        put_on(shop, shop.machine("ember"), stock=STEEL[thickness])
        shop.put_event("ember", "new_sheet", f"steel {thickness:g} mm")
        if not pierces:
            shop.put_event("ember", "tool", "New nozzle and electrode")
        _used(shop, pierces)
        play(shop.machine("ember"), "kerf-square", "kerf")
    play(shop.machine("ember"), "bevel", "bevel")
    shop.put_event("ember", "new_sheet", "steel 6 mm")
    set_clock(today - timedelta(days=1, hours=5))
    _used(shop, WORN_OUT)


def _used(shop: Shop, pierces: float) -> None:
    """Signs were cut: the machine's own counter says so, and the practice machine is as worn as it says."""
    ember = shop.machine("ember")
    changes = sum(kind == "tool" for _, kind, _ in shop.events("ember"))
    truth = shop.stand_in("ember") or {}
    shop.put_stand_in("ember", {**truth, "worn": pierces, "changes": changes})
    tell_age(shop, ember, "nozzle-11", pierces)


def _swift(shop: Shop, play: Play, set_clock: Callable[[datetime], None], today: datetime) -> None:
    """A vinyl plotter in inches: X in, Y changed since and not yet confirmed."""
    set_clock(today - timedelta(days=40, hours=2))
    shop.put_machine(SWIFT)
    for quantity, percent in (("x_steps", 100.0), ("y_steps", 100.0)):
        shop.put_value("swift", quantity, StoredResolution(ResolutionForm.PERCENT_100, percent), "start")
    truth = Truth(
        motion={"x": 100.62, "y": 99.71},
        lost_motion={"x": 0.32, "y": 0.1},
        kerf=0.0,
        scatter=0.04,
        instrument_error=(0.3, 0.4),
        repeat=0.35,
        settle=0.02,
        skew=0.0012,
        gantry=600.0,
        feed_axis="x",
        drift=0.09,
        slip=0.03,
        bed_size=(8000.0, 630.0),
        heads={"pointer": (-12.6, 35.3), "sensor": (18.4, -7.9), "camera": (44.31, -3.18)},
        trails=0.31,
        camera=(0.021, 3.2, 0.0),
    )
    shop.put_stand_in("swift", truth.to_json())
    play(SWIFT, "rectangle", "", "rule-60in")
    play(SWIFT, "travel-run", "x_backlash", "rule-60in")
    play(SWIFT, "travel-run", "y_backlash", "rule-60in")
    play(SWIFT, "squareness", "", "rule-60in")
    play(SWIFT, "travel-run", "tracking", "rule-60in")
    shop.put_value("swift", "drag", StoredAmount("drag", "mm", 0.2), "start", subject=Subject("drag-knife"))
    for quantity, mm in {
        "pointer_x": -12.8,
        "pointer_y": 34.9,
        "sensor_x": 18.4,
        "sensor_y": -7.9,
        "camera_x": 44.22,
        "camera_y": -3.1,
    }.items():
        shop.put_value("swift", quantity, StoredAmount(quantity, "mm", mm), "start")
    play(SWIFT, "pointer", "pointer_x")
    play(SWIFT, "drag-blade", "drag")
    play(SWIFT, "camera", "camera_x")
    set_clock(today - timedelta(days=31))
    shop.put_event("swift", "new_sheet", "white vinyl")
    shop.put_event("swift", "tool", "New blade, cutting force set")
    held = shop.value("swift", "y_steps")
    if held and isinstance(held.stored, StoredResolution):
        shop.put_value("swift", "y_steps", held.stored.corrected(0.0004, SWIFT.decimals), "typed")


@contextmanager
def _clock(shop: Shop):  # type: ignore[no-untyped-def]
    """Set the shop's clock back; it goes on by a minute at every record."""
    at = [datetime.now(UTC)]

    def set_clock(to: datetime) -> None:
        at[0] = to

    def tick() -> str:
        at[0] += timedelta(seconds=40)
        return at[0].strftime("%Y-%m-%dT%H:%M:%S.%fZ")

    before: Callable[[], str] = shop.clock
    shop.clock = tick
    try:
        yield set_clock
    finally:
        shop.clock = before
