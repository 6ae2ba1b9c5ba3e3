"""The stages of the window, each built when it is first visited: most are not, and none is before that."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QWidget

    from saltus.ui.app.files import Files
    from saltus.ui.desk.desk import Desk
    from saltus.ui.film.stage import FilmStage
    from saltus.ui.findings.stage import FindingsStage
    from saltus.ui.gallery.page import GalleryPage
    from saltus.ui.graph.stage import GraphStage
    from saltus.ui.log.stage import LogStage
    from saltus.ui.motion.stage import MotionStage
    from saltus.ui.read.stage import ReadStage
    from saltus.ui.scale.stage import ScaleStage
    from saltus.ui.stopwatch.stage import StopwatchStage
    from saltus.ui.time.stage import TimeStage
    from saltus.ui.trials.stage import TrialsStage

HANDS = {
    "scale": "view",
    "read": "view",
    "time": "view",
    "motion": "lanes",
    "trials": "table",
    "graph": "view",
    "log": "lanes",
    "gallery": "search",
}
"""The part of a stage that the keyboard goes to when it opens; the stage itself where none is named."""
NAMES = (
    "film", "scale", "read", "time", "motion", "log", "trials", "stopwatch", "graph", "gallery", "findings",
)  # fmt: skip


class StagesOnDemand:
    """What the window has of stages.

    Its modules are loaded with a stage: together they take half of what starting took.
    """

    desk: Desk
    files: Files
    go_to: Callable[[str], None]

    def built(self, name: str) -> QWidget | None:
        """A stage, if it was ever visited."""
        found: QWidget | None = self.__dict__.get(name)
        return found

    def part_in_hand(self, name: str) -> QWidget:
        """Where the keyboard goes when a stage opens."""
        stage: QWidget = getattr(self, name)
        part: QWidget = getattr(stage, HANDS[name]) if name in HANDS else stage
        return part

    def forget_stages(self) -> None:
        """Let every stage be built anew at its next visit."""
        for name in NAMES:
            self.__dict__.pop(name, None)

    @cached_property
    def film(self) -> FilmStage:
        """Films and what is known of them."""
        from saltus.ui.film.stage import FilmStage  # noqa: PLC0415  loaded with the stage

        made = FilmStage(self.desk)
        made.wanted.connect(self.go_to)
        made.simulationWanted.connect(self.files.simulate)
        return made

    @cached_property
    def scale(self) -> ScaleStage:
        """Reference length and axes."""
        from saltus.ui.scale.stage import ScaleStage  # noqa: PLC0415  loaded with the stage

        made = ScaleStage(self.desk)
        made.wanted.connect(self.go_to)
        made.followWanted.connect(self._follow_in_hand)
        return made

    @cached_property
    def read(self) -> ReadStage:
        """Positions, frame by frame."""
        from saltus.ui.read.stage import ReadStage  # noqa: PLC0415  loaded with the stage

        made = ReadStage(self.desk)
        made.measureWanted.connect(self._measure)
        return made

    def _follow_in_hand(self) -> None:
        """Follow the body in hand, on Read."""
        self.go_to("read")
        self.read.follow()

    def _measure(self) -> None:
        """Measure something in the picture, on Scale."""
        self.go_to("scale")
        self.scale.take_up("measure")

    @cached_property
    def time(self) -> TimeStage:
        """Intervals, passings and sounds."""
        from saltus.ui.time.stage import TimeStage  # noqa: PLC0415  loaded with the stage

        return TimeStage(self.desk)

    @cached_property
    def motion(self) -> MotionStage:
        """Motion over time, with models."""
        from saltus.ui.motion.stage import MotionStage  # noqa: PLC0415  loaded with the stage

        made = MotionStage(self.desk)
        made.wanted.connect(self.go_to)
        return made

    @cached_property
    def log(self) -> LogStage:
        """Series of a data logger."""
        from saltus.ui.log.stage import LogStage  # noqa: PLC0415  loaded with the stage

        return LogStage(self.desk)

    @cached_property
    def trials(self) -> TrialsStage:
        """The table of trials."""
        from saltus.ui.trials.stage import TrialsStage  # noqa: PLC0415  loaded with the stage

        made = TrialsStage(self.desk)
        made.stopwatchWanted.connect(self.time_runs)
        made.galleryWanted.connect(lambda: self.go_to("gallery"))
        made.wanted.connect(self.go_to)
        return made

    @cached_property
    def stopwatch(self) -> StopwatchStage:
        """Runs timed by hand."""
        from saltus.ui.stopwatch.stage import StopwatchStage  # noqa: PLC0415  loaded with the stage

        made = StopwatchStage(self.desk)
        made.backWanted.connect(lambda: self.go_to("trials"))
        return made

    @cached_property
    def graph(self) -> GraphStage:
        """The graph of the trials."""
        from saltus.ui.graph.stage import GraphStage  # noqa: PLC0415  loaded with the stage

        made = GraphStage(self.desk)
        made.wanted.connect(self.go_to)
        return made

    @cached_property
    def gallery(self) -> GalleryPage:
        """What can be found out."""
        from saltus.ui.gallery.page import GalleryPage  # noqa: PLC0415  loaded with the stage

        made = GalleryPage()
        made.begin.connect(self.begin_investigation)
        made.emptyNotebook.connect(self.files.new_notebook)
        return made

    @cached_property
    def findings(self) -> FindingsStage:
        """The sheet."""
        from saltus.ui.findings.stage import FindingsStage  # noqa: PLC0415  loaded with the stage

        return FindingsStage(self.desk)

    def time_runs(self) -> None:
        """Open the stopwatch at the level of the trial in hand."""
        trial_id, _column = self.trials.table.in_hand()
        self.go_to("stopwatch")
        self.stopwatch.take_level_of(trial_id or None)

    def begin_investigation(self, recipe: str, how: str) -> None:
        """Begin what was chosen in the gallery, and open the stage it begins on."""
        from saltus.ui.app.investigating import begin  # noqa: PLC0415  loads the catalogue

        stage = begin(self.desk, recipe, how, self.files.may_leave)
        if stage:
            self.go_to(stage)
