"""The tables of readings and of motion, in the shapes of the headless commands."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from saltus.core.geometry.components import applied
from saltus.core.geometry.seen import Seen
from saltus.core.motion.local import DEFAULT_WINDOW, local_motion
from saltus.core.units import ONE, PIXEL, RADIAN, SECOND
from saltus.core.wording import _
from saltus.exchange.common_columns import common_header, common_of
from saltus.exchange.tables import Cell, Table, TableError
from saltus.notebook.derived.frame_clock import clock_of, frame_times
from saltus.notebook.derived.geometry import mapping_of
from saltus.notebook.derived.motion import body_motion, common_px

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.core.geometry.mapping import Mapping
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
) -> tuple[list[list[Cell]], tuple[str, ...]]:
    """Turn a table of readings into rows of the motion table, in the same order.

    Parameters
    ----------
    table : Table
        In the shape of :data:`READINGS_HEADER`; ``u`` columns and ``status`` may be missing.
    mapping : Mapping
    u_rate : float
        Relative standard uncertainty of the rate of the clock.
    window : int
        Readings of a local fit.
    capture_rate : float, optional
        Hz; then t = frame / rate.

    Returns
    -------
    rows : list of list
    common : tuple of str
        Names of the pairs of columns at their end.

    Raises
    ------
    TableError
    """
    frame = table.numbers("frame", ONE)
    rows = _empty_rows(table, frame, capture_rate, [mapping.u_relative, u_rate])
    beside: dict[str, Array] = {}
    for track in _tracks(table, capture_rate).values():
        u_x, u_y = np.nan_to_num(track.u_x), np.nan_to_num(track.u_y)
        frames = _frames_of(table, mapping, track, frame)
        _require_reached(table, mapping, track, frame)
        keys = np.arange(len(track.t))
        x, y = mapping.world(Seen(track.x, track.y, u_x, u_y, frames, "body", keys=keys))
        for name, pair in common_of(x, y).items():
            beside.setdefault(name, np.zeros((len(rows), 2)))[track.rows] = pair
        known = np.isfinite(track.u_x) & np.isfinite(track.u_y)
        columns = _motion_columns(track.t, x, y, known, window)
        for i, row in enumerate(track.rows):
            rows[row][3:15] = [float(c[i]) for c in columns]
    _add_common(rows, beside)
    _add_patches(table, mapping, rows)
    return rows, (*beside, *patch_names(table).values())


def _empty_rows(
    table: Table, frame: Array, capture_rate: float | None, common: list[Cell]
) -> list[list[Cell]]:
    t = frame / capture_rate if capture_rate else table.numbers("t", SECOND)
    return [
        [body, int(frame[i]) if math.isfinite(frame[i]) else None, float(t[i]), *[None] * 12, *common]
        for i, body in enumerate(table.text("body"))
    ]


def _add_common(rows: list[list[Cell]], beside: dict[str, Array]) -> None:
    for pair in beside.values():
        for row, cells in zip(rows, pair.tolist(), strict=True):
            row.extend(cells)


def _frames_of(table: Table, mapping: Mapping, track: _Track, frame: Array) -> NDArray[np.int64]:
    """Frames of a track; where the camera moved each must be one in which it is known how."""
    frames = frame[track.rows]
    if mapping.camera_motion is None:
        return np.asarray(np.nan_to_num(frames), dtype=np.int64)
    known = np.isfinite(frames) & mapping.camera_motion.known(np.nan_to_num(frames, nan=-1).astype(np.int64))
    if not known.all():
        words = _(
            "{name}: the camera moved, and in frame {frame:g} it is not known how: read the fixed points "
            "there, too, or leave that reading out."
        )
        raise TableError(words.format(name=table.name, frame=frames[int(np.argmin(known))]))
    return np.asarray(frames, dtype=np.int64)


def _require_reached(table: Table, mapping: Mapping, track: _Track, frame: Array) -> None:
    there = mapping.reaches(np.stack([track.x, track.y]))
    if not there.all():
        row = int(track.rows[np.argmin(there)])
        words = _(
            "{name}: the place in frame {frame:g} lies behind the horizon of the plane, or where the lens "
            "shows nothing: check the corners and k1, or leave that reading out."
        )
        raise TableError(words.format(name=table.name, frame=frame[row]))


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
    x, y = table.numbers("x", PIXEL), table.numbers("y", PIXEL)
    frames = np.nan_to_num(table.numbers("frame", ONE)).astype(np.int64)
    way = _ways(mapping, np.stack([x, y]), np.stack([u_x, u_y]), frames)
    for run in names:
        for i, row in enumerate(rows):
            row.extend(way[:, i].tolist() if runs[i] == run else [0.0, 0.0])


def _ways(mapping: Mapping, at: Array, u: Array, frames: NDArray[np.int64] | None = None) -> Array:
    """How far places in the world move when those in the picture do by u, px: (2, N), 0 without a place."""
    there = np.asarray(np.isfinite(at).all(axis=0))
    there[there] = mapping.reaches(at[:, there])
    out = np.zeros_like(at)
    some = None if frames is None else frames[there]
    out[:, there] = applied(mapping.derivatives(at[:, there], some), u[:, there])
    return out


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
    turns = {
        (run.id, row.frame): (row.angle, row.u_angle)
        for _i, run in runs.values()
        for row in run.record
        if row.angle is not None
    }
    t = frame_times(take)
    rows: list[list[Cell]] = []
    for b in bodies:
        of_run = np.array([r.run or "" for r in b.readings], dtype=object)
        shared = common_px(b, of_run, np.array([r.frame for r in b.readings], dtype=np.int64))
        for i, r in enumerate(b.readings):
            u = r.u or b.u_px
            status = _STATUS[r.status] or r.origin
            row: list[Cell] = [b.name, r.frame, float(t[r.frame]), r.x, r.y, u, r.u_y or u, status]
            if runs:
                known = (float(shared[0, i]), float(shared[1, i]), runs[r.run][0]) if r.run else (None,) * 3
                row += known
            if turns:
                row += turns.get((r.run or "", r.frame), (None, None))
            rows.append(row)
    return (*READINGS_HEADER, *(COMMON if runs else ()), *(TURNED if turns else ())), rows


def _patches_of(motion: BodyMotion, mapping: Mapping) -> dict[str, Array]:
    """For each position what it has in common by each run, as a way in the world, (N, 2)."""
    at = np.stack(mapping.picture(motion.x.value, motion.y.value))
    return {f"patch-{p.run}": _ways(mapping, at, np.stack([p.u_x, p.u_y])).T for p in motion.patches}


def motion_of_take(take: Take, body: Body | None = None) -> tuple[tuple[str, ...], list[list[Cell]]]:
    """Header and rows of the motion table of a take, of one body or of all; in px without a scale."""
    mapping, u_rate = mapping_of(take), clock_of(take).u_rate
    rows: list[list[Cell]] = []
    bodies = take.bodies if body is None else (body,)
    motions = [body_motion(take, b) for b in bodies]
    beside = [common_of(m.x, m.y) | _patches_of(m, mapping) for m in motions]
    names = list(dict.fromkeys(name for found in beside for name in found))
    for b, motion, found in zip(bodies, motions, beside, strict=True):
        known = np.ones(len(motion.t), dtype=bool)
        columns = _motion_columns(motion.t, motion.x, motion.y, known, DEFAULT_WINDOW)
        none = np.zeros((len(motion.t), 2))
        pairs = [found.get(n, none) for n in names]
        for i, number in enumerate(motion.frames):
            cells: list[Cell] = [float(c[i]) for c in columns]
            common: list[Cell] = [mapping.u_relative, u_rate, *(float(c) for p in pairs for c in p[i])]
            rows.append([b.name, int(number), float(motion.t[i]), *cells, *common])
    unit = mapping.unit.text
    return (*motion_header(unit), *common_header(names, unit)), rows
