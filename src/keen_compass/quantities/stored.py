"""Any number that a machine keeps: a resolution in its controller's form, or a plain amount in a unit."""

from __future__ import annotations

from dataclasses import dataclass

from keen_compass.errors import InputError, shown_input
from keen_compass.language import marked, tr
from keen_compass.quantities.bodies import JsonMapping, JsonObject
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.quantities.resolution import ResolutionForm, Stored, StoredResolution

LARGEST = 1e9
WHOLE = ("mm/min", "times", "%")  # units whose numbers have no decimals
# Unit → how much of the catalogue's own unit (mm, mm/min) one of it is.
SIZE: dict[str, float] = {
    "mm": 1.0,
    "in": MM_PER_INCH,
    "mm/min": 1.0,
    "in/min": MM_PER_INCH,
    "mm/m": 1.0,
    "thou/ft": 1 / 12,  # 0.0254 mm over 0.3048 m
    "times": 1.0,
    "%": 1.0,
    "percent": 1.0,
}
PERCENT = marked("percent")
_IN_INCHES = {"mm": "in", "mm/min": "in/min", "mm/m": "thou/ft"}


@dataclass(frozen=True, slots=True)
class StoredAmount:
    """A backlash, an offset, a feed; or what was done by hand, counted up. value: in `unit`, a key of `SIZE`."""

    quantity: str
    unit: str
    value: float

    @classmethod
    def of(cls, quantity: str, base: float, unit: str, decimals: int) -> StoredAmount:
        """So much in mm, mm/min or whatever the quantity counts, rounded as it is kept in a unit."""
        return cls(quantity, unit, round(base / SIZE[unit], decimals) + 0.0)

    @property
    def base(self) -> float:
        """The value in mm, mm/min or whatever the quantity counts: what calculations take."""
        return self.value * SIZE[self.unit]

    def renewed(self, given: object, decimals: int | None = None) -> StoredAmount:
        """The same kind with another number, rounded as it is kept."""
        value = _number(given)
        return StoredAmount(self.quantity, self.unit, value if decimals is None else round(value, decimals))

    def to_json(self) -> Stored:
        """As the command line writes it."""
        return self.value

    def to_body(self) -> JsonObject:
        """As the shop file keeps it."""
        return {"quantity": self.quantity, "unit": self.unit, "value": self.value}

    def number(self, decimals: int) -> str:
        """``0.120``, without ``-0``; feeds stay whole."""
        decimals = 0 if self.unit in WHOLE else decimals
        return f"{round(self.value, decimals) + 0.0:.{decimals}f}"

    def text(self, decimals: int) -> str:
        """As it is in the controller."""
        return self.number(decimals)

    def name(self, axis: str) -> str:
        """What comes before `number`: ``X backlash, mm``; what was done so many times has no unit."""
        noun = tr(QUANTITIES[self.quantity].family.noun)
        words = f"{axis.upper()} {noun}" if axis else noun.capitalize()
        return words if self.unit == "times" else f"{words}, {tr(self.unit)}"


StoredValue = StoredResolution | StoredAmount


def unit_kept(quantity: str, controller_units: str, by_hand: str = "mm") -> str:
    """The unit of an amount where it is kept: a controller that counts in inches keeps all its lengths and feeds so.

    controller_units, by_hand: mm or in; the second of what is set by hand and is in no controller.
    """
    q = QUANTITIES[quantity]
    if {Lives.NUMBER: controller_units, Lives.BY_HAND: by_hand}.get(q.lives) == "in":
        return _IN_INCHES.get(q.unit, q.unit)
    return q.unit


def nothing_stored(quantity: str, controller_units: str = "mm") -> StoredAmount | None:
    """What holds where nothing was ever entered: no compensation, no offset. A resolution has no such number."""
    q = QUANTITIES[quantity]
    if q.lives in (Lives.RESOLUTION, Lives.COMPUTED):
        return None
    return StoredAmount(quantity, unit_kept(quantity, controller_units), 0.0)


def stored_from_input(quantity: str, form: ResolutionForm, given: object, controller_units: str = "mm") -> StoredValue:
    """From JSON. Raises InputError."""
    if QUANTITIES[quantity].lives is Lives.RESOLUTION:
        return StoredResolution.from_input(form, given)
    return StoredAmount(quantity, unit_kept(quantity, controller_units), _number(given))


def stored_from_body(body: JsonMapping) -> StoredValue:
    """Inverse of `to_body`."""
    if "form" in body:
        return StoredResolution.from_body(body)
    return StoredAmount(body["quantity"], body["unit"], body["value"])


def same_size(a: StoredValue, b: StoredValue) -> float:
    """Ratio b/a of two resolutions' travel; 1 for amounts, where a ratio says nothing."""
    if isinstance(a, StoredResolution) and isinstance(b, StoredResolution):
        return b.motion_factor / a.motion_factor
    return 1.0


def _number(given: object) -> float:
    if isinstance(given, bool) or not isinstance(given, (int, float)):
        raise InputError(tr("expected a number, got {given}", given=shown_input(given)))
    if not abs(given) < LARGEST:  # before it is turned: a whole number may be larger than any float
        raise InputError(tr("is too large, or no number"))
    return float(given)
