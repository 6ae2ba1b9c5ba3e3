"""What is written into the cells of a table: numbers, times of a stopwatch, readings of several observers."""

from __future__ import annotations

import math
import re
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.coverage import NORMAL_95, student_95
from saltus.core.entry import LARGEST, SMALLEST, entry, in_wanted, plain
from saltus.core.units import SECOND, Unit, UnitError, parse_unit
from saltus.core.written import WrittenError
from saltus.investigations.sentences import say
from saltus.investigations.table.observers import BETWEEN
from saltus.investigations.table.wide import is_no_value

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from saltus.investigations.recipe.recipe import Column

    Array = NDArray[np.float64]

_WATCH = re.compile(r"(\d{1,3}):([0-5]\d(?:[.,]\d+)?)")
_SHARED = re.compile(r"\s*([-+\u2212]?\d+(?:[.,]\d*)?)\s*/\s*(\d+(?:[.,]\d*)?)\s*")
_PLAIN = re.compile(r"\s*[-+\u2212]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d{1,3})?\s*")
_GUESSED = re.compile(
    r"\s*(?:about|around|approx(?:imately)?|roughly|ca|circa|nearly|almost|~|≈)\.?\s*[\d.,]", re.IGNORECASE
)
"""A number said to be a guess."""
_EXPONENT = re.compile(r"(?<=[\d.,])[eE](?=[-+\u2212]?\d)")


class TrialsError(ValueError):
    """A table of trials that cannot be used: which cell, what is expected there.

    ``why``: without the place.
    """

    def __init__(self, message: str, why: str = "") -> None:
        super().__init__(message)
        self.why = why or message


class NotANumberError(TrialsError):
    """A cell that holds no number, or one of a size that cannot be meant."""


def of_several(readings: Sequence[Array]) -> tuple[Array, Array]:
    """Means of readings of one run by several observers, and what their differences say of them.

    Parameters
    ----------
    readings : sequence of (k,) ndarray
        SI; NaN where one observer has none.

    Returns
    -------
    mean, u : (N,) ndarray
        SI. The scatter of the hands is pooled over all runs; from few differences it is widened by Student's
        factor over 1.96.
    """
    there = [one[np.isfinite(one)] for one in readings]
    means = np.array([float(np.mean(one)) if len(one) else math.nan for one in there])
    dof = sum(max(len(one) - 1, 0) for one in there)
    if not dof:
        return means, np.zeros(len(there))
    squares = sum(
        float(np.sum((one - mean) ** 2)) for one, mean in zip(there, means, strict=True) if len(one)
    )
    hand = math.sqrt(squares / dof) * student_95(dof) / NORMAL_95
    return means, np.array([hand / math.sqrt(len(one)) if len(one) > 1 else hand for one in there])


@lru_cache(maxsize=32)
def numbers_of(
    name: str, title: str, texts: tuple[str, ...], unit: tuple[float, Unit], *, words: bool
) -> tuple[Array, Array | None]:
    """Values and the uncertainties written in the cells themselves, SI; not to be written to.

    Of a table in which one cell is typed all other columns are what they were.
    """
    factor, wanted = unit
    values, u = np.full(len(texts), math.nan), np.zeros(len(texts))
    several = {} if words else _several(name, title, texts, unit)
    if several:
        values[list(several)], u[list(several)] = of_several(list(several.values()))
    for i, text in enumerate(texts):
        if i in several or not text or (not words and is_no_value(text)):
            continue
        if _PLAIN.fullmatch(text):
            values[i] = plain(text) * factor
            if values[i] and not SMALLEST <= abs(values[i]) <= 1 / SMALLEST:
                raise NotANumberError(_no_number(name, i, title, text))
            continue
        if words:
            continue
        if _GUESSED.match(text):
            raise NotANumberError(_no_number(name, i, title, text))
        if (written := _as_people_write(text, wanted)) is not None:
            values[i] = written[0] * (1.0 if written[1] else factor)
            continue
        values[i], u[i] = _as_quantity(name, title, i, text, unit)
    values.flags.writeable = u.flags.writeable = False
    return values, u if np.any(u > 0) else None


