"""The guide that ships with Saltus, a page for each stage."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QTextBrowser, QWidget

import saltus
from saltus.core.wording import _
from saltus.ui.app.rail import STAGES, stage_title

if TYPE_CHECKING:
    from PyQt6.QtCore import QUrl

GUIDE = Path(saltus.__file__).parent / "guide"
_PICTURE = re.compile(r"^!\[[^\]]*\]\(([^)]+)\)\s*$", re.MULTILINE)


def page_text(name: str) -> str:
    """Give a page of the guide as Markdown, without its pictures: the window itself is beside it."""
    text = (GUIDE / f"{name}.md").read_text(encoding="utf-8")
    return _PICTURE.sub("", text)


class Guide(QDialog):
    """Shows the guide; it can stay open beside the work."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(_("Guide"))
        self.resize(860, 640)
        layout = QHBoxLayout(self)
        more = ["following", "measuring", "many-films", "stopwatch", "safety", "numbers"]
        self._pages = ["README", "start", "gallery", *STAGES, *more]
        self._list = QListWidget()
        self._list.setAccessibleName(_("Pages of the guide"))
        self._list.setFixedWidth(170)
        stages = [stage_title(name) for name in STAGES]
        titles = [_("Overview"), stage_title("start"), _("Gallery"), *stages, _("Following")]
        self._list.addItems(
            [
                *titles,
                _("Measuring"),
                _("Many films"),
                _("Stopwatch"),
                _("When something breaks"),
                _("Tables and numbers"),
            ]
        )
        self._text = QTextBrowser()
        self._text.setAccessibleName(_("Page of the guide"))
        self._text.setOpenLinks(False)
        self._text.setStyleSheet("QTextBrowser { padding: 10px 16px; border: none }")
        self._text.anchorClicked.connect(self._follow)
        self._list.currentRowChanged.connect(self._show)
        layout.addWidget(self._list)
        layout.addWidget(self._text, 1)

    def open_page(self, name: str) -> None:
        """Show a page by the name of its stage."""
        self._list.setCurrentRow(self._pages.index(name) if name in self._pages else 0)
        self.show()
        self.raise_()
        self._text.setFocus()

    def _show(self, row: int) -> None:
        self._text.setMarkdown(page_text(self._pages[row]))

    def _follow(self, link: QUrl) -> None:
        name = Path(link.path()).stem
        if name in self._pages:
            self.open_page(name)
