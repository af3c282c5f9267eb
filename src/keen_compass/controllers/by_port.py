"""A controller at the other end of a cable: asked, told, read back, moved, fed a program line by line.

Every method waits, so it belongs in a thread of its own; `stop` alone may be called from another one, and its bytes go
out at once. Nothing is believed that wasn't answered: a listing is read until it comes twice the same, a number that
was sent is read back. What goes wrong is said in three sentences: what happened, what is known now, what to do.
"""

from __future__ import annotations

import contextlib
import re
import termios
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from types import TracebackType

import serial

from keen_compass.controllers.program import Command, commands_of
from keen_compass.controllers.wire import Exchange, Progress, RunControl, Wire
from keen_compass.controllers.wire_words import LONGEST_MOVE, lost_line, plain, restless, state_of
from keen_compass.errors import InputError, PortError
from keen_compass.formats.listing import Listing, same_value, understood
from keen_compass.language import tr
from keen_compass.machines.dialect import BAUDS, ENDS, Dialect, on_wire

TRY = 0.6  # s for each speed that is tried
RAW = 1.0  # s
LONGEST_WRITE = 0.05  # s that a stop waits for a command that is just going out
AT_REST = 0.15  # s between two looks at where it is
LONGEST_QUOTE = 24  # letters of a command that is said to have been sent last
TWICE = 3  # readings of a listing, of which two must agree


