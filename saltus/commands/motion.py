"""``saltus motion`` and ``saltus segment``: from readings to motion, from motion to a model."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import click

from saltus.commands.showing import print_json
from saltus.commands.tabular.segment_table import COORDINATES, fit_json, fit_table
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.reference import plain_scale
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import NoFit
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.angle_columns import add_angles, angle_header
from saltus.exchange.motion_table import add_turn, common_header, motion_header, motion_rows, patch_names
from saltus.exchange.tables import TableError, read_table, write_table
from saltus.files.writing import keep_inputs

SMALLEST, LARGEST = 1e-12, 1e12


def _pair(text: str | None, unit: str = "px") -> tuple[float, float] | None:
    if text is None:
        return None
    parts = text.split(",")
    if len(parts) != 2:
        words = _("“{text}” is not a place: write X,Y in {unit}.")
        raise WrittenError(words.format(text=text[:40], unit=unit))
    return number(parts[0]), number(parts[1])


@click.command()
@click.argument("readings", type=click.Path(path_type=Path))
@click.option("--scale", "m_per_px", type=float, help="Metres per pixel.")
@click.option("--u-scale", type=float, default=0.0, help="Relative standard uncertainty of the scale.")
@click.option("--u-rate", type=float, default=0.0, help="Relative standard uncertainty of the clock's rate.")
@click.option("--geometry", type=click.Path(path_type=Path), help="A notebook whose scale and axes to use.")
@click.option("--capture-rate", type=float, help="True frames per second: t = frame / rate.")
@click.option("--origin", help="X,Y of the origin in the picture, px.")
@click.option("--angle", type=float, help="Degrees the axes are turned anticlockwise.")
@click.option("--angle-about", "pivot", help="X,Y about which angles are told, m.")
@click.option("--window", type=int, default=DEFAULT_WINDOW, help="Readings per local fit, at least 3.")
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="A CSV file.")
def motion(
    readings: Path, m_per_px: float | None, u_scale: float, u_rate: float, geometry: Path | None,
    capture_rate: float | None, origin: str | None, angle: float | None, pivot: str | None, window: int,
    output: Path,
) -> None:  # fmt: skip
    """Turn readings (px) into positions, velocities and accelerations with uncertainties."""
    checks = {"--scale": m_per_px, "--capture-rate": capture_rate}
    for name, value in checks.items():
        if value is not None and not SMALLEST <= value <= LARGEST:
            raise TableError(_("{name} must lie between 10⁻¹² and 10¹².").format(name=name))
    if not (0 <= u_scale < 10 and 0 <= u_rate < 10):
        raise TableError(_("A relative uncertainty must lie between 0 and 10."))
    if window < 3:
        raise TableError(_("--window must be at least 3: a parabola needs three readings."))
    keep_inputs(output, [readings, geometry])
    mapping, u_rate = _mapping(geometry, m_per_px, u_scale, u_rate)
    place = _pair(origin) or mapping.axes.origin
    about = _pair(pivot, "m")
    turn = mapping.axes.angle if angle is None else math.radians(angle)
    mapping = replace(mapping, axes=Axes(place, turn))
    table = read_table(readings)
    rows = motion_rows(table, mapping, u_rate, window, capture_rate)
    common = common_header(patch_names(table).values())
    header = (*motion_header(), *common)
    if about is None:
        header = (*header, *add_turn(table, rows))
    else:
        add_angles(rows, header, about, window)
        header = (*header, *angle_header(common))
    write_table(output, header, rows)


def _mapping(
    geometry: Path | None, m_per_px: float | None, u_scale: float, u_rate: float
) -> tuple[Mapping, float]:
    """The way to the world and the relative u of the clock: as typed, else those of a notebook's take."""
    if geometry is None:
        if m_per_px is None:
            raise TableError(_("A scale is needed: give --scale in metres per pixel, or --geometry."))
        return Mapping("table", Axes(), plain_scale(m_per_px, u_scale, "table")), u_rate
    from saltus.notebook.derived.motion import clock_of, mapping_of  # noqa: PLC0415  only for a notebook
    from saltus.notebook.storage import load  # noqa: PLC0415  start-up time

    takes = load(geometry).takes
    if not takes:
        raise TableError(_("{name} holds no take.").format(name=geometry.name))
    take = next((t for t in takes if mapping_of(t).scaled), takes[0])
    found = mapping_of(take)
    if not found.scaled:
        raise TableError(_("The take “{name}” has no scale: set a reference length.").format(name=take.name))
    scale = plain_scale(m_per_px or found.per_px, u_scale or found.u_relative, "table")
    return Mapping("table", found.axes, scale), u_rate or clock_of(take).u_rate


@click.command()
@click.argument("tables", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--model", required=True, type=click.Choice([m for m in MODELS if not m.endswith("-linear")]))
@click.option("--of", type=click.Choice(list(COORDINATES)), help="Coordinate; not for projectile and circle.")
@click.option("--drag", type=click.Choice(["quadratic", "linear"]), default="quadratic", show_default=True)
@click.option("--body", help="Which body, when the table holds several.")
@click.option("--from", "start", type=float, help="First time used, s.")
@click.option("--to", "stop", type=float, help="Last time used, s.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def segment(
    tables: tuple[Path, ...], model: str, of: str | None, drag: str, body: str | None, start: float | None,
    stop: float | None, as_json: bool,
) -> None:  # fmt: skip
    """Fit a model to a stretch of a motion table."""
    laid = f"{model}-linear" if model == "terminal-approach" and drag == "linear" else model
    for path in tables:
        fit = fit_table(read_table(path), laid, of, body=body, start=start, stop=stop)
        if as_json:
            print_json(fit_json(model, fit))
        elif isinstance(fit, NoFit):
            print(f"{path.name}: {fit.reason}")
        else:
            print(f"{path.name}: {fit.model.title}, {len(fit.residuals)} readings")
            for name, q in fit.parameters.items():
                text = stated(float(q), q.U95, q.unit) + " (95 %)" if q is not None else _("not yet")
                print(f"  {name} = {text}")
            for sentence in fit.warnings:
                print(f"  {sentence}")
