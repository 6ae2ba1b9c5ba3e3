"""Edits of runs of following: each block of readings, and what a person decides of the doubtful ones."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from saltus.notebook.edits.ids import new_id
from saltus.notebook.edits.readings import change_body, require_take
from saltus.notebook.following import FollowedRun

if TYPE_CHECKING:
    from collections.abc import Mapping

    from saltus.notebook.following import FrameRecord, PatchRenewal
    from saltus.notebook.model import Body, Notebook
    from saltus.notebook.readings import Reading


FEW = 64
"""So many frames are looked up one by one."""


@dataclass(frozen=True)
class Block:
    """What a run found in some frames.

    Attributes
    ----------
    run : str
        Its id.
    records : tuple of FrameRecord
    readings : tuple of Reading
        None where the body is lost.
    u_patch : (x, y) or None
        What all its places have in common, px, once that is known.
    renewals : tuple of PatchRenewal
        When its patch was made anew.
    method : str or None
        How the body was followed, once it was chosen.
    """

    run: str
    records: tuple[FrameRecord, ...]
    readings: tuple[Reading, ...]
    u_patch: tuple[float, float] | None = None
    renewals: tuple[PatchRenewal, ...] = ()
    method: str | None = None


def begin_run(
    notebook: Notebook, take_id: str, body_id: str, *, method: str, box: tuple[float, float, float, float],
    point: tuple[float, float], start: int, end: int, every: int = 1,
    u_box: tuple[float, float] = (0.0, 0.0), renewed: bool = True,
) -> tuple[Notebook, str]:  # fmt: skip
    """Begin to follow a body; gives the notebook and the id of the run.

    From a followed reading it goes on: what that one's run has in common its places then have, too. A reading
    by hand is as unsure as the hand, for all places of the run, once there are others to hold them against.
    ``u_box``: standard uncertainty of where the box was laid, px; one drawn by hand says what is read.
    """
    take = require_take(notebook, take_id)
    body = take.body(body_id)
    if body is None:
        raise KeyError(body_id)
    notebook, run_id = new_id(notebook, "run", (r.id for b in take.bodies for r in b.runs))
    here = body.readings.at(start)
    after, own = None, body.u_px
    if here is not None and here.u is not None:
        after, own = here.run, here.u
    others = bool((body.readings.used.frame != start).any())
    u_start = (own, here.u_y or own) if here is not None and here.u is not None and after else (own, own)
    run = FollowedRun.model_validate(
        {
            "id": run_id, "method": method, "box": box, "point": point, "start": start, "end": end,
            "every": every, "u_start": u_start if others else u_box, "after": after, "renewed": renewed,
        }
    )  # fmt: skip
    return change_body(notebook, take_id, body_id, runs=(*body.runs, run)), run_id


def add_found(notebook: Notebook, take_id: str, blocks: Mapping[str, Block]) -> Notebook:
    """Take in what was found of bodies, by their ids; readings by hand that are there already stay."""
    for body_id, block in blocks.items():
        body = require_take(notebook, take_id).body(body_id)
        run = body.run(block.run) if body is not None else None
        if body is None or run is None:
            continue
        changed = run.but(
            record=run.record.with_rows(block.records),
            u_patch=block.u_patch or run.u_patch,
            renewals=block.renewals or run.renewals,
            method=block.method or run.method,
        )
        runs = tuple(changed if r is run else r for r in body.runs)
        origin = _origins(body, block)
        placed = [r for r in block.readings if origin.get(r.frame, "followed") == "followed"]
        seen = {r.frame for r in block.readings}
        gone = [r.frame for r in block.records if r.frame not in seen and origin.get(r.frame) == "followed"]
        readings = body.readings.with_differences(placed, gone)
        notebook = change_body(notebook, take_id, body_id, runs=runs, readings=readings)
    return notebook


def _origins(body: Body, block: Block) -> dict[int, str]:
    """How the readings came about that are there already in the frames of a block."""
    if len(block.records) > FEW:
        return {r.frame: r.origin for r in body.readings}
    there = (body.readings.at(record.frame) for record in block.records)
    return {r.frame: r.origin for r in there if r is not None}


def decide(notebook: Notebook, take_id: str, body_id: str, frame: int, *, use: bool) -> Notebook:
    """Take a doubtful reading as it was proposed, or leave it out."""
    body = require_take(notebook, take_id).body(body_id)
    there = body.readings.at(frame) if body is not None else None
    if body is None or there is None:
        return notebook
    changed = there.but(status="used" if use else "aside")
    return change_body(notebook, take_id, body_id, readings=body.readings.with_reading(changed))
