"""``saltus fit``, ``series``, ``interval``, ``repeats`` and ``alias``: the arithmetic behind every lesson."""

from __future__ import annotations

import math
import re
from pathlib import Path
from typing import TYPE_CHECKING

import click

from saltus.commands.showing import print_json
from saltus.core.statement import as_json as quantity_json
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number

if TYPE_CHECKING:
    from saltus.core.quantity import Quantity

CURVES = ("quadratic", "power", "exponential")
MOST_REPEATS = 100_000


@click.command()
@click.argument("tables", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--x", "x_name", required=True, help="Column along.")
@click.option("--y", "y_name", required=True, help="Column up.")
@click.option("--model", type=click.Choice(["line", "proportional", *CURVES]), default="line")
@click.option("--unweighted", is_flag=True, help="Leave stated uncertainties out.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def fit(
    tables: tuple[Path, ...], x_name: str, y_name: str, model: str, unweighted: bool, as_json: bool
) -> None:
    """Lay a line or curve through two columns of tables."""
    from saltus.commands.tabular.fit_table import fit_columns, model_parameters  # noqa: PLC0415  start-up time
    from saltus.commands.tabular.number_json import fit_json  # noqa: PLC0415  start-up time
    from saltus.exchange.tables import read_table  # noqa: PLC0415  start-up time

    for path in tables:
        found, warnings = fit_columns(read_table(path), x_name, y_name, model, weighted=not unweighted)
        told = fit_json(model, found, model_parameters(model))
        told["warnings"] = [*told["warnings"], *warnings]
        if as_json:
            print_json(told)
            continue
        print(f"{path.name}: {model}")
        for name, q in told["parameters"].items():
            print(f"  {name} = {q['text'] if q else _('not yet')}")
        for sentence in told["warnings"]:
            print(f"  {sentence}")


@click.command()
@click.argument("table", type=click.Path(path_type=Path))
@click.option("--mean", "mean_name", help="Column whose mean is asked.")
@click.option("--slope", "slope_name", help="Column whose slope against time is asked.")
@click.option("--time", "time_name", default=None, help="Column of time; the first of time, t.")
@click.option("--from", "start", type=float, help="First time used, s.")
@click.option("--to", "stop", type=float, help="Last time used, s.")
@click.option("--zero", nargs=2, type=float, help="Stretch at rest whose mean is taken off, s s.")
@click.option("--reverse", is_flag=True, help="Reverse the sign.")
@click.option("--pulses", "spacing", help="The times are pulses so far apart, such as 1.000(5) cm or 12 deg.")
@click.option("--u-time", type=float, default=0.0, help="Standard uncertainty of a pulse, s.")
@click.option("-o", "output", type=click.Path(path_type=Path), help="Motion table made of pulses.")
@click.option("--json", "as_json", is_flag=True)
def series(
    table: Path, mean_name: str | None, slope_name: str | None, time_name: str | None, start: float | None,
    stop: float | None, zero: tuple[float, float] | None, reverse: bool, spacing: str | None, u_time: float,
    output: Path | None, as_json: bool,
) -> None:  # fmt: skip
    """Mean or slope of a stretch of a recorded series; or the motion behind the pulses of a gate."""
    if spacing is not None:
        _pulses(table, spacing, u_time, time_name, output)
        return
    from saltus.commands.tabular.number_json import stretch_json  # noqa: PLC0415  start-up time
    from saltus.exchange.series_table import read_series, series_mean, series_slope  # noqa: PLC0415  start-up time
    from saltus.exchange.tables import read_table  # noqa: PLC0415  start-up time

    if (mean_name is None) == (slope_name is None):
        raise WrittenError(_("Say one of --mean NAME and --slope NAME."))
    wanted = mean_name or slope_name or ""
    record = read_series(read_table(table), wanted, time_name, zero=zero, reverse=reverse)
    found, warnings = (series_mean if mean_name else series_slope)(record, start, stop)
    told = stretch_json("mean" if mean_name else "slope", found, warnings)
    if as_json:
        print_json(told)
        return
    q = told.get("mean") or told.get("slope")
    print(q["text"] if q else _("not yet"))
    for sentence in warnings:
        print(sentence)


def _pulses(table: Path, spacing: str, u_time: float, time_name: str | None, output: Path | None) -> None:
    import numpy as np  # noqa: PLC0415  start-up time

    from saltus.commands.tabular.pulse_table import pulse_rows  # noqa: PLC0415  start-up time
    from saltus.core.entry import entry  # noqa: PLC0415  start-up time
    from saltus.core.pulses import pulse_motion  # noqa: PLC0415  start-up time
    from saltus.core.quantities import measured  # noqa: PLC0415  start-up time
    from saltus.core.sources import stripes  # noqa: PLC0415  start-up time
    from saltus.core.units import SECOND  # noqa: PLC0415  start-up time
    from saltus.exchange.motion_table import motion_header  # noqa: PLC0415  start-up time
    from saltus.exchange.series_table import TIMES  # noqa: PLC0415  start-up time
    from saltus.exchange.tables import csv_text, read_table, write_table  # noqa: PLC0415  start-up time
    from saltus.files.writing import keep_inputs  # noqa: PLC0415  start-up time

    if output is not None:
        keep_inputs(output, [table])
    read = read_table(table)
    t = read.numbers(time_name or next((n for n in read.columns if n in TIMES), "time"), SECOND)
    apart = entry(spacing, where="--pulses")
    known = measured(apart.value, apart.u or 0.0, apart.unit, stripes())
    found = pulse_motion(np.sort(t[np.isfinite(t)]), known, u_time)
    rows = pulse_rows(found, angular=bool(apart.unit.exponents[6]))
    if output is not None:
        write_table(output, motion_header(), rows)
    else:
        print(csv_text(motion_header(), rows), end="")
    for sentence in found.warnings:
        click.echo(sentence, err=True)


@click.command()
@click.option("--start", required=True, metavar="A:B", help="Bracket of the start, s.")
@click.option("--stop", required=True, metavar="C:D", help="Bracket of the stop, s.")
@click.option("--cycles", type=int, default=1, help="Cycles in the interval.")
@click.option("--json", "as_json", is_flag=True)
def interval(start: str, stop: str, cycles: int, as_json: bool) -> None:
    """Time between two instants that fell between frames."""
    from saltus.core.clock.brackets import interval as between  # noqa: PLC0415  start-up time
    from saltus.core.clock.brackets import period  # noqa: PLC0415  start-up time

    whole = between(_bracket(start), _bracket(stop))
    each = period(whole, cycles)
    if as_json:
        print_json({"interval": quantity_json(whole), "cycles": cycles, "period": quantity_json(each)})
        return
    for name, q in ((_("interval"), whole), (_("period"), each)):
        print(f"{name} = {_said(q)}")


def _said(q: Quantity) -> str:
    return stated(float(q), q.U95, q.unit) + " (95 %)"


def _bracket(text: str) -> tuple[float, float]:
    first, colon, last = text.partition(":")
    if not colon:
        raise WrittenError(_("“{text}” is no bracket: write its two times, as in 1.20:1.24.").format(
            text=text[:40]))  # fmt: skip
    return number(first), number(last)


@click.command()
@click.argument("values", nargs=-1, required=True)
@click.option("--explained", help="Standard uncertainty that timing or reading explain.")
@click.option("--json", "as_json", is_flag=True)
def repeats(values: tuple[str, ...], explained: str | None, as_json: bool) -> None:
    """Mean, spread and odd values of repeats, such as "2.31 2.38 2.29"."""
    import numpy as np  # noqa: PLC0415  start-up time

    from saltus.commands.tabular.number_json import repeats_json  # noqa: PLC0415  start-up time
    from saltus.core.repeats import summary  # noqa: PLC0415  start-up time

    words = [w for text in values for w in re.split(r"[\s;]+|,\s+", text.strip()) if w]
    if not words or len(words) > MOST_REPEATS:
        raise WrittenError(_('Write the repeats with spaces between them, as in "2.31 2.38 2.29".'))
    numbers = np.array([number(word) for word in words])
    if not np.all(np.isfinite(numbers)) or np.max(np.abs(numbers)) > 1e150:
        raise WrittenError(_("These numbers are too large to be meant."))
    known = number(explained) if explained is not None else None
    if known is not None and not (known > 0 and math.isfinite(known)):
        raise WrittenError(_("--explained must be a number above zero."))
    told = repeats_json(summary(numbers, known))
    if as_json:
        print_json(told)
        return
    print(_("mean {mean}, s = {sd}, n = {n}").format(
        mean=told["mean"]["text"] if told["mean"] else "–", sd=_short(told["sd"]), n=told["n"]))  # fmt: skip
    if told["odd"]:
        print(_("odd: {values}").format(values=", ".join(map(_short, told["odd"]))))


def _short(value: float | None) -> str:
    return "–" if value is None else f"{value:.4g}"


@click.command()
@click.option("--apparent", type=float, required=True, help="What is seen, Hz.")
@click.option("--rate", type=float, required=True, help="Frames or flashes per second, Hz.")
@click.option("--up-to", type=float, help="Highest true rate thought of, Hz.")
@click.option("--json", "as_json", is_flag=True)
def alias(apparent: float, rate: float, up_to: float | None, as_json: bool) -> None:
    """List the true rates that look like an apparent one."""
    from saltus.core.clock.aliasing import candidates, settling_rate  # noqa: PLC0415  start-up time

    found = candidates(apparent, rate, up_to)
    settle = settling_rate(found, rate)
    if as_json:
        print_json({"candidates_hz": found, "settle_with_rate": settle})
        return
    print(_("could be {all} Hz; a second take at {rate} per second would tell").format(
        all=", ".join(f"{f:.6g}" for f in found), rate=f"{settle:g}"))  # fmt: skip
