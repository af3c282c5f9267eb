"""A controller at the other end of a cable: asked, told, read back, moved, fed a program line by line.

Every method waits, so it belongs in a thread of its own; `stop` alone may be called from another one, and its bytes go
out at once. Nothing is believed that wasn't answered: a listing is read until it comes twice the same, a number that
was sent is read back. What goes wrong is said in three sentences: what happened, what is known now, what to do.
"""

from __future__ import annotations

import contextlib
import errno
import os
import re
import termios
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from types import TracebackType

import serial

from keen_compass.controllers.program import Command, commands_of
from keen_compass.errors import InputError, PortError
from keen_compass.formats.listing import Listing, same_value, understood
from keen_compass.machines.dialect import BAUDS, ENDS, Dialect, on_wire

ANSWER = 2.0  # s without a byte, after which nothing comes any more
TRY = 0.6  # s for each speed that is tried
SETTLES = 0.1  # s without a byte, after a greeting
RAW = 1.0  # s
LONGEST_WRITE = 0.05  # s that a stop waits for a command that is just going out
AT_REST = 0.15  # s between two looks at where it is
LONGEST_MOVE = 600.0  # s that one line may take while the controller says that it is alive
LONGEST_LINE, MOST_LINES, MOST_BYTES = 4000, 400_000, 8_000_000  # of a listing
LONGEST_ANSWER = 20.0  # s that an answer may take in all, whatever comes meanwhile
LONGEST_LISTING = 1800.0  # s: a megabyte at 9600 bits per second
LONGEST_GREETING = 3.0  # s, after which what still comes is no greeting
LONGEST_QUOTE = 24  # letters of a command that is said to have been sent last
TWICE = 3  # readings of a listing, of which two must agree


@dataclass(frozen=True, slots=True)
class Exchange:
    """What went over the wire. at: s, monotonic. ours: whether we sent it."""

    at: float
    ours: bool
    data: bytes


@dataclass(frozen=True, slots=True)
class Progress:
    """Of a run, in commands: how many were sent and acknowledged, of how many."""

    sent: int
    acknowledged: int
    total: int
    holding: bool = False


class RunControl:
    """Hold, go on and stop, from another thread."""

    def __init__(self) -> None:
        self.hold = threading.Event()
        self.stop = threading.Event()


