"""What is plotted: the line of the investigation or a chosen one, series, trials that do not count."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.formulas import FormulaError, compute, parse
from saltus.core.lines.inverse import inverse_prediction, with_scatter_of_line
from saltus.core.lines.straight import Line, NoLine
from saltus.core.lines.transforms import candidates
from saltus.core.notation.line import as_text
from saltus.core.quantities import stacked
from saltus.core.units import ONE, UnitError
from saltus.investigations.engine.evaluation import TROUBLE, plot_outcome, written_givens
from saltus.investigations.engine.run import run
from saltus.investigations.recipe.custom_columns import with_plot
from saltus.investigations.sentences import say
from saltus.investigations.view.naming import axis_box, formula_words
from saltus.investigations.view.table_view import table_columns
from saltus.notebook.memory import remembered

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.engine.outcome import Fitted, Outcome

MOST_SERIES = 8
TRANSFORMS = ("{}", "{}^2", "sqrt({})", "1/{}", "ln({})")
"""What can be made of a column for an axis."""


@dataclass(frozen=True)
class Series:
    """One line of a plot: what it is called, and its fit."""

    name: str
    fit: Fitted


@dataclass(frozen=True)
class Aside:
    """A trial that does not count, where it lies on the plot, and why."""

    x: float
    y: float
    words: str


@dataclass(frozen=True)
class Plotted:
    """A plot.

    Attributes
    ----------
    x, y : str
        Formulas of the axes.
    model : str
    series : tuple of Series
        One, unless the trials are split by a column.
    aside : tuple of Aside
    unknown : tuple of (str, Quantity)
        Values read off the line, by name.
    trouble : str
        Why there is nothing to draw.
    """

    x: str
    y: str
    model: str
    series: tuple[Series, ...]
    aside: tuple[Aside, ...] = ()
    unknown: tuple[tuple[str, Quantity], ...] = ()
    trouble: str = ""

    @property
    def fit(self) -> Fitted:
        """The first line; falsy without one."""
        return self.series[0].fit if self.series else NoLine(self.trouble)


def axes_of(evaluation: Evaluation) -> tuple[str, str, str] | None:
    """Formulas of x and y and the model of what is plotted; None where nothing is."""
    plot = evaluation.table.plot
    if plot is not None:
        return plot.x, plot.y, plot.model
    fits = evaluation.recipe.fits
    if not fits:
        return None
    fit = fits[evaluation.recipe.drawn_fit]
    return fit.x.text, fit.y.text, evaluation.table.line or fit.model


@remembered
def plotted(evaluation: Evaluation) -> Plotted:
    """Lay the plot of a table out; remembered while the table stays."""
    axes = axes_of(evaluation)
    if axes is None:
        words = say("plots.investigation-needs-no-line")
        return Plotted("", "", "line", (), trouble=words)
    outcome = plot_outcome(evaluation)
    series = (
        _split(evaluation)
        if evaluation.table.plot is not None and evaluation.table.plot.by
        else _one(outcome)
    )
    trouble = "" if any(s.fit for s in series) else evaluation.trouble
    if not trouble and not any(s.fit for s in series):
        reason = next((s.fit.reason for s in series if isinstance(s.fit, NoLine)), "")
        trouble = reason or say("plots.nothing-drawn-columns-choose")
    unknown: tuple[tuple[str, Quantity], ...] = ()
    if outcome is not None and evaluation.recipe.unknown and evaluation.table.plot is None:
        unknown = tuple(
            (n, q) for n, q in outcome.results.items() if q is not None and n not in evaluation.recipe.results
        )
    return Plotted(*axes, series, _aside(evaluation, axes[0], axes[1]), unknown, trouble)


def _one(outcome: Outcome | None) -> tuple[Series, ...]:
    if outcome is None or not outcome.fits:
        return ()
    first = next(iter(outcome.fits.values()))
    return (Series("", outcome.fits.get(outcome.recipe.drawn_fit, first)),)


def _split(evaluation: Evaluation) -> tuple[Series, ...]:
    """Lay the line for each value of the column that tells series apart."""
    plot = evaluation.table.plot
    assert plot is not None
    recipe = with_plot(evaluation.table) or evaluation.recipe
    texts = [t.cells.get(plot.by or "", "") for t in evaluation.rows]
    names = list(
        dict.fromkeys(t for t, kept in zip(texts, evaluation.trials.kept, strict=True) if kept and t)
    )
    out = []
    for name in names[:MOST_SERIES]:
        mine = np.array([t == name for t in texts], dtype=bool)
        trials = replace(evaluation.trials, kept=evaluation.trials.kept & mine)
        try:
            outcome = run(recipe, trials, written_givens(evaluation), replace(evaluation.options, line=None))
        except TROUBLE:
            continue
        out += [Series(name, s.fit) for s in _one(outcome)]
    return tuple(out)


def _aside(evaluation: Evaluation, x: str, y: str) -> tuple[Aside, ...]:
    """Where the trials lie that do not count, as far as they have numbers."""
    out: list[Aside] = []
    places = [i for i, t in enumerate(evaluation.rows) if t.status in ("failed", "set-aside")]
    if not places:
        return ()
    try:
        with np.errstate(all="ignore"):
            across, up = (_values(evaluation, text) for text in (x, y))
    except (FormulaError, UnitError, KeyError):
        return ()
    for i in places:
        if np.isfinite(across[i]) and np.isfinite(up[i]):
            trial = evaluation.rows[i]
            words = "plots.failed" if trial.status == "failed" else "plots.set-aside"
            out.append(Aside(float(across[i]), float(up[i]), say(words, reason=trial.reason)))
    return tuple(out)


def _values(evaluation: Evaluation, text: str) -> np.ndarray:
    formula = parse(text)
    env = {n: evaluation.columns[n] for n in formula.names}
    return np.broadcast_to(compute(formula, env).value, (len(evaluation.rows),))


def axis_words(evaluation: Evaluation, text: str) -> str:
    """Write what is on an axis in words: the name of a column with its symbol, else the formula."""
    return as_text(axis_box(evaluation, text))


def choices(evaluation: Evaluation) -> list[tuple[str, str]]:
    """What can be put on an axis: formula and words, each column plain and transformed."""
    out: list[tuple[str, str]] = []
    for column in table_columns(evaluation):
        q = evaluation.columns.get(column.name)
        if column.role == "text" or q is None or not np.any(np.isfinite(q.value)):
            continue
        for shape in TRANSFORMS:
            name = column.name
            if shape.startswith("ln") and not (q.unit.goes_with(ONE) and q.unit.plain):
                name = f"{column.name}/1[{q.unit.ascii}]"
            text = shape.format(name)
            out.append((text, axis_words(evaluation, text)))
    axes = axes_of(evaluation)
    for text in axes[:2] if axes is not None else ():
        if text not in [known for known, _words in out]:
            out.append((text, axis_words(evaluation, text)))
    return out


@dataclass(frozen=True)
class Straight:
    """A way to plot y against x that was tried: formulas, words, rms of residuals in y, SI."""

    x: str
    y: str
    words: str
    rms: float


_SHAPES = {
    "y vs x": ("{x}", "{y}"),
    "y vs x²": ("{x}^2", "{y}"),
    "y vs √x": ("sqrt({x})", "{y}"),
    "y vs 1/x": ("1/{x}", "{y}"),
    "y² vs x": ("{x}", "{y}^2"),
}


def straightest(evaluation: Evaluation, x: str, y: str) -> list[Straight]:
    """Try transforms of two columns, straightest first; empty where they cannot be compared.

    Parameters
    ----------
    worked : Worked
    x, y : str
        Names of columns.
    """
    if evaluation.outcome is None or not {x, y} <= evaluation.columns.keys():
        return []
    level_x = [g.mean(x) for g in evaluation.groups]
    level_y = [g.mean(y) for g in evaluation.groups]
    both = [(a, b) for a, b in zip(level_x, level_y, strict=True) if a is not None and b is not None]
    if len(both) < 3 or not evaluation.recipe.level:
        a, b = evaluation.columns[x], evaluation.columns[y]
        good = np.flatnonzero(np.isfinite(a.value) & np.isfinite(b.value) & evaluation.trials.kept)
        pairs = (a[good], b[good]) if len(good) >= 3 else None
    else:
        pairs = (stacked(a for a, _b in both), stacked(b for _a, b in both))
    if pairs is None:
        return []
    out = []
    for found in candidates(*pairs):
        shape = _SHAPES.get(found.transform.name)
        if shape is not None:
            fx, fy = (s.format(x=x, y=y) for s in shape)
            words = say("plots.y-against-x", y=formula_words(evaluation, fy), x=formula_words(evaluation, fx))
            out.append(Straight(fx, fy, words, found.rms))
    return out


def base_column(text: str) -> str:
    """The one column a formula of an axis rests on; empty where it is none or several."""
    try:
        names = parse(text).names
    except FormulaError:
        return ""
    return next(iter(names)) if len(names) == 1 else ""


def read_off(line: Line, y: Quantity) -> Quantity | None:
    """The x of a y on a line, with the uncertainty of both."""
    scatter = sources.reading_scatter("read-off", "reading", max(line.dof, 1), say("unknowns.scatter"))
    return inverse_prediction(line, with_scatter_of_line(line, y, scatter))
