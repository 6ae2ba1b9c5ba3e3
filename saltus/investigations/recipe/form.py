"""The form of an investigation's file: what may stand where, with a clear sentence for each fault.

The document library reads the data; what it cannot say itself (formulas, units, names of things) it asks
here. The published JSON Schema is made from this form.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, TypeVar, get_args

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetPydanticSchema,
    StringConstraints,
    WithJsonSchema,
)
from pydantic_core import PydanticCustomError, core_schema

from saltus.core.formula_order import in_order
from saltus.core.formulas import Formula, FormulaError, parse
from saltus.core.units import ONE, Unit, UnitError, parse_unit
from saltus.investigations.recipe.mistakes import MISTAKES
from saltus.investigations.recipe.recipe import FUNCTIONS, METHODS, MODELS, PICTURES, RECIPE_ID, SLIPS
from saltus.investigations.sentences import say

FAULT = "fault"
"""Type of the faults whose sentence was made here."""
TEXTS = ("varied", "measured", "same", "instruments", "roles", "steps", "checks", "cautions", "next")


def fault(sentence: str) -> PydanticCustomError:
    """Make an error of the document library that says a sentence of ours."""
    return PydanticCustomError(FAULT, "{sentence}", {"sentence": sentence})


def _text(value: Any) -> Any:
    if not isinstance(value, str):
        raise fault(say("recipe.text-quotes-expected-here"))
    return value


def _texts(value: Any) -> Any:
    value = [value] if isinstance(value, str) else value
    if not isinstance(value, list) or not all(isinstance(v, str) for v in value):
        raise fault(say("recipe.list-texts-expected-here"))
    return value


def _written(value: Any) -> Any:
    return str(value) if isinstance(value, str | int | float) else value


def _formula(value: Any) -> Formula:
    if isinstance(value, Formula):
        return value
    if isinstance(value, int | float) and not isinstance(value, bool):
        value = str(value)
    if not isinstance(value, str):
        raise fault(say("recipe.formula-quotes-expected-here"))
    try:
        return parse(value, FUNCTIONS)
    except FormulaError as error:
        raise fault(str(error)) from error


def _ordered(formulas: dict[str, Formula]) -> dict[str, Formula]:
    try:
        return {name: formulas[name] for name in in_order(formulas)}
    except FormulaError as error:
        raise fault(str(error)) from error


def _unit(value: Any) -> tuple[Unit, str]:
    try:
        return parse_unit(_text(value))[1], value
    except UnitError as error:
        raise fault(str(error)) from error


def _choices(value: Any) -> Any:
    """One formula, or a list of them, each a text or a table with ``formula`` and ``when``."""
    items = value if isinstance(value, list) else [value]
    return [item if isinstance(item, dict) else {"formula": item} for item in items]


def _listed(value: Any) -> Any:
    return value if isinstance(value, list) else [value]


def _two(value: Any) -> Any:
    if not isinstance(value, list) or len(value) != 2:
        raise fault(say("recipe.two-formulas-expected-here"))
    return value


def _two_words(value: Any) -> Any:
    if not isinstance(value, list) or len(value) != 2:
        raise fault(say("recipe.two-words-expected-here"))
    return value


def _slip(value: str) -> str:
    if value and value not in SLIPS:
        raise fault(say("recipe.not-slip-known", slip=value, all=", ".join(SLIPS)))
    return value


def _mistake(value: str) -> str:
    if value not in MISTAKES:
        raise fault(say("recipe.not-mistake-known", slip=value, all=", ".join(MISTAKES)))
    return value


def _range(value: Any) -> Any:
    if not isinstance(value, list) or len(value) != 2:
        raise fault(say("recipe.two-values-expected-here"))
    return value


def _model(value: str) -> str:
    if value not in MODELS:
        raise fault(say("recipe.no-model", all=", ".join(MODELS)))
    return value


def _method(value: str) -> str:
    if value not in METHODS:
        raise fault(say("recipe.no-method", all=", ".join(METHODS)))
    return value


def _picture(value: str) -> str:
    if value and value not in PICTURES:
        raise fault(say("recipe.no-picture", all=", ".join(PICTURES)))
    return value


def _symbol(value: Any) -> Any:
    if not isinstance(value, str) or not re.fullmatch(SYMBOL, value):
        raise fault(say("recipe.no-symbol"))
    return value


def _shown_unit(value: Any) -> Any:
    _unit(value)
    return value


def _kind(value: Any) -> Any:
    if value not in get_args(Kind):
        raise fault(say("recipe.kind-number-text-level"))
    return value


def _each(value: Any) -> Any:
    if value not in ("", "row", "level"):
        raise fault(say("recipe.each-row-or-level"))
    return value


def _part(value: Any) -> Any:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value <= 1:
        raise fault(say("recipe.no-part"))
    return value


def _some(columns: dict[str, Column]) -> dict[str, Column]:
    if not columns:
        raise fault(say("recipe.investigation-needs-least-column"))
    return columns


T = TypeVar("T")
_ONE_SYMBOL = r"[^\W_]{1,3}[′']?(_[^\W_]{1,12})?(\^[-−\d]{1,3})?"
SYMBOL = rf"|{_ONE_SYMBOL}(/{_ONE_SYMBOL})?"
"""A letter or a few, what stands low behind ``_``, a power behind ``^``; two of them with / between."""
Kind = Literal["number", "text", "level"]
_STRING = {"type": "string"}
_STRINGS = {"type": "array", "items": _STRING}
Text = Annotated[str, BeforeValidator(_text)]
Texts = Annotated[tuple[str, ...], BeforeValidator(_texts), WithJsonSchema({"oneOf": [_STRING, _STRINGS]})]
Written = Annotated[str, BeforeValidator(_written), WithJsonSchema({"type": ["string", "number"]})]
FormulaText = Annotated[
    Formula,
    GetPydanticSchema(lambda _type, _next: core_schema.no_info_plain_validator_function(_formula)),
    WithJsonSchema({"type": ["string", "number"], "description": "a formula"}),
]
UnitText = Annotated[
    tuple[Unit, str],
    GetPydanticSchema(lambda _type, _next: core_schema.no_info_plain_validator_function(_unit)),
    WithJsonSchema(_STRING),
]
SlipText = Annotated[
    str, BeforeValidator(_text), AfterValidator(_slip), WithJsonSchema({"enum": ["", *SLIPS]})
]
ModelText = Annotated[
    str, BeforeValidator(_text), AfterValidator(_model), WithJsonSchema({"enum": [*MODELS]})
]
MethodText = Annotated[str, AfterValidator(_method), WithJsonSchema({"enum": [*METHODS]})]
PictureText = Annotated[
    str, BeforeValidator(_text), AfterValidator(_picture), WithJsonSchema({"enum": ["", *PICTURES]})
]
SymbolText = Annotated[str, BeforeValidator(_symbol), WithJsonSchema(_STRING)]
ShownUnitText = Annotated[str, BeforeValidator(_shown_unit), WithJsonSchema(_STRING)]
MistakeText = Annotated[
    str, BeforeValidator(_text), AfterValidator(_mistake), WithJsonSchema({"enum": [*MISTAKES]})
]
EachText = Annotated[Literal["", "row", "level"], BeforeValidator(_each)]
KindText = Annotated[Kind, BeforeValidator(_kind)]
Part = Annotated[float, BeforeValidator(_part), Field(gt=0, le=1)]
Name = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*$")]
RecipeId = Annotated[str, BeforeValidator(_text), StringConstraints(pattern=f"^{RECIPE_ID.pattern}$")]
Words = dict[str, Written]
Named = dict[Name, T]
Formulas = Annotated[Named[FormulaText], AfterValidator(_ordered)]


class _Form(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, arbitrary_types_allowed=True)


class Column(_Form):
    """A column that is typed."""

    unit: UnitText = Field(default_factory=lambda: (ONE, ""))
    kind: KindText = "number"
    default: Written | None = None
    optional: bool | None = None
    words: Text = ""
    typical: Annotated[tuple[Written, ...], BeforeValidator(_range)] = ()
    mistakes: tuple[MistakeText, ...] = ()


class Given(_Form):
    """A quantity entered once."""

    unit: UnitText = Field(default_factory=lambda: (ONE, ""))
    default: Written | None = None
    optional: bool | None = None
    choices: tuple[Written, ...] = ()
    words: Text = ""
    typical: Annotated[tuple[Written, ...], BeforeValidator(_range)] = ()
    mistakes: tuple[MistakeText, ...] = ()


class Naming(_Form):
    """How something is called: its name, its symbol, and the unit people use for it."""

    name: Text = ""
    symbol: SymbolText = ""
    unit: ShownUnitText = ""
    also: Texts = ()


class Choice(_Form):
    """A formula, and the givens with which it holds."""

    formula: FormulaText
    when: Words = {}


Choices = Annotated[tuple[Choice, ...], BeforeValidator(_choices)]


class Fit(_Form):
    """A line or curve."""

    x: FormulaText
    y: FormulaText
    model: ModelText = "line"
    series: Text = ""


class Versus(_Form):
    """A comparison."""

    of: Text
    other: Text = Field(alias="with")
    formula: Choices = ()
    difference: FormulaText | None = None
    scale: FormulaText | None = None
    each: EachText = ""
    value: Choices = ()


class Warn(_Form):
    """A check of the data."""

    slip: SlipText = ""
    text: Text
    when: Annotated[tuple[FormulaText, ...], BeforeValidator(_listed)]
    significant: bool = False
    besides: Annotated[tuple[FormulaText, ...], BeforeValidator(_listed)] = ()


class Slip(_Form):
    """A mistake that can be undone."""

    slip: SlipText = ""
    text: Text
    undo: Named[FormulaText] = {}
    row: bool = False
    unless: Texts = ()
    seldom: float = Field(default=0.0, ge=0)


class Sense(_Form):
    """What makes sense."""

    of: FormulaText
    like: FormulaText
    within: float = Field(default=0.05, ge=0)
    when: Words = {}
    needs: Texts = ()
    unless: Texts = ()


class RecipeForm(_Form):
    """A whole file; docs/investigations.md says what each part is for."""

    model_config = ConfigDict(title="An investigation of Saltus")

    id: RecipeId
    title: Text
    group: Text
    question: Text
    minutes: int = 40
    varied: Texts = ()
    measured: Texts = ()
    same: Texts = ()
    instruments: Texts = ()
    roles: Texts = ()
    steps: Texts = ()
    checks: Texts = ()
    cautions: Texts = ()
    next: Texts = ()
    columns: Annotated[Named[Column], AfterValidator(_some)]
    givens: Named[Given] = {}
    level: Texts = ()
    average: Texts = ()
    series: Texts = ()
    rows: Formulas = {}
    levels: Formulas = {}
    per_level: Formulas = {}
    fits: Named[Fit] = {}
    results: Named[Choices] = {}
    unknown: Words = {}
    record: Words = {}
    comparisons: tuple[Versus, ...] = ()
    matters: Part | None = None
    plausible: Named[Annotated[tuple[FormulaText, FormulaText], BeforeValidator(_two)]] = {}
    warn: tuple[Warn, ...] = ()
    slips: tuple[Slip, ...] = ()
    sense: tuple[Sense, ...] = ()
    names: Named[Naming] = {}
    headline: Text = ""
    ends: Named[Annotated[tuple[Text, Text], BeforeValidator(_two_words)]] = {}
    picture: PictureText = ""
    drawn: Text = ""
    pictured: Named[Choices] = {}
    repeats: Texts = ()
    finds: Text = ""
    methods: Annotated[tuple[MethodText, ...], BeforeValidator(_texts)] = ()
    drawing: Texts = ()
    load: Words = {}
    example: dict[str, Any] = {}
