"""Edits of the table of trials: rows, cells, columns, givens, and how results are worked out."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import given_up_to, new_id, next_number, number_of
from saltus.notebook.sentences import say
from saltus.notebook.trials import Claim, CustomColumn, LeftToStudent, Trial, TrialTable

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from saltus.notebook.model import Notebook
    from saltus.notebook.trials import Against, Instrument, Link

Cells = dict[str, str]


class NoTableError(ValueError):
    """An edit of a table that is not there."""


def table_of(notebook: Notebook) -> TrialTable:
    """Give the table of trials.

    Raises
    ------
    NoTableError
        If no investigation was chosen.
    """
    if notebook.trials is None:
        raise NoTableError(say("trials.choose-investigation-first-brings"))
    return notebook.trials


def start(notebook: Notebook, table: TrialTable, title: str = "") -> Notebook:
    """Begin an investigation with its table; a notebook without a name takes that of the investigation.

    Trials that the table brings are numbered on from those of tables before it.
    """
    unnamed = title and notebook.title == type(notebook)().title
    before = notebook.last_ids.get("trial", 0)
    if before and table.trials:
        renamed = (t.but(id=f"trial-{before + i}") for i, t in enumerate(table.trials, start=1))
        table = table.but(trials=tuple(renamed))
    last = max((number_of(t.id)[1] for t in table.trials), default=0)
    if last > before:
        notebook = given_up_to(notebook, "trial", last)
    return notebook.but(trials=table, **({"title": title[:200]} if unnamed else {}))  # type: ignore[no-any-return]


def change_table(notebook: Notebook, **changes: Any) -> Notebook:
    """Change fields of the table: plot, drawn line, model of the line, convention."""
    return notebook.but(trials=table_of(notebook).but(**changes))  # type: ignore[no-any-return]


def add_trials(
    notebook: Notebook, rows: Iterable[Mapping[str, str]], after: str | None = None
) -> tuple[Notebook, tuple[str, ...]]:
    """Add rows below the trial ``after``, else at the end; gives the notebook and their ids."""
    table = table_of(notebook)
    trials, ids = list(table.trials), []
    at = next((i + 1 for i, t in enumerate(trials) if t.id == after), len(trials))
    number = next_number(notebook, "trial", (t.id for t in trials))
    for row in rows:
        made = Trial(id=f"trial-{number}", cells={k: v for k, v in row.items() if v})
        trials.insert(at, made)
        ids.append(made.id)
        at, number = at + 1, number + 1
    notebook = given_up_to(notebook, "trial", number - 1)
    return change_table(notebook, trials=tuple(trials)), tuple(ids)


def set_cells(notebook: Notebook, cells: Mapping[tuple[str, str], str]) -> Notebook:
    """Type cells by (trial, column); a cell that had its value by a link has it no longer."""
    table = table_of(notebook)
    rows: dict[str, Cells] = {}
    for (trial_id, column), text in cells.items():
        rows.setdefault(trial_id, {})[column] = text.strip()[:200]
    trials = []
    for trial in table.trials:
        typed = rows.get(trial.id)
        if not typed or all(trial.cells.get(c, "") == text for c, text in typed.items()):
            trials.append(trial)
            continue
        made = {c: text for c, text in (trial.cells | typed).items() if text}
        links = {c: link for c, link in trial.links.items() if c not in typed}
        trials.append(trial.but(cells=made, links=links))
    return change_table(notebook, trials=tuple(trials))


def change_trial(notebook: Notebook, trial_id: str, **changes: Any) -> Notebook:
    """Change status and reason of a trial."""
    trials = tuple(t.but(**changes) if t.id == trial_id else t for t in table_of(notebook).trials)
    return change_table(notebook, trials=trials)


def remove_empty(notebook: Notebook, trial_ids: Iterable[str]) -> Notebook:
    """Take rows away in which nothing was typed; a trial that was made stays, failed or set aside."""
    gone = set(trial_ids)
    kept = tuple(t for t in table_of(notebook).trials if t.id not in gone or t.cells or t.reason)
    return change_table(notebook, trials=kept)


def remove_zero(notebook: Notebook, trial_id: str) -> Notebook:
    """Take a reading of zero away; trials are not touched by this."""
    trials = table_of(notebook).trials
    return change_table(notebook, trials=tuple(t for t in trials if t.id != trial_id or t.status != "zero"))


def without_unmade(notebook: Notebook, levels: Iterable[str]) -> Notebook:
    """Take rows away in which nothing but their level was typed: a level that is done needs no next row."""
    said_once = set(levels)
    kept = tuple(
        t
        for t in table_of(notebook).trials
        if t.cells.keys() - said_once or t.reason or t.status != "kept" or not t.cells
    )
    return change_table(notebook, trials=kept)


def link_cell(notebook: Notebook, trial_id: str, column: str, link: Link, text: str) -> Notebook:
    """Let a cell have its value from elsewhere; ``text`` is what the source gives now."""
    table = table_of(notebook)
    trials = tuple(
        t.but(cells=t.cells | {column: text}, links=t.links | {column: link}) if t.id == trial_id else t
        for t in table.trials
    )
    return change_table(notebook, trials=trials)


def retext_links(notebook: Notebook, texts: Mapping[tuple[str, str], str]) -> Notebook:
    """Write down what the sources of linked cells give now; the links stay."""
    if not texts:
        return notebook
    trials = []
    for trial in table_of(notebook).trials:
        now = {c: texts[trial.id, c] for c in trial.links if (trial.id, c) in texts}
        trials.append(trial.but(cells=trial.cells | now) if now else trial)
    return change_table(notebook, trials=tuple(trials))


def retext_givens(notebook: Notebook, texts: Mapping[str, str]) -> Notebook:
    """Write down what the sources of linked givens give now; the links stay."""
    if not texts:
        return notebook
    return change_table(notebook, givens={**table_of(notebook).givens, **texts})


def set_given(notebook: Notebook, name: str, text: str) -> Notebook:
    """Type a given; empty takes it away. What is typed is no link any more."""
    table = table_of(notebook)
    givens = {k: v for k, v in (table.givens | {name: text.strip()[:200]}).items() if v}
    return change_table(
        notebook, givens=givens, given_links={k: v for k, v in table.given_links.items() if k != name}
    )


def link_given(notebook: Notebook, name: str, link: Link, text: str) -> Notebook:
    """Let a given have its value from what was measured; ``text`` is what that gives now."""
    table = table_of(notebook)
    return change_table(
        notebook, givens=table.givens | {name: text}, given_links=table.given_links | {name: link}
    )


def hold_against(notebook: Notebook, one: Against) -> Notebook:
    """Hold a result against another value; one of the same name is replaced."""
    others = tuple(a for a in table_of(notebook).against if (a.of, a.name) != (one.of, one.name))
    return change_table(notebook, against=(*others, one))


def hold_no_more(notebook: Notebook, name: str) -> Notebook:
    """Take comparisons with a value away."""
    return change_table(notebook, against=tuple(a for a in table_of(notebook).against if a.name != name))


def leave_to_student(notebook: Notebook, columns: Iterable[str], results: Iterable[str]) -> Notebook:
    """Leave derived columns and results to the student; what was typed for results stays."""
    typed = table_of(notebook).left.results
    left = LeftToStudent(columns=tuple(columns), results={n: typed.get(n, "") for n in results})
    return change_table(notebook, left=left)


def type_result(notebook: Notebook, name: str, text: str) -> Notebook:
    """Type what the student worked out for a result."""
    left = table_of(notebook).left
    return change_table(notebook, left=left.but(results={**left.results, name: text.strip()[:200]}))


def set_unit(notebook: Notebook, column: str, unit: str) -> Notebook:
    """State the unit in which the cells of a column are typed."""
    return change_table(notebook, units=table_of(notebook).units | {column: unit})


def set_instrument(notebook: Notebook, column: str, instrument: Instrument | None) -> Notebook:
    """Say what a column is read with; None: nothing is stated of it."""
    instruments = {k: v for k, v in table_of(notebook).instruments.items() if k != column}
    if instrument is not None:
        instruments[column] = instrument
    return change_table(notebook, instruments=instruments)


def put_column(notebook: Notebook, column: CustomColumn, instead_of: str | None = None) -> Notebook:
    """Add an own column, or change one; cells follow a column that is renamed."""
    table = table_of(notebook)
    if instead_of is None:
        return change_table(notebook, own=(*table.own, column))
    own = tuple(column if c.name == instead_of else c for c in table.own)
    trials = table.trials
    if column.name != instead_of:
        trials = tuple(
            t.but(cells={column.name if k == instead_of else k: v for k, v in t.cells.items()})
            for t in trials
        )
    return change_table(notebook, own=own, trials=trials)


def remove_column(notebook: Notebook, name: str) -> Notebook:
    """Take an own column away, with its cells; undo brings both back."""
    table = table_of(notebook)
    trials = tuple(
        t.but(
            cells={k: v for k, v in t.cells.items() if k != name},
            links={k: v for k, v in t.links.items() if k != name},
        )
        if name in t.cells
        else t
        for t in table.trials
    )
    return change_table(notebook, own=tuple(c for c in table.own if c.name != name), trials=trials)


def change_findings(notebook: Notebook, **changes: Any) -> Notebook:
    """Change claims, precautions, observations, answers and what goes on the sheet."""
    return notebook.but(findings=notebook.findings.but(**changes))  # type: ignore[no-any-return]


def add_claim(notebook: Notebook, text: str = "", rests_on: str = "") -> tuple[Notebook, str]:
    """Claim something; gives the notebook and the id of the claim."""
    claims = notebook.findings.claims
    notebook, claim_id = new_id(notebook, "claim", (c.id for c in claims))
    return change_findings(
        notebook, claims=(*claims, Claim(id=claim_id, text=text, rests_on=rests_on))
    ), claim_id
