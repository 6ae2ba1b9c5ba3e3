"""The sheet of an investigation as plain data: result, graph, table of levels, comparisons, claims."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from saltus.core.budget import budget
from saltus.core.lines.straight import Line
from saltus.core.notation.boxes import Row, Word
from saltus.core.notation.line import as_text
from saltus.core.shown_unit import pretty_unit
from saltus.core.statement import unit_tail, written_number
from saltus.core.wording import _, plural
from saltus.exchange.graph import graph_of
from saltus.exchange.motion_sections import log_section, motion_sections
from saltus.exchange.pictured import picture_of
from saltus.exchange.sheet import budget_grid, describe, limit_words
from saltus.exchange.sheet_data import Grid, Result, Section, Sheet
from saltus.exchange.span import span_of
from saltus.exchange.timing_section import timing_result, timing_section
from saltus.investigations.engine.evaluation import evaluate, slips_of
from saltus.investigations.view.advice import stated_result
from saltus.investigations.view.comparisons import verdicts
from saltus.investigations.view.evidence import support
from saltus.investigations.view.naming import (
    equation,
    formula_words,
    named_sources,
    short_box,
    shown_unit,
    stated_value,
    titled,
)
from saltus.investigations.view.plots import plotted
from saltus.investigations.view.substitution import Worked, substitution
from saltus.investigations.view.table_view import (
    cell_words,
    group_title,
    mean_words,
    table_columns,
)
from saltus.investigations.view.verdicts import line_rows, line_sentences, meaning, result_rows

if TYPE_CHECKING:
    from saltus.core.notation.boxes import Box
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.comparisons import Verdict
    from saltus.investigations.view.plots import Plotted
    from saltus.investigations.view.table_view import TableColumn
    from saltus.notebook.model import Notebook, Take
    from saltus.notebook.trials import Instrument

MOST_DOUBTS = 8
MOST_LEVELS, MOST_COLUMNS, MOST_EQUATIONS, SHORT_TITLE = 16, 8, 5, 12
MOST_FIGURES = 3
"""Figures somebody may mean by the step of an instrument."""


def describe_trials(notebook: Notebook, evaluation: Evaluation) -> Sheet:
    """Describe the sheet of an investigation.

    Parameters
    ----------
    notebook : Notebook
    evaluation : Evaluation
        Its table, worked out.
    """
    plot = plotted(evaluation)
    graph, words = graph_of(evaluation, plot), _chart_words(evaluation, plot)
    pictured = picture_of(evaluation) if graph is None else None
    shown, words = pictured if pictured is not None else (graph, words)
    parts = [notebook.who, evaluation.recipe.title if evaluation.recipe.title != notebook.title else ""]
    found = evaluation.headline
    q = found[1] if found is not None else None
    told = q is not None and math.isfinite(q.U95) and q.U95 > 0
    lines = named_sources(evaluation, budget(q)) if told and q is not None else []
    return Sheet(
        title=notebook.title,
        byline=" · ".join(p for p in [*parts, _counts(evaluation)] if p),
        result=_result(evaluation, plot),
        method=tuple(_method(notebook, evaluation)),
        equations=tuple(_equations(evaluation)),
        chart=shown.chart if shown is not None else None,
        residuals=shown.residuals if shown is not None else None,
        alike=shown is not None and shown.alike,
        chart_words=f"{words} {_('Simulated data.')}" if evaluation.table.simulated else words,
        readings=_levels(evaluation),
        readings_words=_("Means of each level, with their 95 % half widths.")
        if evaluation.recipe.level
        else _("Points found in the record.")
        if evaluation.recipe.record
        else _("The trials as they were read, and what follows from each."),
        parameters=Grid((), tuple(line_rows(evaluation, plot.fit))) if graph is not None else None,
        budget=budget_grid(q, shown_unit(evaluation, found[0], q.unit), lines)
        if told and q is not None and found is not None
        else None,
        facts=_givens(evaluation),
        limits=limit_words(q, lines) if told and q is not None else "",
        remarks=notebook.remarks,
        sections=tuple(s for s in _sections(notebook, evaluation) if s.lines),
        missing=evaluation.trouble or _("No result yet: fill the table of trials."),
        span=span_of(evaluation),
    )


def _equations(evaluation: Evaluation) -> list[Worked]:
    """How what is worked out follows: derived columns, then the results."""
    columns = [c for c in table_columns(evaluation) if c.role == "derived" and c.formula][:MOST_EQUATIONS]
    said: dict[str, Worked] = {}
    for column in columns:
        made = Worked("", equation(evaluation, column.name, column.formula))
        said.setdefault(as_text(made.equation), made)
    found = evaluation.headline
    from_line = meaning(evaluation, found[0]) if found is not None and evaluation.recipe.fits else None
    if from_line is not None:
        said.setdefault(as_text(from_line), Worked("", from_line))
    return list(said.values())


def sheet_of(notebook: Notebook, take: Take | None, *, of_trials: bool) -> Sheet:
    """Describe the sheet of the trials or of a take; what is said on Findings stands on both."""
    evaluation = evaluate(notebook)
    if of_trials and evaluation is not None:
        return describe_trials(notebook, evaluation)
    timed = [timing_section(notebook, take), *motion_sections(take)] if take is not None else []
    said = tuple(s for s in (*timed, *claim_sections(notebook)) if s.lines)
    sheet = describe(notebook, take)
    if sheet.result is None and take is not None:
        sheet = replace(sheet, result=timing_result(take))
    return replace(sheet, sections=said)


def _counts(evaluation: Evaluation) -> str:
    levels = plural("{n} level", "{n} levels", len(evaluation.groups)) if evaluation.recipe.level else ""
    trials = plural("{n} trial", "{n} trials", len(evaluation.rows))
    return f"{levels}, {trials}" if levels else trials


def _result(evaluation: Evaluation, plot: Plotted) -> Result | None:
    found = evaluation.headline
    if found is None:
        return None
    name, q = found
    title = evaluation.recipe.title_of(name)
    words = title
    if isinstance(plot.fit, Line) and "slope" in str(evaluation.recipe.results.get(name, "")):
        words = _("{title}, from the slope of {y} against {x}").format(
            title=title, y=formula_words(evaluation, plot.y), x=formula_words(evaluation, plot.x)
        )
    if evaluation.table.simulated:
        words += ", " + _("from simulated trials: not a measurement")
    return Result(title, stated_result(evaluation, name, q).strip(), words, short_box(evaluation, name))


def _method(notebook: Notebook, evaluation: Evaluation) -> list[str]:
    texts = evaluation.recipe.texts
    levels = [c.title for c in table_columns(evaluation) if c.role == "level"]
    done = [evaluation.recipe.question]
    if levels and len(evaluation.groups) > 1:
        done.append(
            _("Varied: {varied}, {n} levels.").format(varied=", ".join(levels), n=len(evaluation.groups))
        )
    measured, same = (", ".join(texts.get(key, ())) for key in ("measured", "same"))
    done += [_("Measured: {words}.").format(words=measured)] if measured else []
    done += [_("Kept the same: {words}.").format(words=same)] if same else []
    out = [" ".join(done)]
    for status, words in (
        ("failed", plural("{n} trial failed", "{n} trials failed", _count(evaluation, "failed"))),
        ("set-aside", plural("{n} trial set aside", "{n} trials set aside", _count(evaluation, "set-aside"))),
    ):
        reasons = dict.fromkeys(t.reason for t in evaluation.rows if t.status == status and t.reason)
        if _count(evaluation, status):
            out.append(f"{words}: {'; '.join(reasons)}." if reasons else f"{words}.")
    read = [
        f"{evaluation.recipe.title_of(n)} {_rule_words(notebook, i)}"
        for n, i in evaluation.table.instruments.items()
        if n in evaluation.recipe.columns
    ]
    if read:
        out.append(_("Read with: {instruments}.").format(instruments="; ".join(read)))
    if texts.get("roles"):
        out.append(_("Who did what: {words}").format(words=" ".join(texts["roles"])))
    return out


def _count(evaluation: Evaluation, status: str) -> int:
    return sum(t.status == status for t in evaluation.rows)


def _rule_words(notebook: Notebook, chosen: Instrument) -> str:
    if chosen.rule == "hand":
        hand = notebook.hand(chosen.amount)
        name = hand.name if hand is not None else _("a hand that was not measured")
        return _("by stopwatch, {name}").format(name=name)
    words = {
        "stated": _("± {amount} each (u)"),
        "digital": _("digital, step {amount}"),
        "divided": _("divisions of {amount}"),
        "vernier": _("vernier, step {amount}"),
        "percent": _("accurate to {amount}"),
    }
    return words[chosen.rule].format(amount=_amount_words(chosen.amount))


def _amount_words(typed: str) -> str:
    """What an instrument tells, as it was typed; more digits than anybody means are two."""
    number, _space, unit = typed.strip().partition(" ")
    if number.replace(".", "", 1).isdigit() and len(number.replace(".", "").lstrip("0")) > MOST_FIGURES:
        number = written_number(float(number), 2)
    return number + unit_tail(pretty_unit(unit))


def _chart_words(evaluation: Evaluation, plot: Plotted) -> str:
    if not plot.x:
        return ""
    words = _("{y} against {x} with the fitted line; below, measured minus fitted. Bars: 95 %.").format(
        y=formula_words(evaluation, plot.y), x=formula_words(evaluation, plot.x)
    )
    if plot.aside:
        words += " " + _("Open points do not count.")
    return words


def _points(evaluation: Evaluation) -> Grid | None:
    """The points that were found in a record."""
    points = evaluation.outcome.points if evaluation.outcome is not None else ()
    rows = tuple((str(p["point"]), f"{float(str(p['time'])):.3f}", str(p["direction"])) for p in points)
    head = (_("point"), Row((Word("t", italic=True), Word(" / s"))), _("direction"))
    return Grid(head, rows[:MOST_LEVELS]) if rows else None


def _levels(evaluation: Evaluation) -> Grid | None:
    if evaluation.recipe.record:
        return _points(evaluation)
    columns = [c for c in table_columns(evaluation) if c.role != "text"]
    columns = columns[:1] + columns[1:][-MOST_COLUMNS:] if len(columns) > MOST_COLUMNS + 1 else columns
    rows: list[tuple[str, ...]] = []
    if evaluation.recipe.level:
        for group in evaluation.groups[:MOST_LEVELS]:
            cells = []
            for column in columns:
                if column.role == "level":
                    cells.append(evaluation.rows[group.rows[0]].cells.get(column.name, ""))
                    continue
                text, spread = mean_words(evaluation, group, column)
                cells.append(f"{text} ± {spread}" if spread else text)
            rows.append((*cells, f"{len(group.kept)}/{group.made}"))
        left = len(evaluation.groups) - len(rows)
    else:
        for i in range(min(len(evaluation.rows), MOST_LEVELS)):
            status = {"kept": "✓", "failed": _("failed"), "set-aside": _("aside")}[evaluation.rows[i].status]
            rows.append((*(cell_words(evaluation, i, c) for c in columns), status))
        left = len(evaluation.rows) - len(rows)
    if not rows:
        return None
    head = (*(_head(c) for c in columns), _("kept"))
    return Grid(head, tuple(rows), _("{n} more in the notebook.").format(n=left) if left else "")


def _head(column: TableColumn) -> Box:
    """Name, symbol and unit of a column: a long name leaves itself to the symbol."""
    unit = Word(f" / {column.unit}" if column.unit else "")
    if not column.has_symbol:
        return Word(column.heading)
    short = len(column.title) <= SHORT_TITLE
    return Row((Word(f"{column.title} "), column.symbol, unit)) if short else Row((column.symbol, unit))


def _givens(evaluation: Evaluation) -> Grid:
    there = {n: text for n, text in evaluation.table.givens.items() if n in evaluation.recipe.givens}
    names = tuple(titled(evaluation, n) for n in there)
    rows = tuple((as_text(titled(evaluation, n)), _given_words(evaluation, n, t)) for n, t in there.items())
    return Grid((), rows, names=names)


def _given_words(evaluation: Evaluation, name: str, text: str) -> str:
    """A given as it was typed, with raised powers and without e-notation."""
    q = evaluation.givens.get(name)
    if q is None or not math.isfinite(float(q)):
        return text
    unit = shown_unit(evaluation, name, q.unit)
    return unit.stated(float(q), float(q.u)) if float(q.u) > 0 else text


def claim_sections(notebook: Notebook) -> list[Section]:
    """What a person says: claims with what they rest on, precautions, observations, answers, follow-up."""
    findings = notebook.findings
    claims = []
    for claim in findings.claims:
        rests = support(notebook, claim)
        words = rests.words if rests is not None else _("no evidence yet")
        if claim.text:
            claims.append(f"{claim.text.rstrip('.')}. ({words.rstrip('.')})")
    precautions = [f"{k} {v}".strip() for k, v in findings.precautions.items()]
    seen = [f"{o.when.replace('T', ' ')}  {o.text}".strip() for o in findings.observations]
    answers = [f"{a.question} {a.answer or '–'}" for a in findings.answers if a.question]
    return [
        Section(_("What is claimed"), tuple(claims)),
        Section(_("Precautions"), tuple(precautions)),
        Section(_("Seen along the way"), tuple(seen)),
        Section(_("Questions"), tuple(answers)),
        Section(_("What to try next"), (findings.follow_up,) if findings.follow_up.strip() else ()),
    ]


def _sections(notebook: Notebook, evaluation: Evaluation) -> list[Section]:
    results = result_rows(evaluation)[1:]
    compared = [_compared_words(v) for v in verdicts(evaluation)]
    fit = plotted(evaluation).fit
    says = [words for _mark, words in line_sentences(evaluation, fit)]
    doubts = [_("{level}: {advice}").format(level=group_title(evaluation, g), advice=g.advice)
              for g in evaluation.groups if g.advice and not g.odd]  # fmt: skip
    told = evaluation.outcome.warnings if evaluation.outcome is not None else ()
    doubts = [*(one.text for one in (*slips_of(evaluation), *told)), *doubts][:MOST_DOUBTS]
    worked_lines = tuple(substitution(evaluation)) if notebook.findings.substitution else ()
    return [
        Section(_("Further results"), (Grid((), tuple(results)),) if results else (), "left"),
        Section(_("What the line says"), (" ".join(says),) if says else (), "left"),
        Section(_("Comparison"), tuple(compared), "right"),
        log_section(notebook),
        Section(_("Needs a look"), tuple(doubts), "right"),
        *claim_sections(notebook),
        Section(_("Worked with own numbers"), worked_lines),
    ]


def _compared_words(verdict: Verdict) -> str:
    """A comparison in whole sentences."""
    of = verdict.of[:1].upper() + verdict.of[1:]
    about = _("{of} beside {other}.").format(of=of, other=verdict.other)
    further = verdict.further[:1].upper() + verdict.further[1:].replace(" · ", "; ")
    return " ".join(part for part in (about, verdict.sentence, f"{further}." if further else "") if part)


def one_line(evaluation: Evaluation) -> str:
    """The first result in one line, for lists of notebooks; empty without one."""
    found = evaluation.headline
    if found is None:
        return ""
    return f"{as_text(short_box(evaluation, found[0]))} = {stated_value(evaluation, *found)}"
