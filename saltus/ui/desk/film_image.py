"""A picture of a film as it is kept ready to be painted."""

from __future__ import annotations

from typing import TYPE_CHECKING

import cv2
import numpy as np
from PyQt6.QtGui import QImage

from saltus.printing.pictures import as_image

if TYPE_CHECKING:
    from numpy.typing import NDArray

LARGE_PX = 4e6
"""Drawn small, a picture of more pixels takes longer than there is between two of a held key."""


class FilmImage(QImage):
    """A picture; a large one is there at half its size too, made by whoever decodes it.

    Parameters
    ----------
    picture : (H, W, 3) ndarray of uint8
        RGB.
    """

    def __init__(self, picture: NDArray[np.uint8]) -> None:
        super().__init__(as_image(picture))
        self._half: QImage | None = None
        height, width = picture.shape[:2]
        # of an odd side the last half pixel would be lost, and all else a little too large
        if height * width > LARGE_PX and not height % 2 and not width % 2:
            small = cv2.resize(picture, (width // 2, height // 2), interpolation=cv2.INTER_AREA)
            self._half = as_image(np.asarray(small, dtype=np.uint8))

    def drawn_at(self, zoom: float) -> QImage:
        """What to draw where a pixel of the picture takes so many of the screen."""
        return self._half if self._half is not None and zoom <= 0.5 else self

    def bytes_held(self) -> int:
        """How much memory it takes."""
        return self.sizeInBytes() + (self._half.sizeInBytes() if self._half is not None else 0)
