"""Small pictures that show how a body is followed: cuts in a row, the surface of likeness, counts."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from saltus.core.wording import _
from saltus.printing.fonts import sans
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import draw_covering

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PyQt6.QtGui import QMouseEvent

    from saltus.core.following.evidence import Surface

CUT, GAP, CUTS = 48, 6, 5
BANDS = 6
_FROM, _TO = 0.0, 1.0


class AlignedStrip(Scaled, QWidget):
    """Cuts of frames found lately, each about its own place: what is followed well stands still."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.cuts: Sequence[tuple[int, QImage]] = ()
        self._frame = -1
        self.setFixedHeight(scaled(CUT + 18))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(_("Frames found lately, each about its own place"))

    def show_cuts(self, cuts: Sequence[tuple[int, QImage]], frame: int) -> None:
        """Show cuts by their frames; the one in hand stands out."""
        self.cuts, self._frame = cuts, frame
        self.setVisible(bool(cuts))
        self.setToolTip(_("Each cut lies about the place found in its frame: if the body stands still here, "
                          "it is followed well."))  # fmt: skip
        self.update()

    def _box(self, i: int) -> QRectF:
        side = self._side
        return QRectF(1 + i * (side + GAP), 1, side, side)

    @property
    def _side(self) -> float:
        return min(CUT, (self.wide - 2 - GAP * (CUTS - 1)) / CUTS)

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        painter.setFont(sans(12))
        for i, (frame, image) in enumerate(self.cuts):
            box, here = self._box(i), frame == self._frame
            painter.drawImage(box, image)
            painter.setPen(QPen(theme.colour("ink" if here else "line2"), 1.6 if here else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 2, 2)
            painter.setPen(theme.colour("ink" if here else "ink2"))
            words = QRectF(box.left() - GAP / 2, box.bottom() + 1, box.width() + GAP, 16)
            painter.drawText(words, int(Qt.AlignmentFlag.AlignCenter), str(frame))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            at = self.spot(event)
            for i, (frame, _image) in enumerate(self.cuts):
                if self._box(i).contains(at):
                    self.chosen.emit(frame)


class LookedFor(Scaled, QWidget):
    """What is looked for, pixel by pixel."""

    def __init__(self, side: int = 96) -> None:
        super().__init__()
        self._image: QImage | None = None
        self._side = side
        self.setFixedSize(scaled(side), scaled(side))
        self.setAccessibleName(_("What is looked for"))

    def show_image(self, image: QImage | None) -> None:
        """Show it."""
        self._image = image
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        box = QRectF(0.5, 0.5, self._side - 1, self._side - 1)
        painter.fillRect(box, theme.colour("stage"))
        if self._image is not None:
            painter.drawImage(box, self._image)
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box, 2, 2)


class SurfaceView(Scaled, QWidget):
    """How alike what is looked for looks near the place: bands, the best as a ring, the next as a ×."""

    def __init__(self, side: int = 84) -> None:
        super().__init__()
        self._surface: Surface | None = None
        self._image: QImage | None = None
        self._side = side
        self.setFixedSize(scaled(side + 34), scaled(side + 34))
        self.setAccessibleName(_("Likeness at and near the place"))

    def show_surface(self, surface: Surface | None) -> None:
        """Show it."""
        self._surface = surface
        self._image = self._banded(surface) if surface is not None else None
        self.update()

    def _banded(self, surface: Surface) -> QImage:
        """Bands of the accent on the card, darker where it is more alike."""
        band = np.clip(np.floor((surface.likeness - _FROM) / (_TO - _FROM) * BANDS), 0, BANDS - 1) / (
            BANDS - 1
        )
        card, accent = theme.colour("card"), theme.colour("accent")
        ends = [np.array([c.red(), c.green(), c.blue()], dtype=float) for c in (card, accent)]
        colours = ends[0] + band[..., None] * (ends[1] - ends[0])
        pixels = np.ascontiguousarray(np.rint(colours), dtype=np.uint8)
        height, width = band.shape
        return QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(30, 4, self._side, self._side)
        painter.setPen(QPen(theme.colour("line2"), 1))
        painter.drawRect(box)
        surface = self._surface
        if surface is None or self._image is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(box.adjusted(1, 1, -1, -1), self._image)
        self._axes(painter, box, surface.reach)
        per_px = box.width() / (2 * surface.reach + 1)
        centre = box.center()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("card"), 3))
        painter.drawEllipse(centre, 5, 5)
        painter.setPen(QPen(theme.colour("ink"), 1.4))
        painter.drawEllipse(centre, 5, 5)
        if surface.second is not None:
            x, y, _likeness = surface.second
            at = QPointF(centre.x() + x * per_px, centre.y() + y * per_px)
            draw_cross(painter, at, 4)

    def _axes(self, painter: QPainter, box: QRectF, reach: int) -> None:
        painter.setFont(sans(12))
        painter.setPen(theme.colour("ink2"))
        at_left, below = (
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            Qt.AlignmentFlag.AlignCenter,
        )
        for share, words in ((0.0, f"−{reach}"), (0.5, "0"), (1.0, f"+{reach}")):
            y = box.top() + 6 + share * (box.height() - 12)
            painter.drawText(QRectF(0, y - 8, 27, 16), int(at_left), words)
            x = box.left() + 8 + share * (box.width() - 16)
            painter.drawText(QRectF(x - 20, box.bottom() + 1, 40, 14), int(below), words)
        painter.drawText(
            QRectF(box.left() - 20, box.bottom() + 14, box.width() + 40, 16), int(below), _("shift / px")
        )


