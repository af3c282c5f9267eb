"""Puts a signed round's calibration record together."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from keen_compass import __version__
from keen_compass.errors import InputError
from keen_compass.language import dated, tr, written
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length, show_size
from keen_compass.procedures.base import AnyPiece, Outlined
from keen_compass.procedures.measurand import Measurand
from keen_compass.procedures.stages import Makes
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.findings import Finding
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.lengths import UNITS_MM, length_in_words, trim_number
from keen_compass.quantities.notes import note
from keen_compass.quantities.readings import Kind, number_of
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredValue
from keen_compass.reports.record_page import Record, write_record
from keen_compass.rounds import RoundSession
from keen_compass.shop.kept import KeptPiece
from keen_compass.shop.marks import Signed
from keen_compass.shop.store import Shop
from keen_compass.words.errors import error_in_words, shown_in
from keen_compass.words.logbook import VERDICT_WORDS
from keen_compass.words.procedures import title
from keen_compass.words.say import say, show_for

SHOWN_ERROR = 0.03  # of the piece's width, how large the largest error is drawn


def record_of(shop: Shop, round_id: int) -> bytes:
    """The PDF of a signed round. Raises InputError for any other."""
    kept = shop.round(round_id)
    if kept.status != "signed":
        raise InputError(tr("Only a signed round has a record; sign it first."))
    session = RoundSession(shop, kept)
    context, measuring = session.context, session.measuring
    piece, solution = context.piece, measuring.answer()
    if piece is None or solution is None:
        raise InputError(tr("This round has no readings to show."))
    shape = measuring.shape()
    callouts = [c for c in measuring.callouts(both_sides=True) if c.readings or not c.measurand.below]
    means = {
        c.measurand.name: sum(number_of(r.reading) for r in c.readings) / len(c.readings)
        for c in callouts
        if c.readings and c.measurand.kind is not Kind.SPOT
    }
    signed = shop.mark(round_id, Signed) or Signed()
    ended = shop.last_touched(round_id)
    machine, instrument = shop.machine(kept.machine, ended), measuring.instrument()
    above = {c.measurand.name for c in callouts if not c.measurand.below}
    upper = {name: mean for name, mean in means.items() if name in above}
    ordered, measured, factor = _picture(shape, upper, machine.standpoint)
    in_force, units = context.in_force(piece), machine.shown_in
    show = show_for(machine)
    record = Record(
        title=tr("Calibration record: {title}", title=title(context.procedure.name)),
        machine=f"{machine.name}, {machine.kind.said} {show_size(*machine.bed, units)}",
        signed=dated(datetime.fromisoformat(ended).astimezone(), "%-d %B %Y, %H:%M"),
        instrument=instrument.said if instrument and context.procedure.makes is not Makes.NOTHING else "-",
        tool=_made_with(session, piece),
        piece=ordered,
        measured=measured,
        magnified=factor,
        dimensions=[
            (
                say(c.measurand.label, show),
                _nominal(c.measurand, units),
                ", ".join(r.text for r in c.readings) or tr("not read"),
                _with_unit(means[c.measurand.name], c.measurand, units) if c.measurand.name in means else "-",
            )
            for c in callouts
        ],
        findings=[
            _row(context.procedure.for_logbook(f), in_force[f.quantity], machine)
            for f in solution.findings
            if f.quantity in in_force
        ],
        notes=[
            *(say(note("made_in_doubt", quantity=q), show) for q in piece.doubtful),
            *(say(n, show) for n in solution.notes),
            *([tr("Signed because: {reason}", reason=signed.reason)] if signed.reason else []),
        ],
        software=tr("Keen Compass {version}", version=__version__),
    )
    return write_record(record)


def _picture(
    shape: AnyPiece, means: Mapping[str, float], standpoint: Standpoint
) -> tuple[list[Point], list[Point], int]:
    """(outline nominal, as measured, how much its errors are magnified), as seen; empty for what has no outline."""
    if not isinstance(shape, Outlined):
        return [], [], 1
    errors = {m: mean - shape.nominal(m) for m, mean in means.items()}
    ordered = shape.outline()
    width = max(x for x, _ in ordered) - min(x for x, _ in ordered)
    largest = max(map(abs, errors.values()), default=0.0)
    factor = max(1, min(1000, int(SHOWN_ERROR * width / largest))) if largest else 1
    measured = shape.outline(**{m: shape.nominal(m) + factor * e for m, e in errors.items()})
    view = standpoint.to_view
    return [view(x, y) for x, y in ordered], [view(x, y) for x, y in measured], factor


def _made_with(session: RoundSession, piece: KeptPiece) -> str:
    makes = session.context.procedure.makes
    if makes is Makes.NOTHING:
        return tr("nothing: parts were counted")
    if makes is Makes.SHEET:
        head = piece.parameters.get("secondary") or piece.parameters.get("aimed_with")
        by_map = [what for what, by in piece.snapshot.applied.items() if by == "registration"]
        through = tr(", {by_map} by its marks", by_map=", ".join(by_map)) if by_map else ""
        return tr(
            "sheet {number}, aimed with: {head}{through}",
            number=piece.number,
            head=say(f"pointer.{head}"),
            through=through,
        )
    if makes is not Makes.PIECE:
        return tr("run {number}", number=piece.number)
    tool, by = piece.snapshot.tool, piece.snapshot.applied.get("compensation")
    room = tr(", compensated by the {by}", by=by) if by else ""
    return tr(
        "{name}, piece {number}{room}", name=tool.name if tool else tr("tool not kept"), number=piece.number, room=room
    )


def _nominal(m: Measurand, units: str) -> str:
    if m.kind is Kind.SPOT:
        x, y = (trim_number(v / UNITS_MM[units], 3) for v in m.at)
        return f"{x}, {y} {units}"
    if m.signed or m.usual is not None:
        return "-"
    return show_length(m.nominal, units) if m.kind is Kind.LENGTH else written(f"{m.nominal:g} {m.unit}".strip())


def _with_unit(mean: float, m: Measurand, units: str) -> str:
    return written(length_in_words(mean, units, 3)) if m.kind is Kind.LENGTH else written(f"{mean:g} {m.unit}".strip())


def _row(f: Finding, held: StoredValue, machine: Machine) -> tuple[str, str, str, str, str, str]:
    def text(given: object) -> str:
        return held.renewed(given).text(decimals) if given is not None else "-"

    decimals, unit, error = machine.place(f.quantity).decimals, shown_in(f.error_unit, machine.unit_of(f.quantity)), "-"
    if f.error is not None and f.expanded_uncertainty is not None:
        error = error_in_words(f.harm or 0.0, f.expanded_uncertainty, f.error_unit, machine.unit_of(f.quantity))
    stays = VERDICT_WORDS[f.verdict] == "in"
    return (
        f"{QUANTITIES[f.quantity].label}, {tr(f.unit)}",
        text(f.old),
        tr("stays") if stays else text(f.new),
        error,
        written(f"± {f.tolerance / unit.size:.3g} {unit.sign}"),
        tr(VERDICT_WORDS[f.verdict]),
    )
