"""A line or curve through two columns of a table, as the headless command lays it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.lines.curves import CURVES, Curve, fit_curve
from saltus.core.lines.levels import average, group_levels
from saltus.core.lines.straight import Line, NoLine, fit_line
from saltus.core.quantities import exact, family
from saltus.core.wording import _
from saltus.exchange.tables import Table, TableError

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.units import Unit

    Array = NDArray[np.float64]


def model_parameters(model: str) -> tuple[str, ...]:
    """Names of the parameters of a model."""
    if model in CURVES:
        return CURVES[model].parameters
    return ("slope",) if model == "proportional" else ("slope", "intercept")


def fit_columns(
    table: Table, x_name: str, y_name: str, model: str, *, weighted: bool
) -> tuple[Line | Curve | NoLine, list[str]]:
    """Fit two columns of a table.

    Parameters
    ----------
    table : Table
        Its columns ``u(NAME)`` are the standard uncertainties.
    x_name, y_name : str
    model : str
    weighted : bool
        Whether to use the stated uncertainties.

    Returns
    -------
    fit : Line, Curve or NoLine
    warnings : list of str

    Raises
    ------
    TableError
        If a column is missing or cannot be read.
    """
    x, u_x, x_unit = _column(table, x_name, weighted=weighted)
    y, u_y, y_unit = _column(table, y_name, weighted=weighted)
    warnings = []
    good = np.isfinite(x) & np.isfinite(y)
    if not np.all(good):
        lines = np.flatnonzero(~good) + 2
        more = " …" if len(lines) > 8 else ""
        words = _("Left out, for empty cells: line {lines}.")
        warnings.append(words.format(lines=", ".join(map(str, lines[:8])) + more))
    x, y, u_x, u_y = x[good], y[good], u_x[good], u_y[good]
    if not len(x):
        return NoLine(_("The table holds no row with both values.")), warnings
    qx = family(x, u_x, x_unit, sources.column(x_name, "reading")) if np.any(u_x > 0) else exact(x, x_unit)
    qy = family(y, u_y, y_unit, sources.column(y_name, "reading")) if np.any(u_y > 0) else exact(y, y_unit)
    counts = None
    group, first = group_levels(x)
    if len(first) < len(x) and np.any(u_x > 0):
        # rows of one level share the uncertainty of its value
        qx = family(x[first], u_x[first], x_unit, sources.column(x_name, "reading"))
        qy = average(qy, group, y_name).mean
        counts = np.bincount(group).astype(float)
    if model in CURVES:
        return fit_curve(CURVES[model], qx, qy, weights=counts), warnings
    found = fit_line(qx, qy, through_origin=model == "proportional", weights=counts, of="table")
    return found, warnings


def _column(table: Table, name: str, *, weighted: bool) -> tuple[Array, Array, Unit]:
    unit = table.unit_of(name)[1]
    values = table.numbers(name, unit)
    u = table.optional(f"u({name})", unit) if weighted else np.zeros(len(values))
    if np.any(u < 0):
        line = int(np.flatnonzero(u < 0)[0]) + 2
        words = _("{table}, line {line}: an uncertainty must be zero or a positive number.")
        raise TableError(words.format(table=table.name, line=line))
    return values, np.nan_to_num(u), unit
