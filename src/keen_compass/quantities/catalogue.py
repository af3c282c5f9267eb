"""Every quantity the program knows: its names, place in the order, and what it rests on.

What the quantities of a family share is in `families`. The order is arithmetic.md §1: later values rest on earlier
ones. Light enough for the first screen.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from typing import NamedTuple

from keen_compass.language import marked, tr
from keen_compass.quantities.families import FAMILIES, Family, Lives, Outfit


class Quantity(NamedTuple):
    """One calibrated value of a machine.

    rests_on: quantities whose change makes this one *re-check*; what those rest on counts too.
    spoke: the spoke of the rose that shows it; two quantities of one fault share one.
    own_tolerance: where it isn't its family's.
    """

    name: str
    called: str
    family: Family
    rests_on: tuple[str, ...] = ()
    axis: str = ""
    spoke: str = ""
    own_tolerance: float = 0.0

    @property
    def label(self) -> str:
        """What it is called, in the language that is spoken."""
        return tr(self.called)

    @property
    def group(self) -> str:
        """motion, cut, heads or print."""
        return self.family.group

    @property
    def error_unit(self) -> str:
        """In which its error is shown."""
        return self.family.error_unit

    @property
    def default_tolerance(self) -> float:
        """In mm; for scales and angles over 1000 mm; for feeds in mm/min."""
        return self.own_tolerance or self.family.tolerance

    @property
    def lives(self) -> Lives:
        """Where its value lives."""
        return self.family.lives

    @property
    def in_controller(self) -> bool:
        """Whether controllers have a place for its number."""
        return self.lives in (Lives.RESOLUTION, Lives.NUMBER)

    @property
    def unit(self) -> str:
        """Of the value itself, where it isn't a resolution."""
        return self.family.unit

    @property
    def one_sided(self) -> bool:
        """Whether an error below zero does no harm."""
        return self.family.one_sided

    @property
    def depends(self) -> tuple[str, ...]:
        """On which dimensions of what is mounted it depends."""
        return self.family.depends

    @property
    def scaled(self) -> bool:
        """Whether its tolerance is a length over the reference length."""
        return self.error_unit == "mm/m"

    @property
    def about(self) -> str:
        """The quantity whose number it says something about: its own, of what is computed that of the same axis."""
        return f"{self.axis}_steps" if self.lives is Lives.COMPUTED else self.name

    @property
    def spoke_name(self) -> str:
        """The spoke that shows it."""
        return tr(self.spoke or self.called)

    def on(self, outfit: Outfit) -> bool:
        """Whether such a machine has it."""
        return (self.axis != "z" or outfit.z) and self.family.has(outfit)


def _one(
    family: str,
    called: str,
    *,
    rests_on: tuple[str, ...] = (),
    axis: str = "",
    name: str = "",
    spoke: str = "",
    tolerance: float = 0.0,
) -> Quantity:
    """name: where it isn't `axis_family`, or the family's alone."""
    own = name or (f"{axis}_{family}" if axis else family)
    return Quantity(own, called, FAMILIES[family], rests_on, axis, spoke, tolerance)


_STEPS = ("x_steps", "y_steps")
_MOTION = (*_STEPS, "x_backlash", "y_backlash")
_DRIVE, _Z, _HOME = marked("Drive train"), marked("Z axis"), marked("Home")
_TRAM, _FEEDS, _BEAM, _KERF = marked("Head tram"), marked("Feeds"), marked("Beam"), marked("Kerf")
_BESIDE = {
    "pointer": (marked("Pointer"), marked("Pointer X"), marked("Pointer Y")),
    "sensor": (marked("Sensor"), marked("Sensor X"), marked("Sensor Y")),
    "camera": (marked("Camera"), marked("Camera X"), marked("Camera Y")),
    "second_tool": (marked("Second tool"), marked("Second tool X"), marked("Second tool Y")),
}  # what sits beside the tool: itself, along X, along Y
_SCALE = marked("Print scale")

QUANTITIES: dict[str, Quantity] = {
    q.name: q
    for q in (
        _one("drive", marked("X drive train"), axis="x", spoke=_DRIVE),
        _one("drive", marked("Y drive train"), axis="y", spoke=_DRIVE),
        _one("drive", marked("Z drive train"), axis="z", spoke=_DRIVE),
        _one("steps", marked("X steps"), rests_on=("x_drive",), axis="x"),
        _one("steps", marked("Y steps"), rests_on=("y_drive",), axis="y"),
        _one("steps", marked("Z steps"), rests_on=("z_drive",), axis="z", spoke=_Z, tolerance=2.0),
        _one("backlash", marked("X backlash"), rests_on=("x_steps",), axis="x"),
        _one("backlash", marked("Y backlash"), rests_on=("y_steps",), axis="y"),
        _one("backlash", marked("Z backlash"), rests_on=("z_steps",), axis="z", spoke=_Z),
        _one("squareness", marked("Squareness"), rests_on=_MOTION),
        _one("home", marked("X home"), rests_on=(*_MOTION, "squareness"), axis="x", spoke=_HOME),
        _one("home", marked("Y home"), rests_on=(*_MOTION, "squareness"), axis="y", spoke=_HOME),
        _one("tracking", marked("Feed tracking"), rests_on=_STEPS),
        _one("tram", marked("X tram"), axis="x", spoke=_TRAM),
        _one("tram", marked("Y tram"), axis="y", spoke=_TRAM),
        _one("bed", marked("Bed"), rests_on=(*_STEPS, "x_tram", "y_tram")),
        _one("speed", marked("X feed"), rests_on=("x_steps",), axis="x", spoke=_FEEDS),
        _one("speed", marked("Y feed"), rests_on=("y_steps",), axis="y", spoke=_FEEDS),
        _one("focus", marked("Focus"), spoke=_BEAM),
        _one("power", marked("Power"), rests_on=("focus",), spoke=_BEAM),
        _one("cut_feed", marked("Cutting feed"), rests_on=("focus",), spoke=_BEAM),
        _one("kerf", marked("Kerf"), rests_on=(*_MOTION, "focus", "power", "cut_feed")),
        _one("slot", marked("Slot width"), spoke=_KERF),
        _one("bevel", marked("Bevel")),
        _one("hole_bias", marked("Hole bias"), rests_on=("kerf",), spoke=_KERF),
        *(
            _one(head, called[1 + at], rests_on=_MOTION, axis=a, name=f"{head}_{a}", spoke=called[0])
            for head, called in _BESIDE.items()
            for at, a in enumerate("xy")
        ),
        _one("drag", marked("Drag blade"), rests_on=("x_backlash", "y_backlash")),
        *(
            _one("print_scale", called, rests_on=(f"{a}_steps",), axis=a, name=f"print_scale_{a}", spoke=_SCALE)
            for a, called in (("x", marked("Print scale X")), ("y", marked("Print scale Y")))
        ),
        _one("media_feed", marked("Media feed")),
        _one("registration", marked("Registration"), rests_on=_MOTION),
        _one(
            "proof",
            marked("Proof"),
            rests_on=("registration", "print_scale_x", "print_scale_y"),
            spoke=marked("Registration"),
        ),
    )
}
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
    return tuple(q for q in QUANTITIES if q in found)


def _beneath(quantity: str) -> Iterator[str]:
    for under in QUANTITIES[quantity].rests_on:
        yield under
        yield from _beneath(under)
