"""Reading an investigation from its file, with clear sentences for who wrote it."""

from __future__ import annotations

import re
import tomllib
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel, ValidationError

from saltus.core.entry import entry
from saltus.core.units import parse_unit
from saltus.investigations.recipe import form
from saltus.investigations.recipe.mistakes import usual
from saltus.investigations.recipe.recipe import (
    Choice,
    Column,
    Fit,
    Given,
    Naming,
    Recipe,
    RecipeError,
    Sense,
    Slip,
    Versus,
    Warn,
)
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from pydantic_core import ErrorDetails

    from saltus.core.formulas import Formula

LARGEST = 200_000
_PARTS: dict[str, type[BaseModel]] = {
    "columns": form.Column, "givens": form.Given, "fits": form.Fit, "results": form.Choice,
    "comparisons": form.Versus, "names": form.Naming, "warn": form.Warn,
    "slips": form.Slip, "sense": form.Sense,
}  # fmt: skip
_CODES = {
    "missing": "recipe.missing",
    "list_type": "recipe.list-tables-expected-here",
    "tuple_type": "recipe.list-tables-expected-here",
    "dict_type": "recipe.table-names-expected-here",
    "model_type": "recipe.table-names-expected-here",
    "bool_type": "recipe.true-or-false-expected-here",
    "bool_parsing": "recipe.true-or-false-expected-here",
}


def read_recipe(text: str, name: str) -> Recipe:
    """Read an investigation from TOML text.

    Parameters
    ----------
    text : str
    name : str
        For messages.

    Raises
    ------
    RecipeError
        One sentence: which file, where, what is expected.
    """
    if len(text) > LARGEST:
        raise RecipeError(say("recipe.too-large-investigation", name=name))
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise RecipeError(say("recipe.cannot-read", name=name, why=_place_of(error))) from error
    return recipe_from(data, name)


def recipe_from(data: dict[str, Any], name: str) -> Recipe:
    """Make an investigation from the data of its file; see :func:`read_recipe`."""
    try:
        read = form.RecipeForm.model_validate(data)
    except (ValidationError, RecursionError) as error:
        raise RecipeError(f"{name}, {_first_fault(error)}") from error
    recipe = Recipe(
        id=read.id,
        title=read.title,
        group=read.group,
        question=read.question,
        texts={key: getattr(read, key) for key in form.TEXTS},
        minutes=read.minutes,
        columns={n: _column(c, f"{name}, columns.{n}") for n, c in read.columns.items()},
        givens=_free_fall() | {n: _given(g, f"{name}, givens.{n}") for n, g in read.givens.items()},
        level=read.level,
        average=read.average,
        rows=read.rows,
        levels=read.levels,
        per_level=read.per_level,
        series=read.series,
        fits={n: Fit(f.x, f.y, f.model, f.series) for n, f in read.fits.items()},
        results={n: _choices(choices) for n, choices in read.results.items()},
        unknown=read.unknown,
        record=read.record,
        comparisons=tuple(
            Versus(v.of, v.other, _choices(v.formula), v.difference, v.scale, v.each, _choices(v.value))
            for v in read.comparisons
        ),
        matters=read.matters,
        plausible=read.plausible,
        warns=tuple(Warn(w.slip, w.text, w.when, w.significant, w.besides) for w in read.warn),
        slips=tuple(Slip(s.slip, s.text, s.undo, s.row, s.unless, s.seldom) for s in read.slips),
        sense=tuple(Sense(s.of, s.like, s.within, s.when, s.needs, s.unless) for s in read.sense),
        repeats=read.repeats,
        finds=read.finds,
        methods=read.methods,
        drawing=read.drawing,
        load=read.load,
        example=read.example,
        names={"g": Naming(say("recipe.free-fall-acceleration"), "g", "m/s^2")}
        | {n: Naming(k.name, k.symbol, k.unit, k.also) for n, k in read.names.items()},
        headline=read.headline,
        ends=read.ends,
        picture=read.picture,
        drawn=read.drawn,
        pictured={n: _choices(choices) for n, choices in read.pictured.items()},
    )
    _check_names(name, recipe)
    return recipe


def _first_fault(error: ValidationError | RecursionError) -> str:
    """Say where and what the fault is that is most to the point: a key nobody knows, else the first."""
    if isinstance(error, RecursionError):
        return f"{say('recipe.the-file')}: {say('recipe.not-as-expected')}"
    found = error.errors(include_url=False, include_input=False)
    first = next((e for e in found if e["type"] == "extra_forbidden"), found[0])
    place = first["loc"]
    unknown = first["type"] in ("extra_forbidden", "missing")
    return f"{_place(place[:-1] if unknown or place[-1] == '[key]' else place)}: {_fault(first)}"


def _place(loc: tuple[int | str, ...]) -> str:
    """Where something stands in the file, as ``columns.mass`` or ``comparisons 2``."""
    out = ""
    for step in loc:
        out += f" {step + 1}" if isinstance(step, int) else f".{step}" if out else step
    return out or str(say("recipe.the-file"))


