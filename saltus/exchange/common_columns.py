"""Pairs of columns of the motion table: what positions have in common beyond scale and clock."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.shares import Single

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.core.sources import Source

    Array = NDArray[np.float64]

_NAMED: dict[str, Callable[[tuple[Any, ...]], str]] = {
    "corner": lambda of: f"corner-{of[1] + 1}-{of[2]}",
    "plane-points": lambda of: f"plane-{of[1] + 1}",
    "plane-size": lambda of: {"x": "width", "y": "height"}[of[1]],
    "track-marks": lambda of: f"marks-{of[1] + 1}",
    "lens": lambda _of: "lens",
    "fixed-point": lambda of: f"fixed-{of[1]}-{of[2]}",
    "camera-start": lambda of: f"camera-{of[1]}",
    "camera-turning": lambda _of: "camera-turning",
    "plane-offset": lambda _of: "plane-offset",
    "camera-distance": lambda _of: "camera-distance",
}


def common_name(source: Source) -> str | None:
    """Name of the pair of columns of a source; None where it has none: it stands in columns of its own."""
    named = _NAMED.get(source.cause)
    return named(source.id.of) if named is not None else None


def common_header(names: Iterable[str], length: str = "m") -> tuple[str, ...]:
    """Pairs of columns of what is common beyond scale and clock."""
    return tuple(f"c:{name}({axis}) [{length}]" for name in names for axis in ("x", "y"))


def common_of(x: Quantity, y: Quantity) -> dict[str, Array]:
    """What positions have in common, by the names of columns: sensitivity × u, (N, 2) each.

    Parameters
    ----------
    x, y : Quantity
        (N,) positions.
    """
    found: dict[str, Array] = {}
    for axis, q in enumerate((x, y)):
        for source, share in q.shares.items():
            name = common_name(source)
            if name is not None and isinstance(share, Single):
                pair = found.setdefault(name, np.zeros((len(q), 2)))
                pair[:, axis] = np.broadcast_to(share.c, (len(q),))
    return found
