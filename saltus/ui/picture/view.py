"""The picture of the frame in hand: zooming, panning, mapping, and the marks over it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QWheelEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QWidget

from saltus.core.wording import _
from saltus.printing.marks import ON_STAGE, draw_plate
from saltus.printing.tokens import LIGHT
from saltus.ui.desk.film_image import FilmImage
from saltus.ui.kit.icons import icon
from saltus.ui.kit.key_codes import letter_of
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import plate_font, scaled
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import KeyFocus

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtGui import QColor, QFocusEvent, QImage

    from saltus.ui.desk.desk import Desk

MOST_ZOOM = 40.0
FOOT = 44
"""Below the tools there is room for what stands at the foot of the picture, px."""


class PictureTool(Protocol):
    """What the pointer and keys do on the picture; places are in picture coordinates."""

    def press(self, at: QPointF) -> None: ...
    def drag(self, at: QPointF) -> None: ...
    def release(self, at: QPointF) -> None: ...
    def key(self, event: QKeyEvent) -> bool: ...
    def paint(self, painter: QPainter) -> None: ...
    def cursor(self, at: QPointF) -> Qt.CursorShape: ...


class PictureView(KeyFocus, QWidget):
    """Shows the frame in hand.

    Signals
    -------
    pointed(x, y)
        The pointer is over this place of the picture, px.
    """

    pointed = pyqtSignal(float, float)
    left = pyqtSignal()
    loupeSwitched = pyqtSignal()
    spacePressed = pyqtSignal()

    def __init__(self, desk: Desk, tool: Callable[[PictureView], PictureTool]) -> None:
        super().__init__()
        self.desk = desk
        self._zoom: float | None = None
        self._centre = QPointF()
        self._pan_from: QPointF | None = None
        self.panning = False
        self._let_go = False
        self.foot_words = ""
        self.tool = tool(self)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(_("Film picture"))
        self.setMinimumSize(320, 220)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._bar = _ToolBar(self)
        desk.pictureArrived.connect(lambda *_arrived: self.update())
        desk.previewArrived.connect(self.update)
        desk.lookedElsewhere.connect(self.update)
        desk.changed.connect(self.update)
        desk.filmFailed.connect(lambda *_failed: self.update())

    # -- mapping -------------------------------------------------------------------------------------

    def image(self) -> QImage | None:
        """The picture shown, if it belongs to the take in hand."""
        shown = self.desk.shown
        return shown[2] if shown is not None and shown[0] == self.desk.take_id else None

    def ready(self) -> bool:
        """Whether the picture shown is that of the frame in hand."""
        shown = self.desk.shown
        return shown is not None and shown[:2] == (self.desk.take_id, self.desk.frame)

    def _size(self) -> tuple[int, int]:
        take = self.desk.take
        return (take.facts.width, take.facts.height) if take else (16, 9)

    def zoom(self) -> float:
        """Widget px per picture px."""
        if self._zoom is not None:
            return self._zoom
        width, height = self._size()
        return min(self.width() / width, self.height() / height)

    def _origin(self) -> QPointF:
        zoom = self.zoom()
        width, height = self._size()
        if self._zoom is None:
            return QPointF((self.width() - width * zoom) / 2, (self.height() - height * zoom) / 2)
        return QPointF(
            self.width() / 2 - (self._centre.x() + 0.5) * zoom,
            self.height() / 2 - (self._centre.y() + 0.5) * zoom,
        )

    def place(self, x: float, y: float) -> QPointF:
        """From picture coordinates to the widget's."""
        return self.placer()(x, y)

    def placer(self) -> Callable[[float, float], QPointF]:
        """Give :meth:`place` for many places, worked out once."""
        origin, zoom = self._origin(), self.zoom()
        left, top = origin.x() + 0.5 * zoom, origin.y() + 0.5 * zoom
        return lambda x, y: QPointF(left + x * zoom, top + y * zoom)

    def picture_place(self, at: QPointF) -> QPointF:
        """From the widget's coordinates to picture coordinates."""
        origin, zoom = self._origin(), self.zoom()
        return QPointF((at.x() - origin.x()) / zoom - 0.5, (at.y() - origin.y()) / zoom - 0.5)

    def inside(self, at: QPointF) -> bool:
        """Whether a place in picture coordinates lies in the picture."""
        width, height = self._size()
        return -0.5 <= at.x() <= width - 0.5 and -0.5 <= at.y() <= height - 0.5

    def set_zoom(self, zoom: float | None, about: QPointF | None = None) -> None:
        """Zoom, keeping the widget's place ``about`` where it is; None fits the picture."""
        if zoom is None:
            self._zoom = None
        else:
            about = about or QPointF(self.width() / 2, self.height() / 2)
            fixed = self.picture_place(about)
            width, height = self._size()
            fit = min(self.width() / width, self.height() / height)
            self._zoom = min(max(zoom, fit), MOST_ZOOM)
            if self._zoom <= fit * 1.001:
                self._zoom = None
            else:
                self._centre = QPointF(
                    fixed.x() - (about.x() - self.width() / 2) / self._zoom,
                    fixed.y() - (about.y() - self.height() / 2) / self._zoom,
                )
        self.update()

    # -- tools ---------------------------------------------------------------------------------------

    def add_tool(
        self, name: str, tip: str, chosen: Callable[[bool], None], *, on: bool = False
    ) -> QPushButton:
        """Add a button to the bar over the picture."""
        return self._bar.add(name, tip, chosen, on)

    # -- events --------------------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        return QSize(880, 420)

    def resizeEvent(self, event: object) -> None:
        self._bar.fit(self.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        at = event.position()
        if event.button() == Qt.MouseButton.MiddleButton or (
            self.panning and event.button() == Qt.MouseButton.LeftButton
        ):
            self._pan_from = at
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif event.button() == Qt.MouseButton.LeftButton and self.desk.take is not None:
            self.tool.press(self.picture_place(at))
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._pan_from is not None:
            if self._zoom is not None:
                self._centre -= (at - self._pan_from) / self.zoom()
            self._pan_from = at
            self.update()
            return
        place = self.picture_place(at)
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.tool.drag(place)
            self.update()
        elif self.desk.take is not None:
            self.setCursor(Qt.CursorShape.OpenHandCursor if self.panning else self.tool.cursor(place))
        self.pointed.emit(place.x(), place.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pan_from is not None:
            self._pan_from = None
            self.unsetCursor()
        elif event.button() == Qt.MouseButton.LeftButton and self.desk.take is not None:
            self.tool.release(self.picture_place(event.position()))
            self.update()

    def leaveEvent(self, event: object) -> None:
        self.left.emit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and event.angleDelta().y():
            factor = 1.25 ** (event.angleDelta().y() / 120)
            self.set_zoom(self.zoom() * factor, event.position())

    def event(self, event: QEvent | None) -> bool:
        """Let the tool have Tab before Qt moves the focus with it."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            tab = event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
            if tab and not self._let_go and self.tool.key(event):
                self.update()
                return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self._let_go = False
        super().focusOutEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and not self.tool.key(event):
            # from now on Tab leaves the picture, until it is entered again
            self._let_go = True
            return
        if event is None or self.tool.key(event) or self._step(event):
            self.update()
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.set_zoom(self.zoom() * 1.5)
        elif event.key() == Qt.Key.Key_Minus:
            self.set_zoom(self.zoom() / 1.5)
        elif event.key() == Qt.Key.Key_0:
            self.set_zoom(None)
        elif event.key() == Qt.Key.Key_Space:
            self.spacePressed.emit()
        elif letter_of(event) == Qt.Key.Key_Z and not event.modifiers():
            self.loupeSwitched.emit()
        else:
            super().keyPressEvent(event)

    def _step(self, event: QKeyEvent) -> bool:
        """Move between frames by keys."""
        if event.modifiers() & (Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ControlModifier):
            return False
        take = self.desk.take
        if take is None:
            return False
        far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        targets = {
            Qt.Key.Key_Left: self.desk.frame - far,
            Qt.Key.Key_Right: self.desk.frame + far,
            Qt.Key.Key_Home: 0,
            Qt.Key.Key_End: len(take.facts.ticks) - 1,
        }
        if event.key() not in targets:
            return False
        self.desk.go_to_frame(targets[Qt.Key(event.key())])
        return True

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("stage"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        image, take = self.image(), self.desk.take
        if take is None:
            return
        preview = self.desk.preview()
        image = preview if preview is not None else image
        zoom = self.zoom()
        if image is not None:
            # seen large, a pixel is shown as the square it is
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, zoom < 3)
            origin = self._origin()
            width, height = self._size()
            if isinstance(image, FilmImage):
                image = image.drawn_at(zoom * self.devicePixelRatioF())
            painter.drawImage(QRectF(origin.x(), origin.y(), width * zoom, height * zoom), image)
        if preview is not None:
            words = _("preview: the exact frame is on its way")
            draw_plate(painter, QPointF(self.width() / 2, 30), words, plate_font(13, 600))
        problem = self.desk.film_problems.get(take.id)
        if problem:
            self._say(painter, problem)
        self.tool.paint(painter)
        self._foot(painter)
        self.paint_focus(painter, ON_STAGE)

    def _say(self, painter: QPainter, words: str) -> None:
        box = QRectF(self.rect()).adjusted(60, 60, -60, -60)
        painter.setFont(plate_font(16, 600))
        painter.setPen(ON_STAGE)
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap), words)

    def _foot(self, painter: QPainter) -> None:
        take = self.desk.take
        assert take is not None
        words = _("frame {frame}   t = {t:.3f} s") if take.facts.pictures else "t = {t:.3f} s"
        words = words.format(frame=self.desk.frame, t=self.desk.time())
        y = self.height() - scaled(18.0)
        draw_plate(painter, QPointF(12, y), words, plate_font(13, 600), "left")
        if self.foot_words:
            draw_plate(painter, QPointF(self.width() - 12, y), self.foot_words, plate_font(12.5), "right")


class _ToolBar(QFrame):
    """The tools over the picture, at its upper left."""

    def __init__(self, view: PictureView) -> None:
        super().__init__(view)
        self.setStyleSheet(
            f"QFrame {{ background: rgba(12,16,16,210); border: 1px solid #3A4442; border-radius: 8px; }}"
            f"QPushButton {{ background: transparent; border: 1px solid transparent; border-radius: 5px;"
            f" min-width: 30px; min-height: 30px; padding: 0 }}"
            f"QPushButton:hover {{ background: #2A3230; }} QPushButton:checked {{ background: #454E4C; }}"
            f"QPushButton:focus {{ border: 2px solid {LIGHT['onstage']}; }}"
        )
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(3, 3, 3, 3)
        self._grid.setSpacing(4)
        self._buttons: list[QPushButton] = []
        self.move(12, 12)
        self.hide()

    def add(self, name: str, tip: str, chosen: Callable[[bool], None], on: bool) -> QPushButton:
        made = QPushButton()
        ink: QColor = ON_STAGE
        made.setIcon(icon(name, ink))
        made.setIconSize(QSize(20, 20))
        made.setCheckable(True)
        made.setChecked(on)
        made.setToolTip(plain(tip))
        made.setAccessibleName(tip)
        made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        made.clicked.connect(chosen)
        self._buttons.append(made)
        view = self.parentWidget()
        # a view that is not seen yet is fitted when it gets its size
        if view is not None and view.isVisible():
            self.fit(view.height())
        self.show()
        return made

    def fit(self, high: int) -> None:
        """Stand in as many columns as it takes not to be higher than the picture, px."""
        if not self._buttons:
            return
        each = self._buttons[0].sizeHint().height() + self._grid.spacing()
        most = max((high - self.y() - FOOT) // each, 1)
        # as many as it takes, filled evenly
        rows = math.ceil(len(self._buttons) / math.ceil(len(self._buttons) / most))
        for n, made in enumerate(self._buttons):
            self._grid.addWidget(made, n % rows, n // rows)
        self.adjustSize()
