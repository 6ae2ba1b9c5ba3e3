"""Saving and opening notebooks: readable JSON, written whole or not at all."""

from __future__ import annotations

import contextlib
import json
import os
import tempfile
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from saltus.core.wording import _
from saltus.notebook.model import FORMAT, VERSION, Notebook

ENDING = ".saltus"
LARGEST_FILE = 200 * 1024 * 1024
_ONE_PER_LINE = {"readings"}


class NotebookError(ValueError):
    """A notebook that cannot be opened or saved, in one sentence for people."""


def as_text(notebook: Notebook) -> str:
    """Write a notebook as indented JSON, keys in a stable order, each reading and the ticks on one line."""
    return _written(notebook.model_dump(mode="json"), 0) + "\n"


def _written(value: Any, depth: int, key: str = "") -> str:
    pad, inner = "  " * depth, "  " * (depth + 1)
    if isinstance(value, dict) and value:
        lines = [f"{inner}{json.dumps(k)}: {_written(v, depth + 1, k)}" for k, v in value.items()]
        return "{\n" + ",\n".join(lines) + f"\n{pad}}}"
    if isinstance(value, list) and value and (key in _ONE_PER_LINE or isinstance(value[0], dict)):
        rows = [
            inner + (json.dumps(v, ensure_ascii=False) if key in _ONE_PER_LINE else _written(v, depth + 1))
            for v in value
        ]
        return "[\n" + ",\n".join(rows) + f"\n{pad}]"
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def save(notebook: Notebook, path: Path) -> None:
    """Save a notebook, keeping the version before as ``NAME.saltus~``.

    Parameters
    ----------
    notebook : Notebook
    path : Path

    Raises
    ------
    NotebookError
        If it cannot be written; the file there is untouched then.
    """
    part: str | None = None
    try:
        handle, part = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "w", encoding="utf-8") as file:
            file.write(as_text(notebook))
            file.flush()
            os.fsync(file.fileno())
        mask = os.umask(0)
        os.umask(mask)
        Path(part).chmod(0o666 & ~mask)
        if path.exists():
            kept = path.with_name(path.name + "~")
            with contextlib.suppress(FileNotFoundError):
                kept.unlink()
            os.link(path, kept)
        Path(part).replace(path)
    except OSError as error:
        raise NotebookError(
            _("{name} could not be saved: {why}. Your work is still here: save it in another place.").format(
                name=path.name, why=error.strerror or error
            )
        ) from error
    finally:
        if part is not None:
            with contextlib.suppress(FileNotFoundError):
                Path(part).unlink()


def load(path: Path) -> Notebook:
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
        if path.stat().st_size > LARGEST_FILE:
            raise NotebookError(_("{name} is too large to be a notebook.").format(name=path.name))
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        raise NotebookError(
            _("{name} cannot be opened: {why}.").format(name=path.name, why=error.strerror or error)
        ) from error
    except UnicodeDecodeError as error:
        raise NotebookError(_("{name} is not a Saltus notebook.").format(name=path.name)) from error
    return parse(text, path.name)


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
        As :func:`load`.
    """
    try:
        data = json.loads(text, parse_constant=_no_constants)
    except (ValueError, RecursionError) as error:
        raise NotebookError(
            _(
                "{name} is damaged or no Saltus notebook. The version before may lie beside it as {old}."
            ).format(name=name, old=name + "~")
        ) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise NotebookError(_("{name} is not a Saltus notebook.").format(name=name))
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise NotebookError(
            _("{name} was made by a newer Saltus (file version {version}): update Saltus to open it.").format(
                name=name, version=version
            )
        )
    try:
        return Notebook.model_validate_json(text)
    except (ValidationError, ValueError, RecursionError) as error:
        raise NotebookError(
            _("{name} holds something a notebook cannot hold: {what}.").format(
                name=name, what=_first_problem(error)
            )
        ) from error


def _no_constants(word: str) -> float:
    raise ValueError(word)


def _first_problem(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors(include_url=False, include_input=False)[0]
        place = ".".join(map(str, first["loc"]))
        return f"{place}: {first['msg']}"[:300]
    return str(error)[:300]
