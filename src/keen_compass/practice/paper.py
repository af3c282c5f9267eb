"""A sheet on the practice machine: printed, laid down, aimed at, drawn on, read; all of it from its number."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace

from keen_compass.pieces.page import Page
from keen_compass.pieces.where import Beside, Border
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.sheets import graduation_of, place
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM
from keen_compass.quantities.readings import Kind
from keen_compass.rounds import RoundSession
from keen_compass.rounds.context import RoundContext
from keen_compass.shop.kept import KeptPiece
from keen_compass.standin.photo import Camera, Ink, blank, drawn_on, printed, taken
from keen_compass.standin.printed import Sheet
from keen_compass.standin.router import Made
from keen_compass.standin.truth import Truth

CUT = Ink((0.3, 0.3, 0.3), 0.4, 0.12, 0.004, 0.7, 0.0, 0.2)  # of a knife in light film
ART_FINER = 4
FILM_AROUND = 12.0  # mm, of bare film about what was drawn
EYE = 0.04  # mm, standard: how well an eye judges between two ticks
RULES = {"mm": 0.1, "in": 1 / 256}  # to which a rule shows check bars


def shows_bars(session: RoundSession) -> tuple[str, str] | None:
    """What a rule shows of both check bars of the sheet that was printed; None without a stand-in."""
    sheet, page = _next(session), session.making.sheets.page()
    if sheet is None or page is None:
        return None
    unit = page.graduation.unit
    size, rule = UNITS_MM[unit], RULES[unit]
    decimals = 1 if unit == "mm" else 3
    along, up = (f"{round(sheet.bar(a, b) / size / rule) * rule:.{decimals}f} {unit}" for a, b in page.bars)
    return along, up


def shows_mark(session: RoundSession) -> str | None:
    """The position that the practice machine shows with the dot on the next mark; None without a stand-in."""
    sheets, sheet = session.making.sheets, _next(session)
    mark = sheets.next_mark()
    if sheet is None or mark is None:
        return None
    hand = random.Random(f"{sheet.seed}/{mark}/aim")
    at = sheet.shown_over(sheets.marks[mark].at, sheets.head, hand)
    return position_shown(at, session.context.machine.controller_units)


def origin(session: RoundSession) -> Point | None:
    """Where the practice machine's own zero is, once it was set with the dot on the first mark."""
    sheets, sheet = session.making.sheets, _next(session)
    if sheet is None or not sheets.state.origin:
        return None
    x, y = sheet.shown_over(sheets.marks[0].at, sheets.head, random.Random(f"{sheet.seed}/0/aim"))
    ox, oy = sheets.offset()
    return x + ox, y + oy


def read(context: RoundContext, piece: KeptPiece, measurand: Measurand, made: Made, count: int) -> str:
    """What is read at a place of a sheet: how far beside its mark the cross lies, or where the machine is there."""
    assert isinstance(measurand.where, Beside)
    practice = piece.practice or {}
    sheet = Sheet(made.truth, made.settings, _pdf_of(context, piece), practice["seed"])
    hand = random.Random(f"{practice['seed']}/{measurand.name}/{count}")
    if measurand.kind is Kind.SPOT:
        at = sheet.shown_over(measurand.where.at, str(piece.parameters.get("aimed_with")), hand)
        return position_shown(at, context.machine.controller_units)
    beside = sheet.beside(measurand.where.at, made, place(practice.get("origin", [0.0, 0.0]), "origin"))
    eye = measurand.by_eye or context.procedure.eye_for(piece.parameters) or Instrument()
    off = beside["xy".index(measurand.axis)]
    looks = random.Random(f"{practice['seed']}/{measurand.axis}/looks")  # a little from aside, the whole sheet long
    off += looks.uniform(-1, 1) * eye.permissible_error[0]
    if piece.parameters.get("fine"):
        division = graduation_of(piece.parameters).division
        off = sheet.vernier(measurand.where.at, measurand.axis, made, off + hand.gauss(0, EYE), division, hand)
    else:
        off += hand.gauss(0, EYE)
    return _on_ticks(off, eye)


def read_border(
    context: RoundContext, piece: KeptPiece, measurand: Measurand, made: Made, instrument: Instrument, count: int
) -> str:
    """What an instrument shows of the border that is left at a place."""
    where, practice = measurand.where, piece.practice or {}
    assert isinstance(where, Border)
    sheet = Sheet(made.truth, made.settings, _pdf_of(context, piece), practice["seed"])
    left = sheet.border(where.at, where.out, where.ordered, made, place(practice.get("origin", [0.0, 0.0]), "origin"))
    rng = random.Random(f"{practice['seed']}/{measurand.name}/{count}")
    shown = made.truth.read(left + rng.gauss(0, EYE), instrument, rng, signed=True)
    return f"{shown + 0.0:.{instrument.decimals}f} mm"


