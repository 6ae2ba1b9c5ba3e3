"""Work that a crash left behind: found by its journal, rebuilt edit by edit."""

from __future__ import annotations

import contextlib
import fcntl
import os
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

from saltus.files.reading import open_plain
from saltus.notebook.changes import made_again
from saltus.notebook.journal import ENDING, FORMAT, VERSION, journal_folder, value_of
from saltus.notebook.storage import NotebookError, load, parse

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.notebook.model import Notebook

LARGEST = 400 * 1024 * 1024
MOST_SHOWN = 20
LAST_NAMES = 5
KEPT = ".kept"


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
    typed : tuple of (str, str) or None
        Field and text of what was being typed.
    partly : bool
        Whether it holds more that this version does not understand; then its journal is kept for good.
    """

    notebook: Notebook
    place: Path | None
    edits: int
    last: tuple[str, ...]
    when: float
    journal: Path
    _file: IO[bytes] = field(repr=False)
    typed: tuple[str, str] | None = None
    partly: bool = False

    def forget(self) -> None:
        """The work is taken over, or not wanted: its journal goes, or is put aside where it holds more."""
        with contextlib.suppress(OSError):
            if self.partly:
                self.journal.rename(self.journal.with_suffix(KEPT))
            else:
                self.journal.unlink()
        self._file.close()

    def release(self) -> None:
        """Keep it for another time."""
        self._file.close()


@dataclass
class Found:
    """What lies among the journals.

    Attributes
    ----------
    left : list of Left
        Newest first.
    kept : list of str
        Names of journals that this version does not understand; they are left as they are.
    """

    left: list[Left]
    kept: list[str]


def left_behind(folder: Path | None = None) -> list[Left]:
    """Find work of processes that are gone, see :func:`journals_found`."""
    return journals_found(folder).left


def journals_found(folder: Path | None = None) -> Found:
    """Find work of processes that are gone; journals with nothing new are cleared away.

    Parameters
    ----------
    folder : Path, optional
        This user's journals by default.
    """
    found = Found([], [])
    with contextlib.suppress(OSError):
        for path in sorted((folder or journal_folder()).iterdir()):
            if path.suffix == ".part":
                _clear_part(path)
            elif path.suffix == ENDING and len(found.left) < MOST_SHOWN:
                _look_into(path, found)
    found.left.sort(key=lambda left: -left.when)
    return found


def _look_into(path: Path, found: Found) -> None:
    file = _locked(path)
    if file is None:
        return
    try:
        left = _rebuilt(path, file)
    except Exception:  # noqa: BLE001  whatever a journal holds, it must not stop the start
        found.kept.append(path.name)
        file.close()
        return
    nothing = left is None or (left.edits == 0 and not left.typed)
    if left is not None and left.partly and nothing:
        found.kept.append(path.name)
        file.close()
    elif left is None or nothing or (_is_saved(left) and not left.typed and not left.partly):
        with contextlib.suppress(OSError):
            path.unlink()
        file.close()
    else:
        found.left.append(left)


def _clear_part(path: Path) -> None:
    """A journal that never became whole: it holds nothing that is not elsewhere."""
    file = _locked(path)
    if file is not None:
        with file, contextlib.suppress(OSError):
            path.unlink()


def _locked(path: Path) -> IO[bytes] | None:
    """Open a file if its process is gone; None while it lives or where it cannot be opened."""
    try:
        file = open_plain(path, follow=False)
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


def _values(file: IO[bytes]) -> Iterator[Any]:
    """Values of the lines up to the first one that is torn."""
    for line in file:
        try:
            yield value_of(line)
        except (ValueError, RecursionError):
            return


def _rebuilt(path: Path, file: IO[bytes]) -> Left | None:
    """The work in a journal; None where no line of it, or only the first, is whole.

    Raises
    ------
    ValueError
        If it is not understood: made by a newer version, or something else.
    """
    values = _values(file)
    head, base = next(values, None), next(values, None)
    if head is None:
        return None
    if head["format"] != FORMAT or int(head["version"]) > VERSION:
        raise ValueError("not ours, or newer")
    if base is None:
        return None
    notebook = parse(str(base["notebook"]), path.name)
    place = head.get("place")
    place_then = Path(place) if isinstance(place, str) else None
    # a notebook that was taken over from an earlier crash is unsaved work in itself
    count = 1 if base.get("unsaved") else 0
    left = Left(notebook, place_then, count, (), float(base.get("when") or 0.0), path, file)
    for value in values:
        try:
            _taken_in(left, value)
        except (ValueError, KeyError, TypeError, OverflowError):
            left.partly = True
            break
    return left


def _taken_in(left: Left, value: dict[str, Any]) -> None:
    """Take in an entry: an edit, or what was being typed."""
    when = float(value["when"])
    if "typed" in value:
        field_name, text = str(value["typed"]["field"])[:100], str(value["typed"]["text"])
        left.typed = (field_name, text) if text else None
    else:
        left.notebook = made_again(left.notebook, value["changes"])
        left.last = (*left.last, str(value["name"])[:100])[-LAST_NAMES:]
        left.edits += 1
    left.when = when


def _is_saved(left: Left) -> bool:
    """Whether the file holds all of it: the process died between saving and clearing away."""
    if left.place is None:
        return False
    try:
        return load(left.place) == left.notebook
    except NotebookError:
        return False
