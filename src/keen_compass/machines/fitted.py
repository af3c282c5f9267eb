"""What goes onto a machine: tools, stock, and what is fitted."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.limits import FITTINGS
from keen_compass.quantities.subjects import Subject

if TYPE_CHECKING:
    from keen_compass.machines.dialect import Dialect
else:
    Dialect = Any  # loaded where a machine has one: the first screen needs none

NOTHING_FITTED: Mapping[str, str] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Tool:
    """What cuts or marks. diameter: mm, 0 for a pen; what it clears (its kerf) is calibrated, not stated.

    drawn: its lines are wanted, not what it leaves. trails: it is a blade that swivels behind its axis.

    uid: what identifies it in the shop, whatever it is called.
    """

    name: str
    diameter: float
    drawn: bool = False
    uid: str = ""
    trails: bool = False


@dataclass(frozen=True, slots=True)
class Stock:
    """The sheet that is loaded: material, thickness, where it lies on the bed (X, Y, width, height), mm.

    uid: what identifies this material in this thickness in the shop.
    """

    name: str
    thickness: float
    x: float
    y: float
    width: float
    height: float
    uid: str = ""


@dataclass(frozen=True, slots=True)
class Fitting:
    """What else a number may belong to, of `FITTINGS`: what is held beside the tool, prints, or carries the film.

    offset: of an accessory, as its maker recommends it to begin with, secondary minus tool, mm.
    """

    kind: str
    name: str
    uid: str = ""
    offset: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        if self.kind not in FITTINGS:
            raise InputError(
                tr("{kind!r} is not one of {fittings}", kind=self.kind, fittings=", ".join(FITTINGS)), "fittings"
            )


def new_uid() -> str:
    """An identity that nothing else has."""
    return os.urandom(16).hex()


def subject_of(
    tool: Tool | None, stock: Stock | None, process: str = "", fitted: Mapping[str, str] = NOTHING_FITTED
) -> Subject:
    """Whose values are found with these mounted. fitted: kind of fitting → uid."""
    return Subject(
        tool.uid if tool else "",
        fitted.get("accessory", ""),
        stock.name if stock else "",
        stock.thickness if stock else 0.0,
        process,
        fitted.get("printer", ""),
        fitted.get("carrier", ""),
    )
