"""Fitting a segment to a motion table, as the headless command does."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.motion.local import angle_about_origin
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import Fitted, NoFit, SegmentFit, fit_segment
from saltus.core.quantities import exact, family
from saltus.core.statement import as_json
from saltus.core.units import METRE, ONE, RADIAN, SECOND
from saltus.core.wording import _
from saltus.exchange.tables import Table, TableError

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source
    from saltus.core.units import Unit

_COMMON = re.compile(r"c:(.{1,60})\([xy]\)")
NEXT_TO = 1e-9
"""Times given on the command line are met within this many seconds."""


def fit_table(
    table: Table,
    model: str,
    of: str,
    *,
    body: str | None = None,
    start: float | None = None,
    stop: float | None = None,
) -> SegmentFit | NoFit:
    """Fit a model to a motion table.

    Parameters
    ----------
    table : Table
    model : str
        A name of :data:`saltus.core.motion.models.MODELS`.
    of : {"x", "y", "angle"}
        The angle is the turn that was read with the places, where there is one, else that about the origin.
    body : str, optional
        Needed when the table holds several.
    start, stop : float, optional
        Times of the first and last frame used, s, inclusive.

    Raises
    ------
    TableError
    """
    t, position, _u_scale, u_rate = motion_of(table, of, body=body, start=start, stop=stop)
    followed = any(name.startswith("c:patch-") for name in table.columns)
    of_what = Fitted(body or "body", of, followed=followed)
    return fit_segment(MODELS[model], t, position, Clock(0.0, u_rate, "table"), of_what)


def motion_of(
    table: Table, of: str, *, body: str | None = None, start: float | None = None, stop: float | None = None
) -> tuple[NDArray[np.float64], Quantity, float, float]:
    """Take one coordinate of one body from a motion table.

    Parameters
    ----------
    table, of, body, start, stop
        See :func:`fit_table`.

    Returns
    -------
    t, position, u_scale, u_rate : (N,) ndarray, Quantity, float, float
        In order of time, lost rows left out; relative standard uncertainties of scale and clock.

    Raises
    ------
    TableError
    """
    rows = _rows_of(table, body)
    if of == "angle" and np.any(np.isfinite(table.optional("angle", RADIAN)[rows])):
        return *_turn_of(table, rows, start, stop), 0.0, _common(table, "u_rate", rows)
    t = table.numbers("t", SECOND)[rows]
    # the coordinate that is not asked for need not be there
    x, y = ((table.numbers if of in (c, "angle") else table.optional)(c, METRE)[rows] for c in ("x", "y"))
    u_x, u_y = table.optional("u(x)", METRE)[rows], table.optional("u(y)", METRE)[rows]
    use = (
        np.isfinite(t) & np.isfinite(x if of == "x" else y if of == "y" else x + y) & _within(t, start, stop)
    )
    order = np.flatnonzero(use)[np.argsort(t[use], kind="stable")]
    t, x, y, u_x, u_y = (c[order] for c in (t, x, y, u_x, u_y))
    u_scale = _common(table, "u_scale", rows)
    u_rate = _common(table, "u_rate", rows)
    position = _position(of, x, y, u_x, u_y, u_scale)
    return t, _with_common(position, table, of, rows[order], x, y), u_scale, u_rate


def _turn_of(
    table: Table, rows: NDArray[np.int_], start: float | None, stop: float | None
) -> tuple[NDArray[np.float64], Quantity]:
    """Times, and the turn that was read with the places, unwrapped; where the box was drawn is no reading."""
    t, angle = table.numbers("t", SECOND)[rows], table.numbers("angle", RADIAN)[rows]
    u = table.optional("u(angle)", RADIAN)[rows]
    use = (
        np.isfinite(t)
        & np.isfinite(angle)
        & (np.isfinite(u) | ~np.any(np.isfinite(u)))
        & _within(t, start, stop)
    )
    order = np.flatnonzero(use)[np.argsort(t[use], kind="stable")]
    reading = sources.reading("table", "body", "angle")
    return t[order], _as_read(np.unwrap(angle[order]), u[order], RADIAN, reading)


def _within(t: NDArray[np.float64], start: float | None, stop: float | None) -> NDArray[np.bool_]:
    return np.asarray(
        (t >= (-np.inf if start is None else start - NEXT_TO))
        & (t <= (np.inf if stop is None else stop + NEXT_TO))
    )


def _as_read(value: NDArray[np.float64], u: NDArray[np.float64], unit: Unit, reading: Source) -> Quantity:
    if np.any(u < 0):
        raise TableError(_("The table holds a negative uncertainty."))
    # a column without u has no stated uncertainty: the result then rests on scatter alone
    stated = bool(u.size) and bool(np.all(np.isfinite(u) & (u > 0)))
    return family(value, u, unit, reading) if stated else exact(value, unit)


def _with_common(
    position: Quantity, table: Table, of: str, rows: NDArray[np.int_], x: NDArray[np.float64],
    y: NDArray[np.float64],
) -> Quantity:  # fmt: skip
    """Add what the pairs of columns ``c:NAME(x)``, ``c:NAME(y)`` say is common to the positions."""
    names = dict.fromkeys(m[1] for n in table.columns if (m := _COMMON.fullmatch(n)))
    for name in names:
        c_x, c_y = (np.nan_to_num(table.optional(f"c:{name}({a})", METRE)[rows]) for a in ("x", "y"))
        if of == "angle":
            c = (x * c_y - y * c_x) / np.maximum(x**2 + y**2, 1e-300)
        else:
            c = c_x if of == "x" else c_y
        if np.any(c):
            position = position.with_source(sources.tabled(name), c)
    return position


def _position(
    of: str, x: NDArray[np.float64], y: NDArray[np.float64], u_x: NDArray[np.float64],
    u_y: NDArray[np.float64], u_scale: float,
) -> Quantity:  # fmt: skip
    if of == "angle":
        value, u = angle_about_origin(x, y, u_x, u_y)
        unit = RADIAN
    else:
        value, u, unit = (x, u_x, METRE) if of == "x" else (y, u_y, METRE)
    position = _as_read(value, u, unit, sources.reading("table", "body", of))
    if of == "angle" or not u_scale:
        return position
    return position.with_source(sources.scale_length("table", stated=True), value * u_scale)


def _rows_of(table: Table, body: str | None) -> NDArray[np.int_]:
    names = table.text("body")
    known = list(dict.fromkeys(n for n in names if n))
    if body is None and len(known) > 1:
        raise TableError(
            _("{name} holds several bodies: choose one with --body: {all}.").format(
                name=table.name, all=", ".join(known[:20])
            )
        )
    if body is not None and body not in known:
        raise TableError(
            _("{name} holds no body “{body}”: it has {all}.").format(
                name=table.name, body=body, all=", ".join(known[:20]) or "–"
            )
        )
    return np.flatnonzero([body is None or n == body for n in names])


def _common(table: Table, name: str, rows: NDArray[np.int_]) -> float:
    values = table.optional(name, ONE)[rows]
    stated = values[np.isfinite(values)]
    if np.any(stated < 0):
        raise TableError(_("The table holds a negative uncertainty."))
    return float(stated[0]) if stated.size else 0.0


def fit_json(model: str, fit: SegmentFit | NoFit) -> dict[str, Any]:
    """Describe a fit in the shape of the ``segment`` command."""
    if isinstance(fit, NoFit):
        empty = dict.fromkeys(MODELS[model].parameters)
        return {
            "model": model, "parameters": empty, "rms_residual": None, "birge": None, "dof": None,
            "warnings": [fit.reason],
        }  # fmt: skip
    return {
        "model": model,
        "parameters": {name: as_json(q) for name, q in fit.parameters.items()},
        "rms_residual": fit.rms_residual,
        "birge": fit.birge,
        "dof": fit.dof,
        "warnings": list(fit.warnings),
    }
