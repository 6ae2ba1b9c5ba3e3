"""Edits of the characteristic points that were chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.notebook.chosen_points import ChosenPoint
from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.takes import change_take

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook


def choose_point(
    notebook: Notebook, take_id: str, body_id: str, of: str, kind: str, frame: int
) -> tuple[Notebook, str]:
    """Choose a point; it then stands on the sheet and can be sent to the table."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    notebook, point_id = new_id(notebook, "point", (p.id for p in take.points))
    made = ChosenPoint.model_validate(
        {"id": point_id, "body": body_id, "of": of, "kind": kind, "frame": frame}
    )
    return change_take(notebook, take_id, points=(*take.points, made)), point_id


def drop_point(notebook: Notebook, take_id: str, point_id: str) -> Notebook:
    """Take a chosen point away again."""
    take = notebook.take(take_id)
    if take is None:
        raise KeyError(take_id)
    return change_take(notebook, take_id, points=tuple(p for p in take.points if p.id != point_id))
