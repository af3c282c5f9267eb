"""The number at the cursor: what it is, said once and remembered as its place."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QPlainTextEdit, QWidget

from keen_compass.app.controller.model import ControllerModel
from keen_compass.app.parts import Button, Line, plain_combo
from keen_compass.errors import InputError
from keen_compass.formats.listing import Number
from keen_compass.language import marked, tr
from keen_compass.quantities.catalogue import QUANTITIES

SAME, OTHER = marked("along the axis"), marked("opposite to the axis")


class PointingBar(QWidget):
    """Follows the text's cursor."""

    def __init__(self, model: ControllerModel, text: QPlainTextEdit) -> None:
        super().__init__()
        self._model, self._text = model, text
        self.number: Number | None = None
        self._said = Line("", 17, bold=True)
        self.what = plain_combo(tr("Quantity of the number at the cursor"))
        self.what.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.what.activated.connect(lambda _: self._propose_sign())
        self.sign = plain_combo(tr("Sign"))
        self.sign.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.sign.addItem(tr(SAME), False)
        self.sign.addItem(tr(OTHER), True)
        self.remember = Button(tr("Remember"), self._remember)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._said, 1)
        layout.addWidget(self.what)
        layout.addWidget(self.sign)
        layout.addWidget(self.remember)
        text.cursorPositionChanged.connect(self.follow)
        self.follow()

    def follow(self) -> None:
        """Show the number at the cursor."""
        self.number = self._at_cursor()
        for widget in (self.what, self.remember):
            widget.setVisible(self.number is not None)
        if self.number is None:
            self.sign.hide()
            self._said.say(tr("Put the cursor on a number to assign it.") if self._model.listing else "", "soft")
            return
        machine, number = self._model.machine, self.number
        known = next((one.quantity for one in self._model.found if one.start == number.start), "")
        self._said.say(tr("{text}, line {line}, is", text=number.text, line=number.line), "ink")
        self.what.clear()
        if not known:
            self.what.addItem(tr("not a known value"), "")
        for quantity in machine.quantities:
            if machine.in_controller(quantity):
                self.what.addItem(QUANTITIES[quantity].label, quantity)
        self.what.setCurrentIndex(max(self.what.findData(known), 0))
        self._propose_sign()

    def _at_cursor(self) -> Number | None:
        if self._model.listing is None:
            return None
        cursor = self._text.textCursor()
        before = cursor.block().text().encode("utf-16-le", "surrogatepass")[: 2 * cursor.positionInBlock()]
        column = len(before.decode("utf-16-le", "replace")) + 1
        try:
            return self._model.listing.number_at(cursor.blockNumber() + 1, column)
        except InputError:
            return None

    def _propose_sign(self) -> None:
        """Asked where a sign may be counted the other way; as the profile has it."""
        quantity = self.what.currentData()
        self.remember.setEnabled(bool(quantity) and self._model.editable)
        asked = bool(quantity) and QUANTITIES[quantity].family.signed
        self.sign.setVisible(asked and self.number is not None)
        if asked:
            self.sign.setCurrentIndex(int(quantity in self._model.machine.flipped))

    def _remember(self) -> None:
        if self.number is not None and (quantity := self.what.currentData()):
            signed = QUANTITIES[quantity].family.signed
            self._model.point(quantity, self.number, bool(self.sign.currentData()) if signed else None)
            self.follow()
