"""What comes of a body that was followed: its places, how sure they are, and what they have in common."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, Protocol

import numpy as np

from saltus.core.following.drift import drifted
from saltus.core.following.off_way import off_their_way
from saltus.core.following.resemblance import spread_beyond
from saltus.core.following.uncertainty import Quarters, in_motion, scatter_factors

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.core.following.prediction import Way
    from saltus.core.following.sighting import Sighting, State

    Array = NDArray[np.float64]
    Picture = NDArray[np.uint8]

Method = Literal["auto", "pattern", "colour", "spot", "edge"]
METHODS: tuple[Method, ...] = ("auto", "pattern", "colour", "spot", "edge")


class Follower(Protocol):
    """What finds one body again; see :class:`saltus.core.following.pattern.PatternFollower`."""

    way: Way
    lost_for: int
    revised: dict[int, Sighting]
    u_patch: Array
    shift: tuple[float, float]
    quarters: Quarters

    def step(self, picture: Picture, t: float, others: tuple[Any, ...] = ()) -> Sighting:
        """Look for it in the next picture.

        Parameters
        ----------
        picture : (H, W) ndarray of uint8
        t : float
            s
        others : tuple
        """

    def looks_at(self, t: float) -> tuple[float, float, float]:
        """Where the point that is read is looked for at a time, s, and how far to each side, px."""

    def settle(self) -> None:
        """Finish what is learnt from the first pictures."""


@dataclass(frozen=True)
class Followed:
    """The places of one body over a run.

    Attributes
    ----------
    name, method : str
    frames : (N,) ndarray of int
    t : (N,) ndarray
        s
    x, y, u_x, u_y : (N,) ndarray
        px; NaN where it is lost. u is the frame's own part.
    states : tuple of {"found", "weak", "lost"}
    sightings : tuple of Sighting or None
        None for the picture the box was drawn in.
    u_patch : (2,) ndarray
        Standard uncertainty along x and y that all places of the run have in common, px.
    angle, u_angle : (N,) ndarray
        Turned clockwise as seen since the first picture, rad; NaN where turning is not read.
    renewals : tuple of (int, (x, y))
        First frame read with a patch made anew, and how far that may lie off the one before, standard
        uncertainty, px; in the order of the run.
    """

    name: str
    method: Method
    frames: NDArray[np.int64]
    t: Array
    x: Array
    y: Array
    u_x: Array
    u_y: Array
    states: tuple[State, ...]
    sightings: tuple[Sighting | None, ...]
    u_patch: Array
    angle: Array
    u_angle: Array
    renewals: tuple[tuple[int, tuple[float, float]], ...] = ()

    @property
    def u_common(self) -> Array:
        """Standard uncertainty that each place has in common with the others, (2, N) px."""
        backwards = len(self.states) > 1 and self.sightings[0] is not None
        start = int(self.frames[-1 if backwards else 0])
        return self.u_patch[:, None] + drifted(self.frames, start, self.renewals)

    def count(self, state: State) -> int:
        """How many pictures have a state."""
        return self.states.count(state)


class Seen(NamedTuple):
    """The pictures of a run: their frames, times, s, and which show the same as the one before."""

    frames: Sequence[int]
    times: Sequence[float]
    repeats: Sequence[bool]


def followed_of(
    name: str, method: Method, place: tuple[float, float], follower: Follower, sightings: Sequence[Sighting],
    run: Seen,
) -> Followed:  # fmt: skip
    """Put together what was seen of a body, the first pictures as the settled patch sees them.

    Parameters
    ----------
    name : str
    method : Method
    place : (x, y)
        Of the point, in the picture the box was drawn in, px.
    follower : Follower
    sightings : sequence of Sighting
        Of the pictures after that one.
    run : Seen
    """
    follower.settle()
    seen = [follower.revised.get(i, s) for i, s in enumerate(sightings, 1)]
    frames, t = np.array(run.frames, dtype=np.int64), np.array(run.times)
    u_patch = np.sqrt(np.maximum(np.diag(follower.u_patch), 0.0) + follower.quarters.variance())
    # against the rest of the run the typed place is off by what the patch is off
    first_u = np.maximum(u_patch, 0.01)
    x, y = (
        np.array([p0, *(getattr(s, c) + off for s in seen)])
        for c, p0, off in zip("xy", place, follower.shift, strict=True)
    )
    u_x, u_y = (
        np.sqrt([first_u[k] ** 2, *(s.covariance[k, k] if s.state != "lost" else math.nan for s in seen)])
        for k in (0, 1)
    )
    order = np.argsort(t, kind="stable")
    seen = _doubted_off_way(t, np.stack([x, y], axis=1), order, seen, run.repeats)
    states: tuple[State, ...] = ("found", *(s.state for s in seen))
    # a repeated picture shows an earlier moment: as a kink of the motion it would spoil every u about it
    sure = np.array([s == "found" for s in states]) & ~np.array(run.repeats)
    sure[0] = False
    chosen = order[sure[order]]
    moving = in_motion(np.stack([x, y], axis=1)[chosen])
    for places, u in ((x, u_x), (y, u_y)):
        _scattered(t, places, u, chosen, moving)
    for k, (places, u) in enumerate(((x, u_x), (y, u_y))):
        u[1:] = np.hypot(u[1:], math.sqrt(follower.quarters.variance()[k]))
        u[1:] *= spread_beyond(places[chosen], u[chosen])
    angle, u_angle = _turned(t, seen, chosen)
    return Followed(
        name, method, frames[order], t[order], x[order], y[order], u_x[order], u_y[order],
        tuple(states[i] for i in order), tuple((None, *seen)[i] for i in order), u_patch, angle[order],
        u_angle[order], _renewals(follower, frames),
    )  # fmt: skip


def _doubted_off_way(
    t: Array, places: Array, order: NDArray[np.int_], seen: Sequence[Sighting], repeats: Sequence[bool]
) -> list[Sighting]:
    """Doubt what was found in single pictures off the way that it went before and after."""
    there = order[np.isfinite(places[order]).all(axis=1) & ~np.array(repeats)[order]]
    off = set(there[off_their_way(t[there], places[there])].tolist())
    return [
        replace(s, state="weak", doubts=("jump",)) if i in off and s.state == "found" else s
        for i, s in enumerate(seen, 1)
    ]


def _turned(t: Array, seen: Sequence[Sighting], chosen: NDArray[np.int_]) -> tuple[Array, Array]:
    """How far it was turned, and how sure that is; NaN where turning is not read."""
    angles = [(s.angle, s.u_angle) for s in seen]
    turned = any(math.isfinite(a) for a, _u in angles)
    angle, u_angle = (np.array([0.0 if turned else math.nan, *(pair[k] for pair in angles)]) for k in (0, 1))
    u_angle[0] = math.nan
    if turned:
        _scattered(t, angle, u_angle, chosen[np.isfinite(u_angle[chosen])])
        u_angle[1:] *= spread_beyond(angle[chosen], u_angle[chosen])
    return angle, u_angle


def _renewals(follower: Follower, frames: NDArray[np.int64]) -> tuple[tuple[int, tuple[float, float]], ...]:
    """When a patch was made anew, by the frames; one made after the last frame renews nothing."""
    made = getattr(follower, "renewals", ())
    return tuple(
        (int(frames[one.number]), (float(one.u[0]), float(one.u[1])))
        for one in made
        if one.number < len(frames)
    )


def _scattered(
    t: Array, values: Array, u: Array, chosen: NDArray[np.int_], moving: NDArray[np.bool_] | None = None
) -> None:
    """Enlarge u, in place, to what the values of the chosen pictures scatter; no doubted one is surer."""
    if len(chosen) and np.all(np.diff(t[chosen]) > 0):
        u[1:] *= np.interp(t[1:], t[chosen], scatter_factors(t[chosen], values[chosen], u[chosen], moving))
