"""Where the marks of a cut file are: crosses that are in it, its corners, places pointed at or typed; or none."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app.parts import Text, plain_combo, plain_line
from keen_compass.app.round.choices import fill
from keen_compass.language import marked, tr
from keen_compass.quantities.geometry import Point
from keen_compass.rounds.fitting import Fitting

FOUND, LAYER, CORNERS, POINTED, TYPED, NONE = "found", "layer", "corners", "pointed", "typed", "none"
WAYS = [
    (marked("crosses in the file"), FOUND),
    (marked("crosses on a layer"), LAYER),
    (marked("corners of the cut"), CORNERS),
    (marked("pointed at in the picture"), POINTED),
    ("typed", TYPED),
    (marked("none: blank stock"), NONE),
]
ASKS = {LAYER: marked("name of the layer"), TYPED: "10 10; 200 10; 10 287"}


class MarksFrom(QWidget):
    """`wanted` says that marks are to be taken as it shows."""

    wanted = Signal()

    def __init__(self, unit: str) -> None:
        super().__init__()
        self._unit = unit
        self._pointed: list[Point] = []
        self.way = plain_combo(tr("Marks"))
        fill(self.way, [(tr(words), way) for words, way in WAYS], FOUND)
        self.way.currentIndexChanged.connect(lambda _: self._choose())
        self.typed = plain_line(tr("Marks in the file"), "", 4000)
        self.typed.returnPressed.connect(self.wanted)
        row = QHBoxLayout()
        row.addWidget(Text(tr("Marks")))
        row.addWidget(self.way, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addLayout(row)
        layout.addWidget(self.typed)
        self._ask()

    @property
    def pointing(self) -> bool:
        """Whether a click in the picture makes a mark."""
        return str(self.way.currentData()) == POINTED

    def show_found(self, *, crosses: bool) -> None:
        """What a file that was opened has."""
        self.way.blockSignals(True)
        self.way.setCurrentIndex(self.way.findData(FOUND if crosses else CORNERS))
        self.way.blockSignals(False)
        self._ask()

    def point_at(self, place: Point) -> None:
        """One more mark of those that are pointed at."""
        self._pointed.append(place)
        self.wanted.emit()

    def taken(self, before: Fitting) -> Callable[[], Fitting] | None:
        """What takes them; None where something is still to be typed."""
        way, text = self.way.currentData(), self.typed.text().strip()
        if way in ASKS and not text:
            return None
        ways: dict[str, Callable[[], Fitting]] = {
            FOUND: before.with_crosses,
            LAYER: lambda: before.with_crosses(text),
            CORNERS: before.with_corners,
            POINTED: lambda: before.with_marks(self._pointed),
            TYPED: lambda: before.with_typed(text, self._unit),
            NONE: before.without_marks,
        }
        return ways[way]

    def _choose(self) -> None:
        self._pointed = []
        self.typed.clear()
        self._ask()
        self.wanted.emit()

    def _ask(self) -> None:
        way = self.way.currentData()
        self.typed.setVisible(way in ASKS)
        self.typed.setPlaceholderText(tr(ASKS.get(way, "")))
