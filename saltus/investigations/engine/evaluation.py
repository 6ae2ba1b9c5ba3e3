"""From the table of a notebook to numbers: everything is worked out again whenever the document changes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.lines.straight import Line
from saltus.core.quantity import UncertaintyError
from saltus.core.units import UnitError, parse_unit
from saltus.core.written import WrittenError
from saltus.investigations.engine.bench import Options
from saltus.investigations.engine.outcome import Notice
from saltus.investigations.engine.run import rows_of, run
from saltus.investigations.judgement.doubts import odd_trials_told
from saltus.investigations.judgement.level_statistics import Group, groups_of
from saltus.investigations.judgement.slips import recognise
from saltus.investigations.judgement.student import Verdict, checked, is_cut_off, uncertainty_slip
from saltus.investigations.recipe.custom_columns import investigation_of, with_plot
from saltus.investigations.recipe.recipe import RecipeError
from saltus.investigations.sentences import say
from saltus.investigations.table.cells import typed_columns
from saltus.investigations.table.links import Sources, linked_givens, linked_sources
from saltus.investigations.table.trials import Trials, given_quantity
from saltus.investigations.table.written_cells import TrialsError
from saltus.notebook.memory import remembered, remembered_last
from saltus.notebook.trials import FREE

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.outcome import Outcome
    from saltus.investigations.recipe.recipe import Recipe
    from saltus.notebook.logs import Log
    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.timing import HandTest
    from saltus.notebook.trials import Trial, TrialTable

TROUBLE = (RecipeError, WrittenError, UnitError, TrialsError, UncertaintyError)


@dataclass(frozen=True)
class Evaluation:
    """What a table of trials gives.

    Attributes
    ----------
    recipe : Recipe
    table : TrialTable
    rows : tuple of Trial
        Trials in which something was typed, and the blank ones; readings of zero are no trials.
    trials : Trials
        Their numbers, in the same order.
    columns : dict of str to Quantity
        (N,) typed and derived columns, whether the trials count or not.
    groups : tuple of Group
        Trials that share a level.
    outcome : Outcome or None
    trouble : str
        Why there is no outcome.
    cell_problems : dict of (trial id, column) to str
    given_problems, column_problems : dict of str to str
    givens : dict of str to Quantity
        Those that can be used.
    sources : Sources
        What links may lead to.
    """

    recipe: Recipe
    table: TrialTable
    rows: tuple[Trial, ...]
    trials: Trials
    columns: dict[str, Quantity]
    groups: tuple[Group, ...]
    outcome: Outcome | None
    trouble: str
    cell_problems: dict[tuple[str, str], str]
    given_problems: dict[str, str]
    column_problems: dict[str, str]
    givens: dict[str, Quantity]
    sources: Sources

    def row_of(self, trial_id: str) -> int | None:
        """Place of a trial among the rows."""
        return next((i for i, t in enumerate(self.rows) if t.id == trial_id), None)

    @property
    def options(self) -> Options:
        """How results are stated."""
        return Options(self.table.line or None, self.table.convention, self.table.slope_u)

    @property
    def headline(self) -> tuple[str, Quantity] | None:
        """Name and value of the first result that there is, in the order of the investigation."""
        first = self.outcome.headline if self.outcome is not None else None
        return first if first is None or not is_left(self, first[0]) else None


def evaluate(notebook: Notebook) -> Evaluation | None:
    """Work the table of a notebook out; None without one. Remembered while nothing it rests on changes."""
    table = notebook.trials
    if table is None:
        return None
    reached = linked_sources(notebook, table)
    return _evaluated(table, reached.takes, reached.logs, reached.hands)


@remembered_last
def _evaluated(
    table: TrialTable, takes: tuple[Take, ...], logs: tuple[Log, ...], hands: tuple[HandTest, ...]
) -> Evaluation:
    sources = Sources(takes, logs, hands)
    try:
        recipe, column_problems = investigation_of(table)
    except RecipeError:
        recipe, column_problems = investigation_of(table.but(investigation="free"))
        column_problems[""] = say("evaluation.saltus-not-know-investigation", name=table.investigation)
    measured = {
        n: q
        for n, q in linked_givens(table, sources).items()
        if n in recipe.givens and q.unit.goes_with(recipe.givens[n].unit)
    }
    givens, given_problems = _givens(recipe, table)
    givens |= measured
    made = typed_columns(table, sources, recipe)
    column_problems |= made.column_problems
    columns, broken = rows_of(recipe, made.trials, givens)
    column_problems |= broken
    own = {c.name for c in table.own}
    recipe = replace(recipe, rows={n: f for n, f in recipe.rows.items() if not (n in broken and n in own)})
    # a row of which only the level is typed is one still to come
    said_once = {*recipe.level, *recipe.series}
    kept = np.array([t.status == "kept" and bool(t.cells.keys() - said_once) for t in made.rows], dtype=bool)
    trials = replace(made.trials, kept=kept)
    written = {n: t for n, t in table.givens.items() if n in recipe.givens and n not in given_problems}
    outcome, trouble = _outcome(recipe, trials, table, {**written, **measured}, column_problems.get("", ""))
    doubts = odd_trials_told(outcome, trials) if outcome is not None else ()
    groups = groups_of(recipe, made.rows, trials, columns, outcome, doubts)
    return Evaluation(
        recipe, table, made.rows, trials, columns, groups, outcome, trouble, made.cell_problems,
        given_problems, column_problems, givens, sources,
    )  # fmt: skip


def _givens(recipe: Recipe, table: TrialTable) -> tuple[dict[str, Quantity], dict[str, str]]:
    found: dict[str, Quantity] = {}
    problems: dict[str, str] = {}
    for name, given in recipe.givens.items():
        text = table.givens.get(name, given.default)
        if given.choices:
            if text is not None and text.strip().lower() not in given.choices:
                problems[name] = say("evaluation.one-of", all=", ".join(given.choices))
            continue
        if text is None:
            continue
        try:
            found[name] = given_quantity(name, text, given.unit, given.unit_text, given.words)
        except (WrittenError, UnitError) as error:
            problems[name] = str(error)
    return found, problems


def _outcome(
    recipe: Recipe, trials: Trials, table: TrialTable, givens: Mapping[str, str | Quantity], trouble: str
) -> tuple[Outcome | None, str]:
    if not np.any(trials.kept):
        return None, trouble or say("evaluation.no-trial-yet-type")
    missing = [
        recipe.title_of(n)
        for n, given in recipe.givens.items()
        if n not in givens and not given.optional and given.default is None
    ]
    if missing:
        return None, say("evaluation.type-what-given-results", names=", ".join(missing))
    options = Options(table.line or None, table.convention, table.slope_u)
    try:
        return run(recipe, trials, givens, options), trouble
    except TROUBLE as error:
        return None, str(error)


def written_givens(evaluation: Evaluation) -> dict[str, str]:
    """The givens of a table that can be used, as typed."""
    known = evaluation.recipe.givens
    problems = evaluation.given_problems
    return {n: t for n, t in evaluation.table.givens.items() if n in known and n not in problems}


@remembered
def slips_of(evaluation: Evaluation) -> list[Notice]:
    """What was done wrong: in one trial, at one level, in whole columns, in what the student worked out."""
    if evaluation.outcome is None:
        return []
    found = recognise(
        evaluation.outcome, evaluation.trials, written_givens(evaluation), evaluation.options,
        tell=not evaluation.table.left.results,
    )  # fmt: skip
    return [*found, *_worked_out_wrong(evaluation)]


def _worked_out_wrong(evaluation: Evaluation) -> Iterator[Notice]:
    """Slips in results that are left to the student: cut off, rms or an undoubled u for the uncertainty."""
    outcome = evaluation.outcome
    assert outcome is not None
    line = next(iter(outcome.fits.values()), None)
    rms = line.rms_residual if isinstance(line, Line) else None
    for name, text in evaluation.table.left.results.items():
        q = outcome.results.get(name)
        if q is None or not text.strip():
            continue
        slip = uncertainty_slip(text, q, rms)
        if slip is not None:
            yield Notice(f"{evaluation.recipe.title_of(name)}: {slip[1]}", slip[0])
    for name in evaluation.table.left.columns:
        column = evaluation.columns.get(name)
        for row, trial in enumerate(evaluation.rows) if column is not None else ():
            text = trial.cells.get(name, "")
            if column is not None and text and is_cut_off(text, column[row]):
                words = say(
                    "check.cut-off-trial", trial=row + 1, name=evaluation.recipe.title_of(name), text=text
                )
                yield Notice(words, "truncated-mean", None, row + 1)


@remembered
def plot_outcome(evaluation: Evaluation) -> Outcome | None:
    """The outcome whose first fit is what is plotted: that of the investigation, or of the chosen plot."""
    recipe = with_plot(evaluation.table)
    if recipe is None or evaluation.outcome is None:
        chosen = evaluation.table.plot is not None and evaluation.table.investigation != FREE
        return None if chosen else evaluation.outcome
    try:
        return run(
            recipe, evaluation.trials, written_givens(evaluation), replace(evaluation.options, line=None)
        )
    except TROUBLE:
        return None


def unit_problem(text: str, recipe: Recipe, column: str) -> str:
    """Say why a unit cannot be used for a column; empty where it can."""
    try:
        _factor, unit = parse_unit(text)
    except UnitError as error:
        return str(error)
    wanted = recipe.columns[column]
    if wanted.kind == "number" and not unit.goes_with(wanted.unit):
        return say("unit.does-not-go", unit=text or "1", wanted=wanted.unit_text or wanted.unit.ascii)
    return ""


def result_verdict(evaluation: Evaluation, name: str) -> tuple[Verdict, str]:
    """Verdict on a result the student worked out."""
    text = evaluation.table.left.results.get(name)
    q = evaluation.outcome.results.get(name) if evaluation.outcome is not None else None
    if text is None or q is None:
        return "", ""
    return checked(text, q)


def is_left(evaluation: Evaluation, name: str) -> bool:
    """Whether a result must not be told yet: it is left to the student, who has not got it."""
    return name in evaluation.table.left.results and result_verdict(evaluation, name)[0] != "agrees"
