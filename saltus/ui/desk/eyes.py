"""What repeat checks said of people's eyes, offered wherever a reading uncertainty is asked for."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QPushButton

from saltus.core.statement import to_figures
from saltus.core.wording import _
from saltus.notebook.derived.eyes import eye_check, signed
from saltus.notebook.measuring import EyeTest
from saltus.notebook.part import PartError
from saltus.ui.kit.menus import Entry, menu_of, open_under
from saltus.ui.kit.settings import set_setting, setting

if TYPE_CHECKING:
    from saltus.ui.desk.desk import Desk

EYES, MOST = "eyes", 40


def kept_eyes() -> list[EyeTest]:
    """Repeat checks kept on this machine, the latest first; what cannot be read is left out."""
    found = []
    told = setting(EYES)
    for one in told if isinstance(told, list) else []:
        try:
            found.append(EyeTest(**one))
        except (PartError, TypeError):
            continue
    return found


def keep_for_person(eye: EyeTest) -> None:
    """Keep a repeat check for other notebooks."""
    rest: list[dict[str, Any]] = [e.model_dump() for e in kept_eyes() if signed(e) != signed(eye)]
    set_setting(EYES, [eye.model_dump(), *rest][:MOST])


def known_eyes(desk: Desk) -> list[EyeTest]:
    """All that is known of eyes: of the notebook, the latest first, then of this machine."""
    own = list(reversed(desk.notebook.eyes))
    names = {signed(e) for e in own}
    return [*own, *(e for e in kept_eyes() if signed(e) not in names)]


def eye_words(eye: EyeTest) -> str:
    """How well a person reads, by whom and when."""
    words = _("{who}: {u} px, from {n} frames")
    return words.format(who=signed(eye), u=to_figures(eye_check(eye).u_px, 2), n=len(eye.first))


class EyeButton(QPushButton):
    """Offers what repeat checks gave, with name and date; hidden while there was none.

    Signals
    -------
    chosen(EyeTest)
    """

    chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, what: str) -> None:
        super().__init__(_("A practised eye…"))
        self._desk = desk
        self.setObjectName("link")
        self.setAccessibleName(_("{what}: as a repeat check gave it").format(what=what))
        self.setToolTip(_("Take what a repeat check gave, with name and date"))
        self.clicked.connect(self._open)

    def refresh(self) -> None:
        """Show it where there is something to offer."""
        self.setVisible(bool(known_eyes(self._desk)))

    def _open(self) -> None:
        entries = [Entry(eye_words(eye), partial(self.chosen.emit, eye)) for eye in known_eyes(self._desk)]
        open_under(menu_of(self, entries), self)