def _fault(error: ErrorDetails) -> str:
    kind, loc = error["type"], error["loc"]
    if kind == form.FAULT:
        return str(error["ctx"]["sentence"])
    if kind == "extra_forbidden":
        part: type[BaseModel] = (
            form.Choice if "formula" in loc[:-1] else _PARTS.get(str(loc[0]), form.RecipeForm)
        )
        known = sorted(field.alias or name for name, field in part.model_fields.items())
        return say("recipe.not-known-here-known", key=str(loc[-1])[:40], all=", ".join(known))
    if kind == "string_pattern_mismatch":
        if loc[-1] == "[key]":
            return say("recipe.no-name-small-letters", name=str(loc[-2])[:40])
        return say("recipe.wrong-id")
    code = _CODES.get(kind, "recipe.number-expected-here")
    wanted = {"key": str(loc[-1])} if say.names(code) else {}
    return say(code, **wanted)


def _column(read: form.Column, where: str) -> Column:
    optional = read.default is not None if read.optional is None else read.optional
    return Column(*read.unit, read.kind, read.default, optional, read.words, *_wrongs(read, where))


def _wrongs(read: form.Column | form.Given, where: str) -> tuple[tuple[float, float] | None, tuple[str, ...]]:
    """The usual range of a quantity, SI, and what is easily done wrong with it."""
    unit, text = read.unit
    wrongs = tuple(dict.fromkeys((*read.mistakes, *usual(unit))))
    if not read.typical:
        return None, wrongs
    low, high = (entry(t, unit, default_unit=text, where=f"{where}.typical").value for t in read.typical)
    return (low, high), wrongs


def _free_fall() -> dict[str, Given]:
    unit = parse_unit("m/s^2")[1]
    return {"g": Given(unit, "m/s^2", "9.81(1) m/s^2", True, (), say("recipe.free-fall-acceleration"))}


def _given(read: form.Given, where: str) -> Given:
    unit, text = read.unit
    if read.default is not None and not read.choices:
        entry(read.default, unit, default_unit=text, where=where)
    optional = read.default is not None if read.optional is None else read.optional
    return Given(unit, text, read.default, optional, read.choices, read.words, *_wrongs(read, where))


def _choices(read: tuple[form.Choice, ...]) -> tuple[Choice, ...]:
    return tuple(Choice(choice.formula, choice.when) for choice in read)


def _check_names(file: str, recipe: Recipe) -> None:
    """Every name a formula uses must be one that can be there."""
    typed = {*recipe.columns, *recipe.givens, *recipe.rows}
    for key in ("level", "average", "series", "repeats"):
        for name in getattr(recipe, key):
            if name not in typed:
                raise RecipeError(f"{file}, {key}: {say('recipe.no-column', name=name)}")
    answers = {*recipe.results, *recipe.record}
    if recipe.headline and recipe.headline not in answers:
        raise RecipeError(f"{file}, headline: {say('recipe.no-result', name=recipe.headline)}")
    if recipe.drawn and recipe.drawn not in recipe.fits:
        raise RecipeError(f"{file}, drawn: {say('recipe.no-fit', name=recipe.drawn)}")
    levels = typed | recipe.levels.keys()
    fitted = {"slope", "intercept", "c0", "c1", "c2"}
    fitted |= {f"{fit}_{p}" for fit in recipe.fits for p in fitted}
    typed_givens = {f"{name}_given" for name in recipe.givens}
    results = (
        typed | typed_givens | fitted | recipe.results.keys() | recipe.per_level.keys() | set(recipe.record)
    )
    checked: list[tuple[str, Formula, set[str]]] = []
    checked += [(f"rows.{n}", f, typed) for n, f in recipe.rows.items()]
    checked += [(f"levels.{n}", f, levels) for n, f in recipe.levels.items()]
    checked += [(f"per_level.{n}", f, levels) for n, f in recipe.per_level.items()]
    checked += [(f"fits.{n}", f, levels) for n, fit in recipe.fits.items() for f in (fit.x, fit.y)]
    checked += [(f"results.{n}", c.formula, results) for n, cs in recipe.results.items() for c in cs]
    checked += [
        (f"comparisons with {v.other}", c.formula, results | {"combined"})
        for v in recipe.comparisons
        for c in (*v.choices, *v.value)
    ]
    checked += [(f"warn {w.slip}", f, results | levels) for w in recipe.warns for f in (*w.when, *w.besides)]
    checked += [(f"slips {s.slip}", f, typed) for s in recipe.slips for f in s.undo.values()]
    checked += [(f"pictured.{n}", c.formula, results) for n, cs in recipe.pictured.items() for c in cs]
    checked += [("sense", f, results | levels | {"unknown"}) for s in recipe.sense for f in (s.of, s.like)]
    for where, formula, allowed in checked:
        for name in sorted(formula.names - allowed):
            words = say("recipe.uses-unknown", text=formula.text, name=name)
            raise RecipeError(f"{file}, {where}: {words}")


def _place_of(error: Exception) -> str:
    """Where the text is not as it must be, in our words."""
    found = re.search(r"line (\d{1,9})", str(error))
    return say("recipe.line", n=found[1]) if found else say("recipe.somewhere")
