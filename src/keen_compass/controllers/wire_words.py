"""What went wrong on a cable, in words: what was read, in which state it is now, what to do."""

from __future__ import annotations

import errno

from keen_compass.errors import PortError
from keen_compass.language import tr

ANSWER = 2.0  # s without a byte, after which nothing comes any more
LONGEST_MOVE = 600.0  # s that one line may take while the controller says that it is alive


def state_of(what: str, *of: object) -> str:
    """What is known of the controller after something failed."""
    if what == "set":
        key, value, old = of
        return f"Whether {key} is {old} or {value} now is not known."
    if what == "moving":
        return "It may still be moving."
    if what == "running":
        return "{} of {} commands were acknowledged.".format(*of)
    return "Nothing was changed."


def plain(number: float) -> str:
    return f"{number:.4f}".rstrip("0").rstrip(".") if number else "0"


def readable(raw: bytes, state: str) -> str:
    if any(byte > 126 or (byte < 32 and byte != 9) for byte in raw):
        raise garbage_read(raw, state)
    return raw.decode("ascii").strip()


def garbage_read(raw: bytes, state: str) -> PortError:
    seen = "".join(chr(b) if 32 <= b < 127 else "·" for b in raw[:24])
    return PortError(
        "garbage",
        tr("It sends what can’t be read (“{seen}”).", seen=seen),
        state,
        tr("Another speed, or the cable near a motor or a torch? Try again."),
    )


def silent(state: str) -> PortError:
    return PortError(
        "silence",
        tr("It doesn’t answer, for {answer:g} s now.", answer=ANSWER),
        state,
        tr("Is it switched on and not busy? Look at the cable, then ask again."),
    )


def babbling(state: str) -> PortError:
    return PortError(
        "garbage",
        tr("It goes on sending and never answers what was asked."),
        state,
        tr("Stop whatever else talks to it, or switch it off and on; then ask again."),
    )


def restless(state: str) -> PortError:
    return PortError(
        "silence",
        tr("It has not come to rest within {longest_move:g} minutes.", longest_move=LONGEST_MOVE / 60),
        state,
        tr("Look whether it moves. If it stands, its position wanders: check its encoders, then home it."),
    )


def line_cut(line: str, state: str) -> PortError:
    return PortError(
        "cut-line",
        tr("Its answer broke off at “{line}”.", line=line[:40]),
        state,
        tr("Look at the cable and its plug, then ask again."),
    )


def lost_line(state: str) -> PortError:
    return PortError(
        "lost",
        tr("The cable is gone."),
        tr("Nobody sees what the controller does now. {state}", state=state),
        tr("Stop it at the machine if it moves. Plug the cable in, connect again, and look where it stands."),
    )


def stopped_by_hand(state: str) -> PortError:
    return PortError(
        "stopped",
        tr("Stopped by you."),
        state,
        tr("Look where it stands before anything moves again; home it if unsure."),
    )


def not_opened(path: str, error: Exception) -> PortError:
    number = getattr(error, "errno", None)
    if number == errno.ENOENT:
        happened, way = f"{path} is not there.", "Plug it in, or choose another port."
    elif number == errno.EACCES:
        happened, way = f"{path} may not be opened by you.", "Join the group that owns it (ls -l says which)."
    elif number in (errno.EBUSY, errno.EAGAIN) or "lock" in str(error).lower():
        happened, way = f"{path} is held by another program.", "Close it there first."
    else:
        happened, way = f"{path} can’t be opened as a port.", "Choose another one."
    return PortError("busy" if "held" in happened else "lost", happened, tr("Nothing was changed."), way)
