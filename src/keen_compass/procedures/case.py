"""A case: everything a procedure needs to answer, read from JSON (`case_input`) or put together by a round."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, TypeGuard, TypeVar

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.quantities.assumed import AIMED, FEW, HOLE_BIAS_U, LOST_MOTION_U, SCALE_U, SCATTER, Spread
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.instruments import Instrument, Repeatability
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.lengths import (
    LARGEST_MM,
    MM_PER_INCH,
    UNITS_MM,
    Length,
    length_in_words,
    length_number,
    parse_length,
    trim_number,
)
from keen_compass.quantities.measuring import (
    Conditions,
    Held,
    Measurement,
    PieceScatter,
    Temperature,
    measurement,
    planned,
    spread_of,
    squares_within,
)
from keen_compass.quantities.readings import Reading, number_of
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue, unit_kept
from keen_compass.quantities.subjects import NO_SUBJECT, Subject
from keen_compass.quantities.uncertainty import Cause
from keen_compass.solve.joint import Known
from keen_compass.solve.travel import lost_motion_of

T = TypeVar("T")
ASSUMED_LOST_MOTION = Known(0.0, LOST_MOTION_U, Cause.PLAY)
ASSUMED_SCALE = Known(0.0, SCALE_U, Cause.SCALE)
ASSUMED_HOLE_BIAS = {thermal: Known(0.0, U, Cause.ASSUMED) for thermal, U in HOLE_BIAS_U.items()}


@dataclass(frozen=True, slots=True)
class Previous:
    """What the round before found of a quantity, in its error unit; U is None where it wasn't kept."""

    error: float
    U: float | None = None


