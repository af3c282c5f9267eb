"""A scan of a cut piece, looked at: its sizes, each with a tick; the scanner’s record where the piece can give one."""

from __future__ import annotations

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from keen_compass.app.parts import Button, empty, painter_on_card
from keen_compass.app.round.model import RoundModel
from keen_compass.app.round.picture_panel import PicturePanel, draw_whole, read_image
from keen_compass.language import tr, written
from keen_compass.words.say import capital, say, show_for


class ScanPanel(PicturePanel):
    """Its keys are measurands."""

    def __init__(self, model: RoundModel) -> None:
        self.picture = ScanPicture()
        super().__init__(model, model.session.seen_piece, tr("Sizes on the glass"), self.picture)
        self.calibrate = Button(tr("Calibrate by this piece"), self._calibrate)
        self.below.addStretch(1)
        self.below.addWidget(self.calibrate)

    def _show_anew(self) -> None:
        session = self._model.session
        looked = session.seen_piece.looked
        self.picture.show_scan(looked.data if looked else b"")
        empty(self.rows)
        self.ticks = {}
        if looked is None:
            return
        show = show_for(session.context.machine)
        names = {m.name: capital(say(m.label, show)) for m in session.measuring.measurands()}
        for r in looked.readings.read:
            value = f"{show.length(r.mm)} ± {show.small(r.U)}" if r.U else written(f"{r.mm:g}")
            self.add_tick(r.measurand, f"{names[r.measurand]}   {value}")
        self._said.say(" ".join(say(n, show) for n in looked.notes), "soft")
        self.calibrate.setVisible(session.seen_piece.calibrates and not session.context.shop.read_only)

    def _calibrate(self) -> None:
        self._model.attempt("picture", self._model.session.seen_piece.calibrate)


class ScanPicture(QWidget):
    """The scan, whole."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(250, 230)
        self._image = QImage()

    def show_scan(self, data: bytes) -> None:
        """Another one; empty for none."""
        self._image = read_image(data)
        self.update()

    def paintEvent(self, _event: object) -> None:
        """As large as there is room."""
        p = painter_on_card(self)
        if not self._image.isNull():
            draw_whole(p, self._image, self)
