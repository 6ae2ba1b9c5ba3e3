"""One thread owns the decoders: it is asked for frames and answers by signal."""

from __future__ import annotations

import threading
from collections import OrderedDict, deque
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QThread, pyqtSignal
from PyQt6.QtGui import QImage

from saltus.footage.facts import FilmError
from saltus.footage.opening import reader_of
from saltus.notebook.films import find
from saltus.printing.pictures import as_image

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.footage.reader import FrameReader
    from saltus.notebook.model import Take

OPEN_AT_ONCE = 2
THUMB_HEIGHT = 64


@dataclass(frozen=True)
class Wish:
    """A frame that is wanted of a take, as a picture or as a thumbnail."""

    take: Take
    folder: Path | None
    frame: int
    thumb: bool = False

    @property
    def key(self) -> tuple[str, str]:
        """Which film this is."""
        return self.take.id, self.take.film.sha256


class FilmThread(QThread):
    """Decodes frames off the interface thread; the latest wish for a picture goes first."""

    picture = pyqtSignal(str, int, QImage)
    thumbnail = pyqtSignal(str, int, QImage)
    failed = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self._change = threading.Condition()
        self._wish: Wish | None = None
        self._thumbs: deque[Wish] = deque()
        self._stopping = False
        self._readers: OrderedDict[tuple[str, str], FrameReader] = OrderedDict()
        self._broken: dict[tuple[str, str], str] = {}

    def want(self, wish: Wish) -> None:
        """Ask for a picture; an older wish that was not met yet is dropped."""
        with self._change:
            self._wish = wish
            self._change.notify()

    def want_thumbs(self, wishes: list[Wish]) -> None:
        """Ask for thumbnails, made when nothing else is wanted."""
        with self._change:
            self._thumbs.extend(wishes)
            self._change.notify()

    def forget_failures(self) -> None:
        """Try films again that could not be found."""
        with self._change:
            self._broken.clear()

    def stop(self) -> None:
        """End the thread and close all films."""
        with self._change:
            self._stopping = True
            self._change.notify()
        self.wait()

    def run(self) -> None:
        while True:
            with self._change:
                while not (self._stopping or self._wish or self._thumbs):
                    self._change.wait()
                if self._stopping:
                    break
                if self._wish is not None:
                    wish, self._wish = self._wish, None
                else:
                    wish = self._thumbs.popleft()
            self._meet(wish)
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()

    def _meet(self, wish: Wish) -> None:
        if wish.key in self._broken:
            if not wish.thumb:
                self.failed.emit(wish.take.id, self._broken[wish.key])
            return
        try:
            image = as_image(self._reader(wish).picture(wish.frame))
        except FilmError as error:
            self._broken[wish.key] = str(error)
            self.failed.emit(wish.take.id, str(error))
            return
        if wish.thumb:
            small = image.scaledToHeight(THUMB_HEIGHT * 2, Qt.TransformationMode.SmoothTransformation)
            self.thumbnail.emit(wish.take.id, wish.frame, small)
        else:
            self.picture.emit(wish.take.id, wish.frame, image)

    def _reader(self, wish: Wish) -> FrameReader:
        if wish.key not in self._readers:
            path = find(wish.take.film, wish.folder)
            self._readers[wish.key] = reader_of(path, wish.take.facts.film_facts())
            while len(self._readers) > OPEN_AT_ONCE:
                self._readers.popitem(last=False)[1].close()
        self._readers.move_to_end(wish.key)
        return self._readers[wish.key]
