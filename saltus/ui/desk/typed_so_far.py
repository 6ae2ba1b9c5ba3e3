"""What is being typed goes to the journal every second, without leaving the field or ending the edit."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from saltus.core.wording import _

if TYPE_CHECKING:
    from saltus.session.session import Session

EVERY_MS = 1000
PARTS_OF = 3
"""A field may be a part of a box with arrows, or lie in a table: so far up its name is looked for."""
Field = QLineEdit | QPlainTextEdit | QTextEdit


class TypedSoFar(QObject):
    """Looks once a second at the field that is typed in; typing without a pause does not put it off.

    Parameters
    ----------
    session : Session
    parent : QWidget
        The window the fields are in.
    """

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self._session, self._window = session, parent
        self._field: Field | None = None
        self._first = self._written = ""
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._moved)
        timer = QTimer(self)
        timer.setInterval(EVERY_MS)
        timer.timeout.connect(self.keep)
        timer.start()

    def _moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        if self._written:
            # it was taken or given up: either way it is not under way any more
            self._session.journal.typing("", "")
            self._written = ""
        ours = isinstance(new, Field) and not new.isReadOnly() and self._window.isAncestorOf(new)
        self._field = new if ours and isinstance(new, Field) else None
        self._first = _text(self._field) if self._field is not None else ""

    def keep(self) -> None:
        """Write down what stands in the field now, where it is new."""
        field = self._field
        if field is None or not self._session.opened:
            return
        try:
            text = _text(field)
            if text not in (self._first, self._written):
                self._session.journal.typing(_called(field), text)
                self._written = text
        except RuntimeError:
            # the field is gone, and with it what was typed there
            self._field = None


def _text(field: Field) -> str:
    return field.text() if isinstance(field, QLineEdit) else field.toPlainText()


def _called(field: Field) -> str:
    """What a field is called: by itself, by what it is a part of, or by its cell."""
    place: QWidget | None = field
    for _step in range(PARTS_OF):
        if place is None:
            break
        if place.accessibleName():
            return place.accessibleName()
        if isinstance(place, QAbstractItemView):
            words = place.currentIndex().data(Qt.ItemDataRole.AccessibleTextRole)
            return str(words).split(":")[0] if words else _("a cell")
        place = place.parentWidget()
    return field.placeholderText() or _("a field")
