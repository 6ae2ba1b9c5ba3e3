"""Saving and opening notebooks: readable JSON, written whole or not at all."""

from __future__ import annotations

import contextlib
import gc
import glob
import hashlib
import json
import os
import shutil
import time
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from saltus.files.reading import TooLargeError, read_plain
from saltus.files.writing import PART, OutputError, whole
from saltus.notebook.migrations import migrated
from saltus.notebook.model import FORMAT, LINES, VERSION, Notebook
from saltus.notebook.part import told
from saltus.notebook.sentences import say
from saltus.notebook.sharing import digest, real_file

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

ENDING = ".saltus"
LARGEST_FILE = 200 * 1024 * 1024
STALE_S = 60.0
UNKNOWN_FIELDS = 20
_ONE_PER_LINE = {"readings"}


class NotebookError(ValueError):
    """A notebook that cannot be opened or saved, in one sentence for people."""


class ChangedMeanwhileError(NotebookError):
    """The file was changed by another program since it was opened."""


def as_text(notebook: Notebook) -> str:
    """Write a notebook as indented JSON, keys in a stable order, each reading and the ticks on one line."""
    return _written(notebook.model_dump(mode="json", context=LINES), 0) + "\n"


def _written(value: Any, depth: int, key: str = "") -> str:
    pad, inner = "  " * depth, "  " * (depth + 1)
    if isinstance(value, dict) and value:
        lines = [f"{inner}{json.dumps(k)}: {_written(v, depth + 1, k)}" for k, v in value.items()]
        return "{\n" + ",\n".join(lines) + f"\n{pad}}}"
    if key in _ONE_PER_LINE and isinstance(value, str):
        return f"[\n{inner}" + value.replace("\n", f",\n{inner}") + f"\n{pad}]"
    if isinstance(value, list) and value and isinstance(value[0], dict):
        return f"[\n{inner}" + f",\n{inner}".join(_written(v, depth + 1) for v in value) + f"\n{pad}]"
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def save(notebook: Notebook, path: Path, expected: str | None = None) -> str:
    """Save a notebook, keeping the version before as ``NAME.saltus~``.

    Parameters
    ----------
    notebook : Notebook
    path : Path
    expected : str, optional
        SHA-256 the file there must have, as it was when it was opened or saved last.

    Returns
    -------
    str
        SHA-256 of the file as it is now.

    Raises
    ------
    ChangedMeanwhileError
        If the file there is not the expected one.
    NotebookError
        If it cannot be written; the file there is untouched then.
    """
    if expected is not None and digest(path) not in (expected, None):
        raise ChangedMeanwhileError(say("storage.changed-someone-else-since", name=path.name))
    data = as_text(notebook).encode()
    there = real_file(path)
    try:
        _clear_parts(there)
        with whole(there) as part:
            part.write_bytes(data)
            if there.exists():
                _keep(there)
    except (OSError, OutputError) as error:
        why = getattr(error, "strerror", None) or error
        raise NotebookError(say("storage.could-not-saved-work", name=path.name, why=why)) from error
    return hashlib.sha256(data).hexdigest()


def _keep(path: Path) -> None:
    """Keep the version before beside the notebook."""
    kept = path.with_name(path.name + "~")
    with contextlib.suppress(FileNotFoundError):
        kept.unlink()
    try:
        os.link(path, kept)
    except OSError:
        # a file system without links, such as that of many memory sticks
        shutil.copyfile(path, kept)


def _clear_parts(path: Path) -> None:
    """Clear away what a crash while saving left behind."""
    for old in path.parent.glob(f".{glob.escape(path.name)}.*{PART}*"):
        with contextlib.suppress(OSError):
            if time.time() - old.stat().st_mtime > STALE_S:
                old.unlink()


@dataclass(frozen=True)
class Opened:
    """A notebook as it came from its file.

    Attributes
    ----------
    notebook : Notebook
    digest : str
        SHA-256 of the file.
    newer : int or None
        The file's version where it is newer than this Saltus: then some of it may not be shown, and saving
        over it would lose that.
    """

    notebook: Notebook
    digest: str
    newer: int | None = None


def open_file(path: Path) -> Opened:
    """Open a notebook.

    Parameters
    ----------
    path : Path

    Raises
    ------
    NotebookError
        If it cannot be read, is not a notebook, or holds what a notebook cannot hold.
    """
    try:
        data = read_plain(path, LARGEST_FILE)
        text = data.decode()
    except TooLargeError as error:
        raise NotebookError(say("storage.too-large-notebook", name=path.name)) from error
    except OSError as error:
        raise NotebookError(
            say("storage.cannot-opened", name=path.name, why=error.strerror or error)
        ) from error
    except UnicodeDecodeError as error:
        raise NotebookError(say("storage.not-saltus-notebook", name=path.name)) from error
    notebook, version = _read(text, path.name)
    newer = version if version > VERSION else None
    return Opened(notebook, hashlib.sha256(data).hexdigest(), newer)


def load(path: Path) -> Notebook:
    """Open a notebook, see :func:`open_file`."""
    return open_file(path).notebook


def parse(text: str, name: str) -> Notebook:
    """Read a notebook from the text of its file.

    Parameters
    ----------
    text : str
    name : str
        For messages.

    Raises
    ------
    NotebookError
        As :func:`open_file`.
    """
    return _read(text, name)[0]


def _read(text: str, name: str) -> tuple[Notebook, int]:
    """The notebook and the version of its file; older ones are migrated, newer ones read as far as known."""
    with _not_collecting():
        return _read_at_once(text, name)


@contextlib.contextmanager
def _not_collecting() -> Iterator[None]:
    """Look for no circles among objects meanwhile: hundreds of thousands are made, and none is a circle."""
    collecting = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if collecting:
            gc.enable()


def _read_at_once(text: str, name: str) -> tuple[Notebook, int]:
    try:
        data = json.loads(text, parse_constant=_no_constants)
    except (ValueError, RecursionError) as error:
        raise NotebookError(say("storage.damaged-no-saltus-notebook", name=name, old=name + "~")) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise NotebookError(say("storage.not-saltus-notebook", name=name))
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise NotebookError(say("storage.not-say-version-notebook", name=name))
    try:
        data = migrated(data, version)
        notebook = _known_part(data) if version > VERSION else Notebook.model_validate(data)
    except (ValueError, TypeError, KeyError, ArithmeticError, RecursionError) as error:
        if version > VERSION:
            raise NotebookError(say("storage.made-newer-saltus-file", name=name, version=version)) from error
        raise NotebookError(
            say("storage.holds-something-notebook-cannot", name=name, what=_first_problem(error))
        ) from error
    return notebook, version


def _known_part(data: dict[str, Any]) -> Notebook:
    """Read what this version knows of a newer notebook, leaving out fields it does not know."""
    data["version"] = VERSION
    for _attempt in range(UNKNOWN_FIELDS):
        try:
            return Notebook.model_validate(data)
        except ValidationError as error:
            unknown = [e["loc"] for e in error.errors(include_url=False) if e["type"] == "extra_forbidden"]
            if not unknown:
                raise
            for *way, last in unknown:
                part: Any = data
                for step in way:
                    part = part[step]
                part.pop(last, None)
    raise ValueError("too much of it is unknown")


def _no_constants(word: str) -> float:
    raise ValueError(word)


def _first_problem(error: Exception) -> str:
    return told(error) if isinstance(error, ValidationError) else str(error)[:300]
