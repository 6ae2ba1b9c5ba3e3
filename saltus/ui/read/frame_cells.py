"""The frames of a take as a row of cells: which are read, which are left out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QWidget,
)

from saltus.core.wording import _
from saltus.notebook.derived.following import lost_stretches, weak_readings
from saltus.notebook.reading_columns import STATUSES
from saltus.ui.kit.scaling import Scaled, scaled, text_factor
from saltus.ui.kit.theme import theme

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk


class FrameCells(Scaled, QWidget):
    """One cell per step: filled where the body in hand is read, the frame in hand framed in red."""

    MOST = 150

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._drawn: tuple[object, ...] = ()
        self._states: list[str] = []
        self._here: int | None = None
        self.setMinimumHeight(scaled(26))
        self.setAccessibleName(_("Frames read"))

    def _frames(self) -> list[int]:
        take = self._desk.take
        if take is None:
            return []
        kept = take.kept_frames
        step = max(take.step, -(-len(kept) // self.MOST))
        return list(kept[::step])

    def sizeHint(self) -> QSize:
        rows = -(-len(self._frames()) // 30)
        return QSize(268, scaled(max(1, rows) * 13 + 2))

    def refresh(self) -> None:
        """Show the frames anew where anything in them changed."""
        body, take = self._desk.body, self._desk.take
        frames = self._frames()
        states, here = self._states_of(frames), self._cell_of(self._desk.frame, frames)
        now = (body.look if body else None, take.id if take else None, frames)
        if now != self._drawn:
            self._drawn = now
            self.setFixedHeight(self.sizeHint().height())
            self.update()
        changed = {i for i, (old, new) in enumerate(zip(self._states, states, strict=False)) if old != new}
        if here != self._here:
            changed |= {i for i in (here, self._here) if i is not None}
        for i in changed:
            self.update(self._spot(i))
        self._states, self._here = states, here

    def _states_of(self, frames: list[int]) -> list[str]:
        """Whether each cell is filled, doubted, lost or open."""
        body, step = self._desk.body, self._each(frames)
        if body is None:
            return ["open"] * len(frames)
        every = body.readings.columns
        read = every.frame[every.status != STATUSES.index("weak")]
        filled = np.searchsorted(read, frames) < np.searchsorted(read, np.add(frames, step))
        weak = {d.frame for d in weak_readings(body)}
        lost = {n for d in lost_stretches(body) for n in range(d.frame, d.last + 1)}

        def state(frame: int) -> str:
            if weak and any(n in weak for n in range(frame, frame + step)):
                return "doubted"
            return "lost" if frame in lost else "open"

        return ["filled" if f else state(n) for n, f in zip(frames, filled.tolist(), strict=True)]

    def _cell_of(self, frame: int, frames: list[int]) -> int | None:
        """The cell that a frame belongs to, if any does."""
        i = int(np.searchsorted(frames, frame, side="right")) - 1
        return i if i >= 0 and frame < frames[i] + self._each(frames) else None

    @staticmethod
    def _each(frames: list[int]) -> int:
        """How many frames a cell stands for."""
        return frames[1] - frames[0] if len(frames) > 1 else 1

    def _spot(self, i: int) -> QRect:
        """Where a cell is on the widget, with its frame."""
        box, factor = self._box(i).adjusted(-2, -2, 2, 2), text_factor()
        corner, size = box.topLeft() * factor, box.size() * factor
        return QRectF(corner, size).toAlignedRect()

    def _box(self, i: int) -> QRectF:
        wide = self.wide / 30
        return QRectF((i % 30) * wide, i // 30 * 13 + 1, wide - 2, 10)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        body = self._desk.body
        changed, factor = QRectF(event.rect() if event is not None else self.rect()), 1 / text_factor()
        # as cells are counted, and a little more for their frames
        dirty = QRectF(changed.topLeft() * factor, changed.size() * factor).adjusted(-3, -3, 3, 3)
        colour = theme.body(body.look) if body else theme.colour("line2")
        # one path for all that look alike: a path of its own for each of hundreds takes ten times as long
        alike = {state: QPainterPath() for state in ("filled", "doubted", "open")}
        for i, state in enumerate(self._states):
            box = self._box(i)
            if not dirty.intersects(box):
                continue
            if i == self._here:
                # a gap between frame and filling tells them apart where the two colours are close
                painter.setPen(QPen(theme.colour("cursor"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(-0.5, -0.5, 0.5, 0.5), 2, 2)
                inside = colour if state == "filled" else Qt.BrushStyle.NoBrush
                painter.fillRect(box.adjusted(2, 2, -2, -2), inside)
                continue
            alike["open" if state == "lost" else state].addRoundedRect(box, 2, 2)
            if state == "doubted":
                painter.setPen(QPen(theme.colour("warn"), 2))
                middle = box.center().x()
                painter.drawLine(QLineF(middle, box.top() + 2, middle, box.bottom() - 2))
            elif state == "lost":
                painter.fillRect(box, QBrush(theme.colour("ink2"), Qt.BrushStyle.BDiagPattern))
        for state, path in alike.items():
            painter.setPen(QPen(theme.colour("line2") if state == "open" else colour, 1))
            painter.setBrush(colour if state == "filled" else Qt.BrushStyle.NoBrush)
            painter.drawPath(path)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for i, frame in enumerate(self._frames()):
            if self._box(i).adjusted(-1, -2, 1, 2).contains(self.spot(event)):
                self._desk.go_to_frame(frame)
