"""Several seats: shop files that went on apart are brought together through a folder that all of them see.

Each writes its whole logbook there under a name of its own, and takes over what others wrote: row by row what it lacks,
the newest counting by its time. It is no live connection: what is done elsewhere is seen once both came by; pictures of
half a reading, stand-ins and undo stay where they are; two seats that count pieces of one machine at the same time give
one number twice, each its own.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from keen_compass.errors import FileFormatError, InputError
from keen_compass.formats.files import file_stem, read_whole, write_whole
from keen_compass.language import tr
from keen_compass.shop.exchange import Apart, join, to_json
from keen_compass.shop.incoming import Understands
from keen_compass.shop.store import Shop

SUFFIX = ".logbook.json"


class Brought(NamedTuple):
    """seats: whose logbooks were there. rounds: that came, or went on. apart: (seat, number). refused: (file, why)."""

    seats: tuple[str, ...]
    rounds: int
    apart: tuple[tuple[str, Apart], ...]
    refused: tuple[tuple[str, str], ...]


def bring_together(
    shop: Shop, folder: Path, seat: str, understands: Understands, progress: Callable[[float], None] = lambda _: None
) -> Brought:
    """Take over what others wrote there, then write our own for them. seat: what this one is called, always the same.

    A logbook that can't be understood is left where it is, and nothing of it is taken. Raises InputError where the
    folder can't be used, ShopError where the shop can't be written.
    """
    if not folder.is_dir():
        raise InputError(tr("is no folder"), str(folder))
    own = folder / f"{file_stem(seat)}{SUFFIX}"
    others = sorted(file for file in folder.glob(f"*{SUFFIX}") if file != own)
    rounds, apart, refused, seats = 0, [], [], []

    def told(before: int, share: float) -> None:
        progress((before + share) / (len(others) + 1))

    for i, file in enumerate(others):
        name = file.name.removesuffix(SUFFIX)
        try:
            came, differ = join(shop, _text_of(file), understands, partial(told, i))
        except (FileFormatError, InputError) as error:
            refused.append((file.name, str(error)))
        else:
            seats.append(name)
            rounds += came
            apart += [(name, one) for one in differ]
    write_whole(own, to_json(shop).encode())
    progress(1.0)
    return Brought(tuple(seats), rounds, tuple(apart), tuple(refused))


def _text_of(file: Path) -> str:
    try:
        return read_whole(file).decode("utf-8")
    except UnicodeDecodeError:
        raise FileFormatError(tr("it isn’t text")) from None
