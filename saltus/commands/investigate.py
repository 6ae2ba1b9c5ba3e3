"""``saltus investigate``: a recipe of the catalogue on tables of trials."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING

import click

from saltus.commands.showing import print_json
from saltus.core.entry import given as split_given
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.tables import read_table
from saltus.investigations.recipe.catalogue import ids, load_recipe, question_of, recipe_named
from saltus.investigations.recipe.recipe import RecipeError

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.outcome import Compared

RECIPE_ENDING = ".toml"


@click.command()
@click.argument("recipe_id", required=False, metavar="ID")
@click.argument("tables", nargs=-1, type=click.Path(path_type=Path))
@click.option(
    "--given", "givens", multiple=True, metavar='"NAME=VALUE"', help="A given, such as mass=0.164(1) kg."
)
@click.option("--line", type=click.Choice(["line", "proportional"]), help="Free, or through the origin.")
@click.option("--convention", type=click.Choice(["standard", "half-range", "school"]), default="standard")
@click.option("--slope-u", type=click.Choice(["fit", "steepest", "scatter"]), default="fit")
@click.option("--list", "list_them", is_flag=True, help="List the catalogue.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def investigate(
    recipe_id: str | None, tables: tuple[Path, ...], givens: tuple[str, ...], line: str | None,
    convention: str, slope_u: str, list_them: bool, as_json: bool,
) -> None:  # fmt: skip
    """Run the investigation ID (or a file ending in .toml) on tables of trials."""
    if list_them:
        _list(as_json)
        return
    if recipe_id is None or not tables:
        raise RecipeError(
            _("Say which investigation and which table: saltus investigate ID TABLE.csv (or --list).")
        )
    recipe = load_recipe(Path(recipe_id)) if recipe_id.endswith(RECIPE_ENDING) else recipe_named(recipe_id)
    from saltus.commands.tabular.number_json import outcome_json  # noqa: PLC0415  start-up time
    from saltus.investigations.engine.bench import Options  # noqa: PLC0415  start-up time
    from saltus.investigations.engine.run import run  # noqa: PLC0415  start-up time
    from saltus.investigations.judgement.slips import recognise  # noqa: PLC0415  start-up time
    from saltus.investigations.table.trials import read_trials  # noqa: PLC0415  start-up time

    written = dict(split_given(text) for text in givens)
    options = Options(line, convention, slope_u)
    for path in tables:
        table = read_table(path)
        trials = read_trials(path.name, {n: (c.unit, c.cells) for n, c in table.columns.items()}, recipe)
        outcome = run(recipe, trials, written, options)
        slips = recognise(outcome, trials, written, options)
        if as_json:
            print_json(outcome_json(outcome, convention, slips))
            continue
        print(f"{path.name}: {recipe.title}")
        for name, q in outcome.results.items():
            print(f"  {name} = {_said(q, convention)}")
        for c in outcome.compared:
            print(f"  {_verdict(c)}")
        for told in (*outcome.warnings, *slips):
            print(f"  {told.text}")


def _said(q: Quantity | None, convention: str) -> str:
    """A result for people; what is not known yet says so."""
    if q is None:
        return _("not yet")
    if not math.isfinite(q.U95):
        return f"{stated(float(q), None, q.unit)} {_('(its uncertainty: not yet)')}"
    from saltus.investigations.view.advice import stated_by  # noqa: PLC0415  start-up time

    return " ".join(stated_by(q, convention).split())


def _verdict(c: Compared) -> str:
    """A comparison for people: what with what, how far apart, and whether they agree."""
    agree = c.found.agree if c.found is not None else None
    words = {True: _("agree"), False: _("differ"), None: _("cannot tell yet")}[agree]
    percent = c.found.percent if c.found is not None else None
    apart = f" ({percent:+.2g} %)".replace("-", "\u2212") if percent is not None else ""
    return _("{of} compared with {other}: {verdict}{apart}").format(
        of=c.of + _where(c), other=_("the given {name}").format(name=c.other) if c.of == c.other else c.other,
        verdict=words, apart=apart,
    )  # fmt: skip


def _where(c: Compared) -> str:
    """Of which row or level, where it is one of many."""
    if c.row is not None:
        return " " + _("(row {n})").format(n=c.row)
    return " " + _("(at {level})").format(level=c.level) if c.level is not None else ""


def _list(as_json: bool) -> None:
    if not as_json:
        for recipe_id in ids():
            print(f"{recipe_id}: {question_of(recipe_id)}")
        return
    recipes = [recipe_named(i) for i in ids()]
    print_json(
        [
            {
                "id": r.id,
                "title": r.title,
                "group": r.group,
                "question": r.question,
                "columns": {
                    n: {"unit": c.unit_text, "optional": c.optional, "kind": c.kind}
                    for n, c in r.columns.items()
                },
                "givens": {
                    n: {
                        "unit": g.unit_text,
                        "optional": g.optional,
                        "default": g.default,
                        "choices": list(g.choices),
                    }
                    for n, g in r.givens.items()
                },
                "results": [*r.results, *(f"{n}_LEVEL" for n in r.per_level)],
                "minutes": r.minutes,
                "cautions": list(r.texts["cautions"]),
            }
            for r in recipes
        ]
    )
