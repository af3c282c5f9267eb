"""What is really so about a simulated machine: hidden from the solver, shown only beside what was found."""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import NamedTuple

from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES, Quantity
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.resolution import StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue

LOOKED_AFTER = 0.2  # of a feed's drift is left when rollers and tension were seen to
SKIMMED_WAVE = 0.02  # mm, what a cutter leaves on a bed that it skimmed


@dataclass(frozen=True, slots=True)
class Truth:
    """Lengths in mm unless said otherwise; axis letters are the controller's.

    motion: axis → the stored number's motion factor at which the axis would move exactly.
    lost_motion: axis → B of the mechanics, before any compensation.
    scatter: s of equal pieces, per dimension.
    instrument_error: share of (a, b) of an instrument's permissible error that it really has, −1 … 1.
    repeat: s of single readings, in divisions of the instrument.
    settle: s with which an axis comes to rest.
    skew: tan γ with the gantry as it stood when nothing was moved yet; gantry: between its two drives.
    home: axis → the home offset that would be right; home_sign: −1 where the controller counts it the other way.
    lead: axis → (amplitude, period) of a cyclic error.
    limits: axis → feed above which steps are lost, mm/min. acceleration in mm/s².
    feed_axis: the axis of a roll that slips on its way back; drift in mm per m, slip its s in mm per √m.
    bed: tilt along X and Y (mm/mm), hollow in the middle, over bed_size; bed_since: what had been skimmed off it when
        it came to lie like that.
    tram: axis → tilt of the head, mm per m.
    hole_bias: by how much round holes come out larger (they mostly run small), mm. bevel: angle of cut edges, rad,
        positive where parts are larger below.
    kerf_per_mm: by how much wider it cuts for each mm of stock beyond `thickness`.
    wear: by how much wider it cuts after each use of what cuts. worn: uses so far. changes: how often it was changed.
    bad_side: rad more, on the side to the left of the torch's way. leans_on_arcs: mm; an edge of radius r leans
        (1 + that/r) times as much. heat: mm/mm by which the sheet has grown when the last contour is cut. bow: mm by
        which a part's middle is pushed aside. deflection: mm by which a cutter is pushed to the left of its way.
    focus: height of a beam's lens at which its cut is narrowest, mm; depth_of_focus out of it, it is 1.4 times as wide.
    clean: heat (% of power for each m/min) from which it goes through, and beyond which it burns the edge; 0, 0: any.
    kerf_form: in which width the controller keeps its kerf. trails: by how much its blade trails behind its axis.
    thermal: plasma or laser, empty for what mills. pierce: s that it needs to get through.
    heads: name → (x, y) by which what sits beside the tool is away from it; ``second_tool uid`` of one accessory.
        aim: s with which a dot is brought over a mark. printer: (along X, along Y, skew) of a print beyond what was
        ordered, mm/mm. lies: (turn in degrees, mm) by which a sheet is loaded askew; laid_turned: degrees
        that it is turned besides, about its middle. buckle: mm by which its middle is
        pushed up the roll. left_handed: seen from above, its X and Y run the other way round than on paper.
        camera: mm of a pixel, its turn in degrees, 1 where it is mirrored. fed: correction in % at which the printer's
        bands just meet. carriers: uid → (along X, along Y) by which a print is moved farther on it than is commanded,
        mm/mm; grip: the same of what carries it now.
    parts: what is stamped on the parts of the drive trains, by axis and name.
    """

    motion: Mapping[str, float]
    lost_motion: Mapping[str, float]
    kerf: float
    scatter: float
    instrument_error: tuple[float, float]
    repeat: float
    thickness: float = 9.0
    settle: float = 0.0
    skew: float = 0.0
    gantry: float = 1000.0
    home: Mapping[str, float] = field(default_factory=dict)
    home_sign: Mapping[str, float] = field(default_factory=dict)
    lead: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    limits: Mapping[str, float] = field(default_factory=dict)
    acceleration: float = 400.0
    feed_axis: str = ""
    drift: float = 0.0
    slip: float = 0.0
    bed: tuple[float, float, float] = (0.0, 0.0, 0.0)
    bed_size: tuple[float, float] = (1300.0, 900.0)
    bed_since: float = 0.0
    tram: Mapping[str, float] = field(default_factory=dict)
    hole_bias: float = 0.0
    bevel: float = 0.0
    kerf_per_mm: float = 0.0
    wear: float = 0.0
    worn: float = 0.0
    changes: int = 0
    bad_side: float = 0.0
    leans_on_arcs: float = 0.0
    heat: float = 0.0
    bow: float = 0.0
    deflection: float = 0.0
    focus: float = 0.0
    depth_of_focus: float = 0.0
    clean: tuple[float, float] = (0.0, 0.0)
    kerf_form: str = "full"
    trails: float = 0.0
    thermal: str = ""
    pierce: float = 0.3
    heads: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    aim: float = 0.03
    printer: tuple[float, float, float] = (0.0, 0.0, 0.0)
    lies: tuple[float, float] = (0.4, 4.0)
    laid_turned: float = 0.0
    buckle: float = 0.0
    left_handed: bool = False
    camera: tuple[float, float, float] = (0.02, 2.5, 0.0)
    fed: float = 0.0
    carriers: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    grip: tuple[float, float] = (0.0, 0.0)
    parts: Mapping[str, Mapping[str, float]] = field(default_factory=dict)

    def to_json(self) -> JsonObject:
        """For a practice machine's record in the shop file."""
        return asdict(self)

    @classmethod
    def from_json(cls, body: JsonMapping) -> Truth:
        """Inverse of `to_json`."""
        lead = {axis: (float(pair[0]), float(pair[1])) for axis, pair in body.get("lead", {}).items()}
        named = ("instrument_error", "bed", "bed_size", "clean", "printer", "lies", "camera", "grip")
        tuples = {k: tuple(body[k]) for k in named if k in body}
        heads = {name: (float(x), float(y)) for name, (x, y) in body.get("heads", {}).items()}
        carriers = {uid: (float(x), float(y)) for uid, (x, y) in body.get("carriers", {}).items()}
        return cls(**{**body, **tuples, "lead": lead, "heads": heads, "carriers": carriers})

    def in_stock(self, thickness: float) -> Truth:
        """The same machine with other stock on it."""
        kerf = self.kerf + self.kerf_per_mm * (thickness - self.thickness)
        return replace(self, thickness=thickness, kerf=kerf)

    def with_accessory(self, uid: str) -> Truth:
        """The same machine with that in its second place."""
        sits = self.heads.get(f"second_tool {uid}")
        return replace(self, heads={**self.heads, "second_tool": sits}) if sits else self

    def with_carrier(self, uid: str) -> Truth:
        """The same machine with prints carried by that."""
        return replace(self, grip=self.carriers.get(uid, self.grip))

    def over_print(self, settings: Mapping[str, StoredValue]) -> Truth:
        """The same machine with a print loaded: then its controller scales what it moves, and the carrier has its own
        grip.
        """
        factor = {a: (1 + g) * _print_scale(settings, a) for a, g in zip("xy", self.grip, strict=True)}
        return replace(self, motion={a: m / factor.get(a, 1.0) for a, m in self.motion.items()})

    def worn_by(self, uses: float) -> Truth:
        """The same machine with what cuts so much used."""
        return replace(self, kerf=self.kerf + self.wear * uses, worn=uses)

    def scale_error(self, axis: str, stored: StoredResolution) -> float:
        """actual/commanded − 1 of an axis with this number in the controller."""
        return stored.motion_factor / self.motion[axis] - 1

    @property
    def widths(self) -> float:
        """Of the kept kerf in the full one."""
        return 2.0 if self.kerf_form == "half" else 1.0

    def kept_kerf(self, settings: Mapping[str, StoredValue]) -> float:
        """The full width that is in the controller."""
        return amount(settings, "kerf") * self.widths

    def width_at(self, height: float) -> float:
        """How wide it cuts with its lens so high, mm."""
        if not self.depth_of_focus:
            return self.kerf
        return self.kerf * math.hypot(1.0, (height - self.focus) / self.depth_of_focus)

    def heat_of(self, power: float, feed: float) -> float:
        """% for each m/min."""
        return power / (feed / 1000) if feed > 0 else math.inf

    def goes_through(self, power: float, feed: float) -> bool:
        """Whether a beam does."""
        return not self.clean[0] or self.heat_of(power, feed) >= self.clean[0]

    def tan_skew(self, settings: Mapping[str, StoredValue]) -> float:
        """tan γ as the gantry stands now."""
        return self.skew + amount(settings, "squareness") / self.gantry

    def home_shift(self, axis: str, settings: Mapping[str, StoredValue]) -> float:
        """By how much everything lies too far along an axis."""
        if axis not in self.home:
            return 0.0
        return self.home_sign.get(axis, 1.0) * (amount(settings, f"{axis}_home") - self.home[axis])

    def beside(self, head: str, settings: Mapping[str, StoredValue]) -> tuple[float, float]:
        """By how much the machine must be sent aside so that what sits beside its tool comes to where that was, mm
        along its own axes: they are neither quite square nor quite true.
        """
        x, y = self.heads.get(head, (math.nan, math.nan))
        steps = {a: stored for a in "xy" if isinstance(stored := settings.get(f"{a}_steps"), StoredResolution)}
        sx, sy = (1 + (self.scale_error(a, steps[a]) if a in steps and a in self.motion else 0.0) for a in "xy")
        return (x - self.tan_skew(settings) * y) / sx, y / sy

    def feed_drift(self, settings: Mapping[str, StoredValue]) -> float:
        """Drift of the feed as it is looked after now, mm per m."""
        return self.drift * math.pow(LOOKED_AFTER, amount(settings, "tracking"))

    def tilt(self, axis: str, settings: Mapping[str, StoredValue]) -> float:
        """Tilt of the head as it stands now, mm per m."""
        return self.tram.get(axis, 0.0) + amount(settings, f"{axis}_tram")

    def bed_height(self, x: float, y: float, settings: Mapping[str, StoredValue]) -> float:
        """Height of the bed as the head sees it."""
        # Skimmed by this very machine, what is left is the cutter's own wave.
        if amount(settings, "bed") > self.bed_since:
            return SKIMMED_WAVE / 2 * math.sin(x / 90) * math.cos(y / 110)
        tilt_x, tilt_y, hollow = self.bed
        u, v = 2 * x / self.bed_size[0] - 1, 2 * y / self.bed_size[1] - 1
        return tilt_x * x + tilt_y * y - hollow * (1 - u * u) * (1 - v * v)

    def play_left(self, axis: str, settings: Mapping[str, StoredValue]) -> float:
        """Lost motion that the controller's own compensation leaves, mm."""
        return self.lost_motion.get(axis, 0.0) - amount(settings, f"{axis}_backlash")

    def right(self, quantity: str, settings: Mapping[str, StoredValue]) -> float:
        """The number that a quantity should have beside the others, where one is right; nan for what has none."""
        hidden = HIDDEN.get(QUANTITIES[quantity].family.name, NOTHING)
        return hidden.right(self, QUANTITIES[quantity], settings)

    def error(
        self,
        quantity: str,
        settings: Mapping[str, StoredValue],
        *,
        share: float = 1.0,
        points: Sequence[tuple[float, float]] = (),
    ) -> float:
        """What is really left, in the quantity's error unit; nan for what nothing is known of.

        share: of the limit, that a feed is to keep to. points: of the bed, where it was read.
        """
        hidden = HIDDEN.get(QUANTITIES[quantity].family.name, NOTHING)
        return hidden.left(self, QUANTITIES[quantity], settings, Looked(share, points))

    def bed_range(self, settings: Mapping[str, StoredValue], points: Sequence[tuple[float, float]] = ()) -> float:
        """Highest minus lowest of the bed; without `points` all over it, away from its edges."""
        w, h = self.bed_size
        everywhere = [(40 + (w - 80) * i / 24, 40 + (h - 80) * j / 24) for i in range(25) for j in range(25)]
        heights = [self.bed_height(x, y, settings) for x, y in points or everywhere]
        return max(heights) - min(heights)

    def read(self, value: float, instrument: Instrument, rng: random.Random, *, signed: bool = False) -> float:
        """What an instrument shows of a true length: its own error, the spread of repeats, its division."""
        a, b = instrument.permissible_error
        offset, slope = self.instrument_error[0] * a, self.instrument_error[1] * b
        shown = value + offset + slope * value + rng.gauss(0, self.repeat * instrument.resolution)
        shown = round(shown / instrument.resolution) * instrument.resolution
        return round(shown if signed else max(shown, instrument.resolution), 6)


