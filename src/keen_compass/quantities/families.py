"""What the quantities of one family have in common, whichever axis they are of: one record each.

What its error means for parts is in words (`words.consequences`), what a simulated machine hides of it with the
stand-ins (`standin.truth`), both by the family's name. Light enough for the first screen.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import NamedTuple

from keen_compass.language import marked
from keen_compass.quantities.kinds import MachineKind


class Lives(StrEnum):
    """Where a value lives, and so how it is corrected."""

    RESOLUTION = "resolution"  # in the controller, in the form that the machine's profile names
    NUMBER = "number"  # in the controller, as a plain number in `unit`
    BY_HAND = "by_hand"  # on the machine itself: shimmed, skimmed, turned; the value counts what was done
    SETTING = "setting"  # of how it cuts, which our files carry and the machine's profile keeps
    READ = "read"  # nowhere: a piece shows it, and a number that is kept rests on it
    COMPUTED = "computed"  # nowhere: what the parts of the machine say about a number that is kept elsewhere


class Outfit(NamedTuple):
    """What of a machine decides what can be calibrated on it.

    table: something is cut on it, or drawn, and G-code says how; else it is a plotter. heads: what its head carries
    beside the tool. trails: whether any of its blades does. steps: whether its controller counts them.
    """

    kind: MachineKind
    table: bool
    steps: bool
    z: bool
    heads: tuple[str, ...]
    trails: bool

    @property
    def aims(self) -> bool:
        """Whether something beside its tool finds marks."""
        return any(h in AIMED_WITH for h in self.heads)


Has = Callable[[Outfit], bool]


class Family(NamedTuple):
    """What is calibrated alike along any axis.

    error_unit: in which its error is shown; scales and angles in mm per m, piece errors in mm.
    unit: of the value itself, where it isn't a resolution. noun: what that value is.
    has: which machines have it. keys: words of the trade by which controllers name it.
    tolerance: usual; in mm; for scales and angles over 1000 mm; for feeds in mm/min.
    spread: standard deviation of its error where nothing is known, in its error unit; None of what has no mm.
    one_sided: an error below zero does no harm. positive: there is none below zero. local: it differs from place to
    place. signed: controllers count it either way.
    depends: on which dimensions of what is mounted it depends (`subjects.DIMENSIONS`); none for the machine alone.
    """

    name: str
    group: str
    error_unit: str
    tolerance: float
    lives: Lives
    unit: str = ""
    noun: str = ""
    has: Has = lambda _: True
    keys: tuple[str, ...] = ()
    spread: float | None = None
    one_sided: bool = False
    positive: bool = False
    local: bool = False
    signed: bool = False
    depends: tuple[str, ...] = ()


_OFFSETS = {
    "pointer": marked("pointer offset"),
    "sensor": marked("sensor offset"),
    "camera": marked("camera offset"),
    "second_tool": marked("second tool’s offset"),
}
HEADS_BESIDE = tuple(_OFFSETS)  # what a head may carry beside its tool
AIMED_WITH = ("pointer", "sensor")  # of these, what marks are aimed at with
_CUT = ("tool", "material", "thickness", "process")  # whose kerf it is
_HEAD = ("accessory",)  # what is held beside the tool
_PRINT = ("printer", "carrier")


def _on_table(outfit: Outfit) -> bool:
    return outfit.table


def _cuts(outfit: Outfit) -> bool:
    return not outfit.kind.plots


def _melts(outfit: Outfit) -> bool:
    return outfit.kind.thermal


def _beams(outfit: Outfit) -> bool:
    return outfit.kind is MachineKind.LASER


def _prints(outfit: Outfit) -> bool:
    return outfit.kind is MachineKind.PRINT_AND_CUT


def _carries(head: str) -> Has:
    return lambda outfit: head in outfit.heads


FAMILIES: dict[str, Family] = {
    f.name: f
    for f in (
        # 20 mm over 1000: closer than that, no switch, gear or tooth is wrong.
        Family("drive", "motion", "mm/m", 20.0, Lives.COMPUTED, has=lambda outfit: outfit.steps),
        Family(
            "steps",
            "motion",
            "mm/m",
            0.4,
            Lives.RESOLUTION,
            spread=2.0,
            keys=("step", "pulse", "resolution", "scale", "calib"),
        ),
        Family(
            "backlash",
            "motion",
            "mm",
            0.05,
            Lives.NUMBER,
            "mm",
            marked("backlash"),
            keys=("backlash", "lash", "play"),
            spread=0.15,
            positive=True,
        ),
        Family("squareness", "motion", "mm/m", 0.5, Lives.BY_HAND, "mm", marked("gantry end moved"), spread=2.0),
        Family(
            "home",
            "motion",
            "mm",
            0.2,
            Lives.NUMBER,
            "mm",
            marked("home offset"),
            _on_table,
            ("home", "homing"),
            1.0,
            signed=True,
        ),
        Family(
            "tracking",
            "motion",
            "mm",
            0.2,
            Lives.BY_HAND,
            "times",
            marked("feed tracking"),
            lambda outfit: not outfit.table,
            spread=0.3,
            depends=("material",),
        ),
        Family(
            "tram",
            "motion",
            "mm/m",
            0.3,
            Lives.BY_HAND,
            "mm/m",
            marked("tram set"),
            lambda outfit: outfit.kind is MachineKind.ROUTER,
            spread=1.0,
        ),
        Family(
            "bed", "motion", "mm", 0.3, Lives.BY_HAND, "mm", marked("bed skimmed"), _on_table, spread=0.3, local=True
        ),
        Family(
            "speed",
            "motion",
            "mm/min",
            500.0,
            Lives.NUMBER,
            "mm/min",
            marked("fastest feed"),
            _on_table,
            ("feed", "speed", "rapid", "velocity", "rate"),
            one_sided=True,
        ),
        Family(
            "focus",
            "cut",
            "mm",
            1.0,
            Lives.SETTING,
            "mm",
            marked("focus height"),
            lambda outfit: _beams(outfit) and outfit.z,
            depends=_CUT,
        ),
        Family("power", "cut", "%", 10.0, Lives.SETTING, "%", marked("power"), _beams, depends=_CUT),
        Family(
            "cut_feed", "cut", "mm/min", 300.0, Lives.SETTING, "mm/min", marked("cutting feed"), _beams, depends=_CUT
        ),
        Family("kerf", "cut", "mm", 0.1, Lives.NUMBER, "mm", marked("kerf"), _cuts, ("kerf",), 0.3, depends=_CUT),
        Family("slot", "cut", "mm", 0.1, Lives.READ, "mm", has=lambda _: False, depends=_CUT),
        Family(
            "bevel",
            "cut",
            "mm",
            0.5,
            Lives.BY_HAND,
            "mm",
            marked("bevel"),
            _melts,
            spread=0.5,
            one_sided=True,
            depends=_CUT,
        ),
        Family(
            "hole_bias", "cut", "mm", 0.1, Lives.NUMBER, "mm", marked("hole bias"), _cuts, spread=0.05, depends=_CUT
        ),
        *(
            Family(
                head,
                "heads",
                "mm",
                0.2,
                Lives.NUMBER,
                "mm",
                noun,
                _carries(head),
                spread=1.0,
                signed=True,
                depends=_HEAD,
            )
            for head, noun in _OFFSETS.items()
        ),
        Family(
            "drag",
            "heads",
            "mm",
            0.05,
            Lives.NUMBER,
            "mm",
            marked("drag blade"),
            lambda outfit: outfit.trails and outfit.kind.plots,
            spread=0.1,
            depends=("tool",),
        ),
        Family("print_scale", "print", "mm/m", 1.0, Lives.RESOLUTION, has=_prints, spread=5.0, depends=_PRINT),
        Family(
            "media_feed",
            "print",
            "%",
            0.1,
            Lives.NUMBER,
            "percent",
            marked("media feed"),
            _prints,
            depends=("printer", "material"),
        ),
        Family(
            "registration",
            "print",
            "mm",
            0.3,
            Lives.BY_HAND,
            "mm",
            marked("registration"),
            lambda outfit: _prints(outfit) or (outfit.kind.plots and outfit.aims),
            spread=0.3,
            local=True,
        ),
        Family("proof", "print", "mm", 0.3, Lives.BY_HAND, "mm", marked("proof"), _prints, depends=_PRINT),
    )
}
