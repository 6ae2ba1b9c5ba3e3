"""A keyboard for lessons that are played through the window."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLineEdit

KEY = Qt.Key
MODS = Qt.KeyboardModifier


class Keys:
    """A keyboard: everything goes to the widget that has the focus, as the desktop would send it."""

    def __init__(self, qtbot, window):
        self.bot, self.window = qtbot, window

    def focus(self):
        """The widget that has the focus."""
        return QApplication.focusWidget() or self.window

    def press(self, key, mods=MODS.NoModifier):
        """Press one key."""
        self.bot.keyClick(self.focus(), key, mods)
        QApplication.processEvents()

    def type(self, text):
        """Type text, each character to where the focus is by then."""
        for letter in text:
            self.bot.keyClicks(self.focus(), letter)
        QApplication.processEvents()

    def tab_to(self, wanted, most=60):
        """Press Tab until a widget has the focus."""
        for _step in range(most):
            if self.focus() is wanted:
                return
            self.press(KEY.Key_Tab)
        raise AssertionError(f"Tab does not reach {wanted}: it stops at {self.focus()}")

    def start(self, name):
        """From the start page to the empty table of an investigation."""
        window = self.window
        self.tab_to(window.start.investigate)
        self.press(KEY.Key_Space)
        self.type(name)
        self.tab_to(window.gallery.cards[0])
        self.press(KEY.Key_Return)
        self.press(KEY.Key_Space)
        assert window.stage == "trials"

    def level(self, text, rows):
        """A new level, and its trials: rows of cells as they stand in the table from left to right."""
        self.press(KEY.Key_Return, MODS.ControlModifier | MODS.ShiftModifier)
        assert isinstance(self.focus(), QLineEdit)
        self.type(text)
        self.press(KEY.Key_Return)
        for n, cells in enumerate(rows):
            self.window.trials.table.setFocus()
            for place, cell in enumerate(cells):
                self.type(cell)
                self.press(KEY.Key_Tab if place < len(cells) - 1 else KEY.Key_Return)
            for _cell in cells[1:] if n < len(rows) - 1 else ():
                self.press(KEY.Key_Backtab, MODS.ShiftModifier)

    def given(self, name, text):
        """Type a given."""
        self.window.trials.show_panel(1)
        field = self.window.trials.givens.fields[name]
        self.tab_to(field)
        self.type(text)
        self.press(KEY.Key_Return)