def draw_cross(painter: QPainter, at: QPointF, r: float) -> None:
    """Draw a ×."""
    for colour, width in ((theme.colour("card"), 3.4), (theme.colour("ink"), 1.6)):
        painter.setPen(QPen(colour, width))
        painter.drawLine(QLineF(at.x() - r, at.y() - r, at.x() + r, at.y() + r))
        painter.drawLine(QLineF(at.x() - r, at.y() + r, at.x() + r, at.y() - r))


class Progress(Scaled, QWidget):
    """How far a run is."""

    def __init__(self) -> None:
        super().__init__()
        self.share = 0.0
        self.setFixedHeight(scaled(6))
        self.setAccessibleName(_("Frames followed"))

    def show_share(self, share: float) -> None:
        """Show it, 0 to 1."""
        self.share = min(max(share, 0.0), 1.0)
        self.setAccessibleDescription(f"{self.share:.0%}")
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for token, share in (("line", 1.0), ("accent", self.share)):
            painter.setBrush(theme.colour(token))
            painter.drawRoundedRect(QRectF(0, 0, self.wide * share, 6), 3, 3)


class StateCounts(Scaled, QWidget):
    """How many frames are found, weak and lost."""

    def __init__(self) -> None:
        super().__init__()
        self._counts = {"found": 0, "weak": 0, "lost": 0}
        self.setFixedHeight(scaled(42))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(scaled(268), scaled(42))

    def show_counts(self, counts: dict[str, int]) -> None:
        """Show them."""
        self._counts = counts
        words = _("{found} frames found, {weak} weak: to be decided, {lost} lost: not seen, no position")
        words = words.format(**counts)
        self.setAccessibleName(words)
        self.setToolTip(plain(words))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        names = {"found": _("found"), "weak": _("weak"), "lost": _("lost")}
        # the words differ in length: each cell takes what it needs
        painter.setFont(sans(13))
        metrics = painter.fontMetrics()
        wants = [22 + metrics.horizontalAdvance(f"{self._counts[s]} {names[s]}") + 8 for s in names]
        spare = (self.wide - 2 * GAP - 1 - sum(wants)) / 3
        left = 0.5
        for (state, name), want in zip(names.items(), wants, strict=True):
            box = QRectF(left, 1, want + spare, 39)
            painter.setPen(QPen(theme.colour("line2"), 1))
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(box, 6, 6)
            draw_state(painter, QPointF(box.left() + 12, box.center().y()), state, theme.colour("ink2"))
            painter.setPen(theme.colour("ink"))
            painter.setFont(sans(13, 600))
            number = str(self._counts[state])
            wide = painter.fontMetrics().horizontalAdvance(number)
            middle = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            painter.drawText(box.adjusted(22, 0, 0, 0), middle, number)
            painter.setFont(sans(13))
            painter.setPen(theme.colour("ink2"))
            painter.drawText(box.adjusted(26 + wide, 0, 0, 0), middle, name)
            left += want + spare + GAP


def draw_state(painter: QPainter, at: QPointF, state: str, colour: QColor) -> None:
    """Draw the mark of a state: filled, hollow with a stroke above, hatched."""
    if state == "lost":
        box = QRectF(at.x() - 4.5, at.y() - 8, 9, 16)
        painter.setPen(QPen(theme.colour("ink"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        painter.fillRect(box, QBrush(theme.colour("ink2"), Qt.BrushStyle.BDiagPattern))
        return
    painter.setPen(QPen(colour, 1.4))
    painter.setBrush(colour if state == "found" else Qt.BrushStyle.NoBrush)
    painter.drawEllipse(at + QPointF(0, 3 if state == "weak" else 0), 3.3, 3.3)
    if state == "weak":
        painter.setPen(QPen(theme.colour("warn"), 1.8))
        painter.drawLine(QLineF(at.x(), at.y() - 9, at.x(), at.y() - 5))
        painter.drawPoint(QPointF(at.x(), at.y() - 2.5))


class Thumb(Scaled, QWidget):
    """The picture of a doubtful place."""

    def __init__(self, image: QImage | None, *, lost: bool = False) -> None:
        super().__init__()
        self._image, self._lost = image, lost
        self.setFixedSize(scaled(48), scaled(32))

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        box = QRectF(0.5, 0.5, 47, 31)
        if self._lost:
            draw_state(painter, box.center(), "lost", theme.colour("ink2"))
            return
        painter.fillRect(box, theme.colour("stage"))
        if self._image is not None:
            draw_covering(painter, box, self._image)
