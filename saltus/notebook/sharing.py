"""Two writers of one notebook: a lock while it is open, and a check of the file before it is replaced."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
from pathlib import Path
from typing import IO


def digest(path: Path) -> str | None:
    """SHA-256 of a file; None where it cannot be read."""
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return None


def lock_file(path: Path) -> Path:
    """Name of the lock beside a notebook."""
    return path.with_name(f".{path.name}.lock")


class NotebookLock:
    """Holds a notebook as ours while it is open."""

    def __init__(self) -> None:
        self._file: IO[bytes] | None = None
        self._at = Path()

    def take(self, path: Path) -> bool:
        """Take a notebook; the one held before is let go.

        Returns
        -------
        bool
            False when another Saltus has it open. Where no lock can be written (a read-only folder) nobody
            can save either, so there it counts as taken.
        """
        if self._file is not None and self._at == lock_file(path):
            return True
        self.release()
        at = lock_file(path)
        try:
            file = at.open("ab")
        except OSError:
            return True
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.close()
            return False
        except OSError:
            # a file system without locks
            file.close()
            return True
        self._file, self._at = file, at
        return True

    def release(self) -> None:
        """Let the notebook go."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._at.unlink()
            self._file.close()
            self._file = None
