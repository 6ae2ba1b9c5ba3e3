"""Getting frame N: exactly the picture a plain decode from the start would give as its Nth."""

from __future__ import annotations

import bisect
from collections import OrderedDict
from typing import TYPE_CHECKING, Any, Protocol

import av
import av.error
import numpy as np

from saltus.core.progress import Cancelled
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.orientation import upright
from saltus.footage.sentences import say
from saltus.footage.survey import Damage, decoded_frames, luma, open_container, picture_stream

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    from numpy.typing import NDArray

    Picture = NDArray[np.uint8]

CACHE_BYTES = 192 * 1024 * 1024
"""Two films are open at once at most, and pictures ready to be painted come on top: half a GiB in all."""
PADDING = 160
"""Decoders keep their pictures with an edge of so many px in all around them."""
LARGE_PX = 4e6
"""From so many pixels on colours are worked out faster by several threads."""


def never() -> bool:
    """Whether nobody waits any more: somebody always does."""
    return False


class FrameReader(Protocol):
    """Anything that gives the pictures of a take by frame number."""

    def picture(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give a frame as displayed, (height, width, 3) uint8 RGB.

        Raises
        ------
        FilmError
            If there is no such frame or it cannot be read.
        Cancelled
            When ``gone`` says on the way that nobody waits for it any more.
        """

    def brightness(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give the brightness of a frame as displayed, (height, width) uint8; see :meth:`picture`."""

    def brightness_first(self, frame: int) -> tuple[Picture, Callable[[], Picture]]:
        """Give the brightness of a frame now, and its picture when it is asked for, from any thread."""

    def at_hand(self, frame: int) -> bool:
        """Whether a frame comes without decoding others first."""

    def close(self) -> None:
        """Let go of the file."""


def require_frame(frame: int, facts: FilmFacts) -> None:
    """Raise FilmError unless the film has this frame."""
    if not 0 <= frame < facts.frames:
        raise FilmError(say("reader.no-such-frame", frame=frame, last=facts.frames - 1))


class FilmReader:
    """Random access to the frames of one film. Use it from one thread.

    Parameters
    ----------
    path : Path
    facts : FilmFacts
        From :func:`saltus.footage.survey.survey` of the same file.
    cache_bytes : int
        Bound on the decoded frames kept.
    in_order : bool
        Whether frames are wanted one after the other: then several are decoded at once, which leaves no core
        idle beside other work; after a jump the first comes later.
    """

    def __init__(
        self, path: Path, facts: FilmFacts, cache_bytes: int = CACHE_BYTES, *, in_order: bool = False
    ) -> None:
        self.path = path
        self.facts = facts
        self._threads = "AUTO" if in_order else "SLICE"
        self._number = {t: n for n, t in enumerate(facts.raw_ticks)}
        self._cache: OrderedDict[int, av.VideoFrame] = OrderedDict()
        each = (facts.width + PADDING) * (facts.height + PADDING) * 3 // 2
        self._room = max(4, cache_bytes // each)
        self._container: Any = None
        self._frames: Iterator[tuple[int, av.VideoFrame]] = iter(())
        self._next = 0

    def close(self) -> None:
        """Let go of the file and of the decoded frames."""
        self._cache.clear()
        self._frames = iter(())
        if self._container is not None:
            self._container.close()
            self._container = None

    def at_hand(self, frame: int) -> bool:
        """Whether a frame comes without decoding others first."""
        return frame in self._cache or (self._container is not None and frame == self._next)

    def picture(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give a frame as displayed.

        Parameters
        ----------
        frame : int
        gone : callable
            Asked between frames whether nobody waits for this one any more.

        Returns
        -------
        (height, width, 3) ndarray of uint8
            RGB.

        Raises
        ------
        FilmError
            If there is no such frame, or the file has changed or gone.
        Cancelled
            When ``gone`` said so; what was decoded on the way is kept.
        """
        require_frame(frame, self.facts)
        return self._coloured(self._decoded(frame, gone))

    def brightness_first(self, frame: int) -> tuple[Picture, Callable[[], Picture]]:
        """Give the brightness of a frame now, and its picture when it is asked for, from any thread.

        Parameters
        ----------
        frame : int
        """
        grey, decoded = self.brightness(frame), self._decoded(frame, never)
        return grey, lambda: self._coloured(decoded)

    def _coloured(self, decoded: av.VideoFrame) -> Picture:
        # to begin a second thread takes longer than half of a small picture
        threads = 1 if decoded.width * decoded.height < LARGE_PX else 0
        stored = np.asarray(decoded.reformat(format="rgb24", threads=threads).to_ndarray(), dtype=np.uint8)
        facts = self.facts
        return upright(stored, facts.width, facts.height, facts.rotation_deg)

    def brightness(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give the brightness of a frame as displayed: as it is stored, without going by way of colours.

        Parameters
        ----------
        frame, gone
            See :meth:`picture`.

        Returns
        -------
        (height, width) ndarray of uint8
            Of many films 16 to 235.
        """
        require_frame(frame, self.facts)
        facts = self.facts
        return upright(luma(self._decoded(frame, gone)), facts.width, facts.height, facts.rotation_deg)

    def _decoded(self, frame: int, gone: Callable[[], bool]) -> av.VideoFrame:
        if frame in self._cache:
            self._cache.move_to_end(frame)
            return self._cache[frame]
        for attempt in self._ways_to(frame):
            attempt()
            found = self._run_to(frame, gone)
            if found is not None:
                return found
        raise FilmError(say("reader.frame-cannot-decoded-file", frame=frame, name=self.path.name))

    def _ways_to(self, frame: int) -> Iterator[Any]:
        """Ways of coming before a frame, cheapest first; the last starts over and always holds."""
        keys = self.facts.keyframes
        at = bisect.bisect_right(keys, frame)
        key = keys[at - 1] if at else 0
        if self._container is not None and key <= self._next <= frame:
            yield lambda: None
        if self._number:
            for back in (1, 2, 4):
                if at - back >= 0 and keys[at - back] > 0:
                    yield lambda n=keys[at - back]: self._seek(n)
        yield self._start_over

    def _start_over(self) -> None:
        self.close_container()
        self._container = self._opened()
        stream = picture_stream(self._container)
        self._frames = self._numbered(decoded_frames(self._container, stream, Damage()), 0)
        self._next = 0

    def _opened(self) -> Any:
        container = open_container(self.path)
        picture_stream(container).thread_type = self._threads
        return container

    def close_container(self) -> None:
        """Let go of the file, keeping decoded frames."""
        if self._container is not None:
            self._container.close()
            self._container = None

    def _seek(self, key: int) -> None:
        if self._container is None:
            self._container = self._opened()
        stream = picture_stream(self._container)
        try:
            self._container.seek(self.facts.raw_ticks[key], stream=stream, backward=True)
        except (av.error.FFmpegError, OSError):
            self._frames = iter(())
            return
        self._frames = self._trusted(decoded_frames(self._container, stream, Damage()))
        self._next = key

    def _trusted(self, frames: Iterator[av.VideoFrame]) -> Iterator[tuple[int, av.VideoFrame]]:
        """After a seek, number frames by their time, from the first key frame on.

        What comes before that key frame may lean on pictures that were not decoded.
        """
        started = False
        for frame in frames:
            started = started or bool(frame.key_frame)
            number = self._number.get(frame.pts) if frame.pts is not None else None
            if started and number is not None:
                yield number, frame

    def _numbered(self, frames: Iterator[av.VideoFrame], first: int) -> Iterator[tuple[int, av.VideoFrame]]:
        yield from enumerate(frames, first)

    def _run_to(self, frame: int, gone: Callable[[], bool]) -> av.VideoFrame | None:
        for number, decoded in self._frames:
            self._next = number + 1
            self._keep(number, decoded)
            if number == frame:
                return decoded
            if number > frame:
                return None
            if gone():
                raise Cancelled
        # the end: decoding on needs a fresh start
        self._next = self.facts.frames + 1
        return None

    def _keep(self, number: int, decoded: av.VideoFrame) -> None:
        self._cache[number] = decoded
        self._cache.move_to_end(number)
        while len(self._cache) > self._room:
            self._cache.popitem(last=False)
