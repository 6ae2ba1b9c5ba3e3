"""What was worked out is remembered on the immutable part it was made from, and goes when that goes."""

from __future__ import annotations

from functools import wraps
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable

_Out = TypeVar("_Out")


def _memory_of(part: Any) -> dict[Any, Any]:
    memory: dict[Any, Any] | None = getattr(part, "_memory", None)
    if memory is None:
        memory = {}
        # not a field: the part stays what it is, and copies of it begin with nothing
        object.__setattr__(part, "_memory", memory)
    return memory


def forget(part: Any) -> None:
    """Let go all that is remembered on a part."""
    object.__setattr__(part, "_memory", None)


def remembered(function: Callable[..., _Out]) -> Callable[..., _Out]:
    """Keep every outcome on the first argument; the others are parts of it, by identity, or plain values."""

    @wraps(function)
    def ask(part: Any, *others: Any) -> _Out:
        memory = _memory_of(part)
        key = (function, *(o if isinstance(o, str | int) else id(o) for o in others))
        kept = memory.get(key)
        if kept is None:
            # the others are kept with it: no other part can come to have their identity
            kept = memory[key] = (others, function(part, *others))
        outcome: _Out = kept[1]
        return outcome

    return ask


def remembered_last(function: Callable[..., _Out]) -> Callable[..., _Out]:
    """Keep the last outcome on the first argument; the others live on their own and are not held for longer.

    Arguments are the same when they are one object, or tuples of the same objects.
    """

    @wraps(function)
    def ask(part: Any, *others: Any) -> _Out:
        memory = _memory_of(part)
        kept = memory.get(function)
        if kept is None or not all(map(_same, kept[0], others)):
            kept = memory[function] = (others, function(part, *others))
        outcome: _Out = kept[1]
        return outcome

    return ask


def _same(one: Any, other: Any) -> bool:
    if one is other:
        return True
    pair = isinstance(one, tuple) and isinstance(other, tuple) and len(one) == len(other)
    return pair and all(a is b for a, b in zip(one, other, strict=True))


def _key(function: Callable[..., Any], same: tuple[Any, ...]) -> tuple[Any, ...]:
    return (function, *(o if isinstance(o, str | int | float | None) else id(o) for o in same))


def is_remembered(asked: Callable[..., Any], part: Any, same: tuple[Any, ...]) -> bool:
    """Whether a function of :func:`remembered_while` was asked for this before."""
    return _key(asked.__wrapped__, same) in _memory_of(part)  # type: ignore[attr-defined]


def remembered_while(function: Callable[..., _Out]) -> Callable[..., _Out]:
    """Keep outcomes on the first argument for as long as the parts of the second, a tuple, are the same.

    The further arguments are what the function works with; they are no part of what makes an outcome another.
    """

    @wraps(function)
    def ask(part: Any, same: tuple[Any, ...], *others: Any) -> _Out:
        memory = _memory_of(part)
        key = _key(function, same)
        kept = memory.get(key)
        if kept is None:
            kept = memory[key] = (same, function(part, same, *others))
        outcome: _Out = kept[1]
        return outcome

    return ask
