"""A controller whose settings are a file that another program reads: changed in place, or not at all."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path

from keen_compass.errors import InputError
from keen_compass.formats.files import write_whole
from keen_compass.language import tr

BEFORE = ".before"  # what a file was called, and this: as it stood before its last change


def change(file: Path, before: bytes, after: bytes) -> None:
    """Write `after` where `before` still stands, which is kept beside it.

    Raises InputError, with the file untouched, where something else is there or a program holds it.
    """
    if file.is_symlink():
        raise InputError(tr("is a link to a file: name the file itself"), str(file))
    try:
        descriptor = os.open(file, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)  # a pipe would keep us waiting
    except OSError as error:
        raise InputError(tr("can't be read: {strerror}", strerror=error.strerror), str(file)) from None
    with os.fdopen(descriptor, "rb") as held:
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise InputError(tr("another program holds it: close it there first"), str(file)) from None

        def still_there() -> None:
            """Programs that lock nothing write a file again, or put another in its place: looked at until the end."""
            held.seek(0)
            try:
                same = os.path.samestat(os.fstat(held.fileno()), file.lstat()) and held.read() == before
            except OSError:
                same = False
            if not same:
                raise InputError(tr("changed since it was read: read it again before anything is written"), str(file))

        still_there()
        write_whole(file.with_name(file.name + BEFORE), before)
        write_whole(file, after, still_there)
