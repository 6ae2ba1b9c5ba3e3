"""Pictures that stand in for others: while a frame is on its way, and for a notebook on the start page."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Mapping

    from PyQt6.QtGui import QImage

    Shown = tuple[str, int, QImage] | None

NEAR = 3
"""So many frames away the old picture stays until the new one is there."""


def stand_in(
    take_id: str, frame: int, shown: Shown, moving: Shown, thumbs: Mapping[int, QImage]
) -> QImage | None:
    """Give what to show of a frame until it is there; None where the picture on screen is near enough.

    Parameters
    ----------
    take_id, frame
        What is in hand.
    shown, moving : tuple of take, frame and picture, or None
        What is on screen, and what a proxy gave.
    thumbs : dict
        Thumbnails of the take by frame.
    """
    if moving is not None and moving[:2] == (take_id, frame):
        return moving[2]
    if shown is not None and shown[0] == take_id and abs(shown[1] - frame) <= NEAR:
        return None
    return thumbs[min(thumbs, key=lambda n: abs(n - frame))] if thumbs else None


def cover(thumbs: Mapping[int, QImage]) -> QImage | None:
    """Give a picture for the start page: from the second half of a take, where something has happened."""
    return thumbs[sorted(thumbs)[2 * len(thumbs) // 3]] if thumbs else None
