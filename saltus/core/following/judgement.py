"""Whether what looks like the body is it: found, weak or lost, and why it is doubted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from saltus.core.following.alignment import Alignment
    from saltus.core.following.sighting import Doubt, State

BELOW_USUAL, BELOW_AFTER_LOSS = 0.12, 0.08
LEAST_ALIKE, MOST_ALIKE = 0.6, 0.9
"""A place must look as alike as is usual in this film, less so much, between these bounds."""
WEAK_ALIKE = 0.5
DARKEST, BRIGHTEST = 0.6, 1.65
"""Brightness against what it was lately."""
SEEN, SEEN_BEHIND = 0.55, 0.35
"""Least share of the slopes that must be seen; less where a known body stands in front."""
MOST_HIDDEN = 0.30
LEAD, LEAD_AFTER_JUMP = 0.03, 0.12
"""How much more alike than the next best place it must look."""


@dataclass(frozen=True)
class Usual:
    """What is usual for a body, and how it was looked for.

    Attributes
    ----------
    likeness : float
        Of what was found lately.
    gain : float
        Of the brightness lately.
    lost_for : int
        Pictures since it was found.
    jumped : bool
        Whether it was looked for off its way.
    covered : bool
        Whether a known body stands in front of a part of it.
    least : float
        How alike it must look at least, whatever was usual lately.
    """

    likeness: float
    gain: float
    lost_for: int
    jumped: bool
    covered: bool
    least: float = 0.0


def least_alike(usual: float, *, after_loss: bool = False) -> float:
    """How alike a place must look where so much is usual, dimensionless.

    Parameters
    ----------
    usual : float
        Likeness of what was found lately.
    after_loss : bool
    """
    least = usual - (BELOW_AFTER_LOSS if after_loss else BELOW_USUAL)
    return min(max(least, LEAST_ALIKE), MOST_ALIKE)


def judged(
    found: Alignment, lead: float, usual: Usual, *, in_picture: bool
) -> tuple[State, tuple[Doubt, ...]]:
    """Judge a place that a patch was laid over.

    Parameters
    ----------
    found : Alignment
    lead : float
        By how much it looks more alike than the next best place, dimensionless.
    usual : Usual
    in_picture : bool
        Whether the point that is read lies in the picture.

    Returns
    -------
    state : {"found", "weak", "lost"}
    doubts : tuple of str
        Empty where it is found.
    """
    strict = usual.jumped or usual.lost_for > 0
    least = max(least_alike(usual.likeness, after_loss=strict), usual.least)
    brightness = found.gain / usual.gain if usual.gain else 0.0
    doubts: list[Doubt] = []
    if found.likeness < least:
        doubts.append("likeness")
    if found.information < (SEEN_BEHIND if usual.covered else SEEN) or found.hidden > MOST_HIDDEN:
        doubts.append("hidden")
    if not DARKEST <= brightness <= BRIGHTEST:
        doubts.append("brightness")
    if lead < (LEAD_AFTER_JUMP if strict else LEAD):
        doubts.append("second")
    if not in_picture:
        doubts.append("edge")
    if not doubts:
        return "found", ()
    # off the way, or after a loss, what is doubted is not proposed: it may be anything
    plausible = (
        in_picture
        and found.likeness >= WEAK_ALIKE
        and found.information >= SEEN_BEHIND
        and 0.5 * DARKEST <= brightness <= 2 * BRIGHTEST
        and (not strict or (found.likeness >= least and lead >= LEAD))
    )
    if strict and plausible:
        doubts.append("after-loss" if usual.lost_for else "jump")
    return ("weak" if plausible else "lost"), tuple(doubts)
