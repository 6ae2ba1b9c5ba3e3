"""How sure the scale is: what makes it uncertain, largest first."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QProgressBar

from saltus.core.budget import budget
from saltus.core.coverage import NORMAL_95
from saltus.core.statement import stated_percent, value_and_uncertainty
from saltus.core.wording import _
from saltus.notebook.derived.geometry import mapping_of, scale_problem
from saltus.ui.kit.widgets import Group, clear_layout, label, row, rule

if TYPE_CHECKING:
    from saltus.notebook.model import Take


class SurePanel(Group):
    """A bar for each source of the scale, and the scale itself."""

    def __init__(self) -> None:
        super().__init__(4)

    def show_take(self, take: Take | None) -> None:
        """Show how sure the scale of a take is."""
        clear_layout(self.column)
        self.column.addWidget(label(_("How sure is the scale?"), "heading"))
        mapping = mapping_of(take) if take else None
        factor = mapping.scale if mapping is not None else None
        if factor is None or take is None or mapping is None:
            words = _("No scale yet.")
            if mapping is not None and mapping.ground is not None:
                words = _(
                    "It changes over the picture: see Scale along x below. In the middle 1 px = {mm:.3g} mm."
                )
                words = words.format(mm=1000 * mapping.per_px)
            elif take is not None:
                words = _("No scale yet: {what}.").format(what=str(scale_problem(take)).rstrip("."))
            self.column.addWidget(label(words, "note", wrap=True))
            return
        lines = budget(factor)
        most = max((line.u for line in lines), default=1.0)
        for line in lines:
            relative = stated_percent(NORMAL_95 * line.u / float(factor))
            part = label(relative)
            part.setStyleSheet("font-weight: 600")
            self.column.addLayout(row(label(line.label), part, stretch=1))
            bar = QProgressBar()
            bar.setRange(0, 1000)
            bar.setValue(round(1000 * line.u / most))
            bar.setTextVisible(False)
            bar.setAccessibleName(f"{line.label} {relative}")
            self.column.addWidget(bar)
        self.column.addWidget(rule())
        text, _rounded = value_and_uncertainty(float(factor) * 1000, factor.U95 * 1000)
        whole = label(_("1 px = {mm} mm").format(mm=text))
        whole.setStyleSheet("font-weight: 600")
        spread = label(stated_percent(factor.U95 / float(factor)), "value")
        self.column.addLayout(row(whole, spread, stretch=1))
