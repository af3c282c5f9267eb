"""Where pictures come from: dropped, pasted, a file that is named, or a folder in which a camera leaves them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QBuffer, QFileSystemWatcher, QIODevice, QMimeData, QObject, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QImage

from keen_compass.app.parts import Button, plain_line
from keen_compass.errors import InputError
from keen_compass.formats.files import read_whole
from keen_compass.language import tr

KINDS = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff")
LARGEST_FILE = 60_000_000  # bytes
SETTLES = 400  # ms, after which a file that appears in a folder is whole


class PictureSource(QObject):
    """A line for a file or a folder and a button that pastes, for whoever lays them out: `parent`, with which it goes.

    `given` carries a picture's bytes and its name; `refused` what raises, in words, when it is run.
    """

    given = Signal(bytes, str)
    refused = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._before: set[Path] = set()
        self.file = plain_line(tr("Picture or folder"))
        self.file.setPlaceholderText(tr("file, or a folder to watch"))
        self.file.returnPressed.connect(self._from_line)
        self.paste = Button(tr("Paste"), lambda: self.take_from(QGuiApplication.clipboard().mimeData()), "quiet")
        self.paste.setAccessibleName(tr("Paste a picture"))
        self._watcher: QFileSystemWatcher | None = None  # holds open files of the system, so only where it is wanted

    def take_file(self, file: Path) -> None:
        """A picture from a file."""
        self._tried(lambda: self.given.emit(read_whole(file, LARGEST_FILE), str(file)))

    def take_from(self, given: QMimeData) -> bool:
        """What was dropped or copied: a file, or a picture itself; whether it was any."""
        files = [url.toLocalFile() for url in given.urls() if url.isLocalFile()]
        if files:
            self.take_file(Path(files[0]))
            return True
        if given.hasImage():
            buffer = QBuffer()
            buffer.open(QIODevice.OpenModeFlag.WriteOnly)
            QImage(given.imageData()).save(buffer, "PNG")  # type: ignore[call-overload]
            self.given.emit(bytes(buffer.data().data()), "picture")
            return True
        return False

    def _tried(self, run: Callable[[], None]) -> None:
        try:
            run()
        except InputError as error:
            self.refused.emit(partial(_say_again, error))

    def _from_line(self) -> None:
        """A picture, or a folder in which the camera leaves them."""
        path = Path(self.file.text().strip()).expanduser()
        if not path.is_dir():
            self.take_file(path)
            return
        if self._watcher is not None:
            self._watcher.deleteLater()
        watcher = self._watcher = QFileSystemWatcher(self)
        watcher.directoryChanged.connect(
            lambda _: QTimer.singleShot(SETTLES, watcher, lambda: self._look_into_folder(path))
        )

        def watch() -> None:
            self._before = _pictures_in(path)
            watcher.addPath(str(path))

        self._tried(watch)

    def _look_into_folder(self, folder: Path) -> None:
        """The newest picture that wasn't there before is the next one."""

        def look() -> None:
            now = _pictures_in(folder)
            fresh = sorted(now - self._before, key=lambda f: f.stat().st_mtime)
            self._before = now
            if fresh:
                self.take_file(fresh[-1])

        self._tried(look)


def _say_again(error: InputError) -> None:
    raise error


def _pictures_in(folder: Path) -> set[Path]:
    try:
        return {f for f in folder.iterdir() if f.suffix.lower() in KINDS and f.is_file()}
    except OSError as error:
        raise InputError(error.strerror or tr("can't be read"), str(folder)) from None
