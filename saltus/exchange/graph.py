"""The graph of an investigation as plain data: points with bars, lines, band, residuals."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from saltus.core.coverage import NORMAL_95
from saltus.core.lines.curves import Curve as FittedCurve
from saltus.core.lines.inverse import band
from saltus.core.lines.school import extremes, triangle
from saltus.core.lines.straight import Line
from saltus.core.notation.line import as_text, runs
from saltus.core.wording import _
from saltus.exchange.chart import Chart, Curve, Label, Points
from saltus.investigations.view.naming import axis_box, axis_unit

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.notation.boxes import Box
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.plots import Plotted, Series
    from saltus.notebook.trials import DrawnLine

    Array = NDArray[np.float64]

FACTORS = (1, 2, 5, 10, 20, 50, 100)
SMALLEST_BAR, LARGEST_BAR = 0.012, 0.12
"""Bars shorter than this part of the axis are drawn longer, and then no longer than that."""
STEPS = 60


@dataclass(frozen=True)
class Lines:
    """Which lines are on the graph."""

    band: bool = True
    extremes: bool = False
    other: bool = False


@dataclass(frozen=True)
class Graph:
    """A graph with its residuals.

    ``factor`` says how much longer bars are drawn; ``units`` what one of the units of x and y is in SI;
    ``alike``: the second is no graph of residuals but one beside the first.
    """

    chart: Chart
    residuals: Chart | None
    factor: int = 1
    units: tuple[float, float] = (1.0, 1.0)
    alike: bool = False


def graph_of(
    evaluation: Evaluation, plot: Plotted, lines: Lines | None = None, drawn: DrawnLine | None = None,
    read: tuple[float, float] | None = None,
) -> Graph | None:  # fmt: skip
    """Describe the graph of a plot.

    Parameters
    ----------
    evaluation, plot
        Of which the graph is; the evaluation names the axes and their units.
    lines : Lines, optional
    drawn : DrawnLine, optional
        A line drawn by hand, where it was drawn on these axes.
    read : (float, float), optional
        x and y of a value that is read off, SI.

    Returns
    -------
    Graph or None
        None where there is nothing to draw.
    """
    there = [s for s in plot.series if isinstance(s.fit, Line | FittedCurve)]
    if not there:
        return None
    lines = lines or Lines()
    first = there[0].fit
    assert isinstance(first, Line | FittedCurve)
    reach = _reach(there, plot, with_zero=plot.model == "proportional")
    factor = _factor(there)
    points = [_points(s, i, factor, named=len(there) > 1) for i, s in enumerate(there)]
    if plot.aside:
        points.append(_aside(plot))
    curves = [c for i, s in enumerate(there) for c in _model(s, reach, look=i if len(there) > 1 else None)]
    curves += _further(first, reach, lines, drawn if _drawn_here(drawn, plot) else None)
    curves += _read_off(reach, read, plot, first)
    x, y = (axis_unit(evaluation, t, q.unit) for t, q in ((plot.x, first.x), (plot.y, first.y)))
    label_x, label_y = (axis_label(axis_box(evaluation, t), u.text) for t, u in ((plot.x, x), (plot.y, y)))
    chart = Chart(
        label_x,
        label_y,
        tuple(points),
        tuple(curves),
        x_range=reach,
        ribbon=_ribbon(first, reach) if lines.band and len(there) == 1 else None,
        named_x=True,
        plate=_("bars drawn {n}×").format(n=factor) if factor > 1 else "",
    )
    residuals = _residuals(there, reach, lines, label_y)
    units = x.factor, y.factor
    return Graph(in_units(chart, *units), in_units(residuals, *units), factor, units)


def axis_label(box: Box, unit: str) -> Label:
    """The name of an axis from what is set."""
    return Label(as_text(box), unit, runs(box))


def in_units(chart: Chart, x: float, y: float) -> Chart:
    """A chart whose numbers are SI, in units that are ``x`` and ``y`` of the SI units."""
    if x == y == 1.0:
        return chart

    def over(value: Any, unit: float) -> Any:
        return None if value is None else value / unit

    points = tuple(replace(p, x=p.x / x, y=p.y / y, U=over(p.U, y), U_x=over(p.U_x, x)) for p in chart.points)
    curves = tuple(replace(c, x=c.x / x, y=c.y / y) for c in chart.curves)
    band = (chart.band[0] / x, chart.band[1] / y) if chart.band is not None else None
    ribbon = chart.ribbon
    if ribbon is not None:
        ribbon = (ribbon[0] / x, ribbon[1] / y, ribbon[2] / y)
    reach = chart.x_range
    return replace(
        chart, points=points, curves=curves, band=band, ribbon=ribbon,
        x_range=(reach[0] / x, reach[1] / x) if reach is not None else None,
    )  # fmt: skip


def _drawn_here(drawn: DrawnLine | None, plot: Plotted) -> bool:
    return drawn is not None and (drawn.x, drawn.y) == (plot.x, plot.y)


def _bars(q: Quantity) -> Array:
    return np.where(np.isfinite(q.u), NORMAL_95 * q.u, 0.0)


def _reach(there: list[Series], plot: Plotted, *, with_zero: bool) -> tuple[float, float]:
    """Limits of x: all points and some air, and zero where the line must go through it or is near."""
    xs = np.concatenate([s.fit.x.value for s in there] + [np.array([a.x for a in plot.aside])])  # type: ignore[union-attr]
    low, high = float(xs.min()), float(xs.max())
    air = 0.06 * (high - low) or 0.05 * max(abs(high), 1e-12)
    if with_zero or 0 < low < 0.45 * high:
        low = min(low, 0.0)
        return (0.0 if low == 0 else low - air), high + air
    if with_zero or 0.45 * low < high < 0:
        return low - air, 0.0
    return low - air, high + air


def _factor(there: list[Series]) -> int:
    """How much longer bars are drawn, so that they can be seen: a round number, 1 where they can."""
    largest = 0.0
    for s in there:
        for q in (s.fit.x, s.fit.y):  # type: ignore[union-attr]
            span = float(np.ptp(q.value)) if len(q) > 1 else 0.0
            if span > 0:
                largest = max(largest, float(_bars(q).max()) / span)
    if largest == 0 or largest >= SMALLEST_BAR:
        return 1
    fitting = [f for f in FACTORS if f * largest <= LARGEST_BAR]
    return next((f for f in fitting if f * largest >= SMALLEST_BAR), fitting[-1])


def _points(series: Series, look: int, factor: int, *, named: bool) -> Points:
    fit = series.fit
    assert isinstance(fit, Line | FittedCurve)
    notes = ("",) * (len(fit.x) - 1) + (series.name,) if named else ()
    return Points(
        fit.x.value,
        fit.y.value,
        factor * _bars(fit.y),
        look,
        series.name or _("measured"),
        U_x=factor * _bars(fit.x),
        notes=notes,
    )


def _aside(plot: Plotted) -> Points:
    x, y = (np.array([getattr(a, axis) for a in plot.aside]) for axis in ("x", "y"))
    few = len(plot.aside) <= 4
    notes = tuple(a.words if few else "" for a in plot.aside)
    return Points(x, y, None, 0, _("do not count"), np.ones(len(x), dtype=bool), notes=notes)


def _value(fit: Line | FittedCurve, x: Array) -> Array:
    if isinstance(fit, Line):
        return np.asarray(fit.values[0] + fit.values[1] * x, dtype=np.float64)
    return np.asarray(fit.shape.value(x, fit.values), dtype=float)


def _model(series: Series, reach: tuple[float, float], look: int | None) -> list[Curve]:
    fit = series.fit
    assert isinstance(fit, Line | FittedCurve)
    x = np.linspace(*reach, 2 if isinstance(fit, Line) else STEPS)
    return [Curve(x, _value(fit, x), look=look)]


def _ribbon(fit: Line | FittedCurve, reach: tuple[float, float]) -> tuple[Array, Array, Array] | None:
    if not isinstance(fit, Line) or fit.slope is None or not np.isfinite(float(fit.slope.u)):
        return None
    x = np.linspace(*reach, STEPS)
    y, u = band(fit, x)
    factor = fit.slope.U95 / float(fit.slope.u) if float(fit.slope.u) > 0 else 0.0
    return x, y - factor * u, y + factor * u


def _further(
    fit: Line | FittedCurve, reach: tuple[float, float], lines: Lines, drawn: DrawnLine | None
) -> list[Curve]:
    """The other lines that can be shown beside the best one."""
    out: list[Curve] = []
    if not isinstance(fit, Line):
        return out
    x = np.array(reach)
    if lines.other:
        q, values = fit.x.value, fit.y.value
        if fit.through_origin:
            slope, cut = np.polyfit(q, values, 1) if len(q) > 1 else (fit.values[1], 0.0)
        else:
            slope, cut = float(q @ values / (q @ q)), 0.0
        words = _("free") if fit.through_origin else _("through zero")
        out.append(Curve(x, cut + slope * x, "dashed", label=words))
    if drawn is not None:
        try:
            slope, cut = triangle(*drawn.corners)
        except ValueError:
            return out
        (x1, y1), (x2, y2) = drawn.corners
        out.append(Curve(x, cut + slope * x, "dashed", label=_("drawn by hand")))
        out.append(Curve(np.array([x1, x2, x2]), np.array([y1, y1, y2]), "dotted"))
    return out


def _read_off(
    reach: tuple[float, float], read: tuple[float, float] | None, plot: Plotted, fit: Line | FittedCurve
) -> list[Curve]:
    """Across from y to the line, and down to x."""
    places = [read] if read is not None else []
    if isinstance(fit, Line):
        places += [(float(q), float(fit.values[0] + fit.values[1] * float(q))) for _n, q in plot.unknown]
    bottom = min(0.0, float(fit.y.value.min()))
    return [Curve(np.array([reach[0], x, x]), np.array([y, y, bottom]), "dotted") for x, y in places]


def _residuals(there: list[Series], reach: tuple[float, float], lines: Lines, y: Label) -> Chart:
    """Measured minus fitted with bars at true size, on the same x."""
    points, curves = [], []
    for i, s in enumerate(there):
        fit = s.fit
        assert isinstance(fit, Line | FittedCurve)
        u = fit.u_residuals if isinstance(fit, Line) else fit.y.u
        bars = NORMAL_95 * np.where(np.isfinite(u), u, 0.0)
        points.append(Points(fit.x.value, fit.residuals, bars, i if len(there) > 1 else 0))
    first = there[0].fit
    assert isinstance(first, Line | FittedCurve)
    shade = None
    if lines.band and len(there) == 1 and (ribbon := _ribbon(first, reach)) is not None:
        x, low, high = ribbon
        shade = (x, (high - low) / 2)
    if lines.extremes and isinstance(first, Line) and (found := extremes(first.x, first.y)) is not None:
        x = np.array(reach)
        centre = float(np.mean(first.x.value))
        for slope, words in ((found.steepest, _("steepest")), (found.shallowest, _("shallowest"))):
            curves.append(Curve(x, (slope - first.values[1]) * (x - centre), "dashed", label=words))
    return Chart(
        Label("", ""),
        Label(_("residual"), y.unit),
        tuple(points),
        tuple(curves),
        band=shade,
        x_range=reach,
    )
