"""Ids of the parts of a notebook: each is given once, also when the part it named is gone."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable

    from saltus.notebook.model import Notebook

_NUMBERED = re.compile(r"([a-z][a-z-]*)-(\d{1,9})")


def number_of(part_id: str) -> tuple[str, int]:
    """Take an id such as ``take-3`` apart; the number is 0 where it has none."""
    found = _NUMBERED.fullmatch(part_id)
    return (found[1], int(found[2])) if found else (part_id, 0)


def next_number(notebook: Notebook, stem: str, taken: Iterable[str] = ()) -> int:
    """Give the number of the next id of a kind: above all that were ever given, and those in ``taken``."""
    known = (number_of(part_id) for part_id in taken)
    return max([notebook.last_ids.get(stem, 0), *(n for s, n in known if s == stem)]) + 1


def given_up_to(notebook: Notebook, stem: str, number: int) -> Notebook:
    """Note down that ids of a kind were given up to a number."""
    return notebook.but(last_ids=notebook.last_ids | {stem: number})  # type: ignore[no-any-return]


def new_id(notebook: Notebook, stem: str, taken: Iterable[str] = ()) -> tuple[Notebook, str]:
    """Give the notebook and an id that it never had before.

    Parameters
    ----------
    notebook : Notebook
    stem : str
        What kind of part it names, such as ``take``.
    taken : iterable of str
        Ids that are in use, where they may have come from elsewhere.
    """
    number = next_number(notebook, stem, taken)
    return given_up_to(notebook, stem, number), f"{stem}-{number}"


def never_back(notebook: Notebook, after: Notebook) -> Notebook:
    """The same notebook, with ids given up to where a later version of it had come."""
    if notebook.last_ids == after.last_ids:
        return notebook
    stems = notebook.last_ids.keys() | after.last_ids.keys()
    highest = {s: max(notebook.last_ids.get(s, 0), after.last_ids.get(s, 0)) for s in sorted(stems)}
    return notebook.but(last_ids=highest)  # type: ignore[no-any-return]


def same_work(one: Notebook, other: Notebook) -> bool:
    """Whether two versions of a notebook hold the same parts, whichever ids were given since."""
    names = (name for name in type(one).model_fields if name != "last_ids")
    return one is other or all(getattr(one, name) is getattr(other, name) for name in names)
