"""Sending a value that was measured elsewhere into the table: which column takes it, into which row."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.sentences import say
from saltus.investigations.table.headers import plain_name
from saltus.investigations.table.links import link_text, linked_in
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.edits import trials as edits

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Notebook
    from saltus.notebook.trials import Link


@dataclass(frozen=True)
class Offer:
    """A column that can take a value: its name and title, and the link to put there."""

    column: str
    title: str
    link: Link


def offers(notebook: Notebook, link: Link, q: Quantity) -> list[Offer]:
    """Columns of the table whose unit goes with a value, the one of its name first.

    Parameters
    ----------
    notebook : Notebook
    link : Link
        Where the value comes from.
    q : Quantity
        What it is now; where it is negative, its size is offered as well.
    """
    evaluation = evaluate(notebook)
    if evaluation is None:
        return []
    out: list[Offer] = []
    for column in table_columns(evaluation):
        known = evaluation.recipe.columns.get(column.name)
        if known is None or known.kind == "text" or column.role == "derived":
            continue
        if not q.unit.goes_with(known.unit):
            continue
        if float(q) < 0:
            out.append(
                Offer(column.name, say("sending.without-sign", title=column.title), link.but(size=True))
            )
        out.append(Offer(column.name, column.title, link))
    wanted = plain_name(link.part)
    return sorted(out, key=lambda o: (wanted not in o.column, o.column))


@dataclass(frozen=True)
class GivenOffer:
    """A given that can take a value: its name and title, and the link to put there."""

    name: str
    title: str
    link: Link


def given_offers(notebook: Notebook, link: Link, q: Quantity) -> list[GivenOffer]:
    """Givens of the investigation whose unit goes with a value.

    Parameters
    ----------
    notebook : Notebook
    link : Link
        Where the value comes from.
    q : Quantity
        What it is now.
    """
    evaluation = evaluate(notebook)
    givens = evaluation.recipe.givens.items() if evaluation is not None else ()
    return [
        GivenOffer(name, evaluation.recipe.title_of(name), link)
        for name, given in givens
        if evaluation is not None and not given.choices and q.unit.goes_with(given.unit)
    ]


def given_sent(notebook: Notebook, offer: GivenOffer) -> Notebook:
    """Let a given have its value from what was measured."""
    q = linked_in(notebook, offer.link)
    return edits.link_given(notebook, offer.name, offer.link, q if isinstance(q, str) else link_text(q))


def sent_all(notebook: Notebook, column: str, links: list[Link]) -> Notebook:
    """Put links into a column one below the other: into rows without a value there, then into new ones."""
    free = [t.id for t in edits.table_of(notebook).trials if t.status == "kept" and not t.cells.get(column)]
    if len(free) < len(links):
        notebook, made = edits.add_trials(notebook, [{} for _n in range(len(links) - len(free))])
        free += made
    for trial_id, link in zip(free, links, strict=False):
        q = linked_in(notebook, link)
        text = q if isinstance(q, str) else link_text(q)
        notebook = edits.link_cell(notebook, trial_id, column, link, text)
    return notebook


def sent(notebook: Notebook, offer: Offer) -> tuple[Notebook, str]:
    """Put a link into the first trial whose cell is empty there, else into a new trial; gives that trial."""
    table = edits.table_of(notebook)
    free = next(
        (t.id for t in table.trials if t.status == "kept" and t.cells and not t.cells.get(offer.column)), None
    ) or next((t.id for t in table.trials if t.status == "kept" and not t.cells), None)
    if free is None:
        notebook, made = edits.add_trials(notebook, [{}])
        free = made[0]
    q = linked_in(notebook, offer.link)
    text = q if isinstance(q, str) else link_text(q)
    return edits.link_cell(notebook, free, offer.column, offer.link, text), free
