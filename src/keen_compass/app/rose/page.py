"""The rose with *Next, in this order* beside it."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, StateSign, Text, scrolling
from keen_compass.app.rose.canvas import Rose
from keen_compass.procedures import yielding
from keen_compass.shop.forms import show_size
from keen_compass.shop.logbook import Entry
from keen_compass.shop.machines import Machine
from keen_compass.shop.standing import Spoke, next_in_order
from keen_compass.shop.store import KeptRound

IDLE_DAYS = 7  # after so long the piece may be gone, and the machine changed


class RosePage(QWidget):
    """`begin` carries the name of a procedure; `change` asks for the machine's profile."""

    begin = Signal(str)
    change = Signal()
    happened = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.rose = Rose()
        self.rose.opened.connect(self._open)
        self._title = Line(px=th.TITLE, bold=True)
        self._subtitle = Line(colour="soft")
        self._next = QVBoxLayout()
        self._next.setSpacing(12)
        beside = QWidget()
        beside.setLayout(self._next)
        self._next.setContentsMargins(0, 0, 8, 0)
        scroll = scrolling(beside)
        scroll.setFixedWidth(356)
        middle = QHBoxLayout()
        middle.addWidget(self.rose, 1)
        middle.addWidget(scroll)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 16, 16)
        head = QHBoxLayout()
        names = QVBoxLayout()
        names.addWidget(self._title)
        names.addWidget(self._subtitle)
        head.addLayout(names, 1)
        self.note = Button("Something happened", self.happened.emit, "quiet")
        self.edit = Button("Change machine", self.change.emit, "quiet")
        head.addWidget(self.note)
        head.addWidget(self.edit)
        layout.addLayout(head)
        layout.addLayout(middle, 1)

    def show_machine(
        self, machine: Machine, spokes: list[Spoke], under_way: KeptRound | None, step: str, lately: list[Entry],
        idle_days: int,
    ) -> None:  # fmt: skip
        """Fill the page; a round under way may have been left for `idle_days`."""
        self._title.say(machine.name)
        s = machine.standpoint
        self._subtitle.say(
            f"{machine.kind} {show_size(*machine.bed, machine.units)} · "
            f"controller keeps {machine.form.noun}, {machine.decimals} decimals · "
            f"+X {s.words('x', 1)}, +Y {s.words('y', 1)}"
        )
        self.rose.show_spokes(spokes)
        while self._next.count():
            item = self._next.takeAt(0)
            if item and (widget := item.widget()):
                widget.hide()
                widget.deleteLater()
        self._next.addWidget(Text("Next, in this order", 17, bold=True))
        seen: dict[str, list[Spoke]] = {}
        for spoke in next_in_order(spokes):
            entry = yielding(spoke.quantity)
            if entry:
                seen.setdefault(entry.name, []).append(spoke)
        for i, (name, members) in enumerate(seen.items()):
            going = step if under_way and under_way.procedure == name else ""
            self._next.addWidget(self._task(name, members, going, idle_days, first=i == 0))
        if not seen:
            self._next.addWidget(_all_in(spokes))
        if lately:
            self._next.addSpacing(8)
            self._next.addWidget(Text("Lately", 17, bold=True))
            self._next.addWidget(_lately(lately))
        self._next.addStretch(1)

    def _task(self, procedure: str, members: list[Spoke], going: str, idle_days: int, *, first: bool) -> Card:
        entry = yielding(members[0].quantity)
        assert entry is not None
        card = Card()
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 12, 16, 14)
        layout.addWidget(Text(" and ".join(m.label for m in members), 18, bold=True))
        for member in members:
            row = QHBoxLayout()
            row.setSpacing(10)
            sign = StateSign(member.state)
            row.addWidget(sign, 0, Qt.AlignmentFlag.AlignTop)
            row.addWidget(Text(f"{member.label[0]}: {member.reason[0].lower()}{member.reason[1:]}"), 1)
            layout.addLayout(row)
        if going:
            layout.addWidget(Text(f"Under way, at {going.capitalize()}.", colour="focus", bold=True))
            if idle_days > IDLE_DAYS:
                words = f"Not touched for {idle_days} days: go on, cut again if the piece is gone, or give up."
                layout.addWidget(Text(words, colour="warn"))
        else:
            layout.addWidget(Text(f"{entry.does}, about {entry.minutes} minutes.", colour="soft"))
        button = Button("Go on" if going else "Begin", lambda: self.begin.emit(procedure), "primary" if first else "")
        button.setAccessibleName(f"{'Go on with' if going else 'Begin'} {entry.title}")
        layout.addWidget(button)
        return card

    def _open(self, quantity: str) -> None:
        entry = yielding(quantity)
        if entry:
            self.begin.emit(entry.name)


def _lately(entries: list[Entry]) -> Card:
    """The newest entries of the logbook."""
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 10, 14, 12)
    layout.setSpacing(8)
    for entry in entries:
        row = QHBoxLayout()
        row.setSpacing(10)
        day = Text(datetime.fromisoformat(entry.at).astimezone().strftime("%-d %b"), colour="soft")
        day.setWordWrap(False)
        day.setFixedWidth(58)
        row.addWidget(day, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(Text(entry.words), 1)
        layout.addLayout(row)
    return card


def _all_in(spokes: list[Spoke]) -> Card:
    card = Card()
    layout = QVBoxLayout(card)
    layout.setContentsMargins(16, 14, 16, 14)
    layout.addWidget(Text("Nothing to correct.", 18, "good", bold=True))
    last = min((s.at for s in spokes if s.at), default=None)
    if last:
        day = datetime.fromisoformat(last).astimezone().strftime("%-d %B %Y")
        layout.addWidget(Text(f"All in tolerance when last measured, the oldest on {day}.", colour="soft"))
    return card
