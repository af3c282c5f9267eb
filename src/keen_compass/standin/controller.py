"""A simulated controller at the other end of a cable: a pseudo-terminal, opened exactly as a real port would be.

Two dialects of our own: `TEXT` answers every line with a word; `HPGL` knows HP-GL's standard queries, acknowledges
nothing by itself, and keeps its settings under an instruction of its own. Faults strike what is asked, never the first
hello. Nothing is shared with the program that speaks to it.
"""

from __future__ import annotations

import contextlib
import math
import os
import pty
import random
import re
import select
import threading
import time
import tty
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

FAULTS = ("silence", "cut-line", "garbage", "wrong-echo", "slow", "reset", "alarm")
TEXT, HPGL = "text", "hpgl"
STOP, HOLD, GO_ON = b"\x1b", b"\x13", b"\x11"  # acted upon before anything that waits
AHEAD = 3  # moves that are understood before they are made
UNITS = 40.0  # of HP-GL, per mm
TRAVEL = 6000.0  # mm/min, of moves that don't cut
SLOW = 0.35  # s before each answer
PLOTS = ("PU", "PD", "PA", "PR", "IN", "SP", "VS", "FS", "IP", "SC", "LT", "CI", "AA", "AR", "CT", "PG", "DF", "RO")
NAMES = {TEXT: "quay text 2 ready", HPGL: "QUAY-PLOT 2"}


@dataclass
class _Moving:
    """A straight move under way: from, to (mm), how long it takes, how long it has been under way (s)."""

    start: tuple[float, float, float]
    end: tuple[float, float, float]
    takes: float
    done: float = 0.0


@dataclass
class Axes:
    """Where the head is, and where it is still to go; mm."""

    at: tuple[float, float, float] = (0.0, 0.0, 0.0)
    waiting: list[_Moving] = field(default_factory=list)
    held: bool = False

    @property
    def end(self) -> tuple[float, float, float]:
        """Where it will be when all is done."""
        return self.waiting[-1].end if self.waiting else self.at

    def go(self, end: tuple[float, float, float], feed: float) -> None:
        """One more move. feed: mm/min."""
        length = math.dist(self.end, end)
        self.waiting.append(_Moving(self.end, end, length / max(feed, 1.0) * 60))

    def pass_time(self, seconds: float) -> None:
        """Move for so long."""
        while self.waiting and seconds > 0 and not self.held:
            move = self.waiting[0]
            spent = min(seconds, move.takes - move.done)
            move.done += spent
            seconds -= spent
            share = move.done / move.takes if move.takes else 1.0
            x, y, z = (a + share * (b - a) for a, b in zip(move.start, move.end, strict=True))
            self.at = (x, y, z)
            if move.done >= move.takes:
                self.waiting.pop(0)

    def stop(self) -> None:
        """Where it is, at once."""
        self.waiting.clear()
        self.held = False


