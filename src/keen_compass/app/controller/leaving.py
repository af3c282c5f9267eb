"""One row of a difference: what it is, what can be done about it, and a line to leave it with its reason."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from keen_compass.app.parts import Button, Text, plain_line
from keen_compass.language import tr


class DifferenceRow(QWidget):
    """title and lines say it. offered: (words, full name, what it does). leave takes the reason; None where it can't be
    left.
    """

    def __init__(
        self,
        title: str,
        lines: Sequence[tuple[str, str]],
        offered: Sequence[tuple[str, str, Callable[[], object]]],
        what: str,
        leave: Callable[[str], object] | None,
        *,
        editable: bool,
        large: bool = False,
    ) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 6)
        layout.setSpacing(4)
        layout.addWidget(Text(title, 22 if large else 17, bold=True, colour="warn"))
        for words, colour in lines:
            layout.addWidget(Text(words, colour=colour))
        buttons = QGridLayout()
        buttons.setSpacing(6)
        columns = 4 if large else 2
        for i, (words, full, run) in enumerate(offered):
            button = Button(words, run, "" if i == 0 else "quiet")
            button.setAccessibleName(full)
            button.setEnabled(editable)
            buttons.addWidget(button, i // columns, i % columns)
        self._line = plain_line(tr("Why {what} is ignored", what=what), tr("ignored, because…"), 200)
        self._line.hide()
        self._leave = leave
        if leave is not None:
            self._button = Button(tr("Ignore…"), self._ask, "quiet")
            self._button.setAccessibleName(tr("{what}: leave it", what=what))
            self._button.setEnabled(editable)
            buttons.addWidget(self._button, len(offered) // columns, len(offered) % columns)
            self._line.returnPressed.connect(self._give)
        layout.addLayout(buttons)
        layout.addWidget(self._line)

    def _ask(self) -> None:
        self._line.show()
        self._line.setFocus()

    def _give(self) -> None:
        assert self._leave is not None
        self._leave(self._line.text())
