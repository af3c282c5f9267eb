"""Pictures as somebody takes them: PNG, JPEG, WebP, TIFF; turned as their tag says, clear parts on white, in greys."""

from __future__ import annotations

import io
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
    return _grey(file, str(file))


def grey_of(data: bytes, name: str) -> NDArray[np.float64]:
    """The same of bytes; name: what they are called where they are refused."""
    return _grey(io.BytesIO(data), name)


def _grey(file: Path | io.BytesIO, name: str) -> NDArray[np.float64]:
    import numpy as np
    from PIL import Image, ImageOps, UnidentifiedImageError

    try:
        with (
            warnings.catch_warnings(action="ignore", category=Image.DecompressionBombWarning),
            Image.open(file, formats=FORMATS) as opened,
        ):
            if opened.width * opened.height > MOST_PIXELS:
                raise InputError(f"has {opened.width} × {opened.height} pixels; {AT_MOST}", name)
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
        raise InputError(f"is far too large; {AT_MOST}", name) from None
    except UnidentifiedImageError:
        raise InputError("is no picture: PNG, JPEG, WebP or TIFF", name) from None
    except OSError as error:
        why = error.strerror or "can't be read to its end: is it whole?"
        raise InputError(why, name) from None
    except (ValueError, SyntaxError, EOFError):  # what a damaged file makes of Pillow
        raise InputError("is damaged", name) from None
