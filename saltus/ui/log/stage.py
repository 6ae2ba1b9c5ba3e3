"""Log: what a sensor recorded, zeroed, with stretches whose mean and slope are told."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from saltus.core.progress import Progress
from saltus.core.series import SeriesError
from saltus.core.statement import stated_in, written_number
from saltus.core.wording import _
from saltus.exchange.log_table import log_of, unused
from saltus.exchange.spreadsheet import read_any_table
from saltus.investigations.table.recording import rows_of_log
from saltus.notebook.edits import logs as edits
from saltus.notebook.edits import trials as trial_edits
from saltus.notebook.logs import Channel, rest_beside_slope, rest_within, stretch_mean, stretch_slope, unit_of
from saltus.notebook.trials import Link
from saltus.ui.desk.sending import link_actions
from saltus.ui.desk.stage import Stage, empty_page, framed
from saltus.ui.kit.choices import chooser, fill, growing
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.widgets import (
    Facts,
    button,
    clear_layout,
    label,
    row,
)
from saltus.ui.log.lanes import LogLanes
from saltus.ui.log.over_film import OverFilmPanel
from saltus.ui.log.points import LogPointsPanel
from saltus.ui.log.recorder import Recorder

if TYPE_CHECKING:
    from saltus.core.progress import Steps
    from saltus.notebook.logs import Log, LogStretch
    from saltus.ui.desk.desk import Desk

LIVE = ("pull-hook", "pull-run", "cord-jump", "spin", "balance")


def _about(sensor: str) -> str:
    """What a simulated sensor records."""
    from saltus.simulate.sensors import SENSORS  # noqa: PLC0415  start-up time

    return SENSORS[sensor].about


class LogStage(Stage):
    """Lanes at the left; the log, its stretches and what they say at the right."""

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._log_id: str | None = None
        self._stretch_id: str | None = None
        self._stack = QStackedWidget()
        self.lanes = LogLanes()
        self._stack.addWidget(self.lanes)
        self._stack.addWidget(self._empty())
        self.beside(framed(self._head(), [self._stack], (16, 12, 16, 8), 8), 312)
        self._build_column()
        self.lanes.stretched.connect(self._stretched)
        self.lanes.chosen.connect(self._choose)
        self.lanes.cursorMoved.connect(lambda _t: self.over_film.show_cursor())
        self.recorder = Recorder(self)
        self.recorder.arrived.connect(self.lanes.show_live)
        self.recorder.grown.connect(self._keep)
        self.recorder.ended.connect(self._recorded)
        self.stop.clicked.connect(self.recorder.stop)
        self.listen()

    # -- built once ----------------------------------------------------------------------------------

    def _head(self) -> QHBoxLayout:
        self.logs = growing(chooser(_("Log"), lambda: self._choose_log(self.logs.currentData()), 8), 300)
        self.logs.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContentsOnFirstShow)
        self.open = button(_("Open a log…"), self.open_log)
        self.record = button(_("Simulated sensor…"), self._record_menu)
        self.stop = button(_("Stop and keep"), lambda: None, "main")
        made = row(label(_("Log"), "title"), self.logs, self.open, self.record, self.stop, stretch=2)
        self.stop.hide()
        return made

    def _empty(self) -> QWidget:
        ways = [
            button(_("Open a log, CSV or XLSX…"), self.open_log, "main"),
            button(_("Record a simulated sensor…"), self._record_menu),
        ]
        words = _(
            "Force, acceleration, angular speed: a table with a column “time [s]” and one for each "
            "signal. Zero it where it was quiet, drag over a steady stretch, and send its mean or "
            "slope into the table of trials."
        )
        return empty_page(_("A log is what a sensor recorded against time"), words, ways, 40)

    def _build_column(self) -> None:
        self._about = label("", "note", wrap=True)
        self._column.addWidget(self._about)
        self._stretch_title = label(_("The stretch"), "heading")
        self._facts = Facts()
        self._warnings = QVBoxLayout()
        self.send = button(_("Send to the table…"), self._send, "main")
        self.zero = button(_("Count this stretch as zero"), self._zero)
        self.remove = button(_("Remove stretch"), self._remove, "link")
        self._column.addWidget(self._stretch_title)
        self._column.addWidget(self._facts)
        self._column.addLayout(self._warnings)
        self._column.addLayout(row(self.send, self.remove, stretch=2))
        self._column.addWidget(self.zero)
        self._signal_title = label(_("The signal"), "heading")
        self.turn = button(_("Reverse its sign"), self._turn)
        self.unzero = button(_("Take the zero back"), self._unzero, "link")
        self._column.addWidget(self._signal_title)
        self._column.addLayout(row(self.turn, self.unzero, stretch=2))
        self.over_film = OverFilmPanel(self._desk, self.lanes)
        self.points = LogPointsPanel(self._desk, self.lanes)
        self._column.addWidget(self.points)
        self._column.addWidget(self.over_film)
        self.fill = button(_("Fill the table from this log"), self._fill)
        self._column.addWidget(self.fill)
        self.drop = button(_("Take the log out of the notebook"), self._drop, "link")
        self._column.addLayout(row(self.drop, stretch=1))
        self._column.addStretch(1)

    # -- what is in hand -----------------------------------------------------------------------------

    @property
    def log(self) -> Log | None:
        """The log in hand."""
        logs = self._desk.notebook.logs
        return self._desk.notebook.log(self._log_id) or (logs[-1] if logs else None)

    @property
    def stretch(self) -> LogStretch | None:
        """The stretch in hand: the chosen one, else the last."""
        log = self.log
        if log is None:
            return None
        return log.stretch(self._stretch_id) or (log.stretches[-1] if log.stretches else None)

    def _choose_log(self, log_id: str) -> None:
        self._log_id, self._stretch_id = log_id, None
        self.refresh()

    def _choose(self, stretch_id: str) -> None:
        self._stretch_id = stretch_id
        self.refresh()

    # -- logs in -------------------------------------------------------------------------------------

    def open_log(self) -> None:
        """Ask for a table and open it as a log."""
        folder = str(self._desk.folder or Path.home())
        kinds = _("Tables (*.csv *.tsv *.txt *.xlsx)")
        name, _kind = QFileDialog.getOpenFileName(self, _("Open a log"), folder, kinds)
        if name:
            self.open_path(Path(name))

    def open_path(self, path: Path) -> None:
        """Read a log in the background and add it."""

        def work() -> Steps[Any]:
            yield Progress(0, 1)
            table = read_any_table(path)
            return *log_of(table), unused(table)

        def join(found) -> None:
            times, channels, left_out = found
            if left_out:
                self._desk.said.emit(" ".join(left_out[:4]), "warn")
            self._add(path.stem.replace("_", " "), times, channels, simulated=False)

        self._desk.run(_("Reading {name}").format(name=path.name), work, join)

    def _add(
        self, name: str, times: tuple[float, ...], channels: tuple[Channel, ...], *, simulated: bool
    ) -> None:
        notebook, log_id = edits.add_log(self._desk.notebook, name, times, channels, simulated=simulated)
        self._log_id, self._stretch_id = log_id, None
        self._desk.edit(_("open a log"), notebook)

    def _record_menu(self) -> None:
        entries = [Entry(_about(name), partial(self.start_recording, name)) for name in LIVE]
        open_under(menu_of(self, entries), self.record if self.record.isVisible() else self)

    def start_recording(self, name: str) -> None:
        """Let a simulated sensor record, at true speed."""
        self._stack.setCurrentIndex(0)
        self._show_running(running=True)
        self.recorder.start(name)

    def _show_running(self, *, running: bool) -> None:
        self.stop.setVisible(running)
        for one in (self.record, self.open, self.logs):
            one.setVisible(not running)

    def _recorded(self, name: str, times: tuple[float, ...], channels: tuple[Channel, ...]) -> None:
        self.lanes.end_live()
        self._show_running(running=False)
        if name:
            self._add(_about(name), times, channels, simulated=True)
        else:
            self._desk.session.keep_for_now(_("record"), self._desk.notebook)
            self.refresh()

    def _keep(self, name: str, times: tuple[float, ...], channels: tuple[Channel, ...]) -> None:
        """Let the journal hold what has come in so far; the log itself comes at the end."""
        notebook, _log_id = edits.add_log(self._desk.notebook, _about(name), times, channels, simulated=True)
        self._desk.session.keep_for_now(_("record"), notebook)

    # -- edits ---------------------------------------------------------------------------------------

    def _stretched(self, channel: str, first: float, last: float) -> None:
        log = self.log
        if log is None:
            return
        notebook, self._stretch_id = edits.add_stretch(self._desk.notebook, log.id, channel, first, last)
        self._desk.edit(_("choose a stretch"), notebook)

    def _zero(self) -> None:
        log, stretch = self.log, self.stretch
        if log is None or stretch is None:
            return
        notebook = edits.change_channel(
            self._desk.notebook, log.id, stretch.channel, zero=(stretch.first, stretch.last)
        )
        notebook = edits.remove_stretch(notebook, log.id, stretch.id)
        self._stretch_id = None
        self._desk.edit(_("zero the sensor"), notebook)

    def _channel(self) -> Channel | None:
        return self.log.channel(self.lanes.channel) if self.log is not None else None

    def _turn(self) -> None:
        log, channel = self.log, self._channel()
        if log is not None and channel is not None:
            made = edits.change_channel(self._desk.notebook, log.id, channel.name, turned=not channel.turned)
            self._desk.edit(_("reverse the sign"), made)

    def _unzero(self) -> None:
        log, channel = self.log, self._channel()
        if log is not None and channel is not None:
            made = edits.change_channel(self._desk.notebook, log.id, channel.name, zero=None)
            self._desk.edit(_("take the zero back"), made)

    def _remove(self) -> None:
        log, stretch = self.log, self.stretch
        if log is not None and stretch is not None:
            made = edits.remove_stretch(self._desk.notebook, log.id, stretch.id)
            self._desk.edit(_("remove a stretch"), made)

    def _drop(self) -> None:
        if self.log is not None:
            self._desk.edit(_("take a log out"), edits.remove_log(self._desk.notebook, self.log.id))

    def _send(self) -> None:
        open_under(menu_of(self, self.sendings()), self.send)

    def sendings(self) -> list[Entry]:
        """Words and actions for what the stretch in hand can be sent as."""
        log, stretch = self.log, self.stretch
        if log is None or stretch is None or self._desk.notebook.trials is None:
            return []
        out: list[Entry] = []
        for part, words, work in (
            ("mean", _("mean"), stretch_mean),
            ("slope", _("slope"), stretch_slope),
        ):
            try:
                found = work(log, stretch).value
            except SeriesError:
                continue
            if found is not None:
                link = Link(kind="log", source=log.id, place=stretch.id, part=part)
                out += link_actions(self._desk, link, found, words)
        return out

    def _fillable(self) -> tuple[str, str] | None:
        """Columns of time and signal of the investigation, where it is of a record."""
        from saltus.investigations.engine.evaluation import evaluate  # noqa: PLC0415  asked for here only

        evaluation = evaluate(self._desk.notebook)
        log = self.log
        if evaluation is None or log is None or not evaluation.recipe.record:
            return None
        value = evaluation.recipe.record["value"]
        wanted = evaluation.recipe.columns[value].unit
        channel = next((c for c in log.channels if unit_of(c)[1].goes_with(wanted)), None)
        return (channel.name, value) if channel is not None else None

    def _fill(self) -> None:
        found, log = self._fillable(), self.log
        if found is None or log is None:
            return
        notebook, _made = trial_edits.add_trials(
            trial_edits.change_table(self._desk.notebook, trials=(), simulated=log.simulated),
            rows_of_log(log, found[0], found[1]),
        )
        self._desk.edit(_("fill the table from a log"), notebook)
        self._desk.said.emit(_("The table of trials holds the log now."), "note")

    # -- showing -------------------------------------------------------------------------------------

    def hideEvent(self, event: object) -> None:
        self.recorder.stop()

    def show_now(self) -> None:
        """Show the log as it is."""
        if self.recorder.running:
            return
        notebook, log, stretch = self._desk.notebook, self.log, self.stretch
        self._stack.setCurrentIndex(0 if log is not None else 1)
        fill(self.logs, [(one.name, one.id) for one in notebook.logs])
        for one in (self.logs, self.open, self.record):
            one.setVisible(log is not None)
        self._show_column(log, stretch)
        if log is None:
            self.next.say(_("Open a log, or let a simulated sensor record one."))
            self.lanes.show_log(None, None, None)
            return
        self.logs.setCurrentIndex(self.logs.findData(log.id))
        take = notebook.take(log.take)
        self.lanes.show_log(log, take, stretch.id if stretch is not None else None)
        self.over_film.show_log(log)
        self.points.show_log(log)
        self.next.say(self._next_step(log, stretch))

    def _show_column(self, log: Log | None, stretch: LogStretch | None) -> None:
        for of_stretch in (self._stretch_title, self._facts, self.send, self.zero, self.remove):
            of_stretch.setVisible(log is not None and stretch is not None)
        for one in (self._signal_title, self.turn, self.points, self.over_film, self.drop, self._about):
            one.setVisible(log is not None)
        channel = self._channel()
        self.unzero.setVisible(channel is not None and channel.zero is not None)
        self.fill.setVisible(self._fillable() is not None)
        clear_layout(self._warnings)
        if log is None:
            return
        span = log.times[-1] - log.times[0] if log.times else 0.0
        words = _("{n} values over {span:.3g} s").format(n=len(log.times), span=span)
        self._about.setText(words + (_(", simulated: not a measurement") if log.simulated else ""))
        if stretch is not None:
            self._show_stretch(log, stretch)
            self.send.setVisible(bool(self.sendings()))

    def _show_stretch(self, log: Log, stretch: LogStretch) -> None:
        rows = [
            (_("Signal"), stretch.channel),
            (_("From, to"), f"{stretch.first:.3f} s, {stretch.last:.3f} s".replace("-", "\u2212")),
        ]
        try:
            mean, slope = stretch_mean(log, stretch), stretch_slope(log, stretch)
        except SeriesError as error:
            self._facts.show_rows(rows)
            self._warnings.addWidget(MarkLabel("look", str(error), quiet=True))
            return
        channel = log.channel(stretch.channel)
        factor = unit_of(channel)[0] if channel is not None else 1.0
        unit = channel.unit if channel is not None else ""
        for words, found, tail in ((_("Mean, 95 %"), mean, ""), (_("Slope, 95 %"), slope, "/s")):
            q = found.value
            told = stated_in(float(q) / factor, q.U95 / factor, f"{unit}{tail}") if q is not None else ""
            rows.append((words, told or _("not yet")))
        if mean.sd is not None and mean.value is not None:
            rows.append((_("Standard deviation"), f"{written_number(mean.sd, 2)} {mean.value.unit.text}"))
        if mean.effective_n is not None:
            rows.append((_("Values, independent ones"), f"{mean.n}, {mean.effective_n:.0f}"))
        self._facts.show_rows(rows)
        at = rest_within(log, stretch)
        if at is not None:
            words = _("The record changes at {t:.3g} s: a phase at rest may be in this mean.").format(t=at)
            self._warnings.addWidget(MarkLabel("look", words, quiet=True))
        meet = rest_beside_slope(log, stretch)
        if meet is not None:
            words = _("At {t:.3g} s rest and motion meet: the slope holds both.").format(t=meet)
            self._warnings.addWidget(MarkLabel("look", words, quiet=True))

    def _next_step(self, log: Log, stretch: LogStretch | None) -> str:
        if stretch is None and not any(c.zero for c in log.channels):
            return _("Drag over a quiet stretch first and count it as zero, then over the steady one.")
        if stretch is None:
            return _("Drag over a steady stretch: its mean and slope appear here.")
        if self._desk.notebook.trials is None:
            return _("Choose an investigation on Trials to send mean or slope into its table.")
        return _("Send the mean or the slope into the table of trials.")
