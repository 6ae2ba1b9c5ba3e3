"""Where the work on a take goes on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk


def opens_in(take: Take) -> str:
    """The stage in which the work on a take goes on when its strip is opened."""
    if not take.facts.pictures:
        return "time"
    return "read" if take.reference else "scale"


def next_stage(take: Take | None) -> str:
    """Where the work on a take goes on."""
    if take is not None and not take.facts.pictures:
        return "time"
    if take is None or take.reference is None or take.reference.length is None:
        return "scale"
    return "motion" if take.segments else "read"


def next_words(take: Take, desk: Desk) -> str:
    """Say what the next step with a take is, or what keeps from it."""
    if take.id in desk.film_problems:
        return desk.film_problems[take.id]
    if not take.facts.pictures:
        return _("A recording of sound alone: its knocks and clicks can be timed to a millisecond.")
    if take.reference is None:
        return _("Keep this take and give it a scale: something of known length in the picture.")
    if take.segments:
        return _("This take is measured. Go on where you stopped.")
    return _("This take has a reference length. Read where its bodies are.")
