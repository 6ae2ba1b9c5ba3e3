"""Icons drawn for Saltus: line drawings on a 24 px square, tinted on use."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

_DRAWINGS = {
    "film": "<rect x='3' y='5' width='18' height='14' rx='2'/><path d='M3 9h18M3 15h18M7 5v4M12 5v4M17 5v4"
    "M7 15v4M12 15v4M17 15v4'/>",
    "scale": "<path d='M4 5v14M20 5v14M7 12h10'/><path d='M9.5 9.5 7 12l2.5 2.5M14.5 9.5 17 12l-2.5 2.5'/>",
    "read": "<path d='M8.2 4.8a8 8 0 0 1 7.6 0M19.2 8.2a8 8 0 0 1 0 7.6M15.8 19.2a8 8 0 0 1-7.6 0"
    "M4.8 15.8a8 8 0 0 1 0-7.6M12 1.5v4M12 18.5v4M1.5 12h4M18.5 12h4'/>",
    "follow": "<path d='M4 8V4h4M16 4h4v4M20 16v4h-4M8 20H4v-4'/><circle cx='12' cy='12' r='2.2'/>",
    "motion": "<path d='M3 19c5 0 6-3 8-7s4-7 10-7'/><circle cx='3.5' cy='19' r='1.4'/><circle cx='11' cy='12' r='1.4'/>"
    "<circle cx='20.5' cy='5' r='1.4'/>",
    "findings": "<path d='M6 3h8l4 4v14H6zM14 3v4h4'/><path d='M9 12h6M9 15.5h6M9 8.5h2'/>",
    "trials": "<path d='M4 6h3M10 6h3M7 10h3M14 10h3M4 14h3M12 14h3M9 18h3M17 18h3' stroke-width='3'/>",
    "graph": "<path d='M4 3v17h17'/><path d='M7 16 19 5'/><circle cx='9' cy='14.2' r='1.3'/><circle cx='13' cy='10.5' r='1.3'/>"
    "<circle cx='17' cy='6.8' r='1.3'/>",
    "time": "<path d='M6 6v12M6 6h2M6 18h2M18 6v12M18 6h-2M18 18h-2'/><path d='M9.5 12h5'/><circle cx='12' cy='12' r='1'/>",
    "stopwatch": "<circle cx='12' cy='14' r='7.5'/><path d='M12 14V9.5M10 3h4M12 3v3.5M18 7l1.5-1.5'/>",
    "sensor": "<path d='M2 13h4l3-8 5 14 3-9 2 3h3'/>",
    "log": "<path d='M3 4v16h18'/><path d='M6 14h3l2-7 4 9 2-5 1 2h2'/>",
    "table": "<rect x='3' y='5' width='18' height='14' rx='1.5'/><path d='M3 10h18M9.5 5v14'/>",
    "search": "<circle cx='10.5' cy='10.5' r='6.5'/><path d='m15.5 15.5 5 5'/>",
    "undo": "<path d='M8 5 4 9l4 4'/><path d='M4 9h10a5.5 5.5 0 0 1 0 11h-4'/>",
    "redo": "<path d='m16 5 4 4-4 4'/><path d='M20 9H10a5.5 5.5 0 0 0 0 11h4'/>",
    "save": "<path d='M12 4v10M8 10.5l4 4 4-4'/><path d='M4 15v5h16v-5'/>",
    "length": "<path d='M4 7v10M20 7v10M4 12h16'/><path d='M8 12v-2M12 12V9M16 12v-2'/>",
    "plane": "<path d='M7 6h10l4 12H3z'/><path d='M5.7 10h12.6M4.4 14h15.2M10.5 6 8.8 18M13.5 6l1.7 12' stroke-width='1.1'/>",
    "lens": "<path d='M3 15c5-5.5 13-5.5 18 0'/><path d='M3 18.5h18' stroke-dasharray='2.5 2.5'/>"
    "<circle cx='7' cy='12.2' r='1.3'/><circle cx='12' cy='11' r='1.3'/><circle cx='17' cy='12.2' r='1.3'/>",
    "fixed": "<circle cx='12' cy='9' r='5.5'/><circle cx='12' cy='9' r='1.6' fill='TINT'/><path d='M12 14.5V21M8 21h8'/>",
    "measure": "<path d='M5 20 19.5 9M5 20h15'/><path d='M12.5 20a8 8 0 0 0-1.7-4.6'/>",
    "dial": "<path d='M3.5 17a8.7 8.7 0 1 1 17 0'/><path d='M12 15.5 16 9M5.5 13.2l1.8.6M8 8.8l1.2 1.4M12 7v1.9M18.5 13.2l-1.8.6'/>"
    "<circle cx='12' cy='15.8' r='1.4'/>",
    "trust": "<path d='M12 3l7 3v5.5c0 4.5-3 7.5-7 9.5-4-2-7-5-7-9.5V6z'/><path d='M9 12l2.2 2.3L15.2 10'/>",
    "axes": "<path d='M6 3v15h15'/><path d='M6 13h2.5M6 8h2.5M11 18v-2.5M16 18v-2.5'/>",
    "hand": "<path d='M12 3v18M3 12h18M12 3 9.5 5.5M12 3l2.5 2.5M12 21l-2.5-2.5M12 21l2.5-2.5M3 12l2.5-2.5M3 12l2.5 2.5"
    "M21 12l-2.5-2.5M21 12l-2.5 2.5'/>",
    "zoom": "<circle cx='10.5' cy='10.5' r='6'/><path d='m15 15 5.5 5.5M8 10.5h5M10.5 8v5'/>",
    "fit": "<path d='M4 9V4h5M15 4h5v5M20 15v5h-5M9 20H4v-5'/>",
    "trail": "<circle cx='4' cy='17' r='1.3'/><circle cx='9' cy='14.5' r='1.6'/><circle cx='14.5' cy='11' r='2'/>"
    "<circle cx='20' cy='6.5' r='2.3'/>",
    "back": "<path d='M15 5l-7 7 7 7'/>",
    "forward": "<path d='M9 5l7 7-7 7'/>",
    "play": "<path d='M8 5v14l11-7z' fill='TINT'/>",
    "pause": "<path d='M8 5v14M16 5v14'/>",
    "chevron": "<path d='M6 9l6 6 6-6'/>",
    "plus": "<path d='M12 5v14M5 12h14'/>",
    "trash": "<path d='M5 7h14M9 7V4h6v3M7 7l1 13h8l1-13M10.5 11v5.5M13.5 11v5.5'/>",
    "camera": "<rect x='3' y='7' width='12' height='11' rx='2'/><path d='m15 11 6-3v9l-6-3'/>",
    "open": "<path d='M3 19V6h6l2 2.5h8V11M3 19l3-8h15.5L19 19z'/>",
    "page": "<path d='M5 3.5h10l4 4v13H5zM15 3.5v4h4'/><path d='M8 15.5c2.5 0 2.5-5 4.5-5s2 3 4 3'/><path d='M8 18h8'/>",
}
LOGO = (
    "<path d='M6 30c3 0 4-7 7-7s2.5 6 5 6' stroke='INK' fill='none' stroke-width='2.4'/>"
    "<path d='M18 28c4-16 17-24 27-11' stroke='CURSOR' fill='none' stroke-width='2.4'/>"
    "<circle cx='6' cy='30' r='3' fill='INK'/><circle cx='18' cy='29' r='3.2' fill='INK'/>"
    "<path d='M44.5 19.3a6.5 6.5 0 0 1 7 0M55.7 23.5a6.5 6.5 0 0 1 0 7M51.5 34.7a6.5 6.5 0 0 1-7 0"
    "M40.3 30.5a6.5 6.5 0 0 1 0-7' stroke='INK' fill='none' stroke-width='2'/>"
)


def paint_icon(painter: QPainter, name: str, box: QRectF, colour: QColor, stroke: float = 1.5) -> None:
    """Draw an icon into a box."""
    inner = _DRAWINGS[name].replace("TINT", colour.name())
    svg = (
        f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 24 24'><g fill='none' stroke='{colour.name()}' "
        f"stroke-width='{stroke}' stroke-linecap='round' stroke-linejoin='round'>{inner}</g></svg>"
    )
    QSvgRenderer(QByteArray(svg.encode())).render(painter, box)


def icon(name: str, colour: QColor, size: int = 22) -> QIcon:
    """Give an icon in a colour, sharp on high-density screens, faint where it is disabled."""
    return _icon(name, colour.name(), size)


@lru_cache(maxsize=128)
def _icon(name: str, colour_name: str, size: int) -> QIcon:
    made, colour = QIcon(), QColor(colour_name)
    for mode, strength in ((QIcon.Mode.Normal, 1.0), (QIcon.Mode.Disabled, 0.35)):
        for ratio in (1, 2):
            pixmap = QPixmap(size * ratio, size * ratio)
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            painter.setOpacity(strength)
            paint_icon(painter, name, QRectF(0, 0, size * ratio, size * ratio), colour)
            painter.end()
            made.addPixmap(pixmap, mode)
    return made


def paint_logo(painter: QPainter, box: QRectF, ink: QColor, cursor: QColor) -> None:
    """Draw the mark of Saltus: a hop that lands in a reading."""
    inner = LOGO.replace("INK", ink.name()).replace("CURSOR", cursor.name())
    svg = f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 60 40'>{inner}</svg>"
    QSvgRenderer(QByteArray(svg.encode())).render(painter, box)


@lru_cache(maxsize=1)
def chevron_file() -> str:
    """Path of the chevron for style sheets, which take pictures only from files."""
    return str(Path(__file__).parent / "chevron.svg")
