"""The headline result of a take as another way into the world, another clock or a drift would have it."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.motion.segment import SegmentFit
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.derived.motion import fit_of, headline, motion_by, seen_from

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take

MOST = 240
"""So many readings tell what a fault does; more would only take longer."""
FEWEST = 3


class HeadlineUnder:
    """The headline result of a take under other ways into the world; a length where there is none."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.mapping = geometry_of(take).mapping
        found = headline(take)
        self.segment = take.headline_segment if found is not None else None
        self.name, self.value = found if found is not None else ("length", self.length_across(self.mapping))

    def length_across(self, mapping: Mapping) -> Quantity | None:
        """A length across the middle half of the picture, or of the ground that is seen."""
        if not mapping.scaled:
            return None
        width, height = self.take.facts.width, self.take.facts.height
        ends = np.array([[0.25 * width, 0.75 * width], [0.5 * height, 0.5 * height]])
        if mapping.ground is not None:
            straight = mapping.ground.straight
            ends = np.stack([straight[:, 0], straight[:, -1 if straight.shape[1] != 4 else 2]], axis=1)
            ends = ends if mapping.lens is None else mapping.lens.bent(ends)
        if not mapping.reaches(ends).all():
            return None
        first, last = (mapping.place(float(ends[0, n]), float(ends[1, n])) for n in (0, 1))
        along, up = last[0] - first[0], last[1] - first[1]
        return (along * along + up * up) ** 0.5

    def under(
        self, mapping: Mapping, *, slower: float = 1.0, drift: tuple[float, float] | None = None
    ) -> float | None:
        """The value under another way, with times so many times as long, or in a picture that drifts.

        Parameters
        ----------
        mapping : Mapping
        slower : float
            What all times are multiplied by.
        drift : (right, down), optional
            How far the picture has moved at the last reading, px; it begins slowly.
        """
        if self.segment is None:
            length = self.length_across(mapping) if drift is None else None
            return float(length) if length is not None else None
        body = self.take.body(self.segment.body)
        if body is None:
            return None
        motion = motion_by(self.take, body, mapping, self._frames)
        about = self.segment.of.partition("@")[2]
        if about:
            motion = seen_from(
                self.take, motion, about, lambda b: motion_by(self.take, b, mapping, self._frames)
            )
        if len(motion.t) < FEWEST:
            return None
        if drift is not None:
            share = ((motion.t - motion.t[0]) / max(float(np.ptp(motion.t)), 1e-12)) ** 2
            way = mapping.derivative(0, *mapping.origin) @ np.array(drift)
            x, y = (q.moved_to(q.value + w * share) for q, w in zip((motion.x, motion.y), way, strict=True))
            motion = replace(motion, x=x, y=y)
        fit = fit_of(self.take, self.segment, replace(motion, t=motion.t * slower))
        if not isinstance(fit, SegmentFit) or fit.leading[1] is None:
            return None
        return float(fit.leading[1])

    @cached_property
    def _frames(self) -> NDArray[np.int64]:
        """Frames of the segment that tell enough, evenly taken."""
        body = self.take.body(self.segment.body) if self.segment is not None else None
        if body is None or self.segment is None:
            return np.zeros(0, dtype=np.int64)
        frames = body.readings.used.frame
        frames = frames[(frames >= self.segment.first) & (frames <= self.segment.last)]
        chosen = np.unique(np.linspace(0, len(frames) - 1, min(MOST, len(frames))).astype(int))
        return np.asarray(frames[chosen])

    @cached_property
    def now(self) -> float | None:
        """The value as things are, found as those it is held against."""
        return self.under(self.mapping)
