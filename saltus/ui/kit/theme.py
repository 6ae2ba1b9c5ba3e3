"""The look: tokens turned into a palette and a style sheet."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtGui import QColor, QGuiApplication, QPalette

from saltus.printing.fonts import load_fonts, sans
from saltus.printing.tokens import DARK, LIGHT, SANS, look
from saltus.ui.kit.scaling import scaled, sized, text_factor

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from saltus.printing.chart_style import Style


class Theme:
    """The colours in force."""

    def __init__(self) -> None:
        self.dark = False

    @property
    def tokens(self) -> dict[str, str]:
        """Colours by token."""
        return DARK if self.dark else LIGHT

    @property
    def chart(self) -> Style:
        """How graphs look on screen."""
        from saltus.printing.chart_style import SCREEN_DARK, SCREEN_LIGHT  # noqa: PLC0415  start-up time

        return SCREEN_DARK if self.dark else SCREEN_LIGHT

    def colour(self, token: str) -> QColor:
        """A colour by token."""
        return QColor(self.tokens[token])

    def body(self, number: int) -> QColor:
        """Colour of a body on paper, or on dark cards."""
        chosen = look(number)
        return QColor(chosen.stage if self.dark else chosen.paper)

    def body_soft(self, number: int) -> QColor:
        """Soft ground of a body."""
        if not self.dark:
            return QColor(look(number).soft)
        tint = QColor(look(number).stage)
        tint.setAlphaF(0.16)
        return tint


theme = Theme()

_SHEET = """
* {{ font-family: '{sans}'; font-size: 14px; color: {ink}; }}
QMainWindow, QWidget#desk {{ background: {app}; }}
QWidget#panel, QScrollArea#panel, QWidget#column, QWidget#inner {{ background: {panel}; border: none; }}
QWidget#column {{ border-left: 1px solid {line}; }}
QWidget#strip {{ background: {panel}; border-bottom: 1px solid {line}; }}
QWidget#limit {{ background: {panel}; border-top: 1px solid {line}; }}
QFrame#card {{ background: {card}; border: 1px solid {line}; border-radius: 8px; }}
QFrame#chosen {{ background: {card}; border: 1.5px solid {ink}; border-radius: 8px; }}
QFrame#next {{ background: {accsoft}; border: none; border-radius: 8px; }}
QFrame#advice {{ background: {warnsoft}; border: none; border-radius: 8px; }}
QFrame#rule {{ background: {line}; max-height: 1px; min-height: 1px; border: none; }}
QLabel {{ background: transparent; }}
QLabel#heading {{ font-size: 15px; font-weight: 600; }}
QLabel#title {{ font-size: 18px; font-weight: 600; }}
QLabel#note {{ font-size: 13px; color: {ink2}; }}
QLabel#value {{ font-size: 16px; font-weight: 600; }}
QLabel#warn {{ color: {warn}; font-size: 13px; }}
QLabel#nexttitle {{ color: {accent}; font-weight: 600; font-size: 14px; }}
QPushButton {{ background: {card}; color: {accent}; border: 1px solid {accent}; border-radius: 6px;
  padding: 5px 12px; font-weight: 600; min-height: 20px; }}
QPushButton:hover {{ background: {accsoft}; }}
QPushButton:disabled {{ color: {ink3}; border-color: {line2}; background: {panel}; }}
QPushButton#main {{ background: {accent}; color: {onacc}; border: 1px solid {accent}; }}
QPushButton#main:hover {{ background: {ink2}; color: {card}; }}
QPushButton#main:disabled {{ background: {panel}; color: {ink3}; border-color: {line2}; }}
QPushButton#link {{ background: transparent; border: 1px solid transparent; padding: 3px 4px; }}
QPushButton#link:hover {{ text-decoration: underline; }}
QPushButton#link:disabled {{ color: {ink3}; }}
QPushButton#name {{ background: transparent; border: none; padding: 0; text-align: left; font-size: 13px;
  min-height: 18px; }}
QPushButton#name:hover {{ text-decoration: underline; }}
QPushButton#name:focus {{ border: none; text-decoration: underline; }}
QPushButton#flat {{ background: transparent; border: none; padding: 1px 0; text-align: left; color: {ink};
  font-weight: 400; min-height: 18px; }}
