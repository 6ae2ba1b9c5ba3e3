"""Notebooks opened lately, remembered for this user."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_cache_path, user_data_path

from saltus.files.reading import read_plain

KEPT, LARGEST = 12, 1 << 20


@dataclass(frozen=True)
class Recent:
    """A notebook opened lately.

    Attributes
    ----------
    path : Path
    title, when, result : str
        The result as it stood in the pill, empty without one.
    takes : int
    marks : tuple of str
        Progress marks of the stages.
    """

    path: Path
    title: str
    when: str
    takes: int
    result: str = ""
    marks: tuple[str, ...] = ()


def recent_file() -> Path:
    """Where the list is kept."""
    return user_data_path("saltus") / "recent.json"


def picture_file(path: Path) -> Path:
    """Where the picture of a notebook is kept, for the start page."""
    import hashlib  # noqa: PLC0415  start-up time

    name = hashlib.sha256(os.fsencode(path)).hexdigest()[:24]
    return user_cache_path("saltus") / "pictures" / f"{name}.png"


def recent_notebooks() -> list[Recent]:
    """List notebooks opened lately, newest first; what cannot be read is left out."""
    try:
        rows = json.loads(read_plain(recent_file(), LARGEST).decode())[:KEPT]
        return [
            Recent(
                Path(r["path"]), str(r["title"]), str(r["when"]), int(r["takes"]), str(r.get("result", "")),
                tuple(map(str, r.get("marks", ()))),
            )
            for r in rows
        ]  # fmt: skip
    except (OSError, ValueError, TypeError, KeyError, AttributeError):
        return []
