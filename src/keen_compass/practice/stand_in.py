"""The practice machine behind a machine of the shop: it makes a round's pieces, and shows what is read on them.

Its truths lie in the shop file, and a piece is made again from its file and seed whenever it is measured, so that a
restart changes nothing.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path

from keen_compass.errors import InputError
from keen_compass.formats.listing import read_listing
from keen_compass.language import tr
from keen_compass.machines.heads import offset_held
from keen_compass.pieces.job import Job
from keen_compass.pieces.where import Beside, Border, Closes, InView, Slack
from keen_compass.practice import paper
from keen_compass.practice.reading import shown
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.geometry import Area, Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM, format_fraction
from keen_compass.quantities.readings import Kind
from keen_compass.quantities.stored import StoredValue, stored_from_body
from keen_compass.rounds import RoundSession
from keen_compass.rounds.pictures import written
from keen_compass.shop.kept import KeptPiece
from keen_compass.shop.listings import lit, typed_there
from keen_compass.standin.blade import tip_of, went_round
from keen_compass.standin.photo import Camera
from keen_compass.standin.router import Made, Router
from keen_compass.standin.scan import Glass, scanned
from keen_compass.standin.truth import Truth


def make(session: RoundSession) -> KeptPiece:
    """The practice machine reads the very file and cuts it, or runs it. Raises InputError where there is none."""
    context = session.context
    truth = context.stand_in
    if truth is None:
        raise InputError(tr("This machine has no stand-in."))
    before = worn(session, truth)
    practice = {**session.making.for_practice(), "worn": before}
    if otherwise := _in_its_files(session):
        practice["held"] = otherwise
    if zero := paper.origin(session):
        practice["origin"] = list(zero)
    machine = context.machine
    if "second_tool" in machine.heads:
        held = offset_held(context.values(), "second_tool", machine.offset_form, machine.flipped)
        practice |= {"second_held": list(held), "accessory": machine.fitted.get("accessory", "")}
    if context.procedure.on_paper.printed:
        practice |= {"over_print": True, "carrier": machine.fitted.get("carrier", "")}
    file = session.making.file_text() if session.making.way.has_file else ""
    made = made_again(truth, context.values(), practice, file)
    piece = session.making.made(practice)
    if truth.get("wear"):
        changes = _changes(session)
        context.shop.put_stand_in(context.kept.machine, {**truth, "worn": before + made.uses, "changes": changes})
    return piece


def _in_its_files(session: RoundSession) -> JsonObject:
    """What the practice controller reads in its files, where that isn't what the logbook says; as it is kept."""
    shop, machine = session.context.shop, session.context.machine
    found: JsonObject = {}
    for file in machine.files:
        try:
            listing = read_listing(Path(file))
        except InputError:  # a controller without its file goes on with what it had
            continue
        found |= {
            o.quantity: typed_there(machine, o).to_body() for o in lit(shop, machine, listing, file) if not o.same
        }
    return found


def worn(session: RoundSession, truth: JsonMapping) -> float:
    """How much what cuts was used, as the practice machine has it: nothing since it was changed."""
    return float(truth.get("worn", 0.0)) if truth.get("changes", 0) == _changes(session) else 0.0


def _changes(session: RoundSession) -> int:
    return sum(kind == "tool" for _, kind, _ in session.context.shop.events(session.context.kept.machine))


def shows(session: RoundSession) -> str | None:
    """What the practice machine's instrument shows at the current callout; None without a stand-in."""
    waiting = session.measuring.next_reading()
    return reads(session, *waiting) if waiting else None


def reads(session: RoundSession, measurand: Measurand, count: int) -> str | None:
    """What it shows of a measurand the next time, `count` times after the first; None without a stand-in."""
    context, piece, instrument = session.context, session.context.piece, session.measuring.instrument()
    if piece is None or instrument is None or not piece.practice:
        return None

    def read() -> str | None:
        truth = context.stand_in
        if not truth:
            return None
        practice, made = piece.practice or {}, _made_of(session, piece, truth)
        if isinstance(measurand.where, Beside):
            return paper.read(context, piece, measurand, made, count)
        if isinstance(measurand.where, Border):
            return paper.read_border(context, piece, measurand, made, instrument, count)
        if isinstance(measurand.where, InView):
            found = session.pictures.cross(measurand.name)
            return written((found.u, found.v)) if found else None
        rng = random.Random(f"{practice['seed']}/{measurand.name}/{count}")
        value = shown(made, measurand, count, instrument, rng)
        plain = measurand.kind in (Kind.COUNT, Kind.PICK) or context.procedure.makes is Makes.NOTHING
        return f"{value:g}" if plain else as_written(value, instrument)

    return context.remembered(("practice", measurand.name, count), read)


