"""How a table of trials is shown: its columns in order, and the words in its cells."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from saltus.core.notation.boxes import Box, Word
from saltus.core.shown_unit import pretty_unit
from saltus.core.statement import unit_tail, value_and_uncertainty
from saltus.core.units import Unit, UnitError, parse_unit
from saltus.investigations.engine.schools import restated
from saltus.investigations.judgement.student import Verdict, checked
from saltus.investigations.sentences import say
from saltus.investigations.table.written_cells import cell_problem
from saltus.investigations.view.justified_digits import justified
from saltus.investigations.view.naming import shown_unit, symbol_of, title_of
from saltus.notebook.trials import FREE

if TYPE_CHECKING:
    from saltus.core.formulas import Formula
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.judgement.level_statistics import Group

NO_SYMBOL = Word("")
Role = Literal["level", "typed", "text", "derived"]


@dataclass(frozen=True)
class TableColumn:
    """A column of the table.

    Attributes
    ----------
    name, title : str
    unit : str
        As its numbers are shown.
    role : {"level", "typed", "text", "derived"}
    formula : str
        Of a derived column.
    custom : bool
        Whether the person added it.
    symbol : Box
        What stands for it in formulas.
    """

    name: str
    title: str
    unit: str
    role: Role
    formula: str = ""
    custom: bool = False
    symbol: Box = NO_SYMBOL

    @property
    def heading(self) -> str:
        """Name and unit in one."""
        return f"{self.title} / {self.unit}" if self.unit else self.title

    @property
    def has_symbol(self) -> bool:
        """Whether it has a symbol beside its name."""
        return not isinstance(self.symbol, Word) or self.symbol.italic


def table_columns(evaluation: Evaluation) -> tuple[TableColumn, ...]:
    """The columns of a table: varied, measured, words, worked out."""
    recipe, table = evaluation.recipe, evaluation.table
    own = {c.name: c for c in table.own}
    levels = [n for n in recipe.level if n in recipe.columns]
    levels = [n for n in levels if not is_hidden(evaluation, n)] or levels[:1]
    numbers = [
        n
        for n, c in recipe.columns.items()
        if n not in recipe.level and c.kind != "text" and not is_hidden(evaluation, n)
    ]
    out = [_typed(evaluation, name, "level", custom=name in own) for name in levels]
    if table.investigation == FREE:
        numbers = [n for n in numbers if n in own]
    out += [_typed(evaluation, name, "typed", custom=name in own) for name in numbers]
    texts = [n for n, c in recipe.columns.items() if c.kind == "text" and not is_hidden(evaluation, n)]
    out += [TableColumn(n, recipe.title_of(n), "", "text") for n in texts]
    out += [
        TableColumn(c.name, c.title or c.name, "", "text", custom=True)
        for c in table.own
        if c.kind == "text" and not c.formula
    ]
    derived: dict[str, Formula] = {**recipe.rows, **recipe.levels}
    seen: set[str] = set()
    for n, f in derived.items():
        # what is told of rows and again of levels stands once
        if _is_column(f) and _worth(evaluation, n) and f.text not in seen:
            out.append(_derived(evaluation, n, f))
            seen.add(f.text)
    there = {c.name for c in out}
    out += [
        TableColumn(c.name, c.title or c.name, c.unit, "derived" if c.formula else "typed", c.formula, True)
        for c in table.own
        if c.name not in there
    ]
    return tuple(out)


def is_hidden(evaluation: Evaluation, name: str) -> bool:
    """Whether an optional column is out of sight: nothing is in it and nobody asked for it."""
    column = evaluation.recipe.columns[name]
    shown = (
        not column.optional
        or name in evaluation.table.units
        or evaluation.table.custom_column(name) is not None
    )
    return not shown and not any(t.cells.get(name) for t in evaluation.rows)


def _worth(evaluation: Evaluation, name: str) -> bool:
    """Whether a derived column has anything to show, now or once cells are filled."""
    q = evaluation.columns.get(name)
    if evaluation.table.custom_column(name) is not None:
        return True
    formula = {**evaluation.recipe.rows, **evaluation.recipe.levels}[name]
    columns = evaluation.recipe.columns
    hidden = [
        n for n in formula.names & columns.keys() if is_hidden(evaluation, n) and columns[n].default is None
    ]
    return q is not None and not hidden


def _is_column(formula: Formula) -> bool:
    """Whether a formula tells something of each row, not of a whole column."""
    return "combine(" not in formula.text


def _typed(evaluation: Evaluation, name: str, role: Role, *, custom: bool) -> TableColumn:
    column = evaluation.recipe.columns[name]
    unit = evaluation.table.units.get(name) or column.unit_text
    return TableColumn(
        name,
        evaluation.recipe.title_of(name),
        pretty_unit(unit),
        role,
        "",
        custom,
        symbol_of(evaluation, name),
    )


def _derived(evaluation: Evaluation, name: str, formula: Formula) -> TableColumn:
    q = evaluation.columns.get(name)
    own = evaluation.table.custom_column(name) is not None
    unit = shown_unit(evaluation, name, q.unit).text if q is not None else ""
    symbol = symbol_of(evaluation, name)
    return TableColumn(name, title_of(evaluation, name), unit, "derived", formula.text, own, symbol)


def factor_of(column: TableColumn, unit: Unit) -> float:
    """What a number in the shown unit is worth in SI; 1 where that unit does not go with the values."""
    try:
        factor, shown = parse_unit(column.unit)
    except UnitError:
        return 1.0
    return factor if shown.goes_with(unit) and factor else 1.0


def words_of(q: Quantity | None, column: TableColumn) -> tuple[str, str]:
    """Value and 95 % uncertainty of a single quantity, as they stand in a cell; empty where there is none."""
    if q is None or not math.isfinite(float(q)):
        return "", ""
    factor = factor_of(column, q.unit)
    U = q.U95 / factor if math.isfinite(q.U95) else None
    text, spread = value_and_uncertainty(float(q) / factor, U)
    return text, spread or ""


def cell_words(evaluation: Evaluation, row: int, column: TableColumn) -> str:
    """What stands in a cell of a trial: as typed, or worked out."""
    trial = evaluation.rows[row]
    if column.name in evaluation.table.left.columns:
        return trial.cells.get(column.name, "")
    if column.name in trial.links:
        q = evaluation.columns.get(column.name)
        text, spread = words_of(q[row], column) if q is not None else ("", "")
        return f"{text} ± {spread}" if spread else text
    if column.role != "derived":
        return trial.cells.get(column.name, "")
    q = evaluation.columns.get(column.name)
    if q is None:
        return ""
    one = q[row]
    if math.isfinite(float(one)) and not (math.isfinite(float(one.u)) and float(one.u) > 0):
        return justified(evaluation, column.name, row, one, factor_of(column, one.unit))
    return words_of(one, column)[0]


def mean_words(evaluation: Evaluation, group: Group, column: TableColumn) -> tuple[str, str]:
    """Mean of a column at a level and its 95 % uncertainty; nothing of what is left to the student."""
    if column.role in ("level", "text") or not column_is_known(evaluation, column):
        return "", ""
    q = group.mean(column.name)
    return words_of(restated(q, evaluation.table.convention) if q is not None else None, column)


def problem_of(evaluation: Evaluation, row: int, column: TableColumn) -> str:
    """Why a cell cannot be used; empty where it can."""
    trial = evaluation.rows[row]
    verdict, words = cell_verdict(evaluation, row, column)
    return words if verdict == "differs" else evaluation.cell_problems.get((trial.id, column.name), "")


def group_title(evaluation: Evaluation, group: Group) -> str:
    """Name of a level with its units, such as ``0.600 m``."""
    levels = [c for c in table_columns(evaluation) if c.role == "level"]
    there = [n for n in evaluation.recipe.level if n in evaluation.trials.columns]
    texts = dict(zip(there, group.name, strict=False))
    words = [
        text + unit_tail(c.unit) if text else say("table-view.not-typed", title=c.title)
        for c in levels
        if (text := texts.get(c.name, "")) or len(levels) == 1
    ]
    return ", ".join(words) if levels else say("table-view.all-trials")


def value_problem(text: str, evaluation: Evaluation, column: TableColumn) -> str:
    """Why a text cannot stand in a typed cell of this column; empty where it can."""
    known = evaluation.recipe.columns.get(column.name)
    return cell_problem(text, known, column.unit, column.title) if known is not None else ""


def cell_verdict(evaluation: Evaluation, row: int, column: TableColumn) -> tuple[Verdict, str]:
    """Verdict on a cell the student worked out; empty for cells that are not left to the student."""
    if column.name not in evaluation.table.left.columns:
        return "", ""
    q = evaluation.columns.get(column.name)
    if q is None:
        return "", ""
    return checked(evaluation.rows[row].cells.get(column.name, ""), q[row], _unit(column, q))


def _unit(column: TableColumn, q: Quantity) -> str:
    try:
        return column.unit if parse_unit(column.unit)[1].goes_with(q.unit) else ""
    except UnitError:
        return ""


def column_is_known(evaluation: Evaluation, column: TableColumn) -> bool:
    """Whether means of a column may be shown: it is not left to the student, or all of it was worked out."""
    if column.name not in evaluation.table.left.columns:
        return True
    kept = [i for i in range(len(evaluation.rows)) if evaluation.trials.kept[i]]
    return bool(kept) and all(cell_verdict(evaluation, i, column)[0] == "agrees" for i in kept)
