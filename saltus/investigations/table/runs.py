"""Runs timed with the stopwatch: into which column and level of the table they go, and what they came to."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core import sources
from saltus.core.clock.hand import Hand, timed_by_hand
from saltus.core.quantities import family
from saltus.core.repeats import mean_of, summary
from saltus.core.statement import to_places
from saltus.core.units import SECOND
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.derived.times import hand_named
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import Instrument, TrialTable

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.quantity import Quantity
    from saltus.core.repeats import Repeats
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.table_view import TableColumn
    from saltus.notebook.model import Notebook

CYCLES = "cycles"
"""Column, where there is one, that takes how many cycles were timed."""
Judged = Literal["alike", "seen-start", "seen-stop"]


@dataclass(frozen=True)
class Run:
    """A run at a level: the trial it is, its status and reason, and its time, None where it has none."""

    trial: str
    status: str
    reason: str
    seconds: float | None


def time_columns(evaluation: Evaluation) -> list[TableColumn]:
    """Typed columns that take a time."""
    out = []
    for column in table_columns(evaluation):
        known = evaluation.recipe.columns.get(column.name)
        if known is not None and known.kind == "number" and known.unit.goes_with(SECOND):
            out.append(column)
    return sorted(out, key=lambda c: (c.role != "typed", "time" not in c.name))


def hand_of_column(notebook: Notebook, column: str) -> str:
    """Id of the hand with which a column is timed; empty where none is chosen."""
    chosen = edits.table_of(notebook).instruments.get(column)
    return chosen.amount if chosen is not None and chosen.rule == "hand" else ""


def hands_of(notebook: Notebook, hand_id: str, judged: Judged) -> tuple[Hand, Hand]:
    """The hand at start and stop, by how their moments are judged."""
    start, stop = {
        "alike": ("predicted", "predicted"),
        "seen-start": ("seen", "predicted"),
        "seen-stop": ("predicted", "seen"),
    }[judged]
    return hand_named(notebook.hands, hand_id, start), hand_named(notebook.hands, hand_id, stop)


def run_time(notebook: Notebook, hand_id: str, judged: Judged, shown_s: float) -> Quantity:
    """Give the time of a run from what the watch shows, s."""
    return timed_by_hand(shown_s, *hands_of(notebook, hand_id, judged))


def level_cells(evaluation: Evaluation, trial_id: str | None) -> dict[str, str]:
    """Cells that say at which level a trial is; those of the last trial where none is in hand."""
    rows = [t for t in evaluation.table.trials if t.status != "zero"]
    trial = evaluation.table.trial(trial_id) or (rows[-1] if rows else None)
    names = (*evaluation.recipe.level, *evaluation.recipe.series)
    return {n: trial.cells[n] for n in names if n in trial.cells} if trial is not None else {}


def level_words(evaluation: Evaluation, level: Mapping[str, str]) -> str:
    """A level in words, such as ``length 0.599 m``."""
    words = []
    for name, text in level.items():
        column = evaluation.recipe.columns.get(name)
        unit = evaluation.table.units.get(name) or (column.unit_text if column is not None else "")
        bare = unit if text[-1:].isdigit() else ""
        words.append(" ".join(part for part in (evaluation.recipe.title_of(name), text, bare) if part))
    return ", ".join(words)


def runs_at(evaluation: Evaluation, level: Mapping[str, str], column: str) -> list[Run]:
    """The runs made at a level, in their order."""
    out = []
    times = evaluation.trials.columns.get(column)
    for i, trial in enumerate(evaluation.rows):
        if any(trial.cells.get(n, "") != text for n, text in level.items()):
            continue
        if column not in trial.cells and trial.status == "kept":
            continue
        value = float(times.values[i]) if times is not None and column in trial.cells else math.nan
        out.append(Run(trial.id, trial.status, trial.reason, value if math.isfinite(value) else None))
    return out


def mean_of_runs(runs: list[Run], u: float) -> tuple[Repeats, Quantity] | None:
    """Spread and mean of the runs that count, s; ``u`` is what the hand explains of each. None without."""
    kept = np.array([r.seconds for r in runs if r.status == "kept" and r.seconds is not None])
    if not kept.size:
        return None
    each = family(kept, u, SECOND, sources.runs())
    return summary(kept, u), mean_of(each, "runs", "reaction")


def _free_trial(table: TrialTable, column: str, level: Mapping[str, str]) -> str | None:
    """The first kept trial at a level whose cell is still empty."""
    for t in table.trials:
        here = all(t.cells.get(n, "") == text for n, text in level.items())
        if t.status == "kept" and not t.cells.get(column) and here:
            return t.id
    return None


def with_run(
    notebook: Notebook, evaluation: Evaluation, column: str, level: Mapping[str, str], *,
    shown_s: float | None, cycles: int, judged: Judged = "alike", status: str = "kept", reason: str = "",
) -> tuple[Notebook, str]:  # fmt: skip
    """Write a run into the table; gives the notebook and the trial.

    Parameters
    ----------
    notebook : Notebook
    evaluation : Evaluation
        Of its table.
    column : str
        Takes the time.
    level : mapping
        Cells that say at which level it was.
    shown_s : float or None
        What the watch showed; None for a run without a time.
    cycles : int
        How many were timed.
    judged : {"alike", "seen-start", "seen-stop"}
        Where start and stop were judged in different ways, the difference in lateness is taken off, and the
        cell states its own uncertainty.
    status, reason : str
    """
    table = evaluation.table
    hand_id = hand_of_column(notebook, column)
    if table.instruments.get(column) is None:
        notebook = edits.set_instrument(notebook, column, Instrument(rule="hand", amount=hand_id))
    free = _free_trial(table, column, level)
    if free is None:
        same = [r.trial for r in runs_at(evaluation, level, column)]
        notebook, made = edits.add_trials(notebook, [dict(level)], same[-1] if same else None)
        free = made[0]
    cells = {(free, n): text for n, text in level.items()}
    if shown_s is not None:
        text = _as_cell(run_time(notebook, hand_id, judged, shown_s), shown_s, judged)
        unit = table.units.get(column) or evaluation.recipe.columns[column].unit_text
        cells[free, column] = text if unit == "s" else f"{text} s"
        if CYCLES in evaluation.recipe.columns and cycles > 1:
            cells[free, CYCLES] = str(cycles)
    notebook = edits.set_cells(notebook, cells)
    if status != "kept" or reason:
        notebook = edits.change_trial(notebook, free, status=status, reason=reason)
    return notebook, free


def _as_cell(q: Quantity, shown_s: float, judged: Judged) -> str:
    """The time as the watch shows it, to a hundredth; corrected times with their standard uncertainty."""
    if judged == "alike":
        return to_places(shown_s, 2)
    return f"{to_places(float(q), 3)} ± {float(q.u):.3f}"
