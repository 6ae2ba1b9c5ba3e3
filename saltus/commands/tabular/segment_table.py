"""Fitting a segment to a motion table, as the headless command does."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core import sources
from saltus.core.clock.clock import Clock
from saltus.core.motion.coordinates import angle_of, path_of, radius_of
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import Fitted, NoFit, SegmentFit, fit_segment, fit_together
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

    Array = NDArray[np.float64]

_COMMON = re.compile(r"c:(.{1,60})\((?:x|y|angle)\)")
COORDINATES = ("x", "y", "angle", "radius", "path")
NEXT_TO = 1e-9
"""Times given on the command line are met within this many seconds."""


def fit_table(
    table: Table,
    model: str,
    of: str | None,
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
    of : str, optional
        One of :data:`COORDINATES`; models of x and y together need none.
    body : str, optional
        Needed when the table holds several.
    start, stop : float, optional
        Times of the first and last frame used, s, inclusive.

    Raises
    ------
    TableError
    """
    followed = was_followed(table)
    clock = Clock(0.0, common_of(table, "u_rate", body), "table")
    if MODELS[model].together:
        t, x, y = plane_of(table, body=body, start=start, stop=stop)
        return fit_together(MODELS[model], t, x, y, clock, Fitted(body or "body", "xy", followed=followed))
    if of is None:
        raise TableError(_("Say of what: --of {all}.").format(all=", ".join(COORDINATES)))
    t, position = motion_of(table, of, body=body, start=start, stop=stop)
    return fit_segment(MODELS[model], t, position, clock, Fitted(body or "body", of, followed=followed))


def was_followed(table: Table) -> bool:
    """Whether the readings of a motion table come from following: it states what a run has in common."""
    return any(name.startswith("c:patch-") for name in table.columns)


def motion_of(
    table: Table, of: str, *, body: str | None = None, start: float | None = None, stop: float | None = None
) -> tuple[Array, Quantity]:
    """Take one coordinate of one body from a motion table.

    Parameters
    ----------
    table, body, start, stop
        See :func:`fit_table`.
    of : str
        One of :data:`COORDINATES`. The angle is the one of the table, where it has one, else that about the
        origin.

    Returns
    -------
    t, position : (N,) ndarray, Quantity
        In order of time, lost rows left out.

    Raises
    ------
    TableError
    """
    rows = _rows_of(table, body)
    if of == "angle" and np.any(np.isfinite(table.optional("angle", RADIAN)[rows])):
        return _turn_of(table, rows, start, stop)
    if of in ("x", "y"):
        t, order = _order(table, rows, (of,), start, stop)
        return t, _coordinate(table, of, order)
    t, x, y = plane_of(table, body=body, start=start, stop=stop)
    if of == "path":
        return t, path_of(t, x, y)
    return t, angle_of(x, y) if of == "angle" else radius_of(x, y)


def plane_of(
    table: Table, *, body: str | None = None, start: float | None = None, stop: float | None = None
) -> tuple[Array, Quantity, Quantity]:
    """Take both coordinates of one body from a motion table.

    Parameters
    ----------
    table, body, start, stop
        See :func:`fit_table`.

    Returns
    -------
    t, x, y : (N,) ndarray, Quantity, Quantity
        In order of time, lost rows left out; what both share they share.

    Raises
    ------
    TableError
    """
    t, order = _order(table, _rows_of(table, body), ("x", "y"), start, stop)
    x, y = _coordinate(table, "x", order), _coordinate(table, "y", order)
    # of what stands on both nothing is stated where it is not of both
    stated = bool(np.all(x.u_own > 0)) and bool(np.all(y.u_own > 0))
    return (t, x, y) if stated else (t, x.without_own(), y.without_own())


def _order(
    table: Table, rows: NDArray[np.int_], needed: tuple[str, ...], start: float | None, stop: float | None
) -> tuple[Array, NDArray[np.int_]]:
    """Times and rows of those in which the coordinates are there, in order of time."""
    t = table.numbers("t", SECOND)[rows]
    use = np.isfinite(t) & _within(t, start, stop)
    for name in needed:
        use &= np.isfinite(table.numbers(name, METRE)[rows])
    order = np.flatnonzero(use)[np.argsort(t[use], kind="stable")]
    return t[order], rows[order]


def _coordinate(table: Table, of: str, rows: NDArray[np.int_]) -> Quantity:
    """One coordinate, m, with what its readings leave uncertain, and what is common to all."""
    value, u = table.numbers(of, METRE)[rows], table.optional(f"u({of})", METRE)[rows]
    position = _as_read(value, u, METRE, sources.reading("table", "body", of))
    if u_scale := _common(table, "u_scale", rows):
        position = position.with_source(sources.scale_length("table", stated=True), value * u_scale)
    return _with_common(position, table, of, rows)


def _turn_of(
    table: Table, rows: NDArray[np.int_], start: float | None, stop: float | None
) -> tuple[Array, Quantity]:
    """Times, and the angle of the table, unwrapped; where the box was drawn is no reading."""
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
    read = _as_read(np.unwrap(angle[order]), u[order], RADIAN, reading)
    return t[order], _with_common(read, table, "angle", rows[order])


def _within(t: Array, start: float | None, stop: float | None) -> NDArray[np.bool_]:
    return np.asarray(
        (t >= (-np.inf if start is None else start - NEXT_TO))
        & (t <= (np.inf if stop is None else stop + NEXT_TO))
    )


def _as_read(value: Array, u: Array, unit: Unit, reading: Source) -> Quantity:
    if np.any(u < 0):
        raise TableError(_("The table holds a negative uncertainty."))
    # a column without u has no stated uncertainty: the result then rests on scatter alone
    stated = bool(u.size) and bool(np.all(np.isfinite(u) & (u > 0)))
    return family(value, u, unit, reading) if stated else exact(value, unit)


def _with_common(position: Quantity, table: Table, of: str, rows: NDArray[np.int_]) -> Quantity:
    """Add what the columns ``c:NAME(x)``, ``c:NAME(y)``, ``c:NAME(angle)`` say is common to the positions."""
    for name in dict.fromkeys(m[1] for n in table.columns if (m := _COMMON.fullmatch(n))):
        c = np.nan_to_num(table.optional(f"c:{name}({of})", RADIAN if of == "angle" else METRE)[rows])
        if np.any(c):
            position = position.with_source(sources.tabled(name), c)
    return position


def common_of(table: Table, name: str, body: str | None = None) -> float:
    """A relative standard uncertainty that all rows of a body share: ``u_scale`` or ``u_rate``.

    Raises
    ------
    TableError
    """
    return _common(table, name, _rows_of(table, body))


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
