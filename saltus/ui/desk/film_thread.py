"""One thread owns the decoders: asked for frames it answers by signal, and reads ahead when it is idle."""

from __future__ import annotations

import contextlib
import os
import threading
from collections import OrderedDict, deque
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QThread, pyqtSignal
from PyQt6.QtGui import QImage

from saltus.core.following.evidence import cut_about
from saltus.core.progress import Cancelled
from saltus.footage.facts import FilmError
from saltus.footage.opening import reader_of
from saltus.footage.proxy import Proxy
from saltus.notebook.films import find
from saltus.printing.pictures import as_array, as_image
from saltus.ui.desk.film_image import FilmImage

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.footage.reader import FrameReader
    from saltus.notebook.model import Take

OPEN_AT_ONCE = 2
THUMB_HEIGHT = 64
AHEAD, LEAST_AHEAD = 12, 4
"""How many frames are made ready in the direction of travel."""
READY_BYTES = 128 * 1024 * 1024
"""Bound on pictures ready to be painted; decoded frames have a bound of their own."""
BEHIND = 8
"""Politeness of the decoders: a picture that is there is painted before the next ones are made ready."""
LEAST_READY = 12
"""Of very large pictures so many are kept all the same: a few steps back need no decoder then."""


@dataclass(frozen=True)
class Wish:
    """A frame that is wanted of a take, as a picture, as a thumbnail, or a part of it.

    Attributes
    ----------
    cut : tuple of (str, float, float, float) or None
        What it shows, and the middle and side of the part, px.
    every : int
        While a film is played by so many frames at once, how many.
    """

    take: Take
    folder: Path | None
    frame: int
    thumb: bool = False
    cut: tuple[str, float, float, float] | None = None
    every: int = 1

    @property
    def key(self) -> tuple[str, str]:
        """Which film this is."""
        return self.take.id, self.take.film.sha256


