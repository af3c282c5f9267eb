"""A file over the cable: connected, run with a second key, held, stopped; what broke off, and the way on."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol

from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout
from shiboken6 import isValid

from keen_compass.app.parts import Button, Card, Text, tip
from keen_compass.app.port_link import LinkState, PortLink
from keen_compass.errors import InputError, PortError
from keen_compass.formats.listing import Listing
from keen_compass.language import tr
from keen_compass.machines.profile import Machine

if TYPE_CHECKING:  # the cable's own module is loaded when there is one
    from keen_compass.controllers.wire import Progress

NARROW = 600  # px, below which its words say less


class Sends(Protocol):
    """Who has something for the cable."""

    @property
    def machine(self) -> Machine:
        """Whose cable it is."""
        ...

    @property
    def hidden(self) -> bool:
        """Whether nothing is to be sent any more, whatever the cable does."""
        ...

    def may_run(self) -> bool:
        """Whether there is a file for it now."""
        ...

    def held_up(self) -> bool:
        """Whether something stands against it, which is said elsewhere."""
        ...

    def broke_off(self) -> tuple[str, str] | None:
        """What an earlier run came to, and the way on; None where there was none, or it came to its end."""
        ...

    def trouble(self) -> str:
        """Why it was refused."""
        ...

    def begin(self, count: Callable[[bytes], int]) -> str | None:
        """What goes over the cable now, kept before the first byte leaves; None where it is refused. count: how many
        commands a program has.
        """
        ...

    def ended(self, last: Progress | None, trouble: PortError | InputError | None) -> None:
        """How far it came, and why no further."""
        ...

    def told(self, listing: Listing) -> None:
        """What the controller holds."""
        ...


class CableBar(Card):
    """Shown for machines that have a port. Between the first key and the second nothing is sent."""

    def __init__(self, sends: Sends, link: PortLink) -> None:
        super().__init__()
        self._sends, self._link = sends, link
        self._asked = False  # the first key was pressed
        self._words = Text("", 17, bold=True)
        self._more = Text(colour="soft")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximumHeight(10)
        self.plug = Button(tr("Connect the cable"), self._connect)
        self.run = Button(tr("Run it over the cable…"), self._ask, "primary")
        self.start = Button(tr("It is clear: start"), self._start, "primary")
        self.not_now = Button(tr("Not now"), self._not_now, "quiet")
        self.hold = Button(tr("Hold"), self._hold)
        self.stop = Button(tr("STOP"), link.stop, "stop")
        self.stop.setAccessibleName(tr("Stop at once"))
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(self._words)
        words.addWidget(self._more)
        buttons = QHBoxLayout()
        buttons.addLayout(words, 1)
        for b in (self.plug, self.run, self.not_now, self.start, self.hold, self.stop):
            buttons.addWidget(b)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 10)
        layout.addLayout(buttons)
        layout.addWidget(self.bar)
        link.changed.connect(self.refresh)
        link.progress.connect(self._show_progress)

    def refresh(self) -> None:
        """Show how the cable and the run are."""
        link, sends = self._link, self._sends
        running = link.state is LinkState.RUNNING
        wired = bool(sends.machine.port) or link.state is not LinkState.CLOSED
        self.setVisible(wired and (running or not sends.hidden))
        if not wired:  # nothing of it is worked out at every keystroke
            return
        may_run = link.ready and sends.machine.file_format != "svg" and sends.may_run()
        held_up = may_run and sends.held_up()
        self.plug.setVisible(link.state in (LinkState.CLOSED, LinkState.LOST))
        self.run.setVisible(may_run and not self._asked)
        self.run.setEnabled(not held_up)
        for b in (self.start, self.not_now):
            b.setVisible(self._asked and not running)
        for w in (self.hold, self.stop, self.bar):
            w.setVisible(running)
        self.hold.setText(tr("Go on") if link.holding else tr("Hold"))
        self._say(running=running)

    def _say(self, *, running: bool) -> None:
        link, sends = self._link, self._sends
        trouble = link.trouble or sends.trouble()
        before = sends.broke_off()
        if running:
            now = link.running
            done = (
                tr("{acknowledged} of {total} commands", acknowledged=now.acknowledged, total=now.total)
                if now
                else tr("Sending")
            )
            self._words.say(f"{tr('Held') if link.holding else tr('Running')}: {done}.", "warn")
            self._more.say(
                tr("The machine has stopped; go on when all is read.") if link.holding else tr("Stop acts at once.")
            )
        elif self._asked:
            self._words.say(tr("The machine will move. Is the bed clear, and everybody out of reach?"), "warn")
            self._more.say("")
        elif isinstance(trouble, PortError):
            self._words.say(trouble.happened, "bad")
            whole = f"{trouble.state} {trouble.way_on}"
            self._more.say(trouble.way_on if self.width() < NARROW else whole)  # what to do, where not all has room
            tip(self._more, whole)
        elif trouble:
            self._words.say(str(trouble), "bad")
            self._more.say("")
        elif before is not None:
            self._words.say(before[0], "warn")
            self._more.say(before[1])
        else:
            asking = link.state is LinkState.BUSY and link.running is None and link.dialect is None
            words = {LinkState.CLOSED: tr("The cable is not connected."), LinkState.LOST: tr("The cable is gone.")}
            self._words.say(tr("Asking…") if asking else words.get(link.state, tr("The cable is connected.")), "soft")
            self._more.say("")

    def _show_progress(self, now: Progress) -> None:
        self._link.running = now
        if now.holding and not self._link.holding:
            self._link.holding = True  # the program itself waits for someone
        self.bar.setRange(0, max(now.total, 1))
        self.bar.setValue(now.acknowledged)
        self.refresh()

    def _connect(self) -> None:
        machine = self._sends.machine
        from keen_compass.controllers.practice_dialects import PRACTICE

        some = [machine.dialect] if machine.dialect else list(PRACTICE)
        self._link.connect_to(machine.port, some, lambda _: self.look())

    def look(self) -> None:
        """What the controller holds, beside what the logbook says."""
        if self._link.ready and self._link.dialect is not None and self._link.dialect.ask_listing:
            self._link.read(self._sends.told)

    def _ask(self) -> None:
        self._asked = True
        self.refresh()
        self.start.setFocus()

    def _not_now(self) -> None:
        self._asked = False
        self.refresh()
        self.run.setFocus()

    def _start(self) -> None:
        from keen_compass.controllers.program import commands_of

        self._asked = False
        dialect = self._link.dialect
        if dialect is None:
            return
        text = self._sends.begin(lambda program: len(commands_of(program, dialect)))
        if text is None:
            self.refresh()
        else:
            self._link.run(text, self._over)
            self.stop.setFocus()

    def _over(self, last: Progress | None, trouble: PortError | InputError | None) -> None:
        """The run came to its end, or broke off; either is kept."""
        self._sends.ended(last, trouble)
        if isValid(self):  # the window may have been closed over it
            self.refresh()

    def _hold(self) -> None:
        self._link.hold(on=not self._link.holding)
