"""What the program says, as a person or another program reads it."""

from __future__ import annotations

from typing import Any

from keen_compass.procedures import load
from keen_compass.procedures.case_input import case_from_json
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.quantities.notes import Note
from keen_compass.words.answers import solution_as_json
from keen_compass.words.say import Show, say


def notes_of(found: Finding | Solution, units: str = "mm") -> list[str]:
    """Its sentences."""
    return [say(n, Show(units)) for n in found.notes]


def formula_of(found: Finding, units: str = "mm") -> str:
    """Its line of arithmetic."""
    return say(found.formula, Show(units))


def solved(body: dict[str, Any]) -> dict[str, Any]:
    """The command line's answer."""
    case = case_from_json(body)
    return solution_as_json(load(case.procedure).solve(case), Show(case.controller_units))


def words(said: Note | None) -> str:
    """A refusal in words, empty for none."""
    return say(said) if said else ""
