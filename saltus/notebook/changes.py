"""What changed from one notebook to the next, small enough to be written down at once and made again."""

from __future__ import annotations

from typing import Any

from saltus.notebook.following import RunRecord, record_from_rows
from saltus.notebook.model import Notebook
from saltus.notebook.part import Part
from saltus.notebook.readings import Readings, reading_of_row, row_of_reading

Change = dict[str, Any]
"""A tree that follows the notebook: ``fields`` of a part or ``items`` of a row of parts that changed; at its
leaves ``set`` (the new value as JSON) or, for readings, ``rows`` placed and frames ``gone``."""


class ChangeError(ValueError):
    """Changes that do not fit the notebook they are made on."""


def changes(before: Notebook, after: Notebook) -> Change:
    """Say what is different; costs as much as what changed, for what did not is shared.

    Parameters
    ----------
    before, after : Notebook

    Returns
    -------
    Change
        Ready for JSON; empty when nothing changed.
    """
    return _difference(before, after) or {}


def _difference(before: Any, after: Any) -> Change | None:
    if before is after:
        return None
    if isinstance(before, Part) and type(before) is type(after):
        names = type(before).model_fields
        inner = {n: d for n in names if (d := _difference(getattr(before, n), getattr(after, n)))}
        return {"fields": inner} if inner else None
    if isinstance(before, Readings) and isinstance(after, Readings):
        placed, gone = after.differences(before)
        return {"rows": [row_of_reading(r) for r in placed], "gone": gone} if placed or gone else None
    if isinstance(before, RunRecord) and isinstance(after, RunRecord):
        seen, gone = after.differences(before)
        return {"rows": RunRecord(seen).as_rows(), "gone": gone} if seen or gone else None
    if _alike(before, after):
        pairs = enumerate(zip(before, after, strict=True))
        inner = {str(i): d for i, (old, new) in pairs if (d := _difference(old, new))}
        return {"items": inner} if inner else None
    return {"set": _plain(after)} if before != after else None


def _alike(before: Any, after: Any) -> bool:
    """Whether two values are rows of parts of one length, to be compared one by one."""
    return (
        isinstance(before, tuple)
        and isinstance(after, tuple)
        and len(before) == len(after) > 0
        and all(isinstance(item, Part) for item in (*before, *after))
    )


def _plain(value: Any) -> Any:
    if isinstance(value, Part):
        return value.model_dump(mode="json")
    if isinstance(value, tuple):
        return [_plain(item) for item in value]
    if isinstance(value, dict):
        return {key: _plain(item) for key, item in value.items()}
    return value


def made_again(notebook: Notebook, change: Change) -> Notebook:
    """Make changes again on the notebook they were made on.

    Parameters
    ----------
    notebook : Notebook
    change : Change

    Raises
    ------
    ValueError
        If they do not fit this notebook (ChangeError), or lead to what a notebook cannot hold.
    """
    made = _changed(notebook, change) if change else notebook
    if not isinstance(made, Notebook):
        raise ChangeError("not a notebook any more")
    return made


def _changed(part: Any, change: Any) -> Any:
    if not isinstance(change, dict) or len(change) not in (1, 2):
        raise ChangeError("not a change")
    if "set" in change:
        return change["set"]
    if isinstance(part, Readings) and "rows" in change:
        return part.with_differences(map(reading_of_row, change["rows"]), map(int, change["gone"]))
    if isinstance(part, RunRecord) and "rows" in change:
        return part.with_differences(record_from_rows(change["rows"]).rows, map(int, change["gone"]))
    if isinstance(part, Part) and isinstance(inner := change.get("fields"), dict):
        if not inner.keys() <= type(part).model_fields.keys():
            raise ChangeError("no such field")
        return part.but(**{name: _changed(getattr(part, name), inner[name]) for name in inner})
    if isinstance(part, tuple) and isinstance(inner := change.get("items"), dict):
        if not inner.keys() <= set(map(str, range(len(part)))):
            raise ChangeError("no such item")
        return tuple(_changed(p, inner[str(i)]) if str(i) in inner else p for i, p in enumerate(part))
    raise ChangeError("a change of something else")
