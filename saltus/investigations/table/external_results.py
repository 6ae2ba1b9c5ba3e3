"""Results of other notebooks that lie beside this one: looked up when asked for and when it is opened."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.sentences import say
from saltus.investigations.table.links import link_text
from saltus.notebook.derived.motion import headline
from saltus.notebook.edits.trials import retext_links
from saltus.notebook.storage import NotebookError, load

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Notebook


def results_of(path: Path) -> dict[str, Quantity]:
    """Give the results of a notebook file by name: of its table, and of its takes.

    Raises
    ------
    NotebookError
        If it cannot be opened.
    """
    notebook = load(path)
    evaluation = evaluate(notebook)
    found = (
        dict(evaluation.outcome.results) if evaluation is not None and evaluation.outcome is not None else {}
    )
    out = {n: q for n, q in found.items() if q is not None and math.isfinite(float(q.u))}
    for take in notebook.takes:
        of_take = headline(take)
        if of_take is not None:
            out[f"{of_take[0]}, {take.name}"[:200]] = of_take[1]
    return out


def looked_up(notebook: Notebook, folder: Path | None) -> tuple[Notebook, str]:
    """Look results of other notebooks up again.

    Parameters
    ----------
    notebook : Notebook
    folder : Path or None
        Where the notebook lies.

    Returns
    -------
    notebook, trouble : Notebook, str
        A sentence where some could not be found; their last values stay.
    """
    table = notebook.trials
    wanted = [
        (trial.id, column, link)
        for trial in (table.trials if table is not None else ())
        for column, link in trial.links.items()
        if link.kind == "notebook"
    ]
    if not wanted:
        return notebook, ""
    texts: dict[tuple[str, str], str] = {}
    known: dict[str, dict[str, Quantity]] = {}
    lost = 0
    for trial_id, column, link in wanted:
        if link.source not in known:
            try:
                known[link.source] = results_of(folder / link.source) if folder is not None else {}
            except NotebookError:
                known[link.source] = {}
        q = known[link.source].get(link.part)
        if q is None:
            lost += 1
        else:
            texts[trial_id, column] = link_text(q)
    trouble = say("external.values-other-notebooks-could", n=lost)
    return retext_links(notebook, texts), trouble if lost else ""


def result_words(name: str) -> str:
    """Words for a result of another notebook."""
    return say("external.result", name=name.replace("_", " "))
