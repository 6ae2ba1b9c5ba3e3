"""A folder of numbered pictures as a take."""

from __future__ import annotations

import re
from collections import Counter
from fractions import Fraction
from typing import TYPE_CHECKING

import cv2
import numpy as np

from saltus.core.progress import LongWork, Progress, Steps
from saltus.files.reading import read_plain
from saltus.footage.facts import PICTURE_ENDINGS, FilmError, FilmFacts
from saltus.footage.reader import never, require_frame
from saltus.footage.repeats import RepeatFinder
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from numpy.typing import NDArray

ENDINGS = frozenset(PICTURE_ENDINGS)
_LAST_NUMBER = re.compile(r"(\d{1,12})(?!.*\d)")
MOST_PICTURES = 200_000
LARGEST_PICTURE = 256 * 1024 * 1024


def numbered_pictures(folder: Path) -> list[tuple[int, Path]]:
    """List the pictures of a folder with the number in their names, in order.

    Parameters
    ----------
    folder : Path

    Raises
    ------
    FilmError
        If there are none, or two have one number.
    """
    found = []
    for path in folder.iterdir():
        number = _LAST_NUMBER.search(path.stem)
        if path.suffix.lower() in ENDINGS and number and not path.name.startswith("."):
            found.append((int(number[1]), path))
    if not found:
        raise FilmError(say("pictures.holds-no-numbered-pictures", name=folder.name))
    if len(found) > MOST_PICTURES:
        raise FilmError(say("pictures.holds-too-many-pictures", name=folder.name))
    # other pictures may lie beside a series: the most frequent name around the number is the series
    stems = Counter(_LAST_NUMBER.sub("#", path.stem) + path.suffix.lower() for _n, path in found)
    series = stems.most_common(1)[0][0]
    chosen = sorted((n, p) for n, p in found if _LAST_NUMBER.sub("#", p.stem) + p.suffix.lower() == series)
    if len({n for n, _p in chosen}) != len(chosen):
        raise FilmError(say("pictures.two-pictures-same-number", name=folder.name))
    return chosen


def load_picture(path: Path) -> NDArray[np.uint8]:
    """Load one picture, turned as its camera says, (H, W, 3) uint8 RGB.

    Raises
    ------
    FilmError
        If it cannot be read.
    """
    try:
        data = np.frombuffer(read_plain(path, LARGEST_PICTURE), dtype=np.uint8)
        picture = cv2.imdecode(data, cv2.IMREAD_COLOR_RGB) if data.size else None
    except (OSError, cv2.error) as error:
        raise FilmError(say("pictures.picture-cannot-read", name=path.name)) from error
    if picture is None:
        raise FilmError(say("pictures.picture-cannot-read", name=path.name))
    return np.asarray(picture, dtype=np.uint8)


@LongWork
def survey_pictures(folder: Path, rate: float) -> Steps[FilmFacts]:
    """Look through a folder of numbered pictures taken at a steady rate.

    Parameters
    ----------
    folder : Path
    rate : float
        Pictures per second; a number left out leaves a gap in the times.

    Raises
    ------
    FilmError
        If there are none, one cannot be read, or their sizes differ.
    """
    if not 1e-3 <= rate <= 1e6:
        raise FilmError(say("pictures.rate-pictures-lie-between"))
    numbered = numbered_pictures(folder)
    finder = RepeatFinder()
    size: tuple[int, ...] | None = None
    for i, (_number, path) in enumerate(numbered):
        picture = load_picture(path)
        size = size or picture.shape
        if picture.shape != size:
            raise FilmError(
                say(
                    "pictures.other-size",
                    name=path.name,
                    w=picture.shape[1],
                    h=picture.shape[0],
                    w0=size[1],
                    h0=size[0],
                )
            )
        finder.feed(np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), dtype=np.uint8))
        yield Progress(i + 1, len(numbered))
    assert size is not None
    start = numbered[0][0]
    return FilmFacts(
        width=size[1],
        height=size[0],
        rotation_deg=0,
        codec="pictures",
        ticks=tuple(n - start for n, _p in numbered),
        time_base=1 / Fraction(rate).limit_denominator(1_000_000),
        start_ticks=0,
        last_ticks=1,
        sound=False,
        duplicates=finder.found(),
        warnings=(finder.rhythm.words(rate),) if finder.rhythm is not None else (),
    )


class PictureReader:
    """Frames of a folder of pictures by number."""

    def __init__(self, folder: Path, facts: FilmFacts) -> None:
        self.facts = facts
        self._paths = [path for _number, path in numbered_pictures(folder)]

    def at_hand(self, frame: int) -> bool:
        """Every picture comes without the others."""
        return True

    def picture(self, frame: int, gone: Callable[[], bool] = never) -> NDArray[np.uint8]:
        """Give a frame as displayed, (height, width, 3) uint8 RGB."""
        require_frame(frame, self.facts)
        if len(self._paths) != self.facts.frames:
            raise FilmError(say("pictures.pictures-come-gone-folder"))
        return load_picture(self._paths[frame])

    def brightness(self, frame: int, gone: Callable[[], bool] = never) -> NDArray[np.uint8]:
        """Give the brightness of a frame, (height, width) uint8."""
        return self.brightness_first(frame)[0]

    def brightness_first(self, frame: int) -> tuple[NDArray[np.uint8], Callable[[], NDArray[np.uint8]]]:
        """Give the brightness of a frame now, and its picture when it is asked for."""
        picture = self.picture(frame)
        return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), dtype=np.uint8), lambda: picture

    def close(self) -> None:
        """Nothing is held open."""
