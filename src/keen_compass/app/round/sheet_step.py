"""Make, of a sheet: printed, loaded, aimed at, drawn on. Each stage has its picture and one sentence."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from keen_compass.app import theme as th
from keen_compass.app.parts import Button, Card, Text
from keen_compass.app.port_link import PortLink
from keen_compass.app.round.artwork_panel import ArtworkPanel
from keen_compass.app.round.choices import ChoicesBar
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.sheet_panels import AimPanel, DrawPanel, LoadPanel, PrintPanel
from keen_compass.app.round.sheet_picture import HeadPicture, Seen, SheetPicture
from keen_compass.app.round.stage_panel import StagePanel
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.machines.shown import show_length, show_size
from keen_compass.pieces.page import Page
from keen_compass.procedures.stages import Stage
from keen_compass.quantities.bodies import JsonObject
from keen_compass.quantities.geometry import Point
from keen_compass.rounds.sheet_lines import mapped
from keen_compass.words.beside import beside_in_words
from keen_compass.words.say import say
from keen_compass.words.sheets import sentence_for, stage_name

# Quieter than the steps of the round above them.
_FLAT = (
    "QPushButton {{ border: none; border-bottom: 3px solid {line}; border-radius: 0; background: transparent; }}"
    "QPushButton:checked {{ color: {ink}; border-bottom-color: {focus}; font-weight: 600; }}"
    "QPushButton:focus {{ color: {focus}; }}"
)


class SheetStep(QWidget):
    """Also the first half of Confirm, where another sheet like the last is made."""

    def __init__(self, model: RoundModel, link: PortLink) -> None:
        super().__init__()
        self._model, self._link = model, link
        self._sheets = model.session.making.sheets
        self.stages: dict[Stage, Button] = {}
        self._row = QHBoxLayout()
        self._row.setSpacing(6)
        self._sentence = Text("", 17, bold=True)
        self.picture = SheetPicture()
        self.picture.chosen.connect(self._aim_again)
        self.picture.moved.connect(self._move_mark)
        self.head = HeadPicture()
        self.choices = ChoicesBar(model)
        self._said = Text("", th.TEXT)
        self.artwork = ArtworkPanel(model)
        self.artwork.looked.connect(self.refresh)
        self.print = PrintPanel(model)
        self.load = LoadPanel(model)
        self.aim = AimPanel(model, link)
        self.draw = DrawPanel(model)
        self._panels: dict[Stage, StagePanel] = {
            Stage.ARTWORK: self.artwork,
            Stage.PRINT: self.print,
            Stage.LOAD: self.load,
            Stage.AIM: self.aim,
            Stage.DRAW: self.draw,
        }
        card = Card()
        inside = QVBoxLayout(card)
        inside.setContentsMargins(14, 10, 14, 12)
        inside.setSpacing(8)
        inside.addWidget(self.choices)
        for panel in self._panels.values():
            inside.addWidget(panel)
        inside.addWidget(self._said)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(self._row)
        layout.addWidget(self._sentence)
        layout.addWidget(self.picture, 1)
        layout.addWidget(self.head, 1)
        layout.addWidget(card)

    def refresh(self) -> None:
        """Show the stage that it is at."""
        sheets, session = self._sheets, self._model.session
        stage = sheets.shown
        self._show_stages(stage)
        panel = self._panels[stage]
        page = sheets.page()
        known = sheets.known() if Stage.AIM in sheets.stages and sheets.state.aimed else None
        self._sentence.say(sentence_for(stage, session.context.machine, sheets.stands()))
        wants = stage in (Stage.ARTWORK, Stage.PRINT)
        self.picture.setVisible(page is not None or wants)
        self.head.setVisible(page is None and not wants)
        if page is None and wants:
            refused = sheets.refusal()
            wanted = refused is not None and refused.code == "stage_first_artwork"
            self.picture.show_sheet(None, say(refused) if refused and wanted else "")
        elif page is None:
            self._show_head()
        if page is not None:

            def lies(at: Point) -> Point:
                return mapped(known, [at])[0] if known is not None else at

            now = {Stage.AIM: sheets.next_mark(), Stage.LOAD: 0}.get(stage)
            lit = {Stage.PRINT: "bars", Stage.DRAW: "targets"}.get(stage, "marks")
            aimed = frozenset(map(int, sheets.state.aimed))
            s = session.context.machine.standpoint
            self.picture.show_sheet(
                Seen(page, s, lies, aimed, now, {}, lit, **self._sticker(stage)),
                _caption(page, sheets.number(), session.context.machine.units, bars=stage is Stage.PRINT),
            )
        first = next(s for s in sheets.stages if s is not Stage.ARTWORK)
        self.choices.setVisible(stage is first)
        if stage is first:
            self.choices.refresh(editable=not session.context.pieces and first not in sheets.state.done)
        for other in self._panels.values():
            other.setVisible(other is panel)
        panel.refresh()
        trouble = self._model.trouble.get("make", "")
        warned = panel.warning()
        self._said.say(trouble or warned, "bad" if trouble else "warn")

    def _sticker(self, stage: Stage) -> JsonObject:
        """What is printed and cut on the sheet, as the stage has it."""
        making = self._model.session.making
        if Stage.ARTWORK not in self._sheets.stages:
            return {}
        layer = {Stage.ARTWORK: str(self.artwork.shown.currentData()), Stage.PRINT: "print"}.get(stage, "both")
        try:
            sticker, art = self.artwork.seen(), making.artworks.artwork()
            near = stage is Stage.ARTWORK and sticker is not None
            movable = stage is Stage.PRINT and stage not in self._sheets.state.done
            return {"sticker": sticker, "art": art, "layer": layer, "near": near, "movable": movable}
        except KeenCompassError:
            return {}

    def _show_head(self) -> None:
        """For a mark on the bed: what the controller knows of the head."""
        machine, (x, y) = self._model.session.context.machine, self._sheets.offset()
        words = beside_in_words(x, y, machine.standpoint, machine.shown_in)
        head = say(f"pointer.{self._sheets.stands().head}")
        self.head.show_head(machine.standpoint, (x, y), head, words)

    def _show_stages(self, shown: Stage) -> None:
        """A button for each; one may go back to any."""
        stages = self._sheets.stages
        if tuple(self.stages) != stages:
            for button in self.stages.values():
                button.hide()
                button.deleteLater()
            self.stages = {}
            for stage in stages:
                self.stages[stage] = button = Button("", self._go(stage), "quiet")
                button.setCheckable(True)
                button.setStyleSheet(_FLAT.format(**th.theme()._asdict()))
                self._row.addWidget(button, 1)
        for i, (stage, button) in enumerate(self.stages.items(), 1):
            done = stage in self._sheets.state.done
            button.name(f"{'✓' if done else i}  {stage_name(stage, cuts=self._cuts)}")
            button.setChecked(stage is shown)
            button.setEnabled(self._sheets.waits_for(stage) is None)

    @property
    def _cuts(self) -> bool:
        return self._model.session.context.procedure.on_paper.artwork

    def _go(self, stage: Stage) -> Callable[[], object]:
        return lambda: self._model.attempt("make", lambda: self._sheets.go(stage))

    def _aim_again(self, mark: int) -> None:
        if self._sheets.shown is Stage.AIM and str(mark) in self._sheets.state.aimed:
            self._model.attempt("make", lambda: self._sheets.aim_again(mark))
            self.aim.take_focus()

    def _move_mark(self, mark: int, at: QPointF) -> None:
        self._model.attempt("make", lambda: self._sheets.move_mark(mark, (at.x(), at.y())))

    def where(self) -> tuple[object, ...]:
        """At which point it is: with another one the keyboard moves on."""
        stage = self._sheets.shown
        return stage, stage in self._sheets.state.done, self._sheets.next_mark(), bool(self._sheets.state.bars)

    def type_practice(self) -> None:
        """What the stand-in shows at this stage."""
        self._panels[self._sheets.shown].type_practice()

    def take_focus(self) -> None:
        """Where the work is."""
        self._panels[self._sheets.shown].take_focus()

    def main_button(self) -> Button:
        """The button that Ctrl+Return presses in this stage."""
        return self._panels[self._sheets.shown].main


def _caption(page: Page, number: int, units: str, *, bars: bool) -> str:
    """Which sheet it is; how long its bars are ordered."""
    if not bars:
        return tr("sheet {number}, {size}", number=number, size=show_size(page.width, page.height, units))
    x, y = page.bar_lengths
    return tr("bar X {length}, bar Y {length2}", length=show_length(x, units), length2=show_length(y, units))
