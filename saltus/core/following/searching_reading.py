"""A patch that is searched for, near where it is expected or in the whole picture: the best place there."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.following.judgement import LEAD
from saltus.core.following.looking import Look, Other, better
from saltus.core.following.renewed_reading import RenewedReading
from saltus.core.following.search import Spot, search

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Picture = NDArray[np.uint8]

ALONE = 0.2
"""So much less alike than the body everything else must look for it to be alone."""


@dataclass
class SearchingReading(RenewedReading):
    """Searches for its patch."""

    def look(
        self, picture: Picture, middle: tuple[float, float], reach: float, others: tuple[Other, ...], *,
        jump: bool = False,
    ) -> Look:  # fmt: skip
        """Search for it and judge what is found.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        middle : (x, y)
            Where its first pixel is expected, px.
        reach : float
            How far to each side, px; infinite: in the whole picture.
        others : tuple of Other
        jump : bool
            Whether it is looked for off its way.
        """
        far = not math.isfinite(reach)
        height, width = picture.shape
        sides = (float(width), float(height)) if far else (reach, reach)
        about = (width / 2, height / 2) if far else middle
        best, second = search(picture, self.patch.inner, about, sides)
        if best is None:
            return Look("lost", ("edge",))
        rival = second is not None and second.likeness > best.likeness - LEAD
        if rival and second is not None and self.doubt is not None and not far:
            # of two alike the one on its way
            best, second = sorted((best, second), key=lambda s: math.dist((s.x, s.y), middle))
        look = self.judged_at(picture, best, second, others, jump=jump)
        if jump and "second" in look.doubts and look.found is not None and second is not None:
            look = self._against(picture, look, (best, second), others)
        if look.state == "found" or jump:
            return look
        # what is partly hidden may look more alike elsewhere than where it is
        there = Spot(middle[0], middle[1], best.likeness)
        again = self.judged_at(picture, there, None, others, jump=jump)
        return again if better(again, look) else look

    def _against(
        self, picture: Picture, look: Look, spots: tuple[Spot, Spot], others: tuple[Other, ...]
    ) -> Look:
        """Judge a place again by how alike it looks when the patch is laid over it and over the next best.

        The ground round a small body makes both look alike to the search.
        """
        best, second = spots
        rival, *_rest = self.refined(picture, second, others)
        assert look.found is not None
        lead = look.found.likeness - (rival.likeness if rival is not None else -1.0)
        second = Spot(second.x, second.y, best.likeness - lead)
        return self.judged_at(picture, best, second, others, jump=True)

    def is_alone(self, picture: Picture) -> bool:
        """Whether nothing else in the whole picture looks nearly like it: it can have jumped anywhere."""
        height, width = picture.shape
        about, reach = (width / 2, height / 2), (float(width), float(height))
        best, second = search(picture, self.patch.inner, about, reach)
        return best is not None and (second is None or second.likeness < best.likeness - ALONE)
