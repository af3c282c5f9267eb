"""Bytes and lines on a cable: what is written, what comes, how long one waits for it."""

from __future__ import annotations

import contextlib
import os
import re
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import serial

from keen_compass.controllers.wire_words import (
    ANSWER,
    babbling,
    garbage_read,
    line_cut,
    lost_line,
    not_opened,
    readable,
    silent,
    state_of,
    stopped_by_hand,
)
from keen_compass.errors import PortError
from keen_compass.language import tr
from keen_compass.machines.dialect import Dialect, on_wire

SETTLES = 0.1  # s without a byte, after a greeting
LONGEST_LINE, MOST_LINES, MOST_BYTES = 4000, 400_000, 8_000_000  # of a listing
LONGEST_ANSWER = 20.0  # s that an answer may take in all, whatever comes meanwhile
LONGEST_LISTING = 1800.0  # s: a megabyte at 9600 bits per second
LONGEST_GREETING = 3.0  # s, after which what still comes is no greeting


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


class Wire:
    """A port that is open."""

    def __init__(self, path: str, dialect: Dialect, told: Callable[[Exchange], None] = lambda _: None) -> None:
        self.path, self.dialect = path, dialect
        self._told = told
        self._buffer, self._sent = b"", ""
        self._writing = threading.Lock()
        try:
            self._serial = serial.Serial(path, dialect.baud, timeout=0.02, write_timeout=ANSWER, exclusive=True)
        except (OSError, serial.SerialException, ValueError) as error:
            raise not_opened(path, error) from None

    def close(self) -> None:
        """Let go of it."""
        with contextlib.suppress(OSError, serial.SerialException):
            self._serial.close()

    def _drain(self) -> None:
        """What else it says of having started, so that nobody takes it for a new start later."""
        until, latest = time.monotonic() + SETTLES, time.monotonic() + LONGEST_GREETING
        while time.monotonic() < min(until, latest):
            if self._chunk(state_of("nothing")):
                until = time.monotonic() + SETTLES
        self._buffer = b""

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
            raise stopped_by_hand(state_of("running", now.acknowledged, now.total))
        if was:
            if self.dialect.go_on:
                self._write_bytes(on_wire(self.dialect.go_on))
            yield replace(now, holding=False)

    def _write(self, command: bytes, control: RunControl | None = None, state: str = "", *, heeds: bool = True) -> None:
        """Send a command. heeds: an alarm or a new start that it said unasked since the last one counts."""
        if heeds:
            self._heed_unasked(state or state_of("nothing"))
        with self._writing:
            if control is not None and control.stop.is_set():
                raise stopped_by_hand(state)
            self._buffer = b""
            self._write_bytes(command + self.dialect.end.encode(), control, state)

    def _why(self, refused: dict[str, str]) -> str:
        if refused.get("why"):
            return refused["why"]
        if not self.dialect.ask_why:
            return ""
        self._write(on_wire(self.dialect.ask_why))
        for line in self._lines(state_of("nothing")):
            return f"error {line}"
        return ""

    def _heed_unasked(self, state: str) -> None:
        """Raise PortError for an alarm, or for a new start, that came while nothing was asked."""
        try:
            waiting = self._serial.in_waiting
        except (OSError, serial.SerialException, TypeError):
            raise lost_line(state) from None
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
                raise stopped_by_hand(state)
            try:
                gone = os.write(self._serial.fileno(), left)
                left, until = left[gone:], time.monotonic() + ANSWER
            except BlockingIOError:
                if time.monotonic() > until:
                    raise silent(state or state_of("nothing")) from None
                time.sleep(0.005)
            except (OSError, serial.SerialException):
                raise lost_line(state_of("nothing")) from None
        if data:
            self._told(Exchange(time.monotonic(), True, data))

    def _chunk(self, state: str) -> bytes:
        try:
            data: bytes = self._serial.read(max(self._serial.in_waiting, 1))
        except (OSError, serial.SerialException, TypeError):
            raise lost_line(state) from None
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

        idle: asked when nothing came for so long; whether to go on waiting. stop: from someone who doesn't want to.
        whole: the lines are one answer, which broke off where no more of them come. longest: s, that all of it may
        take, whatever comes meanwhile: a controller that talks unasked is not listened to for ever.
        """
        begun = last = time.monotonic()
        longest = longest or LONGEST_ANSWER
        wait, line, came = wait or ANSWER, "", 0
        while True:
            if stop is not None and stop.is_set():
                raise stopped_by_hand(state)
            *waiting, self._buffer = re.split(rb"[\r\n]+", self._buffer)
            for i, raw in enumerate(waiting):
                if raw.strip():
                    line = readable(raw, state)
                    try:
                        yield line
                    except GeneratorExit:  # whoever asked has enough: the rest is left as it came
                        self._buffer = b"\n".join((*waiting[i + 1 :], self._buffer))
                        raise
            if time.monotonic() - begun > longest or came > MOST_BYTES:
                raise babbling(state)
            if data := self._chunk(state):
                last, came = time.monotonic(), came + len(data)
                self._buffer += data
                if len(self._buffer) - max(self._buffer.rfind(b"\n"), self._buffer.rfind(b"\r")) > LONGEST_LINE:
                    raise garbage_read(self._buffer, state)
            elif time.monotonic() - last > wait:
                if self._buffer.strip():
                    left, self._buffer = self._buffer, b""
                    raise line_cut(readable(left, state), state)
                if not idle():
                    raise line_cut(line, state) if line and whole else silent(state)
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
                raise garbage_read(line.encode(), state)
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
                tr("It reports an alarm{why}.", why=why),
                tr("It takes nothing until the alarm is cleared. ") + state,
                tr("Look at the machine, clear the alarm there, then begin again."),
            )
        if (refused := d.matches("refused", line)) is not None:
            raise PortError(
                "refused",
                tr("It refuses{why}.", why=": " + why if (why := self._why(refused)) else ""),
                state,
                tr("Look at what was sent; its manual knows the word."),
            )
        if d.matches("greeting", line) is not None:
            raise PortError(
                "reset",
                tr("It started anew in the middle."),
                tr("Where it stands is not known to it any more. ") + state,
                tr("Home it, read its settings, then begin again."),
            )
        return False