class Cable:
    """An open port. told: every exchange, as it happens. Raises PortError where it can't be opened."""

    def __init__(self, path: str, dialect: Dialect, told: Callable[[Exchange], None] = lambda _: None) -> None:
        self.path, self.dialect = path, dialect
        self._told = told
        self._buffer, self._sent = b"", ""
        self._writing = threading.Lock()
        try:
            self._serial = serial.Serial(path, dialect.baud, timeout=0.02, write_timeout=ANSWER, exclusive=True)
        except (OSError, serial.SerialException, ValueError) as error:
            raise _not_opened(path, error) from None

    def close(self) -> None:
        """Let go of it."""
        with contextlib.suppress(OSError, serial.SerialException):
            self._serial.close()

    def __enter__(self) -> Cable:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    # Asking and telling

    def hello(self, wait: float | None = None) -> str:
        """What it says that it is. wait: s. Raises PortError where it says nothing that makes sense."""
        d = self.dialect
        self._buffer = b""
        self._write(b"", heeds=False)  # ends whatever half a command somebody left
        self._write(on_wire(d.hello or d.ask_position), heeds=False)
        for line in self._lines(_state("nothing"), wait):
            if any(d.matches(name, line) is not None for name in ("greeting", "alarm", "position")):
                if d.ask_why:
                    self._write(on_wire(d.ask_why), heeds=False)  # an old error is none of ours
                    next(self._lines(_state("nothing"), wait))
                self._drain()
                return line
        raise AssertionError  # the lines end in an error

    def _drain(self) -> None:
        """What else it says of having started, so that nobody takes it for a new start later."""
        until, latest = time.monotonic() + SETTLES, time.monotonic() + LONGEST_GREETING
        while time.monotonic() < min(until, latest):
            if self._chunk(_state("nothing")):
                until = time.monotonic() + SETTLES
        self._buffer = b""

    def read(self) -> Listing:
        """Its settings, as they came twice the same. Raises PortError."""
        d = self.dialect
        if not d.ask_listing:
            raise InputError("this controller’s profile doesn’t say how to ask for its settings", "ask_listing")
        seen: list[tuple[str, ...]] = []
        for _ in range(TWICE):
            self._write(on_wire(d.ask_listing))
            lines = tuple(self._until_acknowledged(_state("nothing"), listing=True))
            if lines in seen:
                return understood("".join(f"{line}\n" for line in lines).encode())
            seen.append(lines)
        raise PortError(
            "garbage",
            "Its settings came differently each time.",
            _state("nothing"),
            "Is the cable near a motor or a torch? Try a lower speed, then read again.",
        )

    def send(self, key: str, value: str) -> str:
        """Another number for a setting; returns it as it was read back. Raises PortError, InputError."""
        d = self.dialect
        if not d.set_value:
            raise InputError("this controller’s profile doesn’t say how to set a number", "set_value")
        if ";" in f"{key}{value}" or not value.strip():
            raise InputError("expected a key and a number on one line", f"{key}={value}"[:60])
        told = on_wire(d.set_value, key=key, value=value)
        old = self.read().entry(key).value
        self._write(told)
        try:
            self._settled(_state("set", key, value, old))
        except PortError as error:
            if error.kind in ("lost", "refused"):
                raise
            raise self._with_what_it_holds(error, key, value, old) from None
        try:
            now = self.read().entry(key).value
        except PortError as error:
            raise PortError(error.kind, error.happened, _state("set", key, value, old), error.way_on) from None
        if same_value(now, value):
            return now
        held = f"It still holds {now}." if same_value(now, old) else f"It holds {now} instead, not {value}."
        raise PortError(
            "otherwise",
            f"It said yes to {key} = {value}, but reading it back shows something else.",
            held,
            "Send it once more; if it stays so, enter the number at the controller and look there.",
        )

    def _with_what_it_holds(self, error: PortError, key: str, value: str, old: str) -> PortError:
        """The same, with what it holds now, where it tells."""
        try:
            now = self.read().entry(key).value
        except (PortError, InputError):
            return error
        which = "the new number" if same_value(now, value) else "the old one" if same_value(now, old) else "another one"
        return PortError(error.kind, error.happened, f"It holds {key} = {now}, {which}.", error.way_on)

    def position(self) -> dict[str, float]:
        """Where it is, mm by axis. Raises PortError."""
        d = self.dialect
        if not d.ask_position or not d.position:
            raise InputError("this controller’s profile doesn’t say how to ask where it is", "ask_position")
        self._write(on_wire(d.ask_position))
        found: dict[str, float] | None = None
        for line in self._lines(_state("nothing")):
            if (at := d.matches("position", line)) is not None:
                found = {a: float(at[a]) / d.per_mm for a in "xyz" if at.get(a)}
                if not d.position_acknowledged:
                    return found
            elif self._ends(line, _state("nothing")) and found is not None:
                return found
        raise AssertionError

    def jog(self, axis: str, distance: float, feed: float, control: RunControl | None = None) -> None:
        """A step along an axis, mm and mm/min; it may still be moving when this returns. Raises PortError."""
        d = self.dialect
        if not d.jog:
            raise InputError("this controller’s profile doesn’t say how to move a step", "jog")
        steps = {f"d{a}": _plain(distance * d.per_mm if a == axis else 0.0) for a in "xyz"}
        command = on_wire(d.jog, axis=axis.upper(), distance=_plain(distance * d.per_mm), feed=_plain(feed), **steps)
        self._write(command, control, _state("moving"))
        self._settled(_state("moving"), control)

    def raw(self, text: str) -> list[str]:
        """Whatever it answers to something within a second, as it can be read."""
        self._write(on_wire(text), heeds=False)
        until, found = time.monotonic() + RAW, b""
        while time.monotonic() < until:
            found += self._chunk(_state("nothing"))
        lines = re.split(rb"[\r\n]+", found)
        return ["".join(chr(b) if 32 <= b < 127 else "·" for b in line) for line in lines if line.strip()]

    def reset(self) -> str:
        """Have it start anew; returns its greeting. Raises PortError."""
        if not self.dialect.reset:
            raise InputError("this controller’s profile doesn’t say how it starts anew: switch it off and on", "reset")
        self._buffer = b""
        self._write(on_wire(self.dialect.reset), heeds=False)
        with contextlib.suppress(PortError):  # who says nothing of itself is asked
            # Heard before anything is asked, or it would be taken for the answer, and the answer for a new start.
            next(line for line in self._lines(_state("nothing")) if self.dialect.matches("greeting", line) is not None)
        return self.hello() if self.dialect.hello else ""

    def stop(self, control: RunControl | None = None) -> None:
        """At once, from any thread, ahead of everything that waits; of the run no command leaves after it."""
        free = self._writing.acquire(timeout=LONGEST_WRITE)
        try:
            if control is not None:
                control.stop.set()
            with contextlib.suppress(OSError, serial.SerialException, termios.error):
                self._serial.reset_output_buffer()  # what waits to go out is not wanted any more
            self._write_bytes(on_wire(self.dialect.stop))
        finally:
            if free:
                self._writing.release()

    def run(self, program: bytes, control: RunControl) -> Iterator[Progress]:
        """Feed it a program, command by command; yields after each acknowledgement. Raises PortError, InputError.

        Where the program waits for somebody (M0) it is held here. It is over when it stands still. Whatever ends it
        early ends with the profile's stop, and with what switches the tool off.
        """
        commands = commands_of(program, self.dialect)
        last, self._sent = Progress(0, 0, len(commands)), ""
        try:
            for last in self._feed(commands, control):
                yield last
        except PortError as error:
            if error.kind == "lost":
                acknowledged = _state("running", last.acknowledged, last.total)
                raise _lost(f"{acknowledged} {self._last_sent()} It may still run what it has.") from None
            state = f"{error.state} {self._last_sent()} {self.make_safe(control)}"
            raise PortError(error.kind, error.happened, state, error.way_on) from None

    def _last_sent(self) -> str:
        return f"Last sent: {self._sent}." if self._sent else "No command was sent."

    def make_safe(self, control: RunControl) -> str:
        """Stop it, unless somebody did, and switch its tool off; what is said of that."""
        try:
            if not control.stop.is_set():
                self.stop(control)
            if self.dialect.off:
                self._write_bytes(on_wire(self.dialect.off) + self.dialect.end.encode())
        except PortError:
            return "Stop could not be sent: stop it at the machine."
        return f"{'Stop and off were' if self.dialect.off else 'Stop was'} sent: it probably stands still."

    def _feed(self, commands: Sequence[Command], control: RunControl) -> Iterator[Progress]:
        d, sent = self.dialect, 0
        for first in range(0, len(commands), d.group):
            for command in commands[first : first + d.group]:
                yield from self._heed(control, Progress(sent, first, len(commands)))
                if command.text:
                    self._write(command.text.encode("ascii"), control, _state("running", first, len(commands)))
                    self._sent = command.text[:LONGEST_QUOTE]
                    if not d.sync:
                        self._settled(_state("running", sent, len(commands)), control)
                sent += 1
                if command.pauses:  # what stands beside it is done first; then it is we who wait
                    control.hold.set()
                    yield from self._heed(control, Progress(sent, sent, len(commands)))
                if command.pauses or not d.sync:
                    yield Progress(sent, sent, len(commands))
            if d.sync:
                self._settled(_state("running", first, len(commands)), control)
                yield Progress(sent, sent, len(commands))
        yield from self._until_still(control, Progress(sent, sent, len(commands)))

    def _heed(self, control: RunControl, now: Progress) -> Iterator[Progress]:
        """Wait while it is held; raise where it is to stop."""
        was = False
        while control.hold.is_set() and not control.stop.is_set():
            if not was:
                was = True
                if self.dialect.hold:
                    self._write_bytes(on_wire(self.dialect.hold))
                yield replace(now, holding=True)
            time.sleep(0.01)
        if control.stop.is_set():
            raise _stopped(_state("running", now.acknowledged, now.total))
        if was:
            if self.dialect.go_on:
                self._write_bytes(on_wire(self.dialect.go_on))
            yield replace(now, holding=False)

    def _until_still(self, control: RunControl, now: Progress) -> Iterator[Progress]:
        """All is sent: it is over when it is twice in the same place."""
        if not self.dialect.ask_position:
            return
        last, until = None, time.monotonic() + LONGEST_MOVE
        while (here := self.position()) != last or control.hold.is_set():
            last = here
            if time.monotonic() > until and not control.hold.is_set():
                raise _restless(_state("running", now.acknowledged, now.total))
            yield from self._heed(control, now)
            time.sleep(AT_REST)

    # The wire

    def _write(self, command: bytes, control: RunControl | None = None, state: str = "", *, heeds: bool = True) -> None:
        """Send a command. heeds: an alarm or a new start that it said unasked since the last one counts."""
        if heeds:
            self._heed_unasked(state or _state("nothing"))
        with self._writing:
            if control is not None and control.stop.is_set():
                raise _stopped(state)
            self._buffer = b""
            self._write_bytes(command + self.dialect.end.encode(), control, state)

    def _heed_unasked(self, state: str) -> None:
        """Raise PortError for an alarm, or for a new start, that came while nothing was asked."""
        try:
            waiting = self._serial.in_waiting
        except (OSError, serial.SerialException, TypeError):
            raise _lost(state) from None
        if waiting:
            self._buffer += self._chunk(state)
        for raw in re.split(rb"[\r\n]+", self._buffer)[:-1]:
            line = raw.decode("latin-1").strip()
            if any(self.dialect.matches(name, line) is not None for name in ("alarm", "greeting")):
                self._buffer = b""
                self._ends(line, state, acknowledged=False)

    def _write_bytes(self, data: bytes, control: RunControl | None = None, state: str = "") -> None:
        """Past pyserial's own waiting: a stop must not queue behind anything, and a full buffer is no lost cable."""
        left, until = data, time.monotonic() + ANSWER
        while left:
            if control is not None and control.stop.is_set():
                raise _stopped(state)
            try:
                gone = os.write(self._serial.fileno(), left)
                left, until = left[gone:], time.monotonic() + ANSWER
            except BlockingIOError:
                if time.monotonic() > until:
                    raise _silent(state or _state("nothing")) from None
                time.sleep(0.005)
            except (OSError, serial.SerialException):
                raise _lost(_state("nothing")) from None
        if data:
            self._told(Exchange(time.monotonic(), True, data))

    def _chunk(self, state: str) -> bytes:
        try:
            data: bytes = self._serial.read(max(self._serial.in_waiting, 1))
        except (OSError, serial.SerialException, TypeError):
            raise _lost(state) from None
        if data:
            self._told(Exchange(time.monotonic(), False, data))
        return data

    def _lines(
        self,
        state: str,
        wait: float | None = None,
        idle: Callable[[], bool] = lambda: False,
        stop: threading.Event | None = None,
        *,
        whole: bool = True,
        longest: float | None = None,
    ) -> Iterator[str]:
        """Its lines as they come. Raises PortError when nothing comes any more, or nothing that can be read.

        idle: asked when nothing came for so long; whether to go on waiting. stop: from somebody who doesn't want to.
        whole: the lines are one answer, which broke off where no more of them come. longest: s, that all of it may
        take, whatever comes meanwhile: a controller that talks unasked is not listened to for ever.
        """
        begun = last = time.monotonic()
        longest = longest or LONGEST_ANSWER
        wait, line, came = wait or ANSWER, "", 0
        while True:
            if stop is not None and stop.is_set():
                raise _stopped(state)
            *waiting, self._buffer = re.split(rb"[\r\n]+", self._buffer)
            for i, raw in enumerate(waiting):
                if raw.strip():
                    line = _readable(raw, state)
                    try:
                        yield line
                    except GeneratorExit:  # whoever asked has enough: the rest is left as it came
                        self._buffer = b"\n".join((*waiting[i + 1 :], self._buffer))
                        raise
            if time.monotonic() - begun > longest or came > MOST_BYTES:
                raise _babbling(state)
            if data := self._chunk(state):
                last, came = time.monotonic(), came + len(data)
                self._buffer += data
                if len(self._buffer) - max(self._buffer.rfind(b"\n"), self._buffer.rfind(b"\r")) > LONGEST_LINE:
                    raise _garbage(self._buffer, state)
            elif time.monotonic() - last > wait:
                if self._buffer.strip():
                    left, self._buffer = self._buffer, b""
                    raise _cut(_readable(left, state), state)
                if not idle():
                    raise _cut(line, state) if line and whole else _silent(state)
                last = time.monotonic()

    def _until_acknowledged(self, state: str, *, listing: bool = False) -> Iterator[str]:
        """The lines of an answer, without what ends it. Raises PortError."""
        for count, line in enumerate(self._lines(state, longest=LONGEST_LISTING if listing else LONGEST_ANSWER)):
            ends = listing and bool(self.dialect.listing_ends)
            if ends and self.dialect.matches("listing_ends", line) is not None:
                return
            if self._ends(line, state, acknowledged=not ends):
                return
            if count > MOST_LINES:
                raise _garbage(line.encode(), state)
            yield line

    def _ends(self, line: str, state: str, *, acknowledged: bool = True) -> bool:
        """Whether a line is the acknowledgement. Raises PortError where it is a refusal, an alarm, or a new start."""
        d = self.dialect
        if acknowledged and d.matches("acknowledged", line) is not None:
            return True
        if (alarm := d.matches("alarm", line)) is not None:
            why = f": {alarm['why']}" if alarm.get("why") else ""
            raise PortError(
                "alarm",
                f"It reports an alarm{why}.",
                "It takes nothing until the alarm is cleared. " + state,
                "Look at the machine, clear the alarm there, then begin again.",
            )
        if (refused := d.matches("refused", line)) is not None:
            raise PortError(
                "refused",
                f"It refuses{': ' + why if (why := self._why(refused)) else ''}.",
                state,
                "Look at what was sent; its manual knows the word.",
            )
        if d.matches("greeting", line) is not None:
            raise PortError(
                "reset",
                "It started anew in the middle.",
                "Where it stands is not known to it any more. " + state,
                "Home it, read its settings, then begin again.",
            )
        return False

    def _why(self, refused: dict[str, str]) -> str:
        if refused.get("why"):
            return refused["why"]
        if not self.dialect.ask_why:
            return ""
        self._write(on_wire(self.dialect.ask_why))
        for line in self._lines(_state("nothing")):
            return f"error {line}"
        return ""

    def _settled(self, state: str, control: RunControl | None = None) -> None:
        """Wait until a command is acknowledged, however long it moves, as long as it is alive. Raises PortError."""
        d = self.dialect
        if d.sync:
            self._write(on_wire(d.sync))
        begun = time.monotonic()
        asked, still, said = False, 0, ""

        def alive() -> bool:
            """Nothing was acknowledged for a while: go on waiting while it is held, or says that it moves."""
            nonlocal asked
            if control is not None and control.hold.is_set():
                return True
            if not d.alive or asked or still > 1 or time.monotonic() - begun > LONGEST_MOVE:
                return False
            asked = True
            self._write_bytes(on_wire(d.alive) + (b"" if d.alive.startswith("\\x1b") else d.end.encode()))
            return True

        stop = control.stop if control else None
        for line in self._lines(state, idle=alive, stop=stop, whole=False, longest=LONGEST_MOVE):
            if self._ends(line, state):
                return
            still = still + 1 if (d.matches("idle", line) is not None if d.idle else line == said) else 0
            asked, said = False, line


