"""The first picture of a film, before anything else is known of it."""

from __future__ import annotations

import contextlib
from typing import TYPE_CHECKING

import av
import av.error
import numpy as np

from saltus.footage.facts import FilmError
from saltus.footage.orientation import clockwise_turn, displayed_size, pixel_shape, upright
from saltus.footage.survey import Damage, decoded_frames, open_container, picture_stream

if TYPE_CHECKING:
    from collections.abc import Iterator
    from fractions import Fraction
    from pathlib import Path

    from numpy.typing import NDArray


SMALL_PX = 640
"""Longer side of the picture that is given first; a glance needs no more."""


def first_pictures(path: Path) -> Iterator[tuple[bool, NDArray[np.uint8]]]:
    """Decode the first frame of a film as it is displayed, and give it made small before it is given whole.

    Yields
    ------
    whole : bool
        A picture that is small itself is given once, whole.
    picture : (height, width, 3) ndarray of uint8
        RGB. None comes where there is none, which whoever reads the film through says in a sentence.
    """
    with contextlib.suppress(FilmError, av.error.FFmpegError, OSError, ValueError):
        with open_container(path) as container:
            stream = picture_stream(container)
            frame = next(iter(decoded_frames(container, stream, Damage())), None)
            if frame is None:
                return
            shape, turn = pixel_shape(stream), clockwise_turn(frame)
        larger = max(frame.width, frame.height) / SMALL_PX
        if larger > 1:
            yield (
                False,
                _displayed(frame, round(frame.width / larger), round(frame.height / larger), shape, turn),
            )
        yield True, _displayed(frame, frame.width, frame.height, shape, turn)


def _displayed(
    frame: av.VideoFrame, width: int, height: int, shape: Fraction, turn: int
) -> NDArray[np.uint8]:
    """A frame as it is displayed, made from so many stored pixels."""
    width, height = max(width, 1), max(height, 1)
    way = "AREA" if width < frame.width else None
    stored = frame.to_ndarray(format="rgb24", width=width, height=height, interpolation=way)
    return upright(np.asarray(stored, dtype=np.uint8), *displayed_size(width, height, shape, turn), turn)
