"""Whatever a technician does in whatever order: what is kept is what is seen, and all of it can be undone."""

from __future__ import annotations

import random

import pytest

from driving import with_laser
from keen_compass.practice import stand_in
from keen_compass.practice.playing import cut
from keen_compass.procedures import REGISTRY, load
from keen_compass.procedures.stages import Makes
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop

ACTS = ("read", "read", "read", "half", "nonsense", "choose", "skip", "take back", "edit", "remove", "undo", "redo")


def seen(session: RoundSession) -> list[tuple[str, list[str], bool]]:
    """What is on every callout: its readings as typed, and whether it is left out."""
    return [(c.measurand.name, [r.text for r in c.readings], c.skipped) for c in session.measuring.callouts()]


def answered(session: RoundSession) -> list[tuple[str, float | None, float | None, str]]:
    """What the answer says of every quantity."""
    return [(f.quantity, f.error, f.expanded_uncertainty, f.verdict.name) for f in session.measuring.findings()]


def act(session: RoundSession, what: str, dice: random.Random) -> None:
    """One thing that a hand can do on the Measure step."""
    measuring = session.measuring
    callouts = measuring.callouts()
    read = [r for c in callouts for r in c.readings]
    one = dice.choice(callouts).measurand.name
    if what == "read" and measuring.current():
        measuring.type(stand_in.shows(session) or "1")
        measuring.keep()
    elif what == "half":
        measuring.type(dice.choice(["12", "0.", "-3.1", "4 1/"]))
    elif what == "nonsense" and measuring.current():
        measuring.type(dice.choice(["wide", "1/0", "--", "5 furlongs"]))
        assert not measuring.keep()
        assert measuring.complaint
    elif what == "choose":
        measuring.choose(one)
    elif what == "skip":
        measuring.skip(one)
    elif what == "take back":
        measuring.take_back()
    elif what in ("edit", "remove") and read:
        getattr(measuring, what)(dice.choice(read).slot)
    elif what == "undo":
        measuring.undo()
    elif what == "redo":
        measuring.redo()


@pytest.mark.heavy
@pytest.mark.parametrize(("name", "seed"), [(name, 1 + 2 * (i % 2)) for i, name in enumerate(REGISTRY)])
def test_what_is_kept_is_what_is_seen_and_all_of_it_can_be_undone(shop: Shop, name: str, seed: int) -> None:
    burns = load(name).on_stock.burns
    machine = with_laser(shop).machine("cinder") if burns else shop.machine("heron")
    session = RoundSession.begin(shop, machine, name)
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
    before = seen(session)
    dice = random.Random(f"{name} {seed}")
    for turn in range(26):
        what = dice.choice(ACTS)
        act(session, what, dice)
        again = RoundSession(shop, shop.round(session.context.kept.id))
        assert seen(again) == seen(session), what
        if session.measuring.draft:  # half a reading stands where it stood, and still replaces what it was to replace
            assert again.measuring.draft == session.measuring.draft
            assert again.measuring.current() == session.measuring.current()
            assert again.measuring.editing == session.measuring.editing
        if turn % 8 == 0:  # a session that is opened again learns the instruments' repeats first, which takes longer
            assert answered(again) == answered(session), what
    after, steps = seen(session), 0
    while session.context.history.can_undo or session.measuring.draft:
        steps += not session.measuring.draft  # half a reading goes first, and doesn't come back
        session.measuring.undo()
    assert seen(session) == before
    for _ in range(steps):
        session.measuring.redo()
    assert seen(session) == after
