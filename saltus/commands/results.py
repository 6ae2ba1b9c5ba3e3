"""``saltus results``: every result of notebooks, without a window and without their films."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from saltus.commands.showing import print_json
from saltus.core.wording import _
from saltus.notebook.storage import NotebookError

BAD_INPUT = 2


@click.command()
@click.argument("notebooks", nargs=-1, required=True, metavar="NOTEBOOK…")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line for each notebook.")
def results(notebooks: tuple[str, ...], as_json: bool) -> None:
    """Tell every result of notebooks: of their trials, and what their takes give."""
    from saltus.commands.tabular.results_json import results_json  # noqa: PLC0415  start-up time
    from saltus.session.session import opened  # noqa: PLC0415  start-up time

    broken = False
    for name in notebooks:
        try:
            notebook, trouble = opened(Path(name))
            found = results_json(name, notebook, trouble)
        except NotebookError as error:
            broken = True
            found = {"notebook": name, "problem": str(error)}
        if as_json:
            print_json(found)
        else:
            _print(found)
    if broken:
        raise click.exceptions.Exit(BAD_INPUT)


def _print(found: dict[str, Any]) -> None:
    """The same for people: values with their units, a line each."""
    print(found["notebook"])
    if "problem" in found:
        print(f"  {found['problem']}")
        return
    for name, q in found["results"].items():
        _line(name, q)
    for one in found["comparison"]:
        verdict = {True: _("agree"), False: _("differ"), None: _("cannot tell yet")}[one["agree"]]
        words = _("{of} compared with {other}: {verdict}")
        print("  " + words.format(of=one["of"], other=one["with"], verdict=verdict))
    for take in found["takes"]:
        _print_take(take)
    for warning in found["warnings"]:
        print(f"  {warning['text']}")


def _print_take(take: dict[str, Any]) -> None:
    for segment in take["segments"]:
        for name, q in segment["parameters"].items():
            _line(f"{take['name']}, {segment['body']}, {segment['of']}, {name}", q)
    for part in (*take["intervals"], *take["periods"]):
        _line(f"{take['name']}, {part['name']}", part["period"])
    for gates in take["gates"]:
        for crossing in gates["crossings"]:
            _line(f"{take['name']}, {gates['name']}", crossing["time"])


def _line(name: str, q: dict[str, Any] | None) -> None:
    print(f"  {name} = {q['text'] if q is not None else _('not yet')}")
