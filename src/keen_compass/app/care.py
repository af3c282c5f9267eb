"""Looks after the open shop file, and says what someone should know: damage, a file that went away, odd dates."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QTimer, Signal

from keen_compass.errors import KeenCompassError
from keen_compass.language import tr, tr_n
from keen_compass.shop.kept import Future
from keen_compass.shop.store import Shop
from keen_compass.words.say import say

MOST_NAMED = 3  # damaged things that are named
FIRST_LOOK, LOOK_AGAIN = 700, 60  # ms until the rows are looked at, and between two looks
LOOK_FOR = 0.01  # s
FOLLOW = 700  # ms between two looks at what another window wrote


class ShopCare(QObject):
    """`said` carries a sentence; `asked` a question with its answers (`notice.Answer`); `changed` that what is shown
    may be out of date; `again` that someone wants to open the same file once more."""

    said = Signal(str)
    asked = Signal(str, list)
    changed = Signal()
    again = Signal()

    def __init__(self, shop: Shop, keep_copy: Callable[[], object], parent: QObject) -> None:
        super().__init__(parent)
        self._shop, self._keep_copy = shop, keep_copy
        self._said_gone = False
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._follows = QTimer(self)
        self._follows.timeout.connect(self.follow)
        self._seen: object = None

    def begin(self) -> None:
        """Say what is known already; look for the rest in idle moments."""
        self.say_how_it_is()
        self._timer.start(FIRST_LOOK)
        if self._shop.elsewhere:
            self._seen = self._shop.version
            self._follows.start(FOLLOW)

    def stop(self) -> None:
        """The shop is about to be closed."""
        self._timer.stop()
        self._follows.stop()

    def follow(self) -> None:
        """Where another window wrote into the file, that is shown here too."""
        try:
            if not self._shop.closed and (now := self._shop.version) != self._seen:
                self._seen = now
                self.changed.emit()
        except KeenCompassError as error:
            self._follows.stop()
            self.said.emit(str(error))

    def look(self) -> None:
        """A little of the look for damage; when that is done, once, whether a clock was wrong."""
        self._timer.setInterval(LOOK_AGAIN)
        if self._shop.closed:
            self._timer.stop()
            return
        try:
            if not self._shop.checked:
                if self._shop.check(LOOK_FOR):
                    self.say_how_it_is()
                    self.changed.emit()
                return
            self._timer.stop()
            self.ask_what_is_open()
        except KeenCompassError as error:
            self._timer.stop()
            self.said.emit(str(error))

    def look_whether_gone(self) -> None:
        """Once: the file was found to be moved, deleted or replaced."""
        if not self._shop.gone or self._said_gone:
            return
        self._said_gone = True
        self.asked.emit(
            tr(
                "{name} was moved, deleted or replaced while it was open, so nothing more is written "
                "into it. All that this window knows can be kept under a new name.",
                name=self._shop.file.name,
            ),
            [(tr("Save a copy as…"), self._keep_copy), (tr("Not now"), lambda: None)],
        )

    def ask_what_is_open(self) -> None:
        """What only a person can say: whether odd dates are right."""
        if self._shop.closed or self._shop.read_only:
            return
        if future := self._shop.from_the_future():
            self._ask_about_dates(future)

    def _ask_about_dates(self, future: Future) -> None:
        """Something is dated after now: either this computer's clock is wrong, or those dates are."""
        from keen_compass.app.round.words import day_and_time  # late: nothing of it is for the first screen

        n = len(future.rows)
        entries = tr_n("{n} entry is", "{n} entries are", n)
        self.asked.emit(
            tr(
                "{entries} dated after now, up to {moment}. This computer says {moment2}: is that right?",
                entries=entries,
                moment=day_and_time(future.latest),
                moment2=day_and_time(self._shop.clock()),
            ),
            [
                (tr("Yes: date them now"), lambda: self._date_as_now(future)),
                (
                    tr("No: the clock is wrong"),
                    lambda: self.said.emit(tr("Set this computer’s clock, then open the shop again.")),
                ),
            ],
        )

    def _date_as_now(self, future: Future) -> None:
        try:
            self._shop.date_as_now(future)
        except KeenCompassError as error:
            self.said.emit(str(error))
        self.changed.emit()
        self.ask_what_is_open()

    def say_how_it_is(self) -> None:
        """Why it can only be looked at, what is damaged, what else there is to say about the file."""
        damage = self._shop.damage
        if damage:
            named = ", ".join(say(d.what) for d in damage[:MOST_NAMED])
            more = tr(" and {n} more", n=len(damage) - MOST_NAMED) if len(damage) > MOST_NAMED else ""
            left = tr_n("is", "are", len(damage))
            self.asked.emit(
                tr(
                    "This shop’s file is damaged: {named}{more} can’t be trusted and {left} left out. It can "
                    "only be looked at; what is sound can be kept as a new file.",
                    named=named,
                    more=more,
                    left=left,
                ),
                [(tr("Save what is sound…"), self._keep_copy), (tr("Only look"), lambda: None)],
            )
        elif self._shop.elsewhere:
            self.asked.emit(
                tr("{why_read_only} What is done there is shown here too.", why_read_only=self._shop.why_read_only),
                [(tr("Only look"), lambda: None), (tr("Write here"), self.again.emit)],
            )
        elif why := self._shop.why_read_only:
            self.said.emit(why)
        elif notice := self._shop.notice:
            self.said.emit(say(notice))
