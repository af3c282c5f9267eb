"""The dry run: the file that would be sent, read back and played on the picture of the bed, at a slider's pace."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QSlider, QWidget

from keen_compass.app.parts import Button, Line
from keen_compass.app.round.bed_canvas import BedCanvas
from keen_compass.app.round.model import RoundModel
from keen_compass.errors import KeenCompassError
from keen_compass.formats.playback import DryRun
from keen_compass.language import tr
from keen_compass.words.sending import run_in_words, so_far_in_words

TICKS = 1000  # of the slider, for the whole run
PLAYED_IN = 8.0  # s, whatever it takes on the machine
EVERY = 40  # ms


class DryRunBar(QWidget):
    """Below the bed. At its beginning the slider shows the bed with the next piece, as before."""

    def __init__(self, model: RoundModel, bed: BedCanvas) -> None:
        super().__init__()
        self._model, self._bed = model, bed
        self._run: DryRun | None = None
        self.play = Button(tr("Dry run"), self._play, "quiet")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName(tr("Progress of the dry run"))
        self.slider.setRange(0, TICKS)
        self.slider.setPageStep(TICKS // 20)
        self.slider.valueChanged.connect(self._show)
        self.said = Line("")
        self._clock = QTimer(self)
        self._clock.setInterval(EVERY)
        self._clock.timeout.connect(self._tick)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.play)
        layout.addWidget(self.slider, 3)
        layout.addWidget(self.said, 4)

    def refresh(self, *, waits: bool = False) -> None:
        """Begin again where the file is another one; hidden where there is none, or it waits for an answer."""
        try:
            run = self._model.session.making.dry_run()
        except KeenCompassError:  # the step says why there is no file
            run = None
        self.setVisible(run is not None and bool(run.steps) and not waits)
        if run is not self._run:
            self._run = run
            self._stop()
            self.slider.setValue(0)
        self._show()

    def _play(self) -> None:
        if self._clock.isActive():
            self._stop()
            return
        if self.slider.value() == TICKS:
            self.slider.setValue(0)
        self._clock.start()
        self.play.name(tr("Hold"))

    def _stop(self) -> None:
        self._clock.stop()
        self.play.name(tr("Dry run"))

    def _tick(self) -> None:
        self.slider.setValue(min(self.slider.value() + round(TICKS * EVERY / 1000 / PLAYED_IN), TICKS))
        if self.slider.value() == TICKS:
            self._stop()

    def _show(self) -> None:
        run, share = self._run, self.slider.value() / TICKS
        if run is None or not share:
            self._bed.show_run(None)
            self.said.say(run_in_words(run, self._model.session.context.machine.units) if run else "")
            return
        self._bed.show_run(run, share * run.seconds)
        self.said.say(so_far_in_words(run, share * run.seconds))
