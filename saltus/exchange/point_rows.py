"""Characteristic points as rows of a table, SI units, standard uncertainties."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from saltus.core.motion.features import Point
    from saltus.exchange.tables import Cell

COLUMNS = ("time", "position", "velocity", "acceleration")


def point_header() -> tuple[str, ...]:
    """Names of the columns; units stand in the rows, since points of logs have others."""
    return (
        "kind",
        *(name for what in COLUMNS for name in (what, f"u({what})", f"unit({what})")),
        "direction",
    )


def point_row(point: Point) -> list[Cell]:
    """One point; what it has not stays empty."""
    cells: list[Cell] = [point.kind]
    for name in COLUMNS:
        q = getattr(point, name)
        cells += [None, None, None] if q is None else [float(q), float(q.u), q.unit.ascii]
    return [*cells, point.direction]
