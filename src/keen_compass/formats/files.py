"""Reading a file of bounded size; writing one whole or not at all, never through what is no ordinary file."""

from __future__ import annotations

import errno
import math
import os
import re
import stat
import tempfile
from collections.abc import Callable
from pathlib import Path

from keen_compass.errors import InputError
from keen_compass.language import marked, tr

_WORDS = {
    errno.ENAMETOOLONG: marked("its name is too long: choose a shorter one."),
    errno.ENOSPC: marked("the disk is full: make room, or choose another disk."),
    errno.EDQUOT: marked("the disk’s share for you is full: make room, or choose another disk."),
}


def file_stem(name: str) -> str:
    """What a machine is called, as a file's name begins with it: ``Big Heron`` → ``big-heron``."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "machine"


def read_whole(file: Path, most: float = math.inf) -> bytes:
    """All of it. most: bytes. Raises InputError where it is larger, is no plain file, or can't be read."""
    name = shown_path(file)
    try:
        # Opened without waiting: a pipe that nobody writes to would keep us for ever.
        with os.fdopen(os.open(file, os.O_RDONLY | os.O_NONBLOCK), "rb") as opened:
            if not stat.S_ISREG(os.fstat(opened.fileno()).st_mode):
                raise InputError(tr("is no plain file"), name)
            data = opened.read() if math.isinf(most) else opened.read(int(most) + 1)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or tr("is no name of a file")
        raise InputError(tr("can't be read: {why}", why=why), name) from None
    if len(data) > most:
        raise InputError(tr("is larger than {most:.0f} MB", most=most // 1_000_000), name)
    return data


def shown_path(file: Path) -> str:
    """Its name in letters that can be printed, whatever bytes it is made of."""
    return os.fsencode(file).decode("utf-8", "replace")[:200]


def write_whole(file: Path, data: bytes, check: Callable[[], None] = lambda: None) -> None:
    """Write beside it under a name of nobody else's, then put it in its place.

    check: asked when all is written and only the name is missing; what it raises leaves everything as it was.
    Raises InputError where there is no name, where it is a link, device or folder, or where the disk refuses; then
    what stood there before still is there.
    """
    if not file.name or "\0" in str(file):
        raise InputError(tr("Name a file first."))
    part: Path | None = None
    try:
        mode = _mode_of(file)
        descriptor, name = tempfile.mkstemp(prefix=".part-", dir=file.parent)
        part = Path(name)
        with os.fdopen(descriptor, "wb") as out:
            out.write(data)
            out.flush()
            os.fchmod(out.fileno(), mode)
            os.fsync(out.fileno())
        check()
        part.replace(file)
    except InputError:
        if part is not None:
            part.unlink(missing_ok=True)
        raise
    except OSError as error:
        if part is not None:
            part.unlink(missing_ok=True)
        known = _WORDS.get(error.errno or 0)
        words = tr(known) if known else tr("{reason}. Choose another folder.", reason=error.strerror)
        raise InputError(tr("can't be written: {words}", words=words), str(file)[:200]) from None


def _mode_of(file: Path) -> int:
    """Permissions of what is replaced, or of a new file. Raises InputError for what is no ordinary file."""
    try:
        found = file.lstat()
    except FileNotFoundError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask
    if stat.S_ISREG(found.st_mode) and not found.st_mode & 0o222:
        raise InputError(tr("can't be written: it is read-only. Choose another name."), shown_path(file))
    if not stat.S_ISREG(found.st_mode):
        folder, link = stat.S_ISDIR(found.st_mode), stat.S_ISLNK(found.st_mode)
        kind = tr("a folder") if folder else tr("a link") if link else tr("a device")
        raise InputError(tr("can't be written: it is {kind}, not a file. Choose another name.", kind=kind), str(file))
    return stat.S_IMODE(found.st_mode)
