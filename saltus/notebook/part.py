"""What all parts of a notebook are made of: immutable, checked, nothing unknown and nothing endless."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

Name = Annotated[str, Field(min_length=1, max_length=200)]
Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9-]{0,40}$")]
Coordinate = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Positive = Annotated[float, Field(gt=0, le=1e12, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e12, allow_inf_nan=False)]
Place = tuple[Coordinate, Coordinate]


class Part(BaseModel):
    """Base of all parts of a notebook: immutable, no unknown fields, no NaN.

    What is worked out from a part is remembered on it (:mod:`saltus.notebook.memory`), beside its fields.
    """

    __slots__ = ("_memory",)
    model_config = ConfigDict(frozen=True, extra="forbid", arbitrary_types_allowed=True, allow_inf_nan=False)

    def but(self, **changes: Any) -> Any:
        """Give a copy with some fields changed and checked; the others are the very same objects."""
        cls = type(self)
        made = cls.model_validate({name: getattr(self, name) for name in cls.model_fields} | changes)
        # checking makes new tuples of old ones, which would be taken for changed
        made.__dict__.update({n: v for n, v in self.__dict__.items() if n not in changes})
        return made
