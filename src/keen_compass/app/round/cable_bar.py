"""A round over the cable: connected, a program run with a second key, held, stopped; what broke off, and the way on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QVBoxLayout
from shiboken6 import isValid

from keen_compass.app.parts import Button, Card, Text, tip
from keen_compass.app.port_link import LinkState, PortLink
from keen_compass.app.round.model import RoundModel
from keen_compass.errors import InputError, PortError
from keen_compass.formats.listing import Listing
from keen_compass.procedures.stages import Stage, Step
from keen_compass.rounds.cable_runs import DONE

if TYPE_CHECKING:  # the cable's own module is loaded when there is one
    from keen_compass.controllers.wire import Progress

PLACE = "cable"
NARROW = 600  # px, below which its words say less


class CableBar(Card):
    """Shown for machines that have a port. Between the first key and the second nothing is sent."""

    def __init__(self, model: RoundModel, link: PortLink) -> None:
        super().__init__()
        self._model, self._link = model, link
        self._asked = False  # the first key was pressed
        self._words = Text("", 17, bold=True)
        self._more = Text(colour="soft")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setMaximumHeight(10)
        self.plug = Button("Connect the cable", self._connect)
        self.run = Button("Run it over the cable…", self._ask, "primary")
        self.start = Button("It is clear: start", self._start, "primary")
        self.not_now = Button("Not now", self._not_now, "quiet")
        self.hold = Button("Hold", self._hold)
        self.stop = Button("STOP", link.stop, "stop")
        self.stop.setAccessibleName("Stop at once")
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

    def _may_run(self) -> bool:
        session = self._model.session
        waiting = session.step is Step.MAKE or session.waits_for_piece()
        making = session.making
        ready = making.has_file and (not making.sheets.stages or making.sheets.shown is Stage.DRAW)
        return waiting and ready and not session.settled

    def refresh(self) -> None:
        """Show how the cable and the run are."""
        link, session = self._link, self._model.session
        machine = session.context.machine
        running = link.state is LinkState.RUNNING
        asked_first = bool(session.holding.found.otherwise) and not running
        wired = bool(machine.port) or link.state is not LinkState.CLOSED
        self.setVisible(wired and not session.settled and not asked_first)
        if not wired:  # nothing of it is worked out at every keystroke
            return
        may_run = self._may_run() and link.ready and machine.file_format != "svg" and not session.context.shop.read_only
        held_up = may_run and (bool(session.making.refusal()) or bool(session.holding.found.otherwise))
        self.plug.setVisible(link.state in (LinkState.CLOSED, LinkState.LOST))
        self.run.setVisible(may_run and not self._asked)
        self.run.setEnabled(not held_up)
        for b in (self.start, self.not_now):
            b.setVisible(self._asked and not running)
        for w in (self.hold, self.stop, self.bar):
            w.setVisible(running)
        self.hold.setText("Go on" if link.holding else "Hold")
        self._say(running=running)

    def _say(self, *, running: bool) -> None:
        link, session = self._link, self._model.session
        trouble = link.trouble or self._model.trouble.get(PLACE)
        before = session.cable_runs.now() if self._may_run() else None
        if running:
            now = link.running
            done = f"{now.acknowledged} of {now.total} commands" if now else "Sending"
            self._words.say(f"{'Held' if link.holding else 'Running'}: {done}.", "warn")
            self._more.say("The machine has stopped; go on when all is read." if link.holding else "Stop acts at once.")
        elif self._asked:
            self._words.say("The machine will move. Is the bed clear, and everybody out of reach?", "warn")
            self._more.say("")
        elif isinstance(trouble, PortError):
            self._words.say(trouble.happened, "bad")
            whole = f"{trouble.state} {trouble.way_on}"
            self._more.say(trouble.way_on if self.width() < NARROW else whole)  # what to do, where not all has room
            tip(self._more, whole)
        elif isinstance(trouble, (str, InputError)):
            self._words.say(str(trouble), "bad")
            self._more.say("")
        elif before is not None and before.ended != DONE:
            came = f"{before.acknowledged} of {before.total} commands" if before.ended else "its end was not seen"
            self._words.say(f"Piece {before.number} was begun over the cable: {came}.", "warn")
            self._more.say(
                f"{before.ended + ' ' if before.ended else ''}Look at what lies there: run it again on a fresh place, "
                "or say that it is cut."
            )
        else:
            asking = link.state is LinkState.BUSY and link.running is None and link.dialect is None
            words = {LinkState.CLOSED: "The cable is not connected.", LinkState.LOST: "The cable is gone."}
            self._words.say("Asking…" if asking else words.get(link.state, "The cable is connected."), "soft")
            self._more.say("")

    def _show_progress(self, now: Progress) -> None:
        self._link.running = now
        if now.holding and not self._link.holding:
            self._link.holding = True  # the program itself waits for someone
        self.bar.setRange(0, max(now.total, 1))
        self.bar.setValue(now.acknowledged)
        self.refresh()

    def _connect(self) -> None:
        machine = self._model.session.context.machine
        from keen_compass.controllers.practice_dialects import PRACTICE

        some = [machine.dialect] if machine.dialect else list(PRACTICE)
        self._link.connect_to(machine.port, some, lambda _: self.look())

    def look(self) -> None:
        """What the controller holds, beside what the logbook says."""
        if self._link.ready and self._link.dialect is not None and self._link.dialect.ask_listing:
            self._link.read(self._told)

    def _told(self, listing: Listing) -> None:
        self._model.session.holding.told(listing)

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
        text: list[str] = []
        if dialect is None:
            return

        def begin() -> None:
            program = self._model.session.making.file_text()
            text.append(self._model.session.cable_runs.begin(len(commands_of(program.encode(), dialect))))

        if self._model.attempt(PLACE, begin):
            self._link.run(text[0], self._over)
            self.stop.setFocus()

    def _over(self, last: Progress | None, trouble: PortError | InputError | None) -> None:
        """The run came to its end, or broke off; either is kept."""
        sent, acknowledged, total = (last.sent, last.acknowledged, last.total) if last else (0, 0, 0)
        runs = self._model.session.cable_runs
        run = runs.now()
        why = str(trouble) if trouble else DONE
        self._model.attempt(PLACE, lambda: runs.ended(sent, acknowledged, total or (run.total if run else 0), why))
        if trouble is None:
            self._model.attempt(PLACE, self._made)
        if isValid(self):  # the window may have been closed over it
            self.refresh()

    def _made(self) -> None:
        session = self._model.session
        if session.context.stand_in is not None:
            from keen_compass.practice import stand_in

            stand_in.make(session)
        else:
            session.making.made()
        session.after_making()

    def _hold(self) -> None:
        self._link.hold(on=not self._link.holding)
