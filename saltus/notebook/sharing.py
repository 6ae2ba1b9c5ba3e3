"""Two writers of one notebook: a lock while it is open, and a check of the file before it is replaced."""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import stat
from pathlib import Path

from platformdirs import user_state_path

from saltus.files.reading import open_plain


def digest(path: Path) -> str | None:
    """SHA-256 of a file; None where it cannot be read."""
    try:
        with open_plain(path) as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return None


def real_file(path: Path) -> Path:
    """The file itself, where its name is a link."""
    return Path(os.path.realpath(path))


def lock_file(path: Path) -> Path:
    """Name of the lock beside a notebook."""
    there = real_file(path)
    return there.with_name(f".{there.name}.lock")


def own_lock_file(path: Path) -> Path:
    """Name of the lock in this user's state folder: of the file, whatever its names."""
    try:
        there = path.stat()
        key = f"{there.st_dev:x}-{there.st_ino:x}"
    except OSError:
        key = hashlib.sha256(os.fsencode(real_file(path))).hexdigest()
    return own_lock_folder() / f"{key}.lock"


def own_lock_folder() -> Path:
    """Where this user's locks lie."""
    return user_state_path("saltus") / "locks"


class NotebookLock:
    """Holds a notebook as ours while it is open: beside it for all, in the state folder whatever its name."""

    def __init__(self) -> None:
        self._held: dict[Path, int] = {}

    def take(self, path: Path) -> bool:
        """Take a notebook; the one held before is let go.

        Returns
        -------
        bool
            False when another Saltus has it open; nothing is held then. Where no lock can be written (a
            read-only folder) nobody can save either, so there it counts as taken.
        """
        wanted = (lock_file(path), own_lock_file(path))
        for at in [at for at in self._held if at not in wanted]:
            self._let_go(at)
        for at in wanted:
            if at not in self._held and not self._taken(at):
                self.release()
                return False
        return True

    def _taken(self, at: Path) -> bool:
        try:
            if at.parent == own_lock_folder():
                at.parent.mkdir(parents=True, exist_ok=True)
            flags = os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY
            handle = os.open(at, flags, 0o666)
        except OSError:
            return True
        try:
            if stat.S_ISREG(os.fstat(handle).st_mode):
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                self._held[at] = handle
                return True
        except BlockingIOError:
            os.close(handle)
            return False
        except OSError:
            # a file system without locks
            pass
        os.close(handle)
        return True

    def _let_go(self, at: Path) -> None:
        handle = self._held.pop(at)
        with contextlib.suppress(OSError):
            at.unlink()
        os.close(handle)

    def release(self) -> None:
        """Let the notebook go."""
        for at in list(self._held):
            self._let_go(at)
