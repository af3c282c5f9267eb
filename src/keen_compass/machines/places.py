"""Where a number is kept: the key it has in the controller, its form and unit, its sign, how many decimals it has."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.lengths import plain_number
from keen_compass.quantities.resolution import ResolutionForm, StoredResolution
from keen_compass.quantities.stored import StoredAmount, StoredValue


@dataclass(frozen=True, slots=True)
class Spot:
    """A number in a text that has no name of its own: in a macro, in another program's configuration.

    file: which. line: its line with every number taken out, number: which of these it is, nth: of how many lines alike
    it is in, both from 0: so it is found again wherever else the file changes.
    """

    file: str
    line: str
    number: int
    nth: int = 0


class Place(NamedTuple):
    """One number's place in a controller, or on the machine itself where it is set by hand.

    key: its name there. form: of a resolution, None for an amount. unit: of an amount. decimals: that are kept.
    flipped: the controller counts it the other way round. half: of a width, it keeps
    half of it. in_file: no controller keeps it; the files that are written
        for the machine carry it.
    """

    quantity: str
    key: str
    form: ResolutionForm | None
    unit: str
    decimals: int
    flipped: bool
    in_file: bool = False
    half: bool = False

    def holding(self, stored: StoredValue) -> StoredValue:
        """A number as this place has it: an amount that was noted in another unit is turned into this one."""
        if isinstance(stored, StoredAmount) and stored.unit != self.unit:
            return StoredAmount.of(self.quantity, stored.base, self.unit, self.decimals)
        return stored

    def name(self, stored: StoredValue) -> str:
        """What comes before the number: ``X backlash, mm``; ``Kerf, half width, mm``."""
        words = self.holding(stored).name(QUANTITIES[self.quantity].axis)
        head, _, unit = words.rpartition(", ")
        return tr("{head}, half width, {unit}", head=head, unit=unit) if self.half else words

    def text(self, stored: StoredValue) -> str:
        """The whole of it as it is there: ``106.584``, ``100 for 100.214``."""
        return self.holding(stored).text(self.decimals)

    def number(self, stored: StoredValue) -> str:
        """What changes of it: of a pair the measured member."""
        return self.holding(stored).number(self.decimals)

    def typed(self, text: str) -> StoredValue:
        """What someone reads there and types. Raises InputError."""
        try:
            numbers = [plain_number(part) for part in text.split("for")]
        except ValueError:
            numbers = []
        if self.form is ResolutionForm.PAIR:
            if len(numbers) != 2:
                raise InputError(tr("type a pair as commanded for measured: 100 for 100.2"))
            return StoredResolution(self.form, numbers[1], numbers[0])
        if len(numbers) != 1:
            raise InputError(tr("type the number that the controller shows"))
        if self.form is None:
            return StoredAmount(self.quantity, self.unit, numbers[0])
        return StoredResolution(self.form, numbers[0])
