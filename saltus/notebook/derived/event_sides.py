"""Which segments lie on both sides of an event: found from the segments there are."""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

from saltus.notebook.before_after import Side

if TYPE_CHECKING:
    from saltus.notebook.model import Segment, Take


def sides_about(take: Take, of: str, segment_id: str | None = None) -> tuple[Side, ...]:
    """Find the gap between two segments, and what each body has on both sides of it.

    Parameters
    ----------
    take : Take
    of : str
        The coordinate.
    segment_id : str, optional
        The gap beside this segment; behind it where there is one, else before it.

    Returns
    -------
    tuple of Side
        Empty where no body has two segments behind each other.
    """
    tracks = {
        body.id: sorted((s for s in take.segments if s.body == body.id and s.of == of), key=lambda s: s.first)
        for body in take.bodies
    }
    gap = _gap(tracks, segment_id)
    if gap is None:
        return ()
    middle = (gap[0] + gap[1]) / 2
    found = []
    for body_id, track in tracks.items():
        before = [s for s in track if (s.first + s.last) / 2 < middle]
        after = [s for s in track if (s.first + s.last) / 2 > middle]
        if before or after:
            found.append(
                Side(
                    body=body_id,
                    before=before[-1].id if before else None,
                    after=after[0].id if after else None,
                )
            )
    return tuple(found)


def _gap(tracks: dict[str, list[Segment]], segment_id: str | None) -> tuple[int, int] | None:
    """Last frame before and first frame after the gap."""
    pairs = (pair for track in tracks.values() for pair in pairwise(track))
    gaps = [(a, b) for a, b in pairs if a.last < b.first]
    for place in (0, 1):
        for pair in gaps:
            if pair[place].id == segment_id:
                return pair[0].last, pair[1].first
    return (gaps[0][0].last, gaps[0][1].first) if gaps else None
