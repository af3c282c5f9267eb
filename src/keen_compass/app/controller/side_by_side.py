"""Two listings side by side: only what differs, large."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.controller.known import add_left
from keen_compass.app.controller.leaving import DifferenceRow
from keen_compass.app.controller.model import ControllerModel
from keen_compass.app.parts import Text, empty, plain_combo, scrolling
from keen_compass.errors import KeenCompassError
from keen_compass.formats.listing import Entry, Listing, compared, understood
from keen_compass.language import tr
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.rounds.holding import why_otherwise
from keen_compass.shop.listings import Copy, copied, left, lefts
from keen_compass.words.logbook import day_of
from keen_compass.words.say import say, show_for

MOST = 60  # differences that are shown
NOW = ""  # in the place of a copy: the file as it was read


def called(copy: Copy) -> str:
    """How a copy is named in a list."""
    return f"{day_of(copy.at)}: {copy.reason}"


class SideBySide(QWidget):
    """The copy that is chosen beside, against another copy or the file as it was read."""

    def __init__(self, model: ControllerModel) -> None:
        super().__init__()
        self._model = model
        self.copy: Copy | None = None
        self._stale = True
        self._copies: list[Copy] = []
        self._head = Text("", 17, bold=True)
        self.against = plain_combo(tr("Compared with"))
        self.against.setMinimumHeight(th.HAND)
        self.against.activated.connect(lambda _: self.refresh())
        inner = QWidget()
        self._rows = QVBoxLayout(inner)
        self._rows.setContentsMargins(0, 4, 8, 0)
        self._rows.setSpacing(8)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.addWidget(self._head, 1)
        row.addWidget(self.against, 1)
        layout.addLayout(row)
        layout.addWidget(scrolling(inner), 1)

    def show_copy(self, copy: Copy | None, copies: list[Copy]) -> None:
        """Another copy, or others to compare it with."""
        self.copy, self._copies = copy, copies
        chosen = self.against.currentData()
        self.against.clear()
        self.against.addItem(tr("the file as it was read"), NOW)
        for other in copies:
            if copy is not None and other.uid != copy.uid:
                self.against.addItem(called(other), other.uid)
        self.against.setCurrentIndex(max(self.against.findData(chosen), 0))
        self.refresh()

    def showEvent(self, event: object) -> None:
        """What changed while it was hidden."""
        super().showEvent(event)  # type: ignore[arg-type]
        if self._stale:
            self.refresh()

    def refresh(self) -> None:
        """Show what differs; nothing is compared while it is hidden."""
        self._stale = not self.isVisible()
        if self._stale:
            return
        empty(self._rows)
        try:
            two = self._two()
        except KeenCompassError as error:
            self._rows.addWidget(Text(str(error), colour="bad"))
            return
        if two is None or self.copy is None:
            self._head.say(tr("Save a copy first; the file is compared with it."))
            return
        a, b = two
        self._head.say(f"{called(self.copy)}  →")
        found = compared(a, b)
        stays, known_left = [], lefts(self._model.shop, self._model.machine.uid)
        shown = 0
        for there, here in found.changed:
            was = left(known_left, _what(there), here.value, there.value)
            if was:
                stays.append((there, here, was))
            elif (shown := shown + 1) <= MOST:
                self._rows.addWidget(self._row(a, b, there, here))
        if shown > MOST:
            self._rows.addWidget(Text(tr("and {shown} more", shown=shown - MOST), colour="soft"))
        if not shown:
            words = tr("Nothing else differs.") if stays or found.only_a or found.only_b else tr("Nothing differs.")
            self._rows.addWidget(Text(words, 17, colour="good"))
        for there, here, was in stays:
            add_left(self._rows, self._model, self._label(a, there), _what(there), f"{there.value} → {here.value}", was)
        for only, words in ((found.only_a, tr("Only in this copy")), (found.only_b, tr("Only in the other"))):
            if only:
                listed = ", ".join(f"{e.key} {e.value}" for e in only[:MOST])
                more = tr(" and {n} more", n=len(only) - MOST) if len(only) > MOST else ""
                self._rows.addWidget(Text(f"{words}: {listed}{more}.", colour="soft"))
        self._rows.addStretch(1)

    def _two(self) -> tuple[Listing, Listing] | None:
        other = self.against.currentData()
        if self.copy is None or (other == NOW and self._model.listing is None):
            return None
        mine = understood(copied(self._model.shop, self.copy))
        if other == NOW:
            assert self._model.listing is not None
            return mine, self._model.listing
        against = next(c for c in self._copies if c.uid == other)
        return mine, understood(copied(self._model.shop, against))

    def _quantity(self, listing: Listing, entry: Entry) -> str | None:
        machine, key = self._model.machine, listing.name_of(entry)
        return next((q for q in machine.setting_keys if machine.in_controller(q) and machine.place(q).key == key), None)

    def _label(self, listing: Listing, entry: Entry) -> str:
        quantity = self._quantity(listing, entry)
        return QUANTITIES[quantity].label if quantity else listing.name_of(entry)

    def _row(self, a: Listing, b: Listing, there: Entry, here: Entry) -> DifferenceRow:
        model, label = self._model, self._label(a, there)
        quantity, key = self._quantity(a, there), b.name_of(here)
        where = tr("line {line}", line=here.line) if label == key else tr("{key}, line {line}", key=key, line=here.line)
        lines = [(where + (f": {here.remark}" if here.remark else ""), "soft")]
        if quantity and (why := why_otherwise(model.machine, quantity, here.value, there.value)):
            lines.append((say(why, show_for(model.machine)), "warn"))
        offered = []
        if self.against.currentData() == NOW:
            run = partial(model.write_key, key, there.value)
            offered.append(
                (
                    tr("Write {value}", value=there.value),
                    tr("{label}: write {value} into the file", label=label, value=there.value),
                    run,
                )
            )
        return DifferenceRow(
            f"{label}: {there.value} → {here.value}",
            lines,
            offered,
            label,
            lambda why: model.leave(_what(there), here.value, there.value, why),
            editable=model.editable,
            large=True,
        )


def _what(entry: Entry) -> str:
    return f"{entry.section}/{entry.key}"
