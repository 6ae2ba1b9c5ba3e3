"""Work that a crash left behind: found by its journal, rebuilt edit by edit."""

from __future__ import annotations

import contextlib
import fcntl
import os
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from saltus.notebook.changes import made_again
from saltus.notebook.journal import ENDING, FORMAT, journal_folder, value_of
from saltus.notebook.storage import NotebookError, load, parse

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.notebook.model import Notebook

LARGEST = 400 * 1024 * 1024
MOST_SHOWN = 20
LAST_NAMES = 5


@dataclass
class Left:
    """Work left behind by a process that is gone; locked against others while it is held.

    Attributes
    ----------
    notebook : Notebook
        As it was after the last edit that was written down.
    place : Path or None
        Where it was saved last.
    edits : int
        How many edits are in no file.
    last : tuple of str
        Names of the last edits, newest last.
    when : float
        Time of the last edit, s since 1970.
    """

    notebook: Notebook
    place: Path | None
    edits: int
    last: tuple[str, ...]
    when: float
    journal: Path
    _file: IO[bytes] = field(repr=False)

    def forget(self) -> None:
        """The work is taken over, or not wanted: its journal goes."""
        with contextlib.suppress(OSError):
            self.journal.unlink()
        self._file.close()

    def release(self) -> None:
        """Keep it for another time."""
        self._file.close()


def left_behind(folder: Path | None = None) -> list[Left]:
    """Find work of processes that are gone, newest first; journals with nothing new are cleared away.

    Parameters
    ----------
    folder : Path, optional
        This user's journals by default.
    """
    found: list[Left] = []
    with contextlib.suppress(OSError):
        for path in sorted((folder or journal_folder()).iterdir()):
            if path.suffix == ".part":
                _clear_part(path)
            elif path.suffix == ENDING and len(found) < MOST_SHOWN:
                left = _read(path)
                if left is not None:
                    found.append(left)
    return sorted(found, key=lambda left: -left.when)


def _clear_part(path: Path) -> None:
    """A journal that never became whole: it holds nothing that is not elsewhere."""
    file = _locked(path)
    if file is not None:
        with file, contextlib.suppress(OSError):
            path.unlink()


def _locked(path: Path) -> IO[bytes] | None:
    """Open a file if its process is gone; None while it lives or where it cannot be opened."""
    try:
        file = path.open("rb")
    except OSError:
        return None
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        there = os.stat(path)  # noqa: PTH116  its process may have removed it between opening and locking
        if os.fstat(file.fileno()).st_ino == there.st_ino and there.st_size <= LARGEST:
            return file
    except OSError:
        pass
    file.close()
    return None


def _read(path: Path) -> Left | None:
    file = _locked(path)
    if file is None:
        return None
    left = _rebuilt(path, file)
    if left is None or left.edits == 0 or _is_saved(left):
        with contextlib.suppress(OSError):
            path.unlink()
        file.close()
        return None
    return left


def _values(file: IO[bytes]) -> Iterator[Any]:
    """Values of the lines up to the first one that is torn."""
    for line in file:
        try:
            yield value_of(line)
        except (ValueError, RecursionError):
            return


def _rebuilt(path: Path, file: IO[bytes]) -> Left | None:
    values = _values(file)
    head, base = next(values, None), next(values, None)
    if not isinstance(head, dict) or head.get("format") != FORMAT or not isinstance(base, dict):
        return None
    try:
        notebook = parse(str(base.get("notebook")), path.name)
    except NotebookError:
        return None
    place = head.get("place")
    names: list[str] = []
    when = float(base.get("when") or 0.0)
    # a notebook that was taken over from an earlier crash is unsaved work in itself
    count = 1 if base.get("unsaved") else 0
    for value in values:
        try:
            notebook = made_again(notebook, value["changes"])
            names.append(str(value["name"])[:100])
            when = float(value["when"])
        except (ValueError, KeyError, TypeError, OverflowError):
            break
        count += 1
    place_then = Path(place) if isinstance(place, str) else None
    return Left(notebook, place_then, count, tuple(names[-LAST_NAMES:]), when, path, file)


def _is_saved(left: Left) -> bool:
    """Whether the file holds all of it: the process died between saving and clearing away."""
    if left.place is None:
        return False
    try:
        return load(left.place) == left.notebook
    except NotebookError:
        return False
