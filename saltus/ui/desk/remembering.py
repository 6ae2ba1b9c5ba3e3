"""Remembering a notebook that was opened or saved, with what it came to, for the start page."""

from __future__ import annotations

import contextlib
import json
from dataclasses import asdict
from datetime import datetime
from typing import TYPE_CHECKING

from saltus.core.statement import stated
from saltus.exchange.motion_words import symbol_of
from saltus.exchange.trials_sheet import one_line
from saltus.files.writing import write_whole
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.advice import trial_progress
from saltus.notebook.derived.advice import progress
from saltus.notebook.derived.motion import headline
from saltus.ui.desk.recent import KEPT, Recent, picture_file, recent_file, recent_notebooks

if TYPE_CHECKING:
    from pathlib import Path

    from PyQt6.QtGui import QImage

    from saltus.notebook.model import Notebook


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
        recent_file().parent.mkdir(parents=True, exist_ok=True)
        write_whole(recent_file(), json.dumps([asdict(r) | {"path": str(r.path)} for r in rows]))
        if picture is not None:
            picture_file(place).parent.mkdir(parents=True, exist_ok=True)
            picture.save(str(picture_file(place)))
