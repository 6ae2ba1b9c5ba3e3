"""Sources of tables and results."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.sources.source import (
    GIVEN,
    LEVEL_SCATTER,
    UNSTATED_COLUMN,
    Source,
    SourceId,
    scatter_source,
)
from saltus.core.wording import _

if TYPE_CHECKING:
    from collections.abc import Hashable

    from saltus.core.sources.source import Kind


def given(name: str, kind: Kind, words: str = "") -> Source:
    """A quantity that was entered, not measured."""
    return Source(SourceId(GIVEN, (name,)), kind, words or name.replace("_", " "))


def column(name: str, kind: Kind) -> Source:
    """Cells of a column of a table as stated: a family, keyed by row."""
    return Source(SourceId("column", (name,)), kind, name.replace("_", " "))


def unstated_column(name: str, kind: Kind) -> Source:
    """Cells of which nothing is stated but that neighbours share: a family by row, known up to a factor."""
    return Source(SourceId(UNSTATED_COLUMN, (name,)), kind, name.replace("_", " "))


def limits(of: Hashable, kind: Kind) -> Source:
    """Values somewhere between two limits: a family, keyed by row."""
    return Source(SourceId("limits", (of,)), kind, _("Between limits"), "uniform")


def repeat_scatter(of: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of the mean of all repeats of one thing."""
    return scatter_source("repeat-scatter", (of,), kind, label, dof)


def level_scatter(column: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Pooled scatter of repeats about the mean of their level: a family, keyed by the level's first row."""
    return scatter_source(LEVEL_SCATTER, (column,), kind, label, dof)


def reading_scatter(of: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of a new reading about a line, as its points scatter: a family, keyed by the reading."""
    return scatter_source("reading-scatter", (of,), kind, label, dof)


def own_scatter(column: Hashable, kind: Kind, dof: float, label: str = "") -> Source:
    """Scatter of levels that are not pooled with the others: a family, keyed by the level's first row."""
    return scatter_source(LEVEL_SCATTER, (column, "own", dof), kind, label, dof)


def half_range(column: Hashable, kind: Kind, label: str = "") -> Source:
    """Half the range of repeats at a level: a family, keyed by the level's first row."""
    return Source(SourceId("half-range", (column,)), kind, label)


def line_scatter(of: Hashable, dof: float) -> Source:
    """Scatter of points about a line: a family of two, slope and intercept together."""
    return scatter_source("line-scatter", (of,), "reading", _("Scatter about the line"), dof)


def curve_scatter(of: Hashable, dof: float) -> Source:
    """Scatter of points about a curve: a family, the parameters together."""
    return scatter_source("curve-scatter", (of,), "reading", _("Scatter about the curve"), dof)


def read_off() -> Source:
    """A value typed to be read off a line."""
    return Source(SourceId("read-off"), "reading", _("Value read off"))


def tabled(name: str) -> Source:
    """What a motion table says is common to its positions under a name, beyond scale and clock."""
    return Source(SourceId("tabled", (name,)), "scale", name)


def held_against(name: str) -> Source:
    """A value from elsewhere that a result is held against."""
    return Source(SourceId("held-against", (name,)), "instruments", name)


def other_notebook(file: str, part: str) -> Source:
    """A result of another notebook: one for all that use it."""
    words = _("{part} of {file}").format(part=part, file=file)
    return Source(SourceId("other-notebook", (file, part)), "instruments", words)


def school(convention: str) -> Source:
    """All of an uncertainty as a school's convention states it."""
    words = _("Worst case") if convention == "half-range" else _("Standard uncertainty")
    return Source(SourceId("school", (convention,)), "reading", words)
