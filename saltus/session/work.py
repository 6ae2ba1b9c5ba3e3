"""Opening a notebook and editing it, in the window and without one: linked cells follow their sources."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.investigations.links import links_followed
from saltus.investigations.others import looked_up
from saltus.notebook.history import History
from saltus.notebook.storage import load

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.notebook.model import Notebook


def at_work(notebook: Notebook) -> History:
    """Begin to work on a notebook: after each edit the linked cells say what their sources say then."""
    return History(notebook, links_followed)


def opened(path: Path) -> tuple[Notebook, str]:
    """Open a notebook file as the window does: results of notebooks beside it looked up, links followed.

    Parameters
    ----------
    path : Path

    Returns
    -------
    notebook, trouble : Notebook, str
        A sentence where results of other notebooks could not be found; their last values stay.

    Raises
    ------
    NotebookError
        If it cannot be opened.
    """
    notebook, trouble = looked_up(load(path), path.parent)
    return links_followed(notebook), trouble
