"""What a machine's profile may say: one of a few, or a number within limits."""

from __future__ import annotations

import math
import string
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.language import marked, tr
from keen_compass.quantities.resolution import OF_PRINTS, ResolutionForm

if TYPE_CHECKING:
    from keen_compass.machines.dialect import Dialect
else:
    Dialect = Any  # loaded where a machine has one: the first screen needs none

FILES = {"gcode": "G-code", "hpgl": "HP-GL", "svg": "SVG"}
COUNTS_STEPS = (
    ResolutionForm.STEPS_PER_MM,
    ResolutionForm.STEPS_PER_INCH,
    ResolutionForm.UM_PER_STEP,
    ResolutionForm.MM_PER_STEP,
    ResolutionForm.INCH_PER_STEP,
)
CONTROLLER_UNITS = ("mm", "in")
GIVES_ROOM = ("file", "controller")  # who moves the tool off the line by half the cut
KERF_FORMS = ("full", "half")
FITTINGS = ("accessory", "printer", "carrier")
OFFSET_FORMS = ("secondary_minus_tool", "tool_minus_secondary")  # which of the two is kept
COUNTS = ("pierces", "metres", "minutes")  # in what the use of what cuts is counted
# How a head is held decides where a shim goes that makes it upright: its plate stands upright, the head on one
# side of it; a flange is level, and the head is on it or hangs under it.
HEADS: dict[str, str] = {
    "plate_low_y": marked("plate, low-Y side"),
    "plate_high_y": marked("plate, high-Y side"),
    "plate_low_x": marked("plate, low-X side"),
    "plate_high_x": marked("plate, high-X side"),
    "stands": marked("on a flange"),
    "hangs": marked("under a flange"),
}
UNITS = ("mm", "in", "in 1/64")  # how lengths are shown: mm, decimal inches, fractions of an inch
# Field → what it may be.
ONE_OF: dict[str, tuple[str, ...]] = {
    "units": UNITS,
    "controller_units": CONTROLLER_UNITS,
    "gives_room": GIVES_ROOM,
    "kerf_form": KERF_FORMS,
    "offset_form": OFFSET_FORMS,
    "print_form": OF_PRINTS,
}
# Field → (least, most) that a machine of this world can have; lengths in mm, feeds in mm/min.
LIMITS: dict[str, tuple[float, float]] = {
    "reference_length": (1, 100_000),
    "feed": (1, 1_000_000),
    "plunge_feed": (1, 1_000_000),
    "depth_per_pass": (0.01, 500),
    "units_per_mm": (1, 10_000),
    "z_travel": (0, 10_000),
    "gantry": (0, 100_000),
    "step_limit": (0, 1e8),
    "acceleration": (1, 100_000),
    "due_days": (1, 3700),
    "decimals": (0, 9),
    "spindle_rpm": (0, 1_000_000),
    "pierce_height": (0.1, 50),
    "cut_height": (0, 50),
    "pierce_delay": (0, 60),
    "power": (0.1, 100),
    "focus": (-500, 500),
}
PROCESS_SETTINGS = ("feed", "pierce_height", "cut_height", "pierce_delay", "power", "focus")  # come back with a process
SETTING_OF = {"focus": "focus", "power": "power", "cut_feed": "feed"}  # quantity → where the profile keeps it
BED = (1.0, 1_000_000.0)  # mm; a roll is long
THICKNESS = (0.001, 500.0)
WIDEST_TOOL = 500.0
TOLERANCE = (1e-6, 1_000_000.0)
LONGEST_LINE = 200  # characters of a setting line's pattern


def check_within(value: float, low: float, high: float, name: str) -> None:
    """Raise InputError, in words, for a number that no machine can have."""
    if not (math.isfinite(value) and low <= value <= high):
        raise InputError(
            tr("must be between {low:g} and {high:g}, got {value:g}", low=low, high=high, value=value), name
        )


def check_setting_line(line: str) -> None:
    """Only {key} and {value} may stand in it, as they are. Raises InputError."""
    if len(line) > LONGEST_LINE:
        raise InputError(tr("at most {longest_line} letters", longest_line=LONGEST_LINE), "setting_line")
    try:
        parts = list(string.Formatter().parse(line))
    except ValueError:
        raise InputError(tr("only {key} and {value} may stand in brackets"), "setting_line") from None
    if any(name is not None and (name not in ("key", "value") or spec or how) for _, name, spec, how in parts):
        raise InputError(tr("only {key} and {value} may stand in brackets"), "setting_line")
    if "value" not in {name for _, name, *_ in parts}:
        raise InputError(tr("must contain {value}, and {key} where the controller wants one"), "setting_line")
