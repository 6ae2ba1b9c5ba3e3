"""Reading files that come from others: only plain ones, no more than a bound, and not while they grow."""

from __future__ import annotations

import errno
import os
import stat
from typing import TYPE_CHECKING

from saltus.files.sentences import say

if TYPE_CHECKING:
    from io import BufferedReader
    from pathlib import Path

BLOCK = 1 << 20


class TooLargeError(OSError):
    """A file larger than it may be."""


def require_plain(path: Path, *, folder: bool = False) -> None:
    """See that a name stands for a plain file, itself or through links.

    Parameters
    ----------
    path : Path
    folder : bool
        Whether a folder will do too.

    Raises
    ------
    OSError
        If it is missing, or a pipe, a socket, a device; its ``strerror`` says so.
    """
    _plain(path.stat().st_mode, folder=folder)


def _plain(mode: int, *, folder: bool = False) -> None:
    if not (stat.S_ISREG(mode) or (folder and stat.S_ISDIR(mode))):
        raise OSError(errno.EINVAL, say("reading.no-plain-file"))


def open_plain(path: Path, *, follow: bool = True) -> BufferedReader:
    """Open a plain file for reading; a pipe or a device is never waited for.

    Parameters
    ----------
    path : Path
    follow : bool
        Whether a link is followed.

    Raises
    ------
    OSError
        See :func:`require_plain`.
    """
    # looked at before it is opened: opening some devices does something
    _plain((path.stat() if follow else path.lstat()).st_mode)
    flags = os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY | (0 if follow else os.O_NOFOLLOW)
    file = os.fdopen(os.open(path, flags), "rb")
    try:
        _plain(os.fstat(file.fileno()).st_mode)
    except OSError:
        file.close()
        raise
    return file


def read_plain(path: Path, most: int) -> bytes:
    """Read a plain file whole.

    Parameters
    ----------
    path : Path
    most : int
        Bytes it may have.

    Raises
    ------
    TooLargeError
        If it has more.
    OSError
        See :func:`require_plain`; or if it grows while it is read.
    """
    with open_plain(path) as file:
        stated = os.fstat(file.fileno()).st_size
        if stated > most:
            raise _too_large(most)
        data = bytearray()
        while block := file.read(BLOCK):
            data += block
            if len(data) > most:
                raise _too_large(most)
            if len(data) > stated:
                raise OSError(errno.EBUSY, say("reading.still-growing"))
    return bytes(data)


def _too_large(most: int) -> TooLargeError:
    return TooLargeError(errno.EFBIG, say("reading.too-large", mib=max(most >> 20, 1)))
