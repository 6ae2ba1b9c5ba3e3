"""The sheet as plain data: its result, tables, graphs and sections, nothing put in order yet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:
    from saltus.core.notation.boxes import Box
    from saltus.exchange.chart import Chart
    from saltus.investigations.view.substitution import Worked


@dataclass(frozen=True)
class Result:
    """The headline: symbol, statement at 95 %, what it is in words, and its symbol as it is set."""

    symbol: str
    text: str
    words: str
    box: Box | None = None


@dataclass(frozen=True)
class Grid:
    """A small table: headings and rows of text; a heading may be set, such as a symbol with its unit.

    ``names``: the first cells as they are set, where they are names with symbols.
    """

    head: tuple[str | Box, ...]
    rows: tuple[tuple[str, ...], ...]
    note: str = ""
    names: tuple[Box, ...] = ()


@dataclass(frozen=True)
class Section:
    """A heading with lines of text, equations or small tables below it; some stand beside each other."""

    heading: str
    lines: tuple[str | Worked | Grid, ...]
    side: Literal["", "left", "right"] = ""


@dataclass(frozen=True)
class Sheet:
    """All that stands on a sheet.

    Attributes
    ----------
    title, byline : str
    result : Result or None
    method : tuple of str
        Sentences.
    take_id : str or None
    picture_frame : int or None
        Frame of the take to print with its marks.
    picture_words : str
    chart, residuals : Chart or None
    readings, parameters, budget : Grid or None
    facts : Grid or None
    limits : str
    remarks : str
    sections : tuple of Section
        What stands after these.
    missing : str
        What to do while there is no result.
    equations : tuple of Worked
        How the result follows.
    readings_words : str
        Caption of the readings.
    span : Span or None
        Where the result lies between what it could be.
    alike : bool
        Whether ``residuals`` is a graph beside the first, not what the fit leaves.
    """

    title: str
    byline: str
    result: Result | None
    method: tuple[str, ...] = ()
    take_id: str | None = None
    picture_frame: int | None = None
    picture_words: str = ""
    chart: Chart | None = None
    residuals: Chart | None = None
    chart_words: str = ""
    readings: Grid | None = None
    parameters: Grid | None = None
    budget: Grid | None = None
    facts: Grid | None = None
    limits: str = ""
    remarks: str = ""
    sections: tuple[Section, ...] = ()
    missing: str = ""
    equations: tuple[Worked, ...] = ()
    readings_words: str = ""
    span: Span | None = None
    alike: bool = False


@dataclass(frozen=True)
class Span:
    """Where a result lies between what it could be, in the unit it is shown in.

    ``words`` say what the lower and the upper end would mean.
    """

    value: float
    half: float
    low: float
    high: float
    words: tuple[str, str]
    unit: str = ""
