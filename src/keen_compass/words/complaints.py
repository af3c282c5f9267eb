"""What explains complaints, in words: causes, what would tell them apart, what can be ruled out by looking."""

from __future__ import annotations

from typing import Any

from keen_compass.procedures.complaints import Diagnosis
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.lengths import format_mm
from keen_compass.solve.complaints import Explained
from keen_compass.words.procedures import title

# Complaint → what to look at before anything is measured.
LOOK = {
    "outside_size": "Measure one more part with another instrument, and say which of its sizes are off.",
    "inside_size": "Turn a part over and try a gauge pin from both sides: an edge that slants is tight on one.",
    "diagonals": "See that the sheet did not move while it was cut.",
    "oval": "Look for flats where an axis reverses: lost motion leaves them at the four ends.",
    "slanted": "See that the cutter or nozzle is not worn or bent, and that it sits square in its holder.",
    "does_not_meet": "Push the head along each axis by hand, motors on: what gives is lost motion.",
    "lost_steps": "Look for chips in racks and belts, a loose pulley screw and a cable that pulls.",
    "depth": "See that the stock lies flat and is held down in its middle.",
    "beside_print": "See that what aims is tight, and that the print was loaded the way round that was said.",
    "drifts_along_print": "See that the roll runs straight between its rollers and is not pulled.",
    "corners": "Look at the blade’s tip under a loupe, and that it swivels freely.",
    "bands": "Print a nozzle test: missing nozzles look like bands too.",
    "tools_miss": "See that the second tool is tight and pushed in as far as it goes.",
    "shifted": "Home the machine twice and see that it comes to the same place.",
}


def diagnosis_as_json(found: Diagnosis) -> dict[str, Any]:
    """The command line's answer."""
    return {
        "causes": [
            {
                "quantity": q,
                "share": e.share,
                "value": e.value,
                "expanded_uncertainty": e.U,
                "unit": QUANTITIES[q].error_unit,
                "text": cause_in_words(q, e),
            }
            for q, e in found.causes.items()
        ],
        "unexplained": found.unexplained,
        "tell": [
            {"procedure": entry.name, "minutes": entry.minutes, "text": _tells(entry.name, told)}
            for entry, told in found.tell
        ],
        "look": [LOOK[what] for what in dict.fromkeys(found.seen)],
    }


def cause_in_words(quantity: str, e: Explained) -> str:
    """One sentence: how much of it this explains, and how large it would be."""
    q = QUANTITIES[quantity]
    decimals = two_significant(e.U)
    size = f"{format_mm(e.value, decimals, signed=True)} ± {format_mm(e.U, decimals)} {q.error_unit}"
    return f"{q.label} may explain {100 * e.share:.0f} % of it: off by {size}."


def _tells(procedure: str, told: tuple[str, ...]) -> str:
    labels = [QUANTITIES[q].label for q in told]
    listed = ", ".join(labels[:-1]) + f" and {labels[-1]}" if len(labels) > 1 else labels[0]
    return f"{title(procedure)}: how far off {listed} {'are' if len(labels) > 1 else 'is'}."
