"""Long work as a generator: it says how far it is, can be stopped in between, and ends with its outcome."""

from __future__ import annotations

from collections.abc import Callable, Generator
from dataclasses import dataclass
from functools import update_wrapper
from typing import Any, Generic, ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")

Report = Callable[[int, int], None]
"""Called with (done, total); total 0 means not known. It may raise :class:`Cancelled`."""


@dataclass(frozen=True)
class Progress:
    """So much is done of so much; a total of 0 is not known."""

    done: int
    total: int


@dataclass(frozen=True)
class Partial:
    """Something that can be used before the work has ended."""

    value: Any


Steps = Generator[Progress | Partial, None, T]


class Cancelled(Exception):  # noqa: N818  it is not an error
    """The person asked for the work to stop."""


def silent(_done: int, _total: int) -> None:
    """Report to nobody."""


def finished(steps: Steps[T], report: Report = silent, take: Callable[[Any], None] | None = None) -> T:
    """Do all steps of long work and give its outcome.

    Parameters
    ----------
    steps : Steps
    report : Report
        May raise Cancelled: the work is closed then, and cleans up after itself.
    take : callable, optional
        Is given what can be used before the end.
    """
    try:
        while True:
            step = next(steps)
            if isinstance(step, Progress):
                report(step.done, step.total)
            elif take is not None:
                take(step.value)
    except StopIteration as end:
        outcome: T = end.value
        return outcome
    finally:
        steps.close()


class LongWork(Generic[P, T]):
    """A function that takes long: call it to have it done, or go through its ``steps``.

    Parameters
    ----------
    function : callable
        Gives the steps.
    """

    def __init__(self, function: Callable[P, Steps[T]]) -> None:
        self._function = function
        update_wrapper(self, function)

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> T:
        """Do all of it at once."""
        return finished(self._function(*args, **kwargs))

    def steps(self, *args: P.args, **kwargs: P.kwargs) -> Steps[T]:
        """Begin it; each step says how far it is."""
        return self._function(*args, **kwargs)
