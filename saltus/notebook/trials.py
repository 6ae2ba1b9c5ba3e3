"""The table of trials of a notebook: cells as they were typed, and what is claimed from them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from saltus.notebook.part import Id, Name, Part

FREE = "free"
"""Id of an investigation with columns and formulas of its own."""
ColumnName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=60)]
Cell = Annotated[str, Field(max_length=200)]
UnitText = Annotated[str, Field(max_length=40)]
FormulaText = Annotated[str, Field(max_length=500)]
Words = Annotated[str, Field(max_length=1000)]
Status = Literal["kept", "failed", "set-aside", "zero"]
Rule = Literal["stated", "digital", "divided", "vernier", "percent", "hand"]


class Link(Part):
    """Where a cell has its value from; its text is what the source last gave and stays when that goes.

    ``segment``: the parameter ``part`` of the segment ``place`` of the take ``source``. ``log``: ``part``,
    mean or slope, of the stretch ``place`` of the log ``source``. ``interval``, ``cycles``, ``gate``:
    ``part`` of the interval, counted passings or gates ``place`` of the take ``source``. ``event``: the value
    ``part`` of the event ``place``. ``point``: ``part`` (time, position, velocity or acceleration) of the
    characteristic point ``place``; ``log-point``: ``part`` (kind, number and what, as in ``taut 0 time``) of
    the channel ``place`` of the log ``source``. ``notebook``: the
    result ``part`` of the notebook file ``source`` that lies beside this one. ``measure``: ``part`` of what
    was measured as ``place`` in the picture of the take ``source``; ``filmed-scale``: what the filmed scale
    ``place`` shows in its reading ``part`` (``pointer-3``, or ``frame 12`` of a followed pointer). ``size``:
    without its sign.
    """

    kind: Literal[
        "segment",
        "log",
        "notebook",
        "interval",
        "cycles",
        "gate",
        "event",
        "point",
        "log-point",
        "measure",
        "filmed-scale",
    ] = "segment"
    source: Annotated[str, Field(min_length=1, max_length=255, pattern=r"^[^/\\\x00]+$")]
    place: Annotated[str, Field(max_length=60)] = ""
    part: Name
    size: bool = False


class Trial(Part):
    """A row: cells by column as typed. ``zero`` is no trial: its readings count as zero from there on."""

    id: Id
    cells: dict[ColumnName, Cell] = Field(default_factory=dict, max_length=100)
    links: dict[ColumnName, Link] = Field(default_factory=dict, max_length=100)
    status: Status = "kept"
    reason: Words = ""


class CustomColumn(Part):
    """A column beside those of the investigation: typed, or derived by a formula."""

    name: ColumnName
    title: Annotated[str, Field(max_length=100)] = ""
    unit: UnitText = ""
    kind: Literal["number", "text"] = "number"
    formula: FormulaText = ""


class Instrument(Part):
    """What a column is read with: its step or accuracy as typed, such as ``0.01 s`` or ``1 %``.

    ``stated``: not an instrument but the standard uncertainty of each reading. ``hand``: a stopwatch
    pressed by the measured hand whose id is the amount (empty: a hand that was not measured).
    """

    rule: Rule
    amount: Cell


class Plot(Part):
    """What is plotted against what, the model of the line, and by which column it is split into series."""

    x: FormulaText
    y: FormulaText
    model: Literal["line", "proportional", "quadratic"] = "line"
    by: ColumnName | None = None


class DrawnLine(Part):
    """A line drawn by hand: the corners of its triangle, in the SI units of the axes they were drawn on."""

    x: FormulaText
    y: FormulaText
    corners: tuple[tuple[float, float], tuple[float, float]]


class LeftToStudent(Part):
    """Columns and results the student works out: columns are typed in their cells, results here."""

    columns: Annotated[tuple[ColumnName, ...], Field(max_length=100)] = ()
    results: dict[ColumnName, Cell] = Field(default_factory=dict, max_length=100)


class Against(Part):
    """A value a result is held against: a second method, another group, a table value; as typed or linked."""

    of: Annotated[str, Field(max_length=200)]
    name: Name
    text: Cell
    link: Link | None = None


class TrialTable(Part):
    """Trials of one investigation, and how they are worked out."""

    investigation: Id
    simulated: bool = False
    own: Annotated[tuple[CustomColumn, ...], Field(max_length=60)] = ()
    varied: ColumnName | None = None
    units: dict[ColumnName, UnitText] = Field(default_factory=dict, max_length=200)
    instruments: dict[ColumnName, Instrument] = Field(default_factory=dict, max_length=200)
    givens: dict[ColumnName, Cell] = Field(default_factory=dict, max_length=200)
    given_links: dict[ColumnName, Link] = Field(default_factory=dict, max_length=200)
    trials: Annotated[tuple[Trial, ...], Field(max_length=100_000)] = ()
    plot: Plot | None = None
    drawn: DrawnLine | None = None
    line: Literal["", "line", "proportional"] = ""
    convention: Literal["standard", "half-range", "school"] = "standard"
    slope_u: Literal["fit", "steepest", "scatter"] = "fit"
    left: LeftToStudent = LeftToStudent()
    si: bool = False
    against: Annotated[tuple[Against, ...], Field(max_length=50)] = ()

    @model_validator(mode="after")
    def _unique(self) -> TrialTable:
        if len({t.id for t in self.trials}) != len(self.trials):
            raise ValueError("two trials have the same id")
        if len({c.name for c in self.own}) != len(self.own):
            raise ValueError("two columns have the same name")
        return self

    def trial(self, trial_id: str | None) -> Trial | None:
        """Find a trial by id."""
        return next((t for t in self.trials if t.id == trial_id), None)

    def custom_column(self, name: str) -> CustomColumn | None:
        """Find an own column by name."""
        return next((c for c in self.own if c.name == name), None)


class Claim(Part):
    """What is claimed, and the result or comparison it rests on (empty: nothing yet)."""

    id: Id
    text: Words
    rests_on: Annotated[str, Field(max_length=200)] = ""


class Observation(Part):
    """Something seen along the way, and when (ISO 8601, to the minute)."""

    text: Words
    when: Annotated[str, Field(max_length=40)] = ""


class Answer(Part):
    """A question of a worksheet and the answer to it."""

    question: Words
    answer: Annotated[str, Field(max_length=5000)] = ""


class Findings(Part):
    """What goes on the sheet beside numbers."""

    claims: Annotated[tuple[Claim, ...], Field(max_length=100)] = ()
    precautions: dict[Words, Words] = Field(default_factory=dict, max_length=200)
    observations: Annotated[tuple[Observation, ...], Field(max_length=500)] = ()
    answers: Annotated[tuple[Answer, ...], Field(max_length=200)] = ()
    follow_up: Annotated[str, Field(max_length=5000)] = ""
    substitution: bool = False