def cut_off_by(context: RoundContext, piece: KeptPiece, made: Made) -> float:
    """How far the practice machine cut anywhere off where it was ordered on the print, mm: only practice can know."""
    page = context.procedure.page_of(piece.parameters, piece.number, down=context.machine.standpoint.left_handed)
    assert page is not None
    practice = piece.practice or {}
    sheet = Sheet(made.truth, made.settings, _pdf_of(context, piece), practice["seed"])
    lines = context.procedure.cuts(context.shape(piece.parameters), page)
    return sheet.farthest_off(lines, made, place(practice.get("origin", [0.0, 0.0]), "origin"))


def picture(context: RoundContext, piece: KeptPiece, made: Made, at: Point, reach: float, size: int) -> bytes:
    """How a target and what was drawn beside it look on the practice machine: `size` × `size` pixels of red, green and
    blue, `reach` mm to each side along the machine's axes, Y up.
    """
    practice = piece.practice or {}
    ox, oy = place(practice.get("origin", [0.0, 0.0]), "origin")  # the file counts from there
    lines = tuple(tuple((x + ox, y + oy) for x, y in line) for line in made.lines)
    sheet = Sheet(made.truth, made.settings, _pdf_of(context, piece), practice["seed"])
    seen = sheet.picture(at, replace(made, lines=lines), reach, size)
    return bytes((seen * 255).astype("uint8").tobytes())


def photo(context: RoundContext, piece: KeptPiece, made: Made, page: Page, camera: Camera) -> Callable[[], bytes]:
    """A picture of the sheet as it came off the practice machine: what was printed, and what the tool drew on it.

    What takes its time is left to whoever calls the result: it asks nothing of the shop file any more.
    """
    practice = piece.practice or {}
    ox, oy = place(practice.get("origin", [0.0, 0.0]), "origin")
    sheet = Sheet(made.truth, made.settings, _pdf_of(context, piece), practice["seed"])
    lines = [[page.on_paper(sheet.ordered_at(p)) for p in line] for line in sheet.drawn(made, (ox, oy))]
    seed = practice["seed"]
    ink = Ink() if context.procedure.on_stock.draws else CUT
    finer = ART_FINER if page.art else 1

    def take() -> bytes:
        return taken(drawn_on(printed(sheet.pdf, camera.px_per_mm, finer=finer), lines, ink, seed), camera, seed)

    return take


def photo_of_lines(made: Made, camera: Camera) -> Callable[[], bytes]:
    """A picture of what was drawn on material that isn't printed."""
    points = [p for line in made.lines for p in line]
    left, low = (min(p[k] for p in points) - FILM_AROUND for k in (0, 1))
    size = tuple(max(p[k] for p in points) + FILM_AROUND - corner for k, corner in enumerate((left, low)))
    lines = [[(x - left, y - low) for x, y in line] for line in made.lines]
    return lambda: taken(
        drawn_on(blank((size[0], size[1]), camera.px_per_mm), lines, Ink(), made.seed), camera, made.seed
    )


def _on_ticks(value: float, eye: Instrument) -> str:
    shown = round(value / eye.resolution) * eye.resolution / UNITS_MM[eye.unit]
    return f"{shown + 0.0:.{eye.decimals}f} {eye.unit}"


def position_shown(at: Point, unit: str) -> str:
    """As the machine shows it, in its own unit."""
    size, decimals = (1.0, 2) if unit == "mm" else (25.4, 4)
    return f"{at[0] / size:.{decimals}f} {at[1] / size:.{decimals}f}"


def _next(session: RoundSession) -> Sheet | None:
    """The sheet that is being made, as it lies on the practice machine."""
    context, sheets = session.context, session.making.sheets
    known = context.stand_in
    if known is None or not sheets.stages:
        return None
    pdf = context.remembered(("pdf", sheets.number()), lambda: sheets.pdf() if sheets.page() else b"")
    carrier = context.machine.fitted.get("carrier", "")
    truth = Truth.from_json(known).with_carrier(carrier).over_print(context.values())
    return Sheet(truth, context.values(), pdf, sheets.number())


def _pdf_of(context: RoundContext, piece: KeptPiece) -> bytes:
    printed = next((stage.sent for stage in piece.stages if stage.kind == "printed"), "")
    return (context.shop.blob(printed) or b"") if printed else b""
