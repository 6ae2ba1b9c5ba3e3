"""Reading a film through once: every frame's time, what is damaged, what repeats."""

from __future__ import annotations

import contextlib
import time
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import av
import av.error
import numpy as np

from saltus.core.clock.frame_times import regularity
from saltus.core.progress import LongWork, Progress, Steps
from saltus.footage.containers import MOST_PIXELS, open_any, require_size
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.orientation import clockwise_turn, displayed_size, pixel_shape
from saltus.footage.repeats import RepeatFinder
from saltus.footage.sentences import say
from saltus.footage.slow import stated_rate

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from av.container import InputContainer
    from numpy.typing import NDArray

LONGEST_READ_S = 1800.0
"""A film that takes longer is used as far as it was read by then."""


def open_container(path: Path) -> InputContainer:
    """Open a film for reading.

    Parameters
    ----------
    path : Path

    Raises
    ------
    FilmError
        If it is missing, empty, not a film, or holds no picture.
    """
    container, name = open_any(path), path.name
    pictures = [s for s in container.streams.video if not _is_cover(s)]
    if not pictures:
        sound = bool(container.streams.audio)
        container.close()
        raise FilmError(
            say("survey.holds-sound-no-picture", name=name)
            if sound
            else say("survey.holds-no-picture-open", name=name)
        )
    stream = pictures[0]
    context = stream.codec_context
    size = (context.width, context.height) if context is not None else (0, 0)
    try:
        require_size(*size, name)
    except FilmError:
        container.close()
        raise
    assert context is not None
    # pictures that grow in the middle of a film are refused by the decoder
    context.options = {**context.options, "max_pixels": str(MOST_PIXELS)}
    stream.thread_type = "AUTO"
    return container


def has_pictures(container: InputContainer) -> bool:
    """Whether it holds moving pictures; a cover does not count."""
    return any(not _is_cover(s) for s in container.streams.video)


def picture_stream(container: InputContainer) -> Any:
    """Give the film's picture stream, not the cover image of a sound file."""
    return next(s for s in container.streams.video if not _is_cover(s))


def _is_cover(stream: Any) -> bool:
    with contextlib.suppress(AttributeError, TypeError):
        from av.stream import Disposition  # noqa: PLC0415  loads the decoder

        return bool(stream.disposition & Disposition.attached_pic)
    return False


@dataclass
class Damage:
    """What went wrong while decoding: packets that could not be, and whether reading broke off."""

    failed: int = 0
    broke_off: bool = False
    packets: int = 0
    corrupt: list[int] = field(default_factory=list)


def decoded_frames(container: InputContainer, stream: Any, damage: Damage) -> Iterator[av.VideoFrame]:
    """Decode frame by frame in display order, stepping over what is damaged.

    Parameters
    ----------
    container : InputContainer
    stream : VideoStream
    damage : Damage
        Counts what could not be decoded.
    """
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets)
        except StopIteration:
            return
        except (av.error.FFmpegError, OSError):
            damage.broke_off = True
            break
        damage.packets += 1 if packet.size else 0
        try:
            frames = packet.decode()
        except (av.error.FFmpegError, ValueError):
            damage.failed += 1
            continue
        yield from frames
    with contextlib.suppress(av.error.FFmpegError, ValueError, EOFError):
        yield from stream.decode(None)


def _in_time(frames: Iterator[av.VideoFrame], damage: Damage) -> Iterator[av.VideoFrame]:
    """Frames until too much time has gone by: what was read until then counts."""
    began = time.monotonic()
    for frame in frames:
        yield frame
        if time.monotonic() - began > LONGEST_READ_S:
            damage.broke_off = True
            return


def luma(frame: av.VideoFrame) -> NDArray[np.uint8]:
    """Give the brightness of a frame as stored, (H, W) uint8, without converting where it can."""
    plane = frame.planes[0]
    if frame.format.name.startswith(("yuv", "yuvj", "nv1", "gray")) and plane.line_size >= frame.width:
        depth = frame.format.components[0].bits
        if depth == 8:
            flat = np.frombuffer(plane, dtype=np.uint8)  # type: ignore[call-overload]
            rows = flat[: plane.line_size * frame.height].reshape(frame.height, plane.line_size)
            return np.asarray(rows[:, : frame.width], dtype=np.uint8)
    return np.asarray(frame.to_ndarray(format="gray"), dtype=np.uint8)


