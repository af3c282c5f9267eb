"""What is wrong: complaints pointed at, what may be behind them, and what would tell."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Line, PlacePage, Text, empty, plain_combo, plain_line, scrolling
from keen_compass.app.round.choices import fill
from keen_compass.app.trouble.pictures import draw_complaint
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.machines.shown import length_unit
from keen_compass.procedures import Entry
from keen_compass.procedures.complaints import Diagnosis, SeenIn, complaints_on
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.lengths import parse_length
from keen_compass.rounds.trouble import diagnosis, keep, still_open
from keen_compass.shop.store import Shop
from keen_compass.words.complaints import LOOK, PLACES, TOLD, cause_in_words, complaint_in_words, tells
from keen_compass.words.logbook import day_of
from keen_compass.words.procedures import title
from keen_compass.words.say import show_for

BESIDE = 360  # px, the column of causes
TILE = 128  # px, height of a picture with its words
COLUMNS, WIDE = 3, 1000  # of pictures; one more where the page is so many px wide
MOST_CAUSES, MOST_TELL, MOST_OPEN = 5, 3, 5
LEAST_SHARE = 0.03  # of a cause that is worth a line
BAR, BAR_ABOVE = 10.0, 16  # px: height of a share, space above its words


Tell = Sequence[tuple[Entry, tuple[str, ...]]]
PLACE_WIDE = 168  # px, for the longest place


class Tile(QPushButton):
    """A complaint, drawn; pressed where it is one."""

    def __init__(self, what: str) -> None:
        super().__init__()
        self.what = what
        self.setCheckable(True)
        self.setAccessibleName(tr(TOLD[what].title))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As high as a picture needs, whatever the style says of buttons."""
        return QSize(TILE, TILE)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """Its frame says whether it is pressed, and has the keyboard."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        edge = "focus" if self.hasFocus() else "good" if on else "line"
        p.setPen(QPen(th.color(edge), 3 if on or self.hasFocus() else 1.4))
        p.setBrush(th.color("good_fill" if on else "card"))
        p.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 9, 9)
        draw_complaint(p, self.what, QRectF(12, 8, self.width() - 24, self.height() - 56))
        p.setFont(th.font(th.TEXT, bold=on))
        p.setPen(th.color("ink"))
        words = QRectF(8, self.height() - 46, self.width() - 16, 40)
        p.drawText(words, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, tr(TOLD[self.what].title))


class Details(QWidget):
    """Of one complaint: which way, along which axis, by how much; all of it may stay open. `changed` says so."""

    changed = Signal()

    def __init__(self, what: str, units: str) -> None:
        super().__init__()
        told = TOLD[what]
        self.what, self._unit = what, length_unit(units)
        self.way, self.axis = (
            plain_combo(tr("{title}: which way", title=tr(told.title))),
            plain_combo(tr("{title}: axis", title=tr(told.title))),
        )
        fill(self.way, [(tr(told.plus), "+"), (tr(told.minus), "-")], "+")
        fill(self.axis, [(tr("X or Y"), ""), ("X", "x"), ("Y", "y")], "")
        self.by = plain_line(tr("{title}: by how much", title=tr(told.title)), tr("how much"), 20)
        self.on = plain_line(tr("{title}: on which size", title=tr(told.title)), tr("on size"), 20)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.where = plain_combo(tr("{title}: where on the bed", title=tr(told.title)))
        fill(self.where, [(tr("anywhere"), ""), *((tr(words), place) for place, words in PLACES.items())], "")
        self.where.setMinimumWidth(PLACE_WIDE)
        head = QHBoxLayout()
        head.addWidget(Text(tr(told.title), bold=True), 1)
        head.addWidget(self.where)
        column.addLayout(head)
        row = QHBoxLayout()
        for widget, share in ((self.way, 4), (self.axis, 3), (self.by, 4), (self.on, 3)):
            row.addWidget(widget, share)
        column.addLayout(row)
        for widget, asked in ((self.way, bool(told.plus)), (self.axis, told.axes), (self.on, told.on)):
            widget.setHidden(not asked)  # when they have a parent: without one they would be windows
        for combo in (self.way, self.axis, self.where):
            combo.currentIndexChanged.connect(lambda _: self.changed.emit())
        for line in (self.by, self.on):
            line.editingFinished.connect(self.changed)

    def seen(self) -> SeenIn:
        """As it is said. Raises LengthError."""
        sign = str(self.way.currentData() or "+")
        by: float | str = sign
        if self.by.text().strip():
            by = parse_length(self.by.text(), self._unit).mm * (-1.0 if sign == "-" else 1.0)
        on = parse_length(self.on.text(), self._unit).mm if self.on.text().strip() else None
        axis, where = (combo.currentData() or None for combo in (self.axis, self.where))
        return SeenIn(self.what, axis, on, by, where)  # type: ignore[arg-type]


class Share(QWidget):
    """How much of the complaints a cause explains: a bar, and words."""

    def __init__(self, words: str, share: float) -> None:
        super().__init__()
        self._share = share
        text = Text(words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, BAR_ABOVE, 0, 0)
        layout.addWidget(text)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """The bar above its words."""
        p = QPainter(self)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(th.color("quiet_fill"))
        p.drawRoundedRect(QRectF(0, 2, self.width(), BAR), 5, 5)
        p.setBrush(th.color("good"))
        p.drawRoundedRect(QRectF(0, 2, max(self.width() * self._share, BAR), BAR), 5, 5)


class TroublePage(PlacePage):
    """`begin` carries a procedure and a quantity, `left` that the page is closed."""

    PLACE = "wrong"
    begin = Signal(str, str)

    def __init__(self, shop: Shop, machine: str) -> None:
        super().__init__()
        self._shop, self.machine = shop, shop.machine(machine)
        self.tiles = {what: Tile(what) for what in complaints_on(self.machine)}
        self.details: dict[str, Details] = {}
        for tile in self.tiles.values():
            tile.toggled.connect(partial(self._toggle, tile.what))
        self._details = QVBoxLayout()
        self._details.setSpacing(8)
        self._causes = QVBoxLayout()
        self._causes.setSpacing(10)
        self._trouble = Text(colour="bad", bold=True)
        self.keep = Button(tr("Save in the logbook"), self._save, "quiet")
        self._lay_out()
        self.refresh()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(
            Line(tr("What is wrong with parts from {name}?", name=self.machine.name), th.TITLE, bold=True), 1
        )
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        self._grid = QGridLayout()
        self._grid.setSpacing(10)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        column.addLayout(self._grid)
        column.addLayout(self._details)
        column.addWidget(self._trouble)
        column.addStretch(1)
        card = Card()
        causes = QVBoxLayout(card)
        causes.setContentsMargins(16, 14, 16, 14)
        causes.addLayout(self._causes)
        beside = QWidget()
        right = QVBoxLayout(beside)
        right.setContentsMargins(0, 0, 8, 0)
        right.addWidget(card)
        right.addWidget(self.keep)
        right.addStretch(1)
        self._beside = scrolling(beside)
        self._beside.setFixedWidth(BESIDE)
        body = QHBoxLayout()
        body.setSpacing(14)
        body.addWidget(scrolling(left), 1)
        body.addWidget(self._beside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(12)
        layout.addLayout(head)
        layout.addLayout(body, 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """As many pictures beside one another as can be told apart."""
        super().resizeEvent(event)
        columns = COLUMNS if self.width() < WIDE else COLUMNS + 1
        for i, tile in enumerate(self.tiles.values()):
            self._grid.addWidget(tile, i // columns, i % columns)

    def showEvent(self, event: object) -> None:
        """The first picture has the keyboard."""
        super().showEvent(event)  # type: ignore[arg-type]
        next(iter(self.tiles.values())).setFocus()

    def _toggle(self, what: str, on: bool) -> None:
        if on:
            self.details[what] = details = Details(what, self.machine.units)
            details.changed.connect(self.refresh)
            self._details.addWidget(details)
        elif gone := self.details.pop(what, None):
            self._details.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        self.refresh()

    def seen(self) -> list[SeenIn]:
        """All that is complained of. Raises LengthError."""
        return [details.seen() for details in self.details.values()]

    def refresh(self) -> None:
        """What may be behind it."""
        empty(self._causes)
        self.keep.setVisible(bool(self.details) and not self._shop.read_only)
        self._trouble.say("")
        if not self.details:
            self._causes.addWidget(Text(tr("Point at what parts look like. The likeliest causes are listed here."), 17))
            self._show_open()
            return
        try:
            found = diagnosis(self._shop, self.machine, self.seen())
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self._show(found)

    def _show_open(self) -> None:
        """What was complained of before, and no round has answered."""
        waiting = still_open(self._shop, self.machine)
        if waiting:
            self._causes.addWidget(Text(tr("Not answered yet"), 17, bold=True))
        for at, seen in reversed(waiting[-MOST_OPEN:]):
            self._causes.addWidget(Text(f"{day_of(at)}: {complaint_in_words(seen, show_for(self.machine))}"))

    def _show(self, found: Diagnosis) -> None:
        show = show_for(self.machine)
        self._causes.addWidget(Text(tr("Likely causes"), 17, bold=True))
        likely = [(q, e) for q, e in found.causes.items() if e.share >= LEAST_SHARE]
        for quantity, cause in likely[:MOST_CAUSES]:
            self._causes.addWidget(Share(cause_in_words(quantity, cause, show.units), cause.share))
        if found.unexplained >= LEAST_SHARE:
            self._causes.addWidget(
                Share(tr("Something else: {unexplained:.0f} %", unexplained=100 * found.unexplained), found.unexplained)
            )
        self._causes.addWidget(Text(tr("Look first"), 17, bold=True))
        for what in dict.fromkeys(found.seen):
            self._causes.addWidget(Text(tr(LOOK[what])))
        if found.tell:
            self._causes.addWidget(Text(tr("Then measure, least time first"), 17, bold=True))
        for i, (entry, told) in enumerate(_each_new(found.tell)[:MOST_TELL]):
            self._causes.addWidget(
                Text(tr("{tells} About {minutes} minutes.", tells=tells(entry.name, told), minutes=entry.minutes))
            )
            quantity = next((q for q in told if QUANTITIES[q].axis), told[0])
            run = partial(self.begin.emit, entry.name, quantity)
            button = Button(tr("Begin {title}", title=title(entry.name)), run, "primary" if i == 0 else "")
            self._causes.addWidget(button)

    def _save(self) -> None:
        """Each complaint is a line of the logbook."""
        try:
            keep(self._shop, self.machine, self.seen())
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.keep.setEnabled(False)
        self.keep.setText(tr("Saved in the logbook"))


def _each_new(tell: Tell) -> list[tuple[Entry, tuple[str, ...]]]:
    """Those that tell of something that none before them does."""
    told_of: set[str] = set()
    found = []
    for entry, told in tell:
        if not told_of.issuperset(told):
            found.append((entry, told))
            told_of.update(told)
    return found
