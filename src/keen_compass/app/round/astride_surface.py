"""What two tools left beside one another, as it is seen: lines astride a cut, or two scales with the pair that meets.

What differs is drawn larger than it is, by a factor that is said; numbers lie along the machine's axes, the picture as
the technician stands.
"""

from __future__ import annotations

import math
from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from keen_compass.app import theme as th
from keen_compass.app.parts import painter_on_card
from keen_compass.app.round.callout import HEIGHT, WIDTH
from keen_compass.app.round.surface import FloatingSurface, last_of, words_at
from keen_compass.language import tr
from keen_compass.pieces.astride import ARM, Astride
from keen_compass.quantities.geometry import Point
from keen_compass.words.beside import beside_in_words

HEAD, FOOT, SIDE = 42.0, 34.0, 20.0  # px
LARGER = (10.0, 4.0, 2.0, 1.0)  # times, that what differs is drawn larger among gaps
BEYOND = 3.0  # mm, from the ends of the cross to what was read
MOST_DRAWN = 3.5  # mm, as drawn: no line leaves its pair


class AstrideSurface(FloatingSurface):
    """The callout is beside the gap or scale whose turn it is."""

    def _value(self, name: str) -> float | None:
        """What was read there, or is being typed; mm, or the number of a pair."""
        c = next((c for c in self.callouts if c.measurand.name == name), None)
        if c is None or c.skipped:
            return None
        instrument = self.session.context.instrument if self.session else None
        return last_of(c, instrument.unit if instrument else "mm")

    def off(self, axis: str) -> float | None:
        """By how much the second tool lands beside the first, mm, as far as it was read."""
        shape = self.shape_of(Astride)
        if shape is None:
            return None
        if shape.way == "gaps":
            high, low = self._value(f"{axis}_high"), self._value(f"{axis}_low")
            return None if high is None or low is None else (high - low) / 2
        coarse = self._value(f"{axis}_coarse")
        if self._value(f"{axis}_line") is None:
            return coarse
        fine = self._fine(axis)
        return fine if coarse is None else fine + round((coarse - fine) / shape.pitch) * shape.pitch

    def _fine(self, axis: str) -> float:
        """What the pair alone says, mm."""
        shape, line = self.shape_of(Astride), self._value(f"{axis}_line")
        return line * shape.pitch / shape.divisions if shape and line is not None else 0.0

    def _larger(self) -> float:
        """By how much what differs is drawn larger, so that it is seen and stays in the picture."""
        most = max(abs(self.off(a) or 0.0) for a in "xy")
        return next((f for f in LARGER if f * most <= MOST_DRAWN), LARGER[-1])

    def nudge(self, by: int) -> bool:
        """The next pair of a scale; up is more."""
        shape, current = self.shape_of(Astride), self.current()
        if shape is None or current is None or not current.measurand.name.endswith("line"):
            return False
        now = self._value(current.measurand.name) or 0.0
        self.typed.emit(f"{min(max(now - by, -shape.reach), shape.reach):g}")
        return True

    # Where things are drawn

    def at(self, p: Point) -> QPointF:
        """A place of the piece on the screen."""
        shape = self.shape_of(Astride)
        if shape is None or self.session is None:
            return QPointF()
        standpoint = self.session.context.machine.standpoint
        scale, middle, (cx, cy) = _drawing(shape, self.width(), self.height(), level=standpoint.level("x"))
        right, away = standpoint.to_view(p[0] - cx, p[1] - cy)
        return QPointF(middle[0] + scale * right, middle[1] - scale * away)

    def places(self) -> dict[str, QPointF]:
        """Middle of each gap; of a scale the end that its callout is at."""
        shape = self.shape_of(Astride)
        if shape is None:
            return {}
        found = {}
        lines = dict(shape.named())
        for c in self.callouts:
            axis, what = c.measurand.name[0], c.measurand.name[2:]
            if what in ("high", "low"):
                (ax, ay), (bx, by) = lines[f"{what}_{axis}"]
                m = shape.half
                middle = ((ax + m) / 2, (ay + by) / 2) if axis == "x" else ((ax + bx) / 2, (ay + m) / 2)
                found[c.measurand.name] = self.at(middle)
            else:
                x, y = shape.scale_at(axis)
                along = 4.0 if what == "line" else -4.0
                found[c.measurand.name] = self.at((x + along, y) if axis == "x" else (x, y + along))
        return found

    def box_at(self, place: QPointF) -> QPointF:
        """Away from the lines: towards the nearer edge of the picture."""
        right = place.x() >= self.width() / 2
        x = self.width() - WIDTH / 2 - 8 if right else WIDTH / 2 + 8
        shape = self.shape_of(Astride)
        if shape is not None and shape.way == "vernier":
            return QPointF(place.x(), self.height() - FOOT - HEIGHT / 2)
        return QPointF(x, self.height() - FOOT - HEIGHT / 2 - 4)

    def paintEvent(self, _event: object) -> None:
        """Both tools' lines, what was read between them, where the second landed in words."""
        p = painter_on_card(self)
        shape = self.shape_of(Astride)
        if shape is None or self.session is None:
            return
        (self._paint_gaps if shape.way == "gaps" else self._paint_scales)(p, shape)
        x, y = self.off("x"), self.off("y")
        p.setFont(th.font(17, bold=True))
        p.setPen(th.color("ink"))
        area = QRectF(SIDE, 8, self.width() - 2 * SIDE, 28)
        if x is not None and y is not None:
            machine = self.session.context.machine
            where = beside_in_words(x, y, machine.standpoint, machine.shown_in)
            p.drawText(area, Qt.AlignmentFlag.AlignCenter, tr("It lands {where}", where=where))
        p.setFont(th.font(th.TEXT))
        p.setPen(th.color("soft"))
        words = (
            tr("blue: the second tool · what differs × {larger:g}", larger=self._larger())
            if shape.way == "gaps"
            else (tr("blue: the second tool · ↑ ↓: another pair"))
        )
        words_at(p, QPointF(SIDE, self.height() - FOOT / 2), words, width=self.width() - 2 * SIDE, side="right")

    def _paint_gaps(self, p: QPainter, shape: Astride) -> None:
        larger = self._larger()
        drawn = {a: max(min(larger * (self.off(a) or 0.0), MOST_DRAWN), -MOST_DRAWN) for a in "xy"}
        current = self.current()
        for name, line in shape.named():
            what, axis = name.split("_")
            dx, dy = (0.0, 0.0) if what == "cut" else ((drawn["x"], 0.0) if axis == "x" else (0.0, drawn["y"]))
            a, b = (self.at((x + dx, y + dy)) for x, y in line)
            p.setPen(QPen(th.color("ink" if what == "cut" else "focus"), 3.0 if what == "cut" else 2.4))
            p.drawLine(a, b)
        lines = dict(shape.named())
        for c in self.callouts:
            axis, what = c.measurand.name[0], c.measurand.name[2:]
            (ax, ay), (bx, by) = lines[f"{what}_{axis}"]
            off = drawn[axis]
            m = shape.half
            if axis == "x":
                ends = ((m, (ay + by) / 2), (ax + off, (ay + by) / 2))
            else:
                ends = (((ax + bx) / 2, m), ((ax + bx) / 2, ay + off))
            here = current is not None and current.measurand.name == c.measurand.name
            p.setPen(QPen(th.color("focus" if here else "soft"), 2.4 if here else 1.2, Qt.PenStyle.DotLine))
            a, b = self.at(ends[0]), self.at(ends[1])
            p.drawLine(a, b)
            text = c.draft or (c.readings[-1].text if c.readings else "")
            if text and self._value(c.measurand.name) is not None:
                # As it was read, beyond the far end of its line, where nothing else stands.
                end = m + ARM + BEYOND
                far = (bx + off, end) if axis == "x" else (end, by + off)
                p.setFont(th.font(17, bold=True))
                p.setPen(th.color("focus" if here else "ink"))
                words_at(p, self.at(far), text.strip(), width=96)

    def _paint_scales(self, p: QPainter, shape: Astride) -> None:
        off_by = {axis: self.off(axis) or 0.0 for axis in "xy"}
        runs_on: dict[tuple[str, str], float] = {}  # the tick of each scale that runs on in one of the other
        for axis, off in off_by.items():
            if (line := self._value(f"{axis}_line")) is not None:
                runs_on["second", axis] = line
                runs_on["first", axis] = line + round((off - self._fine(axis)) / shape.pitch)
        for name, (a, b) in shape.named():
            side, axis, tick = name.split("_")
            k, off = int(tick), off_by[axis]
            lit = abs(k - runs_on.get((side, axis), math.inf)) <= 0.5
            dx, dy = ((off, 0.0) if axis == "x" else (0.0, off)) if side == "second" else (0.0, 0.0)
            colour = "good" if lit else "ink" if side == "first" else "focus"
            p.setPen(QPen(th.color(colour), 4.0 if lit else 2.4 if k == 0 else 1.5))
            p.drawLine(self.at((a[0] + dx, a[1] + dy)), self.at((b[0] + dx, b[1] + dy)))
            if k % 5 == 0:  # millimetres on the first, numbers of ticks on the second
                p.setFont(th.font(th.TEXT))
                p.setPen(th.color("soft" if side == "first" else "focus"))
                far = 1.4 if side == "first" else -1.4
                at = (b[0] + dx, b[1] + far) if axis == "x" else (b[0] + far, b[1] + dy)
                words_at(p, self.at(at), f"{k:+d}".replace("-", "−") if k else "0", width=40)
        for axis in "xy":
            x, y = shape.scale_at(axis)
            far = shape.reach * shape.pitch + 1.6
            p.setFont(th.font(17, bold=True))
            p.setPen(th.color("ink"))
            words_at(p, self.at((x - far, y) if axis == "x" else (x, y - far)), axis.upper(), width=30)


@lru_cache(maxsize=4)
def _drawing(shape: Astride, width: int, height: int, *, level: bool) -> tuple[float, Point, Point]:
    """(px for a mm, middle of the picture in px, middle of the piece in mm). level: X runs to the left or right."""
    ends = [p for line in shape.lines() for p in line]
    x0, x1 = min(p[0] for p in ends), max(p[0] for p in ends)
    y0, y1 = min(p[1] for p in ends), max(p[1] for p in ends)
    below = FOOT if shape.way == "gaps" else FOOT + HEIGHT  # scales fill the picture: the callout is beneath
    wide, tall = width - 2 * SIDE, height - HEAD - below
    across, up = (x1 - x0, y1 - y0) if level else (y1 - y0, x1 - x0)
    room = 6.0 if shape.way == "vernier" else 12.0  # mm round it, for words
    scale = min(wide / (across + room), tall / (up + room))
    return scale, (width / 2, HEAD + tall / 2), ((x0 + x1) / 2, (y0 + y1) / 2)
