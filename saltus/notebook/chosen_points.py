"""Characteristic points that were chosen: which kind, of which body and coordinate, near which frame."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from saltus.notebook.part import Id, Part


class ChosenPoint(Part):
    """A point of the motion of a body; it is found anew near its frame. ``marked``: just that frame."""

    id: Id
    body: Id
    of: Annotated[str, Field(pattern=r"^(x|y|path|(angle|radius)(@[a-z][a-z0-9-]{0,40})?)$")]
    kind: Literal["turning", "zero", "fastest", "rest", "contact", "free-fall", "marked"]
    frame: Annotated[int, Field(ge=0)]
