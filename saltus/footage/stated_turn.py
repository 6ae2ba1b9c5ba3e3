"""The turn for display that an MP4 or QuickTime file states, read without decoding a frame of it.

ISO/IEC 14496-12:2022, 8.2.2 and 8.3.2: the matrices of the movie header and of a track's header.
"""

from __future__ import annotations

import struct
from typing import TYPE_CHECKING, BinaryIO

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

MOST_BOXES, MOST_HEADER = 4096, 64 * 1024 * 1024
"""Files are not trusted: so many boxes are looked at, and a header of so many bytes is read at the most."""
MATRIX = 36
UNIT = 0x10000
NOT_TURNED = (UNIT, 0, 0, UNIT)
TURNS = {NOT_TURNED: 0, (0, UNIT, -UNIT, 0): 90, (-UNIT, 0, 0, -UNIT): 180, (0, -UNIT, UNIT, 0): 270}


def stated_turn(path: Path) -> int | None:
    """Give the clockwise turn for display of the first track of pictures, degrees.

    Parameters
    ----------
    path : Path

    Returns
    -------
    int or None
        0, 90, 180 or 270; None where the file does not say it plainly, or cannot be read.
    """
    try:
        with path.open("rb") as file:
            header = _movie_header(file)
    except OSError:
        return None
    if header is None:
        return None
    inside = dict(reversed(list(_boxes(header))))
    if _turn(inside.get(b"mvhd", b""), after=36) != 0:
        return None
    for kind, track in _boxes(header):
        parts = dict(_boxes(track)) if kind == b"trak" else {}
        if dict(_boxes(parts.get(b"mdia", b""))).get(b"hdlr", b"")[8:12] == b"vide":
            return _turn(parts.get(b"tkhd", b""), after=40)
    return None


def _movie_header(file: BinaryIO) -> bytes | None:
    """The box of the movie's header."""
    at = 0
    for _box in range(MOST_BOXES):
        file.seek(at)
        start = file.read(16)
        if len(start) < 8:
            return None
        size, kind, begins = *struct.unpack(">I4s", start[:8]), 8
        if size == 1 and len(start) == 16:
            size, begins = struct.unpack(">Q", start[8:])[0], 16
        if size < begins or size > 2**60:
            return None
        if kind == b"moov":
            file.seek(at + begins)
            return file.read(size - begins) if size <= MOST_HEADER else None
        at += size
    return None


def _boxes(data: bytes) -> Iterator[tuple[bytes, bytes]]:
    """Kind and content of the boxes in one; what is not whole is left out."""
    at = 0
    for _box in range(MOST_BOXES):
        if at + 8 > len(data):
            return
        size, kind = struct.unpack(">I4s", data[at : at + 8])
        if size < 8 or at + size > len(data):
            return
        yield kind, data[at + 8 : at + size]
        at += size


def _turn(header: bytes, after: int) -> int | None:
    """The turn of the matrix in a header, whose times take 12 bytes more in its version 1."""
    start = after + (12 if header[:1] == b"\x01" else 0)
    if len(header) < start + MATRIX:
        return None
    a, b, _u, c, d, _v, _x, _y, _w = struct.unpack(">9i", header[start : start + MATRIX])
    return TURNS.get((a, b, c, d))
