"""Graphs as plain data: what is drawn, not how."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np

from saltus.core.notation.line import Run
from saltus.core.statement import written_number

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Array = NDArray[np.float64]


ROOM_FOR_KEY = 1.15
"""Bars reach to one over this part of the height."""


@dataclass(frozen=True)
class Label:
    """What an axis shows: an italic symbol and an upright unit, such as *x* / m.

    ``runs``: where it is more than one symbol, its letters in their styles; ``symbol`` is then plain text.
    """

    symbol: str
    unit: str = ""
    runs: tuple[Run, ...] = ()

    @property
    def styled(self) -> tuple[Run, ...]:
        """Its letters in their styles."""
        return self.runs or (Run(self.symbol, italic=True),)


@dataclass(frozen=True)
class Points:
    """Measured points with 95 % bars, drawn in the colour and shape of a body.

    Attributes
    ----------
    x, y : (N,) ndarray
    U : (N,) ndarray or None
        Half length of the bars, in the unit of y.
    look : int
        Number of the body's colour and shape.
    label : str
    hollow : (N,) ndarray of bool or None
        Points drawn open: they do not count in the fit.
    U_x : (N,) ndarray or None
        Half length of the bars along x, in the unit of x.
    notes : tuple of str
        Words beside the points, empty where there are none.
    """

    x: Array
    y: Array
    U: Array | None
    look: int
    label: str = ""
    hollow: NDArray[np.bool_] | None = None
    U_x: Array | None = None
    notes: tuple[str, ...] = ()

    def between(self, low: float, high: float) -> Points:
        """Those between two values of x, without words beside them."""
        some = (self.x >= low) & (self.x <= high)
        U = None if self.U is None else self.U[some]
        hollow = None if self.hollow is None else self.hollow[some]
        U_x = None if self.U_x is None else self.U_x[some]
        return Points(self.x[some], self.y[some], U, self.look, self.label, hollow, U_x)


@dataclass(frozen=True)
class Curve:
    """A line: of a model or joining points; dashed for other lines, dotted for what is read off."""

    x: Array
    y: Array
    style: Literal["model", "dashed", "dotted"] = "model"
    look: int | None = None
    label: str = ""


@dataclass(frozen=True)
class Bars:
    """Bars from zero with their 95 % halves, in the colour of a body.

    Attributes
    ----------
    x, y : (N,) ndarray
    U : (N,) ndarray
        Half length of the 95 % bars, in the unit of y.
    wide : float
        In the unit of x.
    look : int
        Number of the colour.
    label : str
    """

    x: Array
    y: Array
    U: Array
    wide: float
    look: int
    label: str = ""


@dataclass(frozen=True)
class Chart:
    """One graph.

    Attributes
    ----------
    x, y : Label
    points : tuple of Points
    curves : tuple of Curve
    spans : tuple of (float, float)
        Shaded stretches of x.
    band : (x, U) or None
        Shaded band around y = 0, half width U at x: what the uncertainty explains.
    ribbon : (x, low, high) or None
        Shaded band about a line.
    named_x : bool
        Whether the name of the x axis is written under it; else the last tick carries the unit.
    plate : str
        A remark on how it is drawn, such as a factor of the bars.
    x_range, y_range : (float, float) or None
        Given limits; worked out from the data when None.
    bars : tuple of Bars
    x_names : tuple of (float, str)
        Words under the x axis in place of numbers, and where they stand.
    levels : tuple of (float, float, str)
        Level lines: value, half width of a band about it, and what it is.
    """

    x: Label
    y: Label
    points: tuple[Points, ...] = ()
    curves: tuple[Curve, ...] = ()
    spans: tuple[tuple[float, float], ...] = ()
    band: tuple[Array, Array] | None = None
    x_range: tuple[float, float] | None = None
    y_range: tuple[float, float] | None = None
    legend: tuple[str, ...] = field(default=())
    ribbon: tuple[Array, Array, Array] | None = None
    named_x: bool = False
    plate: str = ""
    bars: tuple[Bars, ...] = ()
    x_names: tuple[tuple[float, str], ...] = ()
    levels: tuple[tuple[float, float, str], ...] = ()

    @cached_property
    def ranges(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Limits of both axes, with a little air around the data."""
        xs = [e for p in self.points for e in ((p.x,) if p.U_x is None else (p.x - p.U_x, p.x + p.U_x))]
        xs += [c.x for c in self.curves]
        ys = [e for p in self.points for e in ((p.y,) if p.U is None else (p.y - p.U, p.y + p.U))]
        ys += [c.y for c in self.curves]
        if self.band is not None:
            ys += [self.band[1], -self.band[1]]
        xs += [e for b in self.bars for e in (b.x - b.wide, b.x + b.wide)]
        # above the bars their key has its room
        ys += [e for b in self.bars for e in (b.y - b.U, ROOM_FOR_KEY * (b.y + b.U), np.zeros(1))]
        ys += [np.array([value - half, value + half]) for value, half, _words in self.levels]
        return self.x_range or airy(xs, 0.03), self.y_range or airy(ys, 0.08)


def airy(parts: list[Array], air: float) -> tuple[float, float]:
    """Limits that hold all finite numbers, with some air; (0, 1) when there are none.

    Parameters
    ----------
    parts : list of ndarray
    air : float
        Fraction of the range added at each end.
    """
    ends = [end for part in parts for end in _ends(np.ravel(part))]
    if not ends:
        return 0.0, 1.0
    low, high = min(ends), max(ends)
    if high - low <= 1e-12 * max(abs(low), abs(high), 1e-9):
        spread = max(abs(high) * 0.1, 1e-6)
        return low - spread, high + spread
    return low - air * (high - low), high + air * (high - low)


def _ends(part: Array) -> tuple[float, ...]:
    """The least and the largest finite number of a part; none where there are none."""
    if part.size and not (math.isfinite(part.min()) and math.isfinite(part.max())):
        part = part[np.isfinite(part)]
    return (float(part.min()), float(part.max())) if part.size else ()


def ticks(low: float, high: float, most: int) -> list[float]:
    """Round numbers between two limits, at steps of 1, 2 or 5 times a power of ten.

    Parameters
    ----------
    low, high : float
        Finite, low < high.
    most : int
        At most this many ticks.
    """
    span = high - low
    if not (math.isfinite(span) and span > 0) or most < 1:
        return []
    power = 10.0 ** math.floor(math.log10(span / most))
    step = next(m * power for m in (1, 2, 5, 10, 20, 50) if span / (m * power) <= most)
    first, last = math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9)
    return [n * step for n in range(first, last + 1)]


def tick_text(value: float, step: float) -> str:
    """Write a tick with as many decimals as its step needs; minus is U+2212."""
    decimals = max(0, -math.floor(math.log10(step) + 1e-9)) if step > 0 else 0
    if decimals > 5 or abs(value) >= 1e6:
        return written_number(value, 3)
    written = f"{value:.{decimals}f}"
    return written.replace("-", "\u2212") if float(written) else f"{0:.{decimals}f}"
