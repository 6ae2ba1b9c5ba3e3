"""``saltus geometry``: what is laid over the picture of a take, and how far it can be trusted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from saltus.commands.notebooks import NOTEBOOK, TAKE, document_at, take_named
from saltus.commands.showing import print_json
from saltus.core.wording import _
from saltus.notebook.storage import NotebookError

if TYPE_CHECKING:
    from pathlib import Path


@click.command()
@NOTEBOOK
@TAKE
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def geometry(notebook: Path, take_name: str | None, as_json: bool) -> None:
    """Tell the scale of a take, how its references agree, and what of it is checked."""
    from saltus.commands.tabular.geometry_json import geometry_json  # noqa: PLC0415  start-up time

    take = take_named(document_at(notebook), take_name)
    if take is None:
        raise NotebookError(_("{name} holds no takes.").format(name=notebook.name))
    told = geometry_json(take)
    if as_json:
        print_json(told)
    else:
        _print(told)


def _print(told: dict[str, Any]) -> None:
    scale = told["scale"]
    print(_("scale: {scale}").format(scale=scale["text"] if scale is not None else _("not yet")))
    for one in told["references"]:
        verdict = {True: _("agrees"), False: _("differs"), None: _("cannot tell")}[one["agree"]]
        percent = one["differs_percent"]
        off = f"{percent:+.2f} %" if percent is not None else ""
        print(f"  {one['name']}: {one['length']['text']}, {verdict} {off}".rstrip().rstrip(","))
    for head, part in ((_("not checked"), "unchecked"), (_("checked"), "checked")):
        for effect in told[part]:
            percent = effect["effect_percent"]
            size = f"{percent:.2g} %" if percent is not None else _("no result yet")
            print(f"  {head}: {effect['what']}, {size}")
    for sentence in told["warnings"]:
        print(f"  {sentence}")
