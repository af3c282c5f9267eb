"""A sticker as it lies before whoever reads it: the print, the line nominal, the border that is left at places."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QTransform

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.sheet_picture import cut_path, draw_foot, fill_film, paint_artwork
from keen_compass.app.round.surface import FloatingSurface, mean_of, words_at
from keen_compass.errors import KeenCompassError
from keen_compass.language import tr
from keen_compass.pieces.page import Page
from keen_compass.pieces.sticker import to_sheet
from keen_compass.pieces.where import Border
from keen_compass.procedures.proof import Places
from keen_compass.quantities.geometry import Point
from keen_compass.rounds.half_typed import Callout

FOOT = 36  # px
OUT = 34.0  # px from the line to a place's number
SHOWN_OFF = 18.0  # px, how far the largest deviation is drawn
MOST_MAGNIFIED = 200.0
EDGE = 2.4  # px of light round a line, for whatever is printed beneath it


class BordersSurface(FloatingSurface):
    """The callout goes to the place whose turn it is; what was read is beside each."""

    def places(self) -> dict[str, QPointF]:
        """Where each border is read."""
        return {c.measurand.name: self._at(where.at) for c in self.callouts if (where := _border(c))}

    def box_at(self, place: QPointF) -> QPointF:
        """Outside the sticker, where its border is not hidden."""
        current = self.current()
        where = _border(current) if current else None
        if where is None:
            return place
        way = self._way(where)
        return place + QPointF(way.x() * (WIDTH / 2 + OUT), way.y() * (HEIGHT / 2 + OUT))

    def paintEvent(self, _event: object) -> None:
        """The print, the cut about it and the places where their border is read."""
        p = painter_on_card(self)
        shape, page = self.shape_of(Places), self._page()
        if shape is None or shape.sticker is None or page is None or self.session is None:
            return
        p.save()
        p.setTransform(self._lies(page), True)
        fill_film(p, shape.sticker)
        try:
            art = self.session.making.artworks.artwork()
        except KeenCompassError:
            art = None
        if art is not None:
            paint_artwork(p, art)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for pen in (QPen(th.color("card"), 1.6 + EDGE), QPen(th.color("soft"), 1.6, Qt.PenStyle.DashLine)):
            pen.setCosmetic(True)
            p.setPen(pen)
            p.drawPath(cut_path(shape.sticker))
        p.restore()
        factor = self._magnified()
        for i, c in enumerate(self.callouts, 1):
            self._draw_place(p, c, str(i), factor)
        words = tr("Dashed: nominal") + (tr("; cut × {factor:g}", factor=factor) if factor > 1 else "")
        draw_foot(p, self, self.session.context.machine.standpoint, words)

    def _draw_place(self, p: QPainter, c: Callout, number: str, factor: float) -> None:
        where = _border(c)
        if where is None:
            return
        at, way = self._at(where.at), self._way(where)
        across, mean = QPointF(-way.y(), way.x()), mean_of(c)
        colour = th.color("focus" if c.current else "good" if c.readings else "soft")
        inner = at - way * (where.ordered * self._scale())
        wide = 2.6 if c.current else 1.6
        _line(p, inner, at, colour, wide)
        _line(p, inner - across * 5, inner + across * 5, colour, wide)
        if mean is not None:
            cut = at + way * ((mean - where.ordered) * self._scale() * factor)
            _line(p, cut - across * 12, cut + across * 12, th.color("ink"), 3)
        if c.current:
            return
        p.setFont(th.font(th.TEXT, bold=bool(c.readings)))
        p.setPen(colour)
        spot = at + way * OUT
        words_at(p, spot, c.readings[-1].text.removesuffix(" mm") if c.readings else number, width=90)

    def _magnified(self) -> float:
        read = [(where, mean_of(c)) for c in self.callouts if (where := _border(c))]
        off = [abs(mean - where.ordered) for where, mean in read if mean is not None]
        if not off or max(off) * self._scale() < 1e-6:
            return 1.0
        wanted = min(SHOWN_OFF / (max(off) * self._scale()), MOST_MAGNIFIED)
        return max((m * 10.0**k for k in range(3) for m in (1, 2, 5) if m * 10.0**k <= wanted), default=1.0)

    # Where things are

    def _page(self) -> Page | None:
        session = self.session
        if session is None or session.context.piece is None:
            return None
        piece, procedure = session.context.piece, session.context.procedure
        down = session.context.machine.standpoint.left_handed
        return session.context.remembered(
            ("read_page", piece.id), lambda: procedure.page_of(piece.parameters, piece.number, down=down)
        )

    def _corners(self) -> list[Point]:
        """Of the first sticker with its border, as it is seen: (right, away) mm."""
        shape, page = self.shape_of(Places), self._page()
        if shape is None or shape.sticker is None or page is None or self.session is None:
            return [(0.0, 0.0), (1.0, 1.0)]
        left, top, right, bottom = shape.sticker.box
        stands = self.session.context.machine.standpoint
        corners = ((left, top), (right, top), (right, bottom), (left, bottom))
        return [stands.to_view(*to_sheet(page.art[0], page, at)) for at in corners]

    def _scale(self) -> float:
        corners = self._corners()
        wide, high = (max(c[k] for c in corners) - min(c[k] for c in corners) for k in (0, 1))
        across, up = self.width() - 2 * WIDTH - 40, self.height() - 2 * HEIGHT - 2 * OUT - FOOT
        return max(min(across / wide, up / high), 0.1)

    def _at(self, place: Point) -> QPointF:
        """A place on the sheet."""
        assert self.session is not None
        corners, scale = self._corners(), self._scale()
        u0, v0 = ((min(c[k] for c in corners) + max(c[k] for c in corners)) / 2 for k in (0, 1))
        u, v = self.session.context.machine.standpoint.to_view(*place)
        return QPointF(self.width() / 2 + (u - u0) * scale, (self.height() - FOOT) / 2 - (v - v0) * scale)

    def _way(self, where: Border) -> QPointF:
        """Outwards, as it is seen; of length 1."""
        assert self.session is not None
        u, v = self.session.context.machine.standpoint.to_view(*where.out)
        length = math.hypot(u, v) or 1.0
        return QPointF(u / length, -v / length)

    def _lies(self, page: Page) -> QTransform:
        o, x, y = (self._at(to_sheet(page.art[0], page, at)) for at in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
        return QTransform(x.x() - o.x(), x.y() - o.y(), y.x() - o.x(), y.y() - o.y(), o.x(), o.y())


def _line(p: QPainter, a: QPointF, b: QPointF, colour: QColor, wide: float) -> None:
    """Seen on whatever is printed there."""
    for pen in (QPen(th.color("card"), wide + EDGE), QPen(colour, wide)):
        p.setPen(pen)
        p.drawLine(a, b)


def _border(c: Callout) -> Border | None:
    where = c.measurand.where
    return where if isinstance(where, Border) else None
