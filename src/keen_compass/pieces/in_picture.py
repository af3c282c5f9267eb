"""What is looked for in a picture of something that was drawn or cut: lines, and a cross that says where all lies."""

from __future__ import annotations

from typing import NamedTuple

from keen_compass.quantities.geometry import Point


class Sought(NamedTuple):
    """A line or an edge: it should run through `at`, square to `out` (a unit vector), mm, Y up. half: of its length
    that is looked at; reach: how far along `out` it may lie off, each way.

    edge: where what is printed on the side away from `out` ends; else what a tool left there.
    """

    at: Point
    out: Point
    half: float
    reach: float
    edge: bool = False


class Across(NamedTuple):
    """How far out a line lies, mm; U: expanded (95 %)."""

    off: float
    U: float


class Pattern(NamedTuple):
    """A cross with a pair of lines astride two of its arms, those that point along +X and +Y.

    centre: of the cross; arm: how long each is; apart: the lines of a pair; along: from where to where on an arm a pair
    runs. All mm.
    """

    centre: Point
    arm: float
    apart: float
    along: tuple[float, float]