class Looked(NamedTuple):
    """How one looks at what is left; see `Truth.error`."""

    share: float = 1.0
    points: Sequence[tuple[float, float]] = ()


Settings = Mapping[str, StoredValue]


class Hidden(NamedTuple):
    """What a machine hides of a family of quantities.

    right: the number that one should have beside the others, nan where none is. left: its error, in its error unit.
    """

    right: Callable[[Truth, Quantity, Settings], float]
    left: Callable[[Truth, Quantity, Settings, Looked], float]


def _none_is(_t: Truth, _q: Quantity, _s: Settings) -> float:
    return math.nan


def _beyond_right(truth: Truth, q: Quantity, settings: Settings, _: Looked) -> float:
    """By how much the number that is kept is too large."""
    return amount(settings, q.name) - truth.right(q.name, settings)


def _left_of_steps(truth: Truth, q: Quantity, settings: Settings, _: Looked) -> float:
    stored = settings.get(f"{q.axis}_steps")
    return 1000 * truth.scale_error(q.axis, stored) if isinstance(stored, StoredResolution) else math.nan


def _right_over_print(truth: Truth, q: Quantity, settings: Settings) -> float:
    stored, off = settings.get(q.name), truth.error(q.name, settings) / 1000
    return stored.corrected(off, 9).value if isinstance(stored, StoredResolution) else math.nan


