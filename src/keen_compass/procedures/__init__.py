"""The registry: one line for each procedure. Its modules are loaded when used, not before."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING

from keen_compass.errors import InputError

if TYPE_CHECKING:
    from keen_compass.procedures.base import Procedure


@dataclass(frozen=True, slots=True)
class Entry:
    """Enough of a procedure for the first screen: title, what it yields, minutes it takes, where it lives."""

    name: str
    title: str
    yields: tuple[str, ...]
    does: str
    minutes: int
    module: str


REGISTRY: dict[str, Entry] = {
    e.name: e
    for e in (
        Entry(
            "rectangle", "X and Y steps", ("x_steps", "y_steps"), "Cut and measure a stepped outline", 15, "rectangle"
        ),
    )
}


def load(name: str) -> Procedure:
    """The procedure called `name`. Raises InputError for an unknown one."""
    if name not in REGISTRY:
        raise InputError(f"{name!r} is not known; one of {', '.join(REGISTRY)}", "procedure")
    module = import_module(f"keen_compass.procedures.{REGISTRY[name].module}")
    procedure: Procedure = module.PROCEDURE
    return procedure


def yielding(quantity: str) -> Entry | None:
    """The procedure that calibrates `quantity`, if there is one."""
    return next((e for e in REGISTRY.values() if quantity in e.yields), None)
