"""A row of the table for a take like the template's: its linked cells lead to that take."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table.links import link_text, linked_in
from saltus.notebook.edits import trials as edits

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.trials import Link, Trial


def template_rows(notebook: Notebook, template: Take) -> list[Trial]:
    """The kept rows of the table that have a value from a take."""
    table = notebook.trials
    if table is None:
        return []
    return [
        t for t in table.trials
        if t.status == "kept" and any(link.source == template.id for link in t.links.values())
    ]  # fmt: skip


def waiting_rows(notebook: Notebook, template: Take) -> list[str]:
    """Rows that are typed in but for what the template's rows have from it, in their order: one a film."""
    table = notebook.trials
    linked = {column for row in template_rows(notebook, template) for column in row.links}
    if table is None or not linked:
        return []
    return [
        t.id for t in table.trials
        if t.status == "kept" and t.cells and not t.links and not linked & t.cells.keys()
    ]  # fmt: skip


def filled_like(
    notebook: Notebook, template: Take, take_id: str, ids: Mapping[str, str], *,
    rows: Sequence[str] = (), repeats: bool = False,
) -> Notebook:  # fmt: skip
    """Fill the rows of a take as the template's rows are filled.

    Parameters
    ----------
    notebook : Notebook
    template : Take
    take_id : str
        The take like it.
    ids : mapping of str to str
        Of its bodies and parts, by those of the template's; a cell whose part is not there stays empty.
    rows : sequence of str
        Rows that wait for it; where there are no more, new ones are made.
    repeats : bool
        The take repeats the trial of the template: what is varied is the same in new rows, too.
    """
    for n, row in enumerate(template_rows(notebook, template)):
        links = {
            column: found
            for column, link in row.links.items()
            if link.source == template.id and (found := _link_like(link, take_id, ids)) is not None
        }
        if not links:
            continue
        notebook, trial_id = (
            (notebook, rows[n]) if n < len(rows) else _new_row(notebook, row, repeats=repeats)
        )
        for column, link in links.items():
            q = linked_in(notebook, link)
            if not isinstance(q, str):
                notebook = edits.link_cell(notebook, trial_id, column, link, link_text(q))
    return notebook


def _link_like(link: Link, take_id: str, ids: Mapping[str, str]) -> Link | None:
    if link.place not in ids:
        return None
    # a value of an event names the body it is of
    part = " ".join(ids.get(word, word) for word in link.part.split(" "))
    return link.but(source=take_id, place=ids[link.place], part=part)  # type: ignore[no-any-return]


def _new_row(notebook: Notebook, like: Trial, *, repeats: bool) -> tuple[Notebook, str]:
    """A new row with what is typed in the template's; what is varied only where it is repeated."""
    left = set() if repeats else _varied(notebook)
    typed = {c: text for c, text in like.cells.items() if c not in like.links and c not in left}
    notebook, (made,) = edits.add_trials(notebook, [typed])
    return notebook, made


def _varied(notebook: Notebook) -> set[str]:
    evaluation = evaluate(notebook)
    if evaluation is None:
        return set()
    return {*evaluation.recipe.level, *evaluation.recipe.series}
