"""A machine as the shop knows it: its profile. Immutable; a change is a new profile appended."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from functools import cache
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.fitted import Fitting, Stock, Tool, subject_of
from keen_compass.machines.limits import (
    BED,
    COUNTS,
    COUNTS_STEPS,
    FILES,
    HEADS,
    LIMITS,
    OFFSET_FORMS,
    ONE_OF,
    SETTING_OF,
    THICKNESS,
    TOLERANCE,
    WIDEST_TOOL,
    check_setting_line,
    check_within,
)
from keen_compass.machines.places import Place, Spot
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import HEADS_BESIDE, Lives, Outfit
from keen_compass.quantities.geometry import Box
from keen_compass.quantities.kinds import MachineKind
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.standpoint import Standpoint
from keen_compass.quantities.stored import StoredAmount, StoredValue, nothing_stored, unit_kept
from keen_compass.quantities.subjects import Subject

if TYPE_CHECKING:
    from keen_compass.machines.dialect import Dialect
else:
    Dialect = Any  # loaded where a machine has one: the first screen needs none


@dataclass(frozen=True, slots=True)
class Machine:
    """One machine's profile.

    bed: (along X, along Y) in mm; for a roll-fed machine one of them is the length of roll it may feed.
    units: how its lengths are shown, one of `UNITS`.
    file: what it takes, a key of `FILES`; empty for what its kind takes. SVG is for plotters only: what cuts
        through needs a path in passes, which a drawing doesn't give.
    units_per_mm: of its HP-GL.
    due_days: after so long without a check a value is *re-check*.
    retired: kept with its logbook, but no longer in the rail.
    tolerances: quantity → mm, for scales over `reference_length`.
    setting_keys, setting_line: how the controller's lines look, ``{key}`` and ``{value}`` filled in.
    takes_effect: what must happen before a new number counts.
    z_travel: mm that Z moves; 0 where there is no Z to calibrate.
    gantry: mm between the two drives of its gantry; 0 where it has one. gantry_along: the axis along which it runs.
    head: how its head is held, a key of `HEADS`; empty where not stated.
    step_limit: steps per second that its controller can put out; 0 where unknown.
    acceleration: of its axes, mm/s².
    controller_units: mm or in, of every length and feed that the controller keeps.
    flipped: quantities whose sign the controller counts the other way.
    decimals, decimals_of: that it keeps, of everything and of what differs.
    process: how it cuts, in the words of its chart (``45 A, 1.1 mm nozzle``); of thermal machines, as are
        pierce_height, cut_height (mm over the stock), pierce_delay (s), power (%) and focus (mm, where its controller
        has the lens) of a laser.
    gives_room: who moves the tool off the line by half the cut: our files, or the controller with its own kerf, for
        which the files run on the line. kerf_form: in which width that controller keeps it, one of `KERF_FORMS`.
    heads: what the head carries beside its tool, of `HEADS_BESIDE`; offset_form: how their offsets are kept, one of
        `OFFSET_FORMS`. print_form: how its scale over a print is kept, of `OF_PRINTS`.
    settings_file: that its program reads: what is written there is in the controller; empty where there is none.
    spots: quantity → the place of its number in a text, where it is under no name.
    port: path of its cable's port; dialect: how it is spoken to there. None: nobody said, or it has no cable.
    wear: in what the use of its consumables is counted, one of `COUNTS`; empty for what is usual.
    tools: that it uses. stock: what lies on it now. mounted: uid of the tool that is in it now. fittings: what else is
        fitted to it, loaded or printed with at times; fitted: of each kind, the uid of the one that is now.
    scatter: (s, dof) by which equal pieces differ here, from its logbook; None until there is one.
    """

    uid: str
    name: str
    kind: MachineKind
    bed: tuple[float, float]
    standpoint: Standpoint = field(default_factory=Standpoint)
    units: str = "mm"
    form: ResolutionForm = ResolutionForm.STEPS_PER_MM
    decimals: int = 3
    tolerances: Mapping[str, float] = field(default_factory=dict)
    reference_length: float = 1000.0
    setting_keys: Mapping[str, str] = field(default_factory=dict)
    setting_line: str = "{key} = {value}"
    takes_effect: str = ""
    tools: tuple[Tool, ...] = ()
    stock: Stock | None = None
    mounted: str = ""
    feed: float = 2400.0
    plunge_feed: float = 600.0
    spindle_rpm: int = 18000
    depth_per_pass: float = 3.0
    scatter: tuple[float, float] | None = None
    file: str = ""
    units_per_mm: float = 40.0
    due_days: int = 183
    retired: bool = False
    z_travel: float = 0.0
    gantry: float = 0.0
    gantry_along: str = "y"
    head: str = ""
    step_limit: float = 0.0
    acceleration: float = 400.0
    flipped: tuple[str, ...] = ()
    controller_units: str = "mm"
    decimals_of: Mapping[str, int] = field(default_factory=dict)
    process: str = ""
    pierce_height: float = 3.8
    cut_height: float = 1.5
    pierce_delay: float = 0.5
    power: float = 80.0
    focus: float = 0.0
    gives_room: str = "file"
    kerf_form: str = "full"
    wear: str = ""
    settings_file: str = ""
    spots: Mapping[str, Spot] = field(default_factory=dict)
    heads: tuple[str, ...] = ()
    offset_form: str = OFFSET_FORMS[0]
    print_form: ResolutionForm = ResolutionForm.PERCENT_100
    port: str = ""
    dialect: Dialect | None = None
    fittings: tuple[Fitting, ...] = ()
    fitted: Mapping[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        kept: object = self.dialect
        if isinstance(kept, Mapping):  # as the shop file has it
            from keen_compass.machines.dialect import Dialect

            object.__setattr__(self, "dialect", Dialect.from_json(kept))
        if not self.name.strip():
            raise InputError(tr("give the machine a name"), "name")
        if self.file not in ("", self.kind.file) and (self.file not in FILES or not self.kind.plots):
            raise InputError(
                tr("a {said} takes {files} here", said=self.kind.said, files=FILES[self.kind.file]), "file"
            )
        for name, allowed in ONE_OF.items():
            if getattr(self, name) not in allowed:
                raise InputError(tr("choose one of {allowed}", allowed=", ".join(allowed)), name)
        if self.wear not in ("", *COUNTS):
            raise InputError(tr("choose one of {counts}", counts=", ".join(COUNTS)), "wear")
        if unknown_heads := set(self.heads) - set(HEADS_BESIDE):
            raise InputError(
                tr(
                    "{min!r} is not one of {heads_beside}", min=min(unknown_heads), heads_beside=", ".join(HEADS_BESIDE)
                ),
                "heads",
            )
        if self.gantry_along not in ("x", "y"):
            raise InputError(tr("choose x or y"), "gantry_along")
        if self.head not in ("", *HEADS):
            raise InputError(tr("choose one of {heads}", heads=", ".join(HEADS)), "head")
        if unknown := self.spots.keys() - QUANTITIES.keys():
            raise InputError(tr("{min!r} is nothing that is calibrated", min=min(unknown)), "spots")
        for quantity, decimals in self.decimals_of.items():
            if quantity not in QUANTITIES:
                raise InputError(tr("{quantity!r} is nothing that is calibrated", quantity=quantity), "decimals_of")
            check_within(decimals, *LIMITS["decimals"], f"decimals_of.{quantity}")
        if min(self.bed) <= 0:
            raise InputError(tr("the bed must be larger than 0 both ways"), "bed")
        for size in self.bed:
            check_within(size, *BED, "bed")
        for name, limits in LIMITS.items():
            check_within(getattr(self, name), *limits, name)
        for quantity, T in self.tolerances.items():
            if quantity not in QUANTITIES:
                raise InputError(tr("{quantity!r} is nothing that is calibrated", quantity=quantity), "tolerances")
            check_within(T, *TOLERANCE, f"tolerances.{quantity}")
        for tool in self.tools:
            check_within(tool.diameter, 0, WIDEST_TOOL, "tools")
        if stock := self.stock:
            check_within(stock.thickness, *THICKNESS, "stock.thickness")
            for size in (stock.width, stock.height):
                check_within(size, *BED, "stock")
            for at in (stock.x, stock.y):
                check_within(at, -BED[1], BED[1], "stock")
        if self.scatter is not None:
            check_within(self.scatter[0], 0, 1000, "scatter")
            check_within(self.scatter[1], 0.5, 1e9, "scatter")
        check_setting_line(self.setting_line)

    @property
    def tool(self) -> Tool | None:
        """The tool that is in it; the first where not stated."""
        return next((t for t in self.tools if t.uid == self.mounted), self.tools[0] if self.tools else None)

    @property
    def subject(self) -> Subject:
        """What is mounted, as far as values belong to it."""
        return subject_of(self.tool, self.stock, self.process, self.fitted)

    def fitting(self, kind: str) -> Fitting | None:
        """What of a kind is fitted now."""
        return next((f for f in self.fittings if f.kind == kind and f.uid == self.fitted.get(kind)), None)

    @property
    def file_format(self) -> str:
        """gcode, hpgl or svg."""
        return self.file or self.kind.file

    @property
    def quantities(self) -> tuple[str, ...]:
        """What can be calibrated on it, in the order of dependence."""
        trails = any(tool.trails for tool in self.tools)
        table, steps = self.file_format == "gcode", self.form in COUNTS_STEPS
        return _quantities(Outfit(self.kind, table, steps, self.z_travel > 0, self.heads, trails))

    @property
    def media(self) -> Box:
        """Where the tool may mark, on the bed: of a table all of it, of a plotter what of its roll lies there; mm."""
        bed = Box(0.0, 0.0, *self.bed)
        if self.file_format == "gcode" or self.stock is None:
            return bed
        return self.sheet

    @property
    def sheet(self) -> Box:
        """Where the loaded stock lies within the bed, mm; nothing where none is loaded."""
        s = self.stock
        return Box(s.x, s.y, s.width, s.height).within(Box(0.0, 0.0, *self.bed)) if s else Box(0.0, 0.0, 0.0, 0.0)

    @property
    def loaded(self) -> tuple[float, float]:
        """(along X, along Y) that the tool can reach now, mm: the bed, or what is loaded of a roll."""
        return self.media.width, self.media.height

    @property
    def long_axis(self) -> str:
        """The axis along which the loaded stock (else the bed) is longer: the feed of a roll."""
        x, y = (self.stock.width, self.stock.height) if self.stock else self.bed
        return "x" if x >= y else "y"

    def tolerance(self, quantity: str) -> float:
        """T in mm (scales: over the reference length)."""
        return self.tolerances.get(quantity, QUANTITIES[quantity].default_tolerance)

    def in_controller(self, quantity: str) -> bool:
        """Whether its controller keeps a number; else our files carry it, or nothing but the machine itself."""
        by_file = ("hole_bias",) if self.gives_room == "controller" else ("hole_bias", "kerf")
        return QUANTITIES[quantity].in_controller and quantity not in by_file

    def kerf_width(self, stored: StoredAmount) -> float:
        """The full width that a kept kerf means, mm."""
        return stored.base * (2.0 if self.kerf_form_kept == "half" else 1.0)

    @property
    def kerf_form_kept(self) -> str:
        """In which width the kerf is kept where it is kept: our files know the full one."""
        return self.kerf_form if self.in_controller("kerf") else "full"

    @property
    def shown_in(self) -> str:
        """``mm`` or ``in``: the unit of all that is shown of it, and of what is set by hand."""
        return self.controller_units if self.units == "mm" else "in"

    def unit_of(self, quantity: str) -> str:
        """``mm`` or ``in``: an answer about it is in the unit of its number; where that has none, as all is shown."""
        return self.controller_units if QUANTITIES[quantity].lives is Lives.NUMBER else self.shown_in

    @property
    def wear_counted(self) -> str:
        """In what use is counted: a torch wears by piercing, a lens by light, a cutter by its way."""
        usual = "minutes" if self.kind is MachineKind.LASER else "pierces" if self.kind.thermal else "metres"
        return self.wear or usual

    def place(self, quantity: str) -> Place:
        """Where and how it keeps a number."""
        return Place(
            quantity,
            self.setting_keys.get(quantity, quantity.upper()),
            self._form_of(quantity),
            unit_kept(quantity, self.controller_units, self.shown_in),
            self.decimals_of.get(quantity, self.decimals),
            quantity in self.flipped,
            _in_files(quantity) and not self.in_controller(quantity),
            quantity == "kerf" and self.kerf_form_kept == "half",
        )

    def _form_of(self, quantity: str) -> ResolutionForm | None:
        if not _resolves(quantity):
            return None
        return self.print_form if QUANTITIES[quantity].family.name == "print_scale" else self.form

    def as_delivered(self, quantity: str) -> StoredValue | None:
        """What holds where nothing was ever entered; None for what has no such number."""
        if quantity in QUANTITIES and QUANTITIES[quantity].family.name == "print_scale":
            return StoredResolution.untouched(self.print_form)
        return nothing_stored(quantity)

    def file_of(self, quantity: str) -> str:
        """The file in which its number can be changed; empty where it is entered at the controller."""
        if not self.in_controller(quantity):
            return ""
        spot = self.spots.get(quantity)
        return spot.file if spot else self.settings_file

    @property
    def files(self) -> tuple[str, ...]:
        """All of these, its program's own first."""
        found = dict.fromkeys([self.settings_file, *(spot.file for spot in self.spots.values())])
        return tuple(file for file in found if file)

    def setting_held(self, quantity: str) -> StoredAmount:
        """What the profile keeps of how it cuts."""
        return StoredAmount(quantity, QUANTITIES[quantity].unit, getattr(self, SETTING_OF[quantity]))

    @property
    def moves_lens(self) -> bool:
        """Whether its files say how high the lens stands."""
        return self.kind is MachineKind.LASER and self.z_travel > 0

    def setting(self, quantity: str, value: str) -> str:
        """One line as the controller takes it."""
        return self.setting_line.format(key=self.place(quantity).key, value=value)

    def describe(self) -> str:
        """``router 1300 × 900``."""
        return f"{self.kind.said} {self.bed[0]:g} × {self.bed[1]:g}"

    def to_json(self) -> JsonObject:
        """As the shop file keeps it."""
        return asdict(self)

    @classmethod
    def from_json(cls, body: JsonMapping) -> Machine:
        """Inverse of `to_json`. What an older program let through beyond the limits is brought within them."""
        fields = {
            **body,
            "kind": MachineKind(body["kind"]),
            "bed": tuple(body["bed"]),
            "standpoint": Standpoint(**body["standpoint"]),
            "form": ResolutionForm(body["form"]),
            "print_form": ResolutionForm(body.get("print_form", ResolutionForm.PERCENT_100)),
            "tools": tuple(Tool(**t) for t in body["tools"]),
            "stock": Stock(**body["stock"]) if body["stock"] else None,
            "scatter": tuple(body["scatter"]) if body["scatter"] else None,
            "flipped": tuple(body.get("flipped", ())),
            "heads": tuple(body.get("heads", ())),
            "fittings": tuple(map(_fitting, body.get("fittings", ()))),
            "spots": {q: Spot(**spot) for q, spot in body.get("spots", {}).items()},
        }
        try:
            return cls(**fields)
        except InputError:
            return cls(**fields | _within_limits(body))


