"""How a stage is divided: what is worked on, the column at its right, what belongs below."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from saltus.ui.kit.scaling import column_width
from saltus.ui.kit.widgets import GAP

NARROWER = 0.94
"""A column gives up so much of its width before a stage has to be scrolled."""


class _Panel(QWidget):
    """As wide as it likes to be, and a little narrower where the window is.

    Parameters
    ----------
    width : int
        px
    """

    def __init__(self, width: int) -> None:
        super().__init__()
        self._width = width
        self.setObjectName("column")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setMinimumWidth(round(NARROWER * width))
        self.setMaximumWidth(width)

    def sizeHint(self) -> QSize:
        return QSize(self._width, super().sizeHint().height())


def column_panel(width: int = 304) -> tuple[QWidget, QVBoxLayout, QVBoxLayout]:
    """The column at the right of a stage: what scrolls when it is too long, and a foot always in sight.

    Returns
    -------
    panel : QWidget
    column, foot : QVBoxLayout
    """
    inner = QWidget()
    inner.setObjectName("inner")
    column = QVBoxLayout(inner)
    column.setContentsMargins(16, 14, 16, 10)
    column.setSpacing(GAP)
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setWidget(inner)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    panel = _Panel(column_width(width))
    whole = QVBoxLayout(panel)
    whole.setContentsMargins(1, 0, 0, 0)  # leaves the hairline at its left
    whole.setSpacing(0)
    whole.addWidget(area, 1)
    foot = QVBoxLayout()
    foot.setContentsMargins(16, 4, 16, 12)
    whole.addLayout(foot)
    return panel, column, foot


def beside_column(stage: QWidget, left: QWidget, width: int) -> tuple[QVBoxLayout, QVBoxLayout]:
    """Fill a stage with what grows at the left and a column at the right; gives the column and its foot."""
    layout = QHBoxLayout(stage)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(0)
    layout.addWidget(left, 1)
    panel, column, foot = column_panel(width)
    layout.addWidget(panel)
    return column, foot


def over(top: QWidget, below: QWidget, sizes: tuple[int, int]) -> QSplitter:
    """Put a picture over what belongs to it, with a divider that can be dragged."""
    split = QSplitter(Qt.Orientation.Vertical)
    split.addWidget(top)
    split.addWidget(below)
    split.setSizes(list(sizes))
    split.setStretchFactor(0, 3)
    split.setStretchFactor(1, 1)
    split.setChildrenCollapsible(False)
    split.setHandleWidth(3)
    return split


def scrolling_list(name: str, edge: int, gap: int) -> tuple[QScrollArea, QVBoxLayout]:
    """A list of rows that scrolls up and down.

    Parameters
    ----------
    name : str
        For those who hear it.
    edge, gap : int
        Margin and space between rows, px.
    """
    inner = QWidget()
    rows = QVBoxLayout(inner)
    rows.setContentsMargins(edge, edge, edge, edge)
    rows.setSpacing(gap)
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setWidget(inner)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setAccessibleName(name)
    return scroll, rows
