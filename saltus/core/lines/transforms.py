"""Transforms that may make a relation straight, compared by their residuals in the original quantity."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.lines.straight import Line, NoLine, fit_line
from saltus.core.quantity import Quantity, apply
from saltus.core.units import ONE

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Array = NDArray[np.float64]


@dataclass(frozen=True)
class Transform:
    """A transform of x and of y, and how y comes back.

    Attributes
    ----------
    name : str
        Such as ``y² vs x``.
    x, y : callable
        Quantity to quantity.
    back : callable
        Value of the transformed y to y (arrays).
    only_positive : bool
        Whether x and y must be above zero.
    """

    name: str
    x: Callable[[Quantity], Quantity]
    y: Callable[[Quantity], Quantity]
    back: Callable[[Array], Array]
    only_positive: bool = False


def _same(q: Quantity) -> Quantity:
    return q


def logarithm(q: Quantity) -> Quantity:
    """Natural logarithm of the number of SI units.

    Parameters
    ----------
    q : Quantity
        (N,) or single, above zero: what is not gives NaN.

    Returns
    -------
    Quantity
        Dimensionless; u(ln q) = u(q)/q.
    """
    return apply(np.log, lambda v: 1 / v, q, ONE)


def _plain(v: Array) -> Array:
    return v


TRANSFORMS = (
    Transform("y vs x", _same, _same, _plain),
    Transform("y vs x²", lambda q: q**2, _same, _plain),
    Transform("y vs √x", lambda q: q**0.5, _same, _plain, only_positive=True),
    Transform("y vs 1/x", lambda q: q**-1, _same, _plain, only_positive=True),
    Transform("y² vs x", _same, lambda q: q**2, lambda v: np.sqrt(np.maximum(v, 0)), only_positive=True),
    Transform("ln y vs ln x", logarithm, logarithm, np.exp, only_positive=True),
)


@dataclass(frozen=True)
class Candidate:
    """A transform that was tried: its line, and the rms of the residuals in the original y."""

    transform: Transform
    line: Line
    rms: float


def candidates(x: Quantity, y: Quantity) -> list[Candidate]:
    """Try all transforms that these values allow, straightest first.

    Parameters
    ----------
    x, y : Quantity
        (N,) each.
    """
    found = []
    for transform in TRANSFORMS:
        if transform.only_positive and (np.any(x.value <= 0) or np.any(y.value <= 0)):
            continue
        line = fit_line(transform.x(x), transform.y(y))
        if isinstance(line, NoLine):
            continue
        fitted = transform.back(line.values[0] + line.values[1] * line.x.value)
        found.append(Candidate(transform, line, float(np.sqrt(np.mean((y.value - fitted) ** 2)))))
    return sorted(found, key=lambda c: c.rms)
