"""What was worked out from versions of a notebook long left behind is let go: it can be worked out anew."""

from __future__ import annotations

from typing import Any

from saltus.notebook.memory import forget
from saltus.notebook.part import Part
from saltus.notebook.readings import Readings


def forget_apart(old: Any, newer: Any) -> None:
    """Let go what is remembered on an old part and on all it holds, except on what a newer version holds too.

    Parameters
    ----------
    old : Part, Readings, tuple of them, or any plain value
        Stays what it is.
    newer : the same, or None
        A version of it that is still in use; None where there is none.
    """
    if old is newer:
        return
    if isinstance(old, tuple):
        others = newer if isinstance(newer, tuple) else ()
        kept, named = set(map(id, others)), {getattr(one, "id", None): one for one in others}
        for one in old:
            if id(one) not in kept:
                forget_apart(one, named.get(getattr(one, "id", None)))
    elif isinstance(old, Readings):
        old.forget()
    elif isinstance(old, Part):
        forget(old)
        for name, value in vars(old).items():
            forget_apart(value, getattr(newer, name, None))
