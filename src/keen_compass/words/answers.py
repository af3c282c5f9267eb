"""Answers as the command line prints them: JSON with sentences, and the code of each beside it."""

from __future__ import annotations

from typing import Any

from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.findings import Finding, Solution
from keen_compass.words.say import Show, say


def finding_as_json(finding: Finding, show: Show) -> JsonObject:
    """One finding as the command line prints it."""
    return finding.to_json() | {
        "formula": say(finding.formula, show),
        "notes": [say(n, show) for n in finding.notes],
        "note_codes": [n.code for n in finding.notes],
        "remedies": [r.to_json() | {"text": say(r.text, show)} for r in finding.remedies],
    }


def solution_as_json(solution: Solution, show: Show) -> JsonObject:
    """Everything that one set of readings says."""
    figures = {name: _said(value, show) for name, value in solution.figures.items()}
    return solution.to_json() | {
        "findings": [finding_as_json(f, show) for f in solution.findings],
        "notes": [say(n, show) for n in solution.notes],
        "note_codes": [n.code for n in solution.notes],
        **({"figures": figures} if figures else {}),
    }


def _said(value: Any, show: Show) -> Any:
    return say(value["note"], show) if isinstance(value, dict) and value.keys() == {"note"} else value
