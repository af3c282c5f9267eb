"""Refusals that procedures have in common: parameters of a piece, and what was read, before anything is computed."""

from __future__ import annotations

from keen_compass.errors import InputError, shown_input
from keen_compass.language import tr
from keen_compass.procedures.case import Case
from keen_compass.quantities.bodies import Parameters
from keen_compass.quantities.readings import number_of

MADE_BY = ("cut", "drawn", "scribed")
MOST_LISTED = 12


def check_parameters(parameters: Parameters, known: set[str]) -> None:
    """Refuse what isn't known. Raises InputError naming the place."""
    for key in parameters:
        if key not in known:
            raise InputError(
                tr("not known here; expected one of {known}", known=", ".join(sorted(known))), f"piece.{key}"
            )


def axis_of(parameters: Parameters, axes: str = "xyz") -> str:
    """The axis that is meant, x where none is said. Raises InputError."""
    axis = parameters.get("axis", "x")
    if not isinstance(axis, str) or axis not in tuple(axes):
        raise InputError(
            tr(
                "expected {axes} or {axes2}, got {given}",
                axes=", ".join(axes[:-1]),
                axes2=axes[-1],
                given=shown_input(axis),
            ),
            "piece.axis",
        )
    return axis


def made_by(parameters: Parameters, usual: str) -> str:
    """Cut, drawn or scribed. Raises InputError."""
    how = parameters.get("made_by", usual)
    if how not in MADE_BY:
        raise InputError(tr("expected cut, drawn or scribed, got {given}", given=shown_input(how)), "piece.made_by")
    return str(how)


def check_readings(case: Case, names: tuple[str, ...], *, positive: bool) -> None:
    """Refuse readings of what isn't measured here, and sizes of nothing. Raises InputError naming the place."""
    for i, (name, lengths) in enumerate(case.readings.items()):
        if name not in names:
            raise InputError(
                tr("{given} is not measured here; one of {listed}", given=shown_input(name), listed=_listed(names)),
                f"readings[{i}].measurand",
            )
        if positive and any(number_of(v) <= 0 for v in lengths):
            raise InputError(tr("a size must be larger than 0"), f"readings[{i}].values")


def _listed(names: tuple[str, ...]) -> str:
    return ", ".join(names[:MOST_LISTED]) + (" …" if len(names) > MOST_LISTED else "")
