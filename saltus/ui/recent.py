"""Notebooks opened lately, remembered for this user."""

from __future__ import annotations

import contextlib
import json
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_data_path

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook

KEPT = 12


@dataclass(frozen=True)
class Recent:
    """A notebook opened lately: where it is, its title, and when it was last at hand."""

    path: Path
    title: str
    when: str
    takes: int


def _file() -> Path:
    return user_data_path("saltus") / "recent.json"


def recent_notebooks() -> list[Recent]:
    """List notebooks opened lately, newest first; what cannot be read is left out."""
    try:
        rows = json.loads(_file().read_text(encoding="utf-8"))
        return [Recent(Path(r["path"]), str(r["title"]), str(r["when"]), int(r["takes"])) for r in rows][
            :KEPT
        ]
    except (OSError, ValueError, TypeError, KeyError):
        return []


def remember_notebook(path: Path, notebook: Notebook) -> None:
    """Put a notebook first in the list."""
    place = path.resolve()
    when = datetime.now().astimezone().strftime("%-d %B, %H:%M")
    others = [r for r in recent_notebooks() if r.path != place]
    rows = [Recent(place, notebook.title, when, len(notebook.takes)), *others][:KEPT]
    # not being able to remember costs only a look for the file
    with contextlib.suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        text = json.dumps(
            [{"path": str(r.path), "title": r.title, "when": r.when, "takes": r.takes} for r in rows]
        )
        _file().write_text(text, encoding="utf-8")
