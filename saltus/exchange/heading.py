"""What stands at the head of a column: its name and its unit, read in one pass."""

from __future__ import annotations

LONGEST = 8_000
"""No heading of people is so long: the rest is cut."""


def heading(text: str) -> tuple[str, str]:
    """Read ``mass [g]``, ``mass / g`` and ``Mass (g)``; a name such as ``u(mass)`` keeps its brackets.

    Parameters
    ----------
    text : str

    Returns
    -------
    name, unit : str
        The unit is empty where none is written.
    """
    text = text[:LONGEST].strip()
    if text[:2].casefold() == "u(" and (close := text.find(")")) >= 0:
        found = _with_unit(text, close + 1)
        if found is not None and not text[close + 1 : found[0]].strip():
            return text[: close + 1], found[1]
    found = _with_unit(text, 0)
    return (text[: found[0]].rstrip(), found[1]) if found is not None else (text, "")


def _with_unit(text: str, first: int) -> tuple[int, str] | None:
    """Where the unit begins, not before a place, and the unit; at the very end there may be none."""
    if first and not text[first:].strip():
        return len(text), ""
    ways = [way for way in (_bracketed(text, first), _over(text, first), _in_parentheses(text, first)) if way]
    return min(ways) if ways else None


def _bracketed(text: str, first: int) -> tuple[int, str] | None:
    at = text.find("[", max(first, text.rfind("]", 0, -1) + 1)) if text.endswith("]") else -1
    return (at, text[at + 1 : -1].strip()) if at >= 0 else None


def _in_parentheses(text: str, first: int) -> tuple[int, str] | None:
    at = text.rfind("(") if text.endswith(")") else -1
    closed = at < first or ")" in text[at:-1]
    return (at, text[at + 1 : -1].strip()) if at >= 0 and not closed else None


def _over(text: str, first: int) -> tuple[int, str] | None:
    """``mass / g``: a stroke with a blank before it, and something behind that is no second stroke."""
    at = text.find("/", first + 1)
    while at >= 0:
        behind = at + 1
        while behind < len(text) and text[behind].isspace():
            behind += 1
        if behind == len(text):
            return None
        if text[at - 1].isspace() and text[behind] != "/":
            return at - 1, text[behind:]
        at = text.find("/", behind)
    return None
