"""The base of every stage: what is worked on at the left, what it means at the right."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from saltus.ui.kit.columns import beside_column
from saltus.ui.kit.widgets import Card, NextCard, label, row

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PyQt6.QtWidgets import QBoxLayout

    from saltus.ui.desk.desk import Desk


class Stage(QWidget):
    """A stage of the window, which shows the document only while it is seen.

    A stage fills itself by :meth:`beside`, says in :meth:`show_now` how it shows the document, and is told to
    by :meth:`refresh`.

    Attributes
    ----------
    follows_place : bool
        Whether it is shown anew when another frame, take or body is looked at.
    next : NextCard
        What to do next, at the foot of the column.
    """

    follows_place: ClassVar[bool] = True

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.next = NextCard()

    def beside(self, left: QWidget, width: int) -> None:
        """Put what is worked on beside the column of the stage, whose width is in px at normal text."""
        self._column, self._foot = beside_column(self, left, width)

    def listen(self) -> None:
        """Close the column with what to do next, and show the document whenever it changes."""
        self._foot.addWidget(self.next)
        self._desk.changed.connect(self.refresh)
        if self.follows_place:
            self._desk.lookedElsewhere.connect(self.refresh)

    def refresh(self) -> None:
        """Show the document as it is, if anyone sees it."""
        if self.isVisible():
            self.show_now()

    def show_now(self) -> None:
        """Show the document as it is: what a stage fills in; the base has nothing to show."""

    def showEvent(self, event: object) -> None:
        """Catch up with what happened while the stage was not seen."""
        self.refresh()


def framed(
    head: QBoxLayout, things: Sequence[QWidget], edges: tuple[int, int, int, int], gap: int, name: str = ""
) -> QWidget:
    """Put a head over the things of a stage, the last of which takes the room.

    Parameters
    ----------
    head : QBoxLayout
    things : sequence of QWidget
    edges : tuple of int
        Left, top, right and bottom margins, px.
    gap : int
        Between one and the next, px.
    name : str
        Names its ground in the style sheet; none is transparent.
    """
    left = QWidget()
    if name:
        left.setObjectName(name)
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    whole = QVBoxLayout(left)
    whole.setContentsMargins(*edges)
    whole.setSpacing(gap)
    whole.addLayout(head)
    for i, thing in enumerate(things):
        whole.addWidget(thing, int(i == len(things) - 1))
    return left


def empty_page(title: str, words: str, ways: Sequence[QWidget], edge: int) -> QWidget:
    """Say on a page of its own what a stage is for while it has nothing to show, and how to begin.

    Parameters
    ----------
    title, words : str
    ways : sequence of QWidget
        Buttons, one under the other.
    edge : int
        Margin on all sides, px.
    """
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(edge, edge, edge, edge)
    card = Card(padding=20, gap=12)
    card.add(label(title, "title", wrap=True), label(words, wrap=True))
    for one in ways:
        card.column.addLayout(row(one, stretch=1))
    column.addWidget(card)
    column.addStretch(1)
    return page
