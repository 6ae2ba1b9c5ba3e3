"""Writing a film whose frames are shown when those of another are, and animated pictures."""

from __future__ import annotations

import contextlib
import errno
from fractions import Fraction
from typing import TYPE_CHECKING, Any

import av
import av.error
import cv2
import numpy as np

from saltus.files.writing import OutputError, whole, write_whole
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from numpy.typing import NDArray

    from saltus.footage.facts import FilmFacts

    Picture = NDArray[np.uint8]

CODEC = "libvpx-vp9"
"""An open one that decoder library, browsers and players have."""
OPTIONS = {"deadline": "realtime", "cpu-used": "8", "row-mt": "1", "crf": "22", "b": "0", "tile-columns": "2"}
MOVING = {".webp": 1, ".gif": 10}
"""Endings of animated pictures, and in how many ms their times are counted."""
LEAST_S = 0.04
"""Shorter times on screen are not kept by what shows animated pictures."""


class FilmWriter:
    """Frames written one after the other, each shown when the frame of its number is in another film."""

    def __init__(self, container: Any, facts: FilmFacts, size: tuple[int, int]) -> None:
        self._container, self._facts = container, facts
        beat = facts.regularity.spacing_s or 1 / 30
        rate = Fraction(1 / beat).limit_denominator(1001)
        self._stream = container.add_stream(CODEC, rate=rate, options=OPTIONS)
        self._stream.width, self._stream.height = size
        self._stream.pix_fmt = "yuv420p"
        self._stream.codec_context.time_base = facts.time_base
        self._stream.time_base = facts.time_base

    def add(self, picture: Picture, frame: int) -> None:
        """Write the picture of a frame.

        Parameters
        ----------
        picture : (H, W, 3) ndarray of uint8
            RGB.
        frame : int
            Its number in the other film; they come in order.
        """
        made = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")
        ticks = self._facts.ticks
        made.pts, made.time_base = ticks[frame], self._facts.time_base
        after = ticks[frame + 1] - ticks[frame] if frame + 1 < len(ticks) else self._facts.last_ticks
        made.duration = max(after, 1)
        self._container.mux(self._stream.encode(made))

    def end(self) -> None:
        """Write what the encoder still holds."""
        self._container.mux(self._stream.encode(None))


@contextlib.contextmanager
def film_writer(path: Path, facts: FilmFacts, size: tuple[int, int] | None = None) -> Iterator[FilmWriter]:
    """Write an MP4 film with the frame times of another; it is whole or not there.

    Parameters
    ----------
    path : Path
    facts : FilmFacts
        Of the film whose times it gets.
    size : (width, height), optional
        px; as the other by default.

    Raises
    ------
    OutputError
        If there is no room for it, or it cannot be written there.
    """
    try:
        with whole(path) as part, av.open(f"file:{part.absolute()}", "w", format="mp4") as container:
            writer = FilmWriter(container, facts, size or (facts.width, facts.height))
            yield writer
            writer.end()
    except (OSError, av.error.FFmpegError) as error:
        raise OutputError(_why_not(path, error)) from error


def write_moving_picture(path: Path, pictures: Sequence[Picture], shown_s: Sequence[float]) -> None:
    """Write an animated picture, WebP or GIF by its ending, that begins again at its end.

    Parameters
    ----------
    path : Path
    pictures : sequence of (H, W, 3) ndarray of uint8
        RGB.
    shown_s : sequence of float
        How long each is shown, s.

    Raises
    ------
    OutputError
        If it has another ending, or cannot be written there.
    """
    if path.suffix.lower() not in MOVING:
        raise OutputError(say("writing.moving-ending", name=path.name))
    made = cv2.Animation()
    made.frames = [np.ascontiguousarray(p[:, :, ::-1]) for p in pictures]
    unit = MOVING[path.suffix.lower()]
    # rounded as a whole: the picture as such is neither slower nor faster than the film
    ends = np.rint(1000 * np.cumsum(shown_s) / unit).astype(int) * unit
    made.durations = np.diff(ends, prepend=0).tolist()
    made.loop_count = 0
    done, data = cv2.imencodeanimation(path.suffix.lower(), made)
    if not done:
        raise OutputError(say("writing.moving-failed", name=path.name))
    try:
        write_whole(path, data.tobytes())
    except OSError as error:
        raise OutputError(_why_not(path, error)) from error


def _why_not(path: Path, error: OSError | av.error.FFmpegError) -> str:
    if error.errno == errno.ENOSPC:
        return say("writing.no-room", name=path.name)
    return say("writing.cannot", name=path.name, why=error.strerror or "?")
