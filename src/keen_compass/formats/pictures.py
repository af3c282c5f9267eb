"""Pictures as someone takes them: PNG, JPEG, WebP, TIFF; turned as their tag says, clear parts on white, in greys."""

from __future__ import annotations

import io
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from keen_compass.errors import InputError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

FORMATS = ("PNG", "JPEG", "WEBP", "TIFF")
MOST_PIXELS = 100_000_000
LEAST_DPI = 90.0  # below, a picture's number is a screen's
LARGEST = 200_000_000  # bytes of a file
WHITE_OR_BLACK = 262  # TIFF 6.0, PhotometricInterpretation: 0 where zero is white
AT_MOST = f"at most {MOST_PIXELS // 1_000_000} million pixels are read"


def read_grey(file: Path) -> NDArray[np.float64]:
    """Rows of greys from 0, black, to 255. Raises InputError for what is no picture, or far too large."""
    return grey_of(read_whole(file), str(file))


def grey_of(data: bytes, name: str) -> NDArray[np.float64]:
    """The same of bytes; name: what they are called where they are refused."""
    import numpy as np
    from PIL import Image

    with opened(data, name, "is no picture: PNG, JPEG, WebP or TIFF") as picture:
        shown = as_shown(picture)
        if shown.mode == "RGBA":
            shown = Image.alpha_composite(Image.new("RGBA", shown.size, "white"), shown)
        return np.asarray(shown.convert("L"), float)


def colours_of(data: bytes, name: str) -> NDArray[np.uint8]:
    """Rows of red, green, blue from 0 to 255, clear parts on white. Raises InputError as `read_grey`."""
    import numpy as np
    from PIL import Image

    with opened(data, name, "is no picture: PNG, JPEG, WebP or TIFF") as picture:
        shown = as_shown(picture)
        if shown.mode == "RGBA":
            shown = Image.alpha_composite(Image.new("RGBA", shown.size, "white"), shown)
        return np.asarray(shown.convert("RGB"))


def nominal_dpi(data: bytes) -> float:
    """Pixels per inch as a picture says; 0 where it doesn't."""
    with opened(data, "", "is no picture: PNG, JPEG, WebP or TIFF") as picture:
        given = picture.info.get("dpi", (0.0, 0.0))
        return float(given[0]) if LEAST_DPI <= float(given[0]) == float(given[1]) else 0.0


@contextmanager
def opened(data: bytes, name: str, no_picture: str) -> Iterator[Image.Image]:
    """A picture that is not too large. Raises InputError, also for what goes wrong while it is read inside.

    no_picture: what is said of anything else.
    """
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings(action="ignore"), Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise InputError(
                    tr(
                        "has {width} × {height} pixels; {at_most}",
                        width=picture.width,
                        height=picture.height,
                        at_most=AT_MOST,
                    ),
                    name,
                )
            yield picture
    except Image.DecompressionBombError:
        raise InputError(tr("is far too large; {at_most}", at_most=AT_MOST), name) from None
    except UnidentifiedImageError:
        raise InputError(no_picture, name) from None
    except OSError as error:
        raise InputError(error.strerror or tr("can't be read to its end: is it whole?"), name) from None
    except (ValueError, SyntaxError, EOFError):  # what a damaged file makes of Pillow
        raise InputError(tr("is damaged"), name) from None


def as_shown(picture: Image.Image) -> Image.Image:
    """As a screen shows it, 8 bits a colour, turned as its tag says: L, RGB, or RGBA where it has clear parts."""
    from PIL import Image, ImageCms, ImageOps

    clear = picture.info.get("transparency")
    turned = ImageOps.exif_transpose(picture)
    if picture.mode.startswith("I") or picture.mode == "F":
        white_is_zero = getattr(picture, "tag_v2", {}).get(WHITE_OR_BLACK) == 0
        return _from_deep(turned, clear if isinstance(clear, int) else None, white_is_zero)
    if "A" in turned.getbands() or "a" in turned.getbands() or clear is not None:
        return turned.convert("RGBA")
    if turned.mode == "LAB":
        lab, screen = ImageCms.createProfile("LAB"), ImageCms.createProfile("sRGB")
        seen = ImageCms.profileToProfile(turned, lab, screen, outputMode="RGB")
        assert isinstance(seen, Image.Image)
        return seen
    return turned.convert("L" if turned.mode in ("1", "L") else "RGB")


def _from_deep(picture: Image.Image, clear: int | None, white_is_zero: bool) -> Image.Image:
    """Greys of more than 8 bits. clear: the value that is none; white_is_zero: as a TIFF's tag may say."""
    import numpy as np
    from PIL import Image

    values = np.nan_to_num(np.asarray(picture, float))
    most = 65535.0
    if not picture.mode.startswith("I;16"):  # how far 32 bits go, nothing says
        most = next((m for m in (1.0, 255.0, 65535.0) if values.max() <= m), float(values.max()))
        most = 255.0 if picture.mode == "I" and most == 1 else most
    share = np.clip(values / most, 0, 1)
    grey = np.round(255 * (1 - share if white_is_zero else share)).astype(np.uint8)
    if clear is None:
        return Image.fromarray(grey)
    return Image.fromarray(np.dstack([grey, grey, grey, np.where(values == clear, 0, 255).astype(np.uint8)]))
