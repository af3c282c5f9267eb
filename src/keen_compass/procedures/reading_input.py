"""What was read, out of an input: lengths, places, picks, counts, each with its place where it is refused."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.procedures.case import length_mm, number
from keen_compass.procedures.case_structures import ReadingIn
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import Length, parse_length, trim_number
from keen_compass.quantities.readings import LARGEST_COUNT, Count, Pick, Reading, Spot, parse_count, parse_pick
from keen_compass.quantities.understood import understood

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure

T = TypeVar("T")
MOST_PICKS = 99


def at_place(place: str, make: Callable[[], T]) -> T:
    try:
        return make()
    except InputError as error:
        if error.place.startswith(place):
            raise
        raise error.at(place) from None


def positive(value: float, place: str) -> float:
    if not value > 0:
        raise InputError(tr("must be larger than 0"), place)
    return value


def readings_in(
    given: Sequence[ReadingIn], instrument: Instrument, meant: AnyProcedure | None, unit: str
) -> dict[str, tuple[Reading, ...]]:
    """unit: of bare numbers."""
    found: dict[str, tuple[Reading, ...]] = {}
    for i, entry in enumerate(given):
        place, name = f"readings[{i}]", entry.measurand
        if name in found:
            raise InputError(
                tr("{name} is given twice; put all its values in one entry", name=name), f"{place}.measurand"
            )
        read = _reader_of(name, instrument, meant, unit)
        found[name] = tuple(read(v, f"{place}.values[{j}]") for j, v in enumerate(entry.values))
    return found


def stated(given: Sequence[ReadingIn], readings: Mapping[str, tuple[Reading, ...]], unit: str) -> dict[str, float]:
    """What lengths were read to, where someone says, mm."""
    found = {}
    for i, entry in enumerate(given):
        if entry.uncertainty is None:
            continue
        place = f"readings[{i}].uncertainty"
        if not all(isinstance(r, Length) for r in readings[entry.measurand]):
            raise InputError(tr("is for lengths"), place)
        found[entry.measurand] = positive(length_mm(entry.uncertainty, place, unit), place)
    return found


def _reader_of(
    name: str, instrument: Instrument, meant: AnyProcedure | None, unit: str
) -> Callable[[Any, str], Reading]:
    """What understands one reading of a measurand, with its place."""
    if meant is not None and meant.read_by.spots:
        in_px = "mm" if meant.read_by.pictured else unit
        return lambda given, place: _spot(given, place, in_px)
    if meant is not None and name in meant.read_by.picks:
        return _pick
    if meant is not None and (words := meant.read_by.judgements.get(name)):
        return lambda given, place: at_place(place, lambda: parse_pick(understood(str, given, place), words=words))
    if meant is not None and (counted := meant.read_by.counts.get(name)) is not None:
        return lambda given, place: _count(given, place, counted)
    return lambda given, place: _length(given, place, instrument, unit)


def _spot(given: object, place: str, unit: str) -> Spot:
    """A place in the plane, ``[x, y]``."""
    both = understood(list[Any], given, place)
    if len(both) != 2:
        raise InputError(tr("expected [x, y]"), place)
    x, y = (length_mm(v, f"{place}[{i}]", unit) for i, v in enumerate(both))
    return Spot(x, y, f"{x:g}, {y:g}")


def _pick(given: object, place: str) -> Pick:
    """The number of what fits, in halves; of how many, the procedure knows."""
    if isinstance(given, str):
        return at_place(place, lambda: parse_pick(given, MOST_PICKS))
    at = number(given, place, 1, MOST_PICKS)
    if at * 2 != round(at * 2):
        raise InputError(tr("a number, or halfway between two, like 2.5"), place)
    return Pick(at, trim_number(at, 1))


def _count(given: object, place: str, counted: str) -> Count:
    if isinstance(given, str):
        return at_place(place, lambda: parse_count(given, counted))
    return Count(number(given, place, -LARGEST_COUNT, LARGEST_COUNT), repr(given), counted)


def _length(given: object, place: str, instrument: Instrument, unit: str) -> Length:
    if isinstance(given, str):
        return at_place(place, lambda: parse_length(given, instrument.unit, allow_negative=True))
    return Length(length_mm(given, place, unit), repr(given), unit)
