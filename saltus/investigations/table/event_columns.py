"""Which columns of the table take the values of an event, so that all go there with one action."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.investigations.table.links import link_text, linked_in
from saltus.investigations.table.sending import Offer, offers, sent
from saltus.notebook.derived.before_after import event_found
from saltus.notebook.edits.trials import link_cell
from saltus.notebook.trials import Link

if TYPE_CHECKING:
    from saltus.notebook.before_after import BeforeAfter
    from saltus.notebook.model import Notebook, Take


def together(notebook: Notebook, take: Take, event: BeforeAfter) -> list[Offer]:
    """The columns named for the bodies of an event in their order, such as v1_before or omega_after."""
    values = event_found(take, event).values()
    found: dict[str, Offer] = {}
    for i, side in enumerate(event.sides, 1):
        for when in ("before", "after"):
            part = f"{when} {side.body}"
            if part not in values:
                continue
            names = [f"v{i}_{when}", f"omega{i}_{when}", *([f"v_{when}", f"omega_{when}"] if i == 1 else [])]
            link = Link(kind="event", source=take.id, place=event.id, part=part)
            for offer in offers(notebook, link, values[part]):
                if offer.column in names and not offer.link.size:
                    found.setdefault(offer.column, offer)
    return list(found.values())


def sent_together(notebook: Notebook, wanted: list[Offer]) -> tuple[Notebook, str]:
    """Put several links into one trial, that of the first; gives that trial."""
    notebook, trial_id = sent(notebook, wanted[0])
    for offer in wanted[1:]:
        q = linked_in(notebook, offer.link)
        text = q if isinstance(q, str) else link_text(q)
        notebook = link_cell(notebook, trial_id, offer.column, offer.link, text)
    return notebook, trial_id
