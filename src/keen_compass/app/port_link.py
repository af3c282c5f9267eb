"""A machine's cable, for the window: everything that waits happens in a thread of its own, one thing after another.

The window asks (`connect_to`, `read`, `send` …) and hears (`changed`, `progress`); it never waits. Only `stop` and
`hold` reach the wire past what is under way.
"""

from __future__ import annotations

import contextlib
import queue
import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from keen_compass.errors import InputError, KeenCompassError, PortError
from keen_compass.language import tr
from keen_compass.machines.dialect import Dialect

if TYPE_CHECKING:
    from keen_compass.controllers.by_port import Cable
    from keen_compass.controllers.wire import Exchange, Progress
    from keen_compass.practice.wire import Controller

MOST_EXCHANGES = 4000
Found = Any  # what a job gives: whoever hears of it knows
Then = Callable[[Found], None]


@dataclass(frozen=True)
class _Job:
    """work: what is done in the thread. then: what hears the result; always: also of what failed."""

    work: Callable[[], Found]
    then: Then
    always: bool


@dataclass(frozen=True)
class _Result:
    """Of a job, and from which queue it was."""

    jobs: Jobs
    job: _Job
    result: Found
    error: KeenCompassError | None


Jobs = queue.Queue[_Job | None]


class LinkState(StrEnum):
    """How the cable is."""

    CLOSED = "closed"
    BUSY = "busy"  # something is asked just now
    READY = "ready"
    RUNNING = "running"  # a program is under way
    LOST = "lost"


