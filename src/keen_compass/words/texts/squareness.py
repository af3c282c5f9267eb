"""Squareness."""

from __future__ import annotations

from keen_compass.language import tr
from keen_compass.words.say import Text, capital, say
from keen_compass.words.texts import About

ABOUT = About(
    needs=("two axes with their steps and backlash set", "a pen, scriber or cutter", "an instrument for a diagonal"),
    piece="rectangle read along sides and diagonals, or circle read along four diameters",
    lookalikes=(
        "A sheet that crept while it was drawn leans just like an axis.",
        "Set steps and backlash first: they bend the figure too.",
        "A gantry pushed against its stops by hand squares itself differently from one that was homed.",
    ),
)
TEXTS: dict[str, Text] = {
    "figure": "Figure",
    "rectangle": "rectangle, with its diagonals",
    "circle": "circle, four diameters",
    "width": "width",
    "height": "height",
    "diagonal_1": "diagonal 1",
    "diagonal_2": "diagonal 2",
    "d_0": "along X",
    "d_45": "at 45°",
    "d_90": "along Y",
    "d_135": "at 135°",
    "how_width": "Square to the upright sides, half way up",
    "how_height": "Square to the level sides, half way along",
    "how_diagonal_1": "From the corner with the dot to the far one, corner to corner",
    "how_diagonal_2": "Between the other two corners",
    "how_d_0": "Widest along X",
    "how_d_45": "Widest from the dot’s side to the opposite one",
    "how_d_90": "Widest along Y",
    "how_d_135": "Widest across the other slanted way",
    "read_too": lambda v, show: tr(
        "Read {what} too: all four are needed.", what=tr(" and ").join(say(m, show) for m in v["what"])
    ),
    "no_such_circle": "No circle has these diameters: was one of them read along another line?",
    "no_such_rectangle": "No four-sided piece has these sides and diagonals: was one of them read along another line?",
    "corner": "Corner at lowest X and Y",
    "other_line": lambda v, show: tr(
        "{what} is {length} where {length2} is nominal: was it read along another line?",
        what=capital(say(v["what"], show)),
        length=show.length(v["read"]),
        length2=show.length(v["ordered"], 1),
    ),
    "play_assumed": "The lost motion left in X and Y was taken as 0 ± {U:len} each, assumed: it looks like a lean on a "
    "circle.",
    "move_gantry": "Move the gantry’s end at highest {end:up} by {by:len} towards {way:way}.",
    "move_gantry_now": "the gantry’s end at highest {end:up} towards {way:way}",
    "no_gantry": "No distance between two drives is known: the move is given for {over:len0}.",
    "x_longer": lambda v, show: tr(
        "X comes out {slope} {way} than Y.",
        slope=show.slope(abs(v["by"])),
        way=tr("longer") if v["by"] > 0 else tr("shorter"),
    ),
}
