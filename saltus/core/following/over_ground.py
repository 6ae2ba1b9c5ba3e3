"""A body laid over the ground behind it: its edge then does not take the ground for a part of the body."""

from __future__ import annotations

import math
from collections import deque
from copy import copy
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.following.alignment import Alignment, align
from saltus.core.following.all_at_once import InItsFrame, moves
from saltus.core.following.judgement import MOST_HIDDEN
from saltus.core.following.search import region_about
from saltus.core.following.spline import RIM, coefficients, values_shifted
from saltus.core.following.uncertainty import Residuals

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.following.ground import Ground
    from saltus.core.following.patch import Box, Image, Patch

    Picture = NDArray[np.uint8]

FEWEST, WANTED, MANY, LOOKED_EVERY = 6, 24, 120, 6
"""Pictures before a cover is made first, and once more from all that wait; at the end with the fewest."""
USED = 30
"""So many of them, spread evenly, make a cover: sixty made none that placed bodies better."""
WAITING, FEWEST_WAITING, WAITING_BYTES = 240, 40, 64 * 1024 * 1024
"""So many pictures wait until what lies behind them is known; older ones stay as they were read."""
KNOWN_SHARE = 0.97
INSIDE_U, ROUND_U = 0.1, 1.0
"""How well it is known beforehand what is covered: within the body, and round it, where its shadow falls."""
RISE, RISE_WIDE = 0.85, 0.3
"""A body fills its box up to so much of its half width; from there the cover falls off to nothing."""
ROUNDS, REST_PX, FARTHEST_STEP_PX = 4, 0.02, 0.5
FARTHEST_PX = 1.5
WORSE = 3.0
"""What is left may be so many times as much as is usual: else the ground is another, or the camera moved."""


@dataclass(frozen=True)
class Waiting:
    """A picture that may be read again once the ground behind the body is known.

    Attributes
    ----------
    index : int
        Its number from the start.
    region : ndarray of float32
        Smoothed grey levels round the body.
    corner : (x, y)
        Where the region begins in the picture, px.
    found : Alignment
        As it was read.
    """

    index: int
    region: Image
    corner: tuple[int, int]
    found: Alignment