def _as_quantity(name: str, title: str, row: int, text: str, unit: tuple[float, Unit]) -> tuple[float, float]:
    """Value and standard uncertainty of a cell that is more than digits, SI."""
    factor, wanted = unit
    bare = text.strip("'")
    with_unit = any(c.isalpha() or c in "°%" for c in _EXPONENT.sub("", bare))
    try:
        value, u = _entered(bare, wanted if with_unit else None)
    except WrittenError as error:
        if not with_unit:
            raise NotANumberError(_no_number(name, row, title, text)) from error
        where = say("trials.place", table=name, line=row + 2, name=title)
        raise TrialsError(f"{where}: {error}", str(error)) from error
    return (value, u) if with_unit else (value * factor, u * factor)


def _several(name: str, title: str, texts: tuple[str, ...], unit: tuple[float, Unit]) -> dict[int, Array]:
    """Readings of the cells that hold those of several observers, by row."""
    mark = BETWEEN.strip()
    return {
        i: numbers_of(name, title, tuple(part.strip() for part in text.split(mark)), unit, words=False)[0]
        for i, text in enumerate(texts)
        if mark in text
    }


def _as_people_write(text: str, wanted: Unit) -> tuple[float, bool] | None:
    """A reading of a stopwatch, 1:02.4, in s (True); a time shared out, 61.3/10, in the column's unit."""
    watch = _WATCH.fullmatch(text) if wanted == SECOND else None
    if watch is not None:
        return 60.0 * int(watch[1]) + plain(watch[2]), True
    shared = _SHARED.fullmatch(text)
    if shared is None or not plain(shared[2]):
        return None
    return plain(shared[1]) / plain(shared[2]), False


@lru_cache(maxsize=50_000)
def _entered(text: str, wanted: Unit | None) -> tuple[float, float]:
    """Value and standard uncertainty of a cell as written; the same cells come again at every edit."""
    read = entry(text, wanted)
    return read.value, read.u or 0.0


def cell_problem(text: str, column: Column, unit_text: str, title: str) -> str:
    """Say in one sentence why a cell cannot be used; empty where it can."""
    text = text.strip()
    if not text or column.kind == "text" or is_no_value(text):
        return ""
    return _problem(text, column.kind, column.unit_text, unit_text or column.unit_text, title)


@lru_cache(maxsize=50_000)
def _problem(text: str, kind: str, wanted_text: str, unit_text: str, title: str) -> str:
    if _PLAIN.fullmatch(text):
        size = abs(plain(text))
        if size and not SMALLEST <= size <= LARGEST:
            return say("trials.absurd", text=text[:20])
        return ""
    if kind != "number":
        return ""
    try:
        factor, unit = parse_unit(unit_text)
        wanted = parse_unit(wanted_text)[1]
        numbers_of(title, title, (text,), (in_wanted(unit_text, factor, wanted), unit), words=False)
    except NotANumberError:
        code = "trials.guessed-write" if _GUESSED.match(text) else "trials.no-number-write-example"
        return say(code, text=text[:40])
    except (UnitError, TrialsError, WrittenError) as error:
        sentence = error.why if isinstance(error, TrialsError) else str(error)
        return sentence[:1].upper() + sentence[1:]
    return ""


def _no_number(name: str, row: int, title: str, text: str) -> str:
    if _GUESSED.match(text):
        return say("trials.guessed", table=name, line=row + 2, name=title, cell=" ".join(text.split())[:40])
    words = "trials.line-too-small-too" if _PLAIN.fullmatch(text) else "trials.line-not-number"
    return say(words, table=name, line=row + 2, name=title, cell=" ".join(text.split())[:40])
