"""Older notebook files made into the present version, step by step."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import number_of
from saltus.notebook.model import VERSION

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator


DEEPEST = 20
"""Parts of a notebook lie no deeper than this."""


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


def _from_4(data: dict[str, Any]) -> dict[str, Any]:
    """Version 5 knows which ids were ever given; before, those in use and those that links name."""
    last: dict[str, int] = {}
    for part_id in _ids(data):
        stem, number = number_of(part_id)
        if number:
            last[stem] = max(last.get(stem, 0), number)
    data["last_ids"] = last
    return data


def _from_5(data: dict[str, Any]) -> dict[str, Any]:
    """Version 6 knows followed readings; before, a reading was only used or set aside."""
    for take in data["takes"]:
        for body in take.get("bodies", []):
            body["readings"] = [
                [*row[:5], "aside" if row[5] else "used", None, None] for row in body.get("readings", [])
            ]
    return data


def _from_6(data: dict[str, Any]) -> dict[str, Any]:
    """Version 7 has more models of segments, other coordinates, and events; before, there were none."""
    return data


def _from_7(data: dict[str, Any]) -> dict[str, Any]:
    """Version 8 knows takes of one camera; before, each had a scale of its own."""
    return data


def _ids(data: Any, depth: int = 0) -> Iterator[str]:
    """All ids in the data of a notebook, and what links say they lead to."""
    if depth > DEEPEST:
        return
    if isinstance(data, dict):
        for key, value in data.items():
            if key in {"id", "source", "place"} and isinstance(value, str):
                yield value
            elif key not in {"readings", "record", "cells", "ticks", "facts"}:
                yield from _ids(value, depth + 1)
    elif isinstance(data, list):
        for item in data:
            yield from _ids(item, depth + 1)


def _from_8(data: dict[str, Any]) -> dict[str, Any]:
    """Version 9 can say that results are stated in SI units; older notebooks use those of people."""
    return data


def _from_9(data: dict[str, Any]) -> dict[str, Any]:
    """Version 10 has more laid over a picture; before, one reference length and axes with an origin."""
    return data


def _from_10(data: dict[str, Any]) -> dict[str, Any]:
    """Version 11 measures in the picture and knows cameras that move; before, all cameras stood still."""
    return data


def _from_11(data: dict[str, Any]) -> dict[str, Any]:
    """Version 12 tells when patches were made anew; before, each stayed as it was."""
    for take in data.get("takes", []):
        for body in take.get("bodies", []):
            for run in body.get("runs", []):
                run["renewed"] = False
    return data


STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: _from_1, 2: _from_2, 3: _from_3, 4: _from_4, 5: _from_5, 6: _from_6, 7: _from_7, 8: _from_8,
    9: _from_9, 10: _from_10, 11: _from_11,
}  # fmt: skip
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
