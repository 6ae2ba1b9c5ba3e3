"""Start: carry on, open a film, film a simulated run, see the demo."""

from __future__ import annotations

from datetime import datetime
from functools import cache, partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QGridLayout, QScrollArea, QVBoxLayout, QWidget

from saltus.core.wording import _, plural
from saltus.printing.fonts import sans
from saltus.ui.desk.recent import picture_file, recent_notebooks
from saltus.ui.desk.scene_words import scene_words
from saltus.ui.kit.columns import beside_column
from saltus.ui.kit.drop_area import DropArea
from saltus.ui.kit.icons import paint_icon
from saltus.ui.kit.marks import draw_mark
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import Scaled, scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import Card, button, clear_layout, draw_covering, label, row
from saltus.ui.start.typed_text import TypedText

if TYPE_CHECKING:
    from saltus.notebook.recovery import Left

CARDS = 3
ROOM_FOR_THREE = 1.3
"""From this text factor on, two cards stand beside each other."""
NARROWEST_TITLE, TITLE_Y = 110, 160
STILLS = {"incline": "felt-puck", "free-fall": "steel-ball", "pendulum": "brass-bob"}


def _across() -> int:
    """How many cards stand beside each other."""
    return CARDS if text_factor() < ROOM_FOR_THREE else CARDS - 1


class PictureCard(Scaled, QAbstractButton):
    """A card with a picture, a title and two lines; the whole card is the button."""

    def __init__(
        self, picture: QImage | None, title: str, first: str, second: str, marks: tuple[str, ...] = ()
    ) -> None:
        super().__init__()
        self._marks = marks
        self._picture, self._title, self._first, self._second = picture, title, first, second
        self.setFixedHeight(scaled(226))
        self.setMinimumWidth(120)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{title}: {first}")

    def sizeHint(self) -> QSize:
        return QSize(250, scaled(226))

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = self.area.adjusted(1, 1, -1, -1)
        strong = self.hasFocus() or self.underMouse()
        painter.setBrush(theme.colour("card"))
        painter.setPen(QPen(theme.colour("accent" if strong else "line"), 2 if strong else 1))
        painter.drawRoundedRect(box, 8, 8)
        top = QRectF(box.left() + 1, box.top() + 1, box.width() - 2, 132)
        if self._picture is not None and not self._picture.isNull():
            draw_covering(painter, top, self._picture)
        else:
            middle = top.center()
            box_of_icon = QRectF(middle.x() - 26, middle.y() - 26, 52, 52)
            paint_icon(painter, "page", box_of_icon, theme.colour("line2"), 1.0)
            painter.setPen(theme.colour("line"))
            painter.drawLine(QPointF(box.left(), top.bottom()), QPointF(box.right(), top.bottom()))
        self._words(painter, box)

    def _words(self, painter: QPainter, box: QRectF) -> None:
        marks = 16 * len(self._marks)
        beside = box.width() - 28 - marks >= NARROWEST_TITLE
        for text, size, weight, token, y in (
            (self._title, 15, 600, "ink", TITLE_Y),
            (self._first, 14, 400, "ink", 183),
            (self._second, 13, 400, "ink2", 207),
        ):
            painter.setFont(sans(size, weight))
            painter.setPen(theme.colour(token))
            metrics = painter.fontMetrics()
            room = box.width() - 28 - (marks + 6 if beside and marks and y == TITLE_Y else 0)
            shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(room))
            painter.drawText(QPointF(box.left() + 14, y), shown)
        if marks and not beside:
            # no room beside the title: on the picture
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("card"))
            painter.drawRoundedRect(QRectF(box.right() - 18 - marks, 110, marks + 8, 18), 9, 9)
        for i, mark in enumerate(self._marks):
            x = box.right() - 14 - 16 * (len(self._marks) - i - 0.5)
            draw_mark(painter, QPointF(x, 156 if beside else 119), mark, 11)


