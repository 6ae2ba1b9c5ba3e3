"""How the result in the top strip was made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.motion_words import parameter_words, symbol_of
from saltus.exchange.scale_words import axes_words, scale_words, unchecked_words
from saltus.exchange.sheet import budget_grid, limit_words
from saltus.notebook.derived.motion import headline
from saltus.ui.kit.scaling import scaled
from saltus.ui.kit.widgets import Facts, button, label, row, rule

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.quantity import Quantity
    from saltus.notebook.model import Take


class ResultPopup(QFrame):
    """How the result was made: parameters, budget, scale."""

    def __init__(
        self,
        parent: QWidget,
        take: Take,
        timed: tuple[str, Quantity] | None = None,
        trust: Callable[[], object] | None = None,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("card")
        self.setFixedWidth(scaled(400))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 16)
        layout.setSpacing(8)
        layout.addWidget(label(_("How this was made"), "title"))
        found, segment = headline(take), take.headline_segment
        if timed is not None:
            (symbol, value), words = timed, _("95 % interval, k = {k:.2f}")
        elif found is None or segment is None:
            layout.addWidget(
                label(_("The segment gives no result: it needs more readings."), "note", wrap=True)
            )
            return
        else:
            symbol, value = symbol_of(found[0], segment), found[1]
            words = parameter_words(found[0]) + "; " + _("95 % interval, k = {k:.2f}")
        layout.addWidget(label(f"{symbol} = {stated(float(value), value.U95, value.unit)}", "value"))
        layout.addWidget(label(words.format(k=value.coverage.k), "note"))
        layout.addWidget(rule())
        parts = Facts()
        rows = budget_grid(value).rows
        parts.show_rows(tuple((source, f"u = {u}    {share}" if u else share) for source, u, share in rows))
        layout.addWidget(label(_("Where the uncertainty comes from"), "heading"))
        layout.addWidget(parts)
        layout.addWidget(label(limit_words(value), "note", wrap=True))
        if timed is not None:
            return
        layout.addWidget(rule())
        layout.addWidget(label(_("Scale: {words}").format(words=scale_words(take)), "note", wrap=True))
        for words in (axes_words(take), unchecked_words(take)):
            if words:
                layout.addWidget(label(words, "note", wrap=True))
        if trust is not None:
            asked = button(_("Can I trust my scale?"), trust, "link")
            asked.clicked.connect(self.close)
            layout.addLayout(row(asked, stretch=1))
