"""Ways in: file dialogs, the drop area, and what a dropped thing is."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMimeData, QPointF, QRectF, QSize, Qt, QUrl
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QFileDialog, QInputDialog, QWidget

from saltus.core.wording import _
from saltus.footage.opening import FILM_ENDINGS, SOUND_ENDINGS
from saltus.notebook.packing import ENDING as PACK
from saltus.notebook.storage import ENDING
from saltus.printing.fonts import sans
from saltus.ui.kit.scaling import Scaled, scaled
from saltus.ui.kit.theme import theme


def ask_for_film(parent: QWidget) -> list[Path]:
    """Ask for films to open."""
    kinds = " ".join(f"*{e} *{e.upper()}" for e in (*FILM_ENDINGS, *SOUND_ENDINGS))
    names, _kind = QFileDialog.getOpenFileNames(
        parent, _("Open a film"), str(Path.home()), _("Films ({kinds});;All files (*)").format(kinds=kinds)
    )
    return [Path(n) for n in names]


def ask_for_pictures(parent: QWidget) -> tuple[Path, float] | None:
    """Ask for a folder of numbered pictures and how many were taken per second."""
    folder = QFileDialog.getExistingDirectory(parent, _("Folder of numbered pictures"), str(Path.home()))
    rate = ask_rate(parent) if folder else None
    return (Path(folder), rate) if rate is not None else None


def ask_rate(parent: QWidget) -> float | None:
    """Ask how many pictures were taken per second."""
    rate, done = QInputDialog.getDouble(
        parent, _("Folder of pictures"), _("Pictures taken per second"), 30.0, 0.001, 1_000_000.0, 3
    )
    return rate if done else None


def ask_for_notebook(parent: QWidget) -> Path | None:
    """Ask for a notebook to open."""
    kinds = _("Saltus notebooks and packs (*{e} *{p})").format(e=ENDING, p=PACK)
    name, _kind = QFileDialog.getOpenFileName(parent, _("Open a notebook"), str(Path.home()), kinds)
    return Path(name) if name else None


def ask_where_to_save(parent: QWidget, suggestion: Path, words: str, kinds: str) -> Path | None:
    """Ask for a file to write; the ending of the suggestion is added where none is typed."""
    name, _kind = QFileDialog.getSaveFileName(parent, words, str(suggestion), kinds)
    if not name:
        return None
    path = Path(name)
    return path if path.suffix else path.with_name(path.name + suggestion.suffix)


def dropped_paths(data: QMimeData | None) -> list[Path]:
    """Local files and folders in what is being dropped."""
    urls: list[QUrl] = data.urls() if data is not None and data.hasUrls() else []
    return [Path(u.toLocalFile()) for u in urls if u.isLocalFile()]


class DropArea(Scaled, QAbstractButton):
    """Says that films may be dropped; a click asks for one."""

    def __init__(self, words: str, *, compact: bool = False) -> None:
        super().__init__()
        self._words = words
        self.setFixedHeight(scaled(86 if compact else 218))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(_("Open a film"))
        self._compact = compact

    def sizeHint(self) -> QSize:
        return QSize(340, self.height())

    def set_compact(self, compact: bool) -> None:
        """Take little room, or as much as a page that holds nothing else."""
        self._compact = compact
        self.setFixedHeight(scaled(86 if compact else 218))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = self.painter()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.area.adjusted(1, 1, -1, -1)
        focus = self.hasFocus()
        pen = QPen(theme.colour("accent" if focus else "line2"), 2 if focus else 1.4, Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(theme.colour("accsoft") if self.underMouse() else theme.colour("card"))
        painter.drawRoundedRect(box, 8, 8)
        top = 14.0
        if not self._compact:
            self._hop(painter)
            top = 84.0
        painter.setPen(theme.colour("ink"))
        painter.setFont(sans(15, 600))
        painter.drawText(QRectF(20, top, box.width() - 36, 24), Qt.AlignmentFlag.AlignLeft, self._words)
        painter.setFont(sans(13))
        painter.setPen(theme.colour("ink2"))
        words = _("MP4, MOV, MKV, AVI, WebM or GIF, a folder of numbered pictures, or a recording of sound. "
                  "Times are read and checked first; your film is never changed.")  # fmt: skip
        if self._compact:
            words = _("Films, a folder of numbered pictures, or sound.")
        place = QRectF(20, top + 24, box.width() - 36, box.height() - top - 26)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), words)

    def _hop(self, painter: QPainter) -> None:
        """Five small frames in which a body hops."""
        for i, height in enumerate((0.3, 0.55, 0.75, 0.6, 0.3)):
            wide = (self.wide - 40 - 4 * 6) / 5
            cell = QRectF(20 + i * (wide + 6), 20, wide, 46)
            painter.setPen(QPen(theme.colour("line2"), 1.2))
            painter.setBrush(theme.colour("panel"))
            painter.drawRoundedRect(cell, 4, 4)
            painter.setPen(QPen(theme.body(0), 1.4))
            painter.setBrush(theme.body(0) if i == 4 else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(cell.center().x(), cell.bottom() - height * 40), 4.5, 4.5)
