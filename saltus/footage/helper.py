"""The first look at a film, in a process of its own with limits on time and memory.

Films come from strangers and decoders are large: whatever a film does to its decoder happens there, and is
told here in a sentence. Each helper is split from one process that has loaded the decoder and never opens a
film itself (:mod:`saltus.footage.helper_process`), so that it is there at once.
"""

from __future__ import annotations

import atexit
import base64
import contextlib
import json
import mmap
import os
import select
import selectors
import signal
import socket
import subprocess
import sys
import threading
from dataclasses import fields
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from saltus.core.progress import LongWork, Partial, Progress, Steps
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    import numpy as np
    from numpy.typing import NDArray

Answer = TypeVar("Answer")
STALL_S = 30.0
"""A helper that says nothing for so long is stuck."""
MEMORY_BYTES = 6 * 1024**3
"""Address space of a helper; the libraries alone take about one and a half GiB of it."""
LONGEST_ANSWER, MOST_BYTES = 256 * 1024 * 1024, 512 * 1024 * 1024
ROOMS = (0, 4 * 1024**2), (4 * 1024**2, 252 * 1024**2)
"""Where the first picture lies in the memory that is shared, made small and whole: first byte, how many."""
LARGE_PAGES = ":".join(
    f"glibc.malloc.{name}={value}"
    for name, value in (
        ("hugetlb", 1), ("arena_max", 1), ("mmap_threshold", 1 << 30), ("trim_threshold", 1 << 32),
        ("top_pad", 1 << 24),
    )
)  # fmt: skip
"""One heap of large pages, where the system has them: a 4K film touches 40,000 of the usual ones, and getting
each of them takes as long as decoding. What is not touched costs no memory."""


class FirstPicture(NamedTuple):
    """The first picture of a film: (height, width, 3) uint8 RGB, and whether it is whole or made small."""

    pixels: NDArray[np.uint8]
    whole: bool


class Helper:
    """A helper process, ready for one film.

    Parameters
    ----------
    memory_bytes : int
        Limit on its address space.
    stall_s : float
        How long it may say nothing.
    """

    def __init__(self, memory_bytes: int = MEMORY_BYTES, stall_s: float = STALL_S) -> None:
        self._stall_s = stall_s
        self._shared = os.memfd_create("first picture")
        os.ftruncate(self._shared, sum(ROOMS[-1]))
        request, self._request = os.pipe()
        self._answers, answers = os.pipe()
        try:
            self._pidfd = _origin.split(memory_bytes, [request, answers, self._shared])
        finally:
            os.close(request)
            os.close(answers)

    def facts(
        self, path: Path, rate: float | None, *, quick: bool = False, sound_alone: bool = False,
        first: bool = False,
    ) -> Steps[FilmFacts]:  # fmt: skip
        """Read a film or folder of pictures through; the helper is ended when the steps are closed.

        Parameters
        ----------
        path : Path
        rate : float or None
            Pictures per second, for a folder.
        quick : bool
            Take the times from the packets where they can be trusted, and leave the check for later.
        sound_alone : bool
            Take a recording without pictures too.
        first : bool
            Give the first picture as soon as it is there, as a part: a :class:`FirstPicture` made small, and
            the whole one.

        Raises
        ------
        FilmError
            If it cannot be used, or the helper died or got stuck over it.
        """
        from saltus.footage.told_facts import facts_from  # noqa: PLC0415  start-up of a helper

        asked = {"path": str(path.resolve()), "rate": rate, "quick": quick, "sound_alone": sound_alone,
                 "first": first}  # fmt: skip
        return (yield from self.asked(path, asked, lambda told, _parts: facts_from(told)))

    def asked(
        self, path: Path, request: dict[str, Any], made: Callable[[Any, list[bytes]], Answer]
    ) -> Steps[Answer]:
        """Put a request; the helper is ended when the steps are closed.

        Parameters
        ----------
        path : Path
            What it is about, for messages.
        request : dict
        made : callable
            Makes the answer of what was told in JSON and of the blocks of bytes before it; a ValueError or
            TypeError of it means that the helper cannot be believed.

        Raises
        ------
        FilmError
            If it cannot be answered, or the helper died or got stuck over it.
        """
        parts: list[bytes] = []
        try:
            with contextlib.suppress(BrokenPipeError):
                os.write(self._request, json.dumps(request).encode() + b"\n")
            for line in self._lines(path):
                kind, _space, rest = line.partition(b" ")
                if kind == b"P":
                    done, total = map(int, rest.split())
                    yield Progress(done, total)
                elif kind == b"R":
                    yield Partial(self._first_picture(*map(int, rest.split())))
                elif kind == b"E":
                    raise FilmError(str(json.loads(rest))[:1000])
                elif kind == b"B":
                    parts.append(base64.b64decode(rest, validate=True))
                    if sum(map(len, parts)) > MOST_BYTES:
                        raise _fatal(path)
                elif kind == b"F":
                    return made(json.loads(rest), parts)
            raise _fatal(path)
        except (ValueError, TypeError) as error:
            if isinstance(error, FilmError):
                raise
            raise _fatal(path) from error
        finally:
            self.close()

    def _lines(self, path: Path) -> Iterator[bytes]:
        waiting = b""
        with selectors.DefaultSelector() as selector:
            selector.register(self._answers, selectors.EVENT_READ)
            while True:
                if not selector.select(self._stall_s):
                    raise FilmError(say("helper.keeps-decoder-busy-without", name=path.name))
                data = os.read(self._answers, 1 << 20)
                if not data:
                    return
                waiting += data
                if len(waiting) > LONGEST_ANSWER:
                    raise _fatal(path)
                *lines, waiting = waiting.split(b"\n")
                yield from lines

    def _first_picture(self, whole: int, high: int, wide: int) -> FirstPicture:
        """What the helper put into the memory that is shared; ValueError if it cannot be."""
        import numpy as np  # noqa: PLC0415  start-up of a helper

        start, room = ROOMS[whole > 0]
        if not 0 < 3 * high * wide <= room or high < 0:
            raise ValueError("no picture")
        seen = mmap.mmap(self._shared, 3 * high * wide, prot=mmap.PROT_READ, offset=start)
        return FirstPicture(np.frombuffer(seen, dtype=np.uint8).reshape(high, wide, 3), whole > 0)

    def kill(self) -> None:
        """End the process, and see it gone."""
        with contextlib.suppress(ProcessLookupError):
            signal.pidfd_send_signal(self._pidfd, signal.SIGKILL)
        select.select([self._pidfd], [], [])

    def close(self) -> None:
        """End the process."""
        if self._pidfd < 0:
            return
        self.kill()
        for end in (self._pidfd, self._shared, self._request, self._answers):
            os.close(end)
        self._pidfd = -1


