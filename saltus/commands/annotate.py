"""``saltus annotate``: the film of a take with trail, arrows and numbered positions drawn."""

from __future__ import annotations

from pathlib import Path

import click

from saltus.commands.notebooks import NOTEBOOK, TAKE, document_at, take_named
from saltus.commands.showing import terminal_report
from saltus.core.progress import finished
from saltus.core.wording import _
from saltus.exchange.picture_marks import MarksWanted
from saltus.files.writing import keep_inputs
from saltus.notebook.films import files_of, find
from saltus.notebook.storage import NotebookError


@click.command()
@NOTEBOOK
@TAKE
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="An MP4 file.")
def annotate(notebook: Path, take_name: str | None, output: Path) -> None:
    """Draw trail, arrows and numbered positions on the film of a take.

    The frames keep their times.
    """
    if output.suffix.lower() != ".mp4":
        raise NotebookError(
            _("Films are written as MP4: name the file {name}.").format(name=output.stem + ".mp4")
        )
    document = document_at(notebook)
    keep_inputs(output, files_of(document, notebook))
    take = take_named(document, take_name)
    if take is None:
        raise NotebookError(_("{name} holds no takes.").format(name=notebook.name))
    film = find(take.film, notebook.parent)
    keep_inputs(output, [film])
    from saltus.printing import annotated_film, headless  # noqa: PLC0415  loads Qt

    application = headless.headless_application()
    wanted = MarksWanted(acceleration=True)
    finished(
        annotated_film.write_annotated_film.steps(take, film, output, wanted), terminal_report(_("frame"))
    )
    del application
