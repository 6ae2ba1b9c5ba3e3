"""The result at the right of the top strip."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton

from saltus.core.notation.line import Run, runs
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.motion_words import symbol_of
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.naming import short_box
from saltus.notebook.derived.geometry import references_differ, scale_problem
from saltus.notebook.derived.motion import headline
from saltus.notebook.derived.timing_advice import timing_headline
from saltus.printing.fonts import sans
from saltus.printing.runs_painter import draw_runs, runs_width
from saltus.ui.kit.icons import paint_icon
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.model import Take


def _symbol(text: str) -> tuple[Run, ...]:
    return (Run(text, italic=True),)


class ResultPill(Scaled, QAbstractButton):
    """The result with its uncertainty; click to see how it was made."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(scaled(32))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._symbol: tuple[Run, ...] = ()
        self._text, self._empty, self._name = "", True, ""
        self._shown: object = None

    def show_take(self, take: Take | None) -> None:
        """Show the headline of a take, or what is missing for one."""
        found = headline(take) if take is not None else None
        segment = take.headline_segment if take is not None else None
        if found is not None and segment is not None:
            name, value = found
            self._symbol, self._name = _symbol(symbol_of(name, segment)), symbol_of(name, segment)
            self._text = f" = {stated(float(value), value.U95, value.unit)}  (95 %)"
            if references_differ(take):
                self._text += "  " + _("references differ")
            self._empty = False
        else:
            self._symbol, self._text, self._empty = (), self._missing(take), True
        self._show()

    def _show(self) -> None:
        now = (self._symbol, self._name, self._text, self._empty)
        if now == self._shown:
            return
        self._shown = now
        self.setAccessibleName(f"{self._name}{self._text}" if not self._empty else self._text)
        tip = _("{name}: how this was made").format(name=self._name)
        self.setToolTip(plain(tip) if not self._empty else "")
        self.updateGeometry()
        self.update()

    def show_trials(self, evaluation: Evaluation) -> None:
        """Show the first result of the table of trials, or what is missing for one."""
        found = evaluation.headline
        self._empty = found is None
        if found is not None:
            self._symbol = runs(short_box(evaluation, found[0]))
            self._name = evaluation.recipe.title_of(found[0])
            self._text = f" = {stated_result(evaluation, *found)}"
        else:
            self._symbol, self._text = (), _("No result yet: fill the table of trials")
        self._show()

    def show_times(self, take: Take | None) -> None:
        """Show the last period or interval timed on a take, or what is missing for one."""
        found = timing_headline(take) if take is not None else None
        self._empty = found is None
        if found is not None:
            self._symbol, self._name = _symbol(found[0]), found[0]
            self._text = f" = {stated(float(found[1]), found[1].U95, found[1].unit)} (95 %)"
        else:
            self._symbol, self._text = (), _("No time yet: mark a start and a stop")
        self._show()

    def _missing(self, take: Take | None) -> str:
        if take is None:
            return _("No result yet: open a film")
        if max((len(b.readings) for b in take.bodies), default=0) < 3:
            return _("No result yet: read 3 frames")
        return (scale_problem(take) if not take.segments else None) or _(
            "No result yet: choose a segment in Motion"
        )

    def _fonts(self) -> tuple[float, float]:
        a = runs_width(self._symbol, 16, 600)
        b = QFontMetricsF(sans(16 if not self._empty else 14, 600 if not self._empty else 400))
        return a, b.horizontalAdvance(self._text)

    def sizeHint(self) -> QSize:
        a, b = self._fonts()
        return QSize(scaled(a + b + (52 if not self._empty else 32)), scaled(32))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(theme.colour("accsoft"))
        focus = QPen(theme.colour("accent"), 2)
        painter.setPen(focus if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.drawRoundedRect(self.area.adjusted(1, 1, -1, -1), 15, 15)
        x = 16.0
        if not self._empty:
            paint_icon(painter, "read", QRectF(15, 8, 16, 16), theme.colour("accent"), 2.2)
            x = 38.0
        wide, _rest = self._fonts()
        painter.setPen(theme.colour("ink"))
        draw_runs(painter, QPointF(x, 21.5), self._symbol, 16, 600)
        painter.setFont(sans(16, 600) if not self._empty else sans(14))
        place = QRectF(x + wide, 0, self.wide - x - wide, 32)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, self._text)
