"""The first look at a film, in a process of its own with limits on time and memory.

Films come from strangers and decoders are large: whatever a film does to its decoder happens there, and is
told here in a sentence. ``python -m saltus.footage.helper`` reads one request as a line of JSON and answers
in lines: ``P done total``, ``B bytes``, ``R height width`` once a picture lies in the memory that is shared,
then ``F facts`` or ``E sentence``.
"""

from __future__ import annotations

import base64
import contextlib
import json
import mmap
import os
import resource
import selectors
import subprocess
import sys
import threading
import time
from dataclasses import fields
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from saltus.core.progress import LongWork, Partial, Progress, Steps, finished
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

Answer = TypeVar("Answer")
STALL_S = 30.0
"""A helper that says nothing for so long is stuck."""
MEMORY_BYTES = 6 * 1024**3
"""Address space of a helper; the libraries alone take about one and a half GiB of it."""
CPU_S = 4 * 3600
BETWEEN_REPORTS_S = 0.05
LONGEST_ANSWER, MOST_BYTES = 256 * 1024 * 1024, 512 * 1024 * 1024
SAMPLES_TOLD = 1 << 18
MOST_SHARED = 256 * 1024 * 1024
LONGEST_FIRST_S = 2.0
"""Who has all the facts waits no longer for the first picture."""


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
        # isolated: what lies in the working folder is never imported
        self._shared = os.memfd_create("first picture")
        os.ftruncate(self._shared, MOST_SHARED)
        command = [sys.executable, "-I", "-m", "saltus.footage.helper", str(memory_bytes), str(self._shared)]
        self._process = subprocess.Popen(  # noqa: S603  our own interpreter and module
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0,
            pass_fds=(self._shared,),
        )  # fmt: skip

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
            Give the first picture as soon as it is there, as a part: (height, width, 3) uint8 RGB.

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
            assert self._process.stdin is not None
            with contextlib.suppress(BrokenPipeError):
                self._process.stdin.write(json.dumps(request).encode() + b"\n")
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
        out = self._process.stdout
        assert out is not None
        waiting = b""
        with selectors.DefaultSelector() as selector:
            selector.register(out, selectors.EVENT_READ)
            while True:
                if not selector.select(self._stall_s):
                    raise FilmError(say("helper.keeps-decoder-busy-without", name=path.name))
                data = out.read(1 << 20)
                if not data:
                    return
                waiting += data
                if len(waiting) > LONGEST_ANSWER:
                    raise _fatal(path)
                *lines, waiting = waiting.split(b"\n")
                yield from lines

    def _first_picture(self, high: int, wide: int) -> Any:
        """What the helper put into the memory that is shared, (high, wide, 3); ValueError if it cannot be."""
        import numpy as np  # noqa: PLC0415  start-up of a helper

        if not 0 < 3 * high * wide <= MOST_SHARED or high < 0:
            raise ValueError("no picture")
        seen = mmap.mmap(self._shared, 3 * high * wide, prot=mmap.PROT_READ)
        return np.frombuffer(seen, dtype=np.uint8).reshape(high, wide, 3)

    def close(self) -> None:
        """End the process."""
        self._process.kill()
        if self._shared >= 0:
            os.close(self._shared)
            self._shared = -1
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                pipe.close()
        self._process.wait()


def _fatal(path: Path) -> FilmError:
    return FilmError(say("helper.broke-decoder-damaged-not", name=path.name))


_spare: list[Helper] = []


def warm() -> None:
    """Have a helper ready, so that the next film opens at once."""
    if not _spare:
        _spare.append(Helper())


def chill() -> None:
    """End the helper that is kept ready."""
    while _spare:
        _spare.pop().close()


@contextlib.contextmanager
def at_hand() -> Iterator[Helper]:
    """A helper for one request: the one kept ready, which is then made good, or a new one."""
    kept = bool(_spare)
    try:
        yield _spare.pop() if kept else Helper()
    finally:
        if kept:
            warm()


@LongWork
def facts_apart(
    path: Path, rate: float | None = None, *, quick: bool = False, sound_alone: bool = False,
    first: bool = False,
) -> Steps[FilmFacts]:  # fmt: skip
    """Read a film through in a helper process, see :meth:`Helper.facts`."""
    with at_hand() as helper:
        return (yield from helper.facts(path, rate, quick=quick, sound_alone=sound_alone, first=first))


