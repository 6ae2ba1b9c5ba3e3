"""Just before and just after an event: which segments of each body lie on which side of it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from saltus.notebook.part import Id, Name, Part


class Side(Part):
    """One body: its segments before and after the event, and its mass or moment of inertia as typed."""

    body: Id
    before: Id | None = None
    after: Id | None = None
    inertia: Annotated[str, Field(max_length=60)] = ""


class BeforeAfter(Part):
    """An event: who takes part, along which coordinate, which side coasts level, its instant if marked."""

    id: Id
    name: Name
    of: Literal["x", "y", "angle"]
    sides: Annotated[tuple[Side, ...], Field(min_length=1, max_length=8)]
    level: Literal["before", "after", "both"] | None = None
    instant: Id | None = None

    def segments(self) -> set[str]:
        """Ids of all segments it names."""
        return {s for side in self.sides for s in (side.before, side.after) if s is not None}
