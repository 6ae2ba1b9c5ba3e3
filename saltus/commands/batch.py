"""``saltus batch``: many films of one set-up, followed as a template take was."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from saltus.commands.showing import print_json, terminal_report
from saltus.core.progress import finished
from saltus.core.statement import as_json
from saltus.core.wording import _
from saltus.files.writing import keep_inputs
from saltus.footage.facts import FilmError
from saltus.footage.opening import films_in
from saltus.notebook import storage
from saltus.notebook.films import files_of
from saltus.session.batch import batch as following
from saltus.session.session import opened

if TYPE_CHECKING:
    from saltus.session.batch import FilmLine

FAILURE = 1


@click.command()
@click.argument("folder", type=click.Path(path_type=Path))
@click.option("--template", "template", type=click.Path(path_type=Path), required=True,
              help="A notebook whose first take has scale, axes, boxes and segments.")  # fmt: skip
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="A notebook.")
@click.option("--repeats", is_flag=True, help="All films repeat the trial of the template: same level.")
@click.option("--json", "as_json_lines", is_flag=True, help="One JSON object a line for each film.")
def batch(folder: Path, template: Path, output: Path, repeats: bool, as_json_lines: bool) -> None:
    """Follow the bodies of a template through all films of a folder, each of which becomes a take."""
    notebook, _trouble = opened(template)
    if not notebook.takes:
        raise storage.NotebookError(_("{name} holds no takes.").format(name=template.name))
    films = _films(folder)
    keep_inputs(output, [*files_of(notebook, template), *films])
    take = notebook.takes[0]
    made = finished(
        following(notebook, take.id, template.parent, films, repeats=repeats),
        terminal_report(_("per cent of a film")),
    )
    lines = made.lines
    storage.save(made.notebook, output)
    for line in lines:
        if as_json_lines:
            print_json(_json(line))
        else:
            _print(line)
    if lines and all(line.problem for line in lines):
        raise click.exceptions.Exit(FAILURE)


def _films(folder: Path) -> list[Path]:
    found = films_in(folder)
    if not found:
        raise FilmError(_("There are no films in {name}.").format(name=folder.name))
    return found


def _json(line: FilmLine) -> dict[str, Any]:
    return {
        "film": line.film,
        "bodies": line.bodies,
        "results": {name: as_json(q) for name, q in line.results.items()},
        "problem": line.problem or None,
    }


def _print(line: FilmLine) -> None:
    told = [
        _("{name}: {found} found, {weak} weak, {lost} lost").format(name=name, **counts)
        for name, counts in line.bodies.items()
    ]
    told += [f"{name} = {(as_json(q) or {}).get('text')}" for name, q in line.results.items()]
    told += [*line.notes, *([line.problem] if line.problem else [])]
    print(f"{line.film}: " + "; ".join(told))
