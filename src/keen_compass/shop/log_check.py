"""The write-ahead log of a shop that was not closed: whether all that was acknowledged can still be read from it.

SQLite stops reading a log at the first frame whose checksum is wrong and says nothing of what follows, because a
write that was cut off looks just like that. A cut-off write can only be the last one. Where more commits of the same
log follow a wrong frame, something was lost in the middle, and that must be said.

Layout: https://www.sqlite.org/fileformat2.html, section 4.
"""

from __future__ import annotations

import struct
from pathlib import Path

_HEADER, _FRAME = 32, 24  # bytes
_ORDER = {0x377F0682: "<", 0x377F0683: ">"}  # magic number → byte order of the checksums' words
_SMALLEST_PAGE, _LARGEST_PAGE = 512, 65536
_FLIPPED = 2  # bits in which a frame's salt may differ and still be this log's; another log's differs in half of 64


def commits_unreadable(log: Path) -> int:
    """How many whole commits a log holds that can't be read any more; 0 where it is sound, empty or not there.

    A single one may also have been cut off by a power failure, before it was acknowledged.
    """
    try:
        data = log.read_bytes()
    except OSError:
        return 0
    if len(data) < _HEADER + _FRAME + _SMALLEST_PAGE:
        return 0
    magic, _, page, _, salt_1, salt_2, *said = struct.unpack(">8I", data[:_HEADER])
    salts = salt_1 << 32 | salt_2
    sums = _checksum(data[:24], (0, 0), _ORDER.get(magic, "<"))
    if magic not in _ORDER or sums != tuple(said):
        return 2  # nothing behind a damaged header can be read
    if not _SMALLEST_PAGE <= page <= _LARGEST_PAGE:
        return 0
    at, unreadable, broken = _HEADER, 0, False
    while at + _FRAME + page <= len(data):
        _, pages, own_1, own_2, *said = struct.unpack(">6I", data[at : at + _FRAME])
        ours = ((own_1 << 32 | own_2) ^ salts).bit_count() <= _FLIPPED
        if not broken:
            sums = _checksum(data[at : at + 8], sums, _ORDER[magic])
            sums = _checksum(data[at + _FRAME : at + _FRAME + page], sums, _ORDER[magic])
            broken = sums != tuple(said) or (own_1 << 32 | own_2) != salts
        unreadable += broken and ours and pages > 0
        at += _FRAME + page
    return unreadable


def _checksum(data: bytes, sums: tuple[int, int], order: str) -> tuple[int, int]:
    s0, s1 = sums
    words = struct.unpack(f"{order}{len(data) // 4}I", data)
    for a, b in zip(words[::2], words[1::2], strict=True):
        s0 = (s0 + a + s1) & 0xFFFFFFFF
        s1 = (s1 + b + s0) & 0xFFFFFFFF
    return s0, s1
