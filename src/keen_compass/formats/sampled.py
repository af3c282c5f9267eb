"""A picture as it is sampled: along a sheet's own directions, in any of its colours."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from keen_compass.quantities.geometry import Point
from keen_compass.solve.sheet_map import SheetMap

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Mask = NDArray[np.bool_]

GREY = 3  # the mean of its colours, beside red, green and blue
CHANNELS = (GREY, 0, 1, 2)  # in which something is looked for


class Sampled:
    """Its colours, and their mean, as they are sampled."""

    def __init__(self, colours: NDArray[np.uint8]) -> None:
        """colours: rows of red, green, blue 0 … 255."""
        import numpy as np

        self.shape = colours.shape[:2]
        red, green, blue = np.moveaxis(colours, 2, 0)
        grey = (red.astype(np.uint16) + green + blue) / np.float32(3)
        self.channels = [red, green, blue, grey]  # a photo is large: nothing wider than it must be

    def sampled(
        self, where: SheetMap, at: Point, x: Array, y: Array, channel: int = GREY
    ) -> tuple[Array, NDArray[np.bool_]]:
        """Greys at places `x`, `y` mm about `at`; and whether they are in the picture."""
        import numpy as np
        from scipy.ndimage import map_coordinates

        px = where.to_picture(np.column_stack([at[0] + x.ravel(), at[1] + y.ravel()]))
        u, v = px[:, 0] - 0.5, px[:, 1] - 0.5
        inside = (u >= 1) & (v >= 1) & (u <= self.shape[1] - 2) & (v <= self.shape[0] - 2)
        left, top = math.floor(max(u.min(), 0)), math.floor(max(v.min(), 0))
        part = self.channels[channel][top : math.ceil(v.max()) + 2, left : math.ceil(u.max()) + 2]
        if part.size == 0:
            return np.zeros(x.shape), np.zeros(x.shape, bool)
        found = map_coordinates(part, [v - top, u - left], order=1, mode="nearest", output=float)
        return found.reshape(x.shape), inside.reshape(x.shape)


def grid(reach: float, res: float) -> tuple[Array, Array]:
    """Places from −reach to reach mm, rows from the top, `res` to a mm."""
    import numpy as np

    steps = np.arange(-math.floor(reach * res), math.floor(reach * res) + 1) / res
    x, y = np.meshgrid(steps, -steps)
    return x, y


def likeness(picture: Array, template: Array) -> Array:
    """How like a template each part of its size is, −1 … 1, by the part's upper left corner; 0 where a part is blank.

    Normalized cross-correlation (Lewis 1995), as scikit-image has it, whose own loads for 0.7 s what isn't needed here.
    """
    import numpy as np

    height, width = template.shape

    def sums(values: Array) -> Array:
        total = np.pad(values, ((1, 0), (1, 0))).cumsum(0).cumsum(1)
        upper, lower = total[:-height], total[height:]
        found: Array = lower[:, width:] - upper[:, width:] - lower[:, :-width] + upper[:, :-width]
        return found

    uneven = template - template.mean()
    spectrum = np.fft.rfft2(picture) * np.conj(np.fft.rfft2(uneven, picture.shape))
    both = np.fft.irfft2(spectrum, picture.shape)[: picture.shape[0] - height + 1, : picture.shape[1] - width + 1]
    spread = np.maximum(sums(picture**2) - sums(picture) ** 2 / template.size, 0.0)
    scale = np.sqrt(spread * (uneven**2).sum())
    found: Array = np.divide(both, scale, out=np.zeros_like(both), where=scale > np.finfo(float).eps)
    return found
