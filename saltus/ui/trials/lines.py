"""The table of trials as lines from top to bottom: levels, advice, trials."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.judgement.level_statistics import Group
    from saltus.investigations.view.table_view import TableColumn
    from saltus.notebook.trials import Trial

FEW = 12
"""With at most so many trials all levels are open from the beginning."""
Kind = Literal["level", "advice", "trial"]
NAME, SPREAD, KEPT = "#name", "#spread", "#kept"
"""Columns of the table that hold no quantity: name of the line, strip or reason, how many count."""


@dataclass(frozen=True)
class Line:
    """One line of the table.

    Attributes
    ----------
    kind : {"level", "advice", "trial"}
    group : int
        Place of its level.
    row : int
        Place of its trial among all rows; -1 for other lines.
    """

    kind: Kind
    group: int
    row: int = -1


def lines_of(
    evaluation: Evaluation, opened: set[tuple[str, ...]], closed: set[tuple[str, ...]]
) -> list[Line]:
    """Lay the lines of a table out.

    Parameters
    ----------
    worked : Worked
    opened, closed : set of level names
        Levels that were opened and closed by hand; the others are open while trials are few.
    """
    few = len(evaluation.rows) <= FEW
    out: list[Line] = []
    for i, group in enumerate(evaluation.groups):
        has_level = with_levels(evaluation)
        if has_level:
            out.append(Line("level", i))
        if has_level and not is_open(group, opened, closed, few=few):
            continue
        if group.advice:
            out.append(Line("advice", i))
        out += [Line("trial", i, row) for row in group.rows]
    return out


def is_open(group: Group, opened: set[tuple[str, ...]], closed: set[tuple[str, ...]], *, few: bool) -> bool:
    """Whether the trials of a level are shown."""
    return group.name in opened or (few and group.name not in closed)


def with_levels(evaluation: Evaluation) -> bool:
    """Whether there is a line over the trials that sums them up."""
    return bool(evaluation.recipe.level) or any(g.strip for g in evaluation.groups)


def trial_name(evaluation: Evaluation, line: Line) -> str:
    """Name of a trial within its level."""
    number = evaluation.groups[line.group].rows.index(line.row) + 1
    return _("trial {n}").format(n=number)


def status_words(trial: Trial) -> str:
    """What became of a trial, for its tag; empty for one that counts."""
    if trial.status == "failed":
        return _("failed: {reason}").format(reason=trial.reason) if trial.reason else _("failed")
    if trial.status == "set-aside":
        return _("set aside: {reason}").format(reason=trial.reason) if trial.reason else _("set aside")
    return ""


def typed_columns(columns: tuple[TableColumn, ...], evaluation: Evaluation) -> list[TableColumn]:
    """Columns a person types in."""
    return [c for c in columns if c.role != "derived" or c.name in evaluation.table.left.columns]