class FilmThread(QThread):
    """Decodes frames off the interface thread; the latest wish for a picture goes first.

    Each signal carries the wish it answers: by then another notebook may be open.
    """

    picture = pyqtSignal(object, object)
    preview = pyqtSignal(object, QImage)
    thumbnail = pyqtSignal(object, QImage)
    failed = pyqtSignal(object, str)

    def __init__(self) -> None:
        super().__init__()
        self._change = threading.Condition()
        self._wish: Wish | None = None
        self._shown: Wish | None = None
        self._ahead: deque[Wish] = deque()
        self._thumbs: deque[Wish] = deque()
        self._stopping = False
        self._last: Wish | None = None
        self._asked = -1
        self._readers: OrderedDict[tuple[str, str], FrameReader] = OrderedDict()
        self._copies: dict[str, Proxy] = {}
        self._broken: dict[tuple[str, str], str] = {}
        self._ready: OrderedDict[tuple[tuple[str, str], int], FilmImage] = OrderedDict()
        self._ready_bytes = 0

    def want(self, wish: Wish, *, shown: bool = False) -> None:
        """Ask for a picture; an older wish that was not met yet is dropped.

        Parameters
        ----------
        wish : Wish
        shown : bool
            It was ready and is on screen: only what comes next has to be made ready.
        """
        with self._change:
            self._wish, self._shown = (None, wish) if shown else (wish, None)
            self._ahead.clear()
            self._change.notify()

    def ready_image(self, wish: Wish) -> FilmImage | None:
        """Give a picture that is ready at once, without waiting for the thread."""
        with self._change:
            return self._ready.get((wish.key, wish.frame))

    def keep(self, wish: Wish, image: FilmImage) -> None:
        """Keep a picture ready to be painted, as long as there is room."""
        with self._change:
            self._ready[wish.key, wish.frame] = image
            self._ready_bytes += image.bytes_held()
            while self._ready_bytes > READY_BYTES and len(self._ready) > LEAST_READY:
                self._ready_bytes -= self._ready.popitem(last=False)[1].bytes_held()

    def want_thumbs(self, wishes: list[Wish]) -> None:
        """Ask for thumbnails, made when nothing else is wanted."""
        with self._change:
            self._thumbs.extend(wishes)
            self._change.notify()

    def forget_thumbs(self) -> None:
        """Make no thumbnails any more that were asked for."""
        with self._change:
            self._thumbs.clear()

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
        with contextlib.suppress(OSError):
            # Linux has a priority for each thread; those of the decoders inherit it
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BEHIND)
        while True:
            with self._change:
                while not (self._stopping or self._wish or self._shown or self._ahead or self._thumbs):
                    self._change.wait()
                if self._stopping:
                    break
                wanted, self._wish = self._wish, None
                shown, self._shown = self._shown, None
                if shown is not None:
                    self._plan(shown)
                    continue
                ahead = self._ahead.popleft() if wanted is None and self._ahead else None
                thumb = self._thumbs.popleft() if wanted is None and ahead is None else None
            if wanted is not None:
                self._meet(wanted)
                with self._change:
                    if self._wish is None:
                        self._plan(wanted)
                    else:
                        # what comes next goes on from here all the same
                        self._last = wanted
            elif ahead is not None:
                self._prepare(ahead)
            elif thumb is not None:
                self._make_thumb(thumb)
        self._let_go()

    def _let_go(self) -> None:
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
        for copy in self._copies.values():
            copy.close()
        self._copies.clear()
        self._ready.clear()

    def _meet(self, wish: Wish) -> None:
        self._asked = wish.frame
        if wish.key in self._broken:
            self.failed.emit(wish, self._broken[wish.key])
            return
        with contextlib.suppress(Cancelled):
            image = self._image(wish)
            if image is not None:
                self.picture.emit(wish, image)

    def _shown_meanwhile(self, wish: Wish) -> bool:
        """Give a picture of the copy for moving while the frame itself is decoded; False without one."""
        copy = self._copies.setdefault(wish.take.film.sha256, Proxy(wish.take.film.sha256))
        jpeg = copy.jpeg(wish.frame)
        if jpeg is None:
            return False
        if wish.frame == self._asked:
            image = QImage.fromData(jpeg)
            if image.isNull():
                return False
            self.preview.emit(wish, image)
        return True

    def _gone(self) -> bool:
        """Whether something else is wanted by now."""
        with self._change:
            return self._stopping or self._wish is not None or self._shown is not None

    def _plan(self, wish: Wish) -> None:
        """Plan the frames that come next when the person goes on the way they went; the change is held."""
        last, self._last = self._last, wish
        step = 1
        if last is not None and last.key == wish.key and last.frame != wish.frame:
            way = wish.frame - last.frame
            # after a jump nobody knows the way: the next frame is as good a guess as any
            step = (1 if way > 0 else -1) if abs(way) <= AHEAD else 1
            # frames that were left out while playing are no habit; those that are not read are
            step *= abs(way) if abs(way) in (wish.take.step, wish.every) else 1
        there = range(len(wish.take.facts.ticks))
        # of large pictures fewer, so that what was shown lately is not pushed out by what may never be
        size = max(4 * wish.take.facts.width * wish.take.facts.height, 1)
        count = min(max(READY_BYTES // size, LEAST_AHEAD), AHEAD)
        frames = [wish.frame + step * i for i in range(1, count + 1)]
        self._ahead = deque(replace(wish, frame=n) for n in frames if n in there)

    def _prepare(self, wish: Wish) -> None:
        if wish.key not in self._broken and (wish.key, wish.frame) not in self._ready:
            with contextlib.suppress(Cancelled):
                self._image(wish, ahead=True)

    def _make_thumb(self, wish: Wish) -> None:
        if wish.key in self._broken:
            return
        try:
            image = self._image(wish, keep=False, ahead=True)
        except Cancelled:
            with self._change:
                self._thumbs.appendleft(wish)
            return
        if image is not None and wish.cut is not None:
            self.thumbnail.emit(wish, as_image(cut_about(as_array(image), *wish.cut[1:])))
        elif image is not None:
            small = image.scaledToHeight(THUMB_HEIGHT * 2, Qt.TransformationMode.SmoothTransformation)
            self.thumbnail.emit(wish, small)

    def _image(self, wish: Wish, *, keep: bool = True, ahead: bool = False) -> FilmImage | None:
        """The picture of a frame; trouble is told once for a film.

        Raises
        ------
        Cancelled
            When another is wanted meanwhile and nobody waits for this one (``ahead``), or it can be seen as a
            preview until it is wanted again.
        """
        key = (wish.key, wish.frame)
        with self._change:
            if key in self._ready:
                self._ready.move_to_end(key)
                return self._ready[key]
        try:
            reader = self._reader(wish)
        except FilmError as error:
            self._broken[wish.key] = str(error)
            self.failed.emit(wish, str(error))
            return None
        try:
            seen = keep and not ahead and not reader.at_hand(wish.frame) and self._shown_meanwhile(wish)
            gone = self._gone if seen or ahead else _awaited
            image = FilmImage(reader.picture(wish.frame, gone))
        except FilmError as error:
            # one frame that cannot be decoded: the others may well be
            if keep and wish.frame == self._asked:
                self.failed.emit(wish, str(error))
            return None
        if keep:
            self.keep(wish, image)
        return image

    def _reader(self, wish: Wish) -> FrameReader:
        if wish.key not in self._readers:
            path = find(wish.take.film, wish.folder)
            self._readers[wish.key] = reader_of(path, wish.take.facts.film_facts())
            while len(self._readers) > OPEN_AT_ONCE:
                self._readers.popitem(last=False)[1].close()
        self._readers.move_to_end(wish.key)
        return self._readers[wish.key]


def _awaited() -> bool:
    """Whether nobody waits for a picture any more: somebody does."""
    return False