class PortLink(QObject):
    """`changed` after everything that was done, `progress` while a program runs, `told` when bytes went to and fro.

    dialect: in which it answered; None while it isn't connected.
    trouble: what went wrong last; None where all went well.
    """

    changed = Signal()
    progress = Signal(object)
    told = Signal()
    _done = Signal(object)  # a _Result

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state = LinkState.CLOSED
        self.trouble: PortError | InputError | None = None
        self.exchanges: deque[Exchange] = deque(maxlen=MOST_EXCHANGES)
        self.dialect: Dialect | None = None
        self.path = ""
        self.holding = False
        self.running: Progress | None = None
        self._cable: Cable | None = None
        self._control: Any = None
        self._moving: Any = None  # what stops the steps that were asked for
        self._practice: Controller | None = None
        self._jobs: Jobs = queue.Queue()
        self._asked = 0  # that were not answered yet
        self._done.connect(self._finished)
        self._thread: threading.Thread | None = None
        self._fresh = False
        self._telling = QTimer(self)
        self._telling.setInterval(100)
        self._telling.timeout.connect(self._tell)

    @property
    def ready(self) -> bool:
        """Whether something may be asked."""
        return self.state in (LinkState.READY, LinkState.BUSY)

    @property
    def under_way(self) -> bool:
        """Whether a program runs."""
        return self.state is LinkState.RUNNING

    @property
    def pending(self) -> int:
        """How much is asked that was not answered yet."""
        return self._asked

    def connect_to(self, path: str, dialects: Sequence[Dialect], then: Then = lambda _: None) -> None:
        """Open a port in the first of these languages that is answered in."""
        self.close()
        self.path = path
        self.exchanges.clear()

        def work() -> Found:
            from keen_compass.controllers.by_port import Cable, find_out

            found = find_out(path, dialects, told=self._note)
            self._cable = Cable(path, found, self._note)
            return found

        def opened(found: Found) -> None:
            self.dialect = found
            then(found)

        self._ask(work, opened)

    def practise(self, begin: Callable[[], Controller], then: Then) -> None:
        """At the other end is a practice controller, which goes with the connection."""
        from keen_compass.controllers.practice_dialects import PRACTICE

        try:
            controller = begin()
        except PortError as error:
            self.trouble = error
            self.changed.emit()
            return
        self.connect_to(controller.path, PRACTICE, then)
        self._practice = controller

    @property
    def practising(self) -> bool:
        """Whether a practice controller is at the other end."""
        return self._practice is not None

    def close(self) -> None:
        """Let go of the port; what is under way ends."""
        if self._control is not None:
            self._control.stop.set()
        if self._cable is not None:  # whoever waits at it in the thread hears that it is gone
            self._cable.close()
            self._cable = None
        if self._practice is not None:
            self._practice.close()
            self._practice = None
        self._jobs.put(None)
        self._asked, self.dialect = 0, None
        self._thread, self._jobs = None, queue.Queue()  # what comes of the old ones is not listened to any more
        self._telling.stop()
        self.state, self.trouble, self.running, self._control = LinkState.CLOSED, None, None, None
        self.changed.emit()

    def read(self, then: Then) -> None:
        """Its settings, as a listing."""
        self._ask(lambda: self._open().read(), then)

    def send(self, key: str, value: str, then: Then) -> None:
        """Another number; `then` gets what was read back, and the listing in which it stands."""

        def work() -> Found:
            cable = self._open()
            return cable.send(key, value), cable.read()

        self._ask(work, then)

    def reset(self, then: Then = lambda _: None) -> None:
        """Have it start again, so that what was sent counts."""
        self._ask(lambda: self._open().reset(), then)

    def position(self, then: Then) -> None:
        """Where it is, mm by axis."""
        self._ask(lambda: self._open().position(), then)

    def raw(self, path: str, text: str, baud: int, ends: str, then: Then) -> None:
        """Send something as it is, and hear all that comes back: to find out how a controller speaks."""
        self.close()
        self.path = path

        def work() -> Found:
            from keen_compass.controllers.by_port import Cable

            with Cable(path, Dialect("unknown", acknowledged="-", baud=baud, ends=ends), self._note) as cable:
                return cable.raw(text)

        self._ask(work, then)

    def jog(self, axis: str, distance: float, feed: float, then: Then = lambda _: None) -> None:
        """A step, and where it is after it."""

        from keen_compass.controllers.wire import RunControl

        if self._moving is None:
            self._moving = RunControl()
        control = self._moving

        def work() -> Found:
            cable = self._open()
            cable.jog(axis, distance, feed, control)
            return cable.position()

        self._ask(work, then)

    def run(self, program: str, then: Callable[[Progress | None, PortError | InputError | None], None]) -> None:
        """A program to its end, or to where it broke off; `then` gets how far it came, and why no further."""
        from keen_compass.controllers.wire import RunControl

        control = self._control = RunControl()
        last: list[Found] = [None]

        def work() -> Found:
            for now in self._open().run(program.encode(), control):
                last[0] = now
                self.progress.emit(now)
            return last[0]

        def over(_: Found) -> None:
            self._control, self.running, self.holding = None, None, False
            then(last[0], self.trouble)

        self.state = LinkState.RUNNING
        self._ask(work, over, always=True)

    def hold(self, *, on: bool) -> None:
        """Stand still, or go on."""
        if self._control is not None:
            self.holding = on
            (self._control.hold.set if on else self._control.hold.clear)()
            self.changed.emit()

    def stop(self) -> None:
        """At once: the bytes go out before anything else is done."""
        cable = self._cable
        if self._control is None:
            with contextlib.suppress(queue.Empty):
                while True:  # whatever waits is not done any more
                    self._jobs.get_nowait()
                    self._asked -= 1
            if not self._asked and self.state is LinkState.BUSY:
                self.state = LinkState.READY
        if cable is not None:
            try:
                cable.stop(self._control or self._moving)
            except PortError as error:
                self.trouble = error
        self._moving = None
        self.changed.emit()

    # Inside

    def _open(self) -> Cable:
        if self._cable is None:
            raise InputError(tr("connect the cable first"))
        return self._cable

    def _ask(self, work: Callable[[], Found], then: Then, *, always: bool = False) -> None:
        """Have something done in the thread; `then` hears the result here, of what failed only where `always`."""
        if self._thread is None:
            self._thread = threading.Thread(target=self._live, args=(self._jobs,), daemon=True)
            self._thread.start()
            self._telling.start()
        if self.state is not LinkState.RUNNING:
            self.state = LinkState.BUSY
        self._asked += 1
        self._jobs.put(_Job(work, then, always))
        self.changed.emit()

    def _live(self, jobs: Jobs) -> None:
        while (job := jobs.get()) is not None:
            result, error = None, None
            try:
                result = job.work()
            except KeenCompassError as wrong:
                error = wrong
            try:
                self._done.emit(_Result(jobs, job, result, error))
            except RuntimeError:  # the window is gone, and with it who listened
                return

    def _finished(self, done: _Result) -> None:
        if done.jobs is not self._jobs:  # it was closed meanwhile
            return
        self._asked -= 1
        error = done.error
        self.trouble = error if isinstance(error, (PortError, InputError)) else None
        if isinstance(error, PortError) and error.kind == "lost":
            self.state = LinkState.LOST
        elif self._cable is None:
            self.state = LinkState.CLOSED
        elif not self._asked:
            self.state = LinkState.READY
        if error is None or done.job.always:
            done.job.then(done.result)
        self.changed.emit()

    def _note(self, exchange: Exchange) -> None:
        """From the thread: kept at once, shown a few times a second."""
        self.exchanges.append(exchange)
        self._fresh = True

    def _tell(self) -> None:
        if self._fresh:
            self._fresh = False
            self.told.emit()


def as_lines(exchanges: Sequence[Exchange]) -> str:
    """What went over the wire, one line each: → ours, ← its."""
    lines: list[str] = []
    for ours, data in _joined(exchanges):
        for line in data.replace(b"\r\n", b"\n").replace(b"\r", b"\n").splitlines() or [data]:
            plain = "".join(chr(b) if 32 <= b < 127 else f"‹{b:02x}›" for b in line)
            if plain:
                lines.append(f"{'→' if ours else '←'} {plain}")
    return "\n".join(lines)


def _joined(exchanges: Sequence[Exchange]) -> list[tuple[bool, bytes]]:
    """Bytes that came one after another from the same side, together."""
    found: list[tuple[bool, bytes]] = []
    for e in exchanges:
        if found and found[-1][0] == e.ours and not e.ours:
            found[-1] = (e.ours, found[-1][1] + e.data)
        else:
            found.append((e.ours, e.data))
    return found
