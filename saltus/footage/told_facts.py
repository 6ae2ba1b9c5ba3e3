"""Facts of a film as another process tells them, believed only if they make sense."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from saltus.footage.facts import FilmFacts

LARGEST_PX = 1 << 15
Count = Annotated[int, Field(ge=0)]
Counts = tuple[Count, ...]


class ToldFacts(BaseModel):
    """What one line of JSON may say of a film; see :class:`saltus.footage.facts.FilmFacts`."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    width: int = Field(gt=0, le=LARGEST_PX)
    height: int = Field(gt=0, le=LARGEST_PX)
    rotation_deg: Literal[0, 90, 180, 270]
    codec: str = Field(max_length=100)
    ticks: tuple[int, ...] = Field(min_length=1)
    time_base: tuple[Annotated[int, Field(gt=0)], Annotated[int, Field(gt=0)]]
    start_ticks: int
    last_ticks: int
    sound: bool
    duplicates: Counts
    warnings: tuple[Annotated[str, Field(max_length=1000)], ...]
    raw_ticks: tuple[int, ...]
    keyframes: Counts
    checked: bool
    pictures: bool
    stated_rate: float = Field(ge=0, le=1e6)

    @model_validator(mode="after")
    def _sensible(self) -> ToldFacts:
        frames = len(self.ticks)
        if any(n >= frames for n in (*self.duplicates, *self.keyframes)):
            raise ValueError("a frame beyond the last")
        if len(self.raw_ticks) not in (0, frames):
            raise ValueError("as many times in the decoder's order as frames, or none")
        return self


def facts_from(told: object) -> FilmFacts:
    """Take facts from JSON.

    Raises
    ------
    ValueError
        If they are not facts of a film.
    """
    read = ToldFacts.model_validate(told)
    parts = {name: getattr(read, name) for name in ToldFacts.model_fields}
    return FilmFacts(**parts | {"time_base": Fraction(*read.time_base)})
