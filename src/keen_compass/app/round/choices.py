"""What is to be chosen of a procedure before it is made, run or counted: axis, figure, drive …"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from keen_compass.app.parts import Text, plain_combo, tip
from keen_compass.app.round.model import RoundModel
from keen_compass.words.say import say, show_for

PER_ROW, SEEN = 2, 8  # choices side by side; letters of each that are always seen


class ChoicesBar(QWidget):
    """One combo box for each choice, with its label before it; `per_row` of them side by side."""

    def __init__(self, model: RoundModel, per_row: int = PER_ROW) -> None:
        super().__init__()
        self._model, self._per_row = model, per_row
        self.combos: dict[str, QComboBox] = {}
        self._labels: dict[str, Text] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(6)

    def refresh(self, *, editable: bool, still: tuple[str, ...] = ()) -> None:
        """Show what is chosen. still: what may be chosen even where the rest may not any more."""
        context = self._model.session.context
        show = show_for(context.machine)
        choices = [c for c in context.procedure.choices(context.machine) if len(c.options) > 1]
        for i, choice in enumerate(choices):
            combo = self.combos.get(choice.name)
            if combo is None:
                combo = self.combos[choice.name] = self._combo(choice.name, say(choice.label))
                row, column = divmod(i, self._per_row)
                label = self._labels[choice.name] = Text(say(choice.label), colour="soft")
                label.setWordWrap(False)
                self._grid.addWidget(label, row, 2 * column)
                self._grid.addWidget(combo, row, 2 * column + 1)
                longest = max(len(say(words, show)) for words, _ in choice.options)
                combo.setMinimumContentsLength(min(longest, SEEN))
                stretch = self._grid.columnStretch(2 * column + 1)
                self._grid.setColumnStretch(2 * column + 1, max(stretch, min(max(longest, 4), 26)))
            fill(combo, [(say(words, show), value) for words, value in choice.options], context.chosen.get(choice.name))
            combo.setEnabled(editable or choice.name in still)
            for widget in (combo, self._labels[choice.name]):
                widget.setVisible(context.procedure.concerns(choice.name, context.chosen))
        self.setVisible(bool(choices))

    def _combo(self, name: str, label: str) -> QComboBox:
        combo = plain_combo(label)
        combo.activated.connect(partial(self._chosen, name))
        return combo

    def _chosen(self, name: str, _index: int) -> None:
        value = self.combos[name].currentData()
        self._model.attempt("make", lambda: self._model.session.making.choose_option(name, value))


def fill(combo: QComboBox, items: Sequence[tuple[str, object]], current: object) -> None:
    """Show these items, the current one chosen; the list is only made again where it changed."""
    if [(combo.itemText(i), combo.itemData(i)) for i in range(combo.count())] != list(items):
        combo.clear()
        for words, data in items:
            combo.addItem(words, data)
    values = [data for _, data in items]
    combo.setCurrentIndex(values.index(current) if current in values else -1)
    tip(combo, f"{combo.accessibleName()}: {combo.currentText()}")
