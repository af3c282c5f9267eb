"""What a machine is sent, in words."""

from __future__ import annotations

from gettext import ngettext

from keen_compass.formats.playback import DryRun
from keen_compass.quantities.lengths import MM_PER_INCH


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


def _far(mm: float, units: str) -> str:
    return f"{mm / 1000:.1f} m" if units == "mm" else f"{mm / MM_PER_INCH / 12:.0f} ft"


def _time(seconds: float) -> str:
    return f"about {seconds / 60:.0f} min" if seconds >= 90 else f"about {seconds:.0f} s"


def _clock(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
