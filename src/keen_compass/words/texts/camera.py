"""A camera beside the tool."""

from __future__ import annotations

from keen_compass.language import tr, tr_n, written
from keen_compass.words.say import Show, Text, Values
from keen_compass.words.texts import About
from keen_compass.words.texts.shifts import shifted

ABOUT = About(
    needs=(
        "white paper or film that lies flat, a pen in the tool’s place",
        "the camera’s own program, or a folder in which it leaves its pictures",
    ),
    piece="a cross, looked at from several places of the head",
    lookalikes=(
        "A camera that was knocked or refocused has another scale and rotation: take all pictures again.",
        "A sheet that moved between drawing and looking looks like an offset.",
        "A head that is moved by hand between pictures isn’t at a known position: move it by numbers.",
    ),
)


def _moves(v: Values, show: Show) -> str:
    """The sentence that proves the sign."""
    where = shifted(v, show)
    return (
        tr("The camera really sits {where} of where the controller has it.", where=where)
        if where
        else tr("It sits where it should.")
    )


TEXTS: dict[str, Text] = {
    "step": "Moves of",
    "count": "Pictures",
    "picture": "cross in picture {number}",
    "how": "Click it, or arrow keys: one pixel each, ten with Shift",
    "drop": "Take the picture. Drop it here, paste it with Ctrl+V, or type its file (or a folder to watch) on the right.",
    "pixel": "A pixel is",
    "micrometres": lambda v, _: written(f"{v['um']:.1f} µm"),
    "turned": "Picture turned by",
    "degrees": lambda v, _: written(f"{v['degrees']:+.2f}°").replace("-", "−"),
    "no_cross": "No cross found here: click where it is, or take a sharper picture.",
    "two_crosses": "There is more than one cross: click the one that you drew.",
    "unclear": lambda v, _: tr("The cross is unclear, found to {px:.1f} px: sharper, or more light?", px=v["px"]),
    "too_few": lambda v, _: tr_n(
        "Needs {n} more picture: three are the least.", "Needs {n} more pictures: three are the least.", v["more"]
    ),
    "in_a_line": "These moves lie in a line, so the picture’s rotation can’t be told from its scale: move across that line too.",
    "missed": "Picture {number} doesn’t fit the others by {px:.1f} px: was the right cross found there, did the sheet move?",
    "untested": "Three moves leave nothing to check with: crosses are assumed found to {px:g} px. A fourth move would test that.",
    "mirrored": "The picture is mirrored: it is seen in a mirror or from below. This is taken into account.",
    "moves": _moves,
}
