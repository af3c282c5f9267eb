"""The manner of a procedure: how it is read, what it leaves on the stock or on paper, what makes it larger."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.kinds import MachineKind


@dataclass(frozen=True, slots=True)
class ReadBy:
    """How its measurands are read.

    names: what they are called on the command line. suits: kinds of instrument, best first; empty for any.
    passes: how often each is read unless the technician wants more.
    picks: those that say which of several fits. judgements: those that are judged → in which words.
    counts: those that are no lengths → what they count: °, or nothing for plain numbers.
    spots: they are places in the plane. pictured: of these, in pictures that are taken.
    by_eye: judged without an instrument; eye: what the eye is worth then, where that matters.
    """

    names: tuple[str, ...] = ()
    suits: tuple[str, ...] = ()
    passes: int = 3
    picks: tuple[str, ...] = ()
    judgements: Mapping[str, Sequence[str]] = field(default_factory=dict)
    counts: Mapping[str, str] = field(default_factory=dict)
    spots: bool = False
    pictured: bool = False
    by_eye: bool = False
    eye: Instrument | None = None


@dataclass(frozen=True, slots=True)
class OnStock:
    """What it leaves on the stock, and what makes it.

    usual_on: what it is usually made on, unless stated.
    numbered: it carries a number, which is asked before reading.
    anchored: it lies where it says itself (`origin`, `boxes`), not at the next free place.
    placing: parameters that only say where it lies: two pieces that differ in nothing else are equal.
    marks_bed: on a table it goes onto the bed itself, whatever lies there.
    draws: lines are wanted, not cuts: a tool that draws is proposed. trails: of these, a blade that trails.
    burns: it is made by a beam. thermal: it is cut otherwise where it is burnt (parameter `thermal`).
    """

    usual_on: MachineKind = MachineKind.ROUTER
    numbered: bool = True
    anchored: bool = False
    placing: tuple[str, ...] = ()
    marks_bed: bool = False
    draws: bool = False
    trails: bool = False
    burns: bool = False
    thermal: bool = False


@dataclass(frozen=True, slots=True)
class OnPaper:
    """Whether it is read on a printed sheet.

    artwork: someone's is on it, and is cut.
    true_size: what is drawn on it keeps the lengths that were ordered, whatever became of the print's.
    """

    printed: bool = False
    artwork: bool = False
    true_size: bool = False


@dataclass(frozen=True, slots=True)
class Sizes:
    """Parameters that say how large it is.

    large: of its extent. sides: those that a size on the command line sets. grows: those that a longer piece makes
    longer. slider: whether it is chosen in Make.
    """

    large: tuple[str, ...] = ("width", "height")
    sides: tuple[str, ...] = ("width", "height")
    grows: tuple[str, ...] = ()
    slider: bool = False
