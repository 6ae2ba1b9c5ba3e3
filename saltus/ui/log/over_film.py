"""A log laid over a film: which film, by how much it is shifted, and where the cursor is in both."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.notebook.derived.frame_clock import frame_times
from saltus.notebook.edits import logs as edits
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.widgets import Field, Group, button, label, row

if TYPE_CHECKING:
    from saltus.notebook.logs import Log
    from saltus.ui.desk.desk import Desk
    from saltus.ui.log.lanes import LogLanes


class OverFilmPanel(Group):
    """The film a log is laid over, the shift between their clocks, and the cursor on both."""

    def __init__(self, desk: Desk, lanes: LogLanes) -> None:
        super().__init__()
        self._desk = desk
        self._lanes = lanes
        self._log: Log | None = None
        self.column.addWidget(label(_("Laid over a film"), "heading"))
        self.over = chooser(_("Film the log is laid over"), lambda: self._lay_over(self.over.currentData()))
        self.shift = Field(_("Shift, s"), 90)
        self.shift.entered.connect(self._type_shift)
        self.align = button(_("Cursor = frame in hand"), self._align)
        self.align.setToolTip(
            _("Put the same event at one time: the cursor on it in the log, the frame of it in the film")
        )
        self._cursor = label("", "note", wrap=True)
        self.column.addWidget(self.over)
        self.column.addLayout(row(label(_("shift / s")), self.shift, stretch=2))
        self.column.addWidget(self.align)
        self.column.addWidget(self._cursor)

    def _lay_over(self, take_id: str | None) -> None:
        if self._log is not None:
            made = edits.change_log(self._desk.notebook, self._log.id, take=take_id or None)
            self._desk.edit(_("lay a log over a film"), made)

    def _type_shift(self, text: str) -> None:
        try:
            shift = float(text.replace(",", ".").replace("\u2212", "-"))
        except ValueError:
            self.shift.mark_wrong(_("A shift is a number of seconds, such as 0.35."))
            return
        self._set_shift(shift)

    def _set_shift(self, shift: float) -> None:
        if self._log is not None and abs(shift) < 1e6:
            made = edits.change_log(self._desk.notebook, self._log.id, shift=round(shift, 6))
            self._desk.edit(_("shift a log"), made)

    def _align(self) -> None:
        """Shift the log so that its cursor falls on the frame in hand of the take."""
        log = self._log
        take = self._desk.notebook.take(log.take) if log is not None else None
        if log is None or take is None:
            return
        if self._desk.take_id != take.id:
            self._desk.go_to_take(take.id)
        wanted = float(frame_times(take)[self._desk.frame])
        own = self._lanes.at - log.shift
        self._set_shift(wanted - own)
        self._lanes.place_cursor(wanted)

    def show_log(self, log: Log) -> None:
        """Show over which film a log lies, and where its cursor is in both."""
        self._log = log
        fill(self.over, [(_("no film"), ""), *((t.name, t.id) for t in self._desk.notebook.takes)])
        self.over.setCurrentIndex(max(self.over.findData(log.take or ""), 0))
        self.shift.show_text(f"{log.shift:g}")
        for one in (self.shift, self.align):
            one.setEnabled(log.take is not None)
        self.show_cursor()

    def show_cursor(self) -> None:
        """Say where the cursor is in the log and in the film."""
        log = self._log
        take = self._desk.notebook.take(log.take) if log is not None else None
        words = ""
        if log is not None and take is not None:
            words = _("Cursor {t:.3f} s of the log; frame {n} in hand at {f:.3f} s of the film.").format(
                t=self._lanes.at - log.shift,
                n=self._desk.frame if self._desk.take_id == take.id else 0,
                f=float(frame_times(take)[self._desk.frame if self._desk.take_id == take.id else 0]),
            )
        self._cursor.setText(words)
