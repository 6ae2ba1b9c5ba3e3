"""The pieces a set formula is made of, and the symbols of quantities."""

from __future__ import annotations

from dataclasses import dataclass

THIN = "\u2009"
"""Space between factors, and before a unit inside a formula."""


@dataclass(frozen=True)
class Word:
    """A run of letters: italic for the symbol of a quantity, upright for anything else."""

    text: str
    italic: bool = False


@dataclass(frozen=True)
class Value:
    """A number, with its unit where it has one, put in for a symbol."""

    text: str
    unit: str = ""


@dataclass(frozen=True)
class Row:
    """Pieces one after the other."""

    parts: tuple[Box, ...]


@dataclass(frozen=True)
class Below:
    """A piece with a mark low at its right, such as the 0 of v₀."""

    base: Box
    mark: Box


@dataclass(frozen=True)
class Power:
    """A piece raised to a power."""

    base: Box
    power: Box


@dataclass(frozen=True)
class Fraction:
    """One piece over another."""

    above: Box
    below: Box


@dataclass(frozen=True)
class Root:
    """A square root."""

    inner: Box


@dataclass(frozen=True)
class Mean:
    """A piece with a bar over it: its mean."""

    inner: Box


@dataclass(frozen=True)
class Group:
    """A piece in brackets, as high as it is: round ones, or strokes for a size without its sign."""

    inner: Box
    marks: str = "()"


@dataclass(frozen=True)
class Applied:
    """A function of something, as sin θ: it holds together."""

    name: str
    inner: Box


Box = Word | Value | Row | Below | Power | Fraction | Root | Mean | Group | Applied


def read_symbol(text: str) -> Box:
    """Set a symbol from how an investigation writes it: ``v_0``, ``t^2``, ``1/λ``, ``L_2/L_1``.

    Parameters
    ----------
    text : str
        Letters, ``_`` before what stands low, ``^`` before a power, ``/`` between two symbols.
    """
    above, slash, below = text.partition("/")
    if slash:
        return Fraction(_single(above), _single(below))
    return _single(text)


def _single(text: str) -> Box:
    rest, _mark, power = text.partition("^")
    base, _mark, low = rest.partition("_")
    letters: Box = Word(base, italic=not base.isdigit())
    if low:
        letters = Below(letters, Word(low, italic=len(low) == 1 and low.isalpha()))
    return Power(letters, Word(power)) if power else letters
