"""What is put on paper: a worksheet of what is measured, a label for the machine, a report of the shop."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import printing
from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Line, Text, plain_combo, plain_line
from keen_compass.errors import InputError, KeenCompassError
from keen_compass.formats.files import file_stem, write_whole
from keen_compass.language import marked, tr

if TYPE_CHECKING:
    from keen_compass.app.window import MainWindow

PERIODS = (
    (marked("Last 30 days"), 30),
    (marked("Last 90 days"), 90),
    (marked("Last year"), 365),
    (marked("All of it"), 0),
)


class PaperDialog(QDialog):
    """Print it, or write it as PDF; what is chosen first is what one is at."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self.setWindowTitle(tr("Print"))
        self.what, self.label_size, self.period = (
            plain_combo(name) for name in (tr("What"), tr("Label size"), tr("Period"))
        )
        for name, words, _ in self._papers():
            self.what.addItem(words, name)
        from keen_compass.reports.label import SIZES

        for size in SIZES:
            self.label_size.addItem(f"{size} mm", size)
        for words, days in PERIODS:
            self.period.addItem(tr(words), days)
        self.printer = plain_combo(tr("Printer"))
        self.printer.addItems(printing.printers())
        self.file = plain_line(tr("File"), "", 400)
        self.send = Button(tr("Print"), self._send, "primary")
        self.write = Button(tr("Write PDF"), self._write, "primary" if not self.printer.count() else "")
        self._said = Text()
        self._lay_out()
        self.what.currentIndexChanged.connect(lambda _: self._choose())
        self._choose()

    def _lay_out(self) -> None:
        self._rows: dict[str, tuple[QWidget, QWidget]] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(10)
        for i, (name, words, widget) in enumerate(
            (
                ("what", tr("What"), self.what),
                ("size", tr("Label size"), self.label_size),
                ("period", tr("Period"), self.period),
                ("printer", tr("Printer"), self.printer),
                ("file", tr("File"), self.file),
            )
        ):
            label = Text(words, colour="soft")
            grid.addWidget(label, i, 0)
            grid.addWidget(widget, i, 1)
            self._rows[name] = label, widget
        grid.setColumnStretch(1, 1)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        for button in (self.send, self.write, Button(tr("Close"), self.reject, "quiet")):
            buttons.addWidget(button)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 18, 24, 18)
        layout.setSpacing(14)
        layout.addWidget(Line(tr("Print"), th.TITLE, bold=True))
        layout.addLayout(grid)
        layout.addWidget(self._said)
        layout.addLayout(buttons)
        self.setMinimumWidth(620)

    def _papers(self) -> list[tuple[str, str, Callable[[], bytes]]]:
        """(name, words, what makes it) of all that there is something for now, the likeliest first."""
        window, found = self._window, []
        page = window.round_page
        if page is not None and page.model.session.context.piece is not None:
            found.append(("worksheet", tr("Worksheet for this piece"), self._worksheet))
        if window.machine_uid:
            name = window.shop.machine(window.machine_uid).name
            found.append(("label", tr("Label for {name}", name=name), self._label))
        found.append(("report", tr("Shop report"), self._report))
        return found

    def _worksheet(self) -> bytes:
        from keen_compass.reports.worksheet import worksheet

        page = self._window.round_page
        if page is None:
            raise InputError(tr("The round was closed."))
        return worksheet(page.model.session)

    def _label(self) -> bytes:
        from keen_compass.reports.label import label

        shop = self._window.shop
        return label(shop, shop.machine(self._window.machine_uid or ""), self.label_size.currentData())

    def _report(self) -> bytes:
        from keen_compass.reports.shop_report import shop_report

        days = self.period.currentData()
        since = datetime.now(UTC) - timedelta(days) if days else None
        return shop_report(self._window.shop, self._window.shop_title, since)

    def _choose(self) -> None:
        chosen = self.what.currentData()
        shown = {"what": True, "size": chosen == "label", "period": chosen == "report", "file": True}
        shown["printer"] = self.printer.count() > 0
        for name, widgets in self._rows.items():
            for widget in widgets:
                widget.setVisible(shown[name])
        self.send.setVisible(shown["printer"])
        shop = self._window.shop
        of = shop.machine(self._window.machine_uid).name if self._window.machine_uid and chosen != "report" else "shop"
        self.file.setText(str(Path.home() / f"{file_stem(of)}-{chosen}.pdf"))
        self._said.say("")

    def _made(self) -> bytes:
        return next(make for name, _, make in self._papers() if name == self.what.currentData())()

    def _send(self) -> None:
        self._do(lambda: printing.send(self._made(), self.printer.currentText(), 1), tr("Sent to the printer."))

    def _write(self) -> None:
        file = Path(self.file.text().strip()).expanduser()
        self._do(lambda: write_whole(file, self._made()), tr("Written: {file}", file=file))

    def _do(self, run: Callable[[], None], done: str) -> None:
        try:
            run()
        except KeenCompassError as error:
            self._said.say(str(error), "bad")
        else:
            self._said.say(done, "good")

    def showEvent(self, event: object) -> None:
        """The keyboard is on what leads on."""
        super().showEvent(event)  # type: ignore[arg-type]
        (self.send if self.send.isVisible() else self.write).setFocus(Qt.FocusReason.OtherFocusReason)
