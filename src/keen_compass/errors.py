"""Everything that Keen Compass raises on purpose.

KeenCompassError
├── InputError              what someone gave us is wrong; `place` names where
│   ├── LengthError         a typed length can't be read
│   ├── NoSizeError         a picture doesn't say how large it is
│   └── PieceError          a test piece can't be made as asked
├── PortError              a controller at the other end of a cable
├── UncertaintyError        an uncertainty of zero, or one that can't be stated
├── FileFormatError         a file that we read is not what it should be
└── ShopError               the shop file
    ├── ShopDamagedError    it can't be read as a shop
    ├── ShopNewerError      a later version of the program wrote it
    ├── ShopReadOnlyError   a change was asked of a shop that is open for reading only
    ├── ShopClosedError     it was closed in the meantime
    └── ShopWriteError      the disk refused (full, read-only folder)
        └── ShopGoneError   the file was moved, deleted or replaced while it was open

A message says what, where, what was expected and what to do, in words a technician uses.
"""

from __future__ import annotations

from collections.abc import Iterable


class KeenCompassError(Exception):
    """Base of all errors raised on purpose."""


class InputError(KeenCompassError):
    """Something given is wrong. `place` names it, e.g. ``readings[0].values[1]``."""

    def __init__(self, message: str, place: str = "") -> None:
        super().__init__(f"{place}: {message}" if place else message)
        self.message = message
        self.place = place

    def at(self, place: str) -> InputError:
        """The same complaint, with its place in front of the place it already has."""
        joint = "" if not self.place or self.place.startswith("[") else "."
        return type(self)(self.message, f"{place}{joint}{self.place}")


class LengthError(InputError):
    """A typed length can't be read, or could mean two things."""


class NoSizeError(InputError):
    """A picture doesn't say its resolution: it must be given."""


class PieceError(InputError):
    """A test piece can't be made as asked: sizes, feeds, bed."""


class PortError(KeenCompassError):
    """Something went wrong over the cable.

    kind: what, in one word. happened, state, way_on: three sentences: what it was, what is known of the controller now,
    and what to do.
    """

    def __init__(self, kind: str, happened: str, state: str, way_on: str) -> None:
        super().__init__(f"{happened} {state} {way_on}")
        self.kind, self.happened, self.state, self.way_on = kind, happened, state, way_on


class UncertaintyError(KeenCompassError):
    """An expanded uncertainty of zero, or one that can't be stated."""


class FileFormatError(KeenCompassError):
    """A file is not what it should be. The message names the line."""


class ShopError(KeenCompassError):
    """Something about the shop file."""


class ShopDamagedError(ShopError):
    """The file can't be read as a shop. It has been left as it was."""


class ShopNewerError(ShopError):
    """A later version of the program wrote the file. It has been left as it was."""


class ShopReadOnlyError(ShopError):
    """A change was asked of a shop that is open for reading only."""


class ShopElsewhereError(ShopReadOnlyError):
    """The same, because another window has it open."""


class ShopWriteError(ShopError):
    """The disk refused a change. Nothing that was kept before is lost."""


class ShopGoneError(ShopWriteError):
    """The file was moved, deleted or replaced while it was open. What the program still sees can be saved elsewhere."""


class ShopClosedError(ShopError):
    """Something was asked of a shop that was closed in the meantime."""


def shown_input(given: object) -> str:
    """What was given, as a message has it: no longer than a glance."""
    text = repr(given)
    return text if len(text) < 40 else text[:36] + "…"


def those_like(given: object, names: Iterable[str]) -> str:
    """The few of many names that may have been meant; else the first of them, for all are too many to read."""
    from difflib import get_close_matches  # late: only mistakes need it

    known = list(dict.fromkeys(names))
    return ", ".join(get_close_matches(str(given), known, 4)) or ", ".join(known[:8]) + ", …"
