"""Pictures that someone took of a piece: kept as they came, a cross sought in each, its place put into the callout."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.machines.heads import offset_held
from keen_compass.pieces.cross_mark import CrossMark
from keen_compass.quantities.geometry import Point
from keen_compass.quantities.notes import Note, note
from keen_compass.rounds.context import RoundContext
from keen_compass.rounds.measuring import Measuring
from keen_compass.shop.marks import PicturesTaken

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from keen_compass.solve.cross import Cross

BLURRED = 0.15  # px, standard, from which on a cross is said to be unclear
ALIKE = 12.0  # px from a place, within which a cross is that which was meant


class Pictures:
    """Of the piece that is shown, by measurand."""

    def __init__(self, context: RoundContext, measuring: Measuring) -> None:
        self._c, self._measuring = context, measuring
        # What was found in pictures, which never change, by their bytes' names; of greys the last picture's.
        self._found: dict[tuple[str, Point | None], Cross | None] = {}
        self._doubts: dict[str, Note | None] = {}
        self._grey: tuple[str, NDArray[np.float64]] | None = None

    @property
    def taken(self) -> PicturesTaken:
        """What was taken so far."""
        piece = self._c.piece
        return (self._c.mark(PicturesTaken, piece.id) if piece else None) or PicturesTaken()

    def data(self, measurand: str) -> bytes | None:
        """The picture as it came; None where none was taken."""
        name = self.taken.blobs.get(measurand)
        return self._c.shop.blob(name) if name else None

    def put(self, measurand: str, data: bytes, name: str = "picture") -> None:
        """A picture, kept as it is; its cross goes into the callout where one is found. Raises InputError."""
        from keen_compass.formats.pictures import grey_of

        piece = self._c.piece
        if piece is None:
            raise InputError(tr("Draw the cross first."))
        grey = grey_of(data, name)
        size = (float(grey.shape[1]), float(grey.shape[0]))
        before = self.taken
        others = set(before.blobs) - {measurand}
        if others and before.size != size:
            raise InputError(
                tr(
                    "has {size:g} × {size2:g} pixels, the others {size3:g} × {size4:g}: take all of them alike",
                    size=size[0],
                    size2=size[1],
                    size3=before.size[0],
                    size4=before.size[1],
                ),
                name,
            )
        with self._c.shop.writing():
            blob = self._c.shop.put_blob(data)
            self._c.put_mark(replace(before, blobs={**before.blobs, measurand: blob}, size=size), piece.id)
        found = self.cross(measurand)
        if self._measuring.current() != measurand:
            self._measuring.choose(measurand)
        self._measuring.type(written((found.u, found.v)) if found else "")
        self._c.changed()

    def point_at(self, measurand: str, at: Point, *, exactly: bool = False) -> None:
        """Where the cross is: the one that is found near there, or that very place."""
        found = None if exactly else self.cross(measurand, at)
        near = found is not None and abs(found.u - at[0]) + abs(found.v - at[1]) < ALIKE * 2
        self._measuring.type(written((found.u, found.v) if found is not None and near else at))

    def other_cross(self, measurand: str) -> None:
        """Another cross than the one that is in the callout. Raises InputError where there is none."""
        from keen_compass.solve.cross import another_cross

        grey, now = self.grey(measurand), self._measuring.draft.split()
        if grey is None:
            return
        at = (float(now[0]), float(now[1])) if len(now) == 2 else None
        found = another_cross(grey, at) if at else self.cross(measurand)
        if found is None:
            raise InputError(tr("There is no other cross in this picture."))
        self._measuring.type(written((found.u, found.v)))

    def cross(self, measurand: str, near: Point | None = None) -> Cross | None:
        """The clearest cross of a picture, or the one nearest to a place."""
        from keen_compass.solve.cross import find_cross

        key = self.taken.blobs.get(measurand, ""), near
        if key not in self._found:
            grey = self.grey(measurand)
            self._found[key] = None if grey is None else find_cross(grey, near)
        return self._found[key]

    def grey(self, measurand: str) -> NDArray[np.float64] | None:
        """Greys of a picture; None where there is none, or it can't be read any more."""
        from keen_compass.formats.pictures import grey_of

        blob = self.taken.blobs.get(measurand, "")
        if self._grey is None or self._grey[0] != blob:
            data = self._c.shop.blob(blob) if blob else None
            if data is None:
                return None
            self._grey = blob, grey_of(data, "picture")
        return self._grey[1]

    def says(self, measurand: str) -> Note | None:
        """What is to be looked at in a picture: no cross, two of them, an unclear one."""
        if measurand not in self.taken.blobs:
            return None
        blob = self.taken.blobs[measurand]
        if blob not in self._doubts:
            self._doubts[blob] = self._says(measurand)
        return self._doubts[blob]

    def looked_at(self, measurand: str) -> bool:
        """Whether `says` has its answer at hand."""
        return self.taken.blobs.get(measurand, "") in self._doubts

    def _says(self, measurand: str) -> Note | None:
        from keen_compass.solve.cross import another_cross

        found, grey = self.cross(measurand), self.grey(measurand)
        if found is None or grey is None:
            return note("camera.no_cross")
        if another_cross(grey, (found.u, found.v)) is not None:
            return note("camera.two_crosses")
        if max(found.u_u, found.u_v) > BLURRED:
            return note("camera.unclear", px=2 * max(found.u_u, found.u_v))
        return None

    def stands_at(self, measurand: str) -> Point | None:
        """Where the head is to stand for a picture, mm: the camera over the cross by the offset that is held, and the
        picture's own move.
        """
        piece, shape = self._c.piece, self._measuring.shape()
        if piece is None or not isinstance(shape, CrossMark):
            return None
        machine = self._c.machine
        held = offset_held(self._c.in_force(piece), "camera", machine.offset_form, machine.flipped)
        return shape.stands_at(held)[shape.names.index(measurand)]


def written(at: Point) -> str:
    """A place in a picture as it is in a callout: ``620.14 468.31``."""
    return f"{at[0]:.2f} {at[1]:.2f}"
