"""Every quantity the program knows: its names, group, place in the order, and what it rests on.

The order is arithmetic.md §1: later values rest on earlier ones. Light enough for the first screen.
"""

from __future__ import annotations

from collections.abc import Iterator
from enum import StrEnum
from functools import cache
from typing import NamedTuple

from keen_compass.language import marked, tr


class Lives(StrEnum):
    """Where a value lives, and so how it is corrected."""

    RESOLUTION = "resolution"  # in the controller, in the form that the machine's profile names
    NUMBER = "number"  # in the controller, as a plain number in `unit`
    BY_HAND = "by_hand"  # on the machine itself: shimmed, skimmed, turned; the value counts what was done
    SETTING = "setting"  # of how it cuts, which our files carry and the machine's profile keeps
    READ = "read"  # nowhere: a piece shows it, and a number that is kept rests on it
    COMPUTED = "computed"  # nowhere: what the parts of the machine say about a number that is kept elsewhere


class Quantity(NamedTuple):
    """One calibrated value of a machine.

    error_unit: in which its error is shown; scales and angles in mm per m, piece errors in mm.
    rests_on: quantities whose change makes this one *re-check*; what those rest on counts too.
    default_tolerance: in mm; for scales and angles over 1000 mm; for feeds in mm/min.
    unit: of the value itself, where it isn't a resolution.
    one_sided: an error below zero does no harm.
    depends: on which dimensions of what is mounted it depends (`subjects.DIMENSIONS`); none for the machine alone.
    spoke: the spoke of the rose that shows it; two quantities of one fault share one.
    """

    name: str
    called: str
    group: str
    error_unit: str
    rests_on: tuple[str, ...] = ()
    default_tolerance: float = 0.1
    axis: str = ""
    lives: Lives = Lives.RESOLUTION
    unit: str = ""
    spoke: str = ""
    one_sided: bool = False
    depends: tuple[str, ...] = ()

    @property
    def label(self) -> str:
        """What it is called, in the language that is spoken."""
        return tr(self.called)

    @property
    def scaled(self) -> bool:
        """Whether its tolerance is a length over the reference length."""
        return self.error_unit == "mm/m"

    @property
    def family(self) -> str:
        """Its name without the axis: ``steps``, ``squareness``."""
        return self.name.removeprefix(f"{self.axis}_").removesuffix(f"_{self.axis}") if self.axis else self.name

    @property
    def about(self) -> str:
        """The quantity whose number it says something about: its own, of what is computed that of the same axis."""
        return f"{self.axis}_steps" if self.lives is Lives.COMPUTED else self.name

    @property
    def spoke_name(self) -> str:
        """The spoke that shows it."""
        return tr(self.spoke or self.called)


_STEPS = ("x_steps", "y_steps")
_MOTION = (*_STEPS, "x_backlash", "y_backlash")
_BEAM = ("focus", "power", "cut_feed")  # what a beam's kerf follows
_CUT = ("tool", "material", "thickness", "process")  # whose kerf it is
_HEAD = ("accessory",)  # what is held beside the tool
_PRINT = ("printer", "carrier")
_BESIDE = {
    "pointer": (marked("Pointer"), marked("Pointer X"), marked("Pointer Y")),
    "sensor": (marked("Sensor"), marked("Sensor X"), marked("Sensor Y")),
    "camera": (marked("Camera"), marked("Camera X"), marked("Camera Y")),
    "second_tool": (marked("Second tool"), marked("Second tool X"), marked("Second tool Y")),
}  # what sits beside the tool: itself, along X, along Y
_SCALE = marked("Print scale")
_FED = ("printer", "material")
_DRIVES = 20.0  # mm over 1000: closer than that, no switch, gear or tooth is wrong

