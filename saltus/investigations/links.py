"""What cells can be linked to: parameters of segments of takes, with their uncertainty and its sources."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.motion.segment import SegmentFit
from saltus.core.wording import _
from saltus.core.written import digits
from saltus.notebook.analysis import segment_fit
from saltus.notebook.edits.trials import retext_links

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.trials import Link


def linked(takes: tuple[Take, ...], link: Link) -> Quantity | str:
    """Give what a link leads to now, or a sentence that says why it leads nowhere."""
    take = next((t for t in takes if t.id == link.source), None)
    if take is None:
        return _("Broken link: its take is not in the notebook any more. The last value stays.")
    segment = take.segment(link.place)
    if segment is None:
        return _("Broken link: its segment in “{take}” is gone. The last value stays.").format(take=take.name)
    fit = segment_fit(take, segment)
    q = fit.parameters.get(link.part) if isinstance(fit, SegmentFit) else None
    if q is None:
        return _("The segment in “{take}” gives no {part} now. The last value stays.").format(
            take=take.name, part=link.part
        )
    return -q if link.size and float(q) < 0 else q


def linked_in(notebook: Notebook, link: Link) -> Quantity | str:
    """Give what a link of a notebook leads to now; see :func:`linked`."""
    return linked(notebook.takes, link)


def link_text(q: Quantity) -> str:
    """Write what a link gives as it is kept in the cell: twelve digits, standard uncertainty, unit."""
    unit = "" if q.unit.ascii == "1" else f" {q.unit.ascii}"
    return f"{float(q):.12g} ± {float(q.u):.6g}{unit}"


def links_followed(notebook: Notebook) -> Notebook:
    """Write down what all linked cells give now, where that is another value than before."""
    table = notebook.trials
    if table is None:
        return notebook
    texts = {}
    for trial in table.trials:
        for column, link in trial.links.items():
            q = linked(notebook.takes, link)
            if not isinstance(q, str) and digits(link_text(q)) and link_text(q) != trial.cells.get(column):
                texts[trial.id, column] = link_text(q)
    return retext_links(notebook, texts)