class OverGround:
    """Reads places again as a body that covers what lies behind it.

    Parameters
    ----------
    ground : Ground
    box : Box
        Round the body.

    Attributes
    ----------
    ground : Ground
    settled : bool
        Whether the cover stays as it is.
    body : Patch or None
        The body's own light and how far the ground shows through, once that is known.
    offset : (x, y)
        How far its places lie from those read without, in the mean of the pictures it was made from, px.
    read : set of int
        Pictures that were read so.
    residuals : Residuals
        Of those.

    Notes
    -----
    In each pixel of the body's own frame the picture is G + c·B, B what lies behind: where B changes as the
    body moves over it, c comes from the regression of the picture on B, else from the shape of the box. A
    place is then found by least squares with the body shifted and the ground where it is (:mod:`alignment`),
    at first all places together with what is covered (:mod:`all_at_once`).
    """

    def __init__(self, ground: Ground, box: Box) -> None:
        self.ground, self._box = ground, box
        self._waiting: deque[Waiting] = deque()
        self._since, self._usual = 0, math.inf
        self._laid: dict[int, Alignment | None] = {}
        self.settled = False
        self.body: Patch | None = None
        self.offset = (0.0, 0.0)
        self.read: set[int] = set()
        self.residuals = Residuals()

    def add(self, picture: Picture, index: int, patch: Patch, found: Alignment) -> None:
        """Let a picture in which the body was found wait."""
        region, corner = region_about(picture, patch.shape, (found.x, found.y))
        self._waiting.append(Waiting(index, region, corner, found))
        self._since += 1
        most = min(max(WAITING_BYTES // (6 * region.nbytes), FEWEST_WAITING), WAITING)
        while len(self._waiting) > most:
            # the first is what all are held against
            del self._waiting[1]

    @property
    def due(self) -> bool:
        """Whether it is worth trying to make the cover."""
        wanted = WANTED if self.body is None else MANY
        if self.settled or len(self._waiting) < wanted or self._since < LOOKED_EVERY:
            return False
        self._since = 0
        return True

    def known_behind(
        self, corner: tuple[int, int], shape: tuple[int, ...], least: float = KNOWN_SHARE
    ) -> Image | None:
        """What lies behind a region of the picture.

        Parameters
        ----------
        corner : (x, y)
            Where it begins, px.
        shape : (H, W)
        least : float
            Share that must be known, else None is given.
        """
        grey, known = self.ground.behind(corner[0], corner[1], shape[1], shape[0])
        return grey if float(known[RIM:-RIM, RIM:-RIM].mean()) >= least else None

    def make(self, patch: Patch, noise: float, fewest: int = FEWEST) -> bool:
        """Learn what the body covers from the pictures that wait; False while too little is known.

        Parameters
        ----------
        patch : Patch
        noise : float
            Standard deviation of a smoothed grey level.
        fewest : int
            Pictures whose ground must be known.
        """
        chosen = []
        for one in self._waiting:
            behind = self.known_behind(one.corner, one.region.shape)
            if behind is not None:
                chosen.append((one, behind))
        if len(chosen) < fewest:
            return False
        chosen = [chosen[round(i)] for i in np.linspace(0, len(chosen) - 1, min(len(chosen), USED))]
        plain = {}
        for one, _behind in chosen:
            there = align(one.region, one.corner, patch, (one.found.x, one.found.y), noise)
            plain[one.index] = there if there is not None else one.found
        places = dict(plain)
        splines = _Splines(chosen)
        for _round in range(ROUNDS):
            _body, seen = self._learnt(patch, splines, places, noise)
            step = moves(seen)
            for (one, _behind), move in zip(chosen, step, strict=True):
                places[one.index] = _moved_by(places[one.index], move)
            if float(np.abs(step[:, :2]).max()) < REST_PX:
                break
        body, _seen = self._learnt(patch, splines, places, noise)
        self._laid = {}
        for one, behind in chosen:
            start = places[one.index].x, places[one.index].y
            again = align(one.region, one.corner, body, start, noise, ground=behind)
            self._laid[one.index] = again
            if again is not None:
                places[one.index] = again
        self.settled, self.body = len(self._waiting) >= MANY, body
        self._usual = float(np.median([place.mean_square for place in places.values()]))
        off = [(places[i].x - plain[i].x, places[i].y - plain[i].y) for i in plain]
        self.offset = float(np.mean([x for x, _y in off])), float(np.mean([y for _x, y in off]))
        return True

    def _learnt(
        self, patch: Patch, splines: _Splines, places: dict[int, Alignment], noise: float
    ) -> tuple[Patch, InItsFrame]:
        """The body's own light and how far the ground shows through, pixel by pixel, and where."""
        pictures: list[Image] = []
        grounds: list[Image] = []
        for i, (one, _behind) in enumerate(splines.seen):
            at = places[one.index]
            seen, behind = splines.laid_under(i, at.x, at.y)
            pictures.append((seen - at.offset) / (at.gain or 1.0))
            grounds.append(behind)
        picture, ground = np.stack(pictures), np.stack(grounds)
        mean_p, mean_g = picture.mean(axis=0), ground.mean(axis=0)
        off = ground - mean_g
        prior = self._prior(patch)
        ridge = (noise / np.where(prior > 0, ROUND_U, INSIDE_U)) ** 2
        through = (np.sum(off * (picture - mean_p), axis=0) + ridge * prior) / (
            np.sum(off**2, axis=0) + ridge
        )
        through = np.clip(through, 0.0, 1.0).astype(np.float32)
        own = (mean_p - through * mean_g).astype(np.float32)
        inner = (slice(RIM, -RIM), slice(RIM, -RIM))
        flat = len(picture), -1
        body = InItsFrame(
            picture[:, *inner].reshape(flat).astype(float),
            ground[:, *inner].reshape(flat).astype(float),
            own[inner].ravel().astype(float),
            through[inner].ravel().astype(float),
            _slopes(own, inner),
            _slopes(through, inner),
            ridge[inner].ravel().astype(float),
        )
        return replace(patch, values=own, through=through, plain=patch), body

    def _prior(self, patch: Patch) -> Image:
        """How far the ground shows through where a body fills the ellipse of its box, 0 to 1."""
        h, w = patch.shape
        across = (np.arange(-RIM, w + RIM) - (w - 1) / 2) / (self._box.width / 2)
        down = (np.arange(-RIM, h + RIM) - (h - 1) / 2) / (self._box.height / 2)
        far = np.hypot(across[None, :], down[:, None])
        return np.asarray(np.clip((far - RISE) / RISE_WIDE, 0.0, 1.0), dtype=np.float32)

    def laid(
        self, region: Image, corner: tuple[int, int], start: tuple[float, float], noise: float
    ) -> Alignment | None:
        """Lay the body over the ground near a place.

        Parameters
        ----------
        region : (H, W) ndarray of float32
            Smoothed grey levels of a part of the picture.
        corner : (x, y)
            Where that part begins, px.
        start : (x, y)
            Where the patch's first pixel may lie, px of the picture.
        noise : float
            Standard deviation of a smoothed grey level.

        Returns
        -------
        Alignment or None
            None while the body or the ground is not known.
        """
        behind = self.known_behind(corner, region.shape) if self.body is not None else None
        if self.body is None or behind is None:
            return None
        return align(region, corner, self.body, start, noise, ground=behind)

    def refined(
        self, region: Image, corner: tuple[int, int], found: Alignment, noise: float
    ) -> Alignment | None:
        """Read a place again over the ground behind it.

        Parameters
        ----------
        region, corner, noise
            See :meth:`laid`.
        found : Alignment
            As it was read.

        Returns
        -------
        Alignment or None
            None where the ground is not known, or is another.
        """
        return self._believed(self.laid(region, corner, (found.x, found.y), noise), found)

    def learnt_anew(self, patch: Patch, noise: float) -> tuple[OverGround, float] | None:
        """Learn what the body covers from all that waits by now, on trial.

        Parameters
        ----------
        patch, noise
            See :meth:`make`.

        Returns
        -------
        trial : OverGround
        likeness : float
            Of the last picture that waits, over the ground, −1 to 1. None instead of both where what is
            covered is settled, or too little is known.
        """
        trial = copy(self)
        if self.settled or not trial.make(patch, noise):
            return None
        last = self._waiting[-1]
        again = trial.refined(last.region, last.corner, last.found, noise)
        return None if again is None else (trial, again.likeness)

    def _believed(self, again: Alignment | None, found: Alignment) -> Alignment | None:
        """What was read again, unless it is another place, or the ground is another."""
        if again is None or math.hypot(again.x - found.x, again.y - found.y) > FARTHEST_PX:
            return None
        if again.hidden > MOST_HIDDEN or again.mean_square > WORSE * self._usual:
            return None
        return again

    def reread(self, noise: float) -> dict[int, Alignment]:
        """Read what waits again as far as its ground is known; it waits on until the cover is settled.

        Parameters
        ----------
        noise : float
            Standard deviation of a smoothed grey level.
        """
        out, left = {}, []
        for one in self._waiting:
            if one.index in self._laid:
                again = self._believed(self._laid.pop(one.index), one.found)
            else:
                again = self.refined(one.region, one.corner, one.found, noise)
            if again is not None:
                out[one.index] = again
                self.read.add(one.index)
            if again is None or not self.settled:
                left.append(one)
        self._waiting = deque(left)
        return out


class _Splines:
    """Pictures and what lies behind, moved so that the body stands still; their coefficients are kept."""

    def __init__(self, seen: list[tuple[Waiting, Image]]) -> None:
        self.seen = seen
        self._kept: dict[int, tuple[tuple[int, int], Image, Image]] = {}

    def laid_under(self, i: int, x: float, y: float) -> tuple[Image, Image]:
        """The ith picture and ground under a patch whose first pixel lies there, px."""
        nx, ny = math.floor(x + 0.5), math.floor(y + 0.5)
        kept = self._kept.get(i)
        if kept is None or kept[0] != (nx, ny):
            one, behind = self.seen[i]
            left, top = nx - 2 * RIM - one.corner[0], ny - 2 * RIM - one.corner[1]
            region, ground = (coefficients(_moved(image, left, top)) for image in (one.region, behind))
            kept = self._kept[i] = (nx, ny), region, ground
        return values_shifted(kept[1], nx - x, ny - y), values_shifted(kept[2], nx - x, ny - y)


def _slopes(image: Image, inner: tuple[slice, slice]) -> NDArray[np.float64]:
    down, along = np.gradient(image.astype(float))
    return np.stack([along[inner].ravel(), down[inner].ravel()])


def _moved_by(found: Alignment, move: NDArray[np.float64]) -> Alignment:
    x, y, gain, offset = (float(m) for m in move)
    step = math.hypot(x, y)
    short = min(1.0, FARTHEST_STEP_PX / step) if step else 1.0
    return replace(
        found,
        x=found.x + short * x,
        y=found.y + short * y,
        gain=found.gain * (1 + gain),
        offset=found.offset + found.gain * offset,
    )


def _moved(image: Image, left: int, top: int) -> Image:
    """A region moved by whole pixels; beyond its edge the pixels there go on."""
    if not left and not top:
        return image
    ys = np.clip(np.arange(image.shape[0]) + top, 0, image.shape[0] - 1)
    xs = np.clip(np.arange(image.shape[1]) + left, 0, image.shape[1] - 1)
    return np.ascontiguousarray(image[np.ix_(ys, xs)])
