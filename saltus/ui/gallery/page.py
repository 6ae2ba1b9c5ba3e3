"""The gallery: choose an investigation by what one finds out, what it needs and how long it takes."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from saltus.core.wording import _, plural
from saltus.investigations.recipe.recipe import METHODS
from saltus.investigations.view.gallery import catalogue, matches
from saltus.notebook.trials import FREE
from saltus.ui.gallery.card import InvestigationCard, SetUpDrawing, method_words
from saltus.ui.kit.columns import column_panel
from saltus.ui.kit.icons import icon
from saltus.ui.kit.marks import MarkLabel
from saltus.ui.kit.plain_text import plain
from saltus.ui.kit.scaling import scaled, text_factor
from saltus.ui.kit.theme import theme
from saltus.ui.kit.widgets import Card, Facts, button, clear_layout, label, row, rule, yielding

if TYPE_CHECKING:
    from saltus.investigations.recipe.recipe import Recipe

ACROSS = 3
NAMED = 3
SIDE_WIDE = 134
ROOM_FOR_ICONS = 1.3


class GalleryPage(QWidget):
    """Groups of cards at the left, the details of the chosen investigation at the right."""

    begin = pyqtSignal(str, str)
    """Id of the investigation, and how: ``film``, ``table`` or ``simulated``."""
    emptyNotebook = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.cards: list[InvestigationCard] = []
        self.chosen = ""
        self._method = ""
        self._open: set[str] = set()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        left = QVBoxLayout()
        left.setContentsMargins(16, 14, 0, 0)
        left.setSpacing(10)
        left.addLayout(self._head())
        left.addLayout(self._filters())
        self._rows = QVBoxLayout()
        self._rows.setContentsMargins(0, 0, 14, 14)
        self._rows.setSpacing(4)
        inner = QWidget()
        inner.setObjectName("desk")
        inner.setLayout(self._rows)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setWidget(inner)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        left.addWidget(self._area, 1)
        layout.addLayout(left, 1)
        panel, self._column, self._foot = column_panel(316)
        layout.addWidget(panel)
        self._build_details()
        self._across = ACROSS

    # -- built once ----------------------------------------------------------------------------------

    def _head(self) -> QHBoxLayout:
        self._count = yielding("", "note")
        if text_factor() >= ROOM_FOR_ICONS:
            self._count.hide()
        self.search = QLineEdit()
        self.search.setPlaceholderText(_("Search by quantity or equipment"))
        self.search.setAccessibleName(_("Search by quantity or equipment"))
        self.search.setClearButtonEnabled(True)
        self.search.addAction(icon("search", theme.colour("ink2")), QLineEdit.ActionPosition.LeadingPosition)
        self.search.setMinimumWidth(scaled(140))
        self.search.setMaximumWidth(scaled(290))
        self.search.textChanged.connect(lambda _text: self.refresh())
        made = row(label(_("Choose an investigation"), "title"), self._count, self.search)
        made.setStretch(1, 1)
        made.setStretch(2, 2)
        made.setContentsMargins(0, 0, 14, 0)
        return made

    def _filters(self) -> QHBoxLayout:
        made = row(*([] if text_factor() >= ROOM_FOR_ICONS else [label(_("Measured by"), "note")]))
        self._buttons = QButtonGroup(self)
        for method in ("", *METHODS):
            one = QPushButton(method_words(method) if method else _("any"))
            one.setObjectName("filter")
            one.setCheckable(True)
            one.setChecked(not method)
            if method and text_factor() < ROOM_FOR_ICONS:
                one.setIcon(icon(method, theme.colour("accent")))
                one.setIconSize(QSize(16, 16))
            one.clicked.connect(lambda _on=False, m=method: self._filter(m))
            self._buttons.addButton(one)
            made.addWidget(one)
        made.addStretch(1)
        made.setContentsMargins(0, 0, 14, 0)
        return made

    def _build_details(self) -> None:
        frame = Card(padding=2)
        self._drawing = SetUpDrawing()
        frame.add(self._drawing)
        self._title = label("", "title", wrap=True)
        self._minutes = label("", "note")
        self._question = label("", wrap=True)
        self._facts = Facts()
        self._needs = label("", wrap=True)
        self._checks = QVBoxLayout()
        self._cautions = QVBoxLayout()
        self._methods = QVBoxLayout()
        head = row(self._title, self._minutes)
        head.setStretch(0, 1)
        self._column.addWidget(frame)
        self._column.addLayout(head)
        for part in (self._question, rule(), self._facts, rule()):
            self._column.addWidget(part)
        self._column.addWidget(label(_("What you need"), "heading"))
        self._column.addWidget(self._needs)
        for words, lines in (
            (_("Cautions"), self._cautions),
            (_("Check before the first trial"), self._checks),
            (_("Measured by"), self._methods),
        ):
            self._column.addWidget(label(words, "heading"))
            lines.setSpacing(2)
            self._column.addLayout(lines)
        self._column.addStretch(1)
        self._foot.setSpacing(8)
        self.with_table = button(_("Start with a table"), lambda: self._begin("table"), "main")
        self.with_film = button(_("Start with a film"), lambda: self._begin("film"))
        self.simulated = button(_("See it with simulated data"), lambda: self._begin("simulated"))
        for one in (self.with_table, self.with_film, self.simulated):
            self._foot.addWidget(one)

    # -- acting --------------------------------------------------------------------------------------

    def _filter(self, method: str) -> None:
        self._method = method
        self.refresh()

    def _begin(self, how: str) -> None:
        if self.chosen:
            self.begin.emit(self.chosen, how)

    def _open_group(self, group: str, recipe_id: str = "") -> None:
        self._open.add(group)
        self.refresh()
        card = next((c for c in self.cards if c.recipe.id == recipe_id), None)
        if card is not None:
            card.setFocus(Qt.FocusReason.OtherFocusReason)
            self._area.ensureWidgetVisible(card)

    def choose(self, recipe_id: str) -> None:
        """Show the details of an investigation."""
        self.chosen = recipe_id
        for card in self.cards:
            card.show_chosen(card.recipe.id == recipe_id)
        self._show_details(next(r for r in catalogue() if r.id == recipe_id))

    def _move(self, recipe_id: str, step: int) -> None:
        at = next((i for i, c in enumerate(self.cards) if c.recipe.id == recipe_id), 0)
        step = step if abs(step) == 1 else (self._across if step > 0 else -self._across)
        card = self.cards[min(max(at + step, 0), len(self.cards) - 1)]
        card.setFocus(Qt.FocusReason.OtherFocusReason)
        self._area.ensureWidgetVisible(card, 0, 20)

    # -- showing -------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        self.refresh()

    def resizeEvent(self, event: object) -> None:
        across = max(1, min(ACROSS, int((self._area.width() - scaled(150)) // scaled(214))))
        if across != self._across:
            self._across = across
            self.refresh()

    def refresh(self) -> None:
        """Show the investigations that fit the search, group by group."""
        text = self.search.text()
        found = [r for r in catalogue() if matches(r, text, self._method)]
        everything = not text.strip() and not self._method
        clear_layout(self._rows)
        self.cards = []
        groups = list(dict.fromkeys(r.group for r in found))
        for group in groups:
            members = [r for r in found if r.group == group]
            whole = not everything or group in self._open
            self._rows.addWidget(self._group(group, members, whole=whole))
            self._rows.addWidget(rule())
        if not found:
            words = _("Nothing fits. Try one word, such as spring or angle, or take any way to measure.")
            self._rows.addWidget(label(words, wrap=True))
        empty = button(_("Start from an empty notebook"), self.emptyNotebook.emit, "link")
        self._rows.addLayout(row(empty, stretch=1))
        self._rows.addStretch(1)
        made = [r for r in found if r.id != FREE]
        self._count.setText(
            plural("{n} investigation", "{n} investigations", len(made))
            + (" " + _("and your own") if len(made) < len(found) else "")
        )
        if found:
            self.choose(self.chosen if any(r.id == self.chosen for r in found) else found[0].id)

    def _group(self, group: str, members: list[Recipe], *, whole: bool) -> QWidget:
        shown = members if whole else members[: self._across]
        holder = QWidget()
        across = QHBoxLayout(holder)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(12)
        heads = QVBoxLayout()
        heads.setSpacing(3)
        title = label(group, "heading", wrap=True)
        heads.addWidget(title)
        heads.addWidget(label(_("{n} in all").format(n=len(members)), "note"))
        rest = members[len(shown) :]
        named = rest if len(rest) <= NAMED else rest[: NAMED - 1]
        for recipe in named:
            link = button("", partial(self._open_group, group, recipe.id), "name", recipe.title)
            wide = scaled(SIDE_WIDE) - 4
            dots = Qt.TextElideMode.ElideRight
            link.ensurePolished()
            link.setText(link.fontMetrics().elidedText(recipe.title, dots, wide))
            link.setToolTip(plain(recipe.title))
            heads.addWidget(link)
        if len(rest) > len(named):
            more = _("and {n} more").format(n=len(rest) - len(named))
            heads.addWidget(button(more, lambda: self._open_group(group), "name"))
        heads.addStretch(1)
        side = QWidget()
        side.setLayout(heads)
        heads.setContentsMargins(0, 2, 0, 0)
        side.setFixedWidth(scaled(SIDE_WIDE))
        across.addWidget(side)
        grid = QGridLayout()
        grid.setSpacing(10)
        for i in range(self._across):
            grid.setColumnStretch(i, 1)
        for i, recipe in enumerate(shown):
            card = InvestigationCard(recipe)
            card.focused.connect(self.choose)
            card.moved.connect(self._move)
            card.entered.connect(lambda _id: self.with_table.setFocus(Qt.FocusReason.TabFocusReason))
            self.cards.append(card)
            grid.addWidget(card, *divmod(i, self._across))
        across.addLayout(grid, 1)
        return holder

    def _show_details(self, recipe: Recipe) -> None:
        texts = recipe.texts
        self._drawing.show_recipe(recipe)
        self._title.setText(recipe.title)
        self._minutes.setText(_("{n} min").format(n=recipe.minutes))
        self._question.setText(recipe.question)
        self._facts.show_rows(
            [
                (words, ", ".join(texts[key]))
                for key, words in (
                    ("varied", _("Varied")),
                    ("measured", _("Measured")),
                    ("same", _("Kept the same")),
                )
                if texts[key]
            ]
        )
        self._needs.setText(", ".join(texts["instruments"]))
        for part, mark, lines in (
            (self._cautions, "look", texts["cautions"]),
            (self._checks, "empty", texts["checks"]),
        ):
            clear_layout(part)
            for line in lines:
                part.addWidget(MarkLabel(mark, line, quiet=True))
        clear_layout(self._methods)
        for method in recipe.methods:
            one = QPushButton(method_words(method))
            one.setIcon(icon(method, theme.colour("ink2")))
            one.setObjectName("flat")
            one.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            one.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            self._methods.addWidget(one)
        self.with_film.setVisible("film" in recipe.methods)
        self.simulated.setVisible(recipe.id != FREE)
