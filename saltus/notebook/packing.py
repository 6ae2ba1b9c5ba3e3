"""Packs: a notebook with its films in one zip file, to hand out, to hand in, to archive."""

from __future__ import annotations

import shutil
import stat
import struct
import tempfile
import zipfile
import zlib
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING

from saltus.core.progress import LongWork, Progress, Steps
from saltus.files.reading import open_plain
from saltus.files.writing import keep_inputs, whole
from saltus.footage.facts import FilmError
from saltus.footage.opening import fingerprint
from saltus.notebook.films import MEDIA, find
from saltus.notebook.sentences import say
from saltus.notebook.storage import LARGEST_FILE, NotebookError, as_text, load, parse

if TYPE_CHECKING:
    from collections.abc import Iterator

    from saltus.notebook.model import Notebook, Take

ENDING = ".saltus.zip"
NOTEBOOK = "notebook.saltus"
MOST_FILES = 200_000
LARGEST_PACK, SPARE_BYTES = 16 * 1024**3, 64 * 1024**2
BLOCK = 1 << 20
DAMAGE = (
    zipfile.BadZipFile,
    zipfile.LargeZipFile,
    zlib.error,
    struct.error,
    EOFError,
    RuntimeError,
    ValueError,
    OverflowError,
    LookupError,
    TypeError,
    AttributeError,
)
"""What reading a torn or made-up zip file ends in."""


class PackError(NotebookError):
    """A pack that cannot be made or opened, in one sentence for people."""


def _with_names_of_their_own(notebook: Notebook) -> Notebook:
    """Give films that share a name but not their content names of their own."""
    seen: dict[str, str] = {}
    takes: list[Take] = []
    for take in notebook.takes:
        film = take.film
        name = film.name
        if seen.setdefault(name, film.sha256) != film.sha256:
            name = f"{film.sha256[:8]}-{name}"[:255]
            seen[name] = film.sha256
        takes.append(take if name == film.name else take.but(film=film.but(name=name)))
    return notebook.but(takes=tuple(takes))  # type: ignore[no-any-return]


def _media(notebook: Notebook, packed: Notebook, folder: Path) -> Iterator[tuple[Path, str]]:
    """Files of the films and their names in the pack, each once."""
    done: set[str] = set()
    for take, named in zip(notebook.takes, packed.takes, strict=True):
        if named.film.name in done:
            continue
        done.add(named.film.name)
        path = find(take.film, folder)
        inside = f"{MEDIA}/{named.film.name}"
        if path.is_dir():
            from saltus.footage.pictures import numbered_pictures  # noqa: PLC0415  loads the decoder

            yield from ((picture, f"{inside}/{picture.name}") for _n, picture in numbered_pictures(path))
        else:
            yield path, inside


@LongWork
def pack(notebook_path: Path, output: Path) -> Steps[None]:
    """Write a notebook and its films into a pack; it is whole or not there.

    Parameters
    ----------
    notebook_path, output : Path

    Raises
    ------
    NotebookError, FilmError, OutputError
        If the notebook cannot be read, a film is not at hand, or the pack would lie on one of them.
    PackError
        If the pack cannot be written.
    """
    notebook = load(notebook_path)
    packed = _with_names_of_their_own(notebook)
    files = list(_media(notebook, packed, notebook_path.parent))
    keep_inputs(output, [notebook_path, *(path for path, _name in files)])
    total, done = sum(path.stat().st_size for path, _name in files), 0
    try:
        # films are compressed already
        with whole(output) as part, zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as out:
            out.writestr(NOTEBOOK, as_text(packed), zipfile.ZIP_DEFLATED)
            for path, name in files:
                with open_plain(path) as source, out.open(name, "w", force_zip64=True) as target:
                    while block := source.read(BLOCK):
                        target.write(block)
                        done += len(block)
                        yield Progress(done, total)
    except OSError as error:
        raise PackError(
            say("packing.could-not-written", name=output.name, why=error.strerror or error)
        ) from error


@LongWork
def unpack(pack_path: Path, folder: Path) -> Steps[Path]:
    """Unpack into a folder that is new or empty; checked before anything is written, whole or not at all.

    Parameters
    ----------
    pack_path, folder : Path

    Returns
    -------
    Path
        The notebook.

    Raises
    ------
    PackError
        If it is no pack, or holds what a pack may not hold.
    """
    name = pack_path.name
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise PackError(say("packing.not-empty-choose-new", folder=folder.name))
    try:
        with open_plain(pack_path) as plain, zipfile.ZipFile(plain) as source:
            infos = _checked(source, name)
            notebook = _notebook_of(source, name)
            _belongs(infos, notebook, name)
            _require_room(infos, folder, name)
            folder.parent.mkdir(parents=True, exist_ok=True)
            part = Path(tempfile.mkdtemp(prefix=f".{folder.name}.", dir=folder.parent))
            try:
                yield from _write_all(source, infos, part)
                _as_stated(notebook, part, name)
                if folder.exists():
                    folder.rmdir()
                part.rename(folder)
            finally:
                shutil.rmtree(part, ignore_errors=True)
    except NotebookError:
        raise
    except DAMAGE as error:
        raise PackError(say("packing.damaged-no-saltus-pack", name=name)) from error
    except OSError as error:
        raise PackError(say("packing.could-not-unpacked", name=name, why=error.strerror or error)) from error
    return folder / NOTEBOOK


