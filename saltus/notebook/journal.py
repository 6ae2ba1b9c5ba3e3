"""The journal: every edit is appended at once, so that a crash or a power cut loses next to nothing.

One file for each notebook in work, in this user's state folder. Its first line tells which notebook it
belongs to, its second holds the notebook as it was, each line after that one edit. A line starts with a
checksum; the first line that does not hold ends the story. The file is locked while its process lives: one
that can be locked by another process was left behind by a crash.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import threading
import time
import zlib
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any
from uuid import uuid4

from platformdirs import user_state_path

from saltus.notebook.changes import changes
from saltus.notebook.sentences import say
from saltus.notebook.storage import as_text

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.notebook.model import Notebook

ENDING = ".journal"
FORMAT, VERSION = "saltus-journal", 2
"""Version 2: what is being typed."""
LONGEST_TYPED = 100_000
SYNC_EVERY_S = 1.0
"""A power cut loses what was not yet forced to the disk: at most this long."""
PIECE = 1 << 16
MANY_READINGS = 10_000
"""Of a notebook with more, the first line is written before the first edit, in a thread."""
GROWN = 8 * 1024 * 1024
"""A journal with more than this many bytes of edits starts over from the present notebook."""


def journal_folder() -> Path:
    """Where the journals of this user lie."""
    return user_state_path("saltus") / "journals"


def line_of(value: Any) -> bytes:
    """Write a value as a line with its checksum."""
    return _checked(json.dumps(value, ensure_ascii=False, separators=(",", ":")))


def _checked(written: str) -> bytes:
    text = written.encode("utf-8", "replace")
    return b"%08x %s\n" % (zlib.crc32(text), text)


def _quoted(text: str) -> str:
    """A long text in JSON, a piece at a time: in one go other threads would wait for it."""
    pieces = (text[i : i + PIECE] for i in range(0, len(text), PIECE))
    return '"' + "".join(json.dumps(piece, ensure_ascii=False)[1:-1] for piece in pieces) + '"'


def value_of(line: bytes) -> Any:
    """Read a line back.

    Raises
    ------
    ValueError
        Where it is torn.
    """
    check, space, text = line.partition(b" ")
    if not space or not line.endswith(b"\n") or int(check, 16) != zlib.crc32(text[:-1]):
        raise ValueError("torn")
    return json.loads(text)


def _write(file: IO[bytes], line: bytes) -> None:
    """Write a line whole, past any buffer of ours."""
    done = 0
    while done < len(line):
        done += file.write(line[done:])


def _drop(file: IO[bytes], at: Path) -> None:
    """Let a journal go: its name first, so that nobody finds it unlocked."""
    with contextlib.suppress(OSError):
        at.unlink()
    with contextlib.suppress(OSError):
        file.close()


class Journal:
    """Writes down the edits of one notebook; to be used from one thread.

    Parameters
    ----------
    folder : Path, optional
        This user's by default.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder
        self._file: IO[bytes] | None = None
        self._at = Path()
        self._last: Notebook | None = None
        self._grown = 0
        self._torn = False
        self._waiting = False
        self._synced = 0.0
        self._ready: tuple[Notebook, IO[bytes], Path] | None = None
        self._readying: threading.Thread | None = None
        self.typed = False
        self.place: Path | None = None
        self.trouble: str | None = None

    def follow(self, notebook: Notebook, place: Path | None, *, unsaved: bool = False) -> None:
        """Begin with another notebook; the journal of the one before ends.

        Parameters
        ----------
        notebook : Notebook
        place : Path or None
            Where it is saved.
        unsaved : bool
            Whether it holds work that is in no file: then it is written down at once.
        """
        self.end()
        self._last, self.place, self.trouble = notebook, place, None
        if unsaved:
            self._try(lambda: self._begin(notebook, unsaved=True))

    def between(self) -> None:
        """Do what may be done while nobody waits: force to the disk, and get ready for the first edit."""
        self.sync()
        if self._file is None and self._readying is None and self._last is not None:
            takes = self._last.takes
            if sum(len(body.readings) for take in takes for body in take.bodies) >= MANY_READINGS:
                self._readying = threading.Thread(target=self._get_ready, args=(self._last,), name="journal")
                self._readying.start()

    def _get_ready(self, notebook: Notebook) -> None:
        """Write a large notebook down before the first edit, which then need not wait for it."""
        with contextlib.suppress(OSError):
            self._ready = (notebook, *self._written(notebook, unsaved=False))

    def _taken_ready(self) -> tuple[Notebook, IO[bytes], Path] | None:
        """What was got ready, which then is at hand no longer."""
        if self._readying is not None:
            self._readying.join()
            self._readying = None
        ready, self._ready = self._ready, None
        return ready

    def note(self, name: str, notebook: Notebook) -> None:
        """Write an edit down: its name and what it changed. Trouble is kept in ``trouble``, never raised."""
        before, self._last = self._last, notebook
        if before is None or before is notebook:
            return
        self._try(lambda: self._note(name, before, notebook))

    def _note(self, name: str, before: Notebook, notebook: Notebook) -> None:
        if self._file is None and not self._torn:
            self._begin(before)
        line = line_of({"name": name, "when": time.time(), "changes": changes(before, notebook)})
        if self._torn or self._grown + len(line) > GROWN:
            self._begin(notebook, unsaved=True)
            return
        self._append(line)

    def _append(self, line: bytes) -> None:
        assert self._file is not None
        # until the line is whole, what comes after it would be lost: then the journal starts over
        self._torn = True
        _write(self._file, line)
        self._torn = False
        self._grown += len(line)
        self._waiting = True
        self.sync()

    def typing(self, field: str, text: str) -> None:
        """Write down what stands in a field that is not left yet; an empty text: nothing does any more.

        Parameters
        ----------
        field : str
            What the field is called, for people.
        text : str
            Cut after 100,000 characters.
        """
        self.typed = bool(text)
        self._try(lambda: self._typing(field, text[:LONGEST_TYPED]))

    def _typing(self, field: str, text: str) -> None:
        if self._file is None or self._torn:
            if not text or self._last is None:
                return
            self._begin(self._last, unsaved=self._torn)
        line = line_of({"typed": {"field": field, "text": text}, "when": time.time()})
        if self._grown + len(line) > GROWN and self._last is not None:
            self._begin(self._last, unsaved=True)
        self._append(line)

    def leave(self) -> None:
        """Let the journal lie, whole and on the disk: it is offered at the next start."""
        ready = self._taken_ready()
        if ready is not None:
            _drop(*ready[1:])
        if self._file is not None:
            self.sync(now=True)
            with contextlib.suppress(OSError):
                self._file.close()
            self._file = None

    def sync(self, *, now: bool = False) -> None:
        """Force what was written to the disk, at most once a second unless it must be now."""
        due = now or time.monotonic() - self._synced > SYNC_EVERY_S
        if self._file is not None and self._waiting and due:
            self._synced = time.monotonic()
            self._waiting = False
            with contextlib.suppress(OSError):
                os.fsync(self._file.fileno())

    def end(self) -> None:
        """The work is in its file, or was given up: the journal goes."""
        ready = self._taken_ready()
        if ready is not None:
            _drop(*ready[1:])
        if self._file is not None:
            _drop(self._file, self._at)
            self._file = None
        self._torn = self.typed = False

    def _begin(self, notebook: Notebook, *, unsaved: bool = False) -> None:
        """Start a new file from a notebook; the one before goes when the new one is whole."""
        ready = self._taken_ready()
        if ready is not None and ready[0] is notebook and not unsaved:
            file, part = ready[1:]
        else:
            if ready is not None:
                _drop(*ready[1:])
            file, part = self._written(notebook, unsaved=unsaved)
        at = part.with_suffix(ENDING)
        try:
            part.rename(at)
        except OSError:
            _drop(file, part)
            raise
        if self._file is not None:
            _drop(self._file, self._at)
        self._file, self._at, self._grown, self._torn = file, at, 0, False

    def _written(self, notebook: Notebook, *, unsaved: bool) -> tuple[IO[bytes], Path]:
        """A new file with a notebook, whole and on the disk, under a name that says it is not in use yet."""
        folder = self._folder or journal_folder()
        folder.mkdir(parents=True, exist_ok=True)
        part = folder / f"{uuid4().hex}.part"
        file = part.open("wb", buffering=0)
        try:
            # locked under another name first: whoever sees it as a journal sees it whole, and as ours
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            head = {"format": FORMAT, "version": VERSION, "place": str(self.place) if self.place else None}
            _write(file, line_of(head))
            rest = json.dumps({"when": time.time(), "unsaved": unsaved})
            _write(file, _checked(f'{{"notebook":{_quoted(as_text(notebook))},{rest[1:]}'))
            os.fsync(file.fileno())
        except OSError:
            _drop(file, part)
            raise
        return file, part

    def _try(self, act: Callable[[], None]) -> None:
        try:
            act()
            self.trouble = None
        except OSError as error:
            self.trouble = say("journal.edits-cannot-kept-safe", why=error.strerror or error)
