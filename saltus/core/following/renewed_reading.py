"""A patch as it is read while the body turns away or the light changes: it is made anew now and then."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.over_ground import OverGround
from saltus.core.following.patch import Box
from saltus.core.following.renewal import (
    LITTLE_OF_IT,
    MOST_OF_IT,
    SMEARED_OF_SIZE,
    Fading,
    Renewal,
)
from saltus.core.following.smeared_reading import SmearedReading
from saltus.core.following.turning import warped

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.alignment import Alignment

    Picture = NDArray[np.uint8]


@dataclass
class RenewedReading(SmearedReading):
    """Makes its patch anew where the body no longer looks like it, see :mod:`saltus.core.following.renewal`.

    Attributes
    ----------
    box : Box
        As drawn.
    fading : Fading or None
        Watches whether the patch is to be made anew; None where it stays as it is.
    renewals : list of Renewal
    """

    box: Box = field(default_factory=lambda: Box(0, 0, 1, 1))
    fading: Fading | None = None
    renewals: list[Renewal] = field(default_factory=list)

    def watch(
        self, picture: Picture, found: Alignment, place: tuple[float, float], went: tuple[float, float]
    ) -> None:
        """Watch how alike it looks, and make the patch anew where it looks otherwise than it did.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        found : Alignment
        place : (x, y)
            Where the point is read, px.
        went : (x, y)
            How it went since the picture before, px.
        """
        fading = self.fading
        if fading is None:
            return
        if found.hidden > LITTLE_OF_IT or found.information < MOST_OF_IT:
            fading.forget()
            return
        fading.add(found.likeness)
        fast = math.hypot(*went) > SMEARED_OF_SIZE * self.patch.size
        if not fading.fades() or (fast and self.is_better_smeared(picture, found, went)):
            fading.forget()
            return
        turned = self.turning.on
        drawn = self.turning.master if turned else self.patch
        fading.look(picture, drawn, found, place, self.turning.matrix if turned else np.eye(2))
        if fading.full and not self._only_other_ground(fading):
            self._renew()

    def _only_other_ground(self, fading: Fading) -> bool:
        """Whether it only seems to look otherwise, before other ground than when that was learnt."""
        if self.over is None or self.turning.on:
            return False
        anew = self.over.learnt_anew(self.patch, self.noise)
        if anew is None or fading.faded(anew[1]):
            return False
        self.over = anew[0]
        self.read_again()
        fading.forget()
        fading.last.clear()
        return True

    def _renew(self) -> None:
        """Take the patch made anew for the old one."""
        assert self.fading is not None
        new, u = self.fading.made_anew(self.turning.master if self.turning.on else self.patch)
        self.turning.master = new
        self.patch = warped(new, self.turning.matrix) if self.turning.on else new
        self.renewals.append(Renewal(self.count + 1, u))
        self.likenesses.clear()
        self.squares.clear()
        if self.over is not None:
            self.over = OverGround(self.over.ground, self.box)
