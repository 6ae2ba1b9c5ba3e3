"""Older notebook files made into the present version, step by step."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.model import VERSION

if TYPE_CHECKING:
    from collections.abc import Callable


def _from_1(data: dict[str, Any]) -> dict[str, Any]:
    """Version 2 states the kept part of each take; before, all of it was kept."""
    for take in data["takes"]:
        take["kept"] = None
    return data


def _from_2(data: dict[str, Any]) -> dict[str, Any]:
    """Version 3 has a table of trials and findings; before, there was neither."""
    return data


def _from_3(data: dict[str, Any]) -> dict[str, Any]:
    """Version 4 has times, events and hands; before, there were none."""
    return data


STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _from_1, 2: _from_2, 3: _from_3}
"""From version n to n + 1."""


def migrated(data: dict[str, Any], version: int) -> dict[str, Any]:
    """Bring the data of an older file to the present version; newer data is left as it is.

    Parameters
    ----------
    data : dict
        Changed in place.
    version : int
        Of the file, 1 or more.

    Raises
    ------
    KeyError, TypeError
        If it is not built as that version says.
    """
    for number in range(version, VERSION):
        data = STEPS[number](data)
        data["version"] = number + 1
    return data
