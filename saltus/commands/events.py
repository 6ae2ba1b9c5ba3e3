"""``saltus event`` and ``saltus points``: what a motion does at an instant, from a motion table or a log."""

from __future__ import annotations

from typing import TYPE_CHECKING

import click

from saltus.commands.showing import print_json
from saltus.commands.tabular.event_table import QUANTITIES, event_in, event_json
from saltus.commands.tabular.point_table import points_in, points_json
from saltus.commands.timing import BODY, JSON, TABLE
from saltus.core.statement import stated
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.motion_words import quantity_words
from saltus.exchange.tables import read_table

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.core.motion.events import Level


def _stretch(text: str, option: str) -> tuple[float, float]:
    parts = text.split(":")
    if len(parts) != 2:
        words = _("“{text}” is no stretch of time: write {option} 0.20:0.95, in s.")
        raise WrittenError(words.format(text=text[:40], option=option))
    low, high = number(parts[0]), number(parts[1])
    if low > high:
        words = _("{option} ends before it starts: write the earlier time first.")
        raise WrittenError(words.format(option=option))
    return low, high


@click.command()
@TABLE
@click.option("--of", required=True, type=click.Choice(["x", "y", "angle"]))
@BODY
@click.option("--at", required=True, type=float, help="The instant of the event, s.")
@click.option("--before", required=True, metavar="A:B", help="Readings before it, s.")
@click.option("--after", required=True, metavar="C:D", help="Readings after it, s.")
@click.option("--level", type=click.Choice(["before", "after", "both"]), help="Which side coasts level.")
@JSON
def event(
    table: Path, of: str, body: str | None, at: float, before: str, after: str, level: Level | None,
    as_json: bool,
) -> None:  # fmt: skip
    """Tell the velocity just before and just after an event, from two segments carried to it."""
    stretches = _stretch(before, "--before"), _stretch(after, "--after")
    found = event_in(read_table(table), of, at, stretches, body=body, level=level)
    if as_json:
        print_json(event_json(found))
        return
    words = (_("just before"), _("just after"), _("change"), _("slope before"), _("slope after"))
    for name, said in zip(QUANTITIES, words, strict=True):
        q = getattr(found, name)
        print(f"  {said}: {stated(float(q), q.U95, q.unit) + ' (95 %)' if q is not None else _('not yet')}")
    for sentence in found.warnings:
        print(f"  {sentence}")


KINDS = {
    "turning": _("turns"),
    "extremum": _("extreme value"),
    "zero": _("passes zero"),
    "fastest": _("greatest speed"),
    "rest": _("rest"),
    "contact": _("impact"),
    "free-fall": _("free fall"),
    "taut": _("cord taut"),
}


@click.command()
@TABLE
@click.option("--of", required=True, help="x, y or angle of a motion, or the name of a signal.")
@BODY
@JSON
def points(table: Path, of: str, body: str | None, as_json: bool) -> None:
    """Find the characteristic points of a motion or a recorded signal, each with its uncertainty."""
    found = points_in(read_table(table), of, body)
    if as_json:
        print_json(points_json(found))
        return
    for point in found.points:
        told = [quantity_words(q) for q in (point.time, *point.values)]
        print(f"  {KINDS[point.kind]}: {', '.join(told)}")
    for sentence in found.warnings:
        print(f"  {sentence}")
