"""Annotated films, stills, strobe pictures and animated pictures of a take, frame by frame."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter

from saltus.core.progress import LongWork, Progress
from saltus.core.strobe import MOST_FOR_GROUND, Strobe, ground_of
from saltus.exchange.picture_marks import PictureMarks
from saltus.footage.opening import reader_of
from saltus.footage.writing_films import LEAST_S, film_writer, write_moving_picture
from saltus.printing.annotated import draw_annotated
from saltus.printing.pictures import as_array, as_image, write_image

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from numpy.typing import NDArray

    from saltus.core.progress import Steps
    from saltus.exchange.picture_marks import MarksWanted
    from saltus.notebook.model import Take

    Picture = NDArray[np.uint8]

SHADE = 0.9
"""A body and what shades the ground beside it reach so many of its sizes from its middle."""
MOST_MOVING, MOVING_PX = 80, 640
"""An animated picture has at most so many frames, none of them longer than so many px."""


def annotated(picture: Picture, marks: PictureMarks, frame: int) -> Picture:
    """A picture of a take with the marks of a frame, (H, W, 3) RGB."""
    image = as_image(picture)
    made = QImage(image.size(), QImage.Format.Format_RGB32)
    painter = QPainter(made)
    draw_annotated(painter, QRectF(made.rect()), image, marks, frame)
    painter.end()
    return as_array(made)


def write_still(
    picture: QImage, marks: PictureMarks, frame: int, path: Path, *, strobe: bool = False
) -> None:
    """Write a picture of a take with the marks of a frame as PNG, in the size of the film.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    made = QImage(picture.size(), QImage.Format.Format_RGB32)
    painter = QPainter(made)
    draw_annotated(painter, QRectF(made.rect()), picture, marks, frame, strobe=strobe)
    painter.end()
    write_image(made, path)


def write_picture(picture: Picture, path: Path) -> None:
    """Write a picture, (H, W, 3) RGB, as PNG.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    write_image(as_image(picture), path)


@LongWork
def write_annotated_film(take: Take, film: Path, output: Path, wanted: MarksWanted) -> Steps[None]:
    """Write the film of a take with its marks, each frame at the time it has in the film.

    Parameters
    ----------
    take : Take
    film : Path
    output : Path
        MP4; whole or not there.
    wanted : MarksWanted

    Raises
    ------
    FilmError
        If a frame cannot be read.
    OutputError
        If it cannot be written there.
    """
    facts, marks = take.facts.film_facts(), PictureMarks(take, wanted)
    reader = reader_of(film, facts, in_order=True)
    try:
        with film_writer(output, facts) as writer:
            for frame in range(facts.frames):
                writer.add(annotated(reader.picture(frame), marks, frame), frame)
                yield Progress(frame + 1, facts.frames)
    finally:
        reader.close()


@LongWork
def write_animated_picture(take: Take, film: Path, output: Path, wanted: MarksWanted) -> Steps[None]:
    """Write the kept part of a take with its marks as an animated picture for a sheet: fewer, smaller frames.

    Parameters
    ----------
    take, film, output, wanted
        See :func:`write_annotated_film`; the ending says which kind of picture.
    """
    facts, marks = take.facts.film_facts(), PictureMarks(take, wanted)
    kept = take.kept_frames
    beat = facts.regularity.spacing_s or LEAST_S
    frames = list(kept[:: max(math.ceil(len(kept) / MOST_MOVING), math.ceil(LEAST_S / beat - 0.01))])
    ends = [
        *(facts.times[f] for f in frames[1:]),
        facts.times[kept[-1]] + facts.last_ticks * float(facts.time_base),
    ]
    pictures = []
    reader = reader_of(film, facts)
    try:
        for i, frame in enumerate(frames):
            pictures.append(_smaller(annotated(reader.picture(frame), marks, frame)))
            yield Progress(i + 1, len(frames))
    finally:
        reader.close()
    shown = [end - facts.times[f] for f, end in zip(frames, ends, strict=True)]
    write_moving_picture(output, pictures, shown)


def _smaller(picture: Picture) -> Picture:
    image = as_image(picture)
    if max(image.width(), image.height()) <= MOVING_PX:
        return picture
    size = image.size().scaled(MOVING_PX, MOVING_PX, Qt.AspectRatioMode.KeepAspectRatio)
    return as_array(
        image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
    )


def _covered(take: Take, frames: list[int]) -> list[NDArray[np.bool_]]:
    """Where followed bodies stand before the ground in some frames, with what shades it round them."""
    masks = [np.zeros((take.facts.height, take.facts.width), dtype=bool) for _frame in frames]
    for body in take.bodies:
        size = max((max(run.box[2:]) for run in body.runs), default=0.0)
        for mask, frame in zip(masks, frames, strict=True):
            reading = body.readings.at(frame)
            if reading is not None and size:
                left, top = (max(round(c - SHADE * size), 0) for c in (reading.x, reading.y))
                right, bottom = (max(round(c + SHADE * size), 0) for c in (reading.x, reading.y))
                mask[top:bottom, left:right] = True
    return masks


@LongWork
def strobe_picture(take: Take, film: Path, frames: Sequence[int]) -> Steps[Picture]:
    """Lay frames of a take over each other.

    Parameters
    ----------
    take : Take
    film : Path
    frames : sequence of int
        At least one.

    Returns
    -------
    (H, W, 3) ndarray of uint8

    Raises
    ------
    FilmError
        If a frame cannot be read.
    """
    facts = take.facts.film_facts()
    kept = take.kept_frames
    still = sorted({kept[round(k)] for k in np.linspace(0, len(kept) - 1, min(len(kept), MOST_FOR_GROUND))})
    total, done = len(still) + len(frames), 0
    reader = reader_of(film, facts)
    try:
        seen = []
        for frame in still:
            seen.append(reader.picture(frame))
            done += 1
            yield Progress(done, total)
        strobe = Strobe(ground_of(seen, _covered(take, still)))
        for frame in frames:
            strobe.add(reader.picture(frame))
            done += 1
            yield Progress(done, total)
        return strobe.picture
    finally:
        reader.close()
