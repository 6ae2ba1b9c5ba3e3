"""One picture with several exposures of a body at a flash rate, as a take: each frame is an exposure."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.footage.facts import STILL, FilmError, FilmFacts
from saltus.footage.pictures import ENDINGS, load_picture
from saltus.footage.reader import never, require_frame
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from numpy.typing import NDArray

    Picture = NDArray[np.uint8]

EXPOSURES, MOST_EXPOSURES = 24, 1000
SLOWEST, FASTEST = 1e-3, 1e6


def is_picture(path: Path) -> bool:
    """Whether a file is a picture by its name."""
    return path.suffix.lower() in ENDINGS and path.is_file()


def still_facts(path: Path, rate: float | None, exposures: int = EXPOSURES) -> FilmFacts:
    """Look at a picture that holds exposures at a flash rate.

    Parameters
    ----------
    path : Path
    rate : float or None
        Flashes per second.
    exposures : int
        How many there may be to read; more than there are do no harm.

    Raises
    ------
    FilmError
        If the rate is not stated or makes no sense, or the picture cannot be read.

    Notes
    -----
    Nothing in a picture tells its rate: at half or twice of it the places are the same, and all speeds are
    half or twice as large.
    """
    if rate is None:
        raise FilmError(say("stills.say-rate", name=path.name))
    if not SLOWEST <= rate <= FASTEST:
        raise FilmError(say("pictures.rate-pictures-lie-between"))
    if not 2 <= exposures <= MOST_EXPOSURES:
        raise FilmError(say("stills.exposures", most=MOST_EXPOSURES))
    height, width = load_picture(path).shape[:2]
    told = {"rate": f"{rate:g}", "half": f"{rate / 2:g}", "double": f"{2 * rate:g}"}
    return FilmFacts(
        width=width,
        height=height,
        rotation_deg=0,
        codec=STILL,
        ticks=tuple(range(exposures)),
        time_base=1 / Fraction(rate).limit_denominator(1_000_000),
        start_ticks=0,
        last_ticks=1,
        sound=False,
        warnings=(
            say("stills.rates-look-alike", rate=told["rate"], half=told["half"], double=told["double"]),
        ),
    )


class StillReader:
    """The one picture, whichever exposure of it is asked for."""

    def __init__(self, path: Path, facts: FilmFacts) -> None:
        self.facts, self._path = facts, path
        self._picture: Picture | None = None

    def at_hand(self, frame: int) -> bool:
        """It comes at once."""
        return True

    def picture(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give the picture, (height, width, 3) uint8 RGB."""
        require_frame(frame, self.facts)
        if self._picture is None:
            self._picture = load_picture(self._path)
        return self._picture

    def brightness(self, frame: int, gone: Callable[[], bool] = never) -> Picture:
        """Give the brightness of the picture, (height, width) uint8."""
        return self.brightness_first(frame)[0]

    def brightness_first(self, frame: int) -> tuple[Picture, Callable[[], Picture]]:
        """Give the brightness now, and the picture when it is asked for."""
        picture = self.picture(frame)
        return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), dtype=np.uint8), lambda: picture

    def close(self) -> None:
        """Nothing is held open."""
