"""The demo shop: Lantern Quay builds signs and displays for harbours and gardens.

Its logbook is not written by hand: past rounds are played on the stand-in, with the clock set back,
through the same session that the screens use.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path

from keen_compass.procedures.base import Step
from keen_compass.procedures.rounds import RoundSession
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.verdict import Verdict
from keen_compass.shop.machines import Machine, Stock, Tool
from keen_compass.shop.store import Shop
from keen_compass.standin.router import RouterTruth

START = {"x_steps": 106.667, "y_steps": 106.667}
CORRECT_BEFORE_MOVE = {"x": 106.412, "y": 106.508}
CORRECT_NOW = {"x": 106.318, "y": 106.587}

HERON = Machine(
    uid="heron",
    name="Heron",
    kind="router",
    bed=(1300.0, 900.0),
    tolerances={"x_steps": 0.4, "y_steps": 0.4},
    setting_keys={"x_steps": "X_STEPS_PER_MM", "y_steps": "Y_STEPS_PER_MM"},
    takes_effect="Heron’s controller takes new numbers after it is switched off and on.",
    tools=(Tool("6 mm cutter", 6.0), Tool("3 mm cutter", 3.0), Tool("Pen in the spindle", 0.0, drawn=True)),
    stock=Stock("birch ply 9 mm", 9.0, 30.0, 30.0, 1240.0, 840.0),
    scatter=(0.011, 14.0),
)
SWIFT = Machine(
    uid="swift",
    name="Swift",
    kind="vinyl plotter",
    bed=(8000.0, 630.0),
    standpoint=Standpoint("toward", "right"),
    units="in 1/64",
    form=ResolutionForm.PERCENT_100,
    decimals=2,
    tolerances={"x_steps": 1.0, "y_steps": 2.0},
    setting_keys={"x_steps": "FEED SCALE", "y_steps": "CROSS SCALE"},
    setting_line="{key}: {value} %",
    takes_effect="Swift takes new numbers at once.",
    tools=(Tool("Plotter pen", 0.0, drawn=True), Tool("Drag knife", 0.0, drawn=True)),
    stock=Stock("white vinyl roll", 0.1, 0.0, 15.0, 1600.0, 600.0),
    scatter=(0.04, 14.0),
)
KINGFISHER = Machine(
    uid="kingfisher",
    name="Kingfisher",
    kind="print-and-cut plotter",
    bed=(720.0, 3000.0),
    standpoint=Standpoint("right", "toward"),
    form=ResolutionForm.PAIR,
    tolerances={"x_steps": 1.0, "y_steps": 1.0},
    setting_keys={"x_steps": "ACROSS", "y_steps": "ALONG"},
    setting_line="{key} {value}",
    takes_effect="Kingfisher asks to be homed after a change.",
    tools=(Tool("Pen holder", 0.0, drawn=True),),
    stock=Stock("display film", 0.2, 10.0, 0.0, 700.0, 1200.0),
    file="svg",
)
INSTRUMENTS = (
    Instrument(
        "Long caliper 600 mm", 0.01, (0.02, 0.00002), reach=600.0, uid="caliper-600",
        repeats=Repeatability(0.009, 22.0),
    ),
    Instrument(
        "Steel rule 1 m", 0.5, (0.1, 0.00005), both_ends=True, reach=1000.0, uid="rule-1000", kind="steel rule"
    ),
    Instrument(
        "Inch rule 60 in", 25.4 / 64, (0.1, 0.00005), both_ends=True, unit="in", reach=1524.0, uid="rule-60in",
        kind="steel rule", repeats=Repeatability(0.15, 22.0),
    ),
)  # fmt: skip


def build(file: Path) -> Shop:
    """A fresh demo shop in `file`."""
    shop = Shop(file)
    today = datetime.now(UTC)
    with _clock(shop) as set_clock:
        set_clock(today - timedelta(days=232, hours=3))
        shop.put_machine(HERON)
        for instrument in INSTRUMENTS:
            shop.put_instrument(instrument)
        for quantity, steps in START.items():
            shop.put_value("heron", quantity, StoredResolution(ResolutionForm.STEPS_PER_MM, steps), "start")
        _truth(shop, CORRECT_BEFORE_MOVE)
        _play_round(shop, HERON)
        set_clock(today - timedelta(days=96, hours=5))
        shop.put_event("heron", "new_sheet", "New sheet: birch ply 9 mm")
        _play_round(shop, HERON)
        set_clock(today - timedelta(days=24, hours=2))
        shop.put_event("heron", "moved", "Moved to the new hall, belts tightened")
        _truth(shop, CORRECT_NOW)
        set_clock(today - timedelta(days=9, hours=4))
        shop.put_event("heron", "new_sheet", "New sheet: birch ply 9 mm")
        _play_check(shop)
        _swift(shop, set_clock, today)
        _kingfisher(shop, set_clock, today)
    return shop


def _kingfisher(shop: Shop, set_clock: Callable[[datetime], None], today: datetime) -> None:
    """A plotter without a stand-in: its lines are copied by hand. Only X was ever read, with too coarse a rule."""
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


def _swift(shop: Shop, set_clock: Callable[[datetime], None], today: datetime) -> None:
    """A vinyl plotter in inches: X in, Y changed since and not yet confirmed."""
    set_clock(today - timedelta(days=40, hours=2))
    shop.put_machine(SWIFT)
    for quantity, percent in (("x_steps", 100.0), ("y_steps", 100.0)):
        shop.put_value("swift", quantity, StoredResolution(ResolutionForm.PERCENT_100, percent), "start")
    truth = RouterTruth(
        motion={"x": 100.62, "y": 99.71}, lost_motion={"x": 0.05, "y": 0.04}, kerf=0.0, scatter=0.04,
        instrument_error=(0.03, 2e-5), repeat=0.15,
    )  # fmt: skip
    shop.put_stand_in("swift", truth.to_json())
    _play_round(shop, SWIFT, "rule-60in")
    set_clock(today - timedelta(days=31))
    shop.put_event("swift", "new_sheet", "New roll: white vinyl")
    shop.put_event("swift", "tool", "New blade, cutting force set")
    held = shop.value("swift", "y_steps")
    if held:
        shop.put_value("swift", "y_steps", held.stored.corrected(0.0004, SWIFT.decimals), "typed")


def read_all(session: RoundSession, most: int | None = None) -> None:
    """Read the practice caliper onto every callout, at most `most` readings."""
    done = 0
    while session.measuring.current() and (most is None or done < most):
        session.measuring.type(session.measuring.practice_reading() or "")
        session.measuring.keep()
        done += 1


def correct_all(session: RoundSession) -> None:
    """Enter every number that is worth it."""
    for finding in session.measuring.findings():
        if session.correcting.enters(finding) and session.correcting.entered(finding.quantity) is None:
            session.correcting.send_to_stand_in(finding.quantity, session.correcting.proposed(finding))


def _truth(shop: Shop, correct: dict[str, float]) -> None:
    rng = random.Random(11)
    truth = RouterTruth(
        motion=correct,
        lost_motion={"x": 0.09, "y": 0.13},
        kerf=6.07,
        scatter=0.011,
        instrument_error=(rng.uniform(-0.02, 0.02), rng.uniform(-2e-5, 2e-5)),
        repeat=0.009,
    )
    shop.put_stand_in("heron", truth.to_json())


def _play_round(shop: Shop, machine: Machine, instrument: str = "") -> None:
    """A whole round, from the first piece to the signature."""
    session = RoundSession.begin(shop, machine, "rectangle")
    if instrument:
        session.making.choose(instrument=instrument)
        session.making.choose(size=session.making.proposed_size())
    cut(session)
    read_all(session)
    while any(f.verdict is not Verdict.IN for f in session.measuring.findings()):
        session.go(Step.CORRECT)
        correct_all(session)
        if not session.measuring.cut_before_change():
            break
        session.go(Step.CONFIRM)
        cut(session)
        read_all(session)
    session.sign("Finer than this rule can tell" if session.needs_reason() else "")


def _play_check(shop: Shop) -> None:
    """One piece cut and measured after the move, and no time left to correct anything."""
    session = RoundSession.begin(shop, HERON, "rectangle")
    cut(session)
    read_all(session)
    session.give_up("Checked after the move; no time before the harbour signs are cut")


def cut(session: RoundSession) -> None:
    """Have the stand-in cut the next piece, on a new sheet where the one that is loaded has no room."""
    if session.making.refusal():
        session.making.new_sheet()
    session.making.make_on_stand_in()
    session.after_making()


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
