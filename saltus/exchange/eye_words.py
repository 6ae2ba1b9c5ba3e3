"""What a repeat check came to, in words."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from saltus.core.statement import to_figures
from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.core.reading_check import ReadingCheck


def check_words(found: ReadingCheck, u_followed: float | None) -> str:
    """How well somebody reads, and whether the same point was read both times."""
    words = _("One reading is good to u = {u} px ({dof} degrees of freedom).").format(
        u=to_figures(found.u_px, 2), dof=found.dof
    )
    if found.at_least:
        words = _("The readings differ by no more than a pixel explains: u = {u} px.").format(
            u=to_figures(found.u_px, 2)
        )
    size = math.hypot(*found.shift_px)
    told = {"size": to_figures(size, 2), "u": to_figures(1.96 * found.u_shift_px, 1)}
    if u_followed is not None:
        words += " " + _("Followed ones are good to {u} px.").format(u=to_figures(u_followed, 2))
        apart = (
            _("On average clicks lie {size} px from followed places (± {u} px): another point was clicked.")
            if found.shifted
            else _("On average they lie {size} px apart (± {u} px): they agree.")
        )
        return words + " " + apart.format(**told)
    if found.shifted:
        words += " " + _(
            "The second time you read another point, {size} px away (± {u} px): agree on one."
        ).format(**told)
    return words