def _right_kerf(truth: Truth, _: Quantity, settings: Settings) -> float:
    across = sum(truth.play_left(a, settings) for a in "xy") / 2  # of an outside's two sizes
    return (truth.kerf + across) / truth.widths


def _right_beside(truth: Truth, q: Quantity, settings: Settings) -> float:
    return truth.beside(q.family.name, settings)["xy".index(q.axis)]


def _right_aimed(truth: Truth, q: Quantity, settings: Settings) -> float:
    """What aims does so over a print."""
    return _right_beside(truth.over_print(settings), q, settings)


NOTHING = Hidden(_none_is, lambda *_: math.nan)
# Family of quantities → what is hidden of it.
HIDDEN: dict[str, Hidden] = {
    "steps": Hidden(lambda t, q, _: t.motion.get(q.axis, math.nan), _left_of_steps),
    "print_scale": Hidden(_right_over_print, lambda t, q, s, look: _left_of_steps(t.over_print(s), q, s, look)),
    "backlash": Hidden(lambda t, q, _: t.lost_motion.get(q.axis, math.nan), lambda t, q, s, _: t.play_left(q.axis, s)),
    "squareness": Hidden(lambda t, *_: -t.skew * t.gantry, lambda t, _q, s, _: 1000 * t.tan_skew(s)),
    "home": Hidden(lambda t, q, _: t.home.get(q.axis, math.nan), lambda t, q, s, _: t.home_shift(q.axis, s)),
    "tram": Hidden(lambda t, q, _: -t.tram.get(q.axis, 0.0), lambda t, q, s, _: t.tilt(q.axis, s)),
    "speed": Hidden(
        lambda t, q, _: t.limits.get(q.axis, math.nan),
        lambda t, q, s, look: amount(s, q.name) - look.share * t.limits.get(q.axis, math.nan),
    ),
    "bed": Hidden(lambda t, *_: t.bed_range({}), lambda t, _q, s, look: t.bed_range(s, look.points)),
    "kerf": Hidden(_right_kerf, lambda t, q, s, _: t.kept_kerf(s) - _right_kerf(t, q, s) * t.widths),
    "bevel": Hidden(_none_is, lambda t, *_: t.thickness * abs(math.tan(t.bevel))),
    "hole_bias": Hidden(lambda t, *_: t.hole_bias, lambda t, q, s, _: t.hole_bias - amount(s, q.name)),
    "camera": Hidden(_right_beside, _beyond_right),
    "second_tool": Hidden(_right_beside, _beyond_right),
    "pointer": Hidden(_right_aimed, _beyond_right),
    "sensor": Hidden(_right_aimed, _beyond_right),
    "drag": Hidden(lambda t, *_: t.trails or math.nan, lambda t, q, s, _: amount(s, q.name) - t.trails),
    "media_feed": Hidden(lambda t, *_: t.fed, _beyond_right),
    "focus": Hidden(
        lambda t, *_: t.focus if t.depth_of_focus else math.nan, lambda t, q, s, _: amount(s, q.name) - t.focus
    ),
}


def _print_scale(settings: Mapping[str, StoredValue], axis: str) -> float:
    """By which the controller makes everything over a print longer along an axis."""
    stored = settings.get(f"print_scale_{axis}")
    if not isinstance(stored, StoredResolution):
        return 1.0
    return stored.motion_factor / StoredResolution.untouched(stored.form).motion_factor


def amount(settings: Mapping[str, StoredValue], quantity: str) -> float:
    """The number that a machine keeps of something; 0 where nothing was entered."""
    stored = settings.get(quantity)
    return stored.base if isinstance(stored, StoredAmount) else 0.0
