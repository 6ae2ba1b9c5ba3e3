"""Beginning an investigation from the gallery: with a table, with a film, or with simulated data."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.investigations.view.gallery import catalogue
from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.trials import FREE, CustomColumn, TrialTable

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.ui.desk.desk import Desk


def empty_table(recipe_id: str) -> TrialTable:
    """The table of an investigation, ready and empty; an own one has two columns to begin with."""
    if recipe_id != FREE:
        recipe = next(r for r in catalogue() if r.id == recipe_id)
        return TrialTable(investigation=recipe_id, units=recipe.usual_units)
    own = (CustomColumn(name="x", title=_("x, varied")), CustomColumn(name="y", title=_("y, measured")))
    return TrialTable(investigation=FREE, own=own, varied="x")


def begin(desk: Desk, recipe_id: str, how: str, may_leave: Callable[[], bool]) -> str:
    """Begin an investigation; the notebook in hand takes it up where it has films and no table yet.

    Gives the stage to go to, empty where nothing was begun.
    """
    recipe = next(r for r in catalogue() if r.id == recipe_id)
    if how == "simulated":
        if may_leave():
            from saltus.simulate.trials import simulated_notebook  # noqa: PLC0415  not for every start

            desk.start(simulated_notebook(recipe))
            return "log" if recipe.record else "trials"
        return ""
    table = empty_table(recipe_id)
    title = recipe.title if recipe_id != FREE else ""
    if desk.session.opened and desk.notebook.trials is None:
        desk.edit(_("choose an investigation"), edits.start(desk.notebook, table, title))
    elif may_leave():
        desk.start(edits.start(Notebook(), table, title))
    else:
        return ""
    if recipe.record:
        return "log"
    return "film" if how == "film" and not desk.notebook.takes else "trials"
