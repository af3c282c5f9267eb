"""A technician who does what the screens say, on a stand-in: for the demo's past, for practice and for tests."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from importlib.resources import files
from typing import Concatenate, ParamSpec

from keen_compass.machines.profile import Machine
from keen_compass.practice import paper
from keen_compass.practice.stand_in import make, photo, scan, shows, take, takes
from keen_compass.procedures.stages import Makes, Stage, Step
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.verdict import Verdict
from keen_compass.rounds import RoundSession
from keen_compass.shop.store import Shop
from keen_compass.words.say import say

STICKER = "harbour-sticker.svg"
SHORTEST_MOVE = 2.0  # mm, of a camera
MOST_ROUNDS = 4  # of one procedure; who needs more is chasing


P = ParamSpec("P")


def _unwatched(run: Callable[Concatenate[RoundSession, P], None]) -> Callable[Concatenate[RoundSession, P], None]:
    """The window is laid out again when all of it is done, not at each step."""

    @wraps(run)
    def quietly(session: RoundSession, /, *given: P.args, **named: P.kwargs) -> None:
        with session.context.unwatched():
            run(session, *given, **named)

    return quietly


@_unwatched
def cut(session: RoundSession) -> None:
    """Have the stand-in make the next piece or run, on a new sheet where the one that is loaded has no room."""
    if session.making.sheets.stages:
        prepare_sheet(session)
    elif session.making.refusal():
        session.making.new_sheet()
    make(session)
    session.after_making()


def from_picture(session: RoundSession) -> None:
    """Take all that a picture of the piece shows: a photo of a sheet, a scan of what lies on a scanner's glass."""
    of_sheet = session.seen_sheet.possible
    shot = photo(session) if of_sheet else scan(session)
    if shot is None:
        return
    if of_sheet:
        session.seen_sheet.look(shot(), "photo.jpg", lambda run: run())
        looked = session.seen_sheet.looked
        session.seen_sheet.take(looked.keys if looked else ())
    else:
        session.seen_piece.look(shot(), "scan.jpg", lambda run: run())
        seen = session.seen_piece.looked
        session.seen_piece.take([r.measurand for r in seen.readings.read] if seen else ())


def artwork(file: str) -> bytes:
    """A file of artwork that Lantern Quay brings along."""
    return (files("keen_compass.practice") / "artwork" / file).read_bytes()


@_unwatched
def prepare_sheet(session: RoundSession) -> None:
    """Print, measure the bars, lay it down and aim at its marks, as far as that is asked for. Where nobody chose an
    artwork it is the harbour sticker.
    """
    made = session.making.sheets
    if Stage.ARTWORK in made.stages and Stage.ARTWORK not in made.state.done:
        if not session.making.artworks.chosen.blob:
            session.making.artworks.put(artwork(STICKER), STICKER)
        made.draw_up()
    if Stage.PRINT in made.stages:
        made.printed()
        made.measured(*(paper.shows_bars(session) or ("", "")))
        made.loaded(str(made.number()))
    while Stage.AIM in made.stages and (mark := made.next_mark()) is not None:
        made.aim(mark, paper.shows_mark(session) or "")


@_unwatched
def read_all(session: RoundSession, most: int | None = None) -> None:
    """Read the practice instrument into every callout, at most `most` readings. Where a cross is in no picture, the
    head is moved less: it is drawn again.
    """
    done = 0
    while session.measuring.current() and (most is None or done < most):
        if takes(session):
            take(session)
        shown = shows(session)
        if (
            shown is None
            and session.context.procedure.read_by.pictured
            and session.context.chosen["step"] != SHORTEST_MOVE
        ):
            session.making.choose_option("step", SHORTEST_MOVE)
            session.go(Step.MAKE)
            cut(session)
            continue
        session.measuring.type(shown or "")
        if not session.measuring.keep():
            raise AssertionError(session.measuring.complaint)
        done += 1


def look_below(session: RoundSession) -> None:
    """Turn the piece over and read its lower edges, where the answer needs them."""
    if session.measuring.turns and any(f.verdict is Verdict.UNRESOLVED for f in session.measuring.findings()):
        session.measuring.turn_over()
        read_all(session)
        session.measuring.turn_over()


@_unwatched
def correct_all(session: RoundSession) -> None:
    """Enter every number that is worth it."""
    for finding in session.measuring.findings():
        if session.correcting.enters(finding) and session.correcting.entered(finding.quantity) is None:
            if session.context.machine.place(finding.quantity).in_file:
                session.correcting.take_into_files(finding)
            elif finding.quantity in session.context.machine.spots:
                session.correcting.write_into_file(finding)
            else:
                session.correcting.send_to_stand_in(finding.quantity, session.correcting.proposed(finding))


def play(
    shop: Shop,
    machine: Machine,
    procedure: str,
    quantity: str = "",
    instrument: str = "",
    *,
    correct: bool = True,
    why_not: str = "No time to correct it",
    chosen: Parameters | None = None,
    by_picture: bool = False,
) -> RoundSession:
    """A whole round, from the first piece to the signature; or given up after measuring. chosen: of its choices.

    by_picture: what a picture shows is taken from it, and only the rest is read by hand.
    """
    session = RoundSession.begin(shop, machine, procedure, quantity)
    for name, value in (chosen or {}).items():
        session.making.choose_option(name, value)
    if instrument:
        session.making.choose(instrument=instrument)
        session.making.choose(size=session.making.proposed_size())
    if session.context.procedure.makes is not Makes.NOTHING:
        cut(session)
    if by_picture:
        from_picture(session)
    read_all(session)
    look_below(session)
    if not correct:
        session.give_up(why_not)
        return session
    for _ in range(MOST_ROUNDS):
        wanted = [f for f in session.measuring.findings() if session.correcting.enters(f)]
        if not wanted:
            break
        session.go(Step.CORRECT)
        correct_all(session)
        if not session.measuring.cut_before_change():
            break
        session.go(Step.CONFIRM)
        cut(session)
        read_all(session)
        look_below(session)
    if refusal := session.may_not_sign():  # what was read is asked about: another time
        session.give_up(say(refusal))
        return session
    session.sign("Finer than this instrument can tell" if session.needs_reason() else "")
    return session
