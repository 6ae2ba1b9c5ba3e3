"""Undo and redo without limit: every step holds a whole notebook, which shares all that did not change."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.notebook.edits.ids import never_back
from saltus.notebook.forgetting import forget_apart

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.notebook.model import Notebook


AT_HAND = 20
"""So many steps back and forth are gone at once. Of those farther off only the notebooks are kept: what was
worked out from each would fill the memory (16 MB for 100,000 readings)."""


@dataclass(frozen=True)
class Step:
    """An edit that was made: its name in words, the notebook before it, and what it may merge with."""

    name: str
    before: Notebook
    merge: str | None


class History:
    """The present notebook with the way back and forth.

    Parameters
    ----------
    notebook : Notebook
    follow : callable, optional
        Brings a notebook that was edited in line with itself, such as its linked cells.
    """

    def __init__(self, notebook: Notebook, follow: Callable[[Notebook], Notebook] | None = None) -> None:
        self.present = notebook
        self._follow = follow
        self._past: list[Step] = []
        self._future: list[Step] = []

    def do(self, name: str, notebook: Notebook, merge: str | None = None) -> bool:
        """Make an edit.

        Parameters
        ----------
        name : str
            Words for the undo button.
        notebook : Notebook
            The notebook after the edit.
        merge : str, optional
            Edits one after the other with the same key are one step (nudges of one reading).

        Returns
        -------
        bool
            Whether anything changed.
        """
        if self._follow is not None:
            notebook = self._follow(notebook)
        if notebook is self.present or notebook == self.present:
            return False
        last = self._past[-1] if self._past else None
        if merge is None or last is None or last.merge != merge or self._future:
            self._keep(self._past, Step(name, self.present, merge))
        self._future.clear()
        self.present = notebook
        return True

    def undo(self) -> str | None:
        """Go one step back; gives its name, None when there is none. Ids given stay given."""
        if not self._past:
            return None
        step = self._past.pop()
        self._keep(self._future, Step(step.name, self.present, step.merge))
        self.present = never_back(step.before, self.present)
        return step.name

    def redo(self) -> str | None:
        """Go one step forth again; gives its name, None when there is none."""
        if not self._future:
            return None
        step = self._future.pop()
        self._keep(self._past, Step(step.name, self.present, None))
        self.present = never_back(step.before, self.present)
        return step.name

    @staticmethod
    def _keep(steps: list[Step], step: Step) -> None:
        steps.append(step)
        if len(steps) > AT_HAND:
            forget_apart(steps[-AT_HAND - 1].before, steps[-AT_HAND].before)

    def amend(self, change: Callable[[Notebook], Notebook]) -> None:
        """Change the present and all versions undo and redo lead to: what became known is no step."""
        self.present = change(self.present)
        for steps in (self._past, self._future):
            steps[:] = [Step(step.name, change(step.before), step.merge) for step in steps]

    @property
    def undo_name(self) -> str | None:
        """Name of the edit that undo would take back."""
        return self._past[-1].name if self._past else None

    @property
    def redo_name(self) -> str | None:
        """Name of the edit that redo would make again."""
        return self._future[-1].name if self._future else None
