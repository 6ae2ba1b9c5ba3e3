"""The repeat check: how well a person reads, from reading the same frames again without seeing the first."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.sentences import say

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

FEWEST = 3
SURE = 0.01


class CheckError(ValueError):
    """A repeat check that tells nothing, in a sentence."""


@dataclass(frozen=True)
class ReadingCheck:
    """What reading again says of a person's readings.

    Attributes
    ----------
    u_px : float
        Standard uncertainty of one reading along x or y, px.
    dof : int
        Its degrees of freedom.
    shift_px : (x, y)
        Second less first readings in the middle, px.
    u_shift_px : float
        Standard uncertainty of each of these, px.
    shifted : bool
        Whether another point was read the second time: the shift is more than scatter explains.
    at_least : bool
        Whether u is no more than the size of a pixel says: the readings did not differ.
    """

    u_px: float
    dof: int
    shift_px: tuple[float, float]
    u_shift_px: float
    shifted: bool
    at_least: bool


def check_readings(
    first: Array, again: Array, u_first_px: float | None = None, pixel_px: float = 1.0
) -> ReadingCheck:
    """Compare second readings with first ones.

    Parameters
    ----------
    first, again : (N, 2) ndarray
        The same frames in the same order, px; three or more.
    u_first_px : float, optional
        Standard uncertainty of the first readings where these were not made by hand but followed, px; first
        and second are taken to be alike by default.
    pixel_px : float
        How finely the picture could be pointed at, px.

    Returns
    -------
    ReadingCheck
        u = sd of the differences / √2, or √(sd² − u_first²), both coordinates together, 2(N − 1) degrees of
        freedom; at least pixel/√12.

    Raises
    ------
    CheckError
        If there are fewer than three.
    """
    differences = np.asarray(again, dtype=float) - np.asarray(first, dtype=float)
    count = len(differences)
    if count < FEWEST:
        raise CheckError(say("check.too-few", n=FEWEST))
    shift = differences.mean(axis=0)
    dof = 2 * (count - 1)
    variance = float(np.sum((differences - shift) ** 2)) / dof
    of_one = variance / 2 if u_first_px is None else variance - u_first_px**2
    least = pixel_px / math.sqrt(12)
    u = max(math.sqrt(max(of_one, 0.0)), least)
    u_shift = math.sqrt(max(variance, least**2) / count)
    return ReadingCheck(
        u, dof, (float(shift[0]), float(shift[1])), u_shift, _shifted(shift, u_shift, dof), of_one <= least**2
    )


def _shifted(shift: Array, u_shift: float, dof: int) -> bool:
    """Whether a shift is more than scatter explains: F of both coordinates together, 1 %."""
    from scipy.special import fdtrc  # noqa: PLC0415  start-up time

    return float(fdtrc(2, dof, float(np.sum(shift**2)) / 2 / u_shift**2)) < SURE
