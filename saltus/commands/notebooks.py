"""``saltus report``, ``saltus export`` and ``saltus check``: what a notebook gives without a window."""

from __future__ import annotations

import contextlib
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

import click

from saltus.commands.showing import print_json
from saltus.core.motion.segment import NoFit
from saltus.core.wording import _
from saltus.exchange.motion_table import motion_of_take, readings_of_take
from saltus.exchange.tables import write_table
from saltus.exchange.trials_sheet import sheet_of
from saltus.exchange.trials_table import trials_table
from saltus.files.writing import keep_inputs
from saltus.footage.facts import STILL, FilmError
from saltus.footage.opening import facts_of
from saltus.investigations.engine.evaluation import evaluate
from saltus.notebook import packing
from saltus.notebook.derived.motion import segment_fit
from saltus.notebook.films import files_of, find
from saltus.notebook.storage import NotebookError
from saltus.session.session import opened

if TYPE_CHECKING:
    from saltus.notebook.model import Body, Notebook, Take

NOTEBOOK = click.argument("notebook", type=click.Path(path_type=Path))
TAKE = click.option("--take", "take_name", help="Name of the take; the first with a result by default.")


def document_at(path: Path) -> Notebook:
    """Open a notebook with its links followed; what could not be looked up is told."""
    document, trouble = opened(path)
    if trouble:
        print("saltus:", trouble, file=sys.stderr)
    return document


def take_named(notebook: Notebook, name: str | None) -> Take | None:
    """The take of a name or id; without one the first with a result, else the first.

    Raises
    ------
    NotebookError
        If there is no such take.
    """
    if name is None:
        with_result = [t for t in notebook.takes if t.segments]
        return next(iter(with_result or notebook.takes), None)
    found = [t for t in notebook.takes if name in (t.name, t.id)]
    if not found:
        raise NotebookError(
            _("There is no take “{name}”: there are {all}.").format(
                name=name, all=", ".join(t.name for t in notebook.takes) or "–"
            )
        )
    return found[0]


def _body(take: Take, name: str | None) -> Body | None:
    if name is None:
        return None
    found = [b for b in take.bodies if name in (b.name, b.id)]
    if not found:
        raise NotebookError(
            _("There is no body “{name}”: there are {all}.").format(
                name=name, all=", ".join(b.name for b in take.bodies) or "–"
            )
        )
    return found[0]


@click.command()
@NOTEBOOK
@TAKE
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="PDF, HTML or ODT.")
def report(notebook: Path, take_name: str | None, output: Path) -> None:
    """Print the findings sheet."""
    ending = output.suffix.lower()
    if ending not in (".pdf", ".html", ".odt"):
        raise NotebookError(_("A report is written as .pdf, .html or .odt."))
    document = document_at(notebook)
    keep_inputs(output, files_of(document, notebook))
    take = take_named(document, take_name)
    of_trials = document.trials is not None and take_name is None
    take = None if of_trials else take
    sheet = sheet_of(document, take, of_trials=of_trials)
    from saltus.printing import headless, sheet_document  # noqa: PLC0415  loads Qt

    application = headless.headless_application()
    picture = None
    if take is not None and sheet.picture_frame is not None:
        picture = headless.frame_image(take, sheet.picture_frame, notebook.parent)
        if picture is None:
            print(
                "saltus:", _("the film is not at hand: the sheet goes without its picture"), file=sys.stderr
            )
    if ending == ".pdf":
        sheet_document.write_pdf(sheet_document.sheet_pages(sheet, take, picture), output, sheet.title)
    elif ending == ".html":
        sheet_document.write_html(sheet, take, picture, output)
    else:
        sheet_document.write_odt(sheet, take, picture, output)
    del application


