"""What a machine is sent, in words."""

from __future__ import annotations

from gettext import ngettext

from keen_compass.formats.playback import DryRun
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.shop.library import How, Starting


def run_in_words(run: DryRun, units: str) -> str:
    """``about 3 min, 5.9 m of lines, 0.3 m between``."""
    if not run.lines:
        stops = sum(step.waits for step in run.steps)
        return f"{_time(run.seconds)}, {ngettext('{n} stop', '{n} stops', stops).format(n=stops)}, tool off"
    on, off = run.length(on=True), run.length(on=False)
    return f"{_time(run.seconds)}, {_far(on, units)} of lines, {_far(off, units)} between"


def so_far_in_words(run: DryRun, seconds: float) -> str:
    """``1:12 of 2:48, tool on``."""
    done, _ = run.at(seconds)
    step = run.steps[done]
    doing = "waits" if step.waits else "tool on" if step.on else "on the way" if step.rapid else "tool off"
    return f"{_clock(seconds)} of {_clock(run.seconds)}, {doing}"


def room_in_words(width: float, machine: Machine, *, held: bool, begin: Starting | None) -> str:
    """Who gives the cut how much room, and how that is known. width: mm, the whole of it."""
    wide = _wide(width, machine.units)
    if machine.in_controller("kerf"):
        return f"Offset by the controller ({wide} kerf); the file is nominal."
    if held or begin is None:
        return f"Offset for a {wide} kerf."
    return f"Offset for a {wide} kerf (starting value: {_whence(begin, machine.units)})."


def _whence(begin: Starting, units: str) -> str:
    if begin.how is How.DIAMETER:
        return "the tool’s diameter"
    said = [f"{show_length(e.subject.thickness, units)} ({_wide(e.width, units)})" for e in begin.of]
    match begin.how:
        case How.BETWEEN:
            return f"between those of {said[0]} and {said[1]}"
        case How.CHARTED:
            return "from the maker’s chart"
        case How.ELSEWHERE:
            return f"as for {begin.of[0].subject.material}"
    return f"as for {said[0]}, the nearest"


def _wide(mm: float, units: str) -> str:
    return f"{mm:.2f} mm" if units == "mm" else f"{mm / MM_PER_INCH:.4f} in"


def _far(mm: float, units: str) -> str:
    return f"{mm / 1000:.1f} m" if units == "mm" else f"{mm / MM_PER_INCH / 12:.0f} ft"


def _time(seconds: float) -> str:
    return f"about {seconds / 60:.0f} min" if seconds >= 90 else f"about {seconds:.0f} s"


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
