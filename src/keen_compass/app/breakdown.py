"""When something goes wrong that nobody foresaw: what happened is kept as a text file, and offered once.

A report tells the last acts by their kinds, never what was read or typed; the versions of all that the program stands
on; and where in the program it happened. A crash of the whole process is found when the program is started again.
Nothing is sent.
"""

from __future__ import annotations

import os
import traceback
from collections import deque
from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType
from typing import IO, TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr

if TYPE_CHECKING:
    import logging

MOST_ACTS = 40  # that a report tells
MOST_REPORTS = 10  # that are kept
LARGEST_LOG, LOGS = 500_000, 3  # bytes of a log, and how many older ones are kept
RUNNING = "running-"  # how the file begins into which a crash of a process is written
_acts: deque[str] = deque(maxlen=MOST_ACTS)
_told: set[str] = set()  # where in the program, of what was kept already
_open: list[IO[str]] = []  # into which a crash is written
_logs: list[logging.Logger] = []  # that is asked for, if it is


def folder() -> Path:
    """Where reports and logs are."""
    import platformdirs

    return Path(platformdirs.user_log_dir("keen-compass"))


def log_to(level: str) -> None:
    """Write a log from here on, of everything at least as grave as that: a level of `logging`, in any case.

    Raises InputError where it can't be written.
    """
    import logging
    from logging.handlers import RotatingFileHandler

    file = folder() / "keen-compass.log"
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(file, maxBytes=LARGEST_LOG, backupCount=LOGS, encoding="utf-8")
    except OSError as error:
        raise InputError(tr("{file} can't be written: {reason}", file=file, reason=error.strerror), "--log") from None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    log = logging.getLogger("keen-compass")
    log.setLevel(level.upper())
    log.propagate = False
    log.handlers = [handler]
    _logs[:] = [log]


def note_act(what: str) -> None:
    """Something was done, by its kind: no readings, no names."""
    _acts.append(what)
    for log in _logs:
        log.info(what)


def note_refusal(words: str) -> None:
    """Something was refused in words, for the log alone."""
    for log in _logs:
        log.warning(words)


def kept(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> Path | None:
    """A report of what was raised; None where the same was told before, or it can't be written."""
    lines = traceback.format_exception(kind, error, trace)
    for log in _logs:
        log.error("".join(lines))
    where = "".join(traceback.format_tb(trace)) + kind.__name__
    if where in _told:
        return None
    _told.add(where)
    return _report("".join(lines), _acts)


def watch() -> Path | None:
    """From here on a crash of this process is written down, too. Returns a report of an earlier one's, if there is any
    that nobody was told of.
    """
    import faulthandler

    place = folder()
    try:
        place.mkdir(parents=True, exist_ok=True)
        found = [_left_behind(file) for file in sorted(place.glob(f"{RUNNING}*.txt"))]
        _open.append((place / f"{RUNNING}{os.getpid()}.txt").open("w"))
        faulthandler.enable(_open[-1])
    except OSError:  # a full disk, or a folder that isn't ours: no reason not to start
        return None
    return next((report for report in reversed(found) if report is not None), None)


def done() -> None:
    """The process ends as it should."""
    import faulthandler

    faulthandler.disable()
    while _open:
        _open.pop().close()
    (folder() / f"{RUNNING}{os.getpid()}.txt").unlink(missing_ok=True)


def _left_behind(file: Path) -> Path | None:
    """A report of a process that is gone, of which that file tells; None where it runs, or ended without a crash."""
    number = file.stem.removeprefix(RUNNING)
    if not number.isdigit() or _runs(int(number)):
        return None
    text = file.read_text("utf-8", "replace")
    file.unlink(missing_ok=True)
    return _report(text, ()) if text.strip() else None


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return process != os.getpid()


def _report(what: str, acts: Iterable[str]) -> Path | None:
    from keen_compass import __version__
    from keen_compass.reports.versions import stands_on

    now = datetime.now(UTC)
    done_before = [f"- {act}" for act in acts] or ["- nothing is known of it"]
    lines = [
        f"Keen Compass {__version__}, {now:%Y-%m-%d %H:%M} UTC",
        *stands_on(),
        "",
        "What was done, the last at the end:",
        *done_before,
        "",
        what,
    ]
    place = folder()
    file = place / f"report-{now:%Y%m%d-%H%M%S-%f}.txt"
    try:
        place.mkdir(parents=True, exist_ok=True)
        file.write_text("\n".join(lines), "utf-8")
        for old in sorted(place.glob("report-*.txt"))[:-MOST_REPORTS]:
            old.unlink(missing_ok=True)
    except OSError:
        return None
    return file