def _checked(source: zipfile.ZipFile, name: str) -> list[zipfile.ZipInfo]:
    """The entries of a pack: plain files with plain names inside it, of bounded number and size."""
    infos = [info for info in source.infolist() if not info.is_dir()]
    if len(infos) > MOST_FILES or sum(info.file_size for info in infos) > LARGEST_PACK:
        raise PackError(say("packing.holds-too-much-pack", name=name))
    if len({info.filename.casefold() for info in infos}) != len(infos):
        raise PackError(say("packing.holds-two-files-name", name=name))
    for info in infos:
        way = PurePosixPath(info.filename)
        plain = (
            info.filename == str(way)
            and "\\" not in info.filename
            and "\0" not in info.filename
            and not way.is_absolute()
            and ".." not in way.parts
            and len(way.parts) <= 3
            and (stat.S_IFMT(info.external_attr >> 16) in (0, stat.S_IFREG))
        )
        if not plain:
            raise PackError(say("packing.holds-file-would-lie", name=name))
    return infos


def _notebook_of(source: zipfile.ZipFile, name: str) -> Notebook:
    try:
        info = source.getinfo(NOTEBOOK)
    except KeyError as error:
        raise PackError(say("packing.holds-no-notebook", name=name)) from error
    if info.file_size > LARGEST_FILE:
        raise PackError(say("packing.notebook-too-large", name=name))
    with source.open(info) as file:
        data = file.read(LARGEST_FILE + 1)
    try:
        return parse(data.decode(), f"{name}: {NOTEBOOK}")
    except UnicodeDecodeError as error:
        raise PackError(say("packing.notebook-damaged", name=name)) from error


def _belongs(infos: list[zipfile.ZipInfo], notebook: Notebook, name: str) -> None:
    """Nothing lies in a pack but the notebook and the films it names."""
    films = {take.film.name: take.film.folder for take in notebook.takes}
    room = {take.film.name: take.film.size for take in notebook.takes}
    for info in infos:
        parts = PurePosixPath(info.filename).parts
        depth = 3 if len(parts) > 1 and films.get(parts[1]) else 2
        if info.filename != NOTEBOOK and not (
            parts[0] == MEDIA and len(parts) == depth and parts[1] in films
        ):
            raise PackError(say("packing.holds-belongs-no-take", name=name, file=info.filename[:60]))
        if info.filename != NOTEBOOK:
            # what the notebook says of a film bounds what is unpacked of it
            room[parts[1]] -= info.file_size
            if room[parts[1]] < 0:
                raise PackError(say("packing.not-hold-film-measured", name=name, film=parts[1]))


def _require_room(infos: list[zipfile.ZipInfo], folder: Path, name: str) -> None:
    """There is room for all of it on the disk, before anything is written."""
    there = next((place for place in folder.absolute().parents if place.exists()), None)
    needed = sum(info.file_size for info in infos)
    if there is not None and shutil.disk_usage(there).free < needed + SPARE_BYTES:
        raise PackError(say("packing.no-room", name=name, mib=needed >> 20))


def _write_all(source: zipfile.ZipFile, infos: list[zipfile.ZipInfo], part: Path) -> Steps[None]:
    total, done = sum(info.file_size for info in infos), 0
    for info in infos:
        target = part / info.filename
        target.parent.mkdir(parents=True, exist_ok=True)
        left = info.file_size
        with source.open(info) as file, target.open("wb") as out:
            while block := file.read(BLOCK):
                left -= len(block)
                if left < 0:
                    raise zipfile.BadZipFile("longer than it says")
                out.write(block)
                done += len(block)
                yield Progress(done, total)


def _as_stated(notebook: Notebook, part: Path, name: str) -> None:
    """The films are the ones that were measured."""
    for take in notebook.takes:
        film = part / MEDIA / take.film.name
        try:
            right = film.exists() and fingerprint(film)[1] == take.film.sha256
        except FilmError:
            right = False
        if not right:
            raise PackError(say("packing.not-hold-film-measured", name=name, film=take.film.name))
