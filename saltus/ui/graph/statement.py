"""How results are stated: what ± means, where the ± of a slope comes from, and what others would say."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _
from saltus.investigations.view.verdicts import result_rows, schools
from saltus.notebook.edits import trials as edits
from saltus.ui.kit.choices import chooser, fill, tick
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import CheckLine, Facts, Group, button, label, row

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.ui.desk.desk import Desk


class StatementPanel(Group):
    """The conventions of the table, every result under them, and all schools next to each other."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._evaluation: Evaluation | None = None
        self._schools_open = False
        self.column.addWidget(label(_("How results are stated"), "heading"))
        self.convention = chooser(_("What ± means"), self._state)
        self.slope_u = chooser(_("Where the uncertainty of a slope comes from"), self._state)
        of_results = [
            (_("± is the 95 % uncertainty"), "standard"),
            (_("± is half the range, added in full"), "half-range"),
            (_("± is the standard uncertainty u"), "school"),
        ]
        of_slopes = [
            (_("slope ± from the fit"), "fit"),
            (_("slope ± from steepest and shallowest"), "steepest"),
            (_("slope ± from the scatter"), "scatter"),
        ]
        for box, entries in ((self.convention, of_results), (self.slope_u, of_slopes)):
            box.setMinimumWidth(scaled(120))
            fill(box, entries)
            self.column.addWidget(box)
        self.si = CheckLine(_("SI units only"))
        self.si.box.toggled.connect(self._use_si)
        self.column.addWidget(self.si)
        self.compare_schools = button(_("All schools next to each other"), self._toggle_schools, "link")
        self.column.addLayout(row(self.compare_schools, stretch=1))
        self._schools = Facts()
        self.column.addWidget(self._schools)
        self._all_title = label(_("All results"), "heading")
        self._all = Facts()
        self.column.addWidget(self._all_title)
        self.column.addWidget(self._all)

    def _state(self) -> None:
        notebook = edits.change_table(
            self._desk.notebook,
            convention=self.convention.currentData(),
            slope_u=self.slope_u.currentData(),
        )
        self._desk.edit(_("choose how results are stated"), notebook)

    def _use_si(self, on: bool) -> None:
        table = self._desk.notebook.trials
        if table is not None and table.si != on:
            notebook = edits.change_table(self._desk.notebook, si=on)
            self._desk.edit(_("choose the units of results"), notebook)

    def _toggle_schools(self) -> None:
        self._schools_open = not self._schools_open
        self.show_results(self._evaluation)

    def show_results(self, evaluation: Evaluation | None) -> None:
        """Show the results of a table; None shows none."""
        self._evaluation = evaluation
        rows = result_rows(evaluation) if evaluation is not None else []
        self._schools.show_rows(schools(evaluation) if evaluation is not None and self._schools_open else ())
        self._all.show_rows(rows)
        self._all_title.setVisible(bool(rows))
        if evaluation is not None:
            self.convention.setCurrentIndex(self.convention.findData(evaluation.table.convention))
            self.slope_u.setCurrentIndex(self.slope_u.findData(evaluation.table.slope_u))
            tick(self.si.box, evaluation.table.si)
            self.slope_u.setVisible(bool(evaluation.recipe.fits))
            self._schools.setVisible(self._schools_open)
