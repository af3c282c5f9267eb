"""Measuring instruments and what one reading with them is worth (arithmetic.md §3)."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from datetime import date

from keen_compass.errors import InputError
from keen_compass.language import marked, tr
from keen_compass.quantities.assumed import hand
from keen_compass.quantities.lengths import UNITS_MM

LARGEST = 1e9  # mm


@dataclass(frozen=True, slots=True)
class Repeatability:
    """How much repeated readings of one thing differ with this instrument: s in mm, with dof."""

    s: float
    dof: float
    assumed: bool = False


BARE_EYE = marked("eye")


@dataclass(frozen=True, slots=True)
class Instrument:
    """A measuring instrument.

    resolution: smallest division of the scale used, mm.
    permissible_error: (a, b) of ±(a + b·L), mm and mm/mm; shared by all its readings.
    both_ends: both ends of the length are read off a scale (a rule), so r²/6 instead of r²/12.
    unit: what bare digits mean, a key of `UNITS_MM`.
    reach: longest length it measures, mm; 0 when not known.
    zero: what it shows when it should show nothing, mm; taken off every reading.
    parallel_within: rad; how far from parallel or square the technician says it was held.
    due: when it is to be checked again.
    """

    name: str = "instrument"
    resolution: float = 0.01
    permissible_error: tuple[float, float] = (0.0, 0.0)
    both_ends: bool = False
    unit: str = "mm"
    reach: float = 0.0
    zero: float = 0.0
    parallel_within: float = 0.0
    due: date | None = None
    repeats: Repeatability | None = field(default=None)
    uid: str = ""
    kind: str = "caliper"

    @property
    def said(self) -> str:
        """Its name; of the bare eye, in the language that is spoken."""
        return tr(self.name) if self.uid == BARE_EYE else self.name

    def __post_init__(self) -> None:
        if not 0 < self.resolution < LARGEST:
            raise InputError(tr("must be larger than 0: the smallest division of its scale"), "resolution")
        if min(self.permissible_error) < 0:
            raise InputError(tr("must not be negative"), "permissible_error")
        for name, value in (
            ("permissible_error", sum(self.permissible_error)),
            ("reach", self.reach),
            ("zero", abs(self.zero)),
        ):
            if not 0 <= value < LARGEST:
                raise InputError(tr("must be a length that something can have"), name)
        if self.repeats is not None and not (0 <= self.repeats.s < LARGEST and 0 < self.repeats.dof < LARGEST):
            raise InputError(tr("must be a spread that was found"), "repeats")
        if self.unit not in UNITS_MM:
            raise InputError(tr("must be one of {units_mm}", units_mm=", ".join(UNITS_MM)), "unit")
        if not 0 <= self.parallel_within < 0.3:
            raise InputError(tr("must be between 0 and 0.3 rad"), "parallel_within")

    @property
    def repeatability(self) -> Repeatability:
        """The recorded spread of repeats, or what a hand does with such a kind of instrument, assumed."""
        return self.repeats or Repeatability(*hand(self.kind, self.resolution), assumed=True)

    @property
    def shown_in(self) -> str:
        """``mm`` or ``in``: the unit of what is said about it."""
        return "mm" if self.unit == "mm" else "in"

    @property
    def decimals(self) -> int:
        """How many decimals it shows in its own unit."""
        return max(0, -math.floor(math.log10(self.resolution / UNITS_MM[self.unit]) + 1e-9))

    @property
    def divided_in_fractions(self) -> bool:
        """Whether its scale is divided in 1/2, 1/4 … 1/64 in.

        What is read on such a scale is written in lowest terms: 22 1/4 is as fine a reading there as 22 17/64.
        """
        parts = UNITS_MM["in"] / self.resolution
        return self.unit == "in" and any(abs(parts - 2**k) < 1e-6 * parts for k in range(7))

    def overdue(self, today: date) -> date | None:
        """When its own check was due, if that is past."""
        return self.due if self.due is not None and today > self.due else None