def find_out(
    path: str, dialects: Sequence[Dialect], bauds: Sequence[int] = (), told: Callable[[Exchange], None] = lambda _: None
) -> Dialect:
    """The language and speed in which it answers sense. Raises PortError, InputError."""
    tried = 0
    known = list(_with_other_ends(dialects))
    ways = [replace(d, baud=baud) for baud in bauds for d in known] or known
    if not bauds and not path.startswith("/dev/pts/"):  # which have no speed
        ways += [replace(d, baud=baud) for baud in BAUDS for d in known]
    for way in dict.fromkeys(ways):
        with Cable(path, way, told) as cable:
            tried += 1
            try:
                cable.hello(TRY)
            except PortError as error:
                if error.kind == "lost":
                    raise
                continue
            return way
    raise PortError(
        "silence",
        f"{path} doesn’t answer in {tried} ways of asking.",
        "Nothing was changed.",
        "Is it switched on, is it this port, does its profile say how it is asked?",
    )


def _with_other_ends(dialects: Sequence[Dialect]) -> Iterator[Dialect]:
    """Each as it is, then with the other line ends that there are."""
    yield from dialects
    for dialect in dialects:
        if dialect.ends != ";":
            yield from (replace(dialect, ends=ends) for ends in ENDS if ends not in (";", dialect.ends))