@click.command()
@NOTEBOOK
@TAKE
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="CSV, XLSX, SVG or PNG.")
@click.option("--what", type=click.Choice(["readings", "motion", "trials", "graph"]))
@click.option("--body", "body_name", help="Only this body.")
def export(
    notebook: Path, take_name: str | None, output: Path, what: str | None, body_name: str | None
) -> None:
    """Write readings or motion as a table, or the graph as a picture."""
    ending = output.suffix.lower()
    drawn = ending in (".svg", ".png")
    if not drawn and ending not in (".csv", ".xlsx"):
        raise NotebookError(_("Tables are written as .csv or .xlsx, graphs as .svg or .png."))
    what = what or ("graph" if drawn else "readings")
    if drawn != (what == "graph"):
        raise NotebookError(_("{what} cannot be written as {ending}.").format(what=what, ending=ending))
    document = document_at(notebook)
    keep_inputs(output, files_of(document, notebook))
    evaluation = evaluate(document)
    if what == "trials":
        if evaluation is None:
            raise NotebookError(_("{name} holds no table of trials.").format(name=notebook.name))
        write_table(output, *trials_table(evaluation))
        return
    take = take_named(document, take_name)
    if what == "graph" and evaluation is not None and take_name is None:
        _write_graph(document, None, output)
        return
    if take is None:
        raise NotebookError(_("{name} holds no takes.").format(name=notebook.name))
    body = _body(take, body_name)
    if what == "readings":
        write_table(output, *readings_of_take(take, body))
    elif what == "motion":
        write_table(output, *motion_of_take(take, body))
    else:
        _write_graph(document, take, output)


def _write_graph(document: Notebook, take: Take | None, output: Path) -> None:
    from saltus.printing import figures, headless  # noqa: PLC0415  loads Qt

    application = headless.headless_application()
    sheet = sheet_of(document, take, of_trials=take is None)
    figure = figures.graph_figure(sheet)
    if figure is None:
        raise NotebookError(
            _("The take “{name}” has no segment to draw yet.").format(name=take.name)
            if take is not None
            else _("The trials give no graph yet: {why}").format(why=sheet.missing)
        )
    figures.write_figure(figure, output)
    del application


@click.command()
@NOTEBOOK
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def check(notebook: Path, as_json: bool) -> None:
    """Check a notebook or a pack, its films and its numbers."""
    with contextlib.ExitStack() as stack:
        place = notebook
        if notebook.name.endswith(packing.ENDING):
            room = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="saltus-check-")))
            place = packing.unpack(notebook, room / "pack")
        document = document_at(place)
        problems = _problems(document, place.parent)
    if as_json:
        print_json({"ok": not problems, "problems": problems})
    else:
        for sentence in problems:
            print("saltus:", sentence, file=sys.stderr)
        if not problems:
            takes = len(document.takes)
            print(
                _("{name} is in order: {n} takes, films and numbers checked.").format(
                    name=notebook.name, n=takes
                )
            )
    if problems:
        raise click.exceptions.Exit(2)


def _problems(document: Notebook, folder: Path) -> list[str]:
    problems: list[str] = []
    evaluation = evaluate(document)
    if evaluation is not None:
        problems += [f"{trial}, {column}: {why}" for (trial, column), why in evaluation.cell_problems.items()]
        problems += [f"{name}: {why}" for name, why in evaluation.given_problems.items()]
        problems += [f"{name}: {why}" for name, why in evaluation.column_problems.items()]
    for take in document.takes:
        problems += _film_problems(take, folder)
        for segment in take.segments:
            fit = segment_fit(take, segment)
            if isinstance(fit, NoFit):
                problems.append(f"{take.name}, {segment.id}: {fit.reason}")
    return problems


def _film_problems(take: Take, folder: Path) -> list[str]:
    try:
        path = find(take.film, folder)
        if path.is_dir() or take.facts.codec == STILL:
            return []
        facts = facts_of(path)
    except FilmError as error:
        return [f"{take.name}: {error}"]
    if facts.ticks != take.facts.ticks:
        return [_("{take}: the film's frame times are not those in the notebook.").format(take=take.name)]
    return []