def takes(session: RoundSession) -> bool:
    """Whether the practice camera is to take the picture that is wanted next."""
    piece, waiting = session.context.piece, session.measuring.next_reading()
    if piece is None or waiting is None or not piece.practice or not isinstance(waiting[0].where, InView):
        return False
    return waiting[0].name not in session.pictures.taken.blobs and bool(session.context.stand_in)


def take(session: RoundSession) -> None:
    """The practice camera takes that picture, from where the head is sent."""
    piece, waiting = session.context.piece, session.measuring.next_reading()
    truth = session.context.stand_in
    if piece is None or waiting is None or truth is None:
        return
    from keen_compass.practice.camera import picture_of

    name = waiting[0].name
    session.pictures.put(name, picture_of(session, name, _made_of(session, piece, truth)))


def cut_off_by(session: RoundSession) -> float:
    """How far the stand-in cut anywhere off the nominal line on the print, mm."""
    piece, truth = session.context.piece, session.context.stand_in
    assert piece is not None
    assert truth is not None
    return paper.cut_off_by(session.context, piece, _made_of(session, piece, truth))


def picture(session: RoundSession, at: Point, reach: float, size: int) -> bytes | None:
    """How a target looks on the practice machine, as `paper.picture` has it; None without a stand-in."""
    context, piece = session.context, session.context.piece
    truth = context.stand_in
    if piece is None or not piece.practice or not piece.sent or truth is None:
        return None
    made = _made_of(session, piece, truth)
    return context.remembered(
        ("target", piece.id, at, reach, size), lambda: paper.picture(context, piece, made, at, reach, size)
    )


ABREAST, BETWEEN = 3, 12.0  # parts in a row on a scanner's glass; mm between two
HAIR = 0.004  # mm, standard: between strips that are pushed together
CLOSE_UP = Camera(px_per_mm=12.0, turn=-7.0, tilt=(4.0, 3.0), bends=0.01, light=0.2, noise=2.5, dust=6)
PHONE = Camera(px_per_mm=6.0, turn=4.0, tilt=(5.0, -4.0), bends=0.015, light=0.15, noise=2.5, dust=6)


def photo(session: RoundSession) -> Callable[[], bytes] | None:
    """What takes a picture of a sheet, or of what was drawn, as someone's phone does; None without a stand-in."""
    context, piece, page = session.context, session.context.piece, session.seen_sheet.page()
    truth = context.stand_in
    if piece is None or not piece.practice or not piece.sent or truth is None:
        return None
    made = _made_of(session, piece, truth)
    if page is None:
        return paper.photo_of_lines(made, CLOSE_UP)
    return paper.photo(context, piece, made, page, PHONE)


def scan(session: RoundSession) -> Callable[[], bytes] | None:
    """What scans the piece on an office scanner’s glass; None without a stand-in."""
    context, piece = session.context, session.context.piece
    truth = context.stand_in
    if piece is None or not piece.practice or not piece.sent or truth is None:
        return None
    made = _made_of(session, piece, truth)
    shape = context.shape(piece.parameters)
    wheres = [m.where for m in context.procedure.measurands(shape)]
    closes = next((where for where in wheres if isinstance(where, Closes)), None)
    if closes is not None:
        lies = _weeded(made, closes)
    elif made.drawn:
        return None
    elif any(isinstance(where, Slack) for where in wheres):
        lies = _pushed(made)
    else:
        lies = _on_glass(made, shape.job(1))
    return partial(scanned, lies, Glass(), made.seed)


def _weeded(made: Made, closes: Closes) -> Area:
    """Film out of which the squares were lifted, with all that the blade went round."""
    from shapely import MultiPolygon, Polygon

    squares = [went_round(tip_of(made.lines[order], made.truth.trails)) for order in closes.orders]
    film = MultiPolygon(squares).envelope.buffer(BETWEEN, join_style="mitre")
    return Polygon(film.exterior, [square.exterior for square in squares])


