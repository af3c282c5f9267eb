"""The camera of a practice machine: a picture of what was drawn, from where the head is sent."""

from __future__ import annotations

from keen_compass.quantities.geometry import Point
from keen_compass.rounds import RoundSession
from keen_compass.standin.camera import picture
from keen_compass.standin.router import Made, Router


def picture_of(session: RoundSession, measurand: str, made: Made) -> bytes:
    """What the camera sees with the head where it was sent."""
    stands = session.pictures.stands_at(measurand)
    assert stands is not None
    return looked(made, stands, measurand)


def looked(made: Made, stands: Point, name: str) -> bytes:
    """What the camera sees of what was made, with the head sent to `stands`, mm; name: of the picture."""
    x, y = Router(made.truth, made.settings, made.seed).brought(stands)
    ox, oy = made.truth.heads.get("camera", (0.0, 0.0))
    return picture(made.truth, (x + ox, y + oy), made.lines, f"{made.seed}/{name}")
