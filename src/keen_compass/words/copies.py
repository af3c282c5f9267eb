"""Copies of a shop, in words."""

from __future__ import annotations

from datetime import datetime

from keen_compass.language import tr


def when(at: datetime) -> str:
    """``Tuesday 1 December 2026, 13:39``."""
    return f"{at:%A %-d %B %Y, %H:%M}"


def about(count: int, folder: str = "") -> str:
    """What the list is, or that there is nothing in it yet. folder: that was named; empty for beside the shop file."""
    where = tr("in {folder}", folder=folder) if folder else tr("beside the shop file")
    if not count:
        return tr("No copies yet. One is kept {where} by itself, once a day while the shop is open.", where=where)
    return tr(
        "Kept {where} once a day: the last ten, before these one a week. A copy opens as a shop "
        "of its own; this shop stays as it is.",
        where=where,
    )
