"""How a machine stands, in words: why each spoke is as it is, and one line for all of them."""

from __future__ import annotations

from keen_compass.language import tr, written
from keen_compass.machines.profile import Machine
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.digits import two_significant
from keen_compass.quantities.families import Lives
from keen_compass.quantities.lengths import format_mm
from keen_compass.shop.standing import Spoke, State, Why
from keen_compass.words.consequences import finding_in_words
from keen_compass.words.errors import shown_in
from keen_compass.words.say import say, show_for

DAYS_PER_MONTH = 30


def reason(spoke: Spoke, machine: Machine) -> str:
    """Why it is in its state, one sentence; lengths and directions as this machine's technician sees them."""
    match spoke.why:
        case Why.NEVER:
            return tr("Not measured with {about} yet.", about=spoke.about) if spoke.about else tr("Never measured.")
        case Why.ANOTHERS:
            about = spoke.about or tr("nothing in particular")
            return tr("The controller holds the number for {about}: enter the one for what is fitted now.", about=about)
        case Why.CHANGED:
            return tr("Changed since it was measured: confirm it.")
        case Why.CHANGED_UNDER:
            return tr("{label} changed under it: check again.", label=QUANTITIES[spoke.about].label)
        case Why.OUT:
            assert spoke.finding is not None
            return tr("Out: {finding}.", finding=finding_in_words(spoke.finding, show_for(machine, spoke.quantity)))
        case Why.HAPPENED:
            return tr("{about} since then: check again.", about=spoke.about)
        case Why.OLD:
            return tr("Last checked {days} months ago.", days=spoke.days // DAYS_PER_MONTH)
        case Why.IN:
            return tr("In tolerance.")
        case Why.CANNOT_TELL:
            notes = spoke.finding.notes if spoke.finding else ()
            show = show_for(machine, spoke.quantity)
            return say(notes[0], show) if notes else tr("Measured, but not precisely enough to tell.")


def first_step(spokes: list[Spoke]) -> str:
    """With what to begin where nothing was measured yet, and why; empty where something was."""
    if any(s.state is not State.NEVER for s in spokes):
        return ""
    first = [
        s for s in spokes if QUANTITIES[s.quantity].lives is Lives.RESOLUTION and QUANTITIES[s.quantity].axis in "xy"
    ]
    if not first:
        return ""
    names = tr(" and ").join(QUANTITIES[s.quantity].label for s in first[:2])
    return tr(
        "Begin with {names}: everything else depends on them. Use the drive train only if a cut "
        "comes out wrong by a factor.",
        names=names,
    )


def figure(spoke: Spoke, machine: Machine) -> str:
    """``+0.76 mm/m``, or ``not measured``."""
    if spoke.finding is None or spoke.finding.error is None:
        return tr("not measured")
    unit = shown_in(spoke.finding.error_unit, machine.unit_of(spoke.quantity))
    decimals = two_significant((spoke.finding.expanded_uncertainty or 0.0) / unit.size)
    return f"{written(format_mm((spoke.finding.harm or 0.0) / unit.size, decimals, signed=True))} {unit.sign}"


def summary(spokes: list[Spoke], *, named: bool = True) -> tuple[str, State]:
    """One short line for the rail, and the state that colours it. named: one alone is called by its name."""
    for state, sentence in (
        (State.OUT, tr("{} out")),
        (State.RECHECK, tr("{} re-check")),
        (State.CANNOT_TELL, tr("{} can’t tell")),
        (State.NEVER, tr("{} not measured")),
    ):
        found = [s for s in spokes if s.state is state]
        if found:
            return sentence.format(_few(found) if named else len(found)), state
    return tr("all in"), State.IN


def _few(found: list[Spoke]) -> str:
    """Letters where they are all steps (``X, Y``), the name of one alone, else how many."""
    if all(s.quantity.endswith("steps") for s in found) and len(found) <= 2:
        return ", ".join(QUANTITIES[s.quantity].axis.upper() for s in found)
    return found[0].label if len(found) == 1 else str(len(found))
