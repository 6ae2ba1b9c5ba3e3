"""Commands that open the window, and the tour that needs none."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click

from saltus.core.wording import _


def _has_display() -> bool:
    if os.environ.get("QT_QPA_PLATFORM") in ("offscreen", "minimal", "vnc"):
        return False
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


@click.command()
@click.argument("path", required=False, type=click.Path(path_type=Path))
def open_window(path: Path | None) -> None:
    """Open the window on a notebook, a film or a folder of pictures."""
    if not _has_display():
        raise click.UsageError(
            _("There is no display to open a window on: see “saltus --help” for commands that need none.")
        )
    from saltus.ui.app.app import run_window  # noqa: PLC0415  loads Qt

    raise click.exceptions.Exit(run_window(path))


@click.command()
@click.argument("name", required=False, default="open-day")
@click.option("--list", "list_them", is_flag=True, help="List the demos.")
@click.option(
    "--tour", type=click.Path(path_type=Path), help="Keep a picture of every view here; no display needed."
)
def demo(name: str, list_them: bool, tour: Path | None) -> None:
    """Open the window with demo data."""
    from saltus.simulate.demo import DEMOS  # noqa: PLC0415  start-up time
    from saltus.simulate.scene import SceneError  # noqa: PLC0415  start-up time

    if list_them:
        for each, words in DEMOS.items():
            print(f"{each}: {words}")
        return
    if name not in DEMOS:
        raise SceneError(
            _("There is no demo “{name}”: choose one of {all}.").format(name=name, all=", ".join(DEMOS))
        )
    if tour is None and _has_display():
        from saltus.ui.app.app import run_window  # noqa: PLC0415  start-up time

        raise click.exceptions.Exit(run_window(demo=name))
    folder = tour or Path("tour")
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from saltus.ui.app.tour import make_tour  # noqa: PLC0415  start-up time

    if tour is None:
        print(_("There is no display: the tour shows every view instead."), file=sys.stderr)
    made = make_tour(folder)
    print(_("{n} pictures in {folder}").format(n=len(made), folder=folder.resolve()))