class StartPage(QWidget):
    """The quiet page the window opens on without a notebook."""

    openNotebook = pyqtSignal(Path)
    askNotebook = pyqtSignal()
    askFilm = pyqtSignal()
    askPictures = pyqtSignal()
    newNotebook = pyqtSignal()
    gallery = pyqtSignal()
    demo = pyqtSignal(str)
    simulate = pyqtSignal(str)
    takeOver = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.offered: list[Left] = []
        inner = QWidget()
        inner.setObjectName("desk")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        left = QVBoxLayout(inner)
        left.setContentsMargins(18, 16, 16, 16)
        left.setSpacing(10)
        self._rescued = QVBoxLayout()
        left.addLayout(self._rescued)
        left.addLayout(
            row(
                label(_("Carry on"), "title"),
                button(_("Open another…"), self.askNotebook.emit, "link"),
                stretch=1,
            )
        )
        self._recent = QGridLayout()
        self._recent.setSpacing(12)
        for i in range(_across()):
            self._recent.setColumnStretch(i, 1)
        left.addLayout(self._recent)
        left.addSpacing(10)
        left.addLayout(
            row(
                label(_("Film a simulated run"), "title"),
                label(_("for practice: the true motion is known"), "note"),
                stretch=2,
            )  # fmt: skip
        )
        left.addLayout(self._scenes())
        left.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        self._column, self._foot = beside_column(self, scroll, 388)
        self._build_column()

    def _scenes(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(12)
        for i in range(_across()):
            grid.setColumnStretch(i, 1)
        for i, (scene, still) in enumerate(STILLS.items()):
            title, words = scene_words(scene)
            card = PictureCard(_still(still), title, words, _("made by the virtual camera"))
            card.clicked.connect(lambda _on, s=scene: self.simulate.emit(s))
            grid.addWidget(card, *divmod(i, _across()))
        return grid

    def _build_column(self) -> None:
        self._column.addWidget(label(_("Start an investigation"), "title"))
        words = _("Choose by what you want to find out: table, graph and result come ready and empty.")
        self._column.addWidget(label(words, "note", wrap=True))
        self.investigate = button(_("Open the gallery…"), self.gallery.emit, "main")
        self._column.addLayout(row(self.investigate, stretch=1))
        self._column.addSpacing(6)
        self._column.addWidget(label(_("Open a film"), "title"))
        drop = DropArea(_("Drop a film anywhere in this window."))
        drop.clicked.connect(self.askFilm.emit)
        self._column.addWidget(drop)
        self._column.addLayout(
            row(
                button(_("Choose a film…"), self.askFilm.emit),
                button(_("Folder of pictures…"), self.askPictures.emit),
                stretch=2,
            )  # fmt: skip
        )
        self._column.addSpacing(8)
        self._column.addWidget(label(_("See the demo"), "title"))
        demo = Card()
        demo.add(
            label(_("The clock-repair workshop’s open day"), "heading", wrap=True),
            label(
                _(
                    "A felt puck measured from end to end, a steel ball ready to read, a brass bob. "
                    "Opens as a copy; change what you like."
                ),
                "note",
                wrap=True,
            ),  # fmt: skip
        )
        self.open_demo = button(_("Open the demo"), lambda: self.demo.emit("open-day"))
        demo.column.addLayout(
            row(self.open_demo, label(_("a look round takes 5 minutes"), "note"), stretch=2)
        )
        trials = button(_("See a table of trials"), lambda: self.demo.emit("swings"), "link")
        times = button(_("Time what is heard"), lambda: self.demo.emit("times"), "link")
        demo.column.addLayout(row(trials, times, stretch=2))
        films = button(_("Ten films at once"), lambda: self.demo.emit("runs"), "link")
        swing = button(_("Motion and models"), lambda: self.demo.emit("motion"), "link")
        demo.column.addLayout(row(films, swing, stretch=2))
        self._column.addWidget(demo)
        self._column.addStretch(1)

    def offer(self, lost: list[Left], kept: list[str]) -> None:
        """Offer work that a crash left behind, with what it holds; name journals that are not understood."""
        if kept:
            words = plural(
                "{n} journal holds work that this version does not understand. It is kept: {names}",
                "{n} journals hold work that this version does not understand. They are kept: {names}",
                len(kept), names=", ".join(kept[:4]),
            )  # fmt: skip
            self._rescued.addWidget(label(words, "note", wrap=True))
        self.offered = [*self.offered, *lost]
        for left in lost:
            card = Card("advice", 11, 4)
            card.add(
                label(_("Work that was not saved: {title}").format(title=left.notebook.title), "heading")
            )
            card.add(label(preview(left), "note", wrap=True))
            if left.typed is not None:
                card.add(TypedText(*left.typed))
            recover = button(_("Go on with it"), partial(self._answer, card, left, take=True), "main")
            drop = button(_("Throw it away"), partial(self._answer, card, left, take=False), "link")
            later = button(_("Ask again next time"), partial(self._later, card, left), "link")
            card.column.addLayout(row(recover, later, drop, stretch=3))
            self._rescued.addWidget(card)

    def _answer(self, card: Card, left: Left, *, take: bool) -> None:
        card.hide()
        self.offered.remove(left)
        if take:
            self.takeOver.emit(left)
        else:
            left.forget()

    def _later(self, card: Card, left: Left) -> None:
        card.hide()
        self.offered.remove(left)
        left.release()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Show the notebooks opened lately; without any, the demo and an empty notebook."""
        clear_layout(self._recent)
        column = 0
        for recent in recent_notebooks()[:CARDS]:
            there = recent.path.exists()
            takes = plural("{n} take", "{n} takes", recent.takes)
            where = takes if there else _("not found: {place}").format(place=recent.path.parent)
            picture = QImage(str(picture_file(recent.path.resolve())))
            first = recent.result if there and recent.result else where
            card = PictureCard(
                picture, recent.title, first, f"{recent.path.name} · {recent.when}", recent.marks
            )
            card.setToolTip(plain(str(recent.path)))
            if there:
                card.clicked.connect(lambda _on, p=recent.path: self.openNotebook.emit(p))
            else:
                card.clicked.connect(lambda _on: self.askNotebook.emit())
            self._recent.addWidget(card, *divmod(column, _across()))
            column += 1
        if column < CARDS:
            card = PictureCard(
                _still("felt-puck"),
                _("The demo"),
                _("Clock workshop open day"),
                _("three films, one measured"),
            )
            card.clicked.connect(lambda _on: self.demo.emit("open-day"))
            self._recent.addWidget(card, *divmod(column, _across()))
            column += 1
        if column < CARDS:
            card = PictureCard(
                None, _("An empty notebook"), _("open a film when you are ready"), _("nothing is saved yet")
            )
            card.clicked.connect(lambda _on: self.newNotebook.emit())
            self._recent.addWidget(card, *divmod(column, _across()))
            column += 1
        while column < CARDS:
            self._recent.addWidget(QWidget(), *divmod(column, _across()))
            column += 1


def preview(left: Left) -> str:
    """Say what work left behind holds: takes, readings, the last edits, and when."""
    notebook = left.notebook
    read = sum(len(body.readings) for take in notebook.takes for body in take.bodies)
    parts = [
        plural("{n} take", "{n} takes", len(notebook.takes)),
        plural("{n} reading", "{n} readings", read),
        plural("{n} edit in no file", "{n} edits in no file", left.edits),
    ]
    when = datetime.fromtimestamp(left.when).astimezone().strftime("%-d %B, %H:%M:%S")
    words = ", ".join(parts) + ". " + _("Last change {when}.").format(when=when)
    if left.last:
        words += " " + _("Last edits: {names}.").format(names=", ".join(left.last))
    if left.place is not None:
        words += " " + _("Saved before as {name}.").format(name=left.place.name)
    return words


@cache
def _still(name: str) -> QImage:
    return QImage(str(Path(__file__).parent.parent / "stills" / f"{name}.jpg"))
