"""The investigations that ship, and those somebody keeps beside them, by id or file."""

from __future__ import annotations

import re
import tomllib
from functools import lru_cache
from pathlib import Path
from typing import Any

from saltus.files.reading import read_plain
from saltus.investigations.recipe.recipe import RECIPE_ID, Recipe, RecipeError
from saltus.investigations.sentences import say

LARGEST = 1 << 20
FOLDER = Path(__file__).parents[1] / "catalogue"
_TABLE = re.compile(r"^\[", re.MULTILINE)


def load_recipe(path: Path) -> Recipe:
    """Read an investigation from a file; see :func:`saltus.investigations.recipe.file.read_recipe`."""
    from saltus.investigations.recipe.file import read_recipe  # noqa: PLC0415  what only names them is quick

    return read_recipe(_file_text(path), path.name)


def _file_text(path: Path) -> str:
    try:
        return read_plain(path, LARGEST).decode()
    except OSError as error:
        raise RecipeError(
            say("catalogue.cannot-opened", name=path.name, why=error.strerror or "?")
        ) from error
    except UnicodeDecodeError as error:
        raise RecipeError(say("catalogue.no-text", name=path.name)) from error


@lru_cache(maxsize=64)
def recipe_named(recipe_id: str) -> Recipe:
    """Give an investigation of the catalogue.

    Raises
    ------
    RecipeError
        If there is none of this name; the sentence names all.
    """
    return load_recipe(_path_of(recipe_id))


def recipe_data(recipe_id: str) -> dict[str, Any]:
    """Give the data of an investigation's file, to be changed; see :func:`recipe_named`."""
    return tomllib.loads(_file_text(_path_of(recipe_id)))


def question_of(recipe_id: str) -> str:
    """Give the question of an investigation without reading all of its file; see :func:`recipe_named`."""
    # what belongs to no table stands before the first
    head = _TABLE.split(_file_text(_path_of(recipe_id)), maxsplit=1)[0]
    return str(tomllib.loads(head)["question"])


def _path_of(recipe_id: str) -> Path:
    path = FOLDER / f"{recipe_id}.toml"
    if not RECIPE_ID.fullmatch(recipe_id) or not path.is_file():
        raise RecipeError(say("catalogue.not-investigation", name=recipe_id[:60], all=", ".join(ids())))
    return path


def ids() -> tuple[str, ...]:
    """Names of all investigations of the catalogue."""
    return tuple(sorted(path.stem for path in FOLDER.glob("*.toml")))
