"""``saltus motion`` and ``saltus segment``: from readings to motion, from motion to a model."""

from __future__ import annotations

from pathlib import Path

import click

from saltus.commands.showing import print_json
from saltus.commands.tabular.geometry_options import LARGEST, SMALLEST, TypedGeometry, mapping_for, pair_of
from saltus.commands.tabular.segment_table import COORDINATES, fit_json, fit_table
from saltus.core.motion.local import DEFAULT_WINDOW
from saltus.core.motion.models import MODELS
from saltus.core.motion.segment import NoFit
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.exchange.angle_columns import add_angles, angle_header
from saltus.exchange.common_columns import common_header
from saltus.exchange.motion_table import add_turn, motion_header, motion_rows
from saltus.exchange.tables import TableError, read_table, write_table
from saltus.files.writing import keep_inputs


@click.command()
@click.argument("readings", type=click.Path(path_type=Path))
@click.option("--scale", "m_per_px", type=float, help="Metres per pixel.")
@click.option("--u-scale", type=float, default=0.0, help="Relative standard uncertainty of the scale.")
@click.option("--u-rate", type=float, default=0.0, help="Relative standard uncertainty of the clock's rate.")
@click.option("--geometry", type=click.Path(path_type=Path), help="A notebook whose scale and axes to use.")
@click.option("--plane", help="X,Y of four corners of a rectangle as seen, in order round it, px.")
@click.option("--plane-size", help="W,H of that rectangle, m: x along W, y along H, from the first corner.")
@click.option("--u-corner", type=float, help="Standard uncertainty of each corner coordinate, px.")
@click.option("--lens", "k1", type=float, help="K1 of the bend r_seen = r·(1 + K1·(r/R)²).")
@click.option("--lens-centre", help="X,Y of its centre, px.")
@click.option("--lens-radius", type=float, help="R, px.")
@click.option("--plane-offset", help="How much nearer than the scale the motion is, such as '0.05(1) m'.")
@click.option("--camera-distance", help="From the camera to the plane of the scale, such as '2.0(1) m'.")
@click.option("--capture-rate", type=float, help="True frames per second: t = frame / rate.")
@click.option("--origin", help="X,Y of the origin in the picture, px.")
@click.option("--angle", type=float, help="Degrees the axes are turned anticlockwise.")
@click.option("--angle-about", "pivot", help="X,Y about which angles are told, m.")
@click.option("--window", type=int, default=DEFAULT_WINDOW, help="Readings per local fit, at least 3.")
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="A CSV file.")
def motion(
    readings: Path, m_per_px: float | None, u_scale: float, u_rate: float, geometry: Path | None,
    plane: str | None, plane_size: str | None, u_corner: float | None, k1: float | None,
    lens_centre: str | None, lens_radius: float | None, plane_offset: str | None,
    camera_distance: str | None, capture_rate: float | None, origin: str | None, angle: float | None,
    pivot: str | None, window: int, output: Path,
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
    typed = TypedGeometry(
        m_per_px, u_scale, plane, plane_size, u_corner, k1, lens_centre, lens_radius, plane_offset,
        camera_distance, origin, angle,
    )  # fmt: skip
    mapping, u_rate = mapping_for(typed, geometry, u_rate)
    about = pair_of(pivot, "m")
    table = read_table(readings)
    rows, names = motion_rows(table, mapping, u_rate, window, capture_rate)
    common = common_header(names)
    header = (*motion_header(), *common)
    if about is None:
        header = (*header, *add_turn(table, rows))
    else:
        add_angles(rows, header, about, window)
        header = (*header, *angle_header(common))
    write_table(output, header, rows)


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
