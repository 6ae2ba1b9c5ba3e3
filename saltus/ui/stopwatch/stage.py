"""Stopwatch: live trials timed by hand, each into the table with what became of it."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QCheckBox,
    QComboBox,
    QInputDialog,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from saltus.core.clock.stopwatch import Watch
from saltus.core.wording import _, plural
from saltus.exchange.timing_words import quantity_words
from saltus.investigations.engine.evaluation import evaluate
from saltus.investigations.table import runs
from saltus.notebook.derived.times import hand_named
from saltus.notebook.edits import trials as edits
from saltus.ui.desk.stage import Stage, framed
from saltus.ui.kit.choices import chooser, fill
from saltus.ui.kit.key_codes import letter_of
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.widgets import Card, Stepper, button, label, row, yielding
from saltus.ui.stopwatch.digits import Digits
from saltus.ui.stopwatch.hand_panel import HandPanel
from saltus.ui.stopwatch.runs import RunList

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk

TICK_MS, SECOND_MS, COUNT_FROM = 33, 1000, 3
KEYS = (Qt.Key.Key_Space, Qt.Key.Key_F, Qt.Key.Key_L, Qt.Key.Key_Escape)


class StopwatchStage(Stage):
    """The watch, the runs of the level in hand, and the hand that presses.

    Keys are taken before anything else sees them: the time is that of the press, not of the drawing.
    """

    backWanted = pyqtSignal()

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.clock: Callable[[], float] = time.perf_counter
        self.watch = Watch(10)
        self._level: dict[str, str] = {}
        self._trial: str | None = None
        self._last: str | None = None
        parts = (self._head(), [self._watch_card(), self._run_card()])
        self.beside(framed(*parts, (16, 12, 16, 12), 12, "desk"), 320)
        self._build_column()
        # a click leaves Space to the watch; who comes by Tab means the control
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        for one in (*self.findChildren(QAbstractButton), *self.findChildren(QComboBox)):
            one.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._tick = QTimer(self)
        self._tick.setInterval(TICK_MS)
        self._tick.timeout.connect(self._show_now)
        self._countdown = QTimer(self)
        self._countdown.setInterval(SECOND_MS)
        self._countdown.timeout.connect(self._count_down)
        self.listen()

    # -- built once ----------------------------------------------------------------------------------

    def _head(self) -> QVBoxLayout:
        self._where = yielding("", "note")
        self._planned = Stepper(_("Cycles to time"), 1, 1000)
        self._planned.show_value(self.watch.planned)
        self._planned.stepped.connect(self._plan)
        self._column_box = chooser(_("Column that takes the time"))
        self._column_box.setMinimumContentsLength(8)
        self._column_box.activated.connect(lambda _i: self.refresh())
        head = row(
            label(_("Stopwatch"), "title"), self._where,
            button(_("Back to the table"), self.backWanted.emit, "link"), self._column_box,
            label(_("cycles"), "note"), self._planned,
        )  # fmt: skip
        head.setStretch(1, 1)
        out = QVBoxLayout()
        out.addLayout(head)
        return out

    def _watch_card(self) -> Card:
        card = Card(padding=6, gap=4)
        self.digits = Digits(self.watch)
        card.add(self.digits)
        self.press_button = button(_("Space"), lambda: self.press(self.clock()), "main")
        self.press_button.setMinimumWidth(110)
        self._press_words = yielding("")
        self.failed_button = button("F", self.fail)
        self.late_button = button("L", self.late)
        self.again_button = button(_("Esc"), self.start_again)
        keys = row(
            self.press_button, self._press_words, self.failed_button, yielding(_("failed")),
            self.late_button, yielding(_("pressed late")), self.again_button, yielding(_("again")),
        )  # fmt: skip
        for place, share in ((1, 8), (3, 4), (5, 6), (7, 4)):
            keys.setStretch(place, share)
        keys.setContentsMargins(12, 0, 12, 8)
        card.column.addLayout(keys)
        return card

    def _run_card(self) -> QWidget:
        card = Card(padding=10)
        self._runs_title = label("", "heading")
        self._runs_words = yielding(_("dots: seconds from the mean; shaded: this hand alone, 95 %"), "note")
        self._runs_count = label("", "note")
        line = row(self._runs_title, self._runs_words, self._runs_count)
        line.setStretch(1, 1)
        card.column.addLayout(line)
        self.runs = RunList()
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.addWidget(self.runs)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inner)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inner.setStyleSheet("background: transparent")
        self._area = area
        card.column.addWidget(area, 1)
        return card

    def _build_column(self) -> None:
        self.hand = HandPanel(self._desk)
        self.hand.judgedOtherwise.connect(self.refresh)
        self._column.addWidget(self.hand)
        self.count_down = QCheckBox(_("Count down from three, then start"))
        self.hide_digits = QCheckBox(_("Hide the digits while it runs"))
        self.hide_digits.toggled.connect(lambda _on: self._show_now())
        self._column.addWidget(self.count_down)
        self._column.addWidget(self.hide_digits)
        self._column.addStretch(1)

    # -- keys ----------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        application = QApplication.instance()
        assert application is not None
        application.installEventFilter(self)
        self.setFocus()
        self.refresh()

    def hideEvent(self, event: object) -> None:
        application = QApplication.instance()
        assert application is not None
        application.removeEventFilter(self)
        if self.watch.state == "running":
            self.start_again()
        self._countdown.stop()
        self.digits.countdown = 0

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        """Take the keys of the watch wherever the focus is, but not while text is typed."""
        now = self.clock()
        wanted = (QEvent.Type.KeyPress, QEvent.Type.ShortcutOverride)
        if not isinstance(event, QKeyEvent) or event.type() not in wanted:
            return False
        if QApplication.activeModalWidget() is not None or QApplication.activePopupWidget() is not None:
            return False
        key = letter_of(event)
        if self.watch.state != "running" and self._for_another(key):
            return False
        other = bool(event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier) or key not in KEYS
        if event.type() == QEvent.Type.ShortcutOverride:
            # accepted, it is no shortcut of the window; then it comes as a key
            ours = not other or self.watch.state == "running"
            event.setAccepted(ours)
            return ours
        if other:
            # while it runs nothing else reacts
            return self.watch.state == "running"
        if not event.isAutoRepeat():
            acts = {Qt.Key.Key_F: self.fail, Qt.Key.Key_L: self.late, Qt.Key.Key_Escape: self.start_again}
            if key == Qt.Key.Key_Space:
                self.press(now)
            else:
                acts[Qt.Key(key)]()
        return True

    def _for_another(self, key: int) -> bool:
        """Whether a key is for what has the focus: text that is typed, or a control reached by Tab."""
        focus = QApplication.focusWidget()
        if isinstance(focus, QLineEdit):
            return True
        reached = isinstance(focus, (QAbstractButton, QComboBox)) and focus is not self.press_button
        return reached and key == Qt.Key.Key_Space and self.isAncestorOf(focus)

    # -- runs ----------------------------------------------------------------------------------------

    def press(self, now: float) -> None:
        """Take a press at a moment of the clock, s: start, pass, stop."""
        if self._evaluated() is None or not self._column_name():
            self._desk.said.emit(_("Choose an investigation with a column for times first."), "note")
            return
        if self._countdown.isActive():
            return
        if self.watch.state == "stopped":
            self.watch.again()
        if self.watch.state == "ready" and self.count_down.isChecked():
            self.digits.countdown = COUNT_FROM
            QApplication.beep()
            self._countdown.start()
            self._show_now()
            return
        self.watch.press(now)
        if self.watch.state == "stopped":
            self._tick.stop()
            self._keep("kept", "", self.watch.elapsed(now))
        elif not self._tick.isActive():
            self._tick.start()
        self._show_now()

    def _count_down(self) -> None:
        self.digits.countdown -= 1
        QApplication.beep()
        if self.digits.countdown == 0:
            self._countdown.stop()
            self.watch.press(self.clock())
            self._tick.start()
        self._show_now()

    def fail(self) -> None:
        """The run did not work: it is written down with what was seen, without a time."""
        if self.watch.state == "stopped" and self._last is not None:
            reason = self._ask(_("What was seen?"))
            if reason:
                self._mark("failed", reason)
            return
        self._tick.stop()
        self.watch.again()
        reason = self._ask(_("What was seen?")) or _("no reason given")
        self._keep("failed", reason, None)

    def late(self) -> None:
        """The last press came late: the run is set aside, its time stays readable."""
        if self.watch.state == "stopped" and self._last is not None:
            self._mark("set-aside", _("pressed late"))
        elif self.watch.state == "running" and self.watch.count:
            self._tick.stop()
            shown = self.watch.passes[-1] - self.watch.passes[0]
            cycles = self.watch.count
            self.watch.again()
            self._keep("set-aside", _("pressed late"), shown, cycles)

    def start_again(self) -> None:
        """Begin anew; a run that was under way is kept as failed."""
        self._countdown.stop()
        self.digits.countdown = 0
        self.setFocus()
        running = self.watch.state == "running"
        self._tick.stop()
        self.watch.again()
        if running:
            self._keep("failed", _("started again"), None)
        self._show_now()

    def _ask(self, question: str) -> str:
        table = self._desk.notebook.trials
        known = [_("did not start"), _("touched something"), _("lost count")]
        known += [t.reason for t in table.trials if t.status == "failed" and t.reason] if table else []
        text, done = QInputDialog.getItem(
            self, _("This run failed"), question, list(dict.fromkeys(known)), 0, True
        )
        return " ".join(text.split())[:1000] if done else ""

    def _keep(self, status: str, reason: str, shown_s: float | None, cycles: int | None = None) -> None:
        evaluation, column = self._evaluated(), self._column_name()
        if evaluation is None or not column:
            return
        notebook, self._last = runs.with_run(
            self._desk.notebook, evaluation, column, self._level, shown_s=shown_s, judged=self.hand.judged(),
            cycles=cycles or self.watch.planned, status=status, reason=reason,
        )  # fmt: skip
        self._desk.edit(_("time a run"), notebook)

    def _mark(self, status: str, reason: str) -> None:
        assert self._last is not None
        made = edits.change_trial(self._desk.notebook, self._last, status=status, reason=reason)
        self._desk.edit(_("say what became of a run"), made)
        self._last = None

    # -- what is set ---------------------------------------------------------------------------------

    def take_level_of(self, trial_id: str | None) -> None:
        """Time runs at the level of a trial."""
        self._trial = trial_id
        evaluation = self._evaluated()
        self._level = runs.level_cells(evaluation, trial_id) if evaluation is not None else {}
        column = evaluation.recipe.columns.get(runs.CYCLES) if evaluation is not None else None
        if column is None and self.watch.planned == 10:
            self._plan(1)
        self.refresh()

    def _plan(self, count: int) -> None:
        if self.watch.state != "running":
            self.watch.again()
            self.watch.planned = count
        self._planned.show_value(self.watch.planned)
        if isinstance(QApplication.focusWidget(), QLineEdit):
            self.setFocus()
        self.refresh()

    def _evaluated(self) -> Evaluation | None:
        return evaluate(self._desk.notebook)

    def _column_name(self) -> str:
        return str(self._column_box.currentData() or "")

    # -- showing -------------------------------------------------------------------------------------

    def show_now(self) -> None:
        """Show the runs and the hand as they are."""
        evaluation = self._evaluated()
        self._fill_columns(evaluation)
        column = self._column_name()
        notebook = self._desk.notebook
        hand_id = runs.hand_of_column(notebook, column) if column else ""
        self.hand.show_hand(column, hand_id)
        one = runs.run_time(notebook, hand_id, self.hand.judged(), self.watch.elapsed(self.clock()) or 1.0)
        hand = hand_named(notebook.hands, hand_id)
        self.digits.U_pass, self.digits.U_run = hand.U95, one.U95
        made = runs.runs_at(evaluation, self._level, column) if evaluation is not None and column else []
        self.runs.show_runs(made, one, self.watch.planned)
        bar = self._area.verticalScrollBar()
        if bar is not None:
            QTimer.singleShot(0, lambda: bar.setValue(bar.maximum()))
        where = runs.level_words(evaluation, self._level) if evaluation is not None else ""
        cycles = plural("{n} cycle", "{n} cycles", self.watch.planned)
        here = (cycles, where, _("run {n}").format(n=len(made) + 1))
        self._where.setText(" · ".join(part for part in here if part))
        self._where.setToolTip(plain(self._where.text()))
        self._runs_title.setText(_("Runs at {level}").format(level=where) if where else _("Runs"))
        kept = sum(r.status == "kept" for r in made)
        self._runs_count.setText(_("{n} of {all} kept").format(n=kept, all=len(made)) if made else "")
        self._show_now()

    def _fill_columns(self, evaluation: Evaluation | None) -> None:
        wanted = [(c.title, c.name) for c in runs.time_columns(evaluation)] if evaluation is not None else []
        fill(self._column_box, wanted)
        self._column_box.setVisible(bool(wanted))

    def _show_now(self) -> None:
        watch = self.watch
        self.digits.now = self.clock()
        self.digits.hidden_digits = self.hide_digits.isChecked()
        self.digits.update()
        running = watch.state == "running"
        self._planned.setEnabled(not running)
        self.late_button.setEnabled(watch.state == "stopped" or (running and watch.count > 0))
        stop = _("each pass; stops by itself at {n}").format(n=watch.planned)
        words = {"ready": _("starts at zero"), "running": stop, "stopped": _("next run, from zero")}
        if running and watch.planned == 1:
            words["running"] = _("stops")
        self._press_words.setText(words[watch.state])
        self.next.say(self._next_words())

    def _next_words(self) -> str:
        if self._evaluated() is None:
            return _("Choose an investigation first, on Trials.")
        if not self._column_name():
            return _("This table has no column for times: add one on Trials, with the unit s.")
        if self.watch.state == "running":
            left = self.watch.planned - self.watch.count
            return plural(
                "Counting began at zero: {n} more pass.", "Counting began at zero: {n} more passes.", left
            )
        if self.watch.state == "stopped":
            q = runs.run_time(
                self._desk.notebook, self.hand.hand_id(), self.hand.judged(),
                self.watch.elapsed(self.clock()),
            )  # fmt: skip
            return _("{time} is in the table. Space starts the next run; L or F if it was no good.").format(
                time=quantity_words(q)
            )
        if not self._desk.notebook.hands:
            return _("Measure your hand first: until then 0.1 s is assumed for each press.")
        return _("Let it swing a few times, then press Space on a clear pass: that is zero.")
