"""Opening films: which containers, from where, and how large a picture may be."""

from __future__ import annotations

from typing import TYPE_CHECKING

import av
import av.error

from saltus.files.reading import require_plain
from saltus.footage.facts import FilmError
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from pathlib import Path

    from av.container import InputContainer

CONTAINERS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,avi,mpeg,mpegts,mpegvideo,gif,ogg,wav,mp3,flac,aac"
"""What films and recordings come in: no playlist, no list of files, no pattern, no device."""
LARGEST_SIDE, MOST_PIXELS = 16_384, 64_000_000


def open_any(path: Path) -> InputContainer:
    """Open a film or a recording without pictures for reading.

    Parameters
    ----------
    path : Path

    Raises
    ------
    FilmError
        If it is missing, empty, no plain file, or neither film nor recording.

    Notes
    -----
    A name is never taken for an address: it goes to the decoder as an absolute path behind its protocol, and
    no other protocol is open to what the film says.
    """
    name = path.name
    if not path.exists():
        raise FilmError(say("opening.gone", name=name))
    try:
        require_plain(path)
        if path.stat().st_size == 0:
            raise FilmError(say("survey.empty-copy-camera-again", name=name))
        return av.open(
            f"file:{path.absolute()}",
            metadata_errors="replace",
            options={"protocol_whitelist": "file", "format_whitelist": CONTAINERS},
        )
    except FilmError:
        raise
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise FilmError(say("survey.cannot-read-film-damaged", name=name)) from error


def require_size(width: int, height: int, name: str) -> None:
    """See that a picture is one that a film may have.

    Raises
    ------
    FilmError
        If it has no size, or is larger than anything is filmed.
    """
    if not (0 < width <= LARGEST_SIDE and 0 < height <= LARGEST_SIDE and width * height <= MOST_PIXELS):
        raise FilmError(say("survey.holds-picture-cannot-decoded", name=name))
