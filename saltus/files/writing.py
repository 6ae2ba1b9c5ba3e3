"""Writing files: beside under a fresh name, checked, then put in place; no link followed, no input harmed."""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from pathlib import Path
from typing import TYPE_CHECKING

from saltus.files.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

PART = ".part"
LONGEST_NAME = 200
"""Bytes of a name that a part may carry; what is longer is cut."""


class OutputError(ValueError):
    """A place nothing may be written to, in one sentence for people."""


@contextlib.contextmanager
def whole(path: Path) -> Iterator[Path]:
    """Give a place beside a file to write to; when that is done it takes the file's name, else it goes.

    Parameters
    ----------
    path : Path
        A link there is replaced, not followed.

    Raises
    ------
    OSError
        If it cannot be written, forced to the disk or put in place; what was there stays as it was.
    OutputError
        If what is there is no file.
    """
    _require_writable(path)
    part = part_beside(path)
    try:
        _made(part, path)
        yield part
        _flushed(part)
        part.replace(path)
    finally:
        with contextlib.suppress(OSError):
            part.unlink()


def part_beside(path: Path) -> Path:
    """A fresh name in the same folder, with the same ending."""
    stem = os.fsdecode(os.fsencode(path.name)[:LONGEST_NAME])
    return path.with_name(f".{stem}.{os.urandom(6).hex()}{PART}{path.suffix[:20]}")


def write_whole(path: Path, data: bytes | str) -> None:
    """Write a file, see :func:`whole`."""
    with whole(path) as part:
        part.write_bytes(data.encode() if isinstance(data, str) else data)


def _require_writable(path: Path) -> None:
    with contextlib.suppress(FileNotFoundError):
        mode = path.lstat().st_mode
        if not (stat.S_ISREG(mode) or stat.S_ISLNK(mode)):
            raise OutputError(say("writing.no-plain-file", name=path.name))
        # it could be replaced all the same, but whoever took away the right to write it meant something by it
        if stat.S_ISREG(mode) and not os.access(path, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(path))


def _made(part: Path, like: Path) -> None:
    """An empty file of ours alone, with the rights of the one it will replace."""
    handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    try:
        with contextlib.suppress(FileNotFoundError):
            there = like.lstat().st_mode
            if stat.S_ISREG(there):
                os.fchmod(handle, stat.S_IMODE(there))
    finally:
        os.close(handle)


def _flushed(part: Path) -> None:
    handle = os.open(part, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        # a full disk may be told only now
        os.fsync(handle)
    finally:
        os.close(handle)


def keep_inputs(output: Path, inputs: Iterable[Path | None]) -> None:
    """See that what will be written is none of what is read, whatever the names.

    Parameters
    ----------
    output : Path
    inputs : iterable of Path or None
        Files and folders; what lies in a folder counts too.

    Raises
    ------
    OutputError
        If it is.
    """
    _require_writable(output)
    place = Path(os.path.realpath(output))
    for given in inputs:
        if given is None:
            continue
        with contextlib.suppress(OSError):
            there = Path(os.path.realpath(given))
            if place == there or (output.exists() and any(output.samefile(f) for f in _files(there))):
                raise OutputError(say("writing.is-an-input", name=output.name))


def _files(place: Path) -> Iterator[Path]:
    if place.is_dir():
        yield from place.iterdir()
    else:
        yield place
