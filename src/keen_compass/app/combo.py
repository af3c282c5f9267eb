"""A choice of a few, whose words end in dots where there is no room for all of them."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QComboBox, QStyle, QStyleOptionComboBox, QStylePainter

ARROW = 40  # px that its rims and its arrow take


class Combo(QComboBox):
    """One that doesn't force its column wider than it must be; names that someone gave may be of any length."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(3)

    def paintEvent(self, _event: QPaintEvent) -> None:
        """As any, but for the dots: a style sheet’s own would cut the last letter through."""
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        mode, room = Qt.TextElideMode.ElideRight, self.width() - ARROW
        option.currentText = self.fontMetrics().elidedText(option.currentText, mode, room)
        painter = QStylePainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
