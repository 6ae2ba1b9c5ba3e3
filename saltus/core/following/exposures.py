"""The exposures of a body in one strobe picture: look-alikes of a box, put in order along a smooth way."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import align
from saltus.core.following.followed import Followed
from saltus.core.following.looking import noise_of
from saltus.core.following.patch import Box, cut, smoothed
from saltus.core.following.run import FollowingError
from saltus.core.following.search import likeness_of_body, padded, peaks_of
from saltus.core.following.sighting import Sighting
from saltus.core.following.uncertainty import Residuals, covariance
from saltus.core.sentences import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.core.following.patch import Patch
    from saltus.core.following.run import Start
    from saltus.core.following.sighting import State

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

FAINT, LIKE, SURE = 0.5, 0.72, 0.85
"""Something is at places so alike, an exposure at those of the second; below the third it is doubted."""
OF_ONE_PICTURE = 2.5
"""A codec erases noise and leaves errors of place; in one picture nothing else tells them: residuals alone
understate them so many times (docs/following.md)."""
APART = 0.3
"""Two exposures lie at least so many sizes apart: nearer ones cannot be told."""
MOST_PLACES = 400
ROUND = 8
TOUCH = 1.1
"""Exposures nearer than so many boxes lie over each other."""
STRAY = 0.6
"""From where the way leads, the next exposure strays at most by this part of the step, and half a size."""


@dataclass(frozen=True)
class Exposures:
    """The exposures of one body, and how many look-alikes do not lie on its way."""

    followed: Followed
    left: int


@dataclass(frozen=True)
class _Seen:
    x: float
    y: float
    covariance: Array
    likeness: float


def exposures_of(picture: Picture, start: Start, frames: Sequence[int], times: Sequence[float]) -> Exposures:
    """Find the exposures of a body and put them in order.

    Parameters
    ----------
    picture : (H, W) ndarray of uint8
        Brightness.
    start : Start
        A box round the first exposure.
    frames : sequence of int
        Numbers of the exposures, in order.
    times : sequence of float
        Of every frame, s.

    Raises
    ------
    FollowingError
        If nothing in the box can be found again, or another exposure lies over it.

    Notes
    -----
    Normalised correlation gives the places, alignment their parts of a pixel. From the first the way goes to
    the nearest, then to where the last two steps lead; where an exposure is missing there, its number is left
    out and the way goes on from the one after.
    """
    box = start.box
    patch, left, top = cut(picture, box, start.point)
    if not math.isfinite(patch.found_to(max(noise_of(picture), 0.5))):
        raise FollowingError(say("following.nothing-to-hold", name=start.name))
    seen, faint = _places(picture, patch)
    px, py = patch.point
    before = [_Seen(x, y, np.zeros((2, 2)), 1.0) for x, y in start.passed[-2:]]
    first = _Seen(left + px, top + py, np.zeros((2, 2)), 1.0)
    near = 0.5 * APART * box.size
    known = [(first.x, first.y), *start.passed]
    rest = [s for s in seen if all(math.hypot(s.x - x, s.y - y) > near for x, y in known)]
    if any(_touches(first, s, box) for s in rest if s.likeness >= SURE):
        raise FollowingError(say("following.exposure-touched", name=start.name))
    way = [*((i - len(before), one) for i, one in enumerate(before)), (0, first)]
    while rest and way[-1][0] < len(frames) - 1:
        found = _next(way, rest, faint, box)
        if found is None or way[-1][0] + found[0] >= len(frames):
            break
        step, one = found
        way.append((way[-1][0] + step, one))
        rest.remove(one)
    left_over = sum(s.likeness >= SURE for s in rest)
    made = [(n, s, any(_touches(s, o, box) for o in seen if o is not s)) for n, s in way if n >= 0]
    return Exposures(_followed(start, made, frames, times, patch, picture), left_over)


def _touches(one: _Seen, other: _Seen, box: Box) -> bool:
    """Whether another exposure lies over the patch of one: then it is not read well."""
    return abs(one.x - other.x) < TOUCH * box.width and abs(one.y - other.y) < TOUCH * box.height


def _places(picture: Picture, patch: Patch) -> tuple[list[_Seen], list[_Seen]]:
    """All places that look like the patch, the most alike first, none near a better one; and faint ones."""
    h, w = patch.shape
    likeness = likeness_of_body(picture, patch)
    spots = peaks_of(likeness, APART * patch.size, FAINT, MOST_PLACES)
    noise = max(noise_of(picture), 0.5)
    out: list[_Seen] = []
    faint: list[_Seen] = []
    for spot in spots:
        corner = round(spot.x) - ROUND, round(spot.y) - ROUND
        around = smoothed(padded(picture, *corner, w + 2 * ROUND, h + 2 * ROUND))
        found = align(around, corner, patch, (spot.x, spot.y), noise)
        if found is None or found.likeness < LIKE:
            place = spot.x + patch.point[0], spot.y + patch.point[1]
            faint.append(_Seen(*place, np.full((2, 2), math.nan), spot.likeness))
            continue
        residuals = Residuals()
        residuals.add(found)
        spread = OF_ONE_PICTURE**2 * covariance(found, residuals.correlation())
        out.append(_Seen(found.x + patch.point[0], found.y + patch.point[1], spread, found.likeness))
    return out, faint


def _next(
    way: list[tuple[int, _Seen]], rest: list[_Seen], faint: list[_Seen], box: Box
) -> tuple[int, _Seen] | None:
    """How many exposures further on the next one lies, and which it is; None at the end of the way.

    The way ends too where something fainter lies nearer to where it leads: exposures over each other.
    """
    last = way[-1][1]
    if len(way) == 1:
        return 1, min(rest, key=lambda s: math.hypot(s.x - last.x, s.y - last.y))
    (n0, before), (n1, _last) = way[-2:]
    step = np.array([last.x - before.x, last.y - before.y]) / (n1 - n0)
    bend = np.zeros(2)
    if len(way) > 2:
        n, one = way[-3]
        earlier = np.array([before.x - one.x, before.y - one.y]) / (n0 - n)
        bend = (step - earlier) / ((n1 - n) / 2)
    best: tuple[float, int, _Seen] | None = None
    for k in (1, 2, 3):
        to = np.array([last.x, last.y]) + k * step + 0.5 * k * (k + 1) * bend
        # the first steps do not know yet how the body speeds up
        reach = STRAY * k * float(np.hypot(*step)) * (2.0 if len(way) < 3 else 1.0) + 0.5 * box.size
        for one in rest:
            far = math.hypot(one.x - to[0], one.y - to[1])
            if far <= reach and (best is None or (k == best[1] and far < best[0])):
                best = far, k, one
        if best is not None:
            hidden = any(math.hypot(f.x - to[0], f.y - to[1]) < best[0] for f in faint)
            return None if hidden else (best[1], best[2])
    return None


def _followed(
    start: Start, way: list[tuple[int, _Seen, bool]], frames: Sequence[int], times: Sequence[float],
    patch: Patch, picture: Picture,
) -> Followed:  # fmt: skip
    sightings: list[Sighting | None] = [None]
    states: list[State] = ["found"]
    for _number, one, touched in way[1:]:
        state: State = "weak" if touched or one.likeness < SURE else "found"
        doubts = () if state == "found" else ("hidden",) if touched else ("likeness",)
        sightings.append(Sighting(state, one.x, one.y, one.covariance, one.likeness, doubts))  # type: ignore[arg-type]
        states.append(state)
    u = np.array([[math.sqrt(max(float(s.covariance[k, k]), 0.0)) for k in (0, 1)] for _n, s, _t in way])
    # the box is as unsure as the patch that was cut there
    own = float(np.median(u[1:])) if len(u) > 1 else patch.found_to(max(noise_of(picture), 0.5))
    u[0] = own
    numbers = np.array([frames[n] for n, _s, _t in way], dtype=np.int64)
    nothing = np.full(len(way), math.nan)
    return Followed(
        start.name, "pattern", numbers, np.array([times[n] for n in numbers]),
        np.array([s.x for _n, s, _t in way]), np.array([s.y for _n, s, _t in way]), u[:, 0], u[:, 1],
        tuple(states), tuple(sightings), np.array([own, own]), nothing, nothing,
    )  # fmt: skip
