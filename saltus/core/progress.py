"""How long work tells how far it is, and is told to stop."""

from collections.abc import Callable

Report = Callable[[int, int], None]
"""Called with (done, total); total 0 means not known. It may raise :class:`Cancelled`."""


class Cancelled(Exception):  # noqa: N818  it is not an error
    """The person asked for the work to stop."""


def silent(_done: int, _total: int) -> None:
    """Report to nobody."""
