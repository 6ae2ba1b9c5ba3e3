"""Reading a film or a folder of pictures through in this process, whichever it is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.progress import LongWork, Steps
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.sentences import say

if TYPE_CHECKING:
    from pathlib import Path


@LongWork
def facts_here(path: Path, rate: float | None = None) -> Steps[FilmFacts]:
    """Read a film, a folder of pictures or a strobe picture through in this process.

    Parameters
    ----------
    path : Path
    rate : float, optional
        Pictures or flashes per second; needed for a folder and for a picture.

    Raises
    ------
    FilmError
        If it cannot be used.
    """
    if path.is_dir():
        if rate is None:
            raise FilmError(say("reading-through.folder-pictures-say-how", name=path.name))
        from saltus.footage.pictures import survey_pictures  # noqa: PLC0415  loads the decoder

        return (yield from survey_pictures.steps(path, rate))
    from saltus.footage.stills import is_picture, still_facts  # noqa: PLC0415  loads the decoder

    if is_picture(path):
        return still_facts(path, rate)
    from saltus.footage.survey import survey  # noqa: PLC0415  loads the decoder

    return (yield from survey.steps(path))
