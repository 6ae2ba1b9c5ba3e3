"""One way in for films and for folders of pictures; decoders are loaded when the first one is opened."""

from __future__ import annotations

import hashlib
from typing import TYPE_CHECKING

from saltus.core.progress import LongWork, Steps
from saltus.files.reading import open_plain, require_plain
from saltus.footage.facts import STILL, FilmError, FilmFacts
from saltus.footage.helper import facts_apart
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.footage.reader import FrameReader

FILM_ENDINGS = (
    ".mp4",
    ".mov",
    ".m4v",
    ".webm",
    ".avi",
    ".mkv",
    ".gif",
    ".mpg",
    ".mpeg",
    ".ts",
    ".3gp",
    ".ogv",
)
SOUND_ENDINGS = (".wav", ".mp3", ".m4a", ".ogg", ".oga", ".opus", ".flac")


@LongWork
def facts_of(
    path: Path, rate: float | None = None, *, quick: bool = False, sound_alone: bool = False,
    first: bool = False,
) -> Steps[FilmFacts]:  # fmt: skip
    """Read a film or a folder of pictures through in a helper process, see :func:`facts_here`.

    With ``quick`` only its times, where they can be trusted; the facts are not ``checked`` then. With
    ``sound_alone`` a recording without pictures is taken too; with ``first`` its first picture is given as
    soon as it is there, as a part of the steps.
    """
    if not path.exists():
        raise FilmError(say("opening.gone", name=path.name))
    try:
        require_plain(path, folder=True)
    except OSError as error:
        raise FilmError(say("opening.cannot-read", name=path.name, why=error.strerror or "?")) from error
    return (yield from facts_apart.steps(path, rate, quick=quick, sound_alone=sound_alone, first=first))


def films_in(folder: Path) -> list[Path]:
    """All files of a folder that may be films by their names, in order.

    Raises
    ------
    FilmError
        If it is no folder, or cannot be read.
    """
    try:
        found = sorted(folder.iterdir())
    except OSError as error:
        raise FilmError(say("opening.no-folder", name=folder.name)) from error
    return [
        p for p in found if p.suffix.lower() in FILM_ENDINGS and not p.name.startswith(".") and p.is_file()
    ]


def reader_of(path: Path, facts: FilmFacts, *, in_order: bool = False) -> FrameReader:
    """Give access to the frames of what :func:`facts_of` read.

    Parameters
    ----------
    path, facts
        The film and what is known of it.
    in_order : bool
        Whether frames are wanted one after the other, see :class:`saltus.footage.reader.FilmReader`.
    """
    if path.is_dir():
        from saltus.footage.pictures import PictureReader  # noqa: PLC0415  loads the decoder

        return PictureReader(path, facts)
    if facts.codec == STILL:
        from saltus.footage.stills import StillReader  # noqa: PLC0415  loads the decoder

        return StillReader(path, facts)
    from saltus.footage.reader import FilmReader  # noqa: PLC0415  loads the decoder

    return FilmReader(path, facts, in_order=in_order)


def fingerprint(path: Path) -> tuple[int, str]:
    """Size in bytes and SHA-256 of a film; of names and sizes for a folder of pictures.

    Parameters
    ----------
    path : Path

    Raises
    ------
    FilmError
        If it cannot be read.
    """
    digest = hashlib.sha256()
    try:
        if path.is_dir():
            from saltus.footage.pictures import numbered_pictures  # noqa: PLC0415  loads the decoder

            sizes = [(p.name, p.stat().st_size) for _n, p in numbered_pictures(path)]
            digest.update(repr(sizes).encode())
            return sum(size for _name, size in sizes), digest.hexdigest()
        with open_plain(path) as file:
            while block := file.read(1 << 20):
                digest.update(block)
        return path.stat().st_size, digest.hexdigest()
    except OSError as error:
        raise FilmError(say("opening.cannot-read", name=path.name, why=error.strerror or "?")) from error
