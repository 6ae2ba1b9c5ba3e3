"""Conventions of the schools: how uncertainties are stated other than by the standard."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.coverage import NORMAL_95, student_95
from saltus.core.lines.school import extremes
from saltus.core.with_uncertainty import in_one, widened
from saltus.investigations.sentences import say

if TYPE_CHECKING:
    from saltus.core.lines.straight import Line
    from saltus.core.quantity import Quantity


def slope_by(line: Line, way: str) -> Line:
    """Give a line whose slope (and intercept, in proportion) has its uncertainty from elsewhere.

    Parameters
    ----------
    line : Line
    way : {"fit", "steepest", "scatter"}
        ``steepest``: half the difference of the steepest and the shallowest line through the 95 % bars, taken
        as the 95 % half-width. ``scatter``: from the scatter about the line, with Student's t.
    """
    if way == "fit" or line.slope is None:
        return line
    if way == "scatter":
        u = line.u_scatter.get("slope")
        if u is None or not math.isfinite(u) or line.dof < 1:
            return line
        target = u * student_95(line.dof)
    else:
        found = extremes(line.x, line.y)
        if found is None:
            words = say("school.no-error-bars-lay")
            return replace(line, warnings=(*line.warnings, words))
        target = abs(found.steepest - found.shallowest) / 2
    if line.slope.U95 <= 0:
        return line
    factor = target / line.slope.U95
    wide = widened(line.intercept, factor) if line.intercept is not None else None
    return replace(line, slope=widened(line.slope, factor), intercept=wide)


def restated(q: Quantity, convention: str) -> Quantity:
    """Give a result as a school states it.

    Parameters
    ----------
    q : Quantity
        A single value.
    convention : {"standard", "half-range", "school"}
        ``half-range``: the parts of the uncertainty are added in full (worst case). ``school``: the standard
        uncertainty itself is stated as ±, not its 95 % half-width.
    """
    if convention == "standard" or float(q.u) == 0:
        return q
    if convention == "half-range":
        # limits: what is added in full is stated as it stands
        return in_one(q, sum(q.parts().values()) / NORMAL_95, sources.school(convention))
    return in_one(q, float(q.u) / NORMAL_95, sources.school(convention))
