"""``saltus follow``: reads bodies in every frame of a film."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from saltus.commands.showing import print_json, terminal_report
from saltus.core.following.followed import METHODS, Followed
from saltus.core.following.run import Start
from saltus.core.progress import finished
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.followed_table import followed_table
from saltus.exchange.tables import TableError, write_table
from saltus.files.writing import keep_inputs
from saltus.footage.facts import FilmError, FilmFacts
from saltus.footage.opening import facts_of
from saltus.jobs.following import follow as following

if TYPE_CHECKING:
    from saltus.core.following.patch import Box


@click.command()
@click.argument("video", type=click.Path(path_type=Path))
@click.option(
    "--box", "boxes", multiple=True, required=True, help="X,Y,W,H round a body in frame --from, px."
)
@click.option("--body", "names", multiple=True, help="Name of the body in the box of the same place.")
@click.option("--from", "first", type=int, default=0, show_default=True, help="Frame the boxes are drawn in.")
@click.option("--to", "last", type=int, help="Last frame; before --from to follow backwards.")
@click.option("--every", type=int, default=1, show_default=True, help="Read every nth frame.")
@click.option("--method", type=click.Choice(list(METHODS)), default="auto", show_default=True)
@click.option("--rate", type=float, help="Pictures per second, for a folder of pictures.")
@click.option("-o", "output", type=click.Path(path_type=Path), required=True, help="A CSV file.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
def follow(
    video: Path, boxes: tuple[str, ...], names: tuple[str, ...], first: int, last: int | None, every: int,
    method: Any, rate: float | None, output: Path, as_json: bool,
) -> None:  # fmt: skip
    """Follow bodies through a film: their places in every frame, with uncertainties."""
    keep_inputs(output, [video])
    drawn = [_box(text) for text in boxes]
    if names and len(names) != len(drawn):
        raise TableError(
            _("Name all bodies or none: {n} boxes, {m} names.").format(n=len(drawn), m=len(names))
        )
    if len(set(names)) < len(names):
        raise TableError(_("Two bodies have one name: give each its own."))
    called = names or tuple(_("body {n}").format(n=i) for i in range(1, len(drawn) + 1))
    facts = finished(facts_of.steps(video, rate, quick=True))
    frames = _frames(facts, first, last, every)
    starts = tuple(Start(name, box, method) for name, box in zip(called, drawn, strict=True))
    outcome = finished(
        following.steps(video, facts, facts.times, frames, starts), terminal_report(_("frame"))
    )
    header, rows = followed_table(outcome.bodies)
    write_table(output, header, rows)
    warnings = [outcome.broke_off] if outcome.broke_off else []
    if as_json:
        print_json({"bodies": {b.name: _counts(b) for b in outcome.bodies}, "warnings": warnings})
        return
    for body in outcome.bodies:
        words = _("{name}: {found} found, {weak} weak, {lost} lost ({method})")
        counts = {state: body.count(state) for state in ("found", "weak", "lost")}
        print(words.format(name=body.name, method=body.method, **counts))
    for sentence in warnings:
        print(sentence)


def _counts(body: Followed) -> dict[str, object]:
    counts: dict[str, object] = {state: body.count(state) for state in ("found", "weak", "lost")}
    u_x, u_y = (float(u) for u in body.u_patch)
    return counts | {"method": body.method, "u_template_px": [u_x, u_y]}


def _box(text: str) -> Box:
    from saltus.core.following.patch import Box  # noqa: PLC0415  start-up time

    parts = text.split(",")
    if len(parts) != 4:
        raise WrittenError(_("“{text}” is not a box: write X,Y,W,H in px.").format(text=text[:40]))
    x, y, width, height = (number(part) for part in parts)
    if not all(math.isfinite(v) and abs(v) < 1e6 for v in (x, y, width, height)):
        raise WrittenError(_("“{text}” is not a box: write X,Y,W,H in px.").format(text=text[:40]))
    return Box(x, y, width, height)


def _frames(facts: FilmFacts, first: int, last: int | None, every: int) -> list[int]:
    """Frames in the order they are looked at."""
    end = facts.frames - 1 if last is None else last
    for frame in (first, end):
        if not 0 <= frame < facts.frames:
            raise FilmError(
                _("There is no frame {n}: the frames are numbered 0 to {last}.").format(
                    n=frame, last=facts.frames - 1
                )
            )
    if every < 1:
        raise TableError(_("--every must be at least 1."))
    return list(range(first, end + 1, every)) if end >= first else list(range(first, end - 1, -every))
