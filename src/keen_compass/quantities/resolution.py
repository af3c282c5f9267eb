"""How controllers count: the forms in which they keep an axis' resolution (arithmetic.md §2).

The core computes one physical number, the ratio actual/commanded = 1 + s. A form turns it into the
number that the controller stores. Steps per unit shrink by the ratio, travel per step grows by it;
pairs and percentages that the controller stores are multiplied by it, never replaced.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from keen_compass.errors import InputError, shown_input
from keen_compass.language import marked, tr
from keen_compass.quantities.bodies import JsonMapping, JsonObject

Stored = float | dict[str, float]


class ResolutionForm(StrEnum):
    """The forms of arithmetic.md §2, as the command line spells them."""

    STEPS_PER_MM = "steps_per_mm"
    STEPS_PER_INCH = "steps_per_inch"
    UM_PER_STEP = "um_per_step"
    MM_PER_STEP = "mm_per_step"
    INCH_PER_STEP = "inch_per_step"
    PAIR = "pair"
    PERCENT_0 = "percent_0"
    PERCENT_100 = "percent_100"
    FACTOR = "factor"

    @property
    def unit(self) -> str:
        """Unit as shown beside the number."""
        return _UNITS[self]

    @property
    def noun(self) -> str:
        """What the number is called after the axis letter: ``steps per mm``; a message."""
        return _NOUNS[self]


_UNITS = {
    ResolutionForm.STEPS_PER_MM: marked("steps/mm"),
    ResolutionForm.STEPS_PER_INCH: marked("steps/in"),
    ResolutionForm.UM_PER_STEP: marked("µm/step"),
    ResolutionForm.MM_PER_STEP: marked("mm/step"),
    ResolutionForm.INCH_PER_STEP: marked("in/step"),
    ResolutionForm.PAIR: marked("mm for mm"),
    ResolutionForm.PERCENT_0: "%",
    ResolutionForm.PERCENT_100: "%",
    ResolutionForm.FACTOR: marked("times"),
}
_NOUNS = {
    ResolutionForm.STEPS_PER_MM: marked("steps per mm"),
    ResolutionForm.STEPS_PER_INCH: marked("steps per inch"),
    ResolutionForm.UM_PER_STEP: marked("µm per step"),
    ResolutionForm.MM_PER_STEP: marked("mm per step"),
    ResolutionForm.INCH_PER_STEP: marked("inch per step"),
    ResolutionForm.PAIR: marked("scale pair"),
    ResolutionForm.PERCENT_0: marked("scale"),
    ResolutionForm.PERCENT_100: marked("scale"),
    ResolutionForm.FACTOR: marked("scale factor"),
}
OF_PRINTS = (ResolutionForm.PERCENT_0, ResolutionForm.PERCENT_100, ResolutionForm.PAIR, ResolutionForm.FACTOR)
OF_AXES = tuple(form for form in ResolutionForm if form is not ResolutionForm.FACTOR)
LARGEST = 1e9
MOST_DECIMALS = 18
SAME = 1e-9  # relative
LOST_AT_MOST = 0.01  # of a number, by rounding; one that would lose more is kept with more decimals
# What a number of that form counts, mm.
_TRAVEL_PER_STEP = {
    ResolutionForm.UM_PER_STEP: 0.001,
    ResolutionForm.MM_PER_STEP: 1.0,
    ResolutionForm.INCH_PER_STEP: 25.4,
}
_STEPS_PER_LENGTH = {ResolutionForm.STEPS_PER_MM: 1.0, ResolutionForm.STEPS_PER_INCH: 25.4}


@dataclass(frozen=True, slots=True)
class StoredResolution:
    """The number (or pair) that a controller keeps for one axis.

    value: for `PAIR` the measured member, in the controller's unit; otherwise the number itself.
    commanded: the other member of a pair, else 0.
    """

    form: ResolutionForm
    value: float
    commanded: float = 0.0

    def __post_init__(self) -> None:
        if max(abs(self.value), abs(self.commanded)) > LARGEST:
            raise InputError(
                tr(
                    "{value:g} can't be a controller's {noun}: it is too large",
                    value=self.value,
                    noun=tr(self.form.noun),
                )
            )
        positive = self.motion_factor > 0 if self.form is not ResolutionForm.PAIR else self.commanded > 0
        if not positive or (self.form is ResolutionForm.PAIR and not self.value > 0):
            raise InputError(
                tr(
                    "{value:g} can't be a controller's {noun}: it must be larger than 0",
                    value=self.value,
                    noun=tr(self.form.noun),
                )
            )

    @classmethod
    def from_input(cls, form: ResolutionForm, given: object) -> StoredResolution:
        """From JSON: a number, or ``{"commanded": …, "measured": …}`` for a pair."""
        if form is ResolutionForm.PAIR:
            if not isinstance(given, Mapping) or set(given) != {"commanded", "measured"}:
                raise InputError(tr('a pair is written {"commanded": 100, "measured": 100}'))
            return cls(form, _number(given["measured"], "measured"), _number(given["commanded"], "commanded"))
        return cls(form, _number(given, ""))

    @classmethod
    def untouched(cls, form: ResolutionForm) -> StoredResolution:
        """What a pair, a percentage or a factor is as long as it wasn't changed: nothing is longer or shorter."""
        if form is ResolutionForm.PAIR:
            return cls(form, 100.0, 100.0)
        return cls(form, {ResolutionForm.PERCENT_0: 0.0, ResolutionForm.PERCENT_100: 100.0}.get(form, 1.0))

    @property
    def motion_factor(self) -> float:
        """Travel per commanded mm, up to a constant of the machine."""
        if self.form in _TRAVEL_PER_STEP:
            return 1 / self.value if self.value > 0 else 0.0
        match self.form:
            case ResolutionForm.PAIR:
                return self.commanded / self.value
            case ResolutionForm.PERCENT_0:
                return 1 + self.value / 100
        return self.value

    def renewed(self, given: object, decimals: int | None = None) -> StoredResolution:
        """The same form with another number: as JSON has it, of a pair also the measured member alone."""
        pair = self.form is ResolutionForm.PAIR and not isinstance(given, Mapping)
        body = {"commanded": self.commanded, "measured": given} if pair else given
        found = StoredResolution.from_input(self.form, body)
        return found if decimals is None else replace(found, value=round(found.value, decimals))

    def steps_per_mm(self) -> float | None:
        """The number as steps per mm; None for a pair or percentage, which say nothing about steps."""
        if size := _STEPS_PER_LENGTH.get(self.form):
            return self.value / size
        size = _TRAVEL_PER_STEP.get(self.form)
        return 1 / (size * self.value) if size else None

    def with_steps_per_mm(self, steps: float, decimals: int) -> StoredResolution:
        """The same form holding that many steps per mm. Raises InputError for a pair or percentage."""
        now = self.steps_per_mm()
        if now is None:
            raise InputError(tr("a {noun} can't hold steps per mm", noun=tr(self.form.noun)))
        value = self.value * now / steps if self.form in _TRAVEL_PER_STEP else self.value * steps / now
        return replace(self, value=round(value, decimals))

    def held_with(self, decimals: int) -> int:
        """How many decimals this number is kept with: those stated, but never fewer than leave it what it is.

        An inch per step has five zeros before its first digit, and nobody keeps it with three decimals.
        """
        if abs(round(self.value, decimals) - self.value) <= LOST_AT_MOST * abs(self.value):
            return decimals
        enough = (
            n
            for n in range(decimals, MOST_DECIMALS)
            if abs(round(self.value, n) - self.value) <= SAME * abs(self.value)
        )
        return next(enough, MOST_DECIMALS)

    def corrected(self, s: float, decimals: int) -> StoredResolution:
        """What makes the scale error s = actual/commanded − 1 vanish, rounded as the controller keeps it.

        k_new = k_old · commanded/actual for steps per unit; the inverse for travel per step.
        """
        ratio = 1 + s
        exact = self.value * ratio if self.multiplies else self.value / ratio
        if self.form is ResolutionForm.PERCENT_0:
            exact = 100 * ((1 + self.value / 100) / ratio - 1)
        return StoredResolution(self.form, round(exact, decimals), self.commanded)

    def sensitivity(self, s: float) -> float:
        """|d new / d s|: turns the uncertainty of s into that of the new number."""
        ratio = 1 + s
        if self.form is ResolutionForm.PERCENT_0:
            return 100 * (1 + self.value / 100) / ratio**2
        return self.value if self.multiplies else self.value / ratio**2

    def scale_after(self, s: float, entered: StoredResolution) -> float:
        """The scale error that is left when `entered` is set after this one showed error s."""
        return (1 + s) * entered.motion_factor / self.motion_factor - 1

    @property
    def multiplies(self) -> bool:
        """Whether the new number is the old one times (not divided by) actual/commanded."""
        return self.form is ResolutionForm.PAIR or self.form in _TRAVEL_PER_STEP

    def to_json(self) -> Stored:
        """As the command line writes it."""
        if self.form is ResolutionForm.PAIR:
            return {"commanded": self.commanded, "measured": self.value}
        return self.value

    def to_body(self) -> JsonObject:
        """As the shop file keeps it, its form included."""
        return {"form": str(self.form), "value": self.value, "commanded": self.commanded}

    @classmethod
    def from_body(cls, body: JsonMapping) -> StoredResolution:
        """Inverse of `to_body`."""
        return cls(ResolutionForm(body["form"]), body["value"], body["commanded"])

    def number(self, decimals: int) -> str:
        """The number that changes: ``106.584``; of a pair the measured member."""
        return f"{self.value:.{decimals}f}"

    def text(self, decimals: int) -> str:
        """As it is in the controller: ``106.584``, or ``100 for 100.214`` for a pair."""
        number = self.number(decimals)
        return f"{self.commanded:g} for {number}" if self.form is ResolutionForm.PAIR else number

    def name(self, axis: str) -> str:
        """What comes before `number`: ``X steps per mm``, or ``X scale: 100 for`` for a pair."""
        noun = (
            tr("scale: {commanded:g} for", commanded=self.commanded)
            if self.form is ResolutionForm.PAIR
            else tr(self.form.noun)
        )
        return f"{axis.upper()} {noun}"


def _number(given: object, place: str) -> float:
    if isinstance(given, bool) or not isinstance(given, (int, float)):
        raise InputError(tr("expected a number, got {given}", given=shown_input(given)), place)
    if not abs(given) <= LARGEST:  # before it is turned: a whole number may be larger than any float
        raise InputError(tr("is too large, or no number"), place)
    return float(given)