def facts_json(facts: FilmFacts) -> dict[str, Any]:
    """Describe facts in JSON; :func:`saltus.footage.told_facts.facts_from` takes them back."""
    told = {f.name: getattr(facts, f.name) for f in fields(facts)}
    return told | {"time_base": [facts.time_base.numerator, facts.time_base.denominator]}


def _limit(memory_bytes: int) -> None:
    """Bound what a film can make its decoder do: memory, processor time; and it can write no file."""
    for what, most in (
        (resource.RLIMIT_AS, memory_bytes),
        (resource.RLIMIT_CPU, CPU_S),
        (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_CORE, 0),
    ):
        hard = resource.getrlimit(what)[1]
        bound = most if hard == resource.RLIM_INFINITY else min(most, hard)
        resource.setrlimit(what, (bound, bound))


_answering = threading.Lock()


def _answer(out: int, kind: str, text: str) -> None:
    data = f"{kind} {text}\n".encode()
    with _answering:
        while data:
            data = data[os.write(out, data) :]


def _show_first(out: int, path: Path, shared: int) -> None:
    """Show the first picture of a film; whoever reads it through says what is wrong with it."""
    import numpy as np  # noqa: PLC0415  start-up of a helper

    from saltus.footage.first_picture import first_picture  # noqa: PLC0415  loads the decoder

    with contextlib.suppress(MemoryError):
        picture = first_picture(path)
        if picture is not None and picture.nbytes <= MOST_SHARED:
            room = mmap.mmap(shared, picture.nbytes)
            np.copyto(np.frombuffer(room, dtype=np.uint8).reshape(picture.shape), picture)
            _answer(out, "R", f"{picture.shape[0]} {picture.shape[1]}")


def _facts(path: Path, request: dict[str, Any]) -> Steps[FilmFacts]:
    from saltus.footage.index import index  # noqa: PLC0415  loads the decoder
    from saltus.footage.reading_through import facts_here  # noqa: PLC0415  loads the decoder
    from saltus.footage.stills import is_picture  # noqa: PLC0415  loads the decoder

    if is_picture(path):
        return (yield from facts_here.steps(path, request["rate"]))
    if request["sound_alone"] and path.is_file():
        from saltus.footage.sound import is_sound_alone, sound_facts  # noqa: PLC0415  loads the decoder

        if is_sound_alone(path):
            return (yield from sound_facts.steps(path))
    found = index(path) if request["quick"] and path.is_file() else None
    return found or (yield from facts_here.steps(path, request["rate"]))


def _sound(out: int, path: Path, request: dict[str, Any]) -> Steps[dict[str, Any]]:
    """Tell the samples in blocks, and what else is known of them."""
    from saltus.footage.sound import sound_here  # noqa: PLC0415  loads the decoder

    track = yield from sound_here.steps(path, request["first_frame_s"])
    for at in range(0, len(track.samples), SAMPLES_TOLD):
        _answer(out, "B", base64.b64encode(track.samples[at : at + SAMPLES_TOLD].tobytes()).decode())
    return {"rate": track.rate, "start_s": track.start_s, "exact": track.exact, "warnings": track.warnings}


def main() -> None:
    """Serve one request."""
    from saltus.footage import first_picture, index, reading_through  # noqa: F401, PLC0415  loaded while waiting

    out = os.dup(1)
    # whatever a library prints must not look like an answer
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    _limit(int(sys.argv[1]))
    line = sys.stdin.readline()
    if not line:
        return
    request = json.loads(line)
    last, first = 0.0, None

    def report(done: int, total: int) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last > BETWEEN_REPORTS_S or done == total:
            last = now
            _answer(out, "P", f"{done} {total}")

    try:
        path = Path(request["path"])
        if request.get("sound"):
            told = finished(_sound(out, path, request), report)
        else:
            if request["first"] and path.is_file():
                # beside the times: whichever is there first is told first
                first = threading.Thread(target=_show_first, args=(out, path, int(sys.argv[2])))
                first.start()
            told = facts_json(finished(_facts(path, request), report))
            if first is not None:
                first.join(LONGEST_FIRST_S)
    except FilmError as error:
        _answer(out, "E", json.dumps(str(error)))
    except MemoryError:
        _answer(out, "E", json.dumps(say("helper.needs-more-memory-film", name=Path(request["path"]).name)))
    else:
        _answer(out, "F", json.dumps(told))
    # some decoders crash when they are taken down
    os._exit(0)


if __name__ == "__main__":
    main()
