"""Edits of recorded logs: zeroing, sign, stretches, and laying them over a take."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from saltus.notebook.edits.ids import new_id
from saltus.notebook.logs import Log, LogStretch

if TYPE_CHECKING:
    from saltus.notebook.logs import Channel
    from saltus.notebook.model import Notebook


def add_log(
    notebook: Notebook, name: str, times: tuple[float, ...], channels: tuple[Channel, ...], *,
    simulated: bool = False,
) -> tuple[Notebook, str]:  # fmt: skip
    """Add a recorded log; gives the notebook and its id."""
    notebook, log_id = new_id(notebook, "log", (log.id for log in notebook.logs))
    made = Log(id=log_id, name=name[:200] or log_id, times=times, channels=channels, simulated=simulated)
    return notebook.but(logs=(*notebook.logs, made)), log_id


def change_log(notebook: Notebook, log_id: str, **changes: Any) -> Notebook:
    """Change fields of a log: its name, take and shift."""
    logs = tuple(log.but(**changes) if log.id == log_id else log for log in notebook.logs)
    return notebook.but(logs=logs)  # type: ignore[no-any-return]


def remove_log(notebook: Notebook, log_id: str) -> Notebook:
    """Take a log out of the notebook; undo brings it back."""
    return notebook.but(logs=tuple(log for log in notebook.logs if log.id != log_id))  # type: ignore[no-any-return]


def change_channel(notebook: Notebook, log_id: str, name: str, **changes: Any) -> Notebook:
    """Zero a channel on a quiet stretch, or reverse its sign."""
    log = notebook.log(log_id)
    assert log is not None
    channels = tuple(c.but(**changes) if c.name == name else c for c in log.channels)
    return change_log(notebook, log_id, channels=channels)


def add_stretch(
    notebook: Notebook, log_id: str, channel: str, first: float, last: float
) -> tuple[Notebook, str]:
    """Choose a stretch of a channel, s; gives the notebook and its id."""
    log = notebook.log(log_id)
    assert log is not None
    notebook, stretch_id = new_id(notebook, "stretch", (s.id for s in log.stretches))
    low, high = sorted((first, last))
    made = LogStretch(id=stretch_id, channel=channel, first=low, last=high)
    return change_log(notebook, log_id, stretches=(*log.stretches, made)), stretch_id


def remove_stretch(notebook: Notebook, log_id: str, stretch_id: str) -> Notebook:
    """Take a stretch away; the record stays."""
    log = notebook.log(log_id)
    assert log is not None
    return change_log(notebook, log_id, stretches=tuple(s for s in log.stretches if s.id != stretch_id))
