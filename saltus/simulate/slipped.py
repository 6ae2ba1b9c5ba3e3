"""A simulated table as it looks when its writer made one particular mistake."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.entry import entry
from saltus.simulate.tables import SimulatedTable, plain_number

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.formulas import Formula
    from saltus.investigations.recipe.recipe import Recipe, Slip

    Array = NDArray[np.float64]


def slipped(table: SimulatedTable, recipe: Recipe, slip: Slip) -> SimulatedTable | None:
    """Put a slip into a table: what undoing it would give back is what stood there before.

    Parameters
    ----------
    table : SimulatedTable
    recipe : Recipe
    slip : Slip
        Each formula of its undoing is linear in the column or given it restores, or takes over another one.

    Returns
    -------
    SimulatedTable or None
        None where the table lacks what the slip touches.
    """
    plain = _plain(table, recipe)
    made = replace(table, columns=dict(table.columns), givens=dict(table.givens))
    for name, formula in slip.undo.items():
        if name not in plain:
            return None
        wrong, factor = _wrong(formula, name, plain, set(slip.undo))
        if name in table.columns:
            unit, cells = table.columns[name]
            values = np.broadcast_to(wrong, (len(cells),))
            made.columns[name] = (unit, [f"{v:.12g}" if np.isfinite(v) else "" for v in values])
            if f"u({name})" in table.columns:
                unit, cells = table.columns[f"u({name})"]
                made.columns[f"u({name})"] = (unit, [f"{float(u) / abs(factor):.6g}" for u in cells])
        else:
            given = recipe.givens[name]
            unit = "" if given.unit.ascii == "1" else f" {given.unit.ascii}"
            written = table.givens.get(name)
            u = (entry(written, given.unit).u if written else None) or 0.0
            spread = f" ± {u / abs(factor):.6g}" if u else ""
            made.givens[name] = f"{float(wrong):.12g}{spread}{unit}"
    return made


def _plain(table: SimulatedTable, recipe: Recipe) -> dict[str, Array]:
    """Columns and givens as plain SI numbers."""
    plain: dict[str, Array] = {}
    for name, (_unit, cells) in table.columns.items():
        if name in recipe.columns and recipe.columns[name].kind != "text":
            plain[name] = np.array([float(cell) if cell else np.nan for cell in cells])
    for name, given in recipe.givens.items():
        text = table.givens.get(name, given.default)
        if name not in plain and text and not given.choices:
            plain[name] = np.asarray(entry(text, given.unit, default_unit=given.unit_text).value)
    return plain


def _wrong(formula: Formula, name: str, plain: dict[str, Array], touched: set[str]) -> tuple[Array, float]:
    """What stood there with the slip, and how much the slip shrank it."""
    if name not in formula.names and formula.names & touched:
        return plain[next(iter(formula.names & touched))], 1.0
    at_zero = float(plain_number(formula.text, {**plain, name: 0.0}, 1)[0])
    factor = float(plain_number(formula.text, {**plain, name: 1.0}, 1)[0]) - at_zero
    return (plain[name] - at_zero) / factor, factor
