"""The tables of readings and of motion, in the shapes of the headless commands."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.mapping import Mapping, Seen
from saltus.core.motion.local import DEFAULT_WINDOW, local_motion
from saltus.core.units import ONE, PIXEL, RADIAN, SECOND
from saltus.core.wording import _
from saltus.exchange.tables import Cell, Table, TableError
from saltus.notebook.derived.motion import body_motion, clock_of, common_px, frame_times, mapping_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from numpy.typing import NDArray

    from saltus.core.quantity import Quantity
    from saltus.notebook.derived.motion import BodyMotion
    from saltus.notebook.model import Body, Take

    Array = NDArray[np.float64]

READINGS_HEADER = ("body", "frame", "t [s]", "x [px]", "y [px]", "u(x) [px]", "u(y) [px]", "status")
COMMON = ("u_template(x) [px]", "u_template(y) [px]", "run")
TURNED = ("angle [rad]", "u(angle) [rad]")
NOT_USED = ("lost", "weak", "set-aside")
_STATUS = {"used": "", "weak": "weak", "aside": "set-aside"}


def motion_header(length: str = "m") -> tuple[str, ...]:
    """Header of the motion table; ``px`` for a take without a scale."""
    first = (
        "body",
        "frame",
        "t [s]",
        f"x [{length}]",
        f"y [{length}]",
        f"u(x) [{length}]",
        f"u(y) [{length}]",
    )
    speed = tuple(f"{name} [{length}/s]" for name in ("vx", "vy", "u(vx)", "u(vy)"))
    change = tuple(f"{name} [{length}/s^2]" for name in ("ax", "ay", "u(ax)", "u(ay)"))
    return (*first, *speed, *change, "u_scale [1]", "u_rate [1]")


def patch_names(table: Table) -> dict[float, str]:
    """Runs of followed readings whose places have something in common, and its name in the motion table."""
    runs = table.optional("run", ONE)
    common = table.optional("u_template(x)", PIXEL) + table.optional("u_template(y)", PIXEL)
    return {float(run): f"patch-{run:g}" for run in np.unique(runs[np.isfinite(runs) & np.isfinite(common)])}


def common_header(names: Iterable[str], length: str = "m") -> tuple[str, ...]:
    """Pairs of columns of what is common beyond scale and clock."""
    return tuple(f"c:{name}({axis}) [{length}]" for name in names for axis in ("x", "y"))


@dataclass(frozen=True)
class _Track:
    """Readings of one body: row numbers in the table, times, places and their u (NaN: not stated)."""

    rows: NDArray[np.int_]
    t: Array
    x: Array
    y: Array
    u_x: Array
    u_y: Array


def _tracks(table: Table, capture_rate: float | None) -> dict[str, _Track]:
    bodies = table.text("body")
    frame = table.numbers("frame", ONE)
    t = frame / capture_rate if capture_rate else table.numbers("t", SECOND)
    x, y = table.numbers("x", PIXEL), table.numbers("y", PIXEL)
    u_x, u_y = table.optional("u(x)", PIXEL), table.optional("u(y)", PIXEL)
    status = np.array([s.strip() not in NOT_USED for s in table.text("status")], dtype=bool)
    if np.any(u_x < 0) or np.any(u_y < 0):
        raise TableError(_("{name} holds a negative uncertainty.").format(name=table.name))
    seen = np.isfinite(x) & np.isfinite(y) & np.isfinite(t) & status
    tracks = {}
    for body in dict.fromkeys(bodies):
        rows = np.flatnonzero(np.array([b == body for b in bodies], dtype=bool) & seen)
        rows = rows[np.argsort(t[rows], kind="stable")]
        if np.any(np.diff(t[rows]) <= 0):
            raise TableError(
                _("{name}: the body “{body}” has two readings at one time.").format(
                    name=table.name, body=body
                )
            )
        tracks[body] = _Track(rows, t[rows], x[rows], y[rows], u_x[rows], u_y[rows])
    return tracks


def motion_rows(
    table: Table,
    mapping: Mapping,
    u_rate: float = 0.0,
    window: int = DEFAULT_WINDOW,
    capture_rate: float | None = None,
) -> list[list[Cell]]:
    """Turn a table of readings into rows of the motion table, in the same order.

    Parameters
    ----------
    table : Table
        In the shape of :data:`READINGS_HEADER`; ``u`` columns and ``status`` may be missing.
    mapping : Mapping
    u_rate : float
        Relative standard uncertainty of the rate of the clock.
    window : int
        Readings the local parabola is fitted to.
    capture_rate : float, optional
        Hz; then t = frame / rate.

    Raises
    ------
    TableError
    """
    frame = table.numbers("frame", ONE)
    t = frame / capture_rate if capture_rate else table.numbers("t", SECOND)
    common: list[Cell] = [mapping.u_relative, u_rate]
    rows: list[list[Cell]] = [
        [body, int(frame[i]) if math.isfinite(frame[i]) else None, float(t[i]), *[None] * 12, *common]
        for i, body in enumerate(table.text("body"))
    ]
    for track in _tracks(table, capture_rate).values():
        u_x, u_y = np.nan_to_num(track.u_x), np.nan_to_num(track.u_y)
        x, y = mapping.world(Seen(track.x, track.y, u_x, u_y, np.arange(len(track.t)), "body"))
        known = np.isfinite(track.u_x) & np.isfinite(track.u_y)
        columns = _motion_columns(track.t, x, y, known, window)
        for i, row in enumerate(track.rows):
            rows[row][3:15] = [float(c[i]) for c in columns]
    _add_patches(table, mapping, rows)
    return rows


def add_turn(table: Table, rows: list[list[Cell]]) -> tuple[str, ...]:
    """Carry a turn that was read with the places, and give its columns; none where none was.

    Anticlockwise counts, as for all angles; in a picture down is positive.
    """
    if "angle" not in table.columns:
        return ()
    angle, u = table.numbers("angle", RADIAN), table.optional("u(angle)", RADIAN)
    for i, row in enumerate(rows):
        known = math.isfinite(angle[i])
        row += [
            0.0 - float(angle[i]) if known else None,
            float(u[i]) if known and math.isfinite(u[i]) else None,
        ]
    return TURNED


def _add_patches(table: Table, mapping: Mapping, rows: list[list[Cell]]) -> None:
    """Add for each run of followed readings what its places have in common, as a way in the world."""
    runs = table.optional("run", ONE)
    u_x, u_y = (np.nan_to_num(table.optional(f"u_template({c})", PIXEL)) for c in ("x", "y"))
    names = patch_names(table)
    if not names:
        return
    frame, x, y = (
        np.nan_to_num(table.numbers(n, u)) for n, u in (("frame", ONE), ("x", PIXEL), ("y", PIXEL))
    )
    for run in names:
        for i, row in enumerate(rows):
            way = _way(mapping, (int(frame[i]), x[i], y[i]), (u_x[i], u_y[i]))
            row.extend(way if runs[i] == run else [0.0, 0.0])


def _way(mapping: Mapping, at: tuple[int, float, float], u: tuple[float, float]) -> list[Cell]:
    """How far a place in the world moves when its place in the picture does by u, px."""
    return [float(c) for c in mapping.derivative(*at) @ np.array(u)]


def _motion_columns(t: Array, x: Quantity, y: Quantity, known: NDArray[np.bool_], window: int) -> list[Array]:
    """Twelve columns from x to u(ay): reading part only; uncertainties NaN where none is stated."""
    u_x, u_y = (np.where(known, q.u_own, np.nan) for q in (x, y))
    along, across = (local_motion(t, q.value, u, window) for q, u in ((x, u_x), (y, u_y)))
    return [
        x.value, y.value, u_x, u_y,
        along.v, across.v, along.u_v, across.u_v,
        along.a, across.a, along.u_a, across.u_a,
    ]  # fmt: skip


def readings_of_take(take: Take, body: Body | None = None) -> tuple[tuple[str, ...], list[list[Cell]]]:
    """Header and rows of the readings table of a take, of one body or of all.

    Followed readings say so in ``status``, what they have in common in columns of their own.
    """
    bodies = take.bodies if body is None else (body,)
    runs = {run.id: (i, run) for i, run in enumerate((run for b in bodies for run in b.runs), 1)}
    common = {run_id: (*common_px(b, run_id), runs[run_id][0]) for b in bodies for run_id in b.readings.runs}
    turns = {
        (run.id, row.frame): (row.angle, row.u_angle)
        for _i, run in runs.values()
        for row in run.record
        if row.angle is not None
    }
    t = frame_times(take)
    rows: list[list[Cell]] = []
    for b in bodies:
        for r in b.readings:
            u = r.u or b.u_px
            status = _STATUS[r.status] or r.origin
            row: list[Cell] = [b.name, r.frame, float(t[r.frame]), r.x, r.y, u, r.u_y or u, status]
            if runs:
                row += common.get(r.run or "", (None, None, None))
            if turns:
                row += turns.get((r.run or "", r.frame), (None, None))
            rows.append(row)
    return (*READINGS_HEADER, *(COMMON if runs else ()), *(TURNED if turns else ())), rows


def _patch_cells(take: Take, motion: BodyMotion, runs: Sequence[str]) -> list[list[Cell]]:
    """For each position what it has in common by each run, as a way in the world."""
    mapping, columns = mapping_of(take), {p.run: p for p in motion.patches}
    none = np.zeros(len(motion.t))
    rows: list[list[Cell]] = [[] for _t in motion.t]
    for run in runs:
        patch = columns.get(run)
        u = (patch.u_x, patch.u_y) if patch is not None else (none, none)
        for i, row in enumerate(rows):
            row.extend(_way(mapping, (int(motion.frames[i]), 0.0, 0.0), (u[0][i], u[1][i])))
    return rows


def motion_of_take(take: Take, body: Body | None = None) -> tuple[tuple[str, ...], list[list[Cell]]]:
    """Header and rows of the motion table of a take, of one body or of all; in px without a scale."""
    mapping, u_rate = mapping_of(take), clock_of(take).u_rate
    rows: list[list[Cell]] = []
    bodies = take.bodies if body is None else (body,)
    runs = list(dict.fromkeys(p.run for b in bodies for p in body_motion(take, b).patches))
    for b in bodies:
        motion = body_motion(take, b)
        patches = _patch_cells(take, motion, runs)
        known = np.ones(len(motion.t), dtype=bool)
        columns = _motion_columns(motion.t, motion.x, motion.y, known, DEFAULT_WINDOW)
        for i, number in enumerate(motion.frames):
            cells: list[Cell] = [float(c[i]) for c in columns]
            common: list[Cell] = [mapping.u_relative, u_rate, *patches[i]]
            rows.append([b.name, int(number), float(motion.t[i]), *cells, *common])
    unit = mapping.unit.text
    return (*motion_header(unit), *common_header([f"patch-{run}" for run in runs], unit)), rows
