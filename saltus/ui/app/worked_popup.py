"""How the result of a table of trials was made: its formulas with the numbers of one trial put in."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from saltus.core.budget import budget
from saltus.core.wording import _
from saltus.exchange.sheet import budget_grid, limit_words
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.naming import named_sources, shown_unit
from saltus.investigations.view.substitution import substitution
from saltus.investigations.view.verdicts import meaning
from saltus.ui.kit.formula_label import FormulaLabel
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Facts, button, label, row, rule

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.notation.boxes import Box
    from saltus.investigations.engine.evaluation import Evaluation

WIDE = 620


class WorkedPopup(QFrame):
    """The result, how it follows, one example with own numbers, and where its uncertainty comes from."""

    def __init__(self, parent: QWidget, evaluation: Evaluation, go_to_graph: Callable[[], None]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("card")
        self.setFixedWidth(scaled(WIDE))
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(18, 14, 18, 16)
        self._column.setSpacing(6)
        self._column.addWidget(label(_("How this was made"), "title"))
        found = evaluation.headline
        if found is None:
            return
        name, q = found
        words = f"{evaluation.recipe.title_of(name)} = {stated_result(evaluation, name, q)}"
        self._column.addWidget(label(words, "value", wrap=True))
        self._set("", meaning(evaluation, name))
        worked = substitution(evaluation)
        if worked:
            self._column.addWidget(rule())
            self._column.addWidget(label(_("With your own numbers"), "heading"))
        for line in worked:
            self._set(line.words, line.equation)
        self._column.addWidget(rule())
        self._column.addWidget(label(_("Where the uncertainty comes from"), "heading"))
        lines = named_sources(evaluation, budget(q))
        parts = Facts()
        rows = budget_grid(q, shown_unit(evaluation, name, q.unit), lines).rows
        parts.show_rows(tuple((source, f"u = {u}    {share}" if u else share) for source, u, share in rows))
        self._column.addWidget(parts)
        self._column.addWidget(label(limit_words(q, lines), "note", wrap=True))
        to_graph = button(_("See it on Graph"), go_to_graph, "link")
        to_graph.clicked.connect(self.close)
        self._column.addLayout(row(to_graph, stretch=1))

    def _set(self, words: str, box: Box | None) -> None:
        """A formula with what it is about above it."""
        if words:
            self._column.addWidget(label(words[:1].upper() + words[1:], "note", wrap=True))
        formula = FormulaLabel()
        formula.show_formula(box)
        self._column.addWidget(formula)
