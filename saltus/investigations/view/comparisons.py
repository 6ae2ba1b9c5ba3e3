"""Comparisons in words: the three verdicts, one by one or together, with what further schools say."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

from saltus.core import sources
from saltus.core.compare import compare
from saltus.core.entry import entry
from saltus.core.lines.straight import Line
from saltus.core.notation.line import as_text
from saltus.core.quantities import measured
from saltus.core.shown_unit import ShownUnit
from saltus.core.statement import unit_tail
from saltus.core.units import UnitError
from saltus.core.written import WrittenError
from saltus.investigations.engine.evaluation import is_left
from saltus.investigations.engine.outcome import Compared
from saltus.investigations.sentences import say
from saltus.investigations.table.links import linked
from saltus.investigations.view.naming import short_box, shown_unit
from saltus.investigations.view.plots import plotted
from saltus.investigations.view.times_u import part_of_u

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.notebook.trials import Against

MOST_NAMED = 5
NO_UNIT = ShownUnit("")
MANY_TIMES = 2.0
"""From here on a difference is told as so many times, not in per cent."""


@dataclass(frozen=True)
class Verdict:
    """A comparison in words.

    Attributes
    ----------
    of, other : str
        As titles.
    value, against : Quantity
    sentence : str
        Whether they agree, by how many u they differ.
    further : str
        Percent difference and overlap, as other schools judge.
    agree : bool or None
    unit : ShownUnit
        The unit both are shown in.
    key : (str, str)
        Names of both sides, whatever they are called.
    """

    of: str
    other: str
    value: Quantity
    against: Quantity
    sentence: str
    further: str
    agree: bool | None
    with_none: bool = False
    unit: ShownUnit = NO_UNIT
    key: tuple[str, str] = ("", "")


def verdicts(evaluation: Evaluation) -> list[Verdict]:
    """All comparisons of an outcome in words; those with nothing are said by the line."""
    if evaluation.outcome is None:
        return []
    out: list[Verdict] = []
    many: dict[tuple[str, str], list[Compared]] = {}
    for compared in evaluation.outcome.compared:
        if compared.found is None or is_left(evaluation, compared.of):
            continue
        value = evaluation.outcome.results.get(compared.of)
        if _is_part(compared, value):
            many.setdefault((compared.of, compared.other), []).append(compared)
        elif value is not None:
            out.append(_verdict(evaluation, compared, value))
    out = sorted(out, key=lambda v: v.with_none)
    told = [_one_by_one(evaluation, ones) for ones in many.values()]
    return [*_against(evaluation), *out, *told, *_between_series(evaluation)]


def _is_part(compared: Compared, value: Quantity | None) -> bool:
    """Whether a comparison is one of rows or levels of one name, told of together."""
    level = compared.level
    return compared.row is not None or (
        level is not None and (value is None or not compared.of.endswith(level))
    )


def _one_by_one(evaluation: Evaluation, ones: list[Compared]) -> Verdict:
    """Rows or levels of one comparison, judged together: how many agree, and which do not."""
    of, other = (_title(evaluation, name) for name in (ones[0].of, ones[0].other))
    if ones[0].of == ones[0].other:
        other = say("verdicts.all-together")
    by = {
        agree: [one for one in ones if one.found is not None and one.found.agree is agree]
        for agree in (True, False, None)
    }
    far = max(ones, key=lambda one: (one.found.apart or 0.0) if one.found is not None else 0.0)
    assert far.found is not None
    words = []
    if len(by[True]) == len(ones) > 1:
        words.append(say("verdicts.all-agree", n=len(ones)))
    elif by[True]:
        words.append(say("verdicts.many-agree", n=len(by[True])))
    if by[False]:
        words.append(say("verdicts.many-differ", n=len(by[False]), names=_names(by[False])))
    if by[None]:
        words.append(say("verdicts.many-open", n=len(by[None])))
    agree = False if by[False] else None if by[None] else True
    title = (
        say("verdicts.row-by-row", of=of) if far.row is not None else say("verdicts.level-by-level", of=of)
    )
    further = say("verdicts.farthest", name=_names([far]), n=part_of_u(far.found.apart or 0.0))
    value = far.value if far.value is not None else far.found.difference
    unit = shown_unit(evaluation, ones[0].of, value.unit)
    return Verdict(
        title,
        other,
        value,
        value - far.found.difference,
        " ".join(words),
        further,
        agree,
        unit=unit,
        key=(ones[0].of, f"each {ones[0].other}"),
    )


def _names(ones: list[Compared]) -> str:
    shown = [
        one.level if one.level is not None else say("verdicts.row", n=one.row) for one in ones[:MOST_NAMED]
    ]
    return ", ".join(shown) + (" …" if len(ones) > MOST_NAMED else "")


def _title(evaluation: Evaluation, name: str) -> str:
    """Words for a side of a comparison."""
    fixed = {"none": say("verdicts.no-effect"), "theory": say("verdicts.theory")}
    known = name in evaluation.recipe.givens and name in evaluation.recipe.results
    if known:
        return say("verdicts.the-given", name=as_text(short_box(evaluation, name)))
    return fixed.get(name, evaluation.recipe.title_of(name))


def _against(evaluation: Evaluation) -> list[Verdict]:
    """Results held against what the person chose: a second method, another group, a table value."""
    assert evaluation.outcome is not None
    out = []
    for one in evaluation.table.against:
        value = evaluation.outcome.results.get(one.of)
        other = against_value(evaluation, one)
        if value is None or isinstance(other, str) or is_left(evaluation, one.of):
            continue
        if other.unit.goes_with(value.unit):
            out.append(
                _verdict(
                    evaluation,
                    Compared(one.of, one.name, compare(value, other, measured=one.link is not None)),
                    value,
                )
            )
    return out


def against_value(evaluation: Evaluation, one: Against) -> Quantity | str:
    """The value a result is held against, or a sentence that says why there is none."""
    if one.link is not None:
        q = linked(evaluation.sources, one.link, one.text)
        if not isinstance(q, str):
            return q
    try:
        read = entry(one.text)
    except (WrittenError, UnitError) as error:
        return str(error)
    return measured(read.value, read.u or 0.0, read.unit, sources.held_against(one.name))


def _between_series(evaluation: Evaluation) -> list[Verdict]:
    """Slopes of the series of a plot, each with the one before it."""
    told = [(s.name, s.fit.slope) for s in plotted(evaluation).series if isinstance(s.fit, Line)]
    slopes = [(name, q) for name, q in told if q is not None and name]
    out = []
    for (before, first), (name, second) in pairwise(slopes):
        made = _verdict(evaluation, Compared("slope", before, compare(second, first, measured=True)), second)
        out.append(replace(made, of=say("verdicts.slope-of", name=name), other=before))
    return out


def difference_words(percent: float) -> str:
    """A difference in per cent; a large one as so many times the other."""
    times = 1 + percent / 100
    if times >= MANY_TIMES:
        return say("verdicts.times-larger", n=times)
    if 0 < times <= 1 / MANY_TIMES:
        return say("verdicts.times-smaller", n=1 / times)
    if times <= 0:
        return say("verdicts.other-sign")
    return say("verdicts.larger" if percent > 0 else "verdicts.smaller", p=_part(abs(percent)))


def _part(percent: float) -> str:
    """A difference with the digits that matter: 0.03, 0.4, 2.4, 24."""
    return f"{percent:.0f}" if percent >= 10 else f"{percent:.1f}" if percent >= 1 else f"{percent:.1g}"


def _verdict(evaluation: Evaluation, compared: Compared, value: Quantity) -> Verdict:
    found = compared.found
    assert found is not None
    of, key = evaluation.recipe.title_of(compared.of), (compared.of, compared.other)
    other = _title(evaluation, compared.other)
    against = value - found.difference
    gap = found.difference.U95
    shown = shown_unit(evaluation, compared.of, value.unit)
    number = shown.words(abs(float(found.difference)), gap)[0]
    size = number + unit_tail(shown.text)
    if compared.other == "none":
        code = {False: "verdicts.effect", True: "verdicts.no-effect-seen", None: "verdicts.effect-open"}[
            found.agree
        ]
        sentence = say(code, n=found.apart or 0.0)
        return Verdict(
            of, other, value, against, sentence, "", found.agree, with_none=True, unit=shown, key=key
        )
    code = {True: "verdicts.agree", False: "verdicts.differ", None: "verdicts.cannot-tell"}[found.agree]
    n = part_of_u(found.apart) if found.apart is not None else None
    sentence = say(code, size=size) if n is None else say(f"{code}-in-u", size=size, n=n)
    further = []
    if found.percent is not None:
        further.append(difference_words(found.percent))
    if found.overlap is not None:
        further.append(
            say("verdicts.ranges-overlap") if found.overlap else say("verdicts.ranges-not-overlap")
        )
    return Verdict(of, other, value, against, sentence, " · ".join(further), found.agree, unit=shown, key=key)
