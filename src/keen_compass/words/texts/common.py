"""What several procedures say: questions before a verdict, what would settle it, what was assumed or leant on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from keen_compass.language import marked, tr, tr_n, written
from keen_compass.machines.shown import show_length
from keen_compass.quantities.catalogue import QUANTITIES, unknown_label
from keen_compass.words.say import Show, Text, Values, asked, capital, finished, say

NUMBERS = (
    marked("no"),
    marked("one"),
    marked("two"),
    marked("three"),
    marked("four"),
    marked("five"),
    marked("six"),
    marked("seven"),
    marked("eight"),
    marked("nine"),
)


def settles(v: Values) -> str:
    """How sure a remedy is."""
    return tr("would settle it") if v["sure"] else tr("may settle it")


def _which(v: Values) -> str:
    return tr(" (reading {reading})", reading=v["reading"]) if v.get("reading") else ""


def _doubt(words: str) -> Text:
    """A doubt about one reading, which may be said of something."""

    def text(v: Values, show: Show) -> str:
        return asked(tr(words).replace("{which}", _which(v)))(v, show)

    return text


def _mistaken(words: str) -> Text:
    """A doubt about the unit of a reading, with what was ordered; a bare number, unless inches are what is shown."""

    def text(v: Values, show: Show) -> str:
        shown = show.length(v["value"]) if show.units == "in" else written(f"{v['value']:g}")
        ordered = show.length(v["nominal"]) if show.units == "in" else written(f"{v['nominal']:g} mm")
        return _doubt(words)({**v, "shown": shown, "ordered": ordered}, show)  # type: ignore[operator]

    return text


def _times_off(v: Values, show: Show) -> str:
    size = tr("{factor:g} times too {way}", factor=v["factor"], way=tr("small") if v["small"] else tr("large"))
    return _doubt(f"{size}{{which}}: {say(v['cause'], show)}?")(v, show)  # type: ignore[operator]


def _known(v: Values, show: Show) -> str:
    def shown(value: float) -> str:
        return show.slope(1000 * value) if v["unknown"].endswith("_scale") else show.length(value, 3)

    how = tr("exactly; no uncertainty was given") if v["U"] is None else f"± {shown(v['U'])}"
    return tr(
        "{unknown} known from before: {shown} {how}.",
        unknown=capital(unknown_label(v["unknown"])),
        shown=shown(v["value"]),
        how=how,
    )


def _listed(unknowns: list[str]) -> str:
    return tr(" or ").join(unknown_label(u) for u in unknowns)


def _counted(v: Values, one: str, many: str, **values: Any) -> str:
    """So many more of something, in a word; messages with ``{number}`` in them."""
    return tr_n(one, many, v["more"], number=tr(NUMBERS[v["more"]]), **values)


def _longer(v: Values, show: Show) -> str:
    return tr(
        "a {noun} {length} long (this one is {length2})",
        noun=v["noun"],
        length=show.length(v["long"], 0),
        length2=show.length(v["now"], 0),
    )


# What can be done about a *can't tell*, as it is in a sentence: what `procedures.settle` proposes.
DOING: dict[str, Callable[[Values, Show], str]] = {
    "read_finer": lambda v, show: tr(
        "reading it to {division}, as the {instrument} shows it,",
        division=show.length(v["division"], 3),
        instrument=v["instrument"],
    ),
    "more_readings": lambda v, _: _counted(
        v, "{number} more reading of each {noun}", "{number} more readings of each {noun}", noun=tr(v["noun"])
    ),
    "longer": _longer,
    "other_instrument": lambda v, _: tr("a measurement with the {instrument}", instrument=v["instrument"]),
    "more_pieces": lambda v, _: _counted(v, "{number} more equal piece", "{number} more equal pieces"),
    "closer_steps": lambda v, _: tr("steps half as wide") if v["times"] == 2 else tr("steps a quarter as wide"),
    "prove_scale": lambda v, _: tr("checking the steps of X and Y"),
    "measure_play": lambda v, _: tr("measuring the lost motion of X and Y with a dial"),
    "aim_again": lambda v, _: _counted(
        v, "aiming {number} more time and averaging", "aiming {number} more times and averaging"
    ),
    "draw_again": lambda v, _: _counted(
        v,
        "drawing and reading it {number} more time and averaging",
        "drawing and reading it {number} more times and averaging",
    ),
    "aim_anew": lambda v, _: tr("aiming at each mark again"),
    "seat_again": lambda v, _: _counted(
        v,
        "seating the stock {number} more time, read each time,",
        "seating the stock {number} more times, read each time,",
    ),
    "better_record": lambda v, _: tr("a record from ten repeated readings and three equal pieces"),
}


def _does(code: str) -> Text:
    return lambda v, show: f"{capital(DOING[code](v, show))} {settles(v)}."


def _both(v: Values, show: Show) -> str:
    first, then = (DOING[part["code"]](part["values"], show).rstrip(",") for part in (v["first"], v["then"]))
    return tr(
        "{first} and {then}: both together {settles}.",
        first=capital(first),
        then=then,
        settles=settles(v["first"]["values"]),
    )


def _heading(v: Values, _show: Show) -> str:
    from keen_compass.words.procedures import title

    return f"{title(v['procedure'])}{', ' + v['axis'].upper() if v.get('axis') else ''}"


TEXTS: dict[str, Text] = {
    "": "",
    "plain": "{text}",
    "figure": lambda v, _: written(v["text"]),
    "formula": "{text}",
    "heading": _heading,
    "axis": "Axis",
    "paper": "Paper",
    "as_wide_as_the_roll": "as wide as the roll",
    "no_paper": "No paper fits what is loaded: load a wider roll or a larger sheet.",
    "bars_fit_to_page": lambda v, _: tr(
        "Both check bars are {percent:.1f} % {way}: the print dialog scaled the page. Print at actual size.",
        percent=abs(v["percent"]),
        way=tr("short") if v["percent"] < 0 else tr("long"),
    ),
    "bars_off": "The check bars say that the printer is {percent[0]:+.2f} % off along X, {percent[1]:+.2f} % along Y: "
    "that is the printer’s error, not the cutter’s.",
    "stage_first_artwork": "Choose the artwork first and accept its cut line.",
    "aimed_under_others": lambda v, _: tr(
        "The controller holds other numbers than when the marks were aimed at ({quantities}): aim at the marks again.",
        quantities=", ".join(v["quantities"]),
    ),
    "stage_first_print": "Print the sheet first.",
    "stage_first_bars": "Measure both check bars first.",
    "stage_first_load": "Load the sheet first and type its number.",
    "stage_first_aim": "Aim at the marks first.",
    "sheet_mark": "mark",
    "size": lambda v, show: show_length(v["mm"], show.units),
    "sheet_target": "target",
    "out_of_reach": "For {what:say} {number} the head would have to go {by:len1} beyond its travel: move the sheet that far towards {way:way}.",
    "compensation": "Compensation",
    "on": "on",
    "off": "off",
    "made_in_doubt": lambda v, _: tr(
        "{label} in the controller when this was made is unknown: make another one.",
        label=QUANTITIES[v["quantity"]].label,
    ),
    # Before any verdict
    "zero_reading": _doubt("zero{which} can’t be a size"),
    "looks_inches": _mistaken("this looks like inches{which}: {shown} where {ordered} is nominal"),
    "looks_mm_for_inches": _mistaken("this looks like mm taken for inches{which}: {shown}, nominal {ordered}"),
    "times_off": _times_off,
    "cause_microsteps_16": "a microstep switch at 16 times its value",
    "cause_decimal_point": "a slipped decimal point",
    "cause_microsteps_8": "a microstep switch at 8 times its value",
    "cause_five": "a pulley or screw 5 times as fast",
    "cause_four": "a microstep switch or screw starts at 4 times",
    "cause_three": "screw starts or a pulley at 3 times",
    "cause_pitch": "a pulley, pinion or belt of another pitch",
    "cause_two": "a microstep switch, screw starts or pulley at 2 times",
    "two_readings_apart": asked("two readings {apart:len} apart: read it once more"),
    "odd_reading": asked("reading {reading} is {value:len}, the others {others:len}: is it a mistake?"),
    "finer_than_division": _doubt(
        "{value:g}{which} is finer than the instrument’s resolution ({division:len3}): was it typed in another unit"
    ),
    "does_not_fit": lambda v, show: tr(
        "{what} doesn’t fit the other readings. Read it again.", what=capital(say(v["what"], show))
    ),
    "one_does_not_fit": lambda v, show: tr(
        "One of these doesn’t fit the other readings: {what}. Read them again.",
        what=", ".join(say(w, show) for w in v["what"]),
    ),
    "one_or_known_does_not_fit": lambda v, show: tr(
        "Either one of these is misread ({what}), or what is known of the machine from earlier "
        "rounds no longer holds. Read them again.",
        what=", ".join(say(w, show) for w in v["what"]),
    ),
    "known_does_not_fit": lambda v, _: tr(
        "The readings agree with each other, but not with what is known of {listed} from earlier "
        "rounds. Read them again, or check that first.",
        listed=_listed(v["unknowns"]),
    ),
    "looks_turned": lambda v, show: tr(
        "{what} has the opposite sign to the others. Is that right?", what=capital(say(v["what"], show))
    ),
    "readings_disagree": "The readings contradict each other, or what is known of this machine. Read them again.",
    "looks_swapped": lambda v, show: tr(
        "{a} and {b} look swapped: each reading fits the other.", a=capital(say(v["a"], show)), b=say(v["b"], show)
    ),
    "twice_the_error_before": "Twice the error of the round before: was the number moved the wrong way?",
    "nothing_read": "No reading yet.",
    "nothing_read_of": "No reading of {what:say} yet.",
    # Correcting again
    "not_at_rest": "The second correction should have settled it and did not: the axis is not linear, or something slips. "
    "Look for that before you correct again.",
    "decimals_too_few": "The controller’s decimals can’t hold a finer number: correcting again changes nothing. Allow "
    "more decimals, or accept what is left.",
    "read_near_the_tool": "Read near the tool: a head that tilts slightly on reversal moves a distant dial more "
    "than the tool.",
    "overshoots_more": "It overshoots by {more:len3} more than is compensated, which lost motion can’t cause: check the dial and "
    "its stand.",
    "at_least_zero": "at least 0 of {text}",
    # What would settle it
    "both_together": _both,
    "nothing_at_hand": "None of the instruments here can settle any of these. A caliper or a dial gauge could.",
    "nothing_settles": "Too close to the tolerance for any instrument here: keep the value, or choose another tolerance.",
    "floor": "The {instrument} and what is known of this machine can’t settle it, however often it is read. Use a better "
    "instrument, or accept a wider tolerance.",
    # What was assumed, or known before
    "kind_assumed": "No kind of instrument was given: a {kind:word} is assumed.",
    "repeats_assumed": "Repeatability of the {kind:word} assumed: {s:len3} (standard deviation). No record yet.",
    "scatter_assumed": "Scatter of equal pieces assumed: {s:len} (standard deviation). No record yet.",
    "aim_assumed": "Aiming by eye assumed accurate to {s:len} (standard deviation), the tool’s lines to {drawn:len}.",
    "drawn_assumed": "The tool’s lines assumed true to {drawn:len} (standard deviation).",
    "scatter_learnt": "The readings contradict each other; their scatter is included in the uncertainty.",
    "known_before": _known,
    "suggest_warmth": "Above {above:len0} temperature matters: enter that of the piece and of the instrument.",
    # What the drive train's parts say
    "parts_explain": lambda v, show: tr("The measured number is {why}.", why=say(v["why"], show)),
    "ratio_between": lambda v, show: tr(
        "{ratio:.3g} times as much: {cause}", ratio=v["ratio"], cause=say(v["cause"], show)
    ),
    "other_sign": "The same with the other sign.",
    "ratio_cause": lambda v, show: tr(
        "{ratio:.3g} times the computed number: {cause}", ratio=v["ratio"], cause=say(v["cause"], show)
    ),
    "parts_microsteps_16": "the microstep switch is set to 16 times what was entered",
    "parts_ten": "a decimal point slipped, or a 10:1 gear is missing from the chain",
    "parts_microsteps_8": "the microstep switch is set to 8 times what was entered",
    "parts_five": "a 5:1 gear or a screw of 5 starts is missing from the chain",
    "parts_four": "the microstep switch or the screw's starts are 4 times what was entered",
    "parts_three": "a 3:1 gear is missing from the chain",
    "parts_two": "the microstep switch, the screw's starts or a 0.9° motor taken for 1.8° make a factor of 2",
    "parts_inches": "inches and millimetres were mixed",
    "parts_teeth": "count the teeth again, {teeth} would explain it",
    # What comes first
    "cut_first": "Cut the piece first.",
    "run_first": "Run it first.",
    "print_first": "Print the test first.",
    "measure_first": "Measure the piece first.",
    "correct_first": "Correct first: type what the controller shows now.",
    "answer_first": "Answer the question about the readings first.",
    "still_to_read": "Some lengths are still to be read.",
    "still_out": "Still out of tolerance: correct it, and cut the same piece again.",
    "changed_since_cut": "The controller was changed since this piece was cut: cut the same piece again.",
    "no_room_held": "This controller offsets the path by its own kerf, which isn’t known here: enter what it "
    "holds under Change machine.",
    "no_room_known": "This tool’s width of cut is unknown: enter its diameter under Change machine.",
    "no_stock": "No stock is loaded: enter what is on the bed.",
    "no_place": "No free place of that size on this sheet: choose a smaller piece, or load a new sheet.",
    "too_little_room": lambda v, _: finished(
        tr("too little space here: {name} {why}", name=v["name"], why=v["why"]).replace("  ", " ")
    ),
    "refused": lambda v, _: finished(v["why"].rstrip(".")),
    # A file that was read back
    "file_leaves_bed": "Line {line} of the file would go to X{x:.1f} Y{y:.1f}, off the bed.",
    "file_rapid_in_stock": "Line {line} of the file travels fast with the tool in the stock.",
    "file_ends_on": "The file ends with the tool on.",
    "file_line_not_meant": "The file contains a line that isn’t part of the piece, near X{x:.0f} Y{y:.0f}.",
    "file_line_missing": "The file lacks a line of the piece, near X{x:.0f} Y{y:.0f}.",
}

TEXTS |= {code: _does(code) for code in DOING}

__all__ = ["TEXTS", "finished", "settles"]
