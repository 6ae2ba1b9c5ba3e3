"""The times of a film without decoding it: from its packets, where its container can be trusted."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import av
import av.error

from saltus.footage.facts import FilmFacts
from saltus.footage.orientation import clockwise_turn, displayed_size, pixel_shape
from saltus.footage.slow import stated_rate
from saltus.footage.stated_turn import stated_turn
from saltus.footage.survey import (
    Damage,
    decoded_frames,
    ends_early,
    open_container,
    picture_stream,
    shown_last,
)

if TYPE_CHECKING:
    from pathlib import Path

TRUSTED = ("mov", "matroska")
"""Containers that state the time of every frame themselves."""


@dataclass(frozen=True)
class _Packet:
    time: int
    length: int
    key: bool


def index(path: Path) -> FilmFacts | None:
    """Read the times of a film from its packets.

    Returns
    -------
    FilmFacts or None
        Not checked yet: repeats and damage are found only by decoding (:func:`saltus.footage.survey.survey`).
        None where the packets cannot be trusted to be the frames.

    Raises
    ------
    FilmError
        If it cannot be opened at all.
    """
    with open_container(path) as container:
        stream = picture_stream(container)
        # one frame is wanted soon: threads would take longer to start than they save
        stream.thread_type = "NONE"
        if not any(name in container.format.name.split(",") for name in TRUSTED):
            return None
        packets = _packets(container, stream)
        if packets is None:
            return None
        times = [p.time for p in packets]
        base = Fraction(stream.time_base)
        promised = int(stream.frames or 0)
        if ends_early(Damage(packets=len(packets)), container, stream, times, base, promised):
            return None
        looks = _looks(path, container, stream, times)
        if looks is None:
            return None
        stored_width, stored_height, turn = looks
        shape, codec = pixel_shape(stream), stream.codec_context.codec.canonical_name
        stated = stated_rate({**container.metadata, **stream.metadata}, times, base)
        width, height = displayed_size(stored_width, stored_height, shape, turn)
        return FilmFacts(
            width=width,
            height=height,
            rotation_deg=turn,
            codec=codec,
            ticks=tuple(t - times[0] for t in times),
            time_base=base,
            start_ticks=times[0],
            last_ticks=shown_last(packets[-1].length, times),
            sound=bool(container.streams.audio),
            stated_rate=stated,
            raw_ticks=tuple(times),
            keyframes=tuple(n for n, p in enumerate(packets) if p.key),
            checked=False,
        )


def _packets(container: Any, stream: Any) -> list[_Packet] | None:
    """The packets in order of time; None when any of them is not plainly a frame."""
    found: list[_Packet] = []
    try:
        for packet in container.demux(stream):
            if not packet.size:
                continue
            if packet.pts is None or packet.is_corrupt or packet.is_discard:
                return None
            found.append(_Packet(packet.pts, int(packet.duration or 0), bool(packet.is_keyframe)))
    except (av.error.FFmpegError, OSError, ValueError):
        return None
    found.sort(key=lambda p: p.time)
    strictly = all(b.time > a.time for a, b in pairwise(found))
    return found if found and strictly and found[0].key else None


def _looks(path: Path, container: Any, stream: Any, times: list[int]) -> tuple[int, int, int] | None:
    """Width and height as stored, px, and the turn; a frame is decoded only where they are not stated."""
    turn, context = stated_turn(path), stream.codec_context
    if turn is not None and context.width > 0 and context.height > 0:
        return context.width, context.height, turn
    frame = _first_frame(container, stream, times)
    return None if frame is None else (frame.width, frame.height, clockwise_turn(frame))


def _first_frame(container: Any, stream: Any, times: list[int]) -> av.VideoFrame | None:
    """The first frame, if it comes at the time of its packet and is a whole picture."""
    try:
        container.seek(times[0], stream=stream, backward=True)
    except (av.error.FFmpegError, OSError):
        return None
    frame = next(iter(decoded_frames(container, stream, Damage())), None)
    if frame is None or frame.pts != times[0] or frame.interlaced_frame or frame.is_corrupt:
        return None
    return frame
