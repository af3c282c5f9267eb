"""The logbook page: filters, the time line, one value's history, files."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QSize, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
)

from keen_compass.app import theme as th
from keen_compass.app.logbook.chart import MOST, HistoryChart
from keen_compass.app.parts import STATE_COLOUR, VERDICT_STATE, Button, Line, PlacePage, Text, draw_state
from keen_compass.app.waiting import Dropped, Waiting
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.formats.files import read_whole, write_whole
from keen_compass.language import marked, tr, tr_n
from keen_compass.machines.profile import Machine
from keen_compass.procedures import understands
from keen_compass.quantities.catalogue import QUANTITIES
from keen_compass.quantities.verdict import Verdict
from keen_compass.reports.table import to_csv
from keen_compass.shop.due import Due, due_on
from keen_compass.shop.exchange import from_json, to_json
from keen_compass.shop.logbook import EVERYTHING, QUANTITY, Entry, Filter, Key, Log
from keen_compass.shop.standing import spokes
from keen_compass.shop.store import Shop
from keen_compass.words.errors import shown_in
from keen_compass.words.logbook import day_of, entry_words

Index = QModelIndex | QPersistentModelIndex
ROW = 40  # px
SHOWN_ABOVE = 300_000  # characters of a file; what is shorter is there before anybody waits
SINCE = {
    "": marked("any time"),
    "31": marked("the last month"),
    "183": marked("the last half year"),
    "366": marked("the last year"),
}
VERDICTS = {"": marked("any verdict"), "in": "in", "out": marked("out"), "cannot_tell": marked("can’t tell")}


NOTHING = marked("Rounds, changes and events will be listed here, each with its date. Begin a round on the rose.")
NOT_FOUND = marked("No entry matches these filters.")


class EntryModel(QAbstractListModel):
    """The entries as Qt asks for them: only those that are on the screen."""

    def __init__(self) -> None:
        super().__init__()
        self._log: Log | None = None
        self.keys: list[Key] = []
        self.machines: dict[str, Machine] = {}

    def show(self, log: Log, found: list[Key], machines: dict[str, Machine]) -> None:
        """Show other entries than so far."""
        self.beginResetModel()
        self._log, self.keys, self.machines = log, found, machines
        self.endResetModel()

    def name(self, entry: Entry) -> str:
        """Of its machine."""
        machine = self.machines.get(entry.machine)
        return machine.name if machine else ""

    def words(self, entry: Entry) -> str:
        """What happened, in the unit of its machine."""
        return entry_words(entry, self.machines.get(entry.machine))

    def entry(self, row: int) -> Entry | None:
        """What is in a row; None where there is none."""
        return self._log.entry(self.keys[row]) if self._log and 0 <= row < len(self.keys) else None

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 (Qt's signature)
        """As many rows as there are entries."""
        return 0 if parent.isValid() else len(self.keys)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        """Words for screen readers; the entry itself for the painter."""
        entry = self.entry(index.row())
        if entry is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            return f"{entry.at[:10]} {self.name(entry)}: {self.words(entry)}"
        return entry if role == Qt.ItemDataRole.UserRole else None


class EntryPainter(QStyledItemDelegate):
    """Day, machine, sign, words."""

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        """All rows are as high as the first."""
        return QSize(200, ROW)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """One entry, on one row."""
        entry: Entry = index.data(Qt.ItemDataRole.UserRole)
        model = index.model()
        assert isinstance(model, EntryModel)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        r = option.rect
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        if selected:
            p.fillRect(r, th.color("quiet_fill"))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        when = day_of(entry.at)
        line = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        p.drawText(r.adjusted(12, 0, 0, 0), line, when)
        name = p.fontMetrics().elidedText(model.name(entry), Qt.TextElideMode.ElideRight, 104)
        p.drawText(r.adjusted(118, 0, 0, 0), line, name)
        if entry.verdict:
            state = VERDICT_STATE[Verdict(entry.verdict)]
            middle = r.topLeft().toPointF()
            middle.setX(middle.x() + 240)
            middle.setY(middle.y() + ROW / 2)
            draw_state(p, state, middle, 6, th.color(STATE_COLOUR[state]), th.color("card"))
        p.setPen(th.color("ink"))
        room = r.width() - 270
        words = p.fontMetrics().elidedText(model.words(entry), Qt.TextElideMode.ElideRight, room)
        p.drawText(r.adjusted(258, 0, 0, 0), line, words)
        p.restore()


class LogbookPage(PlacePage):
    """`left` is emitted when the technician goes back, `took_over` when someone else's logbook came in."""

    PLACE = "logbook"
    took_over = Signal()

    def __init__(self, shop: Shop, machine: str) -> None:
        super().__init__()
        self._shop = shop
        self._log: Log | None = None
        machines = {"": tr("all machines")} | {m.uid: m.name for m in shop.machines()}
        had = {q for m in shop.machines() for q in m.quantities}
        quantities = {"": tr("everything")} | {q.name: q.label for q in QUANTITIES.values() if q.name in had}
        self.machine = self._combo(tr("Machine"), machines)
        self.quantity = self._combo(tr("What"), quantities)
        self.verdict = self._combo(tr("Verdict"), VERDICTS)
        self.since = self._combo(tr("Since"), SINCE)
        self.model = EntryModel()
        self.list = QListView()
        self.list.setModel(self.model)
        self.list.setItemDelegate(EntryPainter(self.list))
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName(tr("Logbook entries, newest first"))
        self.list.selectionModel().currentChanged.connect(lambda *_: self._choose())
        self.chart = HistoryChart()
        self._count = Text(colour="soft")
        self._empty = Text(colour="soft")
        self._said = Text()
        self.file = QLineEdit(str(Path.home() / "logbook.csv"))
        self.file.setFont(th.font())
        self.file.setMinimumHeight(th.HAND)
        self.file.setAccessibleName(tr("File"))
        self.csv = Button(tr("Write CSV"), lambda: self._write("csv"), "quiet")
        self.json = Button(tr("Write JSON"), lambda: self._write("json"), "quiet")
        self.take = Button(tr("Read JSON"), self._read, "quiet")
        self.record = Button(tr("Write record (PDF)"), lambda: self._write("pdf"))
        self._lay_out()
        self.machine.setCurrentIndex(max(self.machine.findData(machine), 0))
        self.refresh()

    def _combo(self, name: str, items: dict[str, str]) -> QComboBox:
        combo = QComboBox()
        combo.setAccessibleName(name)
        combo.setFont(th.font())
        for value, words in items.items():
            combo.addItem(tr(words), value)
        combo.currentIndexChanged.connect(lambda _: self.refresh())
        return combo

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(Line(tr("Logbook"), th.TITLE, bold=True), 1)
        head.addWidget(Button(tr("Close"), self.left.emit, "quiet"))
        filters = QHBoxLayout()
        for combo in (self.machine, self.quantity, self.verdict, self.since):
            filters.addWidget(combo)
        filters.addWidget(self._count, 1)
        files = QHBoxLayout()
        files.addWidget(self.file, 1)
        for button in (self.csv, self.json, self.take, self.record):
            files.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 14, 16, 12)
        layout.setSpacing(10)
        layout.addLayout(head)
        layout.addLayout(filters)
        layout.addWidget(self._empty)
        layout.addWidget(self.list, 3)
        layout.addWidget(self.chart, 2)
        layout.addLayout(files)
        layout.addWidget(self._said)
        self._said.hide()

    def showEvent(self, event: object) -> None:
        """The keyboard goes to the entries."""
        super().showEvent(event)  # type: ignore[arg-type]
        self.list.setFocus()

    def filter(self) -> Filter:
        """What the choices above the list let through."""
        days = self.since.currentData()
        since = (datetime.now(UTC) - timedelta(days=int(days))).isoformat() if days else ""
        machine, quantity, verdict = (c.currentData() or "" for c in (self.machine, self.quantity, self.verdict))
        return Filter(machine, quantity, verdict, since)

    def refresh(self) -> None:
        """Show what passes the filters."""
        if not hasattr(self, "model") or self.machine.count() == 0:
            return
        machines = self._shop.machines()
        if self._log is None or self._log.version != self._shop.version:
            self._log = Log(self._shop)
        found = self._log.passing(self.filter())
        self.model.show(self._log, found, {m.uid: m for m in machines})
        self._count.say(tr("{n:,} entries", n=len(found)).replace(",", "\u202f") if len(found) != 1 else tr("1 entry"))
        self._empty.say("" if found else tr(NOTHING if self.filter() == EVERYTHING else NOT_FOUND))
        self._empty.setVisible(not found)
        if found:
            self.list.setCurrentIndex(self.model.index(0))
        self._choose()

    def _chosen(self) -> Entry | None:
        return self.model.entry(self.list.currentIndex().row())

    def _newest_quantity(self) -> str:
        """The quantity that the newest entry about one is about."""
        return next((q for key in self.model.keys if (q := key[QUANTITY])), next(iter(QUANTITIES)))

    def _choose(self) -> None:
        """The history of the value that the chosen entry is about."""
        entry = self._chosen()
        machine = entry.machine if entry else self.machine.currentData()
        quantity = (entry.quantity if entry else "") or self.quantity.currentData() or self._newest_quantity()
        of = self.model.machines.get(machine or "")
        self.chart.show_history(
            f"{of.name if of else ''}: {QUANTITIES[quantity].label}",
            shown_in(QUANTITIES[quantity].error_unit, of.unit_of(quantity) if of else "mm"),
            self._shop.findings(machine, quantity, MOST) if machine else [],
            self._due(of, quantity) if of else None,
        )
        self.record.setEnabled(entry is not None and entry.round is not None)

    def _due(self, machine: Machine, quantity: str) -> Due | None:
        """When a value is to be looked at again; None where that has no day."""
        mine = [s for s in spokes(self._shop, machine) if s.quantity == quantity]
        return next(due_on(self._shop, machine, mine, datetime.now(UTC)), None)

    def _take_over(self, text: str) -> int:
        if len(text) < SHOWN_ABOVE:
            return from_json(self._shop, text, understands)
        waiting = Waiting(tr("The logbook is checked and imported"))
        try:
            return from_json(self._shop, text, understands, waiting.show_share)
        finally:
            waiting.end()

    def _file(self, suffix: str) -> Path:
        """The file that is named, with the suffix of what it holds. Raises InputError where none is."""
        file = Path(self.file.text().strip()).expanduser()
        if not file.name:
            raise InputError(tr("Name a file first."))
        return file.with_suffix(suffix)

    def _write(self, kind: str) -> None:
        try:
            file = self._file(f".{kind}")
            if kind == "csv":
                data = to_csv(self._shop, self.filter()).encode()
            elif kind == "json":
                data = to_json(self._shop, self.machine.currentData() or "").encode()
            else:
                data = self._record()
            write_whole(file, data)
        except KeenCompassError as error:
            self._said.say(str(error), "bad")
        else:
            self._said.say(tr("Written: {file}", file=file), "good")

    def _record(self) -> bytes:
        from keen_compass.reports.record import record_of

        entry = self._chosen()
        if entry is None or entry.round is None:
            raise InputError(tr("Choose an entry of a signed round first."))
        return record_of(self._shop, entry.round)

    def _read(self) -> None:
        try:
            file = self._file(".json")
            came = self._take_over(read_whole(file).decode("utf-8"))
        except Dropped:
            self._said.say(tr("Nothing was imported."))
        except UnicodeDecodeError:
            self._said.say(tr("That file isn’t a logbook: it isn’t text."), "bad")
        except KeenCompassError as error:
            self._said.say(str(error), "bad")
        else:
            rounds = tr_n("{n} round", "{n} rounds", came)
            self._said.say(tr("{rounds} imported from {file}.", rounds=rounds, file=file), "good")
            self.refresh()
            self.took_over.emit()
