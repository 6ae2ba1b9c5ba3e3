"""A job: long work under way for one document."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Generic, TypeVar

from saltus.core.progress import Cancelled, finished

if TYPE_CHECKING:
    from collections.abc import Callable

    from saltus.core.progress import Report, Steps

T = TypeVar("T")


class Job(Generic[T]):
    """Long work, what it is called, and the document it was started for.

    Parameters
    ----------
    words : str
        What is being done, for people.
    begin : callable
        Gives the steps of the work; called where it runs, not where it is made.
    document : int or None
        Token of the document its outcome is for; None where it changes none.
    """

    def __init__(self, words: str, begin: Callable[[], Steps[T]], document: int | None = None) -> None:
        self.words = words
        self.document = document
        self._begin = begin
        self._cancelled = False

    def cancel(self) -> None:
        """Ask it to stop at its next step, from any thread."""
        self._cancelled = True

    def belongs_to(self, document: int) -> bool:
        """Whether its outcome may be used while this document is open."""
        return self.document is None or self.document == document

    def run(self, report: Report, take: Callable[[Any], None] | None = None) -> T:
        """Do all of it here and give its outcome.

        Parameters
        ----------
        report : Report
            Told (done, total).
        take : callable, optional
            Is given what can be used before the end.

        Raises
        ------
        Cancelled
            When it was asked to stop; it has cleaned up after itself then.
        """

        def look(done: int, total: int) -> None:
            if self._cancelled:
                raise Cancelled
            report(done, total)

        return finished(self._begin(), look, take)
