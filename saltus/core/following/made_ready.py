"""Compiling what following needs before it is wanted: a square is followed over a few small pictures.

``python -m saltus.core.following.made_ready`` does it when Saltus is set up, and the window loads what was
compiled once it has nothing else to load. Else the first run waits for it.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from saltus.core.following.over_ground import WANTED
from saltus.core.following.patch import Box
from saltus.core.following.run import Following, Frame, Start

SIDE_PX, STEP_PX, SIZE_PX = 96, 1.25, 24


@cache
def make_ready() -> None:
    """Follow once a grained square until the ground behind it is known and its places are told."""
    grain = np.random.default_rng(1)
    ground = grain.integers(90, 110, (SIDE_PX, SIDE_PX))
    square = grain.integers(150, 250, (SIZE_PX, SIZE_PX))
    run = None
    for n in range(WANTED + 8):
        left = 4 + round(STEP_PX * n)
        picture = ground + grain.integers(-2, 3, ground.shape)
        picture[30 : 30 + SIZE_PX, left : left + SIZE_PX] = square
        frame = Frame(n, n / 60, picture.astype(np.uint8), lambda: np.zeros((SIDE_PX, SIDE_PX, 3), np.uint8))
        if run is None:
            run = Following((Start("", Box(left, 30, SIZE_PX, SIZE_PX), "pattern"),), frame)
        else:
            run.step(frame)
    if run is not None:
        run.results()


if __name__ == "__main__":
    make_ready()
