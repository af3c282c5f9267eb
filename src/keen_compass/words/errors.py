"""The unit that an error is shown in: one for each machine, mm or thou, whatever unit it is found in."""

from __future__ import annotations

from typing import NamedTuple

from keen_compass.language import marked, tr, written
from keen_compass.quantities.digits import with_uncertainty
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.words.say import THOU


class ErrorUnit(NamedTuple):
    """A unit, in words and as a sign. size: how many of the unit that an error is found in make one."""

    words: str
    sign: str
    size: float = 1.0

    def number(self, error: float, U: float) -> str:
        """``+0.97 ± 0.10``, of an error in the unit that it is found in."""
        return written(with_uncertainty(error / self.size, U / self.size))


# mm per m is thou per inch: the same number.
SHOWN = {
    "mm": {
        "mm/m": ErrorUnit(marked("mm per m"), "mm/m"),
        "mm": ErrorUnit("mm", "mm"),
        "mm/min": ErrorUnit(marked("mm per min"), "mm/min"),
        "%": ErrorUnit("%", "%"),
    },
    "in": {
        "mm/m": ErrorUnit(marked("thou per inch"), "thou/in"),
        "mm": ErrorUnit("thou", "thou", THOU),
        "mm/min": ErrorUnit(marked("in per min"), "in/min", MM_PER_INCH),
        "%": ErrorUnit("%", "%"),
    },
}


def shown_in(error_unit: str, units: str) -> ErrorUnit:
    """The unit that an error is shown in. error_unit: in which it is found; units: of the machine."""
    unit = SHOWN["mm" if units == "mm" else "in"][error_unit]
    return unit._replace(words=tr(unit.words))


def error_in_words(error: float, U: float, error_unit: str, units: str) -> str:
    """``+0.97 ± 0.10 mm/m``, ``+4.0 ± 1.2 thou``."""
    unit = shown_in(error_unit, units)
    return f"{unit.number(error, U)} {unit.sign}"
