"""Copies of a shop file that are kept by themselves: one a day at most, the last ten, before these one a week.

They lie in a folder beside the shop file, or in another place that was named, on another disk for example. A copy is
made through a connection of its own, so that it may be made in a thread of its own while the shop is written; it is
there whole, or not at all, and never over another.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from keen_compass.errors import ShopError, ShopWriteError
from keen_compass.language import tr
from keen_compass.shop.file import uri_of, write_database

EVERY = timedelta(days=1)
LAST = 10  # copies that are kept whatever their age; of older ones the newest of each week
STAMP = "%Y-%m-%d %H.%M.%S"  # in a copy's name


class Copy(NamedTuple):
    """One copy, and when it was made, local."""

    file: Path
    at: datetime


def folder_of(shop: Path, under: Path | None = None) -> Path:
    """Where a shop's copies lie. under: in which folder, where not beside it."""
    return (under or shop.parent) / f"{shop.stem} copies"


def copies_of(shop: Path, under: Path | None = None) -> list[Copy]:
    """All that are there, newest first; what someone put there under another kind of name isn't one."""
    found = []
    for file in folder_of(shop, under).glob(f"*{shop.suffix}"):
        try:
            found.append(Copy(file, datetime.strptime(file.stem, STAMP).astimezone()))
        except ValueError:
            continue
    return sorted(found, key=lambda copy: copy.at, reverse=True)


def is_due(shop: Path, now: datetime, under: Path | None = None) -> bool:
    """Whether the newest copy is a day old, and something was written since."""
    newest = next(iter(copies_of(shop, under)), None)
    if newest is None:
        return True
    written = max(path.stat().st_mtime for path in (shop, Path(f"{shop}-wal")) if path.exists())
    return now - newest.at >= EVERY and written > newest.at.timestamp()


def keep_copy(shop: Path, now: datetime, under: Path | None = None) -> Path:
    """Make a copy, and drop those that are no longer kept. Raises ShopError."""
    folder = folder_of(shop, under)
    target = folder / f"{now:{STAMP}}{shop.suffix}"
    try:
        folder.mkdir(exist_ok=True)
        with closing(sqlite3.connect(f"{uri_of(shop)}?mode=ro", uri=True)) as source:
            write_database(target, source.backup)
        for old in dropped(copies_of(shop, under)):
            old.file.unlink(missing_ok=True)
    except (OSError, sqlite3.Error) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise ShopWriteError(
            tr("No copy of the shop could be kept in {folder}: {reason}.", folder=folder, reason=reason)
        ) from None
    return target


def dropped(copies: Iterable[Copy]) -> list[Copy]:
    """Of these, newest first, those that are no longer kept."""
    gone, weeks = [], set()
    for i, copy in enumerate(copies):
        week = copy.at.isocalendar()[:2]
        if i >= LAST and week in weeks:
            gone.append(copy)
        if i >= LAST:
            weeks.add(week)
    return gone


def taken_back(shop: Path, copy: Copy) -> Path:
    """A copy as a shop file of its own beside the shop, on which the work can go on. Raises ShopError."""
    target = shop.with_name(f"{shop.stem} of {copy.at:{STAMP}}{shop.suffix}")
    number = 2
    while target.exists():
        target, number = shop.with_name(f"{shop.stem} of {copy.at:{STAMP}} ({number}){shop.suffix}"), number + 1
    try:
        part = target.with_suffix(".part")
        part.write_bytes(copy.file.read_bytes())
        part.rename(target)
    except OSError as error:
        raise ShopError(tr("{target} can't be written: {strerror}.", target=target, strerror=error.strerror)) from None
    return target