def ports() -> list[tuple[str, str]]:
    """(path, what the system calls it) of every port that is there."""
    from serial.tools import list_ports

    return sorted((p.device, p.description) for p in list_ports.comports())


# What went wrong, in three sentences


def _state(what: str, *of: object) -> str:
    """What is known of the controller after something failed."""
    if what == "set":
        key, value, old = of
        return f"Whether {key} is {old} or {value} now is not known."
    if what == "moving":
        return "It may still be moving."
    if what == "running":
        return "{} of {} commands were acknowledged.".format(*of)
    return "Nothing was changed."


def _plain(number: float) -> str:
    return f"{number:.4f}".rstrip("0").rstrip(".") if number else "0"


def _readable(raw: bytes, state: str) -> str:
    if any(byte > 126 or (byte < 32 and byte != 9) for byte in raw):
        raise _garbage(raw, state)
    return raw.decode("ascii").strip()


def _garbage(raw: bytes, state: str) -> PortError:
    seen = "".join(chr(b) if 32 <= b < 127 else "·" for b in raw[:24])
    return PortError(
        "garbage",
        f"It sends what can’t be read (“{seen}”).",
        state,
        "Another speed, or the cable near a motor or a torch? Try again.",
    )


def _silent(state: str) -> PortError:
    return PortError(
        "silence",
        f"It doesn’t answer, for {ANSWER:g} s now.",
        state,
        "Is it switched on and not busy? Look at the cable, then ask again.",
    )


