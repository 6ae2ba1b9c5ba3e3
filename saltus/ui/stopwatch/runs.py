"""The runs of a level: what became of each, its time, and where it lies from their mean."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.statement import stated, value_and_uncertainty
from saltus.core.units import SECOND
from saltus.core.wording import _
from saltus.exchange.chart import ticks
from saltus.investigations.table.runs import mean_of_runs
from saltus.printing.fonts import sans
from saltus.ui.kit.marks import draw_mark
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.core.repeats import Repeats
    from saltus.investigations.table.runs import Run

ROW, HEAD = 34, 30


class RunList(Scaled, QWidget):
    """Rows for runs, newest last; drawn, with the same in words for screen readers."""

    def __init__(self) -> None:
        super().__init__()
        self._runs: list[Run] = []
        self._u, self._U, self._cycles = 0.14, 0.28, 1
        self._mean: tuple[Repeats, Quantity] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(scaled(520), scaled(HEAD + ROW * (len(self._runs) + 1) + 26))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def show_runs(self, runs: list[Run], one: Quantity, cycles: int) -> None:
        """Show runs; ``one`` is a time of this hand, whose uncertainty is what the hand alone explains."""
        self._runs, self._cycles = runs, max(cycles, 1)
        self._u, self._U = float(one.u), one.U95
        self._mean = mean_of_runs(runs, self._u)
        words = [f"{i}: {status_words(r)} {'' if r.seconds is None else f'{r.seconds:.2f} s'}"
                 for i, r in enumerate(runs, 1)]  # fmt: skip
        self.setAccessibleName(_("Runs at this level") + ": " + "; ".join(words))
        self.updateGeometry()
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right = 250.0, self.wide - (230 if self.wide > 620 else 110)
        mean = float(self._mean[1]) if self._mean is not None else None
        times = [r.seconds for r in self._runs if r.seconds is not None]
        every = [abs(t - mean) for t in times] if mean is not None else []
        reach = 1.25 * max([min(max(every, default=0.0), 6 * self._U), self._U, 1e-3])

        def px(off: float) -> float:
            return (left + right) / 2 + off / reach * (right - left) / 2

        self._head(painter, px, reach, (left, right))
        if mean is not None:
            painter.fillRect(
                QRectF(px(-self._U), HEAD, px(self._U) - px(-self._U), ROW * len(self._runs)),
                theme.colour("accsoft"),
            )
            painter.setPen(theme.colour("line2"))
            painter.drawLine(QLineF(px(0), HEAD, px(0), HEAD + ROW * len(self._runs)))
        for i, run in enumerate(self._runs):
            self._row(painter, i, run, mean, px)
        self._foot(painter, px, (left, right))

    def _head(self, painter: QPainter, px: object, reach: float, ends: tuple[float, float]) -> None:
        assert callable(px)
        painter.setFont(sans(12.5))
        painter.setPen(theme.colour("ink2"))
        painter.drawText(QPointF(4, 19), _("run"))
        painter.drawText(QPointF(44, 19), _("what became of it"))
        for value in ticks(-reach, reach, 5):
            text = f"{value:+.2g}".replace("-", "−") if value else "0"
            if ends[0] + 8 < px(value) < ends[1] - 8:
                painter.drawText(QRectF(px(value) - 30, 6, 60, 18), Qt.AlignmentFlag.AlignCenter, text)
        self._right(painter, _("t / s"), 19, self._time_x())
        if self.wide > 620:
            self._right(painter, _("each cycle, 95 %"), 19, self.wide - 4)
        painter.setPen(theme.colour("line2"))
        painter.drawLine(QLineF(0, HEAD - 1, self.wide, HEAD - 1))

    def _time_x(self) -> float:
        return self.wide - (150 if self.wide > 620 else 8)

    def _right(self, painter: QPainter, text: str, y: float, x: float) -> None:
        wide = QFontMetricsF(painter.font()).horizontalAdvance(text)
        painter.drawText(QPointF(x - wide, y), text)

    def _row(self, painter: QPainter, i: int, run: Run, mean: float | None, px: object) -> None:
        assert callable(px)
        top = HEAD + i * ROW
        y = top + ROW / 2
        ink = theme.colour("ink" if run.status == "kept" else "ink3")
        painter.setPen(ink)
        painter.setFont(sans(13, 600))
        painter.drawText(QPointF(4, y + 5), str(i + 1))
        self._status(painter, QPointF(52, y), run.status)
        painter.setPen(ink)
        painter.setFont(sans(13))
        words = status_words(run)
        shown = QFontMetricsF(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, 176)
        painter.drawText(QPointF(66, y + 5), shown)
        if run.seconds is None:
            painter.setPen(theme.colour("ink2"))
            self._right(painter, _("no time"), y + 5, self._time_x())
        else:
            painter.setFont(sans(13, 600 if run.status == "kept" else 400))
            self._right(painter, f"{run.seconds:.2f}", y + 5, self._time_x())
            painter.setFont(sans(13))
            if self.wide > 620:
                value, spread = value_and_uncertainty(run.seconds / self._cycles, self._U / self._cycles)
                self._right(painter, f"{value} ± {spread}", y + 5, self.wide - 4)
            if mean is not None:
                self._dot(painter, QPointF(px(run.seconds - mean), y), run.status == "kept")
        painter.setPen(theme.colour("line"))
        painter.drawLine(QLineF(0, top + ROW - 0.5, self.wide, top + ROW - 0.5))

    def _dot(self, painter: QPainter, at: QPointF, kept: bool) -> None:
        low, high = 250.0, self._time_x() - 60
        at = QPointF(min(max(at.x(), low), high), at.y())
        painter.setPen(QPen(theme.colour("ink2"), 1.3) if not kept else Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("accent") if kept else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 4.5, 4.5)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if not kept:
            painter.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5))

    def _status(self, painter: QPainter, at: QPointF, status: str) -> None:
        if status == "kept":
            draw_mark(painter, at, "done", 12)
            return
        painter.setPen(QPen(theme.colour("ink2"), 1.5))
        if status == "failed":
            painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
            painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
            return
        painter.drawEllipse(at, 5, 5)
        painter.drawLine(at + QPointF(-6, 6), at + QPointF(6, -6))

    def _foot(self, painter: QPainter, px: object, ends: tuple[float, float]) -> None:
        assert callable(px)
        y = HEAD + ROW * len(self._runs) + ROW / 2
        if self._mean is None:
            painter.setFont(sans(13))
            painter.setPen(theme.colour("ink2"))
            words = _("No run yet: press Space when it passes, counting from zero.")
            painter.drawText(QPointF(4, y + 5), words)
            return
        found, mean = self._mean
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(13, 600))
        painter.drawText(QPointF(4, y + 5), _("mean of {n}").format(n=len(found.values)))
        painter.setFont(sans(13))
        if found.sd is not None:
            painter.setPen(theme.colour("ink2"))
            words = _("spread {s}; hand alone {u}").format(s=_seconds(found.sd), u=_seconds(self._u))
            painter.drawText(QPointF(4, y + 25), words)
            self._bar(painter, [px(-mean.U95), px(mean.U95)], y, ends)
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(13, 600))
        self._right(painter, value_and_uncertainty(float(mean), mean.U95)[0], y + 5, self._time_x())
        if self.wide > 620:
            value, spread = value_and_uncertainty(float(mean) / self._cycles, mean.U95 / self._cycles)
            self._right(painter, f"{value} ± {spread}", y + 5, self.wide - 4)

    def _bar(self, painter: QPainter, places: list[float], y: float, ends: tuple[float, float]) -> None:
        """The 95 % interval of the mean; where it goes on beyond the plot it has an open end."""
        painter.setPen(QPen(theme.colour("ink"), 2))
        low, high = max(places[0], ends[0]), min(places[1], ends[1])
        painter.drawLine(QLineF(low, y, high, y))
        for x, place, inwards in ((low, places[0], 6), (high, places[1], -6)):
            if x == place:
                painter.drawLine(QLineF(x, y - 5, x, y + 5))
            else:
                painter.drawLine(QLineF(x, y, x + inwards, y - 5))
                painter.drawLine(QLineF(x, y, x + inwards, y + 5))


def status_words(run: Run) -> str:
    """What became of a run, with the reason."""
    known = {"kept": _("kept"), "failed": _("failed"), "set-aside": _("set aside")}
    words = known.get(run.status, run.status)
    return f"{words}: {run.reason}" if run.reason else words


def _seconds(value: float) -> str:
    return stated(float(f"{value:.2g}"), None, SECOND)
