"""What explains complaints, in words: causes, what would tell them apart, what can be ruled out by looking."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from keen_compass.procedures.complaints import AnsweredIn, Diagnosis, SeenIn, from_kept
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.solve.complaints import Explained
from keen_compass.words.errors import error_in_words
from keen_compass.words.procedures import title
from keen_compass.words.say import Show


class Told(NamedTuple):
    """How a complaint is put. title: on its picture. plus, minus: its two ways; empty where it has one.

    axes: whether it shows along X or Y. on: whether the size of the part matters.
    """

    title: str
    plus: str = ""
    minus: str = ""
    axes: bool = True
    on: bool = False


TOLD = {
    "outside_size": Told("Parts off size", "too large", "too small", on=True),
    "inside_size": Told("Holes and slots off size", "too large", "too small", on=True),
    "diagonals": Told("Diagonals differ", "Y leans to +X", "Y leans to −X", axes=False, on=True),
    "oval": Told("Circles are oval", "longer along X", "longer along Y", axes=False, on=True),
    "slanted": Told("Edges slant", "wider below", "wider above"),
    "does_not_meet": Told("Start and end don’t meet"),
    "lost_steps": Told("Steps lost at speed"),
    "depth": Told("Depth is off", "too deep", "too shallow", axes=False),
    "beside_print": Told("Cut beside print or mark", "towards +", "towards −"),
    "drifts_along_print": Told("Cut drifts along the print", "too long", "too short", on=True),
    "corners": Told("Corners rounded or overrun", "overrun", "rounded"),
    "bands": Told("Bands in the print", "gaps", "dark lines", axes=False),
    "tools_miss": Told("Second tool misses", "towards +", "towards −"),
    "shifted": Told("All shifted since homing", "towards +", "towards −"),
}

# Where on the bed, as seen from the standpoint.
PLACES = {
    "far-left": "far left",
    "far": "far side",
    "far-right": "far right",
    "left": "left side",
    "middle": "middle",
    "right": "right side",
    "near-left": "near left",
    "near": "near side",
    "near-right": "near right",
}
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
            {"procedure": entry.name, "minutes": entry.minutes, "text": tells(entry.name, told)}
            for entry, told in found.tell
        ],
        "look": [LOOK[what] for what in dict.fromkeys(found.seen)],
    }


def cause_in_words(quantity: str, e: Explained, units: str = "mm") -> str:
    """One sentence: how much of it this explains, and how large it would be. units: mm or in, that are shown."""
    q = QUANTITIES[quantity]
    size = error_in_words(e.value, e.U, q.error_unit, units)
    return f"{q.label} may explain {100 * e.share:.0f} % of it: off by {size}."


def complaint_in_words(seen: SeenIn, show: Show) -> str:
    """A line for the logbook: ``Parts off size, too large, along X, 0.40 mm on 300.00 mm``."""
    told = TOLD[seen.what]
    minus = seen.by in ("-", "−") or (isinstance(seen.by, float) and seen.by < 0)
    parts = [told.title, told.minus if minus else told.plus, f"along {seen.axis.upper()}" if seen.axis else ""]
    parts.append(PLACES.get(seen.where or "", ""))
    if isinstance(seen.by, float):
        on = f" on {show.length(seen.nominal)}" if isinstance(seen.nominal, float) else ""
        parts.append(f"{show.length(abs(seen.by))}{on}")
    return ", ".join(filter(None, parts))


def kept_in_words(kind: str, text: str, units: str) -> str:
    """An entry of the logbook: a complaint, or that it was answered; as it is where it was written by hand."""
    if kind == "answered":
        answer = from_kept(text, AnsweredIn)
        return f"Answered: {TOLD[answer.what].title}; {listed(answer.by)}: out before, in now" if answer else text
    seen = from_kept(text, SeenIn)
    return f"Complaint: {complaint_in_words(seen, Show(units))}" if seen else text


def listed(quantities: Sequence[str]) -> str:
    """``X steps, Y steps and Kerf``."""
    labels = [QUANTITIES[q].label if q in QUANTITIES else q for q in quantities]
    return ", ".join(labels[:-1]) + f" and {labels[-1]}" if len(labels) > 1 else labels[0]


def tells(procedure: str, told: tuple[str, ...]) -> str:
    """What a procedure would say of the causes named."""
    return f"{title(procedure)}: how far off {listed(told)} {'are' if len(told) > 1 else 'is'}."
