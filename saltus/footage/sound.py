"""The sound track of a film, or of a recording without pictures, as samples on the clock of the frames."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import av
import numpy as np

from saltus.core.progress import LongWork, Progress, Steps
from saltus.footage.containers import open_any
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.sentences import say
from saltus.footage.survey import has_pictures

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray


LONGEST_S, LONGEST_GAP_S = 1800.0, 60.0
FASTEST, MOST_CHANNELS, MOST_SAMPLES = 400_000, 64, 1800 * 48_000
EXACT = ("pcm", "flac", "alac", "wavpack", "tta")
"""Codecs that keep every sample."""
SMEARED_S = 0.003
"""How far the others smear a knock in time (measured with AAC: 95 of 100 within 1.4 ms)."""


@dataclass(frozen=True)
class Sound:
    """A sound track.

    Attributes
    ----------
    samples : (N,) ndarray of float32
        The mean of all channels; silence where the track has a gap.
    rate : int
        Samples per second.
    start_s : float
        When it begins, on the clock of the frames; 0 for a recording without pictures.
    exact : bool
        Whether coding kept every sample.
    warnings : tuple of str
    """

    samples: NDArray[np.float32]
    rate: int
    start_s: float
    exact: bool
    warnings: tuple[str, ...] = ()


@LongWork
def sound_here(path: Path, first_frame_s: float | None) -> Steps[Sound]:
    """Read the sound of a film in this process; see :func:`saltus.footage.sound_apart.sound_of`.

    Parameters
    ----------
    path : Path
    first_frame_s : float or None
        Time stamp of its first frame; None where there are no pictures.

    Raises
    ------
    FilmError
        If it cannot be opened, has no sound, or its sound is too long.
    """
    with open_any(path) as container:
        if not container.streams.audio:
            raise FilmError(say("sound.no-sound", name=path.name))
        stream = container.streams.audio[0]
        rate = int(stream.rate or 0)
        if not 0 < rate <= FASTEST or not 0 < (stream.channels or 0) <= MOST_CHANNELS:
            raise FilmError(say("sound.sound-not-say-rate", name=path.name))
        parts: list[tuple[int, NDArray[np.float32]]] = []
        damaged = False
        try:
            for frame in container.decode(stream):
                if frame.pts is None or frame.time_base is None:
                    continue
                at = round(float(frame.pts * frame.time_base) * rate)
                parts.append((at, _mono(frame)))
                if abs(at - parts[0][0]) > min(LONGEST_S * rate, MOST_SAMPLES):
                    minutes = int(min(LONGEST_S, MOST_SAMPLES / rate) // 60)
                    raise FilmError(say("sound.sound-longer-minutes-trim", name=path.name, n=minutes))
                if len(parts) > 1 and abs(at - parts[-2][0]) > LONGEST_GAP_S * rate:
                    parts.pop()
                    damaged = True
                    break
                yield Progress(max(at - parts[0][0], 0), 0)
        except av.FFmpegError:
            damaged = True
        if not parts:
            raise FilmError(say("sound.sound-cannot-read", name=path.name))
        exact = stream.codec_context.name.startswith(EXACT)
    start, samples = _joined(parts)
    warnings = [say("sound.sound-breaks-off-damaged")] if damaged else []
    zero = first_frame_s if first_frame_s is not None else start / rate
    return Sound(samples, rate, start / rate - zero, exact, tuple(warnings))


STEP_S = 0.01
"""A recording without pictures is stepped through in hundredths of a second."""


@LongWork
def sound_facts(path: Path) -> Steps[FilmFacts]:
    """Read a recording without pictures through; its steps of time stand for frames.

    Raises
    ------
    FilmError
        If it cannot be used, see :func:`sound_here`.
    """
    track = yield from sound_here.steps(path, None)
    steps = max(math.ceil(len(track.samples) / track.rate / STEP_S), 1)
    return FilmFacts(
        width=1, height=1, rotation_deg=0, codec="sound", ticks=tuple(range(steps)),
        time_base=Fraction(1, round(1 / STEP_S)), start_ticks=0, last_ticks=1, sound=True,
        warnings=track.warnings, pictures=False,
    )  # fmt: skip


def _mono(frame: av.AudioFrame) -> NDArray[np.float32]:
    """Mean of the channels as numbers about zero; whole numbers are brought to ±1."""
    data = frame.to_ndarray()
    if not frame.format.is_planar:
        data = data.reshape(-1, len(frame.layout.channels)).T
    if np.issubdtype(data.dtype, np.integer):
        middle = 128 if data.dtype == np.uint8 else 0
        data = (data.astype(np.float32) - middle) / (2.0 ** (8 * data.dtype.itemsize - 1))
    return np.asarray(data.mean(axis=0), dtype=np.float32)


def _joined(parts: list[tuple[int, NDArray[np.float32]]]) -> tuple[int, NDArray[np.float32]]:
    start = min(at for at, _part in parts)
    whole = np.zeros(max(at + len(part) for at, part in parts) - start, dtype=np.float32)
    for at, part in parts:
        whole[at - start : at - start + len(part)] = part
    return start, whole


def is_sound_alone(path: Path) -> bool:
    """Whether a file holds sound but no moving pictures.

    Raises
    ------
    FilmError
        If it cannot be opened.
    """
    with open_any(path) as container:
        return bool(container.streams.audio) and not has_pictures(container)
