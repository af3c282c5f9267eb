"""Artwork: whose outline is cut, how far out, with which corners; every change is looked at on the page above."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QComboBox, QFileDialog, QLineEdit, QSizePolicy, QSlider, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Line, Text, plain_combo, plain_count, plain_line
from keen_compass.app.round.choices import fill
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.stage_panel import StagePanel
from keen_compass.app.waiting import Dropped, beside
from keen_compass.errors import KeenCompassError, NoSizeError
from keen_compass.formats.apart import ready
from keen_compass.formats.artwork import Picture
from keen_compass.formats.drawn import Drawing, OwnLine
from keen_compass.language import marked, tr, tr_n, written
from keen_compass.machines.shown import show_length
from keen_compass.pieces.sticker import MOST_COPIES, Sticker
from keen_compass.rounds.artworks import Artworks
from keen_compass.words.say import say

KINDS = marked("Artwork (*.svg *.pdf *.png *.jpg *.jpeg *.webp *.tif *.tiff)")
# name → what is chosen, and of each: words, words where there is little room, what it is
CHOICES: dict[str, tuple[str, tuple[tuple[str, str, object], ...]]] = {
    "corners": (
        marked("Corners"),
        ((marked("round corners"), marked("rounded"), "round"), (marked("sharp corners"), marked("sharp"), "mitre")),
    ),
    "holes": (
        marked("Holes"),
        ((marked("holes are cut"), marked("holes"), "keep"), (marked("no holes"), marked("no holes"), "drop")),
    ),
    "parts": (
        marked("Parts"),
        ((marked("parts apart"), marked("apart"), "apart"), (marked("parts in one"), marked("in one"), "joined")),
    ),
    "own_line": (
        marked("Cut"),
        (
            (marked("along its own line"), marked("along its line"), True),
            (marked("about what is seen"), marked("about it"), False),
        ),
    ),
    "strokes": (
        marked("Lines of a drawing"),
        ((marked("lines count"), marked("lines"), True), (marked("no lines"), marked("no lines"), False)),
    ),
    "shown": (
        marked("Shown"),
        (
            (marked("both seen"), marked("both"), "both"),
            (marked("print seen"), marked("print"), "print"),
            (marked("cut seen"), marked("cut"), "cut"),
        ),
    ),
}
ALONE = 180  # px, of a choice that has a row for itself
ROOMY = 600  # px, from which on there is room for more words
ASKED_OF = {
    "threshold": ("picture",),
    "smooth": ("picture",),
    "smallest": ("picture", "drawing"),
    "dpi": ("picture", "sizeless"),
}


class ArtworkPanel(StagePanel):
    """`looked` says that a slider moves: what is seen changes before it is kept."""

    looked = Signal()

    def __init__(self, model: RoundModel) -> None:
        super().__init__(model)
        self.setAcceptDrops(True)
        self.file = plain_line(tr("Artwork"), tr("drop an SVG, a PDF or a picture here, or its name"))
        self.open = Button(tr("Open…"), self._open, "quiet", "file")
        self.job = plain_line(tr("Name of the job"), tr("what the job is called"), 60)
        self.outset = plain_line(tr("From the artwork out to the cut"), tr("border"), 20)
        self.combos: dict[str, QComboBox] = {}
        for name, (label, _) in CHOICES.items():
            self.combos[name] = combo = plain_combo(tr(label))
            if name != "shown":
                combo.activated.connect(partial(self._choose, name))
        self.shown = self.combos["shown"]
        self._say_choices({"shown": "both"})
        self.shown.activated.connect(lambda _: self.looked.emit())
        self.copies = plain_count(tr("Copies on the sheet"), MOST_COPIES)
        self.copies.valueChanged.connect(self._copies)
        self.threshold = QSlider(Qt.Orientation.Horizontal)
        self.threshold.setAccessibleName(tr("Threshold: from how dark on it is artwork"))
        self.threshold.setRange(1, 99)
        self.threshold.setMinimumHeight(th.HAND)
        self.threshold.valueChanged.connect(self._slide)
        self.threshold.sliderReleased.connect(self._slid)
        self.smooth = plain_line(tr("Smoothed by"), tr("smoothed by"), 20)
        self.smallest = plain_line(tr("Smallest part"), tr("smallest part"), 20)
        self.dpi = plain_line(tr("Pixels per inch"), tr("pixels per inch"), 20)
        self._tells = Line("", colour="soft")
        self.use = Button(tr("Print this"), self._use, "primary")
        asked_for = {
            "outset": tr("Border"),
            "threshold": tr("Threshold"),
            "smooth": tr("smooth"),
            "smallest": tr("smallest part"),
            "dpi": tr("px / inch"),
        }
        self._labels = {of: Text(words, colour="soft") for of, words in asked_for.items()}
        for shown in self._labels.values():
            shown.setWordWrap(False)
            shown.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)
        self._lay_out()
        self._filling = False

    def _lay_out(self) -> None:
        combos, labels = self.combos, self._labels
        row = self.row(self.file, self.open, self.job)
        row.setStretch(0, 3)
        row.setStretch(2, 2)
        cut = combos["own_line"], combos["corners"], combos["holes"], combos["parts"]
        self.row(labels["outset"], self.outset, *cut)
        asked: list[QWidget] = [
            labels["threshold"],
            self.threshold,
            labels["smooth"],
            self.smooth,
            labels["dpi"],
            self.dpi,
        ]
        combos["strokes"].setFixedWidth(ALONE)
        row = self.row(*asked, combos["strokes"], 1)
        row.setStretch(1, 300)  # a picture's; of a drawing there is only a choice, and room
        row = self.row(self.shown, labels["smallest"], self.smallest, self.copies, self.use)
        row.setStretch(0, 3)
        self.layout_.addWidget(self._tells)
        for name in ("outset", "smooth", "smallest", "dpi"):
            edit: QLineEdit = getattr(self, name)
            edit.editingFinished.connect(partial(self._typed, name))
            edit.setFixedWidth(96)
        self.file.returnPressed.connect(self._name_file)
        self.job.editingFinished.connect(self._rename)

    def _say_choices(self, chosen: Mapping[str, object]) -> None:
        """In as many words as there is room for; the view isn't a setting and stays as it is."""
        roomy = self.width() >= ROOMY
        for name, combo in self.combos.items():
            words = [(tr(long if roomy else short), value) for long, short, value in CHOICES[name][1]]
            fill(combo, words, chosen.get(name, combo.currentData()))

    def showEvent(self, event: QShowEvent) -> None:
        """Whoever sees this is about to choose an artwork."""
        super().showEvent(event)
        ready()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """More room, or less."""
        super().resizeEvent(event)
        self._say_choices({})

    @property
    def main(self) -> Button:  # type: ignore[override]
        """On to the printer."""
        return self.use

    @property
    def artworks(self) -> Artworks:
        """The artwork that is chosen, and its settings."""
        return self.model.session.making.artworks

    def refresh(self) -> None:
        """As it is chosen; what a drawing or a picture has no use for is not there."""
        settings, chosen = self.artworks.settings, self.artworks.chosen
        self._filling = True
        units = self.model.session.context.machine.units
        for name in ("outset", "smooth", "smallest"):
            edit: QLineEdit = getattr(self, name)
            if not edit.hasFocus():
                edit.setText(show_length(settings[name], units))
        if not self.dpi.hasFocus():
            self.dpi.setText(self._resolution())
        self._say_choices(settings)
        self.copies.setValue(chosen.copies)
        if not self.threshold.isSliderDown():
            self.threshold.setValue(round(100 * settings["threshold"]))
        if not self.file.isModified():
            self.file.setText(chosen.file)
        if not self.job.hasFocus():
            self.job.setText(chosen.name)
        self._filling = False
        kind = self._kind()
        for name, kinds in ASKED_OF.items():
            self._labels[name].setVisible(kind in kinds)
            getattr(self, name).setVisible(kind in kinds)
        there, own = kind in ("picture", "drawing"), self._own_line()
        along = own is not None and own.area is not None
        self.combos["strokes"].setVisible(kind == "drawing" and not along)
        self.combos["own_line"].setVisible(own is not None)
        for widget in (self.copies, self.job, self.shown):
            widget.setVisible(there)
        for about in (self.outset, self._labels["outset"], *(self.combos[n] for n in ("corners", "holes", "parts"))):
            about.setVisible(there and not along)
        self._tells.say(self._told())
        self._tells.setVisible(there)
        self.use.setVisible(there)
        self.use.setEnabled(self._editable() and self.seen() is not None)

    def seen(self) -> Sticker | None:
        """What is drawn: while the slider moves, by where it is."""
        if self.threshold.isSliderDown():
            try:
                return self.artworks.look(threshold=self.threshold.value() / 100)
            except KeenCompassError:
                return None
        return self.artworks.sticker()

    def warning(self) -> str:
        """What is missing, too coarse, or not shown as it was drawn."""
        if not self.artworks.chosen.blob:
            return ""
        try:
            self.artworks.artwork()
        except NoSizeError:
            return tr("The picture doesn’t say how large it is: type its pixels per inch.")
        except KeenCompassError as error:  # kept by an earlier version, or damaged since
            return tr("{error} Choose another.", error=error)
        if (refused := self.sheets.refusal()) and refused.code == "refused":
            return say(refused)
        if pixel := self.artworks.coarse():
            return tr("One pixel is {pixel:.2f} mm: coarse for the tolerance of the cut.", pixel=pixel)
        left_out = [f"{what}{f' ({n})' if n > 1 else ''}" for what, n in self.artworks.left_out().items()]
        return tr("Unsupported and left out: {left_out}.", left_out=", ".join(left_out)) if left_out else ""

    def take_focus(self) -> None:
        """The file first, then on."""
        kind = self._kind()
        (self.dpi if kind == "sizeless" else self.use if kind else self.file).setFocus()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Files may be dropped here."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """The first that is a file."""
        file = next((Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()), None)
        if file is not None:
            self._take(file)
            event.acceptProposedAction()

    # Inside

    def _kind(self) -> str:
        """drawing, picture, sizeless (a picture that doesn't say its resolution), or nothing yet."""
        if not self.artworks.chosen.blob:
            return ""
        try:
            art = self.artworks.artwork()
        except NoSizeError:
            return "sizeless"
        except KeenCompassError:
            return ""
        return "picture" if isinstance(art, Picture) else "drawing"

    def _own_line(self) -> OwnLine | None:
        """The cut line that the artwork names, if any."""
        try:
            art = self.artworks.artwork()
        except KeenCompassError:
            return None
        return art.own_line if isinstance(art, Drawing) else None

    def _resolution(self) -> str:
        """Of a picture, as it says or as was typed."""
        try:
            art = self.artworks.artwork()
        except KeenCompassError:
            return ""
        return written(f"{25.4 / art.pixel[0]:.4g}") if isinstance(art, Picture) else ""

    def _told(self) -> str:
        sticker, units = self.seen(), self.model.session.context.machine.units
        if sticker is None:
            return ""
        xs, ys = ([p[k] for ring in sticker.rings for p in ring.points] for k in (0, 1))
        wide, high = max(xs) - min(xs), max(ys) - min(ys)
        parts, holes = sum(not r.hole for r in sticker.rings), sum(r.hole for r in sticker.rings)
        own = self._own_line()
        along = (
            tr("along “{name}”, not printed", name=own.name) if own and own.area is not None else tr("with its border")
        )
        words = [f"{show_length(wide, units)} × {show_length(high, units)} {along}"]
        words.append(tr_n("{n} part", "{n} parts", parts))
        words += [tr_n("{n} hole", "{n} holes", holes)] if holes else []
        return " · ".join(words)

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Artwork"), str(Path.home()), tr(KINDS))
        if name:
            self._take(Path(name))

    def _name_file(self) -> None:
        if self.file.isModified() and self.file.text().strip():
            self._take(Path(self.file.text().strip()).expanduser())

    def _take(self, file: Path) -> None:
        if self._looked_at(lambda: self.artworks.put_file(file, partial(beside, tr("The artwork is read")))):
            self.file.setModified(False)
            self.take_focus()

    def _looked_at(self, change: Callable[[], object]) -> bool:
        """Do it, and look at what comes of it before it is shown: beside the window, where that takes long."""

        def whole() -> None:
            change()
            self.artworks.prepare(partial(beside, tr("The outline is drawn")))

        try:
            return self.do(whole)
        except Dropped:
            return False

    def _rename(self) -> None:
        if not self._filling and self.job.text().strip() not in ("", self.artworks.chosen.name):
            self.do(lambda: self.artworks.rename(self.job.text()))

    def _typed(self, name: str) -> None:
        edit: QLineEdit = getattr(self, name)
        if not self._filling and edit.isModified() and edit.text().strip():
            edit.setModified(False)
            self._looked_at(lambda: self.artworks.change(**{name: edit.text()}))

    def _choose(self, name: str, _index: int) -> None:
        value = self.combos[name].currentData()
        self._looked_at(lambda: self.artworks.change(**{name: value}))

    def _copies(self, count: int) -> None:
        if not self._filling and count != self.artworks.chosen.copies:
            self.do(lambda: self.artworks.copies(count))

    def _slide(self, value: int) -> None:
        if self._filling:
            return
        if self.threshold.isSliderDown():
            self.looked.emit()
        else:
            self.do(lambda: self.artworks.change(threshold=value / 100))

    def _slid(self) -> None:
        self.do(lambda: self.artworks.change(threshold=self.threshold.value() / 100))

    def _use(self) -> None:
        words = tr("The outline is traced to the last pixel")
        with suppress(Dropped):
            self.do(lambda: self.sheets.draw_up(partial(beside, words)))