def _fitting(body: JsonMapping) -> Fitting:
    offset = body.get("offset")
    return Fitting(body["kind"], body["name"], body["uid"], (float(offset[0]), float(offset[1])) if offset else None)


def _within_limits(body: JsonMapping) -> JsonObject:
    """The fields of a kept profile that have limits, within them."""

    def clamped(value: float, low: float, high: float) -> float:
        return min(max(value, low), high) if math.isfinite(value) else low

    stock = body["stock"]
    if stock:
        stock = Stock(**stock | {"thickness": clamped(stock["thickness"], *THICKNESS)})
    try:
        check_setting_line(body["setting_line"])
        line = body["setting_line"]
    except InputError:
        line = "{key} = {value}"
    known = {q: T for q, T in body["tolerances"].items() if q in QUANTITIES}
    return {
        **{name: clamped(body[name], *limits) for name, limits in LIMITS.items() if name in body},
        "stock": stock,
        "setting_line": line,
        "bed": tuple(clamped(size, *BED) for size in body["bed"]),
        "tolerances": {q: clamped(T, *TOLERANCE) for q, T in known.items()},
        "tools": tuple(Tool(**t | {"diameter": clamped(t["diameter"], 0, WIDEST_TOOL)}) for t in body["tools"]),
    }


def _in_files(quantity: str) -> bool:
    return QUANTITIES[quantity].lives in (Lives.NUMBER, Lives.SETTING)


def _resolves(quantity: str) -> bool:
    return quantity in QUANTITIES and QUANTITIES[quantity].lives is Lives.RESOLUTION


@cache
def _quantities(outfit: Outfit) -> tuple[str, ...]:
    return tuple(name for name, q in QUANTITIES.items() if q.on(outfit))
