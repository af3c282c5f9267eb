"""How warm part and instrument are: asked only where someone wants it counted, in one line above the piece."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text
from keen_compass.app.round.model import RoundModel
from keen_compass.language import tr
from keen_compass.quantities.measuring import EXPANSION

FROM = 500.0  # mm; shorter than that warmth hardly shows
NAMES = {"pvc": "PVC"}  # the others as they are


class WarmthBar(Card):
    """Material, two temperatures, and a way to leave it off."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self._asked = False
        self.material = QComboBox()
        self.material.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.material.setMinimumContentsLength(10)
        self.material.setAccessibleName(tr("What the piece is made of"))
        for material in EXPANSION:
            self.material.addItem(NAMES.get(material, material), material)
        self.part, self.instrument = (self._degrees(name) for name in (tr("the piece"), tr("the instrument")))
        self.use = Button(tr("Include"), self._use)
        self.off = Button(tr("Exclude"), self._leave_off, "quiet")
        self._complaint = Text(colour="bad")
        said, buttons = QHBoxLayout(), QHBoxLayout()
        said.setSpacing(8)
        said.addWidget(self.material)
        for words, line in (("is", self.part), (tr("°C, instrument"), self.instrument), ("°C", None)):
            said.addWidget(_soft(words))
            if line:
                said.addWidget(line)
        said.addStretch(1)
        buttons.addWidget(self._complaint, 1)
        buttons.addStretch(1)
        buttons.addWidget(self.off)
        buttons.addWidget(self.use)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 8, 14, 8)
        layout.addLayout(said)
        layout.addLayout(buttons)
        self.hide()

    def wanted(self) -> bool:
        """Whether warmth counts for what is read here, or was said."""
        measuring = self._model.session.measuring
        lengths = [m.nominal for m in measuring.measurands() if m.unit == "mm"]
        return max(lengths, default=0.0) >= FROM or bool(measuring.warmth().material)

    def said(self) -> str:
        """What the button that opens it says."""
        w = self._model.session.measuring.warmth()
        return (
            tr("Temperature: {part:g} °C, {instrument:g} °C", part=w.part, instrument=w.instrument)
            if w.material
            else tr("Temperature…")
        )

    def ask(self) -> None:
        """Open it with what was said."""
        w = self._model.session.measuring.warmth()
        stock = self._model.session.context.machine.stock
        guess = next((m for m in EXPANSION if stock and m[:3] in stock.name.lower()), next(iter(EXPANSION)))
        self.material.setCurrentIndex(self.material.findData(w.material or guess))
        for line, degrees in ((self.part, w.part), (self.instrument, w.instrument)):
            line.setText(f"{degrees:g}" if w.material else "")
        self._asked = True
        self.refresh()
        self.part.setFocus()

    def refresh(self) -> None:
        """Shown while it is asked."""
        self.setVisible(self._asked)
        self._complaint.say(self._model.trouble.get("warmth", ""))

    def _use(self) -> None:
        self._say(str(self.material.currentData()))

    def _leave_off(self) -> None:
        self._say("")

    def _say(self, material: str) -> None:
        measuring = self._model.session.measuring
        said = self.part.text(), self.instrument.text()
        self._model.attempt("warmth", lambda: measuring.put_warmth(material, *said))
        if not self._model.trouble.get("warmth"):
            self._asked = False
        self.refresh()

    def _degrees(self, of: str) -> QLineEdit:
        line = QLineEdit()
        line.setFixedWidth(76)
        line.setMinimumHeight(th.HAND)
        line.setMaxLength(8)
        line.setPlaceholderText("20")
        line.setAccessibleName(tr("How warm {of} is, °C", of=of))
        line.returnPressed.connect(self._use)
        return line


def _soft(words: str) -> QLabel:
    label = Text(words, colour="soft")
    label.setWordWrap(False)
    return label
