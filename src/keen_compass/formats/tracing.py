"""The outline of what a picture shows, to a part of a pixel."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from keen_compass.errors import InputError
from keen_compass.language import tr
from keen_compass.pieces.outline import refuse_many
from keen_compass.quantities.geometry import Area, Point

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Values = NDArray[np.floating[Any]]

MOST_STEPS = 2_000_000  # of an outline, from pixel to pixel


def traced(values: Values, level: float, pixel: Point, smallest: float = 0.0) -> Area:
    """Where values, row by row from the top, lie above a level: mm from the upper left corner, Y down.

    pixel: mm (across, down). smallest: mm² of what is looked at. Raises InputError where that is noise, not a shape.
    """
    import numpy as np
    from shapely import MultiPolygon, build_area, linearrings, multilinestrings
    from skimage.measure import find_contours

    above = values > level
    steps = int(np.count_nonzero(above[1:] != above[:-1])) + int(np.count_nonzero(above[:, 1:] != above[:, :-1]))
    if steps > MOST_STEPS:
        raise InputError(
            tr(
                "has an outline of {steps:,} steps from pixel to pixel; at most {most_steps:,} are traced: smooth it",
                steps=steps,
                most_steps=MOST_STEPS,
            )
        )
    rings = []
    for contour in find_contours(np.pad(values, 1), level):
        y, x = (contour - 0.5).T  # a pixel's middle is at one half of it, and one row more lies before
        at = np.stack([x * pixel[0], y * pixel[1]], axis=1)
        if len(at) > 3 and _enclosed(at) >= smallest:
            rings.append(linearrings(at))
    refuse_many(len(rings))
    return build_area(multilinestrings(rings)) if rings else MultiPolygon()


def _enclosed(at: Values) -> float:
    x, y = at.T
    return abs(float((x[:-1] * y[1:] - x[1:] * y[:-1]).sum())) / 2
