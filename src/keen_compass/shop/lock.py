"""One writer for one file: a lock on the file itself, whatever name or link it was opened by.

The lock is `flock` on the shop file's own inode, so symlinks and hard links lead to the same one, and there is no
lock file that someone could delete. The descriptor is held for as long as anything may write: closing any
descriptor of a file would also drop the locks that SQLite holds on it in this process, so within one process a file
is opened here at most once at a time (`_held`).
"""

from __future__ import annotations

import fcntl
import os
import stat
from pathlib import Path

from keen_compass.errors import ShopDamagedError, ShopElsewhereError, ShopReadOnlyError, ShopWriteError
from keen_compass.language import tr

_held: set[tuple[int, int]] = set()  # (device, inode) locked by this process


def resolved(file: Path) -> Path:
    """What a name leads to. Raises ShopDamagedError for links that go round in circles, folders, devices."""
    try:
        real = Path(os.path.realpath(file, strict=False))
        mode = real.stat().st_mode
    except FileNotFoundError:
        return real
    except (OSError, ValueError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise ShopDamagedError(tr("{file} can't be opened: {reason}.", file=file, reason=reason)) from None
    if not stat.S_ISREG(mode):
        if stat.S_ISDIR(mode):
            raise ShopDamagedError(tr("{file} is a folder, not a shop file. Choose another.", file=file))
        raise ShopDamagedError(tr("{file} is no ordinary file, not a shop file. Choose another.", file=file))
    return real


class FileLock:
    """The right to write a file, until `release`. `why_not` says why there is none."""

    def __init__(self, file: Path) -> None:
        self.why_not: ShopReadOnlyError | None = None
        self.created = False
        self._descriptor: int | None = None
        self._identity: tuple[int, int] | None = None
        try:
            seen = file.stat()
        except FileNotFoundError:
            self._create(file)
            return
        except OSError as error:
            raise ShopDamagedError(
                tr("{file} can't be read: {strerror}. Check its permissions.", file=file, strerror=error.strerror)
            ) from None
        if (seen.st_dev, seen.st_ino) in _held:
            self.why_not = _open_elsewhere()
        elif seen.st_nlink > 1:
            # What was written last may still lie in the log beside the other name, which nothing here can know.
            self.why_not = ShopReadOnlyError(
                tr(
                    "This file has a second name (a hard link), so it can only be looked at: keep a copy under a new "
                    "name (Shop menu), and go on with that."
                )
            )
        elif not os.access(file, os.R_OK):
            raise ShopDamagedError(tr("{file} can't be read: check its permissions.", file=file))
        elif not os.access(file, os.W_OK) or not os.access(file.parent, os.W_OK):
            self.why_not = ShopReadOnlyError(
                tr("This shop’s file or folder may only be read, so it can only be looked at.")
            )
        else:
            self._take(file, os.O_RDWR)

    @property
    def held(self) -> bool:
        """Whether the file may be written."""
        return self._descriptor is not None

    def beginning(self, size: int) -> bytes:
        """The file's first bytes, through the descriptor that is open anyway; empty where it isn't held."""
        return b"" if self._descriptor is None else os.pread(self._descriptor, size, 0)

    def release(self) -> None:
        """Others may write from now on."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None
        if self._identity is not None:
            _held.discard(self._identity)
            self._identity = None

    def _create(self, file: Path) -> None:
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            self._take(file, os.O_RDWR | os.O_CREAT)
        except OSError as error:
            raise ShopWriteError(
                tr("{file} can't be made: {strerror}. Choose another folder.", file=file, strerror=error.strerror)
            ) from None
        self.created = True

    def _take(self, file: Path, flags: int) -> None:
        descriptor = os.open(file, flags | os.O_CLOEXEC, 0o666)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(descriptor)
            self.why_not = _open_elsewhere()
            return
        except OSError as error:
            os.close(descriptor)
            reason = error.strerror
            self.why_not = ShopReadOnlyError(
                tr("This folder can’t lock files ({reason}), so the shop can only be looked at.", reason=reason)
            )
            return
        made = os.fstat(descriptor)
        self._descriptor, self._identity = descriptor, (made.st_dev, made.st_ino)
        _held.add(self._identity)


def _open_elsewhere() -> ShopElsewhereError:
    return ShopElsewhereError(tr("This shop is open in another window, so here it can only be looked at."))
