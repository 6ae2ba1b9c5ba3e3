"""JSON Schema of an investigation: ``python -m saltus.investigations.recipe.schema FILE`` writes it."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from saltus.investigations.recipe.file import TEXTS
from saltus.investigations.recipe.recipe import METHODS, MODELS, SLIPS

_TEXT: dict[str, Any] = {"type": "string"}
_TEXTS: dict[str, Any] = {"oneOf": [_TEXT, {"type": "array", "items": _TEXT}]}
_FORMULA: dict[str, Any] = {"type": ["string", "number"], "description": "a formula"}
_WRITTEN = {"type": ["string", "number"]}
_WORDS: dict[str, Any] = {"type": "object", "additionalProperties": _TEXT}
_SLIP = {"enum": ["", *SLIPS]}
_GALLERY: dict[str, Any] = {
    "finds": _TEXT,
    "methods": {"type": "array", "items": {"enum": list(METHODS)}},
    "drawing": {"type": "array", "items": _TEXT},
    "load": {"type": "object", "additionalProperties": _TEXT},
}
_NAME = "^[a-z][a-z0-9_]*$"


def _object(required: tuple[str, ...] = (), **properties: Any) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": properties,
        "required": list(required),
        "additionalProperties": False,
    }


def _named(value: Any) -> dict[str, Any]:
    return {"type": "object", "patternProperties": {_NAME: value}, "additionalProperties": False}


def schema() -> dict[str, Any]:
    """Describe the file; what a schema cannot say (which names a formula may use) the reader checks."""
    choice = _object(("formula",), formula=_FORMULA, when={"type": "object"})
    choices = {"oneOf": [_FORMULA, choice, {"type": "array", "items": {"oneOf": [_FORMULA, choice]}}]}
    column = _object(
        unit=_TEXT, kind={"enum": ["number", "text", "level"]}, default=_WRITTEN,
        optional={"type": "boolean"}, words=_TEXT,
    )  # fmt: skip
    given = _object(
        unit=_TEXT, default=_WRITTEN, optional={"type": "boolean"}, choices={"type": "array", "items": _TEXT},
        words=_TEXT,
    )  # fmt: skip
    fit = _object(("x", "y"), x=_FORMULA, y=_FORMULA, model={"enum": list(MODELS)}, series=_TEXT)
    versus = _object(
        ("of", "with"),
        **{"of": _TEXT, "with": _TEXT, "formula": choices, "difference": _FORMULA, "scale": _FORMULA},
    )
    when = {"oneOf": [_FORMULA, {"type": "array", "items": _FORMULA}]}
    warn = _object(("text", "when"), slip=_SLIP, text=_TEXT, when=when, significant={"type": "boolean"})
    mistake = _object(("slip", "text", "undo"), slip=_SLIP, text=_TEXT, undo=_named(_FORMULA))
    sense = _object(("of", "like"), of=_FORMULA, like=_FORMULA, within={"type": "number", "minimum": 0})
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "An investigation of Saltus",
        **_object(
            ("id", "title", "group", "question", "columns"),
            id={"type": "string", "pattern": "^[a-z][a-z0-9]*(-[a-z0-9]+)*$"},
            title=_TEXT,
            group=_TEXT,
            question=_TEXT,
            minutes={"type": "integer"},
            **dict.fromkeys(TEXTS, _TEXTS),
            columns=_named(column),
            givens=_named(given),
            **dict.fromkeys(("level", "average", "series"), _TEXTS),
            **dict.fromkeys(("rows", "levels", "per_level"), _named(_FORMULA)),
            fits=_named(fit),
            results=_named(choices),
            unknown=_WORDS,
            record=_WORDS,
            comparisons={"type": "array", "items": versus},
            matters={"type": "number", "exclusiveMinimum": 0, "maximum": 1},
            plausible=_named({"type": "array", "items": _FORMULA, "minItems": 2, "maxItems": 2}),
            warn={"type": "array", "items": warn},
            slips={"type": "array", "items": mistake},
            sense={"type": "array", "items": sense},
            **_GALLERY,
            example={"type": "object"},
        ),
    }


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(json.dumps(schema(), indent=1) + "\n", encoding="utf-8")
