"""What stays from frame to frame, painted once and laid under what moves."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPixmap

from saltus.ui.kit.scaling import text_factor

if TYPE_CHECKING:
    from collections.abc import Callable

    from PyQt6.QtWidgets import QWidget

PLAIN = (str, int, float, bool, type(None))


class Still:
    """Keeps the last picture of a widget's standing part."""

    def __init__(self) -> None:
        self._shows: tuple[Any, ...] = ()
        self._picture = QPixmap()

    def lay(
        self, painter: QPainter, widget: QWidget, shows: tuple[Any, ...], paint: Callable[[QPainter], None],
        *, factor: float | None = None, changed: Callable[[], QRectF | None] | None = None,
    ) -> None:  # fmt: skip
        """Lay it under what is painted next; it is painted anew where it would show something else.

        Parameters
        ----------
        painter : QPainter
            On the widget.
        widget : QWidget
            All of it is covered.
        shows : tuple
            What it depends on: plain values, and immutable parts that are the same only if they are one.
        paint : callable
        factor : float, optional
            Enlargement of the painter it is given; the text factor by default.
        changed : callable, optional
            Tells in which part it shows something else than before, in units of that painter; None: anywhere.
            ``paint`` is given a painter clipped to it then.
        """
        ratio = widget.devicePixelRatioF()
        size = (widget.size().toSizeF() * ratio).toSize()
        fits = self._picture.size() == size
        if not fits or not _alike(shows, self._shows):
            part = changed() if changed is not None else None
            self._shows = shows
            if part is None or not fits:
                self._picture, part = QPixmap(size), None
                self._picture.setDevicePixelRatio(ratio)
                self._picture.fill(Qt.GlobalColor.transparent)
            on = QPainter(self._picture)
            on.scale(*[text_factor() if factor is None else factor] * 2)
            if part is not None:
                on.setClipRect(part)
            paint(on)
            on.end()
        painter.save()
        painter.resetTransform()
        painter.drawPixmap(0, 0, self._picture)
        painter.restore()


def _alike(one: tuple[Any, ...], other: tuple[Any, ...]) -> bool:
    return len(one) == len(other) and all(
        a is b or (isinstance(a, PLAIN) and type(a) is type(b) and a == b)
        for a, b in zip(one, other, strict=True)
    )
