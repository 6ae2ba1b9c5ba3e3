"""The unit distances from the line are told in."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.shown_unit import shown_on_axis

if TYPE_CHECKING:
    from saltus.core.lines.straight import Line
    from saltus.core.shown_unit import ShownUnit
    from saltus.investigations.engine.outcome import Outcome


def upright_unit(outcome: Outcome, line: Line) -> ShownUnit:
    """The unit people use for what stands upright against the first line; SI where there is none."""
    fit, recipe = next(iter(outcome.recipe.fits.values())), outcome.recipe

    def of(name: str) -> ShownUnit | None:
        return recipe.shown(name, outcome.columns[name].unit) if name in outcome.columns else None

    return shown_on_axis(fit.y.tree, line.y.unit, of)
