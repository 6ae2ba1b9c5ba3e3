"""What is known of a film once it has been read through."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

from saltus.core.clock.frame_times import Regularity, regularity

if TYPE_CHECKING:
    from fractions import Fraction


STILL = "still"
"""Codec of a picture that holds several exposures: its frames are these."""
PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".bmp", ".tif", ".tiff", ".webp")


class FilmError(ValueError):
    """A film that cannot be used: which, why, and what to do, in one sentence for people."""


@dataclass(frozen=True)
class FilmFacts:
    """The facts of a film or a folder of pictures.

    Attributes
    ----------
    width, height : int
        Of the displayed picture, px: turned by the rotation, square pixels.
    rotation_deg : int
        Clockwise turn applied for display: 0, 90, 180 or 270.
    codec : str
    ticks : tuple of int
        Presentation time of each frame since the first, in ticks.
    time_base : Fraction
        One tick, s.
    start_ticks : int
        Time of the first frame on the container's own clock, in ticks.
    last_ticks : int
        How long the last frame stays on screen, in ticks.
    sound : bool
    duplicates : tuple of int
        Frames that repeat the one before.
    warnings : tuple of str
        Sentences for people.
    raw_ticks : tuple of int
        The times in the order the decoder gave them, for finding frames again; empty when they could not
        be used for that.
    keyframes : tuple of int
        Frames from which decoding can start.
    checked : bool
        Whether every frame was decoded: only then are repeats and damage known.
    pictures : bool
        Whether there is anything to see: a recording of sound alone has steps of time for frames.
    stated_rate : float
        Rate at which the file says it was taken, Hz, where that is faster than it plays; 0: it does not say.
    """

    width: int
    height: int
    rotation_deg: int
    codec: str
    ticks: tuple[int, ...]
    time_base: Fraction
    start_ticks: int
    last_ticks: int
    sound: bool
    duplicates: tuple[int, ...] = ()
    warnings: tuple[str, ...] = ()
    raw_ticks: tuple[int, ...] = ()
    keyframes: tuple[int, ...] = ()
    checked: bool = True
    pictures: bool = True
    stated_rate: float = 0.0

    def with_exposures(self, count: int) -> FilmFacts:
        """The same for a picture in which there are so many exposures to read; 0: as it is."""
        return replace(self, ticks=tuple(range(count))) if count else self

    @property
    def frames(self) -> int:
        """How many frames can be read."""
        return len(self.ticks)

    @cached_property
    def times(self) -> tuple[float, ...]:
        """Presentation time of each frame, s; the first is 0."""
        return tuple(float(t * self.time_base) for t in self.ticks)

    @property
    def duration_s(self) -> float:
        """Until the last frame leaves the screen, s."""
        return float((self.ticks[-1] + self.last_ticks) * self.time_base)

    @property
    def start_s(self) -> float:
        """Time of the first frame on the container's clock, s."""
        return float(self.start_ticks * self.time_base)

    @cached_property
    def regularity(self) -> Regularity:
        """How evenly the frames follow each other."""
        return regularity(self.times, float(self.time_base))
