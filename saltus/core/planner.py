"""Planning: how many cycles a wanted uncertainty takes."""

from __future__ import annotations

import math

MOST_CYCLES = 100_000


def cycles_for(relative: float, period_s: float, U_pass_s: float, *, by_line: bool = False) -> int | None:
    """Give the fewest cycles from which the period comes as well as wanted.

    Parameters
    ----------
    relative : float
        Wanted 95 % uncertainty of the period as a part of it, such as 0.01.
    period_s : float
        About how long a cycle takes, s.
    U_pass_s : float
        95 % uncertainty of one passing, s.
    by_line : bool
        Whether the period comes from the straight line through all passings, else from first and last.

    Returns
    -------
    int or None
        None where it would take more than a hundred thousand, or the input makes no sense.

    Notes
    -----
    From the ends U(T) = √2·U/N; from the line through N + 1 even passings U(T) = U·√(12/(N(N + 1)(N + 2))).
    """
    if not (relative > 0 and period_s > 0 and U_pass_s >= 0):
        return None
    wanted = relative * period_s
    count = max(1, math.ceil(math.sqrt(2) * U_pass_s / wanted - 1e-9)) if U_pass_s / wanted < 1e9 else 0
    if by_line and count:
        low, high = 1, max(count, 2)
        while low < high:
            middle = (low + high) // 2
            if U_of_period(middle, U_pass_s, by_line=True) <= wanted * (1 + 1e-9):
                high = middle
            else:
                low = middle + 1
        count = low
    return count if 0 < count <= MOST_CYCLES else None


def U_of_period(cycles: int, U_pass_s: float, *, by_line: bool = False) -> float:
    """95 % uncertainty of a period from so many cycles; see :func:`cycles_for`.

    Parameters
    ----------
    cycles : int
        n, at least one.
    U_pass_s : float
        95 % uncertainty of one pass, s.
    by_line : bool
        Whether every pass is noted and a line laid through them: U√(12/(n(n+1)(n+2))) instead of U√2/n.

    Returns
    -------
    float
        s
    """
    n = cycles
    return U_pass_s * (math.sqrt(12 / (n * (n + 1) * (n + 2))) if by_line else math.sqrt(2) / n)
