"""The first picture of a film, before anything else is known of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import av
import av.error
import numpy as np

from saltus.footage.facts import FilmError
from saltus.footage.orientation import clockwise_turn, displayed_size, pixel_shape, upright
from saltus.footage.survey import Damage, decoded_frames, open_container, picture_stream

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray


def first_picture(path: Path) -> NDArray[np.uint8] | None:
    """Decode the first frame of a film as it is displayed.

    Returns
    -------
    (height, width, 3) ndarray of uint8 or None
        RGB; None where there is none, which whoever reads the film through says in a sentence.
    """
    try:
        with open_container(path) as container:
            stream = picture_stream(container)
            frame = next(iter(decoded_frames(container, stream, Damage())), None)
            if frame is None:
                return None
            turn = clockwise_turn(frame)
            width, height = displayed_size(frame.width, frame.height, pixel_shape(stream), turn)
            stored = np.asarray(frame.to_ndarray(format="rgb24"), dtype=np.uint8)
    except (FilmError, av.error.FFmpegError, OSError, ValueError):
        return None
    return upright(stored, width, height, turn)
