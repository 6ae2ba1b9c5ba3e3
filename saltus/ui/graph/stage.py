"""Graph: what is plotted against what, and what the line says."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from saltus.core.lines.straight import Line
from saltus.core.wording import _
from saltus.exchange.graph import Lines, graph_of
from saltus.exchange.pictured import picture_of
from saltus.exchange.span import span_of
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.view.comparisons import verdicts
from saltus.investigations.view.naming import formula_words, shown_unit, title_of
from saltus.investigations.view.next_step import next_on_graph
from saltus.investigations.view.plots import (
    axes_of,
    base_column,
    choices,
    plotted,
    straightest,
)
from saltus.investigations.view.table_view import table_columns
from saltus.investigations.view.verdicts import (
    drawn_words,
    first_result,
    further_results,
    line_rows,
    line_sentences,
    meaning,
)
from saltus.notebook.edits import trials as edits
from saltus.notebook.trials import DrawnLine, Plot
from saltus.ui.desk.stage import Stage, framed
from saltus.ui.graph.against import AgainstDialog
from saltus.ui.graph.bells import Bells
from saltus.ui.graph.left import LeftResults
from saltus.ui.graph.read_off import ReadOff
from saltus.ui.graph.statement import StatementPanel
from saltus.ui.graph.view import GraphView
from saltus.ui.kit.choices import chooser, fill, growing, tick
from saltus.ui.kit.formula_label import FormulaLabel
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.span_view import SpanView
from saltus.ui.kit.widgets import (
    Card,
    CheckLine,
    Facts,
    Group,
    button,
    clear_layout,
    label,
    row,
)

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.plots import Plotted
    from saltus.ui.desk.desk import Desk

MOST_VERDICTS = 6


class GraphStage(Stage):
    """Chooser and graph at the left; line, result, comparisons and conventions at the right."""

    wanted = pyqtSignal(str)

    follows_place = False

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.view = GraphView()
        self.view.cornersMoved.connect(self._drag)
        self._caption = label("", "note", wrap=True)
        self.beside(framed(self._chooser(), [self.view, self._caption], (16, 10, 16, 8), 8), 334)
        self._build_column()
        self.listen()

    # -- built once ----------------------------------------------------------------------------------

    def _chooser(self) -> QHBoxLayout:
        self.axis_y = chooser(_("Upright axis"), self._choose, 5)
        self.axis_x = chooser(_("Level axis"), self._choose, 5)
        self.expect = chooser(_("Model of the line"), self._choose, 5)
        self.by = chooser(_("Series by"), self._choose, 5)
        for box in (self.axis_y, self.axis_x, self.expect, self.by):
            growing(box, 170).setPlaceholderText(_("choose…"))
        models = [
            (_("a line"), "line"), (_("a line through zero"), "proportional"), (_("a parabola"), "quadratic"),
        ]  # fmt: skip
        fill(self.expect, models)
        made = row(_("Plot"), self.axis_y, _("against"), self.axis_x)
        for part in (label(_("Expect")), self.expect):
            made.addWidget(part)
        made.addStretch(1)
        self.own = button(_("Back to its own plot"), self._back_to_own, "link")
        return made

    def _build_column(self) -> None:
        self._column.addLayout(row(label(_("What the line says"), "title"), self.own, stretch=1))
        card = Card(padding=10, gap=4)
        self._line = Facts()
        self._sentences = QVBoxLayout()
        self._sentences.setSpacing(2)
        self._meaning = FormulaLabel()
        self._result = label("", "", wrap=True)
        self._result.setStyleSheet(sized("font-size: 20px; font-weight: 600"))
        self._hand = label("", "note", wrap=True)
        card.add(self._line)
        card.column.addLayout(self._sentences)
        self._span = SpanView()
        card.add(self._meaning, self._result, self._span, self._hand)
        self.left = LeftResults(self._desk)
        card.add(self.left)
        self._column.addWidget(card)
        self._told = QVBoxLayout()
        self._column.addLayout(self._told)
        self._compared_title = label(_("Does it agree?"), "heading")
        self._compared = QVBoxLayout()
        self.against = button(_("Compare with…"), self._hold_against, "link")
        self._column.addLayout(row(self._compared_title, self.against, stretch=1))
        self._column.addLayout(self._compared)
        self._build_lines()
        self.statement = StatementPanel(self._desk)
        self._column.addWidget(self.statement)
        self._column.addStretch(1)

    def _build_lines(self) -> None:
        self._of_line = Group()
        part = self._of_line.column
        part.addWidget(label(_("Lines on the graph"), "heading"))
        line = row(label(_("Series by")), self.by)
        line.setStretch(1, 1)
        part.addLayout(line)
        self.band = CheckLine(_("95 % band of the line"))
        self.extremes = CheckLine(_("Steepest and shallowest (below)"))
        self.other = CheckLine(_("Line forced through zero"))
        self.hand = CheckLine(_("A line drawn by hand, with its triangle"))
        self.band.box.setChecked(True)
        for one in (self.band, self.extremes, self.other):
            one.box.toggled.connect(lambda _on: self.refresh())
            part.addWidget(one)
        self.hand.box.toggled.connect(self._draw_by_hand)
        part.addWidget(self.hand)
        self.read_off = ReadOff()
        self.read_off.changed.connect(self.refresh)
        part.addWidget(self.read_off)
        self._column.addWidget(self._of_line)
        self._straight_title = label(_("Which plot is straight?"), "heading")
        self._straight = QVBoxLayout()
        self._straight.setSpacing(0)
        self._column.addWidget(self._straight_title)
        self._column.addLayout(self._straight)

    # -- edits ---------------------------------------------------------------------------------------

    def _choose(self) -> None:
        x, y = self.axis_x.currentData(), self.axis_y.currentData()
        if not x or not y:
            return
        by = self.by.currentData() or None
        self._set_plot(Plot(x=x, y=y, model=self.expect.currentData(), by=by))

    def _set_plot(self, plot: Plot | None) -> None:
        notebook = edits.change_table(self._desk.notebook, plot=plot)
        self._desk.edit(_("choose what is plotted"), notebook)

    def _back_to_own(self) -> None:
        self._set_plot(None)

    def _draw_by_hand(self, on: bool) -> None:
        evaluation = evaluate(self._desk.notebook)
        if evaluation is None or on == self._drawn_here(evaluation):
            return
        drawn = self._first_corners(evaluation) if on else None
        if on and drawn is None:
            self.hand.box.setChecked(False)
            return
        self._desk.edit(
            _("draw a line by hand") if on else _("take the drawn line away"),
            edits.change_table(self._desk.notebook, drawn=drawn),
        )

    def _first_corners(self, evaluation: Evaluation) -> DrawnLine | None:
        """Corners on the first and last point: to be dragged to where the eye puts the line."""
        plot = plotted(evaluation)
        fit = plot.fit
        if not isinstance(fit, Line):
            return None
        first, last = int(np.argmin(fit.x.value)), int(np.argmax(fit.x.value))
        corners = tuple((float(fit.x.value[i]), float(fit.y.value[i])) for i in (first, last))
        return DrawnLine(x=plot.x, y=plot.y, corners=corners)

    def _drawn_here(self, evaluation: Evaluation) -> bool:
        drawn, plot = evaluation.table.drawn, plotted(evaluation)
        return drawn is not None and (drawn.x, drawn.y) == (plot.x, plot.y)

    def _drag(self, corners: object, over: bool) -> None:
        evaluation = evaluate(self._desk.notebook)
        if evaluation is None or evaluation.table.drawn is None:
            return
        moved = evaluation.table.drawn.but(corners=corners)
        if over:
            notebook = edits.change_table(self._desk.notebook, drawn=moved)
            self._desk.edit(_("move the drawn line"), notebook)
            return
        # while it is dragged only the picture follows; the edit comes with the release
        plot = plotted(evaluation)
        self.view.show_graph(
            graph_of(evaluation, plot, self._lines(), moved, self.read_off.place(evaluation, plot)),
            "",
            moved.corners,
        )

    def _hold_against(self) -> None:
        AgainstDialog(self, self._desk).exec()

    def _hold_no_more(self, name: str) -> None:
        self._desk.edit(_("compare no more"), edits.hold_no_more(self._desk.notebook, name))

    # -- showing -------------------------------------------------------------------------------------

    def _lines(self) -> Lines:
        boxes = (self.band.box, self.extremes.box, self.other.box)
        return Lines(*(box.isChecked() for box in boxes))

    def show_now(self) -> None:
        """Show the graph as it is."""
        evaluation = evaluate(self._desk.notebook)
        for box in (self.axis_x, self.axis_y, self.expect, self.by):
            box.setEnabled(evaluation is not None)
        if evaluation is None:
            self.view.show_graph(None, _("The graph draws itself from a table of trials."), None)
            self.own.setVisible(False)
            self.next.say(_("Choose an investigation on the Trials stage: it brings table and graph."))
            self._show_nothing()
            return
        plot = plotted(evaluation)
        self._show_chooser(evaluation)
        corners = (
            evaluation.table.drawn.corners
            if self._drawn_here(evaluation) and evaluation.table.drawn
            else None
        )
        graph = graph_of(
            evaluation, plot, self._lines(), evaluation.table.drawn, self.read_off.place(evaluation, plot)
        )
        pictured = picture_of(evaluation) if graph is None else None
        graph = pictured[0] if pictured is not None else graph
        self._caption.setText(pictured[1] if pictured is not None else "")
        self._caption.setVisible(pictured is not None)
        words = plot.trouble or _("Nothing to draw yet.")
        if not evaluation.rows and plot.x:
            words = _("{y} against {x} will stand here: two levels make a line, five one to trust.").format(
                y=formula_words(evaluation, plot.y), x=formula_words(evaluation, plot.x)
            )
        self._of_line.setVisible(bool(plot.x))
        self.view.show_graph(graph, words, corners)
        self._show_line(evaluation, plot)
        self._show_compared(evaluation)
        self._show_straight(evaluation, plot)
        self.statement.show_results(evaluation)
        self.next.say(next_on_graph(evaluation, drawn=graph is not None))

    def _show_nothing(self) -> None:
        self._line.show_rows(())
        self.statement.show_results(None)
        for layout in (self._sentences, self._told, self._compared, self._straight):
            clear_layout(layout)
        self._meaning.show_formula(None)
        self._span.show_span(None)
        for words in (self._result, self._hand):
            words.setText("")
        for title in (self._compared_title, self._straight_title):
            title.setVisible(False)

    def _show_chooser(self, evaluation: Evaluation) -> None:
        offered = choices(evaluation)
        axes = axes_of(evaluation)
        for box, at in ((self.axis_x, 0), (self.axis_y, 1)):
            fill(box, [(words, text) for text, words in offered])
            box.setCurrentIndex(box.findData(axes[at]) if axes is not None else -1)
        self.expect.setCurrentIndex(max(self.expect.findData(axes[2] if axes is not None else "line"), 0))
        names = [(c.title, c.name) for c in table_columns(evaluation) if c.role in ("text", "level")]
        fill(self.by, [(_("all in one"), ""), *names])
        plot = evaluation.table.plot
        self.by.setCurrentIndex(max(self.by.findData(plot.by or "" if plot is not None else ""), 0))
        self.own.setVisible(
            plot is not None and bool(evaluation.recipe.fits) and evaluation.table.investigation != "free"
        )

    def _show_line(self, evaluation: Evaluation, plot: Plotted) -> None:
        fit = plot.fit
        rows = further_results(evaluation) or line_rows(evaluation, fit)
        self._line.show_rows(rows)
        clear_layout(self._sentences)
        if len(plot.series) < 2:
            for mark, words in line_sentences(evaluation, fit):
                self._sentences.addWidget(MarkLabel(mark, words, quiet=True))
        found = evaluation.headline
        self._meaning.show_formula(meaning(evaluation, found[0]) if found is not None else None)
        mine = first_result(evaluation)
        self._result.setText(f"{mine[0]} = {mine[1]}" if mine is not None else _("No result yet"))
        self._span.show_span(span_of(evaluation))
        self.left.show_left(evaluation)
        words = drawn_words(evaluation, fit)
        self._hand.setText(words)
        self._hand.setVisible(bool(words))
        tick(self.hand.box, self._drawn_here(evaluation))
        self.hand.setEnabled(isinstance(fit, Line))
        through = isinstance(fit, Line) and fit.through_origin
        self.other.say(_("Line with a free intercept") if through else _("Line forced through zero"))
        clear_layout(self._told)
        told = [
            *slips_of(evaluation),
            *(evaluation.outcome.warnings if evaluation.outcome is not None else ()),
        ]
        for one in told[:4]:
            self._told.addWidget(MarkLabel("look", one.text, quiet=True))
        self.read_off.show_read(evaluation, plot)

    def _show_compared(self, evaluation: Evaluation) -> None:
        clear_layout(self._compared)
        found = verdicts(evaluation)
        self._compared_title.setVisible(bool(found))
        self.against.setVisible(evaluation.outcome is not None)
        held = {a.name for a in evaluation.table.against}
        for verdict in found[:MOST_VERDICTS]:
            card = Card(padding=8, gap=2)
            card.add(Bells(verdict.value, verdict.against, (verdict.of, verdict.other), verdict.unit))
            words = label(verdict.sentence, "", wrap=True)
            words.setStyleSheet("font-weight: 600")
            card.add(words, label(verdict.further, "note", wrap=True))
            if verdict.other in held:
                no_more = button(_("Compare no more"), partial(self._hold_no_more, verdict.other), "link")
                card.column.addLayout(row(no_more, stretch=1))
            self._compared.addWidget(card)

    def _show_straight(self, evaluation: Evaluation, plot: Plotted) -> None:
        clear_layout(self._straight)
        x, y = base_column(plot.x), base_column(plot.y)
        found = straightest(evaluation, x, y) if x and y and x != y else []
        self._straight_title.setVisible(bool(found))
        for one in found[:4]:
            rms = shown_unit(evaluation, y, evaluation.columns[y].unit).u(one.rms)
            words = _("{words}: rest {rms}").format(words=one.words, rms=rms)
            wanted = Plot(x=one.x, y=one.y, model="line")
            link = button(words, partial(self._set_plot, wanted), "name")
            link.setToolTip(plain(_("Plot {words}; the rest is the rms residual, in {name}").format(
                words=one.words, name=title_of(evaluation, y))))  # fmt: skip
            self._straight.addWidget(link)