class StandInController:
    """settings: key → number as text. fast: how many times as fast as in life it moves. after: how often a fault lets
    what is asked pass before it strikes. arrived: commands of the program that came over the wire.
    """

    def __init__(
        self,
        settings: Mapping[str, str],
        dialect: str = TEXT,
        *,
        fault: str = "",
        seed: int = 1,
        fast: float = 1.0,
        after: int = 0,
    ) -> None:
        self.settings = dict(settings)
        self.arrived: list[str] = []
        self.axes = Axes()
        self.stopped_at: list[float] = []  # times (s, monotonic) at which it stopped
        self._dialect, self._fault, self._fast, self._left = dialect, fault, fast, after
        self._rng = random.Random(f"controller {seed}")
        self._alarmed = False
        self._error = 0
        self._feed, self._relative, self._scale, self._kind = 1000.0, False, 1.0, 0
        self._down = False
        self._buffer = b""
        self._commands: list[str] = []
        self._ending = threading.Event()
        self._master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        os.set_blocking(self._master, False)  # what was seen coming may be flushed before it is read
        self.path = os.ttyname(self._slave)
        self._thread = threading.Thread(target=self._live, daemon=True)
        self._thread.start()

    def hit_a_switch(self) -> None:
        """An alarm that nobody asked about."""
        self._alarmed = True
        self.axes.stop()
        self._commands.clear()
        self._say("halt: limit switch X" if self._dialect == TEXT else "112", strikes=False)

    def close(self) -> None:
        """Pull the cable: whoever reads gets nothing more."""
        self._ending.set()
        self._thread.join(5)

    def __enter__(self) -> StandInController:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # The wire

    def _live(self) -> None:
        before = time.monotonic()
        try:
            while not self._ending.is_set():
                nap = 0.005 if self._commands or self.axes.waiting else 0.02
                ready, _, _ = select.select([self._master], [], [], nap)
                now = time.monotonic()
                self.axes.pass_time((now - before) * self._fast)
                before = now
                if ready:
                    with contextlib.suppress(BlockingIOError):
                        self._take_in(os.read(self._master, 4096))
                while self._commands and len(self.axes.waiting) < AHEAD:
                    self._obey(self._commands.pop(0))
        except OSError:  # the other end was pulled
            pass
        finally:
            os.close(self._master)
            os.close(self._slave)

    def _take_in(self, data: bytes) -> None:
        if self._dialect == HPGL:
            data = self._escapes(data)
        else:
            if STOP in data:  # what came before it is not done any more
                data = data.rpartition(STOP)[2]
                self._stop()
            for byte, act in ((HOLD, self._hold), (GO_ON, self._go_on)):
                if byte in data:
                    data = data.replace(byte, b"")
                    act()
        self._buffer += data
        ends = rb"[;\r\n]" if self._dialect == HPGL else rb"[\r\n]"
        while match := re.search(ends, self._buffer):
            line = self._buffer[: match.start()].decode("latin-1").strip()
            self._buffer = self._buffer[match.end() :]
            if line == "where" and self._dialect == TEXT:  # answered at once, whatever waits
                self._obey(line)
            elif line:
                self._commands.append(line)

    def _escapes(self, data: bytes) -> bytes:
        """HP-GL's device control: abort and status are answered at once."""
        while (at := data.find(b"\x1b.")) >= 0 and len(data) > at + 2:
            what = data[at + 2 : at + 3]
            data = (b"" if what == b"K" else data[:at]) + data[at + 3 :]
            if what == b"K":
                self._stop()
            elif what == b"O":
                self._say("8" if self.axes.waiting else "0", strikes=False)
        return data

    def _stop(self) -> None:
        self.axes.stop()
        self._commands.clear()
        self._buffer = b""
        self.stopped_at.append(time.monotonic())
        if self._dialect == TEXT:
            self._say("stopped", strikes=False)

    def _hold(self) -> None:
        self.axes.held = True

    def _go_on(self) -> None:
        self.axes.held = False

    def _say(self, *lines: str, strikes: bool = True) -> None:
        """Answer; a fault strikes here."""
        end = "\r" if self._dialect == HPGL else "\r\n"
        data = "".join(f"{line}{end}" for line in lines).encode("latin-1")
        fault = self._fault if strikes else ""
        if fault and fault != "slow" and self._left > 0:
            self._left -= 1
            fault = ""
        if fault == "silence":
            return
        if fault == "cut-line":
            data = data[: self._rng.randrange(1, max(len(data) - len(end) - 1, 2))]
        if fault == "garbage":
            data = bytes(self._rng.randrange(128, 256) for _ in range(12)) + data[len(data) // 2 :]
        if fault == "slow":
            for i in range(0, len(data), 24):
                if self._ending.wait(SLOW / 4):
                    return
                self._put(data[i : i + 24])
            return
        self._put(data)

    def _put(self, data: bytes) -> None:
        """Onto the wire, as fast as the other end takes it."""
        while data and not self._ending.is_set():
            try:
                data = data[os.write(self._master, data) :]
            except BlockingIOError:
                self._ending.wait(0.005)

    def _strikes(self, fault: str) -> bool:
        if self._fault != fault:
            return False
        if self._left > 0:
            self._left -= 1
            return False
        return True

    # What it is told

    def _obey(self, line: str) -> None:
        (self._obey_hpgl if self._dialect == HPGL else self._obey_text)(line)

    def _obey_text(self, line: str) -> None:
        if line == "hello":
            self._say(NAMES[TEXT], strikes=False)
        elif line == "reset":
            self._restart()
        elif self._alarmed or self._strikes("alarm"):
            self._alarmed = True
            self.axes.stop()
            self._commands.clear()
            self._say("halt: limit switch X", strikes=False)
        elif self._strikes("reset"):
            self._restart()
        elif line == "list":
            self._say("; settings", *(f"{key} = {value}" for key, value in self.settings.items()), "done")
        elif line == "where":
            x, y, z = self.axes.at
            self._say(f"at X{x:.3f} Y{y:.3f} Z{z:.3f}")
        elif found := re.fullmatch(r"set ([^=]+?)\s*=\s*(.*)", line):
            self._say(self._set(found[1], found[2]) or "done")
        elif found := re.fullmatch(r"jog(( [XYZ][-+]?[\d.]+)+) F([\d.]+)", line):
            steps = {word[0]: float(word[1:]) for word in found[1].split()}
            x, y, z = (c + steps.get(axis, 0.0) for c, axis in zip(self.axes.end, "XYZ", strict=True))
            self.axes.go((x, y, z), float(found[3]))
            self._say("done")
        elif re.match(r"[(%GMTFSXYZN;]", line, re.IGNORECASE):
            self.arrived.append(line)
            refused = self._gcode(line)
            self._say(f"no: {refused}" if refused else "done")
        else:
            self._say("no: not understood")

    def _set(self, key: str, value: str) -> str:
        """Empty where it was taken, else the refusal."""
        if key not in self.settings:
            return f"no: there is no {key}"
        if not re.fullmatch(r"[-+]?[\d.]+", value):
            return "no: not a number"
        if self._strikes("wrong-echo"):
            value = value[:-1] + str((int(value[-1]) + 3) % 10) if value[-1].isdigit() else value
        self.settings[key] = value
        return ""

    def _restart(self) -> None:
        self.axes = Axes()
        self._alarmed, self._error = False, 0
        self._commands.clear()
        self._buffer = b""
        self._say(NAMES[self._dialect], strikes=False)

    def _gcode(self, line: str) -> str:
        """Moves of one line; what it doesn't know of others it passes over. Returns why it refuses."""
        plain = re.sub(r"\(.*?\)|;.*", "", line).upper()
        words = [(letter, float(number)) for letter, number in re.findall(r"([A-Z])\s*([-+]?\d*\.?\d+)", plain)]
        for letter, number in words:
            if letter == "G":
                self._modal(number)
            if letter == "F":
                self._feed = number * self._scale
        axes = {letter: number * self._scale for letter, number in words if letter in "XYZ"}
        if not axes or (letters := {number for letter, number in words if letter == "G"}) & {4.0, 92.0, 28.0, 10.0}:
            return ""
        now = dict(zip("XYZ", self.axes.end, strict=True))
        goal = {a: now[a] + axes[a] if self._relative and a in axes else axes.get(a, now[a]) for a in "XYZ"}
        if max(map(abs, goal.values())) > 1e5 or not letters <= {0, 1, 2, 3, 17, 20, 21, 40, 49, 53, 54, 90, 91, 94}:
            return "out of travel" if max(map(abs, goal.values())) > 1e5 else "not understood"
        self.axes.go((goal["X"], goal["Y"], goal["Z"]), TRAVEL if self._kind == 0 else self._feed)
        return ""

    def _modal(self, number: float) -> None:
        if number in (0, 1, 2, 3):
            self._kind = int(number)
        elif number in (20, 21):
            self._scale = 25.4 if number == 20 else 1.0
        elif number in (90, 91):
            self._relative = number == 91

    def _obey_hpgl(self, line: str) -> None:
        code, rest = line[:2].upper(), line[2:].strip()
        answers: dict[str, Callable[[], tuple[str, ...]]] = {
            "OA": lambda: (",".join(f"{round(c * UNITS)}" for c in self.axes.at[:2]) + f",{int(self._down)}",),
            "OF": lambda: (f"{UNITS:g},{UNITS:g}",),
            "OS": self._status,
            "OZ": lambda: (*(f"{key},{value}" for key, value in self.settings.items()), "."),
        }
        if code == "OI":
            self._say(NAMES[HPGL], strikes=False)
        elif code == "OE":  # forgets its errors, whatever else is wrong with it
            self._say(*self._tell_error(), strikes=False)
        elif code == "IN" and self._alarmed:
            self._restart()
        elif self._alarmed or self._strikes("alarm"):
            self._alarmed = True
            self.axes.stop()
            if code in answers:
                self._say("112", strikes=False)
        elif self._strikes("reset"):
            self._restart()
        elif code in answers:
            self._say(*answers[code]())
        elif code == "ZS":
            key, _, value = rest.partition(",")
            self._error = 0 if not self._set(key, value) else 3
        elif code in PLOTS:
            self.arrived.append(line)
            self._plot(code, rest)
        else:
            self._error = 1

    def _status(self) -> tuple[str, ...]:
        return ("48" if self._error else "16",)

    def _tell_error(self) -> tuple[str, ...]:
        error, self._error = self._error, 0
        return (str(error),)

    def _plot(self, code: str, rest: str) -> None:
        if code == "PR":
            self._relative = True
        if code == "PA":
            self._relative = False
        if code in ("PU", "PD"):
            self._down = code == "PD"
        if code in ("PU", "PD", "PA", "PR"):
            numbers = [float(n) / UNITS for n in re.findall(r"[-+]?\d*\.?\d+", rest)]
            for x, y in zip(numbers[::2], numbers[1::2], strict=False):
                now = self.axes.end
                goal = (now[0] + x, now[1] + y, 0.0) if self._relative else (x, y, 0.0)
                self.axes.go(goal, self._feed if self._down else TRAVEL)
