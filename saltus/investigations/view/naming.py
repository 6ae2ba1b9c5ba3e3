"""How what an investigation tells is called on screen and paper: titles, symbols, units people use."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from saltus.core import sources as causes
from saltus.core.formulas import FormulaError, parse
from saltus.core.notation.boxes import Row, Word
from saltus.core.notation.line import as_text
from saltus.core.notation.setting import set_formula
from saltus.core.shown_unit import ShownUnit, shown_in, shown_on_axis, si
from saltus.investigations.recipe.recipe import FUNCTIONS
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from collections.abc import Iterable

    from saltus.core.budget import Contribution
    from saltus.core.notation.boxes import Box
    from saltus.core.quantity import Quantity
    from saltus.core.units import Unit
    from saltus.investigations.engine.evaluation import Evaluation

_PARAMETERS = {
    "slope": "naming.slope",
    "intercept": "naming.intercept",
    "c0": "naming.c0",
    "c1": "naming.c1",
    "c2": "naming.c2",
}
"""What lines and curves give formulas, and the code of its words."""


def shown_unit(evaluation: Evaluation, name: str, unit: Unit) -> ShownUnit:
    """The unit a column, a given or a result is shown in: as typed, else what people use, else SI."""
    own = evaluation.table.custom_column(name)
    if name in evaluation.recipe.columns:
        typed = evaluation.table.units.get(name) or evaluation.recipe.columns[name].unit_text
        return shown_in(typed, unit)
    if own is not None:
        return shown_in(own.unit, unit)
    if evaluation.table.si:
        return si(unit)
    return shown_in(evaluation.recipe.unit_of(name), unit)


def stated_value(evaluation: Evaluation, name: str, q: Quantity) -> str:
    """Write a result or any named quantity with its 95 % half width in the unit it is shown in."""
    return shown_unit(evaluation, name, q.unit).of(q)


def symbol_of(evaluation: Evaluation, name: str) -> Box:
    """What stands for a name in formulas; the parameters of a line go by their own words."""
    own = evaluation.table.custom_column(name)
    if own is not None and name not in evaluation.recipe.names:
        return Word(own.title or own.name)
    if name not in evaluation.recipe.names:
        parameter = next((p for p in _PARAMETERS if name == p or name.endswith(f"_{p}")), "")
        if parameter:
            return Word(say(_PARAMETERS[parameter]))
    return evaluation.recipe.symbol_of(name)


def formula_box(evaluation: Evaluation, text: str) -> Box:
    """Set a formula of the table with the symbols of its investigation."""
    try:
        tree = parse(text, FUNCTIONS).tree
    except FormulaError:
        return Word(text)
    return set_formula(tree, lambda name: symbol_of(evaluation, name))


def formula_words(evaluation: Evaluation, text: str) -> str:
    """Write a formula along one line: ``T²``, ``2θ/t²``."""
    return as_text(formula_box(evaluation, text))


def axis_box(evaluation: Evaluation, text: str) -> Box:
    """What an axis shows: for a plain column its name and symbol, else the formula."""
    if text not in evaluation.columns:
        return formula_box(evaluation, text)
    return titled(evaluation, text)


def titled(evaluation: Evaluation, name: str) -> Box:
    """Name and symbol of a quantity, such as length *L*; the name alone where it has no symbol."""
    symbol, title = symbol_of(evaluation, name), title_of(evaluation, name)
    if isinstance(symbol, Word) and not symbol.italic:
        return Word(title)
    return symbol if as_text(symbol) == title else Row((Word(f"{title} "), symbol))


def short_box(evaluation: Evaluation, name: str) -> Box:
    """The shortest that stands for a quantity: its symbol, else its name."""
    symbol = symbol_of(evaluation, name)
    return symbol if not isinstance(symbol, Word) or symbol.italic else Word(title_of(evaluation, name))


def title_of(evaluation: Evaluation, name: str) -> str:
    """Words for a column, a given or a result, own ones included."""
    own = evaluation.table.custom_column(name)
    if own is not None:
        return own.title or own.name
    return evaluation.recipe.title_of(name)


def axis_unit(evaluation: Evaluation, text: str, unit: Unit) -> ShownUnit:
    """The unit an axis is shown in."""
    try:
        tree = parse(text, FUNCTIONS).tree
    except FormulaError:
        return si(unit)

    def of(name: str) -> ShownUnit | None:
        q = evaluation.columns.get(name)
        return shown_unit(evaluation, name, q.unit) if q is not None else None

    return shown_on_axis(tree, unit, of)


def equation(evaluation: Evaluation, name: str, text: str) -> Box:
    """Symbol of a quantity, and the formula it follows from."""
    return Row((symbol_of(evaluation, name), Word(" = "), formula_box(evaluation, text)))


def named_sources(evaluation: Evaluation, lines: Iterable[Contribution]) -> list[Contribution]:
    """Parts of an uncertainty under the names of what was typed and given."""
    return [replace(line, label=_label(evaluation, line)) for line in lines]


def _label(evaluation: Evaluation, line: Contribution) -> str:
    source = next(iter(line.sources), None)
    of = source.id.of[0] if source is not None and source.id.of else None
    if source is None or not isinstance(of, str):
        return line.label
    known = evaluation.recipe.columns.keys() | evaluation.recipe.givens.keys()
    if source.id.cause in causes.OF_A_NAME and of in known:
        return title_of(evaluation, of)
    if source.id.cause == causes.LEVEL_SCATTER and of in evaluation.columns:
        return say("levels.scatter", name=title_of(evaluation, of))
    return line.label
