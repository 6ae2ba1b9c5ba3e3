"""What a source of uncertainty is: a cause, what it belongs to, and how it is told."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Literal, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Hashable

    from saltus.core.coverage import Shape

Kind = Literal["reading", "scale", "timing", "reaction", "instruments"]
"""Groups of the limit bar: reading; scale or length; timing; reaction or angle; instruments or masses."""
Axis = Literal["x", "y"]
AXES: tuple[Axis, ...] = ("x", "y")
LEVEL_SCATTER, UNSTATED_COLUMN, GIVEN = "level-scatter", "unstated-column", "given"
OF_A_NAME = {GIVEN, UNSTATED_COLUMN, "column"}
"""Causes of what was typed under a name: the first part of the id."""
SCALE_ENDS, CLOCK = "scale-ends", "clock"
LENS, PLANE_OFFSET, CAMERA_DISTANCE = BESIDE_SCALE = ("lens", "plane-offset", "camera-distance")
"""Causes that a scale may hold and that are told beside it."""
BETWEEN_FRAMES = frozenset({"instants", "segment-ends", "passings"})
"""Causes on which it hangs how a line is judged, whether a trial states anything, and what would help."""


class SourceId(NamedTuple):
    """What causes the uncertainty, and what that belongs to."""

    cause: str
    of: tuple[Hashable, ...] = ()


@dataclass(frozen=True)
class Source:
    """Where a part of an uncertainty comes from; two sources are the same when their ids are.

    Attributes
    ----------
    id : SourceId
    kind : Kind
        The group it is shown under.
    label : str
        Words for people.
    shape, dof
        Distribution and degrees of freedom (infinite: not limited). A family of shape ``t`` shares its
        degrees of freedom.
    """

    id: SourceId
    kind: Kind = field(default="instruments", compare=False)
    label: str = field(default="", compare=False)
    shape: Shape = field(default="normal", compare=False)
    dof: float = field(default=math.inf, compare=False)

    @property
    def cause(self) -> str:
        """What it is, such as ``clock``."""
        return self.id.cause

    @property
    def from_trials(self) -> bool:
        """Whether it is scatter among trials, which more of them would lessen."""
        return self.cause in {LEVEL_SCATTER, "line-scatter", "curve-scatter", "repeat-scatter"}

    @property
    def less_with_trials(self) -> bool:
        """Whether more trials would lessen it: scatter among them, or what each of them has for itself."""
        return self.from_trials or self.cause in {"column", "timed-column", "reading-scatter"}

    @property
    def words(self) -> str:
        """Words for people, also where it has no label."""
        return self.label or self.cause.replace("-", " ")


def with_dof(source: Source, dof: float) -> Source:
    """The same source, its size known with so many degrees of freedom: normal if infinite, else t."""
    return replace(source, shape="normal" if math.isinf(dof) else "t", dof=dof)


def scatter_source(cause: str, of: tuple[Hashable, ...], kind: Kind, label: str, dof: float) -> Source:
    """A source whose size is known from scatter, with so many degrees of freedom."""
    return with_dof(Source(SourceId(cause, of), kind, label), dof)
