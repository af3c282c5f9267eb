"""What explains complaints, in words: causes, what would tell them apart, what can be ruled out by looking."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from keen_compass.language import marked, tr
from keen_compass.procedures.complaints import AnsweredIn, Diagnosis, SeenIn, from_kept
from keen_compass.quantities.bodies import JsonObject
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
    "outside_size": Told(marked("Parts off size"), marked("too large"), marked("too small"), on=True),
    "inside_size": Told(marked("Holes and slots off size"), marked("too large"), marked("too small"), on=True),
    "diagonals": Told(
        marked("Diagonals differ"), marked("Y leans to +X"), marked("Y leans to −X"), axes=False, on=True
    ),
    "oval": Told(marked("Circles are oval"), marked("longer along X"), marked("longer along Y"), axes=False, on=True),
    "slanted": Told(marked("Edges slant"), marked("wider below"), marked("wider above")),
    "does_not_meet": Told(marked("Start and end don’t meet")),
    "lost_steps": Told(marked("Steps lost at speed")),
    "depth": Told(marked("Depth is off"), marked("too deep"), marked("too shallow"), axes=False),
    "beside_print": Told(marked("Cut beside print or mark"), marked("towards +"), marked("towards −")),
    "drifts_along_print": Told(marked("Cut drifts along the print"), marked("too long"), marked("too short"), on=True),
    "corners": Told(marked("Corners rounded or overrun"), "overrun", "rounded"),
    "bands": Told(marked("Bands in the print"), "gaps", marked("dark lines"), axes=False),
    "tools_miss": Told(marked("Second tool misses"), marked("towards +"), marked("towards −")),
    "shifted": Told(marked("All shifted since homing"), marked("towards +"), marked("towards −")),
}

# Where on the bed, as seen from the standpoint.
PLACES = {
    "far-left": marked("far left"),
    "far": marked("far side"),
    "far-right": marked("far right"),
    "left": marked("left side"),
    marked("middle"): marked("middle"),
    "right": marked("right side"),
    "near-left": marked("near left"),
    "near": marked("near side"),
    "near-right": marked("near right"),
}
# Complaint → what to look at before anything is measured.
LOOK = {
    "outside_size": marked("Measure one more part with another instrument, and say which of its sizes are off."),
    "inside_size": marked("Turn a part over and try a gauge pin from both sides: an edge that slants is tight on one."),
    "diagonals": marked("See that the sheet did not move while it was cut."),
    "oval": marked("Look for flats where an axis reverses: lost motion leaves them at the four ends."),
    "slanted": marked("See that the cutter or nozzle is not worn or bent, and that it sits square in its holder."),
    "does_not_meet": marked("Push the head along each axis by hand, motors on: what gives is lost motion."),
    "lost_steps": marked("Look for chips in racks and belts, a loose pulley screw and a cable that pulls."),
    "depth": marked("See that the stock lies flat and is held down in its middle."),
    "beside_print": marked("See that what aims is tight, and that the print was loaded the way round that was said."),
    "drifts_along_print": marked("See that the roll runs straight between its rollers and is not pulled."),
    "corners": marked("Look at the blade’s tip under a loupe, and that it swivels freely."),
    "bands": marked("Print a nozzle test: missing nozzles look like bands too."),
    "tools_miss": marked("See that the second tool is tight and pushed in as far as it goes."),
    "shifted": marked("Home the machine twice and see that it comes to the same place."),
}


def diagnosis_as_json(found: Diagnosis) -> JsonObject:
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
        "look": [tr(LOOK[what]) for what in dict.fromkeys(found.seen)],
    }


def cause_in_words(quantity: str, e: Explained, units: str = "mm") -> str:
    """One sentence: how much of it this explains, and how large it would be. units: mm or in, that are shown."""
    q = QUANTITIES[quantity]
    size = error_in_words(e.value, e.U, q.error_unit, units)
    return tr("{label} may explain {share:.0f} % of it: off by {size}.", label=q.label, share=100 * e.share, size=size)


def complaint_in_words(seen: SeenIn, show: Show) -> str:
    """A line for the logbook: ``Parts off size, too large, along X, 0.40 mm on 300.00 mm``."""
    told = TOLD[seen.what]
    minus = seen.by in ("-", "−") or (isinstance(seen.by, float) and seen.by < 0)
    parts = [
        tr(told.title),
        tr(told.minus if minus else told.plus),
        tr("along {upper}", upper=seen.axis.upper()) if seen.axis else "",
    ]
    parts.append(tr(PLACES.get(seen.where or "", "")))
    if isinstance(seen.by, float):
        on = tr(" on {length}", length=show.length(seen.nominal)) if isinstance(seen.nominal, float) else ""
        parts.append(f"{show.length(abs(seen.by))}{on}")
    return ", ".join(filter(None, parts))


def kept_in_words(kind: str, text: str, units: str) -> str:
    """An entry of the logbook: a complaint, or that it was answered; as it is where it was written by hand."""
    if kind == "answered":
        answer = from_kept(text, AnsweredIn)
        return (
            tr(
                "Answered: {title}; {listed}: out before, in now",
                title=tr(TOLD[answer.what].title),
                listed=listed(answer.by),
            )
            if answer
            else text
        )
    seen = from_kept(text, SeenIn)
    return tr("Complaint: {complaint}", complaint=complaint_in_words(seen, Show(units))) if seen else text


def listed(quantities: Sequence[str]) -> str:
    """``X steps, Y steps and Kerf``."""
    labels = [QUANTITIES[q].label if q in QUANTITIES else q for q in quantities]
    return ", ".join(labels[:-1]) + tr(" and {labels}", labels=labels[-1]) if len(labels) > 1 else labels[0]


def tells(procedure: str, told: tuple[str, ...]) -> str:
    """What a procedure would say of the causes named."""
    return tr(
        "{title}: how far off {listed} {verb}.",
        title=title(procedure),
        listed=listed(told),
        verb=tr("are") if len(told) > 1 else tr("is"),
    )
