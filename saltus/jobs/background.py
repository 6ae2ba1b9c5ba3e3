"""Looking at the background of every frame of a film, to tell how its camera moved."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.background import Background, Box
from saltus.core.geometry.background_moves import moves_of_background
from saltus.core.progress import LongWork, Progress
from saltus.footage.opening import reader_of
from saltus.notebook.derived.geometry import geometry_of
from saltus.notebook.measuring import BackgroundRecord

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.core.progress import Steps
    from saltus.notebook.model import Take

AROUND_PX = 30.0
"""So far about a body, where nothing else tells its size, nothing belongs to the background."""


@LongWork
def look_at_background(path: Path, take: Take) -> Steps[BackgroundRecord]:
    """Find out how the camera of a take moved, by its background in the part that is kept.

    Parameters
    ----------
    path : Path
        Its film.
    take : Take

    Raises
    ------
    GeometryError
        If there is too little in the background, or it is not recognised again.
    FilmError
        If the film cannot be read.
    """
    frames = np.array(take.kept_frames, dtype=np.int64)
    steady = int(frames[0])
    lens = geometry_of(take).mapping.lens
    reader = reader_of(path, take.facts.film_facts())
    try:
        background = Background(reader.brightness(steady), _bodies_in(take, steady))
        found = []
        for n, frame in enumerate(frames.tolist(), 1):
            found.append(background.found(reader.brightness(frame)).T)
            yield Progress(n, len(frames))
    finally:
        reader.close()
    spots = np.stack(found, axis=-1)
    if lens is not None:
        spots = np.stack([lens.straight(spot) for spot in spots.transpose(1, 0, 2)])
    else:
        spots = spots.transpose(1, 0, 2)
    size = (take.facts.width, take.facts.height)
    moves = moves_of_background(frames, spots, size, steady)
    rows = tuple(
        (int(frame), *map(float, move), *map(float, u))
        for frame, move, u in zip(moves.frames.tolist(), moves.moves.T, moves.u.T, strict=True)
    )
    return BackgroundRecord(
        steady=steady, turning=moves.turning, u_turning=moves.u_turning, told=moves.told, rows=rows
    )


def _bodies_in(take: Take, frame: int) -> list[Box]:
    """Where bodies that move are in a frame."""
    boxes = []
    for body in take.bodies:
        reading = body.readings.at(frame)
        if body.fixed or reading is None:
            continue
        run = body.first_run
        if run is not None:
            (left, top, width, height), (px, py) = run.box, run.point
            boxes.append(Box(reading.x + left - px, reading.y + top - py, width, height))
        else:
            boxes.append(Box(reading.x - AROUND_PX, reading.y - AROUND_PX, 2 * AROUND_PX, 2 * AROUND_PX))
    return boxes
