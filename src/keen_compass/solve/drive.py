"""Steps per unit from the parts of a drive train (arithmetic.md §4).

    steps per turn = 360 / step angle · microsteps        (encoder drives: counts per turn · electronic ratio)
    steps per mm   = steps per turn · reduction / travel per turn of the driving part

Lengths in mm, angles in degrees. reduction: motor turns per turn of the driving part.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.notes import Note, note

MICROSTEPS = (1, 2, 4, 8, 16, 32)
# A step finer than this share of a full one is seldom held: friction takes up more than the motor's torque gives.
WORTHWHILE_MICROSTEPS = 16
NEAR = 0.03  # a ratio this close to a tell-tale one is explained by it

# How far the parts themselves may be from what is stamped on them, as a share of the travel (half width of a
# rectangle): catalogue classes of ordinary parts. A round on the machine refines it.
PARTS_WITHIN = {"screw": 0.001, "belt": 0.003, "rack": 0.0015, "helical_rack": 0.0015, "roller": 0.01}


class Drive(StrEnum):
    """What turns turning into travel."""

    SCREW = "screw"
    BELT = "belt"
    RACK = "rack"
    HELICAL_RACK = "helical_rack"
    ROLLER = "roller"


@dataclass(frozen=True, slots=True)
class Train:
    """A whole chain, from the motor to the carriage.

    steps_per_turn: of the motor, as the controller counts. reduction: motor turns per turn of the driving part.
    travel_per_turn: of the driving part, mm.
    """

    steps_per_turn: float
    reduction: float
    travel_per_turn: float

    @property
    def steps_per_mm(self) -> float:
        """What the controller has to count for one mm."""
        return self.steps_per_turn * self.reduction / self.travel_per_turn

    @property
    def smallest_step(self) -> float:
        """Travel of one step, mm."""
        return 1 / self.steps_per_mm

    def step_rate(self, feed: float) -> float:
        """Steps per second at a feed in mm/min."""
        return self.steps_per_mm * feed / 60


def motor_steps(step_angle: float, microsteps: float) -> float:
    """Steps per turn of a stepping motor; step_angle in degrees."""
    _positive(step_angle=step_angle, microsteps=microsteps)
    return 360 / step_angle * microsteps


def encoder_steps(counts: float, electronic_ratio: float) -> float:
    """Counts per turn of an encoder drive, times what the drive multiplies them by."""
    _positive(counts=counts, electronic_ratio=electronic_ratio)
    return counts * electronic_ratio


def screw_travel(pitch: float, starts: float) -> float:
    """Lead of a screw: pitch (mm) times starts."""
    _positive(pitch=pitch, starts=starts)
    return pitch * starts


def threads_travel(threads_per_inch: float, starts: float) -> float:
    """Lead of a screw named by its threads per inch."""
    _positive(threads_per_inch=threads_per_inch, starts=starts)
    return MM_PER_INCH * starts / threads_per_inch


def belt_travel(pitch: float, teeth: float) -> float:
    """Belt pitch (mm) times the pulley's teeth."""
    _positive(belt_pitch=pitch, teeth=teeth)
    return pitch * teeth


def rack_travel(module: float, teeth: float, helix_deg: float = 0.0) -> float:
    """π · module · teeth, ÷ cos β for helical teeth whose (normal) module is given in mm."""
    _positive(module=module, teeth=teeth)
    if not 0 <= helix_deg < 60:
        raise InputError(tr("must be between 0 and 60 degrees"), "helix_angle")
    return math.pi * module * teeth / math.cos(math.radians(helix_deg))


def roller_travel(diameter: float, media_thickness: float) -> float:
    """π · (diameter + media thickness), mm: the middle of the media runs half its thickness outside the roller."""
    _positive(diameter=diameter)
    if media_thickness < 0:
        raise InputError(tr("must not be negative"), "media_thickness")
    return math.pi * (diameter + media_thickness)


@dataclass(frozen=True, slots=True)
class MicrostepChoice:
    """What one setting of the microstep switch would give.

    smallest_step in mm; rate in steps per second at the fastest feed; share of the controller's limit, None where
    that isn't known; worthwhile: fine enough to matter, not finer than a motor holds.
    """

    microsteps: int
    steps_per_mm: float
    smallest_step: float
    rate: float
    share: float | None
    worthwhile: bool


def microstep_choices(
    train: Train, now: float, feed: float, limit: float, options: Sequence[int] = MICROSTEPS
) -> tuple[MicrostepChoice, ...]:
    """The switch's settings side by side. now: microsteps in force; feed in mm/min; limit in steps/s, 0 unknown.

    Fewer microsteps trade resolution for speed and torque.
    """
    choices = []
    for m in options:
        other = Train(train.steps_per_turn / now * m, train.reduction, train.travel_per_turn)
        rate = other.step_rate(feed)
        share = rate / limit if limit else None
        fits = share is None or share <= 1
        choices.append(
            MicrostepChoice(
                m, other.steps_per_mm, other.smallest_step, rate, share, fits and m <= WORTHWHILE_MICROSTEPS
            )
        )
    return tuple(choices)


# Ratio of measured to computed → code of what explains it.
_EXPLANATIONS: tuple[tuple[float, str], ...] = (
    (16.0, "parts_microsteps_16"),
    (10.0, "parts_ten"),
    (8.0, "parts_microsteps_8"),
    (5.0, "parts_five"),
    (4.0, "parts_four"),
    (3.0, "parts_three"),
    (2.0, "parts_two"),
)


def explain_ratio(measured: float, computed: float, teeth: float = 0.0) -> Note | None:
    """What a measured number of steps per mm that differs from the computed one looks like; None for nothing known.

    teeth: of pulley or pinion; a count that is one or two off is named.
    """
    ratio = measured / computed
    if abs(ratio - 1) <= NEAR / 3:
        return None
    for factor, cause in _EXPLANATIONS:
        if abs(ratio / factor - 1) <= NEAR or abs(ratio * factor - 1) <= NEAR:
            return note("ratio_cause", ratio=ratio, cause=cause)
    for target in (MM_PER_INCH, 1 / MM_PER_INCH):
        if abs(ratio / target - 1) <= NEAR:
            return note("ratio_cause", ratio=ratio, cause="parts_inches")
    if teeth:
        real = teeth / ratio
        if abs(real - round(real)) < 0.15 and round(real) != teeth and abs(real - teeth) <= 4:
            return note("ratio_cause", ratio=ratio, cause=note("parts_teeth", teeth=round(real)))
    return None


def _positive(**given: float) -> None:
    for name, value in given.items():
        if not (value > 0 and math.isfinite(value)):
            raise InputError(tr("must be larger than 0"), name)
