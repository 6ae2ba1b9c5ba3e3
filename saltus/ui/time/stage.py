"""Time: instants, cycles and gates of a take, seen or heard."""

from __future__ import annotations

import time
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QStackedWidget, QWidget

from saltus.core.wording import _
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.edits import timing as edits
from saltus.notebook.timing import ByHand
from saltus.ui.desk.player import Player
from saltus.ui.desk.stage import Stage
from saltus.ui.kit.columns import over
from saltus.ui.kit.widgets import button, row
from saltus.ui.picture.view import PictureView
from saltus.ui.time.counting import CountingPanel
from saltus.ui.time.gates import GatesPanel
from saltus.ui.time.instants import InstantsPanel
from saltus.ui.time.lanes import TimeLanes
from saltus.ui.time.sounds import Sounds
from saltus.ui.time.tool import TimeTool

if TYPE_CHECKING:
    from PyQt6.QtCore import QPointF

    from saltus.notebook.timing import Gates
    from saltus.ui.desk.desk import Desk
    from saltus.ui.desk.panel import TimePanel

SIZES, SIZES_SOUND = (372, 328), (220, 480)
MODES = ("instants", "cycles", "gates")


class TimeStage(Stage):
    """Picture, score and the column of what is timed."""

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.mode = "instants"
        self._presses: list[float] | None = None
        self._pictures = True
        self._of_take: str | None = None
        self.sounds = Sounds(desk)
        self.view = PictureView(desk, TimeTool)
        tool = self.view.tool
        assert isinstance(tool, TimeTool)
        tool.timer = self
        self.player = Player(desk)
        self.view.spacePressed.connect(self._space)
        self.timeline = TimeLanes(desk, self.player, self.sounds)
        self.timeline.onsetChosen.connect(self._onset)
        self._split = over(self.view, self.timeline, SIZES)
        self.beside(self._split, 308)
        self.instants = InstantsPanel(desk)
        self.cycles = CountingPanel(desk, self.sounds)
        self.gating = GatesPanel(desk)
        self._build_column()
        self.listen()
        desk.lookedElsewhere.connect(self._looked)
        self.sounds.arrived.connect(lambda _take: self.refresh())
        self.player.changed.connect(self._played)

    def _build_column(self) -> None:
        titles = {"instants": _("Instants"), "cycles": _("Cycles"), "gates": _("Gates")}
        self._modes = {m: button(titles[m], partial(self.choose, m), "filter") for m in MODES}
        for one in self._modes.values():
            one.setCheckable(True)
        self._column.addLayout(row(*self._modes.values(), stretch=3))
        self._panels = QStackedWidget()
        for panel in self.panels():
            self._panels.addWidget(panel)
            panel.timeWanted.connect(self.show_time)
            panel.looked.connect(self._hand_over)
        self.instants.handWanted.connect(self.time_by_hand)
        kept = self._panels.sizePolicy()
        kept.setRetainSizeWhenHidden(True)
        self._panels.setSizePolicy(kept)
        self._column.addWidget(self._panels, 1)

    def panels(self) -> tuple[TimePanel, ...]:
        """The three panels in the order of the modes."""
        return self.instants, self.cycles, self.gating

    def parts(self) -> list[QWidget]:
        """Picture, score and column, for moving between them by F6."""
        return [self.view, self.timeline, self._modes[self.mode]]

    # -- what the tool asks --------------------------------------------------------------------------

    def key(self, key: int) -> bool:
        """I, E and C mark and count; N goes to the next sound; Enter accepts the sound at the cursor."""
        if key == Qt.Key.Key_I:
            self._go_and(self.instants.mark, "between")
        elif key == Qt.Key.Key_E:
            self._go_and(self.instants.mark, "in")
        elif key == Qt.Key.Key_C:
            self.choose("cycles")
            self.cycles.count_here()
        elif key == Qt.Key.Key_N:
            self.next_sound()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._accept_here()
        else:
            return False
        return True

    def _go_and(self, act: object, how: str) -> None:
        self.choose("instants")
        assert callable(act)
        act(how)

    def plate(self) -> str:
        """What stands over the picture: what is being marked, or that a hand is timing."""
        if self._presses is not None:
            return _("Space at the start, Space at the stop") if not self._presses else _("Space at the stop")
        return self.instants.plate() if self.mode == "instants" else ""

    def gates(self) -> Gates | None:
        """The gates in hand."""
        return self.gating.gates()

    def lay_gate(self, at: QPointF) -> None:
        """Lay the first gate in the picture."""
        self.gating.lay_at(at)

    # -- sound ---------------------------------------------------------------------------------------

    def _onset(self, at: float, half: float) -> None:
        if self.mode == "cycles":
            self.cycles.accept(at, half)
        else:
            self.choose("instants")
            self.instants.accept(at, half)

    def next_sound(self) -> None:
        """Go to the frame of the next proposed onset; after the last to the first."""
        take = self._desk.take
        heard = self.sounds.of(take) if take is not None else None
        if take is None or heard is None or not heard.onsets:
            self._desk.said.emit(_("No onset stands out from the sound."), "note")
            return
        times, here = frame_times(take), self._desk.frame
        frames = [int(np.searchsorted(times, at, side="right")) - 1 for at, _half, _s in heard.onsets]
        later = [n for n in frames if n > here]
        self._desk.go_to_frame(max(later[0] if later else frames[0], 0))

    def _accept_here(self) -> None:
        """Accept the onset that falls into the frame in hand."""
        take = self._desk.take
        heard = self.sounds.of(take) if take is not None else None
        if take is None or heard is None:
            return
        times, n = frame_times(take), self._desk.frame
        end = times[n + 1] if n + 1 < len(times) else np.inf
        here = [o for o in heard.onsets if times[n] <= o[0] < end]
        if here:
            self._onset(here[0][0], here[0][1])

    # -- by hand -------------------------------------------------------------------------------------

    def time_by_hand(self) -> None:
        """Play the take at true speed and take two presses of Space as start and stop."""
        take = self._desk.take
        if take is None:
            return
        self.player.stop()
        self.player.set_speed(1.0)
        self._desk.go_to_frame(take.kept_frames[0])
        self._presses = []
        self.view.setFocus(Qt.FocusReason.OtherFocusReason)
        self.player.switch()
        self.view.update()

    def _space(self) -> None:
        now = time.monotonic()
        if self._presses is None:
            self.player.switch()
            return
        # taken at the key, before anything is drawn
        self._presses.append(self.player.film_time(now))
        if len(self._presses) == 2:
            self._keep_by_hand()
        self.view.update()

    def _keep_by_hand(self) -> None:
        take, presses = self._desk.take, self._presses
        self._presses = None
        self.player.stop()
        if take is None or presses is None or presses[1] <= presses[0]:
            return
        hands, interval = self._desk.notebook.hands, self.instants.chosen_interval()
        made = ByHand(
            start=presses[0], stop=presses[1], hand=hands[-1].id if hands else None,
            interval=interval.id if interval is not None else None,
        )  # fmt: skip
        self._desk.edit(_("time by hand"), edits.add_by_hand(self._desk.notebook, take.id, made))

    def _played(self) -> None:
        if not self.player.playing and self._presses is not None:
            self._presses = None
            self._desk.said.emit(_("The take ended before the second press: try again."), "note")
            self.view.update()

    # -- showing -------------------------------------------------------------------------------------

    def choose(self, mode: str) -> None:
        """Show the panel of a mode."""
        self.mode = mode
        self._hand_over()
        self.refresh()
        self.view.update()

    def _hand_over(self) -> None:
        self.timeline.count_id, self.timeline.gates_id = self.cycles.count_id, self.gating.gates_id
        self.timeline.draw_again()
        self.view.update()

    def show_time(self, t: float) -> None:
        """Show a place on the time axis: the frame on screen then, and the axis about it."""
        take = self._desk.take
        if take is not None:
            self._desk.go_to_frame(int(np.searchsorted(frame_times(take), t, side="right")) - 1)
            self.timeline.follow()

    def _looked(self) -> None:
        if self.isVisible():
            self.next.say(self._next_words())
            if self._desk.take is not None and self._desk.take_id != self._of_take:
                self._of_take = self._desk.take_id
                self.refresh()

    def show_now(self) -> None:
        """Show the take as it is."""
        for name, one in self._modes.items():
            one.setChecked(name == self.mode)
        take = self._desk.take
        self._panels.setCurrentIndex(MODES.index(self.mode))
        self._panels.setVisible(take is not None)
        if take is not None:
            self.panels()[MODES.index(self.mode)].refresh()
            self.sounds.want(take)
            if take.facts.pictures is not self._pictures:
                self._pictures = take.facts.pictures
                self._split.setSizes(list(SIZES if self._pictures else SIZES_SOUND))
        self.next.say(self._next_words())

    def showEvent(self, event: object) -> None:
        self.sounds.try_again()
        self.refresh()

    def hideEvent(self, event: object) -> None:
        self._presses = None
        self.player.stop()

    def _next_words(self) -> str:
        take = self._desk.take
        if take is None:
            return _("Open a film or a sound recording first, on the Film stage.")
        timing = take.timing
        if self.mode == "gates":
            if not self.gating.has_readings():
                return _("Read a body on Read first: gates are crossed by its readings.")
            return (
                _("Lay gates: when and how fast the body crosses them is worked out between frames.")
                if not timing.gates
                else _("Type a spacing and a number for a row of gates, or drag the first in the picture.")
            )
        if self.mode == "cycles":
            count = self.cycles.count()
            if count is not None and count.how == "readings":
                return _("Passings lie between frames, where the readings cross the level. X sets one aside.")
            if count is not None and count.how == "sound":
                return _("Click an onset in the sound to count it, or count all. N goes to the next one.")
            return _("Step to where it passes, or turns, then C. Counting starts at zero: the first is 0.")
        if not take.facts.pictures:
            return _("N goes to the next sound, Enter takes it as an instant.")
        if not timing.instants:
            return _("Step with ← → to the first frame after the event, then press I.")
        if len(timing.instants) == 1:
            return _("Now the stop: the first frame after it, judged by the same words, then I.")
        return _("Keep the interval, or mark another event. N goes to the next sound, Enter takes it.")
