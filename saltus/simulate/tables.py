"""Tables of trials whose truth is known: every investigation of the catalogue carries an example."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.formulas import Call, Formula, Number, compute, parse
from saltus.core.quantity import Quantity
from saltus.core.units import ONE
from saltus.simulate.sensors import SENSORS

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from saltus.core.formulas import Node
    from saltus.investigations.recipe.recipe import Recipe

    Array = NDArray[np.float64]

G, U_G = 9.81, 0.01


@dataclass
class SimulatedTable:
    """A table as a student would have typed it, and what is true behind it.

    Attributes
    ----------
    columns : dict of str to (str, list of str)
        Name to unit and cells; SI units.
    givens : dict of str to str
        As written.
    expected : dict of str to float
        True results, SI.
    """

    columns: dict[str, tuple[str, list[str]]] = field(default_factory=dict)
    givens: dict[str, str] = field(default_factory=dict)
    expected: dict[str, float] = field(default_factory=dict)


def simulated_table(
    recipe: Recipe, seed: int | None = None, *, states_u: bool = True, other: int | None = None
) -> SimulatedTable:
    """Make the example table of an investigation.

    Parameters
    ----------
    recipe : Recipe
    seed : int, optional
        Of the noise; without one there is none, and cells hold twelve digits.
    states_u : bool
        Whether the typed columns state their uncertainty; otherwise levels are exact, as repeats at one level
        cannot show that it is off.
    other : int, optional
        Which of the further examples.
    """
    example = dict(recipe.example)
    if other is not None:
        example |= example["other"][other]
    if "sensor" in example:
        return _recorded(example["sensor"], seed)
    rng = np.random.default_rng(seed) if seed is not None else None
    truth = {"g": G if rng is None else float(rng.normal(G, U_G)), **example.get("truth", {})}
    table = SimulatedTable()
    _type_table(table, recipe, example, truth, rng, states_u=states_u)
    for extra in example.get("more", []):
        _more_rows(table, example, extra, truth, rng)
    _givens(table, recipe, example, truth, rng)
    for name, formula in example.get("expect", {}).items():
        table.expected[name] = float(plain_number(formula, truth, 1)[0])
    return table


def _type_table(
    table: SimulatedTable, recipe: Recipe, example: Mapping[str, Any], truth: Mapping[str, float],
    rng: np.random.Generator | None, *, states_u: bool,
) -> None:  # fmt: skip
    drawn = _grid(example)
    rows = max((len(v) for v in drawn.values()), default=int(example.get("rows", 1)))
    formulas = example.get("columns", {})
    texts = {n for n, c in recipe.columns.items() if c.kind == "text"} & formulas.keys()
    names: dict[str, Any] = {**truth, **drawn}
    for name, formula in formulas.items():
        if name not in texts:
            names[name] = plain_number(formula, names, rows)
    limits = _limits(example, rows, rng, drawn)
    for name, column in recipe.columns.items():
        if name in texts:
            table.columns[name] = ("", [str(formulas[name])] * rows)
        elif name in names:
            true = np.broadcast_to(np.asarray(names[name], dtype=float), (rows,))
            if name in ("f_low", "f_high"):
                true = true + limits
            _type_column(table, example, name, column.unit.ascii, true, drawn, rng, states_u=states_u)


def _grid(example: Mapping[str, Any]) -> dict[str, Array]:
    if "grid" in example:
        return {n: start + step * np.arange(count) for n, (start, step, count) in example["grid"].items()}
    repeats = int(example.get("repeats", 1))
    return {n: np.repeat(np.asarray(v, dtype=float), repeats) for n, v in example.get("vary", {}).items()}


def _limits(
    example: Mapping[str, Any], rows: int, rng: np.random.Generator | None, drawn: dict[str, Array]
) -> Array:
    """How far the middle of two limits lies from the truth: one draw for each level."""
    out = np.zeros(rows)
    if rng is None:
        return out
    for width in example.get("limits", {}).values():
        half = float(example["truth"][width])
        for values in drawn.values():
            levels, place = np.unique(values, return_inverse=True)
            out = rng.uniform(-half, half, len(levels))[place]
    return out


def _type_column(
    table: SimulatedTable, example: Mapping[str, Any], name: str, unit: str, true: Array,
    drawn: dict[str, Array], rng: np.random.Generator | None, *, states_u: bool,
) -> None:  # fmt: skip
    u = float(example.get("u", {}).get(name, 0.0))
    scatter = float(example.get("scatter", {}).get(name, 0.0))
    read = np.array(true, dtype=float)
    if rng is not None and u:
        if name in drawn and "vary" in example:
            if not states_u:
                u = 0.0  # scatter shows nothing of what is typed once for a whole level
            levels, place = np.unique(drawn[name], return_inverse=True)
            read = read + rng.normal(0, u, len(levels))[place]
        else:
            read = read + rng.normal(0, u, len(read))
    if rng is not None and scatter:
        read = read + rng.normal(0, scatter, len(read))
    table.columns[name] = (unit, [f"{v:.12g}" for v in read])
    if u and states_u:
        table.columns[f"u({name})"] = (unit, [f"{u:.6g}"] * len(read))


def _more_rows(
    table: SimulatedTable, example: Mapping[str, Any], extra: Mapping[str, Any], truth: Mapping[str, float],
    rng: np.random.Generator | None,
) -> None:  # fmt: skip
    for _row in range(int(extra.get("repeats", 1))):
        for name, (_unit, cells) in table.columns.items():
            written = str(extra.get(name, ""))
            if name.startswith("u("):
                cells.append(cells[0])
            elif name in extra and written and name != "label":
                u = float(example.get("u", {}).get(name, 0.0)) if rng is not None else 0.0
                value = float(plain_number(written, truth, 1)[0])
                cells.append(f"{value + (rng.normal(0, u) if rng is not None and u else 0.0):.12g}")
            else:
                cells.append(written)


def _givens(
    table: SimulatedTable, recipe: Recipe, example: Mapping[str, Any], truth: Mapping[str, float],
    rng: np.random.Generator | None,
) -> None:  # fmt: skip
    for name, formula in example.get("givens", {}).items():
        value = float(plain_number(formula, truth, 1)[0])
        u = float(example.get("u_givens", {}).get(name, 0.0))
        if rng is not None and u:
            value += float(rng.normal(0, u))
        unit = recipe.givens[name].unit.ascii
        unit = "" if unit == "1" else f" {unit}"
        table.givens[name] = f"{value:.12g} ± {u:.6g}{unit}" if u else f"{value:.12g}{unit}"
    table.givens.update(example.get("words", {}))


def plain_number(formula: Any, names: Mapping[str, Any], rows: int) -> Array:
    """A formula of an example over plain SI numbers, (rows,)."""
    read = parse(str(formula))
    plain = replace(read, tree=_without_units(read.tree))
    env = {n: Quantity(v) for n, v in names.items() if n in read.names}
    return np.broadcast_to(
        compute(Formula(plain.text, plain.tree, plain.names, plain.size), env).value, (rows,)
    )


def _without_units(node: Node) -> Node:
    if isinstance(node, Number):
        return Number(node.value, ONE)
    if isinstance(node, Call):
        return Call(node.name, tuple(_without_units(part) for part in node.parts))
    return node


def _recorded(name: str, seed: int | None) -> SimulatedTable:
    sensor = SENSORS[name]
    made = sensor.record({"seed": seed} if seed is not None else {"noise": 0.0, "drift": 0.0, "offset": 0.0})
    columns = {n: (unit, [f"{v:.12g}" for v in values]) for n, (unit, values) in made.columns.items()}
    if seed is not None:
        quiet = np.array([float(v) for v in columns[made.signal][1]])
        zero = float(np.mean(quiet[: made.quiet]))
        columns[made.signal] = (columns[made.signal][0], [f"{v - zero:.12g}" for v in quiet])
    expected = {k: v for k, v in made.truth.items() if math.isfinite(v)}
    return SimulatedTable(columns, {}, expected)