class _Origin:
    """The process all helpers are split from, begun when the first is wanted and made good if it is gone."""

    def __init__(self) -> None:
        self._running: tuple[subprocess.Popen[bytes], socket.socket] | None = None
        self._change, self._turn = threading.Lock(), threading.Lock()

    def begin(self) -> socket.socket:
        """Begin it, unless it runs; gives the link to it, and does not wait until it is ready."""
        with self._change:
            if self._running is None:
                link, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
                # isolated: what lies in the working folder is never imported
                command = [sys.executable, "-I", "-m", "saltus.footage.helper_process", str(theirs.fileno())]
                with theirs:
                    process = subprocess.Popen(  # noqa: S603  our own interpreter and module
                        command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
                        stderr=subprocess.DEVNULL, pass_fds=(theirs.fileno(),),
                        env={**os.environ, "GLIBC_TUNABLES": LARGE_PAGES},
                    )  # fmt: skip
                self._running = process, link
            return self._running[1]

    def split(self, memory_bytes: int, ends: list[int]) -> int:
        """Split off a helper, with a pipe to read from, one to write to, and memory; gives its pidfd.

        Raises
        ------
        OSError
            If there can be none.
        """
        with self._turn:
            for _attempt in range(2):
                link = self.begin()
                with contextlib.suppress(ConnectionError):
                    socket.send_fds(link, [str(memory_bytes).encode()], ends)
                    processes = socket.recv_fds(link, 16, 1)[1]
                    if processes:
                        return processes[0]
                self.end()
        raise OSError("no process can be split from the one that opens films")

    def end(self) -> None:
        """End it; helpers that are at work go on."""
        with self._change:
            if self._running is not None:
                process, link = self._running
                process.kill()
                process.wait()
                link.close()
                self._running = None


_origin = _Origin()
atexit.register(_origin.end)


def _fatal(path: Path) -> FilmError:
    return FilmError(say("helper.broke-decoder-damaged-not", name=path.name))


def warm() -> None:
    """Have what helpers are split from ready, so that the next film opens at once."""
    _origin.begin()


def chill() -> None:
    """End what helpers are split from."""
    _origin.end()


@LongWork
def facts_apart(
    path: Path, rate: float | None = None, *, quick: bool = False, sound_alone: bool = False,
    first: bool = False,
) -> Steps[FilmFacts]:  # fmt: skip
    """Read a film through in a helper process, see :meth:`Helper.facts`."""
    return (yield from Helper().facts(path, rate, quick=quick, sound_alone=sound_alone, first=first))


def facts_json(facts: FilmFacts) -> dict[str, Any]:
    """Describe facts in JSON; :func:`saltus.footage.told_facts.facts_from` takes them back."""
    told = {f.name: getattr(facts, f.name) for f in fields(facts)}
    return told | {"time_base": [facts.time_base.numerator, facts.time_base.denominator]}
