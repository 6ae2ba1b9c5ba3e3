"""``saltus simulate``: films of motions whose truth is known."""

from __future__ import annotations

from pathlib import Path

import click

from saltus.commands.showing import print_json, terminal_report
from saltus.core.wording import _
from saltus.core.written import number
from saltus.simulate.scenes import SCENES, SceneError, describe, set_up, settings_of


@click.command()
@click.argument("scene", required=False)
@click.option("-o", "output", type=click.Path(path_type=Path), help="An MP4 file.")
@click.option("--truth", type=click.Path(path_type=Path), help="Where the truth goes, as JSON.")
@click.option("--set", "changes", multiple=True, metavar="NAME=VALUE", help="Change a setting.")
@click.option("--list", "list_them", is_flag=True, help="List the scenes and their settings.")
@click.option("--json", "as_json", is_flag=True, help="The list as JSON.")
def simulate(
    scene: str | None, output: Path | None, truth: Path | None, changes: tuple[str, ...], list_them: bool,
    as_json: bool,
) -> None:  # fmt: skip
    """Film a SCENE with the virtual camera."""
    if list_them:
        if as_json:
            print_json({name: {"about": describe(name), "settings": settings_of(name)} for name in SCENES})
            return
        for name in SCENES:
            print(f"{name}: {describe(name)}")
            print("  " + " ".join(f"{k}={v:g}" for k, v in settings_of(name).items()))
        return
    if scene is None or output is None:
        raise SceneError(_("Say what to film and where to: saltus simulate SCENE -o FILM.mp4 (or --list)."))
    if output.suffix.lower() != ".mp4":
        raise SceneError(
            _("Films are written as MP4: name the file {name}.").format(name=output.stem + ".mp4")
        )
    settings = {}
    for change in changes:
        key, equals, value = change.partition("=")
        if not equals:
            raise SceneError(_("“{text}” is not a setting: write NAME=VALUE.").format(text=change[:40]))
        settings[key.strip()] = number(value)
    chosen = set_up(scene, settings)
    from saltus.simulate.camera import film  # noqa: PLC0415  loads the encoder

    film(chosen, output, truth, terminal_report(_("frame")))
