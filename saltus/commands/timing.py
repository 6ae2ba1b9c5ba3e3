"""``saltus cycles`` and ``saltus gate``: periods and crossings from a motion table."""

from __future__ import annotations

import math
from pathlib import Path

import click

from saltus.commands.showing import print_json
from saltus.commands.tabular.timing_table import cycles_json, cycles_of, gates_json, gates_of
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.tables import read_table

TABLE = click.argument("table", type=click.Path(path_type=Path))
OF = click.option("--of", required=True, type=click.Choice(["x", "y", "angle"]))
BODY = click.option("--body", help="Which body, when the table holds several.")
JSON = click.option("--json", "as_json", is_flag=True, help="One JSON object.")


def _place(text: str) -> float:
    value = number(text)
    if not math.isfinite(value):
        raise WrittenError(_("“{text}” is no place: write metres, such as 0.35.").format(text=text[:40]))
    return value


@click.command()
@TABLE
@OF
@BODY
@click.option("--level", help="Where passings are counted, m; where the swing rests by default.")
@JSON
def cycles(table: Path, of: str, body: str | None, level: str | None, as_json: bool) -> None:
    """Find the passings through a level, the period and its drift."""
    made = cycles_of(read_table(table), of, body=body, level=_place(level) if level is not None else None)
    if as_json:
        print_json(cycles_json(made))
        return
    print(_("{n} cycles, {m} passings").format(n=made.count, m=len(made.passings)))
    for words, q in (
        (_("period, from all passings"), made.period),
        (_("period, from the first and the last"), made.period_from_ends),
        (_("change of the period per cycle"), made.drift),
    ):
        print(f"  {words}: {stated(float(q), q.U95, q.unit) if q is not None else _('not yet')}")
    for sentence in made.warnings:
        print(f"  {sentence}")


@click.command()
@TABLE
@OF
@BODY
@click.option("--line", required=True, help="Where the gates lie, m: one place or several, with commas.")
@JSON
def gate(table: Path, of: str, body: str | None, line: str, as_json: bool) -> None:
    """Find when a body crosses lines, and how fast it is there."""
    lines = tuple(_place(part) for part in line.split(",") if part.strip())
    if not lines:
        raise WrittenError(_("Say where the gate lies: --line 0.35 or --line 0.1,0.2,0.3."))
    found, warnings = gates_of(read_table(table), of, lines, body=body)
    if as_json:
        print_json(gates_json(found, warnings))
        return
    for crossing in found:
        t, v = crossing.time, crossing.velocity
        print(
            _("{line:g} m at {time}, {speed}").format(
                line=crossing.line,
                time=stated(float(t), t.U95, t.unit),
                speed=stated(abs(float(v)), v.U95, v.unit),
            )
        )
    for sentence in warnings:
        print(sentence)
