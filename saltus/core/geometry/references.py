"""Several reference lengths: what they say together, whether they agree, and what explains it if not."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.compare import compare
from saltus.core.geometry.reference import nearer_factor, scale_of
from saltus.core.quantities import stacked

if TYPE_CHECKING:
    from collections.abc import Sequence

    from saltus.core.geometry.lens import Lens
    from saltus.core.geometry.reference import ReferenceLength
    from saltus.core.quantity import Quantity

REJECTED_BELOW = 0.05
WORTH_SAYING = 1.0
"""A plane offset known to less than this part of itself says nothing of the distance of the camera."""


@dataclass(frozen=True)
class Against:
    """A reference length held against the others.

    Attributes
    ----------
    reference : ReferenceLength
    scale : Quantity
        m/px in the plane of the scale, as this one alone has it.
    percent : float or None
        By how much that is larger than the others have it; None where it is alone.
    agree : bool or None
        As verdicts are; None where it cannot be told, or it is alone.
    apart : float or None
        The difference in standard uncertainties.
    """

    reference: ReferenceLength
    scale: Quantity
    percent: float | None = None
    agree: bool | None = None
    apart: float | None = None


@dataclass(frozen=True)
class Together:
    """What reference lengths say together.

    Attributes
    ----------
    scale : Quantity
        m/px in the plane of the scale: the mean weighted by 1/u², enlarged by their spread where they
        disagree unexplained.
    each : tuple of Against
    agree : bool or None
        Whether all can be alike (χ², p ≥ 0.05); None with fewer than two or without uncertainties.
    by_distance : Quantity or None
        1/D of the camera, 1/m: typed, or told by references in planes a known way apart.
    with_motion : Quantity or None
        m/px in the plane of the motion, from references that lie in it.
    """

    scale: Quantity
    each: tuple[Against, ...]
    agree: bool | None = None
    by_distance: Quantity | None = None
    with_motion: Quantity | None = None


def weighted(values: Sequence[Quantity]) -> Quantity:
    """Mean of single quantities weighted by 1/u²; plain where one of them has no uncertainty.

    Parameters
    ----------
    values : sequence of Quantity
        At least one, of one unit.
    """
    u = np.array([float(q.u) for q in values])
    weights = 1 / u**2 if np.all(u > 0) else np.ones(len(u))
    return stacked(values).weighed(weights / weights.sum())


def alike(values: Sequence[Quantity]) -> bool | None:
    """Whether single quantities can be one: χ² of their differences with what they share, p ≥ 0.05.

    Parameters
    ----------
    values : sequence of Quantity

    Returns
    -------
    bool or None
        None with fewer than two, or where their differences have no uncertainty.
    """
    if len(values) < 2:
        return None
    away = stacked(values).weighed(np.eye(len(values))[1:] - np.eye(len(values))[0])
    covariance = away.covariance()
    if np.linalg.matrix_rank(covariance) < len(covariance):
        return None
    from scipy.special import chdtrc  # noqa: PLC0415  start-up time

    chi2 = float(away.value @ np.linalg.solve(covariance, away.value))
    return bool(chdtrc(len(covariance), chi2) >= REJECTED_BELOW)


def together(
    references: Sequence[ReferenceLength], take: str, lens: Lens | None = None,
    by_distance: Quantity | None = None,
) -> Together:  # fmt: skip
    """Take reference lengths together.

    Parameters
    ----------
    references : sequence of ReferenceLength
        At least one.
    take : str
        Names their sources.
    lens : Lens, optional
    by_distance : Quantity, optional
        1/D of the camera from the plane of the scale, 1/m; None where it is not known.

    Raises
    ------
    GeometryError
        If one of them cannot be used.
    """
    seen = [scale_of(r, take, lens) for r in references]
    known = [_in_plane(r, s, take, by_distance) for r, s in zip(references, seen, strict=True)]
    if by_distance is None and (in_plane := [k for k in known if k is not None]):
        base = weighted(in_plane)
        by_distance = distance_from(references, take, [s / base for s in seen])
    used = [k for k in known if k is not None] or seen
    scale, agree = weighted(used), alike(used)
    if agree is False:
        spread = float(np.std([float(k) for k in used], ddof=1))
        scale = scale.with_source(sources.scale_spread(take), spread)
    motion = [s for r, s in zip(references, seen, strict=True) if r.with_motion]
    each = [
        _against(r, k if k is not None else s, [o for o in used if o is not k])
        for r, s, k in zip(references, seen, known, strict=True)
    ]
    return Together(scale, tuple(each), agree, by_distance, weighted(motion) if motion else None)


def distance_from(
    references: Sequence[ReferenceLength], take: str, shrunk: Sequence[Quantity]
) -> Quantity | None:
    """1/D of the camera as references in planes a known way off tell it, 1/m; None where none does.

    Parameters
    ----------
    references : sequence of ReferenceLength
    take : str
    shrunk : sequence of Quantity
        Of each reference its true length over that it has in the plane of the scale, (D − d)/D,
        dimensionless.

    Notes
    -----
    1/D = (1 − (D − d)/D)/d, which is as straight in what was measured as the factor itself.
    """
    told = [
        (1.0 - factor) / reference.nearer(take)
        for reference, factor in zip(references, shrunk, strict=True)
        if reference.nearer_m and reference.u_nearer_m < WORTH_SAYING * abs(reference.nearer_m)
    ]
    return weighted(told) if told else None


def _in_plane(
    reference: ReferenceLength, seen: Quantity, take: str, by_distance: Quantity | None
) -> Quantity | None:
    """The scale in its plane as one reference has it; None where it lies in another that is not placed."""
    if reference.with_motion:
        return None
    if not reference.nearer_m:
        return seen
    return None if by_distance is None else seen / nearer_factor(reference.nearer(take), by_distance)


def _against(reference: ReferenceLength, scale: Quantity, others: Sequence[Quantity]) -> Against:
    if not others:
        return Against(reference, scale)
    held = compare(scale, weighted(others), measured=True)
    apart = held.apart if held.apart is not None and math.isfinite(held.apart) else None
    return Against(reference, scale, held.percent, held.agree, apart)
