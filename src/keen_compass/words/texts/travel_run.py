"""A run along one axis, and how a feed tracks."""

from __future__ import annotations

from keen_compass.language import tr, tr_n
from keen_compass.words.say import Text
from keen_compass.words.texts import About

ABOUT = About(
    needs=("one axis", "a rule, dial or depth gauge along it", "a sharp point to read it by"),
    piece="no piece: the axis stops at targets up and back, and a rule beside it is read",
    lookalikes=(
        "A rule that doesn’t start at zero is no fault here: the zero is found from the readings.",
        "A rule tilted against the axis looks just like a wrong scale: say within how much it lies parallel.",
        "A bowed rule looks like an axis that bends: turn it end for end and read again.",
    ),
)
TEXTS: dict[str, Text] = {
    "read_at": lambda v, _: tr(
        "read at {at:g}, {way}", at=v["at"], way=tr("going up") if v["up"] else tr("coming back")
    ),
    "program": "travel run, {axis:up} 0 to {length:g} mm",
    "travel": "scale, lost motion",
    "tracking": "feed tracking",
    "run": "Run",
    "parallel": "Parallel to",
    "heading_tracking": "Feed tracking",
    "target": lambda v, _: f"{v['at']} {tr('up') if v['up'] else tr('back')}",
    "how": "Read the rule at the point, straight from above",
    "reversal_B": "Reversal B",
    "repeatability_R": "Repeatability R",
    "systematic_E": "Systematic deviation E",
    "drift": "Drift, each trip",
    "slip": "Slip about it",
    "length": "{mm:small}",
    "cycles": lambda v, _: tr_n("{n} cycle", "{n} cycles", v["cycles"]),
    "iso_230_2": "ISO 230-2",
    "iso_not_both_sides": "estimates: not every target from both sides",
    "iso_few_cycles": "estimates: fewer than five cycles both ways",
    "iso_few_targets": "estimates: fewer than five targets for each metre",
    "iso_even_spacing": "estimates: evenly spaced targets, which hide a cyclic error",
    "two_targets": "Read at least two targets: one position alone has no scale.",
    "come_back_too": "Read some targets coming back too.",
    "targets_scatter": "The targets scatter more than single readings; the uncertainty includes it.",
    "falls": "The readings fall as the axis rises: is the rule the wrong way round?",
    "what_travel": "travel",
    "no_tilt": lambda _, show: tr(
        "No tilt of the rule was stated; a tilt of 2.6° would look like {slope}.", slope=show.slope(1, 0)
    ),
    "stop": lambda v, show: (
        tr("at {at} up", at=show.length(v["at"], 0))
        if v["up"]
        else tr("at {at} coming back", at=show.length(v["at"], 0))
    ),
    "bend": "The deviations bend by {size:small}: a bowed rule, or a screw, rack or belt that changes along its length; "
    "not a wrong number. Turn the rule end for end: what turns with it comes from the rule.",
    "cyclic": "The deviations swing by {size:small}, probably every {where:len0}: an eccentric pulley or pinion, or a "
    "screw’s lead error; not a wrong number.",
    "slip_from": "From reading {reading} on, everything is {size:small} off: something slipped there.",
    "first_mark": "mark where it starts",
    "read_trip": "trip {trip}: read how far it misses the first mark",
    "tracking_program": "feed tracking, {axis:up} {length:g} mm out and back",
    "trip": "trip {trip}",
    "how_trip": "How far from its first mark it came back; beyond it is +",
    "two_trips": "At least two trips are needed: one return can’t tell drift from slip.",
    "looked_after": "{times} + 1",
    "drifts": "It drifts {drift:+small} each trip of 2 × {length:len0}.",
    "slips": "It slips by up to {slip:small} from trip to trip; the drift is smaller.",
    "look_after": "No setting corrects this: service pinch rollers, grit rollers and media tension, then run it again.",
    "look_after_short": "Service the feed",
    "more_trips": "More trips would tell drift from slip better and may settle it: twice as many halve the "
    "uncertainty.",
}
