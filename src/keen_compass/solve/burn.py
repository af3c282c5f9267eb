"""Where a beam is narrowest, and what of power against feed cuts clean (arithmetic.md §8).

A focused beam's width is a hyperbola of height, so its square is a parabola, w² = a + b·h + c·h², whose lowest point
is the focus. A window of clean cuts has edges that lie anywhere between a clean cell and the next that isn't.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from keen_compass.quantities.measuring import Measurement
from keen_compass.quantities.uncertainty import Cause, Origin, Shape, Source, Uncertain
from keen_compass.solve.joint import Observation, Unknown, fit

A, B, C = Unknown("square"), Unknown("slope"), Unknown("bend")
LEAST_NEAR = 4  # lines, that near; with fewer all count
TOO_FLAT = 1.0  # expanded uncertainties, by which the bend must be clear of nothing
NEAR = 1.6  # times the narrowest: further out a beam is no hyperbola any more
LOPSIDED = 0.12  # of the depth of focus, standard: by which its lowest point is drawn to the side that widens slower
MODEL = 0.03  # of a width, standard: no beam is quite a hyperbola, and no burnt line quite as wide as its beam


@dataclass(frozen=True, slots=True)
class Focus:
    """height: at which the lines are narrowest, mm. within: whether that lies among those that were burnt."""

    height: Uncertain
    within: bool


def focus_of(read: Mapping[float, Measurement]) -> Focus | None:
    """From widths (mm) by height (mm); None where they show no lowest point."""
    heights = sorted(read)
    if len(heights) < 3:
        return None
    least = min(m.value for m in read.values())
    near = {h: m for h, m in read.items() if m.value <= NEAR * least}
    read = near if len(near) >= LEAST_NEAR else read
    middle = (heights[0] + heights[-1]) / 2
    rows = []
    for h, m in read.items():
        w, d = m.value, h - middle
        effects = tuple((s, 2 * w * c) for s, c in m.mean.effects)
        effects += ((Source(Origin("line", h), MODEL * w, Cause.SCATTER), 2 * w),)
        rows.append(Observation(f"line|{h}", {A: 1.0, B: d, C: d * d}, w * w, effects))
    found = fit(rows)
    if C not in found.estimates:
        return None
    b, c = found.estimates[B], found.estimates[C]
    if not c.value > TOO_FLAT * c.U:
        return None
    lowest = -b.value / (2 * c.value)
    height = found.of({B: -1 / (2 * c.value), C: b.value / (2 * c.value**2)})
    depth = least / math.sqrt(c.value)
    effects = (*height.effects, (Source(Origin("lopsided"), LOPSIDED * depth, Cause.SCATTER), 1.0))
    return Focus(Uncertain(middle + lowest, effects), heights[0] <= middle + lowest <= heights[-1])


def picked_focus(heights: Sequence[float], at: float) -> Uncertain:
    """The narrowest by eye: its neighbours are hardly wider, so it lies within a step and a half."""
    low = min(int(at) - 1, len(heights) - 2)
    value = heights[low] + (at - 1 - low) * (heights[low + 1] - heights[low])
    step = max(b - a for a, b in pairwise(heights))
    return Uncertain(
        value, ((Source(Origin("pick"), 1.5 * step / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE), 1.0),)
    )


@dataclass(frozen=True, slots=True)
class Window:
    """Clean from `low` to `high`, each known to `half` a step. open_low, open_high: nothing beyond was tried."""

    low: float
    high: float
    half_low: float
    half_high: float
    open_low: bool
    open_high: bool

    @property
    def middle(self) -> Uncertain:
        """Farthest from both edges."""
        return self.at(0.5)

    def at(self, share: float) -> Uncertain:
        """So far from the low edge to the high one."""
        return Uncertain(
            self.low + share * (self.high - self.low),
            (
                (Source(Origin("low"), self.half_low / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE), 1 - share),
                (Source(Origin("high"), self.half_high / math.sqrt(3), Cause.LADDER, shape=Shape.RECTANGLE), share),
            ),
        )


@dataclass(frozen=True, slots=True)
class Working:
    """Cell that is proposed (row, column), and the windows through it: of power at its feed, of feed at its power."""

    row: int
    column: int
    power: Window
    feed: Window


def working(clean: Mapping[tuple[int, int], bool], powers: Sequence[float], feeds: Sequence[float]) -> Working | None:
    """The fastest cell whose neighbours are clean as well; None where no cell is clean.

    clean: by (row, column) from 0; what wasn't judged is absent, and counts as not clean.
    """
    good = [cell for cell, is_clean in clean.items() if is_clean]
    if not good:
        return None

    def neighbours(cell: tuple[int, int]) -> int:
        r, c = cell
        around = [(r - 1, c), (r + 1, c), (r, c - 1), (r, c + 1)]
        return sum(clean.get(n, False) for n in around)  # beyond the grid nobody knows

    row, column = max(good, key=lambda cell: (neighbours(cell), feeds[cell[1]], -powers[cell[0]]))
    return Working(
        row,
        column,
        _window(row, powers, lambda r: clean.get((r, column), False)),
        _window(column, feeds, lambda c: clean.get((row, c), False)),
    )


def _window(at: int, values: Sequence[float], is_clean: Callable[[int], bool]) -> Window:
    """The run of clean ones through one of them; an edge lies half way to the next, give or take that much."""
    low = high = at
    while low > 0 and is_clean(low - 1):
        low -= 1
    while high < len(values) - 1 and is_clean(high + 1):
        high += 1
    below = (values[low] - values[low - 1]) / 2 if low else (values[1] - values[0]) / 2
    above = (values[high + 1] - values[high]) / 2 if high < len(values) - 1 else (values[-1] - values[-2]) / 2
    return Window(values[low] - below, values[high] + above, below, above, low == 0, high == len(values) - 1)