QUANTITIES: dict[str, Quantity] = {
    q.name: q
    for q in (
        Quantity(
            "x_drive",
            marked("X drive train"),
            "motion",
            "mm/m",
            (),
            _DRIVES,
            "x",
            Lives.COMPUTED,
            "",
            marked("Drive train"),
        ),
        Quantity(
            "y_drive",
            marked("Y drive train"),
            "motion",
            "mm/m",
            (),
            _DRIVES,
            "y",
            Lives.COMPUTED,
            "",
            marked("Drive train"),
        ),
        Quantity(
            "z_drive",
            marked("Z drive train"),
            "motion",
            "mm/m",
            (),
            _DRIVES,
            "z",
            Lives.COMPUTED,
            "",
            marked("Drive train"),
        ),
        Quantity("x_steps", marked("X steps"), "motion", "mm/m", ("x_drive",), 0.4, "x"),
        Quantity("y_steps", marked("Y steps"), "motion", "mm/m", ("y_drive",), 0.4, "y"),
        Quantity("z_steps", marked("Z steps"), "motion", "mm/m", ("z_drive",), 2.0, "z", spoke=marked("Z axis")),
        Quantity("x_backlash", marked("X backlash"), "motion", "mm", ("x_steps",), 0.05, "x", Lives.NUMBER, "mm"),
        Quantity("y_backlash", marked("Y backlash"), "motion", "mm", ("y_steps",), 0.05, "y", Lives.NUMBER, "mm"),
        Quantity(
            "z_backlash",
            marked("Z backlash"),
            "motion",
            "mm",
            ("z_steps",),
            0.05,
            "z",
            Lives.NUMBER,
            "mm",
            marked("Z axis"),
        ),
        Quantity("squareness", marked("Squareness"), "motion", "mm/m", _MOTION, 0.5, "", Lives.BY_HAND, "mm"),
        Quantity(
            "x_home",
            marked("X home"),
            "motion",
            "mm",
            (*_MOTION, "squareness"),
            0.2,
            "x",
            Lives.NUMBER,
            "mm",
            marked("Home"),
        ),
        Quantity(
            "y_home",
            marked("Y home"),
            "motion",
            "mm",
            (*_MOTION, "squareness"),
            0.2,
            "y",
            Lives.NUMBER,
            "mm",
            marked("Home"),
        ),
        Quantity(
            "tracking",
            marked("Feed tracking"),
            "motion",
            "mm",
            _STEPS,
            0.2,
            "",
            Lives.BY_HAND,
            "times",
            depends=("material",),
        ),
        Quantity(
            "x_tram", marked("X tram"), "motion", "mm/m", (), 0.3, "x", Lives.BY_HAND, "mm/m", marked("Head tram")
        ),
        Quantity(
            "y_tram", marked("Y tram"), "motion", "mm/m", (), 0.3, "y", Lives.BY_HAND, "mm/m", marked("Head tram")
        ),
        Quantity(
            "bed",
            marked("Bed"),
            "motion",
            "mm",
            ("x_steps", "y_steps", "x_tram", "y_tram"),
            0.3,
            "",
            Lives.BY_HAND,
            "mm",
        ),
        Quantity(
            "x_speed",
            marked("X feed"),
            "motion",
            "mm/min",
            ("x_steps",),
            500.0,
            "x",
            Lives.NUMBER,
            "mm/min",
            marked("Feeds"),
            True,
        ),
        Quantity(
            "y_speed",
            marked("Y feed"),
            "motion",
            "mm/min",
            ("y_steps",),
            500.0,
            "y",
            Lives.NUMBER,
            "mm/min",
            marked("Feeds"),
            True,
        ),
        Quantity("focus", marked("Focus"), "cut", "mm", (), 1.0, "", Lives.SETTING, "mm", marked("Beam"), depends=_CUT),
        Quantity(
            "power", marked("Power"), "cut", "%", ("focus",), 10.0, "", Lives.SETTING, "%", marked("Beam"), depends=_CUT
        ),
        Quantity(
            "cut_feed",
            marked("Cutting feed"),
            "cut",
            "mm/min",
            ("focus",),
            300.0,
            "",
            Lives.SETTING,
            "mm/min",
            marked("Beam"),
            depends=_CUT,
        ),
        Quantity("kerf", marked("Kerf"), "cut", "mm", (*_MOTION, *_BEAM), 0.1, "", Lives.NUMBER, "mm", depends=_CUT),
        Quantity(
            "slot", marked("Slot width"), "cut", "mm", (), 0.1, "", Lives.READ, "mm", marked("Kerf"), depends=_CUT
        ),
        Quantity("bevel", marked("Bevel"), "cut", "mm", (), 0.5, "", Lives.BY_HAND, "mm", one_sided=True, depends=_CUT),
        Quantity(
            "hole_bias",
            marked("Hole bias"),
            "cut",
            "mm",
            ("kerf",),
            0.1,
            "",
            Lives.NUMBER,
            "mm",
            marked("Kerf"),
            depends=_CUT,
        ),
        *(
            Quantity(
                f"{head}_{a}",
                called[1 + at],
                "heads",
                "mm",
                _MOTION,
                0.2,
                a,
                Lives.NUMBER,
                "mm",
                called[0],
                depends=_HEAD,
            )
            for head, called in _BESIDE.items()
            for at, a in enumerate("xy")
        ),
        Quantity(
            "drag",
            marked("Drag blade"),
            "heads",
            "mm",
            ("x_backlash", "y_backlash"),
            0.05,
            "",
            Lives.NUMBER,
            "mm",
            depends=("tool",),
        ),
        Quantity(
            "print_scale_x",
            marked("Print scale X"),
            "print",
            "mm/m",
            ("x_steps",),
            1.0,
            "x",
            spoke=_SCALE,
            depends=_PRINT,
        ),
        Quantity(
            "print_scale_y",
            marked("Print scale Y"),
            "print",
            "mm/m",
            ("y_steps",),
            1.0,
            "y",
            spoke=_SCALE,
            depends=_PRINT,
        ),
        Quantity("media_feed", marked("Media feed"), "print", "%", (), 0.1, "", Lives.NUMBER, "percent", depends=_FED),
        Quantity("registration", marked("Registration"), "print", "mm", _MOTION, 0.3, "", Lives.BY_HAND, "mm"),
        Quantity(
            "proof",
            marked("Proof"),
            "print",
            "mm",
            ("registration", "print_scale_x", "print_scale_y"),
            0.3,
            "",
            Lives.BY_HAND,
            "mm",
            marked("Registration"),
            depends=_PRINT,
        ),
    )
}
ORDER = tuple(QUANTITIES)

UNKNOWNS = {
    "x_scale": marked("X scale"),
    "y_scale": marked("Y scale"),
    "kerf": marked("kerf"),
    "x_lost_motion": marked("X lost motion"),
    "y_lost_motion": marked("Y lost motion"),
    "hole_bias": marked("hole bias"),
}


def unknown_label(name: str) -> str:
    """What an unknown of the joint evaluation is called; what isn’t one as it is."""
    return tr(UNKNOWNS.get(name, name))


@cache
def beneath(quantity: str) -> tuple[str, ...]:
    """Everything that a quantity rests on, near and far, in the order of dependence."""
    found = set(_beneath(quantity))
    return tuple(q for q in ORDER if q in found)


def _beneath(quantity: str) -> Iterator[str]:
    for under in QUANTITIES[quantity].rests_on:
        yield under
        yield from _beneath(under)
