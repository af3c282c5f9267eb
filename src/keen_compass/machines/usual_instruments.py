"""What most shops measure with, each with what its standard permits: a first choice, to be changed later.

Calipers after ISO 13385-1 as they are mostly made, ±(0.02 mm + 35 µm/m); rules and tapes of class II of the European
measures, ±(0.3 mm + 0.2 mm/m); dials after ISO 463, ±15 µm over 10 mm; depth gauges after ISO 13385-2, ±30 µm.
"""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import MM_PER_INCH

_CALIPER, _RULE = (0.02, 3.5e-5), (0.3, 2e-4)


def usual_instruments(units: str) -> tuple[Instrument, ...]:
    """In the order in which they are offered. units: in which the machine is shown, mm or inches of some kind."""
    if units != "mm":
        inch = MM_PER_INCH
        calipers = tuple(
            Instrument(tr("Caliper {n} in", n=n), 0.0005 * inch, _CALIPER, unit="in", reach=n * inch)
            for n in (6, 8, 12)
        )
        return (
            *calipers,
            Instrument(
                tr("Steel rule 40 in"), inch / 64, _RULE, both_ends=True, unit="in", reach=40 * inch, kind="steel rule"
            ),
            Instrument(tr("Tape 12 ft"), inch / 32, _RULE, both_ends=True, unit="in", reach=144 * inch, kind="tape"),
            Instrument(tr("Dial 0.001 in"), 0.001 * inch, (0.025, 0.0), unit="in", reach=0.4 * inch, kind="dial gauge"),
            Instrument(
                tr("Depth gauge 6 in"), 0.0005 * inch, (0.03, 0.0), unit="in", reach=6 * inch, kind="depth gauge"
            ),
        )
    return (
        *(Instrument(tr("Caliper {n} mm", n=n), 0.01, _CALIPER, reach=float(n)) for n in (150, 200, 300)),
        Instrument(tr("Steel rule 1 m"), 0.5, _RULE, both_ends=True, reach=1000.0, kind="steel rule"),
        Instrument(tr("Tape 3 m"), 1.0, _RULE, both_ends=True, reach=3000.0, kind="tape"),
        Instrument(tr("Dial 0.01 mm"), 0.01, (0.015, 0.0), reach=10.0, kind="dial gauge"),
        Instrument(tr("Depth gauge 150 mm"), 0.01, (0.03, 0.0), reach=150.0, kind="depth gauge"),
    )