class Cable(Wire):
    """An open port. told: every exchange, as it happens. Raises PortError where it can't be opened."""

    def __enter__(self) -> Cable:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()

    # Asking and telling

    def hello(self, wait: float | None = None) -> str:
        """What it says that it is. wait: s. Raises PortError where it says nothing that makes sense."""
        d = self.dialect
        self._buffer = b""
        self._write(b"", heeds=False)  # ends whatever half a command someone left
        self._write(on_wire(d.hello or d.ask_position), heeds=False)
        for line in self._lines(state_of("nothing"), wait):
            if any(d.matches(name, line) is not None for name in ("greeting", "alarm", "position")):
                if d.ask_why:
                    self._write(on_wire(d.ask_why), heeds=False)  # an old error is none of ours
                    next(self._lines(state_of("nothing"), wait))
                self._drain()
                return line
        raise AssertionError  # the lines end in an error

    def read(self) -> Listing:
        """Its settings, as they came twice the same. Raises PortError."""
        d = self.dialect
        if not d.ask_listing:
            raise InputError(tr("this controller’s profile doesn’t say how to ask for its settings"), "ask_listing")
        seen: list[tuple[str, ...]] = []
        for _ in range(TWICE):
            self._write(on_wire(d.ask_listing))
            lines = tuple(self._until_acknowledged(state_of("nothing"), listing=True))
            if lines in seen:
                return understood("".join(f"{line}\n" for line in lines).encode())
            seen.append(lines)
        raise PortError(
            "garbage",
            tr("Its settings came differently each time."),
            state_of("nothing"),
            tr("Is the cable near a motor or a torch? Try a lower speed, then read again."),
        )

    def send(self, key: str, value: str) -> str:
        """Another number for a setting; returns it as it was read back. Raises PortError, InputError."""
        d = self.dialect
        if not d.set_value:
            raise InputError(tr("this controller’s profile doesn’t say how to set a number"), "set_value")
        if ";" in f"{key}{value}" or not value.strip():
            raise InputError(tr("expected a key and a number on one line"), f"{key}={value}"[:60])
        told = on_wire(d.set_value, key=key, value=value)
        old = self.read().entry(key).value
        self._write(told)
        try:
            self._settled(state_of("set", key, value, old))
        except PortError as error:
            if error.kind in ("lost", "refused"):
                raise
            raise self._with_what_it_holds(error, key, value, old) from None
        try:
            now = self.read().entry(key).value
        except PortError as error:
            raise PortError(error.kind, error.happened, state_of("set", key, value, old), error.way_on) from None
        if same_value(now, value):
            return now
        held = f"It still holds {now}." if same_value(now, old) else f"It holds {now} instead, not {value}."
        raise PortError(
            "otherwise",
            tr("It said yes to {key} = {value}, but reading it back shows something else.", key=key, value=value),
            held,
            tr("Send it once more; if it stays so, enter the number at the controller and look there."),
        )

    def _with_what_it_holds(self, error: PortError, key: str, value: str, old: str) -> PortError:
        """The same, with what it holds now, where it tells."""
        try:
            now = self.read().entry(key).value
        except (PortError, InputError):
            return error
        which = "the new number" if same_value(now, value) else "the old one" if same_value(now, old) else "another one"
        return PortError(
            error.kind,
            error.happened,
            tr("It holds {key} = {now}, {which}.", key=key, now=now, which=which),
            error.way_on,
        )

    def position(self) -> dict[str, float]:
        """Where it is, mm by axis. Raises PortError."""
        d = self.dialect
        if not d.ask_position or not d.position:
            raise InputError(tr("this controller’s profile doesn’t say how to ask where it is"), "ask_position")
        self._write(on_wire(d.ask_position))
        found: dict[str, float] | None = None
        for line in self._lines(state_of("nothing")):
            if (at := d.matches("position", line)) is not None:
                found = {a: float(at[a]) / d.per_mm for a in "xyz" if at.get(a)}
                if not d.position_acknowledged:
                    return found
            elif self._ends(line, state_of("nothing")) and found is not None:
                return found
        raise AssertionError

    def jog(self, axis: str, distance: float, feed: float, control: RunControl | None = None) -> None:
        """A step along an axis, mm and mm/min; it may still be moving when this returns. Raises PortError."""
        d = self.dialect
        if not d.jog:
            raise InputError(tr("this controller’s profile doesn’t say how to move a step"), "jog")
        steps = {f"d{a}": plain(distance * d.per_mm if a == axis else 0.0) for a in "xyz"}
        command = on_wire(d.jog, axis=axis.upper(), distance=plain(distance * d.per_mm), feed=plain(feed), **steps)
        self._write(command, control, state_of("moving"))
        self._settled(state_of("moving"), control)

    def raw(self, text: str) -> list[str]:
        """Whatever it answers to something within a second, as it can be read."""
        self._write(on_wire(text), heeds=False)
        until, found = time.monotonic() + RAW, b""
        while time.monotonic() < until:
            found += self._chunk(state_of("nothing"))
        lines = re.split(rb"[\r\n]+", found)
        return ["".join(chr(b) if 32 <= b < 127 else "·" for b in line) for line in lines if line.strip()]

    def reset(self) -> str:
        """Have it start again; returns its greeting. Raises PortError."""
        if not self.dialect.reset:
            raise InputError(
                tr("this controller’s profile doesn’t say how it starts anew: switch it off and on"), "reset"
            )
        self._buffer = b""
        self._write(on_wire(self.dialect.reset), heeds=False)
        with contextlib.suppress(PortError):  # who says nothing of itself is asked
            # Heard before anything is asked, or it would be taken for the answer, and the answer for a new start.
            next(
                line for line in self._lines(state_of("nothing")) if self.dialect.matches("greeting", line) is not None
            )
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

        Where the program waits for someone (M0) it is held here. It is over when it stands still. Whatever ends it
        early ends with the profile's stop, and with what switches the tool off.
        """
        commands = commands_of(program, self.dialect)
        last, self._sent = Progress(0, 0, len(commands)), ""
        try:
            for last in self._feed(commands, control):
                yield last
        except PortError as error:
            if error.kind == "lost":
                acknowledged = state_of("running", last.acknowledged, last.total)
                raise lost_line(f"{acknowledged} {self._last_sent()} It may still run what it has.") from None
            state = f"{error.state} {self._last_sent()} {self.make_safe(control)}"
            raise PortError(error.kind, error.happened, state, error.way_on) from None

    def _last_sent(self) -> str:
        return f"Last sent: {self._sent}." if self._sent else "No command was sent."

    def make_safe(self, control: RunControl) -> str:
        """Stop it, unless someone did, and switch its tool off; what is said of that."""
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
                    self._write(command.text.encode("ascii"), control, state_of("running", first, len(commands)))
                    self._sent = command.text[:LONGEST_QUOTE]
                    if not d.sync:
                        self._settled(state_of("running", sent, len(commands)), control)
                sent += 1
                if command.pauses:  # what is beside it is done first; then it is we who wait
                    control.hold.set()
                    yield from self._heed(control, Progress(sent, sent, len(commands)))
                if command.pauses or not d.sync:
                    yield Progress(sent, sent, len(commands))
            if d.sync:
                self._settled(state_of("running", first, len(commands)), control)
                yield Progress(sent, sent, len(commands))
        yield from self._until_still(control, Progress(sent, sent, len(commands)))

    def _until_still(self, control: RunControl, now: Progress) -> Iterator[Progress]:
        """All is sent: it is over when it is twice in the same place."""
        if not self.dialect.ask_position:
            return
        last, until = None, time.monotonic() + LONGEST_MOVE
        while (here := self.position()) != last or control.hold.is_set():
            last = here
            if time.monotonic() > until and not control.hold.is_set():
                raise restless(state_of("running", now.acknowledged, now.total))
            yield from self._heed(control, now)
            time.sleep(AT_REST)

    # The wire

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
        tr("{path} doesn’t answer in {tried} ways of asking.", path=path, tried=tried),
        tr("Nothing was changed."),
        tr("Is it switched on, is it this port, does its profile say how it is asked?"),
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
