"""What to do next on the stages of a table of trials: what fits the investigation and how far it has come."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.investigations.sentences import say
from saltus.investigations.view.naming import title_of
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.trials import FREE

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation

FEWEST_LEVELS, FEWEST_TRIALS = 5, 3
"""Levels from which on a line is trusted, and trials from which on their scatter says something."""


def next_on_trials(evaluation: Evaluation) -> str:
    """The next step on the Trials stage, in one or two sentences."""
    if not evaluation.rows:
        return _to_begin(evaluation)
    if evaluation.cell_problems:
        return say("next.cells", n=len(evaluation.cell_problems))
    if evaluation.outcome is None:
        return evaluation.trouble
    return _with_data(evaluation)


def _with_data(evaluation: Evaluation) -> str:
    recipe = evaluation.recipe
    if recipe.record:
        return say("next.see-record") if evaluation.headline is not None else say("next.go-on")
    if _has_line(evaluation) and len(evaluation.groups) < FEWEST_LEVELS:
        level = title_of(evaluation, recipe.level[0])
        done = len(evaluation.groups)
        return say(
            "next.more-levels" if done > 1 else "next.second-level", level=level, n=FEWEST_LEVELS - done
        )
    if not _has_line(evaluation) and _kept(evaluation) < FEWEST_TRIALS:
        return say("next.more-trials")
    if evaluation.headline is None:
        return say("next.go-on")
    return say("next.see-line" if _has_line(evaluation) else "next.see-picture")


def next_on_graph(evaluation: Evaluation, *, drawn: bool) -> str:
    """The next step on the Graph stage; ``drawn``: whether anything is shown there."""
    if evaluation.outcome is None:
        return evaluation.trouble
    if not drawn:
        return say("next.choose-axes")
    if _has_line(evaluation) and len(evaluation.groups) < FEWEST_LEVELS:
        return say("next.more-levels", n=max(FEWEST_LEVELS - len(evaluation.groups), 1))
    return say("next.claim")


def next_question(evaluation: Evaluation) -> str:
    """What to look into after it, as the investigation proposes; empty where it proposes nothing."""
    asked = next(iter(evaluation.recipe.texts.get("next", ())), "")
    return say("next.try", what=asked) if asked else ""


def _to_begin(evaluation: Evaluation) -> str:
    if evaluation.recipe.record:
        return say("next.record-first")
    names = [c.title for c in table_columns(evaluation) if c.role == "level"]
    if names:
        return say("next.first-level", name=names[0])
    if evaluation.table.investigation == FREE and not evaluation.table.own:
        return say("next.columns-first")
    return say("next.first-trial")


def _has_line(evaluation: Evaluation) -> bool:
    """Whether the answer comes from a line through levels."""
    return bool(evaluation.recipe.fits) and bool(evaluation.recipe.level)


def _kept(evaluation: Evaluation) -> int:
    return int(np.count_nonzero(evaluation.trials.kept))
