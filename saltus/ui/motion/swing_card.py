"""The card of a swing: period from passings beside that of the model, and what more swings would bring."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QVBoxLayout

from saltus.core.compare import compare
from saltus.core.coverage import NORMAL_95
from saltus.core.motion.segment import SegmentFit
from saltus.core.statement import stated, value_and_uncertainty
from saltus.core.wording import _
from saltus.notebook.derived.swing import swing_shown
from saltus.ui.kit.scaling import sized
from saltus.ui.kit.widgets import Card, clear_layout, label, row, rule

if TYPE_CHECKING:
    from saltus.core.motion.segment import NoFit
    from saltus.core.quantity import Quantity
    from saltus.notebook.derived.swing import SwingShown
    from saltus.notebook.model import Segment, Take
    from saltus.ui.desk.desk import Desk


class SwingCard(Card):
    """Shown only for segments that swing."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(padding=10)
        self._desk = desk
        self._rows = QVBoxLayout()
        self._rows.setSpacing(5)
        self.column.addLayout(self._rows)

    def show_segment(
        self, take: Take | None, segment: Segment | None, fit: SegmentFit | NoFit | None
    ) -> None:
        """Show what passings say of a segment."""
        clear_layout(self._rows)
        shown = None
        if take is not None and segment is not None and isinstance(fit, SegmentFit):
            shown = swing_shown(take, segment)
        self.setVisible(shown is not None)
        if shown is None:
            return
        self._show_periods(shown)
        self._rows.addWidget(rule())
        self._show_more(shown)

    def _row(self, name: str, value: str, weight: int = 400, size: int = 13) -> None:
        right = label(value)
        right.setStyleSheet(sized(f"font-weight: {weight}; font-size: {size}px"))
        self._rows.addLayout(row(label(name, "note"), right, stretch=1))

    def _show_periods(self, shown: SwingShown) -> None:
        model, found = shown.fit.parameters["period"], shown.cycles
        passed = found.period if found is not None else None
        if found is None or passed is None:
            self._rows.addWidget(
                label(_("Period from passings: not yet, three are needed."), "note", wrap=True)
            )
            return
        self._row(_("Period from {n} passings").format(n=len(found.passings)), _text(passed), 700, 16)
        if model is None:
            return
        self._row(_("from the model, all readings"), _text(model))
        apart = compare(passed, model)
        words = {
            True: _("They agree."),
            False: _("They differ: the model may miss something, or a passing was taken wrongly."),
            None: _("Too few passings to tell whether they agree."),
        }[apart.agree]
        self._rows.addWidget(label(words, "" if apart.agree else "note", wrap=True))
        if found.drift is not None:
            drift = found.drift
            sure = abs(float(drift)) > drift.U95
            words = _text(drift, 1000.0, "ms") if sure else _("no drift seen")
            self._row(_("change per cycle"), words)

    def _show_more(self, shown: SwingShown) -> None:
        """Say whether more swings would help."""
        self._rows.addWidget(label(_("Would more swings help?"), "heading"))
        now = shown.more[0][1]
        for n, u in shown.more:
            words = _("{n:.1f} cycles, as now") if u == now else _("{n:.0f} cycles")
            spread = value_and_uncertainty(0.0, NORMAL_95 * 1000 * u)[1]
            self._row(words.format(n=n), _("± {u} ms by reading").format(u=spread))


def _text(q: Quantity, factor: float = 1.0, unit: str | None = None) -> str:
    if unit is None:
        return stated(float(q), q.U95, q.unit)
    value, spread = value_and_uncertainty(factor * float(q), factor * q.U95)
    return f"{value} ± {spread} {unit}"
