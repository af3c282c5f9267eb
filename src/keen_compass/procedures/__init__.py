"""The registry: one line for each procedure. Its modules are loaded when used, not before."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, NamedTuple

from keen_compass.errors import InputError, KeenCompassError, shown_input, those_like
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives

if TYPE_CHECKING:
    from keen_compass.procedures.base import AnyProcedure
    from keen_compass.quantities.bodies import Parameters


class Entry(NamedTuple):
    """Enough of a procedure for the first screen.

    minutes: that it takes. module: where it lives, and its texts in `words.texts`.
    takes: kinds of file that a machine must take for it, all where empty.
    apart: each axis is a round of its own, but for the run that is called `together`.
    """

    name: str
    yields: tuple[str, ...]
    minutes: int
    module: str
    takes: tuple[str, ...] = ()
    apart: bool = False
    together: str = ""

    def axis(self, chosen: Parameters) -> str:
        """For which axis a round with these choices is; none where it is for all of them, or for none."""
        return str(chosen.get("axis", "x")) if self.apart and chosen.get("run") != self.together else ""


_STEPS = ("x_steps", "y_steps")
REGISTRY: dict[str, Entry] = {
    e.name: e
    for e in (
        Entry("drive-train", ("x_steps", "y_steps", "z_steps"), 5, "drive_train", apart=True),
        Entry("rectangle", _STEPS, 15, "rectangle"),
        Entry("backlash", ("x_backlash", "y_backlash", "z_backlash"), 6, "backlash", ("gcode",), apart=True),
        Entry(
            "travel-run",
            ("x_steps", "y_steps", "z_steps", "x_backlash", "y_backlash", "z_backlash", "tracking"),
            20,
            "travel_run",
            apart=True,
            together="tracking",
        ),
        Entry("squareness", ("squareness",), 12, "squareness"),
        Entry("home", ("x_home", "y_home"), 8, "home", ("gcode",)),
        Entry("bed", ("x_tram", "y_tram", "bed"), 15, "bed", ("gcode",)),
        Entry("speed", ("x_speed", "y_speed"), 10, "speed", ("gcode",), apart=True),
        Entry("focus-row", ("focus",), 8, "focus_row", ("gcode",)),
        Entry("clean-cuts", ("power", "cut_feed"), 15, "clean_cuts", ("gcode",)),
        Entry("kerf-square", ("kerf", "hole_bias"), 15, "kerf_square", ("gcode",)),
        Entry("kerf-ladder", ("kerf",), 20, "kerf_ladder", ("gcode",)),
        Entry("kerf-comb", ("kerf", "slot"), 10, "kerf_comb", ("gcode",)),
        Entry("bevel", ("bevel",), 8, "bevel", ("gcode",)),
        Entry("reference-lines", _STEPS, 10, "reference_lines"),
        Entry("pointer", ("pointer_x", "pointer_y", "sensor_x", "sensor_y"), 15, "pointer"),
        Entry("registration", ("registration",), 10, "registration"),
        Entry("second-tool", ("second_tool_x", "second_tool_y"), 10, "second_tool"),
        Entry("camera", ("camera_x", "camera_y"), 12, "camera"),
        Entry("print-scale", ("print_scale_x", "print_scale_y"), 20, "print_scale"),
        Entry("proof", ("proof",), 25, "proof"),
        Entry("media-feed", ("media_feed",), 10, "media_feed"),
        Entry("drag-blade", ("drag",), 10, "drag_blade", ("hpgl", "svg")),
    )
}


# Name → module of what the command line solves and no round of the window is made of.
BY_COMMAND_OF = {"joint": "joint", "next": "planning"}


def load(name: str) -> AnyProcedure:
    """The procedure called `name`. Raises InputError for an unknown one."""
    if name not in REGISTRY and name not in BY_COMMAND_OF:
        raise InputError(
            tr(
                "{given} is not known; one of {those_like}",
                given=shown_input(name),
                those_like=those_like(name, (*REGISTRY, *BY_COMMAND_OF)),
            ),
            "procedure",
        )
    module = import_module(f"keen_compass.procedures.{BY_COMMAND_OF.get(name) or REGISTRY[name].module}")
    procedure: AnyProcedure = module.PROCEDURE
    return procedure


def check_understood(name: str, parameters: Parameters | None) -> None:
    """Raise InputError where a procedure of that name, or parameters of a piece of it, are not known."""
    try:
        procedure = load(name)
        if parameters is not None:
            procedure.measurands(procedure.piece(parameters))
    except KeenCompassError:
        raise
    except (TypeError, ValueError, KeyError, AttributeError, OverflowError):
        raise InputError(tr("these are no parameters of such a piece")) from None


def understands(name: str, parameters: Parameters | None) -> str:
    """What is wrong with them, or an empty text."""
    try:
        check_understood(name, parameters)
    except KeenCompassError as error:
        return str(error)
    return ""


def yielding(quantity: str, file_format: str = "gcode") -> list[Entry]:
    """The procedures that calibrate `quantity` on such a machine, the usual one first.

    A drive train only gives starting values, so it comes first for its own check alone.
    """
    if QUANTITIES[quantity].lives is Lives.COMPUTED:
        return [REGISTRY["drive-train"]]
    fit = [e for e in REGISTRY.values() if not e.takes or file_format in e.takes]
    found = [e for e in fit if quantity in e.yields and e.name != "drive-train"]
    if quantity == "z_backlash":  # one run along Z tells both
        found.sort(key=lambda e: e.name != "travel-run")
    return found
