"""The investigation of a notebook: of the catalogue, with own columns, or made of own columns alone."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from saltus.core.formulas import FormulaError, parse
from saltus.core.units import UnitError, parse_unit
from saltus.investigations.recipe.catalogue import recipe_data
from saltus.investigations.recipe.file import recipe_from
from saltus.investigations.recipe.mistakes import TYPED_IN
from saltus.investigations.recipe.recipe import FUNCTIONS, Recipe, RecipeError
from saltus.investigations.sentences import say
from saltus.notebook.trials import FREE, Plot

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.core.formulas import Formula
    from saltus.notebook.trials import CustomColumn, TrialTable


def free_data() -> dict[str, Any]:
    """Give the data of an investigation that has nothing yet."""
    return {
        "id": FREE,
        "title": say("columns.investigation-own"),
        "group": "",
        "question": say("columns.what-quantity-depend"),
        "columns": {},
        "rows": {},
    }


def investigation_of(table: TrialTable) -> tuple[Recipe, dict[str, str]]:
    """Give the investigation of a table, and which own columns cannot be used and why.

    Raises
    ------
    RecipeError
        If the catalogue has no such investigation (the notebook came from elsewhere).
    """
    data = free_data() if table.investigation == FREE else recipe_data(table.investigation)
    problems = _take_columns(data, table)
    if not data["columns"]:
        # an engine without a column has nothing to count rows by
        data["columns"] = {"number": {"optional": True}}
    return _typed_in(recipe_from(data, table.investigation), table.units), problems


def _typed_in(recipe: Recipe, units: Mapping[str, str]) -> Recipe:
    """The same with what is easily done wrong in a column of grams or centimetres."""
    columns = {
        n: replace(c, mistakes=(TYPED_IN[units[n]], *c.mistakes)) if units.get(n) in TYPED_IN else c
        for n, c in recipe.columns.items()
    }
    return replace(recipe, columns=columns)


def with_plot(table: TrialTable) -> Recipe | None:
    """Give the investigation whose one line is the chosen plot.

    None without one, where it names what is not there, and for an own investigation, whose line it is anyway.
    """
    if table.plot is None or table.investigation == FREE:
        return None
    try:
        data = recipe_data(table.investigation)
    except RecipeError:
        return None
    _take_columns(data, table)
    for part in ("fits", "results", "comparisons", "warn", "plausible", "sense", "slips", "per_level"):
        data.pop(part, None)
    for part in ("unknown", "record", "load", "drawn", "headline", "ends", "pictured"):
        data.pop(part, None)
    data["series"] = []
    try:
        names = parse(table.plot.x, FUNCTIONS).names | parse(table.plot.y, FUNCTIONS).names
        level = _texts(data.get("level"))
        measured = {*data["columns"], *data.get("rows", {})} - {*level, *data.get("levels", {})}
        data["average"] = [*dict.fromkeys([*_texts(data.get("average")), *sorted(names & measured)])]
        data["fits"] = {"plot": {"x": table.plot.x, "y": table.plot.y, "model": table.plot.model}}
        return recipe_from(data, table.investigation)
    except (FormulaError, RecipeError):
        return None


def _texts(value: Any) -> list[str]:
    return [value] if isinstance(value, str) else list(value or [])


def _take_columns(data: dict[str, Any], table: TrialTable) -> dict[str, str]:
    """Put the own columns into the data of an investigation; gives those that cannot be used and why."""
    problems: dict[str, str] = {}
    known = {*data["columns"], *data.get("rows", {}), *data.get("levels", {}), *data.get("givens", {}), "g"}
    formulas: dict[str, Formula] = {}
    for column in table.own:
        if column.name in known:
            problems[column.name] = say("columns.name-taken", name=column.name)
        elif column.formula:
            try:
                formulas[column.name] = parse(column.formula)
            except FormulaError as error:
                problems[column.name] = str(error)
        elif column.kind == "number":
            problems |= _typed(data, column, varied=column.name == table.varied)
    known |= data["columns"].keys() | formulas.keys()
    for name, formula in list(formulas.items()):
        unknown = sorted(formula.names - known)
        if unknown:
            problems[name] = say(
                "columns.not-known-here-columns", name=unknown[0], all=", ".join(sorted(known - {name}))
            )
            del formulas[name]
    _drop_broken(formulas, problems, known)
    data["rows"] = {**data.get("rows", {}), **{name: f.text for name, f in formulas.items()}}
    if table.investigation == FREE:
        _arrange(data, table)
    return problems


def _typed(data: dict[str, Any], column: CustomColumn, *, varied: bool) -> dict[str, str]:
    try:
        parse_unit(column.unit)
    except UnitError as error:
        return {column.name: str(error)}
    data["columns"][column.name] = {"unit": column.unit, "optional": True, "words": column.title}
    if varied:
        data["columns"][column.name]["kind"] = "level"
    return {}


def _drop_broken(formulas: dict[str, Formula], problems: dict[str, str], known: set[str]) -> None:
    """Leave out formulas that go round in a circle, or rest on one that was left out."""
    sound = known - problems.keys() - formulas.keys()
    left = dict(formulas)
    while ready := [name for name, formula in left.items() if formula.names <= sound]:
        for name in ready:
            sound.add(name)
            del left[name]
    for name, formula in left.items():
        del formulas[name]
        lost = sorted(formula.names & problems.keys() - left.keys())
        problems[name] = say("columns.rests-on-lost", name=lost[0]) if lost else say("columns.circle")


def _arrange(data: dict[str, Any], table: TrialTable) -> None:
    """Levels by what is varied; a line through what was plotted, else through what was worked out last."""
    numbers = list(data["columns"])
    if table.varied not in numbers:
        return
    data["level"] = [table.varied]
    measured = [*(n for n in numbers if n != table.varied), *data["rows"]]
    plot = table.plot or (Plot(x=table.varied, y=measured[-1]) if measured else None)
    if plot is None:
        return
    try:
        names = parse(plot.x, FUNCTIONS).names | parse(plot.y, FUNCTIONS).names
    except FormulaError:
        return
    if not names <= {table.varied, "g", *measured}:
        return
    data["average"] = [n for n in measured if n in names]
    data["fits"] = {"line": {"x": plot.x, "y": plot.y, "model": plot.model}}
    if plot.model == "quadratic":
        data["results"] = {"constant_term": "c0", "linear_term": "c1", "quadratic_term": "c2"}
    else:
        data["results"] = {"slope_of_line": "slope"}
    if plot.model == "line":
        data["results"]["intercept_of_line"] = "intercept"
