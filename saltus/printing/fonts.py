"""The fonts that ship with Saltus."""

from functools import lru_cache
from pathlib import Path

from PyQt6.QtGui import QFont, QFontDatabase

from saltus.printing.tokens import SANS, SERIF


@lru_cache(maxsize=1)
def load_fonts() -> None:
    """Make the bundled fonts known to Qt; needs a QGuiApplication."""
    for path in sorted((Path(__file__).parent / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))


def sans(size: float, weight: int = 400) -> QFont:
    """Text font, size in px."""
    return _font(SANS, size, weight)


def serif(size: float, weight: int = 400, *, italic: bool = False) -> QFont:
    """Font of the sheet and, in italics, of quantity symbols; size in px."""
    made = _font(SERIF, size, weight)
    made.setItalic(italic)
    return made


def _font(name: str, size: float, weight: int) -> QFont:
    load_fonts()
    made = QFont(name)
    made.setPixelSize(max(1, round(size)))
    made.setWeight(QFont.Weight(weight))
    return made
