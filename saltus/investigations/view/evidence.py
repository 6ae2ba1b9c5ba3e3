"""What a claim can rest on: results, comparisons and what the line says, each with its words of now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.core.lines.straight import Line
from saltus.core.statement import stated
from saltus.investigations.engine.evaluation import evaluate, is_left
from saltus.investigations.sentences import say
from saltus.investigations.view.comparisons import verdicts
from saltus.investigations.view.naming import formula_words, shown_unit
from saltus.investigations.view.plots import plotted
from saltus.investigations.view.verdicts import line_sentences, value_words
from saltus.notebook.derived.motion import headline

if TYPE_CHECKING:
    from saltus.investigations.engine.evaluation import Evaluation
    from saltus.investigations.view.comparisons import Verdict
    from saltus.notebook.model import Notebook
    from saltus.notebook.trials import Claim


@dataclass(frozen=True)
class Evidence:
    """Something that was found: its key, name for choosing, what it says now, and its key in older files."""

    key: str
    name: str
    words: str
    before: str = ""


def evidence(notebook: Notebook) -> list[Evidence]:
    """All that claims of a notebook can rest on."""
    out: list[Evidence] = []
    evaluation = evaluate(notebook)
    if evaluation is not None and evaluation.outcome is not None:
        recipe = evaluation.recipe
        for name, q in evaluation.outcome.results.items():
            if q is not None and not is_left(evaluation, name):
                title = recipe.title_of(name)
                out.append(
                    Evidence(
                        f"result/{name}",
                        title,
                        f"{title} = {value_words(evaluation, q, shown_unit(evaluation, name, q.unit))}",
                    )
                )
        for verdict in verdicts(evaluation):
            name = say("evidence.comparison", of=verdict.of, other=verdict.other)
            key = "/".join(("compare", *verdict.key))
            out.append(Evidence(key, name, verdict.sentence, _before_version_9(evaluation, verdict)))
        plot = plotted(evaluation)
        if isinstance(plot.fit, Line):
            name = say(
                "evidence.line", y=formula_words(evaluation, plot.y), x=formula_words(evaluation, plot.x)
            )
            words = " ".join(s for _mark, s in line_sentences(evaluation, plot.fit)[:2])
            out.append(Evidence(f"line/{plot.x}/{plot.y}", name, words))
    for take in notebook.takes:
        found = headline(take)
        if found is not None and not take.simulated:
            words = f"{found[0]} = {stated(float(found[1]), found[1].U95, found[1].unit)}"
            out.append(Evidence(f"take/{take.id}", say("evidence.film", name=take.name), words))
    return out


def support(notebook: Notebook, claim: Claim) -> Evidence | None:
    """What a claim rests on; None where that is nothing, or not there any more."""
    found = evidence(notebook)
    return next((e for e in found if claim.rests_on and claim.rests_on in (e.key, e.before)), None)


def _before_version_9(evaluation: Evaluation, verdict: Verdict) -> str:
    """The key of a comparison in files before version 9, which went by the words of that time."""
    of, other = verdict.key
    words = {"none": "no effect", "theory": "theory"}
    recipe = evaluation.recipe
    given = other in recipe.givens and other in recipe.results
    right = f"the given {other.replace('_', ' ')}" if given else words.get(other, other.replace("_", " "))
    return f"compare/{of.replace('_', ' ')}/{right}"