def _pushed(made: Made) -> Area:
    """Strips in their window, pushed to the left until they touch; hardly a hair between two."""
    from shapely import MultiPolygon, Polygon, affinity, box

    frame, *strips = (part.shape for part in made.parts)
    window = max((Polygon(ring) for ring in frame.interiors), key=lambda hole: hole.area)
    low, high = window.bounds[1], window.bounds[3]
    levels = [low + (high - low) * k / 10 for k in range(2, 9)]

    def ends(shape: Area) -> list[tuple[float, float]]:
        """From where to where it is, level by level."""
        met = [shape.intersection(box(shape.bounds[0], y, shape.bounds[2], y + HAIR)).bounds for y in levels]
        return [(m[0], m[2]) for m in met]

    laid, rng = [frame], random.Random(f"{made.seed}/glass")
    met = [left for left, _ in ends(window)]
    for strip in sorted(strips, key=lambda s: s.bounds[0]):
        there = ends(strip)
        by = max(m - left for m, (left, _) in zip(met, there, strict=True)) + abs(rng.gauss(0, HAIR))
        laid.append(affinity.translate(strip, by, 0.0))
        met = [right + by for _, right in there]
    return MultiPolygon(laid)


def _on_glass(made: Made, job: Job) -> Area:
    """As someone lays it there: several parts side by side in their order."""
    from shapely import MultiPolygon, Polygon, affinity

    from keen_compass.pieces.parts import parts_of

    design = [Polygon(edges[0].ring()) for edges in parts_of(job)]
    if len(design) == 1:
        return made.shape
    cut = [part.shape for part in made.parts[: len(design)]]
    aside = [min(s.bounds[k] for s in cut) - min(d.bounds[k] for d in design) for k in (0, 1)]
    ordered = [affinity.translate(d, *aside).centroid for d in design]
    laid, rng = [], random.Random(f"{made.seed}/glass")
    for i, middle in enumerate(ordered):
        away = [middle.distance(s.centroid) for s in cut]
        shape = cut[away.index(min(away))]
        x, y = shape.centroid.coords[0]
        left, low, right, high = shape.bounds
        row, column = divmod(i, ABREAST)
        to = column * (right - left + BETWEEN), -row * (high - low + BETWEEN)
        laid.append(affinity.rotate(affinity.translate(shape, to[0] - x, to[1] - y), rng.uniform(-2, 2)))
    return MultiPolygon(laid)


def _made_of(session: RoundSession, piece: KeptPiece, truth: JsonMapping) -> Made:
    """What the practice machine made of a piece's own file."""
    context = session.context

    def make() -> Made:
        file = (context.shop.blob(piece.sent) or b"").decode("ascii") if piece.sent else ""
        return made_again(truth, piece.snapshot.held, piece.practice or {}, file)

    return context.steady(("made", piece.id), make)


def as_written(mm: float, instrument: Instrument) -> str:
    """A length as the instrument's display or scale has it."""
    unit = UNITS_MM[instrument.unit]
    if instrument.divided_in_fractions:
        return format_fraction(mm / unit, round(unit / instrument.resolution))
    return f"{mm / unit + 0.0:.{instrument.decimals}f}"


def made_again(truth: JsonMapping, settings: Mapping[str, StoredValue], practice: JsonMapping, file: str) -> Made:
    """What the stand-in makes of a file, with the controller's settings by quantity.

    practice: seed, units_per_mm, and thickness of the stock where there is any; held: what its controller read in its
    own files, where that is something else. file: empty where nothing is made.
    """
    known = Truth.from_json(truth)
    if practice.get("thickness"):
        known = known.in_stock(practice["thickness"])
    known = known.with_accessory(str(practice.get("accessory", "")))
    known = known.worn_by(float(practice.get("worn", 0.0)))
    settings = {**settings, **{q: stored_from_body(v) for q, v in practice.get("held", {}).items()}}
    if practice.get("over_print"):
        known = known.with_carrier(str(practice.get("carrier", ""))).over_print(settings)
    if not file:
        return Made(known, dict(settings), practice["seed"])
    return Router(known, settings, practice["seed"]).make(
        file, practice["seed"], practice["units_per_mm"], practice.get("second_held")
    )
