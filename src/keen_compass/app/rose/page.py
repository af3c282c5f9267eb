"""The rose with *Next, in this order* beside it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from itertools import islice
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, PlacePage, StateSign, Text, empty, scrolling
from keen_compass.app.rose.canvas import Rose
from keen_compass.app.rose.mounted import MountedButton
from keen_compass.language import dated, tr
from keen_compass.machines.profile import Machine
from keen_compass.machines.shown import show_size
from keen_compass.procedures import Entry as RegistryEntry
from keen_compass.procedures import yielding
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.families import Lives
from keen_compass.shop.due import Due
from keen_compass.shop.standing import Spoke, State, as_drawn, next_in_order
from keen_compass.words.due import because, day_of
from keen_compass.words.procedures import does, step_name, title
from keen_compass.words.standing import first_step, reason

if TYPE_CHECKING:
    from keen_compass.app.rose.next_piece import NextPieceCard
    from keen_compass.app.rose.put_back import PutBackCard
    from keen_compass.shop.library import Misplaced
    from keen_compass.shop.logbook import Entry

    Lately = Callable[[], list[Entry]]

UnderWay = dict[tuple[str, str], tuple[str, int]]
NEXT, BESIDE = 362, 408  # px: width of what comes next, and of all beside the rose
FIRST_PARTS = 5  # beside the rose, heads and cards, as many as a usual window has room for
IDLE_DAYS = 7  # after so long the piece may be gone, and the machine changed


class RosePage(PlacePage):
    """`begin` carries a procedure and the quantity it is for; `change` asks for the machine's profile; `entered` says
    that what the rose asks to put back is in the controller.
    """

    PLACE = "rose"
    begin = Signal(str, str)
    change = Signal()
    happened = Signal()
    together = Signal()
    controller = Signal()
    entered = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.rose = Rose()
        self.rose.opened.connect(self._open)
        self._file_format = "gcode"
        self._put_back: PutBackCard | None = None
        self._next_piece: NextPieceCard | None = None
        self._soon: list[QWidget] = []  # what is due in the days ahead
        self._machine: Machine | None = None
        self._parts: Iterator[QWidget] = iter(())  # that still wait to be added beside the rose
        self._waits = False
        self.mounted = MountedButton()
        self.mounted.other.connect(self.change)
        self._title = Line(px=th.TITLE, bold=True)
        self._subtitle = Line(colour="soft")
        self._next = QVBoxLayout()
        self._next.setSpacing(12)
        beside = QWidget()
        column = QVBoxLayout(beside)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        self._beside = column
        column.addLayout(self._next, 1)
        self._next.setContentsMargins(0, 0, 0, 0)
        scroll = scrolling(beside)
        scroll.setFixedWidth(NEXT)
        middle = QHBoxLayout()
        left = QVBoxLayout()
        left.addWidget(self._subtitle)
        left.addWidget(self.mounted, 0, Qt.AlignmentFlag.AlignLeft)
        left.addWidget(self.rose, 1)
        middle.addLayout(left, 1)
        middle.addWidget(scroll)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 16, 16)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        self.listing = Button(tr("Controller"), self.controller.emit, "quiet")
        self.all_readings = Button(tr("All readings"), self.together.emit, "quiet")
        self.note = Button(tr("Log an event"), self.happened.emit, "quiet")
        self.edit = Button(tr("Change machine"), self.change.emit, "quiet")
        head.addWidget(self.listing)
        head.addWidget(self.all_readings)
        head.addWidget(self.note)
        head.addWidget(self.edit)
        layout.addLayout(head)
        layout.addLayout(middle, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What is mounted is named as fully as there is room."""
        super().resizeEvent(event)
        self.mounted.fit(self.width() - BESIDE)

    def show_machine(self, machine: Machine, spokes: list[Spoke], under_way: UnderWay, lately: Lately) -> None:
        """Fill the page.

        under_way: (procedure, axis) → (step of its open round, days that it was left alone).
        lately: reads the newest entries of the logbook.
        """
        self.mounted.show_machine(machine)
        self._file_format, self._machine = machine.file_format, machine
        self._title.say(machine.name)
        s = machine.standpoint
        self._subtitle.say(
            f"{machine.kind.said} {show_size(*machine.bed, machine.units)} · +X {s.words('x', 1)}, +Y {s.words('y', 1)}"
        )
        self.rose.show_spokes(as_drawn(spokes), machine)
        empty(self._next)
        self._soon = []
        self._next.addStretch(1)
        self._parts = self._next_parts(spokes, under_way, lately)
        self._waits = not self.window().isVisible()
        self._add_parts(FIRST_PARTS if self._waits else None)

    def paintEvent(self, _event: object) -> None:
        """The first screen waits for nothing that lies below its edge: that follows when the rest is painted."""
        if self._waits:
            self._waits = False
            QTimer.singleShot(0, self, self._add_parts)

    def _add_parts(self, most: int | None = None) -> None:
        for part in islice(self._parts, most):
            self._next.insertWidget(self._next.count() - 1, part)

    def _next_parts(self, spokes: list[Spoke], under_way: UnderWay, lately: Lately) -> Iterator[QWidget]:
        """What is below one another beside the rose."""
        yield Text(tr("Next, in this order"), 17, bold=True)
        seen: dict[str, list[Spoke]] = {}
        for spoke in next_in_order(spokes):
            seen.setdefault(self._procedures(spoke)[0].name, []).append(spoke)
        if words := first_step(spokes):  # nothing is known yet: what the parts say is no more than a hint
            seen = dict(sorted(seen.items(), key=lambda task: _counted(task[1])))
            yield Text(words)
        elif len(seen) > 1:
            yield Text(tr("Each one depends on those above it."), colour="soft")
        for i, (name, members) in enumerate(seen.items()):
            yield self._task(name, members, under_way, first=i == 0)
        if not seen:
            yield _all_in(spokes)
        if entries := lately():
            head = Text(tr("Lately"), 17, bold=True)
            head.setContentsMargins(0, 8, 0, 0)
            yield head
            assert self._machine is not None
            yield _lately(entries, self._machine)

    def show_due(self, soon: list[Due]) -> None:
        """What is in and is due in the days ahead, soonest first: on the rose, and last beside it."""
        self.rose.show_due({d.quantity: day_of(d) for d in soon})
        for part in self._soon:  # of an earlier look at the same machine
            part.deleteLater()
        self._soon = [Text(tr("Due soon"), 17, bold=True), _due_card(soon)] if soon else []
        for part in self._soon:
            self._next.insertWidget(self._next.count() - 1, part)

    @property
    def next_piece(self) -> NextPieceCard:
        """The card of what settles most, made when it is wanted first."""
        if self._next_piece is None:
            from keen_compass.app.rose.next_piece import NextPieceCard

            self._next_piece = NextPieceCard()
            self._next_piece.begin.connect(self.begin)
            self._beside.insertWidget(0 if self._put_back is None else 1, self._next_piece)
        return self._next_piece

    def forget_next_piece(self) -> None:
        """It was another machine's."""
        if self._next_piece is not None:
            self._next_piece.hide()

    def put_back(self) -> PutBackCard:
        """The card of what is another's, made when it is wanted first."""
        if self._put_back is None:
            from keen_compass.app.rose.put_back import PutBackCard

            self._put_back = PutBackCard()
            self._put_back.entered.connect(self.entered)
            self._beside.insertWidget(0, self._put_back)
        return self._put_back

    def show_put_back(
        self, found: Mapping[str, Misplaced], machine: Machine, names: Mapping[str, str], *, read_only: bool
    ) -> None:
        """As the card has it; without anything found there is none."""
        if found or self._put_back is not None:
            self.put_back().show_found(found, machine, names, read_only=read_only)

    def _task(self, procedure: str, members: list[Spoke], under_way: UnderWay, *, first: bool) -> Card:
        entry = self._procedures(members[0])[0]
        assert self._machine is not None
        card = Card()
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 12, 16, 14)
        layout.addWidget(Text(_heading(members), 18, bold=True))
        for alike in _same_reason(members, self._machine):
            row = QHBoxLayout()
            row.setSpacing(10)
            row.addWidget(StateSign(alike[0].state), 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(Text(_reason(alike, self._machine)), 1)
            layout.addLayout(row)
        below = [
            b for b in dict.fromkeys(b for m in members for b in m.rests_on) if b not in {m.label for m in members}
        ]
        if below:
            layout.addWidget(Text(tr("Do {few} first.", few=_few(below)), colour="soft"))
        # One button for each round of its own: an axis where they are apart, else all at once.
        rounds = {QUANTITIES[m.quantity].axis if entry.apart else "": m.quantity for m in reversed(members)}
        going = {axis: under_way[procedure, axis] for axis in rounds if (procedure, axis) in under_way}
        for axis, (step, idle_days) in sorted(going.items()):
            which = tr("{axis} under way", axis=axis.upper() or tr("Feed")) if len(rounds) > 1 else tr("Under way")
            layout.addWidget(
                Text(tr("{which}, at {step}.", which=which, step=step_name(step)), colour="focus", bold=True)
            )
            if idle_days > IDLE_DAYS:
                words = tr(
                    "Not touched for {idle_days} days: go on, cut again if the piece is gone, or abandon the round.",
                    idle_days=idle_days,
                )
                layout.addWidget(Text(words, colour="warn"))
        if not going:
            layout.addWidget(
                Text(tr("{does}, about {minutes} minutes.", does=does(procedure), minutes=entry.minutes), colour="soft")
            )
        row = QHBoxLayout()
        for i, (axis, quantity) in enumerate(sorted(rounds.items())):
            verb = tr("Go on") if axis in going else tr("Begin")
            words = f"{verb} {axis.upper() or tr('feed')}" if len(rounds) > 1 else verb
            run = lambda quantity=quantity: self.begin.emit(procedure, quantity)  # noqa: E731
            button = Button(words, run, "primary" if first and i == 0 else "")
            button.setAccessibleName(
                (
                    tr("Go on with {title} {axis}", title=title(procedure), axis=axis.upper())
                    if axis in going
                    else tr("Begin {title} {axis}", title=title(procedure), axis=axis.upper())
                ).strip()
            )
            row.addWidget(button)
        layout.addLayout(row)
        return card

    def _open(self, quantity: str) -> None:
        self.begin.emit(yielding(quantity, self._file_format)[0].name, quantity)

    def _procedures(self, spoke: Spoke) -> list[RegistryEntry]:
        return yielding(spoke.quantity, self._file_format)


def _heading(members: list[Spoke]) -> str:
    """``X steps and Y steps``; what shares a spoke is named by that."""
    names = list(dict.fromkeys(QUANTITIES[m.quantity].spoke_name for m in members))
    return (
        tr(" and ").join(names)
        if len(names) < 3
        else tr("{names} and {last}", names=", ".join(names[:-1]), last=names[-1])
    )


def _same_reason(members: list[Spoke], machine: Machine) -> list[list[Spoke]]:
    groups: dict[tuple[State, str], list[Spoke]] = {}
    for m in members:
        groups.setdefault((m.state, reason(m, machine)), []).append(m)
    return list(groups.values())


def _reason(alike: list[Spoke], machine: Machine) -> str:
    letters = [QUANTITIES[m.quantity].axis.upper() or m.label for m in alike]
    return f"{', '.join(dict.fromkeys(letters))}: {reason(alike[0], machine)}"


def _few(names: list[str]) -> str:
    return (
        ", ".join(names)
        if len(names) <= 2
        else tr("{names}, {last} and {n} more", names=names[0], last=names[1], n=len(names) - 2)
    )


def _lately(entries: list[Entry], machine: Machine) -> Card:
    """The newest entries of the logbook."""
    from keen_compass.words.logbook import entry_words  # late, like the entries themselves

    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 10, 14, 12)
    layout.setSpacing(8)
    for entry in entries:
        day = dated(datetime.fromisoformat(entry.at).astimezone(), "%-d %b")
        layout.addLayout(_dated(day, entry_words(entry, machine)))
    return card


def _due_card(soon: Sequence[Due]) -> Card:
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 10, 14, 12)
    layout.setSpacing(8)
    for due in sorted(soon, key=lambda d: d.on):
        layout.addLayout(_dated(day_of(due), f"{QUANTITIES[due.quantity].label}: {because(due)}"))
    return card


def _dated(day: str, words: str) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(10)
    when = Text(day, colour="soft")
    when.setWordWrap(False)
    when.setFixedWidth(64)
    row.addWidget(when, 0, Qt.AlignmentFlag.AlignTop)
    row.addWidget(Text(words), 1)
    return row


def _counted(spokes: list[Spoke]) -> bool:
    """Whether it only says what the parts of the machine give."""
    return all(QUANTITIES[s.quantity].lives is Lives.COMPUTED for s in spokes)


def _all_in(spokes: list[Spoke]) -> Card:
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 14, 16, 14)
    layout.addWidget(Text(tr("Nothing to correct."), 18, "good", bold=True))
    last = min((s.at for s in spokes if s.at), default=None)
    if last:
        day = dated(datetime.fromisoformat(last).astimezone(), "%-d %B %Y")
        layout.addWidget(Text(tr("All in tolerance when last measured, the oldest on {day}.", day=day), colour="soft"))
    return card
