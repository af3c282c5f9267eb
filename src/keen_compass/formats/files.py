"""Writing a file whole or not at all."""

from __future__ import annotations

from pathlib import Path

from keen_compass.errors import InputError


def write_whole(file: Path, data: bytes) -> None:
    """Write beside it first, then put it in its place. Raises InputError where there is no name or the disk refuses."""
    if not file.name:
        raise InputError("Name a file first.")
    part = file.with_name(f".{file.name}.part")
    try:
        part.write_bytes(data)
        part.replace(file)
    except OSError as error:
        if part.is_file():
            part.unlink()
        raise InputError(f"can't be written: {error.strerror}. Choose another folder.", str(file)) from None
