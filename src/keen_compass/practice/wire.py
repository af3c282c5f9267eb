"""Practice controllers at the end of a cable: those of the demo's machines, with the numbers that they begin with."""

from __future__ import annotations

from collections.abc import Mapping

from keen_compass.errors import InputError, PortError
from keen_compass.language import tr
from keen_compass.machines.profile import Machine
from keen_compass.practice.demo_machines import EMBER, FEEDS, HERON, KINGFISHER, START, SWIFT
from keen_compass.quantities.stored import StoredValue
from keen_compass.standin.controller import FAULTS, HPGL, TEXT, StandInController

Controller = StandInController  # for the window, which knows no simulators
MACHINES: dict[str, Machine] = {m.uid: m for m in (HERON, SWIFT, KINGFISHER, EMBER)}
BEGINS: dict[str, dict[str, float]] = {
    "heron": {**START, **FEEDS, "x_backlash": 0.0, "y_backlash": 0.0, "z_backlash": 0.0, "x_home": 0.0, "y_home": 0.0},
    "ember": {"x_steps": 80.0, "y_steps": 80.0, "kerf": 0.4},
    "swift": {"x_steps": 100.0, "y_steps": 100.0, "x_backlash": 0.0, "y_backlash": 0.0},
    "kingfisher": {"x_steps": 100.0, "y_steps": 100.0},
}
BESIDES = {TEXT: {"RAPID": "12000", "SOFT_LIMITS": "1"}, HPGL: {"PEN SPEED": "400"}}
FAST = 60.0  # times as fast as in life


def language_of(machine: Machine) -> str:
    """What its practice controller speaks."""
    return TEXT if machine.file_format == "gcode" else HPGL


def begins_with(machine: Machine) -> dict[str, str]:
    """Settings of a demo machine's controller as it was delivered."""
    numbers = {q: f"{v:.{machine.place(q).decimals}f}" for q, v in BEGINS[machine.uid].items()}
    return {machine.place(q).key: text for q, text in numbers.items()}


def holding(machine: Machine, values: Mapping[str, StoredValue]) -> dict[str, str]:
    """Settings of a controller that holds these numbers."""
    return {machine.place(q).key: machine.place(q).number(v) for q, v in values.items() if machine.in_controller(q)}


def stand_in(
    machine: Machine,
    settings: Mapping[str, str] | None = None,
    *,
    fault: str = "",
    seed: int = 1,
    fast: float = FAST,
    after: int = 0,
) -> StandInController:
    """A practice controller of a machine, on a pseudo-terminal. Raises InputError, PortError."""
    if fault and fault not in FAULTS:
        raise InputError(tr("expected one of {faults}", faults=", ".join(FAULTS)), "fault")
    language = language_of(machine)
    numbers = begins_with(machine) if settings is None else settings
    try:
        return StandInController(
            {**numbers, **BESIDES[language]}, language, fault=fault, seed=seed, fast=fast, after=after
        )
    except OSError:
        raise PortError(
            "none",
            tr("This computer has no terminal left for a practice controller."),
            tr("Nothing was connected."),
            tr("Close some terminals, then connect again."),
        ) from None


def named(name: str) -> Machine:
    """One of the demo's machines. Raises InputError."""
    if name.lower() not in MACHINES:
        raise InputError(tr("expected one of {machines}", machines=", ".join(MACHINES)), "machine")
    return MACHINES[name.lower()]
