"""What all parts of a notebook are made of: immutable, checked, nothing unknown and nothing endless."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from saltus.notebook.sentences import say

Name = Annotated[str, Field(min_length=1, max_length=200)]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]{0,40}$")]
Coordinate = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, le=1e12, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e12, allow_inf_nan=False)]
Place = tuple[Coordinate, Coordinate]


class PartError(ValueError):
    """An edit that would put something into a notebook that it cannot hold, in one sentence for people."""


def told(error: ValidationError) -> str:
    """Where something is wrong, in our words; what the library says of it is not for people."""
    first = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(map(str, first["loc"]))[:100] or "?"
    return say(KINDS.get(first["type"], "part.other"), place=place)


KINDS = {
    "string_unicode": "part.unicode",
    "string_too_long": "part.long",
    "too_long": "part.long",
    "string_too_short": "part.empty",
    "too_short": "part.empty",
    "missing": "part.missing",
    "extra_forbidden": "part.unknown",
    "string_pattern_mismatch": "part.form",
    "value_error": "part.form",
    **dict.fromkeys(
        ("greater_than", "greater_than_equal", "less_than", "less_than_equal", "finite_number"), "part.range"
    ),
    **dict.fromkeys(
        ("float_type", "float_parsing", "int_type", "int_parsing", "int_from_float"), "part.number"
    ),
}


class _Told(type(BaseModel)):  # type: ignore[misc]
    """Says in our words why a part cannot be made; reading a file goes another way, and says where in it."""

    def __call__(cls, *given: Any, **fields: Any) -> Any:
        try:
            return super().__call__(*given, **fields)
        except ValidationError as error:
            raise PartError(say("part.cannot-hold", what=told(error))) from error


if TYPE_CHECKING:
    _Base = BaseModel
else:

    class _Base(BaseModel, metaclass=_Told):
        pass


class Part(_Base):
    """Base of all parts of a notebook: immutable, no unknown fields, no NaN.

    What is worked out from a part is remembered on it (:mod:`saltus.notebook.memory`), beside its fields.
    """

    __slots__ = ("_memory",)
    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True, allow_inf_nan=False)

    def but(self, **changes: Any) -> Any:
        """Give a copy with some fields changed and checked; the others are the very same objects.

        Raises
        ------
        PartError
            If a notebook cannot hold what they would be.
        """
        cls = type(self)
        try:
            made = cls.model_validate({name: getattr(self, name) for name in cls.model_fields} | changes)
        except ValidationError as error:
            raise PartError(say("part.cannot-hold", what=told(error))) from error
        # checking makes new tuples of old ones, which would be taken for changed
        made.__dict__.update({n: v for n, v in self.__dict__.items() if n not in changes})
        return made
