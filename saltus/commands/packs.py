"""``saltus pack`` and ``saltus unpack``: a notebook with its films in one file."""

from __future__ import annotations

from pathlib import Path

import click

from saltus.commands.showing import terminal_report
from saltus.core.progress import finished
from saltus.core.wording import _
from saltus.notebook import packing


@click.command()
@click.argument("notebook", type=click.Path(path_type=Path))
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="NAME.saltus.zip")
def pack(notebook: Path, output: Path) -> None:
    """Put a notebook and its films into one file."""
    if not output.name.endswith(packing.ENDING):
        raise packing.PackError(_("A pack is named NAME{ending}.").format(ending=packing.ENDING))
    finished(packing.pack.steps(notebook, output), terminal_report(_("byte")))


@click.command()
@click.argument("pack", type=click.Path(path_type=Path))
@click.argument("folder", type=click.Path(path_type=Path))
def unpack(pack: Path, folder: Path) -> None:
    """Unpack PACK into FOLDER, which is new or empty."""
    print(finished(packing.unpack.steps(pack, folder), terminal_report(_("byte"))))
