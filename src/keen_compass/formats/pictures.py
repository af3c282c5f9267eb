"""Pictures as somebody takes them: PNG, JPEG, WebP, TIFF; turned as their tag says, clear parts on white, in greys."""

from __future__ import annotations

import warnings
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import InputError

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

FORMATS = ("PNG", "JPEG", "WEBP", "TIFF")
MOST_PIXELS = 100_000_000
AT_MOST = f"at most {MOST_PIXELS // 1_000_000} million pixels are read"


def read_grey(file: Path) -> NDArray[np.float64]:
    """Rows of greys from 0, black, to 255. Raises InputError for what is no picture, or far too large."""
    import numpy as np
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with (
            warnings.catch_warnings(action="ignore", category=Image.DecompressionBombWarning),
            Image.open(file, formats=FORMATS) as opened,
        ):
            if opened.width * opened.height > MOST_PIXELS:
                raise InputError(f"has {opened.width} × {opened.height} pixels; {AT_MOST}", str(file))
            picture = ImageOps.exif_transpose(opened)
            if picture.mode.startswith("I") or picture.mode == "F":  # 16 bits and more
                deep = np.asarray(picture, float)
                most = float(deep.max()) or 1.0
                return deep * (255.0 / (65535.0 if most > 255 else 255.0))
            if "A" in picture.getbands() or "transparency" in picture.info:
                clear = picture.convert("RGBA")
                picture = Image.alpha_composite(Image.new("RGBA", clear.size, "white"), clear)
            return np.asarray(picture.convert("L"), float)
    except Image.DecompressionBombError:
        raise InputError(f"is far too large; {AT_MOST}", str(file)) from None
    except UnidentifiedImageError:
        raise InputError("is no picture: PNG, JPEG, WebP or TIFF", str(file)) from None
    except OSError as error:
        why = error.strerror or "can't be read to its end: is it whole?"
        raise InputError(why, str(file)) from None
    except (ValueError, SyntaxError, EOFError):  # what a damaged file makes of Pillow
        raise InputError("is damaged", str(file)) from None
