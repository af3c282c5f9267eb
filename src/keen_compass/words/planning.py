"""What to make next, in one line."""

from __future__ import annotations

from keen_compass.language import tr, tr_n
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.procedures.planning import Proposal
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.words.procedures import title

SIZES = ("width", "length", "window", "nominal")  # parameters that say how large a piece or run is


def proposal_in_words(p: Proposal, machine: Machine) -> str:
    """``Travel run, X, 300 mm, each place read once with the Glass scale``."""
    size = next((p.piece[name] for name in SIZES if isinstance(p.piece.get(name), (int, float))), None)
    axis = str(p.piece.get("axis", "")).upper()
    large = show_length(float(size), machine.units) if isinstance(size, (int, float)) else ""
    times = tr_n("each place read once", "each place read {n} times", p.readings_each)
    said = ", ".join(part for part in (title(p.procedure), axis, large) if part)
    return tr("{said}, {times} with the {name}", said=said, times=times, name=p.instrument.name)


def settles_in_words(p: Proposal, one_by_one: float) -> str:
    """``Settles X steps, Y steps and Kerf in about 20 minutes; one by one about 45``."""
    names = [QUANTITIES[q].label for q in p.for_good]
    listed = names[0] if len(names) == 1 else tr("{names} and {last}", names=", ".join(names[:-1]), last=names[-1])
    longer = tr("; one by one about {one_by_one:.0f}", one_by_one=one_by_one) if one_by_one > p.minutes + 1 else ""
    return tr(
        "Settles {listed} in about {minutes:.0f} minutes{longer}.", listed=listed, minutes=p.minutes, longer=longer
    )