def _babbling(state: str) -> PortError:
    return PortError(
        "garbage",
        "It goes on sending and never answers what was asked.",
        state,
        "Stop whatever else talks to it, or switch it off and on; then ask again.",
    )


def _restless(state: str) -> PortError:
    return PortError(
        "silence",
        f"It has not come to rest within {LONGEST_MOVE / 60:g} minutes.",
        state,
        "Look whether it moves. If it stands, its position wanders: check its encoders, then home it.",
    )


def _cut(line: str, state: str) -> PortError:
    return PortError(
        "cut-line", f"Its answer broke off at “{line[:40]}”.", state, "Look at the cable and its plug, then ask again."
    )


def _lost(state: str) -> PortError:
    return PortError(
        "lost",
        "The cable is gone.",
        f"Nobody sees what the controller does now. {state}",
        "Stop it at the machine if it moves. Plug the cable in, connect again, and look where it stands.",
    )


def _stopped(state: str) -> PortError:
    return PortError(
        "stopped", "Stopped by you.", state, "Look where it stands before anything moves again; home it if unsure."
    )


def _not_opened(path: str, error: Exception) -> PortError:
    number = getattr(error, "errno", None)
    if number == errno.ENOENT:
        happened, way = f"{path} is not there.", "Plug it in, or choose another port."
    elif number == errno.EACCES:
        happened, way = f"{path} may not be opened by you.", "Join the group that owns it (ls -l says which)."
    elif number in (errno.EBUSY, errno.EAGAIN) or "lock" in str(error).lower():
        happened, way = f"{path} is held by another program.", "Close it there first."
    else:
        happened, way = f"{path} can’t be opened as a port.", "Choose another one."
    return PortError("busy" if "held" in happened else "lost", happened, "Nothing was changed.", way)