QPushButton#filter {{ border-radius: 14px; padding: 3px 11px; font-weight: 400; border-color: {line2}; color: {ink}; }}
QPushButton#filter:checked {{ background: {accent}; color: {onacc}; border-color: {accent}; }}
QTableView::indicator {{ width: 13px; height: 13px; border: 1px solid {line2}; border-radius: 2px; background: {card}; }}
QTableView::indicator:checked {{ background: {accent}; border-color: {accent}; }}
QPushButton#quiet {{ background: transparent; border: 1px solid transparent; padding: 3px; min-width: 26px; }}
QPushButton#quiet:hover {{ background: {accsoft}; }}
QPushButton#body {{ background: {panel}; border: 1px solid {line}; border-radius: 6px; text-align: left;
  color: {ink}; font-weight: 400; padding: 6px 10px; }}
QPushButton#body:checked {{ background: {card}; border: 1.5px solid {ink}; font-weight: 600; }}
QPushButton:focus, QToolButton:focus {{ outline: none; border: 2px solid {accent}; }}
QPushButton#main:focus {{ border: 2px solid {ink}; }}
QLineEdit, QSpinBox, QDoubleSpinBox, QPlainTextEdit {{ background: {card}; border: 1px solid {line2};
  border-radius: 6px; padding: 4px 8px; min-height: 20px; selection-background-color: {accent};
  selection-color: {onacc}; }}
QLineEdit:focus, QSpinBox:focus, QPlainTextEdit:focus {{ border: 2px solid {accent}; padding: 3px 7px; }}
QLineEdit[wrong="true"] {{ border: 2px solid {warn}; }}
QLineEdit:disabled {{ background: {panel}; color: {ink3}; }}
QComboBox {{ background: {card}; border: 1px solid {line}; border-radius: 6px; padding: 4px 10px; min-height: {high}px; }}
QComboBox:focus {{ border: 2px solid {accent}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url({chevron}); width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {card}; border: 1px solid {line2}; selection-background-color: {accsoft};
  selection-color: {ink}; outline: none; padding: 4px; }}
QMenu {{ background: {card}; border: 1px solid {line2}; padding: 6px; }}
QMenu::item {{ padding: 6px 26px 6px 14px; border-radius: 4px; }}
QMenu::item:selected {{ background: {accsoft}; }}
QMenu::item:disabled {{ color: {ink3}; }}
QMenu::separator {{ height: 1px; background: {line}; margin: 6px 8px; }}
QToolTip {{ background: {ink}; color: {card}; border: none; padding: 5px 8px; }}
QScrollArea {{ border: none; background: transparent; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 2px; }}
QScrollBar::handle:vertical {{ background: {line2}; border-radius: 3px; min-height: 30px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 2px; }}
QScrollBar::handle:horizontal {{ background: {line2}; border-radius: 3px; min-width: 30px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none;
  border: none; width: 0; height: 0; }}
QProgressBar {{ background: {line}; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }}
QProgressBar::chunk {{ background: {accent}; border-radius: 3px; }}
QTableView {{ background: {card}; border: 1px solid {line}; border-radius: 6px; gridline-color: {line};
  selection-background-color: {accsoft}; selection-color: {ink}; }}
QHeaderView::section {{ background: {panel}; border: none; border-bottom: 1px solid {line}; padding: 4px 8px;
  font-weight: 600; }}
QDialog {{ background: {panel}; }}
"""


def system_is_dark() -> bool:
    """Whether the desktop asks for dark windows."""
    from PyQt6.QtCore import Qt  # noqa: PLC0415  only here

    hints = QGuiApplication.styleHints()
    return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


def apply_theme(app: QApplication, *, dark: bool | None = None) -> None:
    """Dress the application; None follows the system's colour scheme.

    Parameters
    ----------
    app : QApplication
    dark : bool, optional
    """
    theme.dark = system_is_dark() if dark is None else dark
    load_fonts()
    tokens = theme.tokens
    from saltus.ui.kit.icons import chevron_file  # noqa: PLC0415  icons need the theme

    sheet = sized(_SHEET.format(sans=SANS, chevron=chevron_file(), high=scaled(20), **tokens))
    if sheet == app.styleSheet():
        # colours and sizes stand in it: dressing all that is on screen again would change nothing
        return
    app.setStyle("Fusion")
    app.setFont(sans(14 * text_factor()))
    palette = QPalette()
    for role, token in (
        (QPalette.ColorRole.Window, "app"),
        (QPalette.ColorRole.Base, "card"),
        (QPalette.ColorRole.Text, "ink"),
        (QPalette.ColorRole.WindowText, "ink"),
        (QPalette.ColorRole.ButtonText, "ink"),
        (QPalette.ColorRole.Button, "card"),
        (QPalette.ColorRole.Highlight, "accent"),
        (QPalette.ColorRole.HighlightedText, "onacc"),
        (QPalette.ColorRole.PlaceholderText, "ink3"),
    ):
        palette.setColor(role, QColor(tokens[token]))
    app.setPalette(palette)
    app.setStyleSheet(sheet)