@dataclass(frozen=True, slots=True)
class Case:
    """One piece (or several equal ones) and what was read on it.

    values: what the controller held when the piece was made, by quantity.
    known: what is known from before, by unknown (kerf, lost motion, scales: mm, mm/mm) or, of what its procedure
        yields, by quantity: what its error was known to be.
    subject: what the values belong to, besides the machine.
    aim: how well whoever aims does so, as far as it is known.
    piece: the piece's own parameters, still to be understood by the procedure.
    tolerance: mm at the piece's dimension, or per quantity in mm over `reference_length`; the machine's own where
        nobody says, as is how much equal pieces differ.
    half_typed: the measurand whose last reading is still being typed: nobody asks about its digits yet.
    readings: measurand → what was read, in that order; measurands that can't be read are absent. stated: measurand →
        U (95 %, mm) that came with it, in place of what the instrument is worth: a picture says so itself.
    previous_errors: quantity → error of the round before, in its error unit.
    kind_assumed: nobody said what kind of instrument it is: the usual one is meant.
    parts: of what is solved together, a case each. evidence: what its readings are called, where others may have been
        derived from them already. open: questions for which something is to be made, by quantity.
    instruments_at_hand, largest_size: what *what would settle it* may propose.
    computed: quantity → steps per mm as the drive train's parts give them; teeth: of its pulley or pinion, if any.
    proven: quantities whose number a round found to be in tolerance.
    """

    procedure: str
    machine: Machine
    values: Mapping[str, StoredValue] = field(default_factory=dict)
    known: Mapping[str, Known] = field(default_factory=dict)
    piece: Parameters = field(default_factory=dict)
    instrument: Instrument = field(default_factory=Instrument)
    kind_assumed: bool = False
    tolerance: float | Mapping[str, float] | None = None
    reference_length: float | None = None
    confirmed: bool = False
    half_typed: str = ""
    readings: Mapping[str, tuple[Reading, ...]] = field(default_factory=dict)
    stated: Mapping[str, float] = field(default_factory=dict)
    pieces: int = 1
    piece_scatter: PieceScatter | None = None
    previous_errors: Mapping[str, Previous] = field(default_factory=dict)
    temperature: Temperature | None = None
    instruments_at_hand: tuple[Instrument, ...] = ()
    largest_size: float = 0.0
    computed: Mapping[str, float] = field(default_factory=dict)
    teeth: Mapping[str, float] = field(default_factory=dict)
    proven: frozenset[str] = frozenset()
    subject: Subject = NO_SUBJECT
    aim: Spread = AIMED
    parts: tuple[Case, ...] = ()
    evidence: frozenset[str] = frozenset()
    open: tuple[str, ...] = ()

    @property
    def thermal(self) -> bool:
        """Whether what cuts melts or burns."""
        return self.machine.kind.thermal

    @property
    def controller_units(self) -> str:
        """mm or in, of all lengths and feeds that the controller keeps."""
        return self.machine.controller_units

    def lengths(self, measurand: str) -> tuple[Length, ...]:
        """What was read of a length, in that order. Raises InputError where something else was read."""
        found = self.readings[measurand]
        lengths = tuple(r for r in found if isinstance(r, Length))
        if len(lengths) != len(found):
            raise InputError(
                tr("{measurand} is a length, and was read as something else", measurand=measurand), "readings"
            )
        return lengths

    def picked(self, measurand: str, count: int) -> list[float]:
        """Which of `count` was picked, each time. Raises InputError where there is no such one."""
        found = [number_of(r) for r in self.readings.get(measurand, ())]
        if any(not 1 <= at <= count for at in found):
            raise InputError(tr("there are 1 to {count}", count=count), f"readings.{measurand}")
        return found

    def fraction_step(self) -> float:
        """The finest fraction of an inch in which anything was read, mm; 0 where nothing was.

        Fractions are written in lowest terms: 22 1/2 among sixteenths was read to a sixteenth.
        """
        steps = {r.resolution_mm for read in self.readings.values() for r in read if isinstance(r, Length)} - {0.0}
        return min(steps, default=0.0)

    def as_read(self, lengths: Sequence[Length]) -> Instrument:
        """The instrument with the division to which some lengths were really read: a fraction's where that is coarser.

        A whole number of inches among fractions was read to the same fraction.
        """
        fractions = any(r.resolution_mm or (r.unit == "in" and r.mm / MM_PER_INCH % 1 == 0) for r in lengths)
        if not fractions or self.instrument.divided_in_fractions:
            return self.instrument
        step = self.fraction_step()
        if step <= self.instrument.resolution:
            return self.instrument
        return replace(self.instrument, resolution=step)

    def read_to(self) -> float:
        """The division to which everything here was read, mm: a fraction's where one was read in fractions."""
        return self.as_read([r for read in self.readings.values() for r in read if isinstance(r, Length)]).resolution

    def _conditions(self, held: Held, drawn: bool | None) -> Conditions:
        scatter = None if drawn is None else self.scatter(drawn=drawn)
        return Conditions(held, scatter, self.pieces, self.temperature if held is not Held.AGAINST else None)

    def measured(
        self,
        measurand: str,
        *,
        held: Held = Held.ACROSS,
        nominal: float = 0.0,
        edge: str = "",
        drawn: bool | None = None,
        spread: Repeatability | None = None,
    ) -> Measurement:
        """The mean of what was read of a length, mm.

        nominal, edge: what the instrument is off is the same wherever both are. drawn: of a piece that was drawn or
        cut; None where nothing was made. spread: where more is known of it.
        """
        lengths = self.lengths(measurand)
        return measurement(
            measurand,
            [v.mm for v in lengths],
            self.as_read(lengths),
            self._conditions(held, drawn),
            nominal=nominal,
            edge=edge,
            spread=spread,
            stated=self.stated.get(measurand),
        )

    def foreseen(
        self,
        measurand: str,
        expected: float,
        n: int,
        *,
        held: Held = Held.ACROSS,
        nominal: float = 0.0,
        edge: str = "",
        drawn: bool | None = None,
    ) -> Measurement:
        """What `n` readings to the instrument's own division would be worth, with the spread that was seen so far."""
        return planned(
            measurand,
            expected,
            n,
            self.instrument,
            self._conditions(held, drawn),
            nominal=nominal,
            edge=edge,
            spread=self.seen_spread(),
            stated=self.stated.get(measurand),
        )

    def seen_spread(self) -> Repeatability:
        """Of single readings: what was seen here, pooled with the instrument's record."""
        read = [v for found in self.readings.values() for v in found if isinstance(v, Length)]
        return spread_of(self._read(), self.as_read(read).repeatability)

    def scatter_of_readings(self) -> tuple[float, int]:
        """Sum of squares (mm²) of all lengths about their means, and its degrees of freedom."""
        return squares_within(self._read())

    def _read(self) -> list[list[float]]:
        groups = [[v.mm for v in found if isinstance(v, Length)] for found in self.readings.values()]
        return [g for g in groups if g]

    def lost_motion(self, axis: str) -> Known:
        """What is known of the lost motion left in an axis; assumed where no round found out."""
        return self.known.get(lost_motion_of(axis).name, ASSUMED_LOST_MOTION)

    def resolution(self, quantity: str) -> StoredResolution:
        """What the controller holds of a scale. Raises InputError where that isn't given."""
        stored = self.values.get(quantity)
        if not isinstance(stored, StoredResolution):
            raise InputError(tr("give {quantity}: the number in the controller", quantity=quantity), "machine.values")
        return stored

    def amount(self, quantity: str) -> StoredAmount:
        """What the machine keeps of an amount; nothing where nothing was entered."""
        stored = self.values.get(quantity)
        if isinstance(stored, StoredAmount):
            return stored
        return StoredAmount(quantity, unit_kept(quantity, self.controller_units), 0.0)

    def decimals_of(self, quantity: str) -> int:
        """How many decimals are kept of a quantity."""
        return self.machine.decimals_of.get(quantity, self.machine.decimals)

    def in_its_unit(self, mm: float, unit: str = "", *, signed: bool = False) -> str:
        """A length (mm) or feed (mm/min) as a line of arithmetic has it: in the controller's unit, or in `unit`."""
        inches = (unit or self.controller_units).startswith("in")
        return length_number(mm, "in" if inches else "mm", 3, signed=signed)

    def shown(self, mm: float, decimals: int = 2, *, signed: bool = False) -> str:
        """A length in a sentence, with its unit: in the controller's own. decimals: in mm; inches take two more."""
        return length_in_words(mm, self.controller_units, decimals, signed=signed)

    def ordered(self, mm: float, decimals: int = 3) -> str:
        """A length nominal, the same way: no more digits than it has."""
        inches = self.controller_units == "in"
        return trim_number(mm / MM_PER_INCH, 5) if inches else trim_number(mm, decimals)

    def tolerance_of(self, quantity: str, length: float) -> float:
        """T in the quantity's error unit. length: mm, over which a single given tolerance is meant."""
        q, given = QUANTITIES[quantity], self.machine.tolerances if self.tolerance is None else self.tolerance
        if isinstance(given, Mapping):
            T = given.get(quantity, q.default_tolerance)
            return T / self.tolerated_over * 1000 if q.scaled else T
        return given / length * 1000 if q.scaled else given

    @property
    def tolerated_over(self) -> float:
        """The length over which tolerances of scales are meant, mm."""
        return self.machine.reference_length if self.reference_length is None else self.reference_length

    def scatter(self, *, drawn: bool) -> PieceScatter:
        """How much equal pieces differ, known or assumed."""
        if self.piece_scatter:
            return self.piece_scatter
        if self.machine.scatter:
            return PieceScatter(*self.machine.scatter, assumed=False)
        return PieceScatter(SCATTER[MachineKind.PEN if drawn else self.machine.kind], FEW)

    def factor(self, quantity: str) -> float:
        """−1 where this controller counts the quantity the other way round."""
        return -1.0 if quantity in self.machine.flipped else 1.0


