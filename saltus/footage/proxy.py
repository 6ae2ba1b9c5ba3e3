"""A copy of a film for moving through it: every frame by itself, smaller and lossy, for display only.

Where a film has a whole picture only every few seconds, going back by one frame means decoding all frames
since. The copy is made in the background by a process of its own and kept in this user's cache: one file of
JPEG pictures one after the other, and one with where each ends (little-endian 64-bit offsets). It can be used
while it grows. Readings, loupe and following always use the frames of the film itself.

``python -m saltus.footage.proxy FILM NAME`` makes one; the facts come as JSON on its input.
"""

from __future__ import annotations

import contextlib
import json
import os
import resource
import subprocess
import sys
import time
from itertools import pairwise
from pathlib import Path
from typing import IO, TYPE_CHECKING

import numpy as np
from platformdirs import user_cache_path

from saltus.footage.facts import FilmError
from saltus.footage.helper import MEMORY_BYTES, facts_json
from saltus.footage.told_facts import facts_from

if TYPE_CHECKING:
    from saltus.footage.facts import FilmFacts

LONG_GROUP_PX = 20e6
"""A group of frames with more pixels than this in all takes too long to decode between two key presses."""
WIDEST = 1280
QUALITY = 85
MOST_BYTES = 4 * 1024**3
"""Bound on all copies of this user; those unused for longest go first."""
PICTURES, ENDS, PART = ".pictures", ".ends", ".part"
LEAST_PRIORITY = 15
STALE_S = 3600.0


def copies_folder() -> Path:
    """Where the copies of this user lie."""
    return user_cache_path("saltus") / "moving"


def wants_copy(facts: FilmFacts) -> bool:
    """Whether stepping back in the film itself would make a person wait."""
    bounds = [*facts.keyframes, facts.frames]
    longest = max((b - a for a, b in pairwise(bounds)), default=facts.frames)
    return longest * facts.width * facts.height > LONG_GROUP_PX


class Proxy:
    """Gives the pictures of a copy, finished or still growing.

    Parameters
    ----------
    name : str
        SHA-256 of the film.
    """

    def __init__(self, name: str) -> None:
        self._base = copies_folder() / name
        self._ends = np.zeros(0, dtype="<u8")
        self._pictures: IO[bytes] | None = None

    def jpeg(self, frame: int) -> bytes | None:
        """The picture of a frame as JPEG; None where it was not made yet."""
        if frame >= len(self._ends) and not self._look_again():
            return None
        if frame >= len(self._ends) or self._pictures is None:
            return None
        start = int(self._ends[frame - 1]) if frame else 0
        size = int(self._ends[frame]) - start
        data = b""
        with contextlib.suppress(OSError):
            data = os.pread(self._pictures.fileno(), size, start)
        if len(data) == size:
            return data
        # the copy was begun anew under our hands: look at it afresh next time
        self.close()
        self._ends = self._ends[:0]
        return None

    def close(self) -> None:
        """Let go of the files."""
        if self._pictures is not None:
            self._pictures.close()
            self._pictures = None

    def _look_again(self) -> bool:
        for part in ("", PART):
            with contextlib.suppress(OSError):
                ends = _file(self._base, ENDS + part).read_bytes()
                if self._pictures is None:
                    self._pictures = _file(self._base, PICTURES + part).open("rb")
                self._ends = np.frombuffer(ends[: len(ends) // 8 * 8], dtype="<u8")
                return True
        return False


def _file(base: Path, ending: str) -> Path:
    return base.with_name(base.name + ending)


def is_made(name: str) -> bool:
    """Whether the copy is there; it counts as used now."""
    ends = _file(copies_folder() / name, ENDS)
    with contextlib.suppress(OSError):
        os.utime(ends)
    return ends.exists()


class Preparation:
    """The process that makes a copy.

    Parameters
    ----------
    film : Path
    name : str
        SHA-256 of the film.
    facts : FilmFacts
    """

    def __init__(self, film: Path, name: str, facts: FilmFacts) -> None:
        command = [sys.executable, "-I", "-m", "saltus.footage.proxy", str(film.resolve()), name]
        self._process = subprocess.Popen(  # noqa: S603  our own interpreter and module
            command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        assert self._process.stdin is not None
        with contextlib.suppress(BrokenPipeError), self._process.stdin as request:
            request.write(json.dumps(facts_json(facts)).encode())

    def running(self) -> bool:
        """Whether it is still at work."""
        return self._process.poll() is None

    def stop(self) -> None:
        """End it; what it made so far is thrown away by the next one."""
        self._process.kill()
        self._process.wait()


def make_room(folder: Path, wanted: int, most: int = MOST_BYTES) -> bool:
    """Throw away the copies unused for longest until ``wanted`` bytes fit; tells whether they do."""
    ends = sorted(folder.glob(f"*{ENDS}"), key=lambda p: p.stat().st_mtime)
    bases = [p.with_name(p.name.removesuffix(ENDS)) for p in ends]
    sizes = {b: _file(b, PICTURES).stat().st_size for b in bases if _file(b, PICTURES).exists()}
    held = sum(sizes.values())
    for base in bases:
        if held + wanted <= most:
            break
        for ending in (ENDS, PICTURES):
            _file(base, ending).unlink(missing_ok=True)
        held -= sizes.get(base, 0)
    return held + wanted <= most


def make(film: Path, name: str, facts: FilmFacts, most: int = MOST_BYTES) -> None:
    """Make the copy of a film, frame by frame; where room or film end early, of its beginning.

    Raises
    ------
    OSError
        If the cache cannot be written.
    """
    import cv2  # noqa: PLC0415  in the process that makes copies only

    from saltus.footage.reader import FilmReader  # noqa: PLC0415  loads the decoder

    folder = copies_folder()
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob(f"*{PART}"):
        # what another window is making stays
        if left.name.startswith(name) or time.time() - left.stat().st_mtime > STALE_S:
            left.unlink(missing_ok=True)
    base = folder / name
    width = min(facts.width, WIDEST)
    size = (width, max(round(facts.height * width / facts.width), 1))
    reader = FilmReader(film, facts, cache_bytes=0)
    written = 0
    with (
        _file(base, PICTURES + PART).open("wb", buffering=0) as pictures,
        _file(base, ENDS + PART).open("wb", buffering=0) as ends,
    ):
        for frame in range(facts.frames):
            try:
                picture = reader.picture(frame)
            except FilmError:
                break  # what comes before it can be moved through all the same
            small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
            jpeg = cv2.imencode(
                ".jpg", cv2.cvtColor(small, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, QUALITY]
            )[1]
            if frame % 256 == 0 and not make_room(folder, written + 256 * len(jpeg), most):
                break
            written += pictures.write(jpeg.tobytes())
            ends.write(written.to_bytes(8, "little"))
    reader.close()
    _file(base, PICTURES + PART).rename(_file(base, PICTURES))
    _file(base, ENDS + PART).rename(_file(base, ENDS))


def main() -> None:
    """Serve one request, out of the way of everything else."""
    os.nice(LEAST_PRIORITY)
    for what, bound in ((resource.RLIMIT_AS, MEMORY_BYTES), (resource.RLIMIT_FSIZE, MOST_BYTES)):
        hard = resource.getrlimit(what)[1]
        resource.setrlimit(what, (bound if hard == resource.RLIM_INFINITY else min(bound, hard), hard))
    film, name = sys.argv[1:]
    with contextlib.suppress(OSError, MemoryError):
        make(Path(film), name, facts_from(json.load(sys.stdin)))
    os._exit(0)


if __name__ == "__main__":
    main()
