"""What is said of a batch of films: what a template hands on, and what came of each film."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.statement import as_json
from saltus.core.wording import _, plural
from saltus.exchange.motion_words import parameter_words
from saltus.investigations.table.rows_like import template_rows
from saltus.jobs.batch import TemplateError, require_template
from saltus.notebook.derived.geometry import mapping_of

if TYPE_CHECKING:
    from saltus.notebook.model import Notebook, Take
    from saltus.session.batch import FilmLine


def lacking_words(take: Take) -> str:
    """Why a take cannot be a template; empty where it can."""
    try:
        require_template(take)
    except TemplateError as error:
        return str(error)
    return ""


def handed_on_words(notebook: Notebook, take: Take) -> str:
    """What a template hands on to each film."""
    parts = [", ".join(body.name for body in take.bodies)]
    parts.append(_("scale and axes") if mapping_of(take).scaled else _("no scale: places stay in pixels"))
    if take.segments:
        parts.append(plural("{n} segment", "{n} segments", len(take.segments)))
    else:
        parts.append(_("no segment yet: the films get none"))
    rows = template_rows(notebook, take)
    if rows:
        parts.append(_("and a row of the table each, as the template’s trial was filled"))
    else:
        parts.append(_("no row of the table: send a result of the template to Trials first"))
    return _("Each film gets: {what}.").format(what="; ".join(parts))


def result_words(line: FilmLine) -> str:
    """The first result of a film, the others counted."""
    named = [(name, q) for name, q in line.results.items() if name not in ("position", "centre", "x", "y")]
    if not named:
        return ""
    name, q = named[-1] if named[-1][0] == "acceleration" else named[0]
    told = as_json(q) or {}
    return f"{parameter_words(name)} {told.get('text', '')}"


def counts_words(line: FilmLine) -> str:
    """In how many frames bodies were doubted or not seen; how many were found where all were."""
    weak = sum(counts["weak"] for counts in line.bodies.values())
    lost = sum(counts["lost"] for counts in line.bodies.values())
    found = sum(counts["found"] for counts in line.bodies.values())
    parts = [plural("{n} frame found", "{n} frames found", found)] if found else []
    parts += [plural("{n} doubtful", "{n} doubtful", weak)] if weak else []
    parts += [plural("{n} not seen", "{n} not seen", lost)] if lost else []
    return ", ".join(parts)