def length_mm(given: object, place: str, unit: str = "mm") -> float:
    """A length in the input, mm: a number in that unit, or a string with one of its own."""
    if isinstance(given, str):
        try:
            return parse_length(given, unit, allow_negative=True).mm
        except InputError as error:
            raise error.at(place) from None
    mm = number(given, place) * UNITS_MM[unit]
    if abs(mm) > LARGEST_MM:
        raise InputError(tr("that is longer than a kilometre; lengths are in mm"), place)
    return mm


def listed(given: object, least: int, most: int) -> TypeGuard[Sequence[Any]]:
    """Whether it is a list of least to most things; a text is none."""
    return isinstance(given, Sequence) and not isinstance(given, str) and least <= len(given) <= most


def number(given: object, place: str, low: float = -math.inf, high: float = math.inf) -> float:
    """A finite number within limits, or InputError at `place`."""
    if isinstance(given, bool) or not isinstance(given, (int, float)):
        raise InputError(tr("expected a number, got {given}", given=shown_input(given)), place)
    try:
        value = float(given)
    except OverflowError:
        value = math.inf
    if not math.isfinite(value):
        raise InputError(tr("the number is not finite"), place)
    if not low <= value <= high:
        raise InputError(tr("expected {low:g} to {high:g}, got {value:g}", low=low, high=high, value=value), place)
    return value
