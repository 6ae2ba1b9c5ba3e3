"""What rail, strip and limit bar say of the notebook on each stage, and how a result was made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint

from saltus.core.wording import _
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.view.advice import trial_limits, trial_progress
from saltus.notebook.derived.advice import progress, result_limits, scale_limits
from saltus.notebook.derived.geometry import scale_problem
from saltus.notebook.derived.timing_advice import timing_headline, timing_limits
from saltus.ui.app.result_popup import ResultPopup
from saltus.ui.app.worked_popup import WorkedPopup

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QWidget

    from saltus.ui.app.limit_bar import LimitBar
    from saltus.ui.app.rail import Rail
    from saltus.ui.app.top_strip import TopStrip
    from saltus.ui.desk.desk import Desk

OF_TRIALS = ("log", "trials", "stopwatch", "graph", "findings")
"""Stages on which the result is that of the table of trials, where there is one."""


def show_overview(desk: Desk, stage: str, rail: Rail, strip: TopStrip, limits: LimitBar) -> None:
    """Show the notebook as it is round the stage that is open."""
    take = desk.take
    evaluation = evaluate(desk.notebook)
    strip.of_trials = stage in OF_TRIALS and evaluation is not None
    strip.of_times = stage == "time"
    strip.refresh()
    rail.show_progress(progress(take) | trial_progress(evaluation), opened=desk.session.opened)
    limits.setVisible(stage not in ("start", "gallery"))
    if stage in OF_TRIALS and evaluation is not None:
        limits.show_limits(trial_limits(evaluation), _("Nothing to weigh yet: trials give a result."))
    elif stage in OF_TRIALS and take is None:
        limits.show_limits(None, _("Nothing to weigh yet: choose an investigation on Trials."))
    elif take is None:
        limits.show_limits(None, _("Open a film to begin."))
    elif stage == "time":
        limits.show_limits(
            timing_limits(take), _("Nothing to weigh yet: keep an interval or count passings.")
        )
    elif stage == "scale":
        words = _("No scale yet: {what}.").format(what=str(scale_problem(take) or "").rstrip("."))
        limits.show_limits(scale_limits(take), words)
    else:
        words = _("Nothing to weigh yet: a segment with a model gives a result.")
        limits.show_limits(result_limits(take), words)


def show_how(desk: Desk, strip: TopStrip, go_to: Callable[[str], None], trust: Callable[[], object]) -> None:
    """Show how the result in the strip was made, or open the stage where one would be."""
    take = desk.take
    evaluation = evaluate(desk.notebook)
    if strip.of_trials and evaluation is not None:
        if evaluation.headline is None:
            go_to("trials")
        else:
            _pop_up(WorkedPopup(strip.window() or strip, evaluation, lambda: go_to("graph")), strip)
        return
    timed = timing_headline(take) if take is not None and strip.of_times else None
    if take is None or (strip.of_times and timed is None):
        return
    if timed is None and take.headline_segment is None:
        go_to("motion" if any(len(b.readings) >= 3 for b in take.bodies) else "read")
        return
    _pop_up(ResultPopup(strip.window() or strip, take, timed, trust), strip)


def _pop_up(popup: QWidget, strip: TopStrip) -> None:
    """Open a popup under the result in the strip."""
    popup.adjustSize()
    popup.move(strip.mapToGlobal(QPoint(strip.width() - popup.width() - 12, strip.height())))
    popup.show()
