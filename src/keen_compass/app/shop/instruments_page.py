"""What the shop measures with."""

from __future__ import annotations

from datetime import UTC, date, datetime

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.forms import Form
from keen_compass.app.parts import Button, Line, PlacePage, Text, empty, scrolling
from keen_compass.errors import KeenCompassError
from keen_compass.language import dated, tr, written
from keen_compass.machines.instrument_form import INSTRUMENT_KINDS, instrument_fields, read_instrument
from keen_compass.quantities.instruments import Instrument
from keen_compass.quantities.lengths import UNITS_MM, length_in_words
from keen_compass.shop.store import Shop


class InstrumentsPage(PlacePage):
    """A list at the left, the chosen one's profile at the right."""

    PLACE = "instruments"

    def __init__(self, shop: Shop) -> None:
        super().__init__()
        self._shop = shop
        self._chosen: Instrument | None = None
        self.form = Form()
        self.form.field("name", tr("Name"))
        self.form.choice("kind", tr("Kind"), {k: k for k in INSTRUMENT_KINDS})
        self.form.choice("unit", tr("Bare digits are"), {u: u for u in UNITS_MM})
        self.form.field("resolution", tr("Smallest division"))
        self.form.field("error_a", tr("Permissible error, fixed part"))
        self.form.field("error_b", tr("… and per metre, mm"))
        self.form.field("reach", tr("Measures up to"))
        self.form.field("zero", tr("Shows at zero"))
        self.form.field("due", tr("Its own check is due"), tr("2027-03-01, or empty"))
        self._about = Text(colour="soft")
        self._trouble = Text(colour="bad", bold=True)
        self.save = Button(tr("Save"), self._save, "primary")
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        self._title = Line("", 20, bold=True)
        self._lay_out()
        instruments = shop.instruments()
        self.choose(instruments[0] if instruments else None)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("Instruments"), th.TITLE, bold=True), 1)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        head.addWidget(self.save)
        listing = QWidget()
        listing.setLayout(self._list)
        listing.setFixedWidth(290)
        right = QVBoxLayout()
        right.addWidget(self._title)
        right.addWidget(self._trouble)
        right.addWidget(self.form)
        right.addWidget(self._about)
        right.addStretch(1)
        columns = QWidget()
        body = QHBoxLayout(columns)
        body.setContentsMargins(0, 8, 14, 8)
        body.setSpacing(28)
        body.addWidget(listing, 0, Qt.AlignmentFlag.AlignTop)
        body.addLayout(right, 1)
        scroll = scrolling(columns)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 12, 8)
        layout.addLayout(head)
        layout.addWidget(scroll, 1)

    def showEvent(self, event: object) -> None:
        """Typing begins with the name."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.form.edits["name"].setFocus()

    def choose(self, instrument: Instrument | None) -> None:
        """Show one, or an empty form for a new one."""
        self._chosen = instrument
        self._title.say(instrument.name if instrument else tr("A new instrument"))
        self.form.fill(instrument_fields(instrument))
        self._trouble.say("")
        self._about.say(self._known_about(instrument) if instrument else "")
        self._fill_list()
        self.form.edits["name"].setFocus()

    def _known_about(self, instrument: Instrument) -> str:
        learnt = self._shop.repeatability(instrument.uid)
        words = tr("No repeats yet: the spread of single readings is assumed to be one division.")
        if learnt:
            words = tr(
                "Its repeats in the logbook differ by {s} (standard deviation, {dof:.0f} degrees of freedom).",
                s=written(length_in_words(learnt.s, instrument.shown_in, 4)),
                dof=learnt.dof,
            )
        if due := instrument.overdue(datetime.now(UTC).date()):
            words += tr(" Its own check was due on {due}.", due=dated(due))
        return words

    def _fill_list(self) -> None:
        empty(self._list)
        today: date = datetime.now(UTC).date()
        for instrument in self._shop.instruments():
            words = instrument.name + (tr(" · check due") if instrument.overdue(today) else "")
            button = Button(words, lambda i=instrument: self.choose(i), "quiet")  # type: ignore[misc]
            button.setCheckable(True)
            button.setChecked(self._chosen is not None and instrument.uid == self._chosen.uid)
            self._list.addWidget(button)
        self._list.addWidget(Button(tr("Add an instrument"), lambda: self.choose(None)))

    def _save(self) -> None:
        instrument, complaints = read_instrument(self.form.values(), self._chosen)
        self.form.complain(complaints)
        self._trouble.say(tr("Some fields need another look.") if complaints else "")
        if instrument is None:
            return
        try:
            self._shop.put_instrument(instrument)
        except KeenCompassError as error:
            self._trouble.say(str(error))
            return
        self.choose(instrument)
