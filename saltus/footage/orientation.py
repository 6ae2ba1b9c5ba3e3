"""From the stored picture to the displayed one: square pixels first, then turned upright."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np

if TYPE_CHECKING:
    import av
    from numpy.typing import NDArray

    Picture = NDArray[np.uint8]

_TURNS = {90: cv2.ROTATE_90_CLOCKWISE, 180: cv2.ROTATE_180, 270: cv2.ROTATE_90_COUNTERCLOCKWISE}


def clockwise_turn(frame: av.VideoFrame) -> int:
    """Give the clockwise turn for display in degrees, rounded to a quarter turn."""
    return round(-frame.rotation / 90) % 4 * 90


def pixel_shape(stream: Any) -> Fraction:
    """Give the sample aspect ratio, width over height of one stored pixel; 1 when not stated."""
    ratio = stream.sample_aspect_ratio or stream.codec_context.sample_aspect_ratio
    return Fraction(ratio) if ratio and ratio > 0 else Fraction(1)


def displayed_size(width: int, height: int, shape: Fraction, turn: int) -> tuple[int, int]:
    """Give the size of the displayed picture, px: stored width × pixel shape, height unchanged, turned.

    Parameters
    ----------
    width, height : int
        Stored, px.
    shape : Fraction
        Width over height of one stored pixel.
    turn : int
        Clockwise, degrees.
    """
    square = max(1, round(width * shape))
    return (height, square) if turn in (90, 270) else (square, height)


def upright(picture: Picture, width: int, height: int, turn: int) -> Picture:
    """Turn a stored picture into the displayed one.

    Parameters
    ----------
    picture : (H, W) or (H, W, 3) ndarray of uint8
        As stored.
    width, height : int
        Of the displayed picture, px.
    turn : int
        Clockwise, degrees.
    """
    stored = (height, width) if turn in (90, 270) else (width, height)
    if (picture.shape[1], picture.shape[0]) != stored:
        way = cv2.INTER_AREA if stored[0] < picture.shape[1] else cv2.INTER_CUBIC
        picture = np.asarray(cv2.resize(picture, stored, interpolation=way), dtype=np.uint8)
    if turn in _TURNS:
        picture = np.asarray(cv2.rotate(picture, _TURNS[turn]), dtype=np.uint8)
    return picture
