"""The process that looks at films: it loads the decoder once, and splits off a helper for each film.

``python -m saltus.footage.helper_process LINK`` waits at a socket for three descriptors (a pipe to read from,
one to write to, memory) and gives the pidfd of the helper that has them. That reads one request as a line of
JSON and answers in lines: ``P done total``, ``B bytes``, ``R whole height width`` once a picture lies in the
memory that is shared, small (0) or whole (1), then ``F facts`` or ``E sentence``.
"""

from __future__ import annotations

import base64
import contextlib
import gc
import json
import mmap
import os
import resource
import select
import signal
import socket
import sys
import threading
import time
from pathlib import Path
from typing import Any

from saltus.core.progress import Steps, finished
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.helper import ROOMS, facts_json
from saltus.footage.sentences import say

CPU_S = 4 * 3600
BETWEEN_REPORTS_S = 0.05
SAMPLES_TOLD = 1 << 18
IDLE_S = 0.3
"""A helper that had nothing to do for so long rehearses."""
LONGEST_ALONE_S, LONGEST_FIRST_S = 0.25, 2.0
"""So long the first picture has both cores to itself; who has all the facts waits no longer for it."""


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


def _show_first(out: int, path: Path, shared: int, shown: threading.Event) -> None:
    """Show the first picture of a film; whoever reads it through says what is wrong with it."""
    import numpy as np  # noqa: PLC0415  start-up of a helper

    from saltus.footage.first_picture import first_pictures  # noqa: PLC0415  loads the decoder

    try:
        for whole, picture in first_pictures(path):
            start, room = ROOMS[whole]
            if picture.nbytes <= room:
                # all its pages at once, not one by one as they are written
                how = mmap.MAP_SHARED | mmap.MAP_POPULATE
                seen = mmap.mmap(shared, picture.nbytes, how, offset=start)
                np.copyto(np.frombuffer(seen, dtype=np.uint8).reshape(picture.shape), picture)
                _answer(out, "R", f"{whole:d} {picture.shape[0]} {picture.shape[1]}")
                shown.set()
    except MemoryError:
        pass
    finally:
        shown.set()


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


def serve(request: int, out: int, shared: int, memory_bytes: int) -> None:
    """Serve one request, of the pipe it comes by, and end.

    Parameters
    ----------
    request, out : int
        Descriptors of the pipes.
    shared : int
        Of the memory for a first picture.
    memory_bytes : int
        Limit on the address space.
    """
    _limit(memory_bytes)
    with os.fdopen(request) as lines:
        line = lines.readline()
    if line:
        _answer_to(json.loads(line), out, shared)


def _answer_to(request: dict[str, Any], out: int, shared: int) -> None:
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
                # made small before the times are read, whole beside them
                shown = threading.Event()
                first = threading.Thread(target=_show_first, args=(out, path, shared, shown))
                first.start()
                shown.wait(LONGEST_ALONE_S)
            told = facts_json(finished(_facts(path, request), report))
            if first is not None:
                first.join(LONGEST_FIRST_S)
    except FilmError as error:
        _answer(out, "E", json.dumps(str(error)))
    except MemoryError:
        _answer(out, "E", json.dumps(say("helper.needs-more-memory-film", name=Path(request["path"]).name)))
    else:
        _answer(out, "F", json.dumps(told))


def _rehearse(sample: Path) -> None:
    """Go through what a film needs, so that what it uses of the decoder is in memory when one comes."""
    from saltus.footage.first_picture import first_pictures  # noqa: PLC0415  loads the decoder
    from saltus.footage.index import index  # noqa: PLC0415  loads the decoder

    with contextlib.suppress(FilmError):
        index(sample)
        for _picture in first_pictures(sample):
            pass


def _write_sample(path: Path) -> None:
    """Write a film of a few grey pictures, as most cameras do; none is written where there is no encoder."""
    import av  # noqa: PLC0415  start-up of a helper
    import numpy as np  # noqa: PLC0415  start-up of a helper

    grey = av.VideoFrame.from_ndarray(np.full((64, 704, 3), 99, dtype=np.uint8), format="rgb24")
    with contextlib.suppress(av.error.FFmpegError, ValueError), av.open(str(path), "w", format="mp4") as film:
        stream = film.add_stream("h264", rate=30)
        stream.width, stream.height, stream.pix_fmt = grey.width, grey.height, "yuv420p"
        for picture in (grey, grey, None):
            film.mux(stream.encode(picture))


def main() -> None:
    """Keep a helper split off and waiting, until who asks for them is gone."""
    from saltus.footage import first_picture, index, reading_through  # noqa: F401, PLC0415  for all helpers

    link = socket.socket(fileno=int(sys.argv[1]))
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # who has ended need not be waited for
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    gc.freeze()
    # in memory; it is written while the first helper waits
    sample = Path(f"/proc/self/fd/{os.memfd_create('sample')}")
    taken = True
    while taken:
        # one is always there and waits; it tells when it has a film, and the next one is split off
        heard, tell = os.pipe()
        if not os.fork():
            os.close(heard)
            try:
                _wait_for_film(link, tell, sample)
            finally:
                # some decoders crash when they are taken down
                os._exit(0)
        os.close(tell)
        if not sample.stat().st_size:
            _write_sample(sample)
        taken = bool(os.read(heard, 1))
        os.close(heard)


def _wait_for_film(link: socket.socket, tell: int, sample: Path) -> None:
    if not select.select([link], [], [], IDLE_S)[0]:
        _rehearse(sample)
    memory, ends, _flags, _address = socket.recv_fds(link, 16, 3)
    if memory:
        os.write(tell, b".")
        os.close(tell)
        process = os.pidfd_open(os.getpid())
        socket.send_fds(link, [b"."], [process])
        link.close()
        os.close(process)
        serve(ends[0], ends[1], ends[2], int(memory))


if __name__ == "__main__":
    main()
