"""Taking a result of another notebook into a cell."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.investigations.table.external_results import result_words, results_of
from saltus.investigations.table.links import link_text
from saltus.notebook.edits import trials as edits
from saltus.notebook.storage import ENDING, NotebookError
from saltus.notebook.trials import Link

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


def choose_other(parent: QWidget, desk: Desk, trial_id: str | None, column: str) -> None:
    """Ask for a notebook beside this one and one of its results, and link the cell in hand to it."""
    if trial_id is None or desk.folder is None:
        words = _("Take a cell in hand first.") if trial_id is None else _("Save this notebook first.")
        desk.said.emit(words, "note")
        return
    kinds = _("Saltus notebooks (*{e})").format(e=ENDING)
    name, _kind = QFileDialog.getOpenFileName(parent, _("Another notebook"), str(desk.folder), kinds)
    if not name:
        return
    path = Path(name)
    if path.parent != desk.folder:
        words = _("Put {name} into the folder of this notebook first, so that both stay together.")
        desk.said.emit(words.format(name=path.name), "warn")
        return
    try:
        found = results_of(path)
    except NotebookError as error:
        desk.said.emit(str(error), "warn")
        return
    if not found:
        desk.said.emit(_("{name} has no result yet.").format(name=path.name), "warn")
        return
    rows = [f"{result_words(n)}: {stated(float(q), q.U95, q.unit)}" for n, q in found.items()]
    row, done = QInputDialog.getItem(parent, path.name, _("Which result?"), rows, 0, False)
    if done:
        part, q = list(found.items())[rows.index(row)]
        link = Link(kind="notebook", source=path.name, part=part)
        made = edits.link_cell(desk.notebook, trial_id, column, link, link_text(q))
        desk.edit(_("link a result"), made)
