"""Reading an investigation from its file, with clear sentences for who wrote it."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from saltus.core.entry import entry
from saltus.core.formula_order import in_order
from saltus.core.formulas import Formula, FormulaError, parse
from saltus.core.units import Unit, UnitError, parse_unit
from saltus.investigations.recipe.recipe import (
    FUNCTIONS,
    METHODS,
    MODELS,
    SLIPS,
    Choice,
    Column,
    Fit,
    Given,
    Recipe,
    RecipeError,
    Sense,
    Slip,
    Versus,
    Warn,
)
from saltus.investigations.sentences import say

LARGEST = 200_000
RECIPE_ID = re.compile(r"[a-z][a-z0-9]*(-[a-z0-9]+)*")
_NAME = re.compile(r"[a-z][a-z0-9_]*")

TEXTS = ("varied", "measured", "same", "instruments", "steps", "checks", "cautions", "next")
PARTS = {
    "id", "title", "group", "question", "minutes", *TEXTS, "columns", "givens", "level", "average", "rows",
    "levels", "per_level", "series", "fits", "results", "unknown", "record", "comparisons", "matters",
    "plausible", "warn", "slips", "sense", "finds", "methods", "drawing", "load", "example",
}  # fmt: skip


class _Reading:
    """Reads one file; every complaint names the file and the place."""

    def __init__(self, name: str, data: dict[str, Any]) -> None:
        self.name = name
        self.data = data

    def wrong(self, where: str, what: str) -> RecipeError:
        return RecipeError(f"{self.name}, {where}: {what}")

    def table(self, key: str, within: dict[str, Any] | None = None) -> dict[str, Any]:
        found = (self.data if within is None else within).get(key, {})
        if not isinstance(found, dict):
            raise self.wrong(key, say("recipe.table-names-expected-here"))
        return found

    def items(self, key: str) -> list[dict[str, Any]]:
        found = self.data.get(key, [])
        if not isinstance(found, list) or not all(isinstance(item, dict) for item in found):
            raise self.wrong(key, say("recipe.list-tables-expected-here", key=key))
        return found

    def text(self, key: str, data: dict[str, Any], where: str, default: str | None = None) -> str:
        value = data.get(key, default)
        if not isinstance(value, str):
            raise self.wrong(f"{where}.{key}" if where else key, say("recipe.text-quotes-expected-here"))
        return value

    def texts(self, key: str) -> tuple[str, ...]:
        value = self.data.get(key, [])
        value = [value] if isinstance(value, str) else value
        if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
            raise self.wrong(key, say("recipe.list-texts-expected-here"))
        return tuple(value)

    def formula(self, text: Any, where: str) -> Formula:
        if isinstance(text, int | float) and not isinstance(text, bool):
            text = str(text)
        if not isinstance(text, str):
            raise self.wrong(where, say("recipe.formula-quotes-expected-here"))
        try:
            return parse(text, FUNCTIONS)
        except FormulaError as error:
            raise self.wrong(where, str(error)) from error

    def formulas(self, key: str) -> dict[str, Formula]:
        made = {name: self.formula(text, f"{key}.{name}") for name, text in self.table(key).items()}
        for name in made:
            self.named(name, key)
        try:
            return {name: made[name] for name in in_order(made)}
        except FormulaError as error:
            raise self.wrong(key, str(error)) from error

    def named(self, name: str, where: str) -> str:
        if not _NAME.fullmatch(name):
            raise self.wrong(where, say("recipe.no-name-small-letters", name=name))
        return name

    def unit(self, data: dict[str, Any], where: str) -> tuple[Unit, str]:
        written = self.text("unit", data, where, "")
        try:
            return parse_unit(written)[1], written
        except UnitError as error:
            raise self.wrong(where, str(error)) from error

    def known(self, data: dict[str, Any], allowed: set[str], where: str) -> None:
        for key in data:
            if key not in allowed:
                raise self.wrong(
                    where, say("recipe.not-known-here-known", key=key, all=", ".join(sorted(allowed)))
                )

    def choices(self, value: Any, where: str) -> tuple[Choice, ...]:
        """One formula, or a list of them, each a text or a table with ``formula`` and ``when``."""
        made = []
        for item in value if isinstance(value, list) else [value]:
            data = item if isinstance(item, dict) else {"formula": item}
            self.known(data, {"formula", "when"}, where)
            when = self.table("when", data)
            made.append(
                Choice(self.formula(data.get("formula"), where), {k: str(v) for k, v in when.items()})
            )
        return tuple(made)


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
        raise RecipeError(say("recipe.cannot-read", name=name, why=error)) from error
    return recipe_from(data, name)


def recipe_from(data: dict[str, Any], name: str) -> Recipe:
    """Make an investigation from the data of its file; see :func:`read_recipe`."""
    made = _Reading(name, data)
    made.known(data, PARTS, say("recipe.the-file"))
    recipe_id = made.text("id", data, "")
    if not RECIPE_ID.fullmatch(recipe_id):
        raise made.wrong("id", say("recipe.wrong-id"))
    recipe = Recipe(
        id=recipe_id,
        title=made.text("title", data, ""),
        group=made.text("group", data, ""),
        question=made.text("question", data, ""),
        texts={key: made.texts(key) for key in TEXTS},
        minutes=int(data.get("minutes", 40)),
        columns=_columns(made),
        givens=_givens(made),
        level=made.texts("level"),
        average=made.texts("average"),
        rows=made.formulas("rows"),
        levels=made.formulas("levels"),
        per_level=made.formulas("per_level"),
        series=made.texts("series"),
        fits=_fits(made),
        results={
            made.named(k, "results"): made.choices(v, f"results.{k}")
            for k, v in made.table("results").items()
        },
        unknown={k: str(v) for k, v in made.table("unknown").items()},
        record={k: str(v) for k, v in made.table("record").items()},
        comparisons=_comparisons(made),
        matters=_matters(made),
        plausible=_plausible(made),
        warns=_warns(made),
        slips=_slips(made),
        sense=_sense(made),
        finds=made.text("finds", data, "", ""),
        methods=_methods(made),
        drawing=made.texts("drawing"),
        load={k: str(v) for k, v in made.table("load").items()},
        example=made.table("example"),
    )
    _check_names(made, recipe)
    return recipe


def _columns(made: _Reading) -> dict[str, Column]:
    columns = {}
    for name, data in made.table("columns").items():
        where = f"columns.{made.named(name, 'columns')}"
        if not isinstance(data, dict):
            raise made.wrong(where, say("recipe.table-expected-here", example='{unit = "cm"}'))
        made.known(data, {"unit", "kind", "default", "optional", "words"}, where)
        unit, text = made.unit(data, where)
        kind = made.text("kind", data, where, "number")
        if kind not in ("number", "text", "level"):
            raise made.wrong(where, say("recipe.kind-number-text-level"))
        default = data.get("default")
        words = made.text("words", data, where, "")
        optional = bool(data.get("optional", default is not None))
        columns[name] = Column(unit, text, kind, None if default is None else str(default), optional, words)
    if not columns:
        raise made.wrong("columns", say("recipe.investigation-needs-least-column"))
    return columns


def _givens(made: _Reading) -> dict[str, Given]:
    givens = {
        "g": Given(
            *parse_unit("m/s^2")[1:], "m/s^2", "9.81(1) m/s^2", True, (), say("recipe.free-fall-acceleration")
        )
    }
    for name, data in made.table("givens").items():
        where = f"givens.{made.named(name, 'givens')}"
        if not isinstance(data, dict):
            raise made.wrong(where, say("recipe.table-expected-here", example='{unit = "kg"}'))
        made.known(data, {"unit", "default", "optional", "choices", "words"}, where)
        unit, text = made.unit(data, where)
        choices = tuple(map(str, data.get("choices", ())))
        default = data.get("default")
        if default is not None and not choices:
            entry(str(default), unit, default_unit=text, where=f"{made.name}, {where}")
        optional = bool(data.get("optional", default is not None))
        words = made.text("words", data, where, "")
        givens[name] = Given(unit, text, None if default is None else str(default), optional, choices, words)
    return givens


def _fits(made: _Reading) -> dict[str, Fit]:
    fits = {}
    for name, data in made.table("fits").items():
        where = f"fits.{made.named(name, 'fits')}"
        made.known(data, {"x", "y", "model", "series"}, where)
        model = made.text("model", data, where, "line")
        if model not in MODELS:
            raise made.wrong(where, say("recipe.no-model", all=", ".join(MODELS)))
        x, y = (made.formula(data.get(axis), f"{where}.{axis}") for axis in ("x", "y"))
        fits[name] = Fit(x, y, model, made.text("series", data, where, ""))
    return fits


def _matters(made: _Reading) -> float | None:
    """By which part of the mean a quantity would have to change what is measured for it to matter."""
    value = made.data.get("matters")
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value <= 1:
        raise made.wrong("matters", say("recipe.no-part"))
    return float(value)


def _comparisons(made: _Reading) -> tuple[Versus, ...]:
    out = []
    for i, data in enumerate(made.items("comparisons"), 1):
        where = f"comparisons {i}"
        made.known(data, {"of", "with", "formula", "difference", "scale"}, where)
        choices = made.choices(data["formula"], where) if "formula" in data else ()
        difference = made.formula(data["difference"], where) if "difference" in data else None
        scale = made.formula(data["scale"], where) if "scale" in data else None
        of, other = made.text("of", data, where), made.text("with", data, where)
        out.append(Versus(of, other, choices, difference, scale))
    return tuple(out)


def _plausible(made: _Reading) -> dict[str, tuple[Formula, Formula]]:
    out = {}
    for name, ends in made.table("plausible").items():
        where = f"plausible.{name}"
        if not isinstance(ends, list) or len(ends) != 2:
            raise made.wrong(where, say("recipe.two-formulas-expected-here"))
        out[name] = (made.formula(ends[0], where), made.formula(ends[1], where))
    return out


def _warns(made: _Reading) -> tuple[Warn, ...]:
    out = []
    for i, data in enumerate(made.items("warn"), 1):
        where = f"warn {i}"
        made.known(data, {"slip", "text", "when", "significant"}, where)
        when = data.get("when")
        formulas = tuple(made.formula(w, where) for w in (when if isinstance(when, list) else [when]))
        out.append(Warn(_slip(made, data, where), made.text("text", data, where), formulas,
                        bool(data.get("significant", False))))  # fmt: skip
    return tuple(out)


def _slip(made: _Reading, data: dict[str, Any], where: str) -> str:
    slip = made.text("slip", data, where, "")
    if slip and slip not in SLIPS:
        raise made.wrong(where, say("recipe.not-slip-known", slip=slip, all=", ".join(SLIPS)))
    return slip


def _slips(made: _Reading) -> tuple[Slip, ...]:
    out = []
    for i, data in enumerate(made.items("slips"), 1):
        where = f"slips {i}"
        made.known(data, {"slip", "text", "undo"}, where)
        undo = {k: made.formula(v, where) for k, v in made.table("undo", data).items()}
        out.append(Slip(_slip(made, data, where), made.text("text", data, where), undo))
    return tuple(out)


def _methods(made: _Reading) -> tuple[str, ...]:
    methods = made.texts("methods")
    for method in methods:
        if method not in METHODS:
            raise made.wrong("methods", say("recipe.no-method", all=", ".join(METHODS)))
    return methods


def _sense(made: _Reading) -> tuple[Sense, ...]:
    out = []
    for i, data in enumerate(made.items("sense"), 1):
        where = f"sense {i}"
        made.known(data, {"of", "like", "within"}, where)
        of, like = (made.formula(data.get(key), where) for key in ("of", "like"))
        out.append(Sense(of, like, float(data.get("within", 0.05))))
    return tuple(out)


def _check_names(made: _Reading, recipe: Recipe) -> None:
    """Every name a formula uses must be one that can be there."""
    typed = {*recipe.columns, *recipe.givens, *recipe.rows}
    for key in ("level", "average", "series"):
        for name in getattr(recipe, key):
            if name not in typed:
                raise made.wrong(key, say("recipe.no-column", name=name))
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
        (f"comparisons with {v.other}", c.formula, results) for v in recipe.comparisons for c in v.choices
    ]
    checked += [(f"warn {w.slip}", f, results | levels) for w in recipe.warns for f in w.when]
    checked += [(f"slips {s.slip}", f, typed) for s in recipe.slips for f in s.undo.values()]
    checked += [("sense", f, results | {"unknown"}) for s in recipe.sense for f in (s.of, s.like)]
    for where, formula, allowed in checked:
        for name in sorted(formula.names - allowed):
            raise made.wrong(where, say("recipe.uses-unknown",
                text=formula.text, name=name))  # fmt: skip
