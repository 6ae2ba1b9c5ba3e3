"""Notebooks opened lately, remembered for this user."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from dataclasses import asdict, dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_cache_path, user_data_path

from saltus.core.statement import stated
from saltus.exchange.sheet import symbol_of
from saltus.exchange.trials_sheet import one_line
from saltus.files.reading import read_plain
from saltus.files.writing import write_whole
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.advice import trial_progress
from saltus.notebook.derived.advice import progress
from saltus.notebook.derived.motion import headline

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

    from saltus.notebook.model import Notebook

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


def _file() -> Path:
    return user_data_path("saltus") / "recent.json"


def picture_file(path: Path) -> Path:
    """Where the picture of a notebook is kept, for the start page."""
    return (
        user_cache_path("saltus") / "pictures" / f"{hashlib.sha256(os.fsencode(path)).hexdigest()[:24]}.png"
    )


def recent_notebooks() -> list[Recent]:
    """List notebooks opened lately, newest first; what cannot be read is left out."""
    try:
        rows = json.loads(read_plain(_file(), LARGEST).decode())[:KEPT]
        return [
            Recent(
                Path(r["path"]), str(r["title"]), str(r["when"]), int(r["takes"]), str(r.get("result", "")),
                tuple(map(str, r.get("marks", ()))),
            )
            for r in rows
        ]  # fmt: skip
    except (OSError, ValueError, TypeError, KeyError, AttributeError):
        return []


def remember_notebook(path: Path, notebook: Notebook, picture: QImage | None = None) -> None:
    """Put a notebook first in the list, with what it came to and a picture of it."""
    place = path.resolve()
    when = datetime.now().astimezone().strftime("%-d %B, %H:%M")
    take = next((t for t in notebook.takes if t.headline_segment is not None), None)
    take = take or next(iter(notebook.takes), None)
    marks = tuple(progress(take).values())
    found = headline(take) if take is not None else None
    result = ""
    if found is not None and take is not None and take.headline_segment is not None:
        symbol = symbol_of(found[0], take.headline_segment)
        result = f"{symbol} = {stated(float(found[1]), found[1].U95, found[1].unit)}"
    evaluation = evaluate(notebook)
    if evaluation is not None:
        result = one_line(evaluation) or result
        marks = tuple((progress(take) | trial_progress(evaluation)).values())
    others = [r for r in recent_notebooks() if r.path != place]
    rows = [Recent(place, notebook.title, when, len(notebook.takes), result, marks), *others][:KEPT]
    # not being able to remember costs only a look for the file
    with contextlib.suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(_file(), json.dumps([asdict(r) | {"path": str(r.path)} for r in rows]))
        if picture is not None:
            picture_file(place).parent.mkdir(parents=True, exist_ok=True)
            picture.save(str(picture_file(place)))
