"""The texts themselves: `common` for what several say, and one module for each procedure, called like it."""

from __future__ import annotations

from typing import NamedTuple


class About(NamedTuple):
    """What is about a procedure itself. needs: what one needs for it. piece: what is made.

    lookalikes: what to rule out before a number is changed.
    """

    needs: tuple[str, ...]
    piece: str
    lookalikes: tuple[str, ...]
