"""Where the films of a notebook are: beside it, or remembered for this user by SHA-256."""

from __future__ import annotations

import contextlib
import fcntl
import json
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

from saltus.core.wording import one_line
from saltus.files.reading import read_plain
from saltus.files.writing import write_whole
from saltus.footage.facts import FilmError
from saltus.footage.opening import fingerprint
from saltus.notebook.model import FilmRef
from saltus.notebook.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.notebook.model import Notebook

LARGEST_MEMORY = 16 * 1024 * 1024
MOST_REMEMBERED = 2000
MOST_LOOKED_AT = 3000
MEDIA = "media"
"""Where the films lie in a pack that was unpacked."""


def memory_file() -> Path:
    """Where the places of films are remembered for this user."""
    return user_data_path("saltus") / "films.json"


def reference(path: Path) -> FilmRef:
    """Make the reference to a film or folder of pictures, and remember where it is.

    Raises
    ------
    FilmError
        If it cannot be read.
    """
    size, digest = fingerprint(path)
    # a name of any bytes: by content the film is found again
    ref = FilmRef(
        name=one_line(path.name, 200).replace("\ufffd", "_"), size=size, sha256=digest, folder=path.is_dir()
    )
    remember(ref, path)
    return ref


def remember(ref: FilmRef, path: Path) -> None:
    """Remember where a film lies, for this user only; the notebook does not say."""
    # not being able to remember costs only a question later
    with contextlib.suppress(OSError):
        memory_file().parent.mkdir(parents=True, exist_ok=True)
        with memory_file().with_suffix(".lock").open("w") as turn:
            # one after the other: many films are opened at once, by several processes
            fcntl.flock(turn, fcntl.LOCK_EX)
            places = _remembered()
            places.pop(ref.sha256, None)
            places[ref.sha256] = str(path.resolve())
            kept = dict(list(places.items())[-MOST_REMEMBERED:])
            write_whole(memory_file(), json.dumps(kept, indent=1))


def _remembered() -> dict[str, str]:
    try:
        places = json.loads(read_plain(memory_file(), LARGEST_MEMORY).decode())
    except (OSError, ValueError):
        return {}
    if not isinstance(places, dict):
        return {}
    return {str(k): v for k, v in places.items() if isinstance(v, str)}


def find(ref: FilmRef, folder: Path | None) -> Path:
    """Find the film of a take.

    Parameters
    ----------
    ref : FilmRef
    folder : Path or None
        Where the notebook lies; None when it has not been saved yet.

    Raises
    ------
    FilmError
        If it is not beside the notebook nor where it was last seen, nor in the folders around these under
        another name, or has changed since.
    """
    places = [folder / ref.name, folder / MEDIA / ref.name] if folder else []
    if ref.sha256 in (known := _remembered()):
        places.append(Path(known[ref.sha256]))
    changed = False
    for place in (*places, *_near(ref, [folder, *(place.parent for place in places)])):
        try:
            if place.exists() and place.is_dir() == ref.folder:
                if fingerprint(place)[1] == ref.sha256:
                    return place
                changed = changed or place in places
        except (OSError, FilmError):
            continue
    raise FilmError(
        say("films.changed-since-measured-put", name=ref.name)
        if changed
        else say("films.film-not-here-put", name=ref.name)
    )


def files_of(notebook: Notebook, path: Path) -> list[Path]:
    """A notebook's file and where its films may lie: nothing else may be written there.

    Parameters
    ----------
    notebook : Notebook
    path : Path
        Its file.
    """
    known = _remembered()
    places = [path]
    for take in notebook.takes:
        name = take.film.name
        places += [path.parent / name, path.parent / MEDIA / name]
        places += [Path(known[take.film.sha256])] if take.film.sha256 in known else []
    return places


def _near(ref: FilmRef, folders: list[Path | None]) -> Iterator[Path]:
    """Files in and around the folders that have the size of a film that was moved or renamed."""
    seen: set[Path] = set()
    looked = 0
    for folder in dict.fromkeys(f for f in folders if f is not None and not ref.folder):
        with contextlib.suppress(OSError):
            here = [folder, *(p for p in folder.iterdir() if p.is_dir() and not p.name.startswith("."))]
            for place in (*here, folder.parent):
                for path in sorted(place.iterdir(), key=lambda p: p.name != ref.name):
                    looked += 1
                    if looked > MOST_LOOKED_AT:
                        return
                    if path not in seen and path.is_file() and path.stat().st_size == ref.size:
                        seen.add(path)
                        yield path


def missing(notebook: Notebook, folder: Path | None) -> list[str]:
    """Say for each take whose film cannot be found what is wrong."""
    problems = []
    for take in notebook.takes:
        try:
            find(take.film, folder)
        except FilmError as error:
            problems.append(f"{take.name}: {error}")
    return problems