@LongWork
def survey(path: Path) -> Steps[FilmFacts]:
    """Read a film through and tell its facts.

    Parameters
    ----------
    path : Path

    Raises
    ------
    FilmError
        If nothing of it can be read.
    """
    with open_container(path) as container:
        stream = picture_stream(container)
        expected = int(stream.frames or 0)
        damage, finder = Damage(), RepeatFinder()
        stamps: list[int | None] = []
        keys: list[int] = []
        first: av.VideoFrame | None = None
        last_length = 0
        for frame in _in_time(decoded_frames(container, stream, damage), damage):
            first = first or frame
            if frame.is_corrupt:
                damage.corrupt.append(len(stamps))
            if frame.key_frame:
                keys.append(len(stamps))
            finder.feed(luma(frame))
            stamps.append(frame.pts)
            last_length = int(frame.duration or 0)
            yield Progress(len(stamps), expected)
        if first is None:
            raise FilmError(say("survey.nothing-decoded-damaged-cut", name=path.name))
        base, ticks, raw, warnings = _times(stamps, stream)
        warnings += _damage_warnings(damage, container, stream, ticks, base, expected)
        if finder.rhythm is not None:
            even = regularity(np.asarray(ticks) * float(base), float(base))
            warnings.append(finder.rhythm.words(None if even.variable else even.usual_rate))
        return FilmFacts(
            **_looks(first, stream),
            ticks=tuple(t - ticks[0] for t in ticks),
            time_base=base,
            start_ticks=ticks[0],
            last_ticks=shown_last(last_length, ticks),
            sound=bool(container.streams.audio),
            duplicates=finder.found(),
            warnings=tuple(warnings),
            raw_ticks=raw,
            keyframes=tuple(keys),
            stated_rate=stated_rate({**container.metadata, **stream.metadata}, ticks, base),
        )


def _looks(first: av.VideoFrame, stream: Any) -> dict[str, Any]:
    """Size, turn and codec, from the first frame."""
    turn = clockwise_turn(first)
    width, height = displayed_size(first.width, first.height, pixel_shape(stream), turn)
    codec = stream.codec_context.codec.canonical_name
    return {"width": width, "height": height, "rotation_deg": turn, "codec": codec}


def shown_last(stated: int, ticks: list[int]) -> int:
    """Give how many ticks the last frame is shown: as stated, else as long as most frames (0 if alone)."""
    if stated > 0:
        return stated
    spacing = sorted(b - a for a, b in pairwise(ticks))
    return max(spacing[len(spacing) // 2], 0) if spacing else 0


def _times(stamps: list[int | None], stream: Any) -> tuple[Fraction, list[int], tuple[int, ...], list[str]]:
    """Time base, times in order, times usable for finding frames again, warnings."""
    base = Fraction(stream.time_base)
    if any(s is None for s in stamps):
        rate = Fraction(stream.guessed_rate or stream.average_rate or 25)
        sentence = say("survey.file-states-no-frame", rate=float(rate))
        return 1 / rate, list(range(len(stamps))), (), [sentence]
    given = [s for s in stamps if s is not None]
    ordered = sorted(given)
    warnings: list[str] = []
    increasing = all(b > a for a, b in pairwise(given))
    if ordered != given:
        warnings.append(say("survey.decoder-gave-frame-times"))
    same = sum(b == a for a, b in pairwise(ordered))
    if same:
        warnings.append(say("survey.frames-same-time-before", n=same))
    return base, ordered, tuple(given) if increasing else (), warnings


def _damage_warnings(
    damage: Damage, container: InputContainer, stream: Any, ticks: list[int], base: Fraction, expected: int
) -> list[str]:
    count = len(ticks)
    warnings: list[str] = []
    if damage.broke_off or ends_early(damage, container, stream, ticks, base, expected):
        warnings.append(say("survey.end-film-cut-off", n=count))
    elif damage.failed:
        warnings.append(say("survey.pieces-film-damaged-left", n=damage.failed))
    if damage.corrupt:
        named = ", ".join(map(str, damage.corrupt[:8])) + (" …" if len(damage.corrupt) > 8 else "")
        warnings.append(say("survey.damaged-pictures-not-read", frames=named))
    return warnings


def ends_early(
    damage: Damage, container: InputContainer, stream: Any, ticks: list[int], base: Fraction, expected: int
) -> bool:
    """Whether the container promised more than it holds."""
    if expected and damage.packets < expected:
        return True
    span = float((ticks[-1] - ticks[0]) * base)
    step = span / (len(ticks) - 1) if len(ticks) > 1 else 0.0
    promised = _promised_seconds(container, stream)
    return promised is not None and promised - (float(ticks[-1] * base) + step) > max(2.5 * step, 0.05)


def _promised_seconds(container: InputContainer, stream: Any) -> float | None:
    tagged = stream.metadata.get("DURATION", "")
    with contextlib.suppress(ValueError):
        hours, minutes, seconds = tagged.split(":")
        return int(hours) * 3600 + int(minutes) * 60 + float(seconds)
    name = container.format.name
    if "matroska" in name and len(container.streams) == 1 and container.duration:
        return float(container.duration) / 1e6
    return None
