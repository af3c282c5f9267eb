"""The shop file: what of it can't be trusted, and what an older one didn't keep."""

from __future__ import annotations

from keen_compass.language import tr, tr_n
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.words.say import Show, Text, Values

NOUNS = {
    "about": "its own description",
    "machine": "machine",
    "instrument": "instrument",
    "round": "round",
    "mark": "step",
    "piece": "piece",
    "stage": "stage",
    "blob": "file",
    "thing": "tool or stock",
    "mounted": "what was mounted",
    "reading": "reading",
    "draft": "half reading",
    "value": "number",
    "finding": "finding",
    "event": "event",
    "stand_in": "practice machine",
    "redated": "change of date",
}
MOST_LISTED = 12


def _row(v: Values, _show: Show) -> str:
    words = f"{tr(NOUNS[v['table']])} {v['number']}"
    return f"{words} ({v['day']})" if v["day"] else words


def _found_otherwise(v: Values, show: Show) -> str:
    words = tr(
        "{label}: the controller held {here}, the logbook said {said} since {since}.",
        label=QUANTITIES[v["quantity"]].label,
        here=v["here"],
        said=v["said"],
        since=v["since"][:10],
    )
    if not v["pieces"]:
        return words
    noun = tr_n("piece", "pieces", len(v["pieces"]))
    numbers = v["pieces"]
    which = (
        tr("{first} to {last}", first=numbers[0], last=numbers[-1])
        if len(numbers) > MOST_LISTED
        else ", ".join(map(str, numbers))
    )
    return tr("{words} Made in between, so in doubt: {noun} {which}.", words=words, noun=noun, which=which)


TEXTS: dict[str, Text] = {
    # The settings with which a kerf was found
    "with_feed": "feed {value:feed}",
    "with_pierce_height": "pierces {value:len} above",
    "with_cut_height": "cuts {value:len} above",
    "with_pierce_delay": "a pierce takes {value:g} s",
    "with_power": "power {value:g} %",
    "with_focus": "lens at {value:len}",
    "went_off": "The machine went off while something was being written: look whether the last entry is there. What was "
    "being written is kept in {kept}.",
    "profile_left_out": lambda v, _: tr("A {noun}’s profile can’t be understood and is left out.", noun=v["noun"]),
    "log_missing": "the log beside the file, so what was written last is missing",
    "list": lambda v, _: tr("the list: {nouns}", nouns=tr(NOUNS[v["table"]])),
    "structure": "its structure ({said})",
    "description": NOUNS["about"],
    "row": _row,
    "changed": "it isn’t what was written any more",
    "no_counterpart": "{column}: what it belongs to ({table}) isn’t there",
    "other_bytes": "its bytes aren’t those that it is called by",
    "found_otherwise": _found_otherwise,
}
