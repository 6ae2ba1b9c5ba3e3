"""What limits the result of an investigation, what would help most, and how far the table has come."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.budget import Contribution, budget, expanded_if
from saltus.core.notation.line import as_text
from saltus.core.shown_unit import si
from saltus.core.statement import unit_tail
from saltus.investigations.engine.schools import restated
from saltus.investigations.sentences import say
from saltus.investigations.view.naming import named_sources, short_box, shown_unit
from saltus.notebook.derived.advice import Limits

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.shown_unit import ShownUnit
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.derived.advice import Mark

"""Ids of sources that more trials make smaller."""
FEWEST_LEVELS = 5


def trial_progress(evaluation: Evaluation | None) -> dict[str, Mark]:
    """How far trials and graph have come, for the marks on the rail."""
    if evaluation is None or not any(t.cells for t in evaluation.rows):
        return {"trials": "empty", "graph": "empty"}
    troubled = bool(evaluation.cell_problems) or any(g.advice for g in evaluation.groups)
    there = evaluation.headline is not None
    levels = len(evaluation.groups) if evaluation.recipe.level else len(evaluation.rows)
    enough = there and levels >= min(FEWEST_LEVELS, len(evaluation.rows))
    graph: Mark = "half" if there else "empty"
    if there and enough:
        graph = "done"
    marks: dict[str, Mark] = {"trials": "look" if troubled else "done" if there else "half", "graph": graph}
    return marks | {"findings": "half"} if there else marks


def stated_result(evaluation: Evaluation, name: str, q: Quantity) -> str:
    """A result as the convention of the notebook states it, with what its ± means."""
    return stated_by(q, evaluation.table.convention, shown_unit(evaluation, name, q.unit))


def stated_by(q: Quantity, convention: str, shown: ShownUnit | None = None) -> str:
    """A result as a convention states it, with what its ± means; in SI where no other unit is given."""
    said, shown = restated(q, convention), shown or si(q.unit)
    if not math.isfinite(said.U95):
        return f"{shown.stated(float(said))}  {say('advice.uncertainty-not-yet')}"
    tails = {
        "standard": say("advice.as-95"),
        "half-range": say("advice.as-limits"),
        "school": say("advice.as-standard-u"),
    }
    return f"{shown.stated(float(said), said.U95)} {tails[convention]}"


def trial_limits(evaluation: Evaluation) -> Limits | None:
    """What limits the first result; None while there is none with an uncertainty."""
    found = evaluation.headline
    if found is None or not math.isfinite(found[1].U95) or found[1].U95 == 0:
        return None
    name, q = found
    lines = named_sources(evaluation, budget(q))
    items = tuple((line.label[:1].upper() + line.label[1:], line.kind, line.share) for line in lines[:6])
    title = say("advice.what-limits", name=as_text(short_box(evaluation, name)))
    return Limits(title, items, help_words(q, lines, shown_unit(evaluation, name, q.unit)))


def help_words(q: Quantity, lines: list[Contribution], shown: ShownUnit) -> str:
    """The change that would help most, with the uncertainty before and after."""
    if not lines:
        return say("advice.no-uncertainty-stated")
    first = lines[0]
    after = expanded_if(q, first, 0.5)
    scatter = any(source.from_trials for source in first.sources)
    what = (
        say("advice.four-times-many-trials")
        if scatter
        else say("advice.knowing-twice-well", label=first.label[:1].lower() + first.label[1:])
    )
    return say(
        "advice.gain",
        what=what,
        before=shown.words(0.0, q.U95)[1],
        after=shown.words(0.0, after)[1] + unit_tail(shown.text),
    )
