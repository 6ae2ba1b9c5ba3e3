"""Tables of trials of the workshop scenario, filled as a student would have typed them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.notebook.edits import trials as edits
from saltus.notebook.model import Notebook
from saltus.notebook.trials import Instrument, Trial, TrialTable
from saltus.simulate.tables import simulated_table

if TYPE_CHECKING:
    from saltus.investigations.recipe.recipe import Recipe

FEW_DIGITS = 6


def simulated_trials(recipe: Recipe, seed: int = 1) -> TrialTable:
    """Fill the table of an investigation with simulated trials; it says that it is simulated.

    Parameters
    ----------
    recipe : Recipe
    seed : int
        Of the noise.
    """
    made = simulated_table(recipe, seed)
    names = [n for n in made.columns if not n.startswith("u(")]
    instruments: dict[str, Instrument] = {}
    cells: dict[str, list[str]] = {}
    for name in names:
        unit, texts = made.columns[name]
        spread = made.columns.get(f"u({name})", ("", [""]))[1][0]
        u = float(spread) if spread else 0.0
        if u:
            amount = f"{u:.6g} {unit}" if unit not in ("", "1") else f"{u:.6g}"
            instruments[name] = Instrument(rule="stated", amount=amount)
        step = u or _scatter(recipe, name)
        cells[name] = [_as_read(text, step) for text in texts]
    count = len(cells[names[0]])
    return TrialTable(
        investigation=recipe.id,
        simulated=True,
        units={n: recipe.columns[n].unit.ascii for n in names if recipe.columns[n].unit.ascii != "1"},
        instruments=instruments,
        givens={n: _given_as_read(text) for n, text in made.givens.items()},
        trials=tuple(
            Trial(id=f"trial-{i + 1}", cells={n: cells[n][i] for n in names if cells[n][i]})
            for i in range(count)
        ),
    )


def _scatter(recipe: Recipe, name: str) -> float:
    return float(recipe.example.get("scatter", {}).get(name, 0.0)) / 10


def _as_read(text: str, step: float) -> str:
    """Round a number to the place its uncertainty leaves it."""
    try:
        value = float(text)
    except ValueError:
        return text
    if not step:
        return f"{value:.{FEW_DIGITS}g}"
    places = max(0, -math.floor(math.log10(step)))
    return f"{value:.{places}f}"


def _given_as_read(text: str) -> str:
    """Round a given to the place its uncertainty leaves it."""
    value, plus_minus, rest = text.partition(" ± ")
    if not plus_minus:
        return text
    return f"{_as_read(value, float(rest.split()[0]))} ± {rest}"


def simulated_notebook(recipe: Recipe, seed: int = 1) -> Notebook:
    """A notebook of the workshop with simulated trials of an investigation."""
    about = str(recipe.example.get("about", ""))
    remarks = f"{about[:1].upper()}{about[1:]}. Simulated: not a measurement." if about else ""
    notebook = Notebook(who="Clock workshop", remarks=remarks)
    return edits.start(notebook, simulated_trials(recipe, seed), recipe.title)
