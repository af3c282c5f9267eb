"""What a machine is sent, in words."""

from __future__ import annotations

from keen_compass.formats.playback import DryRun
from keen_compass.language import tr, tr_n, written
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_length
from keen_compass.quantities.lengths import MM_PER_INCH
from keen_compass.shop.library import How, Starting


def run_in_words(run: DryRun, units: str) -> str:
    """``about 3 min, 5.9 m of lines, 0.3 m between``."""
    if not run.lines:
        stops = sum(step.waits for step in run.steps)
        return tr("{time}, {format}, tool off", time=_time(run.seconds), format=tr_n("{n} stop", "{n} stops", stops))
    on, off = run.length(on=True), run.length(on=False)
    return tr(
        "{time}, {far} of lines, {far2} between", time=_time(run.seconds), far=_far(on, units), far2=_far(off, units)
    )


def so_far_in_words(run: DryRun, seconds: float) -> str:
    """``1:12 of 2:48, tool on``."""
    done, _ = run.at(seconds)
    step = run.steps[done]
    doing = (
        tr("waits") if step.waits else tr("tool on") if step.on else tr("on the way") if step.rapid else tr("tool off")
    )
    return tr("{done} of {whole}, {doing}", done=_clock(seconds), whole=_clock(run.seconds), doing=doing)


def room_in_words(width: float, machine: Machine, *, held: bool, begin: Starting | None) -> str:
    """Who gives the cut how much room, and how that is known. width: mm, the whole of it."""
    wide = _wide(width, machine.units)
    if machine.in_controller("kerf"):
        return tr("Offset by the controller ({wide} kerf); the file is nominal.", wide=wide)
    if held or begin is None:
        return tr("Offset for a {wide} kerf.", wide=wide)
    return tr("Offset for a {wide} kerf (starting value: {whence}).", wide=wide, whence=_whence(begin, machine.units))


def _whence(begin: Starting, units: str) -> str:
    if begin.how is How.DIAMETER:
        return tr("the tool’s diameter")
    said = [f"{show_length(e.subject.thickness, units)} ({_wide(e.width, units)})" for e in begin.of]
    match begin.how:
        case How.BETWEEN:
            return tr("between those of {said} and {said2}", said=said[0], said2=said[1])
        case How.CHARTED:
            return tr("from the maker’s chart")
        case How.ELSEWHERE:
            return tr("as for {material}", material=begin.of[0].subject.material)
    return tr("as for {said}, the nearest", said=said[0])


def _wide(mm: float, units: str) -> str:
    return written(f"{mm:.2f} mm" if units == "mm" else f"{mm / MM_PER_INCH:.4f} in")


def _far(mm: float, units: str) -> str:
    return written(f"{mm / 1000:.1f} m" if units == "mm" else f"{mm / MM_PER_INCH / 12:.0f} ft")


def _time(seconds: float) -> str:
    return (
        tr("about {seconds:.0f} min", seconds=seconds / 60)
        if seconds >= 90
        else tr("about {seconds:.0f} s", seconds=seconds)
    )


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
