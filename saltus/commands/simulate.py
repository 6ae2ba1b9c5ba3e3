"""``saltus simulate``: films of motions whose truth is known."""

from __future__ import annotations

import json
from pathlib import Path

import click

from saltus.commands.showing import print_json, terminal_report
from saltus.core.progress import finished
from saltus.core.wording import _
from saltus.core.written import number
from saltus.exchange.tables import write_table
from saltus.files.writing import keep_inputs, write_whole
from saltus.simulate.scene import SceneError
from saltus.simulate.scenes import SCENES, describe, set_up, settings_of
from saltus.simulate.sensors import SENSORS


def _settings(changes: tuple[str, ...]) -> dict[str, float]:
    settings = {}
    for change in changes:
        key, equals, value = change.partition("=")
        if not equals:
            raise SceneError(_("“{text}” is not a setting: write NAME=VALUE.").format(text=change[:40]))
        settings[key.strip()] = number(value)
    return settings


def _record(name: str, output: Path, truth: Path | None, changes: tuple[str, ...]) -> None:
    """Write what a simulated sensor records, as a table."""
    made = SENSORS[name].record(_settings(changes))
    columns = {n: values for n, (_unit, values) in made.columns.items()}
    header = [f"{n} [{unit or 1}]" for n, (unit, _values) in made.columns.items()]
    rows = [list(map(float, row)) for row in zip(*columns.values(), strict=True)]
    write_table(output, header, rows)
    if truth is not None:
        write_whole(truth, json.dumps({"sensor": name, "truth": made.truth}, indent=1))


@click.command()
@click.argument("scene", required=False)
@click.option("-o", "output", type=click.Path(path_type=Path), help="An MP4 file; for a sensor a CSV file.")
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
            scenes = {name: {"about": describe(name), "settings": settings_of(name)} for name in SCENES}
            sensors = {name: {"about": s.about, "settings": s.settings} for name, s in SENSORS.items()}
            print_json(scenes | sensors)
            return
        for name, sensor in SENSORS.items():
            print(f"{name}: {sensor.about} (a table)")
            print("  " + " ".join(f"{k}={v:g}" for k, v in sensor.settings.items()))
        for name in SCENES:
            print(f"{name}: {describe(name)}")
            print("  " + " ".join(f"{k}={v:g}" for k, v in settings_of(name).items()))
        return
    if truth is not None:
        keep_inputs(truth, [output])
    if scene in SENSORS and output is not None:
        _record(scene, output, truth, changes)
        return
    if scene is None or output is None:
        raise SceneError(_("Say what to film and where to: saltus simulate SCENE -o FILM.mp4 (or --list)."))
    if output.suffix.lower() != ".mp4":
        raise SceneError(
            _("Films are written as MP4: name the file {name}.").format(name=output.stem + ".mp4")
        )
    chosen = set_up(scene, _settings(changes))
    from saltus.simulate.camera import film  # noqa: PLC0415  loads the encoder

    finished(film.steps(chosen, output, truth), terminal_report(_("frame")))
