"""The structures of an input of `solve`, as the command line’s contract has them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

from msgspec import UNSET, Meta, Struct, UnsetType, field

from keen_compass.quantities.assumed import AIMED, FEW
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm

if TYPE_CHECKING:
    pass

DECIMALS = 3  # that a controller keeps unless someone says otherwise
BED = (1200.0, 800.0)  # mm, of a machine whose size isn't stated
MOST_VALUES = 500  # of one length: no hand reads more
MOST_PARTS = 100
Given = float | str  # a length: a number, or text with its unit
Unit = Literal["mm", "in", "inch"]
Positive = Annotated[float, Meta(gt=0, le=1e12)]
Freedom = Annotated[float, Meta(ge=1, le=1e9)]  # what is known from two readings has one


class KnownIn(Struct, forbid_unknown_fields=True):
    """A number with what it is known to."""

    value: Any
    expanded_uncertainty: Annotated[float, Meta(le=1e6)] | None = None


class MachineIn(Struct, forbid_unknown_fields=True):
    """The machine as far as an input says how it is."""

    kind: MachineKind | None = None
    units: Unit = "mm"
    controller_units: Unit | None = None
    resolution_form: ResolutionForm = ResolutionForm.STEPS_PER_MM
    print_scale_form: ResolutionForm = ResolutionForm.PERCENT_100
    decimals: Any = DECIMALS
    values: JsonObject = field(default_factory=dict)
    flipped: list[str] = field(default_factory=list)
    proven: list[str] = field(default_factory=list)
    computed: dict[str, Positive] = field(default_factory=dict)
    teeth: dict[str, Positive] = field(default_factory=dict)
    step_limit: Annotated[float, Meta(ge=0, le=1e8)] = 0.0
    gantry: Given = 0.0
    gantry_along: Literal["x", "y"] = "y"
    head: str = ""
    reference_length: Given = 1000.0
    kerf_form: Literal["full", "half"] = "full"
    offset_form: Literal["secondary_minus_tool", "tool_minus_secondary"] = "secondary_minus_tool"

    @property
    def kept_in(self) -> str:
        """mm or in, of what its controller keeps."""
        return "mm" if (self.controller_units or self.units) == "mm" else "in"

    @property
    def widths(self) -> float:
        """Of a kerf, for one of the controller's number."""
        return 2.0 if self.kerf_form == "half" else 1.0


class RecordIn(Struct, forbid_unknown_fields=True):
    """A standard deviation and how well it is known."""

    s: Annotated[float, Meta(ge=0, le=1e6)]
    dof: Freedom = FEW


class RepeatsIn(Struct, forbid_unknown_fields=True):
    """The same of an instrument, whose degrees of freedom must be said."""

    s: Annotated[float, Meta(ge=0, le=1e6)]
    dof: Freedom


class InstrumentIn(Struct, forbid_unknown_fields=True):
    """What was measured with."""

    name: str = "instrument"
    kind: str | None = None
    resolution: Given | None = None
    permissible_error: tuple[Given, Annotated[float, Meta(ge=0, le=1)]] = (0.0, 0.0)
    both_ends: bool | None = None
    unit: str | None = None
    reach: Given = 0.0
    zero: Given = 0.0
    parallel_within_deg: Annotated[float, Meta(ge=0, le=17)] = 0.0
    repeats: RepeatsIn | None = None


class ReadingIn(Struct, forbid_unknown_fields=True):
    """All that was read of one measurand; uncertainty: its mean's (95 %), in place of what the instrument is worth."""

    measurand: str
    values: Annotated[list[Any], Meta(min_length=1, max_length=MOST_VALUES)]
    uncertainty: Given | None = None


class PreviousIn(Struct, forbid_unknown_fields=True):
    """What the round before found."""

    error: float
    expanded_uncertainty: Annotated[float, Meta(ge=0)] | None = None


class TemperatureIn(Struct, forbid_unknown_fields=True):
    """How warm it was, °C."""

    material: str
    part: Annotated[float, Meta(ge=-100, le=500)]
    instrument: Annotated[float, Meta(ge=-100, le=500)] | None = None
    u: Annotated[float, Meta(ge=0, le=100)] = 1.0


class AimIn(Struct, forbid_unknown_fields=True):
    """How well one aims."""

    value: Given
    degrees_of_freedom: Freedom = AIMED.dof


class PartIn(Struct, forbid_unknown_fields=True):
    """What one of several pieces may say itself."""

    procedure: str
    piece: JsonObject = field(default_factory=dict)
    instrument: JsonObject = field(default_factory=dict)
    readings: list[Any] = field(default_factory=list)
    subject: JsonObject = field(default_factory=dict)
    pieces: int = 1
    confirmed: bool = False


class CaseIn(Struct, forbid_unknown_fields=True):
    """An input. unit: what bare numbers of piece, readings, instrument and tolerance mean."""

    procedure: str
    unit: Unit | UnsetType = UNSET
    machine: MachineIn = field(default_factory=MachineIn)
    piece: JsonObject = field(default_factory=dict)
    instrument: InstrumentIn = field(default_factory=InstrumentIn)
    tolerance: Any = None
    confirmed: bool = False
    readings: list[ReadingIn] | UnsetType = UNSET
    pieces: Annotated[int, Meta(ge=1, le=1000)] = 1
    piece_scatter: float | RecordIn | None = None
    previous_errors: JsonObject = field(default_factory=dict)
    temperature: TemperatureIn | None = None
    instruments_at_hand: list[InstrumentIn] = field(default_factory=list)
    largest_size: Given = 0.0
    subject: Any = field(default_factory=dict)
    aim: AimIn | None = None
    parts: Annotated[list[Any], Meta(min_length=1, max_length=MOST_PARTS)] | UnsetType = UNSET
    open: list[str] | UnsetType = UNSET
